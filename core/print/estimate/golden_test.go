package estimate

import (
	"context"
	"fmt"
	"hash/fnv"
	"maps"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/print/drawn"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/section"
	"jobshelf/core/shape/solid"
)

// gallery is what makes the quick estimate take each of its ways: supports of all kinds, two
// nozzles that are worth it and that are not, walls of one line, pointed arms, islands.
func gallery() map[string]struct {
	m      *mesh.Mesh
	change func(*recipe.Recipe, *machine.Machine)
} {
	type one = struct {
		m      *mesh.Mesh
		change func(*recipe.Recipe, *machine.Machine)
	}
	table := solid.Box(8, 8, 14)
	table.Append(solid.Box(44, 34, 3).Transformed(1, mesh.Vec3{X: -18, Y: -13, Z: 12}))
	bridge := solid.Box(5, 30, 20)
	bridge.Append(solid.Box(5, 30, 20).Transformed(1, mesh.Vec3{X: 20}))
	bridge.Append(solid.Box(25, 30, 2).Transformed(1, mesh.Vec3{Z: 18}))
	post := solid.Box(8, 8, 30)
	post.Append(solid.Box(11, 8, 2).Transformed(1, mesh.Vec3{X: 0.3, Z: 27}))
	beam := solid.Box(30, 24, 8) // overhangs above can stand on its foot, or beside it
	beam.Append(solid.Box(8, 24, 14).Transformed(1, mesh.Vec3{X: 11, Z: 6}))
	beam.Append(solid.Box(44, 24, 3).Transformed(1, mesh.Vec3{X: -7, Z: 18}))
	rack := solid.Box(30, 24, 8) // all of it stands on its foot
	rack.Append(solid.Box(8, 24, 14).Transformed(1, mesh.Vec3{X: 11, Z: 6}))
	rack.Append(solid.Box(30, 24, 3).Transformed(1, mesh.Vec3{Z: 18}))
	var knurl []solid.P // many short sides
	for i := range 90 {
		sin, cos := math.Sincos(math.Pi * float64(i) / 45)
		d := 9 + 0.35*float64(i%2)
		knurl = append(knurl, solid.P{X: d * cos, Y: d * sin})
	}
	arm := solid.Box(8, 20, 16)
	arm.Append(solid.Box(30, 20, 3).Transformed(1, mesh.Vec3{Z: 14}))
	mushroom := solid.Revolve([]solid.P{{X: 0, Y: 0}, {X: 3, Y: 0}, {X: 3, Y: 8}, {X: 12, Y: 10}, {X: 9, Y: 16}, {X: 0, Y: 17}}, 40)
	var star []solid.P
	for i := range 14 {
		sin, cos := math.Sincos(math.Pi * float64(i) / 7)
		d := 22.0
		if i%2 == 1 {
			d = 8
		}
		star = append(star, solid.P{X: d * cos, Y: d * sin})
	}
	hole := solid.Circle(0, 0, 11.6, 48)
	slices.Reverse(hole)
	thin := solid.Extrude(solid.Circle(0, 0, 12, 48), [][]solid.P{hole}, 9)
	islands := &mesh.Mesh{}
	for k := range 5 {
		islands.Append(solid.Cylinder(3, 7, 24).Transformed(1, mesh.Vec3{X: 12 * float64(k%3), Y: 15 * float64(k/3)}))
	}
	everywhere := func(more func(*recipe.Recipe, *machine.Machine)) func(*recipe.Recipe, *machine.Machine) {
		return func(r *recipe.Recipe, m *machine.Machine) {
			r.Support = recipe.SupportEverywhere
			if more != nil {
				more(r, m)
			}
		}
	}
	two := func(percent float64) func(*recipe.Recipe, *machine.Machine) {
		return everywhere(func(r *recipe.Recipe, m *machine.Machine) {
			m.NozzlesMM, m.ChangeS, r.RetractMM = []float64{0.4, 0.4}, 20, 1.7
			r.SupportNozzle, r.SupportPercent, r.SupportHorizontalGapMM, r.SupportVerticalGapMM = 2, percent, new(0.0), new(0.0)
		})
	}
	return map[string]struct {
		m      *mesh.Mesh
		change func(*recipe.Recipe, *machine.Machine)
	}{
		"table, lines":             one{table, everywhere(nil)},
		"table, grid":              one{table, everywhere(func(r *recipe.Recipe, _ *machine.Machine) { r.SupportPattern = recipe.SupportGrid })},
		"table, none":              one{table, func(*recipe.Recipe, *machine.Machine) {}},
		"table, lifted":            one{table, everywhere(func(r *recipe.Recipe, _ *machine.Machine) { r.RetractMM, r.RetractMMPerS, r.LiftMM = 2, 30, 0.4 })},
		"bridge, from the plate":   one{bridge, func(r *recipe.Recipe, _ *machine.Machine) { r.Support = recipe.SupportPlateOnly }},
		"mushroom":                 one{mushroom, everywhere(func(r *recipe.Recipe, _ *machine.Machine) { r.SupportMMPerS, r.SupportMMPerS2 = 50, 700 })},
		"mushroom, sparse":         one{mushroom, everywhere(func(r *recipe.Recipe, _ *machine.Machine) { r.SupportPercent, r.SupportInterface = 6, new(0) })},
		"two nozzles":              one{table, two(25)},
		"two, not worth it":        one{post, two(15)},
		"two, no purge":            one{table, func(r *recipe.Recipe, m *machine.Machine) { two(25)(r, m); r.ChangePurgeMM = new(0.0) }},
		"table, not drawn back":    one{table, everywhere(func(r *recipe.Recipe, _ *machine.Machine) { r.RetractMM, r.RetractMMPerS = 0, 0 })},
		"two nozzles, on the part": one{rack, two(60)},
		"on the part":              one{beam, everywhere(nil)},
		"beside the part":          one{beam, func(r *recipe.Recipe, _ *machine.Machine) { r.Support = recipe.SupportPlateOnly }},
		"knurled":                  one{solid.Extrude(knurl, nil, 6), func(r *recipe.Recipe, _ *machine.Machine) { r.Shells = 4 }},
		"arm":                      one{arm, everywhere(nil)},
		"star":                     one{solid.Extrude(star, nil, 6), func(r *recipe.Recipe, _ *machine.Machine) { r.Shells = 3 }},
		"thin wall":                one{thin, func(*recipe.Recipe, *machine.Machine) {}},
		"wall of three":            one{solid.Box(20, 1.3, 6), func(*recipe.Recipe, *machine.Machine) {}},
		"needle":                   one{solid.Box(0.5, 0.5, 6), func(r *recipe.Recipe, _ *machine.Machine) { r.MinLayerTimeS = 3 }},
		"islands":                  one{islands, func(r *recipe.Recipe, _ *machine.Machine) { r.MinLayerTimeS = 12 }},
		"skirt":                    one{islands, func(r *recipe.Recipe, _ *machine.Machine) { r.Adhesion = recipe.AdhesionSkirt }},
		"brim":                     one{islands, func(r *recipe.Recipe, _ *machine.Machine) { r.Adhesion, r.BrimMM = recipe.AdhesionBrim, 4 }},
		"raft":                     one{islands, func(r *recipe.Recipe, _ *machine.Machine) { r.Adhesion = recipe.AdhesionRaft }},
		"accelerations": one{solid.Box(20, 15, 6), func(r *recipe.Recipe, _ *machine.Machine) {
			r.OuterMMPerS2, r.InnerMMPerS2, r.TopBottomMMPerS2, r.InfillMMPerS2, r.FirstMMPerS2, r.TravelMMPerS2 = 300, 400, 500, 600, 200, 800
		}},
		"no infill": one{solid.Box(20, 15, 6), func(r *recipe.Recipe, _ *machine.Machine) { r.InfillPercent = 0 }},
		"many shells": one{solid.Box(20, 6, 6), func(r *recipe.Recipe, _ *machine.Machine) {
			r.Shells, r.RetractMM, r.RetractMMPerS = 9, 0, 0
		}},
		"paused": one{solid.Box(20, 15, 6), func(r *recipe.Recipe, m *machine.Machine) {
			r.PauseMM, r.FirstNozzleC, m.WarmUp.HomingS = []float64{1, 4}, r.NozzleC+5, 30
		}},
		"paused, its bed kept warm": one{solid.Box(20, 15, 6), func(r *recipe.Recipe, m *machine.Machine) { r.PauseMM, m.IdleOffS = []float64{2}, 600 }},
		"torus":                     one{solid.Torus(14, 4, 48, 24), everywhere(nil)},
	}
}

// told writes both estimates down: the quick figures, and a sum over all of the full one.
func told(q Quick, f *Full) string {
	account := fnv.New32()
	account.Write([]byte(drawn.Told(f) + drawn.Told(f.Uses) + drawn.Told(f.Cooling)))
	return fmt.Sprintf("quick %s, full %.6g s and %.4g s, %.5g g, all %08x\n", drawn.Told(q), f.Seconds, f.WarmUpSeconds, f.Grams(), account.Sum32())
}

// Each figure of the gallery is the one that was looked at, and near the toolpath's. They are
// written anew after a fit of the factors; what they are held to then is the toolpath.
func TestGalleryIsAsItWas(t *testing.T) {
	nozzles, grams, lines := map[string]int{}, map[string]float64{}, map[string]string{}
	for name, c := range gallery() {
		r, m := testRecipe, testMachine
		c.change(&r, &m)
		loaded := machine.Loaded{&testMaterial, {Name: "Soluble", DensityGPerCM: 1.2, NozzleC: 205, SpoolGrams: 500, SpoolCents: 3400}}[:max(1, len(m.NozzlesMM))]
		topo := mesh.TopologyOf(c.m)
		s, err := section.NewStack(context.Background(), c.m, topo, toolpath.LayeringOf(&r, &m), 1, nil)
		require.NoError(t, err)
		q := QuickOf(s, &r, &m, loaded)
		p, err := toolpath.Slice(context.Background(), c.m, topo, 1, r, toolpath.Options{Machine: &m}, nil)
		require.NoError(t, err)
		full := FullOf(p, r, &m, loaded)
		nozzles[name], grams[name], lines[name] = len(full.Nozzles), q.Grams, told(q, full)
		t.Logf("%-24s %6.0f s %+6.1f %%  %6.2f g %+6.1f %%", name, full.Seconds, 100*(q.Seconds/full.Seconds-1), full.Grams(), 100*(q.Grams/full.Grams()-1))
		assert.InEpsilon(t, full.Seconds, q.Seconds, 0.13, name)
		assert.InEpsilon(t, full.Grams(), q.Grams, 0.12, name)
		assert.InDelta(t, full.WarmUpSeconds, q.WarmUpSeconds, 1e-9, name)
	}
	assert.Equal(t, [3]int{2, 2, 1}, [3]int{nozzles["two nozzles"], nozzles["two nozzles, on the part"], nozzles["two, not worth it"]})
	assert.Greater(t, grams["on the part"], 1.02*grams["beside the part"])
	var out strings.Builder
	for _, name := range slices.Sorted(maps.Keys(lines)) {
		fmt.Fprintf(&out, "%s: %s", name, lines[name])
	}
	golden.Assert(t, out.String(), "gallery.txt")
}

// Both estimates of prints drawn by seed are as they were.
func TestDrawnEstimatesAreAsTheyWere(t *testing.T) {
	var out strings.Builder
	for seed := range uint64(200) {
		d := drawn.Of(seed)
		topo := mesh.TopologyOf(d.Mesh)
		s, err := section.NewStack(context.Background(), d.Mesh, topo, toolpath.LayeringOf(&d.Recipe, &d.Machine), 1, nil)
		require.NoError(t, err)
		q := QuickOf(s, &d.Recipe, &d.Machine, d.Loaded)
		p, err := toolpath.Slice(context.Background(), d.Mesh, topo, 1, d.Recipe, toolpath.Options{Machine: &d.Machine}, nil)
		if err != nil {
			fmt.Fprintf(&out, "%d: quick %s, %v\n", seed, drawn.Told(q), err)
			continue
		}
		fmt.Fprintf(&out, "%d: %s", seed, told(q, FullOf(p, d.Recipe, &d.Machine, d.Loaded)))
	}
	golden.Assert(t, out.String(), "drawn.txt")
}
