package decide_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/units"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/desk/runs"
)

// prints brings what waits first on a machine to its end there.
func (b *board) prints(t *testing.T) int64 {
	t.Helper()
	r := b.waits()[0]
	points, err := runs.Points(ctx, b.Desk, r.ID)
	require.NoError(t, err)
	require.NoError(t, runs.Check(ctx, b.Desk, b.Cato, r.ID, points))
	require.NoError(t, runs.Start(ctx, b.Desk, b.Cato, r.ID))
	require.NoError(t, runs.Tell(ctx, b.Desk, b.Cato, r.ID, run.Lays))
	require.NoError(t, runs.See(ctx, b.Desk, b.Cato, r.ID))
	require.NoError(t, runs.Tell(ctx, b.Desk, b.Cato, r.ID, run.Ends))
	return r.ID
}

// Of a plate of two jobs the copies that came out bad are made again, each job's own, first in the lane and for nothing;
// of those again what was bad; whose were all good is done. All bad is the same plate once more, at its price.
func TestBadCopiesAreMadeAgain(t *testing.T) {
	h := desktest.Open(t)
	b := &board{House: h, t: t, price: map[int64]units.Cents{}}
	on := h.Machines[0].ID
	for n := range 3 {
		b.add([]desk.Actor{h.Owner, h.Other}[n%2], 3)
		require.NoError(t, b.yes(n, on, 1))
	}
	lane := b.waits()
	require.NoError(t, plates.PutTogether(ctx, h.Desk, h.Cato, lane[0].ID, lane[1].ID))
	b.end(true)
	first := b.prints(t)
	was, err := h.Store.Run(ctx, first)
	require.NoError(t, err)
	lies := b.on(*was.PlateID)
	require.Len(t, lies, 6)

	require.Error(t, runs.TakeOff(ctx, h.Desk, h.Cato, first, []int{1}, " "), "no reason")
	require.Error(t, runs.TakeOff(ctx, h.Desk, h.Cato, first, []int{6}, "It warped."), "no such copy")
	require.NoError(t, runs.TakeOff(ctx, h.Desk, h.Cato, first, []int{4, 1, 1, 2}, "They warped."))
	require.NoError(t, runs.Clear(ctx, h.Desk, h.Cato, on))
	again := b.waits()[0]
	assert.Equal(t, first, *again.AfterID)
	assert.Nil(t, again.GCodeID, "it is to be sliced")
	require.Len(t, again.Shares, 2)
	for _, s := range again.Shares {
		assert.Zero(t, s.PriceCents)
	}
	require.ErrorContains(t, runs.Check(ctx, h.Desk, h.Cato, again.ID, []string{"bed", "nozzle 1"}), "has no program yet")
	b.end(true)
	again = b.waits()[0]
	require.NotNil(t, again.PlateID)
	assert.ElementsMatch(t, []copied{lies[1], lies[2], lies[4]}, b.on(*again.PlateID))
	for k, want := range []string{job.InProduction, job.InProduction, job.Approved} {
		v := h.Job(b.jobs[k])
		assert.Equal(t, want, v.State)
		assert.Equal(t, b.price[b.jobs[k]], v.Price, "what is made again costs nothing")
	}
	require.Error(t, plates.PutTogether(ctx, h.Desk, h.Cato, again.ID, lane[2].ID), "some copies of a plate are no plate of a job")
	require.Error(t, plates.TakeOut(ctx, h.Desk, h.Cato, again.ID, b.jobs[1]))

	// Again one of the three is bad: the other job is done.
	second := b.prints(t)
	require.Equal(t, again.ID, second)
	lies = b.on(*again.PlateID)
	bad := 0
	for k, c := range lies {
		if c.piece == b.pieces[1] {
			bad = k
		}
	}
	require.NoError(t, runs.TakeOff(ctx, h.Desk, h.Cato, second, []int{bad}, "It warped again."))
	require.NoError(t, runs.Clear(ctx, h.Desk, h.Cato, on))
	b.end(true)
	third := b.waits()[0]
	assert.Equal(t, []copied{lies[bad]}, b.on(*third.PlateID))
	require.Len(t, third.Shares, 1)
	assert.Equal(t, job.Finishing, h.Job(b.jobs[0]).State)
	assert.Equal(t, job.InProduction, h.Job(b.jobs[1]).State)

	// All of it is bad: the same plate once more.
	require.Equal(t, third.ID, b.prints(t))
	require.NoError(t, runs.TakeOff(ctx, h.Desk, h.Cato, third.ID, []int{0}, "Once more."))
	require.NoError(t, runs.Clear(ctx, h.Desk, h.Cato, on))
	fourth := b.waits()[0]
	assert.Equal(t, third.PlateID, fourth.PlateID)
	require.Equal(t, fourth.ID, b.prints(t))
	require.NoError(t, runs.TakeOff(ctx, h.Desk, h.Cato, fourth.ID, nil, ""))
	assert.Equal(t, job.Finishing, h.Job(b.jobs[1]).State)
	require.NoError(t, runs.PutBack(ctx, h.Desk, h.Cato, fourth.ID))
	assert.Equal(t, job.InProduction, h.Job(b.jobs[1]).State)
	require.NoError(t, runs.TakeOff(ctx, h.Desk, h.Cato, fourth.ID, nil, ""))
	require.NoError(t, runs.Clear(ctx, h.Desk, h.Cato, on))
	require.Error(t, runs.PutBack(ctx, h.Desk, h.Cato, fourth.ID), "the bed is clear")
	assert.Equal(t, b.price[b.jobs[1]], h.Job(b.jobs[1]).Price)
}
