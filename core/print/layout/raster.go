package layout

import (
	"math"
	"math/bits"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/shape/polygon"
)

// cellsAcross is how many places a raster has across a plate.
const cellsAcross = 448

// arcUM is how exactly outlines are grown and simplified for the raster.
const arcUM = 40

// form is an item in one of its turns.
type form struct {
	item    int
	deg     float64
	outline polygon.Path // about (0,0), the middle of the plate
	grown   polygon.Path // so far that two that touch are as far apart as they have to be
	hull    polygon.Path // of grown; itself where it is convex
	convex  bool
	bare    polygon.Path  // the convex hull of the outline; made when asked for
	low     polygon.Point // the least corner of the outline's box, and the greatest
	high    polygon.Point
	// Where it may lie: cells from (i0, j0) on, nx × ny of them.
	i0, j0, nx, ny int
	words          int      // of a row
	empty          []uint64 // what is blocked on an empty plate
}

// stamp is where one form is blocked by another: bits of cells, from the place of the other on.
type stamp struct {
	i0, j0, wide, rows int // wide: words
	bits               []uint64
	from, to           []float64 // by row, of a sweep; scratch
}

// raster knows the forms of a layout and how they block each other.
type raster struct {
	ask    *Ask
	cell   float64 // µm
	forms  []*form
	stamps map[[2]int]*stamp
	keep   []*form // what is kept out, about (0,0)
	made   int     // what making stamps took
}

func newRaster(items []Item, a *Ask) *raster {
	r := &raster{ask: a, cell: math.Max(1, math.Ceil(1000*math.Max(a.Volume.XMM, a.Volume.YMM)/cellsAcross)), stamps: map[[2]int]*stamp{}}
	for k := range items {
		for n, deg := range append([]float64{0}, items[k].TurnsDeg...) {
			if n > 0 && deg == 0 {
				continue
			}
			r.forms = append(r.forms, r.form(k, deg, Turned(items[k].outline(), deg, a.Volume)))
		}
	}
	for _, p := range a.KeepOut {
		r.keep = append(r.keep, r.form(-1, 0, p))
	}
	if a.FreeUM > 0 && a.Volume.Shape != machine.Round {
		// What has to be between two copies is there already between a copy and the tower.
		x, y := polygon.UM(a.Volume.XMM), polygon.UM(a.Volume.YMM)
		from, to := x-a.FreeUM+a.ApartUM+4*arcUM, 2*x+a.ApartUM+4*arcUM
		r.keep = append(r.keep, r.form(-1, 0, polygon.Path{{X: from, Y: -y}, {X: to, Y: -y}, {X: to, Y: 2 * y}, {X: from, Y: 2 * y}}))
	}
	return r
}

// form makes a form of an outline that lies in the middle of the plate.
func (r *raster) form(item int, deg float64, o polygon.Path) *form {
	mid := Middle(r.ask.Volume)
	f := &form{item: item, deg: deg, outline: shifted(o, polygon.Point{X: -mid.X, Y: -mid.Y})}
	if f.outline.Area() < 0 {
		slices.Reverse(f.outline)
	}
	var poly polygon.Scratch
	grown := poly.Offset([]polygon.Path{f.outline}, float64(r.ask.ApartUM)/2+2*arcUM, polygon.Offsets{ArcUM: arcUM})
	f.hull = polygon.Simplify(polygon.Hull(slices.Concat(grown...)), arcUM/2, nil)
	f.grown, f.convex = f.hull, true
	if len(grown) > 0 {
		own := slices.MaxFunc(grown, func(a, b polygon.Path) int { return int(math.Copysign(1, a.Area()-b.Area())) })
		if own = polygon.Simplify(own, arcUM/2, nil); own.Area() < 0.99*f.hull.Area() {
			f.grown, f.convex = own, false
		}
	}
	b := polygon.Bounds(f.outline)
	f.low, f.high = polygon.Point{X: b.MinX, Y: b.MinY}, polygon.Point{X: b.MaxX, Y: b.MaxY}
	if item >= 0 {
		r.room(f)
	}
	return f
}

// room finds where a form may lie on an empty plate, with what adhesion adds where that has room.
func (r *raster) room(f *form) {
	for _, margin := range []float64{float64(r.ask.MarginUM), 0} {
		if r.roomWith(f, margin); f.nx > 0 {
			return
		}
	}
}

func (r *raster) roomWith(f *form, margin float64) {
	v := r.ask.Volume
	halfX, halfY := v.XMM*500-margin, v.YMM*500-margin
	if v.Shape == machine.Round {
		halfY = halfX
	}
	i0, i1 := int(math.Ceil((-halfX-float64(f.low.X))/r.cell)), int(math.Floor((halfX-float64(f.high.X))/r.cell))
	j0, j1 := int(math.Ceil((-halfY-float64(f.low.Y))/r.cell)), int(math.Floor((halfY-float64(f.high.Y))/r.cell))
	f.nx, f.ny = 0, 0
	if i1 < i0 || j1 < j0 {
		return
	}
	f.i0, f.j0, f.nx, f.ny = i0, j0, i1-i0+1, j1-j0+1
	f.words = (f.nx + 63) / 64
	f.empty = make([]uint64, f.words*f.ny)
	for j := range f.ny {
		row := f.empty[j*f.words : (j+1)*f.words]
		if tail := f.nx % 64; tail > 0 {
			row[f.words-1] = ^uint64(0) << tail
		}
	}
	if v.Shape != machine.Round {
		return
	}
	hull := polygon.Hull(f.outline)
	some := false
	for j := range f.ny {
		from, to := math.Inf(-1), math.Inf(1)
		for _, p := range hull {
			y := float64(j0+j)*r.cell + float64(p.Y)
			d := halfX*halfX - y*y
			if d < 0 {
				from, to = 1, 0
				break
			}
			d = math.Sqrt(d)
			from, to = math.Max(from, -d-float64(p.X)), math.Min(to, d-float64(p.X))
		}
		a, b := int(math.Ceil(from/r.cell))-i0, int(math.Floor(to/r.cell))-i0
		if from > to || a > b {
			a, b = f.nx, f.nx-1
		}
		some = some || a <= b
		fill(f.empty[j*f.words:(j+1)*f.words], 0, a)
		fill(f.empty[j*f.words:(j+1)*f.words], b+1, f.nx)
	}
	if !some {
		f.nx = 0
	}
}

// fill sets bits from a to before b.
func fill(row []uint64, a, b int) {
	a, b = max(a, 0), min(b, 64*len(row))
	if a >= b {
		return
	}
	first, last := a/64, (b-1)/64
	head, tail := ^uint64(0)<<(a%64), ^uint64(0)>>(63-(b-1)%64)
	if first == last {
		row[first] |= head & tail
		return
	}
	row[first] |= head
	for k := first + 1; k < last; k++ {
		row[k] = ^uint64(0)
	}
	row[last] |= tail
}

// blocks is where b is blocked by a that lies in the middle.
func (r *raster) blocks(a, b *form) *stamp {
	sum := polygon.Bounds(a.grown)
	o := polygon.Bounds(b.grown)
	sum = polygon.Box{MinX: sum.MinX - o.MaxX, MinY: sum.MinY - o.MaxY, MaxX: sum.MaxX - o.MinX, MaxY: sum.MaxY - o.MinY}
	c := r.cell
	s := &stamp{i0: int(math.Floor(float64(sum.MinX)/c)) + 1, j0: int(math.Floor(float64(sum.MinY)/c)) + 1}
	nx := int(math.Ceil(float64(sum.MaxX)/c)) - s.i0
	s.rows = max(0, int(math.Ceil(float64(sum.MaxY)/c))-s.j0)
	s.wide = (max(0, nx) + 63) / 64
	s.bits = make([]uint64, s.wide*s.rows)
	if a.convex && b.convex {
		s.stroke(minkowski(a.hull, b.hull), c)
		return s
	}
	// The sum of two figures is that of their edges, and each where the other's first point is.
	s.stroke(shifted(a.grown, polygon.Point{X: -b.grown[0].X, Y: -b.grown[0].Y}), c)
	back := make(polygon.Path, len(b.grown))
	for i, p := range b.grown {
		back[i] = polygon.Point{X: a.grown[0].X - p.X, Y: a.grown[0].Y - p.Y}
	}
	s.stroke(back, c)
	for i, p := range a.grown {
		q := a.grown[(i+1)%len(a.grown)]
		for k, e := range b.grown {
			g := b.grown[(k+1)%len(b.grown)]
			s.sweep([4]polygon.Point{{X: p.X - e.X, Y: p.Y - e.Y}, {X: q.X - e.X, Y: q.Y - e.Y}, {X: q.X - g.X, Y: q.Y - g.Y}, {X: p.X - g.X, Y: p.Y - g.Y}}, c)
		}
	}
	return s
}

// turned is where the other is blocked by this one: the same, turned by half.
func (s *stamp) turned() *stamp {
	out := &stamp{i0: 1 - s.i0 - 64*s.wide, j0: 1 - s.j0 - s.rows, wide: s.wide, rows: s.rows, bits: make([]uint64, len(s.bits))}
	for k, b := range s.bits {
		out.bits[len(s.bits)-1-k] = bits.Reverse64(b)
	}
	return out
}

// minkowski is the sum of a convex figure and the other turned round: where the middle of b lies
// when the two touch.
func minkowski(a, b polygon.Path) polygon.Path {
	back := make(polygon.Path, len(b))
	for i, p := range b {
		back[i] = polygon.Point{X: -p.X, Y: -p.Y}
	}
	lowest := func(p polygon.Path) int {
		best := 0
		for i := range p {
			if p[i].Y < p[best].Y || p[i].Y == p[best].Y && p[i].X < p[best].X {
				best = i
			}
		}
		return best
	}
	i, j := lowest(a), lowest(back)
	out := make(polygon.Path, 0, len(a)+len(b))
	for n, m := 0, 0; n < len(a) || m < len(back); {
		p, q := a[(i+n)%len(a)], back[(j+m)%len(back)]
		out = append(out, polygon.Point{X: p.X + q.X, Y: p.Y + q.Y})
		pn, qn := a[(i+n+1)%len(a)], back[(j+m+1)%len(back)]
		cross := (pn.X-p.X)*(qn.Y-q.Y) - (pn.Y-p.Y)*(qn.X-q.X)
		switch {
		case m >= len(back) || n < len(a) && cross > 0:
			n++
		case n >= len(a) || cross < 0:
			m++
		default:
			n, m = n+1, m+1
		}
	}
	return out
}

// stroke blocks the cells strictly inside a figure that every level crosses in pairs.
func (s *stamp) stroke(p []polygon.Point, cell float64) {
	low, high := p[0].Y, p[0].Y
	for _, q := range p {
		low, high = min(low, q.Y), max(high, q.Y)
	}
	var at []float64
	for j := max(s.j0, int(math.Ceil(float64(low)/cell))); j < s.j0+s.rows && float64(j)*cell <= float64(high); j++ {
		y := float64(j) * cell
		at = at[:0]
		for i, a := range p {
			b := p[(i+1)%len(p)]
			if (float64(a.Y) < y) == (float64(b.Y) < y) {
				continue
			}
			at = append(at, float64(a.X)+(y-float64(a.Y))*float64(b.X-a.X)/float64(b.Y-a.Y))
		}
		if len(at) > 2 {
			slices.Sort(at)
		} else if len(at) == 2 && at[0] > at[1] {
			at[0], at[1] = at[1], at[0]
		}
		row := s.bits[(j-s.j0)*s.wide : (j-s.j0+1)*s.wide]
		for k := 0; k+1 < len(at); k += 2 {
			fill(row, int(math.Ceil(at[k]/cell))-s.i0, int(math.Floor(at[k+1]/cell))-s.i0+1)
		}
	}
}

// sweep blocks the cells inside a parallelogram.
func (s *stamp) sweep(p [4]polygon.Point, cell float64) {
	low, high := min(p[0].Y, p[1].Y, p[2].Y, p[3].Y), max(p[0].Y, p[1].Y, p[2].Y, p[3].Y)
	j0, j1 := max(s.j0, int(math.Ceil(float64(low)/cell))), min(s.j0+s.rows-1, int(math.Floor(float64(high)/cell)))
	if j0 > j1 {
		return
	}
	for len(s.from) < j1-j0+1 {
		s.from, s.to = append(s.from, 0), append(s.to, 0)
	}
	from, to := s.from[:j1-j0+1], s.to[:j1-j0+1]
	for k := range from {
		from[k], to[k] = math.Inf(1), math.Inf(-1)
	}
	for i, a := range p {
		b := p[(i+1)&3]
		if a.Y == b.Y {
			continue
		}
		if a.Y > b.Y {
			a, b = b, a
		}
		slope := float64(b.X-a.X) / float64(b.Y-a.Y)
		first, last := max(j0, int(math.Ceil(float64(a.Y)/cell))), min(j1, int(math.Floor(float64(b.Y)/cell)))
		x := float64(a.X) + (float64(first)*cell-float64(a.Y))*slope
		for j := first; j <= last; j++ {
			from[j-j0], to[j-j0] = min(from[j-j0], x), max(to[j-j0], x)
			x += slope * cell
		}
	}
	for k := range from {
		if from[k] <= to[k] {
			row := s.bits[(j0+k-s.j0)*s.wide : (j0+k-s.j0+1)*s.wide]
			fill(row, int(math.Ceil(from[k]/cell))-s.i0, int(math.Floor(to[k]/cell))-s.i0+1)
		}
	}
}

// block adds to what is blocked of a form a stamp at a place, in cells.
func (f *form) block(blocked []uint64, s *stamp, i, j int) (ops int) {
	x := i + s.i0 - f.i0
	from, shift := x>>6, uint(x&63)
	for k := range s.rows {
		row := j + s.j0 + k - f.j0
		if row < 0 || row >= f.ny {
			continue
		}
		to := blocked[row*f.words : (row+1)*f.words]
		for w, b := range s.bits[k*s.wide : (k+1)*s.wide] {
			if b == 0 {
				continue
			}
			if n := from + w; n >= 0 && n < len(to) {
				to[n] |= b << shift
			}
			if n := from + w + 1; shift > 0 && n >= 0 && n < len(to) {
				to[n] |= b >> (64 - shift)
			}
		}
	}
	return s.rows * (s.wide + 1)
}

// firstFree is the first cell of a row from a on that is not blocked, or -1.
func firstFree(row []uint64, a int) int {
	for w := a / 64; w < len(row); w++ {
		b := ^row[w]
		if w == a/64 {
			b &= ^uint64(0) << (a % 64)
		}
		if b != 0 {
			return 64*w + bits.TrailingZeros64(b)
		}
	}
	return -1
}

// lastFree is the last cell of a row up to a that is not blocked, or -1.
func lastFree(row []uint64, a int) int {
	for w := min(a/64, len(row)-1); w >= 0; w-- {
		b := ^row[w]
		if w == a/64 {
			b &= ^uint64(0) >> (63 - a%64)
		}
		if b != 0 {
			return 64*w + 63 - bits.LeadingZeros64(b)
		}
	}
	return -1
}
