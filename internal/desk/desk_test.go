package desk_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/mesh/repair"
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

var everyStep = append(slices.Clone(decide.Steps), "fetched", "sent back")

// A command that was decided on by an older look at a job changes nothing and says so,
// whichever it is; with the present version it goes through.
func TestStaleCommandsAreRefused(t *testing.T) {
	h := open(t)
	three, one := 3, 1
	for name, c := range map[string]struct {
		step string
		do   func(job, piece int64, version int) error
	}{
		"approve":   {"to decide", func(job, _ int64, v int) error { return decide.Approve(ctx, h.Desk, h.Cato, job, v, 0) }},
		"send back": {"to decide", func(job, _ int64, v int) error { return decide.SendBack(ctx, h.Desk, h.Cato, job, v, "It leans.") }},
		"start":     {"approved", func(job, _ int64, v int) error { return decide.Advance(ctx, h.Desk, h.Cato, job, v) }},
		"copies": {"to decide", func(_, piece int64, v int) error {
			return intake.ChangePiece(ctx, h.Desk, h.Owner, piece, intake.PieceChange{Version: v, Copies: &three})
		}},
		"one more": {"arrived", func(_, piece int64, v int) error {
			return intake.ChangePiece(ctx, h.Desk, h.Cato, piece, intake.PieceChange{Version: v, Copies: &three, Current: &one})
		}},
		"repair": {"to decide", func(_, piece int64, v int) error {
			return intake.Repair(ctx, h.Desk, h.Cato, piece, v, []string{string(repair.Weld)})
		}},
	} {
		job, piece := h.At(c.step)
		before := h.Job(job)
		for _, stale := range []int{before.Version - 1, before.Version + 1, 999} {
			if stale < 1 {
				continue
			}
			var conflict *desk.Conflict
			err := c.do(job, piece, stale)
			require.ErrorAs(t, err, &conflict, "%s at version %d of %d", name, stale, before.Version)
			assert.Contains(t, conflict.Text, "changed by somebody else")
			require.Equal(t, before, h.Job(job), name)
		}
		require.NoError(t, c.do(job, piece, before.Version), name)
		after := h.Job(job)
		assert.Greater(t, after.Version, before.Version, name)
		assert.Greater(t, len(after.History), len(before.History), name)
		if after.Run != nil && after.Step == "on the floor" { // room for the next
			require.NoError(t, decide.Advance(ctx, h.Desk, h.Cato, job, 0))
		} else if after.Run != nil {
			require.NoError(t, decide.Advance(ctx, h.Desk, h.Cato, job, 0))
			require.NoError(t, decide.Advance(ctx, h.Desk, h.Cato, job, 0))
		}
	}
}

// What a job's step settles stays settled: of each command and each step it is said
// whether it goes, and what does not go changes nothing.
func TestWhatGoesAtWhichStep(t *testing.T) {
	h := open(t)
	two := 2
	commands := map[string]struct {
		goes string
		do   func(job, piece int64) error
	}{
		"approve":   {"to decide", func(job, _ int64) error { return decide.Approve(ctx, h.Desk, h.Cato, job, 0, 0) }},
		"send back": {"arrived, to decide", func(job, _ int64) error { return decide.SendBack(ctx, h.Desk, h.Cato, job, 0, "It leans.") }},
		"advance":   {"approved, on the floor, finishing, pick-up", func(job, _ int64) error { return decide.Advance(ctx, h.Desk, h.Cato, job, 0) }},
		"copies": {"arrived, to decide", func(_, piece int64) error {
			return intake.ChangePiece(ctx, h.Desk, h.Cato, piece, intake.PieceChange{Copies: &two})
		}},
		"repair": {"to decide", func(_, piece int64) error {
			return intake.Repair(ctx, h.Desk, h.Cato, piece, 0, []string{string(repair.Weld)})
		}},
		"retry":  {"arrived, to decide", func(job, _ int64) error { return intake.Retry(ctx, h.Desk, h.Cato, job) }},
		"cancel": {"arrived", func(job, _ int64) error { return intake.CancelCheck(ctx, h.Desk, h.Cato, job) }},
	}
	for _, step := range everyStep {
		for name, c := range commands {
			job, piece := h.At(step)
			before := h.Job(job)
			err := c.do(job, piece)
			if slices.Contains(strings.Split(c.goes, ", "), step) {
				assert.NoError(t, err, "%s of a job that is %s", name, step)
			} else {
				var conflict *desk.Conflict
				if assert.ErrorAs(t, err, &conflict, "%s of a job that is %s", name, step) && strings.HasPrefix(conflict.Text, "Job ") {
					assert.Contains(t, conflict.Text, fmt.Sprintf("Job %d is %s", job, step))
				}
				assert.Equal(t, before, h.Job(job), "%s of a job that is %s", name, step)
			}
			for h.Job(job).Run != nil && h.Job(job).Run.State != "finished" { // room for the next
				require.NoError(t, decide.Advance(ctx, h.Desk, h.Cato, job, 0))
			}
		}
	}
}

// What is sent back, changed or checked anew takes its old work from the queue.
func TestWorkThatNobodyWaitsForIsCancelled(t *testing.T) {
	h := open(t)
	two := 2
	for name, do := range map[string]func(job, piece int64) error{
		"send back": func(job, _ int64) error { return decide.SendBack(ctx, h.Desk, h.Cato, job, 0, "It leans.") },
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
		"copies": intake.ChangePiece(ctx, h.Desk, stranger, piece, intake.PieceChange{Copies: &two}),
		"repair": intake.Repair(ctx, h.Desk, stranger, piece, 0, []string{string(repair.Weld)}),
		"retry":  intake.Retry(ctx, h.Desk, stranger, job),
		"cancel": intake.CancelCheck(ctx, h.Desk, stranger, job),
		"choose": plates.ChooseSlice(ctx, h.Desk, stranger, id),
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
