package section

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/mesh"
	"jobshelf/core/solid"
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

// By hand: under the stool's top stands all but the foot, widened by its gap; the
// top two layers of it are dense; around it and wider by half a line at the rim.
func TestSupportOfAStool(t *testing.T) {
	ask := SupportAsk{Lean: math.Tan(50 * math.Pi / 180), Roof: 2, WidenMM: 0.25, GapMM: 0.75}
	got := stackOf(t, stool(), 1).Support(ask)
	require.Len(t, got, 60)
	// The grid sees overhang from a cell on: the foot and a cell around it hold.
	want := 30*30 - 7.5*7.5
	for i := range 50 {
		assert.InDelta(t, want, got[i].AllMM2, 0.05*want, "layer %d", i)
		if i < 48 {
			assert.Zero(t, got[i].DenseMM2, "layer %d", i)
		} else {
			assert.InDelta(t, got[i].AllMM2, got[i].DenseMM2, 0.02*want, "layer %d", i)
		}
	}
	for i := 50; i < 60; i++ {
		assert.Zero(t, got[i])
	}
	ask.Drop = 2
	lower := stackOf(t, stool(), 1).Support(ask)
	assert.Equal(t, got[47:49], []SupportLayer{lower[45], {AllMM2: lower[46].AllMM2, DenseMM2: lower[46].DenseMM2, RimMM: lower[46].RimMM}})
	assert.Zero(t, lower[48].AllMM2+lower[49].AllMM2)
	ask.Drop = 0
	// On a wider base it stands on the part, or not at all.
	on := solid.Box(40, 40, 2)
	on.Append(stool().Transformed(1, mesh.Vec3{X: 5, Y: 5, Z: 2}))
	s := stackOf(t, on, 1)
	assert.Positive(t, s.Support(ask)[30].AllMM2)
	ask.PlateOnly = true
	for i, l := range s.Support(ask) {
		assert.Zero(t, l, "layer %d", i)
	}
}

// The unit a part is drawn in changes nothing, nor where it lies: 18 mm are
// 0.7086614… inch, which comes out a hair beside the grid.
func TestCoverDoesNotDependOnUnits(t *testing.T) {
	ask := SupportAsk{Lean: 1, Roof: 2, WidenMM: 0.2, GapMM: 0.6}
	rapid.Check(t, func(t *rapid.T) {
		side := float64(rapid.IntRange(4, 80).Draw(t, "side")) // whole cells: edges lie on the grid
		m := solid.Box(side/4, side/4, 4).Transformed(1, mesh.Vec3{X: side / 4, Y: side / 4})
		m.Append(solid.Box(3*side/4, 3*side/4, 2).Transformed(1, mesh.Vec3{Z: 4}))
		moved := rapid.Float64Range(-50, 50).Draw(t, "moved")
		inch := m.Transformed(1/25.4, mesh.Vec3{X: moved})
		a, b := stackOf(t, m, 1), stackOf(t, inch, 25.4)
		for i, l := range a.Support(ask) {
			// A row of cells on an edge may fall to either side.
			require.InDelta(t, l.AllMM2, b.Support(ask)[i].AllMM2, 4*side*0.25+2, "layer %d", i)
		}
		for i, c := range a.CapShare(2, 2, 0.5, 0) {
			require.InDelta(t, c, b.CapShare(2, 2, 0.5, 0)[i], 0.25+2/side, "layer %d", i)
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
	caps := s.CapShare(3, 3, 1, 0.5)
	for i := range caps {
		want := 0.0
		switch {
		case i < 3 || i >= 37:
			want = 1 // bottom and top
		case i >= 17 && i < 20:
			want = 9.5 / 18 // what the upper step does not cover, and around it, within the rim
		}
		assert.InDelta(t, want, caps[i], 0.03, "layer %d", i)
	}
	for _, c := range s.CapShare(0, 0, 1, 1) {
		assert.Zero(t, c)
	}
	for _, c := range s.CapShare(1, 1, 30, 0) {
		assert.EqualValues(t, 1, c, "thinner than the rim everywhere")
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
			}
		}
	})
}

// The lean is told in whole cells over some layers, within a sixth, but for
// leans of many cells a layer.
func TestLeansAreWholeCells(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		lean, cell := rapid.Float64Range(0.01, 3).Draw(t, "lean"), rapid.Float64Range(0.25, 2).Draw(t, "cell")
		back, cells := leanOf(lean, cell)
		require.True(t, back >= 1 && cells >= 1)
		if lean < cell {
			require.InEpsilon(t, float64(back)*lean, float64(cells)*cell, 0.16)
		} else {
			require.InDelta(t, float64(back)*lean, float64(cells)*cell, cell/2)
		}
	})
}
