package section

import (
	"cmp"
	"context"
	"math"
	"slices"

	"jobshelf/core/shape/polygon"
)

// Gap is a slot in a layer, or between two figures of it, that is narrower than most lines.
type Gap struct {
	Slab    int
	FromMM  [3]float64 // across it, from wall to wall, where the mesh stands
	ToMM    [3]float64
	WidthMM float64 // of the widest disc in it, within thinStepMM
	AreaMM2 float64
}

const (
	// gapLayers is in about how many layers gaps are looked for.
	gapLayers = 16
	maxGaps   = 1000
	mostSides = 64   // of a slot are looked across from
	nickMM2   = 0.05 // a layer that bulges out but for less has no slot
)

// gaps notes what a closing by half of thinMM fills of slab k, and is long: the inside of a corner is no gap.
func (s *Stack) gaps(k int, zMM float64, l *Cut, poly *polygon.Scratch) {
	every := max(1, len(s.Slabs)/gapLayers)
	if k%every != every/2 || len(s.Gaps) >= maxGaps || len(l.Loops) == 0 {
		return
	}
	if len(l.Loops) == 1 && polygon.Hull(l.Loops[0]).Area()-l.Loops[0].Area() < nickMM2 {
		return
	}
	coarse := polygon.Offsets{Join: polygon.Mitre, MitreLimit: 2, SimplifyUM: 15}
	filled := poly.Offset(poly.Offset(l.Loops, 500*thinMM, coarse), -500*thinMM-40, coarse)
	for _, f := range polygon.Figures(poly.Boolean(polygon.Difference, polygon.NonZero, filled, l.Loops)) {
		paths, area, is := slender(f)
		if !is {
			continue
		}
		width := widest(paths, poly)
		from, to := across(paths, width)
		at := func(x, y float64) [3]float64 { return [3]float64{x / 1000, y / 1000, zMM} }
		s.Gaps = append(s.Gaps, Gap{k, at(from[0], from[1]), at(to[0], to[1]), width, area})
	}
}

// across is a way straight over a thin figure from the middle of one of its sides to what is opposite, µm: over a place
// as wide as its width says, so that a slot that narrows is shown where it is that wide; from the longest side there.
func across(paths []polygon.Path, widthMM float64) (from, to [2]float64) {
	p := paths[0]
	side := func(i int) (a, b polygon.Point, long float64) {
		a, b = p[i], p[(i+1)%len(p)]
		return a, b, math.Hypot(float64(b.X-a.X), float64(b.Y-a.Y))
	}
	order := make([]int, len(p))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(i, j int) int {
		_, _, u := side(i)
		_, _, v := side(j)
		return cmp.Or(cmp.Compare(v, u), cmp.Compare(i, j))
	})
	best := -1.0
	for _, i := range order[:min(len(order), mostSides)] {
		a, b, long := side(i)
		if long == 0 {
			break
		}
		mid := [2]float64{float64(a.X+b.X) / 2, float64(a.Y+b.Y) / 2}
		n := [2]float64{-float64(b.Y-a.Y) / long, float64(b.X-a.X) / long} // into it: the solid is at the left
		far := opposite(paths, i, mid, n)
		off := max(0, math.Abs(far-1000*widthMM)-1000*thinStepMM) // how far from what is said, µm
		if v := long / (1 + off*off); v > best {
			best, from, to = v, mid, [2]float64{mid[0] + n[0]*far, mid[1] + n[1]*far}
		}
	}
	return from, to
}

// opposite is how far it is from a side of the first path, along a way into the figure, to the next side; 0 where there
// is none.
func opposite(paths []polygon.Path, side int, from, way [2]float64) float64 {
	least := math.Inf(1)
	for n, q := range paths {
		for i := range q {
			if n == 0 && i == side {
				continue
			}
			c, d := q[i], q[(i+1)%len(q)]
			ex, ey := float64(d.X-c.X), float64(d.Y-c.Y)
			den := way[0]*ey - way[1]*ex
			if den == 0 {
				continue
			}
			gx, gy := float64(c.X)-from[0], float64(c.Y)-from[1]
			far, along := (gx*ey-gy*ex)/den, (gx*way[1]-gy*way[0])/den
			if far > 1 && far < least && along >= 0 && along <= 1 {
				least = far
			}
		}
	}
	if math.IsInf(least, 1) {
		return 0
	}
	return least
}

// Hanging are the slabs, most at the most, of which something wide lies over nothing and is held by what is below,
// those with the most of it first; no less than leastMM2.
func (s *Stack) Hanging(leastMM2 float64, most int) []int {
	const rimMM = 1 // what leans out by no more from layer to layer bridges nothing
	area := make([]float64, len(s.Slabs))
	s.inParallel(len(s.Slabs), func(b *buffers, k int) {
		if k == 0 {
			return
		}
		here, below := s.Slabs[k].cover, s.Slabs[k-1].cover
		if !hangs(here, below) {
			return
		}
		for w := range here {
			b.b[w] = here[w] &^ below[w]
		}
		s.erode(b.b, b.b, b.d, max(1, int(math.Ceil(rimMM/2/s.cellMM))))
		area[k] = float64(ones(b.b, 0, 64*len(b.b)-1)) * s.cellMM * s.cellMM
	})
	var out []int
	for k, a := range area {
		if a >= leastMM2 {
			out = append(out, k)
		}
	}
	slices.SortStableFunc(out, func(a, b int) int { return cmp.Compare(area[b], area[a]) })
	return out[:min(len(out), most)]
}

// Outlines cuts some slabs anew, rising, and gives what is solid of each.
func (s *Stack) Outlines(ctx context.Context, slabs []int) ([][]polygon.Path, error) {
	zs := make([]float64, len(slabs))
	for i, k := range slabs {
		zs[i] = (s.Bounds.Min.Z + s.Slabs[k].middle(s.HeightMM)) / s.mmPerUnit
	}
	cuts, err := Planes(ctx, s.mesh, s.topo, zs, s.mmPerUnit)
	out := make([][]polygon.Path, len(cuts))
	var poly polygon.Scratch
	for i := range cuts {
		out[i] = poly.Union(polygon.NonZero, cuts[i].Loops)
	}
	return out, err
}
