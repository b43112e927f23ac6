package toolpath

import (
	"context"
	"math"
	"slices"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/polygon"
)

// standSupport goes down from the top: under overhangs free, support stands
// until it meets the plate or the part, a gap away from its walls. It leaves
// what is smaller than a line can hold.
func (s *slicer) standSupport(ctx context.Context) error {
	n := len(s.outline)
	forced := false
	for _, m := range s.marks {
		forced = forced || m.Force
	}
	if s.r.Support == recipe.SupportOff && !forced || n < 2 {
		return nil
	}
	s.support, s.dense = make([][]polygon.Path, n), make([][]polygon.Path, n)
	var poly polygon.Scratch
	gap, width := um(*s.r.SupportHorizontalGapMM), um(s.r.LineMM)
	// For support that may not stand on the part: what of the plate is free up to
	// each layer.
	under := s.under
	if s.r.Support == recipe.SupportPlateOnly {
		under = make([][]polygon.Path, n)
		var all []polygon.Path
		for i := range n {
			under[i] = all
			all = coarser(poly.Boolean(polygon.Union, polygon.NonZero, all, s.outline[i]))
		}
		s.under = under
	}
	// What can be made for each layer alone is made on all cores.
	fresh, off := make([][]polygon.Path, n), make([][]polygon.Path, n)
	if err := overLayers(ctx, n, func(w *worker, i int) {
		off[i] = s.keepsOff(w, i, gap)
		if need := worthSupport(s.needsSupport(&w.poly, i), width); len(need) > 0 {
			fresh[i] = coarser(w.poly.Offset(need, um(ReachMM(&s.r, s.heights[i])), exact))
		}
	}, func(float64) {}); err != nil {
		return err
	}
	if err := s.columns(ctx, &poly, fresh, off, under); err != nil {
		return err
	}
	if err := overLayers(ctx, n, func(w *worker, i int) {
		here := smoothed(smoothed(s.support[i], 2.5*width), 2.5*width)
		// What is narrower than a line cannot stand.
		here = smoothed(w.poly.Offset(w.poly.Offset(here, -0.45*width, mitre), 0.45*width, support), 2.5*width)
		s.support[i] = s.onPlate(&w.poly, w.poly.Union(polygon.NonZero, here))
	}, func(float64) {}); err != nil {
		return err
	}
	s.dropLoose(&poly)
	return overLayers(ctx, n, func(w *worker, i int) {
		if len(s.dense[i]) > 0 && len(s.support[i]) > 0 {
			s.dense[i] = w.poly.Boolean(polygon.Intersection, polygon.NonZero, s.support[i], w.poly.Union(polygon.NonZero, s.dense[i]))
		} else {
			s.dense[i] = nil
		}
	}, func(float64) {})
}

// columns goes down from the top: what needs support afresh in each layer joins the columns
// from above, which keep off what is in their way, and off what is under, if that is asked for.
func (s *slicer) columns(ctx context.Context, poly *polygon.Scratch, fresh, off, under [][]polygon.Path) error {
	n, drop, gap := len(s.outline), s.verticalGap(), um(*s.r.SupportHorizontalGapMM)
	var column []polygon.Path
	dense := make([][]polygon.Path, 0, *s.r.SupportInterface+1) // of the latest layers
	for i := n - 1; i >= 0; i-- {
		if err := ctx.Err(); err != nil {
			return err
		}
		var above []polygon.Path
		if k := i + 1 + drop; k < n && len(fresh[k]) > 0 {
			above = fresh[k]
			column = poly.Boolean(polygon.Union, polygon.NonZero, column, above)
		}
		dense = append(dense, above)
		if len(dense) > max(1, *s.r.SupportInterface) {
			dense = dense[1:]
		}
		if len(column) == 0 {
			continue
		}
		column = coarser(poly.Boolean(polygon.Difference, polygon.NonZero, column, off[i]))
		here := column
		if under != nil {
			here = poly.Boolean(polygon.Difference, polygon.NonZero, here, poly.Offset(under[i], gap, support))
		}
		if s.r.Support == recipe.SupportFirstLayer && s.tops[i] > s.r.FirstLayerMM+s.r.LayerMM/2 {
			here = nil
		}
		s.support[i] = here
		if *s.r.SupportInterface > 0 {
			for _, f := range dense {
				s.dense[i] = append(s.dense[i], f...)
			}
		}
	}
	return nil
}

// dropLoose cuts support back, from below, to what stands: beside a ledge the gap leaves
// some of a column over nothing, and the column begins on the ledge. It grows over what it
// stands on by half a line a layer, as lines can. Going up, support else grows only where it
// begins, so that layers that did not grow are not looked at.
func (s *slicer) dropLoose(poly *polygon.Scratch) {
	least := s.r.LineMM * s.r.LineMM
	for i, before := 1, areaMM2(s.support[0]); i < len(s.support); i++ {
		area := areaMM2(s.support[i])
		grew := area > before+least
		before = area
		if len(s.support[i]) == 0 || !grew {
			continue
		}
		below := slices.Clone(s.support[i-1])
		// On a slope as steep as two to one its foot sags by twice the gap.
		for k := 1; k <= i && k <= max(1+s.verticalGap(), int(math.Ceil(2**s.r.SupportHorizontalGapMM/s.heights[i]))); k++ {
			below = append(below, s.outline[i-k]...)
		}
		below = poly.Offset(below, um(s.r.LineMM)/2, support)
		if areaMM2(poly.Boolean(polygon.Difference, polygon.NonZero, s.support[i], below)) > least {
			s.support[i] = poly.Boolean(polygon.Intersection, polygon.NonZero, s.support[i], below)
			before = areaMM2(s.support[i])
		}
	}
}

// keepsOff is where support may not stand in layer i: in the part or beside its walls,
// nor, where it stands on the part, within the gap above it. Over a slope that is no
// wall it comes as near as that gap.
func (s *slicer) keepsOff(w *worker, i int, gap float64) []polygon.Path {
	off := w.poly.Offset(s.outline[i], gap, support)
	if i == 0 {
		return off
	}
	near := s.outline[i]
	for k := 1; k <= s.verticalGap() && k <= i; k++ {
		near = w.poly.Boolean(polygon.Union, polygon.NonZero, near, s.outline[i-k])
	}
	// What a slope of 45° or less brings under the gap at the wall.
	if below := i - max(s.verticalGap()+1, int(math.Ceil(gap/um(s.heights[i])))); below >= 0 {
		slope := w.poly.Boolean(polygon.Difference, polygon.NonZero, s.outline[below], near)
		if slope = w.poly.Offset(slope, -gap/4, mitre); len(slope) > 0 { // no more than a wall's lean
			slope = w.poly.Offset(slope, gap/4+10, mitre)
			off = w.poly.Boolean(polygon.Difference, polygon.NonZero, off, slope)
		}
	}
	if s.verticalGap() == 0 {
		return off
	}
	return w.poly.Boolean(polygon.Union, polygon.NonZero, off, near)
}

// ReachMM is how far support reaches beyond what it carries in a layer of height
// h: wide enough for the line that hangs at the edge, and far enough for what a
// slope needs layer by layer to join, though each ring of it is cut by the gap:
// from the outline as many layers down as stay free. The recipe has its defaults.
func ReachMM(r *recipe.Recipe, h float64) float64 {
	lean := h * math.Tan(r.SupportDeg*math.Pi/180)
	return math.Max(r.LineMM/2, *r.SupportHorizontalGapMM-float64(DropLayers(r))*lean+0.02)
}

// supportUM is how exactly support follows the part: its gap is sixteen times that.
const supportUM = 40

var support = polygon.Offsets{Join: polygon.Mitre, MitreLimit: 2, SimplifyUM: supportUM}

// exact is for overhangs: a slope a few degrees past the angle hangs by less than
// supportUM a layer.
var exact = polygon.Offsets{Join: polygon.Mitre, MitreLimit: 2, SimplifyUM: 4}

// coarser simplifies a column, so that it does not gather the corners of all the
// layers it has passed.
func coarser(paths []polygon.Path) []polygon.Path {
	out := paths[:0]
	for _, p := range paths {
		if q := polygon.Simplify(p, supportUM, nil); len(q) >= 3 {
			out = append(out, q)
		}
	}
	return out
}

// smoothed takes the teeth off outlines: overhangs ends a little further in each layer,
// and where all of it has come together the rim is a saw. Sides shorter than that give way
// to their middles, which lie in a line along a saw.
func smoothed(paths []polygon.Path, short float64) []polygon.Path {
	var out []polygon.Path
	for _, p := range paths {
		q := make(polygon.Path, 0, len(p)+8)
		a := p[len(p)-1]
		for _, b := range p {
			if dist(a, b) <= short {
				q = append(q, polygon.Point{X: (a.X + b.X) / 2, Y: (a.Y + b.Y) / 2})
			} else {
				q = append(q, a, b)
			}
			a = b
		}
		if q = polygon.Simplify(q, supportUM, nil); len(q) >= 3 {
			out = append(out, q)
		}
	}
	return out
}

// DropLayers is how many layers stay free between support and what rests on it.
// The recipe has its defaults.
func DropLayers(r *recipe.Recipe) int { return int(math.Round(*r.SupportVerticalGapMM / r.LayerMM)) }

func (s *slicer) verticalGap() int { return DropLayers(&s.r) }

// meets says that a mark is for layer k.
func (s *slicer) meets(m *SupportMark, k int) bool {
	return s.tops[k] >= m.FromMM && s.tops[k]-s.heights[k] <= m.ToMM
}

// needsSupport is overhangs free in layer k, with what was marked by hand.
func (s *slicer) needsSupport(poly *polygon.Scratch, k int) []polygon.Path {
	need := s.overhang[k]
	if s.r.Support == recipe.SupportOff {
		need = nil
	}
	for _, m := range s.marks {
		if !s.meets(&m, k) {
			continue
		}
		if m.Force {
			need = poly.Boolean(polygon.Union, polygon.NonZero, need, poly.Boolean(polygon.Intersection, polygon.NonZero, s.overhang[k], m.Paths))
		} else {
			need = poly.Boolean(polygon.Difference, polygon.NonZero, need, m.Paths)
		}
	}
	return need
}

// worthSupport leaves out overhangs by less than a line each way: the roughness of a
// scan, which what is laid beside it holds.
func worthSupport(need []polygon.Path, width float64) []polygon.Path {
	out := need[:0:0]
	for _, p := range need {
		if b := polygon.Bounds(p); float64(max(b.MaxX-b.MinX, b.MaxY-b.MinY)) >= width {
			out = append(out, p)
		}
	}
	return out
}

// fillSupport draws support: a sparse lattice of lines one way, dense lines
// across it where something rests.
func (s *slicer) fillSupport(w *worker, i int, l *Layer, width float64) {
	here := s.support[i]
	if len(here) == 0 {
		return
	}
	add := func(lines []polygon.Path) {
		for _, p := range lines {
			l.Lines = append(l.Lines, Line{Kind: Support, Points: p, WidthMM: s.r.LineMM})
		}
	}
	// Along an interface no rim is needed, and inside a pillar nothing would carry it.
	var besideDense []polygon.Path
	offRoof := func(lines []polygon.Path) []polygon.Path {
		if len(besideDense) == 0 {
			return lines
		}
		out, _ := w.poly.ClipLines(polygon.NonZero, lines, besideDense, false)
		return out
	}
	if len(s.dense[i]) > 0 {
		besideDense = w.poly.Offset(s.dense[i], width, support)
		thick := width * 100 / s.r.SupportInterfacePercent
		for _, f := range polygon.Figures(s.dense[i]) {
			if thick > 3*width || roomy(f, narrowDense*thick) {
				add(scan(f.Paths(), math.Pi/2, thick, thick))
			} else {
				s.along(w, l, f, thick)
			}
		}
		here = w.poly.Boolean(polygon.Difference, polygon.NonZero, here, s.dense[i])
	}
	pitch := width * 100 / s.r.SupportPercent
	lattice := func(paths, border []polygon.Path, angle, pitch float64) {
		add(scanTo(paths, angle, pitch, pitch, width/2))
		add(alongRows(border, angle, pitch, width))
	}
	for _, f := range polygon.Figures(here) {
		paths := f.Paths()
		if figureArea(f) < LonelyLines*width*width {
			continue
		}
		if len(w.poly.Offset(paths, -width, support)) == 0 { // two lines would lie on each other
			for _, st := range w.poly.Medial(paths, LeastShare*width, 3*width) {
				add(offRoof([]polygon.Path{plainer(st).Points}))
			}
			continue
		}
		border := w.poly.Offset(paths, -width/2, support)
		switch {
		case !roomy(f, PillarPitches/2*pitch): // the lattice would be loose pieces
			for _, p := range border {
				round := append(slices.Clone(p), p[0])
				if off := offRoof([]polygon.Path{round}); len(off) == 1 && len(off[0]) == len(round) {
					l.Lines = append(l.Lines, Line{Kind: Support, Closed: true, Points: p, WidthMM: s.r.LineMM})
				} else {
					add(off)
				}
			}
			if roomy(f, pitch/2+1.5*width) { // its sides are further apart than rows are
				add(scanTo(border, 0, pitch, 0, 0))
			}
		case s.r.SupportPattern == recipe.SupportGrid:
			lattice(paths, border, 0, 2*pitch)
			lattice(paths, border, math.Pi/2, 2*pitch)
		default:
			lattice(paths, border, 0, pitch)
		}
	}
}

// narrowDense is how many of its rows an interface must be wide each way from its middle for
// rows: along a slope it is a strip that moves on layer by layer, and rows on their lattice
// would lie beside those beneath.
const narrowDense = 1.5

// along lays lines along the rim of a narrow figure, thick µm apart, one where no two fit.
func (s *slicer) along(w *worker, l *Layer, f polygon.Figure, thick float64) {
	width := um(s.r.LineMM)
	rest := f.Paths()
	for in := width / 2; len(rest) > 0; in = thick / 2 {
		rings := w.poly.Offset(rest, -in, support)
		if len(w.poly.Offset(rings, -thick/4, support)) == 0 {
			for _, st := range w.poly.Medial(rest, LeastShare*width, 2*(thick+in)) {
				l.Lines = append(l.Lines, Line{Kind: Support, Points: plainer(st).Points, WidthMM: s.r.LineMM})
			}
			return
		}
		for _, p := range rings {
			l.Lines = append(l.Lines, Line{Kind: Support, Closed: true, Points: p, WidthMM: s.r.LineMM})
		}
		rest = w.poly.Offset(rings, -thick/2, support)
	}
}

// LonelyLines is how many squares of a line support must cover to stand at all.
const LonelyLines = 2.0

// roomy says that a disc of the given radius, µm, fits in a figure, or nearly.
func roomy(f polygon.Figure, radius float64) bool {
	area, rim := figureArea(f), f.Outer.Length()*1000
	for _, h := range f.Holes {
		rim += h.Length() * 1000
	}
	switch {
	case area >= radius*rim: // the widest disc is at least that wide, whatever the figure
		return true
	case area < math.Pi*radius*radius:
		return false
	}
	// Discs on a lattice so fine that one of that radius, or nearly, cannot slip through.
	// An offset would take its time over a rugged rim.
	paths := f.Paths()
	step := radius / 4
	first, last := lattice(paths, 0, 1, step)
	if last < first || last-first > 20_000 {
		return false
	}
	least := 0.82 * radius
	for r, xs := range crossings(paths, 0, 1, step, first, last) {
		y := float64(r+first) * step
		for k := 0; k+1 < len(xs); k += 2 {
			for x := xs[k] + least; x <= xs[k+1]-least; x += step {
				d := clearance(paths, polygon.Point{X: int64(x), Y: int64(y)}, least)
				if d >= least {
					return true
				}
				x += math.Max(0, math.Floor((least-d)/step)-1) * step // no disc is nearer than that
			}
		}
	}
	return false
}

// clearance is how far q is from the nearest outline, µm, if that is less than enough;
// else it is more.
func clearance(paths []polygon.Path, q polygon.Point, enough float64) float64 {
	best, far := math.Inf(1), int64(enough)+1
	for _, p := range paths {
		a := p[len(p)-1]
		for _, b := range p {
			if min(a.X, b.X) <= q.X+far && max(a.X, b.X) >= q.X-far && min(a.Y, b.Y) <= q.Y+far && max(a.Y, b.Y) >= q.Y-far {
				best = math.Min(best, polygon.FromSegment(q, a, b))
			}
			a = b
		}
	}
	return best
}

// alongRows are the stretches of a border that run with the rows of a lattice, as its
// rows leave them out: those further than one and a half lines from the next row inside,
// and long enough to stand. Between rows nothing would carry what stands there.
func alongRows(border []polygon.Path, angle, pitch, width float64) []polygon.Path {
	sin, cos := math.Sincos(-angle)
	free := 1.5 * width
	var out []polygon.Path
	end := func(l polygon.Path) {
		length := 0.0
		for k := 1; k < len(l); k++ {
			length += dist(l[k-1], l[k])
		}
		if length > 4*width {
			out = append(out, l)
		}
	}
	for _, p := range border {
		p = polygon.Simplify(p, width/3, nil) // a rugged rim would be crumbs
		n := len(p)
		keep := make([]bool, n) // the side from point k to the next
		from := 0               // where a stretch begins
		for k := range n {
			a, b := p[k], p[(k+1)%n]
			dx := float64(b.X-a.X)*cos - float64(b.Y-a.Y)*sin
			dy := float64(b.X-a.X)*sin + float64(b.Y-a.Y)*cos
			if math.Abs(dx) < math.Abs(dy) {
				continue
			}
			// The figure is at the left of its border.
			row := (float64(a.X)*sin + float64(a.Y)*cos + dy/2) / pitch
			gap := (math.Ceil(row) - row) * pitch
			if dx < 0 {
				gap = (row - math.Floor(row)) * pitch
			}
			keep[k] = gap > width || math.Abs(dy) > free
		}
		for k := range n {
			if keep[k] && !keep[(k+n-1)%n] {
				from = k
			}
		}
		var l polygon.Path
		for j := range n {
			k := (from + j) % n
			if !keep[k] {
				end(l)
				l = nil
				continue
			}
			if l == nil {
				l = polygon.Path{p[k]}
			}
			l = append(l, p[(k+1)%n])
		}
		end(l)
	}
	return out
}

// PillarPitches is how many pitches of its lattice support must be wide, somewhere,
// to be filled with it alone; narrower, it gets its outline, with rows where one is
// needed.
const PillarPitches = 2.0
