package polygon

import "math"

// Join is how an offset goes round a convex corner.
type Join int

// The joins. A mitre longer than the limit becomes square.
const (
	Round Join = iota
	Mitre
	Square
)

// Offsets are the settings of an offset; zero fields take the defaults.
type Offsets struct {
	Join Join
	// MitreLimit is how far a mitre may reach, in offsets; default 2.
	MitreLimit float64
	// ArcUM is how far a chord may be from its arc; default 2 µm.
	ArcUM float64
	// SimplifyUM is how far points of the path may be passed by, so that the
	// rounding of nearly straight runs makes no corners; default 0.75 µm.
	SimplifyUM float64
}

func (o Offsets) withDefaults() Offsets {
	if o.MitreLimit < 1 {
		o.MitreLimit = 2
	}
	if o.ArcUM <= 0 {
		o.ArcUM = 2
	}
	if o.SimplifyUM <= 0 {
		o.SimplifyUM = 0.75
	}
	return o
}

// vec is a direction or place in micrometres, not rounded.
type vec struct{ x, y float64 }

// offsetter makes the raw outline of an offset: every side moved by d to its
// right, corners joined. Where the outline turns the other way the sides are
// joined over the corner itself, which gives loops of winding number below one
// that the union by the rule Positive takes away (Chen & McMains 2005, "Polygon
// offsetting by computing winding numbers").
type offsetter struct {
	Offsets
	d      float64 // µm; outwards is positive
	step   float64 // angle between points of an arc
	normal []vec   // by side: unit, to the right
	length []float64
	pts    []Point
	clean  []Point
	plain  Path
}

// Offset moves closed paths by deltaUM micrometres: outwards if positive, that
// is away from the inside, which is at the left of each path (outers
// counter-clockwise, holes clockwise, as operations here give them). The result
// is as of Boolean. Errors: every point is within SimplifyUM and half a micrometre
// of where it belongs, arcs within ArcUM besides.
func (s *Scratch) Offset(paths []Path, deltaUM float64, o Offsets) []Path {
	if deltaUM == 0 {
		return s.Union(NonZero, paths)
	}
	s.n.edges, s.n.paths = s.n.edges[:0], 0
	f := s.offsetter(math.Abs(deltaUM), o)
	f.d = deltaUM
	for _, p := range paths {
		if vanishes(p, deltaUM) {
			continue
		}
		if f.plain = Simplify(p, f.SimplifyUM, f.plain); len(f.plain) >= 3 {
			f.closed(f.plain)
			s.addRaw()
		}
	}
	return s.positive()
}

// vanishes tells of outlines that the offset closes wholly: those narrower than
// twice the offset. They are left out, since about a point that has a whole
// outline within the offset its raw outline winds once, as if something were left.
func vanishes(p Path, deltaUM float64) bool {
	b := Bounds(p)
	narrow := float64(min(b.MaxX-b.MinX, b.MaxY-b.MinY)) < 2*math.Abs(deltaUM)
	return narrow && (p.Area() > 0) == (deltaUM < 0)
}

func (s *Scratch) offsetter(r float64, o Offsets) *offsetter {
	f := &s.off
	f.Offsets = o.withDefaults()
	f.step = math.Pi / 2
	if r > 0 {
		f.step = 2 * math.Acos(1-math.Min(f.ArcUM/r, 0.2928932188134525)) // at most a quarter turn
	}
	f.pts = f.pts[:0]
	return f
}

// addRaw makes edges of the outline that was just written.
func (s *Scratch) addRaw() {
	f := &s.off
	if n := len(f.pts); n >= 2 {
		s.n.paths++
		from := f.pts[n-1]
		for _, to := range f.pts {
			if from != to {
				s.n.edges = append(s.n.edges, edge{a: from, b: to, weight: [2]int32{1, 0}})
			}
			from = to
		}
	}
	f.pts = f.pts[:0]
}

func (s *Scratch) positive() []Path {
	s.n.run()
	s.g.build(&s.n, &s.index)
	s.g.wind(&s.n)
	return s.g.trace(&s.n, func(w [2]int32) bool { return w[0] > 0 })
}

func (f *offsetter) put(x, y float64) {
	p := pulled(Point{int64(math.Floor(x + 0.5)), int64(math.Floor(y + 0.5))})
	if n := len(f.pts); n == 0 || f.pts[n-1] != p {
		f.pts = append(f.pts, p)
	}
}

// sides fills in normals and lengths of the sides from each point to the next;
// repeated points are left out of pts.
func (f *offsetter) sides(p Path) []Point {
	pts := f.clean[:0]
	for i, q := range p {
		if i == 0 || q != pts[len(pts)-1] {
			pts = append(pts, q)
		}
	}
	for len(pts) > 1 && pts[0] == pts[len(pts)-1] {
		pts = pts[:len(pts)-1]
	}
	f.clean = pts
	n := len(pts)
	f.normal, f.length = grown(f.normal, n), grown(f.length, n)
	for i := range pts {
		a, b := pts[i], pts[(i+1)%n]
		dx, dy := float64(b.X-a.X), float64(b.Y-a.Y)
		l := math.Sqrt(dx*dx + dy*dy)
		f.length[i] = l
		f.normal[i] = vec{dy / l, -dx / l}
	}
	return pts
}

func (f *offsetter) closed(p Path) {
	pts := f.sides(p)
	n := len(pts)
	if n < 2 {
		return
	}
	for i, q := range pts {
		before := (i + n - 1) % n
		f.corner(q, f.normal[before], f.normal[i], math.Min(f.length[before], f.length[i]))
	}
}

// corner writes the outline at q between sides with normals a and b. room is the
// length of the shorter side.
func (f *offsetter) corner(q Point, a, b vec, room float64) {
	x, y, d := float64(q.X), float64(q.Y), f.d
	sin, cos := a.x*b.y-a.y*b.x, a.x*b.x+a.y*b.y
	if cos > 0.99995 { // within half a degree straight
		f.put(x+(a.x+b.x)/2*d, y+(a.y+b.y)/2*d)
		return
	}
	if sin*d < 0 { // the sides run into each other
		// Near enough straight: they meet before either ends.
		if half := -sin / (1 + cos); cos > -0.999 && math.Abs(half*d)*2 < room {
			k := d / (1 + cos)
			f.put(x+(a.x+b.x)*k, y+(a.y+b.y)*k)
			return
		}
		f.put(x+a.x*d, y+a.y*d)
		if cos < 0.99 { // a chord for the arc the other way, where it is short
			f.put(x, y)
		}
		f.put(x+b.x*d, y+b.y*d)
		return
	}
	switch f.Join {
	case Round:
		f.arc(x, y, a, math.Atan2(sin, cos))
	case Mitre:
		// A mitre reaches 1/cos(turn/2) offsets; its square is 2/(1+cos).
		if 2 <= f.MitreLimit*f.MitreLimit*(1+cos) {
			k := d / (1 + cos)
			f.put(x+(a.x+b.x)*k, y+(a.y+b.y)*k)
			return
		}
		f.square(x, y, a, b, sin, cos)
	default:
		f.square(x, y, a, b, sin, cos)
	}
}

// arc writes the points from normal a over an angle.
func (f *offsetter) arc(x, y float64, a vec, turn float64) {
	if turn*f.d < 0 { // straight back: atan2 gives either sign
		turn = -turn
	}
	n := int(math.Ceil(math.Abs(turn) / f.step))
	s, c := math.Sincos(turn / float64(max(1, n)))
	for k := 0; k <= n; k++ {
		f.put(x+a.x*f.d, y+a.y*f.d)
		a = vec{a.x*c - a.y*s, a.x*s + a.y*c}
	}
}

// square cuts the corner at the distance of the offset along its bisector.
func (f *offsetter) square(x, y float64, a, b vec, sin, cos float64) {
	// The way from the end of each moved side to the cut: tan(turn/4) offsets.
	// A side runs at a right angle to its normal, to the left of it.
	t := math.Tan(math.Atan2(math.Abs(sin), cos)/4) * math.Abs(f.d)
	f.put(x+a.x*f.d-a.y*t, y+a.y*f.d+a.x*t)
	f.put(x+b.x*f.d+b.y*t, y+b.y*f.d-b.x*t)
}

// Stroke is an open line with a width at each point.
type Stroke struct {
	Points  Path
	WidthUM []float64
}

// Strokes gives the figure that lines of varying width cover: discs at their
// points and their common tangents between.
func (s *Scratch) Strokes(strokes []Stroke, o Offsets) []Path {
	s.n.edges, s.n.paths = s.n.edges[:0], 0
	for _, k := range strokes {
		for i, p := range k.Points {
			r := k.WidthUM[i] / 2
			f := s.offsetter(r, o)
			f.d = r
			f.arc(float64(p.X), float64(p.Y), vec{1, 0}, 2*math.Pi)
			s.addRaw()
			if i == 0 || p == k.Points[i-1] {
				continue
			}
			q, rq := k.Points[i-1], k.WidthUM[i-1]/2
			dx, dy := float64(p.X-q.X), float64(p.Y-q.Y)
			l := math.Hypot(dx, dy)
			if sin := (rq - r) / l; math.Abs(sin) < 1 { // else one disc covers the other
				cos := math.Sqrt(1 - sin*sin)
				ux, uy := dx/l, dy/l
				for _, side := range [2]float64{-1, 1} {
					nx, ny := ux*sin-side*uy*cos, uy*sin+side*ux*cos
					if side < 0 {
						f.put(float64(q.X)+nx*rq, float64(q.Y)+ny*rq)
						f.put(float64(p.X)+nx*r, float64(p.Y)+ny*r)
					} else {
						f.put(float64(p.X)+nx*r, float64(p.Y)+ny*r)
						f.put(float64(q.X)+nx*rq, float64(q.Y)+ny*rq)
					}
				}
				s.addRaw()
			}
		}
	}
	return s.positive()
}
