package motion_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/motion"
	"jobshelf/core/print/post"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

func total(l motion.Limits, moves []motion.Move) float64 {
	t := 0.0
	p := motion.New(l, func(_ int64, s float64) { t += s })
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
	l := motion.Limits{AccelMMPerS2: 1000, DeviationMM: 0.02}
	assert.InDelta(t, 100./50+50./1000, total(l, []motion.Move{{DX: 100, MMPerS: 50}}), 1e-12)
	assert.InDelta(t, 2*math.Sqrt(1./1000), total(l, []motion.Move{{DX: 1, MMPerS: 200}}), 1e-12)
	assert.InDelta(t, 200./50+50./1000, total(l, []motion.Move{{DX: 100, MMPerS: 50}, {DX: 100, MMPerS: 50}}), 1e-9, "straight on")
	assert.InDelta(t, 2*(100./50+50./1000), total(l, []motion.Move{{DX: 100, MMPerS: 50}, {DX: -100, MMPerS: 50}}), 1e-9, "straight back")
	s := math.Sqrt(0.5)
	v := math.Sqrt(1000 * 0.02 * s / (1 - s))
	half := func(u, w float64) float64 {
		return (50-u)/1000 + (50-w)/1000 + (100-(2500-u*u)/2000-(2500-w*w)/2000)/50
	}
	assert.InDelta(t, half(0, v)+half(v, 0), total(l, []motion.Move{{DX: 100, MMPerS: 50}, {DY: 100, MMPerS: 50}}), 1e-9, "a right angle")
	assert.InDelta(t, motion.RestToRest(2, 35, 1000), total(l, []motion.Move{{EMM: -2, MMPerS: 35}}), 1e-12, "filament alone")
	// Two speeds straight on: the slower is the limit at the joint.
	assert.InDelta(t, (50-0.)/1000+(50-20.)/1000+(100-1.25-1.05)/50+100./20+0.01, total(l, []motion.Move{{DX: 100, MMPerS: 50}, {DX: 100, MMPerS: 20}}), 1e-9)
}

// A move's own acceleration holds for it alone, never above the machine's; the
// corner between two takes the weaker.
func TestMovesHaveTheirOwnAcceleration(t *testing.T) {
	l := motion.Limits{AccelMMPerS2: 1000, DeviationMM: 0.02}
	assert.InDelta(t, 100./50+50./400, total(l, []motion.Move{{DX: 100, MMPerS: 50, AccelMMPerS2: 400}}), 1e-12)
	assert.InDelta(t, 100./50+50./1000, total(l, []motion.Move{{DX: 100, MMPerS: 50, AccelMMPerS2: 9000}}), 1e-12)
	s := math.Sqrt(0.5)
	v := math.Sqrt(400 * 0.02 * s / (1 - s))
	leg := func(a float64) float64 { return 50/a + (50-v)/a + (100-2500/(2*a)-(2500-v*v)/(2*a))/50 }
	assert.InDelta(t, leg(400)+leg(1000), total(l, []motion.Move{{DX: 100, MMPerS: 50, AccelMMPerS2: 400}, {DY: 100, MMPerS: 50}}), 1e-9)
}

// integrate is the slow twin: it drives along the way in small steps with nothing but
// the limits: in each it speeds up unless it would then have to brake harder than it
// can for a corner ahead. It has its own words for what a limit is.
func integrate(l motion.Limits, moves []motion.Move, stepMM float64) float64 {
	total := 0.0
	var run []motion.Move
	drive := func() {
		if len(run) > 0 {
			total += driven(l, run, stepMM)
		}
		run = run[:0]
	}
	for _, m := range moves {
		switch {
		case m.DX == 0 && m.DY == 0 && m.DZ == 0:
			drive()
			if e := math.Abs(m.EMM); e > 0 { // on a straight way of its own, with no limit of the axes
				total += driven(motion.Limits{AccelMMPerS2: l.AccelMMPerS2}, []motion.Move{{DX: e, MMPerS: m.MMPerS, AccelMMPerS2: m.AccelMMPerS2}}, stepMM)
			}
		case m.DZ != 0 && l.RestsInHeight:
			drive()
			run = append(run, m)
			drive()
		default:
			run = append(run, m)
		}
	}
	drive()
	return total
}

// driven is one run from rest to rest.
func driven(l motion.Limits, moves []motion.Move, stepMM float64) float64 {
	n := len(moves)
	length, top, accel, limit := make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n+1)
	for i, m := range moves {
		length[i] = math.Sqrt(m.DX*m.DX + m.DY*m.DY + m.DZ*m.DZ)
		top[i], accel[i] = m.MMPerS, l.AccelMMPerS2
		if m.AccelMMPerS2 > 0 && m.AccelMMPerS2 < accel[i] {
			accel[i] = m.AccelMMPerS2
		}
		if up := math.Abs(m.DZ) / length[i]; up > 0 { // what the height axis has to do of it
			if l.LiftMMPerS > 0 && top[i]*up > l.LiftMMPerS {
				top[i] = l.LiftMMPerS / up
			}
			if l.LiftAccelMMPerS2 > 0 && accel[i]*up > l.LiftAccelMMPerS2 {
				accel[i] = l.LiftAccelMMPerS2 / up
			}
		}
		if i == 0 {
			continue
		}
		p := moves[i-1]
		turn := math.Acos(math.Max(-1, math.Min(1, (p.DX*m.DX+p.DY*m.DY+p.DZ*m.DZ)/(length[i-1]*length[i]))))
		v := math.Inf(1)
		if s := math.Cos(turn / 2); s < 1-1e-9 { // the sine of half the angle between both ways
			v = math.Sqrt(math.Min(accel[i-1], accel[i]) * l.DeviationMM * s / (1 - s))
		}
		limit[i] = math.Min(v, math.Min(top[i-1], top[i]))
	}
	// brakes is the greatest speed from which every corner ahead can be met, from x
	// along move i.
	brakes := func(i int, x float64) float64 {
		allowed, room := math.Inf(1), 2*accel[i]*math.Max(0, length[i]-x)
		for k := i + 1; k <= n && room < allowed*allowed; k++ {
			allowed = math.Min(allowed, math.Sqrt(limit[k]*limit[k]+room))
			if k < n {
				room += 2 * accel[k] * length[k]
			}
		}
		return allowed
	}
	t, v := 0.0, 0.0
	for i := range n {
		cells := math.Max(8, math.Ceil(length[i]/stepMM))
		d := length[i] / cells
		for k := range int(cells) {
			next := math.Min(math.Min(math.Sqrt(v*v+2*accel[i]*d), top[i]), brakes(i, d*float64(k+1)))
			t += 2 * d / (v + next)
			v = next
		}
	}
	return t
}

// Ten ways like those of plates: outlines of many points, zigzags, scattered
// travels, at the limits of slow and quick machines. Within 0.3 %.
func TestPlannerAgreesWithSmallSteps(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 9))
	for k := range 10 {
		l := motion.Limits{AccelMMPerS2: []float64{500, 1500, 3500}[k%3], DeviationMM: []float64{0.01, 0.03}[k%2]}
		var moves []motion.Move
		for range 6 {
			n := 8 + r.IntN(120)
			rad := 3 + 20*r.Float64()
			v := 20 + 120*r.Float64()
			for i := range n {
				a := 2 * math.Pi * float64(i) / float64(n)
				step := 2 * math.Pi * rad / float64(n)
				moves = append(moves, motion.Move{DX: -math.Sin(a) * step, DY: math.Cos(a) * step, MMPerS: v})
			}
			moves = append(moves, motion.Move{DX: 10 * r.Float64(), DY: -15 * r.Float64(), MMPerS: 150})
			for i := range 30 {
				s := 1.0
				if i%2 == 1 {
					s = -1
				}
				moves = append(moves, motion.Move{DX: s * (5 + 10*r.Float64()), MMPerS: v}, motion.Move{DY: 0.45, MMPerS: v})
			}
		}
		want, got := integrate(l, moves, 0.01), total(l, moves)
		assert.InEpsilon(t, want, got, 0.003, "way %d", k)
	}
}

// Sixty plates, all that the machine does: small parts and few lines in a layer, so that
// there is a lift for every few mm, on slow and quick machines, those that rest before a
// move in height and those that do not, with an acceleration in height of its own. The
// twin's median is within 0.3 %, its worst within 1 %.
func TestPlannerAgreesWithSmallStepsOnPlates(t *testing.T) {
	r := recipe.Recipe{LayerMM: 0.3, FirstLayerMM: 0.3, LineMM: 0.45, Shells: 1, TopLayers: 1, BottomLayers: 1, InfillPercent: 10, Adhesion: recipe.AdhesionSkirt,
		OuterMMPerS: 40, InnerMMPerS: 60, TopBottomMMPerS: 60, InfillMMPerS: 80, FirstMMPerS: 20, TravelMMPerS: 150, RetractMM: 1, RetractMMPerS: 35}
	motions := []machine.Motion{
		{AccelMMPerS2: 600, JunctionDeviationMM: 0.02, LiftMMPerS: 8, SpeedMMPerS: 120},
		{AccelMMPerS2: 1500, JunctionDeviationMM: 0.03, LiftMMPerS: 12, SpeedMMPerS: 200, LiftAccelMMPerS2: 100},
		{AccelMMPerS2: 4000, JunctionDeviationMM: 0.02, LiftMMPerS: 60, SpeedMMPerS: 250},
		{AccelMMPerS2: 1000, JunctionDeviationMM: 0.05, LiftMMPerS: 10, SpeedMMPerS: 150, RestsInHeight: true},
		{AccelMMPerS2: 2500, JunctionDeviationMM: 0.01, LiftMMPerS: 20, SpeedMMPerS: 200, LiftAccelMMPerS2: 300},
	}
	var apart []float64
	lifts := 0
	for k := 0; len(apart) < 60; k++ {
		part := solid.Parts()[k%len(solid.Parts())]
		if part.Fault != "" {
			continue
		}
		mo := motions[k%len(motions)]
		m := &machine.Machine{FilamentMM: 1.75, Motion: mo}
		size := part.Mesh.Bounds().Size()
		scale := (6 + float64(k%5)*2) / math.Max(size.X, math.Max(size.Y, size.Z))
		r.LiftMM = []float64{0.2, 0.4, 0.8}[k%3]
		p, err := toolpath.Slice(t.Context(), part.Mesh, mesh.TopologyOf(part.Mesh), scale, r.WithDefaults(), toolpath.Options{}, nil)
		require.NoError(t, err)
		var all []motion.Move
		var x, y, z float64
		post.Steps(p, r.WithDefaults(), m, nil, func(s post.Step) bool {
			v := motion.Move{DX: s.X - x, DY: s.Y - y, DZ: s.Z - z, EMM: s.EMM, MMPerS: s.MMPerS, AccelMMPerS2: s.MMPerS2}
			x, y, z = s.X, s.Y, s.Z
			all = append(all, v)
			if v.DZ != 0 {
				lifts++
			}
			return true
		})
		got, want := total(mo.Limits(), all), integrate(mo.Limits(), all, 0.02)
		off := got/want - 1
		apart = append(apart, math.Abs(off))
		if math.Abs(off) > 0.003 {
			t.Logf("%s at %.2f: %d moves, %.1f s, in small steps %.1f s (%+.2f %%)", part.Name, scale, len(all), got, want, 100*off)
		}
	}
	slices.Sort(apart)
	t.Logf("60 plates, %d moves in height: median %.3f %%, worst %.3f %%", lifts, 100*apart[30], 100*apart[59])
	assert.LessOrEqual(t, apart[30], 0.003)
	assert.LessOrEqual(t, apart[59], 0.01)
}

// A move in height goes round its corners as any other, by the closed form of a right
// angle with the weaker acceleration; a machine that rests takes it from rest to rest.
func TestMovesInHeight(t *testing.T) {
	l := motion.Limits{AccelMMPerS2: 1000, DeviationMM: 0.02, LiftMMPerS: 10, LiftAccelMMPerS2: 250}
	moves := []motion.Move{{DX: 100, MMPerS: 50}, {DZ: 3, MMPerS: 90}, {DX: 100, MMPerS: 50}}
	s := math.Sqrt(0.5)
	v := math.Sqrt(250 * 0.02 * s / (1 - s))
	along := 50./1000 + (50-v)/1000 + (100-(2*2500-v*v)/2000)/50
	up := 2*(10-v)/250 + (3-(100-v*v)/250)/10
	assert.InDelta(t, 2*along+up, total(l, moves), 1e-9)
	l.RestsInHeight = true
	assert.InDelta(t, 2*motion.RestToRest(100, 50, 1000)+motion.RestToRest(3, 10, 250), total(l, moves), 1e-9)
	// Aslant, 3 along and 4 up: the height axis allows 10/0.8 mm/s and 250/0.8 mm/s².
	assert.InDelta(t, motion.RestToRest(5, 12.5, 312.5), total(l, []motion.Move{{DX: 3, DZ: 4, MMPerS: 90}}), 1e-9)
	l.SpeedMMPerS = 6 // 6/0.6 along it
	assert.InDelta(t, motion.RestToRest(5, 10, 312.5), total(l, []motion.Move{{DX: 3, DZ: 4, MMPerS: 90}}), 1e-9)
}

// Moves cut in two take the same time; a longer way never takes less; every move
// is told once, in order.
func TestPlannerLaws(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		l := motion.Limits{AccelMMPerS2: rapid.Float64Range(100, 5000).Draw(t, "a"), DeviationMM: 0.02}
		c := rapid.Float64Range(-20, 20)
		var moves, cut []motion.Move
		for i := range rapid.IntRange(1, 40).Draw(t, "n") {
			m := motion.Move{DX: c.Draw(t, "x"), DY: c.Draw(t, "y"), MMPerS: rapid.Float64Range(5, 200).Draw(t, "v"), Tag: int64(i)}
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
		var tags []int64
		p := motion.New(l, func(tag int64, s float64) {
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

// Without limits of single axes no direction is another's: a way that is turned as a whole,
// in height too, takes as long.
func TestTimeDoesNotDependOnDirection(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		l := motion.Limits{AccelMMPerS2: 900, DeviationMM: 0.03}
		n := rapid.IntRange(1, 12).Draw(t, "moves")
		moves, turned := make([]motion.Move, n), make([]motion.Move, n)
		a, b := rapid.Float64Range(0, 7).Draw(t, "a"), rapid.Float64Range(0, 7).Draw(t, "b")
		sa, ca := math.Sincos(a)
		sb, cb := math.Sincos(b)
		for i := range moves {
			at := func(name string) float64 { return rapid.Float64Range(-20, 20).Draw(t, name) }
			m := motion.Move{DX: at("x"), DY: at("y"), DZ: at("z"), MMPerS: rapid.Float64Range(1, 120).Draw(t, "v")}
			moves[i], turned[i] = m, m
			y, z := m.DY*ca-m.DZ*sa, m.DY*sa+m.DZ*ca
			turned[i].DX, turned[i].DY, turned[i].DZ = m.DX*cb-y*sb, m.DX*sb+y*cb, z
		}
		a0, a1 := total(l, moves), total(l, turned)
		require.InDelta(t, a0, a1, 1e-6*(1+a0))
	})
}

// However long the way without a rest is, no more of it is kept than is looked ahead.
func TestNoMoreIsKeptThanIsLookedAhead(t *testing.T) {
	given := 0
	p := motion.New(motion.Limits{AccelMMPerS2: 1000, DeviationMM: 0.02}, func(int64, float64) { given++ })
	for n := range 100_000 {
		p.Add(motion.Move{DX: 1, MMPerS: 50})
		if n > 4096 {
			require.Greater(t, given, n-4096, "of %d moves", n)
		}
	}
}

// A move without a speed, or without a way and filament, is none.
func TestMovesThatAreNone(t *testing.T) {
	l := motion.Limits{AccelMMPerS2: 1000, DeviationMM: 0.02}
	for _, m := range []motion.Move{{DX: 5}, {DX: 5, MMPerS: -3}, {MMPerS: 50}, {EMM: 2}} {
		assert.Zero(t, total(l, []motion.Move{m}), "%+v", m)
	}
	one := total(l, []motion.Move{{DX: 30, MMPerS: 50}})
	assert.InDelta(t, one, total(l, []motion.Move{{DX: 30, MMPerS: 50}, {DX: 30}}), 1e-12)
}
