package floor

import (
	"cmp"
	"context"
	"strconv"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/letter"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// WriteYes tells a member that a job goes on the machine of a row, what it takes there, on which conditions, and what
// was allowed for once.
func WriteYes(ctx context.Context, tx *store.Tx, h *State, by desk.Actor, j store.Job, r *LadderRow, kind string) error {
	v := letter.Values{"machine": r.Name, "plates": strconv.Itoa(max(1, len(r.runS))), "time": desk.InMinutes(r.Seconds, h.Words),
		"grams": h.Words.Say(problem.Say("grams of", problem.Fixed(r.Grams, 1))), "price": desk.Sum(r.Price, h.Terms.Currency, h.Words)}
	if r.Finish != nil {
		v["finish"] = desk.Moment(*r.Finish, h.Hours.Location, h.Words)
	}
	if r.SliceID != 0 {
		s, err := tx.Slice(ctx, r.SliceID)
		if err != nil {
			return err
		}
		v["conditions"] = Conditions(s.Overrides, h.Words)
	}
	past, err := tx.Decisions(ctx, j.ID)
	if err != nil {
		return err
	}
	var allowed []string
	if n := len(past); n > 0 { // what this yes was said in spite of
		for _, x := range past[n-1].Answers {
			allowed = append(allowed, h.Words.Say(problem.Say("allowed", cmp.Or(x.Rule, x.Check), x.Reason)))
		}
	}
	v["allowed"] = strings.Join(allowed, "; ")
	return desk.Write(ctx, tx, by, h.Now, j, kind, v)
}

// Conditions are overrides in words.
func Conditions(all []recipe.Override, words finding.Speaker) string {
	var out []string
	for _, o := range all {
		value := o.Value
		if s, ok := recipe.SettingOf(o.Key); ok && s.Unit != "" {
			value += " " + s.Unit
		}
		out = append(out, words.Say(problem.Say("condition", recipe.NameOf(o.Key), value)))
	}
	return strings.Join(out, ", ")
}
