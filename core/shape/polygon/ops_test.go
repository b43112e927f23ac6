package polygon

import (
	"bytes"
	"encoding/json"
	"flag"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Some seconds' worth of cases of each property; -rapid.checks asks for more.
func TestMain(m *testing.M) {
	flag.Parse()
	asked := false
	flag.Visit(func(f *flag.Flag) { asked = asked || f.Name == "rapid.checks" })
	if !testing.Short() && !asked {
		if err := flag.Set("rapid.checks", "1500"); err != nil {
			panic(err)
		}
	}
	os.Exit(m.Run())
}

func square(x, y, a int64) Path { return Path{{x, y}, {x + a, y}, {x + a, y + a}, {x, y + a}} }

func ring(cx, cy, r float64, n int) Path {
	out := make(Path, n)
	for i := range out {
		s, c := math.Sincos(2 * math.Pi * float64(i) / float64(n))
		out[i] = Point{int64(math.Round(cx + r*c)), int64(math.Round(cy + r*s))}
	}
	return out
}

func areaUM2(paths []Path) float64 {
	a := 0.0
	for _, p := range paths {
		a += p.Area() * 1e6
	}
	return a
}

func perimeterUM(paths []Path) float64 {
	l := 0.0
	for _, p := range paths {
		l += p.Length() * 1e3
	}
	return l
}

// valid holds a result to what is promised: no path crosses itself or another or
// lies on one (they may touch in points), every path is simple, without straight
// corners, and every side has the inside at its left: the winding number of all
// paths together is 1 there and 0 at the right. It goes by a slow twin: all
// pairs, and a winding number by counting.
func valid(t require.TestingT, paths []Path) {
	type seg struct{ a, b Point }
	var segs []seg
	for _, p := range paths {
		require.GreaterOrEqual(t, len(p), 3)
		require.NotZero(t, p.Area(), "a path without area")
		seen := map[Point]bool{}
		for i, q := range p {
			require.False(t, seen[q], "a path comes to %v twice", q)
			seen[q] = true
			r, s := p[(i+1)%len(p)], p[(i+2)%len(p)]
			require.NotZero(t, cross(q, r, s), "%v %v %v is straight", q, r, s)
			segs = append(segs, seg{q, r})
		}
	}
	if len(segs) > 600 {
		return
	}
	sgn := func(v int64) int { return int(sign(v)) }
	for i, e := range segs {
		for _, f := range segs[:i] {
			s1, s2 := sgn(cross(e.a, e.b, f.a)), sgn(cross(e.a, e.b, f.b))
			t1, t2 := sgn(cross(f.a, f.b, e.a)), sgn(cross(f.a, f.b, e.b))
			require.False(t, s1*s2 < 0 && t1*t2 < 0, "%v and %v cross", e, f)
			if s1 == 0 && s2 == 0 { // on one line: they may share an end, no more
				d := func(p Point) int64 { return (p.X-e.a.X)*(e.b.X-e.a.X) + (p.Y-e.a.Y)*(e.b.Y-e.a.Y) }
				lo, hi := min(d(f.a), d(f.b)), max(d(f.a), d(f.b))
				require.False(t, lo < d(e.b) && hi > 0, "%v and %v overlap", e, f)
			}
		}
		left, right := windingBeside(paths, e.a, e.b)
		require.Equal(t, [2]int{1, 0}, [2]int{left, right}, "beside %v", e)
	}
}

// windingBeside counts, in float64 and slowly, the winding numbers left and right
// of a point on a side of one of the paths: not its middle, where another path
// may touch.
func windingBeside(paths []Path, a, b Point) (left, right int) {
	mx, my := float64(a.X)+0.381966*float64(b.X-a.X), float64(a.Y)+0.381966*float64(b.Y-a.Y)
	dx, dy := float64(b.X-a.X), float64(b.Y-a.Y)
	// The line from the point along the side's left normal: sides crossed by it
	// change the number; the side itself is left out.
	w := 0
	for _, p := range paths {
		for i, q := range p {
			r := p[(i+1)%len(p)]
			if q == a && r == b {
				continue
			}
			// Along n = (-dy, dx): u is along the side, v along n.
			uq := (float64(q.X)-mx)*dx + (float64(q.Y)-my)*dy
			ur := (float64(r.X)-mx)*dx + (float64(r.Y)-my)*dy
			if (uq > 0) == (ur > 0) {
				continue
			}
			vq := -(float64(q.X)-mx)*dy + (float64(q.Y)-my)*dx
			vr := -(float64(r.X)-mx)*dy + (float64(r.Y)-my)*dx
			if v := vq + (0-uq)/(ur-uq)*(vr-vq); v > 0 {
				if ur > uq {
					w--
				} else {
					w++
				}
			}
		}
	}
	return w, w - 1
}

// draw makes a set of paths of few coordinates, so that points, lines and
// crossings coincide often, or of many.
func draw(t *rapid.T, name string) []Path {
	size := rapid.SampledFrom([]int64{3, 8, 40, 2000, 300_000}).Draw(t, name+" size")
	c := rapid.Int64Range(-size, size)
	paths := make([]Path, rapid.IntRange(0, 3).Draw(t, name+" paths"))
	for i := range paths {
		paths[i] = make(Path, rapid.IntRange(1, 9).Draw(t, name+" points"))
		for k := range paths[i] {
			paths[i][k] = Point{c.Draw(t, "x"), c.Draw(t, "y")}
		}
	}
	return paths
}

// slack is what rounding may do to an area: every crossing may move by about a
// micrometre, and with it the sides that meet there.
func slack(sets ...[]Path) float64 {
	l := 16.0
	for _, s := range sets {
		l += perimeterUM(s)
	}
	return 2 * l
}

func properties(t *rapid.T) {
	var s Scratch
	a, b := draw(t, "a"), draw(t, "b")
	rule := rapid.SampledFrom([]Rule{NonZero, EvenOdd, Positive}).Draw(t, "rule")
	results := map[Op][]Path{}
	for _, op := range []Op{Union, Intersection, Difference, Xor} {
		results[op] = s.Boolean(op, rule, a, b)
		valid(t, results[op])
	}
	ra, rb := s.Union(rule, a), s.Union(rule, b)
	valid(t, ra)
	tol := slack(a, b)
	require.InDelta(t, areaUM2(ra)+areaUM2(rb), areaUM2(results[Union])+areaUM2(results[Intersection]), tol, "|A∪B| + |A∩B| = |A| + |B|")
	require.InDelta(t, areaUM2(results[Union])-areaUM2(results[Intersection]), areaUM2(results[Xor]), tol, "|A⊕B| = |A∪B| - |A∩B|")
	require.InDelta(t, areaUM2(ra)-areaUM2(results[Intersection]), areaUM2(results[Difference]), tol, "|A-B| = |A| - |A∩B|")
	// What comes out goes through unchanged.
	again := s.Union(NonZero, results[Union])
	require.InDelta(t, areaUM2(results[Union]), areaUM2(again), 0.01, "idempotent")
	// Moved and turned a quarter, the same area.
	turned := func(ps []Path) []Path {
		out := make([]Path, len(ps))
		for i, p := range ps {
			for _, q := range p {
				out[i] = append(out[i], Point{-q.Y + 1000, q.X - 77})
			}
		}
		return out
	}
	require.InDelta(t, areaUM2(results[Xor]), areaUM2(s.Boolean(Xor, rule, turned(a), turned(b))), tol)
}

func TestBooleanProperties(t *testing.T) { rapid.Check(t, properties) }

func TestOffsetProperties(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var s Scratch
		base := s.Union(NonZero, draw(t, "a"))
		d := float64(rapid.Int64Range(1, 3000).Draw(t, "d"))
		o := Offsets{Join: rapid.SampledFrom([]Join{Round, Mitre, Square}).Draw(t, "join")}
		grown := s.Offset(base, d, o)
		valid(t, grown)
		shrunk := s.Offset(base, -d, o)
		valid(t, shrunk)
		tol := slack(base, grown)
		require.InDelta(t, areaUM2(base), areaUM2(s.Boolean(Intersection, NonZero, base, grown)), tol, "offset(+d) contains")
		require.InDelta(t, areaUM2(shrunk), areaUM2(s.Boolean(Intersection, NonZero, base, shrunk)), tol, "offset(-d) is contained")
		// Out and in again covers what was there (closing).
		back := s.Offset(grown, -d, Offsets{})
		require.InDelta(t, areaUM2(base), areaUM2(s.Boolean(Intersection, NonZero, base, back)), tol+perimeterUM(base)*4)
	})
}

// By hand: squares, a circle as a 256-gon, an L, a star whose mitres are cut.
func TestWorkedExamples(t *testing.T) {
	var s Scratch
	sq := []Path{square(0, 0, 1000)}
	assert.Equal(t, 1_960_000., areaUM2(s.Offset(sq, 200, Offsets{Join: Mitre})), "1.4 mm square")
	assert.Equal(t, 360_000., areaUM2(s.Offset(sq, -200, Offsets{Join: Mitre})), "0.6 mm square")
	assert.Empty(t, s.Offset(sq, -500, Offsets{Join: Mitre}), "nothing is left")
	// A square with round corners: a² + 4ad + πd², short by the arcs' chords.
	assert.InDelta(t, 1e6+4*1000*200+math.Pi*200*200, areaUM2(s.Offset(sq, 200, Offsets{ArcUM: 0.5})), 1300)
	// Square joins cut each corner at the offset: (2 - (√2 - 1)) … the corner piece
	// is d²·2·tan(π/8).
	assert.InDelta(t, 1e6+4*1000*200+4*200*200*2*math.Tan(math.Pi/8), areaUM2(s.Offset(sq, 200, Offsets{Join: Square})), 1500)
	circle := []Path{ring(0, 0, 10_000, 256)}
	ngon := func(r float64) float64 { return 128 * r * r * math.Sin(2*math.Pi/256) }
	k := 1 / math.Cos(math.Pi/256) // a mitred offset moves the corners by d/cos(π/n)
	assert.InEpsilon(t, ngon(10_000+500*k), areaUM2(s.Offset(circle, 500, Offsets{Join: Mitre})), 1e-4)
	assert.InEpsilon(t, ngon(10_000-500*k), areaUM2(s.Offset(circle, -500, Offsets{Join: Mitre})), 1e-4)
	assert.Empty(t, s.Offset(circle, -15_000, Offsets{}), "half again its radius")
	assert.Empty(t, s.Offset(circle, -10_030, Offsets{Join: Mitre}), "a little more than its radius")
	turned := slices.Clone(circle[0])
	slices.Reverse(turned)
	assert.Len(t, s.Offset([]Path{square(-20_000, -20_000, 40_000), turned}, 10_030, Offsets{}), 1, "the hole is closed")
	l := []Path{{{0, 0}, {3000, 0}, {3000, 1000}, {1000, 1000}, {1000, 4000}, {0, 4000}}}
	assert.Equal(t, 6e6, areaUM2(l))
	assert.InEpsilon(t, (3200.*1200)+(1200.*3000), areaUM2(s.Offset(l, 100, Offsets{Join: Mitre})), 1e-12)
	assert.InEpsilon(t, (2800.*800)+(800.*3000), areaUM2(s.Offset(l, -100, Offsets{Join: Mitre})), 1e-12)
	// A ray of a star, 10 mm long and 1 mm wide at its foot: its tip turns by nearly
	// 180° and would reach 10 offsets; the limit of 2 cuts it off.
	ray := []Path{{{0, -500}, {10_000, 0}, {0, 500}}}
	tip := func(limit float64) int64 {
		x := int64(0)
		for _, p := range s.Offset(ray, 300, Offsets{Join: Mitre, MitreLimit: limit}) {
			for _, q := range p {
				x = max(x, q.X)
			}
		}
		return x
	}
	assert.InDelta(t, 10_000+300/math.Sin(math.Atan(0.05)), float64(tip(25)), 1)
	assert.InDelta(t, 10_300, float64(tip(2)), 1, "square at the offset")
	// Two squares that share a side, a corner, nothing; a hole that touches.
	assert.Len(t, s.Union(NonZero, []Path{square(0, 0, 100), square(100, 0, 100)}), 1)
	assert.Len(t, s.Union(NonZero, []Path{square(0, 0, 100), square(100, 100, 100)}), 2)
	assert.Len(t, s.Boolean(Difference, NonZero, []Path{square(0, 0, 100)}, []Path{{{0, 50}, {50, 25}, {50, 75}}}), 2, "a hole that touches in a point")
	stroke := s.Strokes([]Stroke{{Path{{0, 0}, {3000, 0}}, []float64{400, 800}}}, Offsets{ArcUM: 0.3})
	// Two discs and their tangents: with sinφ = 200/3000, L = √(3000² - 200²): the
	// trapezoid (r+R)·L and the arcs outside of it.
	phi := math.Asin(200. / 3000)
	want := (200+400)*math.Sqrt(3000*3000-200*200) + 400*400*(math.Pi/2+phi) + 200*200*(math.Pi/2-phi)
	assert.InDelta(t, want, areaUM2(stroke), 2500)
}

func TestLinesAreClippedInOrder(t *testing.T) {
	var s Scratch
	region := []Path{square(0, 0, 1000), {{400, 400}, {400, 600}, {600, 600}, {600, 400}}}
	lines := []Path{{{-100, 500}, {1100, 500}}, {{500, 900}, {500, -100}}, {{2000, 0}, {3000, 0}}, {{0, 0}, {0, 1000}}}
	parts, of := s.ClipLines(NonZero, lines, region, true)
	assert.Equal(t, []Path{{{0, 500}, {400, 500}}, {{600, 500}, {1000, 500}}, {{500, 900}, {500, 600}}, {{500, 400}, {500, 0}}}, merged(parts[:4]))
	assert.Equal(t, []int{0, 0, 1, 1, 3}, of, "a line on the border is inside")
	out, of := s.ClipLines(NonZero, lines, region, false)
	assert.Len(t, of, len(out))
	total := 0.0
	for _, p := range append(out, parts...) {
		for i := 1; i < len(p); i++ {
			total += math.Hypot(float64(p[i].X-p[i-1].X), float64(p[i].Y-p[i-1].Y))
		}
	}
	assert.InDelta(t, 1200+1000+1000+1000, total, 1e-9, "nothing is lost")
}

// merged leaves out points in the middle of straight parts.
func merged(parts []Path) []Path {
	out := make([]Path, len(parts))
	for i, p := range parts {
		out[i] = Path{p[0], p[len(p)-1]}
	}
	return out
}

type peerCase struct {
	Op      string    `json:"op"`
	Rule    string    `json:"rule"`
	Subject [][]int64 `json:"subject"`
	Clip    [][]int64 `json:"clip"`
	Delta   float64   `json:"delta"`
	Join    string    `json:"join"`
	Mitre   float64   `json:"mitre"`
	Arc     float64   `json:"arc"`
}

func flat(ps []Path) [][]int64 {
	out := make([][]int64, len(ps))
	for i, p := range ps {
		for _, q := range p {
			out[i] = append(out[i], q.X, q.Y)
		}
	}
	return out
}

// Against clipper2-wasm (npm) under node, on random figures: areas equal within
// two micrometres along the perimeter.
func TestAgreesWithAPolygonLibrary(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 2))
	shape := func() []Path {
		var out []Path
		for range 1 + r.IntN(4) {
			n := 3 + r.IntN(20)
			size := []float64{500, 5000, 60_000}[r.IntN(3)]
			cx, cy := (r.Float64()-0.5)*size*2, (r.Float64()-0.5)*size*2
			p := make(Path, n)
			for k := range p {
				a, d := 2*math.Pi*float64(k)/float64(n), size*(0.2+r.Float64())
				if r.IntN(5) == 0 {
					a = r.Float64() * 7 // a fold
				}
				p[k] = Point{int64(cx + d*math.Cos(a)), int64(cy + d*math.Sin(a))}
			}
			out = append(out, p)
		}
		return out
	}
	var s Scratch
	var cases []peerCase
	var got, tol []float64
	ops := map[Op]string{Union: "union", Intersection: "intersection", Difference: "difference", Xor: "xor"}
	rules := map[Rule]string{NonZero: "nonzero", EvenOdd: "evenodd", Positive: "positive"}
	for i := range 600 {
		a, b := shape(), shape()
		op, rule := Op(i%4), Rule(i/4%3)
		res := s.Boolean(op, rule, a, b)
		cases = append(cases, peerCase{Op: ops[op], Rule: rules[rule], Subject: flat(a), Clip: flat(b)})
		got, tol = append(got, areaUM2(res)), append(tol, 2*perimeterUM(res)+2*perimeterUM(a)/10+50)
	}
	joins := []string{"round", "mitre", "square"}
	for i := range 600 {
		base := s.Union(NonZero, shape())
		for folds(base) { // the library caps notches that turn back by 180° within 2.6°
			base = s.Union(NonZero, shape())
		}
		d := (r.Float64() - 0.5) * 4000
		j := Join(i % 3)
		res := s.Offset(base, d, Offsets{Join: j, MitreLimit: 2, ArcUM: 2})
		cases = append(cases, peerCase{Op: "offset", Subject: flat(base), Delta: d, Join: joins[j], Mitre: 2, Arc: 2})
		got, tol = append(got, areaUM2(res)), append(tol, 2*perimeterUM(res)+50)
	}
	in, err := json.Marshal(cases)
	require.NoError(t, err)
	cmd := exec.Command("node", "testdata/peer.mjs")
	cmd.Stdin, cmd.Stderr = bytes.NewReader(in), os.Stderr
	out, err := cmd.Output()
	require.NoError(t, err)
	var want []float64
	require.NoError(t, json.Unmarshal(out, &want))
	require.Len(t, want, len(got))
	off := 0
	for i := range got {
		if math.Abs(got[i]-want[i]) > tol[i] {
			off++
			if off < 8 {
				t.Errorf("%d %s %s: %.0f, the library has %.0f, off by %.0f of %.0f", i, cases[i].Op, cases[i].Rule+cases[i].Join, got[i], want[i], got[i]-want[i], tol[i])
			}
		}
	}
	assert.Zero(t, off, "of %d", len(got))
}

// folds says that a corner turns nearly straight back to the right.
func folds(paths []Path) bool {
	for _, p := range paths {
		for i, q := range p {
			a, c := p[(i+len(p)-1)%len(p)], p[(i+1)%len(p)]
			ux, uy, vx, vy := float64(q.X-a.X), float64(q.Y-a.Y), float64(c.X-q.X), float64(c.Y-q.Y)
			if (ux*vx+uy*vy)/math.Hypot(ux, uy)/math.Hypot(vx, vy) < -0.999 {
				return true
			}
		}
	}
	return false
}

func FuzzBoolean(f *testing.F) {
	f.Add([]byte{0, 0, 9, 0, 9, 9, 255, 1, 1, 5, 1, 5, 5}, uint8(0))
	f.Fuzz(func(t *testing.T, b []byte, how uint8) {
		if len(b) > 400 {
			return
		}
		var sets [2][]Path
		set := 0
		var p Path
		for i := 0; i+1 < len(b); i += 2 {
			if b[i] == 255 {
				sets[set] = append(sets[set], p)
				p = nil
				if b[i+1]&1 == 1 {
					set = 1
				}
				continue
			}
			p = append(p, Point{int64(b[i]) * int64(1+how>>6), int64(b[i+1])})
		}
		sets[set] = append(sets[set], p)
		var s Scratch
		res := s.Boolean(Op(how&3), Rule(how>>2&3%3), sets[0], sets[1])
		valid(t, res)
		valid(t, s.Offset(res, float64(int(how)-128)/3, Offsets{Join: Join(how % 3)}))
	})
}

func TestSimplifyStaysWithinItsDeviation(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(3, 60).Draw(t, "n")
		dev := rapid.Float64Range(0.5, 400).Draw(t, "deviation")
		p := make(Path, n)
		for i := range p {
			s, c := math.Sincos(2 * math.Pi * float64(i) / float64(n))
			r := rapid.Float64Range(900, 1500).Draw(t, "r")
			p[i] = Point{int64(r * c), int64(r * s)}
		}
		got := Simplify(p, dev, nil)
		require.LessOrEqual(t, len(got), n)
		if len(got) == 0 {
			return
		}
		for _, q := range p {
			best := math.Inf(1)
			for i, a := range got {
				best = math.Min(best, FromSegment(q, a, got[(i+1)%len(got)]))
			}
			require.LessOrEqual(t, best, dev+1e-6)
		}
	})
	// A circle of radius 10 mm within 1 µm: chords of √(8rε) = 283 µm, 222 of them.
	got := Simplify(ring(0, 0, 10_000, 5000), 1, nil)
	assert.InDelta(t, 270, len(got), 60, "the cone is held at its points, not at the chord's middle")
}

func TestShapesByHand(t *testing.T) {
	// A 30 × 10 rectangle turned by atan(3/4): corners on whole numbers.
	turned := []Point{{0, 0}, {24000, 18000}, {18000, 26000}, {-6000, 8000}}
	r := SmallestRectangle(append(turned, Point{9000, 13000}))
	assert.InDelta(t, 30_000, r.LongUM, 1e-6)
	assert.InDelta(t, 10_000, r.ShortUM, 1e-6)
	assert.InDelta(t, math.Atan2(3, 4), r.AngleRad, 1e-12)
	assert.InDelta(t, 9000, r.CentreX, 1e-6)
	assert.InDelta(t, 13_000, r.CentreY, 1e-6)
	ringed := []Path{square(0, 0, 100), {{10, 10}, {10, 90}, {90, 90}, {90, 10}}, square(40, 40, 20)}
	assert.Equal(t, []int{1, -1, 0, 1}, []int{Inside(NonZero, ringed, Point{5, 5}), Inside(NonZero, ringed, Point{20, 20}), Inside(NonZero, ringed, Point{10, 50}), Inside(NonZero, ringed, Point{50, 50})})
	figures := Figures(ringed)
	require.Len(t, figures, 2)
	assert.Len(t, figures[0].Holes, 1)
	assert.Empty(t, figures[1].Holes)
}

// The bar of 10 × 0.6 mm: one line along its middle, 0.6 mm wide, that ends within
// a width of both ends. A ring of 0.5 mm: one closed line of radius 5 mm. An L: lines
// of both arms.
func TestMedialLines(t *testing.T) {
	var s Scratch
	bar := []Path{{{0, 0}, {10_000, 0}, {10_000, 600}, {0, 600}}}
	lines := s.Medial(bar, 100, 900)
	require.Len(t, lines, 1)
	lo, hi := int64(math.MaxInt64), int64(0)
	for i, p := range lines[0].Points {
		assert.InDelta(t, 300, float64(p.Y), 40)
		assert.InDelta(t, 600, lines[0].WidthUM[i], 60)
		lo, hi = min(lo, p.X), max(hi, p.X)
	}
	assert.LessOrEqual(t, lo, int64(600))
	assert.GreaterOrEqual(t, hi, int64(9400))
	annulus := s.Boolean(Difference, NonZero, []Path{ring(0, 0, 5250, 200)}, []Path{ring(0, 0, 4750, 200)})
	lines = s.Medial(annulus, 100, 900)
	length := 0.0
	for _, l := range lines {
		for i, p := range l.Points {
			assert.InDelta(t, 5000, math.Hypot(float64(p.X), float64(p.Y)), 40)
			if i > 0 {
				length += math.Hypot(float64(p.X-l.Points[i-1].X), float64(p.Y-l.Points[i-1].Y))
			}
		}
	}
	assert.InEpsilon(t, 2*math.Pi*5000, length, 0.03)
	l := []Path{{{0, 0}, {5000, 0}, {5000, 500}, {500, 500}, {500, 5000}, {0, 5000}}}
	covered := s.Boolean(Intersection, NonZero, s.Strokes(s.Medial(l, 100, 800), Offsets{}), l)
	assert.Greater(t, areaUM2(covered), 0.9*areaUM2(l), "the strokes cover the wall")
	assert.Empty(t, s.Medial([]Path{square(0, 0, 10_000)}, 100, 900), "no thin part")
}

// A triangulation of points is Delaunay: no point lies in a triangle's circle,
// and the triangles fill the hull.
func TestDelaunay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		seen := map[Point]bool{}
		var pts []Point
		for range rapid.IntRange(3, 40).Draw(t, "n") {
			p := Point{rapid.Int64Range(-30, 30).Draw(t, "x"), rapid.Int64Range(-30, 30).Draw(t, "y")}
			if !seen[p] {
				seen[p] = true
				pts = append(pts, p)
			}
		}
		area := 0.0
		for _, v := range triangulateDelaunay(pts) {
			a, b, c := pts[v[0]], pts[v[1]], pts[v[2]]
			require.Positive(t, cross(a, b, c))
			area += float64(cross(a, b, c)) / 2
			for _, p := range pts {
				require.False(t, inCircle(a, b, c, p))
			}
		}
		require.LessOrEqual(t, area, Hull(pts).Area()*1e6+1e-6)
	})
}

// What a figure can do its worst with: time and memory grow with n log n + k.
func TestWorstCasesEnd(t *testing.T) {
	if testing.Short() {
		t.Skip("takes seconds")
	}
	for _, w := range worst(0.25) {
		var s Scratch
		res := s.Union(EvenOdd, w.paths)
		assert.NotEmpty(t, res, w.name)
	}
}

type worstCase struct {
	name  string
	paths []Path
}

// worst makes figures of n·scale edges: a star of random corners (its edges cross
// each other, so it is kept small), a comb, discs that overlap, edges through one
// point.
func worst(scale float64) []worstCase {
	r := rand.New(rand.NewPCG(7, 7))
	n := func(v int) int { return int(float64(v) * scale) }
	star := make(Path, n(1000))
	for i := range star {
		star[i] = Point{r.Int64N(2_000_000), r.Int64N(2_000_000)}
	}
	long := make(Path, n(100_000)) // a star of 10^5 edges that cross their near ones only
	for i := range long {
		s, c := math.Sincos(2 * math.Pi * float64(i) / float64(len(long)))
		d := 200_000_000 + r.Float64()*60_000
		long[i] = Point{int64(d * c), int64(d * s)}
	}
	var comb Path
	for i := range n(10_000) {
		y := int64(i) * 200
		comb = append(comb, Point{0, y}, Point{1_000_000, y}, Point{1_000_000, y + 100}, Point{0, y + 100})
	}
	comb = append(comb, Point{-1000, comb[len(comb)-1].Y}, Point{-1000, 0})
	var discs []Path
	for range n(5000) {
		discs = append(discs, ring(r.Float64()*6e6*math.Sqrt(scale), r.Float64()*6e6*math.Sqrt(scale), 60_000, 32))
	}
	var through []Path
	for i := range n(1000) {
		s, c := math.Sincos(math.Pi * float64(i) / float64(n(1000)))
		x, y := int64(1e8*c), int64(1e8*s)
		through = append(through, Path{{x, y}, {-x, -y}, {-x + 50, -y + 70}})
	}
	return []worstCase{{"random star", []Path{star}}, {"long star", []Path{long}}, {"comb", []Path{comb}}, {"discs", discs}, {"through a point", through}}
}

func BenchmarkWorst(b *testing.B) {
	for _, scale := range []float64{0.25, 0.5, 1} {
		for _, w := range worst(scale) {
			n := 0
			for _, p := range w.paths {
				n += len(p)
			}
			b.Run(w.name+"/"+strconv.Itoa(n), func(b *testing.B) {
				b.ReportAllocs()
				var s Scratch
				for b.Loop() {
					s.Union(EvenOdd, w.paths)
				}
				b.ReportMetric(float64(len(s.n.edges)), "edges-after")
				b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(len(s.n.edges)), "ns/edge-after")
			})
		}
	}
}
