// Package par does independent pieces of work on several cores. All work of a process can
// share one budget of cores, so that two jobs at once do not start twice as many goroutines
// as the machine can run.
package par

import (
	"context"
	"runtime"
	"sync"
	"sync/atomic"
)

// Budget is how many goroutines may work beside those that ask for help. Safe for several
// goroutines; nil is as many as there are cores for everybody who asks.
type Budget struct{ free chan struct{} }

// NewBudget is a budget of so many cores in all, one of which belongs to whoever asks.
func NewBudget(cores int) *Budget {
	return &Budget{make(chan struct{}, max(0, cores-1))}
}

type inContext struct{}

// With is a context whose work shares a budget.
func With(ctx context.Context, b *Budget) context.Context {
	return context.WithValue(ctx, inContext{}, b)
}

// Of is the budget that a context's work shares; nil if none.
func Of(ctx context.Context) *Budget {
	b, _ := ctx.Value(inContext{}).(*Budget)
	return b
}

// tellEvery is after how many pieces progress is told.
const tellEvery = 16

// Each does the work on 0…n-1 in any order: the caller does its share, helped by as many
// goroutines as the budget has free when it begins. Each goroutine has a state of its own, as
// fresh makes it. progress is told now and then how many are done, by one goroutine at a time;
// it may be nil. Each ends early when ctx does; the only error is ctx's.
func Each[S any](ctx context.Context, n int, fresh func() S, work func(s S, i int), progress func(done int)) error {
	var next, done atomic.Int64
	var telling sync.Mutex
	told := 0 // the most so far: who counted later may come to tell first
	some := func() {
		s := fresh()
		for ctx.Err() == nil {
			i := int(next.Add(1)) - 1
			if i >= n {
				return
			}
			work(s, i)
			if k := int(done.Add(1)); k%tellEvery == 0 && progress != nil {
				telling.Lock()
				if k > told {
					told = k
					progress(k)
				}
				telling.Unlock()
			}
		}
	}
	b := Of(ctx)
	var helpers sync.WaitGroup
	for range min(runtime.GOMAXPROCS(0), n) - 1 {
		if !b.take() {
			break
		}
		helpers.Go(func() {
			defer b.give()
			some()
		})
	}
	if n > 0 {
		some()
	}
	helpers.Wait()
	return ctx.Err()
}

func (b *Budget) take() bool {
	if b == nil {
		return true
	}
	select {
	case b.free <- struct{}{}:
		return true
	default:
		return false
	}
}

func (b *Budget) give() {
	if b != nil {
		<-b.free
	}
}
