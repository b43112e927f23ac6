package verdict

import (
	"context"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
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
	return []Choice{{Machine: fff("Large", 200), Recipe: r, Loaded: machine.Loaded{pla}}, {Machine: fff("Small", 15), Recipe: r, Loaded: machine.Loaded{pla}}, {Machine: idle}}
}

// A cube of 20 mm with an edge-hole-free inside, by closed forms; on the machine
// that is too small by 5 mm it would go at three quarters.
func TestACubeIsJudged(t *testing.T) {
	steps := map[Stage]bool{}
	last := 0.0
	v, err := Judge(ctx, Subject{Mesh: solid.Box(20, 20, 20), Name: "cube", Format: modelfile.STLBinary, Said: units.Millimetre}, house(), func(s Stage, f float64) {
		steps[s] = true
		assert.GreaterOrEqual(t, f, last)
		last = f
	})
	require.NoError(t, err)
	assert.Len(t, steps, 4)
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
