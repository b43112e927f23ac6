package section

import (
	"cmp"
	"context"
	"math"
	"math/bits"
	"slices"

	"jobshelf/core/shape/heights"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/sets"
)

// The cover of a layer is a bitmap: rows of words, cell c of a row in bit c%64 of
// word c/64. What is beyond the grid is empty.

// inParallel does work for 0…n-1 on all cores, each with buffers of its own.
func (s *Stack) inParallel(n int, work func(b *buffers, i int)) {
	_ = par.Each(par.With(context.Background(), s.cores), n, func() *buffers { // nothing ends it early
		size := (s.rows + 2) * s.wordsWide // three rows at the least
		b := &buffers{make([]uint64, size), make([]uint64, size), make([]uint64, size), make([]uint64, size), make([]uint64, size)}
		for _, m := range []*[]uint64{&b.a, &b.b, &b.d, &b.e} {
			*m = (*m)[:s.rows*s.wordsWide]
		}
		return b
	}, work, nil)
}

// buffers are one goroutine's bitmaps.
type buffers struct{ a, b, c, d, e []uint64 }

// dilate widens by one cell to all eight sides; tmp is overwritten.
func (s *Stack) dilate(dst, src, tmp []uint64) {
	w := s.wordsWide
	for r := 0; r < s.rows; r++ {
		row, out := src[r*w:(r+1)*w], tmp[r*w:(r+1)*w]
		for k, x := range row {
			c := x | x<<1 | x>>1
			if k > 0 {
				c |= row[k-1] >> 63
			}
			if k+1 < w {
				c |= row[k+1] << 63
			}
			out[k] = c
		}
	}
	for r := 0; r < s.rows; r++ {
		here, out := tmp[r*w:(r+1)*w], dst[r*w:(r+1)*w]
		up, down := here, here
		if r > 0 {
			up = tmp[(r-1)*w : r*w]
		}
		if r+1 < s.rows {
			down = tmp[(r+1)*w : (r+2)*w]
		}
		for k := range out {
			out[k] = up[k] | here[k] | down[k]
		}
	}
}

// Figures grow and shrink by squares and diamonds in turn, one to two: of a square
// alone a slanted border would get up to 1.4 times as much, of a diamond 0.7.

// squares is how many of so many steps go by a square.
func squares(steps int) int { return (steps + 1) / 3 }

// erode narrows by a number of cells from all sides; tmp is overwritten. dst may be
// src.
func (s *Stack) erode(dst, src, tmp []uint64, by int) {
	if &dst[0] != &src[0] {
		copy(dst, src)
	}
	square := squares(by)
	for range by - square {
		s.diamond(dst, tmp, false)
	}
	// By one, then by up to as much again and one: a window within windows.
	for done := 0; done < square; {
		step := min(done+1, square-done)
		s.narrow(tmp, dst, uint(step))
		s.upDownAnd(dst, tmp, step)
		done += step
	}
}

// diamond widens by a cell to the four sides, or narrows by one; tmp holds three
// rows.
func (s *Stack) diamond(m, tmp []uint64, widen bool) {
	w := s.wordsWide
	above, here, none := tmp[:w], tmp[w:2*w], tmp[2*w:3*w]
	clear(above)
	clear(none)
	for at := 0; at < len(m); at += w {
		row, below := m[at:at+w:at+w], none
		if at+w < len(m) {
			below = m[at+w : at+2*w : at+2*w]
		}
		copy(here, row)
		before, x := uint64(0), here[0]
		for k := range row {
			next := uint64(0)
			if k+1 < len(here) {
				next = here[k+1]
			}
			if left, right := x<<1|before>>63, x>>1|next<<63; widen {
				row[k] = x | above[k] | below[k] | left | right
			} else {
				row[k] = x & above[k] & below[k] & left & right
			}
			before, x = x, next
		}
		above, here = here, above
	}
}

// widen widens by a number of cells to all sides; tmp is overwritten. dst may be src.
func (s *Stack) widen(dst, src, tmp []uint64, by int) {
	if &dst[0] != &src[0] {
		copy(dst, src)
	}
	square := squares(by)
	for range by - square {
		s.diamond(dst, tmp, true)
	}
	for range square {
		s.dilate(dst, dst, tmp)
	}
}

// narrow keeps cells whose neighbours step cells to the left and right are there.
func (s *Stack) narrow(dst, src []uint64, step uint) {
	w := s.wordsWide
	const word = 63
	if step > word { // further than a word: there in two goes
		s.narrow(dst, src, word)
		s.narrow(dst, dst, step-word)
		return
	}
	near, far := step&63, (64-step)&63 // masked, so that shifting needs no test
	for at := 0; at+w <= len(src); at += w {
		row := src[at : at+w : at+w]
		out := dst[at : at+w : at+w]
		before, x := uint64(0), row[0]
		for k := 1; k < len(row) && k <= len(out); k++ {
			next := row[k]
			out[k-1] = x & (x<<near | before>>far) & (x>>near | next<<far)
			before, x = x, next
		}
		out[w-1] = x & (x<<near | before>>far) & (x >> near)
	}
}

func (s *Stack) upDownAnd(dst, src []uint64, step int) {
	w := s.wordsWide
	for r := 0; r < s.rows; r++ {
		out := dst[r*w : (r+1)*w]
		if r < step || r+step >= s.rows {
			clear(out)
			continue
		}
		up, here, down := src[(r-step)*w:(r-step+1)*w], src[r*w:(r+1)*w], src[(r+step)*w:(r+step+1)*w]
		for k := range out {
			out[k] = up[k] & here[k] & down[k]
		}
	}
}

// leastPiece is how many cells a piece within the shells must have to be filled.
const leastPiece = 12

// Within is what lies deeper than the shells in a layer.
type Within struct {
	SolidShare float64 // of it is closed, 0…1
	Pieces     int     // it falls into
}

// Within is, for each layer, the share (0…1) of what lies deeper than rimMM
// inside it that is under fewer than top layers of solid or over fewer than bottom
// ones, and reachMM around that: what is closed within the shells.
func (s *Stack) Within(top, bottom int, rimMM, reachMM float64) []Within {
	n := len(s.Slabs)
	out := make([]Within, n)
	whole, part := math.Modf(rimMM / s.cellMM)
	cells := int(whole)
	reach := reachMM / s.cellMM
	s.inParallel(n, func(b *buffers, i int) {
		deep, inside := b.a, b.b
		copy(deep, s.Slabs[i].cover)
		if i+top >= n || i-bottom < 0 {
			clear(deep)
		} else {
			for k := i - bottom; k <= i+top; k += 2 { // two at a time
				one, two := s.Slabs[k].cover, s.Slabs[min(k+1, i+top)].cover[:len(s.Slabs[k].cover)]
				d := deep[:len(one)]
				for w, c := range one {
					d[w] &= c & two[w]
				}
			}
		}
		// The rim is part of a cell more than so many cells: the share is between
		// those of both. Where it leaves nothing, everything is thin.
		s.erode(inside, s.Slabs[i].cover, b.c, cells)
		clear(b.d)
		for _, f := range s.figures(inside, b.d, nil) {
			if f.areaMM2 >= leastPiece {
				out[i].Pieces++
			}
		}
		var open, all float64
		for k, weight := range [2]float64{1 - part, part} {
			if k == 1 {
				s.erode(inside, inside, b.c, 1)
			}
			bare, some := b.d, uint64(0)
			for w, c := range inside {
				bare[w] = c &^ deep[w]
				some |= bare[w]
			}
			in, closed := 0, 0
			for w, c := range inside {
				in += bits.OnesCount64(c)
				closed += bits.OnesCount64(bare[w])
			}
			around := 0
			if some != 0 && closed < in {
				copy(b.e, bare)
				s.diamond(b.e, b.c, true)
				for w, c := range inside {
					around += bits.OnesCount64(c & b.e[w] &^ bare[w])
				}
			}
			// Cells beside a straight rim number its length.
			cap := math.Min(float64(in), float64(closed)+reach*float64(around))
			open, all = open+weight*cap, all+weight*float64(in)
		}
		out[i].SolidShare = 1
		if all > 0 {
			out[i].SolidShare = open / all
		}
	})
	return out
}

// SupportAsk is what support is wanted.
type SupportAsk struct {
	Lean            float64 // the tangent of the angle from upright that needs none
	PlateOnly       bool
	VerticalGap     int     // layers left free between support and what it carries
	Interface       int     // dense layers below what is carried
	WidenMM         float64 // how far it reaches beyond what it carries
	HorizontalGapMM float64 // how far it stays from walls
}

// Column is support that stands through several layers, about as wide in each.
type Column struct {
	From, To     int     // the lowest of its layers, and the first above it
	AreaMM2      float64 // what it stands on
	InterfaceMM2 float64 // of it, dense: within the interface's layers below what is carried
	RimMM        float64 // around it
	OnPart       bool    // it stands on the part; else on the plate or another column
}

// figure is support in one layer that hangs together.
type figure struct {
	areaMM2, denseMM2, rimMM float64
	box                      [4]int // in cells: first and last column, first and last row
	onPart                   bool
}

// batch is how many layers' bitmaps are held at a time.
const batch = 256

// Support is where support stands: under cells that are covered though nothing below is,
// where the surface leans too far, down to the plate or the part; where it may stand on
// the plate only, only where it reaches it. The grid is coarse, the lean the surface's own.
func (s *Stack) Support(ask SupportAsk) []Column {
	n := len(s.Slabs)
	if n < 2 || ask.Lean <= 0 {
		return nil
	}
	out := make([][]figure, n)
	size := s.rows * s.wordsWide
	dense := max(1, ask.Interface)
	// Bitmaps of layers above come along: the interface looks that far up.
	need := (2*batch + dense) * size
	held, _ := s.arenas.Get().(*[]uint64)
	if held == nil || len(*held) < need {
		held = new(make([]uint64, need))
	}
	defer s.arenas.Put(held)
	arena := *held
	fresh, column := make([][]uint64, batch+dense), make([][]uint64, batch)
	for k := range fresh {
		fresh[k], arena = arena[:size:size], arena[size:]
	}
	for k := range column {
		column[k], arena = arena[:size:size], arena[size:]
	}
	hangs, stands := make([]bool, batch+dense), make([]bool, batch)
	blocked := s.blocked(ask.PlateOnly)
	leans := s.leaning(heights.Lean(ask.Lean))
	last := make([]uint64, size) // the column above
	gap, reach := int(ask.HorizontalGapMM/s.cellMM), int(math.Round(ask.WidenMM/s.cellMM))
	// The steepest slope that is carried draws back that far until its support begins: what
	// the gap leaves of each layer's ring must touch the next one's.
	back := int(ask.Lean * s.Slabs[n/2].HeightMM * float64(1+ask.VerticalGap) / s.cellMM)
	reach = max(reach, gap+1-back)
	ask.WidenMM -= float64(reach) * s.cellMM // what is left for standing to add
	rings := int(math.Ceil(2 * s.cellMM / (ask.Lean * s.Slabs[n/2].HeightMM)))
	any := false
	for high := n - 1; high > ask.VerticalGap; high -= batch {
		count := min(batch, high-ask.VerticalGap)
		// fresh[k+dense] is overhangs in layer high-k; those before are of the batch above.
		s.inParallel(count, func(b *buffers, k int) {
			i, f := high-k, fresh[k+dense]
			if hangs[k+dense] = s.hanging(b, f, leans, i, rings, ask.Lean); hangs[k+dense] {
				s.widen(f, f, b.c, reach)
			}
			s.widen(column[k], s.Slabs[i-1-ask.VerticalGap].cover, b.c, gap) // where it may not go, until its turn comes
		})
		for k := range count { // column[k] stands in layer high-k-1-ask.VerticalGap
			stands[k] = false
			if !hangs[k+dense] && !any {
				continue
			}
			f, c, some := fresh[k+dense], column[k], uint64(0)
			for w, off := range c {
				last[w] = (last[w] | f[w]) &^ off
				c[w] = last[w]
				some |= last[w]
			}
			any = some != 0
			stands[k] = any
		}
		s.inParallel(count, func(b *buffers, k int) {
			if foot := high - k - 1 - ask.VerticalGap; stands[k] {
				var block []uint64
				if blocked != nil {
					block = blocked[foot]
				}
				out[foot] = s.standing(b, column[k], fresh[k+1:k+dense+1], hangs[k+1:k+dense+1], block, foot, ask)
			}
		})
		for k := range dense { // what the batch below looks up to
			from := count + k
			copy(fresh[k], fresh[from])
			hangs[k] = hangs[from]
		}
	}
	return columns(out)
}

// hanging marks in f the cells of layer i that nothing below carries; false if there are none.
func (s *Stack) hanging(b *buffers, f []uint64, leans *leaning, i, rings int, lean float64) bool {
	clear(f)
	for _, c := range leans.in(i) {
		f[c>>6] |= 1 << (c & 63)
	}
	s.dropNarrow(b, f, leans, i, rings)
	// What begins in mid-air hangs however steep it is, if it is as long as a line there;
	// a point is not carried.
	far := b.a
	s.widen(far, s.Slabs[i-1].cover, b.c, 1+int(math.Ceil(lean*s.Slabs[i].HeightMM/s.cellMM)))
	for w, c := range s.Slabs[i].cover {
		far[w] = c &^ far[w]
	}
	some, below := uint64(0), s.Slabs[i-1].cover
	for w, c := range s.Slabs[i].cover {
		f[w] = f[w]&c&^below[w] | far[w]&s.beside(far, w)
		some |= f[w]
	}
	return some != 0
}

// beside are the cells of word w that have a neighbour in one of the four directions.
func (s *Stack) beside(m []uint64, w int) uint64 {
	x := m[w]
	n := x<<1 | x>>1
	if col := w % s.wordsWide; col > 0 {
		n |= m[w-1] >> 63
	}
	if col := w % s.wordsWide; col+1 < s.wordsWide {
		n |= m[w+1] << 63
	}
	if w >= s.wordsWide {
		n |= m[w-s.wordsWide]
	}
	if w+s.wordsWide < len(m) {
		n |= m[w+s.wordsWide]
	}
	return n
}

// alike is how much the areas of two layers of a column may differ.
const alike = 1.1

// columns joins the figures of layers, from below, where one stands on another of about
// its place and size.
func columns(layers [][]figure) []Column {
	var out []Column
	type end struct {
		figure
		of int // in out
	}
	var below, here []end
	for i, figures := range layers {
		here = here[:0]
		for _, f := range figures {
			on := -1
			for k := range below {
				d := &below[k]
				off := 0
				for j := range f.box {
					off = max(off, f.box[j]-d.box[j], d.box[j]-f.box[j])
				}
				near := f.areaMM2 <= alike*d.areaMM2 && d.areaMM2 <= alike*f.areaMM2 && (f.denseMM2 > 0) == (d.denseMM2 > 0)
				if d.of >= 0 && off <= 2 && near {
					on, d.of = d.of, -1 // one on one
					break
				}
			}
			if on < 0 {
				on = len(out)
				out = append(out, Column{From: i, OnPart: f.onPart})
			}
			c := &out[on] // sums, until all is told
			c.To, c.AreaMM2, c.InterfaceMM2, c.RimMM = i+1, c.AreaMM2+f.areaMM2, c.InterfaceMM2+f.denseMM2, c.RimMM+f.rimMM
			here = append(here, end{f, on})
		}
		below, here = here, below
	}
	for k := range out {
		c := &out[k]
		n := float64(c.To - c.From)
		c.AreaMM2, c.InterfaceMM2, c.RimMM = c.AreaMM2/n, c.InterfaceMM2/n, c.RimMM/n
	}
	return out
}

// leaning are the cells in whose middle the surface leans too far, by layer.
type leaning struct {
	from  []int32 // where each layer's begin in cells; one more than layers
	cells []int32 // word times 64 and bit
}

func (l *leaning) in(layer int) []int32 { return l.cells[l.from[layer]:l.from[layer+1]] }

// leaning finds where the surface leans further from upright, whichever way it faces: each cell in
// the layer whose plane is the first above it. Cells between layers' covers are those that face down.
func (s *Stack) leaning(lean heights.Lean) *leaning {
	type hit struct{ layer, cell int32 }
	var hits []hit
	m, mm := s.mesh, s.mmPerUnit
	grid := heights.Grid{MinXMM: s.gridMM[0], MinYMM: s.gridMM[1], CellMM: s.cellMM, Wide: 64 * s.wordsWide, Deep: s.rows}
	for _, t := range m.Triangles {
		a, b, c := m.Vertices[t[0]].Scale(mm), m.Vertices[t[1]].Scale(mm), m.Vertices[t[2]].Scale(mm)
		if !lean.Past(heights.Normal(a, b, c)) {
			continue
		}
		grid.Over(a, b, c, func(cell int, z float64) {
			layer, _ := slices.BinarySearchFunc(s.Slabs, z-s.Bounds.Min.Z, func(b Slab, h float64) int { return cmp.Compare(b.middle(s.HeightMM), h) })
			if layer < len(s.Slabs) {
				hits = append(hits, hit{int32(layer), int32(cell)})
			}
		})
	}
	out := &leaning{make([]int32, len(s.Slabs)+1), make([]int32, len(hits))}
	for _, h := range hits {
		out.from[h.layer+1]++
	}
	for i := range s.Slabs {
		out.from[i+1] += out.from[i]
	}
	at := slices.Clone(out.from)
	for _, h := range hits {
		out.cells[at[h.layer]] = h.cell
		at[h.layer]++
	}
	return out
}

// middle is the height of the plane that stands for a layer of a part so high.
func (b *Slab) middle(heightMM float64) float64 { return PlaneMM(b.BottomMM, b.HeightMM, heightMM) }

// standing measures one layer of support, figure by figure: the column less what is blocked, within the
// gap of the part, or on the part and within the drop, and its rim as it reaches further.
// The gap is part of a cell more than so many cells: all is between those of both.
func (s *Stack) standing(b *buffers, column []uint64, fresh [][]uint64, hangs []bool, blocked []uint64, layer int, ask SupportAsk) []figure {
	near, wide, dense := b.a, b.b, b.e
	cover := s.Slabs[layer].cover
	whole, part := math.Modf(ask.HorizontalGapMM / s.cellMM)
	var out []figure
	var all figure // as both gaps give it together
	for k := whole; k <= whole+1; k++ {
		weight := 1 - part
		if k > whole {
			weight = part
		}
		copy(near, cover)
		for w := range blocked {
			near[w] |= blocked[w]
		}
		s.widen(near, near, b.c, int(k))
		here := b.d
		for w, c := range column {
			here[w] = c &^ near[w]
		}
		for d := 1; d <= ask.VerticalGap && d <= layer; d++ {
			for w, c := range s.Slabs[layer-d].cover {
				here[w] &^= c
			}
		}
		s.dilate(wide, here, b.c)
		for w := range wide {
			wide[w] &^= near[w]
		}
		s.open(here, wide, b.e)
		s.dilate(wide, here, b.c)
		cells, rim, around, top := 0, 0, 0, 0
		for w, c := range here {
			cells += bits.OnesCount64(c)
			r := wide[w] &^ c
			around += bits.OnesCount64(r)
			rim += bits.OnesCount64(r &^ near[w])
			dense[w] = 0
			if c == 0 {
				continue
			}
			up := uint64(0)
			for k, f := range fresh {
				if hangs[k] {
					up |= f[w]
				}
			}
			dense[w] = c & up
			top += bits.OnesCount64(c & up)
		}
		if cells == 0 {
			break
		}
		area := (float64(cells)*s.cellMM + float64(rim)*ask.WidenMM) * s.cellMM
		f := figure{areaMM2: area, denseMM2: area * float64(top) / float64(cells), rimMM: float64(around) * s.cellMM} // cells beside a straight rim number its length
		if k == whole {
			var below []uint64
			if at := layer - 1 - ask.VerticalGap; at >= 0 {
				below = s.Slabs[at].cover
			}
			out = s.figures(here, dense, below)
		}
		all.areaMM2, all.denseMM2, all.rimMM = all.areaMM2+weight*f.areaMM2, all.denseMM2+weight*f.denseMM2, all.rimMM+weight*f.rimMM
	}
	// Each figure has its share.
	var cells figure
	for _, f := range out {
		cells.areaMM2, cells.denseMM2, cells.rimMM = cells.areaMM2+f.areaMM2, cells.denseMM2+f.denseMM2, cells.rimMM+f.rimMM
	}
	for k := range out {
		f := &out[k]
		f.areaMM2 *= all.areaMM2 / cells.areaMM2
		f.rimMM *= all.rimMM / cells.rimMM
		if cells.denseMM2 > 0 {
			f.denseMM2 *= all.denseMM2 / cells.denseMM2
		}
	}
	return out
}

// mostRings is over how many layers up and down dropNarrow looks: where a lean of less is
// carried, all but walls is, and the edges of tips are the least of it.
const mostRings = 12

// dropNarrow takes from overhangs in a layer by its lean what is narrower than a line
// over as many layers as two cells of the least lean take: the edges of tips.
func (s *Stack) dropNarrow(b *buffers, hangs []uint64, leans *leaning, layer, rings int) {
	if rings > mostRings || len(leans.in(layer)) == 0 {
		return
	}
	about := b.a
	clear(about)
	for i := max(0, layer-rings); i <= min(layer+rings, len(s.Slabs)-1); i++ {
		for _, c := range leans.in(i) {
			about[c>>6] |= 1 << (c & 63)
		}
	}
	s.open(hangs, about, b.c)
}

// open takes from here what is too narrow to stand: cells that are in no square of two by
// two of wide. Where a cell is as wide as a line, all are wide enough. square is overwritten.
func (s *Stack) open(here, wide, square []uint64) {
	if s.cellMM > lineMM/2 {
		return
	}
	w := s.wordsWide
	at := func(m []uint64, r, k int) uint64 {
		if r < 0 || r >= s.rows || k < 0 || k >= w {
			return 0
		}
		return m[r*w+k]
	}
	for r := range s.rows { // each square's first corner
		for k := range w {
			x, y := at(wide, r, k), at(wide, r+1, k)
			square[r*w+k] = x & y & (x>>1 | at(wide, r, k+1)<<63) & (y>>1 | at(wide, r+1, k+1)<<63)
		}
	}
	for r := range s.rows {
		for k := range w {
			x, y := at(square, r, k), at(square, r-1, k)
			here[r*w+k] &= x | y | x<<1 | at(square, r, k-1)>>63 | y<<1 | at(square, r-1, k-1)>>63
		}
	}
}

// lineMM is about how wide a line of support is, for which two cells are as good as one.
const lineMM = 0.6

// ones counts the cells from…to of a row.
func ones(m []uint64, from, to int) int {
	n := 0
	for k := from / 64; k <= to/64; k++ {
		n += bits.OnesCount64(m[k] & span(k, from, to))
	}
	return n
}

// span are the bits of word k that are among the cells from…to of a row.
func span(k, from, to int) uint64 {
	m := ^uint64(0)
	if k == from/64 {
		m <<= from & 63
	}
	if k == to/64 {
		m &= ^uint64(0) >> (63 - to&63)
	}
	return m
}

// nextRun is the run of cells that begins at c or behind it: its first, and the first behind
// it; both are the end where there is none.
func nextRun(row []uint64, c int) (from, end int) {
	last := 64 * len(row)
	for c < last {
		x := row[c/64] >> (c & 63)
		if x != 0 {
			c += bits.TrailingZeros64(x)
			break
		}
		c = (c/64 + 1) * 64
	}
	for end = c; end < last; {
		y := ^row[end/64] >> (end & 63)
		if y != 0 {
			return c, end + bits.TrailingZeros64(y)
		}
		end = (end/64 + 1) * 64
	}
	return c, end
}

// figures tells cells apart that do not touch: how many each figure has, how many of
// them are dense, and how many are at its rim, all as cells. below is what it may stand
// on; nil is the plate.
func (s *Stack) figures(here, dense, below []uint64) []figure {
	type run struct{ from, to, of int }
	var out []figure
	var of sets.Sets
	var before, now []run
	w := s.wordsWide
	for r := range s.rows {
		row := here[r*w : (r+1)*w]
		now = now[:0]
		for c, end := nextRun(row, 0); c < 64*w; c, end = nextRun(row, end) {
			now = append(now, run{c, end - 1, of.Add()})
			f := figure{areaMM2: float64(end - c), denseMM2: float64(ones(dense[r*w:], c, end-1)), box: [4]int{c, end - 1, r, r}}
			// What lacks a neighbour above or below, and both ends.
			inner := 0
			if r > 0 && r+1 < s.rows {
				up, down := here[(r-1)*w:r*w], here[(r+1)*w:(r+2)*w]
				for k := c / 64; k <= (end-1)/64; k++ {
					inner += bits.OnesCount64(up[k] & down[k] & span(k, c, end-1))
				}
			}
			f.rimMM = float64(end-c-inner) + 2
			f.onPart = below != nil && ones(below[r*w:], c, end-1) > 0
			out = append(out, f)
		}
		for i, k := 0, 0; i < len(before) && k < len(now); {
			if before[i].to >= now[k].from && now[k].to >= before[i].from {
				of.Join(now[k].of, before[i].of)
			}
			if before[i].to < now[k].to {
				i++
			} else {
				k++
			}
		}
		before, now = now, before
	}
	return together(out, &of)
}

// together adds runs to the root of the figure that each is of.
func together(runs []figure, of *sets.Sets) []figure {
	for k := range runs {
		if at := of.Of(k); at != k {
			f, g := &runs[at], runs[k]
			f.areaMM2, f.denseMM2, f.rimMM = f.areaMM2+g.areaMM2, f.denseMM2+g.denseMM2, f.rimMM+g.rimMM
			f.box = [4]int{min(f.box[0], g.box[0]), max(f.box[1], g.box[1]), min(f.box[2], g.box[2]), max(f.box[3], g.box[3])}
			f.onPart = f.onPart || g.onPart
		}
	}
	n := 0
	for k := range runs {
		if of.Of(k) == k {
			runs[n] = runs[k]
			n++
		}
	}
	return runs[:n]
}

// blocked is, for each layer, what of the plate is under the part below it; nil if
// that does not matter.
func (s *Stack) blocked(matters bool) [][]uint64 {
	if !matters {
		return nil
	}
	seen := make([]uint64, s.rows*s.wordsWide)
	out := make([][]uint64, len(s.Slabs))
	for i := range out {
		out[i] = append([]uint64{}, seen...)
		for w, c := range s.Slabs[i].cover {
			seen[w] |= c
		}
	}
	return out
}
