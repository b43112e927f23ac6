package layout

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"

	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/polygon"
)

// policy is which of the free places a copy takes.
type policy int

const (
	front  policy = iota // as far in front as may be, then as far left
	centre               // as near the middle
	rim                  // as far from the middle: corners and the rim first
)

// way is one way to fill plates.
type way struct {
	order  []int // items
	turns  int   // how many of each item's turns are tried, beside none
	policy policy
}

// filling is plates being filled.
type filling struct {
	r       *raster
	byItem  [][]int // forms
	blocked [][]uint64
	seen    []int // how many of lies are in blocked, by form
	lies    []laid
	ops     int // words that were looked at
}

// laid is a form that lies, by cells; what is kept out or pinned lies at 0.
type laid struct {
	form int // of r.forms, or past them of what stays
	i, j int
}

// search tries ways until the effort is spent or nothing can be better.
func (w *work) search() {
	r := newRaster(w.items, &w.ask)
	stays := len(r.forms)
	r.forms = append(r.forms, r.keep...)
	pinsAt := len(r.forms)
	for _, p := range w.pinned {
		r.forms = append(r.forms, r.form(-1, 0, p.outline))
	}
	f := &filling{r: r, byItem: make([][]int, len(w.items)), blocked: make([][]uint64, stays), seen: make([]int, stays)}
	for k := range stays {
		f.byItem[r.forms[k].item] = append(f.byItem[r.forms[k].item], k)
	}
	if len(w.pinned) == 0 && len(w.ask.KeepOut) == 0 {
		w.boxes()
	}
	most := 0
	for _, it := range w.items {
		most = max(most, len(it.TurnsDeg))
	}
	rnd := rand.New(rand.NewPCG(w.ask.Seed, 1)) //nolint:gosec // the same again is wanted
	ways := w.ways(most)
	for n := 0; !w.done() && w.ctx.Err() == nil; n++ {
		way := ways[n%len(ways)]
		w.left--
		if n >= firstWays && w.left <= 0 {
			break
		}
		if n >= len(ways) {
			way.order = slices.Clone(way.order)
			for k := range way.order { // near neighbours change places
				if j := k + rnd.IntN(3); j < len(way.order) {
					way.order[k], way.order[j] = way.order[j], way.order[k]
				}
			}
			if way.turns == 0 && len(w.best) <= w.least {
				continue
			}
		}
		f.ops, r.made = 0, 0
		w.offer(w.fillAll(f, way, stays, pinsAt))
		w.left -= (f.ops + r.made*10) / opsPer
	}
	if !w.done() && len(w.best) > w.least && w.ctx.Err() == nil {
		w.press(r, f, rnd)
	}
}

// Of the effort: how many ways are tried whatever it is, and how many words are looked at for one.
const firstWays, opsPer = 6, 10_000

// ways are the orders, turns and policies that are tried first.
func (w *work) ways(most int) []way {
	key := func(by func(o polygon.Path, b polygon.Box) float64) []int {
		order := make([]int, len(w.items))
		val := make([]float64, len(w.items))
		for k := range order {
			o := w.items[k].outline()
			order[k], val[k] = k, by(o, polygon.Bounds(o))
		}
		slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(val[b], val[a]) })
		return order
	}
	orders := [][]int{
		key(func(o polygon.Path, _ polygon.Box) float64 { return math.Abs(o.Area()) }),
		key(func(_ polygon.Path, b polygon.Box) float64 { return float64(max(b.MaxX-b.MinX, b.MaxY-b.MinY)) }),
		key(func(_ polygon.Path, b polygon.Box) float64 { return float64(b.MaxY - b.MinY) }),
	}
	var turns []int
	for _, n := range []int{0, 1, 3, most} {
		if n <= most && !slices.Contains(turns, n) {
			turns = append(turns, n)
		}
	}
	policies := []policy{front, rim, centre}
	if len(w.pinned) > 0 || len(w.ask.KeepOut) > 0 {
		policies = []policy{centre, front, rim} // not far from what somebody put there
	}
	var out []way
	for _, n := range turns {
		for _, p := range policies {
			for _, o := range orders {
				if !slices.ContainsFunc(out, func(x way) bool { return x.turns == n && x.policy == p && slices.Equal(x.order, o) }) {
					out = append(out, way{o, n, p})
				}
			}
		}
	}
	return out
}

// fillAll fills plate after plate one way; nil where what stays does not lie within them or the way
// is no better than the best.
func (w *work) fillAll(f *filling, y way, stays, pinsAt int) [][]Spot {
	need := make([]int, len(w.items))
	next := make([]int, len(w.items))
	all := 0
	for k, it := range w.items {
		next[k] = min(len(it.Pinned), it.Copies)
		need[k] = it.Copies - next[k]
		all += need[k]
	}
	last := -1
	for _, p := range w.pinned {
		last = max(last, p.plate)
	}
	var out [][]Spot
	for n := 0; all > 0 || n <= last; n++ {
		if w.best != nil && n > len(w.best) || w.ctx.Err() != nil {
			return nil
		}
		f.clear()
		var plate []Spot
		for k := stays; k < pinsAt; k++ {
			f.lies = append(f.lies, laid{form: k})
		}
		for k, p := range w.pinned {
			if p.plate == n {
				plate = append(plate, p.Spot)
				f.lies = append(f.lies, laid{form: pinsAt + k})
			}
		}
		pinned := len(plate)
		for _, k := range y.order {
			for need[k] > 0 && len(plate) < toolpath.MostPlaces {
				form, i, j := f.place(k, y)
				if form < 0 {
					break
				}
				x := f.r.forms[form]
				f.lies = append(f.lies, laid{form, i, j})
				plate = append(plate, Spot{Item: k, Copy: next[k], TurnDeg: x.deg, By: f.r.at(i, j)})
				next[k]++
				need[k]--
				all--
			}
		}
		if len(plate) == 0 && all > 0 {
			// What goes nowhere lies alone in the middle.
			k := slices.IndexFunc(need, func(n int) bool { return n > 0 })
			plate = []Spot{{Item: k, Copy: next[k]}}
			next[k]++
			need[k]--
			all--
		}
		if pinned == 0 && len(w.ask.KeepOut) == 0 {
			w.toMiddle(plate)
		}
		if len(plate) > 0 {
			out = append(out, plate)
		}
	}
	return out
}

// at is the place of a cell.
func (r *raster) at(i, j int) polygon.Point {
	return polygon.Point{X: int64(math.Round(float64(i) * r.cell)), Y: int64(math.Round(float64(j) * r.cell))}
}

// clear takes everything off.
func (f *filling) clear() {
	f.lies = f.lies[:0]
	for k := range f.seen {
		f.seen[k] = -1
	}
}

// place finds where a copy of an item may lie; no form where there is no room.
func (f *filling) place(item int, y way) (form, i, j int) {
	best, form := math.Inf(1), -1
	for n, k := range f.byItem[item] {
		x := f.r.forms[k]
		if n > y.turns || x.nx == 0 {
			continue
		}
		f.renew(k)
		f.ops += x.ny * x.words
		if cost, a, b := f.r.choose(x, f.blocked[k], y.policy, best); cost < best {
			best, form, i, j = cost, k, a, b
		}
	}
	return form, i, j
}

// renew brings what is blocked of a form up to date.
func (f *filling) renew(k int) {
	x := f.r.forms[k]
	if f.seen[k] < 0 {
		f.blocked[k] = append(f.blocked[k][:0], x.empty...)
		f.seen[k] = 0
	}
	for _, l := range f.lies[f.seen[k]:] {
		f.ops += x.block(f.blocked[k], f.r.stamp(l.form, k), l.i, l.j)
	}
	f.seen[k] = len(f.lies)
}

// stamp is where form b is blocked by form a.
func (r *raster) stamp(a, b int) *stamp {
	key := [2]int{a, b}
	s := r.stamps[key]
	if s == nil {
		x, y := r.forms[a], r.forms[b]
		if back := r.stamps[[2]int{b, a}]; back != nil {
			s = back.turned()
		} else {
			s = r.blocks(x, y)
			r.made += 200
			if !x.convex || !y.convex {
				r.made += 4 * len(x.grown) * len(y.grown)
			}
		}
		r.stamps[key] = s
	}
	return s
}

// choose takes the free place that costs least, if it costs less than what there is.
func (r *raster) choose(x *form, blocked []uint64, p policy, less float64) (cost float64, i, j int) {
	cost = less
	midX, midY := float64(x.low.X+x.high.X)/2, float64(x.low.Y+x.high.Y)/2
	take := func(a, b int, c float64) {
		if c < cost-1e-9 {
			cost, i, j = c, a, b
		}
	}
	from := -int(math.Round(midX/r.cell)) - x.i0 // the cell that brings its middle to the plate's
	for b := range x.ny {
		row := blocked[b*x.words : (b+1)*x.words]
		y := float64(x.j0+b)*r.cell + midY
		switch p {
		case front:
			if a := firstFree(row, 0); a >= 0 {
				left := float64(x.i0+a)*r.cell + float64(x.low.X)
				top := float64(x.j0+b)*r.cell + float64(x.high.Y)
				take(x.i0+a, x.j0+b, top+1e-4*left)
				return cost, i, j
			}
		case centre:
			if y*y >= cost {
				continue
			}
			at := max(0, min(from, x.nx-1))
			for _, a := range [2]int{firstFree(row, at), lastFree(row, at)} {
				if a >= 0 {
					h := float64(x.i0+a)*r.cell + midX
					take(x.i0+a, x.j0+b, y*y+h*h)
				}
			}
		case rim:
			for _, a := range [2]int{firstFree(row, 0), lastFree(row, x.nx-1)} {
				if a >= 0 {
					h := float64(x.i0+a)*r.cell + midX
					take(x.i0+a, x.j0+b, -(y*y + h*h))
				}
			}
		}
	}
	return cost, i, j
}

// toMiddle moves what lies on a plate to its middle, where all still lies on it then.
func (w *work) toMiddle(plate []Spot) {
	all := polygon.Bounds()
	outlines := make([]polygon.Path, len(plate))
	for k, s := range plate {
		outlines[k] = Of(w.items, w.ask.Volume, s)
		all.Add(polygon.Bounds(outlines[k]))
	}
	mid := Middle(w.ask.Volume)
	if len(plate) > 1 && mid.X > 0 {
		mid.X -= w.ask.FreeUM / 2
	}
	by := polygon.Point{X: mid.X - (all.MinX+all.MaxX)/2, Y: mid.Y - (all.MinY+all.MaxY)/2}
	if len(plate) == 1 && plate[0].TurnDeg == 0 {
		by = polygon.Point{X: -plate[0].By.X, Y: -plate[0].By.Y}
	} else {
		for _, o := range outlines {
			if !holds(shifted(o, by), &w.ask, len(plate) > 1) {
				return
			}
		}
	}
	for k := range plate {
		plate[k].By.X += by.X
		plate[k].By.Y += by.Y
	}
}
