package store_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shop/revision"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

// Servers that start together on an empty database all come up.
func TestTwoFirstStarts(t *testing.T) {
	url := pgtest.BareURL(t)
	var wg sync.WaitGroup
	errs := make([]error, 4)
	for i := range errs {
		wg.Add(1)
		go func() {
			defer wg.Done()
			s, err := store.Open(ctx, url)
			if err == nil {
				assert.ErrorContains(t, orNil(s.Ready(ctx), "not migrated"), "not migrated")
				err = s.Migrate(ctx)
				assert.NoError(t, s.Ready(ctx))
				s.Close()
			}
			errs[i] = err
		}()
	}
	wg.Wait()
	assert.NoError(t, errors.Join(errs...))
}

// A secret is made once, and each is its own.
func TestSecretsAreMadeOnce(t *testing.T) {
	s := pgtest.New(t)
	a, err := s.Secret(ctx, "a")
	require.NoError(t, err)
	again, err := s.Secret(ctx, "a")
	require.NoError(t, err)
	b, err := s.Secret(ctx, "b")
	require.NoError(t, err)
	assert.Equal(t, a, again)
	assert.NotEqual(t, a, b)
	assert.Len(t, a, 32)
}

// A database may have any name, and one that is there stays as it is.
func TestDatabasesOfAnyName(t *testing.T) {
	s := pgtest.New(t)
	for range 2 {
		require.NoError(t, s.CreateDatabase(ctx, `odd "name"; --`, ""))
	}
	assert.Equal(t, 1, count(t, s, `SELECT count(*) FROM pg_database WHERE datname = 'odd "name"; --'`))
}

// orNil stands in for an error that another server's quickness may have spared.
func orNil(err error, text string) error {
	if err == nil {
		return errors.New(text)
	}
	return err
}

// Two transactions that take the same rows the other way round: one is told to give
// way by the database, tried again, and both are done.
func TestDeadlocksAreTriedAgain(t *testing.T) {
	s := pgtest.New(t)
	_, err := s.Pool.Exec(ctx, `CREATE TABLE two (id int PRIMARY KEY, n int NOT NULL DEFAULT 0); INSERT INTO two VALUES (1), (2)`)
	require.NoError(t, err)
	var both, done sync.WaitGroup
	both.Add(2)
	tries := [2]int{}
	errs := [2]error{}
	for k := range 2 {
		done.Add(1)
		go func() {
			defer done.Done()
			errs[k] = s.InTx(ctx, func(tx *store.Tx) error {
				tries[k]++
				if _, err := tx.Raw().Exec(ctx, `UPDATE two SET n = n + 1 WHERE id = $1`, 1+k); err != nil {
					return err
				}
				if tries[k] == 1 {
					both.Done()
					both.Wait() // each holds its first row
				}
				_, err := tx.Raw().Exec(ctx, `UPDATE two SET n = n + 1 WHERE id = $1`, 2-k)
				return err
			})
		}()
	}
	done.Wait()
	require.NoError(t, errors.Join(errs[:]...))
	assert.GreaterOrEqual(t, tries[0]+tries[1], 3, "one had to begin anew, and may have had to again")
	assert.Equal(t, 4, count(t, s, `SELECT sum(n)::int FROM two`))
	// What fails otherwise is not tried again.
	n := 0
	boom := errors.New("boom")
	assert.ErrorIs(t, s.InTx(ctx, func(*store.Tx) error { n++; return boom }), boom)
	assert.Equal(t, 1, n)
}

// Who falls asleep in the middle of a transaction keeps its rows from nobody for long; awake again, it has done nothing.
func TestNobodyWaitsForASleeper(t *testing.T) {
	s := pgtest.New(t)
	sleeper, err := store.Open(ctx, s.Pool.Config().ConnString()+"&idle_in_transaction_session_timeout=300")
	require.NoError(t, err)
	defer sleeper.Close()
	_, err = s.Pool.Exec(ctx, `CREATE TABLE one (n int); INSERT INTO one VALUES (0)`)
	require.NoError(t, err)
	err = sleeper.InTx(ctx, func(asleep *store.Tx) error {
		if _, err := asleep.Raw().Exec(ctx, `UPDATE one SET n = n + 10`); err != nil {
			return err
		}
		waiting, cancel := context.WithTimeout(ctx, 20*time.Second)
		defer cancel()
		_, err := s.Pool.Exec(waiting, `UPDATE one SET n = n + 1`)
		require.NoError(t, err)
		_, err = asleep.Raw().Exec(ctx, `UPDATE one SET n = n + 100`)
		return err
	})
	require.ErrorIs(t, err, store.ErrAway)
	assert.Equal(t, 1, count(t, s, `SELECT n FROM one`))
	assert.Equal(t, 10000, count(t, s, `SELECT setting::int FROM pg_settings WHERE name = 'idle_in_transaction_session_timeout'`), "ms, where the address names none")
}

// A file that is found by its hash just before a sweep is not swept.
func TestSweepKeepsWhatWasJustFound(t *testing.T) {
	s := pgtest.New(t)
	put := func() store.Blob {
		b, err := s.PutBlob(ctx, bytes.NewReader([]byte("a model")))
		require.NoError(t, err)
		return b
	}
	first := put()
	_, err := s.Pool.Exec(ctx, `UPDATE blob SET created_at = now() - interval '2 days'`)
	require.NoError(t, err)
	assert.Equal(t, first, put())
	require.NoError(t, s.SweepBlobs(ctx, time.Hour))
	assert.Equal(t, 1, count(t, s, `SELECT count(*) FROM blob`))
	_, err = s.Pool.Exec(ctx, `UPDATE blob SET created_at = now() - interval '2 days'`)
	require.NoError(t, err)
	require.NoError(t, s.SweepBlobs(ctx, time.Hour))
	assert.Zero(t, count(t, s, `SELECT count(*) FROM blob`))
}

// What nobody chose goes once its job is over for a time, what counts stays.
func TestVariantsGoAfterATime(t *testing.T) {
	s := pgtest.New(t)
	person, err := s.AddPerson(ctx, store.Person{Login: "A", Name: "A", Role: "member"})
	require.NoError(t, err)
	machine := int64(0)
	require.NoError(t, s.Pool.QueryRow(ctx, `INSERT INTO machine (name, data) VALUES ('m', '{}') RETURNING id`).Scan(&machine))
	slice := map[string]int64{}
	for _, state := range []string{"fetched", "approved"} {
		job, err := s.AddJob(ctx, store.Job{Title: state, MemberID: person, Purpose: "everyday"})
		require.NoError(t, err)
		require.NoError(t, s.SetState(ctx, job, state, ""))
		_, err = s.AddPiece(ctx, store.Piece{JobID: job, Name: "x", Copies: 1})
		require.NoError(t, err)
		for _, chosen := range []bool{false, true} {
			name := fmt.Sprintf("%s, chosen: %t", state, chosen)
			b, err := s.PutBlob(ctx, bytes.NewReader([]byte(name)))
			require.NoError(t, err)
			id, err := s.AddSlice(ctx, store.Slice{JobID: job, MachineID: machine, Pieces: []revision.Piece{}}, 0)
			require.NoError(t, err)
			_, err = s.Pool.Exec(ctx, `UPDATE slice SET state = 'done', chosen = $2 WHERE id = $1`, id, chosen)
			require.NoError(t, err)
			require.NoError(t, s.AddPlate(ctx, store.Plate{SliceID: id, N: 1, Spots: []slicing.Spot{}, GCodeID: &b.ID}))
			slice[name] = id
		}
	}
	has := func() (names []string) {
		for _, n := range []string{"approved, chosen: false", "approved, chosen: true", "fetched, chosen: false", "fetched, chosen: true"} {
			x, err := s.Plates(ctx, slice[n])
			require.NoError(t, err)
			if x[0].GCodeID != nil {
				names = append(names, n)
			}
		}
		return names
	}
	require.NoError(t, s.DropVariants(ctx, time.Hour))
	assert.Len(t, has(), 4, "none is old")
	require.NoError(t, s.DropVariants(ctx, -time.Hour))
	assert.Equal(t, []string{"approved, chosen: false", "approved, chosen: true", "fetched, chosen: true"}, has())
	require.NoError(t, s.SweepBlobs(ctx, -time.Hour))
	assert.Equal(t, 3, count(t, s, `SELECT count(*) FROM blob`))
}

// The files of what has been over for a time can go; what is open keeps all of its own, and what it shares.
func TestFilesOfWhatIsOverGoAfterATime(t *testing.T) {
	s := pgtest.New(t)
	person, err := s.AddPerson(ctx, store.Person{Login: "A", Name: "A", Role: "member"})
	require.NoError(t, err)
	var machine int64
	require.NoError(t, s.Pool.QueryRow(ctx, `INSERT INTO machine (name, data) VALUES ('m', '{}') RETURNING id`).Scan(&machine))
	blob := func(text string) *int64 {
		b, err := s.PutBlob(ctx, strings.NewReader(text))
		require.NoError(t, err)
		return &b.ID
	}
	jobs := map[string]int64{}
	plates := map[string]int64{}
	for _, name := range []string{"fetched", "withdrawn", "in production", "fetched lately"} {
		id, err := s.AddJob(ctx, store.Job{Title: name, MemberID: person, Purpose: "everyday"})
		require.NoError(t, err)
		require.NoError(t, s.SetState(ctx, id, strings.TrimSuffix(name, " lately"), ""))
		_, err = s.AddPiece(ctx, store.Piece{JobID: id, Name: name + ".stl", Copies: 1, BlobID: blob("model " + name)})
		require.NoError(t, err)
		slice, err := s.AddSlice(ctx, store.Slice{JobID: id, MachineID: machine, Pieces: []revision.Piece{}}, 0)
		require.NoError(t, err)
		require.NoError(t, s.AddPlate(ctx, store.Plate{SliceID: slice, N: 1, Spots: []slicing.Spot{}, GCodeID: blob("program " + name), LayersID: blob("layers " + name)}))
		all, err := s.Plates(ctx, slice)
		require.NoError(t, err)
		jobs[name], plates[name] = id, all[0].ID
		at := "now()"
		if name != "fetched lately" {
			at = "now() - interval '90 days'"
		}
		_, err = s.Pool.Exec(ctx, `UPDATE job SET created_at = now() - interval '100 days' WHERE id = $1`, id)
		require.NoError(t, err)
		_, err = s.Pool.Exec(ctx, `INSERT INTO event (at, job_id, what, kind, name) VALUES (`+at+`, $1, '', 'job', 'x')`, id)
		require.NoError(t, err)
	}
	runs := map[string]int64{}
	for _, of := range [][]string{{"fetched"}, {"withdrawn", "in production"}, {"fetched lately"}} {
		r := store.Run{MachineID: machine, State: "off the machine", Seconds: 60, PlateID: new(plates[of[0]]), GCodeID: blob("program " + of[0])}
		for _, j := range of {
			r.Shares = append(r.Shares, store.Share{JobID: jobs[j], Seconds: 60})
		}
		runs[of[0]], err = s.AddRun(ctx, r)
		require.NoError(t, err)
	}
	has := func() (names []string) {
		for _, sql := range []string{
			`SELECT 'model ' || p.name FROM version v JOIN piece p ON p.id = v.piece_id WHERE v.blob_id IS NOT NULL`,
			`SELECT 'plate ' || j.title FROM plate l JOIN slice s ON s.id = l.slice_id JOIN job j ON j.id = s.job_id WHERE l.gcode_id IS NOT NULL AND l.layers_id IS NOT NULL`,
			`SELECT 'run ' || r.id FROM run r WHERE r.gcode_id IS NOT NULL`,
		} {
			rows, err := s.Pool.Query(ctx, sql+" ORDER BY 1")
			require.NoError(t, err)
			for rows.Next() {
				var name string
				require.NoError(t, rows.Scan(&name))
				names = append(names, name)
			}
			require.NoError(t, rows.Err())
		}
		return names
	}
	everything := has()
	require.Len(t, everything, 4+4+3)
	require.NoError(t, s.DropFiles(ctx, 95*24*time.Hour))
	assert.Equal(t, everything, has(), "none is so old")
	for range 2 {
		require.NoError(t, s.DropFiles(ctx, 30*24*time.Hour))
		assert.Equal(t, []string{"model fetched lately.stl", "model in production.stl", "plate fetched lately", "plate in production", "plate withdrawn",
			fmt.Sprint("run ", runs["withdrawn"]), fmt.Sprint("run ", runs["fetched lately"])}, has(), "the plate of what was withdrawn lies under somebody else's parts, too")
	}
}

// A session that has ended stays ended, whatever a request writes that began before.
func TestEndedSessionsStayEnded(t *testing.T) {
	s := pgtest.New(t)
	sessions := store.Sessions{Store: s, PersonOf: func(b []byte) int64 { return int64(len(b)) }}
	later := time.Now().Add(time.Hour)
	alive := func(token string) bool {
		_, ok, err := sessions.FindCtx(ctx, token)
		require.NoError(t, err)
		return ok
	}
	require.NoError(t, sessions.CommitCtx(ctx, "a", []byte("1"), later))
	require.NoError(t, sessions.CommitCtx(ctx, "b", []byte("1"), later))
	require.NoError(t, sessions.CommitCtx(ctx, "c", []byte("22"), later))
	require.NoError(t, sessions.CommitCtx(ctx, "old", []byte("1"), time.Now().Add(-time.Second)))
	assert.True(t, alive("a"))
	assert.False(t, alive("old"))
	require.NoError(t, sessions.DeleteCtx(ctx, "a"))
	require.NoError(t, sessions.CommitCtx(ctx, "a", []byte("1"), later))
	assert.False(t, alive("a"))
	require.NoError(t, s.EndSessions(ctx, 1, "b"))
	assert.True(t, alive("b"), "the one it was asked in stays")
	require.NoError(t, s.EndSessions(ctx, 1, ""))
	assert.False(t, alive("b"))
	assert.True(t, alive("c"), "another's")
	ended, err := s.EndedSessions(ctx, []string{"a", "b", "c", "never"})
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"a", "b", "never"}, ended)
	require.NoError(t, s.SweepSessions(ctx))
	assert.Equal(t, 3, count(t, s, `SELECT count(*) FROM sessions`), "an end is remembered until the session would have expired")
}

// What a database refuses, and one that is not there, are told apart from all else.
func TestTheDatabasesErrorsAreToldApart(t *testing.T) {
	s := pgtest.New(t)
	_, err := s.AddPerson(ctx, store.Person{Login: "a\x00b", Name: "A", Role: "member"})
	assert.ErrorIs(t, err, store.ErrUnstorable)
	_, err = s.Pool.Exec(ctx, `INSERT INTO machine (name, data) VALUES ('m', '{}')`)
	require.NoError(t, err)
	err = s.SetJudgement(ctx, 1, 1, store.Judgement{Verdict: &verdict.Verdict{AreaMM2: math.Inf(-1)}})
	assert.ErrorIs(t, err, store.ErrUnstorable)
	gone, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	_, err = store.Open(gone, "postgres://x@127.0.0.1:1/x?sslmode=disable")
	assert.Error(t, err)
	s.Close()
	_, err = s.Machines(ctx)
	assert.Error(t, err)
}

// Recipes and slices that kept a bed warm after the end say nothing of it any more,
// and blocks that named what was left of it turn it off.
func TestNoRecipeKeepsTheBedWarm(t *testing.T) {
	s := pgtest.New(t)
	require.NoError(t, s.MigrateDownTo(ctx, 4))
	for _, sql := range []string{
		`INSERT INTO machine (name, data) VALUES ('Bowline', '{"name": "Bowline", "dialect": {"end": "M104 S0\nM140 S{bed_after_c}"}}')`,
		`INSERT INTO material (name, data) VALUES ('PLA', '{}')`,
		`INSERT INTO recipe (machine_id, material_id, purpose, data) SELECT m.id, t.id, 'everyday', '{"bed_after_end": "on", "bed_c": 60}' FROM machine m, material t`,
		`INSERT INTO person (login, name, role, password_hash) VALUES ('a', 'A', 'member', '')`,
		`INSERT INTO job (title, member_id, purpose, step) SELECT 'x', id, 'everyday', 'to decide' FROM person`,
		`INSERT INTO piece (job_id, position, name, copies) SELECT id, 1, 'x', 1 FROM job`,
		`INSERT INTO slice (piece_id, version, machine_id, departures) SELECT p.id, 1, m.id, '[{"key": "shells", "value": "3"}, {"key": "bed_after_end", "value": "on"}]' FROM piece p, machine m`,
	} {
		_, err := s.Pool.Exec(ctx, sql)
		require.NoError(t, err, sql)
	}
	require.NoError(t, s.Migrate(ctx))
	machines, err := s.Machines(ctx)
	require.NoError(t, err)
	assert.Equal(t, "M104 S0\nM140 S0", machines[0].Data.Dialect.End)
	slice, err := s.Slice(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, []recipe.Override{{Key: "shells", Value: "3"}}, slice.Overrides)
	var data json.RawMessage
	require.NoError(t, s.Pool.QueryRow(ctx, `SELECT data FROM recipe`).Scan(&data))
	assert.JSONEq(t, `{"bed_c": 60}`, string(data))
}

// Lanes come machine by machine, each in the order of its places, whichever run was added or
// moved last; what is over stands in none; and a run is found by its job.
func TestLanesStandInTheOrderOfTheirPlaces(t *testing.T) {
	s := pgtest.New(t)
	person, err := s.AddPerson(ctx, store.Person{Login: "A", Name: "A", Role: "member"})
	require.NoError(t, err)
	var machines [2]int64
	for k := range machines {
		require.NoError(t, s.Pool.QueryRow(ctx, `INSERT INTO machine (name, data) VALUES ($1, '{}') RETURNING id`, fmt.Sprint("m", k)).Scan(&machines[k]))
	}
	byJob := map[int64]int64{}
	var runs []store.Run
	for k := range 7 {
		_, err := s.AddJob(ctx, store.Job{Title: "no run", MemberID: person, Purpose: "everyday"}) // so that numbers differ
		require.NoError(t, err)
		job, err := s.AddJob(ctx, store.Job{Title: fmt.Sprint("job ", k), MemberID: person, Purpose: "everyday"})
		require.NoError(t, err)
		id, err := s.AddRun(ctx, store.Run{MachineID: machines[k%2], Recipe: "r", Material: "PLA", Seconds: 60, Shares: []store.Share{{JobID: job}}})
		require.NoError(t, err)
		byJob[job] = id
		of, err := s.RunsOfJob(ctx, job)
		require.NoError(t, err)
		require.Len(t, of, 1)
		r := of[0]
		assert.Equal(t, [2]int64{id, job}, [2]int64{r.ID, r.Shares[0].JobID})
		assert.Equal(t, k/2+1, r.Position, "behind those that are there")
		runs = append(runs, r)
	}
	for _, k := range []int{0, 2, 4, 6} { // the first lane backwards
		runs[k].Position = 10 - k
		require.NoError(t, s.PlaceRun(ctx, runs[k].ID, runs[k].Position))
	}
	require.NoError(t, s.SetRunState(ctx, runs[2].ID, "off the machine", time.Now(), ""))
	lanes, err := s.Lanes(ctx)
	require.NoError(t, err)
	var got []string
	for _, r := range lanes {
		assert.Equal(t, byJob[r.Shares[0].JobID], r.ID)
		got = append(got, r.Title())
	}
	assert.Equal(t, []string{"job 6", "job 4", "job 0", "job 1", "job 3", "job 5"}, got)
}
