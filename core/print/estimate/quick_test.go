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
	assert.InDelta(t, 125, q.WarmUpSeconds, 1e-9)
	assert.Equal(t, []Use{{&testMaterial, q.Grams}, {&testMaterial, 0}}, q.Uses)
}

// Three demo parts by hand. A tube with wide walls: areas by π, spread over
// shells and infill as above; what the tessellation takes off is under 0.1 %.
func TestDemoPartsByHand(t *testing.T) {
	const w, h = 0.45, 0.2
	line := (w-h)*h + math.Pi*h*h/4
	s := line / h
	// ring is a layer between two radii: lines in mm for a solid layer or for infill.
	ring := func(R, r float64, infill float64) float64 {
		shells := 0.0
		for k := 0.; k < 2; k++ {
			d := w/2 + k*s
			shells += 2 * math.Pi * ((R - d) + (r + d))
		}
		D := w/2 + 1.5*s
		inside := math.Pi * ((R-D)*(R-D) - (r+D)*(r+D))
		if infill == 1 {
			return shells + inside/s
		}
		return shells + inside*infill/w
	}
	grams := func(mm float64) float64 { return mm * line * 1.24 / 1000 }

	// Oarlock bushing: flange 7…19, 4 high (20 layers); tube 7…11, 30 high.
	// Flange: 4 bottom layers, and on top 4 top layers of the ring 11…19 only; the tube's
	// last 4 layers are solid.
	flangeTop := ring(19, 7, 0.2)
	{ // in the 4 upper flange layers the ring beyond 11 mm is solid
		D := w/2 + 1.5*s
		inside := math.Pi * ((19-D)*(19-D) - (7+D)*(7+D))
		share := (19*19 - 11*11.) / (19*19 - 7*7.)
		flangeTop += inside * share * (1/s - 0.2/w)
	}
	bushing := 4*ring(19, 7, 1) + 12*ring(19, 7, 0.2) + 4*flangeTop + 146*ring(11, 7, 0.2) + 4*ring(11, 7, 1)
	q := quick(t, solid.OarlockBushing(), testRecipe)
	assert.Equal(t, 170, q.Layers)
	assert.InEpsilon(t, grams(bushing), q.Grams, 0.01)

	// Chart ruler: 2 mm are 10 layers; 4 bottom and 4 top layers are solid and
	// two are infill, but under the bevel, 27…32 mm, every layer is near a top.
	// The six layers up to 0.8+ mm are 210 x 32, the ones above narrow to 27.
	var ruler float64
	for i := range 10 {
		z := (float64(i) + 0.5) * h
		width := 32.0
		if z > 0.8 {
			width -= (z - 0.8) / 1.2 * 5
		}
		plain := 210 * width
		D := w/2 + 1.5*s
		inside := plain - 2*(210+width)*D + 4*D*D
		cap := 1.0
		if i == 4 || i == 5 {
			above := float64(i+4) + 0.5
			cap = 1 - (32-(above*h-0.8)/1.2*5)/width
		}
		ruler += 2*(210+width)*2 - 8*(w/2) - 8*(w/2+s) + inside*(cap/s+(1-cap)*0.2/w)
	}
	q = quick(t, solid.ChartRuler(), testRecipe)
	assert.Equal(t, 10, q.Layers)
	assert.InEpsilon(t, grams(ruler), q.Grams, 0.01)

	// Tiller joint, lying on its faces: 40 mm are 200 equal layers of two halves.
	// Area and outline are the prism's: volume/height, side faces/height.
	m := solid.TillerJoint()
	got := m.Measure()
	area := got.Volume / 40
	around := (got.Area - 2*area) / 40
	var mitre float64 // Σ 2·tan(turn/2): 2 halves, each 2π plus what mitres add
	st, err := section.NewStack(context.Background(), m, mesh.TopologyOf(m), section.Layering{FirstMM: 0.2, LayerMM: 0.2}, 1, nil)
	require.NoError(t, err)
	top := st.Slabs[100]
	mitre = top.MitreRad
	assert.InEpsilon(t, area, top.AreaMM2, 1e-4)
	assert.InEpsilon(t, around, top.LengthMM, 1e-4)
	D := w/2 + 1.5*s
	inside := area - D*around + D*D*mitre/2
	joint := 200*(2*around-(w+s)*mitre) + 8*inside/s + 192*inside*0.2/w
	q = quick(t, m, testRecipe)
	assert.InEpsilon(t, grams(joint), q.Grams, 1e-3)
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
		strip := section.Column{To: 1, AreaMM2: 60 * 0.25, RoofMM2: roof * 60 * 0.25, RimMM: 120}
		x := Fitted.column(&r, &testMachine, strip, 2500, 1)
		assert.Positive(t, x.length)
		assert.InDelta(t, 0, x.firm, 1e-9)
		wide := section.Column{To: 1, AreaMM2: 900, RoofMM2: roof * 900, RimMM: 160}
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
