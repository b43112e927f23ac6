package solid

import (
	"flag"
	"fmt"
	"hash/fnv"
	"math"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/mesh"
)

var update = flag.Bool("update", false, "write the golden file anew")

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

// The demo's parts are what tests and estimates are held against: none changes unseen.
func TestPartsAreAsTheyWere(t *testing.T) {
	var out strings.Builder
	for _, p := range Parts() {
		m, b := p.Mesh.Measure(), p.Mesh.Bounds().Size()
		fmt.Fprintf(&out, "%s: %s, %d triangles, %.6g × %.6g × %.6g, %.6g³, %.6g²\n", p.Name, p.Unit, len(p.Mesh.Triangles), b.X, b.Y, b.Z, m.Volume, m.Area)
	}
	for i, m := range Small() { // and what they are spoiled by, which the tests of repairs live on
		for seed := range uint64(24) {
			bad := Spoil(m, seed)
			h := fnv.New32()
			for _, v := range bad.Vertices {
				fmt.Fprintf(h, "%.5f %.5f %.5f ", v.X, v.Y, v.Z)
			}
			fmt.Fprint(h, bad.Triangles)
			fmt.Fprintf(&out, "small %d, spoiled %d: %d corners, %d triangles, %08x\n", i, seed, len(bad.Vertices), len(bad.Triangles), h.Sum32())
		}
	}
	want, err := os.ReadFile("testdata/parts.txt")
	if *update {
		require.NoError(t, os.WriteFile("testdata/parts.txt", []byte(out.String()), 0o600))
		return
	}
	require.NoError(t, err)
	assert.Equal(t, string(want), out.String())
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

// Solids of many sides have nearly the volume of the round ones (Bronstein, "Taschenbuch der
// Mathematik": cylinder πr²h, ball 4πr³/3, torus 2π²Rr²), a prism just that of its base, and
// stand where they say.
func TestSolidsHaveTheVolumeTheySay(t *testing.T) {
	for name, c := range map[string]struct {
		m    *mesh.Mesh
		want float64
		size mesh.Vec3
		z    float64 // of the lowest point
	}{
		"cylinder": {Cylinder(5, 12, 360), math.Pi * 25 * 12, mesh.Vec3{X: 10, Y: 10, Z: 12}, 0},
		"ball":     {Sphere(7, 360), 4 * math.Pi * 343 / 3, mesh.Vec3{X: 14, Y: 14, Z: 14}, Sphere(7, 360).Bounds().Min.Z},
		"torus":    {Torus(20, 4, 360, 360), 2 * math.Pi * math.Pi * 20 * 16, mesh.Vec3{X: 48, Y: 48, Z: 8}, Torus(20, 4, 360, 360).Bounds().Min.Z},
		"cone":     {Revolve([]P{{0, 0}, {6, 0}, {0, 9}}, 360), math.Pi * 36 * 9 / 3, mesh.Vec3{X: 12, Y: 12, Z: 9}, 0},
		"pipe":     {RevolveClosed([]P{{3, 0}, {5, 0}, {5, 8}, {3, 8}}, 360), math.Pi * 16 * 8, mesh.Vec3{X: 10, Y: 10, Z: 8}, 0},
	} {
		topo := mesh.TopologyOf(c.m)
		assert.True(t, topo.Closed() && topo.Oriented(), name)
		assert.InEpsilon(t, c.want, c.m.Measure().Volume, 2e-4, name)
		b := c.m.Bounds()
		for _, d := range []float64{b.Size().X - c.size.X, b.Size().Y - c.size.Y, b.Size().Z - c.size.Z, b.Min.Z - c.z} {
			assert.InDelta(t, 0, d, 2e-3, name)
		}
	}
}
