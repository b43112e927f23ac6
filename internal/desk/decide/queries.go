package decide

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/orient"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/floor"
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
	Size      string       `json:"size,omitempty" doc:"How large a piece is made, of as it came, where that is another size"`
	NeededBy  string       `json:"needed_by,omitempty" doc:"Date, YYYY-MM-DD"`
	Late      bool         `json:"late" doc:"It would be, or will be, finished after that day"`
	State     string       `json:"state"`
	Reason    string       `json:"reason,omitempty"`
	ArrivedAt time.Time    `json:"arrived_at"`
	Revision  int          `json:"revision"`
	PieceID   int64        `json:"piece_id" doc:"The first piece, whose picture stands for the job"`
	Pictured  bool         `json:"pictured"`
	Pieces    int          `json:"pieces" doc:"How many, copies counted"`
	Check     Check        `json:"check"`
	Worst     *FindingView `json:"worst,omitempty"`
	Told      string       `json:"told,omitempty" doc:"What its member was told last; for members"`
	Asked     string       `json:"asked,omitempty" doc:"What its member was asked and has not answered"`
	ToAnswer  int          `json:"to_answer,omitempty" doc:"How much of what was found has to be answered before a yes"`
	Machine   string       `json:"machine,omitempty" doc:"Where it is queued, or is proposed to go"`
	MachineID int64        `json:"machine_id,omitempty"`
	Seconds   float64      `json:"seconds,omitempty" doc:"On that machine, with warm-up"`
	Grams     float64      `json:"grams,omitempty"`
	Price     units.Cents  `json:"price_cents,omitempty"`
	Finish    *time.Time   `json:"finish,omitempty" doc:"When it would be, or will be, finished"`
	May       job.May      `json:"may" doc:"What the desk can do with it now"`
}

// Check is how far the check of a job is.
type Check struct {
	State    string  `json:"state" enum:"queued,running,done,failed,cancelled,set aside"`
	Doing    string  `json:"doing,omitempty"`
	Fraction float64 `json:"fraction"`
	Error    string  `json:"error,omitempty"`
}

// ShelfView is the board.
type ShelfView struct {
	States []string `json:"states"`
	Slips  []Slip   `json:"slips"`
	Next   *Next    `json:"next,omitempty"`
}

// Next is the thing to do first.
type Next struct {
	JobID int64  `json:"job_id"`
	Text  string `json:"text"`
	Room  string `json:"room" enum:"counter,floor,bench"`
}

// Shelf lists the open jobs the actor may see.
func Shelf(ctx context.Context, d *desk.Desk, a desk.Actor) (ShelfView, error) {
	view := ShelfView{States: job.Shelves, Slips: []Slip{}}
	member := a.ID
	if a.Role.AtLeast(desk.Coordinator) {
		member = 0
	}
	jobs, err := d.Store.OpenJobs(ctx, member)
	if err != nil {
		return view, err
	}
	pieces, err := d.OpenPieces(ctx, member)
	if err != nil {
		return view, err
	}
	h, err := floor.Look(ctx, d.Store.Q, d.Now(), floor.AnyJob)
	if err != nil {
		return view, err
	}
	off, err := d.Store.RunsOffLanes(ctx)
	if err != nil {
		return view, err
	}
	answers, err := d.Store.Answers(ctx, 0)
	if err != nil {
		return view, err
	}
	asked, err := d.Store.OpenQuestions(ctx)
	if err != nil {
		return view, err
	}
	told := map[int64]string{}
	if member != 0 {
		if told, err = d.Store.LastLetters(ctx, member); err != nil {
			return view, err
		}
	}
	said := byJob(answers)
	runs := map[int64][]store.Run{}
	for _, lane := range h.Lanes {
		for _, r := range lane {
			for _, s := range r.Shares {
				runs[s.JobID] = append(runs[s.JobID], r)
			}
		}
	}
	for _, r := range off {
		for _, s := range r.Shares {
			runs[s.JobID] = append(runs[s.JobID], r)
		}
	}
	view.Slips = make([]Slip, 0, len(jobs))
	for _, j := range jobs {
		s := slipOf(h, j, pieces[j.ID], runs[j.ID])
		var ladder []floor.LadderRow
		if len(runs[j.ID]) == 0 {
			ladder = h.Ladder(pieces[j.ID])
		}
		stand(h, &s, j, runs[j.ID], ladder)
		of := whole(h, j, pieces[j.ID], ladder)
		s.worse(h, of)
		s.Told = told[j.ID]
		if job.Weighed(j.State) {
			s.Asked = asked[j.ID]
		}
		if j.State == job.ToDecide {
			s.ToAnswer = unanswered(note(pieces[j.ID], of, said[j.ID]))
		}
		view.Slips = append(view.Slips, s)
	}
	if member == 0 {
		view.Next = next(view.Slips)
	}
	return view, nil
}

// byJob are answers by the job that they are about.
func byJob(all []store.Answer) map[int64][]store.Answer {
	out := map[int64][]store.Answer{}
	for _, a := range all {
		out[a.JobID] = append(out[a.JobID], a)
	}
	return out
}

// whole is what was found on a whole job that is to be decided.
func whole(h *floor.State, j store.Job, pieces []store.Piece, ladder []floor.LadderRow) []finding.Finding {
	if j.State != job.ToDecide || j.TaskState != task.Done || len(pieces) == 0 {
		return nil
	}
	return h.Whole(pieces, ladder, 0)
}

// worse lets what was found on the whole job be its worst, where nothing on a piece is as bad.
func (s *Slip) worse(h *floor.State, of []finding.Finding) {
	if f, ok := finding.Worst(of); ok && (s.Worst == nil || slices.Index(finding.Grades, f.Grade) < slices.Index(finding.Grades, s.Worst.Grade)) {
		w := findingView(&f, h.Words)
		s.Worst = &w
	}
}

// next is what to do first.
func next(slips []Slip) *Next {
	var waiting []job.Waiting
	for _, s := range slips {
		if s.Asked == "" { // else it waits for its member
			waiting = append(waiting, job.Waiting{ID: s.ID, Step: s.State, Needs: s.NeededBy})
		}
	}
	first, ok := job.First(waiting)
	if !ok {
		return nil
	}
	s := slips[slices.IndexFunc(slips, func(s Slip) bool { return s.ID == first.ID })]
	say := map[string][2]string{job.ToDecide: {"Decide on %s for %s", "counter"}, job.Approved: {"Start %s for %s", "floor"}, job.Finishing: {"Finish %s for %s", "bench"}}[s.State]
	return &Next{s.ID, fmt.Sprintf(say[0], s.Title, s.Member), say[1]}
}

func slipOf(h *floor.State, j store.Job, pieces []store.Piece, runs []store.Run) Slip {
	s := Slip{ID: j.ID, Title: j.Title, MemberID: j.MemberID, Member: j.MemberName, Purpose: j.Purpose, Wish: j.Wish,
		State: j.State, Reason: j.Reason, ArrivedAt: j.CreatedAt, Revision: j.Revision,
		May:   job.Can(job.Facts{State: j.State, Check: j.TaskState, Stopped: stopped(pieces), Runs: states(runs)}),
		Check: Check{State: j.TaskState, Doing: j.TaskDoing, Fraction: float64(j.Fraction), Error: j.TaskError}}
	if j.NeededBy != nil {
		s.NeededBy = j.NeededBy.Format(time.DateOnly)
	}
	for i, p := range pieces {
		if s.Size == "" && p.Stand != nil && !p.Stand.SameSize() {
			s.Size = h.Words.Say(sizeOf(p.Stand.Plain()))
		}
		if i == 0 {
			s.PieceID, s.Pictured = p.ID, p.Seen
		}
		s.Pieces += p.Copies
	}
	if w, ok := worst(pieces, h.Words); ok {
		s.Worst = &w
	}
	return s
}

// sizeOf is how large a piece is made, of as it came.
func sizeOf(s orient.Stand) problem.Phrase {
	percent := func(k int) any { return problem.Digits(100*s.Scale[k], 4) }
	switch {
	case s.Scale == [3]float64{1, 1, 1}:
		return problem.Say("mirrored as it is made")
	case s.Scale[0] == s.Scale[1] && s.Scale[1] == s.Scale[2]:
		return problem.Say("in percent", percent(0))
	}
	return problem.Say("in percent by axis", percent(0), percent(1), percent(2))
}

// stand fills in the machine part of a slip: from its runs if there are any, else from what was
// said yes to, else from the proposal.
func stand(h *floor.State, s *Slip, j store.Job, runs []store.Run, ladder []floor.LadderRow) {
	defer func() { s.Late = j.NeededBy != nil && s.Finish != nil && h.Hours.Late(*s.Finish, *j.NeededBy) }()
	for i, r := range runs {
		if m := h.Machine(r.MachineID); m != nil && i == 0 {
			s.Machine, s.MachineID = m.Data.Name, m.ID
		}
		own := r.Of(j.ID)
		s.Seconds, s.Grams, s.Price = s.Seconds+own.Seconds, s.Grams+own.Grams, s.Price+own.PriceCents
		if slot, ok := h.Slots[r.ID]; ok && !slot.Finish.IsZero() && (s.Finish == nil || slot.Finish.After(*s.Finish)) {
			s.Finish = &slot.Finish
		}
	}
	if len(runs) > 0 {
		return
	}
	for _, r := range ladder {
		if r.Proposed && j.State != job.BeingSliced || j.State == job.BeingSliced && j.Yes != nil && r.MachineID == j.Yes.MachineID {
			s.Machine, s.MachineID, s.Seconds, s.Grams, s.Price, s.Finish = r.Name, r.MachineID, r.Seconds, r.Grams, r.Price, r.Finish
		}
	}
}

// JobView is one job on the bench.
type JobView struct {
	Slip
	Questions []QuestionView    `json:"questions" doc:"What was asked about it, the first first"`
	Use       printability.Use  `json:"use" doc:"What it is for"`
	Stopped   bool              `json:"stopped" doc:"Something found stops it: it cannot be approved"`
	Findings  []JobFinding      `json:"findings"`
	Elsewhere []Elsewhere       `json:"elsewhere" doc:"What would be found on the whole job on the other machines that take it, while it is to be decided"`
	Letters   []LetterView      `json:"letters" doc:"What its member was told, the latest first"`
	Messages  []Message         `json:"messages" doc:"What could be said to the member, ready to send: of the findings, worst first, then a question; none for members"`
	Ladder    []floor.LadderRow `json:"ladder"`
	Ways      floor.Ways        `json:"ways" doc:"The same machines where its pieces stand otherwise"`
	PieceSet  []PieceView       `json:"piece_set"`
	LeftOut   []LeftOut         `json:"left_out" doc:"Pieces that were left out of it"`
	History   []HistoryLine     `json:"history"`
	Runs      []floor.RunView   `json:"runs" doc:"Of its plates: what prints, then what waits, then what is off the machine"`
}

// Elsewhere is what is found on a whole job on another machine than the one that is proposed.
type Elsewhere struct {
	MachineID int64        `json:"machine_id"`
	Findings  []JobFinding `json:"findings" doc:"Of the whole job; those of its pieces are the same"`
	ToAnswer  int          `json:"to_answer" doc:"How much has to be answered before a yes to that machine, its pieces counted"`
}

// LetterView is what a member was told.
type LetterView struct {
	At   time.Time `json:"at"`
	Who  string    `json:"who,omitempty" doc:"None: the program"`
	Kind string    `json:"kind"`
	Text string    `json:"text"`
}

// elsewhere is that of all machines that take a job.
func elsewhere(h *floor.State, pieces []store.Piece, ladder []floor.LadderRow, answers []store.Answer) []Elsewhere {
	out := []Elsewhere{}
	for _, r := range ladder {
		if !r.Takes || r.Proposed {
			continue
		}
		all := note(pieces, h.Whole(pieces, ladder, r.MachineID), answers)
		of := slices.DeleteFunc(slices.Clone(all), func(n noted) bool { return n.piece != 0 })
		out = append(out, Elsewhere{r.MachineID, findings(nil, of, h.Words), unanswered(all)})
	}
	return out
}

// LeftOut is a piece that was left out of a job.
type LeftOut struct {
	ID     int64  `json:"id"`
	Name   string `json:"name"`
	Copies int    `json:"copies"`
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
	Nozzle   int                         `json:"nozzle" doc:"The nozzle that somebody wants it laid by, counted from 1; 0: the recipe's"`
	Load     *[3]float64                 `json:"load,omitempty" doc:"Along which way it is pulled in use, in the model's coordinates"`
	Undo     int                         `json:"undo" doc:"How many changes of it can be taken back"`
	Redo     int                         `json:"redo" doc:"How many that were taken back can be done again"`
	// Orientation is left out of what is not a model, or was judged by an older program.
	Orientation *OrientationView `json:"orientation,omitempty"`
}

// OrientationView is how a piece stands, and how else it might.
type OrientationView struct {
	Stand  orient.Stand `json:"stand"`
	Fixed  bool         `json:"fixed" doc:"Somebody wants it so; else it stands as it prints best"`
	Why    string       `json:"why,omitempty" doc:"Why the program turned it"`
	SizeMM [3]float64   `json:"size_mm" doc:"As it stands"`
	Ways   []WayView    `json:"ways" doc:"The best first"`
}

// WayView is an orientation that was measured.
type WayView struct {
	Turn        orient.Quat `json:"turn"`
	Now         bool        `json:"now" doc:"It stands so"`
	Reason      string      `json:"reason"`
	OverhangMM2 float64     `json:"overhang_mm2"`
	SupportMM3  float64     `json:"support_mm3" doc:"Room under overhangs"`
	ContactMM2  float64     `json:"contact_mm2"`
	StrengthMM2 float64     `json:"strength_mm2" doc:"The least area of a layer"`
	HeightMM    float64     `json:"height_mm"`
	Fits        int         `json:"fits" doc:"On how many machines in service"`
	ScaleToFit  float64     `json:"scale_to_fit"`
	AlongLoad   float64     `json:"along_load,omitempty" doc:"cos² of the angle between the load and the way it is built: 1 pulls layers apart"`
}

func orientationView(p *store.Piece, words finding.Speaker) *OrientationView {
	if p.Verdict == nil || p.Verdict.Orientation == nil {
		return nil
	}
	o := p.Verdict.Orientation
	v := &OrientationView{Stand: p.Stands(), Fixed: p.Stand != nil, SizeMM: o.SizeMM, Ways: []WayView{}}
	if !v.Fixed && o.Why.Code != "" {
		why := o.Why
		if minutes := math.Round(o.SavedS / 60); minutes >= 1 {
			why = problem.Say("minutes less", why, problem.Fixed(minutes, 0))
		} else if minutes <= -1 {
			why = problem.Say("minutes more", why, problem.Fixed(-minutes, 0))
		}
		v.Why = words.Say(why)
	}
	for _, w := range o.Ways {
		turned := orient.Stand{Turn: w.Turn, Scale: v.Stand.Scale, Mirror: v.Stand.Mirror}
		v.Ways = append(v.Ways, WayView{Turn: w.Turn, Now: turned.Like(v.Stand), Reason: words.Say(w.Reason), OverhangMM2: w.OverhangMM2, SupportMM3: w.SupportMM3,
			ContactMM2: w.ContactMM2, StrengthMM2: w.StrengthMM2, HeightMM: w.HeightMM, Fits: w.Fits, ScaleToFit: w.ScaleToFit, AlongLoad: w.AlongLoad})
	}
	return v
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
func Job(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) (JobView, error) {
	j, err := d.Store.Job(ctx, id)
	if err == nil && !desk.Sees(a, j) {
		err = store.ErrNotFound
	}
	if err != nil {
		return JobView{}, err
	}
	pieces, err := d.Store.Pieces(ctx, id)
	if err != nil {
		return JobView{}, err
	}
	h, err := floor.Look(ctx, d.Store.Q, d.Now(), id)
	if err != nil {
		return JobView{}, err
	}
	versions, err := d.Store.Versions(ctx, id)
	if err != nil {
		return JobView{}, err
	}
	runs, err := d.Store.RunsOfJob(ctx, id)
	if err != nil {
		return JobView{}, err
	}
	v := JobView{Slip: slipOf(h, j, pieces, runs), Use: j.Use, Runs: []floor.RunView{}, Stopped: stopped(pieces), Ladder: h.Ladder(pieces), Messages: []Message{}, Elsewhere: []Elsewhere{}, Letters: []LetterView{}, PieceSet: []PieceView{}, LeftOut: []LeftOut{}, History: []HistoryLine{}}
	of := whole(h, j, pieces, v.Ladder)
	v.worse(h, of)
	answers, err := d.Store.Answers(ctx, id)
	if err != nil {
		return JobView{}, err
	}
	questions, err := d.Store.Questions(ctx, id)
	if err != nil {
		return JobView{}, err
	}
	v.Questions = questionViews(questions)
	if n := len(questions); n > 0 && questions[n-1].Reply == nil && job.Weighed(j.State) {
		v.Asked = questions[n-1].Asked
	}
	all := note(pieces, of, answers)
	v.Findings = findings(pieces, all, h.Words)
	if j.State == job.ToDecide {
		v.ToAnswer = unanswered(all)
		v.Elsewhere = elsewhere(h, pieces, v.Ladder, answers)
	}
	letters, err := d.Store.Letters(ctx, id)
	if err != nil {
		return JobView{}, err
	}
	for _, l := range letters {
		v.Letters = append(v.Letters, LetterView{l.At, l.Person, l.Kind, l.Text})
	}
	if a.Role != desk.Member {
		v.Messages = messages(v.Title, v.Findings, h.Words)
	}
	for _, r := range runs {
		v.Runs = append(v.Runs, h.RunOf(r, id))
	}
	stand(h, &v.Slip, j, runs, v.Ladder)
	v.Ways.Rows = []floor.LadderRow{}
	if j.State == job.ToDecide {
		if v.Ways, err = h.Ways(ctx, d.Store.Q, j.Purpose, pieces); err != nil {
			return JobView{}, err
		}
	}
	gone, err := d.Store.LeftOut(ctx, id)
	if err != nil {
		return JobView{}, err
	}
	for _, p := range gone {
		v.LeftOut = append(v.LeftOut, LeftOut{p.ID, p.Name, p.Copies})
	}
	for _, p := range pieces {
		own := slices.DeleteFunc(slices.Clone(versions), func(x store.Version) bool { return x.PieceID != p.ID })
		v.PieceSet = append(v.PieceSet, pieceView(p, own, h.Words))
	}
	lines, err := d.Store.History(ctx, id)
	for _, l := range lines {
		v.History = append(v.History, HistoryLine{l.At, l.Who, h.Words.Or(l.Says, l.What), h.Words.Or(l.Because, l.Why)})
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

func pieceView(p store.Piece, versions []store.Version, words finding.Speaker) PieceView {
	v := PieceView{ID: p.ID, Name: p.Name, Copies: p.Copies, Pictured: p.Seen, Viewable: p.ViewID != nil, Problem: p.Problem, SaidUnit: string(p.Unit),
		Current: p.Current, Nozzle: p.Nozzle, Load: p.Load, Undo: p.Done, Redo: p.Undone, Units: []printability.UnitProposal{}, Versions: []VersionView{}, Mend: []repair.Step{}, Surface: surfaceView(p.Verdict), Orientation: orientationView(&p, words)}
	if c := p.Verdict; c != nil {
		v.Format, v.Unit, v.Program = string(c.Format), string(c.Unit), c.Program
		v.Units = append(v.Units, c.Units...)
		v.Mend = append(v.Mend, finding.Mending(c.Findings)...)
	}
	for _, x := range versions {
		v.Versions = append(v.Versions, VersionView{x.N, x.At, x.Steps, x.Log, x.ViewID != nil, surfaceView(x.Verdict)})
	}
	return v
}
