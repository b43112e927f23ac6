// Package repair mends meshes, step by step, each of which can be left out; what only the
// maker of a model can mend is left and told.
package repair

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"jobshelf/core/shape/mesh"
)

// Step is one kind of repair. Each can be left out.
type Step string

// The steps, in the order they are made.
const (
	Weld       Step = "weld"       // draw together vertices that nearly meet along open edges
	Flat       Step = "flat"       // drop triangles without area
	Duplicates Step = "duplicates" // drop repeated triangles
	Stitch     Step = "stitch"     // cut open edges where a neighbour's corner lies on them
	Orient     Step = "orient"     // make neighbours face the same way
	Holes      Step = "holes"      // close holes
	Turn       Step = "turn"       // turn bodies that are inside out
	Unite      Step = "unite"      // make overlapping bodies one
)

// Steps are all of them, in order.
var Steps = []Step{Weld, Flat, Duplicates, Stitch, Orient, Holes, Turn, Unite}

// Does is what each step does, in plain words.
var Does = map[Step]string{
	Weld:       "Draw corners that nearly meet together",
	Flat:       "Take out triangles without area",
	Duplicates: "Take out repeated triangles",
	Stitch:     "Sew seams whose corners do not match",
	Orient:     "Make neighbours face the same way",
	Holes:      "Close holes",
	Turn:       "Turn bodies that are inside out",
	Unite:      "Make overlapping bodies one",
}

// State is what a surface counts before or after a step.
type State struct {
	Triangles   int     `json:"triangles"`
	Vertices    int     `json:"vertices"`
	Bodies      int     `json:"bodies"`
	Boundary    int     `json:"boundary_edges"`
	NonManifold int     `json:"nonmanifold_edges"`
	Misoriented int     `json:"misoriented_edges"`
	Volume      float64 `json:"volume"` // in the cube of the mesh's unit, signed
}

// Done is a step that was made and what it changed; steps that found nothing to
// do are not listed.
type Done struct {
	Step   Step   `json:"step"`
	Count  int    `json:"count"`
	Text   string `json:"text"`
	Before State  `json:"before"`
	After  State  `json:"after"`
}

// StateOf counts.
func StateOf(m *mesh.Mesh) State {
	t := mesh.TopologyOf(m)
	used := make([]bool, len(m.Vertices))
	n := 0
	for _, tri := range m.Triangles {
		for _, v := range tri {
			if !used[v] {
				used[v] = true
				n++
			}
		}
	}
	return State{len(m.Triangles), n, t.Bodies, t.Boundary, t.NonManifold, t.Misoriented, m.Measure().Volume}
}

// weldShare is how near vertices along open edges must be to be drawn together,
// as a share of the diagonal: 0.009 mm on a part 100 mm each way, under what any
// nozzle can show.
const weldShare = 5e-5

// Do makes the steps that are asked for, in their own order, on a copy. A
// mesh with nothing to mend comes back as it is, the same pointer. The error is
// ctx's; what cannot be mended stays and shows in a new mesh.Inspect.
func Do(ctx context.Context, m *mesh.Mesh, steps []Step) (*mesh.Mesh, []Done, error) {
	tolerance := weldShare * m.Bounds().Size().Len()
	var log []Done
	for _, s := range Steps {
		if !slices.Contains(steps, s) {
			continue
		}
		if err := ctx.Err(); err != nil {
			return nil, nil, err
		}
		var after *mesh.Mesh
		var n int
		var text string
		var err error
		switch s {
		case Weld:
			after, n = weldOpen(m, tolerance)
			text = fmt.Sprintf("Drew %s onto neighbours less than %.3g away, along open edges.", some(n, "vertex", "vertices"), tolerance)
		case Flat:
			after, n = dropFlat(m)
			text = fmt.Sprintf("Took out %s without area.", some(n, "triangle", "triangles"))
		case Duplicates:
			after, n = dropDuplicates(m)
			text = fmt.Sprintf("Took out %s of those that were there twice.", some(n, "triangle", "triangles"))
		case Stitch:
			after, n = stitch(m, tolerance)
			text = fmt.Sprintf("Cut %s where a neighbour's corner lies on it.", some(n, "open edge", "open edges"))
		case Orient:
			after, n = orientFaces(m)
			text = fmt.Sprintf("Turned %s to face as the neighbours do.", some(n, "triangle", "triangles"))
		case Holes:
			after, n = closeHoles(m)
			text = fmt.Sprintf("Closed %s.", some(n, "hole", "holes"))
		case Turn:
			after, n = turnBodies(m)
			text = fmt.Sprintf("Turned %s that faced inwards.", some(n, "body", "bodies"))
		case Unite:
			after, n, err = uniteBodies(ctx, m)
			text = fmt.Sprintf("Made one body of two that overlap, %s.", some(n, "time", "times"))
		}
		if err != nil {
			return nil, nil, err
		}
		if n == 0 {
			continue
		}
		before, now := StateOf(m), StateOf(after)
		log = append(log, Done{s, n, text + went(before, now), before, now})
		m = after
	}
	if len(log) > 0 {
		m = compact(m)
	}
	return m, log, nil
}

func some(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// volumeTold is the share of its volume by which a step must change a model for it
// to be said.
const volumeTold = 1e-3

// went says what a step did to bodies and volume, which it must never do unseen.
func went(before, after State) string {
	out := ""
	if before.Bodies != after.Bodies {
		out += fmt.Sprintf(" Bodies: %d, instead of %d.", after.Bodies, before.Bodies)
	}
	// The volume of an open surface means nothing.
	if d := after.Volume - before.Volume; before.Boundary == 0 && math.Abs(d) > volumeTold*math.Abs(before.Volume) {
		if before.Volume > 0 {
			out += fmt.Sprintf(" The volume changed by %+.3g %%.", 100*d/before.Volume)
		} else {
			out += fmt.Sprintf(" The volume went from %.4g to %.4g, in the file's unit.", before.Volume, after.Volume)
		}
	}
	return out
}

// compact leaves out vertices that no triangle uses.
func compact(m *mesh.Mesh) *mesh.Mesh {
	number := make([]uint32, len(m.Vertices))
	out := &mesh.Mesh{Triangles: make([][3]uint32, len(m.Triangles))}
	for i, t := range m.Triangles {
		for k, v := range t {
			if number[v] == 0 {
				out.Vertices = append(out.Vertices, m.Vertices[v])
				number[v] = uint32(len(out.Vertices))
			}
			out.Triangles[i][k] = number[v] - 1
		}
	}
	return out
}

// grid files points by cells for looking up neighbours.
type grid struct {
	cell float64
	at   map[[3]int64][]uint32
}

func newGrid(cell float64) *grid { return &grid{max(cell, 1e-300), map[[3]int64][]uint32{}} }

func (g *grid) key(v mesh.Vec3) [3]int64 {
	return [3]int64{int64(math.Floor(v.X / g.cell)), int64(math.Floor(v.Y / g.cell)), int64(math.Floor(v.Z / g.cell))}
}

func (g *grid) add(v mesh.Vec3, n uint32) { k := g.key(v); g.at[k] = append(g.at[k], n) }

// near calls f for all points in the cells around v.
func (g *grid) near(v mesh.Vec3, f func(uint32)) {
	c := g.key(v)
	for dx := int64(-1); dx <= 1; dx++ {
		for dy := int64(-1); dy <= 1; dy++ {
			for dz := int64(-1); dz <= 1; dz++ {
				for _, n := range g.at[[3]int64{c[0] + dx, c[1] + dy, c[2] + dz}] {
					f(n)
				}
			}
		}
	}
}

// openVertices lists the vertices of open edges, each once, in order.
func openVertices(t *mesh.Topology) []uint32 {
	var out []uint32
	for _, f := range t.Faults {
		if f.Kind == mesh.OpenEdge {
			out = append(out, f.A, f.B)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// weldOpen draws vertices of open edges onto the first one within reach, so that
// gaps close; the rest of the surface stays as it is. Triangles that lose a
// corner by it go.
func weldOpen(m *mesh.Mesh, reach float64) (*mesh.Mesh, int) {
	open := openVertices(mesh.TopologyOf(m))
	if len(open) == 0 || reach <= 0 {
		return m, 0
	}
	to := make([]uint32, len(m.Vertices))
	for i := range to {
		to[i] = uint32(i)
	}
	g := newGrid(reach)
	n := 0
	for _, v := range open {
		best, bestD := v, math.Inf(1)
		g.near(m.Vertices[v], func(o uint32) {
			if d := m.Vertices[o].Sub(m.Vertices[v]).Len(); d <= reach && d < bestD {
				best, bestD = o, d
			}
		})
		if best == v {
			g.add(m.Vertices[v], v)
			continue
		}
		to[v] = best
		n++
	}
	if n == 0 {
		return m, 0
	}
	out := &mesh.Mesh{Vertices: m.Vertices, Triangles: make([][3]uint32, 0, len(m.Triangles))}
	for _, t := range m.Triangles {
		w := [3]uint32{to[t[0]], to[t[1]], to[t[2]]}
		lost := w[0] == w[1] || w[1] == w[2] || w[2] == w[0]
		had := t[0] == t[1] || t[1] == t[2] || t[2] == t[0]
		if !lost || had {
			out.Triangles = append(out.Triangles, w)
		}
	}
	return out, n
}

// dropFlat takes out triangles without area. One with three corners in a line
// closes a seam between its neighbours: its longest edge is turned so that the
// neighbour across takes its place, and the surface stays closed.
func dropFlat(m *mesh.Mesh) (*mesh.Mesh, int) {
	count := 0
	work := m
	for range 12 {
		flat := 0
		for _, t := range work.Triangles {
			if mesh.FlatTriangle(work, t) {
				flat++
			}
		}
		if flat == 0 {
			break
		}
		if work == m {
			work = &mesh.Mesh{Vertices: m.Vertices, Triangles: slices.Clone(m.Triangles)}
			count = flat
		}
		work.Triangles = flipFlat(work)
	}
	kept := slices.DeleteFunc(slices.Clone(work.Triangles), func(t [3]uint32) bool { return mesh.FlatTriangle(work, t) })
	if count == 0 {
		return m, 0
	}
	return &mesh.Mesh{Vertices: m.Vertices, Triangles: kept}, count
}

func flipFlat(m *mesh.Mesh) [][3]uint32 {
	topo := mesh.TopologyOf(m)
	touched := make([]bool, len(m.Triangles))
	gone := make([]bool, len(m.Triangles))
	for i := range m.Triangles {
		t := m.Triangles[i]
		if touched[i] || !mesh.FlatTriangle(m, t) {
			continue
		}
		if t[0] == t[1] || t[1] == t[2] || t[2] == t[0] {
			gone[i] = true
			continue
		}
		longest, side := -1.0, 0
		for k := range 3 {
			if l := m.Vertices[t[(k+1)%3]].Sub(m.Vertices[t[k]]).Len(); l > longest {
				longest, side = l, k
			}
		}
		p, q, b := t[side], t[(side+1)%3], t[(side+2)%3]
		mate := topo.Mate[3*i+side]
		if mate < 0 {
			gone[i] = true
			continue
		}
		o := mate / 3
		if touched[o] || gone[o] {
			continue
		}
		u := m.Triangles[o]
		from, d := u[mate%3], u[(mate+2)%3]
		touched[i], touched[o] = true, true
		if d == b { // back to back with its twin
			gone[i], gone[o] = true, true
			continue
		}
		if from == p { // the neighbour is turned: keep its sense
			m.Triangles[o], m.Triangles[i] = [3]uint32{p, b, d}, [3]uint32{b, q, d}
			continue
		}
		m.Triangles[i], m.Triangles[o] = [3]uint32{b, p, d}, [3]uint32{d, q, b}
	}
	var out [][3]uint32
	for i, t := range m.Triangles {
		if !gone[i] {
			out = append(out, t)
		}
	}
	return out
}

// dropDuplicates leaves of triangles with the same corners one, if the surface
// needs it: where an odd number of other faces meet them along their edges.
// Where an even number do they are a flap of no thickness and all go.
func dropDuplicates(m *mesh.Mesh) (*mesh.Mesh, int) {
	_, duplicate := mesh.FaultyTriangles(m)
	if len(duplicate) == 0 {
		return m, 0
	}
	faces := map[[2]uint32]int{}
	edge := func(a, b uint32) [2]uint32 { return [2]uint32{min(a, b), max(a, b)} }
	groups := map[[3]uint32][]int32{}
	twin := map[[3]uint32]bool{}
	for _, i := range duplicate {
		twin[mesh.Sorted3(m.Triangles[i])] = true
	}
	for i, t := range m.Triangles {
		k := mesh.Sorted3(t)
		if twin[k] {
			groups[k] = append(groups[k], int32(i))
			continue
		}
		for k := range 3 {
			faces[edge(t[k], t[(k+1)%3])]++
		}
	}
	gone := map[int32]bool{}
	for k, same := range groups {
		odd := faces[edge(k[0], k[1])]%2 + faces[edge(k[1], k[2])]%2 + faces[edge(k[0], k[2])]%2
		keep := 0
		if odd >= 2 {
			keep = 1
		}
		for _, i := range same[keep:] {
			gone[i] = true
		}
	}
	out := &mesh.Mesh{Vertices: m.Vertices}
	for i, t := range m.Triangles {
		if !gone[int32(i)] {
			out.Triangles = append(out.Triangles, t)
		}
	}
	return out, len(gone)
}

// stitchLimit is beyond how many open vertices stitching is left: such a surface
// is a soup, and looking for neighbours would take too long.
const stitchLimit = 200_000

// stitch cuts open edges at vertices of other open edges that lie on them, so
// that the two sides of a seam have the same corners.
func stitch(m *mesh.Mesh, reach float64) (*mesh.Mesh, int) {
	topo := mesh.TopologyOf(m)
	open := openVertices(topo)
	if len(open) == 0 || len(open) > stitchLimit {
		return m, 0
	}
	slices.SortFunc(open, func(a, b uint32) int { return cmp.Compare(m.Vertices[a].X, m.Vertices[b].X) })
	xs := make([]float64, len(open))
	for i, v := range open {
		xs[i] = m.Vertices[v].X
	}
	cuts := map[int32][]uint32{} // by half-edge
	n := 0
	for _, f := range topo.Faults {
		if f.Kind != mesh.OpenEdge {
			continue
		}
		a, b := mesh.Ends(m, f.Side)
		pa, pb := m.Vertices[a], m.Vertices[b]
		dir := pb.Sub(pa)
		long := dir.Len()
		if long == 0 {
			continue
		}
		var on []uint32
		lo, _ := slices.BinarySearch(xs, min(pa.X, pb.X)-reach)
		for i := lo; i < len(open) && xs[i] <= max(pa.X, pb.X)+reach; i++ {
			v := open[i]
			if v == a || v == b {
				continue
			}
			w := m.Vertices[v].Sub(pa)
			s := w.Dot(dir) / long
			if s > reach && s < long-reach && w.Sub(dir.Scale(s/long)).Len() <= reach {
				on = append(on, v)
			}
		}
		if len(on) > 0 {
			slices.SortFunc(on, func(u, v uint32) int {
				return cmp.Compare(m.Vertices[u].Sub(pa).Dot(dir), m.Vertices[v].Sub(pa).Dot(dir))
			})
			cuts[f.Side] = on
			n++
		}
	}
	if n == 0 {
		return m, 0
	}
	out := &mesh.Mesh{Vertices: m.Vertices}
	for i, t := range m.Triangles {
		var ring []uint32
		for k := range 3 {
			ring = append(ring, t[k])
			ring = append(ring, cuts[int32(3*i+k)]...)
		}
		if len(ring) == 3 {
			out.Triangles = append(out.Triangles, t)
			continue
		}
		pts := make([]mesh.Vec3, len(ring))
		for k, v := range ring {
			pts[k] = m.Vertices[v]
		}
		for _, x := range mesh.TriangulateLoop(pts) {
			out.Triangles = append(out.Triangles, [3]uint32{ring[x[0]], ring[x[1]], ring[x[2]]})
		}
	}
	return out, n
}

// orientFaces walks over each body and turns the fewer of its two kinds of
// triangles. On a surface with one side only (a Möbius band) some stay turned.
func orientFaces(m *mesh.Mesh) (*mesh.Mesh, int) {
	topo := mesh.TopologyOf(m)
	if topo.Misoriented == 0 {
		return m, 0
	}
	turned := make([]int8, len(m.Triangles)) // 0 not seen, 1 as it is, 2 turned
	flip := make([]bool, len(m.Triangles))
	n := 0
	var body []int32
	for i := range m.Triangles {
		if turned[i] != 0 || topo.Body[i] < 0 {
			continue
		}
		body = append(body[:0], int32(i))
		turned[i] = 1
		bad := 0
		for k := 0; k < len(body); k++ {
			t := body[k]
			for s := range int32(3) {
				mate := topo.Mate[3*t+s]
				if mate < 0 || turned[mate/3] != 0 {
					continue
				}
				a, _ := mesh.Ends(m, 3*t+s)
				b, _ := mesh.Ends(m, mate)
				turned[mate/3] = turned[t]
				if a == b { // both run the edge the same way
					turned[mate/3] = 3 - turned[t]
				}
				if turned[mate/3] == 2 {
					bad++
				}
				body = append(body, mate/3)
			}
		}
		which := int8(2)
		if 2*bad > len(body) {
			which, bad = 1, len(body)-bad
		}
		n += bad
		for _, t := range body {
			flip[t] = turned[t] == which
		}
	}
	if n == 0 {
		return m, 0
	}
	return flipped(m, func(i int) bool { return flip[i] }), n
}

func flipped(m *mesh.Mesh, which func(int) bool) *mesh.Mesh {
	out := &mesh.Mesh{Vertices: m.Vertices, Triangles: slices.Clone(m.Triangles)}
	for i, t := range out.Triangles {
		if which(i) {
			out.Triangles[i] = [3]uint32{t[0], t[2], t[1]}
		}
	}
	return out
}

// holeLimit is the longest rim that is closed; a longer one is no hole but an
// open shell, and the time to close it grows with its square.
const holeLimit = 4000

// closeHoles closes every rim that is a loop.
func closeHoles(m *mesh.Mesh) (*mesh.Mesh, int) {
	topo := mesh.TopologyOf(m)
	if topo.Boundary == 0 {
		return m, 0
	}
	out := &mesh.Mesh{Vertices: m.Vertices, Triangles: slices.Clone(m.Triangles)}
	n := 0
	for _, l := range mesh.Rims(m, topo) {
		if l.Loose || len(l.Vertices) < 3 || len(l.Vertices) > holeLimit {
			continue
		}
		pts := make([]mesh.Vec3, len(l.Vertices))
		for i, v := range l.Vertices {
			pts[i] = m.Vertices[v]
		}
		for _, t := range mesh.TriangulateLoop(pts) {
			out.Triangles = append(out.Triangles, [3]uint32{l.Vertices[t[0]], l.Vertices[t[1]], l.Vertices[t[2]]})
		}
		n++
	}
	if n == 0 {
		return m, 0
	}
	return out, n
}

// turnBodies turns closed bodies that face inwards and are no cavities.
func turnBodies(m *mesh.Mesh) (*mesh.Mesh, int) {
	r := mesh.NestingOf(m)
	n := 0
	for _, b := range r.Bodies {
		if b.InsideOut {
			n++
		}
	}
	if n == 0 {
		return m, 0
	}
	return flipped(m, func(i int) bool { b := r.Topology.Body[i]; return b >= 0 && r.Bodies[b].InsideOut }), n
}

// Left says in words what is wrong, most serious first; nothing for a sound
// surface.
func Left(r *mesh.Report) []string {
	out := []string{}
	say := func(n int, one, many string) {
		if n > 0 {
			out = append(out, some(n, one, many))
		}
	}
	turned := 0
	for _, b := range r.Bodies {
		if b.InsideOut {
			turned++
		}
	}
	say(r.Topology.Boundary, "open edge", "open edges")
	say(r.Topology.NonManifold, "edge with more than two faces", "edges with more than two faces")
	say(r.Topology.Misoriented, "edge whose faces look opposite ways", "edges whose faces look opposite ways")
	say(turned, "body inside out", "bodies inside out")
	say(r.Crossings.Count, "pair of triangles that cross", "pairs of triangles that cross")
	say(len(r.Overlaps), "pair of bodies that overlap", "pairs of bodies that overlap")
	say(len(r.Degenerate), "triangle without area", "triangles without area")
	say(len(r.Duplicate), "repeated triangle", "repeated triangles")
	return out
}
