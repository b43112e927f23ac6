package mesh

import (
	"math"
	"slices"
)

// Tree is a bounding-volume tree over a mesh's triangles: sorted along a Morton
// curve, halved down to leaves of four (Lauterbach et al. 2009). Boxes are
// float32, rounded outwards. Triangles without area are left out. It may be
// asked from several goroutines.
type Tree struct {
	m     *Mesh
	order []int32 // triangles in tree order
	boxes []box32 // by place in order
	nodes []node
	graze float64 // see grazeUlps
}

type box32 struct{ lo, hi [3]float32 }

type node struct {
	box box32
	// right is the number of the right child, the left one follows its parent;
	// in a leaf, which covers order[first:first+count], right is the first and
	// count is not 0.
	right, count int32
}

const leafSize = 4

func (b *box32) meets(o *box32) bool {
	return b.lo[0] <= o.hi[0] && o.lo[0] <= b.hi[0] && b.lo[1] <= o.hi[1] && o.lo[1] <= b.hi[1] && b.lo[2] <= o.hi[2] && o.lo[2] <= b.hi[2]
}

func (b *box32) add(o *box32) {
	for k := range 3 {
		b.lo[k], b.hi[k] = min(b.lo[k], o.lo[k]), max(b.hi[k], o.hi[k])
	}
}

func down(v float64) float32 {
	f := float32(v)
	if float64(f) > v {
		f = math.Nextafter32(f, float32(math.Inf(-1)))
	}
	return f
}

func up(v float64) float32 {
	f := float32(v)
	if float64(f) < v {
		f = math.Nextafter32(f, float32(math.Inf(1)))
	}
	return f
}

// FlatTriangle says that a triangle has no area: its corners repeat or lie on
// one line, as far as float64 can tell.
func FlatTriangle(m *Mesh, t [3]uint32) bool {
	if t[0] == t[1] || t[1] == t[2] || t[2] == t[0] {
		return true
	}
	a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
	n := b.Sub(a).Cross(c.Sub(a))
	return n.X == 0 && n.Y == 0 && n.Z == 0
}

// NewTree builds the tree, in time n log n at worst and nearly linear in n.
func NewTree(m *Mesh) *Tree {
	t := &Tree{m: m}
	bounds := m.Bounds()
	size := bounds.Size()
	for _, v := range [2]Vec3{bounds.Min, bounds.Max} {
		t.graze = math.Max(t.graze, math.Max(math.Abs(v.X), math.Max(math.Abs(v.Y), math.Abs(v.Z))))
	}
	t.graze *= grazeUlps * 0x1p-23
	scale := func(s float64) float64 {
		if s <= 0 {
			return 0
		}
		return 1023.999 / s
	}
	kx, ky, kz := scale(size.X), scale(size.Y), scale(size.Z)
	keys := make([]uint64, 0, len(m.Triangles)) // Morton code, then the triangle
	all := make([]box32, len(m.Triangles))
	for i, tri := range m.Triangles {
		if FlatTriangle(m, tri) {
			continue
		}
		a, b, c := &m.Vertices[tri[0]], &m.Vertices[tri[1]], &m.Vertices[tri[2]]
		lo := Vec3{min(a.X, b.X, c.X), min(a.Y, b.Y, c.Y), min(a.Z, b.Z, c.Z)}
		hi := Vec3{max(a.X, b.X, c.X), max(a.Y, b.Y, c.Y), max(a.Z, b.Z, c.Z)}
		all[i] = box32{[3]float32{down(lo.X), down(lo.Y), down(lo.Z)}, [3]float32{up(hi.X), up(hi.Y), up(hi.Z)}}
		code := spread(uint64(((lo.X+hi.X)/2-bounds.Min.X)*kx)) | spread(uint64(((lo.Y+hi.Y)/2-bounds.Min.Y)*ky))<<1 | spread(uint64(((lo.Z+hi.Z)/2-bounds.Min.Z)*kz))<<2
		keys = append(keys, code<<32|uint64(i))
	}
	sortKeys(keys)
	t.order = make([]int32, len(keys))
	t.boxes = make([]box32, len(keys))
	for i, k := range keys {
		t.order[i] = int32(uint32(k))
		t.boxes[i] = all[uint32(k)]
	}
	if len(keys) > 0 {
		t.nodes = make([]node, 0, 2*(len(keys)/leafSize*2+1))
		t.build(0, int32(len(keys)))
	}
	return t
}

// spread puts two zero bits between the lowest ten.
func spread(x uint64) uint64 {
	x &= 0x3ff
	x = (x | x<<16) & 0x30000ff
	x = (x | x<<8) & 0x300f00f
	x = (x | x<<4) & 0x30c30c3
	return (x | x<<2) & 0x9249249
}

// sortKeys orders by the upper 30 of the upper 32 bits, three passes of ten;
// equal codes keep the order of their triangles.
func sortKeys(keys []uint64) {
	if len(keys) < 256 {
		slices.Sort(keys)
		return
	}
	other := make([]uint64, len(keys))
	for shift := 32; shift < 62; shift += 10 {
		var count [1025]int
		for _, k := range keys {
			count[(k>>shift&1023)+1]++
		}
		for i := 1; i < len(count); i++ {
			count[i] += count[i-1]
		}
		for _, k := range keys {
			b := k >> shift & 1023
			other[count[b]] = k
			count[b]++
		}
		keys, other = other, keys
	}
	copy(other, keys) // three passes: the result lies in the buffer
}

func (t *Tree) build(lo, hi int32) int32 {
	at := int32(len(t.nodes))
	t.nodes = append(t.nodes, node{})
	if hi-lo <= leafSize {
		b := t.boxes[lo]
		for i := lo + 1; i < hi; i++ {
			b.add(&t.boxes[i])
		}
		t.nodes[at] = node{b, lo, hi - lo}
		return at
	}
	mid := (lo + hi) / 2
	l := t.build(lo, mid)
	r := t.build(mid, hi)
	b := t.nodes[l].box
	b.add(&t.nodes[r].box)
	t.nodes[at] = node{b, r, 0}
	return at
}
