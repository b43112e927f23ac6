package polygon

import (
	"cmp"
	"math"
	"slices"
)

// Strokes that end near each other and go on straight are one: where thin walls
// cross, each wall is laid through.
const (
	joinTurnCos = 0.9 // of the turn, about 25°
	joinBackUM  = 400 // how far back an end's direction is taken from, beside its width
	joinGapUM   = 200 // how far apart ends may be, beside both widths
)

// end is one end of a stroke: where, which way it points, how wide it is.
type end struct {
	at     Point
	dx, dy float64
	width  float64
	stroke int
	last   bool
}

func endOf(s *Stroke, k int, last bool) end {
	n := len(s.Points)
	i, step := 0, 1
	if last {
		i, step = n-1, -1
	}
	e := end{at: s.Points[i], width: s.WidthUM[i], stroke: k, last: last}
	for j := i + step; j >= 0 && j < n; j += step {
		e.dx, e.dy = float64(e.at.X-s.Points[j].X), float64(e.at.Y-s.Points[j].Y)
		if math.Hypot(e.dx, e.dy) >= joinBackUM+e.width {
			break
		}
	}
	if l := math.Hypot(e.dx, e.dy); l > 0 {
		e.dx, e.dy = e.dx/l, e.dy/l
	}
	return e
}

// join joins strokes within a figure, the straightest pairs of ends first. The
// result does not depend on anything but the strokes and their order.
func join(strokes []Stroke, within *bands) []Stroke {
	if len(strokes) < 2 {
		return strokes
	}
	var ends []end
	for k := range strokes {
		if p := strokes[k].Points; p[0] == p[len(p)-1] {
			continue // a ring
		}
		ends = append(ends, endOf(&strokes[k], k, false), endOf(&strokes[k], k, true))
	}
	// other[2k] and other[2k+1] are the ends that the ends of stroke k go on at.
	other := make([]int, 2*len(strokes))
	for i := range other {
		other[i] = -1
	}
	slot := func(e end) int {
		if e.last {
			return 2*e.stroke + 1
		}
		return 2 * e.stroke
	}
	for _, p := range straightPairs(ends, within) {
		if a, b := slot(ends[p.i]), slot(ends[p.j]); other[a] < 0 && other[b] < 0 {
			other[a], other[b] = b, a
		}
	}
	return withoutStubs(chained(strokes, other))
}

// pair is two ends, and how straight the way is from one to the other.
type pair struct {
	i, j     int
	straight float64
}

// goesOn says whether a goes on straight at b within a figure, and how straight.
func goesOn(a, b *end, within *bands) (straight float64, ok bool) {
	gx, gy := float64(b.at.X-a.at.X), float64(b.at.Y-a.at.Y)
	gap := math.Hypot(gx, gy)
	turn := -(a.dx*b.dx + a.dy*b.dy)
	if gap > joinGapUM+a.width+b.width || turn < joinTurnCos {
		return 0, false
	}
	// The way across must not lead aside or back, further than the middle may be off.
	if along := a.dx*gx + a.dy*gy; math.Sqrt(math.Max(0, gap*gap-along*along)) > (a.width+b.width)/4+20 {
		return 0, false
	}
	return turn - gap/1e6, within.holds(a.at, b.at) // else there is a slot between them
}

// straightPairs are the pairs of ends that may be joined, the straightest first. Ends are
// looked up by square cells, so that only near ones are compared.
func straightPairs(ends []end, within *bands) []pair {
	widest := 0.0
	for _, e := range ends {
		widest = math.Max(widest, e.width)
	}
	side := int64(joinGapUM+2*widest) + 1
	type cell struct{ x, y int64 }
	cellOf := func(p Point) cell {
		return cell{int64(math.Floor(float64(p.X) / float64(side))), int64(math.Floor(float64(p.Y) / float64(side)))}
	}
	cells := map[cell][]int{}
	for i, e := range ends {
		c := cellOf(e.at)
		cells[c] = append(cells[c], i)
	}
	var pairs []pair
	for i := range ends {
		c := cellOf(ends[i].at)
		for x := c.x - 1; x <= c.x+1; x++ {
			for y := c.y - 1; y <= c.y+1; y++ {
				for _, j := range cells[cell{x, y}] {
					if j <= i || ends[i].stroke == ends[j].stroke {
						continue
					}
					if straight, ok := goesOn(&ends[i], &ends[j], within); ok {
						pairs = append(pairs, pair{i, j, straight})
					}
				}
			}
		}
	}
	slices.SortStableFunc(pairs, func(a, b pair) int {
		return cmp.Or(cmp.Compare(b.straight, a.straight), cmp.Compare(a.i, b.i), cmp.Compare(a.j, b.j))
	})
	return pairs
}

// chained are strokes one after the other, where each of their ends goes on at another: from
// the loose ends, then what has none.
func chained(strokes []Stroke, other []int) []Stroke {
	done := make([]bool, len(strokes))
	var out []Stroke
	chain := func(k, from int) { // from is the end that stroke k is entered at
		var s Stroke
		for !done[k] {
			done[k] = true
			p, w := strokes[k].Points, strokes[k].WidthUM
			if from == 2*k+1 {
				p, w = slices.Clone(p), slices.Clone(w)
				slices.Reverse(p)
				slices.Reverse(w)
			}
			if n := len(s.Points); n > 0 && s.Points[n-1] == p[0] {
				p, w = p[1:], w[1:]
			}
			s.Points, s.WidthUM = append(s.Points, p...), append(s.WidthUM, w...)
			next := other[4*k+1-from] // at the far end
			if next < 0 {
				break
			}
			k, from = next/2, next
		}
		out = append(out, s)
	}
	for k := range strokes {
		if !done[k] && other[2*k] < 0 {
			chain(k, 2*k)
		} else if !done[k] && other[2*k+1] < 0 {
			chain(k, 2*k+1)
		}
	}
	for k := range strokes { // what has no end
		if !done[k] {
			chain(k, 2*k)
		}
	}
	return out
}

// holds tells whether a short way from p to q lies inside, at five places.
func (b *bands) holds(p, q Point) bool {
	for k := range int64(5) {
		if b.inside(Point{p.X + (q.X-p.X)*k/4, p.Y + (q.Y-p.Y)*k/4}) < 0 {
			return false
		}
	}
	return true
}

// withoutStubs leaves out what is not longer than it is wide, as between two walls
// that cross, but for the longest.
func withoutStubs(strokes []Stroke) []Stroke {
	length := make([]float64, len(strokes))
	longest := 0
	for k, s := range strokes {
		for i := range s.Points[1:] {
			length[k] += math.Hypot(float64(s.Points[i+1].X-s.Points[i].X), float64(s.Points[i+1].Y-s.Points[i].Y))
		}
		if length[k] > length[longest] {
			longest = k
		}
	}
	out := strokes[:0]
	for k, s := range strokes {
		if k == longest || length[k] > 1.5*slices.Max(s.WidthUM) {
			out = append(out, s)
		}
	}
	return out
}
