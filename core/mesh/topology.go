package mesh

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
// half-edge at its peak and needs m to be valid. At most 2^30 triangles.
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
		t.pair(uint32(v), sides[start[v]:start[v+1]])
	}
	t.label(m, n)
	return t
}

// pair sorts the half-edges of one lower vertex by their upper vertex and joins
// those of equal edges.
func (t *Topology) pair(v uint32, s []side) {
	sortSides(s)
	for i := 0; i < len(s); {
		j := i + 1
		for j < len(s) && s[j].hi == s[i].hi {
			j++
		}
		t.join(v, s[i:j])
		i = j
	}
}

// join mates the half-edges of one edge, first in opposite directions, then
// what is left in twos, and counts what kind of edge it is.
func (t *Topology) join(v uint32, s []side) {
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
	var up, down []side
	for _, x := range s {
		if x.he&1 == 0 {
			up = append(up, x)
		} else {
			down = append(down, x)
		}
	}
	for len(up) > 0 && len(down) > 0 {
		t.mate(up[0], down[0])
		up, down = up[1:], down[1:]
	}
	rest := append(up, down...)
	for ; len(rest) > 1; rest = rest[2:] {
		t.mate(rest[0], rest[1])
	}
	if len(rest) == 1 {
		t.Mate[rest[0].he>>1] = -1
	}
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
