package modelfile

import (
	"bufio"
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"strings"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/problem"
)

const (
	stlHeader = 84
	stlRecord = 50
	// stlBatch is how many records are taken at a time; 200 kB.
	stlBatch = 4096
)

func readBinary(ctx context.Context, in *source, limits Limits, progress func(float64)) (*File, error) {
	head, err := in.peek(stlHeader)
	if err != nil {
		return nil, err
	}
	if len(head) < stlHeader {
		return nil, broken(int64(len(head)), "Choose an STL file; a binary STL has at least 84 bytes.",
			"The file ends after %d bytes and is no model", len(head))
	}
	name := string(head[:80])
	count := int64(le32(head[80:]))
	if err := checkCount(count, in.size, limits); err != nil {
		return nil, err
	}
	in.skip(stlHeader)
	w := newWelder(count)
	coordMax := float32(limits.Coordinate)
	for done := int64(0); done < count; {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		n := min(stlBatch, count-done)
		b, err := in.peek(int(n) * stlRecord)
		if err != nil {
			return nil, err
		}
		for k := int64(0); k < n; k++ {
			if len(b) < stlRecord {
				return nil, &Error{Kind: ErrBroken, Byte: in.at + k*stlRecord + int64(len(b)), Triangle: done + k + 1,
					What: problem.Text("The file says %d triangles but ends inside triangle %d", count, done+k+1), Do: problem.Text(exportAgain)}
			}
			var t [3]uint32
			for c := range t {
				o := 12 + 12*c
				x, y, z := le32(b[o:]), le32(b[o+4:]), le32(b[o+8:])
				// One comparison rejects NaN, infinities and absurd sizes.
				if !(abs32(x) <= coordMax && abs32(y) <= coordMax && abs32(z) <= coordMax) {
					return nil, badCoordinate(in.at+k*stlRecord+int64(o), 0, done+k+1, x, y, z, limits)
				}
				t[c] = w.vertex(x, y, z)
			}
			w.m.Triangles = append(w.m.Triangles, t)
			b = b[stlRecord:]
		}
		in.skip(int(n) * stlRecord)
		done += n
		progress(float64(done) / float64(count))
	}
	rest, err := in.peek(1)
	if err != nil {
		return nil, err
	}
	f := &File{Format: STLBinary, Models: []Model{{Name: name, Mesh: w.m, Places: []mesh.Vec3{{}}}}}
	if len(rest) > 0 {
		f.Odd = append(f.Odd, fmt.Sprintf("The file says %d triangles and goes on behind the last of them. What follows is left out; look whether the part is whole.", count))
	}
	return f, nil
}

func abs32(bits uint32) float32 { return math.Float32frombits(bits &^ negZero) }

// checkCount holds the stated number of triangles against the size and limits.
func checkCount(count, size int64, limits Limits) error {
	if size >= 0 && size < stlHeader+stlRecord*count {
		held := float64(size-stlHeader) / stlRecord
		return broken(80, exportAgain, "The file is no sound binary STL: it says %d triangles, its %d bytes hold %.6g", count, size, held)
	}
	if count == 0 {
		return broken(80, "Export the model again; nothing was selected, it seems.", "The file has no triangles")
	}
	if count > limits.Triangles {
		return &Error{Kind: ErrTooLarge, Byte: 80,
			What: problem.Text("The model has %d triangles, the limit is %d", count, limits.Triangles),
			Do:   problem.Text("Reduce the number of triangles in the program that made it.")}
	}
	return nil
}

func badCoordinate(at int64, line int, triangle int64, x, y, z uint32, limits Limits) *Error {
	e := &Error{Kind: ErrBroken, Byte: at, Line: line, Triangle: triangle, Do: problem.Text(exportAgain)}
	for _, b := range []uint32{x, y, z} {
		v := math.Float32frombits(b)
		switch {
		case v != v:
			e.What = problem.Text("Triangle %d has a coordinate that is no number (NaN)", triangle)
		case math.IsInf(float64(v), 0):
			e.What = problem.Text("Triangle %d has an infinite coordinate", triangle)
		case math.Abs(float64(v)) > limits.Coordinate:
			e.What = problem.Text("Triangle %d has the coordinate %g, beyond ±%g", triangle, v, limits.Coordinate)
		default:
			continue
		}
		return e
	}
	return e
}

// WriteSTL writes a binary STL: coordinates as float32, normals computed by the
// right-hand rule (zero for triangles without area), attribute bytes zero. A
// mesh read from STL comes back bit-equal. header is cut at 80 bytes and, so
// that no reader takes the file for text, must not begin with "solid".
func WriteSTL(w io.Writer, m *mesh.Mesh, header string) error {
	if strings.HasPrefix(strings.ToLower(header), "solid") {
		return fmt.Errorf("write stl: header begins with %q", header[:5])
	}
	out := bufio.NewWriterSize(w, 1<<16)
	var head [stlHeader]byte
	copy(head[:80], header)
	binary.LittleEndian.PutUint32(head[80:], uint32(len(m.Triangles)))
	if _, err := out.Write(head[:]); err != nil {
		return fmt.Errorf("write stl: %w", err)
	}
	var rec [stlRecord]byte
	put := func(o int, v mesh.Vec3) {
		binary.LittleEndian.PutUint32(rec[o:], math.Float32bits(float32(v.X)))
		binary.LittleEndian.PutUint32(rec[o+4:], math.Float32bits(float32(v.Y)))
		binary.LittleEndian.PutUint32(rec[o+8:], math.Float32bits(float32(v.Z)))
	}
	for _, t := range m.Triangles {
		a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
		n := b.Sub(a).Cross(c.Sub(a))
		if l := n.Len(); l > 0 {
			n = n.Scale(1 / l)
		}
		put(0, n)
		put(12, a)
		put(24, b)
		put(36, c)
		if _, err := out.Write(rec[:]); err != nil {
			return fmt.Errorf("write stl: %w", err)
		}
	}
	if err := out.Flush(); err != nil {
		return fmt.Errorf("write stl: %w", err)
	}
	return nil
}
