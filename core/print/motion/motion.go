// Package motion tells how long a machine takes to move along a way.
//
// A planner with look-ahead: straight moves at speeds asked for, limited in
// speed and acceleration; at each corner the speed is such that the way may be
// rounded by no more than the junction deviation δ, v² = a·δ·sin(θ/2)/(1-sin(θ/2))
// with θ the angle between the ways (the corner model published in 2011); a pass
// backwards and one forwards see that every move can be entered and left so; each
// move is then a trapezoid. Moves in height corner like any other, unless the
// machine comes to rest for them; moves of filament alone begin and end at rest.
// Lengths mm, times s.
package motion

import "math"

// Limits are a machine's: along the way, and of the way's share in height. A speed of
// 0 is no limit; an acceleration in height of 0 is the one along the way.
type Limits struct {
	AccelMMPerS2     float64
	DeviationMM      float64
	SpeedMMPerS      float64 // in the plane
	LiftMMPerS       float64 // in height
	LiftAccelMMPerS2 float64 // in height
	RestsInHeight    bool    // comes to rest before and after a move in height
}

// Move is one straight piece.
type Move struct {
	DX, DY, DZ   float64
	EMM          float64 // counts as the way where nothing else moves
	MMPerS       float64
	AccelMMPerS2 float64 // 0 is the machine's, which is never exceeded
	Tag          int64   // the caller's own
}

// Planner takes moves one after the other and gives each its time, some moves
// later, when it is settled. The zero value is not ready; use New.
type Planner struct {
	limits Limits
	done   func(tag int64, seconds float64)
	queue  []planned
	unit   [3]float64 // direction of the last move in the queue
}

// within gives the speed and the acceleration of a move of length d that keep each
// axis within its own.
func (l *Limits) within(m *Move, d float64) (speed, accel float64) {
	speed, accel = m.MMPerS, l.AccelMMPerS2
	if m.AccelMMPerS2 > 0 {
		accel = math.Min(accel, m.AccelMMPerS2)
	}
	plane, height := math.Hypot(m.DX, m.DY), math.Abs(m.DZ)
	if plane > 0 && l.SpeedMMPerS > 0 {
		speed = math.Min(speed, l.SpeedMMPerS*d/plane)
	}
	if height > 0 {
		if l.LiftMMPerS > 0 {
			speed = math.Min(speed, l.LiftMMPerS*d/height)
		}
		if l.LiftAccelMMPerS2 > 0 {
			accel = math.Min(accel, l.LiftAccelMMPerS2*d/height)
		}
	}
	return speed, accel
}

type planned struct {
	length float64
	speed  float64 // asked for
	entry  float64 // highest allowed by the corner before it
	accel  float64
	tag    int64
}

// window is how many moves are looked ahead at the most; a machine's own
// look-ahead is shorter, and beyond a few dozen nothing changes.
const window = 2048

// New makes a planner that tells each move's time to done, in order.
func New(l Limits, done func(tag int64, seconds float64)) *Planner {
	return &Planner{limits: l, done: done, queue: make([]planned, 0, window)}
}

// Add takes a move.
func (p *Planner) Add(m Move) {
	d := math.Sqrt(m.DX*m.DX + m.DY*m.DY + m.DZ*m.DZ)
	if m.MMPerS <= 0 {
		return
	}
	v, a := p.limits.within(&m, d)
	if d < 1e-9 { // filament alone
		if m.EMM != 0 {
			p.Flush()
			p.done(m.Tag, RestToRest(math.Abs(m.EMM), m.MMPerS, a))
		}
		return
	}
	unit := [3]float64{m.DX / d, m.DY / d, m.DZ / d}
	entry := 0.0
	if n := len(p.queue); n > 0 && (!p.limits.RestsInHeight || m.DZ == 0 && p.unit[2] == 0) {
		entry = math.Min(p.corner(unit, math.Min(a, p.queue[n-1].accel)), math.Min(v, p.queue[n-1].speed))
	}
	if len(p.queue) > 0 && entry == 0 {
		p.Flush()
	}
	p.queue = append(p.queue, planned{d, v, entry, a, m.Tag})
	p.unit = unit
	if len(p.queue) == window {
		p.settle(window / 2)
	}
}

// corner is the highest speed through the corner to a move of the given
// direction, with the weaker acceleration of both.
func (p *Planner) corner(unit [3]float64, accel float64) float64 {
	cos := -(p.unit[0]*unit[0] + p.unit[1]*unit[1] + p.unit[2]*unit[2]) // of the angle between the ways
	if cos > 0.999999 {
		return 0 // straight back
	}
	if cos < -0.999999 {
		return math.Inf(1)
	}
	s := math.Sqrt((1 - cos) / 2) // sin(θ/2)
	return math.Sqrt(accel * p.limits.DeviationMM * s / (1 - s))
}

// Flush comes to rest.
func (p *Planner) Flush() { p.settle(len(p.queue)) }

// settle gives the first n moves their times. At the end of the queue the machine
// is taken to rest; with half a window of moves behind them the first are not
// touched by that.
func (p *Planner) settle(n int) {
	q := p.queue
	if len(q) == 0 {
		return
	}
	// Backwards: no move may be entered faster than it can be left.
	leave := 0.0
	for i := len(q) - 1; i >= 0; i-- {
		q[i].entry = math.Min(q[i].entry, math.Sqrt(leave*leave+2*q[i].accel*q[i].length))
		leave = q[i].entry
	}
	for i := range n {
		exit := 0.0
		if i+1 < len(q) {
			exit = math.Min(q[i+1].entry, math.Sqrt(q[i].entry*q[i].entry+2*q[i].accel*q[i].length))
			q[i+1].entry = exit
		}
		p.done(q[i].tag, trapezoid(q[i].length, q[i].entry, exit, q[i].speed, q[i].accel))
	}
	p.queue = append(q[:0], q[n:]...)
}

// trapezoid is the time over d from speed u to w, going up to v between.
func trapezoid(d, u, w, v, a float64) float64 {
	peak := math.Sqrt(math.Max(0, a*d+(u*u+w*w)/2))
	if peak <= v {
		return math.Max(0, peak-u)/a + math.Max(0, peak-w)/a
	}
	up, down := (v*v-u*u)/(2*a), (v*v-w*w)/(2*a)
	return (v-u)/a + (v-w)/a + math.Max(0, d-up-down)/v
}

// RestToRest is the time of a single move of length d: d/v + v/a if d ≥ v²/a,
// else 2√(d/a).
func RestToRest(d, v, a float64) float64 { return trapezoid(d, 0, 0, v, a) }
