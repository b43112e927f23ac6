package house_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// What is handed in is kept as it was given, with its place in the queue; a second nozzle is
// loaded with what the house has.
func TestWhatIsGivenIsKept(t *testing.T) {
	h := desktest.Open(t)
	id, _ := h.Arrived()
	j, err := h.Store.Job(ctx, id)
	require.NoError(t, err)
	require.NotNil(t, j.NeededBy)
	assert.Equal(t, "2026-12-01", j.NeededBy.Format(time.DateOnly))
	task, err := h.Store.TaskOf(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, h.Queue.Last, task.QueueID)
	m := house.MachineView(h.Machines[0])
	m.Data.NozzlesMM, m.Data.Second.Material = []float64{0.4, 0.4}, "Nonesuch"
	require.ErrorContains(t, house.SetMachine(ctx, h.Desk, h.Owner, m), "Nonesuch")
	m.Data.Second.Material = m.Data.Material
	require.NoError(t, house.SetMachine(ctx, h.Desk, h.Owner, m))
}
