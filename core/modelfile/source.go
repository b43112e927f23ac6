package modelfile

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"unicode/utf8"
)

// sniffBytes is how much of a file the format is told from.
const sniffBytes = 1024

// source reads in large steps, knows its offset and holds to the byte limit.
type source struct {
	r           io.Reader
	size, limit int64
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
			return &Error{Kind: ErrTooLarge, Byte: s.limit,
				What: fmt.Sprintf("The file has more than %.0f MB, the limit", float64(s.limit)/1e6),
				Do:   "Reduce the number of triangles, or ask a steward to raise the limit."}
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
		if s.eof {
			if len(s.buf) == 0 {
				return nil, io.EOF
			}
			l := s.buf
			s.skip(len(l))
			return l, nil
		}
		if len(s.buf) > maxLine {
			return nil, broken(s.at, exportAgain, "A line is longer than %d bytes; this is no text model", maxLine)
		}
	}
}

// foreign names well-known kinds of file that are no models, or "".
func foreign(head []byte) string {
	for _, k := range []struct{ magic, what string }{
		{"PK\x03\x04", "a ZIP archive (3MF, AMF or several files together)"},
		{"%PDF", "a PDF document"},
		{"\x89PNG", "a PNG picture"},
		{"\xff\xd8\xff", "a JPEG picture"},
		{"GIF8", "a GIF picture"},
		{"ISO-10303-21", "a STEP file of a CAD program"},
		{"\x1f\x8b", "a gzip archive"},
		{"<", "an XML or HTML text"},
		{"{", "a JSON text"},
	} {
		if bytes.HasPrefix(head, []byte(k.magic)) {
			return k.what
		}
	}
	return ""
}

// looksASCII decides between the two STLs. Binary headers may begin with
// "solid" too, so a size that fits the count, or bytes that are no text, win.
func looksASCII(head []byte, size int64) bool {
	if len(head) >= 84 && size == 84+50*int64(le32(head[80:])) {
		return false
	}
	if bytes.IndexByte(head, 0) >= 0 {
		return false
	}
	text := bytes.TrimLeft(head, " \t\r\n\xef\xbb\xbf")
	if bytes.HasPrefix(bytes.ToLower(text[:min(5, len(text))]), []byte("solid")) {
		return true
	}
	// Text without "solid" is no model at all; the ASCII reader says so with
	// its line, the binary reader would speak of a nonsensical count.
	for i, b := range head {
		if b < 9 || b > 13 && b < 32 {
			return false
		}
		if b >= 0x80 && !utf8.FullRune(head[i:]) {
			break
		}
	}
	return utf8.Valid(head[:len(head)-min(3, len(head)-1)]) || utf8.Valid(head)
}

func le32(b []byte) uint32 {
	return uint32(b[0]) | uint32(b[1])<<8 | uint32(b[2])<<16 | uint32(b[3])<<24
}
