package toolpath

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/sets"
)

// patch is one figure of overhangs in one layer.
type patch struct {
	layer         int
	box           polygon.Box
	cells         []cell
	areaMM2       float64
	carriedMM2    float64
	islandMM2     float64
	blockedMM2    float64 // above the part, where support may stand on the plate only
	forced, kept  *SupportMark
	tooNear, thin bool // too near the plate for support; narrower than a line
	group         int
}

type cell struct{ x, y int32 }

// regionCellUM is how near patches of neighbouring layers must be to be of one
// region; regionsMost bounds how many are told.
const (
	regionCellUM = 1500
	regionsMost  = 60
)

// overhangs gathers those of each layer over the layers, and says for each
// whether support stands under it, and why or why not. more is how many are not listed.
func (s *slicer) overhangs(ctx context.Context) (listed []Overhang, more int, err error) {
	n := len(s.outline)
	by := make([][]patch, n)
	drop := s.verticalGap()
	var blocked [][]polygon.Path
	if s.r.Support == recipe.SupportPlateOnly {
		blocked = s.under
	}
	if err := overLayers(ctx, n, func(w *worker, i int) {
		if len(s.overhang[i]) == 0 {
			return
		}
		lean := um(s.heights[i] * math.Tan(s.r.SupportDeg*math.Pi/180)) // overhangs begins that far out
		var all []patch
		var figures [][]polygon.Path
		for _, f := range polygon.Figures(s.overhang[i]) {
			paths := f.Paths()
			p := patch{layer: i, areaMM2: areaMM2(paths)}
			if p.areaMM2 < s.r.LineMM*s.r.LineMM/4 {
				continue
			}
			p.box = polygon.Bounds(paths...)
			p.cells = cellsAlong(f.Outer)
			all, figures = append(all, p), append(figures, paths)
		}
		if len(all) == 0 {
			return
		}
		// What is asked of each is asked of all at once.
		share := func(of []polygon.Path) []float64 {
			return shared(all, figures, w.poly.Boolean(polygon.Intersection, polygon.NonZero, s.overhang[i], of))
		}
		var carried, blocks []float64
		foot := i - 1 - drop
		if foot >= 0 && s.support != nil {
			carried = share(w.poly.Offset(s.support[foot], um(*s.r.SupportHorizontalGapMM+s.r.LineMM), support))
		}
		if blocked != nil {
			blocks = share(blocked[i])
		}
		held := share(w.poly.Offset(s.outline[i-1], lean+50, mitre))
		wide := shared(all, figures, w.poly.Offset(s.overhang[i], -um(s.r.LineMM)/2, mitre))
		for j := range all {
			p, paths := &all[j], figures[j]
			p.tooNear = foot < 0
			if carried != nil {
				p.carriedMM2 = carried[j]
			}
			if blocks != nil {
				p.blockedMM2 = blocks[j]
			}
			if held[j] == 0 {
				p.islandMM2 = p.areaMM2
			}
			p.thin = wide[j] == 0
			for k := range s.marks {
				m := &s.marks[k]
				if !s.meets(m, i) || len(w.poly.Boolean(polygon.Intersection, polygon.NonZero, paths, m.Paths)) == 0 {
					continue
				}
				if m.Force {
					p.forced = m
				} else {
					p.kept = m
				}
			}
		}
		by[i] = all
	}, func(float64) {}); err != nil {
		return nil, 0, err
	}
	listed, more = s.told(grouped(by))
	return listed, more, nil
}

// shared gives the area of pieces by the figure that each lies in, mm².
func shared(all []patch, figures [][]polygon.Path, pieces []polygon.Path) []float64 {
	out := make([]float64, len(all))
	for _, f := range polygon.Figures(pieces) {
		q := f.Outer[0]
		for j := range all {
			if !all[j].box.Holds(q, 1) {
				continue
			}
			// Rounding may have moved a corner off its figure by a micrometre.
			if len(all) > 1 && slices.IndexFunc(f.Outer, func(q polygon.Point) bool { return polygon.Inside(polygon.NonZero, figures[j], q) >= 0 }) < 0 {
				continue
			}
			out[j] += areaMM2(f.Paths())
			break
		}
	}
	return out
}

func areaMM2(paths []polygon.Path) float64 {
	a := 0.0
	for _, p := range paths {
		a += p.Area()
	}
	return a
}

// cellsAlong are the cells of a coarse grid that an outline runs through.
func cellsAlong(p polygon.Path) []cell {
	seen := map[cell]bool{}
	var out []cell
	a := p[len(p)-1]
	for _, b := range p {
		steps := int(dist(a, b)/regionCellUM) + 1
		for k := range steps {
			f := float64(k) / float64(steps)
			x, y := float64(a.X)+f*float64(b.X-a.X), float64(a.Y)+f*float64(b.Y-a.Y)
			c := cell{int32(math.Floor(x / regionCellUM)), int32(math.Floor(y / regionCellUM))}
			if !seen[c] {
				seen[c] = true
				out = append(out, c)
			}
		}
		a = b
	}
	return out
}

// grouped joins patches that are in one cell or in neighbouring ones, in the same
// layer or up to two below.
func grouped(by [][]patch) [][]*patch {
	var all []*patch
	var together sets.Sets
	const layersBack = 2
	var near [layersBack + 1]map[cell]int
	for i := range by {
		now := map[cell]int{}
		copy(near[1:], near[:layersBack])
		near[0] = now
		for k := range by[i] {
			p := &by[i][k]
			p.group = together.Add()
			all = append(all, p)
			for _, c := range p.cells {
				for _, old := range near {
					for dx := int32(-1); dx <= 1; dx++ {
						for dy := int32(-1); dy <= 1; dy++ {
							if o, ok := old[cell{c.x + dx, c.y + dy}]; ok {
								together.Join(o, p.group)
							}
						}
					}
				}
			}
			for _, c := range p.cells {
				now[c] = p.group
			}
		}
	}
	index := map[int]int{}
	var out [][]*patch
	for i, p := range all {
		r := together.Of(i)
		if _, ok := index[r]; !ok {
			index[r] = len(out)
			out = append(out, nil)
		}
		out[index[r]] = append(out[index[r]], p)
	}
	return out
}

// told makes the overhangs of groups of patches, the largest ones, from below.
func (s *slicer) told(groups [][]*patch) (out []Overhang, more int) {
	for _, g := range groups {
		r := Overhang{Min: [3]float64{math.Inf(1), math.Inf(1), math.Inf(1)}, Max: [3]float64{math.Inf(-1), math.Inf(-1), math.Inf(-1)}}
		var carried, island, blocked, near, thin float64
		var forced, kept *SupportMark
		for _, p := range g {
			top := s.tops[p.layer] + lift(&s.r)
			for k, v := range [3][2]float64{{float64(p.box.MinX) / 1000, float64(p.box.MaxX) / 1000}, {float64(p.box.MinY) / 1000, float64(p.box.MaxY) / 1000}, {top - s.heights[p.layer], top}} {
				r.Min[k], r.Max[k] = math.Min(r.Min[k], v[0]), math.Max(r.Max[k], v[1])
			}
			r.AreaMM2 += p.areaMM2
			carried, island, blocked = carried+p.carriedMM2, island+p.islandMM2, blocked+p.blockedMM2
			if p.tooNear {
				near += p.areaMM2
			}
			if p.thin {
				thin += p.areaMM2
			}
			forced, kept = cmp.Or(p.forced, forced), cmp.Or(p.kept, kept)
		}
		if r.AreaMM2 < s.r.LineMM*s.r.LineMM*4 {
			continue
		}
		half := r.AreaMM2 / 2
		form := fmt.Sprintf("leans out further than %.0f° from %.1f to %.1f mm", s.r.SupportDeg, r.Min[2], r.Max[2])
		switch {
		case island > half || island > 0 && r.Max[2]-r.Min[2] > 3*s.r.LayerMM:
			form = fmt.Sprintf("begins in mid-air at %.1f mm", r.Min[2])
		case r.Max[2]-r.Min[2] < 2.5*s.r.LayerMM:
			form = fmt.Sprintf("lies flat over nothing at %.1f mm", r.Min[2])
		}
		r.Carried = carried > half
		switch {
		case r.Carried && forced != nil:
			r.Why = "Support put in by hand: " + forced.Reason
		case r.Carried:
			r.Why = "Support stands under it: it " + form + "."
		case kept != nil:
			r.Why = "Support kept out by hand: " + kept.Reason
		case s.r.Support == recipe.SupportOff:
			r.Why = "Left out: the recipe has support off. It " + form + "."
		case near > half:
			r.Why = "Left out: it is nearer to the plate than support needs."
		case blocked > half:
			r.Why = "Left out: support may stand on the plate only, and the part is below. It " + form + "."
		case s.r.Support == recipe.SupportFirstLayer:
			r.Why = "Left out: support is for the first layer only. It " + form + "."
		case thin > half:
			r.Why = "Left out: too narrow for support to stand under; the layer below holds it."
		default:
			r.Why = "Left out: there is no room for support beside the part's walls. It " + form + "."
		}
		out = append(out, r)
	}
	if len(out) > regionsMost {
		slices.SortStableFunc(out, func(a, b Overhang) int { return cmp.Compare(b.AreaMM2, a.AreaMM2) })
		out, more = out[:regionsMost], len(out)-regionsMost
	}
	slices.SortStableFunc(out, func(a, b Overhang) int {
		return cmp.Or(cmp.Compare(a.Min[2], b.Min[2]), cmp.Compare(a.Min[0], b.Min[0]))
	})
	return out, more
}
