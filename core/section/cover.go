package section

import (
	"math"
	"math/bits"
	"runtime"
	"sync"
	"sync/atomic"
)

// The cover of a layer is a bitmap: rows of words, cell c of a row in bit c%64 of
// word c/64. What is beyond the grid is empty.

// inParallel does work for 0…n-1 on all cores, each with buffers of its own.
func (s *Stack) inParallel(n int, work func(b *buffers, i int)) {
	var next atomic.Int64
	var wg sync.WaitGroup
	for range max(1, min(runtime.GOMAXPROCS(0), n)) {
		wg.Add(1)
		go func() {
			defer wg.Done()
			size := (s.rows + 2) * s.wordsWide // three rows at the least
			b := &buffers{make([]uint64, size), make([]uint64, size), make([]uint64, size), make([]uint64, size), make([]uint64, size)}
			for _, m := range []*[]uint64{&b.a, &b.b, &b.d, &b.e} {
				*m = (*m)[:s.rows*s.wordsWide]
			}
			for {
				i := int(next.Add(1)) - 1
				if i >= n {
					return
				}
				work(b, i)
			}
		}()
	}
	wg.Wait()
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

// widen widens by a number of cells to all sides; tmp is overwritten. dst is not
// src.
func (s *Stack) widen(dst, src, tmp []uint64, by int) {
	copy(dst, src)
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

// CapShare is, for each layer, the share (0…1) of what lies deeper than rimMM
// inside it that is under fewer than top layers of solid or over fewer than bottom
// ones, and reachMM around that: what is closed within the shells.
func (s *Stack) CapShare(top, bottom int, rimMM, reachMM float64) []float64 {
	n := len(s.Slabs)
	out := make([]float64, n)
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
		out[i] = 1
		if all > 0 {
			out[i] = open / all
		}
	})
	return out
}

// SupportAsk is what support is wanted.
type SupportAsk struct {
	Lean      float64 // the tangent of the angle from upright that needs none
	PlateOnly bool
	Drop      int     // layers left free between support and what it carries
	Roof      int     // dense layers below what is carried
	WidenMM   float64 // how far it reaches beyond what it carries
	GapMM     float64 // how far it stays from walls
}

// SupportLayer is the support of one layer.
type SupportLayer struct {
	AllMM2   float64 // what it stands on
	DenseMM2 float64 // of it, within the roof's layers below what it carries
	RimMM    float64 // around it
}

// batch is how many layers' bitmaps are held at a time.
const batch = 256

// Support is what support stands in each layer: under cells that are covered
// though nothing within the lean is covered below, down to the plate or the part;
// where it may stand on the plate only, only where it reaches it. The grid is
// coarse; the lean is looked for over as many layers as make whole cells.
func (s *Stack) Support(ask SupportAsk) []SupportLayer {
	n := len(s.Slabs)
	out := make([]SupportLayer, n)
	if n < 2 || ask.Lean <= 0 {
		return out
	}
	size := s.rows * s.wordsWide
	roof := max(1, ask.Roof)
	// Bitmaps of layers above come along: the roof looks that far up.
	need := (2*batch + roof) * size
	held, _ := s.arenas.Get().(*[]uint64)
	if held == nil || len(*held) < need {
		held = new(make([]uint64, need))
	}
	defer s.arenas.Put(held)
	arena := *held
	fresh, column := make([][]uint64, batch+roof), make([][]uint64, batch)
	for k := range fresh {
		fresh[k], arena = arena[:size:size], arena[size:]
	}
	for k := range column {
		column[k], arena = arena[:size:size], arena[size:]
	}
	hangs, stands := make([]bool, batch+roof), make([]bool, batch)
	blocked := s.blocked(ask.PlateOnly)
	last := make([]uint64, size) // the column above
	any := false
	for high := n - 1; high > ask.Drop; high -= batch {
		count := min(batch, high-ask.Drop)
		// fresh[k+roof] is what hangs in layer high-k; those before are of the batch above.
		s.inParallel(count, func(b *buffers, k int) {
			i := high - k
			back, cells := leanOf(ask.Lean*s.Slabs[i].HeightMM, s.cellMM)
			s.widen(b.a, s.Slabs[max(0, i-back)].cover, b.c, cells)
			f := fresh[k+roof]
			some, below := uint64(0), s.Slabs[i-1].cover
			for w, c := range s.Slabs[i].cover {
				f[w] = c &^ b.a[w] &^ below[w]
				some |= f[w]
			}
			hangs[k+roof] = some != 0
		})
		for k := range count { // column[k] stands in layer high-k-1-ask.Drop
			foot := high - k - 1 - ask.Drop
			stands[k] = false
			if !hangs[k+roof] && !any {
				continue
			}
			some := uint64(0)
			f, below, c := fresh[k+roof], s.Slabs[foot].cover, column[k]
			for w := range c {
				last[w] = (last[w] | f[w]) &^ below[w]
				c[w] = last[w]
				some |= c[w]
			}
			any = some != 0
			stands[k] = any
		}
		s.inParallel(count, func(b *buffers, k int) {
			if foot := high - k - 1 - ask.Drop; stands[k] {
				var block []uint64
				if blocked != nil {
					block = blocked[foot]
				}
				out[foot] = s.standing(b, column[k], fresh[k+1:k+roof+1], hangs[k+1:k+roof+1], block, s.Slabs[foot].cover, ask)
			}
		})
		for k := range roof { // what the batch below looks up to
			from := count + k
			copy(fresh[k], fresh[from])
			hangs[k] = hangs[from]
		}
	}
	return out
}

// leanOf gives over how many layers a lean a layer makes a whole number of cells,
// nearly, and how many.
func leanOf(leanMM, cellMM float64) (back, cells int) {
	best := math.Inf(1)
	for k := 1; k <= max(4, int(math.Round(2*cellMM/leanMM))); k++ {
		n := math.Max(1, math.Round(float64(k)*leanMM/cellMM))
		off := math.Abs(n*cellMM/(float64(k)*leanMM) - 1)
		if n == 1 { // one step is a diamond, which slanted borders get too little of
			off += 0.1
		}
		if off < best-0.02 {
			best, back, cells = off, k, int(n)
		}
	}
	return back, cells
}

// standing measures one layer of support: the column less what is blocked or
// within the gap of the part, and its rim as it reaches further. The gap is part
// of a cell more than so many cells: all is between those of both.
func (s *Stack) standing(b *buffers, column []uint64, fresh [][]uint64, hangs []bool, blocked, cover []uint64, ask SupportAsk) SupportLayer {
	near, wide := b.a, b.b
	whole, part := math.Modf(ask.GapMM / s.cellMM)
	copy(near, cover)
	var out SupportLayer
	for k := 0.0; k <= whole+1; k++ {
		if k > 0 {
			s.dilate(near, near, b.c)
		}
		weight := 1 - part
		switch k {
		case whole:
		case whole + 1:
			weight = part
		default:
			continue
		}
		here := b.d
		for w, c := range column {
			here[w] = c &^ near[w]
		}
		for w := range blocked {
			here[w] &^= blocked[w]
		}
		s.dilate(wide, here, b.c)
		cells, rim, around, top := 0, 0, 0, 0
		for w, c := range here {
			cells += bits.OnesCount64(c)
			r := wide[w] &^ c
			around += bits.OnesCount64(r)
			rim += bits.OnesCount64(r &^ near[w])
			if c == 0 {
				continue
			}
			up := uint64(0)
			for k, f := range fresh {
				if hangs[k] {
					up |= f[w]
				}
			}
			top += bits.OnesCount64(c & up)
		}
		if cells == 0 {
			break
		}
		area := float64(cells)*s.cellMM + float64(rim)*ask.WidenMM // mm·cells
		out.AllMM2 += weight * area * s.cellMM
		out.DenseMM2 += weight * area * s.cellMM * float64(top) / float64(cells)
		out.RimMM += weight * float64(around) * s.cellMM // cells beside a straight rim number its length
	}
	return out
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
