package section

import (
	"context"
	"fmt"
	"hash/fnv"
	"math"
	"slices"
	"strings"
	"testing"

	"gotest.tools/v3/golden"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// All that is measured of parts of many kinds, off the origin and in inches, is as it was.
// Other tests say what is right; this one says that nothing moved.
func TestMeasuresAreAsTheyWere(t *testing.T) {
	comb := &mesh.Mesh{}
	put := func(m *mesh.Mesh, x, y, z float64) {
		n := uint32(len(comb.Vertices))
		for _, v := range m.Vertices {
			comb.Vertices = append(comb.Vertices, v.Add(mesh.Vec3{X: x, Y: y, Z: z}))
		}
		for _, f := range m.Triangles {
			comb.Triangles = append(comb.Triangles, [3]uint32{f[0] + n, f[1] + n, f[2] + n})
		}
	}
	put(solid.Box(40, 12, 4), 0, 0, 0)
	for k := range 5 {
		put(solid.Box(0.2+0.15*float64(k), 10, 9), 3+8*float64(k), 1, 4) // fins
	}
	put(solid.Box(60, 12, 2), -10, 0, 13)  // a roof over them
	put(solid.Sphere(5, 24), 70, 6, 12)    // in mid-air
	put(solid.Cylinder(3, 6, 3), 55, 6, 2) // sharp corners
	star := []solid.P{}
	for k := range 16 {
		r := []float64{14, 5.5}[k%2]
		star = append(star, solid.P{X: r * math.Cos(math.Pi/8*float64(k)), Y: r * math.Sin(math.Pi/8*float64(k))})
	}
	tongue := solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 20, Y: 0}, {X: 20, Y: 5}, {X: 30, Y: 5}, {X: 30, Y: 5.4}, {X: 20, Y: 5.4}, {X: 20, Y: 10}, {X: 0, Y: 10}}, nil, 30)
	spiky := solid.Extrude(star, nil, 5)
	var out strings.Builder
	many := append(solid.Parts(), solid.Parts()...)
	for i := range many[len(many)/2:] {
		many[len(many)/2+i].Mesh = solid.Spoil(many[i].Mesh, uint64(i)) //nolint:gosec // small
	}
	for name, m := range map[string]*mesh.Mesh{"comb": comb, "star": spiky, "tongue": tongue, "torus": solid.Torus(23, 8, 40, 20)} {
		many = append(many, solid.Part{Name: name, Mesh: m})
	}
	slices.SortStableFunc(many, func(a, b solid.Part) int { return strings.Compare(a.Name, b.Name) })
	for seed := range uint64(90) {
		many = append(many, solid.Part{Name: fmt.Sprint("drawn ", seed), Mesh: solid.Drawn(seed)})
	}
	for i, p := range many {
		unit := []float64{1, 10, 0.2}[i%3]
		m := p.Mesh.Transformed(1, mesh.Vec3{X: -31 / unit, Y: 17 / unit, Z: 100 / unit}) // off the origin
		l := Layering{FirstMM: 0.2 + 0.1*float64(i%4), LayerMM: 0.15 * float64(1+i%5), LeastMM: 0.1 + 0.1*float64(i%2), MostMM: 0.5}
		s, err := NewStack(context.Background(), m, mesh.TopologyOf(m), l, unit, nil)
		if err != nil {
			fmt.Fprintf(&out, "%s by %.3g: %v\n", p.Name, l, err)
			continue
		}
		all := fnv.New64()
		for _, x := range s.Slabs {
			fmt.Fprintf(all, "%.6g %.6g %.6g %.5g %v %d %d %d\n", x.AreaMM2, x.LengthMM, x.MitreRad, x.Tips.Deg, x.Turns, x.Outers, x.Holes, x.Open)
		}
		fmt.Fprintf(all, "%v", s.Thin)
		if len(s.Slabs) < 300 {
			for k := range 4 {
				fmt.Fprintf(all, "%v\n", s.Within(1+k, 3-k/2, 0.3+0.3*float64(k), 0.5*float64(k)))
				fmt.Fprintf(all, "%v\n", s.Support(SupportAsk{Lean: 0.4 + 0.3*float64(k), PlateOnly: k%2 > 0, VerticalGap: k, Interface: k % 3, WidenMM: 0.3 * float64(k), HorizontalGapMM: 0.4}))
			}
		}
		fmt.Fprintf(&out, "%s by %.3g: %d layers, all %016x\n", p.Name, l, len(s.Slabs), all.Sum64())
	}
	golden.Assert(t, out.String(), "measures.txt")
}
