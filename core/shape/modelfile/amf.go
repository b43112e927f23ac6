package modelfile

import (
	"bytes"
	"context"
	"errors"
	"io"
	"math"
	"strings"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// AMF: XML, plain or as the one part of a ZIP (ISO/ASTM 52915, from memory):
// objects of a mesh with one list of vertices and any number of volumes;
// constellations place objects and other constellations, moved by delta* and
// turned by r* degrees about x, then y, then z.

type amfPlace struct {
	id string
	at affine
}

type amf struct {
	ctx       context.Context
	x         *xmlReader
	limits    Limits
	progress  func(float64)
	size      int64
	triangles int64
	vertices  int64
	count     int // objects, constellations and instances
	visits    int
	order     []string
	meshes    map[string]*mesh.Mesh
	names     map[string]string
	groups    map[string][]amfPlace
	groupIDs  []string
}

var amfUnits = map[string]units.Length{"": units.Millimetre, "millimeter": units.Millimetre, "inch": units.Inch, "feet": units.Foot, "foot": units.Foot,
	"meter": units.Metre, "micron": units.Micrometre}

// readAMF reads the XML; size is what it will have, or 0.
func readAMF(ctx context.Context, r io.Reader, limits Limits, size int64, progress func(float64)) (*File, error) {
	a := &amf{ctx: ctx, x: newXML(r, limits.Unpacked, ""), limits: limits, progress: progress, size: size,
		meshes: map[string]*mesh.Mesh{}, names: map[string]string{}, groups: map[string][]amfPlace{}}
	unit := units.Millimetre
	for {
		kind, el, err := a.x.next()
		if errors.Is(err, errXMLEnd) {
			break
		}
		if err != nil {
			return nil, err
		}
		if kind != xmlStart {
			continue
		}
		switch {
		case len(a.x.open) == 1 && el == "amf":
			u, ok := amfUnits[strings.ToLower(string(a.x.get("unit")))]
			if !ok {
				return nil, a.x.refuse("The unit %q is not known", clip(a.x.get("unit")))
			}
			unit = u
		case len(a.x.open) == 1:
			return nil, &Error{
				Kind: ErrUnsupported,
				Byte: 0,
				Line: a.x.line,
				What: problem.Text("This XML begins with <%s>, which is no model", clip([]byte(el))),
				Do:   problem.Text(exportAgain),
			}
		case el == "object":
			err = a.object()
		case el == "constellation":
			err = a.constellation()
		default:
			err = a.x.skip()
		}
		if err != nil {
			return nil, err
		}
	}
	return a.assemble(unit)
}

func (a *amf) id() (string, error) {
	id := string(a.x.get("id"))
	if id == "" {
		return "", a.x.refuse("An <%s> has no id", a.x.open[len(a.x.open)-1])
	}
	if a.meshes[id] != nil || a.groups[id] != nil {
		return "", a.x.refuse("The id %q is there twice", clip([]byte(id)))
	}
	if a.count++; a.count > maxThings {
		return "", tooManyThings("objects and places for them")
	}
	return id, nil
}

func (a *amf) object() error {
	id, err := a.id()
	if err != nil {
		return err
	}
	m := &mesh.Mesh{}
	a.meshes[id] = m
	a.order = append(a.order, id)
	depth := len(a.x.open)
	for {
		kind, el, err := a.x.next()
		if err != nil {
			return err
		}
		if len(a.x.open) < depth {
			break
		}
		if kind != xmlStart {
			continue
		}
		switch el {
		case "mesh", "vertices", "volume":
		case "metadata":
			isName := string(a.x.get("type")) == "name"
			text, err := a.text()
			if err != nil {
				return err
			}
			if isName && len(a.x.open) == depth {
				a.names[id] = strings.ToValidUTF8(text, "")
			}
		case "vertex":
			v, err := a.vector("coordinates", [3]string{"x", "y", "z"}, a.limits.Coordinate)
			if err != nil {
				return err
			}
			m.Vertices = append(m.Vertices, mesh.Vec3{X: v[0], Y: v[1], Z: v[2]})
			if a.vertices++; a.vertices > a.limits.Vertices {
				return tooManyVertices(a.limits)
			}
			if a.vertices&0x1fff == 0 {
				if err := a.ctx.Err(); err != nil {
					return err
				}
			}
		case "triangle":
			v, err := a.vector("triangle", [3]string{"v1", "v2", "v3"}, math.MaxUint32)
			if err != nil {
				return err
			}
			var t [3]uint32
			for k, f := range v {
				if f != math.Trunc(f) || f < 0 || f >= float64(len(m.Vertices)) {
					return a.x.refuse("Triangle %d names vertex %g, there are %d", len(m.Triangles), f, len(m.Vertices))
				}
				t[k] = uint32(f)
			}
			m.Triangles = append(m.Triangles, t)
			if a.triangles++; a.triangles > a.limits.Triangles {
				return tooManyTriangles(a.limits)
			}
			if a.triangles&0x1fff == 0 {
				if err := a.ctx.Err(); err != nil {
					return err
				}
				if a.size > 0 {
					a.progress(min(1, float64(a.x.in.at)/float64(a.size)))
				}
			}
		default:
			if err := a.x.skip(); err != nil {
				return err
			}
		}
	}
	mesh.MergeEqual(m)
	return nil
}

// text gives what an element without children holds and passes its end.
func (a *amf) text() (string, error) {
	out, depth := "", len(a.x.open)
	for {
		kind, s, err := a.x.next()
		if err != nil {
			return "", err
		}
		if kind == xmlText && len(out) < 4096 {
			out += s
		}
		if len(a.x.open) < depth {
			return out, nil
		}
	}
}

// vector reads three numbers up to ±limit that are elements of their own, within an
// element of the given name below the present one, or in it.
func (a *amf) vector(within_ string, names [3]string, limit float64) ([3]float64, error) {
	var v [3]float64
	var have [3]bool
	depth := len(a.x.open)
	for {
		kind, el, err := a.x.next()
		if err != nil {
			return v, err
		}
		if len(a.x.open) < depth {
			break
		}
		if kind != xmlStart || el == within_ {
			continue
		}
		k := -1
		for i, n := range names {
			if el == n {
				k = i
			}
		}
		if k < 0 {
			if err := a.x.skip(); err != nil {
				return v, err
			}
			continue
		}
		text, err := a.text()
		if err != nil {
			return v, err
		}
		n, ok := ParseNumber(bytes.TrimSpace([]byte(text)))
		if !ok || !within(n, limit) {
			return v, a.x.refuse("<%s> holds %q, which is no number that can be used", el, clip([]byte(text)))
		}
		v[k], have[k] = n, true
	}
	if have != [3]bool{true, true, true} {
		return v, a.x.refuse("One of <%s>, <%s>, <%s> is missing", names[0], names[1], names[2])
	}
	return v, nil
}

func (a *amf) constellation() error {
	id, err := a.id()
	if err != nil {
		return err
	}
	a.groups[id] = []amfPlace{}
	a.groupIDs = append(a.groupIDs, id)
	depth := len(a.x.open)
	for {
		kind, el, err := a.x.next()
		if err != nil {
			return err
		}
		if len(a.x.open) < depth {
			return nil
		}
		if kind != xmlStart {
			continue
		}
		if el != "instance" {
			if err := a.x.skip(); err != nil {
				return err
			}
			continue
		}
		if len(a.groups[id]) >= maxInstances {
			return a.x.refuse("A constellation has more than %d instances", maxInstances)
		}
		p, err := a.instance()
		if err != nil {
			return err
		}
		a.groups[id] = append(a.groups[id], p)
		if a.count++; a.count > maxThings {
			return tooManyThings("objects and places for them")
		}
	}
}

func (a *amf) instance() (amfPlace, error) {
	p := amfPlace{id: string(a.x.get("objectid"))}
	val := map[string]float64{}
	depth := len(a.x.open)
	for {
		kind, el, err := a.x.next()
		if err != nil {
			return p, err
		}
		if len(a.x.open) < depth {
			break
		}
		if kind != xmlStart {
			continue
		}
		name := el
		text, err := a.text()
		if err != nil {
			return p, err
		}
		n, ok := ParseNumber(bytes.TrimSpace([]byte(text)))
		if !ok || !within(n, a.limits.Coordinate) {
			return p, a.x.refuse("<%s> holds %q, which is no number that can be used", clip([]byte(name)), clip([]byte(text)))
		}
		val[name] = n
	}
	p.at = identity
	for i, axis := range []string{"rx", "ry", "rz"} {
		if val[axis] == 0 {
			continue
		}
		s, c := math.Sincos(val[axis] * math.Pi / 180)
		turn := identity
		j, k := (i+1)%3, (i+2)%3
		turn.m[j][j], turn.m[j][k], turn.m[k][j], turn.m[k][k] = c, s, -s, c
		p.at = p.at.then(turn)
	}
	p.at.t = mesh.Vec3{X: val["deltax"], Y: val["deltay"], Z: val["deltaz"]}
	return p, nil
}

func (a *amf) assemble(unit units.Length) (*File, error) {
	as := assembler{limits: a.limits}
	// Constellations that others are made of are not placed by themselves.
	inner := map[string]bool{}
	for _, g := range a.groups {
		for _, p := range g {
			inner[p.id] = true
		}
	}
	tops := []amfPlace{}
	for _, id := range a.groupIDs {
		if !inner[id] {
			tops = append(tops, amfPlace{id, identity})
		}
	}
	if len(a.groupIDs) == 0 {
		for _, id := range a.order {
			tops = append(tops, amfPlace{id, identity})
		}
	} else if len(tops) == 0 {
		return nil, broken(-1, exportAgain, "Every constellation is part of another, in a circle")
	}
	for _, p := range tops {
		var parts []placed
		if err := a.flatten(p, nil, &parts); err != nil {
			return nil, err
		}
		if len(parts) > 0 {
			if err := as.take(parts); err != nil {
				return nil, err
			}
		}
	}
	if len(as.models) == 0 {
		return nil, broken(-1, "Export the model again; nothing was selected, it seems.", "The file has no triangles")
	}
	a.progress(1)
	return &File{Format: AMF, Unit: unit, Models: as.models}, checkPlaced(as.models, a.limits)
}

func (a *amf) flatten(p amfPlace, above []string, out *[]placed) error {
	if m := a.meshes[p.id]; m != nil {
		if len(m.Triangles) > 0 {
			*out = append(*out, placed{key: p.id, mesh: m, at: p.at, name: a.names[p.id]})
		}
		if len(*out) > maxInstances {
			return &Error{Kind: ErrTooLarge, Byte: -1, What: problem.Text("The file places more than %d parts", maxInstances), Do: problem.Text(exportAgain)}
		}
		return nil
	}
	g, ok := a.groups[p.id]
	if !ok {
		return broken(-1, exportAgain, "There is no object or constellation %q, which is placed", clip([]byte(p.id)))
	}
	for _, x := range above {
		if x == p.id {
			return broken(-1, exportAgain, "The constellation %q is part of itself", clip([]byte(p.id)))
		}
	}
	if len(above) >= maxDepth {
		return broken(-1, exportAgain, "Constellations are nested deeper than %d", maxDepth)
	}
	if a.visits++; a.visits > maxThings {
		return tooManyThings("parts once they are placed")
	}
	for _, c := range g {
		if err := a.ctx.Err(); err != nil {
			return err
		}
		c.at = c.at.then(p.at)
		if err := a.flatten(c, append(above, p.id), out); err != nil {
			return err
		}
	}
	return nil
}
