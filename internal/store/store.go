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
	"io/fs"

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
	// ErrChanged: the row has another version than the one the caller saw.
	ErrChanged = errors.New("changed by somebody else meanwhile")
	// ErrTaken: a name or place that must be unique is in use.
	ErrTaken = errors.New("already in use")
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
	tx pgx.Tx
}

// Raw is the transaction itself, for the work queue to join.
func (t *Tx) Raw() pgx.Tx { return t.tx }

// Store is a pool of connections.
type Store struct {
	Q
	Pool *pgxpool.Pool
}

// Open connects; the database must have been migrated.
func Open(ctx context.Context, url string) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	cfg.MaxConns = max(cfg.MaxConns, 16)
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

// Migrate brings the database up to date: our tables and the queue's.
func (s *Store) Migrate(ctx context.Context) error {
	conn := stdlib.OpenDBFromPool(s.Pool)
	defer conn.Close()
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectPostgres, conn, dir)
	if err != nil {
		return fmt.Errorf("migrate: %w", err)
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

// InTx runs f in one transaction: all of it happens, or nothing.
func (s *Store) InTx(ctx context.Context, f func(*Tx) error) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error { return f(&Tx{Q{tx}, tx}) })
}

// known turns no rows and unique violations into sentinels.
func known(err error) error {
	var pg *pgconn.PgError
	switch {
	case err == nil:
		return nil
	case errors.Is(err, pgx.ErrNoRows):
		return ErrNotFound
	case errors.As(err, &pg) && pg.Code == "23505":
		return fmt.Errorf("%w (%s)", ErrTaken, pg.ConstraintName)
	}
	return err
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

// changed runs an update that is bound to a version; no row means that the
// version has moved on.
func (q Q) changed(ctx context.Context, sql string, args ...any) error {
	tag, err := q.db.Exec(ctx, sql, args...)
	if err == nil && tag.RowsAffected() == 0 {
		return ErrChanged
	}
	return known(err)
}

// Event is what the servers tell each other and their browsers when something
// has changed. It is sent when the transaction commits.
type Event struct {
	Kind     string  `json:"kind"` // job, progress, lane, house
	Job      int64   `json:"job,omitempty"`
	Fraction float64 `json:"fraction,omitempty"`
	Doing    string  `json:"doing,omitempty"`
	Owner    int64   `json:"owner,omitempty"` // the member whose job it is
}

// Channel is the notification channel of events.
const Channel = "jobshelf"

// Notify sends an event.
func (q Q) Notify(ctx context.Context, e Event) error {
	b, err := json.Marshal(e)
	if err != nil {
		return err
	}
	return q.exec(ctx, `SELECT pg_notify($1, $2)`, Channel, string(b))
}

// Listen calls f for each event until ctx ends or the connection fails.
func (s *Store) Listen(ctx context.Context, ready func(), f func(Event)) error {
	conn, err := s.Pool.Acquire(ctx)
	if err != nil {
		return fmt.Errorf("listen: %w", err)
	}
	defer func() {
		conn.Hijack().Close(context.WithoutCancel(ctx)) // it must not serve others while it listens
	}()
	if _, err := conn.Exec(ctx, "LISTEN "+Channel); err != nil {
		return fmt.Errorf("listen: %w", err)
	}
	ready()
	for {
		n, err := conn.Conn().WaitForNotification(ctx)
		if err != nil {
			return fmt.Errorf("listen: %w", err)
		}
		var e Event
		if json.Unmarshal([]byte(n.Payload), &e) == nil {
			f(e)
		}
	}
}
