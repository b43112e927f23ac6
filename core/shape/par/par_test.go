package par

import (
	"context"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Everything is done once, whatever the budget; states are not shared, and nobody works
// beyond the budget.
func TestEachIsDoneOnce(t *testing.T) {
	for _, cores := range []int{0, 1, 2, 3} { // 0: no budget
		for _, n := range []int{0, 1, 2, 50, 333} {
			ctx := context.Background()
			if cores > 0 {
				ctx = With(ctx, NewBudget(cores))
			}
			done := make([]atomic.Int32, n)
			var at, most, states, told atomic.Int32
			var busy sync.Map
			err := Each(ctx, n, func() *int { states.Add(1); return new(int) }, func(s *int, i int) {
				_, others := busy.LoadOrStore(s, true)
				assert.False(t, others, "a state is one goroutine's")
				k := at.Add(1)
				for m := most.Load(); k > m && !most.CompareAndSwap(m, k); m = most.Load() {
				}
				done[i].Add(1)
				at.Add(-1)
				busy.Delete(s)
			}, func(k int) {
				assert.LessOrEqual(t, k, n)
				assert.Greater(t, int32(k), told.Swap(int32(k)), "it goes forward")
			})
			assert.NoError(t, err)
			for i := range done {
				assert.EqualValues(t, 1, done[i].Load())
			}
			assert.EqualValues(t, n/tellEvery*tellEvery, told.Load(), "the last is told, whoever counted before it")
			if cores > 0 {
				assert.LessOrEqual(t, int(most.Load()), cores)
				assert.Empty(t, Of(ctx).free, "all is given back")
			}
			assert.LessOrEqual(t, int(states.Load()), max(1, n))
		}
	}
	assert.NoError(t, Each(context.Background(), 20, func() int { return 0 }, func(int, int) {}, nil))
}

// Two that share a budget of two have one helper between them.
func TestABudgetIsShared(t *testing.T) {
	b := NewBudget(2)
	assert.True(t, b.take())
	assert.False(t, b.take())
	b.give()
	assert.True(t, b.take())
}

// Work ends when the context does, with its error.
func TestEachEndsWithItsContext(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	var n atomic.Int32
	err := Each(ctx, 1_000_000, func() int { return 0 }, func(int, int) {
		if n.Add(1) == 10 {
			cancel()
		}
	}, nil)
	assert.ErrorIs(t, err, context.Canceled)
	assert.Less(t, int(n.Load()), 1000)
}
