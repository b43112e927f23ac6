// Package modelfile reads and writes the open formats that models come in.
//
// Read tells the format from the content, never from the name, streams, and
// checks its limits while it reads. Equal vertices (to the bit, with -0 equal
// to 0) become one. What it refuses comes back as *Error, which says what is
// wrong, at which byte, line or triangle, and what the person can do.
//
// STL is read by the Library of Congress format descriptions fdd000505 (binary)
// and fdd000506 (ASCII): binary is 80 bytes, a little-endian uint32 count and
// 50 bytes a triangle. STL has no unit; Model.Unit is then empty and the
// coordinates are as in the file.
package modelfile

import (
	"context"
	"errors"
	"fmt"
	"io"

	"jobshelf/core/mesh"
	"jobshelf/core/units"
)

// Format names a file format.
type Format string

// The formats that Read can tell.
const (
	STLBinary Format = "stl-binary"
	STLASCII  Format = "stl-ascii"
)

// Limits bound what a reader takes. Zero fields take the defaults.
type Limits struct {
	Bytes     int64 // default 300 MB
	Triangles int64 // default 10 million
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
	if l.Coordinate <= 0 {
		l.Coordinate = 1e7
	}
	return l
}

// Model is what a file held.
type Model struct {
	Format Format
	Unit   units.Length // empty where the format has none
	Name   string       // the file's own name for the model, if any
	Mesh   *mesh.Mesh
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
	What     string // what is wrong, a sentence without its full stop
	Do       string // what the person can do
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
	return e.What + where + ". " + e.Do
}

// Unwrap gives the kind.
func (e *Error) Unwrap() error { return e.Kind }

func broken(at int64, do, format string, args ...any) *Error {
	return &Error{Kind: ErrBroken, Byte: at, What: fmt.Sprintf(format, args...), Do: do}
}

const exportAgain = "Export it again from the program that made it, or upload it again if it was cut off on the way."

// Read reads a model of any known format. size is the number of bytes that r
// will give, or -1 if that is not known; progress, which may be nil, is called
// with a share between 0 and 1. Errors are *Error, ctx.Err() or r's own.
func Read(ctx context.Context, r io.Reader, size int64, limits Limits, progress func(float64)) (*Model, error) {
	limits = limits.withDefaults()
	if size > limits.Bytes {
		return nil, &Error{Kind: ErrTooLarge, Byte: -1,
			What: fmt.Sprintf("The file has %.1f MB, the limit is %.0f MB", float64(size)/1e6, float64(limits.Bytes)/1e6),
			Do:   "Reduce the number of triangles, or ask a steward to raise the limit."}
	}
	if progress == nil {
		progress = func(float64) {}
	}
	in := &source{r: r, size: size, limit: limits.Bytes}
	head, err := in.peek(sniffBytes)
	if err != nil {
		return nil, err
	}
	if len(head) == 0 {
		return nil, broken(0, "Choose the model file itself and hand it in again.", "The file is empty")
	}
	if what := foreign(head); what != "" {
		return nil, &Error{Kind: ErrUnsupported, Byte: 0, What: "This is " + what + ", not a model that can be read here", Do: "Export the model as STL and hand that in."}
	}
	if looksASCII(head, size) {
		return readASCII(ctx, in, limits, progress)
	}
	return readBinary(ctx, in, limits, progress)
}
