package repair_test

import (
	"context"
	"fmt"
	"hash/fnv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/solid"
)

// What mending makes of three hundred spoiled bodies, by all steps and by each alone, is as it was.
// Other tests say what is right; this one says that nothing moved.
func TestRepairsAreAsTheyWere(t *testing.T) {
	shapes := solid.Small()
	var out strings.Builder
	for seed := range uint64(300) {
		m := solid.Spoil(shapes[seed%4], seed)
		ways := [][]repair.Step{repair.Steps}
		for _, s := range repair.Steps {
			ways = append(ways, []repair.Step{s})
		}
		fmt.Fprintf(&out, "%d:", seed)
		for _, steps := range ways {
			got, log, err := repair.Do(context.Background(), m, steps)
			require.NoError(t, err)
			require.NoError(t, got.Validate())
			h := fnv.New32()
			fmt.Fprintf(h, "%.5f %v\n%v", got.Vertices, got.Triangles, log)
			fmt.Fprintf(&out, " %s %d %08x", steps[0], len(log), h.Sum32())
			if len(steps) > 1 {
				r, err := mesh.Inspect(context.Background(), got)
				require.NoError(t, err)
				for _, d := range log {
					fmt.Fprintf(&out, "\n  %s %s", d.Step, d.Text)
				}
				fmt.Fprintf(&out, "\n  left: %q\n ", repair.Left(r))
			}
		}
		out.WriteByte('\n')
	}
	golden.Assert(t, out.String(), "repairs.txt")
}
