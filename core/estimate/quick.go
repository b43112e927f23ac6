// Package estimate tells time, filament, mass and price before a job is made.
//
// Quick works from measured sections in milliseconds and ranks choices: shells
// are the outlines moved inwards, caps come from comparing layers, infill fills
// what is left, motion is judged by how long lines are and how sharply outlines
// turn, support by a coarse grid.
package estimate

import (
	"math"

	"jobshelf/core/machine"
	"jobshelf/core/recipe"
	"jobshelf/core/section"
	"jobshelf/core/toolpath"
	"jobshelf/core/units"
)

// Quick is the quick estimate of one part, once.
type Quick struct {
	Seconds       float64     `json:"seconds"`         // printing, without warm-up
	WarmUpSeconds float64     `json:"warm_up_seconds"` // from cold to the first line
	Grams         float64     `json:"grams"`
	FilamentMM    float64     `json:"filament_mm"`
	PriceCents    units.Cents `json:"price_cents"`
	Layers        int         `json:"layers"`
	Lines         []PriceLine `json:"lines"`
}

// WholeSeconds is how long the machine is busy, its warm-up among it.
func (q *Quick) WholeSeconds() float64 { return q.Seconds + q.WarmUpSeconds }

// PriceLine is one line of a price.
type PriceLine struct {
	Text  string      `json:"text"`
	Cents units.Cents `json:"cents"`
}

// lengths are the lines of one layer, in mm.
type lengths struct {
	outer, inner, cap, infill, hold, support float64
	inside                                   float64 // area within the shells, mm²
}

// QuickOf estimates a part from its stack, which must have been cut at the
// recipe's layer heights. startCents is the house's fee for starting a run.
func QuickOf(s *section.Stack, r *recipe.Recipe, m *machine.Machine, spools machine.Spools, startCents units.Cents) Quick {
	q := Quick{Layers: len(s.Slabs)}
	share := s.CapShare(r.TopLayers, r.BottomLayers, r.LineMM/2+(float64(r.Shells)-0.5)*toolpath.Spacing(r.LineMM, r.LayerMM), r.LineMM)
	full := r.WithDefaults()
	carried := carry(s, &full, m)
	two, tower := twoNozzles(s, &full, m, carried)
	if !two && toolpath.TooClose(&full) {
		full = toolpath.OnPiece(full)
		carried = carry(s, &full, m)
	}
	plateMM2 := s.Bounds.Size().X * s.Bounds.Size().Y
	var volume, other float64 // of the part's nozzle, of the support's where it is another
	for i := range s.Slabs {
		slab := &s.Slabs[i]
		l := layerLengths(slab, r, share[i])
		if i == 0 {
			l.hold = holdLength(s, r)
		}
		l.support = carried[i].length
		also := carried[i].seconds // beside the part's own lines
		area := toolpath.LineArea(r.LineMM, slab.HeightMM)
		carries := l.support
		if i <= tower {
			length, seconds := blockLayer(&full, m, s.Slabs[tower].BottomMM, i == 0, l.support > 0)
			carries += length
			also += seconds
		}
		if two {
			other += carries * area
			carries = 0
		}
		volume += (l.outer + l.inner + l.cap + l.infill + l.hold + carries) * area
		q.Seconds += layerSeconds(slab, l, r, m, i == 0, i == len(s.Slabs)-1, plateMM2, also)
	}
	bore := math.Pi * m.FilamentMM * m.FilamentMM / 4
	q.FilamentMM = (volume + other) / bore
	uses := []Use{{spools.Of(full.PieceNozzle), 0}, {spools.Of(full.SupportNozzle), 0}}
	for k, v := range [2]float64{volume, other} {
		uses[k].Grams = uses[k].Material.Grams(m.FilamentMM, v/bore)
		q.Grams += uses[k].Grams
	}
	heats := full.Heats(m, spools)
	hottest := math.Max(heats.At(full.PieceNozzle, true), heats.At(full.PieceNozzle, false))
	if two {
		hottest = math.Max(hottest, math.Max(heats.At(full.SupportNozzle, true), heats.At(full.SupportNozzle, false)))
	}
	q.WarmUpSeconds = m.WarmUpSeconds(hottest, heats.Bed())
	q.PriceCents, q.Lines = PriceOf(uses, q.Seconds, m, startCents)
	return q
}

// carrying is the support of a layer: its lines, mm, and their time.
type carrying struct{ length, seconds float64 }

// carryingOf lays support in a layer: a lattice, dense below what it carries; a
// pillar's outline, as long as the mean between its frayed rim and a square's.
// Lines are taken to be as long as the mean (in proportion)
// between the side of a square of that area and the chord of a figure with that
// area and rim (see layerSeconds): the coarse grid frays the rim, so its chord
// alone is too short. Those means are fitted to sliced parts, no source.
func carryingOf(r *recipe.Recipe, m *machine.Machine, s section.SupportLayer) carrying {
	if s.AllMM2 <= 0 {
		return carrying{}
	}
	pitch, thick := r.LineMM*100/r.SupportPercent, r.LineMM*100/r.SupportRoofPercent
	side := math.Sqrt(s.AllMM2)
	chord := math.Sqrt(side * math.Min(side, math.Pi*s.AllMM2/s.RimMM))
	sparse, dense := (s.AllMM2-s.DenseMM2)/pitch, s.DenseMM2/thick
	// Rows reach the rim, and what of the rim runs with them is laid.
	// A strip of a line or two gets no lattice.
	sparse += rimLaid * s.RimMM * (1 - s.DenseMM2/s.AllMM2) * math.Max(0, 1-r.LineMM/pitch) * math.Max(0, 1-1.6*r.LineMM*s.RimMM/s.AllMM2)
	if math.Sqrt(s.AllMM2-s.DenseMM2) < toolpath.PillarPitches*pitch {
		sparse = math.Max(sparse, math.Max(0, math.Sqrt(s.RimMM*4*side)-4*r.LineMM)*(1-s.DenseMM2/s.AllMM2))
	}
	t := fillSeconds(sparse, chord, pitch, r.SupportMMPerS, &m.Motion) + fillSeconds(dense, chord/2, thick, r.SupportMMPerS, &m.Motion)
	// There and back, with filament pulled back and pushed forth.
	t += 2*(2*r.RetractMM/r.RetractMMPerS+2*r.LiftMM/m.Motion.LiftMMPerS) + 2*side/r.TravelMMPerS
	return carrying{sparse + dense, t}
}

// rimLaid is how much longer than its area over its pitch a lattice is, to its rim. A
// rim of all directions gives 1/π for the rows' ends and up to 1/2 for itself; the coarse
// grid's is longer. Fitted to sliced parts, no source.
const rimLaid = 0.55

// carry is the support of every layer; r has its defaults.
func carry(s *section.Stack, r *recipe.Recipe, m *machine.Machine) []carrying {
	carried := make([]carrying, len(s.Slabs))
	if r.Support != recipe.SupportEverywhere && r.Support != recipe.SupportPlateOnly {
		return carried
	}
	for i, x := range s.Support(section.SupportAsk{Lean: math.Tan(r.SupportDeg * math.Pi / 180), PlateOnly: r.Support == recipe.SupportPlateOnly,
		Drop: toolpath.DropLayers(r), Roof: *r.SupportRoof, WidenMM: toolpath.ReachMM(r, r.LayerMM), GapMM: *r.SupportGapMM}) {
		carried[i] = carryingOf(r, m, x)
	}
	return carried
}

// twoNozzles tells whether support is worth a nozzle of its own, and the last
// layer with any.
func twoNozzles(s *section.Stack, r *recipe.Recipe, m *machine.Machine, carried []carrying) (bool, int) {
	last := -1
	laid, purged := 0.0, 0.0
	for i := range carried {
		if carried[i].length > 0 {
			last = i
		}
	}
	if r.SupportNozzle == r.PieceNozzle || last < 0 {
		return false, -1
	}
	for i := range last + 1 {
		length, _ := blockLayer(r, m, s.Slabs[last].BottomMM, i == 0, carried[i].length > 0)
		laid, purged = laid+carried[i].length, purged+length
	}
	if purged > toolpath.PurgeAtMost*laid {
		return false, -1
	}
	return true, last
}

// blockLayer is a layer of the purge block: the lines of it, mm, and the time,
// with the change of the nozzle where there is one. Half of it is taken to be of
// each nozzle's material.
func blockLayer(r *recipe.Recipe, m *machine.Machine, topMM float64, first, change bool) (length, seconds float64) {
	side := toolpath.BlockSideMM(r, m.FilamentMM, topMM)
	spacing := toolpath.Spacing(r.LineMM, r.LayerMM)
	length = 4*side + side*side/spacing/toolpath.BlockSparse
	if first || change {
		length = side * side / spacing
	}
	if side == 0 { // nothing is purged
		if change {
			seconds = m.ChangeS + 2*r.RetractMM/r.RetractMMPerS
		}
		return 0, seconds
	}
	seconds = fillSeconds(length, side, spacing, r.InnerMMPerS, &m.Motion) + 4*r.RetractMM/r.RetractMMPerS + 2*side/r.TravelMMPerS
	if change {
		seconds += m.ChangeS
	}
	return length, seconds
}

// layerLengths spreads a layer over its kinds of line. The outer shell runs half
// a width inside the outline, each further one a spacing deeper; moving an
// outline of length L by d gives L - d·MitreRad and takes d·L - d²·MitreRad/2
// off the area, until nothing is left.
func layerLengths(b *section.Slab, r *recipe.Recipe, capShare float64) lengths {
	if b.AreaMM2 <= 0 {
		return lengths{}
	}
	spacing := toolpath.Spacing(r.LineMM, b.HeightMM)
	at := func(d float64) (length, area float64) {
		return b.LengthMM - d*b.MitreRad, b.AreaMM2 - d*b.LengthMM + d*d*b.MitreRad/2
	}
	var l lengths
	if wide := 2 * b.AreaMM2 / b.LengthMM; wide < r.LineMM+toolpath.SoloShare*spacing { // one line down the middle
		if wide >= toolpath.LeastShare*r.LineMM {
			l.outer = b.LengthMM / 2 * toolpath.LineArea(wide, b.HeightMM) / toolpath.LineArea(r.LineMM, b.HeightMM)
		}
		return l
	}
	room := b.AreaMM2 / spacing // no layer holds more line than its area
	laid := 0
	for k := 0; k < r.Shells; k++ {
		d := r.LineMM/2 + float64(k)*spacing
		length, area := at(d)
		if k > 0 && (area <= 0 || length <= 0) {
			break
		}
		length = math.Min(math.Max(length, 0), room)
		room -= length
		if k == 0 {
			l.outer = length
		} else {
			l.inner += length
		}
		laid++
	}
	length, area := at(r.LineMM/2 + (float64(laid)-0.5)*spacing)
	if length > 0 && area > 0 {
		l.inside = math.Min(area, room*spacing)
		// A seam that no two lines fit in is filled with one, as wide as it is.
		if wide := 2 * area / length; wide < (1+toolpath.SoloShare)*spacing {
			if l.inside /= spacing; wide > toolpath.SeamShare*r.LineMM {
				l.inner += l.inside
			}
			l.inside = 0
		}
	}
	l.cap = l.inside * capShare / spacing
	l.infill = l.inside * (1 - capShare) * r.InfillPercent / 100 / r.LineMM
	return l
}

// holdLength is the line that holds the first layer, in first-layer lines.
func holdLength(s *section.Stack, r *recipe.Recipe) float64 {
	if len(s.Slabs) == 0 {
		return 0
	}
	foot := &s.Slabs[0]
	switch r.Hold {
	case recipe.HoldSkirt:
		return toolpath.SkirtRounds * (s.FootHullMM + 2*math.Pi*toolpath.SkirtGapMM)
	case recipe.HoldBrim:
		var sum float64
		for d := r.LineMM / 2; d < r.BrimMM; d += r.LineMM {
			sum += s.FootHullMM + 2*math.Pi*d
		}
		return sum
	case recipe.HoldRaft:
		area := foot.AreaMM2 + s.FootHullMM*toolpath.RaftRimMM + math.Pi*toolpath.RaftRimMM*toolpath.RaftRimMM
		return (1 + toolpath.RaftCloses) * area / r.LineMM
	}
	return 0
}

// layerSeconds is the time of one layer of a part that takes plateMM2 of the
// plate. Lines of a filling are on average as long as a chord, π·area/perimeter
// (Crofton; Santaló 1976, "Integral Geometry and Geometric Probability"), and joined
// by short turns.
func layerSeconds(b *section.Slab, l lengths, r *recipe.Recipe, m *machine.Machine, first, last bool, plateMM2, also float64) float64 {
	speed := func(v float64) float64 {
		if first {
			v = math.Min(v, r.FirstMMPerS)
		}
		return math.Min(v, m.Motion.SpeedMMPerS)
	}
	rounds := 1.0
	if l.outer > 0 {
		rounds = math.Max(0, l.inner/l.outer)
	}
	t := outlineSeconds(b, l.outer, 1, speed(r.OuterMMPerS), &m.Motion)
	t += outlineSeconds(b, l.inner, rounds, speed(r.InnerMMPerS), &m.Motion)
	t += l.hold / speed(r.FirstMMPerS)
	if l.inside > 0 {
		rim := math.Max(b.LengthMM-r.LineMM*float64(r.Shells)*b.MitreRad, math.Sqrt(4*math.Pi*l.inside))
		chord := math.Pi * l.inside / rim
		spacing := toolpath.Spacing(r.LineMM, b.HeightMM)
		// A cap on a slope is a strip along the rim, its lines as short as it is wide;
		// one on a step is compact. Its own rim is taken to be between both.
		capArea := l.cap * spacing
		share := math.Min(1, capArea/l.inside)
		strip := math.Pi * capArea / (rim * (1 + math.Sqrt(1-share) + math.Sqrt(share)) / 2)
		t += fillSeconds(l.cap, strip, spacing, speed(r.CapMMPerS), &m.Motion)
		if r.InfillPercent > 0 {
			t += fillSeconds(l.infill, chord, r.LineMM*100/r.InfillPercent, speed(r.InfillMMPerS), &m.Motion)
		}
	}
	t += travelSeconds(b, l, plateMM2, r, m) + also
	if last {
		return math.Max(t, math.Min(r.LeastLayerS, t/slowest)) // nothing waits for it to cool
	}
	return math.Max(t, r.LeastLayerS)
}

// outlineSeconds is the time along outlines of a given total length, gone round
// `rounds` times, slowed at each corner of b.
func outlineSeconds(b *section.Slab, length, rounds, v float64, mo *machine.Motion) float64 {
	if length <= 0 {
		return 0
	}
	a := mo.AccelMMPerS2
	corners := 0
	for _, c := range b.Turns {
		corners += c.Count
	}
	t := length / v
	if corners == 0 {
		return t
	}
	spacing := length / (float64(corners) * math.Max(rounds, 1))
	for _, c := range b.Turns {
		if c.Count == 0 {
			continue
		}
		n := float64(c.Count) * math.Max(rounds, 1)
		vj := math.Min(v, CornerSpeed(c.SumRad/float64(c.Count), a, mo.JunctionDeviationMM))
		t += n * (segmentSeconds(spacing, vj, v, a) - spacing/v)
	}
	return t
}

func fillSeconds(length, chord, spacing, v float64, mo *machine.Motion) float64 {
	if length <= 0 || chord <= 0 {
		return 0
	}
	vj := math.Min(v, CornerSpeed(math.Pi/2, mo.AccelMMPerS2, mo.JunctionDeviationMM))
	n := length / chord
	return n * (segmentSeconds(chord, vj, v, mo.AccelMMPerS2) + segmentSeconds(spacing, vj, v, mo.AccelMMPerS2))
}

// tourShare: a tour of n places spread over an area A takes about so many √(A·n)
// (Beardwood, Halton, Hammersley 1959, "The shortest path through many points").
const tourShare = 0.7124

// travelSeconds counts the way to the layer and to its filling, half as long as
// the layer is wide, a tour of all figures, and one of their holes for each kind of
// shell, then the step up. A travel from figure to figure is retracted and lifted;
// one from hole to hole where it is long.
func travelSeconds(b *section.Slab, l lengths, plateMM2 float64, r *recipe.Recipe, m *machine.Machine) float64 {
	v := math.Min(r.TravelMMPerS, m.Motion.SpeedMMPerS)
	travel := func(mm float64) float64 { return segmentSeconds(mm, 0, v, m.Motion.AccelMMPerS2) }
	lifted := 2*r.RetractMM/r.RetractMMPerS + 2*segmentSeconds(r.LiftMM, 0, m.Motion.LiftMMPerS, m.Motion.AccelMMPerS2)
	far := math.Sqrt(b.AreaMM2) / 2
	near := math.Min(far, tourShare*math.Sqrt(plateMM2/float64(max(1, b.Outers+b.Holes))))
	figure, hole := travel(near)+lifted, travel(near)
	if near > toolpath.TravelsHeldMM {
		hole += lifted
	}
	tours, fills := 1.0, 0.0
	if l.inner > 0 {
		tours = 2
	}
	if l.cap+l.infill > 0 {
		fills = 1
	}
	others := float64(max(0, b.Outers-1))
	return (1+fills)*(travel(far)+lifted) + others*figure + tours*float64(b.Holes)*hole + b.HeightMM/m.Motion.LiftMMPerS
}

// CornerSpeed is the speed, mm/s, at which a machine of acceleration a (mm/s²)
// takes a corner of the given turn, by junction deviation δ (mm):
// v² = a·δ·sin(θ/2)/(1-sin(θ/2)) with θ = π - turn, the angle between the lines
// (the "junction deviation" corner model, published 2011).
func CornerSpeed(turnRad, a, deltaMM float64) float64 {
	s := math.Cos(turnRad / 2)
	if s >= 1 {
		return math.Inf(1)
	}
	return math.Sqrt(a * deltaMM * math.Max(0, s) / (1 - s))
}

// segmentSeconds is the time over d from speed v0 up to v and back to v0; where
// d is too short for v, up and down at once. From rest: d/v + v/a, or 2√(d/a).
func segmentSeconds(d, v0, v, a float64) float64 {
	if reach := (v*v - v0*v0) / a; d >= reach {
		return (d-reach)/v + 2*(v-v0)/a
	}
	peak := math.Sqrt(v0*v0 + a*d)
	return 2 * (peak - v0) / a
}
