package sets

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Things are in one set if a chain of joins leads from one to the other; what stands for a set
// is in it, and is that of the last set joined into.
func TestSetsAreWhatJoinsReach(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 30).Draw(t, "n")
		s, of := New(n-1), make([]int, n)
		require.Equal(t, n-1, s.Add())
		for i := range of {
			of[i] = i
		}
		for range rapid.IntRange(0, 40).Draw(t, "joins") {
			i, k := rapid.IntRange(0, n-1).Draw(t, "i"), rapid.IntRange(0, n-1).Draw(t, "k")
			stands := s.Of(k)
			s.Join(i, k)
			require.Equal(t, stands, s.Of(i))
			from, to := of[i], of[k]
			for j := range of {
				if of[j] == from {
					of[j] = to
				}
			}
		}
		for i := range of {
			require.Equal(t, of[i], of[s.Of(i)])
			for j := range of {
				require.Equal(t, of[i] == of[j], s.Of(i) == s.Of(j))
			}
		}
	})
}
