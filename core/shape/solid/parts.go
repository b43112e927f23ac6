package solid

import (
	"math"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/units"
)

// Part is one of the demo house's models: an invented thing off a quay.
type Part struct {
	Name string // as a file would be called, without its ending
	Unit units.Length
	Mesh *mesh.Mesh
	// Fault says what is wrong with the part on purpose; empty if nothing is.
	Fault string
}

// Parts are the models of the demo house, in a fixed order. They are test
// objects too: what each is good for stands in Fault or in its builder.
func Parts() []Part {
	cleat := MooringCleat()
	holed := &mesh.Mesh{Vertices: cleat.Vertices, Triangles: cleat.Triangles[:len(cleat.Triangles)-6]}
	turned := &mesh.Mesh{Vertices: OarlockBushing().Vertices}
	for _, t := range OarlockBushing().Triangles {
		turned.Triangles = append(turned.Triangles, [3]uint32{t[0], t[2], t[1]})
	}
	mm := units.Millimetre
	return []Part{
		{"mooring-cleat", mm, cleat, ""},
		{"sheave", mm, Sheave(), ""},
		{"oarlock-bushing", mm, OarlockBushing(), ""},
		{"lamp-bracket", mm, LampBracket(), ""},
		{"net-needle", mm, NetNeedle(), ""},
		{"bollard", mm, Bollard(), ""},
		{"deck-vent-ring", mm, DeckVentRing(), ""},
		{"tiller-joint", mm, TillerJoint(), ""},
		{"chart-ruler", mm, ChartRuler(), ""},
		{"mast-finial", mm, MastFinial(), ""},
		{"block-cheek-inch", units.Inch, BlockCheek().Transformed(1/25.4, mesh.Vec3{}), "in inches, and STL does not say so"},
		{"rowing-boat-hull", units.Metre, Hull(), "a boat at full size, in metres"},
		{"cleat-with-hole", mm, holed, "six triangles of a side are missing"},
		{"bushing-inside-out", mm, turned, "every face turned inwards"},
		{"crossed-band", mm, CrossedBand(), "the surface crosses itself"},
		{"two-fenders", mm, TwoFenders(), "two bodies overlap"},
		{"bait-box", mm, BaitBox(), "walls of 0.3 mm"},
	}
}

func reversed(p []P) []P {
	out := make([]P, len(p))
	for i := range p {
		out[len(p)-1-i] = p[i]
	}
	return out
}

func hole(cx, cy, r float64, n int) []P { return reversed(Circle(cx, cy, r, n)) }

// onSide stands an extrusion up: its y becomes z, its depth runs along y.
func onSide(m *mesh.Mesh) *mesh.Mesh {
	for i, v := range m.Vertices {
		m.Vertices[i] = mesh.Vec3{X: v.X, Y: -v.Z, Z: v.Y}
	}
	return m
}

func smooth(n int, f func(t float64) P) []P {
	out := make([]P, n+1)
	for i := range out {
		out[i] = f(float64(i) / float64(n))
	}
	return out
}

// MooringCleat is a horn cleat, 128 long, on a foot with an eye between its
// legs: a bridge over the eye, horns that overhang.
func MooringCleat() *mesh.Mesh {
	var o []P
	o = append(o, P{-32, 0}, P{32, 0}, P{32, 5}, P{22, 9}, P{19, 16}, P{20, 22})
	o = append(o, smooth(24, func(t float64) P { return P{20 + 40*t, 22 + 7*t*t} })[1:]...)
	o = append(o, smooth(12, func(t float64) P {
		s, c := math.Sincos(math.Pi * (t - 0.5))
		return P{60 + 4*c, 33 + 4*s}
	})...)
	o = append(o, smooth(40, func(t float64) P { return P{58 - 116*t, 37 - 5*math.Sin(math.Pi*t)} })...)
	o = append(o, smooth(12, func(t float64) P {
		s, c := math.Sincos(math.Pi * (t + 0.5))
		return P{-60 + 4*c, 33 + 4*s}
	})...)
	o = append(o, smooth(24, func(t float64) P { return P{-60 + 40*t, 29 - 7*(1-(1-t)*(1-t))} })...)
	o = append(o, P{-19, 16}, P{-22, 9}, P{-32, 5})
	o = dedupe(o)
	var eye []P
	eye = append(eye, P{-9, 7}, P{-9, 17})
	eye = append(eye, smooth(16, func(t float64) P { s, c := math.Sincos(math.Pi * (1 - t)); return P{9 * c, 17 + 6*s} })[1:]...)
	eye = append(eye, P{9, 7})
	return onSide(Extrude(o, [][]P{dedupe(eye)}, 18))
}

func dedupe(p []P) []P {
	var out []P
	for _, q := range p {
		if len(out) == 0 || math.Hypot(q.X-out[len(out)-1].X, q.Y-out[len(out)-1].Y) > 1e-9 {
			out = append(out, q)
		}
	}
	for len(out) > 1 && math.Hypot(out[0].X-out[len(out)-1].X, out[0].Y-out[len(out)-1].Y) <= 1e-9 {
		out = out[:len(out)-1]
	}
	return out
}

// Sheave is a rope wheel, 60 across, groove radius 6, bore 10.
func Sheave() *mesh.Mesh {
	p := []P{{5, 0}, {30, 0}, {30, 2}}
	p = append(p, smooth(20, func(t float64) P {
		s, c := math.Sincos(math.Pi * (t - 0.5))
		return P{30 - 6*c, 8 + 6*s}
	})...)
	p = append(p, P{30, 14}, P{30, 16}, P{5, 16})
	return RevolveClosed(dedupe(p), 128)
}

// OarlockBushing is a flanged tube; its volume is known in closed form.
func OarlockBushing() *mesh.Mesh {
	return RevolveClosed([]P{{7, 0}, {19, 0}, {19, 4}, {11, 4}, {11, 34}, {7, 34}}, 96)
}

// LampBracket is an angle with a round opening and a slanting brace.
func LampBracket() *mesh.Mesh {
	o := []P{{0, 0}, {70, 0}, {70, 6}, {40, 6}, {6, 46}, {6, 80}, {0, 80}}
	return onSide(Extrude(o, [][]P{hole(14, 16, 7, 48)}, 24))
}

// NetNeedle is a flat netting needle with its tongue, 2.4 thick.
func NetNeedle() *mesh.Mesh {
	var o []P
	o = append(o, P{0, -9}, P{110, -9})
	o = append(o, smooth(24, func(t float64) P { return P{110 + 50*t, -9 * (1 - t*t)} })[1:]...)
	o = append(o, smooth(24, func(t float64) P { return P{160 - 50*t, 9 * (1 - (1-t)*(1-t))} })[1:]...)
	o = append(o, P{0, 9}, P{0, 5}, P{14, 3}, P{14, -3}, P{0, -5})
	slot := []P{{60, -5.5}, {60, 5.5}, {118, 5.5}, {126, 2}, {126, 1.4}, {76, 1.4}, {76, -1.4}, {126, -1.4}, {126, -2}, {118, -5.5}}
	return Extrude(dedupe(o), [][]P{slot}, 2.4)
}

// Bollard has a mushroom head: much support as it stands, none on its head.
func Bollard() *mesh.Mesh {
	return Revolve([]P{{0, 0}, {22, 0}, {22, 4}, {13, 15}, {11, 30}, {28, 33}, {28, 38}, {23, 44}, {0, 44}}, 96)
}

// DeckVentRing is a flat ring with bolt holes and louvre slots.
func DeckVentRing() *mesh.Mesh {
	holes := [][]P{hole(0, 0, 38, 96)}
	for i := 0; i < 8; i++ {
		s, c := math.Sincos(2 * math.Pi * (float64(i) + 0.5) / 8)
		holes = append(holes, hole(56*c, 56*s, 2.2, 24))
	}
	for i := 0; i < 8; i++ {
		a := 2 * math.Pi * float64(i) / 8
		var slot []P
		for k := 0; k <= 8; k++ {
			s, c := math.Sincos(a - 0.22 + 0.44*float64(k)/8)
			slot = append(slot, P{50 * c, 50 * s})
		}
		for k := 8; k >= 0; k-- {
			s, c := math.Sincos(a - 0.22 + 0.44*float64(k)/8)
			slot = append(slot, P{43 * c, 43 * s})
		}
		holes = append(holes, reversed(slot))
	}
	return Extrude(Circle(0, 0, 62, 128), holes, 5)
}

// TillerJoint is a clamp in two halves, side by side: two bodies.
func TillerJoint() *mesh.Mesh {
	var o []P
	o = append(o, P{-28, 0}, P{-12, 0})
	o = append(o, smooth(32, func(t float64) P { s, c := math.Sincos(math.Pi * (1 - t)); return P{12 * c, 12 * s} })[1:]...)
	o = append(o, P{28, 0}, P{28, 8}, P{19, 8})
	o = append(o, smooth(32, func(t float64) P { s, c := math.Sincos(0.43 + (math.Pi-0.86)*t); return P{19 * c, 19 * s} })...)
	o = append(o, P{-19, 8}, P{-28, 8})
	half := Extrude(dedupe(o), nil, 40)
	two := half.Transformed(1, mesh.Vec3{})
	two.Append(half.Transformed(1, mesh.Vec3{Y: 28}))
	return two
}

// ChartRuler is 210 x 32 x 2 with a bevelled edge: thin, flat, bends.
func ChartRuler() *mesh.Mesh {
	m := Extrude([]P{{0, 0}, {32, 0}, {32, 0.8}, {27, 2}, {0, 2}}, nil, 210)
	for i, v := range m.Vertices {
		m.Vertices[i] = mesh.Vec3{X: v.Z, Y: v.X, Z: v.Y}
	}
	return m
}

// MastFinial is a slender turned tip, 134 high on a foot 18 across.
func MastFinial() *mesh.Mesh {
	p := []P{{0, 0}, {9, 0}, {9, 6}, {5, 10}}
	p = append(p, smooth(40, func(t float64) P {
		return P{5 + 4*math.Sin(math.Pi*t)*math.Sin(math.Pi*t) - 3.2*t, 10 + 110*t}
	})[1:]...)
	p = append(p, smooth(24, func(t float64) P {
		s, c := math.Sincos(math.Pi * (0.12 + 0.88*t - 0.5))
		return P{7 * c, 127 + 7*s}
	})...)
	p[len(p)-1].X = 0
	return Revolve(dedupe(p), 64)
}

// BlockCheek is the side of a rope block, 53 high, 36 wide.
func BlockCheek() *mesh.Mesh {
	o := smooth(64, func(t float64) P { s, c := math.Sincos(2 * math.Pi * t); return P{18 * c, 26.67 * s} })
	m := onSide(Extrude(dedupe(o), [][]P{hole(0, 4, 4.2, 32)}, 9))
	return m.Transformed(1, mesh.Vec3{Z: 26.67})
}

// Hull is an open rowing boat 4.2 m long with 40 mm planking, in metres: one
// closed skin, outside and inside, joined along the gunwale.
func Hull() *mesh.Mesh {
	const n, k = 64, 24 // stations along, points around each
	const length, beam, depth, plank = 4.2, 1.5, 0.55, 0.04
	m := &mesh.Mesh{}
	skin := func(in float64) uint32 {
		base := uint32(len(m.Vertices))
		for i := 0; i <= n; i++ {
			t := 2*float64(i)/n - 1
			half := (beam/2)*math.Pow(1-t*t*0.96, 0.75) - in
			sheer := depth + 0.22*t*t
			keel := 0.10*t*t*t*t + in
			for j := 0; j <= k; j++ {
				a := math.Pi * float64(j) / k
				y := -half * math.Cos(a)
				z := sheer - (sheer-keel)*math.Pow(math.Sin(a), 0.8)
				if j == 0 || j == k {
					z = sheer
				}
				m.Vertices = append(m.Vertices, mesh.Vec3{X: t * (length/2 - in), Y: y, Z: z})
			}
		}
		return base
	}
	quad := func(a, b, c, d uint32) {
		m.Triangles = append(m.Triangles, [3]uint32{a, b, c}, [3]uint32{a, c, d})
	}
	out, in := skin(0), skin(plank)
	at := func(base uint32, i, j int) uint32 { return base + uint32(i*(k+1)+j) }
	for i := 0; i < n; i++ {
		for j := 0; j < k; j++ {
			quad(at(out, i, j), at(out, i, j+1), at(out, i+1, j+1), at(out, i+1, j))
			quad(at(in, i, j), at(in, i+1, j), at(in, i+1, j+1), at(in, i, j+1))
		}
		quad(at(out, i, 0), at(out, i+1, 0), at(in, i+1, 0), at(in, i, 0))
		quad(at(out, i, k), at(in, i, k), at(in, i+1, k), at(out, i+1, k))
	}
	// Transoms: bow and stern are narrow flats, each skin closed by a fan and
	// the rim between them left to the gunwale strips.
	for j := 1; j < k; j++ {
		m.Triangles = append(m.Triangles, [3]uint32{at(out, 0, 0), at(out, 0, j+1), at(out, 0, j)},
			[3]uint32{at(out, n, 0), at(out, n, j), at(out, n, j+1)},
			[3]uint32{at(in, 0, 0), at(in, 0, j), at(in, 0, j+1)},
			[3]uint32{at(in, n, 0), at(in, n, j+1), at(in, n, j)})
	}
	quad(at(out, 0, 0), at(in, 0, 0), at(in, 0, k), at(out, 0, k))
	quad(at(out, n, 0), at(out, n, k), at(in, n, k), at(in, n, 0))
	return m
}

// CrossedBand is a tube along a figure of eight in the plane: one closed
// surface that runs through itself in the middle.
func CrossedBand() *mesh.Mesh {
	const n, k = 120, 24
	m := &mesh.Mesh{}
	for i := 0; i < n; i++ {
		t := 2 * math.Pi * float64(i) / n
		x, y := 40*math.Sin(t), 20*math.Sin(2*t)
		dx, dy := 40*math.Cos(t), 40*math.Cos(2*t)
		l := math.Hypot(dx, dy)
		for j := 0; j < k; j++ {
			s, c := math.Sincos(2 * math.Pi * float64(j) / k)
			m.Vertices = append(m.Vertices, mesh.Vec3{X: x + 6*c*dy/l, Y: y - 6*c*dx/l, Z: 6 + 6*s})
		}
	}
	for i := 0; i < n; i++ {
		a, b := uint32(i*k), uint32((i+1)%n*k)
		for j := uint32(0); j < k; j++ {
			l := (j + 1) % k
			m.Triangles = append(m.Triangles, [3]uint32{a + j, b + l, a + l}, [3]uint32{a + j, b + j, b + l})
		}
	}
	if m.Measure().Volume < 0 {
		for i, t := range m.Triangles {
			m.Triangles[i] = [3]uint32{t[0], t[2], t[1]}
		}
	}
	return m
}

// TwoFenders are two cylinders that share some of their room.
func TwoFenders() *mesh.Mesh {
	m := Cylinder(12, 50, 64)
	m.Append(Cylinder(12, 40, 64).Transformed(1, mesh.Vec3{X: 16}))
	return m
}

// BaitBox is an open round box whose wall is 0.3 thick, thinner than a line.
func BaitBox() *mesh.Mesh {
	return Revolve([]P{{0, 0}, {24, 0}, {24, 30}, {23.7, 30}, {23.7, 1}, {0, 1}}, 96)
}
