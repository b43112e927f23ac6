// Package sets joins things that belong together: disjoint sets by union and find, with
// paths halved (Tarjan & van Leeuwen 1984).
package sets

// Sets are things numbered from 0, each at first in a set of its own. The zero value has
// none.
type Sets struct{ above []int32 }

// New is n things.
func New(n int) *Sets {
	s := &Sets{}
	for range n {
		s.Add()
	}
	return s
}

// Add is the number of one thing more.
func (s *Sets) Add() int {
	s.above = append(s.above, int32(len(s.above)))
	return len(s.above) - 1
}

// Of is the thing that stands for the set of thing i.
func (s *Sets) Of(i int) int {
	k := int32(i)
	for s.above[k] != k {
		s.above[k] = s.above[s.above[k]]
		k = s.above[k]
	}
	return int(k)
}

// Join puts the set of thing i into that of thing k, whose standing thing stands for both.
func (s *Sets) Join(i, k int) { s.above[s.Of(i)] = int32(s.Of(k)) }
