package plates_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// A slice that counts does so for the version of the piece it was made of and for its
// machine; one that is not done cannot count; one that is over stays as it ended.
func TestSlicesCountForWhatTheyWereMadeOf(t *testing.T) {
	h := desktest.Open(t)
	job, piece := h.ToDecide()
	row := func(machine int64) floor.LadderRow {
		for _, r := range h.Job(job).Ladder {
			if r.MachineID == machine {
				return r
			}
		}
		t.Fatal(machine)
		return floor.LadderRow{}
	}
	var takes []int64
	for _, r := range h.Job(job).Ladder {
		if r.InService && r.Fits && r.Seconds > 0 {
			takes = append(takes, r.MachineID)
		}
	}
	require.Greater(t, len(takes), 1)
	id, err := plates.OrderSlice(ctx, h.Desk, h.Cato, piece, plates.SliceOrder{MachineID: takes[0]})
	require.NoError(t, err)
	var conflict *desk.Conflict
	for _, state := range []string{"queued", "running"} {
		require.ErrorAs(t, plates.ChooseSlice(ctx, h.Desk, h.Cato, id), &conflict, state)
		_, err = plates.BeginSlice(ctx, h.Desk, id)
		require.NoError(t, err)
	}
	require.NoError(t, plates.CancelSlice(ctx, h.Desk, h.Cato, id))
	require.ErrorAs(t, plates.ChooseSlice(ctx, h.Desk, h.Cato, id), &conflict, "cancelled")
	assert.ErrorIs(t, h.EndSlice(id, 99), store.ErrChanged, "its end comes too late")
	s, err := h.Store.Slice(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "cancelled", s.State)
	assert.Nil(t, s.Full)

	id = h.Sliced(piece, takes[0], 7777)
	assert.ErrorIs(t, h.EndSlice(id, 99), store.ErrChanged, "twice")
	assert.True(t, row(takes[0]).Full, "by the recipe as it is, it counts for its machine")
	assert.Equal(t, id, row(takes[0]).SliceID)
	require.NoError(t, plates.ChooseSlice(ctx, h.Desk, h.Cato, id))
	assert.True(t, row(takes[0]).Full)
	assert.InDelta(t, 7777, row(takes[0]).Seconds, 1e-6)
	assert.False(t, row(takes[1]).Full, "on another machine it says nothing")
	other := h.Sliced(piece, takes[1], 5555)
	require.NoError(t, plates.ChooseSlice(ctx, h.Desk, h.Cato, other))
	assert.True(t, row(takes[1]).Full)
	assert.InDelta(t, 7777, row(takes[0]).Seconds, 1e-6, "as does the other, for its own")
	// A repair makes another version; the slice is of the one before.
	require.NoError(t, intake.Repair(ctx, h.Desk, h.Cato, piece, 0, []string{string(repair.Weld)}))
	h.Checked(job)
	assert.False(t, row(takes[1]).Full)
	one := 1
	require.NoError(t, intake.ChangePiece(ctx, h.Desk, h.Cato, piece, intake.PieceChange{Current: &one}))
	h.Checked(job)
	assert.True(t, row(takes[1]).Full, "as it came, it counts again")
}

// The same is not sliced twice: not while it is on its way, nor when it is done and fresh; it is
// when it failed, was cancelled or is stale, or stands or is made otherwise.
func TestTheSameIsSlicedOnce(t *testing.T) {
	h := desktest.Open(t)
	_, piece := h.ToDecide()
	order := func(in plates.SliceOrder) int64 {
		in.MachineID = h.Machines[0].ID
		id, err := plates.OrderSlice(ctx, h.Desk, h.Cato, piece, in)
		require.NoError(t, err)
		return id
	}
	first := order(plates.SliceOrder{})
	assert.Equal(t, first, order(plates.SliceOrder{Stand: new(orient.Sized(1))}), "on its way")
	require.NoError(t, plates.CancelSlice(ctx, h.Desk, h.Cato, first))
	second := order(plates.SliceOrder{})
	assert.NotEqual(t, first, second, "cancelled")
	require.NoError(t, h.EndSlice(second, 4000))
	assert.Equal(t, second, order(plates.SliceOrder{}), "done")
	ids := map[int64]bool{second: true}
	mark := slicing.SupportMark{CornersMM: [][3]float64{{0, 0, 0}, {9, 0, 0}, {0, 9, 0}, {0, 0, 9}}, Why: "a test"}
	shells := []recipe.Override{{Key: "shells", Value: "4", Why: "a test"}}
	for _, in := range []plates.SliceOrder{{Stand: new(orient.Sized(0.5))}, {Stand: &orient.Stand{Turn: orient.Quat{1, 1}}}, {Stand: &orient.Stand{Turn: orient.AsItCame, Mirror: true}}, {Overrides: shells}, {SupportMarks: []slicing.SupportMark{mark}}} {
		id := order(in)
		assert.False(t, ids[id])
		ids[id] = true
		shells[0].Why, mark.Why = "for another reason", "because"
		assert.Equal(t, id, order(in), "whatever the reason")
	}
	for _, why := range []string{"", " \t"} {
		mark.Why = why
		_, err := plates.OrderSlice(ctx, h.Desk, h.Cato, piece, plates.SliceOrder{MachineID: h.Machines[0].ID, SupportMarks: []slicing.SupportMark{mark}})
		assert.Error(t, err, "a mark without a reason")
	}
	m := house.MachineView(h.Machines[0])
	m.Data.NozzlesMM[0] = 0.41
	require.NoError(t, house.SetMachine(ctx, h.Desk, h.Cato, m))
	assert.False(t, ids[order(plates.SliceOrder{})], "stale")
}

// What is proposed is ordered while it is not sliced: once, not again when it is, nor for a job that
// is stopped or decided.
func TestWhatIsProposedIsOrdered(t *testing.T) {
	h := desktest.Open(t)
	job, _ := h.ToDecide()
	propose := func() (n int) {
		require.NoError(t, plates.ProposeAll(ctx, h.Desk))
		all, err := h.Store.Slices(ctx, job)
		require.NoError(t, err)
		return len(all)
	}
	assert.Equal(t, 1, propose())
	assert.Equal(t, 1, propose(), "it is on its way")
	all, err := h.Store.Slices(ctx, job)
	require.NoError(t, err)
	require.NoError(t, h.EndSlice(all[0].ID, 60)) // so soon done that it stays the proposal
	assert.Equal(t, 1, propose(), "it is done")
	require.NoError(t, h.Store.SetState(ctx, job, "sent back", "It leans."))
	assert.Equal(t, 1, propose(), "nobody wants it")
}

// All plates of a slice are kept, and every copy lies on one.
func TestAllPlatesOfASliceAreKept(t *testing.T) {
	h := desktest.Open(t)
	_, piece := h.ToDecide()
	id, err := plates.OrderSlice(ctx, h.Desk, h.Cato, piece, plates.SliceOrder{MachineID: h.EmptyLane()})
	require.NoError(t, err)
	require.NoError(t, h.EndOn(id, 60, 3))
	all, err := h.Store.Plates(ctx, id)
	require.NoError(t, err)
	require.Len(t, all, 3)
	for n, p := range all {
		assert.Equal(t, n+1, p.N)
		assert.Equal(t, id, p.SliceID)
	}
}
