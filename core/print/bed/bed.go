// Package bed is where a machine's bed is worn: for how long runs lay where. It is a map of square
// cells; spots that are worn are kept free, and plates lie where least has lain.
package bed

import (
	"math"

	"jobshelf/core/print/machine"
	"jobshelf/core/shape/polygon"
)

// CellMM is how wide a cell is: no part is set down more exactly than a hand cleans (a choice of ours).
const CellMM = 10

// across is into how many parts a cell is divided, each way, to see how much of it is lain on.
const across = 4

// Wear is how long something lay on each cell of a bed, seconds, by row; its first cell is at Min,
// µm of the plate's coordinates.
type Wear struct {
	MinX    int64     `json:"min_x"`
	MinY    int64     `json:"min_y"`
	Wide    int       `json:"wide"`
	Deep    int       `json:"deep"`
	Seconds []float64 `json:"seconds"`
}

// New is a bed on which nothing has lain.
func New(v machine.Volume) *Wear {
	w := &Wear{Wide: max(1, int(math.Ceil(v.XMM/CellMM))), Deep: max(1, int(math.Ceil(v.YMM/CellMM)))}
	if v.Shape == machine.Round {
		w.Deep = w.Wide
		w.MinX = -polygon.UM(float64(w.Wide) * CellMM / 2)
		w.MinY = w.MinX
	}
	w.Seconds = make([]float64, w.Wide*w.Deep)
	return w
}

// Of says that a map is of a bed of that size.
func (w *Wear) Of(v machine.Volume) bool {
	n := New(v)
	return w != nil && w.Wide == n.Wide && w.Deep == n.Deep && w.MinX == n.MinX && w.MinY == n.MinY && len(w.Seconds) == len(n.Seconds)
}

const cellUM = CellMM * 1000

// Cover is how much of each cell outlines cover, 0…1. What lies off the bed wears nothing.
func (w *Wear) Cover(outlines []polygon.Path) []float64 {
	out := make([]float64, len(w.Seconds))
	for _, o := range outlines {
		if len(o) < 3 {
			continue
		}
		b := polygon.Bounds(o)
		for r := max(0, int((b.MinY-w.MinY)/cellUM)); r < w.Deep && w.MinY+int64(r)*cellUM <= b.MaxY; r++ {
			for c := max(0, int((b.MinX-w.MinX)/cellUM)); c < w.Wide && w.MinX+int64(c)*cellUM <= b.MaxX; c++ {
				n := 0
				for k := range across * across {
					p := polygon.Point{X: w.MinX + int64(c)*cellUM + int64(2*(k%across)+1)*cellUM/(2*across), Y: w.MinY + int64(r)*cellUM + int64(2*(k/across)+1)*cellUM/(2*across)}
					if polygon.Inside(polygon.NonZero, []polygon.Path{o}, p) > 0 {
						n++
					}
				}
				out[r*w.Wide+c] = math.Min(1, out[r*w.Wide+c]+float64(n)/(across*across))
			}
		}
	}
	return out
}

// Add lets outlines lie for a time.
func (w *Wear) Add(outlines []polygon.Path, seconds float64) {
	for k, share := range w.Cover(outlines) {
		w.Seconds[k] += share * seconds
	}
}

// Most is the longest that anything lay anywhere.
func (w *Wear) Most() float64 {
	most := 0.0
	for _, s := range w.Seconds {
		most = math.Max(most, s)
	}
	return most
}

// Turn turns the bed by so many quarters to the left; false where it would not be as wide as it is
// deep any more.
func (w *Wear) Turn(quarters int) bool {
	quarters = (quarters%4 + 4) % 4
	if quarters%2 == 1 && w.Wide != w.Deep {
		return false
	}
	for range quarters / 2 { // both ways round at once
		for i, j := 0, len(w.Seconds)-1; i < j; i, j = i+1, j-1 {
			w.Seconds[i], w.Seconds[j] = w.Seconds[j], w.Seconds[i]
		}
	}
	if quarters%2 == 0 {
		return true
	}
	was := append([]float64{}, w.Seconds...)
	n := w.Wide
	for r := range n {
		for c := range n {
			w.Seconds[c*n+n-1-r] = was[r*n+c]
		}
	}
	return true
}

// Worn are the spots on which something lay at least so long, as rectangles along rows.
func (w *Wear) Worn(atLeastS float64) (out []polygon.Path) {
	if atLeastS <= 0 {
		return nil
	}
	for r := range w.Deep {
		for c := 0; c < w.Wide; c++ {
			from := c
			for c < w.Wide && w.Seconds[r*w.Wide+c] >= atLeastS {
				c++
			}
			if c > from {
				x, y := w.MinX+int64(from)*cellUM, w.MinY+int64(r)*cellUM
				out = append(out, polygon.Path{{X: x, Y: y}, {X: x + int64(c-from)*cellUM, Y: y}, {X: x + int64(c-from)*cellUM, Y: y + cellUM}, {X: x, Y: y + cellUM}})
			}
		}
	}
	return out
}

// mostMoves is how many moves each way are looked at.
const mostMoves = 40

// forbiddenS is more than anything lies anywhere.
const forbiddenS = 1e12

// Least is how far outlines are moved, by whole cells, so that they lie where least has lain, of the
// moves that may be; the shortest of those that are as good. None is better by less than a
// hundredth of what lies under them. Where something lay for wornS nothing is moved to, if that is not 0.
func (w *Wear) Least(outlines []polygon.Path, wornS float64, may func(by polygon.Point) bool) polygon.Point {
	type cell struct {
		r, c  int
		share float64
	}
	var lain []cell
	for k, share := range w.Cover(outlines) {
		if share > 0 {
			lain = append(lain, cell{k / w.Wide, k % w.Wide, share})
		}
	}
	under := func(dr, dc int) float64 {
		sum := 0.0
		for _, x := range lain {
			if r, c := x.r+dr, x.c+dc; r >= 0 && r < w.Deep && c >= 0 && c < w.Wide {
				sum += x.share * w.Seconds[r*w.Wide+c]
				if wornS > 0 && w.Seconds[r*w.Wide+c] >= wornS {
					sum += forbiddenS
				}
			}
		}
		return sum
	}
	here := under(0, 0)
	step := (max(w.Wide, w.Deep) + mostMoves - 1) / mostMoves // on large beds by several cells
	best, least, far := polygon.Point{}, here, 0
	for dr := -(w.Deep / step) * step; dr < w.Deep; dr += step {
		for dc := -(w.Wide / step) * step; dc < w.Wide; dc += step {
			sum, d := under(dr, dc), dr*dr+dc*dc
			if d == 0 || sum > here*0.99 || sum > least || sum == least && d >= far {
				continue
			}
			by := polygon.Point{X: int64(dc) * cellUM, Y: int64(dr) * cellUM}
			if may(by) {
				best, least, far = by, sum, d
			}
		}
	}
	return best
}
