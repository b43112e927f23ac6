package bench

import (
	"fmt"
	"runtime"
	"slices"
	"testing"
	"time"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/internal/demo"
)

// finer halves the sides of a mesh's triangles until it has about n.
func finer(m *mesh.Mesh, n int) *mesh.Mesh {
	for 2*len(m.Triangles) < n {
		fine := &mesh.Mesh{Vertices: slices.Clone(m.Vertices)}
		middles := map[[2]uint32]uint32{}
		middle := func(p, q uint32) uint32 {
			key := [2]uint32{min(p, q), max(p, q)}
			if _, ok := middles[key]; !ok {
				middles[key] = uint32(len(fine.Vertices))
				fine.Vertices = append(fine.Vertices, m.Vertices[p].Add(m.Vertices[q]).Scale(0.5))
			}
			return middles[key]
		}
		for _, t := range m.Triangles {
			p, q, r := middle(t[0], t[1]), middle(t[1], t[2]), middle(t[2], t[0])
			fine.Triangles = append(fine.Triangles, [3]uint32{t[0], p, r}, [3]uint32{p, t[1], q}, [3]uint32{r, q, t[2]}, [3]uint32{p, q, r})
		}
		m = fine
	}
	return m
}

// All checks of a part, by the house's recipes for every machine: as it stands, and turned as it prints best. Some
// house asks for walls of 1 mm and lays no support on one machine, so that none is left out.
func BenchmarkFindings(b *testing.B) {
	choices := slices.DeleteFunc(demo.Choices(recipe.Everyday), func(c verdict.Choice) bool { return c.Recipe == nil })
	for i := range choices {
		m, r := *choices[i].Machine, *choices[i].Recipe
		m.LeastMM = 1
		if i == 0 {
			r.Support = recipe.SupportOff
		}
		choices[i].Machine, choices[i].Recipe = &m, &r
	}
	limited := par.With(ctx, par.NewBudget(runtime.GOMAXPROCS(0)))
	for _, n := range sizes[:2] {
		m := pebble(n)
		for _, asIs := range []bool{true, false} {
			b.Run(fmt.Sprintf("%dk, as it came %t", n/1000, asIs), func(b *testing.B) {
				in := verdict.Subject{Mesh: m, Unit: units.Millimetre, AsIs: asIs}
				found := 0
				for b.Loop() {
					v, err := verdict.Judge(limited, in, choices, nil)
					if err != nil {
						b.Fatal(err)
					}
					found = len(v.Findings)
				}
				b.ReportMetric(float64(found), "findings")
				perTriangle(b, n)
			})
		}
	}
}

// The ladder of ten parts of about 100 000 triangles on five extrusion machines: how long until the
// first rows are there, those of the orientation that is proposed, and until all are. Cuts and
// estimates are counted: as many as there are orientations, layerings and machines.
func BenchmarkLadder(b *testing.B) {
	parts := map[string]*mesh.Mesh{"pebble": pebble(100_000), "rugged": rugged(b)}
	for _, p := range solid.Parts() {
		if p.Fault == "" && len(parts) < 10 {
			parts[p.Name] = finer(p.Mesh, 100_000)
		}
	}
	choices := slices.DeleteFunc(demo.Choices(recipe.Everyday), func(c verdict.Choice) bool { return c.Recipe == nil })
	fifth, thin := *choices[0].Machine, *choices[0].Recipe
	fifth.Name, thin.LayerMM = "Fifth", 0.15
	choices = append(choices, verdict.Choice{Machine: &fifth, Recipe: &thin, Loaded: choices[0].Loaded})
	limited := par.With(ctx, par.NewBudget(runtime.GOMAXPROCS(0)))
	for name, m := range parts {
		b.Run(name, func(b *testing.B) {
			var first, all time.Duration
			rows, ways := 0, 0
			for b.Loop() {
				begin := time.Now()
				v, err := verdict.Judge(limited, verdict.Subject{Mesh: m, Unit: units.Millimetre}, choices, nil)
				if err != nil {
					b.Fatal(err)
				}
				first += time.Since(begin)
				var turns []orient.Quat
				for _, w := range v.Orientation.Ways {
					if !(orient.Stand{Turn: w.Turn}).Like(v.Stands()) {
						turns = append(turns, w.Turn)
					}
				}
				rows, ways = len(v.Machines), 1+len(turns)
				err = verdict.TrialOf(m, v.Stands()).Each(limited, turns, 0, func(int) []verdict.Choice { return choices }, func(_ int, r []verdict.MachineVerdict) error {
					rows += len(r)
					return nil
				})
				if err != nil {
					b.Fatal(err)
				}
				all += time.Since(begin)
			}
			b.ReportMetric(first.Seconds()/float64(b.N), "first-s")
			b.ReportMetric(all.Seconds()/float64(b.N), "all-s")
			b.ReportMetric(float64(rows), "rows")
			b.ReportMetric(float64(ways), "orientations")
			b.ReportMetric(float64(len(m.Triangles)), "triangles")
		})
	}
}
