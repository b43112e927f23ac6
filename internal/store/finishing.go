package store

import (
	"context"
	"time"

	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/charge"
	"jobshelf/core/shop/finish"
)

// Finishing is how the house finishes parts, and how long they wait to be fetched.
type Finishing struct {
	Rules       []finish.StepRule
	FetchDays   int
	OwnFailures bool // a failed run of a program that a member sliced is the member's
}

// Finishing gives it.
func (q Q) Finishing(ctx context.Context) (Finishing, error) {
	return one[Finishing](ctx, q, `SELECT finishing, fetch_days, own_failures FROM house`)
}

// SetFinishing writes it.
func (q Q) SetFinishing(ctx context.Context, f Finishing) error {
	if f.Rules == nil {
		f.Rules = []finish.StepRule{}
	}
	return q.exec(ctx, `UPDATE house SET finishing = $1, fetch_days = $2, own_failures = $3`, f.Rules, f.FetchDays, f.OwnFailures)
}

// Step is a row: what is done with a job's parts after the machine.
type Step struct {
	ID       int64
	JobID    int64
	N        int
	Kind     string
	How      string
	HandsMin float64
	WaitMin  float64
	Cents    units.Cents
	State    string
	BegunAt  *time.Time
	EndsAt   *time.Time // by itself
	DoneAt   *time.Time
	Person   int64 // who said so last; 0: nobody has
	By       string
	Bath     int64 // the first step of those that lie in one bath; 0: none
}

const stepColumns = `SELECT s.id, s.job_id, s.n, s.kind, s.how, s.hands_min, s.wait_min, s.cents, s.state, s.begun_at, s.ends_at, s.done_at, coalesce(s.person_id, 0), coalesce(p.name, ''), coalesce(s.bath, 0)
	FROM step s LEFT JOIN person p ON p.id = s.person_id `

// Steps lists those of a job, in their order.
func (q Q) Steps(ctx context.Context, job int64) ([]Step, error) {
	return all[Step](ctx, q, stepColumns+`WHERE s.job_id = $1 ORDER BY s.n`, job)
}

// StepsNow lists those of all jobs that are being finished.
func (q Q) StepsNow(ctx context.Context) ([]Step, error) {
	return all[Step](ctx, q, stepColumns+`JOIN job j ON j.id = s.job_id WHERE j.state = 'finishing' ORDER BY s.job_id, s.n`)
}

// Step finds one.
func (q Q) Step(ctx context.Context, id int64) (Step, error) {
	return one[Step](ctx, q, stepColumns+`WHERE s.id = $1`, id)
}

// MakeSteps writes what a job's parts go through, in the place of what was before.
func (q Q) MakeSteps(ctx context.Context, job int64, steps []finish.Step) error {
	if err := q.exec(ctx, `DELETE FROM step WHERE job_id = $1`, job); err != nil {
		return err
	}
	for k, s := range steps {
		if err := q.exec(ctx, `INSERT INTO step (job_id, n, kind, how, hands_min, wait_min, cents, state) VALUES ($1, $2, $3, $4, $5, $6, $7, 'to do')`,
			job, k+1, s.Kind, s.How, s.HandsMin, s.WaitMin, s.Cents); err != nil {
			return err
		}
	}
	return nil
}

// SetStep writes where a step is.
func (q Q) SetStep(ctx context.Context, s Step) error {
	return q.exec(ctx, `UPDATE step SET state = $2, begun_at = $3, ends_at = $4, done_at = $5, person_id = nullif($6::bigint, 0), bath = nullif($7::bigint, 0) WHERE id = $1`,
		s.ID, s.State, s.BegunAt, s.EndsAt, s.DoneAt, s.Person, s.Bath)
}

// Pickup is where a job's parts wait, and by which code they are fetched.
type Pickup struct {
	JobID      int64
	Code       string
	Place      string
	ReadyAt    *time.Time
	RemindedAt *time.Time
}

// Pickup finds a job's; one with nothing in it where there is none.
func (q Q) Pickup(ctx context.Context, job int64) (Pickup, error) {
	rows, err := all[Pickup](ctx, q, `SELECT job_id, code, place, ready_at, reminded_at FROM pickup WHERE job_id = $1`, job)
	if err != nil || len(rows) == 0 {
		return Pickup{JobID: job}, err
	}
	return rows[0], nil
}

// Pickups are those of all jobs that are being finished, or wait to be fetched.
func (q Q) Pickups(ctx context.Context) ([]Pickup, error) {
	return all[Pickup](ctx, q, `SELECT u.job_id, u.code, u.place, u.ready_at, u.reminded_at FROM pickup u JOIN job j ON j.id = u.job_id WHERE j.state IN ('finishing', 'pick-up') ORDER BY 1`)
}

// PickupBy finds the job that is fetched by a code.
func (q Q) PickupBy(ctx context.Context, code string) (Pickup, error) {
	return one[Pickup](ctx, q, `SELECT job_id, code, place, ready_at, reminded_at FROM pickup WHERE code = $1`, code)
}

// SetPickup writes it.
func (q Q) SetPickup(ctx context.Context, p Pickup) error {
	return q.exec(ctx, `INSERT INTO pickup (job_id, code, place, ready_at, reminded_at) VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (job_id) DO UPDATE SET code = $2, place = $3, ready_at = $4, reminded_at = $5`, p.JobID, p.Code, p.Place, p.ReadyAt, p.RemindedAt)
}

// Charge is a line of the books of money.
type Charge struct {
	ID       int64
	At       time.Time
	Person   int64 // who wrote it; 0: the house itself
	By       string
	Member   int64
	JobID    int64 // 0: of none
	JobTitle string
	Kind     string
	Cents    units.Cents
	Why      problem.Phrase
}

const chargeColumns = `SELECT c.id, c.at, coalesce(c.person_id, 0), coalesce(p.name, ''), c.member_id, coalesce(c.job_id, 0), coalesce(j.title, ''), c.kind, c.cents, c.why
	FROM charge c LEFT JOIN person p ON p.id = c.person_id LEFT JOIN job j ON j.id = c.job_id `

// AddCharge adds a line.
func (q Q) AddCharge(ctx context.Context, at time.Time, person int64, l charge.Line) error {
	return q.exec(ctx, `INSERT INTO charge (at, person_id, member_id, job_id, kind, cents, why) VALUES ($1, nullif($2::bigint, 0), $3, nullif($4::bigint, 0), $5, $6, $7)`,
		at, person, l.Member, l.Job, l.Kind, l.Cents, l.Why)
}

// Charges are the lines of a member, the newest first.
func (q Q) Charges(ctx context.Context, member int64, most int) ([]Charge, error) {
	return all[Charge](ctx, q, chargeColumns+`WHERE c.member_id = $1 ORDER BY c.id DESC LIMIT $2`, member, most)
}

// ChargesOf are those of a job, the oldest first.
func (q Q) ChargesOf(ctx context.Context, job int64) ([]Charge, error) {
	return all[Charge](ctx, q, chargeColumns+`WHERE c.job_id = $1 ORDER BY c.id`, job)
}

// Owing is what somebody owes.
type Owing struct {
	Member int64
	Name   string
	Cents  units.Cents
}

// Balances are those of all who have lines, the most first.
func (q Q) Balances(ctx context.Context) ([]Owing, error) {
	return all[Owing](ctx, q, `SELECT c.member_id, p.name, sum(c.cents)::bigint FROM charge c JOIN person p ON p.id = c.member_id GROUP BY 1, 2 ORDER BY 3 DESC, 2`)
}

// OutcomesOf are all runs of a job that were ever started, with what the job's part of each was to cost.
func (q Q) OutcomesOf(ctx context.Context, job int64) ([]Run, error) {
	return all[Run](ctx, q, runColumns+`WHERE r.id IN (SELECT run_id FROM share WHERE job_id = $1) AND r.started_at IS NOT NULL ORDER BY r.id`, job)
}
