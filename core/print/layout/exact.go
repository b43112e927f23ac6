package layout

import (
	"fmt"
	"math"

	"jobshelf/core/print/machine"
	"jobshelf/core/shape/polygon"
)

// Collision is two pinned copies that lie on each other.
type Collision struct {
	A, B       Spot
	OverlapMM2 float64
}

// Error tells which and how much.
func (c *Collision) Error() string {
	return fmt.Sprintf("copy %d of part %d and copy %d of part %d are pinned on each other: %.1f mm² of them overlap",
		c.A.Copy+1, c.A.Item+1, c.B.Copy+1, c.B.Item+1, c.OverlapMM2)
}

// Collisions are the pairs of a plate's copies that overlap, with how much, mm².
func Collisions(items []Item, v machine.Volume, spots []Spot) []Collision {
	outlines := make([]polygon.Path, len(spots))
	for i, s := range spots {
		outlines[i] = Of(items, v, s)
	}
	var out []Collision
	var poly polygon.Scratch
	for i := range spots {
		a := polygon.Bounds(outlines[i])
		for j := range i {
			if b := polygon.Bounds(outlines[j]); !a.Meets(&b) {
				continue
			}
			area := 0.0
			for _, p := range poly.Boolean(polygon.Intersection, polygon.NonZero, outlines[i:i+1], outlines[j:j+1]) {
				area += p.Area()
			}
			if area > touchesMM2 {
				out = append(out, Collision{spots[j], spots[i], area})
			}
		}
	}
	return out
}

// OnKept says that a copy lies on what is to be kept free: where it has no other place.
func OnKept(items []Item, v machine.Volume, spots []Spot, kept []polygon.Path) bool {
	var poly polygon.Scratch
	for _, s := range spots {
		o := Of(items, v, s)
		box := polygon.Bounds(o)
		for _, k := range kept {
			if b := polygon.Bounds(k); !box.Meets(&b) {
				continue
			}
			area := 0.0
			for _, p := range poly.Boolean(polygon.Intersection, polygon.NonZero, []polygon.Path{o}, []polygon.Path{k}) {
				area += p.Area()
			}
			if area > touchesMM2 {
				return true
			}
		}
	}
	return false
}

// Room says how far outlines may be moved together, so that they stay on the plate with a margin: as
// much of it as they have where they lie, if that is less.
func Room(outlines []polygon.Path, v machine.Volume, marginUM int64) func(by polygon.Point) bool {
	if v.Shape == machine.Round {
		out := func(by polygon.Point) float64 { // how far out the farthest is
			far := 0.0
			for _, o := range outlines {
				for _, p := range o {
					far = math.Max(far, math.Hypot(float64(p.X+by.X), float64(p.Y+by.Y)))
				}
			}
			return far
		}
		most := math.Max(v.XMM*500-float64(marginUM), out(polygon.Point{}))
		return func(by polygon.Point) bool { return out(by) <= most }
	}
	b := polygon.Box{MinX: math.MaxInt64, MinY: math.MaxInt64, MaxX: math.MinInt64, MaxY: math.MinInt64}
	for _, o := range outlines {
		c := polygon.Bounds(o)
		b.MinX, b.MinY, b.MaxX, b.MaxY = min(b.MinX, c.MinX), min(b.MinY, c.MinY), max(b.MaxX, c.MaxX), max(b.MaxY, c.MaxY)
	}
	x, y := polygon.UM(v.XMM), polygon.UM(v.YMM)
	low := [2]int64{min(marginUM, b.MinX), min(marginUM, b.MinY)}
	high := [2]int64{max(x-marginUM, b.MaxX), max(y-marginUM, b.MaxY)}
	return func(by polygon.Point) bool {
		return b.MinX+by.X >= low[0] && b.MinY+by.Y >= low[1] && b.MaxX+by.X <= high[0] && b.MaxY+by.Y <= high[1]
	}
}

// touchesMM2 is what overlaps where two touch, by rounding.
const touchesMM2 = 0.01

// Of is the outline of a copy where it lies.
func Of(items []Item, v machine.Volume, s Spot) polygon.Path {
	return shifted(Turned(items[s.Item].outline(), s.TurnDeg, v), s.By)
}

// pins gathers what is pinned.
func pins(items []Item, a Ask) ([]pinned, error) {
	var out []pinned
	byPlate := map[int][]Spot{}
	last := -1
	for k, it := range items {
		for n, p := range it.Pinned {
			if n >= it.Copies {
				break
			}
			s := Spot{k, n, p.TurnDeg, p.By}
			out = append(out, pinned{s, p.Plate, Of(items, a.Volume, s)})
			byPlate[p.Plate] = append(byPlate[p.Plate], s)
			last = max(last, p.Plate)
		}
	}
	for n := range last + 1 {
		if bad := Collisions(items, a.Volume, byPlate[n]); len(bad) > 0 {
			return nil, &bad[0]
		}
	}
	return out, nil
}

// Distance is how far two outlines are apart, µm; 0 where they overlap or one lies in the other.
func Distance(a, b polygon.Path) float64 {
	if len(a) == 0 || len(b) == 0 {
		return math.Inf(1)
	}
	if polygon.Inside(polygon.NonZero, []polygon.Path{a}, b[0]) > 0 || polygon.Inside(polygon.NonZero, []polygon.Path{b}, a[0]) > 0 {
		return 0
	}
	least := math.Inf(1)
	for i, p := range a {
		q := a[(i+1)%len(a)]
		for j, r := range b {
			s := b[(j+1)%len(b)]
			if boxApart(p, q, r, s) >= least {
				continue
			}
			if crosses(p, q, r, s) {
				return 0
			}
			least = min(least, polygon.FromSegment(p, r, s), polygon.FromSegment(q, r, s), polygon.FromSegment(r, p, q), polygon.FromSegment(s, p, q))
		}
	}
	return least
}

// boxApart is how far the boxes of two lines are apart along the axis where they are most.
func boxApart(p, q, r, s polygon.Point) float64 {
	dx := max(min(p.X, q.X)-max(r.X, s.X), min(r.X, s.X)-max(p.X, q.X))
	dy := max(min(p.Y, q.Y)-max(r.Y, s.Y), min(r.Y, s.Y)-max(p.Y, q.Y))
	return float64(max(dx, dy))
}

// crosses says that two lines have a point in common that is an end of neither.
func crosses(p, q, r, s polygon.Point) bool {
	side := func(a, b, c polygon.Point) float64 {
		return float64(b.X-a.X)*float64(c.Y-a.Y) - float64(b.Y-a.Y)*float64(c.X-a.X)
	}
	return side(p, q, r)*side(p, q, s) < 0 && side(r, s, p)*side(r, s, q) < 0
}

// holds says that an outline lies on a plate, but for slackUM.
func holds(o polygon.Path, a *Ask, several bool) bool {
	v := a.Volume
	if v.Shape == machine.Round {
		r := v.XMM*500 + slackUM
		for _, p := range o {
			if math.Hypot(float64(p.X), float64(p.Y)) > r {
				return false
			}
		}
		return true
	}
	b := polygon.Bounds(o)
	x := polygon.UM(v.XMM)
	if several {
		x -= a.FreeUM
	}
	return b.MinX >= -slackUM && b.MinY >= -slackUM && b.MaxX <= x+slackUM && b.MaxY <= polygon.UM(v.YMM)+slackUM
}

// Holds says that a copy lies on its plate.
func Holds(items []Item, v machine.Volume, s Spot) bool {
	return holds(Of(items, v, s), &Ask{Volume: v}, false)
}

// slackUM is how far an outline may stand over: what rounding does.
const slackUM = 2
