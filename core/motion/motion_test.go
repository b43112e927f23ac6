package motion

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/machine"
	"jobshelf/core/mesh"
	"jobshelf/core/recipe"
	"jobshelf/core/solid"
	"jobshelf/core/toolpath"
)

func total(l Limits, moves []Move) float64 {
	t := 0.0
	p := New(l, func(_ int32, s float64) { t += s })
	for _, m := range moves {
		p.Add(m)
	}
	p.Flush()
	return t
}

// Closed forms: d/v + v/a where the speed is reached, else 2√(d/a); a corner of
// 90° at √(aδ·sin45°/(1-sin45°)); straight on it does not slow down; straight back
// it stops.
func TestClosedForms(t *testing.T) {
	l := Limits{AccelMMPerS2: 1000, DeviationMM: 0.02}
	assert.InDelta(t, 100./50+50./1000, total(l, []Move{{DX: 100, MMPerS: 50}}), 1e-12)
	assert.InDelta(t, 2*math.Sqrt(1./1000), total(l, []Move{{DX: 1, MMPerS: 200}}), 1e-12)
	assert.InDelta(t, 200./50+50./1000, total(l, []Move{{DX: 100, MMPerS: 50}, {DX: 100, MMPerS: 50}}), 1e-9, "straight on")
	assert.InDelta(t, 2*(100./50+50./1000), total(l, []Move{{DX: 100, MMPerS: 50}, {DX: -100, MMPerS: 50}}), 1e-9, "straight back")
	s := math.Sqrt(0.5)
	v := math.Sqrt(1000 * 0.02 * s / (1 - s))
	half := func(u, w float64) float64 {
		return (50-u)/1000 + (50-w)/1000 + (100-(2500-u*u)/2000-(2500-w*w)/2000)/50
	}
	assert.InDelta(t, half(0, v)+half(v, 0), total(l, []Move{{DX: 100, MMPerS: 50}, {DY: 100, MMPerS: 50}}), 1e-9, "a right angle")
	assert.InDelta(t, RestToRest(2, 35, 1000), total(l, []Move{{EMM: -2, MMPerS: 35}}), 1e-12, "filament alone")
	// Two speeds straight on: the slower is the limit at the joint.
	assert.InDelta(t, (50-0.)/1000+(50-20.)/1000+(100-1.25-1.05)/50+100./20+0.01, total(l, []Move{{DX: 100, MMPerS: 50}, {DX: 100, MMPerS: 20}}), 1e-9)
}

// A move's own acceleration holds for it alone, never above the machine's; the
// corner between two takes the weaker.
func TestMovesHaveTheirOwnAcceleration(t *testing.T) {
	l := Limits{AccelMMPerS2: 1000, DeviationMM: 0.02}
	assert.InDelta(t, 100./50+50./400, total(l, []Move{{DX: 100, MMPerS: 50, AccelMMPerS2: 400}}), 1e-12)
	assert.InDelta(t, 100./50+50./1000, total(l, []Move{{DX: 100, MMPerS: 50, AccelMMPerS2: 9000}}), 1e-12)
	s := math.Sqrt(0.5)
	v := math.Sqrt(400 * 0.02 * s / (1 - s))
	leg := func(a float64) float64 { return 50/a + (50-v)/a + (100-2500/(2*a)-(2500-v*v)/(2*a))/50 }
	assert.InDelta(t, leg(400)+leg(1000), total(l, []Move{{DX: 100, MMPerS: 50, AccelMMPerS2: 400}, {DY: 100, MMPerS: 50}}), 1e-9)
}

// integrate is the slow twin: it drives along the way in small steps of time with
// nothing but the limits: at each step it brakes if it must, so as to come through
// every corner ahead at its speed.
func integrate(l Limits, moves []Move, dt float64) float64 {
	a := l.AccelMMPerS2
	n := len(moves)
	length, limit := make([]float64, n), make([]float64, n+1)
	for i, m := range moves {
		length[i] = math.Hypot(m.DX, m.DY)
		if i == 0 {
			continue
		}
		p := moves[i-1]
		cos := -(p.DX*m.DX + p.DY*m.DY) / (length[i-1] * length[i])
		s := math.Sqrt(math.Max(0, (1-cos)/2))
		v := math.Inf(1)
		if s < 1-1e-9 {
			v = math.Sqrt(a * l.DeviationMM * s / (1 - s))
		}
		limit[i] = math.Min(v, math.Min(p.MMPerS, m.MMPerS))
	}
	t, v, x := 0.0, 0.0, 0.0
	for i := 0; i < n; {
		// The greatest speed from which every corner ahead can be met.
		allowed := moves[i].MMPerS
		far := length[i] - x
		for k := i + 1; k <= n && far < v*v/(2*a)+1; k++ {
			allowed = math.Min(allowed, math.Sqrt(limit[k]*limit[k]+2*a*math.Max(0, far)))
			if k < n {
				far += length[k]
			}
		}
		v = math.Max(math.Min(v+a*dt, allowed), 1e-3)
		x += v * dt
		t += dt
		for i < n && x >= length[i]-1e-9 {
			x -= length[i]
			i++
		}
		if t > 1e4 {
			return math.NaN()
		}
	}
	return t
}

// Ten ways like those of plates: outlines of many points, zigzags, scattered
// travels, at the limits of slow and quick machines. Within 2 %.
func TestPlannerAgreesWithSmallTimeSteps(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 9))
	for k := range 10 {
		l := Limits{AccelMMPerS2: []float64{500, 1500, 3500}[k%3], DeviationMM: []float64{0.01, 0.03}[k%2]}
		var moves []Move
		for range 6 {
			n := 8 + r.IntN(120)
			rad := 3 + 20*r.Float64()
			v := 20 + 120*r.Float64()
			for i := range n {
				a := 2 * math.Pi * float64(i) / float64(n)
				step := 2 * math.Pi * rad / float64(n)
				moves = append(moves, Move{DX: -math.Sin(a) * step, DY: math.Cos(a) * step, MMPerS: v})
			}
			moves = append(moves, Move{DX: 10 * r.Float64(), DY: -15 * r.Float64(), MMPerS: 150})
			for i := range 30 {
				s := 1.0
				if i%2 == 1 {
					s = -1
				}
				moves = append(moves, Move{DX: s * (5 + 10*r.Float64()), MMPerS: v}, Move{DY: 0.45, MMPerS: v})
			}
		}
		want, got := integrate(l, moves, 2e-5), total(l, moves)
		assert.InEpsilon(t, want, got, 0.02, "way %d", k)
	}
}

// Ten parts, made small and sliced, all that the machine does. The twin takes each
// run between two rests by itself. Within 2 %.
func TestPlannerAgreesWithSmallTimeStepsOnPlates(t *testing.T) {
	r := recipe.Recipe{LayerMM: 0.3, FirstLayerMM: 0.3, LineMM: 0.45, Shells: 2, TopLayers: 2, BottomLayers: 2, InfillPercent: 20, Hold: recipe.HoldSkirt,
		OuterMMPerS: 40, InnerMMPerS: 60, CapMMPerS: 60, InfillMMPerS: 80, FirstMMPerS: 20, TravelMMPerS: 150, RetractMM: 1, RetractMMPerS: 35, LiftMM: 0.3}.WithDefaults()
	m := &machine.Machine{FilamentMM: 1.75, Motion: machine.Motion{LiftMMPerS: 10, SpeedMMPerS: 200}}
	plates := 0
	for _, part := range solid.Parts() {
		if part.Fault != "" || plates == 10 {
			continue
		}
		size := part.Mesh.Bounds().Size()
		scale := 18 / math.Max(size.X, math.Max(size.Y, size.Z))
		p, err := toolpath.Slice(t.Context(), part.Mesh, mesh.TopologyOf(part.Mesh), scale, r, toolpath.Options{}, nil)
		require.NoError(t, err)
		l := Limits{AccelMMPerS2: []float64{600, 1500, 4000}[plates%3], DeviationMM: 0.02}
		plates++
		var all, run []Move
		var x, y, z, want float64
		rest := func() {
			if len(run) > 0 {
				want += integrate(l, run, 1e-4)
			}
			run = run[:0]
		}
		p.Steps(r, m, nil, func(s toolpath.Step) bool {
			v := Move{DX: s.X - x, DY: s.Y - y, DZ: s.Z - z, EMM: s.EMM, MMPerS: s.MMPerS}
			x, y, z = s.X, s.Y, s.Z
			all = append(all, v)
			switch d := math.Hypot(v.DX, v.DY); {
			case d > 1e-9 && v.DZ == 0:
				run = append(run, v)
			case math.Hypot(d, v.DZ) > 1e-9:
				rest()
				run = append(run, Move{DX: math.Hypot(d, v.DZ), MMPerS: v.MMPerS})
				rest()
			case v.EMM != 0:
				rest()
				run = append(run, Move{DX: math.Abs(v.EMM), MMPerS: v.MMPerS})
				rest()
			}
			return true
		})
		rest()
		got := total(l, all)
		t.Logf("%s: %d moves, %.1f s, in small steps %.1f s (%+.2f %%)", part.Name, len(all), got, want, 100*(got/want-1))
		assert.InEpsilon(t, want, got, 0.02, part.Name)
	}
	require.Equal(t, 10, plates)
}

// Moves cut in two take the same time; a longer way never takes less; every move
// is told once, in order.
func TestPlannerLaws(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		l := Limits{AccelMMPerS2: rapid.Float64Range(100, 5000).Draw(t, "a"), DeviationMM: 0.02}
		c := rapid.Float64Range(-20, 20)
		var moves, cut []Move
		for i := range rapid.IntRange(1, 40).Draw(t, "n") {
			m := Move{DX: c.Draw(t, "x"), DY: c.Draw(t, "y"), MMPerS: rapid.Float64Range(5, 200).Draw(t, "v"), Tag: int32(i)}
			if math.Hypot(m.DX, m.DY) < 0.01 {
				continue
			}
			moves = append(moves, m)
			h := m
			h.DX, h.DY = m.DX/2, m.DY/2
			cut = append(cut, h, h)
		}
		whole := total(l, moves)
		require.InEpsilon(t, whole+1, total(l, cut)+1, 1e-6)
		var tags []int32
		p := New(l, func(tag int32, s float64) {
			require.GreaterOrEqual(t, s, 0.)
			tags = append(tags, tag)
		})
		for _, m := range moves {
			p.Add(m)
		}
		p.Flush()
		require.Len(t, tags, len(moves))
		for i, m := range moves {
			require.Equal(t, m.Tag, tags[i])
		}
	})
}
