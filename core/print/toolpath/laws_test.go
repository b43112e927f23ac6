package toolpath

import (
	"fmt"
	"math"
	"runtime"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/drawn"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
)

// Laws over parts and recipes drawn at random: every line lies in the part's
// outline of its layer, its sides too, within a hair; layers add up to the height.
func TestLawsOfAPrint(t *testing.T) {
	var s polygon.Scratch
	rapid.Check(t, func(t *rapid.T) {
		size := rapid.Float64Range(2, 14)
		var m *mesh.Mesh
		switch rapid.IntRange(0, 2).Draw(t, "shape") {
		case 0:
			m = solid.Box(size.Draw(t, "x"), size.Draw(t, "y"), size.Draw(t, "z")/3)
		case 1:
			m = solid.Cylinder(size.Draw(t, "r")/2, size.Draw(t, "h")/3, rapid.IntRange(3, 40).Draw(t, "n"))
		default:
			r := size.Draw(t, "r") / 2
			m = solid.Torus(r, r*rapid.Float64Range(0.3, 0.8).Draw(t, "tube"), 24, 12)
		}
		r := drawn.Plain(func(r *recipe.Recipe) {
			r.LayerMM = rapid.Float64Range(0.1, 0.32).Draw(t, "layer")
			r.FirstLayerMM = r.LayerMM
			r.Shells = rapid.IntRange(1, 4).Draw(t, "shells")
			r.InfillPercent = rapid.Float64Range(0, 100).Draw(t, "infill")
			r.Pattern = rapid.SampledFrom([]recipe.Pattern{recipe.PatternLines, recipe.PatternGrid, recipe.PatternHoneycomb, recipe.PatternGyroid}).Draw(t, "pattern")
			r.TopLayers = rapid.IntRange(0, 5).Draw(t, "top")
			r.LiftMM = rapid.Float64Range(0, 1).Draw(t, "lift")
		})
		p, err := Slice(ctx, m, mesh.TopologyOf(m), 1, r, Options{}, nil)
		require.NoError(t, err)

		top := 0.0
		for i := range p.Layers {
			l := &p.Layers[i]
			require.InDelta(t, top+l.HeightMM, l.TopMM, 1e-6)
			top = l.TopMM
			// A line of constant width keeps its middle half a width off the border.
			wide, narrow := s.Offset(l.Outlines, 30, polygon.Offsets{}), s.Offset(l.Outlines, -185, polygon.Offsets{})
			for k := range l.Lines {
				room := narrow
				if l.Lines[k].Widths != nil {
					room = wide
				} else if w := l.Lines[k].WidthMM; w < 0.44 { // a ring in a figure narrower than two lines
					room = s.Offset(l.Outlines, 40-500*w, polygon.Offsets{})
				}
				for _, q := range l.Lines[k].Points {
					require.True(t, inside(room, q), "layer %d, %s at %v is outside", i, l.Lines[k].Kind, q)
				}
			}
		}
		require.InDelta(t, m.Bounds().Size().Z, top, r.LayerMM*1.001)
	})
}

// Whatever the part, as large as the machine or less, its hold and its support: no
// line leaves the machine, in the plane or upwards, or slicing says that it would.
func TestNothingLeavesTheMachine(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := machine.Volume{Shape: machine.Rectangle, XMM: 40, YMM: 30, ZMM: rapid.Float64Range(5, 12).Draw(t, "room")}
		r := drawn.Plain(func(r *recipe.Recipe) {
			r.Adhesion = rapid.SampledFrom([]recipe.Adhesion{recipe.AdhesionNone, recipe.AdhesionSkirt, recipe.AdhesionBrim, recipe.AdhesionRaft}).Draw(t, "bed_adhesion")
			r.Support = rapid.SampledFrom([]recipe.Support{recipe.SupportOff, recipe.SupportPlateOnly, recipe.SupportEverywhere}).Draw(t, "support")
			r.BrimMM, r.LiftMM = 4, 0.5
			r.SupportVerticalGapMM = new(rapid.SampledFrom([]float64{0, 0.2, 0.6}).Draw(t, "drop"))
			r.SupportNozzle = rapid.IntRange(1, 2).Draw(t, "nozzle")
			r.ChangePurgeMM = new(rapid.Float64Range(0, 20).Draw(t, "purge"))
		})
		short := rapid.SampledFrom([]float64{0, 0, 0.05, 3}).Draw(t, "short, mm") // of the machine, on every side
		high := v.ZMM - rapid.SampledFrom([]float64{0, 0.03, 0.5, 3}).Draw(t, "short upwards, mm")
		var m *mesh.Mesh
		if rapid.Bool().Draw(t, "round") {
			v.Shape, v.YMM = machine.Round, v.XMM
			rad := v.XMM/2 - short
			m = solid.Revolve([]solid.P{{X: 0, Y: 0}, {X: rad / 2, Y: 0}, {X: rad / 2, Y: high / 2}, {X: rad, Y: high - 1}, {X: rad, Y: high}, {X: 0, Y: high}}, 60)
		} else {
			m = solid.Box(v.XMM-2*short, v.YMM-2*short, 1).Transformed(1, mesh.Vec3{X: short, Y: short, Z: high - 1})
			m.Append(solid.Box(6, 6, high-1).Transformed(1, mesh.Vec3{X: 10, Y: 10}))
		}
		p, err := Slice(ctx, m, mesh.TopologyOf(m), 1, r, Options{Machine: &machine.Machine{Volume: v}}, nil)
		if err != nil {
			require.Equal(t, recipe.AdhesionRaft, r.Adhesion)
			require.ErrorContains(t, err, "on its raft it would be")
			return
		}
		support := 0
		for i := range p.Layers {
			for _, l := range p.Layers[i].Lines {
				if l.Kind == Support {
					support++
				}
				for _, q := range l.Points {
					require.False(t, off(v, q, l.WidthMM/2-0.01), "layer %d: %s at %v", i, l.Kind, q)
				}
			}
		}
		require.True(t, r.Support == recipe.SupportOff || support > 0)
		below := p.Layers[len(p.Layers)-1].TopMM
		require.LessOrEqual(t, below, v.ZMM+1e-9)
		require.GreaterOrEqual(t, below, math.Min(high+p.RaftMM, v.ZMM)-0.03)
	})
}

// Settings at the very edges of what can be asked for end soon, in little memory,
// and lay nothing outside: shares next to nothing and to everything, thin lines on
// a large plate.
func TestSettingsAtTheirEdges(t *testing.T) {
	plates := solid.Extrude(solid.Circle(150, 150, 150, 90), nil, 0.5)
	for _, p := range []recipe.Pattern{recipe.PatternLines, recipe.PatternGrid, recipe.PatternHoneycomb, recipe.PatternGyroid} {
		for _, share := range []float64{1e-300, 1e-9, 0.4, 99.4} {
			for _, line := range []float64{0.12, 3} {
				m := plates
				if line < 1 && share > 50 && testing.Short() {
					continue
				}
				r := drawn.Plain(func(r *recipe.Recipe) {
					r.Pattern, r.InfillPercent, r.LineMM, r.LayerMM, r.FirstLayerMM, r.TopLayers, r.BottomLayers = p, share, line, 0.1, 0.1, 0, 0
					r.Support, r.SupportInterfacePercent = recipe.SupportEverywhere, share
				})
				if line < 1 && share > 50 { // a hand's size: three hundred thousand lines are slow, not wrong
					m = solid.Box(60, 60, 0.2)
				}
				var before, after runtime.MemStats
				runtime.ReadMemStats(&before)
				pr := sliced(t, m, r)
				runtime.ReadMemStats(&after)
				assert.Less(t, int64(after.HeapSys)-int64(before.HeapSys), int64(1<<30), "%s %g %% of %g mm", p, share, line)
				for _, l := range pr.Layers {
					room := (&polygon.Scratch{}).Offset(l.Outlines, 30, polygon.Offsets{})
					for k := range l.Lines {
						for _, q := range l.Lines[k].Points {
							require.True(t, inside(room, q), "%s %g %% of %g mm: %v", p, share, line, q)
						}
					}
				}
			}
		}
	}
}

// inside tells by the even-odd rule; the outlines are simple.
func inside(ps []polygon.Path, q polygon.Point) bool {
	in := false
	for _, p := range ps {
		a := p[len(p)-1]
		for _, b := range p {
			if (a.Y > q.Y) != (b.Y > q.Y) && float64(q.X-a.X) < float64(b.X-a.X)*float64(q.Y-a.Y)/float64(b.Y-a.Y) {
				in = !in
			}
			a = b
		}
	}
	return in
}

// What is too thin for a line is told with its place, what a line fits in is laid, and
// what nothing fits in is refused: sheets, pegs, cones, an island on a thread.
func TestNothingVanishesUnsaid(t *testing.T) {
	slice := func(m *mesh.Mesh) (*Print, error) {
		return Slice(ctx, m, mesh.TopologyOf(m), 1, drawn.Plain(func(r *recipe.Recipe) { r.Adhesion = recipe.AdhesionSkirt }), Options{}, nil)
	}
	for name, m := range map[string]*mesh.Mesh{"a sheet": solid.Box(30, 0.15, 10), "a hair": solid.Cylinder(0.06, 20, 12), "at a thousandth": solid.Box(20, 20, 20).Transformed(0.001, mesh.Vec3{})} {
		_, err := slice(m)
		require.ErrorContains(t, err, "nothing of it can be laid", name)
	}
	laidMM := func(p *Print, x0, x1 float64) float64 {
		sum := 0.0
		for _, l := range p.Layers {
			for _, x := range l.Lines {
				if x.Kind != Adhesion && float64(x.Points[0].X) > 1000*x0 && float64(x.Points[0].X) < 1000*x1 {
					sum += l.HeightMM
					break
				}
			}
		}
		return sum
	}
	for _, wide := range []float64{0.2, 0.3, 0.45, 0.7} { // a peg on a foot
		m := solid.Box(10, 10, 5)
		m.Append(solid.Box(wide, wide, 15).Transformed(1, mesh.Vec3{X: 30}))
		p, err := slice(m)
		require.NoError(t, err)
		assert.InDelta(t, 15, laidMM(p, 25, 35), 0.01, "%g mm", wide)
		assert.Empty(t, p.Notes)
	}
	thread := solid.Box(0.7, 1.3, 6)
	thread.Append(solid.Box(12, 0.12, 6).Transformed(1, mesh.Vec3{X: 0.7, Y: 0.6}))
	thread.Append(solid.Box(5, 5, 6).Transformed(1, mesh.Vec3{X: 12.7, Y: -2}))
	p, err := slice(thread)
	require.NoError(t, err)
	assert.InDelta(t, 6, laidMM(p, -1, 1), 0.01, "the island")
	require.Len(t, p.Notes, 1)
	assert.Contains(t, p.Notes[0], "6.00 mm of height")

	cone := solid.Revolve([]solid.P{{X: 0, Y: 0}, {X: 4, Y: 0}, {X: 0.01, Y: 30}, {X: 0, Y: 30}}, 60)
	p, err = slice(cone)
	require.NoError(t, err)
	top := p.Layers[len(p.Layers)-1].TopMM
	// As far up as a line fits: 4·(1 − z/30) of radius.
	assert.InDelta(t, 30*(1-LeastShare*0.45/2/4), top, 0.25)
	require.Len(t, p.Notes, 1)
	assert.Contains(t, p.Notes[0], fmt.Sprintf("%.2f mm of height", 30-top))
	// Two sheets that are too thin, side by side, are two places; one that ends and begins anew
	// above is two as well.
	block := solid.Box(10, 10, 12)
	for _, at := range []mesh.Vec3{{X: 15}, {X: 30}, {X: 15, Z: 8}} {
		block.Append(solid.Box(8, 0.12, 4).Transformed(1, at))
	}
	p, err = slice(block)
	require.NoError(t, err)
	require.Len(t, p.Notes, 3)
	for k, from := range []string{"from 0.00 mm up", "from 0.00 mm up", "from 8.00 mm up"} {
		assert.Contains(t, p.Notes[k], "4.00 mm of height", p.Notes)
		assert.Contains(t, strings.Join(p.Notes, " "), from)
	}
}

// Figures of a line's size, at random: what is laid covers no strip outside that is
// wider than a third of a line, and leaves no place of more than a corner untold in
// which half a line fits.
func TestSmallFiguresAreFilledAndKept(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var corners []solid.P
		n := rapid.IntRange(3, 7).Draw(t, "corners")
		for i := range n {
			sin, cos := math.Sincos(2 * math.Pi * (float64(i) + rapid.Float64Range(0, 0.7).Draw(t, "turn")) / float64(n))
			r := rapid.Float64Range(0.15, 1.35).Draw(t, "radius")
			corners = append(corners, solid.P{X: r * cos, Y: r * sin})
		}
		var poly polygon.Scratch
		m := solid.Extrude(corners, nil, 0.6)
		p, err := Slice(ctx, m, mesh.TopologyOf(m), 1, drawn.Plain(nil), Options{}, nil)
		if err != nil {
			var figure polygon.Path
			for _, c := range corners {
				figure = append(figure, polygon.Point{X: int64(1000 * c.X), Y: int64(1000 * c.Y)})
			}
			if len(poly.Offset([]polygon.Path{figure}, -450./4, mitre)) > 0 {
				t.Fatalf("%v, and half a line fits", err)
			}
			return
		}
		l := p.Layers[1]
		laid := poly.Strokes(strokesOf(l.Lines), mitre)
		if out := poly.Boolean(polygon.Difference, polygon.NonZero, laid, l.Outlines); len(poly.Offset(out, -75, mitre)) > 0 {
			t.Fatalf("lines lie outside: %v", out)
		}
		left := poly.Boolean(polygon.Difference, polygon.NonZero, l.Outlines, laid)
		for _, f := range polygon.Figures(poly.Offset(poly.Offset(left, -450./4, mitre), 450./4, mitre)) {
			most := 0.2 * 1e6
			if holdsAll(l.Outlines, f.Outer, 400) {
				most = 1.5 * 450 * 450 // within an outline that is laid, it does not show
			}
			if figureArea(f) > most && len(p.Notes) == 0 {
				t.Fatalf("%g µm² are neither laid nor told: %v", figureArea(f), f.Outer)
			}
		}
	})
}

// holdsAll says that a path lies in outlines and further than so many µm from them.
func holdsAll(outlines []polygon.Path, p polygon.Path, um float64) bool {
	for _, q := range p {
		for _, o := range outlines {
			for i, a := range o {
				if polygon.FromSegment(q, a, o[(i+1)%len(o)]) < um {
					return false
				}
			}
		}
		if polygon.Inside(polygon.NonZero, outlines, q) < 0 {
			return false
		}
	}
	return true
}

// A line across a span is held where both its ends are on what carries, and lines that
// follow each other and are held alike stay together.
func TestSpansArePartedWhereTheyAreHeld(t *testing.T) {
	near := []polygon.Path{{{X: 0, Y: 0}, {X: 10, Y: 0}, {X: 10, Y: 100}, {X: 0, Y: 100}}, {{X: 50, Y: 0}, {X: 60, Y: 0}, {X: 60, Y: 100}, {X: 50, Y: 100}}}
	line := func(from, to, y int64) polygon.Path { return polygon.Path{{X: from, Y: y}, {X: to, Y: y}} }
	held, half, loose, other := line(5, 55, 10), line(5, 40, 20), line(20, 40, 30), line(20, 55, 40)
	b := &span{}
	b.part(slices.Concat(held, line(55, 5, 12), half, loose, other, line(10, 50, 50)), near)
	assert.Equal(t, []polygon.Path{slices.Concat(held, line(55, 5, 12)), line(10, 50, 50)}, b.held)
	assert.Equal(t, []polygon.Path{slices.Concat(half, loose, other)}, b.loose)
}
