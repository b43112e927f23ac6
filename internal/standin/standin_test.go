package standin

import (
	"bytes"
	"context"
	"errors"
	"image/png"
	"math"
	"net"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

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
			if math.Mod(quiet, 10) < 0.05 && len(d.p.inbox) == 0 && d.p.waiting == nil {
				d.p.Hear(d.host.Silent())
			}
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
// out that share no code, with machines that lose heat to the room and with such that do not. JOBSHELF_EVERY=1 takes all
// parts, and not every third.
func TestPrintsTakeAsLongAsEstimated(t *testing.T) {
	every := 3
	if os.Getenv("JOBSHELF_EVERY") == "1" {
		every = 1
	}
	for k, part := range solid.Parts() {
		if part.Fault != "" || part.Unit != units.Millimetre || k%every != 0 {
			continue
		}
		choices := demo.Choices(recipe.Everyday)
		c := choices[k/every%4]
		if k/every%2 == 0 && c.Machine != nil {
			c.Machine.WarmUp.NozzleLossPerS, c.Machine.WarmUp.BedLossPerS = 0.007, 0.0025
		}
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
			assert.InDelta(t, full.WarmUpSeconds, d.p.WaitedS, 5, "a heater is said to be there one degree before")
			assert.InEpsilon(t, full.WholeSeconds(), took+d.p.WaitedS, 0.01)
			for _, h := range append(d.p.nozzles, d.p.bed) {
				assert.Zero(t, h.to, "no heater is left on")
			}
			leaps := New(c.Machine, Options{})
			leaps.Begin("RUN1.GCO", []byte(program), 0)
			for leaps.printing != nil {
				leaps.Leap(2)
				require.Less(t, leaps.ClockS, 2*full.WholeSeconds()+1000)
			}
			assert.InEpsilon(t, full.Seconds, leaps.ClockS-leaps.WaitedS, 0.002, "by whole moves")
			assert.InDelta(t, d.p.WaitedS, leaps.WaitedS, 2, "by whole moves")
			assert.InEpsilon(t, d.p.UsedMM, leaps.UsedMM, 1e-6, "by whole moves")
		})
	}
}

const small = "G21\nG90\nM83\nM140 S60\nM104 S200\nG28\nM190 S60\nM109 S200\nG1 Z0.3 F600\nG1 X50 Y50 F6000\nG1 X80 E2 F1200\nG1 Y80 E2\nG4 P500\nM104 S0\nM140 S0\n"

// stores has the small file written to a stand-in's storage, and opens it.
func (d *desk) stores() {
	const name = "A.GCO"
	d.t.Helper()
	d.do("M28 " + name)
	d.do(strings.Split(strings.TrimSpace(small), "\n")...)
	d.do("M29", "M23 "+name)
	e := d.said(wire.Opened)
	require.NotNil(d.t, e)
	require.Equal(d.t, []any{name, int64(len(small))}, []any{e.Name, e.Size})
}

// cold says that no heater is on.
func (d *desk) cold() bool {
	for _, h := range append(slices.Clone(d.p.nozzles), d.p.bed) {
		if h.to != 0 || h.on {
			return false
		}
	}
	return true
}

// What goes wrong shows as it does on a machine: a heater that fails shuts all down, a power cut loses what was done and
// keeps files, missing filament pauses, a stop ends the file, and a full storage refuses.
func TestWhatGoesWrong(t *testing.T) {
	m := demo.Machines()[0]
	t.Run("heaters", func(t *testing.T) {
		for _, fault := range []string{"heater", "bed"} {
			d := open(t, &m, Options{})
			d.stores()
			require.NoError(t, d.p.Fail(fault))
			d.do("M24")
			d.p.Run(600)
			d.listen()
			require.NotNil(t, d.said(wire.Fault), fault)
			assert.Contains(t, d.said(wire.Fault).Text, "thermal runaway")
			d.p.Run(5)
			assert.True(t, d.cold())
			assert.Nil(t, d.said(wire.Finished))
			d.p.Hear([]byte("M104 S200\n"))
			d.p.Run(5)
			assert.True(t, d.cold(), "it hears nothing until it is switched on")
		}
	})
	t.Run("power", func(t *testing.T) {
		d := open(t, &m, Options{})
		d.stores()
		d.do("M24")
		d.p.Run(100)
		warm := d.p.bed.c
		require.NoError(t, d.p.Fail("power"))
		d.heard = nil
		d.listen()
		require.NotNil(t, d.said(wire.Restarted))
		d.p.Run(1)
		assert.True(t, d.cold())
		assert.InDelta(t, warm, d.p.bed.c, 1, "what is warm stays so for a while")
		d.do("M27", "M20")
		require.NotNil(t, d.said(wire.Stands))
		require.Equal(t, "A.GCO", d.said(wire.Listed).Name)
	})
	t.Run("filament, stop and emergency", func(t *testing.T) {
		d := open(t, &m, Options{SpoolMM: 1})
		d.stores()
		d.do("M24")
		d.p.Run(400)
		d.listen()
		require.NotNil(t, d.said(wire.Action))
		d.do("M27")
		require.NotNil(t, d.said(wire.Progress))
		assert.Less(t, d.said(wire.Progress).At, d.said(wire.Progress).Size)
		d.do("M524", "M104 S0", "M140 S0")
		d.heard = nil
		d.do("M27")
		require.NotNil(t, d.said(wire.Stands))
		d.do("M104 S100")
		d.p.Hear([]byte("M112\n"))
		d.p.Run(1)
		assert.True(t, d.cold())
	})
	t.Run("storage", func(t *testing.T) {
		d := open(t, &m, Options{StorageBytes: 40})
		d.do("M28 A.GCO")
		d.do(strings.Split(strings.TrimSpace(small), "\n")...)
		require.NotNil(t, d.said(wire.Remark))
		d.do("M29", "M20")
		assert.Nil(t, d.said(wire.Listed), "what is cut off is no file")
	})
	t.Run("a line that asks for each line twice", func(t *testing.T) {
		d := open(t, &m, Options{})
		require.NoError(t, d.p.Fail("resends"))
		d.stores()
		assert.Equal(t, small, string(d.p.files["A.GCO"]))
	})
	t.Run("none", func(t *testing.T) { require.Error(t, open(t, &m, Options{}).p.Fail("rust")) })
}

// A heater warms by the formula for what loses heat to the room, and is held within a degree or two.
func TestHeatersWarmByTheFormula(t *testing.T) {
	for _, c := range []struct{ rate, loss, to float64 }{{2, 0, 200}, {2, 0.004, 210}, {0.25, 0.001, 60}, {0.5, 0.004, 100}} {
		h := heater{c: roomC, rate: c.rate, loss: c.loss, lowestC: roomC, mostC: 300}
		h.to = c.to
		s := 0.0
		for ; !h.there(); s += stepS {
			require.True(t, h.step(stepS))
		}
		want := (c.to - 1 - roomC) / c.rate
		if c.loss > 0 {
			want = -math.Log(1-c.loss*(c.to-1-roomC)/c.rate) / c.loss
		}
		assert.InDelta(t, want, s, 0.01+want/1000, "%+v", c)
		for range int(60 / stepS) {
			require.True(t, h.step(stepS))
			require.InDelta(t, c.to, h.c, 2)
		}
	}
}

// Over a line: a host prints a file at a fast clock, in spite of late answers and bytes of nobody; the camera shows what
// was laid, on a bed that was clear, and what was knocked aside.
func TestAStandInOverALine(t *testing.T) {
	m := demo.Machines()[0]
	s := &Server{Printer: New(&m, Options{}), Speed: 400}
	l, err := new(net.ListenConfig).Listen(t.Context(), "tcp", "127.0.0.1:0")
	require.NoError(t, err)
	run, stop := context.WithCancel(t.Context())
	ended := make(chan error)
	go func() { ended <- s.Serve(run, l) }()
	require.NoError(t, s.Fail("garbage"))
	c, err := new(net.Dialer).DialContext(t.Context(), "tcp", l.Addr().String())
	require.NoError(t, err)
	var h wire.Host
	require.NoError(t, h.Do("M28 A.GCO"))
	require.NoError(t, h.Do(strings.Split(strings.TrimSpace(small), "\n")...))
	require.NoError(t, h.Do("M29", "M23 A.GCO", "M24"))
	finished := false
	for buf := make([]byte, 4096); !finished; {
		for out := h.Out(); out != nil; out = h.Out() {
			_, err := c.Write(out)
			require.NoError(t, err)
		}
		require.NoError(t, c.SetReadDeadline(time.Now().Add(300*time.Millisecond)))
		n, err := c.Read(buf)
		if errors.Is(err, os.ErrDeadlineExceeded) {
			if out := h.Silent(); out != nil {
				_, err := c.Write(out)
				require.NoError(t, err)
			}
			continue
		}
		require.NoError(t, err)
		for _, e := range h.In(buf[:n]) {
			if e.Kind == wire.Restarted { // as it was switched on
				require.NoError(t, h.Do("M28 A.GCO"))
				require.NoError(t, h.Do(strings.Split(strings.TrimSpace(small), "\n")...))
				require.NoError(t, h.Do("M29", "M23 A.GCO", "M24"))
			}
			finished = finished || e.Kind == wire.Finished
		}
		require.Nil(t, h.Broken)
	}
	seen := func() (bright int, x float64) {
		w := httptest.NewRecorder()
		s.Camera().ServeHTTP(w, httptest.NewRequest("GET", "/", nil))
		img, err := png.Decode(w.Body)
		require.NoError(t, err)
		b := img.Bounds()
		for py := b.Min.Y; py < b.Max.Y; py++ {
			for px := b.Min.X; px < b.Max.X; px++ {
				if g, _, _, _ := img.At(px, py).RGBA(); g>>8 > 60 {
					bright++
					x += float64(px)
				}
			}
		}
		return bright, x / float64(max(1, bright))
	}
	laid, at := seen()
	assert.InDelta(t, 60*480/220, laid, 12, "two sides of 30 mm")
	require.NoError(t, s.Fail("knocked"))
	still, aside := seen()
	assert.Equal(t, laid, still)
	assert.Greater(t, aside, at+50)
	s.Printer.ClearBed()
	none, _ := seen()
	assert.Zero(t, none)
	stop()
	require.NoError(t, <-ended)
}

// What is no temperature and no place changes nothing, and stops nothing.
func TestNumbersThatAreNone(t *testing.T) {
	m := demo.Machines()[0]
	p := New(&m, Options{})
	p.Hear([]byte("M104 S200\nM140 S60\nM104 Snan\nM104 S\nM140 S1e400\nM104 S-inf\nM140 S-50\nG1 XNaN Y1e308\nG1 X\n"))
	p.Run(60)
	assert.InDelta(t, 200, p.nozzles[0].to, 0)
	assert.Zero(t, p.bed.to, "below nothing is off")
	assert.Empty(t, p.halted)
	for _, v := range p.mover.at {
		assert.False(t, math.IsNaN(v) || math.IsInf(v, 0))
	}
	p.Hear([]byte("M104 T9 S999\n"))
	assert.InDelta(t, m.NozzleMaxC, p.Asked(), 0, "a nozzle that is none is the one in use")
}
