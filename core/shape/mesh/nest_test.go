package mesh_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/solid"
)

func moved(m *mesh.Mesh, x, y, z float64) *mesh.Mesh {
	return m.Transformed(1, mesh.Vec3{X: x, Y: y, Z: z})
}

func joined(parts ...*mesh.Mesh) *mesh.Mesh {
	out := &mesh.Mesh{}
	for _, p := range parts {
		out.Append(p)
	}
	return out
}

// merged makes equal corners one, as a file's reader does, and mixes the triangles.
func merged(seed uint64, parts ...*mesh.Mesh) *mesh.Mesh {
	m := joined(parts...)
	mesh.MergeEqual(m)
	rand.New(rand.NewPCG(seed, 1)).Shuffle(len(m.Triangles), func(i, j int) { m.Triangles[i], m.Triangles[j] = m.Triangles[j], m.Triangles[i] })
	return m
}

// A ball that lies loose in a hollow one is a part of its own: it stays through
// every repair, its twin beside it too.
func TestWhatLiesInACavityStays(t *testing.T) {
	hollow := func(x float64) *mesh.Mesh {
		return moved(joined(solid.Sphere(20, 40), inward(solid.Sphere(15, 40)), solid.Sphere(6, 24)), x, 0, 0)
	}
	two := joined(hollow(0), hollow(100))
	r := inspect(t, two)
	assert.Empty(t, r.Overlaps)
	assert.True(t, r.Sound())
	got, log, err := repair.Do(ctx, two, repair.Steps)
	require.NoError(t, err)
	assert.Empty(t, log)
	assert.Same(t, two, got)
	// All of it facing the wrong way is turned as one.
	r = inspect(t, inward(two))
	for _, b := range r.Bodies {
		assert.True(t, b.InsideOut)
	}
	got, log, err = repair.Do(ctx, inward(two), repair.Steps)
	require.NoError(t, err)
	assert.Len(t, log, 1)
	assert.InEpsilon(t, two.Measure().Volume, got.Measure().Volume, 1e-9)
	assert.True(t, inspect(t, got).Sound())
	// A ball in the wall itself takes up its space.
	stuck := joined(solid.Sphere(20, 40), inward(solid.Sphere(10, 40)), moved(solid.Sphere(2, 16), 15, 0, 0))
	require.Len(t, inspect(t, stuck).Overlaps, 1)
}

// Pairs that are alike are told apart: one that cannot be joined does not keep its
// twins from it, and what was joined is said with bodies and volume.
func TestPairsThatAreAlikeAreEachJoined(t *testing.T) {
	var all []*mesh.Mesh
	for k := range 3 {
		all = append(all, moved(twoBoxes(3, 4, 5), 50*float64(k), 0, 0))
	}
	got, log, err := repair.Do(ctx, joined(all...), []repair.Step{repair.Unite})
	require.NoError(t, err)
	r := inspect(t, got)
	assert.Empty(t, r.Overlaps)
	assert.InEpsilon(t, 3*(2000-7*6*5), r.Measures.Volume, 1e-3)
	require.Len(t, log, 1)
	assert.Equal(t, "Made one body of two that overlap, 3 times. Bodies: 3, instead of 6. The volume changed by -10.5 %.", log[0].Text)
}

// Boxes that share a face, an edge or a corner touch, those that share space
// overlap; whatever the order of their triangles, with their corners made one or not.
func TestTouchingIsNotOverlapping(t *testing.T) {
	box := solid.Box(10, 10, 10)
	small := solid.Box(4, 4, 4)
	for name, c := range map[string]struct {
		parts              []*mesh.Mesh
		touching, overlaps int
	}{
		"face on face":               {[]*mesh.Mesh{box, moved(box, 10, 0, 0)}, 1, 0},
		"part of a face":             {[]*mesh.Mesh{box, moved(box, 10, 4, 3)}, 1, 0},
		"a small one on a large one": {[]*mesh.Mesh{box, moved(small, 3, 3, 10)}, 1, 0},
		"flush at an edge of it":     {[]*mesh.Mesh{box, moved(small, 0, 3, 10)}, 1, 0},
		"edge on edge":               {[]*mesh.Mesh{box, moved(box, 10, 10, 0)}, 1, 0},
		"corner on corner":           {[]*mesh.Mesh{box, moved(box, 10, 10, 10)}, 1, 0},
		"three in a row":             {[]*mesh.Mesh{box, moved(box, 10, 0, 0), moved(box, 20, 0, 0)}, 2, 0},
		"in a cavity, on its floor":  {[]*mesh.Mesh{moved(solid.Box(20, 20, 20), -5, -5, -5), inward(box), moved(small, 3, 3, 0)}, 1, 0},
		"shifted along":              {[]*mesh.Mesh{box, moved(box, 5, 0, 0)}, 0, 1},
		"inside, flush below":        {[]*mesh.Mesh{box, moved(small, 3, 3, 0)}, 0, 1},
		"inside, flush in a corner":  {[]*mesh.Mesh{box, small}, 0, 1},
		"the same place":             {[]*mesh.Mesh{box, box}, 0, 1},
		"apart":                      {[]*mesh.Mesh{box, moved(box, 10.5, 0, 0)}, 0, 0},
		"through each other":         {[]*mesh.Mesh{box, moved(box, 5, 5, 5)}, 0, 1},
	} {
		for seed := range uint64(4) {
			m := merged(seed, c.parts...)
			if seed == 0 {
				m = joined(c.parts...)
			}
			r := inspect(t, m)
			assert.Equal(t, len(c.parts), r.Topology.Bodies, "%s: bodies", name)
			assert.Len(t, r.Touching, c.touching, "%s: touching", name)
			assert.Len(t, r.Overlaps, c.overlaps, "%s: overlapping", name)
			if c.overlaps == 0 {
				assert.False(t, r.Crosses(), "%s: crossing", name)
				assert.Empty(t, r.Duplicate, "%s: repeated", name)
			}
		}
	}
}

// Three corners in a line: such a triangle keeps the edges of its neighbours
// together and crosses nothing.
func TestThreeCornersInALineCrossNothing(t *testing.T) {
	box := solid.Box(10, 10, 10)
	m := &mesh.Mesh{Vertices: append(append([]mesh.Vec3{}, box.Vertices...), mesh.Vec3{})}
	for i, tri := range box.Triangles {
		if i > 0 {
			m.Triangles = append(m.Triangles, tri)
			continue
		}
		// A point halfway along the first side: two triangles for this one, and a flat
		// one between them and the neighbour, whose side is whole.
		p := uint32(len(box.Vertices))
		m.Vertices[p] = m.Vertices[tri[0]].Add(m.Vertices[tri[1]]).Scale(0.5)
		m.Triangles = append(m.Triangles, [3]uint32{tri[0], p, tri[2]}, [3]uint32{p, tri[1], tri[2]}, [3]uint32{tri[0], tri[1], p})
	}
	r := inspect(t, m)
	assert.True(t, r.Topology.Closed() && r.Topology.Oriented())
	assert.False(t, r.Crosses())
	assert.Len(t, r.Degenerate, 1)
	assert.InDelta(t, 1000, r.Measures.Volume, 1e-9)
	got, log, err := repair.Do(ctx, m, repair.Steps)
	require.NoError(t, err)
	assert.Len(t, log, 1)
	assert.True(t, inspect(t, got).Sound())
}
