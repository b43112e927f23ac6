package toolpath

import (
	"context"
	"math"
	"slices"

	"jobshelf/core/shape/polygon"
)

// carry lays struts beneath lines of support that would hang: an interface that begins over the
// open lattice, an outline over the hollow of a pillar. A strut goes from line to line of
// the layer beneath, by the shortest way. An end that no strut reaches is cut back: it would
// curl up into the nozzle's way.
func (s *slicer) carry(ctx context.Context) error {
	if len(s.support) == 0 {
		return nil
	}
	struts, loose := make([][]Line, len(s.layers)), make([]bool, len(s.layers))
	if err := overLayers(ctx, len(s.layers)-1, func(w *worker, i int) { struts[i], loose[i+1] = s.struts(w, i) }, func(float64) {}); err != nil {
		return err
	}
	for i := range struts {
		s.layers[i].Lines = append(s.layers[i].Lines, struts[i]...)
	}
	var below ground
	for i := range loose { // from below: what is cut back carries nothing
		if err := ctx.Err(); err != nil {
			return err
		}
		if loose[i] {
			below.stand(s, i-1)
			s.cutBack(i, &below)
		}
	}
	return nil
}

// cutBack takes off what of the ends of support in layer i hangs by more than a line and a half.
func (s *slicer) cutBack(i int, below *ground) {
	width := um(s.r.LineMM)
	lines := s.layers[i].Lines
	for k := range lines {
		l := &lines[k]
		if l.Kind != Support || l.Closed {
			continue
		}
		dots := dotted(nil, l.Points, false, width/2)
		n := len(dots)
		from, to := 0, n // of what is carried
		for from < n && !below.carries(dots[from], width) {
			from++
		}
		if from == n {
			continue // it begins there, over a slope deeper than the gap
		}
		for !below.carries(dots[to-1], width) {
			to--
		}
		if from <= mayHang && to >= n-mayHang {
			continue
		}
		from, to = max(0, from-mayHang), min(n, to+mayHang)
		path := dots[from:to:to]
		l.Points = slices.DeleteFunc(path, func(q polygon.Point) bool {
			return q != path[0] && q != path[len(path)-1] && !slices.Contains(l.Points, q)
		})
	}
}

// mayHang is how many dots an end of a line may hang out: a line and a half.
const mayHang = 3

// ground is what lines of support may stand on: support of a layer, and of those beneath it
// that stay free over the part, and the part there.
type ground struct {
	plate        bool
	lines, walls dots
	part         [][]polygon.Path
}

// stand makes g that of what lies on layer i; on none is the plate.
func (g *ground) stand(s *slicer, i int) {
	g.plate = i < 0
	if g.plate {
		return
	}
	width := um(s.r.LineMM)
	g.lines.reset(width)
	g.walls.reset(width)
	from := max(0, i-s.verticalGap())
	g.part = s.outline[from : i+1]
	for k := from; k <= i; k++ {
		for j := range s.layers[k].Lines {
			if l := &s.layers[k].Lines[j]; l.Kind == Support {
				g.lines.add(l.Points, l.Closed, width/2)
			}
		}
		for _, o := range s.outline[k] {
			g.walls.add(o, true, width/2)
		}
	}
}

// carries says that something lies beneath q, or within so many µm aside.
func (g *ground) carries(q polygon.Point, aside float64) bool {
	return g.plate || g.lines.near(q, aside) || g.walls.near(q, aside) ||
		slices.ContainsFunc(g.part, func(o []polygon.Path) bool { return polygon.Inside(polygon.NonZero, o, q) >= 0 })
}

// struts are those of layer i for the support of the layer above, and whether one of its ends
// hangs yet.
func (s *slicer) struts(w *worker, i int) (out []Line, loose bool) {
	width := um(s.r.LineMM)
	pitch := width * 100 / s.r.SupportPercent
	var own []*Line
	for k := range s.layers[i].Lines {
		if l := &s.layers[i].Lines[k]; l.Kind == Support {
			own = append(own, l)
		}
	}
	if len(own) == 0 {
		return nil, true
	}
	here, below := &w.here, &w.below
	here.stand(s, i)
	asked := false
	for k := range s.layers[i+1].Lines {
		l := &s.layers[i+1].Lines[k]
		if l.Kind != Support {
			continue
		}
		w.dots = dotted(w.dots[:0], l.Points, l.Closed, width/2)
		for _, at := range hanging(w.dots, l.Closed, width/2, pitch, here) {
			q := w.dots[at]
			if here.lines.near(q, width) {
				continue // by a strut for a neighbour
			}
			if !asked {
				below.stand(s, i-1)
				asked = true
			}
			if strut, ok := s.strut(i, q, own, 3*pitch, below); ok {
				out = append(out, Line{Kind: Support, Points: strut, WidthMM: s.r.LineMM})
				here.lines.add(strut, false, width/2)
			} else {
				loose = true
			}
		}
	}
	return out, loose
}

// hanging are those of a line's dots, step µm apart, that want a strut.
func hanging(dots []polygon.Point, closed bool, step, pitch float64, on *ground) []int {
	n := len(dots)
	free := make([]bool, n)
	first := -1 // a dot that is carried
	for k, q := range dots {
		if free[k] = !on.carries(q, 2*step); !free[k] {
			first = k
		}
	}
	if !closed || first < 0 {
		first = 0
	}
	var out []int
	for k := 0; k < n; {
		if !free[(first+k)%n] {
			k++
			continue
		}
		from := k
		for k < n && free[(first+k)%n] {
			k++
		}
		for _, at := range needed(k-from, step, pitch, !closed && from == 0, !closed && k == n) {
			out = append(out, (first+from+at)%n)
		}
	}
	return out
}

// needed are where a stretch of n dots, step µm apart, that nothing carries wants a strut:
// by an end of the line that hangs by more than a line and a half, and so that no span is
// longer than a pitch.
func needed(n int, step, pitch float64, begins, ends bool) []int {
	first, last := 0, n-1
	if begins {
		first++
	}
	if ends {
		last--
	}
	var out []int
	if begins && n > mayHang {
		out = append(out, first)
	}
	if spans := int(math.Ceil(float64(n-2) * step / pitch)); spans > 1 {
		for k := 1; k < spans; k++ {
			out = append(out, first+(last-first)*k/spans)
		}
	}
	if ends && n > mayHang {
		out = append(out, last)
	}
	return out
}

// strut is the shortest line through q from one line of layer i's support to another, where
// those are carried, no longer than most; it stays in the support.
func (s *slicer) strut(i int, q polygon.Point, own []*Line, most float64, below *ground) (polygon.Path, bool) {
	best, length := polygon.Path(nil), most
	for turn := range 8 {
		sin, cos := math.Sincos(math.Pi / 8 * float64(turn))
		at := func(u float64) polygon.Point {
			return polygon.Point{X: q.X + int64(math.Round(u*cos)), Y: q.Y + int64(math.Round(u*sin))}
		}
		fore, back := length, length
		meet := func(a, b polygon.Point) {
			ax, ay, bx, by := float64(a.X-q.X), float64(a.Y-q.Y), float64(b.X-q.X), float64(b.Y-q.Y)
			av, bv := ay*cos-ax*sin, by*cos-bx*sin
			if av > 0 == (bv > 0) {
				return
			}
			au, bu := ax*cos+ay*sin, bx*cos+by*sin
			u := au + (bu-au)*av/(av-bv)
			if u < fore && u > -back && below.carries(at(u), 0.75*um(s.r.LineMM)) {
				if u >= 0 {
					fore = u
				} else {
					back = -u
				}
			}
		}
		for _, l := range own {
			for k := 1; k < len(l.Points); k++ {
				meet(l.Points[k-1], l.Points[k])
			}
			if l.Closed {
				meet(l.Points[len(l.Points)-1], l.Points[0])
			}
		}
		if fore+back >= length {
			continue
		}
		in := true
		for k := 0.5; k < 8 && in; k++ {
			in = polygon.Inside(polygon.NonZero, s.support[i], at(-back+(fore+back)*k/8)) >= 0
		}
		if in {
			best, length = polygon.Path{at(-back), at(fore)}, fore+back
		}
	}
	return best, best != nil
}

// dotted appends points of a path no further apart than step.
func dotted(out []polygon.Point, p polygon.Path, closed bool, step float64) []polygon.Point {
	for k := range p {
		if k+1 == len(p) && !closed {
			return append(out, p[k])
		}
		a, b := p[k], p[(k+1)%len(p)]
		n := math.Ceil(dist(a, b) / step)
		for j := 0.0; j < n; j++ {
			out = append(out, polygon.Point{X: a.X + int64(float64(b.X-a.X)*j/n), Y: a.Y + int64(float64(b.Y-a.Y)*j/n)})
		}
	}
	return out
}

// dots finds near points, by cells as wide as near is.
type dots struct {
	cell   float64
	points []polygon.Point
	before []int32 // of the same cell, or -1
	last   map[[2]int32]int32
}

func (d *dots) reset(near float64) {
	d.cell, d.points, d.before = near, d.points[:0], d.before[:0]
	if d.last == nil {
		d.last = map[[2]int32]int32{}
	}
	clear(d.last)
}

func (d *dots) key(q polygon.Point) [2]int32 {
	return [2]int32{int32(math.Floor(float64(q.X) / d.cell)), int32(math.Floor(float64(q.Y) / d.cell))}
}

// add puts in points of a path no further apart than step.
func (d *dots) add(p polygon.Path, closed bool, step float64) {
	n := len(d.points)
	d.points = dotted(d.points, p, closed, step)
	for ; n < len(d.points); n++ {
		k := d.key(d.points[n])
		before, ok := d.last[k]
		if !ok {
			before = -1
		}
		d.before = append(d.before, before)
		d.last[k] = int32(n)
	}
}

// near says that a point is within r, at most a cell's width, of q.
func (d *dots) near(q polygon.Point, r float64) bool {
	k := d.key(q)
	for x := k[0] - 1; x <= k[0]+1; x++ {
		for y := k[1] - 1; y <= k[1]+1; y++ {
			at, ok := d.last[[2]int32{x, y}]
			for ok && at >= 0 {
				if dist(d.points[at], q) <= r {
					return true
				}
				at = d.before[at]
			}
		}
	}
	return false
}
