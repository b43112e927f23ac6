package price

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/estimate"
	"jobshelf/core/print/machine"
	"jobshelf/core/shape/units"
)

// An amount that is none (a machine that hardly moves) ends as nothing, soon.
func TestNoPriceWithoutEnd(t *testing.T) {
	for _, c := range []float64{1e80, math.Inf(1), math.NaN(), -1e80, 1e15, mostCents, -mostCents} {
		p := Sum([]Charge{{"Filament", 12.6}, {"Machine time", c}, {StartLine, 50}})
		assert.EqualValues(t, 63, p.Cents)
		assert.EqualValues(t, 0, p.Lines[1].Cents)
	}
}

func TestPriceLinesAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var charges []Charge
		var sum float64
		for range rapid.IntRange(1, 8).Draw(t, "n") {
			c := rapid.Float64Range(0, 1e6).Draw(t, "cents")
			charges, sum = append(charges, Charge{"x", c}), sum+c
		}
		p := Sum(charges)
		total, lines := p.Cents, p.Lines
		var of units.Cents
		for i, l := range lines {
			of += l.Cents
			require.InDelta(t, charges[i].Cents, float64(l.Cents), 1.0000001)
		}
		require.Equal(t, total, of)
		// Who lost most gets a cent first.
		least, most := 1.0, 0.0
		for i, l := range lines {
			whole := math.Floor(charges[i].Cents)
			if lost := charges[i].Cents - whole; float64(l.Cents) > whole {
				least = min(least, lost)
			} else {
				most = max(most, lost)
			}
		}
		require.GreaterOrEqual(t, least, most)
		require.InDelta(t, sum, float64(total), 0.5000001)
	})
	pla := &machine.Material{SpoolGrams: 1000, SpoolCents: 2500}
	soluble := &machine.Material{Name: "Soluble", SpoolGrams: 500, SpoolCents: 3400}
	for _, c := range []struct {
		uses  []estimate.Use
		texts string
	}{
		{[]estimate.Use{{Material: pla, Grams: 0}}, "Filament 0, Machine time 60, Start 50"},
		{[]estimate.Use{{Material: pla, Grams: 8}, {Material: soluble, Grams: 0}}, "Filament 20, Machine time 60, Start 50"},
		{[]estimate.Use{{Material: pla, Grams: 8}, {Material: soluble, Grams: 10}}, "Filament 20, Filament, Soluble 68, Machine time 60, Start 50"},
	} {
		lines := Of(c.uses, 1800, &machine.Machine{RateCents: 120}, 50).Lines
		var texts []string
		for _, l := range lines {
			texts = append(texts, fmt.Sprintf("%s %d", l.Text, l.Cents))
		}
		assert.Equal(t, c.texts, strings.Join(texts, ", "))
	}
	assert.Equal(t, units.Cents(2), Sum([]Charge{{"x", 2.5}}).Cents, "half to even")
	assert.EqualValues(t, 10, Of([]estimate.Use{{Material: pla, Grams: 4}}, 0, &machine.Machine{}, 0).Cents, "4 g of a 1 kg spool at 25.00 cost 0.10 (common practice, no source)")
	full := OfFull(&estimate.Full{Seconds: 1800, WarmUpSeconds: 999, Uses: []estimate.Use{{Material: pla, Grams: 8}}}, &machine.Machine{RateCents: 120}, 50)
	assert.EqualValues(t, 130, full.Cents, "warm-up is not charged")
}

// So many runs more add each line as often, to the line of the same name, and their own start each.
func TestRunsAddTheirLines(t *testing.T) {
	one := units.Price{Cents: 150, Lines: []units.PriceLine{{Text: "Filament", Cents: 100}, {Text: StartLine, Cents: 50}}}
	more := units.Price{Cents: 77, Lines: []units.PriceLine{{Text: "Machine time", Cents: 7}, {Text: "Filament", Cents: 20}, {Text: StartLine, Cents: 50}}}
	assert.Equal(t, units.Price{Cents: 150 + 3*77, Lines: []units.PriceLine{{Text: "Filament", Cents: 160}, {Text: StartLine, Cents: 200}, {Text: "Machine time", Cents: 21}}}, AddRuns(one, more, 3))
	assert.Equal(t, int64(100), int64(one.Lines[0].Cents), "the first stays")
	assert.Equal(t, units.Price{Cents: 250, Lines: []units.PriceLine{{Text: "Filament", Cents: 100}, {Text: StartLine, Cents: 150}}}, Starts(one, 3))
	none := units.Price{Cents: 9, Lines: []units.PriceLine{{Text: "Filament", Cents: 9}}}
	assert.Equal(t, none, Starts(none, 3))
}
