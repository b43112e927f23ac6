package store

import (
	"context"
	"time"

	"jobshelf/core/print/bed"
)

// Bed is where a machine's bed is worn.
type Bed struct {
	MachineID int64
	Since     time.Time // it was renewed, or first lain on
	Runs      int       // that lay on it
	Wear      *bed.Wear
	Revision  int // 0: nothing has lain on it
}

// Bed finds a machine's.
func (q Q) Bed(ctx context.Context, machine int64) (Bed, error) {
	return one[Bed](ctx, q, `SELECT machine_id, since, runs, wear, revision FROM bed WHERE machine_id = $1`, machine)
}

// SetBed writes it if the revision is still its; 0 makes it.
func (q Q) SetBed(ctx context.Context, b Bed) error {
	if b.Revision == 0 {
		return q.exec(ctx, `INSERT INTO bed (machine_id, since, runs, wear) VALUES ($1, $2, $3, $4)`, b.MachineID, b.Since, b.Runs, b.Wear)
	}
	return q.changed(ctx, `UPDATE bed SET since = $3, runs = $4, wear = $5, revision = revision + 1 WHERE machine_id = $1 AND revision = $2`, b.MachineID, b.Revision, b.Since, b.Runs, b.Wear)
}
