package store

import (
	"context"
	"time"
)

// Epoch is which life of the house this is.
type Epoch struct {
	N          int64
	RestoredAt *time.Time // it was noticed to be a copy that was restored
	Looked     bool       // somebody has looked at the machines since
}

// Epoch finds it.
func (q Q) Epoch(ctx context.Context) (Epoch, error) {
	return one[Epoch](ctx, q, `SELECT n, restored_at, looked_at IS NOT NULL FROM epoch`)
}

// NoticePlace notices that this is a copy, restored in another cluster or under another name in the same: then it begins
// another epoch, nobody owns a machine, what was asked of one is forgotten, and nothing is said to any before somebody has
// looked. Anew says so of a copy that is in the same place: one of the cluster's files.
func (s *Store) NoticePlace(ctx context.Context, anew bool) (restored bool, err error) {
	err = s.InTx(ctx, func(tx *Tx) error {
		restored = false
		here, err := scalar[string](ctx, tx.Q, `SELECT (SELECT system_identifier FROM pg_control_system()) || '/' || (SELECT oid FROM pg_database WHERE datname = current_database())`)
		if err != nil {
			return err
		}
		was, err := scalar[string](ctx, tx.Q, `SELECT place FROM epoch FOR UPDATE`)
		if err != nil {
			return err
		}
		if was == here && !anew {
			return nil
		}
		if err := tx.exec(ctx, `UPDATE epoch SET place = $1`, here); err != nil || was == "" && !anew {
			return err
		}
		restored = true
		if err := tx.exec(ctx, `UPDATE epoch SET n = n + 1, restored_at = now(), looked_at = NULL, looked_id = NULL`); err != nil {
			return err
		}
		return tx.exec(ctx, `UPDATE device SET owner = '', until = '-infinity', fence = fence + 1, wants = NULL`)
	})
	return restored, err
}

// Looked says that somebody has looked at all machines.
func (q Q) Looked(ctx context.Context, person int64) error {
	return q.exec(ctx, `UPDATE epoch SET looked_at = now(), looked_id = $1 WHERE looked_at IS NULL`, person)
}
