package verdict

import (
	"cmp"
	"context"
	"math"
	"slices"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/heights"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/section"
	"jobshelf/core/shape/thickness"
)

// Orientation is how a model stands, and what else was looked at.
type Orientation struct {
	Stand orient.Stand `json:"stand"`
	// Fixed says that somebody wants it so; the others are what the program proposes then.
	Fixed  bool           `json:"fixed,omitempty"`
	SizeMM [3]float64     `json:"size_mm" doc:"How large it is as it stands, along the plate's axes before it is turned about the vertical"`
	Why    problem.Phrase `json:"why,omitzero" doc:"Why it stands so, where the program turned it"`
	// SavedS is how much less it takes so than as it came, on the first machine of the choices that takes it.
	SavedS float64 `json:"saved_seconds,omitempty" doc:"How much less it takes than as it came, where the program turned it"`
	Ways   []Way   `json:"ways,omitempty" doc:"The best orientations, the best first; none of a surface that has to be mended first"`
}

// Way is one orientation that was measured.
type Way struct {
	Turn        orient.Quat    `json:"turn"`
	Reason      problem.Phrase `json:"reason"`
	OverhangMM2 float64        `json:"overhang_mm2"`
	SupportMM3  float64        `json:"support_mm3"`
	TouchedMM2  float64        `json:"support_on_part_mm2"`
	ContactMM2  float64        `json:"contact_mm2"`
	StrengthMM2 float64        `json:"strength_mm2"`
	HeightMM    float64        `json:"height_mm"`
	TipDeg      float64        `json:"tip_deg"`
	AlongLoad   float64        `json:"along_load,omitempty" doc:"cos² of the angle between the load and the way it is built: 1 pulls layers apart"`
	Cents       float64        `json:"cents" doc:"What support, height and spoilt faces come to, to compare it by"`
	Fits        int            `json:"fits" doc:"On how many machines in service it fits"`
	ScaleToFit  float64        `json:"scale_to_fit" doc:"The largest scale, at most 1, at which it fits on one"`
}

// Stands is how a model stands by its verdict; as it came, where that says nothing.
func (v *Verdict) Stands() orient.Stand {
	if v == nil || v.Orientation == nil {
		return orient.Stand{}.Plain()
	}
	return v.Orientation.Stand.Plain()
}

// HeldUp says that something under the model hangs over as it stands, by what was measured; of one that was not it is taken
// to be so.
func (v *Verdict) HeldUp() bool {
	if v == nil || v.Format == modelfile.GCode {
		return false
	}
	if v.Orientation != nil {
		for _, w := range v.Orientation.Ways {
			if w.Turn == v.Orientation.Stand.Turn {
				return w.SupportMM3 > 0
			}
		}
	}
	return true
}

// A model is turned only where that is worth it: by so many cents, and by such a share of what it
// costs as it came (a choice of ours).
const (
	worthCents = 2
	worthShare = 0.05
)

// stands decides how the model stands, and gives it as it came and so, in mm.
func (v *Verdict) stands(ctx context.Context, m *mesh.Mesh, in Subject, choices []Choice, progress func(Stage, float64)) (came, stood *mesh.Mesh, err error) {
	mm := v.Unit.MM()
	if mm != 1 {
		m = m.Transformed(mm, mesh.Vec3{})
	}
	o := &Orientation{Stand: orient.Stand{}.Plain()}
	v.Orientation = o
	sized := m
	if in.Stand != nil {
		o.Stand, o.Fixed = in.Stand.Plain(), true
		sized = orient.Stand{Scale: o.Stand.Scale, Mirror: o.Stand.Mirror}.Of(m)
	}
	progress(Turning, 0.5)
	if v.Closed && v.Oriented && v.VolumeMM3 != 0 && !in.AsIs {
		if err := o.weigh(ctx, sized, choices, in.Load); err != nil {
			return nil, nil, err
		}
	}
	if !o.Fixed {
		o.choose()
	}
	if k := o.Stand.Scale; !o.Stand.SameSize() {
		v.Findings = append(v.Findings, printability.Resized(k, o.Stand.Mirror))
	}
	stood = o.Stand.Of(m)
	o.SizeMM = array(stood.Bounds().Size())
	weighed := slices.IndexFunc(o.Ways, func(w Way) bool {
		return (orient.Stand{Turn: w.Turn, Scale: o.Stand.Scale, Mirror: o.Stand.Mirror}).Like(o.Stand)
	})
	switch {
	case weighed >= 0:
		w := &o.Ways[weighed]
		v.standing = orient.Measures{OverhangMM2: w.OverhangMM2, SupportMM3: w.SupportMM3, ContactMM2: w.ContactMM2, TipDeg: w.TipDeg, HeightMM: w.HeightMM}
	case v.Closed && v.Oriented && v.VolumeMM3 != 0:
		v.standing = orient.Measure(orient.Outwards(stood), orient.AsItCame, leanOf(choices), nil)
	}
	return m, stood, ctx.Err()
}

// leanOf is the angle from upright past which the first recipe supports what leans out.
func leanOf(choices []Choice) float64 {
	if k := slices.IndexFunc(choices, func(c Choice) bool { return c.Recipe != nil }); k >= 0 {
		return cmp.Or(choices[k].Recipe.WithDefaults().SupportDeg, commonOverhangDeg)
	}
	return commonOverhangDeg
}

// overhangs is the check whose faces are drawn.
const overhangs = "overhangs"

// leaning are the faces of a part that stands that lean out too far, but for what lies on the plate; the
// largest first, and no more than are drawn.
func leaning(m *mesh.Mesh, lean heights.Lean) []int {
	type face struct {
		at   int
		area float64
	}
	var all []face
	plate := m.Bounds().Min.Z + onPlateMM
	for i, t := range m.Triangles {
		a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
		if n := heights.Normal(a, b, c); lean.Overhangs(n) && max(a.Z, b.Z, c.Z) > plate {
			all = append(all, face{i, n.Len()})
		}
	}
	slices.SortStableFunc(all, func(a, b face) int { return cmp.Compare(b.area, a.area) })
	out := make([]int, min(len(all), finding.MaxFaces))
	for k := range out {
		out[k] = all[k].at
	}
	return out
}

// onPlateMM is how high a face may be that lies on the plate.
const onPlateMM = 0.01

// leanPlaces is how many of them are told of as places.
const leanPlaces = 5

func places(m *mesh.Mesh, faces []int) (out [][3]float64) {
	for _, k := range faces[:min(len(faces), leanPlaces)] {
		t := m.Triangles[k]
		out = append(out, array(m.Vertices[t[0]].Add(m.Vertices[t[1]]).Add(m.Vertices[t[2]]).Scale(1./3)))
	}
	return out
}

func drawn(m *mesh.Mesh, faces []int) [][9]float32 {
	out := make([][9]float32, len(faces))
	for i, k := range faces {
		for c, v := range m.Triangles[k] {
			p := m.Vertices[v]
			out[i][3*c], out[i][3*c+1], out[i][3*c+2] = float32(p.X), float32(p.Y), float32(p.Z)
		}
	}
	return out
}

// stood tells how a part stands: of support, of tipping over, of ends that pull up; stack is it in layers, nil
// where no machine has a recipe for it.
func (v *Verdict) stood(ctx context.Context, choices []Choice, came, stands *mesh.Mesh, stack *section.Stack) error {
	if v.standing.HeightMM == 0 || len(v.Units) > 0 {
		return nil // not closed, or in another unit perhaps: it would be a guess
	}
	stands = orient.Outwards(stands)
	s := printability.Standing{OverhangMM2: v.standing.OverhangMM2, SupportMM3: v.standing.SupportMM3, LeanDeg: leanOf(choices), ContactMM2: v.standing.ContactMM2,
		TipDeg: v.standing.TipDeg, SizeMM: v.Orientation.SizeMM, Rimmed: true}
	var warps []printability.Warps
	var limits []printability.Limit
	var flows []printability.Flow
	strong, least := false, 0.0
	for i := range choices {
		c := &choices[i]
		if !c.estimated(&v.Machines[i]) {
			continue
		}
		r := c.Recipe.WithDefaults()
		if r.Support == recipe.SupportOff || r.Support == recipe.SupportFirstLayer {
			s.Unheld = append(s.Unheld, c.Machine.Name)
		}
		s.Rimmed = s.Rimmed && (r.Adhesion == recipe.AdhesionBrim || r.Adhesion == recipe.AdhesionRaft)
		strong = strong || r.Purpose == recipe.WorkingPart
		if m := c.Loaded.Of(max(1, r.PieceNozzle)); m != nil {
			warps = append(warps, printability.Warps{Machine: c.Machine.Name, Material: m.Name, ShrinkPercent: m.ShrinkPercent})
			fast := max(r.OuterMMPerS, r.InnerMMPerS, r.TopBottomMMPerS, r.InfillMMPerS)
			hot := cmp.Or(r.NozzleC, m.NozzleC)
			flows = append(flows, printability.Flow{Machine: c.Machine.Name, AsksMM3PerS: r.LineMM * r.LayerMM * fast, MeltsMM3PerS: c.Machine.MeltsAt(m, hot), NozzleC: hot, FastMMPerS: fast})
		}
		limits, least = append(limits, printability.Limit{Machine: c.Machine.Name, MM: c.Machine.LeastMM}), max(least, c.Machine.LeastMM)
	}
	v.Findings = append(v.Findings, printability.Melts(flows)...)
	var tree *mesh.Tree // of what stands, where it is asked for
	if least > 0 {
		tree = mesh.NewTree(stands)
		thin, err := thickness.Under(ctx, stands, tree, least)
		if err != nil {
			return err
		}
		found := printability.Thin(thin, limits)
		v.Findings = append(v.Findings, found...)
		if len(found) > 0 {
			v.span("thin wall", len(thin), func(k int) [6]float64 { return thin[k].Across })
		}
	}
	bridges, err := v.bridged(ctx, choices, stack, &s)
	if err != nil {
		return err
	}
	v.Findings = append(v.Findings, bridges...)
	for _, f := range printability.Stands(s) {
		if f.Check == overhangs {
			faces := leaning(stands, heights.LeanOf(s.LeanDeg))
			f.Places = places(stands, faces)
			v.Evidence = append(v.Evidence, finding.Evidence{Check: overhangs, Faces: drawn(came, faces)})
			if len(s.Unheld) < len(limits) {
				if tree == nil {
					tree = mesh.NewTree(stands)
				}
				rods, err := thickness.Rods(ctx, stands, tree, faces, printability.RodMM, printability.RodSlender)
				if err != nil {
					return err
				}
				if found := printability.Rods(rods); len(found) > 0 {
					v.Findings = append(v.Findings, found...)
					v.span(found[0].Check, 1, func(k int) [6]float64 { return rods[k].Along })
				}
			}
		}
		if stack != nil && (f.Check == "tips over" || f.Check == "little on the plate") {
			if err := v.foot(ctx, &f, stack, stands); err != nil {
				return err
			}
		}
		v.Findings = append(v.Findings, f)
	}
	if !slices.ContainsFunc(v.Findings, func(f finding.Finding) bool { return f.Check == "long and flat" }) {
		v.Findings = append(v.Findings, printability.Warp(&s, warps)...) // that says the same, whatever it is made of
	}
	if stack == nil {
		return nil
	}
	var islands []printability.Island
	for _, i := range stack.Islands() {
		islands = append(islands, printability.Island{AtMM: i.AtMM, HeightMM: stack.Slabs[i.Slab].BottomMM})
	}
	v.Findings = append(v.Findings, printability.Islands(islands, s.Unheld)...)
	areas, middles := make([]float64, len(stack.Slabs)), make([]float64, len(stack.Slabs))
	for k, l := range stack.Slabs {
		areas[k], middles[k] = l.AreaMM2, l.BottomMM+l.HeightMM/2
	}
	neck := printability.NeckOf(areas, middles)
	at := slices.Index(middles, neck.HeightMM)
	if at >= 0 {
		x, y := stack.Middle(at)
		neck.AtMM = [3]float64{x, y, stack.Bounds.Min.Z + neck.HeightMM}
	}
	if found := printability.Weak(neck, strong); len(found) > 0 {
		v.Findings = append(v.Findings, found...)
		if err := v.ring(ctx, found[0].Check, stack, at); err != nil {
			return err
		}
	}
	return nil
}

// foot gives what is found of how a part stands a place, where its middle of mass is over the plate, and draws the way
// down to there and what lies on the plate.
func (v *Verdict) foot(ctx context.Context, f *finding.Finding, stack *section.Stack, stands *mesh.Mesh) error {
	mid, plate := stands.Measure().Centroid, stack.Bounds.Min.Z
	f.Places = [][3]float64{{mid.X, mid.Y, plate}}
	if err := v.ring(ctx, f.Check, stack, 0); err != nil {
		return err
	}
	e := &v.Evidence[len(v.Evidence)-1]
	e.Lines = append(e.Lines, v.came([6]float64{mid.X, mid.Y, mid.Z, mid.X, mid.Y, plate}))
	return nil
}

// gaps tells of slots narrower than the lines of what is estimated; first is of the layers that they were looked for in.
func (v *Verdict) gaps(choices []Choice, stacks []*section.Stack) {
	k := slices.IndexFunc(stacks, func(s *section.Stack) bool { return s != nil })
	if k < 0 || len(v.Units) > 0 {
		return
	}
	found := apart(stacks[k].Gaps)
	slices.SortStableFunc(found, func(a, b section.Gap) int { return cmp.Compare(a.WidthMM, b.WidthMM) })
	all, lines := make([]printability.Gap, len(found)), []printability.Limit{}
	for i, g := range found {
		all[i] = printability.Gap{WidthMM: g.WidthMM, AtMM: array(vec(g.FromMM).Add(vec(g.ToMM)).Scale(0.5))}
	}
	for i := range stacks {
		if stacks[i] != nil {
			lines = append(lines, printability.Limit{Machine: choices[i].Machine.Name, MM: choices[i].Recipe.WithDefaults().LineMM})
		}
	}
	if told := printability.Gaps(all, lines); len(told) > 0 {
		v.Findings = append(v.Findings, told...)
		v.span(told[0].Check, len(told[0].Places), func(k int) [6]float64 {
			a, b := found[k].FromMM, found[k].ToMM
			return [6]float64{a[0], a[1], a[2], b[0], b[1], b[2]}
		})
	}
}

// apart are gaps beside each other: of those over each other the highest, which is seen from above.
func apart(all []section.Gap) (out []section.Gap) {
	const nearMM = 3
	for _, g := range slices.Backward(all) {
		if !slices.ContainsFunc(out, func(o section.Gap) bool {
			return math.Hypot(g.FromMM[0]-o.FromMM[0], g.FromMM[1]-o.FromMM[1]) < nearMM
		}) {
			out = append(out, g)
		}
	}
	return out
}

// mostLedges is in how many layers bridges are looked for, ledgeMM2 how much has to lie over nothing there.
const (
	mostLedges = 24
	ledgeMM2   = 4
)

// bridged tells of the spans of a part where some machine lays no support, by the first one's lines, and fills in how
// much of what leans out is bridged by itself.
func (v *Verdict) bridged(ctx context.Context, choices []Choice, stack *section.Stack, s *printability.Standing) ([]finding.Finding, error) {
	if len(s.Unheld) == 0 || stack == nil {
		return nil, ctx.Err()
	}
	k := slices.IndexFunc(choices, func(c Choice) bool { return c.Machine.Name == s.Unheld[0] })
	r := choices[k].Recipe.WithDefaults()
	var slabs []int
	for _, k := range stack.Hanging(ledgeMM2, mostLedges) {
		slabs = append(slabs, k-1, k)
	}
	slices.Sort(slabs)
	slabs = slices.Compact(slabs)
	outlines, err := stack.Outlines(ctx, slabs)
	if err != nil {
		return nil, err
	}
	type spanned struct {
		printability.Bridge
		along [6]float64
	}
	var all []spanned
	for i := 1; i < len(slabs); i++ {
		if slabs[i-1] != slabs[i]-1 {
			continue
		}
		slab := &stack.Slabs[slabs[i]]
		z := stack.Bounds.Min.Z + slab.BottomMM
		for _, b := range toolpath.FreeSpans(outlines[i], outlines[i-1], r.Shells, r.LineMM, slab.HeightMM) {
			if b.SpanMM <= printability.BridgeMM {
				s.BridgedMM2 += b.AreaMM2
			}
			along := [6]float64{b.FromMM[0], b.FromMM[1], z, b.ToMM[0], b.ToMM[1], z}
			mid := [3]float64{(along[0] + along[3]) / 2, (along[1] + along[4]) / 2, z}
			all = append(all, spanned{printability.Bridge{SpanMM: b.SpanMM, HeightMM: slab.BottomMM, AtMM: mid}, along})
		}
	}
	slices.SortStableFunc(all, func(a, b spanned) int { return cmp.Compare(b.SpanMM, a.SpanMM) })
	of := make([]printability.Bridge, len(all))
	for i, b := range all {
		of[i] = b.Bridge
	}
	found := printability.Bridges(of, s.Unheld)
	if len(found) > 0 {
		v.span(found[0].Check, len(found[0].Places), func(k int) [6]float64 { return all[k].along })
	}
	return found, nil
}

// mostSpans is how many distances are drawn of a finding: more hide each other.
const mostSpans = 5

// span notes the first of n distances, of the part as it stands, that are apart, as evidence.
func (v *Verdict) span(check string, n int, at func(k int) [6]float64) {
	e := finding.Evidence{Check: check}
	var mids []mesh.Vec3
	near := max(v.Orientation.SizeMM[0], v.Orientation.SizeMM[1], v.Orientation.SizeMM[2]) / 5
	for k := range min(n, finding.MaxLines) {
		l := at(k)
		mid := vec([3]float64(l[:3])).Add(vec([3]float64(l[3:]))).Scale(0.5)
		if len(mids) < mostSpans && !slices.ContainsFunc(mids, func(o mesh.Vec3) bool { return o.Sub(mid).Len() < near }) {
			mids, e.Spans = append(mids, mid), append(e.Spans, v.came(l))
		}
	}
	v.Evidence = append(v.Evidence, e)
}

// came is a line of the part as it stands, where that is in the part as it came.
func (v *Verdict) came(l [6]float64) [6]float32 {
	a, b := v.Orientation.Stand.From(vec([3]float64(l[:3]))), v.Orientation.Stand.From(vec([3]float64(l[3:])))
	return [6]float32{float32(a.X), float32(a.Y), float32(a.Z), float32(b.X), float32(b.Y), float32(b.Z)}
}

// ring notes the outlines of a slab as evidence.
func (v *Verdict) ring(ctx context.Context, check string, stack *section.Stack, slab int) error {
	outlines, err := stack.Outlines(ctx, []int{slab})
	if err != nil {
		return err
	}
	e := finding.Evidence{Check: check}
	z := stack.Bounds.Min.Z + stack.Slabs[slab].BottomMM + stack.Slabs[slab].HeightMM/2
	for _, p := range outlines[0] {
		for i, a := range p {
			if b := p[(i+1)%len(p)]; len(e.Lines) < finding.MaxLines-1 {
				e.Lines = append(e.Lines, v.came([6]float64{float64(a.X) / 1000, float64(a.Y) / 1000, z, float64(b.X) / 1000, float64(b.Y) / 1000, z}))
			}
		}
	}
	v.Evidence = append(v.Evidence, e)
	return nil
}

// weigh weighs the ways a closed mesh of mm can stand, by the first recipe among the choices.
func (o *Orientation) weigh(ctx context.Context, m *mesh.Mesh, choices []Choice, load *[3]float64) error {
	ask := orient.Ask{OverhangDeg: commonOverhangDeg, Rates: orient.CommonRates}
	if k := slices.IndexFunc(choices, func(c Choice) bool { return c.Recipe != nil }); k >= 0 {
		r := choices[k].Recipe.WithDefaults()
		ask.OverhangDeg, ask.By = cmp.Or(r.SupportDeg, commonOverhangDeg), orient.LayingOf(&r)
	}
	if load != nil {
		pull := orient.Stand{Scale: o.Stand.Scale, Mirror: o.Stand.Mirror}.To(vec(*load)) // as the model is weighed
		ask.Load, ask.Rates.AcrossLoad = new(pull.Scale(1/pull.Len())), orient.PulledCents
	}
	found, err := orient.Candidates(ctx, m, ask)
	if err != nil {
		return err
	}
	o.Ways = make([]Way, len(found))
	return par.Each(ctx, len(found), func() struct{} { return struct{}{} }, func(_ struct{}, i int) {
		o.Ways[i] = wayOf(&found[i], m, choices)
	}, nil)
}

// Best is how a mesh of mm prints best on some machines, as a verdict would have it.
func Best(ctx context.Context, m *mesh.Mesh, choices []Choice) (orient.Stand, error) {
	o := Orientation{Stand: orient.Stand{}.Plain()}
	err := o.weigh(ctx, m, choices, nil)
	o.choose()
	return o.Stand, err
}

// commonOverhangDeg is past what faces need support where no recipe says (common practice, no source).
const commonOverhangDeg = 45

func wayOf(c *orient.Candidate, m *mesh.Mesh, choices []Choice) Way {
	w := Way{Turn: c.Turn, Reason: c.Reason(), OverhangMM2: c.OverhangMM2, SupportMM3: c.SupportMM3, TouchedMM2: c.TouchedMM2, ContactMM2: c.ContactMM2,
		StrengthMM2: c.StrengthMM2, HeightMM: c.HeightMM, TipDeg: c.TipDeg, AlongLoad: c.AlongLoad, Cents: c.Cents}
	hull := shadowOf(orient.Stand{Turn: c.Turn}.Of(m))
	for _, x := range choices {
		if !x.Machine.InService {
			continue
		}
		f := x.Machine.Volume.FitIn(hull, c.HeightMM)
		if w.ScaleToFit = max(w.ScaleToFit, f.Scale); f.Fits {
			w.Fits++
		}
	}
	return w
}

// shadowOf is the hull of a mesh of mm from above.
func shadowOf(m *mesh.Mesh) polygon.Path {
	points := make([]polygon.Point, len(m.Vertices))
	for i, p := range m.Vertices {
		points[i] = polygon.At(p.X, p.Y)
	}
	return polygon.Hull(points)
}

// choose takes the best orientation that fits on a machine; where none does, the one that would fit
// largest. As it came is left where turning is hardly better.
func (o *Orientation) choose() {
	if len(o.Ways) == 0 {
		return
	}
	best := &o.Ways[0]
	for i := range o.Ways[1:] {
		if w := &o.Ways[1+i]; best.Fits == 0 && (w.Fits > 0 || w.ScaleToFit > 1.001*best.ScaleToFit) {
			best = w
		}
	}
	came := slices.IndexFunc(o.Ways, func(w Way) bool { return w.Turn == orient.AsItCame })
	if came >= 0 {
		c := &o.Ways[came]
		fits := min(c.Fits, 1) >= min(best.Fits, 1) && c.ScaleToFit*1.001 >= best.ScaleToFit
		if fits && c.Cents-best.Cents < max(worthCents, worthShare*c.Cents) {
			return
		}
	}
	if best.Turn == orient.AsItCame {
		return
	}
	o.Stand = orient.Stand{Turn: best.Turn}.Plain()
	o.Why = best.Reason
	if came >= 0 {
		c := &o.Ways[came]
		switch {
		case c.Fits == 0 && best.Fits > 0:
			o.Why = problem.Say("turned to fit", best.Reason)
		case c.SupportMM3 > best.SupportMM3+1:
			o.Why = problem.Say("turned for less support", best.Reason, problem.Fixed(c.SupportMM3/1000, 1))
		}
	}
}

// wasTried is the machine, the first that is estimated, on which a model that was turned is tried as it came
// too, to tell what was won; -1 where it was not turned, or fits nowhere as it came.
func (v *Verdict) wasTried(choices []Choice) int {
	o := v.Orientation
	came := slices.IndexFunc(o.Ways, func(w Way) bool { return w.Turn == orient.AsItCame })
	if o.Fixed || o.Why.Code == "" || came < 0 || o.Ways[came].Fits == 0 {
		return -1
	}
	for k := range choices {
		if choices[k].estimated(&v.Machines[k]) {
			return k
		}
	}
	return -1
}

// asItCame tries a model as it came on one of the machines; nil where it does not go on that.
func asItCame(ctx context.Context, sized *mesh.Mesh, topo *mesh.Topology, choices []Choice, k int) (*Tried, error) {
	if k < 0 {
		return nil, nil
	}
	trial := Trial{sized, orient.Stand{}.Plain(), topo}
	rows, err := trial.On(ctx, orient.AsItCame, 0, choices[k:k+1])
	if err != nil || rows[0].Quick == nil {
		return nil, err
	}
	return &Tried{orient.AsItCame, k, rows[0]}, nil
}
