package store

import (
	"context"
	"slices"
	"strings"
	"time"

	"jobshelf/core/print/wire"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// Run is a row: one print of a plate on a machine, with whose parts lie on it.
type Run struct {
	ID        int64
	MachineID int64
	Position  int
	Recipe    string
	Material  string
	Colour    string
	Seconds   float64
	Grams     float64
	State     string
	StartedAt *time.Time
	Reason    string    // why it failed
	AfterID   *int64    // the one that failed before it
	PlateID   *int64    // nil: a program sliced elsewhere, or a run of before there were plates
	GCodeID   *int64    // its program; nil: to be sliced before the start
	Since     time.Time // it came to its state
	Checked   *Checked
	Wants     string         // what somebody has asked of its machine, that it has not done yet
	WantedBy  int64          // 0: nobody
	Why       problem.Phrase // it waits, is lost or could not be sent
	Watcher   int64          // who is to see its first layers; 0: nobody
	WatchedBy string
	Seen      int64 // who has
	Layer     int   // that is laid, from 1
	DoneShare float64
	Heats     []wire.Heat // what was heated how much when it paused
	Bad       []int       // which of its plate's copies came out bad, counted from 0
	ClearedAt *time.Time  // somebody said that the bed is clear
	// Shares are what of it is each job's; none only where it was cancelled for others' sake.
	Shares []Share
}

// Checked is who said yes to which points of a run's checklist.
type Checked struct {
	Person int64
	Name   string
	At     time.Time
	Points []string
}

// Share is what of a run is a job's.
type Share struct {
	JobID       int64
	JobTitle    string
	JobRevision int
	MemberName  string
	NeededBy    *time.Time
	PlateID     *int64 // of its own slice, where it would lie alone; nil as the run's
	Plate       int    // that plate's number of its slice, and how many there are; 0 without a plate
	Plates      int
	Seconds     float64
	Grams       float64
	PriceCents  units.Cents // as the yes was
}

// Of is a job's share; nil where it has none.
func (r *Run) Of(job int64) *Share {
	k := slices.IndexFunc(r.Shares, func(s Share) bool { return s.JobID == job })
	if k < 0 {
		return nil
	}
	return &r.Shares[k]
}

// Title is the titles of all whose parts lie on it.
func (r *Run) Title() string {
	all := make([]string, len(r.Shares))
	for i, s := range r.Shares {
		all[i] = s.JobTitle
	}
	return strings.Join(all, " + ")
}

const runColumns = `SELECT r.id, r.machine_id, r.position, r.recipe, r.material, r.colour, r.seconds, r.grams, r.state, r.started_at, r.reason, r.after_id, r.plate_id, r.gcode_id,
	r.since, r.checked, r.wants, coalesce(r.wanted_by, 0), r.why, coalesce(r.watcher_id, 0), coalesce((SELECT name FROM person WHERE id = r.watcher_id), ''), coalesce(r.seen_id, 0),
	r.layer, r.done_share, r.heats, r.bad, r.cleared_at,
	coalesce((SELECT jsonb_agg(jsonb_build_object('JobID', h.job_id, 'JobTitle', j.title, 'JobRevision', j.revision, 'MemberName', p.name,
			'NeededBy', to_char(j.needed_by, 'YYYY-MM-DD"T00:00:00Z"'), 'PlateID', h.plate_id, 'Plate', coalesce(l.n, 0),
			'Plates', CASE WHEN l.id IS NULL THEN 0 ELSE (SELECT count(*) FROM plate o WHERE o.slice_id = l.slice_id) END,
			'Seconds', h.seconds, 'Grams', h.grams, 'PriceCents', h.price_cents) ORDER BY h.n)
		FROM share h JOIN job j ON j.id = h.job_id JOIN person p ON p.id = j.member_id LEFT JOIN plate l ON l.id = h.plate_id WHERE h.run_id = r.id), '[]')
	FROM run r `

// Lanes lists all runs that wait for a machine or are on one, by machine and place.
func (q Q) Lanes(ctx context.Context) ([]Run, error) {
	return all[Run](ctx, q, runColumns+`WHERE r.state NOT IN ('off the machine', 'stopped', 'failed', 'cancelled') ORDER BY machine_id, position, r.id`)
}

// Run finds one.
func (q Q) Run(ctx context.Context, id int64) (Run, error) {
	return one[Run](ctx, q, runColumns+`WHERE r.id = $1`, id)
}

// RunsOffLanes lists the runs of open jobs that are off the machine.
func (q Q) RunsOffLanes(ctx context.Context) ([]Run, error) {
	return all[Run](ctx, q, runColumns+`WHERE r.state = 'off the machine' AND EXISTS (SELECT FROM share h JOIN job j ON j.id = h.job_id
		WHERE h.run_id = r.id AND j.state NOT IN ('fetched', 'left behind', 'sent back', 'withdrawn'))`)
}

// RunsOfJob lists those with a share of a job but what was stopped, failed or was cancelled: what is on a machine, then
// what waits, as they stand in their lanes, then what is off the machine.
func (q Q) RunsOfJob(ctx context.Context, job int64) ([]Run, error) {
	return all[Run](ctx, q, runColumns+`WHERE r.id IN (SELECT run_id FROM share WHERE job_id = $1) AND r.state NOT IN ('stopped', 'failed', 'cancelled')
		ORDER BY CASE r.state WHEN 'ready' THEN 2 WHEN 'planned' THEN 2 WHEN 'off the machine' THEN 3 ELSE 1 END, machine_id, position, r.id`, job)
}

// LockLanes keeps others from changing the order of any lane until the
// transaction ends. Reordering takes a few milliseconds, so one lock for all is
// simpler than one a machine, and cannot deadlock.
func (q Q) LockLanes(ctx context.Context) error {
	return q.exec(ctx, `SELECT pg_advisory_xact_lock(7001)`)
}

// AddRun adds a run with its shares at its place in its machine's lane; 0 is the end.
func (q Q) AddRun(ctx context.Context, r Run) (int64, error) {
	id, err := scalar[int64](ctx, q, `INSERT INTO run (machine_id, position, recipe, material, colour, seconds, grams, state, after_id, plate_id, gcode_id)
		VALUES ($1, coalesce(nullif($2, 0), (SELECT max(position) + 1 FROM run WHERE machine_id = $1), 1), $3, $4, $5, $6, $7, 'planned', $8, $9, $10) RETURNING id`,
		r.MachineID, r.Position, r.Recipe, r.Material, r.Colour, r.Seconds, r.Grams, r.AfterID, r.PlateID, r.GCodeID)
	if err != nil {
		return 0, err
	}
	return id, q.setShares(ctx, id, r.Shares)
}

// SetPlate gives a run another plate, with whose parts lie on it.
func (q Q) SetPlate(ctx context.Context, r Run) error {
	if err := q.exec(ctx, `UPDATE run SET plate_id = $2, gcode_id = $3, seconds = $4, grams = $5 WHERE id = $1`, r.ID, r.PlateID, r.GCodeID, r.Seconds, r.Grams); err != nil {
		return err
	}
	return q.setShares(ctx, r.ID, r.Shares)
}

func (q Q) setShares(ctx context.Context, run int64, all []Share) error {
	if err := q.exec(ctx, `DELETE FROM share WHERE run_id = $1`, run); err != nil {
		return err
	}
	for n, s := range all {
		if err := q.exec(ctx, `INSERT INTO share (run_id, n, job_id, plate_id, seconds, grams, price_cents) VALUES ($1, $2, $3, $4, $5, $6, $7)`,
			run, n+1, s.JobID, s.PlateID, s.Seconds, s.Grams, s.PriceCents); err != nil {
			return err
		}
	}
	return nil
}

// PlaceRun writes where in its lane a run is.
func (q Q) PlaceRun(ctx context.Context, id int64, position int) error {
	return q.exec(ctx, `UPDATE run SET position = $2 WHERE id = $1`, id, position)
}

// SetRunState moves a run on. What was asked of its machine is done or void by that; a start is noted with its time, a
// failure with its reason.
func (q Q) SetRunState(ctx context.Context, id int64, state string, at time.Time, reason string) error {
	return q.exec(ctx, `UPDATE run SET state = $2, since = $3, wants = '', wanted_by = NULL, why = '{}', reason = $4,
		started_at = CASE WHEN started_at IS NULL AND $2 IN ('sending', 'heating') THEN $3 ELSE started_at END,
		checked = CASE WHEN $2 = 'planned' THEN NULL ELSE checked END WHERE id = $1`, id, state, at, reason)
}

// SetRunCourse writes what a run needs on its way: all but its state and its place.
func (q Q) SetRunCourse(ctx context.Context, r Run) error {
	if r.Bad == nil {
		r.Bad = []int{}
	}
	if r.Heats == nil {
		r.Heats = []wire.Heat{}
	}
	return q.exec(ctx, `UPDATE run SET checked = $2, wants = $3, wanted_by = nullif($4::bigint, 0), why = $5, watcher_id = nullif($6::bigint, 0), seen_id = nullif($7::bigint, 0),
		layer = $8, done_share = $9, heats = $10, bad = $11 WHERE id = $1`, r.ID, r.Checked, r.Wants, r.WantedBy, r.Why, r.Watcher, r.Seen, r.Layer, r.DoneShare, r.Heats, r.Bad)
}

// ToClear are the runs of a machine that came off it since its bed was last said to be clear.
func (q Q) ToClear(ctx context.Context, machine int64) ([]Run, error) {
	return all[Run](ctx, q, runColumns+`WHERE r.machine_id = $1 AND r.cleared_at IS NULL AND r.state IN ('off the machine', 'stopped', 'failed') AND r.started_at IS NOT NULL ORDER BY r.id`, machine)
}

// AllToClear are those of all machines.
func (q Q) AllToClear(ctx context.Context) ([]Run, error) {
	return all[Run](ctx, q, runColumns+`WHERE r.cleared_at IS NULL AND r.state IN ('off the machine', 'stopped', 'failed') AND r.started_at IS NOT NULL ORDER BY r.id`)
}

// Clear says that the bed of a machine is clear of a run.
func (q Q) Clear(ctx context.Context, run, person int64, at time.Time) error {
	return q.exec(ctx, `UPDATE run SET cleared_at = $2, cleared_id = nullif($3::bigint, 0) WHERE id = $1`, run, at, person)
}

// RunOn is what is on a machine, or about to be sent to it.
func (q Q) RunOn(ctx context.Context, machine int64) (Run, error) {
	return one[Run](ctx, q, runColumns+`WHERE r.machine_id = $1 AND r.state IN ('sending', 'heating', 'first layers', 'printing', 'paused', 'paused cold', 'lost', 'cooling')`, machine)
}

// RunProgress writes how far a run is, if its machine still has this owner.
func (q Q) RunProgress(ctx context.Context, id, fence int64, layer int, share float64) error {
	return q.exec(ctx, `UPDATE run r SET layer = $3, done_share = $4 FROM device d WHERE r.id = $1 AND d.machine_id = r.machine_id AND d.fence = $2`, id, fence, layer, share)
}

// LastOnFloor is when a run came to its state last; zero where none ever has.
func (q Q) LastOnFloor(ctx context.Context) (time.Time, error) {
	return scalar[time.Time](ctx, q, `SELECT coalesce(max(since), 'epoch') FROM run`)
}
