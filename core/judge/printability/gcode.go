package printability

import (
	"fmt"
	"math"
	"strings"

	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
)

// Target is a machine that a foreign program might run on, with the house's
// recipe there and what its nozzles are loaded with; both may be nil.
type Target struct {
	Machine *machine.Machine
	Recipe  *recipe.Recipe
	Spools  machine.Spools
}

// FitProgram says by how much a program leaves a machine's volume, in X, Y, Z.
// Rectangular plates have their origin at a corner, round ones in the middle
// (common practice, no source).
func FitProgram(s *gcode.Summary, v machine.Volume) [3]float64 {
	over := func(x float64) float64 {
		if x < 0.001 {
			return 0
		}
		return x
	}
	z := over(s.Max.Z - v.ZMM)
	if v.Shape == machine.Round {
		r := over(2*s.RadiusMM - v.XMM)
		return [3]float64{r, r, z}
	}
	return [3]float64{over(math.Max(-s.Min.X, s.Max.X-v.XMM)), over(math.Max(-s.Min.Y, s.Max.Y-v.YMM)), z}
}

// heightSlackMM is how near layer heights must be to count as the same.
const heightSlackMM = 0.005

// Program judges a program that was sliced elsewhere and runs for seconds.
// longestS is the longest run the house allows; 0 for any.
func Program(s *gcode.Summary, targets []Target, seconds, longestS float64) []Finding {
	var out []Finding
	add := func(f Finding) { out = append(out, f) }
	var fit []Target
	least := math.Inf(1)
	for _, t := range targets {
		if !t.Machine.InService || t.Machine.Process != machine.MaterialExtrusion {
			continue
		}
		o := FitProgram(s, t.Machine.Volume)
		if o == [3]float64{} {
			fit = append(fit, t)
		}
		least = math.Min(least, math.Max(o[0], math.Max(o[1], o[2])))
	}
	if len(fit) == 0 && !math.IsInf(least, 1) {
		add(Finding{Check: "outside the machine", Grade: StopsIt, Value: least, Unit: "mm",
			Text: fmt.Sprintf("The program goes outside of every machine, by at least %.1f mm. Ask for the model and slice it here.", least)})
	}
	fit = programNozzles(s, fit, add)
	programHeat(s, fit, add)
	programLayers(s, fit, add)
	if longestS > 0 && seconds > longestS {
		add(Finding{Check: "too long", Grade: Decide, Value: seconds / 3600, Limit: longestS / 3600, Unit: "h",
			Text: fmt.Sprintf("It runs for %.1f h; the house allows %.1f h. Ask for the model: thicker layers or less infill save most.", seconds/3600, longestS/3600)})
	}
	programCommands(s, add)
	return out
}

// programNozzles leaves out machines without the nozzles that a program uses.
func programNozzles(s *gcode.Summary, fit []Target, add func(Finding)) []Target {
	uses := max(1, len(s.Nozzles), len(s.ByTool))
	var out []Target
	most := 0
	for _, t := range fit {
		most = max(most, len(t.Machine.NozzlesMM))
		if len(t.Machine.NozzlesMM) == 0 || len(t.Machine.NozzlesMM) >= uses { // none: not told
			out = append(out, t)
		}
	}
	if len(fit) > 0 && len(out) == 0 {
		add(Finding{Check: "nozzles", Grade: StopsIt, Value: float64(uses), Limit: float64(most), Unit: "nozzles",
			Text: fmt.Sprintf("It uses %s; no machine that it fits has more than %d. Ask for the model and slice it here.", plural(uses, "nozzle"), most)})
	}
	return out
}

// tooHot is by how much a program is too hot for what the nozzles are loaded with:
// what it asks for, what may be, and of what; false if it is not.
func (t *Target) tooHot(s *gcode.Summary) (asks, limit float64, of string, hot bool) {
	if t.Spools == nil {
		return 0, 0, "", false
	}
	for n, c := range s.Nozzles {
		if m := t.Spools.Of(n + 1); m != nil && m.NozzleMaxC > 0 && c > m.NozzleMaxC && c-m.NozzleMaxC > asks-limit {
			asks, limit, of, hot = c, m.NozzleMaxC, m.Name, true
		}
	}
	return asks, limit, of, hot
}

func programHeat(s *gcode.Summary, fit []Target, add func(Finding)) {
	if s.NozzleMaxC == 0 {
		add(Finding{Check: "no heat", Grade: Decide, Unit: "°C", Text: "The program never sets the nozzle's temperature; it relies on somebody having done so."})
	}
	var can *Target
	var best Target // the hottest of those that cannot
	for i, t := range fit {
		if s.NozzleMaxC <= t.Machine.NozzleMaxC && s.BedMaxC <= t.Machine.BedMaxC {
			can = &fit[i]
		} else if best.Machine == nil || t.Machine.NozzleMaxC > best.Machine.NozzleMaxC {
			best = t
		}
	}
	canMaterial := false
	var asks, limit float64
	of := ""
	for _, t := range fit {
		a, l, o, hot := t.tooHot(s)
		if !hot {
			canMaterial = true
		} else if l > limit {
			asks, limit, of = a, l, o
		}
	}
	switch {
	case len(fit) == 0:
	case can == nil && s.NozzleMaxC <= best.Machine.NozzleMaxC:
		add(Finding{Check: "hotter than the machine", Grade: StopsIt, Value: s.BedMaxC, Limit: best.Machine.BedMaxC, Unit: "°C",
			Text: fmt.Sprintf("It asks for %.0f °C at the bed; that of %s goes up to %.0f °C. Slice the model here.", s.BedMaxC, best.Machine.Name, best.Machine.BedMaxC)})
	case can == nil:
		add(Finding{Check: "hotter than the machine", Grade: StopsIt, Value: s.NozzleMaxC, Limit: best.Machine.NozzleMaxC, Unit: "°C",
			Text: fmt.Sprintf("It asks for %.0f °C at the nozzle and %.0f °C at the bed; %s goes up to %.0f °C and %.0f °C. Slice the model here.",
				s.NozzleMaxC, s.BedMaxC, best.Machine.Name, best.Machine.NozzleMaxC, best.Machine.BedMaxC)})
	case !canMaterial:
		add(Finding{Check: "hotter than the material", Grade: Decide, Value: asks, Limit: limit, Unit: "°C",
			Text: fmt.Sprintf("It asks for %.0f °C; %s, which is loaded, may be %.0f °C hot. It was made for another material.", asks, of, limit)})
	}
	if s.HotPauses > 0 {
		add(Finding{Check: "waits with the heat on", Grade: Decide, Value: float64(s.HotPauses), Unit: "times",
			Text: fmt.Sprintf("It waits for somebody %s with the heat on. Say yes only if somebody will be there, or ask for the model: pauses made here turn the nozzle off.", times(s.HotPauses))})
	}
	if s.NozzleEndC > 0 || s.BedEndC > 0 {
		var left []string
		if s.NozzleEndC > 0 {
			left = append(left, fmt.Sprintf("the nozzle at %.0f °C", s.NozzleEndC))
		}
		if s.BedEndC > 0 {
			left = append(left, fmt.Sprintf("the bed at %.0f °C", s.BedEndC))
		}
		add(Finding{Check: "heating stays on", Grade: StopsIt, Value: math.Max(s.NozzleEndC, s.BedEndC), Unit: "°C",
			Text: fmt.Sprintf("At its end it leaves %s. Heating ends with the print here; ask for the model.", strings.Join(left, " and "))})
	}
}

func programLayers(s *gcode.Summary, fit []Target, add func(Finding)) {
	near := math.Inf(1)
	var house []string
	for _, t := range fit {
		if t.Recipe == nil {
			continue
		}
		house = append(house, fmt.Sprintf("%g mm on %s", t.Recipe.LayerMM, t.Machine.Name))
		if math.Abs(s.LayerMM-t.Recipe.LayerMM) < math.Abs(s.LayerMM-near) {
			near = t.Recipe.LayerMM
		}
	}
	if len(house) > 0 && math.Abs(near-s.LayerMM) > heightSlackMM {
		add(Finding{Check: "layer height", Grade: Decide, Value: s.LayerMM, Limit: near, Unit: "mm",
			Text: fmt.Sprintf("Its layers are %g mm high. The house lays %s for this purpose: its settings were not used.", s.LayerMM, strings.Join(house, ", "))})
	}
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

// programCommands tells what the list of allowed commands and their strict form do
// not let through.
func programCommands(s *gcode.Summary, add func(Finding)) {
	for _, f := range s.Faults {
		if f.Code == "" {
			add(Finding{Check: "unclear line", Grade: StopsIt, Value: float64(f.Count), Unit: "lines",
				Text: fmt.Sprintf("Line %d %s. Ask for the model.", f.Line, f.What)})
			continue
		}
		add(Finding{Check: "command not allowed", Grade: StopsIt, Value: float64(f.Count), Unit: "times",
			Text: fmt.Sprintf("%s in line %d %s. Ask for the model.", f.Code, f.Line, f.What)})
	}
}
