package drive_test

import (
	"bytes"
	"errors"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shop/job"
	"jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/standin"
	"jobshelf/internal/store"
)

// What goes wrong at a machine, in the middle of everything: the run comes to where a person can see what to do, in
// words; it is booked once; nothing stays warm.
func TestWhatGoesWrongAtAMachine(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		fault string
		in    []string
		want  string
		why   string
	}{
		{"heater", []string{run.Heating, run.Printing, run.Paused}, run.Failed, ""},
		{"bed", []string{run.Printing}, run.Failed, ""},
		{"power", []string{run.Heating, run.Printing, run.Paused}, run.Failed, ""},
		{"power", []string{run.Sending}, run.Planned, "machine does not take it"},
		{"filament", []string{run.Printing}, run.Paused, "machine waits"},
		{"stall", []string{run.Heating, run.Printing}, run.Lost, "not heard"},
		{"slow", []string{run.Printing}, run.Cooling, ""},
		{"garbage", []string{run.Sending, run.Printing}, run.Cooling, ""},
		{"resends", []string{run.Sending, run.Printing}, run.Cooling, ""},
	} {
		for _, state := range c.in {
			t.Run(c.fault+" while "+state, func(t *testing.T) {
				t.Parallel()
				text := program(24, "")
				if c.fault == "power" && state == run.Sending {
					text = long(text)
				}
				f := open(t, 100, text)
				f.drives()
				f.start()
				f.reach(state)
				require.NoError(t, f.standin.Fail(c.fault))
				r := f.settled(c.want)
				if c.why != "" {
					assert.Equal(t, c.why, r.Why.Code)
				}
				f.booked(c.want)
				switch c.want {
				case run.Failed:
					assert.NotEmpty(t, r.Reason, "in words")
					assert.Equal(t, job.Approved, f.Job(f.job).State, "another is planned")
				case run.Paused:
					require.NoError(t, runs.Want(ctx, f.Desk, f.Cato, f.run, run.WantsGoOn, ""))
					f.settled(run.Cooling)
				case run.Lost:
					f.standin.Do(func(p *standin.Printer) { p.Run(4000) }) // it goes on by itself, whoever listens
					require.NoError(t, runs.Tell(ctx, f.Desk, f.Cato, f.run, run.Ends))
				}
				f.cools()
			})
		}
	}
}

// reach brings a run that was started to a state.
func (f *floor) reach(state string) {
	f.t.Helper()
	if state == run.Sending {
		require.Eventually(f.t, func() (is bool) {
			f.standin.Do(func(p *standin.Printer) { is = p.Writes() })
			return is
		}, 20*time.Second, time.Millisecond, "it is sent")
		return
	}
	f.until(run.Heating)
	if state == run.Heating {
		return
	}
	f.until(run.First)
	require.NoError(f.t, runs.See(ctx, f.Desk, f.Cato, f.run))
	if state == run.Paused {
		require.NoError(f.t, runs.Want(ctx, f.Desk, f.Cato, f.run, run.WantsPause, ""))
	}
	f.until(state)
}

// settled waits for a state; first layers are good as soon as they are laid.
func (f *floor) settled(want string) (r store.Run) {
	f.t.Helper()
	for {
		r = f.until(want, run.First)
		if r.State == want {
			return r
		}
		if err := runs.See(ctx, f.Desk, f.Cato, f.run); err != nil {
			require.ErrorAs(f.t, err, new(*desk.Conflict))
		}
	}
}

// booked: each thing happened once, as histories have it.
func (f *floor) booked(state string) {
	f.t.Helper()
	count := func(name string) (n int) {
		require.NoError(f.t, f.Store.Pool.QueryRow(ctx, `SELECT count(*) FROM event WHERE job_id = $1 AND name = $2`, f.job, name).Scan(&n))
		return n
	}
	assert.LessOrEqual(f.t, count("started"), 1)
	assert.LessOrEqual(f.t, count("run ended"), 1)
	if state == run.Failed {
		assert.Equal(f.t, 1, count("run failed"))
		var n int
		require.NoError(f.t, f.Store.Pool.QueryRow(ctx, `SELECT count(*) FROM run WHERE after_id = $1`, f.run).Scan(&n))
		assert.Equal(f.t, 1, n, "one successor")
	}
}

// warm waits until something of the machine is to be warm.
func (f *floor) warm() {
	f.t.Helper()
	require.Eventually(f.t, func() (is bool) {
		f.standin.Do(func(p *standin.Printer) { is = p.Asked() > 0 })
		return is
	}, 20*time.Second, 10*time.Millisecond)
}

// cools waits until nothing of the machine is to be warm.
func (f *floor) cools() {
	f.t.Helper()
	require.Eventually(f.t, func() bool {
		c := 1.0
		f.standin.Do(func(p *standin.Printer) { c = p.Asked() })
		return c == 0
	}, 40*time.Second, 50*time.Millisecond, "something stays warm")
}

// binary is the program, built once.
var binary = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "jobshelf-drive-")
	if err != nil {
		return "", err
	}
	path := filepath.Join(dir, "jobshelf")
	build := exec.Command("go", "build", "-o", path, "jobshelf/cmd/jobshelf")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	out, err := build.CombinedOutput()
	if err != nil {
		err = fmt.Errorf("%w: %s", err, out)
	}
	return path, err
})

// database is this test's, where who sleeps in the middle of a transaction is not waited for longer than its lease.
func (f *floor) database() string {
	address := f.Store.Pool.Config().ConnString()
	u, err := url.Parse(address)
	require.NoError(f.t, err)
	q := u.Query()
	q.Set("idle_in_transaction_session_timeout", "2000")
	u.RawQuery = q.Encode()
	return u.String()
}

// process is `jobshelf devices`.
type process struct {
	cmd  *exec.Cmd
	done chan struct{}
}

func (f *floor) process(name string) *process {
	f.t.Helper()
	path, err := binary()
	require.NoError(f.t, err)
	p := &process{exec.Command(path, "devices", "--database", f.database(), "--name", name, "--lease", "2s", "--lost-after", "4s"), make(chan struct{})}
	require.NoError(f.t, p.cmd.Start())
	go func() {
		defer close(p.done)
		_ = p.cmd.Wait()
	}()
	f.t.Cleanup(func() { p.end(syscall.SIGKILL) })
	return p
}

func (p *process) end(how syscall.Signal) {
	if err := p.cmd.Process.Signal(how); errors.Is(err, os.ErrProcessDone) {
		return
	}
	<-p.done
}

// Whatever drives the machines goes away in the middle of everything, once in each state of one run: killed, stopped past
// its lease while another takes over and then woken, or without its database; before it while the machine is warmed ahead,
// and in its middle while somebody asked for a pause. The run goes its way all the same: sent once, ended once, by one owner at a time.
func TestWhoDrivesGoesAway(t *testing.T) {
	t.Parallel()
	const asked = "asked to pause"
	states := []string{run.Sending, run.Heating, run.Printing, asked, run.Paused, run.Cooling}
	for _, how := range []string{"killed", "asleep", "database"} {
		t.Run(how, func(t *testing.T) {
			t.Parallel()
			f := open(t, 100, long(program(120, "M0\n")))
			now := f.process("0")
			n := 0
			breaks := func() {
				n++
				switch how {
				case "killed":
					now.end(syscall.SIGKILL)
					now = f.process(fmt.Sprint(n))
				case "asleep":
					old := now
					require.NoError(t, old.cmd.Process.Signal(syscall.SIGSTOP))
					now = f.process(fmt.Sprint(n))
					f.ownedBy(fmt.Sprint(n))
					require.NoError(t, old.cmd.Process.Signal(syscall.SIGCONT))
					time.Sleep(300 * time.Millisecond)
					f.ownedBy(fmt.Sprint(n))
					old.end(syscall.SIGTERM)
				case "database":
					f.databaseAway(3 * time.Second)
				}
			}
			require.Eventually(t, func() bool { return runs.Warm(ctx, f.Desk, f.Cato, f.machine.ID, runs.ForNext) == nil }, 20*time.Second, 50*time.Millisecond)
			f.warm()
			breaks()
			f.warm() // as it was asked for, by one who had it from the books
			f.start()
			for _, s := range states {
				switch s {
				case run.Paused:
					f.until(run.Paused) // by the program itself, for another colour
				case run.Printing:
					f.settled(run.Printing)
				case asked:
					f.settled(run.Printing)
					require.NoError(t, runs.Want(ctx, f.Desk, f.Cato, f.run, run.WantsPause, ""))
					f.until(run.Paused)
				case run.Heating:
					f.until(run.Heating, run.First, run.Printing)
				case run.Sending:
					f.reach(s)
				default:
					f.settled(s)
				}
				breaks()
				if s == run.Paused || s == asked {
					var err error
					if !assert.Eventually(t, func() bool { err = runs.Want(ctx, f.Desk, f.Cato, f.run, run.WantsGoOn, ""); return err == nil }, 20*time.Second, 100*time.Millisecond) {
						t.Fatalf("%v %+v", err, f.state())
					}
				}
				if s == asked {
					f.settled(run.Printing)
				}
			}
			f.settled(run.Cooling)
			f.booked(run.Cooling)
			f.cools()
			require.NoError(t, runs.TakeOff(ctx, f.Desk, f.Cato, f.run, nil, ""))
			require.NoError(t, runs.Clear(ctx, f.Desk, f.Cato, f.machine.ID))
		})
	}
}

// ownedBy waits until a process has the machine, and no other.
func (f *floor) ownedBy(name string) {
	f.t.Helper()
	var all []store.Device
	if !assert.Eventually(f.t, func() (is bool) {
		var err error
		all, err = f.Store.Devices(ctx)
		return err == nil && len(all) == 1 && all[0].Held && strings.HasPrefix(all[0].Owner, name+" ")
	}, 20*time.Second, 50*time.Millisecond) {
		f.t.Fatalf("%s does not get it: %+v", name, all)
	}
}

// databaseAway lets nobody to this test's database for a while.
func (f *floor) databaseAway(d time.Duration) {
	f.t.Helper()
	name := f.Store.Pool.Config().ConnConfig.Database
	admin := pgtest.Admin(f.t).Pool
	_, err := admin.Exec(ctx, fmt.Sprintf(`ALTER DATABASE %s ALLOW_CONNECTIONS false`, name))
	require.NoError(f.t, err)
	_, err = admin.Exec(ctx, `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = $1`, name)
	require.NoError(f.t, err)
	time.Sleep(d)
	_, err = admin.Exec(ctx, fmt.Sprintf(`ALTER DATABASE %s ALLOW_CONNECTIONS true`, name))
	require.NoError(f.t, err)
	require.Eventually(f.t, func() bool { _, err := f.Store.House(ctx); return err == nil }, 20*time.Second, 50*time.Millisecond)
}

// Where nobody ever comes back, the machine ends by itself what it has, or cools.
func TestNobodyComesBack(t *testing.T) {
	t.Parallel()
	const ahead = "warmed ahead"
	for _, state := range []string{run.Sending, run.Heating, run.Printing, run.Paused, ahead} {
		t.Run(state, func(t *testing.T) {
			t.Parallel()
			f := open(t, 100, long(program(24, "")))
			p := f.process("only")
			if state == ahead {
				require.Eventually(t, func() bool { return runs.Warm(ctx, f.Desk, f.Cato, f.machine.ID, runs.ForNext) == nil }, 20*time.Second, 50*time.Millisecond)
				f.warm()
			} else {
				f.start()
				f.reach(state)
			}
			p.end(syscall.SIGKILL)
			f.standin.Do(func(p *standin.Printer) { p.Run(2000) })
			f.cools()
		})
	}
}

// A bed that is not cleared, and a part that comes off it, are seen by eye or by the camera alone: nothing is started
// before somebody says that the bed is clear, and somebody stops it, with why.
func TestWhatOnlyTheCameraShows(t *testing.T) {
	t.Parallel()
	f := open(t, 100, program(120, ""))
	seen := func() string {
		var b bytes.Buffer
		f.standin.Do(func(p *standin.Printer) { require.NoError(t, p.Picture(&b)) })
		return b.String()
	}
	clear := seen()
	require.NoError(t, f.standin.Fail("uncleared"))
	require.NotEqual(t, clear, seen())
	f.drives()
	points, err := runs.Points(ctx, f.Desk, f.run)
	require.NoError(t, err)
	require.Contains(t, points, "bed")
	require.Error(t, runs.Check(ctx, f.Desk, f.Cato, f.run, slices.DeleteFunc(slices.Clone(points), func(p string) bool { return p == "bed" })))
	require.Error(t, runs.Start(ctx, f.Desk, f.Cato, f.run))
	f.standin.Do(func(p *standin.Printer) { p.ClearBed() })
	require.Equal(t, clear, seen())

	f.start()
	f.reach(run.Printing)
	laid := seen()
	require.NoError(t, f.standin.Fail("knocked"))
	require.NotEqual(t, laid, seen())
	require.Error(t, runs.Want(ctx, f.Desk, f.Cato, f.run, run.WantsStop, " "), "without a reason")
	require.NoError(t, runs.Want(ctx, f.Desk, f.Cato, f.run, run.WantsStop, "it came off the bed"))
	r := f.settled(run.Stopped)
	assert.Equal(t, "it came off the bed", r.Reason)
	assert.Positive(t, r.Layer)
	f.booked(run.Stopped)
	assert.Equal(t, job.Approved, f.Job(f.job).State, "another is planned")
	f.cools()
}
