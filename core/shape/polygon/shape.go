package polygon

import (
	"math"
	"slices"
)

// Simplify leaves points out of a closed path so that none of them is farther
// than deviationUM from the new side that passes it, in one walk: from each kept
// point it goes on as long as one direction stays that passes all points since
// within the deviation (the cone of Sklansky & Gonzalez 1980, "Fast polygonal
// approximation of digitized curves"). The result may be empty where the whole
// path is thinner than the deviation; it may touch itself where the path nearly
// did. dst is used for it if it is long enough.
func Simplify(p Path, deviationUM float64, dst Path) Path {
	dst = dst[:0]
	n := len(p)
	if n < 4 || deviationUM <= 0 {
		return append(dst, p...)
	}
	// Start at a point that is surely a corner: the lowest, leftmost.
	first := 0
	for i, q := range p {
		if q.Y < p[first].Y || q.Y == p[first].Y && q.X < p[first].X {
			first = i
		}
	}
	at := func(i int) Point { return p[(first+i)%n] }
	dst = append(dst, at(0))
	for i := 0; i < n; {
		i = reachOf(at, i, n, deviationUM)
		if i < n {
			dst = append(dst, at(i))
		}
	}
	if len(dst) < 3 {
		return dst[:0]
	}
	return dst
}

// SimplifyLine does the same for an open line; its ends stay.
func SimplifyLine(l Path, deviationUM float64, dst Path) Path {
	dst = dst[:0]
	if len(l) < 3 || deviationUM <= 0 {
		return append(dst, l...)
	}
	at := func(i int) Point { return l[i] }
	dst = append(dst, l[0])
	for i := 0; i < len(l)-1; {
		i = reachOf(at, i, len(l)-1, deviationUM)
		dst = append(dst, l[i])
	}
	return dst
}

// reachOf is the farthest of the points after i, up to n, to which a straight
// side from i passes all points between within the deviation. The cone of allowed
// directions is held by its two edges, as vectors.
func reachOf(at func(int) Point, i, n int, deviation float64) int {
	o := at(i)
	var lx, ly, rx, ry float64 // left and right edge of the cone
	open := true               // every direction is allowed still
	best, far := i+1, 0.0
	for k := i + 1; k <= n; k++ {
		q := at(k)
		x, y := float64(q.X-o.X), float64(q.Y-o.Y)
		d := math.Sqrt(x*x + y*y)
		if d < far-deviation { // it turns back
			return best
		}
		if !open && (lx*y-ly*x > 0 || rx*y-ry*x < 0 || lx*x+ly*y < 0) {
			return best // outside of the cone
		}
		if d >= far { // an end must be as far out as all that it passes by
			far, best = d, k
		}
		if d <= deviation {
			continue
		}
		// Directions that pass q within the deviation: ±asin(deviation/d) about it.
		s := deviation / d
		c := math.Sqrt(1 - s*s)
		nlx, nly := x*c-y*s, x*s+y*c
		nrx, nry := x*c+y*s, -x*s+y*c
		if open {
			lx, ly, rx, ry, open = nlx, nly, nrx, nry, false
			continue
		}
		if lx*nly-ly*nlx < 0 { // the new left edge is to the right of the old
			lx, ly = nlx, nly
		}
		if rx*nry-ry*nrx > 0 {
			rx, ry = nrx, nry
		}
	}
	return best
}

// Inside tells whether p lies inside paths by a rule: 1 inside, 0 on a border,
// -1 outside.
func Inside(rule Rule, paths []Path, p Point) int {
	w := int32(0)
	for _, path := range paths {
		if len(path) == 0 {
			continue
		}
		a := path[len(path)-1]
		for _, b := range path {
			turn, on := passes(a, b, p)
			if on {
				return 0
			}
			w += turn
			a = b
		}
	}
	if rule.holds(w) {
		return 1
	}
	return -1
}

// passes is what the edge from a to b adds to the winding number of p, which may
// lie on it.
func passes(a, b, p Point) (turn int32, on bool) {
	if p.Y < a.Y && p.Y < b.Y || p.Y > a.Y && p.Y > b.Y {
		return 0, false
	}
	s := cross(a, b, p)
	switch {
	case s == 0 && min(a.X, b.X) <= p.X && p.X <= max(a.X, b.X):
		return 0, true
	case a.Y <= p.Y && p.Y < b.Y && s > 0:
		return 1, false
	case b.Y <= p.Y && p.Y < a.Y && s < 0:
		return -1, false
	}
	return 0, false
}

// bands are the edges of paths by bands of Y, for asking whether points are inside
// with a look at few of them.
type bands struct {
	minY, height int64
	edges        [][][2]Point
}

func bandsOf(paths []Path) bands {
	n := int64(0)
	for _, p := range paths {
		n += int64(len(p))
	}
	if n == 0 {
		return bands{height: 1}
	}
	box := Bounds(paths...)
	high := box.MaxY - box.MinY
	b := bands{minY: box.MinY, height: high/(n/4+1) + 1}
	b.edges = make([][][2]Point, high/b.height+1)
	for _, p := range paths {
		for i, from := range p {
			e := [2]Point{from, p[(i+1)%len(p)]}
			for k := (min(e[0].Y, e[1].Y) - b.minY) / b.height; k <= (max(e[0].Y, e[1].Y)-b.minY)/b.height; k++ {
				b.edges[k] = append(b.edges[k], e)
			}
		}
	}
	return b
}

// inside is Inside by the rule NonZero.
func (b *bands) inside(p Point) int {
	k := (p.Y - b.minY) / b.height
	if p.Y < b.minY || k >= int64(len(b.edges)) {
		return -1
	}
	w := int32(0)
	for _, e := range b.edges[k] {
		turn, on := passes(e[0], e[1], p)
		if on {
			return 0
		}
		w += turn
	}
	if w != 0 {
		return 1
	}
	return -1
}

// Rectangle is a rectangle of any direction.
type Rectangle struct {
	CentreX, CentreY float64 // µm
	LongUM, ShortUM  float64
	AngleRad         float64 // of the long side against x, in (-π/2, π/2]
}

// SmallestRectangle is the rectangle of least area around points: one of its
// sides lies on a side of the hull (Freeman & Shapira 1975), found by turning
// calipers (Toussaint 1983) over the hull.
func SmallestRectangle(points []Point) Rectangle {
	hull := Hull(points)
	n := len(hull)
	if n == 0 {
		return Rectangle{}
	}
	if n < 3 {
		a, b := hull[0], hull[n-1]
		return Rectangle{float64(a.X+b.X) / 2, float64(a.Y+b.Y) / 2, math.Hypot(float64(b.X-a.X), float64(b.Y-a.Y)), 0, upright(math.Atan2(float64(b.Y-a.Y), float64(b.X-a.X)))}
	}
	best := Rectangle{}
	least := math.Inf(1)
	right, top, left := 1, 1, 1
	for i, a := range hull {
		b := hull[(i+1)%n]
		l := math.Hypot(float64(b.X-a.X), float64(b.Y-a.Y))
		ux, uy := float64(b.X-a.X)/l, float64(b.Y-a.Y)/l
		along := func(k int) float64 { p := hull[k%n]; return float64(p.X-a.X)*ux + float64(p.Y-a.Y)*uy }
		up := func(k int) float64 { p := hull[k%n]; return float64(p.Y-a.Y)*ux - float64(p.X-a.X)*uy }
		for along(right+1) > along(right) {
			right++
		}
		top = max(top, right)
		for up(top+1) > up(top) {
			top++
		}
		left = max(left, top)
		for along(left+1) < along(left) {
			left++
		}
		w, h := along(right)-along(left), up(top)
		if w*h < least {
			least = w * h
			mid := (along(right) + along(left)) / 2
			best = Rectangle{float64(a.X) + ux*mid - uy*h/2, float64(a.Y) + uy*mid + ux*h/2, w, h, math.Atan2(uy, ux)}
		}
	}
	if best.ShortUM > best.LongUM {
		best.LongUM, best.ShortUM = best.ShortUM, best.LongUM
		best.AngleRad += math.Pi / 2
	}
	best.AngleRad = upright(best.AngleRad)
	return best
}

func upright(a float64) float64 {
	for a > math.Pi/2 {
		a -= math.Pi
	}
	for a <= -math.Pi/2 {
		a += math.Pi
	}
	return a
}

// FromSegment is the distance of p from the segment ab, µm.
func FromSegment(p, a, b Point) float64 {
	dx, dy := float64(b.X-a.X), float64(b.Y-a.Y)
	px, py := float64(p.X-a.X), float64(p.Y-a.Y)
	t := 0.0
	if l := dx*dx + dy*dy; l > 0 {
		t = math.Max(0, math.Min(1, (px*dx+py*dy)/l))
	}
	return math.Hypot(px-t*dx, py-t*dy)
}

// Figure is an outer outline with its holes.
type Figure struct {
	Outer Path
	Holes []Path
}

// Paths are the outer outline and the holes.
func (f Figure) Paths() []Path { return append([]Path{f.Outer}, f.Holes...) }

// Figures sorts paths, as the operations give them, into outers with the holes
// that lie in them. An island in a hole is a figure of its own. Figures come
// largest first.
func Figures(paths []Path) []Figure {
	type placed struct {
		path Path
		area float64
		box  Box
	}
	var outers, holes []placed
	for _, p := range paths {
		x := placed{p, p.Area(), Bounds(p)}
		if x.area > 0 {
			outers = append(outers, x)
		} else {
			holes = append(holes, x)
		}
	}
	slices.SortStableFunc(outers, func(a, b placed) int {
		switch {
		case a.area > b.area:
			return -1
		case a.area < b.area:
			return 1
		}
		return 0
	})
	out := make([]Figure, len(outers))
	for i, o := range outers {
		out[i].Outer = o.path
	}
	for _, h := range holes {
		for i := len(outers) - 1; i >= 0; i-- { // the smallest that holds it
			o := &outers[i]
			if o.area < -h.area || !h.box.within(&o.box) {
				continue
			}
			if liesIn(h.path, o.path) {
				out[i].Holes = append(out[i].Holes, h.path)
				break
			}
		}
	}
	return out
}

// liesIn tells of paths that do not cross: the first point of p that is off q's
// border decides.
func liesIn(p, q Path) bool {
	for _, x := range p {
		if in := Inside(NonZero, []Path{q}, x); in != 0 {
			return in > 0
		}
	}
	return true
}
