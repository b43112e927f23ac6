package toolpath

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/section"
)

// unlaid is a place of a layer that no line fits in.
type unlaid struct {
	at      polygon.Point
	areaMM2 float64
}

// rest lays what the lines laid in a thin figure leave of it, wherever LeastShare of a
// line fits, and notes what is left: all of a figure that stands alone, and of one
// that hangs on what is wide enough, what is more than a corner.
func (s *slicer) rest(w *worker, i int, f polygon.Figure, laid []Line, hangs func(polygon.Figure) bool) []Line {
	width := um(s.r.LineMM)
	left := f.Paths()
	crumb := crumbShare * width * width
	switch area := figureArea(f); {
	case len(laid) > 0:
		covered := 0.0
		for k := range laid {
			covered += laid[k].coverUM2()
		}
		if covered >= 0.9*area || area-covered < crumb {
			return nil
		}
		left = w.poly.Boolean(polygon.Difference, polygon.NonZero, left, w.poly.Strokes(strokesOf(laid), mitre))
	case area < crumb:
		if hangs(f) {
			return nil // a corner that opening has rounded off
		}
		crumb = 0
	}
	var more []Line
	for _, g := range polygon.Figures(left) {
		if figureArea(g) < crumb {
			continue
		}
		paths := g.Paths()
		for _, core := range polygon.Figures(w.poly.Offset(paths, -LeastShare*width/2, mitre)) {
			more = append(more, s.dab(w, paths, core)...)
		}
	}
	if len(more) > 0 {
		left = w.poly.Boolean(polygon.Difference, polygon.NonZero, left, w.poly.Strokes(strokesOf(more), mitre))
		crumb = crumbShare * width * width
	}
	for _, g := range polygon.Figures(left) {
		if a := figureArea(g); a >= crumb {
			s.unlaid[i] = append(s.unlaid[i], unlaid{g.Outer[0], a / 1e6})
		}
	}
	return more
}

// dab is a line along a figure, of which core is what lies deeper than half of
// LeastShare of a line: as wide as the figure, or a ring where it is one, or is wide.
func (s *slicer) dab(w *worker, figure []polygon.Path, core polygon.Figure) []Line {
	width := um(s.r.LineMM)
	even := func(points polygon.Path, closed bool, wide float64) Line {
		return Line{Kind: Outer, Closed: closed, Points: points, WidthMM: wide / 1000, Widths: slices.Repeat([]float64{wide}, len(points))}
	}
	if len(core.Holes) > 0 {
		rim := core.Outer.Length() * 1000
		for _, h := range core.Holes {
			rim += h.Length() * 1000
		}
		thick := 2 * figureArea(core) / rim
		var out []Line
		for _, p := range w.poly.Offset([]polygon.Path{core.Outer}, -thick/2, mitre) {
			out = append(out, even(p, true, thick+LeastShare*width))
		}
		return out
	}
	box := polygon.SmallestRectangle(core.Outer)
	short := math.Min(box.ShortUM, core.Outer.Area()*1e6/math.Max(box.LongUM, 1))
	across := short + LeastShare*width
	if across > 1.5*width {
		var out []Line
		for _, p := range w.poly.Offset(figure, -across/4, mitre) {
			out = append(out, even(p, true, across/2))
		}
		return out
	}
	line, ok := middle(figure, box, math.Max(box.LongUM-short, across/4)/2)
	if !ok { // a dot where there is room for one
		a, b := core.Outer[0], core.Outer[1]
		f := math.Min(1, LeastShare*width/2/math.Max(dist(a, b), 1))
		b = polygon.Point{X: a.X + int64(f*float64(b.X-a.X)), Y: a.Y + int64(f*float64(b.Y-a.Y))}
		return []Line{even(polygon.Path{a, b}, false, LeastShare*width)}
	}
	// The box may be wider than the figure is at the ends.
	for _, q := range []polygon.Point{line[0], {X: (line[0].X + line[1].X) / 2, Y: (line[0].Y + line[1].Y) / 2}, line[1]} {
		room := 2*clearance(figure, q, across) + width/4
		across = math.Max(LeastShare*width, math.Min(across, room))
	}
	return []Line{even(line, false, across)}
}

// middle is a line along the middle of the smallest box around a figure, half as long
// each way; false where the figure is a bow, and the line would be its string.
func middle(figure []polygon.Path, box polygon.Rectangle, half float64) (polygon.Path, bool) {
	sin, cos := math.Sincos(box.AngleRad)
	at := func(d float64) polygon.Point {
		return polygon.Point{X: int64(math.Round(box.CentreX + d*cos)), Y: int64(math.Round(box.CentreY + d*sin))}
	}
	for _, share := range []float64{-1, -0.5, 0, 0.5, 1} {
		if polygon.Inside(polygon.NonZero, figure, at(share*half)) < 0 {
			return nil, false
		}
	}
	return polygon.Path{at(-half), at(half)}, true
}

// figureArea is in µm².
func figureArea(f polygon.Figure) float64 { return 1e6 * areaMM2(f.Paths()) }

// coverUM2 is the area a line covers, overlaps with itself not taken off.
func (l *Line) coverUM2() float64 {
	a, n := 0.0, len(l.Points)
	for k := range n {
		if k+1 == n && !l.Closed {
			break
		}
		next := (k + 1) % n
		wide := 2000 * l.WidthMM
		if l.Widths != nil {
			wide = l.Widths[k] + l.Widths[next]
		}
		a += dist(l.Points[k], l.Points[next]) * wide / 2
	}
	return a
}

func strokesOf(lines []Line) []polygon.Stroke {
	out := make([]polygon.Stroke, len(lines))
	for k, l := range lines {
		st := polygon.Stroke{Points: l.Points, WidthUM: l.Widths}
		if st.WidthUM == nil {
			st.WidthUM = slices.Repeat([]float64{1000 * l.WidthMM}, len(l.Points))
		}
		if l.Closed {
			st.Points = append(slices.Clone(st.Points), st.Points[0])
			st.WidthUM = append(slices.Clone(st.WidthUM), st.WidthUM[0])
		}
		out[k] = st
	}
	return out
}

// spotMM is how far apart the same thin place may lie from layer to layer.
const spotMM = 2

// mostSpots are told by their place; the others are summed.
const mostSpots = 3

// tellUnlaid says what no line fits in, with its place, and refuses what is nothing
// else.
func (s *slicer) tellUnlaid() error {
	type spot struct {
		at         polygon.Point
		from, last int // layers
		mm, mm2    float64
		mm3        float64
	}
	var spots []spot
	laid := false
	for i := range s.unlaid {
		laid = laid || len(s.shells[i]) > 0 || len(s.inside[i]) > 0
		for _, u := range s.unlaid[i] {
			k := 0
			for k < len(spots) && (spots[k].last < i-1 || dist(spots[k].at, u.at) > um(spotMM)) {
				k++
			}
			if k == len(spots) {
				if len(spots) == maxSpots {
					k-- // whatever it is
				} else {
					spots = append(spots, spot{at: u.at, from: i, last: -1})
				}
			}
			p := &spots[k]
			if p.last != i {
				p.mm += s.heights[i]
			}
			p.last, p.at = i, u.at
			p.mm2 = math.Max(p.mm2, u.areaMM2)
			p.mm3 += u.areaMM2 * s.heights[i]
		}
	}
	least := LeastShare * s.r.LineMM
	if !laid {
		return fmt.Errorf(
			"nothing of it can be laid: it is nowhere %.2f mm thick, which is the least that a line of %.3g mm takes; thicken it, or use a finer nozzle and line",
			least,
			s.r.LineMM,
		)
	}
	slices.SortStableFunc(spots, func(a, b spot) int { return cmp.Compare(b.mm3, a.mm3) })
	more, mm3 := 0, 0.0
	for k, p := range spots {
		if k >= mostSpots || p.last == p.from && p.mm3 < crumbMM3 {
			more++
			mm3 += p.mm3
			continue
		}
		s.notes = append(s.notes, fmt.Sprintf("Too thin to be laid (less than %.2f mm): %.2f mm of height and up to %.2f mm² from %.2f mm up, at X %.1f, Y %.1f.",
			least, p.mm, p.mm2, s.tops[p.from]-s.heights[p.from], float64(p.at.X)/1000, float64(p.at.Y)/1000))
	}
	if more > 0 {
		places := "places"
		if more == 1 {
			places = "place"
		}
		s.notes = append(s.notes, fmt.Sprintf("Too thin to be laid (less than %.2f mm) at %d other %s, %.3f mm³ together.", least, more, places, mm3))
	}
	return nil
}

// tellRounded says how far lines stay short of sharp corners, as they were laid.
func (s *slicer) tellRounded() {
	var worst, height float64
	var at polygon.Point
	n := 0
	for i := range s.outline {
		t := section.TipsOf(s.outline[i])
		if t.Count == 0 {
			continue
		}
		short := math.Inf(1)
		for k := range s.shells[i] {
			l := &s.shells[i][k]
			for j := range l.Points {
				if j+1 == len(l.Points) && !l.Closed {
					break
				}
				short = math.Min(short, polygon.FromSegment(t.At, l.Points[j], l.Points[(j+1)%len(l.Points)])/1000-l.WidthMM/2)
			}
		}
		if short < RoundedMM || short > 3*s.r.LineMM { // what is not laid at all is told by tellUnlaid
			continue
		}
		n, height = max(n, t.Count), height+s.heights[i]
		if short > worst {
			worst, at = short, t.At
		}
	}
	if n > 0 {
		s.notes = append(
			s.notes,
			fmt.Sprintf("Corners sharper than %d° are rounded off over %.2f mm of height, up to %d in a layer: lines end up to %.2f mm short of them, the most at X %.1f, Y %.1f.",
				section.SharpDeg, height, n, worst, float64(at.X)/1000, float64(at.Y)/1000),
		)
	}
}

// RoundedMM is how far short of a corner lines may end untold.
const RoundedMM = 0.2

// maxSpots bounds the places that are told apart. crumbMM3 is what of a single layer is
// only counted: a sliver at the foot of a slope.
const (
	maxSpots = 200
	crumbMM3 = 0.1
)
