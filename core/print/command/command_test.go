package command

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"jobshelf/core/judge/finding"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"
)

func TestWhatMayBe(t *testing.T) {
	for _, line := range []string{"", "  ", "; words; M104 S900 (of a comment) ü", "%", "G28", "G28 X Y", "G28 X0", "G1 X1.5 Y-.5 E+2 F1200", "G1X1Y2", "  G1 X1 ; to the left",
		"N12 G1 X1", numbered("N7 M104 S200"), numbered("N8 G92 E0 "), "M117 Layer 7 * of 9, M104 S600", "M104 S200", "M109 R180", "M104 T1 S0", "T0", "T1", "M220 S100", "G4 P500",
		"M84", "M84 X E", "M0", "M204 P500 T900", "G2 X1 Y1 I1 J0 E1", "M73 P5 R12"} {
		assert.Nil(t, Check([]byte(line)), "%q: %+v", line, Check([]byte(line)))
	}
}

func numbered(s string) string { return fmt.Sprintf("%s*%d", s, Checksum([]byte(s))) }

// By hand: the XOR of the letters of "N3 T0" is 57, the example of the line
// protocol's description (from memory).
func TestChecksum(t *testing.T) { assert.EqualValues(t, 57, Checksum([]byte("N3 T0"))) }

// Each is obeyed by some machine in a way that a reader would not guess, or is not
// on the list.
func TestWhatMayNotBe(t *testing.T) {
	for line, says := range map[string]string{
		"M500":               "saves settings",
		"M303 E0 S200 C8":    "tunes",
		"M28 a.g":            "writes a file",
		"M30":                "deletes a file",
		"M42 P8 S255":        "switches pins",
		"M141 S60":           "chamber",
		"M104 S200 B300":     "has the word B",
		"M109 S180 F1":       "has the word F",
		"M600 R250":          "has the word R",
		"G1 X1 S255":         "has the word S",
		"G5 X1 Y1":           "not among the commands",
		"G92.1":              "not among the commands",
		"M104.1 S200":        "not among the commands",
		"START_PRINT BED=60": "not among the commands",
		"M220 S300":          "only 100 may be",
		"M221 S200":          "only 100 may be",
		"G1 X1 M104 S600":    "more than one command",
		"G28 G1 X1":          "more than one command",
		"T0 M104 S9":         "behind a change of nozzle",
		"T1.5":               "names a nozzle that is none",
		"M104 T-1 S0":        "names a nozzle that is none",
		"M104 S200 S600":     "twice",
		"m104 S600":          "lower case",
		"M104 s0":            "lower case",
		"G1 X1 (M104 S600)":  "brackets",
		"(M104 S600)":        "brackets",
		"/M104 S600":         "some machines pass over",
		"G 28":               "blank between G",
		"M104 S 200":         "blank between S",
		"X10 Y10":            "begins with X",
		"N5 M104 S200*7":     "checksum that is wrong",
		"M104 S200*":         "checksum that is wrong",
		"G28\rM104 S600":     "control character",
		"G28\x00":            "control character",
		"; words\rM104 S600": "control character",
		"M104 S1-2":          "cannot be read",
		"M104 S1.2.3":        "cannot be read",
		"M104 S0x1F":         "lower case",
		"M104 S1_0":          "where a command or word belongs",
		"M104 S":             "has the word S without a number",
		"G1 X1e5":            "lower case",
		"@pause":             "where a command or word belongs",
		"!":                  "where a command or word belongs",
		"G1 X1\xff":          "where a command or word belongs",
		"M104 " + strings.Repeat(" ", 100) + "S0": "longer than 90",
	} {
		f := Check([]byte(line))
		require.NotNil(t, f, "%q", line)
		assert.Contains(t, finding.Speak("en").Say(f.Says()), says, "%q", line)
	}
}

func TestHeatOf(t *testing.T) {
	for line, want := range map[string]Heat{
		"M104 S200": {Nozzle: -1, C: 200}, "N3 M109 T1 R180 ; x": {Nozzle: 1, C: 180}, "M190 S60": {Bed: true, Nozzle: -1, C: 60}, "M140 S0": {Bed: true, Nozzle: -1},
	} {
		got, ok := HeatOf([]byte(line))
		assert.True(t, ok, line)
		assert.Equal(t, want, got, line)
	}
	for _, line := range []string{"", "M104", "G1 S200", "T1", "; M104 S200", "M117 M104 S200"} {
		_, ok := HeatOf([]byte(line))
		assert.False(t, ok, line)
	}
}

// Nothing panics, and what is taken has only printable bytes before its comment.
func FuzzCheck(f *testing.F) {
	for _, s := range []string{"G1 X1 Y2*33", "N1 M104 S200", "M117 *", "T", "G", "N", "N1", "M104 S.", "%%"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		HeatOf(b)
		if Check(b) != nil {
			return
		}
		text, _, _ := strings.Cut(string(b), ";")
		if !strings.HasPrefix(strings.TrimSpace(text), "M117") && !strings.Contains(text, "M486") && strings.ContainsFunc(text, func(r rune) bool { return r >= 'a' && r <= 'z' || r == '(' || r == '/' }) {
			t.Fatalf("%q is taken", b)
		}
	})
}

// What is said of drawn lines is as it was: words of all kinds, whole and broken, with blanks,
// numbers, checksums and comments where they may be and where not. The tests above say what is
// right; this one says that nothing moved.
func TestLinesAreJudgedAsTheyWere(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 2)) //nolint:gosec // the same each time
	words := strings.Split("G0|G1|G2|G28|G92|M104|M109|M140|M190|M106|M204|M84|M117 note|M600|T0|T1|T9|X1|Y-2.5|Z+.3|E1e2|F1200|S200|R180|P5|I1|J0|X|Y.|S-5|F1,5|g1|x2|M500|M302|M28 f|G91|G1.1|N5|N|*7|%|(in it)|; words|/|\x01|é|S999999999999|M0104|G01|B3|=|X1X2|M 104|\"q\"", "|")
	var out strings.Builder
	for range 1500 {
		line := []string{"", "", "", " ", "\t", " \t "}[r.IntN(6)]
		for range 1 + r.IntN(4) {
			line += words[r.IntN(len(words))] + []string{" ", "", "\t", "  "}[r.IntN(4)]
		}
		if r.IntN(6) == 0 {
			line = numbered("N3 " + line)
		}
		f := Check([]byte(line))
		heat, ok := HeatOf([]byte(line))
		fmt.Fprintf(&out, "%q", line)
		if f != nil {
			fmt.Fprintf(&out, " %s: %s %v", f.Code, f.What.Code, f.What.Params)
		}
		if ok {
			fmt.Fprintf(&out, " heat %v", heat)
		}
		out.WriteByte('\n')
	}
	golden.Assert(t, out.String(), "lines.txt")
}
