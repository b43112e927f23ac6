package verdict

import (
	"context"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
)

var ctx = context.Background()

// house is two machines with recipes, one too small for a hand's size, and one
// that is not in service.
func house() []Choice {
	mo := machine.Motion{SpeedMMPerS: 150, AccelMMPerS2: 1200, JunctionDeviationMM: 0.02, LiftMMPerS: 10}
	fff := func(name string, side float64) *machine.Machine {
		return &machine.Machine{Name: name, Process: machine.MaterialExtrusion, InService: true, NozzlesMM: []float64{0.4}, FilamentMM: 1.75, RateCents: 100, Motion: mo, NozzleMaxC: 260, BedMaxC: 90,
			WarmUp: machine.WarmUp{NozzleCPerS: 2, BedCPerS: 1}, Volume: machine.Volume{Shape: machine.Rectangle, XMM: side, YMM: side, ZMM: side}}
	}
	r := &recipe.Recipe{Name: "plain", LayerMM: 0.2, FirstLayerMM: 0.2, LineMM: 0.45, Shells: 2, TopLayers: 4, BottomLayers: 4, InfillPercent: 20, Adhesion: recipe.AdhesionNone, NozzleC: 210, BedC: 60,
		OuterMMPerS: 40, InnerMMPerS: 60, TopBottomMMPerS: 60, InfillMMPerS: 80, FirstMMPerS: 20, TravelMMPerS: 150, RetractMM: 1, RetractMMPerS: 40}
	pla := &machine.Material{Name: "PLA", DensityGPerCM: 1.24, SpoolGrams: 1000, SpoolCents: 2500, NozzleMaxC: 230}
	idle := fff("Idle", 500)
	idle.InService = false
	return []Choice{{fff("Large", 200), r, machine.Loaded{pla}}, {fff("Small", 15), r, machine.Loaded{pla}}, {Machine: idle}}
}

// A cube of 20 mm with an edge-hole-free inside, by closed forms; on the machine
// that is too small by 5 mm it would go at three quarters.
func TestACubeIsJudged(t *testing.T) {
	steps := map[Step]bool{}
	last := 0.0
	v, err := Judge(ctx, Subject{Mesh: solid.Box(20, 20, 20), Name: "cube", Format: modelfile.STLBinary, Said: units.Millimetre}, house(), func(s Step, f float64) {
		steps[s] = true
		assert.GreaterOrEqual(t, f, last)
		last = f
	})
	require.NoError(t, err)
	assert.Len(t, steps, 3)
	assert.InDelta(t, 1, last, 0)
	assert.Equal(t, 12, v.Triangles)
	assert.Equal(t, 1, v.BodyCount)
	assert.True(t, v.Closed && v.Oriented && v.UnitStated && !v.Crosses)
	assert.InDelta(t, 8000, v.VolumeMM3, 1e-6)
	assert.InDelta(t, 2400, v.AreaMM2, 1e-6)
	assert.InDeltaSlice(t, []float64{10, 10, 10}, v.CentroidMM[:], 1e-9)
	assert.Empty(t, v.Findings)
	assert.False(t, v.Stops())
	require.Len(t, v.Machines, 3)
	large, small, idle := v.Machines[0], v.Machines[1], v.Machines[2]
	assert.True(t, large.Fits)
	require.NotNil(t, large.Quick)
	assert.Equal(t, 100, large.Quick.Layers)
	assert.Greater(t, large.Quick.Grams, 0.2*8*1.24)
	assert.Less(t, large.Quick.Grams, 8*1.24)
	assert.False(t, small.Fits)
	assert.InDeltaSlice(t, []float64{5, 5, 5}, small.OverMM[:], 1e-3)
	assert.InDelta(t, 0.75, small.ScaleToFit, 1e-6)
	assert.Nil(t, small.Quick)
	assert.True(t, idle.Fits)
	assert.Nil(t, idle.Quick, "no recipe, no estimate")

	over, cancel := context.WithCancel(ctx)
	cancel()
	_, err = Judge(over, Subject{Mesh: solid.Box(1, 1, 1)}, house(), nil)
	assert.ErrorIs(t, err, context.Canceled)
}

// What its owner says of the unit wins over the file; without either a size that
// makes no sense is asked about. Volumes go with the cube of the unit, areas with
// its square.
func TestUnitsOfASubject(t *testing.T) {
	m := solid.Box(2, 2, 2)
	of := func(s Subject) *Verdict {
		s.Mesh = m
		v, err := Judge(ctx, s, house(), nil)
		require.NoError(t, err)
		return v
	}
	plain := of(Subject{})
	assert.False(t, plain.UnitStated)
	assert.Equal(t, units.Millimetre, plain.Unit)
	assert.NotEmpty(t, plain.Units)
	inch := of(Subject{Unit: units.Inch})
	assert.True(t, inch.UnitStated)
	assert.InEpsilon(t, 8*25.4*25.4*25.4, inch.VolumeMM3, 1e-9)
	assert.InEpsilon(t, 24*25.4*25.4, inch.AreaMM2, 1e-9)
	assert.Empty(t, inch.Units)
	said := of(Subject{Unit: units.Inch, Said: units.Centimetre})
	assert.InEpsilon(t, 8000, said.VolumeMM3, 1e-9)
	huge := of(Subject{Unit: units.Metre})
	assert.True(t, huge.Stops(), "it fits nowhere")
}

// Two nozzles reach the quick estimate, each material by itself.
func TestSupportInAnotherMaterialIsApart(t *testing.T) {
	c := house()[:1]
	r := *c[0].Recipe
	r.Support, r.SupportNozzle = recipe.SupportEverywhere, 2
	c[0].Recipe, c[0].Machine.NozzlesMM, c[0].Machine.ChangeS = &r, []float64{0.4, 0.4}, 10
	c[0].Loaded = append(c[0].Loaded, &machine.Material{Name: "Soluble", DensityGPerCM: 1.2, SpoolGrams: 500, SpoolCents: 4000})
	m := solid.Box(6, 6, 10)
	m.Append(solid.Box(40, 30, 2).Transformed(1, mesh.Vec3{Z: 10}))
	v, err := Judge(ctx, Subject{Mesh: m, Unit: units.Millimetre}, c, nil)
	require.NoError(t, err)
	require.Len(t, v.Machines[0].Quick.Uses, 2)
	assert.Equal(t, "Soluble", v.Machines[0].Quick.Uses[1].Material.Name)
	assert.Positive(t, v.Machines[0].Quick.Uses[1].Grams)
	r.SupportNozzle = 1
	one, err := Judge(ctx, Subject{Mesh: m, Unit: units.Millimetre}, c, nil)
	require.NoError(t, err)
	assert.Zero(t, one.Machines[0].Quick.Uses[1].Grams)
	assert.Greater(t, v.Machines[0].Quick.Seconds, one.Machines[0].Quick.Seconds+45*10, "some fifty changes")
}

// A program of its own runs where it fits, as fast as that machine can, with the
// machine's material.
func TestAProgramIsJudged(t *testing.T) {
	text := "M104 S210\nG28\nG90\nM83\nG1 Z0.2 F600\nG1 X10 Y10\nG1 X90 E3 F1200\nG1 Z0.4\nG1 X10 E3\nM104 S0\n"
	s, err := gcode.Read(ctx, strings.NewReader(text), 0, nil, MachinesOf(house())...)
	require.NoError(t, err)
	v := JudgeProgram(s, house(), 0)
	require.NotNil(t, v.Program)
	assert.Equal(t, 2, v.Program.Layers)
	assert.Equal(t, modelfile.GCode, v.Format)
	require.Len(t, v.Machines, 3)
	require.NotNil(t, v.Machines[0].Quick)
	assert.InDelta(t, 6*math.Pi*1.75*1.75/4*1.24/1000, v.Machines[0].Quick.Grams, 1e-9)
	assert.InDelta(t, s.SecondsOn[0], v.Machines[0].Quick.Seconds, 0)
	assert.InDelta(t, s.SecondsOn[0], v.Program.Seconds, 0)
	assert.Greater(t, s.SecondsOn[0], s.Seconds, "it speeds up and slows down")
	assert.False(t, v.Machines[1].Fits)
	assert.InDelta(t, 75, v.Machines[1].OverMM[0], 1e-9)
	assert.Nil(t, v.Machines[2].Quick)
}

// What no line of a recipe fits in is told before anything is sliced, and stops what
// is nothing else.
func TestWhatIsTooThinIsTold(t *testing.T) {
	find := func(m *mesh.Mesh) (finding.Finding, bool) {
		v, err := Judge(ctx, Subject{Mesh: m, Unit: units.Millimetre}, house(), nil)
		require.NoError(t, err)
		for _, f := range v.Findings {
			if f.Check == "too thin" {
				return f, true
			}
		}
		return finding.Finding{}, false
	}
	f, ok := find(solid.Box(30, 0.15, 10))
	require.True(t, ok)
	assert.Equal(t, finding.StopsIt, f.Grade)
	hair := solid.Box(10, 10, 5)
	hair.Append(solid.Box(0.1, 0.1, 14.5).Transformed(1, mesh.Vec3{X: 12}))
	f, ok = find(hair)
	require.True(t, ok)
	assert.Equal(t, finding.Decide, f.Grade)
	assert.InDelta(t, 14.5, f.Value, 0.01)
	assert.Contains(t, f.Text, "Large")
	assert.NotContains(t, f.Text, "Idle")
	require.NotEmpty(t, f.Places)
	assert.InDelta(t, 12, f.Places[0][0], 0.11)
	// A fin on a thick block, 12 of 20 mm high.
	finned := solid.Box(10, 10, 20)
	finned.Append(solid.Box(8, 0.14, 12).Transformed(1, mesh.Vec3{X: 9.5, Y: 5, Z: 4}))
	f, ok = find(finned)
	require.True(t, ok)
	assert.Equal(t, finding.Decide, f.Grade)
	assert.InDelta(t, 12, f.Value, 0.7)
	assert.Contains(t, f.Text, "Up to")
	for name, m := range map[string]*mesh.Mesh{"a star": solid.Extrude([]solid.P{{X: 20, Y: 0}, {X: 3, Y: 2}, {X: -18, Y: 9}, {X: -4, Y: -1}, {X: -12, Y: -14}}, nil, 5), "a box of paper walls": solid.BaitBox(), "a peg": solid.Cylinder(0.2, 12, 24), "a cube": solid.Box(9, 9, 9)} {
		_, ok := find(m)
		assert.False(t, ok, name)
	}
	// The layers that are promised are those that are laid: a cone without its tip.
	cone := solid.Revolve([]solid.P{{X: 0, Y: 0}, {X: 4, Y: 0}, {X: 0.01, Y: 14}, {X: 0, Y: 14}}, 60)
	judged, err := Judge(ctx, Subject{Mesh: cone, Unit: units.Millimetre}, house(), nil)
	require.NoError(t, err)
	c := house()[0]
	p, err := toolpath.Slice(ctx, cone, mesh.TopologyOf(cone), 1, *c.Recipe, toolpath.Options{Machine: c.Machine}, nil)
	require.NoError(t, err)
	assert.Less(t, len(p.Layers), 70)
	assert.InDelta(t, len(p.Layers), judged.Machines[0].Quick.Layers, 1)
	// Of a part in inches that came without its unit, the unit is what is to be decided.
	v, err := Judge(ctx, Subject{Mesh: solid.Box(2, 0.1, 1)}, house(), nil)
	require.NoError(t, err)
	require.NotEmpty(t, v.Units)
	w, _ := finding.Worst(v.Findings)
	assert.Equal(t, finding.Decide, w.Grade)
	assert.Equal(t, "unit", w.Check)
}

// Sharp corners are told with how far a line stays short of them: (w/2)·(1/sin(α/2) - 1),
// the distance from the tip of a corner α to a bead of radius w/2 that touches both sides.
func TestSharpCornersAreTold(t *testing.T) {
	told := func(m *mesh.Mesh, u units.Length) *finding.Finding {
		v, err := Judge(ctx, Subject{Mesh: m, Unit: u}, house(), nil)
		require.NoError(t, err)
		for k := range v.Findings {
			if v.Findings[k].Check == "sharp corners" {
				return &v.Findings[k]
			}
		}
		return nil
	}
	wedge := solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 20, Y: -20 * math.Tan(math.Pi/12)}, {X: 20, Y: 20 * math.Tan(math.Pi/12)}}, nil, 6)
	f := told(wedge, units.Millimetre)
	require.NotNil(t, f)
	assert.Equal(t, finding.WorthKnowing, f.Grade)
	line := house()[0].Recipe.WithDefaults().LineMM
	assert.InDelta(t, line/2*(1/math.Sin(math.Pi/12)-1), f.Value, 0.01)
	assert.Contains(t, f.Text, "30°")
	assert.InDelta(t, 0, f.Places[0][0], 0.01)
	inches := told(wedge.Transformed(1/25.4, mesh.Vec3{Z: 7}), units.Inch)
	require.NotNil(t, inches)
	assert.InDelta(t, f.Value, inches.Value, 0.01)
	assert.Nil(t, told(solid.Box(9, 9, 9), units.Millimetre))
	assert.Nil(t, told(solid.Cylinder(8, 9, 64), units.Millimetre))
}
