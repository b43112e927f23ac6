package standin

import (
	"bytes"
	"context"
	"image"
	"image/png"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/machine"
)

// lit are the rectangle that is laid on, in mm from the bed's corner at the front left, and its shades, darkest and lightest.
func lit(t *testing.T, p *Printer, perMM float64) (at [4]float64, dark, light uint8) {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, p.Picture(&b))
	img, err := png.Decode(&b)
	require.NoError(t, err)
	g := img.(*image.Gray)
	box, dark, light := image.Rectangle{}, uint8(255), uint8(0)
	for y := range g.Rect.Dy() {
		for x := range g.Rect.Dx() {
			if v := g.GrayAt(x, y).Y; v != 40 {
				box = box.Union(image.Rect(x, y, x+1, y+1))
				dark, light = min(dark, v), max(light, v)
			}
		}
	}
	if box.Empty() {
		return at, dark, light
	}
	h := float64(g.Rect.Dy())
	return [4]float64{float64(box.Min.X) / perMM, (h - float64(box.Max.Y)) / perMM, float64(box.Max.X) / perMM, (h - float64(box.Min.Y)) / perMM}, dark, light
}

// The camera sees what was laid where it was laid, higher up lighter; knocked off, it lies aside, all of it; a bed that was
// not cleared has something in its middle, and one that was nothing.
func TestWhatTheCameraSees(t *testing.T) {
	for name, v := range map[string]machine.Volume{
		"oblong": {Shape: machine.Rectangle, XMM: 240, YMM: 120, ZMM: 200},
		"round":  {Shape: machine.Round, XMM: 240, YMM: 240, ZMM: 200}, // whose middle is at 0
	} {
		p := New(&machine.Machine{Volume: v, NozzlesMM: []float64{0.4}}, Options{})
		x0, y0 := 0.0, 0.0
		if v.Shape == machine.Round {
			x0, y0 = -120, -120
		}
		near := func(want [4]float64, what string) (dark, light uint8) {
			at, dark, light := lit(t, p, 2)
			for k := range want {
				assert.InDelta(t, want[k], at[k], 1, "%s, %s: %v", name, what, at)
			}
			return dark, light
		}
		dark, _ := near([4]float64{}, "nothing")
		assert.EqualValues(t, 255, dark)
		p.camera.lay([4]float64{x0 + 20, y0 + 30, 0}, [4]float64{x0 + 60, y0 + 30, 0})
		p.camera.lay([4]float64{x0 + 20, y0 + 60, 25}, [4]float64{x0 + 20, y0 + 30, 25})
		dark, light := near([4]float64{20, 30, 60, 60}, "laid")
		assert.EqualValues(t, 90, dark)
		assert.EqualValues(t, 90+160*25*4/200, light)
		require.NoError(t, p.Fail("knocked"))
		near([4]float64{20 + 240.0/5, 30 - v.YMM/9, 60 + 240.0/5, 60 - v.YMM/9}, "knocked off")
		p.ClearBed()
		near([4]float64{}, "cleared")
		require.NoError(t, p.Fail("uncleared"))
		near([4]float64{120 - 12, v.YMM/2 - 8, 120 + 12, v.YMM/2 + 8}, "left")
	}
}

// Time passes for a stand-in as fast as it is told to, by what really has passed, however often; of a long sleep half a
// second counts. What it says that nobody hears is not kept.
func TestTimePassesForAStandIn(t *testing.T) {
	for _, speed := range []float64{0, 1, 30} {
		synctest.Test(t, func(t *testing.T) {
			warms := func() *Printer {
				p := New(&machine.Machine{Process: machine.MaterialExtrusion, NozzlesMM: []float64{0.4}, NozzleMaxC: 280, BedMaxC: 110, WarmUp: machine.WarmUp{NozzleCPerS: 2, BedCPerS: 1}}, Options{})
				p.Hear([]byte("M155 S1\nM104 S200\n"))
				return p
			}
			ctx, cancel := context.WithCancel(t.Context())
			s := &Server{Printer: warms(), Speed: speed}
			go s.clock(ctx)
			time.Sleep(10*time.Second + tick/2)
			cancel()
			synctest.Wait()
			twin := warms()
			for range 500 {
				twin.Run(tick.Seconds() * max(speed, min(1, 1-speed)))
			}
			s.Do(func(p *Printer) {
				assert.Greater(t, p.nozzles[0].c, 30.0)
				assert.InDelta(t, twin.nozzles[0].c, p.nozzles[0].c, 1e-6, "at %v", speed)
				assert.Less(t, len(p.Said()), 2000, "what nobody hears")
			})
		})
	}
}
