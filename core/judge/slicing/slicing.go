// Package slicing makes a part ready for a machine: stands it on the plate, lays
// its lines, times and prices them, and writes the program. The desk and the
// command line both make their slices here.
package slicing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/programcheck"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/plate"
	"jobshelf/core/print/post"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// Order is what is to be sliced, and how.
type Order struct {
	Mesh         *mesh.Mesh
	MMPerUnit    float64
	Orientation  Orientation
	Machine      *machine.Machine
	Recipe       recipe.Recipe
	Loaded       machine.Loaded
	SupportMarks []SupportMark
}

// Orientation is how a part stands other than as it came.
type Orientation struct {
	Scale float64 // 0 is 1
	Tip   Tip
}

// Tip lays a part over about an axis, by a right angle.
type Tip string

// The ways.
const (
	TipNone Tip = ""
	TipX    Tip = "x"
	TipY    Tip = "y"
)

// Next is the tip to try after this one: about x, about y, not at all.
func (t Tip) Next() Tip {
	switch t {
	case TipNone:
		return TipX
	case TipX:
		return TipY
	}
	return TipNone
}

// SupportMark is a place where support is put in or kept out by hand: the corners of a
// box, in the part's own coordinates in mm, before it is scaled and laid over.
type SupportMark struct {
	CornersMM [][3]float64 `json:"corners_mm" minItems:"4" maxItems:"8"`
	PutIn     bool         `json:"put_in" doc:"Put support in; else keep it out"`
	Why       string       `json:"why" minLength:"1" maxLength:"300"`
	Who       string       `json:"who,omitempty" maxLength:"120"`
}

// Overhang is overhangs, with the corners of a box around it in the part's own
// coordinates, as a SupportMark takes them.
type Overhang struct {
	toolpath.Overhang
	CornersMM [][3]float64 `json:"corners_mm"`
}

// Result is a slice.
type Result struct {
	Order     Order
	Stood     *mesh.Mesh // in mm on the plate
	Print     *toolpath.Print
	Full      *estimate.Full
	Overhangs []Overhang
}

// Refusal is why a part cannot be sliced so, for who ordered it.
type Refusal struct{ problem.Phrase }

func refuse(code string, params ...any) *Refusal { return &Refusal{problem.Say(code, params...)} }

// Error says it in English, for logs and the command line.
func (r *Refusal) Error() string { return finding.Speak("en").Say(r.Phrase) }

// Make slices. progress (nil is fine) is told a share from 0 to 1. Errors are
// ctx's or a *Refusal.
func Make(ctx context.Context, o Order, progress func(float64)) (*Result, error) {
	if bad := o.Recipe.Validate(o.Machine, o.Loaded); len(bad) > 0 {
		return nil, &Refusal{bad[0].Phrase}
	}
	m := o.Orientation.of(o.Mesh)
	fit := plate.FitOf(m, o.MMPerUnit, o.Machine.Volume)
	if !fit.Fits {
		return nil, refuse("too large to slice", o.Machine.Name, problem.Fixed(fit.OverMM[0], 1), problem.Fixed(fit.OverMM[1], 1), problem.Fixed(fit.OverMM[2], 1))
	}
	standing := plate.StandingOf(m, o.MMPerUnit, fit.TurnDeg, o.Machine.Volume)
	r := &Result{Order: o, Stood: standing.Mesh(m)}
	var marks []toolpath.SupportMark
	for _, x := range o.SupportMarks {
		marks = append(marks, x.on(o.Orientation, o.MMPerUnit, standing))
	}
	var err error
	r.Print, err = toolpath.Slice(ctx, r.Stood, mesh.TopologyOf(r.Stood), 1, o.Recipe,
		toolpath.Options{SupportMarks: marks, Machine: o.Machine}, progress)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil {
		return nil, refuse("cannot be sliced", err.Error())
	}
	r.Full = estimate.FullOf(r.Print, o.Recipe, o.Machine, o.Loaded)
	for _, x := range r.Print.Overhangs {
		r.Overhangs = append(r.Overhangs, Overhang{x, corners(x, r.Print.RaftMM, o.Orientation, o.MMPerUnit, standing)})
	}
	return r, ctx.Err()
}

// of is a copy of a mesh in its orientation, or the mesh itself.
func (s Orientation) of(m *mesh.Mesh) *mesh.Mesh {
	if (s.Scale == 0 || s.Scale == 1) && s.Tip == TipNone {
		return m
	}
	out := &mesh.Mesh{Vertices: make([]mesh.Vec3, len(m.Vertices)), Triangles: m.Triangles}
	for i, v := range m.Vertices {
		out.Vertices[i] = s.to(v)
	}
	return out
}

func (s Orientation) to(v mesh.Vec3) mesh.Vec3 {
	if s.Scale != 0 {
		v = v.Scale(s.Scale)
	}
	switch s.Tip {
	case TipX:
		return mesh.Vec3{X: v.X, Y: -v.Z, Z: v.Y}
	case TipY:
		return mesh.Vec3{X: v.Z, Y: v.Y, Z: -v.X}
	}
	return v
}

func (s Orientation) from(v mesh.Vec3) mesh.Vec3 {
	switch s.Tip {
	case TipX:
		v = mesh.Vec3{X: v.X, Y: v.Z, Z: -v.Y}
	case TipY:
		v = mesh.Vec3{X: -v.Z, Y: v.Y, Z: v.X}
	}
	if s.Scale != 0 {
		v = v.Scale(1 / s.Scale)
	}
	return v
}

// on is a mark as it comes to stand: the shadow of its box, and its heights.
func (x *SupportMark) on(s Orientation, mmPerUnit float64, st plate.Standing) toolpath.SupportMark {
	out := toolpath.SupportMark{FromMM: math.Inf(1), ToMM: math.Inf(-1), Force: x.PutIn, Reason: x.Why}
	if x.Who != "" {
		out.Reason += " (" + x.Who + ")"
	}
	var shadow []polygon.Point
	for _, c := range x.CornersMM {
		p := st.To(s.to(mesh.Vec3{X: c[0], Y: c[1], Z: c[2]}.Scale(1 / mmPerUnit)))
		shadow = append(shadow, polygon.At(p.X, p.Y))
		out.FromMM, out.ToMM = math.Min(out.FromMM, p.Z), math.Max(out.ToMM, p.Z)
	}
	if h := polygon.Hull(shadow); len(h) >= 3 {
		out.Paths = []polygon.Path{h}
	}
	return out
}

// aroundMM is how much wider than overhangs a region's box is.
const aroundMM = 0.5

func corners(r toolpath.Overhang, raftMM float64, s Orientation, mmPerUnit float64, st plate.Standing) [][3]float64 {
	var out [][3]float64
	for k := range 8 {
		p := mesh.Vec3{X: r.Min[0] - aroundMM, Y: r.Min[1] - aroundMM, Z: r.Min[2] - raftMM}
		if k&1 != 0 {
			p.X = r.Max[0] + aroundMM
		}
		if k&2 != 0 {
			p.Y = r.Max[1] + aroundMM
		}
		if k&4 != 0 {
			p.Z = r.Max[2] - raftMM
		}
		q := s.from(st.From(p)).Scale(mmPerUnit)
		out = append(out, [3]float64{q.X, q.Y, q.Z})
	}
	return out
}

// WriteProgram writes the program, and holds it against the judge of foreign
// programs while it is written: hotter than machine or material, off the machine,
// a command that may not be, warm at its end, and the error is a *Refusal. Then
// nobody may keep what was written. facts go to its top, before what is known of
// the slice.
func (r *Result) WriteProgram(ctx context.Context, w io.Writer, facts [][2]string) error {
	read, copied := io.Pipe()
	judged := make(chan error, 1)
	go func() {
		err := r.judge(ctx, read)
		_, _ = io.Copy(io.Discard, read) // so that the writer never waits for a judge that is through
		judged <- err
	}()
	err := r.write(io.MultiWriter(w, copied), facts)
	_ = copied.Close() // of a pipe: never fails
	if no := <-judged; err == nil {
		err = no
	}
	return err
}

// judge reads our own program as if it were foreign.
func (r *Result) judge(ctx context.Context, in io.Reader) error {
	o := &r.Order
	s, err := gcode.Read(ctx, in, 0, nil)
	if err == nil {
		on := *o.Machine
		on.InService = true // where it stands does not matter here
		if bad := finding.Stopping(programcheck.Check(s, []programcheck.Target{{Machine: &on, Loaded: o.Loaded}}, 0, 0)); len(bad) > 0 {
			err = errors.New(bad[0].Text)
		}
	}
	if err != nil && ctx.Err() == nil {
		return refuse("program may not run", o.Machine.Name, err.Error())
	}
	return err
}

func (r *Result) write(w io.Writer, facts [][2]string) error {
	o := &r.Order
	settings, err := json.Marshal(o.Recipe.WithDefaults())
	if err != nil {
		return fmt.Errorf("settings: %w", err)
	}
	facts = append(append([][2]string{}, facts...), [][2]string{{"machine", o.Machine.Name}, {"recipe", o.Recipe.Name}, {"material", o.Loaded.Of(1).Name},
		{"time", fmt.Sprintf("%.0f s, of it %.0f s warm-up", r.Full.WholeSeconds(), r.Full.WarmUpSeconds)},
		{"filament", fmt.Sprintf("%.2f g, %.3f m", r.Full.Grams(), r.Full.FilamentMM/1000)}}...)
	if len(r.Full.Nozzles) > 1 {
		for _, n := range r.Full.Nozzles {
			facts = append(facts, [2]string{fmt.Sprintf("nozzle %d", n.Nozzle), fmt.Sprintf("%s, %.2f g", n.Material, n.Grams)})
		}
	}
	facts = append(facts, [2]string{"layers", fmt.Sprint(r.Full.Layers)}, [2]string{"made by", "Job Shelf"}, [2]string{"settings", string(settings)})
	return post.Write(w, r.Print, post.Job{Machine: o.Machine, Recipe: o.Recipe, Loaded: o.Loaded, Cooling: r.Full.Cooling,
		Seconds: r.Full.WholeSeconds(), Grams: r.Full.Grams(), Facts: facts})
}

// WritePlate writes the part as it stands, as 3MF.
func (r *Result) WritePlate(w io.Writer, name string) error {
	return modelfile.Write3MF(w, &modelfile.File{Unit: units.Millimetre, Models: []modelfile.Model{{Name: name, Mesh: r.Stood, Places: []mesh.Vec3{{}}}}})
}
