package drive_test

import (
	"context"
	"flag"
	"fmt"
	"log/slog"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"jobshelf/core/shop/job"
	"jobshelf/core/shop/run"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/device"
	"jobshelf/internal/drive"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/standin"
	"jobshelf/internal/store"
)

// They wait more than they work: more of them go at once than there are cores.
func TestMain(m *testing.M) {
	flag.Parse()
	if err := flag.Set("test.parallel", "8"); err != nil {
		panic(err)
	}
	pgtest.Main(m)
}

var ctx = context.Background()

// program is a small one of ours: it warms, lays layers, and cools. After half of them it may wait for somebody.
func program(layers int, wait string) string {
	var b strings.Builder
	b.WriteString("G21\nG90\nM83\nM140 S60\nM104 S200\nG28\nM190 S60\nM109 S200\nG92 E0\n")
	for k := range layers {
		fmt.Fprintf(&b, "G1 Z%.1f F600\n", 0.2*float64(k+1))
		for side := range 4 {
			fmt.Fprintf(&b, "G1 %s E3 F1200\n", [4]string{"X150", "Y150", "X50", "Y50"}[side])
		}
		if k == layers/2 {
			b.WriteString(wait)
		}
	}
	b.WriteString("M104 S0\nM140 S0\nM107\nG1 Z20 F600\nM84\n")
	return b.String()
}

// long is a program with so much behind its end that sending it takes a while.
func long(program string) string { return program + strings.Repeat("G1 X50 Y50 F6000\n", 8_000) }

// floor is a house with a machine on a line, and a job approved for it.
type floor struct {
	*desktest.House
	t       *testing.T
	machine store.Machine
	standin *standin.Server
	job     int64
	run     int64
	speed   float64
}

// open makes one.
func open(t *testing.T, speed float64, program string, options ...standin.Options) *floor {
	t.Helper()
	h := desktest.Open(t)
	f := &floor{House: h, t: t, speed: speed}
	f.job, _ = h.At(job.Approved)
	r, err := h.Store.RunsOfJob(ctx, f.job)
	require.NoError(t, err)
	f.run = r[0].ID
	blob, err := h.Store.PutBlob(ctx, strings.NewReader(program))
	require.NoError(t, err)
	_, err = h.Store.Pool.Exec(ctx, `UPDATE run SET gcode_id = $2 WHERE id = $1`, f.run, blob.ID)
	require.NoError(t, err)
	all, err := h.Store.Machines(ctx)
	require.NoError(t, err)
	for _, m := range all {
		if m.ID == r[0].MachineID {
			f.machine = m
		}
	}
	f.machine.Data.IdleOffS = 1800
	f.standin = &standin.Server{Printer: standin.New(&f.machine.Data, append(options, standin.Options{NozzleLoss: 0.008, BedLoss: 0.002})[0]), Speed: speed}
	f.machine.Data.Line = f.serve()
	require.NoError(t, house.SetMachine(ctx, h.Desk, h.Cato, house.MachineView(f.machine)))
	return f
}

// fast lets the house's clock run as the stand-in's.
func (f *floor) fast() {
	begun := time.Now()
	f.Desk.Now = func() time.Time { return begun.Add(time.Duration(f.speed) * time.Since(begun)) }
}

// serve puts the stand-in on a line of its own.
func (f *floor) serve() string {
	l, err := new(net.ListenConfig).Listen(ctx, "tcp", "127.0.0.1:0")
	require.NoError(f.t, err)
	own, stop := context.WithCancel(ctx)
	done := make(chan struct{})
	go func() {
		defer close(done)
		_ = f.standin.Serve(own, l)
	}()
	f.t.Cleanup(func() { stop(); <-done })
	return l.Addr().String()
}

var hasty = device.Patience{Silent: 300 * time.Millisecond, Lost: 3 * time.Second, Poll: 100 * time.Millisecond}

// drives begins to drive the machines, as another process would.
func (f *floor) drives() {
	x := drive.Start(ctx, f.Desk, drive.Options{Log: slog.Default(), Name: "one", Lease: 2 * time.Second, Patience: hasty, Speed: f.speed})
	f.t.Cleanup(x.Stop)
}

func (f *floor) state() store.Run {
	f.t.Helper()
	r, err := f.Store.Run(ctx, f.run)
	require.NoError(f.t, err)
	return r
}

// until waits for the run to come to one of some states.
func (f *floor) until(states ...string) store.Run {
	f.t.Helper()
	end := time.Now().Add(60 * time.Second)
	for {
		r := f.state()
		for _, s := range states {
			if r.State == s {
				return r
			}
		}
		if time.Now().After(end) {
			f.t.Fatalf("in vain for %v: %s %v", states, r.State, r.Why)
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// start goes through the checklist, and starts the run.
func (f *floor) start() {
	f.t.Helper()
	points, err := runs.Points(ctx, f.Desk, f.run)
	require.NoError(f.t, err)
	require.NoError(f.t, runs.Check(ctx, f.Desk, f.Cato, f.run, points))
	require.NoError(f.t, runs.Start(ctx, f.Desk, f.Cato, f.run))
}

func (f *floor) cold() {
	f.t.Helper()
	f.standin.Do(func(p *standin.Printer) { require.Zero(f.t, p.Asked(), "something is to be warm") })
}

// A run goes its way by what its machine says and what people say.
func TestARunGoesItsWay(t *testing.T) {
	t.Parallel()
	f := open(t, 60, program(16, "M0\n"))
	f.fast()
	f.drives()
	f.start()
	f.until(run.Heating)
	f.until(run.First)
	require.NoError(t, runs.See(ctx, f.Desk, f.Cato, f.run))
	r := f.until(run.Paused)
	require.Equal(t, "machine waits", r.Why.Code)
	require.NoError(t, runs.Want(ctx, f.Desk, f.Cato, f.run, run.WantsGoOn, ""))
	f.until(run.Printing)
	f.until(run.Cooling)
	f.cold()
	require.NoError(t, runs.TakeOff(ctx, f.Desk, f.Cato, f.run, nil, ""))
	require.NoError(t, runs.Clear(ctx, f.Desk, f.Cato, f.machine.ID))
	require.Equal(t, job.Finishing, f.Job(f.job).State)
}

// Whoever starts a run sees its first layers within the house's minutes; else it waits, and is cold. Who comes later
// warms it again, and sees how it goes on.
func TestFirstLayersThatNobodySees(t *testing.T) {
	t.Parallel()
	f := open(t, 60, program(300, ""))
	f.fast()
	f.drives()
	f.start()
	f.until(run.First)
	f.until(run.PausedCold)
	f.cold()
	var why string
	require.NoError(t, f.Store.Pool.QueryRow(ctx, `SELECT because->>'code' FROM event WHERE job_id = $1 AND name = 'run paused'`, f.job).Scan(&why))
	require.Equal(t, "first layers not seen", why)
	require.NoError(t, runs.Want(ctx, f.Desk, f.Cato, f.run, run.WantsGoOn, ""))
	f.until(run.First) // it is warm again at once: it had hardly begun to cool
	var warmed int
	require.NoError(t, f.Store.Pool.QueryRow(ctx, `SELECT count(*) FROM event WHERE job_id = $1 AND name = 'run rewarms'`, f.job).Scan(&warmed))
	require.Equal(t, 1, warmed)
	require.NoError(t, runs.See(ctx, f.Desk, f.Cato, f.run))
	f.until(run.Printing)
	require.NoError(t, runs.Want(ctx, f.Desk, f.Cato, f.run, run.WantsStop, "It is enough."))
	r := f.until(run.Stopped)
	require.Equal(t, "It is enough.", r.Reason)
	f.cold()
	require.Equal(t, job.Approved, f.Job(f.job).State, "another is planned")
}

// A machine is warmed ahead as what comes next begins, no warmer; it cools when nobody comes, and is not warmed at all
// where it would not cool by itself.
func TestWarmedAhead(t *testing.T) {
	t.Parallel()
	f := open(t, 60, program(16, ""))
	f.fast()
	f.drives()
	asked := func() (c float64) {
		f.standin.Do(func(p *standin.Printer) { c = p.Asked() })
		return c
	}
	require.NoError(t, runs.Warm(ctx, f.Desk, f.Cato, f.machine.ID, runs.ForNext))
	require.Eventually(t, func() bool { return asked() > 0 }, 20*time.Second, 10*time.Millisecond)
	recipes, err := f.Store.Recipes(ctx)
	require.NoError(t, err)
	for _, r := range recipes {
		if r.MachineID == f.machine.ID && r.Data.Name == f.state().Recipe {
			require.InDelta(t, r.Data.WithDefaults().FirstNozzleC, asked(), 0.5)
		}
	}
	require.Eventually(t, func() bool { return asked() == 0 }, 60*time.Second, 50*time.Millisecond, "nobody came for twenty minutes")
	require.NoError(t, runs.Warm(ctx, f.Desk, f.Cato, f.machine.ID, runs.ForLoad))
	require.Eventually(t, func() bool { return asked() > 0 }, 20*time.Second, 10*time.Millisecond)
	require.NoError(t, runs.Warm(ctx, f.Desk, f.Cato, f.machine.ID, runs.HeatOff))
	require.Eventually(t, func() bool { return asked() == 0 }, 20*time.Second, 10*time.Millisecond)

	all, err := f.Store.Machines(ctx)
	require.NoError(t, err)
	for _, m := range all {
		if m.ID == f.machine.ID {
			m.Data.IdleOffS = 0
			require.NoError(t, house.SetMachine(ctx, f.Desk, f.Cato, house.MachineView(m)))
		}
	}
	require.ErrorContains(t, runs.Warm(ctx, f.Desk, f.Cato, f.machine.ID, runs.ForNext), "does not turn its heat off by itself")
}

// A program that the machine has no room for comes back into its lane, with why; nothing was printed, and another can be sent.
func TestAProgramThatDoesNotGoIn(t *testing.T) {
	t.Parallel()
	f := open(t, 60, program(40, ""), standin.Options{StorageBytes: 1500})
	f.drives()
	f.start()
	r := f.until(run.Planned)
	require.Equal(t, "machine does not take it", r.Why.Code)
	require.Equal(t, job.Approved, f.Job(f.job).State)
	f.cold()
	v, err := runs.Machine(ctx, f.Desk, f.machine.ID)
	require.NoError(t, err)
	require.Contains(t, v.Next.Why, "did not take it")
	require.Empty(t, v.Said.Fault, "it stands as it was")
	f.standin.Do(func(p *standin.Printer) {
		require.Zero(t, p.UsedMM, "what came after the storage was full was not obeyed")
	})
	blob, err := f.Store.PutBlob(ctx, strings.NewReader(program(4, "")))
	require.NoError(t, err)
	_, err = f.Store.Pool.Exec(ctx, `UPDATE run SET gcode_id = $2 WHERE id = $1`, f.run, blob.ID)
	require.NoError(t, err)
	f.start()
	f.until(run.First, run.Cooling)
}

// A program that was changed since it was judged is not sent.
func TestAProgramThatMayNotBeSent(t *testing.T) {
	t.Parallel()
	for _, bad := range []string{"M104 S200\nG1 X10 E1 F600\nM29\nM24\n", "M104 S500\nG28\nG1 X10 Y10 E1 F600\nM104 S0\n", "G28\nM104 S200\nG1 X9000 Y10 E1 F600\nM104 S0\n", "G28\nM104 S200\nG1 X10 Y10 E1 F600\n"} {
		f := open(t, 60, bad)
		f.drives()
		f.start()
		r := f.until(run.Planned)
		require.Equal(t, "program not as it was judged", r.Why.Code, bad)
		f.cold()
	}
}

func TestWhatIsSaidHasATextOfTheHouse(t *testing.T) { desktest.Codes(t) }
