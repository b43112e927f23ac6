package store

import (
	"context"
	"time"
)

// Question is what the desk asked about a job, and what was said to it.
type Question struct {
	JobID     int64
	Asked     string
	AskedBy   string
	AskedAt   time.Time
	Reply     *string // nil: nobody has yet
	RepliedBy *string
	RepliedAt *time.Time
}

const questionColumns = `SELECT q.job_id, q.asked, a.name, q.asked_at, q.reply, r.name, q.replied_at
	FROM question q JOIN person a ON a.id = q.asked_by LEFT JOIN person r ON r.id = q.replied_by `

// Questions are those of a job, the first first.
func (q Q) Questions(ctx context.Context, job int64) ([]Question, error) {
	return all[Question](ctx, q, questionColumns+`WHERE q.job_id = $1 ORDER BY q.id`, job)
}

// OpenQuestions are those that wait for an answer, by job.
func (q Q) OpenQuestions(ctx context.Context) (map[int64]string, error) {
	rows, err := all[Question](ctx, q, questionColumns+`WHERE q.reply IS NULL`)
	out := make(map[int64]string, len(rows))
	for _, r := range rows {
		out[r.JobID] = r.Asked
	}
	return out, err
}

// Ask writes a question; one that waits for an answer is written over.
func (q Q) Ask(ctx context.Context, job int64, text string, person int64, at time.Time) error {
	return q.exec(ctx, `INSERT INTO question (job_id, asked, asked_by, asked_at) VALUES ($1, $2, $3, $4)
		ON CONFLICT (job_id) WHERE reply IS NULL DO UPDATE SET asked = $2, asked_by = $3, asked_at = $4`, job, text, person, at)
}

// Reply answers the question that waits; ErrNotFound where none does.
func (q Q) Reply(ctx context.Context, job int64, text string, person int64, at time.Time) error {
	_, err := scalar[int64](ctx, q, `UPDATE question SET reply = $2, replied_by = $3, replied_at = $4 WHERE job_id = $1 AND reply IS NULL RETURNING job_id`, job, text, person, at)
	return err
}
