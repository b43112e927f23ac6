package desk_test

import (
	"context"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/job"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// home is the desk's own, with what is done at a time in it.
type home struct{ *desktest.House }

func open(t *testing.T) *home {
	t.Helper()
	return &home{desktest.Open(t)}
}

var everyStep = append(slices.Clone(job.Shelves), "fetched", "sent back", "withdrawn")

// What is sent back, changed or checked anew takes its old work from the queue.
func TestWorkThatNobodyWaitsForIsCancelled(t *testing.T) {
	h := open(t)
	two := 2
	for name, do := range map[string]func(job, piece int64) error{
		"send back": func(job, _ int64) error { return decide.SendBack(ctx, h.Desk, h.Cato, job, 0, "It leans.") },
		"withdraw":  func(job, _ int64) error { return decide.Withdraw(ctx, h.Desk, h.Owner, job, 0, "") },
		"copies": func(_, piece int64) error {
			return intake.ChangePiece(ctx, h.Desk, h.Cato, piece, intake.PieceChange{Copies: &two})
		},
		"retry":  func(job, _ int64) error { return intake.Retry(ctx, h.Desk, h.Cato, job) },
		"cancel": func(job, _ int64) error { return intake.CancelCheck(ctx, h.Desk, h.Cato, job) },
	} {
		job, piece := h.Arrived()
		task, err := h.Store.TaskOf(ctx, job)
		require.NoError(t, err)
		require.NotZero(t, task.QueueID)
		h.Queue.Cancelled = nil
		require.NoError(t, do(job, piece), name)
		assert.Equal(t, []int64{task.QueueID}, h.Queue.Cancelled, name)
		// And what is over is left alone.
		job, piece = h.ToDecide()
		h.Queue.Cancelled = nil
		_ = do(job, piece)
		assert.Empty(t, h.Queue.Cancelled, name)
	}
}

// A member's hands reach no other member's job: it is as if there were none.
func TestMembersTouchTheirOwnOnly(t *testing.T) {
	h := open(t)
	job, piece := h.ToDecide()
	id := h.Sliced(piece, h.Machines[0].ID, 100)
	stranger := desk.Actor{ID: h.Owner.ID + 1, Name: "Somebody", Role: desk.Member}
	two := 2
	for name, err := range map[string]error{
		"copies":   intake.ChangePiece(ctx, h.Desk, stranger, piece, intake.PieceChange{Copies: &two}),
		"repair":   intake.Repair(ctx, h.Desk, stranger, piece, 0, []string{string(repair.Weld)}),
		"retry":    intake.Retry(ctx, h.Desk, stranger, job),
		"cancel":   intake.CancelCheck(ctx, h.Desk, stranger, job),
		"choose":   plates.ChooseSlice(ctx, h.Desk, stranger, id),
		"withdraw": decide.Withdraw(ctx, h.Desk, stranger, job, 0, ""),
		"program":  func() error { _, err := plates.Program(ctx, h.Desk, stranger, id, 1); return err }(),
		"order": func() error {
			_, err := plates.OrderSlice(ctx, h.Desk, stranger, piece, plates.SliceOrder{MachineID: h.Machines[0].ID})
			return err
		}(),
		"look": func() error { _, err := decide.Job(ctx, h.Desk, stranger, job); return err }(),
	} {
		assert.ErrorIs(t, err, store.ErrNotFound, name)
	}
	shelf, err := decide.Shelf(ctx, h.Desk, stranger)
	require.NoError(t, err)
	assert.Empty(t, shelf.Slips)
	shelf, err = decide.Shelf(ctx, h.Desk, h.Owner)
	require.NoError(t, err)
	require.Len(t, shelf.Slips, 1)
	assert.Nil(t, shelf.Next, "what is next is the desk's")
}

// What is told of a job is of a kind, with its fields; every line of its history can be read so.
func TestWhatIsToldCanBeRead(t *testing.T) {
	h := open(t)
	job, _ := h.At("pick-up")
	lines, err := h.Store.History(ctx, job)
	require.NoError(t, err)
	var kinds []string
	for _, l := range lines {
		e, err := event.Read(l.Name, l.Data)
		require.NoError(t, err)
		assert.Equal(t, event.Phrase(e).Code, l.Says.Code)
		kinds = append(kinds, l.Name)
	}
	assert.Equal(t, []string{"handed in", "checked", "slice ordered", "approved up to", "slice done", "approved", "run ready", "started", "run lays", "run seen", "run ended", "came off", "ready to be fetched"}, kinds)
	e, err := event.Read(lines[4].Name, lines[4].Data)
	require.NoError(t, err)
	assert.Equal(t, event.SliceDone{OfSlice: event.OfSlice{Slice: 1, Of: "box.stl"}}, e)
}

// A secret is one of its name, for every server of the house and every time it is asked for.
func TestSecretsAreOfTheirNames(t *testing.T) {
	h := open(t)
	one, err := h.Desk.Secret(ctx, "one")
	require.NoError(t, err)
	other, err := h.Desk.Secret(ctx, "other")
	require.NoError(t, err)
	again, err := h.Desk.Secret(ctx, "one")
	require.NoError(t, err)
	assert.Equal(t, one, again)
	assert.NotEqual(t, one, other)
	assert.GreaterOrEqual(t, len(one), 16)
}

func TestWhatIsSaidHasATextOfTheHouse(t *testing.T) { desktest.Codes(t) }
