package slicing

import (
	"context"

	"jobshelf/core/print/layout"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/polygon"
)

// togetherEffort is how long it is looked whether plates go on one: a look at a lane asks of many.
const togetherEffort = 300

// Together says that what lies on several plates finds room on one, by the shadows of the copies, each in
// any turn that the layout may try. Support that stands out of a shadow and a purge tower are not in it:
// the slice has the last word.
func Together(ctx context.Context, v machine.Volume, r *recipe.Recipe, plates ...[]Spot) bool {
	type kind struct {
		plate, piece int
		turn         float64
	}
	at := map[kind]int{}
	var items []layout.Item
	for n, spots := range plates {
		for _, s := range spots {
			of := kind{n, s.Piece, s.TurnDeg}
			k, known := at[of]
			if !known {
				if len(s.OutlineMM) < 3 {
					return false // of a version that kept no shadows
				}
				mid := layout.Middle(v)
				var o polygon.Path
				for _, q := range s.OutlineMM { // about the middle of its own box
					p := polygon.At(q[0], q[1])
					o = append(o, polygon.Point{X: p.X + mid.X, Y: p.Y + mid.Y})
				}
				k, at[of] = len(items), len(items)
				items = append(items, layout.Item{Box: polygon.Bounds(o), Outline: o, TurnsDeg: turnsDeg})
			}
			items[k].Copies++
		}
	}
	full := r.WithDefaults()
	out, err := layout.Lay(ctx, items, layout.Ask{Volume: v, ApartUM: layout.Apart(&full, -1), MarginUM: layout.Margin(&full), Effort: togetherEffort})
	return err == nil && len(out) == 1
}
