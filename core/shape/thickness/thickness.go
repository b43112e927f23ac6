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
	Across  [6]float64 // from the surface to where the ray comes out
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
// the surface is thin is the sum of their areas. tree is m's. The error is ctx's.
func Under(ctx context.Context, m *mesh.Mesh, tree *mesh.Tree, limitMM float64) ([]Thin, error) {
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
				mid, to := from.Add(in.Scale(d/2)), from.Add(in.Scale(d))
				found[i] = append(found[i], Thin{[3]float64{mid.X, mid.Y, mid.Z}, [6]float64{from.X, from.Y, from.Z, to.X, to.Y, to.Z}, d, share})
			}
		}
	}, nil)
	all := slices.Concat(found...)
	slices.SortStableFunc(all, func(a, b Thin) int { return cmp.Compare(a.MM, b.MM) })
	return all, err
}

// Rod is a place of a part that is thin in two directions, and long in the third.
type Rod struct {
	Face    int
	AtMM    [3]float64 // in its middle
	Along   [6]float64 // from end to end
	ThickMM float64    // the thicker of the two
	LongMM  float64
	AreaMM2 float64 // of the face that was asked about there
}

// Rods are asked about along so many ways in the plane of a face, and so many times over all faces.
const (
	rodWays = 24
	rodAsks = 4000
)

// Rods finds which of some faces of a closed mesh of mm, that look out, are of a rod thinner than thickMM and slender
// times as long as it is thick: the longest first. tree is m's. The error is ctx's.
func Rods(ctx context.Context, m *mesh.Mesh, tree *mesh.Tree, faces []int, thickMM, slender float64) ([]Rod, error) {
	total := 0.0
	for _, k := range faces {
		total += area(m, m.Triangles[k])
	}
	every := 1 + len(faces)/rodAsks
	found := make([][]Rod, (len(faces)+every-1)/every)
	err := par.Each(ctx, len(found), func() struct{} { return struct{}{} }, func(_ struct{}, i int) {
		k := faces[i*every]
		t := m.Triangles[k]
		own := area(m, t)
		if own == 0 {
			return
		}
		a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
		in := out(m, t).Scale(-1)
		u := b.Sub(a).Scale(1 / b.Sub(a).Len())
		v := in.Cross(u)
		side := max(1, int(math.Sqrt(rodAsks*own/total)))
		for x := range side {
			for y := range side - x {
				from := a.Add(b.Sub(a).Scale((float64(x) + 1./3) / float64(side))).Add(c.Sub(a).Scale((float64(y) + 1./3) / float64(side)))
				d, hit := tree.First(from, in, leastMM, thickMM)
				if hit < 0 {
					continue
				}
				mid := from.Add(in.Scale(d / 2))
				rod := Rod{Face: k, AtMM: [3]float64{mid.X, mid.Y, mid.Z}, AreaMM2: own * float64(every) / float64(side*(side+1)/2)}
				chord := func(at mesh.Vec3, angle float64) (way mesh.Vec3, on, back float64) {
					sin, cos := math.Sincos(angle)
					way = u.Scale(cos).Add(v.Scale(sin))
					const far = 1e4 // further than any part is long
					on, _ = tree.First(at, way, leastMM, far)
					back, _ = tree.First(at, way.Scale(-1), leastMM, far)
					return way, on, back
				}
				long, along := 0.0, 0.0
				for w := range rodWays {
					angle := math.Pi * float64(w) / rodWays
					if _, on, back := chord(mid, angle); on+back > long {
						long, along = on+back, angle
					}
				}
				thick := d
				// Along it both ways, as far as it is thin: a head at its end is no rod.
				reach := func(way mesh.Vec3, most float64) float64 {
					for gone := 0.0; gone < most; gone += thickMM / 4 {
						_, on, back := chord(mid.Add(way.Scale(gone)), along+math.Pi/2)
						if on+back >= thickMM {
							return gone
						}
						thick = max(thick, on+back)
					}
					return most
				}
				way, on, back := chord(mid, along)
				on, back = reach(way, on), reach(way.Scale(-1), back)
				p, q := mid.Sub(way.Scale(back)), mid.Add(way.Scale(on))
				rod.ThickMM, rod.LongMM, rod.Along = thick, on+back, [6]float64{p.X, p.Y, p.Z, q.X, q.Y, q.Z}
				if rod.LongMM > slender*thick {
					found[i] = append(found[i], rod)
				}
			}
		}
	}, nil)
	all := slices.Concat(found...)
	slices.SortStableFunc(all, func(a, b Rod) int { return cmp.Compare(b.LongMM, a.LongMM) })
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
