// Package spool is the books of filament. Nothing on a spool is ever a figure that somebody writes over: what is left, and
// what is promised to runs, is the sum of entries that are only added. A run holds what it will take of a material, and of
// a spool as soon as one is chosen; what it has laid is taken off it, at a swap and at its end, by the layer it reached.
package spool

import (
	"cmp"
	"slices"

	"jobshelf/core/print/estimate"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/state"
)

// The states of a spool.
const (
	Sealed  = "sealed"
	Open    = "open"
	Drying  = "drying"
	Loaded  = "loaded"
	Empty   = "empty"
	Retired = "retired"
)

// What happens to one.
const (
	Opens   = "is opened"
	Dries   = "begins to dry"
	Dried   = "is dry"
	Loads   = "is loaded"
	Unloads = "is unloaded"
	RunsOut = "runs out"
	Found   = "something is on it after all"
	Retires = "is retired"
)

// Table is its moves.
var Table = state.Table{Of: "Spool", First: Sealed, Moves: []state.Move{
	{Event: Opens, From: []string{Sealed}, To: Open},
	{Event: Dries, From: []string{Open}, To: Drying},
	{Event: Dried, From: []string{Drying}, To: Open},
	{Event: Loads, From: []string{Sealed, Open}, To: Loaded, Guard: "what was in the nozzle is unloaded with it"},
	{Event: Unloads, From: []string{Loaded}, To: Open},
	{Event: RunsOut, From: []string{Open, Loaded}, To: Empty, Guard: "what the books had left on it is written off"},
	{Event: Found, From: []string{Empty}, To: Open, Guard: "it was weighed"},
	{Event: Retires, From: []string{Sealed, Open, Drying, Empty}, To: Retired, Guard: "what is left on it is written off"},
}}

// The kinds of entries.
const (
	Received   = "received"
	Reserved   = "reserved"
	Released   = "released"
	Used       = "used"
	Weighed    = "weighed"
	Lost       = "lost" // pulled out or pushed through at a change
	Corrected  = "corrected"
	WrittenOff = "written off"
)

// Kinds are all of them.
var Kinds = []string{Received, Reserved, Released, Used, Weighed, Lost, Corrected, WrittenOff}

// Entry is one line of the books.
type Entry struct {
	Spool    int64 // 0: none is chosen, or what was used came from none that is known
	Run      int64 // 0: of none
	Nozzle   int   // of the run, counted from 1; 0 without one
	Material string
	Kind     string
	Left     units.Milligrams // by how much more is left
	Held     units.Milligrams // by how much more is promised
	Why      problem.Phrase
}

// Hold is what is promised to a nozzle of a run.
type Hold struct {
	Run      int64
	Nozzle   int
	Material string
	Spool    int64 // 0: any of the material
	MG       units.Milligrams
}

func (h Hold) key() Hold { h.MG = 0; return h }

// Settle gives the entries by which what is held becomes what is to be held: nothing is released that stays.
func Settle(held, wanted []Hold) []Entry {
	by := map[Hold]units.Milligrams{}
	var keys []Hold
	add := func(h Hold, mg units.Milligrams) {
		k := h.key()
		if _, ok := by[k]; !ok {
			keys = append(keys, k)
		}
		by[k] += mg
	}
	for _, h := range held {
		add(h, -h.MG)
	}
	for _, h := range wanted {
		add(h, max(0, h.MG))
	}
	slices.SortFunc(keys, func(a, b Hold) int {
		return cmp.Or(cmp.Compare(a.Run, b.Run), cmp.Compare(a.Nozzle, b.Nozzle), cmp.Compare(a.Spool, b.Spool), cmp.Compare(a.Material, b.Material))
	})
	var out []Entry
	for _, k := range keys {
		e := Entry{Spool: k.Spool, Run: k.Run, Nozzle: k.Nozzle, Material: k.Material, Held: by[k], Kind: Reserved}
		if e.Held < 0 {
			e.Kind = Released
		}
		if e.Held != 0 {
			out = append(out, e)
		}
	}
	return out
}

// Take gives the entries of something that has left a spool with so much on it: by a nozzle of a run, or at a change. Where
// that is more than the books had, they were wrong, which an entry says: a spool never has less than nothing.
func Take(from Entry, left, mg units.Milligrams) []Entry {
	if mg <= 0 {
		return nil
	}
	from.Left = -mg
	out := []Entry{from}
	if more := mg - left; from.Spool != 0 && more > 0 {
		from.Kind, from.Left, from.Why = Corrected, more, problem.Say("more was on it")
		out = []Entry{from, out[0]}
	}
	return out
}

// Weigh gives the entry of a weighing: on the scale with its reel, of which so much is the reel's own, while what is not in
// the books yet of a run that is under way has left it already. A reel that weighs more than all together is refused.
func Weigh(on Entry, left, underWay, scale, reel units.Milligrams) (Entry, *problem.Problem) {
	if scale < reel {
		return Entry{}, &problem.Problem{Field: "grams", Phrase: problem.Say("lighter than its reel", problem.Fixed(scale.Grams(), 0), problem.Fixed(reel.Grams(), 0))}
	}
	on.Kind, on.Left = Weighed, scale-reel-(left-underWay)
	return on, nil
}

// Correct gives the entry of so much more or less, as somebody says with a reason; no spool has less than nothing.
func Correct(on Entry, left, by units.Milligrams) (Entry, *problem.Problem) {
	if left+by < 0 {
		return Entry{}, &problem.Problem{Field: "grams", Phrase: problem.Say("less than nothing on it", problem.Fixed(left.Grams(), 0))}
	}
	on.Kind, on.Left = Corrected, by
	return on, nil
}

// WriteOff gives the entry of what is left on a spool that is empty, or used no more; none where nothing is.
func WriteOff(on Entry, left units.Milligrams) []Entry {
	if left == 0 {
		return nil
	}
	on.Kind, on.Left = WrittenOff, -left
	return []Entry{on}
}

// Reached is what a nozzle has laid of what it is to lay when a print has come into a layer, counted from 1; 0 is none. The
// layer itself counts as laid: its beginning is all that is known. Where the layer is not known, or there are no figures by
// layer, it is by the share of the print's time.
func Reached(f *estimate.Full, use estimate.NozzleUse, layer int, share float64) units.Milligrams {
	if f == nil || len(f.ByLayer) == 0 || layer <= 0 {
		return units.MilligramsOf(use.Grams * min(1, max(0, share)))
	}
	var all, support, allTo, supportTo float64
	for k, l := range f.ByLayer {
		all, support = all+l.Grams, support+l.Support
		if k < layer {
			allTo, supportTo = allTo+l.Grams, supportTo+l.Support
		}
	}
	part := func(to, of float64) float64 {
		if of <= 0 {
			return min(1, float64(layer)/float64(len(f.ByLayer)))
		}
		return to / of
	}
	own := use.GramsSupport * part(supportTo, support)
	return units.MilligramsOf(own + (use.Grams-use.GramsSupport)*part(allTo-supportTo, all-support))
}
