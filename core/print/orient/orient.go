package orient

import (
	"cmp"
	"context"
	"math"
	"slices"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/problem"
)

// Rates are what a house asks for, in cents, and what the purpose weighs.
type Rates struct {
	SupportPerCM3  float64 // of support as it is laid
	MachinePerHour float64
	HandPerMinute  float64 // of somebody who takes support off
	// What the purpose weighs: for a load across the layers, of all that the part takes; and for each
	// cm² on which support stood or that shows steps.
	AcrossLoad, SpoiltPerCM2 float64
}

// CommonRates are those of a house that has said nothing: least support and time decide. Common
// practice, no source.
var CommonRates = Rates{SupportPerCM3: 3, MachinePerHour: 120, HandPerMinute: 30, SpoiltPerCM2: 1}

// PulledCents is what it costs to build a part so that its load pulls the layers straight apart,
// where somebody said along which way it is pulled (a choice of ours).
const PulledCents = 100

// Ask is what is looked for.
type Ask struct {
	OverhangDeg float64    // from vertical; the recipe's
	By          Laying     // zero: CommonLaying
	Load        *mesh.Vec3 // where a load pulls, in the model's coordinates; nil: nowhere
	Rates       Rates
	Most        int // how many are kept; 0: six
}

// Candidate is an orientation with what speaks for it.
type Candidate struct {
	Turn Quat
	Measures
	// Why it was looked at.
	Why   problem.Phrase
	Cents float64 // what support, height and spoilt faces come to, to compare it by
}

// Common practice, no source, but for what is fitted: how fast support is laid, how long a layer takes beside its lines, and how fast hands take support off.
const (
	supportMM3PerS    = 5.0
	besidesS          = 2.0
	handsMinutes      = 0.5
	handsMM2PerMinute = 400.0
	failsDeg, brimDeg = 5.0, 12.0 // how little it may be tilted to come off, or to need holding down
	brimMinutes       = 5.0       // to take off what holds it down
	failsMinutes      = 20.0      // to begin again
	mostFlats         = 40
	looked            = 64   // directions of the sphere that are looked at
	refined           = 3    // of them, that are looked about
	aboutDeg          = 12.0 // how far at first
	sameDeg           = 2.0
	coarsely          = 3 // at first, with cells so many times as wide
	surelyFine        = 3 // flats that are measured finely in any case
	roughTriangles    = 4000
)

const restsOnAFlat = "rests on a flat"

// coarser is a mesh of about roughTriangles at most, its vertices gathered in cells (Rossignac & Borrel
// 1993); the mesh itself where it has no more. Triangles that fall on each other back to back go.
func coarser(m *mesh.Mesh) *mesh.Mesh {
	if len(m.Triangles) <= roughTriangles {
		return m
	}
	box := m.Bounds()
	size := box.Size()
	// A closed surface passes about twice as many cells as its box has on its sides.
	cell := math.Sqrt(2 * 2 * (size.X*size.Y + size.Y*size.Z + size.Z*size.X) / roughTriangles)
	if !(cell > 0) {
		return m
	}
	type key [3]int32
	of := make(map[key]uint32)
	into := make([]uint32, len(m.Vertices))
	var sums []mesh.Vec3
	var many []float64
	for i, v := range m.Vertices {
		p := v.Sub(box.Min).Scale(1 / cell)
		k := key{int32(p.X), int32(p.Y), int32(p.Z)}
		n, ok := of[k]
		if !ok {
			n = uint32(len(sums))
			of[k], sums, many = n, append(sums, mesh.Vec3{}), append(many, 0)
		}
		into[i] = n
		sums[n] = sums[n].Add(v)
		many[n]++
	}
	out := &mesh.Mesh{Vertices: sums}
	for i := range sums {
		sums[i] = sums[i].Scale(1 / many[i])
	}
	seen := make(map[[3]uint32]int)
	for _, t := range m.Triangles {
		t = [3]uint32{into[t[0]], into[t[1]], into[t[2]]}
		if t[0] == t[1] || t[1] == t[2] || t[2] == t[0] {
			continue
		}
		for t[0] > t[1] || t[0] > t[2] { // the least first, the same way round
			t = [3]uint32{t[1], t[2], t[0]}
		}
		if back := ([3]uint32{t[0], t[2], t[1]}); seen[back] > 0 {
			seen[back]--
		} else {
			seen[t]++
		}
	}
	for t, n := range seen {
		for range n {
			out.Triangles = append(out.Triangles, t)
		}
	}
	slices.SortFunc(out.Triangles, func(a, b [3]uint32) int { return slices.Compare(a[:], b[:]) })
	return out
}

// Laying is how a recipe lays support: lines so wide in layers so high, so much of the room filled, and
// so much of solid under what it carries.
type Laying struct{ LineMM, LayerMM, Share, InterfaceMM float64 }

// CommonLaying is where no recipe says (common practice, no source).
var CommonLaying = Laying{LineMM: 0.45, LayerMM: 0.2, Share: 0.15, InterfaceMM: 0.3}

// LayingOf is how a recipe lays support.
func LayingOf(r *recipe.Recipe) Laying {
	full := r.WithDefaults()
	return Laying{full.LineMM, full.LayerMM, full.SupportPercent / 100, float64(*full.SupportInterface) * full.LayerMM * full.SupportInterfacePercent / 100}
}

// Factors are how much of its share of the room under overhangs support fills, and how much more is laid
// under what it carries (of solid so high) and along its upright sides, where lines turn (of a line's
// width); less over what it stands on, where a gap is left.
type Factors struct{ Room, Carried, Stands, Sides float64 }

// Terms are what the factors stand by, mm³.
func Terms(m *Measures, by Laying) [4]float64 {
	return [4]float64{by.Share * m.SupportMM3, by.InterfaceMM * m.OverhangMM2, by.LineMM * m.TouchedMM2, by.LineMM * m.SidesMM2}
}

// LaidMM3 is about how much support is laid by some factors.
func (f Factors) LaidMM3(m *Measures, by Laying) float64 {
	if m.SupportMM3 <= 1 {
		return 0
	}
	of := Terms(m, by)
	return max(0, f.Room*of[0]+f.Carried*of[1]+f.Stands*of[2]+f.Sides*of[3])
}

// LaidMM3 is about how much support is laid: `make fit` tells how far it is off.
func (m *Measures) LaidMM3(by Laying) float64 { return Fitted.LaidMM3(m, by) }

// cents weighs measures: filament and machine time of support, machine time of layers, hands, faces
// that are spoilt, and a load across the layers.
func (a *Ask) cents(m *Measures) float64 {
	by := cmp.Or(a.By, CommonLaying)
	laid := m.LaidMM3(by)
	hours := (laid/supportMM3PerS + besidesS*m.HeightMM/by.LayerMM) / 3600
	out := a.Rates.SupportPerCM3*laid/1000 + a.Rates.MachinePerHour*hours
	if m.SupportMM3 > 1 {
		out += a.Rates.HandPerMinute * (handsMinutes + (m.OverhangMM2+m.TouchedMM2)/handsMM2PerMinute)
	}
	out += a.Rates.SpoiltPerCM2 * (m.OverhangMM2 + m.TouchedMM2 + m.StepsMM2) / 100
	switch { // what stands on next to nothing comes off while it is laid
	case m.TipDeg < failsDeg:
		out += failsMinutes * a.Rates.HandPerMinute
	case m.TipDeg < brimDeg:
		out += brimMinutes * a.Rates.HandPerMinute
	}
	return out + a.Rates.AcrossLoad*m.AlongLoad
}

// Outwards is a closed mesh whose faces look out: itself, or where it is inside out a twin of it, triangle by
// triangle the same.
func Outwards(m *mesh.Mesh) *mesh.Mesh { return outwards(m, m.Measure().Volume) }

func outwards(m *mesh.Mesh, volume float64) *mesh.Mesh {
	if volume >= 0 {
		return m
	}
	m = &mesh.Mesh{Vertices: m.Vertices, Triangles: slices.Clone(m.Triangles)}
	for i := range m.Triangles {
		t := &m.Triangles[i]
		t[1], t[2] = t[2], t[1]
	}
	return m
}

// Candidates proposes orientations of a mesh of mm, closed, oriented or inside out, the best first; the one in
// which it came is always among them. Directions are sampled in the body's own frame, so that a
// part turned by whoever drew it gets the same. The only error is ctx's.
func Candidates(ctx context.Context, m *mesh.Mesh, ask Ask) ([]Candidate, error) {
	type way struct {
		turn Quat
		why  problem.Phrase
	}
	ways := []way{{AsItCame, problem.Say("as it came")}}
	measured := m.Measure()
	m = outwards(m, measured.Volume)
	mid := measured.Centroid
	own := axes(m)
	for _, f := range flats(ctx, m, own) {
		if len(ways) > mostFlats {
			break
		}
		if f.stands(mid) {
			ways = append(ways, way{Upright(f.out.Scale(-1)), problem.Say(restsOnAFlat, problem.Fixed(f.areaMM2/100, 1))})
		}
	}
	for _, a := range own {
		ways = append(ways, way{Upright(a), problem.Say("along an axis")}, way{Upright(a.Scale(-1)), problem.Say("along an axis")})
	}
	// Directions are compared on a coarse twin, the best of them measured on the part.
	rough := coarser(m)
	all := make([]Candidate, len(ways))
	weigh := func(to []Candidate, of []way, coarse float64) error {
		m := m
		if coarse > 1 {
			m = rough
		}
		return par.Each(ctx, len(to), func() struct{} { return struct{}{} }, func(_ struct{}, i int) {
			// Cells lie along the body's own axes, however it was drawn.
			x, _ := beside(back(of[i].turn).Turn(mesh.Vec3{Z: 1}), own)
			c := Candidate{Turn: of[i].turn, Why: of[i].why, Measures: measure(m, alongX(of[i].turn, x), ask.OverhangDeg, ask.Load, coarse)}
			c.Cents = ask.cents(&c.Measures)
			to[i] = c
		}, nil)
	}
	if err := weigh(all, ways, coarsely); err != nil {
		return nil, err
	}
	if best(all, 1)[0].SupportMM3 > 1 { // what needs no support leans for nothing
		leaning := ways[:0:0]
		for _, d := range sphere(looked) {
			up := own[0].Scale(d.X).Add(own[1].Scale(d.Y)).Add(own[2].Scale(d.Z))
			leaning = append(leaning, way{Upright(up.Scale(1 / up.Len())), problem.Say("leaning")})
		}
		found := make([]Candidate, len(leaning))
		if err := weigh(found, leaning, coarsely); err != nil {
			return nil, err
		}
		all = append(all, found...)
	}
	for _, c := range best(all, refined) {
		if c.SupportMM3 <= 1 {
			continue
		} // the best are looked about, closer and closer
		for about := aboutDeg; about > 1; about /= 2 {
			near := make([]way, 6)
			for k := range near {
				sin, cos := math.Sincos(float64(k) * math.Pi / 3)
				up := back(c.Turn).Turn(mesh.Vec3{Z: 1})
				x, y := beside(up, own)
				tilt := x.Scale(cos).Add(y.Scale(sin)).Scale(math.Tan(about * math.Pi / 180)).Add(up)
				near[k] = way{Upright(tilt.Scale(1 / tilt.Len())), problem.Say("leaning")}
			}
			found := make([]Candidate, len(near))
			if err := weigh(found, near, coarsely); err != nil {
				return nil, err
			}
			if next := best(found, 1)[0]; next.Cents < c.Cents {
				c = next
				all = append(all, c)
			}
		}
	}
	most := ask.Most
	if most <= 0 {
		most = 6
	}
	// What is near the best is measured finely.
	flat := all[1:min(len(all), 1+surelyFine)]
	all = append([]Candidate{all[0]}, best(all, most+surelyFine)...)
	for _, c := range flat { // what a coarse twin does to thin walls may hide that it is good
		if c.Why.Code == restsOnAFlat && !slices.ContainsFunc(all, func(o Candidate) bool { return o.Turn == c.Turn }) {
			all = append(all, c)
		}
	}
	ways = ways[:0]
	for _, c := range all {
		ways = append(ways, way{c.Turn, c.Why})
	}
	if err := weigh(all, ways, 1); err != nil {
		return nil, err
	}
	out := best(all, most)
	if !slices.ContainsFunc(out, func(c Candidate) bool { return c.Turn == AsItCame }) {
		out[len(out)-1] = all[0]
	}
	return out, nil
}

// beside are two directions across an upward one, by the body's own axes.
func beside(up mesh.Vec3, own [3]mesh.Vec3) (x, y mesh.Vec3) {
	k := 0
	if math.Abs(up.Dot(own[0])) > 0.8 {
		k = 1
	}
	x = own[k].Sub(up.Scale(up.Dot(own[k])))
	x = x.Scale(1 / x.Len())
	return x, up.Cross(x)
}

// alongX is a turn and one about the vertical after it that brings a direction of the model to x.
func alongX(q Quat, x mesh.Vec3) Quat {
	v := q.Turn(x)
	sin, cos := math.Sincos(-math.Atan2(v.Y, v.X) / 2)
	return Quat{cos*q[0] - sin*q[3], cos*q[1] - sin*q[2], cos*q[2] + sin*q[1], cos*q[3] + sin*q[0]}
}

// back is the turn that undoes a turn.
func back(q Quat) Quat { return Quat{q[0], -q[1], -q[2], -q[3]} }

// best are the n that cost least, of those that are alike the first only: as it came before flats,
// flats before what leans.
func best(all []Candidate, n int) []Candidate {
	order := make([]int, len(all))
	for i := range order {
		order[i] = i
	}
	// What differs by less than half a hundredth costs the same.
	costs := func(i int) float64 { return math.Round(200 * math.Log(1e-6+all[i].Cents)) }
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(costs(a), costs(b)) })
	var out []Candidate
	for _, i := range order {
		c := all[i]
		if !slices.ContainsFunc(out, func(o Candidate) bool { return alike(&o, &c) }) {
			if out = append(out, c); len(out) == n {
				break
			}
		}
	}
	return out
}

// alike says that two stand the same way up, or that nothing tells them apart, as with what is
// symmetrical.
func alike(a, b *Candidate) bool {
	up := back(a.Turn).Turn(mesh.Vec3{Z: 1}).Dot(back(b.Turn).Turn(mesh.Vec3{Z: 1}))
	if up > math.Cos(sameDeg*math.Pi/180) {
		return true
	}
	if a.Why.Code == "leaning" && b.Why.Code == "leaning" && math.Abs(a.HeightMM-b.HeightMM) < 0.005*a.HeightMM && math.Abs(a.Cents-b.Cents) < 0.1*a.Cents {
		return true // as around an axis
	}
	near := func(x, y, least float64) bool { return math.Abs(x-y) <= 0.01*(x+y)/2+least }
	return near(a.HeightMM, b.HeightMM, 0.05) && near(a.OverhangMM2, b.OverhangMM2, 1) && near(a.SupportMM3, b.SupportMM3, 5) &&
		near(a.ContactMM2, b.ContactMM2, 1) && near(a.StepsMM2, b.StepsMM2, 1) && near(a.AlongLoad, b.AlongLoad, 0.01)
}

// Reason says why a candidate was looked at, with its figures: cm³ of room under overhangs, height
// in mm, and of a flat its cm².
func (c *Candidate) Reason() problem.Phrase {
	high := problem.Fixed(c.HeightMM, 1)
	if c.SupportMM3 < 1 {
		return problem.Phrase{Code: c.Why.Code + ", no support", Params: append([]any{high}, c.Why.Params...)}
	}
	return problem.Phrase{Code: c.Why.Code, Params: append([]any{problem.Fixed(c.SupportMM3/1000, 1), high}, c.Why.Params...)}
}
