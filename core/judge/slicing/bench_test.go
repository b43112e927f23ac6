package slicing

import (
	"io"
	"testing"

	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/solid"
)

// Twenty copies beside one: lines are made once, so that toolpaths take little longer; timing
// and writing grow with the bytes.
func BenchmarkPlate(b *testing.B) {
	for name, n := range map[string]int{"one": 1, "twenty": 20} {
		o := order()
		o.Machine.Volume.XMM, o.Machine.Volume.YMM, o.Machine.Volume.ZMM = 400, 400, 300
		o.Pieces = []Piece{{Mesh: solid.Bollard(), MMPerUnit: 1, Copies: n}}
		b.Run("toolpaths/"+name, func(b *testing.B) {
			m := o.Pieces[0].Mesh
			for b.Loop() {
				opts := toolpath.Options{Machine: o.Machine}
				part, err := toolpath.SlicePart(ctx, m, mesh.TopologyOf(m), 1, o.Recipe, opts, nil)
				if err != nil {
					b.Fatal(err)
				}
				places := make([]toolpath.Place, n)
				for k := range places {
					places[k].By = polygon.At(float64(70*(k%5)), float64(70*(k/5)))
				}
				if _, err := toolpath.Lay(ctx, []*toolpath.Part{part}, places, o.Recipe, opts); err != nil {
					b.Fatal(err)
				}
			}
		})
		b.Run("whole/"+name, func(b *testing.B) {
			for b.Loop() {
				err := Make(ctx, o, nil, func(p *Plate) error {
					if p.Like > 0 {
						return nil
					}
					return p.WriteProgram(ctx, io.Discard, nil)
				})
				if err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
