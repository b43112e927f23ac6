package modelfile

import (
	"math"

	"jobshelf/core/shape/mesh"
)

// welder makes vertices that are equal to the bit one. It is an open-addressing
// table of vertex numbers, at most half full; keys are the float32 bits, so it
// serves STL; -0 is filed as 0.
type welder struct {
	m     *mesh.Mesh
	keys  [][3]uint32 // by vertex number
	slots []uint32    // vertex number + 1, or 0
	mask  uint32
}

// newWelder sizes its tables for a claimed number of triangles, but never for
// more than a million on the claim alone: a header can say anything.
func newWelder(claimed int64) *welder {
	n := min(claimed, 1<<20)
	size := 1 << 10
	for int64(size) < n {
		size <<= 1
	}
	return &welder{
		m:     &mesh.Mesh{Vertices: make([]mesh.Vec3, 0, n/2+8), Triangles: make([][3]uint32, 0, n)},
		keys:  make([][3]uint32, 0, n/2+8),
		slots: make([]uint32, size),
		mask:  uint32(size - 1),
	}
}

func hash3(a, b, c uint32) uint32 {
	h := uint64(a)*0x9E3779B97F4A7C15 ^ uint64(b)*0xC2B2AE3D27D4EB4F ^ uint64(c)*0x165667B19E3779F9
	h ^= h >> 29
	h *= 0xBF58476D1CE4E5B9
	return uint32(h >> 32)
}

const negZero = 1 << 31

// vertex files a vertex given by its float32 bits and gives its number.
func (w *welder) vertex(x, y, z uint32) uint32 {
	if x == negZero {
		x = 0
	}
	if y == negZero {
		y = 0
	}
	if z == negZero {
		z = 0
	}
	key := [3]uint32{x, y, z}
	i := hash3(x, y, z) & w.mask
	for {
		s := w.slots[i]
		if s == 0 {
			break
		}
		if w.keys[s-1] == key {
			return s - 1
		}
		i = (i + 1) & w.mask
	}
	n := uint32(len(w.keys))
	w.keys = append(w.keys, key)
	w.m.Vertices = append(w.m.Vertices, mesh.Vec3{
		X: float64(math.Float32frombits(x)),
		Y: float64(math.Float32frombits(y)),
		Z: float64(math.Float32frombits(z)),
	})
	w.slots[i] = n + 1
	if 2*len(w.keys) > len(w.slots) {
		w.grow()
	}
	return n
}

func (w *welder) grow() {
	w.slots = make([]uint32, 2*len(w.slots))
	w.mask = uint32(len(w.slots) - 1)
	for n, k := range w.keys {
		i := hash3(k[0], k[1], k[2]) & w.mask
		for w.slots[i] != 0 {
			i = (i + 1) & w.mask
		}
		w.slots[i] = uint32(n) + 1
	}
}
