package solid

import (
	"math"
	"math/rand/v2"

	"jobshelf/core/shape/mesh"
)

// Drawn is a body by seed: a few parts, about 5 to 30 mm each way, that lean, hang, pass through each
// other and stand apart.
func Drawn(seed uint64) *mesh.Mesh {
	r := rand.New(rand.NewPCG(seed, 1)) //nolint:gosec // the same each time
	of := func(least, most float64) float64 { return least + (most-least)*r.Float64() }
	m := foot(of, 3+r.IntN(9), r.IntN(3) == 0)
	for range r.IntN(4) {
		var o *mesh.Mesh
		switch r.IntN(6) {
		case 0:
			o = Box(of(0.2, 14), of(0.2, 10), of(0.4, 5))
		case 1:
			o = Cylinder(of(0.4, 6), of(0.5, 5), 5+r.IntN(30))
		case 2:
			o = Sphere(of(1, 5), 6+2*r.IntN(5))
		case 3:
			o = Torus(of(3, 7), of(0.5, 2), 16, 8)
		case 4:
			o = foot(of, 3+r.IntN(6), true)
		default: // a roof, steep or flat, on its head or not
			o = Revolve([]P{{X: 0, Y: 0}, {X: of(0, 8), Y: 0}, {X: of(1, 9), Y: of(1, 6)}, {X: 0, Y: 7}}, 12)
		}
		lean(o, of(-1.5, 1.5), of(-1, 1)*float64(r.IntN(2)))
		low := o.Bounds().Min.Z
		m.Append(o.Transformed(1, mesh.Vec3{X: of(-6, 16), Y: of(-6, 12), Z: max(-low, of(-low, 7))}))
	}
	return m
}

// foot is a flat body with so many corners, some pointed and some blunt.
func foot(of func(least, most float64) float64, n int, hollow bool) *mesh.Mesh {
	var outer, hole []P
	for i := range n {
		sin, cos := math.Sincos(2 * math.Pi * (float64(i) + of(-0.3, 0.3)) / float64(n))
		d := of(3, 13)
		outer = append(outer, P{X: d * cos, Y: d * sin})
		hole = append(hole, P{X: d * cos, Y: -d * sin}) // the other way round
	}
	if !hollow {
		return Extrude(outer, nil, of(0.5, 6))
	}
	share := of(0.3, 0.9)
	for i := range hole {
		p := outer[(n-i)%n]
		hole[i] = P{X: share * p.X, Y: share * p.Y}
	}
	return Extrude(outer, [][]P{hole}, of(0.5, 6))
}

// lean pushes a body over: so much sideways for each mm up.
func lean(m *mesh.Mesh, x, y float64) {
	for i, v := range m.Vertices {
		m.Vertices[i] = v.Add(mesh.Vec3{X: x * v.Z, Y: y * v.Z})
	}
}
