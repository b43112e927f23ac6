package recipe

import (
	"encoding/json"
	"fmt"
	"math"
	"reflect"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/setting"
)

func everyday() Recipe {
	return Recipe{Name: "everyday", LayerMM: 0.2, FirstLayerMM: 0.24, LineMM: 0.45, Shells: 2, NozzleC: 210, BedC: 60, OuterMMPerS: 40, InnerMMPerS: 60}
}

// Every field of a recipe is a setting with a type, a description, its unit where
// the name has one, and a range or choices; what it depends on is a setting too.
func TestSettingsDescribeTheWholeRecipe(t *testing.T) {
	all := map[string]setting.Setting{}
	for _, s := range Settings() {
		all[s.Key] = s
	}
	typ := reflect.TypeOf(Recipe{})
	fixed := map[string]bool{"name": true, "purpose": true, "machine": true, "material": true} // which recipe it is
	for i := range typ.NumField() {
		key, _, _ := strings.Cut(typ.Field(i).Tag.Get("json"), ",")
		if fixed[key] {
			assert.NotContains(t, all, key)
			continue
		}
		s, ok := all[key]
		require.True(t, ok, key)
		assert.NotEmpty(t, s.Text, key)
		for ending, unit := range map[string]string{"_mm": "mm", "_c": "°C", "_percent": "%", "_mm_per_s": "mm/s", "_mm_per_s2": "mm/s²", "_deg": "°", "_layer_s": "s"} {
			if strings.HasSuffix(key, ending) {
				assert.Equal(t, unit, s.Unit, key)
			}
		}
		switch s.Type {
		case "number", "whole number":
			require.True(t, s.Least != nil && s.Most != nil, key)
			assert.Less(t, *s.Least, *s.Most, key)
		case "choice":
			assert.Greater(t, len(s.Choices), 1, key)
		default:
			assert.Equal(t, "list", s.Type, key)
		}
		if s.With != "" {
			assert.Contains(t, all, s.With, key)
			assert.NotEqual(t, key, s.With)
		}
	}
	assert.Len(t, all, typ.NumField()-len(fixed))
}

// Houses have recipes by these names in their books: none goes, and none is spelt otherwise.
func TestSettingsKeepTheirNames(t *testing.T) {
	var keys []string
	typ := reflect.TypeFor[Recipe]()
	for i := range typ.NumField() {
		key, _, _ := strings.Cut(typ.Field(i).Tag.Get("json"), ",")
		keys = append(keys, key)
	}
	assert.Equal(t, strings.Fields(`
		name purpose machine material layer_mm first_layer_mm line_mm shells top_layers bottom_layers infill_percent bed_adhesion brim_mm
		nozzle_c bed_c outer_mm_per_s inner_mm_per_s top_bottom_mm_per_s infill_mm_per_s first_mm_per_s travel_mm_per_s retract_mm
		retract_mm_per_s min_layer_time_s pattern support support_deg support_percent support_horizontal_gap_mm support_vertical_gap_mm
		support_interface_layers support_interface_percent support_pattern bridge_mm_per_s support_mm_per_s lift_mm first_nozzle_c
		fan_percent seam pause_mm purge_mm piece_nozzle support_nozzle change_purge_mm outer_mm_per_s2 inner_mm_per_s2
		top_bottom_mm_per_s2 infill_mm_per_s2 bridge_mm_per_s2 support_mm_per_s2 first_mm_per_s2 travel_mm_per_s2
	`), keys)
}

// Whatever is set within its range is what the recipe then says; nothing else has
// changed, and the recipe it came from has not.
func TestOverridesSetWhatTheySay(t *testing.T) {
	settings := Settings()
	rapid.Check(t, func(t *rapid.T) {
		base := everyday().WithDefaults()
		before, err := json.Marshal(base)
		require.NoError(t, err)
		s := rapid.SampledFrom(settings).Draw(t, "setting")
		var value string
		switch s.Type {
		case "choice":
			value = rapid.SampledFrom(s.Choices).Draw(t, "choice")
		case "whole number":
			value = strconv.Itoa(rapid.IntRange(int(*s.Least), int(*s.Most)).Draw(t, "n"))
		case "list":
			value = "3, 7.5"
		default:
			value = strconv.FormatFloat(math.Round(1000*rapid.Float64Range(*s.Least, *s.Most).Draw(t, "x"))/1000, 'f', -1, 64)
		}
		got, err := base.Apply([]Override{{Key: s.Key, Value: " " + value + " "}})
		if s.Least != nil && err != nil { // rounding may step over the edge
			v, _ := strconv.ParseFloat(value, 64)
			require.True(t, v < *s.Least || v > *s.Most, "%s: %v", value, err)
			return
		}
		require.NoError(t, err)
		require.Equal(t, value, got.Value(s.Key))
		for _, o := range settings {
			if o.Key != s.Key {
				require.Equal(t, base.Value(o.Key), got.Value(o.Key), o.Key)
			}
		}
		after, err := json.Marshal(base)
		require.NoError(t, err)
		require.JSONEq(t, string(before), string(after))
	})
}

func TestWhatCannotBeSetIsRefusedWithTheReason(t *testing.T) {
	for value, says := range map[string]string{
		"colour=red": `no setting "colour"`, "name=x": `no setting "name"`, "layer_mm=thin": `"thin" is no number`, "layer_mm=NaN": "no number",
		"layer_mm=7": "not between 0.01 and 1.5 mm", "shells=2.5": "cannot be taken", "support=perhaps": "none of off, plate only",
		"pause_mm=3, x": `"x" is no number`, "infill_percent=-1": "not between 0 and 100 %",
	} {
		key, v, _ := strings.Cut(value, "=")
		_, err := everyday().Apply([]Override{{Key: key, Value: v}})
		var wrong *WrongOverride
		require.ErrorAs(t, err, &wrong, value)
		assert.Contains(t, finding.Speak("en").Say(wrong.Phrase), says, value)
	}
	got, err := everyday().Apply([]Override{{Key: "support", Value: "Everywhere"}, {Key: "pause_mm", Value: ""}})
	require.NoError(t, err)
	assert.Equal(t, SupportEverywhere, got.Support)
	assert.Empty(t, got.PauseMM)
}

// What is left out is filled once; what is set stays.
func TestDefaultsFillWhatIsLeftOut(t *testing.T) {
	r := everyday().WithDefaults()
	assert.Equal(t, r, r.WithDefaults())
	assert.InDelta(t, 0.675, *r.SupportHorizontalGapMM, 1e-12, "one and a half lines")
	assert.InDelta(t, 24, r.BridgeMMPerS, 1e-12)
	assert.Equal(t, 1, r.SupportNozzle)
	set := everyday()
	set.PieceNozzle, set.SupportHorizontalGapMM, set.SupportVerticalGapMM, set.FirstNozzleC = 2, new(1.0), new(0.0), 220
	set = set.WithDefaults()
	assert.Equal(t, 2, set.SupportNozzle, "as the part's")
	assert.Equal(t, []float64{1, 0}, []float64{*set.SupportHorizontalGapMM, *set.SupportVerticalGapMM}, "no gap is a gap of 0, not one left out")
	soluble := &machine.Material{NozzleC: 225}
	loaded := machine.Loaded{{NozzleC: 1}, soluble}
	both := set
	both.SupportNozzle = 1
	h := both.Heats(nil, loaded)
	assert.Equal(t, []float64{220, 210, 225, 225, 0}, []float64{h.At(1, true), h.At(1, false), h.At(2, true), h.At(2, false), h.At(3, true)})
}

// Layers of a fifth to four fifths of the nozzle, lines of nine tenths to twice
// (common practice, no source); heat within machine and material; nozzles that are
// there and loaded.
func TestRecipesMustSuitMachineAndMaterial(t *testing.T) {
	m := machine.Machine{Name: "Bowline", NozzlesMM: []float64{0.4, 0.8}, NozzleMaxC: 260, BedMaxC: 90}
	mat := machine.Material{Name: "PLA", NozzleMaxC: 230}
	fields := func(change func(*Recipe), mach machine.Machine) string {
		r := everyday()
		change(&r)
		out := ""
		for _, p := range r.Validate(&mach, machine.Loaded{&mat}) {
			out += fmt.Sprintf("%s: %s\n", p.Field, finding.Speak("en").Say(p.Phrase))
		}
		return out
	}
	assert.Empty(t, fields(func(*Recipe) {}, m))
	for says, change := range map[string]func(*Recipe){
		"layer_mm: A nozzle of 0.4 mm lays layers of 0.08 to 0.32 mm, not 0.33 mm.": func(r *Recipe) { r.LayerMM = 0.33 },
		"line_mm: A nozzle of 0.4 mm lays lines of 0.36 to 0.80 mm, not 0.35 mm.":   func(r *Recipe) { r.LineMM = 0.35 },
		"line_mm: A line of 0.45 mm is narrower than a layer is high":               func(r *Recipe) { r.FirstLayerMM = 0.5 },
		"nozzle_c: Bowline goes up to 260 °C, not 270 °C.":                          func(r *Recipe) { r.NozzleC = 270 },
		"nozzle_c: PLA may be 230 °C hot, not 240 °C.":                              func(r *Recipe) { r.NozzleC = 240 },
		"infill_percent: It is 0 or at least 1 %, not 1e-300 %.":                    func(r *Recipe) { r.InfillPercent = 1e-300 },
		"travel_mm_per_s2: An acceleration is 10 mm/s² or more":                     func(r *Recipe) { r.TravelMMPerS2 = 1e-9 },
		"bed_c: Bowline has a bed that goes up to 90 °C, not 91 °C.":                func(r *Recipe) { r.BedC = 91 },
		"support_nozzle: Nothing is loaded in nozzle 2 of Bowline.":                 func(r *Recipe) { r.SupportNozzle = 2 },
		"line_mm: A nozzle of 0.8 mm lays lines of 0.72 to 1.60 mm, not 0.45 mm.":   func(r *Recipe) { r.SupportNozzle = 2 },
	} {
		assert.Contains(t, fields(change, m), says)
	}
	m.NozzlesMM = m.NozzlesMM[:1]
	assert.Contains(t, fields(func(r *Recipe) { r.PieceNozzle = 2 }, m), "piece_nozzle: Bowline has no nozzle 2.")
	assert.Empty(t, (&Recipe{LineMM: 0.4, LayerMM: 0.2}).Validate(nil, nil))
}

// What can be chosen is what the program knows, by the same words: they are in the houses'
// databases.
func TestChoicesAreTheKnownOnes(t *testing.T) {
	want := map[string][]string{
		"bed_adhesion": {"none", "skirt", "brim", "raft"}, "pattern": {"lines", "grid", "honeycomb", "gyroid"}, "support_pattern": {"lines", "grid"},
		"seam": {"in one line", "at the back", "closest"}, "support": {"off", "plate only", "everywhere", "first layer only"}, "purpose": {"quick look", "everyday", "working part"},
	}
	known := map[string][]string{
		"bed_adhesion":    {string(AdhesionNone), string(AdhesionSkirt), string(AdhesionBrim), string(AdhesionRaft)},
		"pattern":         {string(PatternLines), string(PatternGrid), string(PatternHoneycomb), string(PatternGyroid)},
		"support_pattern": {string(SupportLines), string(SupportGrid)},
		"seam":            {string(SeamBack), string(SeamInLine), string(SeamClosest)},
		"support":         {string(SupportOff), string(SupportPlateOnly), string(SupportEverywhere), string(SupportFirstLayer)},
	}
	for _, s := range Settings() {
		if len(s.Choices) > 0 {
			assert.ElementsMatch(t, want[s.Key], s.Choices, s.Key)
			assert.ElementsMatch(t, known[s.Key], s.Choices, s.Key)
		}
	}
}
