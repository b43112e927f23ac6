package printability

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/machine"
)

// What a part is for is held against its material, each by itself and just below and above its limit; who has something
// better loaded is told. Heat of softening and shrink are of the table that the test makes.
func TestWhatAPartIsFor(t *testing.T) {
	soft := &machine.Material{Name: "Soft", SoftensC: 55, ShrinkPercent: 0.3}
	tough := &machine.Material{Name: "Tough", SoftensC: 95, LastsOutdoors: true, Flexible: true, CarriesLoad: true}
	unknown := &machine.Material{Name: "Odd"}
	on := func(m *machine.Material) Made {
		return Made{Machine: "Bench", Material: m, Colour: "Harbour blue", InfillPercent: 15, LongestMM: 60}
	}
	better, none := []Made{{Machine: "Deck", Material: soft, Colour: "Hemp"}, {Machine: "Quay", Material: tough, Colour: "Buoy red"}}, []Made(nil)
	for name, c := range map[string]struct {
		use    Use
		on     Made
		others []Made
		check  string // empty: nothing
		grade  finding.Grade
		says   string
	}{
		"as warm as it may":         {Use{WarmC: 54.9}, on(soft), none, "", "", ""},
		"warmer":                    {Use{WarmC: 55}, on(soft), better, "gets warm", finding.Decide, "goes soft at 55 °C. Quay has Tough loaded, which does."},
		"warmer than any":           {Use{WarmC: 96}, on(soft), better, "gets warm", finding.Decide, "No machine has one loaded that would do."},
		"nobody knows how warm":     {Use{WarmC: 40}, on(unknown), better, "gets warm", finding.Decide, "does not say at how many Odd goes soft. Deck has Soft loaded"},
		"nobody knows of what":      {Use{WarmC: 40, Outdoors: true, Load: false}, on(nil), better, "", "", ""},
		"outdoors":                  {Use{Outdoors: true}, on(soft), better, "outdoors", finding.Decide, "Quay has Tough loaded"},
		"outdoors, and lasts":       {Use{Outdoors: true}, on(tough), none, "", "", ""},
		"bends":                     {Use{Flexible: true}, on(soft), none, "flexible", finding.Decide, "No machine"},
		"bends, and does":           {Use{Flexible: true}, on(tough), none, "", "", ""},
		"as it came":                {Use{Fits: true}, on(tough), none, "", "", ""},
		"fits, by less":             {Use{Fits: true}, on(soft), none, "", "", ""}, // 60 mm by 0.3 % is 0.18 mm
		"another colour":            {Use{Colour: "red"}, on(soft), better, "other colour", finding.Decide, "Bench has Harbour blue loaded. Quay has it loaded."},
		"another colour, nowhere":   {Use{Colour: "green"}, on(soft), better, "other colour", finding.Decide, "No machine"},
		"the colour, in any case":   {Use{Colour: "BLUE"}, on(soft), better, "", "", ""},
		"the colour by its name":    {Use{Colour: "harbour  blue"}, on(soft), better, "", "", ""},
		"a part of a word":          {Use{Colour: "lue"}, on(soft), none, "other colour", finding.Decide, "lue"},
		"for nothing in particular": {Use{}, on(unknown), better, "", "", ""},
	} {
		found := Uses(c.use, c.on, c.others)
		if c.check == "" {
			assert.Empty(t, found, name)
			continue
		}
		require.Len(t, found, 1, name)
		assert.Equal(t, c.check, found[0].Check, name)
		assert.Equal(t, c.grade, found[0].Grade, name)
		assert.Contains(t, found[0].Text, c.says, name)
		assert.NotContains(t, found[0].Text, "%!", name)
	}
	full := on(tough)
	for _, c := range []struct {
		percent float64
		told    bool
	}{{19.9, true}, {20, false}} {
		full.InfillPercent = c.percent
		assert.Equal(t, c.told, len(Uses(Use{Load: true}, full, nil)) > 0, "%v", c)
	}
	long := on(soft)
	for _, c := range []struct {
		mm   float64
		told bool
	}{{66, false}, {67, true}} {
		long.LongestMM = c.mm
		found := Uses(Use{Fits: true}, long, nil)
		require.Equal(t, c.told, len(found) == 1, "%v", c)
		if c.told {
			assert.InDelta(t, 0.201, found[0].Value, 1e-9)
			assert.Contains(t, found[0].Text, "Make it 100.3 % as large")
		}
	}
	long.LongestMM, long.Sized = 20, true
	assert.Equal(t, "fits another part", Uses(Use{Fits: true}, long, nil)[0].Check)
	for _, c := range []float64{-1, 301} {
		assert.NotEmpty(t, Use{WarmC: c}.Check())
	}
	assert.Empty(t, Use{WarmC: 300}.Check())
}

// More asked of a part never finds less, and what a better material does is never worse.
func TestMoreAskedFindsNoLess(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		flag := func(name string) bool { return rapid.Bool().Draw(t, name) }
		u := Use{WarmC: rapid.Float64Range(0, 120).Draw(t, "warm"), Outdoors: flag("outdoors"), Flexible: flag("bends"), Load: flag("load"), Fits: flag("fits"), Colour: rapid.SampledFrom([]string{"", "blue", "red"}).Draw(t, "colour")}
		m := machine.Material{Name: "M", SoftensC: rapid.Float64Range(0, 120).Draw(t, "soft"), LastsOutdoors: flag("lasts"), Flexible: flag("does bend"), CarriesLoad: flag("carries"), ShrinkPercent: rapid.Float64Range(0, 2).Draw(t, "shrinks")}
		on := Made{Machine: "A", Material: &m, Colour: "blue", InfillPercent: rapid.Float64Range(0, 100).Draw(t, "full"), LongestMM: rapid.Float64Range(1, 300).Draw(t, "long"), Sized: flag("sized")}
		all := Uses(u, on, nil)
		checks := map[string]bool{}
		for _, f := range all {
			if checks[f.Check] {
				t.Fatalf("%s twice", f.Check)
			}
			checks[f.Check] = true
		}
		less := u
		switch rapid.IntRange(0, 5).Draw(t, "less") {
		case 0:
			less.WarmC /= 2
		case 1:
			less.Outdoors = false
		case 2:
			less.Flexible = false
		case 3:
			less.Load = false
		case 4:
			less.Fits = false
		case 5:
			less.Colour = ""
		}
		for _, f := range Uses(less, on, nil) {
			if !checks[f.Check] {
				t.Fatalf("%s is found of less", f.Check)
			}
		}
		m.SoftensC, m.LastsOutdoors, m.Flexible, m.CarriesLoad, m.ShrinkPercent = 121, true, true, true, 0
		for _, f := range Uses(u, on, nil) {
			if f.Check != "sparse inside" && f.Check != "fits another part" && f.Check != "other colour" {
				t.Fatalf("%s of what does everything", f.Check)
			}
		}
	})
}
