package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"jobshelf/core/shape/problem"

	"github.com/jackc/pgx/v5"
)

// What an event is of.
const (
	OfJob    = "job"
	OfHouse  = "house"  // machines, materials, recipes, hours: any answer may be another
	OfPeople = "people" // accounts and passwords: no answer of others is
)

// Event is something that was done: a line of a job's history, or of the house's.
type Event struct {
	ID      int64
	At      time.Time
	Kind    string
	JobID   int64 // 0: the house
	Person  int64 // 0: the program
	Who     string
	What    string // in English, of a version before codes
	Why     string
	Says    problem.Phrase
	Because problem.Phrase
	Name    string          // which of package event's kinds; empty: of before there were
	Data    json.RawMessage // its fields
}

// Tell writes an event when the transaction commits. Its number comes then, so that numbers
// come in the order of commits: who has read up to one misses none before it.
func (t *Tx) Tell(e Event) { t.told.events = append(t.told.events, e) }

// LanesChanged says with the transaction's events that runs stand otherwise in their lanes.
func (t *Tx) LanesChanged() { t.told.lanes = true }

// told is what a transaction has to tell.
type told struct {
	events []Event
	lanes  bool
}

// eventLock is held from the numbers of a transaction's events to its end.
const eventLock = 7004

// tell writes a transaction's events, as the last that it does: whoever else has events to
// tell waits until it has committed, which is at once.
func (t *Tx) tell(ctx context.Context) error {
	if len(t.told.events) == 0 {
		return nil
	}
	var b pgx.Batch
	b.Queue(`SELECT pg_advisory_xact_lock($1)`, eventLock)
	for _, e := range t.told.events {
		b.Queue(`INSERT INTO event (job_id, person_id, what, why, says, because, kind, lanes, name, data)
			VALUES (nullif($1::bigint, 0), nullif($2::bigint, 0), $3, $4, $5, $6, $7, $8, $9, coalesce($10::jsonb, '{}'))`,
			e.JobID, e.Person, e.What, e.Why, e.Says, e.Because, e.Kind, t.told.lanes, e.Name, e.Data)
	}
	payload, err := json.Marshal(Signal{Kind: OfEvents})
	if err != nil {
		return err
	}
	b.Queue(`SELECT pg_notify($1, $2)`, Channel, string(payload))
	return t.tx.SendBatch(ctx, &b).Close()
}

// History lists a job's events, oldest first.
func (q Q) History(ctx context.Context, job int64) ([]Event, error) {
	return all[Event](ctx, q, `SELECT e.id, at, kind, coalesce(job_id, 0), coalesce(person_id, 0), coalesce(p.name, ''), what, why, says, because, e.name, data FROM event e LEFT JOIN person p ON p.id = person_id
		WHERE job_id = $1 ORDER BY e.id`, job)
}

// Change is what of an event a browser has to know: what is not as it was.
type Change struct {
	ID    int64
	Kind  string
	JobID int64
	Owner int64 // the member whose job it is
	Lanes bool
}

// ChangesAfter lists what has changed since an event, in the order of commits, so many at the
// most.
func (q Q) ChangesAfter(ctx context.Context, id int64, most int) ([]Change, error) {
	return all[Change](ctx, q, `SELECT e.id, kind, coalesce(job_id, 0), coalesce(j.member_id, 0), lanes FROM event e LEFT JOIN job j ON j.id = job_id
		WHERE e.id > $1 AND kind <> 'people' ORDER BY e.id LIMIT $2`, id, most)
}

// LastEvent is the number of the latest event; 0 before the first.
func (q Q) LastEvent(ctx context.Context) (int64, error) {
	return scalar[int64](ctx, q, `SELECT coalesce(max(id), 0) FROM event`)
}

// Signal is what servers tell each other at once.
type Signal struct {
	Kind     string // events, progress, tried, session ended
	Job      int64
	Fraction float64
	Doing    string
	Owner    int64 // the member whose job it is
	Session  string
	Machine  int64
	Data     json.RawMessage // what it has told
}

// OfEvents is the kind of signal that says that there are events; SessionEnded of the one that
// ends what goes on in a session; OfProgress says how far a check is, OfTried how many orientations of a
// job were tried, OfMachine what a machine tells; they are not kept.
const (
	OfEvents     = "events"
	SessionEnded = "session ended"
	OfProgress   = "progress"
	OfTried      = "tried"
	OfMachine    = "machine"
)

// Channel is the notification channel of signals.
const Channel = "jobshelf"

// Notify sends a signal, when the transaction commits.
func (q Q) Notify(ctx context.Context, s Signal) error {
	b, err := json.Marshal(s)
	if err != nil {
		return err
	}
	return q.exec(ctx, `SELECT pg_notify($1, $2)`, Channel, string(b))
}

// Listen calls f for each signal until ctx ends or the connection fails.
func (s *Store) Listen(ctx context.Context, ready func(), f func(Signal)) error {
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
		var e Signal
		if json.Unmarshal([]byte(n.Payload), &e) == nil {
			f(e)
		}
	}
}
