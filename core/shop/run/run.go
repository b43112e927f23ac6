// Package run is how one run of a plate on a machine goes. A machine without a line is told of by
// hand: somebody says that it was started, that it is off the machine, or that it failed.
package run

import "jobshelf/core/shop/state"

// The states of a run.
const (
	Planned  = "planned"
	Printing = "printing"
	Off      = "off the machine"
	Failed   = "failed"
	// Cancelled is one whose job was taken back or withdrawn before it was started, or whose parts were put on
	// the plate of another.
	Cancelled = "cancelled"
)

// What happens to one.
const (
	Starts = "starts"
	Ends   = "ends"
	Fails  = "fails"
	Cancel = "is cancelled"
)

// Table is its moves.
var Table = state.Table{Of: "Run", First: Planned, Moves: []state.Move{
	{Event: Starts, From: []string{Planned}, To: Printing, Guard: "nothing else is before it in its lane, and it has its program"},
	{Event: Ends, From: []string{Printing}, To: Off},
	{Event: Fails, From: []string{Printing}, To: Failed, Guard: "there is a reason; a successor is planned first in the lane"},
	{Event: Cancel, From: []string{Planned}, To: Cancelled, Guard: "the yes is taken back, the job withdrawn, or all of it lies on another's plate"},
}}

// InLane says that a run is on a machine, or waits for one.
func InLane(s string) bool { return !Table.Ends(s) }

// Movable says that a run can still be put elsewhere.
func Movable(s string) bool { return Table.Can(s, Starts) }
