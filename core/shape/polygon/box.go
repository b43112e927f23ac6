package polygon

import "math"

// Box is a rectangle along the axes, µm, its borders part of it.
type Box struct{ MinX, MinY, MaxX, MaxY int64 }

// Bounds is the least box around paths. Around nothing it is a box that meets none.
func Bounds(paths ...Path) Box {
	b := Box{math.MaxInt64, math.MaxInt64, math.MinInt64, math.MinInt64}
	for _, p := range paths {
		for _, q := range p {
			b.MinX, b.MinY = min(b.MinX, q.X), min(b.MinY, q.Y)
			b.MaxX, b.MaxY = max(b.MaxX, q.X), max(b.MaxY, q.Y)
		}
	}
	return b
}

// Meets says that two boxes have a point in common.
func (b *Box) Meets(o *Box) bool {
	return b.MinX <= o.MaxX && o.MinX <= b.MaxX && b.MinY <= o.MaxY && o.MinY <= b.MaxY
}

// Holds says that a point is in the box, or at most a margin outside of it, µm.
func (b *Box) Holds(p Point, margin int64) bool {
	return p.X >= b.MinX-margin && p.X <= b.MaxX+margin && p.Y >= b.MinY-margin && p.Y <= b.MaxY+margin
}

// within says that all of the box is in another.
func (b *Box) within(o *Box) bool {
	return b.MinX >= o.MinX && b.MinY >= o.MinY && b.MaxX <= o.MaxX && b.MaxY <= o.MaxY
}

// meetsOnly says that two boxes have one point in common, p.
func (b *Box) meetsOnly(o *Box, p Point) bool {
	return max(b.MinX, o.MinX) == p.X && min(b.MaxX, o.MaxX) == p.X && max(b.MinY, o.MinY) == p.Y && min(b.MaxY, o.MaxY) == p.Y
}

// Moved is the box somewhere else.
func (b *Box) Moved(by Point) Box {
	return Box{b.MinX + by.X, b.MinY + by.Y, b.MaxX + by.X, b.MaxY + by.Y}
}

// Add makes a box the least around both.
func (b *Box) Add(o Box) {
	b.MinX, b.MinY = min(b.MinX, o.MinX), min(b.MinY, o.MinY)
	b.MaxX, b.MaxY = max(b.MaxX, o.MaxX), max(b.MaxY, o.MaxY)
}

func (e *edge) box() Box {
	return Box{min(e.a.X, e.b.X), min(e.a.Y, e.b.Y), max(e.a.X, e.b.X), max(e.a.Y, e.b.Y)}
}
