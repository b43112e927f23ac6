package drive

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/programcheck"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/stored"
	"jobshelf/core/print/wire"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/run"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/device"
	"jobshelf/internal/store"
)

// watch is what one machine's driver knows. It is for one goroutine.
type watch struct {
	x       *Driver
	l       *lease
	m       machine.Machine
	line    *device.Line
	changed <-chan struct{}
	now     device.State
	heardAt time.Time // something of it last, or this began
	retry   time.Time // not before this the line is opened again
	away    string    // why it is not open

	run      *store.Run
	program  *stored.Program // of the run
	of, blob int64           // whose it is, and which file
	finished int             // files that had come to their end before the run's was started
	starts   int             // how often the machine had started before
	pausedAt int64           // bytes read when it paused; -1: not known yet
	at       int64           // bytes read, as last seen
	movedAt  time.Time       // the house's time since when it has read no more; zero: not seen yet
	asked    int             // as often it had said what it prints when it was started: that is not known until it says so again
	sending  chan error
	giveUp   context.CancelFunc
	sent     chan float64
	share    float64
	hotSince time.Time // with nothing on it; zero: it is not
	curve    runs.HeatCurve
	told     runs.MachineSaid
	toldAt   time.Time
	kept     time.Time // how far the run is was written
}

func (w *watch) close() {
	if w.giveUp != nil {
		w.giveUp()
		if err := <-w.sending; err != nil && !errors.Is(err, context.Canceled) {
			w.x.o.Log.Warn("send a program", "machine", w.l.owner.Machine, "err", err)
		}
	}
	if w.line != nil {
		_ = w.line.Close()
	}
}

// wait waits until something has changed, or for a moment.
func (w *watch) wait() {
	timer := time.NewTimer(look)
	defer timer.Stop()
	sending := w.sending
	select {
	case <-w.l.ctx.Done():
	case <-timer.C:
	case err := <-sending:
		w.sending <- err // for whoever asks
	case f := <-w.sent:
		w.share = f
	}
}

// step finds out how things are, does what comes next, and tells it.
func (w *watch) step() error {
	ctx := w.l.ctx
	m, err := floor.MachineOf(ctx, w.x.d.Store.Q, w.l.owner.Machine)
	if err != nil {
		return err
	}
	w.m = m.Data
	r, err := w.x.d.Store.RunOn(ctx, w.l.owner.Machine)
	switch {
	case errors.Is(err, store.ErrNotFound):
		w.run = nil
	case err != nil:
		return err
	default:
		if w.run == nil || w.run.ID != r.ID {
			w.finished, w.starts, w.pausedAt, w.movedAt = 0, 0, -1, time.Time{} // of what is found all is that happens from the opening of the line on
			if r.State == run.Sending {
				w.pausedAt = 0
				if w.line != nil {
					w.finished, w.starts = w.now.Finished, w.now.Starts
				}
			}
		}
		w.run = &r
	}
	shut := w.shut()
	if w.line == nil && !shut && time.Now().After(w.retry) {
		w.open(ctx)
	}
	if w.line != nil {
		var err error
		if w.now, w.changed, err = w.line.State(); err != nil {
			w.lose(err)
		} else {
			w.heardAt, w.away = w.now.HeardAt, ""
			w.stands()
		}
	}
	if err := w.l.may(); err != nil {
		return err
	}
	for range 4 { // one step may make way for the next
		more, err := w.steer(ctx, shut)
		if err != nil {
			return errors.Join(err, w.tell(ctx, shut))
		}
		if !more {
			break
		}
	}
	return w.tell(ctx, shut)
}

// stands keeps since when the machine has read nothing more of its file. A pause that is found began before: where it is
// now, it was.
func (w *watch) stands() {
	if w.pausedAt < 0 {
		w.pausedAt = w.now.At
	}
	if w.movedAt.IsZero() || w.at != w.now.At {
		w.at, w.movedAt = w.now.At, w.x.d.Now()
	}
}

// shut says that the line is not to be opened: that would reset a board in the middle of something.
func (w *watch) shut() bool {
	return w.line == nil && w.m.Resets && device.IsSerial(w.m.Line) && w.run != nil && slices.Contains(run.OnMachine, w.run.State)
}

// open opens the line, and asks how things are.
func (w *watch) open(ctx context.Context) {
	l, err := device.Dial(ctx, w.m.Line, w.x.o.Patience, w.l.may)
	if err == nil {
		// What was written before the break is no file any more. Temperatures come by themselves, while it warms too.
		hello := []string{"M29", "M115", fmt.Sprintf("M155 S%d", max(1, int(2*w.x.o.Speed)))}
		if w.m.IdleOffS > 0 {
			hello = append(hello, fmt.Sprintf("M85 S%.0f", w.m.IdleOffS))
		}
		hello = append(hello, "M27 C")
		if err = w.greet(ctx, l, hello); errors.Is(err, device.ErrStarted) { // at the opening; it is asked once more
			err = w.greet(ctx, l, hello)
		}
		if err != nil {
			_ = l.Close()
		}
	}
	if err != nil {
		w.lose(err)
		return
	}
	w.line, w.asked = l, 0
	if w.run != nil {
		w.finished, w.starts = 0, 0
		if w.run.State == run.Sending {
			s, _, _ := l.State()
			w.starts = s.Starts
		}
	}
}

// greet says the first things on a line, and waits until the machine has said what it prints.
func (w *watch) greet(ctx context.Context, l *device.Line, hello []string) error {
	bounded, cancel := context.WithTimeout(ctx, w.x.o.Patience.Lost)
	defer cancel()
	if _, err := l.Do(bounded, hello...); err != nil {
		return err
	}
	for {
		s, changed, err := l.State()
		if err != nil || s.Asked > 0 {
			return err
		}
		select {
		case <-changed:
		case <-bounded.Done():
			return bounded.Err()
		}
	}
}

// lose is a line that has ended.
func (w *watch) lose(err error) {
	if w.line != nil {
		_ = w.line.Close()
	}
	w.line, w.away, w.retry = nil, err.Error(), time.Now().Add(min(5*time.Second, w.x.o.Patience.Lost/4))
}

// known is what the machine is to the core.
func (w *watch) known(shut bool) run.Machine {
	k := run.Machine{Shut: shut, Heard: w.line != nil || time.Since(w.heardAt) < w.x.o.Patience.Lost}
	if w.line == nil {
		return k
	}
	s := &w.now
	k.Fault, k.Started, k.Finished = s.Fault, s.Starts > w.starts, s.Finished > w.finished
	k.Prints, k.Waits = s.Of > 0 || s.Asked <= w.asked, s.Paused
	k.Warm = true
	for _, h := range s.Heats {
		k.Hot = k.Hot || h.ToC > 0
		k.Warm = k.Warm && (h.ToC <= 0 || h.C >= h.ToC-3)
	}
	if w.run == nil {
		return k
	}
	k.Ours = stored.Same(s.File, w.run.ID) || s.Asked <= w.asked
	k.Lays = w.program != nil && k.Ours && w.program.Lays(s.At)
	k.Moves = s.At > w.pausedAt
	if !w.movedAt.IsZero() {
		k.Still = w.x.d.Now().Sub(w.movedAt)
	}
	return k
}

// steer does the next step; true where there may be one more.
func (w *watch) steer(ctx context.Context, shut bool) (bool, error) {
	if w.run == nil {
		return false, w.ahead(ctx)
	}
	if err := w.read(ctx); err != nil {
		return false, w.refuse(ctx, err)
	}
	if w.sending != nil {
		return w.send(ctx)
	}
	if w.line == nil && time.Since(w.heardAt) < w.x.o.Patience.Lost && !shut {
		return false, nil // it may come back
	}
	h, err := w.x.d.Store.House(ctx)
	if err != nil {
		return false, err
	}
	r := w.run
	k := w.known(shut)
	s := run.Steer(run.Now{State: r.State, Wants: r.Wants, Reheats: len(r.Heats) > 0 && r.State == run.Heating, Unseen: r.Seen == 0, Alone: r.Why.Code == run.NotSeen, Since: w.x.d.Now().Sub(r.Since),
		Patience: time.Duration(h.AttendanceMin) * time.Minute, CoolsItself: w.m.IdleOffS > 0}, k)
	if s.Act == run.Send {
		return false, w.begin(ctx)
	}
	if err := w.do(ctx, s.Act); err != nil {
		return false, err
	}
	if s.Event == "" {
		return false, nil
	}
	return true, w.happens(ctx, s)
}

// happens writes down what has happened to the run, and reads it again.
func (w *watch) happens(ctx context.Context, s run.Step) error {
	n := runs.News{Event: s.Event, Why: s.Why}
	heats := slices.DeleteFunc(slices.Clone(w.now.Heats), func(h wire.Heat) bool { return h.ToC <= 0 })
	switch s.Event {
	case run.Pauses, run.Found(run.Paused):
		w.pausedAt = w.now.At
		n.Course = func(r *store.Run) { r.Heats = heats }
	case run.Lays, run.GoesOn, run.SeesOn:
		n.Course = func(r *store.Run) {
			r.Heats = nil
			if s.Event == run.Lays { // after a cold pause too: somebody looks how it holds
				r.Seen = 0
			}
		}
	}
	w.movedAt = time.Time{} // it has its time anew
	id, state := w.run.ID, w.run.State
	if err := runs.Hear(ctx, w.x.d, w.l.owner, id, state, n); err != nil {
		return err
	}
	r, err := w.x.d.Store.Run(ctx, id)
	if err != nil {
		return err
	}
	w.run = &r
	if !slices.Contains(run.OnMachine, r.State) && r.State != run.Cooling {
		w.run = nil
	}
	return nil
}

// read reads the run's program, once.
func (w *watch) read(ctx context.Context) error {
	if w.run.GCodeID == nil || w.program != nil && w.of == w.run.ID && w.blob == *w.run.GCodeID {
		return nil
	}
	text, err := io.ReadAll(w.x.d.Store.BlobReader(ctx, *w.run.GCodeID))
	if err != nil {
		return err
	}
	p, err := stored.Of(ctx, text, w.m.Motion.Limits())
	if err != nil && ctx.Err() == nil {
		return notAsJudged{problem.Say("told", err.Error())}
	}
	if err != nil {
		return err
	}
	w.program, w.of, w.blob = p, w.run.ID, *w.run.GCodeID
	return nil
}

// notAsJudged is a program that may not be sent.
type notAsJudged struct{ why problem.Phrase }

func (n notAsJudged) Error() string { return "its program may not be sent: " + n.why.String() }

// refuse sends a run back into its lane whose program may not be sent.
func (w *watch) refuse(ctx context.Context, err error) error {
	var no notAsJudged
	if !errors.As(err, &no) || w.run.State != run.Sending {
		return err
	}
	return w.happens(ctx, run.Step{Event: run.NotSent, Why: problem.Say("program not as it was judged", no.why)})
}

// judge judges the program once more, as it lies in the house.
func (w *watch) judge(ctx context.Context) error {
	text := bytes.NewReader(nil)
	var all bytes.Buffer
	for _, l := range w.program.Lines {
		all.WriteString(l)
		all.WriteByte('\n')
	}
	text.Reset(all.Bytes())
	s, err := gcode.Read(ctx, text, 0, nil)
	if err != nil {
		return notAsJudged{problem.Say("told", err.Error())}
	}
	on := w.m
	on.InService = true // whether jobs may be queued on it does not matter here
	if bad := finding.Stopping(programcheck.Check(s, []programcheck.Target{{Machine: &on}}, 0, 0)); len(bad) > 0 {
		return notAsJudged{bad[0].Says}
	}
	return nil
}

// begin begins to send the program.
func (w *watch) begin(ctx context.Context) error {
	if w.line == nil || w.program == nil {
		return nil
	}
	if err := w.judge(ctx); err != nil {
		return w.refuse(ctx, err)
	}
	w.finished, w.starts, w.pausedAt = w.now.Finished, w.now.Starts, 0
	own, giveUp := context.WithCancel(ctx)
	w.giveUp, w.sending, w.sent, w.share = giveUp, make(chan error, 1), make(chan float64, 1), 0
	line, lines, name, sent, done := w.line, w.program.Lines, stored.Name(w.run.ID), w.sent, w.sending
	go func() {
		err := line.Store(own, name, lines, func(f float64) {
			select {
			case sent <- f:
			default: // the next tells as much
			}
		})
		if err == nil {
			err = line.Start(own)
		}
		done <- err
	}()
	return nil
}

// send waits for the program to be sent, unless somebody wants it stopped.
func (w *watch) send(ctx context.Context) (bool, error) {
	if w.run.Wants == run.WantsStop {
		w.giveUp()
	}
	select {
	case err := <-w.sending:
		w.giveUp()
		w.sending, w.giveUp = nil, nil
		switch {
		case err == nil:
			if w.now, w.changed, err = w.line.State(); err != nil {
				w.lose(err)
				return false, nil
			}
			w.asked = w.now.Asked
			return true, w.happens(ctx, run.Step{Event: run.Warms})
		case ctx.Err() != nil:
			return false, ctx.Err()
		case w.run.Wants == run.WantsStop:
			return true, nil // the next step ends it
		case errors.Is(err, device.ErrLost), errors.Is(err, errNotHeld):
			w.lose(err)
			return false, nil // nothing is known of what it has: it is asked when it is there again
		}
		return false, w.happens(ctx, run.Step{Event: run.NotSent, Why: problem.Say("machine does not take it", problem.Say("told", err.Error()))})
	default:
		return false, nil
	}
}

// do does something at the machine.
func (w *watch) do(ctx context.Context, a run.Act) error {
	if a == run.Nothing || w.line == nil {
		return nil
	}
	bounded, cancel := context.WithTimeout(ctx, w.x.o.Patience.Lost)
	defer cancel()
	switch a {
	case run.Halt:
		return w.line.Pause(bounded)
	case run.Resume:
		return w.line.Start(bounded)
	case run.End:
		return w.line.Stop(bounded, len(w.m.NozzlesMM))
	case run.HeatOff:
		return w.line.Cool(bounded, len(w.m.NozzlesMM))
	case run.Reheat:
		return w.line.Warm(bounded, w.run.Heats)
	}
	return nil
}

// ahead cools what somebody has warmed, when nobody comes.
func (w *watch) ahead(ctx context.Context) error {
	w.program, w.of = nil, 0
	if w.line != nil {
		asked, err := w.x.d.Store.TakeWarmth(ctx, w.l.owner.Machine, w.l.owner.Fence)
		if err != nil {
			return err
		}
		if asked != nil {
			w.hotSince = time.Time{} // its minutes begin anew
			return w.warm(ctx, asked.Heats)
		}
	}
	k := w.known(false)
	if !k.Hot || k.Prints || w.line == nil {
		w.hotSince = time.Time{}
		return nil
	}
	now := w.x.d.Now()
	if w.hotSince.IsZero() {
		w.hotSince = now
	}
	h, err := w.x.d.Store.House(ctx)
	if err != nil {
		return err
	}
	return w.do(ctx, run.Ahead(now.Sub(w.hotSince), time.Duration(h.AttendanceMin)*time.Minute, k))
}

// warm makes a machine that nothing is on as warm as somebody has asked, or cold.
func (w *watch) warm(ctx context.Context, heats []wire.Heat) error {
	if len(heats) == 0 {
		return w.do(ctx, run.HeatOff)
	}
	bounded, cancel := context.WithTimeout(ctx, w.x.o.Patience.Lost)
	defer cancel()
	return w.line.Warm(bounded, heats)
}

const (
	tellEvery  = 400 * time.Millisecond // what changes all the time is told so often
	keepEvery  = 3 * time.Second        // and how far a run is, written
	curveEvery = 5 * time.Second        // of the house's clock
	curveMost  = 360
)

// tell tells what is known of the machine to whoever looks.
func (w *watch) tell(ctx context.Context, shut bool) error {
	s := runs.MachineSaid{Link: runs.Heard, Heats: []runs.HeatNow{}, At: w.x.d.Now()}
	switch {
	case shut:
		s.Link = runs.Shut
	case w.line == nil:
		s.Link, s.Why = runs.Away, w.away
	default:
		s.Heats, s.File, s.Waits, s.Fault = runs.HeatsOf(w.now.Heats), w.now.File, w.now.Paused, w.now.Fault
	}
	if w.line != nil && w.run != nil && w.program != nil && w.of == w.run.ID {
		w.progress(&s)
		if err := w.keep(ctx, &s); err != nil {
			return err
		}
	}
	at := w.x.d.Now()
	if n := len(w.curve.At); len(s.Heats) > 0 && (n == 0 || at.Sub(w.curve.At[n-1]) >= curveEvery) {
		w.remember(at, s.Heats)
	}
	if time.Since(w.toldAt) < tellEvery && s.Link == w.told.Link && s.File == w.told.File && s.Fault == w.told.Fault && s.Waits == w.told.Waits || s.Alike(&w.told) && time.Since(w.toldAt) < 5*time.Second {
		return nil
	}
	w.told, w.toldAt = s, time.Now()
	return runs.Keep(ctx, w.x.d, w.l.owner, s, w.curve)
}

// progress is how far the run is.
func (w *watch) progress(s *runs.MachineSaid) {
	s.Layers = w.program.Layers
	switch w.run.State {
	case run.Sending:
		s.Sent = w.share
	case run.Heating:
		for _, h := range w.now.Heats {
			all, gone := w.m.HeatUpSeconds(h.ToC, 0), w.m.HeatUpSeconds(h.C, 0)
			if h.Bed {
				all, gone = w.m.HeatUpSeconds(0, h.ToC), w.m.HeatUpSeconds(0, h.C)
			}
			s.LeftS = max(s.LeftS, all-gone)
		}
	case run.First, run.Printing, run.Paused, run.PausedCold:
		if !stored.Same(w.now.File, w.run.ID) || w.now.Of == 0 {
			return
		}
		s.Layer, s.Share = w.program.At(w.now.At)
		s.LeftS = (1 - s.Share) * w.program.Laying
	}
}

// keep writes how far the run is, now and then.
func (w *watch) keep(ctx context.Context, s *runs.MachineSaid) error {
	if s.Layer == 0 || s.Layer == w.run.Layer && time.Since(w.kept) < keepEvery {
		return nil
	}
	w.kept = time.Now()
	return w.x.d.Store.RunProgress(ctx, w.run.ID, w.l.owner.Fence, s.Layer, s.Share)
}

// remember adds to the curve.
func (w *watch) remember(at time.Time, heats []runs.HeatNow) {
	of := make([]string, len(heats))
	c := make([]float64, len(heats))
	for i, h := range heats {
		of[i], c[i] = h.Of, h.C
	}
	if !slices.Equal(of, w.curve.Of) {
		w.curve = runs.HeatCurve{Of: of}
	}
	w.curve.At, w.curve.C = append(w.curve.At, at), append(w.curve.C, c)
	if n := len(w.curve.At) - curveMost; n > 0 {
		w.curve.At, w.curve.C = slices.Clone(w.curve.At[n:]), slices.Clone(w.curve.C[n:])
	}
}
