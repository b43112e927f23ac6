package drive

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/stored"
	"jobshelf/core/print/wire"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/device"
	"jobshelf/internal/store"
)

var noon = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)

// laying is a watch on a machine that lays the second of its run's two layers, warm, and is heard.
func laying(t *testing.T) *watch {
	text := "G21\nG90\nM83\nG28\n"
	for k := range 2 {
		text += fmt.Sprintf("G1 Z%.1f F600\n", 0.2*float64(k+1)) + strings.Repeat("G1 X90 E3 F1200\nG1 X10 E3\n", 100)
	}
	p, err := stored.Of(context.Background(), []byte(text), machine.Motion{SpeedMMPerS: 100, AccelMMPerS2: 1000, JunctionDeviationMM: 0.02, LiftMMPerS: 10}.Limits())
	require.NoError(t, err)
	require.Equal(t, 2, p.Layers)
	at := p.When(0.75)
	return &watch{x: &Driver{d: &desk.Desk{Now: func() time.Time { return noon }}, o: Options{Patience: device.Patience{Lost: time.Hour}}},
		m:    machine.Machine{Process: machine.MaterialExtrusion, WarmUp: machine.WarmUp{NozzleCPerS: 2, BedCPerS: 0.5}},
		line: &device.Line{}, program: p, of: 7, run: &store.Run{ID: 7, State: run.Printing}, heardAt: time.Now(), asked: 3,
		starts: 1, finished: 2, pausedAt: at, movedAt: noon.Add(-time.Minute),
		now: device.State{File: stored.Name(7), At: at, Of: p.Bytes, Asked: 4, Starts: 1, Finished: 2,
			Heats: []wire.Heat{{Bed: true, C: 60, ToC: 60}, {C: 208, ToC: 210}}}}
}

// What a machine is to the core, by each single thing that is known of it.
func TestWhatIsKnownOfAMachine(t *testing.T) {
	was := run.Machine{Heard: true, Prints: true, Ours: true, Lays: true, Still: time.Minute, Hot: true, Warm: true}
	same := func(*run.Machine) {}
	for name, c := range map[string]struct {
		now  func(w *watch)
		then func(k *run.Machine)
	}{
		"it lays":                 {func(w *watch) {}, same},
		"its line is away":        {func(w *watch) { w.line = nil }, func(k *run.Machine) { *k = run.Machine{Heard: true} }},
		"for long":                {func(w *watch) { w.line, w.heardAt = nil, time.Now().Add(-2*time.Hour) }, func(k *run.Machine) { *k = run.Machine{} }},
		"nothing heard, but open": {func(w *watch) { w.heardAt = time.Now().Add(-2 * time.Hour) }, same},
		"a fault":                 {func(w *watch) { w.now.Fault = "too hot" }, func(k *run.Machine) { k.Fault = "too hot" }},
		"started anew":            {func(w *watch) { w.now.Starts = 2 }, func(k *run.Machine) { k.Started = true }},
		"a file ended":            {func(w *watch) { w.now.Finished = 3 }, func(k *run.Machine) { k.Finished = true }},
		"in no file":              {func(w *watch) { w.now.Of = 0 }, func(k *run.Machine) { k.Prints = false }},
		"in one of a byte":        {func(w *watch) { w.now.Of = 1 }, same},
		"in no file, it said once before it was started": {func(w *watch) { w.now.Of, w.now.Asked = 0, 3 }, same},
		"in no file, not said since":                     {func(w *watch) { w.now.Of, w.now.Asked = 0, 2 }, same},
		"waits":                                          {func(w *watch) { w.now.Paused = "swap" }, func(k *run.Machine) { k.Waits = "swap" }},
		"another's file":                                 {func(w *watch) { w.now.File = stored.Name(8) }, func(k *run.Machine) { k.Ours, k.Lays = false, false }},
		"a file that it had not told":                    {func(w *watch) { w.now.File, w.now.Asked = "", 3 }, same},
		"nothing on it": {func(w *watch) { w.run = nil }, func(k *run.Machine) {
			k.Ours, k.Lays, k.Still = false, false, 0
		}},
		"its program not read":       {func(w *watch) { w.program = nil }, func(k *run.Machine) { k.Lays = false }},
		"nothing laid yet":           {func(w *watch) { w.now.At, w.pausedAt = 4, 4 }, func(k *run.Machine) { k.Lays = false }},
		"read on since its pause":    {func(w *watch) { w.pausedAt-- }, func(k *run.Machine) { k.Moves = true }},
		"how long it stands unknown": {func(w *watch) { w.movedAt = time.Time{} }, func(k *run.Machine) { k.Still = 0 }},
		"cold":                       {func(w *watch) { w.now.Heats = []wire.Heat{{Bed: true, C: 22}, {C: 190}} }, func(k *run.Machine) { k.Hot = false }},
		"the bed alone":              {func(w *watch) { w.now.Heats = []wire.Heat{{Bed: true, C: 61, ToC: 60}, {C: 30}} }, same},
		"the nozzle alone":           {func(w *watch) { w.now.Heats = []wire.Heat{{Bed: true, C: 30}, {C: 207, ToC: 210}} }, same},
		"not warm yet":               {func(w *watch) { w.now.Heats[1].C = 206.9 }, func(k *run.Machine) { k.Warm = false }},
		"the bed not":                {func(w *watch) { w.now.Heats[0].C = 50 }, func(k *run.Machine) { k.Warm = false }},
		"to a degree":                {func(w *watch) { w.now.Heats = []wire.Heat{{C: 0, ToC: 1}} }, same},
	} {
		w, want := laying(t), was
		c.now(w)
		c.then(&want)
		assert.Equal(t, want, w.known(false), name)
		want.Shut = true
		assert.Equal(t, want, w.known(true), name+", kept shut")
	}
}

// How far a run is told to be, in each state.
func TestHowFarARunIs(t *testing.T) {
	for state, want := range map[string]string{
		run.Sending:    "layer 0 of 2, 0.00, sent 0.40, left 0",
		run.Heating:    "layer 0 of 2, 0.00, sent 0.00, left 50",
		run.First:      "layer 2 of 2, 0.75, sent 0.00, left a quarter",
		run.Printing:   "layer 2 of 2, 0.75, sent 0.00, left a quarter",
		run.Paused:     "layer 2 of 2, 0.75, sent 0.00, left a quarter",
		run.PausedCold: "layer 2 of 2, 0.75, sent 0.00, left a quarter",
		run.Cooling:    "layer 0 of 2, 0.00, sent 0.00, left 0",
	} {
		w := laying(t)
		w.run.State, w.share = state, 0.4
		w.now.Heats = []wire.Heat{{Bed: true, C: 35, ToC: 60}, {C: 208, ToC: 210}} // 25 °C of the bed at 0.5 °C/s
		for _, not := range []func(){func() {}, func() { w.now.File = stored.Name(8) }, func() { w.now.File, w.now.Of = stored.Name(7), 0 }} {
			not()
			var s runs.MachineSaid
			w.progress(&s)
			left := fmt.Sprintf("%.0f", s.LeftS)
			if s.Share > 0 {
				assert.InDelta(t, w.program.Laying/4, s.LeftS, 0.02*w.program.Laying, state)
				left = "a quarter"
			}
			assert.Equal(t, want, fmt.Sprintf("layer %d of %d, %.2f, sent %.2f, left %s", s.Layer, s.Layers, s.Share, s.Sent, left), state)
			if s.Share > 0 { // of another's file, or none, nothing is told
				want = "layer 0 of 2, 0.00, sent 0.00, left 0"
			}
		}
	}
	w := laying(t)
	w.run.State, w.now.Heats = run.Heating, []wire.Heat{{Bed: true, C: 60, ToC: 60}, {C: 110, ToC: 210}}
	var s runs.MachineSaid
	w.progress(&s)
	assert.InDelta(t, 50, s.LeftS, 1e-9, "100 °C of the nozzle at 2 °C/s")
}

// The curve keeps the last of what is known, and begins anew with another set of heaters.
func TestTheCurveOfHeat(t *testing.T) {
	w := &watch{}
	two := func(c float64) []runs.HeatNow { return []runs.HeatNow{{Of: "bed", C: c}, {Of: "nozzle 1", C: 2 * c}} }
	for i := range curveMost + 3 {
		w.remember(noon.Add(time.Duration(i)*time.Second), two(float64(i)))
		assert.Len(t, w.curve.At, min(i+1, 360), "half an hour of points, one in five seconds")
		assert.Len(t, w.curve.C, len(w.curve.At))
	}
	assert.Equal(t, []string{"bed", "nozzle 1"}, w.curve.Of)
	assert.Equal(t, noon.Add(3*time.Second), w.curve.At[0])
	assert.Equal(t, []float64{3, 6}, w.curve.C[0])
	assert.Equal(t, []float64{362, 724}, w.curve.C[359])
	w.remember(noon, two(9)[:1])
	assert.Equal(t, runs.HeatCurve{Of: []string{"bed"}, At: []time.Time{noon}, C: [][]float64{{9}}}, w.curve)
}

// How far a run is is written when another layer begins, and now and then within one.
func TestHowFarIsKept(t *testing.T) {
	ctx := t.Context()
	h := desktest.Open(t)
	id, _ := h.At(job.Approved)
	all, err := h.Store.RunsOfJob(ctx, id)
	require.NoError(t, err)
	r := all[0]
	_, err = h.Store.Pool.Exec(ctx, `INSERT INTO device (machine_id, owner, fence, until) VALUES ($1, 'me', 4, now() + interval '1 day')`, r.MachineID)
	require.NoError(t, err)
	w := laying(t)
	w.x.d, w.run, w.l = h.Desk, &r, &lease{owner: runs.Owner{Machine: r.MachineID, Fence: 4}}
	for _, c := range []struct {
		what    string
		layer   int // that it lays
		before  int // that was written last
		ago     time.Duration
		written bool
	}{
		{"none yet", 0, 0, time.Hour, false},
		{"the first", 1, 0, 0, true},
		{"the same, just written", 1, 1, 10 * time.Millisecond, false},
		{"the same, after a while", 1, 1, 3100 * time.Millisecond, true},
		{"the next, at once", 2, 1, 0, true},
	} {
		_, err := h.Store.Pool.Exec(ctx, `UPDATE run SET state = 'printing', layer = $2, done_share = 0 WHERE id = $1`, r.ID, c.before)
		require.NoError(t, err)
		w.run.Layer, w.kept = c.before, time.Now().Add(-c.ago)
		require.NoError(t, w.keep(ctx, &runs.MachineSaid{Layer: c.layer, Share: 0.5}))
		is, err := h.Store.Run(ctx, r.ID)
		require.NoError(t, err)
		assert.Equal(t, c.written, is.DoneShare == 0.5, c.what)
		if c.written {
			assert.Equal(t, c.layer, is.Layer, c.what)
			assert.Less(t, time.Since(w.kept), time.Hour/2, c.what)
		}
	}
}
