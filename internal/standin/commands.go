package standin

import (
	"math"
	"slices"
	"strings"
)

type does func(p *Printer, w map[byte]float64, rest string, line int)

func nothing(*Printer, map[byte]float64, string, int) {}

var commands map[string]does

func init() {
	commands = map[string]does{
		"G0": straight, "G1": straight,
		"G2":  func(p *Printer, w map[byte]float64, _ string, line int) { arc(p, w, "clockwise", line) },
		"G3":  func(p *Printer, w map[byte]float64, _ string, line int) { arc(p, w, "", line) },
		"G4":  func(p *Printer, w map[byte]float64, _ string, _ int) { p.dwell(w['S']+w['P']/1000, nil) },
		"G20": nothing, "G21": nothing, "G17": nothing,
		"G28": func(p *Printer, w map[byte]float64, _ string, _ int) {
			p.dwell(p.m.WarmUp.HomingS, func() {
				for k := range 3 {
					if _, ok := w["XYZ"[k]]; ok || len(w) == 0 {
						p.want[k], p.mover.at[k] = 0, 0
					}
				}
			})
			p.warming = true
		},
		"G90": func(p *Printer, _ map[byte]float64, _ string, _ int) { p.relative, p.relE = false, false },
		"G91": func(p *Printer, _ map[byte]float64, _ string, _ int) { p.relative, p.relE = true, true },
		"M82": func(p *Printer, _ map[byte]float64, _ string, _ int) { p.relE = false },
		"M83": func(p *Printer, _ map[byte]float64, _ string, _ int) { p.relE = true },
		"G92": func(p *Printer, w map[byte]float64, _ string, _ int) { p.count(w) },
		"G10": nothing, "G11": nothing, "G12": nothing, "G27": nothing, "G29": nothing, "G34": nothing, "M76": nothing, "M116": nothing, "M300": nothing, "M486": nothing,
		"M0": pause, "M1": pause, "M600": pause,
		"M17": nothing, "M18": nothing, "M84": nothing, "M73": nothing, "M117": nothing, "M75": nothing, "M77": nothing, "M420": nothing, "M220": nothing, "M221": nothing,
		"M104": func(p *Printer, w map[byte]float64, _ string, _ int) { p.heat(w) },
		"M109": func(p *Printer, w map[byte]float64, _ string, _ int) {
			h := p.heat(w)
			p.warm(func() bool { return h.there() })
		},
		"M140": func(p *Printer, w map[byte]float64, _ string, _ int) {
			p.bed.to, p.idleS = asked(w, p.bed.to, p.m.BedMaxC), 0
		},
		"M190": func(p *Printer, w map[byte]float64, _ string, _ int) {
			p.bed.to = asked(w, p.bed.to, p.m.BedMaxC)
			p.warm(p.bed.there)
		},
		"M106": func(p *Printer, w map[byte]float64, _ string, _ int) { p.fan = w['S'] / 255 },
		"M107": func(p *Printer, _ map[byte]float64, _ string, _ int) { p.fan = 0 },
		"M204": func(p *Printer, w map[byte]float64, _ string, _ int) { p.accel = w['S'] + w['P'] },
		"M400": func(p *Printer, _ map[byte]float64, _ string, _ int) { p.until(func() bool { return !p.moving() }) },
		"M105": func(p *Printer, _ map[byte]float64, _ string, _ int) { p.withOK = " " + p.temperatures() },
		"M110": nothing,
		"M114": func(p *Printer, _ map[byte]float64, _ string, _ int) {
			p.say("X:%.2f Y:%.2f Z:%.2f E:%.2f", p.mover.at[0], p.mover.at[1], p.mover.at[2], p.mover.at[3])
		},
		"M115": func(p *Printer, _ map[byte]float64, _ string, _ int) {
			p.say("FIRMWARE_NAME:stand-in for %s", strings.ReplaceAll(p.m.Name, "\n", " "))
			p.say("Cap:AUTOREPORT_TEMP:1")
			p.say("Cap:SDCARD:1")
		},
		"M85":  func(p *Printer, w map[byte]float64, _ string, _ int) { p.idleOffS = math.Max(0, w['S']) },
		"M155": func(p *Printer, w map[byte]float64, _ string, _ int) { p.reportS, p.sinceS = math.Max(0, w['S']), 0 },
		"M20": func(p *Printer, _ map[byte]float64, _ string, _ int) {
			p.say("Begin file list")
			names := []string{}
			for name := range p.files {
				names = append(names, name)
			}
			slices.Sort(names)
			for _, name := range names {
				p.say("%s %d", name, len(p.files[name]))
			}
			p.say("End file list")
		},
		"M21": nothing, "M22": nothing,
		"M23": func(p *Printer, _ map[byte]float64, rest string, _ int) {
			name := strings.ToUpper(rest)
			text, ok := p.files[name]
			if !ok {
				p.say("open failed, File: %s.", rest)
				return
			}
			p.printing, p.paused = &job{name: name, text: text}, true
			p.say("File opened: %s Size: %d", name, len(text))
			p.say("File selected")
		},
		"M24": func(p *Printer, _ map[byte]float64, _ string, _ int) {
			if p.paused = false; p.printing != nil && p.printing.at == 0 {
				p.Printed = append(p.Printed, p.printing.name)
			}
		},
		"M25":  func(p *Printer, _ map[byte]float64, _ string, _ int) { p.paused = true },
		"M524": func(p *Printer, _ map[byte]float64, _ string, _ int) { p.printing = nil },
		"M27": func(p *Printer, _ map[byte]float64, rest string, _ int) {
			if rest == "C" {
				if p.printing != nil {
					p.say("Current file: %s", p.printing.name)
				}
				return
			}
			if p.printing == nil {
				p.say("Not SD printing")
				return
			}
			p.say("SD printing byte %d/%d", min(p.printing.at, len(p.printing.text)), len(p.printing.text))
		},
		"M28": func(p *Printer, _ map[byte]float64, rest string, _ int) {
			name := strings.ToUpper(rest)
			if name == "" || len(name) > 40 || strings.ContainsAny(name, " /\\") {
				p.say("open failed, File: %s.", rest)
				return
			}
			p.writing, p.files[name] = name, nil
			p.say("Writing to file: %s", name)
		},
		"M29": func(p *Printer, _ map[byte]float64, _ string, _ int) {
			if p.writing != "" {
				p.writing = ""
				p.say("Done saving file.")
			}
		},
		"M30": func(p *Printer, _ map[byte]float64, rest string, _ int) {
			delete(p.files, strings.ToUpper(rest))
			p.say("File deleted:%s", rest)
		},
	}
}

// pause waits for somebody: where it stands, until the file is told to go on.
func pause(p *Printer, _ map[byte]float64, _ string, _ int) {
	if p.printing == nil {
		return
	}
	p.paused = true
	p.waitFor("paused")
}

// dwell lets time pass once it stands.
func (p *Printer) dwell(s float64, then func()) {
	begun := false
	p.until(func() bool {
		if p.moving() {
			return false
		}
		if !begun {
			begun, p.dwellS = true, s
		}
		if p.dwellS > 0 {
			return false
		}
		if then != nil {
			then()
		}
		return true
	})
}

// asked is how warm something is to be by a command, between off and the most; as it was where none is said.
func asked(w map[byte]float64, was, most float64) float64 {
	s, one := w['S']
	r, other := w['R']
	if c := math.Max(s, r); (one || other) && !math.IsNaN(c) {
		return math.Min(math.Max(c, 0), most)
	}
	return was
}

// heat sets a nozzle's temperature.
func (p *Printer) heat(w map[byte]float64) *heater {
	n := p.nozzle
	if t, ok := w['T']; ok && t >= 0 && int(t) < len(p.nozzles) {
		n = int(t)
	}
	h := &p.nozzles[n]
	h.to = asked(w, h.to, h.mostC)
	p.idleS = 0
	h.lowestC, h.stuckS = h.c, 0
	return h
}

// count says where it is without moving: what counts is what is asked for from here on.
func (p *Printer) count(w map[byte]float64) {
	p.feedIn()
	for k := range p.want {
		v, ok := w["XYZE"[k]]
		if !ok {
			continue
		}
		by := v - p.want[k]
		p.want[k] = v
		// What is under way ends where it would, called otherwise.
		p.mover.at[k] += by
		for i := range p.mover.queue {
			p.mover.queue[i].from[k] += by
		}
		for i := range p.pending {
			p.pending[i].from[k], p.pending[i].to[k] = p.pending[i].from[k]+by, p.pending[i].to[k]+by
		}
	}
}

// to is where a command leads.
func (p *Printer) to(w map[byte]float64) [4]float64 {
	to := p.want
	for k := range to {
		v, ok := w["XYZE"[k]]
		if !ok || math.IsNaN(v) {
			continue
		}
		if relative := p.relative && k < 3 || p.relE && k == 3; relative {
			to[k] += v
		} else {
			to[k] = v
		}
	}
	if f, ok := w['F']; ok && f > 0 {
		p.feed = f / 60
	}
	return to
}

func straight(p *Printer, w map[byte]float64, _ string, line int) {
	to := p.to(w)
	p.move(p.want, to, line)
	p.want = to
}

// arcMM is how long the chords of an arc are.
const arcMM = 0.5

// arc goes round a middle, given by I and J from where it begins.
func arc(p *Printer, w map[byte]float64, rest string, line int) {
	from, to := p.want, p.to(w)
	cx, cy := from[0]+w['I'], from[1]+w['J']
	radius := math.Hypot(from[0]-cx, from[1]-cy)
	begin := math.Atan2(from[1]-cy, from[0]-cx)
	turn := math.Atan2(to[1]-cy, to[0]-cx) - begin
	_, _, clockwise := strings.Cut(" "+rest, " clockwise")
	if clockwise && turn >= -1e-9 {
		turn -= 2 * math.Pi
	} else if !clockwise && turn <= 1e-9 {
		turn += 2 * math.Pi
	}
	n := max(1, int(math.Abs(turn)*radius/arcMM))
	at := from
	for k := 1; k <= n; k++ {
		f := float64(k) / float64(n)
		sin, cos := math.Sincos(begin + turn*f)
		next := [4]float64{cx + radius*cos, cy + radius*sin, from[2] + (to[2]-from[2])*f, from[3] + (to[3]-from[3])*f}
		if k == n {
			next = to
		}
		p.move(at, next, line)
		at = next
	}
	p.want = to
}

// pending is a move that waits for room in the board's queue.
type pending struct {
	from, to    [4]float64
	feed, accel float64
	line        int
}

func (p *Printer) move(from, to [4]float64, line int) {
	p.pending = append(p.pending, pending{from, to, p.feed, p.accel, line})
	p.feedIn()
}

// feedIn moves what waits into the board's queue.
func (p *Printer) feedIn() {
	for len(p.pending) > 0 && !p.mover.full() {
		m := p.pending[0]
		p.pending = p.pending[1:]
		p.mover.add(m.from, m.to, m.feed, m.accel, m.line)
	}
}
