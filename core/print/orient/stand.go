package orient

import (
	"cmp"
	"math"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/problem"
)

// Stand is how a piece stands otherwise than as it came: mirrored, scaled along the model's own
// axes, then turned. That it rests on the bed is not said: it always does. The zero value changes
// nothing.
type Stand struct {
	Turn   Quat       `json:"turn" doc:"Quaternion (w, x, y, z) that turns the model's coordinates into the plate's; (1, 0, 0, 0) turns nothing"`
	Scale  [3]float64 `json:"scale" doc:"Along the model's own axes; 0 is 1"`
	Mirror bool       `json:"mirror,omitempty" doc:"Mirrored across the middle of x"`
}

// Bounds of a scale.
const (
	LeastScale = 0.001
	MostScale  = 1000
)

// Sized is a stand that makes a piece so many times as large.
func Sized(k float64) Stand { return Stand{Turn: AsItCame, Scale: [3]float64{k, k, k}} }

// withDefaults puts 1 for a scale of 0, and no turn for one of zeros.
func (s Stand) withDefaults() Stand {
	if s.Turn == (Quat{}) {
		s.Turn = AsItCame
	}
	for k := range s.Scale {
		s.Scale[k] = cmp.Or(s.Scale[k], 1)
	}
	return s
}

// Plain is the one way to write a stand down: (1, 0, 0, 0) and 1 where nothing is changed, the
// quaternion of length 1 with w above 0.
func (s Stand) Plain() Stand {
	s = s.withDefaults()
	if q, err := s.Turn.Unit(); err == nil {
		s.Turn = q
	}
	for _, v := range s.Turn {
		if v == 0 {
			continue
		}
		if v < 0 {
			for k := range s.Turn {
				s.Turn[k] = -s.Turn[k]
			}
		}
		break
	}
	for k, v := range s.Turn {
		s.Turn[k] = math.Round(v*1e12) / 1e12 // and no -0
		if s.Turn[k] == 0 {
			s.Turn[k] = 0
		}
	}
	return s
}

// AsItCame says that nothing is changed.
func (s Stand) AsItCame() bool { return s.Like(Stand{}) }

// SameSize says that nothing is scaled or mirrored.
func (s Stand) SameSize() bool { return s.withDefaults().Scale == [3]float64{1, 1, 1} && !s.Mirror }

// Like says that two are the same but for rounding.
func (s Stand) Like(o Stand) bool {
	s, o = s.Plain(), o.Plain()
	if s.Mirror != o.Mirror {
		return false
	}
	dot := 0.0
	for k := range s.Turn {
		dot += s.Turn[k] * o.Turn[k]
	}
	for k := range s.Scale {
		if math.Abs(s.Scale[k]-o.Scale[k]) > 1e-9*o.Scale[k] {
			return false
		}
	}
	return math.Abs(dot) > 1-1e-12
}

// Check says what is wrong with one that somebody asks for.
func (s Stand) Check() []problem.Problem {
	var out []problem.Problem
	if _, err := s.Turn.Unit(); err != nil {
		out = append(out, problem.Problem{Field: "turn", Phrase: problem.Say("turn of zeros")})
	}
	for _, v := range s.Scale {
		if v != 0 && !(v >= LeastScale && v <= MostScale) {
			out = append(out, problem.Problem{Field: "scale", Phrase: problem.Say("scale out of bounds", problem.Given(v), problem.Given(LeastScale), problem.Given(MostScale))})
			break
		}
	}
	return out
}

// matrix is the turn as rows; what is a hair off 0 or ±1 is that, so that what is turned by right
// angles stays level to the last bit.
func (q Quat) matrix() (m [3]mesh.Vec3) {
	for k, axis := range [3]mesh.Vec3{{X: 1}, {Y: 1}, {Z: 1}} {
		v := q.Turn(axis)
		for i, c := range [3]float64{v.X, v.Y, v.Z} {
			if r := math.Round(c); math.Abs(c-r) < 1e-12 {
				c = r
			}
			switch k {
			case 0:
				m[i].X = c
			case 1:
				m[i].Y = c
			case 2:
				m[i].Z = c
			}
		}
	}
	return m
}

// ways are the functions that take places there and back.
func (s Stand) ways() (to, from func(mesh.Vec3) mesh.Vec3) {
	s = s.withDefaults()
	m := s.Turn.matrix()
	size := s.Scale
	if s.Mirror {
		size[0] = -size[0]
	}
	to = func(v mesh.Vec3) mesh.Vec3 {
		v = mesh.Vec3{X: v.X * size[0], Y: v.Y * size[1], Z: v.Z * size[2]}
		return mesh.Vec3{X: m[0].Dot(v), Y: m[1].Dot(v), Z: m[2].Dot(v)}
	}
	from = func(v mesh.Vec3) mesh.Vec3 {
		v = m[0].Scale(v.X).Add(m[1].Scale(v.Y)).Add(m[2].Scale(v.Z))
		return mesh.Vec3{X: v.X / size[0], Y: v.Y / size[1], Z: v.Z / size[2]}
	}
	return to, from
}

// To takes a place of the model to where it stands, before it is set down.
func (s Stand) To(v mesh.Vec3) mesh.Vec3 {
	to, _ := s.ways()
	return to(v)
}

// From takes it back.
func (s Stand) From(v mesh.Vec3) mesh.Vec3 {
	_, from := s.ways()
	return from(v)
}

// Of is a copy of a mesh as it stands, faces outwards as before; the mesh itself where nothing is
// changed.
func (s Stand) Of(m *mesh.Mesh) *mesh.Mesh {
	if s.withDefaults() == (Stand{Turn: AsItCame, Scale: [3]float64{1, 1, 1}}) {
		return m
	}
	out := &mesh.Mesh{Vertices: make([]mesh.Vec3, len(m.Vertices)), Triangles: m.Triangles}
	to, _ := s.ways()
	for i, v := range m.Vertices {
		out.Vertices[i] = to(v)
	}
	if s.Mirror {
		out.Triangles = make([][3]uint32, len(m.Triangles))
		for i, t := range m.Triangles {
			out.Triangles[i] = [3]uint32{t[0], t[2], t[1]}
		}
	}
	return out
}
