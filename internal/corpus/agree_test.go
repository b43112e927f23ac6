package corpus

import (
	"context"
	"fmt"
	"math"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/units"
	"jobshelf/internal/demo"
)

// sliced is what a slice shows of a part, read from its lines and its notes.
type sliced struct {
	thin, rounded, roundedMM float64 // height over which something was not laid, and corners are short, mm
	leansMM2                 float64
	islands                  int
	bridgeMM                 float64
}

// read reads it: islands by a raster of the lines alone.
func read(p *toolpath.Print) (s sliced) {
	for _, n := range p.Notes {
		var mm, least, mm2 float64
		if k, _ := fmt.Sscanf(n, "Too thin to be laid (less than %f mm): %f mm of height and up to %f", &least, &mm, &mm2); k == 3 {
			s.thin += mm
		}
		var deg, over float64
		if k, _ := fmt.Sscanf(n, "Corners sharper than %f° are rounded off over %f mm", &deg, &over); k == 2 {
			s.rounded = over
			_, after, _ := strings.Cut(n, "lines end up to ")
			_, _ = fmt.Sscanf(after, "%f", &s.roundedMM)
		}
	}
	for _, o := range p.Overhangs {
		s.leansMM2 += o.AreaMM2
	}
	type cell struct{ x, y int }
	const side = 0.3
	var below map[cell]bool
	for i := range p.Layers {
		l := &p.Layers[i]
		here := map[cell]bool{}
		for k := range l.Lines {
			x := &l.Lines[k]
			if x.Kind == toolpath.Adhesion || x.Kind == toolpath.Support {
				continue
			}
			if x.Kind == toolpath.Bridge {
				for k := 1; k < len(x.Points); k++ {
					s.bridgeMM = max(s.bridgeMM, math.Hypot(float64(x.Points[k].X-x.Points[k-1].X), float64(x.Points[k].Y-x.Points[k-1].Y))/1000)
				}
			}
			along(x.Points, x.Closed, side, func(px, py, _ float64) {
				half := int(math.Ceil(x.WidthMM / 2 / side))
				for dx := -half; dx <= half; dx++ {
					for dy := -half; dy <= half; dy++ {
						here[cell{int(math.Floor(px/side)) + dx, int(math.Floor(py/side)) + dy}] = true
					}
				}
			})
		}
		if i > 0 && l.TopMM-l.HeightMM > 0.5 {
			seen := map[cell]bool{}
			for c := range here {
				if seen[c] {
					continue
				}
				held, n, todo := false, 0, []cell{c}
				seen[c] = true
				for len(todo) > 0 {
					at := todo[len(todo)-1]
					todo = todo[:len(todo)-1]
					n++
					for dx := -1; dx <= 1; dx++ {
						for dy := -1; dy <= 1; dy++ {
							next := cell{at.x + dx, at.y + dy}
							held = held || below[next]
							if here[next] && !seen[next] {
								seen[next] = true
								todo = append(todo, next)
							}
						}
					}
				}
				if !held {
					s.islands++
				}
			}
		}
		below = here
	}
	return s
}

// What the check says will be lost, hang or be bridged is what the slice shows, over the demo's parts and those of
// others, without support; by turns one of thirty-two, all where JOBSHELF_ALL is set. What differs is in the table, and is
// what it was.
func TestFindingsAgreeWithTheSlice(t *testing.T) {
	of, err := ofPackages()
	require.NoError(t, err)
	all := slices.DeleteFunc(slices.Clone(own()), func(p Part) bool { // the demo's, and two on which nothing was fitted
		return p.Name[len(p.Name)-2] == '-' && p.Name != "branch-9" && p.Name != "lattice-9"
	})
	all = append(all, of...)
	choice := demo.Choices(recipe.Everyday)[0]
	r := *choice.Recipe
	r.Support = recipe.SupportOff
	choice.Recipe = &r
	lines, differ := make([]string, len(all)), make([]int, len(all))
	every := 32
	if os.Getenv("JOBSHELF_ALL") != "" {
		every = 1
	}
	require.NoError(t, par.Each(t.Context(), len(all), func() struct{} { return struct{}{} }, func(_ struct{}, i int) {
		if i%every != 0 {
			return
		}
		m := all[i].Mesh
		v, err := verdict.Judge(context.Background(), verdict.Subject{Mesh: m, Unit: units.Millimetre}, []verdict.Choice{choice}, nil)
		assert.NoError(t, err)
		p, err := slicing.One(context.Background(), slicing.Order{Pieces: []slicing.Piece{{Mesh: m, MMPerUnit: 1, Stand: v.Stands()}}, Machine: choice.Machine, Recipe: r, Loaded: choice.Loaded}, nil)
		assert.NoError(t, err)
		said := map[string]float64{}
		for _, f := range v.Findings {
			said[f.Check] = f.Value
		}
		s := read(p.Print)
		for _, c := range []struct {
			check      string
			value      float64
			shows, not bool // by the slice, and that it does not; neither where it is too near to call
		}{
			{"too thin", said["too thin"], s.thin > 0.5, s.thin == 0 && said["too thin"] > 1},
			{"sharp corners", said["sharp corners"], s.rounded > 2, s.rounded == 0},
			{"overhangs", said["overhangs"], s.leansMM2 > 50, s.leansMM2 < 5},
			{"begins in mid-air", said["begins in mid-air"], s.islands > 0, s.islands == 0},
			{"long bridge", said["long bridge"], s.bridgeMM > 12, s.bridgeMM < 8},
		} {
			mark := ""
			if c.value > 0 && c.not || c.value == 0 && c.shows {
				mark = " differs"
				differ[i]++
			}
			if c.value > 0 || c.shows {
				lines[i] += fmt.Sprintf("%s: %s, said %.2g, shown %t%s\n", all[i].Name, c.check, c.value, c.shows, mark)
			}
		}
		if lines[i] == "" {
			lines[i] = all[i].Name + ": nothing, neither said nor shown\n"
		}
	}, nil))
	const page = "testdata/agreement.txt"
	if every == 1 {
		require.NoError(t, os.WriteFile(page, []byte(strings.Join(lines, "")), 0o600))
		n := 0
		for _, d := range differ {
			n += d
		}
		t.Logf("%d parts, 5 checks: %d differ", len(all), n)
	}
	was, err := os.ReadFile(page)
	require.NoError(t, err)
	for i := range lines {
		assert.Contains(t, string(was), lines[i])
	}
	assert.LessOrEqual(t, strings.Count(string(was), " differs"), len(all)*5/20, "19 of 20 agree")
}
