package polygon

import (
	"math"
)

// Medial gives the middle lines of the parts of a figure that are between
// minUM and maxUM wide, with the width at each point: what a wall too thin for
// two passes is filled with. The border is sampled, the samples triangulated
// (Delaunay), and the middles of the chords between opposite borders joined: the
// chordal axis (Prasad 1997, "Morphological analysis of shapes"). Branches into
// corners, shorter than the wall is wide, are left out. Lines end about half a
// width before the border. Errors: a tenth of the width.
func (s *Scratch) Medial(paths []Path, minUM, maxUM float64) []Stroke {
	if maxUM <= 0 {
		return nil
	}
	step := math.Max(maxUM/4, 20)
	for length := 1000 * lengthOf(paths); length/step > maxSamples; {
		step *= 1.5 // a wall that long is sampled more coarsely
	}
	var pts []Point
	var next []int32 // the sample after it on its path
	number := map[Point]int32{}
	for _, p := range paths {
		first := int32(len(pts))
		put := func(q Point) {
			if _, ok := number[q]; ok {
				return // paths that touch
			}
			number[q] = int32(len(pts))
			pts = append(pts, q)
		}
		for i, a := range p {
			b := p[(i+1)%len(p)]
			l := math.Hypot(float64(b.X-a.X), float64(b.Y-a.Y))
			n := int(math.Ceil(l / step))
			for j := range max(1, n) {
				f := float64(j) / float64(max(1, n))
				put(Point{a.X + int64(math.Round(f*float64(b.X-a.X))), a.Y + int64(math.Round(f*float64(b.Y-a.Y)))})
			}
		}
		for i := first; i < int32(len(pts)); i++ {
			to := i + 1
			if to == int32(len(pts)) {
				to = first
			}
			next = append(next, to)
		}
	}
	if len(pts) > 4*maxSamples { // corners come on top
		return nil
	}
	within := bandsOf(paths)
	m := medial{pts: pts, next: next, chords: map[[2]int32]int32{}}
	for _, t := range triangulateDelaunay(pts) {
		a, b, c := pts[t[0]], pts[t[1]], pts[t[2]]
		mid := Point{(a.X + b.X + c.X) / 3, (a.Y + b.Y + c.Y) / 3}
		if within.inside(mid) > 0 {
			m.take(t)
		}
	}
	m.prune()
	return join(m.lines(minUM, maxUM), &within)
}

// maxSamples bounds the work.
const maxSamples = 40_000

func lengthOf(paths []Path) float64 {
	l := 0.0
	for _, p := range paths {
		l += p.Length()
	}
	return l
}

// medial is a graph of chord middles.
type medial struct {
	pts    []Point
	next   []int32
	chords map[[2]int32]int32 // chord → node
	at     []vec
	width  []float64
	links  [][]int32
}

func (m *medial) node(x, y, w float64) int32 {
	m.at, m.width, m.links = append(m.at, vec{x, y}), append(m.width, w), append(m.links, nil)
	return int32(len(m.at)) - 1
}

func (m *medial) link(a, b int32) {
	m.links[a], m.links[b] = append(m.links[a], b), append(m.links[b], a)
}

// chord gives the node of a side of a triangle that is no piece of the border.
func (m *medial) chord(a, b int32) (int32, bool) {
	if m.next[a] == b || m.next[b] == a {
		return 0, false
	}
	k := [2]int32{min(a, b), max(a, b)}
	n, ok := m.chords[k]
	if !ok {
		p, q := m.pts[a], m.pts[b]
		n = m.node(float64(p.X+q.X)/2, float64(p.Y+q.Y)/2, math.Max(m.across(a, b), m.across(b, a)))
		m.chords[k] = n
	}
	return n, true
}

// across is how wide it is at a chord from a to b, square to the border at a: the
// chord itself may be aslant.
func (m *medial) across(a, b int32) float64 {
	p, q, r := m.pts[a], m.pts[b], m.pts[m.next[a]]
	if p == r { // a path of which one sample is left
		return math.Hypot(float64(q.X-p.X), float64(q.Y-p.Y))
	}
	dx, dy := float64(r.X-p.X), float64(r.Y-p.Y)
	return math.Abs(float64(q.X-p.X)*dy-float64(q.Y-p.Y)*dx) / math.Hypot(dx, dy)
}

func (m *medial) take(t [3]int32) {
	var mids []int32
	for k := range 3 {
		if n, ok := m.chord(t[k], t[(k+1)%3]); ok {
			mids = append(mids, n)
		}
	}
	switch len(mids) {
	case 2:
		m.link(mids[0], mids[1])
	case 3: // where three arms meet
		a, b, c := m.pts[t[0]], m.pts[t[1]], m.pts[t[2]]
		w := (m.width[mids[0]] + m.width[mids[1]] + m.width[mids[2]]) / 3
		n := m.node(float64(a.X+b.X+c.X)/3, float64(a.Y+b.Y+c.Y)/3, w)
		for _, x := range mids {
			m.link(n, x)
		}
	}
}

// prune takes away branches from a fork to a loose end that are shorter than the
// wall is wide there: all that a fork has at once, so that none is left to pass
// for the wall itself.
func (m *medial) prune() {
	for range 4 {
		var gone [][]int32
		for n := range m.links {
			if len(m.links[n]) == 1 {
				if b := m.branch(int32(n)); b != nil {
					gone = append(gone, b)
				}
			}
		}
		if len(gone) == 0 {
			return
		}
		for _, branch := range gone {
			for _, x := range branch {
				for _, y := range m.links[x] {
					m.unlink(y, x)
				}
				m.links[x] = nil
			}
		}
	}
}

// branch gives the nodes from a loose end to before a fork, if that is short.
func (m *medial) branch(n int32) []int32 {
	out := []int32{n}
	length := 0.0
	at, from := n, int32(-1)
	for {
		to := int32(-1)
		for _, x := range m.links[at] {
			if x != from {
				to = x
			}
		}
		if to < 0 {
			return nil
		}
		length += math.Hypot(m.at[to].x-m.at[at].x, m.at[to].y-m.at[at].y)
		at, from = to, at
		if len(m.links[at]) != 2 {
			break
		}
		out = append(out, at)
	}
	if len(m.links[at]) < 3 || length > m.width[at] {
		return nil
	}
	return out
}

func (m *medial) unlink(a, b int32) {
	for i, x := range m.links[a] {
		if x == b {
			m.links[a] = append(m.links[a][:i], m.links[a][i+1:]...)
			return
		}
	}
}

// cornerSlope: where the width grows by more than this along the line, the line
// runs into a corner of a wide part: in a right angle it grows by 2.
const cornerSlope = 0.8

func (m *medial) opens(nodes []int32, i int) bool {
	lo, hi := nodes[max(0, i-2)], nodes[min(len(nodes)-1, i+2)]
	d := 0.0
	for k := max(0, i-2); k < min(len(nodes)-1, i+2); k++ {
		a, b := m.at[nodes[k]], m.at[nodes[k+1]]
		d += math.Hypot(b.x-a.x, b.y-a.y)
	}
	return d > 0 && math.Abs(m.width[hi]-m.width[lo]) > cornerSlope*d
}

// lines walks the graph from ends and forks, then what is left in rings, and
// keeps the stretches within the widths.
func (m *medial) lines(minUM, maxUM float64) []Stroke {
	used := map[[2]int32]bool{}
	var out []Stroke
	walk := func(a, b int32) {
		nodes := []int32{a}
		for {
			k := [2]int32{min(a, b), max(a, b)}
			if used[k] {
				break
			}
			used[k] = true
			nodes = append(nodes, b)
			if len(m.links[b]) != 2 {
				break
			}
			c := m.links[b][0]
			if c == a {
				c = m.links[b][1]
			}
			a, b = b, c
		}
		var s Stroke
		flush := func() {
			if len(s.Points) > 1 {
				out = append(out, s)
			}
			s = Stroke{}
		}
		for i, n := range nodes {
			if w := m.width[n]; w < minUM || w > maxUM || m.opens(nodes, i) {
				flush()
				continue
			}
			p := Point{int64(math.Round(m.at[n].x)), int64(math.Round(m.at[n].y))}
			s.Points, s.WidthUM = append(s.Points, p), append(s.WidthUM, m.width[n])
		}
		flush()
	}
	for n := range m.links {
		if len(m.links[n]) != 2 {
			for _, x := range m.links[n] {
				if !used[[2]int32{min(int32(n), x), max(int32(n), x)}] {
					walk(int32(n), x)
				}
			}
		}
	}
	for n := range m.links {
		for _, x := range m.links[n] {
			if !used[[2]int32{min(int32(n), x), max(int32(n), x)}] {
				walk(int32(n), x)
			}
		}
	}
	return out
}
