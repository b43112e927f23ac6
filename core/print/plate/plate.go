// Package plate stands parts on the plates of machines. Coordinates of a
// rectangular plate start at its front left corner, those of a round one in its
// middle (common practice, no source); z is 0 on the plate.
package plate

import (
	"math"

	"jobshelf/core/print/machine"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
)

// FitOf tells how a mesh fits the volume of a machine, turned about the vertical
// as fits best.
func FitOf(m *mesh.Mesh, mmPerUnit float64, v machine.Volume) machine.Fit {
	pts := make([]polygon.Point, len(m.Vertices))
	for i, p := range m.Vertices {
		pts[i] = polygon.At(p.X*mmPerUnit, p.Y*mmPerUnit)
	}
	b := m.Bounds()
	return v.FitIn(pts, (b.Max.Z-b.Min.Z)*mmPerUnit)
}

// Standing is where and how a part stands: scaled to mm, turned about the
// vertical, then moved.
type Standing struct {
	MMPerUnit float64
	Sin, Cos  float64 // of the turn
	By        mesh.Vec3
}

// StandingOf stands a mesh, turned, in the middle of the plate, resting on it.
func StandingOf(m *mesh.Mesh, mmPerUnit, turnDeg float64, v machine.Volume) Standing {
	s := Standing{MMPerUnit: mmPerUnit, Cos: 1}
	if turnDeg != 0 {
		s.Sin, s.Cos = math.Sincos(turnDeg * math.Pi / 180)
	}
	inf := math.Inf(1)
	lo, hi := mesh.Vec3{X: inf, Y: inf, Z: inf}, mesh.Vec3{X: -inf, Y: -inf}
	for _, p := range m.Vertices {
		p = s.To(p)
		lo = mesh.Vec3{X: math.Min(lo.X, p.X), Y: math.Min(lo.Y, p.Y), Z: math.Min(lo.Z, p.Z)}
		hi = mesh.Vec3{X: math.Max(hi.X, p.X), Y: math.Max(hi.Y, p.Y)}
	}
	mid := mesh.Vec3{X: v.XMM / 2, Y: v.YMM / 2}
	own := mesh.Vec3{X: (lo.X + hi.X) / 2, Y: (lo.Y + hi.Y) / 2}
	if v.Shape == machine.Round {
		mid = mesh.Vec3{}
		own = s.roundMiddle(m, own, v.XMM/2)
	}
	s.By = mesh.Vec3{X: mid.X - own.X, Y: mid.Y - own.Y, Z: -lo.Z}
	return s
}

// roundMiddle is what of a part stands in the middle of a round plate: the middle of its box,
// or, where it would stand out over the rim so, of the least circle around it.
func (s Standing) roundMiddle(m *mesh.Mesh, box mesh.Vec3, radiusMM float64) mesh.Vec3 {
	far := 0.0
	shadow := make([]polygon.Point, len(m.Vertices))
	for i, p := range m.Vertices {
		p = s.To(p)
		far = math.Max(far, math.Hypot(p.X-box.X, p.Y-box.Y))
		shadow[i] = polygon.At(p.X, p.Y)
	}
	if far <= radiusMM {
		return box
	}
	c := polygon.EnclosingCircle(shadow)
	return mesh.Vec3{X: c.XMM, Y: c.YMM}
}

// To takes a place of the part to where it stands.
func (s Standing) To(p mesh.Vec3) mesh.Vec3 {
	p = p.Scale(s.MMPerUnit)
	return mesh.Vec3{X: p.X*s.Cos - p.Y*s.Sin, Y: p.X*s.Sin + p.Y*s.Cos, Z: p.Z}.Add(s.By)
}

// From takes a place on the plate back to the part, in the part's units.
func (s Standing) From(p mesh.Vec3) mesh.Vec3 {
	p = p.Sub(s.By)
	return mesh.Vec3{X: p.X*s.Cos + p.Y*s.Sin, Y: -p.X*s.Sin + p.Y*s.Cos, Z: p.Z}.Scale(1 / s.MMPerUnit)
}

// Mesh is a copy of a mesh as it stands, in mm.
func (s Standing) Mesh(m *mesh.Mesh) *mesh.Mesh {
	out := &mesh.Mesh{Vertices: make([]mesh.Vec3, len(m.Vertices)), Triangles: m.Triangles}
	for i, p := range m.Vertices {
		out.Vertices[i] = s.To(p)
	}
	return out
}

// Stand is a copy of a mesh in mm, turned about the vertical, in the middle of
// the plate, resting on it.
func Stand(m *mesh.Mesh, mmPerUnit, turnDeg float64, v machine.Volume) *mesh.Mesh {
	return StandingOf(m, mmPerUnit, turnDeg, v).Mesh(m)
}
