package store

import (
	"context"
	"time"
)

// Letter is what a member was told about a job.
type Letter struct {
	JobID  int64
	Kind   string
	Text   string
	Person string // who has decided; empty: the program
	At     time.Time
}

// Letters are those of a job, the latest first.
func (q Q) Letters(ctx context.Context, job int64) ([]Letter, error) {
	return all[Letter](ctx, q, `SELECT l.job_id, l.kind, l.text, coalesce(p.name, ''), l.at FROM letter l LEFT JOIN person p ON p.id = l.person_id
		WHERE l.job_id = $1 ORDER BY l.id DESC`, job)
}

// LastLetters are the last of each open job of a member.
func (q Q) LastLetters(ctx context.Context, member int64) (map[int64]string, error) {
	rows, err := all[struct {
		JobID int64
		Text  string
	}](ctx, q, `SELECT DISTINCT ON (l.job_id) l.job_id, l.text FROM letter l JOIN job j ON j.id = l.job_id
		WHERE j.member_id = $1 AND j.state NOT IN ('fetched', 'left behind', 'sent back', 'withdrawn') ORDER BY l.job_id, l.id DESC`, member)
	out := make(map[int64]string, len(rows))
	for _, r := range rows {
		out[r.JobID] = r.Text
	}
	return out, err
}

// AddLetter tells a member something; person 0 is the program.
func (q Q) AddLetter(ctx context.Context, l Letter, person int64) error {
	return q.exec(ctx, `INSERT INTO letter (job_id, kind, text, person_id, at) VALUES ($1, $2, $3, nullif($4, 0), $5)`, l.JobID, l.Kind, l.Text, person, l.At)
}

// Templates are the house's own, by kind.
func (q Q) Templates(ctx context.Context) (map[string]string, error) {
	return scalar[map[string]string](ctx, q, `SELECT letters FROM house`)
}

// SetLetter writes the house's own template of a kind; an empty one is that of the catalogue again.
func (q Q) SetLetter(ctx context.Context, kind, template string) error {
	if template == "" {
		return q.exec(ctx, `UPDATE house SET letters = letters - $1`, kind)
	}
	return q.exec(ctx, `UPDATE house SET letters = letters || jsonb_build_object($1::text, $2::text)`, kind, template)
}
