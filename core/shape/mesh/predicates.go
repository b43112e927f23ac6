package mesh

import "math"

// The sign of a determinant decides on which side a point lies; a wrong sign
// makes crossings that are not there. orient3 computes it in float64 with an
// error bound and, where that cannot tell, exactly with expansions: sums of
// floats that do not overlap (Shewchuk 1997, "Adaptive Precision Floating-Point
// Arithmetic and Fast Robust Geometric Predicates").
//
// Laws: swapping two points turns the sign; turning a, b, c round keeps it.

// orientBound is (7 + 56ε)ε for ε = 2^-53 (Shewchuk 1997, eq. for orient3d A).
const orientBound = 7.771561172376103e-16

// Orient3 tells on which side of the plane through a, b, c the point d lies: 1 if
// it is on the side that (b-a)×(c-a) points away from, -1 on the side it points
// to, 0 in the plane.
func Orient3(a, b, c, d *Vec3) int {
	adx, ady, adz := a.X-d.X, a.Y-d.Y, a.Z-d.Z
	bdx, bdy, bdz := b.X-d.X, b.Y-d.Y, b.Z-d.Z
	cdx, cdy, cdz := c.X-d.X, c.Y-d.Y, c.Z-d.Z
	bc, cb := bdx*cdy, cdx*bdy
	ca, ac := cdx*ady, adx*cdy
	ab, ba := adx*bdy, bdx*ady
	det := adz*(bc-cb) + bdz*(ca-ac) + cdz*(ab-ba)
	sum := (math.Abs(bc)+math.Abs(cb))*math.Abs(adz) + (math.Abs(ca)+math.Abs(ac))*math.Abs(bdz) + (math.Abs(ab)+math.Abs(ba))*math.Abs(cdz)
	bound := orientBound * sum
	switch {
	case det > bound:
		return 1
	case -det > bound:
		return -1
	case sum == 0:
		return 0
	}
	return orient3Exact(a, b, c, d)
}

func orient3Exact(a, b, c, d *Vec3) int {
	var v [3][3]expansion
	for i, p := range [3]*Vec3{a, b, c} {
		v[i] = [3]expansion{difference(p.X, d.X), difference(p.Y, d.Y), difference(p.Z, d.Z)}
	}
	minor := func(i, j int) expansion { // of rows i and j in x and y
		return v[i][0].times(v[j][1]).plus(v[j][0].times(v[i][1]).negative())
	}
	det := v[0][2].times(minor(1, 2)).plus(v[1][2].times(minor(2, 0))).plus(v[2][2].times(minor(0, 1)))
	return det.sign()
}

// orient2 is positive if a, b, c turn left in the plane of two coordinates.
func orient2(ax, ay, bx, by, cx, cy float64) int {
	l, r := (ax-cx)*(by-cy), (ay-cy)*(bx-cx)
	det := l - r
	bound := 3.3306690738754716e-16 * (math.Abs(l) + math.Abs(r)) // (3 + 16ε)ε
	switch {
	case det > bound:
		return 1
	case -det > bound:
		return -1
	case l == 0 && r == 0:
		return 0
	}
	x := difference(ax, cx).times(difference(by, cy))
	return x.plus(difference(ay, cy).times(difference(bx, cx)).negative()).sign()
}

// expansion is an exact number: the sum of its terms, smallest first, none
// overlapping the next.
type expansion []float64

func (e expansion) sign() int {
	for i := len(e) - 1; i >= 0; i-- {
		if e[i] != 0 {
			if e[i] > 0 {
				return 1
			}
			return -1
		}
	}
	return 0
}

func (e expansion) negative() expansion {
	out := make(expansion, len(e))
	for i, x := range e {
		out[i] = -x
	}
	return out
}

// twoSum gives a + b as its rounding and what that lost (Knuth).
func twoSum(a, b float64) (hi, lo float64) {
	hi = a + b
	v := hi - a
	return hi, (a - (hi - v)) + (b - v)
}

func difference(a, b float64) expansion {
	hi, lo := twoSum(a, -b)
	if lo == 0 {
		return expansion{hi}
	}
	return expansion{lo, hi}
}

// grown adds one float (Grow-Expansion).
func (e expansion) grown(x float64) expansion {
	out := make(expansion, 0, len(e)+1)
	for _, t := range e {
		var lo float64
		x, lo = twoSum(x, t)
		if lo != 0 {
			out = append(out, lo)
		}
	}
	return append(out, x)
}

func (e expansion) plus(o expansion) expansion {
	for _, x := range o {
		e = e.grown(x)
	}
	return e
}

func (e expansion) times(o expansion) expansion {
	var out expansion
	for _, a := range e {
		for _, b := range o {
			hi := a * b
			out = out.grown(math.FMA(a, b, -hi)).grown(hi)
		}
	}
	return out
}
