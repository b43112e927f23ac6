// Package standin is a machine that is none: it speaks the line protocol, warms, moves, lays filament and keeps files as
// one does, by its own physics, on a clock that may run fast. It opens no line itself: Hear takes what is said to it, Run
// lets time pass.
package standin

import (
	"bytes"
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/wire"
)

// Options are what a stand-in is told beside its machine.
type Options struct {
	StorageBytes int64   // that its storage holds; 0: 64 MB
	NozzleLoss   float64 // 1/s; 0: the machine's
	BedLoss      float64
	SpoolMM      float64 // filament on its spool; 0: endless
}

// Printer is one. It is for one goroutine.
type Printer struct {
	m        *machine.Machine
	o        Options
	board    wire.Board
	mover    mover
	nozzles  []heater
	bed      heater
	nozzle   int
	waiting  func() bool // what the command before waits for; nil: nothing
	after    func()      // what is done then
	dwellS   float64
	toHost   []byte
	inbox    []string // commands of the host that wait for the one before
	files    map[string][]byte
	writing  string // a file that lines go to; empty: none
	printing *job
	paused   bool
	halted   string // why it stands still; empty: it does not
	want     [4]float64
	relative bool
	relE     bool
	feed     float64 // mm/s
	accel    float64
	fan      float64
	reportS  float64 // every so often temperatures; 0: only when asked
	sinceS   float64
	busyS    float64
	// What it has gone through, by its own clock.
	ClockS  float64
	WaitedS float64  // for heat and homing, within a file
	UsedMM  float64  // filament that went through nozzles forwards, less what was drawn back
	Printed []string // files that were started from their beginning
	withOK  string   // goes with the next ok
	warming bool     // what is waited for is heat or homing
	pending []pending
	camera  *camera
	// What goes wrong: it says nothing, late, between bytes of a bad line, or wants each line twice.
	mute    bool
	lateS   float64
	garbles bool
	resends bool
	refused bool
	// It turns its heat off by itself when nothing was to be done for so long; 0: never.
	idleOffS, idleS float64
	// What it waits for somebody for, in a file, and how long ago it has said so: whoever comes later hears it, too.
	waitsFor string
	saidS    float64
	// Time passes by whole moves, and has passed by so much more than it was to.
	whole bool
	overS float64
}

// job is a file that is printed.
type job struct {
	name string
	text []byte
	at   int
	line int
}

// New makes one, cold and switched on.
func New(m *machine.Machine, o Options) *Printer {
	p := &Printer{m: m, o: o, files: map[string][]byte{}, camera: newCamera(m.Volume)}
	if p.o.StorageBytes == 0 {
		p.o.StorageBytes = 64 << 20
	}
	v := m.Motion
	p.mover.limits = limits{v.AccelMMPerS2, v.JunctionDeviationMM, v.SpeedMMPerS, v.LiftMMPerS, v.LiftAccelMMPerS2, v.RestsInHeight}
	p.SwitchOn()
	return p
}

// SwitchOn starts it anew, as after the power was away or the line was opened: what it did is lost, files are kept.
func (p *Printer) SwitchOn() {
	cold := func(h heater, rate, loss, most float64) heater {
		return heater{c: cmp.Or(h.c, roomC), rate: rate, loss: loss, mostC: most, lowestC: cmp.Or(h.c, roomC)}
	}
	nozzles := make([]heater, max(1, len(p.m.NozzlesMM)))
	for k := range nozzles {
		was := heater{}
		if k < len(p.nozzles) {
			was = p.nozzles[k]
		}
		nozzles[k] = cold(was, p.m.WarmUp.NozzleCPerS, cmp.Or(p.o.NozzleLoss, p.m.WarmUp.NozzleLossPerS), p.m.NozzleMaxC)
	}
	p.nozzles, p.bed = nozzles, cold(p.bed, p.m.WarmUp.BedCPerS, cmp.Or(p.o.BedLoss, p.m.WarmUp.BedLossPerS), p.m.BedMaxC)
	p.board, p.nozzle, p.waiting, p.after, p.dwellS, p.inbox = wire.Board{}, 0, nil, nil, 0, nil
	p.writing, p.printing, p.paused, p.halted = "", nil, false, ""
	p.mover.queue, p.mover.speed, p.mover.done, p.pending = nil, 0, 0, nil
	p.relative, p.relE, p.feed, p.accel, p.fan, p.reportS = false, false, 20, 0, 0, 0
	p.idleOffS, p.idleS = p.m.IdleOffS, 0
	p.want = p.mover.at
	p.toHost = nil
	p.say("start")
}

func (p *Printer) say(format string, params ...any) {
	p.toHost = append(fmt.Appendf(p.toHost, format, params...), '\n')
}

// Said gives what it has said since it was asked last.
func (p *Printer) Said() []byte {
	out := p.toHost
	p.toHost = nil
	return out
}

// Hear takes what is said to it.
func (p *Printer) Hear(b []byte) {
	for _, a := range p.hear(b) {
		switch {
		case p.halted != "": // it hears nothing any more
		case a.Command == "":
			p.toHost = append(p.toHost, a.Answer...)
		case p.writing != "" && a.Command != "M29":
			p.write(a.Command)
		case a.Command == "M112": // at once, whatever waits
			p.halt("emergency stop")
		default:
			p.inbox = append(p.inbox, a.Command)
		}
	}
	p.obeyNext()
}

// hear is what its end of the line makes of bytes; where it asks for each line once more, it has not heard the first.
func (p *Printer) hear(b []byte) []wire.Act {
	if !p.resends {
		return p.board.In(b)
	}
	var out []wire.Act
	for line := range bytes.Lines(b) {
		if p.refused = !p.refused; p.refused && bytes.HasPrefix(line, []byte("N")) {
			line = append([]byte("?"), line...)
		}
		out = append(out, p.board.In(line)...)
	}
	return out
}

// write keeps a line of a file.
func (p *Printer) write(line string) {
	held := int64(0)
	for _, f := range p.files {
		held += int64(len(f))
	}
	if held+int64(len(line))+1 > p.o.StorageBytes {
		p.say("Error:error writing to file, the storage is full")
		delete(p.files, p.writing)
		p.writing = ""
	} else {
		p.files[p.writing] = append(append(p.files[p.writing], line...), '\n')
	}
	p.say("ok")
}

// obeyNext obeys what the host has asked for, as long as nothing is waited for.
func (p *Printer) obeyNext() {
	for len(p.inbox) > 0 && p.waiting == nil {
		c := p.inbox[0]
		if moves(c) && p.busy() { // there is no room for it yet
			return
		}
		p.inbox = p.inbox[1:]
		p.obey(c, 0)
		if p.waiting == nil {
			p.say("ok%s", p.withOK)
			p.withOK = ""
		} else {
			p.after = func() { p.say("ok") }
		}
	}
}

// busy says that there is no room for a move.
func (p *Printer) busy() bool { return p.mover.full() || len(p.pending) > 0 }

func moves(c string) bool {
	word, _, _ := strings.Cut(c, " ")
	return slices.Contains([]string{"G0", "G1", "G2", "G3"}, word)
}

// halt shuts everything down until it is switched on anew.
func (p *Printer) halt(why string) {
	p.halted = why
	for k := range p.nozzles {
		p.nozzles[k].to = 0
	}
	p.bed.to = 0
	p.mover.queue, p.mover.speed, p.mover.done, p.pending = nil, 0, 0, nil
	p.printing, p.inbox, p.waiting, p.after = nil, nil, nil, nil
	p.say("Error:%s, halted: switch it off and on", why)
}

// Run lets time pass, s by its own clock.
func (p *Printer) Run(s float64) {
	for range int(math.Round(s / stepS)) {
		p.pass(stepS)
	}
}

// leapS is how far apart heaters are looked at between whole moves.
const leapS = 0.25

// restS is how far apart a machine is looked at that is cold and does nothing.
const restS = 5

// Leap lets time pass as Run does, but by whole moves: a month goes by in minutes. The move that is under way when the
// time is over is finished; what that takes is taken off the next time.
func (p *Printer) Leap(s float64) {
	left := s - p.overS
	for left > 0 {
		d := leapS
		switch {
		case !p.mover.idle():
			d = p.mover.lastsS()
		case p.dwellS > 0:
			d = min(d, p.dwellS)
		case !p.hot() && p.waiting == nil && (p.printing == nil || p.paused):
			d = restS // nothing changes but what cools
		}
		p.whole = true
		p.pass(d)
		p.whole = false
		left -= d
	}
	p.overS = -left
}

// pass lets so much time pass: a small step, or as long as the next move takes.
func (p *Printer) pass(s float64) {
	p.ClockS += s
	for k := range p.nozzles {
		if !p.nozzles[k].pass(s) && p.halted == "" {
			p.halt("thermal runaway at a nozzle")
		}
	}
	if !p.bed.pass(s) && p.halted == "" {
		p.halt("thermal runaway at the bed")
	}
	if p.reportS > 0 {
		if p.sinceS += s; p.sinceS >= p.reportS {
			p.sinceS = 0
			p.say(" %s", p.temperatures())
		}
	}
	if p.halted != "" {
		return
	}
	p.rest(s)
	p.sayAgain(s)
	was := p.mover.at
	if p.whole {
		p.mover.finish()
	}
	p.feedIn()
	if !p.whole {
		p.mover.step()
	}
	if used := p.mover.at[3] - was[3]; used != 0 {
		p.UsedMM += used
		if used > 0 && (was[0] != p.mover.at[0] || was[1] != p.mover.at[1]) {
			p.camera.lay(was, p.mover.at)
		}
		if p.o.SpoolMM > 0 && p.UsedMM > p.o.SpoolMM && !p.paused {
			p.runOut()
		}
	}
	if p.dwellS > 0 {
		p.dwellS -= s
	}
	if p.waiting != nil {
		if p.printing != nil && p.warming && !p.moving() {
			p.WaitedS += s
		}
		if p.busyS += s; p.busyS >= 2 {
			p.busyS = 0
			p.say("echo:busy: processing")
		}
		if !p.waiting() {
			return
		}
		after := p.after
		p.waiting, p.after, p.busyS = nil, nil, 0
		if after != nil {
			after()
		}
	}
	p.fromFile()
	p.obeyNext()
}

// rest turns the heat off where nothing has been done for long: no file goes on, and nobody asks for a move or for heat.
func (p *Printer) rest(s float64) {
	if p.printing != nil && !p.paused || p.waiting != nil || p.moving() || p.writing != "" {
		p.idleS = 0
	}
	if p.idleS += s; p.idleOffS <= 0 || p.idleS < p.idleOffS || !p.hot() {
		return
	}
	for k := range p.nozzles {
		p.nozzles[k].to = 0
	}
	p.bed.to = 0
	p.say("echo:nothing to do for %g s, heat off", p.idleOffS)
}

// waitFor says what it waits for somebody for.
func (p *Printer) waitFor(what string) {
	p.waitsFor, p.saidS = what, 0
	p.say("//action:%s", what)
}

// sayAgain is every so often, for as long as it waits.
func (p *Printer) sayAgain(s float64) {
	const every = 5
	if !p.paused || p.printing == nil {
		p.waitsFor = ""
	}
	if p.saidS += s; p.waitsFor != "" && p.saidS >= every {
		p.waitFor(p.waitsFor)
	}
}

func (p *Printer) hot() bool {
	return p.bed.to > 0 || slices.ContainsFunc(p.nozzles, func(h heater) bool { return h.to > 0 })
}

func (p *Printer) moving() bool { return !p.mover.idle() || len(p.pending) > 0 }

// fromFile obeys the file that is printed, as far as there is room.
func (p *Printer) fromFile() {
	for p.printing != nil && !p.paused && p.waiting == nil && !p.busy() {
		j := p.printing
		if j.at >= len(j.text) {
			if p.moving() {
				return
			}
			p.printing = nil
			p.say("Done printing file")
			return
		}
		if line := p.next(); line != "" {
			p.obey(line, j.line)
		}
	}
}

// next takes a line off the file; empty where nothing is in it.
func (p *Printer) next() string {
	j := p.printing
	n := bytes.IndexByte(j.text[j.at:], '\n')
	if n < 0 {
		n = len(j.text) - j.at
	}
	line, _, _ := strings.Cut(string(j.text[j.at:j.at+n]), ";")
	j.at, j.line = j.at+n+1, j.line+1
	return strings.TrimSpace(line)
}

// mostNumber is more than anything that can be meant.
const mostNumber = 1e9

// words are a command's letters with their numbers.
func words(c string) map[byte]float64 {
	out := map[byte]float64{}
	for i, w := range strings.Fields(c) {
		if i == 0 {
			continue
		}
		if v, err := strconv.ParseFloat(w[1:], 64); err == nil {
			if math.Abs(v) < mostNumber { // nor is it what is no number at all
				out[w[0]] = v
			}
		} else if len(w) == 1 {
			out[w[0]] = math.NaN()
		}
	}
	return out
}

// obey does a command; where it has to be waited for, waiting says until when.
func (p *Printer) obey(c string, line int) {
	word, rest, _ := strings.Cut(c, " ")
	w := words(c)
	if do, ok := commands[word]; ok {
		do(p, w, strings.TrimSpace(rest), line)
		return
	}
	if len(word) > 1 && word[0] == 'T' {
		if n, err := strconv.Atoi(word[1:]); err == nil && n >= 0 && n < len(p.nozzles) {
			p.nozzle = n
			return
		}
	}
	p.say("echo:Unknown command: %q", c)
}

func (p *Printer) until(is func() bool) { p.waiting, p.warming = is, false }

// warm waits for heat, or homing.
func (p *Printer) warm(is func() bool) { p.waiting, p.warming = is, true }

func (p *Printer) temperatures() string {
	var b strings.Builder
	one := p.nozzles[p.nozzle]
	fmt.Fprintf(&b, "T:%.2f /%.2f B:%.2f /%.2f", one.c, one.to, p.bed.c, p.bed.to)
	if len(p.nozzles) > 1 {
		for k, h := range p.nozzles {
			fmt.Fprintf(&b, " T%d:%.2f /%.2f", k, h.c, h.to)
		}
	}
	return b.String()
}

// Asked is the most that anything of it is to be warm, °C; 0: all is off.
func (p *Printer) Asked() float64 {
	c := p.bed.to
	for _, h := range p.nozzles {
		c = math.Max(c, h.to)
	}
	return c
}

// Begin has it print a program from its storage, as if somebody had sent and started it before the line was opened, and
// puts it where it has read so many bytes of it: warm, and with all that lies on the bed by then. No time passes.
func (p *Printer) Begin(name string, program []byte, at int) {
	p.files[name] = program
	p.printing, p.paused = &job{name: name, text: program}, false
	for p.printing.at < min(at, len(program)-1) {
		line := p.next()
		if line == "" {
			continue
		}
		from := p.want
		p.obey(line, p.printing.line)
		if p.want[3] > from[3] && (p.want[0] != from[0] || p.want[1] != from[1]) {
			p.camera.lay(from, p.want)
		}
		p.UsedMM += p.want[3] - from[3]
		p.mover.queue, p.pending, p.mover.at = nil, nil, p.want
		p.waiting, p.after, p.dwellS, p.paused = nil, nil, 0, false
		for k := range p.nozzles {
			p.nozzles[k].c = math.Max(roomC, p.nozzles[k].to)
		}
		p.bed.c = math.Max(roomC, p.bed.to)
	}
	_ = p.Said()
}

// Prints is the file that it prints or waits in; empty: none.
func (p *Printer) Prints() string {
	if p.printing == nil {
		return ""
	}
	return p.printing.name
}

// Mend puts right all that has gone wrong: it is switched on anew.
func (p *Printer) Mend() {
	p.mute, p.lateS, p.garbles, p.resends = false, 0, false, false
	p.SwitchOn()
}

// Halted says that it has shut itself down.
func (p *Printer) Halted() bool { return p.halted != "" }

// Writes says that a file is being sent to it.
func (p *Printer) Writes() bool { return p.writing != "" }
