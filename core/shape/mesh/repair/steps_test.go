package repair_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/solid"
)

// alone makes one step of repair and nothing else.
func alone(t *testing.T, m *mesh.Mesh, s repair.Step) (*mesh.Mesh, []repair.Done) {
	t.Helper()
	before := append([][3]uint32{}, m.Triangles...)
	out, log, err := repair.Do(context.Background(), m, []repair.Step{s})
	require.NoError(t, err)
	require.Equal(t, before, m.Triangles, "the mesh it is given stays as it is")
	for _, d := range log {
		require.Equal(t, s, d.Step)
	}
	return out, log
}

// split gives a box whose top's corners are its own, moved by d from the sides'.
func split(d mesh.Vec3) *mesh.Mesh {
	m := solid.Box(100, 80, 60)
	own := map[uint32]uint32{}
	for i := range m.Triangles {
		tri := &m.Triangles[i]
		if m.Vertices[tri[0]].Z != 60 || m.Vertices[tri[1]].Z != 60 || m.Vertices[tri[2]].Z != 60 {
			continue
		}
		for k, v := range tri {
			n, ok := own[v]
			if !ok {
				n = uint32(len(m.Vertices))
				own[v] = n
				m.Vertices = append(m.Vertices, m.Vertices[v].Add(d))
			}
			tri[k] = n
		}
	}
	return m
}

// Welding alone closes what lies within its reach, 5e-5 of the diagonal, and leaves what
// is further apart, on whichever side of a cell of its grid it lies; nothing collapses.
func TestWeldingAlone(t *testing.T) {
	reach := 5e-5 * solid.Box(100, 80, 60).Bounds().Size().Len()
	for _, dir := range []mesh.Vec3{{X: 1}, {Y: -1}, {Z: 1}, {X: 0.6, Y: 0.8}, {X: -0.36, Y: 0.48, Z: -0.8}} {
		for share, closes := range map[float64]bool{0.2: true, 0.9: true, 1.3: false, 2.5: false, 3.9: false} {
			m := split(dir.Scale(share * reach))
			require.Equal(t, 8, mesh.TopologyOf(m).Boundary)
			out, log := alone(t, m, repair.Weld)
			topo := mesh.TopologyOf(out)
			if closes {
				assert.True(t, topo.Closed(), "%v, %g of the reach", dir, share)
				assert.Len(t, out.Triangles, 12)
				assert.Equal(t, 4, log[0].Count)
				assert.InEpsilon(t, 480_000, out.Measure().Volume, 1e-3)
			} else {
				assert.Same(t, m, out, "%v, %g of the reach", dir, share)
				assert.Empty(t, log)
			}
		}
	}
	// A sliver between two corners that become one goes with them, at each of its sides.
	for turn := range 3 {
		m := split(mesh.Vec3{X: reach / 2})
		a, b, c := uint32(len(m.Vertices)), uint32(len(m.Vertices)+1), uint32(len(m.Vertices)+2)
		m.Vertices = append(m.Vertices, mesh.Vec3{X: 300}, mesh.Vec3{X: 300 + reach/3}, mesh.Vec3{X: 300, Y: 40})
		tri := [3]uint32{a, b, c}
		m.Triangles = append(m.Triangles, [3]uint32{tri[turn], tri[(turn+1)%3], tri[(turn+2)%3]})
		out, _ := alone(t, m, repair.Weld)
		assert.Len(t, out.Triangles, 12)
		for _, x := range out.Triangles {
			assert.False(t, x[0] == x[1] || x[1] == x[2] || x[2] == x[0])
		}
	}
}

// Dropping flat triangles alone keeps the surface closed, its volume, and which way its
// faces look, whichever way round the neighbour is drawn.
func TestDroppingFlatTrianglesAlone(t *testing.T) {
	for _, turned := range []bool{false, true} {
		for corner := range 3 {
			m := solid.Box(10, 20, 30)
			// A corner in the middle of an edge of one face, and a flat triangle along that edge.
			tri := m.Triangles[0]
			a, b, c := tri[corner], tri[(corner+1)%3], tri[(corner+2)%3]
			mid := uint32(len(m.Vertices))
			m.Vertices = append(m.Vertices, m.Vertices[a].Add(m.Vertices[b]).Scale(0.5))
			m.Triangles[0] = [3]uint32{a, mid, c}
			m.Triangles = append(m.Triangles, [3]uint32{mid, b, c}, [3]uint32{a, b, mid})
			require.True(t, mesh.TopologyOf(m).Closed())
			volume := m.Measure().Volume
			if turned {
				for i := range m.Triangles {
					x := &m.Triangles[i]
					x[0], x[1] = x[1], x[0]
				}
				volume = -volume
			}
			out, log := alone(t, m, repair.Flat)
			require.Len(t, log, 1)
			topo := mesh.TopologyOf(out)
			assert.True(t, topo.Closed())
			assert.Zero(t, topo.Misoriented)
			assert.InDelta(t, volume, out.Measure().Volume, 1e-9)
			assert.InDelta(t, 2200, out.Measure().Area, 1e-9)
		}
	}
	// And where the neighbour across looks the other way, it still does, and no more do.
	m := solid.Box(10, 20, 30)
	tri := m.Triangles[0]
	mid := uint32(len(m.Vertices))
	m.Vertices = append(m.Vertices, m.Vertices[tri[0]].Add(m.Vertices[tri[1]]).Scale(0.5))
	m.Triangles[0] = [3]uint32{tri[0], mid, tri[2]}
	m.Triangles = append(m.Triangles, [3]uint32{mid, tri[1], tri[2]}, [3]uint32{tri[0], tri[1], mid})
	topo := mesh.TopologyOf(m)
	for k := range 3 {
		if v := m.Triangles[13]; v[k] == tri[0] && v[(k+1)%3] == tri[1] { // across its longest side
			o := topo.Mate[3*13+k] / 3
			x := &m.Triangles[o]
			x[0], x[1] = x[1], x[0]
		}
	}
	before := mesh.TopologyOf(m).Misoriented
	require.Equal(t, 3, before)
	out, _ := alone(t, m, repair.Flat)
	after := mesh.TopologyOf(out)
	assert.Equal(t, 0, after.Boundary)
	assert.LessOrEqual(t, after.Misoriented, before+1)
	assert.InDelta(t, 2200, out.Measure().Area, 1e-9)
	oriented, _ := alone(t, out, repair.Orient)
	assert.InDelta(t, 6000, math.Abs(oriented.Measure().Volume), 1e-9)
}

// Each further step alone does what it says and nothing else: a sound surface goes through
// all of them as it is.
func TestEveryStepAlone(t *testing.T) {
	sound := solid.TillerJoint()
	for _, s := range repair.Steps {
		if s == repair.Unite {
			continue // it has two bodies that touch
		}
		out, log := alone(t, sound, s)
		assert.Same(t, sound, out, s)
		assert.Empty(t, log, s)
	}
	box := func() *mesh.Mesh { return solid.Box(10, 20, 30) }
	for name, c := range map[string]struct {
		step   repair.Step
		spoil  func(m *mesh.Mesh)
		count  int
		volume float64
	}{
		"twice":      {repair.Duplicates, func(m *mesh.Mesh) { m.Triangles = append(m.Triangles, m.Triangles[3], m.Triangles[5]) }, 2, 6000},
		"one turned": {repair.Orient, func(m *mesh.Mesh) { x := &m.Triangles[4]; x[0], x[1] = x[1], x[0] }, 1, 6000},
		"a hole":     {repair.Holes, func(m *mesh.Mesh) { m.Triangles = m.Triangles[1:] }, 1, 6000},
		"two holes": {repair.Holes, func(m *mesh.Mesh) {
			m.Triangles = m.Triangles[2:]
		}, 2, 6000},
		"inside out": {repair.Turn, func(m *mesh.Mesh) {
			for i := range m.Triangles {
				x := &m.Triangles[i]
				x[1], x[2] = x[2], x[1]
			}
		}, 1, 6000},
		"in two": {repair.Unite, func(m *mesh.Mesh) { m.Append(solid.Box(10, 20, 30).Transformed(1, mesh.Vec3{X: 5, Y: 1, Z: 1})) }, 1, 6000 + 10*20*30 - 5*19*29},
	} {
		m := box()
		c.spoil(m)
		out, log := alone(t, m, c.step)
		if assert.Len(t, log, 1, name) {
			assert.Equal(t, c.count, log[0].Count, name)
			assert.Equal(t, repair.StateOf(m), log[0].Before, name)
			assert.Equal(t, repair.StateOf(out), log[0].After, name)
		}
		assert.True(t, mesh.TopologyOf(out).Closed(), name)
		assert.Zero(t, mesh.TopologyOf(out).Misoriented, name)
		assert.InEpsilon(t, c.volume, out.Measure().Volume, 1e-4, name) // uniting moves what touches by a hair
	}
}
