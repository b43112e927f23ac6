package toolpath

import (
	"math"
	"slices"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/polygon"
)

// fill lays everything of a layer but the first-layer hold.
func (s *slicer) fill(w *worker, i int) {
	h := s.heights[i]
	width, gap := um(s.r.LineMM), um(Spacing(s.r.LineMM, h))
	l := Layer{TopMM: s.tops[i], HeightMM: h, Outlines: s.outline[i], Lines: s.shells[i]}
	angle := math.Pi / 4
	if i%2 == 1 {
		angle = -math.Pi / 4
	}
	add := func(kind Kind, lines []polygon.Path) {
		for _, p := range lines {
			l.Lines = append(l.Lines, Line{Kind: kind, Points: p, WidthMM: s.r.LineMM})
		}
	}
	if len(s.solid[i]) > 0 {
		closed := s.solid[i]
		for _, b := range s.spans(w, i) {
			add(Bridge, b.held)
			add(TopBottom, b.loose)
			closed = w.poly.Boolean(polygon.Difference, polygon.NonZero, closed, b.paths)
		}
		add(TopBottom, scan(closed, angle, gap, gap))
	}
	sparse := s.inside[i]
	if len(s.solid[i]) > 0 {
		sparse = w.poly.Boolean(polygon.Difference, polygon.NonZero, s.inside[i], s.solid[i])
	}
	for _, z := range split(w, sparse, s.reach(i, func(r *Region) bool { return r.InfillPercent != nil })) {
		if share := s.infillIn(z.of) / 100; share > 0 && share < 0.995 && len(z.paths) > 0 {
			add(Infill, pattern(w, z.paths, s.r.Pattern, width/share, angle, um(s.tops[i])))
		}
	}
	if len(s.support) > 0 {
		s.fillSupport(w, i, &l, width)
	}
	s.layers[i] = l
}

// scan fills paths with parallel lines every gap µm, at an angle, and joins
// neighbours at their ends where that is no further than reach. A line's middle
// stays half a spacing off the border at the sides.
//
// Lines are cut by the even-odd rule in a turned frame; each cut is rounded to
// whole micrometres once.
func scan(paths []polygon.Path, angle, gap, reach float64) []polygon.Path {
	return scanTo(paths, angle, gap, reach, gap/2)
}

// scanTo is scan with how far the ends of joined lines stay off the border, µm.
func scanTo(paths []polygon.Path, angle, gap, reach, off float64) []polygon.Path {
	if len(paths) == 0 || gap < 1 || gap > widestUM {
		return nil
	}
	sin, cos := math.Sincos(-angle)
	// Lines lie on a lattice of the whole plate, so that layers agree.
	first, last := lattice(paths, sin, cos, gap)
	if last < first || last-first > 4_000_000 {
		return nil
	}
	rows := crossings(paths, sin, cos, gap, first, last)
	back := func(x, y float64) polygon.Point {
		return polygon.Point{X: int64(math.Round(x*cos + y*sin)), Y: int64(math.Round(-x*sin + y*cos))}
	}
	var out []polygon.Path
	type end struct {
		path int     // of out
		x, y float64 // where it ends
		from float64 // the span it belongs to, to see that the next lies beside it
		to   float64
	}
	var open, now []end
	for r, xs := range rows {
		y := float64(r+first) * gap
		now = now[:0]
		for k := 0; k+1 < len(xs); k += 2 {
			a, b := xs[k], xs[k+1]
			if b-a < gap/4 {
				continue
			}
			if reach > 0 { // a joint takes the place of what the ends give up
				inset := math.Min(off, (b-a)/2-gap/16)
				a, b = a+inset, b-inset
			}
			joined := false
			for j := range open {
				o := &open[j]
				if o.path < 0 || o.to < a || b < o.from {
					continue
				}
				// Go on from the nearer end of this span.
				x, z := a, b
				if math.Abs(b-o.x) < math.Abs(a-o.x) {
					x, z = b, a
				}
				if math.Hypot(x-o.x, y-o.y) > reach*1.6 {
					continue
				}
				out[o.path] = append(out[o.path], back(x, y), back(z, y))
				now = append(now, end{o.path, z, y, a, b})
				o.path = -1
				joined = true
				break
			}
			if !joined {
				x, z := a, b
				if (r+first)%2 != 0 {
					x, z = b, a
				}
				out = append(out, polygon.Path{back(x, y), back(z, y)})
				now = append(now, end{len(out) - 1, z, y, a, b})
			}
		}
		open, now = now, open
	}
	return out
}

// lattice is the first and last row, gap apart, that paths turned by the angle of
// sin and cos reach.
func lattice(paths []polygon.Path, sin, cos, gap float64) (first, last int) {
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, p := range paths {
		for _, q := range p {
			y := float64(q.X)*sin + float64(q.Y)*cos
			lo, hi = math.Min(lo, y), math.Max(hi, y)
		}
	}
	if lo > hi {
		return 0, -1
	}
	return int(math.Ceil(lo / gap)), int(math.Floor(hi / gap))
}

// crossings are where the outlines of paths, turned, cross the rows first to last, in
// rising order: what lies inside is from the first to the second, the third to the
// fourth, and so on.
func crossings(paths []polygon.Path, sin, cos, gap float64, first, last int) [][]float64 {
	rows := make([][]float64, last-first+1)
	for _, p := range paths {
		q := p[len(p)-1]
		ax, ay := float64(q.X)*cos-float64(q.Y)*sin, float64(q.X)*sin+float64(q.Y)*cos
		for _, q := range p {
			bx, by := float64(q.X)*cos-float64(q.Y)*sin, float64(q.X)*sin+float64(q.Y)*cos
			y0, y1 := math.Min(ay, by), math.Max(ay, by)
			// Half open: a corner counts once.
			for r := max(first, int(math.Ceil(y0/gap))); r <= last; r++ {
				y := float64(r) * gap
				if y >= y1 {
					break
				}
				rows[r-first] = append(rows[r-first], ax+(y-ay)/(by-ay)*(bx-ax))
			}
			ax, ay = bx, by
		}
	}
	for _, xs := range rows {
		slices.Sort(xs)
	}
	return rows
}

// widestUM is further apart than lines on any plate: no more is filled.
const widestUM = 1e7

// pattern fills the sparse inside so that line length × width is the wanted
// share of the area; pitch is width/share, µm.
func pattern(w *worker, paths []polygon.Path, p recipe.Pattern, pitch, angle, zUM float64) []polygon.Path {
	if pitch > widestUM {
		return nil
	}
	switch p {
	case recipe.PatternLines:
		return scan(paths, angle, pitch, 0)
	case recipe.PatternHoneycomb:
		return clipped(w, paths, honeycomb(paths, pitch))
	case recipe.PatternGyroid:
		return clipped(w, paths, gyroid(paths, pitch, zUM))
	}
	return append(scan(paths, math.Pi/4, 2*pitch, 0), scan(paths, -math.Pi/4, 2*pitch, 0)...)
}

func clipped(w *worker, paths, lines []polygon.Path) []polygon.Path {
	parts, _ := w.poly.ClipLines(polygon.NonZero, lines, paths, true)
	out := parts[:0]
	for _, p := range parts {
		if len(p) > 2 || dist(p[0], p[len(p)-1]) > 200 {
			out = append(out, p)
		}
	}
	return out
}

// honeycomb draws rows of waves of flats and slopes of side a; neighbours are
// mirrored and meet along their flats. A wave of 4a every 3a, rows √3/2·a apart:
// 8/(3√3·a) of line to the area, so a = 8/(3√3) pitches.
func honeycomb(paths []polygon.Path, pitch float64) []polygon.Path {
	a := 8 / (3 * math.Sqrt(3)) * pitch
	rise := a * math.Sqrt(3) / 2
	b := polygon.Bounds(paths...)
	var out []polygon.Path
	for r := math.Floor(float64(b.MinY)/rise) - 1; r*rise <= float64(b.MaxY); r++ {
		var l polygon.Path
		y0, y1 := r*rise, (r+1)*rise
		if math.Mod(r, 2) != 0 {
			y0, y1 = y1, y0
		}
		for c := math.Floor(float64(b.MinX)/(3*a)) - 1; c*3*a <= float64(b.MaxX)+3*a; c++ {
			x := c * 3 * a
			for _, q := range [4][2]float64{{x, y0}, {x + a, y0}, {x + 1.5*a, y1}, {x + 2.5*a, y1}} {
				l = append(l, polygon.Point{X: int64(math.Round(q[0])), Y: int64(math.Round(q[1]))})
			}
		}
		out = append(out, l)
	}
	return out
}

// gyroidCells bounds the cells of a layer's marching squares.
const gyroidCells = 1e6

// gyroid draws the section of sin x·cos y + sin y·cos z + sin z·cos x = 0
// (Schoen 1970) by marching squares. Its surface is 3.0915 to the volume of a
// period (Schröder-Turk et al. 2006, from memory); a section has π/4 of that in
// lines to the area (Saltykov), so a period is 2.428 pitches.
func gyroid(paths []polygon.Path, pitch, zUM float64) []polygon.Path {
	period := 3.0915 * math.Pi / 4 * pitch
	b := polygon.Bounds(paths...)
	// Coarser on a large plate, so that a layer takes tens of megabytes at the most.
	steps := 12.0
	for steps > 4 && steps*steps*float64(b.MaxX-b.MinX)*float64(b.MaxY-b.MinY) > gyroidCells*period*period {
		steps--
	}
	if steps*steps*float64(b.MaxX-b.MinX)*float64(b.MaxY-b.MinY) > 4*gyroidCells*period*period {
		return scan(paths, 0, pitch, 0) // so dense that nobody could tell
	}
	cell := period / steps
	x0, y0 := int(math.Floor(float64(b.MinX)/cell))-1, int(math.Floor(float64(b.MinY)/cell))-1
	nx, ny := int(math.Ceil(float64(b.MaxX)/cell))+1-x0, int(math.Ceil(float64(b.MaxY)/cell))+1-y0
	k := 2 * math.Pi / steps
	sz, cz := math.Sincos(2 * math.Pi * zUM / period)
	value := func(i, j int) float64 {
		sx, cx := math.Sincos(float64(x0+i) * k)
		sy, cy := math.Sincos(float64(y0+j) * k)
		return sx*cy + sy*cz + sz*cx
	}
	return contour(nx, ny, value, func(i, j float64) polygon.Point {
		return polygon.Point{X: int64(math.Round((float64(x0) + i) * cell)), Y: int64(math.Round((float64(y0) + j) * cell))}
	})
}

// crossed is where a field is zero on the edges of a lattice, in the order in which they were
// found, and which of them a cell joins.
type crossed struct {
	at    map[int]polygon.Point // by the number of the edge
	links map[int][]int
	order []int
}

// contour is where a field over a lattice of nx by ny cells is zero: lines through its cells
// (marching squares). place is where a point of the lattice lies.
func contour(nx, ny int, value func(i, j int) float64, place func(i, j float64) polygon.Point) []polygon.Path {
	// Edges are numbered 2·(j·(nx+1)+i) along x, +1 along y.
	c := crossed{map[int]polygon.Point{}, map[int][]int{}, nil}
	above := make([]float64, nx+1)
	below := make([]float64, nx+1)
	for i := range below {
		below[i] = value(i, 0)
	}
	for j := range ny {
		for i := range above {
			above[i] = value(i, j+1)
		}
		for i := range nx {
			v := [4]float64{below[i], below[i+1], above[i+1], above[i]}
			e := [4]int{2 * (j*(nx+1) + i), 2*(j*(nx+1)+i+1) + 1, 2 * ((j+1)*(nx+1) + i), 2*(j*(nx+1)+i) + 1}
			corner := [4][2]float64{{float64(i), float64(j)}, {float64(i + 1), float64(j)}, {float64(i + 1), float64(j + 1)}, {float64(i), float64(j + 1)}}
			var hit []int
			for s := range 4 {
				t := (s + 1) % 4
				if (v[s] > 0) == (v[t] > 0) {
					continue
				}
				if _, ok := c.at[e[s]]; !ok {
					f := v[s] / (v[s] - v[t])
					c.at[e[s]] = place(corner[s][0]+f*(corner[t][0]-corner[s][0]), corner[s][1]+f*(corner[t][1]-corner[s][1]))
					c.order = append(c.order, e[s])
				}
				hit = append(hit, e[s])
			}
			for s := 0; s+1 < len(hit); s += 2 {
				c.links[hit[s]] = append(c.links[hit[s]], hit[s+1])
				c.links[hit[s+1]] = append(c.links[hit[s+1]], hit[s])
			}
		}
		above, below = below, above
	}
	return c.lines()
}

// lines are the crossings joined: from loose ends first, then rings.
func (c *crossed) lines() []polygon.Path {
	seen := map[int]bool{}
	var out []polygon.Path
	trace := func(from int) {
		l := polygon.Path{c.at[from]}
		seen[from] = true
		for here := from; ; {
			next := -1
			for _, o := range c.links[here] {
				if !seen[o] {
					next = o
				}
			}
			if next < 0 {
				break
			}
			seen[next] = true
			l = append(l, c.at[next])
			here = next
		}
		if len(l) > 1 {
			out = append(out, polygon.SimplifyLine(l, 10, nil))
		}
	}
	for _, e := range c.order {
		if len(c.links[e]) == 1 && !seen[e] {
			trace(e)
		}
	}
	for _, e := range c.order {
		if !seen[e] {
			trace(e)
		}
	}
	return out
}
