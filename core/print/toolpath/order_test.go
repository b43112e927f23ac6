package toolpath

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
)

func path(mm ...int64) (p polygon.Path) {
	for i := 0; i < len(mm); i += 2 {
		p = append(p, polygon.Point{X: 1000 * mm[i], Y: 1000 * mm[i+1]})
	}
	return p
}

// An island is laid whole before the next, also where it lies in the bay of another, whose
// box is around both.
func TestIslandsAreLaidWhole(t *testing.T) {
	bay := path(0, 0, 30, 0, 30, 30, 0, 30, 0, 20, 20, 20, 20, 10, 0, 10)
	inBay := path(2, 12, 8, 12, 8, 18, 2, 18)
	groups := make([][]Line, ranks-firstOfPart)
	for r := range groups {
		for _, x := range [][]int64{{25, int64(2 + r), 26, int64(3 + r)}, {3, int64(13 + r), 4, int64(14 + r)}, {24, int64(2 + r), 23, int64(4 + r)}} {
			groups[r] = append(groups[r], Line{Points: path(x...)})
		}
	}
	for _, outlines := range [][]polygon.Path{{bay, inBay}, {inBay, bay}} {
		for _, at := range []polygon.Point{{}, {X: 5000, Y: 15000}, {X: 40000, Y: 5000}} {
			o := orderer{at: at}
			o.islands(outlines, slices.Clone(groups))
			require.Len(t, o.out, 3*len(groups))
			changes := 0
			for k := 1; k < len(o.out); k++ {
				if (o.out[k].Points[0].X < 10_000) != (o.out[k-1].Points[0].X < 10_000) {
					changes++
				}
			}
			assert.Equal(t, 1, changes, "from %v", at)
		}
	}
}

// A seam goes on from the nearest below; of those as near, from the longest line's.
func TestASeamGoesOnFromTheLongestOfTheNearest(t *testing.T) {
	l := &Line{Closed: true, WidthMM: 0.5, Points: path(0, 0, 20, 0, 20, 20, 0, 20)}
	of := func(x, y int64, length float64) seam {
		return seam{polygon.Point{X: x, Y: y}, [2]polygon.Point{{}, {X: 20_000, Y: 20_000}}, length}
	}
	near, long, far := of(5000, 100, 10), of(15_000, 300, 50), of(10_000, 3000, 90)
	away := seam{polygon.Point{X: 5000}, [2]polygon.Point{{X: 30_000}, {X: 40_000, Y: 9000}}, 99}
	for _, below := range [][]seam{{near, long, far, away}, {long, near, far, away}, {far, long, near, away}, {away, far, near, long}} {
		o := orderer{seam: recipe.SeamInLine, below: below}
		at, ok := o.follows(l)
		assert.True(t, ok)
		assert.Equal(t, long.at, at, "%v", below)
	}
	_, ok := (&orderer{seam: recipe.SeamInLine, below: []seam{away}}).follows(l)
	assert.False(t, ok, "its line lies elsewhere")
}

// The largest thin places are told one by one, the others together; crumbs of a single layer
// only among the others.
func TestThinPlacesAreToldByTheirSize(t *testing.T) {
	s := &slicer{r: recipe.Recipe{LineMM: 0.45}, shells: [][]Line{{{}}, nil}, inside: make([][]polygon.Path, 2), heights: []float64{0.25, 0.25}, tops: []float64{0.25, 0.5}, unlaid: make([][]unlaid, 2)}
	told := func(places int) []string {
		s.notes = nil
		for i := range 2 {
			s.unlaid[i] = nil
			for k := range places {
				s.unlaid[i] = append(s.unlaid[i], unlaid{polygon.Point{X: int64(20_000 * k)}, float64(k + 1)})
			}
		}
		s.unlaid[1] = append(s.unlaid[1], unlaid{polygon.Point{Y: -90_000}, 0.1})
		require.NoError(t, s.tellUnlaid())
		return s.notes
	}
	for _, n := range []int{1, mostSpots, mostSpots + 2} {
		notes := told(n)
		require.Len(t, notes, min(n, mostSpots)+1)
		assert.Contains(t, notes[0], fmt.Sprintf("0.50 mm of height and up to %d.00 mm² from 0.00 mm up, at X %d.0, Y 0.0", n, 20*(n-1)))
		rest := 0.1 * 0.25
		for k := range n - mostSpots {
			rest += float64(k+1) * 0.5
		}
		others := "1 other place,"
		if n > mostSpots {
			others = fmt.Sprintf("%d other places,", n-mostSpots+1)
		}
		assert.Contains(t, notes[len(notes)-1], fmt.Sprintf("%s %.3f mm³ together", others, rest))
	}
}

// A place that is there again after a layer without is another one.
func TestThinPlacesEndWhereALayerIsWithout(t *testing.T) {
	at := func(layers ...int) int {
		s := &slicer{r: recipe.Recipe{LineMM: 0.45}, shells: [][]Line{{{}}, nil, nil}, inside: make([][]polygon.Path, 3), heights: []float64{0.25, 0.25, 0.25}, tops: []float64{0.25, 0.5, 0.75}, unlaid: make([][]unlaid, 3)}
		for _, i := range layers {
			s.unlaid[i] = []unlaid{{polygon.Point{}, 9}}
		}
		require.NoError(t, s.tellUnlaid())
		return len(s.notes)
	}
	assert.Equal(t, []int{1, 2}, []int{at(0, 1, 2), at(0, 2)})
}

// Outlines that ran into a hole of the surface are counted.
func TestOpenOutlinesAreTold(t *testing.T) {
	m := solid.Box(20, 20, 10)
	m.Triangles = slices.DeleteFunc(m.Triangles, func(v [3]uint32) bool { // one side is gone
		return m.Vertices[v[0]].X+m.Vertices[v[1]].X+m.Vertices[v[2]].X == 60
	})
	require.Len(t, m.Triangles, 10)
	p, err := Slice(ctx, m, mesh.TopologyOf(m), 1, plain(nil), Options{}, nil)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(p.Notes, "\n"), fmt.Sprintf("%d outlines ran into an open edge", len(p.Layers)))
}
