package floor_test

import (
	"bytes"
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// A ladder's finish is its earliest start and what the run takes, to the second.
func TestFinishIsStartAndDuration(t *testing.T) {
	h := desktest.Open(t)
	job, _ := h.ToDecide()
	n, proposed := 0, 0
	var first time.Time
	for _, r := range h.Job(job).Ladder {
		if r.Start == nil {
			continue
		}
		n++
		took := r.Finish.Sub(*r.Start).Seconds()
		assert.GreaterOrEqual(t, took, r.Seconds)
		assert.Less(t, took, r.Seconds+1)
		if first.IsZero() || r.Finish.Before(first) {
			first = *r.Finish
		}
		if r.Proposed {
			proposed++
			assert.Greater(t, r.WarmUp, 0.0)
		}
	}
	assert.Greater(t, n, 1)
	assert.Equal(t, 1, proposed)
	for _, r := range h.Job(job).Ladder {
		if r.Proposed {
			assert.Equal(t, first, *r.Finish, "the machine on which it would be finished first")
		}
	}
}

// The ladder is of all pieces of a job, each as often as it is wanted, in the order of the
// house's machines.
func TestTheLadderIsOfAllPieces(t *testing.T) {
	h := desktest.Open(t)
	tall, err := verdict.Judge(ctx, verdict.Subject{Mesh: solid.Box(20, 20, 300), Unit: units.Millimetre, Format: modelfile.STLBinary}, demo.Choices(recipe.Everyday), nil)
	require.NoError(t, err)
	var pieces []intake.HandInPiece
	for _, copies := range []int{2, 3} {
		id, _, err := intake.Upload(ctx, h.Desk, h.Owner, "a.stl", bytes.NewReader([]byte{byte(copies)}))
		require.NoError(t, err)
		pieces = append(pieces, intake.HandInPiece{UploadID: id, Copies: copies})
	}
	job, err := intake.NewJob(ctx, h.Desk, h.Owner, intake.HandIn{Purpose: recipe.Everyday, Pieces: pieces})
	require.NoError(t, err)
	rows, err := h.Store.Pieces(ctx, job)
	require.NoError(t, err)
	checked := []intake.Checked{{Piece: rows[0], Judgement: store.Judgement{Verdict: h.Found}}, {Piece: rows[1], Judgement: store.Judgement{Verdict: tall}}}
	_, err = intake.RecordCheck(ctx, h.Desk, job, 1, checked, func(*store.Tx) error { return nil })
	require.NoError(t, err)
	fits := 0
	for k, r := range h.Job(job).Ladder {
		assert.Equal(t, h.Machines[k].Data.Name, r.Name)
		low, high := h.Found.Machines[k], tall.Machines[k]
		require.Equal(t, r.Name, high.Name)
		assert.Equal(t, high.Fits, r.Fits, r.Name)
		if r.Fits && high.Quick != nil {
			fits++
			assert.InDelta(t, 2*low.Quick.Grams+3*high.Quick.Grams, r.Grams, 1e-9)
		}
	}
	assert.Positive(t, fits)
	assert.Less(t, fits, len(h.Machines))
}
