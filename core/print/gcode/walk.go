package gcode

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"

	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/problem"
)

const (
	maxLine  = 64 << 10
	maxWords = 32
	// farMM is beyond any machine.
	farMM = 1e6
	// arcMM is how far a chord may be from its arc.
	arcMM = 0.01
)

// walker holds the modal state of a program.
type walker struct {
	v    Visitor
	line int

	at       XYZ     // where the head is, machine coordinates
	off      XYZ     // G92: machine = program + off
	e, eOff  float64 // filament, as the program counts it
	relative bool
	eRel     bool
	inch     bool
	motion   int // 0, 1, 2, 3: the last of G0 to G3
	feed     float64
	accel    float64
	tool     int
	words    []word
}

// Walk goes through a program. size is its length for progress, or 0; progress
// may be nil. It gives the number of lines.
func Walk(ctx context.Context, r io.Reader, size int64, v Visitor, progress func(float64)) (int, error) {
	w := &walker{v: v, motion: 1, words: make([]word, 0, maxWords)}
	in := bufio.NewReaderSize(r, maxLine)
	var done int64
	for {
		text, err := in.ReadSlice('\n')
		if errors.Is(err, bufio.ErrBufferFull) {
			return w.line, w.refuse("The line is longer than %d bytes; this is no G-code", maxLine)
		}
		if err != nil && !errors.Is(err, io.EOF) {
			return w.line, fmt.Errorf("read g-code: %w", err)
		}
		last := err != nil
		if last && len(text) == 0 {
			return w.line, nil
		}
		w.line++
		done += int64(len(text))
		if w.line&0x3fff == 0 {
			if err := ctx.Err(); err != nil {
				return w.line, err
			}
			if progress != nil && size > 0 {
				progress(min(1, float64(done)/float64(size)))
			}
		}
		if err := w.lines(text); err != nil {
			return w.line, err
		}
		if last {
			return w.line, nil
		}
	}
}

const again = "Slice the model again, or hand in the model itself."

func (w *walker) refuse(format string, args ...any) *Error {
	return &Error{Line: w.line, What: problem.Text(format, args...), Do: problem.Text(again)}
}

// lines takes what stands before a line feed: one line, or several parted by
// carriage returns, as many machines read them.
func (w *walker) lines(text []byte) error {
	text = bytes.TrimRight(text, "\r\n")
	if w.v.Text != nil {
		w.v.Text(w.line, text)
	}
	for {
		one, rest, more := bytes.Cut(text, []byte{'\r'})
		if err := w.obey(one); err != nil {
			return err
		}
		if !more {
			return nil
		}
		text = rest
	}
}

// obey takes one line: comments off, line number and checksum off, then words.
func (w *walker) obey(text []byte) error {
	if i := bytes.IndexByte(text, ';'); i >= 0 {
		text = text[:i]
	}
	if bytes.IndexByte(text, '(') >= 0 && !named(text) {
		kept := make([]byte, 0, len(text))
		for {
			i := bytes.IndexByte(text, '(')
			if i < 0 {
				kept = append(kept, text...)
				break
			}
			kept = append(kept, text[:i]...)
			j := bytes.IndexByte(text[i:], ')')
			if j < 0 {
				break
			}
			text = text[i+j+1:]
		}
		text = kept
	}
	text = bytes.TrimSpace(text)
	if len(text) == 0 || text[0] == '%' || text[0] == '/' {
		return nil // nothing, the mark of a program's ends, a deleted block
	}
	if named(text) {
		return w.named(text)
	}
	return w.split(text)
}

// named says that a line is a command with a name of its own, as firmware with
// macros has them: two letters or an underscore at its start.
func named(text []byte) bool {
	text = bytes.TrimSpace(text)
	return len(text) > 1 && (isLetter(text[0]) || text[0] == '_') && (isLetter(text[1]) || text[1] == '_')
}

func isLetter(b byte) bool { return b|0x20 >= 'a' && b|0x20 <= 'z' }
func isDigit(b byte) bool  { return b >= '0' && b <= '9' }

func (w *walker) named(text []byte) error {
	end := 0
	for end < len(text) && (isLetter(text[end]) || isDigit(text[end]) || text[end] == '_' || text[end] == '.') {
		end++
	}
	if end < len(text) && text[end] != ' ' && text[end] != '\t' && text[end] != '=' {
		return w.refuse("Found %q, which is no command", clip(text))
	}
	if w.v.Command != nil {
		w.v.Command(Command{Line: w.line, Name: string(bytes.ToUpper(text[:end]))})
	}
	return nil
}

// textual are commands whose rest is words for people or a file's name.
func textual(letter byte, n float64) bool {
	if letter != 'M' {
		return false
	}
	switch n {
	case 16, 20, 21, 23, 28, 29, 30, 32, 33, 34, 36, 117, 118, 486, 550, 551, 552, 553, 554, 586, 587, 588, 589, 928:
		return true
	}
	return false
}

// split reads the words of a line. Every G or M begins a command that has the
// words up to the next; words before the first belong to the motion in force.
func (w *walker) split(text []byte) error {
	w.words = w.words[:0]
	head := word{}
	have := false
	for i := 0; i < len(text); {
		c := text[i]
		if c == ' ' || c == '\t' {
			i++
			continue
		}
		if c == '*' { // checksum: of the line so far
			break
		}
		if !isLetter(c) {
			return w.refuse("Found %q where a command or word belongs", clip(text[i:]))
		}
		letter := c &^ 0x20
		j := i + 1
		for j < len(text) && (text[j] == ' ' || text[j] == '\t') {
			j++
		}
		k := j
		for k < len(text) && (isDigit(text[k]) || text[k] == '.' || text[k] == '-' || text[k] == '+') {
			k++
		}
		x := word{letter: letter, bare: k == j}
		if !x.bare {
			v, ok := modelfile.ParseNumber(text[j:k])
			if !ok || math.IsInf(v, 0) {
				return w.refuse("The number %q after %c cannot be read", clip(text[j:k]), letter)
			}
			x.value = v
		} else {
			k = i + 1
		}
		i = k
		switch {
		case letter == 'N' && !have && len(w.words) == 0:
		case letter == 'G' || letter == 'M' || letter == 'T' && !have:
			if x.bare {
				return w.refuse("%c has no number", letter)
			}
			if have || len(w.words) > 0 {
				if err := w.do(head, have); err != nil {
					return err
				}
			}
			head, have = x, true
			w.words = w.words[:0]
			if textual(letter, x.value) {
				i = len(text)
			}
		default:
			if len(w.words) == maxWords {
				return w.refuse("The line has more than %d words", maxWords)
			}
			w.words = append(w.words, x)
		}
	}
	if !have && len(w.words) == 0 {
		return nil
	}
	return w.do(head, have)
}

func clip(b []byte) []byte { return bytes.ToValidUTF8(b[:min(len(b), 24)], []byte("?")) }

func (w *walker) get(letter byte) (float64, bool) {
	for _, x := range w.words {
		if x.letter == letter && !x.bare {
			return x.value, true
		}
	}
	return 0, false
}

func (w *walker) unit() float64 {
	if w.inch {
		return 25.4
	}
	return 1
}

func (w *walker) do(head word, have bool) error {
	if !have {
		return w.move(w.motion)
	}
	if head.letter == 'G' {
		switch head.value {
		case 0, 1, 2, 3:
			w.motion = int(head.value)
			return w.move(w.motion)
		case 4:
			for _, letter := range "SP" {
				if v, ok := w.get(byte(letter)); ok && v < 0 {
					return w.refuse("The wait of %g is negative", v)
				}
			}
		case 20:
			w.inch = true
		case 21:
			w.inch = false
		case 90:
			w.relative, w.eRel = false, false
		case 91:
			w.relative, w.eRel = true, true
		case 92:
			w.set()
		case 28:
			w.home()
		case 18, 19:
			return w.refuse("G%g turns arcs into another plane, which these machines do not do", head.value)
		}
	}
	if head.letter == 'M' {
		switch head.value {
		case 82:
			w.eRel = false
		case 83:
			w.eRel = true
		case 204:
			for _, letter := range "SP" {
				if v, ok := w.get(byte(letter)); ok && v > 0 {
					w.accel = v * w.unit()
					break
				}
			}
		}
	}
	if head.letter == 'T' {
		if head.value < 0 || head.value > 63 || head.value != math.Trunc(head.value) {
			return w.refuse("There is no tool %g", head.value)
		}
		w.tool = int(head.value)
	}
	if w.v.Command != nil {
		w.v.Command(Command{Line: w.line, Letter: head.letter, Number: head.value, words: w.words})
	}
	return nil
}

// set takes G92: what the program calls the place where the head is.
func (w *walker) set() {
	u := w.unit()
	any := false
	for _, a := range []struct {
		letter byte
		at     float64
		off    *float64
	}{{'X', w.at.X, &w.off.X}, {'Y', w.at.Y, &w.off.Y}, {'Z', w.at.Z, &w.off.Z}} {
		if v, ok := w.get(a.letter); ok {
			*a.off = a.at - v*u
			any = true
		}
	}
	if v, ok := w.get('E'); ok {
		w.eOff = w.e - v*u
		any = true
	}
	if !any {
		w.off, w.eOff = w.at, w.e
	}
}

func (w *walker) home() {
	all := true
	for _, x := range w.words {
		switch x.letter {
		case 'X':
			w.at.X, w.off.X, all = 0, 0, false
		case 'Y':
			w.at.Y, w.off.Y, all = 0, 0, false
		case 'Z':
			w.at.Z, w.off.Z, all = 0, 0, false
		}
	}
	if all {
		w.at, w.off = XYZ{}, XYZ{}
	}
}

func (w *walker) move(kind int) error {
	u := w.unit()
	if f, ok := w.get('F'); ok {
		if f < 0 {
			return w.refuse("The feed %g is negative", f)
		}
		w.feed = f * u / 60
	}
	to := w.at
	axis := func(letter byte, at, off float64, out *float64) {
		if v, ok := w.get(letter); ok {
			if *out = v*u + off; w.relative {
				*out = at + v*u
			}
		}
	}
	axis('X', w.at.X, w.off.X, &to.X)
	axis('Y', w.at.Y, w.off.Y, &to.Y)
	axis('Z', w.at.Z, w.off.Z, &to.Z)
	e := 0.0
	if v, ok := w.get('E'); ok {
		if w.eRel {
			e = v * u
		} else {
			e = v*u + w.eOff - w.e
		}
		w.e += e
	}
	for _, v := range [4]float64{to.X, to.Y, to.Z, w.e / 1000} {
		if !(math.Abs(v) <= farMM) {
			return w.refuse("The move goes to %g mm, farther than any machine", v)
		}
	}
	from := w.at
	if kind >= 2 {
		return w.arc(from, to, e, kind == 2)
	}
	w.at = to
	if from == to && e == 0 {
		return nil // only a feed
	}
	if w.v.Move != nil {
		w.v.Move(Move{From: from, To: to, EMM: e, MMPerS: w.feed, MMPerS2: w.accel, Tool: w.tool, Line: w.line})
	}
	return nil
}

// arc follows G2 (clockwise) and G3 in the XY plane, by I and J (from the start
// to the middle) or R (the shorter way round if it is positive); Z and E go
// along evenly.
func (w *walker) arc(from, to XYZ, e float64, clockwise bool) error {
	u := w.unit()
	i, hasI := w.get('I')
	j, hasJ := w.get('J')
	r, hasR := w.get('R')
	var cx, cy float64
	switch {
	case hasI || hasJ:
		cx, cy = from.X+i*u, from.Y+j*u
	case hasR:
		dx, dy := to.X-from.X, to.Y-from.Y
		d := math.Hypot(dx, dy)
		r *= u
		if d == 0 || d > 2*math.Abs(r)*(1+1e-6) {
			return w.refuse("No circle of radius %g mm goes through both ends of the arc", r)
		}
		h := math.Sqrt(math.Max(0, r*r-d*d/4)) / d
		if clockwise == (r > 0) {
			h = -h
		}
		cx, cy = (from.X+to.X)/2-dy*h, (from.Y+to.Y)/2+dx*h
	default:
		return w.refuse("The arc has neither a middle (I, J) nor a radius (R)")
	}
	radius := math.Hypot(from.X-cx, from.Y-cy)
	if end := math.Hypot(to.X-cx, to.Y-cy); radius == 0 || math.Abs(end-radius) > 0.05+0.01*radius {
		return w.refuse("The ends of the arc are %.3f and %.3f mm from its middle", radius, end)
	}
	a := math.Atan2(from.Y-cy, from.X-cx)
	turn := math.Atan2(to.Y-cy, to.X-cx) - a
	if clockwise {
		for turn >= -1e-9 {
			turn -= 2 * math.Pi
		}
	} else {
		for turn <= 1e-9 {
			turn += 2 * math.Pi
		}
	}
	// A chord over the angle s is r(1-cos(s/2)) from its arc.
	step := 2 * math.Acos(1-math.Min(1, arcMM/radius))
	n := int(math.Min(10_000, math.Ceil(math.Abs(turn)/step)))
	at := from
	for k := 1; k <= n; k++ {
		f := float64(k) / float64(n)
		s, c := math.Sincos(a + turn*f)
		next := XYZ{cx + radius*c, cy + radius*s, from.Z + (to.Z-from.Z)*f}
		if k == n {
			next = to
		}
		if w.v.Move != nil {
			w.v.Move(Move{From: at, To: next, EMM: e / float64(n), MMPerS: w.feed, MMPerS2: w.accel, Tool: w.tool, Line: w.line, Arc: true})
		}
		at = next
	}
	w.at = to
	return nil
}
