package plate

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/machine"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// A box of 2 x 1 x 0.5 inch stands in the middle of the plate, turned by a right
// angle; a plate that is too narrow takes it only turned; none takes it too high.
func TestPartsStandInTheMiddle(t *testing.T) {
	box := solid.Box(2, 1, 0.5).Transformed(1, mesh.Vec3{X: 300, Y: -7, Z: 4})
	b := Stand(box, 25.4, 90, machine.Volume{Shape: machine.Rectangle, XMM: 200, YMM: 100, ZMM: 80}).Bounds()
	for k, got := range [][2]float64{{b.Min.X, 100 - 12.7}, {b.Max.X, 100 + 12.7}, {b.Min.Y, 50 - 25.4}, {b.Max.Y, 50 + 25.4}, {b.Min.Z, 0}, {b.Max.Z, 12.7}} {
		assert.InDelta(t, got[1], got[0], 1e-9, "side %d", k)
	}
	round := Stand(box, 25.4, 0, machine.Volume{Shape: machine.Round, XMM: 100, YMM: 100, ZMM: 80}).Bounds()
	assert.InDelta(t, 0, round.Min.X+round.Max.X, 1e-9)
	assert.InDelta(t, -25.4, round.Min.X, 1e-9)

	st := StandingOf(box, 25.4, 37, machine.Volume{Shape: machine.Rectangle, XMM: 200, YMM: 100, ZMM: 80})
	for _, v := range box.Vertices {
		back := st.From(st.To(v))
		assert.InDelta(t, 0, back.Sub(v).Len(), 1e-9, "there and back")
	}

	narrow := machine.Volume{Shape: machine.Rectangle, XMM: 40, YMM: 60, ZMM: 20}
	fit := FitOf(box, 25.4, narrow)
	assert.True(t, fit.Fits)
	stood := Stand(box, 25.4, fit.TurnDeg, narrow).Bounds()
	assert.LessOrEqual(t, stood.Max.X, 40.)
	assert.LessOrEqual(t, stood.Max.Y, 60.)
	narrow.ZMM = 12
	fit = FitOf(box, 25.4, narrow)
	assert.False(t, fit.Fits)
	assert.InDelta(t, 0.7, fit.OverMM[2], 1e-3)
}

// What is drawn in inches, centimetres or metres, away from the origin and on its head,
// fits as its twin in millimetres does: in width, in depth and in height.
func TestFitDoesNotDependOnTheUnit(t *testing.T) {
	for _, unit := range []float64{0.001, 1, 10, 25.4, 1000} {
		for _, c := range []struct {
			x, y, z float64
			fits    bool
		}{{120, 50, 30, true}, {121, 50, 30, false}, {119, 51.5, 30, false}, {50, 120, 30, true}, {60, 40, 31, false}, {1, 1, 1, true}} {
			m := solid.Box(c.x/unit, c.y/unit, c.z/unit)
			for i := range m.Vertices { // on its head, far away
				v := &m.Vertices[i]
				v.X, v.Y, v.Z = v.X+500/unit, -v.Y-70/unit, 100/unit-v.Z
			}
			f := FitOf(m, unit, machine.Volume{Shape: machine.Rectangle, XMM: 120, YMM: 50, ZMM: 30})
			assert.Equal(t, c.fits, f.Fits, "%v in units of %g mm: %+v", c, unit, f)
		}
	}
	round := machine.Volume{Shape: machine.Round, XMM: 130, YMM: 130, ZMM: 30}
	assert.True(t, FitOf(solid.Box(120/25.4, 49.9/25.4, 1), 25.4, round).Fits, "the diagonal is 129.96 mm")
	assert.False(t, FitOf(solid.Box(120/25.4, 50.2/25.4, 1), 25.4, round).Fits)
}

// A triangle that a round plate takes stands within it: about the middle of its circle, which
// is not that of its box.
func TestATriangleStandsOnARoundPlate(t *testing.T) {
	v := machine.Volume{Shape: machine.Round, XMM: 100, YMM: 100, ZMM: 50}
	m := solid.Cylinder(49.9, 5, 3).Transformed(0.1, mesh.Vec3{X: 3, Y: 8})
	require.True(t, FitOf(m, 10, v).Fits)
	far := 0.0
	for _, p := range Stand(m, 10, 0, v).Vertices {
		far = max(far, math.Hypot(p.X, p.Y))
	}
	assert.InDelta(t, 49.9, far, 1e-3)
}
