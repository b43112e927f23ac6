// Package job is how a job goes through the house, what can be done with it, and what is to be
// done first.
package job

import (
	"cmp"
	"slices"

	"jobshelf/core/shape/units"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/state"
	"jobshelf/core/shop/task"
)

// The states of a job.
const (
	Arrived      = "arrived"
	ToDecide     = "to decide"
	BeingSliced  = "being sliced"
	Approved     = "approved"
	InProduction = "in production"
	Finishing    = "finishing"
	PickUp       = "pick-up"
	Fetched      = "fetched"
	SentBack     = "sent back"
	Withdrawn    = "withdrawn"
	LeftBehind   = "left behind"
)

// What happens to one.
const (
	CheckEnds = "its check ends"
	Yes       = "yes"
	YesUpTo   = "yes, up to a ceiling"
	Kept      = "its slice keeps to the yes"
	NotKept   = "its slice does not"
	No        = "no"
	TakeBack  = "the yes is taken back"
	Withdraw  = "withdrawn"
	RunStarts = "its run starts"
	RunFails  = "its run fails"
	RunEnds   = "its run ends"
	BackOn    = "its run is still on the machine"
	Ready     = "ready to be fetched"
	Handed    = "fetched"
	NotReady  = "a finishing step was not done"
	IsLeft    = "is left to the house"
)

// Table is its moves.
var Table = state.Table{Of: "Job", First: Arrived, Moves: []state.Move{
	{Event: CheckEnds, From: []string{Arrived}, To: ToDecide},
	{Event: Yes, From: []string{ToDecide}, To: Approved, Guard: "its check is done, nothing found stops it, a machine takes it, and its plates are sliced as everything is now"},
	{Event: YesUpTo, From: []string{ToDecide}, To: BeingSliced, Guard: "the same, but its plates are still to be sliced"},
	{Event: Kept, From: []string{BeingSliced}, To: Approved, Guard: "time, filament and price are not above the ceiling"},
	{Event: NotKept, From: []string{BeingSliced}, To: ToDecide},
	{Event: No, From: []string{Arrived, ToDecide}, To: SentBack, Guard: "there is a reason"},
	{Event: TakeBack, From: []string{BeingSliced, Approved}, To: ToDecide, Guard: "none of its runs has been started"},
	{Event: Withdraw, From: []string{Arrived, ToDecide, BeingSliced, Approved}, To: Withdrawn, Guard: "none of its runs has been started"},
	{Event: RunStarts, From: []string{Approved, InProduction}, To: InProduction, Guard: "it has its program"},
	{Event: RunFails, From: []string{InProduction, Finishing}, To: Approved, Guard: "none other has been started; a run after it is planned"},
	{Event: BackOn, From: []string{Finishing}, To: InProduction, Guard: "the run was said to be off the machine by mistake"},
	{Event: RunEnds, From: []string{InProduction}, To: Finishing, Guard: "it is the last"},
	{Event: Ready, From: []string{Finishing}, To: PickUp, Guard: "its finishing steps are done"},
	{Event: Handed, From: []string{PickUp}, To: Fetched, Guard: "what the yes was to is charged"},
	{Event: NotReady, From: []string{PickUp}, To: Finishing, Guard: "said by mistake"},
	{Event: IsLeft, From: []string{PickUp}, To: LeftBehind, Guard: "nobody has fetched it in twice the house's days, and its member was told in between"},
}}

// Shelves are the states of open jobs, in order.
var Shelves = []string{Arrived, ToDecide, BeingSliced, Approved, InProduction, Finishing, PickUp}

// May is what the desk can do with a job.
type May struct {
	Decide   bool   `json:"decide" doc:"It is to be decided: slices are ordered, and a yes may come"`
	Approve  bool   `json:"approve" doc:"A yes to a machine that takes it"`
	SendBack bool   `json:"send_back"`
	TakeBack bool   `json:"take_back" doc:"The yes, while nothing has been started"`
	Withdraw bool   `json:"withdraw"`
	Change   bool   `json:"change" doc:"Pieces, units and versions of it"`
	Next     string `json:"next,omitempty" enum:"its run starts,its run ends,ready to be fetched,fetched" doc:"What comes next: of a run at its machine, of what is off it here"`
}

// Facts are what can be done with a job depends on: its state, that of its check, that
// something found stops it, and the states of its runs.
type Facts struct {
	State, Check string
	Stopped      bool
	Runs         []string
}

// Can is what can be done with a job.
func Can(f Facts) May {
	begun := slices.ContainsFunc(f.Runs, func(s string) bool { return !run.Waits(s) && s != run.Cancelled })
	m := May{Decide: Table.Can(f.State, Yes), Approve: Table.Can(f.State, Yes) && f.Check == task.Done && !f.Stopped, SendBack: Table.Can(f.State, No), Change: Weighed(f.State),
		TakeBack: Table.Can(f.State, TakeBack) && !begun, Withdraw: Table.Can(f.State, Withdraw) && !begun}
	switch {
	case slices.ContainsFunc(f.Runs, func(s string) bool { return run.Begun(s) && s != run.Off }):
		m.Next = RunEnds
	case slices.ContainsFunc(f.Runs, run.Waits):
		m.Next = RunStarts
	case Table.Can(f.State, Ready):
		m.Next = Ready
	case Table.Can(f.State, Handed):
		m.Next = Handed
	}
	return m
}

// Promise is what was said yes to: a machine, and no more than so much of everything.
type Promise struct {
	MachineID int64       `json:"machine_id"`
	SliceID   int64       `json:"slice_id"`
	Seconds   float64     `json:"seconds"`
	Grams     float64     `json:"grams"`
	Cents     units.Cents `json:"price_cents"`
	Person    int64       `json:"person_id"`
	Place     *int        `json:"place,omitempty"` // in the machine's lane; nil: its end
	Told      string      `json:"told,omitempty"`  // which letter its member gets when it holds; empty: that it is approved
}

// Follow is the state of a job that has runs, by theirs.
func Follow(runs []string) string {
	left, begun := false, false
	for _, s := range runs {
		left = left || run.InLane(s)
		begun = begun || run.Begun(s)
	}
	switch {
	case !begun:
		return Approved
	case left:
		return InProduction
	}
	return Finishing
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
			return slices.MinFunc(at, sooner), true
		}
	}
	return Waiting{}, false
}

func sooner(a, b Waiting) int {
	return cmp.Or(cmp.Compare(cmp.Or(a.Needs, "9999"), cmp.Or(b.Needs, "9999")), cmp.Compare(a.ID, b.ID))
}

// Sort puts what waits in the order in which it is looked at: the soonest needed first, of those the oldest.
func Sort[T any](all []T, of func(T) Waiting) {
	slices.SortStableFunc(all, func(a, b T) int { return sooner(of(a), of(b)) })
}
