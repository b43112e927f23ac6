package post

import (
	"math"

	"jobshelf/core/shape/polygon"
)

// An arc takes the place of at least arcLeast straight steps whose points, and
// the middles between them, lie within arcOffMM of its circle, which is no wider
// than arcWidestMM and turns by less than arcTurn; a run is looked at in pieces
// of arcMost steps.
const (
	arcLeast    = 4
	arcOffMM    = 0.01
	arcWidestMM = 500
	arcTurn     = 1.9 * math.Pi
	arcMost     = 512
)

type circle struct{ x, y, r float64 }

// settle writes the steps that were kept, those on circles as arcs.
func (t *writer) settle() {
	run := t.run
	t.run = t.run[:0]
	if len(run) == 0 {
		return
	}
	px, py := float64(t.at[0])/1000, float64(t.at[1])/1000
	for i := 0; i < len(run); {
		n, c := arcFrom(px, py, run[i:])
		if n < arcLeast {
			n = 1
			t.straight(run[i])
		} else {
			t.arc(px, py, run[i:i+n], c)
		}
		px, py = run[i+n-1].X, run[i+n-1].Y
		i += n
	}
}

// arcFrom finds how many steps from a place lie on one circle.
func arcFrom(px, py float64, steps []Step) (int, circle) {
	best, of := 0, circle{}
	perMM := 0.0
	turned := 0.0
	x, y := px, py
	for n := 1; n <= len(steps); n++ {
		s := &steps[n-1]
		d := math.Hypot(s.X-x, s.Y-y)
		rate := s.EMM / d
		if n == 1 {
			perMM = rate
		}
		if d == 0 || math.Abs(rate-perMM) > 0.005*perMM {
			break // another width
		}
		if n >= 2 {
			bx, by := px, py
			if n >= 3 {
				bx, by = steps[n-3].X, steps[n-3].Y
			}
			turn := math.Atan2((x-bx)*(s.Y-y)-(y-by)*(s.X-x), (x-bx)*(s.X-x)+(y-by)*(s.Y-y))
			if turn == 0 || math.Abs(turn) > math.Pi/3 || turned*turn < 0 {
				break
			}
			turned += turn
			if math.Abs(turned) > arcTurn-math.Pi/3 {
				break
			}
		}
		x, y = s.X, s.Y
		if n < arcLeast {
			continue
		}
		c, ok := through(px, py, steps[(n-1)/2].X, steps[(n-1)/2].Y, x, y)
		if !ok || !onCircle(c, px, py, steps[:n]) {
			break
		}
		best, of = n, c
	}
	return best, of
}

// through is the circle through three places.
func through(ax, ay, bx, by, cx, cy float64) (circle, bool) {
	bx, by, cx, cy = bx-ax, by-ay, cx-ax, cy-ay
	d := 2 * (bx*cy - by*cx)
	if math.Abs(d) < 1e-9 {
		return circle{}, false
	}
	b, c := bx*bx+by*by, cx*cx+cy*cy
	x, y := (cy*b-by*c)/d, (bx*c-cx*b)/d
	r := math.Hypot(x, y)
	return circle{ax + x, ay + y, r}, r < arcWidestMM
}

func onCircle(c circle, px, py float64, steps []Step) bool {
	for i := range steps {
		x, y := steps[i].X, steps[i].Y
		if math.Abs(math.Hypot(x-c.x, y-c.y)-c.r) > arcOffMM || math.Abs(math.Hypot((x+px)/2-c.x, (y+py)/2-c.y)-c.r) > arcOffMM {
			return false
		}
		px, py = x, y
	}
	return true
}

func (t *writer) arc(px, py float64, steps []Step, c circle) {
	last := steps[len(steps)-1]
	t.speedUp(last)
	b := append(t.buf, 'G', '3')
	if !left(px, py, steps) {
		b[len(b)-1] = '2'
	}
	to := [2]int64{polygon.UM(last.X), polygon.UM(last.Y)}
	b = thousandths(append(b, ' ', 'X'), to[0])
	b = thousandths(append(b, ' ', 'Y'), to[1])
	b = thousandths(append(b, ' ', 'I'), polygon.UM(c.x-px))
	b = thousandths(append(b, ' ', 'J'), polygon.UM(c.y-py))
	t.at[0], t.at[1] = to[0], to[1]
	e := 0.0
	for i := range steps {
		e += steps[i].EMM
	}
	t.buf = append(t.fedAt(t.fed(b, e), last.MMPerS), '\n')
}

// left says that a run of steps turns to the left.
func left(px, py float64, steps []Step) bool {
	a, b := steps[0], steps[1]
	return (a.X-px)*(b.Y-a.Y)-(a.Y-py)*(b.X-a.X) > 0
}
