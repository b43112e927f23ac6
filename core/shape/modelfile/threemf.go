package modelfile

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// 3MF: an OPC package (ZIP) whose root relationship of the type ".../3dmodel"
// names a model part: objects of meshes or of components, and build items that
// place objects (3MF Consortium, Core Specification 1.3; ISO/IEC 25422, from
// memory). With the production extension items and components name objects of
// other parts by a path. Extensions that say how geometry is made otherwise
// than by triangles are refused where the file requires them.

type tmfObject struct {
	name  string
	kind  string
	mesh  *mesh.Mesh
	parts []tmfRef
	part  string
	id    uint32
}

type tmfRef struct {
	id   uint32
	path string // of the part; empty: the same
	at   affine
}

type tmf struct {
	ctx       context.Context
	a         *archive
	limits    Limits
	progress  func(float64)
	objects   map[string]map[uint32]*tmfObject // by part, by id
	unit      units.Length
	triangles int64
	vertices  int64
	count     int   // objects, items and components
	visits    int   // of objects while placing
	weigh     int64 // unpacked size of all model parts, for progress
	seen      int64
}

var tmfUnits = map[string]units.Length{"": units.Millimetre, "millimeter": units.Millimetre, "micron": units.Micrometre, "centimeter": units.Centimetre,
	"meter": units.Metre, "inch": units.Inch, "foot": units.Foot}

// tmfKnown are the extensions that a file may require: parts by path, and what
// changes no shape (colours, sets of triangles).
var tmfKnown = []string{"/production/", "/material/", "/trianglesets/", "/core/"}

func readTMF(ctx context.Context, a *archive, limits Limits, progress func(float64)) (*File, error) {
	root, err := tmfRoot(a)
	if err != nil {
		return nil, err
	}
	t := &tmf{ctx: ctx, a: a, limits: limits, progress: progress, objects: map[string]map[uint32]*tmfObject{}}
	for _, f := range a.parts {
		if strings.HasSuffix(strings.ToLower(f.Name), ".model") {
			t.weigh += int64(f.UncompressedSize64)
		}
	}
	items, err := t.part(root, true)
	if err != nil {
		return nil, err
	}
	as := assembler{limits: limits}
	for _, it := range items {
		var placed []placed
		if err := t.flatten(root, it, nil, &placed, &as); err != nil {
			return nil, err
		}
		if len(placed) > 0 {
			if err := as.take(placed); err != nil {
				return nil, err
			}
		}
	}
	if len(as.models) == 0 {
		return nil, broken(-1, "Export the model again; nothing was selected, it seems.", "The file places no object with triangles")
	}
	progress(1)
	return &File{Format: ThreeMF, Unit: t.unit, Models: as.models, Odd: a.odd()}, checkPlaced(as.models, limits)
}

// tmfRoot finds the model part that the package starts from.
func tmfRoot(a *archive) (string, error) {
	if a.parts["_rels/.rels"] == nil {
		return "", &Error{
			Kind: ErrUnsupported,
			Byte: 0,
			What: problem.Text("This is a ZIP archive, but neither 3MF nor AMF"),
			Do:   problem.Text("Unpack it and hand in the model files, several at a time if you like."),
		}
	}
	r, err := a.open("_rels/.rels")
	if err != nil {
		return "", err
	}
	defer func() { _ = r.Close() }() // only read
	x := newXML(r, a.left, "_rels/.rels")
	for {
		kind, name, err := x.next()
		if errors.Is(err, errXMLEnd) {
			break
		}
		if err != nil {
			return "", err
		}
		if kind == xmlStart && name == "Relationship" && bytes.HasSuffix(x.get("Type"), []byte("/3dmodel")) {
			return partName(string(x.get("Target")))
		}
	}
	return "", &Error{Kind: ErrUnsupported, Byte: -1, What: problem.Text("The package names no 3D model"), Do: problem.Text(exportAgain)}
}

// part reads a model part once and gives its build items.
func (t *tmf) part(name string, root bool) ([]tmfRef, error) {
	key := strings.ToLower(name)
	if t.objects[key] != nil {
		return nil, nil
	}
	t.objects[key] = map[uint32]*tmfObject{}
	r, err := t.a.open(name)
	if err != nil {
		return nil, err
	}
	defer func() { _ = r.Close() }() // only read
	x := newXML(r, t.a.left, name)
	var items []tmfRef
	depth := 0
	for {
		kind, el, err := x.next()
		if errors.Is(err, errXMLEnd) {
			break
		}
		if err != nil {
			return nil, err
		}
		if kind != xmlStart {
			continue
		}
		depth = len(x.open)
		switch {
		case depth == 1 && el == "model":
			if err := t.model(x, root); err != nil {
				return nil, err
			}
		case depth == 1:
			return nil, x.refuse("Found <%s> where <model> belongs", clip([]byte(el)))
		case el == "resources" || el == "build":
		case el == "object":
			if err := t.object(x, key, name); err != nil {
				return nil, err
			}
		case el == "item":
			ref, err := t.ref(x)
			if err != nil {
				return nil, err
			}
			if items = append(items, ref); !t.counts() {
				return nil, tooManyThings("objects and places for them")
			}
		default:
			if err := x.skip(); err != nil {
				return nil, err
			}
		}
	}
	t.seen += x.in.at
	return items, nil
}

// model looks at the root element: unit, and extensions that are required.
func (t *tmf) model(x *xmlReader, root bool) error {
	if root {
		u, ok := tmfUnits[string(x.get("unit"))]
		if !ok {
			return x.refuse("The unit %q is not known", clip(x.get("unit")))
		}
		t.unit = u
	}
	spaces := map[string]string{}
	for _, a := range x.attr {
		if a.prefix == "xmlns" {
			spaces[a.name] = string(a.value)
		}
	}
	for _, p := range strings.Fields(string(x.get("requiredextensions"))) {
		space, ok := spaces[p]
		if !ok {
			return x.refuse("The model needs an extension %q that it does not name", clip([]byte(p)))
		}
		if !slices.ContainsFunc(tmfKnown, func(k string) bool { return strings.Contains(strings.ToLower(space), k) }) {
			return &Error{
				Kind: ErrUnsupported,
				Byte: x.in.at,
				Line: x.line,
				What: problem.Text("The model needs the extension %q, which is not known here", cleanName(space)),
				Do:   problem.Text("Export the model as plain triangles, without extensions."),
			}
		}
	}
	return nil
}

// counts counts one more object, item or component; false beyond what is taken.
func (t *tmf) counts() bool {
	t.count++
	return t.count <= maxThings
}

func (t *tmf) object(x *xmlReader, key, part string) error {
	id, err := x.index("id")
	if err != nil {
		return err
	}
	if t.objects[key][id] != nil {
		return x.refuse("The object %d is there twice", id)
	}
	if !t.counts() {
		return tooManyThings("objects and places for them")
	}
	o := &tmfObject{name: strings.ToValidUTF8(string(x.get("name")), ""), kind: string(x.get("type")), part: part, id: id}
	t.objects[key][id] = o
	for depth := len(x.open); ; {
		kind, el, err := x.next()
		if err != nil {
			return err
		}
		if len(x.open) < depth {
			return nil
		}
		if kind != xmlStart {
			continue
		}
		switch el {
		case "mesh":
			o.mesh, err = t.mesh(x)
			if err != nil {
				return err
			}
		case "components":
		case "component":
			ref, err := t.ref(x)
			if err != nil {
				return err
			}
			if o.parts = append(o.parts, ref); !t.counts() {
				return tooManyThings("objects and places for them")
			}
		default:
			if err := x.skip(); err != nil {
				return err
			}
		}
	}
}

func (t *tmf) mesh(x *xmlReader) (*mesh.Mesh, error) {
	m := &mesh.Mesh{}
	for depth := len(x.open); ; {
		kind, el, err := x.next()
		if err != nil {
			return nil, err
		}
		if len(x.open) < depth {
			break
		}
		if kind != xmlStart {
			continue
		}
		switch el {
		case "vertices", "triangles":
		case "vertex":
			var v [3]float64
			for k, name := range [3]string{"x", "y", "z"} {
				if v[k], err = x.number(name); err != nil {
					return nil, err
				}
				if !within(v[k], t.limits.Coordinate) {
					return nil, x.refuse("Vertex %d has the coordinate %g, beyond ±%g", len(m.Vertices), v[k], t.limits.Coordinate)
				}
			}
			m.Vertices = append(m.Vertices, mesh.Vec3{X: v[0], Y: v[1], Z: v[2]})
			if t.vertices++; t.vertices > t.limits.Vertices {
				return nil, tooManyVertices(t.limits)
			}
			if t.vertices&0x1fff == 0 {
				if err := t.ctx.Err(); err != nil {
					return nil, err
				}
			}
		case "triangle":
			var v [3]uint32
			for k, name := range [3]string{"v1", "v2", "v3"} {
				if v[k], err = x.index(name); err != nil {
					return nil, err
				}
				if v[k] >= uint32(len(m.Vertices)) {
					return nil, x.refuse("Triangle %d names vertex %d, there are %d", len(m.Triangles), v[k], len(m.Vertices))
				}
			}
			m.Triangles = append(m.Triangles, v)
			if t.triangles++; t.triangles > t.limits.Triangles {
				return nil, tooManyTriangles(t.limits)
			}
			if t.triangles&0x1fff == 0 {
				if err := t.ctx.Err(); err != nil {
					return nil, err
				}
				t.progress(min(1, float64(t.seen+x.in.at)/float64(max(1, t.weigh))))
			}
		default: // properties of an extension, which change no geometry
			if err := x.skip(); err != nil {
				return nil, err
			}
		}
	}
	mesh.MergeEqual(m)
	return m, nil
}

func (t *tmf) ref(x *xmlReader) (tmfRef, error) {
	id, err := x.index("objectid")
	if err != nil {
		return tmfRef{}, err
	}
	r := tmfRef{id: id, at: identity}
	for _, a := range x.attr {
		if a.name == "path" && a.prefix != "" {
			if r.path, err = partName(path.Clean("/" + strings.TrimPrefix(string(a.value), "/"))); err != nil || strings.Contains(string(a.value), "..") {
				return r, x.refuse("The path %q points outside of the package", clip(a.value))
			}
		}
	}
	if b := x.get("transform"); b != nil {
		f := bytes.Fields(b)
		if len(f) != 12 {
			return r, x.refuse("A transform has %d numbers, not 12", len(f))
		}
		var v [12]float64
		for i := range f {
			n, ok := ParseNumber(f[i])
			if !ok || !within(n, t.limits.Coordinate) {
				return r, x.refuse("The number %q of a transform is none that can be used", clip(f[i]))
			}
			v[i] = n
		}
		r.at = affine{m: [3][3]float64{{v[0], v[1], v[2]}, {v[3], v[4], v[5]}, {v[6], v[7], v[8]}}, t: mesh.Vec3{X: v[9], Y: v[10], Z: v[11]}}
	}
	return r, nil
}

// flatten lists the meshes of an item or component where they stand. above are
// the objects it is part of: one that is part of itself is refused.
func (t *tmf) flatten(part string, r tmfRef, above []*tmfObject, out *[]placed, as *assembler) error {
	if r.path != "" {
		part = r.path
		if _, err := t.part(part, false); err != nil {
			return err
		}
	}
	o := t.objects[strings.ToLower(part)][r.id]
	if o == nil {
		return broken(-1, exportAgain, "The part %q has no object %d, which is placed", part, r.id)
	}
	for _, a := range above {
		if a == o {
			return broken(-1, exportAgain, "The object %d of %q is a component of itself", o.id, o.part)
		}
	}
	if len(above) >= maxDepth {
		return broken(-1, exportAgain, "Components are nested deeper than %d", maxDepth)
	}
	if t.visits++; t.visits > maxThings { // components of nothing, many times over
		return tooManyThings("parts once they are placed")
	}
	if o.kind == "support" || o.kind == "solidsupport" || o.kind == "other" {
		return nil // made by another program for its own plate; ours makes its own
	}
	if o.mesh != nil && len(o.mesh.Triangles) > 0 {
		*out = append(*out, placed{key: fmt.Sprintf("%s#%d", strings.ToLower(o.part), o.id), mesh: o.mesh, at: r.at, name: o.name})
		if as.count+len(*out) > maxInstances {
			return &Error{Kind: ErrTooLarge, Byte: -1, What: problem.Text("The file places more than %d parts", maxInstances), Do: problem.Text(exportAgain)}
		}
	}
	for _, c := range o.parts {
		if err := t.ctx.Err(); err != nil {
			return err
		}
		c.at = c.at.then(r.at)
		n := len(*out)
		if err := t.flatten(part, c, append(above, o), out, as); err != nil {
			return err
		}
		for i := n; i < len(*out); i++ {
			if (*out)[i].name == "" {
				(*out)[i].name = o.name
			}
		}
	}
	return nil
}
