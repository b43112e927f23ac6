package desk

import (
	"context"
	"time"

	"jobshelf/internal/store"
)

// What a use case returns when it cannot be; the store's, so that errors.Is finds them.
var (
	ErrNotFound   = store.ErrNotFound
	ErrChanged    = store.ErrChanged
	ErrTaken      = store.ErrTaken
	ErrUnstorable = store.ErrUnstorable
	ErrFull       = store.ErrFull
	ErrAway       = store.ErrAway
)

// Signal is what servers tell each other at once; Change is what of an event browsers are told.
type (
	Signal = store.Signal
	Change = store.Change
)

// The kinds of signals, and of what has changed.
const (
	SessionEnded = store.SessionEnded
	OfEvents     = store.OfEvents
	OfProgress   = store.OfProgress
	OfTried      = store.OfTried
	OfMachine    = store.OfMachine
	OfHouse      = store.OfHouse
)

// Sessions keep browsers signed in; it is what the session library wants.
type Sessions interface {
	Find(token string) ([]byte, bool, error)
	Commit(token string, data []byte, expiry time.Time) error
	Delete(token string) error
	FindCtx(ctx context.Context, token string) ([]byte, bool, error)
	CommitCtx(ctx context.Context, token string, data []byte, expiry time.Time) error
	DeleteCtx(ctx context.Context, token string) error
}

// Sessions are the house's. personOf reads whose a session is out of its data.
func (d *Desk) Sessions(personOf func(data []byte) int64) Sessions {
	return store.Sessions{Store: d.Store, PersonOf: personOf}
}

// EndedSessions tells which of some sessions do not live any more.
func (d *Desk) EndedSessions(ctx context.Context, tokens []string) ([]string, error) {
	return d.Store.EndedSessions(ctx, tokens)
}

// Secret gives random bytes that all servers of the house share, made on first use.
func (d *Desk) Secret(ctx context.Context, name string) ([]byte, error) {
	return d.Store.Secret(ctx, name)
}

// CanonicalLogin is a login however it is spelled.
func CanonicalLogin(login string) string { return store.CanonicalLogin(login) }

// ChangesAfter lists what has changed since an event, in the order in which it came to be, so
// many at the most.
func (d *Desk) ChangesAfter(ctx context.Context, id int64, most int) ([]Change, error) {
	return d.Store.ChangesAfter(ctx, id, most)
}

// Epoch is which life of the house this is.
func (d *Desk) Epoch(ctx context.Context) (int64, error) {
	e, err := d.Store.Epoch(ctx)
	return e.N, err
}

// LastEvent is the number of the latest event.
func (d *Desk) LastEvent(ctx context.Context) (int64, error) { return d.Store.LastEvent(ctx) }

// Listen calls f for each signal until ctx ends or the connection fails.
func (d *Desk) Listen(ctx context.Context, ready func(), f func(Signal)) error {
	return d.Store.Listen(ctx, ready, f)
}

// Ready says that the house can be worked in: the database answers and is up to date.
func (d *Desk) Ready(ctx context.Context) error { return d.Store.Ready(ctx) }

// Snapshot names the state of all data: as long as it is the same, nothing that a use case
// shows has changed.
func (d *Desk) Snapshot(ctx context.Context) (string, error) { return d.Store.Snapshot(ctx) }
