// Package stores is the house's filament: spools that come, are opened, dried, loaded, weighed and used up, and the books of
// what is on them. No figure is written over: each change adds lines to the books, in one transaction with what it is of.
package stores

import (
	"context"
	"slices"
	"strings"

	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/spool"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// Delivery is spools that have come.
type Delivery struct {
	MaterialID int64   `json:"material_id"`
	Colour     string  `json:"colour" pattern:"^(#[0-9A-Fa-f]{6})?$" doc:"As it is shown"`
	ColourName string  `json:"colour_name" maxLength:"40"`
	Lot        string  `json:"lot" maxLength:"60"`
	Place      string  `json:"place" maxLength:"60" doc:"Where it is kept"`
	Grams      float64 `json:"grams" minimum:"1" maximum:"20000" doc:"On each, without the reel"`
	ReelGrams  float64 `json:"reel_grams" minimum:"0" maximum:"5000" doc:"That an empty reel weighs"`
	Spools     int     `json:"spools" minimum:"1" maximum:"100"`
}

// Receive takes spools into the house.
func Receive(ctx context.Context, d *desk.Desk, a desk.Actor, v Delivery) (ids []int64, err error) {
	err = d.Store.InTx(ctx, func(tx *store.Tx) error {
		ids = nil
		materials, err := tx.Materials(ctx)
		if err != nil {
			return err
		}
		k := slices.IndexFunc(materials, func(m store.Material) bool { return m.ID == v.MaterialID })
		if k < 0 {
			return desk.Wrong("material_id", "no such material")
		}
		if strings.TrimSpace(v.ColourName) == "" {
			return desk.Wrong("colour_name", "spool without a colour")
		}
		s := store.Spool{MaterialID: v.MaterialID, Material: materials[k].Data.Name, Colour: v.Colour, ColourName: strings.TrimSpace(v.ColourName), Lot: strings.TrimSpace(v.Lot),
			Place: strings.TrimSpace(v.Place), Reel: units.MilligramsOf(v.ReelGrams), Full: units.MilligramsOf(v.Grams), ReceivedAt: d.Now()}
		for range v.Spools {
			if s.ID, err = tx.AddSpool(ctx, s); err != nil {
				return err
			}
			ids = append(ids, s.ID)
			if err := book(ctx, d, tx, a, spool.Entry{Spool: s.ID, Material: s.Material, Kind: spool.Received, Left: s.Full}); err != nil {
				return err
			}
			tell(tx, a, event.SpoolReceived{Spool: s.ID, Filament: filament(&s), Grams: s.Full.Grams()})
		}
		return nil
	})
	return ids, err
}

func filament(s *store.Spool) string { return strings.TrimSpace(s.ColourName + " " + s.Material) }

func tell(tx *store.Tx, a desk.Actor, what event.Event) { desk.Tell(tx, store.OfHouse, a.ID, what) }

func book(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, lines ...spool.Entry) error {
	return tx.AddGrams(ctx, d.Now(), a.ID, lines)
}

// on changes a spool at the revision that the actor has seen (0: any), under the lanes' lock: what is loaded, and what is
// promised, is of the lanes.
func on(ctx context.Context, d *desk.Desk, id int64, revision int, change func(*store.Tx, *store.Spool) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		s, err := tx.Spool(ctx, id)
		if err != nil {
			return err
		}
		if revision != 0 && s.Revision != revision {
			return desk.Refuse("spool changed meanwhile", id)
		}
		return change(tx, &s)
	})
}

// Steps are what somebody can say of a spool by itself; it is loaded at its machine.
var Steps = []string{spool.Opens, spool.Dries, spool.Dried, spool.Unloads, spool.RunsOut, spool.Retires}

// Turn says that something has happened to a spool.
func Turn(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, what string) error {
	return on(ctx, d, id, revision, func(tx *store.Tx, s *store.Spool) error {
		if !slices.Contains(Steps, what) {
			return desk.Refuse("spool is otherwise", id, s.State)
		}
		return turn(ctx, d, tx, a, s, what)
	})
}

func turn(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, s *store.Spool, what string) error {
	was := *s
	to, ok := spool.Table.To(s.State, what)
	if !ok {
		return desk.Refuse("spool is otherwise", s.ID, s.State)
	}
	now := d.Now()
	s.State = to
	if s.OpenedAt == nil && (to == spool.Open || to == spool.Loaded) {
		s.OpenedAt = &now
	}
	if what == spool.Dries || what == spool.Dried {
		s.DriedAt = &now
	}
	if was.State == spool.Loaded {
		if err := unload(ctx, d, tx, a, &was); err != nil {
			return err
		}
		s.MachineID, s.Nozzle, s.LoadedAt = nil, 0, nil
	}
	if to == spool.Empty || to == spool.Retired {
		is, err := tx.Spool(ctx, s.ID) // with what was booked just now
		if err != nil {
			return err
		}
		if err := book(ctx, d, tx, a, spool.WriteOff(spool.Entry{Spool: s.ID, Material: s.Material}, is.Left)...); err != nil {
			return err
		}
	}
	if err := tx.SetSpool(ctx, *s); err != nil {
		return err
	}
	s.Revision++
	tell(tx, a, event.SpoolTold{Spool: s.ID, Filament: filament(s), What: what})
	return desk.LanesChanged(ctx, d, tx)
}

// unload takes a spool out of the books of what is loaded: what a run has laid of it is its, and nothing is in the nozzle.
func unload(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, s *store.Spool) error {
	machines, err := tx.Machines(ctx)
	if err != nil {
		return err
	}
	for _, m := range machines {
		if m.ID != *s.MachineID {
			continue
		}
		r, err := onIt(ctx, tx, m.ID)
		if err != nil {
			return err
		}
		if r != nil {
			if err := mayChange(r); err != nil {
				return err
			}
			if err := take(ctx, d, tx, a, r, s.Nozzle, false); err != nil {
				return err
			}
		}
		if s.Nozzle == 1 && m.Data.Material == s.Material {
			m.Data.Material, m.Data.Colour, m.Data.ColourName = "", "", ""
			return tx.SetMachine(ctx, m)
		}
	}
	return nil
}

// onIt is the run that is on a machine; nil where none is.
func onIt(ctx context.Context, tx *store.Tx, machine int64) (*store.Run, error) {
	lanes, err := tx.Lanes(ctx)
	for k := range lanes {
		if lanes[k].MachineID == machine && run.Begun(lanes[k].State) {
			return &lanes[k], err
		}
	}
	return nil, err
}

// mayChange refuses other filament in the middle of what lays.
func mayChange(r *store.Run) error {
	if r.State == run.Paused || r.State == run.PausedCold || r.State == run.Cooling || r.State == run.Lost {
		return nil
	}
	return desk.Refuse("run is otherwise", r.Title(), r.State)
}

// Loading puts a spool into a nozzle, and takes out what was in it, with what is lost by that. The lanes are locked, and the
// machine is the caller's to write.
func Loading(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, machine int64, nozzle int, lost float64, id int64) (*store.Spool, error) {
	if err := Unloading(ctx, d, tx, a, machine, nozzle); err != nil {
		return nil, err
	}
	s, err := tx.Spool(ctx, id)
	if err != nil {
		return nil, err
	}
	to, ok := spool.Table.To(s.State, spool.Loads)
	if !ok {
		return nil, desk.Refuse("spool is otherwise", s.ID, s.State)
	}
	now := d.Now()
	s.State, s.MachineID, s.Nozzle, s.LoadedAt = to, &machine, nozzle, &now
	if s.OpenedAt == nil {
		s.OpenedAt = &now
	}
	if err := tx.SetSpool(ctx, s); err != nil {
		return nil, err
	}
	lines := spool.Take(spool.Entry{Spool: s.ID, Material: s.Material, Kind: spool.Lost, Nozzle: nozzle}, s.Left, min(s.Left, units.MilligramsOf(lost)))
	return &s, book(ctx, d, tx, a, lines...)
}

// Unloading takes out what is in a nozzle, if that is a spool that is known.
func Unloading(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, machine int64, nozzle int) error {
	stock, err := desk.StockOf(ctx, tx.Q)
	if err != nil {
		return err
	}
	was := stock.In(machine, nozzle)
	if was == nil {
		r, err := onIt(ctx, tx, machine)
		if err != nil || r == nil {
			return err
		}
		return take(ctx, d, tx, a, r, nozzle, false) // of none that is known
	}
	return turn(ctx, d, tx, a, was, spool.Unloads)
}

// Ended takes off the spools what a run has laid: all of it, or as far as it came. It is called before the run has left its
// lane; the lanes are locked.
func Ended(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, r *store.Run, all bool) error {
	return take(ctx, d, tx, a, r, 0, all)
}

// take books what a run has laid since it was booked last, from a nozzle or, 0, from each.
func take(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, r *store.Run, nozzle int, all bool) error {
	laid, err := laidBy(ctx, d, tx, r, all)
	if err != nil {
		return err
	}
	stock, err := desk.StockOf(ctx, tx.Q)
	if err != nil {
		return err
	}
	for _, n := range laid {
		if nozzle != 0 && n.Nozzle != nozzle {
			continue
		}
		e := spool.Entry{Run: r.ID, Nozzle: n.Nozzle, Material: n.Material, Kind: spool.Used}
		var left units.Milligrams
		if in := stock.In(r.MachineID, n.Nozzle); in != nil && in.Material == n.Material {
			e.Spool, left = in.ID, in.Left
		}
		if err := book(ctx, d, tx, a, spool.Take(e, left, n.MG)...); err != nil {
			return err
		}
	}
	return nil
}

// laidBy is what each nozzle has laid of a run that is not in the books yet.
func laidBy(ctx context.Context, d *desk.Desk, tx *store.Tx, r *store.Run, all bool) ([]spool.Need, error) {
	used, err := tx.UsedBy(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	takes, full, err := takesOf(ctx, tx.Q, r)
	if err != nil {
		return nil, err
	}
	var out []spool.Need
	for _, n := range takes {
		mg := units.MilligramsOf(n.Grams)
		if !all {
			mg = spool.Reached(full, n, r.Layer, share(r, d))
		}
		out = append(out, spool.Need{Run: r.ID, Nozzle: n.Nozzle, Material: n.Material, MG: mg - used[n.Nozzle]})
	}
	return out, nil
}

// share is how far a run is: as its machine has said, or of one that says nothing by the clock.
func share(r *store.Run, d *desk.Desk) float64 {
	if r.DoneShare > 0 || r.Layer > 0 || r.StartedAt == nil || r.Seconds <= 0 {
		return r.DoneShare
	}
	switch r.State {
	case run.First, run.Printing, run.Paused, run.PausedCold, run.Lost:
		return min(1, d.Now().Sub(*r.StartedAt).Seconds()/r.Seconds)
	case run.Cooling:
		return 1
	}
	return 0 // nothing was laid yet
}

// Weigh says what a spool weighs with its reel, and what of that is the reel; 0: as was known. In the middle of a run what
// that has laid by its layer is off it already.
func Weigh(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, scaleGrams, reelGrams float64) error {
	return on(ctx, d, id, revision, func(tx *store.Tx, s *store.Spool) error {
		if s.State == spool.Retired {
			return desk.Refuse("spool is otherwise", id, s.State)
		}
		if reelGrams > 0 {
			s.Reel = units.MilligramsOf(reelGrams)
		}
		underWay, err := underWay(ctx, d, tx, s)
		if err != nil {
			return err
		}
		e, wrong := spool.Weigh(spool.Entry{Spool: s.ID, Material: s.Material}, s.Left, underWay, units.MilligramsOf(scaleGrams), s.Reel)
		if wrong != nil {
			return &desk.Invalid{Problems: []problem.Problem{*wrong}}
		}
		if err := book(ctx, d, tx, a, e); err != nil {
			return err
		}
		if to, ok := spool.Table.To(s.State, spool.Found); ok && s.Left+e.Left > 0 {
			s.State = to
		}
		if err := tx.SetSpool(ctx, *s); err != nil {
			return err
		}
		tell(tx, a, event.SpoolWeighed{Spool: s.ID, Filament: filament(s), Grams: (s.Left + e.Left - underWay).Grams(), More: e.Left.Grams()})
		return desk.LanesChanged(ctx, d, tx)
	})
}

// underWay is what of a spool has been laid by what is on its machine, and is not in the books yet.
func underWay(ctx context.Context, d *desk.Desk, tx *store.Tx, s *store.Spool) (units.Milligrams, error) {
	if s.State != spool.Loaded {
		return 0, nil
	}
	r, err := onIt(ctx, tx, *s.MachineID)
	if err != nil || r == nil {
		return 0, err
	}
	laid, err := laidBy(ctx, d, tx, r, false)
	for _, n := range laid {
		if n.Nozzle == s.Nozzle && n.Material == s.Material {
			return max(0, n.MG), err
		}
	}
	return 0, err
}

// Correct says, with a reason, that so much more or less is on a spool than the books have.
func Correct(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, grams float64, why string) error {
	why = strings.TrimSpace(why)
	if why == "" {
		return desk.Wrong("why", "no reason for a correction")
	}
	return on(ctx, d, id, revision, func(tx *store.Tx, s *store.Spool) error {
		if s.State == spool.Retired || s.State == spool.Empty {
			return desk.Refuse("spool is otherwise", id, s.State)
		}
		e, wrong := spool.Correct(spool.Entry{Spool: s.ID, Material: s.Material, Why: desk.Told(why)}, s.Left, units.MilligramsOf(grams))
		if wrong != nil {
			return &desk.Invalid{Problems: []problem.Problem{*wrong}}
		}
		if err := book(ctx, d, tx, a, e); err != nil {
			return err
		}
		if err := tx.SetSpool(ctx, *s); err != nil {
			return err
		}
		tell(tx, a, event.SpoolCorrected{Spool: s.ID, Filament: filament(s), More: e.Left.Grams(), Why: why})
		return desk.LanesChanged(ctx, d, tx)
	})
}

// Put says where a spool is kept.
func Put(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, place string) error {
	return on(ctx, d, id, revision, func(tx *store.Tx, s *store.Spool) error {
		s.Place = strings.TrimSpace(place)
		if err := tx.SetSpool(ctx, *s); err != nil {
			return err
		}
		tell(tx, a, event.SpoolPut{Spool: s.ID, Filament: filament(s), Place: s.Place})
		return nil
	})
}
