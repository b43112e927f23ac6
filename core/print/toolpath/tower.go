package toolpath

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"jobshelf/core/print/machine"
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

// nozzles puts the parts' and the support's lines on their nozzles and, where that makes the
// nozzle change, adds the purge tower. It needs the first layer without its hold. again says that
// support has to be laid anew, by its parts' own nozzles. The error says that parts of several
// nozzles leave no room for the tower.
func (l *layout) nozzles(p *Print) (again bool, err error) {
	laidBy, several := l.put(p)
	last := -1 // the last layer with a change
	changes := make([]bool, len(p.Layers))
	at := l.first
	for i, laid := range laidBy {
		if laid[1-at] {
			changes[i], last = true, i
			at = 1 - at
		}
	}
	side := 0.0
	if last >= 0 {
		side = TowerSideMM(&l.r, l.bore, p.Layers[last].TopMM)
	}
	if side == 0 {
		return false, nil
	}
	corner, ok := l.towerPlace(side)
	if !ok && (l.joined || several && !l.meant()) {
		return false, errors.New("two nozzles lay it, and there is no room beside the parts for the purge tower; put fewer on a plate, or all on one nozzle")
	}
	if !ok {
		l.join("There is no room beside the part for the purge tower; support is laid by the part's nozzle.")
		return true, nil
	}
	if laid, purged := l.worthIt(p, side, changes[:last+1]); purged > PurgeAtMost*laid && !several {
		l.join(fmt.Sprintf("Support is laid by the part's nozzle: it is %.2f cm³, and changing the nozzle for it would purge %.1f cm³.", laid/1000, purged/1000))
		return true, nil
	}
	e := int64(side * 1000)
	l.tower = polygon.Path{corner, {X: corner.X + e, Y: corner.Y}, {X: corner.X + e, Y: corner.Y + e}, {X: corner.X, Y: corner.Y + e}}
	var poly polygon.Scratch
	for i := range last + 1 {
		x := &p.Layers[i]
		if x.between {
			continue
		}
		gap := um(Spacing(l.r.LineMM, x.HeightMM))
		add := func(closed bool, paths []polygon.Path) {
			for _, p := range paths {
				x.Lines = append(x.Lines, Line{Kind: Purge, Nozzle: purgeNozzle, Closed: closed, Points: p, WidthMM: l.r.LineMM})
			}
		}
		add(true, poly.Offset([]polygon.Path{l.tower}, -um(l.r.LineMM)/2, mitre))
		inner := poly.Offset([]polygon.Path{l.tower}, -(um(l.r.LineMM)+gap)/2, mitre)
		if !changes[i] && i > 0 {
			gap *= TowerSparse
		}
		add(false, scan(inner, math.Pi/2*float64(i%2), gap, gap))
	}
	return false, nil
}

// nozzleOf is the nozzle that lays a part's lines of a kind, counted from 0.
func (l *layout) nozzleOf(part *Part, k Kind) uint8 {
	if k == Support && !l.joined {
		return uint8(part.r.SupportNozzle - 1)
	}
	return uint8(part.r.PieceNozzle - 1)
}

// meant says that support of a part was meant for another nozzle than the part's.
func (l *layout) meant() bool {
	return slices.ContainsFunc(l.parts, func(k *Part) bool { return k.HasSupport() && l.nozzleOf(k, Support) != l.nozzleOf(k, Outer) })
}

// put puts lines on their nozzles, and says which lay in each layer, and whether parts are of
// several. The plate begins with the nozzle of the recipe's piece if that lays any of the first layer.
func (l *layout) put(p *Print) (laid [][2]bool, several bool) {
	laid = make([][2]bool, len(p.Layers))
	var parts [2]bool
	for i := range p.Layers {
		x := &p.Layers[i]
		each := func(part *Part, lines []Line) {
			for k := range lines {
				y := &lines[k]
				y.Nozzle = l.nozzleOf(part, y.Kind)
				laid[i][y.Nozzle] = true
				parts[y.Nozzle] = parts[y.Nozzle] || y.Kind != Support
			}
		}
		if len(p.Places) == 0 {
			each(l.parts[l.places[0].Part], x.Lines)
		}
		for _, y := range x.Parts {
			each(l.parts[y.Part], y.Lines)
		}
	}
	l.first = uint8(l.r.PieceNozzle - 1)
	for _, x := range laid {
		if x[0] || x[1] {
			if !x[l.first] {
				l.first = 1 - l.first
			}
			break
		}
	}
	return laid, parts[0] && parts[1]
}

// join has support laid by each part's own nozzle, with a note why: lines have to be put on their
// nozzles anew then, and support may have to stand otherwise.
func (l *layout) join(why string) {
	l.notes = append(l.notes, why)
	l.joined = true
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
func (l *layout) worthIt(p *Print, side float64, changes []bool) (laid, purged float64) {
	for i, change := range changes {
		x := &p.Layers[i]
		for y, many := range l.counted(x) {
			if y.Kind == Support {
				laid += many * y.VolumeMM3(x.HeightMM)
			}
		}
		switch {
		case x.between:
		case change || i == 0:
			purged += side * side * x.HeightMM
		default:
			purged += (4*side*l.r.LineMM + side*side/TowerSparse) * x.HeightMM
		}
	}
	return laid, purged
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

// TowerRoomMM is how much beside the parts a purge tower of a height needs. The recipe has its
// defaults.
func TowerRoomMM(r *recipe.Recipe, filamentMM, topMM float64) float64 {
	side := TowerSideMM(r, filamentMM, topMM)
	if side == 0 {
		return 0
	}
	return side + towerGapMM + 2*r.LineMM
}

// towerPlace finds room for the tower: right of all that is laid, left, behind,
// in front.
func (l *layout) towerPlace(side float64) (polygon.Point, bool) {
	b := polygon.Bounds()
	for _, at := range l.places {
		s := l.parts[at.Part].s
		of := polygon.Bounds(slices.Concat(slices.Concat(s.outline...), slices.Concat(s.support...))...)
		b.Add(of.Moved(at.By))
	}
	e, gap := int64(side*1000), int64(towerGapMM*1000)
	midX, midY := (b.MinX+b.MaxX-e)/2, (b.MinY+b.MaxY-e)/2
	at := []polygon.Point{{X: b.MaxX + gap, Y: midY}, {X: b.MinX - gap - e, Y: midY}, {X: midX, Y: b.MaxY + gap}, {X: midX, Y: b.MinY - gap - e}}
	if l.room.Shape == machine.Round { // there is most room where the plate is widest
		at = append(at, polygon.Point{X: b.MaxX + gap, Y: -e / 2}, polygon.Point{X: b.MinX - gap - e, Y: -e / 2},
			polygon.Point{X: -e / 2, Y: b.MaxY + gap}, polygon.Point{X: -e / 2, Y: b.MinY - gap - e})
	}
	for _, c := range at {
		fits := true
		for _, q := range [4]polygon.Point{c, {X: c.X + e, Y: c.Y}, {X: c.X, Y: c.Y + e}, {X: c.X + e, Y: c.Y + e}} {
			fits = fits && !off(l.room, q, l.r.LineMM)
		}
		if fits {
			return c, true
		}
	}
	return polygon.Point{}, false
}
