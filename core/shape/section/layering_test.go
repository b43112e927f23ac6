package section

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Whatever the height, first layer, layer and nozzle: layers sum to the height, each
// is what the nozzle can lay, and all but the last two and a first one that had to
// share are as the recipe says.
func TestLayersSumToTheHeight(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		nozzle := rapid.SampledFrom([]float64{0.25, 0.4, 0.6, 0.8}).Draw(t, "nozzle")
		in := func(name string) float64 { return nozzle * rapid.Float64Range(0.2, 0.8).Draw(t, name) }
		l := Layering{FirstMM: in("first"), LayerMM: in("layer"), LeastMM: 0.2 * nozzle, MostMM: 0.8 * nozzle}
		height := rapid.OneOf(rapid.Float64Range(0.2*nozzle, 3), rapid.Float64Range(3, 300),
			rapid.Map(rapid.IntRange(0, 90), func(k int) float64 { return l.FirstMM + float64(k)*l.LayerMM/3 })).Draw(t, "height")
		if height < l.LeastMM {
			return
		}
		hs := l.Heights(height)
		assert.Len(t, hs, l.Count(height))
		sum := 0.0
		for i, h := range hs {
			sum += h
			if h < l.LeastMM-1e-9 || h > l.MostMM+1e-9 {
				t.Fatalf("layer %d of %v", i, hs)
			}
			switch {
			case i >= len(hs)-2:
			case i == 0 && h != l.FirstMM, i > 0 && h != l.LayerMM:
				t.Fatalf("layer %d is %g mm", i, h)
			}
		}
		if math.Abs(sum-height) > 1e-9 {
			t.Fatalf("%g mm of %g", sum, height)
		}
		if k := len(hs); k > 2 && l.LayerMM/3 > l.LeastMM && 4*l.LayerMM/3 < l.MostMM {
			if last := hs[k-1] / l.LayerMM; last < 1.0/3-1e-6 || last > 4.0/3+1e-6 {
				t.Fatalf("the last is %g layers", last)
			}
		}
	})
}

func TestHeightsOfKnownParts(t *testing.T) {
	house := Layering{FirstMM: 0.24, LayerMM: 0.2, LeastMM: 0.08, MostMM: 0.32}
	assert.Equal(t, 159, Layering{FirstMM: 0.3, LayerMM: 0.3}.Count(47.7))
	assert.Equal(t, 159, Layering{FirstMM: 0.3, LayerMM: 0.3}.Count(float64(float32(47.7))))
	hs := house.Heights(10.05)
	assert.Len(t, hs, 50)
	assert.InDelta(t, 0.21, hs[49], 1e-9)
	assert.Equal(t, []float64{0.08}, house.Heights(0.03), "no nozzle lays less")
	assert.Equal(t, []float64{0.3}, house.Heights(0.3), "the first layer takes the rest in")
	assert.InDeltaSlice(t, []float64{0.24, 0.1}, house.Heights(0.34), 1e-9)
	eighths := Layering{FirstMM: 0.25, LayerMM: 0.25, LeastMM: 0.125, MostMM: 0.5}
	assert.Equal(t, []float64{0.25, 0.25, 0.25, 0.125}, eighths.Heights(0.875), "what is just enough stays")
	assert.Empty(t, house.Heights(0))
	assert.Equal(t, mostLayers, house.Count(math.Inf(1)))
}
