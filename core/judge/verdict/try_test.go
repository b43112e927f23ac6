package verdict

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/orient"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// What a trial gives of an orientation are the rows of a verdict on the model that stands so, made
// larger and mirrored too, whichever nozzle lays it; and what a verdict tried beside are a trial's.
func TestATrialIsTheVerdictsRows(t *testing.T) {
	ctx := context.Background()
	choices := append(house(), only(100, 100, 300)...)
	for _, m := range []*mesh.Mesh{solid.Bollard(), solid.LampBracket()} {
		for _, stand := range []orient.Stand{{}, {Scale: [3]float64{1.2, 1.2, 0.9}, Mirror: true}} {
			trial := TrialOf(m, stand)
			for _, up := range []orient.Quat{orient.AsItCame, orient.Upright(mesh.Vec3{Z: -1}), orient.Upright(mesh.Vec3{X: 1})} {
				for _, nozzle := range []int{0, 2} {
					rows, err := trial.On(ctx, up, nozzle, choices)
					require.NoError(t, err)
					stood := stand
					stood.Turn = up
					v, err := Judge(ctx, Subject{Mesh: m, Stand: &stood, Nozzle: nozzle, Said: "mm", AsIs: true}, choices, nil)
					require.NoError(t, err)
					assert.Equal(t, v.Machines, rows, "%v, %v, nozzle %d", stand, up, nozzle)
				}
			}
		}
		v, err := Judge(ctx, Subject{Mesh: m, Said: "mm"}, choices, nil)
		require.NoError(t, err)
		for _, x := range v.Tried {
			rows, err := TrialOf(m, orient.Stand{}).On(ctx, x.Turn, 0, choices)
			require.NoError(t, err)
			assert.Equal(t, rows[x.Choice], x.Row)
		}
		assert.Equal(t, v.Orientation.SavedS != 0, len(v.Tried) == 1, "if it was turned it is held against how it came")
	}
	cancelled, cancel := context.WithCancel(ctx)
	cancel()
	_, err := TrialOf(solid.Box(10, 10, 10), orient.Stand{}).On(cancelled, orient.AsItCame, 0, choices)
	assert.ErrorIs(t, err, context.Canceled)
}
