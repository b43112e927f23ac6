package picture

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// A box fills its hexagon: the middle is lit by the top or a side, the corners
// of the picture stay clear, and ink runs somewhere between.
func TestDrawShowsThePartOnAClearGround(t *testing.T) {
	img := Draw(solid.Box(10, 10, 10), 80, 60)
	assert.Zero(t, img.NRGBAAt(0, 0).A)
	mid := img.NRGBAAt(40, 30)
	assert.Equal(t, uint8(255), mid.A)
	assert.Greater(t, mid.R, uint8(90))
	dark := 0
	for i := 0; i < len(img.Pix); i += 4 {
		if img.Pix[i+3] == 255 && img.Pix[i] < 70 {
			dark++
		}
	}
	assert.Greater(t, dark, 50, "inked outline")
	again := Draw(solid.Box(10, 10, 10), 80, 60)
	assert.Equal(t, img.Pix, again.Pix)
	// As it was when somebody last looked: how bright and how covered each part of it is.
	img = Draw(solid.TillerJoint(), 80, 60)
	var got []int
	for y := 0; y < 60; y += 20 {
		for x := 0; x < 80; x += 20 {
			sum := 0
			for k := range 400 {
				c := img.NRGBAAt(x+k%20, y+k/20)
				sum += int(c.R) * int(c.A) / 255
			}
			got = append(got, sum/400)
		}
	}
	assert.Equal(t, []int{7, 71, 60, 9, 40, 122, 153, 54, 10, 71, 42, 13}, got)
	assert.NotPanics(t, func() { Draw(&mesh.Mesh{}, 10, 10) })
}

func TestSimplifiedKeepsTheShape(t *testing.T) {
	m := solid.Sphere(20, 400)
	s := mesh.Simplified(m, 20_000)
	assert.LessOrEqual(t, len(s.Triangles), 20_000)
	assert.Greater(t, len(s.Triangles), 5_000)
	assert.NoError(t, s.Validate())
	assert.InEpsilon(t, m.Measure().Area, s.Measure().Area, 0.03)
	assert.Same(t, m, mesh.Simplified(m, len(m.Triangles)))
}
