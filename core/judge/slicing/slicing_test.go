package slicing

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/plate"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

var ctx = context.Background()

// order is for a stool that hangs over.
func order() Order {
	m := solid.Box(6, 6, 10).Transformed(1, mesh.Vec3{X: 12, Y: 12})
	m.Append(solid.Box(30, 20, 2).Transformed(1, mesh.Vec3{Z: 10}))
	return Order{Pieces: []Piece{{Name: "part", Mesh: m, MMPerUnit: 1}},
		Machine: &machine.Machine{Name: "Test", Process: machine.MaterialExtrusion, Volume: machine.Volume{Shape: machine.Rectangle, XMM: 120, YMM: 120, ZMM: 60}, FilamentMM: 1.75, NozzlesMM: []float64{0.4},
			NozzleMaxC: 250, BedMaxC: 90, RateCents: 120, Motion: machine.Motion{SpeedMMPerS: 150, AccelMMPerS2: 1200, JunctionDeviationMM: 0.02, LiftMMPerS: 10},
			WarmUp: machine.WarmUp{NozzleCPerS: 2, BedCPerS: 0.4, HomingS: 30}},
		Recipe: recipe.Recipe{Name: "plain", LayerMM: 0.25, FirstLayerMM: 0.25, LineMM: 0.45, Shells: 2, TopLayers: 3, BottomLayers: 3, InfillPercent: 10, Adhesion: recipe.AdhesionNone, NozzleC: 205,
			BedC: 55, OuterMMPerS: 40, InnerMMPerS: 50, TopBottomMMPerS: 50, InfillMMPerS: 60, FirstMMPerS: 20, TravelMMPerS: 120, RetractMM: 1, RetractMMPerS: 30, Support: recipe.SupportEverywhere},
		Loaded: machine.Loaded{{Name: "PLA", DensityGPerCM: 1.24, SpoolGrams: 1000, SpoolCents: 2200}}}
}

// How a piece stands is undone by its inverse, alone and with any standing on any plate.
func TestStandsGoThereAndBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := rapid.Float64Range(-100, 100)
		v := mesh.Vec3{X: c.Draw(t, "x"), Y: c.Draw(t, "y"), Z: c.Draw(t, "z")}
		q := rapid.Float64Range(-1, 1)
		turn, err := orient.Quat{1.1, q.Draw(t, "i"), q.Draw(t, "j"), q.Draw(t, "k")}.Unit()
		require.NoError(t, err)
		size := rapid.SampledFrom([]float64{0, 1, 0.9, 25})
		s := orient.Stand{Turn: rapid.SampledFrom([]orient.Quat{{}, overX, overY, turn}).Draw(t, "turn of it"), Scale: [3]float64{size.Draw(t, "wide"), size.Draw(t, "deep"), size.Draw(t, "high")}, Mirror: rapid.Bool().Draw(t, "mirrored")}
		require.InDelta(t, 0, s.From(s.To(v)).Sub(v).Len(), 1e-9)
		body := solid.Box(3, 4, 5)
		require.Positive(t, s.Of(body).Measure().Volume, "faces look out as before")
		st := plate.StandingOf(solid.Box(3, 4, 5), rapid.SampledFrom([]float64{1, 25.4}).Draw(t, "unit"), rapid.Float64Range(0, 180).Draw(t, "turn"), machine.Volume{XMM: 200, YMM: 100})
		require.InDelta(t, 0, s.From(st.From(st.To(s.To(v)))).Sub(v).Len(), 1e-8)
	})
}

// A region's corners, given back as a mark, meet that region: on both shapes of
// plate, in inches, smaller, and where the part had to be turned to fit.
func TestARegionsCornersMarkIt(t *testing.T) {
	for name, change := range map[string]func(*Order){
		"as it is": func(*Order) {},
		"round":    func(o *Order) { o.Machine.Volume.Shape = machine.Round },
		"inches": func(o *Order) {
			o.Pieces[0].Mesh, o.Pieces[0].MMPerUnit = o.Pieces[0].Mesh.Transformed(1/25.4, mesh.Vec3{X: 3}), 25.4
		},
		"smaller":   func(o *Order) { o.Pieces[0].Stand.Scale = [3]float64{0.8, 0.8, 0.8} },
		"turned":    func(o *Order) { o.Machine.Volume.XMM, o.Machine.Volume.YMM = 24, 40 },
		"on a raft": func(o *Order) { o.Recipe.Adhesion = recipe.AdhesionRaft },
	} {
		t.Run(name, func(t *testing.T) {
			o := order()
			change(&o)
			r, err := One(ctx, o, nil)
			require.NoError(t, err)
			require.Len(t, r.Overhangs, 1)
			require.True(t, r.Overhangs[0].Carried, r.Overhangs[0].Why)
			b := o.Pieces[0].Mesh.Bounds()
			for _, c := range r.Overhangs[0].CornersMM { // about the top, in the part's own place
				for k, v := range [3][2]float64{{b.Min.X, b.Max.X}, {b.Min.Y, b.Max.Y}, {b.Min.Z, b.Max.Z}} {
					assert.InDelta(t, 0, math.Max(0, math.Max(v[0]*o.Pieces[0].MMPerUnit-c[k], c[k]-v[1]*o.Pieces[0].MMPerUnit)), 0.7)
				}
			}
			// Eight corners of one box, each another: as far apart along each side as the region is long, and a bit.
			seen := map[[3]float64]bool{}
			low, high := r.Overhangs[0].CornersMM[0], r.Overhangs[0].CornersMM[0]
			for _, c := range r.Overhangs[0].CornersMM {
				seen[c] = true
				for k := range c {
					low[k], high[k] = math.Min(low[k], c[k]), math.Max(high[k], c[k])
				}
			}
			assert.Len(t, seen, 8)
			scale := cmp.Or(o.Pieces[0].Stand.Scale[0], 1)
			size := r.Overhangs[0]
			assert.InDelta(t, (size.Max[2]-size.Min[2])/scale, high[2]-low[2], 1e-6)
			plane := []float64{high[0] - low[0], high[1] - low[1]}
			want := []float64{(size.Max[0] - size.Min[0] + 2*aroundMM) / scale, (size.Max[1] - size.Min[1] + 2*aroundMM) / scale}
			slices.Sort(plane)
			slices.Sort(want)
			assert.InDeltaSlice(t, want, plane, 1e-6)
			o.Pieces[0].SupportMarks = []SupportMark{{CornersMM: r.Overhangs[0].CornersMM, Why: "it is sanded"}}
			kept, err := One(ctx, o, nil)
			require.NoError(t, err)
			assert.Equal(t, "Support kept out by hand: it is sanded", kept.Overhangs[0].Why)
			assert.Zero(t, kept.Full.GramsSupport)
			o.Recipe.Support, o.Pieces[0].SupportMarks[0].PutIn = recipe.SupportOff, true
			put, err := One(ctx, o, nil)
			require.NoError(t, err)
			assert.Equal(t, "Support put in by hand: it is sanded", put.Overhangs[0].Why)
			assert.InEpsilon(t, r.Full.GramsSupport, put.Full.GramsSupport, 0.02)
		})
	}
}

func TestWhatCannotBeSlicedIsToldInWords(t *testing.T) {
	for says, change := range map[string]func(*Order){
		"It does not fit Test: X +0.0, Y +0.0, Z +6.0 mm.": func(o *Order) { o.Machine.Volume.ZMM = 6 },
		"lays layers of": func(o *Order) { o.Recipe.LayerMM = 0.39 },
		"layers; the limit is": func(o *Order) {
			o.Pieces[0].Stand.Scale, o.Machine.Volume = [3]float64{500, 500, 500}, machine.Volume{Shape: machine.Rectangle, XMM: 1e5, YMM: 1e5, ZMM: 1e5}
		},
	} {
		o := order()
		change(&o)
		_, err := One(ctx, o, nil)
		var no *Refusal
		require.ErrorAs(t, err, &no, says)
		assert.Contains(t, no.Error(), says)
	}
}

// Whenever it is cancelled, it says so, and blames neither part nor machine.
func TestCancelledIsNoRefusal(t *testing.T) {
	calls := 0
	r, err := One(ctx, order(), func(float64) { calls++ })
	require.NoError(t, err)
	require.NoError(t, r.WriteProgram(ctx, io.Discard, nil))
	long := order()
	long.Pieces[0].Mesh = solid.Sphere(14, 96) // enough lines to be looked at on the way
	r, err = One(ctx, long, nil)
	require.NoError(t, err)
	gone, stop := context.WithCancel(ctx)
	stop()
	require.ErrorIs(t, r.WriteProgram(gone, io.Discard, nil), context.Canceled)
	for at := range calls + 1 { // before the first, then at each
		over, cancel := context.WithCancel(ctx)
		n := 0
		if at == 0 {
			cancel()
		}
		_, err := One(over, order(), func(float64) {
			if n++; n == at {
				cancel()
			}
		})
		cancel()
		if err != nil || at == 0 {
			require.ErrorIs(t, err, context.Canceled, "at %d of %d", at, calls)
		}
	}
}

// Whatever a recipe can be set to within its ranges, edges most of all: what is
// not refused is sliced, timed and written; the program reads back, and its
// figures are finite.
func TestAnyRecipeWithinItsRanges(t *testing.T) {
	settings := recipe.Settings()
	made, tried := 0, 0
	defer func() { assert.Greater(t, 3*made, tried, "most are made") }()
	rapid.Check(t, func(t *rapid.T) {
		o := order()
		o.Pieces[0].Mesh = o.Pieces[0].Mesh.Transformed(0.3, mesh.Vec3{})
		tried++
		o.Machine.NozzlesMM, o.Machine.Second = []float64{0.4, 0.4}, machine.NozzleLoad{Material: "Soluble"}
		o.Machine.Dialect.Arcs = rapid.Bool().Draw(t, "arcs")
		o.Machine.Dialect.AbsoluteE = rapid.Bool().Draw(t, "absolute")
		o.Loaded = append(o.Loaded, &machine.Material{Name: "Soluble", DensityGPerCM: 1.2, SpoolGrams: 500, SpoolCents: 3000, NozzleC: 210})
		for range rapid.IntRange(1, 12).Draw(t, "overrides") {
			s := rapid.SampledFrom(settings).Draw(t, "setting")
			var value string
			switch s.Type {
			case "choice":
				value = rapid.SampledFrom(s.Choices).Draw(t, "choice")
			case "whole number":
				value = fmt.Sprint(rapid.IntRange(int(*s.Least), int(*s.Most)).Draw(t, "n"))
			case "list":
				value = "0.5, 1, 400"
			default:
				v := rapid.OneOf(rapid.Just(*s.Least), rapid.Just(*s.Most), rapid.Float64Range(*s.Least, *s.Most), rapid.Float64Range(*s.Least, *s.Least+(*s.Most-*s.Least)/20)).Draw(t, "x")
				value = fmt.Sprint(v)
			}
			// One that does not suit the machine would hide all the others.
			r, err := o.Recipe.Apply([]recipe.Override{{Key: s.Key, Value: value}})
			if err == nil && (len(r.Validate(o.Machine, o.Loaded)) == 0 || rapid.IntRange(0, 49).Draw(t, "all the same") == 0) {
				o.Recipe = r
			}
		}
		r, err := One(ctx, o, nil)
		var no *Refusal
		if errors.As(err, &no) {
			require.NotEmpty(t, no.Error())
			return
		}
		require.NoError(t, err)
		made++
		for kind, s := range r.Full.ByKind {
			require.False(t, math.IsNaN(s) || math.IsInf(s, 0) || s < 0, "%s: %g s", kind, s)
		}
		require.False(t, math.IsNaN(r.Full.Grams()) || r.Full.Grams() <= 0)
		var b bytes.Buffer
		require.NoError(t, r.WriteProgram(ctx, &b, nil))
		require.Equal(t, len(r.Full.Nozzles) > 1, strings.Contains(b.String(), "\n; nozzle 2: Soluble, "), "each nozzle's share is told where there are two")
		s, err := gcode.Read(ctx, &b, 0, nil)
		require.NoError(t, err)
		pulled := r.Order.Recipe.RetractMM * float64(len(r.Full.Nozzles)) // each nozzle ends with it back
		require.InDelta(t, r.Full.FilamentMM, s.FilamentMM+pulled, 1e-3*r.Full.FilamentMM+0.01)
		require.Zero(t, s.NozzleEndC)
	})
}
