// Package floor is the machines against time: lanes of runs, what of a job each machine would
// make of it (the machine ladder), and moving a run.
package floor

import (
	"context"
	"slices"

	"jobshelf/core/shape/problem"
	states "jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// MoveRun puts a queued run at a place (counted from 0 among the queued ones) of
// a machine's lane. On another machine it takes that machine's time and price.
func MoveRun(ctx context.Context, d *desk.Desk, a desk.Actor, runID, machineID int64, place int) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		run, err := tx.Run(ctx, runID)
		if err != nil {
			return err
		}
		if !states.Movable(run.State) {
			return desk.Refuse("run stays", run.JobTitle, run.State)
		}
		j, err := tx.LockJob(ctx, run.JobID)
		if err != nil {
			return err
		}
		h, err := Look(ctx, tx.Q, d.Now(), run.JobID)
		if err != nil {
			return err
		}
		what := problem.Say("moved in its lane")
		if machineID != run.MachineID {
			pieces, err := tx.Pieces(ctx, run.JobID)
			if err != nil {
				return err
			}
			row, err := h.Choose(pieces, machineID)
			if err != nil {
				return err
			}
			row.Onto(&run)
			what = problem.Say("moved to", row.Name)
		}
		lane := slices.DeleteFunc(slices.Clone(h.Lanes[machineID]), func(r store.Run) bool { return r.ID == runID })
		started := 0
		for started < len(lane) && !states.Movable(lane[started].State) {
			started++
		}
		lane = slices.Insert(lane, min(started+max(place, 0), len(lane)), run)
		for i, r := range lane {
			r.Position = i + 1
			if err := tx.PlaceRun(ctx, r); err != nil {
				return err
			}
		}
		if err := tx.Notify(ctx, store.Event{Kind: "lane"}); err != nil {
			return err
		}
		return desk.Touched(ctx, tx, j, a, what, problem.Phrase{})
	})
}
