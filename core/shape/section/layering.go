package section

import "math"

// Layering says how a height is divided into layers: the first FirstMM high, the
// others LayerMM, but for the last, which takes what is left. No layer is lower
// than LeastMM or higher than MostMM, which is what the nozzle can lay; 0 sets no
// bound.
type Layering struct{ FirstMM, LayerMM, LeastMM, MostMM float64 }

// Count is how many layers a part of the given height gets. The number is the one
// whose last layer is between a third and four thirds of a layer high; only where
// the nozzle cannot lay that does the last but one share with it.
func (l Layering) Count(heightMM float64) int {
	n, _ := l.ending(heightMM)
	return n
}

// ending is how many layers there are, and how high each of the last two.
func (l Layering) ending(heightMM float64) (n int, last [2]float64) {
	if !(heightMM > 0) || !(l.LayerMM > 0) {
		return 0, last
	}
	if heightMM/l.LayerMM > mostLayers {
		return mostLayers, last
	}
	most := l.MostMM
	if most == 0 {
		most = math.Inf(1)
	}
	least := math.Max(l.LeastMM, leastMM)
	// A billionth of a layer is rounding: the rest may be a third in one machine word
	// and less in another.
	rest := (heightMM - l.FirstMM) / l.LayerMM
	full := int(math.Max(0, math.Ceil(rest-4.0/3-1e-9)))
	before, end := l.LayerMM, heightMM-l.FirstMM-float64(full)*l.LayerMM
	switch {
	case rest < 1.0/3-1e-9: // the first layer is the last as well, or takes the rest in
		if heightMM <= most || heightMM < 2*least {
			return 1, [2]float64{0, math.Max(heightMM, least)}
		}
		return 2, [2]float64{heightMM / 2, heightMM / 2}
	case full == 0:
		before = l.FirstMM
	}
	n = full + 2
	switch {
	case end > most:
		n++
		before, end = end/2, end/2
	case end < least && before+end <= most:
		n--
		end += before
		before = l.LayerMM
		if n == 2 {
			before = l.FirstMM
		}
	case end < least:
		before, end = math.Max(least, before-(least-end)), least
	}
	return n, [2]float64{before, end}
}

// mostLayers is more than anybody lays; what is higher counts as that many.
const mostLayers = 1 << 30

// leastMM is the lowest layer that is laid at all, whatever the nozzle.
const leastMM = 0.02

// Heights are the layers of a part of the given height, from the plate up, in mm.
// Their sum is the height unless it is less than LeastMM.
func (l Layering) Heights(heightMM float64) []float64 {
	n, last := l.ending(heightMM)
	out := make([]float64, n)
	for i := range out {
		out[i] = l.LayerMM
		if i == 0 {
			out[i] = l.FirstMM
		}
	}
	if n > 0 {
		out[n-1] = last[1]
	}
	if n > 1 {
		out[n-2] = last[0]
	}
	return out
}
