package slicing

import (
	"bytes"
	"fmt"
	"io"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// heated reads a program's heat with nothing of ours: the most that each heater
// (-1 is the bed) was asked for, and what it is left at.
func heated(text string) (most, end map[int]float64) {
	most, end = map[int]float64{}, map[int]float64{}
	tool := 0
	for _, line := range strings.Split(text, "\n") {
		line, _, _ = strings.Cut(line, ";")
		words := strings.Fields(line)
		if len(words) == 0 {
			continue
		}
		if n, err := strconv.Atoi(strings.TrimPrefix(words[0], "T")); err == nil && words[0][0] == 'T' {
			tool = n
			continue
		}
		heater := tool
		switch words[0] {
		case "M104", "M109":
		case "M140", "M190":
			heater = -1
		default:
			continue
		}
		c := 0.0
		for _, w := range words[1:] {
			switch v, _ := strconv.ParseFloat(w[1:], 64); w[0] {
			case 'T':
				heater = int(v)
			case 'S', 'R':
				c = v
			}
		}
		most[heater], end[heater] = max(most[heater], c), c
	}
	return most, end
}

// No order that is taken yields a program hotter than machine or material allow,
// or one that leaves anything warm, whatever the house's blocks say.
func TestNoAcceptedOrderIsTooHotOrStaysWarm(t *testing.T) {
	blocks := []string{"", "M84", "G28", "M104 S150\nG28\nM109 S{first_nozzle_c}", "M109 S{nozzle_c}\nM190 S{bed_c}", "M104 T1 S200", "M104 S300", "M140 S95", "M104 T0 S{first_nozzle_c}\nM104 T1 S{nozzle_c}\nM140 S60"}
	made, tried := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		o := order()
		o.Pieces[0].Mesh = solid.Box(6, 6, 3)
		if rapid.Bool().Draw(t, "hangs") {
			o.Pieces[0].Mesh = order().Pieces[0].Mesh.Transformed(0.3, mesh.Vec3{})
		}
		hot := rapid.OneOf(rapid.SampledFrom([]float64{0, 180, 205, 250, 251, 600}), rapid.Float64Range(0, 600))
		o.Machine.NozzleMaxC = rapid.SampledFrom([]float64{200, 250, 300}).Draw(t, "nozzle's most")
		o.Machine.BedMaxC = rapid.SampledFrom([]float64{0, 60, 110}).Draw(t, "bed's most")
		o.Machine.IdleOffS = rapid.SampledFrom([]float64{0, 600}).Draw(t, "idle")
		o.Machine.Dialect = machine.Dialect{Start: rapid.SampledFrom(blocks).Draw(t, "start"), End: rapid.SampledFrom(blocks).Draw(t, "end"), Change: rapid.SampledFrom([]string{"", "T{nozzle}", "T{nozzle}\nM109 S{nozzle_c}\nM104 T0 S190"}).Draw(t, "change")}
		material := func(name string) *machine.Material {
			return &machine.Material{Name: name, DensityGPerCM: 1.2, SpoolGrams: 500, SpoolCents: 3000, NozzleC: hot.Draw(t, name), NozzleMaxC: rapid.SampledFrom([]float64{0, 190, 230, 260}).Draw(t, name+"'s most")}
		}
		o.Loaded = machine.Loaded{material("first")}
		if rapid.Bool().Draw(t, "two nozzles") {
			o.Machine.NozzlesMM, o.Machine.Second = []float64{0.4, 0.4}, machine.NozzleLoad{Material: "second"}
			o.Loaded = append(o.Loaded, material("second"))
		}
		r := o.Recipe
		r.NozzleC, r.FirstNozzleC, r.BedC = hot.Draw(t, "nozzle_c"), hot.Draw(t, "first_nozzle_c"), rapid.SampledFrom([]float64{0, 55, 90, 200}).Draw(t, "bed_c")
		if rapid.IntRange(0, 4).Draw(t, "usual") > 0 { // else hardly any is taken
			r.NozzleC, r.FirstNozzleC, r.BedC = min(r.NozzleC, 190), min(r.FirstNozzleC, 190), min(r.BedC, o.Machine.BedMaxC)
			for _, s := range o.Loaded {
				s.NozzleC = min(s.NozzleC, 190)
			}
		}
		tried++
		r.PieceNozzle, r.SupportNozzle = rapid.IntRange(0, 2).Draw(t, "piece_nozzle"), rapid.IntRange(0, 2).Draw(t, "support_nozzle")
		r, err := r.Apply([]recipe.Override{{Key: "pause_mm", Value: rapid.SampledFrom([]string{"", "2, 1", "0.1, 2, 2, 9"}).Draw(t, "pauses")}, {Key: "change_purge_mm", Value: "1"}})
		require.NoError(t, err)
		o.Recipe = r
		// What the house would not let a steward save cannot be there.
		if len(o.Machine.Validate()) > 0 || len(o.Loaded[0].Validate()) > 0 || len(o.Loaded[len(o.Loaded)-1].Validate()) > 0 {
			return
		}
		got, err := One(ctx, o, nil)
		if err != nil {
			require.IsType(t, &Refusal{}, err)
			return
		}
		var b bytes.Buffer
		require.NoError(t, got.WriteProgram(ctx, &b, nil), "what is taken is written")
		made++
		most, end := heated(b.String())
		for heater, c := range most {
			if heater < 0 {
				require.LessOrEqual(t, c, o.Machine.BedMaxC, "the bed")
				continue
			}
			require.LessOrEqual(t, c, o.Machine.NozzleMaxC, "nozzle %d", heater)
			if limit := o.Loaded.Of(heater + 1).NozzleMaxC; limit > 0 {
				require.LessOrEqual(t, c, limit, "nozzle %d", heater)
			}
		}
		for heater, c := range end {
			require.Zero(t, c, "heater %d at the end", heater)
		}
	})
	assert.Greater(t, 10*made, tried, "some are made")
}

// The three that were taken once, each refused with its field.
func TestHeatIsRefusedWhereverItComesFrom(t *testing.T) {
	for says, change := range map[string]func(*Order){
		"Test goes up to 250 °C, not 600 °C.": func(o *Order) { o.Recipe.FirstNozzleC = 600 },
		"Soluble may be 200 °C hot, not 245 °C.": func(o *Order) {
			o.Machine.NozzlesMM, o.Machine.Second, o.Recipe.PieceNozzle = []float64{0.4, 0.4}, machine.NozzleLoad{Material: "Soluble"}, 2
			o.Loaded = append(o.Loaded, &machine.Material{Name: "Soluble", NozzleC: 245, NozzleMaxC: 200})
		},
		"Test goes up to 230 °C, not 245 °C.": func(o *Order) {
			o.Machine.NozzleMaxC = 230
			o.Machine.NozzlesMM, o.Machine.Second, o.Recipe.SupportNozzle = []float64{0.4, 0.4}, machine.NozzleLoad{Material: "Soluble"}, 2
			o.Loaded = append(o.Loaded, &machine.Material{Name: "Soluble", NozzleC: 245})
		},
		"Nozzle 2 of Test is loaded with Brass, which is no material of the house": func(o *Order) {
			o.Machine.NozzlesMM, o.Machine.Second, o.Recipe.SupportNozzle = []float64{0.4, 0.4}, machine.NozzleLoad{Material: "Brass"}, 2
		},
		"The machine's own block asks for it. Test goes up to 250 °C, not 260 °C.": func(o *Order) { o.Machine.Dialect.Start = "M109 S260\nG28" },
		"bed that goes up to 90 °C, not 95 °C":                                     func(o *Order) { o.Recipe.BedC = 95 },
	} {
		o := order()
		change(&o)
		_, err := One(ctx, o, nil)
		assert.ErrorContains(t, err, says)
	}
}

// A program that our own judge stops is not kept: here by a block that no steward
// could save, with a command that is not allowed and one that stays hot.
func TestAProgramThatTheJudgeStopsIsRefused(t *testing.T) {
	for block, says := range map[string]string{
		"G28\nM500":       "M500 in line",
		"G28\nm104 s200":  "lower case",
		"G28\nM302 P1":    "allows cold extruding",
		"G28\nSET_HEAT X": "SET_HEAT in line",
	} {
		o := order()
		o.Machine.Dialect.Start = block
		r, err := One(ctx, o, nil)
		require.NoError(t, err)
		err = r.WriteProgram(ctx, io.Discard, nil)
		var no *Refusal
		require.ErrorAs(t, err, &no, block)
		assert.Contains(t, no.Error(), "may not run on Test")
		assert.Contains(t, no.Error(), says)
	}
	o := order()
	r, err := One(ctx, o, nil)
	require.NoError(t, err)
	require.NoError(t, r.WriteProgram(ctx, io.Discard, [][2]string{{"job", "a\rM104 S600\x00\x07 b"}}), "what members call things is only ever a comment")
	assert.ErrorContains(t, r.WriteProgram(ctx, full{}, nil), "no room")
}

type full struct{}

func (full) Write([]byte) (int, error) { return 0, fmt.Errorf("no room") }

// Pauses come in the order of heights, whatever order they are given in: filament
// drawn back, the nozzle lifted and off the part, everything off that would burn;
// then all is warm again before the next line. The time to warm up is counted.
func TestPauses(t *testing.T) {
	for _, idle := range []float64{0, 300} {
		o := order()
		o.Pieces[0].Mesh = solid.Box(20, 20, 5)
		o.Machine.IdleOffS = idle
		o.Recipe.PauseMM = []float64{3, 1, 1}
		o.Recipe.FirstNozzleC = 215
		plain := o
		plain.Recipe.PauseMM = nil
		without, err := One(ctx, plain, nil)
		require.NoError(t, err)
		r, err := One(ctx, o, nil)
		require.NoError(t, err)
		var b bytes.Buffer
		require.NoError(t, r.WriteProgram(ctx, &b, nil))
		lines := strings.Split(b.String(), "\n")
		var heights []float64
		x, y, z, e, extruded := 0.0, 0.0, 0.0, 0.0, 0.0
		nozzle, bed := 0.0, 0.0
		waiting := false
		for _, line := range lines {
			line, _, _ = strings.Cut(line, ";")
			f := strings.Fields(line)
			if len(f) == 0 {
				continue
			}
			value := func(letter byte, old float64) float64 {
				for _, w := range f[1:] {
					if w[0] == letter {
						v, err := strconv.ParseFloat(w[1:], 64)
						require.NoError(t, err)
						return v
					}
				}
				return old
			}
			switch f[0] {
			case "G0", "G1":
				x, y, z = value('X', x), value('Y', y), value('Z', z)
				if d := value('E', 0); d != 0 {
					e += d
					if d > 0 && strings.Contains(line, "X") || strings.Contains(line, "Y") && d > 0 {
						extruded = z
						require.EqualValues(t, 205+10*b2f(z < 0.3), nozzle, "warm where it lays, at %g mm", z)
						require.EqualValues(t, 55, bed)
						waiting = false
					}
				}
			case "M104", "M109":
				nozzle = value('S', nozzle)
				if f[0] == "M109" {
					waiting = true
				}
			case "M140", "M190":
				bed = value('S', bed)
			case "M0":
				heights = append(heights, extruded)
				require.Zero(t, nozzle, "off for the wait")
				if idle == 0 {
					require.Zero(t, bed)
				} else {
					require.EqualValues(t, 55, bed, "the machine's own timeout keeps watch")
				}
				require.Greater(t, z, extruded+5, "lifted")
				require.True(t, x < 49 || x > 71 || y < 49 || y > 71, "off the part at %g, %g", x, y) // it stands in the middle of 120 mm
				require.Less(t, e, 0.0+sumTo(lines, len(heights)), "drawn back")
			}
		}
		_ = waiting
		assert.InDeltaSlice(t, []float64{1, 3}, heights, 1e-9)
		again := o.Machine.HeatUpSeconds(205, 55)
		if idle > 0 {
			again = o.Machine.HeatUpSeconds(205, 0)
		}
		assert.InDelta(t, 2*again, r.Full.ByKind["warming up again"], 1e-9)
		moves := r.Full.Seconds - without.Full.Seconds - 2*again
		assert.True(t, moves > 0 && moves < 60, "the way there and back takes %g s", moves)
	}
}

func b2f(b bool) float64 {
	if b {
		return 1
	}
	return 0
}

// sumTo is the filament that was fed forth, pulled back ways left out, up to a
// pause.
func sumTo(lines []string, pause int) float64 {
	most, e, seen := 0.0, 0.0, 0
	for _, l := range lines {
		if l == "M0" {
			if seen++; seen == pause {
				break
			}
		}
		if i := strings.Index(l, " E"); i >= 0 && l[0] == 'G' && !strings.HasPrefix(l, "G92") {
			v, _ := strconv.ParseFloat(strings.Fields(l[i+2:])[0], 64)
			e += v
			most = max(most, e)
		}
	}
	return most
}
