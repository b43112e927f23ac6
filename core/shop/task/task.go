// Package task is how work in the background goes: the check of a job, and slices.
package task

import "jobshelf/core/shop/state"

// The states of background work.
const (
	Queued    = "queued"
	Running   = "running"
	Done      = "done"
	Failed    = "failed"
	Cancelled = "cancelled"
	SetAside  = "set aside"
)

// What happens to it.
const (
	Begins    = "begins"
	GivenBack = "is given back"
	IsDone    = "is done"
	Fails     = "fails"
	Cancel    = "is cancelled"
	PutAside  = "is set aside"
	Again     = "is asked for again"
)

func moves(again ...string) []state.Move {
	busy := []string{Queued, Running}
	return []state.Move{
		{Event: Begins, From: []string{Queued}, To: Running},
		{Event: GivenBack, From: []string{Running}, To: Queued, Guard: "its worker ends"},
		{Event: IsDone, From: busy, To: Done},
		{Event: Fails, From: busy, To: Failed},
		{Event: Cancel, From: busy, To: Cancelled},
		{Event: PutAside, From: busy, To: SetAside, Guard: "it was begun too often, or trying again is of no use"},
		{Event: Again, From: again, To: Queued},
	}
}

// Check is the check of a job; asked for again it is a new round, and an older one changes
// nothing.
var Check = state.Table{Of: "Check of a job", First: Queued, Moves: moves(Queued, Running, Done, Failed, Cancelled, SetAside)}

// Slice is a piece sliced for a machine.
var Slice = state.Table{Of: "Slice", First: Queued, Moves: moves(Failed, SetAside)}

// Busy says that work is under way or waits for its turn.
func Busy(s string) bool { return s == Queued || s == Running }
