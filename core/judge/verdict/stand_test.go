package verdict

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
)

// only is a house of one machine, of such a volume.
func only(x, y, z float64) []Choice {
	c := house()[0]
	m := *c.Machine
	m.Volume = machine.Volume{Shape: machine.Rectangle, XMM: x, YMM: y, ZMM: z}
	r := *c.Recipe
	r.Support = recipe.SupportEverywhere
	c.Machine, c.Recipe = &m, &r
	return []Choice{c}
}

// A model is judged as it prints best: the bollard on its head without support, a tall part laid down
// where it only fits so, a box as it came; as somebody wants it, where that was said; smaller where it
// was made smaller; and a surface that has to be mended first as it came.
func TestAModelIsJudgedAsItPrintsBest(t *testing.T) {
	judge := func(m *mesh.Mesh, stand *orient.Stand, c []Choice) *Verdict {
		v, err := Judge(context.Background(), Subject{Mesh: m, Unit: units.Millimetre, Stand: stand}, c, nil)
		require.NoError(t, err)
		return v
	}
	big := only(220, 220, 250)
	v := judge(solid.Bollard(), nil, big)
	o := v.Orientation
	assert.Equal(t, "turned for less support", o.Why.Code)
	assert.InDelta(t, -1, o.Stand.To(mesh.Vec3{Z: 1}).Z, 1e-9, "on its head")
	assert.Less(t, o.Ways[0].SupportMM3, 1.)
	assert.InEpsilon(t, math.Pi*23*23, o.Ways[0].ContactMM2, 0.02)
	as := judge(solid.Bollard(), &orient.Stand{}, big)
	assert.True(t, as.Orientation.Fixed)
	assert.True(t, as.Stands().AsItCame())
	assert.Less(t, v.Machines[0].Quick.Seconds, as.Machines[0].Quick.Seconds)
	assert.Less(t, v.Machines[0].Quick.Grams, as.Machines[0].Quick.Grams)

	assert.True(t, judge(solid.Box(30, 20, 10), nil, big).Stands().AsItCame())

	tall := judge(solid.Box(10, 12, 240), nil, only(100, 250, 100))
	assert.True(t, tall.Machines[0].Fits)
	assert.Equal(t, "turned to fit", tall.Orientation.Why.Code)
	far := judge(solid.Box(500, 20, 30), nil, only(100, 100, 400))
	assert.False(t, far.Machines[0].Fits)
	assert.InDelta(t, 0.8, far.Machines[0].ScaleToFit, 1e-3, "stood up it is largest")

	half := judge(solid.Bollard(), &orient.Stand{Scale: [3]float64{0.5, 0.5, 0.5}}, big)
	assert.InEpsilon(t, as.Machines[0].FootMM[0]/2, half.Machines[0].FootMM[0], 1e-6)
	assert.Less(t, half.Machines[0].Quick.Grams, as.Machines[0].Quick.Grams/4)
	assert.InEpsilon(t, as.VolumeMM3, half.VolumeMM3, 1e-9, "the file is as it came")

	open := solid.Bollard()
	open.Triangles = open.Triangles[1:]
	assert.Empty(t, judge(open, nil, big).Orientation.Ways)
	assert.True(t, judge(open, nil, big).Stands().AsItCame())
	inches, err := Judge(context.Background(), Subject{Mesh: solid.Bollard().Transformed(1/25.4, mesh.Vec3{X: 9}), Unit: units.Inch}, big, nil)
	require.NoError(t, err)
	assert.InDelta(t, o.Ways[0].SupportMM3, inches.Orientation.Ways[0].SupportMM3, 1)
	assert.InEpsilon(t, v.Machines[0].Quick.Seconds, inches.Machines[0].Quick.Seconds, 1e-3)
}
