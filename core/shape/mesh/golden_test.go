package mesh_test

import (
	"context"
	"fmt"
	"hash/fnv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// spoiled calls f with small bodies, each with faults of many kinds.
func spoiled(f func(name string, m *mesh.Mesh)) {
	shapes := append(solid.Small(), solid.LampBracket())
	for seed := range uint64(60) {
		k := seed % uint64(len(shapes))
		f(fmt.Sprintf("%d of shape %d", seed, k), solid.Spoil(shapes[k], seed))
	}
}

// All that is found out about sixty spoiled bodies is as it was. Other tests say what is
// right; this one says that nothing moved.
func TestReportsAreAsTheyWere(t *testing.T) {
	var out strings.Builder
	spoiled(func(name string, m *mesh.Mesh) {
		r, err := mesh.Inspect(context.Background(), m)
		require.NoError(t, err)
		topo := r.Topology
		fmt.Fprintf(&out, "%s: %d open %d non-manifold %d misoriented, %d bodies, %.5g\n  ", name, topo.Boundary, topo.NonManifold, topo.Misoriented, topo.Bodies, r.Measures)
		for i := range r.Bodies {
			b := &r.Bodies[i]
			fmt.Fprintf(&out, "%d %.5g %.5g %v%v%v%v; ", b.Triangles, b.Volume, b.Area, b.Closed, b.InsideOut, b.Cavity, b.Debris)
		}
		fmt.Fprintf(&out, "\n  flat %v twice %v crossings %d overlaps %v touching %v", r.Degenerate, r.Duplicate, r.Crossings.Count, r.Overlaps, r.Touching)
		h := fnv.New32()
		s := mesh.Simplified(m, len(m.Triangles)/2)
		fmt.Fprintf(h, "%v %v %v %v %v", r.Loops, r.Crossings, s.Triangles, mesh.NestingOf(m).Bodies, r.Sound())
		for _, l := range mesh.Rims(m, mesh.TopologyOf(m)) {
			pts := make([]mesh.Vec3, len(l.Vertices))
			for i, v := range l.Vertices {
				pts[i] = m.Vertices[v]
			}
			fmt.Fprint(h, mesh.TriangulateLoop(pts), mesh.TriangulateFace(pts))
		}
		fmt.Fprintf(&out, " all %08x\n", h.Sum32())
	})
	golden.Assert(t, out.String(), "reports.txt")
}
