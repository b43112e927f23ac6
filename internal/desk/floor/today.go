package floor

import (
	"context"
	"slices"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
	"jobshelf/core/shop/revision"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// Today is how the house makes things for a purpose now, against which what was made before
// is held.
type Today struct {
	choices []verdict.Choice
	from    [][]revision.Ref
	start   units.Cents
	on      []string // names of the choices, each with what would be done on it
}

// TodayFor reads it.
func TodayFor(ctx context.Context, q store.Q, purpose string) (*Today, error) {
	h, err := q.House(ctx)
	if err != nil {
		return nil, err
	}
	t := &Today{start: h.StartCents}
	t.choices, t.from, err = desk.Choices(ctx, q, recipe.Purpose(purpose))
	for k := range t.choices {
		t.on = append(t.on, revision.OnMachine(&t.choices[k], t.start))
	}
	return t, err
}

// Machine is the name of one.
func (t *Today) Machine(id int64) string {
	if k := t.find(id); k >= 0 {
		return t.choices[k].Machine.Name
	}
	return ""
}

func (t *Today) find(machine int64) int {
	return slices.IndexFunc(t.choices, func(c verdict.Choice) bool { return c.ID == machine })
}

// Of holds a slice against today: its figures at today's prices, and what is made otherwise
// since. Where the machine has no recipe any more, that is another; one out of service makes
// nothing now, and nothing stale.
func (t *Today) Of(machine int64, full *price.Full, overrides []recipe.Override, pieces []revision.Piece, made revision.Made) (*price.Full, []problem.Phrase) {
	k := t.find(machine)
	if k >= 0 && !t.choices[k].Machine.InService {
		return full, nil
	}
	if k < 0 || t.choices[k].Recipe == nil || t.choices[k].Loaded == nil {
		return full, []problem.Phrase{problem.Say("its recipe")}
	}
	c := &t.choices[k]
	r, err := c.Recipe.Apply(overrides)
	if err != nil {
		return full, []problem.Phrase{problem.Say("its recipe")}
	}
	return full.Today(c.Loaded, c.Machine, t.start), made.Changed(revision.Of(c.Machine, r, c.Loaded, t.from[k], pieces))
}
