package wire

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"

	"jobshelf/core/print/command"
)

// Board is the machine's end: bytes in, the commands that are to be obeyed out, each line once and in order.
type Board struct {
	last     int64
	in       []byte
	dropping bool
}

// Act is what follows from a line: a command to be obeyed, or an answer that goes out at once.
type Act struct {
	Command string // without number, checksum and comment
	Answer  string // lines, with their ends
}

// mostTaken bounds a line of the host's: a common size of firmwares' buffers.
const mostTaken = 96

// In reads what a host says. Lines may come in pieces.
func (b *Board) In(p []byte) (out []Act) {
	for len(p) > 0 {
		i := bytes.IndexAny(p, "\r\n")
		part := p
		if i >= 0 {
			part = p[:i]
		}
		if room := mostTaken - len(b.in); !b.dropping {
			b.in = append(b.in, part[:min(len(part), room)]...)
			b.dropping = len(part) > room
		}
		if i < 0 {
			return out
		}
		if text := strings.TrimSpace(string(b.in)); b.dropping {
			out = append(out, b.refuse("line longer than %d bytes, checksum not looked at", mostTaken))
		} else if text != "" && text[0] != ';' {
			out = append(out, b.take(text))
		}
		b.in, b.dropping = b.in[:0], false
		p = p[i+1:]
	}
	return out
}

func (b *Board) refuse(why string, params ...any) Act {
	return Act{Answer: fmt.Sprintf("Error:"+why+", last line %d\nResend: %d\nok\n", append(params, b.last, b.last+1)...)}
}

// take is one line. One without number and checksum is obeyed as it is.
func (b *Board) take(text string) Act {
	text, sum, summed := cutLast(text)
	numbered := strings.HasPrefix(text, "N")
	switch {
	case text == "":
		return b.refuse("nothing before the checksum")
	case !printable(text): // a checksum does not see a zero
		return b.refuse("checksum of what cannot be read")
	case summed && (strings.Contains(text, "*") || !summedUp(text, sum)): // two lines in one may add up by chance
		return b.refuse("checksum")
	case numbered && !summed:
		return b.refuse("no checksum")
	case !numbered && summed: // the end of a line that was torn
		return b.refuse("no line number")
	case !numbered && (text[0] < 'A' || text[0] > 'Z'): // the rest of something
		return Act{Answer: "echo:unknown command\nok\n"}
	case !numbered:
		return Act{Command: text}
	}
	number, rest, _ := strings.Cut(text[1:], " ")
	n, err := strconv.ParseInt(number, 10, 64)
	rest = strings.TrimSpace(rest)
	if head, arg, _ := strings.Cut(rest, " "); err == nil && head == "M110" {
		if to, err := strconv.ParseInt(strings.TrimPrefix(arg, "N"), 10, 64); err == nil && strings.HasPrefix(arg, "N") {
			n = to
		}
		b.last = n
		return Act{Command: "M110"}
	}
	if err != nil || n != b.last+1 {
		return b.refuse("line number")
	}
	b.last = n
	return Act{Command: rest}
}

// cutLast cuts a checksum off.
func cutLast(text string) (before, sum string, is bool) {
	if i := strings.LastIndexByte(text, '*'); i >= 0 {
		return text[:i], text[i+1:], true
	}
	return text, "", false
}

func summedUp(text, sum string) bool {
	n, err := strconv.ParseUint(strings.TrimSpace(sum), 10, 8)
	return err == nil && byte(n) == command.Checksum([]byte(text))
}
