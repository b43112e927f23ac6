package mesh

import "math"

// P2 is a point in a plane.
type P2 struct{ X, Y float64 }

// EarCut cuts ears off the outline after joining each hole to it by a
// bridge (Eberly 2002, "Triangulation by ear clipping"). rings are ranges of pts: the
// counter-clockwise outline first, then clockwise holes. Indices are into pts.
// Every side of a ring is a side of exactly one triangle, whatever the figure.
func EarCut(pts []P2, rings [][2]int) [][3]int {
	var loop []int
	for i := rings[0][0]; i < rings[0][1]; i++ {
		loop = append(loop, i)
	}
	done := make([]bool, len(rings))
	for range rings[1:] {
		// The hole reaching furthest right sees the outline for certain.
		best, at := -1, -1
		for r := 1; r < len(rings); r++ {
			for i := rings[r][0]; i < rings[r][1] && !done[r]; i++ {
				if at < 0 || pts[i].X > pts[at].X {
					best, at = r, i
				}
			}
		}
		done[best] = true
		n := rings[best][1] - rings[best][0]
		var hole []int
		for k := 0; k <= n; k++ {
			hole = append(hole, rings[best][0]+(at-rings[best][0]+k)%n)
		}
		k := visibleFrom(pts, rings, loop, pts[at])
		joined := append([]int{}, loop[:k+1]...)
		joined = append(joined, hole...)
		loop = append(joined, loop[k:]...)
	}
	var out [][3]int
	for len(loop) > 3 {
		cut := -1
		for i := range loop {
			a, b, c := loop[(i+len(loop)-1)%len(loop)], loop[i], loop[(i+1)%len(loop)]
			if turn(pts[a], pts[b], pts[c]) <= 0 {
				continue
			}
			clear := true
			for _, o := range loop {
				if o != a && o != b && o != c && pts[o] != pts[a] && pts[o] != pts[b] && pts[o] != pts[c] && inside(pts[a], pts[b], pts[c], pts[o]) {
					clear = false
					break
				}
			}
			if clear {
				cut = i
				break
			}
		}
		if cut < 0 {
			cut = 0 // only for figures that cross themselves
		}
		a, b, c := loop[(cut+len(loop)-1)%len(loop)], loop[cut], loop[(cut+1)%len(loop)]
		out = append(out, [3]int{a, b, c})
		loop = append(loop[:cut], loop[cut+1:]...)
	}
	return append(out, [3]int{loop[0], loop[1], loop[2]})
}

// visibleFrom is the place in loop of a vertex that p, inside it, can see: the
// nearest whose sight line crosses no edge of any ring.
func visibleFrom(pts []P2, rings [][2]int, loop []int, p P2) int {
	best, bestD := 0, math.Inf(1)
	for k, i := range loop {
		q := pts[i]
		d := math.Hypot(q.X-p.X, q.Y-p.Y)
		prev, next := pts[loop[(k+len(loop)-1)%len(loop)]], pts[loop[(k+1)%len(loop)]]
		// A bridge's end stands in the loop twice; only one of the two looks
		// towards p.
		if d >= bestD || !inCone(prev, q, next, p) {
			continue
		}
		clear := true
		for _, r := range rings {
			for e := r[0]; e < r[1] && clear; e++ {
				a, b := pts[e], pts[r[0]+(e+1-r[0])%(r[1]-r[0])]
				if a == q || b == q || a == p || b == p {
					continue
				}
				clear = turn(p, q, a)*turn(p, q, b) > 0 || turn(a, b, p)*turn(a, b, q) > 0
			}
		}
		if clear {
			best, bestD = k, d
		}
	}
	return best
}

// inCone says that p lies inside the corner prev, q, next of a loop.
func inCone(prev, q, next, p P2) bool {
	if turn(prev, q, next) > 0 {
		return turn(prev, q, p) > 0 && turn(q, next, p) > 0
	}
	return turn(prev, q, p) > 0 || turn(q, next, p) > 0
}

func turn(a, b, c P2) float64 { return (b.X-a.X)*(c.Y-a.Y) - (b.Y-a.Y)*(c.X-a.X) }

func inside(a, b, c, p P2) bool {
	return turn(a, b, p) >= 0 && turn(b, c, p) >= 0 && turn(c, a, p) >= 0
}
