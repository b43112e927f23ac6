package toolpath

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
)

func stepsOf(p *Print, r recipe.Recipe) []Step {
	m := &machine.Machine{FilamentMM: 1.75, Motion: machine.Motion{SpeedMMPerS: 100, AccelMMPerS2: 1000, JunctionDeviationMM: 0.02, LiftMMPerS: 10}}
	var out []Step
	p.Steps(r, m, nil, func(s Step) bool { out = append(out, s); return true })
	return out
}

// Every line has the speed and the acceleration of its kind, no faster than the machine
// goes; in the first layer, and in no other, no faster than a first layer is laid.
func TestEveryKindHasItsSpeed(t *testing.T) {
	r := plain(func(r *recipe.Recipe) {
		r.OuterMMPerS, r.InnerMMPerS, r.TopBottomMMPerS, r.InfillMMPerS, r.BridgeMMPerS, r.SupportMMPerS, r.FirstMMPerS = 31, 32, 33, 140, 35, 36, 34
		r.OuterMMPerS2, r.InnerMMPerS2, r.TopBottomMMPerS2, r.InfillMMPerS2, r.BridgeMMPerS2, r.SupportMMPerS2, r.FirstMMPerS2 = 310, 320, 330, 340, 350, 360, 370
		r.Support, r.Adhesion = recipe.SupportEverywhere, recipe.AdhesionSkirt
	})
	p := sliced(t, stool(8), r)
	speeds := map[Kind]float64{Outer: 31, Inner: 32, TopBottom: 33, Infill: 100, Bridge: 35, Support: 36, Adhesion: 34}
	accels := map[Kind]float64{Outer: 310, Inner: 320, TopBottom: 330, Infill: 340, Bridge: 350, Support: 360, Adhesion: 370}
	seen := map[string]int{}
	for _, s := range stepsOf(p, r) {
		if s.Kind != Lay {
			continue
		}
		v, a := speeds[s.For], accels[s.For]
		if s.Layer == 0 {
			v, a = math.Min(v, 34), 370
		}
		require.InDelta(t, v, s.MMPerS, 1e-9, "%s in layer %d", s.For, s.Layer)
		require.InDelta(t, a, s.MMPerS2, 1e-9, "%s in layer %d", s.For, s.Layer)
		seen[fmt.Sprintf("%s %d", s.For, min(s.Layer, 2))]++
	}
	for _, want := range []string{"outer shell 0", "outer shell 1", "outer shell 2", "support 0", "support 1", "infill 2", "top and bottom 0", "top and bottom 1", "bed adhesion 0"} {
		assert.Positive(t, seen[want], want)
	}
}

// A skirt goes around all there is, SkirtGapMM away from its hull and outwards from there,
// round after round beside the one before; a brim touches the part and is as wide as said;
// both lie in the first layer alone.
func TestFirstLayerHolds(t *testing.T) {
	two := solid.Box(10, 6, 2)
	far := solid.Box(5, 12, 2)
	for i := range far.Vertices {
		far.Vertices[i].X += 30
		far.Vertices[i].Y += 9
	}
	two.Append(far)
	rings := func(r recipe.Recipe) (out []polygon.Path, foot []polygon.Path, w, gap float64) {
		p := sliced(t, two, r)
		for i, l := range p.Layers {
			for _, x := range l.Lines {
				if x.Kind == Adhesion {
					require.Zero(t, i)
					require.True(t, x.Closed)
					out = append(out, x.Points)
				}
			}
		}
		return out, p.Layers[0].Outlines, r.LineMM, Spacing(r.LineMM, r.FirstLayerMM)
	}
	skirt, foot, w, gap := rings(plain(func(r *recipe.Recipe) { r.Adhesion = recipe.AdhesionSkirt }))
	require.Len(t, skirt, SkirtRounds)
	var all polygon.Path
	for _, o := range foot {
		all = append(all, o...)
	}
	hull := []polygon.Path{polygon.Hull(all)}
	for k, round := range skirt {
		want := SkirtGapMM + w/2 + float64(k)*gap
		for _, q := range round {
			assert.InDelta(t, want, fromOutline(hull, q)/1000, 0.02, "round %d", k)
			assert.Negative(t, polygon.Inside(polygon.NonZero, hull, q))
		}
		assert.Greater(t, round.Area(), hull[0].Area())
	}
	brim, foot, _, gap := rings(plain(func(r *recipe.Recipe) { r.Adhesion, r.BrimMM = recipe.AdhesionBrim, 3 }))
	nearest, furthest := math.Inf(1), 0.0
	for _, round := range brim {
		d := math.Inf(1)
		for _, q := range round {
			d = math.Min(d, fromOutline(foot, q)/1000)
		}
		nearest, furthest = math.Min(nearest, d), math.Max(furthest, d)
	}
	assert.InDelta(t, w/2, nearest, 0.02, "it touches the part")
	assert.InDelta(t, 3, furthest+gap/2, gap)
	rounds := int(math.Ceil(3 / gap))
	assert.GreaterOrEqual(t, len(brim), rounds)
}

// A pause comes before the layer whose foot is at its height, counted from the part's own
// foot: a raft beneath makes no difference.
func TestPausesAreCountedFromThePart(t *testing.T) {
	for _, hold := range []recipe.Adhesion{recipe.AdhesionNone, recipe.AdhesionRaft} {
		for _, c := range []struct {
			at    []float64
			tops  []float64 // of the layers that follow, over the part's foot
			layer float64
		}{{[]float64{1}, []float64{1.2}, 0.2}, {[]float64{1.05, 1.1, 3}, []float64{1.4, 3.2}, 0.2}, {[]float64{4, 2}, []float64{2.2, 4.2}, 0.2}, {[]float64{50}, nil, 0.2}, {[]float64{0.001}, []float64{0.4}, 0.2}} {
			r := plain(func(r *recipe.Recipe) { r.Adhesion, r.PauseMM, r.LayerMM = hold, c.at, c.layer })
			p := sliced(t, solid.Box(10, 10, 5), r)
			var got []float64
			for _, s := range stepsOf(p, r) {
				if s.Kind == Pause {
					got = append(got, math.Round(1000*(p.Layers[s.Layer].TopMM-p.RaftMM))/1000)
				}
			}
			assert.Equal(t, c.tops, got, "%s, pauses at %v", hold, c.at)
			assert.Equal(t, hold == recipe.AdhesionRaft, p.RaftMM > 0)
		}
	}
}
