// Package decide is what is decided about a job and how it goes on from there: yes, no, one
// step on; and the shelf and the job as they are shown for it.
package decide

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/rule"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/letter"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/finishing"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/store"
)

// Yes is what somebody says yes to.
type Yes struct {
	MachineID  int64             // 0: the proposal
	Conditions []recipe.Override // settings that are to be otherwise than the recipe has them, each with a reason
	// MorePercent is by how much what it takes on conditions may be over what it takes without, for the yes to hold.
	MorePercent float64
	place       *int         // in the machine's lane; nil: its end
	most        *units.Cents // that was shown for it; nil: whatever it is
	was         *units.Cents // that it costs where it is moved from; nil: it may cost more
	told        string       // what its member is told; empty: that it is approved
}

// Approve says yes to a job. Where its plates are sliced, its runs go to the end of the machine's lane; else they are
// sliced first, and the yes holds if that keeps to the ceiling that was shown. On conditions they always are sliced
// first, by the recipe with those in force.
func Approve(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, yes Yes) error {
	for i, c := range yes.Conditions {
		if strings.TrimSpace(c.Why) == "" {
			return desk.Wrong(fmt.Sprintf("conditions[%d].why", i), "no reason for an override", recipe.NameOf(c.Key))
		}
		if slices.ContainsFunc(yes.Conditions[:i], func(o recipe.Override) bool { return o.Key == c.Key }) {
			return desk.Wrong(fmt.Sprintf("conditions[%d].key", i), "condition twice", recipe.NameOf(c.Key))
		}
		yes.Conditions[i].Who = a.Name
	}
	return onFloor(ctx, d, a, id, revision, func(tx *store.Tx, j store.Job) error {
		return approve(ctx, d, tx, a, j, yes)
	})
}

// approve says yes to a job under the lanes' lock.
func approve(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, j store.Job, yes Yes) error {
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
	row, err := h.Choose(pieces, yes.MachineID)
	if err != nil {
		return err
	}
	if row.Stale != "" {
		return desk.Refuse("told", row.Stale)
	}
	if yes.most != nil && row.Price > *yes.most {
		return desk.Refuse("dearer by now", row.Name, problem.Fixed(float64(row.Price)/100, 2), problem.Fixed(float64(*yes.most)/100, 2))
	}
	if yes.was != nil && row.Price > *yes.was {
		return desk.Wrong("dearer", "dearer there", row.Name, desk.Sum(row.Price, h.Terms.Currency, h.Words), desk.Sum(*yes.was, h.Terms.Currency, h.Words))
	}
	all, err := weigh(ctx, tx, h, a, j, pieces, row, yes.Conditions)
	if err != nil {
		return err
	}
	if fresh, err := intake.Fresh(ctx, tx.Q, j, pieces); err != nil {
		return err
	} else if !fresh {
		return desk.Refuse("judged before")
	}
	promise := &job.Promise{MachineID: row.MachineID, SliceID: row.SliceID, Seconds: row.Seconds, Grams: row.Grams, Cents: row.Price, Person: a.ID, Place: yes.place, Told: cmp.Or(yes.told, letter.Approved)}
	said, what := job.Yes, event.Event(event.Approved{Machine: row.Name})
	ceiling := row.Ceiling
	order := store.Slice{JobID: j.ID, MachineID: row.MachineID}
	if len(yes.Conditions) > 0 {
		if len(floor.Models(pieces)) == 0 {
			return desk.Refuse("no model to slice", j.Title)
		}
		ceiling = row.UpTo(yes.MorePercent)
		if err := plates.OnConditions(ctx, tx, &order, row.SliceID, yes.Conditions); err != nil {
			return err
		}
	}
	if ceiling != nil {
		said = job.YesUpTo
		promise.Seconds, promise.Grams, promise.Cents = ceiling.Seconds, ceiling.Grams, ceiling.Price
		if promise.SliceID, err = plates.Order(ctx, d, tx, a, j, order); err != nil {
			return err
		}
		what = event.ApprovedUpTo{Machine: row.Name, Minutes: ceiling.Seconds / 60, Grams: ceiling.Grams, Money: float64(ceiling.Price) / 100}
		if len(yes.Conditions) > 0 {
			what = event.ApprovedIf{Machine: row.Name, Conditions: floor.Conditions(yes.Conditions, h.Words), Minutes: ceiling.Seconds / 60, Grams: ceiling.Grams, Money: float64(ceiling.Price) / 100}
		}
	} else if err := floor.QueueRuns(ctx, tx, row, pieces, yes.place); err != nil {
		return err
	}
	if err := tx.SetYes(ctx, j.ID, promise); err != nil {
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
	why := problem.Phrase{}
	if len(yes.Conditions) > 0 {
		var reasons []string
		for _, c := range yes.Conditions {
			reasons = append(reasons, c.Why)
		}
		why = desk.Told(strings.Join(reasons, "; "))
	}
	desk.Touched(tx, j, a, what, why)
	if said == job.YesUpTo {
		return plates.SettleNow(ctx, d, tx, j.ID) // it may have been sliced just so before
	}
	return floor.WriteYes(ctx, tx, h, a, j, row, promise.Told)
}

// weigh holds what was found on a job on a machine, with conditions in force, against what was said to it; what only the
// conditions raise is answered by their reasons, by one who may waive it.
func weigh(ctx context.Context, tx *store.Tx, h *floor.State, a desk.Actor, j store.Job, pieces []store.Piece, row *floor.LadderRow, conditions []recipe.Override) ([]noted, error) {
	answers, err := tx.Answers(ctx, j.ID)
	if err != nil {
		return nil, err
	}
	before := note(pieces, h.Whole(pieces, h.Ladder(pieces), row.MachineID), answers)
	if len(conditions) == 0 {
		return before, holds(before, h.Words)
	}
	h.If = conditions
	all := note(pieces, h.Whole(pieces, h.Ladder(pieces), row.MachineID), answers)
	reasons := make([]string, len(conditions))
	for i, c := range conditions {
		reasons[i] = c.Why
	}
	for i := range all {
		f := &all[i]
		known := slices.ContainsFunc(before, func(o noted) bool { return o.key == f.key })
		if f.Rule == "" || known || !f.Asks() || f.answer != nil {
			continue
		}
		if f.Waives == string(rule.BySteward) && !a.Role.AtLeast(desk.Steward) {
			return nil, desk.Refuse("not yours to waive", f.Rule)
		}
		f.answer = &store.Answer{JobID: j.ID, Key: f.key, Reason: strings.Join(reasons, "; "), PersonID: a.ID, Person: a.Name, At: h.Now}
		if err := tx.SetAnswer(ctx, *f.answer); err != nil {
			return nil, err
		}
	}
	return all, holds(all, h.Words)
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
		if err := approve(ctx, d, tx, a, j, Yes{MachineID: s.MachineID}); err != nil {
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
		if j.State == job.Approved { // else it was not told yet
			if err := desk.Write(ctx, tx, a, d.Now(), j, letter.TakenBack, nil); err != nil {
				return err
			}
		}
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
		if a.ID == j.MemberID {
			return nil
		}
		return desk.Write(ctx, tx, a, d.Now(), j, letter.Withdrawn, letter.Values{"reason": reason})
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
// machine's. That is another yes, to what the job takes there; where that costs more than was said yes to, it has to be
// said that it may.
func Move(ctx context.Context, d *desk.Desk, a desk.Actor, runID, machineID int64, place int, dearer bool) error {
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
		yes := Yes{MachineID: machineID, place: &place, told: letter.Moved}
		if !dearer {
			runs, err := tx.RunsOfJob(ctx, j.ID)
			if err != nil {
				return err
			}
			yes.was = new(units.Cents)
			for i := range runs {
				*yes.was += runs[i].Of(j.ID).PriceCents
			}
		}
		if err := unsay(ctx, d, tx, a, j, job.TakeBack, ""); err != nil {
			return err
		}
		if j, err = tx.Job(ctx, j.ID); err != nil {
			return err
		}
		return approve(ctx, d, tx, a, j, yes)
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
		return desk.Write(ctx, tx, a, d.Now(), j, letter.SentBack, letter.Values{"reason": reason})
	})
}

// Advance moves a job on whose runs are off their machines: it is ready to be fetched, fetched. What comes before is done
// at the machine, by its run. Place is where it lies when it is ready, if that was said.
func Advance(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, place string) error {
	return onFloor(ctx, d, a, id, revision, func(tx *store.Tx, j store.Job) error {
		runs, err := tx.RunsOfJob(ctx, id)
		if err != nil {
			return err
		}
		next := job.Can(job.Facts{State: j.State, Check: j.TaskState, Runs: states(runs)}).Next
		switch {
		case next == "" || !job.Table.Can(j.State, next):
			return desk.Refuse("not decided yet", id, j.State)
		case next == job.Ready:
			return finishing.Ready(ctx, d, tx, a, j, place)
		case next == job.Handed:
			_, err := finishing.Fetch(ctx, d, tx, a, j)
			return err
		}
		return desk.Refuse("next at its machine", j.Title)
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
