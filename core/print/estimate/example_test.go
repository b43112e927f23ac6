package estimate_test

import (
	"context"
	"fmt"

	"jobshelf/core/print/estimate"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/section"
	"jobshelf/core/shape/solid"
)

// A cube of 20 mm, estimated quickly from its sections, and in full from its lines.
func Example() {
	r := recipe.Recipe{LayerMM: 0.2, FirstLayerMM: 0.2, LineMM: 0.45, Shells: 2, TopLayers: 4, BottomLayers: 4, InfillPercent: 15, Adhesion: recipe.AdhesionNone, NozzleC: 210, BedC: 60,
		OuterMMPerS: 40, InnerMMPerS: 60, TopBottomMMPerS: 60, InfillMMPerS: 80, FirstMMPerS: 20, TravelMMPerS: 150, RetractMM: 1, RetractMMPerS: 35}.WithDefaults()
	m := &machine.Machine{Name: "Bowline", Process: machine.MaterialExtrusion, FilamentMM: 1.75, Volume: machine.Volume{Shape: machine.Rectangle, XMM: 200, YMM: 200, ZMM: 200},
		Motion: machine.Motion{SpeedMMPerS: 200, AccelMMPerS2: 1500, JunctionDeviationMM: 0.02, LiftMMPerS: 10}, WarmUp: machine.WarmUp{NozzleCPerS: 2, BedCPerS: 0.5, HomingS: 20}}
	loaded := machine.Loaded{{Name: "PLA", DensityGPerCM: 1.24}}
	cube := solid.Box(20, 20, 20)
	topo := mesh.TopologyOf(cube)
	stack, err := section.NewStack(context.Background(), cube, topo, toolpath.LayeringOf(&r, m), 1, nil)
	if err != nil {
		fmt.Println(err)
	}
	quick := estimate.QuickOf(stack, &r, m, loaded)
	p, err := toolpath.Slice(context.Background(), cube, topo, 1, r, toolpath.Options{Machine: m}, nil)
	if err != nil {
		fmt.Println(err)
	}
	full := estimate.FullOf(p, r, m, loaded)
	fmt.Printf("quick: %.0f min, %.1f g; in full: %.0f min, %.1f g, %d layers\n", quick.Seconds/60, quick.Grams, full.Seconds/60, full.Grams(), full.Layers)
	// Output: quick: 12 min, 3.3 g; in full: 13 min, 3.3 g, 100 layers
}
