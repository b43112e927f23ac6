package problem

import (
	"encoding/json"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Digits of a number are as many as are asked for in all, whatever its size.
func TestDigitsAreCountedFromTheFirst(t *testing.T) {
	for v, most := range map[float64]int{123.4: 0, 12.34: 1, 1.234: 2, 0.1234: 3, 0.001234: 5, 1000: 0, 999.9: 0, -0.05: 4, 0: 3} {
		assert.Equal(t, Number{v, 0, most}, Digits(v, 3), "%v", v)
	}
	assert.Equal(t, Number{2.5, 2, 2}, Fixed(2.5, 2))
	assert.Equal(t, 12, Digits(1e-300, 3).Most)
	assert.Equal(t, 0, Digits(math.Inf(1), 3).Most)
	assert.Equal(t, "a code 1, b", Say("a code", 1, "b").String())
}

// What is said is kept as JSON and read back the same: texts, whole numbers, numbers with digits,
// phrases within phrases and lists of them.
func TestPhrasesAreReadBack(t *testing.T) {
	for _, p := range []Phrase{
		Say("alone"), Say("all", "{a text}", 3, Fixed(0, 0), Digits(12.345, 3), Say("within", Fixed(1, 2)), []Phrase{Say("one"), Say("two", "[x]")}),
	} {
		raw, err := json.Marshal(p)
		require.NoError(t, err)
		var back Phrase
		require.NoError(t, json.Unmarshal(raw, &back))
		assert.Equal(t, p, back)
	}
	var back Phrase
	assert.Error(t, json.Unmarshal([]byte(`{"code": "x", "params": [true]}`), &back))
}
