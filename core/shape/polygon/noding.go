package polygon

import (
	"math/bits"
	"slices"
)

// Noding makes of any set of edges one in which no two cross and none passes
// through the end of another, by snap rounding: every end and every crossing,
// rounded to whole micrometres, is a hot pixel, and every edge is bent through
// the middle of every hot pixel it passes (Hobby 1999, "Practical segment
// intersection with finite precision output"; Guibas & Marimont 1998). Bent
// edges meet only in such middles, so that one pass is enough; a second one looks
// whether that is so, and goes on while anything is left, at most maxRounds.
//
// Which edges to hold against each other is told by a tree of boxes over runs of
// consecutive edges: outlines are long and local. Only where there are many
// outlines are the runs sorted along a Morton curve.

// edge runs from a to b. Its weights say how the winding number of subject and
// clip grows from its right to its left.
type edge struct {
	a, b   Point
	weight [2]int32
	line   int32 // of an open line: its number + 1; weights are 0 then
}

// runLength is how many consecutive edges share a leaf.
const runLength = 6

// maxRounds bounds the passes; one does the work, one looks.
const maxRounds = 8

// boxTree holds boxes by levels: the leaves first, each level half the one below.
type boxTree struct {
	boxes  []Box
	levels []int // where each level starts; the last entry is the end
	// stairs says of a leaf that its edges follow each other, all going the same
	// way in x and in y: the boxes of any two meet in a corner at most.
	stairs []bool
	// starts is the first edge of each run, and the end; a run ends where the next
	// edge does not go on from it.
	starts []int32
	// fresh says of a box that an edge in it was bent in the round before: others have
	// been held against each other already. In the first round all are fresh.
	fresh []bool
	// run is the number of the run of edges at each leaf, if they are sorted.
	run  []int32
	keys []uint64
}

// sortFrom is from how many runs on the leaves are sorted, if there are many
// outlines too.
const (
	sortFrom  = 64
	manyPaths = 12
)

// build makes the tree; bent says which edges are fresh, nil that all are.
func (t *boxTree) build(edges []edge, bent []bool, paths int) {
	t.boxes, t.levels, t.stairs = t.boxes[:0], append(t.levels[:0], 0), t.stairs[:0]
	t.starts, t.fresh = t.starts[:0], t.fresh[:0]
	for i := 0; i < len(edges); {
		t.starts = append(t.starts, int32(i))
		b := edges[i].box()
		east, north := edges[i].b.X >= edges[i].a.X, edges[i].b.Y >= edges[i].a.Y
		stairs := true
		k := i + 1
		for ; k < min(i+runLength, len(edges)) && edges[k].a == edges[k-1].b; k++ {
			e := &edges[k]
			b.Add(e.box())
			stairs = stairs && (e.b.X >= e.a.X) == east && (e.b.Y >= e.a.Y) == north
		}
		t.boxes, t.stairs = append(t.boxes, b), append(t.stairs, stairs)
		t.fresh = append(t.fresh, bent == nil || slices.Contains(bent[i:k], true))
		i = k
	}
	t.starts = append(t.starts, int32(len(edges)))
	t.run = t.run[:0]
	if paths >= manyPaths && len(t.boxes) >= sortFrom {
		t.arrange()
	}
	for from := 0; len(t.boxes)-from > 1; {
		end := len(t.boxes)
		t.levels = append(t.levels, end)
		for i := from; i < end; i += 2 {
			b, fresh := t.boxes[i], t.fresh[i]
			if i+1 < end {
				b.Add(t.boxes[i+1])
				fresh = fresh || t.fresh[i+1]
			}
			t.boxes, t.fresh = append(t.boxes, b), append(t.fresh, fresh)
		}
		from = end
	}
	t.levels = append(t.levels, len(t.boxes))
}

// arrange sorts the leaves along a Morton curve of their middles.
func (t *boxTree) arrange() {
	all := t.boxes[0]
	for _, b := range t.boxes {
		all.Add(b)
	}
	shift := 0
	for max(all.MaxX-all.MinX, all.MaxY-all.MinY)>>shift > 0xffff {
		shift++
	}
	t.keys = grown(t.keys, len(t.boxes))
	for i, b := range t.boxes {
		x, y := uint64((b.MinX+b.MaxX)/2-all.MinX)>>shift, uint64((b.MinY+b.MaxY)/2-all.MinY)>>shift
		t.keys[i] = (spread(x)|spread(y)<<1)<<32 | uint64(i)
	}
	slices.Sort(t.keys)
	t.run = grown(t.run, len(t.boxes))
	n := len(t.boxes)
	for _, k := range t.keys { // the sorted ones behind, then forward
		t.boxes, t.fresh = append(t.boxes, t.boxes[uint32(k)]), append(t.fresh, t.fresh[uint32(k)])
	}
	copy(t.boxes, t.boxes[n:])
	copy(t.fresh, t.fresh[n:])
	t.boxes, t.fresh = t.boxes[:n], t.fresh[:n]
	for i, k := range t.keys {
		t.run[i] = int32(uint32(k))
	}
}

// spread puts a zero bit between the lowest sixteen.
func spread(x uint64) uint64 {
	x &= 0xffff
	x = (x | x<<8) & 0x00ff00ff
	x = (x | x<<4) & 0x0f0f0f0f
	x = (x | x<<2) & 0x33333333
	return (x | x<<1) & 0x55555555
}

// edges gives the run at a leaf and its range of edges.
func (t *boxTree) edges(leaf int) (run, lo, hi int) {
	if len(t.run) > 0 {
		leaf = int(t.run[leaf])
	}
	return leaf, int(t.starts[leaf]), int(t.starts[leaf+1])
}

func (t *boxTree) top() int { return len(t.levels) - 2 }

// count is how many boxes a level has.
func (t *boxTree) count(level int) int { return t.levels[level+1] - t.levels[level] }

func (t *boxTree) at(level, i int) *Box { return &t.boxes[t.levels[level]+i] }

func (t *boxTree) isFresh(level, i int) bool { return t.fresh[t.levels[level]+i] }

// node is a place where an edge is to be bent.
type node struct {
	edge int32
	p    Point
}

// noder is the state of one noding; its buffers are used again.
type noder struct {
	edges, other []edge
	bent, again  []bool // by edge: whether it is a piece of one that was bent in the round before
	tree         boxTree
	nodes        []node
	crossings    []Point
	first        []int32 // by edge: its first node + 1 in a chain
	next         []int32
	order        []node
	paths        int     // how many outlines there are
	latest       []Point // by edge: the node noted last
	found        pointIndex
}

// run nodes n.edges.
func (n *noder) run() {
	for round := range maxRounds {
		if round == 0 {
			n.tree.build(n.edges, nil, n.paths)
		} else {
			n.tree.build(n.edges, n.bent, n.paths)
		}
		n.nodes, n.crossings = n.nodes[:0], n.crossings[:0]
		n.latest = grown(n.latest, len(n.edges))
		for i := range n.edges {
			n.latest[i] = n.edges[i].a
		}
		if len(n.edges) > 0 {
			n.within(n.tree.top(), 0)
		}
		if len(n.crossings) > 0 { // many may be one: edges through a point
			n.found.reset(len(n.crossings))
			for _, p := range n.crossings {
				if before := len(n.found.points); int(n.found.number(p)) == before {
					n.through(n.tree.top(), 0, p)
				}
			}
		}
		if len(n.nodes) == 0 {
			return
		}
		n.bend()
	}
	n.tree.build(n.edges, nil, n.paths)
}

func (n *noder) within(level, i int) {
	if !n.tree.isFresh(level, i) {
		return
	}
	if level == 0 {
		run, lo, hi := n.tree.edges(i)
		if n.tree.stairs[run] {
			return
		}
		for k := lo; k < hi; k++ {
			for l := k + 1; l < hi; l++ {
				n.pair(k, l)
			}
		}
		return
	}
	l, r := 2*i, 2*i+1
	n.within(level-1, l)
	if r < n.tree.count(level-1) {
		n.within(level-1, r)
		n.between(level-1, l, r)
	}
}

func (n *noder) between(level, i, j int) {
	a, b := n.tree.at(level, i), n.tree.at(level, j)
	if !a.Meets(b) || !n.tree.isFresh(level, i) && !n.tree.isFresh(level, j) {
		return
	}
	if level == 0 {
		run, lo, hi := n.tree.edges(i)
		other, from, to := n.tree.edges(j)
		for k := lo; k < hi; k++ {
			e := n.edges[k].box()
			if !e.Meets(b) {
				continue
			}
			if k+1 == from && n.tree.stairs[run] && n.tree.stairs[other] && n.edges[k].b == n.edges[k+1].a && e.meetsOnly(b, n.edges[k].b) {
				continue
			}
			for l := from; l < to; l++ {
				n.pair(k, l)
			}
		}
		return
	}
	more := n.tree.count(level - 1)
	for _, c := range [2]int{2 * i, 2*i + 1} {
		for _, d := range [2]int{2 * j, 2*j + 1} {
			if c < more && d < more {
				n.between(level-1, c, d)
			}
		}
	}
}

// pair notes where two edges bend each other.
func (n *noder) pair(k, l int) {
	e, f := &n.edges[k], &n.edges[l]
	x0, x1 := max(min(e.a.X, e.b.X), min(f.a.X, f.b.X)), min(max(e.a.X, e.b.X), max(f.a.X, f.b.X))
	if x0 > x1 {
		return
	}
	y0, y1 := max(min(e.a.Y, e.b.Y), min(f.a.Y, f.b.Y)), min(max(e.a.Y, e.b.Y), max(f.a.Y, f.b.Y))
	if y0 > y1 || x0 == x1 && y0 == y1 && (e.b == f.a || e.a == f.b) { // apart, or one goes on where the other ends
		return
	}
	d := Point{e.b.X - e.a.X, e.b.Y - e.a.Y}
	g := Point{f.b.X - f.a.X, f.b.Y - f.a.Y}
	// Sides of f's ends on e, of e's ends on f.
	s1, s2 := side(d, e.a, f.a), side(d, e.a, f.b)
	half := reach(d)
	if abs(s1) <= half {
		n.passes(k, e, f.a)
	}
	if abs(s2) <= half {
		n.passes(k, e, f.b)
	}
	if s1 > half && s2 > half || s1 < -half && s2 < -half {
		return
	}
	t1, t2 := side(g, f.a, e.a), side(g, f.a, e.b)
	half = reach(g)
	if abs(t1) <= half {
		n.passes(l, f, e.a)
	}
	if abs(t2) <= half {
		n.passes(l, f, e.b)
	}
	if s1 == 0 || s2 == 0 || t1 == 0 || t2 == 0 || (s1 > 0) == (s2 > 0) || (t1 > 0) == (t2 > 0) {
		return
	}
	p := meeting(e, d, f, g)
	if p != e.a && p != e.b {
		n.note(k, p)
	}
	if p != f.a && p != f.b {
		n.note(l, p)
	}
	if c := len(n.crossings); c == 0 || n.crossings[c-1] != p {
		n.crossings = append(n.crossings, p)
	}
}

// note remembers a place to bend an edge, unless it was the last noted there.
func (n *noder) note(k int, p Point) {
	if n.latest[k] != p {
		n.latest[k] = p
		n.nodes = append(n.nodes, node{int32(k), p})
	}
}

func abs(v int64) int64 {
	if v < 0 {
		return -v
	}
	return v
}

// side is d × (p - o): positive where p is left of the line from o along d.
func side(d, o, p Point) int64 { return d.X*(p.Y-o.Y) - d.Y*(p.X-o.X) }

// reach is the largest |side| of a pixel's middle at which the line along d still
// passes through the pixel, not only touching a corner.
func reach(d Point) int64 { return (abs(d.X) + abs(d.Y) - 1) / 2 }

// passes notes a node on e if e passes through the pixel around p, whose side is
// within reach, and does not end in it. An edge meets a pixel if the three axes
// x, y and its own normal do not part them; the first two are boxes of whole
// numbers.
func (n *noder) passes(k int, e *edge, p Point) {
	if p == e.a || p == e.b || p.X < min(e.a.X, e.b.X) || p.X > max(e.a.X, e.b.X) || p.Y < min(e.a.Y, e.b.Y) || p.Y > max(e.a.Y, e.b.Y) {
		return
	}
	n.note(k, p)
}

// meeting is the crossing of two edges that cross properly, to the nearest
// micrometre: exactly rounded, with 128-bit products.
func meeting(e *edge, d Point, f *edge, g Point) Point {
	den := d.X*g.Y - d.Y*g.X
	num := (f.a.X-e.a.X)*g.Y - (f.a.Y-e.a.Y)*g.X
	if den < 0 {
		den, num = -den, -num
	}
	return Point{e.a.X + share(num, d.X, den), e.a.Y + share(num, d.Y, den)}
}

// share is num·by/den to the nearest whole number, for 0 ≤ num ≤ den.
func share(num, by, den int64) int64 {
	hi, lo := bits.Mul64(uint64(num), uint64(abs(by)))
	q, r := bits.Div64(hi, lo, uint64(den))
	if r >= uint64(den)-r {
		q++
	}
	if by < 0 {
		return -int64(q)
	}
	return int64(q)
}

// through notes nodes on all edges that pass through the pixel of a crossing.
func (n *noder) through(level, i int, p Point) {
	b := n.tree.at(level, i)
	if p.X < b.MinX || p.X > b.MaxX || p.Y < b.MinY || p.Y > b.MaxY {
		return
	}
	if level == 0 {
		_, lo, hi := n.tree.edges(i)
		for k := lo; k < hi; k++ {
			e := &n.edges[k]
			d := Point{e.b.X - e.a.X, e.b.Y - e.a.Y}
			if abs(side(d, e.a, p)) <= reach(d) {
				n.passes(k, e, p)
			}
		}
		return
	}
	n.through(level-1, 2*i, p)
	if 2*i+1 < n.tree.count(level-1) {
		n.through(level-1, 2*i+1, p)
	}
}

// bend breaks edges at their nodes, in order along each.
func (n *noder) bend() {
	n.first = grown(n.first, len(n.edges))
	clear(n.first)
	n.next = grown(n.next, len(n.nodes))
	for i, x := range n.nodes {
		n.next[i] = n.first[x.edge]
		n.first[x.edge] = int32(i) + 1
	}
	n.other, n.again = n.other[:0], n.again[:0]
	for k := range n.edges {
		e := n.edges[k]
		if n.first[k] == 0 {
			n.other, n.again = append(n.other, e), append(n.again, false)
			continue
		}
		n.order = n.order[:0]
		for i := n.first[k]; i != 0; i = n.next[i-1] {
			n.order = append(n.order, n.nodes[i-1])
		}
		d := Point{e.b.X - e.a.X, e.b.Y - e.a.Y}
		sortAlong(n.order, e.a, d)
		from := e.a
		for _, x := range n.order {
			if x.p != from {
				n.other, n.again = append(n.other, edge{from, x.p, e.weight, e.line}), append(n.again, true)
				from = x.p
			}
		}
		if from != e.b {
			n.other, n.again = append(n.other, edge{from, e.b, e.weight, e.line}), append(n.again, true)
		}
	}
	n.edges, n.other = n.other, n.edges
	n.bent, n.again = n.again, n.bent
}

// sortAlong orders nodes by how far along d they lie; few as a rule.
func sortAlong(nodes []node, a, d Point) {
	far := func(x *node) int64 { return (x.p.X-a.X)*d.X + (x.p.Y-a.Y)*d.Y }
	if len(nodes) > 32 {
		sortBy(nodes, func(x, y *node) bool { return far(x) < far(y) })
		return
	}
	for i := 1; i < len(nodes); i++ {
		x := nodes[i]
		fx := far(&x)
		j := i
		for ; j > 0 && fx < far(&nodes[j-1]); j-- {
			nodes[j] = nodes[j-1]
		}
		nodes[j] = x
	}
}

// sortBy is a heapsort without allocation.
func sortBy[T any](s []T, less func(a, b *T) bool) {
	sift := func(root, end int) {
		for {
			child := 2*root + 1
			if child >= end {
				return
			}
			if child+1 < end && less(&s[child], &s[child+1]) {
				child++
			}
			if !less(&s[root], &s[child]) {
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

// grown gives a slice of n, of the same array if it is long enough.
func grown[T any](s []T, n int) []T {
	if cap(s) < n {
		return make([]T, n, n+n/2)
	}
	return s[:n]
}
