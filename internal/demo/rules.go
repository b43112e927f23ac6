package demo

import (
	"context"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/rule"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// Rules are what the demo house asks of jobs.
func Rules() []rule.Rule {
	over := func(fact string, n float64) rule.Condition {
		return rule.Condition{Fact: fact, Op: rule.Over, Number: n}
	}
	under := func(fact string, n float64) rule.Condition {
		return rule.Condition{Fact: fact, Op: rule.Under, Number: n}
	}
	is := func(fact string, names ...string) rule.Condition {
		return rule.Condition{Fact: fact, Op: rule.Is, Names: names}
	}
	has := func(fact string, names ...string) rule.Condition {
		return rule.Condition{Fact: fact, Op: rule.Has, Names: names}
	}
	not := func(c ...rule.Condition) rule.Condition { return rule.Condition{None: c} }
	all := func(c ...rule.Condition) rule.Condition { return rule.Condition{All: c} }
	anyOf := func(c ...rule.Condition) rule.Condition { return rule.Condition{Any: c} }
	return []rule.Rule{
		{Name: "Six hours", When: all(over("hours", 6), not(is("purpose", "working part"))), Grade: finding.Decide, Waives: rule.ByDesk,
			Says: "It runs for {hours} h. Past 6 h somebody of the desk has to agree, but for working parts."},
		{Name: "The night is closed", When: anyOf(over("hours", 12), over("all_hours", 30)), Grade: finding.StopsIt, Waives: rule.BySteward,
			Says: "It runs for {hours} h, {all_hours} h in all: more than a day at the harbour. Only the steward says yes to that."},
		{Name: "A lot of filament", When: over("grams", 400), Grade: finding.Decide, Waives: rule.ByDesk, Says: "It takes {grams} g. Is there a reason for so much?"},
		{Name: "How full", When: all(anyOf(under("infill", 8), over("infill", 25)), not(is("purpose", "working part"))), Grade: finding.Decide, Waives: rule.ByDesk,
			Says: "It is {infill} % full; 8 to 25 % do for what carries nothing."},
		{Name: "What is loaded", When: has("findings", "other filament"), Grade: finding.WorthKnowing, Waives: rule.ByDesk, Says: "Filament is changed by the desk, between the runs of two days."},
		{Name: "First print", When: rule.Condition{Fact: "first", Op: rule.Yes}, Grade: finding.WorthKnowing, Waives: rule.ByDesk, Says: "It is the first print of its member: show how the bed is cleared."},
		{Name: "For tomorrow", When: all(under("days", 1), over("all_hours", 3)), Grade: finding.Decide, Waives: rule.ByDesk, Says: "It is needed in {days} days and runs for {all_hours} h: others are put back for it."},
		{Name: "Made very small", When: under("scale", 40), Grade: finding.WorthKnowing, Waives: rule.ByDesk, Says: "At {scale} % of its size holes and threads are gone."},
		{Name: "Long series", When: over("copies", 20), Grade: finding.Decide, Waives: rule.BySteward, Says: "{copies} copies are a series: the commons is for single pieces."},
		{Name: "Load across a neck", When: all(has("use", "load"), has("findings", "weak neck", "long bridge")), Grade: finding.Decide, Waives: rule.ByDesk,
			Says: "It is to carry load, and has a place that parts: {findings}."},
	}
}

// AddRules writes them, in a house that has none.
func AddRules(ctx context.Context, d *desk.Desk) error {
	have, err := d.Store.Rules(ctx)
	if err != nil || len(have) > 0 {
		return err
	}
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		for _, r := range Rules() {
			if _, err := tx.AddRule(ctx, 0, 0, r, true, d.Now(), 0); err != nil {
				return err
			}
		}
		return nil
	})
}
