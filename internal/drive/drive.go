// Package drive has machines on a line do what people have asked for, and tells what they do. Each machine has one owner
// at a time, by a lease in the database; who holds it opens the line, asks the core for the next step, does it, and writes
// down what came of it. After a break of any kind it finds out from the machine where things are.
package drive

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"jobshelf/core/print/machine"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/device"
	"jobshelf/internal/store"
)

// Options are how machines are driven.
type Options struct {
	Log      *slog.Logger
	Name     string          // of this process, for who reads it
	Lease    time.Duration   // for how long a machine is taken; 0: 15 s
	Patience device.Patience // zero: device.Usual
	Speed    float64         // how many of the machines' seconds pass in one; 0: 1
}

// look is how often it is seen whether something has changed.
const look = 250 * time.Millisecond

// Driver drives the machines of a house.
type Driver struct {
	d    *desk.Desk
	o    Options
	stop context.CancelFunc
	done sync.WaitGroup
}

// Start begins to drive all machines that have a line, those too that get one later.
func Start(ctx context.Context, d *desk.Desk, o Options) *Driver {
	if o.Lease == 0 {
		o.Lease = 15 * time.Second
	}
	if o.Patience == (device.Patience{}) {
		o.Patience = device.Usual
	}
	if o.Speed <= 0 {
		o.Speed = 1
	}
	// Two of one name would hold each other's machines: each start has one of its own.
	host, _ := os.Hostname()
	o.Name = strings.TrimSpace(fmt.Sprintf("%s %s %d %d", o.Name, host, os.Getpid(), time.Now().UnixNano()))
	ctx, stop := context.WithCancel(ctx)
	x := &Driver{d: d, o: o, stop: stop}
	x.done.Go(func() { x.all(ctx) })
	return x
}

// Stop lets go of all machines. What they print they go on with.
func (x *Driver) Stop() {
	x.stop()
	x.done.Wait()
}

// all keeps somebody at each machine that has a line.
func (x *Driver) all(ctx context.Context) {
	type kept struct {
		line string
		stop context.CancelFunc
		done chan struct{}
	}
	at := map[int64]kept{}
	end := func(id int64) {
		at[id].stop()
		<-at[id].done
		delete(at, id)
	}
	defer func() {
		for id := range at {
			end(id)
		}
	}()
	for {
		machines, err := x.d.Store.Machines(ctx)
		if err != nil && ctx.Err() == nil {
			x.o.Log.Error("which machines there are", "err", err)
		}
		for i := range machines {
			m := &machines[i]
			address := ""
			if m.Data.Process == machine.MaterialExtrusion {
				address = fmt.Sprint(m.Data.Line, " ", m.Data.Resets, m.Data.IdleOffS)
			}
			k, has := at[m.ID]
			if has && k.line != address {
				end(m.ID)
				has = false
			}
			if m.Data.Line == "" || address == "" || has {
				continue
			}
			own, stop := context.WithCancel(ctx)
			k = kept{address, stop, make(chan struct{})}
			at[m.ID] = k
			go func() {
				defer close(k.done)
				x.keep(own, m.ID)
			}()
		}
		if !sleep(ctx, 4*look) {
			return
		}
	}
}

func sleep(ctx context.Context, d time.Duration) bool {
	select {
	case <-ctx.Done():
		return false
	case <-time.After(d):
		return true
	}
}

// keep takes a machine whenever it is free, and drives it for as long as it is held.
func (x *Driver) keep(ctx context.Context, machine int64) {
	for ctx.Err() == nil {
		l, err := x.take(ctx, machine)
		if err != nil && ctx.Err() == nil {
			x.o.Log.Error("take a machine", "machine", machine, "err", err)
		}
		if l != nil {
			x.drive(l)
			l.giveBack(ctx)
		}
		if !sleep(ctx, x.o.Lease/5) {
			return
		}
	}
}

// lease is a machine held by this process.
type lease struct {
	x     *Driver
	ctx   context.Context // ends when it is held no more
	end   context.CancelFunc
	owner runs.Owner
	begun time.Time    // what held counts from
	held  atomic.Int64 // until so long after begun, by this process's own clock
}

// errNotHeld is a machine that is not this process's any more.
var errNotHeld = errors.New("the machine is not held any more")

// take takes a machine; nil where another has it.
func (x *Driver) take(ctx context.Context, machine int64) (*lease, error) {
	l := &lease{x: x, begun: time.Now()}
	fence, ok, err := x.d.Store.Lease(ctx, machine, x.o.Name, x.o.Lease)
	if err != nil || !ok {
		return nil, err
	}
	l.owner = runs.Owner{Machine: machine, Fence: fence}
	l.extend(l.begun)
	l.ctx, l.end = context.WithCancel(ctx)
	go l.renew()
	return l, nil
}

// extend counts the lease from when it was asked for, and less a part: who was asleep finds that it has ended before
// another could have it.
func (l *lease) extend(asked time.Time) {
	l.held.Store(int64(asked.Sub(l.begun) + l.x.o.Lease*3/4))
}

// may is asked before anything is said to the machine.
func (l *lease) may() error {
	if time.Since(l.begun) >= time.Duration(l.held.Load()) {
		return errNotHeld
	}
	return nil
}

// renew holds it for as long as it is driven.
func (l *lease) renew() {
	defer l.end()
	for sleep(l.ctx, l.x.o.Lease/5) {
		if l.may() != nil {
			return
		}
		asked := time.Now()
		fence, ok, err := l.x.d.Store.Lease(l.ctx, l.owner.Machine, l.x.o.Name, l.x.o.Lease)
		switch {
		case err != nil: // the database is away: it is held until its time is over
		case !ok || fence != l.owner.Fence:
			return
		default:
			l.extend(asked)
		}
	}
}

// giveBack lets others have it at once.
func (l *lease) giveBack(ctx context.Context) {
	l.end()
	late, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
	defer cancel()
	if err := l.x.d.Store.Release(late, l.owner.Machine, l.owner.Fence); err != nil {
		l.x.o.Log.Warn("give a machine back", "machine", l.owner.Machine, "err", err)
	}
}

// drive speaks with a machine for as long as it is held.
func (x *Driver) drive(l *lease) {
	w := &watch{x: x, l: l, heardAt: time.Now()}
	defer w.close()
	for l.ctx.Err() == nil {
		if err := w.step(); err != nil && l.ctx.Err() == nil {
			if !errors.Is(err, errNotHeld) && !errors.Is(err, runs.ErrNotOwner) && !errors.Is(err, store.ErrAway) {
				x.o.Log.Warn("drive a machine", "machine", l.owner.Machine, "err", err)
			}
			if errors.Is(err, errNotHeld) || errors.Is(err, runs.ErrNotOwner) {
				return
			}
			if !sleep(l.ctx, time.Second) {
				return
			}
		}
		w.wait()
	}
}
