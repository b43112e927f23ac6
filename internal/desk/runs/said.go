package runs

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"jobshelf/core/print/wire"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// Links to a machine.
const (
	Heard     = "heard"
	Away      = "away"      // it does not answer
	Shut      = "shut"      // opening it would reset what may still print
	Elsewhere = "elsewhere" // another server drives it
)

// MachineSaid is what a machine on a line has told, as whoever drives it has it.
type MachineSaid struct {
	Link   string    `json:"link" enum:"heard,away,shut,elsewhere"`
	Why    string    `json:"why,omitempty" doc:"It is not heard"`
	Heats  []HeatNow `json:"heats"`
	File   string    `json:"file,omitempty" doc:"That it prints, or waits in"`
	Layer  int       `json:"layer,omitempty" doc:"That it lays, from 1"`
	Layers int       `json:"layers,omitempty"`
	Share  float64   `json:"share,omitempty" doc:"Of the time without the warm-up"`
	LeftS  float64   `json:"left_seconds,omitempty" doc:"Of laying, or while it warms until it lays"`
	Sent   float64   `json:"sent,omitempty" doc:"Share of the program that the machine has, while it is sent"`
	Waits  string    `json:"waits,omitempty" doc:"For somebody, in its words"`
	Fault  string    `json:"fault,omitempty" doc:"It has shut itself down, in its words"`
	At     time.Time `json:"at"`
}

// HeatNow is how warm something of it is, and is to be.
type HeatNow struct {
	Of string  `json:"of" doc:"bed, or nozzle 1 and so on"`
	C  float64 `json:"c"`
	To float64 `json:"to"`
}

// HeatCurve is how warm it was.
type HeatCurve struct {
	Of []string    `json:"of"`
	At []time.Time `json:"at"`
	C  [][]float64 `json:"c" doc:"By time, then by what it is of"`
}

// kept is what of a machine is kept for whoever looks later.
type kept struct {
	MachineSaid
	Curve HeatCurve `json:"curve"`
}

// Keep keeps what a machine has told, and tells who listens.
func Keep(ctx context.Context, d *desk.Desk, o Owner, s MachineSaid, c HeatCurve) error {
	raw, err := json.Marshal(kept{s, c})
	if err != nil {
		return err
	}
	if err := d.Store.SetSaid(ctx, o.Machine, o.Fence, raw); err != nil {
		return err
	}
	if raw, err = json.Marshal(s); err != nil {
		return err
	}
	return d.Store.Notify(ctx, store.Signal{Kind: store.OfMachine, Machine: o.Machine, Data: raw})
}

// Alike says that there is nothing to tell.
func (s *MachineSaid) Alike(o *MachineSaid) bool {
	a, b := *s, *o
	a.At, b.At = time.Time{}, time.Time{}
	x, _ := json.Marshal(a) //nolint:errchkjson // plain data
	y, _ := json.Marshal(b) //nolint:errchkjson // plain data
	return string(x) == string(y)
}

// saidOf is what machines have told, by machine.
func saidOf(ctx context.Context, q store.Q) (map[int64]kept, error) {
	all, err := q.Devices(ctx)
	if err != nil {
		return nil, err
	}
	out := map[int64]kept{}
	for _, x := range all {
		var k kept
		if json.Unmarshal(x.Said, &k) != nil || k.Link == "" {
			continue
		}
		if !x.Held {
			k.Link, k.Why = Away, "no server drives it now"
		}
		out[x.MachineID] = k
	}
	return out, nil
}

// HeatsOf are temperatures as they are shown: what is asked for twice, once.
func HeatsOf(all []wire.Heat) []HeatNow {
	out := []HeatNow{}
	several := false
	for _, h := range all {
		several = several || !h.Bed && h.Nozzle >= 0
	}
	for _, h := range all {
		switch {
		case h.Bed:
			out = append(out, HeatNow{"bed", h.C, h.ToC})
		case h.Nozzle < 0 && !several:
			out = append(out, HeatNow{"nozzle 1", h.C, h.ToC})
		case h.Nozzle >= 0:
			out = append(out, HeatNow{"nozzle " + string(rune('1'+h.Nozzle)), h.C, h.ToC})
		}
	}
	slices.SortStableFunc(out, func(a, b HeatNow) int { return strings.Compare(b.Of[:1], a.Of[:1]) }) // nozzles, then the bed
	return out
}
