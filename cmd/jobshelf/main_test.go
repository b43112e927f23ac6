package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/shapetest"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/internal/demo"
)

// call runs a subcommand as from the shell.
func call(t *testing.T, args ...string) (code int, out, errOut string) {
	t.Helper()
	var o, e bytes.Buffer
	code = run(context.Background(), args, &o, &e)
	return code, o.String(), e.String()
}

// demoParts writes the demo's parts into a directory once and gives it.
func demoParts(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	code, _, errOut := call(t, "parts", dir)
	require.Zero(t, code, errOut)
	return dir
}

func TestCheckTellsByItsExitCode(t *testing.T) {
	dir := demoParts(t)
	part := func(name string) string { return filepath.Join(dir, name+".stl") }
	broken := filepath.Join(dir, "broken.stl")
	require.NoError(t, os.WriteFile(broken, []byte("solid x\nfacet\n"), 0o600))
	for _, c := range []struct {
		name string
		args []string
		code int
	}{
		{"sound part", []string{part("oarlock-bushing")}, 0},
		{"open part", []string{part("cleat-with-hole")}, 1},
		{"too large everywhere", []string{part("deck-vent-ring"), "--machine", "Fairlead", "--json"}, 0},
		{"unreadable", []string{broken}, 2},
		{"one of two unreadable", []string{part("oarlock-bushing"), broken}, 2},
		{"not there", []string{filepath.Join(dir, "nothing.stl")}, 2},
		{"no such machine", []string{part("sheave"), "--machine", "Anchor"}, 2},
		{"no file", nil, 2},
		{"said what it is for", []string{part("sheave"), "--for", "warm=80,outdoors,bends,load,fits,colour=pink"}, 0},
		{"for nothing known", []string{part("sheave"), "--for", "sport"}, 2},
		{"too warm for anything", []string{part("sheave"), "--for", "warm=301"}, 2},
	} {
		t.Run(c.name, func(t *testing.T) {
			code, out, errOut := call(t, append([]string{"check"}, c.args...)...)
			assert.Equal(t, c.code, code, "%s%s", out, errOut)
			assert.NotEmpty(t, out+errOut)
		})
	}
}

// What a part is for is held against what would be loaded, each by itself.
func TestCheckHoldsWhatItIsFor(t *testing.T) {
	sheave := filepath.Join(demoParts(t), "sheave.stl")
	for said, want := range map[string][]string{
		"": {}, "warm=54": {}, "warm=55": {"gets warm"}, "outdoors, bends": {"outdoors", "flexible"}, "load": {"sparse inside"}, "fits": {}, "colour=Harbour blue": {}, "colour=tar": {"other colour"},
	} {
		code, out, errOut := call(t, "check", sheave, "--json", "--for", said)
		require.Zero(t, code, errOut)
		var v struct{ Findings []struct{ Check string } }
		require.NoError(t, json.Unmarshal([]byte(out), &v))
		got := []string{}
		for _, f := range v.Findings {
			if f.Check != "overhangs" { // of the part itself
				got = append(got, f.Check)
			}
		}
		assert.Equal(t, want, got, said)
	}
}

// The members that docs/check-json.md promises, with the bushing's own sizes.
func TestCheckJSON(t *testing.T) {
	dir := demoParts(t)
	code, out, _ := call(t, "check", filepath.Join(dir, "oarlock-bushing.stl"), "--json", "--recipe", "working part")
	require.Zero(t, code)
	var got map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	for _, k := range []string{"file", "format", "unit", "triangles", "vertices", "bodies", "closed", "oriented", "boundary_edges",
		"nonmanifold_edges", "volume_mm3", "area_mm2", "bbox_mm", "centroid_mm", "findings", "machines", "body_count", "misoriented_edges",
		"degenerate", "duplicate_triangles", "self_crossing", "crossing_pairs"} {
		assert.Contains(t, got, k)
	}
	assert.Equal(t, true, got["closed"])
	machines := got["machines"].([]any)
	require.Len(t, machines, 5)
	first := machines[0].(map[string]any)
	assert.Equal(t, "Bowline", first["name"])
	assert.Len(t, first["over_mm"], 3)
	quick := first["quick"].(map[string]any)
	for _, k := range []string{"seconds", "grams", "filament_mm", "price_cents", "layers"} {
		assert.Positive(t, quick[k], k)
	}
	assert.NotContains(t, machines[4], "quick", "Lantern is not in service")
}

// The ruler is cut where it was drawn, in the order asked for.
func TestSectionsInTheFilesOwnCoordinates(t *testing.T) {
	dir := demoParts(t)
	code, out, _ := call(t, "sections", filepath.Join(dir, "chart-ruler.stl"), "--at", "1.5,0.5", "--json")
	require.Zero(t, code)
	var planes []struct {
		Z     float64 `json:"z_mm"`
		Area  float64 `json:"area_mm2"`
		Loops int     `json:"loops"`
	}
	require.NoError(t, json.Unmarshal([]byte(out), &planes))
	require.Len(t, planes, 2)
	assert.Equal(t, 1.5, planes[0].Z, "in the order asked for")
	assert.Equal(t, 0.5, planes[1].Z)
	assert.Positive(t, planes[1].Area)
	code, _, errOut := call(t, "sections", filepath.Join(dir, "chart-ruler.stl"), "--layer", "0")
	assert.Equal(t, 2, code)
	assert.Contains(t, errOut, "layer height")
}

func TestTheAPIIsDescribed(t *testing.T) {
	code, out, _ := call(t, "openapi")
	require.Zero(t, code)
	var d struct{ Paths map[string]any }
	require.NoError(t, json.Unmarshal([]byte(out), &d))
	assert.Greater(t, len(d.Paths), 80)
	code, _, _ = call(t, "openapi", "more")
	assert.Equal(t, 2, code)
}

// repair closes the cleat's hole; what is written reads as sound.
func TestRepairWritesAMendedFile(t *testing.T) {
	dir := demoParts(t)
	for _, name := range []string{"out.stl", "out.3mf"} {
		to := filepath.Join(dir, name)
		code, out, errOut := call(t, "repair", filepath.Join(dir, "cleat-with-hole.stl"), "-o", to, "--json")
		require.Zero(t, code, "%s%s", out, errOut)
		var got mended
		require.NoError(t, json.Unmarshal([]byte(out), &got))
		require.Len(t, got.Models, 1)
		assert.True(t, got.Models[0].Sound)
		assert.Positive(t, got.Models[0].Before.Boundary)
		assert.Zero(t, got.Models[0].After.Boundary)
		code, out, _ = call(t, "check", to)
		assert.Zero(t, code, out)
	}
	code, out, _ := call(t, "repair", filepath.Join(dir, "cleat-with-hole.stl"), "-o", filepath.Join(dir, "x.stl"), "--steps", "weld,turn")
	assert.Equal(t, 1, code, "holes were left out")
	assert.Contains(t, out, "left: ")
	code, _, errOut := call(t, "repair", filepath.Join(dir, "sheave.stl"), "-o", filepath.Join(dir, "x.stl"), "--steps", "polish")
	assert.Equal(t, 2, code)
	assert.Contains(t, errOut, "polish")
}

// Every part of the demo house and a scan, on every filament machine, by its recipes
// in turn (by all of them with JOBSHELF_ALL=1, three times as long): it is sliced, what
// is laid is within the machine, and anything noted is in the words below; or it is told
// not to fit. The quick estimate is held against the full one besides, save for the parts
// that are open or inside out.
func TestEveryPartOnEveryMachine(t *testing.T) {
	if testing.Short() {
		t.Skip("takes seconds")
	}
	ctx := context.Background()
	rabbit, err := shapetest.Rabbit()
	require.NoError(t, err)
	parts := append(solid.Parts(), solid.Part{Name: "rabbit", Mesh: rabbit.Transformed(80/rabbit.Bounds().Size().Len(), mesh.Vec3{}), Unit: units.Millimetre})
	explained := regexp.MustCompile(`^(\d+ rounds of the bed adhesion would leave the plate and are left out|\d+ outlines ran into an open edge and were closed by a straight line|Support is laid by the part's nozzle: it is \d+\.\d\d cm³, and changing the nozzle for it would purge \d+\.\d cm³|There is no room beside the part for the purge tower; support is laid by the part's nozzle|Too thin to be laid \(less than 0\.\d\d mm\)(: \d+\.\d\d mm of height and up to \d+\.\d\d mm² from \d+\.\d\d mm up, at X -?\d+\.\d, Y -?\d+\.\d| at \d+ other places?, 0\.\d\d\d mm³ together)|Corners sharper than 60° are rounded off over \d+\.\d\d mm of height, up to \d+ in a layer: lines end up to [01]\.\d\d mm short of them, the most at X -?\d+\.\d, Y -?\d+\.\d|\d+ small places that hang are not listed)\.$`)
	type row struct {
		name string
		off  float64
	}
	var times, masses []row
	reason := regexp.MustCompile(`^(Support stands under it: it|Left out: .*) .+\.$`)
	sliced, refused, changed := 0, 0, 0
	for n, p := range parts {
		for turn, purpose := range []recipe.Purpose{recipe.QuickLook, recipe.Everyday, recipe.WorkingPart} {
			choices := demo.Choices(purpose)
			for i := range choices { // each machine by one of them, another for the next part
				if os.Getenv("JOBSHELF_ALL") == "" && (n+i)%3 != turn {
					choices[i].Recipe = nil
				}
			}
			v, err := verdict.Judge(ctx, verdict.Subject{Mesh: p.Mesh, Unit: p.Unit, AsIs: true}, choices, nil)
			require.NoError(t, err)
			for i, c := range choices {
				if c.Recipe == nil || c.Machine.Process != machine.MaterialExtrusion {
					continue
				}
				name := fmt.Sprintf("%s, %s", p.Name, c.Recipe.Name)
				mm := 1.0
				if p.Unit != "" {
					mm = p.Unit.MM()
				}
				made, err := slicing.One(ctx, slicing.Order{Pieces: []slicing.Piece{{Mesh: p.Mesh, MMPerUnit: mm}}, Machine: c.Machine, Recipe: *c.Recipe, Loaded: c.Loaded}, nil)
				if err != nil {
					refused++
					assert.ErrorContains(t, err, "It does not fit", name)
					assert.False(t, v.Machines[i].Fits, name)
					continue
				}
				sliced++
				full := made.Full
				for _, n := range made.Print.Notes {
					assert.Regexp(t, explained, n, name)
				}
				for _, x := range made.Overhangs {
					assert.Regexp(t, reason, x.Why, name)
				}
				if c.Recipe.SupportNozzle == 2 && full.GramsSupport > 0 && !slices.ContainsFunc(made.Print.Notes, func(n string) bool { return strings.Contains(n, "part's nozzle") }) {
					changed++
					assert.Positive(t, full.Changes, name)
					assert.Len(t, full.Nozzles, 2, name)
				}
				low, high := [2]float64{}, [2]float64{c.Machine.Volume.XMM, c.Machine.Volume.YMM}
				if c.Machine.Volume.Shape == machine.Round {
					r := c.Machine.Volume.XMM / 2
					low, high = [2]float64{-r, -r}, [2]float64{r, r}
				}
				for k := range 2 {
					assert.GreaterOrEqual(t, full.Box[0][k], low[k], name)
					assert.LessOrEqual(t, full.Box[1][k], high[k], name)
				}
				if q := v.Machines[i].Quick; q != nil && !slices.Contains([]string{"cleat-with-hole", "bushing-inside-out"}, p.Name) {
					times = append(times, row{fmt.Sprintf("%s: %.0f s quick, %.0f s full", name, q.Seconds, full.Seconds), q.Seconds/full.Seconds - 1})
					masses = append(masses, row{fmt.Sprintf("%s: %.2f g quick, %.2f g full (support %.2f, purge %.2f, %d changes)", name, q.Grams, full.Grams(), full.GramsSupport, full.GramsPurge, full.Changes), q.Grams/full.Grams() - 1})
				}
			}
		}
	}
	t.Logf("%d sliced, %d told not to fit", sliced, refused)
	assert.Greater(t, sliced, 5*refused)
	assert.Greater(t, changed, 3, "with two nozzles")
	for what, rows := range map[string][]row{"time": times, "mass": masses} {
		slices.SortFunc(rows, func(a, b row) int { return cmp.Compare(math.Abs(b.off), math.Abs(a.off)) })
		t.Logf("%s: %d cases, median %.1f %%, worst %.2f %%", what, len(rows), 100*math.Abs(rows[len(rows)/2].off), 100*rows[0].off)
		for _, r := range rows[:min(12, len(rows))] {
			t.Logf("  %+.1f %% %s", 100*r.off, r.name)
		}
		assert.Less(t, math.Abs(rows[len(rows)/2].off), 0.03, what)
		assert.Less(t, math.Abs(rows[0].off), 0.15, what)
	}
}

// orient lays the cleat on its flank, where it needs no support, and says so; the turn that it tells
// does that to the file's corners. What is wrong on the command line is told.
func TestOrientTellsWhichWayUp(t *testing.T) {
	dir := demoParts(t)
	cleat := filepath.Join(dir, "mooring-cleat.stl")
	code, out, errOut := call(t, "orient", cleat, "--machine", "Bowline", "--load", "0,0,2", "--json")
	require.Zero(t, code, errOut)
	var got oriented
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	require.Greater(t, len(got.Candidates), 1)
	first := got.Candidates[0]
	assert.True(t, first.Best)
	assert.Contains(t, first.Reason, "no support, 18.0 mm high")
	assert.Zero(t, first.SupportMM3)
	assert.InDelta(t, 0, *first.AlongLoad, 1e-6, "its load is along the layers")
	assert.True(t, slices.ContainsFunc(got.Candidates, func(w orientedWay) bool { return w.Quaternion == orient.AsItCame }))
	f, _, err := readFile(t.Context(), cleat)
	require.NoError(t, err)
	m := orient.Turned(f.Joined(), first.Quaternion)
	assert.InDelta(t, 18, m.Bounds().Max.Z, 1e-3)
	large := giant(t, dir)
	code, _, errOut = call(t, "orient", large, "--machine", "Fairlead")
	assert.Equal(t, 1, code)
	assert.Contains(t, errOut, "too large for Fairlead in all of them")
	for _, args := range [][]string{{"orient"}, {"orient", cleat, "--load", "0,0,0"}, {"orient", cleat, "--load", "1,2"}, {"orient", cleat, "--load", "NaN,0,1"}, {"orient", filepath.Join(dir, "none.stl")}} {
		code, _, errOut := call(t, args...)
		assert.Equal(t, 2, code, args)
		assert.NotEmpty(t, errOut)
	}
}

// plate lays every copy once, apart and on the plate, and writes what it tells; what is too large is
// left out, with the reason, and the others lie.
func TestPlateLaysEveryCopy(t *testing.T) {
	dir := demoParts(t)
	to := filepath.Join(dir, "plates")
	large := giant(t, dir)
	bushing, cleat := filepath.Join(dir, "oarlock-bushing.stl"), filepath.Join(dir, "mooring-cleat.stl")
	code, out, errOut := call(t, "plate", bushing+":21", cleat+":2", large, "--machine", "Halyard", "--spacing", "8", "-o", to, "--json")
	require.Equal(t, 1, code, errOut)
	var got plated
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	require.Len(t, got.LeftOut, 1)
	assert.Equal(t, large, got.LeftOut[0].File)
	assert.Contains(t, got.LeftOut[0].Why, "too large for Halyard")
	seen := map[string]bool{}
	for _, p := range got.Plates {
		for i, a := range p.Placements {
			assert.False(t, seen[fmt.Sprint(a.File, a.Copy)])
			seen[fmt.Sprint(a.File, a.Copy)] = true
			for _, q := range a.OutlineMM {
				assert.LessOrEqual(t, math.Hypot(q[0], q[1]), 100.01, "on the round plate")
				for _, b := range p.Placements[:i] {
					for _, r := range b.OutlineMM {
						assert.Greater(t, math.Hypot(q[0]-r[0], q[1]-r[1]), 7.99, "corners are apart")
					}
				}
			}
		}
		f, _, err := readFile(t.Context(), p.Standing)
		require.NoError(t, err)
		n := 0
		for _, m := range f.Models {
			n += m.Copies()
		}
		assert.Equal(t, len(p.Placements), n)
		code, out, _ := call(t, "check", p.Program, "--machine", "Halyard")
		assert.Zero(t, code, out)
	}
	assert.Len(t, seen, 23)
	assert.Greater(t, len(got.Plates), 1)
	assert.Greater(t, got.Grams, 100.0)
	for _, args := range [][]string{{bushing + ":0"}, {bushing + ":10000"}, {bushing, "--spacing", "-1"}, {bushing, "--seed", "x"}, {bushing, "--budget", "0"}, {bushing, "--orientation", "up"}} {
		code, _, _ := call(t, append([]string{"plate", "--machine", "Halyard", "-o", to}, args...)...)
		assert.Equal(t, 2, code, args)
	}
}

// giant is a box that no machine takes, in a file.
func giant(t *testing.T, dir string) string {
	var b bytes.Buffer
	require.NoError(t, modelfile.WriteSTL(&b, solid.Box(400, 400, 400), ""))
	name := filepath.Join(dir, "giant.stl")
	require.NoError(t, os.WriteFile(name, b.Bytes(), 0o600))
	return name
}
