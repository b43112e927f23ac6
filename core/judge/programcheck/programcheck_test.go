package programcheck

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
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
