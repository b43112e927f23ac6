package store

import (
	"context"
	"crypto/rand"
	"errors"
	"time"
)

// Sessions keep browsers signed in. It is the store that the session library
// wants; tokens come hashed. PersonOf reads whose a session is out of its data.
type Sessions struct {
	Store    *Store
	PersonOf func(data []byte) int64
}

// FindCtx gives the data of a session that lives.
func (s Sessions) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	data, err := scalar[[]byte](ctx, s.Store.Q, `SELECT data FROM sessions WHERE token = $1 AND ended_at IS NULL AND now() < expiry`, token)
	if errors.Is(err, ErrNotFound) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// CommitCtx writes a session; one that has ended stays ended, however late a
// request that began before it ends.
func (s Sessions) CommitCtx(ctx context.Context, token string, data []byte, expiry time.Time) error {
	return s.Store.exec(ctx, `INSERT INTO sessions (token, data, expiry, person_id) VALUES ($1, $2, $3, nullif($4::bigint, 0))
		ON CONFLICT (token) DO UPDATE SET data = EXCLUDED.data, expiry = EXCLUDED.expiry, person_id = EXCLUDED.person_id WHERE sessions.ended_at IS NULL`,
		token, data, expiry, s.PersonOf(data))
}

// DeleteCtx ends a session and tells all servers.
func (s Sessions) DeleteCtx(ctx context.Context, token string) error {
	return s.Store.InTx(ctx, func(tx *Tx) error {
		if err := tx.exec(ctx, `UPDATE sessions SET ended_at = now(), data = '' WHERE token = $1 AND ended_at IS NULL`, token); err != nil {
			return err
		}
		return tx.Notify(ctx, Signal{Kind: SessionEnded, Session: token})
	})
}

// Find, Commit and Delete complete the library's interface; it calls the others.
func (s Sessions) Find(token string) ([]byte, bool, error) {
	return s.FindCtx(context.Background(), token)
}

// Commit is CommitCtx without a context.
func (s Sessions) Commit(token string, data []byte, expiry time.Time) error {
	return s.CommitCtx(context.Background(), token, data, expiry)
}

// Delete is DeleteCtx without a context.
func (s Sessions) Delete(token string) error { return s.DeleteCtx(context.Background(), token) }

// EndSessions ends all sessions of a person but one ("" for none), and tells all
// servers.
func (q Q) EndSessions(ctx context.Context, person int64, but string) error {
	rows, err := all[struct{ Token string }](
		ctx,
		q,
		`UPDATE sessions SET ended_at = now(), data = '' WHERE person_id = $1 AND ended_at IS NULL AND token <> $2 RETURNING token`,
		person,
		but,
	)
	if err != nil {
		return err
	}
	for _, r := range rows {
		if err := q.Notify(ctx, Signal{Kind: SessionEnded, Session: r.Token}); err != nil {
			return err
		}
	}
	return nil
}

// EndedSessions tells which of some sessions do not live any more.
func (q Q) EndedSessions(ctx context.Context, tokens []string) ([]string, error) {
	rows, err := all[struct{ Token string }](ctx, q, `SELECT t FROM unnest($1::text[]) AS t
		WHERE NOT EXISTS (SELECT FROM sessions s WHERE s.token = t AND s.ended_at IS NULL AND now() < s.expiry)`, tokens)
	out := make([]string, len(rows))
	for i, r := range rows {
		out[i] = r.Token
	}
	return out, err
}

// SweepSessions forgets sessions that have expired.
func (q Q) SweepSessions(ctx context.Context) error {
	return q.exec(ctx, `DELETE FROM sessions WHERE expiry < now()`)
}

// Secret gives random bytes that all servers of the house share, made on first use.
func (q Q) Secret(ctx context.Context, name string) ([]byte, error) {
	fresh := make([]byte, 32)
	rand.Read(fresh) // never fails (crypto/rand)
	if err := q.exec(ctx, `INSERT INTO secret (name, value) VALUES ($1, $2) ON CONFLICT (name) DO NOTHING`, name, fresh); err != nil {
		return nil, err
	}
	return scalar[[]byte](ctx, q, `SELECT value FROM secret WHERE name = $1`, name)
}
