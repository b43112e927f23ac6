// Package printability turns measurements into findings: what was noticed, how
// bad it is, the value and its limit, and what to do.
package printability

import (
	"fmt"
	"math"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// Sizes between which a model is likely to be what its maker meant, in mm: most
// things handed in at a print service are a hand's size (common practice, no
// source).
const (
	smallMM = 6
	largeMM = 1000
)

// UnitProposal is a unit that would make sense of a model's size.
type UnitProposal struct {
	Unit      units.Length `json:"unit"`
	LongestMM float64      `json:"longest_mm" doc:"The longest side in that unit, mm"`
	Machines  int          `json:"machines" doc:"On how many machines in service it would go"`
	Reason    string       `json:"reason"`
}

// Size judges the size of a model in a format without a unit, read as mm, and
// proposes another unit where that would make more sense. fits tells on how many
// of the house's machines the model would go at a scale.
//
// The proposals say the same for a button: none if the size looks meant.
func Size(box mesh.Box, stated units.Length, fits func(scale float64) int) ([]finding.Finding, []UnitProposal) {
	if stated != "" {
		return nil, nil
	}
	s := box.Size()
	longest := math.Max(s.X, math.Max(s.Y, s.Z))
	var try []units.Length
	switch {
	case longest < smallMM:
		try = []units.Length{units.Inch, units.Centimetre, units.Metre}
	case longest > largeMM:
		try = []units.Length{units.Micrometre}
	default:
		return nil, nil
	}
	limit := float64(smallMM)
	if longest > largeMM {
		limit = largeMM
	}
	var could []problem.Phrase
	var proposals []UnitProposal
	for _, u := range try {
		if to := longest * u.MM(); to >= smallMM {
			n := fits(u.MM())
			if could = append(could, problem.Say("unit, another", problem.Say("unit of "+u.Name()), problem.Digits(to, 4), n)); n == 0 {
				could[len(could)-1] = problem.Say("unit, too large", problem.Say("unit of "+u.Name()), problem.Digits(to, 4))
			}
			proposals = append(proposals, UnitProposal{Unit: u, LongestMM: to, Machines: n,
				Reason: fmt.Sprintf("%.3g mm long as millimetres, %.4g mm as %s; fits %d machines", longest, to, u.Name(), n)})
		}
	}
	f := finding.Finding{Check: "unit", Grade: finding.Decide, Value: longest, Limit: limit, Unit: "mm"}
	if len(could) == 0 {
		return []finding.Finding{f.That("no unit", problem.Digits(longest, 3))}, nil
	}
	return []finding.Finding{f.That("unit", problem.Digits(longest, 3), could)}, proposals
}

// Fits tells what the machines say: on none, or only at a smaller scale.
func Fits(machines, fitting int, scale float64) []finding.Finding {
	if fitting > 0 || machines == 0 {
		return nil
	}
	return []finding.Finding{
		finding.Finding{Check: "fit", Grade: finding.StopsIt, Value: 100 * scale, Limit: 100, Unit: "%"}.That("fit", problem.Digits(math.Floor(1000*scale)/10, 3)),
	}
}

// Resized tells that a model is not as large as it came; scale is along its own axes.
func Resized(scale [3]float64, mirrored bool) finding.Finding {
	f := finding.Finding{Check: "another size", Grade: finding.WorthKnowing, Value: 100 * scale[0], Limit: 100, Unit: "%"}
	percent := func(k int) any { return problem.Fixed(100*scale[k], 1) }
	switch {
	case scale == [3]float64{1, 1, 1}:
		return f.That("mirrored part")
	case scale[0] == scale[1] && scale[1] == scale[2] && mirrored:
		return f.That("another size, mirrored", percent(0))
	case scale[0] == scale[1] && scale[1] == scale[2]:
		return f.That("another size", percent(0))
	}
	return f.That("another size, by axis", percent(0), percent(1), percent(2))
}

// Flat warns of long thin plates, which warp and are cut from sheet more cheaply
// (common practice, no source): longest side over limit times the thickness.
func Flat(box mesh.Box) []finding.Finding {
	s := box.Size()
	long, thin := math.Max(s.X, s.Y), s.Z
	const limit = 60
	if thin <= 0 || thin > 4 || long/thin < limit {
		return nil
	}
	return []finding.Finding{finding.Finding{Check: "long and flat", Grade: finding.WorthKnowing, Value: long / thin, Limit: limit, Unit: "× its thickness"}.
		That("long and flat", problem.Fixed(long, 0), problem.Fixed(thin, 1))}
}

// Lost is what a recipe's line is too wide for, on a machine.
type Lost struct {
	Machine           string
	HeightMM, AreaMM2 float64 // of layers with such a place, and of all such places of a layer at the most
	LeastMM           float64 // what its line takes
	All               bool    // nothing is left
	Places            [][3]float64
}

// A tip that is lost is to be known and not to be decided: no more than this of it (common practice, no source).
const (
	tipMM  = 2
	tipMM2 = 1
)

// TooThin tells what would not be there; tried is on how many machines it was looked
// for.
func TooThin(lost []Lost, tried int) []finding.Finding {
	if len(lost) == 0 {
		return nil
	}
	worst, all, on := lost[0], len(lost) == tried, make([]string, len(lost))
	most := 0.0
	for k, l := range lost {
		most = math.Max(most, l.AreaMM2)
		on[k] = l.Machine
		all = all && l.All
		if l.HeightMM > worst.HeightMM {
			worst = l
		}
	}
	f := finding.Finding{
		Check:  "too thin",
		Grade:  finding.Decide,
		Value:  worst.HeightMM,
		Limit:  worst.LeastMM,
		Unit:   "mm",
		Places: worst.Places[:min(len(worst.Places), finding.MaxPlaces)],
	}
	if worst.HeightMM < tipMM && most < tipMM2 {
		f.Grade = finding.WorthKnowing
	}
	if all {
		f.Grade = finding.StopsIt
		for _, l := range lost {
			worst.LeastMM = math.Min(worst.LeastMM, l.LeastMM)
		}
		return []finding.Finding{f.That("too thin, all", problem.Fixed(worst.LeastMM, 2), strings.Join(on, ", "))}
	}
	return []finding.Finding{f.That("too thin", problem.Fixed(worst.HeightMM, 2), problem.Fixed(worst.LeastMM, 2), problem.Fixed(worst.AreaMM2, 2), strings.Join(on, ", "))}
}

// Rounded tells of corners so sharp that a line does not go into them; deg is the
// sharpest, heightMM how much of the height has any, lineMM the widest line that was tried, and shortMM how far short of
// them it ends.
func Rounded(deg, heightMM, lineMM, shortMM float64, at [3]float64) finding.Finding {
	return finding.Finding{Check: "sharp corners", Grade: finding.WorthKnowing, Value: shortMM, Unit: "mm", Places: [][3]float64{at}}.
		That("sharp corners", problem.Fixed(deg, 0), problem.Fixed(heightMM, 1), problem.Fixed(lineMM, 2), problem.Fixed(shortMM, 1))
}

// ShortMM is how far from the tip of a corner a line that goes round it ends, mm.
func ShortMM(deg, lineMM float64) float64 {
	return lineMM / 2 * (1/math.Sin(deg*math.Pi/360) - 1)
}
