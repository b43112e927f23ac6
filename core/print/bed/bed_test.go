package bed_test

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"jobshelf/core/print/bed"
	"jobshelf/core/print/machine"
	"jobshelf/core/shape/polygon"
)

func square(x, y, side float64) polygon.Path {
	return polygon.Path{polygon.At(x, y), polygon.At(x+side, y), polygon.At(x+side, y+side), polygon.At(x, y+side)}
}

func sum(w *bed.Wear) float64 {
	s := 0.0
	for _, v := range w.Seconds {
		s += v
	}
	return s
}

// What lies on the bed wears it by its area and time, wherever and in however many runs; off it nothing.
func TestWearIsAreaTimesTime(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := machine.Volume{Shape: machine.Rectangle, XMM: 10 * float64(rapid.IntRange(3, 30).Draw(t, "x")), YMM: 10 * float64(rapid.IntRange(3, 30).Draw(t, "y")), ZMM: 100}
		low := 0.0
		if rapid.Bool().Draw(t, "round") {
			v.Shape, v.YMM = machine.Round, v.XMM
			low = -math.Ceil(v.XMM/10) * 5
		}
		w := bed.New(v)
		assert.True(t, w.Of(v))
		want := 0.0
		for range rapid.IntRange(1, 5).Draw(t, "runs") {
			// By quarters of a cell the cover is exact.
			side := 2.5 * float64(rapid.IntRange(1, 8).Draw(t, "side"))
			x := low + 2.5*float64(rapid.IntRange(0, int((v.XMM-side)/2.5)).Draw(t, "at x"))
			y := low + 2.5*float64(rapid.IntRange(0, int((v.YMM-side)/2.5)).Draw(t, "at y"))
			s := float64(rapid.IntRange(1, 9).Draw(t, "seconds"))
			w.Add([]polygon.Path{square(x, y, side)}, s)
			want += side * side * s
		}
		assert.InDelta(t, want, sum(w)*bed.CellMM*bed.CellMM, 1e-6)
		before := slices.Clone(w.Seconds)
		w.Add([]polygon.Path{square(low-500, low-500, 100), square(low+5000, low, 10), {polygon.At(0, 0)}}, 9)
		assert.Equal(t, before, w.Seconds)
		// Turning keeps what is there; four quarters are none; a quarter goes only where it fits.
		assert.Equal(t, w.Wide == w.Deep, w.Turn(1))
		if w.Wide == w.Deep {
			assert.True(t, w.Turn(3))
		}
		assert.True(t, w.Turn(2) && w.Turn(-2))
		assert.Equal(t, before, w.Seconds)
		// Worn spots are just the cells with as much, once each.
		limit := float64(rapid.IntRange(1, 9).Draw(t, "limit"))
		area := 0.0
		for _, p := range w.Worn(limit) {
			area += p.Area()
		}
		many := 0
		for _, s := range w.Seconds {
			if s >= limit {
				many++
			}
		}
		assert.InDelta(t, float64(many)*100, area, 1e-6)
		assert.Empty(t, w.Worn(w.Most()+1))
		assert.Empty(t, w.Worn(0))
	})
}

// A quarter to the left: what lay at the right in front lies behind it at the right.
func TestAQuarterToTheLeft(t *testing.T) {
	w := bed.New(machine.Volume{Shape: machine.Rectangle, XMM: 30, YMM: 30})
	w.Add([]polygon.Path{square(20, 0, 10)}, 5)
	assert.True(t, w.Turn(1))
	assert.InDelta(t, 5, w.Seconds[2*3+2], 1e-9, "%v", w.Seconds)
}

// What is laid goes where least has lain, as near as may be; nothing is moved for nothing, and nowhere
// that it may not go. Brute force over every move says the same.
func TestItLiesWhereLeastHasLain(t *testing.T) {
	v := machine.Volume{Shape: machine.Rectangle, XMM: 100, YMM: 60}
	anywhere := func(polygon.Point) bool { return true }
	w := bed.New(v)
	part := []polygon.Path{square(40, 20, 20)}
	assert.Equal(t, polygon.Point{}, w.Least(part, 0, anywhere))
	w.Add(part, 3600)
	by := w.Least(part, 0, func(by polygon.Point) bool { return by.X >= -40000 && by.X <= 40000 && by.Y >= -20000 && by.Y <= 20000 })
	assert.Equal(t, int64(20000), max(by.X, -by.X)+max(by.Y, -by.Y), "just beside it")
	assert.Equal(t, polygon.Point{}, w.Least(part, 0, func(polygon.Point) bool { return false }))
	worn := bed.New(v) // a little everywhere, and worn but for the right
	worn.Add([]polygon.Path{square(0, 0, 100)}, 1)
	worn.Add([]polygon.Path{{polygon.At(0, 0), polygon.At(70, 0), polygon.At(70, 60), polygon.At(0, 60)}}, 100)
	worn.Add([]polygon.Path{square(80, 20, 20)}, 50)
	assert.Equal(t, polygon.Point{X: 30000}, worn.Least([]polygon.Path{square(40, 20, 20)}, 101, func(by polygon.Point) bool { return by.Y == 0 && by.X >= 30000 && by.X <= 40000 }))
	rapid.Check(t, func(t *rapid.T) {
		w := bed.New(v)
		for k := range w.Seconds {
			w.Seconds[k] = float64(rapid.IntRange(0, 3).Draw(t, "worn"))
		}
		in := func(by polygon.Point) bool { return by.X >= -40000 && by.X <= 40000 && by.Y >= -20000 && by.Y <= 20000 }
		under := func(by polygon.Point) float64 {
			sum := 0.0
			moved := slices.Clone(part[0])
			for i := range moved {
				moved[i].X, moved[i].Y = moved[i].X+by.X, moved[i].Y+by.Y
			}
			for k, share := range w.Cover([]polygon.Path{moved}) {
				sum += share * w.Seconds[k]
			}
			return sum
		}
		got := w.Least(part, 0, in)
		assert.True(t, in(got))
		least := under(polygon.Point{})
		for x := int64(-40000); x <= 40000; x += 10000 {
			for y := int64(-20000); y <= 20000; y += 10000 {
				least = min(least, under(polygon.Point{X: x, Y: y}))
			}
		}
		if least <= 0.99*under(polygon.Point{}) {
			assert.InDelta(t, least, under(got), 1e-9)
		} else {
			assert.Equal(t, polygon.Point{}, got)
		}
	})
}
