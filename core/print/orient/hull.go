package orient

import (
	"cmp"
	"context"
	"maps"
	"math"
	"slices"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/polygon"
)

// face is a flat of the convex hull: its outward direction and what of the hull lies in it.
type face struct {
	out     mesh.Vec3
	areaMM2 float64
	corners []mesh.Vec3
}

const (
	directions = 400 // in which the furthest point is looked for
	mergeDeg   = 1   // faces that differ by less are one flat
	// How often, and out of how many of the largest faces, points further out are looked for.
	rounds, mostFaces, mostCorners = 3, 80, 500
)

// sphere is n directions spread evenly (Fibonacci's spiral).
func sphere(n int) []mesh.Vec3 {
	out := make([]mesh.Vec3, n)
	golden := math.Pi * (3 - math.Sqrt(5))
	for i := range out {
		z := 1 - (2*float64(i)+1)/float64(n)
		r := math.Sqrt(1 - z*z)
		sin, cos := math.Sincos(golden * float64(i))
		out[i] = mesh.Vec3{X: r * cos, Y: r * sin, Z: z}
	}
	return out
}

// extremes are the points furthest in each of some directions, each once.
func extremes(ctx context.Context, points, along []mesh.Vec3) []mesh.Vec3 {
	all := make([]int, len(along))
	// Who is told of ctx's end asks for it anyway.
	_ = par.Each(ctx, len(along), func() struct{} { return struct{}{} }, func(_ struct{}, k int) {
		d, most := along[k], math.Inf(-1)
		for i, p := range points {
			if x := p.Dot(d); x > most {
				all[k], most = i, x
			}
		}
	}, nil)
	slices.Sort(all)
	all = slices.Compact(all)
	out := make([]mesh.Vec3, len(all))
	for k, i := range all {
		out[k] = points[i]
	}
	return out
}

// hull is the triangles of the convex hull of points, as numbers of them, seen from outside
// counter-clockwise; none where all lie in a plane. Points come in one by one, and what they
// see is replaced: for n points of the order of n² steps.
func hull(p []mesh.Vec3) [][3]int {
	first, ok := tetrahedron(p)
	if !ok {
		return nil
	}
	tris := first
	eps := 1e-9 * p[first[0][0]].Sub(p[first[1][2]]).Len()
	for i := range p {
		type edge [2]int
		rim := map[edge]bool{}
		left := tris[:0:0]
		for _, t := range tris {
			n := p[t[1]].Sub(p[t[0]]).Cross(p[t[2]].Sub(p[t[0]]))
			if n.Dot(p[i].Sub(p[t[0]])) <= eps*n.Len() {
				left = append(left, t)
				continue
			}
			for k := range 3 {
				e := edge{t[k], t[(k+1)%3]}
				if back := (edge{e[1], e[0]}); rim[back] {
					delete(rim, back)
				} else {
					rim[e] = true
				}
			}
		}
		for _, e := range slices.SortedFunc(maps.Keys(rim), func(a, b edge) int { return cmp.Or(a[0]-b[0], a[1]-b[1]) }) {
			left = append(left, [3]int{e[0], e[1], i})
		}
		tris = left
	}
	return tris
}

// tetrahedron is four points that lie in no plane, as four triangles seen from outside.
func tetrahedron(p []mesh.Vec3) ([][3]int, bool) {
	if len(p) < 4 {
		return nil, false
	}
	furthest := func(far func(v mesh.Vec3) float64) int {
		best := 0
		for i := range p {
			if far(p[i]) > far(p[best]) {
				best = i
			}
		}
		return best
	}
	a := 0
	b := furthest(func(v mesh.Vec3) float64 { return v.Sub(p[a]).Len() })
	ab := p[b].Sub(p[a])
	c := furthest(func(v mesh.Vec3) float64 { return ab.Cross(v.Sub(p[a])).Len() })
	n := ab.Cross(p[c].Sub(p[a]))
	d := furthest(func(v mesh.Vec3) float64 { return math.Abs(n.Dot(v.Sub(p[a]))) })
	volume := n.Dot(p[d].Sub(p[a]))
	if math.Abs(volume) <= 1e-9*math.Pow(ab.Len(), 3) {
		return nil, false
	}
	if volume > 0 {
		b, c = c, b
	}
	return [][3]int{{a, b, c}, {a, d, b}, {b, d, c}, {c, d, a}}, true
}

// corners are the points of a mesh that its convex hull is made of: those furthest in many directions
// of the body's own frame, then those furthest out of the faces between these, until there are none.
func corners(ctx context.Context, m *mesh.Mesh, own [3]mesh.Vec3) []mesh.Vec3 {
	dirs := sphere(directions)
	for i, d := range dirs {
		dirs[i] = own[0].Scale(d.X).Add(own[1].Scale(d.Y)).Add(own[2].Scale(d.Z))
	}
	p := extremes(ctx, m.Vertices, dirs)
	size := m.Bounds().Size().Len()
	for range rounds {
		tris := slices.DeleteFunc(hull(p), func(t [3]int) bool { return p[t[1]].Sub(p[t[0]]).Cross(p[t[2]].Sub(p[t[0]])).Len() == 0 })
		if len(tris) == 0 || len(p) > mostCorners {
			break
		}
		area := func(t [3]int) float64 { return p[t[1]].Sub(p[t[0]]).Cross(p[t[2]].Sub(p[t[0]])).Len() }
		slices.SortStableFunc(tris, func(a, b [3]int) int { return cmp.Compare(area(b), area(a)) })
		tris = tris[:min(len(tris), mostFaces)]
		out := make([]mesh.Vec3, 0, len(tris))
		for _, t := range tris {
			n := p[t[1]].Sub(p[t[0]]).Cross(p[t[2]].Sub(p[t[0]]))
			out = append(out, n.Scale(1/n.Len()))
		}
		was := len(p)
		for _, q := range extremes(ctx, m.Vertices, out) {
			beyond := false
			for i, t := range tris {
				if out[i].Dot(q.Sub(p[t[0]])) > 1e-6*size {
					beyond = true
					break
				}
			}
			if beyond {
				p = append(p, q)
			}
		}
		if len(p) == was {
			break
		}
	}
	return p
}

// flats are the faces of the convex hull of a mesh, those in one plane together, the largest first.
func flats(ctx context.Context, m *mesh.Mesh, own [3]mesh.Vec3) []face {
	p := corners(ctx, m, own)
	var out []face
	apart := math.Cos(mergeDeg * math.Pi / 180)
	for _, t := range hull(p) {
		a, b, c := p[t[0]], p[t[1]], p[t[2]]
		n := b.Sub(a).Cross(c.Sub(a))
		size := n.Len()
		if size == 0 {
			continue
		}
		n = n.Scale(1 / size)
		k := slices.IndexFunc(out, func(f face) bool { return f.out.Dot(n) > apart })
		if k < 0 {
			k = len(out)
			out = append(out, face{out: n})
		}
		f := &out[k]
		if sum := f.out.Scale(f.areaMM2).Add(n.Scale(size / 2)); sum.Len() > 0 {
			f.out = sum.Scale(1 / sum.Len())
		}
		f.areaMM2 += size / 2
		f.corners = append(f.corners, a, b, c)
	}
	slices.SortStableFunc(out, func(a, b face) int {
		switch {
		case a.areaMM2 > b.areaMM2:
			return -1
		case a.areaMM2 < b.areaMM2:
			return 1
		}
		return 0
	})
	return out
}

// stands says that a body stands on a flat: its middle of mass lies over it.
func (f *face) stands(mid mesh.Vec3) bool {
	down := Upright(f.out.Scale(-1))
	points := make([]polygon.Point, len(f.corners))
	for i, c := range f.corners {
		v := down.Turn(c)
		points[i] = polygon.At(v.X, v.Y)
	}
	v := down.Turn(mid)
	hull := polygon.Hull(points)
	at := polygon.At(v.X, v.Y)
	for i, a := range hull {
		b := hull[(i+1)%len(hull)]
		if float64(b.X-a.X)*float64(at.Y-a.Y)-float64(b.Y-a.Y)*float64(at.X-a.X) <= 0 {
			return false
		}
	}
	return len(hull) > 2
}

// axes are the principal axes of a surface: the directions in which it is spread most, and least,
// each of length 1, right-handed. Cyclic Jacobi turns; of equal spreads any will do.
func axes(m *mesh.Mesh) [3]mesh.Vec3 {
	var mid mesh.Vec3
	whole := 0.0
	each := func(do func(c mesh.Vec3, area float64)) {
		for _, t := range m.Triangles {
			a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
			do(a.Add(b).Add(c).Scale(1.0/3), b.Sub(a).Cross(c.Sub(a)).Len()/2)
		}
	}
	each(func(c mesh.Vec3, area float64) { mid, whole = mid.Add(c.Scale(area)), whole+area })
	if whole > 0 {
		mid = mid.Scale(1 / whole)
	}
	var s, v [3][3]float64
	each(func(c mesh.Vec3, area float64) {
		d := c.Sub(mid)
		x := [3]float64{d.X, d.Y, d.Z}
		for i := range 3 {
			for j := range 3 {
				s[i][j] += area * x[i] * x[j]
			}
		}
	})
	for i := range 3 {
		v[i][i] = 1
	}
	for range 20 {
		for _, pq := range [3][2]int{{0, 1}, {0, 2}, {1, 2}} {
			p, q := pq[0], pq[1]
			if math.Abs(s[p][q]) <= 1e-14*(s[p][p]+s[q][q]) {
				continue
			}
			sin, cos := math.Sincos(math.Atan2(2*s[p][q], s[q][q]-s[p][p]) / 2)
			for k := range 3 {
				s[k][p], s[k][q] = cos*s[k][p]-sin*s[k][q], sin*s[k][p]+cos*s[k][q]
			}
			for k := range 3 {
				s[p][k], s[q][k] = cos*s[p][k]-sin*s[q][k], sin*s[p][k]+cos*s[q][k]
				v[k][p], v[k][q] = cos*v[k][p]-sin*v[k][q], sin*v[k][p]+cos*v[k][q]
			}
		}
	}
	order := []int{0, 1, 2}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(s[b][b], s[a][a]) })
	var out [3]mesh.Vec3
	for k, i := range order {
		out[k] = mesh.Vec3{X: v[0][i], Y: v[1][i], Z: v[2][i]}
	}
	// Each looks to where the surface reaches further; the third by the right hand.
	for k := range 2 {
		lean := 0.0
		each(func(c mesh.Vec3, area float64) { lean += area * math.Pow(c.Sub(mid).Dot(out[k]), 3) })
		if lean < 0 {
			out[k] = out[k].Scale(-1)
		}
	}
	out[2] = out[0].Cross(out[1])
	return out
}
