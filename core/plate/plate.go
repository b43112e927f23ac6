// Package plate stands parts on the plates of machines. Coordinates of a
// rectangular plate start at its front left corner, those of a round one in its
// middle (common practice, no source); z is 0 on the plate.
package plate

import (
	"math"

	"jobshelf/core/machine"
	"jobshelf/core/mesh"
	"jobshelf/core/polygon"
)

// FitOf tells how a mesh fits the volume of a machine, turned about the vertical
// as fits best.
func FitOf(m *mesh.Mesh, mmPerUnit float64, v machine.Volume) machine.Fit {
	pts := make([]polygon.Point, len(m.Vertices))
	for i, p := range m.Vertices {
		pts[i] = polygon.Point{X: int64(p.X * mmPerUnit * 1000), Y: int64(p.Y * mmPerUnit * 1000)}
	}
	b := m.Bounds()
	return v.FitIn(pts, (b.Max.Z-b.Min.Z)*mmPerUnit)
}

// Stand is a copy of a mesh in mm, turned about the vertical, in the middle of
// the plate, resting on it.
func Stand(m *mesh.Mesh, mmPerUnit, turnDeg float64, v machine.Volume) *mesh.Mesh {
	s, c := math.Sincos(turnDeg * math.Pi / 180)
	if turnDeg == 0 {
		s, c = 0, 1
	}
	out := &mesh.Mesh{Vertices: make([]mesh.Vec3, len(m.Vertices)), Triangles: m.Triangles}
	for i, p := range m.Vertices {
		p = p.Scale(mmPerUnit)
		out.Vertices[i] = mesh.Vec3{X: p.X*c - p.Y*s, Y: p.X*s + p.Y*c, Z: p.Z}
	}
	b := out.Bounds()
	mid := mesh.Vec3{X: v.XMM / 2, Y: v.YMM / 2}
	if v.Shape == machine.Round {
		mid = mesh.Vec3{}
	}
	by := mesh.Vec3{X: mid.X - (b.Min.X+b.Max.X)/2, Y: mid.Y - (b.Min.Y+b.Max.Y)/2, Z: -b.Min.Z}
	for i, p := range out.Vertices {
		out.Vertices[i] = p.Add(by)
	}
	return out
}
