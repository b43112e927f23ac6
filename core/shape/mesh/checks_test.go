package mesh_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
)

var ctx = context.Background()

func inspect(t testing.TB, m *mesh.Mesh) *mesh.Report {
	t.Helper()
	r, err := mesh.Inspect(ctx, m)
	require.NoError(t, err)
	return r
}

// apart says that two triangles with whole coordinates have no point in common:
// some plane whose normal is a face's, a product of two edges, or an edge's in
// the common plane, separates them (the separating axis theorem for convex
// sets). All sums are exact in int64. It is the slow twin of the crossing test.
func apart(p, q [3][3]int64) bool {
	sub := func(a, b [3]int64) [3]int64 { return [3]int64{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }
	cross := func(a, b [3]int64) [3]int64 {
		return [3]int64{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
	}
	dot := func(a, b [3]int64) int64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }
	var e, f [3][3]int64
	for k := range 3 {
		e[k], f[k] = sub(p[(k+1)%3], p[k]), sub(q[(k+1)%3], q[k])
	}
	n, m := cross(e[0], e[1]), cross(f[0], f[1])
	axes := [][3]int64{n, m}
	for i := range 3 {
		for j := range 3 {
			axes = append(axes, cross(e[i], f[j]))
		}
		axes = append(axes, cross(n, e[i]), cross(m, f[i]))
	}
	for _, a := range axes {
		if a == [3]int64{} {
			continue
		}
		var pr, qr []int64
		for k := range 3 {
			pr, qr = append(pr, dot(a, p[k])), append(qr, dot(a, q[k]))
		}
		if slices.Max(pr) < slices.Min(qr) || slices.Max(qr) < slices.Min(pr) {
			return true
		}
	}
	return false
}

// Triangles of few coordinates touch, lie in one plane and share lines often.
func TestCrossingsAgreeWithSeparatingPlanes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := rapid.Int64Range(-4, 4)
		var tris [][3][3]int64
		m := &mesh.Mesh{}
		for range rapid.IntRange(2, 9).Draw(t, "triangles") {
			var tri [3][3]int64
			for k := range 3 {
				for a := range 3 {
					tri[k][a] = c.Draw(t, "c")
				}
				m.Vertices = append(m.Vertices, mesh.Vec3{X: float64(tri[k][0]) * 0.1, Y: float64(tri[k][1]), Z: float64(tri[k][2])})
			}
			n := uint32(len(m.Vertices))
			m.Triangles = append(m.Triangles, [3]uint32{n - 3, n - 2, n - 1})
			tris = append(tris, tri)
		}
		// A tenth is no float64: coordinates are scaled back to be exact.
		for i := range m.Vertices {
			m.Vertices[i].X = math.Round(m.Vertices[i].X * 10)
		}
		var want [][2]int32
		for i := range tris {
			for j := i + 1; j < len(tris); j++ {
				flat := func(p [3][3]int64) bool { return apartOfItself(p) }
				if !flat(tris[i]) && !flat(tris[j]) && !apart(tris[i], tris[j]) {
					want = append(want, [2]int32{int32(i), int32(j)})
				}
			}
		}
		got, err := mesh.NewTree(m).Crossings(ctx)
		require.NoError(t, err)
		require.Equal(t, want, got.Pairs)
		require.Equal(t, len(want), got.Count)
	})
}

func apartOfItself(p [3][3]int64) bool { // no area
	ux, uy, uz := p[1][0]-p[0][0], p[1][1]-p[0][1], p[1][2]-p[0][2]
	vx, vy, vz := p[2][0]-p[0][0], p[2][1]-p[0][1], p[2][2]-p[0][2]
	return uy*vz == uz*vy && uz*vx == ux*vz && ux*vy == uy*vx
}

// Faces that share corners or edges cross only if they meet beyond them.
func TestCrossingsOfNeighbours(t *testing.T) {
	v := func(x, y, z float64) mesh.Vec3 { return mesh.Vec3{X: x, Y: y, Z: z} }
	for _, c := range []struct {
		name string
		v    []mesh.Vec3
		t    [2][3]uint32
		want int
	}{
		{"edge, bent", []mesh.Vec3{v(0, 0, 0), v(1, 0, 0), v(0, 1, 0), v(0, -1, 1)}, [2][3]uint32{{0, 1, 2}, {1, 0, 3}}, 0},
		{"edge, flat and apart", []mesh.Vec3{v(0, 0, 0), v(1, 0, 0), v(0, 1, 0), v(0, -1, 0)}, [2][3]uint32{{0, 1, 2}, {1, 0, 3}}, 0},
		{"edge, folded over", []mesh.Vec3{v(0, 0, 0), v(1, 0, 0), v(0, 1, 0), v(0.2, 0.3, 0)}, [2][3]uint32{{0, 1, 2}, {1, 0, 3}}, 1},
		{"corner, apart", []mesh.Vec3{v(0, 0, 0), v(1, 0, 0), v(0, 1, 0), v(-1, 0, 1), v(-1, -1, -1)}, [2][3]uint32{{0, 1, 2}, {0, 3, 4}}, 0},
		{"corner, through", []mesh.Vec3{v(0, 0, 0), v(1, 0, 0), v(0, 1, 0), v(0.3, 0.3, 1), v(0.3, 0.3, -1)}, [2][3]uint32{{0, 1, 2}, {0, 3, 4}}, 1},
		{"corner, flat and apart", []mesh.Vec3{v(0, 0, 0), v(1, 0, 0), v(0, 1, 0), v(-1, 0, 0), v(0, -1, 0)}, [2][3]uint32{{0, 1, 2}, {0, 3, 4}}, 0},
		{"corner, flat and over", []mesh.Vec3{v(0, 0, 0), v(1, 0, 0), v(0, 1, 0), v(1, 1, 0), v(1, 0.2, 0)}, [2][3]uint32{{0, 1, 2}, {0, 3, 4}}, 1},
		{"all three", []mesh.Vec3{v(0, 0, 0), v(1, 0, 0), v(0, 1, 0)}, [2][3]uint32{{0, 1, 2}, {0, 2, 1}}, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := mesh.NewTree(&mesh.Mesh{Vertices: c.v, Triangles: c.t[:]}).Crossings(ctx)
			require.NoError(t, err)
			assert.Equal(t, c.want, got.Count)
		})
	}
}

// Crossing is the same for a turned and moved copy, near enough to general
// position, and whatever the order of the triangles.
func TestCrossingsDoNotDependOnOrder(t *testing.T) {
	m := solid.CrossedBand()
	want := inspect(t, m).Crossings.Count
	require.Positive(t, want)
	r := &mesh.Mesh{Vertices: m.Vertices, Triangles: slices.Clone(m.Triangles)}
	slices.Reverse(r.Triangles)
	assert.Equal(t, want, inspect(t, r).Crossings.Count)
	for _, p := range []*mesh.Mesh{solid.Sphere(10, 64), solid.Torus(20, 5, 64, 32), solid.MooringCleat(), solid.Bollard()} {
		assert.Zero(t, inspect(t, p).Crossings.Count)
	}
}

func twoBoxes(dx, dy, dz float64) *mesh.Mesh {
	m := solid.Box(10, 10, 10)
	m.Append(solid.Box(10, 10, 10).Transformed(1, mesh.Vec3{X: dx, Y: dy, Z: dz}))
	return m
}

func inward(m *mesh.Mesh) *mesh.Mesh {
	out := &mesh.Mesh{Vertices: m.Vertices}
	for _, t := range m.Triangles {
		out.Triangles = append(out.Triangles, [3]uint32{t[0], t[2], t[1]})
	}
	return out
}

func nested(inner *mesh.Mesh) *mesh.Mesh {
	m := solid.Box(30, 30, 30)
	m.Append(inner.Transformed(1, mesh.Vec3{X: 8, Y: 9, Z: 10}))
	return m
}

// What each fault looks like. Counts are by hand: a box has 12 triangles and 18
// edges.
func TestInspectNamesFaultsAndPlaces(t *testing.T) {
	box := solid.Box(10, 10, 10)
	t.Run("sound", func(t *testing.T) {
		for _, m := range []*mesh.Mesh{box, solid.Torus(20, 5, 64, 32), twoBoxes(20, 0, 0), nested(inward(box))} {
			assert.True(t, inspect(t, m).Sound())
		}
	})
	t.Run("hole", func(t *testing.T) {
		bottomless := append([][3]uint32{box.Triangles[1]}, box.Triangles[3:]...)
		r := inspect(t, &mesh.Mesh{Vertices: box.Vertices, Triangles: bottomless})
		require.Len(t, r.Loops, 1)
		total := 0.0
		for _, l := range r.Loops {
			assert.False(t, l.Loose)
			total += l.Area
		}
		assert.InDelta(t, 100, total, 1e-9, "the missing square")
		assert.InDelta(t, 40, r.Loops[0].Length, 1e-9)
	})
	t.Run("two holes that meet in a corner", func(t *testing.T) {
		var kept [][3]uint32
		for i, v := range box.Triangles {
			if i%2 == 0 || i > 6 {
				kept = append(kept, v)
			}
		}
		r := inspect(t, &mesh.Mesh{Vertices: box.Vertices, Triangles: kept})
		edges := 0
		for _, l := range r.Loops {
			seen := map[uint32]bool{}
			for _, v := range l.Vertices {
				assert.False(t, seen[v], "a rim passes a corner once")
				seen[v] = true
			}
			edges += len(l.Vertices)
		}
		assert.Equal(t, r.Topology.Boundary, edges, "every open edge is in one rim")
	})
	t.Run("duplicates, both ways round", func(t *testing.T) {
		d := box.Triangles[4]
		m := &mesh.Mesh{Vertices: box.Vertices, Triangles: append(slices.Clone(box.Triangles), d, [3]uint32{d[0], d[2], d[1]})}
		assert.Equal(t, []int32{12, 13}, inspect(t, m).Duplicate)
		flap := &mesh.Mesh{Vertices: box.Vertices, Triangles: [][3]uint32{d, {d[0], d[2], d[1]}}}
		assert.Equal(t, []int32{1}, inspect(t, flap).Duplicate)
	})
	t.Run("degenerate", func(t *testing.T) {
		m := &mesh.Mesh{Vertices: append(slices.Clone(box.Vertices), mesh.Vec3{X: 5}), Triangles: append(slices.Clone(box.Triangles), [3]uint32{0, 0, 1}, [3]uint32{0, 8, 1})}
		assert.Equal(t, []int32{12, 13}, inspect(t, m).Degenerate)
	})
	t.Run("inside out", func(t *testing.T) {
		r := inspect(t, inward(box))
		assert.True(t, r.Bodies[0].InsideOut)
	})
	t.Run("cavity", func(t *testing.T) {
		r := inspect(t, nested(inward(box)))
		assert.True(t, r.Bodies[1].Cavity)
		assert.False(t, r.Bodies[1].InsideOut)
		assert.Empty(t, r.Overlaps)
		assert.InDelta(t, 27000-1000, r.Measures.Volume, 1e-6)
	})
	t.Run("body in a body", func(t *testing.T) {
		r := inspect(t, nested(box))
		require.Len(t, r.Overlaps, 1)
		assert.Zero(t, r.Overlaps[0].Pairs)
	})
	t.Run("overlap", func(t *testing.T) {
		r := inspect(t, twoBoxes(3, 4, 5))
		require.Len(t, r.Overlaps, 1)
		assert.Positive(t, r.Overlaps[0].Pairs)
		assert.Equal(t, r.Crossings.Count, r.Overlaps[0].Pairs)
	})
	t.Run("debris", func(t *testing.T) {
		m := solid.Box(100, 100, 100)
		m.Append(solid.Box(0.5, 0.5, 0.5).Transformed(1, mesh.Vec3{X: 200}))
		r := inspect(t, m)
		assert.Equal(t, []bool{false, true}, []bool{r.Bodies[0].Debris, r.Bodies[1].Debris})
	})
}

// packaged reads a mesh from a package of the npm registry.
func packaged(t testing.TB, name string) *mesh.Mesh {
	t.Helper()
	out, err := exec.Command("node", "-e", `const p = require("../../../web/node_modules/`+name+`"); const m = typeof p === 'function' ? p(3) : p;
		console.log(JSON.stringify({Vertices: m.positions, Triangles: m.cells}))`).Output()
	require.NoError(t, err, "node with %s: run `make test` once", name)
	var raw struct {
		Vertices  [][3]float64
		Triangles [][3]uint32
	}
	require.NoError(t, json.Unmarshal(out, &raw))
	m := &mesh.Mesh{Triangles: raw.Triangles}
	for _, v := range raw.Vertices {
		m.Vertices = append(m.Vertices, mesh.Vec3{X: v[0], Y: v[1], Z: v[2]})
	}
	return m
}

// Open meshes of the npm registry and shapes made by code. Counts: the teapot
// (public domain) by its arrays, open edges counted with a map in JavaScript;
// the icosphere from the icosahedron's 20 faces, four times each subdivision,
// 20·4³ = 1280, and Euler's 10·4³+2 = 642 vertices, all on the unit sphere.
func TestChecksOfKnownMeshes(t *testing.T) {
	ico := packaged(t, "icosphere")
	pot := packaged(t, "teapot")
	for _, c := range []struct {
		name                                        string
		m                                           *mesh.Mesh
		triangles, boundary, shared, turned, bodies int
		volume, area, within                        float64
		crosses, sound                              bool
	}{
		{"icosphere", ico, 1280, 0, 0, 0, 1, 4. / 3 * math.Pi, 4 * math.Pi, 0.01, false, true},
		{"rabbit", rabbit(t), 3674, 0, 0, 0, 1, 0, 0, 0, false, true},
		{"box", solid.Box(2, 3, 4), 12, 0, 0, 0, 1, 24, 52, 1e-12, false, true},
		{"box in a box", nested(solid.Box(10, 10, 10)), 24, 0, 0, 0, 2, 28000, 6000, 1e-12, false, false},
		{"overlapping boxes", twoBoxes(3, 4, 5), 24, 0, 0, 0, 2, 2000, 1200, 1e-12, true, false},
		{"teapot", pot, 0, -1, 0, 0, 0, 0, 0, 0, true, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := inspect(t, c.m)
			if c.triangles > 0 {
				assert.Equal(t, [5]int{c.triangles, c.boundary, c.shared, c.turned, c.bodies},
					[5]int{len(c.m.Triangles), r.Topology.Boundary, r.Topology.NonManifold, r.Topology.Misoriented, r.Topology.Bodies})
			} else {
				b, nm, mis := slowEdges(c.m)
				assert.Equal(t, [3]int{b, nm, mis}, [3]int{r.Topology.Boundary, r.Topology.NonManifold, r.Topology.Misoriented})
				assert.Positive(t, b, "a teapot is open")
			}
			if c.volume > 0 {
				assert.InEpsilon(t, c.volume, r.Measures.Volume, c.within)
				assert.InEpsilon(t, c.area, r.Measures.Area, c.within)
			}
			assert.Equal(t, c.crosses, r.Crosses(), "crossings: %d", r.Crossings.Count)
			assert.Equal(t, c.sound, r.Sound())
		})
	}
}

// Volume and area against manifold-3d (npm) run under node, on every sound part
// of the demo house, closed forms and open scans, relative to 1e-6.
func TestMeasuresAgreeWithAGeometryLibrary(t *testing.T) {
	type named struct {
		name string
		m    *mesh.Mesh
	}
	var all []named
	for _, p := range solid.Parts() {
		if r := inspect(t, p.Mesh); r.Topology.Closed() && r.Topology.Oriented() {
			all = append(all, named{p.Name, p.Mesh})
		}
	}
	all = append(all, named{"rabbit", rabbit(t)}, named{"icosphere", packaged(t, "icosphere")}, named{"sphere", solid.Sphere(10, 60)},
		named{"torus", solid.Torus(20, 5, 50, 30)}, named{"box", solid.Box(1, 2, 3)}, named{"cylinder", solid.Cylinder(3, 8, 77)}, named{"boxes", twoBoxes(20, 1, 2)})
	require.GreaterOrEqual(t, len(all), 20)
	dir := t.TempDir()
	args := []string{"testdata/peer.mjs"}
	for _, n := range all {
		var b bytes.Buffer
		require.NoError(t, modelfile.WriteSTL(&b, n.m, ""))
		name := filepath.Join(dir, n.name+".stl")
		require.NoError(t, os.WriteFile(name, b.Bytes(), 0o600))
		args = append(args, name)
	}
	cmd := exec.Command("node", args...)
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	require.Len(t, lines, len(all))
	for i, l := range lines {
		var peer struct {
			Status       string
			Volume, Area float64
		}
		require.NoError(t, json.Unmarshal([]byte(l), &peer))
		require.Equal(t, "NoError", peer.Status, all[i].name)
		read, err := modelfile.Read(ctx, strings.NewReader(mustFile(t, args[i+1])), -1, modelfile.Limits{}, nil)
		require.NoError(t, err)
		got := read.Models[0].Mesh.Measure()
		assert.InEpsilon(t, peer.Volume, got.Volume, 1e-6, fmt.Sprint(all[i].name, " volume"))
		assert.InEpsilon(t, peer.Area, got.Area, 1e-6, fmt.Sprint(all[i].name, " area"))
	}
}

func mustFile(t *testing.T, name string) string {
	b, err := os.ReadFile(name)
	require.NoError(t, err)
	return string(b)
}

// What is counted for each body adds up to the whole model's, and each body has the figures
// that it has alone.
func TestBodiesAddUp(t *testing.T) {
	both := solid.Box(4, 5, 6)
	both.Append(solid.Box(1, 2, 3).Transformed(1, mesh.Vec3{X: 40, Y: -7, Z: 12}))
	r := inspect(t, both)
	require.Len(t, r.Bodies, 2)
	for i, want := range []struct{ mm3, mm2 float64 }{{120, 148}, {6, 22}} {
		assert.InDelta(t, want.mm3, r.Bodies[i].Volume, 1e-9)
		assert.InDelta(t, want.mm2, r.Bodies[i].Area, 1e-9)
		assert.Equal(t, 12, r.Bodies[i].Triangles)
	}
	for _, p := range solid.Parts() {
		r := inspect(t, p.Mesh)
		volume, area, closed := 0.0, 0.0, true
		for _, b := range r.Bodies {
			volume, area, closed = volume+b.Volume, area+b.Area, closed && b.Closed
		}
		assert.InEpsilon(t, r.Measures.Area, area, 1e-9, p.Name)
		if closed {
			assert.InEpsilon(t, r.Measures.Volume, volume, 1e-9, p.Name)
		}
	}
}
