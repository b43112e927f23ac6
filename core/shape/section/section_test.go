package section

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// middles are the planes in the middle of layers of height h.
func middles(b mesh.Box, h float64) (zs []float64, heights []float64) {
	for z := b.Min.Z; z < b.Max.Z-1e-9; z += h {
		top := math.Min(z+h, b.Max.Z)
		zs, heights = append(zs, (z+top)/2), append(heights, top-z)
	}
	return zs, heights
}

func planes(t testing.TB, m *mesh.Mesh, zs ...float64) []Cut {
	t.Helper()
	layers, err := Planes(context.Background(), m, mesh.TopologyOf(m), zs, 1)
	require.NoError(t, err)
	return layers
}

// Cavalieri's principle: areas times heights sum to the volume.
func TestSectionsSumToTheVolume(t *testing.T) {
	models := map[string]*mesh.Mesh{
		"box": solid.Box(20, 30, 10), "sphere": solid.Sphere(15, 128), "torus": solid.Torus(20, 6, 128, 64),
		"cylinder": solid.Cylinder(9, 21, 96),
	}
	for _, p := range solid.Parts() {
		if p.Fault == "" {
			models[p.Name] = p.Mesh
		}
	}
	for name, m := range models {
		t.Run(name, func(t *testing.T) {
			got := m.Measure()
			zs, heights := middles(got.Bounds, 0.1)
			var sum float64
			for i, l := range planes(t, m, zs...) {
				sum += l.AreaMM2() * heights[i]
				require.Zero(t, l.Open, "open outlines at z=%.3f", l.ZMM)
			}
			assert.InEpsilon(t, got.Volume, sum, 0.005)
		})
	}
}

// Closed forms: a circle of the sphere, the annulus of the torus at its middle,
// the frustum of a cone.
func TestSectionsOfClosedForms(t *testing.T) {
	// An n-gon's area is (2π/n)²/6 = 1.3e-5 of its circle's less; near a pole the
	// flat bands take up to 6e-4 more.
	const n = 720
	for _, z := range []float64{-14, -7.3, 0.05, 3, 12.2} {
		l := planes(t, solid.Sphere(15, n), z)[0]
		r2 := 15*15 - z*z
		assert.InEpsilon(t, math.Pi*r2, l.AreaMM2(), 1e-3, "sphere at %g", z)
		assert.InEpsilon(t, 2*math.Pi*math.Sqrt(r2), l.PerimeterMM(), 1e-3, "sphere at %g", z)
		assert.Len(t, l.Loops, 1)
	}
	l := planes(t, solid.Torus(20, 6, n, n), 1e-9)[0]
	assert.InEpsilon(t, math.Pi*(26*26-14*14), l.AreaMM2(), 1e-4)
	assert.InEpsilon(t, 2*math.Pi*(26+14), l.PerimeterMM(), 1e-4)
	assert.Len(t, l.Loops, 2)

	cone := solid.Revolve([]solid.P{{X: 0, Y: 0}, {X: 10, Y: 0}, {X: 4, Y: 12}, {X: 0, Y: 12}}, n)
	l = planes(t, cone, 6)[0]
	assert.InEpsilon(t, math.Pi*49, l.AreaMM2(), 1e-4)
}

// Planes through vertices, edges and faces are where a careless cut breaks.
func TestPlanesThroughVerticesStayClosed(t *testing.T) {
	m := solid.Box(10, 10, 10)
	layers := planes(t, m, 0, 5, 10, 10.001)
	assert.Empty(t, layers[0].Loops, "below the lowest face there is nothing")
	assert.InDelta(t, 100, layers[1].AreaMM2(), 1e-9)
	assert.InDelta(t, 100, layers[2].AreaMM2(), 1e-9, "the top face is cut just below")
	assert.Empty(t, layers[3].Loops)
	ball := solid.Sphere(10, 32)
	var zs []float64
	for i := 1; i < 16; i++ {
		zs = append(zs, -10*math.Cos(math.Pi*float64(i)/16)) // the rings themselves
	}
	for _, l := range planes(t, ball, zs...) {
		assert.Zero(t, l.Open)
		assert.Len(t, l.Loops, 1, "z=%g", l.ZMM)
		assert.Positive(t, l.AreaMM2(), "z=%g", l.ZMM)
	}
}

// Any closed mesh, however twisted, gives closed outlines only, whose area is
// the same when planes are taken one by one (the slow twin of the sweep).
func TestSweepEqualsPlaneByPlane(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(3, 12).Draw(t, "n")
		grid := rapid.IntRange(0, 6)
		profile := []solid.P{{X: 0, Y: 0}}
		for i := range rapid.IntRange(1, 6).Draw(t, "rings") {
			profile = append(profile, solid.P{X: float64(grid.Draw(t, "r")) + 0.5, Y: float64(grid.Draw(t, fmt.Sprint("z", i)))})
		}
		m := solid.Revolve(append(profile, solid.P{X: 0, Y: float64(grid.Draw(t, "top"))}), n)
		var zs []float64
		for z := -0.5; z < 7; z += 0.25 {
			zs = append(zs, z)
		}
		topo := mesh.TopologyOf(m)
		all, err := Planes(context.Background(), m, topo, zs, 1)
		require.NoError(t, err)
		for i, z := range zs {
			one, err := Planes(context.Background(), m, topo, []float64{z}, 1)
			require.NoError(t, err)
			require.Zero(t, all[i].Open)
			require.InDelta(t, one[0].AreaMM2(), all[i].AreaMM2(), 1e-6, "z=%g", z)
			require.InDelta(t, one[0].PerimeterMM(), all[i].PerimeterMM(), 1e-6, "z=%g", z)
		}
	})
}

func TestFlippedFacesAndHolesAreCutAllTheSame(t *testing.T) {
	m := solid.Box(10, 10, 10)
	m.Triangles = append([][3]uint32{}, m.Triangles...)
	v := m.Triangles[4]
	m.Triangles[4] = [3]uint32{v[0], v[2], v[1]}
	l := planes(t, m, 3)[0]
	assert.InDelta(t, 100, l.AreaMM2(), 1e-9, "one face turned")
	assert.Zero(t, l.Open)

	m.Triangles = append(m.Triangles[:4], m.Triangles[6:]...) // a side is gone
	l = planes(t, m, 3)[0]
	assert.Equal(t, 1, l.Open)
	assert.InDelta(t, 100, l.AreaMM2(), 1e-9, "closed by a straight line")
	n := uint32(len(m.Vertices))
	for _, v := range m.Vertices {
		m.Vertices = append(m.Vertices, v.Add(mesh.Vec3{X: 20}))
	}
	for _, f := range m.Triangles {
		m.Triangles = append(m.Triangles, [3]uint32{f[0] + n, f[1] + n, f[2] + n})
	}
	assert.Equal(t, 2, planes(t, m, 3)[0].Open, "each of two")
}

// Figures thinner than a line of a wide nozzle are listed with how wide they are, thicker
// ones are not; nor is a thick one with a hole that leaves a wall as thick as that.
func TestThinFiguresAreListed(t *testing.T) {
	for mm, listed := range map[float64]bool{0.05: true, 0.3: true, 0.5: true, 0.57: true, 0.65: false, 1: false, 8: false} {
		for _, m := range []*mesh.Mesh{solid.Box(20, mm, 3), solid.RevolveClosed([]solid.P{{X: 8, Y: 0}, {X: 8 + mm, Y: 0}, {X: 8 + mm, Y: 3}, {X: 8, Y: 3}}, 96)} {
			s, err := NewStack(context.Background(), m, mesh.TopologyOf(m), Layering{FirstMM: 0.2, LayerMM: 0.2}, 1, nil)
			require.NoError(t, err)
			if !listed {
				assert.Empty(t, s.Thin, "%g mm", mm)
				continue
			}
			require.Len(t, s.Thin, 15, "%g mm", mm)
			for i, x := range s.Thin {
				assert.Equal(t, i, x.Slab)
				assert.InDelta(t, mm, x.WidthMM, 0.02, "%g mm", mm)
				assert.InDelta(t, s.Slabs[i].AreaMM2, x.AreaMM2, 1e-6)
				assert.Equal(t, 1, x.Every)
			}
		}
	}
}

// A part that is inside out, or whose faces are listed in another order, is measured as the
// one it was made of.
func TestInsideOutIsMeasuredTheSame(t *testing.T) {
	holes := solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 40, Y: 0}, {X: 46, Y: 12}, {X: 40, Y: 30}, {X: 0, Y: 30}}, [][]solid.P{{{X: 8, Y: 8}, {X: 8, Y: 20}, {X: 20, Y: 20}, {X: 20, Y: 8}}}, 6)
	for name, m := range map[string]*mesh.Mesh{"with a hole": holes, "sheave": solid.Sheave(), "bollard": solid.Bollard()} {
		out := &mesh.Mesh{Vertices: m.Vertices}
		for i := range m.Triangles {
			v := m.Triangles[len(m.Triangles)-1-i]
			out.Triangles = append(out.Triangles, [3]uint32{v[0], v[2], v[1]})
		}
		right, err := NewStack(context.Background(), m, mesh.TopologyOf(m), Layering{FirstMM: 0.3, LayerMM: 0.3}, 1, nil)
		require.NoError(t, err)
		wrong, err := NewStack(context.Background(), out, mesh.TopologyOf(out), Layering{FirstMM: 0.3, LayerMM: 0.3}, 1, nil)
		require.NoError(t, err)
		require.Len(t, wrong.Slabs, len(right.Slabs))
		assert.InDelta(t, right.FootHullMM, wrong.FootHullMM, 1e-6)
		for i := range right.Slabs {
			a, b := &right.Slabs[i], &wrong.Slabs[i]
			assert.InDelta(t, a.AreaMM2, b.AreaMM2, 1e-6, name)
			assert.InDelta(t, a.LengthMM, b.LengthMM, 1e-6, name)
			assert.InDelta(t, a.MitreRad, b.MitreRad, 1e-6, name)
			assert.Equal(t, [3]int{a.Outers, a.Holes, a.Tips.Cut}, [3]int{b.Outers, b.Holes, b.Tips.Cut}, name)
		}
	}
}
