package repair_test

import (
	"context"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/shapetest"
	"jobshelf/core/shape/solid"
)

// spoilt gives ways to spoil a sound part, each with the steps that mend it.
func TestRepairBringsBackTheIntactPart(t *testing.T) {
	parts := map[string]*mesh.Mesh{"cleat": solid.MooringCleat(), "bollard": solid.Bollard(), "sheave": solid.Sheave(), "rabbit": rabbit(t),
		"torus": solid.Torus(20, 5, 48, 24)}
	soup := func(m *mesh.Mesh, jitter float64) *mesh.Mesh { // every triangle with corners of its own
		out := &mesh.Mesh{}
		for i, t := range m.Triangles {
			for k, v := range t {
				d := jitter * math.Sin(float64(7*i+3*k))
				out.Vertices = append(out.Vertices, m.Vertices[v].Add(mesh.Vec3{X: d, Y: -d, Z: d / 2}))
			}
			n := uint32(len(out.Vertices))
			out.Triangles = append(out.Triangles, [3]uint32{n - 3, n - 2, n - 1})
		}
		return out
	}
	with := func(m *mesh.Mesh, f func([][3]uint32) [][3]uint32) *mesh.Mesh {
		return &mesh.Mesh{Vertices: slices.Clone(m.Vertices), Triangles: f(slices.Clone(m.Triangles))}
	}
	spoil := map[string]func(*mesh.Mesh) *mesh.Mesh{
		"hole of a triangle": func(m *mesh.Mesh) *mesh.Mesh {
			return with(m, func(t [][3]uint32) [][3]uint32 { return slices.Delete(t, len(t)/2, len(t)/2+1) })
		},
		"several holes": func(m *mesh.Mesh) *mesh.Mesh {
			return with(m, func(t [][3]uint32) [][3]uint32 {
				return slices.Delete(slices.Delete(slices.Delete(t, len(t)-3, len(t)-2), len(t)/3, len(t)/3+1), 4, 5)
			})
		},
		"flipped faces": func(m *mesh.Mesh) *mesh.Mesh {
			return with(m, func(t [][3]uint32) [][3]uint32 {
				for i := range t {
					if i%5 == 0 {
						t[i] = [3]uint32{t[i][1], t[i][0], t[i][2]}
					}
				}
				return t
			})
		},
		"inside out": inward,
		"duplicates": func(m *mesh.Mesh) *mesh.Mesh {
			return with(m, func(t [][3]uint32) [][3]uint32 {
				d := t[9]
				return append(t, t[3], t[3], t[5], [3]uint32{d[2], d[1], d[0]})
			})
		},
		"degenerate by corner": func(m *mesh.Mesh) *mesh.Mesh {
			return with(m, func(t [][3]uint32) [][3]uint32 { return append(t, [3]uint32{1, 1, 2}, [3]uint32{5, 5, 5}) })
		},
		"degenerate on an edge": func(m *mesh.Mesh) *mesh.Mesh { // a corner in the middle of an edge that one side does not know
			out := with(m, func(t [][3]uint32) [][3]uint32 { return t })
			mid := uint32(len(out.Vertices))
			i := slices.IndexFunc(m.Triangles, func(t [3]uint32) bool { // an edge whose middle is a float64
				p, q := m.Vertices[t[0]], m.Vertices[t[1]]
				h := p.Add(q).Scale(0.5).Sub(p)
				return q.Sub(p).Cross(h) == (mesh.Vec3{}) && q.Sub(p).Len() > 1e-3
			})
			require.GreaterOrEqual(t, i, 0)
			a, b, c := out.Triangles[i][0], out.Triangles[i][1], out.Triangles[i][2]
			out.Vertices = append(out.Vertices, out.Vertices[a].Add(out.Vertices[b]).Scale(0.5))
			out.Triangles[i] = [3]uint32{a, mid, c}
			out.Triangles = append(out.Triangles, [3]uint32{mid, b, c}, [3]uint32{a, b, mid})
			return out
		},
		"seam that one side does not know": func(m *mesh.Mesh) *mesh.Mesh {
			out := with(m, func(t [][3]uint32) [][3]uint32 { return t })
			a, b, c := out.Triangles[7][0], out.Triangles[7][1], out.Triangles[7][2]
			mid := uint32(len(out.Vertices))
			out.Vertices = append(out.Vertices, out.Vertices[a].Add(out.Vertices[b]).Scale(0.5))
			out.Triangles[7] = [3]uint32{a, mid, c}
			out.Triangles = append(out.Triangles, [3]uint32{mid, b, c})
			return out
		},
		"near-duplicate vertices": func(m *mesh.Mesh) *mesh.Mesh { return soup(m, 1e-6*m.Bounds().Size().Len()) },
	}
	for name, m := range parts {
		want := m.Measure().Volume
		for how, f := range spoil {
			t.Run(name+", "+how, func(t *testing.T) {
				bad := f(m)
				require.False(t, inspect(t, bad).Sound(), "it is spoilt to begin with")
				got, log, err := repair.Do(ctx, bad, repair.Steps)
				require.NoError(t, err)
				r := inspect(t, got)
				assert.True(t, r.Topology.Closed(), "closed: %+v", log)
				assert.True(t, r.Topology.Oriented(), "oriented")
				assert.InEpsilon(t, want, r.Measures.Volume, 1e-3, "volume: %+v", log)
				assert.NotEmpty(t, log)
				require.NoError(t, got.Validate())
			})
		}
		t.Run(name+", sound", func(t *testing.T) {
			got, log, err := repair.Do(ctx, m, repair.Steps)
			require.NoError(t, err)
			assert.Empty(t, log)
			assert.Same(t, m, got)
		})
	}
}

// Unions with known volumes: boxes by arithmetic; two balls by the lens between
// them (a cap of height h has the volume πh²(3r-h)/3, any handbook).
func TestRepairUnitesOverlappingBodies(t *testing.T) {
	balls := solid.Sphere(10, 128)
	balls.Append(solid.Sphere(10, 128).Transformed(1, mesh.Vec3{X: 11, Y: 0.3, Z: 0.2}))
	d := math.Sqrt(11*11 + 0.3*0.3 + 0.2*0.2)
	h := 10 - d/2
	one := solid.Sphere(10, 128).Measure().Volume
	lens := 2 * math.Pi * h * h * (30 - h) / 3
	rod := solid.Box(30, 30, 10)
	rod.Append(solid.Cylinder(4, 30, 48).Transformed(1, mesh.Vec3{X: 15, Y: 15, Z: -10})) // through a large face: a ring inside
	disc := solid.Cylinder(4, 1, 48).Measure().Volume
	three := twoBoxes(5, 5, 5)
	three.Append(solid.Box(10, 10, 10).Transformed(1, mesh.Vec3{X: 10, Y: 10, Z: 10}))
	for _, c := range []struct {
		name   string
		m      *mesh.Mesh
		volume float64
	}{
		{"boxes", twoBoxes(3, 4, 5), 2000 - 7*6*5},
		{"boxes flush on four faces", twoBoxes(4, 0, 0), 1400},
		{"boxes face to face", twoBoxes(10, 0, 0), 2000},
		{"box in a box", nested(solid.Box(10, 10, 10)), 27000},
		{"balls", balls, 2*one - lens},
		{"rod through a plate", rod, 9000 + 30*disc - 10*disc},
		{"three in a row", three, 3000 - 125 - 125},
		{"two fenders", solid.TwoFenders(), 0},
		{"the same box twice", twoBoxes(0, 0, 0), 1000},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, log, err := repair.Do(ctx, c.m, repair.Steps)
			require.NoError(t, err)
			r := inspect(t, got)
			assert.True(t, r.Topology.Closed() && r.Topology.Oriented(), "%+v", log)
			if c.name != "boxes face to face" { // touching is not overlapping for the volume, one body or two
				assert.Equal(t, 1, r.Topology.Bodies)
			}
			assert.Empty(t, r.Overlaps)
			assert.LessOrEqual(t, r.Crossings.Count, 1, "rounding may leave a sliver of the seam across another")
			if c.volume > 0 {
				assert.InEpsilon(t, c.volume, r.Measures.Volume, 1e-3)
			}
		})
	}
}

// What nobody can mend stays, and is not made worse.
func TestRepairLeavesWhatItCannotMend(t *testing.T) {
	band := solid.CrossedBand()
	got, _, err := repair.Do(ctx, band, repair.Steps)
	require.NoError(t, err)
	assert.True(t, inspect(t, got).Crosses(), "it crosses itself still, and says so")
	// A Möbius band: one rim, one side.
	m := &mesh.Mesh{}
	const n = 30
	for i := range n {
		s, c := math.Sincos(2 * math.Pi * float64(i) / n)
		hs, hc := math.Sincos(math.Pi * float64(i) / n)
		for _, w := range []float64{-2, 2} {
			m.Vertices = append(m.Vertices, mesh.Vec3{X: (10 + w*hc) * c, Y: (10 + w*hc) * s, Z: w * hs})
		}
	}
	for i := range uint32(n) {
		a, b, c, d := 2*i, 2*i+1, 2*(i+1), 2*(i+1)+1
		if i == n-1 {
			c, d = 1, 0
		}
		m.Triangles = append(m.Triangles, [3]uint32{a, c, b}, [3]uint32{b, c, d})
	}
	_, _, err = repair.Do(ctx, m, repair.Steps)
	require.NoError(t, err)
}

func TestRepairNeverFailsOnRandomSoup(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.Uint32Range(3, 12).Draw(t, "vertices")
		c := rapid.Float64Range(-3, 3)
		m := &mesh.Mesh{}
		for range n {
			m.Vertices = append(m.Vertices, mesh.Vec3{X: math.Round(c.Draw(t, "x")), Y: math.Round(c.Draw(t, "y")), Z: math.Round(c.Draw(t, "z"))})
		}
		v := rapid.Uint32Range(0, n-1)
		for range rapid.IntRange(0, 24).Draw(t, "triangles") {
			m.Triangles = append(m.Triangles, [3]uint32{v.Draw(t, "a"), v.Draw(t, "b"), v.Draw(t, "c")})
		}
		before := slices.Clone(m.Triangles)
		got, _, err := repair.Do(ctx, m, repair.Steps)
		require.NoError(t, err)
		require.NoError(t, got.Validate())
		require.Equal(t, before, m.Triangles, "the original is untouched")
	})
}

var ctx = context.Background()

func rabbit(t *testing.T) *mesh.Mesh {
	t.Helper()
	m, err := shapetest.Rabbit()
	require.NoError(t, err)
	return m
}

func inward(m *mesh.Mesh) *mesh.Mesh {
	out := &mesh.Mesh{Vertices: m.Vertices}
	for _, t := range m.Triangles {
		out.Triangles = append(out.Triangles, [3]uint32{t[0], t[2], t[1]})
	}
	return out
}

func inspect(t testing.TB, m *mesh.Mesh) *mesh.Report {
	t.Helper()
	r, err := mesh.Inspect(ctx, m)
	require.NoError(t, err)
	return r
}

func twoBoxes(dx, dy, dz float64) *mesh.Mesh {
	m := solid.Box(10, 10, 10)
	m.Append(solid.Box(10, 10, 10).Transformed(1, mesh.Vec3{X: dx, Y: dy, Z: dz}))
	return m
}

func nested(inner *mesh.Mesh) *mesh.Mesh {
	m := solid.Box(30, 30, 30)
	m.Append(inner.Transformed(1, mesh.Vec3{X: 8, Y: 9, Z: 10}))
	return m
}
