package toolpath

import (
	"fmt"
	"hash/fnv"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/print/drawn"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
)

// picture draws a layer in mm, lines as wide as they are laid, seams as dots.
func picture(l *Layer) string {
	box := struct{ x0, y0, x1, y1 int64 }{1 << 60, 1 << 60, -1 << 60, -1 << 60}
	for i := range l.Lines {
		for _, q := range l.Lines[i].Points {
			box.x0, box.y0, box.x1, box.y1 = min(box.x0, q.X), min(box.y0, q.Y), max(box.x1, q.X), max(box.y1, q.Y)
		}
	}
	mm := func(um int64) float64 { return float64(um) / 1000 }
	path := func(p polygon.Path, closed bool) string {
		var b strings.Builder
		for i, q := range p {
			fmt.Fprintf(&b, "%c%.2f %.2f", "ML"[min(i, 1)], mm(q.X), -mm(q.Y))
		}
		if closed {
			b.WriteByte('Z')
		}
		return b.String()
	}
	var b strings.Builder
	w, h := mm(box.x1-box.x0)+2, mm(box.y1-box.y0)+2
	fmt.Fprintf(&b, "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"%.2f %.2f %.2f %.2f\" width=\"%.0f\" height=\"%.0f\" fill=\"none\" stroke-linejoin=\"round\" stroke-linecap=\"round\">\n",
		mm(box.x0)-1, -mm(box.y1)-1, w, h, w*10, h*10)
	colours := [kinds]string{"#1b4965", "#62a8c9", "#b5838d", "#c9a227", "#d1495b", "#7a8450", "#9a8c98", "#4f5d75"}
	for i := range l.Lines {
		n := &l.Lines[i]
		if len(n.Points) == 0 {
			continue
		}
		fmt.Fprintf(&b, "<path stroke=\"%s\" stroke-width=\"%.3f\" d=\"%s\"/>\n", colours[n.Kind], n.WidthMM*0.86, path(n.Points, n.Closed))
		if n.Closed {
			fmt.Fprintf(&b, "<circle cx=\"%.2f\" cy=\"%.2f\" r=\"0.12\" fill=\"#000\"/>\n", mm(n.Points[0].X), -mm(n.Points[0].Y))
		}
	}
	for _, p := range l.Outlines {
		fmt.Fprintf(&b, "<path stroke=\"#000\" stroke-width=\"0.04\" d=\"%s\"/>\n", path(p, true))
	}
	return b.String() + "</svg>\n"
}

// held has support under everything.
func held(r *recipe.Recipe) {
	r.Support, r.SupportDeg, r.SupportPercent, r.SupportHorizontalGapMM, r.SupportInterface = recipe.SupportEverywhere, 50, 15, new(0.5), new(2)
}

// Layers of seven demo parts, as they were when somebody last looked at them and
// found them good: horns that rest on support, a grid in narrow places, a first
// layer with its brim, two islands beside support, a bridge, gyroid infill, rings
// of support of a second nozzle beside their purge tower.
func TestLayersLookAsTheyDid(t *testing.T) {
	for _, c := range []struct {
		part   string
		atMM   float64
		change func(*recipe.Recipe)
	}{
		{"mooring-cleat", 22.4, held},
		{"net-needle", 1, nil},
		{"sheave", 0.2, func(r *recipe.Recipe) { r.Adhesion, r.BrimMM = recipe.AdhesionBrim, 3 }},
		{"mast-finial", 110, held},
		{"lamp-bracket", 23.2, func(r *recipe.Recipe) { r.Pattern = recipe.PatternHoneycomb }},
		{"bollard", 28, func(r *recipe.Recipe) { held(r); r.Pattern = recipe.PatternGyroid }},
		{"sheave second-nozzle", 6, func(r *recipe.Recipe) { held(r); r.SupportNozzle, r.SupportPattern = 2, recipe.SupportGrid }},
	} {
		var part *solid.Part
		for _, p := range solid.Parts() {
			if p.Name == strings.Fields(c.part)[0] {
				part = &p
			}
		}
		require.NotNil(t, part, c.part)
		p := sliced(t, part.Mesh, drawn.Plain(c.change))
		var at *Layer
		for i := range p.Layers {
			if p.Layers[i].TopMM >= c.atMM-1e-6 {
				at = &p.Layers[i]
				break
			}
		}
		require.NotNil(t, at, "%s has no layer at %g mm", c.part, c.atMM)
		got, file := picture(at), filepath.Join("testdata", "layers", strings.ReplaceAll(c.part, " ", "-")+".svg")
		if golden.FlagUpdate() {
			require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
			require.NoError(t, os.WriteFile(file, []byte(got), 0o644))
		}
		want, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.True(t, string(want) == got, "%s looks otherwise: go test ./core/print/toolpath -run Look -update, then look at %s", c.part, file)
	}
}

// Whole prints by many settings are as they were: every line, notes and overhangs. Other tests
// say what is right; this one says that nothing moved.
func TestFiguresAreAsTheyWere(t *testing.T) {
	named := map[string]*mesh.Mesh{}
	for _, p := range solid.Parts() {
		named[p.Name] = p.Mesh
	}
	named["tips"] = solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 30, Y: 0}, {X: 30, Y: 8}, {X: 42, Y: 8.3}, {X: 30, Y: 8.6}, {X: 30, Y: 14}, {X: 12, Y: 14}, {X: 4, Y: 40}, {X: 0, Y: 14}},
		[][]solid.P{{{X: 10, Y: 4}, {X: 10, Y: 9}, {X: 20, Y: 9}, {X: 20, Y: 4}}}, 3.1)
	mobile := solid.Box(30, 20, 1) // with a peg and a fin that are too thin, and what begins in mid-air
	mobile.Append(solid.Box(0.25, 0.25, 6).Transformed(1, mesh.Vec3{X: 3, Y: 3, Z: 1}))
	mobile.Append(solid.Box(8, 0.14, 4).Transformed(1, mesh.Vec3{X: 12, Y: 3, Z: 1}))
	for k := range 4 {
		mobile.Append(solid.Box(0.8+float64(3*k), 1.2+float64(k), 0.5+float64(k)).Transformed(1, mesh.Vec3{X: float64(7 * k), Y: 10, Z: 6 + float64(k)}))
	}
	mobile.Append(solid.Box(14, 5, 2).Transformed(1, mesh.Vec3{X: 28, Y: 2, Z: 5}))
	mobile.Append(solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 12, Y: 0.12}, {X: 12, Y: 0.24}, {X: 0, Y: 0.36}}, nil, 2).Transformed(1, mesh.Vec3{X: 8, Y: 17, Z: 1}))
	mobile.Append(solid.Extrude([]solid.P{{X: 0, Y: 0}, {X: 0.4, Y: 0}, {X: 0.2, Y: 0.3}}, nil, 2).Transformed(1, mesh.Vec3{X: 3, Y: 17, Z: 1}))
	named["mobile"] = mobile
	var out strings.Builder
	for _, c := range []struct {
		part   string
		change func(*recipe.Recipe)
		marks  []SupportMark
	}{
		{"sheave", func(r *recipe.Recipe) { held(r); r.Adhesion = recipe.AdhesionRaft; r.Seam = recipe.SeamInLine }, nil},
		{"mooring-cleat", func(r *recipe.Recipe) {
			held(r)
			r.Support, r.Pattern, r.Seam = recipe.SupportPlateOnly, recipe.PatternGyroid, recipe.SeamBack
		}, nil},
		{"mooring-cleat", func(r *recipe.Recipe) {
			r.Support, r.InfillPercent, r.Adhesion, r.BrimMM = recipe.SupportOff, 100, recipe.AdhesionBrim, 4
		}, nil},
		{"bollard", func(r *recipe.Recipe) { held(r); r.SupportNozzle, r.SupportPattern = 2, recipe.SupportGrid }, nil},
		{"lamp-bracket", func(r *recipe.Recipe) {
			held(r)
			r.Support, r.Pattern = recipe.SupportFirstLayer, recipe.PatternHoneycomb
		}, nil},
		{"crossed-band", func(r *recipe.Recipe) { r.Shells, r.LineMM, r.LayerMM = 1, 0.5, 0.28 }, nil},
		{"mobile", func(r *recipe.Recipe) { held(r); r.OuterMMPerS2, r.InfillMMPerS2, r.TravelMMPerS2 = 700, 1300, 1900 }, nil},
		{"mobile", func(r *recipe.Recipe) { held(r); r.Support = recipe.SupportPlateOnly }, nil},
		{"tiller-joint", func(r *recipe.Recipe) { held(r); r.SupportPercent, r.Shells, r.Adhesion = 30, 3, recipe.AdhesionSkirt }, nil},
		{"deck-vent-ring", func(r *recipe.Recipe) {
			held(r)
			r.SupportNozzle, r.PieceNozzle, r.TopLayers, r.BottomLayers = 1, 2, 5, 1
		}, nil},
		{"mast-finial", func(r *recipe.Recipe) {
			held(r)
			r.SupportVerticalGapMM, r.SupportHorizontalGapMM, r.LayerMM = new(0.0), new(0.0), 0.28
		}, nil},
		{"bait-box", func(r *recipe.Recipe) { held(r); r.PauseMM, r.Pattern = []float64{3, 8}, recipe.PatternGrid }, nil},
		{"net-needle", func(r *recipe.Recipe) { r.Adhesion, r.Seam, r.InfillPercent = recipe.AdhesionRaft, recipe.SeamBack, 0 }, nil},
		{"mast-finial", func(r *recipe.Recipe) {
			held(r)
			r.SupportHorizontalGapMM, r.RetractMM, r.LiftMM, r.RetractMMPerS, r.InfillPercent = new(1.6), 1.2, 0.4, 40, 1
		}, nil},
		{"two-fenders", func(r *recipe.Recipe) {
			held(r)
			r.SupportVerticalGapMM, r.SupportHorizontalGapMM, r.SupportDeg = new(0.9), new(0.2), 30
			r.RetractMM, r.RetractMMPerS, r.InfillPercent = 2, 40, 3
		}, nil},
		{"tips", func(r *recipe.Recipe) { r.InfillPercent = 30; r.Support = recipe.SupportOff }, []SupportMark{{Paths: []polygon.Path{{{X: 0, Y: 0}, {X: 9000, Y: 0}, {X: 9000, Y: 9000}, {X: 0, Y: 9000}}}, ToMM: 2, Force: true}}},
	} {
		m, ok := named[c.part]
		require.True(t, ok, c.part)
		tell(&out, c.part, sliced(t, m, drawn.Plain(c.change), c.marks...))
	}
	golden.Assert(t, out.String(), "figures.txt")
}

// tell writes a print down: how much of what there is, and a sum over every line of it.
func tell(out *strings.Builder, name string, p *Print) {
	lines := fnv.New32()
	for _, l := range p.Layers {
		fmt.Fprintf(lines, "%.4f %.4f %v\n", l.TopMM, l.HeightMM, l.Outlines)
		for _, x := range l.Lines {
			fmt.Fprintf(lines, "%d %d %v %.4f %v\n", x.Kind, x.Nozzle, x.Closed, x.WidthMM, x.Points)
		}
	}
	fmt.Fprintf(lines, "%.6g %q", p.RaftMM, p.Notes)
	for _, g := range p.Overhangs {
		fmt.Fprintf(lines, "%.5g %.5g %.4g %v %s\n", g.Min, g.Max, g.AreaMM2, g.Carried, g.Why)
	}
	fmt.Fprintf(out, "%s: %d layers, %d notes, %d regions, lines %08x\n", name, len(p.Layers), len(p.Notes), len(p.Overhangs), lines.Sum32())
}

// Prints drawn by seed are as they were, line by line: one hash each.
func TestDrawnPrintsAreAsTheyWere(t *testing.T) {
	var out strings.Builder
	for seed := range uint64(240) {
		d := drawn.Of(seed)
		var marks []SupportMark
		if seed%4 == 1 {
			marks = []SupportMark{{Paths: []polygon.Path{{{X: 51000, Y: 40000}, {X: 64000, Y: 40000}, {X: 64000, Y: 62000}, {X: 51000, Y: 62000}}}, FromMM: 1, ToMM: 6, Force: seed%8 == 1}}
		}
		p, err := Slice(ctx, d.Mesh, mesh.TopologyOf(d.Mesh), 1, d.Recipe, Options{Machine: &d.Machine, SupportMarks: marks}, nil)
		if err != nil {
			fmt.Fprintf(&out, "%d: %v\n", seed, err)
			continue
		}
		tell(&out, fmt.Sprint(seed), p)
	}
	golden.Assert(t, out.String(), "drawn.txt")
}
