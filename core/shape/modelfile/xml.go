package modelfile

import (
	"bytes"
	"errors"
	"io"
	"strconv"
	"unicode/utf8"

	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"jobshelf/core/shape/problem"
)

// xmlReader walks through an XML document element by element without holding
// it. It knows what model files use: elements, attributes, text, CDATA,
// comments and processing instructions, the five named entities and character
// numbers. A document type declaration is refused, and with it every entity that
// could grow or fetch something. Names are given without their prefix.
type xmlReader struct {
	in   *source
	name string // of the part, for messages; empty for the file itself
	line int
	open []string
	ends bool // the element just given closes itself
	read bool // past the start: the byte-order mark has been looked at
	attr []xmlAttr
	own  []byte // storage of unescaped values
}

type xmlAttr struct {
	prefix, name string
	value        []byte
}

type xmlKind int

const (
	xmlEnd xmlKind = iota
	xmlStart
	xmlText
)

const (
	maxTag   = 256 << 10
	maxDepth = 64
)

var errXMLEnd = errors.New("end of document")

func newXML(r io.Reader, limit int64, name string) *xmlReader {
	return &xmlReader{in: &source{r: r, size: -1, limit: limit, what: name}, name: name, line: 1}
}

func (x *xmlReader) refuse(format string, args ...any) *Error {
	what := problem.Text(format, args...)
	if x.name != "" {
		what = problem.Text("%s in the part %s", what, x.name)
	}
	return &Error{Kind: ErrBroken, Byte: x.in.at, Line: x.line, What: what, Do: problem.Text(exportAgain)}
}

// consume passes n bytes and counts their lines.
func (x *xmlReader) consume(n int) {
	x.line += bytes.Count(x.in.buf[:n], []byte{'\n'})
	x.in.skip(n)
}

// until gives what comes before the given bytes, which follow within limit.
func (x *xmlReader) until(what string, from, limit int) (int, error) {
	for want := 512; ; want *= 4 {
		if err := x.in.fill(min(want, limit)); err != nil {
			return 0, err
		}
		if len(x.in.buf) > from {
			if i := bytes.Index(x.in.buf[from:], []byte(what)); i >= 0 {
				return from + i, nil
			}
		}
		if x.in.eof {
			return 0, x.refuse("The XML ends before %q", what)
		}
		if len(x.in.buf) >= limit {
			return 0, x.refuse("Something is longer than %d bytes without %q", limit, what)
		}
	}
}

// skipPast passes everything up to and with what, however long it is.
func (x *xmlReader) skipPast(what string) error {
	for {
		if err := x.in.fill(64 << 10); err != nil {
			return err
		}
		if i := bytes.Index(x.in.buf, []byte(what)); i >= 0 {
			x.consume(i + len(what))
			return nil
		}
		if x.in.eof {
			return x.refuse("The XML ends before %q", what)
		}
		x.consume(len(x.in.buf) - len(what) + 1)
	}
}

// next gives the next element or text. At a start the name and attr are set; the
// strings and values hold until the following call. After the root element has
// ended it gives errXMLEnd.
func (x *xmlReader) next() (xmlKind, string, error) {
	if x.ends {
		x.ends = false
		return x.pop(x.open[len(x.open)-1])
	}
	if !x.read {
		if err := x.begin(); err != nil {
			return 0, "", err
		}
	}
	for {
		if err := x.in.fill(4096); err != nil {
			return 0, "", err
		}
		b := x.in.buf
		if len(b) == 0 {
			if len(x.open) > 0 {
				return 0, "", x.refuse("The XML ends inside <%s>", x.open[len(x.open)-1])
			}
			return 0, "", errXMLEnd
		}
		if b[0] != '<' {
			i := bytes.IndexByte(b, '<')
			if i < 0 {
				i = len(b)
			}
			text := bytes.TrimSpace(b[:i])
			if len(text) == 0 {
				x.consume(i)
				continue
			}
			if len(x.open) == 0 {
				return 0, "", x.refuse("Found text %q outside of all elements", clip(text))
			}
			value := string(text[:min(len(text), 4096)])
			x.consume(i)
			return xmlText, value, nil
		}
		switch {
		case bytes.HasPrefix(b, []byte("<!--")):
			x.consume(4)
			if err := x.skipPast("-->"); err != nil {
				return 0, "", err
			}
		case bytes.HasPrefix(b, []byte("<?")):
			if err := x.skipPast("?>"); err != nil {
				return 0, "", err
			}
		case bytes.HasPrefix(b, []byte("<![CDATA[")):
			i, err := x.until("]]>", 9, maxTag)
			if err != nil {
				return 0, "", err
			}
			value := string(x.in.buf[9:min(i, 9+4096)])
			x.consume(i + 3)
			return xmlText, value, nil
		case bytes.HasPrefix(b, []byte("<!")):
			return 0, "", x.refuse("Found a document type declaration or the like, which model files do not have")
		case bytes.HasPrefix(b, []byte("</")):
			i, err := x.until(">", 2, maxTag)
			if err != nil {
				return 0, "", err
			}
			_, name := split(bytes.TrimSpace(x.in.buf[2:i]))
			n := string(name)
			x.consume(i + 1)
			return x.pop(n)
		default:
			return x.start()
		}
	}
}

// begin passes a byte-order mark; one of UTF-16 has the rest turned into UTF-8.
func (x *xmlReader) begin() error {
	x.read = true
	if err := x.in.fill(4); err != nil {
		return err
	}
	switch b := x.in.buf; {
	case bytes.HasPrefix(b, byteOrderMark):
		x.in.skip(len(byteOrderMark))
	case bytes.HasPrefix(b, []byte{0xfe, 0xff}), bytes.HasPrefix(b, []byte{0xff, 0xfe}):
		whole := io.MultiReader(bytes.NewReader(bytes.Clone(b)), x.in.r)
		x.in.r = transform.NewReader(whole, unicode.UTF16(unicode.BigEndian, unicode.ExpectBOM).NewDecoder())
		x.in.buf, x.in.eof = nil, false
	}
	return nil
}

func (x *xmlReader) pop(name string) (xmlKind, string, error) {
	if len(x.open) == 0 || x.open[len(x.open)-1] != name {
		return 0, "", x.refuse("Found </%s> where another element is open", clip([]byte(name)))
	}
	x.open = x.open[:len(x.open)-1]
	return xmlEnd, name, nil
}

// split parts a name at its colon.
func split(b []byte) (prefix, name []byte) {
	if i := bytes.IndexByte(b, ':'); i >= 0 {
		return b[:i], b[i+1:]
	}
	return nil, b
}

// interned names spare an allocation for every element.
var interned = func() map[string]string {
	m := map[string]string{}
	for _, s := range []string{"", "p", "model", "resources", "object", "mesh", "vertices", "vertex", "triangles", "triangle", "components", "component", "build", "item",
		"x", "y", "z", "v1", "v2", "v3", "id", "objectid", "transform", "path", "unit", "pid", "p1", "p2", "p3", "name", "amf", "coordinates", "volume"} {
		m[s] = s
	}
	return m
}()

func intern(b []byte) string {
	if s, ok := interned[string(b)]; ok {
		return s
	}
	return string(b)
}

func (x *xmlReader) start() (xmlKind, string, error) {
	// The tag ends at a '>' outside of quotes.
	end, quote := 1, byte(0)
	for want := 512; ; {
		if err := x.in.fill(want); err != nil {
			return 0, "", err
		}
		b := x.in.buf
		for ; end < len(b); end++ {
			c := b[end]
			if quote != 0 {
				if c == quote {
					quote = 0
				}
			} else if c == '"' || c == '\'' {
				quote = c
			} else if c == '>' {
				break
			}
		}
		if end < len(b) {
			break
		}
		if x.in.eof {
			return 0, "", x.refuse("The XML ends inside a tag")
		}
		if len(b) >= maxTag {
			return 0, "", x.refuse("A tag is longer than %d bytes", maxTag)
		}
		want = min(4*len(b), maxTag)
	}
	tag := x.in.buf[1:end]
	if n := len(tag); n > 0 && tag[n-1] == '/' {
		tag, x.ends = tag[:n-1], true
	}
	i := nameEnd(tag)
	if i == 0 {
		return 0, "", x.refuse("Found %q where the name of an element belongs", clip(tag))
	}
	_, local := split(tag[:i])
	name := intern(local)
	if len(x.open) >= maxDepth {
		return 0, "", x.refuse("Elements are nested deeper than %d", maxDepth)
	}
	if err := x.attributes(tag[i:]); err != nil {
		return 0, "", err
	}
	x.open = append(x.open, name)
	x.consume(end + 1) // the buffer stays until the next fill
	return xmlStart, name, nil
}

func nameEnd(b []byte) int {
	for i, c := range b {
		if c == ' ' || c == '\t' || c == '\n' || c == '\r' || c == '=' || c == '/' {
			return i
		}
	}
	return len(b)
}

func (x *xmlReader) attributes(b []byte) error {
	x.attr, x.own = x.attr[:0], x.own[:0]
	for {
		b = bytes.TrimLeft(b, " \t\r\n")
		if len(b) == 0 {
			return nil
		}
		i := nameEnd(b)
		prefix, local := split(b[:i])
		rest := bytes.TrimLeft(b[i:], " \t\r\n")
		if i == 0 || len(rest) == 0 || rest[0] != '=' {
			return x.refuse("The attribute %q has no value", clip(b))
		}
		rest = bytes.TrimLeft(rest[1:], " \t\r\n")
		if len(rest) == 0 || rest[0] != '"' && rest[0] != '\'' {
			return x.refuse("The value of the attribute %q is not in quotes", clip(local))
		}
		j := bytes.IndexByte(rest[1:], rest[0])
		if j < 0 {
			return x.refuse("The value of the attribute %q does not end", clip(local))
		}
		value := rest[1 : 1+j]
		if bytes.IndexByte(value, '&') >= 0 {
			var err error
			if value, err = x.unescape(value); err != nil {
				return err
			}
		}
		x.attr = append(x.attr, xmlAttr{intern(prefix), intern(local), value})
		b = rest[2+j:]
	}
}

func (x *xmlReader) unescape(v []byte) ([]byte, error) {
	from := len(x.own)
	for len(v) > 0 {
		i := bytes.IndexByte(v, '&')
		if i < 0 {
			x.own = append(x.own, v...)
			break
		}
		x.own = append(x.own, v[:i]...)
		j := bytes.IndexByte(v[i:], ';')
		if j < 0 {
			return nil, x.refuse("An & has no ;")
		}
		entity := string(v[i+1 : i+j])
		switch entity {
		case "lt":
			x.own = append(x.own, '<')
		case "gt":
			x.own = append(x.own, '>')
		case "amp":
			x.own = append(x.own, '&')
		case "quot":
			x.own = append(x.own, '"')
		case "apos":
			x.own = append(x.own, '\'')
		default:
			n, err := uint64(0), errors.New("not a number")
			if len(entity) > 2 && entity[:2] == "#x" {
				n, err = strconv.ParseUint(entity[2:], 16, 32)
			} else if len(entity) > 1 && entity[0] == '#' {
				n, err = strconv.ParseUint(entity[1:], 10, 32)
			}
			if err != nil || n > utf8.MaxRune {
				return nil, x.refuse("The entity &%s; is not known", clip([]byte(entity)))
			}
			x.own = utf8.AppendRune(x.own, rune(n))
		}
		v = v[i+j+1:]
	}
	return x.own[from:len(x.own):len(x.own)], nil
}

// get gives an attribute without prefix; nil if it is not there.
func (x *xmlReader) get(name string) []byte {
	for i := range x.attr {
		if x.attr[i].name == name && x.attr[i].prefix == "" {
			return x.attr[i].value
		}
	}
	return nil
}

// skip passes the rest of the element that was just given.
func (x *xmlReader) skip() error {
	for depth := len(x.open); len(x.open) >= depth; {
		if _, _, err := x.next(); err != nil {
			return err
		}
	}
	return nil
}

// number, index read an attribute that must be there.
func (x *xmlReader) number(name string) (float64, error) {
	b := x.get(name)
	if v, ok := ParseNumber(bytes.TrimSpace(b)); ok {
		return v, nil
	}
	return 0, x.refuse("%s=%q of <%s> is no number", name, clip(b), x.open[len(x.open)-1])
}

func (x *xmlReader) index(name string) (uint32, error) {
	b := x.get(name)
	if v, ok := parseIndex(bytes.TrimSpace(b)); ok {
		return v, nil
	}
	return 0, x.refuse("%s=%q of <%s> is no index", name, clip(b), x.open[len(x.open)-1])
}
