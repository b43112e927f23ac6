package units

import "math"

// Milligrams is a mass that is counted, as money is: sums of it have no drift.
type Milligrams int64

// MilligramsOf rounds grams to whole milligrams, half to even; what is no mass a house has, beyond ±9e12 g or no number,
// gives zero.
func MilligramsOf(grams float64) Milligrams {
	if !(math.Abs(grams) < 9e12) {
		return 0
	}
	return Milligrams(math.RoundToEven(1000 * grams))
}

// Grams is the same in grams.
func (m Milligrams) Grams() float64 { return float64(m) / 1000 }
