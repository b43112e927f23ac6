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
	return (&earCutter{pts: pts}).cut(loop)
}

// earCutter holds the ring that is left, as a list of places in the first ring, and
// a grid of the corners that are not convex: only those can lie in an ear.
type earCutter struct {
	pts        []P2
	loop       []int
	prev, next []int
	convex     []bool
	least      P2
	cell       float64
	w, h       int
	grid       [][]int32
	tests      int
}

// smallRing is up to how many corners the search for an ear begins anew with the
// first corner, which makes for the least slivers.
const smallRing = 512

// testsEach and testsMost bound the looking into ears: figures that cross
// themselves may have none, and are cut anyhow then.
const (
	testsEach = 200
	testsMost = 1 << 20
)

func (e *earCutter) cut(loop []int) [][3]int {
	n := len(loop)
	e.loop, e.prev, e.next, e.convex = loop, make([]int, n), make([]int, n), make([]bool, n)
	for i := range loop {
		e.prev[i], e.next[i] = (i+n-1)%n, (i+1)%n
	}
	for i := range loop {
		e.convex[i] = e.turn(i) > 0
	}
	e.fileCorners()
	out := make([][3]int, 0, n-2)
	most := testsMost + testsEach*n
	at, waited, first := 0, 0, 0
	for left := n; left > 3; {
		e.tests++
		if e.tests <= most && waited < left && !e.ear(at) {
			at = e.next[at]
			waited++
			continue
		}
		a, c := e.prev[at], e.next[at]
		if at == first {
			first = c
		}
		out = append(out, [3]int{loop[a], loop[at], loop[c]})
		e.next[a], e.prev[c] = c, a
		e.convex[a], e.convex[c] = e.turn(a) > 0, e.turn(c) > 0
		left--
		waited = 0
		if at = first; n > smallRing && left > 3 {
			at = e.next[c] // on from here; not at the neighbour, which would cut slivers round one corner
		}
	}
	a := e.next[at]
	return append(out, [3]int{loop[at], loop[a], loop[e.next[a]]})
}

func (e *earCutter) turn(i int) float64 {
	return turn(e.pts[e.loop[e.prev[i]]], e.pts[e.loop[i]], e.pts[e.loop[e.next[i]]])
}

// fileCorners makes the grid, about one corner to a cell.
func (e *earCutter) fileCorners() {
	lo, hi := e.pts[e.loop[0]], e.pts[e.loop[0]]
	for _, i := range e.loop {
		p := e.pts[i]
		lo, hi = P2{min(lo.X, p.X), min(lo.Y, p.Y)}, P2{max(hi.X, p.X), max(hi.Y, p.Y)}
	}
	e.least = lo
	side := math.Sqrt(float64(len(e.loop)))
	e.cell = math.Max(hi.X-lo.X, hi.Y-lo.Y) / side
	if !(e.cell > 0) {
		e.cell = 1
	}
	e.w, e.h = int((hi.X-lo.X)/e.cell)+1, int((hi.Y-lo.Y)/e.cell)+1
	e.grid = make([][]int32, e.w*e.h)
	for i := range e.loop {
		if !e.convex[i] {
			x, y := e.cellOf(e.pts[e.loop[i]])
			e.grid[y*e.w+x] = append(e.grid[y*e.w+x], int32(i))
		}
	}
}

func (e *earCutter) cellOf(p P2) (x, y int) {
	return max(0, min(e.w-1, int((p.X-e.least.X)/e.cell))), max(0, min(e.h-1, int((p.Y-e.least.Y)/e.cell)))
}

// ear says that a corner is convex and that no other lies in its triangle.
func (e *earCutter) ear(i int) bool {
	if !e.convex[i] {
		return false
	}
	a, b, c := e.pts[e.loop[e.prev[i]]], e.pts[e.loop[i]], e.pts[e.loop[e.next[i]]]
	x0, y0 := e.cellOf(P2{min(a.X, b.X, c.X), min(a.Y, b.Y, c.Y)})
	x1, y1 := e.cellOf(P2{max(a.X, b.X, c.X), max(a.Y, b.Y, c.Y)})
	for y := y0; y <= y1; y++ {
		for x := x0; x <= x1; x++ {
			list := e.grid[y*e.w+x]
			e.tests += 1 + len(list)
			for k := 0; k < len(list); k++ {
				o := int(list[k])
				if e.convex[o] { // it has become so
					list[k] = list[len(list)-1]
					list = list[:len(list)-1]
					e.grid[y*e.w+x] = list
					k--
					continue
				}
				if p := e.pts[e.loop[o]]; o != i && p != a && p != b && p != c && inside(a, b, c, p) {
					return false
				}
			}
		}
	}
	return true
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
