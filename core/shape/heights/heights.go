// Package heights looks at a surface from above: how high the line over the middle of each cell of a
// grid goes through it, and what of it overhangs. All that is foreseen of support begins here:
// orientation measures the room under the cells that overhang, the quick estimate stands its columns
// under them.
package heights

import (
	"math"

	"jobshelf/core/shape/mesh"
)

// Grid is square cells over a plate: Wide across, Deep rows, the first at Min. Cell c of row r is
// r·Wide + c.
type Grid struct {
	MinXMM, MinYMM, CellMM float64
	Wide, Deep             int
}

// Over calls do with every cell whose middle lies over or under a triangle of mm, and the height there
// in mm. Of cells on an edge that two triangles share only one has them, so that every line meets a closed
// surface an even number of times; an upright triangle has those that rounding gives it.
func (g *Grid) Over(a, b, c mesh.Vec3, do func(cell int, zMM float64)) {
	n := Normal(a, b, c)
	bottom, top := min(a.Z, b.Z, c.Z), max(a.Z, b.Z, c.Z)
	at := func(v mesh.Vec3) (x, y float64) { return (v.X - g.MinXMM) / g.CellMM, (v.Y - g.MinYMM) / g.CellMM }
	ax, ay := at(a)
	bx, by := at(b)
	cx, cy := at(c)
	low, high := min(ay, by, cy), max(ay, by, cy)
	for r := max(0, int(math.Ceil(low-0.5))); r < g.Deep && float64(r)+0.5 < high; r++ {
		y := float64(r) + 0.5
		from, to := math.Inf(1), math.Inf(-1)
		for _, e := range [3][4]float64{{ax, ay, bx, by}, {bx, by, cx, cy}, {cx, cy, ax, ay}} {
			if (e[1] <= y) == (e[3] <= y) {
				continue
			}
			if e[1] > e[3] { // the same way round for both triangles of an edge
				e = [4]float64{e[2], e[3], e[0], e[1]}
			}
			x := e[0] + (y-e[1])/(e[3]-e[1])*(e[2]-e[0])
			from, to = math.Min(from, x), math.Max(to, x)
		}
		for k := max(0, int(math.Ceil(from-0.5))); k < g.Wide && float64(k)+0.5 < to; k++ {
			z := a.Z
			if n.Z != 0 {
				z -= ((float64(k)+0.5-ax)*n.X + (y-ay)*n.Y) * g.CellMM / n.Z
			}
			do(r*g.Wide+k, math.Max(bottom, math.Min(top, z)))
		}
	}
}

// Normal is the normal of a triangle, twice its area long.
func Normal(a, b, c mesh.Vec3) mesh.Vec3 { return b.Sub(a).Cross(c.Sub(a)) }

// Lean is how far a surface may lean from upright before it wants support, as a tangent.
type Lean float64

// LeanOf is that of an angle from vertical, degrees.
func LeanOf(deg float64) Lean { return Lean(math.Tan(deg * math.Pi / 180)) }

// holds is by how much more a surface may lean: one of just the angle holds, however it is rounded.
const holds = 1.001

// Past says whether a face of that normal leans further, whichever way it faces.
func (l Lean) Past(n mesh.Vec3) bool {
	most := holds * float64(l)
	return n.Z != 0 && n.Z*n.Z > most*most*(n.X*n.X+n.Y*n.Y)
}

// Overhangs says whether a face of that normal, outwards, faces down and leans further.
func (l Lean) Overhangs(n mesh.Vec3) bool { return n.Z < 0 && l.Past(n) }
