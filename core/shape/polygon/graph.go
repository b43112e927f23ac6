package polygon

// pointIndex numbers points: an open-addressing table, at most half full.
type pointIndex struct {
	slots  []int32 // number + 1
	points []Point
	mask   uint64
}

func (x *pointIndex) reset(n int) {
	size := 16
	for size < 3*n {
		size <<= 1
	}
	if len(x.slots) < size || len(x.slots) > 8*size {
		x.slots = make([]int32, size)
	} else {
		x.slots = x.slots[:size]
		clear(x.slots)
	}
	x.mask = uint64(size - 1)
	x.points = x.points[:0]
}

func (x *pointIndex) number(p Point) int32 {
	h := uint64(p.X)*0x9E3779B97F4A7C15 ^ uint64(p.Y)*0xC2B2AE3D27D4EB4F
	h ^= h >> 29
	for i := h & x.mask; ; i = (i + 1) & x.mask {
		s := x.slots[i]
		if s == 0 {
			x.points = append(x.points, p)
			x.slots[i] = int32(len(x.points))
			return int32(len(x.points)) - 1
		}
		if x.points[s-1] == p {
			return s - 1
		}
	}
}

// graph is the plane figure that noded edges make.
type graph struct {
	points []Point
	from   []int32    // by edge: its vertices
	to     []int32    //
	weight [][2]int32 // by edge, those of equal edges added up
	same   []int32    // by edge: the edge that stands for it + 1, or 0
	right  [][2]int32 // winding numbers right of each edge
	done   []bool     // by edge: right is known
	start  []int32    // by vertex: its ends in ends
	ends   []int32    // edges at each vertex: 2·edge, +1 where they end there
	seen   []bool     // by vertex: its connected part is known
	set    []bool     // by vertex: winding numbers around it are known
	sorted []bool     // by vertex
	stack  []int32
	part   []int32 // vertices of one connected part
	keep   []int8  // by edge: 1 along, -1 against, 0 not
	place  []int32 // by vertex: its place in the loop being traced + 1
	loop   []int32 // vertices
}

// stands gives the edge that stands for all that are equal to e.
func (g *graph) stands(e int32) int32 {
	if s := g.same[e]; s != 0 {
		return s - 1
	}
	return e
}

func (g *graph) build(n *noder, index *pointIndex) {
	m := len(n.edges)
	index.reset(m)
	g.from, g.to = grown(g.from, m), grown(g.to, m)
	g.weight, g.right = grown(g.weight, m), grown(g.right, m)
	g.same, g.done, g.keep = grown(g.same, m), grown(g.done, m), grown(g.keep, m)
	clear(g.same)
	clear(g.done)
	last := Point{Limit + 1, 0}
	lastN := int32(-1)
	for i := range n.edges {
		e := &n.edges[i]
		if e.a != last {
			lastN = index.number(e.a)
		}
		g.from[i] = lastN
		last, lastN = e.b, index.number(e.b)
		g.to[i] = lastN
		g.weight[i] = e.weight
	}
	g.points = index.points
	v := len(g.points)
	g.start = grown(g.start, v+2)
	clear(g.start)
	for i := range m {
		g.start[g.from[i]+2]++
		g.start[g.to[i]+2]++
	}
	for i := 2; i < len(g.start); i++ {
		g.start[i] += g.start[i-1]
	}
	g.ends = grown(g.ends, 2*m)
	for i := range m {
		p := &g.start[g.from[i]+1]
		g.ends[*p] = int32(2 * i)
		*p++
		p = &g.start[g.to[i]+1]
		g.ends[*p] = int32(2*i + 1)
		*p++
	}
	g.seen, g.set, g.sorted = grown(g.seen, v), grown(g.set, v), grown(g.sorted, v)
	clear(g.seen)
	clear(g.set)
	clear(g.sorted)
	for i := range v {
		if g.start[i+1]-g.start[i] > 2 {
			g.merge(int32(i))
		}
	}
}

func (g *graph) at(v int32) []int32 { return g.ends[g.start[v]:g.start[v+1]] }

// far is the other vertex of an edge's end.
func (g *graph) far(end int32) int32 {
	if end&1 == 0 {
		return g.to[end>>1]
	}
	return g.from[end>>1]
}

// sort orders the ends at a vertex by direction, from straight left (-π)
// counter-clockwise. Few as a rule; a vertex of thousands takes a heapsort.
func (g *graph) sort(v int32) {
	if g.sorted[v] {
		return
	}
	g.sorted[v] = true
	o := g.points[v]
	ends := g.at(v)
	less := func(a, b *int32) bool {
		p, q := g.points[g.far(*a)], g.points[g.far(*b)]
		dx, dy, ex, ey := p.X-o.X, p.Y-o.Y, q.X-o.X, q.Y-o.Y
		// Below the axis (and straight left) comes before on or above it.
		h, k := dy > 0 || dy == 0 && dx > 0, ey > 0 || ey == 0 && ex > 0
		if h != k {
			return k
		}
		if c := dx*ey - dy*ex; c != 0 {
			return c > 0
		}
		return *a < *b
	}
	if len(ends) > 24 {
		sortBy(ends, less)
		return
	}
	for i := 1; i < len(ends); i++ {
		x, j := ends[i], i
		for ; j > 0 && less(&x, &ends[j-1]); j-- {
			ends[j] = ends[j-1]
		}
		ends[j] = x
	}
}

// merge makes one of edges with the same two vertices: their weights add up.
func (g *graph) merge(v int32) {
	g.sort(v)
	ends := g.at(v)
	for i := 1; i < len(ends); i++ {
		a, b := ends[i-1], ends[i]
		if g.far(a) != g.far(b) {
			continue
		}
		x, y := g.stands(a>>1), b>>1
		if x == y || g.same[y] != 0 {
			continue
		}
		sign := int32(1)
		if g.from[x] != g.from[y] {
			sign = -1
		}
		g.weight[x][0] += sign * g.weight[y][0]
		g.weight[x][1] += sign * g.weight[y][1]
		g.same[y] = x + 1
	}
}

// wind finds the winding numbers right of all edges.
func (g *graph) wind(n *noder) {
	several := false
	for v := range g.points {
		if g.seen[v] {
			continue
		}
		// One connected part and its leftmost, lowest vertex.
		g.part = append(g.part[:0], int32(v))
		g.seen[v] = true
		low := int32(v)
		for k := 0; k < len(g.part); k++ {
			u := g.part[k]
			if p, q := g.points[u], g.points[low]; p.X < q.X || p.X == q.X && p.Y < q.Y {
				low = u
			}
			for _, end := range g.at(u) {
				if f := g.far(end); !g.seen[f] {
					g.seen[f] = true
					g.part = append(g.part, f)
				}
			}
		}
		if len(g.part) < len(g.points) {
			several = true
		}
		var w [2]int32
		if several {
			g.left(n, n.tree.top(), 0, g.points[low], &w)
		}
		g.spread(low, w)
	}
}

// left adds the winding number of the point just left of p: all edges are
// counted that cross the line from p to the left.
func (g *graph) left(n *noder, level, i int, p Point, w *[2]int32) {
	b := n.tree.at(level, i)
	if p.Y < b.MinY || p.Y > b.MaxY || b.MinX >= p.X {
		return
	}
	if level > 0 {
		g.left(n, level-1, 2*i, p, w)
		if 2*i+1 < n.tree.count(level-1) {
			g.left(n, level-1, 2*i+1, p, w)
		}
		return
	}
	_, lo, hi := n.tree.edges(i)
	for k := lo; k < hi; k++ {
		e := &n.edges[k]
		rises := e.a.Y <= p.Y && p.Y < e.b.Y
		falls := e.b.Y <= p.Y && p.Y < e.a.Y
		if !rises && !falls {
			continue
		}
		// The edge is left of p if p is right of it going up.
		s := side(Point{e.b.X - e.a.X, e.b.Y - e.a.Y}, e.a, p)
		switch {
		case rises && s < 0:
			w[0] -= e.weight[0]
			w[1] -= e.weight[1]
		case falls && s > 0:
			w[0] += e.weight[0]
			w[1] += e.weight[1]
		}
	}
}

// spread carries winding numbers from the outside w at a part's leftmost vertex
// to all its edges. Going counter-clockwise around a vertex, what is left of one
// edge that leaves it is right of the next.
func (g *graph) spread(low int32, w [2]int32) {
	g.sort(low)
	g.around(low, 0, w)
	g.stack = append(g.stack[:0], low)
	for len(g.stack) > 0 {
		u := g.stack[len(g.stack)-1]
		g.stack = g.stack[:len(g.stack)-1]
		for _, end := range g.at(u) {
			f := g.far(end)
			if g.set[f] || g.same[end>>1] != 0 { // an equal edge leads there too
				continue
			}
			ends := g.at(f)
			if len(ends) > 2 {
				g.sort(f)
			}
			for i, x := range ends {
				if x>>1 != end>>1 {
					continue
				}
				// Right of this edge as it leaves f.
				e := x >> 1
				r := g.right[e]
				if x&1 == 1 {
					r[0] += g.weight[e][0]
					r[1] += g.weight[e][1]
				}
				g.around(f, i, r)
				break
			}
			g.stack = append(g.stack, f)
		}
	}
}

// around settles a vertex, given what is right of its end number i.
func (g *graph) around(v int32, i int, w [2]int32) {
	g.set[v] = true
	ends := g.at(v)
	for k := range ends {
		at := i + k
		if at >= len(ends) {
			at -= len(ends)
		}
		x := ends[at]
		if g.same[x>>1] != 0 { // an equal edge stands for it, next to it
			continue
		}
		e := x >> 1
		if x&1 == 0 {
			if !g.done[e] {
				g.done[e], g.right[e] = true, w
			}
			w[0] += g.weight[e][0]
			w[1] += g.weight[e][1]
		} else {
			w[0] -= g.weight[e][0]
			w[1] -= g.weight[e][1]
			if !g.done[e] {
				g.done[e], g.right[e] = true, w
			}
		}
	}
}

// trace keeps the edges with one side inside and walks them to loops, the inside
// at the left. At a vertex with several ways on it takes the one that bounds the
// same wedge of inside; a loop that comes to a vertex twice is parted there.
func (g *graph) trace(n *noder, inside func([2]int32) bool) []Path {
	m := len(n.edges)
	total := 0
	for e := range m {
		g.keep[e] = 0
		if g.same[e] != 0 || n.edges[e].line != 0 {
			continue
		}
		r := g.right[e]
		l := [2]int32{r[0] + g.weight[e][0], r[1] + g.weight[e][1]}
		in, out := inside(l), inside(r)
		if in != out {
			total++
			g.keep[e] = 1
			if out {
				g.keep[e] = -1
			}
		}
	}
	if total == 0 {
		return nil
	}
	g.place = grown(g.place, len(g.points))
	clear(g.place)
	arena := make([]Point, 0, total)
	var out []Path
	emit := func(loop []int32) {
		from := len(arena)
		arena = g.appendLoop(arena, loop)
		if len(arena)-from >= 3 {
			out = append(out, Path(arena[from:len(arena):len(arena)]))
		} else {
			arena = arena[:from]
		}
	}
	for e := range m {
		if g.keep[e] == 0 {
			continue
		}
		g.loop = g.loop[:0]
		at := int32(e)
		for g.keep[at] != 0 {
			u, v := g.from[at], g.to[at]
			end := 2*at + 1 // its end at v
			if g.keep[at] < 0 {
				u, v = v, u
				end = 2 * at
			}
			g.keep[at] = 0
			g.loop = append(g.loop, u)
			g.place[u] = int32(len(g.loop))
			if p := g.place[v]; p != 0 { // round again: cut the loop out
				emit(g.loop[p-1:])
				for _, x := range g.loop[p-1:] {
					g.place[x] = 0
				}
				g.loop = g.loop[:p-1]
			}
			at = g.onward(end, v)
			if at < 0 {
				break
			}
		}
		for _, x := range g.loop {
			g.place[x] = 0
		}
	}
	return out
}

// onward gives the kept edge that bounds the same wedge of inside at v as the
// one that arrives by an end: the first that leaves v clockwise from it.
func (g *graph) onward(end, v int32) int32 {
	ends := g.at(v)
	if len(ends) == 2 {
		x := ends[0]
		if x == end {
			x = ends[1]
		}
		return g.leaving(x)
	}
	g.sort(v)
	i := 0
	for ends[i] != end {
		i++
	}
	for k := 1; k < len(ends); k++ {
		if e := g.leaving(ends[(i-k+len(ends))%len(ends)]); e >= 0 {
			return e
		}
	}
	return -1
}

// leaving gives an end's edge if it is kept and leaves the end's vertex, else -1.
func (g *graph) leaving(x int32) int32 {
	e := x >> 1
	if x&1 == 0 && g.keep[e] > 0 || x&1 == 1 && g.keep[e] < 0 {
		return e
	}
	return -1
}

// appendLoop writes a loop without points in the middle of straight sides.
func (g *graph) appendLoop(arena []Point, loop []int32) []Point {
	n := len(loop)
	if n < 3 {
		return arena
	}
	from := len(arena)
	for _, v := range loop {
		p := g.points[v]
		for len(arena) > from {
			prev := arena[len(arena)-1]
			if len(arena) > from+1 {
				before := arena[len(arena)-2]
				if cross(before, prev, p) == 0 {
					arena = arena[:len(arena)-1]
					continue
				}
			}
			break
		}
		arena = append(arena, p)
	}
	// The seam: last, first and second.
	for len(arena)-from >= 3 {
		a := arena[from:]
		k := len(a)
		switch {
		case cross(a[k-2], a[k-1], a[0]) == 0:
			arena = arena[:len(arena)-1]
		case cross(a[k-1], a[0], a[1]) == 0:
			copy(a, a[1:])
			arena = arena[:len(arena)-1]
		default:
			return arena
		}
	}
	return arena[:from]
}
