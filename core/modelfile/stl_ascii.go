package modelfile

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
)

// asciiReader walks the grammar
//
//	solid NAME
//	  { facet normal x y z  outer loop  3 × vertex x y z  endloop  endfacet }
//	endsolid NAME
//
// line by line, keywords in any case. Several solids in one file are models of
// their own where they are closed by themselves or touch no other (parted). Stated normals are not used; the order of the vertices counts.
type asciiReader struct {
	in     *source
	limits Limits
	w      *welder
	line   int
	fields [8][]byte
}

const asciiDo = "Export it again as STL; a text STL begins with \"solid\" and lists facets."

func (a *asciiReader) refuse(format string, args ...any) *Error {
	return &Error{Kind: ErrBroken, Byte: a.in.at, Line: a.line, What: fmt.Sprintf(format, args...), Do: asciiDo}
}

// next gives the words of the next line that is not blank, and the line itself.
func (a *asciiReader) next() (words [][]byte, text []byte, err error) {
	for {
		text, err = a.in.line()
		if err != nil {
			return nil, nil, err
		}
		a.line++
		words = a.fields[:0]
		rest := bytes.TrimSpace(text)
		for len(rest) > 0 && len(words) < cap(words) {
			i := bytes.IndexAny(rest, " \t\v\f")
			if i < 0 {
				i = len(rest)
			}
			words = append(words, rest[:i])
			rest = bytes.TrimLeft(rest[i:], " \t\v\f")
		}
		if len(words) > 0 {
			return words, text, nil
		}
	}
}

func is(word []byte, keyword string) bool { return bytes.EqualFold(word, []byte(keyword)) }

func readASCII(ctx context.Context, in *source, limits Limits, progress func(float64)) (*File, error) {
	a := &asciiReader{in: in, limits: limits, w: newWelder(1024)}
	words, text, err := a.next()
	if errors.Is(err, io.EOF) {
		return nil, broken(0, "Choose the model file itself and hand it in again.", "The file holds nothing but blanks")
	}
	if err != nil {
		return nil, err
	}
	if first := bytes.TrimPrefix(words[0], []byte("\xef\xbb\xbf")); !is(first, "solid") {
		return nil, &Error{Kind: ErrUnsupported, Byte: 0, Line: a.line,
			What: fmt.Sprintf("This text is no model: it begins with %q, an STL text begins with \"solid\"", clip(words[0])), Do: exportAs}
	}
	name := solidName(text)
	inSolid := true
	names, starts := []string{name}, []int{0}
	for {
		words, text, err := a.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		switch {
		case inSolid && is(words[0], "facet"):
			if err := a.facet(); err != nil {
				return nil, err
			}
			if n := len(a.w.m.Triangles); n%8192 == 0 {
				if err := ctx.Err(); err != nil {
					return nil, err
				}
				if in.size > 0 {
					progress(float64(in.at) / float64(in.size))
				}
			}
		case inSolid && is(words[0], "endsolid"):
			inSolid = false
		case !inSolid && is(words[0], "solid"):
			inSolid = true
			if n := len(a.w.m.Triangles); n > starts[len(starts)-1] {
				names, starts = append(names, ""), append(starts, n)
			}
			if len(starts) > maxParts {
				return nil, a.refuse("The file has more than %d solids", maxParts)
			}
			names[len(names)-1] = solidName(text)
		default:
			return nil, a.refuse("Found %q where \"facet\" or \"endsolid\" belongs", clip(words[0]))
		}
	}
	if inSolid {
		return nil, a.refuse("The file ends before \"endsolid\"; it was cut off after %d triangles", len(a.w.m.Triangles))
	}
	if len(a.w.m.Triangles) == 0 {
		return nil, a.refuse("The file has no triangles")
	}
	progress(1)
	return &File{Format: STLASCII, Models: parted(a.w.m, names, starts)}, nil
}

func solidName(text []byte) string {
	at := bytes.Index(bytes.ToLower(text), []byte("solid")) + len("solid")
	return strings.ToValidUTF8(strings.TrimSpace(string(text[min(len(text), at):])), "")
}

func (a *asciiReader) expect(words ...string) error {
	got, _, err := a.next()
	if errors.Is(err, io.EOF) {
		return a.refuse("The file ends inside triangle %d", len(a.w.m.Triangles)+1)
	}
	if err != nil {
		return err
	}
	for i, w := range words {
		if i >= len(got) || !is(got[i], w) {
			return a.refuse("Found %q where %q belongs", clip(bytes.Join(got, []byte(" "))), strings.Join(words, " "))
		}
	}
	return nil
}

func (a *asciiReader) facet() error {
	triangle := int64(len(a.w.m.Triangles)) + 1
	if triangle > a.limits.Triangles {
		return &Error{Kind: ErrTooLarge, Byte: a.in.at, Line: a.line,
			What: fmt.Sprintf("The model has more than %d triangles, the limit", a.limits.Triangles),
			Do:   "Reduce the number of triangles in the program that made it."}
	}
	if err := a.expect("outer", "loop"); err != nil {
		return err
	}
	var t [3]uint32
	for c := range t {
		words, _, err := a.next()
		if errors.Is(err, io.EOF) {
			return a.refuse("The file ends inside triangle %d", triangle)
		}
		if err != nil {
			return err
		}
		if len(words) != 4 || !is(words[0], "vertex") {
			return a.refuse("Found %q where \"vertex x y z\" belongs", clip(bytes.Join(words, []byte(" "))))
		}
		var bits [3]uint32
		for i, w := range words[1:] {
			// Out of range gives ±Inf and an error; badCoordinate names both.
			v, err := strconv.ParseFloat(string(w), 32) // to float32 at once: no double rounding
			if err != nil && !errors.Is(err, strconv.ErrRange) {
				return a.refuse("The coordinate %q of triangle %d is no number", clip(w), triangle)
			}
			bits[i] = math.Float32bits(float32(v))
		}
		lim := float32(a.limits.Coordinate)
		if !(abs32(bits[0]) <= lim && abs32(bits[1]) <= lim && abs32(bits[2]) <= lim) {
			return badCoordinate(-1, a.line, triangle, bits[0], bits[1], bits[2], a.limits)
		}
		t[c] = a.w.vertex(bits[0], bits[1], bits[2])
	}
	if err := a.expect("endloop"); err != nil {
		return err
	}
	if err := a.expect("endfacet"); err != nil {
		return err
	}
	a.w.m.Triangles = append(a.w.m.Triangles, t)
	return nil
}

func clip(b []byte) string {
	if len(b) > 24 {
		b = b[:24]
	}
	return strings.ToValidUTF8(string(b), "?")
}
