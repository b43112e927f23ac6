package units

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
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
	for l, mm := range map[Length]float64{Millimetre: 1, Centimetre: 10, Metre: 1000, Inch: 25.4, Foot: 12 * 25.4, Micrometre: 1e-3} {
		assert.InDelta(t, mm, l.MM(), 1e-12, l)
	}
	assert.Zero(t, Length("league").MM())
	assert.Equal(t, []Length{Inch, Inch, Foot, Millimetre}, []Length{Meant(Inch, ""), Meant(Inch, Foot), Meant("", Foot), Meant("", "")})
}
