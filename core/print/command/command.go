// Package command is what may be sent to a machine: the list of commands that are
// allowed, the words each may have, and the strict form in which they are written.
//
// It is a list of what may be, not of what may not: a command that nobody here
// has looked at does not run. What transfers or keeps files, tunes, sets or saves
// something in the machine is not on it. The numbers are those of the open
// firmwares for material extrusion (common practice, no source).
//
// The form is strict where machines differ: text that one of them obeys and
// another passes over (lower case, brackets, a second command in a line, a
// checksum that is wrong) is a fault, since nobody can tell what would happen.
package command

import (
	"bytes"
	"fmt"
	"math"
	"strconv"

	"jobshelf/core/shape/problem"
)

// Most bytes of a command without its comment: firmwares cut what is longer off,
// and with it the end of a number (96 is a common size of their buffers).
const mostBytes = 90

// spec is what an allowed command may have.
type spec struct {
	words string // letters that may follow; lower case: may stand without a number
	text  bool   // the rest of the line is text for people
	only  map[byte]float64
}

// allowed are the commands that any program may hold.
var allowed = map[string]spec{
	"G0": {words: "XYZEF"}, "G1": {words: "XYZEF"}, "G2": {words: "XYZEFIJR"}, "G3": {words: "XYZEFIJR"},
	"G4": {words: "SP"}, "G10": {}, "G11": {}, "G12": {words: "PS"}, "G17": {}, "G20": {}, "G21": {}, "G27": {words: "P"},
	"G28": {words: "xyzo"}, "G29": {}, "G34": {}, "G90": {}, "G91": {}, "G92": {words: "XYZE"},
	"M0": {words: "SP"}, "M1": {words: "SP"}, "M17": {words: "xyze"}, "M18": {words: "xyze"}, "M73": {words: "PRQS"},
	"M75": {}, "M76": {}, "M77": {}, "M82": {}, "M83": {}, "M84": {words: "xyze"},
	"M104": {words: "ST"}, "M109": {words: "SRT"}, "M140": {words: "S"}, "M190": {words: "SR"}, "M116": {},
	"M105": {}, "M114": {}, "M115": {}, "M106": {words: "SP"}, "M107": {words: "P"},
	"M117": {text: true}, "M486": {text: true}, "M204": {words: "SPTR"},
	"M220": {words: "S", only: map[byte]float64{'S': 100}}, "M221": {words: "S", only: map[byte]float64{'S': 100}},
	"M300": {words: "SP"}, "M400": {}, "M420": {words: "S", only: map[byte]float64{'S': 1}}, "M600": {},
}

// lookup is allowed by letter (G, M) and number, with letters as bits, since every
// line of every program comes by here.
var lookup = func() (out [2][1000]*letters) {
	for code, s := range allowed {
		n, err := strconv.Atoi(code[1:])
		if err != nil {
			panic(err) // a code of ours
		}
		l := &letters{spec: s, code: code}
		for _, c := range []byte(s.words) {
			l.may |= 1 << (c&^0x20 - 'A')
			if c >= 'a' {
				l.bare |= 1 << (c&^0x20 - 'A')
			}
		}
		out[(code[0]-'G')/('M'-'G')][n] = l
	}
	return out
}()

type letters struct {
	spec
	code      string
	may, bare uint32
}

// find gives what an allowed command may have; nil if it is not allowed.
func find(w word) *letters {
	if w.value != float64(int(w.value)) || w.value < 0 || w.value >= 1000 {
		return nil
	}
	return lookup[(w.letter-'G')/('M'-'G')][int(w.value)]
}

// why says of well-known commands what they do, for those who look for theirs in vain.
var why = map[string]string{
	"M92": "it changes the steps of the motors", "M201": "it changes the machine's limits", "M203": "it changes the machine's limits", "M205": "it changes the machine's limits",
	"M206": "it moves the machine's origin", "M301": "it changes the heaters' control", "M303": "it tunes the heaters", "M304": "it changes the heaters' control",
	"M500": "it saves settings in the machine", "M501": "it loads settings", "M502": "it resets the machine's settings", "M504": "it checks saved settings",
	"M20": "it works on files in the machine", "M21": "it works on files in the machine", "M23": "it works on files in the machine", "M24": "it starts a file in the machine",
	"M28": "it writes a file in the machine", "M29": "it writes a file in the machine", "M30": "it deletes a file in the machine", "M32": "it starts a file in the machine", "M928": "it writes a file in the machine",
	"M42": "it switches pins of the board", "M108": "it ends a wait for heat", "M110": "it changes the numbering of lines", "M112": "it is the emergency stop",
	"M141": "it heats the chamber", "M191": "it heats the chamber", "M211": "it changes where the machine stops", "M280": "it moves a servo",
	"M302": "it allows cold extruding", "M665": "it changes the machine's geometry", "M666": "it changes the machine's geometry",
	"M851": "it changes the probe's offset", "M900": "it changes how filament is fed", "M906": "it changes the motors' current", "M997": "it loads firmware", "M999": "it restarts the machine",
}

// Fault is what is wrong with a line.
type Fault struct {
	// Code is the command, or empty where the form is wrong.
	Code string
	// What is the fault, to be said behind "line 7 ".
	What problem.Phrase
}

// Says is the fault with its command.
func (f *Fault) Says() problem.Phrase {
	if f.Code == "" {
		return f.What
	}
	return problem.Say("fault of a command", f.Code, f.What)
}

func form(code string, params ...any) *Fault { return &Fault{What: problem.Say(code, params...)} }

// Check looks at one line without its end. Empty lines and comments are well.
func Check(line []byte) *Fault {
	for _, c := range line {
		if (c < ' ' || c == 0x7f) && c != '\t' {
			return form("control character", int(c))
		}
	}
	text, _, _ := bytes.Cut(line, []byte{';'})
	text = bytes.TrimRight(text, " \t")
	if len(bytes.TrimLeft(text, " \t")) == 0 {
		return nil
	}
	if text[0] == ' ' || text[0] == '\t' {
		text = bytes.TrimLeft(text, " \t")
	}
	if len(text) == 1 && text[0] == '%' { // the mark of a program's ends
		return nil
	}
	return checkText(text)
}

func checkText(text []byte) *Fault {
	whole := text
	if i := bytes.LastIndexByte(text, '*'); i >= 0 && !isMessage(text) {
		sum, err := strconv.ParseUint(string(text[i+1:]), 10, 8)
		if err != nil || byte(sum) != Checksum(text[:i]) {
			return form("wrong checksum")
		}
		if text = bytes.TrimRight(text[:i], " \t"); len(text) == 0 {
			return form("checksum of nothing")
		}
	}
	w, rest, f := next(text)
	if f == nil && w.letter == 'N' && !w.bare {
		if text = bytes.TrimLeft(rest, " \t"); len(text) == 0 {
			return nil
		}
		w, rest, f = next(text)
	}
	if f != nil {
		return f
	}
	if w.letter == 'T' {
		switch {
		case w.bare || w.value < 0 || w.value != math.Trunc(w.value) || w.value > 63:
			return form("nozzle that is none")
		case len(rest) > 0:
			return form("something behind a change")
		}
		return nil
	}
	if w.letter != 'G' && w.letter != 'M' {
		if isWord(text) {
			return notAllowed(string(bytes.ToUpper(name(text))))
		}
		return form("no command", string(rune(w.letter)))
	}
	if w.bare {
		return form("command without a number")
	}
	l := find(w)
	switch {
	case l == nil:
		return notAllowed(fmt.Sprintf("%c%s", w.letter, strconv.FormatFloat(w.value, 'f', -1, 64)))
	case l.text:
		return nil
	case len(whole) > mostBytes:
		return form("line too long", mostBytes)
	}
	return l.rest(rest)
}

func notAllowed(code string) *Fault {
	if does := why[code]; does != "" {
		return &Fault{Code: code, What: problem.Say("command not allowed, for", problem.Say(does))}
	}
	return &Fault{Code: code, What: problem.Say("command not known")}
}

// rest looks at what follows a command.
func (l *letters) rest(rest []byte) *Fault {
	have := uint32(0)
	for len(rest) > 0 {
		w, after, f := next(rest)
		if f != nil {
			return f
		}
		rest = after
		bit := uint32(1) << (w.letter - 'A')
		switch {
		case l.may&bit == 0 && (w.letter == 'G' || w.letter == 'M' || w.letter == 'T'):
			return form("several commands")
		case l.may&bit == 0:
			return &Fault{Code: l.code, What: problem.Say("word not allowed", string(rune(w.letter)))}
		case w.bare && l.bare&bit == 0:
			return form("word without a number", string(rune(w.letter)))
		case have&bit != 0:
			return form("word twice", string(rune(w.letter)))
		}
		have |= bit
		if v, fixed := l.only[w.letter]; fixed && w.value != v {
			return &Fault{Code: l.code, What: problem.Say("value not allowed", string(rune(w.letter)), problem.Given(w.value), problem.Given(v))}
		}
		if w.letter == 'T' && l.code != "M204" && (w.value < 0 || w.value > 63 || w.value != math.Trunc(w.value)) {
			return form("nozzle that is none")
		}
	}
	return nil
}

type word struct {
	letter byte
	value  float64
	bare   bool
}

// next takes the first word of a text.
func next(text []byte) (word, []byte, *Fault) {
	c := text[0]
	if c == ' ' || c == '\t' {
		text = bytes.TrimLeft(text, " \t")
		c = text[0]
	}
	switch {
	case c >= 'A' && c <= 'Z':
	case c >= 'a' && c <= 'z':
		return word{}, nil, form("lower case")
	case c == '(' || c == ')':
		return word{}, nil, form("comment in brackets")
	case c == '/':
		return word{}, nil, form("line with a stroke")
	default:
		return word{}, nil, form("no word", string(rune(c)))
	}
	k := 1
	for k < len(text) && (text[k] >= '0' && text[k] <= '9' || text[k] == '.' || text[k] == '-' || text[k] == '+') {
		k++
	}
	if k == 1 {
		if len(text) > 1 && (text[1] == ' ' || text[1] == '\t') {
			if rest := bytes.TrimLeft(text, string(c)+" \t"); len(rest) > 0 && (rest[0] >= '0' && rest[0] <= '9' || rest[0] == '-' || rest[0] == '.') {
				return word{}, nil, form("blank before a number", string(rune(c)))
			}
		}
		return word{letter: c, bare: true}, trimmed(text[1:]), nil
	}
	v, ok := number(text[1:k])
	if !ok {
		return word{}, nil, form("number that cannot be read", string(rune(c)))
	}
	return word{letter: c, value: v}, trimmed(text[k:]), nil
}

func trimmed(b []byte) []byte {
	for len(b) > 0 && (b[0] == ' ' || b[0] == '\t') {
		b = b[1:]
	}
	return b
}

// mostDigits is how many digits are exact in a float64 whatever the point.
const mostDigits = 15

// number reads digits with a sign and a point.
func number(b []byte) (float64, bool) {
	whole, digits, point := 0.0, 0, -1
	for i, c := range b {
		switch {
		case c >= '0' && c <= '9':
			whole = 10*whole + float64(c-'0')
			digits++
		case c == '.' && point < 0:
			point = digits
		case i > 0 || c == '.':
			return 0, false
		}
	}
	if digits == 0 {
		return 0, false
	}
	if digits > mostDigits {
		v, err := strconv.ParseFloat(string(b), 64)
		return v, err == nil && !math.IsInf(v, 0)
	}
	if point >= 0 {
		whole /= powers[digits-point]
	}
	if b[0] == '-' {
		whole = -whole
	}
	return whole, true
}

var powers = [mostDigits + 1]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15}

// isWord says that a text begins with a name, as firmware with macros has them.
func isWord(text []byte) bool { return len(name(text)) > 1 && text[1] > '9' }

func name(text []byte) []byte {
	k := 0
	for k < len(text) && (text[k] >= 'A' && text[k] <= 'Z' || text[k] >= 'a' && text[k] <= 'z' || text[k] >= '0' && text[k] <= '9' || text[k] == '_') {
		k++
	}
	return text[:min(k, 40)]
}

// isMessage says that a line is one whose rest is text, in which a * is a letter.
func isMessage(text []byte) bool {
	return bytes.HasPrefix(text, []byte("M117")) && (len(text) == 4 || text[4] == ' ')
}

// Checksum is the XOR of the bytes before the *, as the line protocol of open
// firmware has it.
func Checksum(b []byte) byte {
	var x byte
	for _, c := range b {
		x ^= c
	}
	return x
}

// Heat is a temperature that a line asks for.
type Heat struct {
	Bed    bool
	Nozzle int // counted from 0; -1: the one in use
	C      float64
}

// HeatOf reads the heat that a line asks for; false if it asks for none.
func HeatOf(line []byte) (Heat, bool) {
	text, _, _ := bytes.Cut(line, []byte{';'})
	h := Heat{Nozzle: -1}
	head := true
	found := false
	for text = bytes.TrimLeft(text, " \t"); len(text) > 0; {
		w, rest, f := next(text)
		if f != nil {
			return h, false
		}
		text = rest
		switch {
		case head && w.letter == 'N':
			continue
		case head && w.letter == 'M' && (w.value == 104 || w.value == 109):
		case head && w.letter == 'M' && (w.value == 140 || w.value == 190):
			h.Bed = true
		case head:
			return h, false
		case w.letter == 'S' || w.letter == 'R':
			h.C, found = max(h.C, w.value), true
		case w.letter == 'T':
			h.Nozzle = int(w.value)
		}
		head = false
	}
	return h, found
}
