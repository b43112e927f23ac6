package printability

import (
	"context"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// A line that goes round a corner ends where a disc as wide as it does: of a right angle
// half its width times √2 less one, of 60° just half its width (plane geometry).
func TestHowFarShortOfACornerALineEnds(t *testing.T) {
	assert.InDelta(t, 0.2*(math.Sqrt2-1), ShortMM(90, 0.4), 1e-12)
	assert.InDelta(t, 0.225, ShortMM(60, 0.45), 1e-12)
	assert.InDelta(t, 0, ShortMM(180, 0.45), 1e-12)
	f := Rounded(60, 2.24, 0.8, 0.4, [3]float64{1, 2, 3})
	assert.Equal(t, finding.WorthKnowing, f.Grade)
	assert.InDelta(t, 0.4, f.Value, 1e-12)
	assert.Equal(t, [][3]float64{{1, 2, 3}}, f.Places)
	assert.Contains(t, f.Text, "Corners as sharp as 60° over 2.2 mm of its height: a line of 0.80 mm rounds them off, by up to 0.4 mm.")
}

// A tip that is lost is to be known, what is more to be decided, and a part of which nothing is left stops it: by both
// limits, on whichever machine it is worst.
func TestWhatIsLostIsGraded(t *testing.T) {
	for _, c := range []struct {
		heightMM, areaMM2 float64
		all               bool
		want              finding.Grade
	}{
		{1.99, 0.99, false, finding.WorthKnowing},
		{2, 0.99, false, finding.Decide},
		{1.99, 1, false, finding.Decide},
		{1.99, 0.99, true, finding.StopsIt},
	} {
		for k := range 2 {
			lost := []Lost{{Machine: "A", HeightMM: 0.1, AreaMM2: 0.1, LeastMM: 0.8, All: true}, {Machine: "B", HeightMM: 0.1, AreaMM2: 0.1, LeastMM: 0.5, All: true}}
			lost[k].HeightMM, lost[k].AreaMM2, lost[k].All = c.heightMM, c.areaMM2, c.all
			lost[k].Places = [][3]float64{{1, 2, 3}}
			f := TooThin(lost, 2)
			require.Len(t, f, 1)
			assert.Equal(t, c.want, f[0].Grade, "%+v, on machine %d", c, k)
			assert.InDelta(t, c.heightMM, f[0].Value, 0)
			assert.InDelta(t, lost[k].LeastMM, f[0].Limit, 0)
			assert.Equal(t, lost[k].Places, f[0].Places)
			assert.Contains(t, f[0].Text, "A, B")
			if c.all {
				assert.Contains(t, f[0].Text, "0.50", "what the finest of them takes")
			}
		}
	}
	flat := func(longMM, thickMM float64) int {
		return len(Flat(mesh.Box{Max: mesh.Vec3{X: 5, Y: longMM, Z: thickMM}}))
	}
	assert.Equal(t, []int{1, 0, 1, 0}, []int{flat(60, 1), flat(59.9, 1), flat(240, 4), flat(250, 4.01)})
}

// In whatever order its triangles stand and with whichever corner they begin, the same is
// told of a surface: of edges that bodies share in order, and of those where they are not,
// with holes and turned faces before and behind them.
func TestTheOrderOfTrianglesDoesNotMatter(t *testing.T) {
	box := func(x, y float64) *mesh.Mesh { return solid.Box(10, 10, 10).Transformed(1, mesh.Vec3{X: x, Y: y}) }
	clear := box(0, 0)
	clear.Append(box(10, 10)) // an edge in common
	mesh.MergeEqual(clear)
	unclear := box(0, 0)
	unclear.Triangles = append(unclear.Triangles, unclear.Triangles[3])
	with := func(m *mesh.Mesh, spoil func(*mesh.Mesh)) *mesh.Mesh {
		far := box(40, 0)
		spoil(far)
		out := &mesh.Mesh{Vertices: slices.Clone(m.Vertices), Triangles: slices.Clone(m.Triangles)}
		out.Append(far)
		return out
	}
	hole := func(m *mesh.Mesh) { m.Triangles = m.Triangles[1:] }
	turn := func(m *mesh.Mesh) { x := &m.Triangles[6]; x[0], x[1] = x[1], x[0] }
	behind := func(m *mesh.Mesh, spoil func(*mesh.Mesh)) *mesh.Mesh {
		out := box(40, 0)
		spoil(out)
		out.Append(m)
		return out
	}
	for name, c := range map[string]struct {
		m     *mesh.Mesh
		grade finding.Grade
		edges float64
	}{
		"unclear behind one":  {behind(unclear, hole), finding.Decide, 3},
		"unclear behind two":  {behind(unclear, turn), finding.Decide, 3},
		"clear":               {clear, finding.WorthKnowing, 1},
		"unclear":             {unclear, finding.Decide, 3},
		"clear and a hole":    {with(clear, hole), finding.WorthKnowing, 1},
		"unclear and a hole":  {with(unclear, hole), finding.Decide, 3},
		"clear and a turn":    {with(clear, turn), finding.WorthKnowing, 1},
		"unclear and a turn":  {with(unclear, turn), finding.Decide, 3},
		"clear and unclear":   {with(clear, func(m *mesh.Mesh) { m.Triangles = append(m.Triangles, m.Triangles[3]) }), finding.Decide, 4},
		"unclear and clear":   {with(unclear, func(m *mesh.Mesh) { m.Append(box(50, 10)); mesh.MergeEqual(m) }), finding.Decide, 4},
		"three bodies in one": {with(clear, func(m *mesh.Mesh) { m.Append(box(50, 10)); mesh.MergeEqual(m) }), finding.WorthKnowing, 2},
	} {
		first, drawn := judged(t, c.m, 1)
		x := first["shared edges"]
		assert.Equal(t, c.grade, x.Grade, "%s: %s", name, x.Text)
		assert.InDelta(t, c.edges, x.Value, 0, name)
		assert.Equal(t, c.grade == finding.WorthKnowing, strings.Contains(x.Text, "Inside and outside are clear there"), name)
		assert.Equal(t, c.grade == finding.WorthKnowing, len(x.Mend) == 0, name)
		// Each edge is drawn once, at its own place.
		for _, check := range []string{"shared edges", "turned faces"} {
			assert.Len(t, drawn[check].Lines, int(first[check].Value), "%s: %s", name, check)
			assert.Len(t, first[check].Places, min(finding.MaxPlaces, int(first[check].Value)), "%s: %s", name, check)
			for i, l := range drawn[check].Lines {
				p := first[check].Places[i]
				assert.InDelta(t, p[0], float64(l[0]+l[3])/2, 0.002)
				assert.InDelta(t, p[2], float64(l[2]+l[5])/2, 0.002)
			}
		}
		n := len(c.m.Triangles)
		for from := range n {
			m := &mesh.Mesh{Vertices: c.m.Vertices}
			for k := range n {
				v := c.m.Triangles[(from+k)%n]
				m.Triangles = append(m.Triangles, [3]uint32{v[from%3], v[(from+1)%3], v[(from+2)%3]})
			}
			again, redrawn := judged(t, m, 1)
			require.Len(t, again, len(first), "%s from %d", name, from)
			for check, f := range first {
				assert.Equal(t, f.Text, again[check].Text, "%s from %d", name, from)
				assert.Equal(t, f.Grade, again[check].Grade, "%s from %d", name, from)
				assert.Len(t, redrawn[check].Lines, len(drawn[check].Lines), "%s from %d: %s", name, from, check)
			}
		}
	}
}

// A finding that has nothing to draw comes without evidence, and evidence is bounded.
func TestEvidence(t *testing.T) {
	crumb := solid.Box(30, 30, 30)
	crumb.Append(solid.Box(0.2, 0.2, 0.2).Transformed(1, mesh.Vec3{X: 50}))
	r, err := mesh.Inspect(context.Background(), crumb)
	require.NoError(t, err)
	f, drawn := Surface(crumb, r, 1)
	assert.Len(t, f, 1)
	assert.Empty(t, drawn)
	s := &surface{m: crumb, mm: 1}
	var e finding.Evidence
	for range finding.MaxFaces + finding.MaxLines {
		s.face(&e, 0)
		s.line(&e, mesh.Vec3{}, mesh.Vec3{X: 1})
	}
	assert.Len(t, e.Faces, finding.MaxFaces)
	assert.Len(t, e.Lines, finding.MaxLines)
	assert.InDelta(t, 12, spread([3]mesh.Vec3{{}, {X: 3}, {Y: 4}}), 1e-12, "three, four and five")
	assert.InDelta(t, 12, spread([3]mesh.Vec3{{Y: 4}, {}, {X: 3}}), 1e-12)
}
