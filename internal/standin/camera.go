package standin

import (
	"image"
	"image/color"
	"image/png"
	"io"
	"math"

	"jobshelf/core/print/machine"
)

// pixels is how many the longer side of a bed has.
const pixels = 480

// camera is what is seen of the bed from above: what was laid, the higher the lighter.
type camera struct {
	img            *image.Gray
	x0, y0, perMM  float64
	top            float64
	bed, dark, lit uint8
}

func newCamera(v machine.Volume) *camera {
	x, y, x0, y0 := v.XMM, v.YMM, 0.0, 0.0
	if v.Shape == machine.Round {
		x, y, x0, y0 = v.XMM, v.XMM, -v.XMM/2, -v.XMM/2
	}
	per := pixels / math.Max(1, math.Max(x, y))
	c := &camera{img: image.NewGray(image.Rect(0, 0, max(1, int(x*per)), max(1, int(y*per)))), x0: x0, y0: y0, perMM: per, top: math.Max(1, v.ZMM), bed: 40, dark: 90, lit: 250}
	c.clear()
	return c
}

func (c *camera) clear() {
	for i := range c.img.Pix {
		c.img.Pix[i] = c.bed
	}
}

// lay draws a line that was laid, from place to place, mm.
func (c *camera) lay(from, to [4]float64) {
	shade := c.dark + uint8(float64(c.lit-c.dark)*math.Min(1, math.Max(0, to[2]/c.top*4)))
	n := max(1, int(math.Hypot(to[0]-from[0], to[1]-from[1])*c.perMM*2))
	for k := 0; k <= n; k++ {
		f := float64(k) / float64(n)
		x, y := (from[0]+f*(to[0]-from[0])-c.x0)*c.perMM, (from[1]+f*(to[1]-from[1])-c.y0)*c.perMM
		c.img.SetGray(int(x), c.img.Rect.Dy()-1-int(y), color.Gray{Y: shade})
	}
}

// knock moves what is on the bed aside, as a part that came off.
func (c *camera) knock() {
	was := append([]uint8(nil), c.img.Pix...)
	c.clear()
	w, h := c.img.Rect.Dx(), c.img.Rect.Dy()
	for y := range h {
		for x := range w {
			if v := was[y*c.img.Stride+x]; v != c.bed && x+w/5 < w && y+h/9 < h {
				c.img.Pix[(y+h/9)*c.img.Stride+x+w/5] = v
			}
		}
	}
}

// leave puts something on the bed that was there before.
func (c *camera) leave() {
	w, h := float64(c.img.Rect.Dx())/c.perMM, float64(c.img.Rect.Dy())/c.perMM
	for d := -8.0; d <= 8; d += 0.4 {
		c.lay([4]float64{c.x0 + w/2 - 12, c.y0 + h/2 + d, 8}, [4]float64{c.x0 + w/2 + 12, c.y0 + h/2 + d, 8})
	}
}

// Picture writes what the camera sees, PNG.
func (p *Printer) Picture(w io.Writer) error { return png.Encode(w, p.camera.img) }

// ClearBed takes everything off the bed.
func (p *Printer) ClearBed() { p.camera.clear() }
