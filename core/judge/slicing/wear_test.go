package slicing

import (
	"bytes"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/bed"
	"jobshelf/core/print/machine"
	"jobshelf/core/shape/polygon"
)

// On a bed that is worn in the middle a plate is laid where least has lain, where the house wants that:
// one part or several, on a square or a round bed; what is pinned, or where it is not wanted, stays. Worn
// spots are kept free in any case, and where there is no other place it is said. The program, read back
// by nothing of ours, lays where the plate says.
func TestWhereTheBedIsWorn(t *testing.T) {
	worn := func(v machine.Volume, share, hours float64) *bed.Wear {
		w := bed.New(v)
		mid := polygon.At(v.XMM/2, v.YMM/2)
		if v.Shape == machine.Round {
			mid = polygon.Point{}
		}
		r := polygon.UM(share * v.XMM / 2)
		w.Add([]polygon.Path{{{X: mid.X - r, Y: mid.Y - r}, {X: mid.X + r, Y: mid.Y - r}, {X: mid.X + r, Y: mid.Y + r}, {X: mid.X - r, Y: mid.Y + r}}}, 3600*hours)
		return w
	}
	for name, change := range map[string]func(*Order){
		"one":     func(o *Order) { o.Pieces = o.Pieces[1:2]; o.Pieces[0].Copies = 1 },
		"several": func(o *Order) { o.Pieces = o.Pieces[1:]; o.Pieces[0].Copies = 3 },
		"on a round bed": func(o *Order) {
			o.Pieces = o.Pieces[1:2]
			o.Machine.Volume.Shape, o.Machine.Volume.XMM, o.Machine.Volume.YMM = machine.Round, 200, 200
		},
	} {
		t.Run(name, func(t *testing.T) {
			lay := func(more func(*Order)) (*Plate, float64) {
				o := threePieces()
				m := *o.Machine
				m.Volume.XMM, m.Volume.YMM = 200, 200
				o.Machine = &m
				change(&o)
				o.Wear = worn(m.Volume, 0.3, 10)
				more(&o)
				p, err := One(ctx, o, nil)
				require.NoError(t, err)
				var b bytes.Buffer
				require.NoError(t, p.WriteProgram(ctx, &b, nil))
				drawn := map[[2]any][][2]float64{}
				var outlines []polygon.Path
				box := polygon.Box{MinX: math.MaxInt64, MinY: math.MaxInt64, MaxX: math.MinInt64, MaxY: math.MinInt64}
				for _, s := range p.Spots {
					if s.OutlineMM != nil {
						drawn[[2]any{s.Piece, s.TurnDeg}] = s.OutlineMM
					}
					var path polygon.Path
					for _, q := range drawn[[2]any{s.Piece, s.TurnDeg}] {
						path = append(path, polygon.At(s.XMM+q[0], s.YMM+q[1]))
					}
					b := polygon.Bounds(path)
					box = polygon.Box{MinX: min(box.MinX, b.MinX), MinY: min(box.MinY, b.MinY), MaxX: max(box.MaxX, b.MaxX), MaxY: max(box.MaxY, b.MaxY)}
					outlines = append(outlines, path)
				}
				for _, w := range waysOf(t, b.String()) {
					at, in := polygon.At(w.x, w.y), polygon.UM(0.3)
					require.True(t, at.X >= box.MinX-in && at.X <= box.MaxX+in && at.Y >= box.MinY-in && at.Y <= box.MaxY+in, "%v beyond %v", w, box)
				}
				under := 0.0
				for k, share := range o.Wear.Cover(outlines) {
					under += share * o.Wear.Seconds[k]
				}
				return p, under
			}
			plain, here := lay(func(*Order) {})
			assert.Positive(t, here)
			spread, less := lay(func(o *Order) { o.Machine.SpreadWear = true })
			assert.InDelta(t, 0, less, 1e-6, "%v", spread.Spots)
			assert.InDelta(t, plain.Full.Seconds, spread.Full.Seconds, 0.05*plain.Full.Seconds, "only the way to it is another")
			kept, free := lay(func(o *Order) { o.Machine.WornHours = 10 })
			assert.InDelta(t, 0, free, 1e-6)
			assert.Empty(t, kept.Print.Notes)
			_, still := lay(func(o *Order) { o.Machine.WornHours = 11 })
			assert.InDelta(t, here, still, 1e-6, "not worn enough")
			nowhere, _ := lay(func(o *Order) { o.Machine.WornHours, o.Wear = 10, worn(o.Machine.Volume, 1, 10) })
			assert.Contains(t, nowhere.Print.Notes, "Something lies where the bed is worn: it has no other place on it.")
			pinned, _ := lay(func(o *Order) {
				o.Machine.SpreadWear = true
				o.Pieces[0].Pins = []Pin{{Copy: 1, Plate: 1, XMM: plain.Spots[0].XMM, YMM: plain.Spots[0].YMM, TurnDeg: plain.Spots[0].TurnDeg}}
			})
			assert.Less(t, math.Hypot(pinned.Spots[0].XMM-plain.Spots[0].XMM, pinned.Spots[0].YMM-plain.Spots[0].YMM), 0.01)
			other, same := lay(func(o *Order) {
				o.Machine.SpreadWear = true
				o.Wear = bed.New(machine.Volume{XMM: 50, YMM: 50})
			})
			assert.Zero(t, same, "a map of another bed tells nothing")
			assert.Equal(t, plain.Spots[0].XMM, other.Spots[0].XMM)
		})
	}
}
