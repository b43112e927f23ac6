package mesh

import (
	"context"
	"math"
	"slices"
	"sync/atomic"

	"jobshelf/core/shape/par"
)

// Crossings are the pairs of triangles that meet anywhere but in the vertices
// and edges they share.
type Crossings struct {
	Count int
	// Pairs holds the crossing pairs, the lower triangle first, in order; at
	// most maxPairs of them.
	Pairs [][2]int32
	// More says that counting was given up at countLimit.
	More bool
}

const (
	maxPairs   = 100_000
	countLimit = 5_000_000
	// crossTasks is how many pieces the search is cut into; the same whatever
	// the number of cores, so that the result is.
	crossTasks = 256
)

// Crossings finds all pairs, in time near n log n for surfaces and growing with
// the number of pairs. Triangles without area cross nothing; triangles with the
// same three vertices are duplicates, not crossings. Touching counts: a vertex
// that lies on a face it does not belong to, two faces in one plane that
// overlap; sides of faces in one plane that lie along each other do not. Decided by signs of determinants that are exact (orient3), after
// Möller 1997 ("A fast triangle-triangle intersection test"): first both planes,
// then the edges of each against the other (Guigue & Devillers 2003 do the same
// with signs only). The only error is ctx's.
func (t *Tree) Crossings(ctx context.Context) (Crossings, error) {
	var out Crossings
	if len(t.nodes) == 0 {
		return out, ctx.Err()
	}
	tasks := t.split()
	found := make([]crossSearch, len(tasks))
	var total atomic.Int64
	err := par.Each(ctx, len(tasks), func() struct{} { return struct{}{} }, func(_ struct{}, i int) {
		s := crossSearch{t: t, total: &total, stop: ctx.Done()}
		if tasks[i][0] == tasks[i][1] {
			s.within(tasks[i][0])
		} else {
			s.between(tasks[i][0], tasks[i][1])
		}
		found[i] = s
	}, nil)
	if err != nil {
		return Crossings{}, err
	}
	for _, s := range found {
		out.Count += s.count
		out.Pairs = append(out.Pairs, s.pairs...)
		out.More = out.More || s.gaveUp
	}
	slices.SortFunc(out.Pairs, func(a, b [2]int32) int {
		if a[0] != b[0] {
			return int(a[0]) - int(b[0])
		}
		return int(a[1]) - int(b[1])
	})
	if len(out.Pairs) > maxPairs {
		out.Pairs = out.Pairs[:maxPairs]
	}
	return out, nil
}

// split cuts the search "the root within itself" into parts.
func (t *Tree) split() [][2]int32 {
	tasks := [][2]int32{{0, 0}}
	for len(tasks) < crossTasks {
		var finer [][2]int32
		for _, p := range tasks {
			a, b := &t.nodes[p[0]], &t.nodes[p[1]]
			switch {
			case p[0] == p[1] && a.count == 0:
				l, r := p[0]+1, a.right
				finer = append(finer, [2]int32{l, l}, [2]int32{r, r}, [2]int32{l, r})
			case p[0] != p[1] && !a.box.meets(&b.box):
			case p[0] != p[1] && a.count == 0:
				finer = append(finer, [2]int32{p[0] + 1, p[1]}, [2]int32{a.right, p[1]})
			case p[0] != p[1] && b.count == 0:
				finer = append(finer, [2]int32{p[0], p[1] + 1}, [2]int32{p[0], b.right})
			default:
				finer = append(finer, p)
			}
		}
		if len(finer) <= len(tasks) {
			break
		}
		tasks = finer
	}
	return tasks
}

type crossSearch struct {
	t      *Tree
	pairs  [][2]int32
	count  int
	gaveUp bool
	total  *atomic.Int64
	stop   <-chan struct{}
	steps  int
}

// over says that the search is to end early.
func (s *crossSearch) over() bool {
	s.steps++
	if s.steps&0xfff != 0 {
		return s.gaveUp
	}
	select {
	case <-s.stop:
		s.gaveUp = true
	default:
		s.gaveUp = s.gaveUp || s.total.Load() > countLimit
	}
	return s.gaveUp
}

func (s *crossSearch) within(n int32) {
	x := &s.t.nodes[n]
	if x.count > 0 {
		for i := x.right; i < x.right+x.count; i++ {
			for j := i + 1; j < x.right+x.count; j++ {
				s.test(i, j)
			}
		}
		return
	}
	s.within(n + 1)
	s.within(x.right)
	s.between(n+1, x.right)
}

func (s *crossSearch) between(a, b int32) {
	x, y := &s.t.nodes[a], &s.t.nodes[b]
	if !x.box.meets(&y.box) || s.over() {
		return
	}
	switch {
	case x.count > 0 && y.count > 0:
		for i := x.right; i < x.right+x.count; i++ {
			if !s.t.boxes[i].meets(&y.box) {
				continue
			}
			for j := y.right; j < y.right+y.count; j++ {
				s.test(i, j)
			}
		}
	case x.count > 0:
		s.between(a, b+1)
		s.between(a, y.right)
	case y.count > 0:
		s.between(a+1, b)
		s.between(x.right, b)
	default:
		s.between(a+1, b+1)
		s.between(a+1, y.right)
		s.between(x.right, b+1)
		s.between(x.right, y.right)
	}
}

func (s *crossSearch) test(i, j int32) {
	if !s.t.boxes[i].meets(&s.t.boxes[j]) {
		return
	}
	a, b := s.t.order[i], s.t.order[j]
	if !trianglesCross(s.t.m, s.t.m.Triangles[a], s.t.m.Triangles[b]) || s.t.grazes(s.t.m.Triangles[a], s.t.m.Triangles[b]) {
		return
	}
	s.count++
	if s.count&0xff == 0 {
		s.total.Add(0x100)
	}
	if len(s.pairs) < maxPairs {
		s.pairs = append(s.pairs, [2]int32{min(a, b), max(a, b)})
	}
}

// grazeUlps is how deep triangles that share a corner, or of which one is a
// sliver, may cross before it counts, in units in the last place of a float32 at
// the mesh's largest coordinate: 0.4 µm on 100 mm. Files hold coordinates as
// float32, and rounding the corners of a cut alone makes neighbours cross by as
// much.
const grazeUlps = 32

// grazes says that a crossing is no deeper than rounding makes it.
func (t *Tree) grazes(s, u [3]uint32) bool {
	p := [3]*Vec3{&t.m.Vertices[s[0]], &t.m.Vertices[s[1]], &t.m.Vertices[s[2]]}
	q := [3]*Vec3{&t.m.Vertices[u[0]], &t.m.Vertices[u[1]], &t.m.Vertices[u[2]]}
	if math.Min(height(p), height(q)) < 2*t.graze {
		return true
	}
	switch d := math.Min(through(p, q), through(q, p)); {
	case math.IsInf(d, 1): // in one plane: they overlap, or meet along a side
		return sharedArea(p, q) <= t.graze*around(p)
	case d > t.graze:
		return false
	}
	for _, a := range s {
		for _, b := range u {
			if a == b {
				return true
			}
		}
	}
	return false
}

// through is how far q reaches through the plane of p, on the side where it is
// less. Triangles in one plane reach through without end: they overlap.
func through(p, q [3]*Vec3) float64 {
	n := p[1].Sub(*p[0]).Cross(p[2].Sub(*p[0]))
	l := n.Len()
	above, below := 0.0, 0.0
	for _, v := range q {
		d := v.Sub(*p[0]).Dot(n) / l
		above, below = math.Max(above, d), math.Max(below, -d)
	}
	if above == 0 && below == 0 {
		return math.Inf(1) // in one plane: an overlap, not a graze
	}
	return math.Min(above, below)
}

// around is the way around a triangle.
func around(p [3]*Vec3) float64 {
	return p[1].Sub(*p[0]).Len() + p[2].Sub(*p[1]).Len() + p[0].Sub(*p[2]).Len()
}

// height is the least height of a triangle.
func height(p [3]*Vec3) float64 {
	a, b := p[1].Sub(*p[0]), p[2].Sub(*p[0])
	longest := math.Max(math.Max(a.Len(), b.Len()), b.Sub(a).Len())
	return a.Cross(b).Len() / longest
}

// trianglesCross says that two triangles with area meet outside of what they
// share.
func trianglesCross(m *Mesh, s, t [3]uint32) bool {
	var inS, inT [3]bool // corners that are shared
	shared := 0
	for i := range 3 {
		for j := range 3 {
			if s[i] == t[j] {
				inS[i], inT[j] = true, true
				shared++
			}
		}
	}
	p := [3]*Vec3{&m.Vertices[s[0]], &m.Vertices[s[1]], &m.Vertices[s[2]]}
	q := [3]*Vec3{&m.Vertices[t[0]], &m.Vertices[t[1]], &m.Vertices[t[2]]}
	switch shared {
	case 0:
		return disjointCross(p, q)
	case 1:
		return cornerCross(rotated(p, inS), rotated(q, inT))
	case 2:
		return edgeCross(p, q, inS, inT)
	}
	return false
}

// rotated puts the marked corner first.
func rotated(p [3]*Vec3, mark [3]bool) [3]*Vec3 {
	for k := range 3 {
		if mark[k] {
			return [3]*Vec3{p[k], p[(k+1)%3], p[(k+2)%3]}
		}
	}
	return p
}

// edgeCross is for triangles with a common edge: they meet beyond it only if
// they lie in one plane, on the same side of it.
func edgeCross(p, q [3]*Vec3, inS, inT [3]bool) bool {
	var c, d *Vec3
	var edge [2]*Vec3
	for k := range 3 {
		if !inS[k] {
			edge[0], edge[1], c = p[(k+1)%3], p[(k+2)%3], p[k]
		}
		if !inT[k] {
			d = q[k]
		}
	}
	x, y := flatAxes(p) // what is apart as seen along an axis is apart
	o1 := orient2(x(edge[0]), y(edge[0]), x(edge[1]), y(edge[1]), x(c), y(c))
	o2 := orient2(x(edge[0]), y(edge[0]), x(edge[1]), y(edge[1]), x(d), y(d))
	return o1 == o2 && Orient3(edge[0], edge[1], c, d) == 0
}

// cornerCross is for triangles whose first corner is common: they meet beyond it
// only if the far edge of one meets the other.
func cornerCross(p, q [3]*Vec3) bool {
	x, y := flatAxes(p)
	if beyond(p[0], p[1], p[2], q[1:], x, y) || beyond(p[2], p[0], p[1], q[1:], x, y) || beyond(q[0], q[1], q[2], p[1:], x, y) || beyond(q[2], q[0], q[1], p[1:], x, y) {
		return false
	}
	b, c := Orient3(p[0], p[1], p[2], q[1]), Orient3(p[0], p[1], p[2], q[2])
	if b*c > 0 {
		return false
	}
	if b == 0 && c == 0 {
		return segmentMeetsFlat(q[1], q[2], p, x, y) || segmentMeetsFlat(p[1], p[2], q, x, y)
	}
	return segmentMeets(q[1], q[2], p, b, c) || segmentMeets(p[1], p[2], q,
		Orient3(q[0], q[1], q[2], p[1]), Orient3(q[0], q[1], q[2], p[2]))
}

func disjointCross(p, q [3]*Vec3) bool {
	if x, y := flatAxes(p); beyondASide(p, q[:], x, y) || beyondASide(q, p[:], x, y) {
		return false
	}
	var sq, sp [3]int
	for k := range 3 {
		sq[k] = Orient3(p[0], p[1], p[2], q[k])
	}
	if sameSide(sq) {
		return false
	}
	if sq == [3]int{} {
		return flatCross(p, q)
	}
	for k := range 3 {
		sp[k] = Orient3(q[0], q[1], q[2], p[k])
	}
	if sameSide(sp) {
		return false
	}
	for k := range 3 {
		l := (k + 1) % 3
		if segmentMeets(q[k], q[l], p, sq[k], sq[l]) || segmentMeets(p[k], p[l], q, sp[k], sp[l]) {
			return true
		}
	}
	return false
}

func sameSide(s [3]int) bool {
	return s[0] > 0 && s[1] > 0 && s[2] > 0 || s[0] < 0 && s[1] < 0 && s[2] < 0
}

// segmentMeets says that the segment ab meets the triangle p, given the sides sa
// and sb of its plane that a and b lie on.
func segmentMeets(a, b *Vec3, p [3]*Vec3, sa, sb int) bool {
	switch {
	case sa*sb > 0:
		return false
	case sa == 0 && sb == 0:
		x, y := flatAxes(p)
		return segmentMeetsFlat(a, b, p, x, y)
	case sa == 0:
		x, y := flatAxes(p)
		return insideFlat(a, p, x, y)
	case sb == 0:
		x, y := flatAxes(p)
		return insideFlat(b, p, x, y)
	}
	u, v, w := Orient3(a, b, p[0], p[1]), Orient3(a, b, p[1], p[2]), Orient3(a, b, p[2], p[0])
	return u >= 0 && v >= 0 && w >= 0 || u <= 0 && v <= 0 && w <= 0
}

type coordinate func(*Vec3) float64

func xOf(v *Vec3) float64 { return v.X }
func yOf(v *Vec3) float64 { return v.Y }
func zOf(v *Vec3) float64 { return v.Z }

// flatAxes gives two coordinates in which the triangle keeps most of its area.
func flatAxes(p [3]*Vec3) (x, y coordinate) {
	n := p[1].Sub(*p[0]).Cross(p[2].Sub(*p[0]))
	ax, ay, az := n.X*n.X, n.Y*n.Y, n.Z*n.Z
	switch {
	case az >= ax && az >= ay:
		return xOf, yOf
	case ay >= ax:
		return zOf, xOf
	}
	return yOf, zOf
}

// insideFlat says that a, in the plane of p, lies in p or on its border.
func insideFlat(a *Vec3, p [3]*Vec3, x, y coordinate) bool {
	var s [3]int
	for k := range 3 {
		b, c := p[k], p[(k+1)%3]
		s[k] = orient2(x(b), y(b), x(c), y(c), x(a), y(a))
	}
	return s[0] >= 0 && s[1] >= 0 && s[2] >= 0 || s[0] <= 0 && s[1] <= 0 && s[2] <= 0
}

func segmentMeetsFlat(a, b *Vec3, p [3]*Vec3, x, y coordinate) bool {
	if insideFlat(a, p, x, y) || insideFlat(b, p, x, y) {
		return true
	}
	for k := range 3 {
		if segmentsMeet(a, b, p[k], p[(k+1)%3], x, y) {
			return true
		}
	}
	return false
}

func segmentsMeet(a, b, c, d *Vec3, x, y coordinate) bool {
	o := func(p, q, r *Vec3) int { return orient2(x(p), y(p), x(q), y(q), x(r), y(r)) }
	u, v, w, z := o(a, b, c), o(a, b, d), o(c, d, a), o(c, d, b)
	if u == 0 && v == 0 && w == 0 && z == 0 { // on one line
		return min(x(a), x(b)) <= max(x(c), x(d)) && min(x(c), x(d)) <= max(x(a), x(b)) &&
			min(y(a), y(b)) <= max(y(c), y(d)) && min(y(c), y(d)) <= max(y(a), y(b))
	}
	return u*v <= 0 && w*z <= 0
}

// flatCross is for two triangles in one plane.
func flatCross(p, q [3]*Vec3) bool {
	x, y := flatAxes(p)
	for k := range 3 {
		if segmentMeetsFlat(q[k], q[(k+1)%3], p, x, y) {
			return true
		}
	}
	return insideFlat(p[0], q, x, y)
}

// beyondASide says that points, as seen along an axis, all lie beyond one of a triangle's sides, so that
// they are apart from it: most are that are beside it on a face of many triangles.
func beyondASide(p [3]*Vec3, of []*Vec3, x, y coordinate) bool {
	return beyond(p[0], p[1], p[2], of, x, y) || beyond(p[1], p[2], p[0], of, x, y) || beyond(p[2], p[0], p[1], of, x, y)
}

// beyond says that points lie strictly on the other side of ab than c, as seen so.
func beyond(a, b, c *Vec3, of []*Vec3, x, y coordinate) bool {
	ax, ay, bx, by := x(a), y(a), x(b), y(b)
	side := orient2(ax, ay, bx, by, x(c), y(c))
	if side == 0 {
		return false
	}
	for _, q := range of {
		if orient2(ax, ay, bx, by, x(q), y(q)) != -side {
			return false
		}
	}
	return true
}
