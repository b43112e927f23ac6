// Package estimate tells time, filament and mass before a job is made; what they cost is the
// shop's to say.
//
// Quick works from measured sections in milliseconds and ranks choices: shells
// are the outlines moved inwards, solid layers come from comparing layers, infill fills
// what is left, motion is judged by how long lines are and how sharply outlines
// turn, support by columns. What cannot be counted so is in Factors.
package estimate

import (
	"cmp"
	"math"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/post"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/section"
)

// Quick is the quick estimate of one part, once.
type Quick struct {
	Seconds       float64 `json:"seconds"`         // printing, without warm-up
	WarmUpSeconds float64 `json:"warm_up_seconds"` // from cold to the first line
	Grams         float64 `json:"grams"`
	FilamentMM    float64 `json:"filament_mm"`
	Layers        int     `json:"layers"`
	Uses          []Use   `json:"-"` // of each nozzle, the part's first
}

// WholeSeconds is how long the machine is busy, its warm-up among it.
func (q *Quick) WholeSeconds() float64 { return q.Seconds + q.WarmUpSeconds }

// Use is a mass of a material.
type Use struct {
	Material *machine.Material
	Grams    float64
}

// lengths are the lines of one layer, in mm.
type lengths struct {
	outer, inner, solid, infill, adhesion float64
	inside                                float64 // area within the shells, mm²
	pieces                                int     // it falls into
}

// Sketch is what a quick estimate knows before its factors come in: the lines of each
// layer, and the columns of support.
type Sketch struct {
	stack  *section.Stack
	r      recipe.Recipe // as given
	m      *machine.Machine
	loaded machine.Loaded
	layers []lengths
	meant  support // by the nozzle meant for it
	piece  support // by the part's own, where that is another
}

// support is how it would be laid by one nozzle.
type support struct {
	r       recipe.Recipe // with its defaults
	columns []section.Column
}

// SketchOf prepares a quick estimate of a part from its stack, which must have been cut
// at the recipe's layer heights.
func SketchOf(s *section.Stack, r *recipe.Recipe, m *machine.Machine, loaded machine.Loaded) *Sketch {
	k := &Sketch{stack: s, r: *r, m: m, loaded: loaded, layers: make([]lengths, len(s.Slabs))}
	within := s.Within(r.TopLayers, r.BottomLayers, r.LineMM/2+(float64(r.Shells)-0.5)*toolpath.Spacing(r.LineMM, r.LayerMM), r.LineMM)
	for i := range s.Slabs {
		k.layers[i] = layerLengths(&s.Slabs[i], r, within[i].SolidShare)
		k.layers[i].pieces = within[i].Pieces
	}
	if len(k.layers) > 0 {
		k.layers[0].adhesion = adhesionLength(s, r)
	}
	k.meant = supportBy(s, r.WithDefaults())
	if full := &k.meant.r; full.SupportNozzle != full.PieceNozzle && len(k.meant.columns) > 0 {
		k.piece = k.meant
		if toolpath.TooClose(full) {
			k.piece = supportBy(s, toolpath.OnPiece(*full))
		}
		k.piece.r.SupportNozzle = full.PieceNozzle
	}
	return k
}

func supportBy(s *section.Stack, r recipe.Recipe) support {
	out := support{r: r}
	if r.Support == recipe.SupportEverywhere || r.Support == recipe.SupportPlateOnly {
		out.columns = s.Support(section.SupportAsk{Lean: math.Tan(r.SupportDeg * math.Pi / 180), PlateOnly: r.Support == recipe.SupportPlateOnly,
			VerticalGap: toolpath.DropLayers(&r), Interface: *r.SupportInterface, WidenMM: toolpath.ReachMM(&r, r.LayerMM), HorizontalGapMM: *r.SupportHorizontalGapMM})
	}
	return out
}

// QuickOf estimates a part from its stack, which must have been cut at the
// recipe's layer heights.
func QuickOf(s *section.Stack, r *recipe.Recipe, m *machine.Machine, loaded machine.Loaded) Quick {
	return SketchOf(s, r, m, loaded).Quick(&Fitted)
}

// Quick is the estimate by some factors.
func (k *Sketch) Quick(f *Factors) Quick {
	s, m := k.stack, k.m
	plateMM2 := s.Bounds.Size().X * s.Bounds.Size().Y
	by := &k.meant
	carried := by.carry(f, len(s.Slabs), plateMM2, m)
	two, tower := by.twoNozzles(s, m, carried)
	if !two && len(k.piece.columns) > 0 {
		by = &k.piece
		carried = by.carry(f, len(s.Slabs), plateMM2, m)
	}
	full := &by.r
	q := Quick{Layers: len(s.Slabs)}
	if full.PieceNozzle > 1 && q.Layers > 0 { // machines begin with their first nozzle
		q.Seconds = m.ChangeS
	}
	var volume, other float64 // of the part's nozzle, of the support's where it is another
	for i := range s.Slabs {
		slab, l := &s.Slabs[i], &k.layers[i]
		carries, also := carried[i].length, carried[i].seconds // beside the part's own lines
		change := carried[i].firm > 0
		area := toolpath.LineArea(full.LineMM, slab.HeightMM)
		if i <= tower {
			length, seconds := towerLayer(full, m, s.Slabs[tower].BottomMM, i == 0, change)
			carries += length
			also += seconds
		}
		if two {
			other += carries * area
			carries = 0
		}
		volume += (l.outer + l.inner + l.solid + l.infill + l.adhesion + carries) * area
		q.Seconds += k.layerSeconds(f, i, plateMM2, also)
	}
	bore := math.Pi * m.FilamentMM * m.FilamentMM / 4
	q.FilamentMM = (volume + other) / bore
	q.Uses = []Use{{k.loaded.Of(full.PieceNozzle), 0}, {k.loaded.Of(full.SupportNozzle), 0}}
	for j, v := range [2]float64{volume, other} {
		q.Uses[j].Grams = q.Uses[j].Material.Grams(m.FilamentMM, v/bore)
		q.Grams += q.Uses[j].Grams
	}
	heats := full.Heats(m, k.loaded)
	hottest := math.Max(heats.At(full.PieceNozzle, true), heats.At(full.PieceNozzle, false))
	if two {
		hottest = math.Max(hottest, math.Max(heats.At(full.SupportNozzle, true), heats.At(full.SupportNozzle, false)))
	}
	q.WarmUpSeconds = m.WarmUpSeconds(hottest, heats.Bed())
	bed := 0.0
	if m.IdleOffS <= 0 {
		bed = heats.Bed()
	}
	q.Seconds += float64(pauses(s, full.PauseMM)) * m.HeatUpSeconds(heats.At(full.PieceNozzle, false), bed)
	return q
}

// pauses counts the layers that a pause comes before: after each, nozzle and bed warm up again.
func pauses(s *section.Stack, atMM []float64) (n int) {
	for i := range s.Slabs {
		below := math.Inf(-1)
		if i > 0 {
			below = s.Slabs[i-1].BottomMM
		}
		if slices.ContainsFunc(atMM, func(mm float64) bool { return mm > below+pauseSlackMM && mm <= s.Slabs[i].BottomMM+pauseSlackMM }) {
			n++
		}
	}
	return n
}

// pauseSlackMM is how far, in floating point, a pause may stand above the foot it is at.
const pauseSlackMM = 1e-9

// carrying is the support of a layer: its lines, mm, and their time. Strips as narrow as a
// line are laid here and there only; what is sure to be laid is firm.
type carrying struct{ length, seconds, firm float64 }

// carry is the support of every layer.
func (p *support) carry(f *Factors, layers int, plateMM2 float64, m *machine.Machine) []carrying {
	carried := make([]carrying, layers)
	many := make([]int, layers) // columns in a layer
	for _, c := range p.columns {
		for i := c.From; i < c.To; i++ {
			many[i]++
		}
	}
	for _, c := range p.columns {
		x := f.column(&p.r, m, c, plateMM2, float64(many[c.From]))
		for i := c.From; i < c.To; i++ {
			carried[i].length += x.length
			carried[i].seconds += x.seconds
			carried[i].firm += x.firm
		}
	}
	return carried
}

// column is a layer of a column: a lattice, dense below what it carries; its outline
// where it is too narrow for that, one line where it is as narrow as a line or two. How
// wide it is at its widest is told from its area and its rim: twice the one by the other
// is right for a disc, and half as much for a strip.
func (f *Factors) column(r *recipe.Recipe, m *machine.Machine, c section.Column, plateMM2, many float64) carrying {
	if c.RimMM <= 0 || c.AreaMM2 < toolpath.LonelyLines*r.LineMM*r.LineMM {
		return carrying{}
	}
	w, rim := r.LineMM, f.Rim*c.RimMM
	side := math.Sqrt(c.AreaMM2)
	rim = math.Max(rim, 2*math.SqrtPi*side)
	pitch, thick := w*100/r.SupportPercent, w*100/r.SupportInterfacePercent
	radius := c.AreaMM2 / rim * (1 + 2*math.SqrtPi*side/rim)
	// How much of it is wider than that, 0…1.
	wider := func(than float64) float64 { return math.Max(0, math.Min(1, (radius/than-0.7)/0.6)) }
	open := c.AreaMM2 - c.InterfaceMM2
	share := open / c.AreaMM2
	strip := f.Strip * share * rim / 2
	pillar := share * math.Max(0, rim-4*w)
	lattice := open/pitch + f.RimLaid*rim*math.Max(0, 1-w/pitch)
	// Along its rim, and in rows.
	narrow, roomy := 1-wider(w), wider(toolpath.PillarPitches/2*pitch)
	round := narrow*strip + (1-narrow)*(1-roomy)*pillar
	rows := (1 - narrow) * (roomy*lattice + (1-roomy)*open/pitch*wider(pitch/2+1.5*w))
	dense := c.InterfaceMM2 / thick
	chord := math.Pi * c.AreaMM2 / rim
	laid := m.Motion
	laid.SpeedMMPerS = math.Min(laid.SpeedMMPerS, r.SupportMMPerS)
	if r.SupportMMPerS2 > 0 {
		laid.AccelMMPerS2 = math.Min(laid.AccelMMPerS2, r.SupportMMPerS2)
	}
	t := fillSeconds(round, f.Facet, 0, laid) + fillSeconds(rows, chord, pitch, laid) + fillSeconds(dense, chord/2, thick, laid)
	far := func(mm float64) float64 {
		return segmentSeconds(mm, 0, math.Min(r.TravelMMPerS, m.Motion.SpeedMMPerS), m.Motion.AccelMMPerS2)
	}
	t += lifted(r, m) + far(f.WaysFar*math.Sqrt(plateMM2/many)) // to it
	ways := f.WaysRim*math.Max(0, rim/(4*side)-1) + f.WaysRoomy*roomy + f.WaysRows*(rim-2*math.SqrtPi*side)/pitch
	t += ways * (f.WaysBack*lifted(r, m) + far(side/2))
	return carrying{round + rows + dense, t, round + rows + dense - narrow*(strip+dense)}
}

// lifted is the time of a retraction and a lift, there and back.
func lifted(r *recipe.Recipe, m *machine.Machine) float64 {
	t := 0.0
	if r.RetractMM > 0 {
		t = 2 * r.RetractMM / r.RetractMMPerS
	}
	if r.LiftMM > 0 {
		t += 2 * heightSeconds(r.LiftMM, m)
	}
	return t
}

// heightSeconds is the time of a move in height from rest to rest.
func heightSeconds(mm float64, m *machine.Machine) float64 {
	return segmentSeconds(mm, 0, m.Motion.LiftMMPerS, cmp.Or(m.Motion.LiftAccelMMPerS2, m.Motion.AccelMMPerS2))
}

// twoNozzles tells whether support is worth a nozzle of its own, and the last
// layer with any.
func (p *support) twoNozzles(s *section.Stack, m *machine.Machine, carried []carrying) (bool, int) {
	r := &p.r
	last := -1
	laid, purged := 0.0, 0.0
	for i := range carried {
		if carried[i].firm > 0 {
			last = i
		}
	}
	if r.SupportNozzle == r.PieceNozzle || last < 0 {
		return false, -1
	}
	for i := range last + 1 {
		length, _ := towerLayer(r, m, s.Slabs[last].BottomMM, i == 0, carried[i].firm > 0)
		laid, purged = laid+carried[i].length, purged+length
	}
	if purged > toolpath.PurgeAtMost*laid {
		return false, -1
	}
	return true, last
}

// towerLayer is a layer of the purge tower: the lines of it, mm, and the time,
// with the change of the nozzle where there is one. Half of it is taken to be of
// each nozzle's material.
func towerLayer(r *recipe.Recipe, m *machine.Machine, topMM float64, first, change bool) (length, seconds float64) {
	side := toolpath.TowerSideMM(r, m.FilamentMM, topMM)
	spacing := toolpath.Spacing(r.LineMM, r.LayerMM)
	length = 4*side + side*side/spacing/toolpath.TowerSparse
	if first || change {
		length = side * side / spacing
	}
	if side == 0 { // nothing is purged
		if change {
			seconds = m.ChangeS + 2*r.RetractMM/r.RetractMMPerS
		}
		return 0, seconds
	}
	laid := m.Motion
	laid.SpeedMMPerS = math.Min(laid.SpeedMMPerS, r.InnerMMPerS)
	seconds = fillSeconds(length, side, spacing, laid) + 4*r.RetractMM/r.RetractMMPerS + 2*side/r.TravelMMPerS
	if change {
		seconds += m.ChangeS
	}
	return length, seconds
}

// layerLengths spreads a layer over its kinds of line. The outer shell runs half
// a width inside the outline, each further one a spacing deeper; moving an
// outline of length L by d gives L - d·MitreRad and takes d·L - d²·MitreRad/2
// off the area, until nothing is left.
func layerLengths(b *section.Slab, r *recipe.Recipe, solidShare float64) lengths {
	if b.AreaMM2 <= 0 {
		return lengths{}
	}
	spacing := toolpath.Spacing(r.LineMM, b.HeightMM)
	at := func(d float64) (length, area float64) {
		return b.LengthMM - d*b.MitreRad, b.AreaMM2 - d*b.LengthMM + d*d*b.MitreRad/2
	}
	var l lengths
	if wide := 2 * b.AreaMM2 / b.LengthMM; wide < r.LineMM+toolpath.OneLineShare*spacing { // one line down the middle
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
		if wide := 2 * area / length; wide < (1+toolpath.OneLineShare)*spacing {
			if l.inside /= spacing; wide > toolpath.SeamShare*r.LineMM {
				l.inner += l.inside
			}
			l.inside = 0
		}
	}
	l.solid = l.inside * solidShare / spacing
	l.infill = l.inside * (1 - solidShare) * r.InfillPercent / 100 / r.LineMM
	return l
}

// adhesionLength is the line of the bed adhesion, in first-layer lines.
func adhesionLength(s *section.Stack, r *recipe.Recipe) float64 {
	if len(s.Slabs) == 0 {
		return 0
	}
	foot := &s.Slabs[0]
	switch r.Adhesion {
	case recipe.AdhesionSkirt:
		return toolpath.SkirtRounds * (s.FootHullMM + 2*math.Pi*toolpath.SkirtGapMM)
	case recipe.AdhesionBrim:
		var sum float64
		for d := r.LineMM / 2; d < r.BrimMM; d += r.LineMM {
			sum += s.FootHullMM + 2*math.Pi*d
		}
		return sum
	case recipe.AdhesionRaft:
		area := foot.AreaMM2 + s.FootHullMM*toolpath.RaftRimMM + math.Pi*toolpath.RaftRimMM*toolpath.RaftRimMM
		return (1 + toolpath.RaftCloses) * area / r.LineMM
	}
	return 0
}

// leastChord and leastSolid are how many line widths the lines of infill and of solid layers are
// long at the least, on average: rows run across narrow places at a slant, slivers of solid
// are not laid, and what is laid reaches a line further.
const (
	leastChord = 2
	leastSolid = 4
)

// layerSeconds is the time of layer i of a part that takes plateMM2 of the plate, and of
// what is laid beside it. Lines of a filling are on average as long as a chord,
// π·area/perimeter (Crofton; Santaló 1976, "Integral Geometry and Geometric
// Probability"), and joined by short turns.
func (k *Sketch) layerSeconds(f *Factors, i int, plateMM2, also float64) float64 {
	b, l, r, m := &k.stack.Slabs[i], &k.layers[i], &k.meant.r, k.m
	first := i == 0
	laid := func(mmPerS, mmPerS2 float64) machine.Motion {
		mo := m.Motion
		mo.SpeedMMPerS = math.Min(mo.SpeedMMPerS, mmPerS)
		if first {
			mo.SpeedMMPerS = math.Min(mo.SpeedMMPerS, r.FirstMMPerS)
			mmPerS2 = cmp.Or(r.FirstMMPerS2, mmPerS2)
		}
		if mmPerS2 > 0 {
			mo.AccelMMPerS2 = math.Min(mo.AccelMMPerS2, mmPerS2)
		}
		return mo
	}
	rounds := 1.0
	if l.outer > 0 {
		rounds = math.Max(0, l.inner/l.outer)
	}
	t := outlineSeconds(b, l.outer, 1, laid(r.OuterMMPerS, r.OuterMMPerS2))
	t += outlineSeconds(b, l.inner, rounds, laid(r.InnerMMPerS, r.InnerMMPerS2))
	t += l.adhesion / laid(r.FirstMMPerS, r.FirstMMPerS2).SpeedMMPerS
	if l.inside > 0 {
		rim := math.Max(b.LengthMM-r.LineMM*float64(r.Shells)*b.MitreRad, math.Sqrt(4*math.Pi*l.inside))
		chord := math.Pi * l.inside / rim
		spacing := toolpath.Spacing(r.LineMM, b.HeightMM)
		// A solid strip on a slope is a strip along the rim, its lines as short as it is wide;
		// one on a step is compact. Its own rim is taken to be between both.
		solidArea := l.solid * spacing
		share := math.Min(1, solidArea/l.inside)
		strip := math.Pi * solidArea / (rim * (1 + math.Sqrt(1-share) + math.Sqrt(share)) / 2)
		t += fillSeconds(l.solid, math.Max(f.SolidChord*strip, leastSolid*spacing), spacing, laid(r.TopBottomMMPerS, r.TopBottomMMPerS2))
		if r.InfillPercent > 0 {
			t += fillSeconds(l.infill, math.Max(f.FillChord*chord, leastChord*r.LineMM), r.LineMM*100/r.InfillPercent, laid(r.InfillMMPerS, r.InfillMMPerS2))
		}
	}
	t += k.travelSeconds(f, i, plateMM2) + also
	if i == len(k.layers)-1 {
		return math.Max(t, math.Min(r.MinLayerTimeS, t/slowest)) // nothing waits for it to cool
	}
	return math.Max(t, r.MinLayerTimeS)
}

// outlineSeconds is the time along outlines of a given total length, gone round
// `rounds` times, slowed at each corner of b.
func outlineSeconds(b *section.Slab, length, rounds float64, mo machine.Motion) float64 {
	if length <= 0 {
		return 0
	}
	v, a := mo.SpeedMMPerS, mo.AccelMMPerS2
	corners := 0
	for _, c := range b.Turns {
		corners += c.Count
	}
	// Each begins and ends at rest. That it would slow down for a corner there all the same
	// makes up for turns too small to be counted.
	t := length/v + float64(b.Outers+b.Holes)*rounds*v/a
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

func fillSeconds(length, chord, spacing float64, mo machine.Motion) float64 {
	if length <= 0 || chord <= 0 {
		return 0
	}
	v := mo.SpeedMMPerS
	vj := math.Min(v, CornerSpeed(math.Pi/2, mo.AccelMMPerS2, mo.JunctionDeviationMM))
	n := length / chord
	return n * (segmentSeconds(chord, vj, v, mo.AccelMMPerS2) + segmentSeconds(spacing, vj, v, mo.AccelMMPerS2))
}

// tourShare: a tour of n places spread over an area A takes about so many √(A·n)
// (Beardwood, Halton, Hammersley 1959, "The shortest path through many points").
const tourShare = 0.7124

// travelSeconds counts the step up and the way to the layer, half as long as the layer is
// wide; ways between its figures and holes, of about the length of a tour of them; and
// ways that its shape makes: bent outlines have arms, and what fills them falls into pieces.
// A smooth outline turns by 2π; twice that is one bend more. These ways are retracted,
// and lifted where they cross outlines; there are others within the part that are not.
func (k *Sketch) travelSeconds(f *Factors, i int, plateMM2 float64) float64 {
	b, l, r, m := &k.stack.Slabs[i], &k.layers[i], &k.meant.r, k.m
	if b.AreaMM2 <= 0 {
		return 0
	}
	v, a := math.Min(r.TravelMMPerS, m.Motion.SpeedMMPerS), m.Motion.AccelMMPerS2
	if r.TravelMMPerS2 > 0 {
		a = math.Min(a, r.TravelMMPerS2)
	}
	corner := math.Min(v, CornerSpeed(math.Pi/2, a, m.Motion.JunctionDeviationMM))
	far := math.Sqrt(b.AreaMM2) / 2
	tour := tourShare * math.Sqrt(plateMM2/float64(max(1, b.Outers+b.Holes)))
	near := math.Min(far, tour)
	turned := 0.0
	for _, c := range b.Turns {
		turned += c.SumRad
	}
	rings := float64(b.Outers + b.Holes)
	tips := float64(b.Tips.Cut) // each is a bend of its own
	bends := math.Max(0, turned/(2*math.Pi)-rings-tips)
	ragged := math.Max(0, b.LengthMM/math.Sqrt(4*math.Pi*b.AreaMM2)-1)
	back := 0.0
	if r.RetractMM > 0 {
		back = 2 * r.RetractMM / r.RetractMMPerS
	}
	t := heightSeconds(b.HeightMM, m) + back + segmentSeconds(far, 0, v, a)
	way := func(mm float64) float64 { return back + f.Lifted*(lifted(r, m)-back) + segmentSeconds(mm, 0, v, a) }
	t += (f.Figures*float64(max(0, b.Outers-1)) + f.Holes*float64(b.Holes)) * way(tour)
	t += (f.Ragged*ragged + f.Arms*float64(max(0, l.pieces-b.Outers))) * way(f.Near*near)
	// From one tip or bend to the next it is no further than along the outline: near ones
	// are gone through in turn, between far ones the nozzle comes back.
	next := math.Min(f.Near*near, b.LengthMM/(rings+bends+tips))
	t += tips*segmentSeconds(next, 0, v, a) + (f.Bends*bends+f.Tips*tips)*math.Min(1, next/post.LongTravelMM)*way(next)
	within := f.Loops * rings * float64(r.Shells)
	if l.solid > 0 {
		within += f.Pieces * (rings + ragged)
	}
	return t + within*segmentSeconds(f.Near*near/2, corner, v, a)
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
