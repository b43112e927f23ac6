package programcheck

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"gotest.tools/v3/golden"

	"jobshelf/core/print/command"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
)

// What is said of drawn programs, each held against machines of many kinds, is as it was.
// Other tests say what is right; this one says that nothing moved.
func TestChecksAreAsTheyWere(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1)) //nolint:gosec // the same each time
	pla, pva := &machine.Material{Name: "PLA", NozzleMaxC: 230}, &machine.Material{Name: "PVA", NozzleMaxC: 210}
	on := func(name string, side float64, nozzles int, hot, bed float64) *machine.Machine {
		return &machine.Machine{Name: name, Process: machine.MaterialExtrusion, InService: true, Volume: machine.Volume{Shape: machine.Rectangle, XMM: side, YMM: side, ZMM: side}, NozzlesMM: []float64{0.4, 0.6}[:nozzles], NozzleMaxC: hot, BedMaxC: bed}
	}
	round, idle := on("Round", 80, 1, 250, 80), on("Idle", 500, 2, 400, 200)
	round.Volume.Shape, idle.InService = machine.Round, false
	all := []Target{{on("Small", 60, 1, 260, 90), &recipe.Recipe{LayerMM: 0.2}, machine.Loaded{pla}}, {on("Two", 120, 2, 240, 70), &recipe.Recipe{LayerMM: 0.3}, machine.Loaded{pla, pva}}, {round, nil, nil}, {idle, nil, machine.Loaded{pla}}}
	one := func(of ...float64) float64 { return of[r.IntN(len(of))] }
	var out strings.Builder
	for k := range 300 {
		s := &gcode.Summary{Lines: 100, Max: gcode.XYZ{X: one(50, 60, 60.5, 120.2, 300), Y: one(10, 60), Z: one(5, 60, 130)}, Min: gcode.XYZ{X: one(0, 0, -3), Y: one(0, 0, -50)},
			LayerMM: one(0, 0.2, 0.21, 0.25, 0.3), NozzleMaxC: one(0, 200, 215, 235, 245, 270), BedMaxC: one(0, 60, 85, 120), NozzleEndC: one(0, 0, 0, 200), BedEndC: one(0, 0, 0, 60), HotPauses: int(one(0, 0, 1, 3))}
		s.RadiusMM, s.Nozzles, s.ByTool = max(s.Max.X, s.Max.Y), []float64{s.NozzleMaxC, one(0, 205, 225)}[:1+r.IntN(2)], make([]float64, 1+r.IntN(3))
		if r.IntN(3) == 0 {
			s.Faults = []gcode.Fault{{Fault: command.Fault{What: problem.Say("lower case")}, Line: 3, Count: 2}, {Fault: command.Fault{Code: "M999", What: problem.Say("command not known")}, Line: 9, Count: 1}}[r.IntN(2):]
		}
		fit := all[r.IntN(len(all)):]
		fmt.Fprintf(&out, "%d, on %d\n", k, len(fit))
		for _, f := range Check(s, fit, one(600, 7200, 40000), one(0, 3600, 36000)) {
			fmt.Fprintf(&out, "  %s, %s: %.6g of %.6g %s; %s\n", f.Check, f.Grade, f.Value, f.Limit, f.Unit, f.Text)
		}
		for _, x := range fit {
			fmt.Fprintf(&out, "  over %s %.4g\n", x.Machine.Name, Over(s, x.Machine.Volume))
		}
	}
	golden.Assert(t, out.String(), "checks.txt")
}
