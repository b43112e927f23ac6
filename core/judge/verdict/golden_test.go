package verdict

import (
	"encoding/json"
	"fmt"
	"hash/fnv"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/print/machine"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
)

var fraction = regexp.MustCompile(`-?\d+\.\d+(e[-+]\d+)?`)

// short is v as JSON, fractions to six figures.
func short(t *testing.T, v any) string {
	raw, err := json.Marshal(v)
	require.NoError(t, err)
	return fraction.ReplaceAllStringFunc(string(raw), func(s string) string {
		f, _ := strconv.ParseFloat(s, 64)
		return fmt.Sprintf("%.6g", f)
	})
}

// The judgement of parts, sound ones and spoiled, in several units and off the origin, is as
// it was: findings word by word, what each machine says, where the evidence lies. Other tests
// say what is right; this one says that nothing moved.
func TestJudgementsAreAsTheyWere(t *testing.T) {
	on := house()
	round, coarse := *on[0].Machine, *on[0].Machine
	round.Name, round.Volume = "Round", machine.Volume{Shape: machine.Round, XMM: 90, YMM: 90, ZMM: 40}
	coarse.Name, coarse.NozzlesMM, coarse.Volume = "Coarse", []float64{0.8, 0.4}, machine.Volume{XMM: 400, YMM: 60, ZMM: 500}
	r := *on[0].Recipe
	r.LineMM, r.LayerMM, r.FirstLayerMM, r.Support, r.SupportNozzle = 0.9, 0.4, 0.4, "everywhere", 2
	on = append(on, Choice{Machine: &round, Recipe: on[0].Recipe, Loaded: on[0].Loaded}, Choice{Machine: &coarse, Recipe: &r, Loaded: machine.Loaded{on[0].Loaded[0], {Name: "Other", DensityGPerCM: 1.1, SpoolGrams: 500, SpoolCents: 4000, NozzleMaxC: 230}}})
	var out strings.Builder
	judge := func(name string, m *mesh.Mesh, s Subject) {
		s.Mesh = m
		v, err := Judge(ctx, s, on, nil)
		require.NoError(t, err)
		h := fnv.New32()
		fmt.Fprint(h, short(t, v.Evidence), short(t, v))
		fmt.Fprintf(&out, "%s: %s %v, stops %v, all %08x\n", name, v.Unit, v.UnitStated, v.Stops(), h.Sum32())
		for _, f := range v.Findings {
			fmt.Fprintf(&out, "  %s\n", short(t, f))
		}
		for _, p := range v.Units {
			fmt.Fprintf(&out, "  %s\n", short(t, p))
		}
		for _, m := range v.Machines {
			fmt.Fprintf(&out, "  %s\n", short(t, m))
		}
	}
	for _, p := range solid.Parts() {
		judge(p.Name, p.Mesh, Subject{Name: p.Name, Format: modelfile.STLBinary})
	}
	with := func(m *mesh.Mesh, more ...*mesh.Mesh) *mesh.Mesh {
		for _, x := range more {
			m.Append(x)
		}
		return m
	}
	star := []solid.P{{X: 20, Y: 0}, {X: 3, Y: 2}, {X: -18, Y: 9}, {X: -4, Y: -1}, {X: -12, Y: -14}}
	thin := []*mesh.Mesh{solid.Box(30, 0.15, 10), with(solid.Box(10, 10, 5), solid.Box(0.1, 0.1, 14.5).Transformed(1, mesh.Vec3{X: 12})),
		with(solid.Box(10, 10, 20), solid.Box(8, 0.14, 12).Transformed(1, mesh.Vec3{X: 9.5, Y: 5, Z: 4}), solid.Cylinder(0.2, 30, 12).Transformed(1, mesh.Vec3{X: 4, Y: 4})),
		solid.Extrude(star, nil, 5), with(solid.Extrude(star, nil, 2), solid.Box(9, 9, 30).Transformed(1, mesh.Vec3{X: -4, Y: -4})),
		solid.Revolve([]solid.P{{X: 0, Y: 0}, {X: 4, Y: 0}, {X: 0.01, Y: 14}, {X: 0, Y: 14}}, 60), solid.Box(2, 0.1, 1), solid.Box(300, 20, 2), solid.Box(9000, 90, 90)}
	for i, m := range thin {
		judge(fmt.Sprint("thin or sharp ", i), m, Subject{Unit: []units.Length{units.Millimetre, ""}[i/6]})
	}
	shapes := append(solid.Small(), solid.LampBracket())
	for seed := range uint64(40) {
		s := Subject{Format: modelfile.ThreeMF, Unit: []units.Length{"", units.Millimetre, units.Inch}[seed%3], Said: []units.Length{"", "", units.Centimetre}[seed/2%3], AsIs: seed%4 > 0}
		judge(fmt.Sprint("spoiled ", seed), solid.Spoil(shapes[seed%5], 1000+seed).Transformed(1, mesh.Vec3{X: -200, Z: float64(seed)}), s)
	}
	golden.Assert(t, out.String(), "judgements.txt")
}
