package corpus

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/internal/demo"
)

// The parts are made and read once.
var (
	ofPackages = sync.OnceValues(func() ([]Part, error) { return OfPackages(context.Background()) })
	// Of those that were fitted on, made by code, a quarter; JOBSHELF_ALL makes all.
	own = sync.OnceValue(func() []Part {
		return OwnWhere(func(name string, g Group) bool {
			return os.Getenv("JOBSHELF_ALL") != "" || g == HeldOut || name[len(name)-1]%4 == 0
		})
	})
)

// The list is what it says: closed surfaces that face out, names that are one part's, of
// each group enough; parts of packages stay out of what is fitted on.
func TestTheListOfParts(t *testing.T) {
	of, err := ofPackages()
	require.NoError(t, err)
	names, groups, made := map[string]bool{}, map[Group]int{}, 0
	for _, p := range slices.Concat(own(), of) {
		assert.False(t, names[p.Name], p.Name)
		names[p.Name] = true
		groups[p.Group]++
		if p.Mesh == nil {
			continue // not made this time
		}
		made++
		topo := mesh.TopologyOf(p.Mesh)
		assert.True(t, topo.Closed() || p.Name == "rabbit" || p.Name == "rabbit-on-its-back" || p.Name == "rabbit-rough", "%s is open", p.Name)
		assert.Positive(t, p.Mesh.Measure().Volume, p.Name)
	}
	assert.Greater(t, made, 60)
	assert.Equal(t, len(of), groups[Package])
	assert.GreaterOrEqual(t, len(of), 30)
	assert.GreaterOrEqual(t, groups[Fitted], 40)
	assert.GreaterOrEqual(t, groups[HeldOut], 18)
}

// On some of the parts that nothing was fitted on: every line of support and every bridge
// stands on something, every layer of the part and all of its outline is laid or told, as
// many layers as were promised; and the quick estimate is near the toolpath's figures, as
// it was when it was fitted (cmd/fit and `make bench` have all of them).
func TestPrintsOfTheListStandAndAreEstimated(t *testing.T) {
	of, err := ofPackages()
	require.NoError(t, err)
	var parts []Part
	for _, p := range slices.Concat(own(), of) {
		if p.Group != Fitted {
			parts = append(parts, p)
		}
	}
	cases, err := Cases(context.Background(), parts, 23, nil)
	require.NoError(t, err)
	require.Greater(t, len(cases), 30)
	rich := 0
	var ground Ground
	var seconds, grams []float64
	for _, c := range cases {
		s, g := c.Off(&estimate.Fitted)
		seconds, grams = append(seconds, s), append(grams, g)
		if c.SupportShare() > 0.1 {
			rich++
		}
		assert.Empty(t, c.Doubts())
		ground.SupportMM, ground.AirMM = ground.SupportMM+c.Ground.SupportMM, ground.AirMM+c.Ground.AirMM
	}
	assert.Less(t, ground.AirMM, 0.0005*ground.SupportMM)
	assert.Greater(t, 3*rich, len(cases), "with support")
	t.Logf("%d cases, %d with much support: time %s; mass %s", len(cases), rich, SpreadOf(seconds), SpreadOf(grams))
	assert.Less(t, SpreadOf(seconds).Median, 0.035)
	assert.Less(t, SpreadOf(grams).Median, 0.025)
	assert.Less(t, SpreadOf(seconds).Of95, 0.16)
	assert.Less(t, SpreadOf(grams).Of95, 0.12)
}

// Support stands on something by other recipes too, sparse and as a grid: of the demo's parts
// each at one of them, by turns, and of overhangs over a slope at all.
func TestSparseSupportAndGridsStand(t *testing.T) {
	slope := solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 40, Y: 0}, {X: 0, Y: 25}}, nil, 20) // laid on its side: a wedge
	for i, v := range slope.Vertices {
		slope.Vertices[i] = mesh.Vec3{X: v.X, Y: -v.Z, Z: v.Y}
	}
	slope.Append(solid.Box(8, 20, 3).Transformed(1, mesh.Vec3{X: 20, Y: -20, Z: 24})) // held over the slope
	slope.Append(solid.Box(2, 20, 27).Transformed(1, mesh.Vec3{X: 0, Y: -20}))
	slope.Append(solid.Box(22, 2, 3).Transformed(1, mesh.Vec3{X: 0, Y: -2, Z: 24}))
	parts := append(slices.DeleteFunc(solid.Parts(), func(p solid.Part) bool { return p.Fault != "" || p.Unit != units.Millimetre }), solid.Part{Name: "over a slope", Mesh: slope})
	for i, p := range parts {
		for k, r := range []recipe.Recipe{{SupportPercent: 5}, {SupportPercent: 15, SupportPattern: recipe.SupportGrid}, {SupportPercent: 30, SupportNozzle: 2}} {
			if k != i%3 && p.Name != "over a slope" {
				continue
			}
			r.LayerMM, r.FirstLayerMM, r.LineMM, r.Shells, r.Support, r.Adhesion = 0.2, 0.2, 0.45, 2, recipe.SupportEverywhere, recipe.AdhesionNone
			print, err := toolpath.Slice(context.Background(), p.Mesh, mesh.TopologyOf(p.Mesh), 1, r, toolpath.Options{}, nil)
			require.NoError(t, err)
			g := GroundOf(print, r, p.Mesh.Bounds().Size().Z)
			assert.LessOrEqual(t, g.AirMM, 5+0.002*g.SupportMM, "%s, %g %%: %.0f of %.0f mm", p.Name, r.SupportPercent, g.AirMM, g.SupportMM)
		}
	}
}

// The reader of what lines stand on sees what is wrong: a stretch in the air, a bridge's
// loose end, a layer without a line, an outline left bare, a top too high.
func TestGroundSeesWhatIsWrong(t *testing.T) {
	mm := func(xy ...float64) polygon.Path {
		var p polygon.Path
		for i := 0; i < len(xy); i += 2 {
			p = append(p, polygon.Point{X: int64(1000 * xy[i]), Y: int64(1000 * xy[i+1])})
		}
		return p
	}
	square := mm(0, 0, 10, 0, 10, 10, 0, 10)
	r := recipe.Recipe{LayerMM: 0.2, FirstLayerMM: 0.2, LineMM: 0.4, Support: recipe.SupportEverywhere}.WithDefaults()
	line := func(k toolpath.Kind, closed bool, p polygon.Path) toolpath.Line {
		return toolpath.Line{Kind: k, Closed: closed, Points: p, WidthMM: 0.4}
	}
	rim := line(toolpath.Outer, true, mm(0.2, 0.2, 9.8, 0.2, 9.8, 9.8, 0.2, 9.8))
	layer := func(k int, lines ...toolpath.Line) toolpath.Layer {
		return toolpath.Layer{TopMM: 0.2 * float64(k+1), HeightMM: 0.2, Outlines: []polygon.Path{square}, Lines: lines}
	}
	sound := &toolpath.Print{Layers: []toolpath.Layer{
		layer(0, rim, line(toolpath.Support, false, mm(12, 0, 12, 30))),
		layer(1, rim, line(toolpath.Support, false, mm(12, 0, 12, 30)), line(toolpath.Bridge, false, mm(2, 5, 8, 5))),
	}}
	g := GroundOf(sound, r, 0.4)
	assert.InDelta(t, 60, g.SupportMM, 1e-6)
	// A closed line that begins between two others spans them, wherever it begins.
	rows := layer(0, line(toolpath.Support, false, mm(12, 0, 12, 30)), line(toolpath.Support, false, mm(15, 0, 15, 30)))
	over := layer(1, line(toolpath.Support, true, mm(13.5, 5, 15, 5, 15, 6, 12, 6, 12, 5)))
	assert.Zero(t, GroundOf(&toolpath.Print{Layers: []toolpath.Layer{rows, over}}, r, 0.4).AirMM)
	g.SupportMM, g.RimMM = 0, 0
	assert.InDelta(t, 0, g.HeightOffMM, 1e-9)
	g.HeightOffMM = 0
	assert.Equal(t, Ground{Bridges: 1, LayersLaid: 2, LayersMade: 2}, g)
	bad := &toolpath.Print{Layers: []toolpath.Layer{
		layer(0, rim, line(toolpath.Support, false, mm(12, 0, 12, 10))),
		layer(1, rim, line(toolpath.Support, false, mm(12, 0, 12, 30)), line(toolpath.Bridge, false, mm(2, 5, 14, 5))),
		layer(2),
		layer(3, line(toolpath.Outer, false, mm(0.2, 0.2, 9.8, 0.2))),
	}}
	g = GroundOf(bad, r, 0.7)
	assert.InDelta(t, 20, g.AirMM, 0.6)
	assert.Equal(t, 1, g.LooseBridges)
	assert.Equal(t, [2]int{3, 4}, [2]int{g.LayersLaid, g.LayersMade})
	assert.InDelta(t, 40+29, g.BareMM, 2)
	assert.InDelta(t, 0.1, g.HeightOffMM, 1e-9)
}

// What is found on 39 parts of others, which nobody tuned on: nothing stops them, nothing is to be decided but what
// crosses itself or is thinner than a line by more than its tip; the rest was looked at, and is as it was.
func TestPartsOfOthersAreNotSlandered(t *testing.T) {
	of, err := ofPackages()
	require.NoError(t, err)
	texts := make([]string, len(of))
	require.NoError(t, par.Each(t.Context(), len(of), func() struct{} { return struct{}{} }, func(_ struct{}, i int) {
		v, err := verdict.Judge(context.Background(), verdict.Subject{Mesh: of[i].Mesh, Unit: units.Millimetre}, demo.Choices(recipe.Everyday)[:1], nil)
		assert.NoError(t, err)
		s := v.Orientation.SizeMM
		texts[i] = fmt.Sprintf("%s, %.0f × %.0f × %.0f mm\n", of[i].Name, s[0], s[1], s[2])
		for _, f := range v.Findings {
			texts[i] += fmt.Sprintf("  %s, %s: %.2g of %.3g %s\n", f.Check, f.Grade, f.Value, f.Limit, f.Unit)
			assert.NotEqual(t, finding.StopsIt, f.Grade, of[i].Name)
			if f.Grade == finding.Decide {
				assert.True(t, f.Check == "crosses itself" && v.Crosses, "%s: %s", of[i].Name, f.Text)
			}
		}
	}, nil))
	golden.Assert(t, strings.Join(texts, ""), "found.txt")
}
