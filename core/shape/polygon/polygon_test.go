package polygon

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var anyPoints = rapid.SliceOfN(rapid.Custom(func(t *rapid.T) Point {
	// A coarse grid makes collinear and equal points likely.
	g := rapid.Int64Range(-9, 9)
	return Point{1000 * g.Draw(t, "x"), 1000 * g.Draw(t, "y")}
}), 1, 150)

func TestAreaAndLengthByHand(t *testing.T) {
	l := Path{{0, 0}, {30_000, 0}, {30_000, 10_000}, {10_000, 10_000}, {10_000, 40_000}, {0, 40_000}}
	assert.Equal(t, 600., l.Area())
	assert.Equal(t, 140., l.Length())
	far := Path{}
	for _, p := range l {
		far = append(far, Point{p.X + Limit - 40_000, p.Y - Limit})
	}
	assert.Equal(t, 600., far.Area(), "at the edge of the range")
	assert.Zero(t, Path{{0, 0}, {1, 1}}.Area())
}

// The hull turns left at every corner and holds every point.
func TestHullIsConvexAndHoldsAll(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		pts := anyPoints.Draw(t, "points")
		h := Hull(pts)
		for i := range h {
			a, b := h[i], h[(i+1)%len(h)]
			if len(h) > 2 {
				require.Positive(t, cross(a, b, h[(i+2)%len(h)]))
			}
			for _, p := range pts {
				require.GreaterOrEqual(t, cross(a, b, p), int64(0))
			}
		}
	})
}

// The circle holds every point and touches two that are a diameter apart, or
// three: no smaller one would do (three of a sharp corner are checked by
// comparing with all pairs and triples).
func TestEnclosingCircleIsTheSmallest(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		pts := anyPoints.Draw(t, "points")
		if len(pts) > 12 {
			pts = pts[:12]
		}
		c := EnclosingCircle(pts)
		holds := func(c Circle) bool {
			for _, p := range pts {
				if math.Hypot(float64(p.X)/1000-c.XMM, float64(p.Y)/1000-c.YMM) > c.RadiusMM+1e-5 {
					return false
				}
			}
			return true
		}
		require.True(t, holds(c))
		for i := range pts {
			for j := range i {
				for k := range j + 1 {
					o := EnclosingCircle([]Point{pts[i], pts[j], pts[k]})
					require.LessOrEqual(t, o.RadiusMM, c.RadiusMM+1e-5, "a part needs no larger circle than the whole")
					if holds(o) {
						require.InDelta(t, c.RadiusMM, o.RadiusMM, 1e-4)
					}
				}
			}
		}
	})
	c := EnclosingCircle([]Point{{0, 0}, {6000, 0}, {0, 8000}}) // a right angle: half the hypotenuse
	assert.InDelta(t, 5, c.RadiusMM, 1e-9)
}
