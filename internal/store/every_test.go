package store_test

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"maps"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
	"jobshelf/internal/told"
)

// fullHouse is the demo house, with rows in nearly every table.
func fullHouse(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(ctx, pgtest.RestoredURL(t, "../desk/testdata/demo.sql.gz"))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	require.NoError(t, s.Migrate(ctx))
	return s
}

// drawnArgs are what is asked of a store, by type; of rows, those that it has given.
type drawnArgs map[reflect.Type][]reflect.Value

func (d drawnArgs) add(values ...any) {
	for _, v := range values {
		d[reflect.TypeOf(v)] = append(d[reflect.TypeOf(v)], reflect.ValueOf(v))
	}
}

// keep remembers rows.
func (d drawnArgs) keep(v reflect.Value) {
	switch {
	case v.Kind() == reflect.Slice && v.Type().Elem().Kind() == reflect.Struct:
		for i := range min(v.Len(), 6) {
			d.keep(v.Index(i))
		}
	case v.Kind() == reflect.Struct && strings.HasSuffix(v.Type().PkgPath(), "internal/store") && len(d[v.Type()]) < 6:
		d[v.Type()] = append(d[v.Type()], v)
	}
}

func (d drawnArgs) of(t reflect.Type, k int) (reflect.Value, bool) {
	if t.Kind() == reflect.Pointer {
		v, ok := d.of(t.Elem(), k)
		if !ok {
			return v, false
		}
		p := reflect.New(t.Elem())
		p.Elem().Set(v)
		return p, true
	}
	if all := d[t]; len(all) > 0 {
		return all[k%len(all)], true
	}
	if t.Kind() == reflect.Struct {
		return reflect.Zero(t), true
	}
	for have, all := range d { // a name for a plain type
		if have.Kind() == t.Kind() && have.PkgPath() == "" && t.Kind() != reflect.Slice && t.Kind() != reflect.Map {
			return all[k%len(all)].Convert(t), true
		}
	}
	return reflect.Value{}, false
}

// moments have parts of a second: they are of the database.
var moments = regexp.MustCompile(`\d{4}-\d\d-\d\d \d\d:\d\d:\d\d\.\d+\+00`)

// drawnNames are those of uploads.
var drawnNames = regexp.MustCompile(`\b[A-Z2-7]{26}\b`)

var errBack = errors.New("back as it was")

// Every question and every change that a store knows, each asked six times of a house with rows in nearly every table,
// gives what it gave and changes the rows that it changed. Other tests say what is right; this one says that nothing moved.
func TestEveryQueryGivesWhatItGave(t *testing.T) {
	s := fullHouse(t)
	args := drawnArgs{}
	args.add(int64(1), int64(14), int64(7), int64(24), int64(2), int64(99))
	args.add(1, 2, 0, 3)
	args.add("nia", "done", "approved", "PLA", "", "net")
	args.add(true, false)
	args.add(0.5, 40.0, float64(0))
	args.add(float32(0.25))
	args.add(time.Date(2026, 11, 28, 9, 40, 0, 0, time.UTC), time.Date(2026, 11, 1, 9, 0, 0, 0, time.UTC))
	args.add(time.Hour)
	args.add([]int64{1, 14, 26}, []int64{}, []int64{5})
	args.add([]string{"net"}, []string{}, []string{"nia", "cleat"})
	args.add([]byte("bytes"))
	args.add(json.RawMessage(`{"a":1}`))
	typ := reflect.TypeFor[*store.Tx]()
	var names []string
	for i := range typ.NumMethod() {
		names = append(names, typ.Method(i).Name)
	}
	var was map[string]string
	require.NoError(t, s.InTx(ctx, func(tx *store.Tx) error { was = pgtest.Sums(t, tx.Raw(), "epoch", "secret", "worker"); return nil }))
	var b told.Book
	asked := 0
	for _, writes := range []bool{false, true} { // rows are known before they are changed
		for _, name := range names {
			m, _ := typ.MethodByName(name)
			if m.Type.NumIn() < 2 || m.Type.In(1) != reflect.TypeFor[context.Context]() || m.Type.NumOut() == 0 || (m.Type.NumOut() == 1 || strings.HasPrefix(name, "Add")) != writes || slices.Contains([]string{"Secret", "Snapshot"}, name) { // which are drawn, or of this moment
				continue
			}
			for k := range 6 {
				in := []reflect.Value{{}, reflect.ValueOf(ctx)}
				for p := 2; p < m.Type.NumIn(); p++ {
					v, ok := args.of(m.Type.In(p), k)
					if !ok {
						in = nil
						break
					}
					in = append(in, v)
				}
				if in == nil {
					b.Line("%s takes what is not drawn", name)
					break
				}
				var text told.Book
				err := s.InTx(ctx, func(tx *store.Tx) error {
					text = told.Book{}
					in[0] = reflect.ValueOf(tx)
					out := m.Func.Call(in)
					if err, _ := out[len(out)-1].Interface().(error); err != nil {
						text.Line("  %d: %.200v", k, err)
						return errBack
					}
					for _, v := range out[:len(out)-1] {
						args.keep(v)
						var one told.Book
						one.Tell("", v.Interface())
						all := drawnNames.ReplaceAllString(one.String(), "drawn")
						lines := strings.Split(strings.TrimRight(all, "\n"), "\n")
						text.Line("  %d: %d lines, %.6x\n%s", k, len(lines), sha256.Sum256([]byte(all)), strings.Join(lines[:min(4, len(lines))], "\n"))
					}
					if !writes {
						return errBack
					}
					is := pgtest.Sums(t, tx.Raw(), "epoch", "secret", "worker")
					for _, table := range slices.Sorted(maps.Keys(is)) {
						if is[table] != was[table] {
							text.Line("  %d: %s", k, table)
							changed(&text, rowsIn(t, s.Pool, table), rowsIn(t, tx.Raw(), table))
						}
					}
					return errBack
				})
				require.ErrorIs(t, err, errBack, name)
				asked++
				if k == 0 {
					b.Line("%s", name)
				}
				b.Line("%s", strings.TrimRight(text.String(), "\n"))
			}
		}
	}
	require.Greater(t, asked, 800)
	golden.Assert(t, b.String(), "every.txt")
}

// rowsIn are the rows of a table, as text, in order.
func rowsIn(t *testing.T, q interface {
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}, table string) (all string) {
	t.Helper()
	require.NoError(t, q.QueryRow(ctx, `SELECT coalesce(string_agg(t::text, E'\n' ORDER BY t::text), '') FROM `+table+` t`).Scan(&all))
	return all
}

// changed tells the rows that are other ones, without what is of this moment.
func changed(b *told.Book, was, is string) {
	old := strings.Split(was, "\n")
	for _, l := range strings.Split(is, "\n") {
		if !slices.Contains(old, l) {
			b.Line("    + %.300s", moments.ReplaceAllString(l, "now"))
		}
	}
	now := strings.Split(is, "\n")
	n := 0
	for _, l := range old {
		if l != "" && !slices.Contains(now, l) {
			n++
		}
	}
	b.Line("    − %d", n)
}
