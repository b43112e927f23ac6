package toolpath

import (
	"math"
	"slices"

	"jobshelf/core/shape/polygon"
)

// reach lists the regions with a setting that are at a layer's height.
func (s *slicer) reach(i int, has func(*Region) bool) []*Region {
	var out []*Region
	middle := s.tops[i] - s.heights[i]/2
	for k := range s.regions {
		if r := &s.regions[k]; len(r.Path) >= 3 && r.FromMM <= middle && middle <= r.ToMM && has(r) {
			out = append(out, r)
		}
	}
	return out
}

// shellsIn is how many shells are laid in a region; nil is what is in none.
func (s *slicer) shellsIn(r *Region) int {
	if r == nil {
		return s.r.Shells
	}
	return *r.Shells
}

func (s *slicer) infillIn(r *Region) float64 {
	if r == nil {
		return s.r.InfillPercent
	}
	return *r.InfillPercent
}

// zone is what of a figure lies in a region, or in none.
type zone struct {
	of    *Region
	paths []polygon.Path
}

// split takes a figure apart by regions; what is in none comes first.
func split(w *worker, paths []polygon.Path, regions []*Region) []zone {
	rest := paths
	var out []zone
	for _, r := range slices.Backward(regions) {
		if len(rest) == 0 {
			break
		}
		of := []polygon.Path{r.Path}
		out = append(out, zone{r, w.poly.Boolean(polygon.Intersection, polygon.NonZero, rest, of)})
		rest = w.poly.Boolean(polygon.Difference, polygon.NonZero, rest, of)
	}
	out = append(out, zone{nil, rest})
	slices.Reverse(out)
	return out
}

// regionAt is the region that a point lies in, or nil.
func regionAt(q polygon.Point, regions []*Region) *Region {
	for _, r := range slices.Backward(regions) {
		if polygon.Inside(polygon.NonZero, []polygon.Path{r.Path}, q) >= 0 {
			return r
		}
	}
	return nil
}

// within cuts lines to where they are wanted. A ring of which a stretch goes is open after it.
func within(lines []Line, regions []*Region, want func(*Region) bool) []Line {
	if !slices.ContainsFunc(regions, func(r *Region) bool { return want(r) != want(nil) }) {
		if want(nil) {
			return lines
		}
		return nil
	}
	var out []Line
	for k := range lines {
		out = append(out, lines[k].within(regions, want)...)
	}
	return out
}

func (l *Line) within(regions []*Region, want func(*Region) bool) []Line {
	n := len(l.Points)
	if n == 1 {
		if want(regionAt(l.Points[0], regions)) {
			return []Line{*l}
		}
		return nil
	}
	segments := n - 1
	if l.Closed {
		segments = n
	}
	var out []Line
	var now Line
	whole := true
	end := func() {
		if len(now.Points) > 1 {
			out = append(out, now)
		}
		now = Line{Kind: l.Kind, Nozzle: l.Nozzle, WidthMM: l.WidthMM}
	}
	put := func(q polygon.Point, width float64) {
		if len(now.Points) > 0 && now.Points[len(now.Points)-1] == q {
			return
		}
		now.Points = append(now.Points, q)
		if l.Widths != nil {
			now.Widths = append(now.Widths, width)
		}
	}
	end()
	for i := range segments {
		a, b := l.Points[i], l.Points[(i+1)%n]
		at := func(t float64) (polygon.Point, float64) {
			q := polygon.Point{X: a.X + int64(math.Round(t*float64(b.X-a.X))), Y: a.Y + int64(math.Round(t*float64(b.Y-a.Y)))}
			if l.Widths == nil {
				return q, 0
			}
			return q, l.Widths[i] + t*(l.Widths[(i+1)%n]-l.Widths[i])
		}
		cuts := append([]float64{0}, bordersOn(a, b, regions)...)
		cuts = append(cuts, 1)
		for k := range len(cuts) - 1 {
			if middle, _ := at((cuts[k] + cuts[k+1]) / 2); !want(regionAt(middle, regions)) {
				whole = false
				end()
				continue
			}
			put(at(cuts[k]))
			put(at(cuts[k+1]))
		}
	}
	end()
	if whole {
		return []Line{*l}
	}
	// A ring's last stretch goes on with its first.
	if last := len(out) - 1; l.Closed && last > 0 && out[last].last() == out[0].Points[0] {
		out[last].Points = append(out[last].Points, out[0].Points[1:]...)
		if l.Widths != nil {
			out[last].Widths = append(out[last].Widths, out[0].Widths[1:]...)
		}
		out = out[1:]
	}
	return out
}

// bordersOn is where a segment crosses the borders of regions, as shares of it, rising.
func bordersOn(a, b polygon.Point, regions []*Region) []float64 {
	var out []float64
	dx, dy := float64(b.X-a.X), float64(b.Y-a.Y)
	for _, r := range regions {
		for i, p := range r.Path {
			q := r.Path[(i+1)%len(r.Path)]
			ex, ey := float64(q.X-p.X), float64(q.Y-p.Y)
			across := dx*ey - dy*ex
			if across == 0 {
				continue
			}
			px, py := float64(p.X-a.X), float64(p.Y-a.Y)
			t, u := (px*ey-py*ex)/across, (px*dy-py*dx)/across
			if t > 0 && t < 1 && u >= 0 && u <= 1 {
				out = append(out, t)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
