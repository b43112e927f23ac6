package drive

import (
	"context"
	"fmt"
	"time"

	"jobshelf/internal/desk"
)

// Hand drives one machine a step at a time, for a test that keeps the time itself.
type Hand struct {
	x *Driver
	w *watch
}

// TakeHand takes a machine.
func TakeHand(ctx context.Context, d *desk.Desk, o Options, machine int64) (*Hand, error) {
	o.Lease, o.Name = time.Hour, fmt.Sprint(o.Name, time.Now().UnixNano())
	x := &Driver{d: d, o: o}
	l, err := x.take(ctx, machine)
	if err != nil || l == nil {
		return nil, fmt.Errorf("machine %d is not to be had: %w", machine, err)
	}
	return &Hand{x, &watch{x: x, l: l, heardAt: time.Now()}}, nil
}

// Step asks the machine how it is, and does what comes next; a program that is sent is sent whole.
func (h *Hand) Step() error {
	for {
		if h.w.line != nil && h.w.sending == nil {
			bounded, cancel := context.WithTimeout(h.w.l.ctx, h.x.o.Patience.Silent)
			_, _ = h.w.line.Do(bounded, "M27 S0", "M27 C", "M105 T0") // what comes of it shows in the state
			cancel()
		}
		if err := h.w.step(); err != nil || h.w.sending == nil {
			return err
		}
		h.w.wait()
	}
}

// Drop lets go of the machine, as a process does that ends.
func (h *Hand) Drop(ctx context.Context) {
	h.w.l.giveBack(ctx)
	h.w.close()
}
