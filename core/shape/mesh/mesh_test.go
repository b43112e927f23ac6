package mesh_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/shapetest"
	"jobshelf/core/shape/solid"
)

// Closed forms (any handbook of geometry). The tessellation's own error is a
// polygon's: an n-gon inscribed in a circle has sin(x)/x of its area, x = 2π/n.
func TestMeasuresOfClosedForms(t *testing.T) {
	const n = 256
	short := math.Sin(2*math.Pi/n) / (2 * math.Pi / n)
	for _, c := range []struct {
		name         string
		m            *mesh.Mesh
		volume, area float64
		centroid     mesh.Vec3
		tolerance    float64
	}{
		{"box", solid.Box(2, 3, 5), 30, 62, mesh.Vec3{X: 1, Y: 1.5, Z: 2.5}, 1e-12},
		{"cylinder", solid.Cylinder(4, 10, n), math.Pi * 16 * 10 * short, 0, mesh.Vec3{Z: 5}, 1e-12},
		{"sphere", solid.Sphere(10, n), 4. / 3 * math.Pi * 1000, 4 * math.Pi * 100, mesh.Vec3{}, 4e-4},
		{"torus", solid.Torus(20, 5, n, n), 2 * math.Pi * math.Pi * 20 * 25, 4 * math.Pi * math.Pi * 100, mesh.Vec3{}, 4e-4},
		{"cone", solid.Revolve([]solid.P{{X: 0, Y: 0}, {X: 6, Y: 0}, {X: 0, Y: 8}}, n),
			math.Pi * 36 * 8 / 3 * short, 0, mesh.Vec3{Z: 2}, 1e-12},
	} {
		t.Run(c.name, func(t *testing.T) {
			far := mesh.Vec3{X: 1000, Y: -2000, Z: 500} // far off, digits must hold
			for _, m := range []*mesh.Mesh{c.m, c.m.Transformed(1, far)} {
				got := m.Measure()
				assert.InEpsilon(t, c.volume, got.Volume, c.tolerance+1e-11, "volume")
				if c.area > 0 {
					assert.InEpsilon(t, c.area, got.Area, c.tolerance+1e-11, "area")
				}
			}
			got := c.m.Measure().Centroid
			assert.InDelta(t, 0, got.Sub(c.centroid).Len(), 1e-6, "centroid %v", got)
		})
	}
}

func TestMeasureMovesScalesAndTurnsInsideOut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		x, y, z := rapid.Float64Range(0.1, 50).Draw(t, "x"), rapid.Float64Range(0.1, 50).Draw(t, "y"), rapid.Float64Range(0.1, 50).Draw(t, "z")
		s := rapid.Float64Range(0.01, 30).Draw(t, "scale")
		m := solid.Box(x, y, z)
		require.InEpsilon(t, x*y*z*s*s*s, m.Transformed(s, mesh.Vec3{X: 7, Y: -3, Z: 11}).Measure().Volume, 1e-9)
		for i, v := range m.Triangles {
			m.Triangles[i] = [3]uint32{v[0], v[2], v[1]}
		}
		require.InEpsilon(t, -x*y*z, m.Measure().Volume, 1e-9)
	})
}

// slowEdges is the twin of TopologyOf: a map from each edge to its faces' runs.
func slowEdges(m *mesh.Mesh) (boundary, nonManifold, misoriented int) {
	type edge struct{ a, b uint32 }
	runs := map[edge][]bool{}
	for _, v := range m.Triangles {
		if v[0] == v[1] || v[1] == v[2] || v[2] == v[0] {
			continue
		}
		for k := range 3 {
			a, b := v[k], v[(k+1)%3]
			runs[edge{min(a, b), max(a, b)}] = append(runs[edge{min(a, b), max(a, b)}], a < b)
		}
	}
	for _, r := range runs {
		switch {
		case len(r) == 1:
			boundary++
		case len(r) > 2:
			nonManifold++
		case r[0] == r[1]:
			misoriented++
		}
	}
	return boundary, nonManifold, misoriented
}

func TestTopologyAgreesWithCountingEdges(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.Uint32Range(3, 40).Draw(t, "vertices")
		v := rapid.Uint32Range(0, n-1)
		m := &mesh.Mesh{Vertices: make([]mesh.Vec3, n)}
		for range rapid.IntRange(0, 120).Draw(t, "triangles") {
			m.Triangles = append(m.Triangles, [3]uint32{v.Draw(t, "a"), v.Draw(t, "b"), v.Draw(t, "c")})
		}
		topo := mesh.TopologyOf(m)
		b, nm, mis := slowEdges(m)
		require.Equal(t, [3]int{b, nm, mis}, [3]int{topo.Boundary, topo.NonManifold, topo.Misoriented})
		for he, mate := range topo.Mate {
			if mate < 0 {
				continue
			}
			require.Equal(t, int32(he), topo.Mate[mate], "mates are mutual")
			require.Equal(t, topo.Body[he/3], topo.Body[mate/3], "mates are of one body")
			a, c := m.Triangles[he/3], m.Triangles[mate/3]
			require.ElementsMatch(t, []uint32{a[he%3], a[(he+1)%3]}, []uint32{c[mate%3], c[(mate+1)%3]})
		}
	})
}

func TestTopologyOfKnownShapes(t *testing.T) {
	box := solid.Box(1, 1, 1)
	open := &mesh.Mesh{Vertices: box.Vertices, Triangles: box.Triangles[1:]}
	turned := &mesh.Mesh{Vertices: box.Vertices, Triangles: append([][3]uint32{}, box.Triangles...)}
	v := turned.Triangles[0]
	turned.Triangles[0] = [3]uint32{v[0], v[2], v[1]}
	twice := &mesh.Mesh{Vertices: box.Vertices, Triangles: append(append([][3]uint32{}, box.Triangles...), box.Triangles[0])}
	fan := &mesh.Mesh{Vertices: make([]mesh.Vec3, 2002)} // thousands of edges in a vertex
	for i := uint32(1); i <= 2000; i++ {
		fan.Triangles = append(fan.Triangles, [3]uint32{0, i, i + 1})
	}
	for _, c := range []struct {
		name                               string
		m                                  *mesh.Mesh
		boundary, nonManifold, misoriented int
		closed, oriented                   bool
		bodies                             int
	}{
		{"box", box, 0, 0, 0, true, true, 1},
		{"one triangle missing", open, 3, 0, 0, false, true, 1},
		{"one triangle turned", turned, 0, 0, 3, true, false, 1},
		{"one triangle twice", twice, 0, 3, 0, false, true, 2},
		{"fan", fan, 2002, 0, 0, false, true, 1},
		{"two boxes", solid.TwoFenders(), 0, 0, 0, true, true, 2},
	} {
		t.Run(c.name, func(t *testing.T) {
			topo := mesh.TopologyOf(c.m)
			assert.Equal(t, c.boundary, topo.Boundary, "boundary")
			assert.Equal(t, c.nonManifold, topo.NonManifold, "non-manifold")
			assert.Equal(t, c.misoriented, topo.Misoriented, "misoriented")
			assert.Equal(t, c.closed, topo.Closed(), "closed")
			assert.Equal(t, c.oriented, topo.Oriented(), "oriented")
			assert.Equal(t, c.bodies, topo.Bodies, "bodies")
		})
	}
}

// The scanned rabbit of the npm package "bunny" 1.0.1: 1 839 vertices and 3 674
// triangles by its arrays; 5 511 edges, none open, counted independently with a
// map in JavaScript over the same arrays. Euler: 1839 - 5511 + 3674 = 2.
func TestTopologyOfAScan(t *testing.T) {
	m := rabbit(t)
	topo := mesh.TopologyOf(m)
	assert.Equal(t, 1839, len(m.Vertices))
	assert.Equal(t, 3674, len(m.Triangles))
	assert.True(t, topo.Closed() && topo.Oriented())
	assert.Equal(t, 1, topo.Bodies)
	edges := 0
	for he, mate := range topo.Mate {
		if int32(he) < mate {
			edges++
		}
	}
	assert.Equal(t, 5511, edges)
	assert.Positive(t, m.Measure().Volume)
}

func rabbit(t *testing.T) *mesh.Mesh {
	t.Helper()
	m, err := shapetest.Rabbit()
	require.NoError(t, err)
	return m
}

func TestValidateNamesWhatIsWrong(t *testing.T) {
	m := solid.Box(1, 1, 1)
	m.Vertices[3].Y = math.NaN()
	assert.ErrorContains(t, m.Validate(), "vertex 3")
	m = solid.Box(1, 1, 1)
	m.Triangles[5][1] = 99
	assert.ErrorContains(t, m.Validate(), "triangle 5 uses vertex 99")
}
