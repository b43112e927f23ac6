// Package units holds the quantities that the rest of the core shares: lengths
// of model files, money, and the one place where numbers are rounded.
//
// Lengths in the core are millimetres in float64 (suffix MM) or micrometres in
// int64 (package polygon). Mass is grams, time seconds, temperature °C.
package units

import (
	"cmp"
	"math"
)

// Cents is an amount of money in hundredths of the house's currency.
type Cents int64

// CentsFromFloat rounds an amount given in cents, half to even, so that sums of
// many small roundings have no drift. It is meant to be used once per printed
// line of a price. Amounts beyond ±9e15 cents, and NaN, give zero.
func CentsFromFloat(cents float64) Cents {
	if !(math.Abs(cents) < 9e15) {
		return 0
	}
	return Cents(math.RoundToEven(cents))
}

// Price is an amount with the lines that add up to it.
type Price struct {
	Cents Cents       `json:"price_cents"`
	Lines []PriceLine `json:"lines"`
}

// PriceLine is one line of a price.
type PriceLine struct {
	Text  string `json:"text"`
	Cents Cents  `json:"cents"`
}

// Length is a unit that a model's coordinates may be in.
type Length string

// The units a model file can state or be told to have.
const (
	Millimetre Length = "mm"
	Centimetre Length = "cm"
	Metre      Length = "m"
	Inch       Length = "in"
	Foot       Length = "ft"
	Micrometre Length = "µm"
)

// Lengths are all units, the likeliest first.
var Lengths = []Length{Millimetre, Centimetre, Metre, Inch, Foot, Micrometre}

var plural = map[Length]string{
	Millimetre: "millimetres", Centimetre: "centimetres", Metre: "metres", Inch: "inches", Foot: "feet", Micrometre: "micrometres",
}

// Name is what several of the unit are called, in English.
func (l Length) Name() string { return plural[l] }

var mmPer = map[Length]float64{
	Millimetre: 1, Centimetre: 10, Metre: 1000, Inch: 25.4, Foot: 304.8, Micrometre: 0.001,
}

// MM is how many millimetres one of the unit is (inch and foot: the
// international yard of 1959). An unknown unit gives zero.
func (l Length) MM() float64 { return mmPer[l] }

// Meant is the unit of a model: what its owner or the desk says wins over what its file
// states; where neither does, it is read as millimetres.
func Meant(said, stated Length) Length { return cmp.Or(said, stated, Millimetre) }
