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

// What is lost to the width of a line: the machine that loses most is the one that is told
// of, all are named, and only where nothing is left anywhere does it stop a job.
func TestWhatIsTooThin(t *testing.T) {
	assert.Empty(t, TooThin(nil, 3))
	places := make([][3]float64, finding.MaxPlaces+4)
	some := Lost{Machine: "Bowline", HeightMM: 2, AreaMM2: 0.5, LeastMM: 0.16, Places: places[:1]}
	most := Lost{Machine: "Capstan", HeightMM: 3, AreaMM2: 0.4, LeastMM: 0.24, Places: places}
	less := Lost{Machine: "Halyard", HeightMM: 1, AreaMM2: 9, LeastMM: 0.3}
	f := TooThin([]Lost{some, most, less}, 3)
	require.Len(t, f, 1)
	assert.Equal(t, finding.Decide, f[0].Grade)
	assert.InDelta(t, 3, f[0].Value, 0)
	assert.InDelta(t, 0.24, f[0].Limit, 0)
	assert.Len(t, f[0].Places, finding.MaxPlaces)
	assert.Contains(t, f[0].Text, "Up to 3.00 mm of its height have places thinner than 0.24 mm, the least that a line takes (up to 0.40 mm²): they would not be there on Bowline, Capstan, Halyard.")
	twin := less
	twin.HeightMM = 3
	assert.InDelta(t, 0.24, TooThin([]Lost{some, most, twin}, 3)[0].Limit, 0, "of two that lose as much the first")
	for k := range 3 { // all of it is gone on two of three, or on all that were not tried
		lost := []Lost{some, most, less}
		for j := range lost {
			lost[j].All = j != k
		}
		assert.Equal(t, finding.Decide, TooThin(lost, 3)[0].Grade)
	}
	some.All, most.All, less.All = true, true, true
	assert.Equal(t, finding.Decide, TooThin([]Lost{some, most}, 3)[0].Grade, "there is a machine that loses nothing")
	f = TooThin([]Lost{most, less, some}, 3)
	assert.Equal(t, finding.StopsIt, f[0].Grade)
	assert.Contains(t, f[0].Text, "It is nowhere 0.16 mm thick, the least that a line takes: nothing of it can be laid on Capstan, Halyard, Bowline.")
	assert.Len(t, TooThin([]Lost{some}, 1)[0].Places, 1)
}

// A line that goes round a corner ends where a disc as wide as it does: of a right angle
// half its width times √2 less one, of 60° just half its width (plane geometry).
func TestHowFarShortOfACornerALineEnds(t *testing.T) {
	assert.InDelta(t, 0.2*(math.Sqrt2-1), ShortMM(90, 0.4), 1e-12)
	assert.InDelta(t, 0.225, ShortMM(60, 0.45), 1e-12)
	assert.InDelta(t, 0, ShortMM(180, 0.45), 1e-12)
	f := Rounded(60, 2.24, 0.8, [3]float64{1, 2, 3})
	assert.Equal(t, finding.WorthKnowing, f.Grade)
	assert.InDelta(t, 0.4, f.Value, 1e-12)
	assert.Equal(t, [][3]float64{{1, 2, 3}}, f.Places)
	assert.Contains(t, f.Text, "Corners as sharp as 60° over 2.2 mm of its height: a line of 0.80 mm rounds them off, by up to 0.4 mm.")
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

// One is told as one, two as two.
func TestOneAndMore(t *testing.T) {
	for n, want := range map[int][4]string{
		1: {"1 triangle is there twice.", "Of 4 bodies, 1 faces inwards.", "1 triangle has no area", "1 hole: 3 edges have"},
		2: {"2 triangles are there twice.", "Of 4 bodies, 2 face inwards.", "2 triangles have no area", "2 holes: 6 edges have"},
	} {
		twice, inside, flat, open := &mesh.Mesh{}, &mesh.Mesh{}, &mesh.Mesh{}, &mesh.Mesh{}
		for k := range 4 {
			at := mesh.Vec3{X: 20 * float64(k)}
			a, b, c, d := solid.Box(9, 9, 9), solid.Box(9, 9, 9), solid.Box(9, 9, 9), solid.Box(9, 9, 9)
			if k < n {
				a.Triangles = append(a.Triangles, a.Triangles[2])
				for i := range b.Triangles {
					x := &b.Triangles[i]
					x[0], x[1] = x[1], x[0]
				}
				v := c.Triangles[0]
				c.Triangles = append(c.Triangles, [3]uint32{v[0], v[1], v[1]})
				d.Triangles = d.Triangles[1:]
			}
			twice.Append(a.Transformed(1, at))
			inside.Append(b.Transformed(1, at))
			flat.Append(c.Transformed(1, at))
			open.Append(d.Transformed(1, at))
		}
		f, _ := judged(t, twice, 1)
		assert.Contains(t, f["repeated triangles"].Text, want[0])
		f, _ = judged(t, inside, 1)
		assert.Contains(t, f["inside out"].Text, want[1])
		f, _ = judged(t, flat, 1)
		assert.Contains(t, f["triangles without area"].Text, want[2])
		f, _ = judged(t, open, 1)
		assert.Contains(t, f["open surface"].Text, want[3])
	}
}

// A surface that crosses itself beside bodies that overlap, before and behind it: each is
// placed at its own, and the pairs of both are drawn apart.
func TestCrossingBesideOverlapping(t *testing.T) {
	alone, aloneDrawn := judged(t, bowTie(), 1)
	require.Contains(t, alone, "crosses itself")
	assert.NotEmpty(t, alone["crosses itself"].Places)
	boxes := solid.Box(9, 8, 7).Transformed(1, mesh.Vec3{X: 100})
	boxes.Append(solid.Box(9, 8, 7).Transformed(1, mesh.Vec3{X: 104, Y: 3, Z: 2}))
	boxes.Append(solid.Box(1, 1, 1).Transformed(1, mesh.Vec3{X: 101, Y: 1, Z: 1})) // wholly inside
	for _, order := range [][2]*mesh.Mesh{{bowTie(), boxes}, {boxes, bowTie()}} {
		m := &mesh.Mesh{}
		m.Append(order[0])
		m.Append(order[1])
		r, err := mesh.Inspect(context.Background(), m)
		require.NoError(t, err)
		f, drawn := judged(t, m, 1)
		assert.InDelta(t, alone["crosses itself"].Value, f["crosses itself"].Value, 0)
		assert.Equal(t, alone["crosses itself"].Places, f["crosses itself"].Places)
		assert.Equal(t, aloneDrawn["crosses itself"].Faces, drawn["crosses itself"].Faces)
		assert.InDelta(t, 2, f["overlapping bodies"].Value, 0)
		require.Len(t, f["overlapping bodies"].Places, 2)
		for _, p := range f["overlapping bodies"].Places {
			assert.True(t, p[0] >= 100 && p[0] <= 113, "%v", p)
		}
		pairs := 0
		for _, o := range r.Overlaps {
			pairs += o.Pairs
		}
		require.Positive(t, pairs)
		assert.Len(t, drawn["overlapping bodies"].Faces, 2*pairs)
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

// A body thinner than what floating point keeps of it is a sheet, though its volume is not
// quite nothing; how much that is, is told in mm³.
func TestASheetThatIsNotQuiteNothing(t *testing.T) {
	for _, mm := range []float64{1, 25.4} {
		m := solid.Box(400, 300, 5e-7)
		r, err := mesh.Inspect(context.Background(), m)
		require.NoError(t, err)
		f, _ := Surface(m, r, mm)
		require.NotEmpty(t, f)
		last := f[len(f)-1]
		assert.Equal(t, "no volume", last.Check)
		assert.InDelta(t, 0.06*mm*mm*mm, last.Value, 1e-6*mm*mm*mm)
	}
}
