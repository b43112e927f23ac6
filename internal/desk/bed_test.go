package desk_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/slicing"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/plates"
)

// Ten runs wear the bed where they lay, for as long as each lay there, what failed for as long as it
// printed; the map turns with the bed and begins anew with a new one; slices are told of it.
func TestTenRunsWearABed(t *testing.T) {
	h := open(t)
	now := h.Desk.Now()
	h.Desk.Now = func() time.Time { return now }
	machine := h.EmptyLane()
	bed := func() floor.BedView {
		b, err := floor.Bed(ctx, h.Desk, machine)
		require.NoError(t, err)
		return b
	}
	cellHours := func() (sum float64) {
		for _, hours := range bed().Hours {
			sum += hours
		}
		return sum
	}
	assert.Zero(t, cellHours())
	assert.Zero(t, bed().Revision)
	want := 0.0
	for n := range 10 {
		job, _ := h.ToDecide()
		h.Approved(job, machine)
		// It lies on four whole cells, another place each time.
		x := 20 * float64(1+n%5)
		spot := slicing.Spot{Copy: 1, XMM: x, YMM: 20 * float64(1+n/5), OutlineMM: [][2]float64{{-10, -10}, {10, -10}, {10, 10}, {-10, 10}}}
		if v := bed(); v.MinMM[0] < 0 {
			spot.XMM, spot.YMM = spot.XMM-60, spot.YMM-60
		}
		_, err := h.Store.Pool.Exec(ctx, `UPDATE plate SET spots = $1 WHERE id IN (SELECT plate_id FROM share WHERE job_id = $2)`, []slicing.Spot{spot}, job)
		require.NoError(t, err)
		runs, err := h.Store.RunsOfJob(ctx, job)
		require.NoError(t, err)
		_, err = h.Store.Pool.Exec(ctx, `UPDATE run SET seconds = 7200 WHERE id IN (SELECT run_id FROM share WHERE job_id = $1)`, job)
		require.NoError(t, err)
		require.NoError(t, demo.ByHand(ctx, h.Desk, h.Cato, job))
		assert.InDelta(t, want, cellHours(), 1e-6, "until it is off nobody knows")
		if n == 3 { // it fails halfway, and its successor comes off
			now = now.Add(time.Hour)
			require.NoError(t, demo.Fails(ctx, h.Desk, h.Cato, job, "It came off."))
			want += 4 * 1
			assert.InDelta(t, want, cellHours(), 1e-6)
			require.NoError(t, demo.ByHand(ctx, h.Desk, h.Cato, job))
		}
		now = now.Add(3 * time.Hour) // somebody comes late: it lay no longer than it takes
		require.NoError(t, demo.ByHand(ctx, h.Desk, h.Cato, job))
		want += 4 * 2
		assert.InDelta(t, want, cellHours(), 1e-6, "run %d of %d", n, len(runs))
	}
	v := bed()
	assert.Equal(t, 11, v.Runs)
	_, piece := h.ToDecide()
	id, err := plates.OrderSlice(ctx, h.Desk, h.Cato, piece, plates.SliceOrder{MachineID: machine})
	require.NoError(t, err)
	in, err := plates.InputOf(ctx, h.Desk, id)
	require.NoError(t, err)
	assert.InDelta(t, want*3600, total(in.Wear.Seconds), 1e-3)

	require.NoError(t, floor.TurnBed(ctx, h.Desk, h.Cato, machine, v.Revision, 2))
	turned := bed()
	for k := range v.Hours {
		assert.InDelta(t, v.Hours[k], turned.Hours[len(v.Hours)-1-k], 1e-9)
	}
	for _, err := range []error{
		floor.TurnBed(ctx, h.Desk, h.Cato, machine, v.Revision, 2), floor.RenewBed(ctx, h.Desk, h.Cato, machine, v.Revision),
		floor.TurnBed(ctx, h.Desk, h.Cato, machine, turned.Revision, 4), floor.RenewBed(ctx, h.Desk, h.Cato, 999, 0),
	} {
		assert.Error(t, err)
	}
	assert.Equal(t, turned, bed(), "what is refused leaves it as it is")
	require.NoError(t, floor.RenewBed(ctx, h.Desk, h.Cato, machine, turned.Revision))
	assert.Zero(t, cellHours())
	assert.Zero(t, bed().Runs)
	assert.Equal(t, now.UTC(), bed().Since.UTC())
}

func total(of []float64) (sum float64) {
	for _, v := range of {
		sum += v
	}
	return sum
}
