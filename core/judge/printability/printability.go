// Package printability turns measurements into findings: what was noticed, how
// bad it is, the value and its limit, and what to do.
package printability

import (
	"fmt"
	"math"
	"strings"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/units"
)

// Grade says how much a finding matters.
type Grade string

// From worst to least.
const (
	StopsIt      Grade = "stops it"
	Decide       Grade = "decide"
	WorthKnowing Grade = "worth knowing"
)

// Finding is one thing a check noticed.
type Finding struct {
	Check string  `json:"check" doc:"Which check noticed it"`
	Grade Grade   `json:"grade" enum:"stops it,decide,worth knowing"`
	Value float64 `json:"value"`
	Limit float64 `json:"limit"`
	Unit  string  `json:"unit"`
	Text  string  `json:"text" doc:"What it is and what to do, in plain words"`
	// Places are points on the model, mm, worst first; at most maxPlaces.
	Places [][3]float64 `json:"places,omitempty"`
	// Mend are the repair steps that would mend it; none if only its maker can.
	Mend []mesh.Step `json:"mend,omitempty"`
}

// Evidence is what a finding is drawn with: lines and faces of the surface, in
// mm; at most maxLines and maxFaces of them.
type Evidence struct {
	Check string       `json:"check"`
	Lines [][6]float32 `json:"lines,omitempty"`
	Faces [][9]float32 `json:"faces,omitempty"`
}

const (
	maxPlaces = 20
	maxLines  = 3000
	maxFaces  = 1500
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

var names = map[units.Length]string{units.Inch: "inches", units.Centimetre: "centimetres", units.Metre: "metres", units.Micrometre: "micrometres"}

// Size judges the size of a model in a format without a unit, read as mm, and
// proposes another unit where that would make more sense. fits tells on how many
// of the house's machines the model would go at a scale.
//
// The proposals say the same for a button: none if the size looks meant.
func Size(box mesh.Box, stated units.Length, fits func(scale float64) int) ([]Finding, []UnitProposal) {
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
	var could []string
	var proposals []UnitProposal
	for _, u := range try {
		if to := longest * u.MM(); to >= smallMM {
			n := fits(u.MM())
			could = append(could, fmt.Sprintf("in %s it would be %.4g mm and go on %d machines", names[u], to, n))
			proposals = append(proposals, UnitProposal{Unit: u, LongestMM: to, Machines: n,
				Reason: fmt.Sprintf("%.3g mm long as millimetres, %.4g mm as %s; fits %d machines", longest, to, names[u], n)})
		}
	}
	return []Finding{{Check: "unit", Grade: Decide, Value: longest, Limit: limit, Unit: "mm", Text: fmt.Sprintf(
		"The longest side is %.3g mm if the file is in millimetres; %s. Ask which it is, or take one.", longest, strings.Join(could, "; "))}}, proposals
}

// Fits tells what the machines say: on none, or only at a smaller scale.
func Fits(machines, fitting int, scale float64) []Finding {
	if fitting > 0 || machines == 0 {
		return nil
	}
	return []Finding{{Check: "fit", Grade: StopsIt, Value: 100 * scale, Limit: 100, Unit: "%", Text: fmt.Sprintf(
		"It fits no machine as it stands. At %.3g %% of its size it would fit the largest. Ask whether it may be scaled, cut or stood up otherwise.",
		math.Floor(1000*scale)/10)}}
}

// Flat warns of long thin plates, which warp and are cut from sheet more cheaply
// (common practice, no source): longest side over limit times the thickness.
func Flat(box mesh.Box) []Finding {
	s := box.Size()
	long, thin := math.Max(s.X, s.Y), s.Z
	const limit = 60
	if thin <= 0 || thin > 4 || long/thin < limit {
		return nil
	}
	return []Finding{{Check: "long and flat", Grade: WorthKnowing, Value: long / thin, Limit: limit, Unit: "× its thickness", Text: fmt.Sprintf(
		"%.0f mm long and %.1f mm thick: the ends may lift. Use a brim, or cut it from sheet instead.", long, thin)}}
}

// Lost is what a recipe's line is too wide for, on a machine.
type Lost struct {
	Machine           string
	HeightMM, AreaMM2 float64 // of layers with such a place, and of all such places of a layer at the most
	LeastMM           float64 // what its line takes
	All               bool    // nothing is left
	Places            [][3]float64
}

// TooThin tells what would not be there; tried is on how many machines it was looked
// for.
func TooThin(lost []Lost, tried int) []Finding {
	if len(lost) == 0 {
		return nil
	}
	worst, all, on := lost[0], len(lost) == tried, make([]string, len(lost))
	for k, l := range lost {
		on[k] = l.Machine
		all = all && l.All
		if l.HeightMM > worst.HeightMM {
			worst = l
		}
	}
	f := Finding{Check: "too thin", Grade: Decide, Value: worst.HeightMM, Limit: worst.LeastMM, Unit: "mm", Places: worst.Places[:min(len(worst.Places), maxPlaces)]}
	if all {
		f.Grade = StopsIt
		for _, l := range lost {
			worst.LeastMM = math.Min(worst.LeastMM, l.LeastMM)
		}
		f.Text = fmt.Sprintf("It is nowhere %.2f mm thick, the least that a line takes: nothing of it can be laid on %s. Thicken it, or use a finer nozzle and line.", worst.LeastMM, strings.Join(on, ", "))
		return []Finding{f}
	}
	f.Text = fmt.Sprintf("Up to %.2f mm of its height have places thinner than %.2f mm, the least that a line takes (up to %.2f mm²): they would not be there on %s. Thicken them, or use a finer nozzle and line.",
		worst.HeightMM, worst.LeastMM, worst.AreaMM2, strings.Join(on, ", "))
	return []Finding{f}
}

// Rounded tells of corners so sharp that a line does not go into them; deg is the
// sharpest, heightMM how much of the height has any, lineMM the widest line that was tried.
func Rounded(deg, heightMM, lineMM float64, at [3]float64) Finding {
	short := ShortMM(deg, lineMM)
	return Finding{Check: "sharp corners", Grade: WorthKnowing, Value: short, Unit: "mm", Places: [][3]float64{at}, Text: fmt.Sprintf(
		"Corners as sharp as %.0f° over %.1f mm of its height: a line of %.2f mm rounds them off, by up to %.1f mm. Blunt them where that matters, or use a finer nozzle and line.", deg, heightMM, lineMM, short)}
}

// ShortMM is how far from the tip of a corner a line that goes round it ends, mm.
func ShortMM(deg, lineMM float64) float64 {
	return lineMM / 2 * (1/math.Sin(deg*math.Pi/360) - 1)
}

// Worst is the finding that matters most; false if there is none.
func Worst(f []Finding) (Finding, bool) {
	for _, g := range []Grade{StopsIt, Decide, WorthKnowing} {
		for _, x := range f {
			if x.Grade == g {
				return x, true
			}
		}
	}
	return Finding{}, false
}

// Stopping are the findings that stop a job.
func Stopping(all []Finding) []Finding {
	var out []Finding
	for _, f := range all {
		if f.Grade == StopsIt {
			out = append(out, f)
		}
	}
	return out
}
