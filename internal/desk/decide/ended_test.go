package decide_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/store"
)

// A job that was sent back or withdrawn lies where its member and the desk find it, with what was said; nobody else
// does; and words find it by all that is known of it.
func TestNothingVanishes(t *testing.T) {
	h := desktest.Open(t)
	back, _ := h.ToDecide()
	own, _ := h.HandedIn(h.Other, "spoon.stl", 1)
	h.Checked(own)
	require.NoError(t, decide.SendBack(ctx, h.Desk, h.Cato, back, 0, "Its walls are 0.2 mm thick: 0.8 mm would come out."))
	require.NoError(t, decide.Withdraw(ctx, h.Desk, h.Other, own, 0, "I found one."))
	ids := func(a desk.Actor, search string) (out []int64) {
		t.Helper()
		all, err := decide.Ended(ctx, h.Desk, a, search)
		require.NoError(t, err)
		for _, s := range all {
			out = append(out, s.ID)
			if s.ID == back {
				assert.Equal(t, "sent back", s.State)
				assert.Contains(t, s.Reason, "0.8 mm would come out")
				assert.False(t, s.At.IsZero())
			}
		}
		return out
	}
	assert.ElementsMatch(t, []int64{back, own}, ids(h.Cato, ""))
	assert.Equal(t, []int64{back}, ids(h.Owner, ""))
	assert.Equal(t, []int64{own}, ids(h.Other, ""))
	assert.Equal(t, []int64{own}, ids(h.Cato, "SPOON withdrawn"))
	assert.Equal(t, []int64{back}, ids(h.Cato, "0.8 walls"))
	assert.Empty(t, ids(h.Owner, "spoon"))
	assert.Empty(t, ids(h.Cato, "spoon walls"))
	assert.Empty(t, ids(h.Cato, "%"), "no pattern")
	assert.NotPanics(t, func() { ids(h.Cato, "a\x00b \xff _ \\ '") })
	// What was fetched is found by words, and lies on no plank.
	done, _ := h.At("fetched")
	assert.NotContains(t, ids(h.Cato, ""), done)
	assert.Contains(t, ids(h.Cato, "fetched"), done)
	// Where its files were let go of, it is still shown, with what it took; they are not there any more.
	was := h.Job(done)
	require.NoError(t, h.Store.DropFiles(ctx, -time.Hour))
	is := h.Job(done)
	assert.False(t, is.PieceSet[0].Viewable)
	_, err := intake.ModelFile(ctx, h.Desk, h.Cato, is.PieceSet[0].ID, 1)
	require.ErrorIs(t, err, store.ErrNotFound)
	_, err = runs.Machine(ctx, h.Desk, h.Machines[0].ID)
	require.NoError(t, err)
	is.PieceSet[0].Viewable, is.PieceSet[0].Versions = was.PieceSet[0].Viewable, was.PieceSet[0].Versions
	assert.Equal(t, was.PieceSet, is.PieceSet)
	assert.Equal(t, was.History, is.History)
}
