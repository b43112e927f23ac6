package printability

import (
	"context"
	"fmt"
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

// However many faults there are, so many places are told and no more, and the text counts
// all of them.
func TestPlacesAreBounded(t *testing.T) {
	for _, n := range []int{1, 3, finding.MaxPlaces - 1, finding.MaxPlaces, finding.MaxPlaces + 1, finding.MaxPlaces + 15} {
		holes, turned := &mesh.Mesh{}, &mesh.Mesh{}
		for k := range n {
			b := solid.Box(3, 3, 3)
			b.Triangles = b.Triangles[1:]
			holes.Append(b.Transformed(1, mesh.Vec3{X: 5 * float64(k)}))
			c := solid.Box(3, 3, 3)
			x := &c.Triangles[2]
			x[0], x[1] = x[1], x[0]
			turned.Append(c.Transformed(1, mesh.Vec3{X: 5 * float64(k)}))
		}
		r, err := mesh.Inspect(context.Background(), holes)
		require.NoError(t, err)
		f, _ := Surface(holes, r, 1)
		require.Equal(t, "open surface", f[0].Check)
		assert.Len(t, f[0].Places, min(n, finding.MaxPlaces))
		assert.InDelta(t, 3*float64(n), f[0].Value, 0)
		assert.Contains(t, f[0].Text, fmt.Sprintf("The surface has %d hole", n))
		assert.Contains(t, f[0].Text, fmt.Sprintf("longest rim is %.3g mm around %.3g mm²", 6+3*math.Sqrt2, 4.5))
		r, err = mesh.Inspect(context.Background(), turned)
		require.NoError(t, err)
		f, _ = Surface(turned, r, 1)
		most := 0
		for _, x := range f {
			most = max(most, len(x.Places))
			assert.LessOrEqual(t, len(x.Places), finding.MaxPlaces)
		}
		assert.GreaterOrEqual(t, most, min(n, finding.MaxPlaces))
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

// A size without a unit is questioned below and above what people make, and not at it.
func TestSizesAtTheirEdges(t *testing.T) {
	box := func(mm float64) mesh.Box { return mesh.Box{Max: mesh.Vec3{X: mm / 2, Y: mm, Z: mm / 3}} }
	for mm, questioned := range map[float64]bool{smallMM: false, smallMM * 0.999: true, largeMM: false, largeMM * 1.02: true, 100: false} {
		f, p := Size(box(mm), "", func(float64) int { return 3 })
		assert.Equal(t, questioned, len(f) == 1, "%g mm", mm)
		assert.Equal(t, questioned && mm < smallMM, len(p) > 0, "%g mm", mm) // as micrometres it would be nothing
		if questioned {
			want := float64(smallMM)
			if mm > smallMM {
				want = largeMM
			}
			assert.InDelta(t, want, f[0].Limit, 0)
			assert.InDelta(t, mm, f[0].Value, 1e-9)
		}
		f, p = Size(box(mm), units.Inch, func(float64) int { return 3 })
		assert.Empty(t, f)
		assert.Empty(t, p)
	}
	// What would be just as long as people make is proposed.
	_, p := Size(box(smallMM/25.4), "", func(float64) int { return 1 })
	require.NotEmpty(t, p)
	assert.Equal(t, units.Inch, p[0].Unit)
	for _, c := range []struct {
		x, y, z float64
		told    bool
	}{{240, 30, 4, true}, {239.9, 30, 4, false}, {30, 240, 4, true}, {300, 30, 4.01, false}, {300, 300, 0, false}, {60, 1, 1, true}} {
		f := Flat(mesh.Box{Max: mesh.Vec3{X: c.x, Y: c.y, Z: c.z}})
		assert.Equal(t, c.told, len(f) == 1, "%v", c)
		if c.told {
			assert.InDelta(t, math.Max(c.x, c.y)/c.z, f[0].Value, 1e-9)
		}
	}
	f := Fits(3, 0, 0.4567)
	require.Len(t, f, 1)
	assert.InDelta(t, 45.67, f[0].Value, 1e-9)
	assert.Contains(t, f[0].Text, "45.6 %", "downwards, so that it does fit")
	assert.Empty(t, Fits(3, 1, 1))
	assert.Empty(t, Fits(0, 0, 0))
}

// Of every kind of fault as many places are told as there are faults, up to the bound; each
// at its own fault; and the count is of all.
func TestEveryKindOfFaultIsCountedAndPlaced(t *testing.T) {
	for _, n := range []int{1, 2, finding.MaxPlaces, finding.MaxPlaces + 3} {
		at := func(k int) mesh.Vec3 { return mesh.Vec3{X: 40 * float64(k), Y: 7, Z: 3} }
		for name, c := range map[string]struct {
			check string
			one   func() *mesh.Mesh // a fault, within 20 mm of its origin
			unit  float64           // what it counts
			big   float64           // a sound box of so many mm beside them
		}{
			"overlapping": {"overlapping bodies", func() *mesh.Mesh {
				m := solid.Box(9, 8, 7)
				m.Append(solid.Box(5, 5, 5).Transformed(1, mesh.Vec3{X: 6, Y: 1.5, Z: 1}))
				return m
			}, 1, 0},
			"crumbs": {"crumbs", func() *mesh.Mesh { return solid.Box(0.3, 0.3, 0.3) }, 1, 90},
			"touching": {"touching bodies", func() *mesh.Mesh {
				m := solid.Box(9, 8, 7)
				m.Append(solid.Box(5, 8, 7).Transformed(1, mesh.Vec3{X: 9}))
				return m
			}, 1, 0},
			"inside out": {"inside out", func() *mesh.Mesh {
				m := solid.Box(9, 8, 7)
				for i := range m.Triangles {
					x := &m.Triangles[i]
					x[0], x[1] = x[1], x[0]
				}
				return m
			}, 1, 30},
			"twice": {"repeated triangles", func() *mesh.Mesh {
				m := solid.Box(9, 8, 7)
				m.Triangles = append(m.Triangles, m.Triangles[4])
				return m
			}, 1, 0},
			"crossing": {"crosses itself", bowTie, 0, 0},
		} {
			m := &mesh.Mesh{}
			for k := range n {
				m.Append(c.one().Transformed(1, at(k)))
			}
			if c.big > 0 {
				m.Append(solid.Box(c.big, c.big, c.big).Transformed(1, mesh.Vec3{X: -200}))
			}
			r, err := mesh.Inspect(context.Background(), m)
			require.NoError(t, err)
			all, _ := Surface(m, r, 1)
			var f *finding.Finding
			for i := range all {
				if all[i].Check == c.check {
					f = &all[i]
				}
			}
			if !assert.NotNil(t, f, "%d %s: %+v", n, name, all) {
				continue
			}
			if c.unit > 0 {
				assert.InDelta(t, c.unit*float64(n), f.Value, 0, "%d %s", n, name)
				assert.Len(t, f.Places, min(n, finding.MaxPlaces), "%d %s", n, name)
			}
			assert.LessOrEqual(t, len(f.Places), finding.MaxPlaces)
			seen := map[int]bool{}
			for _, p := range f.Places {
				k := int(math.Round((p[0] - 7) / 40))
				d := mesh.Vec3{X: p[0], Y: p[1], Z: p[2]}.Sub(at(k))
				assert.True(t, d.X >= -0.01 && d.X <= 20 && d.Y >= -0.01 && d.Y <= 9 && d.Z >= -0.01 && d.Z <= 9, "%s: %v is at no fault", name, p)
				seen[k] = true
			}
			if c.unit > 0 {
				assert.Len(t, seen, min(n, finding.MaxPlaces), "%s: each its own", name)
			}
		}
	}
}

// bowTie is one body whose walls go through each other: a prism over a bow tie, closed.
func bowTie() *mesh.Mesh {
	p := []mesh.Vec3{{}, {X: 9, Y: 8}, {X: 9}, {Y: 8}}
	m := &mesh.Mesh{}
	for _, z := range []float64{0, 7} {
		for _, q := range p {
			m.Vertices = append(m.Vertices, mesh.Vec3{X: q.X, Y: q.Y, Z: z})
		}
	}
	for i := range uint32(4) {
		k := (i + 1) % 4
		m.Triangles = append(m.Triangles, [3]uint32{i, k, k + 4}, [3]uint32{i, k + 4, i + 4})
	}
	m.Triangles = append(m.Triangles, [3]uint32{0, 2, 1}, [3]uint32{0, 3, 2}, [3]uint32{4, 5, 6}, [3]uint32{4, 6, 7})
	return m
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

// Two triangles that go through each other are pointed at where they do, whichever of them
// has the side that does; where they only touch, the smaller one's middle stands in.
func TestWhereTwoTrianglesMeet(t *testing.T) {
	m := &mesh.Mesh{Vertices: []mesh.Vec3{{X: -10, Y: -10}, {X: 10, Y: -10}, {Y: 20}, {X: 1, Y: 2, Z: -3}, {X: 1, Y: 2, Z: 3}, {X: 90, Y: 2, Z: 1}, {X: 200, Y: 200, Z: 50}, {X: 203, Y: 200, Z: 50}, {X: 200, Y: 203, Z: 53}},
		Triangles: [][3]uint32{{0, 1, 2}, {3, 4, 5}, {6, 7, 8}}}
	s := &surface{m: m, mm: 1}
	for _, pair := range [][2]int32{{0, 1}, {1, 0}} {
		at := s.meet(pair[0], pair[1])
		assert.InDelta(t, 0, at.Z, 1e-9)
		assert.InDelta(t, 2, at.Y, 1e-9)
		assert.GreaterOrEqual(t, at.X, 1-1e-9)
	}
	for _, pair := range [][2]int32{{0, 2}, {2, 0}} {
		assert.InDelta(t, 0, s.meet(pair[0], pair[1]).Sub(mesh.Vec3{X: 201, Y: 201, Z: 51}).Len(), 1e-9, "the smaller")
	}
}
