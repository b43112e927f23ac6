package option

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/machine"
	"jobshelf/core/shape/modelfile"
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
		got := OnMachine("Large", parts)
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
	got := OnMachine("Large", []Part{yes, no})
	assert.False(t, got.Fits)
	assert.Nil(t, got.Quick)
	assert.Equal(t, [3]float64{0, 3, 0}, got.OverMM)
	assert.InDelta(t, 0.9, got.ScaleToFit, 0)
	assert.False(t, OnMachine("Large", []Part{yes, {nil, 1}}).Fits, "not judged yet")
	assert.False(t, OnMachine("Nowhere", []Part{yes}).Fits)
	assert.False(t, OnMachine("Large", nil).Fits)
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
	got := Sliced(v, "Small", &price.Full{Full: estimate.Full{Seconds: 77, GramsModel: 3, GramsPurge: 1}, Price: units.Price{Cents: 9}})
	assert.EqualValues(t, 9, got.Machines[1].Quick.Cents)
	assert.True(t, got.Machines[1].Fits, "it was laid over to fit")
	assert.InDelta(t, 77, got.Machines[1].Quick.Seconds, 0)
	assert.InDelta(t, 4, got.Machines[1].Quick.Grams, 0)
	assert.InDelta(t, 1, got.Machines[0].Quick.Seconds, 0)
	assert.False(t, v.Machines[1].Fits)
}

// A file of several: counts, surfaces and faults of all copies together.
func TestAFileAddsUp(t *testing.T) {
	a := &verdict.Verdict{Unit: units.Inch, Triangles: 2, Vertices: 3, BodyCount: 5, Closed: true, Oriented: true, BoundaryEdges: 7, NonManifold: 11, Misoriented: 13, Degenerate: 17, Duplicate: 19,
		CrossingPairs: 23, VolumeMM3: 29, AreaMM2: 31, CentroidMM: [3]float64{1, 2, 3}, BoxMM: verdict.Box{Min: [3]float64{0, 0, 0}, Max: [3]float64{4, 6, 8}}}
	b := &verdict.Verdict{Triangles: 100, Vertices: 200, BodyCount: 300, Closed: true, Oriented: true, BoundaryEdges: 400, NonManifold: 500, Misoriented: 600, Degenerate: 700, Duplicate: 800,
		CrossingPairs: 900, VolumeMM3: 1000, AreaMM2: 2000, CentroidMM: [3]float64{5, 5, 5}, BoxMM: verdict.Box{Min: [3]float64{3, 3, 3}, Max: [3]float64{7, 7, 7}}}
	boxes := []verdict.Box{{Min: [3]float64{100, 0, -10}, Max: [3]float64{108, 6, -2}}, {Min: [3]float64{-3, 50, 3}, Max: [3]float64{1, 54, 11}}}
	got := Together(modelfile.ThreeMF, []Part{{a, 2}, {b, 3}}, boxes, nil)
	assert.Equal(t, []int{304, 606, 910, 1214, 1522, 1826, 2134, 2438, 2746}, []int{got.Triangles, got.Vertices, got.BodyCount, got.BoundaryEdges, got.NonManifold, got.Misoriented, got.Degenerate, got.Duplicate, got.CrossingPairs})
	assert.InDelta(t, 3058, got.VolumeMM3, 1e-9)
	assert.InDelta(t, 6062, got.AreaMM2, 1e-9)
	assert.Equal(t, verdict.Box{Min: [3]float64{-3, 0, -10}, Max: [3]float64{108, 54, 11}}, got.BoxMM)
	// Copies lie evenly in their box: a part's centroid moves as the middle of its box does.
	for k, want := range [3]float64{(58*(1+104-2) + 3000*(5-1-5)) / 3058., (58*(2+3-3) + 3000*(5+52-5)) / 3058., (58*(3-6-4) + 3000*(5+7-5)) / 3058.} {
		assert.InDelta(t, want, got.CentroidMM[k], 1e-9, "axis %d", k)
	}
	for _, c := range []struct{ closed, oriented, crosses [2]bool }{
		{[2]bool{true, true}, [2]bool{true, true}, [2]bool{false, false}}, {[2]bool{true, false}, [2]bool{true, false}, [2]bool{false, true}},
		{[2]bool{false, true}, [2]bool{false, true}, [2]bool{true, false}}, {[2]bool{false, false}, [2]bool{false, false}, [2]bool{true, true}}} {
		a.Closed, b.Closed, a.Oriented, b.Oriented, a.Crosses, b.Crosses = c.closed[0], c.closed[1], c.oriented[0], c.oriented[1], c.crosses[0], c.crosses[1]
		got := Together(modelfile.ThreeMF, []Part{{a, 1}, {b, 1}}, boxes, nil)
		assert.Equal(t, []bool{c.closed[0] && c.closed[1], c.oriented[0] && c.oriented[1], c.crosses[0] || c.crosses[1]}, []bool{got.Closed, got.Oriented, got.Crosses})
	}
	// Without a volume, the middle of the box stands in.
	a.VolumeMM3, b.VolumeMM3 = 0, 0
	got = Together(modelfile.ThreeMF, []Part{{a, 1}, {b, 1}}, boxes, nil)
	assert.Equal(t, [3]float64{52.5, 27, 0.5}, got.CentroidMM)
	assert.Same(t, a, Together(modelfile.ThreeMF, []Part{{a, 1}}, boxes, nil))
	assert.NotSame(t, a, Together(modelfile.ThreeMF, []Part{{a, 2}}, boxes[:1], nil))
}

func quickOf(seconds, filamentMM float64) *verdict.Quick {
	return &verdict.Quick{Quick: estimate.Quick{Seconds: seconds, FilamentMM: filamentMM}}
}
