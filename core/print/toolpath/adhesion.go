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

// adhere adds what keeps the first layer of a plate down.
func (l *layout) adhere(p *Print) {
	if len(p.Layers) == 0 {
		return
	}
	var poly polygon.Scratch
	foot := l.foot(&poly)
	h := p.Layers[0].HeightMM
	piece := l.first
	width, gap := um(l.r.LineMM), um(Spacing(l.r.LineMM, h))
	var lines []Line
	ring := func(paths []polygon.Path, outersOnly bool) {
		for _, q := range paths {
			if !outersOnly || q.Area() > 0 {
				lines = append(lines, Line{Kind: Adhesion, Nozzle: piece, Closed: true, Points: q, WidthMM: l.r.LineMM})
			}
		}
	}
	switch l.r.Adhesion {
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
		for k := 0; float64(k)*gap < um(l.r.BrimMM); k++ {
			ring(poly.Offset(foot, gap/2+float64(k)*gap+(width-gap)/2, polygon.Offsets{}), true)
		}
		// From the outside in, so that the last round meets the part.
		for i, j := 0, len(lines)-1; i < j; i, j = i+1, j-1 {
			lines[i], lines[j] = lines[j], lines[i]
		}
	case recipe.AdhesionRaft:
		l.raft(p, cutTo(l.room, l.r.LineMM, &poly, poly.Offset(foot, um(RaftRimMM)-width/2, polygon.Offsets{})))
		return
	}
	p.Layers[0].Lines = append(lines, p.Layers[0].Lines...)
}

// foot is what stands on the plate: parts, support and purge tower.
func (l *layout) foot(poly *polygon.Scratch) []polygon.Path {
	var foot []polygon.Path
	if len(l.places) == 1 {
		foot = moved(l.parts[l.places[0].Part].s.outline[0], l.places[0].By)
	} else {
		var all []polygon.Path
		for _, at := range l.places {
			all = append(all, moved(l.parts[at.Part].s.outline[0], at.By)...)
		}
		foot = poly.Union(polygon.NonZero, all)
	}
	var standing []polygon.Path
	for _, at := range l.places {
		if s := l.parts[at.Part].s; len(s.support) > 0 {
			standing = append(standing, moved(s.support[0], at.By)...)
		}
	}
	if len(standing) > 0 {
		foot = poly.Boolean(polygon.Union, polygon.NonZero, foot, standing)
	}
	if l.tower != nil {
		foot = poly.Boolean(polygon.Union, polygon.NonZero, foot, []polygon.Path{l.tower})
	}
	return foot
}

// lift is how far a raft lifts the part: its layers, and the gap by which it comes
// off.
func lift(r *recipe.Recipe) float64 {
	if r.Adhesion != recipe.AdhesionRaft {
		return 0
	}
	return r.FirstLayerMM + (RaftCloses+0.5)*r.LayerMM
}

func (l *layout) raft(p *Print, area []polygon.Path) {
	r := &l.r
	layer := func(bottom, h, angle, share float64) Layer {
		x := Layer{TopMM: bottom + h, HeightMM: h}
		g := um(Spacing(r.LineMM, h)) / share
		for _, q := range scan(area, angle, g, g) {
			x.Lines = append(x.Lines, Line{Kind: Adhesion, Nozzle: l.first, Points: q, WidthMM: r.LineMM})
		}
		return x
	}
	base := []Layer{layer(0, r.FirstLayerMM, 0, raftShare)}
	top := r.FirstLayerMM
	for k := range RaftCloses {
		base = append(base, layer(top, r.LayerMM, math.Pi/2*float64(1+k%2), 1))
		top += r.LayerMM
	}
	p.RaftMM = lift(r)
	for i := range p.Layers {
		p.Layers[i].TopMM += p.RaftMM
	}
	p.Layers = append(base, p.Layers...)
}
