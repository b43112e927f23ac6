package printability

import (
	"math"
	"slices"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/thickness"
)

// Standing is how a part stands on a plate, and what recipes would do for it.
type Standing struct {
	OverhangMM2 float64 // faces that lean out further than LeanDeg from upright
	SupportMM3  float64 // room under them
	LeanDeg     float64
	ContactMM2  float64 // what lies on the plate
	TipDeg      float64 // how far it may be tilted before it falls; 0: it does not stand
	SizeMM      [3]float64
	Unheld      []string // machines whose recipes lay no support for it
	BridgedMM2  float64  // of what leans out, what lines bridge by themselves; asked of where some lay none
	Rimmed      bool     // all recipes lay a brim or a raft
}

// Limits of how a part stands (common practice, no source): what support is worth a word, how far a part
// should be from tipping over, how little holds it down.
const (
	SupportMM3   = 50
	fallsDeg     = 3
	TipsDeg      = 6 // of a post ten times as high as wide
	ContactMM2   = 25
	lowMM        = 5 // what is no higher is not pulled off
	WarpMM       = 0.8
	NeckShare    = 0.1
	NeckMM2      = 80 // what is thicker than 10 mm across is strong enough
	warpsOnShare = 0.25
	BridgeMM     = 10
	longBridgeMM = 30
	bridgedShare = 0.1 // so much may lie beside what is bridged
	RodMM        = 3
	RodSlender   = 6
	rodMM2       = 2
)

// Stands tells of support, tipping over and too little on the plate.
func Stands(s Standing) (out []finding.Finding) {
	if s.SupportMM3 > SupportMM3 {
		f := finding.Finding{Check: "overhangs", Grade: finding.WorthKnowing, Value: s.SupportMM3 / 1000, Limit: SupportMM3 / 1000., Unit: "cm³"}
		of := []any{problem.Fixed(s.OverhangMM2/100, 1), problem.Fixed(s.LeanDeg, 0), problem.Fixed(s.SupportMM3/1000, 1)}
		switch {
		case len(s.Unheld) > 0 && s.OverhangMM2-s.BridgedMM2 < bridgedShare*s.OverhangMM2:
			out = append(out, f.That("overhangs, bridged", of[0], strings.Join(s.Unheld, ", ")))
		case len(s.Unheld) > 0:
			f.Grade = finding.Decide
			out = append(out, f.That("overhangs without support", append(of, strings.Join(s.Unheld, ", "))...))
		default:
			out = append(out, f.That("overhangs", of...))
		}
	}
	tips := finding.Finding{Check: "tips over", Grade: finding.Decide, Value: s.TipDeg, Limit: TipsDeg, Unit: "°"}
	switch {
	case s.SizeMM[2] <= lowMM:
	case s.TipDeg <= 0:
		out = append(out, tips.That("does not stand"))
	case s.TipDeg < TipsDeg:
		if s.TipDeg >= fallsDeg {
			tips.Grade = finding.WorthKnowing
		}
		out = append(out, tips.That("tips over", problem.Fixed(s.SizeMM[2], 0), problem.Fixed(s.TipDeg, 1)))
	}
	if s.ContactMM2 < ContactMM2 && s.SizeMM[2] > lowMM && !s.Rimmed {
		out = append(out, finding.Finding{Check: "little on the plate", Grade: finding.WorthKnowing, Value: s.ContactMM2, Limit: ContactMM2, Unit: "mm²"}.
			That("little on the plate", problem.Fixed(s.ContactMM2, 0)))
	}
	return out
}

// Bridge is a stretch of a layer that lies over nothing, from wall to wall.
type Bridge struct {
	SpanMM, HeightMM float64 // over the plate
	AtMM             [3]float64
}

// Bridges tells of lines that span more than they can without support; unheld are the machines whose recipes lay none.
// The longest comes first.
func Bridges(all []Bridge, unheld []string) []finding.Finding {
	if len(all) == 0 || all[0].SpanMM <= BridgeMM || len(unheld) == 0 {
		return nil
	}
	f := finding.Finding{Check: "long bridge", Grade: finding.WorthKnowing, Value: all[0].SpanMM, Limit: BridgeMM, Unit: "mm"}
	if all[0].SpanMM > longBridgeMM {
		f.Grade = finding.Decide
	}
	for _, b := range all {
		if b.SpanMM > BridgeMM && len(f.Places) < finding.MaxPlaces {
			f.Places = append(f.Places, b.AtMM)
		}
	}
	return []finding.Finding{f.That("long bridge", problem.Fixed(all[0].HeightMM, 1), problem.Fixed(all[0].SpanMM, 1), strings.Join(unheld, ", "), problem.Fixed(BridgeMM, 0))}
}

// Gap is a slot in a layer.
type Gap struct {
	WidthMM float64
	AtMM    [3]float64
}

// Gaps tells of slots narrower than the lines of machines, the narrowest first; limits are their lines. Some may do better.
func Gaps(all []Gap, limits []Limit) []finding.Finding {
	var on, better []string
	most := 0.0
	for _, l := range limits {
		if slices.ContainsFunc(all, func(g Gap) bool { return g.WidthMM < l.MM-gapUnsureMM }) {
			on, most = append(on, l.Machine), math.Max(most, l.MM)
		} else {
			better = append(better, l.Machine)
		}
	}
	if len(on) == 0 {
		return nil
	}
	f := finding.Finding{Check: "narrow gap", Grade: finding.WorthKnowing, Value: all[0].WidthMM, Limit: most, Unit: "mm"}
	for _, g := range all {
		if g.WidthMM < most-gapUnsureMM && len(f.Places) < finding.MaxPlaces {
			f.Places = append(f.Places, g.AtMM)
		}
	}
	return []finding.Finding{f.That("narrow gap", problem.Fixed(all[0].WidthMM, 2), problem.Fixed(most, 2), strings.Join(on, ", "), elsewhere(better))}
}

// gapUnsureMM is how exactly a gap's width is known.
const gapUnsureMM = 0.01

func elsewhere(better []string) problem.Phrase {
	if len(better) == 0 {
		return problem.Say("nowhere else")
	}
	return problem.Say("elsewhere", strings.Join(better, ", "))
}

// Rods tells of what is long and thin and stands on support, the longest first: it breaks off with that.
func Rods(all []thickness.Rod) []finding.Finding {
	area := 0.0
	for _, r := range all {
		area += r.AreaMM2
	}
	if area <= rodMM2 {
		return nil
	}
	f := finding.Finding{Check: "thin on support", Grade: finding.WorthKnowing, Value: all[0].ThickMM, Limit: RodMM, Unit: "mm"}
	for _, r := range all[:min(len(all), finding.MaxPlaces)] {
		f.Places = append(f.Places, r.AtMM)
	}
	return []finding.Finding{f.That("thin on support", problem.Fixed(all[0].LongMM, 0), problem.Fixed(all[0].ThickMM, 1))}
}

// Limit is the least thickness that a machine brings out.
type Limit struct {
	Machine string
	MM      float64 // 0: a line is thick enough
}

// thinOnMM2 is how much of a surface has to be over something thin (a choice of ours: less is a nick).
const thinOnMM2 = 2

// Thin tells of walls, through their thickness, that are thinner than what machines bring out; among is all that is
// thinner than the largest limit, the thinnest first. Some machines may do better.
func Thin(among []thickness.Thin, limits []Limit) []finding.Finding {
	var on, better []string
	most := 0.0
	for _, l := range limits {
		area := 0.0
		for _, x := range among {
			if x.MM < l.MM {
				area += x.AreaMM2
			}
		}
		if area > thinOnMM2 {
			on, most = append(on, l.Machine), math.Max(most, l.MM)
		} else {
			better = append(better, l.Machine)
		}
	}
	if len(on) == 0 {
		return nil
	}
	f := finding.Finding{Check: "thin wall", Grade: finding.Decide, Value: among[0].MM, Limit: most, Unit: "mm"}
	for _, x := range among[:min(len(among), finding.MaxPlaces)] {
		f.Places = append(f.Places, x.AtMM)
	}
	if len(better) > 0 {
		f.Grade = finding.WorthKnowing
	}
	return []finding.Finding{f.That("thin wall", problem.Fixed(among[0].MM, 2), problem.Fixed(most, 2), strings.Join(on, ", "), elsewhere(better))}
}

// Flow is what a recipe asks of a nozzle.
type Flow struct {
	Machine      string
	AsksMM3PerS  float64 // its line × its layer × its fastest speed, per second
	MeltsMM3PerS float64 // 0: nobody knows
	NozzleC      float64
	FastMMPerS   float64
}

// Melts tells of recipes that lay faster than a nozzle melts.
func Melts(all []Flow) []finding.Finding {
	worst := Flow{}
	var on []string
	for _, f := range all {
		if f.MeltsMM3PerS > 0 && f.AsksMM3PerS > f.MeltsMM3PerS {
			on = append(on, f.Machine)
			if worst.MeltsMM3PerS == 0 || f.AsksMM3PerS/f.MeltsMM3PerS > worst.AsksMM3PerS/worst.MeltsMM3PerS {
				worst = f
			}
		}
	}
	if len(on) == 0 {
		return nil
	}
	return []finding.Finding{finding.Finding{Check: "faster than it melts", Grade: finding.WorthKnowing, Value: worst.AsksMM3PerS, Limit: worst.MeltsMM3PerS, Unit: "mm³/s"}.
		That("faster than it melts", problem.Fixed(worst.AsksMM3PerS, 1), problem.Fixed(worst.MeltsMM3PerS, 1), problem.Fixed(worst.NozzleC, 0),
			problem.Fixed(math.Floor(worst.FastMMPerS*worst.MeltsMM3PerS/worst.AsksMM3PerS), 0), strings.Join(on, ", "))}
}

// Island is a place that begins in mid-air.
type Island struct {
	AtMM     [3]float64
	HeightMM float64 // over the plate
}

// Islands tells of what begins with nothing below; unheld are the machines whose recipes lay no support.
func Islands(all []Island, unheld []string) []finding.Finding {
	if len(all) == 0 {
		return nil
	}
	lowest := math.Inf(1)
	f := finding.Finding{Check: "begins in mid-air", Grade: finding.WorthKnowing, Value: float64(len(all)), Unit: "places"}
	for _, i := range all {
		lowest = math.Min(lowest, i.HeightMM)
		if len(f.Places) < finding.MaxPlaces {
			f.Places = append(f.Places, i.AtMM)
		}
	}
	if len(unheld) > 0 {
		f.Grade = finding.Decide
		return []finding.Finding{f.That("begins in mid-air, without support", len(all), problem.Fixed(lowest, 1), strings.Join(unheld, ", "))}
	}
	return []finding.Finding{f.That("begins in mid-air", len(all), problem.Fixed(lowest, 1))}
}

// Neck is the layer over which a part is weakest, between two that are thicker.
type Neck struct {
	AreaMM2  float64
	Share    float64 // of the thinner of the thickest layers below and above
	HeightMM float64 // over the plate
	AtMM     [3]float64
}

// Weak tells of a neck; strong says that the part has to be strong.
func Weak(n Neck, strong bool) []finding.Finding {
	if !(n.Share < NeckShare && n.AreaMM2 < NeckMM2) {
		return nil
	}
	f := finding.Finding{Check: "weak neck", Grade: finding.WorthKnowing, Value: 100 * n.Share, Limit: 100 * NeckShare, Unit: "%", Places: [][3]float64{n.AtMM}}
	if strong {
		f.Grade = finding.Decide
	}
	return []finding.Finding{f.That("weak neck", problem.Fixed(n.HeightMM, 1), problem.Fixed(n.AreaMM2, 1), problem.Fixed(100*n.Share, 0))}
}

// NeckOf finds it: areas are those of layers from below, whose middles are at heights.
func NeckOf(areasMM2, heightsMM []float64) Neck {
	above := make([]float64, len(areasMM2)+1)
	for k := len(areasMM2) - 1; k >= 0; k-- {
		above[k] = math.Max(above[k+1], areasMM2[k])
	}
	out, below, at := Neck{Share: 1}, 0.0, 0
	for k, a := range areasMM2 {
		if between := math.Min(below, above[k+1]); between > 0 && a/between < out.Share {
			out, at = Neck{AreaMM2: a, Share: a / between}, k
		}
		below = math.Max(below, a)
	}
	if len(areasMM2) > 0 { // in the middle of what is as thin
		from, to := at, at
		for from > 0 && areasMM2[from-1] < 1.01*areasMM2[at] {
			from--
		}
		for to+1 < len(areasMM2) && areasMM2[to+1] < 1.01*areasMM2[at] {
			to++
		}
		out.HeightMM = heightsMM[(from+to)/2]
	}
	return out
}

// Warps is what a machine's material does to a part that lies long on its plate.
type Warps struct {
	Machine, Material string
	ShrinkPercent     float64
}

// Warp tells of ends that pull up: how far a side shrinks on cooling, by material; contactMM2 is what lies on
// the plate.
func Warp(s *Standing, on []Warps) []finding.Finding {
	long := math.Max(s.SizeMM[0], s.SizeMM[1])
	if s.ContactMM2 < warpsOnShare*s.SizeMM[0]*s.SizeMM[1] || s.Rimmed {
		return nil
	}
	worst, names := 0.0, []string{}
	var of Warps
	for _, w := range on {
		if by := long * w.ShrinkPercent / 100; by >= WarpMM {
			names = append(names, w.Machine)
			if by > worst {
				worst, of = by, w
			}
		}
	}
	if worst == 0 {
		return nil
	}
	return []finding.Finding{finding.Finding{Check: "pulls up", Grade: finding.WorthKnowing, Value: worst, Limit: WarpMM, Unit: "mm"}.
		That("pulls up", problem.Fixed(long, 0), of.Material, problem.Fixed(of.ShrinkPercent, 1), problem.Fixed(worst, 1), strings.Join(names, ", "))}
}
