// Package machines has stand-ins for the machines of the demo house, on its clock, and somebody who clears their beds.
package machines

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/stored"
	"jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/standin"
	"jobshelf/internal/store"
)

// Clock is the house's own: as everybody's at first, and fast from when it is told to be. It never goes back behind what
// has happened in the house.
type Clock struct {
	mu          sync.Mutex
	real, house time.Time // house is what it was at real; zero: as everybody's
	speed       float64
}

// Run lets it run so fast from now on, or from when the last thing in the house happened, should that be later.
func (c *Clock) Run(speed float64, last time.Time) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.real, c.house, c.speed = time.Now(), time.Now(), speed
	if last.After(c.house) {
		c.house = last
	}
}

// Now is the house's time.
func (c *Clock) Now() time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.house.IsZero() {
		return time.Now()
	}
	return c.house.Add(time.Duration(c.speed * float64(time.Since(c.real))))
}

// StandIns stand in for the house's machines until the context ends: each on a line of its own, with a camera, in the
// middle of what it prints; the house is told where they are. Somebody who takes things off their beds is among them.
func StandIns(ctx context.Context, d *desk.Desk, who desk.Actor, speed float64) error {
	all, err := d.Store.Machines(ctx)
	if err != nil {
		return err
	}
	var begun sync.WaitGroup
	wrong := make(chan error, len(all))
	for _, m := range all {
		if m.Data.Process != machine.MaterialExtrusion || !m.Data.InService {
			continue
		}
		begun.Go(func() {
			if err := standIn(ctx, d, who, m, speed); err != nil {
				wrong <- fmt.Errorf("stand-in for %s: %w", m.Data.Name, err)
			}
		})
	}
	begun.Wait()
	close(wrong)
	return <-wrong
}

func standIn(ctx context.Context, d *desk.Desk, who desk.Actor, m store.Machine, speed float64) error {
	s := &standin.Server{Printer: standin.New(&m.Data, standin.Options{NozzleLoss: 0.004, BedLoss: 0.0008}), Speed: speed}
	r, err := d.Store.RunOn(ctx, m.ID)
	if err == nil && r.GCodeID != nil && r.StartedAt != nil && r.State != run.Cooling {
		if err := midway(ctx, d, s.Printer, &m.Data, &r); err != nil {
			return err
		}
	}
	line, err := new(net.ListenConfig).Listen(ctx, "tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	camera, err := new(net.ListenConfig).Listen(ctx, "tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	sees := &http.Server{Handler: s.Camera(), ReadHeaderTimeout: 5 * time.Second}
	context.AfterFunc(ctx, func() { sees.Close() })
	go sees.Serve(camera) //nolint:errcheck // it ends with the demo
	go s.Serve(ctx, line) //nolint:errcheck // the same
	go hands(ctx, d, s, m.ID)
	for {
		now, err := d.Store.Machines(ctx)
		if err != nil {
			return err
		}
		for _, x := range now {
			if x.ID == m.ID {
				x.Data.Line, x.Data.Camera = line.Addr().String(), "http://"+camera.Addr().String()+"/"
				err = house.SetMachine(ctx, d, who, house.MachineView(x))
			}
		}
		if err != store.ErrChanged { //nolint:errorlint // as it comes
			return err
		}
	}
}

// midway brings a stand-in as far as a run is by now.
func midway(ctx context.Context, d *desk.Desk, p *standin.Printer, m *machine.Machine, r *store.Run) error {
	text, err := io.ReadAll(d.Store.BlobReader(ctx, *r.GCodeID))
	if err != nil {
		return err
	}
	prog, err := stored.Of(ctx, text, m.Motion.Limits())
	if err != nil {
		return err
	}
	laying := d.Now().Sub(*r.StartedAt).Seconds() - (r.Seconds - prog.Laying)
	p.Begin(stored.Name(r.ID), []byte(strings.Join(prog.Lines, "\n")+"\n"), int(prog.When(max(0.002, min(0.97, laying/prog.Laying)))))
	return nil
}

// hands take off a bed what lies on it, once somebody has said that it is clear.
func hands(ctx context.Context, d *desk.Desk, s *standin.Server, machine int64) {
	lay := false
	for {
		left, err := d.Store.ToClear(ctx, machine)
		if err == nil {
			if lay && len(left) == 0 {
				s.Do(func(p *standin.Printer) { p.ClearBed() })
			}
			lay = len(left) > 0
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Second):
		}
	}
}
