// Package pgtest gives each test a database of its own on a real server.
//
// A package whose tests use it says
//
//	func TestMain(m *testing.M) { pgtest.Main(m) }
package pgtest

import (
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"jobshelf/internal/pgcluster"
	"jobshelf/internal/store"
)

const template = "jobshelf_template"

var (
	cluster *pgcluster.Cluster
	once    sync.Once
	failed  error
	count   atomic.Int64
)

// Main runs a package's tests and ends the server they used, if any.
func Main(m *testing.M) {
	code := m.Run()
	if cluster != nil {
		if err := cluster.Stop(); err != nil {
			fmt.Fprintln(os.Stderr, "pgtest:", err)
		}
		_ = os.RemoveAll(dir)
	}
	os.Exit(code)
}

var dir string

// place is where the databases lie: in memory, where there is much of it, since a copy of the template takes twenty times as
// long on a disk.
func place() string {
	const memory, enough = "/dev/shm", 8 << 30
	var is unix.Statfs_t
	if err := unix.Statfs(memory, &is); err != nil || is.Bavail*uint64(is.Bsize) < enough || unix.Access(memory, unix.W_OK) != nil { //nolint:gosec // a size is not below 0
		return "/tmp"
	}
	return memory
}

// dirs begin so; behind it is whose process it is.
const dirs = "jobshelf-test-"

// tidy takes away what tests left that were killed.
func tidy() {
	left, _ := filepath.Glob(filepath.Join(place(), dirs+"*")) // the pattern is sound
	for _, l := range left {
		var pid int
		if n, _ := fmt.Sscanf(filepath.Base(l), dirs+"%d-", &pid); n == 1 && errors.Is(unix.Kill(pid, 0), unix.ESRCH) {
			_ = os.RemoveAll(l)
		}
	}
}

// start brings up the server and makes the template: a migrated, empty database.
func start() {
	ctx, cancel := context.WithTimeout(context.Background(), 90*time.Second)
	defer cancel()
	tidy()
	if dir, failed = os.MkdirTemp(place(), fmt.Sprintf("%s%d-", dirs, os.Getpid())); failed != nil {
		return
	}
	if cluster, failed = pgcluster.Start(ctx, pgcluster.Options{Dir: dir, Volatile: true}); failed != nil {
		return
	}
	failed = create(ctx, template, "")
	if failed != nil {
		return
	}
	var s *store.Store
	if s, failed = store.Open(ctx, cluster.URL(template)); failed == nil {
		failed = s.Migrate(ctx)
		s.Close() // a template must have no connections
	}
}

func create(ctx context.Context, name, from string) error {
	s, err := store.Open(ctx, cluster.URL("postgres"))
	if err != nil {
		return err
	}
	defer s.Close()
	return s.CreateDatabase(ctx, name, from)
}

// URL is the address of a new, migrated, empty database.
func URL(t testing.TB) string { return made(t, template) }

// BareURL is the address of a new database that nobody has migrated.
func BareURL(t testing.TB) string { return made(t, "") }

// RestoredURL is the address of a new database made from a dump (gzip, as SQL), as it was then.
func RestoredURL(t testing.TB, file string) string {
	t.Helper()
	f, err := os.Open(file) //nolint:gosec // of the tests
	require.NoError(t, err)
	defer func() { require.NoError(t, f.Close()) }()
	z, err := gzip.NewReader(f)
	require.NoError(t, err)
	sql, err := io.ReadAll(z)
	require.NoError(t, err)
	url := BareURL(t)
	conn, err := pgx.Connect(context.Background(), url)
	require.NoError(t, err)
	_, err = conn.PgConn().Exec(context.Background(), string(sql)).ReadAll()
	require.NoError(t, err)
	require.NoError(t, conn.Close(context.Background()))
	return url
}

// Tables are those that somebody's deeds are kept in; what only machines read is left out.
var Tables = strings.Fields(`answer bed blob charge decision device event gram house job letter machine material person pickup piece plate question recipe revision rule run sessions share slice spool step task wear_part`)

// Sums is a sum of the rows of each of Tables, and of more, to see by which have changed.
func Sums(t testing.TB, q interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}, more ...string) map[string]string {
	t.Helper()
	var each []string
	for _, table := range slices.Concat(Tables, more) {
		each = append(each, fmt.Sprintf(`SELECT '%s', coalesce(sum(hashtextextended(t::text, 0)), 0)::text FROM %s t`, table, table))
	}
	rows, err := q.Query(context.Background(), strings.Join(each, " UNION ALL "))
	require.NoError(t, err)
	out := map[string]string{}
	var table, sum string
	_, err = pgx.ForEachRow(rows, []any{&table, &sum}, func() error { out[table] = sum; return nil })
	require.NoError(t, err)
	return out
}

// CopyURL is the address of a copy of a test's database to which nobody is connected.
func CopyURL(t testing.TB, name string) string { return made(t, name) }

func made(t testing.TB, from string) string {
	t.Helper()
	once.Do(start)
	require.NoError(t, failed)
	name := fmt.Sprintf("test_%d", count.Add(1))
	require.NoError(t, create(context.Background(), name, from))
	return cluster.URL(name)
}

// New opens a new database.
func New(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), URL(t))
	require.NoError(t, err)
	t.Cleanup(func() {
		closed := make(chan struct{})
		go func() {
			defer close(closed)
			s.Close() // waits for every connection that is in use
		}()
		select {
		case <-closed:
		case <-time.After(time.Minute):
			t.Error("a connection to the database is still in use, a minute after the test")
		}
	})
	return s
}

// Admin is a connection to the server's own database, for what is done to a test's from outside.
func Admin(t testing.TB) *store.Store {
	t.Helper()
	once.Do(start)
	require.NoError(t, failed)
	s, err := store.Open(context.Background(), cluster.URL("postgres"))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}
