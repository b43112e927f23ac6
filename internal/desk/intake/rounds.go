package intake

import (
	"context"
	"strings"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/event"
	states "jobshelf/core/shop/job"
	"jobshelf/core/shop/revision"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// Checked is what was found out about a piece. A file that holds several models
// gives one for each: the first keeps the piece, the others are new.
type Checked struct {
	Piece store.Piece // with name, copies and part as they are to be
	New   bool
	Tried map[string]verdict.MachineVerdict // what came out on machines, by the sum of what went in
	store.Judgement
}

// TriedOf is what a judgement tells of orientations that were tried on machines: that in which the model
// stands, and how it came.
func TriedOf(in CheckInput, c *Checked) map[string]verdict.MachineVerdict {
	v := c.Verdict
	if v == nil || v.Orientation == nil || v.Format == modelfile.GCode || len(v.Machines) != len(in.Choices) {
		return nil
	}
	p := c.Piece
	p.Verdict = v
	if c.BlobID != nil {
		p.BlobID = c.BlobID
	}
	model, out := p.Model(), map[string]verdict.MachineVerdict{}
	for k := range in.Choices {
		out[model.Try(v.Orientation.Stand.Turn, revision.OnMachine(&in.Choices[k], in.StartCents))] = v.Machines[k]
	}
	for _, t := range v.Tried {
		out[model.Try(t.Turn, revision.OnMachine(&in.Choices[t.Choice], in.StartCents))] = t.Row
	}
	return out
}

// BeginCheck counts a try of a round and tells how many there were. It gives
// store.ErrChanged if the round is over.
func BeginCheck(ctx context.Context, d *desk.Desk, job int64, round int) (int, error) {
	return d.Store.BeginTask(ctx, job, round)
}

// Progress tells how far a check is. It gives store.ErrChanged when the round is
// over or cancelled, so that work on it can stop.
func Progress(ctx context.Context, d *desk.Desk, j store.Job, round int, doing string, fraction float64) error {
	if err := d.Store.Progress(ctx, j.ID, round, doing, fraction); err != nil {
		return err
	}
	return d.Store.Notify(ctx, store.Signal{Kind: store.OfProgress, Job: j.ID, Fraction: fraction, Doing: doing, Owner: j.MemberID})
}

// RecordCheck ends a round of a check, once: it writes what was found and moves
// the job on to be decided. It gives false, and changes nothing, if the round is
// over already or was cancelled. also runs in the same transaction.
func RecordCheck(ctx context.Context, d *desk.Desk, job int64, round int, found []Checked, also func(*store.Tx) error) (bool, error) {
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
		if t.Round != round || !task.Busy(t.State) {
			return nil
		}
		var what event.Event = event.Checked{}
		state := "done"
		var problems []string
		for _, c := range found {
			if err := recordPiece(ctx, tx, c); err != nil {
				return err
			}
			if c.Problem != "" {
				what, state = event.Unread{}, "failed"
				problems = append(problems, ofPiece(c, len(found)))
			}
		}
		text := strings.Join(problems, " ")
		if err := tx.SetTask(ctx, job, state, text); err != nil {
			return err
		}
		if to, ok := states.Table.To(j.State, states.CheckEnds); ok {
			if err := tx.SetState(ctx, job, to, ""); err != nil {
				return err
			}
		}
		ended = true
		desk.Touched(tx, j, desk.Actor{}, what, desk.Told(text))
		return nil
	})
	return ended, err
}

// ofPiece is a piece's problem, with the piece's name where the job has others.
func ofPiece(c Checked, pieces int) string {
	if pieces == 1 {
		return c.Problem
	}
	return c.Piece.Name + ": " + c.Problem
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
	if err := tx.AddTried(ctx, c.Tried); err != nil {
		return err
	}
	if c.Judgement.BlobID == nil || c.New {
		return nil
	}
	why := problem.Say("nothing to mend")
	if len(c.Log) > 0 {
		done := make([]string, len(c.Log))
		for i, d := range c.Log {
			done[i] = d.Text
		}
		why = desk.Told(strings.Join(done, " "))
	}
	desk.Touched(tx, store.Job{ID: c.Piece.JobID}, desk.Actor{}, event.Repaired{Piece: c.Piece.Name}, why)
	return nil
}

// SetAside ends a round that cannot be brought to its end; the job keeps its files
// and can be tried once more. reason is for the desk.
func SetAside(ctx context.Context, d *desk.Desk, job int64, round int, reason string) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := tx.LockJob(ctx, job)
		if err != nil {
			return err
		}
		t, err := tx.LockTask(ctx, job)
		if err != nil || t.Round != round || !task.Busy(t.State) {
			return err
		}
		if err := tx.SetTask(ctx, job, "set aside", reason); err != nil {
			return err
		}
		desk.Touched(tx, j, desk.Actor{}, event.CheckSetAside{}, desk.Told(reason))
		return nil
	})
}
