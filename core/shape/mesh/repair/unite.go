package repair

import (
	"cmp"
	"context"
	"errors"
	"math"
	"slices"

	"jobshelf/core/shape/mesh"
)

// uniteRounds bounds how often bodies are joined: each round makes one of two.
const uniteRounds = 64

// uniteBodies makes overlapping closed bodies one, two at a time, until none
// overlap or the rest cannot be joined. A body that lies wholly inside another
// is left out. It gives how many unions were made.
func uniteBodies(ctx context.Context, m *mesh.Mesh) (*mesh.Mesh, int, error) {
	n := 0
	type place struct {
		triangles int
		bounds    mesh.Box
		volume    float64
	}
	stuck := map[[2]place]bool{} // pairs that could not be joined; their numbers change from round to round
	for range uniteRounds {
		r, err := mesh.Inspect(ctx, m)
		if err != nil {
			return nil, 0, err
		}
		done := false
		for _, o := range r.Overlaps {
			a, b := &r.Bodies[o.A], &r.Bodies[o.B]
			key := [2]place{{a.Triangles, a.Bounds, a.Volume}, {b.Triangles, b.Bounds, b.Volume}}
			if stuck[key] || !a.Closed || !b.Closed || a.Volume <= 0 || b.Volume <= 0 {
				continue
			}
			joined, ok := unite(ctx, part(m, r, o.A), part(m, r, o.B))
			if !ok {
				stuck[key] = true
				continue
			}
			rest := &mesh.Mesh{Vertices: m.Vertices}
			for i, t := range m.Triangles {
				if k := r.Topology.Body[i]; k != o.A && k != o.B {
					rest.Triangles = append(rest.Triangles, t)
				}
			}
			rest = compact(rest)
			rest.Append(joined)
			m, done = rest, true
			n++
			break
		}
		if !done {
			break
		}
	}
	return m, n, ctx.Err()
}

// part is one body as a mesh of its own.
func part(m *mesh.Mesh, r *mesh.Report, body int32) *mesh.Mesh {
	out := &mesh.Mesh{Vertices: m.Vertices}
	for i, t := range m.Triangles {
		if r.Topology.Body[i] == body {
			out.Triangles = append(out.Triangles, t)
		}
	}
	return compact(out)
}

// nudges are the directions in which one of the bodies is moved a little before
// they are cut, so that no corner of one lies on a face of the other: where
// faces lie in one plane there is no line along which to cut. The numbers have
// no common measure with any likely geometry.
var nudges = []mesh.Vec3{
	{X: 0.5773, Y: 0.6180, Z: 0.5337}, {X: -0.4142, Y: 0.7320, Z: 0.5412}, {X: 0.6457, Y: -0.2360, Z: 0.7267}, {X: -0.3027, Y: -0.5616, Z: -0.7701},
}

// nudgeShare is how far, against the diagonal of both: 1 µm on 100 mm.
const nudgeShare = 1e-5

// unite joins two closed bodies that face outwards and do not cross themselves.
// It cuts each triangle along its crossings with the other body, keeps what lies
// outside of the other, and gives false if that does not come out closed. Of
// several ways to undo the nudge it takes the one that leaves least crossings. Which
// edge crosses which triangle is decided exactly (orient3), so both bodies agree
// on the corners of the cut; the corners are then rounded to float32, as files
// hold them.
func unite(ctx context.Context, a, b *mesh.Mesh) (*mesh.Mesh, bool) {
	box := a.Bounds()
	other := b.Bounds()
	reach := math.Max(box.Size().Len(), other.Size().Len()) * nudgeShare
	var best *mesh.Mesh
	least := math.MaxInt
	for _, d := range nudges {
		out, err := uniteOnce(ctx, a, b, d.Scale(reach))
		if ctx.Err() != nil {
			return nil, false
		}
		for _, o := range out { // err leaves none
			c, err := mesh.NewTree(o).Crossings(ctx)
			if err != nil {
				return nil, false
			}
			if c.Count < least {
				best, least = o, c.Count
			}
		}
		if err == nil && least == 0 {
			break
		}
	}
	return best, best != nil
}

// errTouch: a corner lies exactly on a plane of the other body; errOpen: the
// result did not close.
var (
	errTouch = errors.New("bodies touch")
	errOpen  = errors.New("union is not closed")
)

// cutter holds the two bodies as one mesh (the first's triangles first) and the
// corners of the cut.
type cutter struct {
	m      *mesh.Mesh
	firstB int32 // triangles from here on are the second body's
	points map[crossing]uint32
	onEdge map[[2]uint32][]uint32 // corners of the cut on an edge, lower vertex first
	inside map[int32][][2]uint32  // lines of the cut across a triangle
	seam   map[[2]uint32]bool     // the lines again, as edges of the result
}

// crossing is where an edge goes through a triangle.
type crossing struct {
	a, b uint32 // the edge, lower vertex first
	tri  int32
}

// settleNudges is how near corners of the result must be, against the nudge, to
// be drawn together: what it moved apart comes together again.
const settleNudges = 4

func uniteOnce(ctx context.Context, a, b *mesh.Mesh, nudge mesh.Vec3) ([]*mesh.Mesh, error) {
	c := &cutter{m: &mesh.Mesh{}, firstB: int32(len(a.Triangles)), points: map[crossing]uint32{}, onEdge: map[[2]uint32][]uint32{},
		inside: map[int32][][2]uint32{}, seam: map[[2]uint32]bool{}}
	c.m.Append(a)
	c.m.Append(b.Transformed(1, nudge))
	cross, err := mesh.NewTree(c.m).Crossings(ctx)
	if err != nil {
		return nil, err
	}
	if cross.More || cross.Count > len(cross.Pairs) {
		return nil, errOpen
	}
	for _, p := range cross.Pairs {
		if (p[0] < c.firstB) == (p[1] < c.firstB) {
			return nil, errOpen // one of them crosses itself
		}
		if err := c.cut(p[0], p[1]); err != nil {
			return nil, err
		}
	}
	var kept mesh.Mesh
	kept.Vertices = c.m.Vertices
	for _, own := range [2]bool{true, false} {
		tris, err := c.split(own)
		if err != nil {
			return nil, err
		}
		kept.Triangles = append(kept.Triangles, c.outside(tris, own)...)
	}
	var out []*mesh.Mesh
	for _, back := range [2]bool{false, true} {
		if back { // the cut is made: the second body goes where it was
			copy(kept.Vertices[len(a.Vertices):], b.Vertices)
		}
		for _, r := range [2]float64{0, settleNudges * nudge.Len()} {
			if m, ok := settled(&kept, r); ok {
				out = append(out, m)
			}
		}
	}
	if len(out) == 0 {
		return nil, errOpen
	}
	return out, nil
}

// settled draws corners together that are nearer than reach, rounds them to
// float32, and drops what loses its area by that. It gives false if the surface
// is not closed then.
func settled(m *mesh.Mesh, reach float64) (*mesh.Mesh, bool) {
	out := compact(m)
	if reach > 0 {
		out = weldAll(out, reach)
	}
	for i, v := range out.Vertices {
		out.Vertices[i] = mesh.Vec3{X: float64(float32(v.X)), Y: float64(float32(v.Y)), Z: float64(float32(v.Z))}
	}
	mesh.MergeEqual(out)
	out, _ = dropFlat(out)
	out, _ = dropDuplicates(out)
	out = compact(out)
	t := mesh.TopologyOf(out)
	return out, t.Closed() && t.Oriented() && len(out.Triangles) > 0
}

// weldAll draws every vertex onto the first one within reach.
func weldAll(m *mesh.Mesh, reach float64) *mesh.Mesh {
	g := newGrid(reach)
	to := make([]uint32, len(m.Vertices))
	for i, v := range m.Vertices {
		to[i] = uint32(i)
		best := math.Inf(1)
		g.near(v, func(o uint32) {
			if d := m.Vertices[o].Sub(v).Len(); d <= reach && d < best {
				to[i], best = o, d
			}
		})
		if to[i] == uint32(i) {
			g.add(v, uint32(i))
		}
	}
	out := &mesh.Mesh{Vertices: m.Vertices}
	for _, t := range m.Triangles {
		w := [3]uint32{to[t[0]], to[t[1]], to[t[2]]}
		if w[0] != w[1] && w[1] != w[2] && w[2] != w[0] {
			out.Triangles = append(out.Triangles, w)
		}
	}
	return out
}

// cut finds the line along which two triangles cross: its two ends are where an
// edge of one goes through the other.
func (c *cutter) cut(s, t int32) error {
	var ends []uint32
	for _, p := range [2][2]int32{{s, t}, {t, s}} {
		tri, other := c.m.Triangles[p[0]], c.m.Triangles[p[1]]
		q := [3]*mesh.Vec3{&c.m.Vertices[other[0]], &c.m.Vertices[other[1]], &c.m.Vertices[other[2]]}
		var side [3]int
		for k := range 3 {
			if side[k] = mesh.Orient3(q[0], q[1], q[2], &c.m.Vertices[tri[k]]); side[k] == 0 {
				return errTouch
			}
		}
		for k := range 3 {
			l := (k + 1) % 3
			if side[k] == side[l] {
				continue
			}
			a, b := min(tri[k], tri[l]), max(tri[k], tri[l])
			pa, pb := &c.m.Vertices[a], &c.m.Vertices[b]
			u, v, w := mesh.Orient3(pa, pb, q[0], q[1]), mesh.Orient3(pa, pb, q[1], q[2]), mesh.Orient3(pa, pb, q[2], q[0])
			if u == 0 || v == 0 || w == 0 {
				return errTouch
			}
			if u == v && v == w {
				ends = append(ends, c.corner(crossing{a, b, p[1]}, q))
			}
		}
	}
	if len(ends) != 2 || ends[0] == ends[1] {
		return errOpen
	}
	for _, x := range [2]int32{s, t} {
		c.inside[x] = append(c.inside[x], [2]uint32{ends[0], ends[1]})
	}
	c.seam[[2]uint32{min(ends[0], ends[1]), max(ends[0], ends[1])}] = true
	return nil
}

// corner gives the vertex of a crossing, computed once.
func (c *cutter) corner(x crossing, q [3]*mesh.Vec3) uint32 {
	if n, ok := c.points[x]; ok {
		return n
	}
	a, b := c.m.Vertices[x.a], c.m.Vertices[x.b]
	normal := q[1].Sub(*q[0]).Cross(q[2].Sub(*q[0]))
	da, db := a.Sub(*q[0]).Dot(normal), b.Sub(*q[0]).Dot(normal)
	f := 0.5
	if da != db {
		f = min(1, max(0, da/(da-db)))
	}
	n := uint32(len(c.m.Vertices))
	c.m.Vertices = append(c.m.Vertices, a.Add(b.Sub(a).Scale(f)))
	c.points[x] = n
	e := [2]uint32{x.a, x.b}
	c.onEdge[e] = append(c.onEdge[e], n)
	return n
}

// along gives the corners on an edge from a to b, in that order.
func (c *cutter) along(a, b uint32) []uint32 {
	on := c.onEdge[[2]uint32{min(a, b), max(a, b)}]
	if len(on) == 0 {
		return nil
	}
	out := slices.Clone(on)
	from := c.m.Vertices[min(a, b)]
	dir := c.m.Vertices[max(a, b)].Sub(from)
	slices.SortStableFunc(out, func(x, y uint32) int {
		return cmp.Compare(c.m.Vertices[x].Sub(from).Dot(dir), c.m.Vertices[y].Sub(from).Dot(dir))
	})
	if a > b {
		slices.Reverse(out)
	}
	return out
}

// split gives the triangles of one body, those that are crossed in pieces.
func (c *cutter) split(first bool) ([][3]uint32, error) {
	lo, hi := int32(0), c.firstB
	if !first {
		lo, hi = c.firstB, int32(len(c.m.Triangles))
	}
	var out [][3]uint32
	for i := lo; i < hi; i++ {
		t := c.m.Triangles[i]
		if len(c.inside[i]) == 0 {
			if len(c.along(t[0], t[1]))+len(c.along(t[1], t[2]))+len(c.along(t[2], t[0])) > 0 {
				return nil, errOpen
			}
			out = append(out, t)
			continue
		}
		pieces, err := c.pieces(t, c.inside[i])
		if err != nil {
			return nil, err
		}
		out = append(out, pieces...)
	}
	return out, nil
}

// pieces cuts a triangle along lines. The lines and the triangle's own border
// make a plane graph; its faces are walked by turning sharpest to the left at
// each corner, faces that run clockwise are holes of the one around them, and
// each face with its holes is cut into triangles.
func (c *cutter) pieces(t [3]uint32, lines [][2]uint32) ([][3]uint32, error) {
	p, q, r := c.m.Vertices[t[0]], c.m.Vertices[t[1]], c.m.Vertices[t[2]]
	normal := q.Sub(p).Cross(r.Sub(p))
	flat := map[uint32]mesh.P2{}
	at := func(v uint32) mesh.P2 {
		f, ok := flat[v]
		if !ok {
			f = mesh.Onto(c.m.Vertices[v], normal)
			flat[v] = f
		}
		return f
	}
	next := map[uint32][]uint32{} // directed edges by their start
	add := func(a, b uint32) { next[a] = append(next[a], b) }
	var order [][2]uint32 // the same, in the order they were made
	both := func(a, b uint32) { add(a, b); order = append(order, [2]uint32{a, b}) }
	for k := range 3 {
		path := append([]uint32{t[k]}, c.along(t[k], t[(k+1)%3])...)
		path = append(path, t[(k+1)%3])
		for i := range path[1:] {
			both(path[i], path[i+1])
		}
	}
	for _, l := range lines {
		both(l[0], l[1])
		both(l[1], l[0])
	}
	used := map[[2]uint32]bool{}
	var faces, holes [][]uint32
	for _, e := range order {
		if used[e] {
			continue
		}
		var ring []uint32
		for a, b := e[0], e[1]; !used[[2]uint32{a, b}]; {
			used[[2]uint32{a, b}] = true
			ring = append(ring, a)
			from, here := at(a), at(b)
			back := math.Atan2(from.Y-here.Y, from.X-here.X)
			best, bestTurn, found := uint32(0), math.Inf(1), false
			for _, o := range next[b] {
				if o == a && len(next[b]) > 1 {
					continue
				}
				to := at(o)
				turn := back - math.Atan2(to.Y-here.Y, to.X-here.X)
				for turn <= 0 {
					turn += 2 * math.Pi
				}
				if turn < bestTurn {
					best, bestTurn, found = o, turn, true
				}
			}
			if !found || len(ring) > len(order) {
				return nil, errOpen
			}
			a, b = b, best
		}
		if ringArea(ring, at) >= 0 {
			faces = append(faces, ring)
		} else {
			holes = append(holes, ring)
		}
	}
	return c.triangulate(faces, holes, at)
}

func ringArea(ring []uint32, at func(uint32) mesh.P2) float64 {
	a := 0.0
	o := at(ring[0])
	for i, v := range ring {
		p, q := at(v), at(ring[(i+1)%len(ring)])
		a += (p.X-o.X)*(q.Y-o.Y) - (p.Y-o.Y)*(q.X-o.X)
	}
	return a
}

func (c *cutter) triangulate(faces, holes [][]uint32, at func(uint32) mesh.P2) ([][3]uint32, error) {
	of := make([][][]uint32, len(faces))
	for _, h := range holes {
		best := -1
		for i, f := range faces {
			if !slices.Contains(f, h[0]) && insideRing(at(h[0]), f, at) && (best < 0 || ringArea(f, at) < ringArea(faces[best], at)) {
				best = i
			}
		}
		if best < 0 {
			return nil, errOpen
		}
		of[best] = append(of[best], h)
	}
	var out [][3]uint32
	for i, f := range faces {
		var pts []mesh.P2
		var names []uint32
		var rings [][2]int
		for _, ring := range append([][]uint32{f}, of[i]...) {
			from := len(pts)
			for _, v := range ring {
				pts, names = append(pts, at(v)), append(names, v)
			}
			rings = append(rings, [2]int{from, len(pts)})
		}
		if len(f) < 3 {
			return nil, errOpen
		}
		for _, x := range mesh.EarCut(pts, rings) {
			out = append(out, [3]uint32{names[x[0]], names[x[1]], names[x[2]]})
		}
	}
	return out, nil
}

func insideRing(p mesh.P2, ring []uint32, at func(uint32) mesh.P2) bool {
	in := false
	for i, v := range ring {
		a, b := at(v), at(ring[(i+1)%len(ring)])
		if (a.Y > p.Y) != (b.Y > p.Y) && p.X < a.X+(p.Y-a.Y)/(b.Y-a.Y)*(b.X-a.X) {
			in = !in
		}
	}
	return in
}

// outside keeps the connected patches of one body, bounded by the seam, that lie
// outside of the other.
func (c *cutter) outside(tris [][3]uint32, first bool) [][3]uint32 {
	m := &mesh.Mesh{Vertices: c.m.Vertices, Triangles: tris}
	topo := mesh.TopologyOf(m)
	other := c.m.Triangles[c.firstB:]
	if !first {
		other = c.m.Triangles[:c.firstB]
	}
	seen := make([]bool, len(tris))
	var out [][3]uint32
	for i := range tris {
		if seen[i] {
			continue
		}
		patch := []int32{int32(i)}
		seen[i] = true
		largest, area := int32(i), -1.0
		for k := 0; k < len(patch); k++ {
			t := patch[k]
			v := tris[t]
			if a := m.Vertices[v[1]].Sub(m.Vertices[v[0]]).Cross(m.Vertices[v[2]].Sub(m.Vertices[v[0]])).Len(); a > area {
				largest, area = t, a
			}
			for s := range int32(3) {
				a, b := v[s], v[(s+1)%3]
				mate := topo.Mate[3*t+s]
				if mate < 0 || seen[mate/3] || c.seam[[2]uint32{min(a, b), max(a, b)}] {
					continue
				}
				seen[mate/3] = true
				patch = append(patch, mate/3)
			}
		}
		v := tris[largest]
		mid := m.Vertices[v[0]].Add(m.Vertices[v[1]]).Add(m.Vertices[v[2]]).Scale(1. / 3)
		w := 0.0
		for _, o := range other {
			w += mesh.SolidAngle(c.m.Vertices[o[0]].Sub(mid), c.m.Vertices[o[1]].Sub(mid), c.m.Vertices[o[2]].Sub(mid))
		}
		if math.Abs(w) > 2*math.Pi {
			continue // inside the other
		}
		for _, t := range patch {
			out = append(out, tris[t])
		}
	}
	return out
}
