// Package post turns a print into the program that a machine obeys: the words of RS-274/NGC
// (NIST IR 6556) in the machine's dialect, with the house's blocks about it.
//
// Write is all there is. What it writes, package gcode reads back as the same way, bounds and
// layers; every temperature in it comes from recipe.Heats, and all heat is off behind its end.
package post

import (
	"cmp"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/naming"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/polygon"
)

// Job is what a program is written for.
type Job struct {
	Machine *machine.Machine
	Recipe  recipe.Recipe
	Loaded  machine.Loaded
	// Facts are written at the top, one comment each: "job", "member", …
	Facts [][2]string
	// Cooling is each layer's; nil is full speed.
	Cooling []Cooling
	// Seconds and Grams are what the blocks may tell.
	Seconds, Grams float64
}

// Write writes a print as a program in the machine's dialect: facts, units and
// how filament is counted, the start block, layer by layer, the end block. Places
// are rounded to a micrometre, filament to a hundredth of one; reading it back
// gives the same way, bounds and layers. Further nozzles are heated before the
// start block, and turned off when they have laid their last. Whatever the end
// block says, all heat is turned off behind it. The errors are w's, or name a block
// that cannot be filled.
func Write(w io.Writer, p *toolpath.Print, j Job) error {
	t := newWriter(w, p, &j)
	start, end, change := j.Machine.Dialect.Blocks()
	t.head()
	if err := t.block("start", start); err != nil {
		return err
	}
	if j.Machine.Dialect.AbsoluteE {
		t.line("G92 E0")
	}
	var failed error
	Steps(p, t.recipe, j.Machine, j.Cooling, func(s Step) bool {
		if s.Kind == Lower && s.Layer != t.layer {
			t.lower(s)
		}
		if s.Kind == Lay && s.First && s.For != t.kind {
			t.kind = s.For
			t.line("; %s", t.kind)
		}
		switch s.Kind {
		case Change:
			failed = t.change(s, change)
			return failed == nil
		case Pause:
			t.pause(s)
			return true
		}
		t.step(s)
		return t.err == nil
	})
	if failed != nil {
		return failed
	}
	if err := t.block("end", end); err != nil {
		return err
	}
	t.allOff()
	t.flush()
	if t.err != nil {
		return fmt.Errorf("write g-code: %w", t.err)
	}
	return nil
}

// newWriter is a writer before the first line, with the values that blocks may name.
func newWriter(w io.Writer, p *toolpath.Print, j *Job) *writer {
	r := j.Recipe.WithDefaults()
	t := &writer{out: w, j: j, recipe: r, print: p, heats: r.Heats(j.Machine, j.Loaded, p.Nozzles()...), nozzle: p.FirstNozzle(),
		layer: -1, kind: noKind, buf: make([]byte, 0, writeAt+4096), accel: j.Machine.Motion.AccelMMPerS2}
	t.used, t.last = nozzles(p)
	top := 0.0
	if n := len(p.Layers); n > 0 {
		top = p.Layers[n-1].TopMM
	}
	clear := math.Max(top, math.Min(top+machine.ClearMM, cmp.Or(j.Machine.Volume.ZMM, math.Inf(1))))
	t.values = naming.Values{
		"bed_c": num(t.heats.Bed()), "layers": strconv.Itoa(len(p.Layers)), "layer": "0",
		"top_mm": num(round(top)), "clear_mm": num(round(clear)),
		"minutes": strconv.Itoa(naming.Minutes(j.Seconds)), "grams": strconv.FormatFloat(j.Grams, 'f', 1, 64),
		"machine": oneLine(j.Machine.Name), "recipe": oneLine(r.Name), "material": oneLine(j.Loaded.Of(int(p.FirstNozzle()) + 1).Name),
	}
	t.nameNozzle()
	return t
}

// head writes what comes before the start block: the facts, the units, and the heat of the
// nozzles that are not needed first.
func (t *writer) head() {
	for _, f := range t.j.Facts {
		t.line("; %s: %s", oneLine(f[0]), oneLine(f[1]))
	}
	t.line("G21")
	t.line("G90")
	if t.j.Machine.Dialect.AbsoluteE {
		t.line("M82")
	} else {
		t.line("M83")
	}
	for _, n := range t.used {
		if n != t.nozzle {
			t.line("M104 T%d S%s", n, num(t.heats.At(int(n)+1, true)))
		}
	}
	if t.nozzle != 0 || len(t.used) > 1 {
		t.line("T%d", t.nozzle)
	}
}

// lower begins a layer: the later heat comes with the second, the fan with the third.
func (t *writer) lower(s Step) {
	t.layer = s.Layer
	t.values["layer"] = strconv.Itoa(t.layer + 1)
	t.line("; layer %d of %d, top at %s mm", t.layer+1, len(t.print.Layers), num(round(t.print.Layers[t.layer].TopMM)))
	if c := t.heats.At(1, false); t.layer == 1 && slices.Contains(t.used, 0) && c != t.heats.At(1, true) {
		of := ""
		if s.Nozzle != 0 {
			of = "T0 "
		}
		t.line("M104 %sS%s", of, num(c))
	}
	if t.layer >= 2 && !t.fan && t.recipe.FanPercent > 0 {
		t.fan = true
		t.line("M106 S%d", int(t.recipe.FanPercent*2.55+0.5))
	}
}

// change goes on with another nozzle by the house's block. The one before is turned off
// where it has laid its last.
func (t *writer) change(s Step, block string) error {
	before := t.nozzle
	t.nozzle = s.Nozzle
	t.nameNozzle()
	if t.last[before] <= s.Layer {
		t.line("M104 T%d S0", before)
	}
	if err := t.block("change", block); err != nil {
		return err
	}
	t.feed, t.at = 0, [3]int64{-1 << 40, -1 << 40, -1 << 40} // the block may have moved
	t.kind = noKind
	return nil
}

// allOff turns all heat off, whatever the house's own end block said.
func (t *writer) allOff() {
	many := len(t.j.Machine.NozzlesMM)
	for _, n := range t.used {
		many = max(many, int(n)+1)
	}
	if many <= 1 {
		t.line("M104 S0")
	} else {
		for n := range many {
			t.line("M104 T%d S0", n)
		}
	}
	t.line("M140 S0")
}

// pause waits for somebody, with the nozzles that are still wanted off; the bed
// stays warm only where the machine would turn it off by itself. Then all warms up
// together.
func (t *writer) pause(s Step) {
	first := s.Layer == 0
	var hot []uint8
	for _, n := range t.used {
		if t.last[n] >= s.Layer {
			hot = append(hot, n)
		}
	}
	of := func(n uint8) string {
		if n == s.Nozzle {
			return ""
		}
		return fmt.Sprintf("T%d ", n)
	}
	bed := t.heats.Bed()
	coolBed := t.j.Machine.IdleOffS <= 0 && bed > 0
	t.line("; wait for somebody")
	for _, n := range hot {
		t.line("M104 %sS0", of(n))
	}
	if coolBed {
		t.line("M140 S0")
	}
	t.line("M0")
	if coolBed {
		t.line("M140 S%s", num(bed))
	}
	for _, n := range hot {
		t.line("M104 %sS%s", of(n), num(t.heats.At(int(n)+1, first)))
	}
	if coolBed {
		t.line("M190 S%s", num(bed))
	}
	for _, n := range hot {
		t.line("M109 %sS%s", of(n), num(t.heats.At(int(n)+1, first)))
	}
}

// nozzles lists those that lay something, rising, and the last layer of each.
func nozzles(p *toolpath.Print) (used []uint8, last [256]int) {
	for n := range last {
		last[n] = -1
	}
	for i := range p.Layers {
		for l := range p.Layers[i].Each {
			last[l.Nozzle] = i
		}
	}
	for n, l := range last {
		if l >= 0 {
			used = append(used, uint8(n))
		}
	}
	return used, last
}

func num(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

func round(v float64) float64 { return math.Round(v*1000) / 1000 }

// oneLine keeps what prints, in one line: nothing in it can be taken for a line end.
func oneLine(s string) string {
	return strings.Join(strings.Fields(strings.Map(func(r rune) rune {
		if unicode.IsSpace(r) {
			return ' '
		}
		if !unicode.IsPrint(r) {
			return -1
		}
		return r
	}, strings.ToValidUTF8(s, "?"))), " ")
}

// writeAt is how much is gathered before it is written.
const writeAt = 1 << 17

// noKind is of no line.
const noKind = toolpath.Kind(255)

// writer writes steps, and each word only when it changes.
type writer struct {
	out    io.Writer
	err    error // the first of out
	buf    []byte
	j      *Job
	recipe recipe.Recipe // the job's, with what it leaves open filled in
	print  *toolpath.Print
	used   []uint8  // nozzles
	last   [256]int // the last layer that each lays in
	heats  recipe.Heats
	values naming.Values
	nozzle uint8
	layer  int // -1 before the first
	fan    bool
	kind   toolpath.Kind // of the lines being written
	at     [3]int64      // µm
	feed   int64         // mm/min
	accel  float64       // mm/s²
	eFed   int64         // 10 nm of filament so far
	eDue   float64       // what rounding has held back of the filament, 10 nm
	run    []Step
}

// line writes a line of text, after what is pending.
func (t *writer) line(format string, args ...any) {
	t.settle()
	t.buf = fmt.Appendf(t.buf, format+"\n", args...)
}

func (t *writer) flush() {
	t.settle()
	if t.err == nil {
		_, t.err = t.out.Write(t.buf)
	}
	t.buf = t.buf[:0]
}

// nameNozzle sets what blocks call the nozzle in use.
func (t *writer) nameNozzle() {
	n := int(t.nozzle)
	t.values["nozzle"] = strconv.Itoa(n)
	t.values["nozzle_c"] = num(t.heats.At(n+1, t.layer < 1))
	t.values["first_nozzle_c"] = num(t.heats.At(n+1, true))
}

func (t *writer) block(which, text string) error {
	got, err := naming.Put(text, t.values)
	if err != nil {
		return fmt.Errorf("%s block: %w", which, err)
	}
	t.line("%s", strings.TrimSpace(got))
	return nil
}

// step writes a step, or keeps it to see whether it is part of an arc.
func (t *writer) step(s Step) {
	if t.j.Machine.Dialect.Arcs && s.Kind == Lay {
		if n := len(t.run); n > 0 && (s.First || s.MMPerS != t.run[n-1].MMPerS || n == arcMost) {
			t.settle()
		}
		t.run = append(t.run, s)
		return
	}
	t.settle()
	t.straight(s)
}

func (t *writer) straight(s Step) {
	if len(t.buf) > writeAt {
		if t.err == nil {
			_, t.err = t.out.Write(t.buf)
		}
		t.buf = t.buf[:0]
	}
	t.speedUp(s)
	b := t.buf
	start := len(b)
	switch s.Kind {
	case Wait:
		t.buf = fmt.Appendf(b, "G4 P%d\n", int(math.Round(1000*s.S)))
		return
	case Travel:
		b = append(b, 'G', '0')
	default:
		b = append(b, 'G', '1')
	}
	bare := len(b)
	if s.Kind == Lay || s.Kind == Travel || s.Kind == Lift || s.Kind == Lower {
		if v := polygon.UM(s.X); v != t.at[0] {
			b, t.at[0] = thousandths(append(b, ' ', 'X'), v), v
		}
		if v := polygon.UM(s.Y); v != t.at[1] {
			b, t.at[1] = thousandths(append(b, ' ', 'Y'), v), v
		}
		if v := polygon.UM(s.Z); v != t.at[2] {
			b, t.at[2] = thousandths(append(b, ' ', 'Z'), v), v
		}
	}
	if s.EMM != 0 {
		b = t.fed(b, s.EMM)
	}
	if len(b) == bare {
		t.buf = b[:start]
		return // nothing moves, to the micrometre
	}
	t.buf = append(t.fedAt(b, s.MMPerS), '\n')
}

// speedUp writes the acceleration where it changes.
func (t *writer) speedUp(s Step) {
	if s.Kind != Lay && s.Kind != Travel {
		return
	}
	a := t.j.Machine.Motion.AccelMMPerS2
	if s.MMPerS2 > 0 {
		a = math.Min(a, s.MMPerS2)
	}
	if a != t.accel && a > 0 {
		t.accel = a
		t.buf = fmt.Appendf(t.buf, "M204 S%s\n", num(math.Round(a)))
	}
}

func (t *writer) fed(b []byte, eMM float64) []byte {
	e := eMM*1e5 + t.eDue
	tick := int64(math.Floor(e + 0.5))
	t.eDue = e - float64(tick)
	t.eFed += tick
	if tick == 0 {
		return b
	}
	if t.j.Machine.Dialect.AbsoluteE {
		tick = t.eFed
	}
	return hundredThousandths(append(b, ' ', 'E'), tick)
}

func (t *writer) fedAt(b []byte, mmPerS float64) []byte {
	if f := int64(mmPerS*60 + 0.5); f != t.feed {
		t.feed = f
		b = strconv.AppendInt(append(b, ' ', 'F'), f, 10)
	}
	return b
}

// thousandths writes v/1000 without idle zeros.
func thousandths(dst []byte, v int64) []byte {
	if v < 0 {
		dst = append(dst, '-')
		v = -v
	}
	dst = whole(dst, uint64(v)/1000)
	f := uint64(v) % 1000
	if f == 0 {
		return dst
	}
	dst = append(dst, '.', byte('0'+f/100), byte('0'+f/10%10), byte('0'+f%10))
	return trimmed(dst)
}

// hundredThousandths writes v/100000 without idle zeros.
func hundredThousandths(dst []byte, v int64) []byte {
	if v < 0 {
		dst = append(dst, '-')
		v = -v
	}
	dst = whole(dst, uint64(v)/100_000)
	f := uint64(v) % 100_000
	if f == 0 {
		return dst
	}
	dst = append(dst, '.', byte('0'+f/10000), byte('0'+f/1000%10), byte('0'+f/100%10), byte('0'+f/10%10), byte('0'+f%10))
	return trimmed(dst)
}

func whole(dst []byte, v uint64) []byte {
	switch {
	case v < 10:
		return append(dst, byte('0'+v))
	case v < 100:
		return append(dst, byte('0'+v/10), byte('0'+v%10))
	case v < 1000:
		return append(dst, byte('0'+v/100), byte('0'+v/10%10), byte('0'+v%10))
	}
	return strconv.AppendUint(dst, v, 10)
}

func trimmed(dst []byte) []byte {
	for dst[len(dst)-1] == '0' {
		dst = dst[:len(dst)-1]
	}
	return dst
}
