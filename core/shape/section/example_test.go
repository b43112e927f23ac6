package section_test

import (
	"context"
	"fmt"
	"slices"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/section"
	"jobshelf/core/shape/solid"
)

// A tube is cut at two heights; outlines run anticlockwise, holes clockwise.
func Example() {
	square := func(a float64) []solid.P {
		return []solid.P{{X: -a, Y: -a}, {X: a, Y: -a}, {X: a, Y: a}, {X: -a, Y: a}}
	}
	hole := square(4)
	slices.Reverse(hole)
	tube := solid.Extrude(square(5), [][]solid.P{hole}, 10)
	cuts, err := section.Planes(context.Background(), tube, mesh.TopologyOf(tube), []float64{2, 11}, 1)
	if err != nil {
		fmt.Println(err)
	}
	for _, c := range cuts {
		area := 0.0
		for _, l := range c.Loops {
			area += l.Area()
		}
		fmt.Printf("%d outlines around %.1f mm²\n", len(c.Loops), area)
	}
	// Output:
	// 2 outlines around 36.0 mm²
	// 0 outlines around 0.0 mm²
}
