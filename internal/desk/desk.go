// Package desk holds what people do with the house: one function per thing done,
// each in one transaction, each change of a job with a line in its history.
//
// Rules of the trade are in core; who may call what is decided by the web layer,
// save for one thing that depends on the data and is decided here: a member sees
// and touches own jobs only.
package desk

import (
	"context"
	"errors"
	"fmt"
	"time"

	"jobshelf/core/print/machine"
	"jobshelf/core/shop/planning"
	"jobshelf/internal/store"
)

// Role is what somebody may do. Each may do what the ones before may.
type Role string

// The roles.
const (
	Member      Role = "member"
	Coordinator Role = "coordinator"
	Steward     Role = "steward"
)

var rank = map[Role]int{Member: 1, Coordinator: 2, Steward: 3}

// AtLeast says that r may do what the role least may.
func (r Role) AtLeast(least Role) bool { return rank[r] > 0 && rank[r] >= rank[least] }

// Actor is who does something.
type Actor struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
	Role Role   `json:"role" enum:"member,coordinator,steward"`
}

// Queue takes background work in the transaction that makes it necessary.
type Queue interface {
	// Check queues a round of a job's check and tells its place.
	Check(ctx context.Context, tx *store.Tx, job int64, round int) (queueID int64, err error)
	// Slice queues a slice.
	Slice(ctx context.Context, tx *store.Tx, id int64) (queueID int64, err error)
	// Cancel ends queued or running work; work that is over is left alone.
	Cancel(ctx context.Context, tx *store.Tx, queueID int64) error
}

// Desk is the entrance to all use cases. Safe for several goroutines.
type Desk struct {
	Store *store.Store
	Queue Queue
	Now   func() time.Time
	Quota Quota

	briefs briefs
}

// Conflict is a refusal that the state of things makes necessary; its text tells
// the person what is in the way.
type Conflict struct{ Text string }

func (c *Conflict) Error() string { return c.Text }

func conflict(format string, args ...any) error { return &Conflict{fmt.Sprintf(format, args...)} }

// Invalid is a refusal of what was entered, field by field.
type Invalid struct{ Problems []machine.Problem }

func (i *Invalid) Error() string {
	if len(i.Problems) == 0 {
		return "The entry is not valid."
	}
	return i.Problems[0].Text
}

func invalid(field, format string, args ...any) error {
	return &Invalid{[]machine.Problem{{Field: field, Text: fmt.Sprintf(format, args...)}}}
}

// lockFor finds a job that the actor may touch, locked, at the version the actor
// has seen (0: any).
func lockFor(ctx context.Context, tx *store.Tx, a Actor, id int64, version int) (store.Job, error) {
	j, err := tx.LockJob(ctx, id)
	if err != nil {
		return j, err
	}
	if !sees(a, j) {
		return j, store.ErrNotFound
	}
	if version != 0 && version != j.Version {
		return j, conflict("Job %d was changed by somebody else meanwhile. Look at it again.", id)
	}
	return j, nil
}

func sees(a Actor, j store.Job) bool { return a.Role.AtLeast(Coordinator) || j.MemberID == a.ID }

// touched writes the history of a change and tells the browsers.
func touched(ctx context.Context, tx *store.Tx, j store.Job, by Actor, what, why string) error {
	if err := tx.AddHistory(ctx, j.ID, by.ID, what, why); err != nil {
		return err
	}
	return tx.Notify(ctx, store.Event{Kind: "job", Job: j.ID, Owner: j.MemberID})
}

// hours are the house's opening hours for the planner.
func hours(h store.House) (planning.Hours, error) {
	loc, err := time.LoadLocation(h.TimeZone)
	if err != nil {
		return planning.Hours{}, invalid("time_zone", "There is no time zone %q.", h.TimeZone)
	}
	return planning.Hours{Week: h.Week, Location: loc, Attendance: time.Duration(h.AttendanceMin) * time.Minute}, nil
}

// ErrSignIn is returned for a wrong login or password, without telling which.
var ErrSignIn = errors.New("login or password is wrong")

// SignIn checks a login and password. An unknown login costs as much time as a
// wrong password.
func (d *Desk) SignIn(ctx context.Context, login, password string) (Actor, error) {
	p, err := d.Store.PersonByLogin(ctx, login)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return Actor{}, err
	}
	known := err == nil && !p.Closed
	if !known {
		p.Hash = nobody
	}
	if !PasswordMatches(p.Hash, password) || !known {
		return Actor{}, ErrSignIn
	}
	return actor(p), nil
}

// Who finds who a session belongs to.
func (d *Desk) Who(ctx context.Context, id int64) (Actor, error) {
	p, err := d.Store.PersonByID(ctx, id)
	if err == nil && p.Closed {
		err = store.ErrNotFound
	}
	return actor(p), err
}

// Named finds who a login belongs to; ErrSignIn if nobody.
func (d *Desk) Named(ctx context.Context, login string) (Actor, error) {
	p, err := d.Store.PersonByLogin(ctx, login)
	if errors.Is(err, store.ErrNotFound) || err == nil && p.Closed {
		return Actor{}, ErrSignIn
	}
	return actor(p), err
}

func actor(p store.Person) Actor { return Actor{p.ID, p.Name, Role(p.Role)} }

// People lists everybody, for handing in on somebody's behalf.
func (d *Desk) People(ctx context.Context) ([]Actor, error) {
	rows, err := d.Store.People(ctx)
	out := make([]Actor, len(rows))
	for i, p := range rows {
		out[i] = actor(p)
	}
	return out, err
}
