package toolpath_test

import (
	"context"
	"fmt"

	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// A cube of 20 mm becomes lines, layer by layer; each says what it is for.
func Example() {
	r := recipe.Recipe{LayerMM: 0.2, FirstLayerMM: 0.2, LineMM: 0.45, Shells: 2, TopLayers: 4, BottomLayers: 4, InfillPercent: 15, Adhesion: recipe.AdhesionSkirt,
		OuterMMPerS: 40, InnerMMPerS: 60, TopBottomMMPerS: 60, InfillMMPerS: 80, FirstMMPerS: 20, TravelMMPerS: 150, RetractMM: 1, RetractMMPerS: 35}
	cube := solid.Box(20, 20, 20)
	p, err := toolpath.Slice(context.Background(), cube, mesh.TopologyOf(cube), 1, r, toolpath.Options{}, nil)
	if err != nil {
		fmt.Println(err) // in words: what does not go, and what to do
		return
	}
	for _, i := range []int{0, 50} {
		kinds := map[toolpath.Kind]int{}
		for _, l := range p.Layers[i].Lines {
			kinds[l.Kind]++
		}
		fmt.Printf("%.1f mm: %d outer shell, %d inner, %d around it\n", p.Layers[i].TopMM, kinds[toolpath.Outer], kinds[toolpath.Inner], kinds[toolpath.Adhesion])
	}
	// Output:
	// 0.2 mm: 1 outer shell, 1 inner, 2 around it
	// 10.2 mm: 1 outer shell, 1 inner, 0 around it
}
