package printability

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/mesh"
)

func box(x, z float64) mesh.Box { return mesh.Box{Max: mesh.Vec3{X: x, Y: 20, Z: z}} }

func TestFitsFlatAndWorst(t *testing.T) {
	assert.Empty(t, Fits(3, 1, 1))
	assert.Empty(t, Fits(0, 0, 0), "a house without machines says nothing")
	f := Fits(3, 0, 0.7599)
	require.Len(t, f, 1)
	assert.Contains(t, f[0].Text, "75.9 %", "rounded down: at 76 % it would not go")
	assert.Len(t, Flat(box(181, 3)), 1)
	assert.Empty(t, Flat(box(179, 3)), "less than sixty times")
	assert.Empty(t, Flat(box(400, 4.1)), "thick enough")
	assert.Empty(t, Flat(box(400, 0)))
	w, ok := finding.Worst([]finding.Finding{{Check: "a", Grade: finding.WorthKnowing}, {Check: "b", Grade: finding.StopsIt}, {Check: "c", Grade: finding.Decide}})
	assert.True(t, ok)
	assert.Equal(t, "b", w.Check)
	_, ok = finding.Worst(nil)
	assert.False(t, ok)
}

// judged inspects a mesh and gives its findings by check.
func judged(t *testing.T, m *mesh.Mesh, mm float64) (map[string]finding.Finding, map[string]finding.Evidence) {
	t.Helper()
	r, err := mesh.Inspect(context.Background(), m)
	require.NoError(t, err)
	found, drawn := Surface(m, r, mm)
	f, e := map[string]finding.Finding{}, map[string]finding.Evidence{}
	for _, x := range found {
		assert.NotContains(t, f, x.Check, "once each")
		assert.NotEmpty(t, x.Text)
		assert.LessOrEqual(t, len(x.Places), finding.MaxPlaces)
		f[x.Check] = x
	}
	for _, x := range drawn {
		assert.LessOrEqual(t, len(x.Lines), finding.MaxLines)
		assert.LessOrEqual(t, len(x.Faces), finding.MaxFaces)
		e[x.Check] = x
	}
	return f, e
}
