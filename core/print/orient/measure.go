package orient

import (
	"math"
	"slices"

	"jobshelf/core/shape/heights"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
)

// Measures are what is known of a part in one orientation, by height fields.
type Measures struct {
	OverhangMM2      float64 // faces that lean out further than the angle, but for what lies on the plate
	SupportMM3       float64 // room under them, down to the plate or to the part
	SupportOnPartMM3 float64 // of it, what stands on the part
	TouchedMM2       float64 // of the part, what support stands on
	SidesMM2         float64 // of that room, its upright sides, as cells have them
	ContactMM2       float64 // what lies on the plate
	HeightMM         float64
	TipDeg           float64 // how far it may be tilted before it falls; 0: it does not stand
	StepsMM2         float64 // faces within 20° of level, but not level: they show steps
	StrengthMM2      float64 // the least area of a layer, ends left out
	AlongLoad        float64 // cos² of the angle between load and build direction; 0 without a load
}

const (
	leastCellMM, mostCellMM = 0.1, 0.5
	cellsAcross             = 160  // of a small part
	restsMM                 = 0.1  // half a common layer: what is no higher rests on the plate
	onPlateMM               = 0.01 // a face of the plate, by what a file's numbers leave
	levelDeg, stepsDeg      = 1, 20
	slabs                   = 128 // heights at which layers are measured
	endShare                = 0.1 // of the height at either end, where every part tapers
)

// hit is where the line over a cell goes through the surface.
type hit struct {
	z     float32
	kind  int8 // +1 leaves the part upwards, -1 enters it
	leans bool // it enters through an overhang
}

// field is the hits of every cell of a part seen from above, by cell and height.
type field struct {
	heights.Grid
	starts []int32
	hits   []hit
}

// Measure measures a mesh of mm, closed and oriented, in an orientation. overhangDeg is the angle
// from vertical past which a face overhangs; load, of length 1 and in the model's coordinates, is
// where a load pulls, or nil. About 12 ms for 100 000 triangles.
func Measure(m *mesh.Mesh, q Quat, overhangDeg float64, load *mesh.Vec3) Measures {
	return measure(m, q, overhangDeg, load, 1)
}

// measure does so with cells so many times as wide.
func measure(m *mesh.Mesh, q Quat, overhangDeg float64, load *mesh.Vec3, coarse float64) Measures {
	var out Measures
	t := Turned(m, q)
	box := t.Bounds()
	out.HeightMM = box.Max.Z
	if load != nil {
		out.AlongLoad = math.Pow(q.Turn(*load).Z, 2)
	}
	if len(m.Triangles) == 0 || !(out.HeightMM > 0) {
		return out
	}
	lean := heights.LeanOf(overhangDeg)
	across := math.Max(box.Max.X-box.Min.X, box.Max.Y-box.Min.Y)
	f := field{Grid: heights.Grid{CellMM: math.Min(mostCellMM, math.Max(leastCellMM, across/cellsAcross)) * coarse, MinXMM: box.Min.X, MinYMM: box.Min.Y}}
	f.Wide = int((box.Max.X-box.Min.X)/f.CellMM) + 1
	f.Deep = int((box.Max.Y-box.Min.Y)/f.CellMM) + 1
	f.starts = make([]int32, f.Wide*f.Deep+1)
	normals := make([]mesh.Vec3, len(t.Triangles))
	var rests []polygon.Point
	for i, tri := range t.Triangles {
		a, b, c := t.Vertices[tri[0]], t.Vertices[tri[1]], t.Vertices[tri[2]]
		n := heights.Normal(a, b, c)
		size := n.Len()
		if size == 0 {
			continue
		}
		n = n.Scale(1 / size)
		normals[i] = n
		if min(a.Z, b.Z, c.Z) <= restsMM {
			rests = onPlate(rests, a, b, c)
		}
		switch {
		case lean.Overhangs(n) && math.Max(a.Z, math.Max(b.Z, c.Z)) > onPlateMM:
			out.OverhangMM2 += size / 2
		case n.Z > math.Cos(stepsDeg*math.Pi/180) && n.Z < math.Cos(levelDeg*math.Pi/180):
			out.StepsMM2 += size / 2
		}
		f.Over(a, b, c, func(cell int, _ float64) { f.starts[cell+1]++ })
	}
	for i := 1; i < len(f.starts); i++ {
		f.starts[i] += f.starts[i-1]
	}
	f.hits = make([]hit, f.starts[len(f.starts)-1])
	next := slices.Clone(f.starts)
	for i, tri := range t.Triangles {
		n := normals[i]
		h := hit{kind: 1}
		if n.Z < 0 {
			h = hit{kind: -1, leans: lean.Overhangs(n)}
		}
		f.Over(t.Vertices[tri[0]], t.Vertices[tri[1]], t.Vertices[tri[2]], func(cell int, z float64) {
			h.z = float32(z)
			f.hits[next[cell]] = h
			next[cell]++
		})
	}
	f.columns(&out)
	out.TipDeg = tip(rests, t.Measure().Centroid)
	return out
}

// span is room under an overhang, over a cell.
type span struct{ low, high float64 }

// apart is how much of the height only one of two cells has room at.
func apart(a, b []span) (mm float64) {
	both := 0.0
	for _, s := range a {
		mm += s.high - s.low
		for _, o := range b {
			both += math.Max(0, math.Min(s.high, o.high)-math.Max(s.low, o.low))
		}
	}
	for _, o := range b {
		mm += o.high - o.low
	}
	return mm - 2*both
}

// columns goes up every cell: what is supported, what lies on the plate, how large the layers are.
func (f *field) columns(out *Measures) {
	// The room over the cells of a row, and of the row in front of it.
	here, front := make([][]span, f.Wide+1), make([][]span, f.Wide+1)
	sides := func() {
		for k := range f.Wide {
			out.SidesMM2 += f.CellMM * (apart(here[k], here[k+1]) + apart(here[k], front[k]))
		}
		out.SidesMM2 += f.CellMM * apart(nil, here[0])
	}
	area := f.CellMM * f.CellMM
	var layers [slabs + 1]float64
	slab := out.HeightMM / slabs
	for cell := range len(f.starts) - 1 {
		if at := cell % f.Wide; at == 0 && cell > 0 {
			sides()
			here, front = front, here
		}
		room := &here[cell%f.Wide]
		*room = (*room)[:0]
		hits := f.hits[f.starts[cell]:f.starts[cell+1]]
		if len(hits) == 0 {
			continue
		}
		for i := 1; i < len(hits); i++ { // a few each, mostly in order
			h := hits[i]
			k := i
			for ; k > 0 && (hits[k-1].z > h.z || hits[k-1].z == h.z && hits[k-1].kind < h.kind); k-- {
				hits[k] = hits[k-1]
			}
			hits[k] = h
		}
		if hits[0].z <= restsMM {
			out.ContactMM2 += area
		}
		depth, entered := 0, 0.0
		for i, h := range hits {
			z := float64(h.z)
			if h.kind > 0 {
				if depth = max(0, depth-1); depth == 0 {
					a, b := int(math.Ceil(entered/slab-0.5)), int(math.Ceil(z/slab-0.5))
					layers[min(slabs, max(0, a))] += area
					layers[min(slabs, max(0, a, b))] -= area
				}
				continue
			}
			if depth++; depth > 1 {
				continue // within another body
			}
			entered = z
			if !h.leans || z <= onPlateMM {
				continue
			}
			below := 0.0
			if i > 0 {
				if below = float64(hits[i-1].z); z-below <= onPlateMM {
					continue // one body lies on another
				}
				out.SupportOnPartMM3 += area * (z - below)
				out.TouchedMM2 += area
			}
			out.SupportMM3 += area * (z - below)
			*room = append(*room, span{below, z})
		}
	}
	sides()
	for k := range f.Wide { // behind the last row
		out.SidesMM2 += f.CellMM * apart(here[k], nil)
	}
	at := 0.0
	out.StrengthMM2 = math.Inf(1)
	for k := range slabs {
		at += layers[k]
		if share := (float64(k) + 0.5) / slabs; share >= endShare && share <= 1-endShare {
			out.StrengthMM2 = math.Min(out.StrengthMM2, math.Max(0, at))
		}
	}
}

// onPlate adds to points the corners of what of a triangle is no higher than what rests on the plate.
func onPlate(points []polygon.Point, a, b, c mesh.Vec3) []polygon.Point {
	for _, e := range [3][2]mesh.Vec3{{a, b}, {b, c}, {c, a}} {
		if e[0].Z <= restsMM {
			points = append(points, polygon.At(e[0].X, e[0].Y))
		}
		if (e[0].Z <= restsMM) != (e[1].Z <= restsMM) {
			at := e[0].Add(e[1].Sub(e[0]).Scale((restsMM - e[0].Z) / (e[1].Z - e[0].Z)))
			points = append(points, polygon.At(at.X, at.Y))
		}
	}
	return points
}

// tip is how far a body may be tilted, degrees, that rests on points and has its middle of mass there.
func tip(rests []polygon.Point, mid mesh.Vec3) float64 {
	hull := polygon.Hull(rests)
	if len(hull) < 3 || mid.Z <= 0 {
		return 0
	}
	p := polygon.At(mid.X, mid.Y)
	least := math.Inf(1)
	for i, a := range hull {
		b := hull[(i+1)%len(hull)]
		dx, dy := float64(b.X-a.X), float64(b.Y-a.Y)
		inside := (dx*float64(p.Y-a.Y) - dy*float64(p.X-a.X)) / math.Hypot(dx, dy)
		least = math.Min(least, inside/1000)
	}
	return math.Max(0, math.Atan2(least, mid.Z)*180/math.Pi)
}
