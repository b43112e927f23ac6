package machine

import (
	"encoding/json"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"
	"pgregory.net/rapid"

	"jobshelf/core/shape/polygon"
)

func rect(x, y float64) []polygon.Point {
	X, Y := int64(x*1000), int64(y*1000)
	return []polygon.Point{{X: 0, Y: 0}, {X: X, Y: 0}, {X: X, Y: Y}, {X: 0, Y: Y}}
}

func TestFitByHand(t *testing.T) {
	box := Volume{Rectangle, 220, 220, 250}
	round := Volume{Round, 200, 200, 300}
	for _, c := range []struct {
		name   string
		v      Volume
		x, y   float64
		height float64
		want   Fit
	}{
		{"exactly", box, 220, 220, 250, Fit{Fits: true, Scale: 1}},
		{"12.4 over in X", box, 232.4, 200, 10, Fit{OverMM: [3]float64{12.4, 0, 0}, Scale: 220 / 232.4}},
		{"too high", box, 20, 20, 300, Fit{OverMM: [3]float64{0, 0, 50}, Scale: 250. / 300}},
		{"a quarter turn", Volume{Rectangle, 100, 300, 50}, 300, 100, 10, Fit{Fits: true, TurnDeg: 90, Scale: 1}},
		// A bar of 290 x 10 goes into 220 x 220 at 45°: (290+10)/√2 = 212.1.
		{"diagonally", box, 290, 10, 10, Fit{Fits: true, Scale: 1}},
		// A circle around 120 x 160 has the diameter 200.
		{"round, exactly", round, 120, 160, 10, Fit{Fits: true, Scale: 1}},
		{"round, over", round, 150, 200, 10, Fit{OverMM: [3]float64{50, 50, 0}, Scale: 0.8}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := c.v.FitIn(rect(c.x, c.y), c.height)
			assert.Equal(t, c.want.Fits, got.Fits)
			for i := range got.OverMM {
				assert.InDelta(t, c.want.OverMM[i], got.OverMM[i], 0.0015, "axis %d", i)
			}
			if c.name != "diagonally" {
				assert.Equal(t, c.want.TurnDeg, got.TurnDeg)
			}
			assert.InDelta(t, c.want.Scale, got.Scale, 0.02)
			assert.GreaterOrEqual(t, got.Scale, c.want.Scale-1e-4, "another turn may allow more, never less")
		})
	}
}

// What the fit promises holds: at the scale it names, the part fits.
func TestScaleToFitDoesFit(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := Volume{rapid.SampledFrom([]Shape{Rectangle, Round}).Draw(t, "shape"), 200, 200, 150}
		x, y, z := rapid.Float64Range(1, 900).Draw(t, "x"), rapid.Float64Range(1, 900).Draw(t, "y"), rapid.Float64Range(1, 900).Draw(t, "z")
		f := v.FitIn(rect(x, y), z)
		require.Equal(t, f.Fits, f.OverMM == [3]float64{})
		s := f.Scale * (1 - 1e-4)
		require.True(t, v.FitIn(rect(x*s, y*s), z*s).Fits, "%+v", f)
		if !f.Fits && f.Scale < 0.99 {
			s = f.Scale * 1.01
			require.False(t, v.FitIn(rect(x*s, y*s), z*s).Fits, "a larger scale fits: %+v", f)
		}
	})
}

func TestWarmUpAndValidation(t *testing.T) {
	m := Machine{Name: "x", Process: MaterialExtrusion, NozzlesMM: []float64{0.4}, FilamentMM: 1.75,
		WarmUp: WarmUp{NozzleCPerS: 2, BedCPerS: 0.5, HomingS: 30}}
	assert.Empty(t, m.Validate())
	assert.InDelta(t, 100, m.WarmUpSeconds(210, 70), 1e-9) // bed 50/0.5 = 100 is longer than 95; it homes meanwhile
	for block, want := range map[string]float64{
		"G28\nM190 S{bed_c}\nM109 S{first_nozzle_c}":                                               30 + 100 + 95, // one after the other
		"G28 ; home\nM140 S{bed_c}\nM104 S{first_nozzle_c}\nM109 S{first_nozzle_c}\nM190 S{bed_c}": 30 + 100,
		"M190 S{bed_c}\nG28\nG29\nM109 S{first_nozzle_c}":                                          100 + 30 + 95,
		"M104 S{first_nozzle_c}\nG28":                                                              100, // the bed is waited for behind it
		"M190 S{bed_c}\nM109 S{first_nozzle_c}":                                                    195, // it does not home
	} {
		m.Dialect.Start = block
		assert.InDelta(t, want, m.WarmUpSeconds(210, 70), 1e-9, block)
	}
	m.NozzlesMM = []float64{0.4, 5}
	m.Volume = Volume{Round, 100, 90, 10}
	var fields []string
	for _, p := range m.Validate() {
		fields = append(fields, p.Field)
	}
	assert.Equal(t, []string{"volume.y_mm", "nozzles_mm[1]"}, fields)
	mat := Material{DensityGPerCM: 1.24}
	assert.InDelta(t, math.Pi*1.75*1.75/4*1.24, mat.Grams(1.75, 1000), 1e-9)
}

// The forms of machines and materials are made of these; the browser's tests read them, too.
func TestSettingsAreDescribed(t *testing.T) {
	raw, err := json.MarshalIndent(map[string]any{"machine": Settings(), "material": MaterialSettings()}, "", " ")
	require.NoError(t, err)
	golden.Assert(t, string(raw)+"\n", "settings.json")
}

// Warming takes −ln(1 − k(T−T₀)/r)/k: by hand, r = 2 °C/s and k = 0.008 1/s, 190 °C above the room take
// −ln(1 − 0.76)/0.008 = 178.39 s, and 95 s without loss. A loss that leaves no way to the hottest is refused.
func TestWhatIsLostToTheRoom(t *testing.T) {
	m := Machine{Name: "m", Process: MaterialExtrusion, NozzlesMM: []float64{0.4}, FilamentMM: 1.75, NozzleMaxC: 250, BedMaxC: 100,
		WarmUp: WarmUp{NozzleCPerS: 2, BedCPerS: 0.5, NozzleLossPerS: 0.008}}
	assert.InDelta(t, 178.39, m.HeatUpSeconds(210, 0), 0.01)
	assert.InDelta(t, 178.39, m.HeatUpSeconds(210, 60), 0.01, "the bed takes 80 s, beside it")
	m.WarmUp.NozzleLossPerS = 0
	assert.InDelta(t, 95, m.HeatUpSeconds(210, 0), 1e-9)
	m.WarmUp.NozzleLossPerS = 1e-12
	assert.InDelta(t, 95, m.HeatUpSeconds(210, 0), 1e-3, "hardly any is as none")
	assert.Empty(t, m.Validate())
	m.WarmUp.NozzleLossPerS, m.WarmUp.BedLossPerS = 0.01, 0.01
	bad := m.Validate()
	require.Len(t, bad, 2)
	assert.Equal(t, "warm_up.nozzle_loss_per_s", bad[0].Field)
	assert.Equal(t, "warm_up.bed_loss_per_s", bad[1].Field)
}

// A line is a host with a port, or a serial port; a camera an address without a password in it.
func TestLinesAndCameras(t *testing.T) {
	for line, ok := range map[string]bool{"": true, "127.0.0.1:4000": true, "[::1]:4000": true, "printer.local:23": true, "/dev/ttyUSB0": true, "/dev/ttyACM1:250000": true,
		"printer": false, ":4000": false, "host:": false, "http://x:1": false, "a b:1": false, "u@host:1": false, "host:1/x": false} {
		m := Machine{Name: "m", Line: line}
		assert.Equal(t, ok, len(m.Validate()) == 0, line)
	}
	for camera, ok := range map[string]bool{"": true, "http://10.0.0.4/snap": true, "https://cam:8443/x?y=1": true, "file:///etc/passwd": false, "ftp://x/": false, "http://u:p@x/": false, "//x/": false, "x": false} {
		m := Machine{Name: "m", Camera: camera}
		assert.Equal(t, ok, len(m.Validate()) == 0, camera)
	}
}
