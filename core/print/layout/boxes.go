package layout

import (
	"cmp"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/polygon"
)

// boxes packs boxes exactly, in free rectangles that may overlap (Jylänki 2010, "A thousand ways to
// pack the bin", from memory): what comes next goes where the least is left over.
func (w *work) boxes() {
	v := w.ask.Volume
	if v.Shape == machine.Round {
		return
	}
	var orders []func(a, b *boxed) int
	by := func(f func(b *boxed) int64) {
		orders = append(orders, func(a, b *boxed) int { return cmp.Compare(f(b), f(a)) })
	}
	by(func(b *boxed) int64 { return max(b.wide, b.deep) })
	by(func(b *boxed) int64 { return b.wide * b.deep / 1000 })
	by(func(b *boxed) int64 { return b.wide + b.deep })
	by(func(b *boxed) int64 { return b.deep })
	by(func(b *boxed) int64 { return b.wide })
	for _, turn := range []bool{false, true} {
		for _, order := range orders {
			for score := range scores {
				if w.done() || w.ctx.Err() != nil || w.left < 0 {
					return
				}
				w.offer(w.packed(order, score, turn))
				w.left -= 10 + len(w.items)
			}
		}
	}
}

// boxed is a copy to be packed, grown by what has to be between two.
type boxed struct {
	item, copy int
	wide, deep int64
}

// scores are the ways to say how well a box goes into a free rectangle: the less the better.
const scores = 3

func scoreOf(way int, f polygon.Box, wide, deep int64) int64 {
	x, y := f.MaxX-f.MinX-wide, f.MaxY-f.MinY-deep
	switch way {
	case 0: // the short side
		return min(x, y)*(1<<20) + max(x, y)>>10
	case 1: // the area
		return (f.MaxX-f.MinX)/100*((f.MaxY-f.MinY)/100) - wide/100*(deep/100)
	default: // in front
		return (f.MinY+deep)*(1<<20) + f.MinX>>10
	}
}

// packed packs all one way; nil where a box goes on no plate.
func (w *work) packed(order func(a, b *boxed) int, score int, turn bool) [][]Spot {
	v, apart := w.ask.Volume, w.ask.ApartUM
	var all []boxed
	quarter := make([]bool, len(w.items))
	for k, it := range w.items {
		b := polygon.Bounds(it.outline())
		quarter[k] = turn && slices.Contains(it.TurnsDeg, 90)
		for n := range it.Copies {
			all = append(all, boxed{k, n, b.MaxX - b.MinX + apart, b.MaxY - b.MinY + apart})
		}
	}
	slices.SortStableFunc(all, func(a, b boxed) int { return order(&a, &b) })
	whole := polygon.Box{MaxX: polygon.UM(v.XMM) - w.ask.FreeUM + apart, MaxY: polygon.UM(v.YMM) + apart}
	var out [][]Spot
	for len(all) > 0 {
		if w.best != nil && len(out) >= len(w.best) {
			return nil // no better than what there is
		}
		free := []polygon.Box{whole}
		var plate []Spot
		rest := all[:0]
		full := map[[2]int64]bool{} // sizes for which there is no room left
		for _, b := range all {
			size := [2]int64{b.wide, b.deep}
			if full[size] || len(plate) >= toolpath.MostPlaces {
				rest = append(rest, b)
				continue
			}
			at, turned, ok := bestFree(free, &b, score, quarter[b.item])
			if !ok {
				full[size] = true
				rest = append(rest, b)
				continue
			}
			free = without(free, at)
			s := Spot{Item: b.item, Copy: b.copy}
			if turned {
				s.TurnDeg = 90
			}
			own := polygon.Bounds(Turned(w.items[b.item].outline(), s.TurnDeg, v))
			s.By = polygon.Point{X: at.MinX - own.MinX, Y: at.MinY - own.MinY}
			plate = append(plate, s)
		}
		if len(plate) == 0 {
			return nil
		}
		w.toMiddle(plate)
		out, all = append(out, plate), rest
	}
	return out
}

func bestFree(free []polygon.Box, b *boxed, score int, quarter bool) (at polygon.Box, turned, ok bool) {
	var best int64
	try := func(f polygon.Box, wide, deep int64, t bool) {
		if f.MaxX-f.MinX < wide || f.MaxY-f.MinY < deep {
			return
		}
		if c := scoreOf(score, f, wide, deep); !ok || c < best {
			best, turned, ok = c, t, true
			at = polygon.Box{MinX: f.MinX, MinY: f.MinY, MaxX: f.MinX + wide, MaxY: f.MinY + deep}
		}
	}
	for _, f := range free {
		try(f, b.wide, b.deep, false)
		if quarter {
			try(f, b.deep, b.wide, true)
		}
	}
	return at, turned, ok
}

// without is what is free when a box is taken, none of it within another.
func without(free []polygon.Box, b polygon.Box) []polygon.Box {
	var out []polygon.Box
	for _, f := range free {
		if b.MinX >= f.MaxX || b.MaxX <= f.MinX || b.MinY >= f.MaxY || b.MaxY <= f.MinY {
			out = append(out, f)
			continue
		}
		for _, part := range [4]polygon.Box{
			{MinX: f.MinX, MinY: f.MinY, MaxX: b.MinX, MaxY: f.MaxY}, {MinX: b.MaxX, MinY: f.MinY, MaxX: f.MaxX, MaxY: f.MaxY},
			{MinX: f.MinX, MinY: f.MinY, MaxX: f.MaxX, MaxY: b.MinY}, {MinX: f.MinX, MinY: b.MaxY, MaxX: f.MaxX, MaxY: f.MaxY},
		} {
			if part.MaxX > part.MinX && part.MaxY > part.MinY {
				out = append(out, part)
			}
		}
	}
	in := func(a, b polygon.Box) bool {
		return a.MinX >= b.MinX && a.MinY >= b.MinY && a.MaxX <= b.MaxX && a.MaxY <= b.MaxY
	}
	kept := out[:0:0]
	for i, a := range out {
		inside := false
		for j, b := range out {
			inside = inside || i != j && in(a, b) && (a != b || j < i)
		}
		if !inside {
			kept = append(kept, a)
		}
	}
	return kept
}
