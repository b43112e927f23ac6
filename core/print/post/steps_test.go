package post

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/drawn"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
)

func sliced(t testing.TB, m *mesh.Mesh, r recipe.Recipe) *toolpath.Print {
	t.Helper()
	p, err := toolpath.Slice(t.Context(), m, mesh.TopologyOf(m), 1, r, toolpath.Options{}, nil)
	require.NoError(t, err)
	return p
}

// Of any print: what the steps lay is what the lines hold, at their heights; every retraction
// is undone before anything is laid; nothing is laid while the nozzle is lifted, and nothing
// goes higher than the machine.
func TestLawsOfSteps(t *testing.T) {
	for seed := range uint64(60) {
		d := drawn.Of(1000 + seed)
		p, err := toolpath.Slice(t.Context(), d.Mesh, mesh.TopologyOf(d.Mesh), 1, d.Recipe, toolpath.Options{Machine: &d.Machine}, nil)
		require.NoError(t, err)
		held, laid, z := 0.0, 0.0, 0.0
		for i := range p.Layers {
			for k := range p.Layers[i].Lines {
				held += p.Layers[i].Lines[k].VolumeMM3(p.Layers[i].HeightMM)
			}
		}
		back := map[uint8]float64{}
		Steps(p, d.Recipe, &d.Machine, nil, func(x Step) bool {
			switch x.Kind {
			case Lay:
				laid += x.EMM
				require.InDelta(t, p.Layers[x.Layer].TopMM, x.Z, 1e-9, "%d", seed)
				require.InDelta(t, z, x.Z, 1e-9, "%d: laid while it moves up or down", seed)
				require.InDelta(t, 0, back[x.Nozzle], 1e-9, "%d: laid with the filament pulled back", seed)
			case Retract, Restore:
				back[x.Nozzle] += x.EMM
				require.GreaterOrEqual(t, back[x.Nozzle], -d.Recipe.RetractMM-1e-9, "%d", seed)
			}
			require.LessOrEqual(t, x.Z, d.Machine.Volume.ZMM+1e-9, "%d", seed)
			z = x.Z
			return true
		})
		require.InEpsilon(t, held, laid*math.Pi*1.75*1.75/4, 1e-6, "%d", seed)
	}
}

func stepsOf(p *toolpath.Print, r recipe.Recipe) []Step {
	m := &machine.Machine{FilamentMM: 1.75, Motion: machine.Motion{SpeedMMPerS: 100, AccelMMPerS2: 1000, JunctionDeviationMM: 0.02, LiftMMPerS: 10}}
	var out []Step
	Steps(p, r, m, nil, func(s Step) bool { out = append(out, s); return true })
	return out
}

// Every line has the speed and the acceleration of its kind, no faster than the machine
// goes; in the first layer, and in no other, no faster than a first layer is laid.
func TestEveryKindHasItsSpeed(t *testing.T) {
	r := drawn.Plain(func(r *recipe.Recipe) {
		r.OuterMMPerS, r.InnerMMPerS, r.TopBottomMMPerS, r.InfillMMPerS, r.BridgeMMPerS, r.SupportMMPerS, r.FirstMMPerS = 31, 32, 33, 140, 35, 36, 34
		r.OuterMMPerS2, r.InnerMMPerS2, r.TopBottomMMPerS2, r.InfillMMPerS2, r.BridgeMMPerS2, r.SupportMMPerS2, r.FirstMMPerS2 = 310, 320, 330, 340, 350, 360, 370
		r.Support, r.Adhesion = recipe.SupportEverywhere, recipe.AdhesionSkirt
	})
	p := sliced(t, drawn.Stool(8), r)
	speeds := map[toolpath.Kind]float64{toolpath.Outer: 31, toolpath.Inner: 32, toolpath.TopBottom: 33, toolpath.Infill: 100, toolpath.Bridge: 35, toolpath.Support: 36, toolpath.Adhesion: 34}
	accels := map[toolpath.Kind]float64{toolpath.Outer: 310, toolpath.Inner: 320, toolpath.TopBottom: 330, toolpath.Infill: 340, toolpath.Bridge: 350, toolpath.Support: 360, toolpath.Adhesion: 370}
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

// A pause comes before the layer whose foot is at its height, counted from the part's own
// foot: a raft beneath makes no difference.
func TestPausesAreCountedFromThePart(t *testing.T) {
	for _, hold := range []recipe.Adhesion{recipe.AdhesionNone, recipe.AdhesionRaft} {
		for _, c := range []struct {
			at    []float64
			tops  []float64 // of the layers that follow, over the part's foot
			layer float64
		}{{[]float64{1}, []float64{1.2}, 0.2}, {[]float64{1.05, 1.1, 3}, []float64{1.4, 3.2}, 0.2}, {[]float64{4, 2}, []float64{2.2, 4.2}, 0.2}, {[]float64{50}, nil, 0.2}, {[]float64{0.001}, []float64{0.4}, 0.2}} {
			r := drawn.Plain(func(r *recipe.Recipe) { r.Adhesion, r.PauseMM, r.LayerMM = hold, c.at, c.layer })
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

// With filament in the nozzle, no travel is longer than the gap between rows through open
// air, nor than is held within the part.
func TestTravelsThroughTheAirAreRetracted(t *testing.T) {
	mach := &machine.Machine{FilamentMM: 1.75, Motion: machine.Motion{SpeedMMPerS: 200, LiftMMPerS: 10}}
	free := 0
	for _, part := range []*mesh.Mesh{drawn.Stool(10), solid.MooringCleat(), solid.Bollard()} {
		r := drawn.Plain(func(r *recipe.Recipe) { r.Support = recipe.SupportEverywhere })
		p := sliced(t, part, r)
		var at Step
		back := false
		Steps(p, r, mach, nil, func(x Step) bool {
			switch x.Kind {
			case Retract:
				back = true
			case Restore:
				back = false
			case Travel:
				d := math.Hypot(x.X-at.X, x.Y-at.Y)
				if back || d <= freeTravelMM {
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

// The steps of any print with two nozzles: a change only with the filament pulled
// back, which each nozzle gets back before it lays again.
func TestChangesKeepFilamentBack(t *testing.T) {
	m := &machine.Machine{FilamentMM: 1.75, Motion: machine.Motion{SpeedMMPerS: 200, LiftMMPerS: 10}}
	rapid.Check(t, func(t *rapid.T) {
		r := drawn.Plain(func(r *recipe.Recipe) {
			r.Support, r.SupportNozzle = recipe.SupportEverywhere, 2
			r.ChangePurgeMM = new(rapid.Float64Range(1, 30).Draw(t, "purge"))
			r.RetractMM = rapid.Float64Range(0, 3).Draw(t, "retract")
			r.LiftMM = rapid.Float64Range(0, 1).Draw(t, "lift")
		})
		part := drawn.Stool(rapid.Float64Range(2, 5).Draw(t, "leg"))
		p, err := toolpath.Slice(t.Context(), part, mesh.TopologyOf(part), 1, r, toolpath.Options{}, nil)
		require.NoError(t, err)
		var back [2]float64
		at := p.FirstNozzle()
		Steps(p, r, m, nil, func(x Step) bool {
			switch x.Kind {
			case Change:
				require.InDelta(t, -r.RetractMM, back[at], 1e-9)
				require.NotEqual(t, at, x.Nozzle)
				at = x.Nozzle
			case Retract, Restore:
				back[at] += x.EMM
			case Lay:
				require.InDelta(t, 0, back[at], 1e-9)
			}
			require.Equal(t, at, x.Nozzle)
			return true
		})
	})
}

// A way crosses an outline where it does by the signs of four triangles, told of all sides
// one by one; a way that ends on a border may be told either way.
func TestCrossingIsWhatTheSignsSay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		point := rapid.Custom(func(t *rapid.T) polygon.Point {
			return polygon.Point{X: 1000 * rapid.Int64Range(-9, 9).Draw(t, "x"), Y: 1000 * rapid.Int64Range(-9, 9).Draw(t, "y")}
		})
		l := &toolpath.Layer{}
		for range rapid.IntRange(1, 3).Draw(t, "outlines") {
			l.Outlines = append(l.Outlines, rapid.SliceOfN(point, 3, 9).Draw(t, "outline"))
		}
		a, b := point.Draw(t, "from"), point.Draw(t, "to")
		sign := func(p, q, r polygon.Point) int64 { return (q.X-p.X)*(r.Y-p.Y) - (q.Y-p.Y)*(r.X-p.X) }
		want, touches := false, false
		for _, o := range l.Outlines {
			for i, c := range o {
				d := o[(i+1)%len(o)]
				s := [4]int64{sign(a, b, c), sign(a, b, d), sign(c, d, a), sign(c, d, b)}
				touches = touches || s[0] == 0 || s[1] == 0 || s[2] == 0 || s[3] == 0
				want = want || s[0] != 0 && s[1] != 0 && s[2] != 0 && s[3] != 0 && s[0] > 0 != (s[1] > 0) && s[2] > 0 != (s[3] > 0)
			}
		}
		s := &stepper{print: &toolpath.Print{Layers: []toolpath.Layer{*l}}, of: -1, x: float64(a.X) / 1000, y: float64(a.Y) / 1000}
		s.look(0)
		got := s.crosses(0, float64(b.X)/1000, float64(b.Y)/1000)
		if want || !touches {
			require.Equal(t, want, got)
		}
	})
}
