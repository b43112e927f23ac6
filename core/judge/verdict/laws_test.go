package verdict

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
)

// several is three bodies of which one is open: an oblong block of no round sizes with a
// cavity, and a wedge beside it.
func several() *mesh.Mesh {
	m := solid.Box(37, 13, 9)
	in := solid.Box(11, 5, 3).Transformed(1, mesh.Vec3{X: 4, Y: 3, Z: 2})
	for i := range in.Triangles {
		t := &in.Triangles[i]
		t[0], t[1] = t[1], t[0]
	}
	m.Append(in)
	wedge := solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 16, Y: -3}, {X: 16, Y: 3}}, nil, 7)
	wedge.Triangles = wedge.Triangles[1:]
	m.Append(wedge.Transformed(1, mesh.Vec3{X: 40, Y: 6}))
	return m
}

// A part in any unit, wherever it was drawn, is judged as its twin in millimetres at the
// origin: measures, bodies, places, fits, estimates and texts.
func TestNeitherUnitNorPlaceMatters(t *testing.T) {
	choices := house()
	oblong := *choices[0].Machine
	oblong.Name, oblong.Volume = "Oblong", machine.Volume{Shape: machine.Rectangle, XMM: 60, YMM: 12, ZMM: 8}
	choices = append(choices, Choice{Machine: &oblong, Recipe: choices[0].Recipe, Loaded: choices[0].Loaded})
	judge := func(m *mesh.Mesh, u units.Length) *Verdict {
		v, err := Judge(ctx, Subject{Mesh: m, Unit: u}, choices, nil)
		require.NoError(t, err)
		return v
	}
	twin := judge(several(), units.Millimetre)
	require.Equal(t, 3, twin.BodyCount)
	require.InDelta(t, 1, twin.Machines[3].OverMM[1]+twin.Machines[3].OverMM[0], 0.01)
	require.InDelta(t, 1, twin.Machines[3].OverMM[2], 1e-6)
	require.NotEmpty(t, twin.Evidence)
	for _, u := range []units.Length{units.Millimetre, units.Centimetre, units.Metre, units.Inch, units.Foot, units.Micrometre} {
		for _, at := range []mesh.Vec3{{}, {X: 300, Y: -40, Z: 100}, {X: -37, Y: 500, Z: -9}} {
			name := fmt.Sprintf("in %s at %v", u, at)
			got := judge(several().Transformed(1, at).Transformed(1/u.MM(), mesh.Vec3{}), u)
			off := [3]float64{at.X, at.Y, at.Z}
			near := func(want, got float64, what string) {
				t.Helper()
				assert.InDelta(t, want, got, 1e-4*math.Max(1, math.Abs(want)), "%s: %s", name, what)
			}
			box := func(want, got Box, what string) {
				t.Helper()
				for k := range off {
					near(want.Min[k]+off[k], got.Min[k], what)
					near(want.Max[k]+off[k], got.Max[k], what)
				}
			}
			near(twin.VolumeMM3, got.VolumeMM3, "volume")
			near(twin.AreaMM2, got.AreaMM2, "area")
			box(twin.BoxMM, got.BoxMM, "box")
			require.Len(t, got.Bodies, len(twin.Bodies))
			for i, b := range twin.Bodies {
				o := got.Bodies[i]
				near(b.VolumeMM3, o.VolumeMM3, "a body's volume")
				near(b.AreaMM2, o.AreaMM2, "a body's area")
				box(b.BoxMM, o.BoxMM, "a body's box")
				assert.Equal(t, []any{b.Triangles, b.Closed, b.InsideOut, b.Cavity}, []any{o.Triangles, o.Closed, o.InsideOut, o.Cavity})
			}
			for k := range off {
				near(twin.CentroidMM[k]+off[k], got.CentroidMM[k], "centroid")
			}
			for i, m := range twin.Machines {
				o := got.Machines[i]
				assert.Equal(t, m.Fits, o.Fits, "%s: %s", name, m.Name)
				near(m.ScaleToFit, o.ScaleToFit, "scale")
				for k := range m.OverMM {
					near(m.OverMM[k], o.OverMM[k], m.Name)
				}
				if assert.Equal(t, m.Quick == nil, o.Quick == nil, "%s: %s", name, m.Name) && m.Quick != nil {
					assert.InEpsilon(t, m.Quick.Seconds, o.Quick.Seconds, 0.01, name)
					assert.InEpsilon(t, m.Quick.Grams, o.Quick.Grams, 0.01, name)
				}
			}
			require.Len(t, got.Findings, len(twin.Findings), name)
			for i, f := range twin.Findings {
				o := got.Findings[i]
				assert.Equal(t, f.Text, o.Text, name)
				near(f.Value, o.Value, f.Check)
				require.Len(t, o.Places, len(f.Places))
				for k := range f.Places {
					for a := range off {
						assert.InDelta(t, f.Places[k][a]+off[a], o.Places[k][a], 0.05, "%s: where it is said: %s", name, f.Text)
					}
				}
			}
		}
	}
}

// How far it is goes up and not down, through the steps, to the whole, with a machine's
// share for each that is estimated.
func TestProgressGoesUp(t *testing.T) {
	choices := house()
	taller := *choices[0].Recipe
	taller.LayerMM = 0.25
	choices = append(choices, Choice{Machine: choices[0].Machine, Recipe: &taller, Loaded: choices[0].Loaded})
	last, n := 0.0, 0
	least, most := 1.0, 0.0
	order := map[Stage]int{Checking: 0, Fitting: 1, Estimating: 2}
	at := 0
	_, err := Judge(ctx, Subject{Mesh: several(), Unit: units.Millimetre}, choices, func(s Stage, f float64) {
		assert.GreaterOrEqual(t, f, last)
		assert.GreaterOrEqual(t, order[s], at)
		if s == Estimating && f < 1 {
			least, most = math.Min(least, f), math.Max(most, f)
		}
		last, at = f, order[s]
		n++
	})
	require.NoError(t, err)
	assert.InDelta(t, 1, last, 1e-12)
	assert.InDelta(t, 0.65, least, 1e-9, "the first machine begins there")
	assert.Greater(t, most, 0.9, "the last one's share")
	assert.Greater(t, n, 6)
}

// A program of just the greatest heat runs, a degree more does not; nor one of more nozzles
// than there are, nor on a machine of another process.
func TestProgramsAtTheirEdges(t *testing.T) {
	choices := house()[:1]
	for name, c := range map[string]struct {
		change func(*gcode.Summary, *machine.Machine)
		fits   bool
	}{
		"as it is":    {func(*gcode.Summary, *machine.Machine) {}, true},
		"hottest":     {func(s *gcode.Summary, _ *machine.Machine) { s.NozzleMaxC, s.BedMaxC = 260, 90 }, true},
		"hotter":      {func(s *gcode.Summary, _ *machine.Machine) { s.NozzleMaxC = 261 }, false},
		"bed too hot": {func(s *gcode.Summary, _ *machine.Machine) { s.BedMaxC = 91 }, false},
		"two nozzles": {func(s *gcode.Summary, _ *machine.Machine) { s.ByTool = []float64{1, 2} }, false},
		"two of two": {func(s *gcode.Summary, m *machine.Machine) {
			s.ByTool = []float64{1, 2}
			m.NozzlesMM = []float64{0.4, 0.4}
		}, true},
		"another way":   {func(_ *gcode.Summary, m *machine.Machine) { m.Process = machine.VatPolymerization }, false},
		"to the border": {func(s *gcode.Summary, _ *machine.Machine) { s.Max.X, s.Max.Y, s.Max.Z = 200, 200, 200 }, true},
		"beyond":        {func(s *gcode.Summary, _ *machine.Machine) { s.Max.Y = 200.01 }, false},
	} {
		m := *choices[0].Machine
		s := &gcode.Summary{SecondsOn: []float64{100}, NozzleMaxC: 210, BedMaxC: 60}
		s.Max.X, s.Max.Y, s.Max.Z = 50, 50, 50
		c.change(s, &m)
		v := JudgeProgram(s, []Choice{{Machine: &m, Recipe: choices[0].Recipe, Loaded: choices[0].Loaded}}, 0)
		assert.Equal(t, c.fits, v.Machines[0].Fits, name)
		assert.Equal(t, c.fits, v.Machines[0].Quick != nil, name)
		assert.Equal(t, "as sliced elsewhere", v.Machines[0].Recipe)
	}
	assert.Empty(t, JudgeProgram(&gcode.Summary{SecondsOn: []float64{1}}, []Choice{{Machine: choices[0].Machine}}, 0).Machines[0].Recipe)
}
