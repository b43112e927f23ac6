package toolpath

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/polygon"
)

// Where a line of support would hang, struts lie beneath it: over the open lattice so that
// no span is longer than a pitch, by a loose end, across the hollow of a pillar; from line
// to line that is carried itself, by the shortest way, and never out of the support.
func TestStrutsBeneathWhatWouldHang(t *testing.T) {
	mm := func(xy ...float64) polygon.Path {
		var p polygon.Path
		for i := 0; i < len(xy); i += 2 {
			p = append(p, polygon.Point{X: int64(1000 * xy[i]), Y: int64(1000 * xy[i+1])})
		}
		return p
	}
	line := func(p polygon.Path) Line { return Line{Kind: Support, Points: p, WidthMM: 0.4} }
	ring := func(p polygon.Path) Line { return Line{Kind: Support, Closed: true, Points: p, WidthMM: 0.4} }
	lattice := []Line{line(mm(0, 0, 20, 0)), line(mm(0, 4, 20, 4)), line(mm(0, 8, 20, 8))}
	plate := mm(-1, -1, 21, -1, 21, 9, -1, 9)
	for _, c := range []struct {
		name         string
		below, above []Line
		room, part   polygon.Path
		want         []polygon.Path
	}{
		{"along the rows", lattice, []Line{line(mm(2, 2, 18, 2))}, plate, nil,
			[]polygon.Path{mm(2.2, 0, 2.2, 4), mm(6, 0, 6, 4), mm(9.8, 0, 9.8, 4), mm(13.8, 0, 13.8, 4), mm(17.8, 0, 17.8, 4)}},
		{"a neighbour has them", lattice, []Line{line(mm(5, 2, 8.6, 2)), line(mm(5, 1.4, 8.6, 1.4))}, plate, nil,
			[]polygon.Path{mm(5.2, 0, 5.2, 4), mm(8.4, 0, 8.4, 4)}},
		{"across them, with a loose end", lattice, []Line{line(mm(5, 0, 5, 6))}, plate, nil, []polygon.Path{mm(5, 8, 5, 4)}},
		{"a short end holds itself", lattice, []Line{line(mm(5, 0, 5, 4.9))}, plate, nil, nil},
		{"the part carries it", lattice, []Line{line(mm(2, 2, 18, 2))}, plate, mm(1, 1, 19, 1, 19, 3, 1, 3), nil},
		{"its rim does", lattice, []Line{line(mm(4, 2, 6, 2))}, plate, mm(3, 2.3, 7, 2.3, 7, 3, 3, 3), nil},
		{"no way through open air", lattice, []Line{line(mm(5, 2, 8, 2))}, mm(-1, -1, 21, -1, 21, 1, -1, 1), nil, nil},
		{"a pillar's hollow", []Line{ring(mm(0, 0, 5, 0, 5, 6, 0, 6))}, []Line{line(mm(2.4, 1, 2.4, 5))}, mm(-1, -1, 6, -1, 6, 7, -1, 7), nil,
			[]polygon.Path{mm(0, 1.2, 5, 1.2), mm(0, 4.8, 5, 4.8)}},
		{"a closed line over rows", lattice, []Line{ring(mm(1, 0, 9, 0, 9, 2, 1, 2))}, plate, nil,
			[]polygon.Path{mm(6.4, 0, 6.4, 4), mm(3.4, 0, 3.4, 4)}},
	} {
		var r recipe.Recipe
		r.LineMM, r.LayerMM, r.SupportPercent = 0.4, 0.2, 10
		s := &slicer{r: r.WithDefaults(), outline: make([][]polygon.Path, 3), support: [][]polygon.Path{{c.room}, {c.room}, {c.room}}}
		s.r.SupportVerticalGapMM = new(float64)
		if c.part != nil {
			s.outline[1] = []polygon.Path{c.part}
		}
		s.layers = []Layer{{Lines: slices.Clone(c.below)}, {Lines: slices.Clone(c.below)}, {Lines: c.above}}
		require.NoError(t, s.carry(t.Context()))
		assert.Len(t, s.layers[0].Lines, len(c.below), c.name)
		assert.Len(t, s.layers[2].Lines, len(c.above), c.name)
		got := s.layers[1].Lines[len(c.below):]
		if !assert.Len(t, got, len(c.want), "%s: %v", c.name, got) {
			continue
		}
		for k, w := range c.want {
			a, b := got[k].Points[0], got[k].Points[1]
			off := min(dist(a, w[0])+dist(b, w[1]), dist(a, w[1])+dist(b, w[0]))
			assert.LessOrEqual(t, off, 800.0, "%s: %v", c.name, got[k].Points)
			assert.Equal(t, Support, got[k].Kind)
		}
	}
	// An end that no strut reaches is cut back to a line and a half beyond what stands, at both
	// ends and around a corner; a short one stays, and so does what begins in the air whole.
	s := &slicer{outline: make([][]polygon.Path, 2), support: [][]polygon.Path{{mm(-1, -1, 21, -1, 21, 1, -1, 1)}, {plate}}}
	s.r.LineMM, s.r.LayerMM, s.r.SupportPercent = 0.4, 0.2, 10
	s.r = s.r.WithDefaults()
	s.r.SupportVerticalGapMM = new(float64)
	s.layers = []Layer{{Lines: lattice[:1]}, {Lines: []Line{line(mm(5, 0, 5, 6)), line(mm(8, -5, 8, 0, 12, 0, 12, 6)), line(mm(15, 0, 15, 0.9)), line(mm(3, 4, 9, 4))}}}
	require.NoError(t, s.carry(t.Context()))
	for k, want := range []polygon.Path{mm(5, 0, 5, 1), mm(8, -1, 8, 0, 12, 0, 12, 1), mm(15, 0, 15, 0.9), mm(3, 4, 9, 4)} {
		got := s.layers[1].Lines[k].Points
		require.Len(t, got, len(want))
		for j := range want {
			assert.LessOrEqual(t, dist(got[j], want[j]), 201.0, "%v", got)
		}
	}
	// Overhangs itself carries no strut: the row in the middle of the layer beneath lies on nothing.
	s = &slicer{outline: make([][]polygon.Path, 3), support: [][]polygon.Path{{plate}, {plate}, {plate}}}
	s.r.LineMM, s.r.LayerMM, s.r.SupportPercent = 0.4, 0.2, 10
	s.r = s.r.WithDefaults()
	s.r.SupportVerticalGapMM = new(float64)
	s.layers = []Layer{{Lines: []Line{lattice[0], lattice[2]}}, {Lines: slices.Clone(lattice)}, {Lines: []Line{line(mm(5, 2, 8, 2))}}}
	require.NoError(t, s.carry(t.Context()))
	for _, l := range s.layers[1].Lines[3:] {
		assert.InDelta(t, 8000, dist(l.Points[0], l.Points[1]), 1, "to the row that stands")
	}
	assert.Len(t, s.layers[1].Lines, 5)
}
