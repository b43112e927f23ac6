package desk

import (
	"context"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/units"
	"jobshelf/internal/store"
)

// CheckInput is what a check works from.
type CheckInput struct {
	Job        store.Job
	Pieces     []store.Piece
	Choices    []verdict.Choice
	StartCents units.Cents
	LongestS   float64 // the longest run without asking; 0: any
}

// CheckInput gathers a job's pieces and the house's machines with the recipe for
// its purpose.
func (d *Desk) CheckInput(ctx context.Context, job int64) (CheckInput, error) {
	var in CheckInput
	var err error
	if in.Job, err = d.Store.Job(ctx, job); err != nil {
		return in, err
	}
	if in.Pieces, err = d.Store.Pieces(ctx, job); err != nil {
		return in, err
	}
	h, err := d.Store.House(ctx)
	if err != nil {
		return in, err
	}
	in.StartCents, in.LongestS = h.StartCents, 60*float64(h.LongestRunMin)
	in.Choices, _, err = choices(ctx, d.Store.Q, recipe.Purpose(in.Job.Purpose))
	return in, err
}

// choices gives every machine, with its number, and the recipe for a purpose on
// it with what its nozzles are loaded with.
func choices(ctx context.Context, q store.Q, p recipe.Purpose) (out []verdict.Choice, ids []int64, err error) {
	machines, err := q.Machines(ctx)
	if err != nil {
		return nil, nil, err
	}
	recipes, err := q.Recipes(ctx)
	if err != nil {
		return nil, nil, err
	}
	rows, err := q.Materials(ctx)
	if err != nil {
		return nil, nil, err
	}
	materials := make([]machine.Material, len(rows))
	for i := range rows {
		materials[i] = rows[i].Data
	}
	for i := range machines {
		c := verdict.Choice{Machine: &machines[i].Data}
		for k := range recipes {
			if recipes[k].MachineID != machines[i].ID || recipes[k].Data.Purpose != p || !machines[i].Data.InService {
				continue
			}
			c.Recipe = &recipes[k].Data
			for t := range rows {
				if rows[t].ID == recipes[k].MaterialID {
					c.Loaded = c.Machine.Load(&materials[t], materials)
				}
			}
		}
		out, ids = append(out, c), append(ids, machines[i].ID)
	}
	return out, ids, nil
}

// Checked is what was found out about a piece. A file that holds several models
// gives one for each: the first keeps the piece, the others are new.
type Checked struct {
	Piece store.Piece // with name, copies and part as they are to be
	New   bool
	store.Judgement
}

// RecordCheck ends a round of a check, once: it writes what was found and moves
// the job on to be decided. It gives false, and changes nothing, if the round is
// over already or was cancelled. also runs in the same transaction.
func (d *Desk) RecordCheck(ctx context.Context, job int64, round int, found []Checked, also func(*store.Tx) error) (bool, error) {
	ended := false
	err := d.Store.InTx(ctx, func(tx *store.Tx) error {
		ended = false
		j, err := tx.LockJob(ctx, job)
		if err != nil {
			return err
		}
		t, err := tx.LockTask(ctx, job)
		if err != nil {
			return err
		}
		if err := also(tx); err != nil { // the queue's, behind ours: one order of locks
			return err
		}
		if t.Round != round || (t.State != "queued" && t.State != "running") {
			return nil
		}
		what, state, problem := "Checked", "done", ""
		for _, c := range found {
			if err := recordPiece(ctx, tx, c); err != nil {
				return err
			}
			if c.Problem != "" {
				what, state, problem = "Could not be read", "failed", c.Problem
			}
		}
		if err := tx.SetTask(ctx, job, state, problem); err != nil {
			return err
		}
		if j.Step == "arrived" {
			if err := tx.SetStep(ctx, job, "to decide", ""); err != nil {
				return err
			}
		}
		ended = true
		return touched(ctx, tx, j, Actor{}, what, problem)
	})
	return ended, err
}

func recordPiece(ctx context.Context, tx *store.Tx, c Checked) error {
	if c.New {
		id, err := tx.AddPiece(ctx, c.Piece)
		if err != nil {
			return err
		}
		c.Piece.ID, c.Piece.Current = id, 1
	} else if err := tx.SetPiece(ctx, c.Piece); err != nil {
		return err
	}
	if err := tx.SetJudgement(ctx, c.Piece.ID, c.Piece.Current, c.Judgement); err != nil {
		return err
	}
	if c.Judgement.BlobID == nil || c.New {
		return nil
	}
	why := "There was nothing to mend."
	for i, d := range c.Log {
		if i == 0 {
			why = d.Text
		} else {
			why += " " + d.Text
		}
	}
	return tx.AddHistory(ctx, c.Piece.JobID, 0, "Repaired "+c.Piece.Name, why)
}

// BeginCheck counts a try of a round and tells how many there were. It gives
// store.ErrChanged if the round is over.
func (d *Desk) BeginCheck(ctx context.Context, job int64, round int) (int, error) {
	return d.Store.BeginTask(ctx, job, round)
}

// SetAside ends a round that cannot be brought to its end; the job keeps its files
// and can be tried once more. reason is for the desk.
func (d *Desk) SetAside(ctx context.Context, job int64, round int, reason string) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := tx.LockJob(ctx, job)
		if err != nil {
			return err
		}
		t, err := tx.LockTask(ctx, job)
		if err != nil || t.Round != round || (t.State != "queued" && t.State != "running") {
			return err
		}
		if err := tx.SetTask(ctx, job, "set aside", reason); err != nil {
			return err
		}
		return touched(ctx, tx, j, Actor{}, "The check was set aside", reason)
	})
}

// Progress tells how far a check is. It gives store.ErrChanged when the round is
// over or cancelled, so that work on it can stop.
func (d *Desk) Progress(ctx context.Context, j store.Job, round int, doing string, fraction float64) error {
	if err := d.Store.Progress(ctx, j.ID, round, doing, fraction); err != nil {
		return err
	}
	return d.Store.Notify(ctx, store.Event{Kind: "progress", Job: j.ID, Fraction: fraction, Doing: doing, Owner: j.MemberID})
}

// Retry checks a job again, as a new round.
func (d *Desk) Retry(ctx context.Context, a Actor, job int64) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := lockFor(ctx, tx, a, job, 0)
		if err != nil {
			return err
		}
		if j.Step != "arrived" && j.Step != "to decide" {
			return conflict("Job %d is %s already; its check is closed.", job, j.Step)
		}
		return d.recheck(ctx, tx, j, a, "Check asked for again", "")
	})
}

func (d *Desk) recheck(ctx context.Context, tx *store.Tx, j store.Job, a Actor, what, why string) error {
	t, err := tx.LockTask(ctx, j.ID)
	if err != nil {
		return err
	}
	if t.State == "queued" || t.State == "running" {
		if err := d.Queue.Cancel(ctx, tx, t.QueueID); err != nil {
			return err
		}
	}
	round, err := tx.RenewTask(ctx, j.ID)
	if err != nil {
		return err
	}
	place, err := d.Queue.Check(ctx, tx, j.ID, round)
	if err != nil {
		return err
	}
	if err := tx.SetTaskQueueID(ctx, j.ID, place); err != nil {
		return err
	}
	return touched(ctx, tx, j, a, what, why)
}

// CancelCheck stops a check that waits or runs.
func (d *Desk) CancelCheck(ctx context.Context, a Actor, job int64) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := lockFor(ctx, tx, a, job, 0)
		if err != nil {
			return err
		}
		t, err := tx.LockTask(ctx, job)
		if err != nil {
			return err
		}
		if t.State != "queued" && t.State != "running" {
			return conflict("The check of job %d is over; there is nothing to cancel.", job)
		}
		if err := d.Queue.Cancel(ctx, tx, t.QueueID); err != nil {
			return err
		}
		if err := tx.SetTask(ctx, job, "cancelled", "Cancelled by "+a.Name); err != nil {
			return err
		}
		return touched(ctx, tx, j, a, "Check cancelled", "")
	})
}

// rejudge checks anew all jobs still being weighed, after the house changed.
func (d *Desk) rejudge(ctx context.Context, tx *store.Tx, a Actor, why string) error {
	ids, err := tx.JobsToRejudge(ctx)
	if err != nil {
		return err
	}
	for _, id := range ids { // in their order, as everybody locks them
		j, err := tx.LockJob(ctx, id)
		if err != nil {
			return err
		}
		if err := d.recheck(ctx, tx, j, a, "Checked again", why); err != nil {
			return err
		}
	}
	return nil
}
