package layout

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/polygon"
)

// press tries to do without the plate that holds least: each of its copies is put on another, where
// all are pushed apart until none lies on another, or not.
func (w *work) press(r *raster, f *filling, rnd *rand.Rand) {
	if len(w.pinned) > 0 || len(w.ask.KeepOut) > 0 {
		return
	}
	p := presser{raster: r, rnd: rnd, edges: make([][]edge, len(r.forms)*len(r.forms)), byItem: f.byItem, left: pairsPer * cmp.Or(max(0, w.ask.Effort), DefaultEffort)}
	for len(w.best) > w.least && w.ctx.Err() == nil {
		plates := make([][]Spot, len(w.best))
		for k := range plates {
			plates[k] = slices.Clone(w.best[k])
		}
		from := 0
		for k := range plates {
			if len(plates[k]) <= len(plates[from]) {
				from = k
			}
		}
		going := plates[from]
		plates = slices.Delete(plates, from, from+1)
		for _, s := range going {
			if !p.putIn(w, plates, s) {
				return
			}
		}
		w.offer(plates)
	}
}

// Bounds of the pushing: how many pairs are looked at for one of the effort, how often all are pushed, how many at most.
const (
	pairsPer   = 400
	pushes     = 600
	pressMost  = 80
	nearUM     = arcUM // what may be left of an overlap: forms are grown by more
	densestPer = 0.92  // no plate is fuller
)

type presser struct {
	*raster
	rnd    *rand.Rand
	edges  [][]edge // by form and form
	byItem [][]int
	left   int // pairs that may be looked at
}

// edge of a sum of two hulls: outside is where the product with (x, y) is more than far.
type edge struct{ x, y, far float64 }

type spot2 struct{ x, y float64 }

// putIn puts a copy on one of some plates.
func (p *presser) putIn(w *work, plates [][]Spot, s Spot) bool {
	v := w.ask.Volume
	half := float64(w.ask.ApartUM) / 1000
	usable := (v.XMM + half) * (v.YMM + half)
	if v.Shape == machine.Round {
		usable = math.Pi / 4 * (v.XMM + half) * (v.XMM + half)
	}
	for n := range plates {
		all := append(slices.Clone(plates[n]), s)
		area := 0.0
		for _, s := range all {
			area += p.forms[p.byItem[s.Item][0]].hull.Area()
		}
		if len(all) > min(pressMost, toolpath.MostPlaces) || area > densestPer*usable {
			continue
		}
		if pressed := p.press(w, all); pressed != nil {
			plates[n] = pressed
			return true
		}
	}
	return false
}

// press finds places for some copies on one plate; nil where none were found.
func (p *presser) press(w *work, all []Spot) []Spot {
	at := make([]spot2, len(all))
	forms := make([]int, len(all))
	for try := 0; p.left > 0 && w.ctx.Err() == nil; try++ {
		fits := true
		for k, s := range all {
			may := p.byItem[s.Item]
			forms[k] = may[0]
			if try%2 > 0 {
				forms[k] = may[p.rnd.IntN(len(may))]
			}
			for j := 0; p.forms[forms[k]].nx == 0 && j < len(may); j++ {
				forms[k] = may[j]
			}
			x := p.forms[forms[k]]
			fits = fits && x.nx > 0
			at[k] = spot2{(float64(x.i0) + p.rnd.Float64()*float64(x.nx)) * p.cell, (float64(x.j0) + p.rnd.Float64()*float64(x.ny)) * p.cell}
			if try%4 == 0 && k < len(all)-1 && s.TurnDeg == 0 {
				at[k] = spot2{float64(s.By.X), float64(s.By.Y)}
			}
		}
		if !fits {
			return nil
		}
		if p.push(forms, at) {
			out := slices.Clone(all)
			for k := range out {
				out[k].TurnDeg = p.forms[forms[k]].deg
				out[k].By = polygon.Point{X: int64(math.Round(at[k].x)), Y: int64(math.Round(at[k].y))}
			}
			if w.wellLaid(out) {
				w.toMiddle(out)
				return out
			}
		}
	}
	return nil
}

// push pushes what overlaps apart, again and again.
func (p *presser) push(forms []int, at []spot2) bool {
	for k := range at {
		p.within(p.forms[forms[k]], &at[k])
	}
	for range pushes {
		worst := 0.0
		p.left -= len(at) * (len(at) - 1) / 2
		for i := range at {
			for j := range i {
				e := p.between(forms[j], forms[i])
				dx, dy := at[i].x-at[j].x, at[i].y-at[j].y
				out, by := math.Inf(-1), edge{}
				for _, s := range e {
					if d := s.x*dx + s.y*dy - s.far; d > out {
						if out, by = d, s; d >= 0 {
							break
						}
					}
				}
				if out >= 0 {
					continue
				}
				worst = math.Min(worst, out)
				half := -out/2 + 1
				at[i].x += by.x * half
				at[i].y += by.y * half
				at[j].x -= by.x * half
				at[j].y -= by.y * half
			}
		}
		for k := range at {
			worst = math.Min(worst, -p.within(p.forms[forms[k]], &at[k]))
		}
		if worst > -nearUM {
			return true
		}
	}
	return false
}

// within moves a copy onto the plate and says how far, µm.
func (p *presser) within(f *form, at *spot2) float64 {
	v := p.ask.Volume
	m := float64(p.ask.MarginUM)
	was := *at
	if v.Shape != machine.Round {
		x, y := v.XMM*500, v.YMM*500
		at.x = math.Max(-x+m-float64(f.low.X), math.Min(x-m-float64(f.high.X)-float64(p.ask.FreeUM), at.x))
		at.y = math.Max(-y+m-float64(f.low.Y), math.Min(y-m-float64(f.high.Y), at.y))
		return math.Hypot(at.x-was.x, at.y-was.y)
	}
	r := v.XMM*500 - m - 1
	for range 4 {
		far, fx, fy := r, 0.0, 0.0
		sure := far * far * (1 - 1e-9) // what is nearer than that by its square is nearer: most are
		for _, q := range f.outer() {
			x, y := at.x+float64(q.X), at.y+float64(q.Y)
			if x*x+y*y < sure {
				continue
			}
			if d := math.Hypot(x, y); d > far {
				far, fx, fy = d, x, y
				sure = far * far * (1 - 1e-9)
			}
		}
		if far <= r {
			break
		}
		at.x -= fx / far * (far - r)
		at.y -= fy / far * (far - r)
	}
	return math.Hypot(at.x-was.x, at.y-was.y)
}

// outer is the convex hull of a form's outline.
func (f *form) outer() polygon.Path {
	if f.bare == nil {
		f.bare = polygon.Hull(f.outline)
	}
	return f.bare
}

// between are the edges of where b is when it touches a, about a.
func (p *presser) between(a, b int) []edge {
	at := a*len(p.forms) + b
	e := p.edges[at]
	if e != nil {
		return e
	}
	sum := minkowski(p.forms[a].hull, p.forms[b].hull)
	for i, q := range sum {
		s := sum[(i+1)%len(sum)]
		x, y := float64(s.Y-q.Y), -float64(s.X-q.X)
		n := math.Hypot(x, y)
		if n == 0 {
			continue
		}
		x, y = x/n, y/n
		e = append(e, edge{x, y, x*float64(q.X) + y*float64(q.Y)})
	}
	p.edges[at] = e
	return e
}

// wellLaid holds copies to each other and to the plate, outline by outline.
func (w *work) wellLaid(plate []Spot) bool {
	outlines := make([]polygon.Path, len(plate))
	boxes := make([]polygon.Box, len(plate))
	for k, s := range plate {
		outlines[k] = Of(w.items, w.ask.Volume, s)
		boxes[k] = polygon.Bounds(outlines[k])
		if !holds(outlines[k], &w.ask, len(plate) > 1) {
			return false
		}
		for j := range k {
			near := boxes[k]
			near.MinX, near.MinY, near.MaxX, near.MaxY = near.MinX-w.ask.ApartUM, near.MinY-w.ask.ApartUM, near.MaxX+w.ask.ApartUM, near.MaxY+w.ask.ApartUM
			if near.Meets(&boxes[j]) && Distance(outlines[k], outlines[j]) < float64(w.ask.ApartUM)-slackUM {
				return false
			}
		}
	}
	return true
}
