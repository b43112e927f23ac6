package store

import (
	"context"
	"time"

	"jobshelf/core/units"
	"jobshelf/core/verdict"
)

// Job is a row with what a slip on the shelf shows of it besides its pieces.
type Job struct {
	ID         int64
	Title      string
	MemberID   int64
	MemberName string
	Purpose    string
	Wish       string
	NeededBy   *time.Time // a date
	Step       string
	Reason     string
	CreatedAt  time.Time
	Version    int
	TaskState  string // of its check
	TaskDoing  string
	Fraction   float32
	TaskError  string
}

const jobColumns = `SELECT j.id, title, member_id, p.name, purpose, wish, needed_by, step, reason, j.created_at, j.version,
	t.state, t.doing, t.fraction, t.error
	FROM job j JOIN person p ON p.id = member_id JOIN task t ON t.job_id = j.id `

// Job finds one.
func (q Q) Job(ctx context.Context, id int64) (Job, error) {
	return one[Job](ctx, q, jobColumns+`WHERE j.id = $1`, id)
}

// LockJob finds one and keeps others from changing it until the transaction ends.
func (q Q) LockJob(ctx context.Context, id int64) (Job, error) {
	if _, err := scalar[int64](ctx, q, `SELECT id FROM job WHERE id = $1 FOR UPDATE`, id); err != nil {
		return Job{}, err
	}
	return q.Job(ctx, id)
}

// OpenJobs lists those on the shelf, oldest first; of one member if member is
// not 0.
func (q Q) OpenJobs(ctx context.Context, member int64) ([]Job, error) {
	return all[Job](ctx, q, jobColumns+`WHERE step NOT IN ('fetched', 'sent back') AND ($1 = 0 OR member_id = $1) ORDER BY j.id`, member)
}

// AddJob makes a row at the step "arrived", with its check queued.
func (q Q) AddJob(ctx context.Context, j Job) (int64, error) {
	id, err := scalar[int64](ctx, q, `INSERT INTO job (title, member_id, purpose, wish, needed_by, step) VALUES ($1, $2, $3, $4, $5, 'arrived') RETURNING id`,
		j.Title, j.MemberID, j.Purpose, j.Wish, j.NeededBy)
	if err != nil {
		return 0, err
	}
	return id, q.exec(ctx, `INSERT INTO task (job_id, state) VALUES ($1, 'queued')`, id)
}

// SetStep moves a job and counts its version up.
func (q Q) SetStep(ctx context.Context, id int64, step, reason string) error {
	return q.exec(ctx, `UPDATE job SET step = $2, reason = $3, version = version + 1 WHERE id = $1`, id, step, reason)
}

// JobsToRejudge lists the jobs whose verdict is still being weighed.
func (q Q) JobsToRejudge(ctx context.Context) ([]int64, error) {
	rows, err := all[struct{ ID int64 }](ctx, q, `SELECT id FROM job WHERE step IN ('arrived', 'to decide') ORDER BY id`)
	ids := make([]int64, len(rows))
	for i, r := range rows {
		ids[i] = r.ID
	}
	return ids, err
}

// Piece is a row without its picture.
type Piece struct {
	ID      int64
	JobID   int64
	Name    string
	Copies  int
	BlobID  int64
	Verdict *verdict.Verdict
	Problem string
	Seen    bool // has a picture
	ViewID  *int64
}

const pieceColumns = `SELECT id, job_id, name, copies, blob_id, verdict, problem, picture IS NOT NULL, view_id FROM piece `

// Pieces lists a job's.
func (q Q) Pieces(ctx context.Context, job int64) ([]Piece, error) {
	return all[Piece](ctx, q, pieceColumns+`WHERE job_id = $1 ORDER BY position`, job)
}

// OpenPieces lists the pieces of all jobs on the shelf, by job.
func (q Q) OpenPieces(ctx context.Context) (map[int64][]Piece, error) {
	rows, err := all[Piece](ctx, q, pieceColumns+`WHERE job_id IN (SELECT id FROM job WHERE step NOT IN ('fetched', 'sent back')) ORDER BY job_id, position`)
	out := map[int64][]Piece{}
	for _, p := range rows {
		out[p.JobID] = append(out[p.JobID], p)
	}
	return out, err
}

// Piece finds one.
func (q Q) Piece(ctx context.Context, id int64) (Piece, error) {
	return one[Piece](ctx, q, pieceColumns+`WHERE id = $1`, id)
}

// AddPiece makes a row.
func (q Q) AddPiece(ctx context.Context, job int64, position int, name string, copies int, blob int64) error {
	return q.exec(ctx, `INSERT INTO piece (job_id, position, name, copies, blob_id) VALUES ($1, $2, $3, $4, $5)`, job, position, name, copies, blob)
}

// SetVerdict writes what a check found about a piece: a verdict with pictures,
// or the problem that kept it from being read.
func (q Q) SetVerdict(ctx context.Context, piece int64, v *verdict.Verdict, problem string, picture []byte, view *int64) error {
	return q.exec(ctx, `UPDATE piece SET verdict = $2, problem = $3, picture = $4, view_id = $5 WHERE id = $1`, piece, v, problem, picture, view)
}

// Picture is a piece's picture, PNG.
func (q Q) Picture(ctx context.Context, piece int64) ([]byte, error) {
	return scalar[[]byte](ctx, q, `SELECT picture FROM piece WHERE id = $1 AND picture IS NOT NULL`, piece)
}

// Task is the check of a job.
type Task struct {
	State   string
	Round   int
	QueueID int64
}

// LockTask finds a job's check and keeps others from changing it.
func (q Q) LockTask(ctx context.Context, job int64) (Task, error) {
	return one[Task](ctx, q, `SELECT state, round, queue_id FROM task WHERE job_id = $1 FOR UPDATE`, job)
}

// SetTask writes the state of a check.
func (q Q) SetTask(ctx context.Context, job int64, state, failure string) error {
	return q.exec(ctx, `UPDATE task SET state = $2, error = $3, doing = '', fraction = CASE WHEN $2 = 'done' THEN 1 ELSE 0 END WHERE job_id = $1`, job, state, failure)
}

// RenewTask queues a check again as a new round and tells the round.
func (q Q) RenewTask(ctx context.Context, job int64) (int, error) {
	return scalar[int](ctx, q, `UPDATE task SET state = 'queued', error = '', doing = '', fraction = 0, round = round + 1 WHERE job_id = $1 RETURNING round`, job)
}

// SetTaskQueueID remembers where in the work queue a check is.
func (q Q) SetTaskQueueID(ctx context.Context, job, queueID int64) error {
	return q.exec(ctx, `UPDATE task SET queue_id = $2 WHERE job_id = $1`, job, queueID)
}

// Progress writes how far a round of a check is; a round that is over or
// cancelled takes no more.
func (q Q) Progress(ctx context.Context, job int64, round int, doing string, fraction float64) error {
	return q.changed(ctx, `UPDATE task SET state = 'running', doing = $3, fraction = $4 WHERE job_id = $1 AND round = $2 AND state IN ('queued', 'running')`,
		job, round, doing, fraction)
}

// HistoryEntry is a line of a job's history.
type HistoryEntry struct {
	ID   int64
	At   time.Time
	Who  string // empty: the program
	What string
	Why  string
}

// AddHistory writes a line; job 0 is the house, person 0 the program.
func (q Q) AddHistory(ctx context.Context, job, person int64, what, why string) error {
	return q.exec(ctx, `INSERT INTO history (job_id, person_id, what, why) VALUES (nullif($1::bigint, 0), nullif($2::bigint, 0), $3, $4)`, job, person, what, why)
}

// History lists a job's lines, oldest first.
func (q Q) History(ctx context.Context, job int64) ([]HistoryEntry, error) {
	return all[HistoryEntry](ctx, q, `SELECT h.id, at, coalesce(p.name, ''), what, why FROM history h LEFT JOIN person p ON p.id = person_id
		WHERE job_id = $1 ORDER BY h.id`, job)
}

// Run is a row with the title of its job.
type Run struct {
	ID         int64
	JobID      int64
	JobTitle   string
	MemberName string
	MachineID  int64
	Position   int
	Recipe     string
	Material   string
	Colour     string
	Seconds    float64
	Grams      float64
	PriceCents units.Cents
	State      string
	StartedAt  *time.Time
	NeededBy   *time.Time
	JobVersion int
}

const runColumns = `SELECT r.id, job_id, j.title, p.name, machine_id, position, recipe, material, colour, seconds, grams, price_cents, state, started_at, j.needed_by, j.version
	FROM run r JOIN job j ON j.id = job_id JOIN person p ON p.id = j.member_id `

// Lanes lists all runs that are queued or printing, by machine and place.
func (q Q) Lanes(ctx context.Context) ([]Run, error) {
	return all[Run](ctx, q, runColumns+`WHERE state <> 'finished' ORDER BY machine_id, position, r.id`)
}

// Run finds one; RunOfJob finds a job's.
func (q Q) Run(ctx context.Context, id int64) (Run, error) {
	return one[Run](ctx, q, runColumns+`WHERE r.id = $1`, id)
}

// RunOfJob finds a job's run.
func (q Q) RunOfJob(ctx context.Context, job int64) (Run, error) {
	return one[Run](ctx, q, runColumns+`WHERE job_id = $1`, job)
}

// LockLanes keeps others from changing the order of any lane until the
// transaction ends. Reordering takes a few milliseconds, so one lock for all is
// simpler than one a machine, and cannot deadlock.
func (q Q) LockLanes(ctx context.Context) error {
	return q.exec(ctx, `SELECT pg_advisory_xact_lock(7001)`)
}

// AddRun appends a run to its machine's lane.
func (q Q) AddRun(ctx context.Context, r Run) (int64, error) {
	return scalar[int64](ctx, q, `INSERT INTO run (job_id, machine_id, position, recipe, material, colour, seconds, grams, price_cents, state)
		VALUES ($1, $2, coalesce((SELECT max(position) + 1 FROM run WHERE machine_id = $2), 1), $3, $4, $5, $6, $7, $8, 'queued') RETURNING id`,
		r.JobID, r.MachineID, r.Recipe, r.Material, r.Colour, r.Seconds, r.Grams, r.PriceCents)
}

// PlaceRun writes where a run is and what it takes there.
func (q Q) PlaceRun(ctx context.Context, r Run) error {
	return q.exec(ctx, `UPDATE run SET machine_id = $2, position = $3, recipe = $4, material = $5, colour = $6, seconds = $7, grams = $8, price_cents = $9 WHERE id = $1`,
		r.ID, r.MachineID, r.Position, r.Recipe, r.Material, r.Colour, r.Seconds, r.Grams, r.PriceCents)
}

// SetRunState moves a run on; a start is noted with its time.
func (q Q) SetRunState(ctx context.Context, id int64, state string, at time.Time) error {
	return q.exec(ctx, `UPDATE run SET state = $2, started_at = CASE WHEN $2 = 'printing' THEN $3 ELSE started_at END WHERE id = $1`, id, state, at)
}
