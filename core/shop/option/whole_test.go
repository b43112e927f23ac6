package option

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/shape/problem"
)

// What nobody can waive of a whole job: just below each limit nothing is said, just above it is, with whether
// another machine does better.
func TestWhatNobodyCanWaive(t *testing.T) {
	const allowedS = 12 * 3600
	well := Whole{Name: "Bowline", RunS: allowedS, Takes: []Taken{{"PLA", 1000, 1000}, {"Soluble", 5000, 0}}}
	assert.Empty(t, well.Findings(nil, allowedS, printability.Use{}), "no more than is allowed, of a spool that nobody weighed")
	for _, c := range []struct {
		check        string
		change       func(w *Whole)
		value, limit float64
		says         string
	}{
		{"late", func(w *Whole) { w.DaysLate = 1 }, 1, 0, "one day after"},
		{"late", func(w *Whole) { w.DaysLate = 3 }, 3, 0, "3 days after"},
		{"long run", func(w *Whole) { w.RunS = allowedS + 1 }, 12, 12, "the house allows 12.0 h"},
		{"more than a spool", func(w *Whole) { w.Takes[0].Grams = 1000.5 }, 1000.5, 1000, "1,001 g of PLA"},
		{"more than a spool", func(w *Whole) { w.Takes[1].SpoolsGrams = 500 }, 5000, 500, "5,000 g of Soluble"},
		{"other filament", func(w *Whole) { w.Load = new(problem.Say("to be loaded", "PETG", "PLA")) }, 0, 0, "PETG is loaded, the recipe wants PLA"},
		{"other filament", func(w *Whole) { w.Load = new(problem.Say("nothing is loaded", "PLA")) }, 0, 0, "nothing is loaded"},
		{"nobody there", func(w *Whole) { w.AloneS = 5400 }, 1.5, 0, "1.5 h after its start Bowline waits"},
	} {
		w := Whole{Name: "Bowline", RunS: allowedS, Takes: []Taken{{"PLA", 1000, 1000}, {"Soluble", 5000, 0}}}
		c.change(&w)
		found := w.Findings([]Whole{well}, allowedS, printability.Use{})
		if assert.Len(t, found, 1, c.check) {
			f := found[0]
			assert.Equal(t, []any{c.check, finding.Decide}, []any{f.Check, f.Grade})
			assert.InDelta(t, c.value, f.Value, 0.001)
			assert.InDelta(t, c.limit, f.Limit, 0.001)
			assert.Contains(t, f.Text, c.says)
			if c.check != "nobody there" {
				assert.Contains(t, f.Text, "Bowline would do it.")
				alone := w.Findings([]Whole{w}, allowedS, printability.Use{})
				assert.Contains(t, alone[0].Text, "No other machine would.")
			}
		}
		if c.check == "long run" {
			assert.Empty(t, w.Findings(nil, 0, printability.Use{}), "any is allowed")
		}
	}
}
