package store

import (
	"context"
	"errors"
	"time"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shop/price"
	"jobshelf/core/shop/revision"
)

// Slice is a row: a job sliced for a machine, all its models with their copies; or plates of several
// jobs put together on one.
type Slice struct {
	ID        int64
	JobID     int64 // 0 where it is of plates of several
	MachineID int64
	Label     string
	BaseID    *int64
	Overrides []recipe.Override
	Pieces    []revision.Piece
	Chosen    bool
	State     string
	Fraction  float32
	Error     string
	QueueID   int64
	Full      *price.Full // of all its plates
	Notes     []string
	Overhangs []slicing.Overhang // each names its piece by where it is in Pieces
	At        time.Time
	Tries     int // how often it was begun
	Made      revision.Made
	Waits     string  // why it still waits, where that is not its turn
	Joins     []int64 // the plates that it puts together, by number; the first is the one that others are put beside
	RunID     int64   // what it makes the program of: of those plates, the copies that came out bad; 0: none
}

const sliceColumns = `SELECT id, coalesce(job_id, 0), machine_id, label, base_id, overrides, pieces, chosen, state, fraction, error, queue_id,
	full_estimate, notes, regions, at, tries, made, waits, joins, coalesce(run_id, 0) FROM slice `

// Slices lists a job's, oldest first.
func (q Q) Slices(ctx context.Context, job int64) ([]Slice, error) {
	return all[Slice](ctx, q, sliceColumns+`WHERE job_id = $1 ORDER BY id`, job)
}

// JointsAgainst lists those that are held against slices of a job, with plates of other jobs.
func (q Q) JointsAgainst(ctx context.Context, job int64) ([]Slice, error) {
	return all[Slice](ctx, q, sliceColumns+`WHERE job_id IS NULL AND base_id IN (SELECT id FROM slice WHERE job_id = $1) ORDER BY id`, job)
}

// JointsOf lists those that put some of these plates together with others, oldest first.
func (q Q) JointsOf(ctx context.Context, plates []int64) ([]Slice, error) {
	return all[Slice](ctx, q, sliceColumns+`WHERE job_id IS NULL AND joins && $1 ORDER BY id`, plates)
}

// Slice finds one.
func (q Q) Slice(ctx context.Context, id int64) (Slice, error) {
	return one[Slice](ctx, q, sliceColumns+`WHERE id = $1`, id)
}

// LockSlice finds one and keeps others from changing it.
func (q Q) LockSlice(ctx context.Context, id int64) (Slice, error) {
	return one[Slice](ctx, q, sliceColumns+`WHERE id = $1 FOR UPDATE`, id)
}

// AddSlice makes a row that is queued.
func (q Q) AddSlice(ctx context.Context, s Slice, person int64) (int64, error) {
	if s.Overrides == nil {
		s.Overrides = []recipe.Override{}
	}
	for i := range s.Pieces {
		if s.Pieces[i].SupportMarks == nil {
			s.Pieces[i].SupportMarks = []slicing.SupportMark{}
		}
	}
	if s.Joins == nil {
		s.Joins = []int64{}
	}
	return scalar[int64](ctx, q, `INSERT INTO slice (job_id, machine_id, label, base_id, overrides, pieces, person_id, joins, run_id)
		VALUES (nullif($1::bigint, 0), $2, $3, $4, $5, $6, nullif($7::bigint, 0), $8, nullif($9::bigint, 0)) RETURNING id`,
		s.JobID, s.MachineID, s.Label, s.BaseID, s.Overrides, s.Pieces, person, s.Joins, s.RunID)
}

// Plate is a row: a plate of a slice, with its program.
type Plate struct {
	ID         int64
	SliceID    int64
	N          int
	Alike      *int // the number of the plate that all but the copies' numbers is as of
	Spots      []slicing.Spot
	Full       *price.Full
	LayersID   *int64
	GCodeID    *int64
	StandingID *int64 // 3MF of the parts as they stand
}

// AddPlate makes a row of a slice that has come to its end.
func (q Q) AddPlate(ctx context.Context, p Plate) error {
	return q.exec(ctx, `INSERT INTO plate (slice_id, n, alike, spots, full_estimate, layers_id, gcode_id, standing_id) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
		p.SliceID, p.N, p.Alike, p.Spots, p.Full, p.LayersID, p.GCodeID, p.StandingID)
}

// Plates lists those of a slice; what is alike comes with what it is alike.
func (q Q) Plates(ctx context.Context, slice int64) ([]Plate, error) {
	return all[Plate](ctx, q, `SELECT p.id, p.slice_id, p.n, p.alike, p.spots, a.full_estimate, a.layers_id, a.gcode_id, a.standing_id
		FROM plate p JOIN plate a ON a.slice_id = p.slice_id AND a.n = coalesce(p.alike, p.n) WHERE p.slice_id = $1 ORDER BY p.n`, slice)
}

// Plate finds one; what is alike comes with what it is alike.
func (q Q) Plate(ctx context.Context, id int64) (Plate, error) {
	return one[Plate](ctx, q, `SELECT p.id, p.slice_id, p.n, p.alike, p.spots, a.full_estimate, a.layers_id, a.gcode_id, a.standing_id
		FROM plate p JOIN plate a ON a.slice_id = p.slice_id AND a.n = coalesce(p.alike, p.n) WHERE p.id = $1`, id)
}

// PlatesOfSlices lists the plates of a job's slices, without their figures by layer.
func (q Q) PlatesOfSlices(ctx context.Context, job int64) ([]Plate, error) {
	return all[Plate](ctx, q, `SELECT p.id, p.slice_id, p.n, p.alike, p.spots, p.full_estimate, p.layers_id, p.gcode_id, p.standing_id
		FROM plate p JOIN slice s ON s.id = p.slice_id WHERE s.job_id = $1 ORDER BY p.slice_id, p.n`, job)
}

// SetSliceQueueID remembers where in the work queue a slice is.
func (q Q) SetSliceQueueID(ctx context.Context, id, queueID int64) error {
	return q.exec(ctx, `UPDATE slice SET queue_id = $2 WHERE id = $1`, id, queueID)
}

// SliceProgress writes how far it is; one that is over or cancelled takes no more.
func (q Q) SliceProgress(ctx context.Context, id int64, fraction float64) error {
	return q.changed(ctx, `UPDATE slice SET state = 'running', fraction = $2 WHERE id = $1 AND state IN ('queued', 'running')`, id, fraction)
}

// EndSlice writes the end of one that is not over yet.
func (q Q) EndSlice(ctx context.Context, s Slice) error {
	if s.Notes == nil {
		s.Notes = []string{}
	}
	if s.Overhangs == nil {
		s.Overhangs = []slicing.Overhang{}
	}
	return q.changed(ctx, `UPDATE slice SET state = $2, error = $3, full_estimate = $4, notes = $5, regions = $6, made = $7,
		fraction = CASE WHEN $2 = 'done' THEN 1 ELSE fraction END WHERE id = $1 AND state IN ('queued', 'running')`,
		s.ID, s.State, s.Error, s.Full, s.Notes, s.Overhangs, s.Made)
}

// ChooseSlice makes one the one that counts for its job.
func (q Q) ChooseSlice(ctx context.Context, s Slice) error {
	return q.exec(ctx, `UPDATE slice SET chosen = (id = $1) WHERE job_id = $2`, s.ID, s.JobID)
}

// NameSlice sets what a slice is called.
func (q Q) NameSlice(ctx context.Context, id int64, name string) error {
	return q.exec(ctx, `UPDATE slice SET label = $2 WHERE id = $1`, id, name)
}

// InUse says that a slice, or one that is an alternative to it, is at work, was chosen, or was run.
func (q Q) InUse(ctx context.Context, id int64) (bool, error) {
	return scalar[bool](ctx, q, `SELECT EXISTS (SELECT FROM slice s WHERE (s.id = $1 OR s.base_id = $1) AND (s.chosen OR s.state IN ('queued', 'running')
		OR EXISTS (SELECT FROM plate p WHERE p.slice_id = s.id AND (EXISTS (SELECT FROM run r WHERE r.plate_id = p.id) OR EXISTS (SELECT FROM share h WHERE h.plate_id = p.id)))))`, id)
}

// RemoveSlice takes a slice away, with those that are alternatives to it, and those that put plates of it
// together with others'; what was stored of them is swept later.
func (q Q) RemoveSlice(ctx context.Context, id int64) error {
	const joints = `job_id IS NULL AND joins && (SELECT coalesce(array_agg(p.id), '{}') FROM plate p JOIN slice o ON o.id = p.slice_id WHERE o.id = $1 OR o.base_id = $1)`
	for _, sql := range []string{
		`DELETE FROM plate WHERE slice_id IN (SELECT id FROM slice WHERE ` + joints + `)`,
		`DELETE FROM slice WHERE ` + joints,
		`DELETE FROM plate p USING slice s WHERE p.slice_id = s.id AND (s.id = $1 OR s.base_id = $1)`,
		`DELETE FROM slice WHERE base_id = $1`,
		`DELETE FROM slice WHERE id = $1`,
	} {
		if err := q.exec(ctx, sql, id); err != nil {
			return err
		}
	}
	return nil
}

// UnchooseSlices lets none of a job's slices be the one that was chosen.
func (q Q) UnchooseSlices(ctx context.Context, job int64) error {
	return q.exec(ctx, `UPDATE slice SET chosen = false WHERE job_id = $1 AND chosen`, job)
}

// BeginSlice counts a try of a slice and tells how many there were; one that is over
// begins no more.
func (q Q) BeginSlice(ctx context.Context, id int64) (int, error) {
	n, err := scalar[int](ctx, q, `UPDATE slice SET state = 'running', waits = '', tries = tries + 1 WHERE id = $1 AND state IN ('queued', 'running') RETURNING tries`, id)
	if errors.Is(err, ErrNotFound) {
		err = ErrChanged
	}
	return n, err
}

// RequeueSlice takes one that was begun back to the queue. uncount is for a try that
// was only interrupted.
func (q Q) RequeueSlice(ctx context.Context, id int64, uncount bool) error {
	return q.exec(ctx, `UPDATE slice SET state = 'queued', tries = tries - CASE WHEN $2 THEN 1 ELSE 0 END WHERE id = $1 AND state = 'running'`, id, uncount)
}

// AgainSlice queues one once more that was set aside or failed.
func (q Q) AgainSlice(ctx context.Context, id int64) error {
	return q.changed(ctx, `UPDATE slice SET state = 'queued', error = '', fraction = 0, tries = 0 WHERE id = $1 AND state IN ('set aside', 'failed')`, id)
}

// Counting is what may count of a slice on a shelf: its machine and its figures, without those
// of each layer.
type Counting struct {
	ID        int64
	JobID     int64
	MachineID int64
	Chosen    bool
	Full      *price.Full
	Overrides []recipe.Override
	Pieces    []revision.Piece
	Made      revision.Made
	Purpose   string // of its job
}

// CountingSlices gives what may count for open jobs, or for one job if it is not 0: slices that are
// done, were chosen or have no overrides, the latest first.
func (q Q) CountingSlices(ctx context.Context, job int64) ([]Counting, error) {
	return all[Counting](ctx, q, `SELECT s.id, s.job_id, s.machine_id, s.chosen, s.full_estimate - 'by_layer', s.overrides, s.pieces, s.made, j.purpose
		FROM job j JOIN slice s ON s.job_id = j.id
		WHERE s.state = 'done' AND (s.chosen OR s.overrides = '[]') AND CASE WHEN $1 = 0 THEN j.state NOT IN ('fetched', 'left behind', 'sent back', 'withdrawn') ELSE j.id = $1 END
		ORDER BY s.job_id, s.id DESC`, job)
}
