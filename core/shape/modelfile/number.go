package modelfile

import (
	"errors"
	"math"
	"strconv"
)

var pow10 = [23]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22}

// ParseNumber reads a decimal number, rounded correctly: digits below 2^53 with
// a power of ten up to 22 are one exact product or quotient (Clinger 1990, "How
// to read floating point numbers accurately"); anything else goes to strconv. A
// number out of range gives ±Inf and is left to the caller's limits.
func ParseNumber(b []byte) (float64, bool) {
	i, neg := 0, false
	if i < len(b) && (b[i] == '-' || b[i] == '+') {
		neg = b[i] == '-'
		i++
	}
	var mantissa uint64
	digits, exp, point := 0, 0, false
	for ; i < len(b); i++ {
		c := b[i]
		switch {
		case c >= '0' && c <= '9':
			if mantissa >= 1<<53/10 && (mantissa > 0) && digits >= 15 {
				return slowNumber(b)
			}
			mantissa = mantissa*10 + uint64(c-'0')
			if mantissa > 0 {
				digits++
			}
			if point {
				exp--
			}
			continue
		case c == '.' && !point:
			point = true
			continue
		}
		break
	}
	if i < len(b) || digits == 0 && mantissa == 0 && !hasDigit(b) {
		return slowNumber(b)
	}
	v := float64(mantissa)
	switch {
	case mantissa > 1<<53 || exp < -22:
		return slowNumber(b)
	case exp < 0:
		v /= pow10[-exp]
	}
	if neg {
		v = -v
	}
	return v, true
}

func hasDigit(b []byte) bool {
	for _, c := range b {
		if c >= '0' && c <= '9' {
			return true
		}
	}
	return false
}

// slowNumber takes plain decimals only: no hexadecimal, no underscores.
func slowNumber(b []byte) (float64, bool) {
	for _, c := range b {
		if c == '_' || c == 'x' || c == 'X' || c == 'p' || c == 'P' {
			return 0, false
		}
	}
	v, err := strconv.ParseFloat(string(b), 64)
	if err != nil && !errors.Is(err, strconv.ErrRange) {
		return 0, false
	}
	return v, true
}

// parseIndex reads a number of a thing, counted from zero.
func parseIndex(b []byte) (uint32, bool) {
	if len(b) == 0 || len(b) > 10 {
		return 0, false
	}
	var n uint64
	for _, c := range b {
		if c < '0' || c > '9' {
			return 0, false
		}
		n = n*10 + uint64(c-'0')
	}
	return uint32(n), n <= math.MaxUint32
}
