package printability

import (
	"context"
	"fmt"
	"hash/fnv"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
)

// What is told of eighty spoiled bodies in three units, and of boxes of every size, is as it
// was, word by word, with its places and what is drawn. Other tests say what is right; this
// one says that nothing moved.
func TestFindingsAreAsTheyWere(t *testing.T) {
	var out strings.Builder
	shapes := solid.Small()
	for seed := range uint64(80) {
		m := solid.Spoil(shapes[seed%4], 500+seed)
		r, err := mesh.Inspect(context.Background(), m)
		require.NoError(t, err)
		found, evidence := Surface(m, r, []float64{1, 25.4, 10}[seed%3])
		h := fnv.New32()
		for _, e := range evidence {
			fmt.Fprintf(h, "%s %.4g %.4g\n", e.Check, e.Lines, e.Faces)
		}
		fmt.Fprintf(&out, "%d: drawn %08x\n", seed, h.Sum32())
		for _, f := range found {
			fmt.Fprintf(&out, "  %s, %s: %.6g of %.4g %s, %v, at %.5g; %s\n", f.Check, f.Grade, f.Value, f.Limit, f.Unit, f.Mend, f.Places, f.Text)
		}
	}
	dust := solid.Box(20, 12, 7) // more of everything than places are told of
	for k := range 60 {
		dust.Append(solid.Box(0.05, 0.05, 0.05).Transformed(1, mesh.Vec3{X: float64(k), Y: -3}))
		x := solid.Box(2, 2, 2).Transformed(1, mesh.Vec3{X: 3 * float64(k), Z: 30})
		dust.Append(&mesh.Mesh{Vertices: x.Vertices, Triangles: x.Triangles[k%5:]})
	}
	wreck := &mesh.Mesh{} // the same, of every fault
	for k := range uint64(60) {
		wreck.Append(solid.Spoil(shapes[k%4], 900+k).Transformed(1, mesh.Vec3{X: 60 * float64(k%8), Y: 60 * float64(k/8)}))
	}
	for _, m := range []*mesh.Mesh{dust, wreck, {}, {Vertices: dust.Vertices[:8], Triangles: dust.Triangles[:2]}} {
		r, err := mesh.Inspect(context.Background(), m)
		require.NoError(t, err)
		found, _ := Surface(m, r, 25.4)
		for _, f := range found {
			fmt.Fprintf(&out, "  %s, %s: %.6g of %.4g %s, %v, at %.5g; %s\n", f.Check, f.Grade, f.Value, f.Limit, f.Unit, f.Mend, f.Places, f.Text)
		}
	}
	for k, longest := range []float64{5.99, 6, 6.01, 999, 1000, 1001, 0.4, 0.23} {
		found, proposed := Size(mesh.Box{Max: mesh.Vec3{X: longest}}, "", func(float64) int { return k })
		fmt.Fprintf(&out, "%g: %+v %+v\n", longest, found, proposed)
	}
	for _, e := range [][2]float64{{4, 240}, {4, 239.9}, {4.001, 300}, {2, 120}, {2, 50}, {1, 60}, {0, 90}, {4.01, 200}, {2.5, 100}, {3, 75}} { // edges of what is flat
		fmt.Fprintf(&out, "%g by %g: %+v\n", e[1], e[0], Flat(mesh.Box{Max: mesh.Vec3{X: e[1], Y: 20, Z: e[0]}}))
	}
	for k := range 40 {
		x := 0.04 * math.Pow(1.5, float64(k))
		b := mesh.Box{Min: mesh.Vec3{X: -x, Y: 3, Z: -1}, Max: mesh.Vec3{X: x * float64(k%2), Y: 3 + x/7, Z: -1 + x/float64(20+9*k)}}
		for _, stated := range []units.Length{"", units.Centimetre} {
			found, proposed := Size(b, stated, func(scale float64) int { return int(40/(1+x*scale)) % 6 })
			fmt.Fprintf(&out, "%.4g %s: %+v %+v\n", x, stated, found, proposed)
		}
		fmt.Fprintf(&out, "  flat %+v, fits %+v, rounded %+v\n", Flat(b), Fits(k%4, k%3, 1/x), Rounded(3*float64(k)+1, x, 0.45, ShortMM(3*float64(k)+1, 0.45), [3]float64{x, 0, 1}))
	}
	golden.Assert(t, out.String(), "findings.txt")
}
