package mesh

import (
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The side on which a point lies is that of exact arithmetic, for points that are as near to the plane, or the line, as floats
// can be: where the bounds told too little, or too much, a sign would be wrong (Shewchuk 1997, fig. 2, draws such points).
func TestSidesAreExact(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7)) //nolint:gosec // the same each time
	rat := func(f float64) *big.Rat { return new(big.Rat).SetFloat64(f) }
	sub := func(a, b float64) *big.Rat { return new(big.Rat).Sub(rat(a), rat(b)) }
	mul := func(a, b *big.Rat) *big.Rat { return new(big.Rat).Mul(a, b) }
	less := func(a, b *big.Rat) *big.Rat { return new(big.Rat).Sub(a, b) }
	near := 0
	for range 4_000 {
		var p [4]Vec3
		for i := range 3 {
			p[i] = Vec3{X: 40 * (r.Float64() - 0.3), Y: 40 * (r.Float64() - 0.3), Z: 40 * (r.Float64() - 0.3)}
		}
		u, v := r.Float64(), r.Float64()
		p[3] = p[0].Add(p[1].Sub(p[0]).Scale(u)).Add(p[2].Sub(p[0]).Scale(v))
		var d [3][3]*big.Rat
		for i := range 3 {
			d[i] = [3]*big.Rat{sub(p[i].X, p[3].X), sub(p[i].Y, p[3].Y), sub(p[i].Z, p[3].Z)}
		}
		minor := func(i, j int) *big.Rat { return less(mul(d[i][0], d[j][1]), mul(d[j][0], d[i][1])) }
		det := mul(d[0][2], minor(1, 2))
		det.Add(det, mul(d[1][2], minor(2, 0)))
		det.Add(det, mul(d[2][2], minor(0, 1)))
		assert.Equal(t, det.Sign(), Orient3(&p[0], &p[1], &p[2], &p[3]), "%v", p)
		if f, _ := det.Float64(); f != 0 && f < 1e-11 && f > -1e-11 {
			near++
		}
		// And on a line.
		q := Vec3{X: p[0].X + u*(p[1].X-p[0].X), Y: p[0].Y + u*(p[1].Y-p[0].Y)}
		side := less(mul(sub(p[0].X, q.X), sub(p[1].Y, q.Y)), mul(sub(p[0].Y, q.Y), sub(p[1].X, q.X)))
		assert.Equal(t, side.Sign(), orient2(p[0].X, p[0].Y, p[1].X, p[1].Y, q.X, q.Y), "%v %v %v", p[0], p[1], q)
	}
	assert.Greater(t, near, 2_500, "they are near")
}
