// Package thickness measures how thick a body is through its surface: along a ray from a face straight into it, to
// where it comes out again. It knows nothing of layers, so it sees what lies flat, too.
package thickness

import (
	"cmp"
	"context"
	"math"
	"slices"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/par"
)

// Thin is a place that is thinner than was asked for.
type Thin struct {
	AtMM    [3]float64 // in the middle of what is thin
	MM      float64
	AreaMM2 float64 // of the surface that was asked about there
}

const (
	rays      = 20_000 // over the whole surface, and as many as there are faces besides
	mostFaces = 60_000 // of more, every so manieth is asked
	leastMM   = 1e-4   // a ray does not meet the face that it comes from
	// opposite is the cosine past which a ray comes out of a wall, and not of the flank of a corner: a wedge is as thin
	// as one likes at its edge.
	opposite = 0.7
)

// Under finds where a closed mesh of mm, whose faces look out, is thinner than a limit: the thinnest first. How much of
// the surface is thin is the sum of their areas. The error is ctx's.
func Under(ctx context.Context, m *mesh.Mesh, limitMM float64) ([]Thin, error) {
	tree := mesh.NewTree(m)
	total := 0.0
	for _, t := range m.Triangles {
		total += area(m, t)
	}
	every := 1 + len(m.Triangles)/mostFaces
	found := make([][]Thin, (len(m.Triangles)+every-1)/every)
	err := par.Each(ctx, len(found), func() struct{} { return struct{}{} }, func(_ struct{}, i int) {
		k := i * every
		t := m.Triangles[k]
		own := area(m, t)
		if own == 0 {
			return
		}
		a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
		in := b.Sub(a).Cross(c.Sub(a))
		in = in.Scale(-1 / in.Len())
		side := max(1, int(math.Sqrt(rays*own/total))) // a triangle is cut into side² like it
		share := own * float64(every) / float64(side*side)
		for u := range side {
			for v := range 2*(side-u) - 1 {
				x, y := (float64(u)+1./3)/float64(side), (float64(v/2)+1./3)/float64(side)
				if v%2 == 1 { // the one that stands on its head
					x, y = (float64(u)+2./3)/float64(side), (float64(v/2)+2./3)/float64(side)
				}
				from := a.Add(b.Sub(a).Scale(x)).Add(c.Sub(a).Scale(y))
				d, hit := tree.First(from, in, leastMM, limitMM)
				if hit < 0 || out(m, m.Triangles[hit]).Dot(in) < opposite {
					continue
				}
				mid := from.Add(in.Scale(d / 2))
				found[i] = append(found[i], Thin{[3]float64{mid.X, mid.Y, mid.Z}, d, share})
			}
		}
	}, nil)
	all := slices.Concat(found...)
	slices.SortStableFunc(all, func(a, b Thin) int { return cmp.Compare(a.MM, b.MM) })
	return all, err
}

func area(m *mesh.Mesh, t [3]uint32) float64 {
	a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
	return b.Sub(a).Cross(c.Sub(a)).Len() / 2
}

// out is the direction out of a face.
func out(m *mesh.Mesh, t [3]uint32) mesh.Vec3 {
	a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
	n := b.Sub(a).Cross(c.Sub(a))
	return n.Scale(1 / n.Len())
}
