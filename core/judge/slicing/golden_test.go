package slicing

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"gotest.tools/v3/golden"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
)

// What orders come to is as it was: regions and their corners, figures, the program's first
// lines and the whole of it, the plate; or the refusal. Other tests say what is right; this one
// says that nothing moved.
func TestOrdersComeOutAsTheyDid(t *testing.T) {
	over := SupportMark{CornersMM: [][3]float64{{0, 0, 5}, {9, 0, 5}, {9, 9, 5}, {0, 9, 10}}, Why: "a test", Who: "Ada"}
	var out strings.Builder
	orders := map[string]func(*Order){
		"as it is": func(*Order) {},
		"round":    func(o *Order) { o.Machine.Volume.Shape, o.Machine.Volume.YMM = machine.Round, o.Machine.Volume.XMM },
		"inches": func(o *Order) {
			o.Pieces[0].Mesh, o.Pieces[0].MMPerUnit = o.Pieces[0].Mesh.Transformed(1/25.4, mesh.Vec3{X: 3}), 25.4
		},
		"smaller":   func(o *Order) { o.Pieces[0].Stand.Scale = [3]float64{0.8, 0.8, 0.8} },
		"over x":    func(o *Order) { o.Pieces[0].Stand.Turn = overX },
		"over y":    func(o *Order) { o.Pieces[0].Stand = orient.Stand{Turn: overY, Scale: [3]float64{1.2, 1.2, 1.2}} },
		"turned":    func(o *Order) { o.Machine.Volume.XMM, o.Machine.Volume.YMM = 24, 40 },
		"too large": func(o *Order) { o.Pieces[0].Stand.Scale = [3]float64{9, 9, 9} },
		"too hot":   func(o *Order) { o.Recipe.NozzleC = 400 },
		"kept out":  func(o *Order) { o.Pieces[0].SupportMarks = []SupportMark{over} },
		"of no shadow": func(o *Order) {
			o.Pieces[0].SupportMarks = []SupportMark{{CornersMM: [][3]float64{{-9, 0, 0}, {-5, 0, 0}, {-7, 0, 4}, {-9, 0, 9}}, PutIn: true, Why: "a line"}, {CornersMM: [][3]float64{{-40, -40, -9}, {90, -40, -9}, {90, 90, 4}, {-40, 90, 4}}, Why: "low"}}
		},
		"scale one, over": func(o *Order) { o.Pieces[0].Stand = orient.Stand{Turn: overY, Scale: [3]float64{1, 1, 1}} },
		"scale one": func(o *Order) {
			o.Pieces[0].Stand = orient.Stand{Scale: [3]float64{1, 1, 1}}
			o.Pieces[0].SupportMarks = []SupportMark{over}
		},
		"put in": func(o *Order) { in := over; in.PutIn = true; o.Pieces[0].SupportMarks = []SupportMark{in} },
		"raft":   func(o *Order) { o.Recipe.Adhesion = recipe.AdhesionRaft },
		"pauses": func(o *Order) { o.Recipe.PauseMM = []float64{3, 8} },
		"arcs":   func(o *Order) { o.Machine.Dialect.Arcs, o.Machine.Dialect.AbsoluteE = true, true },
		"blocks": func(o *Order) {
			o.Machine.Dialect.Start, o.Machine.Dialect.End = "G28\nM109 S{nozzle_c} ; {grams} {minutes}", "M104 S0"
		},
		"nothing":     func(o *Order) { o.Pieces[0].Mesh = &mesh.Mesh{} },
		"accelerated": func(o *Order) { o.Recipe.OuterMMPerS2, o.Recipe.TravelMMPerS2 = 300, 900 },
		"two nozzles": func(o *Order) {
			o.Machine.NozzlesMM, o.Machine.ChangeS, o.Machine.Second.Material = []float64{0.4, 0.4}, 9, "Soluble"
			o.Recipe.SupportNozzle, o.Recipe.SupportPercent = 2, 60
			o.Loaded = append(o.Loaded, &machine.Material{Name: "Soluble", DensityGPerCM: 1.1, SpoolGrams: 500, SpoolCents: 3000, NozzleC: 210, NozzleMaxC: 230})
		},
	}
	for _, name := range slices.Sorted(maps.Keys(orders)) {
		o := order()
		orders[name](&o)
		r, err := One(ctx, o, nil)
		if err != nil {
			fmt.Fprintf(&out, "%s: %v\n", name, err)
			continue
		}
		var program, plate bytes.Buffer
		err = r.WriteProgram(ctx, &program, [][2]string{{"job", "7"}})
		_ = r.WritePlate(&plate)
		fmt.Fprintf(&out, "%s: %.7g s, %.6g g, %q, program %d %.6x %v, plate %.6x\n", name, r.Full.WholeSeconds(), r.Full.Grams(), r.Print.Notes, program.Len(), sha256.Sum256(program.Bytes()), err, sha256.Sum256(plate.Bytes()))
		for _, x := range r.Overhangs {
			fmt.Fprintf(&out, "  %.5g %.5g %.5g %v %s\n", x.Min, x.Max, x.CornersMM, x.Carried, x.Why)
		}
		fmt.Fprintf(&out, "  %s\n", strings.ReplaceAll(strings.Join(strings.Split(program.String(), "\n")[:16], "\n"), "\n", "\n  "))
	}
	golden.Assert(t, out.String(), "orders.txt")
}
