// Package layout says where copies lie on plates.
//
// It works on outlines: the shadow of a part as it stands in the middle of the plate. Lengths are
// whole micrometres, places as far as a copy is moved from the middle. Copies lie in rows where
// rows need no more plates than anything could; else boxes are packed exactly and outlines on a
// raster, in several orders and turns, and what needs the fewest plates wins, then the fewest turns.
// Whatever found a place, distances are held outline to outline. The result depends on nothing but
// what is given, however many cores there are.
package layout

import (
	"context"
	"math"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/polygon"
)

// Item is a part of which some copies are wanted.
type Item struct {
	// Box is around one that stands in the middle of the plate.
	Box polygon.Box
	// Outline is its shadow there, one path; nil: the box.
	Outline polygon.Path
	Copies  int
	// TurnsDeg are turns about the vertical that are allowed besides none.
	TurnsDeg []float64
	// Pinned are copies that stay where they lie; they count among Copies, the first of them.
	Pinned []Pin
}

// Pin is where a copy stays.
type Pin struct {
	Plate   int // counted from 0
	By      polygon.Point
	TurnDeg float64
}

// Spot is where a copy lies.
type Spot struct {
	Item, Copy int     // both counted from 0
	TurnDeg    float64 // about the vertical, before it is moved
	By         polygon.Point
}

// Ask is on what copies are laid, and how.
type Ask struct {
	Volume  machine.Volume
	ApartUM int64 // between outlines
	// MarginUM is what adhesion adds around each: kept on the plate where a part leaves room for it.
	MarginUM int64
	// FreeUM is how much on the right of a rectangular plate is kept free for the purge tower where
	// several lie on it.
	FreeUM  int64
	KeepOut []polygon.Path // in plate coordinates, of every plate
	Seed    uint64
	// Effort is how long better layouts are looked for, in parts of about 60 µs; 0: DefaultEffort.
	Effort int
}

// DefaultEffort takes about DefaultMS on one core of 2.5 GHz. It counts what is done, not time, so
// that the same comes out on every machine.
const (
	DefaultEffort = 3_000
	DefaultMS     = 250
)

// apartMM is how far copies are apart, beside what holds them down: room for a hand to take
// one off, and for the nozzle (common practice, no source).
const apartMM = 5

// Apart is how far outlines have to be apart by a recipe, µm, where spacingMM is wanted between
// what is laid; less than nothing: the usual.
func Apart(r *recipe.Recipe, spacingMM float64) int64 {
	if spacingMM < 0 {
		spacingMM = apartMM
	}
	return polygon.UM(spacingMM) + 2*Margin(r)
}

// Margin is what adhesion adds around an outline by a recipe, µm.
func Margin(r *recipe.Recipe) int64 {
	switch r.Adhesion {
	case recipe.AdhesionBrim:
		return polygon.UM(r.BrimMM)
	case recipe.AdhesionRaft:
		return polygon.UM(toolpath.RaftRimMM)
	}
	return 0
}

// Lay lays all copies on plates of a machine. A plate holds at most toolpath.MostPlaces. What is
// too large for a plate lies in the middle of one of its own. The only errors are ctx's and a
// *Collision of pinned copies.
func Lay(ctx context.Context, items []Item, a Ask) ([][]Spot, error) {
	pinned, err := pins(items, a)
	if err != nil {
		return nil, err
	}
	w := newWork(ctx, items, a, pinned)
	if len(pinned) == 0 && len(a.KeepOut) == 0 {
		w.offer(Rows(items, a.Volume, a.ApartUM, a.FreeUM))
	}
	if !w.done() {
		w.search()
	}
	return w.best, ctx.Err()
}

// work looks for the best layout.
type work struct {
	ctx    context.Context
	items  []Item
	ask    Ask
	pinned []pinned
	least  int // plates that any layout needs
	best   [][]Spot
	turns  int // different turns of items in the best
	left   int // of the effort
}

// pinned is a copy that stays.
type pinned struct {
	Spot
	plate   int
	outline polygon.Path
}

func newWork(ctx context.Context, items []Item, a Ask, pinned []pinned) *work {
	w := &work{ctx: ctx, items: items, ask: a, pinned: pinned, left: a.Effort}
	if w.left <= 0 {
		w.left = DefaultEffort
	}
	w.least = w.bound()
	return w
}

// bound is how many plates are needed at least: by area, each outline with half of what is between
// two and the plate with as much around, and by how many may lie on one.
func (w *work) bound() int {
	area, copies := 0.0, 0
	half := float64(w.ask.ApartUM) / 2000
	for _, it := range w.items {
		o := it.outline()
		own := math.Abs(o.Area())
		// No figure of an area has a shorter edge than a circle, so none grows less.
		area += float64(it.Copies) * (own + 2*math.Sqrt(math.Pi*own)*half + math.Pi*half*half)
		copies += it.Copies
	}
	v := w.ask.Volume
	usable := (v.XMM + 2*half) * (v.YMM + 2*half)
	if v.Shape == machine.Round {
		usable = math.Pi / 4 * (v.XMM + 2*half) * (v.XMM + 2*half)
	}
	n := max(int(math.Ceil(area/usable-1e-9)), (copies+toolpath.MostPlaces-1)/toolpath.MostPlaces, min(copies, 1))
	for _, p := range w.pinned {
		n = max(n, p.plate+1)
	}
	return n
}

// done says that there is nothing better to be found.
func (w *work) done() bool { return w.best != nil && len(w.best) <= w.least && w.turns == 0 }

// offer takes a layout that is better than the best.
func (w *work) offer(plates [][]Spot) {
	if plates == nil || w.ctx.Err() != nil {
		return
	}
	type turned struct {
		item int
		deg  float64
	}
	seen := map[turned]bool{}
	for _, p := range plates {
		for _, s := range p {
			if s.TurnDeg != 0 {
				seen[turned{s.Item, s.TurnDeg}] = true
			}
		}
	}
	if w.best == nil || len(plates) < len(w.best) || len(plates) == len(w.best) && len(seen) < w.turns {
		w.best, w.turns = plates, len(seen)
	}
}

// outline is the shadow of one, or its box.
func (it *Item) outline() polygon.Path {
	if len(it.Outline) >= 3 {
		return it.Outline
	}
	b := it.Box
	return polygon.Path{{X: b.MinX, Y: b.MinY}, {X: b.MaxX, Y: b.MinY}, {X: b.MaxX, Y: b.MaxY}, {X: b.MinX, Y: b.MaxY}}
}

// Middle is that of a plate, µm.
func Middle(v machine.Volume) polygon.Point {
	if v.Shape == machine.Round {
		return polygon.Point{}
	}
	return polygon.At(v.XMM/2, v.YMM/2)
}

// Turned is an outline turned about the vertical and set down in the middle of a plate, as a part
// is that is sliced so: by the middle of its box, on a round plate by the least circle around it
// where it would stand out over the rim otherwise.
func Turned(o polygon.Path, deg float64, v machine.Volume) polygon.Path {
	if deg == 0 {
		return o
	}
	sin, cos := math.Sincos(deg * math.Pi / 180)
	out := make(polygon.Path, len(o))
	mid := Middle(v)
	for i, p := range o {
		x, y := float64(p.X-mid.X), float64(p.Y-mid.Y)
		out[i] = polygon.Point{X: int64(math.Round(x*cos - y*sin)), Y: int64(math.Round(x*sin + y*cos))}
	}
	b := polygon.Bounds(out)
	own := polygon.Point{X: (b.MinX + b.MaxX) / 2, Y: (b.MinY + b.MaxY) / 2}
	if v.Shape == machine.Round {
		far := 0.0
		for _, p := range out {
			far = math.Max(far, math.Hypot(float64(p.X-own.X), float64(p.Y-own.Y)))
		}
		if far > v.XMM*500 {
			c := polygon.EnclosingCircle(out)
			own = polygon.At(c.XMM, c.YMM)
		}
	}
	for i := range out {
		out[i].X += mid.X - own.X
		out[i].Y += mid.Y - own.Y
	}
	return out
}

func shifted(o polygon.Path, by polygon.Point) polygon.Path {
	out := slices.Clone(o)
	for i := range out {
		out[i].X += by.X
		out[i].Y += by.Y
	}
	return out
}
