package store

import (
	"context"
	"time"

	"jobshelf/core/judge/verdict"
)

// Tried is what came out when models in orientations were tried on machines, by the sums over all that
// went into it; of sums that were never tried there is nothing.
func (q Q) Tried(ctx context.Context, sums []string) (map[string]verdict.MachineVerdict, error) {
	rows, err := all[struct {
		Sum string
		Row verdict.MachineVerdict
	}](ctx, q, `SELECT sum, row FROM tried WHERE sum = ANY($1)`, sums)
	out := make(map[string]verdict.MachineVerdict, len(rows))
	for _, r := range rows {
		out[r.Sum] = r.Row
	}
	return out, err
}

// AddTried keeps it, and counts how often it was worked out.
func (q Q) AddTried(ctx context.Context, rows map[string]verdict.MachineVerdict) error {
	for sum, row := range rows {
		if err := q.exec(ctx, `INSERT INTO tried (sum, row) VALUES ($1, $2) ON CONFLICT (sum) DO UPDATE SET times = tried.times + 1, at = now()`, sum, row); err != nil {
			return err
		}
	}
	return nil
}

// SweepTried forgets what was worked out so long ago: it is worked out anew where somebody looks.
func (q Q) SweepTried(ctx context.Context, olderThan time.Duration) error {
	return q.exec(ctx, `DELETE FROM tried WHERE at < now() - make_interval(secs => $1)`, olderThan.Seconds())
}

// DueDates are the days by which open jobs are needed.
func (q Q) DueDates(ctx context.Context) (map[int64]time.Time, error) {
	rows, err := all[struct {
		ID  int64
		Due time.Time
	}](ctx, q, `SELECT id, needed_by FROM job WHERE needed_by IS NOT NULL AND state NOT IN ('fetched', 'left behind', 'sent back', 'withdrawn')`)
	out := make(map[int64]time.Time, len(rows))
	for _, r := range rows {
		out[r.ID] = r.Due
	}
	return out, err
}
