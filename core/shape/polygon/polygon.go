// Package polygon holds plane figures in whole micrometres.
//
// A Path is closed: its last point joins its first. Seen from above, an outer
// outline runs counter-clockwise and a hole clockwise, so that signed areas add
// up. Coordinates are int64 micrometres; Limit is the largest magnitude for
// which products of differences stay inside int64.
package polygon

import (
	"math"
	"slices"
)

// Limit is the largest coordinate, in micrometres, that the package takes: one
// kilometre. A difference of two is under 2^31, a product of two under 2^62.
const Limit = 1_000_000_000

// Point is a place in the plane, in micrometres.
type Point struct{ X, Y int64 }

// UM rounds mm to whole micrometres, half away from zero, within ±Limit: the one place where
// lengths become the integers that figures are made of.
func UM(mm float64) int64 {
	return int64(math.Round(math.Max(-Limit, math.Min(Limit, mm*1000))))
}

// At is the point at a place in mm.
func At(xMM, yMM float64) Point { return Point{UM(xMM), UM(yMM)} }

// Path is a closed outline.
type Path []Point

// Area is the signed area in mm²: positive where the path runs
// counter-clockwise. A path of fewer than three points has none.
func (p Path) Area() float64 {
	if len(p) < 3 {
		return 0
	}
	o := p[0] // relative to a point of the path, so products stay small
	var twice float64
	ax, ay := int64(0), int64(0)
	for _, q := range p[1:] {
		bx, by := q.X-o.X, q.Y-o.Y
		twice += float64(ax*by - bx*ay)
		ax, ay = bx, by
	}
	return twice / 2 * 1e-6
}

// Length is the length of the closed path in mm.
func (p Path) Length() float64 {
	if len(p) < 2 {
		return 0
	}
	var sum float64
	prev := p[len(p)-1]
	for _, q := range p {
		dx, dy := float64(q.X-prev.X), float64(q.Y-prev.Y)
		sum += math.Sqrt(dx*dx + dy*dy)
		prev = q
	}
	return sum * 1e-3
}

// cross is twice the signed area of the triangle o, a, b in µm².
func cross(o, a, b Point) int64 {
	return (a.X-o.X)*(b.Y-o.Y) - (a.Y-o.Y)*(b.X-o.X)
}

// Hull is the convex hull, counter-clockwise, without points in the middle of a
// side (Andrew 1979, monotone chain). Fewer than three distinct points, or all
// on one line, give what there is: one point or two. The input is not changed.
func Hull(points []Point) Path {
	pts := outside(points)
	slices.SortFunc(pts, func(a, b Point) int {
		if a.X != b.X {
			return int(sign(a.X - b.X))
		}
		return int(sign(a.Y - b.Y))
	})
	pts = slices.Compact(pts)
	if len(pts) < 3 {
		return pts
	}
	hull := make(Path, 0, 64)
	for pass := 0; pass < 2; pass++ {
		base := len(hull)
		for _, q := range pts {
			for len(hull) >= base+2 && cross(hull[len(hull)-2], hull[len(hull)-1], q) <= 0 {
				hull = hull[:len(hull)-1]
			}
			hull = append(hull, q)
		}
		hull = hull[:len(hull)-1] // the end of one chain starts the other
		slices.Reverse(pts)
	}
	return hull
}

// outside is a copy of the points without those strictly inside the octagon of
// the extreme points in eight directions (Akl & Toussaint 1978): of a million
// points a few thousand are left to sort.
func outside(points []Point) []Point {
	if len(points) < 64 {
		return slices.Clone(points)
	}
	dirs := [8]Point{{1, 0}, {1, 1}, {0, 1}, {-1, 1}, {-1, 0}, {-1, -1}, {0, -1}, {1, -1}}
	var far [8]Point
	for d, u := range dirs {
		best := int64(math.MinInt64)
		for _, p := range points {
			if v := p.X*u.X + p.Y*u.Y; v > best {
				best, far[d] = v, p
			}
		}
	}
	var out []Point
next:
	for _, p := range points {
		for d := range far {
			a, b := far[d], far[(d+1)%8]
			if a != b && cross(a, b, p) <= 0 {
				out = append(out, p)
				continue next
			}
		}
	}
	return append(out, far[:]...)
}

func sign(v int64) int64 {
	switch {
	case v < 0:
		return -1
	case v > 0:
		return 1
	}
	return 0
}

// Circle is a disc in mm.
type Circle struct{ XMM, YMM, RadiusMM float64 }

// EnclosingCircle is the smallest circle around the points (Welzl 1991, the
// move-to-front loop in its iterative form). It runs on the convex hull, in the
// order given, so equal input gives equal output. No points give a zero circle.
func EnclosingCircle(points []Point) Circle {
	hull := Hull(points)
	type vec struct{ x, y float64 }
	pts := make([]vec, len(hull))
	for i, p := range hull {
		pts[i] = vec{float64(p.X) / 1000, float64(p.Y) / 1000}
	}
	if len(pts) == 0 {
		return Circle{}
	}
	// eps: a point this much (mm) outside still counts as on the circle; a
	// thousandth of the input's own grid.
	const eps = 1e-6
	has := func(c Circle, p vec) bool { return math.Hypot(p.x-c.XMM, p.y-c.YMM) <= c.RadiusMM+eps }
	two := func(a, b vec) Circle {
		return Circle{(a.x + b.x) / 2, (a.y + b.y) / 2, math.Hypot(a.x-b.x, a.y-b.y) / 2}
	}
	three := func(a, b, c vec) Circle {
		bx, by, cx, cy := b.x-a.x, b.y-a.y, c.x-a.x, c.y-a.y
		d := 2 * (bx*cy - by*cx)
		if d == 0 {
			return two(a, c)
		}
		ux := (cy*(bx*bx+by*by) - by*(cx*cx+cy*cy)) / d
		uy := (bx*(cx*cx+cy*cy) - cx*(bx*bx+by*by)) / d
		return Circle{a.x + ux, a.y + uy, math.Hypot(ux, uy)}
	}
	c := Circle{pts[0].x, pts[0].y, 0}
	for i := 1; i < len(pts); i++ {
		if has(c, pts[i]) {
			continue
		}
		c = Circle{pts[i].x, pts[i].y, 0}
		for j := 0; j < i; j++ {
			if has(c, pts[j]) {
				continue
			}
			c = two(pts[i], pts[j])
			for k := 0; k < j; k++ {
				if !has(c, pts[k]) {
					c = three(pts[i], pts[j], pts[k])
				}
			}
		}
	}
	return c
}
