package mesh

import "math"

// First is how far from a point, in units of dir, a ray first meets a triangle, no nearer than least and no
// further than most, and which triangle; -1 where it meets none.
func (t *Tree) First(from, dir Vec3, least, most float64) (at float64, triangle int32) {
	at, triangle = most, -1
	if len(t.nodes) == 0 {
		return at, triangle
	}
	inverse := [3]float64{1 / dir.X, 1 / dir.Y, 1 / dir.Z}
	origin := [3]float64{from.X, from.Y, from.Z}
	enters := func(b *box32) float64 {
		near, far := least, at
		for k := range 3 {
			a, c := (float64(b.lo[k])-origin[k])*inverse[k], (float64(b.hi[k])-origin[k])*inverse[k]
			if a > c {
				a, c = c, a
			}
			// Of a ray within a side of the box both are no numbers, and say nothing.
			if a > near {
				near = a
			}
			if c < far {
				far = c
			}
		}
		if near > far {
			return math.Inf(1)
		}
		return near
	}
	var waiting [64]int32 // a tree over 2³² triangles is no deeper
	n := 1
	for n > 0 {
		n--
		k := waiting[n]
		v := &t.nodes[k]
		if math.IsInf(enters(&v.box), 1) {
			continue
		}
		if v.count == 0 {
			left, right := k+1, v.right
			if enters(&t.nodes[left].box) < enters(&t.nodes[right].box) {
				left, right = right, left
			}
			waiting[n], waiting[n+1] = left, right // the nearer is looked at first
			n += 2
			continue
		}
		for _, i := range t.order[v.right : v.right+v.count] {
			if d, meets := t.meets(i, from, dir); meets && d >= least && d < at {
				at, triangle = d, i
			}
		}
	}
	return at, triangle
}

// meets is where a ray goes through a triangle (Möller and Trumbore 1997).
func (t *Tree) meets(i int32, from, dir Vec3) (float64, bool) {
	tri := t.m.Triangles[i]
	a := t.m.Vertices[tri[0]]
	ab, ac := t.m.Vertices[tri[1]].Sub(a), t.m.Vertices[tri[2]].Sub(a)
	p := dir.Cross(ac)
	det := ab.Dot(p)
	if det == 0 {
		return 0, false
	}
	s := from.Sub(a)
	u := s.Dot(p) / det
	q := s.Cross(ab)
	v := dir.Dot(q) / det
	const hair = 1e-12 // what goes through an edge goes through one of its triangles
	if u < -hair || v < -hair || u+v > 1+hair {
		return 0, false
	}
	return ac.Dot(q) / det, true
}
