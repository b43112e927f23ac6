package plates

import (
	"cmp"
	"context"
	"slices"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/job"
	states "jobshelf/core/shop/run"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/store"
)

// PutTogether has what a run is of lie beside what another is of: both plates are sliced as one, and as soon
// as that is done the first run holds it. Until then each stays as it is and can be started.
func PutTogether(ctx context.Context, d *desk.Desk, a desk.Actor, hostRun, guestRun int64) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		host, err := waiting(ctx, tx, hostRun)
		if err != nil {
			return err
		}
		guest, err := waiting(ctx, tx, guestRun)
		if err != nil {
			return err
		}
		j, err := tx.Job(ctx, host.Run.Shares[0].JobID)
		if err != nil {
			return err
		}
		today, err := floor.TodayFor(ctx, tx.Q, j.Purpose)
		if err != nil {
			return err
		}
		why, no := host.Against(&guest, today)
		if !no && hostRun == guestRun {
			why, no = problem.Say("of the same job"), true
		}
		if no {
			return desk.Refuse("cannot lie together", guest.Run.Title(), host.Run.Title(), why)
		}
		for _, l := range []*floor.Laid{&host, &guest} {
			if busy, err := beingJoined(ctx, tx, l); err != nil {
				return err
			} else if busy {
				return desk.Refuse("being put together", l.Run.Title())
			}
		}
		jobs, err := locked(ctx, tx, host, guest)
		if err != nil {
			return err
		}
		return orderTogether(ctx, d, tx, a, jobs, append(host.Own, guest.Own...), append(host.Slices, guest.Slices...))
	})
}

// waiting is a run that waits, with what was sliced of it. The lanes are locked.
func waiting(ctx context.Context, tx *store.Tx, id int64) (floor.Laid, error) {
	r, err := tx.Run(ctx, id)
	if err != nil {
		return floor.Laid{}, err
	}
	if !states.Movable(r.State) {
		return floor.Laid{}, desk.Refuse("run stays", r.Title(), r.State)
	}
	l, sliced, err := floor.LaidOf(ctx, tx.Q, r)
	if err == nil && !sliced {
		err = desk.Refuse("cannot lie together", r.Title(), r.Title(), problem.Say("not sliced here"))
	}
	return l, err
}

func beingJoined(ctx context.Context, tx *store.Tx, l *floor.Laid) (bool, error) {
	all, err := tx.JointsOf(ctx, l.Plates())
	return slices.ContainsFunc(all, func(s store.Slice) bool { return s.BaseID == nil && s.RunID == 0 && task.Busy(s.State) }), err
}

func locked(ctx context.Context, tx *store.Tx, all ...floor.Laid) ([]store.Job, error) {
	var ids []int64
	for _, l := range all {
		for _, s := range l.Run.Shares {
			ids = append(ids, s.JobID)
		}
	}
	return floor.LockJobs(ctx, tx, ids)
}

// orderTogether has plates sliced as one, or takes what was sliced of them before.
func orderTogether(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, jobs []store.Job, own []store.Plate, of []store.Slice) error {
	s := joint(own, of)
	known, err := knownJoint(ctx, tx, &s, of[0])
	if err != nil {
		return err
	}
	machine, err := machineName(ctx, tx.Q, s.MachineID)
	if err != nil {
		return err
	}
	if known != nil && known.State == task.Done {
		return JoinNow(ctx, d, tx, desk.Actor{ID: a.ID, Name: a.Name, Role: desk.Coordinator}, *known)
	}
	if known != nil {
		s.ID = known.ID
		err = tx.AgainSlice(ctx, s.ID)
	} else {
		s.ID, err = tx.AddSlice(ctx, s, a.ID)
	}
	if err != nil {
		return err
	}
	if err := queueSlice(ctx, d, tx, s.ID, desk.Somebody); err != nil {
		return err
	}
	for _, j := range jobs {
		desk.Touched(tx, j, a, event.ToLieTogether{Machine: machine}, problem.Phrase{})
	}
	return nil
}

// joint is a slice of plates as one: of each what lies on it, as it stands there. What somebody pinned stays
// on the first; the others are laid round it.
func joint(own []store.Plate, of []store.Slice) store.Slice {
	s := store.Slice{MachineID: of[0].MachineID, Overrides: of[0].Overrides}
	for k, p := range own {
		s.Joins = append(s.Joins, p.ID)
		for i, x := range of[k].Pieces {
			x.Which = nil
			for _, at := range p.Spots {
				if at.Piece == i {
					x.Which = append(x.Which, at.Copy)
				}
			}
			slices.Sort(x.Which)
			if x.Copies = len(x.Which); x.Copies == 0 {
				continue
			}
			var pins []slicing.Pin
			for _, pin := range x.Pins {
				if n := slices.Index(x.Which, pin.Copy); n >= 0 && k == 0 {
					pin.Copy, pin.Plate = n+1, 1
					pins = append(pins, pin)
				}
			}
			x.Pins = pins
			s.Pieces = append(s.Pieces, x)
		}
	}
	return s
}

// knownJoint is a slice of the same plates that can be taken: done, by what they were made by, or one that
// failed and can be tried again. Nil: there is none.
func knownJoint(ctx context.Context, tx *store.Tx, s *store.Slice, made store.Slice) (*store.Slice, error) {
	all, err := tx.JointsOf(ctx, s.Joins)
	if err != nil {
		return nil, err
	}
	for _, o := range slices.Backward(all) {
		if !slices.Equal(o.Joins, s.Joins) || o.RunID != 0 || o.BaseID != nil && o.State != task.Done {
			continue
		}
		switch {
		case task.Slice.Can(o.State, task.Again):
			return &o, nil
		case o.State == task.Done && len(made.Made.Changed(o.Made)) == 0:
			plates, err := tx.Plates(ctx, o.ID)
			if err != nil || len(plates) == 1 && plates[0].GCodeID != nil {
				return &o, err
			}
		}
	}
	return nil, nil
}

// machineName is what a machine is called.
func machineName(ctx context.Context, q store.Q, id int64) (string, error) {
	m, err := floor.MachineOf(ctx, q, id)
	if err != nil {
		return "", err
	}
	return m.Data.Name, nil
}

// joinedAll says of jobs that their runs are others now.
func joinedAll(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, jobs []store.Job, what event.Event) error {
	for _, j := range jobs {
		if err := tx.SetState(ctx, j.ID, j.State, j.Reason); err != nil { // its revision counts on
			return err
		}
		desk.Touched(tx, j, a, what, problem.Phrase{})
	}
	return desk.LanesChanged(ctx, d, tx)
}

// endTogether is what a slice of several jobs' plates comes to: they lie on it from now on, or why not.
func endTogether(ctx context.Context, d *desk.Desk, tx *store.Tx, jobs []store.Job, s store.Slice) error {
	if s.RunID != 0 {
		return endAgain(ctx, d, tx, jobs, s)
	}
	machine, err := machineName(ctx, tx.Q, s.MachineID)
	if err != nil {
		return err
	}
	// What slicing says may name a part of each: the floor shows it, the members' histories do not.
	why := problem.Say("not on one plate")
	if s.State == task.Done {
		ok, err := floor.Join(ctx, d, tx, s)
		if err != nil {
			return err
		}
		if ok {
			return joinedAll(ctx, d, tx, desk.Actor{}, jobs, event.LieTogether{Machine: machine})
		}
	}
	if s.State != task.Failed && s.State != task.SetAside {
		why = problem.Say("others are otherwise")
	}
	for _, j := range jobs {
		desk.Touched(tx, j, desk.Actor{}, event.NotTogether{Machine: machine}, why)
	}
	return nil
}

// beside is what is sliced to see what a job's slice would save if what lies on its last plate lay with
// another job on one that waits for the machine: the first where there is room. Nil: there is none.
func beside(ctx context.Context, q store.Q, h *floor.State, base store.Slice) (*store.Slice, error) {
	j, err := q.Job(ctx, base.JobID)
	if err != nil || j.State != job.ToDecide {
		return nil, err
	}
	plates, err := q.Plates(ctx, base.ID)
	m := h.Machine(base.MachineID)
	if err != nil || m == nil || len(plates) == 0 {
		return nil, err
	}
	last := plates[len(plates)-1]
	guest := floor.Laid{Run: store.Run{Material: m.Data.Material, Colour: m.Data.Colour}, Plate: last, Own: []store.Plate{last}, Slices: []store.Slice{base}}
	today, err := floor.TodayFor(ctx, q, j.Purpose)
	if err != nil {
		return nil, err
	}
	for _, r := range h.Lanes[base.MachineID] {
		if !states.Movable(r.State) || len(r.Shares) != 1 {
			continue
		}
		host, sliced, err := floor.LaidOf(ctx, q, r)
		if err != nil {
			return nil, err
		}
		if !sliced {
			continue
		}
		if _, no := host.Against(&guest, today); no || !host.Room(ctx, &guest, today) {
			continue
		}
		s := joint(append(host.Own, guest.Own...), append(host.Slices, guest.Slices...))
		s.BaseID, s.Label = &base.ID, "together with "+r.Title()
		return &s, nil
	}
	return nil, nil
}

// orderAgainst has plates of several jobs sliced as one, to be held against the slice of one of them.
func orderAgainst(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, j store.Job, s store.Slice) (int64, error) {
	all, err := tx.JointsOf(ctx, s.Joins)
	if err != nil {
		return 0, err
	}
	for _, o := range all {
		if slices.Equal(o.Joins, s.Joins) && o.BaseID != nil && (task.Busy(o.State) || o.State == task.Done) {
			return o.ID, nil
		}
	}
	id, err := tx.AddSlice(ctx, s, a.ID)
	if err != nil {
		return 0, err
	}
	machine, err := machineName(ctx, tx.Q, s.MachineID)
	if err != nil {
		return 0, err
	}
	desk.Touched(tx, j, a, event.SliceOrdered{Slice: id, Of: sharedTitle(len(s.Joins)), Machine: machine}, problem.Phrase{})
	return id, queueSlice(ctx, d, tx, id, desk.Nobody)
}

// JoinNow puts runs on the plate that a slice was made for, which is done; their jobs may be changed. The
// lanes are locked.
func JoinNow(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, s store.Slice) error {
	jobs, err := lockOf(ctx, tx, a, &s)
	if err != nil {
		return err
	}
	machine, err := machineName(ctx, tx.Q, s.MachineID)
	if err != nil {
		return err
	}
	ok, err := floor.Join(ctx, d, tx, s)
	if err != nil || !ok {
		return cmp.Or(err, desk.Refuse("others are otherwise"))
	}
	return joinedAll(ctx, d, tx, a, jobs, event.LieTogether{Machine: machine})
}

// CancelTogether ends what is under way to put plates of a job together with others': it is not to be any
// more. The lanes are locked.
func CancelTogether(ctx context.Context, d *desk.Desk, tx *store.Tx, r *store.Run) error {
	var own []int64
	for _, s := range r.Shares {
		if s.PlateID != nil {
			own = append(own, *s.PlateID)
		}
	}
	all, err := tx.JointsOf(ctx, own)
	if err != nil {
		return err
	}
	for _, s := range all {
		if s.BaseID != nil || s.RunID != 0 || !task.Busy(s.State) {
			continue
		}
		if s, err = tx.LockSlice(ctx, s.ID); err != nil {
			return err
		}
		if err := d.Queue.Cancel(ctx, tx, s.QueueID); err != nil {
			return err
		}
		s.State = task.Cancelled
		if err := tx.EndSlice(ctx, s); err != nil {
			return err
		}
		jobs, err := lockOf(ctx, tx, desk.Actor{Role: desk.Coordinator}, &s)
		if err != nil {
			return err
		}
		if err := endTogether(ctx, d, tx, jobs, s); err != nil {
			return err
		}
	}
	return nil
}

// TakeOut lets what is a job's lie on a plate of its own again, right behind those it lay with.
func TakeOut(ctx context.Context, d *desk.Desk, a desk.Actor, runID, jobID int64) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		r, err := tx.Run(ctx, runID)
		if err != nil {
			return err
		}
		switch {
		case r.Of(jobID) == nil:
			return store.ErrNotFound
		case !states.Movable(r.State):
			return desk.Refuse("run stays", r.Title(), r.State)
		case len(r.Shares) < 2 || r.AfterID != nil && r.PlateID == nil:
			return desk.Refuse("no plate of its own", r.Title())
		}
		if r.PlateID != nil {
			p, err := tx.Plate(ctx, *r.PlateID)
			if err != nil {
				return err
			}
			if of, err := tx.Slice(ctx, p.SliceID); err != nil || of.RunID != 0 {
				return cmp.Or(err, desk.Refuse("no plate of its own", r.Title()))
			}
		}
		jobs, err := floor.LockAll(ctx, tx, &r)
		if err != nil {
			return err
		}
		return Part(ctx, d, tx, a, r, jobs, jobID, false)
	})
}

// Part takes what is a job's off a plate, its jobs locked. Where several stay, they are put together again
// as soon as that is sliced, at once if it was before.
func Part(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, r store.Run, jobs []store.Job, of int64, leaves bool) error {
	machine, err := machineName(ctx, tx.Q, r.MachineID)
	if err != nil {
		return err
	}
	rest, err := floor.Part(ctx, tx, r, of, leaves)
	if err != nil {
		return err
	}
	if leaves { // whose it was is nothing that the others' members need to know
		a = desk.Actor{}
	}
	others := slices.DeleteFunc(slices.Clone(jobs), func(j store.Job) bool { return j.ID == of && leaves })
	if err := joinedAll(ctx, d, tx, a, others, event.LiesAlone{Machine: machine}); err != nil || len(rest) < 2 {
		return err
	}
	var left floor.Laid
	for _, id := range rest {
		if err := left.Add(ctx, tx.Q, id); err != nil {
			return err
		}
	}
	others = slices.DeleteFunc(others, func(j store.Job) bool { return j.ID == of })
	for k := range others { // as they are now
		if others[k], err = tx.Job(ctx, others[k].ID); err != nil {
			return err
		}
	}
	return orderTogether(ctx, d, tx, a, others, left.Own, left.Slices)
}

// OrderAgain plans a run of those copies on another's plate that came out bad, counted from 0, first in the lane, and has
// them sliced. It costs its jobs nothing. The lanes are locked.
func OrderAgain(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, r store.Run, bad []int) error {
	p, err := tx.Plate(ctx, *r.PlateID)
	if err != nil {
		return err
	}
	of, err := tx.Slice(ctx, p.SliceID)
	if err != nil {
		return err
	}
	want := map[[2]int64]bool{} // by piece and copy
	perJob := map[int64]int{}
	for _, k := range bad {
		at := p.Spots[k]
		piece, err := tx.Piece(ctx, of.Pieces[at.Piece].PieceID)
		if err != nil {
			return err
		}
		want[[2]int64{piece.ID, int64(at.Copy)}] = true
		perJob[piece.JobID]++
	}
	again := r
	again.AfterID, again.PlateID, again.GCodeID, again.Shares = &r.ID, nil, nil, nil
	share := float64(len(bad)) / float64(len(p.Spots))
	again.Seconds, again.Grams = r.Seconds*share, r.Grams*share
	var own []store.Plate
	var from []store.Slice
	for _, s := range r.Shares {
		if perJob[s.JobID] == 0 || s.PlateID == nil {
			continue
		}
		part := float64(perJob[s.JobID]) / float64(len(bad))
		s.Seconds, s.Grams, s.PriceCents = again.Seconds*part, again.Grams*part, 0
		again.Shares = append(again.Shares, s)
		var l floor.Laid
		if err := l.Add(ctx, tx.Q, *s.PlateID); err != nil {
			return err
		}
		own, from = append(own, l.Own...), append(from, l.Slices...)
	}
	if len(own) == 0 {
		return desk.Refuse("no model to slice", r.Title())
	}
	for i := range own {
		own[i].Spots = slices.DeleteFunc(slices.Clone(own[i].Spots), func(at slicing.Spot) bool {
			return !want[[2]int64{from[i].Pieces[at.Piece].PieceID, int64(at.Copy)}]
		})
	}
	s := joint(own, from)
	if s.RunID, err = tx.AddRun(ctx, again); err != nil {
		return err
	}
	if s.ID, err = tx.AddSlice(ctx, s, a.ID); err != nil {
		return err
	}
	return queueSlice(ctx, d, tx, s.ID, desk.Somebody)
}

// endAgain gives a run of copies that came out bad its program, or says that it has none.
func endAgain(ctx context.Context, d *desk.Desk, tx *store.Tx, jobs []store.Job, s store.Slice) error {
	r, err := tx.Run(ctx, s.RunID)
	if err != nil {
		return err
	}
	jobs = slices.DeleteFunc(jobs, func(j store.Job) bool { return r.Of(j.ID) == nil })
	made, err := tx.Plates(ctx, s.ID)
	if err != nil {
		return err
	}
	if s.State != task.Done || len(made) != 1 || made[0].GCodeID == nil || !states.Movable(r.State) {
		for _, j := range jobs {
			desk.Touched(tx, j, desk.Actor{}, event.NotSlicedAgain{}, problem.Phrase{})
		}
		return nil
	}
	p := &made[0]
	r.PlateID, r.GCodeID, r.Seconds, r.Grams = &p.ID, p.GCodeID, p.Full.WholeSeconds(), p.Full.Grams()
	if err := floor.ShareOut(ctx, tx.Q, &r, &s, p); err != nil {
		return err
	}
	if err := tx.SetPlate(ctx, r); err != nil {
		return err
	}
	return joinedAll(ctx, d, tx, desk.Actor{}, jobs, event.SlicedAgain{})
}
