package toolpath

import (
	"math"
	"slices"

	"jobshelf/core/shape/polygon"
)

// span is a place that is bridged, with its lines: held by something at both ends,
// or not.
type span struct {
	paths       []polygon.Path
	held, loose []polygon.Path
}

// spans are what of a layer is laid over nothing from something to something. What
// rests on support is laid as any solid layer, and so is what is held at one side only: no
// direction gives its lines two ends.
func (s *slicer) spans(w *worker, i int) []span {
	if len(s.bridges[i]) == 0 {
		return nil
	}
	width, gap := um(s.r.LineMM), um(Spacing(s.r.LineMM, s.heights[i]))
	free, carriers := s.bridges[i], s.outline[i-1]
	if foot := i - 1 - s.verticalGap(); s.support != nil && foot >= 0 && len(s.support[foot]) > 0 {
		carried := w.poly.Offset(s.support[foot], um(*s.r.SupportHorizontalGapMM+s.r.LineMM), mitre)
		free = w.poly.Boolean(polygon.Difference, polygon.NonZero, free, carried)
		free = w.poly.Offset(w.poly.Offset(free, -width, mitre), width, mitre)
		free = w.poly.Boolean(polygon.Intersection, polygon.NonZero, free, s.bridges[i])
		carriers = w.poly.Boolean(polygon.Union, polygon.NonZero, carriers, carried)
	}
	if len(free) == 0 {
		return nil
	}
	// An end may lie half a line beside what carries it. No more is looked at than lies
	// around the spans.
	near := w.poly.Boolean(polygon.Intersection, polygon.NonZero, carriers, w.poly.Offset(free, 2*width, mitre))
	near = w.poly.Offset(near, width/2, mitre)
	var out []span
	for _, f := range polygon.Figures(free) {
		b := span{paths: f.Paths()}
		angle, share := spanAngle(b.paths, near, gap)
		if share < leastHeld {
			continue
		}
		for _, p := range scan(b.paths, angle, gap, gap) {
			b.part(p, near)
		}
		out = append(out, b)
	}
	return out
}

// leastHeld is the share of its lines, by length, that must be held at both ends for
// a place to be bridged at all.
const leastHeld = 0.25

// part parts what scan joined: stretches whose lines are held at both ends are laid
// as bridges.
func (b *span) part(p polygon.Path, near []polygon.Path) {
	held := func(k int) bool {
		return polygon.Inside(polygon.NonZero, near, p[k]) >= 0 && polygon.Inside(polygon.NonZero, near, p[k+1]) >= 0
	}
	for from := 0; from < len(p); {
		is := held(from)
		to := from + 2
		for to < len(p) && held(to) == is {
			to += 2
		}
		if is {
			b.held = append(b.held, slices.Clone(p[from:to]))
		} else {
			b.loose = append(b.loose, slices.Clone(p[from:to]))
		}
		from = to
	}
}

// spanRows is how many lines across a span are looked at to judge a direction.
const spanRows = 24

// spanAngle is the direction in which most of a span's line, by length, has both ends
// on what carries it, and of directions as good the one in which those lines are
// shortest; with that share of the length.
func spanAngle(paths, near []polygon.Path, gap float64) (angle, share float64) {
	var tried []judged
	try := func(a float64) { tried = append(tried, judge(paths, near, a, gap)) }
	const step = math.Pi / 18
	for k := range 18 {
		try(float64(k) * step)
	}
	box := polygon.SmallestRectangle(paths[0]).AngleRad
	try(box)
	try(box + math.Pi/2)
	best := shortest(tried)
	for d := step / 2; d > step/10; d /= 2 {
		try(best.angle - d)
		try(best.angle + d)
		best = shortest(tried)
	}
	return best.angle, best.share
}

// judged is how well a direction holds: the share of line held at both ends, and how
// long the longest such line is, µm. (Their mean would make lines slant across a
// frame's corners.)
type judged struct{ angle, share, longest float64 }

// shortest is the direction with the shortest lines of those that hold the most, but
// for a fiftieth: that much is the lattice of the rows.
func shortest(tried []judged) judged {
	most := 0.0
	for _, j := range tried {
		most = math.Max(most, j.share)
	}
	best := judged{longest: math.Inf(1)}
	for _, j := range tried {
		if j.share >= most-0.02 && j.longest < best.longest*(1-1e-9) {
			best = j
		}
	}
	return best
}

func judge(paths, near []polygon.Path, angle, gap float64) judged {
	sin, cos := math.Sincos(-angle)
	first, last := lattice(paths, sin, cos, gap)
	if last < first {
		return judged{angle: angle}
	}
	if rows := last - first + 1; rows > spanRows {
		gap *= float64(rows) / spanRows
		first, last = lattice(paths, sin, cos, gap)
	}
	lines := crossings(paths, sin, cos, gap, first, last)
	hold := crossings(near, sin, cos, gap, first, last)
	all, held, longest := 0.0, 0.0, 0.0
	for r, xs := range lines {
		for k := 0; k+1 < len(xs); k += 2 {
			all += xs[k+1] - xs[k]
			if between(hold[r], xs[k]) && between(hold[r], xs[k+1]) {
				held += xs[k+1] - xs[k]
				longest = math.Max(longest, xs[k+1]-xs[k])
			}
		}
	}
	if held == 0 {
		return judged{angle: angle}
	}
	return judged{angle, held / all, longest}
}

// between says that x lies between a crossing of uneven number and the next, or on one.
func between(xs []float64, x float64) bool {
	k, on := slices.BinarySearch(xs, x)
	return on || k%2 == 1
}

// FreeSpan is what of a layer lies over nothing, from something to something.
type FreeSpan struct {
	SpanMM       float64 // the longest of its lines that is held at both ends, from wall to wall
	FromMM, ToMM [2]float64
	AreaMM2      float64
}

// FreeSpans are those of a layer over the one below, where no support stands: as they would be laid, in the
// direction that holds most of their lines. Outline passes bridge nothing: they lean out.
func FreeSpans(here, below []polygon.Path, shells int, lineMM, layerMM float64) (out []FreeSpan) {
	var poly polygon.Scratch
	width, gap := um(lineMM), um(Spacing(lineMM, layerMM))
	rim := float64(shells) * width
	bare := poly.Boolean(polygon.Difference, polygon.NonZero, here, below)
	free := poly.Boolean(polygon.Difference, polygon.NonZero, poly.Offset(here, -rim, mitre), below)
	free = poly.Offset(poly.Offset(free, -width, mitre), width, mitre)
	near := poly.Offset(below, width/2, mitre)
	for _, f := range polygon.Figures(free) {
		paths := f.Paths()
		angle, share := spanAngle(paths, near, gap)
		if share < leastHeld {
			continue
		}
		around := poly.Offset(paths, rim+width/4, mitre) // with the outline passes beside it
		b := FreeSpan{AreaMM2: areaMM2(poly.Boolean(polygon.Intersection, polygon.NonZero, around, bare))}
		sin, cos := math.Sincos(-angle)
		first, last := lattice(paths, sin, cos, gap)
		hold := crossings(near, sin, cos, gap, first, last)
		for r, xs := range crossings(paths, sin, cos, gap, first, last) {
			for k := 0; k+1 < len(xs); k += 2 {
				if span := (xs[k+1] - xs[k]) / 1000; span > b.SpanMM && between(hold[r], xs[k]) && between(hold[r], xs[k+1]) {
					y := float64(first+r) * gap
					at := func(x float64) [2]float64 { return [2]float64{(x*cos + y*sin) / 1000, (y*cos - x*sin) / 1000} }
					b.SpanMM, b.FromMM, b.ToMM = span, at(xs[k]), at(xs[k+1])
				}
			}
		}
		if b.SpanMM > 0 {
			out = append(out, b)
		}
	}
	return out
}
