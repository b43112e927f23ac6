package section

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
	for _, c := range []struct {
		name string
		m    *mesh.Mesh
		unit float64
	}{{"comb", comb, 1}, {"star", spiky, 1}, {"tongue", tongue, 1}, {"finial", solid.MastFinial(), 1}, {"cleat", solid.MooringCleat(), 1},
		{"torus in inches", solid.Torus(0.9, 0.3, 40, 20), 25.4}, {"hull", solid.Hull(), 1}} {
		m := &mesh.Mesh{Triangles: c.m.Triangles}
		for _, v := range c.m.Vertices {
			m.Vertices = append(m.Vertices, v.Add(mesh.Vec3{X: -31 / c.unit, Y: 17 / c.unit, Z: 100 / c.unit}))
		}
		s, err := NewStack(context.Background(), m, mesh.TopologyOf(m), Layering{FirstMM: 0.35, LayerMM: 0.25, LeastMM: 0.1, MostMM: 0.4}, c.unit, nil)
		require.NoError(t, err)
		fmt.Fprintf(&out, "%s: %d layers, %.6g high, hull %.6g\n", c.name, len(s.Slabs), s.HeightMM, s.FootHullMM)
		every := max(1, len(s.Slabs)/7)
		for i := 0; i < len(s.Slabs); i += every {
			b := &s.Slabs[i]
			all := fnv.New32() // of all slabs from here to the next that is told
			for _, x := range s.Slabs[i:min(i+every, len(s.Slabs))] {
				fmt.Fprintf(all, "%.6g %.6g %.6g %.5g %v %d %d %d\n", x.AreaMM2, x.LengthMM, x.MitreRad, x.Tips.Deg, x.Turns, x.Outers, x.Holes, x.Open)
			}
			fmt.Fprintf(&out, "  %d: %.6g mm² %.6g mm, mitre %.6g, %d %d %d, tips %d %d %.6g %v, turns", i, b.AreaMM2, b.LengthMM, b.MitreRad,
				b.Outers, b.Holes, b.Open, b.Tips.Count, b.Tips.Cut, b.Tips.Deg, b.Tips.At)
			for _, u := range b.Turns {
				fmt.Fprintf(&out, " %d %.5g", u.Count, u.SumRad)
			}
			fmt.Fprintf(&out, ", all %08x\n", all.Sum32())
		}
		for k, x := range s.Thin {
			if k%9 == 0 {
				fmt.Fprintf(&out, "  thin %d of %d: %+v\n", k, len(s.Thin), x)
			}
		}
		for _, ask := range [][4]float64{{3, 2, 0.9, 1.2}, {1, 4, 0.3, 0}} {
			var caps float64
			pieces := 0
			all := fnv.New32()
			for _, x := range s.Within(int(ask[0]), int(ask[1]), ask[2], ask[3]) {
				caps, pieces = caps+x.SolidShare, pieces+x.Pieces
				fmt.Fprintf(all, "%v\n", x)
			}
			fmt.Fprintf(&out, "  within %v: solid %.6g, pieces %d, all %08x\n", ask, caps, pieces, all.Sum32())
		}
		for _, ask := range []SupportAsk{{Lean: 1, VerticalGap: 1, Interface: 3, WidenMM: 0.4, HorizontalGapMM: 0.7}, {Lean: 0.6, PlateOnly: true, Interface: 1, WidenMM: 1.1, HorizontalGapMM: 0.3}} {
			cols := s.Support(ask)
			var all [5]float64
			for _, k := range cols {
				h := float64(k.To - k.From)
				all[0], all[1], all[2] = all[0]+h*k.AreaMM2, all[1]+h*k.InterfaceMM2, all[2]+h*k.RimMM
				all[3] += float64(k.From)
				if k.OnPart {
					all[4]++
				}
			}
			each := fnv.New32()
			fmt.Fprintf(each, "%v", cols)
			fmt.Fprintf(&out, "  support %v: %d columns, %.6g, each %08x\n", ask, len(cols), all, each.Sum32())
		}
	}
	// Of many more, by thick and thin layers, whole and spoiled, the sum of all.
	many := append(solid.Parts(), solid.Parts()...)
	for i := range many[len(many)/2:] {
		many[len(many)/2+i].Mesh = solid.Spoil(many[i].Mesh, uint64(i)) //nolint:gosec // small
	}
	for seed := range uint64(90) {
		many = append(many, solid.Part{Name: fmt.Sprint("drawn ", seed), Mesh: solid.Drawn(seed)})
	}
	for i, p := range many {
		m, unit := p.Mesh, []float64{1, 10, 0.2}[i%3]
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
