package printability

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
)

func box(x, y, z float64) mesh.Box { return mesh.Box{Max: mesh.Vec3{X: x, Y: y, Z: z}} }

// Sizes by hand: 2 mm may be 2 inches or 2 cm or 2 m; 40 mm is meant; 50 000 mm
// may be micrometres; a file that states its unit is believed.
func TestSizesAndTheirUnits(t *testing.T) {
	fits := func(scale float64) int { return map[float64]int{25.4: 4, 10: 5}[scale] }
	f, p := Size(box(2, 1, 0.5), "", fits)
	require.Len(t, f, 1)
	assert.Equal(t, finding.Decide, f[0].Grade)
	assert.Contains(t, f[0].Text, "in inches it would be 50.8 mm and go on 4 machines, in centimetres it would be 20 mm and go on 5 machines")
	require.Len(t, p, 3)
	assert.Equal(t, []units.Length{units.Inch, units.Centimetre, units.Metre}, []units.Length{p[0].Unit, p[1].Unit, p[2].Unit})
	assert.InDelta(t, 50.8, p[0].LongestMM, 1e-9)
	for _, c := range []struct {
		box    mesh.Box
		stated units.Length
	}{{box(40, 2, 2), ""}, {box(6, 1, 1), ""}, {box(1000, 1, 1), ""}, {box(2, 1, 1), units.Millimetre}} {
		f, p := Size(c.box, c.stated, fits)
		assert.Empty(t, f)
		assert.Empty(t, p)
	}
	_, p = Size(box(50_000, 1, 1), "", fits)
	require.Len(t, p, 1)
	assert.Equal(t, units.Micrometre, p[0].Unit)
	assert.InDelta(t, 50, p[0].LongestMM, 1e-9)
	_, p = Size(box(0.1, 0.1, 0.1), "", fits)
	require.Len(t, p, 1, "0.1 inch and 0.1 cm make no sense either")
	assert.Equal(t, units.Metre, p[0].Unit)
}

func TestFitsFlatAndWorst(t *testing.T) {
	assert.Empty(t, Fits(3, 1, 1))
	assert.Empty(t, Fits(0, 0, 0), "a house without machines says nothing")
	f := Fits(3, 0, 0.7599)
	require.Len(t, f, 1)
	assert.Contains(t, f[0].Text, "75.9 %", "rounded down: at 76 % it would not go")
	assert.Len(t, Flat(box(181, 20, 3)), 1)
	assert.Empty(t, Flat(box(179, 20, 3)), "less than sixty times")
	assert.Empty(t, Flat(box(400, 20, 4.1)), "thick enough")
	assert.Empty(t, Flat(box(400, 20, 0)))
	w, ok := finding.Worst([]finding.Finding{{Check: "a", Grade: finding.WorthKnowing}, {Check: "b", Grade: finding.StopsIt}, {Check: "c", Grade: finding.Decide}})
	assert.True(t, ok)
	assert.Equal(t, "b", w.Check)
	_, ok = finding.Worst(nil)
	assert.False(t, ok)
}

// judged inspects a mesh and gives its findings by check.
func judged(t *testing.T, m *mesh.Mesh, mm float64) (map[string]finding.Finding, map[string]finding.Evidence) {
	t.Helper()
	r, err := mesh.Inspect(context.Background(), m)
	require.NoError(t, err)
	found, drawn := Surface(m, r, mm)
	f, e := map[string]finding.Finding{}, map[string]finding.Evidence{}
	for _, x := range found {
		assert.NotContains(t, f, x.Check, "once each")
		assert.NotEmpty(t, x.Text)
		assert.LessOrEqual(t, len(x.Places), finding.MaxPlaces)
		f[x.Check] = x
	}
	for _, x := range drawn {
		assert.LessOrEqual(t, len(x.Lines), finding.MaxLines)
		assert.LessOrEqual(t, len(x.Faces), finding.MaxFaces)
		e[x.Check] = x
	}
	return f, e
}

func turned(m *mesh.Mesh, t int) *mesh.Mesh {
	out := &mesh.Mesh{Vertices: m.Vertices, Triangles: append([][3]uint32{}, m.Triangles...)}
	v := out.Triangles[t]
	out.Triangles[t] = [3]uint32{v[0], v[2], v[1]}
	return out
}

// Each fault, made by hand on a sound part, is found with its grade, its place on
// the part and a repair that mends it; the sound part has none.
func TestFaultsOfASurface(t *testing.T) {
	sound := solid.Box(10, 20, 30)
	f, _ := judged(t, sound, 1)
	assert.Empty(t, f)

	hole := &mesh.Mesh{Vertices: sound.Vertices, Triangles: sound.Triangles[1:]}
	f, e := judged(t, hole, 25.4)
	require.Contains(t, f, "open surface")
	x := f["open surface"]
	assert.Equal(t, finding.StopsIt, x.Grade)
	assert.InDelta(t, 3, x.Value, 0)
	assert.Contains(t, x.Text, "1 hole: 3 edges have only one face")
	require.Len(t, x.Places, 1)
	gone := sound.Triangles[0]
	mid := sound.Vertices[gone[0]].Add(sound.Vertices[gone[1]]).Add(sound.Vertices[gone[2]]).Scale(25.4 / 3)
	assert.InDeltaSlice(t, []float64{mid.X, mid.Y, mid.Z}, x.Places[0][:], 0.001, "in mm, in the hole's middle")
	assert.Len(t, e["open surface"].Lines, 3)

	f, e = judged(t, turned(sound, 5), 1)
	assert.Equal(t, finding.Decide, f["turned faces"].Grade)
	assert.InDelta(t, 3, f["turned faces"].Value, 0, "all its three edges")
	assert.Equal(t, []repair.Step{repair.Orient}, f["turned faces"].Mend)
	assert.Len(t, e["turned faces"].Lines, 3)

	inside := sound
	for i := range sound.Triangles {
		inside = turned(inside, i)
	}
	f, _ = judged(t, inside, 1)
	assert.Contains(t, f["inside out"].Text, "Every face looks inwards")
	assert.Equal(t, [3]float64{5, 10, 15}, f["inside out"].Places[0])

	twice := &mesh.Mesh{Vertices: sound.Vertices, Triangles: append(append([][3]uint32{}, sound.Triangles...), sound.Triangles[3])}
	f, _ = judged(t, twice, 1)
	assert.InDelta(t, 1, f["repeated triangles"].Value, 0)
	assert.Contains(t, f, "shared edges")

	flat := &mesh.Mesh{Vertices: append(append([]mesh.Vec3{}, sound.Vertices...), mesh.Vec3{X: 5}, mesh.Vec3{X: 6}, mesh.Vec3{X: 7}), Triangles: append([][3]uint32{}, sound.Triangles...)}
	n := uint32(len(sound.Vertices))
	flat.Triangles = append(flat.Triangles, [3]uint32{n, n + 1, n + 2})
	f, _ = judged(t, flat, 1)
	assert.Equal(t, finding.WorthKnowing, f["triangles without area"].Grade)

	two := solid.Box(10, 10, 10)
	two.Append(solid.Box(10, 10, 10).Transformed(1, mesh.Vec3{X: 5, Y: 5, Z: 5}))
	f, e = judged(t, two, 1)
	assert.Contains(t, f["overlapping bodies"].Text, "1 pair of bodies take up the same space")
	assert.Equal(t, []repair.Step{repair.Unite}, f["overlapping bodies"].Mend)
	assert.NotEmpty(t, e["overlapping bodies"].Faces)
	assert.NotContains(t, f, "crosses itself", "that is told once")
	f, _ = judged(t, solid.CrossedBand(), 1)
	assert.Contains(t, f["crosses itself"].Text, "Repair cannot mend this")
	assert.Empty(t, f["crosses itself"].Mend)

	crumb := solid.Box(30, 30, 30)
	crumb.Append(solid.Box(0.2, 0.2, 0.2).Transformed(1, mesh.Vec3{X: 50}))
	f, _ = judged(t, crumb, 1)
	assert.Contains(t, f["crumbs"].Text, "One body is smaller")
	assert.Equal(t, [3]float64{50.1, 0.1, 0.1}, f["crumbs"].Places[0])

	sheet := &mesh.Mesh{Vertices: []mesh.Vec3{{}, {X: 10}, {Y: 10}}, Triangles: [][3]uint32{{0, 1, 2}}}
	f, _ = judged(t, sheet, 1)
	assert.Equal(t, finding.StopsIt, f["no volume"].Grade)
}
