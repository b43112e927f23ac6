package toolpath

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/machine"
	"jobshelf/core/mesh"
	"jobshelf/core/polygon"
	"jobshelf/core/recipe"
	"jobshelf/core/solid"
	"jobshelf/core/units"
)

// inTheAir is how much of a print's support lies over nothing, and how much there is,
// mm: no plate, no part within a line's width and the layers that stay free, and no line
// of support below within a line's width and half the distance of its rows, which roof
// lines bridge. It
// looks at points a line's width apart and knows nothing of how support is made.
func inTheAir(p *Print, r recipe.Recipe) (air, all float64) {
	r = r.WithDefaults()
	within := 500*r.LineMM*100/r.SupportPercent + 1000*r.LineMM
	if r.SupportPattern == recipe.SupportGrid {
		within += 500 * r.LineMM * 100 / r.SupportPercent
	}
	type cell [2]int
	step := 1000 * r.LineMM
	var below map[cell][]polygon.Point
	size := within
	for i := range p.Layers {
		here := map[cell][]polygon.Point{}
		for k := range p.Layers[i].Lines {
			l := &p.Layers[i].Lines[k]
			if l.Kind != Support {
				continue
			}
			n := len(l.Points)
			for j := range n {
				if j+1 == n && !l.Closed {
					break
				}
				a, b := l.Points[j], l.Points[(j+1)%n]
				d := dist(a, b)
				pieces := int(d/step) + 1
				for q := range pieces + 1 {
					f := float64(q) / float64(pieces)
					at := polygon.Point{X: a.X + int64(f*float64(b.X-a.X)), Y: a.Y + int64(f*float64(b.Y-a.Y))}
					c := cell{int(math.Floor(float64(at.X) / size)), int(math.Floor(float64(at.Y) / size))}
					here[c] = append(here[c], at)
					if q == 0 {
						continue
					}
					all += d / float64(pieces) / 1000
					if i == 0 {
						continue
					}
					carried := false
					for g := i - 1; g >= max(0, i-1-DropLayers(&r)) && !carried; g-- {
						carried = polygon.Inside(polygon.NonZero, p.Layers[g].Outlines, at) >= 0 || fromOutline(p.Layers[g].Outlines, at) <= 1000*r.LineMM
					}
					for x := -1; x <= 1 && !carried; x++ {
						for y := -1; y <= 1 && !carried; y++ {
							for _, o := range below[cell{c[0] + x, c[1] + y}] {
								if dist(o, at) <= within {
									carried = true
									break
								}
							}
						}
					}
					if !carried {
						air += d / float64(pieces) / 1000
					}
				}
			}
		}
		below = here
	}
	return air, all
}

// Every line of support stands on something: of the demo's parts each at one of the ways
// it is laid, by turns (internal/corpus looks at more parts), of the worst two at all.
func TestSupportStandsOnSomething(t *testing.T) {
	slope := solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 40, Y: 0}, {X: 0, Y: 25}}, nil, 20) // laid on its side: a wedge
	for i, v := range slope.Vertices {
		slope.Vertices[i] = mesh.Vec3{X: v.X, Y: -v.Z, Z: v.Y}
	}
	slope.Append(solid.Box(8, 20, 3).Transformed(1, mesh.Vec3{X: 20, Y: -20, Z: 24})) // held over the slope
	slope.Append(solid.Box(2, 20, 27).Transformed(1, mesh.Vec3{X: 0, Y: -20}))
	slope.Append(solid.Box(22, 2, 3).Transformed(1, mesh.Vec3{X: 0, Y: -2, Z: 24}))
	parts := append(slices.DeleteFunc(solid.Parts(), func(p solid.Part) bool { return p.Fault != "" || p.Unit != units.Millimetre }), solid.Part{Name: "stool", Mesh: stool(10)}, solid.Part{Name: "over a slope", Mesh: slope})
	for i, p := range parts {
		worst := i >= len(parts)-2
		if testing.Short() && !worst && (i%3 != 0 || p.Mesh.Bounds().Size().Z > 60) {
			continue
		}
		for k, c := range []struct {
			share   float64
			pattern recipe.SupportPattern
		}{{5, recipe.SupportLines}, {15, recipe.SupportLines}, {15, recipe.SupportGrid}} {
			if k != i%3 && !worst {
				continue
			}
			r := plain(func(r *recipe.Recipe) {
				r.Support, r.SupportPercent, r.SupportPattern = recipe.SupportEverywhere, c.share, c.pattern
			})
			air, all := inTheAir(sliced(t, p.Mesh, r), r)
			if all > 0 {
				t.Logf("%-20s %2.0f %% %s: %.1f of %.0f mm in the air, %.2f %%", p.Name, c.share, c.pattern, air, all, 100*air/all)
			}
			// A ring at the foot of the finial's hangs beside the wall, by the gap: 30 mm.
			assert.LessOrEqual(t, air, 10+0.004*all, "%s, %.0f %%", p.Name, c.share)
		}
	}
}

// What hangs in the second layer has no room for support, as a layer stays free below it;
// it is told, and not said to stand, and nothing is laid there.
func TestTheSecondLayerIsNotSaidToStand(t *testing.T) {
	for leg, carried := range map[float64]bool{0.2: false, 0.4: true, 4: true} {
		p := sliced(t, stool(leg), plain(func(r *recipe.Recipe) { r.Support = recipe.SupportEverywhere }))
		require.NotEmpty(t, p.Regions, leg)
		lines := 0
		for _, l := range p.Layers {
			for _, x := range l.Lines {
				if x.Kind == Support {
					lines++
				}
			}
		}
		for _, r := range p.Regions {
			assert.Equal(t, carried, r.Carried, "%g: %s", leg, r.Why)
		}
		assert.Equal(t, carried, lines > 0, "%g", leg)
	}
}

// With filament in the nozzle, no travel is longer than the gap between rows through open
// air, nor than is held within the part.
func TestTravelsThroughTheAirAreRetracted(t *testing.T) {
	mach := &machine.Machine{FilamentMM: 1.75, Motion: machine.Motion{SpeedMMPerS: 200, LiftMMPerS: 10}}
	free := 0
	for _, part := range []*mesh.Mesh{stool(10), solid.MooringCleat(), solid.Bollard()} {
		r := plain(func(r *recipe.Recipe) { r.Support = recipe.SupportEverywhere })
		p := sliced(t, part, r)
		var at Step
		back := false
		p.Steps(r, mach, nil, func(x Step) bool {
			switch x.Kind {
			case Retract:
				back = true
			case Restore:
				back = false
			case Travel:
				d := math.Hypot(x.X-at.X, x.Y-at.Y)
				if back || d <= travelsFree {
					break
				}
				free++
				mid := polygon.Point{X: int64(500 * (x.X + at.X)), Y: int64(500 * (x.Y + at.Y))}
				if polygon.Inside(polygon.NonZero, p.Layers[x.Layer].Outlines, mid) < 0 {
					require.LessOrEqual(t, d, 5.001, "layer %d", x.Layer)
				}
				require.LessOrEqual(t, d, 12.001, "layer %d", x.Layer)
			}
			at = x
			return true
		})
	}
	assert.Greater(t, free, 100)
}

// Where a line of support would hang, struts lie beneath it: over the open lattice so that
// no span is longer than a pitch, by a loose end, across the hollow of a pillar; from line
// to line that is carried itself, by the shortest way, and never out of the support.
func TestStrutsBeneathWhatWouldHang(t *testing.T) {
	mm := func(xy ...float64) polygon.Path {
		var p polygon.Path
		for i := 0; i < len(xy); i += 2 {
			p = append(p, polygon.Point{X: int64(1000 * xy[i]), Y: int64(1000 * xy[i+1])})
		}
		return p
	}
	line := func(p polygon.Path) Line { return Line{Kind: Support, Points: p, WidthMM: 0.4} }
	ring := func(p polygon.Path) Line { return Line{Kind: Support, Closed: true, Points: p, WidthMM: 0.4} }
	lattice := []Line{line(mm(0, 0, 20, 0)), line(mm(0, 4, 20, 4)), line(mm(0, 8, 20, 8))}
	plate := mm(-1, -1, 21, -1, 21, 9, -1, 9)
	for _, c := range []struct {
		name         string
		below, above []Line
		room, part   polygon.Path
		want         []polygon.Path
	}{
		{"along the rows", lattice, []Line{line(mm(2, 2, 18, 2))}, plate, nil,
			[]polygon.Path{mm(2.2, 0, 2.2, 4), mm(6, 0, 6, 4), mm(9.8, 0, 9.8, 4), mm(13.8, 0, 13.8, 4), mm(17.8, 0, 17.8, 4)}},
		{"a neighbour has them", lattice, []Line{line(mm(5, 2, 8.6, 2)), line(mm(5, 1.4, 8.6, 1.4))}, plate, nil,
			[]polygon.Path{mm(5.2, 0, 5.2, 4), mm(8.4, 0, 8.4, 4)}},
		{"across them, with a loose end", lattice, []Line{line(mm(5, 0, 5, 6))}, plate, nil, []polygon.Path{mm(5, 8, 5, 4)}},
		{"a short end holds itself", lattice, []Line{line(mm(5, 0, 5, 4.9))}, plate, nil, nil},
		{"the part carries it", lattice, []Line{line(mm(2, 2, 18, 2))}, plate, mm(1, 1, 19, 1, 19, 3, 1, 3), nil},
		{"its rim does", lattice, []Line{line(mm(4, 2, 6, 2))}, plate, mm(3, 2.3, 7, 2.3, 7, 3, 3, 3), nil},
		{"no way through open air", lattice, []Line{line(mm(5, 2, 8, 2))}, mm(-1, -1, 21, -1, 21, 1, -1, 1), nil, nil},
		{"a pillar's hollow", []Line{ring(mm(0, 0, 5, 0, 5, 6, 0, 6))}, []Line{line(mm(2.4, 1, 2.4, 5))}, mm(-1, -1, 6, -1, 6, 7, -1, 7), nil,
			[]polygon.Path{mm(0, 1.2, 5, 1.2), mm(0, 4.8, 5, 4.8)}},
		{"a closed line over rows", lattice, []Line{ring(mm(1, 0, 9, 0, 9, 2, 1, 2))}, plate, nil,
			[]polygon.Path{mm(6.4, 0, 6.4, 4), mm(3.4, 0, 3.4, 4)}},
	} {
		var r recipe.Recipe
		r.LineMM, r.LayerMM, r.SupportPercent = 0.4, 0.2, 10
		s := &slicer{r: r.WithDefaults(), outline: make([][]polygon.Path, 3), support: [][]polygon.Path{{c.room}, {c.room}, {c.room}}}
		s.r.SupportDropMM = new(float64)
		if c.part != nil {
			s.outline[1] = []polygon.Path{c.part}
		}
		s.layers = []Layer{{Lines: slices.Clone(c.below)}, {Lines: slices.Clone(c.below)}, {Lines: c.above}}
		require.NoError(t, s.carry(t.Context()))
		assert.Len(t, s.layers[0].Lines, len(c.below), c.name)
		assert.Len(t, s.layers[2].Lines, len(c.above), c.name)
		got := s.layers[1].Lines[len(c.below):]
		if !assert.Len(t, got, len(c.want), "%s: %v", c.name, got) {
			continue
		}
		for k, w := range c.want {
			a, b := got[k].Points[0], got[k].Points[1]
			off := min(dist(a, w[0])+dist(b, w[1]), dist(a, w[1])+dist(b, w[0]))
			assert.LessOrEqual(t, off, 800.0, "%s: %v", c.name, got[k].Points)
			assert.Equal(t, Support, got[k].Kind)
		}
	}
	// An end that no strut reaches is cut back to a line and a half beyond what stands, at both
	// ends and around a corner; a short one stays, and so does what begins in the air whole.
	s := &slicer{outline: make([][]polygon.Path, 2), support: [][]polygon.Path{{mm(-1, -1, 21, -1, 21, 1, -1, 1)}, {plate}}}
	s.r.LineMM, s.r.LayerMM, s.r.SupportPercent = 0.4, 0.2, 10
	s.r = s.r.WithDefaults()
	s.r.SupportDropMM = new(float64)
	s.layers = []Layer{{Lines: lattice[:1]}, {Lines: []Line{line(mm(5, 0, 5, 6)), line(mm(8, -5, 8, 0, 12, 0, 12, 6)), line(mm(15, 0, 15, 0.9)), line(mm(3, 4, 9, 4))}}}
	require.NoError(t, s.carry(t.Context()))
	for k, want := range []polygon.Path{mm(5, 0, 5, 1), mm(8, -1, 8, 0, 12, 0, 12, 1), mm(15, 0, 15, 0.9), mm(3, 4, 9, 4)} {
		got := s.layers[1].Lines[k].Points
		require.Len(t, got, len(want))
		for j := range want {
			assert.LessOrEqual(t, dist(got[j], want[j]), 201.0, "%v", got)
		}
	}
	// What hangs itself carries no strut: the row in the middle of the layer beneath lies on nothing.
	s = &slicer{outline: make([][]polygon.Path, 3), support: [][]polygon.Path{{plate}, {plate}, {plate}}}
	s.r.LineMM, s.r.LayerMM, s.r.SupportPercent = 0.4, 0.2, 10
	s.r = s.r.WithDefaults()
	s.r.SupportDropMM = new(float64)
	s.layers = []Layer{{Lines: []Line{lattice[0], lattice[2]}}, {Lines: slices.Clone(lattice)}, {Lines: []Line{line(mm(5, 2, 8, 2))}}}
	require.NoError(t, s.carry(t.Context()))
	for _, l := range s.layers[1].Lines[3:] {
		assert.InDelta(t, 8000, dist(l.Points[0], l.Points[1]), 1, "to the row that stands")
	}
	assert.Len(t, s.layers[1].Lines, 5)
}
