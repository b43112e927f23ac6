package corpus

import (
	"context"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/estimate"
	"jobshelf/core/mesh"
)

// The list is what it says: closed surfaces that face out, names that are one part's, of
// each group enough; parts of packages stay out of what is fitted on.
func TestTheListOfParts(t *testing.T) {
	of, err := OfPackages(context.Background())
	require.NoError(t, err)
	names, groups := map[string]bool{}, map[Group]int{}
	for _, p := range slices.Concat(Own(), of) {
		assert.False(t, names[p.Name], p.Name)
		names[p.Name] = true
		groups[p.Group]++
		topo := mesh.TopologyOf(p.Mesh)
		assert.True(t, topo.Closed() || p.Name == "rabbit" || p.Name == "rabbit-on-its-back" || p.Name == "rabbit-rough", "%s is open", p.Name)
		assert.Positive(t, p.Mesh.Measure().Volume, p.Name)
	}
	assert.Equal(t, len(of), groups[Package])
	assert.GreaterOrEqual(t, len(of), 30)
	assert.GreaterOrEqual(t, groups[Fitted], 40)
	assert.GreaterOrEqual(t, groups[HeldOut], 18)
}

// On some of the parts that nothing was fitted on the quick estimate is near the
// toolpath's figures, as it was when it was fitted (`make bench` has all of them).
func TestTheQuickEstimateIsNearTheToolpath(t *testing.T) {
	of, err := OfPackages(context.Background())
	require.NoError(t, err)
	var parts []Part
	for _, p := range slices.Concat(Own(), of) {
		if p.Group != Fitted {
			parts = append(parts, p)
		}
	}
	cases, err := Cases(context.Background(), parts, 17, nil)
	require.NoError(t, err)
	require.Greater(t, len(cases), 30)
	rich := 0
	var seconds, grams []float64
	for _, c := range cases {
		s, g := c.Off(&estimate.Fitted)
		seconds, grams = append(seconds, s), append(grams, g)
		if c.SupportShare() > 0.1 {
			rich++
		}
	}
	assert.Greater(t, 3*rich, len(cases), "with support")
	t.Logf("%d cases, %d with much support: time %s; mass %s", len(cases), rich, SpreadOf(seconds), SpreadOf(grams))
	assert.Less(t, SpreadOf(seconds).Median, 0.05)
	assert.Less(t, SpreadOf(grams).Median, 0.03)
	assert.Less(t, SpreadOf(seconds).Of95, 0.25)
	assert.Less(t, SpreadOf(grams).Of95, 0.15)
}
