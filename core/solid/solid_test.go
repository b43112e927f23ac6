package solid

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/mesh"
)

// Every part is sound except in the way its Fault says.
func TestPartsAreWhatTheySay(t *testing.T) {
	bodies := map[string]int{"tiller-joint": 2, "two-fenders": 2}
	for _, p := range Parts() {
		t.Run(p.Name, func(t *testing.T) {
			require.NoError(t, p.Mesh.Validate())
			topo := mesh.TopologyOf(p.Mesh)
			got := p.Mesh.Measure()
			assert.Equal(t, max(1, bodies[p.Name]), topo.Bodies, "bodies")
			assert.Zero(t, topo.Misoriented, "misoriented")
			assert.Zero(t, topo.NonManifold, "non-manifold")
			if p.Name == "cleat-with-hole" {
				assert.Positive(t, topo.Boundary)
				return
			}
			assert.Zero(t, topo.Boundary, "open edges")
			if p.Name == "bushing-inside-out" {
				assert.Negative(t, got.Volume)
				return
			}
			assert.Positive(t, got.Volume)
		})
	}
}

func TestExtrudeWithHolesHasTheAreaOfItsFigure(t *testing.T) {
	square := []P{{0, 0}, {40, 0}, {40, 30}, {0, 30}}
	m := Extrude(square, [][]P{hole(10, 10, 4, 4), hole(30, 20, 4, 4), hole(28, 8, 2, 4)}, 3)
	// A square inscribed in a circle of radius r has the area 2r².
	want := 3 * (40*30 - 2*16 - 2*16 - 2*4.0)
	assert.InDelta(t, want, m.Measure().Volume, 1e-9)
	topo := mesh.TopologyOf(m)
	assert.True(t, topo.Closed() && topo.Oriented())
	assert.InDelta(t, 3600, Box(40, 30, 3).Measure().Volume, 1e-9)
}
