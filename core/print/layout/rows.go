package layout

import (
	"cmp"
	"math"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/polygon"
)

// Rows lays all copies on plates of a machine, the deepest first, in rows from the front; the
// rows of a plate lie about its middle. A plate holds at most toolpath.MostPlaces. What is too
// large for a row lies on a plate of its own. Where several lie on a rectangular plate, so much
// on its right is kept free for the purge tower.
func Rows(items []Item, v machine.Volume, apart, free int64) [][]Spot {
	var all []copied
	for k, it := range items {
		for n := range it.Copies {
			all = append(all, copied{Spot{Item: k, Copy: n}, it.Box})
		}
	}
	slices.SortStableFunc(all, func(a, b copied) int { return cmp.Compare(b.depth(), a.depth()) })
	room := roomOf(v, apart, free)
	var out [][]Spot
	for len(all) > 0 {
		n := room.fill(all)
		plate := make([]Spot, n)
		for i := range plate {
			plate[i] = all[i].Spot
		}
		out, all = append(out, plate), all[n:]
	}
	return out
}

// copied is one copy with the box that it takes.
type copied struct {
	Spot
	box polygon.Box
}

func (c *copied) width() int64 { return c.box.MaxX - c.box.MinX }
func (c *copied) depth() int64 { return c.box.MaxY - c.box.MinY }

// room is a plate about its middle.
type room struct {
	round bool
	// x and y are half of what it measures.
	x, y, apart int64
	mid         polygon.Point
}

func roomOf(v machine.Volume, apart, free int64) room {
	r := room{round: v.Shape == machine.Round, x: polygon.UM(v.XMM / 2), y: polygon.UM(v.YMM / 2), apart: apart}
	if r.round {
		r.y = r.x
		return r
	}
	r.x -= free / 2
	r.mid = polygon.Point{X: r.x, Y: r.y}
	return r
}

// row is copies side by side, from..to of all.
type row struct {
	from, to     int
	width, depth int64
}

// fill lays the first of some copies on a plate and says how many: at least one.
func (r *room) fill(all []copied) int {
	var best []row
	bestAt, many := int64(0), 0
	for _, at := range r.begins() {
		rows, low := r.rows(all, at)
		if len(rows) > 0 && rows[len(rows)-1].to > many {
			best, bestAt, many = rows, low, rows[len(rows)-1].to
		}
	}
	if many <= 1 {
		return 1 // in the middle, as it was sliced
	}
	y := bestAt
	for _, w := range best {
		x := -w.width / 2
		for i := w.from; i < w.to; i++ {
			c := &all[i]
			c.By = polygon.Point{X: r.mid.X + x - c.box.MinX, Y: r.mid.Y + y + (w.depth-c.depth())/2 - c.box.MinY}
			x += c.width() + r.apart
		}
		y += w.depth + r.apart
	}
	return many
}

// begins is where the first row may begin: of a round plate it is tried how far from the
// front the rows hold most.
func (r *room) begins() []int64 {
	if !r.round {
		return []int64{-r.y}
	}
	const tries = 32
	out := make([]int64, 0, tries)
	for k := range int64(tries) {
		out = append(out, -r.y+r.y*k/tries)
	}
	return out
}

// rows fills rows from y at on, and says where the first lies: moved so that all lie about
// the middle, where they still are on the plate then.
func (r *room) rows(all []copied, at int64) (out []row, from int64) {
	y := at
	for i := 0; i < min(len(all), toolpath.MostPlaces); {
		w := row{from: i, to: i, depth: all[i].depth()}
		half := r.half(y, y+w.depth)
		for w.to < min(len(all), toolpath.MostPlaces) {
			wide := w.width + all[w.to].width()
			if w.to > w.from {
				wide += r.apart
			}
			if wide > 2*half {
				break
			}
			w.width, w.to = wide, w.to+1
		}
		if w.to == w.from {
			break
		}
		out = append(out, w)
		i, y = w.to, y+w.depth+r.apart
	}
	if len(out) == 0 {
		return nil, at
	}
	middle := -(y - r.apart - at) / 2
	y = middle
	for _, w := range out {
		if w.width > 2*r.half(y, y+w.depth) {
			return out, at
		}
		y += w.depth + r.apart
	}
	return out, middle
}

// half is half of how wide the plate is all the way from one y to another; less than nothing
// where it is not there.
func (r *room) half(from, to int64) int64 {
	if from < -r.y || to > r.y {
		return -1
	}
	if !r.round {
		return r.x
	}
	far := float64(max(-from, to))
	return int64(math.Sqrt(math.Max(0, float64(r.x)*float64(r.x)-far*far)))
}
