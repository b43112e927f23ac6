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
// sets). In one plane they are apart if they share no area: sides that lie along each
// other, or corners that touch there, are none. All sums are exact in int64. It is the
// slow twin of the crossing test.
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
	flat := int64(0) // in one plane, what only touches is apart
	var axes [][3]int64
	for i := range 3 {
		axes = append(axes, cross(n, e[i]), cross(m, f[i]))
	}
	if cross(n, m) == [3]int64{} && dot(n, sub(q[0], p[0])) == 0 {
		flat = 1
	} else {
		axes = append(axes, n, m)
		for i := range 3 {
			for j := range 3 {
				axes = append(axes, cross(e[i], f[j]))
			}
		}
	}
	for _, a := range axes {
		if a == [3]int64{} {
			continue
		}
		var pr, qr []int64
		for k := range 3 {
			pr, qr = append(pr, dot(a, p[k])), append(qr, dot(a, q[k]))
		}
		if slices.Max(pr) < slices.Min(qr)+flat || slices.Max(qr) < slices.Min(pr)+flat {
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
