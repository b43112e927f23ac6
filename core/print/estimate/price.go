package estimate

import (
	"cmp"
	"math"
	"slices"

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

// Price rounds the sum of the charges once, half to even, and splits it into
// lines that add up to it exactly: each charge is cut to whole cents, and what
// is then missing goes, a cent each, to the charges that lost most.
func Price(charges []Charge) (units.Cents, []PriceLine) {
	var sum float64
	charges = slices.Clone(charges)
	for i := range charges {
		if !(math.Abs(charges[i].Cents) < mostCents) {
			charges[i].Cents = 0 // no price at all: a machine that hardly moves
		}
		sum += charges[i].Cents
	}
	total := units.CentsFromFloat(sum)
	lines := make([]PriceLine, len(charges))
	order := make([]int, len(charges))
	rest := total
	for i, c := range charges {
		lines[i] = PriceLine{c.Text, units.Cents(math.Floor(c.Cents))}
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
	return total, lines
}

// Use is a mass of a material.
type Use struct {
	Material *machine.Material
	Grams    float64
}

// PriceOf is the price of what is used and of a time on a machine, with the
// house's fee for the start. Each material has its line.
func PriceOf(uses []Use, seconds float64, m *machine.Machine, startCents units.Cents) (units.Cents, []PriceLine) {
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
	return Price(append(charges, Charge{"Machine time", seconds / 3600 * float64(m.RateCents)}, Charge{StartLine, float64(startCents)}))
}
