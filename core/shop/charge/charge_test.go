package charge_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/shape/units"
	"jobshelf/core/shop/charge"
)

// What came off the machine costs what was said yes to; what failed is the house's, but of a member's own program, where
// the house says so, as far as it came.
func TestWhatAJobCosts(t *testing.T) {
	runs := []charge.Run{
		{Cents: 300, Off: true}, {Cents: 0, Off: true}, // copies made again cost nothing
		{Cents: 300, Failed: true, Done: 0.9},
		{Cents: 201, Failed: true, Own: true, Done: 0.5},
		{Cents: 100, Failed: true, Own: true, Done: 7},
		{Cents: 55}, // it was cancelled
	}
	assert.Equal(t, charge.Line{Member: 4, Job: 9, Kind: charge.Charged, Cents: 300}, charge.Job(4, 9, runs, false))
	assert.Equal(t, units.Cents(300+100+100), charge.Job(4, 9, runs, true).Cents, "half to even, and never more than all")
	assert.Zero(t, charge.Job(4, 9, nil, true).Cents)
}

// In whatever order jobs are fetched, corrected and paid: no cents appear or vanish. A job that is fetched owes
// what it costs, once.
func TestCentsAddUp(t *testing.T) {
	for range 100 { // ten thousand sequences
		rapid.Check(t, centsAddUp)
	}
}

func centsAddUp(t *rapid.T) {
	var lines []charge.Line
	owes := map[int64]units.Cents{} // by job, as it should be
	fetched := map[int64]bool{}
	var others units.Cents
	for range rapid.IntRange(0, 60).Draw(t, "events") {
		job := rapid.Int64Range(1, 5).Draw(t, "job")
		n := units.Cents(rapid.Int64Range(0, 90_000).Draw(t, "cents"))
		switch rapid.IntRange(0, 2).Draw(t, "what") {
		case 0:
			if !fetched[job] {
				fetched[job], owes[job] = true, n
				lines = append(lines, charge.Job(1, job, []charge.Run{{Cents: n, Off: true}}, false))
			}
		case 1:
			lines = append(lines, charge.Line{Member: 1, Job: job, Kind: charge.Corrected, Cents: -n})
			others -= n
		case 2:
			lines = append(lines, charge.Line{Member: 1, Kind: charge.Paid, Cents: -n})
			others -= n
		}
	}
	want := others
	for _, n := range owes {
		want += n
	}
	require.Equal(t, want, charge.Balance(lines))
}
