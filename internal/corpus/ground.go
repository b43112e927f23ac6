package corpus

import (
	"math"

	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/polygon"
)

// Ground is what a print's lines stand on, told from the lines and outlines alone: it
// knows nothing of how they came about.
type Ground struct {
	SupportMM, AirMM       float64 // lines of support, and of them what has nothing beneath
	Bridges, LooseBridges  int     // and those with an end on nothing
	RimMM, BareMM          float64 // outlines of the part, and of them what has no line beside it
	LayersLaid, LayersMade int     // layers of the part that have lines, and all
	HeightOffMM            float64 // of the last line's top from the part's
}

// spots are points by cells of a size, so that near ones are found.
type spots struct {
	size float64
	by   map[[2]int][][2]float64
}

func (s *spots) add(x, y float64) {
	c := [2]int{int(math.Floor(x / s.size)), int(math.Floor(y / s.size))}
	s.by[c] = append(s.by[c], [2]float64{x, y})
}

func (s *spots) near(x, y, within float64) bool {
	cx, cy := int(math.Floor(x/s.size)), int(math.Floor(y/s.size))
	for dx := -1; dx <= 1; dx++ {
		for dy := -1; dy <= 1; dy++ {
			for _, p := range s.by[[2]int{cx + dx, cy + dy}] {
				if math.Hypot(p[0]-x, p[1]-y) <= within {
					return true
				}
			}
		}
	}
	return false
}

// along visits points of a path, mm, no further apart than step.
func along(p polygon.Path, closed bool, step float64, visit func(x, y, apart float64)) {
	n := len(p)
	for i := range n {
		if i+1 == n && !closed {
			break
		}
		ax, ay := float64(p[i].X)/1000, float64(p[i].Y)/1000
		bx, by := float64(p[(i+1)%n].X)/1000, float64(p[(i+1)%n].Y)/1000
		d := math.Hypot(bx-ax, by-ay)
		k := math.Ceil(d/step) + 1
		for q := 0.5; q < k; q++ {
			visit(ax+(bx-ax)*q/k, ay+(by-ay)*q/k, d/k)
		}
	}
}

// within says that a point is inside outlines, by how often a ray crosses them.
func within(paths []polygon.Path, x, y float64) bool {
	in := false
	for _, p := range paths {
		a := p[len(p)-1]
		for _, b := range p {
			ax, ay, bx, by := float64(a.X)/1000, float64(a.Y)/1000, float64(b.X)/1000, float64(b.Y)/1000
			if (ay > y) != (by > y) && x < ax+(y-ay)/(by-ay)*(bx-ax) {
				in = !in
			}
			a = b
		}
	}
	return in
}

// GroundOf looks at a print of a part of that height. Support stands where the plate, the
// part or support lies within a line's width under it, and as many layers down as stay
// free; lines of a roof may span the way from row to row.
func GroundOf(p *toolpath.Print, r recipe.Recipe, heightMM float64) Ground {
	r = r.WithDefaults()
	if toolpath.TooClose(&r) && len(p.Layers) > 0 {
		r = toolpath.OnPiece(r) // the wider drop, whichever nozzle it came to be
	}
	w := r.LineMM
	span := w*100/r.SupportPercent + 3*w
	if r.SupportPattern == recipe.SupportGrid {
		span += w * 100 / r.SupportPercent
	}
	drop := toolpath.DropLayers(&r) + 1
	var g Ground
	var supports, rims []*spots // by layer
	for i := range p.Layers {
		l := &p.Layers[i]
		here, rim := &spots{2 * w, map[[2]int][][2]float64{}}, &spots{2 * w, map[[2]int][][2]float64{}}
		for _, o := range l.Outlines {
			along(o, true, w/2, func(x, y, _ float64) { rim.add(x, y) })
		}
		beneath := func(x, y float64) bool {
			for k := max(0, i-drop); k < i; k++ {
				if rims[k].near(x, y, 1.05*w) || supports[k].near(x, y, 1.1*w) || within(p.Layers[k].Outlines, x, y) {
					return true
				}
			}
			return false
		}
		lines := &spots{2 * w, map[[2]int][][2]float64{}}
		laid := false
		for k := range l.Lines {
			x := &l.Lines[k]
			switch x.Kind {
			case toolpath.Support:
				g.lineOfSupport(x, i == 0, w, span, here, beneath)
			case toolpath.Bridge:
				g.Bridges++
				for _, q := range []polygon.Point{x.Points[0], x.Points[len(x.Points)-1]} {
					if !beneath(float64(q.X)/1000, float64(q.Y)/1000) {
						g.LooseBridges++
						break
					}
				}
			}
			if x.Kind == toolpath.Adhesion { // a raft carries too
				along(x.Points, x.Closed, w/2, func(a, b, _ float64) { here.add(a, b) })
			}
			if x.Kind != toolpath.Support && x.Kind != toolpath.Adhesion && x.Kind != toolpath.Purge {
				laid = true
				along(x.Points, x.Closed, w/2, func(a, b, _ float64) { lines.add(a, b) })
			}
		}
		if len(l.Outlines) > 0 {
			g.LayersMade++
			if laid {
				g.LayersLaid++
				g.HeightOffMM = l.TopMM - p.RaftMM - heightMM
			}
		}
		for _, o := range l.Outlines {
			along(o, true, w/2, func(x, y, apart float64) {
				g.RimMM += apart
				if !lines.near(x, y, 1.1*w) {
					g.BareMM += apart
				}
			})
		}
		supports, rims = append(supports, here), append(rims, rim)
		if k := i - drop; k >= 0 {
			supports[k], rims[k] = nil, nil // nobody looks there again
		}
	}
	return g
}

// lineOfSupport follows one line: what has nothing beneath it may be a span between two
// stretches that have. A closed line has no end, and is followed from where it stands.
func (g *Ground) lineOfSupport(l *toolpath.Line, first bool, w, span float64, here *spots, beneath func(x, y float64) bool) {
	type spot struct {
		apart float64
		free  bool
	}
	var way []spot
	stands := -1
	along(l.Points, l.Closed, w/2, func(x, y, apart float64) {
		here.add(x, y)
		g.SupportMM += apart
		way = append(way, spot{apart, !first && !beneath(x, y)})
		if !way[len(way)-1].free {
			stands = len(way) - 1
		}
	})
	begun := l.Closed && stands >= 0
	if begun {
		way = append(way[stands:len(way):len(way)], way[:stands+1]...)
		way[0].apart = 0
	}
	run := 0.0 // without anything beneath
	for _, q := range way {
		if q.free {
			run += q.apart
			continue
		}
		if !begun && run > 2*w || run > span { // an end reaches out by two lines at the most
			g.AirMM += run
		}
		run, begun = 0, true
	}
	if run > 2*w {
		g.AirMM += run
	}
}
