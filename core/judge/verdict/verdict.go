// Package verdict is the whole judgement of one model, as it is given at the
// counter and on the command line: measure, check, try on every machine,
// estimate by the recipe of the purpose.
package verdict

import (
	"cmp"
	"context"
	"math"
	"slices"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/section"
	"jobshelf/core/shape/units"
)

// Revision counts up whenever the same model is judged otherwise than before, so that it is
// judged anew. A test holds it to the golden files.
const Revision = 6

// Choice is a machine and what would be done on it. Recipe and Loaded are nil
// where the house has no recipe for the purpose; then only the fit is tried.
type Choice struct {
	ID      int64 // the house's number of the machine; 0 where there is no house
	Machine *machine.Machine
	Recipe  *recipe.Recipe
	Loaded  machine.Loaded
}

// Box is a box in mm.
type Box struct {
	Min [3]float64 `json:"min"`
	Max [3]float64 `json:"max"`
}

// MachineVerdict is one row of the machine ladder.
type MachineVerdict struct {
	ID         int64      `json:"machine_id,omitempty" doc:"The house's number of the machine; its name may change"`
	Name       string     `json:"name"`
	Recipe     string     `json:"recipe,omitempty"`
	Fits       bool       `json:"fits"`
	OverMM     [3]float64 `json:"over_mm"`
	ScaleToFit float64    `json:"scale_to_fit"`
	TurnDeg    float64    `json:"turn_deg"`
	FootMM     [2]float64 `json:"foot_mm" doc:"What it takes of the plate, turned so"`
	ApartMM    float64    `json:"apart_mm,omitempty" doc:"How far copies are apart by the recipe"`
	Quick      *Quick     `json:"quick,omitempty"`
	// Against is why it cannot be made there though it may fit.
	Against *problem.Phrase `json:"against,omitempty"`
}

// Quick is a quick estimate with its price, which is the shop's to fill in.
type Quick struct {
	estimate.Quick
	units.Price
}

// Verdict is everything that was found out about one model, or about a program.
// Field names are those of docs/check-json.md.
type Verdict struct {
	Format        modelfile.Format            `json:"format"`
	Unit          units.Length                `json:"unit"`
	UnitStated    bool                        `json:"unit_stated"`
	Name          string                      `json:"name,omitempty"`
	Triangles     int                         `json:"triangles"`
	Vertices      int                         `json:"vertices"`
	BodyCount     int                         `json:"body_count"`
	Bodies        []Body                      `json:"bodies"`
	Closed        bool                        `json:"closed"`
	Oriented      bool                        `json:"oriented"`
	BoundaryEdges int                         `json:"boundary_edges"`
	NonManifold   int                         `json:"nonmanifold_edges"`
	Misoriented   int                         `json:"misoriented_edges"`
	Degenerate    int                         `json:"degenerate"`
	Duplicate     int                         `json:"duplicate_triangles"`
	Crosses       bool                        `json:"self_crossing"`
	CrossingPairs int                         `json:"crossing_pairs"`
	VolumeMM3     float64                     `json:"volume_mm3"`
	AreaMM2       float64                     `json:"area_mm2"`
	BoxMM         Box                         `json:"bbox_mm"`
	CentroidMM    [3]float64                  `json:"centroid_mm"`
	Findings      []finding.Finding           `json:"findings"`
	Units         []printability.UnitProposal `json:"unit_proposals,omitempty"`
	Orientation   *Orientation                `json:"orientation,omitempty" doc:"How the model stands in all that follows from it: fits, estimates"`
	Machines      []MachineVerdict            `json:"machines"`
	Program       *Program                    `json:"gcode,omitempty"`
	Evidence      []finding.Evidence          `json:"-"` // large; kept apart
	Tried         []Tried                     `json:"-"` // beside Machines, in other orientations
	standing      orient.Measures             // as it stands; zero where it is not closed
}

// Body is one closed or open piece of surface.
type Body struct {
	Triangles int     `json:"triangles"`
	Closed    bool    `json:"closed"`
	VolumeMM3 float64 `json:"volume_mm3"`
	AreaMM2   float64 `json:"area_mm2"`
	BoxMM     Box     `json:"bbox_mm"`
	InsideOut bool    `json:"inside_out"`
	Cavity    bool    `json:"cavity"`
}

// maxBodies bounds how many bodies are listed; BodyCount tells of all.
const maxBodies = 200

// Stops says that a finding stops the job.
func (v *Verdict) Stops() bool {
	w, ok := finding.Worst(v.Findings)
	return ok && w.Grade == finding.StopsIt
}

// Stage names what is being done, for a person who waits.
type Stage string

// The steps after reading, with the share of the work each takes of the whole.
const (
	Checking   Stage = "checking the surface"
	Turning    Stage = "turning it"
	Fitting    Stage = "trying the machines"
	Estimating Stage = "estimating"
)

// Subject is a model to be judged.
type Subject struct {
	Mesh   *mesh.Mesh
	Name   string
	Format modelfile.Format
	Unit   units.Length  // the file's; empty if it has none
	Said   units.Length  // what its owner or the desk says; wins over the file's
	Odd    []string      // what was odd about its file
	Stand  *orient.Stand // as somebody wants it to stand; nil: as it prints best
	AsIs   bool          // no other way to stand is weighed
	Load   *[3]float64   // along which it is pulled in use, in the model's coordinates
	Nozzle int           // that lays it, counted from 1; 0: that of each recipe
}

// SubjectOf is a model of a file. What was odd about the file is told with its
// first.
func SubjectOf(f *modelfile.File, i int) Subject {
	m := &f.Models[i]
	s := Subject{Mesh: m.Mesh, Name: m.Name, Format: f.Format, Unit: f.Unit}
	if i == 0 {
		s.Odd = f.Odd
	}
	return s
}

// Judge works out the verdict on a model as it stands. Sections are cut once
// for each pair of layer heights among the choices. progress (nil is fine) is
// told the step and a share from 0 to 1 of all that Judge does. It changes
// nothing it is given; the only error is ctx's.
func Judge(ctx context.Context, in Subject, choices []Choice, progress func(Stage, float64)) (*Verdict, error) {
	if progress == nil {
		progress = func(Stage, float64) {}
	}
	choices, against := onNozzle(choices, in.Nozzle)
	unit := units.Meant(in.Said, in.Unit)
	stated := cmp.Or(in.Said, in.Unit) != ""
	mm := unit.MM()
	m := in.Mesh
	progress(Checking, 0)
	r, err := mesh.Inspect(ctx, m)
	if err != nil {
		return nil, err
	}
	v := &Verdict{Format: in.Format, Name: in.Name, Unit: unit, UnitStated: stated,
		Triangles: len(m.Triangles), Vertices: len(m.Vertices), Machines: []MachineVerdict{}}
	v.measure(r, mm)
	v.Findings, v.Evidence = printability.Surface(m, r, mm)
	if v.Findings == nil {
		v.Findings = []finding.Finding{}
	}
	for _, text := range in.Odd {
		v.Findings = append(v.Findings, finding.Finding{Check: "odd file", Grade: finding.WorthKnowing, Text: text})
	}
	came, stood, err := v.stands(ctx, m, in, choices, progress)
	if err != nil {
		return nil, err
	}
	progress(Fitting, 0.6)
	topology := r.Topology
	if v.Orientation.Stand.Mirror { // its faces run the other way round
		topology = mesh.TopologyOf(stood)
	}
	v.tryMachines(stood, stated, choices)
	for i := range against {
		v.Machines[i].Against = against[i]
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	found := len(v.Findings)
	var was *Tried
	var errs [2]error
	k := v.wasTried(choices)
	stop := par.Each(ctx, len(errs), func() struct{} { return struct{}{} }, func(_ struct{}, i int) {
		if i == 0 {
			errs[i] = v.estimate(ctx, came, stood, topology, choices, progress)
		} else {
			was, errs[i] = asItCame(ctx, came, r.Topology, choices, k)
		}
	}, nil)
	err = cmp.Or(errs[0], errs[1], stop)
	if err == nil && was != nil {
		v.Orientation.SavedS = was.Row.Quick.WholeSeconds() - v.Machines[was.Choice].Quick.WholeSeconds()
		v.Tried = append(v.Tried, *was)
	}
	plate := stood.Bounds().Min.Z
	for i := range v.Findings { // places are told on the model as it came
		f := &v.Findings[i]
		for k, at := range f.Places {
			if i >= found {
				f.Places[k] = array(v.Orientation.Stand.From(vec(at)))
			} else {
				at = array(v.Orientation.Stand.To(vec(at)))
			}
			f.HeightsMM = append(f.HeightsMM, at[2]-plate)
		}
	}
	return v, err
}

// onNozzle are choices for a part that a nozzle lays, and by choice why it cannot: nil where it
// can. That is no choice then.
func onNozzle(choices []Choice, nozzle int) (out []Choice, against []*problem.Phrase) {
	if nozzle == 0 {
		return choices, nil
	}
	out, against = slices.Clone(choices), make([]*problem.Phrase, len(choices))
	for i := range out {
		c := &out[i]
		if c.Recipe == nil {
			continue
		}
		r := c.Recipe.OnNozzle(nozzle)
		if bad := r.Validate(c.Machine, c.Loaded); len(bad) > 0 {
			against[i], c.Recipe = &bad[0].Phrase, nil
			continue
		}
		c.Recipe = &r
	}
	return out, against
}

func (v *Verdict) measure(r *mesh.Report, mm float64) {
	t := r.Topology
	v.BodyCount, v.Closed, v.Oriented = t.Bodies, t.Closed(), t.Oriented()
	v.BoundaryEdges, v.NonManifold, v.Misoriented = t.Boundary, t.NonManifold, t.Misoriented
	v.Degenerate, v.Duplicate = len(r.Degenerate), len(r.Duplicate)
	v.Crosses, v.CrossingPairs = r.Crosses(), r.Crossings.Count
	v.VolumeMM3, v.AreaMM2 = r.Measures.Volume*mm*mm*mm, r.Measures.Area*mm*mm
	v.BoxMM = boxMM(r.Measures.Bounds, mm)
	v.CentroidMM = array(r.Measures.Centroid.Scale(mm))
	v.Bodies = make([]Body, min(len(r.Bodies), maxBodies))
	for i := range v.Bodies {
		b := r.Bodies[i]
		v.Bodies[i] = Body{b.Triangles, b.Closed, b.Volume * mm * mm * mm, b.Area * mm * mm, boxMM(b.Bounds, mm), b.InsideOut, b.Cavity}
	}
}

func boxMM(b mesh.Box, mm float64) Box { return Box{array(b.Min.Scale(mm)), array(b.Max.Scale(mm))} }

// tryMachines fills the ladder with fits and adds what follows from them.
func (v *Verdict) tryMachines(m *mesh.Mesh, stated bool, choices []Choice) {
	hull, box := shadowOf(m), m.Bounds()
	height := box.Max.Z - box.Min.Z
	v.Machines = rowsOn(hull, height, choices)
	fitting, inService, scale := 0, 0, 0.0
	for i, c := range choices {
		if c.Machine.InService {
			inService++
			scale = math.Max(scale, v.Machines[i].ScaleToFit)
			if v.Machines[i].Fits {
				fitting++
			}
		}
	}
	var known units.Length
	if stated {
		known = v.Unit
	}
	size, proposals := printability.Size(box, known, func(k float64) int {
		n := 0
		for _, c := range choices {
			scaled := make([]polygon.Point, len(hull))
			for i, p := range hull {
				scaled[i] = polygon.Point{X: polygon.UM(float64(p.X) / 1000 * k), Y: polygon.UM(float64(p.Y) / 1000 * k)}
			}
			if c.Machine.InService && c.Machine.Volume.FitIn(scaled, height*k).Fits {
				n++
			}
		}
		return n
	})
	v.Units = proposals
	v.Findings = append(v.Findings, size...)
	v.Findings = append(v.Findings, printability.Fits(inService, fitting, scale)...)
	v.Findings = append(v.Findings, printability.Flat(box)...)
}

func (v *Verdict) estimate(ctx context.Context, came, m *mesh.Mesh, topo *mesh.Topology, choices []Choice, progress func(Stage, float64)) error {
	cut := cuts{m, topo, map[section.Layering]*section.Stack{}}
	stacks, losses := make([]*section.Stack, len(choices)), make([]printability.Lost, len(choices))
	for i := range choices {
		if !choices[i].estimated(&v.Machines[i]) {
			continue
		}
		from, to := 0.65+0.3*float64(i)/float64(len(choices)), 0.65+0.3*float64(i+1)/float64(len(choices))
		progress(Estimating, from)
		var err error
		if stacks[i], err = cut.of(ctx, &choices[i], func(f float64) { progress(Estimating, from+(to-from)*f) }); err != nil {
			return err
		}
	}
	if err := par.Each(ctx, len(choices), func() struct{} { return struct{}{} }, func(_ struct{}, i int) {
		if stacks[i] != nil {
			v.Machines[i].Quick, losses[i] = quick(stacks[i], &choices[i])
		}
	}, nil); err != nil {
		return err
	}
	var thin []printability.Lost
	tried := 0
	var sharp *finding.Finding
	for i, c := range choices {
		s, l := stacks[i], losses[i]
		if s == nil {
			continue
		}
		full := c.Recipe.WithDefaults()
		tried++
		if f := rounded(s, full.LineMM); f != nil && (sharp == nil || f.Value > sharp.Value) {
			sharp = f
		}
		if l.HeightMM > 0 {
			l.Machine = c.Machine.Name
			thin = append(thin, l)
		}
	}
	var first *section.Stack
	if k := slices.IndexFunc(stacks, func(s *section.Stack) bool { return s != nil }); k >= 0 {
		first = stacks[k]
	}
	if err := v.stood(ctx, choices, came, m, first); err != nil {
		return err
	}
	for _, f := range printability.TooThin(thin, tried) {
		if len(v.Units) > 0 {
			f.Grade = finding.Decide // in its unit it may not be
		}
		v.Findings = append(v.Findings, f)
	}
	if sharp != nil {
		v.Findings = append(v.Findings, *sharp)
	}
	v.gaps(choices, stacks)
	progress(Estimating, 1)
	return ctx.Err()
}

// LayersOf is how many layers of a stack are laid with lines of a width: those of a tip
// too thin for them are not.
func LayersOf(s *section.Stack, lineMM float64) int {
	_, tip := lost(s, lineMM)
	return len(s.Slabs) - tip
}

// lost is what of a stack a line is too wide for, and how many layers at its top are
// nothing else.
func lost(s *section.Stack, lineMM float64) (l printability.Lost, tip int) {
	l = printability.Lost{LeastMM: toolpath.LeastShare * lineMM}
	gone := make(map[int]float64) // mm², by slab
	every := make(map[int]int)    // layers it stands for
	for _, t := range s.Thin {
		if t.WidthMM < l.LeastMM-thinUnsureMM {
			gone[t.Slab] += t.AreaMM2
			every[t.Slab] = max(every[t.Slab], t.Every)
			l.Places = append(l.Places, t.AtMM)
		}
	}
	left := 0.0
	for k := range s.Slabs {
		b := &s.Slabs[k]
		left += b.AreaMM2 - gone[k]
		if gone[k] > crumbMM2 {
			l.HeightMM += b.HeightMM * float64(every[k])
			l.AreaMM2 = math.Max(l.AreaMM2, gone[k])
		}
		tip++
		if b.AreaMM2-gone[k] > crumbMM2 {
			tip = 0
		}
	}
	l.HeightMM = math.Min(l.HeightMM, s.HeightMM)
	l.All = left < crumbMM2
	return l, tip
}

// roundedMM is how much of a part's height has to have sharp corners (a choice of ours: less is a ledge).
const roundedMM = 1

// rounded is what lines leave of the sharp corners of a stack; nil where they go into all of them, or are short by less
// than anybody would miss. Into corners sharper than section.TipDeg a line goes that is as thin as any; round the others
// goes the outer shell.
func rounded(s *section.Stack, lineMM float64) *finding.Finding {
	var most section.Tips
	var height, z, short float64
	for k := range s.Slabs {
		b := &s.Slabs[k]
		if b.Tips.Count == 0 {
			continue
		}
		own := 0.0
		if b.Tips.Count > b.Tips.Cut {
			own = printability.ShortMM(math.Max(b.Tips.Deg, section.SharpDeg), lineMM)
			if b.Tips.Cut == 0 {
				own = printability.ShortMM(b.Tips.Deg, lineMM)
			}
		}
		if b.Tips.Cut > 0 {
			own = math.Max(own, printability.ShortMM(b.Tips.Deg, toolpath.LeastShare*lineMM))
		}
		if own < toolpath.RoundedMM {
			continue
		}
		height, short = height+b.HeightMM, math.Max(short, own)
		if most.Count == 0 || b.Tips.Deg < most.Deg {
			most, z = b.Tips, s.Bounds.Min.Z+b.BottomMM+b.HeightMM/2
		}
	}
	if height < roundedMM {
		return nil
	}
	f := printability.Rounded(most.Deg, height, lineMM, short, [3]float64{float64(most.At.X) / 1000, float64(most.At.Y) / 1000, z})
	return &f
}

// thinUnsureMM is how exactly a figure's width is known; crumbMM2 is nothing that
// anybody would miss.
const (
	thinUnsureMM = 0.01
	crumbMM2     = 0.001
)

func array(v mesh.Vec3) [3]float64 { return [3]float64{v.X, v.Y, v.Z} }
func vec(a [3]float64) mesh.Vec3   { return mesh.Vec3{X: a[0], Y: a[1], Z: a[2]} }
