// Package recipe holds the house's settings: for a purpose, on a machine, in a
// material.
package recipe

import (
	"cmp"
	"fmt"
	"math"
	"strings"

	"jobshelf/core/print/machine"
	"jobshelf/core/shape/problem"
)

// Purpose is what a part is for; it chooses the recipe.
type Purpose string

// The three purposes of the house.
const (
	QuickLook   Purpose = "quick look"
	Everyday    Purpose = "everyday"
	WorkingPart Purpose = "working part"
)

// Adhesion is what keeps the first layer down.
type Adhesion string

// The kinds of bed adhesion.
const (
	AdhesionNone  Adhesion = "none"
	AdhesionSkirt Adhesion = "skirt"
	AdhesionBrim  Adhesion = "brim"
	AdhesionRaft  Adhesion = "raft"
)

// Recipe is one set of settings. Where 0 is a value of its own, a pointer tells it
// from what is left out; nobody writes through those pointers.
type Recipe struct {
	Name            string   `json:"name" minLength:"1" maxLength:"60"`
	Purpose         Purpose  `json:"purpose" enum:"quick look,everyday,working part"`
	Machine         string   `json:"machine" maxLength:"60" doc:"Name of the machine it is for"`
	Material        string   `json:"material" maxLength:"60" doc:"Name of the material"`
	LayerMM         float64  `json:"layer_mm" minimum:"0.01" maximum:"1.5" name:"Layer height" also:"thickness,fineness,resolution,slice height" doc:"How thick a layer is, mm"`
	FirstLayerMM    float64  `json:"first_layer_mm" minimum:"0.01" maximum:"1.5" name:"First layer height" also:"bottom thickness,initial layer" doc:"How thick the first layer is, mm"`
	LineMM          float64  `json:"line_mm" minimum:"0.1" maximum:"3" name:"Line width" also:"extrusion width,bead,track" doc:"How wide a line is laid, mm"`
	Shells          int      `json:"shells" minimum:"1" maximum:"20" name:"Shells" also:"walls,perimeters,contours,outlines" doc:"Outline passes"`
	TopLayers       int      `json:"top_layers" minimum:"0" maximum:"50" name:"Top layers" also:"roof,cover,ceiling" doc:"Solid layers that close the top"`
	BottomLayers    int      `json:"bottom_layers" minimum:"0" maximum:"50" name:"Bottom layers" also:"floor,base" doc:"Solid layers that close the bottom"`
	InfillPercent   float64  `json:"infill_percent" minimum:"0" maximum:"100" name:"Infill density" also:"filling,fill,sparse,inside" doc:"How full the inside is, %"`
	Adhesion        Adhesion `json:"bed_adhesion" enum:"none,skirt,brim,raft" name:"Bed adhesion" also:"skirt,brim,raft,sticks,hold" doc:"What keeps the first layer down"`
	BrimMM          float64  `json:"brim_mm" minimum:"0" maximum:"50" name:"Brim width" also:"rim" doc:"How far a brim reaches, mm" with:"bed_adhesion"`
	NozzleC         float64  `json:"nozzle_c" minimum:"0" maximum:"600" name:"Nozzle temperature" also:"hot end,print temperature,heat" doc:"How hot the nozzle is, °C"`
	BedC            float64  `json:"bed_c" minimum:"0" maximum:"250" name:"Bed temperature" also:"plate,heated bed,heat" doc:"How warm the bed is, °C"`
	OuterMMPerS     float64  `json:"outer_mm_per_s" minimum:"1" maximum:"1000" name:"Outer shell speed" also:"wall,perimeter" doc:"Speed of the outer shell, mm/s"`
	InnerMMPerS     float64  `json:"inner_mm_per_s" minimum:"1" maximum:"1000" name:"Inner shell speed" also:"wall,perimeter" doc:"Speed of the inner shells, mm/s"`
	TopBottomMMPerS float64  `json:"top_bottom_mm_per_s" minimum:"1" maximum:"1000" name:"Top and bottom speed" also:"solid,skin" doc:"Speed of solid layers, mm/s"`
	InfillMMPerS    float64  `json:"infill_mm_per_s" minimum:"1" maximum:"1000" name:"Infill speed" also:"fill" doc:"Speed of the infill, mm/s" with:"infill_percent"`
	FirstMMPerS     float64  `json:"first_mm_per_s" minimum:"1" maximum:"500" name:"First layer speed" also:"initial,bottom" doc:"Speed of the first layer, mm/s"`
	TravelMMPerS    float64  `json:"travel_mm_per_s" minimum:"1" maximum:"2000" name:"Travel speed" also:"move,jump" doc:"Speed without extruding, mm/s"`
	RetractMM       float64  `json:"retract_mm" minimum:"0" maximum:"20" name:"Retraction" also:"pull back,ooze,stringing,hairs" doc:"Filament pulled back before a travel, mm"`
	RetractMMPerS   float64  `json:"retract_mm_per_s" minimum:"1" maximum:"200" name:"Retraction speed" also:"pull back,unretract" doc:"Speed of pulling back, mm/s" with:"retract_mm"`
	MinLayerTimeS   float64  `json:"min_layer_time_s" minimum:"0" maximum:"600" name:"Minimum layer time" also:"cooling,wait,small layers" doc:"A layer takes at least this long, so that it cools, s"`

	Pattern                 Pattern        `json:"pattern" enum:"lines,grid,honeycomb,gyroid" name:"Infill pattern" also:"fill,structure,lattice" doc:"How the inside is filled" with:"infill_percent" unset:"grid"`
	Support                 Support        `json:"support" enum:"off,plate only,everywhere,first layer only" name:"Support" also:"scaffold,props,overhang" doc:"Where support may stand" unset:"off"`
	SupportDeg              float64        `json:"support_deg" minimum:"10" maximum:"89" name:"Overhang angle" also:"support from,lean,slope" doc:"Faces that lean out further than this from upright are supported, °" with:"support" unset:"50"`
	SupportPercent          float64        `json:"support_percent" minimum:"1" maximum:"100" name:"Support density" also:"scaffold,fill" doc:"How dense support is, %" with:"support" unset:"15"`
	SupportHorizontalGapMM  *float64       `json:"support_horizontal_gap_mm,omitempty" minimum:"0" maximum:"5" name:"Support horizontal gap" also:"distance,clearance" doc:"How far support stays from walls, mm" with:"support" unset:"1.5 lines"`
	SupportVerticalGapMM    *float64       `json:"support_vertical_gap_mm,omitempty" minimum:"0" maximum:"2" name:"Support vertical gap" also:"distance,air gap,comes off" doc:"Gap between support and what rests on it, mm" with:"support" unset:"a layer"`
	SupportInterface        *int           `json:"support_interface_layers,omitempty" minimum:"0" maximum:"20" name:"Support interface layers" also:"roof,contact" doc:"Dense layers on top of support" with:"support" unset:"2"`
	SupportInterfacePercent float64        `json:"support_interface_percent" minimum:"0" maximum:"100" name:"Support interface density" also:"roof,contact" doc:"How dense those layers are, %" with:"support" unset:"83"`
	SupportPattern          SupportPattern `json:"support_pattern" enum:"lines,grid" name:"Support pattern" also:"scaffold" doc:"How support is laid" with:"support" unset:"lines"`
	BridgeMMPerS            float64        `json:"bridge_mm_per_s" minimum:"1" maximum:"500" name:"Bridge speed" also:"span" doc:"Speed of bridges, mm/s" unset:"0.6 of the outer shell's"`
	SupportMMPerS           float64        `json:"support_mm_per_s" minimum:"1" maximum:"1000" name:"Support speed" also:"scaffold" doc:"Speed of support, mm/s" with:"support" unset:"the inner shells'"`
	LiftMM                  float64        `json:"lift_mm" minimum:"0" maximum:"10" name:"Lift on travel" also:"hop,raise,z" doc:"How far the nozzle lifts on a travel that crosses an outline, mm" with:"retract_mm"`
	FirstNozzleC            float64        `json:"first_nozzle_c" minimum:"0" maximum:"600" name:"First layer nozzle temperature" also:"initial,hot end" doc:"How hot the nozzle is in the first layer, °C" with:"nozzle_c" unset:"as the others"`
	FanPercent              float64        `json:"fan_percent" minimum:"0" maximum:"100" name:"Fan" also:"cooling,blower" doc:"How fast the fan blows, from the third layer on, %"`
	Seam                    Seam           `json:"seam" enum:"in one line,at the back,closest" name:"Seam" also:"start,blob,scar,z" doc:"Where closed outlines begin" unset:"at the back"`
	PauseMM                 []float64      `json:"pause_mm" maxItems:"20" name:"Pauses" also:"stop,insert,colour change" doc:"Heights at which the machine waits for somebody, mm"`
	PurgeMM                 float64        `json:"purge_mm" minimum:"0" maximum:"500" name:"Purge at the start" also:"prime,wipe" doc:"Filament let out before the first line, mm"`

	PieceNozzle   int      `json:"piece_nozzle" minimum:"0" maximum:"2" name:"Nozzle of the part" also:"extruder,tool,head" doc:"Nozzle that lays the part" unset:"1"`
	SupportNozzle int      `json:"support_nozzle" minimum:"0" maximum:"2" name:"Nozzle of the support" also:"extruder,tool,head,soluble" doc:"Nozzle that lays support" with:"support" unset:"the one that lays the part"`
	ChangePurgeMM *float64 `json:"change_purge_mm,omitempty" minimum:"0" maximum:"500" name:"Purge after a nozzle change" also:"prime,wipe,tower" doc:"Filament laid into the purge tower after a change of nozzle, mm" with:"support_nozzle" unset:"10"`

	OuterMMPerS2     float64 `json:"outer_mm_per_s2" minimum:"0" maximum:"100000" name:"Outer shell acceleration" doc:"Acceleration of the outer shell, mm/s²" unset:"the machine's"`
	InnerMMPerS2     float64 `json:"inner_mm_per_s2" minimum:"0" maximum:"100000" name:"Inner shell acceleration" doc:"Acceleration of the inner shells, mm/s²" unset:"the machine's"`
	TopBottomMMPerS2 float64 `json:"top_bottom_mm_per_s2" minimum:"0" maximum:"100000" name:"Top and bottom acceleration" doc:"Acceleration of solid layers, mm/s²" unset:"the machine's"`
	InfillMMPerS2    float64 `json:"infill_mm_per_s2" minimum:"0" maximum:"100000" name:"Infill acceleration" doc:"Acceleration of the infill, mm/s²" unset:"the machine's"`
	BridgeMMPerS2    float64 `json:"bridge_mm_per_s2" minimum:"0" maximum:"100000" name:"Bridge acceleration" doc:"Acceleration of bridges, mm/s²" unset:"the machine's"`
	SupportMMPerS2   float64 `json:"support_mm_per_s2" minimum:"0" maximum:"100000" name:"Support acceleration" doc:"Acceleration of support, mm/s²" with:"support" unset:"the machine's"`
	FirstMMPerS2     float64 `json:"first_mm_per_s2" minimum:"0" maximum:"100000" name:"First layer acceleration" doc:"Acceleration of the first layer, mm/s²" unset:"the machine's"`
	TravelMMPerS2    float64 `json:"travel_mm_per_s2" minimum:"0" maximum:"100000" name:"Travel acceleration" doc:"Acceleration without extruding, mm/s²" unset:"the machine's"`
}

// Pattern is how the inside is filled.
type Pattern string

// The patterns.
const (
	PatternLines     Pattern = "lines"
	PatternGrid      Pattern = "grid"
	PatternHoneycomb Pattern = "honeycomb"
	PatternGyroid    Pattern = "gyroid"
)

// Support is where support may stand.
type Support string

// The places.
const (
	SupportOff        Support = "off"
	SupportPlateOnly  Support = "plate only"
	SupportEverywhere Support = "everywhere"
	SupportFirstLayer Support = "first layer only"
)

// SupportPattern is how support is laid.
type SupportPattern string

// Lines come off easily; a grid stands firmer.
const (
	SupportLines SupportPattern = "lines"
	SupportGrid  SupportPattern = "grid"
)

// Seam is where outlines begin.
type Seam string

// The seams.
const (
	SeamBack    Seam = "at the back"
	SeamInLine  Seam = "in one line"
	SeamClosest Seam = "closest"
)

// WithDefaults fills what a recipe leaves out with values that are common
// practice (no source): support from 50°, 15 % dense, a line from walls.
func (r Recipe) WithDefaults() Recipe {
	text := func(v *string, d string) {
		if *v == "" {
			*v = d
		}
	}
	text((*string)(&r.Pattern), string(PatternGrid))
	text((*string)(&r.Support), string(SupportOff))
	text((*string)(&r.Seam), string(SeamBack))
	num := func(v *float64, d float64) {
		if *v <= 0 {
			*v = d
		}
	}
	num(&r.SupportDeg, 50)
	num(&r.SupportPercent, 15)
	num(&r.SupportInterfacePercent, 83)
	text((*string)(&r.SupportPattern), string(SupportLines))
	r.SupportHorizontalGapMM = cmp.Or(r.SupportHorizontalGapMM, new(1.5*r.LineMM))
	r.SupportVerticalGapMM = cmp.Or(r.SupportVerticalGapMM, new(r.LayerMM))
	r.SupportInterface = cmp.Or(r.SupportInterface, new(2))
	r.ChangePurgeMM = cmp.Or(r.ChangePurgeMM, new(10.0))
	num(&r.BridgeMMPerS, 0.6*r.OuterMMPerS)
	num(&r.SupportMMPerS, r.InnerMMPerS)
	num(&r.FirstNozzleC, r.NozzleC)
	if r.PieceNozzle == 0 {
		r.PieceNozzle = 1
	}
	if r.SupportNozzle == 0 {
		r.SupportNozzle = r.PieceNozzle
	}
	if r.PauseMM == nil {
		r.PauseMM = []float64{}
	}
	return r
}

// OnNozzle is the recipe for a piece that another nozzle lays, counted from 1; 0 is the recipe's own.
func (r Recipe) OnNozzle(n int) Recipe {
	r.PieceNozzle = cmp.Or(n, r.PieceNozzle)
	return r
}

// Validate lists what cannot work, each with the field it is about, in the order
// of the fields. mach is the machine it is for and loaded what is in its nozzles,
// the recipe's material first; nil leaves out what depends on them.
//
// The bounds of layer height (a fifth to four fifths of the nozzle) and line
// width (nine tenths to twice the nozzle) are common practice, no source.
func (r *Recipe) Validate(mach *machine.Machine, loaded machine.Loaded) []problem.Problem {
	var out []problem.Problem
	bad := func(field, code string, params ...any) {
		out = append(out, problem.Problem{Field: field, Phrase: problem.Say(code, params...)})
	}
	if r.Name != "" && strings.TrimSpace(r.Name) == "" { // a slice's own recipe may have none
		bad("name", "recipe without a name")
	}
	if r.LineMM < r.LayerMM || r.LineMM < r.FirstLayerMM {
		bad("line_mm", "line narrower than a layer", problem.Given(r.LineMM))
	}
	for _, v := range []struct {
		key     string
		percent float64
	}{{"infill_percent", r.InfillPercent}, {"support_interface_percent", r.SupportInterfacePercent}} {
		if v.percent != 0 && v.percent < 1 {
			bad(v.key, "share below one", fmt.Sprint(v.percent)) // next to nothing, too, as it was written
		}
	}
	for i, h := range r.PauseMM {
		if h <= 0 {
			bad(fmt.Sprintf("pause_mm[%d]", i), "pause below the plate", problem.Given(h))
		}
	}
	for _, a := range []struct {
		key     string
		mmPerS2 float64
	}{{"outer_mm_per_s2", r.OuterMMPerS2}, {"inner_mm_per_s2", r.InnerMMPerS2}, {"top_bottom_mm_per_s2", r.TopBottomMMPerS2}, {"infill_mm_per_s2", r.InfillMMPerS2},
		{"bridge_mm_per_s2", r.BridgeMMPerS2}, {"support_mm_per_s2", r.SupportMMPerS2}, {"first_mm_per_s2", r.FirstMMPerS2}, {"travel_mm_per_s2", r.TravelMMPerS2}} {
		if a.mmPerS2 != 0 && a.mmPerS2 < 10 {
			bad(a.key, "acceleration too small", problem.Given(a.mmPerS2))
		}
	}
	if mach == nil {
		return out
	}
	r.suits(mach, loaded, bad)
	r.Heats(mach, loaded).problems(mach, bad)
	return out
}

// A layer is this share of the nozzle high. Common practice, no source.
const (
	leastLayer = 0.2
	mostLayer  = 0.8
)

// LayerBounds are how high a layer may be that the recipe's nozzles lay, in mm: no
// higher than a line is wide. Of a machine whose nozzles nobody told, only that is
// known. The recipe has its defaults; mach may be nil.
func (r *Recipe) LayerBounds(mach *machine.Machine) (leastMM, mostMM float64) {
	mostMM = r.LineMM
	for _, n := range [2]int{r.PieceNozzle, r.SupportNozzle} {
		if mach != nil && n >= 1 && n <= len(mach.NozzlesMM) {
			leastMM = math.Max(leastMM, leastLayer*mach.NozzlesMM[n-1])
			mostMM = math.Min(mostMM, mostLayer*mach.NozzlesMM[n-1])
		}
	}
	return leastMM, math.Max(leastMM, mostMM)
}

// suits looks at nozzles: there, loaded, and of a size for the layers and lines.
func (r *Recipe) suits(mach *machine.Machine, loaded machine.Loaded, bad func(field, format string, args ...any)) {
	full := r.WithDefaults()
	for k, n := range [2]int{full.PieceNozzle, full.SupportNozzle} {
		field := [2]string{"piece_nozzle", "support_nozzle"}[k]
		if len(mach.NozzlesMM) > 0 && n > len(mach.NozzlesMM) {
			bad(field, "no such nozzle", mach.Name, n)
			continue
		}
		switch {
		case n == 2 && mach.Second.Material == "":
			bad(field, "nothing loaded", mach.Name)
		case n == 2 && len(loaded) < 2:
			bad(field, "loaded with what nobody knows", mach.Name, mach.Second.Material)
		}
		if len(mach.NozzlesMM) == 0 || k == 1 && full.SupportNozzle == full.PieceNozzle {
			continue
		}
		d := mach.NozzlesMM[n-1]
		if r.LayerMM < leastLayer*d-1e-9 || r.LayerMM > mostLayer*d+1e-9 {
			bad("layer_mm", "layer height of a nozzle", problem.Given(d), problem.Fixed(leastLayer*d, 2), problem.Fixed(mostLayer*d, 2), problem.Given(r.LayerMM))
		}
		if r.LineMM < 0.9*d-1e-9 || r.LineMM > 2*d+1e-9 {
			bad("line_mm", "line width of a nozzle", problem.Given(d), problem.Fixed(0.9*d, 2), problem.Fixed(2*d, 2), problem.Given(r.LineMM))
		}
	}
}
