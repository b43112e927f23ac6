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
	// Pace is each layer's; nil is full speed.
	Pace []toolpath.Pace
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
	r := j.Recipe.WithDefaults()
	t := &writer{out: w, j: &j, buf: make([]byte, 0, writeAt+4096), accel: j.Machine.Motion.AccelMMPerS2}
	top := 0.0
	if n := len(p.Layers); n > 0 {
		top = p.Layers[n-1].TopMM
	}
	t.heats = r.Heats(j.Machine, j.Loaded)
	t.values = naming.Values{"bed_c": num(t.heats.Bed()), "layers": strconv.Itoa(len(p.Layers)), "top_mm": num(round(top)),
		"clear_mm": num(round(math.Max(top, math.Min(top+machine.ClearMM, cmp.Or(j.Machine.Volume.ZMM, math.Inf(1)))))),
		"minutes":  strconv.Itoa(naming.Minutes(j.Seconds)), "grams": strconv.FormatFloat(j.Grams, 'f', 1, 64), "machine": oneLine(j.Machine.Name),
		"material": oneLine(j.Loaded.Of(r.PieceNozzle).Name), "recipe": oneLine(r.Name), "layer": "0"}
	start, end, change := j.Machine.Dialect.Blocks()
	for _, f := range j.Facts {
		t.line("; %s: %s", oneLine(f[0]), oneLine(f[1]))
	}
	used, last := nozzles(p)
	first := p.FirstNozzle()
	at := first
	t.nozzle(first)
	t.line("G21")
	t.line("G90")
	if j.Machine.Dialect.AbsoluteE {
		t.line("M82")
	} else {
		t.line("M83")
	}
	for _, n := range used {
		if n != first {
			t.line("M104 T%d S%s", n, num(t.heats.At(int(n)+1, true)))
		}
	}
	if first != 0 || len(used) > 1 {
		t.line("T%d", first)
	}
	if err := t.block("start", start); err != nil {
		return err
	}
	if j.Machine.Dialect.AbsoluteE {
		t.line("G92 E0")
	}
	layer, fan := -1, false
	kind := toolpath.Kind(255)
	var failed error
	p.Steps(r, j.Machine, j.Pace, func(s toolpath.Step) bool {
		if s.Layer != layer && s.Kind == toolpath.Lower {
			layer = s.Layer
			t.values["layer"] = strconv.Itoa(layer + 1)
			t.line("; layer %d of %d, top at %s mm", layer+1, len(p.Layers), num(round(p.Layers[layer].TopMM)))
			if c := t.heats.At(1, false); layer == 1 && slices.Contains(used, 0) && c != t.heats.At(1, true) {
				of := ""
				if s.Nozzle != 0 {
					of = "T0 "
				}
				t.line("M104 %sS%s", of, num(c))
			}
			if layer >= 2 && !fan && r.FanPercent > 0 {
				fan = true
				t.line("M106 S%d", int(r.FanPercent*2.55+0.5))
			}
		}
		if s.Kind == toolpath.Lay && s.First && s.For != kind {
			kind = s.For
			t.line("; %s", kind)
		}
		if s.Kind == toolpath.Change {
			t.nozzle(s.Nozzle)
			if last[at] <= s.Layer { // it is done
				t.line("M104 T%d S0", at)
			}
			at = s.Nozzle
			if failed = t.block("change", change); failed != nil {
				return false
			}
			t.feed, t.at = 0, [3]int64{-1 << 40, -1 << 40, -1 << 40} // the block may have moved
			kind = 255
			return true
		}
		if s.Kind == toolpath.Pause {
			var hot []uint8
			for _, n := range used {
				if last[n] >= s.Layer {
					hot = append(hot, n)
				}
			}
			t.pause(hot, s)
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
	t.allOff(used)
	t.flush()
	if t.err != nil {
		return fmt.Errorf("write g-code: %w", t.err)
	}
	return nil
}

// allOff turns all heat off, whatever the house's own end block said.
func (t *writer) allOff(used []uint8) {
	many := len(t.j.Machine.NozzlesMM)
	for _, n := range used {
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
func (t *writer) pause(hot []uint8, s toolpath.Step) {
	first := s.Layer == 0
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
		for k := range p.Layers[i].Lines {
			last[p.Layers[i].Lines[k].Nozzle] = i
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

// writer writes steps, and each word only when it changes.
type writer struct {
	out    io.Writer
	err    error // the first of out
	buf    []byte
	j      *Job
	heats  recipe.Heats
	values naming.Values
	at     [3]int64 // µm
	feed   int64    // mm/min
	accel  float64  // mm/s²
	eFed   int64    // 10 nm of filament so far
	eDue   float64  // what rounding has held back of the filament, 10 nm
	run    []toolpath.Step
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

// nozzle sets what blocks call the nozzle in use.
func (t *writer) nozzle(n uint8) {
	t.values["nozzle"] = strconv.Itoa(int(n))
	t.values["nozzle_c"] = num(t.heats.At(int(n)+1, t.values["layer"] == "0" || t.values["layer"] == "1"))
	t.values["first_nozzle_c"] = num(t.heats.At(int(n)+1, true))
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
func (t *writer) step(s toolpath.Step) {
	if t.j.Machine.Dialect.Arcs && s.Kind == toolpath.Lay {
		if n := len(t.run); n > 0 && (s.First || s.MMPerS != t.run[n-1].MMPerS || n == arcMost) {
			t.settle()
		}
		t.run = append(t.run, s)
		return
	}
	t.settle()
	t.straight(s)
}

func (t *writer) straight(s toolpath.Step) {
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
	case toolpath.Wait:
		t.buf = fmt.Appendf(b, "G4 P%d\n", int(math.Round(1000*s.S)))
		return
	case toolpath.Travel:
		b = append(b, 'G', '0')
	default:
		b = append(b, 'G', '1')
	}
	bare := len(b)
	if s.Kind == toolpath.Lay || s.Kind == toolpath.Travel || s.Kind == toolpath.Lift || s.Kind == toolpath.Lower {
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
func (t *writer) speedUp(s toolpath.Step) {
	if s.Kind != toolpath.Lay && s.Kind != toolpath.Travel {
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
