package toolpath

import (
	"context"
	"fmt"
	"math"
	"reflect"
	"runtime"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/drawn"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/section"
	"jobshelf/core/shape/solid"
)

var ctx = context.Background()

func sliced(t testing.TB, m *mesh.Mesh, r recipe.Recipe, marks ...SupportMark) *Print {
	t.Helper()
	p, err := Slice(ctx, m, mesh.TopologyOf(m), 1, r, Options{SupportMarks: marks}, nil)
	require.NoError(t, err)
	return p
}

func volume(p *Print, of func(Kind) bool) float64 {
	v := 0.0
	for _, l := range p.Layers {
		for i := range l.Lines {
			if of(l.Lines[i].Kind) {
				v += l.Lines[i].VolumeMM3(l.HeightMM)
			}
		}
	}
	return v
}

func any(Kind) bool { return true }

// At 100 % infill what is laid is what the part holds, within 1.5 %.
func TestSolidPrintsHoldTheVolumeOfTheMesh(t *testing.T) {
	for _, c := range []struct {
		name string
		m    *mesh.Mesh
	}{
		{"box", solid.Box(20, 15, 10)}, {"cylinder", solid.Cylinder(12, 10, 128)}, {"torus", solid.Torus(20, 6, 96, 48)}, {"sphere", solid.Sphere(12, 96)},
		{"ring with thin walls", solid.Extrude(solid.Circle(0, 0, 12, 96), [][]solid.P{reversed(solid.Circle(0, 0, 11.2, 96))}, 6)},
		{"two overlapping", solid.TwoFenders()},
	} {
		t.Run(c.name, func(t *testing.T) {
			p := sliced(t, c.m, drawn.Plain(func(r *recipe.Recipe) { r.InfillPercent = 100 }))
			want := 0.0
			for _, l := range p.Layers { // the figure's own volume: overlaps count once
				for _, o := range l.Outlines {
					want += o.Area() * l.HeightMM
				}
			}
			within := 0.015
			if c.name == "ring with thin walls" { // two lines a little too close, rather than one too wide
				within = 0.025
			}
			assert.InEpsilon(t, want, volume(p, any), within, "%.3f of it", volume(p, any)/want)
			if c.name != "two overlapping" {
				assert.InEpsilon(t, c.m.Measure().Volume, want, 0.006, "the sections' own error")
			}
		})
	}
}

func reversed(p []solid.P) []solid.P {
	out := make([]solid.P, len(p))
	for i, q := range p {
		out[len(p)-1-i] = q
	}
	return out
}

// strokes is what lines cover, µm.
func strokes(s *polygon.Scratch, lines []Line, of func(Kind) bool) []polygon.Path {
	var out []polygon.Path
	for _, l := range lines {
		if !of(l.Kind) {
			continue
		}
		pts := l.Points
		if l.Closed {
			pts = append(append(polygon.Path{}, pts...), pts[0])
		}
		if l.Widths != nil {
			w := append([]float64{}, l.Widths...)
			if l.Closed {
				w = append(w, w[0])
			}
			out = append(out, s.Strokes([]polygon.Stroke{{Points: pts, WidthUM: w}}, polygon.Offsets{})...)
			continue
		}
		out = append(out, s.Strokes([]polygon.Stroke{{Points: pts, WidthUM: slices.Repeat([]float64{1000 * l.WidthMM}, len(pts))}}, polygon.Offsets{})...)
	}
	return s.Union(polygon.NonZero, out)
}

func area(ps []polygon.Path) float64 {
	a := 0.0
	for _, p := range ps {
		a += p.Area()
	}
	return a
}

func model(k Kind) bool { return k != Support && k != Adhesion }

// Nothing of the part is laid outside of its outline; a solid print leaves no
// gaps within.
func TestLinesStayInsideAndCover(t *testing.T) {
	var s polygon.Scratch
	for i, p := range solid.Parts() {
		if p.Name == "rowing-boat-hull" || p.Name == "block-cheek-inch" {
			continue // other units
		}
		if testing.Short() && i%3 != 0 {
			continue
		}
		t.Run(p.Name, func(t *testing.T) {
			pr := sliced(t, p.Mesh, drawn.Plain(func(r *recipe.Recipe) { r.InfillPercent = 100 }))
			for i := 0; i < len(pr.Layers); i += max(1, len(pr.Layers)/7) {
				l := &pr.Layers[i]
				whole := area(l.Outlines)
				if whole < 4 {
					continue
				}
				got := strokes(&s, l.Lines, model)
				out := s.Boolean(polygon.Difference, polygon.NonZero, got, s.Offset(l.Outlines, 25, polygon.Offsets{}))
				// A wall of just under a line is laid by one of that line's width: 0.1 mm.
				assert.Less(t, area(out), 0.012*whole+0.3, "layer %d: outside", i)
				bare := s.Boolean(polygon.Difference, polygon.NonZero, l.Outlines, got)
				assert.Less(t, area(bare), 0.04*whole+0.5, "layer %d: bare", i)
			}
		})
	}
}

// Line length × width over the area is the share that was asked for.
func TestInfillIsAsDenseAsAskedFor(t *testing.T) {
	m := solid.Box(80, 80, 4)
	for _, p := range []recipe.Pattern{recipe.PatternLines, recipe.PatternGrid, recipe.PatternHoneycomb, recipe.PatternGyroid} {
		for _, share := range []float64{8, 15, 35, 60, 90} {
			t.Run(fmt.Sprint(p, share), func(t *testing.T) {
				pr := sliced(t, m, drawn.Plain(func(r *recipe.Recipe) { r.Pattern, r.InfillPercent = p, share }))
				length, n := 0.0, 0
				for i := 6; i < 14; i++ {
					n++
					for _, l := range pr.Layers[i].Lines {
						if l.Kind == Infill {
							length += l.LengthMM()
						}
					}
				}
				inside := math.Pow(80-2*(0.45+2*Spacing(0.45, 0.2))+Spacing(0.45, 0.2), 2)
				assert.InEpsilon(t, share/100, length/float64(n)*0.45/inside, 0.08)
			})
		}
	}
}

// Under every face that leans out past the angle support stands, and none where
// there is no such face; a region kept free stays free, one forced is filled.
func TestSupportStandsUnderOverhangs(t *testing.T) {
	var s polygon.Scratch
	m := solid.Bollard()
	r := drawn.Plain(func(r *recipe.Recipe) { r.Support = recipe.SupportEverywhere }).WithDefaults()
	p := sliced(t, m, r)
	drop := int(math.Round(*r.SupportVerticalGapMM / r.LayerMM))
	checked := 0
	for i := 1 + drop + 1; i < len(p.Layers); i++ {
		lean := 1000 * p.Layers[i].HeightMM * math.Tan(r.SupportDeg*math.Pi/180)
		over := s.Boolean(polygon.Difference, polygon.NonZero, p.Layers[i].Outlines, s.Offset(p.Layers[i-1].Outlines, lean, mitre))
		if area(over) < 1 {
			continue
		}
		below := p.Layers[i-1-drop]
		free := s.Boolean(polygon.Difference, polygon.NonZero, over, s.Offset(below.Outlines, *r.SupportHorizontalGapMM*1000+200, mitre))
		got := s.Offset(strokes(&s, below.Lines, func(k Kind) bool { return k == Support }), 250, polygon.Offsets{})
		bare := s.Boolean(polygon.Difference, polygon.NonZero, free, got)
		assert.Less(t, area(bare), 0.05*area(free)+0.2, "layer %d", i)
		checked++
	}
	assert.Greater(t, checked, 5)
	supportOf := func(p *Print) float64 { return volume(p, func(k Kind) bool { return k == Support }) }
	assert.Zero(t, supportOf(sliced(t, solid.Cylinder(10, 10, 64), r)), "a cylinder needs none")
	box := m.Bounds()
	all := polygon.Path{{X: int64(box.Min.X * 1000), Y: int64(box.Min.Y * 1000)}, {X: 0, Y: int64(box.Min.Y * 1000)}, {X: 0, Y: int64(box.Max.Y * 1000)}, {X: int64(box.Min.X * 1000), Y: int64(box.Max.Y * 1000)}}
	half := SupportMark{Paths: []polygon.Path{all}, ToMM: 1000, Reason: "it would scar the face that shows"}
	assert.InEpsilon(t, supportOf(p)/2, supportOf(sliced(t, m, r, half)), 0.15, "the left half is kept free")
	half.Force = true
	assert.InEpsilon(t, supportOf(p)/2, supportOf(sliced(t, m, drawn.Plain(nil), half)), 0.15, "only the left half is supported")
	// A mark is for every layer that it reaches into: one that ends or begins within the only
	// layer that hangs keeps it free, one that ends below or begins above does not.
	shelf := solid.Box(10, 30, 12)
	shelf.Append(solid.Box(40, 30, 2).Transformed(1, mesh.Vec3{Z: 10})) // from 10 to 12 mm; 10.0 to 10.2 hangs
	whole := polygon.Path{{X: -100_000, Y: -100_000}, {X: 100_000, Y: -100_000}, {X: 100_000, Y: 100_000}, {X: -100_000, Y: 100_000}}
	for _, c := range []struct {
		from, to float64
		meets    bool
	}{{0, 10.1, true}, {10.1, 12, true}, {10.05, 10.15, true}, {0, 9.9, false}, {10.3, 12, false}, {0, 12, true}} {
		got := supportOf(sliced(t, shelf, r, SupportMark{Paths: []polygon.Path{whole}, FromMM: c.from, ToMM: c.to, Reason: "it shows"}))
		assert.Equal(t, c.meets, got == 0, "%+v", c)
		got = supportOf(sliced(t, shelf, drawn.Plain(nil), SupportMark{Paths: []polygon.Path{whole}, FromMM: c.from, ToMM: c.to, Reason: "it hangs", Force: true}))
		assert.Equal(t, c.meets, got > 0, "%+v", c)
	}
	// Support that may not stand on the part stands on the plate only.
	table := solid.Box(30, 30, 2)
	table.Append(solid.Box(30, 30, 2).Transformed(1, mesh.Vec3{Z: 12}))
	table.Append(solid.Box(4, 4, 10).Transformed(1, mesh.Vec3{X: 13, Y: 13, Z: 2}))
	assert.Positive(t, supportOf(sliced(t, table, r)))
	plate := r
	plate.Support = recipe.SupportPlateOnly
	assert.Zero(t, supportOf(sliced(t, table, plate)), "all of it would stand on the part")
}

// An arch is bridged from pillar to pillar, however wide it is, whichever way it
// stands, and whatever it is bridged from: two pillars, a frame (the shorter way), or a
// pillar and support. Every end of a bridge lies within half a line of what the layer
// below lays. A ledge held at one side is no bridge.
func TestBridgesRunFromHoldToHold(t *testing.T) {
	arch := func(span, wide, deg float64) *mesh.Mesh {
		m := solid.Box(4, wide, 6)
		m.Append(solid.Box(4, wide, 6).Transformed(1, mesh.Vec3{X: span + 4}))
		m.Append(solid.Box(span+8, wide, 1.2).Transformed(1, mesh.Vec3{Z: 6}))
		sin, cos := math.Sincos(deg * math.Pi / 180)
		for i, v := range m.Vertices {
			m.Vertices[i] = mesh.Vec3{X: v.X*cos - v.Y*sin, Y: v.X*sin + v.Y*cos, Z: v.Z}
		}
		return m
	}
	frame := solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 30, Y: 0}, {X: 30, Y: 18}, {X: 0, Y: 18}}, [][]solid.P{{{X: 4, Y: 4}, {X: 4, Y: 14}, {X: 26, Y: 14}, {X: 26, Y: 4}}}, 6)
	frame.Append(solid.Box(30, 18, 1.2).Transformed(1, mesh.Vec3{Z: 6}))
	for _, c := range []struct {
		name        string
		m           *mesh.Mesh
		along, most float64 // degrees; how long a stretch may be, mm
	}{
		{"narrow", arch(20, 8, 0), 0, 23}, {"wide", arch(12, 40, 0), 0, 15}, {"long and wide", arch(40, 30, 0), 0, 43}, {"turned", arch(12, 40, 33), 33, 15},
		{"turned back", arch(25, 20, -71), -71, 28}, {"a frame", frame, 90, 14},
	} {
		p := sliced(t, c.m, drawn.Plain(nil))
		length, along := 0.0, 0.0
		for i, l := range p.Layers {
			for _, x := range l.Lines {
				if x.Kind != Bridge {
					continue
				}
				for _, q := range []polygon.Point{x.first(), x.last()} {
					require.True(t, polygon.Inside(polygon.NonZero, p.Layers[i-1].Outlines, q) >= 0 || fromOutline(p.Layers[i-1].Outlines, q) < 225, "%s: a bridge ends at %v", c.name, q)
				}
				for k := 1; k < len(x.Points); k++ {
					d, dx, dy := dist(x.Points[k-1], x.Points[k]), float64(x.Points[k].X-x.Points[k-1].X), float64(x.Points[k].Y-x.Points[k-1].Y)
					require.Less(t, d, 1000*c.most, c.name)
					length += d
					if turn := math.Mod(math.Atan2(dy, dx)*180/math.Pi-c.along+720+90, 180) - 90; math.Abs(turn) < 2.6 {
						along += d
					}
				}
			}
		}
		require.Greater(t, length, 1000*20., c.name)
		assert.Greater(t, along, 0.85*length, c.name)
	}
	ledge := solid.Box(6, 20, 6)
	ledge.Append(solid.Box(16, 20, 1.2).Transformed(1, mesh.Vec3{Z: 6}))
	for _, l := range sliced(t, ledge, drawn.Plain(nil)).Layers {
		for _, x := range l.Lines {
			require.NotEqual(t, Bridge, x.Kind)
		}
	}
}

// fromOutline is how far q is from the nearest of the outlines, µm.
func fromOutline(paths []polygon.Path, q polygon.Point) float64 {
	least := math.Inf(1)
	for _, p := range paths {
		for i := range p {
			least = math.Min(least, polygon.FromSegment(q, p[i], p[(i+1)%len(p)]))
		}
	}
	return least
}

// The same lines whatever the number of cores; cancelling ends it.
func TestSlicingIsDeterministicAndEnds(t *testing.T) {
	m := solid.Sheave()
	r := drawn.Plain(func(r *recipe.Recipe) { r.Support, r.Pattern = recipe.SupportEverywhere, recipe.PatternGyroid })
	a := sliced(t, m, r)
	before := runtime.GOMAXPROCS(1)
	b := sliced(t, m, r)
	runtime.GOMAXPROCS(before)
	assert.True(t, reflect.DeepEqual(a, b))
	over, cancel := context.WithCancel(ctx)
	cancel()
	_, err := Slice(over, m, mesh.TopologyOf(m), 1, r, Options{}, nil)
	assert.ErrorIs(t, err, context.Canceled)
	_, err = Slice(ctx, m, mesh.TopologyOf(m), 1e5, r, Options{}, nil)
	assert.ErrorContains(t, err, "layers")
}

// Walls of any thickness from a line on are full: what lies between the outermost
// lines is filled, whatever is left for it. Missing is the rounding of the two outer
// sides, h²(1-π/4)/2 of section each, and what is narrower than a seam; too much is
// there where two lines are pressed into room for a little less.
func TestWallsOfAnyThicknessAreFull(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		wall := rapid.Float64Range(0.45, 3).Draw(t, "wall, mm")
		lean := rapid.Float64Range(0, 0.3).Draw(t, "lean")
		part := solid.RevolveClosed([]solid.P{{X: 12, Y: 0}, {X: 12 + wall, Y: 0}, {X: 12 + wall + 1.2*lean, Y: 1.2}, {X: 12 + 1.2*lean, Y: 1.2}}, 90)
		r := drawn.Plain(func(r *recipe.Recipe) { r.InfillPercent, r.Shells = 100, rapid.IntRange(1, 4).Draw(t, "shells") })
		p, err := Slice(ctx, part, mesh.TopologyOf(part), 1, r, Options{}, nil)
		require.NoError(t, err)
		for _, l := range p.Layers[1:5] {
			laid, round := 0.0, 0.0
			for k := range l.Lines {
				laid += l.Lines[k].VolumeMM3(l.HeightMM)
			}
			for _, o := range l.Outlines {
				round += o.Length() * l.HeightMM * l.HeightMM * (1 - math.Pi/4) / 2
			}
			want, along := area(l.Outlines)*l.HeightMM-round, l.HeightMM*2*math.Pi*(12+wall/2)
			require.Greater(t, laid, want*0.97-SeamShare*0.45*along, "wall of %g mm", wall)
			require.Less(t, laid, want*1.03+(1-OneLineShare)*Spacing(0.45, l.HeightMM)*along, "wall of %g mm", wall)
		}
	})
}

// Pins too slight for a middle line are there, and full: as much as a line's rounded
// sides allow.
func TestPinsAreFull(t *testing.T) {
	for d := 0.4; d < 3; d += 0.1 {
		for name, part := range map[string]*mesh.Mesh{"round": solid.Cylinder(d/2, 1.2, 32), "square": solid.Box(d, d, 1.2)} {
			p := sliced(t, part, drawn.Plain(func(r *recipe.Recipe) { r.InfillPercent = 100 }))
			l := p.Layers[3]
			laid := 0.0
			for k := range l.Lines {
				laid += l.Lines[k].VolumeMM3(l.HeightMM)
			}
			share := laid / (area(l.Outlines) * l.HeightMM)
			least := 0.84
			if d < 0.75 { // one ring or dot, all of it rounded
				least = 0.74
			}
			assert.True(t, share > least && share < 1.03, "%s of %.1f mm: %.2f", name, d, share)
		}
	}
}

// A bow too thin to be laid is refused; no line is laid from horn to horn. The dot that is laid
// where there is room for one alone lies as deep in it as the narrowest line asks.
func TestABowHasNoString(t *testing.T) {
	dots := 0
	for n := range 54 {
		thin, turn := 0.03+0.005*float64(n), 2.4*float64(n)
		var bow []solid.P
		for k := 0; k <= 40; k++ {
			s, c := math.Sincos(turn + math.Pi*1.5*float64(k)/40)
			bow = append(bow, solid.P{X: 40 + c, Y: 70 + s})
		}
		for k := 40; k >= 0; k-- {
			s, c := math.Sincos(turn + math.Pi*1.5*float64(k)/40)
			bow = append(bow, solid.P{X: 40 + (1-thin)*c, Y: 70 + (1-thin)*s})
		}
		m := solid.Extrude(bow, nil, 1)
		p, err := Slice(ctx, m, mesh.TopologyOf(m), 1, drawn.Plain(nil), Options{}, nil)
		if err != nil {
			assert.Less(t, thin, 0.158, "bow of %.2f mm", thin)
			assert.ErrorContains(t, err, "nothing of it can be laid")
			continue
		}
		l := p.Layers[2]
		room := (&polygon.Scratch{}).Offset(l.Outlines, 30, polygon.Offsets{})
		for _, x := range l.Lines {
			for k := range x.Points[1:] {
				a, b := x.Points[k], x.Points[k+1]
				require.True(t, inside(room, polygon.Point{X: (a.X + b.X) / 2, Y: (a.Y + b.Y) / 2}), "bow of %.2f mm", thin)
			}
			if len(x.Points) == 2 && dist(x.Points[0], x.Points[1]) < 1000*LeastShare*0.45 {
				dots++
				for _, q := range x.Points {
					assert.Greater(t, fromOutline(l.Outlines, q), 1000*LeastShare*0.45/2-3, "bow of %.3f mm", thin)
				}
			}
		}
		assert.NotEmpty(t, l.Lines, "bow of %.2f mm", thin)
	}
	assert.Positive(t, dots)
}

// Lines go into the corners of a wedge as far as they can, what is left is told with its
// place, and a layer of a blunt one tells nothing. Section counts tips for the estimate by
// the same corner that is cut here.
func TestSharpCornersAreRoundedAndTold(t *testing.T) {
	for _, c := range []struct {
		deg    float64
		told   bool
		byself bool // a line of its own in the tip
	}{{25, false, true}, {40, false, true}, {44, true, true}, {48, true, false}, {56, true, false}, {75, false, false}} {
		sin, cos := math.Sincos(c.deg * math.Pi / 360)
		m := solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 20 * cos, Y: -20 * sin}, {X: 30, Y: -20 * sin}, {X: 30, Y: 20 * sin}, {X: 20 * cos, Y: 20 * sin}}, nil, 2).Transformed(1, mesh.Vec3{X: 37.2, Y: 21.4})
		r := recipe.Recipe{LayerMM: 0.2, FirstLayerMM: 0.2, LineMM: 0.45, Shells: 2, TopLayers: 1, BottomLayers: 1, InfillPercent: 15}
		p, err := Slice(context.Background(), m, mesh.TopologyOf(m), 1, r, Options{}, nil)
		require.NoError(t, err)
		outer := 0
		for _, l := range p.Layers[5].Lines {
			if l.Kind == Outer {
				outer++
			}
		}
		assert.Equal(t, c.byself, outer == 2, "%g°: %d outer lines", c.deg, outer)
		assert.Equal(t, c.byself, section.TipsOf(p.Layers[5].Outlines).Cut == 1, "%g°", c.deg)
		told := strings.Contains(strings.Join(p.Notes, " "), "Corners sharper than 60°")
		assert.Equal(t, c.told, told, "%g°: %v", c.deg, p.Notes)
		if c.told {
			assert.Contains(t, strings.Join(p.Notes, " "), "over 2.00 mm of height, up to 1 in a layer: ")
			assert.Contains(t, strings.Join(p.Notes, " "), "the most at X 37.2, Y 21.4.")
		}
	}
}
