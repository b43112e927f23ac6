package post

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"jobshelf/core/print/machine"
)

// Steps are an arc from the first on if they are a polygon's whose corners turn by less than
// 60°, however it lies and whichever way round; not if they turn by more, and no further than
// their width stays the same or they leave the circle.
func TestWhichStepsAreAnArc(t *testing.T) {
	for _, n := range []int{3, 4, 5, 90, 180} {
		for turn := range 12 {
			for _, way := range []float64{1, -1} {
				at := func(k int) (x, y float64) {
					a := math.Pi/6*float64(turn) + way*2*math.Pi*float64(k)/float64(n)
					return 40 + 6*math.Cos(a), 30 + 6*math.Sin(a)
				}
				var steps []Step
				for k := 1; k <= n*3/4; k++ {
					x, y := at(k)
					steps = append(steps, Step{X: x, Y: y, EMM: 12 * math.Sin(math.Pi/float64(n)) * 0.05})
				}
				x, y := at(0)
				want := len(steps)
				if n < 6 {
					want = 0
				}
				got, c := arcFrom(x, y, steps)
				assert.Equal(t, want, got, "%d corners", n)
				if n < 6 {
					steps = append(steps, steps...) // long enough, with the same corners
					got, _ = arcFrom(x, y, steps)
					assert.Zero(t, got, "%d corners", n)
					continue
				}
				assert.InDeltaSlice(t, []float64{40, 30, 6}, []float64{c.x, c.y, c.r}, 1e-6)
				wider := slices.Clone(steps)
				wider[20].EMM *= 1.2
				got, _ = arcFrom(x, y, wider)
				assert.Equal(t, 20, got, "one is wider")
				out := slices.Clone(steps)
				out[20].X, out[20].Y = 40+(out[20].X-40)*1.01, 30+(out[20].Y-30)*1.01
				got, _ = arcFrom(x, y, out)
				assert.Equal(t, 20, got, "one is off")
			}
		}
	}
	// The writer ends an arc where the speed changes or another line begins.
	for k, change := range []func(s *Step){func(s *Step) { s.MMPerS = 50 }, func(s *Step) { s.First = true }} {
		w := &writer{j: &Job{Machine: &machine.Machine{Dialect: machine.Dialect{Arcs: true}}}}
		for i := range 10 {
			s := Step{Kind: Lay, X: float64(i), Y: float64(i * i), MMPerS: 40}
			if i == 6 {
				change(&s)
			} else if i > 6 && k == 0 {
				s.MMPerS = 50
			}
			w.step(s)
		}
		assert.Len(t, w.run, 4)
	}
}
