// Package picture draws a part's likeness: a small shaded view with an inked
// outline, in the house's colours, on a clear ground.
package picture

import (
	"image"
	"image/color"
	"math"

	"jobshelf/core/shape/mesh"
)

// The colours of a part, from the house's looks.
var (
	sailcloth = [3]float64{0xE4, 0xDC, 0xCB}
	ink       = color.NRGBA{0x1F, 0x2A, 0x37, 0xFF}
)

// The view is from the front, right and above.
const (
	turnDeg = 32
	tiltDeg = 28
	// oversample: each pixel is the mean of this many by this many.
	oversample = 2
	margin     = 0.06
	inkWidth   = 3 // of the outline, in samples
)

// Draw renders m into a picture w by h pixels. A mesh without extent gives an
// empty picture.
func Draw(m *mesh.Mesh, w, h int) *image.NRGBA {
	W, H := w*oversample, h*oversample
	depth := make([]float64, W*H)
	shade := make([]float64, W*H)
	for i := range depth {
		depth[i] = math.Inf(-1)
	}
	pts := project(m, W, H)
	for _, t := range m.Triangles {
		fill(pts[t[0]], pts[t[1]], pts[t[2]], light(m, t), W, H, depth, shade)
	}
	return inkAndReduce(depth, shade, W, H, w, h)
}

// project turns, tilts and scales: x and y in pixels, z towards the viewer.
func project(m *mesh.Mesh, W, H int) []mesh.Vec3 {
	st, ct := math.Sincos(turnDeg * math.Pi / 180)
	sp, cp := math.Sincos(tiltDeg * math.Pi / 180)
	out := make([]mesh.Vec3, len(m.Vertices))
	inf := math.Inf(1)
	lo, hi := mesh.Vec3{X: inf, Y: inf}, mesh.Vec3{X: -inf, Y: -inf}
	for i, v := range m.Vertices {
		x, y := v.X*ct-v.Y*st, v.X*st+v.Y*ct
		p := mesh.Vec3{X: x, Y: -(v.Z*cp + y*sp), Z: v.Z*sp - y*cp}
		out[i] = p
		lo = mesh.Vec3{X: min(lo.X, p.X), Y: min(lo.Y, p.Y)}
		hi = mesh.Vec3{X: max(hi.X, p.X), Y: max(hi.Y, p.Y)}
	}
	size := hi.Sub(lo)
	scale := (1 - 2*margin) * math.Min(float64(W)/math.Max(size.X, 1e-12), float64(H)/math.Max(size.Y, 1e-12))
	mid := lo.Add(hi).Scale(0.5)
	for i, p := range out {
		out[i] = mesh.Vec3{X: (p.X-mid.X)*scale + float64(W)/2, Y: (p.Y-mid.Y)*scale + float64(H)/2, Z: p.Z * scale}
	}
	return out
}

func light(m *mesh.Mesh, t [3]uint32) float64 {
	a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
	n := b.Sub(a).Cross(c.Sub(a))
	l := n.Len()
	if l == 0 {
		return 0
	}
	sun := mesh.Vec3{X: 0.35, Y: -0.5, Z: 0.79}
	return 0.52 + 0.48*math.Abs(n.Dot(sun))/l
}

func fill(a, b, c mesh.Vec3, s float64, W, H int, depth, shade []float64) {
	area := (b.X-a.X)*(c.Y-a.Y) - (b.Y-a.Y)*(c.X-a.X)
	if area == 0 {
		return
	}
	x0, x1 := max(0, int(min(a.X, b.X, c.X))), min(W-1, int(max(a.X, b.X, c.X))+1)
	y0, y1 := max(0, int(min(a.Y, b.Y, c.Y))), min(H-1, int(max(a.Y, b.Y, c.Y))+1)
	for y := y0; y <= y1; y++ {
		for x := x0; x <= x1; x++ {
			px, py := float64(x)+0.5, float64(y)+0.5
			u := ((b.X-px)*(c.Y-py) - (b.Y-py)*(c.X-px)) / area
			v := ((c.X-px)*(a.Y-py) - (c.Y-py)*(a.X-px)) / area
			if u < 0 || v < 0 || u+v > 1 {
				continue
			}
			z := u*a.Z + v*b.Z + (1-u-v)*c.Z
			if i := y*W + x; z > depth[i] {
				depth[i], shade[i] = z, s
			}
		}
	}
}

// inkAndReduce shades, inks where the depth jumps or the part ends, and averages down.
func inkAndReduce(depth, shade []float64, W, H, w, h int) *image.NRGBA {
	jump := 0.03 * float64(W)
	inked := func(x, y int) bool {
		here := depth[y*W+x]
		for _, d := range [8][2]int{{1, 0}, {0, 1}, {-1, 0}, {0, -1}, {inkWidth, 0}, {0, inkWidth}, {-inkWidth, 0}, {0, -inkWidth}} {
			nx, ny := x+d[0], y+d[1]
			if nx < 0 || ny < 0 || nx >= W || ny >= H {
				continue
			}
			if here-depth[ny*W+nx] > jump && !math.IsInf(here, -1) {
				return true
			}
		}
		return false
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	const n = oversample * oversample
	for y := range h {
		for x := range w {
			var r, g, b, a float64
			for k := range n {
				sx, sy := x*oversample+k%oversample, y*oversample+k/oversample
				s := shade[sy*W+sx]
				switch {
				case math.IsInf(depth[sy*W+sx], -1):
				case inked(sx, sy):
					r, g, b, a = r+float64(ink.R), g+float64(ink.G), b+float64(ink.B), a+1
				default:
					r, g, b, a = r+s*sailcloth[0], g+s*sailcloth[1], b+s*sailcloth[2], a+1
				}
			}
			if a > 0 {
				out.SetNRGBA(x, y, color.NRGBA{uint8(r / a), uint8(g / a), uint8(b / a), uint8(a * 255 / n)})
			}
		}
	}
	return out
}
