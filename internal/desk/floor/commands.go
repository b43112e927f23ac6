// Package floor is the machines against time: lanes of runs, what of a job each machine would
// make of it (the machine ladder), and moving a run.
package floor

import (
	"context"

	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/event"
	states "jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// MoveRun puts a planned run at a place (counted from 0 among the planned ones) of its own
// machine's lane. What is approved for one machine goes on another by another yes.
func MoveRun(ctx context.Context, d *desk.Desk, a desk.Actor, runID int64, place int) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		run, err := tx.Run(ctx, runID)
		if err != nil {
			return err
		}
		if !states.Movable(run.State) {
			return desk.Refuse("run stays", run.Title(), run.State)
		}
		if err := putAt(ctx, tx, run.MachineID, []int64{runID}, place); err != nil {
			return err
		}
		if err := desk.LanesChanged(ctx, d, tx); err != nil {
			return err
		}
		return TouchAll(ctx, tx, &run, a, event.MovedInItsLane{}, problem.Phrase{})
	})
}
