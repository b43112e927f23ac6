// Package decide is what is decided about a job and how it goes on from there: yes, no, one
// step on; and the shelf and the job as they are shown for it.
package decide

import (
	"context"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/store"
)

// Approve says yes to a job on a machine; machineID 0 takes the proposal. Where its plates are
// sliced, its runs go to the end of the machine's lane; else they are sliced first, and the yes
// holds if that keeps to the ceiling that was shown.
func Approve(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, machineID int64) error {
	return onFloor(ctx, d, a, id, revision, func(tx *store.Tx, j store.Job) error {
		return approve(ctx, d, tx, a, j, machineID, nil)
	})
}

// approve says yes to a job under the lanes' lock; place is where in the lane, nil its end.
func approve(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, j store.Job, machineID int64, place *int) error {
	if !job.Table.Can(j.State, job.Yes) {
		return desk.Refuse("not to be approved", j.ID, j.State)
	}
	if j.TaskState != task.Done {
		return desk.Refuse("check not done", j.ID, j.TaskState)
	}
	pieces, err := tx.Pieces(ctx, j.ID)
	if err != nil {
		return err
	}
	h, err := floor.Look(ctx, tx.Q, d.Now(), j.ID)
	if err != nil {
		return err
	}
	if w, ok := worst(pieces, h.Words); ok && w.Grade == finding.StopsIt {
		return desk.Refuse("stopped by", w.Text)
	}
	row, err := h.Choose(pieces, machineID)
	if err != nil {
		return err
	}
	if row.Stale != "" {
		return desk.Refuse("told", row.Stale)
	}
	answers, err := tx.Answers(ctx, j.ID)
	if err != nil {
		return err
	}
	all := note(pieces, h.Whole(pieces, h.Ladder(pieces), row.MachineID), answers)
	if err := holds(all, h.Words); err != nil {
		return err
	}
	if fresh, err := intake.Fresh(ctx, tx.Q, j, pieces); err != nil {
		return err
	} else if !fresh {
		return desk.Refuse("judged before")
	}
	var what event.Event = event.Approved{Machine: row.Name}
	yes := &job.Promise{MachineID: row.MachineID, SliceID: row.SliceID, Seconds: row.Seconds, Grams: row.Grams, Cents: row.Price, Person: a.ID, Place: place}
	said := job.Yes
	if c := row.Ceiling; c != nil {
		said = job.YesUpTo
		yes.Seconds, yes.Grams, yes.Cents = c.Seconds, c.Grams, c.Price
		if yes.SliceID, err = plates.Order(ctx, d, tx, a, j, store.Slice{JobID: j.ID, MachineID: row.MachineID}); err != nil {
			return err
		}
		what = event.ApprovedUpTo{Machine: row.Name, Minutes: c.Seconds / 60, Grams: c.Grams, Money: float64(c.Price) / 100}
	} else if err := floor.QueueRuns(ctx, tx, row, pieces, place); err != nil {
		return err
	}
	if err := tx.SetYes(ctx, j.ID, yes); err != nil {
		return err
	}
	if err := decided(ctx, tx, h, a, j, pieces, row, said, all); err != nil {
		return err
	}
	to, _ := job.Table.To(j.State, said)
	if err := tx.SetState(ctx, j.ID, to, ""); err != nil {
		return err
	}
	if err := desk.LanesChanged(ctx, d, tx); err != nil {
		return err
	}
	desk.Touched(tx, j, a, what, problem.Phrase{})
	return nil
}

// ChooseSlice makes a slice the one that counts. One that puts a plate of a job beside another's is a yes to
// that: the job's runs are queued on the machine, and the one of that plate lies there.
func ChooseSlice(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	s, err := d.Store.Slice(ctx, id)
	if err != nil {
		return err
	}
	if s.JobID != 0 || s.BaseID == nil {
		return plates.ChooseSlice(ctx, d, a, id)
	}
	base, err := d.Store.Slice(ctx, *s.BaseID)
	if err != nil {
		return err
	}
	return onFloor(ctx, d, a, base.JobID, 0, func(tx *store.Tx, j store.Job) error {
		if s, err = tx.LockSlice(ctx, id); err != nil {
			return err
		}
		if s.State != task.Done {
			return desk.Refuse("slice not done", id, s.State)
		}
		if err := tx.ChooseSlice(ctx, base); err != nil {
			return err
		}
		if err := approve(ctx, d, tx, a, j, s.MachineID, nil); err != nil {
			return err
		}
		return plates.JoinNow(ctx, d, tx, a, s)
	})
}

// TakeBack takes a yes back while nothing has been started: the job is to be decided again.
func TakeBack(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int) error {
	return onFloor(ctx, d, a, id, revision, func(tx *store.Tx, j store.Job) error {
		if !job.Table.Can(j.State, job.TakeBack) {
			return desk.Refuse("no yes to take back", id, j.State)
		}
		if err := unsay(ctx, d, tx, a, j, job.TakeBack, ""); err != nil {
			return err
		}
		desk.Touched(tx, j, a, event.YesTakenBack{}, problem.Phrase{})
		return intake.RejudgeStale(ctx, d, tx, j, a, problem.Say("house changed meanwhile"))
	})
}

// Withdraw ends a job before anything of it has been started: whose it is does not want it any
// more.
func Withdraw(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, reason string) error {
	reason = strings.TrimSpace(reason)
	return onFloor(ctx, d, a, id, revision, func(tx *store.Tx, j store.Job) error {
		if !job.Table.Can(j.State, job.Withdraw) {
			return desk.Refuse("not to be withdrawn", id, j.State)
		}
		if err := stopCheck(ctx, d, tx, id, "The job was withdrawn."); err != nil {
			return err
		}
		if err := unsay(ctx, d, tx, a, j, job.Withdraw, reason); err != nil {
			return err
		}
		desk.Touched(tx, j, a, event.Withdrawn{}, desk.Told(reason))
		return nil
	})
}

// unsay undoes a yes, if there is one: its slice is cancelled while it is being made, its runs
// leave their lanes, its parts the plates that they share with others'.
func unsay(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, j store.Job, by, reason string) error {
	runs, err := tx.RunsOfJob(ctx, j.ID)
	if err != nil {
		return err
	}
	for _, r := range runs {
		to, ok := run.Table.To(r.State, run.Cancel)
		if !ok {
			return desk.Refuse("run stays", j.Title, r.State)
		}
		if err := plates.CancelTogether(ctx, d, tx, &r); err != nil {
			return err
		}
		if len(r.Shares) == 1 {
			if err := tx.SetRunState(ctx, r.ID, to, d.Now(), ""); err != nil {
				return err
			}
			continue
		}
		jobs, err := floor.LockAll(ctx, tx, &r)
		if err != nil {
			return err
		}
		if err := plates.Part(ctx, d, tx, a, r, jobs, j.ID, true); err != nil {
			return err
		}
	}
	if j.State == job.BeingSliced && j.Yes != nil {
		s, err := tx.LockSlice(ctx, j.Yes.SliceID)
		if err != nil {
			return err
		}
		if task.Busy(s.State) {
			if err := d.Queue.Cancel(ctx, tx, s.QueueID); err != nil {
				return err
			}
			s.State = task.Cancelled
			if err := tx.EndSlice(ctx, s); err != nil {
				return err
			}
		}
	}
	if err := tx.SetYes(ctx, j.ID, nil); err != nil {
		return err
	}
	to, _ := job.Table.To(j.State, by)
	if err := tx.SetState(ctx, j.ID, to, reason); err != nil {
		return err
	}
	return desk.LanesChanged(ctx, d, tx)
}

// stopCheck ends the check of a job that nobody wants any more.
func stopCheck(ctx context.Context, d *desk.Desk, tx *store.Tx, id int64, why string) error {
	t, err := tx.LockTask(ctx, id)
	if err != nil || !task.Busy(t.State) {
		return err
	}
	if err := d.Queue.Cancel(ctx, tx, t.QueueID); err != nil {
		return err
	}
	return tx.SetTask(ctx, id, task.Cancelled, why)
}

// Move puts a planned run elsewhere: in its own lane, or with all runs of its job in another
// machine's. That is another yes, to what the job takes there.
func Move(ctx context.Context, d *desk.Desk, a desk.Actor, runID, machineID int64, place int) error {
	r, err := d.Store.Run(ctx, runID)
	if err != nil {
		return err
	}
	if r.MachineID == machineID {
		return floor.MoveRun(ctx, d, a, runID, place)
	}
	if len(r.Shares) != 1 {
		return desk.Refuse("shared stays", r.Title())
	}
	return onFloor(ctx, d, a, r.Shares[0].JobID, 0, func(tx *store.Tx, j store.Job) error {
		if r, err = tx.Run(ctx, runID); err != nil { // as it is under the lock
			return err
		}
		if len(r.Shares) > 1 {
			return desk.Refuse("shared stays", r.Title())
		}
		if !run.Movable(r.State) || r.Of(j.ID) == nil || !job.Table.Can(j.State, job.TakeBack) {
			return desk.Refuse("run stays", j.Title, r.State)
		}
		if err := unsay(ctx, d, tx, a, j, job.TakeBack, ""); err != nil {
			return err
		}
		if j, err = tx.Job(ctx, j.ID); err != nil {
			return err
		}
		return approve(ctx, d, tx, a, j, machineID, &place)
	})
}

// SendBack says no, with the reason the member gets.
func SendBack(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, reason string) error {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return desk.Wrong("reason", "no reason for a no")
	}
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := desk.LockJob(ctx, tx, a, id, revision)
		if err != nil {
			return err
		}
		if !job.Table.Can(j.State, job.No) {
			return desk.Refuse("not to be sent back", id, j.State)
		}
		if err := stopCheck(ctx, d, tx, id, "The job was sent back."); err != nil {
			return err
		}
		if err := tx.SetState(ctx, id, job.SentBack, reason); err != nil {
			return err
		}
		desk.Touched(tx, j, a, event.SentBack{}, desk.Told(reason))
		return nil
	})
}

// told is the event of a run that an event of its job is, and what history says of it.
var told = map[string]struct {
	run  string
	says event.Event
}{
	job.RunStarts: {run.Starts, event.Started{}},
	job.RunEnds:   {run.Ends, event.CameOff{}},
	job.Ready:     {"", event.ReadyToFetch{}},
	job.Handed:    {"", event.Fetched{}},
}

// Advance moves an approved job on by one state: the next of its runs is started, the one that
// prints has come off, it is ready to be fetched, fetched.
func Advance(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int) error {
	return onFloor(ctx, d, a, id, revision, func(tx *store.Tx, j store.Job) error {
		runs, err := tx.RunsOfJob(ctx, id)
		if err != nil {
			return err
		}
		next := job.Can(job.Facts{State: j.State, Check: j.TaskState, Runs: states(runs)}).Next
		t := told[next]
		switch {
		case next == "" || !job.Table.Can(j.State, next):
			return desk.Refuse("not decided yet", id, j.State)
		case t.run != "":
			return moveRun(ctx, d, tx, a, runs[0], t.run, "")
		}
		to, _ := job.Table.To(j.State, next)
		if err := tx.SetState(ctx, id, to, ""); err != nil {
			return err
		}
		desk.Touched(tx, j, a, t.says, problem.Phrase{})
		return nil
	})
}

// RunFailed says that the run of a job that prints did not come out, and why. Another takes its
// place, first in the lane.
func RunFailed(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, reason string) error {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return desk.Wrong("reason", "no reason for a failure")
	}
	return onFloor(ctx, d, a, id, revision, func(tx *store.Tx, j store.Job) error {
		runs, err := tx.RunsOfJob(ctx, id)
		if err != nil {
			return err
		}
		if len(runs) == 0 || !run.Table.Can(runs[0].State, run.Fails) {
			return desk.Refuse("no run to fail", id, j.State)
		}
		return moveRun(ctx, d, tx, a, runs[0], run.Fails, reason)
	})
}

func states(runs []store.Run) []string {
	out := make([]string, len(runs))
	for i, r := range runs {
		out[i] = r.State
	}
	return out
}

// onFloor changes a job under the lanes' lock.
func onFloor(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, change func(*store.Tx, store.Job) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		j, err := desk.LockJob(ctx, tx, a, id, revision)
		if err != nil {
			return err
		}
		return change(tx, j)
	})
}

// moveRun moves a run by an event, and each job whose parts lie on its plate as its runs are then.
func moveRun(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, r store.Run, by, reason string) error {
	to, ok := run.Table.To(r.State, by)
	if !ok {
		return desk.Refuse("run stays", r.Title(), r.State)
	}
	jobs, err := floor.LockAll(ctx, tx, &r)
	if err != nil {
		return err
	}
	if by == run.Starts {
		if err := mayStart(ctx, tx, r); err != nil {
			return err
		}
		if err := plates.CancelTogether(ctx, d, tx, &r); err != nil {
			return err
		}
	}
	if err := tx.SetRunState(ctx, r.ID, to, d.Now(), reason); err != nil {
		return err
	}
	if by != run.Starts {
		lay := r.Seconds
		if by == run.Fails && r.StartedAt != nil { // it came to no end
			lay = min(lay, max(0, d.Now().Sub(*r.StartedAt).Seconds()))
		}
		if err := floor.LieOn(ctx, tx, r, lay, d.Now()); err != nil {
			return err
		}
	}
	if by == run.Fails {
		r.AfterID = &r.ID
		if _, err := tx.AddRun(ctx, r); err != nil {
			return err
		}
	}
	what := map[string]event.Event{run.Starts: event.Started{}, run.Ends: event.CameOff{}, run.Fails: event.Failed{}}[by]
	for _, j := range jobs {
		if err := follow(ctx, tx, j); err != nil {
			return err
		}
		desk.Touched(tx, j, a, what, desk.Told(reason))
	}
	return desk.LanesChanged(ctx, d, tx)
}

// follow moves a job to where its runs are.
func follow(ctx context.Context, tx *store.Tx, j store.Job) error {
	runs, err := tx.RunsOfJob(ctx, j.ID)
	if err != nil {
		return err
	}
	if step := job.Follow(states(runs)); step != j.State {
		return tx.SetState(ctx, j.ID, step, "")
	}
	return tx.SetState(ctx, j.ID, j.State, j.Reason) // its revision counts on all the same
}

// mayStart refuses to start a run without a program, or before another in its lane.
func mayStart(ctx context.Context, tx *store.Tx, r store.Run) error {
	if r.GCodeID == nil {
		return desk.Refuse("to be sliced before the start", r.Title())
	}
	lanes, err := tx.Lanes(ctx)
	if err != nil {
		return err
	}
	for _, o := range lanes {
		if o.MachineID == r.MachineID && o.Position < r.Position {
			return desk.Refuse("another comes before", o.Title())
		}
	}
	return nil
}
