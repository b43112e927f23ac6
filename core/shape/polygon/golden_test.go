package polygon

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"gotest.tools/v3/golden"
)

// What comes of drawn figures is as it was, to the micrometre and in its order: on a coarse
// grid, where corners and sides meet again and again, and on a fine one, flat paths, repeats
// and figures that cross themselves among them. Other tests say what is right; this one says
// that nothing moved.
func TestOperationsAreAsTheyWere(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 7)) //nolint:gosec // the same each time
	var s Scratch
	var out strings.Builder
	say := func(what string, got any) {
		h := fnv.New32()
		fmt.Fprint(h, got)
		fmt.Fprintf(&out, " %s %08x", what, h.Sum32())
	}
	for k := range 90 {
		grid := []int64{1, 40, 1300}[k%3]
		draw := func() (paths []Path) {
			for range 1 + r.IntN(4) {
				var p Path
				at := Point{r.Int64N(16) - 8, r.Int64N(16) - 8}
				for range r.IntN(9) {
					p = append(p, Point{grid * (at.X + r.Int64N(9)), grid * (at.Y + r.Int64N(9))})
					if r.IntN(9) == 0 {
						p = append(p, p[r.IntN(len(p))]) // there again
					}
				}
				paths = append(paths, p)
				if r.IntN(5) == 0 {
					p = slices.Clone(p)
					slices.Reverse(p)
					paths = append(paths, p)
				}
			}
			return paths
		}
		a, b := draw(), draw()
		fmt.Fprintf(&out, "%d:", k)
		for op := range Xor + 1 {
			for rule := range Positive + 1 {
				got := s.Boolean(op, rule, a, b)
				say("op", got)
				fmt.Fprintf(&out, "/%d", len(got))
			}
		}
		u := s.Union(EvenOdd, a)
		for join := range Square + 1 {
			for _, d := range []float64{0.3, 1.7, -0.9, 3} {
				say("offset", s.Offset(u, d*float64(grid), Offsets{Join: join, MitreLimit: float64(k % 4), ArcUM: float64(k % 5)}))
			}
		}
		for _, inside := range []bool{true, false} {
			parts, of := s.ClipLines(EvenOdd, b, a, inside)
			say("lines", parts)
			say("of", of)
		}
		say("medial", fmt.Sprintf("%v", s.Medial(s.Union(NonZero, append(slices.Clone(a), ring(0, 0, 9*float64(grid), 12))), 0.4*float64(grid), 3*float64(grid))))
		say("figures", Figures(s.Union(EvenOdd, append(slices.Clone(a), b...))))
		all := slices.Concat(a...)
		say("hull", Hull(all))
		say("circle", fmt.Sprintf("%.6f", EnclosingCircle(all)))
		if h := Hull(all); len(h) > 2 {
			say("rectangle", fmt.Sprintf("%.6f", SmallestRectangle(all)))
			widths := make([]float64, len(h))
			for i := range widths {
				widths[i] = float64(grid) * float64(1+i%3)
			}
			say("stroke", s.Strokes([]Stroke{{Points: h, WidthUM: widths}}, Offsets{}))
		}
		for _, p := range a {
			say("plain", append(Simplify(p, 0.8*float64(grid), nil), SimplifyLine(p, 0.8*float64(grid), nil)...))
			for q := range all {
				say("in", Inside(EvenOdd, a, Point{all[q].X + grid/2, all[q].Y}))
				break
			}
		}
		out.WriteByte('\n')
	}
	golden.Assert(t, out.String(), "operations.txt")
}
