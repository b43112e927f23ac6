package desk

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/option"
	"jobshelf/core/shop/planning"
	"jobshelf/internal/store"
)

// Slip is a job as it lies on the shelf.
type Slip struct {
	ID        int64        `json:"id"`
	Title     string       `json:"title"`
	MemberID  int64        `json:"member_id"`
	Member    string       `json:"member"`
	Purpose   string       `json:"purpose"`
	Wish      string       `json:"wish"`
	NeededBy  string       `json:"needed_by,omitempty" doc:"Date, YYYY-MM-DD"`
	Late      bool         `json:"late" doc:"It would be, or will be, finished after that day"`
	Step      string       `json:"step"`
	Reason    string       `json:"reason,omitempty"`
	ArrivedAt time.Time    `json:"arrived_at"`
	Version   int          `json:"version"`
	PieceID   int64        `json:"piece_id" doc:"The first piece, whose picture stands for the job"`
	Pictured  bool         `json:"pictured"`
	Pieces    int          `json:"pieces" doc:"How many, copies counted"`
	Check     Check        `json:"check"`
	Worst     *FindingView `json:"worst,omitempty"`
	Machine   string       `json:"machine,omitempty" doc:"Where it is queued, or is proposed to go"`
	MachineID int64        `json:"machine_id,omitempty"`
	Seconds   float64      `json:"seconds,omitempty" doc:"On that machine, with warm-up"`
	Grams     float64      `json:"grams,omitempty"`
	Price     units.Cents  `json:"price_cents,omitempty"`
	Finish    *time.Time   `json:"finish,omitempty" doc:"When it would be, or will be, finished"`
}

// Check is how far the check of a job is.
type Check struct {
	State    string  `json:"state" enum:"queued,running,done,failed,cancelled,set aside"`
	Doing    string  `json:"doing,omitempty"`
	Fraction float64 `json:"fraction"`
	Error    string  `json:"error,omitempty"`
}

// Rung is one machine of a job's ladder: all pieces and copies together.
type Rung struct {
	MachineID int64             `json:"machine_id"`
	Name      string            `json:"name"`
	InService bool              `json:"in_service"`
	Recipe    string            `json:"recipe,omitempty"`
	Material  string            `json:"material,omitempty"`
	Colour    string            `json:"colour,omitempty"`
	Loaded    string            `json:"loaded,omitempty" doc:"What is loaded, in words"`
	Fits      bool              `json:"fits"`
	Takes     bool              `json:"takes" doc:"The job can go on it: it is in service, all fits, and there is a recipe"`
	OverMM    [3]float64        `json:"over_mm"`
	Scale     float64           `json:"scale_to_fit"`
	TurnDeg   float64           `json:"turn_deg"`
	Seconds   float64           `json:"seconds,omitempty"`
	WarmUp    float64           `json:"warm_up_seconds,omitempty"`
	Grams     float64           `json:"grams,omitempty"`
	Metres    float64           `json:"filament_m,omitempty"`
	Layers    int               `json:"layers,omitempty"`
	Price     units.Cents       `json:"price_cents,omitempty"`
	Lines     []units.PriceLine `json:"lines,omitempty"`
	Start     *time.Time        `json:"start,omitempty" doc:"Earliest"`
	Finish    *time.Time        `json:"finish,omitempty" doc:"Earliest"`
	Proposed  bool              `json:"proposed"`
	Full      bool              `json:"full" doc:"From the toolpath: the number that is promised"`
	VolumeMM  [3]float64        `json:"volume_mm"`
	Shape     string            `json:"shape" enum:"rectangle,round"`
}

// house is what ladders and lanes are worked out from.
type house struct {
	hours    planning.Hours
	words    finding.Speaker
	machines []store.Machine
	lanes    map[int64][]store.Run
	slots    map[int64]planning.Slot // by run
	free     map[int64]time.Time     // by machine: when its lane ends
	start    map[int64]time.Time     // by machine: when a run could start on it; none if never
	chosen   map[int64]store.Chosen  // by piece: the slice that counts
	now      time.Time
}

// noJob and anyJob say whose chosen slices look is to read.
const (
	noJob  = -1
	anyJob = 0
)

// look reads the house's machines and lanes and times the lanes. Of the slices that
// count it reads those of one job, or of all that are open, or none.
func look(ctx context.Context, q store.Q, now time.Time, job int64) (*house, error) {
	h, err := q.House(ctx)
	if err != nil {
		return nil, err
	}
	out := &house{lanes: map[int64][]store.Run{}, slots: map[int64]planning.Slot{}, free: map[int64]time.Time{}, start: map[int64]time.Time{}, now: now, words: finding.Speak(h.Locale)}
	if out.hours, err = hours(h); err != nil {
		return nil, err
	}
	if out.machines, err = q.Machines(ctx); err != nil {
		return nil, err
	}
	runs, err := q.Lanes(ctx)
	if err != nil {
		return nil, err
	}
	for _, r := range runs {
		out.lanes[r.MachineID] = append(out.lanes[r.MachineID], r)
	}
	for _, m := range out.machines {
		out.time(m.ID)
		if start, ok := out.hours.NextStart(out.free[m.ID]); ok {
			out.start[m.ID] = start
		}
	}
	if job != noJob {
		out.chosen, err = q.ChosenSlices(ctx, job)
	}
	return out, err
}

func seconds(s float64) time.Duration { return time.Duration(math.Ceil(s)) * time.Second }

// time works out when the runs of a lane start and finish. A run that is being
// printed counts from its start; one that is over its time is taken to end now.
func (h *house) time(machineID int64) {
	free := h.now
	var waiting []planning.Run
	var ids []int64
	for _, r := range h.lanes[machineID] {
		if r.State == "printing" && r.StartedAt != nil {
			end := r.StartedAt.Add(seconds(r.Seconds))
			if end.Before(h.now) {
				end = h.now
			}
			h.slots[r.ID] = planning.Slot{Start: *r.StartedAt, Finish: end}
			free = end
			continue
		}
		waiting, ids = append(waiting, planning.Run{Duration: seconds(r.Seconds)}), append(ids, r.ID)
	}
	for i, s := range h.hours.Lane(free, waiting) {
		h.slots[ids[i]] = s
		if !s.Finish.IsZero() {
			free = s.Finish
		}
	}
	h.free[machineID] = free
}

func (h *house) machine(id int64) *store.Machine {
	for i := range h.machines {
		if h.machines[i].ID == id {
			return &h.machines[i]
		}
	}
	return nil
}

// ladder adds up the pieces' verdicts for each machine and finds the proposal:
// the machine on which the job would be finished first.
func (h *house) ladder(pieces []store.Piece) []Rung {
	out := make([]Rung, 0, len(h.machines))
	var options []planning.Option
	var which []int
	for _, m := range h.machines {
		r := Rung{MachineID: m.ID, Name: m.Data.Name, InService: m.Data.InService, Fits: len(pieces) > 0, Scale: 1,
			Material: m.Data.Material, Colour: m.Data.Colour, Loaded: strings.TrimSpace(m.Data.ColourName + " " + m.Data.Material),
			VolumeMM: [3]float64{m.Data.Volume.XMM, m.Data.Volume.YMM, m.Data.Volume.ZMM}, Shape: string(m.Data.Volume.Shape)}
		r.add(h, pieces)
		if r.Takes {
			if start, ok := h.start[m.ID]; ok {
				finish := start.Add(seconds(r.Seconds))
				r.Start, r.Finish = &start, &finish
				options = append(options, planning.Option{Machine: r.Name, Free: start, Duration: seconds(r.Seconds)})
				which = append(which, len(out))
			}
		}
		out = append(out, r)
	}
	if k, _, ok := h.hours.Earliest(options); ok {
		out[which[k]].Proposed = true
	}
	return out
}

func (r *Rung) add(h *house, pieces []store.Piece) {
	parts := make([]option.Part, len(pieces))
	r.Full = len(pieces) > 0
	for i, p := range pieces {
		parts[i] = option.Part{Verdict: p.Verdict, Copies: p.Copies}
		s, ok := h.chosen[p.ID]
		if !ok || s.MachineID != r.MachineID || p.Verdict == nil {
			r.Full = false
			continue
		}
		parts[i].Verdict = option.Sliced(p.Verdict, r.Name, s.Full)
	}
	v := option.OnMachine(r.Name, parts)
	r.Takes = option.Takes(&v, r.InService)
	r.Fits, r.OverMM, r.Scale, r.TurnDeg, r.Recipe = v.Fits, v.OverMM, v.ScaleToFit, v.TurnDeg, v.Recipe
	if q := v.Quick; q != nil {
		r.Seconds, r.WarmUp, r.Grams, r.Metres, r.Layers = q.WholeSeconds(), q.WarmUpSeconds, q.Grams, q.FilamentMM/1000, q.Layers
		r.Price, r.Lines = q.Cents, q.Price.Lines
	}
}

// FindingView is a finding told in the house's language.
type FindingView struct {
	Check  string        `json:"check" doc:"Which check noticed it"`
	Grade  finding.Grade `json:"grade" enum:"stops it,decide,worth knowing"`
	Value  float64       `json:"value"`
	Limit  float64       `json:"limit"`
	Unit   string        `json:"unit"`
	Text   string        `json:"text" doc:"What it is and what to do, in plain words"`
	Places [][3]float64  `json:"places,omitempty" doc:"Points on the model, mm, worst first"`
	Mend   []repair.Step `json:"mend,omitempty" doc:"Repair steps that would mend it"`
}

func findingView(f *finding.Finding, words finding.Speaker) FindingView {
	return FindingView{Check: f.Check, Grade: f.Grade, Value: f.Value, Limit: f.Limit, Unit: f.Unit, Text: words.Text(f), Places: f.Places, Mend: f.Mend}
}

// JobFinding is a finding with the piece it is about.
type JobFinding struct {
	FindingView
	PieceID int64  `json:"piece_id"`
	Piece   string `json:"piece"`
}

// findings are those on all pieces, worst first, told in the house's language.
func findings(pieces []store.Piece, words finding.Speaker) []JobFinding {
	out := []JobFinding{}
	for _, p := range pieces {
		if p.Problem != "" {
			out = append(out, JobFinding{unreadable(p), p.ID, p.Name})
		}
		if p.Verdict != nil {
			for i := range p.Verdict.Findings {
				out = append(out, JobFinding{findingView(&p.Verdict.Findings[i], words), p.ID, p.Name})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b JobFinding) int {
		return slices.Index(finding.Grades, a.Grade) - slices.Index(finding.Grades, b.Grade)
	})
	return out
}

// worst is the finding that matters most; false if there is none.
func worst(pieces []store.Piece, words finding.Speaker) (FindingView, bool) {
	var all []finding.Finding
	for _, p := range pieces {
		if p.Problem != "" {
			return unreadable(p), true
		}
		if p.Verdict != nil {
			all = append(all, p.Verdict.Findings...)
		}
	}
	f, ok := finding.Worst(all)
	return findingView(&f, words), ok
}

// stopped says that something found stops a job of these pieces.
func stopped(pieces []store.Piece) bool {
	return slices.ContainsFunc(pieces, func(p store.Piece) bool {
		return p.Problem != "" || p.Verdict != nil && len(finding.Stopping(p.Verdict.Findings)) > 0
	})
}

func unreadable(p store.Piece) FindingView {
	return FindingView{Check: "not readable", Grade: finding.StopsIt, Text: p.Problem}
}

func (h *house) slip(j store.Job, pieces []store.Piece) Slip {
	s := Slip{ID: j.ID, Title: j.Title, MemberID: j.MemberID, Member: j.MemberName, Purpose: j.Purpose, Wish: j.Wish,
		Step: j.Step, Reason: j.Reason, ArrivedAt: j.CreatedAt, Version: j.Version,
		Check: Check{State: j.TaskState, Doing: j.TaskDoing, Fraction: float64(j.Fraction), Error: j.TaskError}}
	if j.NeededBy != nil {
		s.NeededBy = j.NeededBy.Format(time.DateOnly)
	}
	for i, p := range pieces {
		if i == 0 {
			s.PieceID, s.Pictured = p.ID, p.Seen
		}
		s.Pieces += p.Copies
	}
	if w, ok := worst(pieces, h.words); ok {
		s.Worst = &w
	}
	return s
}

// stand fills in the machine part of a slip: from the run if there is one, else
// from the proposal.
func (h *house) stand(s *Slip, needed *time.Time, run *store.Run, ladder []Rung) {
	defer func() { s.Late = needed != nil && s.Finish != nil && h.hours.Late(*s.Finish, *needed) }()
	if run != nil {
		if m := h.machine(run.MachineID); m != nil {
			s.Machine, s.MachineID = m.Data.Name, m.ID
		}
		s.Seconds, s.Grams, s.Price = run.Seconds, run.Grams, run.PriceCents
		if slot, ok := h.slots[run.ID]; ok && !slot.Finish.IsZero() {
			s.Finish = &slot.Finish
		}
		return
	}
	for _, r := range ladder {
		if r.Proposed {
			s.Machine, s.MachineID, s.Seconds, s.Grams, s.Price, s.Finish = r.Name, r.MachineID, r.Seconds, r.Grams, r.Price, r.Finish
		}
	}
}

// ShelfView is the board.
type ShelfView struct {
	Steps []string `json:"steps"`
	Slips []Slip   `json:"slips"`
	Next  *Next    `json:"next,omitempty"`
}

// Next is the thing to do first.
type Next struct {
	JobID int64  `json:"job_id"`
	Text  string `json:"text"`
	Room  string `json:"room" enum:"counter,floor,bench"`
}

// Steps are the shelves, in order.
var Steps = []string{"arrived", "to decide", "approved", "on the floor", "finishing", "pick-up"}

// Shelf lists the open jobs the actor may see.
func (d *Desk) Shelf(ctx context.Context, a Actor) (ShelfView, error) {
	view := ShelfView{Steps: Steps, Slips: []Slip{}}
	member := a.ID
	if a.Role.AtLeast(Coordinator) {
		member = 0
	}
	jobs, err := d.Store.OpenJobs(ctx, member)
	if err != nil {
		return view, err
	}
	pieces, err := d.openPieces(ctx, member)
	if err != nil {
		return view, err
	}
	h, err := look(ctx, d.Store.Q, d.Now(), anyJob)
	if err != nil {
		return view, err
	}
	off, err := d.Store.RunsOffLanes(ctx)
	if err != nil {
		return view, err
	}
	runs := map[int64]*store.Run{}
	for i := range off {
		runs[off[i].JobID] = &off[i]
	}
	for _, lane := range h.lanes {
		for i := range lane {
			runs[lane[i].JobID] = &lane[i]
		}
	}
	view.Slips = make([]Slip, 0, len(jobs))
	for _, j := range jobs {
		s := h.slip(j, pieces[j.ID])
		var ladder []Rung
		if runs[j.ID] == nil {
			ladder = h.ladder(pieces[j.ID])
		}
		h.stand(&s, j.NeededBy, runs[j.ID], ladder)
		view.Slips = append(view.Slips, s)
	}
	if member == 0 {
		view.Next = next(view.Slips)
	}
	return view, nil
}

// next is what to do first: decide what is due soonest, else start, else hand
// out.
func next(slips []Slip) *Next {
	for _, c := range []struct{ step, format, room string }{
		{"to decide", "Decide on %s for %s", "counter"},
		{"approved", "Start %s for %s", "floor"},
		{"finishing", "Finish %s for %s", "bench"},
	} {
		var at []Slip
		for _, s := range slips {
			if s.Step == c.step {
				at = append(at, s)
			}
		}
		if len(at) == 0 {
			continue
		}
		first := slices.MinFunc(at, func(a, b Slip) int {
			return cmp.Or(cmp.Compare(due(a), due(b)), cmp.Compare(a.ID, b.ID))
		})
		text := fmt.Sprintf(c.format, first.Title, first.Member)
		return &Next{first.ID, text, c.room}
	}
	return nil
}

func due(s Slip) string {
	if s.NeededBy == "" {
		return "9999"
	}
	return s.NeededBy
}

// JobView is one job on the bench.
type JobView struct {
	Slip
	Stopped  bool          `json:"stopped" doc:"Something found stops it: it cannot be approved"`
	Findings []JobFinding  `json:"findings"`
	Ladder   []Rung        `json:"ladder"`
	PieceSet []PieceView   `json:"piece_set"`
	History  []HistoryLine `json:"history"`
	Run      *RunView      `json:"run,omitempty"`
}

// PieceView is one model of a job, as its current version.
type PieceView struct {
	ID       int64                       `json:"id"`
	Name     string                      `json:"name"`
	Copies   int                         `json:"copies"`
	Pictured bool                        `json:"pictured"`
	Viewable bool                        `json:"viewable"`
	Problem  string                      `json:"problem,omitempty"`
	Format   string                      `json:"format,omitempty"`
	Unit     string                      `json:"unit,omitempty" doc:"The unit it is taken in"`
	SaidUnit string                      `json:"said_unit,omitempty" doc:"The unit somebody said it is in"`
	Units    []printability.UnitProposal `json:"unit_proposals"`
	Surface  SurfaceView                 `json:"surface"`
	Program  *verdict.Program            `json:"gcode,omitempty"`
	Current  int                         `json:"current" doc:"The version that counts"`
	Versions []VersionView               `json:"versions"`
	Mend     []repair.Step               `json:"mend" doc:"Repair steps that its findings call for"`
}

// SurfaceView is what a version measures.
type SurfaceView struct {
	Triangles   int        `json:"triangles"`
	Vertices    int        `json:"vertices"`
	Bodies      int        `json:"bodies"`
	Closed      bool       `json:"closed"`
	Oriented    bool       `json:"oriented"`
	Boundary    int        `json:"boundary_edges"`
	NonManifold int        `json:"nonmanifold_edges"`
	Misoriented int        `json:"misoriented_edges"`
	Crossing    int        `json:"crossing_pairs"`
	VolumeMM3   float64    `json:"volume_mm3"`
	AreaMM2     float64    `json:"area_mm2"`
	SizeMM      [3]float64 `json:"size_mm"`
}

// VersionView is a piece as it came (1) or as it was mended.
type VersionView struct {
	N        int           `json:"n"`
	At       time.Time     `json:"at"`
	Steps    []string      `json:"steps" doc:"Asked for; none for the file as it came"`
	Log      []repair.Done `json:"log" doc:"Made"`
	Viewable bool          `json:"viewable"`
	Surface  SurfaceView   `json:"surface"`
}

// HistoryLine is one line of a job's history.
type HistoryLine struct {
	At   time.Time `json:"at"`
	Who  string    `json:"who"`
	What string    `json:"what"`
	Why  string    `json:"why,omitempty"`
}

// Job shows one job to somebody who may see it.
func (d *Desk) Job(ctx context.Context, a Actor, id int64) (JobView, error) {
	j, err := d.Store.Job(ctx, id)
	if err == nil && !sees(a, j) {
		err = store.ErrNotFound
	}
	if err != nil {
		return JobView{}, err
	}
	pieces, err := d.Store.Pieces(ctx, id)
	if err != nil {
		return JobView{}, err
	}
	h, err := look(ctx, d.Store.Q, d.Now(), id)
	if err != nil {
		return JobView{}, err
	}
	versions, err := d.Store.Versions(ctx, id)
	if err != nil {
		return JobView{}, err
	}
	v := JobView{Slip: h.slip(j, pieces), Stopped: stopped(pieces), Findings: findings(pieces, h.words), Ladder: h.ladder(pieces), PieceSet: []PieceView{}, History: []HistoryLine{}}
	run, err := d.Store.RunOfJob(ctx, id)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return v, err
	}
	if err == nil {
		rv := h.runView(run)
		v.Run = &rv
		h.stand(&v.Slip, j.NeededBy, &run, nil)
	} else {
		h.stand(&v.Slip, j.NeededBy, nil, v.Ladder)
	}
	for _, p := range pieces {
		own := slices.DeleteFunc(slices.Clone(versions), func(x store.Version) bool { return x.PieceID != p.ID })
		v.PieceSet = append(v.PieceSet, pieceView(p, own))
	}
	lines, err := d.Store.History(ctx, id)
	for _, l := range lines {
		v.History = append(v.History, HistoryLine{l.At, l.Who, l.What, l.Why})
	}
	return v, err
}

func surfaceView(c *verdict.Verdict) SurfaceView {
	if c == nil {
		return SurfaceView{}
	}
	v := SurfaceView{c.Triangles, c.Vertices, c.BodyCount, c.Closed, c.Oriented, c.BoundaryEdges, c.NonManifold, c.Misoriented, c.CrossingPairs, c.VolumeMM3, c.AreaMM2, [3]float64{}}
	for i := range v.SizeMM {
		v.SizeMM[i] = c.BoxMM.Max[i] - c.BoxMM.Min[i]
	}
	return v
}

func pieceView(p store.Piece, versions []store.Version) PieceView {
	v := PieceView{ID: p.ID, Name: p.Name, Copies: p.Copies, Pictured: p.Seen, Viewable: p.ViewID != nil, Problem: p.Problem, SaidUnit: string(p.Unit),
		Current: p.Current, Units: []printability.UnitProposal{}, Versions: []VersionView{}, Mend: []repair.Step{}, Surface: surfaceView(p.Verdict)}
	if c := p.Verdict; c != nil {
		v.Format, v.Unit, v.Program = string(c.Format), string(c.Unit), c.Program
		v.Units = append(v.Units, c.Units...)
		for _, s := range repair.Steps {
			if slices.ContainsFunc(c.Findings, func(f finding.Finding) bool { return slices.Contains(f.Mend, s) }) {
				v.Mend = append(v.Mend, s)
			}
		}
	}
	for _, x := range versions {
		v.Versions = append(v.Versions, VersionView{x.N, x.At, x.Steps, x.Log, x.ViewID != nil, surfaceView(x.Verdict)})
	}
	return v
}

// Piece finds a piece that the actor may see.
func (d *Desk) Piece(ctx context.Context, a Actor, id int64) (store.Piece, error) {
	p, err := d.Store.Piece(ctx, id)
	if err != nil {
		return p, err
	}
	j, err := d.Store.Job(ctx, p.JobID)
	if err == nil && !sees(a, j) {
		err = store.ErrNotFound
	}
	return p, err
}
