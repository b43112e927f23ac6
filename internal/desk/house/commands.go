// Package house is what the house has and asks: machines, materials, recipes, hours and fees.
package house

import (
	"context"
	"fmt"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/naming"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/event"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/store"
)

// SetHouse changes the house's own settings.
func SetHouse(ctx context.Context, d *desk.Desk, a desk.Actor, h House) error {
	if _, err := desk.HoursOf(store.House(h)); err != nil {
		return err
	}
	for day, spans := range h.Week {
		for i, s := range spans {
			if s.From >= s.To {
				return desk.Wrong(fmt.Sprintf("week[%d][%d]", day, i), "closing before opening")
			}
		}
	}
	if wrong, well := naming.Check(h.FilePattern, naming.FileNames); !well {
		return desk.Wrong("file_pattern", "pattern for files", wrong)
	}
	return change(ctx, d, a, func(tx *store.Tx) (event.Event, error) {
		return event.HouseChanged{}, tx.SetHouse(ctx, store.House(h))
	})
}

// SetMachine changes a machine.
func SetMachine(ctx context.Context, d *desk.Desk, a desk.Actor, m MachineView) error {
	if p := m.Data.Validate(); len(p) > 0 {
		return &desk.Invalid{Problems: p}
	}
	return change(ctx, d, a, func(tx *store.Tx) (event.Event, error) {
		what := event.MachineChanged{Name: m.Data.Name}
		materials, err := tx.Materials(ctx)
		if err != nil {
			return what, err
		}
		known := func(t store.Material) bool { return t.Data.Name == m.Data.Second.Material }
		if m.Data.Second.Material != "" && !slices.ContainsFunc(materials, known) {
			return what, desk.Wrong("second.material", "no such material loaded", m.Data.Second.Material)
		}
		all, err := tx.Machines(ctx)
		if err != nil {
			return what, err
		}
		for _, o := range all {
			if o.ID != m.ID && m.Data.Line != "" && o.Data.Line == m.Data.Line {
				return what, desk.Wrong("line", "line of another machine", o.Data.Name)
			}
		}
		if err := tx.SetMachine(ctx, store.Machine(m)); err != nil {
			return what, err
		}
		return what, heatStands(ctx, tx)
	})
}

func data(rows []store.Material) []machine.Material {
	out := make([]machine.Material, len(rows))
	for i := range rows {
		out[i] = rows[i].Data
	}
	return out
}

// all are the house's machines, materials and recipes.
func all(ctx context.Context, tx *store.Tx) (machines []store.Machine, materials []store.Material, recipes []store.Recipe, err error) {
	if machines, err = tx.Machines(ctx); err != nil {
		return nil, nil, nil, err
	}
	if materials, err = tx.Materials(ctx); err != nil {
		return nil, nil, nil, err
	}
	recipes, err = tx.Recipes(ctx)
	return machines, materials, recipes, err
}

// heatStands refuses a change of a machine or material after which a recipe of the
// house would ask for more heat than they stand.
func heatStands(ctx context.Context, tx *store.Tx) error {
	machines, materials, recipes, err := all(ctx, tx)
	if err != nil {
		return err
	}
	house := data(materials)
	var bad []problem.Problem
	for _, r := range recipes {
		for i := range machines {
			m := &machines[i].Data
			if machines[i].ID != r.MachineID || m.Process != machine.MaterialExtrusion {
				continue
			}
			for k := range materials {
				if materials[k].ID != r.MaterialID {
					continue
				}
				for _, p := range r.Data.TooHot(m, m.Load(&house[k], house)) {
					bad = append(bad, problem.Problem{Field: "heat", Phrase: problem.Say("recipe would be too hot", r.Data.Name, p.Phrase)})
				}
			}
		}
	}
	if len(bad) > 0 {
		return &desk.Invalid{Problems: bad}
	}
	return nil
}

// SetMaterial changes a material.
func SetMaterial(ctx context.Context, d *desk.Desk, a desk.Actor, m MaterialView) error {
	if p := m.Data.Validate(); len(p) > 0 {
		return &desk.Invalid{Problems: p}
	}
	return change(ctx, d, a, func(tx *store.Tx) (event.Event, error) {
		what := event.MaterialChanged{Name: m.Data.Name}
		if err := tx.SetMaterial(ctx, store.Material(m)); err != nil {
			return what, err
		}
		return what, heatStands(ctx, tx)
	})
}

// SetRecipe changes a recipe; it must suit its machine and material.
func SetRecipe(ctx context.Context, d *desk.Desk, a desk.Actor, r RecipeView) error {
	return change(ctx, d, a, func(tx *store.Tx) (event.Event, error) {
		var what event.Event
		machines, materials, recipes, err := all(ctx, tx)
		if err != nil {
			return what, err
		}
		for _, o := range recipes {
			if o.ID == r.ID { // machine and purpose are the recipe's place and stay
				r.MachineID, r.Data.Purpose = o.MachineID, o.Data.Purpose
				what = event.RecipeChanged{Name: o.Data.Name}
			}
		}
		var mach *machine.Machine
		var mat *machine.Material
		for i := range machines {
			if machines[i].ID == r.MachineID {
				mach = &machines[i].Data
			}
		}
		for i := range materials {
			if materials[i].ID == r.MaterialID {
				mat = &materials[i].Data
			}
		}
		if mat == nil {
			return what, desk.Wrong("material_id", "no such material")
		}
		if mach == nil {
			return what, store.ErrNotFound
		}
		if p := r.Data.Validate(mach, mach.Load(mat, data(materials))); len(p) > 0 {
			return what, &desk.Invalid{Problems: p}
		}
		return what, tx.SetRecipe(ctx, store.Recipe(r))
	})
}

// change makes a change in the house, notes it, and has the jobs still being
// weighed checked anew.
func change(ctx context.Context, d *desk.Desk, a desk.Actor, f func(*store.Tx) (what event.Event, err error)) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		what, err := f(tx)
		if err != nil {
			return err
		}
		desk.Tell(tx, store.OfHouse, a.ID, what)
		return intake.Rejudge(ctx, d, tx, a, event.Phrase(what))
	})
}

// Looked says, of a house that was restored from a copy, that somebody has looked at all machines: they are spoken with again.
func Looked(ctx context.Context, d *desk.Desk, a desk.Actor) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.Looked(ctx, a.ID); err != nil {
			return err
		}
		desk.Tell(tx, store.OfHouse, a.ID, event.MachinesLookedAt{})
		return nil
	})
}
