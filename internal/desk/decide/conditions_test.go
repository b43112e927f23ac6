package decide_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/rule"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shop/job"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/house"
)

var fuller = []recipe.Override{{Key: "infill_percent", Value: "45", Why: "It is pulled on."}}

// A yes on conditions holds when what is sliced by them keeps to what was allowed for them; that slice then counts, and
// the member is told. Where it does not keep, it is decided on again, by the figures with the conditions.
func TestAYesOnConditions(t *testing.T) {
	h := desktest.Open(t)
	on := h.Machines[0].ID
	row := func(id int64) (seconds float64, full bool) {
		for _, r := range h.Job(id).Ladder {
			if r.MachineID == on {
				return r.Seconds, r.Full
			}
		}
		t.Fatal("no such row")
		return
	}
	yes := func(id int64, more float64) (store job.Promise) {
		require.NoError(t, decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: on, Conditions: fuller, MorePercent: more}))
		j, err := h.Store.Job(ctx, id)
		require.NoError(t, err)
		require.Equal(t, job.BeingSliced, j.State)
		return *j.Yes
	}
	id, _ := h.ToDecide()
	quick, _ := row(id)
	p := yes(id, 50)
	assert.GreaterOrEqual(t, p.Seconds, 1.5*quick)
	assert.Less(t, p.Seconds, 1.5*quick+60)
	s, err := h.Store.Slice(ctx, p.SliceID)
	require.NoError(t, err)
	require.Len(t, s.Overrides, 1)
	assert.Equal(t, []any{"infill_percent", "45", "It is pulled on.", h.Cato.Name}, []any{s.Overrides[0].Key, s.Overrides[0].Value, s.Overrides[0].Why, s.Overrides[0].Who})
	assert.Empty(t, h.Job(id).Letters, "nothing is sure yet")
	require.NoError(t, h.EndSlice(p.SliceID, p.Seconds-1))
	v := h.Job(id)
	require.Equal(t, job.Approved, v.State)
	require.Len(t, v.Runs, 1)
	require.Len(t, v.Letters, 1)
	assert.Contains(t, v.Letters[0].Text, "On these conditions: Infill density 45 %.")
	assert.Equal(t, h.Cato.Name, v.Letters[0].Who)
	assert.Contains(t, fmt.Sprint(v.History), "Infill density 45 %, up to")
	// Taken back, it is to be had again at once: it was sliced so before.
	require.NoError(t, decide.TakeBack(ctx, h.Desk, h.Cato, id, 0))
	require.NoError(t, decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: on, Conditions: fuller, MorePercent: 50}))
	assert.Equal(t, job.Approved, h.Job(id).State)
	// It may also take other conditions, beside those that count.
	require.NoError(t, decide.TakeBack(ctx, h.Desk, h.Cato, id, 0))
	require.NoError(t, decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: on, Conditions: []recipe.Override{{Key: "bed_adhesion", Value: "brim", Why: "It is tall."}}, MorePercent: 10}))
	j, err := h.Store.Job(ctx, id)
	require.NoError(t, err)
	s, err = h.Store.Slice(ctx, j.Yes.SliceID)
	require.NoError(t, err)
	assert.Len(t, s.Overrides, 2)

	again, _ := h.ToDecide()
	p = yes(again, 0)
	require.NoError(t, h.EndSlice(p.SliceID, p.Seconds+60))
	v = h.Job(again)
	assert.Equal(t, job.ToDecide, v.State)
	assert.Empty(t, v.Runs)
	seconds, full := row(again)
	assert.True(t, full)
	assert.InDelta(t, p.Seconds+60, seconds, 0, "with the conditions")
	require.NoError(t, decide.Approve(ctx, h.Desk, h.Cato, again, 0, decide.Yes{MachineID: on}))
	assert.Equal(t, job.Approved, h.Job(again).State)

	third, _ := h.ToDecide()
	for what, c := range map[string][]recipe.Override{
		"Why is":              {{Key: "infill_percent", Value: "45"}},
		"twice":               {fuller[0], fuller[0]},
		"There is no setting": {{Key: "nonsense", Value: "1", Why: "x"}},
		"100":                 {{Key: "infill_percent", Value: "450", Why: "x"}},
		"There is no":         {{Key: "infill_pattern", Value: "tartan", Why: "x"}},
	} {
		err := decide.Approve(ctx, h.Desk, h.Cato, third, 0, decide.Yes{MachineID: on, Conditions: c})
		require.Error(t, err, what)
		assert.Equal(t, job.ToDecide, h.Job(third).State)
	}
}

// What conditions raise of the house's rules is answered by their reasons, by one who may.
func TestConditionsAnswerTheRulesThatTheyRaise(t *testing.T) {
	h := desktest.Open(t)
	boss := h.Cato
	boss.Role = desk.Steward
	for name, w := range map[string]rule.Waiver{"Not so full": rule.ByDesk, "Never so full": rule.BySteward} {
		over := map[rule.Waiver]float64{rule.ByDesk: 40, rule.BySteward: 60}[w]
		_, err := house.SetRule(ctx, h.Desk, boss, 0, 0, rule.Rule{Name: name, When: rule.Condition{Fact: "infill", Op: rule.Over, Number: over}, Grade: finding.Decide, Says: "{infill} %", Waives: w})
		require.NoError(t, err)
	}
	on := h.Machines[0].ID
	id, _ := h.ToDecide()
	most := []recipe.Override{{Key: "infill_percent", Value: "70", Why: "It is stood on."}}
	require.ErrorContains(t, decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: on, Conditions: most, MorePercent: 100}), "Never so full")
	require.NoError(t, decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: on, Conditions: fuller, MorePercent: 100}))
	past, err := h.Store.Decisions(ctx, id)
	require.NoError(t, err)
	require.Len(t, past, 1)
	require.Len(t, past[0].Answers, 1)
	assert.Equal(t, "Not so full", past[0].Answers[0].Rule)
	assert.Equal(t, "It is pulled on.", past[0].Answers[0].Reason)
	assert.InDelta(t, 45, past[0].Known.Numbers["infill"], 0)
	assert.Contains(t, past[0].Known.Lists["overrides"], "infill_percent")
	h.SlicedForYes(id)
	assert.Contains(t, h.Job(id).Letters[0].Text, "Allowed for this once: Not so full (It is pulled on.).")
	other, _ := h.ToDecide()
	require.NoError(t, decide.Approve(ctx, h.Desk, boss, other, 0, decide.Yes{MachineID: on, Conditions: most, MorePercent: 100}))
}
