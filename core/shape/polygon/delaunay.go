package polygon

import (
	"cmp"
	"math"
	"math/big"
	"math/rand/v2"
	"slices"
)

// Delaunay triangulation of points, one after the other: the triangles whose
// circumcircle holds the new point make room for a fan around it (Bowyer 1981,
// Watson 1981). They come in rounds of doubling size, each round along a curve that
// fills the plane, so that walking from the one before is short and few triangles
// go each time (Amenta, Choi, Rote 2003). Circles are decided exactly.

type triangle struct {
	v [3]int32 // corners, counter-clockwise
	n [3]int32 // neighbour across the side opposite to each corner, or -1
}

type delaunay struct {
	pts  []Point // the last three are far outside
	tris []triangle
	dead []bool
	free []int32
	last int32
	hole []int32
	rims []rim
	seen []int32 // by triangle: the point that it went for, and 1
}

// rim is a side of a hole, and the triangle beyond it.
type rim struct{ a, b, out int32 }

// rounds is the order in which points come: the same for the same points.
func rounds(points []Point, b Box) []int32 {
	order := make([]int32, len(points))
	for i := range order {
		order[i] = int32(i)
	}
	rng := rand.New(rand.NewPCG(1, 2))
	rng.Shuffle(len(order), func(i, j int) { order[i], order[j] = order[j], order[i] })
	side := max(b.MaxX-b.MinX, b.MaxY-b.MinY) + 1
	key := make([]uint32, len(points))
	for i, p := range points {
		key[i] = hilbert(uint32((p.X-b.MinX)*hilbertSide/side), uint32((p.Y-b.MinY)*hilbertSide/side))
	}
	for from, to := 0, min(len(order), 32); from < len(order); from, to = to, min(len(order), 2*to) {
		slices.SortFunc(order[from:to], func(i, j int32) int { return cmp.Or(cmp.Compare(key[i], key[j]), cmp.Compare(i, j)) })
	}
	return order
}

const hilbertSide = 1 << 12

// hilbert is how far along Hilbert's curve a cell is.
func hilbert(x, y uint32) uint32 {
	d := uint32(0)
	for s := uint32(hilbertSide / 2); s > 0; s /= 2 {
		var rx, ry uint32
		if x&s != 0 {
			rx = 1
		}
		if y&s != 0 {
			ry = 1
		}
		d += s * s * (3*rx ^ ry)
		if ry == 0 {
			if rx == 1 {
				x, y = hilbertSide-1-x, hilbertSide-1-y
			}
			x, y = y, x
		}
	}
	return d
}

// inCircle says that d lies inside the circle through a, b, c, which run
// counter-clockwise. The float64 filter's bound is Shewchuk's (1997): (10+96ε)ε.
func inCircle(a, b, c, d Point) bool {
	ax, ay := float64(a.X-d.X), float64(a.Y-d.Y)
	bx, by := float64(b.X-d.X), float64(b.Y-d.Y)
	cx, cy := float64(c.X-d.X), float64(c.Y-d.Y)
	al, bl, cl := ax*ax+ay*ay, bx*bx+by*by, cx*cx+cy*cy
	det := al*(bx*cy-cx*by) + bl*(cx*ay-ax*cy) + cl*(ax*by-bx*ay)
	sum := al*(math.Abs(bx*cy)+math.Abs(cx*by)) + bl*(math.Abs(cx*ay)+math.Abs(ax*cy)) + cl*(math.Abs(ax*by)+math.Abs(bx*ay))
	if bound := 1.2e-15 * sum; det > bound || det < -bound {
		return det > 0
	}
	n := func(v int64) *big.Int { return big.NewInt(v) }
	lift := func(p Point) *big.Int {
		x, y := n(p.X-d.X), n(p.Y-d.Y)
		return x.Add(x.Mul(x, x), y.Mul(y, y))
	}
	minor := func(p, q Point) *big.Int { return n((p.X-d.X)*(q.Y-d.Y) - (q.X-d.X)*(p.Y-d.Y)) }
	total := n(0)
	for _, t := range [3][3]Point{{a, b, c}, {b, c, a}, {c, a, b}} {
		l := lift(t[0])
		total.Add(total, l.Mul(l, minor(t[1], t[2])))
	}
	return total.Sign() > 0
}

// triangulateDelaunay gives the triangles of distinct points, which must lie
// within a tenth of Limit.
func triangulateDelaunay(points []Point) [][3]int32 {
	b := Bounds(points)
	if len(points) < 3 {
		return nil
	}
	w := max(b.MaxX-b.MinX, b.MaxY-b.MinY, 10)
	cx, cy := (b.MinX+b.MaxX)/2, (b.MinY+b.MaxY)/2
	n := int32(len(points))
	d := &delaunay{pts: append(append(make([]Point, 0, n+3), points...), Point{cx - 8*w, cy - 5*w}, Point{cx + 8*w, cy - 5*w}, Point{cx, cy + 9*w})}
	d.tris = append(d.tris, triangle{[3]int32{n, n + 1, n + 2}, [3]int32{-1, -1, -1}})
	d.dead, d.seen = append(d.dead, false), append(d.seen, 0)
	for _, i := range rounds(points, b) {
		d.insert(i)
	}
	var out [][3]int32
	for i, t := range d.tris {
		if !d.dead[i] && t.v[0] < n && t.v[1] < n && t.v[2] < n {
			out = append(out, t.v)
		}
	}
	return out
}

// locate walks to the triangle that holds p.
func (d *delaunay) locate(p Point) int32 {
	t := d.last
	for steps := 0; steps < len(d.tris)+8; steps++ {
		x := &d.tris[t]
		moved := false
		for k := range 3 {
			a, b := d.pts[x.v[(k+1)%3]], d.pts[x.v[(k+2)%3]]
			if cross(a, b, p) < 0 && x.n[k] >= 0 {
				t, moved = x.n[k], true
				break
			}
		}
		if !moved {
			return t
		}
	}
	for i := range d.tris { // never needed for a Delaunay triangulation
		if !d.dead[i] && !d.outside(int32(i), p) {
			return int32(i)
		}
	}
	return t
}

func (d *delaunay) outside(t int32, p Point) bool {
	v := d.tris[t].v
	return cross(d.pts[v[0]], d.pts[v[1]], p) < 0 || cross(d.pts[v[1]], d.pts[v[2]], p) < 0 || cross(d.pts[v[2]], d.pts[v[0]], p) < 0
}

func (d *delaunay) insert(i int32) {
	p := d.pts[i]
	now := i + 1
	d.hole = append(d.hole[:0], d.locate(p))
	d.seen[d.hole[0]] = now
	border := d.rims[:0]
	for k := 0; k < len(d.hole); k++ {
		x := d.tris[d.hole[k]]
		for s := range 3 {
			o := x.n[s]
			a, b := x.v[(s+1)%3], x.v[(s+2)%3]
			if o >= 0 && d.seen[o] == now {
				continue
			}
			// A side that p lies on, or is behind, must go too.
			if o >= 0 {
				v := d.tris[o].v
				if inCircle(d.pts[v[0]], d.pts[v[1]], d.pts[v[2]], p) || cross(d.pts[a], d.pts[b], p) <= 0 {
					d.seen[o] = now
					d.hole = append(d.hole, o)
					continue
				}
			}
			border = append(border, rim{a, b, o})
		}
	}
	// Sides between two that went are on neither's border any more.
	kept := border[:0]
	for _, r := range border {
		if r.out < 0 || d.seen[r.out] != now {
			kept = append(kept, r)
		}
	}
	for _, t := range d.hole {
		d.dead[t] = true
		d.free = append(d.free, t)
	}
	d.rims = border
	made := d.hole[:0] // by rim: its new triangle; what went is in d.free
	for _, r := range kept {
		t := int32(len(d.tris))
		if k := len(d.free); k > 0 {
			t, d.free = d.free[k-1], d.free[:k-1]
		} else {
			d.tris, d.dead, d.seen = append(d.tris, triangle{}), append(d.dead, false), append(d.seen, 0)
		}
		d.tris[t] = triangle{[3]int32{i, r.a, r.b}, [3]int32{r.out, -1, -1}}
		d.dead[t] = false
		made = append(made, t)
		if r.out >= 0 {
			o := &d.tris[r.out]
			for s := range 3 {
				if o.v[(s+1)%3] == r.b && o.v[(s+2)%3] == r.a {
					o.n[s] = t
				}
			}
		}
		d.last = t
	}
	d.hole = made
	for k, r := range kept { // around p
		for j := range kept {
			if kept[j].a == r.b {
				d.tris[made[k]].n[1] = made[j] // across (b, p)
				d.tris[made[j]].n[2] = made[k] // across (p, a)
				break
			}
		}
	}
}
