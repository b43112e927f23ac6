package desk

import (
	"jobshelf/core/print/estimate"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
)

// FullView is the full estimate as the bench shows it.
type FullView struct {
	Seconds       float64              `json:"seconds" doc:"How long the machine is busy, s"`
	WarmUp        float64              `json:"warm_up_seconds" doc:"Of it, warming up"`
	Layers        int                  `json:"layers"`
	Grams         float64              `json:"grams"`
	GramsModel    float64              `json:"grams_model"`
	GramsSupport  float64              `json:"grams_support"`
	GramsAdhesion float64              `json:"grams_adhesion"`
	GramsPurge    float64              `json:"grams_purge"`
	Nozzles       []estimate.NozzleUse `json:"nozzles"`
	Changes       int                  `json:"nozzle_changes"`
	FilamentMM    float64              `json:"filament_mm"`
	Price         units.Cents          `json:"price_cents"`
	Lines         []units.PriceLine    `json:"lines"`
	ByKind        map[string]float64   `json:"seconds_by_kind"`
	Strip         []estimate.LayerTime `json:"by_layer"`
}

func fullView(f *price.Full) FullView {
	return FullView{
		Seconds: f.WholeSeconds(), WarmUp: f.WarmUpSeconds, ByKind: f.ByKind, Strip: f.ByLayer,
		Layers: f.Layers, Nozzles: f.Nozzles, Changes: f.Changes, FilamentMM: f.FilamentMM,
		Grams: f.Grams(), GramsModel: f.GramsModel, GramsSupport: f.GramsSupport, GramsAdhesion: f.GramsAdhesion, GramsPurge: f.GramsPurge,
		Price: f.Cents, Lines: f.Lines,
	}
}
