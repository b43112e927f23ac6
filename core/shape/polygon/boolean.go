package polygon

// Rule says which winding numbers are inside.
type Rule int

// The usual rules.
const (
	NonZero  Rule = iota // any but 0
	EvenOdd              // odd ones
	Positive             // above 0: overlaps of holes and outers count as they add up
)

func (r Rule) holds(w int32) bool {
	switch r {
	case NonZero:
		return w != 0
	case EvenOdd:
		return w&1 != 0
	}
	return w > 0
}

// Op is a boolean operation.
type Op int

// The operations; Difference is subject without clip.
const (
	Union Op = iota
	Intersection
	Difference
	Xor
)

func (o Op) holds(subject, clip bool) bool {
	switch o {
	case Union:
		return subject || clip
	case Intersection:
		return subject && clip
	case Difference:
		return subject && !clip
	}
	return subject != clip
}

// Scratch holds the buffers of the operations, so that thousands of layers make
// little garbage. The zero value is ready. It is for one goroutine at a time;
// results do not refer to it.
type Scratch struct {
	n     noder
	index pointIndex
	g     graph
	off   offsetter
}

// Boolean combines two sets of closed paths. The result is a set of simple paths
// that do not cross, outers counter-clockwise, holes clockwise, without points
// in the middle of a straight side; they may touch in points. Points are within
// a micrometre of where exact figures would have them. It never fails: paths may
// cross themselves, touch, overlap, repeat or be flat. Coordinates beyond ±Limit
// are pulled to it.
//
// The edges are noded (see noding.go). Then every face of the plane has one
// winding number for each set; they are told from one another around each
// vertex, by the order of its edges, and between parts of the figure that do not
// hang together by counting edges to the left of one point. An edge is kept if
// just one of its sides is inside. All decisions are on signs of whole numbers.
// Time n log n + k for k crossings.
func (s *Scratch) Boolean(op Op, rule Rule, subject, clip []Path) []Path {
	s.n.edges, s.n.paths = s.n.edges[:0], 0
	s.add(subject, 0)
	s.add(clip, 1)
	s.n.run()
	s.g.build(&s.n, &s.index)
	s.g.wind(&s.n)
	return s.g.trace(&s.n, func(w [2]int32) bool { return op.holds(rule.holds(w[0]), rule.holds(w[1])) })
}

// Union of one set, by a rule.
func (s *Scratch) Union(rule Rule, paths []Path) []Path { return s.Boolean(Union, rule, paths, nil) }

func pulled(p Point) Point {
	return Point{max(-Limit, min(Limit, p.X)), max(-Limit, min(Limit, p.Y))}
}

func (s *Scratch) add(paths []Path, set int) {
	var w [2]int32
	w[set] = 1
	for _, p := range paths {
		if len(p) < 3 {
			continue
		}
		s.n.paths++
		from := pulled(p[len(p)-1])
		for _, q := range p {
			to := pulled(q)
			if from != to {
				s.n.edges = append(s.n.edges, edge{a: from, b: to, weight: w})
			}
			from = to
		}
	}
}

// ClipLines cuts open lines at the borders of closed paths and gives the parts
// that lie inside (or outside), borders counted inside, each in the direction of
// its line, with the number of its line.
func (s *Scratch) ClipLines(rule Rule, lines []Path, clip []Path, inside bool) (parts []Path, of []int) {
	s.n.edges, s.n.paths = s.n.edges[:0], 0
	s.add(clip, 0)
	for i, l := range lines {
		s.n.paths++
		for k := 1; k < len(l); k++ {
			if a, b := pulled(l[k-1]), pulled(l[k]); a != b {
				s.n.edges = append(s.n.edges, edge{a: a, b: b, line: int32(i) + 1})
			}
		}
	}
	s.n.run()
	s.g.build(&s.n, &s.index)
	s.g.wind(&s.n)
	// Edges stand in the order of their lines still: noding only breaks them.
	var part Path
	end := func() {
		if len(part) > 1 {
			parts = append(parts, part)
		}
		part = nil
	}
	last := int32(0)
	for i := range s.n.edges {
		e := &s.n.edges[i]
		if e.line == 0 {
			continue
		}
		right := s.g.right[s.g.stands(int32(i))]
		left := [2]int32{right[0] + s.g.weight[s.g.stands(int32(i))][0], 0}
		in := rule.holds(right[0]) || rule.holds(left[0])
		if e.line != last || len(part) > 0 && part[len(part)-1] != e.a {
			end()
			last = e.line
		}
		if in != inside {
			end()
			continue
		}
		if len(part) == 0 {
			part = append(part, e.a)
			of = append(of, int(e.line)-1)
		}
		part = append(part, e.b)
	}
	end()
	return parts, of
}
