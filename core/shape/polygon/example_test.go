package polygon_test

import (
	"fmt"

	"jobshelf/core/shape/polygon"
)

// A plate of 30 × 20 mm with a round bite out of a corner, and a line's width taken off all
// around. The same scratch serves any number of operations, one after the other.
func Example() {
	var s polygon.Scratch
	plate := polygon.Path{polygon.At(0, 0), polygon.At(30, 0), polygon.At(30, 20), polygon.At(0, 20)}
	bite := s.Strokes([]polygon.Stroke{{Points: polygon.Path{polygon.At(30, 20)}, WidthUM: []float64{10_000}}}, polygon.Offsets{})
	left := s.Boolean(polygon.Difference, polygon.NonZero, []polygon.Path{plate}, bite)
	inner := s.Offset(left, -450, polygon.Offsets{})
	fmt.Printf("%.1f mm², within it %.1f mm²\n", left[0].Area(), inner[0].Area())
	fmt.Println(polygon.Inside(polygon.NonZero, left, polygon.At(1, 1)), polygon.Inside(polygon.NonZero, left, polygon.At(29, 19)))
	// Output:
	// 580.4 mm², within it 537.2 mm²
	// 1 -1
}
