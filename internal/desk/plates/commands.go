// Package plates is what is sliced, by which overrides, and which slice is the one that
// counts.
package plates

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/store"
)

// SliceOrder asks for a piece to be sliced.
type SliceOrder struct {
	MachineID    int64                 `json:"machine_id"`
	Overrides    []recipe.Override     `json:"overrides" maxItems:"60"`
	SupportMarks []slicing.SupportMark `json:"support_marks,omitempty" maxItems:"60" doc:"Where support is put in or kept out by hand"`
	Scale        float64               `json:"scale,omitempty" minimum:"0" maximum:"100" doc:"0 or left out: 1"`
	Tip          slicing.Tip           `json:"tip,omitempty" enum:",x,y" doc:"Lay it over about an axis"`
}

// OrderSlice queues a slice of a piece by the house's recipe for its purpose and
// the overrides, each of which needs a reason.
func OrderSlice(ctx context.Context, d *desk.Desk, a desk.Actor, piece int64, in SliceOrder) (int64, error) {
	for i, x := range in.Overrides {
		if strings.TrimSpace(x.Why) == "" {
			return 0, desk.Wrong(fmt.Sprintf("overrides[%d].why", i), "no reason for an override", recipe.NameOf(x.Key))
		}
		in.Overrides[i].Who = a.Name
	}
	for i, x := range in.SupportMarks {
		if strings.TrimSpace(x.Why) == "" {
			return 0, desk.Wrong(fmt.Sprintf("support_marks[%d].why", i), "no reason for a mark")
		}
		in.SupportMarks[i].Who = a.Name
	}
	s := store.Slice{PieceID: piece, MachineID: in.MachineID, Overrides: in.Overrides, SupportMarks: in.SupportMarks, Scale: in.Scale, Tip: in.Tip}
	return orderSlice(ctx, d, a, s)
}

func orderSlice(ctx context.Context, d *desk.Desk, a desk.Actor, s store.Slice) (int64, error) {
	var id int64
	err := d.Store.InTx(ctx, func(tx *store.Tx) (err error) {
		id, err = orderIn(ctx, d, tx, a, s)
		return err
	})
	return id, err
}

// orderIn queues a slice in a transaction.
func orderIn(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, s store.Slice) (int64, error) {
	if s.Scale <= 0 {
		s.Scale = 1
	}
	p, err := tx.Piece(ctx, s.PieceID)
	if err != nil {
		return 0, err
	}
	j, err := desk.LockJob(ctx, tx, a, p.JobID, 0)
	if err != nil {
		return 0, err
	}
	if p, err = tx.Piece(ctx, s.PieceID); err != nil { // as it is under the lock
		return 0, err
	}
	if p.Verdict == nil || p.Verdict.Format == modelfile.GCode || p.BlobID == nil {
		return 0, desk.Refuse("no model to slice", p.Name)
	}
	s.Version = p.Current
	in, err := gather(ctx, tx.Q, s, p, j)
	if err != nil {
		return 0, err
	}
	s.Overrides = slices.Clone(s.Overrides)
	for i, x := range s.Overrides {
		s.Overrides[i].Was = in.Recipe.WithDefaults().Value(x.Key)
	}
	r, err := in.Recipe.Apply(s.Overrides)
	if err != nil {
		var wrong *recipe.WrongOverride
		if !errors.As(err, &wrong) {
			return 0, err
		}
		return 0, desk.Wrong("overrides", wrong.Code, wrong.Params...)
	}
	if bad := r.Validate(in.Machine, in.Loaded); len(bad) > 0 {
		return 0, &desk.Invalid{Problems: bad}
	}
	id, err := tx.AddSlice(ctx, s, a.ID)
	if err != nil {
		return 0, err
	}
	if err := queueSlice(ctx, d, tx, id, s.BaseID != nil); err != nil {
		return 0, err
	}
	what := problem.Say("slice ordered", int(id), p.Name, in.Machine.Name)
	var why []problem.Phrase
	for _, x := range s.Overrides {
		why = append(why, problem.Say("override for a reason", recipe.NameOf(x.Key), x.Value, x.Why))
	}
	for _, x := range s.SupportMarks {
		code := "support kept out for a reason"
		if x.PutIn {
			code = "support put in for a reason"
		}
		why = append(why, problem.Say(code, x.Why))
	}
	return id, desk.Touched(ctx, tx, j, a, what, desk.All(why))
}

func queueSlice(ctx context.Context, d *desk.Desk, tx *store.Tx, id int64, alternative bool) error {
	place, err := d.Queue.Slice(ctx, tx, id, alternative)
	if err != nil {
		return err
	}
	return tx.SetSliceQueueID(ctx, id, place)
}

// AgainSlice tries one once more that failed or was set aside.
func AgainSlice(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return changeSlice(ctx, d, a, id, "slice again", func(tx *store.Tx, s store.Slice) error {
		if !task.Slice.Can(s.State, task.Again) {
			return desk.Refuse("slice not to be tried again", id, s.State)
		}
		if err := tx.AgainSlice(ctx, id); err != nil {
			return err
		}
		return queueSlice(ctx, d, tx, id, s.BaseID != nil)
	})
}

// errAsItIs says that there is nothing to change, and no line of history to write.
var errAsItIs = errors.New("it is as it is")

// changeSlice changes a slice of a job that is still being weighed, with a line
// of history.
func changeSlice(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, what string, change func(*store.Tx, store.Slice) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		s, err := tx.Slice(ctx, id)
		if err != nil {
			return err
		}
		p, err := tx.Piece(ctx, s.PieceID)
		if err != nil {
			return err
		}
		j, err := desk.LockJob(ctx, tx, a, p.JobID, 0)
		if err != nil {
			return err
		}
		if s, err = tx.LockSlice(ctx, id); err != nil {
			return err
		}
		err = change(tx, s)
		if errors.Is(err, errAsItIs) {
			return nil
		}
		if err != nil {
			return err
		}
		return desk.Touched(ctx, tx, j, a, problem.Say(what, int(id), p.Name), problem.Phrase{})
	})
}

// CancelSlice ends one that waits or runs.
func CancelSlice(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return changeSlice(ctx, d, a, id, "slice cancelled", func(tx *store.Tx, s store.Slice) error {
		if !task.Slice.Can(s.State, task.Cancel) {
			return desk.Refuse("slice not to be cancelled", id, s.State)
		}
		if err := d.Queue.Cancel(ctx, tx, s.QueueID); err != nil {
			return err
		}
		s.State = "cancelled"
		return tx.EndSlice(ctx, s)
	})
}

// ChooseSlice makes a slice the one that counts: its machine, time and price are
// those of the job's ladder from then on.
func ChooseSlice(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return changeSlice(ctx, d, a, id, "slice chosen", func(tx *store.Tx, s store.Slice) error {
		if s.State != "done" {
			return desk.Refuse("slice not done", id, s.State)
		}
		if s.Chosen {
			return errAsItIs
		}
		return tx.ChooseSlice(ctx, s)
	})
}

// Savings orders what would save time against a slice that is done: each is
// sliced for real.
func Savings(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) ([]int64, error) {
	base, p, err := SliceFor(ctx, d, a, id)
	if err != nil {
		return nil, err
	}
	if base.State != "done" {
		return nil, desk.Refuse("slice not done", id, base.State)
	}
	in, err := InputOf(ctx, d, id)
	if err != nil {
		return nil, err
	}
	r, err := in.Recipe.Apply(base.Overrides)
	if err != nil {
		return nil, err
	}
	with := func(label, key string, value float64) store.Slice {
		s := base
		s.Label = label
		s.Overrides = nil
		for _, x := range base.Overrides {
			if x.Key != key {
				s.Overrides = append(s.Overrides, x)
			}
		}
		s.Overrides = append(s.Overrides, recipe.Override{Key: key, Value: fmt.Sprintf("%.3g", value), Why: "to save time", Who: a.Name})
		return s
	}
	var tries []store.Slice
	if n := in.Machine.NozzlesMM; len(n) > 0 && r.LayerMM < 0.7*n[0] {
		tries = append(tries, with("thicker layers", "layer_mm", min(0.75*n[0], 1.4*r.LayerMM)))
	}
	if r.InfillPercent > 5 {
		tries = append(tries, with("less infill", "infill_percent", float64(int(r.InfillPercent/2))))
	}
	if r.Shells > 1 {
		tries = append(tries, with("one shell less", "shells", float64(r.Shells-1)))
	}
	if base.Full != nil && base.Full.Changes > 0 {
		tries = append(tries, with("support by the part's nozzle", "support_nozzle", float64(max(1, r.PieceNozzle))))
	}
	smaller := base
	smaller.Label, smaller.Scale = "a tenth smaller", base.Scale*0.9
	over := base
	over.Label, over.Tip = "laid over", base.Tip.Next()
	tries = append(tries, smaller, over)
	h, err := floor.Look(ctx, d.Store.Q, d.Now(), p.JobID)
	if err != nil {
		return nil, err
	}
	var quickest *floor.LadderRow
	for _, x := range h.Ladder([]store.Piece{p}) {
		if x.Takes && x.MachineID != base.MachineID && (quickest == nil || x.Seconds < quickest.Seconds) {
			quickest = &x
		}
	}
	if quickest != nil {
		other := base
		other.Label, other.MachineID, other.Overrides = "on "+quickest.Name, quickest.MachineID, nil
		tries = append(tries, other)
	}
	var ids []int64
	err = d.Store.InTx(ctx, func(tx *store.Tx) error { // all of them, or none
		ids = nil
		for _, s := range tries {
			s.BaseID, s.Chosen = &base.ID, false
			n, err := orderIn(ctx, d, tx, a, s)
			if err != nil {
				return err
			}
			ids = append(ids, n)
		}
		return nil
	})
	return ids, err
}

// BeginSlice counts a try of a slice and tells how many there were.
func BeginSlice(ctx context.Context, d *desk.Desk, id int64) (int, error) {
	return d.Store.BeginSlice(ctx, id)
}

// EndSlice writes what a slice came to, once; also runs in the same transaction.
func EndSlice(ctx context.Context, d *desk.Desk, s store.Slice, also func(*store.Tx) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		p, err := tx.Piece(ctx, s.PieceID)
		if err != nil {
			return err
		}
		j, err := tx.LockJob(ctx, p.JobID)
		if err != nil {
			return err
		}
		if err := tx.EndSlice(ctx, s); err != nil {
			return err
		}
		if err := also(tx); err != nil { // the queue's, behind ours: one order of locks
			return err
		}
		what := map[string]string{"done": "slice done", "set aside": "slice set aside"}[s.State]
		return desk.Touched(ctx, tx, j, desk.Actor{}, problem.Say(cmp.Or(what, "slice failed"), int(s.ID), p.Name), desk.Told(s.Error))
	})
}
