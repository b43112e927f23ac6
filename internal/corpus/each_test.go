package corpus

import (
	"context"
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/units"
	"jobshelf/internal/demo"
)

// Each check of a surface, a part and how it stands finds what it is for on a part of others, as that is, or is after
// one thing was done to it or to the machine; and does not before.
func TestEachCheckOnAPartOfOthers(t *testing.T) {
	of, err := ofPackages()
	require.NoError(t, err)
	part := func(name string) *mesh.Mesh {
		k := slices.IndexFunc(of, func(p Part) bool { return p.Name == name })
		require.GreaterOrEqual(t, k, 0, name)
		return of[k].Mesh
	}
	type set struct {
		m    *mesh.Mesh
		on   verdict.Choice
		unit units.Length
		asIs bool
	}
	drop := func(n int) func(*set) {
		return func(s *set) {
			s.m = &mesh.Mesh{Vertices: s.m.Vertices, Triangles: append(slices.Clone(s.m.Triangles[:n]), s.m.Triangles[n+1:]...)}
		}
	}
	turn := func(all bool) func(*set) {
		return func(s *set) {
			s.m = &mesh.Mesh{Vertices: s.m.Vertices, Triangles: slices.Clone(s.m.Triangles)}
			for i := range s.m.Triangles[:map[bool]int{true: len(s.m.Triangles), false: 1}[all]] {
				t := &s.m.Triangles[i]
				t[1], t[2] = t[2], t[1]
			}
		}
	}
	beside := func(scale float64, by func(size mesh.Vec3) mesh.Vec3) func(*set) {
		return func(s *set) {
			m := s.m.Transformed(1, mesh.Vec3{})
			m.Append(s.m.Transformed(scale, by(s.m.Bounds().Size())))
			s.m = m
		}
	}
	sized := func(by float64) func(*set) { return func(s *set) { s.m = s.m.Transformed(by, mesh.Vec3{}) } }
	flat := func(s *set) { // as a sheet of it would be
		s.m = s.m.Transformed(1, mesh.Vec3{})
		for i := range s.m.Vertices {
			s.m.Vertices[i].Z *= 0.05
		}
	}
	for _, c := range []struct {
		check, part string
		does        func(*set) // nil: as it is
	}{
		{"open surface", "eight-faces", drop(0)},
		{"shared edges", "eight-faces", func(s *set) { // a fin of one triangle on an edge of it
			t := s.m.Triangles[0]
			tip := s.m.Vertices[t[0]].Add(s.m.Vertices[t[0]].Sub(s.m.Vertices[t[2]]))
			s.m = &mesh.Mesh{Vertices: append(slices.Clone(s.m.Vertices), tip), Triangles: append(slices.Clone(s.m.Triangles), [3]uint32{t[0], t[1], uint32(len(s.m.Vertices))})}
		}},
		{"turned faces", "twelve-faces", turn(false)},
		{"inside out", "star", turn(true)},
		{"triangles without area", "goblet", nil},
		{"repeated triangles", "twelve-faces", func(s *set) {
			s.m = &mesh.Mesh{Vertices: s.m.Vertices, Triangles: append(slices.Clone(s.m.Triangles), s.m.Triangles[0])}
		}},
		{"crosses itself", "tube-granny", nil},
		{"overlapping bodies", "twenty-faces", beside(1, func(size mesh.Vec3) mesh.Vec3 { return mesh.Vec3{X: size.X / 2, Y: size.Y / 3} })},
		{"crumbs", "twenty-faces", beside(0.01, func(size mesh.Vec3) mesh.Vec3 { return mesh.Vec3{X: 2 * size.X} })},
		{"unit", "ball", func(s *set) { s.m, s.unit = s.m.Transformed(0.001, mesh.Vec3{}), "" }},
		{"fit", "twelve-faces", sized(7)},
		{"long and flat", "star", flat},
		{"too thin", "four-faces", nil},
		{"thin wall", "frame", func(s *set) { m := *s.on.Machine; m.LeastMM, s.on.Machine = 8, &m }},
		{"narrow gap", "tube-braid-4a", nil},
		{"faster than it melts", "holed-block", func(s *set) { m := *s.on.Machine; m.MeltsMM3PerS, s.on.Machine = 2, &m }},
		{"sharp corners", "rabbit", nil},
		{"weak neck", "goblet", nil},
		{"overhangs", "rabbit", nil},
		{"long bridge", "frame", func(s *set) { s.asIs = true; r := *s.on.Recipe; r.Support, s.on.Recipe = recipe.SupportOff, &r }},
		{"thin on support", "tube-granny", nil},
		{"begins in mid-air", "wave-block", nil},
		{"tips over", "ball", nil},
		{"little on the plate", "knot-2-3", nil},
		{"pulls up", "star", func(s *set) {
			s.m, s.asIs = s.m.Transformed(3.5, mesh.Vec3{}), true
			r, to := *s.on.Recipe, *s.on.Loaded[0]
			r.Adhesion, to.ShrinkPercent = recipe.AdhesionNone, 0.8
			s.on.Recipe, s.on.Loaded = &r, append(s.on.Loaded[:0:0], &to)
		}},
	} {
		t.Run(c.check, func(t *testing.T) {
			t.Parallel()
			found := func(do func(*set)) map[string]finding.Finding {
				s := set{m: part(c.part), on: demo.Choices(recipe.Everyday)[0], unit: units.Millimetre}
				if do != nil {
					do(&s)
				}
				v, err := verdict.Judge(context.Background(), verdict.Subject{Mesh: s.m, Unit: s.unit, AsIs: s.asIs}, []verdict.Choice{s.on}, nil)
				require.NoError(t, err)
				out := map[string]finding.Finding{}
				for _, f := range v.Findings {
					out[f.Check] = f
				}
				return out
			}
			told := found(c.does)
			assert.Contains(t, told, c.check, "%v", slices.Collect(maps.Keys(told)))
			if c.does != nil {
				assert.NotContains(t, found(nil), c.check)
			}
		})
	}
}
