package demo

import (
	"context"
	"fmt"

	"jobshelf/core/shop/finish"
	"jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/finishing"
	"jobshelf/internal/desk/runs"
)

// ByHand moves an approved job on by one step, as somebody does who stands at a machine without a line: its next run is
// started and its first layers are seen; it comes off, all of it good, and the bed is clear; its finishing steps are
// done; it is ready; it is fetched.
func ByHand(ctx context.Context, d *desk.Desk, who desk.Actor, job int64) error {
	all, err := d.Store.RunsOfJob(ctx, job)
	if err != nil {
		return err
	}
	if len(all) == 0 || all[0].State == run.Off {
		steps, err := d.Store.Steps(ctx, job)
		if err != nil {
			return err
		}
		for _, s := range steps {
			if s.State != finish.Done {
				return finishing.Tell(ctx, d, who, []int64{s.ID}, finish.Ends, fmt.Sprintf("bin %c%d", 'A'+job%4, 1+job%6))
			}
		}
		return decide.Advance(ctx, d, who, job, 0, "")
	}
	r := &all[0]
	var steps []func() error
	if run.Begun(r.State) {
		steps = append(steps,
			func() error { return runs.Tell(ctx, d, who, r.ID, run.Ends) },
			func() error { return runs.TakeOff(ctx, d, who, r.ID, nil, "") },
			func() error { return runs.Clear(ctx, d, who, r.MachineID) })
	} else {
		steps = append(steps,
			func() error {
				points, err := runs.Points(ctx, d, r.ID)
				if err != nil {
					return err
				}
				return runs.Check(ctx, d, who, r.ID, points)
			},
			func() error { return runs.Start(ctx, d, who, r.ID) },
			func() error { return runs.Tell(ctx, d, who, r.ID, run.Lays) },
			func() error { return runs.See(ctx, d, who, r.ID) })
	}
	for _, do := range steps {
		if err := do(); err != nil {
			return err
		}
	}
	return nil
}

// Fails says that what a job has on a machine did not come out, and that the bed is clear again.
func Fails(ctx context.Context, d *desk.Desk, who desk.Actor, job int64, why string) error {
	all, err := d.Store.RunsOfJob(ctx, job)
	if err != nil {
		return err
	}
	if len(all) == 0 {
		return desk.ErrNotFound
	}
	if err := runs.Fail(ctx, d, who, all[0].ID, why); err != nil {
		return err
	}
	return runs.Clear(ctx, d, who, all[0].MachineID)
}
