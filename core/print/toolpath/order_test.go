package toolpath

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/drawn"
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
		return seam{polygon.Point{X: x, Y: y}, polygon.Box{MaxX: 20_000, MaxY: 20_000}, length}
	}
	near, long, far := of(5000, 100, 10), of(15_000, 300, 50), of(10_000, 3000, 90)
	away := seam{polygon.Point{X: 5000}, polygon.Box{MinX: 30_000, MaxX: 40_000, MaxY: 9000}, 99}
	for _, below := range [][]seam{{near, long, far, away}, {long, near, far, away}, {far, long, near, away}, {away, far, near, long}} {
		o := orderer{seam: recipe.SeamInLine, below: below}
		at, ok := o.follows(l)
		assert.True(t, ok)
		assert.Equal(t, long.at, at, "%v", below)
	}
	_, ok := (&orderer{seam: recipe.SeamInLine, below: []seam{away}}).follows(l)
	assert.False(t, ok, "its line lies elsewhere")
}

// Outlines that ran into a hole of the surface are counted.
func TestOpenOutlinesAreTold(t *testing.T) {
	m := solid.Box(20, 20, 10)
	m.Triangles = slices.DeleteFunc(m.Triangles, func(v [3]uint32) bool { // one side is gone
		return m.Vertices[v[0]].X+m.Vertices[v[1]].X+m.Vertices[v[2]].X == 60
	})
	require.Len(t, m.Triangles, 10)
	p, err := Slice(ctx, m, mesh.TopologyOf(m), 1, drawn.Plain(nil), Options{}, nil)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(p.Notes, "\n"), fmt.Sprintf("%d outlines ran into an open edge", len(p.Layers)))
}
