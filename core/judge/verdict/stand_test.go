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
	assert.InDelta(t, as.Machines[0].Quick.WholeSeconds()-v.Machines[0].Quick.WholeSeconds(), o.SavedS, 1e-6)
	assert.Zero(t, as.Orientation.SavedS)

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

// A bar that is pulled along its length is built so that its layers run along it, whichever way the
// file has it, mirrored or longer; where nobody says along which way, and where a load pulls across
// it, it lies as it came.
func TestALoadTurnsAPart(t *testing.T) {
	for axis, size := range [][3]float64{{40, 12, 11.5}, {12, 40, 11.5}, {12, 11.5, 40}} {
		m := solid.Box(size[0], size[1], size[2])
		for _, stand := range []*orient.Stand{nil, {Scale: [3]float64{1, 1.2, 1}, Mirror: true}} {
			for along := range 3 {
				var load [3]float64
				load[along] = -7
				v, err := Judge(context.Background(), Subject{Mesh: m, Unit: units.Millimetre, Stand: stand, Load: &load}, only(220, 220, 250), nil)
				require.NoError(t, err)
				ways := v.Orientation.Ways
				require.NotEmpty(t, ways)
				for _, w := range ways {
					built := orient.Stand{Turn: w.Turn}.To(vec(load)).Z
					assert.InDelta(t, built*built/49, w.AlongLoad, 1e-6)
				}
				assert.InDelta(t, 0, ways[0].AlongLoad, 1e-6, "bar along %d, load along %d", axis, along)
				if stand == nil {
					assert.InDelta(t, 0, v.Stands().To(vec(load)).Z, 1e-6, "bar along %d, load along %d", axis, along)
				}
			}
		}
		// Along no axis: as the part is weighed, mirrored and longer.
		load, sized := [3]float64{3, 2, 1}, orient.Stand{Scale: [3]float64{1, 2, 1}, Mirror: true}
		v, err := Judge(context.Background(), Subject{Mesh: m, Unit: units.Millimetre, Stand: &sized, Load: &load}, only(220, 220, 250), nil)
		require.NoError(t, err)
		long := sized.To(vec(load)).Len()
		for _, w := range v.Orientation.Ways {
			sized.Turn = w.Turn
			assert.InDelta(t, math.Pow(sized.To(vec(load)).Z/long, 2), w.AlongLoad, 1e-6)
		}
		v, err = Judge(context.Background(), Subject{Mesh: m, Unit: units.Millimetre}, only(220, 220, 250), nil)
		require.NoError(t, err)
		for _, w := range v.Orientation.Ways {
			assert.Zero(t, w.AlongLoad)
		}
	}
}

// A piece that names its nozzle is judged by what is in that, on machines that have it; on others
// it says why not, and is no option.
func TestAPieceThatNamesItsNozzle(t *testing.T) {
	one, two := only(220, 220, 250)[0], only(220, 220, 250)[0]
	m := *two.Machine
	m.NozzlesMM, m.Second.Material = []float64{0.4, 0.4}, "Cork"
	two.Machine = &m
	two.Loaded = append(machine.Loaded{two.Loaded.Of(1)}, &machine.Material{Name: "Cork", DensityGPerCM: 2 * two.Loaded.Of(1).DensityGPerCM, NozzleC: 200})
	judge := func(nozzle int) *Verdict {
		v, err := Judge(context.Background(), Subject{Mesh: solid.Box(20, 20, 10), Unit: units.Millimetre, Nozzle: nozzle}, []Choice{one, two}, nil)
		require.NoError(t, err)
		return v
	}
	plain, second := judge(0), judge(2)
	for k := range plain.Machines {
		assert.Nil(t, plain.Machines[k].Against)
		require.NotNil(t, plain.Machines[k].Quick)
	}
	require.NotNil(t, second.Machines[0].Against)
	assert.Equal(t, "no such nozzle", second.Machines[0].Against.Code)
	assert.Nil(t, second.Machines[0].Quick)
	assert.Nil(t, second.Machines[1].Against)
	require.NotNil(t, second.Machines[1].Quick)
	assert.InEpsilon(t, 2*plain.Machines[1].Quick.Grams, second.Machines[1].Quick.Grams, 1e-9, "Cork is twice as heavy")
	assert.Equal(t, "Cork", second.Machines[1].Quick.Uses[0].Material.Name)
}
