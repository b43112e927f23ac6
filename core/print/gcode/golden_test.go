package gcode

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"strings"
	"testing"

	"gotest.tools/v3/golden"

	"jobshelf/core/print/machine"
)

// What drawn programs come to is as it was, figure by figure: commands of every kind in every
// mode, in any order, odd and broken words among them. Other tests say what is right; this
// one says that nothing moved.
func TestSumsAreAsTheyWere(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 3)) //nolint:gosec // the same each time
	on := []*machine.Machine{
		{Name: "slow", Process: machine.MaterialExtrusion, NozzlesMM: []float64{0.4}, FilamentMM: 1.75, Motion: machine.Motion{SpeedMMPerS: 60, AccelMMPerS2: 400, JunctionDeviationMM: 0.01, LiftMMPerS: 5}, WarmUp: machine.WarmUp{NozzleCPerS: 2, BedCPerS: 0.5, HomingS: 20}},
		{Name: "quick", Process: machine.MaterialExtrusion, NozzlesMM: []float64{0.4, 0.6}, FilamentMM: 2.85, ChangeS: 7, Motion: machine.Motion{SpeedMMPerS: 300, AccelMMPerS2: 5000, JunctionDeviationMM: 0.05, LiftMMPerS: 30}, WarmUp: machine.WarmUp{NozzleCPerS: 4, BedCPerS: 2}},
		{Name: "of light", Process: "vat photopolymerization"},
	}
	lines := strings.Split("G1 E#00000|G1 X-#0000|G90|G91|M82|M83|G20|G21|G92 E0|G92 Z0.#|G92 X# Y#|G28 Z|G92|G1 X# Y# E@ F#00|G1 X# E@|G1 Y# E@|G1 X# Y# E@|G1 X# Y# E@|G1 X# Y# E@|G1 Z# F600|G0 X# Y# Z#|G0 X# Y#|"+
		"G1 E-@ F2400|G1 E@|G2 I# J-# E@|G3 X# Y# R2000 E@|G3 I# J#|G2 X# Y# R-3000|G4 P#00|G4 S#|G4|M104 S2#|M104 T1 S2#|M109 S2#|M109 R1#|M140 S#|M190 S#|T0|T1|T2|"+
		"M0|M1|M25|M600|M226|G28|G28 X|M106 S#|M107|M204 S#00|M204 P#0 T#00|M204 T#00 P#00 S#00|M104 T63 S2#|M104 T64 S2#|M203 X#|M205 J0.0#|M201 X#00|M500|M502|M303|M84|; a note # @|G1 (in it) X#|N# G1 X# Y#*#|G10|G11|G17|M220 S#|"+
		"M221 S#|X# Y# E@|E@|Y#|%|M117 to be read|M117 T1 S300|G1 X1e2|M104|G29|g1x#y#e@|  G1   X#\t Y#|M98 P1|O100|G54|G1.5 X#|G1 Z-#|m104s#|G1 X# Y# Z# E@ F#0|"+
		"M190|M141 S#|M302 S0|M211 S0|M92 E#|M104 S0|M140 S0|M104 S0|M140 S0", "|")
	broken := strings.Split("G18|G1 Xnan|G1 X|G1 X--1|G|5|G38.2|T-1|G1 E1e9|M1000000|G1 X1 X2|M112|M104 S9999|G2 X# Y# I# J-# E@|G2 X#|G2 X# Y# R1|G3|G1 Z1e7|N|G1 X1e|T99|M104 T9|(", "|")
	var out strings.Builder
	for k := range 900 {
		var p strings.Builder
		if k%4 > 0 { // mostly what a program begins as
			p.WriteString("G21\nG90\n" + []string{"M82", "M83", "M83"}[k%3] + "\nG28\nM104 S210\nM140 S60\nG1 Z0.3 F1200\n")
		}
		for range 3 + r.IntN(90) {
			l := lines[r.IntN(len(lines))]
			if k%3 == 0 && strings.Contains(l, "G2") && r.IntN(3) > 0 {
				l = "G1 X# Y# E@"
			}
			if r.IntN(150) == 0 {
				l = broken[r.IntN(len(broken))]
			}
			for strings.ContainsAny(l, "#@") {
				l = strings.Replace(l, "#", fmt.Sprint(r.IntN(100)), 1)
				l = strings.Replace(l, "@", fmt.Sprintf("%.3f", 3*r.Float64()), 1)
			}
			p.WriteString(l + []string{"\n", "\n", "\r\n", " ; # \n"}[r.IntN(4)])
		}
		s, err := Read(ctx, strings.NewReader(p.String()), int64(p.Len()), nil, on...)
		if err != nil {
			fmt.Fprintf(&out, "%d: %v\n", k, err)
			continue
		}
		h := fnv.New32()
		fmt.Fprintf(h, "%.6g %.6g %v %v", s.Layers, s.ByTool, s.Commands, s.Faults)
		fmt.Fprintf(&out, "%d: %d lines, %.6g to %.6g, %.6g from the middle, %d layers of %.4g after %.4g, %.7g mm fed, %.6g s, on each %.6g, ways %.6g %.6g, heat %g %g %g at the end %g %g, speeds %.5g %.5g, %d changes %d back %d arcs, %d pauses %d of them hot, all %08x\n",
			k, s.Lines, s.Min, s.Max, s.RadiusMM, len(s.Layers), s.LayerMM, s.FirstLayerMM, s.FilamentMM, s.Seconds, s.SecondsOn, s.ExtrudedMM, s.TravelMM, s.NozzleMaxC, s.BedMaxC, s.Nozzles,
			s.NozzleEndC, s.BedEndC, s.FirstMMPerS, s.MaxMMPerS, s.ToolChanges, s.Retractions, s.Arcs, s.Pauses, s.HotPauses, h.Sum32())
	}
	var many strings.Builder // more kinds of commands than are counted
	for k := range 600 {
		fmt.Fprintf(&many, "M%d\n", 2000+k)
	}
	s, err := Read(ctx, strings.NewReader("M83\nG1 X1 E1 F600\n"+many.String()), 0, nil)
	fmt.Fprintf(&out, "%d of 600 kinds, %d faults, %v\n", len(s.Commands), len(s.Faults), err)
	golden.Assert(t, out.String(), "sums.txt")
}
