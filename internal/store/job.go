package store

import (
	"context"
	"errors"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/orient"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/revision"
)

// Job is a row with what a slip on the shelf shows of it besides its pieces.
type Job struct {
	ID         int64
	Title      string
	MemberID   int64
	MemberName string
	Purpose    string
	Wish       string
	Use        printability.Use
	NeededBy   *time.Time // a date
	State      string
	Reason     string
	CreatedAt  time.Time
	Revision   int
	TaskState  string // of its check
	TaskDoing  string
	Fraction   float32
	TaskError  string
	Yes        *job.Promise
}

const jobColumns = `SELECT j.id, title, member_id, p.name, purpose, wish, use, needed_by, j.state, reason, j.created_at, j.revision,
	t.state, t.doing, t.fraction, t.error, j.yes
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
	return all[Job](ctx, q, jobColumns+`WHERE j.state NOT IN ('fetched', 'left behind', 'sent back', 'withdrawn') AND ($1 = 0 OR member_id = $1) ORDER BY j.id`, member)
}

// AddJob makes a row in the state "arrived", with its check queued.
func (q Q) AddJob(ctx context.Context, j Job) (int64, error) {
	id, err := scalar[int64](ctx, q, `INSERT INTO job (title, member_id, purpose, wish, use, needed_by, state) VALUES ($1, $2, $3, $4, $5, $6, 'arrived') RETURNING id`,
		j.Title, j.MemberID, j.Purpose, j.Wish, j.Use, j.NeededBy)
	if err != nil {
		return 0, err
	}
	return id, q.exec(ctx, `INSERT INTO task (job_id, state) VALUES ($1, 'queued')`, id)
}

// Uses are what jobs that are still weighed are for, where that was said.
func (q Q) Uses(ctx context.Context) (map[int64]printability.Use, error) {
	rows, err := all[struct {
		ID  int64
		Use printability.Use
	}](ctx, q, `SELECT id, use FROM job WHERE state IN ('arrived', 'to decide') AND use <> '{}'`)
	out := make(map[int64]printability.Use, len(rows))
	for _, r := range rows {
		out[r.ID] = r.Use
	}
	return out, err
}

// SetUse writes what a job is for, and counts its revision up.
func (q Q) SetUse(ctx context.Context, id int64, u printability.Use) error {
	return q.exec(ctx, `UPDATE job SET use = $2, revision = revision + 1 WHERE id = $1`, id, u)
}

// SetState moves a job and counts its revision up.
func (q Q) SetState(ctx context.Context, id int64, state, reason string) error {
	return q.exec(ctx, `UPDATE job SET state = $2, reason = $3, revision = revision + 1 WHERE id = $1`, id, state, reason)
}

// SetYes writes what was said yes to.
func (q Q) SetYes(ctx context.Context, id int64, y *job.Promise) error {
	return q.exec(ctx, `UPDATE job SET yes = $2 WHERE id = $1`, id, y)
}

// JobsToRejudge lists the jobs whose verdict is still being weighed.
func (q Q) JobsToRejudge(ctx context.Context) ([]int64, error) {
	rows, err := all[struct{ ID int64 }](ctx, q, `SELECT id FROM job WHERE state IN ('arrived', 'to decide') ORDER BY id`)
	ids := make([]int64, len(rows))
	for i, r := range rows {
		ids[i] = r.ID
	}
	return ids, err
}

// Piece is a row with its current version, without its picture.
type Piece struct {
	ID      int64
	JobID   int64
	Name    string
	Copies  int
	Part    int // which of the file's models; -1 until the file has been read
	Unit    units.Length
	Current int
	BlobID  *int64 // nil until a repair is made
	Steps   []string
	Verdict *verdict.Verdict
	Problem string
	Seen    bool // has a picture
	ViewID  *int64
	// Judgement is the number of its verdict, another for every check; 0 without one.
	Judgement int64
	By        revision.Judged // by what it was given
	Stand     *orient.Stand   // as somebody wants it to stand; nil: as it prints best
	Nozzle    int             // lays it, counted from 1; 0: the recipe's
	// Done and Undone are how many changes can be taken back, and done again.
	Done, Undone int
	LeftOut      bool        // of its job, until it is put back
	Load         *[3]float64 // along which it is pulled in use, in the model's coordinates; nil: nobody said
}

// Stands is how a piece stands: as somebody wants it, else by its verdict.
func (p *Piece) Stands() orient.Stand {
	if p.Stand != nil {
		return p.Stand.Plain()
	}
	return p.Verdict.Stands()
}

// Model is the model of a piece that was judged, as it counts for what comes out of it.
func (p *Piece) Model() revision.Model {
	m := revision.Model{Unit: p.Verdict.Unit, Sized: p.Stands(), Nozzle: p.Nozzle}
	if p.BlobID != nil {
		m.File = *p.BlobID
	}
	if p.Current == 1 { // what was mended, or took another's place, is a file of one
		m.Part = max(0, p.Part)
	}
	return m
}

const pieceColumns = `SELECT p.id, job_id, name, copies, part, unit, current, v.blob_id, v.steps, v.verdict, v.problem, v.picture IS NOT NULL, v.view_id, v.judgement, v.judged_by, p.stand, p.nozzle, jsonb_array_length(p.done), jsonb_array_length(p.undone), p.left_out, p.load
	FROM piece p JOIN version v ON v.piece_id = p.id AND v.n = p.current `

// Pieces lists a job's, but for those that were left out.
func (q Q) Pieces(ctx context.Context, job int64) ([]Piece, error) {
	return all[Piece](ctx, q, pieceColumns+`WHERE job_id = $1 AND NOT p.left_out ORDER BY position`, job)
}

// LeftOut lists the pieces of a job that were left out.
func (q Q) LeftOut(ctx context.Context, job int64) ([]Piece, error) {
	return all[Piece](ctx, q, pieceColumns+`WHERE job_id = $1 AND p.left_out ORDER BY position`, job)
}

// OpenPieces lists the pieces of all jobs on the shelf, of one member if member is
// not 0, by job, without their verdicts; VerdictsOf reads those.
func (q Q) OpenPieces(ctx context.Context, member int64) ([]Piece, error) {
	return all[Piece](ctx, q, `SELECT p.id, job_id, name, copies, part, unit, current, v.blob_id, v.steps, NULL::jsonb, v.problem, v.picture IS NOT NULL, v.view_id, v.judgement, v.judged_by, p.stand, p.nozzle, jsonb_array_length(p.done), jsonb_array_length(p.undone), p.left_out, p.load
		FROM piece p JOIN version v ON v.piece_id = p.id AND v.n = p.current JOIN job j ON j.id = p.job_id
		WHERE NOT p.left_out AND j.state NOT IN ('fetched', 'left behind', 'sent back', 'withdrawn') AND ($1 = 0 OR j.member_id = $1) ORDER BY job_id, position`, member)
}

// VerdictsOf reads verdicts by the numbers of their judgements.
func (q Q) VerdictsOf(ctx context.Context, pieces []int64, judgements []int64) (map[int64]*verdict.Verdict, error) {
	type row struct {
		Judgement int64
		Verdict   *verdict.Verdict
	}
	rows, err := all[row](ctx, q, `SELECT judgement, verdict FROM version WHERE piece_id = ANY($1) AND judgement = ANY($2) AND verdict IS NOT NULL`, pieces, judgements)
	out := make(map[int64]*verdict.Verdict, len(rows))
	for _, r := range rows {
		out[r.Judgement] = r.Verdict
	}
	return out, err
}

// Piece finds one.
func (q Q) Piece(ctx context.Context, id int64) (Piece, error) {
	return one[Piece](ctx, q, pieceColumns+`WHERE p.id = $1`, id)
}

// AddPiece makes a row at the end of a job's pieces, with the file as it came as
// its first version.
func (q Q) AddPiece(ctx context.Context, p Piece) (int64, error) {
	id, err := scalar[int64](ctx, q, `INSERT INTO piece (job_id, position, name, copies, part, unit, stand, nozzle)
		VALUES ($1, coalesce((SELECT max(position) + 1 FROM piece WHERE job_id = $1), 1), $2, $3, $4, $5, $6, $7) RETURNING id`, p.JobID, p.Name, p.Copies, p.Part, p.Unit, p.Stand, p.Nozzle)
	if err != nil {
		return 0, err
	}
	return id, q.exec(ctx, `INSERT INTO version (piece_id, n, blob_id) VALUES ($1, 1, $2)`, id, p.BlobID)
}

// SetPiece writes what can be changed of a piece: name, copies, part, unit, the version that
// counts, how it stands, its nozzle, and whether it is left out.
func (q Q) SetPiece(ctx context.Context, p Piece) error {
	return q.exec(ctx, `UPDATE piece SET name = $2, copies = $3, part = $4, unit = $5, current = $6, stand = $7, nozzle = $8, left_out = $9, load = $10 WHERE id = $1`,
		p.ID, p.Name, p.Copies, p.Part, p.Unit, p.Current, p.Stand, p.Nozzle, p.LeftOut, p.Load)
}

// PieceState is what of a piece is changed and taken back.
type PieceState struct {
	Name    string
	Unit    units.Length
	Copies  int
	Current int
	Stand   *orient.Stand
	Nozzle  int
	LeftOut bool
	Load    *[3]float64
}

// State is how a piece is now.
func (p *Piece) State() PieceState {
	return PieceState{p.Name, p.Unit, p.Copies, p.Current, p.Stand, p.Nozzle, p.LeftOut, p.Load}
}

// Be makes a piece as it was.
func (p *Piece) Be(s PieceState) {
	p.Name, p.Unit, p.Copies, p.Current, p.Stand, p.Nozzle, p.LeftOut, p.Load = s.Name, s.Unit, s.Copies, s.Current, s.Stand, s.Nozzle, s.LeftOut, s.Load
}

// Undo is how a piece was before each change, the latest last, and after each that was taken back.
type Undo struct{ Done, Undone []PieceState }

// UndoOf reads a piece's.
func (q Q) UndoOf(ctx context.Context, piece int64) (Undo, error) {
	return one[Undo](ctx, q, `SELECT done, undone FROM piece WHERE id = $1`, piece)
}

// SetUndo writes a piece's.
func (q Q) SetUndo(ctx context.Context, piece int64, u Undo) error {
	return q.exec(ctx, `UPDATE piece SET done = $2, undone = $3 WHERE id = $1`, piece, u.Done, u.Undone)
}

// Version is a piece as it came or as it was mended.
type Version struct {
	PieceID int64
	N       int
	BlobID  *int64
	Steps   []string
	Log     []repair.Done
	At      time.Time
	Verdict *verdict.Verdict
	Problem string
	Seen    bool
	ViewID  *int64
	Origin  *int // that it was mended from; nil: a file as it was handed in
}

const versionColumns = `SELECT piece_id, n, blob_id, steps, log, at, verdict, problem, picture IS NOT NULL, view_id, origin FROM version `

// Versions lists those of all pieces of a job, by piece, as each came first.
func (q Q) Versions(ctx context.Context, job int64) ([]Version, error) {
	return all[Version](ctx, q, versionColumns+`WHERE piece_id IN (SELECT id FROM piece WHERE job_id = $1) ORDER BY piece_id, n`, job)
}

// Version finds one.
func (q Q) Version(ctx context.Context, piece int64, n int) (Version, error) {
	return one[Version](ctx, q, versionColumns+`WHERE piece_id = $1 AND n = $2`, piece, n)
}

// AddVersion makes a version that is still to be mended from another, and tells its number.
func (q Q) AddVersion(ctx context.Context, piece int64, origin int, steps []string) (int, error) {
	return scalar[int](ctx, q, `INSERT INTO version (piece_id, n, origin, steps) VALUES ($1, (SELECT max(n) + 1 FROM version WHERE piece_id = $1), $2, $3) RETURNING n`, piece, origin, steps)
}

// ReplaceFile makes a version of a file that takes the place of the one before, and tells its number.
func (q Q) ReplaceFile(ctx context.Context, piece, blob int64) (int, error) {
	return scalar[int](ctx, q, `INSERT INTO version (piece_id, n, blob_id) VALUES ($1, (SELECT max(n) + 1 FROM version WHERE piece_id = $1), $2) RETURNING n`, piece, blob)
}

// Judgement is what a check found about a version of a piece: a verdict with
// evidence and pictures, or the problem that kept it from being read; and what a
// repair made, if it was to be mended.
type Judgement struct {
	Verdict  *verdict.Verdict
	Evidence []finding.Evidence
	By       revision.Judged
	Problem  string
	Picture  []byte
	ViewID   *int64
	BlobID   *int64 // nil: it has one
	Log      []repair.Done
}

// SetJudgement writes it.
func (q Q) SetJudgement(ctx context.Context, piece int64, n int, j Judgement) error {
	if j.Log == nil {
		j.Log = []repair.Done{}
	}
	return q.exec(ctx, `UPDATE version SET judgement = nextval('judgement'), verdict = $3, evidence = $4, problem = $5, picture = $6, view_id = $7,
		judged_by = $10, log = CASE WHEN blob_id IS NULL THEN $9 ELSE log END, blob_id = coalesce(blob_id, $8) WHERE piece_id = $1 AND n = $2`,
		piece, n, j.Verdict, j.Evidence, j.Problem, j.Picture, j.ViewID, j.BlobID, j.Log, j.By)
}

// Picture is a version's picture, PNG.
func (q Q) Picture(ctx context.Context, piece int64, n int) ([]byte, error) {
	return scalar[[]byte](ctx, q, `SELECT picture FROM version WHERE piece_id = $1 AND n = $2 AND picture IS NOT NULL`, piece, n)
}

// Evidence is what the findings on a version are drawn with; nil if there is none.
func (q Q) Evidence(ctx context.Context, piece int64, n int) ([]finding.Evidence, error) {
	return scalar[[]finding.Evidence](ctx, q, `SELECT coalesce(evidence, '[]') FROM version WHERE piece_id = $1 AND n = $2`, piece, n)
}

// Task is the check of a job.
type Task struct {
	State   string
	Round   int
	QueueID int64
	Tries   int // how often it was begun
}

// TaskOf finds a job's check.
func (q Q) TaskOf(ctx context.Context, job int64) (Task, error) {
	return one[Task](ctx, q, `SELECT state, round, queue_id, tries FROM task WHERE job_id = $1`, job)
}

// LockTask finds a job's check and keeps others from changing it.
func (q Q) LockTask(ctx context.Context, job int64) (Task, error) {
	return one[Task](ctx, q, `SELECT state, round, queue_id, tries FROM task WHERE job_id = $1 FOR UPDATE`, job)
}

// SetTask writes the state of a check.
func (q Q) SetTask(ctx context.Context, job int64, state, failure string) error {
	return q.exec(ctx, `UPDATE task SET state = $2, error = $3, doing = '', fraction = CASE WHEN $2 = 'done' THEN 1 ELSE 0 END WHERE job_id = $1`, job, state, failure)
}

// RenewTask queues a check again as a new round and tells the round.
func (q Q) RenewTask(ctx context.Context, job int64) (int, error) {
	return scalar[int](ctx, q, `UPDATE task SET state = 'queued', error = '', doing = '', fraction = 0, tries = 0, round = round + 1 WHERE job_id = $1 RETURNING round`, job)
}

// SetTaskQueueID remembers where in the work queue a check is.
func (q Q) SetTaskQueueID(ctx context.Context, job, queueID int64) error {
	return q.exec(ctx, `UPDATE task SET queue_id = $2 WHERE job_id = $1`, job, queueID)
}

// BeginTask counts a try of a round of a check and tells how many there were; a
// round that is over or cancelled begins no more.
func (q Q) BeginTask(ctx context.Context, job int64, round int) (int, error) {
	n, err := scalar[int](
		ctx,
		q,
		`UPDATE task SET state = 'running', doing = '', tries = tries + 1 WHERE job_id = $1 AND round = $2 AND state IN ('queued', 'running') RETURNING tries`,
		job,
		round,
	)
	if errors.Is(err, ErrNotFound) {
		err = ErrChanged
	}
	return n, err
}

// RequeueTask takes a round that was begun back to the queue. uncount is for a try
// that was only interrupted.
func (q Q) RequeueTask(ctx context.Context, job int64, round int, uncount bool) error {
	return q.exec(
		ctx,
		`UPDATE task SET state = 'queued', tries = tries - CASE WHEN $3 THEN 1 ELSE 0 END WHERE job_id = $1 AND round = $2 AND state = 'running'`,
		job,
		round,
		uncount,
	)
}

// Progress writes how far a round of a check is; a round that is over or
// cancelled takes no more.
func (q Q) Progress(ctx context.Context, job int64, round int, doing string, fraction float64) error {
	return q.changed(ctx, `UPDATE task SET state = 'running', doing = $3, fraction = $4 WHERE job_id = $1 AND round = $2 AND state IN ('queued', 'running')`,
		job, round, doing, fraction)
}

// Ended is a job that is in nobody's hands any more.
type Ended struct {
	ID         int64
	Title      string
	MemberName string
	Purpose    string
	State      string
	Reason     string
	EndedAt    time.Time
}

// EndedJobs are those that were sent back or withdrawn, the latest first; with words, those that were fetched, too, of
// which each word is somewhere in what is known of the job. Of one member if member is not 0.
func (q Q) EndedJobs(ctx context.Context, member int64, words []string, most int) ([]Ended, error) {
	if words == nil {
		words = []string{}
	}
	return all[Ended](ctx, q, `SELECT * FROM (
			SELECT j.id, j.title, p.name, j.purpose, j.state, j.reason, coalesce((SELECT max(e.at) FROM event e WHERE e.job_id = j.id), j.created_at) AS ended
			FROM job j JOIN person p ON p.id = j.member_id LEFT JOIN (SELECT job_id, string_agg(name, ' ') AS names FROM piece GROUP BY job_id) x ON x.job_id = j.id
			CROSS JOIN LATERAL (SELECT lower(concat_ws(' ', j.id, j.title, p.name, j.purpose, j.wish, j.reason, j.state, x.names)) AS text OFFSET 0) known
			WHERE (j.state IN ('sent back', 'withdrawn', 'left behind') OR j.state = 'fetched' AND cardinality($2::text[]) > 0) AND ($1 = 0 OR j.member_id = $1)
			AND NOT EXISTS (SELECT 1 FROM unnest($2::text[]) w WHERE position(lower(w) IN known.text) = 0)
		) e ORDER BY ended DESC, id DESC LIMIT $3`, member, words, most)
}
