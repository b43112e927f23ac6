package verdict

import (
	"context"
	"errors"
	"sync"

	"jobshelf/core/judge/printability"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/layout"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/section"
)

// Tried is a machine that was tried with a model in an orientation.
type Tried struct {
	Turn   orient.Quat
	Choice int // of those that were given
	Row    MachineVerdict
}

// rowsOn are the rows of machines for a part with that hull and height: fits, no estimates yet.
func rowsOn(hull polygon.Path, heightMM float64, choices []Choice) []MachineVerdict {
	out := make([]MachineVerdict, 0, len(choices))
	for _, c := range choices {
		f := c.Machine.Volume.FitIn(hull, heightMM)
		mv := MachineVerdict{ID: c.ID, Name: c.Machine.Name, Fits: f.Fits, OverMM: f.OverMM, ScaleToFit: f.Scale, TurnDeg: f.TurnDeg, FootMM: f.FootMM}
		if c.Recipe != nil {
			mv.Recipe = c.Recipe.Name
			mv.ApartMM = float64(layout.Apart(c.Recipe, -1)) / 1000
		}
		out = append(out, mv)
	}
	return out
}

// estimated says that there is something to estimate by, and that it fits.
func (c *Choice) estimated(row *MachineVerdict) bool {
	return c.Recipe != nil && c.Loaded != nil && row.Fits
}

// cuts are the sections of a part that stands, cut once for each pair of layer heights.
type cuts struct {
	m      *mesh.Mesh
	topo   *mesh.Topology
	stacks map[section.Layering]*section.Stack
}

func (k *cuts) of(ctx context.Context, c *Choice, progress func(float64)) (*section.Stack, error) {
	full := c.Recipe.WithDefaults()
	h := toolpath.LayeringOf(&full, c.Machine)
	if s := k.stacks[h]; s != nil {
		return s, nil
	}
	s, err := section.NewStack(ctx, k.m, k.topo, h, 1, progress)
	if err == nil {
		k.stacks[h] = s
	}
	return s, err
}

// quick is the quick estimate by a choice, without the layers of a tip that is too thin for its lines,
// and what is lost to them.
func quick(s *section.Stack, c *Choice) (*Quick, printability.Lost) {
	q := &Quick{Quick: estimate.QuickOf(s, c.Recipe, c.Machine, c.Loaded)}
	full := c.Recipe.WithDefaults()
	l, tip := lost(s, full.LineMM)
	q.Layers -= tip
	return q, l
}

// Trial tries a model in orientations.
type Trial struct {
	m     *mesh.Mesh
	sized orient.Stand
	topo  *mesh.Topology
}

// TrialOf is of a model of mm as it came, made as large as a stand has it, however that turns it.
func TrialOf(m *mesh.Mesh, stand orient.Stand) *Trial {
	t := &Trial{m: m, sized: orient.Stand{Scale: stand.Scale, Mirror: stand.Mirror}.Plain()}
	t.topo = mesh.TopologyOf(t.sized.Of(m)) // turning changes nothing of it
	return t
}

// On tries it on machines, laid by a nozzle (0: that of each recipe): whether it fits, and where it
// does a quick estimate. Of a verdict on the model in that orientation these are the rows. The only error is ctx's.
func (t *Trial) On(ctx context.Context, turn orient.Quat, nozzle int, choices []Choice) ([]MachineVerdict, error) {
	choices, against := onNozzle(choices, nozzle)
	stood := orient.Stand{Turn: turn, Scale: t.sized.Scale, Mirror: t.sized.Mirror}.Plain().Of(t.m)
	box := stood.Bounds()
	rows := rowsOn(shadowOf(stood), box.Max.Z-box.Min.Z, choices)
	for i := range against {
		rows[i].Against = against[i]
	}
	cut := cuts{stood, t.topo, map[section.Layering]*section.Stack{}}
	for i := range choices {
		if !choices[i].estimated(&rows[i]) {
			continue
		}
		s, err := cut.of(ctx, &choices[i], nil)
		if err != nil {
			return nil, err
		}
		rows[i].Quick, _ = quick(s, &choices[i])
	}
	return rows, ctx.Err()
}

// Each tries it in several orientations, as many at a time as there are cores; which are the machines
// of each. done is told of each that is through, one at a time. The errors are ctx's and done's.
func (t *Trial) Each(ctx context.Context, turns []orient.Quat, nozzle int, which func(k int) []Choice, done func(k int, rows []MachineVerdict) error) error {
	var one sync.Mutex
	errs := make([]error, len(turns))
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	err := par.Each(ctx, len(turns), func() struct{} { return struct{}{} }, func(_ struct{}, k int) {
		rows, err := t.On(ctx, turns[k], nozzle, which(k))
		if err == nil {
			one.Lock()
			err = done(k, rows)
			one.Unlock()
		}
		if errs[k] = err; err != nil {
			stop(err)
		}
	}, nil)
	for _, e := range errs {
		if e != nil && !errors.Is(e, context.Canceled) {
			return e
		}
	}
	return err
}
