package store_test

import (
	"bytes"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"testing"
	"testing/iotest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

func count(t *testing.T, s *store.Store, sql string) (n int) {
	t.Helper()
	require.NoError(t, s.Pool.QueryRow(ctx, sql).Scan(&n))
	return n
}

// Files come back byte for byte, whatever their size against the chunk's, and
// the same content is kept once.
func TestBlobs(t *testing.T) {
	s := pgtest.New(t)
	for _, size := range []int{0, 1, 1<<20 - 1, 1 << 20, 1<<20 + 1, 3<<20 + 77} {
		data := make([]byte, size)
		rand.Read(data)
		b, err := s.PutBlob(ctx, iotest.HalfReader(bytes.NewReader(data)))
		require.NoError(t, err)
		assert.EqualValues(t, size, b.Size)
		middle := make([]byte, size/2)
		n, err := s.BlobReader(ctx, b.ID).ReadAt(middle, int64(size/3))
		require.NoError(t, err)
		require.True(t, bytes.Equal(data[size/3:size/3+n], middle), "at any place")
		back := s.BlobReader(ctx, b.ID)
		for _, at := range []int{size - 1, 0} { // a later chunk, and an earlier one again
			one := make([]byte, 1)
			if _, err := back.ReadAt(one, int64(max(0, at))); size > 0 && assert.NoError(t, err) {
				assert.Equal(t, data[at], one[0])
			}
		}
		got, err := io.ReadAll(s.BlobReader(ctx, b.ID))
		require.NoError(t, err)
		assert.True(t, bytes.Equal(data, got), "%d bytes differ", size)
		again, err := s.PutBlob(ctx, bytes.NewReader(data))
		require.NoError(t, err)
		assert.Equal(t, b, again)
	}
	assert.Equal(t, 6, count(t, s, `SELECT count(*) FROM blob`))
}

// An upload that breaks off leaves nothing behind.
func TestBrokenUploadLeavesNothing(t *testing.T) {
	s := pgtest.New(t)
	gone := errors.New("connection lost")
	_, err := s.PutBlob(ctx, io.MultiReader(bytes.NewReader(make([]byte, 2<<20)), iotest.ErrReader(gone)))
	assert.ErrorIs(t, err, gone)
	assert.Zero(t, count(t, s, `SELECT count(*) FROM blob`))
	assert.Zero(t, count(t, s, `SELECT count(*) FROM blob_chunk`))
}

func TestSweepKeepsWhatIsUsed(t *testing.T) {
	s := pgtest.New(t)
	person, err := s.AddPerson(ctx, store.Person{Login: "A", Name: "A", Role: "member"})
	require.NoError(t, err)
	put := func(text string) int64 {
		b, err := s.PutBlob(ctx, bytes.NewReader([]byte(text)))
		require.NoError(t, err)
		return b.ID
	}
	used, uploaded := put("used"), put("uploaded")
	put("orphan")
	job, err := s.AddJob(ctx, store.Job{Title: "x", MemberID: person, Purpose: "everyday"})
	require.NoError(t, err)
	_, err = s.AddPiece(ctx, store.Piece{JobID: job, Name: "x.stl", Copies: 1, Part: -1, BlobID: &used})
	require.NoError(t, err)
	_, err = s.AddUpload(ctx, uploaded, "y.stl", person)
	require.NoError(t, err)
	require.NoError(t, s.SweepBlobs(ctx, time.Hour))
	assert.Equal(t, 3, count(t, s, `SELECT count(*) FROM blob`), "nothing is old yet")
	require.NoError(t, s.SweepBlobs(ctx, -time.Hour))
	assert.Equal(t, 1, count(t, s, `SELECT count(*) FROM blob`), "only what a job uses stays")
}

func TestNamesAreGuarded(t *testing.T) {
	s := pgtest.New(t)
	_, err := s.AddPerson(ctx, store.Person{Login: "Same", Name: "A", Role: "member"})
	require.NoError(t, err)
	_, err = s.AddPerson(ctx, store.Person{Login: "same", Name: "B", Role: "member"})
	assert.ErrorIs(t, err, store.ErrTaken)
	_, err = s.Job(ctx, 99)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestSignalsArriveWhenTheTransactionCommits(t *testing.T) {
	s := pgtest.New(t)
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	got, ready := make(chan store.Signal, 10), make(chan struct{})
	go func() { _ = s.Listen(ctx, func() { close(ready) }, func(e store.Signal) { got <- e }) }()
	<-ready
	undone := errors.New("undone")
	err := s.InTx(ctx, func(tx *store.Tx) error {
		tx.Tell(store.Event{Kind: store.OfHouse, What: "undone"})
		require.NoError(t, tx.Notify(ctx, store.Signal{Kind: "progress", Job: 1}))
		return undone
	})
	require.ErrorIs(t, err, undone)
	require.NoError(t, s.InTx(ctx, func(tx *store.Tx) error { return tx.Notify(ctx, store.Signal{Kind: "progress", Job: 2}) }))
	assert.EqualValues(t, 2, (<-got).Job, "the first was rolled back")
	require.NoError(t, s.InTx(ctx, func(tx *store.Tx) error {
		tx.Tell(store.Event{Kind: store.OfHouse, What: "done"})
		return nil
	}))
	assert.Equal(t, store.OfEvents, (<-got).Kind)
	assert.Equal(t, 1, count(t, s, `SELECT count(*)::int FROM event`))
}

// Transactions that overlap and commit in the other order: a reader who goes by the numbers
// never passes one that is still to come, whenever it looks.
func TestEventsComeInTheOrderOfCommits(t *testing.T) {
	s := pgtest.New(t)
	one := func(what string, begun chan<- struct{}, end <-chan struct{}) chan error {
		done := make(chan error, 1)
		go func() {
			done <- s.InTx(ctx, func(tx *store.Tx) error {
				tx.Tell(store.Event{Kind: store.OfHouse, What: what})
				if _, err := tx.Raw().Exec(ctx, `SELECT 1`); err != nil { // it has begun
					return err
				}
				begun <- struct{}{}
				<-end
				return nil
			})
		}()
		return done
	}
	begun, first, second := make(chan struct{}), make(chan struct{}), make(chan struct{})
	a := one("began first", begun, first)
	<-begun
	b := one("began second", begun, second)
	<-begun
	close(second)
	require.NoError(t, <-b)
	seen, err := s.ChangesAfter(ctx, 0, 9)
	require.NoError(t, err)
	require.Len(t, seen, 1)
	close(first)
	require.NoError(t, <-a)
	later, err := s.ChangesAfter(ctx, seen[0].ID, 9)
	require.NoError(t, err)
	require.Len(t, later, 1, "what began before, and ended later, comes later")

	// Many at a time, with a reader that never stops looking: it reads each, once, in order.
	const writers, each = 8, 25
	errs := make(chan error, writers)
	for w := range writers {
		go func() {
			var err error
			for k := range each {
				err = errors.Join(err, s.InTx(ctx, func(tx *store.Tx) error {
					for range 1 + k%3 {
						tx.Tell(store.Event{Kind: store.OfHouse, What: fmt.Sprint(w)})
					}
					_, err := tx.Raw().Exec(ctx, `SELECT pg_sleep($1)`, float64((w*k)%5)/1000)
					return err
				}))
			}
			errs <- err
		}()
	}
	at, read, left := later[0].ID, 0, writers
	for left > 0 || read < writers*(9+8*2+8*3) {
		select {
		case err := <-errs:
			require.NoError(t, err)
			left--
		default:
		}
		all, err := s.ChangesAfter(ctx, at, 7)
		require.NoError(t, err)
		for _, c := range all {
			require.Greater(t, c.ID, at)
			at = c.ID
			read++
		}
		if left == 0 && len(all) == 0 {
			break
		}
	}
	assert.Equal(t, count(t, s, `SELECT count(*)::int FROM event`)-2, read)
}

// A house from before 0 was a value keeps what its recipes meant.
func TestOldZerosAreLeftOut(t *testing.T) {
	s := pgtest.New(t)
	require.NoError(t, s.MigrateDownTo(ctx, 3))
	for _, sql := range []string{
		`INSERT INTO machine (name, data) VALUES ('Bowline', '{}')`,
		`INSERT INTO material (name, data) VALUES ('PLA', '{}')`,
		`INSERT INTO recipe (machine_id, material_id, purpose, data) SELECT m.id, t.id, 'everyday',
			'{"support_drop_mm": 0, "support_roof": 0, "support_gap_mm": 0.7, "bridge_mm_per_s": 0}' FROM machine m, material t`,
	} {
		_, err := s.Pool.Exec(ctx, sql)
		require.NoError(t, err)
	}
	require.NoError(t, s.Migrate(ctx))
	all, err := s.Recipes(ctx)
	require.NoError(t, err)
	require.Len(t, all, 1)
	r := all[0].Data
	assert.Nil(t, r.SupportVerticalGapMM)
	assert.Nil(t, r.SupportInterface)
	assert.Equal(t, new(0.7), r.SupportHorizontalGapMM)
}

// What had other names before keeps its values under the trade's, and gets the old ones back
// where the database is taken back.
func TestOldNamesAreCarriedOver(t *testing.T) {
	s := pgtest.New(t)
	require.NoError(t, s.MigrateDownTo(ctx, 6))
	const (
		old   = `{"hold": "brim", "cap_mm_per_s": 60, "least_layer_s": 8, "support_roof": 3, "support_drop_mm": 0.2, "support_gap_mm": 0.7, "seam": "aligned", "shells": 2}`
		fresh = `{"bed_adhesion": "brim", "top_bottom_mm_per_s": 60, "min_layer_time_s": 8, "support_interface_layers": 3, "support_vertical_gap_mm": 0.2, "support_horizontal_gap_mm": 0.7, "seam": "in one line", "shells": 2}`
		by    = `[{"key": "seam", "was": "rear", "value": "nearest", "why": "a"}, {"key": "hold", "was": "nearest", "value": "raft", "why": "b"}, {"key": "shells", "value": "3"}]`
		over  = `[{"key": "seam", "was": "at the back", "value": "closest", "why": "a"}, {"key": "bed_adhesion", "was": "nearest", "value": "raft", "why": "b"}, {"key": "shells", "value": "3"}]`
		full  = `{"grams_hold": 2.5, "grams_model": 9, "seconds_by_kind": {"cap": 7, "first-layer hold": 8, "travel": 9}, "nozzles": [{"nozzle": 1, "grams_hold": 2.5}, {"nozzle": 2, "grams_hold": 0}]}`
		whole = `{"grams_adhesion": 2.5, "grams_model": 9, "seconds_by_kind": {"top and bottom": 7, "bed adhesion": 8, "travel": 9}, "nozzles": [{"nozzle": 1, "grams_adhesion": 2.5}, {"nozzle": 2, "grams_adhesion": 0}]}`
	)
	for _, sql := range []string{
		`INSERT INTO machine (name, data) VALUES ('Bowline', '{}')`,
		`INSERT INTO material (name, data) VALUES ('PLA', '{}')`,
		`INSERT INTO recipe (machine_id, material_id, purpose, data) SELECT m.id, t.id, 'everyday', '` + old + `' FROM machine m, material t`,
		`INSERT INTO person (login, name, role, password_hash) VALUES ('a', 'A', 'member', '')`,
		`INSERT INTO job (title, member_id, purpose, step) SELECT 'x', id, 'everyday', 'to decide' FROM person`,
		`INSERT INTO piece (job_id, position, name, copies) SELECT id, 1, 'x', 1 FROM job`,
		`INSERT INTO slice (piece_id, version, machine_id, departures, full_estimate) SELECT p.id, 1, m.id, '` + by + `', '` + full + `' FROM piece p, machine m`,
		`INSERT INTO slice (piece_id, version, machine_id) SELECT p.id, 1, m.id FROM piece p, machine m`,
	} {
		_, err := s.Pool.Exec(ctx, sql)
		require.NoError(t, err, sql)
	}
	is := func(want, sql string) {
		t.Helper()
		var got string
		require.NoError(t, s.Pool.QueryRow(ctx, sql).Scan(&got))
		assert.JSONEq(t, want, got)
	}
	require.NoError(t, s.Migrate(ctx))
	is(fresh, `SELECT data::text FROM recipe`)
	is(over, `SELECT overrides::text FROM slice ORDER BY id LIMIT 1`)
	is(whole, `SELECT full_estimate::text FROM slice ORDER BY id LIMIT 1`)
	is(`[]`, `SELECT overrides::text FROM slice ORDER BY id DESC LIMIT 1`)
	require.NoError(t, s.MigrateDownTo(ctx, 6))
	is(old, `SELECT data::text FROM recipe`)
	is(by, `SELECT departures::text FROM slice ORDER BY id LIMIT 1`)
	is(full, `SELECT full_estimate::text FROM slice ORDER BY id LIMIT 1`)
}
