package section

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

func stackOf(t require.TestingT, m *mesh.Mesh, mmPerUnit float64) *Stack {
	s, err := NewStack(context.Background(), m, mesh.TopologyOf(m), Layering{FirstMM: 0.2, LayerMM: 0.2}, mmPerUnit, nil)
	require.NoError(t, err)
	return s
}

// stool is a top of 30 × 30 × 2 mm on a foot of 6 × 6 × 10 mm.
func stool() *mesh.Mesh {
	m := solid.Box(6, 6, 10).Transformed(1, mesh.Vec3{X: 12, Y: 12})
	m.Append(solid.Box(30, 30, 2).Transformed(1, mesh.Vec3{Z: 10}))
	return m
}

// layersOf adds columns up by layer.
func layersOf(columns []Column, layers int) []Column {
	out := make([]Column, layers)
	for _, c := range columns {
		for i := c.From; i < c.To; i++ {
			o := &out[i]
			o.AreaMM2, o.InterfaceMM2, o.RimMM = o.AreaMM2+c.AreaMM2, o.InterfaceMM2+c.InterfaceMM2, o.RimMM+c.RimMM
			o.OnPart = o.OnPart || c.OnPart
		}
	}
	return out
}

// By hand: under the stool's top stands all but the foot, widened by its gap; the
// top two layers of it are dense; around it and wider by half a line at the rim.
func TestSupportOfAStool(t *testing.T) {
	ask := SupportAsk{Lean: math.Tan(50 * math.Pi / 180), Interface: 2, WidenMM: 0.25, HorizontalGapMM: 0.75}
	columns := stackOf(t, stool(), 1).Support(ask)
	got := layersOf(columns, 60)
	want := 30.5*30.5 - 7.5*7.5
	for i := range 50 {
		assert.InDelta(t, want, got[i].AreaMM2, 0.03*want, "layer %d", i)
		if i < 48 {
			assert.Zero(t, got[i].InterfaceMM2, "layer %d", i)
		} else {
			assert.InDelta(t, got[i].AreaMM2, got[i].InterfaceMM2, 0.02*want, "layer %d", i)
		}
	}
	for i := 50; i < 60; i++ {
		assert.Zero(t, got[i])
	}
	require.Len(t, columns, 2, "one, and its roof")
	assert.Equal(t, [2]int{0, 48}, [2]int{columns[0].From, columns[0].To})
	assert.Equal(t, [2]int{48, 50}, [2]int{columns[1].From, columns[1].To})
	assert.False(t, columns[0].OnPart)
	ask.VerticalGap = 2
	lower := layersOf(stackOf(t, stool(), 1).Support(ask), 60)
	assert.InEpsilonSlice(t, []float64{got[47].AreaMM2, got[48].AreaMM2}, []float64{lower[45].AreaMM2, lower[46].AreaMM2}, 0.01)
	assert.Zero(t, lower[48].AreaMM2+lower[49].AreaMM2)
	// On a wider base it stands on the part, with the drop free there too, or not at all.
	on := solid.Box(40, 40, 2)
	on.Append(stool().Transformed(1, mesh.Vec3{X: 5, Y: 5, Z: 2}))
	s := stackOf(t, on, 1)
	columns = s.Support(ask)
	got = layersOf(columns, 70)
	assert.Positive(t, got[30].AreaMM2)
	assert.True(t, columns[0].OnPart)
	assert.Equal(t, 12, columns[0].From, "ten of the base, two free")
	ask.PlateOnly = true
	assert.Empty(t, s.Support(ask))
	ask.PlateOnly, ask.Lean = false, 0
	assert.Empty(t, s.Support(ask), "where nothing may lean, nothing is asked for")
}

// A table as wide as a plate has the room under it filled, cell by cell: its grid takes several words a row.
func TestSupportOfAWideTable(t *testing.T) {
	for _, wide := range []float64{20, 40, 90, 200} {
		m := solid.Box(4, 10, 6)
		m.Append(solid.Box(4, 10, 6).Transformed(1, mesh.Vec3{X: wide - 4}))
		m.Append(solid.Box(wide, 10, 2).Transformed(1, mesh.Vec3{Z: 6}))
		s := stackOf(t, m, 1)
		for i, l := range layersOf(s.Support(SupportAsk{Lean: 1}), len(s.Slabs)) {
			if float64(i) < 6/s.Slabs[0].HeightMM-0.5 {
				assert.InEpsilon(t, (wide-8)*10, l.AreaMM2, 0.06, "%v wide, layer %d", wide, i)
			} else {
				assert.Zero(t, l.AreaMM2, "%v wide, layer %d", wide, i)
			}
		}
	}
}

// The unit a part is drawn in changes nothing, nor where it lies: 18 mm are
// 0.7086614… inch, which comes out a hair beside the grid.
func TestCoverDoesNotDependOnUnits(t *testing.T) {
	ask := SupportAsk{Lean: 1, Interface: 2, WidenMM: 0.2, HorizontalGapMM: 0.6}
	rapid.Check(t, func(t *rapid.T) {
		side := float64(rapid.IntRange(4, 80).Draw(t, "side")) // whole cells: edges lie on the grid
		m := solid.Box(side/4, side/4, 4).Transformed(1, mesh.Vec3{X: side / 4, Y: side / 4})
		m.Append(solid.Box(3*side/4, 3*side/4, 2).Transformed(1, mesh.Vec3{Z: 4}))
		moved := rapid.Float64Range(-50, 50).Draw(t, "moved")
		inch := m.Transformed(1/25.4, mesh.Vec3{X: moved})
		a, b := stackOf(t, m, 1), stackOf(t, inch, 25.4)
		other := layersOf(b.Support(ask), len(b.Slabs))
		for i, l := range layersOf(a.Support(ask), len(a.Slabs)) {
			// A row of cells on an edge may fall to either side.
			require.InDelta(t, l.AreaMM2, other[i].AreaMM2, 4*side*0.25+2, "layer %d", i)
		}
		closed := b.Within(2, 2, 0.5, 0)
		for i, c := range a.Within(2, 2, 0.5, 0) {
			require.InDelta(t, c.SolidShare, closed[i].SolidShare, 0.25+2/side, "layer %d", i)
		}
	})
}

// A stepped box, by hand: the lower step, 20 × 20, is open to the sky but for 10 ×
// 20 of it; within 1 mm of rim 18 × 18 are closed in part, and half a
// millimetre below the upper step.
func TestCapsOfASteppedBox(t *testing.T) {
	m := solid.Box(20, 20, 4)
	m.Append(solid.Box(10, 20, 4).Transformed(1, mesh.Vec3{Z: 4}))
	s := stackOf(t, m, 1)
	caps := s.Within(3, 3, 1, 0.5)
	for i := range caps {
		want := 0.0
		switch {
		case i < 3 || i >= 37:
			want = 1 // bottom and top
		case i >= 17 && i < 20:
			want = 9.5 / 18 // what the upper step does not cover, and around it, within the rim
		}
		assert.InDelta(t, want, caps[i].SolidShare, 0.03, "layer %d", i)
		assert.Equal(t, 1, caps[i].Pieces)
	}
	for _, c := range s.Within(0, 0, 1, 1) {
		assert.Zero(t, c.SolidShare)
	}
	for _, c := range s.Within(1, 1, 30, 0) {
		assert.Equal(t, Within{SolidShare: 1}, c, "thinner than the rim everywhere")
	}
}

// Narrowing and widening by their definition: a cell stays if all around it are
// there, and comes if any is, in an octagon of as many squares and diamonds.
func TestNarrowingAndWideningByCells(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := &Stack{cols: rapid.IntRange(1, 200).Draw(t, "cols"), rows: rapid.IntRange(1, 30).Draw(t, "rows")}
		s.wordsWide = (s.cols + 63) / 64
		size := s.rows * s.wordsWide
		m, narrow, wide, tmp := make([]uint64, size), make([]uint64, size), make([]uint64, size), make([]uint64, size+2*s.wordsWide)
		for i := range m {
			m[i] = rapid.SampledFrom([]uint64{0, math.MaxUint64}).Draw(t, "all") ^ 1<<rapid.IntRange(0, 63).Draw(t, "but")
		}
		by := rapid.IntRange(0, 5).Draw(t, "by")
		s.erode(narrow, m, tmp, by)
		s.widen(wide, m, tmp, by)
		at := func(m []uint64, c, r int) bool {
			return c >= 0 && c < 64*s.wordsWide && r >= 0 && r < s.rows && m[r*s.wordsWide+c/64]>>(c&63)&1 == 1
		}
		for r := range s.rows {
			for c := range 64 * s.wordsWide {
				all, any := true, false
				for dy := -by; dy <= by; dy++ {
					for dx := -by; dx <= by; dx++ {
						if max(dx, -dx)+max(dy, -dy) <= by+squares(by) {
							x := at(m, c+dx, r+dy)
							all, any = all && x, any || x
						}
					}
				}
				require.Equal(t, all, at(narrow, c, r), "narrow %d, %d by %d", c, r, by)
				require.Equal(t, any, at(wide, c, r), "wide %d, %d by %d", c, r, by)
				four := at(m, c-1, r) || at(m, c+1, r) || at(m, c, r-1) || at(m, c, r+1)
				require.Equal(t, four, s.beside(m, r*s.wordsWide+c/64)>>(c&63)&1 == 1, "beside %d, %d", c, r)
			}
		}
	})
}

// What leans by just the angle holds; what leans by two degrees more is carried, whatever
// way it is turned: under a frustum on its smaller end stands the ring between both ends
// (π·(R²-r²), wider by the reach), less what the gap takes at its foot.
func TestSupportFollowsTheLeanOfTheSurface(t *testing.T) {
	for _, deg := range []float64{30, 44, 45, 47, 50, 70} {
		const r, h = 6.0, 4.0
		R := r + h*math.Tan(deg*math.Pi/180)
		m := solid.Cylinder(r, 6, 90)
		m.Append(solid.Revolve([]solid.P{{X: 0, Y: 5.9}, {X: r, Y: 6}, {X: R, Y: 6 + h}, {X: 0, Y: 6 + h}}, 90))
		ask := SupportAsk{Lean: 1, Interface: 2, VerticalGap: 1, WidenMM: 0.32, HorizontalGapMM: 0.5}
		got := layersOf(stackOf(t, m, 1).Support(ask), 50)
		if deg <= 45 {
			assert.Zero(t, got[5], "%g°", deg)
			continue
		}
		want := math.Pi * ((R+0.32)*(R+0.32) - (r+0.5)*(r+0.5))
		assert.InEpsilon(t, want, got[5].AreaMM2, 0.05, "%g°", deg)
		assert.InEpsilon(t, 2*math.Pi*(R+r+0.82), got[5].RimMM, 0.3, "%g°: the rim of cells is up to a quarter longer", deg)
	}
}

// Cells hang together as a flood finds it, with as many cells, dense ones and a box.
func TestFiguresByFlood(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := &Stack{cols: rapid.IntRange(1, 140).Draw(t, "cols"), rows: rapid.IntRange(1, 12).Draw(t, "rows")}
		s.wordsWide = (s.cols + 63) / 64
		here, dense := make([]uint64, s.rows*s.wordsWide), make([]uint64, s.rows*s.wordsWide)
		for i := range here {
			here[i] = rapid.Uint64().Draw(t, "cells") | rapid.Uint64().Draw(t, "more")
			dense[i] = here[i] & rapid.Uint64().Draw(t, "dense")
		}
		at := func(m []uint64, c, r int) bool {
			return c >= 0 && c < 64*s.wordsWide && r >= 0 && r < s.rows && m[r*s.wordsWide+c/64]>>(c&63)&1 == 1
		}
		seen := map[[2]int]bool{}
		var want, got [][6]int
		for r := range s.rows {
			for c := range 64 * s.wordsWide {
				if !at(here, c, r) || seen[[2]int{c, r}] {
					continue
				}
				f := [6]int{0, 0, c, c, r, r}
				seen[[2]int{c, r}] = true
				for todo := [][2]int{{c, r}}; len(todo) > 0; {
					x, y := todo[0][0], todo[0][1]
					todo = todo[1:]
					f[0]++
					if at(dense, x, y) {
						f[1]++
					}
					f[2], f[3], f[4], f[5] = min(f[2], x), max(f[3], x), min(f[4], y), max(f[5], y)
					for _, q := range [][2]int{{x - 1, y}, {x + 1, y}, {x, y - 1}, {x, y + 1}} {
						if at(here, q[0], q[1]) && !seen[q] {
							seen[q] = true
							todo = append(todo, q)
						}
					}
				}
				want = append(want, f)
			}
		}
		for _, f := range s.figures(here, dense, nil) {
			got = append(got, [6]int{int(f.areaMM2), int(f.denseMM2), f.box[0], f.box[1], f.box[2], f.box[3]})
			require.False(t, f.onPart)
		}
		require.ElementsMatch(t, want, got)
	})
}

// What begins in mid-air is carried from the plate, however steep its sides are: a post
// that hangs from a bridge between two others, and a kite that stands on a corner.
func TestWhatBeginsInMidAirIsCarried(t *testing.T) {
	gate := solid.Box(4, 10, 20)
	gate.Append(solid.Box(4, 10, 20).Transformed(1, mesh.Vec3{X: 26}))
	gate.Append(solid.Box(30, 10, 4).Transformed(1, mesh.Vec3{Z: 20}))
	spike := solid.Revolve([]solid.P{{X: 0, Y: 8}, {X: 0.7, Y: 8}, {X: 3, Y: 20}, {X: 0, Y: 20}}, 40) // much steeper than 50°
	gate.Append(spike.Transformed(1, mesh.Vec3{X: 15, Y: 5}))
	topo := mesh.TopologyOf(gate)
	s, err := NewStack(context.Background(), gate, topo, Layering{FirstMM: 0.2, LayerMM: 0.2}, 1, nil)
	require.NoError(t, err)
	ask := SupportAsk{Lean: math.Tan(50 * math.Pi / 180), WidenMM: 0.5}
	under := 0.0
	for _, c := range s.Support(ask) {
		if c.From == 0 && c.To >= 38 && c.To <= 46 { // its tip has to be as wide as a cell
			under += c.AreaMM2
		}
	}
	assert.Greater(t, under, 0.5, "below the tip of the spike, 8 mm up")
	assert.Less(t, under, 6.0)
}

// A needle no thicker than a cell is not: there is nothing to lay beneath it.
func TestANeedleInMidAirIsNotCarried(t *testing.T) {
	for i := range 6 {
		gate := solid.Box(4, 10, 20)
		gate.Append(solid.Box(4, 10, 20).Transformed(1, mesh.Vec3{X: 26}))
		gate.Append(solid.Box(30, 10, 4).Transformed(1, mesh.Vec3{Z: 20}))
		s := stackOf(t, gate, 1)
		wide, at := 0.9*s.cellMM, 15+float64(i)*s.cellMM/6
		gate.Append(solid.Box(wide, wide, 12).Transformed(1, mesh.Vec3{X: at, Y: at - 10, Z: 8}))
		for _, c := range stackOf(t, gate, 1).Support(SupportAsk{Lean: math.Tan(50 * math.Pi / 180), WidenMM: 0.5}) {
			assert.False(t, c.From == 0 && c.To >= 38 && c.To <= 42, "%+v", c)
		}
	}
}
