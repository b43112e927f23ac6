package toolpath

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/section"
)

// maxLayers bounds what is sliced: a taller part in thinner layers is a mistake.
const maxLayers = 20_000

// simplifyUM is how far outlines may be moved before anything is made of them: a
// hundredth of a thin line.
const simplifyUM = 4

// slicer holds what all layers need of each other.
type slicer struct {
	r        recipe.Recipe
	marks    []SupportMark
	regions  []Region
	tops     []float64
	heights  []float64
	cut      []section.Cut
	outline  [][]polygon.Path // the part, by layer
	inside   [][]polygon.Path // what shells leave
	shells   [][]Line
	solid    [][]polygon.Path
	bridges  [][]polygon.Path
	overhang [][]polygon.Path // overhangs free over the layer below
	support  [][]polygon.Path
	dense    [][]polygon.Path
	under    [][]polygon.Path // what of the plate is below the part, by layer; nil if it does not matter
	room     machine.Volume
	layers   []Layer
	unlaid   [][]unlaid // what is too thin to be laid, by layer
	notes    []string
}

// Options are what slicing can be told beside the recipe.
type Options struct {
	SupportMarks []SupportMark
	Regions      []Region
	// PieceNozzle lays the part, counted from 1, whatever the recipe says; 0 is the recipe's. Support
	// of no nozzle of its own goes with it.
	PieceNozzle int
	// Machine is what it is for: a skirt that would leave its volume is left out, its
	// nozzles bound the layers, and its filament says what is let out at a change of
	// nozzle. Nil, or what is 0 of it, sets no bounds; filament is then 1.75 mm thick.
	Machine *machine.Machine
}

// off says that a line of width w at q would leave the plate.
func off(v machine.Volume, q polygon.Point, w float64) bool {
	x, y := float64(q.X)/1000, float64(q.Y)/1000
	switch {
	case v.XMM == 0:
		return false
	case v.Shape == machine.Round:
		return math.Hypot(x, y)+w > v.XMM/2
	}
	return x < w || y < w || x > v.XMM-w || y > v.YMM-w
}

// roundSides is how many sides a round plate is cut with; a hair of it is lost.
const roundSides = 360

// onPlate cuts paths to where the middle of a line may be.
func (s *slicer) onPlate(poly *polygon.Scratch, paths []polygon.Path) []polygon.Path {
	return cutTo(s.room, s.r.LineMM, poly, paths)
}

// cutTo cuts paths to where the middle of a line of a width may be on a plate.
func cutTo(room machine.Volume, lineMM float64, poly *polygon.Scratch, paths []polygon.Path) []polygon.Path {
	half := lineMM / 2
	if !slices.ContainsFunc(paths, func(p polygon.Path) bool {
		return slices.ContainsFunc(p, func(q polygon.Point) bool { return off(room, q, half) })
	}) {
		return paths
	}
	x, y := um(room.XMM), um(room.YMM)
	plate := polygon.Path{
		{X: int64(um(half)), Y: int64(um(half))},
		{X: int64(x - um(half)), Y: int64(um(half))},
		{X: int64(x - um(half)), Y: int64(y - um(half))},
		{X: int64(um(half)), Y: int64(y - um(half))},
	}
	if room.Shape == machine.Round {
		plate = plate[:0]
		for k := range roundSides {
			sin, cos := math.Sincos(2 * math.Pi * float64(k) / roundSides)
			plate = append(plate, polygon.Point{X: int64((x/2 - um(half)) * cos), Y: int64((x/2 - um(half)) * sin)})
		}
	}
	return poly.Boolean(polygon.Intersection, polygon.NonZero, paths, []polygon.Path{plate})
}

// belowTop says when a raft lifts a print out of the room.
func belowTop(p *Print, v machine.Volume) error {
	if over := p.Layers[len(p.Layers)-1].TopMM - v.ZMM; v.ZMM > 0 && over > 1e-9 {
		return fmt.Errorf("on its raft it would be %.1f mm too high", over)
	}
	return nil
}

// keepOnPlate leaves out skirts and brims that would leave the plate.
func keepOnPlate(p *Print, v machine.Volume) {
	if v.XMM == 0 || len(p.Layers) == 0 || p.RaftMM > 0 {
		return // a raft is cut to the plate
	}
	l := &p.Layers[0]
	kept := l.Lines[:0]
	left := 0
	for _, x := range l.Lines {
		gone := false
		for _, q := range x.Points {
			gone = gone || x.Kind == Adhesion && off(v, q, x.WidthMM/2)
		}
		if gone {
			left++
			continue
		}
		kept = append(kept, x)
	}
	l.Lines = kept
	if left > 0 {
		p.Notes = append(p.Notes, fmt.Sprintf("%d rounds of the bed adhesion would leave the plate and are left out.", left))
	}
}

// toldMM is how far the height of a print may be off untold.
const toldMM = 0.01

// LayeringOf is how a part is divided into layers by a recipe (with its defaults)
// on a machine, which may be nil.
func LayeringOf(r *recipe.Recipe, mach *machine.Machine) section.Layering {
	l := section.Layering{FirstMM: r.FirstLayerMM, LayerMM: r.LayerMM}
	l.LeastMM, l.MostMM = r.LayerBounds(mach)
	return l
}

// Slice makes the layers of one part where it stands: SlicePart, and Lay with one place.
func Slice(ctx context.Context, m *mesh.Mesh, topo *mesh.Topology, mmPerUnit float64, r recipe.Recipe, o Options, progress func(float64)) (*Print, error) {
	part, err := SlicePart(ctx, m, topo, mmPerUnit, r, o, progress)
	if err != nil {
		return nil, err
	}
	return Lay(ctx, []*Part{part}, []Place{{}}, r, o)
}

// Part is a part cut, filled and supported where it stands, before it is laid on a plate.
type Part struct {
	s *slicer
	r recipe.Recipe // as it is meant: of its own nozzle, support on that meant for it
}

// SlicePart makes the layers of a mesh in mm·mmPerUnit, with its topology, but for what
// belongs to a plate: what holds the first layer down, the purge tower, the order of lines.
// progress (nil is fine) is told a share from 0 to 1. The error is ctx's, or says that the
// part has too many layers.
func SlicePart(ctx context.Context, m *mesh.Mesh, topo *mesh.Topology, mmPerUnit float64, r recipe.Recipe, o Options, progress func(float64)) (*Part, error) {
	if progress == nil {
		progress = func(float64) {}
	}
	s, err := newSlicer(ctx, m, topo, mmPerUnit, r, o)
	if err != nil {
		return nil, err
	}
	// Each stage needs the stages before it of all layers.
	done := 0.0
	stage := func(share float64, work func(w *worker, i int)) error {
		err := overLayers(ctx, len(s.layers), work, func(f float64) { progress(done + share*f) })
		done += share
		return err
	}
	if err := stage(0.25, s.outlines); err != nil {
		return nil, err
	}
	if err := stage(0.2, s.walls); err != nil {
		return nil, err
	}
	s.tellRounded()
	if err := s.tellUnlaid(); err != nil {
		return nil, err
	}
	if err := stage(0.2, s.topsAndBottoms); err != nil {
		return nil, err
	}
	if err := s.stand(ctx, func(f float64) { progress(done + 0.35*f) }); err != nil {
		return nil, err
	}
	progress(1)
	return &Part{s, s.r}, ctx.Err()
}

// stand puts support under overhangs, and fills every layer.
func (s *slicer) stand(ctx context.Context, progress func(float64)) error {
	if err := s.standSupport(ctx); err != nil {
		return err
	}
	if err := overLayers(ctx, len(s.layers), s.fill, progress); err != nil {
		return err
	}
	return s.carry(ctx)
}

// newSlicer plans the layers of a part and cuts it.
func newSlicer(ctx context.Context, m *mesh.Mesh, topo *mesh.Topology, mmPerUnit float64, r recipe.Recipe, o Options) (*slicer, error) {
	mach := cmp.Or(o.Machine, &machine.Machine{})
	s := &slicer{r: r.OnNozzle(o.PieceNozzle).WithDefaults(), marks: o.SupportMarks, regions: o.Regions, room: mach.Volume}
	box := m.Bounds()
	height := (box.Max.Z - box.Min.Z) * mmPerUnit
	plan := LayeringOf(&s.r, mach)
	n := plan.Count(height)
	if n > maxLayers {
		return nil, fmt.Errorf("the part would have %d layers; the limit is %d", n, maxLayers)
	}
	if n == 0 {
		return nil, fmt.Errorf("the part is %g mm high, which is no layer", height)
	}
	s.heights = plan.Heights(height)
	zs := make([]float64, n)
	top := 0.0
	for i, h := range s.heights {
		zs[i] = box.Min.Z + section.PlaneMM(top, h, height)/mmPerUnit
		top += h
		s.tops = append(s.tops, top)
	}
	if over := top - height; over > toldMM {
		s.notes = append(s.notes, fmt.Sprintf("The part is %.3f mm high and no layer may be lower than %.2f mm: the print is %.2f mm higher.", height, plan.LeastMM, over))
	}
	var err error
	s.cut, err = section.Planes(ctx, m, topo, zs, mmPerUnit)
	if err != nil {
		return nil, err
	}
	open := 0
	for i := range s.cut {
		open += s.cut[i].Open
	}
	if open > 0 {
		s.notes = append(s.notes, fmt.Sprintf("%d outlines ran into an open edge and were closed by a straight line.", open))
	}
	s.outline, s.inside, s.shells = make([][]polygon.Path, n), make([][]polygon.Path, n), make([][]Line, n)
	s.solid, s.bridges, s.overhang = make([][]polygon.Path, n), make([][]polygon.Path, n), make([][]polygon.Path, n)
	s.layers, s.unlaid = make([]Layer, n), make([][]unlaid, n)
	return s, nil
}

// worker is one goroutine's buffers.
type worker struct {
	poly        polygon.Scratch
	here, below ground // of carry
	dots        []polygon.Point
}

// overLayers does the work on every layer on all cores. Each layer writes its
// own results only, so their order does not matter.
func overLayers(ctx context.Context, n int, work func(w *worker, i int), progress func(float64)) error {
	return par.Each(ctx, n, func() *worker { return new(worker) }, work, func(done int) { progress(float64(done) / float64(n)) })
}

func um(mm float64) float64 { return mm * 1000 }

// outlines makes one clean figure of a cut: overlapping bodies are one, faces
// turned inside out count as well.
func (s *slicer) outlines(w *worker, i int) {
	loops := s.cut[i].Loops
	s.cut[i].Loops = nil // not held any longer
	plain := make([]polygon.Path, 0, len(loops))
	for _, l := range loops {
		if q := polygon.Simplify(l, simplifyUM, nil); len(q) >= 3 {
			plain = append(plain, q)
		}
	}
	out := w.poly.Union(polygon.NonZero, plain)
	least := s.r.LineMM * s.r.LineMM / 16 // a crumb that no line can be laid in
	kept := out[:0]
	for _, p := range out {
		if a := p.Area(); math.Abs(a) > least {
			kept = append(kept, p)
		} else if a > 0 {
			s.unlaid[i] = append(s.unlaid[i], unlaid{p[0], a})
		}
	}
	s.outline[i] = kept
}

// Parts of a wall narrower than LeastShare of a line are left out; those up to
// one line and OneLineShare of a spacing get one line down the middle. Between lines,
// what is wider than SeamShare is filled.
const (
	LeastShare   = 0.35
	SeamShare    = 0.15
	OneLineShare = 0.65
)

var mitre = polygon.Offsets{Join: polygon.Mitre, MitreLimit: 2}

// walls lays the shells of a layer from the outside in. What is too narrow for
// two passes side by side gets one along its middle, as wide as the wall; so does
// what is left between the innermost shells.
func (s *slicer) walls(w *worker, i int) {
	h := s.heights[i]
	width, gap := um(s.r.LineMM), um(Spacing(s.r.LineMM, h))
	rest := s.outline[i]
	var lines []Line
	most, own := s.r.Shells, s.reach(i, func(r *Region) bool { return r.Shells != nil })
	for _, r := range own {
		most = max(most, *r.Shells)
	}
	var inside []polygon.Path // where regions want other shells
	for k := range most + 1 {
		if len(rest) == 0 {
			break
		}
		kind, line, half := Inner, gap, gap/2 // inside, a line has the room of its spacing
		least, more := SeamShare*width, width-gap
		if k == 0 {
			kind, line, half = Outer, width, width/2
			least, more = LeastShare*width, 0
		}
		// Where two lines fit: opened by half of what two need.
		two := (line + OneLineShare*gap) / 2
		core := w.poly.Offset(rest, -two, mitre)
		wide := w.poly.Offset(core, two+5, mitre)
		wide = w.poly.Boolean(polygon.Intersection, polygon.NonZero, wide, rest)
		thin := w.poly.Boolean(polygon.Difference, polygon.NonZero, rest, w.poly.Offset(wide, 10, mitre))
		var near []polygon.Path // where overhangs on wide begins; made when it is asked for
		hangs := func(f polygon.Figure) bool {
			if near == nil && len(wide) > 0 {
				near = w.poly.Offset(wide, 30, mitre)
			}
			return slices.ContainsFunc(f.Outer, func(q polygon.Point) bool { return polygon.Inside(polygon.NonZero, near, q) >= 0 })
		}
		for _, f := range polygon.Figures(thin) {
			laid := s.narrow(w, f, kind, least, line+gap, more)
			if k == 0 {
				laid = append(laid, s.rest(w, i, f, laid, hangs)...)
			}
			lines = append(lines, within(laid, own, func(r *Region) bool { return k <= s.shellsIn(r) })...)
		}
		for _, z := range split(w, wide, own) {
			if k == s.shellsIn(z.of) {
				inside = append(inside, z.paths...)
			}
		}
		if k == most {
			break
		}
		var rings []Line
		for _, p := range w.poly.Offset(wide, -half, mitre) {
			rings = append(rings, Line{Kind: kind, Closed: true, Points: p, WidthMM: s.r.LineMM})
		}
		lines = append(lines, within(rings, own, func(r *Region) bool { return k < s.shellsIn(r) })...)
		rest = w.poly.Offset(wide, -(half + gap/2), mitre)
	}
	s.shells[i] = lines
	s.inside[i] = inside
}

// plainer leaves points out of a stroke that a straight line passes within
// 2·simplifyUM, with a width that changes evenly to within widthUM.
func plainer(st polygon.Stroke) polygon.Stroke {
	out := polygon.Stroke{Points: st.Points[:1:1], WidthUM: st.WidthUM[:1:1]}
	var split func(a, b int)
	split = func(a, b int) {
		p, q := st.Points[a], st.Points[b]
		dx, dy := float64(q.X-p.X), float64(q.Y-p.Y)
		l2 := math.Max(dx*dx+dy*dy, 1)
		worst, at := 1.0, -1
		for k := a + 1; k < b; k++ {
			x, y := float64(st.Points[k].X-p.X), float64(st.Points[k].Y-p.Y)
			f := math.Max(0, math.Min(1, (x*dx+y*dy)/l2))
			off := math.Hypot(x-f*dx, y-f*dy) / (2 * simplifyUM)
			if o := math.Abs(st.WidthUM[a]+f*(st.WidthUM[b]-st.WidthUM[a])-st.WidthUM[k]) / widthUM; o > off {
				off = o
			}
			if off > worst {
				worst, at = off, k
			}
		}
		if at >= 0 {
			split(a, at)
			split(at, b)
			return
		}
		out.Points, out.WidthUM = append(out.Points, q), append(out.WidthUM, st.WidthUM[b])
	}
	split(0, len(st.Points)-1)
	return out
}

// widthUM is how exactly a line of varying width follows the wall.
const widthUM = 20.0

// narrow lays what two lines do not fit in: a line along the middle of each part
// that is least to most wide, wider by more where it lies between lines and fills
// the corners of their sections too. What has no middle line, as a pin, gets a
// narrow ring, or a dot. Crumbs are left out: corners that opening has rounded off.
func (s *slicer) narrow(w *worker, f polygon.Figure, kind Kind, least, most, more float64) []Line {
	width := um(s.r.LineMM)
	area := f.Outer.Area() * 1e6
	if area < crumbShare*width*width {
		return nil
	}
	paths := f.Paths()
	var lines []Line
	box := polygon.SmallestRectangle(f.Outer)
	across := area / box.LongUM // of a figure of the same area, as long
	compact := len(f.Holes) == 0 && box.LongUM < 2*across
	if !compact && area > 1.5*width*width && f.Outer.Length()*1000 > 6*width {
		for _, st := range w.poly.Medial(paths, least, most) {
			st = plainer(st)
			for k := range st.WidthUM {
				st.WidthUM[k] += more
			}
			lines = append(lines, Line{Kind: kind, Points: st.Points, WidthMM: mean(st.WidthUM) / 1000, Widths: st.WidthUM})
		}
	}
	if len(lines) > 0 || len(f.Holes) > 0 {
		return lines
	}
	if across >= width/2 {
		for _, p := range w.poly.Offset(paths, -across/4, mitre) {
			lines = append(lines, Line{Kind: kind, Closed: true, Points: p, WidthMM: (across/2 + more) / 1000})
		}
	} else if across >= least {
		line, ok := middle(paths, box, math.Max(box.LongUM-across, across/2)/2)
		if !ok {
			return nil
		}
		lines = append(lines, Line{Kind: kind, Points: line, WidthMM: (across + more) / 1000})
	}
	return lines
}

// crumbShare is how large, in squares of a line's width, what is left must be to
// be laid.
const crumbShare = 0.6

func mean(v []float64) float64 {
	s := 0.0
	for _, x := range v {
		s += x
	}
	return s / float64(len(v))
}

// topsAndBottoms finds what of the inside is near a top or a bottom and must be solid, and
// overhangs free.
func (s *slicer) topsAndBottoms(w *worker, i int) {
	n := len(s.outline)
	if i > 0 {
		lean := um(s.heights[i] * math.Tan(s.r.SupportDeg*math.Pi/180))
		s.overhang[i] = w.poly.Boolean(polygon.Difference, polygon.NonZero, s.outline[i], w.poly.Offset(s.outline[i-1], math.Max(lean, 1), mitre))
	}
	if len(s.inside[i]) == 0 {
		return
	}
	covered := s.inside[i]
	for k := 1; k <= s.r.TopLayers && len(covered) > 0; k++ {
		if i+k >= n {
			covered = nil
			break
		}
		covered = w.poly.Boolean(polygon.Intersection, polygon.NonZero, covered, s.outline[i+k])
	}
	for k := 1; k <= s.r.BottomLayers && len(covered) > 0; k++ {
		if i-k < 0 {
			covered = nil
			break
		}
		covered = w.poly.Boolean(polygon.Intersection, polygon.NonZero, covered, s.outline[i-k])
	}
	if own := s.reach(i, func(r *Region) bool { return r.InfillPercent != nil }); len(covered) > 0 {
		all := split(w, covered, own)
		covered = nil
		for _, z := range all {
			if s.infillIn(z.of) < 99.5 {
				covered = append(covered, z.paths...)
			}
		}
	}
	bare := s.inside[i]
	if len(covered) > 0 {
		bare = w.poly.Boolean(polygon.Difference, polygon.NonZero, s.inside[i], covered)
		// Slivers along slopes go; what stays reaches a line into the sparse part.
		width := um(s.r.LineMM)
		bare = w.poly.Offset(bare, -width/4, mitre)
		bare = w.poly.Boolean(polygon.Intersection, polygon.NonZero, w.poly.Offset(bare, width*1.25, mitre), s.inside[i])
	}
	s.solid[i] = bare
	if i > 0 && len(bare) > 0 {
		free := w.poly.Boolean(polygon.Difference, polygon.NonZero, bare, s.outline[i-1])
		free = w.poly.Offset(w.poly.Offset(free, -um(s.r.LineMM), mitre), um(s.r.LineMM)*2, mitre)
		s.bridges[i] = w.poly.Boolean(polygon.Intersection, polygon.NonZero, free, bare)
	}
}
