package section

import (
	"math/bits"
	"slices"
)

// Island is a figure of a layer that has nothing below it: it begins in mid-air.
type Island struct {
	Slab    int
	AreaMM2 float64
	AtMM    [3]float64 // the middle of its box, at the bottom of its layer, in mm where the part is drawn
}

const (
	islandMM2   = 0.1 // less is not laid
	fromPlateMM = 0.5 // what begins no higher stands on what squeezed out of the first layers
)

// Islands are all, from below. What touches the layer below at a corner, or comes within a cell of it, is no
// island.
func (s *Stack) Islands() []Island {
	found := make([][]Island, len(s.Slabs))
	s.inParallel(len(s.Slabs), func(b *buffers, k int) {
		if k == 0 || s.Slabs[k].BottomMM <= fromPlateMM {
			return
		}
		here, below := s.Slabs[k].cover, b.a
		s.dilate(below, s.Slabs[k-1].cover, b.d)
		if !slices.ContainsFunc(here, func(w uint64) bool { return w != 0 }) || !hangs(here, below) {
			return
		}
		for _, f := range s.figures(here, here, below) {
			area := f.areaMM2 * s.cellMM * s.cellMM // as cells yet
			if f.onPart || area < islandMM2 {
				continue
			}
			x, y := float64(f.box[0]+f.box[1]+1)/2, float64(f.box[2]+f.box[3]+1)/2
			found[k] = append(found[k], Island{k, area, [3]float64{s.gridMM[0] + x*s.cellMM, s.gridMM[1] + y*s.cellMM, s.Bounds.Min.Z + s.Slabs[k].BottomMM}})
		}
	})
	return slices.Concat(found...)
}

// hangs says that a cell of a layer is not over those below.
func hangs(here, below []uint64) bool {
	for w, c := range here {
		if c&^below[w] != 0 {
			return true
		}
	}
	return false
}

// Middle is the middle of what a layer covers, mm.
func (s *Stack) Middle(k int) (xMM, yMM float64) {
	n := 0
	for w, c := range s.Slabs[k].cover {
		for ; c != 0; c &= c - 1 {
			xMM += float64(64*(w%s.wordsWide)+bits.TrailingZeros64(c)) + 0.5
			yMM += float64(w/s.wordsWide) + 0.5
			n++
		}
	}
	if n == 0 {
		mid := s.Bounds.Min.Add(s.Bounds.Max).Scale(0.5)
		return mid.X, mid.Y
	}
	return s.gridMM[0] + xMM/float64(n)*s.cellMM, s.gridMM[1] + yMM/float64(n)*s.cellMM
}
