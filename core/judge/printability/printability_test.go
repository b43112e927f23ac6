package printability

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/mesh"
)

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
