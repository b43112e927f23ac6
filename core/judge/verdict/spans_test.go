package verdict

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// spans are the lengths of the distances that are drawn for a check.
func spans(v *Verdict, check string) (mm []float64) {
	for _, e := range v.Evidence {
		if e.Check == check {
			for _, s := range e.Spans {
				at := func(k int) mesh.Vec3 { return mesh.Vec3{X: float64(s[k]), Y: float64(s[k+1]), Z: float64(s[k+2])} }
				mm = append(mm, at(3).Sub(at(0)).Len())
			}
		}
	}
	return mm
}

func unsupported(of recipe.Support) []Choice {
	return bench(func(_ *machine.Machine, r *recipe.Recipe, _ *machine.Material) { r.Support = of })
}

// turnedZ turns a mesh about the vertical.
func turnedZ(m *mesh.Mesh, deg float64) *mesh.Mesh {
	sin, cos := math.Sincos(deg * math.Pi / 180)
	out := &mesh.Mesh{Triangles: m.Triangles}
	for _, v := range m.Vertices {
		out.Vertices = append(out.Vertices, mesh.Vec3{X: v.X*cos - v.Y*sin, Y: v.X*sin + v.Y*cos, Z: v.Z})
	}
	return out
}

// A gate is bridged from post to post: told past 10 mm, to be decided past 30, as long as it is and in its height,
// however it is turned; nothing where support stands under it. A shelf that is held at one side is no bridge.
func TestBridgesAreMeasured(t *testing.T) {
	gate := func(span float64) *mesh.Mesh {
		return prism(14, solid.P{X: 0, Y: 0}, solid.P{X: 8, Y: 0}, solid.P{X: 8, Y: 12}, solid.P{X: 8 + span, Y: 12}, solid.P{X: 8 + span, Y: 0}, solid.P{X: 16 + span, Y: 0}, solid.P{X: 16 + span, Y: 15}, solid.P{X: 0, Y: 15})
	}
	for _, c := range []struct {
		span  float64
		grade finding.Grade
	}{{9.5, ""}, {10.5, finding.WorthKnowing}, {29.5, finding.WorthKnowing}, {30.5, finding.Decide}} {
		for _, deg := range []float64{0, 30, 90} {
			f, v := asItIs(t, turnedZ(gate(c.span), deg), unsupported(recipe.SupportOff))
			b := f["long bridge"]
			require.Equal(t, c.grade, b.Grade, "%g mm at %g°", c.span, deg)
			if c.grade == "" { // it hangs over air, and that does no harm
				assert.Equal(t, finding.WorthKnowing, f["overhangs"].Grade, "%g mm at %g°", c.span, deg)
				assert.Contains(t, f["overhangs"].Text, "bridge them from wall to wall")
				continue
			}
			assert.Equal(t, finding.Decide, f["overhangs"].Grade)
			assert.InDelta(t, c.span, b.Value, 0.35, "%g°", deg)
			require.NotEmpty(t, b.Places)
			want := turnedZ(&mesh.Mesh{Vertices: []mesh.Vec3{{X: 8 + c.span/2, Y: -7, Z: 12}}}, deg).Vertices[0]
			got := vec(b.Places[0])
			assert.InDelta(t, want.Z, got.Z, 0.2)
			assert.LessOrEqual(t, got.Sub(want).Len(), 7.5, "in its middle line")
			drawn := spans(v, "long bridge")
			require.NotEmpty(t, drawn)
			assert.InDelta(t, b.Value, drawn[0], 1e-4)
			for _, of := range []recipe.Support{recipe.SupportEverywhere, recipe.SupportPlateOnly} {
				f, _ := asItIs(t, gate(c.span), unsupported(of))
				assert.NotContains(t, f, "long bridge")
			}
		}
	}
	shelf := prism(14, solid.P{X: 0, Y: 0}, solid.P{X: 8, Y: 0}, solid.P{X: 8, Y: 12}, solid.P{X: 40, Y: 12}, solid.P{X: 40, Y: 15}, solid.P{X: 0, Y: 15})
	f, _ := asItIs(t, shelf, unsupported(recipe.SupportOff))
	assert.NotContains(t, f, "long bridge")
	assert.Equal(t, finding.Decide, f["overhangs"].Grade)
	ball, _ := asItIs(t, solid.Sphere(30, 96), unsupported(recipe.SupportOff))
	assert.NotContains(t, ball, "long bridge", "what leans out is held at one side")
	// The roof of a room is a bridge too, the shorter way across it.
	room := solid.Box(60, 20, 24)
	inner := solid.Box(50, 14, 16).Transformed(1, mesh.Vec3{X: 5, Y: 3, Z: 4})
	for i := range inner.Triangles {
		x := &inner.Triangles[i]
		x[1], x[2] = x[2], x[1]
	}
	room.Append(inner)
	f, _ = asItIs(t, room, unsupported(recipe.SupportOff))
	assert.InDelta(t, 14, f["long bridge"].Value, 0.3)
	assert.InDelta(t, 20, f["long bridge"].Places[0][2], 0.2)
}

// A slot narrower than a line is told with its width, in a block and between two; one that is wider is not, nor a
// corner that opens inwards, nor a round hole.
func TestGapsNarrowerThanALine(t *testing.T) {
	slot := func(w float64) *mesh.Mesh {
		return solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 20, Y: 0}, {X: 20, Y: 10 - w/2}, {X: 4, Y: 10 - w/2}, {X: 4, Y: 10 + w/2}, {X: 20, Y: 10 + w/2}, {X: 20, Y: 20}, {X: 0, Y: 20}}, nil, 8)
	}
	hinge := func(w float64) *mesh.Mesh {
		m := solid.Box(20, 10, 8)
		m.Append(solid.Box(20, 10, 8).Transformed(1, mesh.Vec3{Y: 10 + w}))
		return m
	}
	ring := func(w float64) *mesh.Mesh { // a pin in a sleeve
		m := solid.Cylinder(5, 8, 96)
		m.Append(solid.Extrude(solid.Circle(0, 0, 12, 96), [][]solid.P{reversed(solid.Circle(0, 0, 5+w, 96))}, 8))
		return m
	}
	for _, c := range []struct {
		w    float64
		told bool
	}{{0.1, true}, {0.3, true}, {0.42, true}, {0.48, false}, {0.7, false}} {
		for name, m := range map[string]*mesh.Mesh{"slot": slot(c.w), "slot, turned": turnedZ(slot(c.w), 31), "hinge": hinge(c.w), "ring": ring(c.w)} {
			f, v := asItIs(t, m, bench(nil))
			g, told := f["narrow gap"]
			require.Equal(t, c.told, told, "%s of %g mm", name, c.w)
			if !told {
				continue
			}
			assert.Equal(t, finding.WorthKnowing, g.Grade)
			assert.InDelta(t, c.w, g.Value, 0.02, name)
			assert.Contains(t, g.Text, "No other machine would.")
			require.NotEmpty(t, g.Places)
			drawn := spans(v, "narrow gap")
			require.NotEmpty(t, drawn)
			assert.InDelta(t, c.w, drawn[0], 0.02, "%s: from wall to wall", name)
		}
	}
	fine := append(bench(nil), bench(func(m *machine.Machine, r *recipe.Recipe, _ *machine.Material) {
		m.Name, m.NozzlesMM[0], r.LineMM = "Fine", 0.2, 0.25
	})...)
	// A slot that narrows towards its end is as wide as its wider part, and shown there.
	wedge := solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 20, Y: 0}, {X: 20, Y: 9.8}, {X: 4, Y: 9.95}, {X: 4, Y: 10.05}, {X: 20, Y: 10.2}, {X: 20, Y: 20}, {X: 0, Y: 20}}, nil, 8)
	narrows, v := asItIs(t, wedge, bench(nil))
	require.Contains(t, narrows, "narrow gap")
	assert.InDelta(t, 0.38, narrows["narrow gap"].Value, 0.03)
	assert.InDelta(t, narrows["narrow gap"].Value, spans(v, "narrow gap")[0], 0.05)
	f, _ := asItIs(t, slot(0.3), fine)
	assert.Contains(t, f["narrow gap"].Text, "Fine would do it.")
	for name, m := range map[string]*mesh.Mesh{
		"corner": solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 20, Y: 0}, {X: 20, Y: 20}, {X: 10, Y: 6}, {X: 0, Y: 20}}, nil, 8),
		"holes":  solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 20, Y: 0}, {X: 20, Y: 20}, {X: 0, Y: 20}}, [][]solid.P{reversed(solid.Circle(5, 5, 1, 32)), reversed(solid.Circle(12, 12, 4, 64))}, 8),
		"torus":  solid.Torus(12, 4, 64, 24).Transformed(1, mesh.Vec3{Z: 4}), "ball": solid.Sphere(10, 64),
	} {
		f, _ := asItIs(t, m, bench(nil))
		assert.NotContains(t, f, "narrow gap", name)
	}
}

func reversed(p []solid.P) []solid.P {
	out := make([]solid.P, len(p))
	for i := range p {
		out[len(p)-1-i] = p[i]
	}
	return out
}

// An arm of less than 3 mm that is long and stands on support may break off with it; a thicker or a shorter one does
// not, nor a board, nor where no support is laid.
func TestThinArmsOnSupport(t *testing.T) {
	arm := func(thick, wide, long float64) *mesh.Mesh {
		m := solid.Box(12, 12, 20)
		lo, hi := 6-wide/2, 6+wide/2
		head := []solid.P{{X: 0, Y: 0}, {X: 12, Y: 0}, {X: 12, Y: lo}, {X: 12 + long, Y: lo}, {X: 12 + long, Y: hi}, {X: 12, Y: hi}, {X: 12, Y: 12}, {X: 0, Y: 12}}
		if wide > 12 {
			head = []solid.P{{X: 0, Y: 0}, {X: 12, Y: 0}, {X: 12, Y: lo}, {X: 12 + long, Y: lo}, {X: 12 + long, Y: hi}, {X: 0, Y: hi}}
		}
		m.Append(solid.Extrude(head, nil, thick).Transformed(1, mesh.Vec3{Z: 20}))
		return m
	}
	for _, c := range []struct {
		thick, wide, long float64
		told              bool
	}{{2.9, 2.9, 40, true}, {3.1, 2.9, 40, false}, {2.9, 3.1, 40, false}, {2, 2, 40, true}, {2, 1.9, 14, true}, {2, 1.9, 10, false}, {2.9, 2.9, 5, false}, {2, 20, 40, false}, {0.8, 2.5, 30, true}} {
		m := arm(c.thick, c.wide, c.long)
		f, v := asItIs(t, m, bench(nil))
		x, told := f["thin on support"]
		require.Equal(t, c.told, told, "%v", c)
		if !told {
			continue
		}
		assert.InDelta(t, math.Max(c.thick, c.wide), x.Value, 0.1)
		require.NotEmpty(t, x.Places)
		assert.InDelta(t, 20+c.thick/2, x.Places[0][2], 0.01, "in its middle")
		drawn := spans(v, "thin on support")
		require.Len(t, drawn, 1)
		assert.InDelta(t, c.long, drawn[0], 1.2, "from end to end")
		f, _ = asItIs(t, m, unsupported(recipe.SupportOff))
		assert.NotContains(t, f, "thin on support")
	}
}

// A wall that is too thin is measured where it is drawn; a neck is ringed.
func TestWhatIsDrawnIsMeasured(t *testing.T) {
	_, v := asItIs(t, solid.Box(2.9, 40, 60), bench(func(m *machine.Machine, _ *recipe.Recipe, _ *machine.Material) { m.LeastMM = 3 }))
	drawn := spans(v, "thin wall")
	require.NotEmpty(t, drawn)
	for _, mm := range drawn {
		assert.InDelta(t, 2.9, mm, 1e-4)
	}
	bell := solid.Revolve([]solid.P{{X: 0, Y: 0}, {X: 12, Y: 0}, {X: 12, Y: 10}, {X: 3, Y: 14}, {X: 3, Y: 26}, {X: 12, Y: 30}, {X: 12, Y: 40}, {X: 0, Y: 40}}, 64)
	_, v = asItIs(t, bell, bench(nil))
	round := 0.0
	for _, e := range v.Evidence {
		if e.Check == "weak neck" {
			for _, l := range e.Lines {
				round += math.Hypot(float64(l[3]-l[0]), float64(l[4]-l[1]))
			}
		}
	}
	assert.InDelta(t, 2*math.Pi*3, round, 0.05)
}
