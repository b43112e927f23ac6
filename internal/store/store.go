// Package store is the only place with SQL. It maps rows to plain structs and
// turns the database's errors into its own sentinels, so that nobody above
// knows of pgx.
//
// Queries are methods of Q, which works on the pool or in a transaction; a use
// case takes one transaction with Store.InTx and does everything in it.
package store

import (
	"context"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

// The sentinels that methods of Q return.
var (
	// ErrNotFound: there is no such row.
	ErrNotFound = errors.New("not found")
	// ErrChanged: the row has another revision than the one the caller saw.
	ErrChanged = errors.New("changed by somebody else meanwhile")
	// ErrTaken: a name or place that must be unique is in use.
	ErrTaken = errors.New("already in use")
	// ErrUnstorable: a value that the database cannot hold, such as a NUL in a text or
	// an infinite number. Trying again is of no use.
	ErrUnstorable = errors.New("cannot be stored")
	// ErrFull: the database's disk is full.
	ErrFull = errors.New("the disk is full")
	// ErrAway: the database does not answer, or takes no more connections.
	ErrAway = errors.New("the database does not answer")
)

//go:embed migrations/*.sql
var migrations embed.FS

// db is what the pool and a transaction both offer.
type db interface {
	Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error)
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

// Q holds the queries. Safe for several goroutines on the pool, not within a
// transaction.
type Q struct{ db db }

// Tx is a Q within a transaction.
type Tx struct {
	Q
	tx   pgx.Tx
	told told
}

// Raw is the transaction itself, for the work queue to join.
func (t *Tx) Raw() pgx.Tx { return t.tx }

// Store is a pool of connections.
type Store struct {
	Q
	Pool *pgxpool.Pool
}

// connectWait bounds how long a connection may take.
const connectWait = 5 * time.Second

// idleInTx is how long the database waits for the rest of a transaction: a process that sleeps in the middle of one would
// keep its rows from everybody, the lease of a machine too. An address may name another.
const (
	idleInTx  = 10 * time.Second
	idleParam = "idle_in_transaction_session_timeout" // ms
)

// Open connects; the database must have been migrated.
func Open(ctx context.Context, url string) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	cfg.MaxConns = max(cfg.MaxConns, 16)
	cfg.ConnConfig.ConnectTimeout = connectWait
	for name, usual := range map[string]string{idleParam: strconv.FormatInt(idleInTx.Milliseconds(), 10), "jit": "off"} { // to compile a query takes longer than ours run
		if p := cfg.ConnConfig.RuntimeParams; p[name] == "" {
			p[name] = usual
		}
	}
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, fmt.Errorf("connect to the database: %w", err)
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("connect to the database: %w", err)
	}
	return &Store{Q: Q{pool}, Pool: pool}, nil
}

// Close ends all connections.
func (s *Store) Close() { s.Pool.Close() }

// migrateLock keeps servers that start together from migrating at once.
const migrateLock = 7003

// Migrate brings the database up to date: our tables and the queue's.
func (s *Store) Migrate(ctx context.Context) error {
	own, err := s.Pool.Acquire(ctx)
	if err != nil {
		return fmt.Errorf("migrate: %w", err)
	}
	defer own.Release()
	if _, err := own.Exec(ctx, `SELECT pg_advisory_lock($1)`, migrateLock); err != nil {
		return fmt.Errorf("migrate: %w", err)
	}
	defer func() {
		_, _ = own.Exec(context.WithoutCancel(ctx), `SELECT pg_advisory_unlock($1)`, migrateLock) // else it goes with the connection
	}()
	p, end, err := s.provider()
	if err != nil {
		return fmt.Errorf("migrate: %w", err)
	}
	defer end()
	if err := notNewer(ctx, p); err != nil {
		return err
	}
	if _, err := p.Up(ctx); err != nil {
		return fmt.Errorf("migrate: %w", err)
	}
	m, err := rivermigrate.New(riverpgxv5.New(s.Pool), nil)
	if err != nil {
		return fmt.Errorf("migrate the queue: %w", err)
	}
	if _, err := m.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("migrate the queue: %w", err)
	}
	return nil
}

// notNewer refuses a database that a later version of this program has changed: what
// that means, this one does not know.
func notNewer(ctx context.Context, p *goose.Provider) error {
	at, target, err := p.GetVersions(ctx)
	if err != nil {
		return fmt.Errorf("database version: %w", known(err))
	}
	if at > target {
		return fmt.Errorf("the database is newer (version %d) than this program (version %d): start the newer program, or restore a copy that this one made", at, target)
	}
	return nil
}

// MigrateDownTo takes our tables back to an earlier version.
func (s *Store) MigrateDownTo(ctx context.Context, version int64) error {
	p, end, err := s.provider()
	if err != nil {
		return fmt.Errorf("migrate down: %w", err)
	}
	defer end()
	if _, err := p.DownTo(ctx, version); err != nil {
		return fmt.Errorf("migrate down: %w", err)
	}
	return nil
}

// Ready says that the database answers and is up to date.
func (s *Store) Ready(ctx context.Context) error {
	p, end, err := s.provider()
	if err != nil {
		return err
	}
	defer end()
	if err := notNewer(ctx, p); err != nil {
		return err
	}
	behind, err := p.HasPending(ctx)
	if err == nil && behind {
		return errors.New("the database is not migrated yet")
	}
	return known(err)
}

// Snapshot names the state of all data: as long as it is the same, nothing that a
// query sees has changed. It is PostgreSQL's own name for which transactions are
// seen (pg_current_snapshot).
func (q Q) Snapshot(ctx context.Context) (string, error) {
	return scalar[string](ctx, q, `SELECT pg_current_snapshot()::text`)
}

func (s *Store) provider() (*goose.Provider, func(), error) {
	conn := stdlib.OpenDBFromPool(s.Pool)
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, nil, err
	}
	p, err := goose.NewProvider(goose.DialectPostgres, conn, dir)
	if err != nil {
		_ = conn.Close() // of a wrapper: the pool stays
		return nil, nil, err
	}
	return p, func() { _ = conn.Close() }, nil
}

// CreateDatabase makes a database of the given name, as a copy of template if
// one is named; one that is there already stays as it is.
func (s *Store) CreateDatabase(ctx context.Context, name, template string) error {
	sql := "CREATE DATABASE " + pgx.Identifier{name}.Sanitize()
	if template != "" {
		sql += " TEMPLATE " + pgx.Identifier{template}.Sanitize() + " STRATEGY file_copy"
	}
	_, err := s.Pool.Exec(ctx, sql)
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "42P04" {
		return nil
	}
	return err
}

// clashTries is how often a transaction is tried that clashed with another.
const clashTries = 5

// InTx runs f in one transaction: all of it happens, or nothing. Where it clashes
// with another (a deadlock, or rows that moved on) it is tried again, so f may run
// several times.
//
// Everybody locks in the same order: lanes, job, check, slice, then what the queue
// keeps; last of all its events are told.
func (s *Store) InTx(ctx context.Context, f func(*Tx) error) error {
	for try := 1; ; try++ {
		err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
			t := &Tx{Q: Q{tx}, tx: tx}
			if err := f(t); err != nil {
				return err
			}
			return t.tell(ctx)
		})
		var pg *pgconn.PgError
		clash := errors.As(err, &pg) && (pg.Code == "40P01" || pg.Code == "40001")
		if !clash || try == clashTries || ctx.Err() != nil {
			return known(err)
		}
	}
}

// known turns the database's errors into sentinels.
func known(err error) error {
	var pg *pgconn.PgError
	switch {
	case err == nil:
		return nil
	case errors.Is(err, pgx.ErrNoRows):
		return ErrNotFound
	case errors.As(err, &pg):
		switch class := pg.Code[:min(2, len(pg.Code))]; {
		case pg.Code == "23505":
			return fmt.Errorf("%w (%s)", ErrTaken, pg.ConstraintName)
		case class == "22":
			return fmt.Errorf("%w: %w", ErrUnstorable, err)
		case pg.Code == "53100":
			return fmt.Errorf("%w: %w", ErrFull, err)
		case class == "08" || pg.Code == "53300" || pg.Code == "57P01" || pg.Code == "57P02" || pg.Code == "57P03" || pg.Code == "25P03":
			return fmt.Errorf("%w: %w", ErrAway, err)
		}
		return err
	case unfit(err):
		return fmt.Errorf("%w: %w", ErrUnstorable, err)
	case away(err):
		return fmt.Errorf("%w: %w", ErrAway, err)
	}
	return err
}

// unfit says that a value could not even be written as JSON.
func unfit(err error) bool {
	var value *json.UnsupportedValueError
	return errors.As(err, &value)
}

// away says that the connection failed, not the query.
func away(err error) bool {
	var connect *pgconn.ConnectError
	var network *net.OpError
	return errors.As(err, &connect) || errors.As(err, &network) || errors.Is(err, io.ErrUnexpectedEOF) || pgconn.SafeToRetry(err)
}

// one and all collect rows by field position.
func one[T any](ctx context.Context, q Q, sql string, args ...any) (T, error) {
	rows, err := q.db.Query(ctx, sql, args...)
	if err != nil {
		var zero T
		return zero, known(err)
	}
	v, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[T])
	return v, known(err)
}

func all[T any](ctx context.Context, q Q, sql string, args ...any) ([]T, error) {
	rows, err := q.db.Query(ctx, sql, args...)
	if err != nil {
		return nil, known(err)
	}
	v, err := pgx.CollectRows(rows, pgx.RowToStructByPos[T])
	return v, known(err)
}

func scalar[T any](ctx context.Context, q Q, sql string, args ...any) (T, error) {
	var v T
	err := known(q.db.QueryRow(ctx, sql, args...).Scan(&v))
	return v, err
}

func (q Q) exec(ctx context.Context, sql string, args ...any) error {
	_, err := q.db.Exec(ctx, sql, args...)
	return known(err)
}

// changed runs an update that is bound to a revision; no row means that the
// revision has moved on.
func (q Q) changed(ctx context.Context, sql string, args ...any) error {
	tag, err := q.db.Exec(ctx, sql, args...)
	if err == nil && tag.RowsAffected() == 0 {
		return ErrChanged
	}
	return known(err)
}
