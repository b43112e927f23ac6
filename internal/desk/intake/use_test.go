package intake_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/shop/event"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/intake"
)

// What a job is for is said by its member and by the desk while it is weighed, by nobody else, and not on top of
// what was not seen; it is held against what its machine has loaded, now, and remembered.
func TestWhatAJobIsForIsSaidAndHeld(t *testing.T) {
	ctx := context.Background()
	h := desktest.Open(t)
	id, _ := h.ToDecide()
	use := printability.Use{WarmC: 80, Outdoors: true, Colour: "mauve"}
	seen := h.Job(id).Revision
	require.Error(t, intake.SayUse(ctx, h.Desk, h.Other, id, seen, use), "another member")
	require.Error(t, intake.SayUse(ctx, h.Desk, h.Cato, id, seen+1, use), "not as it was seen")
	require.Error(t, intake.SayUse(ctx, h.Desk, h.Cato, id, seen, printability.Use{WarmC: -3}))
	assert.Empty(t, h.Job(id).Findings)
	require.NoError(t, intake.SayUse(ctx, h.Desk, h.Owner, id, seen, use))
	v := h.Job(id)
	assert.Equal(t, use, v.Use)
	assert.Equal(t, seen+1, v.Revision)
	found := map[string]finding.Grade{}
	for _, f := range v.Findings {
		assert.Zero(t, f.PieceID)
		found[f.Check] = f.Grade
	}
	assert.Equal(t, map[string]finding.Grade{"gets warm": finding.Decide, "other colour": finding.Decide}, found)
	assert.Equal(t, "Capstan", v.Machine, "what lasts outdoors is proposed")
	assert.Equal(t, finding.Decide, v.Worst.Grade)
	assert.Equal(t, "It is to get 80 °C warm, It is to stay outdoors, It is wished in mauve", v.History[len(v.History)-1].What)
	require.NoError(t, intake.SayUse(ctx, h.Desk, h.Owner, id, v.Revision, use))
	assert.Equal(t, v.Revision, h.Job(id).Revision, "nothing new was said")
	assert.Equal(t, "done", v.Check.State, "nothing is checked again for it")
	// What the house says of its material counts at once, and asks for no new check.
	hv, err := house.Read(ctx, h.Desk)
	require.NoError(t, err)
	for _, m := range hv.Materials {
		m.Data.SoftensC, m.Data.LastsOutdoors = 81, true
		require.NoError(t, house.SetMaterial(ctx, h.Desk, h.Owner, m))
	}
	v = h.Job(id)
	assert.Equal(t, "done", v.Check.State)
	require.Len(t, v.Findings, 1)
	assert.Equal(t, "other colour", v.Findings[0].Check)
	require.NoError(t, intake.SayUse(ctx, h.Desk, h.Cato, id, v.Revision, printability.Use{}))
	v = h.Job(id)
	assert.Empty(t, v.Findings)
	assert.Equal(t, "It is for nothing in particular, of any colour", v.History[len(v.History)-1].What)
	kinds := map[string]bool{}
	for _, e := range event.Kinds {
		kinds[e.Kind()] = true
	}
	assert.True(t, kinds["for bending"] && kinds["for load"] && kinds["for fitting"])
	h.Approved(id, h.Machines[0].ID)
	require.Error(t, intake.SayUse(ctx, h.Desk, h.Owner, id, h.Job(id).Revision, use), "it was said yes to")
}
