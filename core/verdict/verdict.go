// Package verdict is the whole judgement of one model, as it is given at the
// counter and on the command line: measure, check, try on every machine,
// estimate by the recipe of the purpose.
package verdict

import (
	"context"
	"math"

	"jobshelf/core/estimate"
	"jobshelf/core/machine"
	"jobshelf/core/mesh"
	"jobshelf/core/modelfile"
	"jobshelf/core/polygon"
	"jobshelf/core/printability"
	"jobshelf/core/recipe"
	"jobshelf/core/section"
	"jobshelf/core/units"
)

// Choice is a machine and what would be done on it. Recipe and Material are nil
// where the house has no recipe for the purpose; then only the fit is tried.
type Choice struct {
	Machine  *machine.Machine
	Recipe   *recipe.Recipe
	Material *machine.Material
}

// Box is a box in mm.
type Box struct {
	Min [3]float64 `json:"min"`
	Max [3]float64 `json:"max"`
}

// MachineVerdict is one rung of the machine ladder.
type MachineVerdict struct {
	Name       string          `json:"name"`
	Recipe     string          `json:"recipe,omitempty"`
	Fits       bool            `json:"fits"`
	OverMM     [3]float64      `json:"over_mm"`
	ScaleToFit float64         `json:"scale_to_fit"`
	TurnDeg    float64         `json:"turn_deg"`
	Quick      *estimate.Quick `json:"quick,omitempty"`
}

// Verdict is everything that was found out. Field names are those of
// docs/check-json.md.
type Verdict struct {
	Format        modelfile.Format       `json:"format"`
	Unit          units.Length           `json:"unit"`
	UnitStated    bool                   `json:"unit_stated"`
	Triangles     int                    `json:"triangles"`
	Vertices      int                    `json:"vertices"`
	Bodies        int                    `json:"bodies"`
	Closed        bool                   `json:"closed"`
	Oriented      bool                   `json:"oriented"`
	BoundaryEdges int                    `json:"boundary_edges"`
	NonManifold   int                    `json:"nonmanifold_edges"`
	VolumeMM3     float64                `json:"volume_mm3"`
	AreaMM2       float64                `json:"area_mm2"`
	BoxMM         Box                    `json:"bbox_mm"`
	CentroidMM    [3]float64             `json:"centroid_mm"`
	Findings      []printability.Finding `json:"findings"`
	Machines      []MachineVerdict       `json:"machines"`
}

// Stops says that a finding stops the job.
func (v *Verdict) Stops() bool {
	w, ok := printability.Worst(v.Findings)
	return ok && w.Grade == printability.StopsIt
}

// Step names what is being done, for a person who waits.
type Step string

// The steps after reading, with the share of the work each takes of the whole.
const (
	Checking   Step = "checking the surface"
	Fitting    Step = "trying the machines"
	Estimating Step = "estimating"
)

// Judge works out the verdict on a model as it stands. Sections are cut once
// for each pair of layer heights among the choices. progress (nil is fine) is
// told the step and a share from 0 to 1 of all that Judge does. It changes
// nothing it is given; the only error is ctx's.
func Judge(ctx context.Context, model *modelfile.Model, choices []Choice, startCents units.Cents, progress func(Step, float64)) (*Verdict, error) {
	if progress == nil {
		progress = func(Step, float64) {}
	}
	unit, stated := model.Unit, model.Unit != ""
	if !stated {
		unit = units.Millimetre
	}
	mm := unit.MM()
	m := model.Mesh
	progress(Checking, 0)
	topo := mesh.TopologyOf(m)
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	sizes := m.Measure()
	inMM := mesh.Measures{Bounds: mesh.Box{Min: sizes.Bounds.Min.Scale(mm), Max: sizes.Bounds.Max.Scale(mm)},
		Area: sizes.Area * mm * mm, Volume: sizes.Volume * mm * mm * mm, Centroid: sizes.Centroid.Scale(mm)}
	v := &Verdict{Format: model.Format, Unit: unit, UnitStated: stated,
		Triangles: len(m.Triangles), Vertices: len(m.Vertices), Bodies: topo.Bodies,
		Closed: topo.Closed(), Oriented: topo.Oriented(), BoundaryEdges: topo.Boundary, NonManifold: topo.NonManifold,
		VolumeMM3: inMM.Volume, AreaMM2: inMM.Area,
		BoxMM: Box{array(inMM.Bounds.Min), array(inMM.Bounds.Max)}, CentroidMM: array(inMM.Centroid),
		Findings: printability.Surface(topo, inMM), Machines: []MachineVerdict{}}
	if v.Findings == nil {
		v.Findings = []printability.Finding{}
	}
	progress(Fitting, 0.2)
	v.tryMachines(m, mm, stated, choices)
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	return v, v.estimate(ctx, m, topo, mm, choices, startCents, progress)
}

// tryMachines fills the ladder with fits and adds what follows from them.
func (v *Verdict) tryMachines(m *mesh.Mesh, mm float64, stated bool, choices []Choice) {
	points := make([]polygon.Point, len(m.Vertices))
	for i, p := range m.Vertices {
		points[i] = polygon.Point{X: micron(p.X * mm), Y: micron(p.Y * mm)}
	}
	hull := polygon.Hull(points)
	height := v.BoxMM.Max[2] - v.BoxMM.Min[2]
	fitting, inService, scale := 0, 0, 0.0
	for _, c := range choices {
		f := c.Machine.Volume.FitIn(hull, height)
		mv := MachineVerdict{Name: c.Machine.Name, Fits: f.Fits, OverMM: f.OverMM, ScaleToFit: f.Scale, TurnDeg: f.TurnDeg}
		if c.Recipe != nil {
			mv.Recipe = c.Recipe.Name
		}
		v.Machines = append(v.Machines, mv)
		if c.Machine.InService {
			inService++
			scale = math.Max(scale, f.Scale)
			if f.Fits {
				fitting++
			}
		}
	}
	box := mesh.Box{Min: vec(v.BoxMM.Min), Max: vec(v.BoxMM.Max)}
	var known units.Length
	if stated {
		known = v.Unit
	}
	v.Findings = append(v.Findings, printability.Size(box, known, func(k float64) int {
		n := 0
		for _, c := range choices {
			scaled := make([]polygon.Point, len(hull))
			for i, p := range hull {
				scaled[i] = polygon.Point{X: micron(float64(p.X) / 1000 * k), Y: micron(float64(p.Y) / 1000 * k)}
			}
			if c.Machine.InService && c.Machine.Volume.FitIn(scaled, height*k).Fits {
				n++
			}
		}
		return n
	})...)
	v.Findings = append(v.Findings, printability.Fits(inService, fitting, scale)...)
	v.Findings = append(v.Findings, printability.Flat(box)...)
}

func (v *Verdict) estimate(ctx context.Context, m *mesh.Mesh, topo *mesh.Topology, mm float64, choices []Choice, startCents units.Cents, progress func(Step, float64)) error {
	type heights struct{ first, layer float64 }
	stacks := map[heights]*section.Stack{}
	for i, c := range choices {
		if c.Recipe == nil || c.Material == nil || !v.Machines[i].Fits {
			continue
		}
		h := heights{c.Recipe.FirstLayerMM, c.Recipe.LayerMM}
		from, to := 0.3+0.7*float64(i)/float64(len(choices)), 0.3+0.7*float64(i+1)/float64(len(choices))
		progress(Estimating, from)
		if stacks[h] == nil {
			s, err := section.NewStack(ctx, m, topo, h.first, h.layer, mm, func(f float64) {
				progress(Estimating, from+(to-from)*f)
			})
			if err != nil {
				return err
			}
			stacks[h] = s
		}
		q := estimate.QuickOf(stacks[h], c.Recipe, c.Machine, c.Material, startCents)
		v.Machines[i].Quick = &q
	}
	progress(Estimating, 1)
	return ctx.Err()
}

// micron rounds mm to µm and keeps within what polygons take.
func micron(mm float64) int64 {
	return int64(math.Round(math.Max(-polygon.Limit, math.Min(polygon.Limit, mm*1000))))
}

func array(v mesh.Vec3) [3]float64 { return [3]float64{v.X, v.Y, v.Z} }
func vec(a [3]float64) mesh.Vec3   { return mesh.Vec3{X: a[0], Y: a[1], Z: a[2]} }
