package modelfile

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"

	"jobshelf/core/shape/problem"
)

// sniffBytes is how much of a file the format is told from.
const sniffBytes = 16 << 10

// SniffBytes is how much of a file Detect wants to see.
const SniffBytes = sniffBytes

// source reads in large steps, knows its offset and holds to the byte limit.
type source struct {
	r           io.Reader
	size, limit int64
	what        string // the part of an archive, for messages
	longest     int    // of a line; 0 is maxLine
	buf         []byte // what has been read and not used
	store       []byte
	at          int64 // offset of buf[0]
	eof         bool
}

// fill makes at least n bytes available if the file has them.
func (s *source) fill(n int) error {
	if len(s.buf) >= n || s.eof {
		return nil
	}
	if cap(s.store) < n || s.store == nil {
		grown := make([]byte, max(n, 256<<10))
		copy(grown, s.buf)
		s.store, s.buf = grown, grown[:len(s.buf)]
	} else {
		copy(s.store, s.buf)
		s.buf = s.store[:len(s.buf)]
	}
	for len(s.buf) < n && !s.eof {
		k, err := s.r.Read(s.store[len(s.buf):cap(s.store)])
		s.buf = s.store[:len(s.buf)+k]
		if errors.Is(err, io.EOF) {
			s.eof = true
		} else if err != nil {
			return fmt.Errorf("read model: %w", err)
		}
		if s.at+int64(len(s.buf)) > s.limit {
			return tooManyBytes(s.limit)
		}
	}
	return nil
}

func (s *source) peek(n int) ([]byte, error) {
	if err := s.fill(n); err != nil {
		return nil, err
	}
	return s.buf[:min(n, len(s.buf))], nil
}

func (s *source) skip(n int) {
	s.buf = s.buf[n:]
	s.at += int64(n)
}

// maxLine bounds a line of text: no line of an STL comes near it.
const maxLine = 64 << 10

// line gives the next line without its end (\n, \r\n or \r); io.EOF at the end.
// The slice holds until the next call.
func (s *source) line() ([]byte, error) {
	for want := 256; ; want *= 4 {
		if err := s.fill(want); err != nil {
			return nil, err
		}
		if i := bytes.IndexAny(s.buf, "\r\n"); i >= 0 {
			if s.buf[i] == '\r' && i+1 == len(s.buf) && !s.eof {
				continue // the \n of a \r\n may not be here yet
			}
			l, n := s.buf[:i], i+1
			if s.buf[i] == '\r' && i+1 < len(s.buf) && s.buf[i+1] == '\n' {
				n++
			}
			s.skip(n)
			return l, nil
		}
		if most := cmp.Or(s.longest, maxLine); len(s.buf) > most {
			return nil, broken(s.at, exportAgain, "A line is longer than %d bytes; this is no text model", most)
		}
		if s.eof {
			if len(s.buf) == 0 {
				return nil, io.EOF
			}
			l := s.buf
			s.skip(len(l))
			return l, nil
		}
	}
}

// foreign names well-known kinds of file that are no models, or "".
func foreign(head []byte) string {
	for _, k := range []struct{ magic, what string }{
		{"%PDF", "a PDF document"},
		{"\x89PNG", "a PNG picture"},
		{"\xff\xd8\xff", "a JPEG picture"},
		{"GIF8", "a GIF picture"},
		{"ISO-10303-21", "a STEP file of a CAD program"},
		{"\x1f\x8b", "a gzip archive"},
		{"{", "a JSON text"},
	} {
		if bytes.HasPrefix(head, []byte(k.magic)) {
			return k.what
		}
	}
	return ""
}

// Detect tells the format from the first bytes of a file (SniffBytes of them, or
// all) and its size, -1 if that is not known. A ZIP is called 3MF until its parts
// are known. What is no model at all is an error.
func Detect(head []byte, size int64) (Format, error) {
	if len(head) == 0 {
		return "", broken(0, "Choose the model file itself and hand it in again.", "The file is empty")
	}
	// Binary headers may begin with any text; a size that fits the count wins.
	if len(head) >= stlHeader && size == stlHeader+stlRecord*int64(le32(head[80:])) {
		return STLBinary, nil
	}
	if bytes.HasPrefix(head, []byte("PK\x03\x04")) {
		return ThreeMF, nil
	}
	if what := foreign(head); what != "" {
		return "", &Error{Kind: ErrUnsupported, Byte: 0, What: problem.Text("This is %s, not a model that can be read here", what), Do: problem.Text(exportAs)}
	}
	if !isText(head) {
		return STLBinary, nil
	}
	text := bytes.TrimLeft(head, " \t\r\n\xef\xbb\xbf")
	if bytes.HasPrefix(text, []byte("<")) {
		for _, root := range []string{"<amf", ":amf"} {
			if bytes.Contains(bytes.ToLower(text), []byte(root)) {
				return AMF, nil
			}
		}
		return "", &Error{Kind: ErrUnsupported, Byte: 0, What: problem.Text("This is an XML or HTML text, not a model that can be read here"), Do: problem.Text(exportAs)}
	}
	return textFormat(text), nil
}

const exportAs = "Export the model as STL, 3MF, OBJ or AMF and hand that in."

// textFormat looks at the first words of the lines. Words that are in none of the
// formats are passed over. What is none of the known ones is left to the reader of
// text STL, which says so with the line.
func textFormat(text []byte) Format {
	if bytes.HasPrefix(bytes.ToLower(text[:min(5, len(text))]), []byte("solid")) {
		return STLASCII
	}
	first, only := true, true // only: nothing but comments so far
	for line := range bytes.Lines(text) {
		word, rest := cutWord(bytes.TrimRight(line, "\r\n"))
		if len(word) == 0 || word[0] == '#' {
			continue
		}
		only = false
		switch string(word) {
		case "v", "vn", "vt", "f":
			if first || numeric(rest) {
				return OBJ
			}
		case "vp", "l", "p", "o", "g", "s", "mtllib", "usemtl":
			if first {
				return OBJ
			}
		}
		if word[0] == ';' || word[0] == '(' || word[0] == '%' && len(bytes.TrimSpace(rest)) == 0 {
			return GCode
		}
		if c := word[0] | 0x20; (c == 'g' || c == 'm' || c == 't' || c == 'n') && len(word) > 1 && word[1] >= '0' && word[1] <= '9' {
			return GCode
		}
		first = false
	}
	if only && len(text) > 0 && text[0] == '#' {
		return OBJ
	}
	return STLASCII
}

// numeric says that what follows a word begins with a number.
func numeric(rest []byte) bool {
	word, _ := cutWord(rest)
	return len(word) > 0 && (word[0] >= '0' && word[0] <= '9' || word[0] == '-' || word[0] == '+' || word[0] == '.')
}

// isText says that there is nothing in the bytes but what prints or is blank, save
// the ends that old systems put behind a text. Letters may be in any encoding.
func isText(head []byte) bool {
	for _, b := range bytes.TrimRight(head, "\x00\x1a") {
		if b < 9 || b > 13 && b < 32 {
			return false
		}
	}
	return true
}

func le32(b []byte) uint32 {
	return uint32(b[0]) | uint32(b[1])<<8 | uint32(b[2])<<16 | uint32(b[3])<<24
}
