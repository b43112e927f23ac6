package units

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Half to even; what is no amount is nothing.
func TestMoneyIsRoundedHalfToEven(t *testing.T) {
	for cents, want := range map[float64]Cents{0.5: 0, 1.5: 2, 2.5: 2, -0.5: 0, -1.5: -2, 2.4999: 2, 2.5001: 3, 1e16: 0, -1e16: 0, math.Inf(1): 0} {
		assert.Equal(t, want, CentsFromFloat(cents), "%g", cents)
	}
	assert.Zero(t, CentsFromFloat(math.NaN()))
}

// The international yard of 1959: an inch is 25.4 mm, a foot twelve of them.
func TestLengthsByTheirNames(t *testing.T) {
	for name, mm := range map[string]float64{"mm": 1, " Millimeter": 1, "cm": 10, "centimetre": 10, "M": 1000, "meter": 1000, "IN": 25.4, "inch": 25.4, "feet": 12 * 25.4, "ft": 304.8, "µm": 1e-3, "um": 1e-3, "micron": 1e-3} {
		l, err := ParseLength(name)
		require.NoError(t, err, name)
		assert.InDelta(t, mm, l.MM(), 1e-12, name)
		again, err := ParseLength(string(l))
		require.NoError(t, err)
		assert.Equal(t, l, again)
	}
	for _, bad := range []string{"", "yard", "mmm", "1"} {
		_, err := ParseLength(bad)
		assert.ErrorContains(t, err, "use mm, cm, m, in, ft or µm", bad)
	}
	assert.Zero(t, Length("league").MM())
}
