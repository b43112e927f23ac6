package verdict

import (
	"math"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/programcheck"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/units"
)

// Program is what a program of G-code would do, by its own words.
type Program struct {
	Lines        int        `json:"lines"`
	Layers       int        `json:"layers"`
	LayerMM      float64    `json:"layer_mm"`
	FirstLayerMM float64    `json:"first_layer_mm"`
	Heights      int        `json:"heights" doc:"How many different layer heights there are"`
	Seconds      float64    `json:"seconds" doc:"On the quickest machine that it fits; by its feeds alone where there is none"`
	FilamentMM   float64    `json:"filament_mm"`
	NozzleMaxC   float64    `json:"nozzle_max_c"`
	BedMaxC      float64    `json:"bed_max_c"`
	FirstMMPerS  float64    `json:"first_mm_per_s"`
	MaxMMPerS    float64    `json:"max_mm_per_s"`
	ToolChanges  int        `json:"tool_changes"`
	Retractions  int        `json:"retractions"`
	Min          [3]float64 `json:"min_mm"`
	Max          [3]float64 `json:"max_mm"`
}

// MachinesOf are the machines of choices.
func MachinesOf(choices []Choice) []*machine.Machine {
	var out []*machine.Machine
	for _, c := range choices {
		out = append(out, c.Machine)
	}
	return out
}

// JudgeProgram gives the verdict on a program that was sliced elsewhere: the
// ladder says where it would run as it is, and how long by that machine's limits;
// filament is its own, the mass that of the machine's material. The program was
// read with MachinesOf(choices).
func JudgeProgram(s *gcode.Summary, choices []Choice, longestS float64) *Verdict {
	heights := map[float64]bool{}
	for _, l := range s.Layers[min(1, len(s.Layers)):] {
		heights[l.HeightMM] = true
	}
	p := &Program{Lines: s.Lines, Layers: len(s.Layers), LayerMM: s.LayerMM, FirstLayerMM: s.FirstLayerMM, Heights: len(heights), Seconds: s.Seconds,
		FilamentMM: s.FilamentMM, NozzleMaxC: s.NozzleMaxC, BedMaxC: s.BedMaxC, FirstMMPerS: s.FirstMMPerS, MaxMMPerS: s.MaxMMPerS,
		ToolChanges: s.ToolChanges, Retractions: s.Retractions,
		Min: [3]float64{s.Min.X, s.Min.Y, s.Min.Z}, Max: [3]float64{s.Max.X, s.Max.Y, s.Max.Z}}
	v := &Verdict{Format: modelfile.GCode, Unit: units.Millimetre, UnitStated: true, Bodies: []Body{}, Program: p, Machines: []MachineVerdict{},
		BoxMM: Box{p.Min, p.Max}, Findings: []finding.Finding{}}
	var targets []programcheck.Target
	quickest := math.Inf(1)
	for i, c := range choices {
		target := programcheck.Target{Machine: c.Machine, Recipe: c.Recipe, Loaded: c.Loaded}
		targets = append(targets, target)
		mv := MachineVerdict{ID: c.ID, Name: c.Machine.Name, ScaleToFit: 1, OverMM: programcheck.Over(s, c.Machine.Volume)}
		mv.Fits = mv.OverMM == [3]float64{} && c.Machine.Process == machine.MaterialExtrusion && s.NozzleMaxC <= c.Machine.NozzleMaxC && s.BedMaxC <= c.Machine.BedMaxC &&
			len(s.Nozzles) <= max(1, len(c.Machine.NozzlesMM)) && len(s.ByTool) <= max(1, len(c.Machine.NozzlesMM))
		if c.Recipe != nil {
			mv.Recipe = "as sliced elsewhere"
		}
		if mv.Fits && c.Loaded != nil {
			quickest = math.Min(quickest, s.SecondsOn[i])
			loaded := c.Loaded.Of(1)
			grams := loaded.Grams(c.Machine.FilamentMM, s.FilamentMM)
			mv.Quick = &Quick{Quick: estimate.Quick{Seconds: s.SecondsOn[i], WarmUpSeconds: c.Machine.WarmUpSeconds(s.NozzleMaxC, s.BedMaxC), FilamentMM: s.FilamentMM,
				Grams: grams, Layers: len(s.Layers), Uses: []estimate.Use{{Material: loaded, Grams: grams}}}}
		}
		v.Machines = append(v.Machines, mv)
	}
	if !math.IsInf(quickest, 1) {
		p.Seconds = quickest
	}
	v.Findings = append(v.Findings, programcheck.Check(s, targets, p.Seconds, longestS)...)
	return v
}
