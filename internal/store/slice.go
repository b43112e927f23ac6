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

// Slice is a row: a piece sliced for a machine.
type Slice struct {
	ID           int64
	PieceID      int64
	Version      int
	MachineID    int64
	Label        string
	BaseID       *int64
	Overrides    []recipe.Override
	SupportMarks []slicing.SupportMark
	Scale        float64
	Tip          slicing.Tip
	Chosen       bool
	State        string
	Fraction     float32
	Error        string
	QueueID      int64
	Full         *price.Full
	Notes        []string
	Overhangs    []slicing.Overhang
	LayersID     *int64
	GCodeID      *int64
	PlateID      *int64 // 3MF of the part as it stands
	At           time.Time
	Tries        int // how often it was begun
	Made         revision.Made
}

const sliceColumns = `SELECT id, piece_id, version, machine_id, label, base_id, overrides, marks, scale, tip, chosen, state, fraction, error, queue_id,
	full_estimate, notes, regions, layers_id, gcode_id, plate_id, at, tries, made FROM slice `

// Slices lists a piece's, oldest first.
func (q Q) Slices(ctx context.Context, piece int64) ([]Slice, error) {
	return all[Slice](ctx, q, sliceColumns+`WHERE piece_id = $1 ORDER BY id`, piece)
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
	if s.SupportMarks == nil {
		s.SupportMarks = []slicing.SupportMark{}
	}
	return scalar[int64](ctx, q, `INSERT INTO slice (piece_id, version, machine_id, label, base_id, overrides, marks, scale, tip, person_id)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, nullif($10::bigint, 0)) RETURNING id`,
		s.PieceID, s.Version, s.MachineID, s.Label, s.BaseID, s.Overrides, s.SupportMarks, s.Scale, s.Tip, person)
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
	return q.changed(ctx, `UPDATE slice SET state = $2, error = $3, full_estimate = $4, notes = $5, layers_id = $6, gcode_id = $7, plate_id = $8, regions = $9, made = $10,
		fraction = CASE WHEN $2 = 'done' THEN 1 ELSE fraction END WHERE id = $1 AND state IN ('queued', 'running')`,
		s.ID, s.State, s.Error, s.Full, s.Notes, s.LayersID, s.GCodeID, s.PlateID, s.Overhangs, s.Made)
}

// ChooseSlice makes one the one that counts for its piece on its machine.
func (q Q) ChooseSlice(ctx context.Context, s Slice) error {
	return q.exec(ctx, `UPDATE slice SET chosen = (id = $1) WHERE piece_id = $2`, s.ID, s.PieceID)
}

// BeginSlice counts a try of a slice and tells how many there were; one that is over
// begins no more.
func (q Q) BeginSlice(ctx context.Context, id int64) (int, error) {
	n, err := scalar[int](ctx, q, `UPDATE slice SET state = 'running', tries = tries + 1 WHERE id = $1 AND state IN ('queued', 'running') RETURNING tries`, id)
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

// Chosen is what counts of a slice on a shelf: its machine and its figures, without
// those of each layer.
type Chosen struct {
	PieceID   int64
	MachineID int64
	Full      *price.Full
	Overrides []recipe.Override
	Made      revision.Made
	Purpose   string // of its job
}

// ChosenSlices gives what counts for pieces of open jobs, of one job if it is not 0,
// where it is done and of the version that counts.
func (q Q) ChosenSlices(ctx context.Context, job int64) (map[int64]Chosen, error) {
	rows, err := all[Chosen](ctx, q, `SELECT s.piece_id, s.machine_id, s.full_estimate - 'by_layer', s.overrides, s.made, j.purpose
		FROM job j JOIN piece p ON p.job_id = j.id JOIN slice s ON s.piece_id = p.id AND s.version = p.current
		WHERE s.chosen AND s.state = 'done' AND CASE WHEN $1 = 0 THEN j.step NOT IN ('fetched', 'sent back') ELSE j.id = $1 END`, job)
	out := make(map[int64]Chosen, len(rows))
	for _, r := range rows {
		out[r.PieceID] = r
	}
	return out, err
}
