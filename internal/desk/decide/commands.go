// Package decide is what is decided about a job and how it goes on from there: yes, no, one
// step on; and the shelf and the job as they are shown for it.
package decide

import (
	"context"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/store"
)

// Approve queues a job at the end of a machine's lane. machineID 0 takes the
// proposal.
func Approve(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, version int, machineID int64) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		j, err := desk.LockJob(ctx, tx, a, id, version)
		if err != nil {
			return err
		}
		if !job.Table.Can(j.Step, job.Yes) {
			return desk.Refuse("not to be approved", id, j.Step)
		}
		if j.TaskState != task.Done {
			return desk.Refuse("check not done", id, j.TaskState)
		}
		pieces, err := tx.Pieces(ctx, id)
		if err != nil {
			return err
		}
		h, err := floor.Look(ctx, tx.Q, d.Now(), id)
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
		r := store.Run{JobID: id}
		row.Onto(&r)
		if _, err := tx.AddRun(ctx, r); err != nil {
			return err
		}
		if err := tx.SetStep(ctx, id, job.Approved, ""); err != nil {
			return err
		}
		if err := tx.Notify(ctx, store.Event{Kind: "lane"}); err != nil {
			return err
		}
		return desk.Touched(ctx, tx, j, a, problem.Say("approved", row.Name), problem.Phrase{})
	})
}

// SendBack says no, with the reason the member gets.
func SendBack(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, version int, reason string) error {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return desk.Wrong("reason", "no reason for a no")
	}
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := desk.LockJob(ctx, tx, a, id, version)
		if err != nil {
			return err
		}
		if !job.Table.Can(j.Step, job.No) {
			return desk.Refuse("not to be sent back", id, j.Step)
		}
		t, err := tx.LockTask(ctx, id)
		if err != nil {
			return err
		}
		if task.Busy(t.State) {
			if err := d.Queue.Cancel(ctx, tx, t.QueueID); err != nil {
				return err
			}
			if err := tx.SetTask(ctx, id, task.Cancelled, "The job was sent back."); err != nil {
				return err
			}
		}
		if err := tx.SetStep(ctx, id, job.SentBack, reason); err != nil {
			return err
		}
		return desk.Touched(ctx, tx, j, a, problem.Say("sent back"), desk.Told(reason))
	})
}

// told is the event of its run that an event of a job is, and what history says of it.
var told = map[string]struct{ run, says string }{
	job.RunStarts: {run.Starts, "started"},
	job.RunEnds:   {run.Ends, "came off"},
	job.Ready:     {"", "ready to be fetched"},
	job.Handed:    {"", "fetched"},
}

// Advance moves an approved job one step on: started, finished on the machine,
// ready to be fetched, fetched.
func Advance(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, version int) error {
	return onFloor(ctx, d, a, id, version, func(tx *store.Tx, j store.Job) error {
		event := job.Can(j.Step, j.TaskState, false).Next
		to, ok := job.Table.To(j.Step, event)
		if !ok {
			return desk.Refuse("not decided yet", id, j.Step)
		}
		if t := told[event]; t.run != "" {
			if _, err := moveRun(ctx, d, tx, j, t.run, ""); err != nil {
				return err
			}
		}
		if err := tx.SetStep(ctx, id, to, ""); err != nil {
			return err
		}
		return desk.Touched(ctx, tx, j, a, problem.Say(told[event].says), problem.Phrase{})
	})
}

// RunFailed says that the run of a job did not come out, and why. Another takes its place,
// first in the lane, and the job waits for its start.
func RunFailed(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, version int, reason string) error {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return desk.Wrong("reason", "no reason for a failure")
	}
	return onFloor(ctx, d, a, id, version, func(tx *store.Tx, j store.Job) error {
		to, ok := job.Table.To(j.Step, job.RunFails)
		if !ok {
			return desk.Refuse("no run to fail", id, j.Step)
		}
		was, err := moveRun(ctx, d, tx, j, run.Fails, reason)
		if err != nil {
			return err
		}
		was.AfterID = &was.ID
		if _, err := tx.AddRun(ctx, was); err != nil {
			return err
		}
		if err := tx.SetStep(ctx, id, to, ""); err != nil {
			return err
		}
		return desk.Touched(ctx, tx, j, a, problem.Say("run failed"), desk.Told(reason))
	})
}

// onFloor changes a job under the lanes' lock.
func onFloor(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, version int, change func(*store.Tx, store.Job) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		j, err := desk.LockJob(ctx, tx, a, id, version)
		if err != nil {
			return err
		}
		return change(tx, j)
	})
}

// moveRun moves the run of a job by an event, and gives it as it was.
func moveRun(ctx context.Context, d *desk.Desk, tx *store.Tx, j store.Job, event, reason string) (store.Run, error) {
	r, err := tx.RunOfJob(ctx, j.ID)
	if err != nil {
		return r, err
	}
	to, ok := run.Table.To(r.State, event)
	if !ok {
		return r, desk.Refuse("run stays", r.JobTitle, r.State)
	}
	lanes, err := tx.Lanes(ctx)
	if err != nil {
		return r, err
	}
	if event == run.Starts {
		for _, o := range lanes {
			if o.MachineID == r.MachineID && o.Position < r.Position {
				return r, desk.Refuse("another comes before", o.JobTitle)
			}
		}
	}
	if err := tx.SetRunState(ctx, r.ID, to, d.Now(), reason); err != nil {
		return r, err
	}
	return r, tx.Notify(ctx, store.Event{Kind: "lane"})
}
