package naming

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestTextsNameTheirValues(t *testing.T) {
	got, err := Put("M104 S{nozzle_c}; {layers}", Values{"nozzle_c": "210", "layers": "9"})
	require.NoError(t, err)
	assert.Equal(t, "M104 S210; 9", got)
	for text, says := range map[string]string{"{nozle}": "no such value {nozle}, {nozzle_c}", "{nozzle_c": "without its second", "S}": "without its first", "{}": "no such value {}"} {
		_, err := Put(text, Values{"nozzle_c": "210"})
		assert.ErrorContains(t, err, says, text)
		why, well := Check(text, []string{"nozzle_c"})
		assert.False(t, well, text)
		assert.Equal(t, err.Error(), why.String())
	}
	_, well := Check("G28\nM104 S{nozzle_c}", []string{"nozzle_c"})
	assert.True(t, well)
}

// The house's own pattern, by hand: last name, short title, hours and minutes
// to the nearest, machine.
func TestFilesAreNamedByThePattern(t *testing.T) {
	f := FileFacts{Job: 7, Member: "Nia van der Marlow", Title: "Mooring cleat for the dinghy of the club", Part: "cleat.stl", Seconds: 3*3600 + 119, Grams: 12.6,
		Machine: "Bowline", Material: "PLA", Recipe: "Bowline everyday", Layers: 120, Ending: ".gcode"}
	got, err := FileName(FilePattern, f)
	require.NoError(t, err)
	assert.Equal(t, "Marlow_Mooring-cleat-for-the-di_3h02_Bowline.gcode", got)
	got, err = FileName("{grams}g {material} {layers} #{job} {part} {recipe} {member}", f)
	require.NoError(t, err)
	assert.Equal(t, "13g-PLA-120-#7-cleat.stl-Bowline-everyday-Nia-van-der-Marlow.gcode", got)
	got, err = FileName("{last_name}", FileFacts{Job: 3, Ending: ".3mf"})
	require.NoError(t, err)
	assert.Equal(t, "job-3.3mf", got, "never without a name")
	_, err = FileName("{colour}", f)
	assert.ErrorContains(t, err, "{last_name}")
}

// Whatever members call themselves and their jobs: one file in one directory.
func TestNoNameLeavesItsDirectory(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		got, err := FileName(rapid.SampledFrom([]string{FilePattern, "{title}", "{member}/{title}"}).Draw(t, "pattern"),
			FileFacts{Member: rapid.String().Draw(t, "member"), Title: rapid.String().Draw(t, "title"), Machine: "../x", Ending: ".gcode"})
		require.NoError(t, err)
		assert.False(t, strings.ContainsAny(got, "/\\\x00\n\r\"") || strings.HasPrefix(got, "."), got)
		assert.True(t, strings.HasSuffix(got, ".gcode") && len(got) > len(".gcode"))
	})
}
