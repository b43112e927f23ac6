package post_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/drawn"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/plate"
	"jobshelf/core/print/post"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

var ctx = context.Background()

func settings() (recipe.Recipe, *machine.Machine, *machine.Material) {
	r := recipe.Recipe{LayerMM: 0.2, FirstLayerMM: 0.24, LineMM: 0.45, Shells: 2, TopLayers: 4, BottomLayers: 4, InfillPercent: 15, Adhesion: recipe.AdhesionSkirt,
		NozzleC: 210, FirstNozzleC: 215, BedC: 60, OuterMMPerS: 40, InnerMMPerS: 60, TopBottomMMPerS: 60, InfillMMPerS: 80, FirstMMPerS: 20, TravelMMPerS: 150, RetractMM: 1,
		RetractMMPerS: 35, LiftMM: 0.3, Support: recipe.SupportEverywhere, FanPercent: 80, PauseMM: []float64{5}, MinLayerTimeS: 6}
	m := &machine.Machine{Name: "Test", Process: machine.MaterialExtrusion, Volume: machine.Volume{Shape: machine.Rectangle, XMM: 200, YMM: 200, ZMM: 200},
		FilamentMM: 1.75, Motion: machine.Motion{SpeedMMPerS: 180, AccelMMPerS2: 1500, JunctionDeviationMM: 0.02, LiftMMPerS: 12}, WarmUp: machine.WarmUp{NozzleCPerS: 2, BedCPerS: 0.5}}
	return r.WithDefaults(), m, &machine.Material{Name: "PLA", DensityGPerCM: 1.24, SpoolGrams: 1000, SpoolCents: 2500}
}

// written slices a part, writes it and reads it back.
func written(t *testing.T, part *mesh.Mesh, r recipe.Recipe, m *machine.Machine, loaded machine.Loaded) (*estimate.Full, string, *gcode.Summary) {
	t.Helper()
	stood := plate.Stand(part, 1, 0, m.Volume)
	p, err := toolpath.Slice(ctx, stood, mesh.TopologyOf(stood), 1, r, toolpath.Options{Machine: m}, nil)
	require.NoError(t, err)
	full := estimate.FullOf(p, r, m, loaded)
	var b bytes.Buffer
	require.NoError(t, post.Write(&b, p, post.Job{Machine: m, Recipe: r, Loaded: loaded, Cooling: full.Cooling, Seconds: full.Seconds, Grams: full.Grams(),
		Facts: [][2]string{{"part", "two\nlines"}}}))
	s, err := gcode.Read(ctx, bytes.NewReader(b.Bytes()), 0, nil)
	require.NoError(t, err)
	return full, b.String(), s
}

// timed is how long a program takes on a machine.
func timed(t *testing.T, text string, m *machine.Machine) float64 {
	t.Helper()
	s, err := gcode.Read(ctx, strings.NewReader(text), 0, nil, m)
	require.NoError(t, err)
	return s.SecondsOn[0]
}

// What is written reads back the same, in every dialect: filament to 0.02 µm,
// bounds, layers, and the planner gives the same time within 0.5 %.
func TestWrittenProgramsReadBackTheSame(t *testing.T) {
	for name, change := range map[string]func(*recipe.Recipe, *machine.Machine){
		"plain":    func(*recipe.Recipe, *machine.Machine) {},
		"absolute": func(_ *recipe.Recipe, m *machine.Machine) { m.Dialect.AbsoluteE = true },
		"arcs":     func(_ *recipe.Recipe, m *machine.Machine) { m.Dialect.Arcs = true },
		"accelerations": func(r *recipe.Recipe, _ *machine.Machine) {
			r.OuterMMPerS2, r.TravelMMPerS2, r.FirstMMPerS2 = 500, 1200, 300
		},
		"all": func(r *recipe.Recipe, m *machine.Machine) {
			r.OuterMMPerS2, m.Dialect.Arcs, m.Dialect.AbsoluteE = 700, true, true
		},
	} {
		t.Run(name, func(t *testing.T) {
			r, m, mat := settings()
			change(&r, m)
			parts := []*mesh.Mesh{solid.Sheave(), solid.BaitBox(), solid.Bollard(), solid.TillerJoint()}
			if name != "plain" && name != "all" {
				parts = parts[:2]
			}
			for _, part := range parts {
				full, text, s := written(t, part, r, m, machine.Loaded{mat})
				// Pulled back once at the end; what is rounded off one line is fed with the next.
				assert.InDelta(t, full.FilamentMM, s.FilamentMM+r.RetractMM, 2e-5)
				assert.Len(t, s.Layers, full.Layers)
				assert.InDelta(t, 0.2, s.LayerMM, 1e-9)
				assert.InDelta(t, 0.24, s.FirstLayerMM, 1e-9)
				for k, v := range [3]float64{s.Min.X, s.Min.Y, s.Min.Z} {
					assert.InDelta(t, full.Box[0][k], v, 0.02)
				}
				for k, v := range [3]float64{s.Max.X, s.Max.Y, s.Max.Z} {
					assert.InDelta(t, full.Box[1][k], v, 0.02)
				}
				assert.Zero(t, s.NozzleEndC+s.BedEndC, "heating ends with the print")
				assert.Equal(t, 215., s.NozzleMaxC)
				assert.InEpsilon(t, full.Seconds, timed(t, text, m), 0.005)
				assert.Equal(t, 1, strings.Count(text, "\nM0\n"), "one pause")
				assert.True(t, strings.HasPrefix(text, "; part: two lines\n"))
				assert.Contains(t, text, "M106 S204")
			}
		})
	}
}

// A round part in arcs: few commands, the same way within 0.1 %, nowhere further
// than 0.02 mm from where the straight ones go.
func TestArcsFollowTheLines(t *testing.T) {
	r, m, mat := settings()
	r.Support, r.InfillPercent = recipe.SupportOff, 0
	part := solid.RevolveClosed([]solid.P{{X: 14, Y: 0}, {X: 20, Y: 0}, {X: 20, Y: 4}, {X: 14, Y: 4}}, 180)
	_, straight, a := written(t, part, r, m, machine.Loaded{mat})
	m.Dialect.Arcs = true
	_, arcs, b := written(t, part, r, m, machine.Loaded{mat})
	assert.Greater(t, b.Arcs, 1000)
	assert.Less(t, len(arcs), len(straight)*2/3)
	assert.InEpsilon(t, a.ExtrudedMM, b.ExtrudedMM, 1e-3)
	far := func(text string) (least, most float64) {
		least = math.Inf(1)
		_, err := gcode.Walk(ctx, strings.NewReader(text), 0, gcode.Visitor{Move: func(x gcode.Move) {
			if d := math.Hypot(x.To.X-100, x.To.Y-100); x.EMM > 0 && x.From != x.To && d < 21 {
				least, most = math.Min(least, d), math.Max(most, d)
			}
		}}, nil)
		require.NoError(t, err)
		return least, most
	}
	l1, m1 := far(straight)
	l2, m2 := far(arcs)
	assert.InDelta(t, l1, l2, 0.02)
	assert.InDelta(t, m1, m2, 0.02)
}

// What has corners on a circle is no arc where its sides are far from it: a prism of a dozen
// sides stays one; nor is what lies beside it at one place.
func TestWhatIsNoArcStaysStraight(t *testing.T) {
	r, m, mat := settings()
	r.Support, r.Adhesion, r.InfillPercent, r.TopLayers, r.BottomLayers = recipe.SupportOff, recipe.AdhesionNone, 0, 0, 0
	m.Dialect.Arcs = true
	_, _, prism := written(t, solid.Cylinder(20, 3, 12), r, m, machine.Loaded{mat})
	assert.Zero(t, prism.Arcs)
	_, _, round := written(t, solid.Cylinder(20, 3, 360), r, m, machine.Loaded{mat})
	assert.Positive(t, round.Arcs)
	dented := solid.Circle(0, 0, 20, 360)
	for k := 0; k < 360; k += 4 {
		dented[k] = solid.P{X: dented[k].X * 0.997, Y: dented[k].Y * 0.997} // 0.06 mm
	}
	_, _, s := written(t, solid.Extrude(dented, nil, 3), r, m, machine.Loaded{mat})
	assert.Less(t, 10*s.Arcs, round.Arcs, "but where a shell within has come round")
}

// Blocks of the house are filled; one that cannot be is refused by name. Heat goes
// off behind them, whatever they say.
func TestBlocksAreTheHouses(t *testing.T) {
	r, m, mat := settings()
	m.Dialect.Start, m.Dialect.End = "G28 ; {material} on {machine}, {grams} g in {minutes} min\nM109 S{first_nozzle_c}", "M140 S{bed_c}\nM104 S150 ; {layers} layers to {top_mm}"
	full, text, s := written(t, solid.Sheave(), r, m, machine.Loaded{mat})
	assert.Contains(t, text[:400], fmt.Sprintf("G28 ; PLA on Test, %.1f g in %.0f min\nM109 S215\n", full.Grams(), math.Round(full.Seconds/60)))
	assert.Contains(t, text, fmt.Sprintf("M104 S150 ; %d layers to ", full.Layers))
	assert.NotContains(t, text, "\nT0\n", "of one nozzle")
	assert.Zero(t, s.NozzleEndC+s.BedEndC)
	assert.True(t, strings.HasSuffix(text, "\nM104 S0\nM140 S0\n"))
	p := &toolpath.Print{}
	m.Dialect.End = "M117 {colour}"
	err := post.Write(io.Discard, p, post.Job{Machine: m, Recipe: r, Loaded: machine.Loaded{mat}})
	assert.ErrorContains(t, err, "end block: no such value {colour}")
	m.Dialect.End = ""
	err = post.Write(noRoom{}, p, post.Job{Machine: m, Recipe: r, Loaded: machine.Loaded{mat}})
	assert.ErrorContains(t, err, "no space")
	for _, x := range m.Validate() {
		assert.NotContains(t, x.Field, "dialect")
	}
	m.Dialect.Change = "T{tool}"
	fields := ""
	for _, x := range m.Validate() {
		fields += x.Field + ": " + finding.Speak("en").Say(x.Phrase) + "\n"
	}
	assert.Contains(t, fields, "dialect.change: In this block there is no value {tool}; there are {bed_c}")
}

// noRoom is a disk without room.
type noRoom struct{}

func (noRoom) Write([]byte) (int, error) { return 0, errors.New("no space") }

// Trade checks (common practice, no source): layers of 0.1 mm take about four
// times as long as of 0.4 mm; time and grams rise with infill; 4 g of a 1 kg spool
// at 25.00 cost 0.10.
func TestTradeChecks(t *testing.T) {
	r, m, mat := settings()
	r.Support, r.PauseMM, r.Adhesion, r.MinLayerTimeS = recipe.SupportOff, nil, recipe.AdhesionNone, 0
	run := func(change func(*recipe.Recipe)) *estimate.Full {
		q := r
		change(&q)
		part := solid.Box(40, 40, 20)
		p, err := toolpath.Slice(ctx, part, mesh.TopologyOf(part), 1, q, toolpath.Options{}, nil)
		require.NoError(t, err)
		return estimate.FullOf(p, q, m, machine.Loaded{mat})
	}
	layers := func(h float64) func(*recipe.Recipe) {
		return func(r *recipe.Recipe) {
			r.LayerMM, r.FirstLayerMM = h, h
			r.TopLayers, r.BottomLayers = int(0.8/h+0.5), int(0.8/h+0.5) // closed as thick
		}
	}
	fine, coarse := run(layers(0.1)), run(layers(0.4))
	assert.InDelta(t, 4, fine.Seconds/coarse.Seconds, 0.8)
	last := run(func(r *recipe.Recipe) { r.InfillPercent = 0 })
	for _, share := range []float64{10, 20, 40, 70, 100} {
		f := run(func(r *recipe.Recipe) { r.InfillPercent = share })
		assert.Greater(t, f.Seconds, last.Seconds, fmt.Sprint(share))
		assert.Greater(t, f.Grams(), last.Grams(), fmt.Sprint(share))
		last = f
	}
	// 1 kg of PLA at 1.75 mm is 335 m (CORE's figure, from memory).
	assert.InDelta(t, 1000, mat.Grams(1.75, 335_000), 2)
}

// A layer that has to cool is waited for in milliseconds: the program takes as long as the
// estimate says, also where it is waiting most of the time.
func TestWaitsAreWrittenInMilliseconds(t *testing.T) {
	r, m, mat := settings()
	r.MinLayerTimeS, r.PauseMM = 30, nil
	full, text, _ := written(t, solid.Box(3, 3, 4), r, m, machine.Loaded{mat})
	waits := regexp.MustCompile(`(?m)^G4 P(\d+)$`).FindAllStringSubmatch(text, -1)
	require.Greater(t, len(waits), full.Layers-4)
	sum := 0.0
	for _, w := range waits {
		ms, err := strconv.Atoi(w[1])
		require.NoError(t, err)
		sum += float64(ms) / 1000
	}
	assert.InDelta(t, full.ByKind["cooling"], sum, 0.05)
	assert.InEpsilon(t, full.Seconds, timed(t, text, m), 0.005)
}

// While somebody is waited for, nozzle and bed are off; a machine that turns its heat off by
// itself after a time keeps the bed warm until then.
func TestNothingIsHotWhileSomebodyIsWaitedFor(t *testing.T) {
	for _, idleOff := range []float64{0, 600} {
		r, m, mat := settings()
		m.IdleOffS = idleOff
		_, text, s := written(t, solid.Box(20, 20, 8), r, m, machine.Loaded{mat})
		before, after, found := strings.Cut(text, "\nM0\n")
		require.True(t, found)
		nozzle, bed := "", ""
		for _, l := range strings.Split(before, "\n") {
			switch {
			case strings.HasPrefix(l, "M104") || strings.HasPrefix(l, "M109"):
				nozzle = l
			case strings.HasPrefix(l, "M140") || strings.HasPrefix(l, "M190"):
				bed = l
			}
		}
		assert.Equal(t, "M104 S0", nozzle)
		assert.Equal(t, idleOff == 0, bed == "M140 S0", "%g: %s", idleOff, bed)
		assert.Equal(t, idleOff == 0, strings.Contains(after, "M190 S60") || strings.Contains(after, "M140 S60"), "%g", idleOff)
		assert.Equal(t, idleOff == 0, s.HotPauses == 0)
	}
	r, m, mat := settings()
	r.PauseMM = []float64{7.8} // before the last layer
	_, text, _ := written(t, solid.Box(20, 20, 8), r, m, machine.Loaded{mat})
	_, after, found := strings.Cut(text, "\nM0\n")
	require.True(t, found)
	assert.Contains(t, strings.SplitN(after, "\nG", 2)[0], "M109 S210", "it is wanted once more")
}

// Programs of prints drawn by seed, and what reading them back tells, are as they were.
func TestDrawnProgramsAreAsTheyWere(t *testing.T) {
	var out strings.Builder
	for seed := range uint64(120) {
		d := drawn.Of(seed)
		p, err := toolpath.Slice(ctx, d.Mesh, mesh.TopologyOf(d.Mesh), 1, d.Recipe, toolpath.Options{Machine: &d.Machine}, nil)
		if err != nil {
			continue
		}
		full := estimate.FullOf(p, d.Recipe, &d.Machine, d.Loaded)
		var b bytes.Buffer
		require.NoError(t, post.Write(&b, p, post.Job{Machine: &d.Machine, Recipe: d.Recipe, Loaded: d.Loaded, Cooling: full.Cooling, Seconds: full.Seconds, Grams: full.Grams()}))
		s, err := gcode.Read(ctx, bytes.NewReader(b.Bytes()), 0, nil, &d.Machine)
		require.NoError(t, err)
		// The end block lifts, and what is short of a millisecond is rounded.
		assert.InDelta(t, full.Seconds, s.SecondsOn[0], 0.006*full.Seconds+0.7, "%d", seed)
		assert.InDelta(t, full.FilamentMM, s.FilamentMM+d.Recipe.RetractMM*float64(len(full.Nozzles)), 2e-5, "%d", seed)
		fmt.Fprintf(&out, "%d: %d lines, %.8x, read as %.5g s, %.8x\n", seed, s.Lines, sha256.Sum256(b.Bytes()), s.SecondsOn[0], sha256.Sum256([]byte(drawn.Told(s))))
	}
	golden.Assert(t, out.String(), "drawn.txt")
}
