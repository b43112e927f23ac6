package machine

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/polygon"
)

// What is just as large as an oblong plate, but for a few micrometres, goes on it, however
// it is turned; no whole degree would do. One corner is cut off, so that the other edges
// have to be looked at.
func TestSnugPartsFitHoweverTheyAreTurned(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		x, y := rapid.Float64Range(40, 400).Draw(t, "x"), rapid.Float64Range(40, 400).Draw(t, "y")
		turn := rapid.Float64Range(0, 360).Draw(t, "turn")
		cut := rapid.Float64Range(0.1, 0.4).Draw(t, "cut") * math.Min(x, y)
		offX, offY := rapid.Float64Range(-900, 900).Draw(t, "off x"), rapid.Float64Range(-900, 900).Draw(t, "off y")
		sin, cos := math.Sincos(turn * math.Pi / 180)
		var shadow []polygon.Point
		const snug = 0.004
		for _, p := range [][2]float64{{0, 0}, {x - snug - cut, 0}, {x - snug, cut}, {x - snug, y - snug}, {0, y - snug}} {
			shadow = append(shadow, polygon.Point{X: int64(math.Round(1000 * (offX + p[0]*cos - p[1]*sin))), Y: int64(math.Round(1000 * (offY + p[0]*sin + p[1]*cos)))})
		}
		f := Volume{Rectangle, x, y, 10}.FitIn(shadow, 10)
		require.True(t, f.Fits, "%+v", f)
		// The turn that is told does it.
		wide, deep := turned(shadow, f.TurnDeg)
		require.LessOrEqual(t, wide, x+slackMM+1e-9)
		require.LessOrEqual(t, deep, y+slackMM+1e-9)
		f = Volume{Rectangle, x - 2*snug, y - 2*snug, 10}.FitIn(shadow, 10)
		require.False(t, f.Fits)
		require.InDelta(t, 1, f.Scale, 0.001)
	})
}

// turned is how wide and deep points are after a turn to the left, mm.
func turned(pts []polygon.Point, deg float64) (wide, deep float64) {
	sin, cos := math.Sincos(deg * math.Pi / 180)
	lo, hi := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, p := range pts {
		for k, v := range [2]float64{float64(p.X)*cos - float64(p.Y)*sin, float64(p.X)*sin + float64(p.Y)*cos} {
			lo[k], hi[k] = math.Min(lo[k], v/1000), math.Max(hi[k], v/1000)
		}
	}
	return hi[0] - lo[0], hi[1] - lo[1]
}

// Against every twentieth of a degree: where one fits, a fit is told, and the turn that is told does
// it; the scale that is told is never less than any of them allows, and what is missing is the least.
// A plate that is just as large as the part at some turn between takes it.
func TestFitAgainstEveryTurn(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := Volume{Rectangle, rapid.Float64Range(50, 300).Draw(t, "wide"), rapid.Float64Range(50, 300).Draw(t, "deep"), 100}
		n := rapid.IntRange(3, 24).Draw(t, "corners")
		pts := make([]polygon.Point, n)
		for i := range pts {
			pts[i] = polygon.Point{X: rapid.Int64Range(-250_000, 250_000).Draw(t, "x"), Y: rapid.Int64Range(-250_000, 250_000).Draw(t, "y")}
		}
		height := rapid.Float64Range(1, 150).Draw(t, "height")
		f := v.FitIn(pts, height)
		scale, missing := 0.0, math.Inf(1)
		for k := range 3600 {
			x, y := turned(pts, float64(k)/20)
			scale = math.Max(scale, math.Min(v.XMM/math.Max(x, 1e-9), v.YMM/math.Max(y, 1e-9)))
			missing = math.Min(missing, math.Max(0, x-v.XMM)+math.Max(0, y-v.YMM))
		}
		scale = math.Min(1, math.Min(scale, v.ZMM/height))
		require.InEpsilon(t, scale, f.Scale, 0.01)
		require.GreaterOrEqual(t, f.Scale, scale*(1-2e-6))
		if missing == 0 && height <= v.ZMM {
			require.True(t, f.Fits)
		}
		x, y := turned(pts, f.TurnDeg)
		over := [3]float64{math.Max(0, x-v.XMM), math.Max(0, y-v.YMM), math.Max(0, height-v.ZMM)}
		for k, o := range over {
			require.InDelta(t, o, f.OverMM[k], 0.002)
		}
		require.LessOrEqual(t, f.OverMM[0]+f.OverMM[1], missing+0.01*(x+y)+0.01)
		require.Equal(t, f.Fits, over[0] <= slackMM && over[1] <= slackMM && over[2] <= slackMM)
		x, y = turned(pts, rapid.Float64Range(0, 180).Draw(t, "some turn"))
		snug := Volume{Rectangle, x + 1e-6, y + 1e-6, 200}.FitIn(pts, height)
		require.True(t, snug.Fits, "%v at %v×%v", snug, x, y)
		wide, deep := turned(pts, snug.TurnDeg)
		require.True(t, wide <= x+slackMM+1e-6 && deep <= y+slackMM+1e-6)
	})
}

// No part, a line, and one without a height are no trouble.
func TestFitOfNothing(t *testing.T) {
	for _, v := range []Volume{{Rectangle, 100, 50, 20}, {Round, 100, 100, 20}} {
		for _, pts := range [][]polygon.Point{nil, {{X: 5, Y: 7}}, {{X: 0, Y: 0}, {X: 40_000, Y: 0}}} {
			f := v.FitIn(pts, 0)
			assert.Equal(t, Fit{Fits: true, Scale: 1, FootMM: f.FootMM}, f)
		}
	}
	// A line longer than the plate is scaled by its length alone, a quarter turn too.
	f := Volume{Rectangle, 100, 50, 20}.FitIn([]polygon.Point{{X: 0, Y: 0}, {X: 0, Y: 400_000}}, 10)
	assert.False(t, f.Fits)
	assert.InDelta(t, math.Hypot(100, 50)/400, f.Scale, 0.002)
}

// A machine is refused beyond its edges, and taken at them.
func TestMachinesAtTheirEdges(t *testing.T) {
	sound := func() Machine {
		return Machine{Name: "Test", Process: MaterialExtrusion, Volume: Volume{Rectangle, 300, 200, 100}, NozzlesMM: []float64{0.4}, FilamentMM: 1.75, NozzleMaxC: 260, BedMaxC: 100}
	}
	for name, c := range map[string]struct {
		change func(*Machine)
		field  string // that is refused; empty: none
		says   string
	}{
		"oblong":            {func(*Machine) {}, "", ""},
		"square":            {func(m *Machine) { m.Volume.YMM = 300 }, "", ""},
		"round":             {func(m *Machine) { m.Volume = Volume{Round, 200, 200, 100} }, "", ""},
		"oblong round":      {func(m *Machine) { m.Volume = Volume{Round, 200, 199, 100} }, "volume.y_mm", "200 mm"},
		"no name":           {func(m *Machine) { m.Name = "" }, "name", ""},
		"no nozzle":         {func(m *Machine) { m.NozzlesMM = nil }, "nozzles_mm", ""},
		"resin needs none":  {func(m *Machine) { m.NozzlesMM, m.Process, m.FilamentMM = nil, VatPolymerization, 0 }, "", ""},
		"finest nozzle":     {func(m *Machine) { m.NozzlesMM = []float64{0.1} }, "", ""},
		"too fine":          {func(m *Machine) { m.NozzlesMM = []float64{0.4, 0.09} }, "nozzles_mm[1]", "0.09"},
		"widest nozzle":     {func(m *Machine) { m.NozzlesMM = []float64{2} }, "", ""},
		"too wide":          {func(m *Machine) { m.NozzlesMM = []float64{2.01} }, "nozzles_mm[0]", "2.01"},
		"thinnest filament": {func(m *Machine) { m.FilamentMM = 1 }, "", ""},
		"too thin":          {func(m *Machine) { m.FilamentMM = 0.99 }, "filament_mm", "0.99"},
		"thickest filament": {func(m *Machine) { m.FilamentMM = 4 }, "", ""},
		"too thick":         {func(m *Machine) { m.FilamentMM = 4.01 }, "filament_mm", "4.01"},
		"blocks": {func(m *Machine) {
			m.Dialect = Dialect{Start: "G28\nM104 S{first_nozzle_c}", End: "M84", Change: "T{nozzle}"}
		}, "", ""},
		"an unknown value":    {func(m *Machine) { m.Dialect.Start = "M104 S{hot}" }, "dialect.start", "hot"},
		"waits at the end":    {func(m *Machine) { m.Dialect.End = "G28\nM0" }, "dialect.end", "Line 2"},
		"waits for a change":  {func(m *Machine) { m.Dialect.Change = "M600" }, "", ""},
		"as hot as it goes":   {func(m *Machine) { m.Dialect.Start = "M109 S260\nM190 S100" }, "", ""},
		"nozzle too hot":      {func(m *Machine) { m.Dialect.Start = "G28\r\nM109 S261\r\n" }, "dialect.start", "Line 2 of this block asks for 261 °C; the nozzle goes up to 260"},
		"bed too hot":         {func(m *Machine) { m.Dialect.Change = "M140 S101" }, "dialect.change", "the bed goes up to 100"},
		"a nozzle of others":  {func(m *Machine) { m.Dialect.Start = "M104 T1 S200" }, "dialect.start", "heats nozzle 1"},
		"a nozzle of its own": {func(m *Machine) { m.NozzlesMM = []float64{0.4, 0.4}; m.Dialect.Start = "M104 T1 S200" }, "", ""},
		"no command":          {func(m *Machine) { m.Dialect.End = "M84\nHELLO " + strings.Repeat("9", 40) }, "dialect.end", "Line 2"},
	} {
		m := sound()
		c.change(&m)
		bad := m.Validate()
		if c.field == "" {
			assert.Empty(t, bad, name)
			continue
		}
		if assert.Len(t, bad, 1, name) {
			assert.Equal(t, c.field, bad[0].Field, name)
			assert.Contains(t, finding.Speak("en").Say(bad[0].Phrase), c.says, name)
		}
	}
}

// A machine's blocks are the house's where it has its own, else those that come along.
func TestBlocksInForce(t *testing.T) {
	start, end, change := Dialect{}.Blocks()
	assert.Equal(t, [3]string{StartBlock, EndBlock, ChangeBlock}, [3]string{start, end, change})
	start, end, change = Dialect{Start: "a", End: "b", Change: "c"}.Blocks()
	assert.Equal(t, "a b c", fmt.Sprint(start, " ", end, " ", change))
}

// Heating takes as long as the slower of both; what is left out, no warmer than the room
// or has no heater takes no time.
func TestHeatingUp(t *testing.T) {
	m := Machine{Process: MaterialExtrusion, WarmUp: WarmUp{NozzleCPerS: 2, BedCPerS: 0.5, HomingS: 30}}
	for _, c := range [][3]float64{{220, 0, 100}, {220, 60, 100}, {220, 80, 120}, {0, 60, 80}, {20, 20, 0}, {22, 0, 1}, {0, 20.5, 1}, {0, 0, 0}} {
		assert.InDelta(t, c[2], m.HeatUpSeconds(c[0], c[1]), 1e-9, "%v", c)
		assert.InDelta(t, math.Max(c[2], 30), m.WarmUpSeconds(c[0], c[1]), 1e-9, "it homes while it warms")
	}
	m.WarmUp.BedCPerS = 0
	assert.InDelta(t, 100, m.HeatUpSeconds(220, 90), 1e-9, "it has no heated bed")
	m.Process = VatPolymerization
	assert.Zero(t, m.WarmUpSeconds(220, 60))
}

// A nozzle is loaded with its own material, else with the first; and no material is laid
// hotter than it may be.
func TestWhatNozzlesAreLoadedWith(t *testing.T) {
	pla, pva, abs := Material{Name: "PLA", NozzleC: 210, NozzleMaxC: 230}, Material{Name: "PVA", NozzleC: 200}, Material{Name: "ABS", NozzleC: 250, NozzleMaxC: 249}
	house := []Material{abs, pva, pla}
	one, two := Machine{NozzlesMM: []float64{0.4}}, Machine{NozzlesMM: []float64{0.4, 0.4}}
	one.Second.Material, two.Second.Material = "PVA", "PVA"
	assert.Len(t, one.Load(&pla, house), 1, "it has no second nozzle")
	s := two.Load(&pla, house)
	require.Len(t, s, 2)
	for nozzle, want := range map[int]string{1: "PLA", 2: "PVA", 3: "PLA", 0: "PLA", -1: "PLA"} {
		assert.Equal(t, want, s.Of(nozzle).Name, "nozzle %d", nozzle)
	}
	assert.Equal(t, "PLA", Loaded{&pla, nil}.Of(2).Name)
	assert.Nil(t, Loaded{}.Of(1))
	two.Second.Material = "unknown"
	assert.Len(t, two.Load(&pla, house), 1)
	assert.Empty(t, pla.Validate())
	assert.Empty(t, pva.Validate(), "nobody said how hot")
	require.Len(t, abs.Validate(), 1)
	assert.Equal(t, "nozzle_c", abs.Validate()[0].Field)
	abs.NozzleC = 249
	assert.Empty(t, abs.Validate(), "as hot as it may be")
}
