package bench

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"jobshelf/core/shop/job"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/finishing"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/desk/stores"
)

// apart is how far the numbers of a copy's rows are from those of the copy before.
const apart = 10_000

// BenchmarkGrowth is how long the rooms of a house take to be shown with nothing behind it, and with ten thousand jobs that
// are done, each with its slices, runs, books and history, and a year of the house's own events. The rooms of today must not
// grow with what is over.
func BenchmarkGrowth(b *testing.B) {
	h := desktest.Open(b)
	ctx := context.Background()
	done, _ := h.At(job.PickUp)
	v, err := finishing.All(ctx, h.Desk)
	require.NoError(b, err)
	_, err = finishing.FetchBy(ctx, h.Desk, h.Cato, v[0].Code)
	require.NoError(b, err)
	for k := range 12 { // and today
		h.At(job.ToDecide)
		next, _ := h.At(job.ToDecide)
		h.Approved(next, h.Machines[k%4].ID)
	}
	rooms := []struct {
		name string
		show func() error
	}{
		{"shelf", func() error { _, err := decide.Shelf(ctx, h.Desk, h.Cato); return err }},
		{"counter", func() error { _, err := decide.Job(ctx, h.Desk, h.Cato, done+1); return err }},
		{"floor", func() error { _, err := floor.Floor(ctx, h.Desk); return err }},
		{"machines", func() error { _, err := runs.All(ctx, h.Desk); return err }},
		{"stores", func() error { _, err := stores.Look(ctx, h.Desk); return err }},
		{"finishing", func() error { _, err := finishing.All(ctx, h.Desk); return err }},
		{"a job that is over", func() error { _, err := decide.Job(ctx, h.Desk, h.Cato, done); return err }},
		{"ended, searched", func() error { _, err := decide.Ended(ctx, h.Desk, h.Cato, "box 77"); return err }},
		{"accounts", func() error { _, err := finishing.Accounts(ctx, h.Desk); return err }},
		{"a member's account", func() error { _, err := finishing.AccountOf(ctx, h.Desk, h.Cato, h.Owner.ID); return err }},
		{"counts for metrics", func() error { _, err := h.Store.Counts(ctx); return err }},
		{"sweep variants", func() error { return h.Store.DropVariants(ctx, 90*24*time.Hour) }},
		{"sweep files", func() error { return h.Store.SweepBlobs(ctx, 24*time.Hour) }},
		{"sweep ended", func() error { return h.Store.DropFiles(ctx, 400*24*time.Hour) }},
	}
	measure := func(when string) {
		for _, r := range rooms {
			require.NoError(b, r.show(), r.name)
			b.Run(when+"/"+r.name, func(b *testing.B) {
				for b.Loop() {
					require.NoError(b, r.show())
				}
			})
		}
	}
	measure("new")
	rows := copied(ctx, b, h, done, 10_000)
	var size int64
	require.NoError(b, h.Store.Pool.QueryRow(ctx, `SELECT pg_database_size(current_database())`).Scan(&size))
	b.Logf("%d rows, %d MB", rows, size>>20)
	measure("10000 done")
}

// copied makes so many copies of a job and of all that belongs to it, and a year of house's events; how many rows that are.
func copied(ctx context.Context, b *testing.B, h *desktest.House, id int64, n int) (rows int64) {
	b.Helper()
	type column struct{ table, name, of string }
	var all []column
	q, err := h.Store.Pool.Query(ctx, `SELECT c.relname, a.attname, coalesce((SELECT r.relname FROM pg_constraint k JOIN pg_class r ON r.oid = k.confrelid
			WHERE k.contype = 'f' AND k.conrelid = c.oid AND k.conkey = ARRAY[a.attnum]), '')
		FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped AND a.attgenerated = ''
		WHERE c.relkind = 'r' AND c.relnamespace = 'public'::regnamespace AND c.relname NOT LIKE 'river%' ORDER BY 1, a.attnum`)
	require.NoError(b, err)
	for q.Next() {
		var c column
		require.NoError(b, q.Scan(&c.table, &c.name, &c.of))
		all = append(all, c)
	}
	require.NoError(b, q.Err())
	// From the job outwards: what points to something that is copied is copied, too.
	ids := map[string][]int64{"job": {id}}
	for _, table := range []string{"job", "piece", "task", "version", "slice", "plate", "run", "share", "gram", "charge", "pickup", "step", "event", "answer", "question"} {
		var cols, values, where []string
		for _, c := range all {
			if c.table != table {
				continue
			}
			cols = append(cols, c.name)
			value := "t." + c.name
			if _, copied := ids[c.of]; copied || c.name == "id" {
				value += fmt.Sprintf(" + k * %d", apart)
			}
			if copied, ok := ids[c.of]; ok && len(copied) > 0 {
				where = append(where, fmt.Sprintf("t.%s = ANY('{%s}')", c.name, strings.Trim(strings.Join(strings.Fields(fmt.Sprint(copied)), ","), "[]")))
			}
			if c.name == "code" && table == "pickup" {
				value = "t.code || k"
			}
			values = append(values, value)
		}
		if table == "job" {
			where = []string{fmt.Sprintf("t.id = %d", id)}
		}
		if len(where) == 0 {
			continue
		}
		from := fmt.Sprintf("FROM %s t WHERE (%s)", table, strings.Join(where, " OR "))
		if slices.Contains(cols, "id") {
			var found []int64
			require.NoError(b, h.Store.Pool.QueryRow(ctx, "SELECT coalesce(array_agg(t.id), '{}') "+from).Scan(&found), table)
			ids[table] = found
		}
		tag, err := h.Store.Pool.Exec(ctx, fmt.Sprintf("INSERT INTO %s (%s) OVERRIDING SYSTEM VALUE SELECT %s %s", table, strings.Join(cols, ", "), strings.Join(values, ", "),
			strings.Replace(from, " t WHERE", fmt.Sprintf(" t, generate_series(1, %d) k WHERE", n), 1)))
		require.NoError(b, err, table)
		rows += tag.RowsAffected()
	}
	tag, err := h.Store.Pool.Exec(ctx, `INSERT INTO event (id, at, person_id, what, kind, name, data) OVERRIDING SYSTEM VALUE SELECT 200000000 + k, now() - k * interval '3 minutes', $1, 'its bed is clear', 'house', 'bed cleared', '{"machine": "Bowline"}' FROM generate_series(1, 175200) k`, h.Cato.ID)
	require.NoError(b, err)
	_, err = h.Store.Pool.Exec(ctx, `ANALYZE`)
	require.NoError(b, err)
	return rows + tag.RowsAffected()
}
