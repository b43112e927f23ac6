// Package run is how one run of a plate on a machine goes, from its place in the lane until it is off the machine. A
// machine on a line tells most of it itself; of one without, somebody tells the same by hand.
package run

import (
	"slices"

	"jobshelf/core/shop/state"
)

// The states of a run.
const (
	Planned    = "planned"
	Ready      = "ready"   // its checklist is done
	Sending    = "sending" // its program goes to the machine
	Heating    = "heating"
	First      = "first layers" // that somebody has to see
	Printing   = "printing"
	Paused     = "paused"
	PausedCold = "paused cold" // its heat was turned off while it waits
	Lost       = "lost"        // nothing is heard of the machine
	Cooling    = "cooling"     // at its end, on the machine
	Off        = "off the machine"
	Stopped    = "stopped"
	Failed     = "failed"
	// Cancelled is one whose job was taken back or withdrawn before it was started, or whose parts were put on
	// the plate of another.
	Cancelled = "cancelled"
)

// What happens to one.
const (
	Checks   = "its checklist is done"
	Unchecks = "its checklist holds no more"
	Sends    = "its program is sent"
	NotSent  = "it cannot be sent"
	Warms    = "it warms"
	Lays     = "it lays its first line"
	Seen     = "its first layers are seen to be good"
	Pauses   = "it pauses"
	GoesOn   = "it goes on"
	SeesOn   = "it goes on with its first layers"
	Cools    = "it cools while it waits"
	Rewarms  = "it warms again"
	Loses    = "nothing is heard of it"
	Ends     = "it comes to its end"
	Stops    = "it is stopped"
	Fails    = "it fails"
	ComesOff = "it is off the machine"
	BackOn   = "it is still on the machine"
	Cancel   = "is cancelled"
)

// OnMachine are the states in which something of a run is under way.
var OnMachine = []string{Sending, Heating, First, Printing, Paused, PausedCold, Lost}

// Found is the event of a lost run that is found in a state.
func Found(s string) string { return "it is found, " + s }

// Mistaken is the event of a run of which the last step was said by mistake: it is in the state before.
func Mistaken(s string) string { return "it is still " + s }

// Before is what a run was before somebody said its last step, where that can be taken back: its machine has not acted on
// it, and of one on a line it was said just now. Empty: it cannot.
func Before(s string, line, seen, justNow bool) string {
	switch {
	case s == Printing && seen && (justNow || !line), s == Cooling && !line && !seen:
		return First
	case s == First && !line:
		return Heating
	case s == Cooling && !line:
		return Printing
	}
	return ""
}

// Table is its moves.
var Table = state.Table{Of: "Run", First: Planned, Moves: []state.Move{
	{Event: Checks, From: []string{Planned}, To: Ready, Guard: "nothing else is before it in its lane, the machine is free and cleared, it has its program, and somebody says yes to each point"},
	{Event: Unchecks, From: []string{Ready}, To: Planned},
	{Event: Sends, From: []string{Ready}, To: Sending, Guard: "the machine has a line"},
	{Event: NotSent, From: []string{Sending}, To: Planned, Guard: "the machine does not take it; nothing was printed"},
	{Event: Warms, From: []string{Ready, Sending}, To: Heating, Guard: "the machine has all of its program, or has no line"},
	{Event: Lays, From: []string{Heating}, To: First},
	{Event: Seen, From: []string{First}, To: Printing, Guard: "somebody says so, by name"},
	{Event: Pauses, From: []string{Heating, First, Printing}, To: Paused},
	{Event: GoesOn, From: []string{Paused}, To: Printing, Guard: "its first layers were seen"},
	{Event: SeesOn, From: []string{Paused}, To: First, Guard: "they were not"},
	{Event: Cools, From: []string{Paused}, To: PausedCold, Guard: "nobody has come within the house's minutes"},
	{Event: Rewarms, From: []string{PausedCold}, To: Heating},
	{Event: Loses, From: []string{Sending, Heating, First, Printing, Paused, PausedCold}, To: Lost},
	{Event: Found(Heating), From: []string{Lost}, To: Heating},
	{Event: Found(First), From: []string{Lost}, To: First},
	{Event: Found(Printing), From: []string{Lost}, To: Printing},
	{Event: Found(Paused), From: []string{Lost}, To: Paused},
	{Event: Ends, From: []string{Heating, First, Printing, Lost}, To: Cooling},
	{Event: Stops, From: OnMachine, To: Stopped, Guard: "there is a reason; a successor is planned first in the lane"},
	{Event: Fails, From: append(slices.Clone(OnMachine), Cooling), To: Failed, Guard: "the same"},
	{Event: ComesOff, From: []string{Cooling}, To: Off, Guard: "each copy is said to be good or bad; a successor of the bad ones is planned first in the lane"},
	{Event: BackOn, From: []string{Off}, To: Cooling, Guard: "the bed was not said to be clear since, and no copy was bad"},
	{Event: Mistaken(Heating), From: []string{First}, To: Heating, Guard: "the machine has no line"},
	{Event: Mistaken(First), From: []string{Printing, Cooling}, To: First, Guard: "somebody said that it was seen; that it has ended, of a machine without a line"},
	{Event: Mistaken(Printing), From: []string{Cooling}, To: Printing, Guard: "the machine has no line"},
	{Event: Cancel, From: []string{Planned, Ready}, To: Cancelled, Guard: "the yes is taken back, the job withdrawn, or all of it lies on another's plate"},
}}

// InLane says that a run is on a machine, or waits for one.
func InLane(s string) bool { return Waits(s) || s == Cooling || slices.Contains(OnMachine, s) }

// Movable says that a run can still be put elsewhere.
func Movable(s string) bool { return s == Planned }

// Waits says that nothing of it has been started.
func Waits(s string) bool { return s == Planned || s == Ready }

// Begun says that it was started, and has not failed: it is on a machine or has come off it.
func Begun(s string) bool { return s == Cooling || s == Off || slices.Contains(OnMachine, s) }
