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
	ax, ay := (a.X-g.MinXMM)/g.CellMM, (a.Y-g.MinYMM)/g.CellMM
	bx, by := (b.X-g.MinXMM)/g.CellMM, (b.Y-g.MinYMM)/g.CellMM
	cx, cy := (c.X-g.MinXMM)/g.CellMM, (c.Y-g.MinYMM)/g.CellMM
	high := max(ay, by, cy)
	for r := max(0, int(math.Ceil(min(ay, by, cy)-0.5))); r < g.Deep && float64(r)+0.5 < high; r++ {
		y := float64(r) + 0.5
		above := [3]bool{ay > y, by > y, cy > y}
		from, to := math.Inf(1), math.Inf(-1)
		if above[0] != above[1] {
			x := meets(ax, ay, bx, by, y)
			from, to = x, x
		}
		if above[1] != above[2] {
			x := meets(bx, by, cx, cy, y)
			from, to = min(from, x), max(to, x)
		}
		if above[2] != above[0] {
			x := meets(cx, cy, ax, ay, y)
			from, to = min(from, x), max(to, x)
		}
		off := (y - ay) * n.Y
		for k := max(0, int(math.Ceil(from-0.5))); k < g.Wide && float64(k)+0.5 < to; k++ {
			z := a.Z
			if n.Z != 0 {
				z -= ((float64(k)+0.5-ax)*n.X + off) * g.CellMM / n.Z
			}
			do(r*g.Wide+k, max(bottom, min(top, z)))
		}
	}
}

// meets is where an edge from one side of a line of cells to the other meets it: the same way round for both
// triangles of an edge.
func meets(ax, ay, bx, by, y float64) float64 {
	if ay > by {
		ax, ay, bx, by = bx, by, ax, ay
	}
	return ax + (y-ay)/(by-ay)*(bx-ax)
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
