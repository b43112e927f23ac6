package estimate

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/section"
	"jobshelf/core/shape/solid"
)

var (
	testMachine = machine.Machine{Name: "test", Process: machine.MaterialExtrusion, FilamentMM: 1.75, NozzlesMM: []float64{0.4},
		Motion: machine.Motion{SpeedMMPerS: 200, AccelMMPerS2: 1000, JunctionDeviationMM: 0.02, LiftMMPerS: 10},
		WarmUp: machine.WarmUp{NozzleCPerS: 2, BedCPerS: 0.5, HomingS: 30}, RateCents: 120}
	testMaterial = machine.Material{Name: "PLA", DensityGPerCM: 1.24, SpoolGrams: 1000, SpoolCents: 2500}
	testRecipe   = recipe.Recipe{LayerMM: 0.2, FirstLayerMM: 0.2, LineMM: 0.45, Shells: 2, TopLayers: 4, BottomLayers: 4,
		InfillPercent: 20, Adhesion: recipe.AdhesionNone, NozzleC: 210, BedC: 60,
		OuterMMPerS: 40, InnerMMPerS: 60, TopBottomMMPerS: 60, InfillMMPerS: 80, FirstMMPerS: 20, TravelMMPerS: 150,
		RetractMM: 1, RetractMMPerS: 40}
)

func quick(t testing.TB, m *mesh.Mesh, r recipe.Recipe) Quick {
	t.Helper()
	s, err := section.NewStack(context.Background(), m, mesh.TopologyOf(m), toolpath.LayeringOf(&r, nil), 1, nil)
	require.NoError(t, err)
	return QuickOf(s, &r, &testMachine, machine.Loaded{&testMaterial})
}

// A 20 mm cube by hand. Every layer is a 20 x 20 square, 80 mm around.
//
// Line section: (0.45-0.2)·0.2 + π·0.1² = 0.0814159 mm²; spacing 0.4070796 mm.
// Outer shell, 0.225 in:                 80 - 8·0.225            = 78.2 mm
// Inner shell, 0.6320796 in:             80 - 8·0.6320796        = 74.943363 mm
// Within them, 0.225+1.5·0.4070796 = 0.8356194 in: side 18.3287612, area 335.943488 mm²
// 8 solid layers, each  335.943488/0.4070796 = 825.252523 mm
// 92 infill layers:   335.943488·0.2/0.45  = 149.308217 mm
// All lines: 100·(78.2+74.943363) + 8·825.252523 + 92·149.308217 = 35652.712 mm
// Filament: 35652.712·0.0814159/(π·1.75²/4 = 2.4052819) = 1206.799 mm
// Mass: 1206.799·2.4052819·1.24/1000 = 3.599355 g
func TestCubeByHand(t *testing.T) {
	q := quick(t, solid.Box(20, 20, 20), testRecipe)
	assert.Equal(t, 100, q.Layers)
	assert.InEpsilon(t, 1206.799, q.FilamentMM, 1e-5)
	assert.InEpsilon(t, 3.599355, q.Grams, 1e-5)

	// Time of a layer, a = 1000 mm/s², δ = 0.02 mm. A right angle is taken at
	// √(1000·0.02·sin45°/(1-sin45°)) = 6.948688 mm/s.
	v0 := math.Sqrt(20 * math.Sin(math.Pi/4) / (1 - math.Sin(math.Pi/4)))
	assert.InDelta(t, 6.948688, v0, 1e-6)
	// A side of length d at speed v: (d - (v²-v0²)/a)/v + 2(v-v0)/a, if d is
	// long enough; the short link between two lines never reaches v.
	side := func(d, v float64) float64 { return (d-(v*v-v0*v0)/1000)/v + 2*(v-v0)/1000 }
	link := func(d float64) float64 { return 2 * (math.Sqrt(v0*v0+1000*d) - v0) / 1000 }
	const area, spacing = 335.943488, 0.4070796
	rim := 80 - 0.45*2*8
	chord := math.Pi * area / rim
	f := Fitted
	infill := func(v float64) float64 {
		return 149.308217 / (f.FillChord * chord) * (side(f.FillChord*chord, v) + link(0.45*5))
	}
	caps := func(v float64) float64 {
		return 825.252523 / (f.SolidChord * chord) * (side(f.SolidChord*chord, v) + link(spacing))
	}
	// Each shell begins and ends at rest, v/a longer.
	shells := func(out, in float64) float64 {
		return 4*side(78.2/4, out) + 4*side(74.943363/4, in) + out/1000 + 74.943363/78.2*in/1000
	}
	// To each layer 0.2 mm up at 10 mm/s with 10 ms of speeding up and down, 2·1/40 s of retraction and 10 mm of travel; more of
	// that for what a square's outline is longer than a circle's; within, ways half as long
	// that are gone into round a corner.
	rest := func(d float64) float64 { return segmentSeconds(d, 0, 150, 1000) }
	ragged := 80/math.Sqrt(4*math.Pi*400) - 1
	piece := segmentSeconds(f.Near*5, v0, 150, 1000)
	travel := 0.03 + 0.05 + rest(10) + f.Ragged*ragged*(0.05+rest(f.Near*10)) + 2*f.Loops*piece
	want := shells(20, 20) + caps(20) + // first layer
		99*shells(40, 60) + 7*caps(60) + 92*infill(80) + 100*travel + 8*f.Pieces*(1+ragged)*piece
	assert.InEpsilon(t, want, q.Seconds, 1e-5)
	t.Logf("cube: %.1f s, %.3f g", q.Seconds, q.Grams)

	// Warm-up: nozzle 190/2 = 95 s, bed 40/0.5 = 80 s, homing 30 s.
	assert.InDelta(t, 95, q.WarmUpSeconds, 1e-9) // it homes meanwhile
	assert.Equal(t, []Use{{&testMaterial, q.Grams}, {&testMaterial, 0}}, q.Uses)
}

// A solid part takes its own volume of plastic: lines of a full filling lie a
// spacing apart, so nothing is counted twice or left out.
func TestFullInfillDepositsTheVolume(t *testing.T) {
	r := testRecipe
	r.TopLayers, r.BottomLayers = 1000, 0 // solid everywhere
	for name, m := range map[string]*mesh.Mesh{
		"cube": solid.Box(20, 20, 20), "ball": solid.Sphere(15, 96), "sheave": solid.Sheave(), "cleat": solid.MooringCleat(),
	} {
		q := quick(t, m, r)
		deposited := q.FilamentMM * math.Pi * 1.75 * 1.75 / 4
		assert.InEpsilon(t, m.Measure().Volume, deposited, 0.03, name)
	}
}

func TestMoreOfEverythingTakesMore(t *testing.T) {
	// Common practice, no source: thin layers take about as many times longer as
	// they are more; infill adds time and grams; 47.7 mm at 0.3 mm is 159 layers.
	m := solid.Sheave()
	thin, thick := testRecipe, testRecipe
	thin.LayerMM, thin.FirstLayerMM, thin.TopLayers, thin.BottomLayers = 0.1, 0.1, 8, 8
	thick.LayerMM, thick.FirstLayerMM, thick.TopLayers, thick.BottomLayers = 0.4, 0.4, 2, 2
	ratio := quick(t, m, thin).Seconds / quick(t, m, thick).Seconds
	assert.InDelta(t, 4, ratio, 0.8)
	last := Quick{}
	for _, p := range []float64{0, 10, 20, 50, 90} {
		r := testRecipe
		r.InfillPercent = p
		q := quick(t, m, r)
		assert.Greater(t, q.Seconds, last.Seconds)
		assert.Greater(t, q.Grams, last.Grams)
		last = q
	}
	// 1 kg of PLA at 1.75 mm is about 335 m (data sheet values, from memory).
	assert.InEpsilon(t, 1000, testMaterial.Grams(1.75, 335_300), 0.001)
}

// Of a column as narrow as a line nothing is sure to be laid, dense or not; of a wide one all
// is.
func TestWhatOfAColumnIsFirm(t *testing.T) {
	r := testRecipe
	r.Support = recipe.SupportEverywhere
	r = r.WithDefaults()
	for _, roof := range []float64{0, 0.5, 1} {
		strip := section.Column{To: 1, AreaMM2: 60 * 0.25, InterfaceMM2: roof * 60 * 0.25, RimMM: 120}
		x := Fitted.column(&r, &testMachine, strip, 2500, 1)
		assert.Positive(t, x.length)
		assert.InDelta(t, 0, x.firm, 1e-9)
		wide := section.Column{To: 1, AreaMM2: 900, InterfaceMM2: roof * 900, RimMM: 160}
		x = Fitted.column(&r, &testMachine, wide, 2500, 1)
		assert.Greater(t, x.length, 100.)
		assert.InDelta(t, x.length, x.firm, 1e-9)
	}
}

// Of no layers there is nothing but the start.
func TestNoLayersAtAll(t *testing.T) {
	r := testRecipe
	r.Adhesion, r.Support = recipe.AdhesionSkirt, recipe.SupportEverywhere
	q := QuickOf(&section.Stack{}, &r, &testMachine, machine.Loaded{&testMaterial})
	assert.Zero(t, q.Seconds+q.Grams+q.FilamentMM)
}

// A machine slow to start in height takes longer, by what the closed form says of each
// step up and of each lift.
func TestHeightIsAsSlowAsTheMachine(t *testing.T) {
	r := testRecipe
	m := solid.Box(20, 20, 20)
	s, err := section.NewStack(context.Background(), m, mesh.TopologyOf(m), toolpath.LayeringOf(&r, nil), 1, nil)
	require.NoError(t, err)
	slow := testMachine
	slow.Motion.LiftAccelMMPerS2 = 50
	q, p := QuickOf(s, &r, &testMachine, machine.Loaded{&testMaterial}), QuickOf(s, &r, &slow, machine.Loaded{&testMaterial})
	assert.InDelta(t, 100*(2*math.Sqrt(0.2/50)-0.03), p.Seconds-q.Seconds, 1e-6)
}

func TestClosedFormsOfMotion(t *testing.T) {
	assert.InDelta(t, 10./50+50./1000, segmentSeconds(10, 0, 50, 1000), 1e-12) // d/v + v/a
	assert.InDelta(t, 2*math.Sqrt(1./1000), segmentSeconds(1, 0, 50, 1000), 1e-12)
	assert.InDelta(t, 0.2, segmentSeconds(10, 50, 50, 1000), 1e-12)
	assert.True(t, math.IsInf(CornerSpeed(0, 1000, 0.02), 1), "straight on")
	assert.InDelta(t, 0, CornerSpeed(math.Pi, 1000, 0.02), 1e-6, "straight back")
}
