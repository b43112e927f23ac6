package floor

import (
	"cmp"
	"context"
	"math"
	"slices"
	"time"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/planning"
	states "jobshelf/core/shop/run"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// Beside is what could lie beside what a run is of, and what is being put there.
type Beside struct {
	RunID int64     `json:"run_id"`
	Could []Could   `json:"could" doc:"What waits on the same machine; what saves most first, what cannot last"`
	Made  []Joining `json:"made" doc:"What is being put on one plate with it, or could not be"`
}

// Could is a run whose parts could lie beside.
type Could struct {
	RunID   int64   `json:"run_id"`
	JobID   int64   `json:"job_id"`
	Title   string  `json:"title"`
	Member  string  `json:"member"`
	SavesS  float64 `json:"saves_seconds,omitempty" doc:"The machine: it warms up once less"`
	Starts  int     `json:"starts,omitempty" doc:"How many times less somebody has to start the machine and take something off"`
	Delays  []Delay `json:"delays" doc:"Whose jobs would be finished later"`
	Sooner  []Delay `json:"sooner" doc:"Whose would be finished sooner, by so many minutes"`
	Against string  `json:"against,omitempty" doc:"Why it cannot lie there"`
}

// Delay is a job that is finished later.
type Delay struct {
	JobID   int64   `json:"job_id"`
	Title   string  `json:"title"`
	Minutes float64 `json:"minutes"`
	Late    bool    `json:"late" doc:"After the day it is needed, which it would not be else"`
}

// Joining is plates that are being put together.
type Joining struct {
	SliceID  int64   `json:"slice_id"`
	With     string  `json:"with" doc:"The jobs that are to lie there, in words"`
	State    string  `json:"state" enum:"queued,running,failed,set aside"`
	Fraction float64 `json:"fraction"`
	Error    string  `json:"error,omitempty"`
}

// Laid is a run with what of its plates was sliced: for each of its shares the plate on which that would lie
// alone, and of which slice it is.
type Laid struct {
	Run    store.Run
	Plate  store.Plate // of the run
	Own    []store.Plate
	Slices []store.Slice
}

// Plates are the numbers of those that its shares would lie on alone.
func (l *Laid) Plates() (out []int64) {
	for _, p := range l.Own {
		out = append(out, p.ID)
	}
	return out
}

// LaidOf reads it; false of a run that is of no plate of ours.
func LaidOf(ctx context.Context, q store.Q, r store.Run) (out Laid, sliced bool, err error) {
	out.Run = r
	if r.PlateID == nil || r.GCodeID == nil {
		return out, false, nil
	}
	if out.Plate, err = q.Plate(ctx, *r.PlateID); err != nil {
		return out, false, err
	}
	if of, err := q.Slice(ctx, out.Plate.SliceID); err != nil || of.RunID != 0 { // some copies of a plate are no plate of a job
		return out, false, err
	}
	for _, s := range r.Shares {
		if s.PlateID == nil {
			return out, false, nil
		}
		if err := out.Add(ctx, q, *s.PlateID); err != nil {
			return out, false, err
		}
	}
	return out, len(out.Own) > 0, nil
}

// Add adds a plate with its slice.
func (l *Laid) Add(ctx context.Context, q store.Q, plate int64) error {
	p, err := q.Plate(ctx, plate)
	if err != nil {
		return err
	}
	s, err := q.Slice(ctx, p.SliceID)
	l.Own, l.Slices = append(l.Own, p), append(l.Slices, s)
	return err
}

// Against is why what lies on one may not lie with what is on the other; false where it may. Room is not
// looked for.
func (l *Laid) Against(o *Laid, t *Today) (problem.Phrase, bool) {
	a, b := &l.Slices[0], &o.Slices[0]
	same := slices.EqualFunc(a.Overrides, b.Overrides, func(x, y recipe.Override) bool { return x.Key == y.Key && x.Value == y.Value })
	switch {
	case a.MachineID != b.MachineID:
		return problem.Say("on another machine"), true
	case l.Run.Material != o.Run.Material || l.Run.Colour != o.Run.Colour:
		return problem.Say("of another colour"), true
	case !same || len(a.Made.Changed(b.Made)) > 0:
		return problem.Say("by another recipe"), true
	}
	for _, s := range l.Slices {
		if slices.ContainsFunc(o.Slices, func(x store.Slice) bool { return x.JobID == s.JobID }) {
			return problem.Say("of the same job"), true
		}
	}
	for _, s := range slices.Concat(l.Slices, o.Slices) {
		if _, changed := t.Of(s.MachineID, s.Full, s.Overrides, s.Pieces, s.Made); len(changed) > 0 {
			return problem.Say("as it is made no more", changed), true
		}
	}
	return problem.Phrase{}, false
}

// Room says that what lies on both finds room on one plate, by their shadows.
func (l *Laid) Room(ctx context.Context, o *Laid, t *Today) bool {
	k := t.find(l.Slices[0].MachineID)
	if k < 0 || t.choices[k].Recipe == nil {
		return false
	}
	r, err := t.choices[k].Recipe.Apply(l.Slices[0].Overrides)
	return err == nil && slicing.Together(ctx, t.choices[k].Machine.Volume, &r, l.Plate.Spots, o.Plate.Spots)
}

// mostBeside is how many runs of a lane are asked whether they could lie beside another.
const mostBeside = 12

// BesideRun is what could lie beside a run that waits.
func BesideRun(ctx context.Context, d *desk.Desk, id int64) (Beside, error) {
	out := Beside{RunID: id, Could: []Could{}, Made: []Joining{}}
	r, err := d.Store.Run(ctx, id)
	if err != nil {
		return out, err
	}
	host, sliced, err := LaidOf(ctx, d.Store.Q, r)
	if err != nil || !sliced || !states.Movable(r.State) {
		return out, err
	}
	h, err := Look(ctx, d.Store.Q, d.Now(), NoJob)
	if err != nil {
		return out, err
	}
	if out.Made, err = joining(ctx, d.Store.Q, h, &host); err != nil {
		return out, err
	}
	j, err := d.Store.Job(ctx, r.Shares[0].JobID)
	if err != nil {
		return out, err
	}
	today, err := TodayFor(ctx, d.Store.Q, j.Purpose)
	if err != nil {
		return out, err
	}
	for _, o := range h.Lanes[r.MachineID] {
		if o.ID == id || !states.Movable(o.State) || len(out.Could) == mostBeside {
			continue
		}
		c, err := h.could(ctx, d.Store.Q, today, &host, o)
		if err != nil {
			return out, err
		}
		if c != nil {
			out.Could = append(out.Could, *c)
		}
	}
	inOrder(out.Could)
	return out, nil
}

// inOrder puts first what nothing speaks against, and of either what saves most.
func inOrder(all []Could) {
	slices.SortStableFunc(all, func(a, b Could) int {
		return cmp.Or(cmp.Compare(min(1, len(a.Against)), min(1, len(b.Against))), cmp.Compare(b.SavesS, a.SavesS))
	})
}

// could says what it would be if a run lay beside another; nil of a run of the same job.
func (h *State) could(ctx context.Context, q store.Q, t *Today, host *Laid, o store.Run) (*Could, error) {
	s := &o.Shares[0]
	c := Could{RunID: o.ID, JobID: s.JobID, Title: o.Title(), Member: s.MemberName, Delays: []Delay{}, Sooner: []Delay{}}
	guest, sliced, err := LaidOf(ctx, q, o)
	if err != nil {
		return nil, err
	}
	if !sliced {
		c.Against = h.Words.Say(problem.Say("not sliced here"))
		return &c, nil
	}
	if why, no := host.Against(&guest, t); no {
		if why.Code == "of the same job" {
			return nil, nil
		}
		c.Against = h.Words.Say(why)
		return &c, nil
	}
	if !host.Room(ctx, &guest, t) {
		c.Against = h.Words.Say(problem.Say("no room beside"))
		return &c, nil
	}
	c.SavesS, c.Starts = guest.Plate.Full.WarmUpSeconds, 1
	c.Delays, c.Sooner = h.delays(&host.Run, &o, host.Run.Seconds+o.Seconds-c.SavesS)
	return &c, nil
}

// delays are whose jobs are finished later, and whose sooner, if a run, by itself no more, lies with another
// that takes so long then.
func (h *State) delays(host, guest *store.Run, takesS float64) (later, sooner []Delay) {
	then := &State{Hours: h.Hours, Now: h.Now, Lanes: map[int64][]store.Run{}, Slots: map[int64]planning.Slot{}, Free: map[int64]time.Time{}}
	for _, r := range h.Lanes[host.MachineID] {
		if r.ID == host.ID {
			r.Seconds = takesS
		}
		if r.ID != guest.ID {
			then.Lanes[host.MachineID] = append(then.Lanes[host.MachineID], r)
		}
	}
	then.time(host.MachineID)
	later, sooner = []Delay{}, []Delay{}
	for _, r := range h.Lanes[host.MachineID] {
		was, is := h.Slots[r.ID].Finish, then.Slots[r.ID].Finish
		if r.ID == guest.ID {
			is = then.Slots[host.ID].Finish
		}
		minutes := is.Sub(was).Minutes()
		if was.IsZero() || is.IsZero() || math.Abs(minutes) < 0.5 {
			continue
		}
		for _, s := range r.Shares {
			if minutes < 0 {
				sooner = append(sooner, Delay{s.JobID, s.JobTitle, math.Round(-minutes), false})
				continue
			}
			late := s.NeededBy != nil && h.Hours.Late(is, *s.NeededBy) && !h.Hours.Late(was, *s.NeededBy)
			later = append(later, Delay{s.JobID, s.JobTitle, math.Round(minutes), late})
		}
	}
	return later, sooner
}

// joining is what is being put on one plate with what a run is of.
func joining(ctx context.Context, q store.Q, h *State, host *Laid) ([]Joining, error) {
	all, err := q.JointsOf(ctx, host.Plates())
	out := []Joining{}
	for _, s := range all {
		if s.BaseID != nil || s.RunID != 0 || s.State == task.Done || s.State == task.Cancelled {
			continue
		}
		runs := joined(h.Lanes[s.MachineID], &s)
		if len(runs) == 0 {
			continue
		}
		v := Joining{SliceID: s.ID, State: s.State, Fraction: float64(s.Fraction), Error: s.Error}
		for k, r := range runs {
			if k > 0 {
				v.With += " + "
			}
			v.With += r.Title()
		}
		out = append(out, v)
	}
	return out, err
}

// joined are the runs of a lane whose plates a slice puts together, the one first that the others come to:
// all wait, each of the plates is on one of them and nothing else is. None where that is not so.
func joined(lane []store.Run, s *store.Slice) (out []store.Run) {
	found := 0
	for _, r := range lane {
		its := func(h store.Share) bool { return h.PlateID != nil && slices.Contains(s.Joins, *h.PlateID) }
		if !slices.ContainsFunc(r.Shares, its) {
			continue
		}
		if !states.Movable(r.State) || slices.ContainsFunc(r.Shares, func(h store.Share) bool { return !its(h) }) {
			return nil
		}
		found += len(r.Shares)
		if slices.ContainsFunc(r.Shares, func(h store.Share) bool { return *h.PlateID == s.Joins[0] }) {
			out = slices.Insert(out, 0, r)
		} else {
			out = append(out, r)
		}
	}
	if found != len(s.Joins) {
		return nil
	}
	return out
}

// Join puts the runs on one plate that a slice was made for: the first holds it from then on, the others are
// no more. It is false, and nothing is changed, where they are not as they were when it was ordered. Each
// job pays what it was said yes to. The lanes are locked.
func Join(ctx context.Context, d *desk.Desk, tx *store.Tx, s store.Slice) (bool, error) {
	lanes, err := tx.Lanes(ctx)
	if err != nil {
		return false, err
	}
	runs := joined(slices.DeleteFunc(lanes, func(r store.Run) bool { return r.MachineID != s.MachineID }), &s)
	if len(runs) < 2 {
		return false, nil
	}
	for _, id := range s.Joins {
		var own Laid
		if err := own.Add(ctx, tx.Q, id); err != nil {
			return false, err
		}
		if len(own.Slices[0].Made.Changed(s.Made)) > 0 {
			return false, nil
		}
	}
	plates, err := tx.Plates(ctx, s.ID)
	if err != nil || len(plates) != 1 || plates[0].GCodeID == nil {
		return false, err
	}
	host, p := runs[0], &plates[0]
	host.PlateID, host.GCodeID, host.Seconds, host.Grams, host.Shares = &p.ID, p.GCodeID, p.Full.WholeSeconds(), p.Full.Grams(), nil
	for _, id := range s.Joins {
		for _, r := range runs {
			for _, h := range r.Shares {
				if *h.PlateID == id {
					host.Shares = append(host.Shares, h)
				}
			}
		}
	}
	if err := ShareOut(ctx, tx.Q, &host, &s, p); err != nil {
		return false, err
	}
	for _, r := range runs[1:] {
		to, _ := states.Table.To(r.State, states.Cancel)
		if err := tx.SetRunState(ctx, r.ID, to, d.Now(), ""); err != nil {
			return false, err
		}
		r.Shares = nil
		if err := tx.SetPlate(ctx, r); err != nil {
			return false, err
		}
	}
	return true, tx.SetPlate(ctx, host)
}

// ShareOut gives each job what its copies take of a plate, and of what is common.
func ShareOut(ctx context.Context, q store.Q, r *store.Run, s *store.Slice, p *store.Plate) error {
	if len(p.Full.Shares) != len(p.Spots) {
		return nil // made by hand: what each takes alone is as near as can be said
	}
	for k := range r.Shares {
		r.Shares[k].Seconds, r.Shares[k].Grams = 0, 0
	}
	for k, at := range p.Spots {
		piece, err := q.Piece(ctx, s.Pieces[at.Piece].PieceID)
		if err != nil {
			return err
		}
		if h := r.Of(piece.JobID); h != nil {
			h.Seconds, h.Grams = h.Seconds+p.Full.Shares[k].Seconds, h.Grams+p.Full.Shares[k].Grams
		}
	}
	return nil
}

// Part takes what is a job's off the plate of a waiting run. Whoever lay there lies alone again, each on the
// plate that was said yes to: first those that stay, where the run stood, then the one that leaves, unless
// it leaves the lane, too. It tells the plates of those that stay. The lanes are locked.
func Part(ctx context.Context, tx *store.Tx, r store.Run, job int64, leaves bool) (rest []int64, err error) {
	lanes, err := tx.Lanes(ctx)
	if err != nil {
		return nil, err
	}
	place := 0
	for _, o := range lanes {
		if o.MachineID == r.MachineID && states.Movable(o.State) && o.Position < r.Position {
			place++
		}
	}
	stay := slices.DeleteFunc(slices.Clone(r.Shares), func(s store.Share) bool { return s.JobID == job })
	for _, s := range stay {
		rest = append(rest, *s.PlateID)
	}
	if !leaves {
		stay = append(stay, *r.Of(job))
	}
	ids := []int64{r.ID}
	for n, s := range stay {
		own, err := alone(ctx, tx.Q, r, s)
		if err != nil {
			return nil, err
		}
		if n == 0 {
			err = tx.SetPlate(ctx, own)
		} else {
			own.Position, own.AfterID = 0, nil
			var id int64
			id, err = tx.AddRun(ctx, own)
			ids = append(ids, id)
		}
		if err != nil {
			return nil, err
		}
	}
	return rest, putAt(ctx, tx, r.MachineID, ids, place)
}

// alone is a run as it is of one share by itself.
func alone(ctx context.Context, q store.Q, r store.Run, s store.Share) (store.Run, error) {
	p, err := q.Plate(ctx, *s.PlateID)
	if err != nil {
		return r, err
	}
	r.PlateID, r.GCodeID, r.Seconds, r.Grams = s.PlateID, p.GCodeID, p.Full.WholeSeconds(), p.Full.Grams()
	s.Seconds, s.Grams = r.Seconds, r.Grams
	r.Shares = []store.Share{s}
	return r, nil
}

// LockAll locks the jobs with a share of a run.
func LockAll(ctx context.Context, tx *store.Tx, r *store.Run) ([]store.Job, error) {
	ids := make([]int64, len(r.Shares))
	for k, s := range r.Shares {
		ids[k] = s.JobID
	}
	return LockJobs(ctx, tx, ids)
}

// LockJobs locks jobs, in one order whoever asks.
func LockJobs(ctx context.Context, tx *store.Tx, ids []int64) ([]store.Job, error) {
	ids = slices.Compact(slices.Sorted(slices.Values(ids)))
	out := make([]store.Job, len(ids))
	for k, id := range ids {
		var err error
		if out[k], err = tx.LockJob(ctx, id); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// TouchAll tells all whose parts lie on a run's plate what was done with it.
func TouchAll(ctx context.Context, tx *store.Tx, r *store.Run, a desk.Actor, what event.Event, why problem.Phrase) error {
	jobs, err := LockAll(ctx, tx, r)
	for _, j := range jobs {
		desk.Touched(tx, j, a, what, why)
	}
	return err
}
