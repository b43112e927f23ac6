// Package demo is the house Ropewalk Commons: its machines, materials, recipes
// and people, and jobs on every shelf. All of it is invented. The command line
// uses its machines and recipes too when there is no database.
package demo

import (
	"math"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/planning"
	"jobshelf/internal/store"
)

// StartCents is the fee for starting a run.
const StartCents units.Cents = 50

// House is the demo house's own settings.
func House() store.House {
	evening := []planning.Span{{From: 10 * 60, To: 13 * 60}, {From: 14 * 60, To: 21 * 60}}
	day := []planning.Span{{From: 10 * 60, To: 18 * 60}}
	return store.House{Name: "Ropewalk Commons", Locale: "en-GB", Currency: "EUR", TimeZone: "Europe/Amsterdam",
		Week:          [7][]planning.Span{{}, evening, evening, evening, evening, evening, day},
		AttendanceMin: 20, StartCents: StartCents, SoonerCents: 40, LongestRunMin: 12 * 60}
}

// Machines are the five of the house, in order.
func Machines() []machine.Machine {
	warm := machine.WarmUp{NozzleCPerS: 2.4, BedCPerS: 0.35, HomingS: 45}
	fff := func(name string, v machine.Volume, nozzles []float64, mo machine.Motion, rate units.Cents, material, colour, colourName string) machine.Machine {
		return machine.Machine{Name: name, Process: machine.MaterialExtrusion, InService: true, Volume: v, NozzlesMM: nozzles, FilamentMM: 1.75,
			NozzleMaxC: 280, BedMaxC: 110, Motion: mo, WarmUp: warm, RateCents: rate, IdleOffS: 1800, Material: material, Colour: colour, ColourName: colourName}
	}
	box := func(x, y, z float64) machine.Volume {
		return machine.Volume{Shape: machine.Rectangle, XMM: x, YMM: y, ZMM: z}
	}
	house := []machine.Machine{
		fff("Bowline", box(220, 220, 250), []float64{0.4}, machine.Motion{SpeedMMPerS: 180, AccelMMPerS2: 1500, JunctionDeviationMM: 0.02, LiftMMPerS: 12}, 120, "PLA", "#2F6DA8", "Harbour blue"),
		fff("Capstan", box(300, 300, 400), []float64{0.6}, machine.Motion{SpeedMMPerS: 120, AccelMMPerS2: 700, JunctionDeviationMM: 0.03, LiftMMPerS: 8}, 150, "PETG", "#3B3B3B", "Tar black"),
		fff("Fairlead", box(180, 180, 180), []float64{0.4, 0.4}, machine.Motion{SpeedMMPerS: 150, AccelMMPerS2: 1200, JunctionDeviationMM: 0.015, LiftMMPerS: 10}, 160, "PLA", "#C9B458", "Hemp"),
		fff("Halyard", machine.Volume{Shape: machine.Round, XMM: 200, YMM: 200, ZMM: 300}, []float64{0.4}, machine.Motion{SpeedMMPerS: 250, AccelMMPerS2: 3500, JunctionDeviationMM: 0.02, LiftMMPerS: 60}, 140, "PLA", "#C2543B", "Buoy red"),
		{Name: "Lantern", Process: machine.VatPolymerization, Volume: box(130, 80, 160), NozzlesMM: []float64{}, RateCents: 200, Material: "Resin", Colour: "#D8C9A7", ColourName: "Amber"},
	}
	for i := range house {
		if m := &house[i]; len(m.NozzlesMM) > 1 {
			m.Second, m.ChangeS = machine.NozzleLoad{Material: "Soluble", ColourName: "Clear"}, 8
		}
		house[i].Dialect.Arcs = house[i].Name == "Halyard"
		if len(house[i].NozzlesMM) > 0 {
			house[i].ChangeGrams = 2.5
		}
	}
	return house
}

// Materials are what the house keeps. Densities and temperatures are data-sheet
// values, from memory; prices are invented.
func Materials() []machine.Material {
	return []machine.Material{
		{Name: "ABS", DensityGPerCM: 1.04, SpoolGrams: 750, SpoolCents: 2100, NozzleC: 245, NozzleMaxC: 260, BedC: 100, ShrinkPercent: 0.8, Drying: "70 °C for 4 h", SoftensC: 95, CarriesLoad: true},
		{Name: "PETG", DensityGPerCM: 1.27, SpoolGrams: 1000, SpoolCents: 2400, NozzleC: 240, NozzleMaxC: 260, BedC: 75, ShrinkPercent: 0.4, Drying: "65 °C for 5 h", TakesUpWater: true, SoftensC: 70, LastsOutdoors: true, CarriesLoad: true},
		{Name: "PLA", DensityGPerCM: 1.24, SpoolGrams: 1000, SpoolCents: 2200, NozzleC: 210, NozzleMaxC: 235, BedC: 58, ShrinkPercent: 0.3, Drying: "45 °C for 6 h", SoftensC: 55, CarriesLoad: true},
		{Name: "Soluble", DensityGPerCM: 1.19, SpoolGrams: 500, SpoolCents: 3400, NozzleC: 215, NozzleMaxC: 230, BedC: 58, ShrinkPercent: 0.3, Drying: "45 °C for 12 h; keep in a closed box", TakesUpWater: true},
		{Name: "Resin", DensityGPerCM: 1.11, SpoolGrams: 1000, SpoolCents: 3900, ShrinkPercent: 1.2, Drying: "Keep dark and closed"},
	}
}

// Recipes are three a filament machine: one for each purpose.
func Recipes() []recipe.Recipe {
	var out []recipe.Recipe
	for _, m := range Machines() {
		if !m.InService {
			continue
		}
		d := m.NozzlesMM[0]
		nozzleC, bedC := 210.0, 58.0
		if m.Material == "PETG" {
			nozzleC, bedC = 240, 75
		}
		v := m.Motion.SpeedMMPerS
		base := recipe.Recipe{Machine: m.Name, Material: m.Material, FirstLayerMM: 0.6 * d, LineMM: 1.125 * d,
			Adhesion: recipe.AdhesionSkirt, BrimMM: 5, NozzleC: nozzleC, BedC: bedC, FirstMMPerS: 22, TravelMMPerS: v, RetractMM: 1.2, RetractMMPerS: 35, MinLayerTimeS: 6,
			Support: recipe.SupportEverywhere, LiftMM: 0.4, FanPercent: 100}
		if m.Second.Material != "" {
			base.SupportNozzle, base.SupportVerticalGapMM = 2, new(0.0) // what dissolves may touch
		}
		if m.Volume.Shape == machine.Round {
			base.RetractMM = 3.5
		}
		with := func(p recipe.Purpose, name string, layer float64, shells, top, bottom int, infill, speed float64) {
			r := base
			r.Purpose, r.Name, r.LayerMM, r.Shells, r.TopLayers, r.BottomLayers, r.InfillPercent = p, name, layer, shells, top, bottom, infill
			mmPerS := func(share float64) float64 { return math.Round(10*share*v*speed) / 10 }
			r.OuterMMPerS, r.InnerMMPerS, r.TopBottomMMPerS, r.InfillMMPerS = mmPerS(0.25), mmPerS(0.35), mmPerS(0.35), mmPerS(0.5)
			out = append(out, r.WithDefaults())
		}
		with(recipe.QuickLook, m.Name+" quick look", 0.7*d, 2, 3, 3, 8, 1.2)
		with(recipe.Everyday, m.Name+" everyday", 0.5*d, 2, 4, 4, 15, 1)
		with(recipe.WorkingPart, m.Name+" working part", 0.5*d, 4, 6, 5, 35, 0.8)
	}
	return out
}

// Choices pairs every machine with its recipe for a purpose, for use without a
// database.
func Choices(p recipe.Purpose) []verdict.Choice {
	recipes, materials := Recipes(), Materials()
	var out []verdict.Choice
	for _, m := range Machines() {
		c := verdict.Choice{Machine: &m}
		for i := range recipes {
			if recipes[i].Machine != m.Name || recipes[i].Purpose != p {
				continue
			}
			c.Recipe = &recipes[i]
			for k := range materials {
				if materials[k].Name == recipes[i].Material {
					c.Loaded = m.Load(&materials[k], materials)
				}
			}
		}
		out = append(out, c)
	}
	return out
}
