// Package wire is the line protocol of open firmware for material extrusion, both ends of it, without any line: bytes in,
// what was said out; commands in, bytes out.
//
// A command goes out as a numbered line with a checksum (the XOR of the bytes before the *). The machine takes lines in
// order and once, says ok for each, and asks for the one that it wants where a line does not stand what it says (common
// practice, no source). One line is under way at a time. Where a machine falls silent it is sent a line whose number it
// cannot take: it then asks for the one that it wants, whatever was lost before. Where an asking is lost whole but for its
// ok, a command is told as taken that was not; the next line brings that out, and it is sent again.
package wire

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"

	"jobshelf/core/print/command"
	"jobshelf/core/shape/problem"
)

const (
	mostCommand = 90   // bytes of a command: firmwares cut what is longer off
	mostLine    = 512  // bytes that a machine says in a line; the rest of it is dropped
	mostWaiting = 4096 // commands
	kept        = 64   // lines that can be sent again
	mostAgain   = 60   // times that one line is sent again before the line is given up
	mostLost    = 3    // askings in a row for what cannot be, after which the machine is taken to count otherwise
	mostStorm   = 4    // refusals in a row, or nearly, after which it waits for silence
)

// Host is our end. It is for one goroutine, and knows no time: the owner says when nothing was heard for long.
type Host struct {
	waiting  []string
	sent     [kept]string // by number
	made     int64        // the number of the last line that was made; 0 is the one that sets the count
	next     int64        // the number of the line to go out next; over made: the next that waits
	done     int64        // the last line that the machine has taken
	told     int64        // the last line that was told as taken
	begun    bool         // the count was set
	skip     int          // oks that belong to refusals
	doubt    bool         // what came last was not understood: the ok behind it may belong to a refusal
	asking   bool         // where the machine is; askedAt is the last line that it should have
	askedAt  int64
	wanted   int64 // what was asked for last
	again    int   // how often, without a line taken
	storm    int   // refusals since two lines were taken one after the other
	clean    int
	lost     int  // askings in a row for what cannot be
	hold     bool // nothing is sent before it is silent: answers and lines do not match any more
	in       []byte
	dropping bool
	Broken   *problem.Phrase // why the line cannot be used any more; Begin makes it new
}

// Begin makes the line new, as after it was opened or the machine has started: nothing is under way, nothing waits, and
// the first line sets the count.
func (h *Host) Begin() { *h = Host{} }

// Do has commands sent, one after the other. What is no plain command is refused, and then none of them is.
func (h *Host) Do(commands ...string) error {
	if len(h.waiting)+len(commands) > mostWaiting {
		return fmt.Errorf("more than %d commands wait", mostWaiting)
	}
	for _, c := range commands {
		if err := plain(c); err != nil {
			return err
		}
	}
	h.waiting = append(h.waiting, commands...)
	return nil
}

// plain says what keeps a command from being one.
func plain(c string) error {
	if c == "" || len(c) > mostCommand {
		return fmt.Errorf("a command has 1 to %d bytes, not %d", mostCommand, len(c))
	}
	for _, b := range []byte(c) {
		if b < ' ' || b > '~' || b == '*' || b == ';' {
			return fmt.Errorf("%q cannot be in a command", b)
		}
	}
	if c[0] == ' ' || c[0] == 'N' || c[len(c)-1] == ' ' {
		return fmt.Errorf("a command does not begin as %q", c[:1])
	}
	return nil
}

// UnderWay says whether something was sent that the machine has not taken yet.
func (h *Host) UnderWay() bool {
	return h.begun && (h.done < h.next-1 || h.hold) || !h.begun && h.next > 0
}

// Waiting is how many commands were not taken yet.
func (h *Host) Waiting() int {
	return len(h.waiting) + int(h.made-max(h.done, 0))
}

// Out is the line to be sent now, with its end; nil where nothing is to be sent before something is heard.
func (h *Host) Out() []byte {
	if h.Broken != nil {
		return nil
	}
	if !h.begun {
		if h.next > 0 {
			return nil
		}
		h.next, h.done, h.made = 1, -1, 0
		h.sent[0] = "M110 N0"
		return line(0, h.sent[0])
	}
	switch {
	case h.hold || h.next > h.done+1:
		return nil
	case h.next <= h.made: // once more
		h.next++
		return line(h.next-1, h.sent[(h.next-1)%kept])
	case len(h.waiting) == 0:
		return nil
	}
	c := h.waiting[0]
	h.waiting = h.waiting[1:]
	return h.make(c)
}

func (h *Host) make(c string) []byte {
	h.made++
	h.next = h.made + 1
	h.sent[h.made%kept] = c
	return line(h.made, c)
}

func line(n int64, c string) []byte {
	b := fmt.Appendf(nil, "N%d %s", n, c)
	return fmt.Appendf(b, "*%d\n", command.Checksum(b))
}

// Silent says that nothing was heard for long though something is under way: the line to be sent then, which the machine
// answers with the number of the one that it wants.
func (h *Host) Silent() []byte {
	if h.Broken != nil || !h.UnderWay() {
		return nil
	}
	h.skip, h.doubt = 0, false
	if h.again++; h.again > mostAgain {
		h.breaks("no answer", h.again-1)
		return nil
	}
	if !h.begun { // what sets the count may be said twice
		return line(0, h.sent[0])
	}
	h.asking, h.askedAt = true, h.next-1
	return line(0, "M105")
}

func (h *Host) breaks(code string, params ...any) {
	p := problem.Say(code, params...)
	h.Broken = &p
}

// In reads what the machine says. Lines may come in pieces.
func (h *Host) In(b []byte) (out []Event) {
	for len(b) > 0 {
		i := bytes.IndexAny(b, "\r\n")
		part := b
		if i >= 0 {
			part = b[:i]
		}
		if room := mostLine - len(h.in); !h.dropping {
			h.in = append(h.in, part[:min(len(part), room)]...)
			h.dropping = len(part) > room
		}
		if i < 0 {
			return out
		}
		if len(h.in) > 0 {
			out = append(out, h.hear(string(h.in))...)
		}
		h.in, h.dropping = h.in[:0], false
		b = b[i+1:]
	}
	return out
}

// hear takes one line.
func (h *Host) hear(text string) []Event {
	text = strings.TrimSpace(text)
	if n, ok := asked(text); ok {
		h.doubt = false
		return h.refused(n)
	}
	e := read(text)
	doubt := h.doubt
	h.doubt = e.Kind == Noise || e.Kind == Remark
	switch e.Kind {
	case Ok:
		if doubt && h.skip == 0 { // a question finds out
			return []Event{{Kind: Noise, Text: "ok behind what was not understood"}}
		}
		return h.ok(e)
	case Restarted:
		e.Lost = h.Waiting()
		h.Begin()
	}
	return []Event{e}
}

// asked reads the number of a line that a machine wants again.
func asked(text string) (int64, bool) {
	rest, ok := strings.CutPrefix(text, "Resend:")
	if !ok {
		rest, ok = strings.CutPrefix(text, "rs ")
	}
	if !ok {
		return 0, false
	}
	rest = strings.TrimPrefix(strings.TrimSpace(rest), "N")
	n, err := strconv.ParseInt(strings.TrimSpace(rest), 10, 64)
	return n, err == nil && n >= 0
}

// refused goes back to the line that is wanted: all before it were taken.
func (h *Host) refused(n int64) []Event {
	h.skip++
	if h.Broken != nil {
		return nil
	}
	// A line that was taken may have been told so by mistake, but hardly two; and what sets the count is answered by ok
	// alone. Whoever asks for another has misspoken, or counts otherwise, as after a start that nobody heard of.
	if !h.begun || n > h.made+1 || n < max(1, h.done-1) {
		if h.lost++; h.begun && h.asking && h.lost >= mostLost {
			h.breaks("counts otherwise", n, h.done+1)
			return []Event{{Kind: Broken}}
		}
		return []Event{{Kind: Noise, Text: fmt.Sprintf("asked for line %d", n)}}
	}
	h.lost = 0
	out := h.taken(n-1, nil)
	h.done = n - 1 // an ok before it may have been none
	if n != h.wanted {
		h.wanted, h.again = n, 0
	}
	if !h.asking { // else it was counted when it was asked
		h.again++
	}
	if h.again > mostAgain {
		h.breaks("asks again and again", n, h.again-1)
		return append(out, Event{Kind: Broken})
	}
	if h.asking {
		h.asking, h.hold, h.storm, h.clean = false, false, 0, 0
		if n > h.askedAt { // it had all; what was sent since is under way
			h.next = max(h.next, n)
			return out
		}
	} else if h.clean, h.storm = 0, h.storm+1; h.storm >= mostStorm {
		h.hold = true
	}
	h.next = n
	if n <= h.made {
		return append(out, Event{Kind: Again, Line: n, Command: h.sent[n%kept]})
	}
	return out
}

// ok is that the machine has taken the line under way.
func (h *Host) ok(e Event) []Event {
	if h.skip > 0 {
		h.skip--
		return nil
	}
	if !h.begun && h.next == 0 || h.begun && h.done >= h.next-1 {
		return []Event{{Kind: Noise, Text: "ok to nothing"}}
	}
	if h.clean++; h.clean > 1 {
		h.storm = 0
	}
	h.again = 0
	return h.taken(h.done+1, e.Heats)
}

// taken says that lines up to one were taken.
func (h *Host) taken(upTo int64, heats []Heat) (out []Event) {
	h.begun = true
	for h.done < upTo {
		h.done++
		if h.done <= h.told {
			continue // told before; what sets the count is nobody's command
		}
		h.told = h.done
		out = append(out, Event{Kind: Ok, Line: h.done, Command: h.sent[h.done%kept]})
	}
	h.next = max(h.next, h.done+1)
	if len(heats) > 0 {
		out = append(out, Event{Kind: Heats, Heats: heats})
	}
	return out
}
