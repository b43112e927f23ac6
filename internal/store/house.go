package store

import (
	"context"
	"strings"

	"golang.org/x/text/unicode/norm"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/planning"
)

// House is the house's own settings.
type House struct {
	Name          string
	Locale        string
	Currency      string
	TimeZone      string
	Week          [7][]planning.Span
	AttendanceMin int
	StartCents    units.Cents
	LongestRunMin int
	FilePattern   string
	SoonerCents   units.Cents
	Revision      int
}

// House gives the settings.
func (q Q) House(ctx context.Context) (House, error) {
	return one[House](ctx, q, `SELECT name, locale, currency, time_zone, week, attendance_min, start_cents, longest_run_min, file_pattern, sooner_cents, revision FROM house`)
}

// SetHouse writes the settings if h.Version is still theirs; revision 0 makes
// the first.
func (q Q) SetHouse(ctx context.Context, h House) error {
	if h.Revision == 0 {
		return q.exec(ctx, `INSERT INTO house (id, name, locale, currency, time_zone, week, attendance_min, start_cents, longest_run_min, file_pattern, sooner_cents)
			VALUES (1, $1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`, h.Name, h.Locale, h.Currency, h.TimeZone, h.Week, h.AttendanceMin, h.StartCents, h.LongestRunMin, h.FilePattern, h.SoonerCents)
	}
	return q.changed(ctx, `UPDATE house SET name = $1, locale = $2, currency = $3, time_zone = $4, week = $5,
		attendance_min = $6, start_cents = $7, longest_run_min = $8, file_pattern = $10, sooner_cents = $11, revision = revision + 1 WHERE revision = $9`,
		h.Name, h.Locale, h.Currency, h.TimeZone, h.Week, h.AttendanceMin, h.StartCents, h.LongestRunMin, h.Revision, h.FilePattern, h.SoonerCents)
}

// Machine, Material and Recipe are the core's, with their rows' numbers.
type Machine struct {
	ID       int64
	Revision int
	Data     machine.Machine
}

// Material is a row.
type Material struct {
	ID       int64
	Revision int
	Data     machine.Material
}

// Recipe is a row.
type Recipe struct {
	ID                    int64
	Revision              int
	MachineID, MaterialID int64
	Data                  recipe.Recipe
}

// Machines lists all, in the order they were set up.
func (q Q) Machines(ctx context.Context) ([]Machine, error) {
	return all[Machine](ctx, q, `SELECT id, revision, data FROM machine ORDER BY id`)
}

// Materials lists all by name.
func (q Q) Materials(ctx context.Context) ([]Material, error) {
	return all[Material](ctx, q, `SELECT id, revision, data FROM material ORDER BY name`)
}

// Recipes lists all, by machine and purpose. The names of machine and material
// are those of today, whatever they were when the recipe was written.
func (q Q) Recipes(ctx context.Context) ([]Recipe, error) {
	return all[Recipe](ctx, q, `SELECT r.id, r.revision, machine_id, material_id,
		r.data || jsonb_build_object('machine', m.name, 'material', t.name)
		FROM recipe r JOIN machine m ON m.id = machine_id JOIN material t ON t.id = material_id ORDER BY machine_id, r.id`)
}

// AddMachine, AddMaterial and AddRecipe make new rows.
func (q Q) AddMachine(ctx context.Context, m machine.Machine) (int64, error) {
	return scalar[int64](ctx, q, `INSERT INTO machine (name, data) VALUES ($1, $2) RETURNING id`, m.Name, m)
}

// AddMaterial makes a new row.
func (q Q) AddMaterial(ctx context.Context, m machine.Material) (int64, error) {
	return scalar[int64](ctx, q, `INSERT INTO material (name, data) VALUES ($1, $2) RETURNING id`, m.Name, m)
}

// AddRecipe makes a new row.
func (q Q) AddRecipe(ctx context.Context, machineID, materialID int64, r recipe.Recipe) (int64, error) {
	return scalar[int64](ctx, q, `INSERT INTO recipe (machine_id, material_id, purpose, data) VALUES ($1, $2, $3, $4) RETURNING id`,
		machineID, materialID, r.Purpose, r)
}

// SetMachine, SetMaterial and SetRecipe write a row if the revision is still its.
func (q Q) SetMachine(ctx context.Context, m Machine) error {
	return q.changed(ctx, `UPDATE machine SET name = $3, data = $4, revision = revision + 1 WHERE id = $1 AND revision = $2`,
		m.ID, m.Revision, m.Data.Name, m.Data)
}

// SetMaterial writes a row if the revision is still its.
func (q Q) SetMaterial(ctx context.Context, m Material) error {
	return q.changed(ctx, `UPDATE material SET name = $3, data = $4, revision = revision + 1 WHERE id = $1 AND revision = $2`,
		m.ID, m.Revision, m.Data.Name, m.Data)
}

// SetRecipe writes a row if the revision is still its; machine and purpose stay.
func (q Q) SetRecipe(ctx context.Context, r Recipe) error {
	return q.changed(ctx, `UPDATE recipe SET material_id = $3, data = $4, revision = revision + 1 WHERE id = $1 AND revision = $2`,
		r.ID, r.Revision, r.MaterialID, r.Data)
}

// Person is somebody of the house.
type Person struct {
	ID     int64
	Login  string
	Name   string
	Role   string
	Hash   string
	Closed bool   // may not sign in any more
	Club   string // which group they belong to, of whom rules may ask; empty: none
}

const personColumns = `SELECT id, login, name, role, password_hash, closed_at IS NOT NULL, club FROM person `

// PersonByLogin and PersonByID find one.
func (q Q) PersonByLogin(ctx context.Context, login string) (Person, error) {
	return one[Person](ctx, q, personColumns+`WHERE login = $1`, CanonicalLogin(login))
}

// CanonicalLogin is a login however it is spelled: without blanks around it, in
// lower case, in one of the ways that Unicode has for its letters.
func CanonicalLogin(login string) string {
	return strings.ToLower(norm.NFKC.String(strings.TrimSpace(login)))
}

// PersonByID finds one.
func (q Q) PersonByID(ctx context.Context, id int64) (Person, error) {
	return one[Person](ctx, q, personColumns+`WHERE id = $1`, id)
}

// People lists all by name, those left out whose accounts are closed.
func (q Q) People(ctx context.Context) ([]Person, error) {
	return all[Person](ctx, q, personColumns+`WHERE closed_at IS NULL ORDER BY name`)
}

// AddPerson makes a row; the login is kept as CanonicalLogin has it.
func (q Q) AddPerson(ctx context.Context, p Person) (int64, error) {
	return scalar[int64](ctx, q, `INSERT INTO person (login, name, role, password_hash) VALUES ($1, $2, $3, $4) RETURNING id`,
		CanonicalLogin(p.Login), p.Name, p.Role, p.Hash)
}

// LockPeople keeps others from changing people until the transaction ends, so that
// one steward is always left.
func (q Q) LockPeople(ctx context.Context) error {
	return q.exec(ctx, `SELECT pg_advisory_xact_lock(7005)`)
}

// SetPerson writes role, password and whether the account is closed.
func (q Q) SetPerson(ctx context.Context, p Person) error {
	return q.exec(ctx, `UPDATE person SET role = $2, password_hash = $3,
		closed_at = CASE WHEN $4 THEN coalesce(closed_at, now()) END WHERE id = $1`, p.ID, p.Role, p.Hash, p.Closed)
}

// SetGroup writes which group somebody belongs to.
func (q Q) SetGroup(ctx context.Context, id int64, group string) error {
	return q.exec(ctx, `UPDATE person SET club = $2 WHERE id = $1`, id, group)
}

// Storage is what files take.
type Storage struct {
	Mine, All int64 // bytes
}

// Storage adds up the files of a person's jobs and uploads, and of the house.
func (q Q) Storage(ctx context.Context, person int64) (Storage, error) {
	return one[Storage](ctx, q, `SELECT
		(SELECT coalesce(sum(size), 0) FROM blob WHERE id IN (
			SELECT v.blob_id FROM job j JOIN piece p ON p.job_id = j.id JOIN version v ON v.piece_id = p.id WHERE j.member_id = $1 AND v.origin IS NULL
			UNION SELECT blob_id FROM upload WHERE person_id = $1))::bigint,
		(SELECT coalesce(sum(size), 0) FROM blob)::bigint`, person)
}
