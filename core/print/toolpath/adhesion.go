package toolpath

import (
	"math"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/polygon"
)

// The first-layer holds, by common practice (no source): a skirt of two rounds
// 5 mm away; a raft of a coarse layer and two closed ones, 3 mm wider than the
// part, with a gap above that lets it come off.
const (
	SkirtGapMM  = 5
	SkirtRounds = 2
	RaftRimMM   = 3
	RaftCloses  = 2
	raftShare   = 0.4
)

// adhere adds what keeps the first layer down.
func (s *slicer) adhere(p *Print) {
	if len(p.Layers) == 0 {
		return
	}
	var poly polygon.Scratch
	foot := s.outline[0]
	if len(s.support) > 0 {
		foot = poly.Boolean(polygon.Union, polygon.NonZero, foot, s.support[0])
	}
	if s.tower != nil {
		foot = poly.Boolean(polygon.Union, polygon.NonZero, foot, []polygon.Path{s.tower})
	}
	piece := uint8(s.r.PieceNozzle - 1)
	width, gap := um(s.r.LineMM), um(Spacing(s.r.LineMM, s.heights[0]))
	var lines []Line
	ring := func(paths []polygon.Path, outersOnly bool) {
		for _, q := range paths {
			if !outersOnly || q.Area() > 0 {
				lines = append(lines, Line{Kind: Adhesion, Nozzle: piece, Closed: true, Points: q, WidthMM: s.r.LineMM})
			}
		}
	}
	switch s.r.Adhesion {
	case recipe.AdhesionSkirt:
		var all []polygon.Point
		for _, q := range foot {
			all = append(all, q...)
		}
		hull := []polygon.Path{polygon.Hull(all)}
		for k := range SkirtRounds {
			ring(poly.Offset(hull, um(SkirtGapMM)+width/2+float64(k)*gap, polygon.Offsets{}), true)
		}
	case recipe.AdhesionBrim:
		for k := 0; float64(k)*gap < um(s.r.BrimMM); k++ {
			ring(poly.Offset(foot, gap/2+float64(k)*gap+(width-gap)/2, polygon.Offsets{}), true)
		}
		// From the outside in, so that the last round meets the part.
		for i, j := 0, len(lines)-1; i < j; i, j = i+1, j-1 {
			lines[i], lines[j] = lines[j], lines[i]
		}
	case recipe.AdhesionRaft:
		s.raft(p, s.onPlate(&poly, poly.Offset(foot, um(RaftRimMM)-width/2, polygon.Offsets{})))
		return
	}
	p.Layers[0].Lines = append(lines, p.Layers[0].Lines...)
}

// lift is how far a raft lifts the part: its layers, and the gap by which it comes
// off.
func (s *slicer) lift() float64 {
	if s.r.Adhesion != recipe.AdhesionRaft {
		return 0
	}
	return s.r.FirstLayerMM + (RaftCloses+0.5)*s.r.LayerMM
}

func (s *slicer) raft(p *Print, area []polygon.Path) {
	layer := func(bottom, h, angle, share float64) Layer {
		l := Layer{TopMM: bottom + h, HeightMM: h}
		g := um(Spacing(s.r.LineMM, h)) / share
		for _, q := range scan(area, angle, g, g) {
			l.Lines = append(l.Lines, Line{Kind: Adhesion, Nozzle: uint8(s.r.PieceNozzle - 1), Points: q, WidthMM: s.r.LineMM})
		}
		return l
	}
	base := []Layer{layer(0, s.r.FirstLayerMM, 0, raftShare)}
	top := s.r.FirstLayerMM
	for k := range RaftCloses {
		base = append(base, layer(top, s.r.LayerMM, math.Pi/2*float64(1+k%2), 1))
		top += s.r.LayerMM
	}
	p.RaftMM = s.lift()
	for i := range p.Layers {
		p.Layers[i].TopMM += p.RaftMM
	}
	p.Layers = append(base, p.Layers...)
}
