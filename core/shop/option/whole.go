package option

import (
	"math"
	"slices"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/shape/problem"
)

// Whole is what a job is on a machine, beside what was found on its pieces.
type Whole struct {
	Name     string
	RunS     float64           // how long its longest run takes, s
	DaysLate int               // after the day it is needed; 0: in time
	Takes    []Taken           // what its heaviest run takes of each material
	Load     *problem.Phrase   // what has to be loaded first; nil: nothing
	Made     printability.Made // what it would be made of
	AloneS   float64           // so long after its start, s, it waits for somebody when nobody is there; 0: never
}

// Taken is what a run takes of a material, and how much of it a spool holds; 0: nobody knows.
type Taken struct {
	Material    string
	Grams       float64
	SpoolsGrams float64
}

// over is how much more of a material the heaviest run takes than a spool holds, where any does.
func (w *Whole) over() (Taken, bool) {
	k := slices.IndexFunc(w.Takes, func(t Taken) bool { return t.SpoolsGrams > 0 && t.Grams > t.SpoolsGrams })
	if k < 0 {
		return Taken{}, false
	}
	return w.Takes[k], true
}

// Findings are what nobody can waive of a job on the machine that is proposed for it, and whether another does
// better. longestS is the longest run that the house allows, 0 for any; use is what the job is for.
func (w *Whole) Findings(others []Whole, longestS float64, use printability.Use) (out []finding.Finding) {
	elsewhere := func(does func(o *Whole) bool) problem.Phrase {
		for i := range others {
			if does(&others[i]) {
				return problem.Say("elsewhere", others[i].Name)
			}
		}
		return problem.Say("nowhere else")
	}
	if w.DaysLate > 0 {
		out = append(out, finding.Finding{Check: "late", Grade: finding.Decide, Value: float64(w.DaysLate), Unit: "days"}.
			That("late", w.DaysLate, w.Name, elsewhere(func(o *Whole) bool { return o.DaysLate == 0 })))
	}
	if longestS > 0 && w.RunS > longestS {
		out = append(out, finding.Finding{Check: "long run", Grade: finding.Decide, Value: w.RunS / 3600, Limit: longestS / 3600, Unit: "h"}.
			That("long run", problem.Fixed(w.RunS/3600, 1), w.Name, problem.Fixed(longestS/3600, 1), elsewhere(func(o *Whole) bool { return o.RunS <= longestS })))
	}
	if t, is := w.over(); is {
		out = append(out, finding.Finding{Check: "more than a spool", Grade: finding.Decide, Value: t.Grams, Limit: t.SpoolsGrams, Unit: "g"}.
			That("more than a spool", problem.Fixed(math.Ceil(t.Grams), 0), t.Material, w.Name, problem.Fixed(t.SpoolsGrams, 0), elsewhere(func(o *Whole) bool { _, is := o.over(); return !is })))
	}
	if w.Load != nil {
		out = append(out, finding.Finding{Check: "other filament", Grade: finding.Decide}.
			That("other filament", w.Name, *w.Load, elsewhere(func(o *Whole) bool { return o.Load == nil })))
	}
	if w.AloneS > 0 {
		out = append(out, finding.Finding{Check: "nobody there", Grade: finding.Decide, Value: w.AloneS / 3600, Unit: "h"}.
			That("nobody there", problem.Fixed(w.AloneS/3600, 1), w.Name))
	}
	if use.None() {
		return out
	}
	made := make([]printability.Made, len(others))
	for i := range others {
		made[i] = others[i].Made
	}
	return append(out, printability.Uses(use, w.Made, made)...)
}
