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

// Event is what servers tell each other and their browsers when something has changed.
type Event = store.Event

// SessionEnded is the kind of event that ends what goes on in a session; it is for
// servers only.
const SessionEnded = store.SessionEnded

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

// Listen calls f for each event until ctx ends or the connection fails.
func (d *Desk) Listen(ctx context.Context, ready func(), f func(Event)) error {
	return d.Store.Listen(ctx, ready, f)
}

// Ready says that the house can be worked in: the database answers and is up to date.
func (d *Desk) Ready(ctx context.Context) error { return d.Store.Ready(ctx) }

// Snapshot names the state of all data: as long as it is the same, nothing that a use case
// shows has changed.
func (d *Desk) Snapshot(ctx context.Context) (string, error) { return d.Store.Snapshot(ctx) }
