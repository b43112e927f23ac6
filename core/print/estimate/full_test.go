package estimate

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/post"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
)

// square is a print of n layers, each one square outline of 20 mm.
func square(n int) *toolpath.Print {
	const side = 20_000
	p := &toolpath.Print{}
	for i := range n {
		p.Layers = append(p.Layers, toolpath.Layer{TopMM: 0.2 * float64(i+1), HeightMM: 0.2, Lines: []toolpath.Line{
			{Kind: toolpath.Outer, Closed: true, WidthMM: 0.45, Points: polygon.Path{{X: 0, Y: 0}, {X: side, Y: 0}, {X: side, Y: side}, {X: 0, Y: side}}}}})
	}
	return p
}

// Layers of four sides by hand: come to from below round a corner, three more corners, the
// end at rest, or round a corner upwards; the first at a first layer's speed, the next at its own; and their filament.
func TestASquareByHand(t *testing.T) {
	r := testRecipe
	r.FirstMMPerS, r.RetractMM = 25, 0
	a := testMachine.Motion.AccelMMPerS2
	corner := CornerSpeed(math.Pi/2, a, testMachine.Motion.JunctionDeviationMM)
	round := func(v, end float64) float64 {
		leg := func(u, w float64) float64 {
			return (v-u)/a + (v-w)/a + (20-(v*v-u*u)/(2*a)-(v*v-w*w)/(2*a))/v
		}
		return 3*leg(corner, corner) + leg(corner, end)
	}
	f := FullOf(square(1), r, &testMachine, machine.Loaded{&testMaterial})
	assert.InDelta(t, round(25, 0), f.ByKind["outer shell"], 1e-9)
	two := FullOf(square(2), r, &testMachine, machine.Loaded{&testMaterial})
	assert.InDelta(t, round(25, corner)+round(40, 0), two.ByKind["outer shell"], 1e-9)
	require.Len(t, two.ByLayer, 2)
	assert.Greater(t, two.ByLayer[0].Seconds, two.ByLayer[1].Seconds+0.5)
	bore := math.Pi * 1.75 * 1.75 / 4
	for n, f := range map[float64]*Full{1: f, 2: two} {
		assert.InDelta(t, n*80*(0.25*0.2+math.Pi*0.01)/bore, f.FilamentMM, 1e-9)
		assert.InDelta(t, n*80*(0.25*0.2+math.Pi*0.01)*1.24/1000, f.GramsModel, 1e-9)
		assert.Equal(t, [2][3]float64{{0, 0, 0.2}, {20, 20, 0.2 * n}}, f.Box)
	}
	assert.InDelta(t, math.Max(30, math.Max(190./2, 40/0.5)), f.WarmUpSeconds, 1e-9)
}

// A layer that takes less than its least time is slowed to a fifth at the most, and
// the rest is waited for, but for the last; one that takes longer is left alone.
func TestLayersTakeTheirLeastTime(t *testing.T) {
	r := testRecipe
	free := FullOf(square(5), r, &testMachine, machine.Loaded{&testMaterial})
	for _, least := range []float64{1, 4, 9, 60} {
		r.MinLayerTimeS = least
		f := FullOf(square(5), r, &testMachine, machine.Loaded{&testMaterial})
		waited := 0.0
		for i, l := range f.ByLayer {
			before, cooling := free.ByLayer[i].Seconds, f.Cooling[i]
			waited += cooling.WaitS
			assert.GreaterOrEqual(t, cooling.Share, 0.2)
			if i == len(f.ByLayer)-1 && least == 60 {
				assert.Equal(t, post.Cooling{Share: 0.2}, cooling)
				continue
			}
			assert.InEpsilon(t, math.Max(before, least), l.Seconds, 0.02, "least %g, layer %d", least, i)
			assert.Equal(t, least == 60, cooling.WaitS > 0, "only what cannot be slowed is waited for")
			if before >= least {
				assert.Equal(t, post.Cooling{Share: 1}, cooling)
				assert.InDelta(t, before, l.Seconds, 1e-9)
			}
		}
		assert.InDelta(t, waited, f.ByKind["cooling"], 1e-9)
		assert.InDelta(t, free.FilamentMM, f.FilamentMM, 1e-9)
	}
}

// A layer that is a little too fast is slowed by as much as its lines, without the ways
// between them, take too little; one without lines is neither slowed nor waited for.
func TestTheSharesOfSlowedLayers(t *testing.T) {
	p := square(4)
	for i := range p.Layers {
		far := p.Layers[i].Lines[0]
		far.Points = polygon.Path{{X: 60_000, Y: 40_000}, {X: 80_000, Y: 40_000}, {X: 80_000, Y: 60_000}, {X: 60_000, Y: 60_000}}
		p.Layers[i].Lines = append(p.Layers[i].Lines, far)
	}
	p.Layers[1].Lines = nil
	r := testRecipe
	loaded := machine.Loaded{&testMaterial}
	free := passOver(p, r.WithDefaults(), &testMachine, loaded, nil)
	for _, i := range []int{0, 2, 3} {
		laid, all := free.laid[i], free.f.ByLayer[i].Seconds
		require.Greater(t, all-laid, 0.5, "there are ways")
		r.MinLayerTimeS = all * 1.004
		f := FullOf(p, r, &testMachine, loaded)
		assert.InDelta(t, laid/(r.MinLayerTimeS-(all-laid)), f.Cooling[i].Share, 1e-9, "layer %d", i)
		assert.Equal(t, post.Cooling{Share: 1}, f.Cooling[1], "nothing is laid in it")
	}
	var kinds []string
	for k := range free.f.ByKind {
		kinds = append(kinds, k)
	}
	assert.ElementsMatch(t, []string{"outer shell", "travel", "retraction"}, kinds, "what there is none of is not told")
}

// Each nozzle lays its own material: by its name, its density and its price, also where the
// first lays nothing.
func TestEachNozzleLaysItsMaterial(t *testing.T) {
	house := machine.Loaded{&testMaterial, &machine.Material{Name: "Soluble", DensityGPerCM: 1.2, SpoolGrams: 500, SpoolCents: 3333}}
	p := square(3)
	for i := range p.Layers {
		p.Layers[i].Lines = append(p.Layers[i].Lines, p.Layers[i].Lines[0])
		p.Layers[i].Lines[1].Kind, p.Layers[i].Lines[1].Nozzle = toolpath.Support, 1
	}
	mm3 := 80 * (0.25*0.2 + math.Pi*0.01)
	f := FullOf(p, testRecipe, &testMachine, house)
	require.Len(t, f.Nozzles, 2)
	for k, n := range f.Nozzles {
		assert.Equal(t, k+1, n.Nozzle)
		assert.Equal(t, house[k].Name, n.Material)
		assert.InDelta(t, 3*mm3/1000*house[k].DensityGPerCM, n.Grams, 1e-9)
	}
	assert.InDelta(t, 3*mm3/1000*1.2, f.GramsSupport, 1e-9)
	for _, l := range f.ByLayer {
		assert.InDelta(t, mm3/1000*1.2, l.Support, 1e-9)
		assert.InDelta(t, mm3/1000*(1.2+1.24), l.Grams, 1e-9)
	}
	for i := range p.Layers {
		p.Layers[i].Lines = p.Layers[i].Lines[1:]
	}
	f = FullOf(p, testRecipe, &testMachine, house)
	require.Len(t, f.Nozzles, 1)
	assert.Equal(t, "Soluble", f.Nozzles[0].Material)
	assert.Equal(t, 2, f.Nozzles[0].Nozzle)
}

// Whatever the part and the recipe: kinds, layers, nozzles and price lines each add
// up to the whole.
func TestFullFiguresAddUp(t *testing.T) {
	house := machine.Loaded{&testMaterial, &machine.Material{Name: "Soluble", DensityGPerCM: 1.2, SpoolGrams: 500, SpoolCents: 3333}}
	rapid.Check(t, func(t *rapid.T) {
		m := solid.Box(4, 4, rapid.Float64Range(2, 4).Draw(t, "leg"))
		top := m.Bounds().Max.Z
		m.Append(solid.Box(rapid.Float64Range(8, 20).Draw(t, "wide"), 12, 1).Transformed(1, mesh.Vec3{Z: top}))
		r := testRecipe
		r.Support = rapid.SampledFrom([]recipe.Support{recipe.SupportOff, recipe.SupportEverywhere}).Draw(t, "support")
		r.Adhesion = rapid.SampledFrom([]recipe.Adhesion{recipe.AdhesionNone, recipe.AdhesionSkirt, recipe.AdhesionBrim, recipe.AdhesionRaft}).Draw(t, "bed_adhesion")
		r.BrimMM, r.PurgeMM = 3, rapid.Float64Range(0, 20).Draw(t, "purge")
		r.SupportNozzle = rapid.IntRange(1, 2).Draw(t, "nozzle")
		r.MinLayerTimeS = rapid.Float64Range(0, 20).Draw(t, "least")
		r.OuterMMPerS2 = rapid.Float64Range(10, 3000).Draw(t, "accel")
		mach := testMachine
		mach.NozzlesMM, mach.ChangeS = []float64{0.4, 0.4}, 7
		p, err := toolpath.Slice(context.Background(), m, mesh.TopologyOf(m), 1, r, toolpath.Options{}, nil)
		require.NoError(t, err)
		f := FullOf(p, r, &mach, house)
		kinds, layers, grams := 0.0, 0.0, 0.0
		for _, s := range f.ByKind {
			require.GreaterOrEqual(t, s, 0.)
			kinds += s
		}
		for _, l := range f.ByLayer {
			layers += l.Seconds
			grams += l.Grams
		}
		require.InEpsilon(t, f.Seconds, kinds, 1e-9)
		require.InEpsilon(t, f.Seconds, layers, 1e-9)
		byNozzle, model, support, mm := 0.0, 0.0, 0.0, 0.0
		for _, n := range f.Nozzles {
			require.InDelta(t, n.GramsModel+n.GramsSupport+n.GramsAdhesion+n.GramsPurge, n.Grams, 1e-9)
			byNozzle, model, support, mm = byNozzle+n.Grams, model+n.GramsModel, support+n.GramsSupport, mm+n.FilamentMM
		}
		require.InEpsilon(t, f.Grams(), byNozzle, 1e-9)
		require.InEpsilon(t, f.GramsModel, model, 1e-9)
		require.InDelta(t, f.GramsSupport, support, 1e-9)
		require.InEpsilon(t, f.FilamentMM, mm, 1e-9)
		let := math.Pi * 1.75 * 1.75 / 4 * 1.24 / 1000 * r.PurgeMM // before the first layer
		require.InEpsilon(t, f.Grams(), grams+let, 1e-9)
		require.Len(t, f.Uses, len(f.Nozzles))
		for k, u := range f.Uses {
			require.InDelta(t, f.Nozzles[k].Grams, u.Grams, 0)
			require.Equal(t, f.Nozzles[k].Material, u.Material.Name)
		}
		require.Equal(t, f.Changes > 0, len(f.Nozzles) > 1)
		require.InDelta(t, 7*float64(f.Changes), f.ByKind["nozzle change"], 1e-9)
	})
}

// Plates together are each as often as it is made: every sum, the most layers, the box about all,
// and each nozzle's once.
func TestPlatesTogether(t *testing.T) {
	r, m := testRecipe, testMachine
	m.NozzlesMM, m.ChangeS = []float64{0.4, 0.4}, 9
	loaded := machine.Loaded{&testMaterial, &machine.Material{Name: "Soluble", DensityGPerCM: 1.1, NozzleC: 200}}
	both := square(3)
	both.Layers[1].Lines = append(both.Layers[1].Lines, toolpath.Line{Kind: toolpath.Support, Nozzle: 1, WidthMM: 0.5, Points: polygon.Path{{X: 0, Y: -5000}, {X: 30_000, Y: -5000}}},
		toolpath.Line{Kind: toolpath.Adhesion, WidthMM: 0.5, Points: polygon.Path{{X: 0, Y: 0}, {X: 9000, Y: 0}}},
		toolpath.Line{Kind: toolpath.Purge, Nozzle: 1, WidthMM: 0.5, Points: polygon.Path{{X: 0, Y: 0}, {X: 0, Y: 7000}}})
	two := FullOf(both, r, &m, loaded)
	one := FullOf(square(2), r, &m, loaded)
	got := Together([]*Full{two, one}, []int{2, 3})
	for name, of := range map[string]func(f *Full) float64{
		"time": (*Full).WholeSeconds, "warming": func(f *Full) float64 { return f.WarmUpSeconds }, "homing": func(f *Full) float64 { return f.HomingSeconds },
		"grams": (*Full).Grams, "of the part": func(f *Full) float64 { return f.GramsModel }, "of support": func(f *Full) float64 { return f.GramsSupport },
		"of adhesion": func(f *Full) float64 { return f.GramsAdhesion }, "of purge": func(f *Full) float64 { return f.GramsPurge },
		"changes": func(f *Full) float64 { return float64(f.Changes) }, "filament": func(f *Full) float64 { return f.FilamentMM },
		"shells": func(f *Full) float64 { return f.ByKind["outer shell"] }, "nozzle 1": func(f *Full) float64 { return f.Nozzles[0].Grams },
		"its model": func(f *Full) float64 { return f.Nozzles[0].GramsModel }, "its adhesion": func(f *Full) float64 { return f.Nozzles[0].GramsAdhesion },
		"its filament": func(f *Full) float64 { return f.Nozzles[0].FilamentMM }, "its use": func(f *Full) float64 { return f.Uses[0].Grams },
	} {
		assert.InDelta(t, 2*of(two)+3*of(one), of(got), 1e-9, name)
		assert.NotZero(t, of(two), name)
	}
	require.Len(t, got.Nozzles, 2)
	second, of := got.Nozzles[1], two.Nozzles[1]
	assert.Equal(t, NozzleUse{2, "Soluble", 2 * of.Grams, 2 * of.GramsModel, 2 * of.GramsSupport, 2 * of.GramsAdhesion, 2 * of.GramsPurge, 2 * of.FilamentMM}, second)
	assert.InDelta(t, 2*two.Uses[1].Grams, got.Uses[1].Grams, 1e-12)
	assert.Equal(t, loaded[1], got.Uses[1].Material)
	assert.Equal(t, 3, got.Layers)
	for k := range 3 {
		assert.Equal(t, math.Min(one.Box[0][k], two.Box[0][k]), got.Box[0][k])
		assert.Equal(t, math.Max(one.Box[1][k], two.Box[1][k]), got.Box[1][k])
	}
}

// What each copy on a plate takes: together the whole, a copy of a larger part more, alike ones alike
// but for the ways between them; of plates that lay nothing all alike.
func TestSharesAreTheWhole(t *testing.T) {
	o := toolpath.Options{Machine: &testMachine}
	var parts []*toolpath.Part
	for _, side := range []float64{10, 20} {
		m := solid.Box(side, side, 3)
		p, err := toolpath.SlicePart(context.Background(), m, mesh.TopologyOf(m), 1, testRecipe, o, nil)
		require.NoError(t, err)
		parts = append(parts, p)
	}
	places := []toolpath.Place{{Part: 0, By: polygon.At(30, 30)}, {Part: 1, By: polygon.At(60, 30)}, {Part: 0, By: polygon.At(30, 60)}}
	plate, err := toolpath.Lay(context.Background(), parts, places, testRecipe, o)
	require.NoError(t, err)
	f := FullOf(plate, testRecipe, &testMachine, machine.Loaded{&testMaterial})
	require.Len(t, f.Shares, 3)
	var sum Share
	for _, s := range f.Shares {
		sum.Seconds, sum.Grams = sum.Seconds+s.Seconds, sum.Grams+s.Grams
	}
	assert.InDelta(t, f.WholeSeconds(), sum.Seconds, 1e-9)
	assert.InDelta(t, f.Grams(), sum.Grams, 1e-9)
	assert.InDelta(t, f.Shares[0].Grams, f.Shares[2].Grams, 1e-9)
	assert.InDelta(t, f.Shares[0].Seconds, f.Shares[2].Seconds, 0.1*f.Shares[0].Seconds)
	assert.Greater(t, f.Shares[1].Grams, 2.5*f.Shares[0].Grams)
	assert.Greater(t, f.Shares[1].Seconds, 1.5*f.Shares[0].Seconds)
	empty := FullOf(&toolpath.Print{Places: places, Layers: []toolpath.Layer{{TopMM: 1, HeightMM: 1}}}, testRecipe, &testMachine, machine.Loaded{&testMaterial})
	require.Len(t, empty.Shares, 3)
	for _, s := range empty.Shares {
		assert.InDelta(t, empty.WholeSeconds()/3, s.Seconds, 1e-9)
		assert.Zero(t, s.Grams)
	}
}
