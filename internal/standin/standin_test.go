package standin

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/wire"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/internal/demo"
)

// desk is who speaks with a stand-in: by the protocol, in as much of its time as is needed.
type desk struct {
	t     *testing.T
	p     *Printer
	host  wire.Host
	heard []wire.Event
}

// listen hears what was said.
func (d *desk) listen() {
	d.heard = append(d.heard, d.host.In(d.p.Said())...)
}

// do has commands obeyed.
func (d *desk) do(commands ...string) {
	d.t.Helper()
	require.NoError(d.t, d.host.Do(commands...))
	for quiet := 0.0; d.host.Waiting() > 0; {
		if out := d.host.Out(); out != nil {
			d.p.Hear(out)
		} else {
			d.p.Run(0.05)
			quiet += 0.05
		}
		d.listen()
		require.Nil(d.t, d.host.Broken)
		require.Less(d.t, quiet, 4000.0, "it comes to an end")
	}
}

func (d *desk) said(k wire.Kind) *wire.Event {
	for i := range d.heard {
		if d.heard[i].Kind == k {
			return &d.heard[i]
		}
	}
	return nil
}

// sliced is a part's program, and what it is estimated to take.
func sliced(t *testing.T, part solid.Part, c verdict.Choice) (string, *estimate.Full) {
	t.Helper()
	made, err := slicing.One(context.Background(), slicing.Order{Pieces: []slicing.Piece{{Name: part.Name, Mesh: part.Mesh, MMPerUnit: 1}}, Machine: c.Machine, Recipe: *c.Recipe, Loaded: c.Loaded}, nil)
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, made.WriteProgram(context.Background(), &b, nil))
	return b.String(), made.Full
}

func open(t *testing.T, m *machine.Machine, o Options) *desk {
	d := &desk{t: t, p: New(m, o)}
	d.listen()
	require.NotNil(t, d.said(wire.Restarted))
	return d
}

// Programs of ours take a stand-in as long as the full estimate says, and as much filament: two ways of working a machine
// out that share no code. Heat is left out here: it is known by a formula.
func TestPrintsTakeAsLongAsEstimated(t *testing.T) {
	for k, part := range solid.Parts() {
		if part.Fault != "" || part.Unit != units.Millimetre || k%3 != 0 {
			continue
		}
		choices := demo.Choices(recipe.Everyday)
		c := choices[k/3%4]
		size := part.Mesh.Bounds().Size()
		if c.Recipe == nil || size.X > 150 || size.Y > 150 || size.Z > 150 {
			continue
		}
		t.Run(part.Name+" on "+c.Machine.Name, func(t *testing.T) {
			t.Parallel()
			program, full := sliced(t, part, c)
			d := open(t, c.Machine, Options{})
			d.do("M28 RUN1.GCO")
			var lines []string
			for line := range strings.Lines(program) {
				line, _, _ = strings.Cut(line, ";")
				if line = strings.TrimSpace(line); line != "" {
					lines = append(lines, line)
				}
			}
			for some := range slices.Chunk(lines, 1000) {
				d.do(some...)
			}
			d.do("M29", "M23 RUN1.GCO", "M24")
			begun := d.p.ClockS
			for d.said(wire.Finished) == nil {
				d.p.Run(5)
				d.listen()
				require.Less(t, d.p.ClockS-begun, 2*full.WholeSeconds()+1000)
			}
			took := d.p.ClockS - begun - d.p.WaitedS
			t.Logf("%.0f s of %.0f (%+.2f %%), warm-up %.0f of %.0f, %.1f mm of %.1f", took, full.Seconds, 100*(took/full.Seconds-1), d.p.WaitedS, full.WarmUpSeconds, d.p.UsedMM, full.FilamentMM)
			assert.InEpsilon(t, full.Seconds, took, 0.01)
			assert.InEpsilon(t, full.FilamentMM, d.p.UsedMM, 0.01)
			// It homes while it warms, which the estimate counts one after the other.
			assert.InDelta(t, full.WarmUpSeconds-full.HomingSeconds, d.p.WaitedS, 3)
			assert.InEpsilon(t, full.WholeSeconds(), took+d.p.WaitedS, 0.03)
			for _, h := range append(d.p.nozzles, d.p.bed) {
				assert.Zero(t, h.to, "no heater is left on")
			}
		})
	}
}
