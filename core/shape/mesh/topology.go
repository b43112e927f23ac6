package mesh

import (
	"cmp"
	"math"
	"slices"
)

// Topology says how the triangles of a mesh meet along edges.
//
// A half-edge is one side of one triangle: number 3t+k runs from corner k of
// triangle t to corner k+1. Triangles that use a vertex twice have no edges
// here; they cover nothing and are counted in Degenerate.
type Topology struct {
	// Mate is, for each half-edge, the half-edge across from it, or -1 at an
	// open edge. Around an edge with more than two faces the opposite runs are
	// paired, so that walking across edges still closes where it can.
	Mate []int32
	// Boundary counts edges with one face, NonManifold those with more than
	// two, Misoriented those whose two faces run the same way.
	Boundary, NonManifold, Misoriented int
	// Degenerate counts triangles that use a vertex twice.
	Degenerate int
	// Body is the number of each triangle's body (triangles joined over edges),
	// counted from 0 in the order of first triangles; -1 for degenerate ones.
	Body   []int32
	Bodies int
	// Faults are the edges that do not have two faces running opposite ways, in
	// the order of their vertices, an edge of more than two once for each; at
	// most maxFaults of them.
	Faults []Fault
}

// EdgeKind says how many faces an edge has and how they run.
type EdgeKind uint8

// The kinds of edges that are at fault.
const (
	OpenEdge   EdgeKind = iota // one face
	SharedEdge                 // more than two
	TurnedEdge                 // two that run the same way
)

// Fault is an edge at fault, by its vertices; Side is a half-edge on it.
type Fault struct {
	A, B uint32
	Side int32
	Kind EdgeKind
}

const maxFaults = 4_000_000

// Closed says that every edge has exactly two faces.
func (t *Topology) Closed() bool { return t.Boundary == 0 && t.NonManifold == 0 }

// Oriented says that no two neighbours face opposite ways.
func (t *Topology) Oriented() bool { return t.Misoriented == 0 }

// side is a half-edge filed under its lower vertex: the other vertex, and the
// half-edge's number with its direction in the lowest bit (0: upwards).
type side struct {
	hi uint32
	he uint32
}

// TopologyOf pairs all half-edges in time linear in their number: half-edges
// are filed by their lower vertex (counting sort), and each file, six long on
// average in a closed mesh, is sorted by the upper vertex. It holds 24 bytes a
// half-edge at its peak and needs m to be valid. At most 7·10^8 triangles: half-edges
// and their direction share 32 bits.
func TopologyOf(m *Mesh) *Topology {
	n := len(m.Triangles)
	t := &Topology{Mate: make([]int32, 3*n), Body: make([]int32, n)}
	start := make([]uint32, len(m.Vertices)+2)
	for _, v := range m.Triangles {
		if v[0] == v[1] || v[1] == v[2] || v[2] == v[0] {
			t.Degenerate++
			continue
		}
		start[min(v[0], v[1])+2]++
		start[min(v[1], v[2])+2]++
		start[min(v[2], v[0])+2]++
	}
	for i := 2; i < len(start); i++ {
		start[i] += start[i-1]
	}
	sides := make([]side, 3*(n-t.Degenerate))
	for i, v := range m.Triangles {
		if v[0] == v[1] || v[1] == v[2] || v[2] == v[0] {
			t.Mate[3*i], t.Mate[3*i+1], t.Mate[3*i+2] = -1, -1, -1
			continue
		}
		for k := 0; k < 3; k++ {
			a, b := v[k], v[(k+1)%3]
			he := uint32(3*i+k) << 1
			if a > b {
				a, b, he = b, a, he|1
			}
			p := &start[a+1]
			sides[*p] = side{b, he}
			*p++
		}
	}
	for v := range m.Vertices {
		t.pair(m, uint32(v), sides[start[v]:start[v+1]])
	}
	t.label(m, n)
	return t
}

// pair sorts the half-edges of one lower vertex by their upper vertex and joins
// those of equal edges.
func (t *Topology) pair(m *Mesh, v uint32, s []side) {
	sortSides(s)
	for i := 0; i < len(s); {
		j := i + 1
		for j < len(s) && s[j].hi == s[i].hi {
			j++
		}
		t.join(m, v, s[i:j])
		i = j
	}
}

// join mates the half-edges of one edge and counts what kind of edge it is. Where
// more than two faces meet, those are mated that have solid between them: then
// bodies that share an edge or a face stay bodies of their own.
func (t *Topology) join(m *Mesh, v uint32, s []side) {
	switch len(s) {
	case 1:
		t.Boundary++
		t.fault(v, s[0], OpenEdge)
		t.Mate[s[0].he>>1] = -1
		return
	case 2:
		if (s[0].he^s[1].he)&1 == 0 {
			t.Misoriented++
			t.fault(v, s[0], TurnedEdge)
		}
		t.mate(s[0], s[1])
		return
	}
	t.NonManifold++
	for _, x := range s {
		t.fault(v, x, SharedEdge)
	}
	rest := t.wedges(m, v, s)
	for ; len(rest) > 1; rest = rest[2:] {
		t.mate(rest[0], rest[1])
	}
	if len(rest) == 1 {
		t.Mate[rest[0].he>>1] = -1
	}
}

// sameAngle is how near, in radians, faces around an edge must be to lie on each
// other: rounding of float32 corners.
const sameAngle = 1e-5

// wedges mates half-edges of a shared edge around it: faces that run it upwards
// have their solid on the side of lesser angle, the others on that of greater. So
// going round, each of the latter is an opening bracket, each of the former a
// closing one. It gives what finds no mate.
func (t *Topology) wedges(m *Mesh, v uint32, s []side) (rest []side) {
	from, to := m.Vertices[v], m.Vertices[s[0].hi]
	axis := to.Sub(from)
	x := Vec3{X: 1}
	if ax, ay, az := math.Abs(axis.X), math.Abs(axis.Y), math.Abs(axis.Z); ax >= ay && ax >= az {
		x = Vec3{Y: 1}
	}
	y := axis.Cross(x)
	x = y.Cross(axis)
	if l := x.Len(); l > 0 {
		x = x.Scale(1 / l)
	}
	if l := y.Len(); l > 0 {
		y = y.Scale(1 / l)
	}
	type around struct {
		side
		angle float64
		up    bool
	}
	ring := make([]around, len(s))
	for i, e := range s {
		he := e.he >> 1
		third := m.Vertices[m.Triangles[he/3][(he+2)%3]].Sub(from)
		ring[i] = around{e, math.Atan2(third.Dot(y), third.Dot(x)), e.he&1 == 0}
	}
	slices.SortStableFunc(ring, func(a, b around) int { return cmp.Compare(a.angle, b.angle) })
	// Faces that lie on each other: first those that close, the last filed first.
	for i := 0; i < len(ring); {
		j := i + 1
		for j < len(ring) && ring[j].angle-ring[i].angle < sameAngle {
			j++
		}
		slices.SortStableFunc(ring[i:j], func(a, b around) int {
			switch {
			case a.up != b.up && a.up:
				return -1
			case a.up != b.up:
				return 1
			case a.up:
				return int(int64(b.he) - int64(a.he))
			}
			return int(int64(a.he) - int64(b.he))
		})
		i = j
	}
	var open []side
	done := make([]bool, len(ring))
	for k := range 2 * len(ring) {
		i := k % len(ring)
		switch e := ring[i]; {
		case done[i]:
		case !e.up:
			if k < len(ring) {
				open = append(open, e.side)
			}
			done[i] = true
		case len(open) > 0:
			t.mate(open[len(open)-1], e.side)
			open = open[:len(open)-1]
			done[i] = true
		}
	}
	for i, e := range ring {
		if !done[i] {
			rest = append(rest, e.side)
		}
	}
	return append(rest, open...)
}

func (t *Topology) fault(v uint32, s side, k EdgeKind) {
	if len(t.Faults) < maxFaults {
		t.Faults = append(t.Faults, Fault{v, s.hi, int32(s.he >> 1), k})
	}
}

func (t *Topology) mate(a, b side) {
	t.Mate[a.he>>1], t.Mate[b.he>>1] = int32(b.he>>1), int32(a.he>>1)
}

// sortSides orders by upper vertex, then half-edge: insertion for the usual
// handful, heapsort where thousands of edges meet in one vertex, so that a fan
// of any size stays n log n.
func sortSides(s []side) {
	less := func(a, b side) bool { return a.hi < b.hi || a.hi == b.hi && a.he < b.he }
	if len(s) <= 24 {
		for i := 1; i < len(s); i++ {
			x, j := s[i], i
			for ; j > 0 && less(x, s[j-1]); j-- {
				s[j] = s[j-1]
			}
			s[j] = x
		}
		return
	}
	sift := func(root, end int) {
		for {
			child := 2*root + 1
			if child >= end {
				return
			}
			if child+1 < end && less(s[child], s[child+1]) {
				child++
			}
			if !less(s[root], s[child]) {
				return
			}
			s[root], s[child] = s[child], s[root]
			root = child
		}
	}
	for i := len(s)/2 - 1; i >= 0; i-- {
		sift(i, len(s))
	}
	for i := len(s) - 1; i > 0; i-- {
		s[0], s[i] = s[i], s[0]
		sift(0, i)
	}
}

// label numbers the bodies by walking across mates. Around an edge with more
// than two faces the pairs may leave bodies apart that only touch there.
func (t *Topology) label(m *Mesh, n int) {
	for i := range t.Body {
		t.Body[i] = -1
	}
	var stack []int32
	for i := 0; i < n; i++ {
		v := m.Triangles[i]
		if t.Body[i] >= 0 || v[0] == v[1] || v[1] == v[2] || v[2] == v[0] {
			continue
		}
		body := int32(t.Bodies)
		t.Bodies++
		t.Body[i] = body
		stack = append(stack[:0], int32(i))
		for len(stack) > 0 {
			x := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			for k := int32(0); k < 3; k++ {
				if o := t.Mate[3*x+k]; o >= 0 && t.Body[o/3] < 0 {
					t.Body[o/3] = body
					stack = append(stack, o/3)
				}
			}
		}
	}
}
