package desk

import (
	"context"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/internal/store"
)

// Choices gives every machine, with its number, and the recipe for a purpose on
// it with what its nozzles are loaded with.
func Choices(ctx context.Context, q store.Q, p recipe.Purpose) (out []verdict.Choice, ids []int64, err error) {
	machines, err := q.Machines(ctx)
	if err != nil {
		return nil, nil, err
	}
	recipes, err := q.Recipes(ctx)
	if err != nil {
		return nil, nil, err
	}
	rows, err := q.Materials(ctx)
	if err != nil {
		return nil, nil, err
	}
	materials := make([]machine.Material, len(rows))
	for i := range rows {
		materials[i] = rows[i].Data
	}
	for i := range machines {
		c := verdict.Choice{ID: machines[i].ID, Machine: &machines[i].Data}
		for k := range recipes {
			if recipes[k].MachineID != machines[i].ID || recipes[k].Data.Purpose != p || !machines[i].Data.InService {
				continue
			}
			c.Recipe = &recipes[k].Data
			for t := range rows {
				if rows[t].ID == recipes[k].MaterialID {
					c.Loaded = c.Machine.Load(&materials[t], materials)
				}
			}
		}
		out, ids = append(out, c), append(ids, machines[i].ID)
	}
	return out, ids, nil
}
