package work

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/orient"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/revision"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/store"
)

// TryArgs names the job whose pieces are tried in other orientations on the machines.
type TryArgs struct {
	Job int64 `json:"job" river:"unique"`
}

// Kind is the queue's name for it.
func (TryArgs) Kind() string { return "try" }

// Try queues it, unless it waits already.
func (q *Queue) Try(ctx context.Context, tx *store.Tx, job int64) error {
	_, err := q.client.InsertTx(ctx, tx.Raw(), TryArgs{job}, &river.InsertOpts{MaxAttempts: MaxTries, Queue: Bench, Priority: 2,
		UniqueOpts: river.UniqueOpts{ByArgs: true, ByState: []rivertype.JobState{rivertype.JobStateAvailable, rivertype.JobStatePending, rivertype.JobStateRetryable, rivertype.JobStateRunning, rivertype.JobStateScheduled}}})
	if err != nil {
		return fmt.Errorf("queue the orientations: %w", err)
	}
	return nil
}

// tryWorker tries models in orientations on machines. What comes out is kept by all that goes into
// it, so that it is worked out once; without it a ladder has fewer rows.
type tryWorker struct {
	soon[TryArgs]
	of *sliceWorker
}

// tryRounds is how often it looks whether something has come to be tried meanwhile.
const tryRounds = 3

func (w *tryWorker) Work(ctx context.Context, job *river.Job[TryArgs]) error {
	ctx = par.With(ctx, w.of.cores)
	leave := w.of.gate.enter(job.Attempt <= 1)
	defer leave()
	for range tryRounds {
		more, err := w.round(ctx, job.Args.Job)
		if err != nil || !more {
			return over(ctx, err)
		}
	}
	return nil
}

// round tries what is missing; false where nothing is.
func (w *tryWorker) round(ctx context.Context, id int64) (bool, error) {
	j, pieces, today, others, err := plates.TryingOf(ctx, w.of.store.Q, id)
	if err != nil {
		return false, err
	}
	open := slices.DeleteFunc(slices.Clone(others), func(o floor.Turned) bool { return len(o.Missing(today)) == 0 })
	done := len(others) - len(open)
	for i := range pieces {
		var of []floor.Turned
		for _, o := range open {
			if o.Piece == i {
				of = append(of, o)
			}
		}
		if len(of) == 0 {
			continue
		}
		err := w.piece(ctx, &pieces[i], today, of, func() error {
			done++
			return w.of.store.Notify(ctx, store.Signal{Kind: store.OfTried, Job: id, Owner: j.MemberID, Fraction: float64(done) / float64(len(others))})
		})
		if err != nil {
			return false, err
		}
	}
	return len(open) > 0, nil
}

// piece tries one in orientations; tell is told after each.
func (w *tryWorker) piece(ctx context.Context, p *store.Piece, today *floor.Today, of []floor.Turned, tell func() error) error {
	release, err := w.of.memory.take(ctx, baseBytes+triangleBytes*int64(p.Verdict.Triangles), func(problem.Phrase) error { return nil })
	if errors.Is(err, errTooLarge) {
		return later(w.after)
	}
	if err != nil {
		return err
	}
	defer release()
	m, mm, err := w.of.model(ctx, *p, revision.Piece{Version: p.Current, Unit: p.Unit})
	if err != nil {
		return err
	}
	if mm != 1 {
		m = m.Transformed(mm, mesh.Vec3{})
	}
	model, turns := p.Model(), make([]orient.Quat, len(of))
	for k := range of {
		turns[k] = of[k].Turn
	}
	which := func(k int) []verdict.Choice { return of[k].Missing(today) }
	return verdict.TrialOf(m, p.Stands()).Each(ctx, turns, p.Nozzle, which, func(k int, rows []verdict.MachineVerdict) error {
		kept := map[string]verdict.MachineVerdict{}
		for i, c := range which(k) {
			today.SetPrice(&rows[i])
			kept[today.Sum(model, turns[k], c.ID)] = rows[i]
		}
		if err := w.of.store.AddTried(ctx, kept); err != nil {
			return err
		}
		return tell()
	})
}
