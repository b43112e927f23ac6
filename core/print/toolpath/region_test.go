package toolpath

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/drawn"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
)

func withRegions(t testing.TB, m *mesh.Mesh, r recipe.Recipe, regions ...Region) *Print {
	t.Helper()
	p, err := Slice(ctx, m, mesh.TopologyOf(m), 1, r, Options{Regions: regions}, nil)
	require.NoError(t, err)
	return p
}

// box is a region over a rectangle, mm.
func box(x0, y0, x1, y1, from, to float64, shells int, infill float64) Region {
	out := Region{Path: polygon.Path{polygon.At(x0, y0), polygon.At(x1, y0), polygon.At(x1, y1), polygon.At(x0, y1)}, FromMM: from, ToMM: to}
	if shells > 0 {
		out.Shells = new(shells)
	}
	if infill >= 0 {
		out.InfillPercent = new(infill)
	}
	return out
}

// passes is how many shells a straight line crosses from its first point on, within a layer.
func passes(l *Layer, a, b polygon.Point) (n int) {
	for k := range l.Lines {
		x := &l.Lines[k]
		if x.Kind != Outer && x.Kind != Inner {
			continue
		}
		m := len(x.Points)
		for i := range m {
			if i == m-1 && !x.Closed {
				continue
			}
			p, q := x.Points[i], x.Points[(i+1)%m]
			side := func(a, b, c polygon.Point) bool { return (b.X-a.X)*(c.Y-a.Y)-(b.Y-a.Y)*(c.X-a.X) > 0 }
			if side(a, b, p) != side(a, b, q) && side(p, q, a) != side(p, q, b) {
				n++
			}
		}
	}
	return n
}

// length is how long a layer's lines of a kind are within bounds of x, mm.
func length(l *Layer, of Kind, fromX, toX float64) (mm float64) {
	for k := range l.Lines {
		x := &l.Lines[k]
		for i := range x.Points {
			if x.Kind != of || i == len(x.Points)-1 && !x.Closed {
				continue
			}
			a, b := x.Points[i], x.Points[(i+1)%len(x.Points)]
			const parts = 40
			for n := range parts {
				if at := (float64(a.X) + (float64(n)+0.5)/parts*float64(b.X-a.X)) / 1000; at >= fromX && at < toX {
					mm += dist(a, b) / 1000 / parts
				}
			}
		}
	}
	return mm
}

// A box whose right half is to have more shells and infill between two heights has them there, and
// is as before everywhere else. A region over everything is a recipe with its settings.
func TestARegionIsFilledOtherwise(t *testing.T) {
	m := solid.Box(40, 30, 10).Transformed(1, mesh.Vec3{X: 10, Y: 10})
	r := drawn.Plain(func(r *recipe.Recipe) { r.Shells, r.InfillPercent, r.TopLayers, r.BottomLayers = 2, 20, 2, 2 })
	plain := withRegions(t, m, r)
	for name, shells := range map[string]int{"more": 5, "fewer": 1} {
		p := withRegions(t, m, r, box(30, 0, 60, 60, 3, 7, shells, 60))
		require.Len(t, p.Layers, len(plain.Layers))
		inside := 0
		for i := range p.Layers {
			l, was := &p.Layers[i], &plain.Layers[i]
			if mid := l.TopMM - l.HeightMM/2; mid < 3 || mid > 7 {
				require.Equal(t, was.Lines, l.Lines, "%s: layer %d", name, i)
				continue
			}
			inside++
			middle := polygon.At(29, 25.2)
			assert.Equal(t, 2, passes(l, polygon.At(5, 25.2), middle), "%s: left", name)
			assert.Equal(t, shells, passes(l, polygon.At(55, 25.2), polygon.At(31, 25.2)), "%s: right", name)
			// Share of infill by area, as CORE.md has it: length times width.
			rings := r.LineMM + float64(shells-1)*Spacing(r.LineMM, l.HeightMM)
			area := (20 - rings) * (30 - 2*rings)
			assert.InDelta(t, 0.6, length(l, Infill, 30, 50)*r.LineMM/area, 0.05, "%s: layer %d", name, i)
			assert.InDelta(t, length(was, Infill, 10, 30), length(l, Infill, 10, 30), 0.08*length(was, Infill, 10, 30))
			for _, kind := range []Kind{Outer, Inner} {
				assert.InDelta(t, length(was, kind, 10, 29), length(l, kind, 10, 29), 0.3, "%s: %s", name, kind)
			}
		}
		assert.Equal(t, 20, inside)
	}
	with := r
	with.Shells, with.InfillPercent = 4, 45
	all := box(-100, -100, 200, 200, -1, 100, 4, 45)
	p, q := withRegions(t, m, r, all), withRegions(t, m, with)
	for k := range kinds {
		of := func(x Kind) bool { return x == k }
		assert.InDelta(t, volume(q, of), volume(p, of), 1e-3*volume(q, of)+1e-6, k.String())
	}
	// The last of those over each other counts; one that holds nothing of the part changes nothing.
	p = withRegions(t, m, r, box(-100, -100, 200, 200, -1, 100, 7, 80), all, box(0, 0, 60, 60, 11, 20, 9, 90), box(70, 70, 80, 80, -1, 100, 9, 90))
	for k := range kinds {
		of := func(x Kind) bool { return x == k }
		assert.InDelta(t, volume(q, of), volume(p, of), 1e-3*volume(q, of)+1e-6, k.String())
	}
	assert.Equal(t, plain.Layers, withRegions(t, m, r, box(0, 0, 60, 60, 11, 20, 9, 90)).Layers)
}

// Solid throughout, whatever shells regions want: all of the part is filled, nothing twice and
// nothing beside it.
func TestDrawnRegionsFillTheirPart(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rnd := rand.New(rand.NewPCG(rapid.Uint64Range(0, 1<<40).Draw(t, "seed"), 7))
		of := func(least, most float64) float64 { return least + (most-least)*rnd.Float64() }
		m := solid.Box(of(8, 25), of(8, 25), 3)
		if rnd.IntN(2) == 0 {
			m = solid.Cylinder(of(5, 12), 3, 40)
		}
		m = m.Transformed(1, mesh.Vec3{X: 30, Y: 30})
		r := drawn.Plain(func(r *recipe.Recipe) { r.Shells, r.InfillPercent = 1+rnd.IntN(3), 100 })
		var regions []Region
		for range 1 + rnd.IntN(4) {
			var all []polygon.Point
			for range 4 + rnd.IntN(5) {
				all = append(all, polygon.At(of(15, 60), of(15, 60)))
			}
			x := Region{Path: polygon.Hull(all), FromMM: of(-1, 1), ToMM: of(1, 4)}
			if rnd.IntN(3) > 0 {
				x.Shells = new(1 + rnd.IntN(12))
			}
			if rnd.IntN(3) > 0 {
				x.InfillPercent = new(100.)
			}
			regions = append(regions, x)
		}
		slice := func() *Print {
			p, err := Slice(ctx, m, mesh.TopologyOf(m), 1, r, Options{Regions: regions}, nil)
			require.NoError(t, err)
			return p
		}
		p := slice()
		whole := m.Measure().Volume
		require.InDelta(t, whole, volume(p, model), 0.03*whole)
		var poly polygon.Scratch
		for i := range p.Layers {
			l := &p.Layers[i]
			room := poly.Offset(l.Outlines, -um(r.LineMM)/2+25, mitre)
			for k := range l.Lines {
				for _, q := range l.Lines[k].Points {
					if model(l.Lines[k].Kind) && l.Lines[k].Widths == nil {
						require.True(t, inside(room, q), "%s at %v in layer %d", l.Lines[k].Kind, q, i)
					}
				}
			}
		}
		require.Equal(t, p.Layers, slice().Layers)
	})
}

// Lines are cut where a border crosses them: what is wanted and what is not make up the line, with
// widths that go on evenly, and a ring that begins in what stays is one stretch there.
func TestLinesAreCutAtBorders(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		point := rapid.Custom(func(t *rapid.T) polygon.Point {
			return polygon.Point{X: rapid.Int64Range(-9000, 9000).Draw(t, "x"), Y: rapid.Int64Range(-9000, 9000).Draw(t, "y")}
		})
		l := Line{Points: rapid.SliceOfN(point, 2, 9).Draw(t, "line"), WidthMM: 0.4, Closed: rapid.Bool().Draw(t, "closed")}
		if rapid.Bool().Draw(t, "varies") {
			for range l.Points {
				l.Widths = append(l.Widths, rapid.Float64Range(200, 900).Draw(t, "width"))
			}
		}
		var regions []*Region
		for range rapid.IntRange(1, 3).Draw(t, "regions") {
			if h := polygon.Hull(rapid.SliceOfN(point, 3, 6).Draw(t, "hull")); len(h) >= 3 {
				regions = append(regions, &Region{Path: h})
			}
		}
		in := func(r *Region) bool { return r != nil }
		out := func(r *Region) bool { return r == nil }
		sum, volume := 0.0, 0.0
		for _, want := range []func(*Region) bool{in, out} {
			for _, x := range within([]Line{l}, regions, want) {
				sum, volume = sum+x.LengthMM(), volume+x.VolumeMM3(0.2)
				if x.Widths != nil {
					require.Len(t, x.Widths, len(x.Points))
				}
			}
		}
		// Each cut is rounded to a micrometre, and nothing that is no longer than that stays.
		require.InDelta(t, l.LengthMM(), sum, 0.2)
		require.InDelta(t, l.VolumeMM3(0.2), volume, 0.03)
	})
	square := Line{Closed: true, Points: polygon.Path{{X: 0, Y: 0}, {X: 9000, Y: 0}, {X: 9000, Y: 9000}, {X: 0, Y: 9000}}}
	right := &Region{Path: polygon.Path{{X: 5000, Y: -1000}, {X: 10000, Y: -1000}, {X: 10000, Y: 10000}, {X: 5000, Y: 10000}}}
	got := within([]Line{square}, []*Region{right}, func(r *Region) bool { return r == nil })
	require.Len(t, got, 1)
	assert.Equal(t, polygon.Path{{X: 5000, Y: 9000}, {X: 0, Y: 9000}, {X: 0, Y: 0}, {X: 5000, Y: 0}}, got[0].Points)
	assert.False(t, got[0].Closed)
	assert.Zero(t, math.Mod(got[0].LengthMM(), 19))
}
