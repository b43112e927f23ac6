package wear_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"jobshelf/core/shape/units"
	"jobshelf/core/shop/wear"
)

// A part is as worn as the nearer of its limits says; without one it never is.
func TestAPartWearsAgainstItsLimits(t *testing.T) {
	p := wear.Part{LimitHours: 100, LimitGrams: 2000}
	for _, c := range []struct {
		hours, grams, share float64
	}{{0, 0, 0}, {50, 0, 0.5}, {0, 1500, 0.75}, {50, 1500, 0.75}, {100, 1500, 1}, {99.99, 1999.99, 0.999995}, {250, 0, 2.5}} {
		d := wear.Done{Seconds: 3600 * c.hours, MG: units.MilligramsOf(c.grams)}
		assert.InDelta(t, c.share, p.Share(d), 1e-9)
		assert.Equal(t, c.share >= 1, p.Worn(d), "%+v", c)
	}
	long := wear.Done{Seconds: 1e9, MG: 1e12}
	assert.Zero(t, new(wear.Part).Share(long))
	assert.False(t, new(wear.Part).Worn(long))
	assert.InDelta(t, 1e9/3600/10, (&wear.Part{LimitHours: 10}).Share(long), 1)
	assert.InDelta(t, 1e6, (&wear.Part{LimitGrams: 1000}).Share(long), 1)
}

// Over any runs, what the nozzles have laid is what the machine has; a nozzle counts the runs that it laid in.
func TestCountsAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		whole, parts := wear.Part{}, []wear.Part{{Nozzle: 1}, {Nozzle: 2}, {Nozzle: 3}}
		var all wear.Done
		each := make([]wear.Done, len(parts))
		runs, seconds := [3]int{}, [3]float64{}
		n := rapid.IntRange(0, 30).Draw(t, "runs")
		for range n {
			s := float64(rapid.IntRange(0, 40_000).Draw(t, "seconds"))
			by := map[int]units.Milligrams{}
			for k := 1; k <= 3; k++ {
				if mg := rapid.IntRange(-100_000, 400_000).Draw(t, "mg"); mg > 0 {
					by[k] = units.Milligrams(mg)
					runs[k-1]++
					seconds[k-1] += s
				}
			}
			all = whole.With(all, s, by)
			for k := range parts {
				each[k] = parts[k].With(each[k], s, by)
			}
		}
		assert.Equal(t, all.MG, each[0].MG+each[1].MG+each[2].MG)
		assert.Equal(t, n, all.Runs)
		for k := range each {
			assert.Equal(t, runs[k], each[k].Runs)
			assert.InDelta(t, seconds[k], each[k].Seconds, 1e-6)
		}
	})
}
