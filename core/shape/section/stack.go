package section

import (
	"context"
	"math"
	"sync"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/polygon"
)

// PlaneMM is the height of the plane that stands for a layer, over a part's lowest point: in
// the middle of what the part, partMM high, fills of it.
func PlaneMM(bottomMM, layerMM, partMM float64) float64 {
	return (bottomMM + math.Min(bottomMM+layerMM, partMM)) / 2
}

// Slab is one layer of a Stack: the cut through its middle, measured.
type Slab struct {
	BottomMM, HeightMM float64
	AreaMM2            float64 // enclosed, not negative
	LengthMM           float64 // of all outlines
	// MitreRad is Σ 2·tan(turn/2) over all corners, left turns positive on
	// outlines with the solid at their left. Moving every outline inwards by d
	// takes d·MitreRad off its length (Steiner's formula with mitred corners:
	// 8 for a rectangle, 2π for a circle), as long as nothing vanishes.
	MitreRad float64
	Outers   int
	Holes    int
	Open     int
	Tips     Tips
	Turns    [TurnBins]Turns
	// cover marks the cells of the stack's grid whose middle is inside.
	cover []uint64
}

// TurnBins is how finely corners are sorted by how sharp they are.
const TurnBins = 8

// TurnLeast is the turn, in radians, below which a corner slows no machine
// worth counting: points along a smooth curve.
const TurnLeast = 0.1

// Tips are corners of the solid sharper than SharpDeg, which a line rounds off.
type Tips struct {
	Count int
	Cut   int           // those sharper than TipDeg
	Deg   float64       // the sharpest
	At    polygon.Point // where
}

// An outer shell is cut off short of corners sharper than TipDeg: what is left there is
// laid by itself. sharpUM is how long the sides of a sharp corner must be.
const (
	SharpDeg = 60
	TipDeg   = 46
	sharpUM  = 300
)

// sharpHalf and tipHalf are the tangents of half the turn at them.
var (
	sharpHalf = 1 / math.Tan(SharpDeg*math.Pi/360)
	tipHalf   = 1 / math.Tan(TipDeg*math.Pi/360)
)

// TipsOf are those of outlines with the solid at their left.
func TipsOf(paths []polygon.Path) Tips {
	var b Slab
	var nicks Tips
	for _, p := range paths {
		b.turns(p, &nicks)
	}
	return b.Tips
}

func (t *Tips) add(half float64, at polygon.Point) {
	t.Count++
	if half > tipHalf {
		t.Cut++
	}
	if deg := 360 / math.Pi * math.Atan(1/half); t.Count == 1 || deg < t.Deg {
		t.Deg, t.At = deg, at
	}
}

// Turns counts corners of about one sharpness and sums their turns.
type Turns struct {
	Count  int
	SumRad float64
}

// Stack is a part cut into layers, standing as it is given, on its lowest point.
type Stack struct {
	HeightMM float64
	Bounds   mesh.Box // in mm
	Slabs    []Slab
	// FootHullMM is the length of the convex hull around the first layer.
	FootHullMM float64
	// Thin are the figures that stand alone and are thinner than most lines, from below.
	Thin []Thin
	// Gaps are slots narrower than most lines, of some layers, from below.
	Gaps []Gap

	mesh      *mesh.Mesh
	topo      *mesh.Topology
	mmPerUnit float64
	cellMM    float64
	gridMM    [2]float64 // where the grid begins: a rim before the part
	cols      int        // cells across, rows deep
	rows      int
	wordsWide int
	arenas    sync.Pool   // *[]uint64, for Support; as they were left
	cores     *par.Budget // what later work shares cores with
}

// coverCells is how many cells the longer side of a part is divided into, and
// coverCellMM the smallest cell: finer than a line brings nothing.
const (
	coverCells  = 240
	coverCellMM = 0.25
	// coverRimMM is how far around a part the grid goes: support reaches out.
	coverRimMM = 1.5
)

// NewStack cuts m (with its topology) into layers, each by the plane through its
// middle (for a last layer that the part does not fill, through the middle of what
// there is). mmPerUnit scales the mesh to mm. progress may be nil.
func NewStack(ctx context.Context, m *mesh.Mesh, topo *mesh.Topology, l Layering, mmPerUnit float64, progress func(float64)) (*Stack, error) {
	b := m.Bounds()
	s := &Stack{Bounds: mesh.Box{Min: b.Min.Scale(mmPerUnit), Max: b.Max.Scale(mmPerUnit)}}
	s.mesh, s.topo, s.mmPerUnit, s.cores = m, topo, mmPerUnit, par.Of(ctx)
	size := s.Bounds.Size()
	s.HeightMM = size.Z
	heights := l.Heights(s.HeightMM)
	n := len(heights)
	s.cellMM = math.Max(coverCellMM, math.Max(size.X, size.Y)/coverCells)
	rim := math.Ceil(coverRimMM/s.cellMM) * s.cellMM
	s.gridMM = [2]float64{s.Bounds.Min.X - rim, s.Bounds.Min.Y - rim}
	s.cols, s.rows = int((size.X+2*rim)/s.cellMM)+1, int((size.Y+2*rim)/s.cellMM)+1
	s.wordsWide = (s.cols + 63) / 64
	zs := make([]float64, n)
	s.Slabs = make([]Slab, n)
	bottom := 0.0
	for i, h := range heights {
		s.Slabs[i] = Slab{BottomMM: bottom, HeightMM: h}
		zs[i] = b.Min.Z + s.Slabs[i].middle(s.HeightMM)/mmPerUnit
		bottom += h
	}
	sw := newSweep(m, topo, zs, mmPerUnit*1000)
	arena := make([]uint64, n*s.rows*s.wordsWide)
	var poly polygon.Scratch
	for k := range zs {
		if k&15 == 0 {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			if progress != nil {
				progress(float64(k) / float64(n))
			}
		}
		var l Cut
		sw.cut(k, &l)
		if len(l.Loops) > 1 { // bodies may overlap: count what they share once
			l.Loops = poly.Union(polygon.NonZero, l.Loops)
		}
		s.thin(k, zs[k]*mmPerUnit, &l, &poly)
		s.fins(k, zs[k]*mmPerUnit, &l, &poly)
		s.gaps(k, zs[k]*mmPerUnit, &l, &poly)
		words := s.rows * s.wordsWide
		s.Slabs[k].cover, arena = arena[:words:words], arena[words:]
		s.measure(&s.Slabs[k], &l)
		if k == 0 {
			var pts []polygon.Point
			for _, p := range l.Loops {
				pts = append(pts, p...)
			}
			s.FootHullMM = polygon.Hull(pts).Length()
		}
	}
	return s, nil
}

func (s *Stack) measure(out *Slab, l *Cut) {
	out.Open = l.Open
	var nicks Tips
	for _, p := range l.Loops {
		a := p.Area()
		out.AreaMM2 += a
		out.LengthMM += p.Length()
		if a >= 0 {
			out.Outers++
		} else {
			out.Holes++
		}
		out.turns(p, &nicks)
		s.scan(out.cover, p)
	}
	if out.AreaMM2 < 0 { // a part that is inside out
		out.AreaMM2, out.MitreRad = -out.AreaMM2, -out.MitreRad
		out.Outers, out.Holes = out.Holes, out.Outers
		out.Tips = nicks
	}
	// The marks of scan are where outlines begin and end along a row; a running
	// parity turns them into cells.
	for r := 0; r < s.rows; r++ {
		var carry uint64
		row := out.cover[r*s.wordsWide : (r+1)*s.wordsWide]
		for i, w := range row {
			for sh := uint(1); sh < 64; sh <<= 1 {
				w ^= w << sh
			}
			w ^= carry
			row[i] = w
			carry = -(w >> 63)
		}
	}
}

// straight says that a side of a corner, i of p counted on, is long: from point to point
// (step 1, or n-1 for backwards) as far as sharpUM, in about one direction. Planes meet the
// edges between triangles of one face.
func straight(p polygon.Path, i, step int) bool {
	n := len(p)
	at, next := p[i%n], p[(i+step)%n]
	ux, uy := float64(next.X-at.X), float64(next.Y-at.Y)
	for k := 1; k < n; k++ {
		q := p[(i+k*step)%n]
		x, y := float64(q.X-at.X), float64(q.Y-at.Y)
		if along := ux*x + uy*y; along <= 0 || math.Abs(ux*y-uy*x) > 0.1*along {
			return false
		}
		if x*x+y*y > sharpUM*sharpUM {
			return true
		}
	}
	return false
}

// sharpest is the largest turn taken at face value, in radians; a spike's mitre
// would reach to infinity.
const sharpest = 2.8

// turns adds the corners of an outline; nicks are those that turn to the right, the tips of
// a part that is inside out.
func (b *Slab) turns(p polygon.Path, nicks *Tips) {
	n := len(p)
	prev := p[n-1]
	ax, ay := float64(prev.X-p[n-2].X), float64(prev.Y-p[n-2].Y)
	for i, q := range p {
		bx, by := float64(q.X-prev.X), float64(q.Y-prev.Y)
		cross, dot := ax*by-ay*bx, ax*bx+ay*by
		// A turn t has tan(t/2) = cross / (|a||b| + dot); no arctangent for the
		// many small turns of a smooth outline.
		norm := math.Sqrt((ax*ax+ay*ay)*(bx*bx+by*by)) + dot
		half := math.Tan(sharpest / 2)
		if norm > 0 && math.Abs(cross) < half*norm {
			half = math.Abs(cross) / norm
		}
		if half > sharpHalf && straight(p, i+n-1, 1) && straight(p, i+n-1, n-1) {
			if cross >= 0 {
				b.Tips.add(half, prev)
			} else {
				nicks.add(half, prev)
			}
		}
		b.MitreRad += 2 * math.Copysign(half, cross)
		if half > TurnLeast/2 {
			turn := 2 * math.Atan(half)
			bin := min(TurnBins-1, int(turn/math.Pi*TurnBins))
			b.Turns[bin].Count++
			b.Turns[bin].SumRad += turn
		}
		prev, ax, ay = q, bx, by
	}
}

// scan marks, in each row whose middle line an edge crosses, the first cell
// whose middle lies right of the crossing.
func (s *Stack) scan(cover []uint64, p polygon.Path) {
	inv := 1 / (s.cellMM * 1000)
	x0, y0 := s.gridMM[0]*1000, s.gridMM[1]*1000
	prev := p[len(p)-1]
	px, py := (float64(prev.X)-x0)*inv-0.5, (float64(prev.Y)-y0)*inv-0.5
	for _, q := range p {
		qx, qy := (float64(q.X)-x0)*inv-0.5, (float64(q.Y)-y0)*inv-0.5
		lo, hi := math.Min(py, qy), math.Max(py, qy)
		// Rows r with lo < r ≤ hi: half open, so a corner counts once.
		for r := max(0, int(math.Floor(lo))+1); r < s.rows && float64(r) <= hi; r++ {
			x := px + (float64(r)-py)/(qy-py)*(qx-px)
			// Beyond the last cell too: an outline left open would cover the rest of the row.
			if c := max(0, int(math.Ceil(x))); c < 64*s.wordsWide {
				cover[r*s.wordsWide+c/64] ^= 1 << (c & 63)
			}
		}
		px, py = qx, qy
	}
}
