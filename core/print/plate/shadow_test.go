package plate

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
)

// The shadow of what was drawn and pulled up is the drawing; of a ball a disc; of a ring the disc
// around it; of two bodies apart the hull; of what has no area none.
func TestShadowsOfKnownBodies(t *testing.T) {
	arm := solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 40, Y: 0}, {X: 40, Y: 8}, {X: 8, Y: 8}, {X: 8, Y: 40}, {X: 0, Y: 40}}, nil, 3)
	assert.InDelta(t, 576, Shadow(arm).Area(), 1e-6)
	assert.Len(t, Shadow(arm), 6)
	n := 96
	assert.InEpsilon(t, float64(n)/2*100*math.Sin(2*math.Pi/float64(n)), Shadow(solid.Sphere(10, n)).Area(), 1e-3)
	assert.InEpsilon(t, math.Pi*12*12, Shadow(solid.Torus(10, 2, 200, 48)).Area(), 2e-3, "what lies in the hole could not be taken off")
	two := solid.Box(10, 10, 5)
	far := solid.Box(10, 10, 5).Transformed(1, mesh.Vec3{X: 30})
	for _, v := range far.Triangles {
		two.Triangles = append(two.Triangles, [3]uint32{v[0] + uint32(len(two.Vertices)), v[1] + uint32(len(two.Vertices)), v[2] + uint32(len(two.Vertices))})
	}
	two.Vertices = append(two.Vertices, far.Vertices...)
	assert.InDelta(t, 400, Shadow(two).Area(), 1e-6)
	flat := &mesh.Mesh{Vertices: []mesh.Vec3{{}, {X: 1}, {Z: 1}}, Triangles: [][3]uint32{{0, 1, 2}}}
	assert.Nil(t, Shadow(flat))
	assert.Nil(t, Shadow(&mesh.Mesh{}))
}

// Of whatever body, spoiled or not: every corner lies on or in its shadow, which is no larger than the
// hull, is turned as the body is, and is the same for a body inside out.
func TestShadowsHoldTheirBody(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		m := solid.Drawn(rapid.Uint64().Draw(t, "seed"))
		spoiled := rapid.Bool().Draw(t, "spoiled") // then hairs may stand out that nobody prints
		if spoiled {
			m = solid.Spoil(m, rapid.Uint64().Draw(t, "how"))
		}
		s := Shadow(m)
		var at []polygon.Point
		for _, tri := range m.Triangles {
			for _, k := range tri {
				at = append(at, polygon.At(m.Vertices[k].X, m.Vertices[k].Y))
			}
		}
		hull := polygon.Hull(at)
		if len(hull) < 3 {
			return
		}
		require.LessOrEqual(t, s.Area(), hull.Area()+1e-3*hull.Length(), "but for a µm around it")
		for _, p := range at {
			if !spoiled && polygon.Inside(polygon.NonZero, []polygon.Path{s}, p) < 0 {
				near := math.Inf(1)
				for i, q := range s {
					near = math.Min(near, polygon.FromSegment(p, q, s[(i+1)%len(s)]))
				}
				require.LessOrEqual(t, near, 35., "a corner out of the shadow, by more than a crumb's width")
			}
		}
		out := &mesh.Mesh{Vertices: m.Vertices}
		for _, tri := range m.Triangles {
			out.Triangles = append(out.Triangles, [3]uint32{tri[0], tri[2], tri[1]})
		}
		require.InDelta(t, s.Area(), Shadow(out).Area(), 1e-3*hull.Length())
	})
}
