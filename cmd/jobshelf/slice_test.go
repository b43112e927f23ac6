package main

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/gcode"
	"jobshelf/core/shop/price"
)

// The program that slice writes reads back as what its JSON promises; an override
// does what it says; what cannot be is told, and nothing is written.
func TestSliceWritesWhatItPromises(t *testing.T) {
	dir := demoParts(t)
	to := filepath.Join(dir, "needle.gcode")
	promise := func(args ...string) price.Full {
		code, out, errOut := call(t, append([]string{"slice", filepath.Join(dir, "net-needle.stl"), "--machine", "Bowline", "--json"}, args...)...)
		require.Zero(t, code, errOut)
		var f price.Full
		require.NoError(t, json.Unmarshal([]byte(out), &f))
		return f
	}
	plain := promise("-o", to)
	f, err := os.Open(to)
	require.NoError(t, err)
	defer f.Close()
	sum, err := gcode.Read(context.Background(), f, 0, nil)
	require.NoError(t, err)
	assert.Len(t, sum.Layers, plain.Layers)
	assert.InEpsilon(t, plain.FilamentMM, sum.FilamentMM, 1e-3)
	assert.InDelta(t, plain.Box[0][0], sum.Min.X, 0.01)
	assert.InDelta(t, plain.Box[1][2], sum.Max.Z, 0.01)
	cents := int64(0)
	for _, l := range plain.Lines {
		cents += int64(l.Cents)
	}
	assert.EqualValues(t, plain.Cents, cents, "the lines add up")
	kinds := 0.0
	for _, s := range plain.ByKind {
		kinds += s
	}
	assert.InEpsilon(t, plain.Seconds, kinds, 1e-9, "the kinds add up")

	thick := promise("--set", "layer_mm=0.28", "--set", "infill_percent=10")
	assert.Less(t, thick.Layers, plain.Layers)
	assert.Less(t, thick.Seconds, plain.Seconds)

	none := filepath.Join(dir, "none.gcode")
	for _, c := range []struct {
		code int
		says string
		args []string
	}{
		{2, "there is no machine", []string{"net-needle.stl", "--machine", "Nowhere"}},
		{2, "key=value", []string{"net-needle.stl", "--machine", "Bowline", "--set", "layer_mm"}},
		{2, "colour", []string{"net-needle.stl", "--machine", "Bowline", "--set", "colour=red"}},
		{2, "layer", []string{"net-needle.stl", "--machine", "Bowline", "--set", "layer_mm=0.6"}},
		{2, "", []string{"net-needle.stl"}},
		{1, "does not fit", []string{"chart-ruler.stl", "--machine", "Halyard"}},
	} {
		c.args[0] = filepath.Join(dir, c.args[0])
		code, _, errOut := call(t, append([]string{"slice", "-o", none}, c.args...)...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, errOut)
		assert.Contains(t, errOut, c.says)
		assert.NoFileExists(t, none)
	}
}
