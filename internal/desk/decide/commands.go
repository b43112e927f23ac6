// Package decide is what is decided about a job and how it goes on from there: yes, no, one
// step on; and the shelf and the job as they are shown for it.
package decide

import (
	"context"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
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
		if j.Step != "to decide" {
			return desk.Refuse("not to be approved", id, j.Step)
		}
		if j.TaskState != "done" {
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
		r := store.Run{JobID: id}
		row.Onto(&r)
		if _, err := tx.AddRun(ctx, r); err != nil {
			return err
		}
		if err := tx.SetStep(ctx, id, "approved", ""); err != nil {
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
		if j.Step != "arrived" && j.Step != "to decide" {
			return desk.Refuse("not to be sent back", id, j.Step)
		}
		t, err := tx.LockTask(ctx, id)
		if err != nil {
			return err
		}
		if t.State == "queued" || t.State == "running" {
			if err := d.Queue.Cancel(ctx, tx, t.QueueID); err != nil {
				return err
			}
			if err := tx.SetTask(ctx, id, "cancelled", "The job was sent back."); err != nil {
				return err
			}
		}
		if err := tx.SetStep(ctx, id, "sent back", reason); err != nil {
			return err
		}
		return desk.Touched(ctx, tx, j, a, problem.Say("sent back"), desk.Told(reason))
	})
}

// Advance moves an approved job one step on: started, finished on the machine,
// ready to be fetched, fetched.
func Advance(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, version int) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		j, err := desk.LockJob(ctx, tx, a, id, version)
		if err != nil {
			return err
		}
		move, ok := map[string]struct{ to, what, run string }{
			"approved":     {"on the floor", "started", "printing"},
			"on the floor": {"finishing", "came off", "finished"},
			"finishing":    {"pick-up", "ready to be fetched", ""},
			"pick-up":      {"fetched", "fetched", ""},
		}[j.Step]
		if !ok {
			return desk.Refuse("not decided yet", id, j.Step)
		}
		if move.run != "" {
			if err := moveRunOn(ctx, d, tx, j, move.run); err != nil {
				return err
			}
		}
		if err := tx.SetStep(ctx, id, move.to, ""); err != nil {
			return err
		}
		return desk.Touched(ctx, tx, j, a, problem.Say(move.what), problem.Phrase{})
	})
}

func moveRunOn(ctx context.Context, d *desk.Desk, tx *store.Tx, j store.Job, state string) error {
	run, err := tx.RunOfJob(ctx, j.ID)
	if err != nil {
		return err
	}
	lanes, err := tx.Lanes(ctx)
	if err != nil {
		return err
	}
	if state == "printing" {
		for _, o := range lanes {
			if o.MachineID == run.MachineID && o.Position < run.Position {
				return desk.Refuse("another comes before", o.JobTitle)
			}
		}
	}
	if err := tx.SetRunState(ctx, run.ID, state, d.Now()); err != nil {
		return err
	}
	return tx.Notify(ctx, store.Event{Kind: "lane"})
}
