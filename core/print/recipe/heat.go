package recipe

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"jobshelf/core/print/command"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/naming"
	"jobshelf/core/shape/problem"
)

// Heat is one temperature that a program asks for.
type Heat struct {
	Nozzle int  // counted from 1; 0 is the bed
	First  bool // in the first layer; else in the others
	C      float64
	// Field is the setting, or the machine's block, that it comes from.
	Field string
	// Material is what is in the nozzle; nil for the bed.
	Material *machine.Material
}

// Heats are all temperatures that a program by a recipe can ask for: of every
// nozzle it may use in the first layer and the others, of the bed, and what the
// machine's own blocks say in plain numbers. The writer of programs takes its
// temperatures, whole tenths, from here and from nowhere else; Validate walks them all.
type Heats []Heat

// Heats gives them for a machine and what is loaded in it. also are nozzles that pieces name,
// counted from 1, beside those of the recipe.
func (r Recipe) Heats(m *machine.Machine, loaded machine.Loaded, also ...int) Heats {
	r = r.WithDefaults()
	out := Heats{{Nozzle: 0, First: true, C: r.BedC, Field: "bed_c"}, {Nozzle: 0, C: r.BedC, Field: "bed_c"}}
	nozzles := []int{r.PieceNozzle}
	for _, n := range append([]int{r.SupportNozzle}, also...) {
		if !slices.Contains(nozzles, n) {
			nozzles = append(nozzles, n)
		}
	}
	for _, n := range nozzles {
		mat := loaded.Of(n)
		for _, first := range []bool{true, false} {
			h := Heat{Nozzle: n, First: first, C: r.NozzleC, Field: "nozzle_c", Material: mat}
			switch {
			case n > 1 && mat != nil && mat.NozzleC > 0: // a further nozzle is as hot as its material is usually laid
				h.C, h.Field = mat.NozzleC, "piece_nozzle"
				if n == r.SupportNozzle && n != r.PieceNozzle {
					h.Field = "support_nozzle"
				}
			case first:
				h.C, h.Field = r.FirstNozzleC, "first_nozzle_c"
			}
			out = append(out, h)
		}
	}
	for i := range out { // downwards: rounding makes nothing hotter
		out[i].C = math.Floor(10*out[i].C+1e-6) / 10
	}
	if m == nil {
		return out
	}
	start, end, change := m.Dialect.Blocks()
	for _, b := range []struct{ field, text string }{{"dialect.start", start}, {"dialect.end", end}, {"dialect.change", change}} {
		for _, line := range strings.Split(b.text, "\n") {
			line = strings.TrimRight(line, "\r")
			if strings.Contains(line, "{") {
				for _, n := range nozzles {
					if h, ok := filled(line, n, out); ok {
						out = append(out, Heat{Nozzle: h.Nozzle + 1, C: h.C, Field: b.field, Material: loaded.Of(h.Nozzle + 1)})
					}
				}
				continue
			}
			h, ok := command.HeatOf([]byte(line))
			switch {
			case !ok:
			case h.Bed:
				out = append(out, Heat{C: h.C, Field: b.field})
			case h.Nozzle >= 0:
				out = append(out, Heat{Nozzle: h.Nozzle + 1, C: h.C, Field: b.field, Material: loaded.Of(h.Nozzle + 1)})
			default: // the one in use, which may be any
				for _, n := range nozzles {
					out = append(out, Heat{Nozzle: n, C: h.C, Field: b.field, Material: loaded.Of(n)})
				}
			}
		}
	}
	return out
}

// filled is the heat of a line of a block with its values, while a nozzle is in use; false
// where it is that nozzle's own, or the bed's, which are in the list already. A block may
// name another nozzle, which would get the temperature of the one in use.
func filled(line string, nozzle int, list Heats) (command.Heat, bool) {
	values := naming.Values{}
	for _, name := range machine.BlockNames {
		values[name] = "0"
	}
	first := list.At(nozzle, true)
	// {nozzle_c} is the first layer's in the first layer, the others' in the others.
	for name, c := range map[string]float64{"nozzle_c": math.Max(first, list.At(nozzle, false)), "first_nozzle_c": first, "bed_c": list.Bed()} {
		values[name] = strconv.FormatFloat(c, 'f', -1, 64)
	}
	values["nozzle"] = strconv.Itoa(nozzle - 1)
	text, err := naming.Put(line, values)
	if err != nil {
		return command.Heat{}, false // told by the machine's own check
	}
	h, ok := command.HeatOf([]byte(text))
	return h, ok && !h.Bed && h.Nozzle >= 0 && h.Nozzle != nozzle-1
}

// Bed is the bed's temperature, °C.
func (h Heats) Bed() float64 { return h[0].C }

// At is a nozzle's temperature, counted from 1, in the first layer or the others,
// °C; 0 for one that the recipe does not use.
func (h Heats) At(nozzle int, first bool) float64 {
	for _, x := range h {
		if x.Nozzle == nozzle && nozzle > 0 && x.First == first {
			return x.C
		}
	}
	return 0
}

// TooHot lists the temperatures of a recipe that machine or material do not stand.
func (r *Recipe) TooHot(m *machine.Machine, loaded machine.Loaded) []problem.Problem {
	var out []problem.Problem
	r.Heats(m, loaded).problems(m, func(field, code string, params ...any) {
		out = append(out, problem.Problem{Field: field, Phrase: problem.Say(code, params...)})
	})
	return out
}

// problems says which of them machine or material do not stand.
func (h Heats) problems(m *machine.Machine, bad func(field, code string, params ...any)) {
	told := map[string]bool{}
	for _, x := range h {
		say := func(code string, params ...any) {
			p := problem.Say(code, params...)
			if strings.HasPrefix(x.Field, "dialect.") {
				p = problem.Say("the machine's own block", p)
			}
			if key := x.Field + p.String(); !told[key] {
				told[key] = true
				bad(x.Field, p.Code, p.Params...)
			}
		}
		switch {
		case x.Nozzle == 0:
			if x.C > m.BedMaxC {
				say("bed goes up to", m.Name, problem.Given(m.BedMaxC), problem.Given(x.C))
			}
			continue
		case x.C > m.NozzleMaxC:
			say("machine goes up to", m.Name, problem.Given(m.NozzleMaxC), problem.Given(x.C))
		}
		if x.Material != nil && x.Material.NozzleMaxC > 0 && x.C > x.Material.NozzleMaxC {
			say("material goes up to", x.Material.Name, problem.Given(x.Material.NozzleMaxC), problem.Given(x.C))
		}
	}
}
