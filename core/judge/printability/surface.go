package printability

import (
	"math"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/problem"
)

// surface collects findings about one mesh; mm scales it.
type surface struct {
	m        *mesh.Mesh
	r        *mesh.Report
	mm       float64
	findings []finding.Finding
	evidence []finding.Evidence
}

// Surface judges whether a mesh bounds a solid, says where it does not, and
// which repair would mend it. mm is the size of the mesh's unit.
func Surface(m *mesh.Mesh, r *mesh.Report, mm float64) ([]finding.Finding, []finding.Evidence) {
	s := &surface{m: m, r: r, mm: mm}
	s.open()
	s.shared()
	s.edges("turned faces", finding.Decide, mesh.TurnedEdge, r.Topology.Misoriented, "turned faces", repair.Orient)
	s.insideOut()
	s.triangles("triangles without area", r.Degenerate, repair.Flat)
	s.triangles("repeated triangles", r.Duplicate, repair.Duplicates)
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

func (s *surface) add(f finding.Finding, e finding.Evidence) {
	e.Check = f.Check
	s.findings = append(s.findings, f)
	if len(e.Lines)+len(e.Faces) > 0 {
		s.evidence = append(s.evidence, e)
	}
}

func (s *surface) line(e *finding.Evidence, a, b mesh.Vec3) {
	if len(e.Lines) < finding.MaxLines {
		p, q := a.Scale(s.mm), b.Scale(s.mm)
		e.Lines = append(e.Lines, [6]float32{float32(p.X), float32(p.Y), float32(p.Z), float32(q.X), float32(q.Y), float32(q.Z)})
	}
}

func (s *surface) face(e *finding.Evidence, t int32) {
	if len(e.Faces) >= finding.MaxFaces {
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
	f := finding.Finding{Check: "open surface", Grade: finding.StopsIt, Value: float64(n), Unit: "edges",
		Mend: []repair.Step{repair.Weld, repair.Stitch, repair.Holes}}
	var e finding.Evidence
	for _, l := range s.r.Loops {
		var mid mesh.Vec3
		for i, v := range l.Vertices {
			s.line(&e, s.m.Vertices[v], s.m.Vertices[l.Vertices[(i+1)%len(l.Vertices)]])
			mid = mid.Add(s.m.Vertices[v])
		}
		if len(f.Places) < finding.MaxPlaces {
			f.Places = append(f.Places, s.at(mid.Scale(1/float64(len(l.Vertices)))))
		}
	}
	f = f.That("open surface", n)
	if len(s.r.Loops) > 0 {
		l := s.r.Loops[0]
		f = f.That("open surface, holes", len(s.r.Loops), n, problem.Digits(l.Length*s.mm, 3))
	}
	s.add(f, e)
}

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
		s.edges("shared edges", finding.WorthKnowing, mesh.SharedEdge, t.NonManifold, "shared edges, harmless")
		return
	}
	s.edges("shared edges", finding.Decide, mesh.SharedEdge, t.NonManifold, "shared edges", repair.Duplicates, repair.Flat, repair.Holes)
}

func (s *surface) edges(check string, grade finding.Grade, kind mesh.EdgeKind, n int, code string, mend ...repair.Step) {
	if n == 0 {
		return
	}
	f := finding.Finding{Check: check, Grade: grade, Value: float64(n), Unit: "edges", Mend: mend}.That(code, n)
	var e finding.Evidence
	last := mesh.Fault{}
	for _, x := range s.r.Topology.Faults {
		if x.Kind != kind || x.A == last.A && x.B == last.B {
			continue
		}
		last = x
		a, b := s.m.Vertices[x.A], s.m.Vertices[x.B]
		s.line(&e, a, b)
		if len(f.Places) < finding.MaxPlaces {
			f.Places = append(f.Places, s.at(a.Add(b).Scale(0.5)))
		}
	}
	s.add(f, e)
}

func (s *surface) triangles(check string, list []int32, mend repair.Step) {
	if len(list) == 0 {
		return
	}
	f := finding.Finding{Check: check, Grade: finding.WorthKnowing, Value: float64(len(list)), Unit: "triangles", Mend: []repair.Step{mend}}.That(check, len(list))
	var e finding.Evidence
	for _, t := range list {
		s.face(&e, t)
		if len(f.Places) < finding.MaxPlaces {
			f.Places = append(f.Places, s.at(s.middle(t)))
		}
	}
	s.add(f, e)
}

func (s *surface) insideOut() {
	n := 0
	var places [][3]float64
	for _, b := range s.r.Bodies {
		if b.InsideOut {
			n++
			if len(places) < finding.MaxPlaces {
				places = append(places, s.at(b.Bounds.Min.Add(b.Bounds.Max).Scale(0.5)))
			}
		}
	}
	if n == 0 {
		return
	}
	f := finding.Finding{Check: "inside out", Grade: finding.Decide, Value: float64(n), Unit: "bodies", Places: places, Mend: []repair.Step{repair.Turn}}.That("inside out")
	if len(s.r.Bodies) > 1 {
		f = f.That("inside out, some", len(s.r.Bodies), n)
	}
	s.add(f, finding.Evidence{})
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
	f := finding.Finding{Check: "crosses itself", Grade: finding.Decide, Value: float64(n), Unit: "pairs"}.That("crosses itself", n)
	var e finding.Evidence
	body := s.r.Topology.Body
	for _, p := range c.Pairs {
		if body[p[0]] != body[p[1]] {
			continue
		}
		s.face(&e, p[0])
		s.face(&e, p[1])
		if len(f.Places) < finding.MaxPlaces {
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
	f := finding.Finding{Check: "overlapping bodies", Grade: finding.Decide, Value: float64(len(s.r.Overlaps)), Unit: "pairs",
		Mend: []repair.Step{repair.Unite}}.That("overlapping bodies", len(s.r.Overlaps))
	var e finding.Evidence
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
		if len(f.Places) < finding.MaxPlaces {
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
	f := finding.Finding{Check: "touching bodies", Grade: finding.WorthKnowing, Value: float64(len(s.r.Touching)), Unit: "pairs"}.
		That("touching bodies", len(s.r.Touching))
	for _, o := range s.r.Touching {
		if len(f.Places) < finding.MaxPlaces {
			f.Places = append(f.Places, s.at(o.At))
		}
	}
	s.add(f, finding.Evidence{})
}

func (s *surface) debris() {
	f := finding.Finding{Check: "crumbs", Grade: finding.WorthKnowing, Unit: "bodies"}
	for _, b := range s.r.Bodies {
		if b.Debris {
			f.Value++
			if len(f.Places) < finding.MaxPlaces {
				f.Places = append(f.Places, s.at(b.Bounds.Min.Add(b.Bounds.Max).Scale(0.5)))
			}
		}
	}
	if f.Value > 0 {
		if f = f.That("crumbs", int(f.Value)); f.Value == 1 {
			f = f.That("one crumb")
		}
		s.add(f, finding.Evidence{})
	}
}

func (s *surface) volume() {
	m := s.r.Measures
	if m.Volume == 0 || math.Abs(m.Volume) < 1e-9*m.Area*math.Sqrt(m.Area) {
		s.add(finding.Finding{Check: "no volume", Grade: finding.StopsIt, Value: math.Abs(m.Volume) * s.mm * s.mm * s.mm, Unit: "mm³"}.That("no volume"), finding.Evidence{})
	}
}
