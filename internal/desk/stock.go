package desk

import (
	"context"
	"slices"
	"time"

	"jobshelf/core/print/estimate"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/spool"
	"jobshelf/internal/store"
)

// Stock is what runs take, and what is on the spools that are in use.
type Stock struct {
	Spools  []store.Spool
	nozzles map[int64][]estimate.NozzleUse
	used    map[[2]int64]units.Milligrams // by run and nozzle
	held    []spool.Hold
}

// never is after all that was ever empty.
var never = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)

// StockOf reads it.
func StockOf(ctx context.Context, q store.Q) (*Stock, error) {
	s := &Stock{nozzles: map[int64][]estimate.NozzleUse{}, used: map[[2]int64]units.Milligrams{}}
	var err error
	if s.Spools, err = q.Spools(ctx, never); err != nil {
		return nil, err
	}
	plates, err := q.NozzlesInLanes(ctx)
	if err != nil {
		return nil, err
	}
	for _, p := range plates {
		s.nozzles[p.Run] = p.Nozzles
	}
	holds, err := q.Holdings(ctx)
	for _, h := range holds {
		s.used[[2]int64{h.Run, int64(h.Nozzle)}] += h.Used
		if h.Held != 0 {
			s.held = append(s.held, spool.Hold{Run: h.Run, Nozzle: h.Nozzle, Material: h.Material, Spool: h.Spool, MG: h.Held})
		}
	}
	return s, err
}

// Needs are what a run still takes, by nozzle.
func (s *Stock) Needs(r *store.Run) []spool.Need {
	all := s.nozzles[r.ID]
	if len(all) == 0 {
		all = []estimate.NozzleUse{{Nozzle: 1, Material: r.Material, Grams: r.Grams}}
	}
	var out []spool.Need
	for _, n := range all {
		if mg := units.MilligramsOf(n.Grams) - s.used[[2]int64{r.ID, int64(n.Nozzle)}]; mg > 0 {
			out = append(out, spool.Need{Run: r.ID, Nozzle: n.Nozzle, Material: n.Material, MG: mg})
		}
	}
	return out
}

// In is the spool in a nozzle of a machine; nil where none is known.
func (s *Stock) In(machine int64, nozzle int) *store.Spool {
	k := slices.IndexFunc(s.Spools, func(x store.Spool) bool { return x.MachineID != nil && *x.MachineID == machine && x.Nozzle == nozzle })
	if k < 0 {
		return nil
	}
	return &s.Spools[k]
}

// Short says for which of a machine's runs, and then for what a job would take there, the spools that are loaded do not last.
func (s *Stock) Short(machine int64, lane []store.Run, more []spool.Need) []spool.Short {
	l := spool.Lane{Machine: machine}
	for k := range lane {
		l.Needs = append(l.Needs, s.Needs(&lane[k]))
	}
	is := make([]spool.Is, len(s.Spools))
	for k, x := range s.Spools {
		is[k] = spool.Is{ID: x.ID, Material: x.Material, Colour: x.ColourName, State: x.State, Nozzle: x.Nozzle, Left: x.Left}
		if x.MachineID != nil {
			is[k].Machine = *x.MachineID
		}
	}
	l.Needs = append(l.Needs, more)
	return spool.Lasts(l, is)
}

// settle promises each run in a lane what it still takes: of a material, and of the spool that is in the nozzle as soon as
// the run is ready. What waits no more is promised nothing.
func settle(ctx context.Context, tx *store.Tx, now time.Time) error {
	s, err := StockOf(ctx, tx.Q)
	if err != nil {
		return err
	}
	lanes, err := tx.Lanes(ctx)
	if err != nil {
		return err
	}
	var wanted []spool.Hold
	for k := range lanes {
		r := &lanes[k]
		for _, n := range s.Needs(r) {
			h := spool.Hold{Run: r.ID, Nozzle: n.Nozzle, Material: n.Material, MG: n.MG}
			if in := s.In(r.MachineID, n.Nozzle); r.State != run.Planned && in != nil && in.Material == n.Material {
				h.Spool = in.ID
			}
			wanted = append(wanted, h)
		}
	}
	lines := spool.Settle(s.held, wanted)
	if len(lines) == 0 {
		return nil
	}
	if err := tx.AddGrams(ctx, now, 0, lines); err != nil {
		return err
	}
	holds := func(all []spool.Hold, run int64) bool {
		return slices.ContainsFunc(all, func(h spool.Hold) bool { return h.Run == run && h.MG > 0 })
	}
	for k, e := range lines {
		if k > 0 && lines[k-1].Run == e.Run {
			continue
		}
		if was, is := holds(s.held, e.Run), holds(wanted, e.Run); was != is {
			if err := tx.SetHolds(ctx, e.Run, is); err != nil {
				return err
			}
		}
	}
	return nil
}
