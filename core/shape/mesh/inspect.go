package mesh

import (
	"context"
	"math"
	"slices"
)

// Report is everything that can be wrong with a surface, with its places.
type Report struct {
	Topology *Topology
	Measures Measures
	Bodies   []Body
	// Loops are the rims of holes, longest first.
	Loops []Loop
	// Degenerate are the triangles without area, Duplicate those that repeat an
	// earlier one's three vertices, whichever way they run.
	Degenerate, Duplicate []int32
	Crossings             Crossings
	// Overlaps are pairs of bodies, the lower first, whose surfaces cross or of
	// which one lies inside the other with no cavity between.
	Overlaps []Overlap
	// Touching are pairs of bodies that meet in faces, edges or corners only; what
	// meets there is not among the crossings.
	Touching []Overlap
}

// Body is one connected piece of surface.
type Body struct {
	Triangles int
	Bounds    Box
	Volume    float64 // signed
	Area      float64
	Closed    bool // no open edge; Volume means something then
	// InsideOut: the body is closed and faces inwards, and is no cavity.
	InsideOut bool
	// Cavity: it faces inwards and lies inside another body.
	Cavity bool
	// Debris: it has less than debrisShare of the largest body's extent.
	Debris bool
	first  int32 // its first triangle
}

// Overlap is two bodies that take up the same space, or touch.
type Overlap struct {
	A, B int32
	// Pairs counts the triangles that meet; none if one lies wholly inside.
	Pairs int
	At    Vec3
}

// Loop is the rim of a hole.
type Loop struct {
	// Vertices run along the open edges as the missing faces would.
	Vertices []uint32
	Length   float64
	Area     float64 // of the surface that would close it, seen along its normal
	// Loose: the open edges do not close to a loop; that happens only where
	// edges have more than two faces.
	Loose bool
}

// debrisShare: bodies smaller than this in every direction, against the largest,
// are crumbs of a scan or of a cut (common practice, no source).
const debrisShare = 0.01

// Inspect makes every check. Where the surface is huge the search for crossings
// takes longest. The only error is ctx's.
func Inspect(ctx context.Context, m *Mesh) (*Report, error) {
	r := &Report{Topology: TopologyOf(m), Measures: m.Measure()}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	r.flat(m)
	r.Loops = Rims(m, r.Topology)
	r.bodies(m)
	tree := NewTree(m)
	var err error
	if r.Crossings, err = tree.Crossings(ctx); err != nil {
		return nil, err
	}
	r.nest(m)
	return r, ctx.Err()
}

// FaultyTriangles are those without area, and those that are there before in other order.
func FaultyTriangles(m *Mesh) (degenerate, duplicate []int32) {
	r := &Report{Topology: TopologyOf(m)}
	r.flat(m)
	return r.Degenerate, r.Duplicate
}

// NestingOf tells of a mesh's bodies and of how they lie in each other, and nothing else.
func NestingOf(m *Mesh) *Report {
	r := &Report{Topology: TopologyOf(m), Measures: m.Measure()}
	r.bodies(m)
	r.nest(m)
	return r
}

// Crosses says that the surface crosses itself.
func (r *Report) Crosses() bool { return r.Crossings.Count > 0 }

// Sound says that there is nothing to mend.
func (r *Report) Sound() bool {
	if !r.Topology.Closed() || !r.Topology.Oriented() || len(r.Degenerate)+len(r.Duplicate) > 0 || r.Crosses() || len(r.Overlaps) > 0 {
		return false
	}
	return !slices.ContainsFunc(r.Bodies, func(b Body) bool { return b.InsideOut })
}

// Sorted3 is three numbers in rising order.
func Sorted3(t [3]uint32) [3]uint32 {
	if t[0] > t[1] {
		t[0], t[1] = t[1], t[0]
	}
	if t[1] > t[2] {
		t[1], t[2] = t[2], t[1]
	}
	if t[0] > t[1] {
		t[0], t[1] = t[1], t[0]
	}
	return t
}

// flat collects triangles without area and duplicates. A duplicate shares all
// its edges with its twin, so its edges have more than two faces, or its three
// mates are one triangle.
func (r *Report) flat(m *Mesh) {
	suspects := map[[3]uint32][]int32{}
	seen := map[int32]bool{}
	suspect := func(t int32) {
		if !seen[t] {
			seen[t] = true
			k := Sorted3(m.Triangles[t])
			suspects[k] = append(suspects[k], t)
		}
	}
	for _, f := range r.Topology.Faults {
		if f.Kind == SharedEdge {
			suspect(f.Side / 3)
		}
	}
	for i, t := range m.Triangles {
		if FlatTriangle(m, t) {
			r.Degenerate = append(r.Degenerate, int32(i))
			continue
		}
		a, b := r.Topology.Mate[3*i], r.Topology.Mate[3*i+1]
		if a >= 0 && b >= 0 && a/3 == b/3 {
			suspect(int32(i))
			suspect(a / 3)
		}
	}
	for _, same := range suspects {
		slices.Sort(same)
		r.Duplicate = append(r.Duplicate, same[1:]...)
	}
	slices.Sort(r.Duplicate)
}

func (r *Report) bodies(m *Mesh) {
	t := r.Topology
	r.Bodies = make([]Body, t.Bodies)
	mid := r.Measures.Bounds.Min.Add(r.Measures.Bounds.Max).Scale(0.5)
	inf := math.Inf(1)
	for i := range r.Bodies {
		r.Bodies[i] = Body{Closed: true, first: -1, Bounds: Box{Vec3{inf, inf, inf}, Vec3{-inf, -inf, -inf}}}
	}
	for i, tri := range m.Triangles {
		if t.Body[i] < 0 {
			continue
		}
		b := &r.Bodies[t.Body[i]]
		if b.first < 0 {
			b.first = int32(i)
		}
		p, q, s := m.Vertices[tri[0]], m.Vertices[tri[1]], m.Vertices[tri[2]]
		n := q.Sub(p).Cross(s.Sub(p))
		b.Triangles++
		b.Area += n.Len() / 2
		b.Volume += p.Sub(mid).Dot(n) / 6
		b.Bounds.Min = Vec3{min(b.Bounds.Min.X, p.X, q.X, s.X), min(b.Bounds.Min.Y, p.Y, q.Y, s.Y), min(b.Bounds.Min.Z, p.Z, q.Z, s.Z)}
		b.Bounds.Max = Vec3{max(b.Bounds.Max.X, p.X, q.X, s.X), max(b.Bounds.Max.Y, p.Y, q.Y, s.Y), max(b.Bounds.Max.Z, p.Z, q.Z, s.Z)}
		for k := range 3 {
			if t.Mate[3*i+k] < 0 {
				b.Closed = false
			}
		}
	}
	largest := 0.0
	for _, b := range r.Bodies {
		largest = max(largest, b.Bounds.Size().Len())
	}
	for i := range r.Bodies {
		r.Bodies[i].Debris = r.Bodies[i].Bounds.Size().Len() < debrisShare*largest
	}
}

// SolidAngle is the signed solid angle of a triangle seen from the origin (van
// Oosterom & Strackee 1983); 4π around a closed surface seen from inside, 0 from
// outside.
func SolidAngle(a, b, c Vec3) float64 {
	la, lb, lc := a.Len(), b.Len(), c.Len()
	return 2 * math.Atan2(a.Dot(b.Cross(c)), la*lb*lc+a.Dot(b)*lc+b.Dot(c)*la+c.Dot(a)*lb)
}

// Rims links open half-edges to loops. Where several rims meet in a vertex they
// are parted so that each loop passes it once, if that can be.
func Rims(m *Mesh, t *Topology) []Loop {
	var sides []int32
	for he, mate := range t.Mate {
		if mate < 0 {
			v := m.Triangles[he/3]
			if v[0] != v[1] && v[1] != v[2] && v[2] != v[0] {
				sides = append(sides, int32(he))
			}
		}
	}
	// The missing face runs the edge the other way: from its end to its start.
	next := map[uint32][]int32{}
	for i := len(sides) - 1; i >= 0; i-- {
		_, to := Ends(m, sides[i])
		next[to] = append(next[to], sides[i])
	}
	used := map[int32]bool{}
	var out []Loop
	for _, s := range sides {
		if used[s] {
			continue
		}
		var path []int32
		place := map[uint32]int{} // vertex → number of path steps before it
		for at := s; ; {
			used[at] = true
			to, from := Ends(m, at)
			if _, ok := place[from]; !ok {
				place[from] = len(path)
			}
			path = append(path, at)
			if k, ok := place[to]; ok { // a loop is closed
				out = append(out, loopOf(m, path[k:]))
				for _, x := range path[k:] {
					_, v := Ends(m, x)
					delete(place, v)
				}
				path = path[:k]
				if len(path) == 0 {
					break
				}
				place[to] = k
			}
			found := false
			list := next[to]
			for len(list) > 0 && !found {
				at, list = list[len(list)-1], list[:len(list)-1]
				found = !used[at]
			}
			next[to] = list
			if !found { // a rim with a loose end (around shared edges)
				l := loopOf(m, path)
				l.Loose = true
				out = append(out, l)
				break
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Loop) int {
		switch {
		case a.Length > b.Length:
			return -1
		case a.Length < b.Length:
			return 1
		}
		return 0
	})
	return out
}

// Ends gives a half-edge's start and end.
func Ends(m *Mesh, he int32) (from, to uint32) {
	t := m.Triangles[he/3]
	return t[he%3], t[(he+1)%3]
}

func loopOf(m *Mesh, sides []int32) Loop {
	l := Loop{Vertices: make([]uint32, len(sides))}
	var n Vec3
	var first Vec3
	for i, s := range sides {
		a, b := Ends(m, s)
		l.Vertices[i] = b
		p, q := m.Vertices[b], m.Vertices[a]
		l.Length += q.Sub(p).Len()
		if i == 0 {
			first = p
		}
		n = n.Add(p.Sub(first).Cross(q.Sub(first)))
	}
	l.Area = n.Len() / 2
	return l
}
