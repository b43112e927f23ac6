// Package machine describes what a job is made on and of: machines with their
// build volume, nozzles, motion limits and warm-up, and materials.
package machine

import (
	"cmp"
	"fmt"
	"math"
	"net/url"
	"reflect"
	"slices"
	"strings"

	"jobshelf/core/print/command"
	"jobshelf/core/print/motion"
	"jobshelf/core/print/naming"
	"jobshelf/core/print/setting"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// Process is the way a machine works, by ISO/ASTM 52900.
type Process string

// The processes the house knows.
const (
	MaterialExtrusion Process = "material extrusion"
	VatPolymerization Process = "vat photopolymerization"
)

// Shape is the plate's.
type Shape string

// Plates are rectangles or discs.
const (
	Rectangle Shape = "rectangle"
	Round     Shape = "round"
)

// Volume is the room a machine builds in. On a round plate XMM is the diameter
// and YMM equals it.
type Volume struct {
	Shape Shape   `json:"shape" enum:"rectangle,round" doc:"Shape of the plate" name:"Plate"`
	XMM   float64 `json:"x_mm" minimum:"1" maximum:"5000" doc:"Width, or diameter of a round plate, mm" name:"Width, or diameter"`
	YMM   float64 `json:"y_mm" minimum:"1" maximum:"5000" doc:"Depth; the diameter again on a round plate, mm" name:"Depth"`
	ZMM   float64 `json:"z_mm" minimum:"1" maximum:"5000" doc:"Height, mm" name:"Height"`
}

// Motion is how fast a machine can move.
type Motion struct {
	SpeedMMPerS         float64 `json:"speed_mm_per_s" minimum:"1" maximum:"2000" doc:"Highest speed in the plane, mm/s" name:"Highest speed"`
	AccelMMPerS2        float64 `json:"accel_mm_per_s2" minimum:"10" maximum:"100000" doc:"Acceleration, mm/s²" name:"Acceleration"`
	JunctionDeviationMM float64 `json:"junction_deviation_mm" minimum:"0.001" maximum:"1" doc:"How far a corner may be rounded in the corner speed model, mm" name:"Junction deviation"`
	LiftMMPerS          float64 `json:"lift_mm_per_s" minimum:"0.5" maximum:"200" doc:"Speed in height, mm/s" name:"Speed in height"`
	LiftAccelMMPerS2    float64 `json:"lift_accel_mm_per_s2,omitempty" minimum:"0" maximum:"100000" doc:"Acceleration in height; 0: as in the plane, mm/s²" name:"Acceleration in height" unset:"the same"`
	RestsInHeight       bool    `json:"rests_in_height,omitempty" doc:"Comes to rest before and after a move in height; most machines go round the corner" name:"Rests before moves in height"`
}

// Limits are what a planner keeps to.
func (m Motion) Limits() motion.Limits {
	return motion.Limits{AccelMMPerS2: m.AccelMMPerS2, DeviationMM: m.JunctionDeviationMM, SpeedMMPerS: m.SpeedMMPerS,
		LiftMMPerS: m.LiftMMPerS, LiftAccelMMPerS2: m.LiftAccelMMPerS2, RestsInHeight: m.RestsInHeight}
}

// WarmUp is what happens before the first line.
type WarmUp struct {
	NozzleCPerS float64 `json:"nozzle_c_per_s" minimum:"0.01" maximum:"50" doc:"How fast the nozzle warms, °C/s" name:"Nozzle warms"`
	BedCPerS    float64 `json:"bed_c_per_s" minimum:"0.01" maximum:"20" doc:"How fast the bed warms, °C/s" name:"Bed warms"`
	// What it loses to the room, of what it is warmer: dT/dt = r − k(T − T₀).
	NozzleLossPerS float64 `json:"nozzle_loss_per_s,omitempty" minimum:"0" maximum:"0.2" doc:"Of what the nozzle is warmer than the room, how much it loses in a second; 0: nobody knows, 1/s" name:"Nozzle loses" unset:"not known"`
	BedLossPerS    float64 `json:"bed_loss_per_s,omitempty" minimum:"0" maximum:"0.2" doc:"Of what the bed is warmer than the room, how much it loses in a second; 0: nobody knows, 1/s" name:"Bed loses" unset:"not known"`
	HomingS        float64 `json:"homing_s" minimum:"0" maximum:"900" doc:"Homing and levelling, s" name:"Homing"`
}

// Machine is one of the house's. Resin machines have no nozzles or motion.
type Machine struct {
	Name         string      `json:"name" minLength:"1" maxLength:"60" name:"Name"`
	Address      string      `json:"address,omitempty" maxLength:"120" doc:"Where it stands, or its name on the network: for people to find it" name:"Address" unset:"not said"`
	Process      Process     `json:"process" enum:"material extrusion,vat photopolymerization"`
	InService    bool        `json:"in_service" doc:"Whether jobs may be queued on it" name:"In service"`
	Volume       Volume      `json:"volume"`
	NozzlesMM    []float64   `json:"nozzles_mm" maxItems:"8" doc:"Nozzle diameters, mm" name:"Nozzles" of:"extrusion"`
	FilamentMM   float64     `json:"filament_mm" minimum:"0" maximum:"5" doc:"Filament diameter, mm" name:"Filament thickness" of:"extrusion"`
	NozzleMaxC   float64     `json:"nozzle_max_c" minimum:"0" maximum:"600" doc:"Hottest nozzle, °C" name:"Nozzle at most" of:"extrusion"`
	BedMaxC      float64     `json:"bed_max_c" minimum:"0" maximum:"250" doc:"Hottest bed, °C" name:"Bed at most" of:"extrusion"`
	Motion       Motion      `json:"motion" of:"extrusion"`
	WarmUp       WarmUp      `json:"warm_up" of:"extrusion"`
	RateCents    units.Cents `json:"rate_cents_per_hour" minimum:"0" maximum:"100000" doc:"Price of an hour, cents" name:"Price of an hour"`
	Material     string      `json:"material" maxLength:"60" doc:"What is loaded" name:"Loaded material"`
	Colour       string      `json:"colour" pattern:"^#[0-9A-Fa-f]{6}$" doc:"Colour of what is loaded" name:"Shown as"`
	ColourName   string      `json:"colour_name" maxLength:"40" name:"Loaded colour"`
	Second       NozzleLoad  `json:"second" doc:"What the second nozzle is loaded with, where there is one" of:"two nozzles"`
	ChangeS      float64     `json:"change_s" minimum:"0" maximum:"600" doc:"How long a change of nozzle takes, s" name:"A change of nozzle takes" of:"two nozzles"`
	IdleOffS     float64     `json:"idle_off_s,omitempty" minimum:"0" maximum:"86400" doc:"After how long without a command the machine turns its heat off by itself; 0: never, s" name:"Heat off by itself" of:"extrusion" unset:"never"`
	WornHours    float64     `json:"worn_hours,omitempty" minimum:"0" maximum:"100000" doc:"Spots of the bed on which runs lay so long are kept free; 0: none, h" name:"Bed is worn after" of:"extrusion" unset:"never"`
	SpreadWear   bool        `json:"spread_wear,omitempty" doc:"Plates are laid where least has lain on the bed" name:"Spread wear over the bed" of:"extrusion"`
	LeastMM      float64     `json:"least_mm,omitempty" minimum:"0" maximum:"50" doc:"Parts are looked at for places that are thinner than this; 0: a line is thick enough, mm" name:"Thinnest that comes out" of:"extrusion" unset:"a line"`
	MeltsMM3PerS float64     `json:"melts_mm3_per_s,omitempty" minimum:"0" maximum:"200" doc:"How much its nozzle melts at a material's usual temperature; 0: nobody knows, mm³/s" name:"Melts at most" of:"extrusion" unset:"not known"`
	Dialect      Dialect     `json:"dialect" of:"extrusion"`
	Line         string      `json:"line,omitempty" maxLength:"120" doc:"Where it is spoken with: host:port, or /dev/NAME:BAUD on the computer that drives it; empty: people tell what it does" name:"Line" unset:"none" of:"extrusion"`
	Resets       bool        `json:"resets,omitempty" doc:"Its board starts anew when its serial port is opened" name:"Opening the port resets it" of:"extrusion"`
	Camera       string      `json:"camera,omitempty" maxLength:"200" doc:"Where a picture of its bed is fetched: http://host:port/path" name:"Camera" unset:"none"`
	Care         string      `json:"care,omitempty" maxLength:"200" doc:"What hands have to know before it is started" name:"Take care" unset:"nothing said"`
	ChangeGrams  float64     `json:"change_grams,omitempty" minimum:"0" maximum:"200" doc:"What is pushed through a nozzle when other filament is loaded, g" name:"Lost at a change"`
}

// checkLine says what cannot be right about where it is spoken with and seen.
func (m *Machine) checkLine(bad func(field, code string, params ...any)) {
	if m.Line != "" && !strings.HasPrefix(m.Line, "/dev/") {
		if u, err := url.Parse("tcp://" + m.Line); err != nil || u.Hostname() == "" || u.Port() == "" || u.Host != m.Line {
			bad("line", "no such line", m.Line)
		}
	}
	if m.Camera == "" {
		return
	}
	if u, err := url.Parse(m.Camera); err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil {
		bad("camera", "no such camera", m.Camera)
	}
}

// meltsPerC is by how much more a nozzle melts for each degree above a material's usual temperature, and less below
// (common practice, no source).
const meltsPerC = 0.01

// MeltsAt is how much its nozzle melts of a material at a temperature, mm³/s; 0: nobody knows.
func (m *Machine) MeltsAt(of *Material, c float64) float64 {
	return m.MeltsMM3PerS * math.Max(0, 1+meltsPerC*(c-of.NozzleC))
}

// NozzleLoad is what a further nozzle is loaded with.
type NozzleLoad struct {
	Material   string `json:"material" maxLength:"60" name:"In nozzle 2: material"`
	ColourName string `json:"colour_name" maxLength:"40" name:"In nozzle 2: colour"`
}

// Dialect is how programs for a machine are written.
type Dialect struct {
	// Start, End and Change are blocks of commands with named values; empty ones are
	// StartBlock, EndBlock and ChangeBlock.
	Start     string `json:"start" maxLength:"4000" doc:"Commands before a print; empty: the common ones" name:"Before a print"`
	End       string `json:"end" maxLength:"4000" doc:"Commands after a print; empty: the common ones" name:"After a print"`
	Change    string `json:"change" maxLength:"4000" doc:"Commands that change the nozzle; empty: the common ones" name:"To change the nozzle" of:"two nozzles"`
	Arcs      bool   `json:"arcs" doc:"Understands arcs (G2, G3)" name:"Understands arcs"`
	AbsoluteE bool   `json:"absolute_e" doc:"Counts filament from the start (M82), not from move to move (M83)" name:"Filament from the start (M82)"`
}

// The common blocks: heat, home; then heat off, up and away, motors off. Units,
// absolute places and the way filament is counted are set before the start block.
const (
	StartBlock = `M140 S{bed_c}
M104 S{first_nozzle_c}
G28
M190 S{bed_c}
M109 S{first_nozzle_c}
G92 E0`
	EndBlock = `M104 S0
M140 S0
M107
G1 Z{clear_mm} F600
M84`
	ChangeBlock = `T{nozzle}
M109 S{nozzle_c}`
)

// ClearMM is how far the common end block lifts the nozzle off a print, where the
// machine is high enough (common practice, no source).
const ClearMM = 5

// BlockNames are the values that a block may name. {nozzle} counts from 0, as
// machines do; {clear_mm} is a height at which the nozzle stands clear of the print.
var BlockNames = []string{"nozzle", "nozzle_c", "first_nozzle_c", "bed_c", "layers", "top_mm", "clear_mm", "minutes", "grams", "machine", "material", "recipe", "layer"}

// Blocks gives the three blocks in force.
func (d Dialect) Blocks() (start, end, change string) {
	return cmp.Or(d.Start, StartBlock), cmp.Or(d.End, EndBlock), cmp.Or(d.Change, ChangeBlock)
}

// Settings lists what can be set of a machine.
func Settings() []setting.Setting {
	all := setting.Of(reflect.TypeFor[Machine]())
	common := map[string]string{"dialect.start": StartBlock, "dialect.end": EndBlock, "dialect.change": ChangeBlock}
	for i := range all {
		if block := common[all[i].Key]; block != "" {
			all[i].Unset, all[i].Values = block, BlockNames
		}
	}
	return all
}

// MaterialSettings lists what can be set of a material.
func MaterialSettings() []setting.Setting { return setting.Of(reflect.TypeFor[Material]()) }

// Validate lists what cannot be right about a machine.
func (m *Machine) Validate() []problem.Problem {
	var out []problem.Problem
	bad := func(field, code string, params ...any) {
		out = append(out, problem.Problem{Field: field, Phrase: problem.Say(code, params...)})
	}
	if strings.TrimSpace(m.Name) == "" {
		bad("name", "machine without a name")
	}
	if m.Volume.Shape == Round && m.Volume.XMM != m.Volume.YMM {
		bad("volume.y_mm", "round plate", problem.Given(m.Volume.XMM))
	}
	m.checkLine(bad)
	if w := m.WarmUp; w.NozzleLossPerS*(m.NozzleMaxC-roomC) >= w.NozzleCPerS && w.NozzleLossPerS > 0 {
		bad("warm_up.nozzle_loss_per_s", "never so warm", problem.Given(m.NozzleMaxC))
	}
	if w := m.WarmUp; w.BedLossPerS*(m.BedMaxC-roomC) >= w.BedCPerS && w.BedLossPerS > 0 {
		bad("warm_up.bed_loss_per_s", "never so warm", problem.Given(m.BedMaxC))
	}
	if m.Process != MaterialExtrusion {
		return out
	}
	if len(m.NozzlesMM) == 0 {
		bad("nozzles_mm", "machine without a nozzle")
	}
	for _, b := range []struct{ field, text string }{{"dialect.start", m.Dialect.Start}, {"dialect.end", m.Dialect.End}, {"dialect.change", m.Dialect.Change}} {
		if wrong, well := naming.Check(b.text, BlockNames); !well {
			bad(b.field, "block", wrong)
			continue
		}
		m.checkBlock(b.field, b.text, bad)
	}
	for i, d := range m.NozzlesMM {
		if d < 0.1 || d > 2 {
			bad(fmt.Sprintf("nozzles_mm[%d]", i), "nozzle size", problem.Given(d))
		}
	}
	if m.FilamentMM < 1 || m.FilamentMM > 4 {
		bad("filament_mm", "filament size", problem.Given(m.FilamentMM))
	}
	return out
}

// checkBlock holds the house's own commands to what any program may hold.
func (m *Machine) checkBlock(field, text string, bad func(field, code string, params ...any)) {
	values := naming.Values{}
	for _, n := range BlockNames {
		values[n] = "0"
	}
	full, err := naming.Put(text, values)
	if err != nil {
		return // told already
	}
	for i, line := range strings.Split(full, "\n") {
		line = strings.TrimRight(line, "\r")
		if f := command.Check([]byte(line)); f != nil {
			bad(field, "line of a block", i+1, f.Says())
		}
		if first, _, _ := strings.Cut(strings.TrimSpace(line), " "); field == "dialect.end" && slices.Contains([]string{"M0", "M1", "M600"}, first) {
			bad(field, "block waits with the heat on", i+1)
		}
		if h, ok := command.HeatOf([]byte(line)); ok {
			limit, what := m.NozzleMaxC, "the nozzle"
			if h.Bed {
				limit, what = m.BedMaxC, "the bed"
			}
			if h.C > limit {
				bad(field, "block too hot", i+1, problem.Given(h.C), problem.Say(what), problem.Given(limit))
			}
			if h.Nozzle >= len(m.NozzlesMM) {
				bad(field, "block heats a nozzle that is none", i+1, h.Nozzle)
			}
		}
	}
}

// WarmUpSeconds is the time from cold (20 °C) to the first line, as the start block in force has it: nozzle and bed warm
// while the machine homes where they are turned on before, and it waits where the block does.
func (m *Machine) WarmUpSeconds(nozzleC, bedC float64) float64 {
	if m.Process != MaterialExtrusion {
		return 0
	}
	const never = -1.0
	takes := [2]float64{m.HeatUpSeconds(nozzleC, 0), m.HeatUpSeconds(0, bedC)}
	since, s, homed := [2]float64{never, never}, 0.0, false
	start, _, _ := m.Dialect.Blocks()
	for line := range strings.Lines(start) {
		code, _, _ := strings.Cut(strings.TrimSpace(line), " ")
		switch code {
		case "M104", "M109", "M140", "M190":
			k := 0
			if code == "M140" || code == "M190" {
				k = 1
			}
			if since[k] == never {
				since[k] = s
			}
			if code == "M109" || code == "M190" {
				s = math.Max(s, since[k]+takes[k])
			}
		case "G28", "G29":
			if !homed { // levelling is counted with it
				homed, s = true, s+m.WarmUp.HomingS
			}
		}
	}
	for k := range takes { // what the block does not wait for is waited for behind it
		s = math.Max(s, math.Max(since[k], 0)+takes[k])
	}
	return s
}

// roomC is how cold a machine gets, °C.
const roomC = 20

// HeatUpSeconds is the time from cold to both temperatures, warming together; 0 °C
// leaves one out.
func (m *Machine) HeatUpSeconds(nozzleC, bedC float64) float64 {
	w := m.WarmUp
	return math.Max(warmIn(nozzleC, w.NozzleCPerS, w.NozzleLossPerS), warmIn(bedC, w.BedCPerS, w.BedLossPerS))
}

// warmIn is how long something takes from the room's temperature to c, that warms by r in a second when cold and loses k
// of what it is warmer: −ln(1 − k(T − T₀)/r)/k, and (T − T₀)/r without loss. What never comes there takes a day.
func warmIn(c, r, k float64) float64 {
	by := c - roomC
	switch {
	case by <= 0 || r <= 0:
		return 0
	case k*by < 1e-6*r:
		return by / r
	case k*by >= r:
		return 86_400
	}
	return math.Min(86_400, -math.Log(1-k*by/r)/k)
}

// Fit is whether a part goes into a volume, turned about the vertical.
type Fit struct {
	Fits    bool
	FootMM  [2]float64 // what it takes of the plate, turned so
	TurnDeg float64    // the turn it is about; 0 if the part fits as it stands
	OverMM  [3]float64 // by how much it is too large in X, Y, Z at that turn
	Scale   float64    // the largest scale, at most 1, at which it would fit
}

// slackMM is how much a part may be over and still fit: the grid that outlines
// are held on.
const slackMM = 0.001

// FitIn tries a footprint (any points whose hull is the part's shadow, µm) and a
// height in v, standing as it is first, then turned. Where nothing fits it tells
// the turn with the least sum of what is missing.
func (v Volume) FitIn(shadow []polygon.Point, heightMM float64) Fit {
	overZ := math.Max(0, heightMM-v.ZMM)
	scaleZ := 1.0
	if heightMM > 0 {
		scaleZ = math.Min(1, v.ZMM/heightMM)
	}
	if v.Shape == Round {
		d := 2 * polygon.EnclosingCircle(shadow).RadiusMM
		over := math.Max(0, d-v.XMM)
		x, y := extent(polygon.Hull(shadow), 0)
		f := Fit{FootMM: [2]float64{x, y}, OverMM: [3]float64{over, over, overZ}, Scale: scaleZ}
		if d > v.XMM {
			f.Scale = math.Min(f.Scale, v.XMM/d)
		}
		return f.settle()
	}
	hull := polygon.Hull(shadow)
	best := Fit{Scale: 0}
	least := math.Inf(1)
	scale := 0.0
	for _, deg := range turns(hull) {
		x, y := extent(hull, deg)
		s := scaleZ
		if x > 0 {
			s = math.Min(s, v.XMM/x)
		}
		if y > 0 {
			s = math.Min(s, v.YMM/y)
		}
		scale = math.Max(scale, s)
		f := Fit{TurnDeg: deg, FootMM: [2]float64{x, y}, OverMM: [3]float64{math.Max(0, x-v.XMM), math.Max(0, y-v.YMM), overZ}}
		// A turn must better the ones before it by more than rounding.
		if sum := f.OverMM[0] + f.OverMM[1]; sum < least-slackMM {
			best, least = f, sum
		}
		if least <= slackMM {
			break
		}
	}
	if least > slackMM {
		if deg, ok := turnInto(hull, v.XMM, v.YMM); ok {
			x, y := extent(hull, deg)
			best = Fit{TurnDeg: deg, FootMM: [2]float64{x, y}, OverMM: [3]float64{math.Max(0, x-v.XMM), math.Max(0, y-v.YMM), overZ}}
			scale = scaleZ
		} else {
			// Between a turn that was tried and all turns lies less than a per cent.
			for low, high := scale, math.Min(scaleZ, 1); high-low > 1e-6; {
				mid := (low + high) / 2
				if _, ok := turnInto(hull, v.XMM/mid, v.YMM/mid); ok {
					low, scale = mid, mid
				} else {
					high = mid
				}
			}
		}
	}
	best.Scale = scale
	return best.settle()
}

// turnInto finds a turn about the vertical, degrees, at which a convex hull (µm) is no wider than xMM
// and no deeper than yMM. Exactly: between two turns at which an edge lies along an axis the same four
// corners are outermost, width and depth are each R·cos(θ + ψ), and what fits begins or ends at such a
// turn or where one of them equals its limit.
func turnInto(hull polygon.Path, xMM, yMM float64) (deg float64, ok bool) {
	n := len(hull)
	if n < 3 {
		return 0, false
	}
	limits := [2][2]float64{{xMM * 1000, yMM * 1000}, {yMM * 1000, xMM * 1000}} // as it is, and a quarter on
	stops := make([]float64, 0, n+2)
	stops = append(stops, 0, math.Pi/2)
	for i, p := range hull {
		q := hull[(i+1)%n]
		a := math.Mod(-math.Atan2(float64(q.Y-p.Y), float64(q.X-p.X)), math.Pi/2)
		if a < 0 {
			a += math.Pi / 2
		}
		stops = append(stops, a)
	}
	slices.Sort(stops)
	// outermost in a direction, from a corner on: corners run against the clock, directions with it.
	outermost := func(from int, x, y float64) int {
		along := func(k int) float64 { return float64(hull[k].X)*x + float64(hull[k].Y)*y }
		for range n {
			back := (from + n - 1) % n
			if along(back) < along(from) {
				break
			}
			from = back
		}
		return from
	}
	var ends [4]int
	for k := range ends {
		sin, cos := math.Sincos(float64(k) * math.Pi / 2)
		for i := range hull {
			if float64(hull[i].X)*cos+float64(hull[i].Y)*sin > float64(hull[ends[k]].X)*cos+float64(hull[ends[k]].Y)*sin {
				ends[k] = i
			}
		}
	}
	const hairUM = slackMM * 1000 / 2
	for i := 1; i < len(stops); i++ {
		from, to := stops[i-1], stops[i]
		sin, cos := math.Sincos((from + to) / 2)
		ends = [4]int{outermost(ends[0], cos, -sin), outermost(ends[1], sin, cos), outermost(ends[2], -cos, sin), outermost(ends[3], -sin, -cos)}
		dx, dy := float64(hull[ends[0]].X-hull[ends[2]].X), float64(hull[ends[0]].Y-hull[ends[2]].Y)
		ex, ey := float64(hull[ends[1]].X-hull[ends[3]].X), float64(hull[ends[1]].Y-hull[ends[3]].Y)
		wide := func(t float64) float64 { return dx*math.Cos(t) - dy*math.Sin(t) }
		deep := func(t float64) float64 { return ex*math.Sin(t) + ey*math.Cos(t) }
		tries := []float64{from, to}
		for _, lim := range limits {
			for _, c := range [2][3]float64{{math.Hypot(dx, dy), -math.Atan2(dy, dx), lim[0]}, {math.Hypot(ex, ey), math.Atan2(ex, ey), lim[1]}} {
				if c[2] > c[0] {
					continue
				}
				half := math.Acos(c[2] / c[0])
				tries = append(tries, c[1]+half, c[1]-half)
			}
		}
		for _, t := range tries {
			if t < from-1e-12 || t > to+1e-12 {
				continue
			}
			for quarter, lim := range limits {
				if wide(t) <= lim[0]+hairUM && deep(t) <= lim[1]+hairUM {
					return t*180/math.Pi + 90*float64(quarter), true
				}
			}
		}
	}
	return 0, false
}

func (f Fit) settle() Fit {
	f.Fits = true
	for i, o := range f.OverMM {
		if o <= slackMM {
			f.OverMM[i] = 0
		} else {
			f.Fits = false
		}
	}
	if f.Fits {
		f.Scale = 1
	}
	return f
}

// turns are the angles worth trying: as it stands, a quarter, every edge of the
// hull along an axis, and each whole degree.
func turns(hull polygon.Path) []float64 {
	out := []float64{0, 90}
	if len(hull) <= 512 {
		for i, p := range hull {
			q := hull[(i+1)%len(hull)]
			deg := math.Mod(-math.Atan2(float64(q.Y-p.Y), float64(q.X-p.X))*180/math.Pi+360, 90)
			out = append(out, deg, deg+90)
		}
	}
	for d := 1; d < 180; d++ {
		out = append(out, float64(d))
	}
	return out
}

func extent(hull polygon.Path, deg float64) (xMM, yMM float64) {
	s, c := math.Sincos(deg * math.Pi / 180)
	minX, maxX, minY, maxY := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
	for _, p := range hull {
		x, y := float64(p.X)*c-float64(p.Y)*s, float64(p.X)*s+float64(p.Y)*c
		minX, maxX = math.Min(minX, x), math.Max(maxX, x)
		minY, maxY = math.Min(minY, y), math.Max(maxY, y)
	}
	if len(hull) == 0 {
		return 0, 0
	}
	return (maxX - minX) / 1000, (maxY - minY) / 1000
}

// Material is what parts are made of.
type Material struct {
	Name          string      `json:"name" minLength:"1" maxLength:"60" name:"Name"`
	DensityGPerCM float64     `json:"density_g_per_cm3" minimum:"0.1" maximum:"20" doc:"Density, g/cm³" name:"Density"`
	SpoolGrams    float64     `json:"spool_grams" minimum:"1" maximum:"20000" doc:"What a full spool or bottle holds, g" name:"A full spool or bottle"`
	SpoolCents    units.Cents `json:"spool_cents" minimum:"0" maximum:"1000000" doc:"What a full one costs, cents" name:"It costs"`
	NozzleC       float64     `json:"nozzle_c" minimum:"0" maximum:"600" doc:"Usual nozzle temperature, °C" name:"Nozzle, usual"`
	NozzleMaxC    float64     `json:"nozzle_max_c" minimum:"0" maximum:"600" doc:"Hottest it may be, °C" name:"Nozzle at most"`
	BedC          float64     `json:"bed_c" minimum:"0" maximum:"250" doc:"Usual bed temperature, °C" name:"Bed, usual"`
	ShrinkPercent float64     `json:"shrink_percent" minimum:"0" maximum:"20" doc:"How much it shrinks on cooling, %" name:"Shrinks by"`
	Drying        string      `json:"drying" maxLength:"120" doc:"How to dry it, in words" name:"Drying"`
	SoftensC      float64     `json:"softens_c,omitempty" minimum:"0" maximum:"300" doc:"How warm a part of it may get before it goes soft, °C; 0: nobody knows" name:"Goes soft at"`
	LastsOutdoors bool        `json:"lasts_outdoors,omitempty" doc:"Parts of it stay in sun and rain" name:"Lasts outdoors"`
	Flexible      bool        `json:"flexible,omitempty" doc:"Parts of it bend without breaking" name:"Bends"`
	CarriesLoad   bool        `json:"carries_load,omitempty" doc:"Parts of it may carry load" name:"Carries load"`
	Care          string      `json:"care,omitempty" maxLength:"200" doc:"What hands have to know of it: gloves, fresh air, a hot chamber" name:"Take care" unset:"nothing said"`
	TakesUpWater  bool        `json:"takes_up_water,omitempty" doc:"It is not to stay on a machine overnight, nor open for long" name:"Takes up water"`
}

// Made is what of a material goes into a part: not what is said of parts of it, nor what it costs.
func (m *Material) Made() Material {
	own := *m
	own.SoftensC, own.LastsOutdoors, own.Flexible, own.CarriesLoad, own.Care, own.TakesUpWater = 0, false, false, false, "", false
	return own
}

// Validate lists what cannot be right about a material.
func (m *Material) Validate() []problem.Problem {
	if strings.TrimSpace(m.Name) == "" {
		return []problem.Problem{{Field: "name", Phrase: problem.Say("material without a name")}}
	}
	if m.NozzleMaxC > 0 && m.NozzleC > m.NozzleMaxC {
		return []problem.Problem{{Field: "nozzle_c", Phrase: problem.Say("laid too hot", problem.Given(m.NozzleC), problem.Given(m.NozzleMaxC))}}
	}
	return nil
}

// Grams is the mass of a length of filament.
func (m *Material) Grams(filamentMM, lengthMM float64) float64 {
	return lengthMM * math.Pi * filamentMM * filamentMM / 4 * m.DensityGPerCM / 1000
}

// Loaded are the materials in a machine's nozzles, in order. Where a nozzle's own
// is not known, the first is taken.
type Loaded []*Material

// Load finds what a machine's nozzles are loaded with: the first with a recipe's
// material, the second with what the house says of it.
func (m *Machine) Load(first *Material, house []Material) Loaded {
	out := Loaded{first}
	for i := range house {
		if len(m.NozzlesMM) > 1 && house[i].Name == m.Second.Material {
			out = append(out, &house[i])
		}
	}
	return out
}

// Of gives what a nozzle, counted from 1, is loaded with; nil if nothing is known
// at all.
func (s Loaded) Of(nozzle int) *Material {
	if len(s) == 0 {
		return nil
	}
	if nozzle >= 1 && nozzle <= len(s) && s[nozzle-1] != nil {
		return s[nozzle-1]
	}
	return s[0]
}
