package desk_test

import (
	"encoding/json"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/people"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

// A house of the first version, with a job at every state, opens in this one and shows
// what it showed then: the dump and the facts beside it were made by the program of that
// version, at its revision abe6361.
func TestTheOldHouse(t *testing.T) {
	url := pgtest.RestoredURL(t, "testdata/house-abe6361.sql.gz")
	s, err := store.Open(ctx, url)
	require.NoError(t, err)
	defer s.Close()
	require.Error(t, s.Ready(ctx), "not migrated yet")
	files := func() (sum string) {
		require.NoError(t, s.Pool.QueryRow(ctx, `SELECT count(*) || ' ' || md5(string_agg(bytes, '' ORDER BY blob_id, n)) FROM blob_chunk`).Scan(&sum))
		return sum
	}
	before := files()
	require.NoError(t, s.Migrate(ctx))
	assert.Equal(t, before, files(), "bit for bit")
	require.NoError(t, s.Ready(ctx))
	raw, err := os.ReadFile("testdata/house-abe6361.json")
	require.NoError(t, err)
	type slice struct {
		State          string
		Chosen         bool
		Version        int
		Scale, Seconds float64
		Overrides      int `json:"Departures"` // as that version called them
	}
	type piece struct {
		Name                      string
		Copies, Current, Versions int
		Unit                      string
		Slices                    []slice
	}
	type fact struct {
		Title, Step, Reason, Check, Member, Purpose, Wish, NeededBy, Machine string
		Seconds, Grams                                                       float64
		Price                                                                int64
		Findings                                                             []string
		Pieces                                                               []piece
		Run                                                                  string
		History                                                              []string
	}
	var then map[int64]fact
	require.NoError(t, json.Unmarshal(raw, &then))
	noon := time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)
	d := &desk.Desk{Store: s, Queue: &desktest.Queue{}, Now: func() time.Time { return noon }}
	who, err := people.Named(ctx, d, "cato")
	require.NoError(t, err)
	_, err = s.Pool.Exec(ctx, `UPDATE house SET sooner_cents = 100000`) // what was done first was proposed then, at any price
	require.NoError(t, err)
	// checkedAgain ends a check that finds what was found then.
	checkedAgain := func(id int64) {
		in, err := intake.InputOf(ctx, d, id)
		require.NoError(t, err)
		found := make([]intake.Checked, len(in.Pieces))
		for i, p := range in.Pieces {
			found[i] = intake.Checked{Piece: p, Judgement: store.Judgement{Verdict: p.Verdict, By: in.By}}
		}
		task, err := d.Store.TaskOf(ctx, id)
		require.NoError(t, err)
		ended, err := intake.RecordCheck(ctx, d, id, task.Round, found, func(*store.Tx) error { return nil })
		require.NoError(t, err)
		require.True(t, ended)
	}
	steps := map[string]bool{}
	for id, want := range then {
		v, err := decide.Job(ctx, d, who, id)
		require.NoError(t, err)
		got := fact{Title: v.Title, Step: v.State, Reason: v.Reason, Check: v.Check.State, Member: v.Member, Purpose: v.Purpose, Wish: v.Wish, NeededBy: v.NeededBy, Machine: v.Machine,
			Seconds: v.Seconds, Grams: v.Grams, Price: int64(v.Price)}
		for _, f := range v.Findings {
			got.Findings = append(got.Findings, f.Check)
		}
		for _, p := range v.PieceSet {
			x := piece{Name: p.Name, Copies: p.Copies, Current: p.Current, Versions: len(p.Versions), Unit: p.Unit}
			slices, err := plates.Slices(ctx, d, who, p.ID)
			require.NoError(t, err)
			for _, s := range slices {
				y := slice{State: s.State, Chosen: s.Chosen, Version: s.Version, Scale: s.Stand.Scale[0], Overrides: len(s.Overrides)}
				if s.Full != nil {
					y.Seconds = s.Full.Seconds - s.Full.WarmUp // which is told with it now
				}
				x.Slices = append(x.Slices, y)
			}
			got.Pieces = append(got.Pieces, x)
		}
		// States have other names now; what they mean is the same.
		want.Step = strings.ReplaceAll(want.Step, "on the floor", "in production")
		want.Run = strings.NewReplacer("queued", "planned", "finished", "off the machine").Replace(want.Run)
		if len(v.Runs) > 0 {
			got.Run = v.Runs[0].State
		} else { // a ladder counts the warm-up now, which it did not then
			got.Seconds, got.Machine = want.Seconds, want.Machine
		}
		if id == 4 { // its slice is of one copy of the two that are wanted, and counts for none of them now
			got.Grams = want.Grams
		}
		for _, r := range v.Runs {
			assert.Equal(t, r.State == "planned", r.Unsliced, "to be sliced before the start")
		}
		if v.State == "approved" {
			require.ErrorContains(t, demo.ByHand(ctx, d, who, id), "has no program yet")
			require.NoError(t, decide.TakeBack(ctx, d, who, id, 0))
			require.ErrorContains(t, decide.Approve(ctx, d, who, id, 0, decide.Yes{MachineID: 0}), "check of job 9 is queued", "judged before it was kept by what")
			checkedAgain(id)
			require.NoError(t, decide.Approve(ctx, d, who, id, 0, decide.Yes{MachineID: 0}))
		}
		for _, l := range v.History {
			got.History = append(got.History, l.What)
		}
		for i := range want.Pieces {
			for k := range want.Pieces[i].Slices {
				require.Greater(t, len(got.Pieces[i].Slices), k)
				assert.InDelta(t, want.Pieces[i].Slices[k].Seconds, got.Pieces[i].Slices[k].Seconds, 1e-6)
				got.Pieces[i].Slices[k].Seconds = want.Pieces[i].Slices[k].Seconds
			}
		}
		assert.Equal(t, want, got, "job %d", id)
		steps[v.State] = true
	}
	for _, state := range everyStep {
		assert.Equal(t, state != "being sliced" && state != "withdrawn", steps[state], state)
	}
	shelf, err := decide.Shelf(ctx, d, who)
	require.NoError(t, err)
	assert.Len(t, shelf.Slips, len(then)-2, "all but what was fetched and sent back")
	// And what was begun then goes on: the job that waits to be decided on can be.
	require.ErrorContains(t, decide.Approve(ctx, d, who, 1, 0, decide.Yes{MachineID: 0}), "Have it checked again", "a worker of this program does so when it starts")
	require.NoError(t, intake.Renew(ctx, d))
	checkedAgain(1)
	require.NoError(t, decide.Approve(ctx, d, who, 1, 0, decide.Yes{MachineID: 0}))
	require.NoError(t, intake.Retry(ctx, d, who, 3))
}

// A program that is older than its database does not touch it.
func TestANewerDatabaseIsRefused(t *testing.T) {
	s := pgtest.New(t)
	require.NoError(t, s.Migrate(ctx))
	_, err := s.Pool.Exec(ctx, `INSERT INTO goose_db_version (version_id, is_applied) VALUES (9999, true)`)
	require.NoError(t, err)
	assert.ErrorContains(t, s.Migrate(ctx), "newer")
	assert.ErrorContains(t, s.Ready(ctx), "newer")
}
