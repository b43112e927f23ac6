package httpapi

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What is kept is made once for a stamp, and together takes no more than its limit.
func TestAnswersAreBounded(t *testing.T) {
	a, made := newAnswers(), 0
	get := func(key, stamp string) {
		a.get(key, stamp, func() (any, error) { made++; return strings.Repeat("x", mostAnswerBytes/3), nil })
	}
	for _, key := range []string{"a", "a", "b", "c", "c"} {
		get(key, "1")
		assert.LessOrEqual(t, a.size, mostAnswerBytes)
	}
	assert.Equal(t, 3, made)
	assert.Len(t, a.kept, 2)
	get("c", "2")
	assert.Equal(t, 4, made)
	assert.LessOrEqual(t, a.size, mostAnswerBytes)
}
