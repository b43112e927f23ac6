package device

import (
	"bufio"
	"context"
	"errors"
	"net"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/stored"
	"jobshelf/core/print/wire"
	"jobshelf/core/shape/problem"
	"jobshelf/internal/demo"
	"jobshelf/internal/standin"
)

const small = "; a comment\nG21\nG90\nM83\nM140 S60\nM104 S200 ; warm\nG28\nM190 S60\nM109 S200\n\nG1 Z0.3 F600\nG1 X50 Y50 F6000\nG1 X80 E2 F1200\nG1 Y80 E2\nM104 S0\nM140 S0\n"

func lines() []string {
	out, err := stored.Lines([]byte(small))
	if err != nil {
		panic(err)
	}
	return out
}

var hasty = Patience{Silent: 200 * time.Millisecond, Lost: 2 * time.Second, Poll: 100 * time.Millisecond}

// serve has a stand-in at a fast clock, and a line to it.
func serve(t *testing.T, p Patience) (*standin.Server, *Line) {
	t.Helper()
	m := demo.Machines()[0]
	s := &standin.Server{Printer: standin.New(&m, standin.Options{}), Speed: 400}
	l, err := new(net.ListenConfig).Listen(t.Context(), "tcp", "127.0.0.1:0")
	require.NoError(t, err)
	run, stop := context.WithCancel(context.Background())
	ended := make(chan error)
	go func() { ended <- s.Serve(run, l) }()
	t.Cleanup(func() {
		stop()
		assert.NoError(t, <-ended)
	})
	line, err := Dial(t.Context(), l.Addr().String(), p, nil)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, line.Close()) })
	until(t, line, "it has started", func(s State) bool { return s.Starts > 0 })
	return s, line
}

// until waits for something to become known.
func until(t *testing.T, l *Line, what string, is func(State) bool) State {
	t.Helper()
	bounded, cancel := context.WithTimeout(t.Context(), 60*time.Second)
	defer cancel()
	for {
		s, changed, err := l.State()
		if is(s) {
			return s
		}
		require.NoError(t, err, what)
		select {
		case <-changed:
		case <-bounded.Done():
			t.Fatalf("in vain: %s: %+v", what, s)
		}
	}
}

// A program is stored, held against its length, printed to its end and seen on its way, over lines of every kind: sound,
// late, with bytes of nobody, and one on which each line is asked for twice.
func TestProgramsArePrintedFromStorage(t *testing.T) {
	for _, fault := range []string{"", "garbage", "slow", "resends"} {
		t.Run(fault, func(t *testing.T) {
			t.Parallel()
			p := hasty
			if fault == "slow" {
				p = Patience{Silent: 3 * time.Second, Lost: 20 * time.Second, Poll: time.Second}
			}
			s, l := serve(t, p)
			if fault != "" {
				require.NoError(t, s.Fail(fault))
			}
			shares := []float64{}
			require.NoError(t, l.Store(t.Context(), "R12.GCO", lines(), func(f float64) { shares = append(shares, f) }))
			assert.InDelta(t, 1, shares[len(shares)-1], 0)
			opened, _, err := l.State()
			require.NoError(t, err)
			assert.Equal(t, "R12.GCO", opened.File)
			require.NoError(t, l.Start(t.Context()))
			until(t, l, "it is at its end", func(s State) bool { return s.Finished == 1 })
			until(t, l, "it is cold", func(s State) bool {
				for _, h := range s.Heats {
					if h.ToC != 0 {
						return false
					}
				}
				return len(s.Heats) > 0
			})
		})
	}
}

// What is to be said is said at once, not when it is next looked whether something is: pieces of a file that is sent wait
// for nothing but the machine.
func TestALineSpeaksAtOnce(t *testing.T) {
	_, l := serve(t, Patience{Silent: 24 * time.Hour, Lost: 24 * time.Hour, Poll: 24 * time.Hour})
	_, err := l.Do(t.Context(), "M115")
	require.NoError(t, err)
	require.NoError(t, l.Store(t.Context(), "R1.GCO", slices.Repeat([]string{"G1 X1"}, 2*atOnce+1), nil))
}

// What the machine does meanwhile is told: a start, a fault, and that nothing is heard any more.
func TestWhatBecomesOfALine(t *testing.T) {
	t.Run("a start in the middle of sending", func(t *testing.T) {
		t.Parallel()
		s, l := serve(t, hasty)
		long := slices.Repeat([]string{"G1 X1"}, 20000)
		go func() {
			time.Sleep(150 * time.Millisecond)
			_ = s.Fail("power")
		}()
		require.ErrorIs(t, l.Store(t.Context(), "R1.GCO", long, nil), ErrStarted)
		require.NoError(t, l.Store(t.Context(), "R2.GCO", lines(), nil), "the line goes on")
	})
	t.Run("given up in the middle of sending", func(t *testing.T) {
		t.Parallel()
		_, l := serve(t, hasty)
		given, giveUp := context.WithCancel(t.Context())
		err := l.Store(given, "R1.GCO", slices.Repeat([]string{"G1 X1"}, 20000), func(float64) { giveUp() })
		require.ErrorIs(t, err, context.Canceled)
		seen, err := l.Do(t.Context(), "M20")
		require.NoError(t, err)
		for _, e := range seen {
			assert.NotEqual(t, wire.Listed, e.Kind, "what is half is taken away")
		}
	})
	t.Run("a fault", func(t *testing.T) {
		t.Parallel()
		s, l := serve(t, hasty)
		require.NoError(t, l.Store(t.Context(), "R1.GCO", lines(), nil))
		require.NoError(t, s.Fail("heater"))
		require.NoError(t, l.Start(t.Context()))
		now := until(t, l, "it stands still", func(s State) bool { return s.Fault != "" })
		assert.Contains(t, now.Fault, "thermal runaway")
	})
	t.Run("a fault while something is waited for", func(t *testing.T) {
		t.Parallel()
		s, l := serve(t, hasty)
		said := make(chan error, 1)
		go func() {
			_, err := l.Do(t.Context(), "M109 S200")
			said <- err
		}()
		time.Sleep(50 * time.Millisecond) // before it is said, it is the next that does
		s.Do(func(p *standin.Printer) { p.Hear([]byte("M112\n")) })
		var fault *Fault
		require.ErrorAs(t, <-said, &fault)
		assert.Contains(t, fault.Error(), "emergency stop")
	})
	t.Run("silence", func(t *testing.T) {
		t.Parallel()
		s, l := serve(t, hasty)
		require.NoError(t, s.Fail("stall"))
		_, err := l.Do(t.Context(), "M115")
		require.ErrorIs(t, err, ErrLost)
		_, err = l.Do(t.Context(), "M115")
		require.ErrorIs(t, err, ErrLost)
	})
	t.Run("a pause and a stop", func(t *testing.T) {
		t.Parallel()
		s, l := serve(t, hasty)
		require.NoError(t, l.Store(t.Context(), "R1.GCO", lines(), nil))
		require.NoError(t, l.Start(t.Context()))
		require.NoError(t, s.Fail("filament"))
		until(t, l, "it waits for somebody", func(s State) bool { return s.Paused == "out_of_filament" })
		require.NoError(t, l.Stop(t.Context(), 1))
		until(t, l, "it prints nothing, cold", func(s State) bool {
			for _, h := range s.Heats {
				if h.ToC != 0 {
					return false
				}
			}
			return s.Of == 0 && len(s.Heats) > 0
		})
	})
	t.Run("nobody there", func(t *testing.T) {
		_, err := Dial(t.Context(), "127.0.0.1:1", hasty, nil)
		require.ErrorIs(t, err, ErrLost)
	})
}

// What is asked of a machine comes to be so: warm as it was, each of its nozzles and the bed; cold; a pause, its heat as it is.
func TestWhatIsAskedOfAMachine(t *testing.T) {
	t.Parallel()
	s, l := serve(t, hasty)
	wait := func(what string, bed, nozzle float64) {
		t.Helper()
		until(t, l, what, func(s State) bool {
			is := map[bool]float64{}
			for _, h := range s.Heats {
				is[h.Bed] = h.ToC
			}
			return len(s.Heats) > 1 && is[true] == bed && is[false] == nozzle
		})
	}
	require.NoError(t, l.Warm(t.Context(), nil))
	s.Do(func(p *standin.Printer) { assert.Zero(t, p.Asked()) })
	require.NoError(t, l.Warm(t.Context(), []wire.Heat{{Bed: true, ToC: 61}, {Nozzle: -1, ToC: 190}}))
	wait("both", 61, 190)
	require.NoError(t, l.Warm(t.Context(), []wire.Heat{{Nozzle: 0, ToC: 205}}))
	wait("the nozzle alone is otherwise", 61, 205)
	require.NoError(t, l.Cool(t.Context(), 1))
	wait("cold", 0, 0)
	require.NoError(t, l.Store(t.Context(), "R1.GCO", append(lines()[:10], slices.Repeat([]string{"G1 X50 F600", "G1 X90"}, 3000)...), nil))
	require.NoError(t, l.Start(t.Context()))
	until(t, l, "it warms", func(s State) bool { return s.Of > 0 && len(s.Heats) > 0 && s.Heats[0].ToC > 0 })
	require.NoError(t, l.Pause(t.Context()))
	at := until(t, l, "it stands", func(s State) bool { return s.Of > 0 }).At
	s.Do(func(p *standin.Printer) { assert.Positive(t, p.Asked(), "the heat as it is") })
	require.NoError(t, l.Start(t.Context()))
	until(t, l, "it goes on to its end", func(s State) bool { return s.Finished == 1 || s.At > at })
	_, err := l.Do(t.Context(), "M105\nM112")
	require.Error(t, err, "one line at a time")
	given, giveUp := context.WithCancel(t.Context())
	giveUp()
	_, err = l.Do(given, "G4 S1")
	require.ErrorIs(t, err, context.Canceled)
	require.NoError(t, l.Close())
	_, err = l.Do(t.Context(), "M105")
	require.Error(t, err)
	assert.Equal(t, "nothing there", (&Broken{problem.Say("nothing there")}).Error())
}

// A machine that does not say that it writes a file is sent no line of one: it would obey each at once.
func TestAMachineWithoutStorage(t *testing.T) {
	ours, its := net.Pipe()
	heard := make(chan string, 1000)
	go func() {
		for lines := bufio.NewScanner(its); lines.Scan(); {
			_, command, _ := strings.Cut(lines.Text(), " ")
			command, _, _ = strings.Cut(command, "*")
			heard <- command
			if _, err := its.Write([]byte("ok\n")); err != nil {
				return
			}
		}
	}()
	l := Open(ours, hasty, nil)
	require.ErrorIs(t, l.Store(t.Context(), "R1.GCO", lines(), nil), ErrNoStorage)
	require.NoError(t, l.Close())
	close(heard)
	for c := range heard {
		assert.Regexp(t, `^(M110.*|N0|M21|M28 R1\.GCO|M29|M30 R1\.GCO|M105|M27)?$`, c)
	}
}

// Who may not speak any more says nothing.
func TestALineThatIsNoLongerOurs(t *testing.T) {
	s, l := serve(t, hasty)
	_ = s
	gone := errors.New("it is another's")
	l.mu.Lock()
	l.may = func() error { return gone }
	l.mu.Unlock()
	_, err := l.Do(t.Context(), "M140 S60")
	require.ErrorIs(t, err, gone)
	s.Do(func(p *standin.Printer) { assert.Zero(t, p.Asked()) })
}
