package store

import (
	"context"
	"time"
)

// Worker is a process that works in the house.
type Worker struct {
	Name     string
	Queues   []string
	Cores    int
	MemoryMB int // 0: without end
	Version  string
	Since    time.Time
	Seen     time.Time
}

// SeeWorker says that a worker lives.
func (q Q) SeeWorker(ctx context.Context, w Worker) error {
	return q.exec(ctx, `INSERT INTO worker (name, queues, cores, memory_mb, version) VALUES ($1, $2, $3, $4, $5) ON CONFLICT (name) DO UPDATE SET seen_at = now()`,
		w.Name, w.Queues, w.Cores, w.MemoryMB, w.Version)
}

// EndWorker says that one lives no more.
func (q Q) EndWorker(ctx context.Context, name string) error {
	return q.exec(ctx, `DELETE FROM worker WHERE name = $1`, name)
}

// Workers lists those that live, the longest first; what died without a word goes.
func (q Q) Workers(ctx context.Context) ([]Worker, error) {
	return all[Worker](ctx, q, `SELECT name, queues, cores, memory_mb, version, since, seen_at FROM worker WHERE seen_at > now() - interval '20 seconds' ORDER BY since, name`)
}

// FileWeight is what the largest file of a job weighs: its size, times as much for models, and
// for packed ones; a program is read as it comes.
func (q Q) FileWeight(ctx context.Context, job int64, times, packedTimes int64) (int64, error) {
	return scalar[int64](ctx, q, `SELECT coalesce(max(b.size * CASE WHEN p.name ~* '\.(3mf|amf)$' THEN $3::bigint WHEN p.name ~* '\.(gcode|gco|g)$' THEN 1 ELSE $2::bigint END), 0)
		FROM piece p JOIN version v ON v.piece_id = p.id AND v.origin IS NULL JOIN blob b ON b.id = v.blob_id WHERE p.job_id = $1`, job, times, packedTimes)
}

// TaskWaits writes why a queued check still waits.
func (q Q) TaskWaits(ctx context.Context, job int64, round int, why string) error {
	return q.exec(ctx, `UPDATE task SET doing = $3 WHERE job_id = $1 AND round = $2 AND state = 'queued' AND doing <> $3`, job, round, why)
}

// SliceWaits writes why a queued slice still waits.
func (q Q) SliceWaits(ctx context.Context, id int64, why string) error {
	return q.exec(ctx, `UPDATE slice SET waits = $2 WHERE id = $1 AND state = 'queued' AND waits <> $2`, id, why)
}
