package store

import (
	"context"
	"time"

	"jobshelf/core/print/estimate"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/spool"
)

// Spool is a row: a reel of filament, with the sums of its books.
type Spool struct {
	ID         int64
	MaterialID int64
	Material   string // as it is called today
	Colour     string
	ColourName string
	Lot        string
	Place      string
	Reel       units.Milligrams // the empty reel's own weight
	Full       units.Milligrams // on it when it came
	State      string
	MachineID  *int64
	Nozzle     int
	ReceivedAt time.Time
	OpenedAt   *time.Time
	DriedAt    *time.Time
	LoadedAt   *time.Time
	Revision   int
	Left       units.Milligrams
	Held       units.Milligrams
}

const spoolColumns = `SELECT s.id, s.material_id, m.data->>'name', s.colour, s.colour_name, s.lot, s.place, s.reel_mg, s.full_mg, s.state, s.machine_id, s.nozzle, s.received_at, s.opened_at, s.dried_at,
	s.loaded_at, s.revision, b.left_mg, b.held_mg
	FROM spool s JOIN material m ON m.id = s.material_id CROSS JOIN LATERAL (SELECT coalesce(sum(left_mg), 0)::bigint AS left_mg, coalesce(sum(held_mg), 0)::bigint AS held_mg FROM gram WHERE spool_id = s.id) b `

// Spools lists those that are not retired, and not empty for longer than since.
func (q Q) Spools(ctx context.Context, since time.Time) ([]Spool, error) {
	return all[Spool](ctx, q, spoolColumns+`WHERE s.state <> 'retired' AND (s.state <> 'empty' OR EXISTS (SELECT FROM gram g WHERE g.spool_id = s.id AND g.at > $1)) ORDER BY 3, s.id`, since)
}

// Spool finds one.
func (q Q) Spool(ctx context.Context, id int64) (Spool, error) {
	return one[Spool](ctx, q, spoolColumns+`WHERE s.id = $1`, id)
}

// AddSpool makes a row.
func (q Q) AddSpool(ctx context.Context, s Spool) (int64, error) {
	return scalar[int64](ctx, q, `INSERT INTO spool (material_id, colour, colour_name, lot, place, reel_mg, full_mg, state, received_at) VALUES ($1, $2, $3, $4, $5, $6, $7, 'sealed', $8) RETURNING id`,
		s.MaterialID, s.Colour, s.ColourName, s.Lot, s.Place, s.Reel, s.Full, s.ReceivedAt)
}

// SetSpool writes what of it can change, if the revision is still its.
func (q Q) SetSpool(ctx context.Context, s Spool) error {
	return q.changed(ctx, `UPDATE spool SET place = $3, reel_mg = $4, state = $5, machine_id = $6, nozzle = $7, opened_at = $8, dried_at = $9, loaded_at = $10, revision = revision + 1
		WHERE id = $1 AND revision = $2`, s.ID, s.Revision, s.Place, s.Reel, s.State, s.MachineID, s.Nozzle, s.OpenedAt, s.DriedAt, s.LoadedAt)
}

// Gram is a line of the books of filament.
type Gram struct {
	ID       int64
	At       time.Time
	Person   int64 // 0: a machine, or the house itself
	Name     string
	Spool    int64 // 0: none
	Run      int64 // 0: of none
	Nozzle   int
	Material string
	Kind     string
	Left     units.Milligrams
	Held     units.Milligrams
	Why      problem.Phrase
}

// AddGrams adds lines to the books.
func (q Q) AddGrams(ctx context.Context, at time.Time, person int64, lines []spool.Entry) error {
	for _, e := range lines {
		if err := q.exec(ctx, `INSERT INTO gram (at, person_id, spool_id, run_id, nozzle, material, kind, left_mg, held_mg, why)
			VALUES ($1, nullif($2::bigint, 0), nullif($3::bigint, 0), nullif($4::bigint, 0), $5, $6, $7, $8, $9, $10)`, at, person, e.Spool, e.Run, e.Nozzle, e.Material, e.Kind, e.Left, e.Held, e.Why); err != nil {
			return err
		}
	}
	return nil
}

// GramsOf are the last lines of a spool, the newest first.
func (q Q) GramsOf(ctx context.Context, spool int64, most int) ([]Gram, error) {
	return all[Gram](ctx, q, `SELECT g.id, g.at, coalesce(g.person_id, 0), coalesce(p.name, ''), coalesce(g.spool_id, 0), coalesce(g.run_id, 0), g.nozzle, g.material, g.kind, g.left_mg, g.held_mg, g.why
		FROM gram g LEFT JOIN person p ON p.id = g.person_id WHERE g.spool_id = $1 ORDER BY g.id DESC LIMIT $2`, spool, most)
}

// Holding is what a nozzle of a run takes, has taken, and is promised.
type Holding struct {
	Run      int64
	Nozzle   int
	Material string
	Spool    int64 // 0: none is chosen
	Held     units.Milligrams
	Used     units.Milligrams
}

// Holdings are those of all runs that wait or are on a machine, and of all that anything is still promised to.
func (q Q) Holdings(ctx context.Context) ([]Holding, error) {
	return all[Holding](ctx, q, `SELECT g.run_id, g.nozzle, g.material, coalesce(g.spool_id, 0), coalesce(sum(g.held_mg), 0)::bigint, coalesce(-sum(g.left_mg) FILTER (WHERE g.kind = 'used'), 0)::bigint
		FROM gram g JOIN run r ON r.id = g.run_id WHERE r.holds OR r.state NOT IN ('off the machine', 'stopped', 'failed', 'cancelled')
		GROUP BY 1, 2, 3, 4 ORDER BY 1, 2, 4`)
}

// UsedBy is what a run has used by the books, by nozzle.
func (q Q) UsedBy(ctx context.Context, run int64) (map[int]units.Milligrams, error) {
	type row struct {
		Nozzle int
		MG     units.Milligrams
	}
	rows, err := all[row](ctx, q, `SELECT nozzle, -sum(left_mg)::bigint FROM gram WHERE run_id = $1 AND kind = 'used' GROUP BY nozzle`, run)
	out := map[int]units.Milligrams{}
	for _, r := range rows {
		out[r.Nozzle] = r.MG
	}
	return out, err
}

// SetHolds says whether anything is promised to a run.
func (q Q) SetHolds(ctx context.Context, run int64, holds bool) error {
	return q.exec(ctx, `UPDATE run SET holds = $2 WHERE id = $1`, run, holds)
}

// PlateNozzles is what each nozzle lays on the plate of a run, of those that wait or are on a machine.
type PlateNozzles struct {
	Run     int64
	Nozzles []estimate.NozzleUse
}

// NozzlesInLanes finds them.
func (q Q) NozzlesInLanes(ctx context.Context) ([]PlateNozzles, error) {
	return all[PlateNozzles](ctx, q, `SELECT r.id, coalesce(a.full_estimate->'nozzles', '[]') FROM run r JOIN plate p ON p.id = r.plate_id
		JOIN plate a ON a.slice_id = p.slice_id AND a.n = coalesce(p.alike, p.n) WHERE r.state NOT IN ('off the machine', 'stopped', 'failed', 'cancelled')`)
}
