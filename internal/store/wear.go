package store

import (
	"context"
	"errors"
	"time"

	"jobshelf/core/shape/units"
	"jobshelf/core/shop/wear"
)

// WearPart is a part of a machine that wears out.
type WearPart struct {
	ID         int64
	MachineID  int64
	Name       string
	Nozzle     int
	LimitHours float64
	LimitGrams float64
	Seconds    float64
	MG         units.Milligrams
	Runs       int
	Since      time.Time // it was new, or its count began
	Revision   int
}

// Part is what it is.
func (w *WearPart) Part() wear.Part {
	return wear.Part{Name: w.Name, Nozzle: w.Nozzle, LimitHours: w.LimitHours, LimitGrams: w.LimitGrams}
}

// Done is what it has done.
func (w *WearPart) Done() wear.Done { return wear.Done{Seconds: w.Seconds, MG: w.MG, Runs: w.Runs} }

const wearColumns = `SELECT id, machine_id, name, nozzle, limit_hours, limit_grams, seconds, mg, runs, since, revision FROM wear_part `

// WearParts lists those of a machine, or, 0, of all, as machines are listed.
func (q Q) WearParts(ctx context.Context, machine int64) ([]WearPart, error) {
	return all[WearPart](ctx, q, wearColumns+`WHERE machine_id = $1 OR $1 = 0 ORDER BY machine_id, nozzle, name, id`, machine)
}

// WearPart finds one.
func (q Q) WearPart(ctx context.Context, id int64) (WearPart, error) {
	return one[WearPart](ctx, q, wearColumns+`WHERE id = $1`, id)
}

// AddWearPart makes a row.
func (q Q) AddWearPart(ctx context.Context, w WearPart) (int64, error) {
	return scalar[int64](ctx, q, `INSERT INTO wear_part (machine_id, name, nozzle, limit_hours, limit_grams, seconds, mg, runs, since) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9) RETURNING id`,
		w.MachineID, w.Name, w.Nozzle, w.LimitHours, w.LimitGrams, w.Seconds, w.MG, w.Runs, w.Since)
}

// SetWearPart writes it if the revision is still its.
func (q Q) SetWearPart(ctx context.Context, w WearPart) error {
	return q.changed(ctx, `UPDATE wear_part SET name = $3, nozzle = $4, limit_hours = $5, limit_grams = $6, seconds = $7, mg = $8, runs = $9, since = $10, revision = revision + 1 WHERE id = $1 AND revision = $2`,
		w.ID, w.Revision, w.Name, w.Nozzle, w.LimitHours, w.LimitGrams, w.Seconds, w.MG, w.Runs, w.Since)
}

// RemoveWearPart forgets one.
func (q Q) RemoveWearPart(ctx context.Context, id int64) error {
	return q.exec(ctx, `DELETE FROM wear_part WHERE id = $1`, id)
}

// Wears says that what a run did to its machine is counted; false where it was before.
func (q Q) Wears(ctx context.Context, run int64) (bool, error) {
	_, err := scalar[int64](ctx, q, `UPDATE run SET worn = true WHERE id = $1 AND NOT worn RETURNING id`, run)
	if errors.Is(err, ErrNotFound) {
		return false, nil
	}
	return err == nil, err
}
