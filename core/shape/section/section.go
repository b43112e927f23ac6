// Package section cuts meshes with horizontal planes.
//
// Planes gives, for each height, the closed outlines of the cut, in whole
// micrometres, outer outlines counter-clockwise and holes clockwise where the
// mesh is oriented. Stack is the cut of a whole part into layers, with what the
// quick estimate and the pictures need of each.
package section

import (
	"context"
	"math"
	"slices"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
)

// Cut is the part cut by one plane.
type Cut struct {
	ZMM   float64
	Loops []polygon.Path
	// Open counts outlines that ran into an open edge of the mesh and were
	// closed by a straight line.
	Open int
}

// AreaMM2 is the enclosed area, holes taken off.
func (l *Cut) AreaMM2() float64 {
	var a float64
	for _, p := range l.Loops {
		a += p.Area()
	}
	return a
}

// PerimeterMM is the length of all outlines.
func (l *Cut) PerimeterMM() float64 {
	var s float64
	for _, p := range l.Loops {
		s += p.Length()
	}
	return s
}

// Planes cuts m at the heights zs, which must rise, and gives one layer each.
// topo is m's topology. mmPerUnit scales coordinates (1 for a mesh in mm).
//
// A vertex on a plane counts as above it. So every triangle crosses a plane at
// none or two of its edges, and walking from triangle to triangle over the
// crossed edges closes every outline of a closed mesh, whatever lies on the
// plane (the side rule of simulation of simplicity, Edelsbrunner & Mücke 1990,
// for one coordinate). Each crossing is computed from its edge's ends in the
// order of their numbers, so neighbours agree to the bit.
//
// Time is linear in triangles plus crossings: triangles are filed under the
// first layer they cross and carried while they last. The cut of a degenerate
// triangle is nothing.
func Planes(ctx context.Context, m *mesh.Mesh, topo *mesh.Topology, zs []float64, mmPerUnit float64) ([]Cut, error) {
	layers := make([]Cut, len(zs))
	for i, z := range zs {
		layers[i].ZMM = z * mmPerUnit
	}
	s := newSweep(m, topo, zs, mmPerUnit*1000)
	for k := range zs {
		if k&31 == 0 {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
		}
		s.cut(k, &layers[k])
	}
	return layers, nil
}

type sweep struct {
	m     *mesh.Mesh
	topo  *mesh.Topology
	zs    []float64
	scale float64 // µm per unit

	first  []int32 // triangles ordered by the first layer they cross
	starts []int32 // first[starts[k]:starts[k+1]] begin at layer k
	last   []int32 // by triangle: the last layer it crosses
	active []int32 // triangles crossing the present layer
	seen   []int32 // by triangle: the layer+1 in which it was walked
	path   []polygon.Point
}

// layerOf is the number of planes at or below z, found from a guess.
func layerOf(zs []float64, z float64, guess *int) int {
	k := *guess
	for k > 0 && zs[k-1] > z {
		k--
	}
	for k < len(zs) && zs[k] <= z {
		k++
	}
	*guess = k
	return k
}

func newSweep(m *mesh.Mesh, topo *mesh.Topology, zs []float64, scale float64) *sweep {
	n := len(m.Triangles)
	s := &sweep{m: m, topo: topo, zs: zs, scale: scale,
		starts: make([]int32, len(zs)+2), last: make([]int32, n), seen: make([]int32, n)}
	// above[v]: number of planes at or below vertex v.
	above := make([]int32, len(m.Vertices))
	guess := 0
	even := len(zs) > 2 && evenly(zs)
	for i, v := range m.Vertices {
		if even {
			g := (v.Z - zs[0]) / (zs[len(zs)-1] - zs[0]) * float64(len(zs)-1)
			guess = int(max(0, min(float64(len(zs)), g)))
		} else {
			guess, _ = slices.BinarySearch(zs, v.Z)
		}
		above[i] = int32(layerOf(zs, v.Z, &guess))
	}
	for i, t := range m.Triangles {
		a, b, c := above[t[0]], above[t[1]], above[t[2]]
		lo, hi := min(a, b, c), max(a, b, c)
		if lo == hi || topo.Body[i] < 0 {
			s.last[i] = -1
			continue
		}
		s.last[i] = hi - 1
		s.starts[lo+2]++
	}
	for k := 2; k < len(s.starts); k++ {
		s.starts[k] += s.starts[k-1]
	}
	s.first = make([]int32, s.starts[len(s.starts)-1])
	for i, t := range m.Triangles {
		if s.last[i] >= 0 {
			p := &s.starts[min(above[t[0]], above[t[1]], above[t[2]])+1]
			s.first[*p] = int32(i)
			*p++
		}
	}
	return s
}

// evenly says that the planes are near enough to equal distances for a vertex's
// layer to be guessed by division; layerOf corrects the guess.
func evenly(zs []float64) bool {
	step := (zs[len(zs)-1] - zs[0]) / float64(len(zs)-1)
	return step > 0 && math.Abs(zs[len(zs)/2]-zs[0]-step*float64(len(zs)/2)) < 4*step
}

func (s *sweep) cut(k int, out *Cut) {
	keep := s.active[:0]
	for _, t := range s.active {
		if s.last[t] >= int32(k) {
			keep = append(keep, t)
		}
	}
	s.active = append(keep, s.first[s.starts[k]:s.starts[k+1]]...)
	z, stamp := s.zs[k], int32(k+1)
	for _, t := range s.active {
		if s.seen[t] != stamp {
			if p, open := s.walk(t, z, stamp); len(p) > 2 {
				out.Loops = append(out.Loops, p)
				if open {
					out.Open++
				}
			}
		}
	}
}

// crossed gives the edge (0..2) of triangle t that comes down through the plane
// if down, else the one that rises through it.
func (s *sweep) crossed(t int32, z float64, down bool) int32 {
	v := s.m.Triangles[t]
	up := [3]bool{s.m.Vertices[v[0]].Z >= z, s.m.Vertices[v[1]].Z >= z, s.m.Vertices[v[2]].Z >= z}
	for k := int32(0); k < 3; k++ {
		from, to := up[k], up[(k+1)%3]
		if from != to && from == down {
			return k
		}
	}
	return 0 // not reached for a triangle that crosses z
}

// at is the place where half-edge he crosses z.
func (s *sweep) at(he int32, z float64) polygon.Point {
	t := s.m.Triangles[he/3]
	i, j := t[he%3], t[(he+1)%3]
	if he%3 == 2 {
		j = t[0]
	}
	if i > j {
		i, j = j, i
	}
	a, b := s.m.Vertices[i], s.m.Vertices[j]
	f := (z - a.Z) / (b.Z - a.Z)
	return polygon.Point{X: round((a.X + f*(b.X-a.X)) * s.scale), Y: round((a.Y + f*(b.Y-a.Y)) * s.scale)}
}

// round is to the nearest; half goes up. Values are within polygon.Limit.
func round(v float64) int64 {
	return int64(math.Floor(max(-polygon.Limit, min(polygon.Limit, v)) + 0.5))
}

// walk follows the cut from triangle t. Seen from above with the face's outside
// at the right hand, the cut leaves a triangle over the edge that rises through
// the plane; a misoriented neighbour is walked the other way round, and an
// outline takes the direction of the greater part of its steps.
func (s *sweep) walk(start int32, z float64, stamp int32) (polygon.Path, bool) {
	path := s.path[:0]
	forward, open := 0, false
	t := start
	exit := 3*t + s.crossed(t, z, false)
	for {
		s.seen[t] = stamp
		path = appendPoint(path, s.at(exit, z))
		if s.m.Vertices[s.m.Triangles[t][exit%3]].Z < z {
			forward++
		} else {
			forward--
		}
		in := s.topo.Mate[exit]
		if in < 0 {
			open = true
			break
		}
		t = in / 3
		if s.seen[t] == stamp {
			break
		}
		// Leave by the crossed edge that was not the way in.
		exit = 3*t + s.crossed(t, z, false)
		if exit == in {
			exit = 3*t + s.crossed(t, z, true)
		}
	}
	if open { // the other way from the start, to the other open end
		path = s.backwards(path, start, z, stamp)
	}
	s.path = path
	for len(path) > 1 && path[0] == path[len(path)-1] {
		path = path[:len(path)-1]
	}
	if len(path) < 3 {
		return nil, open
	}
	done := slices.Clone(path)
	if forward < 0 {
		slices.Reverse(done)
	}
	return done, open
}

func (s *sweep) backwards(path []polygon.Point, t int32, z float64, stamp int32) []polygon.Point {
	var back []polygon.Point
	exit := 3*t + s.crossed(t, z, true)
	for {
		back = appendPoint(back, s.at(exit, z))
		in := s.topo.Mate[exit]
		if in < 0 || s.seen[in/3] == stamp {
			break
		}
		t = in / 3
		s.seen[t] = stamp
		exit = 3*t + s.crossed(t, z, false)
		if exit == in {
			exit = 3*t + s.crossed(t, z, true)
		}
	}
	slices.Reverse(back)
	return append(back, path...)
}

func appendPoint(path []polygon.Point, p polygon.Point) []polygon.Point {
	if n := len(path); n > 0 && path[n-1] == p {
		return path
	}
	return append(path, p)
}
