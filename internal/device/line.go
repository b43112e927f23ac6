// Package device speaks with machines: it opens a line, keeps what is known of the machine, and has programs stored and
// printed. What is said on the line is package wire's; who may own a machine is not decided here.
package device

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"slices"
	"strings"
	"sync"
	"time"

	"jobshelf/core/print/wire"
	"jobshelf/core/shape/problem"
)

// State is what is known of a machine.
type State struct {
	HeardAt  time.Time   // when it said something last
	Heats    []wire.Heat // as it told them last
	File     string      // that is open for printing, as far as it has said
	At, Of   int64       // bytes of it; Of 0: it prints none
	Paused   string      // why it waits for somebody, in its words; empty: it does not
	Fault    string      // why it stands still, in its words
	Starts   int         // how often it has started since the line was opened
	Finished int         // how many files came to their end since
	Storage  bool        // it says that it keeps files
	Asked    int         // how often it has said what it prints, or that it prints nothing
}

// What can become of a line.
var (
	// ErrLost is a line that was closed, or on which nothing was heard for long.
	ErrLost = errors.New("the machine cannot be reached any more")
	// ErrNoStorage is a machine that does not say that it writes a file.
	ErrNoStorage = errors.New("the machine does not say that it writes a file: it has no storage, or that is full")
	// ErrStarted is a machine that has started anew: what was under way is lost.
	ErrStarted = errors.New("the machine has started anew")
)

// Broken is a line that leads nowhere, and why.
type Broken struct{ problem.Phrase }

func (b *Broken) Error() string { return b.String() }

// Fault is a machine that has shut itself down, in its own words.
type Fault struct{ Says string }

func (f *Fault) Error() string { return "the machine stands still: " + f.Says }

// Patience is how long is waited for what.
type Patience struct {
	Silent time.Duration // for an answer, until it is asked where the machine is
	Lost   time.Duration // for anything at all, until it is taken to be away
	Poll   time.Duration // between questions for temperatures and progress
}

// Usual is what holds on a line to a machine.
var Usual = Patience{Silent: 4 * time.Second, Lost: 90 * time.Second, Poll: 2 * time.Second}

// Line is an open line to a machine. Its methods may be called at the same time; commands go out in the order of calls.
type Line struct {
	conn     io.ReadWriteCloser
	patience Patience
	may      func() error
	mu       sync.Mutex
	host     wire.Host
	state    State
	waiters  []*waiter
	err      error
	turn     chan struct{} // held by whoever has a file written: nothing else may go between
	storing  bool
	changed  chan struct{} // closed and made anew with every change
	closed   chan struct{}
	wake     chan struct{} // something waits to be said
}

// waiter waits until so many more commands were taken.
type waiter struct {
	left int
	seen []wire.Event
	done chan error
}

// Dial opens a line to a machine: on the network as host:port, or on a serial port as /dev/NAME:BAUD. Before anything is
// said to it, may is asked; what it answers ends the line. Nil: always.
func Dial(ctx context.Context, address string, p Patience, may func() error) (*Line, error) {
	if IsSerial(address) {
		port, err := openSerial(address)
		if err != nil {
			return nil, err
		}
		return Open(port, p, may), nil
	}
	d := net.Dialer{Timeout: 10 * time.Second}
	conn, err := d.DialContext(ctx, "tcp", address)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrLost, err)
	}
	return Open(conn, p, may), nil
}

// Open takes an open line over.
func Open(conn io.ReadWriteCloser, p Patience, may func() error) *Line {
	if may == nil {
		may = func() error { return nil }
	}
	l := &Line{conn: conn, patience: p, may: may, turn: make(chan struct{}, 1), changed: make(chan struct{}), closed: make(chan struct{}), wake: make(chan struct{}, 1)}
	l.state.HeardAt = time.Now()
	heard := make(chan []byte)
	go l.read(heard)
	go l.run(heard)
	return l
}

// Close ends it. What the machine prints from its storage goes on.
func (l *Line) Close() error {
	l.fail(ErrLost)
	return nil
}

func (l *Line) read(heard chan<- []byte) {
	for {
		buf := make([]byte, 4096)
		n, err := l.conn.Read(buf)
		if n > 0 {
			select {
			case heard <- buf[:n]:
			case <-l.closed:
				return
			}
		}
		if err != nil {
			l.fail(ErrLost)
			return
		}
	}
}

// run speaks: what waits goes out, and where nothing comes back it asks.
func (l *Line) run(heard <-chan []byte) {
	tick := time.NewTicker(max(l.patience.Silent/4, time.Millisecond))
	defer tick.Stop()
	polled, asked := time.Now(), time.Now()
	for {
		var out []byte
		select {
		case <-l.closed:
			return
		case b := <-heard:
			l.hear(b)
		case <-l.wake:
		case <-tick.C:
		}
		l.mu.Lock()
		quiet := time.Since(l.state.HeardAt)
		switch {
		case l.err != nil:
		case quiet > l.patience.Lost:
			l.mu.Unlock()
			l.fail(ErrLost)
			return
		case quiet > l.patience.Silent && time.Since(asked) > l.patience.Silent/2 && l.host.UnderWay():
			asked = time.Now()
			out = l.host.Silent()
		case time.Since(polled) > l.patience.Poll && l.host.Waiting() == 0 && !l.storing:
			polled = time.Now()
			if err := l.host.Do("M105", "M27"); err == nil {
				out = l.host.Out()
			}
		default:
			out = l.host.Out()
		}
		broken := l.host.Broken
		l.mu.Unlock()
		if broken != nil {
			l.fail(&Broken{*broken})
			return
		}
		for ; out != nil; out = l.out() {
			if err := l.may(); err != nil {
				l.fail(err)
				return
			}
			if _, err := l.conn.Write(out); err != nil {
				l.fail(ErrLost)
				return
			}
		}
	}
}

func (l *Line) out() []byte {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.host.Out()
}

// hear takes what the machine said.
func (l *Line) hear(b []byte) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.state.HeardAt = time.Now()
	for _, e := range l.host.In(b) {
		l.learn(e)
		if len(l.waiters) == 0 {
			continue
		}
		switch w := l.waiters[0]; e.Kind {
		case wire.Ok:
			if e.Command == "M105" || e.Command == "M27" {
				continue // asked by the line itself
			}
			if w.left--; w.left == 0 {
				w.done <- nil
				l.waiters = l.waiters[1:]
			}
		case wire.Restarted:
			l.drop(ErrStarted)
		case wire.Fault:
			l.drop(&Fault{e.Text})
		case wire.Remark:
			if l.storing && strings.Contains(strings.ToLower(e.Text), "writing to file") {
				l.drop(ErrNoStorage) // it writes no more: what comes next would be obeyed at once
				continue
			}
			w.seen = append(w.seen, e)
		default:
			w.seen = append(w.seen, e)
		}
	}
	close(l.changed)
	l.changed = make(chan struct{})
}

// drop tells all who wait that it comes to nothing.
func (l *Line) drop(err error) {
	for _, w := range l.waiters {
		w.done <- err
	}
	l.waiters = nil
	if !errors.Is(err, ErrStarted) { // else it has begun anew by itself
		l.host.Begin()
	}
}

// learn keeps what was said.
func (l *Line) learn(e wire.Event) {
	s := &l.state
	switch e.Kind {
	case wire.Heats:
		s.Heats = e.Heats
	case wire.Progress:
		s.At, s.Of, s.Asked = e.At, e.Size, s.Asked+1
	case wire.Stands:
		s.At, s.Of, s.File, s.Asked = 0, 0, "", s.Asked+1
	case wire.Opened, wire.Named:
		s.File = e.Name
	case wire.Finished:
		s.Finished++
		s.At, s.Of, s.Paused, s.File = 0, 0, "", ""
	case wire.Restarted:
		s.Starts++
		s.At, s.Of, s.Paused, s.Fault, s.File = 0, 0, "", "", ""
	case wire.Fault:
		s.Fault = e.Text
	case wire.Action:
		if s.Paused = e.Text; e.Text == "resumed" || e.Text == "resume" {
			s.Paused = ""
		}
	case wire.Capable:
		if e.Name == "SDCARD" {
			s.Storage = e.Size == 1
		}
	}
}

// fail ends the line for a reason.
func (l *Line) fail(err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.err != nil {
		return
	}
	l.err = err
	l.drop(err)
	_ = l.conn.Close()
	close(l.closed)
	close(l.changed)
	l.changed = make(chan struct{})
}

// State is what is known, until what changes is told by the channel, and why the line has ended.
func (l *Line) State() (State, <-chan struct{}, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.state, l.changed, l.err
}

// Do has commands obeyed one after the other, and gives what was said meanwhile.
func (l *Line) Do(ctx context.Context, commands ...string) ([]wire.Event, error) {
	select {
	case l.turn <- struct{}{}:
		defer func() { <-l.turn }()
		return l.do(ctx, commands...)
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-l.closed:
		_, _, err := l.State()
		return nil, err
	}
}

// do is Do for who has the turn.
func (l *Line) do(ctx context.Context, commands ...string) ([]wire.Event, error) {
	l.mu.Lock()
	if l.err != nil {
		defer l.mu.Unlock()
		return nil, l.err
	}
	if err := l.host.Do(commands...); err != nil {
		defer l.mu.Unlock()
		return nil, err
	}
	w := &waiter{left: len(commands), done: make(chan error, 1)}
	l.waiters = append(l.waiters, w)
	l.mu.Unlock()
	select {
	case l.wake <- struct{}{}:
	default: // it is awake
	}
	select {
	case err := <-w.done:
		return w.seen, err
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// atOnce is how many lines are handed over together.
const atOnce = 200

// Store has a program kept in the machine's storage, and opened. Its name carries the run. Where the machine does not say
// that it holds as many bytes as were sent, it is taken away again. Lines are a program's, as package stored gives them.
func (l *Line) Store(ctx context.Context, name string, lines []string, progress func(float64)) error {
	select {
	case l.turn <- struct{}{}:
		defer func() { <-l.turn }()
	case <-ctx.Done():
		return ctx.Err()
	}
	write := func(on bool) {
		l.mu.Lock()
		defer l.mu.Unlock()
		l.storing = on
	}
	write(true) // a question for temperatures would be a line of the file
	defer write(false)
	begun, err := l.do(ctx, "M21", "M28 "+name)
	if err != nil {
		return err
	}
	// One that does not say that it writes would obey each line at once.
	if !slices.ContainsFunc(begun, func(e wire.Event) bool { return strings.HasPrefix(e.Text, "Writing to file") }) {
		return errors.Join(ErrNoStorage, l.giveUp(ctx, name))
	}
	size := int64(0)
	for k := 0; k < len(lines); k += atOnce {
		some := lines[k:min(k+atOnce, len(lines))]
		if _, err := l.do(ctx, some...); err != nil {
			return errors.Join(err, l.giveUp(ctx, name))
		}
		for _, line := range some {
			size += int64(len(line)) + 1
		}
		if progress != nil {
			progress(float64(k+len(some)) / float64(len(lines)))
		}
	}
	seen, err := l.do(ctx, "M29", "M23 "+name)
	if err != nil {
		return err
	}
	for _, e := range seen {
		if e.Kind == wire.Opened && strings.EqualFold(e.Name, name) && e.Size == size {
			return nil
		}
	}
	_, err = l.do(ctx, "M30 "+name)
	return errors.Join(fmt.Errorf("the machine does not hold the %d bytes that were sent", size), err)
}

// giveUp ends a file that is written no further, and takes it away: lines that come after it are no part of it.
func (l *Line) giveUp(ctx context.Context, name string) error {
	if ctx.Err() == nil { // it was the machine that ended it
		return nil
	}
	bounded, cancel := context.WithTimeout(context.WithoutCancel(ctx), l.patience.Lost)
	defer cancel()
	_, err := l.do(bounded, "M29", "M30 "+name)
	return err
}

// Start prints the file that is open, or goes on with it.
func (l *Line) Start(ctx context.Context) error {
	_, err := l.Do(ctx, "M24")
	if err == nil {
		l.mu.Lock()
		l.state.Paused = ""
		l.mu.Unlock()
	}
	return err
}

// Pause stops where it is, the heat as it is.
func (l *Line) Pause(ctx context.Context) error {
	_, err := l.Do(ctx, "M25")
	return err
}

// Stop ends the file and turns all heat off.
func (l *Line) Stop(ctx context.Context, nozzles int) error {
	_, err := l.Do(ctx, append(append([]string{"M524"}, off(nozzles)...), "M107")...)
	return err
}

// Cool turns all heat off.
func (l *Line) Cool(ctx context.Context, nozzles int) error {
	_, err := l.Do(ctx, off(nozzles)...)
	return err
}

func off(nozzles int) []string {
	var commands []string
	for k := range max(1, nozzles) {
		commands = append(commands, fmt.Sprintf("M104 T%d S0", k))
	}
	return append(commands, "M140 S0")
}

// Warm asks for heat as it was, without waiting for it.
func (l *Line) Warm(ctx context.Context, heats []wire.Heat) error {
	var commands []string
	for _, h := range heats {
		switch {
		case h.Bed:
			commands = append(commands, fmt.Sprintf("M140 S%.0f", h.ToC))
		case h.Nozzle < 0:
			commands = append(commands, fmt.Sprintf("M104 S%.0f", h.ToC))
		default:
			commands = append(commands, fmt.Sprintf("M104 T%d S%.0f", h.Nozzle, h.ToC))
		}
	}
	if len(commands) == 0 {
		return nil
	}
	_, err := l.Do(ctx, commands...)
	return err
}
