package corpus

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/plate"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/section"
	"jobshelf/internal/demo"
)

// Case is a part on a machine with a recipe: what the quick estimate works from, and
// the figures from the real toolpath.
type Case struct {
	Part   Part
	Choice verdict.Choice
	Sketch *estimate.Sketch
	Full   *estimate.Full
	Ground Ground
	Layers int      // that were promised
	Notes  []string // what the slice tells
}

// Name tells a case.
func (c *Case) Name() string { return c.Part.Name + " by " + c.Choice.Recipe.Name }

// SupportShare is how much of the filament is support, 0…1.
func (c *Case) SupportShare() float64 { return c.Full.GramsSupport / c.Full.Grams() }

// Purposes are those of the demo's recipes.
var Purposes = []recipe.Purpose{recipe.Everyday, recipe.QuickLook, recipe.WorkingPart}

// Cases slices parts by each machine's recipe for a purpose, one of so many pairs, by
// turns, so that each part meets several machines.
func Cases(ctx context.Context, parts []Part, oneOf int, done func(*Case)) ([]*Case, error) {
	var out []*Case
	turn := 0
	for _, p := range parts {
		for _, purpose := range Purposes {
			for _, c := range demo.Choices(purpose) {
				if c.Recipe == nil {
					continue
				}
				if turn++; turn%oneOf != 0 {
					continue
				}
				x, err := caseOf(ctx, p, c)
				if err != nil {
					return nil, fmt.Errorf("%s by %s: %w", p.Name, c.Recipe.Name, err)
				}
				if x == nil {
					continue
				}
				out = append(out, x)
				if done != nil {
					done(x)
				}
			}
		}
	}
	return out, nil
}

// caseOf is nil where the part does not fit.
func caseOf(ctx context.Context, p Part, c verdict.Choice) (*Case, error) {
	m := plate.Stand(p.Mesh, 1, 0, c.Machine.Volume)
	size := m.Bounds().Size()
	if v := c.Machine.Volume; size.X > v.XMM || size.Y > v.YMM || size.Z > v.ZMM {
		return nil, nil
	}
	topo := mesh.TopologyOf(m)
	stack, err := section.NewStack(ctx, m, topo, toolpath.LayeringOf(c.Recipe, c.Machine), 1, nil)
	if err != nil {
		return nil, err
	}
	print, err := toolpath.Slice(ctx, m, topo, 1, *c.Recipe, toolpath.Options{Machine: c.Machine}, nil)
	if err != nil {
		return nil, err
	}
	full := estimate.FullOf(print, *c.Recipe, c.Machine, c.Loaded)
	return &Case{Part: p, Choice: c, Sketch: estimate.SketchOf(stack, c.Recipe, c.Machine, c.Loaded), Full: full,
		Ground: GroundOf(print, *c.Recipe, m.Bounds().Size().Z), Layers: verdict.LayersOf(stack, c.Recipe.WithDefaults().LineMM), Notes: print.Notes}, nil
}

// Off is how far the quick estimate by some factors is off, in time and in filament, as
// shares.
func (c *Case) Off(f *estimate.Factors) (seconds, grams float64) {
	q := c.Sketch.Quick(f)
	return q.Seconds/c.Full.Seconds - 1, q.Grams/c.Full.Grams() - 1
}

// Spread sums up how far a set of figures is off.
type Spread struct{ Median, Of95, Worst float64 }

// SpreadOf takes shares, of either sign.
func SpreadOf(off []float64) Spread {
	if len(off) == 0 {
		return Spread{}
	}
	a := make([]float64, len(off))
	for i, x := range off {
		a[i] = math.Abs(x)
	}
	slices.SortFunc(a, cmp.Compare)
	at := func(q float64) float64 { return a[min(len(a)-1, int(math.Ceil(q*float64(len(a))))-1)] }
	return Spread{at(0.5), at(0.95), a[len(a)-1]}
}

func (s Spread) String() string {
	return fmt.Sprintf("median %.1f %%, 95 %% within %.1f %%, worst %.1f %%", 100*s.Median, 100*s.Of95, 100*s.Worst)
}

// Groups are all of them.
var Groups = []Group{Fitted, HeldOut, Package}

// Report tells how far the quick estimate is off over a group.
func Report(cases []*Case, g Group, f *estimate.Factors) string {
	seconds, grams := Offs(cases, g, f)
	parts, rich := map[string]bool{}, map[string]bool{}
	for _, c := range cases {
		if c.Part.Group == g {
			parts[c.Part.Name] = true
			if c.SupportShare() > 0.1 {
				rich[c.Part.Name] = true
			}
		}
	}
	return fmt.Sprintf("%s: %d cases of %d parts, %d of them with more than a tenth of support\n  time %s\n  mass %s",
		g, len(seconds), len(parts), len(rich), SpreadOf(seconds), SpreadOf(grams))
}

// Offs are how far each case of a group is off.
func Offs(cases []*Case, g Group, f *estimate.Factors) (seconds, grams []float64) {
	for _, c := range cases {
		if c.Part.Group == g {
			s, m := c.Off(f)
			seconds, grams = append(seconds, s), append(grams, m)
		}
	}
	return seconds, grams
}

// Doubts are what a case's lines do not stand on, or leave out unsaid.
func (c *Case) Doubts() []string {
	var out []string
	g := &c.Ground
	doubt := func(format string, args ...any) { out = append(out, c.Name()+": "+fmt.Sprintf(format, args...)) }
	if g.AirMM > 15+0.007*g.SupportMM {
		doubt("%.0f of %.0f mm of support in the air", g.AirMM, g.SupportMM)
	}
	if g.LooseBridges > 0 {
		doubt("%d of %d bridges with a loose end", g.LooseBridges, g.Bridges)
	}
	if (g.LayersLaid != g.LayersMade || c.Layers != c.Full.Layers) && len(c.Notes) == 0 {
		doubt("%d layers promised, %d made, %d of the part, %d of them laid, and nothing said", c.Layers, c.Full.Layers, g.LayersMade, g.LayersLaid)
	}
	if abs := c.Layers - c.Full.Layers; abs > 2 || abs < -2 {
		doubt("%d layers promised, %d made", c.Layers, c.Full.Layers)
	}
	if len(c.Notes) == 0 && g.BareMM > 2+0.001*g.RimMM {
		doubt("%.1f of %.0f mm of outline without a line, and nothing said", g.BareMM, g.RimMM)
	}
	if math.Abs(g.HeightOffMM) > 0.01 && len(c.Notes) == 0 {
		doubt("%.3f mm too high, and nothing said", g.HeightOffMM)
	}
	return out
}

// GroundReport sums up what the cases stand on.
func GroundReport(cases []*Case) string {
	var all Ground
	promised, made := 0, 0
	var height float64
	text := ""
	for _, c := range cases {
		g := &c.Ground
		all.SupportMM, all.AirMM, all.RimMM, all.BareMM = all.SupportMM+g.SupportMM, all.AirMM+g.AirMM, all.RimMM+g.RimMM, all.BareMM+g.BareMM
		all.Bridges, all.LooseBridges = all.Bridges+g.Bridges, all.LooseBridges+g.LooseBridges
		promised, made = promised+c.Layers, made+c.Full.Layers
		height = max(height, math.Abs(g.HeightOffMM))
		for _, d := range c.Doubts() {
			text += "  " + d + "\n"
		}
	}
	return fmt.Sprintf(
		"%d cases: support in the air %.0f of %.0f mm (%.3f %%), loose bridges %d of %d, outline bare %.0f of %.0f mm, layers promised %d, made %d, height off by %.3f mm at the most\n%s",
		len(cases),
		all.AirMM,
		all.SupportMM,
		100*all.AirMM/max(1, all.SupportMM),
		all.LooseBridges,
		all.Bridges,
		all.BareMM,
		all.RimMM,
		promised,
		made,
		height,
		text,
	)
}
