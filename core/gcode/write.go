package gcode

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"jobshelf/core/machine"
	"jobshelf/core/recipe"
	"jobshelf/core/toolpath"
)

// Job is what a program is written for.
type Job struct {
	Machine  *machine.Machine
	Recipe   recipe.Recipe
	Material *machine.Material
	// Facts are written at the top, one comment each: "job", "member", …
	Facts [][2]string
	// Slow is the share of its speed for each layer; nil is full speed.
	Slow []float64
	// Start and End are the house's blocks; {name} stands for a value: nozzle_c,
	// first_nozzle_c, bed_c, layers, top_mm. Empty ones are StartBlock and EndBlock.
	Start, End string
	// PlateXMM and PlateYMM are added to all places: where the part's origin is on
	// the machine's plate.
	PlateXMM, PlateYMM float64
}

// StartBlock and EndBlock are the common ones: heat, home; then heat off, up and
// away, motors off.
const (
	StartBlock = `G21
G90
M83
M140 S{bed_c}
M104 S{first_nozzle_c}
G28
M190 S{bed_c}
M109 S{first_nozzle_c}
G92 E0`
	EndBlock = `M104 S0
M140 S0
M107
G91
G1 Z5 F600
G90
M84`
)

// FillBlock puts values into a block. A name that is not known is an error.
func FillBlock(block string, values map[string]string) (string, error) {
	var out strings.Builder
	for {
		i := strings.IndexByte(block, '{')
		if i < 0 {
			out.WriteString(block)
			return out.String(), nil
		}
		j := strings.IndexByte(block[i:], '}')
		if j < 0 {
			return "", fmt.Errorf("a { has no }")
		}
		name := block[i+1 : i+j]
		v, ok := values[name]
		if !ok {
			names := make([]string, 0, len(values))
			for n := range values {
				names = append(names, n)
			}
			slices.Sort(names)
			return "", fmt.Errorf("there is no value {%s}; there are %s", name, strings.Join(names, ", "))
		}
		out.WriteString(block[:i])
		out.WriteString(v)
		block = block[i+j+1:]
	}
}

// Write writes a print as a program: facts, the start block, layer by layer with
// filament counted from move to move (M83), the end block. Places are rounded to
// a micrometre, filament to a hundredth of one; reading it back gives the same
// way, bounds and layers.
func Write(w io.Writer, p *toolpath.Print, j Job) error {
	r := j.Recipe.WithDefaults()
	num := func(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }
	top := 0.0
	if n := len(p.Layers); n > 0 {
		top = p.Layers[n-1].TopMM
	}
	values := map[string]string{"nozzle_c": num(r.NozzleC), "first_nozzle_c": num(r.FirstNozzleC), "bed_c": num(r.BedC),
		"layers": strconv.Itoa(len(p.Layers)), "top_mm": num(top)}
	start, end := j.Start, j.End
	if start == "" {
		start = StartBlock
	}
	if end == "" {
		end = EndBlock
	}
	start, err := FillBlock(start, values)
	if err != nil {
		return fmt.Errorf("start block: %w", err)
	}
	if end, err = FillBlock(end, values); err != nil {
		return fmt.Errorf("end block: %w", err)
	}
	b := bufio.NewWriterSize(w, 1<<18)
	for _, f := range j.Facts {
		fmt.Fprintf(b, "; %s: %s\n", oneLine(f[0]), oneLine(f[1]))
	}
	fmt.Fprintln(b, start)
	t := &writer{b: b, j: &j}
	layer, fan := -1, false
	kind := toolpath.Kind(255)
	p.Steps(r, j.Machine, j.Slow, func(s toolpath.Step) bool {
		if s.Layer != layer && s.Kind == toolpath.Lower {
			layer = s.Layer
			fmt.Fprintf(b, "; layer %d of %d, top at %s mm\n", layer+1, len(p.Layers), num(round(p.Layers[layer].TopMM)))
			if layer == 1 && r.NozzleC != r.FirstNozzleC {
				fmt.Fprintf(b, "M104 S%s\n", num(r.NozzleC))
			}
			if layer >= 2 && !fan && r.FanPercent > 0 {
				fan = true
				fmt.Fprintf(b, "M106 S%d\n", int(r.FanPercent*2.55+0.5))
			}
		}
		if s.Kind == toolpath.Lay && s.First && s.For != kind {
			kind = s.For
			fmt.Fprintf(b, "; %s\n", kind)
		}
		t.step(s)
		return true
	})
	fmt.Fprintln(b, end)
	if err := b.Flush(); err != nil { // a bufio.Writer keeps its first error
		return fmt.Errorf("write g-code: %w", err)
	}
	return nil
}

func round(v float64) float64 { return float64(int64(v*1000+0.5)) / 1000 }

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// writer writes steps, and each word only when it changes.
type writer struct {
	b    *bufio.Writer
	j    *Job
	num  []byte
	at   [3]int64 // µm
	feed int64    // mm/min
	eDue float64  // what rounding has held back of the filament
}

func (t *writer) step(s toolpath.Step) {
	switch s.Kind {
	case toolpath.Pause:
		_, _ = t.b.WriteString("M0\n")
		return
	case toolpath.Travel:
		t.num = append(t.num[:0], 'G', '0')
	default:
		t.num = append(t.num[:0], 'G', '1')
	}
	to := [3]int64{micron(s.X + t.j.PlateXMM), micron(s.Y + t.j.PlateYMM), micron(s.Z)}
	bare := len(t.num)
	if s.Kind == toolpath.Lay || s.Kind == toolpath.Travel || s.Kind == toolpath.Lift || s.Kind == toolpath.Lower {
		for k, letter := range [3]byte{'X', 'Y', 'Z'} {
			if to[k] != t.at[k] {
				t.num = append(t.num, ' ', letter)
				t.num = fixed(t.num, to[k], 3)
			}
		}
		t.at = to
	}
	if s.EMM != 0 {
		e := s.EMM + t.eDue
		tick := int64(e*1e5 + 0.5)
		if e < 0 {
			tick = -int64(-e*1e5 + 0.5)
		}
		t.eDue = e - float64(tick)/1e5
		if tick != 0 {
			t.num = append(t.num, ' ', 'E')
			t.num = fixed(t.num, tick, 5)
		}
	}
	if len(t.num) == bare {
		return // nothing moves, to the micrometre
	}
	if f := int64(s.MMPerS*60 + 0.5); f != t.feed {
		t.feed = f
		t.num = append(t.num, ' ', 'F')
		t.num = strconv.AppendInt(t.num, f, 10)
	}
	t.num = append(t.num, '\n')
	_, _ = t.b.Write(t.num)
}

func micron(mm float64) int64 {
	if mm < 0 {
		return -int64(-mm*1000 + 0.5)
	}
	return int64(mm*1000 + 0.5)
}

// fixed writes a number given in units of its last digit, without idle zeros.
func fixed(dst []byte, v int64, digits int) []byte {
	if v < 0 {
		dst = append(dst, '-')
		v = -v
	}
	unit := int64(1)
	for range digits {
		unit *= 10
	}
	dst = strconv.AppendInt(dst, v/unit, 10)
	frac := v % unit
	if frac == 0 {
		return dst
	}
	dst = append(dst, '.')
	for frac > 0 {
		unit /= 10
		dst = append(dst, byte('0'+frac/unit))
		frac %= unit
	}
	return dst
}
