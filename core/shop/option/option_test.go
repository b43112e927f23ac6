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
			parts = append(parts, Part{&verdict.Verdict{Machines: []verdict.MachineVerdict{{Name: "Other"}, {Name: "Large", Recipe: "plain", TurnDeg: 30, Fits: true, ScaleToFit: 1, Quick: &q}}}, n, nil})
			seconds, grams, layers = seconds+float64(n)*q.Seconds, grams+float64(n)*q.Grams, max(layers, q.Layers)
			filament, machineTime = filament+units.Cents(n)*q.Lines[0].Cents, machineTime+units.Cents(n)*q.Lines[1].Cents
		}
		got := OnMachine(Machine{Name: "Large"}, parts, nil)
		require.True(t, got.Fits)
		require.Equal(t, "plain", got.Recipe)
		require.InDelta(t, 30, got.TurnDeg, 0)
		require.InDelta(t, seconds, got.Quick.Seconds, 1e-6)
		require.InDelta(t, grams, got.Quick.Grams, 1e-6)
		require.InDelta(t, 90, got.Quick.WarmUpSeconds, 0)
		require.Equal(t, layers, got.Quick.Layers)
		require.Equal(t, []units.PriceLine{{Text: "Filament", Cents: filament}, {Text: "Machine time", Cents: machineTime}, {Text: price.StartLine, Cents: 50}}, got.Quick.Lines)
		require.Equal(t, filament+machineTime+50, got.Quick.Cents)
	})
	no := Part{&verdict.Verdict{Machines: []verdict.MachineVerdict{{Name: "Large", OverMM: [3]float64{0, 3, 0}, ScaleToFit: 0.9}}}, 1, nil}
	yes := Part{&verdict.Verdict{Machines: []verdict.MachineVerdict{{Name: "Large", Fits: true, ScaleToFit: 1, Quick: &verdict.Quick{}}}}, 1, nil}
	got := OnMachine(Machine{Name: "Large"}, []Part{yes, no}, nil)
	assert.False(t, got.Fits)
	assert.Nil(t, got.Quick)
	assert.Equal(t, [3]float64{0, 3, 0}, got.OverMM)
	assert.InDelta(t, 0.9, got.ScaleToFit, 0)
	assert.False(t, OnMachine(Machine{Name: "Large"}, []Part{yes, {nil, 1, nil}}, nil).Fits, "not judged yet")
	assert.False(t, OnMachine(Machine{Name: "Nowhere"}, []Part{yes}, nil).Fits)
	assert.False(t, OnMachine(Machine{Name: "Large"}, nil, nil).Fits)
}

// One part that is not sound makes the whole unsound, wherever it stands in the list.
func TestAFileIsAsSoundAsItsWorstPart(t *testing.T) {
	sound := verdict.Verdict{}
	sound.Closed, sound.Oriented = true, true
	for name, spoil := range map[string]func(v *verdict.Verdict){
		"open":    func(v *verdict.Verdict) { v.Closed = false },
		"turned":  func(v *verdict.Verdict) { v.Oriented = false },
		"crosses": func(v *verdict.Verdict) { v.Crosses = true },
	} {
		bad := sound
		spoil(&bad)
		for at := range 3 {
			parts := []Part{{&sound, 1, nil}, {&sound, 1, nil}, {&sound, 1, nil}}
			parts[at].Verdict = &bad
			w := Together(modelfile.STLBinary, parts, make([]verdict.Box, len(parts)), nil)
			assert.Equal(t, []bool{bad.Closed, bad.Oriented, bad.Crosses}, []bool{w.Closed, w.Oriented, w.Crosses}, "%s, in place %d", name, at)
		}
	}
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

// The figures of a slice take the place of those of all models; programs come on top, each copy
// a plate with a start of its own.
func TestASlicedJob(t *testing.T) {
	priced := func(s, g float64, cents units.Cents) *verdict.Quick {
		return &verdict.Quick{Quick: estimate.Quick{Seconds: s, WarmUpSeconds: 90, Grams: g, Layers: 5}, Price: units.Price{Cents: cents + 50, Lines: []units.PriceLine{{Text: "Machine time", Cents: cents}, {Text: price.StartLine, Cents: 50}}}}
	}
	part := func(format modelfile.Format, q *verdict.Quick, fits bool, copies int) Part {
		return Part{&verdict.Verdict{Format: format, Machines: []verdict.MachineVerdict{{Name: "Small", Fits: fits, ScaleToFit: 1, FootMM: [2]float64{40, 40}, ApartMM: 5, Quick: q}}}, copies, nil}
	}
	small := Machine{Name: "Small", Volume: machine.Volume{Shape: machine.Rectangle, XMM: 100, YMM: 100}}
	model, program := part(modelfile.STLBinary, priced(100, 1, 10), true, 9), part(modelfile.GCode, priced(1000, 7, 100), true, 2)
	got := OnMachine(small, []Part{model, program}, nil)
	assert.Equal(t, 3+2, got.Plates, "four lie on one plate")
	assert.Equal(t, []float64{1090, 1090, 390, 390, 390}, got.Runs)
	assert.InDelta(t, 9*100+2*1000, got.Quick.Seconds, 1e-9)
	assert.InDelta(t, 5*90, got.Quick.WarmUpSeconds, 1e-9)
	assert.EqualValues(t, 9*10+2*100+5*50, got.Quick.Cents)
	old := part(modelfile.STLBinary, priced(100, 1, 10), true, 9)
	old.Verdict.Machines[0].FootMM, old.Verdict.BoxMM = [2]float64{}, verdict.Box{Min: [3]float64{-40, 0, 0}, Max: [3]float64{40, 40, 9}}
	assert.Equal(t, 5, OnMachine(small, []Part{old}, nil).Plates, "of before footprints were kept: by its box, two lie on one plate")
	full := &price.Full{Full: estimate.Full{Seconds: 777, WarmUpSeconds: 88, GramsModel: 3, GramsPurge: 1, Layers: 9}, Price: units.Price{Cents: 160, Lines: []units.PriceLine{{Text: price.StartLine, Cents: 100}, {Text: "Filament", Cents: 60}}}, Plates: 2}
	model.Verdict.Machines[0].Fits = false // as it came; it was laid over to fit
	full.Each = []float64{400, 465}
	got = OnMachine(small, []Part{model, program}, full)
	assert.True(t, got.Fits)
	assert.Equal(t, []float64{400, 465, 1090, 1090}, got.Runs)
	assert.Equal(t, 2+2, got.Plates)
	assert.InDelta(t, 777+2*1000, got.Quick.Seconds, 1e-9)
	assert.InDelta(t, 88+2*90, got.Quick.WarmUpSeconds, 1e-9)
	assert.InDelta(t, 4+2*7, got.Quick.Grams, 1e-9)
	assert.EqualValues(t, 160+2*150, got.Quick.Cents)
	sum := units.Cents(0)
	for _, l := range got.Quick.Lines {
		sum += l.Cents
	}
	assert.Equal(t, got.Quick.Cents, sum)
	assert.False(t, OnMachine(small, []Part{part(modelfile.GCode, priced(1, 1, 1), false, 1), model}, full).Fits, "the program does not")
	assert.Equal(t, 1, OnMachine(Machine{Name: "Small"}, []Part{part(modelfile.STLBinary, priced(1, 1, 1), true, 500)}, nil).Plates, "how large the plate is, nobody said")
	assert.Nil(t, small.Of(nil))
	assert.Equal(t, "Small", small.Of(program.Verdict).Name)
}

func quickOf(seconds, filamentMM float64) *verdict.Quick {
	return &verdict.Quick{Quick: estimate.Quick{Seconds: seconds, FilamentMM: filamentMM}}
}

// A whole file is the sum of its copies: volumes, areas, counts; its middle is where their mass has it; its box
// is around all; what is wrong with one is wrong with it.
func TestAFileIsTheSumOfItsCopies(t *testing.T) {
	part := func(k float64, closed bool) *verdict.Verdict {
		return &verdict.Verdict{Triangles: int(10 * k), Vertices: int(5 * k), BodyCount: 1, Closed: closed, Oriented: true, BoundaryEdges: int(k), NonManifold: int(2 * k), Misoriented: int(3 * k),
			Degenerate: int(4 * k), Duplicate: int(6 * k), CrossingPairs: int(7 * k), VolumeMM3: 100 * k, AreaMM2: 60 * k,
			BoxMM: verdict.Box{Max: [3]float64{2, 2, 2}}, CentroidMM: [3]float64{1, 1, 1}}
	}
	boxes := []verdict.Box{{Max: [3]float64{4, 2, 2}}, {Min: [3]float64{10, 0, 0}, Max: [3]float64{12, 2, 2}}}
	v := Together(modelfile.ThreeMF, []Part{{part(1, true), 2, nil}, {part(3, false), 1, nil}}, boxes, nil)
	assert.Equal(t, [9]int{50, 25, 3, 5, 10, 15, 20, 30, 35}, [9]int{v.Triangles, v.Vertices, v.BodyCount, v.BoundaryEdges, v.NonManifold, v.Misoriented, v.Degenerate, v.Duplicate, v.CrossingPairs})
	assert.Equal(t, [2]bool{false, true}, [2]bool{v.Closed, v.Oriented})
	assert.InDelta(t, 500, v.VolumeMM3, 1e-9)
	assert.InDelta(t, 300, v.AreaMM2, 1e-9)
	assert.Equal(t, verdict.Box{Max: [3]float64{12, 2, 2}}, v.BoxMM)
	assert.InDelta(t, (200*2+300*11)/500., v.CentroidMM[0], 1e-9)
	assert.InDelta(t, 1, v.CentroidMM[1], 1e-9)
	one := part(1, true)
	assert.Same(t, one, Together(modelfile.STLBinary, []Part{{one, 1, nil}}, boxes, nil))
}
