package plate

import (
	"math"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
)

// Shadow is the outline of a mesh of mm seen from above, one path without holes, counter-clockwise:
// what else would lie in a hole could not be taken off. Where the shadow is in several pieces it is
// the convex hull around them; of no area: nil.
//
// Every triangle counts, turned so that it looks up. An edge that two triangles run along against
// each other is within the shadow; the rest are loops around it, and what they wind about is it.
func Shadow(m *mesh.Mesh) polygon.Path {
	at := make([]polygon.Point, len(m.Vertices))
	for i, v := range m.Vertices {
		at[i] = polygon.At(v.X, v.Y)
	}
	type edge struct{ from, to polygon.Point }
	winds := make(map[edge]int, len(m.Triangles))
	for _, t := range m.Triangles {
		a, b, c := at[t[0]], at[t[1]], at[t[2]]
		switch turn := (b.X-a.X)*(c.Y-a.Y) - (b.Y-a.Y)*(c.X-a.X); {
		case turn == 0:
			continue
		case turn < 0:
			b, c = c, b
		}
		for _, e := range [3]edge{{a, b}, {b, c}, {c, a}} {
			if back := (edge{e.to, e.from}); winds[back] > 0 {
				if winds[back]--; winds[back] == 0 {
					delete(winds, back)
				}
			} else {
				winds[e]++
			}
		}
	}
	// As many edges begin at a point as end there: they close to loops.
	next := make(map[polygon.Point][]polygon.Point, len(winds))
	var starts []polygon.Point
	for _, t := range m.Triangles { // in the file's order, for the same every time
		for k := range 3 {
			for _, e := range [2]edge{{at[t[k]], at[t[(k+1)%3]]}, {at[t[(k+1)%3]], at[t[k]]}} {
				for range winds[e] {
					next[e.from] = append(next[e.from], e.to)
					starts = append(starts, e.from)
				}
				delete(winds, e)
			}
		}
	}
	var loops []polygon.Path
	for _, s := range starts {
		var loop polygon.Path
		for p := s; len(next[p]) > 0; {
			to := next[p]
			next[p] = to[:len(to)-1]
			loop = append(loop, p)
			p = to[len(to)-1]
		}
		if len(loop) > 2 {
			loops = append(loops, loop)
		}
	}
	var poly polygon.Scratch
	figures := polygon.Figures(poly.Union(polygon.NonZero, loops))
	whole, largest := 0.0, polygon.Path(nil)
	for _, f := range figures {
		whole += f.Outer.Area()
		if largest == nil || f.Outer.Area() > largest.Area() {
			largest = f.Outer
		}
	}
	if largest != nil && whole-largest.Area() < crumbMM2 {
		return largest
	}
	used := make([]polygon.Point, 0, 3*len(m.Triangles)) // a corner of no triangle is none of the body
	for _, t := range m.Triangles {
		used = append(used, at[t[0]], at[t[1]], at[t[2]])
	}
	if hull := polygon.Hull(used); len(hull) >= 3 && math.Abs(hull.Area()) > 0 {
		return hull
	}
	return nil
}

// crumbMM2 is nothing that would lie beside a shadow.
const crumbMM2 = 1e-3
