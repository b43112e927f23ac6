package store

import (
	"context"
	"time"

	"jobshelf/core/judge/rule"
)

// Rule is a version of a house rule.
type Rule struct {
	ID     int64
	N      int // its version, counted from 1
	Data   rule.Rule
	Counts bool // it was not taken away
	At     time.Time
	By     string // who wrote it; empty: the program
}

const ruleColumns = `SELECT r.id, r.n, r.data, r.counts, r.at, coalesce(p.name, '') FROM rule r LEFT JOIN person p ON p.id = r.person_id `

// Rules are those that count now, in the order in which they were made.
func (q Q) Rules(ctx context.Context) ([]Rule, error) {
	return all[Rule](ctx, q, ruleColumns+`WHERE r.counts AND NOT EXISTS (SELECT 1 FROM rule o WHERE o.id = r.id AND o.n > r.n) ORDER BY r.id`)
}

// RuleVersions are all versions of one, the latest first.
func (q Q) RuleVersions(ctx context.Context, id int64) ([]Rule, error) {
	return all[Rule](ctx, q, ruleColumns+`WHERE r.id = $1 ORDER BY r.n DESC`, id)
}

// AddRule writes a version of a rule, after the one that was seen; id 0 makes a new one. ErrNotFound where another was
// written meanwhile.
func (q Q) AddRule(ctx context.Context, id int64, seen int, data rule.Rule, counts bool, at time.Time, person int64) (int64, error) {
	if id == 0 {
		return scalar[int64](ctx, q, `INSERT INTO rule (id, n, data, counts, at, person_id) VALUES (nextval('rule_id'), 1, $1, $2, $3, nullif($4::bigint, 0)) RETURNING id`, data, counts, at, person)
	}
	return scalar[int64](ctx, q, `INSERT INTO rule (id, n, data, counts, at, person_id)
		SELECT id, n + 1, $3, $4, $5, nullif($6::bigint, 0) FROM rule r WHERE id = $1 AND n = $2 AND counts AND NOT EXISTS (SELECT 1 FROM rule o WHERE o.id = r.id AND o.n > r.n)
		ON CONFLICT DO NOTHING RETURNING id`, id, seen, data, counts, at, person)
}

// Answer is what somebody said to something that was found on a job.
type Answer struct {
	JobID    int64
	Key      string
	Reason   string
	PersonID int64
	Person   string
	At       time.Time
}

// Answers are those of a job, or of all jobs that are still weighed if it is 0.
func (q Q) Answers(ctx context.Context, job int64) ([]Answer, error) {
	return all[Answer](ctx, q, `SELECT a.job_id, a.key, a.reason, a.person_id, p.name, a.at FROM answer a JOIN person p ON p.id = a.person_id
		WHERE CASE WHEN $1 = 0 THEN a.job_id IN (SELECT id FROM job WHERE state IN ('arrived', 'to decide')) ELSE a.job_id = $1 END ORDER BY a.at, a.key`, job)
}

// SetAnswer writes one; an empty reason takes it back.
func (q Q) SetAnswer(ctx context.Context, a Answer) error {
	if a.Reason == "" {
		return q.exec(ctx, `DELETE FROM answer WHERE job_id = $1 AND key = $2`, a.JobID, a.Key)
	}
	return q.exec(ctx, `INSERT INTO answer (job_id, key, reason, person_id, at) VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (job_id, key) DO UPDATE SET reason = $3, person_id = $4, at = $5`, a.JobID, a.Key, a.Reason, a.PersonID, a.At)
}

// Decision is what was decided of a job, and by what.
type Decision struct {
	ID        int64
	JobID     int64
	At        time.Time
	PersonID  *int64
	What      string
	MachineID *int64
	Known     rule.Known
	Rules     []RuleRef
	Answers   []Answered
}

// RuleRef is a version of a rule, and whether it raised something.
type RuleRef struct {
	ID     int64
	N      int
	Raised bool
}

// Answered is what was said to something that was found.
type Answered struct {
	Check  string
	Rule   string
	Text   string
	Reason string
	Person string
}

// AddDecision writes one.
func (q Q) AddDecision(ctx context.Context, d Decision) error {
	return q.exec(ctx, `INSERT INTO decision (job_id, at, person_id, what, machine_id, known, rules, answers) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
		d.JobID, d.At, d.PersonID, d.What, d.MachineID, d.Known, d.Rules, d.Answers)
}

// Decisions are those of a job, the first first.
func (q Q) Decisions(ctx context.Context, job int64) ([]Decision, error) {
	return all[Decision](ctx, q, `SELECT id, job_id, at, person_id, what, machine_id, known, rules, answers FROM decision WHERE job_id = $1 ORDER BY id`, job)
}

// Decided is a job of the past with what was known of it at its last decision.
type Decided struct {
	JobID int64
	Title string
	Known rule.Known
}

// LatelyDecided are the jobs that were decided on last, the latest first.
func (q Q) LatelyDecided(ctx context.Context, most int) ([]Decided, error) {
	return all[Decided](ctx, q, `SELECT d.job_id, j.title, d.known FROM decision d JOIN job j ON j.id = d.job_id
		WHERE NOT EXISTS (SELECT 1 FROM decision o WHERE o.job_id = d.job_id AND o.id > d.id) ORDER BY d.id DESC LIMIT $1`, most)
}

// Newcomers tell of each job still weighed whether its member has had nothing said yes to before, the member's club, and
// its purpose.
func (q Q) Newcomers(ctx context.Context) (first map[int64]bool, club, purpose map[int64]string, err error) {
	rows, err := all[struct {
		ID    int64
		First bool
		Club  string
		For   string
	}](ctx, q, `SELECT j.id, NOT EXISTS (SELECT 1 FROM job o WHERE o.member_id = j.member_id AND o.id <> j.id AND o.state IN ('being sliced', 'approved', 'in production', 'finishing', 'pick-up', 'fetched')), p.club, j.purpose
		FROM job j JOIN person p ON p.id = j.member_id WHERE j.state IN ('arrived', 'to decide')`)
	first, club, purpose = make(map[int64]bool, len(rows)), make(map[int64]string, len(rows)), make(map[int64]string, len(rows))
	for _, r := range rows {
		first[r.ID], club[r.ID], purpose[r.ID] = r.First, r.Club, r.For
	}
	return first, club, purpose, err
}

// LockRules keeps others from writing rules until the transaction ends.
func (q Q) LockRules(ctx context.Context) error {
	return q.exec(ctx, `LOCK TABLE rule IN SHARE ROW EXCLUSIVE MODE`)
}
