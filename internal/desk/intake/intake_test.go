package intake_test

import (
	"context"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/orient"
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

// Whatever is changed of a piece can be taken back, change by change, and done again, over any
// number of reloads; another change ends what could be done again. A refused one is none.
func TestEveryChangeOfAPieceIsUndone(t *testing.T) {
	h := desktest.Open(t)
	job, piece := h.ToDecide()
	now := func() store.PieceState {
		p, err := h.Store.Piece(ctx, piece)
		require.NoError(t, err)
		return p.State()
	}
	rnd := rand.New(rand.NewPCG(15, 1)) //nolint:gosec // the same each time
	changes := []func() intake.PieceChange{
		func() intake.PieceChange { return intake.PieceChange{Copies: new(1 + rnd.IntN(9))} },
		func() intake.PieceChange { return intake.PieceChange{Unit: new([]string{"mm", "in", ""}[rnd.IntN(3)])} },
		func() intake.PieceChange { return intake.PieceChange{Nozzle: new(rnd.IntN(3))} },
		func() intake.PieceChange {
			s := orient.Stand{Turn: orient.Quat{1, float64(rnd.IntN(3)), 0, 1}, Scale: [3]float64{1, 1, 1 + float64(rnd.IntN(2))}}
			return intake.PieceChange{Stand: &s, Why: "a try"}
		},
		func() intake.PieceChange { return intake.PieceChange{Best: true} },
		func() intake.PieceChange {
			return intake.PieceChange{Stand: &orient.Stand{Turn: orient.Quat{2, 0, 0, 9}, Scale: [3]float64{3, 3, 3}}}
		}, // no reason
	}
	states, at := []store.PieceState{now()}, 0
	for range 150 {
		switch rnd.IntN(4) {
		case 0:
			err := intake.UndoPiece(ctx, h.Desk, h.Cato, piece, 0)
			require.Equal(t, at == 0, err != nil, "%v", err)
			at = max(0, at-1)
		case 1:
			err := intake.RedoPiece(ctx, h.Desk, h.Owner, piece, 0)
			require.Equal(t, at == len(states)-1, err != nil, "%v", err)
			at = min(at+1, len(states)-1)
		default:
			_ = intake.ChangePiece(ctx, h.Desk, h.Cato, piece, changes[rnd.IntN(len(changes))]())
			if is := now(); !assert.ObjectsAreEqual(states[at], is) {
				states = append(states[:at+1], is)
				at++
			}
		}
		require.Equal(t, states[at], now())
		p, err := h.Store.Piece(ctx, piece)
		require.NoError(t, err)
		require.Equal(t, []int{at, len(states) - 1 - at}, []int{p.Done, p.Undone})
	}
	require.Greater(t, len(states), 5)
	for at > 0 {
		require.NoError(t, intake.UndoPiece(ctx, h.Desk, h.Cato, piece, 0))
		at--
	}
	assert.Equal(t, states[0], now())
	assert.ErrorContains(t, intake.ChangePiece(ctx, h.Desk, h.Cato, piece, intake.PieceChange{LeftOut: new(true)}), "all there is", "the only one")
	assert.ErrorContains(t, intake.UndoPiece(ctx, h.Desk, h.Cato, piece, 1), "changed by somebody else")

	for n := range 130 { // no more are kept than a hundred
		require.NoError(t, intake.ChangePiece(ctx, h.Desk, h.Cato, piece, intake.PieceChange{Copies: new(20 + n)}))
	}
	for range 100 {
		require.NoError(t, intake.UndoPiece(ctx, h.Desk, h.Cato, piece, 0))
	}
	assert.ErrorContains(t, intake.UndoPiece(ctx, h.Desk, h.Cato, piece, 0), "Nothing")
	assert.Equal(t, 49, now().Copies)

	h.Checked(job)
	h.Approved(job, h.EmptyLane())
	assert.ErrorContains(t, intake.RedoPiece(ctx, h.Desk, h.Cato, piece, 0), "settled")
}
