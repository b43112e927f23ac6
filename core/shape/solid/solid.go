// Package solid makes closed surfaces by code: the closed forms that checks are
// held against, and the parts of the demo house (parts.go).
//
// All lengths are millimetres; every mesh faces out.
package solid

import (
	"math"

	"jobshelf/core/shape/mesh"
)

// P is a point of a plane figure, in mm.
type P struct{ X, Y float64 }

// Box is a block with one corner at the origin.
func Box(x, y, z float64) *mesh.Mesh {
	return Extrude([]P{{0, 0}, {x, 0}, {x, y}, {0, y}}, nil, z)
}

// Cylinder stands on the xy-plane about the z-axis, with n sides.
func Cylinder(r, h float64, n int) *mesh.Mesh {
	return Extrude(Circle(0, 0, r, n), nil, h)
}

// Circle is a regular n-gon inscribed in a circle, counter-clockwise.
func Circle(cx, cy, r float64, n int) []P {
	out := make([]P, n)
	for i := range out {
		s, c := math.Sincos(2 * math.Pi * float64(i) / float64(n))
		out[i] = P{cx + r*c, cy + r*s}
	}
	return out
}

// Sphere is centred on the origin, n slices around and n/2 bands.
func Sphere(r float64, n int) *mesh.Mesh {
	profile := make([]P, n/2+1)
	for i := range profile {
		s, c := math.Sincos(math.Pi * float64(i) / float64(n/2))
		profile[i] = P{r * s, -r * c}
	}
	profile[0].X, profile[n/2].X = 0, 0
	return Revolve(profile, n)
}

// Torus lies about the z-axis: R to the middle of the tube, r the tube.
func Torus(R, r float64, n, tube int) *mesh.Mesh {
	profile := make([]P, tube)
	for i := range profile {
		s, c := math.Sincos(2 * math.Pi * float64(i) / float64(tube))
		profile[i] = P{R + r*c, r * s}
	}
	return RevolveClosed(profile, n)
}

// Extrude raises a counter-clockwise outline with clockwise holes from z = 0 to
// h.
func Extrude(outer []P, holes [][]P, h float64) *mesh.Mesh {
	all := append([]P{}, outer...)
	rings := [][2]int{{0, len(outer)}}
	for _, hole := range holes {
		rings = append(rings, [2]int{len(all), len(all) + len(hole)})
		all = append(all, hole...)
	}
	m := &mesh.Mesh{}
	for _, z := range []float64{0, h} {
		for _, p := range all {
			m.Vertices = append(m.Vertices, mesh.Vec3{X: p.X, Y: p.Y, Z: z})
		}
	}
	top := uint32(len(all))
	figure := make([]mesh.P2, len(all))
	for i, p := range all {
		figure[i] = mesh.P2(p)
	}
	for _, t := range mesh.EarCut(figure, rings) {
		a, b, c := uint32(t[0]), uint32(t[1]), uint32(t[2])
		m.Triangles = append(m.Triangles, [3]uint32{a, c, b}, [3]uint32{a + top, b + top, c + top})
	}
	for _, r := range rings {
		for i := r[0]; i < r[1]; i++ {
			j := i + 1
			if j == r[1] {
				j = r[0]
			}
			a, b := uint32(i), uint32(j)
			m.Triangles = append(m.Triangles, [3]uint32{a, b, b + top}, [3]uint32{a, b + top, a + top})
		}
	}
	return m
}

// Revolve turns a profile of (radius, z), from bottom to top, about the z-axis.
// The first and last point lie on the axis (radius 0).
func Revolve(profile []P, n int) *mesh.Mesh {
	m := &mesh.Mesh{}
	last := len(profile) - 1
	m.Vertices = append(m.Vertices, mesh.Vec3{Z: profile[0].Y})
	for _, p := range profile[1:last] {
		ring(m, p, n)
	}
	m.Vertices = append(m.Vertices, mesh.Vec3{Z: profile[last].Y})
	tip := uint32(len(m.Vertices) - 1)
	for i := 0; i < n; i++ {
		j := uint32((i + 1) % n)
		m.Triangles = append(m.Triangles, [3]uint32{0, 1 + j, 1 + uint32(i)})
		top := tip - uint32(n)
		m.Triangles = append(m.Triangles, [3]uint32{tip, top + uint32(i), top + j})
	}
	for k := 0; k < last-2; k++ {
		bands(m, uint32(1+k*n), uint32(1+(k+1)*n), n)
	}
	return m
}

// RevolveClosed turns a closed counter-clockwise profile of (radius, z), all of
// it off the axis, about the z-axis.
func RevolveClosed(profile []P, n int) *mesh.Mesh {
	m := &mesh.Mesh{}
	for _, p := range profile {
		ring(m, p, n)
	}
	for k := range profile {
		bands(m, uint32(k*n), uint32((k+1)%len(profile)*n), n)
	}
	return m
}

func ring(m *mesh.Mesh, p P, n int) {
	for i := 0; i < n; i++ {
		s, c := math.Sincos(2 * math.Pi * float64(i) / float64(n))
		m.Vertices = append(m.Vertices, mesh.Vec3{X: p.X * c, Y: p.X * s, Z: p.Y})
	}
}

// bands joins two rings of n vertices, the lower of which starts at a.
func bands(m *mesh.Mesh, a, b uint32, n int) {
	for i := uint32(0); i < uint32(n); i++ {
		j := (i + 1) % uint32(n)
		m.Triangles = append(m.Triangles, [3]uint32{a + i, a + j, b + j}, [3]uint32{a + i, b + j, b + i})
	}
}
