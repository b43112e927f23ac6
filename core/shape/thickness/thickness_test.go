package thickness

import (
	"context"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// turned is a mesh about an axis, and away from where it was.
func turned(m *mesh.Mesh, deg float64) *mesh.Mesh {
	out := &mesh.Mesh{Triangles: m.Triangles}
	sin, cos := math.Sincos(deg * math.Pi / 180)
	for _, v := range m.Vertices {
		x, z := v.X*cos-v.Z*sin, v.X*sin+v.Z*cos
		x, y := x*cos-v.Y*sin, x*sin+v.Y*cos
		out.Vertices = append(out.Vertices, mesh.Vec3{X: x + 70, Y: y - 300, Z: z + 11})
	}
	return out
}

func under(ctx context.Context, m *mesh.Mesh, limitMM float64) ([]Thin, error) {
	return Under(ctx, m, mesh.NewTree(m), limitMM)
}

func sum(all []Thin) (areaMM2 float64) {
	for _, x := range all {
		areaMM2 += x.AreaMM2
	}
	return areaMM2
}

// Plates are as thick as they are, however they lie; both faces of one that is thinner than the limit are thin, its rim
// is not, and one that is thicker has nothing.
func TestPlates(t *testing.T) {
	for _, c := range []struct{ thick, limit float64 }{{0.3, 3}, {0.4, 3}, {0.8, 3}, {2.9, 3}, {3.1, 3}, {0.39, 0.4}, {0.41, 0.4}} {
		for _, deg := range []float64{0, 33, 90} {
			all, err := under(context.Background(), turned(solid.Box(60, 40, c.thick), deg), c.limit)
			require.NoError(t, err)
			if c.thick > c.limit {
				assert.Empty(t, all, "%v", c)
				continue
			}
			require.NotEmpty(t, all)
			assert.InDelta(t, c.thick, all[0].MM, 1e-9)
			assert.InDelta(t, c.thick, all[len(all)-1].MM, 1e-9)
			assert.InDelta(t, 2*60*40, sum(all), 1, "%v", c)
		}
	}
}

// The wall of a hollow ball is as thick as its radii say, but for its facets; a solid one has no walls.
func TestAHollowBall(t *testing.T) {
	ball := solid.Sphere(10, 96)
	hollow := solid.Sphere(9.2, 96)
	for i := range hollow.Triangles {
		x := &hollow.Triangles[i]
		x[1], x[2] = x[2], x[1]
	}
	all, err := under(context.Background(), ball, 5)
	require.NoError(t, err)
	assert.Empty(t, all)
	ball.Append(hollow)
	all, err = under(context.Background(), ball, 1)
	require.NoError(t, err)
	assert.InDelta(t, 0.8, all[0].MM, 0.02)
	assert.InDelta(t, 0.8, all[len(all)-1].MM, 0.02)
	assert.InDelta(t, 4*math.Pi*(10*10+9.2*9.2), sum(all), 0.01*4*math.Pi*184)
	for _, x := range all[:20] {
		assert.InDelta(t, 9.6, math.Sqrt(x.AtMM[0]*x.AtMM[0]+x.AtMM[1]*x.AtMM[1]+x.AtMM[2]*x.AtMM[2]), 0.05, "in the middle of the wall")
	}
}

// A corner of more than 45° is no wall however near its edge one looks; a blade is.
func TestWedges(t *testing.T) {
	for _, c := range []struct {
		deg  float64
		thin bool
	}{{20, true}, {40, true}, {50, false}, {80, false}} {
		half := 30 * math.Tan(c.deg*math.Pi/360)
		blade := solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 30, Y: -half}, {X: 30, Y: half}}, nil, 20)
		all, err := under(context.Background(), blade, 1)
		require.NoError(t, err)
		assert.Equal(t, c.thin, len(all) > 0, "%g°", c.deg)
	}
}

// The first triangle that a ray meets is the nearest of all, by looking at each.
func TestARayMeetsTheNearest(t *testing.T) {
	m := solid.Torus(10, 3, 24, 12)
	m.Append(solid.Box(40, 40, 2).Transformed(1, mesh.Vec3{X: -20, Y: -20, Z: -8}))
	tree := mesh.NewTree(m)
	rapid.Check(t, func(t *rapid.T) {
		in := func(name string, by float64) float64 { return rapid.Float64Range(-by, by).Draw(t, name) }
		from, dir := mesh.Vec3{X: in("x", 25), Y: in("y", 25), Z: in("z", 15)}, mesh.Vec3{X: in("dx", 1), Y: in("dy", 1), Z: in("dz", 1)}
		if rapid.Bool().Draw(t, "along an axis") {
			dir = []mesh.Vec3{{X: 1}, {Y: -1}, {Z: 1}}[rapid.IntRange(0, 2).Draw(t, "axis")]
		}
		if dir.Len() < 1e-3 {
			return
		}
		// surely is the nearest that is met well within its edges, perhaps the nearest that is at least touched by them: a
		// ray along an edge may be told either way, but nothing may be met before the one or first behind the other.
		surely, perhaps := math.Inf(1), math.Inf(1)
		for _, x := range m.Triangles {
			a, b, c := m.Vertices[x[0]], m.Vertices[x[1]], m.Vertices[x[2]]
			n := b.Sub(a).Cross(c.Sub(a))
			along := n.Dot(dir)
			if along == 0 {
				continue
			}
			d := a.Sub(from).Dot(n) / along // where it meets the plane, and whether that is inside by three areas
			p := from.Add(dir.Scale(d))
			least := math.Inf(1)
			for _, e := range [3][2]mesh.Vec3{{a, b}, {b, c}, {c, a}} {
				least = min(least, e[1].Sub(e[0]).Cross(p.Sub(e[0])).Dot(n)/n.Dot(n))
			}
			if d >= 0.01-1e-9 && least >= -1e-9 {
				perhaps = min(perhaps, d)
			}
			if d >= 0.01+1e-9 && d < 100 && least >= 1e-9 && math.Abs(along) > 1e-9*n.Len()*dir.Len() {
				surely = min(surely, d)
			}
		}
		got, k := tree.First(from, dir, 0.01, 100)
		if k < 0 {
			got = math.Inf(1)
		}
		if got > surely+1e-6*max(1, surely) || got+1e-6*max(1, got) < perhaps {
			t.Fatalf("met at %g, by looking at each between %g and %g", got, perhaps, surely)
		}
	})
	order := []float64{}
	all, err := under(context.Background(), solid.Torus(10, 0.4, 48, 16), 2)
	require.NoError(t, err)
	for _, x := range all {
		order = append(order, x.MM)
	}
	assert.True(t, slices.IsSorted(order))
	gone, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = under(gone, m, 1)
	assert.ErrorIs(t, err, context.Canceled)
}
