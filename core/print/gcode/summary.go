package gcode

import (
	"context"
	"io"
	"math"
	"slices"

	"jobshelf/core/print/command"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/motion"
)

// Summary is what a program would do.
type Summary struct {
	Lines int
	// Min and Max bound the middle of all lines that are extruded.
	Min, Max XYZ
	// RadiusMM is the farthest of them from the origin in the plane.
	RadiusMM float64
	// Layers are the heights at which lines are extruded, rising.
	Layers []Layer
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

// Layer is one height.
type Layer struct {
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
	inf := math.Inf(1)
	s := &Summary{Min: XYZ{inf, inf, inf}, Max: XYZ{-inf, -inf, -inf}}
	layers := map[int64]*Layer{}
	firstZ := inf
	var present *Layer
	var presentZ int64
	commands := map[string]int{}
	nozzle := map[int]float64{}
	faults := map[string]int{}
	tool := 0
	pulled := false
	runs := make([]run, len(on))
	for i := range on {
		runs[i].on(on[i])
	}
	v := Visitor{
		Move: func(m Move) {
			for i := range runs {
				runs[i].move(&m)
			}
			d := math.Sqrt((m.To.X-m.From.X)*(m.To.X-m.From.X) + (m.To.Y-m.From.Y)*(m.To.Y-m.From.Y) + (m.To.Z-m.From.Z)*(m.To.Z-m.From.Z))
			s.FilamentMM += m.EMM
			for len(s.ByTool) <= m.Tool {
				s.ByTool = append(s.ByTool, 0)
			}
			s.ByTool[m.Tool] += m.EMM
			way := d
			if d == 0 {
				way = math.Abs(m.EMM)
			}
			if m.MMPerS > 0 {
				s.Seconds += way / m.MMPerS
			}
			if m.Arc {
				s.Arcs++
			}
			if m.EMM < 0 && !pulled {
				s.Retractions++
			}
			if m.EMM != 0 {
				pulled = m.EMM < 0
			}
			if m.EMM <= 0 || d == 0 {
				s.TravelMM += d
				return
			}
			s.ExtrudedMM += d
			for _, p := range [2]XYZ{m.From, m.To} {
				s.Min = XYZ{math.Min(s.Min.X, p.X), math.Min(s.Min.Y, p.Y), math.Min(s.Min.Z, p.Z)}
				s.Max = XYZ{math.Max(s.Max.X, p.X), math.Max(s.Max.Y, p.Y), math.Max(s.Max.Z, p.Z)}
				s.RadiusMM = math.Max(s.RadiusMM, math.Hypot(p.X, p.Y))
			}
			z := int64(math.Round(m.To.Z * 1000))
			if present == nil || z != presentZ {
				presentZ = z
				present = layers[z]
				if present == nil && len(layers) < maxLayers {
					present = &Layer{ZMM: float64(z) / 1000}
					layers[z] = present
				}
			}
			if present != nil {
				present.FilamentMM += m.EMM
			}
			s.MaxMMPerS = math.Max(s.MaxMMPerS, m.MMPerS)
			if m.To.Z < firstZ-1e-4 {
				firstZ, s.FirstMMPerS = m.To.Z, 0
			}
			if m.To.Z <= firstZ+1e-4 {
				s.FirstMMPerS = math.Max(s.FirstMMPerS, m.MMPerS)
			}
		},
		Command: func(c Command) {
			code := c.Code()
			if i, ok := commands[code]; ok {
				s.Commands[i].Count++
			} else if len(s.Commands) < maxCommands {
				commands[code] = len(s.Commands)
				s.Commands = append(s.Commands, CommandCount{code, c.Line, 1})
			}
			value, has := c.Get('S')
			if !has {
				value, has = c.Get('R')
			}
			switch code {
			case "M104", "M109":
				if has {
					of := tool
					if t, ok := c.Get('T'); ok && t >= 0 && t < 64 {
						of = int(t)
					}
					for len(s.Nozzles) <= of {
						s.Nozzles = append(s.Nozzles, 0)
					}
					s.Nozzles[of] = math.Max(s.Nozzles[of], value)
					s.NozzleMaxC = math.Max(s.NozzleMaxC, value)
					nozzle[of] = value
					for i := range runs {
						runs[i].heat(of+1, value, s.ExtrudedMM > 0, code == "M109")
					}
				}
			case "M140", "M190":
				if has {
					s.BedEndC = value
					s.BedMaxC = math.Max(s.BedMaxC, value)
					for i := range runs {
						runs[i].heat(0, value, s.ExtrudedMM > 0, code == "M190")
					}
				}
			case "M0", "M1", "M600":
				s.Pauses++
				hot := s.BedEndC > 0
				for _, c := range nozzle {
					hot = hot || c > 0
				}
				if hot {
					s.HotPauses++
				}
			case "G4":
				wait := value
				if p, ok := c.Get('P'); ok && !has {
					wait = p / 1000
				}
				s.Seconds += wait
				for i := range runs {
					runs[i].wait(wait)
				}
			}
			if c.Letter == 'T' {
				if int(c.Number) != tool {
					s.ToolChanges++
					for i := range runs {
						runs[i].wait(runs[i].m.ChangeS)
					}
				}
				tool = int(c.Number)
			}
		},
	}
	v.Text = func(line int, text []byte) {
		f := command.Check(text)
		if f == nil {
			return
		}
		key := f.Code + " " + f.What
		if i, ok := faults[key]; ok {
			s.Faults[i].Count++
		} else if len(s.Faults) < maxFaults {
			faults[key] = len(s.Faults)
			s.Faults = append(s.Faults, Fault{*f, line, 1})
		}
	}
	var err error
	if s.Lines, err = Walk(ctx, r, size, v, progress); err != nil {
		return nil, err
	}
	for _, c := range nozzle {
		s.NozzleEndC = math.Max(s.NozzleEndC, c)
	}
	s.layers(layers)
	for i := range runs {
		runs[i].wait(0)
		s.SecondsOn = append(s.SecondsOn, runs[i].seconds)
	}
	for _, t := range append(s.SecondsOn, s.Seconds) {
		if !(t <= longestS) {
			return nil, &Error{Line: s.Lines, What: "The program would run for years, by its feeds, accelerations and waits", Do: again}
		}
	}
	if s.ExtrudedMM == 0 {
		return nil, &Error{Line: s.Lines, What: "The program extrudes nothing", Do: again}
	}
	return s, nil
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
	r.planner = motion.New(m.Motion.Limits(), func(_ int32, s float64) { r.seconds += s })
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
func (s *Summary) layers(by map[int64]*Layer) {
	for _, l := range by {
		s.Layers = append(s.Layers, *l)
	}
	slices.SortFunc(s.Layers, func(a, b Layer) int {
		if a.ZMM < b.ZMM {
			return -1
		}
		return 1
	})
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
