package plates

import (
	"cmp"
	"context"
	"path"
	"strings"
	"time"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/naming"
	"jobshelf/core/print/recipe"
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
	Slice store.Slice
	Piece store.Piece
	Job   store.Job
	verdict.Choice
	StartCents units.Cents
	Made       revision.Made // by what it is made now
	// FilePattern is how the house names files.
	FilePattern string
}

// InputOf gathers what a slice is made from.
func InputOf(ctx context.Context, d *desk.Desk, id int64) (SliceInput, error) {
	s, err := d.Store.Slice(ctx, id)
	if err != nil {
		return SliceInput{}, err
	}
	p, err := d.Store.Piece(ctx, s.PieceID)
	if err != nil {
		return SliceInput{}, err
	}
	j, err := d.Store.Job(ctx, p.JobID)
	if err != nil {
		return SliceInput{}, err
	}
	return gather(ctx, d.Store.Q, s, p, j)
}

func gather(ctx context.Context, q store.Q, s store.Slice, p store.Piece, j store.Job) (SliceInput, error) {
	in := SliceInput{Slice: s, Piece: p, Job: j}
	h, err := q.House(ctx)
	if err != nil {
		return in, err
	}
	in.StartCents, in.FilePattern = h.StartCents, cmp.Or(h.FilePattern, naming.FilePattern)
	all, ids, err := desk.Choices(ctx, q, recipe.Purpose(j.Purpose))
	if err != nil {
		return in, err
	}
	for i, id := range ids {
		if id == s.MachineID {
			in.Choice = all[i]
		}
	}
	if in.Machine == nil {
		return in, store.ErrNotFound
	}
	if in.Recipe == nil || in.Loaded == nil {
		return in, desk.Refuse("no recipe for a purpose on", j.Purpose, in.Machine.Name)
	}
	if r, err := in.Recipe.Apply(s.Overrides); err == nil { // else it is refused where it is made
		in.Made = revision.Of(in.Machine, r, in.Loaded)
	}
	return in, nil
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
	Scale        float64               `json:"scale"`
	Tip          slicing.Tip           `json:"tip"`
	Chosen       bool                  `json:"chosen"`
	State        string                `json:"state" enum:"queued,running,done,failed,cancelled,set aside"`
	Fraction     float64               `json:"fraction"`
	Error        string                `json:"error,omitempty"`
	Full         *FullView             `json:"full,omitempty"`
	Notes        []string              `json:"notes"`
	Stale        string                `json:"stale,omitempty" doc:"What has changed since it was made: it is to be made anew before it can be approved"`
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
	Nozzles       []estimate.NozzleUse `json:"nozzles"`
	Changes       int                  `json:"nozzle_changes"`
	FilamentMM    float64              `json:"filament_mm"`
	Price         units.Cents          `json:"price_cents"`
	Lines         []units.PriceLine    `json:"lines"`
	ByKind        map[string]float64   `json:"seconds_by_kind"`
	Strip         []estimate.LayerTime `json:"by_layer"`
}

func fullView(f *price.Full) FullView {
	return FullView{
		Seconds: f.WholeSeconds(), WarmUp: f.WarmUpSeconds, ByKind: f.ByKind, Strip: f.ByLayer,
		Layers: f.Layers, Nozzles: f.Nozzles, Changes: f.Changes, FilamentMM: f.FilamentMM,
		Grams: f.Grams(), GramsModel: f.GramsModel, GramsSupport: f.GramsSupport, GramsAdhesion: f.GramsAdhesion, GramsPurge: f.GramsPurge,
		Price: f.Cents, Lines: f.Lines,
	}
}

// Slices lists a piece's.
func Slices(ctx context.Context, d *desk.Desk, a desk.Actor, piece int64) ([]SliceView, error) {
	p, err := intake.Piece(ctx, d, a, piece)
	if err != nil {
		return nil, err
	}
	rows, err := d.Store.Slices(ctx, p.ID)
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
	for _, s := range rows {
		v := SliceView{
			ID:           s.ID,
			MachineID:    s.MachineID,
			Version:      s.Version,
			Label:        s.Label,
			Overrides:    s.Overrides,
			SupportMarks: s.SupportMarks,
			Overhangs:    s.Overhangs,
			Scale:        s.Scale,
			Tip:          s.Tip,
			Chosen:       s.Chosen,
			State:        s.State,
			Fraction:     float64(s.Fraction),
			Error:        s.Error,
			Notes:        s.Notes,
		}
		if s.BaseID != nil {
			v.BaseID = *s.BaseID
		}
		v.Machine = today.Machine(s.MachineID)
		if s.Full != nil {
			full, changed := today.Of(s.MachineID, s.Full, s.Overrides, s.Made)
			f := fullView(full)
			v.Full, v.Stale = &f, words.Stale(changed)
		}
		out = append(out, v)
	}
	return out, nil
}

// SliceFor finds a slice that the actor may see.
func SliceFor(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) (store.Slice, store.Piece, error) {
	s, err := d.Store.Slice(ctx, id)
	if err != nil {
		return s, store.Piece{}, err
	}
	p, err := intake.Piece(ctx, d, a, s.PieceID)
	return s, p, err
}

// Layers are those of a slice, as docs/view-format.md says.
func Layers(ctx context.Context, d *desk.Desk, a desk.Actor, slice int64) (desk.Download, error) {
	s, _, err := SliceFor(ctx, d, a, slice)
	if err != nil {
		return desk.Download{}, err
	}
	return d.Stored(ctx, s.LayersID, desk.Download{Type: desk.AnyBytes, Keep: 24 * time.Hour})
}

// Program is a slice's G-code.
func Program(ctx context.Context, d *desk.Desk, a desk.Actor, slice int64) (desk.Download, error) {
	s, p, err := SliceFor(ctx, d, a, slice)
	if err != nil {
		return desk.Download{}, err
	}
	return named(ctx, d, s, p, s.GCodeID, desk.Download{Type: "text/plain; charset=utf-8"}, ".gcode")
}

// Standing is a slice's part as it stands on the plate, 3MF.
func Standing(ctx context.Context, d *desk.Desk, a desk.Actor, slice int64) (desk.Download, error) {
	s, p, err := SliceFor(ctx, d, a, slice)
	if err != nil {
		return desk.Download{}, err
	}
	return named(ctx, d, s, p, s.PlateID, desk.Download{Type: "model/3mf"}, ".3mf")
}

// named fills in a stored file of a slice's, called as the house calls such files.
func named(ctx context.Context, d *desk.Desk, s store.Slice, p store.Piece, blob *int64, out desk.Download, ending string) (desk.Download, error) {
	out, err := d.Stored(ctx, blob, out)
	if err != nil || s.Full == nil {
		return out, err
	}
	in, err := InputOf(ctx, d, s.ID)
	if err != nil {
		return desk.Download{}, err
	}
	part := strings.TrimSuffix(p.Name, path.Ext(p.Name))
	pieces, err := d.Store.Pieces(ctx, in.Job.ID)
	if err != nil {
		return desk.Download{}, err
	}
	title := in.Job.Title
	if len(pieces) > 1 { // one name for each
		title = part
	}
	out.Name, err = naming.FileName(in.FilePattern, naming.FileFacts{Job: in.Job.ID, Member: in.Job.MemberName, Title: title, Part: part,
		Seconds: s.Full.WholeSeconds(), Grams: s.Full.Grams(), Machine: in.Machine.Name, Material: in.Loaded.Of(1).Name,
		Recipe: in.Recipe.Name, Layers: s.Full.Layers, Ending: ending})
	return out, err
}
