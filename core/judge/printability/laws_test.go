package printability

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
)

// spoiled are boxes with a fault each, of which the place is known.
func spoiled() map[string]struct {
	m     *mesh.Mesh
	check string
	at    []mesh.Vec3 // near each of these lies a place
} {
	box := func() *mesh.Mesh { return solid.Box(40, 30, 20) }
	middle := func(m *mesh.Mesh, t int) mesh.Vec3 {
		v := m.Triangles[t]
		return m.Vertices[v[0]].Add(m.Vertices[v[1]]).Add(m.Vertices[v[2]]).Scale(1. / 3)
	}
	turned := box()
	x := &turned.Triangles[5]
	x[0], x[1] = x[1], x[0]
	twice := box()
	twice.Triangles = append(twice.Triangles, twice.Triangles[7])
	flat := box()
	flat.Vertices = append(flat.Vertices, flat.Vertices[flat.Triangles[3][0]].Add(flat.Vertices[flat.Triangles[3][1]]).Scale(0.5))
	n := uint32(len(flat.Vertices) - 1)
	flat.Triangles = append(flat.Triangles, [3]uint32{flat.Triangles[3][0], flat.Triangles[3][1], n})
	open := box()
	gone := middle(open, 0)
	open.Triangles = open.Triangles[1:]
	crossing := box()
	crossing.Append(solid.Box(4, 4, 50).Transformed(1, mesh.Vec3{X: 10, Y: 12, Z: -5}))
	shared := box()
	shared.Append(solid.Box(40, 30, 20).Transformed(1, mesh.Vec3{X: 40, Y: 30})) // an edge in common
	mesh.MergeEqual(shared)
	type one = struct {
		m     *mesh.Mesh
		check string
		at    []mesh.Vec3
	}
	return map[string]struct {
		m     *mesh.Mesh
		check string
		at    []mesh.Vec3
	}{
		"turned":   one{turned, "", []mesh.Vec3{middle(turned, 5)}},
		"twice":    one{twice, "", []mesh.Vec3{middle(twice, 7)}},
		"flat":     one{flat, "", nil},
		"open":     one{open, "open surface", []mesh.Vec3{gone}},
		"crossing": one{crossing, "", []mesh.Vec3{{X: 12, Y: 14, Z: 0}}},
		"shared":   one{shared, "", []mesh.Vec3{{X: 40, Y: 30, Z: 10}}},
	}
}

// What is said of a surface does not depend on the unit it is drawn in nor on where it
// stands; places and evidence lie on the part, and near the fault.
func TestPlacesLieAtTheFault(t *testing.T) {
	for name, c := range spoiled() {
		judge := func(m *mesh.Mesh, mm float64) ([]finding.Finding, []finding.Evidence) {
			r, err := mesh.Inspect(context.Background(), m)
			require.NoError(t, err)
			return Surface(m, r, mm)
		}
		found, drawn := judge(c.m, 1)
		require.NotEmpty(t, found, name)
		for _, want := range c.at {
			nearest := math.Inf(1)
			for _, f := range found {
				for _, p := range f.Places {
					nearest = math.Min(nearest, mesh.Vec3{X: p[0], Y: p[1], Z: p[2]}.Sub(want).Len())
				}
			}
			assert.LessOrEqual(t, nearest, 8.0, "%s: no place near %v in %+v", name, want, found)
		}
		box := c.m.Bounds()
		inside := func(x, y, z float64) bool {
			const s = 0.01
			return x >= box.Min.X-s && x <= box.Max.X+s && y >= box.Min.Y-s && y <= box.Max.Y+s && z >= box.Min.Z-s && z <= box.Max.Z+s
		}
		for _, e := range drawn {
			for _, l := range e.Lines {
				assert.True(t, inside(float64(l[0]), float64(l[1]), float64(l[2])) && inside(float64(l[3]), float64(l[4]), float64(l[5])), name)
			}
			for _, f := range e.Faces {
				for k := 0; k < 9; k += 3 {
					assert.True(t, inside(float64(f[k]), float64(f[k+1]), float64(f[k+2])), name)
				}
			}
		}
		for _, u := range []units.Length{units.Inch, units.Metre} {
			at := mesh.Vec3{X: -300, Y: 20, Z: 100}
			again, redrawn := judge(c.m.Transformed(1, at).Transformed(1/u.MM(), mesh.Vec3{}), u.MM())
			require.Len(t, again, len(found), name)
			require.Len(t, redrawn, len(drawn), name)
			for i, f := range found {
				assert.Equal(t, f.Text, again[i].Text, name)
				assert.InDelta(t, f.Value, again[i].Value, 1e-6*math.Max(1, f.Value), name)
				require.Len(t, again[i].Places, len(f.Places), name)
				for k, p := range f.Places {
					for a, off := range [3]float64{at.X, at.Y, at.Z} {
						assert.InDelta(t, p[a]+off, again[i].Places[k][a], 0.002, "%s in %s", name, u)
					}
				}
			}
			for i, e := range drawn {
				require.Len(t, redrawn[i].Lines, len(e.Lines), name)
				require.Len(t, redrawn[i].Faces, len(e.Faces), name)
				for k, l := range e.Lines {
					assert.InDelta(t, float64(l[0])+at.X, float64(redrawn[i].Lines[k][0]), 0.01, name)
					assert.InDelta(t, float64(l[5])+at.Z, float64(redrawn[i].Lines[k][5]), 0.01, name)
				}
				for k, f := range e.Faces {
					assert.InDelta(t, float64(f[4])+at.Y, float64(redrawn[i].Faces[k][4]), 0.01, name)
				}
			}
		}
	}
}

// An open edge in a surface that no walk closes to a rim is told all the same.
func TestAnOpenSurfaceWithoutARim(t *testing.T) {
	m := solid.Box(10, 10, 10)
	m.Triangles = m.Triangles[1:]
	r, err := mesh.Inspect(context.Background(), m)
	require.NoError(t, err)
	r.Loops = nil
	f, _ := Surface(m, r, 1)
	require.NotEmpty(t, f)
	assert.Contains(t, f[0].Text, "The surface is open: 3 edges have only one face")
	assert.Empty(t, f[0].Places)
}

// A sheet encloses nothing, however large and in whatever unit; the thinnest body does.
func TestASheetIsNoBody(t *testing.T) {
	sheet := func(thick float64) *mesh.Mesh { return solid.Box(400, 300, thick) }
	for _, c := range []struct {
		m    *mesh.Mesh
		mm   float64
		told bool
	}{{sheet(0), 1, true}, {sheet(1e-6), 1, false}, {sheet(0.2), 25.4, false}, {solid.Box(3e-5, 2e-5, 0), 1000, true}, {solid.Box(3e-5, 2e-5, 1e-5), 1000, false}} {
		r, err := mesh.Inspect(context.Background(), c.m)
		require.NoError(t, err)
		f, _ := Surface(c.m, r, c.mm)
		told := false
		for _, x := range f {
			if x.Check == "no volume" {
				told = true
				assert.InDelta(t, math.Abs(c.m.Measure().Volume)*c.mm*c.mm*c.mm, x.Value, 1e-12)
			}
		}
		assert.Equal(t, c.told, told, "%v in units of %g mm", c.m.Bounds().Size(), c.mm)
	}
}

// A size that no unit makes likely is asked about, in whole words.
func TestNoUnitMakesItLikely(t *testing.T) {
	for _, longest := range []float64{0, 1e-5, 0.005} {
		found, proposed := Size(mesh.Box{Max: mesh.Vec3{X: longest}}, "", func(float64) int { return 1 })
		require.Len(t, found, 1)
		assert.NotContains(t, found[0].Text, "%!")
		assert.Contains(t, found[0].Text, "Ask how long it is meant to be")
		assert.Empty(t, proposed)
	}
}
