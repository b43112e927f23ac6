package section

import "jobshelf/core/shape/polygon"

// Thin is a figure of a layer that is thinner than most lines.
type Thin struct {
	Slab    int
	AtMM    [3]float64 // a point of it, where the mesh stands
	WidthMM float64    // of the widest disc in it, within thinStepMM
	AreaMM2 float64
	Every   int // it stands for so many layers; overhangs on thick figures is looked for in some of them only
}

const (
	// thinMM is how thick a figure may be on average to be looked at: a nozzle of 1.2 mm
	// lays no less than a third of a line twice as wide.
	thinMM     = 0.6
	thinStepMM = 0.01
	// maxThin bounds the list.
	maxThin = 100_000
	// finLayers is in about how many layers fins are looked for, finMM how long they are
	// at the least: the tip of a corner is no fin.
	finLayers = 32
	finMM     = 3.0
)

// thin notes the thin figures of slab k, which stand alone: what is thin on a thick
// figure is none.
func (s *Stack) thin(k int, zMM float64, l *Cut, poly *polygon.Scratch) {
	if len(s.Thin) >= maxThin || len(l.Loops) == 0 {
		return
	}
	look := false
	for _, p := range l.Loops {
		look = look || p.Area() < thinMM/2*p.Length() || len(l.Loops) > 1 && p.Area() < 0
	}
	if !look {
		return
	}
	for _, f := range polygon.Figures(l.Loops) {
		paths := f.Paths()
		area, length := 0.0, 0.0
		for _, p := range paths {
			area += p.Area()
			length += p.Length()
		}
		if area <= 0 || area >= thinMM/2*length {
			continue
		}
		lo := widest(paths, poly)
		q := f.Outer[0]
		s.Thin = append(s.Thin, Thin{k, [3]float64{float64(q.X) / 1000, float64(q.Y) / 1000, zMM}, lo, area, 1})
	}
}

// widest is the width of the widest disc in a thin figure, mm: at most twice what the
// figure is wide on average.
func widest(paths []polygon.Path, poly *polygon.Scratch) float64 {
	lo, hi := 0.0, 2*thinMM
	for hi-lo > thinStepMM {
		mid := (lo + hi) / 2
		if len(poly.Offset(paths, -500*mid, polygon.Offsets{Join: polygon.Mitre, MitreLimit: 2})) > 0 {
			lo = mid
		} else {
			hi = mid
		}
	}
	return lo
}

// slender says that a figure is thin and long, as what an opening or a closing leaves of a corner is not.
func slender(f polygon.Figure) (paths []polygon.Path, areaMM2 float64, is bool) {
	paths = f.Paths()
	length := 0.0
	for _, p := range paths {
		areaMM2 += p.Area()
		length += p.Length()
	}
	return paths, areaMM2, polygon.SmallestRectangle(f.Outer).LongUM >= 1000*finMM && areaMM2 > 0 && areaMM2 < thinMM/2*length
}

// fins notes what is thin on a thick figure of slab k, in one of some layers: what an
// opening by half of thinMM takes away and is long.
func (s *Stack) fins(k int, zMM float64, l *Cut, poly *polygon.Scratch) {
	every := max(1, len(s.Slabs)/finLayers)
	if k%every != every/2 || len(s.Thin) >= maxThin || len(l.Loops) == 0 {
		return
	}
	coarse := polygon.Offsets{Join: polygon.Mitre, MitreLimit: 2, SimplifyUM: 15}
	open := poly.Offset(l.Loops, -500*thinMM, coarse)
	if len(open) == 0 {
		return // all of it is thin, and told
	}
	open = poly.Offset(open, 500*thinMM+40, coarse)
	for _, f := range polygon.Figures(poly.Boolean(polygon.Difference, polygon.NonZero, l.Loops, open)) {
		paths, area, is := slender(f)
		if !is {
			continue
		}
		q := f.Outer[0]
		s.Thin = append(s.Thin, Thin{k, [3]float64{float64(q.X) / 1000, float64(q.Y) / 1000, zMM}, widest(paths, poly), area, every})
	}
}
