package programcheck

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/command"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
)

// A program from elsewhere, sound for the house, and with each thing that is not.
func TestForeignPrograms(t *testing.T) {
	m := machine.Machine{Name: "Bowline", Process: machine.MaterialExtrusion, InService: true, Volume: machine.Volume{Shape: machine.Rectangle, XMM: 100, YMM: 100, ZMM: 100}, NozzlesMM: []float64{0.4}, NozzleMaxC: 260, BedMaxC: 90}
	round := m
	round.Name, round.Volume = "Halyard", machine.Volume{Shape: machine.Round, XMM: 80, YMM: 80, ZMM: 100}
	idle := m
	idle.InService = false
	targets := []Target{{&m, &recipe.Recipe{LayerMM: 0.2}, machine.Loaded{{Name: "PLA", NozzleMaxC: 230}}}, {Machine: &round}, {Machine: &idle}}
	program := func(start, body, end string) []finding.Finding {
		text := "G28\n" + start + "\nG90\nM83\nG1 Z0.2 F600\nG1 X10 Y10\n" + body + "\n" + end + "\n"
		s, err := gcode.Read(context.Background(), strings.NewReader(text), 0, nil)
		require.NoError(t, err)
		return Check(s, targets, s.Seconds, 4*3600)
	}
	const layers = "\nG1 Z0.4\nG1 X20 E2\nG1 Z0.6\nG1 X80 E2"
	heat, off := "M104 S210\nM140 S60", "M104 S0\nM140 S0"
	assert.Empty(t, program(heat, "G1 X90 E2 F1200"+layers, off))
	for _, c := range []struct {
		grade            finding.Grade
		check, says      string
		start, body, end string
	}{
		{finding.StopsIt, "outside the machine", "by at least 12.5 mm", heat, "G1 X112.5 E2 F1200" + layers, off},
		{finding.Decide, "no heat", "never sets the nozzle's temperature", "", "G1 X90 E2 F1200" + layers, ""},
		{finding.StopsIt, "hotter than the machine", "asks for 270 °C at the nozzle", "M104 S270", "G1 X90 E2 F1200" + layers, off},
		{finding.Decide, "hotter than the material", "PLA, which is loaded, may be 230 °C hot", "M104 S240", "G1 X90 E2 F1200" + layers, off},
		{finding.StopsIt, "heating stays on", "leaves the nozzle at 210 °C and the bed at 60 °C", heat, "G1 X90 E2 F1200" + layers, ""},
		{finding.StopsIt, "heating stays on", "leaves the bed at 60 °C", heat, "G1 X90 E2 F1200" + layers, "M104 S0"},
		{finding.Decide, "layer height", "Its layers are 0.3 mm high. The house lays 0.2 mm on Bowline", heat, "G1 X90 E2 F1200\nG1 Z0.5\nG1 X10 E9\nG1 Z0.8\nG1 X90 E9\nG1 Z1.1\nG1 X10 E9", off},
		{finding.Decide, "too long", "It runs for 5.", heat, "G4 S18000\nG1 X90 E2 F1200" + layers, off},
		{finding.StopsIt, "command not allowed", "M500 in line 8 saves settings in the machine", heat, "M500\nG1 X90 E2 F1200" + layers, off},
		{finding.StopsIt, "hotter than the machine", "asks for 95 °C at the bed; that of Bowline goes up to 90 °C", "M104 S210\nM140 S95", "G1 X90 E2 F1200" + layers, off},
		{finding.StopsIt, "nozzles", "It uses 2 nozzles; no machine that it fits has more than 1.", heat, "G1 X90 E2 F1200" + layers, "M104 T1 S0\n" + off},
		{finding.StopsIt, "unclear line", "Line 8 is in lower case", heat, "m104 s210\nG1 X90 E2 F1200" + layers, off},
		{finding.StopsIt, "unclear line", "Line 8 holds a control character", heat, "; nothing\rM104 S210\nG1 X90 E2 F1200" + layers, off},
		{finding.Decide, "waits with the heat on", "waits for somebody once with the heat on", heat, "G1 X90 E2 F1200\nM0" + layers, off},
		{finding.StopsIt, "command not allowed", "START_PRINT in line 8 is not among", heat, "START_PRINT BED=60\nG1 X90 E2 F1200" + layers, off},
	} {
		found := program(c.start, c.body, c.end)
		list := ""
		for _, f := range found {
			list += fmt.Sprintf("%s / %s: %s\n", f.Grade, f.Check, f.Text)
		}
		assert.Contains(t, list, fmt.Sprintf("%s / %s: ", c.grade, c.check), "%s", c.check)
		assert.Contains(t, list, c.says)
	}
	// On a round plate the middle is the origin.
	s := &gcode.Summary{Min: gcode.XYZ{X: -39, Y: -1}, Max: gcode.XYZ{X: 39, Y: 1, Z: 101}, RadiusMM: 39.5}
	assert.Equal(t, [3]float64{0, 0, 1}, Over(s, round.Volume))
	assert.Equal(t, [3]float64{39, 1, 1}, Over(s, m.Volume))
}

// A program's findings at the edges of what machines, materials and the house allow.
func TestProgramsAtTheEdges(t *testing.T) {
	base := machine.Machine{Name: "Bowline", Process: machine.MaterialExtrusion, InService: true, Volume: machine.Volume{Shape: machine.Rectangle, XMM: 100, YMM: 80, ZMM: 60}, NozzlesMM: []float64{0.4}, NozzleMaxC: 260, BedMaxC: 90}
	hotter := base
	hotter.Name, hotter.NozzleMaxC, hotter.BedMaxC = "Capstan", 300, 60
	pla, abs := &machine.Material{Name: "PLA", NozzleMaxC: 230}, &machine.Material{Name: "ABS", NozzleMaxC: 250}
	unknown := &machine.Material{Name: "Dust"}
	fine, coarse := &recipe.Recipe{LayerMM: 0.2}, &recipe.Recipe{LayerMM: 0.3}
	sound := gcode.Summary{NozzleMaxC: 210, BedMaxC: 60, LayerMM: 0.2, Nozzles: []float64{210}}
	sound.Max = gcode.XYZ{X: 50, Y: 50, Z: 50}
	one := []Target{{&base, fine, machine.Loaded{pla}}}
	for name, c := range map[string]struct {
		change  func(*gcode.Summary)
		targets []Target
		seconds float64
		says    string // "check: value of limit"; empty: nothing
	}{
		"sound":                   {func(*gcode.Summary) {}, one, 0, ""},
		"at the border":           {func(s *gcode.Summary) { s.Max = gcode.XYZ{X: 100, Y: 80, Z: 60} }, one, 0, ""},
		"a hair beyond":           {func(s *gcode.Summary) { s.Max.X = 100.0009 }, one, 0, ""},
		"beyond":                  {func(s *gcode.Summary) { s.Max.Y = 80.002 }, one, 0, "outside the machine: 0.002 of 0"},
		"before the border":       {func(s *gcode.Summary) { s.Min.X = -2 }, one, 0, "outside the machine: 2 of 0"},
		"too high":                {func(s *gcode.Summary) { s.Max.Z = 63 }, one, 0, "outside the machine: 3 of 0"},
		"as long as allowed":      {func(*gcode.Summary) {}, one, 7200, ""},
		"longer":                  {func(*gcode.Summary) {}, one, 9000, "too long: 2.5 of 2"},
		"hottest":                 {func(s *gcode.Summary) { s.NozzleMaxC, s.Nozzles = 230, []float64{230} }, one, 0, ""},
		"hotter than it may":      {func(s *gcode.Summary) { s.NozzleMaxC, s.Nozzles = 231, []float64{231} }, one, 0, "hotter than the material: 231 of 230"},
		"nobody knows its heat":   {func(s *gcode.Summary) { s.NozzleMaxC, s.Nozzles = 260, []float64{260} }, []Target{{&base, fine, machine.Loaded{unknown}}}, 0, ""},
		"another may":             {func(s *gcode.Summary) { s.NozzleMaxC, s.Nozzles = 240, []float64{240} }, []Target{{&base, fine, machine.Loaded{pla}}, {&hotter, fine, machine.Loaded{abs}}}, 0, ""},
		"none may":                {func(s *gcode.Summary) { s.NozzleMaxC, s.Nozzles = 255, []float64{255} }, []Target{{&base, fine, machine.Loaded{pla}}, {&hotter, fine, machine.Loaded{abs}}}, 0, "hotter than the material: 255 of 250"},
		"a second nozzle hotter":  {func(s *gcode.Summary) { s.NozzleMaxC, s.Nozzles = 255, []float64{235, 255} }, []Target{{twoOf(base), fine, machine.Loaded{pla, abs}}}, 0, "hotter than the material: 235 of 230"},
		"a second much hotter":    {func(s *gcode.Summary) { s.NozzleMaxC, s.Nozzles = 258, []float64{235, 258} }, []Target{{twoOf(base), fine, machine.Loaded{pla, abs}}}, 0, "hotter than the material: 258 of 250"},
		"the machine's most":      {func(s *gcode.Summary) { s.NozzleMaxC, s.BedMaxC, s.Nozzles = 260, 90, []float64{210} }, one, 0, ""},
		"too hot for it":          {func(s *gcode.Summary) { s.NozzleMaxC = 261 }, one, 0, "hotter than the machine: 261 of 260"},
		"too hot for all":         {func(s *gcode.Summary) { s.NozzleMaxC = 301 }, []Target{{&base, fine, nil}, {&hotter, fine, nil}}, 0, "hotter than the machine: 301 of 300"},
		"bed too hot":             {func(s *gcode.Summary) { s.BedMaxC = 91 }, one, 0, "hotter than the machine: 91 of 90"},
		"bed too hot, nozzle not": {func(s *gcode.Summary) { s.NozzleMaxC, s.BedMaxC = 260, 91 }, one, 0, "hotter than the machine: 91 of 90"},
		"between two layers":      {func(s *gcode.Summary) { s.LayerMM = 0.26 }, []Target{{&base, fine, nil}, {&hotter, coarse, nil}}, 0, "layer height: 0.26 of 0.3"},
		"nearer to the other":     {func(s *gcode.Summary) { s.LayerMM = 0.24 }, []Target{{&hotter, coarse, nil}, {&base, fine, nil}}, 0, "layer height: 0.24 of 0.2"},
		"as high, nearly":         {func(s *gcode.Summary) { s.LayerMM = 0.2049 }, one, 0, ""},
		"one of two":              {func(s *gcode.Summary) { s.LayerMM = 0.3 }, []Target{{&base, fine, nil}, {&hotter, coarse, nil}}, 0, ""},
		"no recipe":               {func(s *gcode.Summary) { s.LayerMM = 0.7 }, []Target{{&base, nil, nil}}, 0, ""},
		"two nozzles":             {func(s *gcode.Summary) { s.ByTool = []float64{3, 4} }, one, 0, "nozzles: 2 of 1"},
		"nobody told of nozzles":  {func(s *gcode.Summary) { s.ByTool = []float64{3, 4} }, []Target{{func() *machine.Machine { m := base; m.NozzlesMM = nil; return &m }(), fine, nil}}, 0, ""},
		"nozzle left on":          {func(s *gcode.Summary) { s.NozzleEndC = 0.5 }, one, 0, "heating stays on: 0.5 of 0"},
		"both left on":            {func(s *gcode.Summary) { s.NozzleEndC, s.BedEndC = 200, 60 }, one, 0, "heating stays on: 200 of 0"},
		"waits hot":               {func(s *gcode.Summary) { s.HotPauses = 2 }, one, 0, "waits with the heat on: 2 of 0"},
		"cold":                    {func(s *gcode.Summary) { s.NozzleMaxC, s.Nozzles = 0, nil }, one, 0, "no heat: 0 of 0"},
	} {
		s := sound
		c.change(&s)
		var got []string
		for _, f := range Check(&s, c.targets, c.seconds, 7200) {
			got = append(got, fmt.Sprintf("%s: %.3g of %.3g", f.Check, f.Value, f.Limit))
		}
		assert.Equal(t, c.says, strings.Join(got, ", "), name)
	}
	assert.Empty(t, Check(&sound, one, 1e9, 0), "the house allows any length")
	idle := base
	idle.InService = false
	s := sound
	s.Max.X = 500
	assert.Empty(t, Check(&s, []Target{{&idle, fine, nil}}, 0, 0), "no machine is in service")
}

func twoOf(m machine.Machine) *machine.Machine {
	m.NozzlesMM = []float64{0.4, 0.4}
	return &m
}

// What is said of a program from elsewhere, word for word where figures stand in it, and
// with machines before the one that counts.
func TestWordsAboutPrograms(t *testing.T) {
	base := machine.Machine{Name: "Bowline", Process: machine.MaterialExtrusion, InService: true, Volume: machine.Volume{Shape: machine.Rectangle, XMM: 100, YMM: 80, ZMM: 60}, NozzleMaxC: 260, BedMaxC: 90}
	idle, resin := base, base
	idle.InService, resin.Process = false, machine.Process("vat photopolymerization")
	fine, coarse := &recipe.Recipe{LayerMM: 0.2}, &recipe.Recipe{LayerMM: 0.3}
	all := []Target{{&idle, nil, nil}, {&resin, nil, nil}, {&base, nil, nil}, {&base, fine, nil}, {&base, coarse, nil}}
	sound := gcode.Summary{NozzleMaxC: 210, BedMaxC: 60, LayerMM: 0.2, Nozzles: []float64{210}}
	told := func(targets []Target, change func(*gcode.Summary)) []string {
		s := sound
		change(&s)
		var out []string
		for _, f := range Check(&s, targets, 9000, 7200) {
			if f.Check != "too long" {
				out = append(out, f.Text)
			} else {
				assert.Equal(t, "It runs for 2.5 h; the house allows 2.0 h. Ask for the model: thicker layers or less infill save most.", f.Text)
			}
		}
		return out
	}
	assert.Empty(t, told(all, func(*gcode.Summary) {}))
	assert.Equal(t, []string{"The program goes outside of every machine, by at least 25.0 mm. Ask for the model and slice it here."},
		told(all, func(s *gcode.Summary) { s.Max.X = 125 }))
	assert.Equal(t, []string{"At its end it leaves the nozzle at 50 °C. Heating ends with the print here; ask for the model."},
		told(all, func(s *gcode.Summary) { s.NozzleEndC = 50 }))
	assert.Equal(t, []string{"At its end it leaves the bed at 40 °C. Heating ends with the print here; ask for the model."},
		told(all, func(s *gcode.Summary) { s.BedEndC = 40 }))
	assert.Equal(t, []string{"Its layers are 0.24 mm high. The house lays 0.2 mm on Bowline, 0.3 mm on Bowline for this purpose: its settings were not used."},
		told(all, func(s *gcode.Summary) { s.LayerMM = 0.24 }))
	for c, want := range map[float64]float64{0.24: 0.2, 0.26: 0.3} { // the nearer one is the limit, in either order
		for _, targets := range [][]Target{{{&base, fine, nil}, {&base, coarse, nil}}, {{&base, coarse, nil}, {&base, fine, nil}}} {
			s := sound
			s.LayerMM = c
			f := Check(&s, targets, 0, 0)
			require.Len(t, f, 1)
			assert.InDelta(t, want, f[0].Limit, 0)
		}
	}
	assert.Equal(t, []string{"Line 7 has a checksum of nothing. Ask for the model.", "M999 in line 9 restarts the machine. Ask for the model.", "Line 11 is in lower case, which some machines do not obey. Ask for the model."},
		told(all, func(s *gcode.Summary) {
			s.Faults = []gcode.Fault{{Fault: command.Fault{What: problem.Say("checksum of nothing")}, Line: 7, Count: 1}, {Fault: command.Fault{Code: "M999", What: problem.Say("it restarts the machine")}, Line: 9, Count: 2}, {Fault: command.Fault{What: problem.Say("lower case")}, Line: 11, Count: 1}}
		}))
}
