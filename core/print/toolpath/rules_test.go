package toolpath

import (
	"math"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/drawn"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
)

// A skirt goes around all there is, SkirtGapMM away from its hull and outwards from there,
// round after round beside the one before; a brim touches the part and is as wide as said;
// both lie in the first layer alone.
func TestFirstLayerHolds(t *testing.T) {
	two := solid.Box(10, 6, 2)
	far := solid.Box(5, 12, 2)
	for i := range far.Vertices {
		far.Vertices[i].X += 30
		far.Vertices[i].Y += 9
	}
	two.Append(far)
	rings := func(r recipe.Recipe) (out []polygon.Path, foot []polygon.Path, w, gap float64) {
		p := sliced(t, two, r)
		for i, l := range p.Layers {
			for _, x := range l.Lines {
				if x.Kind == Adhesion {
					require.Zero(t, i)
					require.True(t, x.Closed)
					out = append(out, x.Points)
				}
			}
		}
		return out, p.Layers[0].Outlines, r.LineMM, Spacing(r.LineMM, r.FirstLayerMM)
	}
	skirt, foot, w, gap := rings(drawn.Plain(func(r *recipe.Recipe) { r.Adhesion = recipe.AdhesionSkirt }))
	require.Len(t, skirt, SkirtRounds)
	var all polygon.Path
	for _, o := range foot {
		all = append(all, o...)
	}
	hull := []polygon.Path{polygon.Hull(all)}
	for k, round := range skirt {
		want := SkirtGapMM + w/2 + float64(k)*gap
		for _, q := range round {
			assert.InDelta(t, want, fromOutline(hull, q)/1000, 0.02, "round %d", k)
			assert.Negative(t, polygon.Inside(polygon.NonZero, hull, q))
		}
		assert.Greater(t, round.Area(), hull[0].Area())
	}
	brim, foot, _, gap := rings(drawn.Plain(func(r *recipe.Recipe) { r.Adhesion, r.BrimMM = recipe.AdhesionBrim, 3 }))
	nearest, furthest := math.Inf(1), 0.0
	for _, round := range brim {
		d := math.Inf(1)
		for _, q := range round {
			d = math.Min(d, fromOutline(foot, q)/1000)
		}
		nearest, furthest = math.Min(nearest, d), math.Max(furthest, d)
	}
	assert.InDelta(t, w/2, nearest, 0.02, "it touches the part")
	assert.InDelta(t, 3, furthest+gap/2, gap)
	rounds := int(math.Ceil(3 / gap))
	assert.GreaterOrEqual(t, len(brim), rounds)
}

// What holds the first layer down holds every copy on a plate: a brim goes around each, a skirt around them all, a raft
// lies under all; at the same places a copy alone has the same.
func TestFirstLayerHoldsEveryCopy(t *testing.T) {
	box := solid.Box(10, 6, 2)
	topo := mesh.TopologyOf(box)
	laid := func(a recipe.Adhesion, places ...Place) []Line {
		r := drawn.Plain(func(r *recipe.Recipe) { r.Adhesion, r.BrimMM = a, 2 })
		part, err := SlicePart(ctx, box, topo, 1, r, Options{}, nil)
		require.NoError(t, err)
		p, err := Lay(ctx, []*Part{part}, places, r, Options{})
		require.NoError(t, err)
		var out []Line
		for _, x := range p.Laid(0) {
			if x.Kind == Adhesion {
				out = append(out, *x)
			}
		}
		return out
	}
	here, there := Place{By: polygon.Point{X: 1000, Y: 2000}}, Place{By: polygon.Point{X: 41000, Y: 22000}}
	bounds := func(all []Line) polygon.Box {
		b := polygon.Bounds()
		for _, x := range all {
			b.Add(polygon.Bounds(x.Points))
		}
		return b
	}
	one, both := laid(recipe.AdhesionBrim, here), laid(recipe.AdhesionBrim, here, there)
	require.NotEmpty(t, one)
	assert.Len(t, both, 2*len(one))
	assert.InDelta(t, 2*inAll(one), inAll(both), 0.001*inAll(both))
	for _, a := range []recipe.Adhesion{recipe.AdhesionBrim, recipe.AdhesionSkirt, recipe.AdhesionRaft} {
		first, second, all := bounds(laid(a, here)), bounds(laid(a, there)), bounds(laid(a, here, there))
		first.Add(second)
		assert.Equal(t, first, all, "%v", a)
	}
}

func inAll(all []Line) (mm float64) {
	for i := range all {
		mm += all[i].LengthMM()
	}
	return mm
}

// How far a slice is, is told from 0 to 1, through every quarter.
func TestProgressIsAShare(t *testing.T) {
	box := solid.Box(20, 20, 20)
	var told []float64
	var mu sync.Mutex
	_, err := SlicePart(ctx, box, mesh.TopologyOf(box), 1, drawn.Plain(nil), Options{}, func(f float64) {
		mu.Lock()
		defer mu.Unlock()
		told = append(told, f)
	})
	require.NoError(t, err)
	quarters := map[int]bool{}
	for _, f := range told {
		require.GreaterOrEqual(t, f, 0.0)
		require.LessOrEqual(t, f, 1+1e-9)
		quarters[min(3, int(4*f))] = true
	}
	assert.Len(t, quarters, 4)
}
