package desk

import (
	"context"
	"slices"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shop/revision"
	"jobshelf/internal/store"
)

// Choices gives every machine and the recipe for a purpose on it with what its nozzles are
// loaded with; and of each, the revisions that this was read from.
func Choices(ctx context.Context, q store.Q, p recipe.Purpose) (out []verdict.Choice, from [][]revision.Ref, err error) {
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
		refs := []revision.Ref{{Of: "machine", ID: machines[i].ID, N: machines[i].Revision}}
		for k := range recipes {
			if recipes[k].MachineID != machines[i].ID || recipes[k].Data.Purpose != p || !machines[i].Data.InService {
				continue
			}
			c.Recipe = &recipes[k].Data
			refs = append(refs, revision.Ref{Of: "recipe", ID: recipes[k].ID, N: recipes[k].Revision})
			for t := range rows {
				if rows[t].ID == recipes[k].MaterialID {
					c.Loaded = c.Machine.Load(&materials[t], materials)
				}
			}
		}
		for t := range rows {
			if slices.Contains(c.Loaded, &materials[t]) {
				refs = append(refs, revision.Ref{Of: "material", ID: rows[t].ID, N: rows[t].Revision})
			}
		}
		out, from = append(out, c), append(from, refs)
	}
	return out, from, nil
}
