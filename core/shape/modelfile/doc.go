// Package modelfile reads and writes the open formats that models come in.
//
// Read tells the format from the content, never from the name, streams, and
// checks its limits while it reads. Equal vertices (to the bit, with -0 equal
// to 0) become one. What it refuses comes back as *Error, which says what is
// wrong, at which byte, line or triangle, and what the person can do.
//
// STL is read by the Library of Congress format descriptions fdd000505 (binary)
// and fdd000506 (ASCII): binary is 80 bytes, a little-endian uint32 count and
// 50 bytes a triangle. OBJ, 3MF and AMF are described where they are read. STL
// and OBJ have no unit; File.Unit is then empty and the coordinates are as in the
// file. A file may hold several models; meshes that stand apart become models of
// their own, equal ones copies of one. Binary STL and 3MF are written.
package modelfile

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// Format names a file format.
type Format string

// The formats that Read can tell.
const (
	STLBinary Format = "stl-binary"
	STLASCII  Format = "stl-ascii"
	OBJ       Format = "obj"
	ThreeMF   Format = "3mf"
	AMF       Format = "amf"
	// GCode is told from its text, but read by package gcode.
	GCode Format = "gcode"
)

// Limits bound what a reader takes. Zero fields take the defaults.
type Limits struct {
	Bytes     int64 // default 300 MB
	Triangles int64 // default 10 million
	Vertices  int64 // of all meshes together, as the file lists them; default as many as triangles
	Unpacked  int64 // of an archive; default 4 GB
	// Coordinate is the largest magnitude taken, in file units; default 10
	// million, beyond which no unit makes a printable model.
	Coordinate float64
}

func (l Limits) withDefaults() Limits {
	if l.Bytes <= 0 {
		l.Bytes = 300_000_000
	}
	if l.Triangles <= 0 {
		l.Triangles = 10_000_000
	}
	if l.Vertices <= 0 {
		l.Vertices = l.Triangles
	}
	if l.Unpacked <= 0 {
		l.Unpacked = 4_000_000_000
	}
	if l.Coordinate <= 0 {
		l.Coordinate = 1e7
	}
	return l
}

// File is what a file held: at least one model.
type File struct {
	Format Format
	Unit   units.Length // empty where the format has none
	Models []Model
	// Odd is what was not as it should be and did no harm, in sentences.
	Odd []string
}

// Model is one thing to print.
type Model struct {
	Name string // the file's own name for it, if any
	// Mesh is turned, scaled and mirrored as the file says, in the file's unit.
	Mesh *mesh.Mesh
	// Places is where the file puts each copy; one at the origin where the
	// format places nothing.
	Places []mesh.Vec3
}

// Copies is how many of it the file places.
func (m *Model) Copies() int { return max(1, len(m.Places)) }

// Joined is everything in the file as one mesh, where it stands.
func (f *File) Joined() *mesh.Mesh {
	if len(f.Models) == 1 && len(f.Models[0].Places) == 1 && f.Models[0].Places[0] == (mesh.Vec3{}) {
		return f.Models[0].Mesh
	}
	out := &mesh.Mesh{}
	for _, m := range f.Models {
		for _, p := range m.Places {
			out.Append(m.Mesh.Transformed(1, p))
		}
	}
	return out
}

// The kinds of refusal, for errors.Is.
var (
	// ErrBroken: the file is damaged or not what it says.
	ErrBroken = errors.New("broken file")
	// ErrUnsupported: the file is sound, but not a model this program reads.
	ErrUnsupported = errors.New("not a supported model format")
	// ErrTooLarge: a limit was passed.
	ErrTooLarge = errors.New("over the limit")
)

// Error is a refusal. Byte, Line and Triangle tell the place; Byte is -1, Line
// and Triangle 0, where they do not apply. Lines and triangles count from 1.
type Error struct {
	Kind     error
	Byte     int64
	Line     int
	Triangle int64
	What     problem.Phrase // what is wrong, a sentence without its full stop
	Do       problem.Phrase // what the person can do
}

// Words are for people who have no use for the number of a byte, in the language of who says
// phrases.
func (e *Error) Words(say func(problem.Phrase) string) string {
	what := printable(say(e.What))
	switch {
	case e.Line > 0:
		what = say(problem.Text("%s (line %s)", what, strconv.Itoa(e.Line)))
	case e.Triangle > 0 && !strings.Contains(e.What.Code, "riangle %d"):
		what = say(problem.Text("%s (triangle %s)", what, strconv.FormatInt(e.Triangle, 10)))
	}
	return what + ". " + say(e.Do)
}

func (e *Error) Error() string {
	where := ""
	switch {
	case e.Line > 0:
		where = fmt.Sprintf(" (line %d)", e.Line)
	case e.Triangle > 0 && e.Byte >= 0:
		where = fmt.Sprintf(" (triangle %d, byte %d)", e.Triangle, e.Byte)
	case e.Byte >= 0:
		where = fmt.Sprintf(" (byte %d)", e.Byte)
	}
	return printable(e.What.English()) + where + ". " + e.Do.English()
}

// printable leaves out what does not print: foreign bytes may stand in a refusal.
func printable(s string) string {
	return strings.Map(func(r rune) rune {
		if !unicode.IsPrint(r) {
			return -1
		}
		return r
	}, strings.ToValidUTF8(s, "?"))
}

// nameRunes is how much of a model's own name is kept.
const nameRunes = 120

// cleanName is a file's name for a model as it can be shown and stored: valid text,
// in one line, not endless.
func cleanName(s string) string {
	s, _, _ = strings.Cut(s, "\x00")
	s = strings.Join(strings.Fields(printable(strings.Map(func(r rune) rune {
		if unicode.IsSpace(r) {
			return ' '
		}
		return r
	}, strings.ToValidUTF8(s, "")))), " ")
	if r := []rune(s); len(r) > nameRunes {
		s = string(r[:nameRunes-1]) + "…"
	}
	return s
}

// Unwrap gives the kind.
func (e *Error) Unwrap() error { return e.Kind }

func broken(at int64, do, format string, args ...any) *Error {
	return &Error{Kind: ErrBroken, Byte: at, What: problem.Text(format, args...), Do: problem.Text(do)}
}

const exportAgain = "Export it again from the program that made it, or upload it again if it was cut off on the way."

// Read reads the models of a file of any known format. size is the number of
// bytes that r will give, or -1 if that is not known; archives are read in place
// if r is an io.ReaderAt too. progress, which may be nil, is called with a share
// between 0 and 1. Errors are *Error, ctx.Err() or r's own.
func Read(ctx context.Context, r io.Reader, size int64, limits Limits, progress func(float64)) (*File, error) {
	f, err := readAny(ctx, r, size, limits, progress)
	if err != nil {
		return nil, err
	}
	for i := range f.Models {
		f.Models[i].Name = cleanName(f.Models[i].Name)
	}
	return f, nil
}

func readAny(ctx context.Context, r io.Reader, size int64, limits Limits, progress func(float64)) (*File, error) {
	limits = limits.withDefaults()
	if size > limits.Bytes {
		return nil, &Error{Kind: ErrTooLarge, Byte: -1,
			What: problem.Text("The file has %.1f MB, the limit is %.0f MB", float64(size)/1e6, float64(limits.Bytes)/1e6),
			Do:   problem.Text("Reduce the number of triangles, or ask a steward to raise the limit.")}
	}
	if progress == nil {
		progress = func(float64) {}
	}
	in := &source{r: r, size: size, limit: limits.Bytes}
	head, err := in.peek(sniffBytes)
	if err != nil {
		return nil, err
	}
	format, err := Detect(head, size)
	if err != nil {
		return nil, err
	}
	if format != STLBinary && bytes.HasPrefix(in.buf, byteOrderMark) {
		in.skip(len(byteOrderMark))
	}
	switch format {
	case ThreeMF: // or AMF: both may come in a ZIP
		a, err := openArchive(in, limits)
		if err != nil {
			return nil, err
		}
		if len(a.names) == 1 && strings.HasSuffix(strings.ToLower(a.names[0]), ".amf") {
			part, err := a.open(a.names[0])
			if err != nil {
				return nil, err
			}
			defer func() { _ = part.Close() }() // only read
			return readAMF(ctx, part, limits, int64(a.parts[strings.ToLower(a.names[0])].UncompressedSize64), progress)
		}
		return readTMF(ctx, a, limits, progress)
	case AMF:
		return readAMF(ctx, io.MultiReader(bytes.NewReader(in.buf), &capped{r, limits.Bytes - int64(len(in.buf)), limits.Bytes}), limits, size, progress)
	case OBJ:
		return readOBJ(ctx, in, limits, progress)
	case STLASCII:
		return readASCII(ctx, in, limits, progress)
	case GCode:
		return nil, &Error{Kind: ErrUnsupported, Byte: 0, What: problem.Text("This is G-code, not a model"), Do: problem.Text("Hand in the model it was made from.")}
	}
	return readBinary(ctx, in, limits, progress)
}

// byteOrderMark begins some texts in UTF-8.
var byteOrderMark = []byte("\xef\xbb\xbf")

// capped refuses what goes on beyond the byte limit.
type capped struct {
	r     io.Reader
	left  int64
	limit int64
}

func (c *capped) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	if c.left -= int64(n); c.left < 0 {
		return 0, tooManyBytes(c.limit)
	}
	return n, err
}

func tooManyBytes(limit int64) *Error {
	return &Error{Kind: ErrTooLarge, Byte: limit, What: problem.Text("The file has more than %.0f MB, the limit", float64(limit)/1e6),
		Do: problem.Text("Reduce the number of triangles, or ask a steward to raise the limit.")}
}

func tooManyTriangles(l Limits) *Error {
	return &Error{Kind: ErrTooLarge, Byte: -1, What: problem.Text("The model has more than %d triangles, the limit", l.Triangles),
		Do: problem.Text("Reduce the number of triangles in the program that made it.")}
}

func tooManyVertices(l Limits) *Error {
	return &Error{Kind: ErrTooLarge, Byte: -1, What: problem.Text("The file lists more than %d vertices, the limit", l.Vertices),
		Do: problem.Text("Reduce the number of triangles in the program that made it.")}
}

func tooManyThings(what string) *Error {
	return &Error{Kind: ErrTooLarge, Byte: -1, What: problem.Text("The file has more than %d %s", maxThings, what), Do: problem.Text("Hand it in as several files.")}
}
