package printability

import (
	"fmt"
	"math"
	"strings"

	"jobshelf/core/shape/mesh"
)

// surface collects findings about one mesh; mm scales it.
type surface struct {
	m        *mesh.Mesh
	r        *mesh.Report
	mm       float64
	findings []Finding
	evidence []Evidence
}

// Surface judges whether a mesh bounds a solid, says where it does not, and
// which repair would mend it. mm is the size of the mesh's unit.
func Surface(m *mesh.Mesh, r *mesh.Report, mm float64) ([]Finding, []Evidence) {
	s := &surface{m: m, r: r, mm: mm}
	s.open()
	s.shared()
	s.edges("turned faces", Decide, mesh.TurnedEdge, r.Topology.Misoriented, "Along %s one face looks in and its neighbour out."+mends, mesh.StepOrient)
	s.insideOut()
	s.triangles("triangles without area", r.Degenerate, have, "%s no area, which does no harm by itself.", mesh.StepFlat)
	s.triangles("repeated triangles", r.Duplicate, are, "%s there twice.", mesh.StepDuplicates)
	s.crossings()
	s.overlaps()
	s.touching()
	s.debris()
	s.volume()
	return s.findings, s.evidence
}

func (s *surface) at(v mesh.Vec3) [3]float64 {
	round := func(x float64) float64 { return math.Round(x*s.mm*1000) / 1000 }
	return [3]float64{round(v.X), round(v.Y), round(v.Z)}
}

func (s *surface) add(f Finding, e Evidence) {
	e.Check = f.Check
	s.findings = append(s.findings, f)
	if len(e.Lines)+len(e.Faces) > 0 {
		s.evidence = append(s.evidence, e)
	}
}

func (s *surface) line(e *Evidence, a, b mesh.Vec3) {
	if len(e.Lines) < maxLines {
		p, q := a.Scale(s.mm), b.Scale(s.mm)
		e.Lines = append(e.Lines, [6]float32{float32(p.X), float32(p.Y), float32(p.Z), float32(q.X), float32(q.Y), float32(q.Z)})
	}
}

func (s *surface) face(e *Evidence, t int32) {
	if len(e.Faces) >= maxFaces {
		return
	}
	var f [9]float32
	for k, v := range s.m.Triangles[t] {
		p := s.m.Vertices[v].Scale(s.mm)
		f[3*k], f[3*k+1], f[3*k+2] = float32(p.X), float32(p.Y), float32(p.Z)
	}
	e.Faces = append(e.Faces, f)
}

func (s *surface) middle(t int32) mesh.Vec3 {
	v := s.m.Triangles[t]
	return s.m.Vertices[v[0]].Add(s.m.Vertices[v[1]]).Add(s.m.Vertices[v[2]]).Scale(1. / 3)
}

// open tells of holes: how many, how long the longest rim, and each one's place.
func (s *surface) open() {
	n := s.r.Topology.Boundary
	if n == 0 {
		return
	}
	f := Finding{Check: "open surface", Grade: StopsIt, Value: float64(n), Unit: "edges",
		Mend: []mesh.Step{mesh.StepWeld, mesh.StepStitch, mesh.StepHoles}}
	var e Evidence
	for _, l := range s.r.Loops {
		var mid mesh.Vec3
		for i, v := range l.Vertices {
			s.line(&e, s.m.Vertices[v], s.m.Vertices[l.Vertices[(i+1)%len(l.Vertices)]])
			mid = mid.Add(s.m.Vertices[v])
		}
		if len(f.Places) < maxPlaces {
			f.Places = append(f.Places, s.at(mid.Scale(1/float64(len(l.Vertices)))))
		}
	}
	f.Text = fmt.Sprintf("The surface is open: %s only one face, so what is inside is a guess. Repair closes holes; look at the result, or ask for a closed model.", have(n, "edge"))
	if len(s.r.Loops) > 0 {
		l := s.r.Loops[0]
		f.Text = fmt.Sprintf("The surface has %s: %s only one face, so what is inside is a guess. The longest rim is %.3g mm around %.3g mm². Repair closes holes; look at the result, or ask for a closed model.",
			plural(len(s.r.Loops), "hole"), have(n, "edge"), l.Length*s.mm, math.Round(l.Area*s.mm*s.mm*1000)/1000)
	}
	s.add(f, e)
}

func plural(n int, what string) string {
	switch {
	case n == 1:
		return "1 " + what
	case strings.HasSuffix(what, "y"):
		return fmt.Sprintf("%d %sies", n, what[:len(what)-1])
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// have is "1 edge has" or "7 edges have".
func have(n int, what string) string {
	if n == 1 {
		return plural(n, what) + " has"
	}
	return plural(n, what) + " have"
}

// are is "1 edge is" or "7 edges are".
func are(n int, what string) string {
	if n == 1 {
		return plural(n, what) + " is"
	}
	return plural(n, what) + " are"
}

const mends = " Repair mends most of this; look at the layers before you say yes."

// shared tells of edges with more than two faces: harmless where each pair of faces
// has solid between it, as where bodies touch.
func (s *surface) shared() {
	t := s.r.Topology
	clear := true
	for _, x := range t.Faults {
		if x.Kind != mesh.SharedEdge {
			continue
		}
		mate := t.Mate[x.Side]
		clear = clear && mate >= 0 && s.m.Triangles[x.Side/3][x.Side%3] != s.m.Triangles[mate/3][mate%3]
	}
	if clear {
		s.edges("shared edges", WorthKnowing, mesh.SharedEdge, t.NonManifold, "Surfaces touch along %s. Inside and outside are clear there; it does no harm by itself.")
		return
	}
	s.edges("shared edges", Decide, mesh.SharedEdge, t.NonManifold, "Along %s more than two faces meet, so inside and outside are not clear there."+mends, mesh.StepDuplicates, mesh.StepFlat, mesh.StepHoles)
}

func (s *surface) edges(check string, grade Grade, kind mesh.EdgeKind, n int, text string, mend ...mesh.Step) {
	if n == 0 {
		return
	}
	f := Finding{Check: check, Grade: grade, Value: float64(n), Unit: "edges", Text: fmt.Sprintf(text, plural(n, "edge")), Mend: mend}
	var e Evidence
	last := mesh.Fault{}
	for _, x := range s.r.Topology.Faults {
		if x.Kind != kind || x.A == last.A && x.B == last.B {
			continue
		}
		last = x
		a, b := s.m.Vertices[x.A], s.m.Vertices[x.B]
		s.line(&e, a, b)
		if len(f.Places) < maxPlaces {
			f.Places = append(f.Places, s.at(a.Add(b).Scale(0.5)))
		}
	}
	s.add(f, e)
}

func (s *surface) triangles(check string, list []int32, count func(int, string) string, text string, mend mesh.Step) {
	if len(list) == 0 {
		return
	}
	f := Finding{Check: check, Grade: WorthKnowing, Value: float64(len(list)), Unit: "triangles", Text: fmt.Sprintf(text, count(len(list), "triangle")) + " Repair takes them out.", Mend: []mesh.Step{mend}}
	var e Evidence
	for _, t := range list {
		s.face(&e, t)
		if len(f.Places) < maxPlaces {
			f.Places = append(f.Places, s.at(s.middle(t)))
		}
	}
	s.add(f, e)
}

func faces(n int) string {
	if n == 1 {
		return "1 faces"
	}
	return fmt.Sprintf("%d face", n)
}

func (s *surface) insideOut() {
	n := 0
	var places [][3]float64
	for _, b := range s.r.Bodies {
		if b.InsideOut {
			n++
			if len(places) < maxPlaces {
				places = append(places, s.at(b.Bounds.Min.Add(b.Bounds.Max).Scale(0.5)))
			}
		}
	}
	if n == 0 {
		return
	}
	text := "Every face looks inwards. The shape is sound; turning all faces mends it."
	if len(s.r.Bodies) > 1 {
		text = fmt.Sprintf("Of %d bodies, %s inwards. Turning the faces mends it.", len(s.r.Bodies), faces(n))
	}
	s.add(Finding{Check: "inside out", Grade: Decide, Value: float64(n), Unit: "bodies", Text: text, Places: places, Mend: []mesh.Step{mesh.StepTurn}}, Evidence{})
}

// crossings tells of a surface that goes through itself, apart from bodies that
// overlap, which have a finding of their own.
func (s *surface) crossings() {
	c := &s.r.Crossings
	n := c.Count
	for _, o := range s.r.Overlaps {
		n -= o.Pairs
	}
	if n <= 0 {
		return
	}
	f := Finding{Check: "crosses itself", Grade: Decide, Value: float64(n), Unit: "pairs",
		Text: fmt.Sprintf("The surface goes through itself: %s of triangles cross. Repair cannot mend this. Look at the layers there; if they are not as meant, only its maker can.", plural(n, "pair"))}
	var e Evidence
	body := s.r.Topology.Body
	for _, p := range c.Pairs {
		if body[p[0]] != body[p[1]] {
			continue
		}
		s.face(&e, p[0])
		s.face(&e, p[1])
		if len(f.Places) < maxPlaces {
			f.Places = append(f.Places, s.at(s.meet(p[0], p[1])))
		}
	}
	s.add(f, e)
}

// meet is a place where two triangles cross: where a side of one goes through the other.
// It is worked out in floating point, for somebody to look at; where that misses, the
// middle of the smaller one stands in.
func (s *surface) meet(a, b int32) mesh.Vec3 {
	corners := func(t int32) (p [3]mesh.Vec3) {
		for k, v := range s.m.Triangles[t] {
			p[k] = s.m.Vertices[v]
		}
		return p
	}
	for _, pair := range [2][2]int32{{a, b}, {b, a}} {
		of, through := corners(pair[0]), corners(pair[1])
		n := through[1].Sub(through[0]).Cross(through[2].Sub(through[0]))
		for k, p := range of {
			q := of[(k+1)%3]
			from, to := p.Sub(through[0]).Dot(n), q.Sub(through[0]).Dot(n)
			if from == to || from > 0 == (to > 0) {
				continue
			}
			at := p.Add(q.Sub(p).Scale(from / (from - to)))
			inside := true
			for j, c := range through {
				side := through[(j+1)%3].Sub(c)
				inside = inside && side.Cross(at.Sub(c)).Dot(n) >= 0
			}
			if inside {
				return at
			}
		}
	}
	if spread(corners(b)) < spread(corners(a)) {
		a = b
	}
	return s.middle(a)
}

// spread is how long the sides of a triangle are together.
func spread(p [3]mesh.Vec3) float64 {
	return p[1].Sub(p[0]).Len() + p[2].Sub(p[1]).Len() + p[0].Sub(p[2]).Len()
}

func (s *surface) overlaps() {
	if len(s.r.Overlaps) == 0 {
		return
	}
	f := Finding{Check: "overlapping bodies", Grade: Decide, Value: float64(len(s.r.Overlaps)), Unit: "pairs",
		Text: fmt.Sprintf("%s of bodies take up the same space. The volume is counted twice there until they are made one.", plural(len(s.r.Overlaps), "pair")),
		Mend: []mesh.Step{mesh.StepUnite}}
	var e Evidence
	body := s.r.Topology.Body
	cross := map[[2]int32]mesh.Vec3{} // where two bodies' surfaces first cross
	for _, p := range s.r.Crossings.Pairs {
		x, y := min(body[p[0]], body[p[1]]), max(body[p[0]], body[p[1]])
		if x == y {
			continue
		}
		s.face(&e, p[0])
		s.face(&e, p[1])
		if _, ok := cross[[2]int32{x, y}]; !ok && len(cross) < len(s.r.Overlaps) {
			cross[[2]int32{x, y}] = s.meet(p[0], p[1])
		}
	}
	for _, o := range s.r.Overlaps {
		if len(f.Places) < maxPlaces {
			at, ok := cross[[2]int32{min(o.A, o.B), max(o.A, o.B)}]
			if !ok { // one lies in the other
				at = o.At
			}
			f.Places = append(f.Places, s.at(at))
		}
	}
	s.add(f, e)
}

// touching tells of bodies that meet without taking up the same space.
func (s *surface) touching() {
	if len(s.r.Touching) == 0 {
		return
	}
	f := Finding{Check: "touching bodies", Grade: WorthKnowing, Value: float64(len(s.r.Touching)), Unit: "pairs",
		Text: fmt.Sprintf("%s of bodies touch without taking up the same space. They are laid as one where they do.", plural(len(s.r.Touching), "pair"))}
	for _, o := range s.r.Touching {
		if len(f.Places) < maxPlaces {
			f.Places = append(f.Places, s.at(o.At))
		}
	}
	s.add(f, Evidence{})
}

func (s *surface) debris() {
	f := Finding{Check: "crumbs", Grade: WorthKnowing, Unit: "bodies"}
	for _, b := range s.r.Bodies {
		if b.Debris {
			f.Value++
			if len(f.Places) < maxPlaces {
				f.Places = append(f.Places, s.at(b.Bounds.Min.Add(b.Bounds.Max).Scale(0.5)))
			}
		}
	}
	if f.Value > 0 {
		f.Text = fmt.Sprintf("%s are smaller than a hundredth of the largest: crumbs of a scan or a cut, perhaps. Ask whether they belong to it.", plural(int(f.Value), "body"))
		if f.Value == 1 {
			f.Text = "One body is smaller than a hundredth of the largest: a crumb of a scan or a cut, perhaps. Ask whether it belongs to it."
		}
		s.add(f, Evidence{})
	}
}

func (s *surface) volume() {
	m := s.r.Measures
	if m.Volume == 0 || math.Abs(m.Volume) < 1e-9*m.Area*math.Sqrt(m.Area) {
		s.add(Finding{Check: "no volume", Grade: StopsIt, Value: math.Abs(m.Volume) * s.mm * s.mm * s.mm, Unit: "mm³",
			Text: "The model encloses nothing: it is a sheet, not a body. Ask for a model with thickness."}, Evidence{})
	}
}
