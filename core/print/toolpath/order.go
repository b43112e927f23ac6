package toolpath

import (
	"math"
	"slices"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/polygon"
)

// order puts the lines of every layer in an order that saves travel. Kinds come
// one after the other: what is purged, what holds, support; then island by island
// of the part inner shells, outer shells, top and bottom layers and bridges, infill. Within a kind
// the nearest line is next, from its nearer end, and the order is bettered by
// turning stretches of it round (2-opt, Croes 1958) for a bounded number of steps.
// Outlines begin at the seam. nozzle is the one it begins with.
func order(p *Print, nozzle uint8, seam recipe.Seam) {
	o := orderer{seam: seam}
	for i := range p.Layers {
		l := &p.Layers[i]
		// The nozzle in use first, then the other: one change a layer at the most. What
		// is let out comes right after the change.
		groups := [2 * ranks][]Line{}
		last := nozzle
		for _, x := range l.Lines {
			if x.Nozzle != nozzle && x.Nozzle != purgeNozzle {
				last = x.Nozzle
			}
		}
		for _, x := range l.Lines {
			if x.Nozzle == purgeNozzle {
				x.Nozzle = last
			}
			k := rank[x.Kind]
			if x.Nozzle != nozzle {
				k += ranks
			}
			groups[k] = append(groups[k], x)
		}
		nozzle = last
		o.out = l.Lines[:0:0]
		for k := 0; k < len(groups); k += ranks {
			for _, g := range groups[k : k+firstOfPart] {
				o.lay(g)
			}
			o.islands(l.Outlines, groups[k+firstOfPart:k+ranks])
		}
		l.Lines = o.out
		o.below, o.here = o.here, o.below[:0]
	}
}

// orderer goes over a print's layers.
type orderer struct {
	seam  recipe.Seam
	at    polygon.Point // where the nozzle is
	below []seam        // of the layer below
	here  []seam
	out   []Line
}

// seam is where a closed outer line began.
type seam struct {
	at     polygon.Point
	box    polygon.Box
	length float64 // of its line
}

// lay puts lines of a kind next.
func (o *orderer) lay(g []Line) {
	if len(g) == 0 {
		return
	}
	closest := o.seam == recipe.SeamClosest
	for k := range g {
		if l := &g[k]; l.Closed && !closest {
			if q, ok := o.follows(l); ok {
				beginAt(l, func(p polygon.Point) float64 { return dist(p, q) })
			} else {
				beginAt(l, rearmost)
			}
		}
	}
	g = nearest(g, o.at, closest)
	o.out = append(o.out, g...)
	o.at = g[len(g)-1].last()
	for k := range g {
		if l := &g[k]; l.Kind == Outer && l.Closed && o.seam == recipe.SeamInLine {
			o.here = append(o.here, seam{l.Points[0], polygon.Bounds(l.Points), l.Points.Length()})
		}
	}
}

// follows is the seam below that a line goes on from: the nearest of those whose
// lines lie over it, and of several as near (islands that have met) the longest
// line's. There is none for what begins here.
func (o *orderer) follows(l *Line) (polygon.Point, bool) {
	if o.seam != recipe.SeamInLine || len(o.below) == 0 {
		return polygon.Point{}, false
	}
	box := polygon.Bounds(l.Points)
	var best *seam
	score := math.Inf(1)
	for k := range o.below {
		s := &o.below[k]
		if !s.box.Meets(&box) {
			continue
		}
		d := math.Inf(1)
		for i, q := range l.Points {
			d = math.Min(d, polygon.FromSegment(s.at, q, l.Points[(i+1)%len(l.Points)]))
		}
		asNear := um(l.WidthMM)
		if best == nil || d < score-asNear || d < score+asNear && s.length > best.length {
			best, score = s, d
		}
	}
	if best == nil {
		return polygon.Point{}, false
	}
	return best.at, true
}

// islands lays the lines of the part, by kind, one island after the other: the one
// whose box is nearest comes next.
func (o *orderer) islands(outlines []polygon.Path, groups [][]Line) {
	figures := polygon.Figures(outlines)
	if len(figures) < 2 {
		for _, g := range groups {
			o.lay(g)
		}
		return
	}
	of := make([][ranks - firstOfPart][]Line, len(figures)+1) // the last holds what lies in none
	boxes := make([]polygon.Box, len(figures))
	for k, f := range figures {
		boxes[k] = polygon.Bounds(f.Outer)
	}
	for r, g := range groups {
		for _, x := range g {
			k, q := 0, x.Points[0]
			for k < len(figures) && (!boxes[k].Holds(q, 0) || !holds(figures[k], q)) {
				k++
			}
			of[k][r] = append(of[k][r], x)
		}
	}
	left := make([]int, len(figures))
	for k := range left {
		left[k] = k
	}
	for len(left) > 0 {
		best := 0
		for j := range left {
			if away(boxes[left[j]], o.at) < away(boxes[left[best]], o.at) {
				best = j
			}
		}
		for _, g := range of[left[best]] {
			o.lay(g)
		}
		left = slices.Delete(left, best, best+1)
	}
	for _, g := range of[len(figures)] {
		o.lay(g)
	}
}

func holds(f polygon.Figure, q polygon.Point) bool {
	return polygon.Inside(polygon.NonZero, f.Paths(), q) >= 0
}

// away is how far a box is, in the larger of both directions.
func away(b polygon.Box, q polygon.Point) int64 {
	return max(b.MinX-q.X, q.X-b.MaxX, b.MinY-q.Y, q.Y-b.MaxY, 0)
}

const (
	ranks       = 7
	firstOfPart = 3
)

var rank = [kinds]int{Purge: 0, Adhesion: 1, Support: 2, Inner: 3, Outer: 4, Bridge: 5, TopBottom: 5, Infill: 6}

// rearmost scores a place by how far back it is, the nearer to the left edge the
// better.
func rearmost(q polygon.Point) float64 { return -float64(q.Y) + math.Abs(float64(q.X))*1e-6 }

// beginAt turns a closed line so that it starts where the score is least.
func beginAt(l *Line, score func(polygon.Point) float64) {
	best, least := 0, math.Inf(1)
	for i, q := range l.Points {
		if v := score(q); v < least {
			best, least = i, v
		}
	}
	if best == 0 {
		return
	}
	l.Points = append(append(make(polygon.Path, 0, len(l.Points)), l.Points[best:]...), l.Points[:best]...)
	if l.Widths != nil {
		l.Widths = append(append([]float64{}, l.Widths[best:]...), l.Widths[:best]...)
	}
}

func reverse(l *Line) {
	for i, j := 0, len(l.Points)-1; i < j; i, j = i+1, j-1 {
		l.Points[i], l.Points[j] = l.Points[j], l.Points[i]
		if l.Widths != nil {
			l.Widths[i], l.Widths[j] = l.Widths[j], l.Widths[i]
		}
	}
}

func (l *Line) first() polygon.Point { return l.Points[0] }
func (l *Line) last() polygon.Point {
	if l.Closed {
		return l.Points[0]
	}
	return l.Points[len(l.Points)-1]
}

// Searching the nearest costs the square of the number of lines; beyond
// windowLines only that many ahead are looked at, which are near as they come.
const (
	windowLines = 600
	twoOptLines = 200
	twoOptReach = 24
)

// nearest puts the line next that is nearest from at, from its nearer end; closest
// says that a closed line begins at its closest place when its turn comes.
func nearest(g []Line, at polygon.Point, closest bool) []Line {
	var boxes []polygon.Box // of the lines, in their order
	if closest {
		boxes = make([]polygon.Box, len(g))
		for k := range g {
			boxes[k] = polygon.Bounds(g[k].Points)
		}
	}
	from := at
	for i := range g {
		best, flip, score := i, false, math.Inf(1)
		for k := i; k < min(len(g), i+windowLines); k++ {
			if g[k].Closed && closest {
				if float64(away(boxes[k], at)) >= score {
					continue
				}
				for _, q := range g[k].Points {
					if d := dist(at, q); d < score {
						best, flip, score = k, false, d
					}
				}
				continue
			}
			if d := dist(at, g[k].first()); d < score {
				best, flip, score = k, false, d
			}
			if !g[k].Closed {
				if d := dist(at, g[k].last()); d < score {
					best, flip, score = k, true, d
				}
			}
		}
		g[i], g[best] = g[best], g[i]
		if closest {
			boxes[i], boxes[best] = boxes[best], boxes[i]
		}
		if flip {
			reverse(&g[i])
		}
		g[i].beginClosest(at, closest)
		at = g[i].last()
	}
	if len(g) <= twoOptLines && twoOpt(g) && closest {
		at = from
		for i := range g {
			g[i].beginClosest(at, true)
			at = g[i].last()
		}
	}
	return g
}

func (l *Line) beginClosest(at polygon.Point, closest bool) {
	if l.Closed && closest {
		beginAt(l, func(q polygon.Point) float64 { return dist(at, q) })
	}
}

// twoOpt turns a stretch i+1..j round where that shortens the way, one pass, and
// says whether it did.
func twoOpt(g []Line) (turned bool) {
	for i := 0; i+2 < len(g); i++ {
		for j := i + 2; j < min(len(g), i+twoOptReach); j++ {
			a, b, c := g[i].last(), g[i+1].first(), g[j].last()
			before, after := dist(a, b), dist(a, c)
			if j+1 < len(g) {
				d := g[j+1].first()
				before += dist(c, d)
				after += dist(b, d)
			}
			if after >= before-1 {
				continue
			}
			turned = true
			for x, y := i+1, j; x < y; x, y = x+1, y-1 {
				g[x], g[y] = g[y], g[x]
			}
			for k := i + 1; k <= j; k++ {
				if !g[k].Closed {
					reverse(&g[k])
				}
			}
		}
	}
	return turned
}
