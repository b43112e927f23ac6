package gcode

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/machine"
)

var ctx = context.Background()

func sum(t testing.TB, program string) *Summary {
	t.Helper()
	s, err := Read(ctx, strings.NewReader(program), int64(len(program)), nil)
	require.NoError(t, err)
	return s
}

// square draws a square of side a at height z, absolute, with e mm a side.
func square(z, a, e float64) string {
	return fmt.Sprintf("G1 Z%g\nG0 X0 Y0\nG1 X%[2]g E%[3]g F1200\nG1 Y%[2]g E%[3]g\nG1 X0 E%[3]g\nG1 Y0 E%[3]g\n", z, a, e)
}

// By hand: 4 sides of 10 mm at 20 mm/s are 2 s a layer; 0.5 mm of filament a side.
func TestSumsOfASquareTower(t *testing.T) {
	program := "; by hand\nG21 G90\nM83\nM104 S210\nM140 S60\nM109 S210\nG28\n" + square(0.3, 10, 0.5) + square(0.5, 10, 0.5) + square(0.7, 10, 0.5) + "M104 S0\nM140 S0\nM84\n"
	s := sum(t, program)
	assert.InDelta(t, 6, s.FilamentMM, 1e-12)
	assert.InDelta(t, 120, s.ExtrudedMM, 1e-12)
	assert.Len(t, s.Layers, 3)
	assert.Equal(t, 0.2, s.LayerMM)
	assert.Equal(t, 0.3, s.FirstLayerMM)
	assert.Equal(t, XYZ{0, 0, 0.3}, s.Min)
	assert.Equal(t, XYZ{10, 10, 0.7}, s.Max)
	assert.InDelta(t, math.Hypot(10, 10), s.RadiusMM, 1e-12)
	assert.Equal(t, 210., s.NozzleMaxC)
	assert.Equal(t, 60., s.BedMaxC)
	assert.Zero(t, s.NozzleEndC+s.BedEndC)
	assert.Equal(t, 20., s.FirstMMPerS)
	// 6 s of lines, and heights without a feed of their own: 0.3 mm has none yet,
	// twice 0.2 mm at 20 mm/s, the ways between are none.
	assert.InDelta(t, 6+2*0.2/20, s.Seconds, 1e-9)
}

// A visitor is given lines without their ends, whatever ends them.
func TestLinesAreGivenWithoutTheirEnds(t *testing.T) {
	var lines []string
	text := "G90\r\nM83 ; a\n\r\nG28\r"
	_, err := Walk(ctx, strings.NewReader(text), int64(len(text)), Visitor{Text: func(line int, text []byte) { lines = append(lines, fmt.Sprint(line, " ", string(text))) }}, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"1 G90", "2 M83 ; a", "3 ", "4 G28"}, lines)
}

// What is laid reaches from where a line begins, too, though nothing was laid on the way
// there; ways without filament reach nowhere.
func TestALineReachesFromWhereItBegins(t *testing.T) {
	s := sum(t, "G90\nM83\nG0 X-90 Y70 Z9 F3000\nG0 X-30 Y-40 Z0.2\nG1 X20 Y10 E1\nG0 X80 Y90\n")
	assert.Equal(t, XYZ{-30, -40, 0.2}, s.Min)
	assert.Equal(t, XYZ{20, 10, 0.2}, s.Max)
	assert.InDelta(t, 50, s.RadiusMM, 1e-12)
}

// The same way told otherwise: relative, inches, arcs, modal words, G92, absolute
// filament, line numbers and checksums, lower case, comments.
func TestTheSameSquareInOtherWords(t *testing.T) {
	want := sum(t, "G90\nM83\n"+square(0.2, 25.4, 1))
	for name, program := range map[string]string{
		"relative":   "G91\nM83\nG1 Z.2\nG1 X25.4 E1 F1200\nG1 Y25.4 E1\nG1 X-25.4 E1\nG1 Y-25.4 E1",
		"inches":     "G20\nG90\nM83\nG1 Z" + fmt.Sprint(0.2/25.4) + "\nG1 X1 E" + fmt.Sprint(1/25.4) + " F" + fmt.Sprint(1200/25.4) + "\nY1 E" + fmt.Sprint(1/25.4) + "\nX0 E" + fmt.Sprint(1/25.4) + "\nY0 E" + fmt.Sprint(1/25.4),
		"modal":      "g90\nm83\ng1 z0.2\nx25.4 e1 f1200\ny25.4 e1\nx0e1\ny0e1",
		"absolute E": "G90\nM82\nG92 E7\nG1 Z0.2\nG1 X25.4 E8 F1200\nG1 Y25.4 E9\nG92 E0\nG1 X0 E1\nG1 Y0 E2",
		"moved":      "G90\nM83\nG92 X100 Y50 Z3\nG1 Z3.2\nG1 X125.4 E1 F1200\nG1 Y75.4 E1\nG1 X100 E1\nG1 Y50 E1",
		"numbered":   "N1 G90*3\nN2 M83*4\nN3 G1 Z0.2*9\nN4 G1 X25.4 E1 F1200 ; right\nN5 G1 Y25.4 (back) E1*77\nN6 G1 X0 E1\nN7 G1 Y0 E1",
		"one line":   "G90 M83\nG1 Z0.2 G1 X25.4 E1 F1200 G1 Y25.4 E1\r\nG1 X0 E1\r\nG1 Y0 E1\r\n",
	} {
		t.Run(name, func(t *testing.T) {
			got := sum(t, program)
			assert.InDelta(t, want.FilamentMM, got.FilamentMM, 1e-9)
			assert.InDelta(t, want.ExtrudedMM, got.ExtrudedMM, 1e-9)
			assert.InDelta(t, want.Max.X, got.Max.X, 1e-9)
			assert.InDelta(t, want.Max.Y, got.Max.Y, 1e-9)
			require.Len(t, got.Layers, 1)
			assert.InDelta(t, 0.2, got.Layers[0].ZMM, 1e-9)
			assert.InDelta(t, 0.2, got.FirstLayerMM, 1e-9)
			assert.InDelta(t, 20, got.MaxMMPerS, 1e-9)
		})
	}
}

// Waits for somebody are counted, in whatever words; blanks may stand between a letter and
// its number; and arcs in inches are as large as inches.
func TestPausesBlanksAndInches(t *testing.T) {
	s := sum(t, "M83\nG1 X 10\tY\t5 E1 F 600\nM0\nG1 X0 E1\nM1\nM0\n")
	assert.Equal(t, 3, s.Pauses)
	// Filament that is pulled back counts once, in however many moves and whatever comes between.
	assert.Equal(t, 2, sum(t, "M83\nG1 X5 E1 F600\nG1 E-1\nG1 E-0.5\nG0 X9\nG1 E1.5\nG1 X0 E1\nG1 E-2\nG1 E2\nG1 X5 E1\n").Retractions)
	assert.Equal(t, XYZ{10, 11, 1.2}, sum(t, "G90\nM83\nG1 X5 Y6 Z1.2 F600\nG92\nG1 X5 Y5 E1\n").Max, "a bare G92 calls every axis 0")
	assert.Equal(t, 1, sum(t, "M83\nG1 E-1 F600\nG1 X5 E1\n").Retractions, "at the very start, too")
	assert.Equal(t, 10., s.Max.X)
	assert.Equal(t, 5., s.Max.Y)
	inch := sum(t, "G20\nG90\nM83\nG1 X1 Y0 F60\nG3 X0 Y1 I-1 J0 E1\nG3 X-1 Y0 I0 J-1 E1\nG3 X0 Y-1 R1 E1\n")
	mm := sum(t, "G21\nG90\nM83\nG1 X25.4 Y0 F1524\nG3 X0 Y25.4 I-25.4 J0 E25.4\nG3 X-25.4 Y0 I0 J-25.4 E25.4\nG3 X0 Y-25.4 R25.4 E25.4\n")
	assert.InDelta(t, 1.5*math.Pi*25.4, inch.ExtrudedMM, 0.1)
	assert.InDelta(t, mm.ExtrudedMM, inch.ExtrudedMM, 1e-6)
	assert.InDelta(t, mm.Seconds, inch.Seconds, 1e-6)
}

// A circle of radius r is 2πr long; followed by chords within 0.01 mm it is
// short by less than a thousandth.
func TestArcs(t *testing.T) {
	for name, program := range map[string]string{
		"whole, by middle":       "G90\nM83\nG1 X10 Y0 Z0.2 F600\nG3 X10 Y0 I-10 J0 E5",
		"four quarters, radius":  "G90\nM83\nG1 X10 Y0 Z0.2 F600\nG3 X0 Y10 R10 E1\nG3 X-10 Y0 R10 E1\nG3 X0 Y-10 R10 E1\nG3 X10 Y0 R10 E2",
		"clockwise":              "G90\nM83\nG1 X10 Y0 Z0.2 F600\nG2 X-10 Y0 I-10 E2\nG2 X10 Y0 I10 E3",
		"two halves, radius":     "G90\nM83\nG1 X10 Y0 Z0.2 F600\nG3 X-10 Y0 R10 E2\nG3 X10 Y0 R10 E3",
		"three quarters and one": "G90\nM83\nG1 X10 Y0 Z0.2 F600\nG3 X0 Y-10 R-10 E4\nG3 X10 Y0 R10 E1",
	} {
		t.Run(name, func(t *testing.T) {
			s := sum(t, program)
			assert.InEpsilon(t, 20*math.Pi, s.ExtrudedMM, 1e-3)
			assert.InDelta(t, 5, s.FilamentMM, 1e-9)
			assert.InDelta(t, 10, s.Max.Y, 0.01)
			assert.InDelta(t, -10, s.Min.Y, 0.01)
		})
	}
}

func TestCommandsAreCountedWithTheirFirstLine(t *testing.T) {
	s := sum(t, "G28\nM500\nSET_LIMIT ACCEL=5000 NAME=\"x y\"\nM117 Hello E5 X7 there\nT0\nM104 T1 S230\nT1\nM109 S200\nG1 X1 E1 F60\nT0\nM500\nM104 S0 T0\n")
	var codes []string
	for _, c := range s.Commands {
		codes = append(codes, fmt.Sprintf("%s@%d×%d", c.Code, c.Line, c.Count))
	}
	assert.Equal(t, []string{"G28@1×1", "M500@2×2", "SET_LIMIT@3×1", "M117@4×1", "T0@5×2", "M104@6×2", "T1@7×1", "M109@8×1"}, codes)
	assert.Equal(t, 2, s.ToolChanges)
	assert.Equal(t, []float64{0, 230}, s.Nozzles)
	assert.Equal(t, 1, sum(t, "G1 X1 E1 F60\nT1\nG1 X0 E1").ToolChanges, "a program begins on the first nozzle, said or not")
	// A lone carriage return ends a line, in machines as here.
	hidden := sum(t, "M104 S200\n; nothing\rM104 S600\nG1 X1 E1 F60\n")
	assert.Equal(t, 600., hidden.NozzleMaxC)
	assert.Equal(t, 230., s.NozzleMaxC)
	assert.Equal(t, 200., s.NozzleEndC, "the second nozzle is left on")
	assert.InDelta(t, 1, s.FilamentMM, 0, "the words of a message are no moves")
	assert.Equal(t, []float64{0, 1}, s.ByTool)
}

func TestBrokenProgramsNameTheLine(t *testing.T) {
	for name, c := range map[string]struct{ program, says string }{
		"garbage":          {"G28\n!!!\n", "line 2"},
		"no number":        {"G1 X1\nG X2\n", "line 2"},
		"feed below 0":     {"G1 X1 E1 F60\nG1 X2 E1 F-0.5\n", "negative"},
		"two points":       {"G1 X1.2.3\n", "1.2.3"},
		"far":              {"G1 X99999999\n", "farther"},
		"arc past its end": {"G1 X0 Y0 E1 F60\nG2 X50 Y0 I5 J0 E1\n", "arc"},
		"arc on a point":   {"G1 X1 Y1 E1 F60\nG2 X1 Y1 I0 J0 E1\n", "arc"},
		"arc of nothing":   {"G1 X1 Y1\nG2 X5 Y5\n", "neither"},
		"arc too small":    {"G1 X1 Y1\nG2 X50 Y5 R1\n", "radius"},
		"other plane":      {"G18\n", "plane"},
		"nothing":          {"G28\nM104 S200\n", "extrudes nothing"},
		"endless line":     {"G1 " + strings.Repeat("X1", 70000), "longer"},
		"many words":       {"G1 " + strings.Repeat("X1", 40), "words"},
		"tool":             {"T-1\n", "tool"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := Read(ctx, strings.NewReader(c.program), 0, nil)
			require.ErrorIs(t, err, ErrBroken)
			assert.ErrorContains(t, err, c.says)
		})
	}
}

// An arc's ends may be 0.05 mm and a hundredth of its radius nearer to its middle than each other, as rounding leaves
// them, and no more.
func TestArcsWhoseEndsAreRounded(t *testing.T) {
	for _, radius := range []float64{1, 10, 80} {
		for off, ok := range map[float64]bool{0: true, 0.049 + 0.0099*radius: true, 0.051 + 0.0101*radius: false} {
			for _, sign := range []float64{1, -1} {
				program := fmt.Sprintf("G90\nM83\nG1 X0 Y0 Z0.2 F600\nG1 X0.5 E1\nG1 X0 E1\nG3 X%.6f Y%.6f I%.6f J0 E1\n", radius, radius+sign*off, radius)
				_, err := Read(ctx, strings.NewReader(program), 0, nil)
				assert.Equal(t, ok, err == nil, "radius %v, %v off: %v", radius, sign*off, err)
			}
		}
	}
}

// A random walk comes to the same sums in absolute and in relative words.
func TestAbsoluteAndRelativeAgree(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var abs, rel strings.Builder
		abs.WriteString("G90\nM82\n")
		rel.WriteString("G91\nM83\n")
		at, e := [3]float64{}, 0.0
		step := rapid.Float64Range(-20, 20)
		for range rapid.IntRange(1, 30).Draw(t, "moves") {
			d := [3]float64{math.Round(step.Draw(t, "x")*100) / 100, math.Round(step.Draw(t, "y")*100) / 100, 0.2}
			de := math.Abs(math.Round(step.Draw(t, "e")*100)/100) + 0.01
			for k := range at {
				at[k] += d[k]
			}
			e += de
			fmt.Fprintf(&abs, "G1 X%.2f Y%.2f Z%.2f E%.2f F600\n", at[0], at[1], at[2], e)
			fmt.Fprintf(&rel, "G1 X%.2f Y%.2f Z%.2f E%.2f F600\n", d[0], d[1], d[2], de)
		}
		a, err := Read(ctx, strings.NewReader(abs.String()), 0, nil)
		require.NoError(t, err)
		r, err := Read(ctx, strings.NewReader(rel.String()), 0, nil)
		require.NoError(t, err)
		require.InDelta(t, a.FilamentMM, r.FilamentMM, 1e-6)
		require.InDelta(t, a.ExtrudedMM, r.ExtrudedMM, 1e-6)
		require.InDelta(t, a.Seconds, r.Seconds, 1e-6)
		require.Equal(t, len(a.Layers), len(r.Layers))
	})
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{"G28\nG1 X1 Y2 E3 F600\nG2 X5 Y2 I2 J0 E1\n", "N1 G20*5\nM104 S200 T1\nT1\nSET_X A=1\n(c) G92 E0;x", "G91 G1X.5E.1\nG3R2X1\n%\n/G1\n"} {
		f.Add([]byte(s))
	}
	m := &machine.Machine{Motion: machine.Motion{SpeedMMPerS: 50, AccelMMPerS2: 1000, JunctionDeviationMM: 0.02, LiftMMPerS: 5}, ChangeS: 7}
	f.Fuzz(func(t *testing.T, b []byte) {
		if len(b) > 1<<15 {
			return
		}
		s, err := Read(ctx, strings.NewReader(string(b)), 0, nil, m)
		if err != nil {
			return
		}
		require.True(t, s.Seconds >= 0 && s.SecondsOn[0] >= 0)
		for _, v := range []float64{s.FilamentMM, s.ExtrudedMM, s.Seconds, s.SecondsOn[0], s.Max.X, s.Min.Z, s.LayerMM} {
			require.False(t, math.IsNaN(v) || math.IsInf(v, 0))
		}
	})
}

// A program takes as long as its machine needs: closed forms of moves from rest to
// rest, d/v + v/a, at the feed or the machine's limit.
func TestProgramsAreTimedByTheMachine(t *testing.T) {
	m := &machine.Machine{Motion: machine.Motion{SpeedMMPerS: 50, AccelMMPerS2: 1000, JunctionDeviationMM: 0.02, LiftMMPerS: 5}, ChangeS: 7, WarmUp: machine.WarmUp{NozzleCPerS: 2, BedCPerS: 0.25}}
	m.Motion.RestsInHeight = true
	resin := &machine.Machine{}
	for text, want := range map[string]float64{
		"G1 X100 E1 F6000":                   100./50 + 50./1000,
		"G1 X100 E1 F1200":                   100./20 + 20./1000,
		"G1 X100 E1 F6000\nG1 Z10 F6000":     100./50 + 50./1000 + 10./5 + 5./1000,
		"G1 X100 E1 F6000\nG4 P500\nG4 S2":   100./50 + 50./1000 + 2.5,
		"T0\nG1 X100 E1 F6000\nT1\nG1 X0 E1": 2*(100./50+50./1000) + 7,
		"M204 S500\nG1 X100 E1 F6000":        100./50 + 50./500,
		// Warm-up before the first line is not the program's time; warming again is, by
		// the slower of both, from when each was turned on.
		"M104 S220\nM109 S220\nG1 X100 E1 F6000\nM104 S0\nM140 S0\nM0\nM140 S60\nM104 S220\nG4 S10\nM190 S60\nM109 S220\nG1 X0 E1": 2*(100./50+50./1000) + 40./0.25,
		"M104 S220\nG1 X100 E1 F6000\nM104 S0\nM140 S60\nM190 S60\nM109 S220\nG1 X0 E1":                                            2*(100./50+50./1000) + 40./0.25 + 200./2,
		"G1 X100 Y0 E1 F6000\nG1 X200 E1\nG1 X100 E1":                                                                              200./50 + 50./1000 + 100./50 + 50./1000, // straight on, then back
		"G1 X1 E1 F60000": 2 * math.Sqrt(1./1000),
	} {
		s, err := Read(ctx, strings.NewReader("M83\n"+text), 0, nil, m, resin)
		require.NoError(t, err, text)
		require.Len(t, s.SecondsOn, 2)
		assert.InDelta(t, want, s.SecondsOn[0], 1e-9, text)
	}
}

// Waits, feeds and accelerations that nobody can mean are refused; so no time is
// negative, or too large to be told.
func TestTimesThatCannotBeAreRefused(t *testing.T) {
	m := &machine.Machine{Motion: machine.Motion{SpeedMMPerS: 50, AccelMMPerS2: 1000, JunctionDeviationMM: 0.02, LiftMMPerS: 5}}
	tiny := "0." + strings.Repeat("0", 300) + "1"
	for text, says := range map[string]string{
		"G4 S-9\nG1 X100 E1 F6000":                                                                     "The wait of -9 is negative (line 2)",
		"G4 P" + strings.Repeat("9", 306) + "\nG1 X100 E1 F6000":                                       "would run for years",
		"G4 S" + strings.Repeat("9", 308) + "\nG4 S" + strings.Repeat("9", 308) + "\nG1 X100 E1 F6000": "would run for years",
		"G1 X100 E1 F" + tiny:                                                                          "would run for years",
		"M204 S" + tiny + "\nG1 X100 E1 F6000":                                                         "would run for years",
	} {
		_, err := Read(ctx, strings.NewReader("M83\n"+text+"\n"), 0, nil, m)
		assert.ErrorContains(t, err, says)
	}
}

// What an odd line means: deleted blocks, the mark of a program's ends, one letter, a wait of
// nothing, the farthest place, numbered lines; layers that are come back to; a layer on the
// plate; of two heights laid as much, the lower one, and not the first layer's.
func TestOddLines(t *testing.T) {
	s := sum(t, "%\nG90\nM83\n/G1 X900 E9 F600\nN5 G1 X1000000 F600\nN6 G4 P0\nN7 G4 S0\nG1 X0 Z0 E0\nG1 X10 E1\nG1 Z0.4 E0\nG1 X0 E2\nG1 Z0\nG1 X10 E3\nG1 Z0.4\nG1 X0 E4\nG1 Z0.6\nG1 X10 E6\n%\n")
	require.Len(t, s.Layers, 3)
	assert.Equal(t, []float64{0, 0.4, 0.6}, []float64{s.Layers[0].ZMM, s.Layers[1].ZMM, s.Layers[2].ZMM})
	assert.Equal(t, []float64{4, 6, 6}, []float64{s.Layers[0].FilamentMM, s.Layers[1].FilamentMM, s.Layers[2].FilamentMM})
	assert.Equal(t, 0.2, s.LayerMM)
	assert.Equal(t, 0.2, sum(t, "M83\nG1 X9 Z0.3 E9 F600\nG1 X0 Z0.5 E1\n").LayerMM)
	for program, says := range map[string]string{"X\n": "line 1", "G1 X1 E1 F60\nM\n": "line 2", "G1 X1000001\n": "farther", "G4 P-1\n": "negative"} {
		_, err := Read(ctx, strings.NewReader(program), 0, nil)
		require.ErrorIs(t, err, ErrBroken, program)
		assert.ErrorContains(t, err, says)
	}
	_, err := Read(ctx, strings.NewReader("G1 X1 E1 F60\nRESUME_ALL\nSET_IT=5\nDO(x)\n"), 0, nil)
	assert.ErrorContains(t, err, "line 4", "names may stand alone or before a value")
	// Set anew in inches: 1 inch at the left end of 2, and so with filament.
	s = sum(t, "G20\nM82\nG1 X1 Z0.1 F60\nG92 X2 E1\nG1 X3 E1.5\n")
	assert.InDelta(t, 50.8, s.Max.X, 1e-9)
	assert.InDelta(t, 12.7, s.FilamentMM, 1e-9)
	// Faults of lines are told once each, with how often.
	s = sum(t, "G1 X1 E1 F60\nRUN_SHELL_COMMAND CMD=x\nM906 X900\nM906 X900\n")
	require.Len(t, s.Faults, 2)
	assert.Equal(t, [4]int{2, 1, 3, 2}, [4]int{s.Faults[0].Line, s.Faults[0].Count, s.Faults[1].Line, s.Faults[1].Count})
}

// An arc that climbs does so evenly.
func TestAnArcClimbsEvenly(t *testing.T) {
	var along []XYZ
	_, err := Walk(ctx, strings.NewReader("M83\nG1 X10 Y0 Z1 F600\nG3 X-10 Y0 Z3 I-10 E2\n"), 0, Visitor{Move: func(m Move) { along = append(along, m.To) }}, nil)
	require.NoError(t, err)
	require.Greater(t, len(along), 20)
	for _, p := range along {
		assert.InDelta(t, 1+2*math.Atan2(p.Y, p.X)/math.Pi, p.Z, 1e-9)
	}
}

func TestInchesAndHoming(t *testing.T) {
	m := &machine.Machine{FilamentMM: 1.75, Motion: machine.Motion{SpeedMMPerS: 180, AccelMMPerS2: 1500, JunctionDeviationMM: 0.02, LiftMMPerS: 12}}
	timed := func(program string) float64 {
		s, err := Read(ctx, strings.NewReader(program), 0, nil, m)
		require.NoError(t, err)
		return s.SecondsOn[0]
	}
	in := timed("G20\nM204 S40\nG1 X10 E1 F240\nG1 X0\n")
	mm := timed("G21\nM204 S1016\nG1 X254 E25.4 F6096\nG1 X0\n")
	assert.InEpsilon(t, mm, in, 1e-9)
	assert.NotEqual(t, mm, timed("G21\nM204 S40\nG1 X254 E25.4 F6096\nG1 X0\n"))
	for program, top := range map[string]float64{
		"G92 Z10\nG28 Z\nG1 Z5 F600\nG1 X10 E1 F600":          5,
		"G92 Z10\nG28\nG1 Z5 F600\nG1 X10 E1 F600":            5,
		"G92 Z10\nG28 X\nG1 Z15 F600\nG1 X10 E1 F600":         5,
		"G92 X10 Z2\nG28 Z Y\nG1 Z5 F600\nG1 X20 E1 F600":     5,
		"G28\nG1 Z5 F600\nG92 Z0\nG1 X10 E1\nG1 Z1\nG1 X0 E2": 6,
	} {
		s, err := Read(ctx, strings.NewReader(program), 0, nil)
		require.NoError(t, err)
		assert.InDelta(t, top, s.Max.Z, 1e-9, program)
	}
}

// What cannot be read to its end is not judged by its beginning: the reader's error comes out.
func TestAReaderThatFails(t *testing.T) {
	gone := errors.New("the disk is gone")
	whole := "G28\nG90\nM83\n" + strings.Repeat("G1 X10 Y10 E1 F1200\nG1 X20 Y10 E1\n", 40)
	for _, after := range []int{0, 3, len(whole) / 2, len(whole)} {
		_, err := Read(context.Background(), io.MultiReader(strings.NewReader(whole[:after]), iotest.ErrReader(gone)), int64(len(whole)), nil)
		assert.ErrorIs(t, err, gone, "after %d bytes", after)
	}
}
