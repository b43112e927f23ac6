package option

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/machine"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
)

// Each machine's estimate is priced by that machine's hour, whatever the order; what has no
// estimate has no price.
func TestPricesAreThoseOfTheMachine(t *testing.T) {
	pla := &machine.Material{SpoolCents: 2500, SpoolGrams: 1000}
	hour := func() *verdict.Quick {
		return &verdict.Quick{Quick: estimate.Quick{Seconds: 3600, WarmUpSeconds: 999, Uses: []estimate.Use{{Material: pla, Grams: 4}}}}
	}
	v := &verdict.Verdict{Machines: []verdict.MachineVerdict{{Name: "Small", Quick: hour()}, {Name: "Large", Quick: hour()}, {Name: "Idle"}, {Name: "Gone", Quick: hour()}}}
	SetPrices(v, []verdict.Choice{{Machine: &machine.Machine{Name: "Large", RateCents: 300}}, {Machine: &machine.Machine{Name: "Small", RateCents: 100}}, {Machine: &machine.Machine{Name: "Idle"}}}, 50)
	assert.Equal(t, []units.Cents{160, 360, 0}, []units.Cents{v.Machines[0].Quick.Cents, v.Machines[1].Quick.Cents, v.Machines[3].Quick.Cents})
	assert.Nil(t, v.Machines[2].Quick)
}

// Adding up: copies and pieces add time, mass and price, the start is due once,
// the warm-up is the longest. Whatever the parts, the lines add up to the price.
func TestPartsAddUpOnAMachine(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var parts []Part
		seconds, grams, filament, machineTime, layers := 0.0, 0.0, units.Cents(0), units.Cents(0), 0
		for range rapid.IntRange(1, 5).Draw(t, "parts") {
			n := rapid.IntRange(1, 20).Draw(t, "copies")
			c := rapid.IntRange(0, 5000)
			q := verdict.Quick{Quick: estimate.Quick{Seconds: float64(c.Draw(t, "s")), Grams: float64(c.Draw(t, "g")), Layers: c.Draw(t, "layers"), WarmUpSeconds: 90}}
			q.Lines = []units.PriceLine{{Text: "Filament", Cents: units.Cents(c.Draw(t, "f"))}, {Text: "Machine time", Cents: units.Cents(c.Draw(t, "m"))}, {Text: price.StartLine, Cents: 50}}
			parts = append(parts, Part{&verdict.Verdict{Machines: []verdict.MachineVerdict{{Name: "Other"}, {Name: "Large", Fits: true, ScaleToFit: 1, Quick: &q}}}, n})
			seconds, grams, layers = seconds+float64(n)*q.Seconds, grams+float64(n)*q.Grams, max(layers, q.Layers)
			filament, machineTime = filament+units.Cents(n)*q.Lines[0].Cents, machineTime+units.Cents(n)*q.Lines[1].Cents
		}
		got := OnMachine(Machine{Name: "Large"}, parts)
		require.True(t, got.Fits)
		require.InDelta(t, seconds, got.Quick.Seconds, 1e-6)
		require.InDelta(t, grams, got.Quick.Grams, 1e-6)
		require.InDelta(t, 90, got.Quick.WarmUpSeconds, 0)
		require.Equal(t, layers, got.Quick.Layers)
		require.Equal(t, []units.PriceLine{{Text: "Filament", Cents: filament}, {Text: "Machine time", Cents: machineTime}, {Text: price.StartLine, Cents: 50}}, got.Quick.Lines)
		require.Equal(t, filament+machineTime+50, got.Quick.Cents)
	})
	no := Part{&verdict.Verdict{Machines: []verdict.MachineVerdict{{Name: "Large", OverMM: [3]float64{0, 3, 0}, ScaleToFit: 0.9}}}, 1}
	yes := Part{&verdict.Verdict{Machines: []verdict.MachineVerdict{{Name: "Large", Fits: true, ScaleToFit: 1, Quick: &verdict.Quick{}}}}, 1}
	got := OnMachine(Machine{Name: "Large"}, []Part{yes, no})
	assert.False(t, got.Fits)
	assert.Nil(t, got.Quick)
	assert.Equal(t, [3]float64{0, 3, 0}, got.OverMM)
	assert.InDelta(t, 0.9, got.ScaleToFit, 0)
	assert.False(t, OnMachine(Machine{Name: "Large"}, []Part{yes, {nil, 1}}).Fits, "not judged yet")
	assert.False(t, OnMachine(Machine{Name: "Nowhere"}, []Part{yes}).Fits)
	assert.False(t, OnMachine(Machine{Name: "Large"}, nil).Fits)
}

// A machine takes what fits it, where it is in service and the house has figures.
func TestWhatAMachineTakes(t *testing.T) {
	for _, c := range []struct {
		service, fits bool
		quick         *verdict.Quick
		takes         bool
	}{
		{true, true, quickOf(60, 1), true}, {false, true, quickOf(60, 1), false}, {true, false, quickOf(60, 1), false}, {true, true, nil, false}, {true, true, quickOf(0, 0), false},
	} {
		assert.Equal(t, c.takes, Takes(&verdict.MachineVerdict{Fits: c.fits, Quick: c.quick}, c.service))
	}
}

// The full figures take the place of the quick ones on one machine, in a copy.
func TestASlicedVerdict(t *testing.T) {
	v := &verdict.Verdict{Machines: []verdict.MachineVerdict{{Name: "Large", Fits: true, Quick: &verdict.Quick{Quick: estimate.Quick{Seconds: 1}}}, {Name: "Small", OverMM: [3]float64{5, 0, 0}}}}
	got := Sliced(v, Machine{Name: "Small"}, &price.Full{Full: estimate.Full{Seconds: 77, GramsModel: 3, GramsPurge: 1}, Price: units.Price{Cents: 9}})
	assert.EqualValues(t, 9, got.Machines[1].Quick.Cents)
	assert.True(t, got.Machines[1].Fits, "it was laid over to fit")
	assert.InDelta(t, 77, got.Machines[1].Quick.Seconds, 0)
	assert.InDelta(t, 4, got.Machines[1].Quick.Grams, 0)
	assert.InDelta(t, 1, got.Machines[0].Quick.Seconds, 0)
	assert.False(t, v.Machines[1].Fits)
}

func quickOf(seconds, filamentMM float64) *verdict.Quick {
	return &verdict.Quick{Quick: estimate.Quick{Seconds: seconds, FilamentMM: filamentMM}}
}
