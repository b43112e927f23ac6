package recipe

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/machine"
)

// At each edge a recipe is taken, a hair beyond it is refused, and by the field that is
// beyond it. Layers of a fifth to four fifths of the nozzle and lines of nine tenths to
// twice are common practice, no source.
func TestRecipesAtTheirEdges(t *testing.T) {
	type loaded struct {
		nozzles []float64
		second  string // what the machine says is loaded in it
		max     float64
		loaded  int
	}
	one := loaded{nozzles: []float64{0.4}, max: 230, loaded: 1}
	two := loaded{nozzles: []float64{0.4, 0.8}, second: "PVA", max: 230, loaded: 2}
	for name, c := range map[string]struct {
		on     loaded
		change func(*Recipe)
		fields string // that are refused
	}{
		"as it is":                  {one, func(*Recipe) {}, ""},
		"the highest layer":         {one, func(r *Recipe) { r.LayerMM = 0.32 }, ""},
		"a higher one":              {one, func(r *Recipe) { r.LayerMM = 0.3201 }, "layer_mm"},
		"the lowest layer":          {one, func(r *Recipe) { r.LayerMM = 0.08 }, ""},
		"a lower one":               {one, func(r *Recipe) { r.LayerMM = 0.0799 }, "layer_mm"},
		"the widest line":           {one, func(r *Recipe) { r.LineMM = 0.8 }, ""},
		"a wider one":               {one, func(r *Recipe) { r.LineMM = 0.8001 }, "line_mm"},
		"the narrowest line":        {one, func(r *Recipe) { r.LineMM = 0.36 }, ""},
		"a narrower one":            {one, func(r *Recipe) { r.LineMM = 0.3599 }, "line_mm"},
		"as wide as high":           {loaded{[]float64{0.8}, "", 230, 1}, func(r *Recipe) { r.LayerMM, r.LineMM, r.FirstLayerMM = 0.64, 0.72, 0.72 }, ""},
		"a first layer too high":    {loaded{[]float64{0.8}, "", 230, 1}, func(r *Recipe) { r.LayerMM, r.LineMM, r.FirstLayerMM = 0.64, 0.72, 0.7201 }, "line_mm"},
		"layers higher than wide":   {loaded{[]float64{0.8}, "", 230, 1}, func(r *Recipe) { r.LayerMM, r.LineMM, r.FirstLayerMM = 0.73, 0.72, 0.3 }, "line_mm layer_mm"},
		"layers as high as wide":    {loaded{[]float64{0.9}, "", 230, 1}, func(r *Recipe) { r.LayerMM, r.LineMM, r.FirstLayerMM = 0.72, 0.72, 0.3 }, "line_mm"}, // 0.81 would be the nozzle's least
		"no infill":                 {one, func(r *Recipe) { r.InfillPercent = 0 }, ""},
		"the least infill":          {one, func(r *Recipe) { r.InfillPercent = 1 }, ""},
		"less infill":               {one, func(r *Recipe) { r.InfillPercent = 0.99 }, "infill_percent"},
		"less of a roof":            {one, func(r *Recipe) { r.SupportInterfacePercent = 0.5 }, "support_interface_percent"},
		"the least acceleration":    {one, func(r *Recipe) { r.OuterMMPerS2, r.BridgeMMPerS2 = 10, 10 }, ""},
		"less acceleration":         {one, func(r *Recipe) { r.OuterMMPerS2, r.BridgeMMPerS2 = 9.99, 9 }, "outer_mm_per_s2 bridge_mm_per_s2"},
		"a pause":                   {one, func(r *Recipe) { r.PauseMM = []float64{0.01} }, ""},
		"a pause at the plate":      {one, func(r *Recipe) { r.PauseMM = []float64{3, 0} }, "pause_mm[1]"},
		"as hot as the material":    {one, func(r *Recipe) { r.NozzleC = 230 }, ""},
		"hotter":                    {one, func(r *Recipe) { r.NozzleC = 230.1; r.FirstNozzleC = 200 }, "nozzle_c"},
		"first layer hotter":        {one, func(r *Recipe) { r.FirstNozzleC = 230.1 }, "first_nozzle_c"},
		"nobody said how hot":       {loaded{[]float64{0.4}, "", 0, 1}, func(r *Recipe) { r.NozzleC = 260 }, ""},
		"hotter than the machine":   {loaded{[]float64{0.4}, "", 0, 1}, func(r *Recipe) { r.NozzleC = 260.1 }, "first_nozzle_c nozzle_c"},
		"as warm as the bed":        {one, func(r *Recipe) { r.BedC = 90 }, ""},
		"warmer":                    {one, func(r *Recipe) { r.BedC = 90.1 }, "bed_c"},
		"no second nozzle":          {one, func(r *Recipe) { r.SupportNozzle = 2 }, "support_nozzle"},
		"two nozzles":               {two, func(r *Recipe) { r.SupportNozzle = 2; r.LineMM = 0.72 }, ""},
		"a line too fine for one":   {two, func(r *Recipe) { r.SupportNozzle = 2 }, "line_mm"},
		"all by the second":         {two, func(r *Recipe) { r.PieceNozzle = 2; r.LineMM = 0.9 }, ""},
		"all by the second, fine":   {two, func(r *Recipe) { r.PieceNozzle = 2 }, "line_mm"}, // told once
		"a second with nothing":     {loaded{[]float64{0.4, 0.4}, "", 230, 1}, func(r *Recipe) { r.SupportNozzle = 2 }, "support_nozzle"},
		"a second nobody knows":     {loaded{[]float64{0.4, 0.4}, "Dust", 230, 1}, func(r *Recipe) { r.PieceNozzle = 2 }, "piece_nozzle support_nozzle"},
		"nobody told of nozzles":    {loaded{nil, "PVA", 230, 2}, func(r *Recipe) { r.SupportNozzle = 2; r.LayerMM, r.LineMM = 0.5, 0.5 }, ""},
		"nor what is in it":         {loaded{nil, "", 230, 1}, func(r *Recipe) { r.SupportNozzle = 2 }, "support_nozzle"},
		"one missing, one unfit":    {loaded{[]float64{0.4}, "", 230, 1}, func(r *Recipe) { r.PieceNozzle = 3; r.SupportNozzle = 1; r.LineMM = 0.9 }, "piece_nozzle line_mm"},
		"both too hot":              {two, func(r *Recipe) { r.SupportNozzle = 2; r.LineMM = 0.72; r.NozzleC, r.BedC = 231, 91 }, "bed_c first_nozzle_c nozzle_c"},
		"the second as it is laid":  {loaded{[]float64{0.4, 0.4}, "PVA", 230, 3}, func(r *Recipe) { r.SupportNozzle = 2 }, "support_nozzle"}, // its material is laid hotter than it may be
		"all by the second, hotter": {loaded{[]float64{0.4, 0.4}, "PVA", 230, 3}, func(r *Recipe) { r.PieceNozzle = 2 }, "piece_nozzle"},
	} {
		m := machine.Machine{Name: "Bowline", NozzlesMM: c.on.nozzles, NozzleMaxC: 260, BedMaxC: 90}
		m.Second.Material = c.on.second
		loaded := machine.Loaded{{Name: "PLA", NozzleMaxC: c.on.max}}
		switch c.on.loaded {
		case 2:
			loaded = append(loaded, &machine.Material{Name: "PVA", NozzleC: 205, NozzleMaxC: 210})
		case 3:
			loaded = append(loaded, &machine.Material{Name: "PVA", NozzleC: 215, NozzleMaxC: 210})
		}
		r := everyday()
		c.change(&r)
		var got []string
		for _, p := range r.Validate(&m, loaded) {
			got = append(got, p.Field)
		}
		assert.Equal(t, c.fields, strings.Join(got, " "), "%s: %v", name, r.Validate(&m, loaded))
	}
}

// What the house's own blocks ask for in plain numbers counts as the recipe's own: for the
// nozzle that is named, else for each that is in use; a value in braces is the recipe's.
func TestHeatOfTheHousesBlocks(t *testing.T) {
	for _, c := range []struct{ start, end, want string }{
		{"M104 S{first_nozzle_c}", "M84", ""},
		{"M109 S231", "", "dialect.start: PLA 230, PVA 210"},
		{"G28\r\nM109 S240 T0", "", "dialect.start: PLA 230"},
		{"M109 T1 S211", "", "dialect.start: PVA 210"},
		{"M109 T1 S210\nM109 T0 S230\nM190 S90", "", ""},
		{"M190 S{bed_c}\nM140 S91", "", "dialect.start: bed 90"},
		{"M104 S211", "", "dialect.start: PVA 210"},
		{"", "M104 S301", "dialect.end: machine 260, PLA 230, PVA 210"},
		{"M104 T1 S{first_nozzle_c}\r", "", "dialect.start: PVA 210"}, // 225, which is the first nozzle's
		{"", "M104 T1 S{nozzle_c}", "dialect.end: PVA 210"},           // in the first layer it is that one's, too
		{"M104 T0 S{first_nozzle_c}\nM104 T{nozzle} S{nozzle_c}\nM140 S{bed_c}", "M104 T0 S{nozzle_c}", ""},
	} {
		m := machine.Machine{Name: "Bowline", NozzlesMM: []float64{0.4, 0.4}, NozzleMaxC: 260, BedMaxC: 90}
		m.Dialect.Start, m.Dialect.End = c.start, c.end
		m.Second.Material = "PVA"
		r := everyday()
		r.SupportNozzle, r.FirstNozzleC = 2, 225
		loaded := machine.Loaded{{Name: "PLA", NozzleMaxC: 230}, {Name: "PVA", NozzleC: 200, NozzleMaxC: 210}}
		told := map[string]bool{}
		for _, p := range r.TooHot(&m, loaded) {
			text := finding.Speak("en").Say(p.Phrase)
			require.True(t, strings.HasPrefix(text, "The machine's own block asks for it. "), text)
			for _, who := range []string{"PLA", "PVA", "bed", "machine"} {
				if who == "machine" && strings.Contains(text, "Bowline goes up to 260") || who == "bed" && strings.Contains(text, "bed that goes up to 90") ||
					strings.Contains(text, who+" may be") {
					limit := map[string]string{"PLA": "230", "PVA": "210", "bed": "90", "machine": "260"}[who]
					assert.Contains(t, text, limit)
					told[fmt.Sprintf("%s: %s %s", p.Field, who, limit)] = true
				}
			}
		}
		field, whos, _ := strings.Cut(c.want, ": ")
		want := map[string]bool{}
		for _, who := range strings.Split(whos, ", ") {
			if who != "" {
				want[field+": "+who] = true
			}
		}
		assert.Equal(t, want, told, "%q %q", c.start, c.end)
	}
}

// With its values put in, a line of a block that names another nozzle than the one in use
// gives it that one's heat, to the tenth, be it the first nozzle or the second; the one in
// use has its own in the list already.
func TestABlockGivesAnotherNozzleTheHeatOfTheOneInUse(t *testing.T) {
	m := machine.Machine{Name: "Bowline", NozzlesMM: []float64{0.4, 0.4}, NozzleMaxC: 300, BedMaxC: 90}
	m.Second.Material = "PVA"
	r := everyday()
	r.SupportNozzle, r.NozzleC, r.FirstNozzleC = 2, 212.25, 200
	loaded := machine.Loaded{{Name: "PLA"}, {Name: "PVA", NozzleC: 195.5}}
	for line, want := range map[string][]string{
		"M104 T{nozzle} S{nozzle_c}":         nil,
		"M104 T1 S{nozzle_c}":                {"2 at 212.2"},
		"M109 T0 S{nozzle_c}":                {"1 at 195.5"},
		"M104 T0 S{first_nozzle_c}":          {"1 at 195.5"},
		"M104 T1 S{first_nozzle_c}\nM84":     {"2 at 200"},
		"M104 S{nozzle_c}":                   nil,
		"M140 S{nozzle_c}":                   nil,
		"M104 T1 S{bed_c}\nM104 T0 S{bed_c}": {"2 at 60", "1 at 60"},
		"M104 T1 S{nobody}":                  nil,
	} {
		m.Dialect.Start, m.Dialect.End = line, "M84"
		var got []string
		for _, h := range r.Heats(&m, loaded) {
			if h.Field == "dialect.start" {
				got = append(got, fmt.Sprintf("%d at %g", h.Nozzle, h.C))
				assert.Equal(t, loaded.Of(h.Nozzle), h.Material, line)
			}
		}
		assert.Equal(t, want, got, line)
	}
}

// A further nozzle is as hot as its material is usually laid, and where nobody said how hot
// that is, as the recipe says.
func TestHeatOfAFurtherNozzle(t *testing.T) {
	r := everyday()
	r.SupportNozzle, r.NozzleC, r.FirstNozzleC = 2, 210, 215
	for c, want := range map[float64][2]float64{0: {215, 210}, 0.5: {0.5, 0.5}, 190: {190, 190}} {
		h := r.Heats(nil, machine.Loaded{{Name: "PLA"}, {Name: "PVA", NozzleC: c}})
		assert.InDelta(t, want[0], h.At(2, true), 0)
		assert.InDelta(t, want[1], h.At(2, false), 0)
	}
}

// A unit is the last words of a setting's description, where they are short.
func TestSettingsHaveTheirUnits(t *testing.T) {
	units := map[string]string{}
	for _, s := range Settings() {
		units[s.Key] = s.Unit
		if s.Unit != "" {
			assert.Less(t, len(s.Unit), 8, s.Key)
		}
	}
	for key, unit := range map[string]string{"layer_mm": "mm", "nozzle_c": "°C", "outer_mm_per_s": "mm/s", "outer_mm_per_s2": "mm/s²", "infill_percent": "%", "support_deg": "°", "shells": "", "support": "", "min_layer_time_s": "s"} {
		assert.Equal(t, unit, units[key], key)
	}
}

// Numbers are plain decimal ones; lists may hold blanks, and what is empty between commas
// is left out.
func TestNumbersAreReadAsPeopleWriteThem(t *testing.T) {
	for text, want := range map[string]string{"0.25": "0.25", " 0.25 ": "0.25", "2e-1": "0.2", "+0.3": "0.3"} {
		r, err := everyday().Apply([]Override{{Key: "layer_mm", Value: text}})
		require.NoError(t, err, text)
		assert.Equal(t, want, r.Value("layer_mm"), text)
	}
	for _, text := range []string{"0x1p-2", "0X1P-2", "0_2", "1_0", "Inf", "-Inf", "nan", "", "0,2", "0.2 mm", "²"} {
		_, err := everyday().Apply([]Override{{Key: "layer_mm", Value: text}})
		assert.ErrorContains(t, err, "Layer height, no number", text)
	}
	r, err := everyday().Apply([]Override{{Key: "pause_mm", Value: " 3, ,, 7.5 , "}})
	require.NoError(t, err)
	assert.Equal(t, []float64{3, 7.5}, r.PauseMM)
	_, err = everyday().Apply([]Override{{Key: "pause_mm", Value: ",x"}})
	assert.ErrorContains(t, err, "Pauses")
}

// Defaults leave alone what is set, every one of them.
func TestDefaultsLeaveWhatIsSet(t *testing.T) {
	r := everyday()
	r.Pattern, r.Support, r.Seam, r.SupportPattern = PatternGyroid, SupportEverywhere, SeamClosest, SupportGrid
	r.SupportDeg, r.SupportPercent, r.SupportInterfacePercent, r.BridgeMMPerS, r.SupportMMPerS = 33, 7, 60, 11, 12
	r.PauseMM, r.SupportInterface, r.ChangePurgeMM = []float64{4}, new(0), new(0.0)
	full := r.WithDefaults()
	assert.Equal(t, []any{r.Pattern, r.Support, r.Seam, r.SupportPattern, 33.0, 7.0, 60.0, 11.0, 12.0, []float64{4}, 0, 0.0},
		[]any{full.Pattern, full.Support, full.Seam, full.SupportPattern, full.SupportDeg, full.SupportPercent, full.SupportInterfacePercent, full.BridgeMMPerS, full.SupportMMPerS, full.PauseMM, *full.SupportInterface, *full.ChangePurgeMM})
	bare := Recipe{LineMM: 0.4, LayerMM: 0.2, OuterMMPerS: 50, InnerMMPerS: 70, NozzleC: 200}.WithDefaults()
	assert.Equal(t, []any{PatternGrid, SupportOff, SeamBack, SupportLines, 50.0, 15.0, 83.0, 30.0, 70.0, 200.0, 1, 1, 2, 10.0, []float64{}, 0.2},
		[]any{bare.Pattern, bare.Support, bare.Seam, bare.SupportPattern, bare.SupportDeg, bare.SupportPercent, bare.SupportInterfacePercent, bare.BridgeMMPerS, bare.SupportMMPerS, bare.FirstNozzleC, bare.PieceNozzle, bare.SupportNozzle, *bare.SupportInterface, *bare.ChangePurgeMM, bare.PauseMM, *bare.SupportVerticalGapMM})
	assert.InDelta(t, 0.6, *bare.SupportHorizontalGapMM, 1e-12)
}

// Layer bounds are those of the nozzles in use, and never above the line's width.
func TestLayerBoundsAreTheNozzles(t *testing.T) {
	m := &machine.Machine{NozzlesMM: []float64{0.4, 0.8}}
	for _, c := range []struct {
		line         float64
		piece, other int
		least, most  float64
	}{{0.45, 1, 1, 0.08, 0.32}, {0.9, 2, 2, 0.16, 0.64}, {0.9, 1, 2, 0.16, 0.32}, {0.3, 2, 2, 0.16, 0.3}, {0.45, 3, 3, 0, 0.45}} {
		r := Recipe{LineMM: c.line, PieceNozzle: c.piece, SupportNozzle: c.other}
		least, most := r.LayerBounds(m)
		assert.InDelta(t, c.least, least, 1e-12)
		assert.InDelta(t, c.most, most, 1e-12)
	}
	r := Recipe{LineMM: 0.45, PieceNozzle: 1, SupportNozzle: 1}
	least, most := r.LayerBounds(nil)
	assert.Equal(t, [2]float64{0, 0.45}, [2]float64{least, most})
}

// All that is too hot is told, the bed's first, and nothing else hides it; nozzle 0 is none.
func TestAllThatIsTooHotIsTold(t *testing.T) {
	m := machine.Machine{Name: "Bowline", NozzlesMM: []float64{0.4, 0.4}, NozzleMaxC: 220, BedMaxC: 50}
	m.Second.Material = "PVA"
	r := everyday()
	r.SupportNozzle, r.NozzleC, r.FirstNozzleC, r.BedC = 2, 230, 240, 60
	var got []string
	for _, p := range r.TooHot(&m, machine.Loaded{{Name: "PLA"}, {Name: "PVA", NozzleC: 225, NozzleMaxC: 210}}) {
		got = append(got, p.Field)
	}
	assert.Equal(t, []string{"bed_c", "first_nozzle_c", "nozzle_c", "support_nozzle", "support_nozzle"}, got, "225 is too hot for the machine, and for PVA")
	h := r.Heats(&m, machine.Loaded{{Name: "PLA"}})
	assert.Zero(t, h.At(0, true), "the bed is no nozzle")
	assert.Zero(t, h.At(-1, true))
	assert.InDelta(t, 240, h.At(1, true), 0)
	// Tenths are rounded downwards, and what is just a tenth stays.
	for c, want := range map[float64]float64{209.99: 209.9, 210.05: 210, 210.1: 210.1, 59.999999999: 60} {
		r.NozzleC, r.FirstNozzleC = c, 0
		assert.InDelta(t, want, r.Heats(&m, nil).At(1, false), 1e-9, "%g", c)
	}
}

// Where both nozzles lay the same, what is unfit of it is told once; where two do, of each.
func TestUnfitNozzlesAreToldOnceEach(t *testing.T) {
	m := machine.Machine{Name: "Bowline", NozzlesMM: []float64{0.4, 0.8}, NozzleMaxC: 300, BedMaxC: 100}
	m.Second.Material = "PVA"
	loaded := machine.Loaded{{Name: "PLA"}, {Name: "PVA"}}
	for _, c := range []struct {
		piece, support int
		layer          float64
		n              int
	}{{1, 1, 0.33, 1}, {1, 2, 0.33, 1}, {2, 2, 0.1, 1}, {1, 2, 0.07, 2}, {1, 2, 0.2, 0}} {
		r := everyday()
		r.PieceNozzle, r.SupportNozzle, r.LayerMM, r.LineMM, r.FirstLayerMM = c.piece, c.support, c.layer, 0.75, 0.2
		n := 0
		for _, p := range r.Validate(&m, loaded) {
			if p.Field == "layer_mm" {
				n++
			}
		}
		assert.Equal(t, c.n, n, "%+v", c)
	}
}
