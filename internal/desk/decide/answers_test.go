package decide_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/rule"
	"jobshelf/core/print/recipe"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/plates"
)

var hours = rule.Rule{Name: "Six hours", When: rule.Condition{Fact: "hours", Op: rule.Over, Number: 6}, Grade: finding.Decide, Says: "It runs for {hours} h.", Waives: rule.ByDesk}

// raised are the rules that a job's findings are of, with their grades; keys are what answers are to.
func raised(h *desktest.House, id int64) (of map[string]finding.Grade, keys map[string]string) {
	of, keys = map[string]finding.Grade{}, map[string]string{}
	for _, f := range h.Job(id).Findings {
		if f.Rule != "" {
			of[f.Rule], keys[f.Rule] = f.Grade, f.Key
		}
	}
	return of, keys
}

// A rule raises its finding where it holds, on the machine and with the slice that count; who may waive it does, with a
// reason, and nobody else; a yes asks for it; what says something else is answered anew; and what was decided stays as
// it was judged, whatever becomes of the rule.
func TestRulesAreHeldAnsweredAndRemembered(t *testing.T) {
	h := desktest.Open(t)
	steward := desk.Actor{ID: h.Cato.ID, Name: h.Cato.Name, Role: desk.Steward}
	id, piece := h.ToDecide()
	on := h.Machines[0].ID
	s, err := plates.OrderSlice(ctx, h.Desk, h.Cato, piece, plates.SliceOrder{MachineID: on, Overrides: []recipe.Override{{Key: "shells", Value: "3", Why: "test"}}})
	require.NoError(t, err)
	require.NoError(t, h.EndSlice(s, 7*3600))
	require.NoError(t, plates.ChooseSlice(ctx, h.Desk, h.Cato, s))
	first, err := house.SetRule(ctx, h.Desk, steward, 0, 0, hours)
	require.NoError(t, err)
	shells := hours
	shells.Name, shells.Grade, shells.Waives = "Not so thick", finding.StopsIt, rule.BySteward
	shells.When = rule.Condition{All: []rule.Condition{{Fact: "overrides", Op: rule.Has, Names: []string{"shells"}}, {Fact: "first", Op: rule.Yes}, {Fact: "days", Op: rule.Over, Number: 3}}}
	second, err := house.SetRule(ctx, h.Desk, steward, 0, 0, shells)
	require.NoError(t, err)
	_, err = house.SetRule(ctx, h.Desk, steward, 0, 0, hours)
	require.Error(t, err, "two of a name")
	yes := func() error { return decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: on}) }
	onIt := func() map[string]finding.Grade { // approve asks of the machine that is meant, whatever is proposed
		of, _ := raised(h, id)
		return of
	}
	if onIt()["Six hours"] == "" { // another machine is proposed: leave only this one in service
		v, err := house.Read(ctx, h.Desk)
		require.NoError(t, err)
		for _, m := range v.Machines {
			m.Data.InService = m.ID == on
			require.NoError(t, house.SetMachine(ctx, h.Desk, h.Owner, m))
		}
		if h.Job(id).Check.State != "done" {
			h.Checked(id)
		}
	}
	of, keys := raised(h, id)
	require.Equal(t, map[string]finding.Grade{"Six hours": finding.Decide, "Not so thick": finding.StopsIt}, of)
	assert.Equal(t, 2, h.Job(id).ToAnswer)
	require.ErrorContains(t, yes(), "answered before a yes")
	require.NoError(t, decide.Answer(ctx, h.Desk, h.Cato, id, 0, keys["Six hours"], "The stand is for Saturday."))
	require.ErrorContains(t, yes(), "Not so thick")
	require.Error(t, decide.Answer(ctx, h.Desk, h.Cato, id, 0, keys["Not so thick"], "I say so."), "the steward's to waive")
	require.Error(t, decide.Answer(ctx, h.Desk, h.Other, id, 0, keys["Six hours"], "Please."), "another member does not see it")
	require.Error(t, decide.Answer(ctx, h.Desk, steward, id, 0, "0123456789abcdef", "What?"), "nothing of that was found")
	require.NoError(t, decide.Answer(ctx, h.Desk, steward, id, 0, keys["Not so thick"], "It has to last."))
	assert.Zero(t, h.Job(id).ToAnswer)
	for _, f := range h.Job(id).Findings {
		if f.Rule == "Six hours" {
			assert.Equal(t, "The stand is for Saturday.", f.Answer.Reason)
			assert.Equal(t, h.Cato.Name, f.Answer.Who)
		}
	}
	// Taken back, it is open again; another version says something else and is answered anew.
	require.NoError(t, decide.Answer(ctx, h.Desk, h.Cato, id, 0, keys["Six hours"], ""))
	require.Error(t, yes())
	require.NoError(t, decide.Answer(ctx, h.Desk, h.Cato, id, 0, keys["Six hours"], "The stand is for Saturday."))
	five := hours
	five.Says = "It runs for {hours} h, and five are the rule."
	_, err = house.SetRule(ctx, h.Desk, steward, first, 7, five)
	require.Error(t, err, "not as it was seen")
	_, err = house.SetRule(ctx, h.Desk, steward, first, 1, five)
	require.NoError(t, err)
	require.ErrorContains(t, yes(), "five are the rule")
	_, keys = raised(h, id)
	require.NoError(t, decide.Answer(ctx, h.Desk, h.Cato, id, 0, keys["Six hours"], "Saturday, still."))
	require.NoError(t, yes())
	was, err := h.Store.Decisions(ctx, id)
	require.NoError(t, err)
	require.Len(t, was, 1)
	assert.InDelta(t, 7, was[0].Known.Numbers["hours"], 0.2)
	assert.Equal(t, []string{"shells"}, was[0].Known.Lists["overrides"])
	assert.True(t, was[0].Known.Flags["first"])
	require.Len(t, was[0].Rules, 2)
	assert.Equal(t, [2]int{2, 1}, [2]int{was[0].Rules[0].N, was[0].Rules[1].N})
	assert.True(t, was[0].Rules[0].Raised && was[0].Rules[1].Raised)
	require.Len(t, was[0].Answers, 2)
	// Tried against the past, changed, taken away: the decision is as it was.
	tried, err := house.TryRule(ctx, h.Desk, five)
	require.NoError(t, err)
	require.Len(t, tried.Held, 1)
	assert.Equal(t, id, tried.Held[0].JobID)
	assert.Contains(t, tried.Held[0].Text, "five are the rule")
	five.When.Number = 8
	tried, err = house.TryRule(ctx, h.Desk, five)
	require.NoError(t, err)
	assert.Empty(t, tried.Held)
	assert.Equal(t, 1, tried.Of)
	_, err = house.SetRule(ctx, h.Desk, steward, first, 2, five)
	require.NoError(t, err)
	require.NoError(t, house.TakeRuleAway(ctx, h.Desk, steward, second, 1))
	require.Error(t, house.TakeRuleAway(ctx, h.Desk, steward, second, 2), "it is away")
	again, err := h.Store.Decisions(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, was, again)
	versions, err := house.RuleVersions(ctx, h.Desk, first)
	require.NoError(t, err)
	require.Len(t, versions, 3)
	assert.InDelta(t, 6, versions[2].Data.When.Number, 0)
	require.Error(t, decide.Answer(ctx, h.Desk, h.Cato, id, 0, keys["Six hours"], "Late."), "it is decided")
	assert.WithinDuration(t, h.Desk.Now(), was[0].At, time.Minute)
}
