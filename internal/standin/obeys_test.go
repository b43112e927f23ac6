package standin

import (
	"fmt"
	"strings"
	"testing"

	"gotest.tools/v3/golden"

	"jobshelf/internal/demo"
)

// What a stand-in says to each command, and is then, is as it was: on a machine of two nozzles and on a round one that turns
// its heat off by itself. Other tests say what is right; this one says that nothing moved.
func TestEveryCommandIsObeyedAsItWas(t *testing.T) {
	script := `M115;M105;M114;M20;M27;M27 C;M25;M24;M0;M600;M524
G28;G90;M83;G1 X20 Y30 Z5 F3000;M114;G1 X40 E2 F1200;G4 P400;G4 S1;M400;M114
M82;G92 E10;G1 X50 E12;M114;G92 X1 Y2 Z3;M114;G92;M114;G91;G1 X5 Y-3 E1;G0 Z1;M114;G90;M83
G1 X60 Y60 F6000;G2 X80 Y60 I10 J0 E1;M114;G3 X60 Y60 I-10 J0 E1;M114;G2 X60 Y60 I5 J5;M114;G3 X60 Y60 I5 J5;M114;G2 X70 Y70 R8;M114;G2 X1 Y1 I900
M204 S500;G1 X10 F9000;M204 P300;G1 X100;M400;M114
M104 S150;M105;M140 S50;M109 S60;M190 S30;M105;M104 T1 S70;T1;M105;M109 S40;T0;T5;T9;M104 S9999;M140 S9999;M104 S-5;M140 S-5;M104 SNaN;M105
M106 S255;M106;M107;M155 S2;G4 S5;M155 S0;M73 P10;M117 hello;M220 S50;G29;M999;X;;G1 X;G1 XNaN
M28;M28 a/b.gco;M28 A B.GCO;M28 a.gco;G1 X1;M105;M29;M29;M20;M23 none.gco;M23 A.GCO;M27;M27 C;M24;G4 S2;M27;M28 w.gco;G1 X10 F600;M0;G1 X20;M600;G1 X30;M29
M23 w.gco;M24;G4 S3;M27;M24;M27;M24;G4 S3;M27;M23 w.gco;M24;M25;M27;M24;M524;M27;M30 A.GCO;M30 none;M20
M85 S60;M104 S100;G4 S70;M105;M85 S0;M140 S60;G4 S80;M105;M112;M105;M104 S50`
	for _, k := range []int{2, 3} {
		m := demo.Machines()[k]
		p := New(&m, Options{NozzleLoss: 0.004, BedLoss: 0.0008, SpoolMM: 40})
		_ = p.Said()
		var out strings.Builder
		for _, c := range strings.FieldsFunc(script, func(r rune) bool { return r == ';' || r == '\n' }) {
			p.Hear([]byte(c + "\n"))
			s := 0
			for done := false; !done && s < 4000; s++ { // until it waits for nothing more
				p.Run(0.5)
				done = p.waiting == nil && len(p.inbox) == 0 && !p.moving()
			}
			heats := ""
			for _, h := range p.nozzles {
				heats += fmt.Sprintf(" %.1f→%.0f", h.c, h.to)
			}
			fmt.Fprintf(&out, "%s, %.1f s: at %.2f, wants %.2f, nozzle %d,%s, bed %.1f→%.0f, fan %.2f, relative %t %t, accel %g, paused %t, %q, used %.2f, asked %g\n",
				c, float64(s)/2, p.mover.at, p.want, p.nozzle, heats, p.bed.c, p.bed.to, p.fan, p.relative, p.relE, p.accel, p.paused, p.Prints(), p.UsedMM, p.Asked())
			for _, l := range strings.Split(strings.TrimSpace(string(p.Said())), "\n") {
				fmt.Fprintf(&out, "  %s\n", l)
			}
		}
		golden.Assert(t, out.String(), strings.ToLower(m.Name)+".txt")
	}
}
