package modelfile

import (
	"fmt"
	"slices"
	"strings"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/sets"
)

// affine maps v to v·m + t with row vectors, as 3MF writes it.
type affine struct {
	m [3][3]float64
	t mesh.Vec3
}

var identity = affine{m: [3][3]float64{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}

func (a *affine) turned(v mesh.Vec3) mesh.Vec3 {
	return mesh.Vec3{X: v.X*a.m[0][0] + v.Y*a.m[1][0] + v.Z*a.m[2][0], Y: v.X*a.m[0][1] + v.Y*a.m[1][1] + v.Z*a.m[2][1], Z: v.X*a.m[0][2] + v.Y*a.m[1][2] + v.Z*a.m[2][2]}
}

func (a *affine) apply(v mesh.Vec3) mesh.Vec3 { return a.turned(v).Add(a.t) }

// then is first a, then b.
func (a affine) then(b affine) affine {
	var out affine
	for i := range 3 {
		for j := range 3 {
			for k := range 3 {
				out.m[i][j] += a.m[i][k] * b.m[k][j]
			}
		}
	}
	out.t = b.apply(a.t)
	return out
}

func (a *affine) mirrors() bool {
	m := a.m
	return m[0][0]*(m[1][1]*m[2][2]-m[1][2]*m[2][1])-m[0][1]*(m[1][0]*m[2][2]-m[1][2]*m[2][0])+m[0][2]*(m[1][0]*m[2][1]-m[1][1]*m[2][0]) < 0
}

// placed is a mesh of a file where it stands.
type placed struct {
	key  string // of the mesh, unique in the file
	mesh *mesh.Mesh
	at   affine
	name string
}

// maxInstances bounds how many times meshes are placed.
const maxInstances = 20_000

// maxThings bounds how many objects, and places for them, a file lists, and how
// many are passed through while they are placed.
const maxThings = 100_000

// assembler makes models of placed meshes: overhangs together becomes one, what
// stands apart its own, equal ones copies.
type assembler struct {
	limits    Limits
	triangles int64
	count     int
	models    []Model
	index     map[string]int
}

// take adds the meshes of one thing in the file (a build item, an instance).
// Those whose boxes touch belong together.
func (a *assembler) take(parts []placed) error {
	boxes := make([]mesh.Box, len(parts))
	for i, p := range parts {
		a.triangles += int64(len(p.mesh.Triangles))
		if a.count++; a.triangles > a.limits.Triangles || a.count > maxInstances {
			return &Error{Kind: ErrTooLarge, Byte: -1, What: problem.Text("The file places more than %d triangles or %d parts", a.limits.Triangles, maxInstances),
				Do: problem.Text("Hand in fewer copies; the number of copies can be set here.")}
		}
		boxes[i] = boxOf(p)
	}
	groups := sets.New(len(parts))
	if len(parts) <= 2000 { // beyond that, looking at all pairs would take too long
		for i := range parts {
			for j := range i {
				if meets(boxes[i], boxes[j]) {
					groups.Join(i, j)
				}
			}
		}
	}
	together := map[int][]placed{}
	var order []int
	for i := range parts {
		r := groups.Of(i)
		if together[r] == nil {
			order = append(order, r)
		}
		together[r] = append(together[r], parts[i])
	}
	for _, r := range order {
		a.add(together[r])
	}
	return nil
}

func boxOf(p placed) mesh.Box {
	var b mesh.Box
	first := true
	for _, t := range p.mesh.Triangles {
		for _, i := range t {
			v := p.at.apply(p.mesh.Vertices[i])
			if first {
				b, first = mesh.Box{Min: v, Max: v}, false
			}
			b.Min = mesh.Vec3{X: min(b.Min.X, v.X), Y: min(b.Min.Y, v.Y), Z: min(b.Min.Z, v.Z)}
			b.Max = mesh.Vec3{X: max(b.Max.X, v.X), Y: max(b.Max.Y, v.Y), Z: max(b.Max.Z, v.Z)}
		}
	}
	return b
}

func meets(a, b mesh.Box) bool {
	return a.Min.X <= b.Max.X && b.Min.X <= a.Max.X && a.Min.Y <= b.Max.Y && b.Min.Y <= a.Max.Y && a.Min.Z <= b.Max.Z && b.Min.Z <= a.Max.Z
}

// add files meshes that belong together as one model: as a copy if the same
// meshes stand elsewhere the same way round.
func (a *assembler) add(parts []placed) {
	origin := parts[0].at.t
	var key strings.Builder
	for _, p := range parts {
		fmt.Fprintf(&key, "%s %v %v\n", p.key, p.at.m, p.at.t.Sub(origin))
	}
	if i, ok := a.index[key.String()]; ok {
		a.models[i].Places = append(a.models[i].Places, origin)
		return
	}
	m := &mesh.Mesh{}
	for _, p := range parts {
		at := p.at
		at.t = at.t.Sub(origin)
		if len(parts) == 1 && at == identity {
			m = p.mesh // most files: nothing to copy
			break
		}
		moved := &mesh.Mesh{Vertices: make([]mesh.Vec3, len(p.mesh.Vertices)), Triangles: slices.Clone(p.mesh.Triangles)}
		for i, v := range p.mesh.Vertices {
			moved.Vertices[i] = at.apply(v)
		}
		if at.mirrors() {
			for i, t := range moved.Triangles {
				moved.Triangles[i] = [3]uint32{t[0], t[2], t[1]}
			}
		}
		m.Append(moved)
	}
	if a.index == nil {
		a.index = map[string]int{}
	}
	a.index[key.String()] = len(a.models)
	a.models = append(a.models, Model{Name: parts[0].name, Mesh: m, Places: []mesh.Vec3{origin}})
}

// checkPlaced refuses coordinates that a transform has made useless.
func checkPlaced(models []Model, limits Limits) error {
	for _, m := range models {
		for i, v := range m.Mesh.Vertices {
			if !(within(v.X, limits.Coordinate) && within(v.Y, limits.Coordinate) && within(v.Z, limits.Coordinate)) {
				return broken(-1, exportAgain, "Vertex %d of %q lies beyond ±%g once it is placed", i, clip([]byte(m.Name)), limits.Coordinate)
			}
		}
		for _, p := range m.Places {
			if !(within(p.X, limits.Coordinate) && within(p.Y, limits.Coordinate) && within(p.Z, limits.Coordinate)) {
				return broken(-1, exportAgain, "%q is placed beyond ±%g", clip([]byte(m.Name)), limits.Coordinate)
			}
		}
	}
	return nil
}

// within is false for what is no number.
func within(v, limit float64) bool { return v >= -limit && v <= limit }
