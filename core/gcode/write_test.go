package gcode_test

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/estimate"
	"jobshelf/core/gcode"
	"jobshelf/core/machine"
	"jobshelf/core/mesh"
	"jobshelf/core/motion"
	"jobshelf/core/plate"
	"jobshelf/core/recipe"
	"jobshelf/core/solid"
	"jobshelf/core/toolpath"
)

var ctx = context.Background()

func settings() (recipe.Recipe, *machine.Machine, *machine.Material) {
	r := recipe.Recipe{LayerMM: 0.2, FirstLayerMM: 0.24, LineMM: 0.45, Shells: 2, TopLayers: 4, BottomLayers: 4, InfillPercent: 15, Hold: recipe.HoldSkirt,
		NozzleC: 210, FirstNozzleC: 215, BedC: 60, OuterMMPerS: 40, InnerMMPerS: 60, CapMMPerS: 60, InfillMMPerS: 80, FirstMMPerS: 20, TravelMMPerS: 150, RetractMM: 1,
		RetractMMPerS: 35, LiftMM: 0.3, Support: recipe.SupportEverywhere, FanPercent: 80, PauseMM: []float64{5}, LeastLayerS: 6}
	m := &machine.Machine{Name: "Test", Process: machine.MaterialExtrusion, Volume: machine.Volume{Shape: machine.Rectangle, XMM: 200, YMM: 200, ZMM: 200},
		FilamentMM: 1.75, Motion: machine.Motion{SpeedMMPerS: 180, AccelMMPerS2: 1500, JunctionDeviationMM: 0.02, LiftMMPerS: 12}, WarmUp: machine.WarmUp{NozzleCPerS: 2, BedCPerS: 0.5}}
	return r.WithDefaults(), m, &machine.Material{Name: "PLA", DensityGPerCM: 1.24, SpoolGrams: 1000, SpoolCents: 2500}
}

// What is written reads back the same: filament within 0.1 %, bounds, layers, and
// the planner gives the same time within 0.5 %.
func TestWrittenProgramsReadBackTheSame(t *testing.T) {
	r, m, mat := settings()
	for _, part := range []*mesh.Mesh{solid.Bollard(), solid.Sheave(), solid.TillerJoint(), solid.BaitBox()} {
		stood := plate.Stand(part, 1, 0, m.Volume)
		p, err := toolpath.Slice(ctx, stood, mesh.TopologyOf(stood), 1, r, toolpath.Options{Room: m.Volume}, nil)
		require.NoError(t, err)
		full := estimate.FullOf(p, r, m, mat, 0)
		var b bytes.Buffer
		require.NoError(t, gcode.Write(&b, p, gcode.Job{Machine: m, Recipe: r, Material: mat, Slow: full.Slow, Facts: [][2]string{{"part", "two\nlines"}}}))
		s, err := gcode.Read(ctx, bytes.NewReader(b.Bytes()), 0, nil)
		require.NoError(t, err)
		assert.InEpsilon(t, full.FilamentMM, s.FilamentMM+r.RetractMM, 1e-3) // pulled back once at the end
		assert.Len(t, s.Layers, full.Layers)
		assert.InDelta(t, 0.2, s.LayerMM, 1e-9)
		assert.InDelta(t, 0.24, s.FirstLayerMM, 1e-9)
		for k, v := range [3]float64{s.Min.X, s.Min.Y, s.Min.Z} {
			assert.InDelta(t, full.Box[0][k], v, 0.01)
		}
		for k, v := range [3]float64{s.Max.X, s.Max.Y, s.Max.Z} {
			assert.InDelta(t, full.Box[1][k], v, 0.01)
		}
		assert.Zero(t, s.NozzleEndC+s.BedEndC, "heating ends with the print")
		assert.Equal(t, 215., s.NozzleMaxC)
		seconds := 0.0
		pl := motion.New(motion.Limits{AccelMMPerS2: m.Motion.AccelMMPerS2, DeviationMM: m.Motion.JunctionDeviationMM}, func(_ int32, s float64) { seconds += s })
		_, err = gcode.Walk(ctx, bytes.NewReader(b.Bytes()), 0, gcode.Visitor{Move: func(x gcode.Move) {
			pl.Add(motion.Move{DX: x.To.X - x.From.X, DY: x.To.Y - x.From.Y, DZ: x.To.Z - x.From.Z, EMM: x.EMM, MMPerS: x.MMPerS})
		}}, nil)
		require.NoError(t, err)
		pl.Flush()
		assert.InEpsilon(t, full.Seconds-full.ByKind["cooling"], seconds, 0.005)
		text := b.String()
		assert.Equal(t, 1, strings.Count(text, "\nM0\n"), "one pause")
		assert.True(t, strings.HasPrefix(text, "; part: two lines\n"))
		assert.Contains(t, text, "M106 S204")
	}
}

func TestBlocksNameTheirValues(t *testing.T) {
	got, err := gcode.FillBlock("M104 S{nozzle_c}; {layers}", map[string]string{"nozzle_c": "210", "layers": "9"})
	require.NoError(t, err)
	assert.Equal(t, "M104 S210; 9", got)
	_, err = gcode.FillBlock("{nozle}", map[string]string{"nozzle_c": "210"})
	assert.ErrorContains(t, err, "nozzle_c")
	_, err = gcode.FillBlock("{nozzle_c", nil)
	assert.Error(t, err)
}

// Trade checks (common practice, no source): layers of 0.1 mm take about four
// times as long as of 0.4 mm; time and grams rise with infill; 4 g of a 1 kg spool
// at 25.00 cost 0.10.
func TestTradeChecks(t *testing.T) {
	r, m, mat := settings()
	r.Support, r.PauseMM, r.Hold, r.LeastLayerS = recipe.SupportOff, nil, recipe.HoldNone, 0
	run := func(change func(*recipe.Recipe)) *estimate.Full {
		q := r
		change(&q)
		part := solid.Box(40, 40, 20)
		p, err := toolpath.Slice(ctx, part, mesh.TopologyOf(part), 1, q, toolpath.Options{}, nil)
		require.NoError(t, err)
		return estimate.FullOf(p, q, m, mat, 0)
	}
	layers := func(h float64) func(*recipe.Recipe) {
		return func(r *recipe.Recipe) {
			r.LayerMM, r.FirstLayerMM = h, h
			r.TopLayers, r.BottomLayers = int(0.8/h+0.5), int(0.8/h+0.5) // caps as thick
		}
	}
	fine, coarse := run(layers(0.1)), run(layers(0.4))
	assert.InDelta(t, 4, fine.Seconds/coarse.Seconds, 0.8)
	last := run(func(r *recipe.Recipe) { r.InfillPercent = 0 })
	for _, share := range []float64{10, 20, 40, 70, 100} {
		f := run(func(r *recipe.Recipe) { r.InfillPercent = share })
		assert.Greater(t, f.Seconds, last.Seconds, fmt.Sprint(share))
		assert.Greater(t, f.Grams(), last.Grams(), fmt.Sprint(share))
		last = f
	}
	cents, _ := estimate.PriceOf(4, 0, m, mat, 0)
	assert.EqualValues(t, 10, cents)
	// 1 kg of PLA at 1.75 mm is 335 m (CORE's figure, from memory).
	assert.InDelta(t, 1000, mat.Grams(1.75, 335_000), 2)
}
