// Package orient finds which way up a part prints best: it proposes orientations, measures each by
// height fields (overhangs, support, contact, steps, strength) and weighs them in cents.
package orient

import (
	"errors"
	"math"

	"jobshelf/core/shape/mesh"
)

// Quat is a unit quaternion (w, x, y, z) that turns a model's coordinates into the plate's.
type Quat [4]float64

// AsItCame turns nothing.
var AsItCame = Quat{1, 0, 0, 0}

// errNoTurn is for a quaternion that is none.
var errNoTurn = errors.New("a turn of four zeros, or of what is no number, is none")

// Unit is the quaternion with length 1; an error where it has none.
func (q Quat) Unit() (Quat, error) {
	n := math.Sqrt(q[0]*q[0] + q[1]*q[1] + q[2]*q[2] + q[3]*q[3])
	if !(n > 1e-9) || math.IsInf(n, 0) {
		return AsItCame, errNoTurn
	}
	for k := range q {
		q[k] /= n
	}
	return q, nil
}

// Turn gives v turned by a unit quaternion: v + 2w(u×v) + 2u×(u×v).
func (q Quat) Turn(v mesh.Vec3) mesh.Vec3 {
	u := mesh.Vec3{X: q[1], Y: q[2], Z: q[3]}
	c := u.Cross(v)
	return v.Add(c.Scale(2 * q[0])).Add(u.Cross(c).Scale(2))
}

// Upright is the shortest turn after which a direction of the model, of length 1, looks up.
func Upright(up mesh.Vec3) Quat {
	if up.Z < -1+1e-12 {
		return Quat{0, 1, 0, 0} // on its head
	}
	q, _ := Quat{1 + up.Z, up.Y, -up.X, 0}.Unit() // not of zeros: up.Z > -1
	return q
}

// Turned is a mesh turned and set down: its lowest point is at 0.
func Turned(m *mesh.Mesh, q Quat) *mesh.Mesh {
	out := &mesh.Mesh{Vertices: make([]mesh.Vec3, len(m.Vertices)), Triangles: m.Triangles}
	low := math.Inf(1)
	for i, v := range m.Vertices {
		out.Vertices[i] = q.Turn(v)
		low = math.Min(low, out.Vertices[i].Z)
	}
	for i := range out.Vertices {
		out.Vertices[i].Z -= low
	}
	return out
}
