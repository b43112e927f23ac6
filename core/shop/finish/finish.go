// Package finish is what is done with parts after they came off a machine: which steps a job's parts go through, by the
// house's list, in which order, and when the job is done.
package finish

import (
	"cmp"
	"slices"
	"time"

	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/state"
)

// The kinds of steps, in the order in which they are done.
const (
	Support = "take support off"
	Soak    = "soak"
	Wash    = "wash"
	Cure    = "cure"
	Sand    = "sand"
)

// Kinds are all of them, in their order.
var Kinds = []string{Support, Soak, Wash, Cure, Sand}

// StepRule is a line of the house's list: a step, for which parts it is, and what it takes.
type StepRule struct {
	Kind      string      `json:"kind" enum:"take support off,soak,wash,cure,sand"`
	Material  string      `json:"material,omitempty" maxLength:"60" doc:"Of which something is laid; empty: any"`
	Purpose   string      `json:"purpose,omitempty" enum:"quick look,everyday,working part" doc:"What the job is for; empty: anything"`
	Supported bool        `json:"supported,omitempty" doc:"Only where support is laid"`
	Skip      bool        `json:"skip,omitempty" doc:"It is not done with them"`
	How       string      `json:"how,omitempty" maxLength:"200" doc:"What hands have to know"`
	HandsMin  float64     `json:"hands_min,omitempty" minimum:"0" maximum:"600" doc:"Of a person, in all"`
	PerCopy   float64     `json:"per_copy_min,omitempty" minimum:"0" maximum:"120" doc:"And for each copy"`
	WaitMin   float64     `json:"wait_min,omitempty" minimum:"0" maximum:"20160" doc:"That it takes by itself"`
	Cents     units.Cents `json:"cents,omitempty" minimum:"0" maximum:"1000000" doc:"In all"`
	CopyCents units.Cents `json:"copy_cents,omitempty" minimum:"0" maximum:"1000000" doc:"And for each copy"`
}

// Validate lists what cannot be right about the house's list.
func Validate(rules []StepRule) (out []problem.Problem) {
	for k, r := range rules {
		if !slices.Contains(Kinds, r.Kind) {
			out = append(out, problem.Problem{Field: "rules", Phrase: problem.Say("no such step", k+1)})
		}
	}
	return out
}

// Facts are what a job's parts are, as far as their steps depend on it.
type Facts struct {
	Materials []string // that are laid
	Purpose   string
	Supported bool
	Copies    int
}

// Step is one that a job's parts go through.
type Step struct {
	Kind     string
	How      string
	HandsMin float64
	WaitMin  float64
	Cents    units.Cents
}

// Steps are those of a job, in their order: of each kind one, the first line of the list that is for its parts.
func Steps(rules []StepRule, f Facts) []Step {
	var out []Step
	copies := max(1, f.Copies)
	settled := map[string]bool{}
	for _, r := range rules {
		fits := (r.Material == "" || slices.Contains(f.Materials, r.Material)) && (r.Purpose == "" || r.Purpose == f.Purpose) && (!r.Supported || f.Supported)
		if !fits || settled[r.Kind] {
			continue
		}
		if settled[r.Kind] = true; r.Skip {
			continue
		}
		out = append(out, Step{r.Kind, r.How, r.HandsMin + float64(copies)*r.PerCopy, r.WaitMin, r.Cents + units.Cents(copies)*r.CopyCents})
	}
	slices.SortStableFunc(out, func(a, b Step) int { return cmp.Compare(slices.Index(Kinds, a.Kind), slices.Index(Kinds, b.Kind)) })
	return out
}

// Price is what the steps of a job cost, a line each.
func Price(steps []Step) (out []units.PriceLine) {
	for _, s := range steps {
		if s.Cents != 0 {
			out = append(out, units.PriceLine{Text: "Finishing, " + s.Kind, Cents: s.Cents})
		}
	}
	return out
}

// The states of a step.
const (
	ToDo  = "to do"
	Under = "under way"
	Done  = "done"
)

// What happens to one.
const (
	Begins  = "begins"
	Ends    = "ends"
	NotDone = "was not done"
)

// Table is its moves.
var Table = state.Table{Of: "Finishing step", First: ToDo, Moves: []state.Move{
	{Event: Begins, From: []string{ToDo}, To: Under, Guard: "those before it are done"},
	{Event: Ends, From: []string{ToDo, Under}, To: Done, Guard: "the same; the last one has the job ready to be fetched"},
	{Event: NotDone, From: []string{Under, Done}, To: ToDo, Guard: "said by mistake; none after it is under way or done, and the job is not fetched"},
}}

// Next is the first step that is not done; false where all are. The states are in the order of the steps.
func Next(states []string) (int, bool) {
	k := slices.IndexFunc(states, func(s string) bool { return s != Done })
	return k, k >= 0
}

// MayUndo says that what was said of a step can be taken back: none after it has begun.
func MayUndo(states []string, k int) bool {
	return Table.Can(states[k], NotDone) && !slices.ContainsFunc(states[k+1:], func(s string) bool { return s != ToDo })
}

// Unfetched is what is due of a job that waits to be fetched: nothing, to say so once, or that it is the house's. Days is
// how long it waits before each; 0 is for ever.
func Unfetched(ready, reminded, now time.Time, days int) (remind, left bool) {
	if days <= 0 || ready.IsZero() {
		return false, false
	}
	d := time.Duration(days) * 24 * time.Hour
	if reminded.IsZero() {
		return now.Sub(ready) >= d, false
	}
	return false, now.Sub(reminded) >= d
}
