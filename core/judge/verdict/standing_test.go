package verdict

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
)

// bench is a machine with a recipe that supports past 45°, and a material.
func bench(change func(m *machine.Machine, r *recipe.Recipe, f *machine.Material)) []Choice {
	m := machine.Machine{Name: "Bench", Process: machine.MaterialExtrusion, InService: true, Volume: machine.Volume{Shape: machine.Rectangle, XMM: 400, YMM: 400, ZMM: 400},
		NozzlesMM: []float64{0.4}, FilamentMM: 1.75, NozzleMaxC: 280, BedMaxC: 100, Motion: machine.Motion{SpeedMMPerS: 200, AccelMMPerS2: 3000, JunctionDeviationMM: 0.02, LiftMMPerS: 20}}
	f := machine.Material{Name: "PLA", DensityGPerCM: 1.24, SpoolGrams: 1000, NozzleC: 210, NozzleMaxC: 240, BedC: 60, ShrinkPercent: 0.3}
	r := recipe.Recipe{Name: "plain", Purpose: recipe.Everyday, Machine: "Bench", Material: "PLA", LayerMM: 0.2, FirstLayerMM: 0.2, LineMM: 0.45, Shells: 2, InfillPercent: 15, NozzleC: 210, BedC: 60,
		Support: recipe.SupportEverywhere, SupportDeg: 45}
	if change != nil {
		change(&m, &r, &f)
	}
	return []Choice{{ID: 1, Machine: &m, Recipe: &r, Loaded: machine.Loaded{&f}}}
}

// asItIs judges a part that stands as it is drawn, and gives its findings by check.
func asItIs(t *testing.T, m *mesh.Mesh, choices []Choice) (map[string]finding.Finding, *Verdict) {
	t.Helper()
	away := mesh.Vec3{X: 7, Y: -300, Z: -500} // wherever it is drawn
	v, err := Judge(context.Background(), Subject{Mesh: m.Transformed(1, away), Unit: units.Millimetre, Stand: &orient.Stand{}}, choices, nil)
	require.NoError(t, err)
	for i := range v.Findings {
		for k, p := range v.Findings[i].Places {
			v.Findings[i].Places[k] = [3]float64{p[0] - away.X, p[1] - away.Y, p[2] - away.Z}
		}
	}
	out := map[string]finding.Finding{}
	for _, f := range v.Findings {
		assert.NotContains(t, out, f.Check, "once each")
		out[f.Check] = f
	}
	return out, v
}

// prism is a figure of x and z, so deep, standing.
func prism(deep float64, outer ...solid.P) *mesh.Mesh {
	m := solid.Extrude(outer, nil, deep)
	for i, v := range m.Vertices { // y of the figure is up
		m.Vertices[i] = mesh.Vec3{X: v.X, Y: -v.Z, Z: v.Y}
	}
	return m
}

// A plate on a foot leans over at an angle from upright: what hangs over past the recipe's 45° is told, as large as
// the face is and with the room under it, by closed forms; at less than that nothing.
func TestSlantedPlatesOverhang(t *testing.T) {
	const long, thick, deep = 40.0, 6.0, 20.0
	for _, deg := range []float64{30, 44, 46, 50, 60} {
		sin, cos := math.Sincos(deg * math.Pi / 180)
		// A foot so wide that it stands, and the plate from its end outwards.
		m := prism(deep, solid.P{X: -40, Y: 0}, solid.P{X: 0, Y: 0}, solid.P{X: long * sin, Y: long * cos}, solid.P{X: long*sin - thick*cos, Y: long*cos + thick*sin}, solid.P{X: -thick / cos, Y: 0.01}, solid.P{X: -40, Y: 0.01})
		m.Append(solid.Box(80, deep, 4).Transformed(1, mesh.Vec3{X: -80, Y: -deep, Z: 0}))
		found, v := asItIs(t, m, bench(nil))
		f, told := found["overhangs"]
		require.Equal(t, deg > 45, told, "%g°: %v", deg, v.Findings)
		if !told {
			continue
		}
		assert.Equal(t, finding.WorthKnowing, f.Grade)
		assert.InDelta(t, deep*long*sin*long*cos/2/1000, f.Value, 0.03*f.Value, "%g°: the wedge under it, cm³", deg)
		assert.InDelta(t, long*deep, v.standing.OverhangMM2, 0.01*long*deep)
		require.NotEmpty(t, f.Places)
		for _, p := range f.Places { // on the leaning face
			assert.InDelta(t, p[2]*sin/cos, p[0], 0.01)
		}
		drawn := 0.0
		for _, e := range v.Evidence {
			if e.Check == "overhangs" {
				for _, x := range e.Faces {
					at := func(k int) mesh.Vec3 { return mesh.Vec3{X: float64(x[k]), Y: float64(x[k+1]), Z: float64(x[k+2])} }
					drawn += at(3).Sub(at(0)).Cross(at(6).Sub(at(0))).Len() / 2
				}
			}
		}
		assert.InDelta(t, long*deep, drawn, 0.01)
		off, _ := asItIs(t, m, bench(func(_ *machine.Machine, r *recipe.Recipe, _ *machine.Material) { r.Support = recipe.SupportOff }))
		assert.Equal(t, finding.Decide, off["overhangs"].Grade)
		assert.Contains(t, off["overhangs"].Text, "no support is laid on Bench")
	}
}

// A leaning post tips over at the angle of its formula; told below 6°, to be decided below 3°, and where its middle of
// mass lies beside its foot. What is no higher than a nut is left alone.
func TestWhatTipsOver(t *testing.T) {
	post := func(w, h, by float64) *mesh.Mesh {
		return prism(w, solid.P{X: 0, Y: 0}, solid.P{X: w, Y: 0}, solid.P{X: w + by, Y: h}, solid.P{X: by, Y: h})
	}
	for _, c := range []struct {
		w, h, by float64
		grade    finding.Grade
	}{
		{20, 180, 0, ""}, {20, 191, 0, finding.WorthKnowing}, {20, 380, 0, finding.WorthKnowing}, {20, 383, 0, finding.Decide}, {1, 150, 0, finding.Decide},
		{20, 60, 10, ""}, {20, 60, 16, finding.WorthKnowing}, {20, 60, 18, finding.Decide}, {20, 60, 25, finding.Decide}, {2, 4.9, 3, ""},
	} {
		f, v := asItIs(t, post(c.w, c.h, c.by), bench(nil))
		want := math.Max(0, math.Atan2((c.w-c.by)/2, c.h/2)*180/math.Pi)
		assert.InDelta(t, want, v.standing.TipDeg, 0.06, "%v", c)
		assert.Equal(t, c.grade, f["tips over"].Grade, "%v: %v", c, want)
		if c.grade != "" { // its middle of mass is over there
			require.Len(t, f["tips over"].Places, 1)
			assert.InDeltaSlice(t, []float64{(c.w + c.by) / 2, -c.w / 2, 0}, f["tips over"].Places[0][:], 0.01)
		}
		if c.by > c.w && c.grade != "" {
			assert.Contains(t, f["tips over"].Text, "beside its foot")
		}
	}
}

// A foot of less than 25 mm² holds too little down, unless a brim does.
func TestWhatHardlyTouchesThePlate(t *testing.T) {
	rim := bench(func(_ *machine.Machine, r *recipe.Recipe, _ *machine.Material) { r.Adhesion = recipe.AdhesionBrim })
	for _, c := range []struct {
		side, high float64
		told       bool
	}{{4.9, 20, true}, {5.2, 20, false}, {4.9, 4.9, false}} {
		f, _ := asItIs(t, solid.Box(c.side, c.side, c.high), bench(nil))
		assert.Equal(t, c.told, f["little on the plate"].Check != "", "%v", c)
		f, _ = asItIs(t, solid.Box(c.side, c.side, c.high), rim)
		assert.NotContains(t, f, "little on the plate")
	}
}

// A tongue that hangs from a bridge begins in mid-air: at its height, of its area; not where it reaches the plate, nor
// where the wall beside it is as near as a cell.
func TestWhatBeginsInMidAir(t *testing.T) {
	hung := func(from float64) *mesh.Mesh {
		return prism(10, solid.P{X: 0, Y: 0}, solid.P{X: 5, Y: 0}, solid.P{X: 5, Y: 20}, solid.P{X: 15, Y: 20}, solid.P{X: 15, Y: from}, solid.P{X: 25, Y: from}, solid.P{X: 25, Y: 20},
			solid.P{X: 35, Y: 20}, solid.P{X: 35, Y: 0}, solid.P{X: 40, Y: 0}, solid.P{X: 40, Y: 30}, solid.P{X: 0, Y: 30})
	}
	for _, from := range []float64{0, 8, 14, 20} {
		f, _ := asItIs(t, hung(from), bench(nil))
		in, told := f["begins in mid-air"]
		require.Equal(t, from > 0 && from < 20, told, "from %g", from)
		if told {
			assert.InDelta(t, 1, in.Value, 0)
			require.Len(t, in.Places, 1)
			assert.InDeltaSlice(t, []float64{20, -5, from}, in.Places[0][:], 0.3)
			off, _ := asItIs(t, hung(from), bench(func(_ *machine.Machine, r *recipe.Recipe, _ *machine.Material) { r.Support = recipe.SupportFirstLayer }))
			assert.Equal(t, finding.Decide, off["begins in mid-air"].Grade)
		}
	}
}

// A dumb-bell is weak at its neck: by how much thinner than its heads it is, and only where that is thin by itself; a
// post that tapers has none.
func TestWeakNecks(t *testing.T) {
	bell := func(head, neck float64) *mesh.Mesh {
		return solid.Revolve([]solid.P{{X: 0, Y: 0}, {X: head, Y: 0}, {X: head, Y: 10}, {X: neck, Y: 14}, {X: neck, Y: 26}, {X: head, Y: 30}, {X: head, Y: 40}, {X: 0, Y: 40}}, 64)
	}
	for _, c := range []struct {
		head, neck float64
		told       bool
	}{{12, 3.7, true}, {12, 3.9, false}, {20, 4.9, true}, {20, 5.2, false}, {30, 5.2, false}} {
		f, _ := asItIs(t, bell(c.head, c.neck), bench(nil))
		n, told := f["weak neck"]
		assert.Equal(t, c.told, told, "%v", c)
		if told {
			assert.InDelta(t, 100*c.neck*c.neck/c.head/c.head, n.Value, 0.05)
			assert.Equal(t, finding.WorthKnowing, n.Grade)
			assert.InDelta(t, 20, n.Places[0][2], 0.2)
			strong, _ := asItIs(t, bell(c.head, c.neck), bench(func(_ *machine.Machine, r *recipe.Recipe, _ *machine.Material) { r.Purpose = recipe.WorkingPart }))
			assert.Equal(t, finding.Decide, strong["weak neck"].Grade)
		}
	}
	cone, _ := asItIs(t, solid.Revolve([]solid.P{{X: 0, Y: 0}, {X: 15, Y: 0}, {X: 1, Y: 30}, {X: 0, Y: 30}}, 48), bench(nil))
	assert.NotContains(t, cone, "weak neck")
}

// A long foot pulls up where its material shrinks by more than 0.8 mm over it; not on a brim, and not where it is told
// to be cut from sheet.
func TestWhatPullsUp(t *testing.T) {
	for _, c := range []struct {
		long, shrink float64
		told         bool
	}{{266, 0.3, false}, {267, 0.3, true}, {99, 0.8, false}, {101, 0.8, true}} {
		made := func(a recipe.Adhesion) []Choice {
			return bench(func(_ *machine.Machine, r *recipe.Recipe, f *machine.Material) {
				f.ShrinkPercent, r.Adhesion = c.shrink, a
			})
		}
		f, _ := asItIs(t, solid.Box(c.long, 40, 20), made(recipe.AdhesionSkirt))
		p, told := f["pulls up"]
		assert.Equal(t, c.told, told, "%v", c)
		if told {
			assert.InDelta(t, c.long*c.shrink/100, p.Value, 1e-6)
		}
		f, _ = asItIs(t, solid.Box(c.long, 40, 20), made(recipe.AdhesionRaft))
		assert.NotContains(t, f, "pulls up")
	}
	f, _ := asItIs(t, solid.Box(300, 40, 2), bench(nil))
	assert.Contains(t, f, "long and flat")
	assert.NotContains(t, f, "pulls up")
	var sum float64
	for k := range 5 { // a neck is found wherever it is
		areas := []float64{100, 100, 100, 100, 100}
		areas[k] = 5
		n := printability.NeckOf(areas, []float64{1, 2, 3, 4, 5})
		if k > 0 && k < 4 {
			assert.InDelta(t, float64(k+1), n.HeightMM, 0)
			assert.InDelta(t, 0.05, n.Share, 1e-12)
			sum++
		} else {
			assert.InDelta(t, 1, n.Share, 0, "an end is no neck")
		}
	}
	assert.InDelta(t, 3, sum, 0)
}

// A house that wants no walls under 3 mm is told of 2.9 and not of 3.1, however the plate lies, and where another
// machine does it; so for lines: what opening a layer finds and what a ray finds are two measures.
func TestThinWallsByRay(t *testing.T) {
	wants := func(least ...float64) []Choice {
		var out []Choice
		for k, mm := range least {
			c := bench(func(m *machine.Machine, _ *recipe.Recipe, _ *machine.Material) {
				m.LeastMM, m.Name = mm, []string{"Bench", "Fine"}[k]
			})
			c[0].ID = int64(k + 1)
			out = append(out, c...)
		}
		return out
	}
	for _, c := range []struct {
		m     *mesh.Mesh
		least []float64
		grade finding.Grade
		value float64
	}{
		{solid.Box(60, 40, 2.9), []float64{3}, finding.Decide, 2.9}, {solid.Box(60, 40, 3.1), []float64{3}, "", 0}, {solid.Box(2.9, 40, 60), []float64{3}, finding.Decide, 2.9},
		{solid.Box(2.9, 40, 60), []float64{3, 1}, finding.WorthKnowing, 2.9}, {solid.Box(2.9, 40, 60), []float64{3, 0}, finding.WorthKnowing, 2.9}, {solid.Box(2.9, 40, 60), []float64{0}, "", 0},
		{solid.Box(0.3, 40, 20), []float64{0.4}, finding.Decide, 0.3}, {solid.Box(0.4, 40, 20), []float64{0.39}, "", 0}, {solid.Box(0.8, 40, 20), []float64{0.81}, finding.Decide, 0.8},
		{solid.Box(0.8, 0.8, 0.8), []float64{1}, finding.Decide, 0.8}, {solid.Box(0.5, 0.5, 0.5), []float64{1}, "", 0}, // less than 2 mm² of surface
	} {
		f, _ := asItIs(t, c.m, wants(c.least...))
		x := f["thin wall"]
		assert.Equal(t, c.grade, x.Grade, "%v of %v", c.least, c.m.Bounds().Size())
		if c.grade != "" {
			assert.InDelta(t, c.value, x.Value, 1e-6)
			require.NotEmpty(t, x.Places)
			b := c.m.Bounds()
			for _, p := range x.Places {
				assert.True(t, p[0] > b.Min.X && p[0] < b.Max.X && p[1] > b.Min.Y && p[1] < b.Max.Y && p[2] > b.Min.Z && p[2] < b.Max.Z, "within it")
			}
		}
		if c.grade == finding.WorthKnowing {
			assert.Contains(t, x.Text, "Fine would do it.")
		}
	}
}

// What lines ask of a nozzle: line × layer × speed against what it melts, more where it is hotter.
func TestLinesFasterThanTheNozzleMelts(t *testing.T) {
	for _, c := range []struct {
		melts, speed, hot float64
		told              bool
	}{{9, 99, 210, false}, {9, 101, 210, true}, {9, 105, 220, false}, {9, 95, 200, true}, {0, 500, 210, false}} {
		f, _ := asItIs(t, solid.Box(20, 20, 10), bench(func(m *machine.Machine, r *recipe.Recipe, _ *machine.Material) {
			m.MeltsMM3PerS, r.InfillMMPerS, r.NozzleC = c.melts, c.speed, c.hot
		}))
		x, told := f["faster than it melts"]
		assert.Equal(t, c.told, told, "%v", c)
		if told {
			assert.InDelta(t, 0.45*0.2*c.speed, x.Value, 1e-9)
			assert.InDelta(t, c.melts*(1+(c.hot-210)/100), x.Limit, 1e-9)
		}
	}
}
