// Package stored is a program as a machine keeps it: which lines of it go into its storage, and, by how many bytes of
// them it has read, which layer it lays and how much of the time has gone.
package stored

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"sort"
	"strings"

	"jobshelf/core/print/command"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/motion"
)

// ErrEmpty is a program without a command.
var ErrEmpty = errors.New("the program has no command")

// Lines are what of a program is stored: its commands, one a line, each as package command allows it; comments stay here.
func Lines(program []byte) ([]string, error) {
	var out []string
	n := 0
	for text := range bytes.Lines(program) {
		n++
		text = bytes.TrimRight(text, "\r\n")
		if f := command.Check(text); f != nil {
			return nil, fmt.Errorf("line %d: %s", n, f.Says())
		}
		line, _, _ := strings.Cut(string(text), ";")
		if line = strings.TrimSpace(line); line != "" && line != "%" {
			out = append(out, line)
		}
	}
	if len(out) == 0 {
		return nil, ErrEmpty
	}
	return out, nil
}

// Program is one.
type Program struct {
	Lines  []string
	Bytes  int64   // of all lines, each with its end
	Layers int     // heights at which it lays
	Laying float64 // s, heat and homing left out
	first  int64   // where its first line that is laid ends
	marks  []mark
}

// mark is how far a program is where a layer begins, and now and then within it.
type mark struct {
	at      int64
	layer   int
	seconds float64
}

// Of reads a program: its time is that of a machine with these limits.
func Of(ctx context.Context, program []byte, limits motion.Limits) (*Program, error) {
	lines, err := Lines(program)
	if err != nil {
		return nil, err
	}
	p := &Program{Lines: lines, first: math.MaxInt64}
	ends := make([]int64, len(lines)+1) // where each line ends, by its number from 1
	var text bytes.Buffer
	for i, l := range lines {
		text.WriteString(l)
		text.WriteByte('\n')
		ends[i+1] = int64(text.Len())
	}
	p.Bytes = int64(text.Len())
	layerOf := map[int64]int{} // by the line with which one begins
	top := math.Inf(-1)
	since := 0
	done := func(line int64, seconds float64) {
		p.Laying += seconds
		if n, begins := layerOf[line]; begins || since >= marksEvery {
			since = 0
			if !begins && len(p.marks) > 0 {
				n = p.marks[len(p.marks)-1].layer
			}
			if k := len(p.marks); k > 0 && p.marks[k-1].at == ends[line] {
				p.marks[k-1] = mark{ends[line], n, p.Laying}
			} else {
				p.marks = append(p.marks, mark{ends[line], n, p.Laying})
			}
		}
		since++
	}
	planner := motion.New(limits, done)
	_, err = gcode.Walk(ctx, bytes.NewReader(text.Bytes()), 0, gcode.Visitor{
		Move: func(m gcode.Move) {
			d := [3]float64{m.To.X - m.From.X, m.To.Y - m.From.Y, m.To.Z - m.From.Z}
			if m.EMM > 0 && (d[0] != 0 || d[1] != 0) {
				if p.first == math.MaxInt64 {
					p.first = ends[m.Line]
				}
				if m.To.Z > top+newLayerMM {
					top = m.To.Z
					p.Layers++
					layerOf[int64(m.Line)] = p.Layers
				}
			}
			planner.Add(motion.Move{DX: d[0], DY: d[1], DZ: d[2], EMM: m.EMM, MMPerS: m.MMPerS, AccelMMPerS2: m.MMPerS2, Tag: int64(m.Line)})
		},
		Command: func(c gcode.Command) {
			if c.Code() != "G4" {
				return
			}
			planner.Flush()
			s, _ := c.Get('S')
			ms, _ := c.Get('P')
			done(int64(c.Line), math.Max(0, s+ms/1000))
		},
	}, nil)
	planner.Flush()
	return p, err
}

const (
	// newLayerMM is by how much higher something has to be laid to be another layer.
	newLayerMM = 0.03
	// marksEvery is after how many moves a place is marked within a layer.
	marksEvery = 50
)

// Lays says that a machine that has read so many bytes has begun to lay something.
func (p *Program) Lays(at int64) bool { return at >= p.first }

// At is which layer it lays, from 1, and which share of the time has gone, when so many bytes are read; 0: none yet.
func (p *Program) At(at int64) (layer int, share float64) {
	if p.Laying == 0 {
		return 0, 0
	}
	k := sort.Search(len(p.marks), func(i int) bool { return p.marks[i].at > at })
	if k == 0 {
		return 0, 0
	}
	m := p.marks[k-1]
	if at >= p.Bytes {
		return m.layer, 1
	}
	next := mark{p.Bytes, m.layer, p.Laying}
	if k < len(p.marks) {
		next = p.marks[k]
	}
	s := m.seconds
	if next.at > m.at {
		s += (next.seconds - m.seconds) * float64(at-m.at) / float64(next.at-m.at)
	}
	return m.layer, min(1, s/p.Laying)
}

// When is how many bytes are read when a share of the time has gone.
func (p *Program) When(share float64) int64 {
	return int64(sort.Search(int(p.Bytes), func(at int) bool {
		_, gone := p.At(int64(at))
		return gone >= share
	}))
}

// Name is what a program is called in a machine's storage: it carries the run.
func Name(run int64) string { return fmt.Sprintf("R%d.GCO", run) }

// Same says that a machine's name of a file is a run's, whatever it writes large or puts before it.
func Same(name string, run int64) bool {
	parts := strings.FieldsFunc(strings.ToUpper(strings.TrimSpace(name)), func(r rune) bool { return r == '/' || r == ' ' })
	return slices.Contains(parts, Name(run))
}
