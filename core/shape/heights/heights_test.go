package heights_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"jobshelf/core/shape/heights"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// A line over a cell meets a closed body an even number of times, wherever the grid lies and however
// its cells meet edges and corners; what is between is the body: its volume and, under it, its shadow.
func TestLinesGoInAndOut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		m := solid.Box(4, 3, 2)
		if rapid.Bool().Draw(t, "round") {
			m = solid.Sphere(2, rapid.IntRange(4, 24).Draw(t, "facets"))
		}
		snap := rapid.SampledFrom([]float64{0, 0.25, 0.125, 0.1}).Draw(t, "snap") // onto corners, or beside them
		at := func(name string) float64 {
			v := rapid.Float64Range(-3, 0).Draw(t, name)
			if snap > 0 {
				v = math.Round(v/snap) * snap
			}
			return v
		}
		b := m.Bounds()
		g := heights.Grid{MinXMM: b.Min.X + at("x"), MinYMM: b.Min.Y + at("y"), CellMM: rapid.SampledFrom([]float64{0.05, 0.1, 0.125}).Draw(t, "cell")}
		g.Wide, g.Deep = int((b.Max.X-g.MinXMM)/g.CellMM)+2, int((b.Max.Y-g.MinYMM)/g.CellMM)+2
		ways, sum, shadow := make([]int, g.Wide*g.Deep), 0.0, 0
		for _, tri := range m.Triangles {
			a, b, c := m.Vertices[tri[0]], m.Vertices[tri[1]], m.Vertices[tri[2]]
			n := heights.Normal(a, b, c)
			upright := math.Abs(n.Z) < 1e-9*n.Len()
			g.Over(a, b, c, func(cell int, z float64) {
				ways[cell]++
				if upright {
					return
				}
				way := 1
				if n.Z < 0 {
					way = -1
				} else {
					shadow++
				}
				sum += float64(way) * z
				x, y := g.MinXMM+(float64(cell%g.Wide)+0.5)*g.CellMM, g.MinYMM+(float64(cell/g.Wide)+0.5)*g.CellMM
				assert.InDelta(t, 0, mesh.Vec3{X: x, Y: y, Z: z}.Sub(a).Dot(n)/n.Len(), 1e-9, "on the face")
			})
		}
		for cell, n := range ways {
			assert.Zero(t, n%2, "cell %d", cell)
		}
		area := g.CellMM * g.CellMM
		assert.InEpsilon(t, m.Measure().Volume, sum*area, 0.08)
		size := b.Size()
		assert.LessOrEqual(t, float64(shadow)*area, (size.X+g.CellMM)*(size.Y+g.CellMM))
	})
}

// A face leans past the angle where n_z < -sin θ of its outward normal of length 1; just at the angle it holds.
func TestWhatLeans(t *testing.T) {
	for _, deg := range []float64{0, 20, 45, 50, 89} {
		l := heights.LeanOf(deg)
		for lean := 0.5; lean < 90; lean++ { // degrees from vertical, facing down
			sin, cos := math.Sincos(lean * math.Pi / 180)
			for _, size := range []float64{1e-6, 1, 1e6} {
				down := mesh.Vec3{X: cos * 0.6, Y: cos * 0.8, Z: -sin}.Scale(size)
				assert.Equal(t, lean > deg, l.Overhangs(down), "%v° past %v°", lean, deg)
				assert.False(t, l.Overhangs(down.Scale(-1)))
				assert.Equal(t, lean > deg, l.Past(down.Scale(-1)))
			}
		}
		sin, cos := math.Sincos(deg * math.Pi / 180)
		assert.False(t, l.Overhangs(mesh.Vec3{X: cos, Z: -sin * 1.0005}), "%v°, as it is rounded", deg)
		assert.False(t, l.Past(mesh.Vec3{X: 1}))
	}
}
