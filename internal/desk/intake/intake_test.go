package intake_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/recipe"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// A round of a check that is over writes nothing: neither a verdict nor how far it is.
func TestOldRoundsWriteNothing(t *testing.T) {
	h := desktest.Open(t)
	job, piece := h.Arrived()
	five := 5
	for range 2 {
		require.NoError(t, intake.ChangePiece(ctx, h.Desk, h.Cato, piece, intake.PieceChange{Copies: &five}))
		five++
	}
	now, err := h.Store.TaskOf(ctx, job)
	require.NoError(t, err)
	j, err := h.Store.Job(ctx, job)
	require.NoError(t, err)
	before := h.Job(job)
	for _, other := range []int{now.Round - 2, now.Round - 1, now.Round + 1} {
		assert.False(t, h.Record(job, other), "round %d of %d", other, now.Round)
		_, err := intake.BeginCheck(ctx, h.Desk, job, other)
		assert.ErrorIs(t, err, store.ErrChanged)
		assert.ErrorIs(t, intake.Progress(ctx, h.Desk, j, other, "cutting", 0.5), store.ErrChanged)
		assert.NoError(t, intake.SetAside(ctx, h.Desk, job, other, "It took too long."))
		require.Equal(t, before, h.Job(job))
	}
	require.NoError(t, intake.Progress(ctx, h.Desk, j, now.Round, "cutting", 0.5))
	assert.InDelta(t, 0.5, h.Job(job).Check.Fraction, 1e-6)
	assert.True(t, h.Record(job, now.Round))
	assert.Equal(t, "to decide", h.Job(job).State)
	assert.False(t, h.Record(job, now.Round), "twice")
	assert.ErrorIs(t, intake.Progress(ctx, h.Desk, j, now.Round, "cutting", 0.7), store.ErrChanged)
}

// What stops a job of several pieces is told of every piece, by name.
func TestEveryPieceThatCannotBeReadIsNamed(t *testing.T) {
	h := desktest.Open(t)
	job, _ := h.Arrived()
	pieces, err := h.Store.Pieces(ctx, job)
	require.NoError(t, err)
	now, err := h.Store.TaskOf(ctx, job)
	require.NoError(t, err)
	var found []intake.Checked
	for i, problem := range []string{"It is empty.", "", "It is no model."} {
		c := intake.Checked{Piece: pieces[0], New: i > 0, Judgement: store.Judgement{Problem: problem}}
		c.Piece.Part, c.Piece.Name = i, []string{"cleat", "bollard", "fender"}[i]
		if problem == "" {
			c.Verdict = h.Found
		}
		found = append(found, c)
	}
	ok, err := intake.RecordCheck(ctx, h.Desk, job, now.Round, found, func(*store.Tx) error { return nil })
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, "cleat: It is empty. fender: It is no model.", h.Job(job).Check.Error)
}

// What is needed by a day that is over where the house is, an hour ahead, is refused.
func TestNeededByADayToCome(t *testing.T) {
	h := desktest.Open(t)
	h.Desk.Now = func() time.Time { return time.Date(2026, 11, 24, 23, 30, 0, 0, time.UTC) }
	for day, fine := range map[string]bool{"2026-11-24": false, "2020-01-01": false, "2026-11-25": true} {
		id, _, err := intake.Upload(ctx, h.Desk, h.Owner, "box.stl", strings.NewReader("solid"))
		require.NoError(t, err)
		_, err = intake.NewJob(ctx, h.Desk, h.Owner, intake.HandIn{Purpose: recipe.Everyday, NeededBy: day, Pieces: []intake.HandInPiece{{UploadID: id, Copies: 1}}})
		assert.Equal(t, fine, err == nil, "%s: %v", day, err)
	}
}
