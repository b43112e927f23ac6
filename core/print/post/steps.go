package post

import (
	"cmp"
	"math"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/polygon"
)

// StepKind says what a step does.
type StepKind uint8

// The kinds of steps.
const (
	Lay     StepKind = iota // move and extrude
	Travel                  // move without
	Retract                 // pull filament back
	Restore                 // push it forth again
	Lift                    // up
	Lower                   // down, or up to a new layer
	Prime                   // let filament out where the nozzle stands
	Pause                   // wait for somebody
	Wait                    // let the layer cool
	Change                  // to another nozzle
)

// Step is one thing the machine does. Places are mm on the plate.
type Step struct {
	Kind    StepKind
	For     toolpath.Kind // of a Lay
	Layer   int
	X, Y, Z float64 // where it ends
	EMM     float64 // filament, negative when pulled back
	MMPerS  float64 // speed asked for, of the filament where nothing else moves
	MMPerS2 float64 // acceleration asked for; 0 is the machine's
	Nozzle  uint8   // in use, or changed to, counted from 0
	Place   int     // whose it is: the plate's places from 1; 0 is the plate's own
	First   bool    // the first step of a line
	S       float64 // how long a Wait is, s
}

// Cooling is how a layer is given its minimum time: the share of its speed it is laid at,
// where 0 is all of it, and how long the nozzle waits above it then.
type Cooling struct{ Share, WaitS float64 }

// Travels up to freeTravelMM need no retraction whatever they cross; those up to
// openTravelMM none outside of every outline, as between rows of support; those up to
// LongTravelMM none within one.
const (
	freeTravelMM = 1.5
	openTravelMM = 5
	LongTravelMM = 8 * freeTravelMM
)

// stepper turns lines into steps.
type stepper struct {
	print   *toolpath.Print
	r       recipe.Recipe
	m       *machine.Machine
	bore    float64 // section of the filament, mm²
	yield   func(Step) bool
	x, y, z float64
	back    [256]bool // filament is pulled back, by nozzle
	nozzle  uint8
	accel   float64
	cooling []Cooling
	speeds  [len(toolpath.Kinds)]float64
	accels  [len(toolpath.Kinds)]float64
	stopped bool
	lost    bool // a block of the house's was obeyed: where the nozzle is, it alone knows
	of      int  // the layer whose outlines are in ground
	ground  []ground
	place   int // whose line is being laid
}

// ground is the outlines of one copy in a layer, as the part was sliced.
type ground struct {
	toolpath.Spot
	box   polygon.Box // around all of the copy
	paths []polygon.Path
	boxes []polygon.Box // of paths
}

// Steps tells, in order, all that a machine does to make a print: lines at their
// speeds, travels, retraction and lift where a travel crosses an outline or is
// long, layer changes, pauses. cooling is for each layer; nil is full speed. yield may
// end it by false.
func Steps(p *toolpath.Print, r recipe.Recipe, m *machine.Machine, cooling []Cooling, yield func(Step) bool) {
	s := &stepper{r: r.WithDefaults(), m: m, print: p, of: -1, bore: math.Pi * m.FilamentMM * m.FilamentMM / 4, yield: yield, cooling: cooling}
	s.speeds = [len(toolpath.Kinds)]float64{
		toolpath.Outer:     s.r.OuterMMPerS,
		toolpath.Inner:     s.r.InnerMMPerS,
		toolpath.TopBottom: s.r.TopBottomMMPerS,
		toolpath.Infill:    s.r.InfillMMPerS,
		toolpath.Bridge:    s.r.BridgeMMPerS,
		toolpath.Support:   s.r.SupportMMPerS,
		toolpath.Adhesion:  s.r.FirstMMPerS,
		toolpath.Purge:     s.r.InnerMMPerS,
	}
	s.accels = [len(toolpath.Kinds)]float64{
		toolpath.Outer:     s.r.OuterMMPerS2,
		toolpath.Inner:     s.r.InnerMMPerS2,
		toolpath.TopBottom: s.r.TopBottomMMPerS2,
		toolpath.Infill:    s.r.InfillMMPerS2,
		toolpath.Bridge:    s.r.BridgeMMPerS2,
		toolpath.Support:   s.r.SupportMMPerS2,
		toolpath.Adhesion:  s.r.FirstMMPerS2,
		toolpath.Purge:     s.r.InnerMMPerS2,
	}
	s.nozzle = p.FirstNozzle()
	if s.r.PurgeMM > 0 {
		s.do(Step{Kind: Prime, EMM: s.r.PurgeMM, MMPerS: 5})
	}
	pauses := slices.Compact(slices.Sorted(slices.Values(s.r.PauseMM)))
	for i := range p.Layers {
		l := &p.Layers[i]
		if len(l.Lines) == 0 && len(l.Parts) == 0 {
			continue
		}
		for len(pauses) > 0 && pauses[0]+p.RaftMM <= l.TopMM-l.HeightMM+1e-9 {
			if next := pauses[1:]; len(next) == 0 || next[0]+p.RaftMM > l.TopMM-l.HeightMM+1e-9 { // once before a layer
				s.pause(p, i)
			}
			pauses = pauses[1:]
		}
		s.place = 0
		s.retract(i)
		s.do(Step{Kind: Lower, Layer: i, X: s.x, Y: s.y, Z: l.TopMM, MMPerS: m.Motion.LiftMMPerS})
		for at, line := range p.Laid(i) {
			s.line(i, l, at, line)
			if s.stopped {
				return
			}
		}
		s.place = 0
		if s.cooling != nil && s.cooling[i].WaitS > 0 {
			s.wait(i)
		}
	}
	s.retract(len(p.Layers) - 1)
}

// wait lets the layer cool, the nozzle lifted off it.
func (s *stepper) wait(layer int) {
	s.retract(layer)
	if high := s.above(); high > s.z {
		s.do(Step{Kind: Lift, Layer: layer, X: s.x, Y: s.y, Z: high, MMPerS: s.m.Motion.LiftMMPerS})
	}
	s.do(Step{Kind: Wait, Layer: layer, S: s.cooling[layer].WaitS})
}

// pause waits for somebody before a layer: filament drawn back, the nozzle lifted
// and moved off the part.
func (s *stepper) pause(p *toolpath.Print, layer int) {
	s.retract(layer)
	if high := math.Min(s.z+math.Max(s.r.LiftMM, parkMM), cmp.Or(s.m.Volume.ZMM, math.Inf(1))); high > s.z {
		s.do(Step{Kind: Lift, Layer: layer, X: s.x, Y: s.y, Z: high, MMPerS: s.m.Motion.LiftMMPerS})
	}
	if x, y, ok := s.parking(p, layer); ok {
		s.do(Step{Kind: Travel, Layer: layer, X: x, Y: y, Z: s.z, MMPerS: math.Min(s.r.TravelMMPerS, s.m.Motion.SpeedMMPerS), MMPerS2: s.r.TravelMMPerS2})
	}
	s.do(Step{Kind: Pause, Layer: layer})
}

// A paused nozzle stands parkMM higher, and as far from the plate's edge (common
// practice, no source).
const parkMM = 10

// parking is the place by the plate's edge that is farthest from all that is laid
// below and in a layer; false where the plate's size is not known.
func (s *stepper) parking(p *toolpath.Print, layer int) (x, y float64, ok bool) {
	v := s.m.Volume
	if v.XMM <= 0 || v.YMM <= 0 {
		return 0, 0, false
	}
	b := polygon.Bounds()
	for i := range p.Layers[:layer+1] {
		for at, line := range p.Laid(i) {
			of := polygon.Bounds(line.Points)
			b.Add(of.Moved(at.By))
		}
	}
	best := -1.0
	const around = 16
	for k := range around {
		sin, cos := math.Sincos(2 * math.Pi * float64(k) / around)
		var cx, cy float64
		if v.Shape == machine.Round { // the origin is in the middle
			r := math.Max(0, v.XMM/2-parkMM)
			cx, cy = r*cos, r*sin
		} else { // the ray from the middle, to the edge
			hx, hy := math.Max(0, v.XMM/2-parkMM), math.Max(0, v.YMM/2-parkMM)
			t := 1 / math.Max(math.Abs(cos), math.Abs(sin))
			cx, cy = v.XMM/2+hx*t*cos, v.YMM/2+hy*t*sin
		}
		dx := math.Max(0, math.Max(float64(b.MinX)/1000-cx, cx-float64(b.MaxX)/1000))
		dy := math.Max(0, math.Max(float64(b.MinY)/1000-cy, cy-float64(b.MaxY)/1000))
		if d := math.Hypot(dx, dy); d > best+1e-9 {
			best, x, y = d, cx, cy
		}
	}
	return x, y, true
}

// above is where a lift goes: no higher than the machine does.
func (s *stepper) above() float64 {
	return math.Min(s.z+s.r.LiftMM, cmp.Or(s.m.Volume.ZMM, math.Inf(1)))
}

func (s *stepper) do(x Step) {
	if s.stopped {
		return
	}
	x.Nozzle, x.Place = s.nozzle, s.place
	switch x.Kind {
	case Lay, Travel, Lift, Lower:
		s.x, s.y, s.z = x.X, x.Y, x.Z
	default:
		x.X, x.Y, x.Z = s.x, s.y, s.z
	}
	if x.Kind == Lay || x.Kind == Travel {
		s.accel = x.MMPerS2
	}
	x.MMPerS2 = s.accel // what is set holds for what comes between
	s.stopped = !s.yield(x)
}

func (s *stepper) retract(layer int) {
	if !s.back[s.nozzle] && s.r.RetractMM > 0 {
		s.back[s.nozzle] = true
		s.do(Step{Kind: Retract, Layer: layer, EMM: -s.r.RetractMM, MMPerS: s.r.RetractMMPerS})
	}
}

func (s *stepper) restore(layer int) {
	if s.back[s.nozzle] {
		s.back[s.nozzle] = false
		s.do(Step{Kind: Restore, Layer: layer, EMM: s.r.RetractMM, MMPerS: s.r.RetractMMPerS})
	}
}

// speed of a kind in a layer.
func (s *stepper) speed(k toolpath.Kind, layer int) float64 {
	v := s.speeds[k]
	if layer == 0 {
		v = math.Min(v, s.r.FirstMMPerS)
	}
	if s.cooling != nil && s.cooling[layer].Share > 0 {
		v *= s.cooling[layer].Share
	}
	return math.Min(v, s.m.Motion.SpeedMMPerS)
}

func (s *stepper) line(layer int, l *toolpath.Layer, at toolpath.Spot, line *toolpath.Line) {
	n := len(line.Points)
	if n == 0 {
		return
	}
	from := s.place
	s.place = at.Place
	if line.Nozzle != s.nozzle {
		s.retract(layer)
		s.nozzle = line.Nozzle
		s.do(Step{Kind: Change, Layer: layer})
		s.lost = true
	}
	mm := func(q polygon.Point) (float64, float64) {
		return float64(q.X+at.By.X) / 1000, float64(q.Y+at.By.Y) / 1000
	}
	x, y := mm(line.Points[0])
	s.travel(layer, from, x, y)
	s.restore(layer)
	last := n
	if line.Closed {
		last = n + 1
	}
	v, a := s.speed(line.Kind, layer), s.accels[line.Kind]
	if layer == 0 && s.r.FirstMMPerS2 > 0 {
		a = s.r.FirstMMPerS2
	}
	area := toolpath.LineArea(line.WidthMM, l.HeightMM)
	for i := 1; i < last; i++ {
		x, y := mm(line.Points[i%n])
		d := math.Hypot(x-s.x, y-s.y)
		if d == 0 {
			continue
		}
		if line.Widths != nil {
			area = toolpath.LineArea((line.Widths[i-1]+line.Widths[i%n])/2000, l.HeightMM)
		}
		s.do(Step{Kind: Lay, For: line.Kind, Layer: layer, X: x, Y: y, Z: s.z, EMM: area * d / s.bore, MMPerS: v, MMPerS2: a, First: i == 1})
	}
}

// travel goes to where a line begins, from a line of a place.
func (s *stepper) travel(layer, from int, x, y float64) {
	d := math.Hypot(x-s.x, y-s.y)
	if d < 1e-6 && !s.lost {
		return
	}
	s.lost = false
	s.look(layer)
	crosses := d > freeTravelMM && s.crosses(from, x, y)
	if d > LongTravelMM || crosses || d > openTravelMM && !s.within() {
		s.retract(layer)
	}
	z := s.z
	high := s.above()
	up := s.back[s.nozzle] && crosses && high > z
	if up {
		s.do(Step{Kind: Lift, Layer: layer, X: s.x, Y: s.y, Z: high, MMPerS: s.m.Motion.LiftMMPerS})
	}
	s.do(Step{Kind: Travel, Layer: layer, X: x, Y: y, Z: s.z, MMPerS: math.Min(s.r.TravelMMPerS, s.m.Motion.SpeedMMPerS), MMPerS2: s.r.TravelMMPerS2})
	if up {
		s.do(Step{Kind: Lower, Layer: layer, X: x, Y: y, Z: z, MMPerS: s.m.Motion.LiftMMPerS})
	}
}

// look gathers the outlines of a layer.
func (s *stepper) look(layer int) {
	if s.of == layer {
		return
	}
	s.of, s.ground = layer, s.ground[:0]
	boxes := map[*polygon.Path][]polygon.Box{} // of a part, once for all copies
	for at, g := range s.print.Grounds(layer) {
		if len(g.Outlines) == 0 {
			continue
		}
		of, ok := boxes[&g.Outlines[0]]
		if !ok {
			for k := range g.Outlines {
				of = append(of, polygon.Bounds(g.Outlines[k]))
			}
			boxes[&g.Outlines[0]] = of
		}
		s.ground = append(s.ground, ground{at, g.Box, g.Outlines, of})
	}
}

// within says that the nozzle is inside an outline, where what it drips does not show.
func (s *stepper) within() bool {
	q := polygon.At(s.x, s.y)
	for k := range s.ground {
		g := &s.ground[k]
		if g.box.Holds(q, 0) && polygon.Inside(polygon.NonZero, g.paths, polygon.Point{X: q.X - g.By.X, Y: q.Y - g.By.Y}) >= 0 {
			return true
		}
	}
	return false
}

// crosses says that the straight way from here to x, y crosses an outline. A way within one
// copy is held against that alone: no other lies in its box.
func (s *stepper) crosses(from int, x, y float64) bool {
	a, b := polygon.At(s.x, s.y), polygon.At(x, y)
	way := polygon.Bounds(polygon.Path{a, b})
	for k := range s.ground {
		g := &s.ground[k]
		if !g.box.Meets(&way) || from == s.place && from > 0 && g.Place != from {
			continue
		}
		by := polygon.Point{X: -g.By.X, Y: -g.By.Y}
		if crossesOne(g, polygon.Point{X: a.X + by.X, Y: a.Y + by.Y}, polygon.Point{X: b.X + by.X, Y: b.Y + by.Y}, way.Moved(by)) {
			return true
		}
	}
	return false
}

func crossesOne(g *ground, a, b polygon.Point, way polygon.Box) bool {
	left := func(p, q, r polygon.Point) bool { return (q.X-p.X)*(r.Y-p.Y)-(q.Y-p.Y)*(r.X-p.X) > 0 }
	for k, p := range g.paths {
		if !g.boxes[k].Meets(&way) {
			continue
		}
		c := p[len(p)-1]
		for _, d := range p {
			apart := c.X < way.MinX && d.X < way.MinX || c.X > way.MaxX && d.X > way.MaxX || c.Y < way.MinY && d.Y < way.MinY || c.Y > way.MaxY && d.Y > way.MaxY
			if !apart && left(a, b, c) != left(a, b, d) && left(c, d, a) != left(c, d, b) {
				return true
			}
			c = d
		}
	}
	return false
}
