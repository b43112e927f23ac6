// Package price makes prices: of what a print uses and how long it takes, of a job of several
// pieces. Every amount is rounded once, and its lines add up to it.
package price

import (
	"cmp"
	"math"
	"slices"

	"jobshelf/core/print/estimate"
	"jobshelf/core/print/machine"
	"jobshelf/core/shape/units"
)

// StartLine is the text of the fee for a run, due once however many pieces it has.
const StartLine = "Start"

// Charge is a part of a price before rounding, in cents.
type Charge struct {
	Text  string
	Cents float64
}

// mostCents is beyond any price.
const mostCents = 1e14

// Sum rounds the sum of the charges once, half to even, and splits it into
// lines that add up to it exactly: each charge is cut to whole cents, and what
// is then missing goes, a cent each, to the charges that lost most.
func Sum(charges []Charge) units.Price {
	var sum float64
	charges = slices.Clone(charges)
	for i := range charges {
		if !(math.Abs(charges[i].Cents) < mostCents) {
			charges[i].Cents = 0 // no price at all: a machine that hardly moves
		}
		sum += charges[i].Cents
	}
	total := units.CentsFromFloat(sum)
	lines := make([]units.PriceLine, len(charges))
	order := make([]int, len(charges))
	rest := total
	for i, c := range charges {
		lines[i] = units.PriceLine{Text: c.Text, Cents: units.Cents(math.Floor(c.Cents))}
		rest -= lines[i].Cents
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		fa, fb := charges[a].Cents-math.Floor(charges[a].Cents), charges[b].Cents-math.Floor(charges[b].Cents)
		return cmp.Compare(fb, fa)
	})
	for k := 0; rest > 0 && k < len(order); k, rest = k+1, rest-1 { // less than a cent was cut from each
		lines[order[k]].Cents++
	}
	return units.Price{Cents: total, Lines: lines}
}

// Of is the price of what is used and of a time on a machine, in seconds, with the
// house's fee for the start. Each material has its line.
func Of(uses []estimate.Use, seconds float64, m *machine.Machine, startCents units.Cents) units.Price {
	var charges []Charge
	for i, u := range uses {
		text := "Filament"
		if i > 0 {
			text = "Filament, " + u.Material.Name
		}
		if i == 0 || u.Grams > 0 {
			charges = append(charges, Charge{text, u.Grams * float64(u.Material.SpoolCents) / u.Material.SpoolGrams})
		}
	}
	return Sum(append(charges, Charge{"Machine time", seconds / 3600 * float64(m.RateCents)}, Charge{StartLine, float64(startCents)}))
}

// Add is the price of some copies more: line by line, but the fee for the start, which is
// due once however many there are.
func Add(p, more units.Price, copies int) units.Price {
	out := units.Price{Cents: p.Cents, Lines: slices.Clone(p.Lines)}
	for _, l := range more.Lines {
		k := slices.IndexFunc(out.Lines, func(o units.PriceLine) bool { return o.Text == l.Text })
		if k < 0 {
			out.Lines, k = append(out.Lines, units.PriceLine{Text: l.Text}), len(out.Lines)
		} else if l.Text == StartLine {
			continue
		}
		c := l.Cents
		if l.Text != StartLine {
			c *= units.Cents(copies)
		}
		out.Lines[k].Cents += c
		out.Cents += c
	}
	return out
}

// AddRuns is the price of so many runs more, each with its start.
func AddRuns(p, more units.Price, runs int) units.Price {
	out := units.Price{Cents: p.Cents, Lines: slices.Clone(p.Lines)}
	for _, l := range more.Lines {
		k := slices.IndexFunc(out.Lines, func(o units.PriceLine) bool { return o.Text == l.Text })
		if k < 0 {
			out.Lines, k = append(out.Lines, units.PriceLine{Text: l.Text}), len(out.Lines)
		}
		c := units.Cents(runs) * l.Cents
		out.Lines[k].Cents += c
		out.Cents += c
	}
	return out
}

// Starts is a price with one start as one with so many.
func Starts(p units.Price, n int) units.Price {
	for _, l := range p.Lines {
		if l.Text == StartLine {
			return AddRuns(p, units.Price{Lines: []units.PriceLine{l}}, n-1)
		}
	}
	return p
}

// Full is a full estimate with its price.
type Full struct {
	estimate.Full
	units.Price
	// Plates is how many it is of, each a start; 0 is one.
	Plates int `json:"plates,omitempty"`
	// Each is how long each of several plates takes, s, its warm-up among it.
	Each []float64 `json:"each_seconds,omitempty"`
}

// Runs are how long each of its plates takes, s.
func (f *Full) Runs() []float64 {
	if len(f.Each) > 0 {
		return f.Each
	}
	return []float64{f.WholeSeconds()}
}

// Today is a full estimate that was kept, at the prices of what is loaded now.
func (f *Full) Today(loaded machine.Loaded, m *machine.Machine, startCents units.Cents) *Full {
	kept := f.Full
	kept.Uses = nil
	for _, n := range f.Nozzles {
		kept.Uses = append(kept.Uses, estimate.Use{Material: loaded.Of(n.Nozzle), Grams: n.Grams})
	}
	out := OfPlates(&kept, f.Plates, m, startCents)
	out.Each = f.Each
	return out
}

// OfFull prices the full estimate of one plate.
func OfFull(f *estimate.Full, m *machine.Machine, startCents units.Cents) *Full {
	return OfPlates(f, 0, m, startCents)
}

// OfPlates prices what several plates come to.
func OfPlates(f *estimate.Full, plates int, m *machine.Machine, startCents units.Cents) *Full {
	return &Full{*f, Of(f.Uses, f.Seconds, m, units.Cents(max(1, plates))*startCents), plates, nil}
}

// Share splits an amount by weights into whole cents that add up to it: each is cut, and what is
// left goes, a cent each, to those that lost most. Without weight all have alike.
func Share(total units.Cents, weights []float64) []units.Cents {
	sum := 0.0
	for _, w := range weights {
		sum += w
	}
	charges := make([]Charge, len(weights))
	for i, w := range weights {
		if charges[i].Cents = float64(total) / float64(len(weights)); sum > 0 {
			charges[i].Cents = float64(total) * w / sum
		}
	}
	split := Sum(charges)
	out := make([]units.Cents, len(weights))
	for i, l := range split.Lines {
		out[i] = l.Cents
	}
	return out
}
