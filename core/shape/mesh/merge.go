package mesh

import "math"

// MergeEqual makes vertices that are equal to the bit one (-0 equals 0) and
// drops nothing else. The mesh is changed. Its table takes 8 to 16 bytes a vertex.
func MergeEqual(m *Mesh) {
	size := 8
	for size < 2*len(m.Vertices) {
		size *= 2
	}
	slots := make([]uint32, size) // number of a kept vertex + 1
	mask := uint64(size - 1)
	to := make([]uint32, len(m.Vertices))
	kept := m.Vertices[:0]
	for i, v := range m.Vertices {
		v = Vec3{v.X + 0, v.Y + 0, v.Z + 0}
		at := hashOf(v) & mask
		for slots[at] != 0 && kept[slots[at]-1] != v {
			at = (at + 1) & mask
		}
		if slots[at] == 0 {
			kept = append(kept, v)
			slots[at] = uint32(len(kept))
		}
		to[i] = slots[at] - 1
	}
	m.Vertices = kept
	for i, t := range m.Triangles {
		m.Triangles[i] = [3]uint32{to[t[0]], to[t[1]], to[t[2]]}
	}
}

// hashOf mixes the bits of three numbers (multiplications and shifts as in
// splitmix64, Steele, Lea & Flood 2014).
func hashOf(v Vec3) uint64 {
	h := uint64(0)
	for _, x := range [3]float64{v.X, v.Y, v.Z} {
		h = (h ^ math.Float64bits(x)) * 0xbf58476d1ce4e5b9
		h ^= h >> 29
	}
	h *= 0x94d049bb133111eb
	return h ^ h>>31
}
