package printability

import (
	"fmt"
	"math"
	"strings"

	"jobshelf/core/gcode"
	"jobshelf/core/machine"
	"jobshelf/core/recipe"
)

// Target is a machine that a foreign program might run on, with the house's
// recipe and material there; both may be nil.
type Target struct {
	Machine  *machine.Machine
	Recipe   *recipe.Recipe
	Material *machine.Material
}

// banned are commands that no program may bring into the house: they change or
// save a machine's settings, work on files in the machine, or load firmware
// (common practice, no source; numbers as the open firmwares use them).
var banned = map[string]string{
	"M92": "changes the steps of the motors", "M201": "changes the machine's limits", "M203": "changes the machine's limits",
	"M206": "moves the machine's origin", "M301": "changes the heaters' control", "M303": "tunes the heaters", "M304": "changes the heaters' control",
	"M500": "saves settings in the machine", "M501": "loads settings", "M502": "resets the machine's settings", "M504": "checks saved settings",
	"M20": "works on files in the machine", "M21": "works on files in the machine", "M23": "works on files in the machine", "M24": "starts a file in the machine",
	"M28": "writes a file in the machine", "M30": "deletes a file in the machine", "M32": "starts a file in the machine", "M928": "writes a file in the machine",
	"M112": "is the emergency stop", "M302": "allows cold extruding", "M665": "changes the machine's geometry", "M666": "changes the machine's geometry",
	"M851": "changes the probe's offset", "M906": "changes the motors' current", "M997": "loads firmware", "M999": "restarts the machine",
}

// FitProgram says by how much a program leaves a machine's volume, in X, Y, Z.
// Rectangular plates have their origin at a corner, round ones in the middle
// (common practice, no source).
func FitProgram(s *gcode.Summary, v machine.Volume) [3]float64 {
	over := func(x float64) float64 {
		if x < 0.001 {
			return 0
		}
		return x
	}
	z := over(s.Max.Z - v.ZMM)
	if v.Shape == machine.Round {
		r := over(2*s.RadiusMM - v.XMM)
		return [3]float64{r, r, z}
	}
	return [3]float64{over(math.Max(-s.Min.X, s.Max.X-v.XMM)), over(math.Max(-s.Min.Y, s.Max.Y-v.YMM)), z}
}

// heightSlackMM is how near layer heights must be to count as the same.
const heightSlackMM = 0.005

// Program judges a program that was sliced elsewhere and runs for seconds.
// longestS is the longest run the house allows; 0 for any.
func Program(s *gcode.Summary, targets []Target, seconds, longestS float64) []Finding {
	var out []Finding
	add := func(f Finding) { out = append(out, f) }
	var fit []Target
	least := math.Inf(1)
	for _, t := range targets {
		if !t.Machine.InService || t.Machine.Process != machine.MaterialExtrusion {
			continue
		}
		o := FitProgram(s, t.Machine.Volume)
		if o == [3]float64{} {
			fit = append(fit, t)
		}
		least = math.Min(least, math.Max(o[0], math.Max(o[1], o[2])))
	}
	if len(fit) == 0 && !math.IsInf(least, 1) {
		add(Finding{Check: "outside the machine", Grade: StopsIt, Value: least, Unit: "mm",
			Text: fmt.Sprintf("The program goes outside of every machine, by at least %.1f mm. Ask for the model and slice it here.", least)})
	}
	programHeat(s, fit, add)
	programLayers(s, fit, add)
	if longestS > 0 && seconds > longestS {
		add(Finding{Check: "too long", Grade: Decide, Value: seconds / 3600, Limit: longestS / 3600, Unit: "h",
			Text: fmt.Sprintf("It runs for %.1f h; the house allows %.1f h. Ask for the model: thicker layers or less infill save most.", seconds/3600, longestS/3600)})
	}
	programCommands(s, add)
	return out
}

func programHeat(s *gcode.Summary, fit []Target, add func(Finding)) {
	if s.NozzleMaxC == 0 {
		add(Finding{Check: "no heat", Grade: Decide, Unit: "°C", Text: "The program never sets the nozzle's temperature; it relies on somebody having done so."})
	}
	can, canMaterial := false, false
	limit, of := 0.0, ""
	mLimit, mOf := 0.0, ""
	for _, t := range fit {
		if s.NozzleMaxC <= t.Machine.NozzleMaxC && s.BedMaxC <= t.Machine.BedMaxC {
			can = true
		} else if t.Machine.NozzleMaxC > limit {
			limit, of = t.Machine.NozzleMaxC, t.Machine.Name
		}
		if t.Material == nil || t.Material.NozzleMaxC == 0 || s.NozzleMaxC <= t.Material.NozzleMaxC {
			canMaterial = true
		} else if t.Material.NozzleMaxC > mLimit {
			mLimit, mOf = t.Material.NozzleMaxC, t.Material.Name
		}
	}
	if len(fit) > 0 && !can {
		add(Finding{Check: "hotter than the machine", Grade: StopsIt, Value: s.NozzleMaxC, Limit: limit, Unit: "°C",
			Text: fmt.Sprintf("It asks for %.0f °C at the nozzle and %.0f °C at the bed; %s goes up to %.0f °C. Slice the model here.", s.NozzleMaxC, s.BedMaxC, of, limit)})
	} else if len(fit) > 0 && !canMaterial {
		add(Finding{Check: "hotter than the material", Grade: Decide, Value: s.NozzleMaxC, Limit: mLimit, Unit: "°C",
			Text: fmt.Sprintf("It asks for %.0f °C; %s, which is loaded, may be %.0f °C hot. It was made for another material.", s.NozzleMaxC, mOf, mLimit)})
	}
	if s.NozzleEndC > 0 || s.BedEndC > 0 {
		var left []string
		if s.NozzleEndC > 0 {
			left = append(left, fmt.Sprintf("the nozzle at %.0f °C", s.NozzleEndC))
		}
		if s.BedEndC > 0 {
			left = append(left, fmt.Sprintf("the bed at %.0f °C", s.BedEndC))
		}
		add(Finding{Check: "heating stays on", Grade: StopsIt, Value: math.Max(s.NozzleEndC, s.BedEndC), Unit: "°C",
			Text: fmt.Sprintf("At its end it leaves %s. Heating ends with the print here; ask for the model.", strings.Join(left, " and "))})
	}
}

func programLayers(s *gcode.Summary, fit []Target, add func(Finding)) {
	near := math.Inf(1)
	var house []string
	for _, t := range fit {
		if t.Recipe == nil {
			continue
		}
		house = append(house, fmt.Sprintf("%g mm on %s", t.Recipe.LayerMM, t.Machine.Name))
		if math.Abs(s.LayerMM-t.Recipe.LayerMM) < math.Abs(s.LayerMM-near) {
			near = t.Recipe.LayerMM
		}
	}
	if len(house) > 0 && math.Abs(near-s.LayerMM) > heightSlackMM {
		add(Finding{Check: "layer height", Grade: Decide, Value: s.LayerMM, Limit: near, Unit: "mm",
			Text: fmt.Sprintf("Its layers are %g mm high. The house lays %s for this purpose: its settings were not used.", s.LayerMM, strings.Join(house, ", "))})
	}
}

func programCommands(s *gcode.Summary, add func(Finding)) {
	var macros []string
	for _, c := range s.Commands {
		if why, bad := banned[c.Code]; bad {
			add(Finding{Check: "command not allowed", Grade: StopsIt, Value: float64(c.Count), Unit: "times",
				Text: fmt.Sprintf("%s in line %d %s, which no program may do here. Ask for the model.", c.Code, c.Line, why)})
		}
		if c.Code[0] >= 'A' && len(c.Code) > 1 && (c.Code[1] > '9' || c.Code[1] == '_') {
			macros = append(macros, fmt.Sprintf("%s (line %d)", c.Code, c.Line))
		}
	}
	if len(macros) > 0 {
		n := len(macros)
		if n > 5 {
			macros = macros[:5]
		}
		add(Finding{Check: "macros", Grade: Decide, Value: float64(n), Unit: "names",
			Text: fmt.Sprintf("It calls %s that only certain firmware knows: %s. What they do cannot be told from here.", plural(n, "command"), strings.Join(macros, ", "))})
	}
}
