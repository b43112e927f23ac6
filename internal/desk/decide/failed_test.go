package decide_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shop/job"
	"jobshelf/core/shop/run"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/floor"
)

// A run that failed is kept with its reason; its successor comes before all that is planned on
// the machine, costs the same, and can be started, fail and end like any other.
func TestAFailedRunHasASuccessor(t *testing.T) {
	h := desktest.Open(t)
	first, _ := h.At(job.InProduction)
	was := h.Job(first)
	second, _ := h.At(job.ToDecide)
	h.Approved(second, was.Runs[0].MachineID)
	for n := range 2 {
		require.Error(t, demo.Fails(ctx, h.Desk, h.Cato, first, "  "), "no reason")
		require.NoError(t, demo.Fails(ctx, h.Desk, h.Cato, first, "It came off the bed."))
		v := h.Job(first)
		assert.Equal(t, job.Approved, v.State)
		assert.Equal(t, run.Planned, v.Runs[0].State)
		assert.NotEqual(t, was.Runs[0].ID, v.Runs[0].ID)
		assert.Equal(t, was.Runs[0].Price, v.Runs[0].Price)
		assert.Equal(t, "It came off the bed.", v.History[len(v.History)-1].Why)
		require.Error(t, demo.Fails(ctx, h.Desk, h.Cato, first, "again"), "nothing of it is on a machine")
		old, err := h.Store.Run(ctx, was.Runs[0].ID)
		require.NoError(t, err)
		assert.Equal(t, run.Failed+" It came off the bed.", old.State+" "+old.Reason)
		now, err := h.Store.Run(ctx, v.Runs[0].ID)
		require.NoError(t, err)
		assert.Equal(t, was.Runs[0].ID, *now.AfterID)
		f, err := floor.Floor(ctx, h.Desk)
		require.NoError(t, err)
		for _, l := range f.Lanes {
			if l.MachineID == v.Runs[0].MachineID {
				require.Len(t, l.Runs, 2)
				assert.Equal(t, []int64{first, second}, []int64{l.Runs[0].JobID, l.Runs[1].JobID}, "time %d", n)
			}
		}
		require.NoError(t, demo.ByHand(ctx, h.Desk, h.Cato, first))
		was = h.Job(first)
	}
	require.NoError(t, demo.ByHand(ctx, h.Desk, h.Cato, first))
	assert.Equal(t, job.Finishing, h.Job(first).State)
	// An older program knows one run of a job, and keeps what people wrote.
	require.NoError(t, h.Store.MigrateDownTo(ctx, 7))
	var runs, told int
	require.NoError(t, h.Store.Pool.QueryRow(ctx, `SELECT (SELECT count(*) FROM run WHERE job_id = $1 AND state = 'finished'), (SELECT count(*) FROM history WHERE why = 'It came off the bed.')`, first).Scan(&runs, &told))
	assert.Equal(t, [2]int{1, 2}, [2]int{runs, told})
	require.NoError(t, h.Store.Migrate(ctx))
	v := h.Job(first)
	assert.Equal(t, job.Finishing+" "+run.Off, v.State+" "+v.Runs[0].State)
}
