package plates

import (
	"cmp"
	"context"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/bed"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/naming"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
	"jobshelf/core/shop/revision"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/store"
)

// SliceInput is what a slice is made from.
type SliceInput struct {
	Slice  store.Slice
	Pieces []store.Piece // of the slice, in its order
	Jobs   []store.Job   // that it is of; several where it puts their plates together
	verdict.Choice
	StartCents units.Cents
	Made       revision.Made // by what it is made now
	from       []revision.Ref
	Wear       *bed.Wear // of the machine's bed; nil: nothing has lain on it
	// FilePattern is how the house names files.
	FilePattern string
}

// name is what a slice is of, in few words.
func (in *SliceInput) name() string {
	switch {
	case len(in.Jobs) > 1:
		return sharedTitle(len(in.Jobs))
	case len(in.Pieces) == 1:
		return in.Pieces[0].Name
	}
	return in.Jobs[0].Title
}

// InputOf gathers what a slice is made from.
func InputOf(ctx context.Context, d *desk.Desk, id int64) (SliceInput, error) {
	s, err := d.Store.Slice(ctx, id)
	if err != nil {
		return SliceInput{}, err
	}
	jobs, err := jobsOf(ctx, d.Store.Q, &s)
	if err != nil {
		return SliceInput{}, err
	}
	in, err := gather(ctx, d.Store.Q, s, jobs...)
	if err != nil {
		return in, err
	}
	return in, in.made()
}

// jobsOf are the jobs that a slice is of, the first one's first.
func jobsOf(ctx context.Context, q store.Q, s *store.Slice) (out []store.Job, err error) {
	ids := []int64{s.JobID}
	if s.JobID == 0 {
		if ids, err = jobsJoined(ctx, q, s); err != nil {
			return nil, err
		}
	}
	for _, id := range ids {
		j, err := q.Job(ctx, id)
		if err != nil {
			return nil, err
		}
		out = append(out, j)
	}
	return out, nil
}

// jobsJoined are the numbers of the jobs whose plates a slice puts together.
func jobsJoined(ctx context.Context, q store.Q, s *store.Slice) (out []int64, err error) {
	for _, id := range s.Joins {
		p, err := q.Plate(ctx, id)
		if err != nil {
			return nil, err
		}
		own, err := q.Slice(ctx, p.SliceID)
		if err != nil {
			return nil, err
		}
		out = append(out, own.JobID)
	}
	return out, nil
}

// gather reads it, whether or not it can be made now.
func gather(ctx context.Context, q store.Q, s store.Slice, jobs ...store.Job) (SliceInput, error) {
	in := SliceInput{Slice: s, Jobs: jobs}
	for _, x := range s.Pieces {
		p, err := q.Piece(ctx, x.PieceID)
		if err != nil {
			return in, err
		}
		in.Pieces = append(in.Pieces, p)
	}
	h, err := q.House(ctx)
	if err != nil {
		return in, err
	}
	in.StartCents, in.FilePattern = h.StartCents, cmp.Or(h.FilePattern, naming.FilePattern)
	all, from, err := desk.Choices(ctx, q, recipe.Purpose(jobs[0].Purpose))
	if err != nil {
		return in, err
	}
	for i := range all {
		if all[i].ID == s.MachineID {
			in.Choice, in.from = all[i], from[i]
		}
	}
	if in.Machine == nil {
		return in, store.ErrNotFound
	}
	in.Wear, err = floor.Wear(ctx, q, s.MachineID)
	return in, err
}

// made fills in by what it is made now; a refusal where the machine has no recipe for it.
func (in *SliceInput) made() error {
	if in.Recipe == nil || in.Loaded == nil {
		return desk.Refuse("no recipe for a purpose on", in.Jobs[0].Purpose, in.Machine.Name)
	}
	if r, err := in.Recipe.Apply(in.Slice.Overrides); err == nil { // else it is refused where it is made
		in.Made = revision.Of(in.Machine, r, in.Loaded, in.from, in.Slice.Pieces)
	}
	return nil
}

// SliceView is a slice as the bench shows it.
type SliceView struct {
	ID           int64                 `json:"id"`
	MachineID    int64                 `json:"machine_id"`
	Machine      string                `json:"machine"`
	Version      int                   `json:"version"`
	Label        string                `json:"label"`
	BaseID       int64                 `json:"base_id,omitempty"`
	Overrides    []recipe.Override     `json:"overrides"`
	SupportMarks []slicing.SupportMark `json:"support_marks"`
	Overhangs    []slicing.Overhang    `json:"overhangs" doc:"Overhangs, and what is done about it"`
	Stand        orient.Stand          `json:"stand" doc:"How the piece stands in it"`
	Pins         []slicing.Pin         `json:"pins,omitempty" doc:"Copies that stay where they were put"`
	Nozzle       int                   `json:"nozzle,omitempty" doc:"Lays the piece in it, where that is not the recipe's"`
	Regions      []slicing.Region      `json:"regions,omitempty" doc:"Places of the piece that are filled otherwise than the rest of it"`
	Chosen       bool                  `json:"chosen"`
	State        string                `json:"state" enum:"queued,running,done,failed,cancelled,set aside"`
	Fraction     float64               `json:"fraction"`
	Error        string                `json:"error,omitempty"`
	Waits        string                `json:"waits,omitempty" doc:"Why it still waits, where that is not its turn"`
	Full         *FullView             `json:"full,omitempty" doc:"Of all its plates"`
	Notes        []string              `json:"notes"`
	Plates       []PlateView           `json:"plates" doc:"Where every copy lies"`
	Of           string                `json:"of,omitempty" doc:"What it is not of any more: pieces, copies or units of the job are others now"`
	Together     bool                  `json:"together,omitempty" doc:"It puts a plate of the job beside another job's: to choose it is a yes to that"`
	Stale        string                `json:"stale,omitempty" doc:"What has changed since it was made: it is to be made anew before it can be approved"`
}

// PlateView is a plate of a slice.
type PlateView struct {
	N       int                  `json:"n"`
	Alike   int                  `json:"alike,omitempty" doc:"The number of an earlier plate on which all lies in the same way"`
	Spots   []SpotView           `json:"spots"`
	Seconds float64              `json:"seconds,omitempty" doc:"None where it is alike another"`
	Grams   float64              `json:"grams,omitempty"`
	Strip   []estimate.LayerTime `json:"by_layer,omitempty"`
}

// SpotView is where a copy lies, and what it takes.
type SpotView struct {
	PieceID int64   `json:"piece_id"`
	Copy    int     `json:"copy"`
	XMM     float64 `json:"x_mm"`
	YMM     float64 `json:"y_mm"`
	TurnDeg float64 `json:"turn_deg"`
	// Of the first copy that lies turned so.
	OutlineMM [][2]float64 `json:"outline_mm,omitempty" doc:"Its shadow about the middle of its box"`
	Seconds   float64      `json:"seconds,omitempty"`
	Grams     float64      `json:"grams,omitempty"`
}

// FullView is the full estimate as the bench shows it.
type FullView struct {
	Seconds       float64              `json:"seconds" doc:"How long the machine is busy, s"`
	WarmUp        float64              `json:"warm_up_seconds" doc:"Of it, warming up"`
	Layers        int                  `json:"layers"`
	Grams         float64              `json:"grams"`
	GramsModel    float64              `json:"grams_model"`
	GramsSupport  float64              `json:"grams_support"`
	GramsAdhesion float64              `json:"grams_adhesion"`
	GramsPurge    float64              `json:"grams_purge"`
	SupportCM3    float64              `json:"support_cm3" doc:"The room that its support takes, as it is laid"`
	Nozzles       []estimate.NozzleUse `json:"nozzles"`
	Changes       int                  `json:"nozzle_changes"`
	FilamentMM    float64              `json:"filament_mm"`
	Price         units.Cents          `json:"price_cents"`
	Lines         []units.PriceLine    `json:"lines"`
	ByKind        map[string]float64   `json:"seconds_by_kind"`
}

func fullView(f *price.Full) FullView {
	support := 0.0
	for k, n := range f.Nozzles {
		if k < len(f.Uses) && f.Uses[k].Material != nil {
			support += n.GramsSupport / f.Uses[k].Material.DensityGPerCM
		}
	}
	return FullView{
		SupportCM3: support,
		Seconds:    f.WholeSeconds(), WarmUp: f.WarmUpSeconds, ByKind: f.ByKind,
		Layers: f.Layers, Nozzles: f.Nozzles, Changes: f.Changes, FilamentMM: f.FilamentMM,
		Grams: f.Grams(), GramsModel: f.GramsModel, GramsSupport: f.GramsSupport, GramsAdhesion: f.GramsAdhesion, GramsPurge: f.GramsPurge,
		Price: f.Cents, Lines: f.Lines,
	}
}

// Slices lists those of the job of a piece, as that piece stands in them.
func Slices(ctx context.Context, d *desk.Desk, a desk.Actor, piece int64) ([]SliceView, error) {
	p, err := intake.Piece(ctx, d, a, piece)
	if err != nil {
		return nil, err
	}
	rows, err := d.Store.Slices(ctx, p.JobID)
	if err != nil {
		return nil, err
	}
	plates, err := d.Store.PlatesOfSlices(ctx, p.JobID)
	if err != nil {
		return nil, err
	}
	pieces, err := d.Store.Pieces(ctx, p.JobID)
	if err != nil {
		return nil, err
	}
	j, err := d.Store.Job(ctx, p.JobID)
	if err != nil {
		return nil, err
	}
	today, err := floor.TodayFor(ctx, d.Store.Q, j.Purpose)
	if err != nil {
		return nil, err
	}
	words := d.Words(ctx)
	out := []SliceView{}
	for i := range rows {
		s := &rows[i]
		at := slices.IndexFunc(s.Pieces, func(x revision.Piece) bool { return x.PieceID == piece })
		if at < 0 {
			continue
		}
		v := viewOf(s, at, plates)
		v.Machine = today.Machine(s.MachineID)
		if !floor.Covers(s.Pieces, pieces) {
			v.Of = words.Say(problem.Say("slice of other pieces"))
		}
		if s.Full != nil {
			full, changed := today.Of(s.MachineID, s.Full, s.Overrides, s.Pieces, s.Made)
			f := fullView(full)
			v.Full, v.Stale = &f, words.Stale(changed)
		}
		out = append(out, v)
	}
	if !a.Role.AtLeast(desk.Coordinator) {
		return out, nil
	}
	joints, err := d.Store.JointsAgainst(ctx, p.JobID)
	if err != nil {
		return nil, err
	}
	for i := range joints {
		s := &joints[i]
		at := slices.IndexFunc(s.Pieces, func(x revision.Piece) bool { return x.PieceID == piece })
		base := slices.IndexFunc(out, func(v SliceView) bool { return v.ID == *s.BaseID })
		if at < 0 || base < 0 {
			continue
		}
		own, err := d.Store.Plates(ctx, s.ID)
		if err != nil {
			return nil, err
		}
		v := viewOf(s, at, own)
		v.Together, v.Machine = true, today.Machine(s.MachineID)
		if s.Full != nil && out[base].Full != nil {
			if v.Full, err = added(ctx, d.Store.Q, s, out[base].Full); err != nil {
				return nil, err
			}
			_, changed := today.Of(s.MachineID, s.Full, s.Overrides, s.Pieces, s.Made)
			v.Stale = words.Stale(changed)
		}
		out = append(out, v)
	}
	return out, nil
}

// added is what a job takes of a machine if one of its plates lies with another's: by so much less than by
// itself as both together take less than one after the other. The price is its own.
func added(ctx context.Context, q store.Q, s *store.Slice, alone *FullView) (*FullView, error) {
	f := *alone
	f.Seconds, f.Grams = f.Seconds+s.Full.WholeSeconds(), f.Grams+s.Full.Grams()
	for _, id := range s.Joins {
		p, err := q.Plate(ctx, id)
		if err != nil {
			return nil, err
		}
		f.Seconds, f.Grams = f.Seconds-p.Full.WholeSeconds(), f.Grams-p.Full.Grams()
	}
	return &f, nil
}

// viewOf is a slice as one of its pieces stands in it.
func viewOf(s *store.Slice, at int, plates []store.Plate) SliceView {
	x := &s.Pieces[at]
	v := SliceView{
		ID:           s.ID,
		MachineID:    s.MachineID,
		Version:      x.Version,
		Label:        s.Label,
		Overrides:    s.Overrides,
		SupportMarks: x.SupportMarks,
		Overhangs:    []slicing.Overhang{},
		Stand:        x.Stand.Plain(),
		Pins:         x.Pins,
		Regions:      x.Regions,
		Nozzle:       x.Nozzle,
		Chosen:       s.Chosen,
		State:        s.State,
		Fraction:     float64(s.Fraction),
		Error:        s.Error,
		Waits:        s.Waits,
		Notes:        s.Notes,
		Plates:       []PlateView{},
	}
	if s.BaseID != nil {
		v.BaseID = *s.BaseID
	}
	for _, o := range s.Overhangs {
		if o.Part == at {
			v.Overhangs = append(v.Overhangs, o)
		}
	}
	for _, p := range plates {
		if p.SliceID == s.ID {
			v.Plates = append(v.Plates, plateView(s, &p))
		}
	}
	return v
}

func plateView(s *store.Slice, p *store.Plate) PlateView {
	v := PlateView{N: p.N, Spots: []SpotView{}}
	if p.Alike != nil {
		v.Alike = *p.Alike
	}
	for k, at := range p.Spots {
		spot := SpotView{Copy: at.Copy, XMM: at.XMM, YMM: at.YMM, TurnDeg: at.TurnDeg, OutlineMM: at.OutlineMM}
		if at.Piece < len(s.Pieces) {
			spot.PieceID = s.Pieces[at.Piece].PieceID
		}
		if p.Full != nil && k < len(p.Full.Shares) {
			spot.Seconds, spot.Grams = p.Full.Shares[k].Seconds, p.Full.Shares[k].Grams
		}
		v.Spots = append(v.Spots, spot)
	}
	if p.Full != nil {
		v.Seconds, v.Grams, v.Strip = p.Full.WholeSeconds(), p.Full.Grams(), p.Full.ByLayer
	}
	return v
}

// SliceFor finds a slice that the actor may see.
func SliceFor(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) (store.Slice, error) {
	s, err := d.Store.Slice(ctx, id)
	if err != nil {
		return s, err
	}
	if s.JobID == 0 { // nobody but the desk sees whose parts lie beside
		if !a.Role.AtLeast(desk.Coordinator) {
			err = store.ErrNotFound
		}
		return s, err
	}
	j, err := d.Store.Job(ctx, s.JobID)
	if err == nil && !desk.Sees(a, j) {
		err = store.ErrNotFound
	}
	return s, err
}

// plateFor finds a plate of a slice that the actor may see.
func plateFor(ctx context.Context, d *desk.Desk, a desk.Actor, slice int64, n int) (store.Slice, store.Plate, error) {
	s, err := SliceFor(ctx, d, a, slice)
	if err != nil {
		return s, store.Plate{}, err
	}
	all, err := d.Store.Plates(ctx, slice)
	if err != nil {
		return s, store.Plate{}, err
	}
	for _, p := range all {
		if p.N == max(1, n) {
			return s, p, nil
		}
	}
	return s, store.Plate{}, store.ErrNotFound
}

// Layers are those of a plate of a slice, as docs/view-format.md says. Plates are counted from
// 1; 0 is the first.
func Layers(ctx context.Context, d *desk.Desk, a desk.Actor, slice int64, plate int) (desk.Download, error) {
	_, p, err := plateFor(ctx, d, a, slice, plate)
	if err != nil {
		return desk.Download{}, err
	}
	return d.Stored(ctx, p.LayersID, desk.Download{Type: desk.AnyBytes, Keep: 24 * time.Hour})
}

// Program is the G-code of a plate.
func Program(ctx context.Context, d *desk.Desk, a desk.Actor, slice int64, plate int) (desk.Download, error) {
	s, p, err := plateFor(ctx, d, a, slice, plate)
	if err != nil {
		return desk.Download{}, err
	}
	return named(ctx, d, s, p, p.GCodeID, desk.Download{Type: "text/plain; charset=utf-8"}, ".gcode")
}

// Standing is the parts as they stand on a plate, 3MF.
func Standing(ctx context.Context, d *desk.Desk, a desk.Actor, slice int64, plate int) (desk.Download, error) {
	s, p, err := plateFor(ctx, d, a, slice, plate)
	if err != nil {
		return desk.Download{}, err
	}
	return named(ctx, d, s, p, p.StandingID, desk.Download{Type: "model/3mf"}, ".3mf")
}

// RunProgram is the program that a run holds.
func RunProgram(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) (desk.Download, error) {
	r, err := d.Store.Run(ctx, id)
	if err != nil {
		return desk.Download{}, err
	}
	if len(r.Shares) == 0 || len(r.Shares) > 1 && !a.Role.AtLeast(desk.Coordinator) {
		return desk.Download{}, store.ErrNotFound
	}
	j, err := d.Store.Job(ctx, r.Shares[0].JobID)
	if err != nil {
		return desk.Download{}, err
	}
	if !desk.Sees(a, j) {
		return desk.Download{}, store.ErrNotFound
	}
	out, err := d.Stored(ctx, r.GCodeID, desk.Download{Type: "text/plain; charset=utf-8"})
	if err != nil {
		return out, err
	}
	h, err := d.Store.House(ctx)
	if err != nil {
		return desk.Download{}, err
	}
	machines, err := d.Store.Machines(ctx)
	if err != nil {
		return desk.Download{}, err
	}
	f := naming.FileFacts{Job: j.ID, Member: j.MemberName, Title: j.Title, Part: j.Title, Seconds: r.Seconds, Grams: r.Grams, Material: r.Material, Recipe: r.Recipe, Ending: ".gcode"}
	if own := r.Shares[0]; own.Plates > 1 {
		f.Title = fmt.Sprintf("%s %d of %d", j.Title, own.Plate, own.Plates)
	}
	if len(r.Shares) > 1 {
		f.Member, f.Title, f.Part = shared, sharedTitle(len(r.Shares)), shared
	}
	for _, m := range machines {
		if m.ID == r.MachineID {
			f.Machine = m.Data.Name
		}
	}
	out.Name, err = naming.FileName(cmp.Or(h.FilePattern, naming.FilePattern), f)
	return out, err
}

// shared is what a file is named by that lies about for all to see, in place of those whose parts are in it.
const shared = "shared"

func sharedTitle(jobs int) string { return fmt.Sprintf("a plate shared by %d", jobs) }

// named fills in a stored file of a plate, called as the house calls such files.
func named(ctx context.Context, d *desk.Desk, s store.Slice, p store.Plate, blob *int64, out desk.Download, ending string) (desk.Download, error) {
	out, err := d.Stored(ctx, blob, out)
	if err != nil || p.Full == nil {
		return out, err
	}
	in, err := InputOf(ctx, d, s.ID)
	if err != nil {
		return desk.Download{}, err
	}
	part := strings.TrimSuffix(in.Pieces[0].Name, path.Ext(in.Pieces[0].Name))
	title := in.Jobs[0].Title
	if n := max(1, s.Full.Plates); n > 1 { // one name for each
		title = fmt.Sprintf("%s %d of %d", title, p.N, n)
	}
	member := in.Jobs[0].MemberName
	if len(in.Jobs) > 1 {
		member, title, part = shared, sharedTitle(len(in.Jobs)), shared
	}
	out.Name, err = naming.FileName(in.FilePattern, naming.FileFacts{Job: in.Jobs[0].ID, Member: member, Title: title, Part: part,
		Seconds: p.Full.WholeSeconds(), Grams: p.Full.Grams(), Machine: in.Machine.Name, Material: in.Loaded.Of(1).Name,
		Recipe: in.Recipe.Name, Layers: p.Full.Layers, Ending: ending})
	return out, err
}
