package toolpath

import (
	"fmt"
	"math"
	"slices"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/polygon"
)

// The purge tower stands beside the part; what a nozzle lets out after a change
// is laid into it. It is at least blockLeastMM wide, and wider where it is tall,
// so that it stands (common practice, no source); between changes it goes on as
// an outline with some lines within.
const (
	blockLeastMM = 6
	blockSlender = 12
	towerGapMM   = 3
	// TowerSparse is every how manieth line is laid where nothing is let out.
	TowerSparse = 4
)

// nozzles puts the part's and the support's lines on their nozzles and, where
// that makes the nozzle change, adds the purge tower. It needs the first layer
// without its hold. It tells whether support has the nozzle it was meant for.
func (s *slicer) nozzles() bool {
	piece, support := uint8(s.r.PieceNozzle-1), uint8(s.r.SupportNozzle-1)
	last := -1 // the last layer with a change
	changes := make([]bool, len(s.layers))
	at := piece
	for i := range s.layers {
		var laid [2]bool
		for k := range s.layers[i].Lines {
			l := &s.layers[i].Lines[k]
			l.Nozzle = piece
			if l.Kind == Support {
				l.Nozzle = support
			}
			laid[l.Nozzle] = true
		}
		if piece == support {
			continue
		}
		if laid[1-at] {
			changes[i], last = true, i
			at = 1 - at
		}
	}
	side := 0.0
	if last >= 0 {
		side = TowerSideMM(&s.r, s.bore, s.tops[last])
	}
	if side == 0 {
		return true
	}
	corner, ok := s.towerPlace(side)
	if !ok {
		s.onPiece(piece, "There is no room beside the part for the purge tower; support is laid by the part's nozzle.")
		return false
	}
	if laid, purged := s.worthIt(side, changes[:last+1]); purged > PurgeAtMost*laid {
		s.onPiece(piece, fmt.Sprintf("Support is laid by the part's nozzle: it is %.2f cm³, and changing the nozzle for it would purge %.1f cm³.", laid/1000, purged/1000))
		return false
	}
	e := int64(side * 1000)
	s.tower = polygon.Path{corner, {X: corner.X + e, Y: corner.Y}, {X: corner.X + e, Y: corner.Y + e}, {X: corner.X, Y: corner.Y + e}}
	var poly polygon.Scratch
	for i := range last + 1 {
		gap := um(Spacing(s.r.LineMM, s.heights[i]))
		l := &s.layers[i]
		add := func(closed bool, paths []polygon.Path) {
			for _, p := range paths {
				l.Lines = append(l.Lines, Line{Kind: Purge, Nozzle: purgeNozzle, Closed: closed, Points: p, WidthMM: s.r.LineMM})
			}
		}
		add(true, poly.Offset([]polygon.Path{s.tower}, -um(s.r.LineMM)/2, mitre))
		inner := poly.Offset([]polygon.Path{s.tower}, -(um(s.r.LineMM)+gap)/2, mitre)
		if !changes[i] && i > 0 {
			gap *= TowerSparse
		}
		add(false, scan(inner, math.Pi/2*float64(i%2), gap, gap))
	}
	return true
}

// Least gaps of support that the part's own nozzle lays, so that it comes off
// (common practice, no source): a layer, and a line.
func leastGaps(r *recipe.Recipe) (drop, gap float64) { return r.LayerMM, r.LineMM }

// TooClose says that support would weld to the part if the part's nozzle laid it,
// though it was meant for another. The recipe has its defaults.
func TooClose(r *recipe.Recipe) bool {
	drop, gap := leastGaps(r)
	return r.SupportNozzle != r.PieceNozzle && (*r.SupportVerticalGapMM < drop || *r.SupportHorizontalGapMM < gap)
}

// OnPiece is the recipe for support that the part's nozzle lays after all.
func OnPiece(r recipe.Recipe) recipe.Recipe {
	drop, gap := leastGaps(&r)
	r.SupportNozzle = r.PieceNozzle
	r.SupportVerticalGapMM, r.SupportHorizontalGapMM = new(max(drop, *r.SupportVerticalGapMM)), new(max(gap, *r.SupportHorizontalGapMM))
	return r
}

// PurgeAtMost is how many times as much may be purged as support is laid by a
// nozzle of its own; where it would be more, the part's nozzle lays it.
const PurgeAtMost = 7

// worthIt gives the volumes of support and purge tower, mm³.
func (s *slicer) worthIt(side float64, changes []bool) (laid, purged float64) {
	for i, change := range changes {
		for k := range s.layers[i].Lines {
			if l := &s.layers[i].Lines[k]; l.Kind == Support {
				laid += l.VolumeMM3(s.heights[i])
			}
		}
		if change || i == 0 {
			purged += side * side * s.heights[i]
		} else {
			purged += (4*side*s.r.LineMM + side*side/TowerSparse) * s.heights[i]
		}
	}
	return laid, purged
}

// onPiece puts everything on the part's nozzle, with a note why.
func (s *slicer) onPiece(piece uint8, why string) {
	s.notes = append(s.notes, why)
	for i := range s.layers {
		for k := range s.layers[i].Lines {
			s.layers[i].Lines[k].Nozzle = piece
		}
	}
}

// purgeNozzle stands for the nozzle that a layer changes to, or keeps; order
// knows it.
const purgeNozzle = 255

// TowerSideMM is how wide a purge tower of a height is, so that a layer of it
// holds what is let out; 0 where nothing is. The recipe has its defaults.
func TowerSideMM(r *recipe.Recipe, filamentMM, topMM float64) float64 {
	if *r.ChangePurgeMM == 0 {
		return 0
	}
	bore := math.Pi * filamentMM * filamentMM / 4
	return math.Max(math.Sqrt(*r.ChangePurgeMM*bore/r.LayerMM), math.Max(blockLeastMM, topMM/blockSlender))
}

// towerPlace finds room for the tower: right of all that is laid, left, behind,
// in front.
func (s *slicer) towerPlace(side float64) (polygon.Point, bool) {
	b := polygon.Bounds(slices.Concat(slices.Concat(s.outline...), slices.Concat(s.support...))...)
	e, gap := int64(side*1000), int64(towerGapMM*1000)
	midX, midY := (b.MinX+b.MaxX-e)/2, (b.MinY+b.MaxY-e)/2
	for _, c := range [4]polygon.Point{{X: b.MaxX + gap, Y: midY}, {X: b.MinX - gap - e, Y: midY}, {X: midX, Y: b.MaxY + gap}, {X: midX, Y: b.MinY - gap - e}} {
		fits := true
		for _, q := range [4]polygon.Point{c, {X: c.X + e, Y: c.Y}, {X: c.X, Y: c.Y + e}, {X: c.X + e, Y: c.Y + e}} {
			fits = fits && !off(s.room, q, s.r.LineMM)
		}
		if fits {
			return c, true
		}
	}
	return polygon.Point{}, false
}
