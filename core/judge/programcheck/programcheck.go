// Package programcheck judges programs: those that were sliced elsewhere, against every machine
// that they might run on, and our own before they are kept.
package programcheck

import (
	"math"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
)

// Target is a machine that a foreign program might run on, with the house's
// recipe there and what its nozzles are loaded with; both may be nil.
type Target struct {
	Machine *machine.Machine
	Recipe  *recipe.Recipe
	Loaded  machine.Loaded
}

// Over says by how much a program leaves a machine's volume, in X, Y, Z.
// Rectangular plates have their origin at a corner, round ones in the middle
// (common practice, no source).
func Over(s *gcode.Summary, v machine.Volume) [3]float64 {
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

// Check judges a program that was sliced elsewhere and runs for seconds.
// longestS is the longest run the house allows; 0 for any.
func Check(s *gcode.Summary, targets []Target, seconds, longestS float64) []finding.Finding {
	var out []finding.Finding
	add := func(f finding.Finding) { out = append(out, f) }
	var fit []Target
	least := math.Inf(1)
	for _, t := range targets {
		if !t.Machine.InService || t.Machine.Process != machine.MaterialExtrusion {
			continue
		}
		o := Over(s, t.Machine.Volume)
		if o == [3]float64{} {
			fit = append(fit, t)
		}
		least = math.Min(least, math.Max(o[0], math.Max(o[1], o[2])))
	}
	if len(fit) == 0 && !math.IsInf(least, 1) {
		add(finding.Finding{Check: "outside the machine", Grade: finding.StopsIt, Value: least, Unit: "mm"}.
			That("outside the machine", problem.Fixed(least, 1)))
	}
	fit = programNozzles(s, fit, add)
	programHeat(s, fit, add)
	programLayers(s, fit, add)
	if longestS > 0 && seconds > longestS {
		add(finding.Finding{Check: "too long", Grade: finding.Decide, Value: seconds / 3600, Limit: longestS / 3600, Unit: "h"}.
			That("too long", problem.Fixed(seconds/3600, 1), problem.Fixed(longestS/3600, 1)))
	}
	programCommands(s, add)
	return out
}

// programNozzles leaves out machines without the nozzles that a program uses.
func programNozzles(s *gcode.Summary, fit []Target, add func(finding.Finding)) []Target {
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
		add(finding.Finding{Check: "nozzles", Grade: finding.StopsIt, Value: float64(uses), Limit: float64(most), Unit: "nozzles"}.That("nozzles", uses, most))
	}
	return out
}

// tooHot is by how much a program is too hot for what the nozzles are loaded with:
// what it asks for, what may be, and of what; false if it is not.
func (t *Target) tooHot(s *gcode.Summary) (asks, limit float64, of string, hot bool) {
	if t.Loaded == nil {
		return 0, 0, "", false
	}
	for n, c := range s.Nozzles {
		if m := t.Loaded.Of(n + 1); m != nil && m.NozzleMaxC > 0 && c > m.NozzleMaxC && c-m.NozzleMaxC > asks-limit {
			asks, limit, of, hot = c, m.NozzleMaxC, m.Name, true
		}
	}
	return asks, limit, of, hot
}

func programHeat(s *gcode.Summary, fit []Target, add func(finding.Finding)) {
	if s.NozzleMaxC == 0 {
		add(finding.Finding{Check: "no heat", Grade: finding.Decide, Unit: "°C"}.That("no heat"))
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
		add(finding.Finding{Check: "hotter than the machine", Grade: finding.StopsIt, Value: s.BedMaxC, Limit: best.Machine.BedMaxC, Unit: "°C"}.
			That("hotter than the machine, bed", degrees(s.BedMaxC), best.Machine.Name, degrees(best.Machine.BedMaxC)))
	case can == nil:
		add(finding.Finding{Check: "hotter than the machine", Grade: finding.StopsIt, Value: s.NozzleMaxC, Limit: best.Machine.NozzleMaxC, Unit: "°C"}.
			That("hotter than the machine", degrees(s.NozzleMaxC), degrees(s.BedMaxC), best.Machine.Name, degrees(best.Machine.NozzleMaxC), degrees(best.Machine.BedMaxC)))
	case !canMaterial:
		add(finding.Finding{Check: "hotter than the material", Grade: finding.Decide, Value: asks, Limit: limit, Unit: "°C"}.
			That("hotter than the material", degrees(asks), of, degrees(limit)))
	}
	if s.HotPauses > 0 {
		add(finding.Finding{Check: "waits with the heat on", Grade: finding.Decide, Value: float64(s.HotPauses), Unit: "times"}.
			That("waits with the heat on", s.HotPauses))
	}
	stays := finding.Finding{Check: "heating stays on", Grade: finding.StopsIt, Value: math.Max(s.NozzleEndC, s.BedEndC), Unit: "°C"}
	switch {
	case s.NozzleEndC > 0 && s.BedEndC > 0:
		add(stays.That("heating stays on, both", degrees(s.NozzleEndC), degrees(s.BedEndC)))
	case s.NozzleEndC > 0:
		add(stays.That("heating stays on", degrees(s.NozzleEndC)))
	case s.BedEndC > 0:
		add(stays.That("heating stays on, bed", degrees(s.BedEndC)))
	}
}

func degrees(c float64) problem.Number { return problem.Fixed(c, 0) }

func programLayers(s *gcode.Summary, fit []Target, add func(finding.Finding)) {
	near := math.Inf(1)
	var house []problem.Phrase
	for _, t := range fit {
		if t.Recipe == nil {
			continue
		}
		house = append(house, problem.Phrase{Code: "layer height, on", Params: []any{problem.Digits(t.Recipe.LayerMM, 6), t.Machine.Name}})
		if math.Abs(s.LayerMM-t.Recipe.LayerMM) < math.Abs(s.LayerMM-near) {
			near = t.Recipe.LayerMM
		}
	}
	if len(house) > 0 && math.Abs(near-s.LayerMM) > heightSlackMM {
		add(finding.Finding{Check: "layer height", Grade: finding.Decide, Value: s.LayerMM, Limit: near, Unit: "mm"}.
			That("layer height", problem.Digits(s.LayerMM, 6), house))
	}
}

// programCommands tells what the list of allowed commands and their strict form do
// not let through.
func programCommands(s *gcode.Summary, add func(finding.Finding)) {
	for _, f := range s.Faults {
		if f.Code == "" {
			add(finding.Finding{Check: "unclear line", Grade: finding.StopsIt, Value: float64(f.Count), Unit: "lines"}.That("unclear line", f.Line, f.What))
			continue
		}
		add(finding.Finding{Check: "command not allowed", Grade: finding.StopsIt, Value: float64(f.Count), Unit: "times"}.That("command not allowed", f.Code, f.Line, f.What))
	}
}
