package mesh

import "math"

// Simplified gives a mesh of at most about limit triangles for looking at: the
// vertices of each cell of a grid are drawn together into their mean, and
// triangles that lose a corner by it are left out (Rossignac & Borrel 1993). A
// mesh within the limit comes back as it is. The result is for pictures; it need
// not be closed.
func Simplified(m *Mesh, limit int) *Mesh {
	if len(m.Triangles) <= limit || limit <= 0 {
		return m
	}
	size := m.Bounds().Size()
	longest := math.Max(size.X, math.Max(size.Y, size.Z))
	// A surface crosses about cells² cells, with two triangles each.
	for cells := math.Sqrt(float64(limit)) * 1.2; cells > 2; cells *= 0.8 {
		if s := clustered(m, longest/cells); len(s.Triangles) <= limit {
			return s
		}
	}
	return clustered(m, longest/2)
}

func clustered(m *Mesh, cell float64) *Mesh {
	lo := m.Bounds().Min
	type key struct{ x, y, z int32 }
	index := make(map[key]uint32, 1<<16)
	of := make([]uint32, len(m.Vertices))
	out := &Mesh{}
	var count []float64
	for i, v := range m.Vertices {
		d := v.Sub(lo).Scale(1 / cell)
		k := key{int32(d.X), int32(d.Y), int32(d.Z)}
		n, ok := index[k]
		if !ok {
			n = uint32(len(out.Vertices))
			index[k] = n
			out.Vertices, count = append(out.Vertices, Vec3{}), append(count, 0)
		}
		of[i] = n
		out.Vertices[n], count[n] = out.Vertices[n].Add(v), count[n]+1
	}
	for i, c := range count {
		out.Vertices[i] = out.Vertices[i].Scale(1 / c)
	}
	for _, t := range m.Triangles {
		a, b, c := of[t[0]], of[t[1]], of[t[2]]
		if a != b && b != c && c != a {
			out.Triangles = append(out.Triangles, [3]uint32{a, b, c})
		}
	}
	return out
}
