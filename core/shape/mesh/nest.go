package mesh

import (
	"math"
	"slices"
)

// nestLimit bounds how many bodies are held against each other; a scan's crumbs
// are not worth the square of their number.
const nestLimit = 400

// contact is what the surfaces of two bodies have in common.
type contact struct {
	at      Vec3
	pairs   int // triangles that meet
	through bool
	alike   bool // faces lie on each other and look the same way: both bodies are behind them
	// some of the triangles that meet, of the lower body and of the higher
	of [2][]int32
}

// contactSamples is how many triangles of each body are looked at to tell touching
// from overlapping.
const contactSamples = 64

// pair names two bodies, the lower first.
type pair struct{ a, b int32 }

// nester holds bodies against each other.
type nester struct {
	m     *Mesh
	r     *Report
	of    [][]int32 // triangles by body
	graze float64
	met   map[pair]*contact
}

// nest finds cavities, bodies that are inside out, and bodies that overlap or
// touch.
//
// Which body lies in which is decided by the nearest that encloses it: a body in
// another is its cavity if it faces inwards, in a cavity it is a part of its own
// (a ball in a hollow ball). Bodies overlap if their surfaces go through each
// other, if one lies in the other without a cavity between, if faces that lie on
// each other look the same way, or if a face of one lies within the other. Bodies
// that only meet in faces, edges or corners touch; that is no crossing.
func (r *Report) nest(m *Mesh) {
	n := &nester{m: m, r: r, met: map[pair]*contact{}, of: make([][]int32, len(r.Bodies))}
	for i, b := range r.Topology.Body {
		if b >= 0 {
			n.of[b] = append(n.of[b], int32(i))
		}
	}
	size := r.Measures.Bounds
	for _, v := range []Vec3{size.Min, size.Max} {
		n.graze = max(n.graze, math.Abs(v.X), math.Abs(v.Y), math.Abs(v.Z))
	}
	n.graze *= grazeUlps * 0x1p-23
	n.meet()
	inside := n.enclosures()
	n.sides(inside)
	n.tell(inside)
}

// meet gathers what bodies have in common: triangles that cross, and triangles that
// are the same.
func (n *nester) meet() {
	for _, p := range n.r.Crossings.Pairs {
		n.meetAt(p[0], p[1])
	}
	n.meetInCorners()
	same := map[[3]uint32][]int32{}
	for _, t := range n.r.Duplicate {
		same[Sorted3(n.m.Triangles[t])] = nil
	}
	if len(same) > 0 {
		for i, t := range n.m.Triangles {
			if list, ok := same[Sorted3(t)]; ok {
				same[Sorted3(t)] = append(list, int32(i))
			}
		}
	}
	keys := make([][3]uint32, 0, len(same))
	for k := range same {
		keys = append(keys, k)
	}
	slices.SortFunc(keys, func(a, b [3]uint32) int { return slices.Compare(a[:], b[:]) })
	apart := map[int32]bool{} // faces of bodies that touch are not there twice
	for _, k := range keys {
		list := same[k]
		for i := range list {
			for j := range i {
				n.meetAt(list[j], list[i])
				if b := n.r.Topology.Body; b[list[i]] != b[list[j]] && n.normal(list[i]).Dot(n.normal(list[j])) < 0 && len(list) == 2 {
					apart[list[i]] = true
				}
			}
		}
	}
	n.r.Duplicate = slices.DeleteFunc(n.r.Duplicate, func(t int32) bool { return apart[t] })
}

// meetInCorners files bodies that share a vertex: neighbours by an edge or a corner
// do not cross.
func (n *nester) meetInCorners() {
	if len(n.of) < 2 {
		return
	}
	owner := make([]int32, len(n.m.Vertices)) // body + 1
	for i, t := range n.m.Triangles {
		b := n.r.Topology.Body[i]
		if b < 0 {
			continue
		}
		for _, v := range t {
			switch o := owner[v] - 1; {
			case o < 0:
				owner[v] = b + 1
			case o != b && n.met[pair{min(o, b), max(o, b)}] == nil:
				n.met[pair{min(o, b), max(o, b)}] = &contact{at: n.m.Vertices[v]}
			}
		}
	}
}

func (n *nester) corners(t int32) [3]*Vec3 {
	v := n.m.Triangles[t]
	return [3]*Vec3{&n.m.Vertices[v[0]], &n.m.Vertices[v[1]], &n.m.Vertices[v[2]]}
}

func (n *nester) normal(t int32) Vec3 {
	p := n.corners(t)
	return p[1].Sub(*p[0]).Cross(p[2].Sub(*p[0]))
}

func (n *nester) meetAt(t, u int32) {
	a, b := n.r.Topology.Body[t], n.r.Topology.Body[u]
	if a < 0 || b < 0 || a == b {
		return
	}
	if a > b {
		a, b, t, u = b, a, u, t
	}
	k := pair{a, b}
	c := n.met[k]
	if c == nil {
		c = &contact{at: n.m.Vertices[n.m.Triangles[t][0]]}
		n.met[k] = c
	}
	c.pairs++
	if c.through {
		return
	}
	p, q := n.corners(t), n.corners(u)
	switch flat := n.onPlane(p, q) || n.onPlane(q, p); {
	case flat:
		c.alike = c.alike || n.normal(t).Dot(n.normal(u)) > 0 && sharedArea(p, q) > n.graze*n.graze
	default:
		c.through = math.Min(through(p, q), through(q, p)) > n.graze && sharedLength(p, q) > n.graze
	}
	if len(c.of[0]) < contactSamples {
		c.of[0], c.of[1] = append(c.of[0], t), append(c.of[1], u)
	}
}

// onPlane says that q lies in the plane of p, within rounding.
func (n *nester) onPlane(p, q [3]*Vec3) bool {
	normal := p[1].Sub(*p[0]).Cross(p[2].Sub(*p[0]))
	l := normal.Len()
	for _, v := range q {
		if math.Abs(v.Sub(*p[0]).Dot(normal)) > n.graze*l {
			return false
		}
	}
	return true
}

// sharedLength is the length of the line in which two triangles meet that are not in
// one plane (the intervals of Möller 1997).
func sharedLength(p, q [3]*Vec3) float64 {
	np, nq := p[1].Sub(*p[0]).Cross(p[2].Sub(*p[0])), q[1].Sub(*q[0]).Cross(q[2].Sub(*q[0]))
	along := np.Cross(nq)
	if l := along.Len(); l > 0 {
		along = along.Scale(1 / l)
	}
	cut := func(t [3]*Vec3, at Vec3, normal Vec3) (lo, hi float64) {
		lo, hi = math.Inf(1), math.Inf(-1)
		for k := range 3 {
			a, b := *t[k], *t[(k+1)%3]
			da, db := a.Sub(at).Dot(normal), b.Sub(at).Dot(normal)
			if da*db > 0 || da == db {
				continue
			}
			s := a.Add(b.Sub(a).Scale(da / (da - db))).Dot(along)
			lo, hi = math.Min(lo, s), math.Max(hi, s)
		}
		return lo, hi
	}
	lo1, hi1 := cut(p, *q[0], nq)
	lo2, hi2 := cut(q, *p[0], np)
	return math.Min(hi1, hi2) - math.Max(lo1, lo2)
}

// sharedArea is the area that two triangles in one plane have in common: one is
// cut by the sides of the other (Sutherland & Hodgman 1974).
func sharedArea(p, q [3]*Vec3) float64 {
	normal := p[1].Sub(*p[0]).Cross(p[2].Sub(*p[0]))
	poly := []Vec3{*q[0], *q[1], *q[2]}
	for k := range 3 {
		a, along := *p[k], p[(k+1)%3].Sub(*p[k])
		in := normal.Cross(along) // to the left of the side
		var kept []Vec3
		for i, v := range poly {
			w := poly[(i+1)%len(poly)]
			dv, dw := v.Sub(a).Dot(in), w.Sub(a).Dot(in)
			if dv >= 0 {
				kept = append(kept, v)
			}
			if (dv > 0 && dw < 0) || (dv < 0 && dw > 0) {
				kept = append(kept, v.Add(w.Sub(v).Scale(dv/(dv-dw))))
			}
		}
		if poly = kept; len(poly) < 3 {
			return 0
		}
	}
	var sum Vec3
	for i := 1; i+1 < len(poly); i++ {
		sum = sum.Add(poly[i].Sub(poly[0]).Cross(poly[i+1].Sub(poly[0])))
	}
	return sum.Len() / 2
}

// depth is how often a body's surface goes around a point: 1 within it, -1 within
// one that faces inwards, 0 outside, a half on its surface.
func (n *nester) depth(body int32, at Vec3) float64 {
	w := 0.0
	for _, i := range n.of[body] {
		t := n.m.Triangles[i]
		w += SolidAngle(n.m.Vertices[t[0]].Sub(at), n.m.Vertices[t[1]].Sub(at), n.m.Vertices[t[2]].Sub(at))
		if n.on(i, at) {
			return 0.5 // the sign of a nought would decide whether it counts
		}
	}
	return w / (4 * math.Pi)
}

// on says that a point lies on a triangle, within rounding.
func (n *nester) on(t int32, at Vec3) bool {
	p := n.corners(t)
	normal := n.normal(t)
	l := normal.Len()
	if math.Abs(at.Sub(*p[0]).Dot(normal)) > n.graze*l {
		return false
	}
	for k := range 3 {
		side := p[(k+1)%3].Sub(*p[k])
		if side.Cross(at.Sub(*p[k])).Dot(normal) < -n.graze*l*side.Len() {
			return false
		}
	}
	return true
}

func (n *nester) middle(t int32) Vec3 {
	p := n.corners(t)
	return p[0].Add(*p[1]).Add(*p[2]).Scale(1. / 3)
}

// within says whether body i lies in body j, by a point of it that is not on j's
// surface; one whose every point is on it lies in it.
func (n *nester) within(i, j int32) bool {
	list := n.of[i]
	step := max(1, len(list)/contactSamples)
	for k := 0; k < len(list); k += step {
		switch d := math.Abs(n.depth(j, n.middle(list[k]))); {
		case d > 0.75:
			return true
		case d < 0.25:
			return false
		}
	}
	return true
}

// enclosures lists for each body the closed ones that it lies in, without those
// whose surface it goes through.
func (n *nester) enclosures() [][]int32 {
	bodies := n.r.Bodies
	inside := make([][]int32, len(bodies))
	if len(bodies) > nestLimit {
		return inside
	}
	for i := range bodies {
		for j := range bodies {
			c := n.met[pair{int32(min(i, j)), int32(max(i, j))}]
			if i == j || !bodies[j].Closed || !contains(bodies[j].Bounds, bodies[i].Bounds) || c != nil && c.through {
				continue
			}
			if bodies[i].Bounds == bodies[j].Bounds && i < j && math.Abs(bodies[i].Volume) == math.Abs(bodies[j].Volume) {
				continue // the same place twice: the later lies in the earlier
			}
			if n.within(int32(i), int32(j)) {
				inside[i] = append(inside[i], int32(j))
			}
		}
	}
	return inside
}

// nearest is the innermost of the bodies that one lies in; -1 if none.
func (n *nester) nearest(inside []int32) int32 {
	best := int32(-1)
	for _, j := range inside {
		if best < 0 || math.Abs(n.r.Bodies[j].Volume) < math.Abs(n.r.Bodies[best].Volume) {
			best = j
		}
	}
	return best
}

// sides tells cavities and bodies that are inside out, from the outermost inwards.
func (n *nester) sides(inside [][]int32) {
	bodies := n.r.Bodies
	order := make([]int32, len(bodies))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortStableFunc(order, func(a, b int32) int { return len(inside[a]) - len(inside[b]) })
	full := make([]bool, len(bodies)) // solid, once what is inside out has been turned
	for _, i := range order {
		b := &bodies[i]
		in := n.nearest(inside[i])
		inSolid := in >= 0 && full[in]
		switch {
		case !b.Closed:
			full[i] = true
		case b.Volume < 0:
			b.Cavity = inSolid
			b.InsideOut = !inSolid
			full[i] = !inSolid
		case inSolid && bodies[in].InsideOut: // all of a hollow part faces the wrong way
			b.InsideOut = true
		default:
			full[i] = true
		}
	}
}

// tell lists overlaps and touches, and takes touching off the crossings.
func (n *nester) tell(inside [][]int32) {
	r := n.r
	over := map[pair]Overlap{}
	for i := range r.Bodies {
		in := n.nearest(inside[i])
		if in < 0 || !r.Bodies[i].Closed || r.Bodies[i].Volume <= 0 || r.Bodies[in].Volume <= 0 || r.Bodies[i].InsideOut {
			continue
		}
		k := pair{min(int32(i), in), max(int32(i), in)}
		over[k] = Overlap{A: k.a, B: k.b, At: n.m.Vertices[n.m.Triangles[r.Bodies[i].first][0]]}
	}
	touching := map[pair]bool{}
	for k, c := range n.met {
		_, nested := over[k]
		if c.through || c.alike || nested || n.partly(k, c, inside) {
			over[k] = Overlap{k.a, k.b, c.pairs, c.at}
			continue
		}
		touching[k] = true
		r.Touching = append(r.Touching, Overlap{k.a, k.b, c.pairs, c.at})
	}
	for _, o := range over {
		r.Overlaps = append(r.Overlaps, o)
	}
	for _, list := range [][]Overlap{r.Overlaps, r.Touching} {
		slices.SortFunc(list, func(a, b Overlap) int {
			if a.A != b.A {
				return int(a.A - b.A)
			}
			return int(a.B - b.B)
		})
	}
	r.Crossings.Pairs = slices.DeleteFunc(r.Crossings.Pairs, func(p [2]int32) bool {
		a, b := r.Topology.Body[p[0]], r.Topology.Body[p[1]]
		if !touching[pair{min(a, b), max(a, b)}] {
			return false
		}
		r.Crossings.Count--
		return true
	})
}

// partly says that of two closed bodies that do not go through each other and of
// which none lies in the other, a face of one lies within the other: as where boxes
// overlap whose sides lie in the same planes.
func (n *nester) partly(k pair, c *contact, inside [][]int32) bool {
	a, b := &n.r.Bodies[k.a], &n.r.Bodies[k.b]
	if !a.Closed || !b.Closed || a.Volume <= 0 || b.Volume <= 0 || slices.Contains(inside[k.a], k.b) || slices.Contains(inside[k.b], k.a) {
		return false
	}
	for side, other := range [2]int32{k.b, k.a} {
		for _, t := range c.of[side] {
			if n.depth(other, n.middle(t)) > 0.75 {
				return true
			}
		}
	}
	return false
}

func contains(outer, inner Box) bool {
	return outer.Min.X <= inner.Min.X && outer.Min.Y <= inner.Min.Y && outer.Min.Z <= inner.Min.Z &&
		outer.Max.X >= inner.Max.X && outer.Max.Y >= inner.Max.Y && outer.Max.Z >= inner.Max.Z
}
