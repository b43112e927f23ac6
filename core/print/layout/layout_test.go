package layout

import (
	"context"
	"encoding/json"
	"math"
	"math/cmplx"
	"os"
	"os/exec"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/polygon"
)

// outlined is an item of corners in mm about the middle of a plate.
func outlined(v machine.Volume, copies int, turns []float64, corners ...complex128) Item {
	mid := Middle(v)
	it := Item{Copies: copies, TurnsDeg: turns}
	for _, c := range corners {
		p := polygon.At(real(c), imag(c))
		it.Outline = append(it.Outline, polygon.Point{X: p.X + mid.X, Y: p.Y + mid.Y})
	}
	b := polygon.Bounds(it.Outline)
	by := polygon.Point{X: mid.X - (b.MinX+b.MaxX)/2, Y: mid.Y - (b.MinY+b.MaxY)/2}
	it.Outline = shifted(it.Outline, by)
	it.Box = polygon.Bounds(it.Outline)
	return it
}

func circle(n int, radius float64) (out []complex128) {
	for k := range n {
		out = append(out, cmplx.Rect(radius, 2*math.Pi*float64(k)/float64(n)))
	}
	return out
}

func rect(x, y float64) []complex128 {
	return []complex128{0, complex(x, 0), complex(x, y), complex(0, y)}
}

// where is the outline of a copy on its plate, by sums of its own.
func where(it Item, v machine.Volume, s Spot) (out []complex128) {
	mid := complex(0, 0)
	if v.Shape != machine.Round {
		mid = complex(v.XMM/2, v.YMM/2)
	}
	low, high := complex(math.Inf(1), math.Inf(1)), complex(math.Inf(-1), math.Inf(-1))
	for _, p := range it.outline() {
		q := (complex(float64(p.X)/1000, float64(p.Y)/1000) - mid) * cmplx.Rect(1, s.TurnDeg*math.Pi/180)
		low = complex(min(real(low), real(q)), min(imag(low), imag(q)))
		high = complex(max(real(high), real(q)), max(imag(high), imag(q)))
		out = append(out, q)
	}
	by := mid + complex(float64(s.By.X)/1000, float64(s.By.Y)/1000)
	if s.TurnDeg != 0 {
		by -= (low + high) / 2
	}
	for k := range out {
		out[k] += by
	}
	return out
}

// gap is how far two figures are apart, mm, by sums of its own; 0 where an edge of one passes through
// the other.
func gap(a, b []complex128) float64 {
	least := math.Inf(1)
	from := func(p, q, r complex128) float64 {
		t := real((p-q)*cmplx.Conj(r-q)) / (real(r-q)*real(r-q) + imag(r-q)*imag(r-q))
		return cmplx.Abs(p - q - complex(max(0, min(1, t)), 0)*(r-q))
	}
	within := func(p complex128, f []complex128) bool { // by the angles that the corners turn about it
		sum := 0.0
		for k, q := range f {
			sum += cmplx.Phase((f[(k+1)%len(f)] - p) / (q - p))
		}
		return math.Abs(sum) > 3
	}
	for i, p := range a {
		for j, r := range b {
			q, s := a[(i+1)%len(a)], b[(j+1)%len(b)]
			least = min(least, from(p, r, s), from(r, p, q))
			d := imag(cmplx.Conj(q-p) * (s - r))
			if d == 0 {
				continue
			}
			if t, u := imag(cmplx.Conj(r-p)*(s-r))/d, imag(cmplx.Conj(r-p)*(q-p))/d; t > 0 && t < 1 && u > 0 && u < 1 {
				return 0
			}
		}
	}
	if within(a[0], b) || within(b[0], a) {
		return 0
	}
	return least
}

// hold holds a layout to the laws: every copy once, on its plate, as far apart as it has to be, what is
// pinned unmoved, what is kept out clear.
func hold(t require.TestingT, items []Item, a Ask, plates [][]Spot) {
	const hairMM = 0.004
	seen := map[[2]int]bool{}
	for n, plate := range plates {
		require.NotEmpty(t, plate)
		require.LessOrEqual(t, len(plate), toolpath.MostPlaces)
		var lie [][]complex128
		for _, s := range plate {
			require.False(t, seen[[2]int{s.Item, s.Copy}])
			seen[[2]int{s.Item, s.Copy}] = true
			it := items[s.Item]
			if s.Copy < len(it.Pinned) {
				p := it.Pinned[s.Copy]
				require.Equal(t, Spot{s.Item, s.Copy, p.TurnDeg, p.By}, s)
				require.Equal(t, p.Plate, n)
			}
			o := where(it, a.Volume, s)
			for _, p := range o {
				x := a.Volume.XMM
				if len(plate) > 1 {
					x -= float64(a.FreeUM) / 1000
				}
				if a.Volume.Shape == machine.Round {
					require.LessOrEqual(t, cmplx.Abs(p), a.Volume.XMM/2+hairMM)
					continue
				}
				require.True(t, real(p) >= -hairMM && imag(p) >= -hairMM && real(p) <= x+hairMM && imag(p) <= a.Volume.YMM+hairMM, "%v", p)
			}
			for _, e := range lie {
				require.GreaterOrEqual(t, gap(e, o), float64(a.ApartUM)/1000-hairMM)
			}
			lie = append(lie, o)
			for _, k := range a.KeepOut {
				if s.Copy < len(it.Pinned) {
					break // stays where somebody put it
				}
				var out []complex128
				for _, p := range k {
					out = append(out, complex(float64(p.X)/1000, float64(p.Y)/1000))
				}
				require.Positive(t, gap(out, o), "in what is kept out")
			}
		}
	}
	for k, it := range items {
		for c := range it.Copies {
			require.True(t, seen[[2]int{k, c}], "part %d, copy %d", k, c)
		}
	}
}

// drawnItem is a triangle, a box, a disc, an L, a star, a U.
func drawnItem(t *rapid.T, v machine.Volume, most float64) Item {
	size := rapid.Float64Range(4, most)
	a, b := size.Draw(t, "wide"), size.Draw(t, "deep")
	turns := rapid.SampledFrom([][]float64{nil, {90}, {90, 180, 270}, {180, 45, 30}}).Draw(t, "turns")
	var c []complex128
	switch rapid.IntRange(0, 5).Draw(t, "figure") {
	case 0:
		c = []complex128{0, complex(a, 0), complex(a/3, b)}
	case 1:
		c = rect(a, b)
	case 2:
		c = circle(rapid.IntRange(5, 48).Draw(t, "corners"), a/2)
	case 3:
		c = []complex128{0, complex(a, 0), complex(a, b/4), complex(a/4, b/4), complex(a/4, b), complex(0, b)}
	case 4:
		for k := range 10 {
			c = append(c, cmplx.Rect(a/2*(1-0.5*float64(k%2)), math.Pi/5*float64(k)))
		}
	default:
		c = []complex128{0, complex(a, 0), complex(a, b), complex(a*3/4, b), complex(a*3/4, b/4), complex(a/4, b/4), complex(a/4, b), complex(0, b)}
	}
	return outlined(v, rapid.IntRange(0, 12).Draw(t, "copies"), turns, c...)
}

func drawnAsk(t *rapid.T) Ask {
	a := Ask{Volume: machine.Volume{Shape: machine.Rectangle, XMM: rapid.Float64Range(60, 300).Draw(t, "x"), YMM: rapid.Float64Range(60, 300).Draw(t, "y")},
		ApartUM: rapid.Int64Range(0, 12_000).Draw(t, "apart"), MarginUM: rapid.Int64Range(0, 5000).Draw(t, "margin"),
		Seed: rapid.Uint64().Draw(t, "seed"), Effort: rapid.IntRange(1, 900).Draw(t, "effort")}
	if rapid.Bool().Draw(t, "round") {
		a.Volume.Shape, a.Volume.YMM = machine.Round, a.Volume.XMM
		return a
	}
	a.FreeUM = rapid.SampledFrom([]int64{0, 0, 14_400}).Draw(t, "free")
	return a
}

// Whatever is laid: no overlap, inside, apart, every copy once; and the same again is the same.
func TestWhatIsLaidKeepsTheLaws(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := drawnAsk(t)
		var items []Item
		for range rapid.IntRange(1, 5).Draw(t, "items") {
			items = append(items, drawnItem(t, a.Volume, 40))
		}
		got, err := Lay(context.Background(), items, a)
		require.NoError(t, err)
		hold(t, items, a, got)
		again, err := Lay(context.Background(), items, a)
		require.NoError(t, err)
		require.Equal(t, got, again)
	})
}

// What is pinned stays to the µm and the rest goes round it, clear of what is kept out; two that are
// pinned on each other are told with how much of them overlaps.
func TestWhatIsPinnedStays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := drawnAsk(t)
		a.FreeUM = 0
		items := []Item{drawnItem(t, a.Volume, 18), drawnItem(t, a.Volume, 18)}
		r := a.Volume.XMM / 2
		at := func(x, y float64) polygon.Point { return polygon.At(x*r, y*min(r, a.Volume.YMM/2)) }
		items[0].Copies += 2
		items[0].Pinned = []Pin{{By: at(0.3, 0.1), TurnDeg: rapid.SampledFrom([]float64{0, 37}).Draw(t, "turned")}, {Plate: 1, By: at(-0.3, 0)}}
		mid := Middle(a.Volume)
		a.KeepOut = []polygon.Path{shifted(polygon.Path{{X: -6000, Y: -4000}, {X: 0, Y: -4000}, {X: 0, Y: 4000}, {X: -6000, Y: 4000}}, polygon.Point{X: mid.X - polygon.UM(0.8*r) + 6000, Y: mid.Y})}
		got, err := Lay(context.Background(), items, a)
		require.NoError(t, err)
		hold(t, items, a, got)
	})
	v := machine.Volume{Shape: machine.Rectangle, XMM: 100, YMM: 100}
	two := outlined(v, 2, nil, rect(20, 10)...)
	two.Pinned = []Pin{{}, {By: polygon.At(15, 4)}}
	_, err := Lay(context.Background(), []Item{two}, Ask{Volume: v})
	var bad *Collision
	require.ErrorAs(t, err, &bad)
	assert.InDelta(t, 5*6, bad.OverlapMM2, 1e-6)
	assert.Contains(t, bad.Error(), "30.0 mm²")
}

// Known optima: n equal circles in a circle (Graham, Lubachevsky, Nurmela & Östergård 1998) and five
// squares in a square (Göbel 1979), from memory. A plate 1/0.97 times as wide as the least takes them.
func TestKnownOptima(t *testing.T) {
	for _, c := range []struct {
		copies int
		ratio  float64
		round  bool
	}{{7, 3, true}, {19, 1 + math.Sqrt2 + math.Sqrt(6), true}, {5, 2 + 1/math.Sqrt2, false}} {
		size := 20.0
		wide := size * c.ratio / 0.97
		v := machine.Volume{Shape: machine.Rectangle, XMM: wide, YMM: wide}
		it := outlined(v, c.copies, []float64{90, 45}, rect(size, size)...)
		if c.round {
			v = machine.Volume{Shape: machine.Round, XMM: 2 * wide, YMM: 2 * wide}
			it = outlined(v, c.copies, nil, circle(96, size)...)
		}
		got, err := Lay(context.Background(), []Item{it}, Ask{Volume: v})
		require.NoError(t, err)
		assert.Len(t, got, 1, "%d", c.copies)
		hold(t, []Item{it}, Ask{Volume: v}, got)
	}
}

// set is pieces of a plate as both layouts are asked: sizes, and how many of each.
type set struct {
	Plate [2]float64   `json:"plate"`
	Apart float64      `json:"apart"`
	Sizes [][3]float64 `json:"sizes"`
}

// Against the boxes of maxrects-packer (npm), with its quarter turns, on twenty sets: never more plates;
// of triangles, of Ls and of mixed ones fewer, since their outlines interlock.
func TestNeverMorePlatesThanBoxes(t *testing.T) {
	if testing.Short() {
		t.Skip("asks node")
	}
	var sets []set
	var ours []int
	for k := range 20 {
		s := set{Plate: [2]float64{220, 220}, Apart: 5}
		x := uint32(k)*2654435761 + 1
		next := func(n int) float64 { x = x*1664525 + 1013904223; return float64(int(x>>16) % n) }
		for range 3 + k%8 {
			s.Sizes = append(s.Sizes, [3]float64{10 + next(70), 10 + next(70), 1 + next(9)})
		}
		v := machine.Volume{Shape: machine.Rectangle, XMM: s.Plate[0], YMM: s.Plate[1]}
		var items []Item
		for _, z := range s.Sizes {
			c := rect(z[0], z[1])
			switch k % 4 { // a quarter are boxes, the others have the same boxes
			case 1:
				c = []complex128{0, complex(z[0], 0), complex(0, z[1])}
			case 2:
				c = []complex128{0, complex(z[0], 0), complex(z[0], z[1]/4), complex(z[0]/4, z[1]/4), complex(z[0]/4, z[1]), complex(0, z[1])}
			case 3:
				c = circle(24, min(z[0], z[1])/2)
				for i := range c {
					c[i] = complex(real(c[i])*z[0]/min(z[0], z[1]), imag(c[i])*z[1]/min(z[0], z[1]))
				}
			}
			items = append(items, outlined(v, int(z[2]), []float64{90, 180, 270}, c...))
		}
		a := Ask{Volume: v, ApartUM: polygon.UM(s.Apart)}
		got, err := Lay(context.Background(), items, a)
		require.NoError(t, err)
		hold(t, items, a, got)
		sets, ours = append(sets, s), append(ours, len(got))
	}
	raw, err := json.Marshal(sets)
	require.NoError(t, err)
	name := t.TempDir() + "/sets.json"
	require.NoError(t, os.WriteFile(name, raw, 0o600))
	said, err := exec.Command("node", "testdata/boxes.mjs", name).Output()
	require.NoError(t, err, "node, with web/node_modules")
	var theirs []int
	require.NoError(t, json.Unmarshal(said, &theirs))
	t.Log("plates, ours and of boxes:", ours, theirs)
	require.Len(t, theirs, len(ours))
	fewer := 0
	for k := range ours {
		assert.LessOrEqual(t, ours[k], theirs[k], "set %d", k)
		if ours[k] < theirs[k] {
			fewer++
		}
	}
	assert.GreaterOrEqual(t, fewer, 8)
}

// An impossible part lies alone in the middle; nothing at all needs no plate.
func TestWhatGoesNowhere(t *testing.T) {
	v := machine.Volume{Shape: machine.Round, XMM: 100, YMM: 100}
	got, err := Lay(context.Background(), []Item{outlined(v, 2, nil, rect(150, 20)...), outlined(v, 3, nil, circle(12, 20)...)}, Ask{Volume: v, ApartUM: 5000})
	require.NoError(t, err)
	assert.Len(t, got, 2+1, "three circles of 20 mm go into one of 43.1")
	none, err := Lay(context.Background(), nil, Ask{Volume: v})
	require.NoError(t, err)
	assert.Empty(t, none)
	ctx, stop := context.WithCancel(context.Background())
	stop()
	_, err = Lay(ctx, []Item{outlined(v, 50, nil, circle(12, 9)...)}, Ask{Volume: v})
	require.ErrorIs(t, err, context.Canceled)
}

// Forty pieces of ten kinds, one plate's worth and more, three amounts of effort.
func BenchmarkFortyOfTenKinds(b *testing.B) {
	v := machine.Volume{Shape: machine.Rectangle, XMM: 300, YMM: 300}
	var items []Item
	for k := range 10 {
		f := float64(k)
		items = append(items, outlined(v, 4, []float64{90, 180, 270}, 0, complex(30+4*f, 0), complex(30+4*f, 12+f), complex(12, 12+f), complex(12, 50+f), complex(0, 50+f)))
	}
	for _, c := range []struct {
		name   string
		effort int
	}{{"once", 1}, {"default", 0}, {"more", 8 * DefaultEffort}} {
		b.Run(c.name, func(b *testing.B) {
			for b.Loop() {
				got, err := Lay(context.Background(), items, Ask{Volume: v, ApartUM: 5000, Effort: c.effort})
				if err != nil {
					b.Fatal(err)
				}
				b.ReportMetric(float64(len(got)), "plates")
			}
		})
	}
}
