// Package drawn makes prints by seed: small bodies of many shapes, with settings and machines
// of all kinds. Tests hold by them that nothing moved: each seed is one hash, so they reach
// what no list of examples would.
package drawn

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/plate"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// Print is a body on its way to be made, as it stands on its plate.
type Print struct {
	Mesh    *mesh.Mesh
	Recipe  recipe.Recipe
	Machine machine.Machine
	Loaded  machine.Loaded
}

// Of draws a print. Most settings are left as they are most of the time, so that each one
// meets plain prints as well as odd ones.
func Of(seed uint64) Print {
	r := rand.New(rand.NewPCG(seed, 2)) //nolint:gosec // the same each time
	of := func(least, most float64) float64 { return least + (most-least)*r.Float64() }
	sometimes := func(n int, f func()) {
		if r.IntN(n) == 0 {
			f()
		}
	}
	var p Print
	p.Machine = machine.Machine{Name: "drawn", Process: machine.MaterialExtrusion, NozzlesMM: []float64{0.4}, FilamentMM: 1.75, NozzleMaxC: 300, BedMaxC: 120,
		Volume: machine.Volume{Shape: machine.Rectangle, XMM: 120, YMM: 100, ZMM: 80},
		Motion: machine.Motion{SpeedMMPerS: of(60, 250), AccelMMPerS2: of(400, 5000), JunctionDeviationMM: of(0.005, 0.05), LiftMMPerS: of(5, 20)},
		WarmUp: machine.WarmUp{NozzleCPerS: of(1, 4), BedCPerS: of(0.05, 1), HomingS: of(10, 40)}, RateCents: 150}
	p.Loaded = machine.Loaded{{Name: "PLA", DensityGPerCM: 1.24, NozzleC: 210, SpoolGrams: 1000, SpoolCents: 2500}}
	layer := of(0.12, 0.32)
	q := &p.Recipe
	*q = recipe.Recipe{Name: "drawn", LayerMM: layer, FirstLayerMM: of(0.15, 0.32), LineMM: of(0.4, 0.6), Shells: 1 + r.IntN(4), TopLayers: r.IntN(6), BottomLayers: r.IntN(6),
		InfillPercent: of(5, 50), Adhesion: []recipe.Adhesion{recipe.AdhesionNone, recipe.AdhesionSkirt, recipe.AdhesionBrim, recipe.AdhesionRaft}[r.IntN(4)], BrimMM: of(1, 5),
		NozzleC: 210, BedC: 60, OuterMMPerS: of(20, 60), InnerMMPerS: of(30, 90), TopBottomMMPerS: of(30, 90), InfillMMPerS: of(40, 120), FirstMMPerS: of(10, 30),
		TravelMMPerS: of(80, 200), RetractMM: of(0.5, 3), RetractMMPerS: of(20, 60),
		Pattern:        []recipe.Pattern{recipe.PatternLines, recipe.PatternGrid, recipe.PatternHoneycomb, recipe.PatternGyroid}[r.IntN(4)],
		Support:        []recipe.Support{recipe.SupportEverywhere, recipe.SupportPlateOnly, recipe.SupportEverywhere, recipe.SupportOff, recipe.SupportFirstLayer}[r.IntN(5)],
		SupportPattern: []recipe.SupportPattern{recipe.SupportLines, recipe.SupportGrid}[r.IntN(2)],
		Seam:           []recipe.Seam{recipe.SeamInLine, recipe.SeamBack, recipe.SeamClosest}[r.IntN(3)]}
	sometimes(3, func() { q.InfillPercent = []float64{0, 1, 2, 3, 100}[r.IntN(5)] })
	sometimes(3, func() { q.SupportDeg, q.SupportPercent = of(25, 80), of(4, 60) })
	sometimes(3, func() { q.SupportHorizontalGapMM = new(of(0, 2)) })
	sometimes(3, func() { q.SupportVerticalGapMM = new(of(0, 3*layer)) })
	sometimes(3, func() { q.SupportInterface, q.SupportInterfacePercent = new(r.IntN(5)), of(0, 100) })
	sometimes(4, func() { q.LiftMM = of(0.1, 1) })
	sometimes(4, func() { q.RetractMM = 0 })
	sometimes(5, func() { q.PauseMM = []float64{of(0.3, 3), of(3, 9)}[:1+r.IntN(2)] })
	sometimes(4, func() { q.BridgeMMPerS, q.SupportMMPerS = of(10, 40), of(20, 80) })
	sometimes(4, func() {
		q.OuterMMPerS2, q.InnerMMPerS2, q.TopBottomMMPerS2, q.InfillMMPerS2 = of(300, 900), of(300, 900), of(300, 900), of(300, 900)
		q.BridgeMMPerS2, q.SupportMMPerS2, q.FirstMMPerS2, q.TravelMMPerS2 = of(300, 900), of(300, 900), of(300, 900), of(300, 900)
	})
	sometimes(3, func() { q.MinLayerTimeS = of(2, 30) })
	sometimes(3, func() { q.PurgeMM, q.FirstNozzleC, q.FanPercent = of(1, 20), 215, of(10, 100) })
	sometimes(4, func() { p.Machine.IdleOffS = of(60, 600) })
	sometimes(6, func() { q.BedC = 0 })
	sometimes(4, func() { p.Machine.Volume = machine.Volume{Shape: machine.Round, XMM: 90, YMM: 90, ZMM: 60} })
	sometimes(3, func() { // a second nozzle
		p.Machine.NozzlesMM, p.Machine.ChangeS = []float64{0.4, []float64{0.4, 0.6}[r.IntN(2)]}, of(2, 20)
		p.Loaded = append(p.Loaded, &machine.Material{Name: "Soluble", DensityGPerCM: 1.2, NozzleC: []float64{205, 240}[r.IntN(2)], SpoolGrams: 500, SpoolCents: 3400})
		q.PieceNozzle, q.SupportNozzle = r.IntN(3), r.IntN(3)
		sometimes(3, func() { q.ChangePurgeMM = new(of(0, 30)) })
	})
	sometimes(5, func() { p.Machine.Dialect.Arcs = true })
	sometimes(5, func() { p.Machine.Dialect.AbsoluteE = true })
	sometimes(5, func() {
		p.Machine.Dialect.Start, p.Machine.Dialect.End = "G28\n; {layers} {minutes} {machine}\nM109 S{nozzle_c}", "G1 Z{clear_mm}\nM104 S0\nM140 S0"
		p.Machine.Dialect.Change = "T{nozzle} ; {layer} {top_mm}"
	})
	body := solid.Drawn(seed)
	sometimes(3, func() { // as large as the plate, or nearly
		size := body.Bounds().Size()
		p.Machine.Volume.XMM = math.Ceil(size.X + of(0, 8))
		p.Machine.Volume.YMM = math.Ceil(size.Y + of(0, 8))
		if p.Machine.Volume.Shape == machine.Round {
			p.Machine.Volume.XMM = math.Ceil(math.Hypot(size.X, size.Y) + of(0, 8))
			p.Machine.Volume.YMM = p.Machine.Volume.XMM
		}
	})
	p.Mesh = plate.Stand(body, 1, 0, p.Machine.Volume)
	return p
}

var number = regexp.MustCompile(`-?\d+\.\d+(e[-+]?\d+)?`)

// Told writes figures down to six digits each, so that the last bits may differ.
func Told(v any) string {
	raw, err := json.Marshal(v)
	if err != nil {
		return err.Error()
	}
	return number.ReplaceAllStringFunc(string(raw), func(s string) string {
		f, _ := strconv.ParseFloat(s, 64)
		return strconv.FormatFloat(f, 'g', 6, 64)
	})
}

// Stool is a top of 30 × 30 × 2 mm on a foot of 6 × 6 mm, legMM high.
func Stool(legMM float64) *mesh.Mesh {
	m := solid.Box(6, 6, legMM).Transformed(1, mesh.Vec3{X: 12, Y: 12})
	m.Append(solid.Box(30, 30, 2).Transformed(1, mesh.Vec3{Z: legMM}))
	return m
}

// Plain is a recipe without anything that is not asked for.
func Plain(change func(*recipe.Recipe)) recipe.Recipe {
	r := recipe.Recipe{LayerMM: 0.2, FirstLayerMM: 0.2, LineMM: 0.45, Shells: 2, TopLayers: 4, BottomLayers: 4, InfillPercent: 15, Adhesion: recipe.AdhesionNone,
		OuterMMPerS: 40, InnerMMPerS: 60, TopBottomMMPerS: 60, InfillMMPerS: 80, FirstMMPerS: 20, TravelMMPerS: 150, RetractMM: 1, RetractMMPerS: 35}
	if change != nil {
		change(&r)
	}
	return r
}
