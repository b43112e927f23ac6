package standin

import "math"

// stepS is how finely motion is integrated.
const stepS = 0.001

// ahead is how many moves the board looks ahead.
const ahead = 16

// limits are the board's.
type limits struct {
	accel, deviation, speed, lift, liftAccel float64 // mm/s², mm, mm/s, mm/s, mm/s²
	restsInHeight                            bool
}

// block is a straight move in the board's queue.
type block struct {
	from, by [4]float64 // X, Y, Z and filament, mm
	long     float64    // mm along the way; of filament alone, of that
	unit     [3]float64
	cruise   float64 // mm/s
	accel    float64
	entry    float64 // the most at which it may be entered, by the corner
	planned  float64 // at which it is
	line     int     // of the file; 0: not of one
}

// mover carries moves out, a small step of time after the other.
type mover struct {
	limits limits
	queue  []block
	done   float64 // of the first, mm
	speed  float64 // mm/s
	at     [4]float64
}

// add takes a move to a place; there is room for it.
func (m *mover) add(from, to [4]float64, mmPerS, accel float64, line int) {
	b := block{from: from, line: line}
	for k := range b.by {
		b.by[k] = to[k] - from[k]
	}
	plane, height := math.Hypot(b.by[0], b.by[1]), math.Abs(b.by[2])
	b.long = math.Hypot(plane, height)
	alone := b.long < 1e-9
	if alone {
		b.long = math.Abs(b.by[3])
	}
	if b.long < 1e-9 {
		return
	}
	if accel <= 0 || accel > m.limits.accel {
		accel = m.limits.accel
	}
	b.cruise, b.accel = mmPerS, accel
	if !alone {
		for k := range b.unit {
			b.unit[k] = b.by[k] / b.long
		}
		// No axis is driven past its own.
		if s := plane / b.long; s > 0 {
			b.cruise = math.Min(b.cruise, m.limits.speed/s)
		}
		if s := height / b.long; s > 0 {
			b.cruise = math.Min(b.cruise, m.limits.lift/s)
			if m.limits.liftAccel > 0 {
				b.accel = math.Min(b.accel, m.limits.liftAccel/s)
			}
		}
	}
	if n := len(m.queue); n > 0 && !alone {
		b.entry = m.corner(&m.queue[n-1], &b)
	}
	m.queue = append(m.queue, b)
	m.plan()
}

// corner is how fast the corner between two moves may be gone round: a circle that touches both and leaves the corner by
// no more than the deviation is gone round at what it may be pulled inwards by.
func (m *mover) corner(a, b *block) float64 {
	if a.unit == [3]float64{} || m.limits.restsInHeight && (a.by[2] != 0) != (b.by[2] != 0) {
		return 0
	}
	cos := 0.0
	for k := range a.unit {
		cos -= a.unit[k] * b.unit[k] // of the angle between the ways, seen from the corner
	}
	most := math.Min(a.cruise, b.cruise)
	if cos < -0.999999 { // straight on
		return most
	}
	if cos > 0.999999 { // straight back
		return 0
	}
	half := math.Sqrt((1 - cos) / 2)
	radius := m.limits.deviation * half / (1 - half)
	return math.Min(most, math.Sqrt(math.Min(a.accel, b.accel)*radius))
}

// plan sees backwards that every move can be left as the next is entered, the last at rest.
func (m *mover) plan() {
	leave := 0.0
	for k := len(m.queue) - 1; k > 0; k-- {
		b := &m.queue[k]
		b.planned = math.Min(b.entry, math.Sqrt(leave*leave+2*b.accel*b.long))
		leave = b.planned
	}
}

func (m *mover) full() bool { return len(m.queue) >= ahead }
func (m *mover) idle() bool { return len(m.queue) == 0 }

// step moves on by one small step of time, and tells what of it is left over where the last move ends within it.
func (m *mover) step() {
	left := stepS
	for left > 1e-12 && len(m.queue) > 0 {
		b := &m.queue[0]
		leave := m.leave()
		rest := b.long - m.done
		// As fast as it may be and still slow down to what it is left at in what rests after this step:
		// v² + a·t·v + a·t·u − w² − 2·a·rest = 0.
		v := math.Min(b.cruise, m.speed+b.accel*left)
		at := b.accel * left
		if d := at*at - 4*(at*m.speed-leave*leave-2*b.accel*rest); d > 0 {
			v = math.Min(v, math.Max((math.Sqrt(d)-at)/2, 0))
		} else {
			v = leave
		}
		mean := (m.speed + v) / 2
		if mean < 1e-6 {
			mean = math.Min(b.cruise, math.Sqrt(2*b.accel*rest)) / 2
		}
		if mean*left < rest {
			m.done += mean * left
			m.speed = v
			m.place(b, m.done/b.long)
			return
		}
		left -= rest / mean
		m.speed = math.Min(v, math.Max(leave, 0))
		m.next()
	}
}

// lastsS is how long what rests of the first move takes, from the speed it has to that at which it is left: a trapezoid.
func (m *mover) lastsS() float64 {
	b, v, leave := &m.queue[0], m.speed, m.reached()
	rest := b.long - m.done
	peak := math.Max(math.Max(v, leave), math.Min(b.cruise, math.Sqrt(b.accel*rest+(v*v+leave*leave)/2)))
	up, down := (peak*peak-v*v)/(2*b.accel), (peak*peak-leave*leave)/(2*b.accel)
	return (2*peak-v-leave)/b.accel + math.Max(0, rest-up-down)/peak
}

// leave is at what the first move is to be left.
func (m *mover) leave() float64 {
	if len(m.queue) > 1 {
		return m.queue[1].planned
	}
	return 0
}

// reached is at what it is left: as is planned, unless it is too short to get that fast.
func (m *mover) reached() float64 {
	b := &m.queue[0]
	return math.Min(m.leave(), math.Sqrt(m.speed*m.speed+2*b.accel*(b.long-m.done)))
}

// finish ends the first move.
func (m *mover) finish() {
	if len(m.queue) == 0 {
		return
	}
	m.speed = m.reached()
	m.next()
}

// next is the move after the first, which is over.
func (m *mover) next() {
	m.place(&m.queue[0], 1)
	m.done = 0
	m.queue = m.queue[1:]
	if len(m.queue) == 0 || m.queue[0].unit == [3]float64{} {
		m.speed = 0
	}
}

func (m *mover) place(b *block, share float64) {
	for k := range m.at {
		m.at[k] = b.from[k] + share*b.by[k]
	}
}
