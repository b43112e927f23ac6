package printability

import (
	"math"
	"slices"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/machine"
	"jobshelf/core/shape/problem"
)

// Use is what a part is for, as its member says it.
type Use struct {
	WarmC    float64 `json:"warm_c,omitempty" minimum:"0" maximum:"300" doc:"How warm it gets, °C; 0: no warmer than a room"`
	Outdoors bool    `json:"outdoors,omitempty" doc:"It stays in sun and rain"`
	Flexible bool    `json:"flexible,omitempty" doc:"It has to bend"`
	Load     bool    `json:"load,omitempty" doc:"It carries load"`
	Fits     bool    `json:"fits,omitempty" doc:"It has to fit another part: its size matters"`
	Colour   string  `json:"colour,omitempty" maxLength:"40" doc:"The colour that is wished; empty: any"`
}

// Made is what a part would be made of on a machine.
type Made struct {
	Machine       string
	Material      *machine.Material // nil: nobody knows
	Colour        string
	InfillPercent float64
	LongestMM     float64 // its longest side
	Sized         bool    // it is not as large as it came
}

// Limits of what a use asks (common practice, no source).
const (
	loadInfillPercent = 20  // sparser insides break under torsion
	fitMM             = 0.2 // by as much as that a part may be smaller and still fit another
)

// Uses holds what a part is for against what it would be made of on a machine, and tells which others have something
// loaded that would do.
func Uses(u Use, on Made, others []Made) (out []finding.Finding) {
	ask := func(check string, f finding.Finding, does func(m *Made) bool, params ...any) {
		if on.Material == nil || does(&on) {
			return
		}
		f.Check, f.Grade = check, finding.Decide
		better := problem.Say("nowhere loaded")
		if k := slices.IndexFunc(others, func(o Made) bool { return o.Material != nil && does(&o) }); k >= 0 {
			better = problem.Say("loaded elsewhere", others[k].Machine, others[k].Material.Name)
		}
		out = append(out, f.That(check, append(params, better)...))
	}
	if u.WarmC > 0 && on.Material != nil {
		warm := finding.Finding{Value: u.WarmC, Limit: on.Material.SoftensC, Unit: "°C"}
		code, params := "gets warm", []any{problem.Fixed(u.WarmC, 0), on.Material.Name, problem.Fixed(on.Material.SoftensC, 0)}
		if on.Material.SoftensC == 0 {
			code, params = "gets warm, unknown", params[:2]
		}
		ask("gets warm", warm, func(m *Made) bool { return m.Material.SoftensC > u.WarmC }, params...)
		if n := len(out); n > 0 && code != "gets warm" {
			out[n-1] = out[n-1].That(code, out[n-1].Says.Params...)
		}
	}
	name := ""
	if on.Material != nil {
		name = on.Material.Name
	}
	if u.Outdoors {
		ask("outdoors", finding.Finding{}, func(m *Made) bool { return m.Material.LastsOutdoors }, name)
	}
	if u.Flexible {
		ask("flexible", finding.Finding{}, func(m *Made) bool { return m.Material.Flexible }, name)
	}
	if u.Load {
		ask("carries load", finding.Finding{}, func(m *Made) bool { return m.Material.CarriesLoad }, name)
		if on.InfillPercent < loadInfillPercent {
			out = append(out, finding.Finding{Check: "sparse inside", Grade: finding.WorthKnowing, Value: on.InfillPercent, Limit: loadInfillPercent, Unit: "%"}.
				That("sparse inside", problem.Fixed(on.InfillPercent, 0), problem.Fixed(loadInfillPercent, 0)))
		}
	}
	if u.Fits {
		if on.Sized {
			out = append(out, finding.Finding{Check: "fits another part", Grade: finding.Decide}.That("fits another part, sized"))
		}
		if m := on.Material; m != nil {
			if by := on.LongestMM * m.ShrinkPercent / 100; by > fitMM {
				out = append(out, finding.Finding{Check: "shrinks", Grade: finding.WorthKnowing, Value: by, Limit: fitMM, Unit: "mm"}.
					That("shrinks", m.Name, problem.Fixed(m.ShrinkPercent, 1), problem.Fixed(on.LongestMM, 0), problem.Fixed(by, 1), problem.Fixed(100/(1-m.ShrinkPercent/100), 1)))
			}
		}
	}
	if wished := strings.TrimSpace(u.Colour); wished != "" && !likeColour(on.Colour, wished) {
		better := problem.Say("nowhere loaded")
		if k := slices.IndexFunc(others, func(o Made) bool { return likeColour(o.Colour, wished) }); k >= 0 {
			better = problem.Say("colour elsewhere", others[k].Machine)
		}
		has := on.Colour
		if has == "" {
			has = "–"
		}
		out = append(out, finding.Finding{Check: "other colour", Grade: finding.Decide}.That("other colour", wished, on.Machine, has, better))
	}
	return out
}

// likeColour says that what is loaded is of a colour that is wished: "slate blue" is blue, too.
func likeColour(loaded, wished string) bool {
	has, wants := strings.Fields(strings.ToLower(loaded)), strings.Fields(strings.ToLower(wished))
	return len(wants) > 0 && !slices.ContainsFunc(wants, func(w string) bool { return !slices.Contains(has, w) })
}

// None says that nothing was said of its use.
func (u Use) None() bool { return u == Use{} }

// Check says what cannot be meant.
func (u Use) Check() []problem.Problem {
	if !(u.WarmC >= 0 && u.WarmC <= 300) || math.IsNaN(u.WarmC) {
		return []problem.Problem{{Field: "use.warm_c", Phrase: problem.Say("no such warmth")}}
	}
	return nil
}
