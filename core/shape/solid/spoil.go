package solid

import (
	"math/rand/v2"
	"slices"

	"jobshelf/core/shape/mesh"
)

// Small is four bodies of few triangles, mm: flat, round, closed at a point, and with a hole.
func Small() []*mesh.Mesh {
	return []*mesh.Mesh{Box(20, 12, 7), Cylinder(6, 9, 9), Sphere(5, 10), Torus(8, 2.5, 9, 6)}
}

// Spoil is a mesh as a bad file brings it: a copy with faults drawn by seed. Triangles are
// missing, turned round, there twice or flat; corners are torn apart, alone or along a seam,
// moved, drawn onto others, or stand on one side of an edge alone; a second body crosses it, touches it, or lies inside, inside out or not.
func Spoil(m *mesh.Mesh, seed uint64) *mesh.Mesh {
	r := rand.New(rand.NewPCG(seed, 99)) //nolint:gosec // the same each time
	out := &mesh.Mesh{Vertices: slices.Clone(m.Vertices), Triangles: slices.Clone(m.Triangles)}
	size := m.Bounds().Size()
	for range 1 + r.IntN(5) {
		k := r.IntN(len(out.Triangles))
		t := out.Triangles[k]
		far := mesh.Vec3{X: size.X * (r.Float64() - 0.5), Y: size.Y * (r.Float64() - 0.5), Z: size.Z * (r.Float64() - 0.5)}
		switch r.IntN(11) {
		case 0:
			out.Triangles = append(out.Triangles[:k], out.Triangles[min(k+1+r.IntN(6), len(out.Triangles)-1):]...)
		case 1:
			out.Triangles[k] = [3]uint32{t[1], t[0], t[2]}
		case 2:
			out.Triangles = append(out.Triangles, [3]uint32{t[1], t[2], t[0]}, [3]uint32{t[0], t[2], t[1]})
		case 3:
			out.Triangles = append(out.Triangles, [3]uint32{t[0], t[1], t[0]})
		case 4: // torn off, a hair away
			n := uint32(len(out.Vertices)) //nolint:gosec // small
			for _, v := range t {
				out.Vertices = append(out.Vertices, out.Vertices[v].Add(far.Scale([]float64{2e-5, 1e-4, 4e-4}[r.IntN(3)])))
			}
			out.Triangles[k] = [3]uint32{n, n + 1, n + 2}
		case 5:
			out.Vertices[t[0]] = out.Vertices[t[0]].Add(far.Scale(0.3))
		case 6:
			out.Vertices[t[0]] = out.Vertices[t[1]]
		case 7: // another body of the same shape
			out.Append(m.Transformed(0.2+r.Float64(), far))
		case 9: // torn along a seam, all behind it a hair away
			own := map[uint32]uint32{}
			for i := k; i < len(out.Triangles); i++ {
				for c, v := range out.Triangles[i] {
					if _, ok := own[v]; !ok {
						own[v] = uint32(len(out.Vertices)) //nolint:gosec // small
						out.Vertices = append(out.Vertices, out.Vertices[v].Add(far.Scale(1e-5*float64(r.IntN(9)))))
					}
					out.Triangles[i][c] = own[v]
				}
			}
		case 10: // a corner more on one side of an edge alone
			n := uint32(len(out.Vertices)) //nolint:gosec // small
			out.Vertices = append(out.Vertices, out.Vertices[t[0]].Add(out.Vertices[t[1]]).Scale(0.5))
			out.Triangles[k] = [3]uint32{t[0], n, t[2]}
			out.Triangles = append(out.Triangles, [3]uint32{n, t[1], t[2]})
		case 8:
			o := m.Transformed(0.5, m.Bounds().Min.Add(m.Bounds().Max).Scale(0.25))
			o.Triangles = slices.Clone(o.Triangles)
			for i, t := range o.Triangles {
				o.Triangles[i] = [3]uint32{t[0], t[2], t[1]}
			}
			out.Append(o)
		}
	}
	return out
}
