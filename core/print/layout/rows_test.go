package layout

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/polygon"
)

// centred is a box of a size in the middle of a plate.
func centred(v machine.Volume, wide, deep int64) polygon.Box {
	var mid polygon.Point
	if v.Shape != machine.Round {
		mid = polygon.At(v.XMM/2, v.YMM/2)
	}
	return polygon.Box{MinX: mid.X - wide/2, MinY: mid.Y - deep/2, MaxX: mid.X - wide/2 + wide, MaxY: mid.Y - deep/2 + deep}
}

// Every copy lies somewhere once, on the plate and clear of the strip that is kept free, as far
// from the others as it has to be; what lies alone has not moved; the same again comes out the
// same.
func TestEveryCopyLiesOnceOnItsPlateAndApart(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := machine.Volume{Shape: machine.Rectangle, XMM: rapid.Float64Range(60, 300).Draw(t, "x"), YMM: rapid.Float64Range(60, 300).Draw(t, "y")}
		if rapid.Bool().Draw(t, "round") {
			v.Shape, v.YMM = machine.Round, v.XMM
		}
		apart, free := rapid.Int64Range(0, 20_000).Draw(t, "apart"), rapid.SampledFrom([]int64{0, 9_400, 30_001}).Draw(t, "free")
		var items []Item
		wanted := 0
		for range rapid.IntRange(1, 4).Draw(t, "items") {
			n := rapid.IntRange(0, 30).Draw(t, "copies")
			size := rapid.Int64Range(1000, 55_000)
			items = append(items, Item{Box: centred(v, size.Draw(t, "wide"), size.Draw(t, "deep")), Copies: n})
			wanted += n
		}
		plates := Rows(items, v, apart, free)
		require.Equal(t, plates, Rows(items, v, apart, free))
		seen := map[[2]int]bool{}
		for _, plate := range plates {
			require.NotEmpty(t, plate)
			if len(plate) == 1 {
				require.Zero(t, plate[0].By, "alone, in the middle")
			}
			var boxes []polygon.Box
			for _, s := range plate {
				require.False(t, seen[[2]int{s.Item, s.Copy}])
				seen[[2]int{s.Item, s.Copy}] = true
				require.Less(t, s.Copy, items[s.Item].Copies)
				b := items[s.Item].Box.Moved(s.By)
				for _, o := range boxes {
					dx, dy := max(o.MinX-b.MaxX, b.MinX-o.MaxX), max(o.MinY-b.MaxY, b.MinY-o.MaxY)
					require.GreaterOrEqual(t, max(dx, dy), apart, "%v and %v", o, b)
				}
				boxes = append(boxes, b)
				if v.Shape == machine.Round {
					if len(plate) > 1 {
						far := math.Hypot(float64(max(-b.MinX, b.MaxX)), float64(max(-b.MinY, b.MaxY)))
						require.LessOrEqual(t, far, v.XMM/2*1000+2)
					}
					continue
				}
				require.True(t, b.MinX >= -1 && b.MinY >= -1 && b.MaxX <= polygon.UM(v.XMM)+1 && b.MaxY <= polygon.UM(v.YMM)+1, "%v", b)
				if len(plate) > 1 {
					require.LessOrEqual(t, b.MaxX, polygon.UM(v.XMM)-free+2)
				}
			}
		}
		require.Len(t, seen, wanted)
	})
}

// What plainly goes on one plate does, to the last row; one more needs another.
func TestAPlateIsFilled(t *testing.T) {
	v := machine.Volume{Shape: machine.Rectangle, XMM: 100, YMM: 100}
	box := centred(v, 20_000, 20_000) // 4 × 20 mm and 3 × 5 mm between are 95 mm
	for _, c := range []struct{ copies, plates, first int }{{0, 0, 0}, {1, 1, 1}, {16, 1, 16}, {17, 2, 16}, {99_999, 6250, 16}} {
		got := Rows([]Item{{Box: box, Copies: c.copies}}, v, 5000, 0)
		require.Len(t, got, c.plates)
		if c.plates > 0 {
			assert.Len(t, got[0], c.first)
		}
	}
	assert.Len(t, Rows([]Item{{Box: box, Copies: 16}}, v, 5000, 10_000), 2, "beside the purge tower there is room for three in a row")
	assert.Len(t, Rows([]Item{{Box: centred(v, 120_000, 20_000), Copies: 2}}, v, 5000, 0), 2, "too large for a row: each alone")
	tiny := Rows([]Item{{Box: centred(v, 100, 100), Copies: 2 * toolpath.MostPlaces}}, v, 0, 0)
	assert.Equal(t, []int{toolpath.MostPlaces, toolpath.MostPlaces}, []int{len(tiny[0]), len(tiny[1])})
	// A round plate of 100 mm takes more than the square of 70 mm within it: six rows of 12 mm.
	round := machine.Volume{Shape: machine.Round, XMM: 100, YMM: 100}
	assert.Len(t, Rows([]Item{{Box: centred(round, 20_000, 20_000), Copies: 9}}, round, 1000, 0), 1)
	assert.Len(t, Rows([]Item{{Box: centred(round, 60_000, 12_000), Copies: 6}}, round, 1000, 0), 1)
	// The deepest lie first, in front, and rows lie about the middle.
	mixed := Rows([]Item{{Box: centred(v, 10_000, 10_000), Copies: 1}, {Box: centred(v, 30_000, 40_000), Copies: 1}, {Box: centred(v, 90_000, 20_000), Copies: 1}}, v, 5000, 0)[0]
	assert.Equal(t, []int{1, 2, 0}, []int{mixed[0].Item, mixed[1].Item, mixed[2].Item})
	assert.Equal(t, []int64{-20_000, 15_000, 35_000}, []int64{mixed[0].By.Y, mixed[1].By.Y, mixed[2].By.Y})
}

// Brims and rafts of neighbours do not grow together.
func TestHowFarApart(t *testing.T) {
	for adhesion, want := range map[recipe.Adhesion]int64{recipe.AdhesionNone: 5000, recipe.AdhesionSkirt: 5000, recipe.AdhesionBrim: 11_000, recipe.AdhesionRaft: 11_000} {
		assert.Equal(t, want, Apart(&recipe.Recipe{Adhesion: adhesion, BrimMM: 3}, -1), adhesion)
	}
}
