package modelfile

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/sets"
)

// OBJ, the part of it that is geometry: v and f lines, indices from 1 or, when
// negative, back from the last vertex; polygons of any number of corners; o and
// g lines begin an object or group. Everything else (texture, normals,
// materials) changes no shape and is passed. There is no unit.
//
// An object or group becomes a model of its own if it is closed by itself or
// shares no vertex with another; the rest are patches of one surface.

// Faces of up to maxCorners corners, in lines of up to objLine bytes.
const (
	maxCorners = 100_000
	objLine    = 4 << 20
)

type objReader struct {
	in     *source
	limits Limits
	line   int
	m      *mesh.Mesh
	names  []string
	starts []int // first triangle of each group
	pts    []mesh.Vec3
	ring   []uint32
	wires  int // lines and points, which are no surface
	odd    int // lines that begin with a word of no meaning
}

func (o *objReader) refuse(format string, args ...any) *Error {
	return &Error{Kind: ErrBroken, Byte: o.in.at, Line: o.line, What: problem.Text(format, args...), Do: problem.Text(exportAgain)}
}

func readOBJ(ctx context.Context, in *source, limits Limits, progress func(float64)) (*File, error) {
	o := &objReader{in: in, limits: limits, m: &mesh.Mesh{}, names: []string{""}, starts: []int{0}}
	in.longest = objLine
	var joined []byte
	for {
		text, err := in.line()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		o.line++
		if o.line&0x3fff == 0 {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			if in.size > 0 {
				progress(min(1, float64(in.at)/float64(in.size)))
			}
		}
		if n := len(text); n > 0 && text[n-1] == '\\' { // goes on in the next line
			if joined = append(joined, text[:n-1]...); len(joined) > objLine {
				return nil, o.refuse("A line is longer than %d bytes", objLine)
			}
			continue
		}
		if len(joined) > 0 {
			text = append(joined, text...)
			joined = joined[:0]
		}
		if err := o.take(text); err != nil {
			return nil, err
		}
	}
	if len(o.m.Triangles) == 0 {
		return nil, o.refuse("The file has no faces")
	}
	progress(1)
	mesh.MergeEqual(o.m)
	f := &File{Format: OBJ, Models: parted(o.m, o.names, o.starts)}
	if o.wires > 0 {
		f.Odd = append(f.Odd, fmt.Sprintf("Beside its faces the file has %d lines or points, which have no thickness. They are left out.", o.wires))
	}
	if o.odd > 0 {
		f.Odd = append(f.Odd, fmt.Sprintf("%d of its lines begin with a word that this format does not have. They are left out.", o.odd))
	}
	return f, nil
}

func (o *objReader) take(text []byte) error {
	word, rest := cutWord(text)
	switch {
	case len(word) == 1 && word[0] == 'v':
		var v [3]float64
		for k := range v {
			word, rest = cutWord(rest)
			n, ok := ParseNumber(word)
			if !ok {
				return o.refuse("The coordinate %q of vertex %d is no number", clip(word), len(o.m.Vertices)+1)
			}
			if !within(n, o.limits.Coordinate) {
				return o.refuse("Vertex %d has the coordinate %g, beyond ±%g", len(o.m.Vertices)+1, n, o.limits.Coordinate)
			}
			v[k] = n
		}
		o.m.Vertices = append(o.m.Vertices, mesh.Vec3{X: v[0], Y: v[1], Z: v[2]})
		if int64(len(o.m.Vertices)) > o.limits.Vertices {
			return tooManyVertices(o.limits)
		}
	case len(word) == 1 && word[0] == 'f':
		return o.face(rest)
	case len(word) == 1 && (word[0] == 'l' || word[0] == 'p'):
		o.wires++
	case len(word) == 1 && (word[0] == 'o' || word[0] == 'g'):
		if n := len(o.m.Triangles); n > o.starts[len(o.starts)-1] {
			o.names, o.starts = append(o.names, ""), append(o.starts, n)
		}
		if len(o.starts) > maxParts {
			return &Error{Kind: ErrTooLarge, Byte: o.in.at, Line: o.line, What: problem.Text("The file has more than %d groups", maxParts), Do: problem.Text(exportAgain)}
		}
		o.names[len(o.names)-1] = string(bytes.TrimSpace(rest[:min(len(rest), 400)]))
	case len(word) > 0 && word[0] != '#' && !objWords[string(word)]:
		o.odd++
	}
	return nil
}

// objWords are the other words of the format; they change no shape, or (curves and
// free surfaces) are not read.
var objWords = map[string]bool{"vn": true, "vt": true, "vp": true, "s": true, "mg": true, "mtllib": true, "usemtl": true, "usemap": true, "maplib": true, "lod": true,
	"bevel": true, "c_interp": true, "d_interp": true, "shadow_obj": true, "trace_obj": true, "cstype": true, "deg": true, "bmat": true, "step": true, "curv": true,
	"curv2": true, "surf": true, "parm": true, "trim": true, "hole": true, "scrv": true, "sp": true, "end": true, "con": true, "call": true}

func cutWord(b []byte) (word, rest []byte) {
	i := 0
	for i < len(b) && (b[i] == ' ' || b[i] == '\t' || b[i] == '\v' || b[i] == '\f') {
		i++
	}
	j := i
	for j < len(b) && b[j] != ' ' && b[j] != '\t' && b[j] != '\v' && b[j] != '\f' {
		j++
	}
	return b[i:j], b[j:]
}

func (o *objReader) face(rest []byte) error {
	o.ring, o.pts = o.ring[:0], o.pts[:0]
	n := len(o.m.Vertices)
	for {
		var word []byte
		word, rest = cutWord(rest)
		if len(word) == 0 || word[0] == '#' {
			break
		}
		if i := bytes.IndexByte(word, '/'); i >= 0 {
			word = word[:i]
		}
		neg := len(word) > 0 && word[0] == '-'
		digits := word
		if neg {
			digits = word[1:]
		}
		i, ok := parseIndex(digits)
		v := int64(i) - 1
		if neg {
			v = int64(n) - int64(i)
		}
		if !ok || i == 0 || v < 0 || v >= int64(n) {
			return o.refuse("A face names vertex %q, there are %d", clip(word), n)
		}
		o.ring = append(o.ring, uint32(v))
		o.pts = append(o.pts, o.m.Vertices[v])
		if len(o.ring) > maxCorners {
			return o.refuse("A face has more than %d corners", maxCorners)
		}
	}
	if len(o.ring) < 3 {
		return o.refuse("A face has %d corners", len(o.ring))
	}
	if int64(len(o.m.Triangles)+len(o.ring)-2) > o.limits.Triangles {
		return tooManyTriangles(o.limits)
	}
	for _, t := range mesh.TriangulateFace(o.pts) {
		o.m.Triangles = append(o.m.Triangles, [3]uint32{o.ring[t[0]], o.ring[t[1]], o.ring[t[2]]})
	}
	return nil
}

// parted makes models of the groups of a mesh, which begin at the given
// triangles: one for each group that is closed by itself, one for all groups
// that share vertices and are not.
func parted(m *mesh.Mesh, names []string, starts []int) []Model {
	whole := []Model{{Name: names[0], Mesh: m, Places: []mesh.Vec3{{}}}}
	if len(starts) == 1 {
		return whole
	}
	end := func(g int) int {
		if g+1 < len(starts) {
			return starts[g+1]
		}
		return len(m.Triangles)
	}
	groups := sets.New(len(starts))
	owner := make([]int32, len(m.Vertices)) // group + 1 of open groups
	for g := range starts {
		own := &mesh.Mesh{Vertices: m.Vertices, Triangles: m.Triangles[starts[g]:end(g)]}
		if len(own.Triangles) == 0 || closedAlone(own) {
			continue
		}
		for _, t := range own.Triangles {
			for _, v := range t {
				if o := owner[v]; o == 0 {
					owner[v] = int32(g) + 1
				} else {
					groups.Join(g, int(o)-1)
				}
			}
		}
	}
	members := make([][]int, len(starts))
	for h := range starts {
		members[groups.Of(h)] = append(members[groups.Of(h)], h)
	}
	var out []Model
	number := make([]uint32, len(m.Vertices))
	var used []uint32
	for g := range starts {
		if groups.Of(g) != g || starts[g] == end(g) {
			continue
		}
		p := &mesh.Mesh{}
		for _, v := range used { // only what the last one touched: there may be thousands
			number[v] = 0
		}
		used = used[:0]
		for _, h := range members[g] {
			for _, t := range m.Triangles[starts[h]:end(h)] {
				for k, v := range t {
					if number[v] == 0 {
						p.Vertices = append(p.Vertices, m.Vertices[v])
						number[v] = uint32(len(p.Vertices))
						used = append(used, v)
					}
					t[k] = number[v] - 1
				}
				p.Triangles = append(p.Triangles, t)
			}
		}
		out = append(out, Model{Name: names[g], Mesh: p, Places: []mesh.Vec3{{}}})
	}
	return out
}

// closedAlone says that every edge of a group has two faces within it. It files
// edges in a map, since the group's vertices are few among many.
func closedAlone(m *mesh.Mesh) bool {
	count := make(map[[2]uint32]int, 3*len(m.Triangles)/2)
	for _, t := range m.Triangles {
		for k := range 3 {
			a, b := t[k], t[(k+1)%3]
			count[[2]uint32{min(a, b), max(a, b)}]++
		}
	}
	for _, n := range count {
		if n != 2 {
			return false
		}
	}
	return true
}
