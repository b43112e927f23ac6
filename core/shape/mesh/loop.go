package mesh

import "math"

// minAreaCorners is up to how many corners a loop is closed by the surface of
// least area, at the cube of their number.
const minAreaCorners = 120

// TriangulateLoop closes a loop of points in space with triangles that run the
// way it does: up to 120 corners by the triangulation of least area (Barequet &
// Sharir 1995, "Filling gaps in the boundary of a polyhedron"), with a small
// weight against slivers; longer ones by cutting ears in the plane of their
// mean normal (Newell). Each side of the loop is a side of one triangle. Indices
// are into pts; fewer than three points give nothing.
func TriangulateLoop(pts []Vec3) [][3]int {
	n := len(pts)
	switch {
	case n < 3:
		return nil
	case n == 3:
		return [][3]int{{0, 1, 2}}
	case n <= minAreaCorners:
		return leastArea(pts)
	}
	return flatEars(pts)
}

// fewCorners is up to how many corners the cube of their number is nothing.
const fewCorners = 8

// TriangulateFace cuts a flat face into triangles that run the way it does, in a
// time near n log n for any number of corners. Each of its sides is a side of one
// triangle; corners in a line stay.
func TriangulateFace(pts []Vec3) [][3]int {
	if len(pts) <= fewCorners {
		return TriangulateLoop(pts)
	}
	return flatEars(pts)
}

// flatEars cuts ears in the plane of the mean normal (Newell).
func flatEars(pts []Vec3) [][3]int {
	n := len(pts)
	var normal Vec3
	for i, p := range pts {
		q := pts[(i+1)%n]
		normal = normal.Add(p.Sub(pts[0]).Cross(q.Sub(pts[0])))
	}
	flat := make([]P2, n)
	for i, p := range pts {
		flat[i] = Onto(p, normal)
	}
	return EarCut(flat, [][2]int{{0, n}})
}

// Onto drops the coordinate in which the normal is longest, and keeps the sense
// of turning as seen from its tip.
func Onto(p, normal Vec3) P2 {
	ax, ay, az := math.Abs(normal.X), math.Abs(normal.Y), math.Abs(normal.Z)
	switch {
	case az >= ax && az >= ay:
		return P2{p.X, math.Copysign(1, normal.Z) * p.Y}
	case ay >= ax:
		return P2{p.Z, math.Copysign(1, normal.Y) * p.X}
	}
	return P2{p.Y, math.Copysign(1, normal.X) * p.Z}
}

// sliverWeight sets a triangle's perimeter, squared, against its area: enough to
// choose among surfaces of equal area (in a plane all are), too little to
// prefer a larger one by more.
const sliverWeight = 1e-3

func leastArea(pts []Vec3) [][3]int {
	n := len(pts)
	cost := func(i, j, k int) float64 {
		ab, ac, bc := pts[j].Sub(pts[i]), pts[k].Sub(pts[i]), pts[k].Sub(pts[j])
		round := ab.Len() + ac.Len() + bc.Len()
		area := ab.Cross(ac).Len() / 2
		if area < 1e-9*round*round { // no area at all: only if nothing else is left
			area += round * round
		}
		return area + sliverWeight*round*round
	}
	best := make([]float64, n*n)
	split := make([]int, n*n)
	for span := 2; span < n; span++ {
		for i := 0; i+span < n; i++ {
			k := i + span
			least := math.Inf(1)
			for j := i + 1; j < k; j++ {
				if c := best[i*n+j] + best[j*n+k] + cost(i, j, k); c < least {
					least, split[i*n+k] = c, j
				}
			}
			best[i*n+k] = least
		}
	}
	var out [][3]int
	var walk func(i, k int)
	walk = func(i, k int) {
		if k-i < 2 {
			return
		}
		j := split[i*n+k]
		out = append(out, [3]int{i, j, k})
		walk(i, j)
		walk(j, k)
	}
	walk(0, n-1)
	return out
}
