package gcode

import (
	"cmp"
	"context"
	"io"
	"math"
	"slices"

	"jobshelf/core/print/command"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/motion"
	"jobshelf/core/shape/problem"
)

// Summary is what a program would do.
type Summary struct {
	Lines int
	// Min and Max bound the middle of all lines that are extruded.
	Min, Max XYZ
	// RadiusMM is the farthest of them from the origin in the plane.
	RadiusMM float64
	// Layers are the heights at which lines are extruded, rising.
	Layers []Height
	// LayerMM is the height most layers have, FirstLayerMM that of the first.
	LayerMM, FirstLayerMM float64
	FilamentMM            float64 // net: fed less pulled back
	ByTool                []float64
	Seconds               float64 // length over feed, dwells and retractions; warm-up left out
	// SecondsOn is how long each of the machines asked for takes, by its limits; 0 for
	// one that does not move a nozzle.
	SecondsOn            []float64
	ExtrudedMM, TravelMM float64 // ways
	NozzleMaxC, BedMaxC  float64
	FirstMMPerS          float64 // fastest line of the first layer
	MaxMMPerS            float64 // fastest line of all
	ToolChanges          int
	Retractions          int
	Arcs                 int
	// NozzleEndC and BedEndC are what is asked of the heaters at the end.
	NozzleEndC, BedEndC float64
	// Nozzles is how hot each nozzle is asked to be at the most, counted from 0, °C.
	Nozzles []float64
	// Pauses counts the waits for somebody, HotPauses those with something heated.
	Pauses, HotPauses int
	// Commands counts every command but moves, by code, in order of the first.
	Commands []CommandCount
	// Faults are commands that no program may hold and lines that machines read
	// differently, each kind once, in order of the first.
	Faults []Fault
}

// Fault is a kind of fault, how often it is there, and where first.
type Fault struct {
	command.Fault
	Line  int
	Count int
}

// Height is a layer as a program has it: a height at which it extrudes.
type Height struct {
	ZMM, HeightMM float64
	FilamentMM    float64
}

// CommandCount says how often a command is there, and where first.
type CommandCount struct {
	Code  string
	Line  int
	Count int
}

const (
	maxLayers   = 200_000
	maxCommands = 500
	maxFaults   = 100
	longestS    = 3 * 365 * 86400 // longer than anything that is meant
)

// Read sums a program up, and times it for machines.
func Read(ctx context.Context, r io.Reader, size int64, progress func(float64), on ...*machine.Machine) (*Summary, error) {
	t := newTally(on)
	lines, err := Walk(ctx, r, size, Visitor{Move: t.move, Command: t.command, Text: t.text}, progress)
	if err != nil {
		return nil, err
	}
	return t.end(lines)
}

// tally is a summary while the program is read.
type tally struct {
	Summary
	by       map[int64]*Height // by height, µm
	present  *Height           // that the head lays; nil where there are too many
	presentZ int64             // its height, µm
	firstZ   float64
	counted  map[string]int // code: place in Commands
	faulty   map[string]int // code and fault: place in Faults
	nozzleC  map[int]float64
	tool     int
	pulled   bool // back, by the last move that fed
	runs     []run
}

func newTally(on []*machine.Machine) *tally {
	inf := math.Inf(1)
	t := &tally{Summary: Summary{Min: XYZ{inf, inf, inf}, Max: XYZ{-inf, -inf, -inf}}, by: map[int64]*Height{}, firstZ: inf,
		counted: map[string]int{}, faulty: map[string]int{}, nozzleC: map[int]float64{}, runs: make([]run, len(on))}
	for i := range on {
		t.runs[i].on(on[i])
	}
	return t
}

func (t *tally) move(m Move) {
	for i := range t.runs {
		t.runs[i].move(&m)
	}
	d := math.Sqrt((m.To.X-m.From.X)*(m.To.X-m.From.X) + (m.To.Y-m.From.Y)*(m.To.Y-m.From.Y) + (m.To.Z-m.From.Z)*(m.To.Z-m.From.Z))
	t.FilamentMM += m.EMM
	t.ByTool = upTo(t.ByTool, m.Tool)
	t.ByTool[m.Tool] += m.EMM
	way := d
	if d == 0 {
		way = math.Abs(m.EMM)
	}
	if m.MMPerS > 0 {
		t.Seconds += way / m.MMPerS
	}
	if m.Arc {
		t.Arcs++
	}
	if m.EMM < 0 && !t.pulled {
		t.Retractions++
	}
	if m.EMM != 0 {
		t.pulled = m.EMM < 0
	}
	if m.EMM > 0 && d != 0 {
		t.lay(&m, d)
	} else {
		t.TravelMM += d
	}
}

// lay counts a move of d mm that extrudes.
func (t *tally) lay(m *Move, d float64) {
	t.ExtrudedMM += d
	for _, p := range [2]XYZ{m.From, m.To} {
		t.Min = XYZ{math.Min(t.Min.X, p.X), math.Min(t.Min.Y, p.Y), math.Min(t.Min.Z, p.Z)}
		t.Max = XYZ{math.Max(t.Max.X, p.X), math.Max(t.Max.Y, p.Y), math.Max(t.Max.Z, p.Z)}
		t.RadiusMM = math.Max(t.RadiusMM, math.Hypot(p.X, p.Y))
	}
	z := int64(math.Round(m.To.Z * 1000))
	if t.present == nil || z != t.presentZ {
		t.presentZ = z
		t.present = t.by[z]
		if t.present == nil && len(t.by) < maxLayers {
			t.present = &Height{ZMM: float64(z) / 1000}
			t.by[z] = t.present
		}
	}
	if t.present != nil {
		t.present.FilamentMM += m.EMM
	}
	t.MaxMMPerS = math.Max(t.MaxMMPerS, m.MMPerS)
	if m.To.Z < t.firstZ-1e-4 {
		t.firstZ, t.FirstMMPerS = m.To.Z, 0
	}
	if m.To.Z <= t.firstZ+1e-4 {
		t.FirstMMPerS = math.Max(t.FirstMMPerS, m.MMPerS)
	}
}

func (t *tally) command(c Command) {
	code := c.Code()
	if i, ok := t.counted[code]; ok {
		t.Commands[i].Count++
	} else if len(t.Commands) < maxCommands {
		t.counted[code] = len(t.Commands)
		t.Commands = append(t.Commands, CommandCount{code, c.Line, 1})
	}
	value, has := c.Get('S')
	if !has {
		value, has = c.Get('R')
	}
	switch code {
	case "M104", "M109":
		if has {
			t.heat(c, value, code == "M109")
		}
	case "M140", "M190":
		if has {
			t.BedEndC = value
			t.BedMaxC = math.Max(t.BedMaxC, value)
			for i := range t.runs {
				t.runs[i].heat(0, value, t.ExtrudedMM > 0, code == "M190")
			}
		}
	case "M0", "M1", "M600":
		t.Pauses++
		if t.BedEndC > 0 || t.hottestC() > 0 {
			t.HotPauses++
		}
	case "G4":
		wait := value
		if p, ok := c.Get('P'); ok && !has {
			wait = p / 1000
		}
		t.Seconds += wait
		for i := range t.runs {
			t.runs[i].wait(wait)
		}
	}
	if c.Letter == 'T' {
		t.change(int(c.Number))
	}
}

// heat sets the nozzle that a command names, or the one in use, to c degrees.
func (t *tally) heat(by Command, c float64, wait bool) {
	of := t.tool
	if n, ok := by.Get('T'); ok && n >= 0 && n < 64 {
		of = int(n)
	}
	t.Nozzles = upTo(t.Nozzles, of)
	t.Nozzles[of] = math.Max(t.Nozzles[of], c)
	t.NozzleMaxC = math.Max(t.NozzleMaxC, c)
	t.nozzleC[of] = c
	for i := range t.runs {
		t.runs[i].heat(of+1, c, t.ExtrudedMM > 0, wait)
	}
}

func (t *tally) change(tool int) {
	if tool != t.tool {
		t.ToolChanges++
		for i := range t.runs {
			t.runs[i].wait(t.runs[i].m.ChangeS)
		}
	}
	t.tool = tool
}

func (t *tally) text(line int, text []byte) {
	f := command.Check(text)
	if f == nil {
		return
	}
	key := f.Code + " " + f.What.String()
	if i, ok := t.faulty[key]; ok {
		t.Faults[i].Count++
	} else if len(t.Faults) < maxFaults {
		t.faulty[key] = len(t.Faults)
		t.Faults = append(t.Faults, Fault{*f, line, 1})
	}
}

// end is the summary of a program of so many lines, or why it is none.
func (t *tally) end(lines int) (*Summary, error) {
	s := t.Summary // a copy, which keeps nothing else of the tally
	s.Lines, s.NozzleEndC = lines, t.hottestC()
	s.layers(t.by)
	for i := range t.runs {
		t.runs[i].wait(0)
		s.SecondsOn = append(s.SecondsOn, t.runs[i].seconds)
	}
	for _, sec := range append(s.SecondsOn, s.Seconds) {
		if !(sec <= longestS) {
			return nil, &Error{Line: s.Lines, What: problem.Text("The program would run for years, by its feeds, accelerations and waits"), Do: problem.Text(again)}
		}
	}
	if s.ExtrudedMM == 0 {
		return nil, &Error{Line: s.Lines, What: problem.Text("The program extrudes nothing"), Do: problem.Text(again)}
	}
	return &s, nil
}

// hottestC is how hot the hottest nozzle is set now; 0 if all are off.
func (t *tally) hottestC() float64 {
	hottest := 0.0
	for _, c := range t.nozzleC {
		hottest = math.Max(hottest, c)
	}
	return hottest
}

// upTo is v with zeros behind it until it has a figure for i.
func upTo(v []float64, i int) []float64 {
	for len(v) <= i {
		v = append(v, 0)
	}
	return v
}

// run is a machine at work on a program.
type run struct {
	m       *machine.Machine
	planner *motion.Planner
	seconds float64
	since   map[int]float64 // when a heater was turned on, by nozzle from 1, 0 the bed; none: off
}

// heat turns a heater on or off; wait is until it is as hot. What is heated before
// the first line is the warm-up, which is not the program's time.
func (r *run) heat(which int, c float64, begun, wait bool) {
	r.wait(0)
	since, on := r.since[which]
	switch {
	case c <= 0:
		delete(r.since, which)
		return
	case !on:
		since = r.seconds
		if !begun {
			since = math.Inf(-1) // warm by then
		}
		r.since[which] = since
	}
	if !wait || !begun {
		return
	}
	takes := r.m.HeatUpSeconds(c, 0)
	if which == 0 {
		takes = r.m.HeatUpSeconds(0, c)
	}
	r.wait(math.Max(0, takes-(r.seconds-since)))
}

func (r *run) on(m *machine.Machine) {
	r.m, r.since = m, map[int]float64{}
	r.planner = motion.New(m.Motion.Limits(), func(_ int64, s float64) { r.seconds += s })
}

// move takes a move at the feed it asks for, or as fast as the machine can.
func (r *run) move(m *Move) {
	if r.m.Motion.SpeedMMPerS <= 0 || r.m.Motion.AccelMMPerS2 <= 0 {
		return
	}
	r.planner.Add(motion.Move{DX: m.To.X - m.From.X, DY: m.To.Y - m.From.Y, DZ: m.To.Z - m.From.Z, EMM: m.EMM, MMPerS: m.MMPerS, AccelMMPerS2: m.MMPerS2})
}

func (r *run) wait(s float64) {
	r.planner.Flush()
	r.seconds += s
}

// layers orders the heights and finds the one most layers have, weighed by
// filament so that a priming line counts for little.
func (s *Summary) layers(by map[int64]*Height) {
	for _, l := range by {
		s.Layers = append(s.Layers, *l)
	}
	slices.SortFunc(s.Layers, func(a, b Height) int { return cmp.Compare(a.ZMM, b.ZMM) })
	weight := map[int64]float64{}
	below := 0.0
	for i := range s.Layers {
		l := &s.Layers[i]
		l.HeightMM = math.Round((l.ZMM-below)*1000) / 1000
		below = l.ZMM
		if i > 0 || len(s.Layers) == 1 {
			weight[int64(math.Round(l.HeightMM*1000))] += l.FilamentMM
		}
	}
	best := int64(0)
	for h, w := range weight {
		if w > weight[best] || w == weight[best] && h < best {
			best = h
		}
	}
	s.LayerMM = float64(best) / 1000
	if len(s.Layers) > 0 {
		s.FirstLayerMM = s.Layers[0].HeightMM
	}
}
