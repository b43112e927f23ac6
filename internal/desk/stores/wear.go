package stores

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"jobshelf/core/shape/units"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/wear"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/store"
)

// WearView is a part of a machine that wears out.
type WearView struct {
	ID        int64 `json:"id"`
	MachineID int64 `json:"machine_id"`
	wear.Part
	Machine  string    `json:"machine"`
	Hours    float64   `json:"hours" doc:"Something was laid with it"`
	Grams    float64   `json:"grams" doc:"That was laid with it"`
	Runs     int       `json:"runs"`
	Since    time.Time `json:"since" doc:"It was new, or its count began"`
	Share    float64   `json:"share" doc:"Of what it is good for; 0 without a limit"`
	Stands   string    `json:"stands" enum:"fine,soon,worn"`
	Revision int       `json:"revision"`
}

// BedBrief is how worn a machine's bed is at its most worn spot.
type BedBrief struct {
	MachineID int64     `json:"machine_id"`
	Machine   string    `json:"machine"`
	Hours     float64   `json:"hours" doc:"Something lay on the spot on which it lay longest"`
	Limit     float64   `json:"limit_hours,omitempty" doc:"From how much on a spot is kept free"`
	Kept      float64   `json:"kept" doc:"Share of its spots that is kept free for that"`
	Runs      int       `json:"runs"`
	Since     time.Time `json:"since"`
}

// NewPart is a part that the house begins to count.
type NewPart struct {
	wear.Part
	MachineID int64   `json:"machine_id"`
	Hours     float64 `json:"hours,omitempty" minimum:"0" maximum:"100000" doc:"That it has done already"`
	Grams     float64 `json:"grams,omitempty" minimum:"0" maximum:"1000000"`
}

// worn shows what wears out on machines.
func worn(ctx context.Context, q store.Q, machines []store.Machine) (parts []WearView, beds []BedBrief, err error) {
	parts, beds = []WearView{}, []BedBrief{}
	all, err := q.WearParts(ctx, 0)
	if err != nil {
		return nil, nil, err
	}
	name := map[int64]string{}
	for i := range machines {
		m := &machines[i]
		name[m.ID] = m.Data.Name
		b, err := q.Bed(ctx, m.ID)
		if errors.Is(err, store.ErrNotFound) || err == nil && b.Runs == 0 {
			continue // nothing has lain on it
		}
		if err != nil {
			return nil, nil, err
		}
		v := BedBrief{MachineID: m.ID, Machine: m.Data.Name, Hours: slices.Max(b.Wear.Seconds) / 3600, Limit: m.Data.WornHours, Runs: b.Runs, Since: b.Since}
		if m.Data.WornHours > 0 {
			n := 0
			for _, s := range b.Wear.Seconds {
				if s >= 3600*m.Data.WornHours {
					n++
				}
			}
			v.Kept = float64(n) / float64(len(b.Wear.Seconds))
		}
		beds = append(beds, v)
	}
	for i := range all {
		w := &all[i]
		p, done := w.Part(), w.Done()
		v := WearView{ID: w.ID, MachineID: w.MachineID, Part: p, Machine: name[w.MachineID], Hours: w.Seconds / 3600, Grams: w.MG.Grams(), Runs: w.Runs, Since: w.Since, Share: p.Share(done), Stands: "fine", Revision: w.Revision}
		switch {
		case p.Worn(done):
			v.Stands = "worn"
		case v.Share >= wear.Near:
			v.Stands = "soon"
		}
		parts = append(parts, v)
	}
	slices.SortStableFunc(parts, func(a, b WearView) int { return cmp.Compare(b.Share, a.Share) })
	return parts, beds, nil
}

// may says what cannot be right of a part of a machine.
func may(ctx context.Context, q store.Q, machine int64, p *wear.Part) (*store.Machine, error) {
	if p.Name = strings.TrimSpace(p.Name); p.Name == "" {
		return nil, desk.Wrong("name", "part without a name")
	}
	m, err := floor.MachineOf(ctx, q, machine)
	if err != nil {
		return nil, err
	}
	if p.Nozzle > max(1, len(m.Data.NozzlesMM)) {
		return nil, desk.Wrong("nozzle", "no such nozzle there", p.Nozzle, m.Data.Name)
	}
	return m, nil
}

// AddPart begins to count what a part of a machine does.
func AddPart(ctx context.Context, d *desk.Desk, a desk.Actor, v NewPart) (id int64, err error) {
	err = d.Store.InTx(ctx, func(tx *store.Tx) error {
		m, err := may(ctx, tx.Q, v.MachineID, &v.Part)
		if err != nil {
			return err
		}
		id, err = tx.AddWearPart(ctx, store.WearPart{MachineID: m.ID, Name: v.Name, Nozzle: v.Nozzle, LimitHours: v.LimitHours, LimitGrams: v.LimitGrams,
			Seconds: 3600 * v.Hours, MG: units.MilligramsOf(v.Grams), Since: d.Now()})
		if err != nil {
			return err
		}
		tell(tx, a, event.PartTold{Machine: m.Data.Name, Part: v.Name, What: event.PartCounted})
		return nil
	})
	return id, err
}

// onPart changes a part at the revision that the actor has seen, under the lanes' lock: runs that end wear it.
func onPart(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, what string, change func(*store.Tx, *store.WearPart) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		w, err := tx.WearPart(ctx, id)
		if err != nil {
			return err
		}
		if w.Revision != revision {
			return desk.Refuse("part changed meanwhile", w.Name)
		}
		m, err := floor.MachineOf(ctx, tx.Q, w.MachineID) // which may have fewer nozzles by now
		if err != nil {
			return err
		}
		tell(tx, a, event.PartTold{Machine: m.Data.Name, Part: w.Name, What: what, Hours: w.Seconds / 3600, Grams: w.MG.Grams()})
		return change(tx, &w)
	})
}

// SetPart says what a part is, and what it is good for.
func SetPart(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, p wear.Part) error {
	return onPart(ctx, d, a, id, revision, event.PartChanged, func(tx *store.Tx, w *store.WearPart) error {
		if _, err := may(ctx, tx.Q, w.MachineID, &p); err != nil {
			return err
		}
		w.Name, w.Nozzle, w.LimitHours, w.LimitGrams = p.Name, p.Nozzle, p.LimitHours, p.LimitGrams
		return tx.SetWearPart(ctx, *w)
	})
}

// RenewPart says that a part is new: its count begins anew.
func RenewPart(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int) error {
	return onPart(ctx, d, a, id, revision, event.PartRenewed, func(tx *store.Tx, w *store.WearPart) error {
		w.Seconds, w.MG, w.Runs, w.Since = 0, 0, 0, d.Now()
		return tx.SetWearPart(ctx, *w)
	})
}

// RemovePart counts a part no longer.
func RemovePart(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int) error {
	return onPart(ctx, d, a, id, revision, event.PartLeft, func(tx *store.Tx, w *store.WearPart) error { return tx.RemoveWearPart(ctx, w.ID) })
}

// Wear lets a run that has left its machine wear the parts of that: it laid for seconds, what the books say from each nozzle.
func Wear(ctx context.Context, tx *store.Tx, r *store.Run, seconds float64) error {
	all, err := tx.WearParts(ctx, r.MachineID)
	if err != nil || len(all) == 0 {
		return err
	}
	by, err := tx.UsedBy(ctx, r.ID)
	if err != nil {
		return err
	}
	for _, w := range all {
		p := w.Part()
		done := p.With(w.Done(), seconds, by)
		w.Seconds, w.MG, w.Runs = done.Seconds, done.MG, done.Runs
		if err := tx.SetWearPart(ctx, w); err != nil {
			return err
		}
	}
	return nil
}
