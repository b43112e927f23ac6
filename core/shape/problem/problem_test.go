package problem

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
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
