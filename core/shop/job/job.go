// Package job is how a job goes through the house, what can be done with it, and what is to be
// done first.
package job

import (
	"cmp"
	"slices"

	"jobshelf/core/shop/state"
	"jobshelf/core/shop/task"
)

// The states of a job.
const (
	Arrived      = "arrived"
	ToDecide     = "to decide"
	Approved     = "approved"
	InProduction = "in production"
	Finishing    = "finishing"
	PickUp       = "pick-up"
	Fetched      = "fetched"
	SentBack     = "sent back"
)

// What happens to one.
const (
	CheckEnds = "its check ends"
	Yes       = "yes"
	No        = "no"
	RunStarts = "its run starts"
	RunFails  = "its run fails"
	RunEnds   = "its run ends"
	Ready     = "ready to be fetched"
	Handed    = "fetched"
)

// Table is its moves.
var Table = state.Table{Of: "Job", First: Arrived, Moves: []state.Move{
	{Event: CheckEnds, From: []string{Arrived}, To: ToDecide},
	{Event: Yes, From: []string{ToDecide}, To: Approved, Guard: "its check is done, nothing found stops it, and a machine takes it"},
	{Event: No, From: []string{Arrived, ToDecide}, To: SentBack, Guard: "there is a reason"},
	{Event: RunStarts, From: []string{Approved}, To: InProduction},
	{Event: RunFails, From: []string{InProduction}, To: Approved, Guard: "a run after it is planned"},
	{Event: RunEnds, From: []string{InProduction}, To: Finishing},
	{Event: Ready, From: []string{Finishing}, To: PickUp},
	{Event: Handed, From: []string{PickUp}, To: Fetched},
}}

// Shelves are the states of open jobs, in order.
var Shelves = []string{Arrived, ToDecide, Approved, InProduction, Finishing, PickUp}

// May is what the desk can do with a job.
type May struct {
	Decide   bool   `json:"decide" doc:"It is to be decided: slices are ordered, and a yes may come"`
	Approve  bool   `json:"approve" doc:"A yes to a machine that takes it"`
	SendBack bool   `json:"send_back"`
	Change   bool   `json:"change" doc:"Pieces, units and versions of it"`
	Next     string `json:"next,omitempty" enum:"its run starts,its run ends,ready to be fetched,fetched" doc:"The event that can be told of it"`
}

// Can is what can be done with a job by its state and that of its check; stopped is that
// something found stops it.
func Can(step, check string, stopped bool) May {
	m := May{Decide: Table.Can(step, Yes), Approve: Table.Can(step, Yes) && check == task.Done && !stopped, SendBack: Table.Can(step, No), Change: Weighed(step)}
	for _, e := range []string{RunStarts, RunEnds, Ready, Handed} {
		if Table.Can(step, e) {
			m.Next = e
		}
	}
	return m
}

// Weighed says that a job is not settled yet, so that it can be checked and sliced anew.
func Weighed(step string) bool { return step == Arrived || step == ToDecide }

// Open says that a job is in the house's hands.
func Open(step string) bool { return slices.Contains(Shelves, step) }

// Waiting is a job in the line for somebody's time.
type Waiting struct {
	ID    int64
	Step  string
	Needs string // YYYY-MM-DD; empty: whenever
}

// First is what is to be done first: a decision before a start before finishing, of those the
// soonest needed, of those the oldest; false if nothing is.
func First(jobs []Waiting) (Waiting, bool) {
	for _, step := range []string{ToDecide, Approved, Finishing} {
		at := slices.DeleteFunc(slices.Clone(jobs), func(w Waiting) bool { return w.Step != step })
		if len(at) > 0 {
			return slices.MinFunc(at, func(a, b Waiting) int {
				return cmp.Or(cmp.Compare(cmp.Or(a.Needs, "9999"), cmp.Or(b.Needs, "9999")), cmp.Compare(a.ID, b.ID))
			}), true
		}
	}
	return Waiting{}, false
}
