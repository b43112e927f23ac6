package floor

import (
	"context"
	"errors"
	"time"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/print/bed"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shop/event"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// BedView is where a machine's bed is worn.
type BedView struct {
	MachineID int64      `json:"machine_id"`
	Machine   string     `json:"machine"`
	CellMM    float64    `json:"cell_mm"`
	MinMM     [2]float64 `json:"min_mm" doc:"Where its first cell begins, in the plate's coordinates"`
	Wide      int        `json:"wide"`
	Deep      int        `json:"deep"`
	Hours     []float64  `json:"hours" doc:"How long something lay on each cell, by row from the front"`
	Runs      int        `json:"runs" doc:"That lay on it"`
	Since     time.Time  `json:"since,omitzero" doc:"It was renewed, or first lain on"`
	WornHours float64    `json:"worn_hours,omitempty" doc:"From how much on a spot is kept free"`
	Revision  int        `json:"revision"`
}

// bedOf is a machine's bed, a new one where nothing has lain on it or it has another size now.
func bedOf(ctx context.Context, q store.Q, m *store.Machine, now time.Time) (store.Bed, error) {
	b, err := q.Bed(ctx, m.ID)
	if errors.Is(err, store.ErrNotFound) {
		return store.Bed{MachineID: m.ID, Since: now, Wear: bed.New(m.Data.Volume)}, nil
	}
	if err == nil && !b.Wear.Of(m.Data.Volume) {
		b.Since, b.Runs, b.Wear = now, 0, bed.New(m.Data.Volume)
	}
	return b, err
}

// MachineOf finds a machine by its number.
func MachineOf(ctx context.Context, q store.Q, id int64) (*store.Machine, error) {
	all, err := q.Machines(ctx)
	for i := range all {
		if all[i].ID == id {
			return &all[i], err
		}
	}
	return nil, errors.Join(err, store.ErrNotFound)
}

// Wear is where a machine's bed is worn, for the layout; nil where nothing has lain on it.
func Wear(ctx context.Context, q store.Q, machine int64) (*bed.Wear, error) {
	b, err := q.Bed(ctx, machine)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	return b.Wear, err
}

// Bed shows a machine's.
func Bed(ctx context.Context, d *desk.Desk, machine int64) (BedView, error) {
	m, err := MachineOf(ctx, d.Store.Q, machine)
	if err != nil {
		return BedView{}, err
	}
	b, err := bedOf(ctx, d.Store.Q, m, d.Now())
	if err != nil {
		return BedView{}, err
	}
	v := BedView{MachineID: m.ID, Machine: m.Data.Name, CellMM: bed.CellMM, MinMM: [2]float64{float64(b.Wear.MinX) / 1000, float64(b.Wear.MinY) / 1000}, Wide: b.Wear.Wide, Deep: b.Wear.Deep,
		Hours: make([]float64, len(b.Wear.Seconds)), Runs: b.Runs, WornHours: m.Data.WornHours, Revision: b.Revision}
	if b.Runs > 0 || b.Revision > 0 {
		v.Since = b.Since
	}
	for k, s := range b.Wear.Seconds {
		v.Hours[k] = s / 3600
	}
	return v, nil
}

// LieOn lets what a run laid wear the bed of its machine for a time. The lanes are locked.
func LieOn(ctx context.Context, tx *store.Tx, r store.Run, seconds float64, now time.Time) error {
	m, err := MachineOf(ctx, tx.Q, r.MachineID)
	if err != nil {
		return err
	}
	b, err := bedOf(ctx, tx.Q, m, now)
	if err != nil {
		return err
	}
	outlines, err := outlinesOf(ctx, tx.Q, r)
	if err != nil {
		return err
	}
	b.Wear.Add(outlines, seconds)
	b.Runs++
	return tx.SetBed(ctx, b)
}

// outlinesOf is where a run lays: its copies' shadows, or the box of a program sliced elsewhere.
func outlinesOf(ctx context.Context, q store.Q, r store.Run) (out []polygon.Path, err error) {
	if r.PlateID != nil {
		p, err := q.Plate(ctx, *r.PlateID)
		return Outlines(p.Spots), err
	}
	if len(r.Shares) == 0 {
		return nil, nil
	}
	pieces, err := q.Pieces(ctx, r.Shares[0].JobID)
	for _, p := range pieces {
		if p.Verdict != nil && p.BlobID != nil && r.GCodeID != nil && *p.BlobID == *r.GCodeID {
			b := p.Verdict.BoxMM
			out = append(out, polygon.Path{polygon.At(b.Min[0], b.Min[1]), polygon.At(b.Max[0], b.Min[1]), polygon.At(b.Max[0], b.Max[1]), polygon.At(b.Min[0], b.Max[1])})
		}
	}
	return out, err
}

// Outlines are the shadows of copies where they lie: of each piece and turn the first has it.
func Outlines(spots []slicing.Spot) (out []polygon.Path) {
	type kind struct {
		piece int
		turn  float64
	}
	drawn := map[kind][][2]float64{}
	for _, s := range spots {
		of := kind{s.Piece, s.TurnDeg}
		if len(s.OutlineMM) > 0 {
			drawn[of] = s.OutlineMM
		}
		var path polygon.Path
		for _, q := range drawn[of] {
			path = append(path, polygon.At(s.XMM+q[0], s.YMM+q[1]))
		}
		out = append(out, path)
	}
	return out
}

// TurnBed says that a machine's bed was turned by so many quarters to the left.
func TurnBed(ctx context.Context, d *desk.Desk, a desk.Actor, machine int64, revision, quarters int) error {
	return onBed(ctx, d, a, machine, revision, func(b *store.Bed, name string) (event.Event, error) {
		if quarters%4 == 0 {
			return nil, desk.Wrong("quarters", "bed not turned")
		}
		if !b.Wear.Turn(quarters) {
			return nil, desk.Wrong("quarters", "bed fits by halves only", name)
		}
		return event.BedTurned{Machine: name, Degrees: 90 * ((quarters%4 + 4) % 4)}, nil
	})
}

// RenewBed says that a machine has a new bed.
func RenewBed(ctx context.Context, d *desk.Desk, a desk.Actor, machine int64, revision int) error {
	return onBed(ctx, d, a, machine, revision, func(b *store.Bed, name string) (event.Event, error) {
		for k := range b.Wear.Seconds {
			b.Wear.Seconds[k] = 0
		}
		b.Runs, b.Since = 0, d.Now()
		return event.BedRenewed{Machine: name}, nil
	})
}

func onBed(ctx context.Context, d *desk.Desk, a desk.Actor, machine int64, revision int, change func(b *store.Bed, name string) (event.Event, error)) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		m, err := MachineOf(ctx, tx.Q, machine)
		if err != nil {
			return err
		}
		b, err := bedOf(ctx, tx.Q, m, d.Now())
		if err != nil {
			return err
		}
		if b.Revision != revision {
			return desk.Refuse("bed changed meanwhile", m.Data.Name)
		}
		what, err := change(&b, m.Data.Name)
		if err != nil {
			return err
		}
		if err := tx.SetBed(ctx, b); err != nil {
			return err
		}
		desk.Tell(tx, store.OfHouse, a.ID, what)
		return nil
	})
}
