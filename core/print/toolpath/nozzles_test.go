package toolpath

import (
	"maps"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/drawn"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
)

func twoNozzles(r *recipe.Recipe) {
	r.Support, r.SupportNozzle = recipe.SupportEverywhere, 2
}

// With support on a nozzle of its own: each kind is on its nozzle; at most one
// change a layer; right after a change what is let out goes into the tower, which
// takes as much as was asked for; the tower stands on every layer up to the last
// change, clear of part and support.
func TestSupportHasItsOwnNozzle(t *testing.T) {
	r := drawn.Plain(twoNozzles).WithDefaults()
	p := sliced(t, drawn.Stool(10), r)
	require.NotContains(t, strings.Join(p.Notes, " "), "nozzle")
	bore := math.Pi * 1.75 * 1.75 / 4
	var s polygon.Scratch
	at, changes, last := p.FirstNozzle(), 0, 0
	for i := range p.Layers {
		l := &p.Layers[i]
		inLayer, purged, tower := 0, 0.0, 0.0
		for k := range l.Lines {
			x := &l.Lines[k]
			switch x.Kind {
			case Support:
				require.EqualValues(t, 1, x.Nozzle)
			case Purge:
				tower += x.VolumeMM3(l.HeightMM)
			default:
				require.EqualValues(t, 0, x.Nozzle, "%s in layer %d", x.Kind, i)
			}
			if x.Nozzle != at {
				at = x.Nozzle
				inLayer++
				last = i
				require.Equal(t, Purge, x.Kind, "first after a change, layer %d", i)
			}
		}
		changes += inLayer
		require.LessOrEqual(t, inLayer, 1)
		if inLayer == 1 {
			purged = tower
			require.GreaterOrEqual(t, purged, 0.93**r.ChangePurgeMM*bore, "layer %d", i)
			apart := s.Boolean(polygon.Intersection, polygon.NonZero,
				strokes(&s, l.Lines, func(k Kind) bool { return k == Purge }), strokes(&s, l.Lines, func(k Kind) bool { return k != Purge }))
			require.Empty(t, apart)
		}
	}
	assert.Greater(t, changes, 40)
	for i := range p.Layers {
		tower := 0
		for _, x := range p.Layers[i].Lines {
			if x.Kind == Purge {
				tower++
			}
		}
		assert.Equal(t, i <= last, tower > 0, "layer %d of %d", i, last)
	}
	// The other way round: the part on nozzle 2.
	q := sliced(t, drawn.Stool(10), drawn.Plain(func(r *recipe.Recipe) { r.PieceNozzle = 2 }))
	assert.EqualValues(t, 1, q.FirstNozzle())
	assert.Zero(t, volume(q, func(k Kind) bool { return k == Purge }), "one nozzle, nothing to purge")
}

// No room beside the part, or far more to purge than to support: the part's nozzle
// lays the support, and a note says so.
func TestASecondNozzleHasToBeWorthIt(t *testing.T) {
	one := func(p *Print) {
		for i := range p.Layers {
			for _, x := range p.Layers[i].Lines {
				require.Zero(t, x.Nozzle)
				require.NotEqual(t, Purge, x.Kind)
			}
		}
	}
	r := drawn.Plain(twoNozzles)
	stood := drawn.Stool(10).Transformed(1, mesh.Vec3{X: 3, Y: 3})
	p, err := Slice(ctx, stood, mesh.TopologyOf(stood), 1, r, Options{Machine: &machine.Machine{Volume: machine.Volume{Shape: machine.Rectangle, XMM: 36, YMM: 36, ZMM: 50}}}, nil)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(p.Notes, " "), "no room beside the part for the purge tower")
	one(p)
	tall := solid.Box(8, 8, 60)
	tall.Append(solid.Box(3.5, 8, 2).Transformed(1, mesh.Vec3{X: 8, Y: 0, Z: 58}))
	p = sliced(t, tall, r)
	assert.Positive(t, volume(p, func(k Kind) bool { return k == Support }))
	p = sliced(t, tall, drawn.Plain(func(r *recipe.Recipe) { twoNozzles(r); r.ChangePurgeMM = new(400.0) }))
	assert.Regexp(t, `Support is laid by the part's nozzle: it is 0\.\d\d cm³, and changing the nozzle for it would purge \d+\.\d cm³`, strings.Join(p.Notes, " "))
	one(p)

	// Support that was to dissolve, and touches the part, keeps off it where the part's
	// nozzle lays it.
	p = sliced(t, tall, drawn.Plain(func(r *recipe.Recipe) {
		twoNozzles(r)
		r.SupportVerticalGapMM, r.SupportHorizontalGapMM = new(0.0), new(0.0)
	}))
	one(p)
	assert.Len(t, p.Notes, 1)
	apart := sliced(t, tall, drawn.Plain(func(r *recipe.Recipe) {
		r.Support, r.SupportVerticalGapMM, r.SupportHorizontalGapMM = recipe.SupportEverywhere, new(0.2), new(0.45)
	}))
	assert.Equal(t, apart.Layers, p.Layers)
	assert.Empty(t, apart.Notes)
	welded := sliced(t, tall, drawn.Plain(func(r *recipe.Recipe) { r.Support, r.SupportVerticalGapMM = recipe.SupportEverywhere, new(0.0) }))
	assert.Contains(t, strings.Join(welded.Notes, " "), "it will not come off by hand")
}

// Cones that lean out past the angle stand on support whatever the slope, the
// layers and the gap: what carries them is one lattice over the ring of their
// shadow, not a ring for each layer.
func TestSlopesAreCarriedWhateverTheirAngle(t *testing.T) {
	for k, deg := range []float64{53, 57, 63, 70, 78, 85} {
		for j, h := range []float64{0.1, 0.2, 0.3} {
			drop := float64((k + j) % 3)
			r := drawn.Plain(func(r *recipe.Recipe) {
				r.Support, r.LayerMM, r.FirstLayerMM, r.SupportVerticalGapMM = recipe.SupportEverywhere, h, h, new(drop*h)
			})
			rise := 20 / math.Tan(deg*math.Pi/180)
			p := sliced(t, solid.Revolve([]solid.P{{X: 0, Y: 0}, {X: 5, Y: 0}, {X: 25, Y: rise}, {X: 25, Y: rise + 1}, {X: 0, Y: rise + 1}}, 64), r)
			// In the first layer the lattice stands on a ring from 6 to 25 mm or so.
			length := 0.0
			for _, x := range p.Layers[0].Lines {
				if x.Kind == Support {
					length += x.LengthMM()
				}
			}
			pitch := 0.45 * 100 / 15
			lattice := math.Pi * (25*25 - 6.5*6.5) / pitch
			assert.Greater(t, length, 0.85*lattice, "%g° in layers of %g mm, gap of %g layers", deg, h, drop)
			if deg < 70 { // flat ones have their roof there
				assert.Less(t, length, 1.5*lattice, "%g° in layers of %g mm, gap of %g layers", deg, h, drop)
			}
			require.NotEmpty(t, p.Overhangs)
			assert.True(t, p.Overhangs[0].Carried, "%g° in layers of %g mm: %s", deg, h, p.Overhangs[0].Why)
		}
	}
}

// Lines or a grid: as dense as asked for, to a tenth, under a top of 30 × 30.
func TestSupportIsAsDenseAsAskedFor(t *testing.T) {
	for _, p := range []recipe.SupportPattern{recipe.SupportLines, recipe.SupportGrid} {
		for _, share := range []float64{20, 30} {
			pr := sliced(t, drawn.Stool(10), drawn.Plain(func(r *recipe.Recipe) {
				r.Support, r.SupportPattern, r.SupportPercent, r.SupportInterfacePercent = recipe.SupportEverywhere, p, share, 60
			}))
			of := func(i int) float64 {
				length := 0.0
				for _, x := range pr.Layers[i].Lines {
					if x.Kind == Support {
						length += x.LengthMM()
					}
				}
				return length * 0.45
			}
			// What reaches beyond the top, less the foot with its gap.
			side := 30 + 2*(0.45*1.5-0.2*math.Tan(50*math.Pi/180)+0.02)
			stands := side*side - 7.35*7.35
			// Its rim is laid once at the most, where no row of the lattice ends.
			assert.Greater(t, of(20)/stands, 0.95*share/100, "%s", p)
			assert.Less(t, of(20)/stands, 1.05*share/100+0.45*4*(side+7.35)/stands, "%s", p)
			assert.InEpsilon(t, 0.6, of(48)/stands, 0.1, "the roof")
		}
	}
}

// A bottom layer that rests on support is laid as one; without support it is a bridge.
func TestWhatRestsOnSupportIsNoBridge(t *testing.T) {
	of := func(p *Print, k Kind) float64 { return volume(p, func(x Kind) bool { return x == k }) }
	table := solid.Box(6, 30, 8)
	table.Append(solid.Box(6, 30, 8).Transformed(1, mesh.Vec3{X: 24}))
	table.Append(solid.Box(30, 30, 2).Transformed(1, mesh.Vec3{Z: 8}))
	free := sliced(t, table, drawn.Plain(nil))
	held := sliced(t, table, drawn.Plain(func(r *recipe.Recipe) { r.Support = recipe.SupportEverywhere }))
	assert.Greater(t, of(free, Bridge), 100.)
	assert.Less(t, of(held, Bridge), 0.05*of(free, Bridge))
	assert.InEpsilon(t, of(free, Bridge)+of(free, TopBottom), of(held, Bridge)+of(held, TopBottom), 0.03)
}

// The purge tower stands beside all that is laid and on the plate, whichever side of the part
// has room for it; where none has, the part's nozzle lays the support.
func TestThePurgeTowerFindsRoom(t *testing.T) {
	r := drawn.Plain(func(r *recipe.Recipe) {
		r.Support, r.SupportNozzle, r.SupportPercent, r.SupportHorizontalGapMM, r.SupportVerticalGapMM = recipe.SupportEverywhere, 2, 60, new(0.0), new(0.0)
	})
	mach := &machine.Machine{FilamentMM: 1.75, NozzlesMM: []float64{0.4, 0.4}, ChangeS: 5, Volume: machine.Volume{Shape: machine.Rectangle, XMM: 100, YMM: 100, ZMM: 60}}
	part := drawn.Stool(10)
	size := part.Bounds().Size()
	for name, c := range map[string]struct {
		x, y   float64 // of its lower left corner
		room   machine.Volume
		side   string
		blocks bool
	}{
		"right":    {5, 30, mach.Volume, "right", true},
		"left":     {98 - size.X, 30, mach.Volume, "left", true},
		"behind":   {(size.X + 10 - size.X) / 2, 3, machine.Volume{Shape: machine.Rectangle, XMM: size.X + 10, YMM: 100, ZMM: 60}, "behind", true},
		"in front": {5, 97 - size.Y, machine.Volume{Shape: machine.Rectangle, XMM: size.X + 10, YMM: 100, ZMM: 60}, "in front", true},
		"nowhere":  {5, 5, machine.Volume{Shape: machine.Rectangle, XMM: size.X + 10, YMM: size.Y + 10, ZMM: 60}, "", false},
	} {
		m := *mach
		m.Volume = c.room
		if name == "left" {
			m.FilamentMM = 2.85
		}
		at := part.Bounds().Min
		stood := part.Transformed(1, mesh.Vec3{X: c.x - at.X, Y: c.y - at.Y})
		p, err := Slice(ctx, stood, mesh.TopologyOf(stood), 1, r, Options{Machine: &m}, nil)
		require.NoError(t, err, name)
		laid, purged := [2]polygon.Point{{X: math.MaxInt64, Y: math.MaxInt64}, {X: math.MinInt64, Y: math.MinInt64}}, [2]polygon.Point{{X: math.MaxInt64, Y: math.MaxInt64}, {X: math.MinInt64, Y: math.MinInt64}}
		for _, l := range p.Layers {
			for _, x := range l.Lines {
				of := &laid
				if x.Kind == Purge {
					of = &purged
				}
				for _, q := range x.Points {
					of[0] = polygon.Point{X: min(of[0].X, q.X), Y: min(of[0].Y, q.Y)}
					of[1] = polygon.Point{X: max(of[1].X, q.X), Y: max(of[1].Y, q.Y)}
					assert.False(t, off(m.Volume, q, 0.2), "%s: %v is off the plate", name, q)
				}
			}
		}
		// What dissolves touches what it holds; what the part's nozzle lays stays off it.
		held, last := 0, 0 // the layer that rests on support, and the last that has any
		for k, l := range p.Layers {
			if held == 0 && k > 0 && area(l.Outlines) > 2*area(p.Layers[k-1].Outlines) {
				held = k
			}
			if slices.ContainsFunc(l.Lines, func(x Line) bool { return x.Kind == Support }) {
				last = k
			}
		}
		assert.Equal(t, c.blocks, last == held-1, "%s: support ends in layer %d under layer %d", name, last, held)
		if !c.blocks {
			assert.Greater(t, purged[0].X, purged[1].X, name)
			assert.Contains(t, strings.Join(p.Notes, " "), "no room", name)
			continue
		}
		side := ""
		switch {
		case purged[0].X > laid[1].X:
			side = "right"
		case purged[1].X < laid[0].X:
			side = "left"
		case purged[0].Y > laid[1].Y:
			side = "behind"
		case purged[1].Y < laid[0].Y:
			side = "in front"
		}
		assert.Equal(t, c.side, side, name)
		assert.InDelta(t, float64(purged[1].X-purged[0].X), float64(purged[1].Y-purged[0].Y), 1, name)
		top := 0.0 // of the last layer of the tower
		for _, l := range p.Layers {
			if slices.ContainsFunc(l.Lines, func(x Line) bool { return x.Kind == Purge }) {
				top = l.TopMM - l.HeightMM
			}
		}
		full := r.WithDefaults()
		assert.InDelta(t, TowerSideMM(&full, m.FilamentMM, top)-r.LineMM, float64(purged[1].X-purged[0].X)/1000, 0.01, name)
	}
}

// On a round plate there is most room for the tower where the plate is widest, on whichever side
// of it the part stands: not beside the part's middle, which is nearer the rim.
func TestATowerStandsWhereARoundPlateIsWidest(t *testing.T) {
	l := layout{room: machine.Volume{Shape: machine.Round, XMM: 100, YMM: 100, ZMM: 60}, r: recipe.Recipe{LineMM: 0.45}}
	for name, c := range map[string]struct {
		low, high polygon.Point // of the part, um
		middle    polygon.Point // where that of a tower of 16 mm has to lie
	}{
		"right":    {polygon.Point{X: -40000, Y: -40000}, polygon.Point{X: 29500, Y: 30000}, polygon.Point{X: 40500}},
		"left":     {polygon.Point{X: -29500, Y: -40000}, polygon.Point{X: 40000, Y: 30000}, polygon.Point{X: -40500}},
		"behind":   {polygon.Point{X: -40000, Y: -40000}, polygon.Point{X: 30000, Y: 29500}, polygon.Point{Y: 40500}},
		"in front": {polygon.Point{X: -40000, Y: -29500}, polygon.Point{X: 30000, Y: 40000}, polygon.Point{Y: -40500}},
		"nowhere":  {polygon.Point{X: -30000, Y: -30000}, polygon.Point{X: 30000, Y: 30000}, polygon.Point{}},
	} {
		box := polygon.Path{c.low, {X: c.high.X, Y: c.low.Y}, c.high, {X: c.low.X, Y: c.high.Y}}
		l.places, l.parts = []Place{{}}, []*Part{{s: &slicer{outline: [][]polygon.Path{{box}}}}}
		at, ok := l.towerPlace(16)
		require.Equal(t, name != "nowhere", ok, name)
		if ok {
			assert.Equal(t, c.middle, polygon.Point{X: at.X + 8000, Y: at.Y + 8000}, name)
		}
	}
}

// What holds the first layer down and the purge tower are of no copy of the part; all else of a
// single part is of the first.
func TestLinesAreOfTheirCopy(t *testing.T) {
	r := drawn.Plain(func(r *recipe.Recipe) {
		r.Support, r.SupportNozzle, r.SupportPercent, r.SupportHorizontalGapMM, r.SupportVerticalGapMM = recipe.SupportEverywhere, 2, 60, new(0.0), new(0.0)
		r.Adhesion = recipe.AdhesionSkirt
	})
	mach := &machine.Machine{FilamentMM: 1.75, NozzlesMM: []float64{0.4, 0.4}, ChangeS: 5}
	part := drawn.Stool(10)
	p, err := Slice(ctx, part, mesh.TopologyOf(part), 1, r, Options{Machine: mach}, nil)
	require.NoError(t, err)
	seen := map[Kind]bool{}
	for i := range p.Layers {
		for at, x := range p.Laid(i) {
			seen[x.Kind] = true
			want := 1
			if x.Kind == Adhesion || x.Kind == Purge {
				want = 0
			}
			assert.Equal(t, want, at.Place, "%v in layer %d", x.Kind, i)
		}
	}
	assert.Subset(t, slices.Collect(maps.Keys(seen)), []Kind{Adhesion, Purge, Outer, Infill, Support})
}

// However large the plate and dense the gyroid, a layer of it is bounded; it is as fine wherever
// it lies, and so dense that cells cannot be told it is rows.
func TestGyroidIsBoundedWhereverItLies(t *testing.T) {
	points := func(x, y, w, d int64, pitch float64) (n, lines int) {
		box := polygon.Path{{X: x, Y: y}, {X: x + w, Y: y}, {X: x + w, Y: y + d}, {X: x, Y: y + d}}
		all := gyroid([]polygon.Path{box}, pitch, 700)
		for _, l := range all {
			n += len(l)
		}
		return n, len(all)
	}
	fine, _ := points(0, 0, 200e3, 40e3, 2000)
	for _, at := range [][2]int64{{3e6, 5e6}, {-4e6, -2e6}, {0, 7e6}, {9e6, 0}} {
		n, _ := points(at[0], at[1], 200e3, 40e3, 2000)
		assert.InEpsilon(t, fine, n, 0.03, "%v", at)
		n, _ = points(at[0], at[1], 40e3, 200e3, 2000)
		assert.InEpsilon(t, fine, n, 0.03, "%v", at)
	}
	// Twelve steps to a period give a million cells at 150 mm of this pitch; at 400 mm four do.
	n, lines := points(0, 0, 400e3, 300e3, 450)
	assert.Less(t, n, int(1.3*gyroidCells))
	assert.Greater(t, n, int(1.1*gyroidCells)) // three would give half as many
	assert.Greater(t, n, 3*lines)
	n, lines = points(0, 0, 1200e3, 900e3, 450)
	assert.Equal(t, 2*lines, n)
	assert.Equal(t, 2000, lines)
}
