package store

import (
	"context"
	"encoding/json"
	"time"

	"jobshelf/core/print/wire"
)

// Device is what is known of a machine on a line, and who speaks with it.
type Device struct {
	MachineID int64
	Owner     string // empty: nobody
	Fence     int64  // counts up with each owner
	Held      bool   // the lease has not ended
	Said      json.RawMessage
	At        time.Time // it said so
}

// Devices lists those that anybody has ever spoken with.
func (q Q) Devices(ctx context.Context) ([]Device, error) {
	return all[Device](ctx, q, `SELECT machine_id, owner, fence, until > now(), said, at FROM device ORDER BY machine_id`)
}

// Lease takes the machine for an owner for a time, or holds it for as long again; false where another has it. The number
// counts up when it was not this owner's before. Of a house that was restored nobody has any before somebody has looked.
func (q Q) Lease(ctx context.Context, machine int64, owner string, d time.Duration) (fence int64, ok bool, err error) {
	type row struct{ Fence int64 }
	rows, err := all[row](ctx, q, `INSERT INTO device (machine_id, owner, fence, until) SELECT $1, $2, 1, now() + make_interval(secs => $3) FROM epoch WHERE looked_at IS NOT NULL
		ON CONFLICT (machine_id) DO UPDATE SET owner = $2, until = now() + make_interval(secs => $3),
			fence = device.fence + CASE WHEN device.owner = $2 AND device.until > now() THEN 0 ELSE 1 END
		WHERE device.owner = $2 OR device.until < now() RETURNING fence`, machine, owner, d.Seconds())
	if err != nil || len(rows) == 0 {
		return 0, false, err
	}
	return rows[0].Fence, true, nil
}

// Release gives a machine back, if it still is this owner's.
func (q Q) Release(ctx context.Context, machine, fence int64) error {
	return q.exec(ctx, `UPDATE device SET until = '-infinity', owner = '' WHERE machine_id = $1 AND fence = $2`, machine, fence)
}

// Holds keeps a machine with its owner until the transaction ends; false where it has another by now.
func (t *Tx) Holds(ctx context.Context, machine, fence int64) (bool, error) {
	n, err := all[int64s](ctx, t.Q, `SELECT fence FROM device WHERE machine_id = $1 AND fence = $2 AND until > now() FOR SHARE`, machine, fence)
	return len(n) == 1, err
}

// Warmth is what somebody has asked to be warm on a machine that nothing is on; nothing: all off.
type Warmth struct{ Heats []wire.Heat }

// WantWarmth asks for it, whoever drives the machine.
func (q Q) WantWarmth(ctx context.Context, machine int64, w Warmth) error {
	return q.exec(ctx, `INSERT INTO device (machine_id, wants) VALUES ($1, $2) ON CONFLICT (machine_id) DO UPDATE SET wants = $2`, machine, w)
}

// TakeWarmth gives what is asked for, once, to who owns the machine; nil where nothing is.
func (q Q) TakeWarmth(ctx context.Context, machine, fence int64) (*Warmth, error) {
	type row struct{ W *Warmth }
	got, err := all[row](ctx, q, `WITH asked AS (SELECT machine_id, wants FROM device WHERE machine_id = $1 AND fence = $2 AND wants IS NOT NULL FOR UPDATE)
		UPDATE device d SET wants = NULL FROM asked a WHERE d.machine_id = a.machine_id RETURNING a.wants`, machine, fence)
	if err != nil || len(got) == 0 {
		return nil, err
	}
	return got[0].W, nil
}

type int64s struct{ N int64 }

// SetSaid keeps what is known of a machine, if it still is this owner's.
func (q Q) SetSaid(ctx context.Context, machine, fence int64, said json.RawMessage) error {
	return q.exec(ctx, `UPDATE device SET said = $3, at = now() WHERE machine_id = $1 AND fence = $2`, machine, fence, said)
}
