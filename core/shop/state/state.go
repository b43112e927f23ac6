// Package state is how things go through the house: a table of moves for each kind of thing.
// The desk asks the table before it changes a state, docs/states.md is printed from it, and
// the database allows no state that it does not have.
package state

import (
	"fmt"
	"slices"
	"strings"
)

// Move is a way on: by an event, from any of some states to another.
type Move struct {
	Event string
	From  []string
	To    string
	// Guard is what has to hold beside, in words; who makes the move sees to it.
	Guard string
}

// Table is the moves of one kind of thing.
type Table struct {
	Of    string
	First string // how it begins
	Moves []Move
}

// To is where an event leads; false where it cannot be there.
func (t *Table) To(from, event string) (string, bool) {
	for _, m := range t.Moves {
		if m.Event == event && slices.Contains(m.From, from) {
			return m.To, true
		}
	}
	return "", false
}

// Can says that an event can be in a state.
func (t *Table) Can(from, event string) bool {
	_, ok := t.To(from, event)
	return ok
}

// States are all of them: the first, then as the moves lead to them.
func (t *Table) States() []string {
	out := []string{t.First}
	for _, m := range t.Moves {
		for _, s := range append(slices.Clone(m.From), m.To) {
			if !slices.Contains(out, s) {
				out = append(out, s)
			}
		}
	}
	return out
}

// Ends says that nothing leads away from a state.
func (t *Table) Ends(s string) bool {
	return !slices.ContainsFunc(t.Moves, func(m Move) bool { return slices.Contains(m.From, s) })
}

// Document is tables as a page.
func Document(tables ...*Table) string {
	var b strings.Builder
	b.WriteString("# States\n\nPrinted from the tables of `core/shop`, which the desk asks before it changes a state (`make golden` prints them anew).\n" +
		"The database allows these states and no others.\n")
	for _, t := range tables {
		fmt.Fprintf(&b, "\n## %s\n\nBegins as *%s*.\n\n| event | from | to | if |\n|---|---|---|---|\n", t.Of, t.First)
		for _, m := range t.Moves {
			fmt.Fprintf(&b, "| %s | %s | %s | %s |\n", m.Event, strings.Join(m.From, ", "), m.To, m.Guard)
		}
		var ends []string
		for _, s := range t.States() {
			if t.Ends(s) {
				ends = append(ends, s)
			}
		}
		if len(ends) > 0 {
			fmt.Fprintf(&b, "\nEnds as %s.\n", strings.Join(ends, ", "))
		}
	}
	return b.String()
}
