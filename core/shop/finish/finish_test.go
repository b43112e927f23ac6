package finish_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"jobshelf/core/shape/units"
	"jobshelf/core/shop/finish"
)

var rules = []finish.StepRule{
	{Kind: finish.Sand, Purpose: "working part", PerCopy: 6, CopyCents: 90},
	{Kind: finish.Soak, Material: "Soluble", Supported: true, HandsMin: 5, WaitMin: 240, Cents: 50, How: "warm water"},
	{Kind: finish.Support, Supported: true, PerCopy: 4, CopyCents: 20},
	{Kind: finish.Support, HandsMin: 100, Cents: 999},
	{Kind: finish.Wash, Material: "Resin", HandsMin: 10, Cents: 80},
	{Kind: finish.Cure, Material: "Resin", WaitMin: 30},
}

// Which steps a job's parts go through: by material, purpose and support, of each kind the first line that is for them.
func TestStepsOfAJob(t *testing.T) {
	for _, c := range []struct {
		name string
		f    finish.Facts
		want []finish.Step
	}{
		{"plain", finish.Facts{Materials: []string{"PLA"}, Copies: 2}, []finish.Step{{finish.Support, "", 100, 0, 999}}},
		{"supported", finish.Facts{Materials: []string{"PLA"}, Supported: true, Copies: 3}, []finish.Step{{finish.Support, "", 12, 0, 60}}},
		{"dissolving", finish.Facts{Materials: []string{"PLA", "Soluble"}, Supported: true, Copies: 1, Purpose: "working part"},
			[]finish.Step{{finish.Support, "", 4, 0, 20}, {finish.Soak, "warm water", 5, 240, 50}, {finish.Sand, "", 6, 0, 90}}},
		{"nothing of it dissolves", finish.Facts{Materials: []string{"PLA"}, Supported: true, Copies: 1, Purpose: "everyday"}, []finish.Step{{finish.Support, "", 4, 0, 20}}},
		{"resin", finish.Facts{Materials: []string{"Resin"}, Copies: 0}, []finish.Step{{finish.Support, "", 100, 0, 999}, {finish.Wash, "", 10, 0, 80}, {finish.Cure, "", 0, 30, 0}}},
	} {
		assert.Equal(t, c.want, finish.Steps(rules, c.f), c.name)
	}
	dissolves := append([]finish.StepRule{{Kind: finish.Support, Material: "Soluble", Skip: true}}, rules...)
	assert.Equal(t, []finish.Step{{finish.Soak, "warm water", 5, 240, 50}}, finish.Steps(dissolves, finish.Facts{Materials: []string{"Soluble"}, Supported: true, Copies: 1}), "what dissolves is not taken off by hand")
	assert.Empty(t, finish.Steps(nil, finish.Facts{Copies: 1}))
	assert.Equal(t, []units.PriceLine{{Text: "Finishing, wash", Cents: 80}}, finish.Price(finish.Steps(rules[4:], finish.Facts{Materials: []string{"Resin"}, Copies: 1})), "what costs nothing has no line")
	assert.Empty(t, finish.Validate(rules))
	assert.Equal(t, "no such step", finish.Validate([]finish.StepRule{{Kind: "polish"}})[0].Code)
}

// In whatever order the house writes its list: each kind at most once, in the order in which they are done, and never more
// hands or money for fewer copies.
func TestStepsStandInOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := rapid.Permutation(rules).Draw(t, "list")
		f := finish.Facts{Materials: []string{rapid.SampledFrom([]string{"PLA", "Resin", "Soluble"}).Draw(t, "of")}, Supported: rapid.Bool().Draw(t, "support"), Copies: rapid.IntRange(1, 9).Draw(t, "copies")}
		steps := finish.Steps(list, f)
		at := -1
		for _, s := range steps {
			k := 0
			for finish.Kinds[k] != s.Kind {
				k++
			}
			assert.Greater(t, k, at)
			at = k
		}
		f.Copies++
		for k, s := range finish.Steps(list, f) {
			assert.GreaterOrEqual(t, s.Cents, steps[k].Cents)
			assert.GreaterOrEqual(t, s.HandsMin, steps[k].HandsMin)
		}
	})
}

// One after the other; what was said last can be taken back, and nothing before it.
func TestStepsOneAfterTheOther(t *testing.T) {
	next := func(states ...string) int {
		k, ok := finish.Next(states)
		if !ok {
			return -1
		}
		return k
	}
	assert.Equal(t, 0, next(finish.ToDo, finish.ToDo))
	assert.Equal(t, 0, next(finish.Under, finish.ToDo))
	assert.Equal(t, 1, next(finish.Done, finish.ToDo))
	assert.Equal(t, -1, next(finish.Done, finish.Done))
	assert.Equal(t, -1, next())
	states := []string{finish.Done, finish.Under, finish.ToDo}
	assert.Equal(t, []bool{false, true, false}, []bool{finish.MayUndo(states, 0), finish.MayUndo(states, 1), finish.MayUndo(states, 2)})
	assert.True(t, finish.MayUndo([]string{finish.Done, finish.Done}, 1))
}

// Who does not come is told once, and after as long again it is the house's; a house that says no days waits for ever.
func TestNotFetched(t *testing.T) {
	day := 24 * time.Hour
	ready := time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		reminded     time.Time
		after        time.Duration
		days         int
		remind, left bool
	}{
		{time.Time{}, 14*day - 1, 14, false, false},
		{time.Time{}, 14 * day, 14, true, false},
		{time.Time{}, 300 * day, 14, true, false}, // never left without having been said
		{ready.Add(14 * day), 28*day - 1, 14, false, false},
		{ready.Add(14 * day), 28 * day, 14, false, true},
		{ready.Add(14 * day), 300 * day, 0, false, false},
		{time.Time{}, 300 * day, 0, false, false},
	} {
		remind, left := finish.Unfetched(ready, c.reminded, ready.Add(c.after), c.days)
		assert.Equal(t, []bool{c.remind, c.left}, []bool{remind, left}, "%+v", c)
	}
	remind, left := finish.Unfetched(time.Time{}, time.Time{}, ready, 1)
	assert.False(t, remind || left, "it is not ready")
}
