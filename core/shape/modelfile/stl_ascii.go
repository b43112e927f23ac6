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

	"jobshelf/core/shape/problem"
)

// asciiReader walks the grammar
//
//	solid NAME
//	  { facet normal x y z  outer loop  3 × vertex x y z  endloop  endfacet }
//	endsolid NAME
//
// word by word, however the words are parted into lines, keywords in any case.
// NAME ends with its line or before the next keyword. Several solids in one file
// are models of their own where they are closed by themselves or touch no other
// (parted). Stated normals are not used; the order of the vertices counts. A last
// "endsolid" may be missing, if the facet before it is whole.
type asciiReader struct {
	in     *source
	limits Limits
	w      *welder
	line   int
	broke  bool // a line ended before the last word
	word   []byte
	ahead  bool // word has been looked at, not used
}

const asciiDo = "Export it again as STL; a text STL begins with \"solid\" and lists facets."

func (a *asciiReader) refuse(format string, args ...any) *Error {
	return &Error{Kind: ErrBroken, Byte: a.in.at, Line: a.line, What: problem.Text(format, args...), Do: problem.Text(asciiDo)}
}

// blank are the bytes between words: NUL and Ctrl-Z stand behind some texts.
func blank(c byte) bool { return c <= ' ' && (c >= 9 && c <= 13 || c == ' ' || c == 0 || c == 0x1a) }

// next gives the next word, io.EOF at the end. It holds until the call after.
func (a *asciiReader) next() ([]byte, error) {
	if a.ahead {
		a.ahead = false
		return a.word, nil
	}
	a.broke = false
	for {
		if err := a.in.fill(1); err != nil {
			return nil, err
		}
		if len(a.in.buf) == 0 {
			return nil, io.EOF
		}
		i := 0
		for i < len(a.in.buf) && blank(a.in.buf[i]) {
			if a.in.buf[i] == '\r' && i+1 == len(a.in.buf) && !a.in.eof { // is a \n next?
				a.in.skip(i)
				if err := a.in.fill(2); err != nil {
					return nil, err
				}
				i = 0
			}
			if c := a.in.buf[i]; c == '\n' || c == '\r' && (i+1 >= len(a.in.buf) || a.in.buf[i+1] != '\n') {
				a.line++
				a.broke = true
			}
			i++
		}
		a.in.skip(i)
		if len(a.in.buf) > 0 {
			break
		}
	}
	for i := 0; ; {
		for i < len(a.in.buf) && !blank(a.in.buf[i]) {
			i++
		}
		if i < len(a.in.buf) || a.in.eof {
			a.word = a.in.buf[:i]
			a.in.skip(i)
			return a.word, nil
		}
		if i > maxLine {
			return nil, a.refuse("A word is longer than %d bytes; this is no text model", maxLine)
		}
		if err := a.in.fill(2*i + 64); err != nil {
			return nil, err
		}
	}
}

// back gives the last word once more.
func (a *asciiReader) back() { a.ahead = true }

func is(word []byte, keyword string) bool { return bytes.EqualFold(word, []byte(keyword)) }

// name reads what follows "solid" or "endsolid": words of the same line, up to the
// keywords that may come next.
func (a *asciiReader) name(until ...string) (string, error) {
	var out []byte
	for {
		word, err := a.next()
		if errors.Is(err, io.EOF) {
			return string(out), nil
		}
		if err != nil {
			return "", err
		}
		if a.broke {
			a.back()
			return string(out), nil
		}
		word = bytes.Clone(word) // looking ahead moves what it stands in
		for _, u := range until {
			if is(word, u) && !a.partOfName(u) {
				a.word = word
				a.back()
				return string(out), nil
			}
		}
		if len(out) < 4*nameRunes {
			out = append(append(out, word...), ' ')
		}
	}
}

// partOfName says that "facet" is a word of the name: no "normal" follows it.
func (a *asciiReader) partOfName(keyword string) bool {
	if keyword != "facet" {
		return false
	}
	if a.in.fill(64) != nil {
		return false // told at the next word
	}
	return !bytes.HasPrefix(bytes.ToLower(bytes.TrimLeft(a.in.buf[:min(64, len(a.in.buf))], " \t\r\n")), []byte("normal"))
}

func readASCII(ctx context.Context, in *source, limits Limits, progress func(float64)) (*File, error) {
	a := &asciiReader{in: in, limits: limits, w: newWelder(1024), line: 1}
	word, err := a.next()
	if errors.Is(err, io.EOF) {
		return nil, broken(0, "Choose the model file itself and hand it in again.", "The file holds nothing but blanks")
	}
	if err != nil {
		return nil, err
	}
	if !is(word, "solid") {
		return nil, &Error{Kind: ErrUnsupported, Byte: 0, Line: a.line,
			What: problem.Text("This text is no model: it begins with %q, an STL text begins with \"solid\"", clip(word)), Do: problem.Text(exportAs)}
	}
	f := &File{Format: STLASCII}
	names, starts := []string{""}, []int{0}
	if names[0], err = a.name("facet", "endsolid"); err != nil {
		return nil, err
	}
	inSolid, rest := true, false
	for {
		word, err := a.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		switch {
		case inSolid && is(word, "facet"):
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
		case inSolid && is(word, "endsolid"):
			inSolid = false
			if _, err := a.name("solid"); err != nil {
				return nil, err
			}
		case !inSolid && is(word, "solid"):
			inSolid = true
			if n := len(a.w.m.Triangles); n > starts[len(starts)-1] {
				names, starts = append(names, ""), append(starts, n)
			}
			if len(starts) > maxParts {
				return nil, a.refuse("The file has more than %d solids", maxParts)
			}
			if names[len(names)-1], err = a.name("facet", "endsolid"); err != nil {
				return nil, err
			}
		case !inSolid && !is(word, "facet"):
			rest = true
		default:
			return nil, a.refuse("Found %q where \"facet\" or \"endsolid\" belongs", clip(word))
		}
	}
	if len(a.w.m.Triangles) == 0 {
		return nil, a.refuse("The file has no triangles")
	}
	if inSolid {
		f.Odd = append(f.Odd, fmt.Sprintf("The text ends without \"endsolid\", after %d whole triangles. Look whether the part is whole.", len(a.w.m.Triangles)))
	}
	if rest {
		f.Odd = append(f.Odd, "Other text stands behind \"endsolid\". It is left out.")
	}
	progress(1)
	f.Models = parted(a.w.m, names, starts)
	return f, nil
}

// expect takes words that belong together, told by the line they begin in.
func (a *asciiReader) expect(words ...string) error {
	for i, w := range words {
		line := a.line
		got, err := a.next()
		if errors.Is(err, io.EOF) {
			return a.refuse("The file ends inside triangle %d", len(a.w.m.Triangles)+1)
		}
		if err != nil {
			return err
		}
		if !is(got, w) {
			e := a.refuse("Found %q where %q belongs", clip(got), strings.Join(words, " "))
			if i > 0 {
				e.Line = line
			}
			return e
		}
	}
	return nil
}

// mostNormal is how many words may stand between "facet" and "outer": the normal,
// which is not used and often not sound.
const mostNormal = 8

func (a *asciiReader) facet() error {
	triangle := int64(len(a.w.m.Triangles)) + 1
	if triangle > a.limits.Triangles {
		return &Error{Kind: ErrTooLarge, Byte: a.in.at, Line: a.line,
			What: problem.Text("The model has more than %d triangles, the limit", a.limits.Triangles),
			Do:   problem.Text("Reduce the number of triangles in the program that made it.")}
	}
	for n := 0; ; n++ {
		word, err := a.next()
		if errors.Is(err, io.EOF) {
			return a.refuse("The file ends inside triangle %d", triangle)
		}
		if err != nil {
			return err
		}
		if is(word, "outer") {
			a.back()
			break
		}
		if n >= mostNormal || is(word, "vertex") || is(word, "loop") || is(word, "endfacet") {
			return a.refuse("Found %q where \"outer loop\" belongs", clip(word))
		}
	}
	if err := a.expect("outer", "loop"); err != nil {
		return err
	}
	var t [3]uint32
	for c := range t {
		if err := a.expect("vertex"); err != nil {
			return err
		}
		var bits [3]uint32
		for i := range bits {
			word, err := a.next()
			if errors.Is(err, io.EOF) {
				return a.refuse("The file ends inside triangle %d", triangle)
			}
			if err != nil {
				return err
			}
			// Out of range gives ±Inf and an error; badCoordinate names both.
			v, err := strconv.ParseFloat(string(word), 32) // to float32 at once: no double rounding
			if err != nil && !errors.Is(err, strconv.ErrRange) || bytes.ContainsAny(word, "xXpP_") {
				return a.refuse("The coordinate %q of triangle %d is no number", clip(word), triangle)
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
