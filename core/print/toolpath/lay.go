package toolpath

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"iter"
	"math"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/polygon"
)

// Place is where a copy of a part lies on a plate: which part, and how far it is moved from
// where it was sliced.
type Place struct {
	Part int
	By   polygon.Point
}

// MostPlaces bounds how many copies lie on one plate.
const MostPlaces = 1000

// Bounds is the least box around the outlines of a part and the middles of its lines, where it
// was sliced.
func (p *Part) Bounds() polygon.Box {
	b := polygon.Bounds()
	for i := range p.s.layers {
		for k := range p.s.layers[i].Lines {
			of := polygon.Bounds(p.s.layers[i].Lines[k].Points)
			b.Add(of)
		}
		b.Add(polygon.Bounds(p.s.outline[i]...))
	}
	return b
}

// HasSupport says that support stands under a part.
func (p *Part) HasSupport() bool {
	return slices.ContainsFunc(p.s.support, func(x []polygon.Path) bool { return len(x) > 0 })
}

// layout is a plate while it is made.
type layout struct {
	r      recipe.Recipe // with its defaults
	bore   float64       // of the filament, mm
	room   machine.Volume
	parts  []*Part
	places []Place
	tower  polygon.Path // the purge tower's outline, or nil
	joined bool         // support is laid by each part's own nozzle, whatever was meant
	first  uint8        // the nozzle that the plate begins with, counted from 0
	notes  []string
}

// Lay makes a plate of parts that were sliced by the same recipe for the same machine: each of
// their copies at its place, what holds the first layer down, the purge tower, and all lines in
// their order. Each part is laid out once, however many copies of it there are. The next plate
// of a part takes the lines of the one before apart. The error is ctx's, or says that a raft
// lifts the print out of the room.
func Lay(ctx context.Context, parts []*Part, places []Place, r recipe.Recipe, o Options) (*Print, error) {
	mach := cmp.Or(o.Machine, &machine.Machine{})
	l := &layout{r: r.WithDefaults(), bore: cmp.Or(mach.FilamentMM, 1.75), room: mach.Volume, parts: parts, places: places}
	p, err := l.merge(ctx)
	for joined := false; err == nil; joined = true {
		var again bool
		if again, err = l.nozzles(p); !again {
			break
		}
		if joined { // once support is its part's own there is nothing more to give way
			return nil, errors.New("no nozzle is left to lay its support")
		}
		p, err = l.merge(ctx)
	}
	if err != nil {
		return nil, err
	}
	if err := l.tell(ctx, p); err != nil {
		return nil, err
	}
	l.adhere(p)
	for p.Layers[len(p.Layers)-1].empty() { // a tip that is too thin
		p.Layers = p.Layers[:len(p.Layers)-1]
	}
	keepOnPlate(p, l.room)
	if err := belowTop(p, l.room); err != nil {
		return nil, err
	}
	if len(p.Places) == 0 {
		order(p, l.first, l.r.Seam)
	} else {
		l.order(p)
	}
	return p, ctx.Err()
}

// merge puts the layers of all parts together. A part that lies alone where it was sliced is
// its plate's own lines; else each part's are kept once. Support stands as the recipe says.
func (l *layout) merge(ctx context.Context) (*Print, error) {
	for _, part := range l.parts {
		want := part.r
		if l.joined && TooClose(&want) {
			want = OnPiece(want)
		}
		if s := part.s; s.r.SupportNozzle != want.SupportNozzle {
			s.r = want
			if err := s.stand(ctx, func(float64) {}); err != nil {
				return nil, err
			}
		}
	}
	if len(l.places) == 1 && l.places[0].By == (polygon.Point{}) {
		return &Print{Layers: l.parts[l.places[0].Part].layers()}, nil
	}
	p := &Print{Places: l.places}
	for k, part := range l.parts {
		for i := range part.s.layers {
			x := &part.s.layers[i]
			at, ok := slices.BinarySearchFunc(p.Layers, x, func(a Layer, b *Layer) int {
				return cmp.Or(nearly(a.TopMM, b.TopMM), nearly(a.HeightMM, b.HeightMM))
			})
			if !ok {
				p.Layers = slices.Insert(p.Layers, at, Layer{TopMM: x.TopMM, HeightMM: x.HeightMM})
			}
			p.Layers[at].Parts = append(p.Layers[at].Parts, PartLayer{Part: k, Lines: x.Lines, Outlines: x.Outlines})
		}
	}
	// The tower stands by the layers that fill the height without a gap, from the top down.
	if n := len(p.Layers); n > 0 {
		foot := p.Layers[n-1].TopMM
		for i := n - 1; i >= 0; i-- {
			x := &p.Layers[i]
			if nearly(x.TopMM, foot) != 0 {
				x.between = true
				continue
			}
			foot = x.TopMM - x.HeightMM
		}
	}
	return p, nil
}

// layers are a part's, to be put in order.
func (p *Part) layers() []Layer {
	out := slices.Clone(p.s.layers)
	for i := range out {
		out[i].Lines = slices.Clone(out[i].Lines)
	}
	return out
}

// nearly compares heights that were added up on different ways.
func nearly(a, b float64) int {
	if math.Abs(a-b) < 1e-6 {
		return 0
	}
	return cmp.Compare(a, b)
}

// tell gathers what somebody should know, and the overhangs.
func (l *layout) tell(ctx context.Context, p *Print) error {
	note := func(s string) {
		if !slices.Contains(p.Notes, s) {
			p.Notes = append(p.Notes, s)
		}
	}
	for _, part := range l.parts {
		for _, s := range part.s.notes {
			note(s)
		}
	}
	for _, s := range l.notes {
		note(s)
	}
	if slices.ContainsFunc(l.parts, func(k *Part) bool {
		return k.HasSupport() && l.nozzleOf(k, Support) == l.nozzleOf(k, Outer) && DropLayers(&k.s.r) == 0
	}) {
		note("Support touches what it carries and is laid by the same nozzle: it will not come off by hand.")
	}
	for k, part := range l.parts {
		found, more, err := part.s.overhangs(ctx)
		if err != nil {
			return err
		}
		if more > 0 {
			note(fmt.Sprintf("%d small places that hang are not listed.", more))
		}
		for i := range found {
			found[i].Part = k
		}
		p.Overhangs = append(p.Overhangs, found...)
	}
	return nil
}

// order puts the lines of each part in their order, once for all its copies, and the way over
// the plate: from copy to copy by the nearest, every second layer the other way round.
func (l *layout) order(p *Print) {
	for k, part := range l.parts {
		own := &Print{Layers: part.layers()}
		order(own, l.first, l.r.Seam)
		at := 0
		for i := range p.Layers {
			for j := range p.Layers[i].Parts {
				if x := &p.Layers[i].Parts[j]; x.Part == k {
					for nearly(own.Layers[at].TopMM+p.RaftMM, p.Layers[i].TopMM) != 0 || nearly(own.Layers[at].HeightMM, p.Layers[i].HeightMM) != 0 {
						at++
					}
					x.Lines = own.Layers[at].Lines
				}
			}
		}
	}
	boxes := make([]polygon.Box, len(l.parts))
	for k, part := range l.parts {
		boxes[k] = part.Bounds()
	}
	p.boxes = make([]polygon.Box, len(p.Places))
	for k, at := range p.Places {
		p.boxes[k] = boxes[at.Part].Moved(at.By)
	}
	p.route = route(p.boxes)
	nozzle := l.first
	for i := range p.Layers {
		x := &p.Layers[i]
		x.first, x.then = nozzle, nozzle
		for y := range x.Each {
			if y.Nozzle != nozzle && y.Nozzle != purgeNozzle {
				x.then = y.Nozzle
			}
		}
		nozzle = x.then
		for k := range x.Lines {
			if x.Lines[k].Nozzle == purgeNozzle {
				x.Lines[k].Nozzle = nozzle
			}
		}
		slices.SortStableFunc(x.Lines, func(a, b Line) int { return cmp.Compare(rank[a.Kind], rank[b.Kind]) })
	}
}

// route goes from the first box on to the nearest that is left.
func route(boxes []polygon.Box) []int {
	out := make([]int, 0, len(boxes))
	left := make([]int, len(boxes))
	for k := range left {
		left[k] = k
	}
	at := polygon.Point{X: math.MinInt32, Y: math.MinInt32}
	for len(left) > 0 {
		best, least := 0, math.Inf(1)
		for j, k := range left {
			if d := dist(at, middleOf(boxes[k])); d < least {
				best, least = j, d
			}
		}
		at = middleOf(boxes[left[best]])
		out = append(out, left[best])
		left = slices.Delete(left, best, best+1)
	}
	return out
}

func middleOf(b polygon.Box) polygon.Point {
	return polygon.Point{X: (b.MinX + b.MaxX) / 2, Y: (b.MinY + b.MaxY) / 2}
}

// moved is a copy of paths elsewhere, or themselves.
func moved(paths []polygon.Path, by polygon.Point) []polygon.Path {
	if by == (polygon.Point{}) {
		return paths
	}
	out := make([]polygon.Path, len(paths))
	for i, p := range paths {
		out[i] = make(polygon.Path, len(p))
		for k, q := range p {
			out[i][k] = polygon.Point{X: q.X + by.X, Y: q.Y + by.Y}
		}
	}
	return out
}

// counted gives every line of a layer once, with how many copies there are of it.
func (l *layout) counted(x *Layer) iter.Seq2[*Line, float64] {
	return func(yield func(*Line, float64) bool) {
		for k := range x.Lines {
			if !yield(&x.Lines[k], 1) {
				return
			}
		}
		for _, y := range x.Parts {
			many := 0.0
			for _, at := range l.places {
				if at.Part == y.Part {
					many++
				}
			}
			for k := range y.Lines {
				if !yield(&y.Lines[k], many) {
					return
				}
			}
		}
	}
}

// PartLayer is what of a part lies in a layer, as it was sliced.
type PartLayer struct {
	Part     int
	Lines    []Line // in the order they are laid
	Outlines []polygon.Path
}

// Each gives every line of a layer once, however many copies there are of it.
func (l *Layer) Each(yield func(*Line) bool) {
	for k := range l.Lines {
		if !yield(&l.Lines[k]) {
			return
		}
	}
	for j := range l.Parts {
		for k := range l.Parts[j].Lines {
			if !yield(&l.Parts[j].Lines[k]) {
				return
			}
		}
	}
}

func (l *Layer) empty() bool {
	for range l.Each {
		return false
	}
	return true
}

func (l *Layer) of(part int) *PartLayer {
	for j := range l.Parts {
		if l.Parts[j].Part == part {
			return &l.Parts[j]
		}
	}
	return nil
}

// Spot says whose a line is, and how far it is moved: Place counts the plate's places from 1,
// 0 is what belongs to the plate.
type Spot struct {
	Place int
	By    polygon.Point
}

// Laid gives the lines of a layer in the order they are laid, every copy of them.
func (p *Print) Laid(layer int) iter.Seq2[Spot, *Line] {
	l := &p.Layers[layer]
	return func(yield func(Spot, *Line) bool) {
		if len(p.Places) == 0 {
			for k := range l.Lines {
				if !yield(Spot{Place: l.Lines[k].place()}, &l.Lines[k]) {
					return
				}
			}
			return
		}
		for half, nozzle := range [2]uint8{l.first, l.then} {
			if half > 0 && l.first == l.then {
				break
			}
			for k := range l.Lines {
				if x := &l.Lines[k]; x.Nozzle == nozzle && !yield(Spot{}, x) {
					return
				}
			}
			for j := range p.route {
				if layer%2 > 0 {
					j = len(p.route) - 1 - j
				}
				at := p.Places[p.route[j]]
				of := l.of(at.Part)
				if of == nil {
					continue
				}
				for k := range of.Lines {
					if x := &of.Lines[k]; x.Nozzle == nozzle && !yield(Spot{p.route[j] + 1, at.By}, x) {
						return
					}
				}
			}
		}
	}
}

// place is that of a line where there is one.
func (l *Line) place() int {
	if l.Kind == Adhesion || l.Kind == Purge {
		return 0
	}
	return 1
}

// Grounds gives the outlines of a layer, for each place its own, with a box that they lie in.
func (p *Print) Grounds(layer int) iter.Seq2[Spot, Ground] {
	l := &p.Layers[layer]
	return func(yield func(Spot, Ground) bool) {
		if len(p.Places) == 0 {
			yield(Spot{Place: 1}, Ground{l.Outlines, polygon.Bounds(l.Outlines...)})
			return
		}
		for k, at := range p.Places {
			if of := l.of(at.Part); of != nil && !yield(Spot{k + 1, at.By}, Ground{of.Outlines, p.boxes[k]}) {
				return
			}
		}
	}
}

// Ground is the outlines of a part in a layer as it was sliced, and the box around all of its
// copy where that lies.
type Ground struct {
	Outlines []polygon.Path
	Box      polygon.Box
}
