// Package desk is what all use cases share: who acts, in which house, what a refusal is, and
// the lock and the line of history that every change of a job has. The use cases themselves are
// its rooms, one package for each thing people work on: intake, decide, plates, floor, people and
// house, each with what is done (commands.go) apart from what is shown (queries.go). Each thing done is
// one function in one transaction.
//
// Rules of the trade are in core; who may call what is decided by the web layer,
// save for one thing that depends on the data and is decided here: a member sees
// and touches own jobs only.
package desk

import (
	"context"
	"encoding/json"
	"io"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/event"
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

// Known says that there is such a role.
func (r Role) Known() bool { return rank[r] > 0 }

// AtLeast says that r may do what the role least may.
func (r Role) AtLeast(least Role) bool { return rank[r] > 0 && rank[r] >= rank[least] }

// Actor is who does something.
type Actor struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
	Role Role   `json:"role" enum:"member,coordinator,steward"`
}

func ActorOf(p store.Person) Actor { return Actor{p.ID, p.Name, Role(p.Role)} }

// Queue takes background work in the transaction that makes it necessary.
type Queue interface {
	// Check queues a round of a job's check and tells its place.
	Check(ctx context.Context, tx *store.Tx, job int64, round int) (queueID int64, err error)
	// Slice queues a slice, by who waits for it.
	Slice(ctx context.Context, tx *store.Tx, id int64, who Waits) (queueID int64, err error)
	// Propose has what is proposed for jobs sliced, where it is not.
	Propose(ctx context.Context, tx *store.Tx) error
	// Try has other orientations of a job's pieces tried on the machines, where they are not.
	Try(ctx context.Context, tx *store.Tx, job int64) error
	// Cancel ends queued or running work; work that is over is left alone.
	Cancel(ctx context.Context, tx *store.Tx, queueID int64) error
}

// Waits is who waits for a slice.
type Waits int

// Who waits: somebody; somebody, in a while, when a job is decided; nobody.
const (
	Somebody Waits = iota
	SomebodySoon
	Nobody
)

// Quota is how much the house's files may take. 0 is without end.
type Quota struct {
	MemberBytes int64 // of one member's files
	AllBytes    int64 // of all together: what the database's disk holds, less room to work
}

// Desk is the entrance to all use cases. Safe for several goroutines.
type Desk struct {
	Store *store.Store
	Queue Queue
	Now   func() time.Time
	Quota Quota
	// Random is what codes by which jobs are fetched are drawn from; nil is the system's own. Tests give another.
	Random io.Reader

	briefs briefs
}

// Conflict is a refusal that the state of things makes necessary: what is in the way.
type Conflict struct{ problem.Phrase }

// Error says it in English, for logs and the command line.
func (c *Conflict) Error() string { return finding.Speak("en").Say(c.Phrase) }

func Refuse(code string, params ...any) error { return &Conflict{problem.Say(code, params...)} }

// Invalid is a refusal of what was entered, field by field.
type Invalid struct{ Problems []problem.Problem }

func (i *Invalid) Error() string {
	if len(i.Problems) == 0 {
		return "The entry is not valid."
	}
	return finding.Speak("en").Say(i.Problems[0].Phrase)
}

func Wrong(field, code string, params ...any) error {
	return &Invalid{[]problem.Problem{{Field: field, Phrase: problem.Say(code, params...)}}}
}

// Words are the house's: what is refused is said in its language. English, where the house
// cannot be asked.
func (d *Desk) Words(ctx context.Context) finding.Speaker {
	h, err := d.Store.House(ctx)
	if err != nil {
		return finding.Speak("en")
	}
	return finding.Speak(h.Locale)
}

// LockJob finds a job that the actor may touch, locked, at the revision the actor
// has seen (0: any).
func LockJob(ctx context.Context, tx *store.Tx, a Actor, id int64, revision int) (store.Job, error) {
	j, err := tx.LockJob(ctx, id)
	if err != nil {
		return j, err
	}
	if !Sees(a, j) {
		return j, store.ErrNotFound
	}
	if revision != 0 && revision != j.Revision {
		return j, Refuse("job changed meanwhile", id)
	}
	return j, nil
}

func Sees(a Actor, j store.Job) bool { return a.Role.AtLeast(Coordinator) || j.MemberID == a.ID }

// Touched tells what was done with a job, and why, where somebody or something said so.
func Touched(tx *store.Tx, j store.Job, by Actor, what event.Event, why problem.Phrase) {
	tell(tx, store.Event{Kind: store.OfJob, JobID: j.ID, Person: by.ID, Because: why}, what)
}

// Tell tells what was done in the house, or with its people.
func Tell(tx *store.Tx, of string, by int64, what event.Event) {
	tell(tx, store.Event{Kind: of, Person: by}, what)
}

func tell(tx *store.Tx, e store.Event, what event.Event) {
	raw, err := json.Marshal(what)
	if err != nil {
		panic("event: " + err.Error()) // plain data always is JSON
	}
	e.Name, e.Data, e.Says = what.Kind(), raw, event.Phrase(what)
	tx.Tell(e)
}

// All are several things done at once.
func All(what []problem.Phrase) problem.Phrase {
	switch len(what) {
	case 0:
		return problem.Phrase{}
	case 1:
		return what[0]
	}
	return problem.Say("several", what)
}

// Told is what somebody wrote, or what is words already.
func Told(text string) problem.Phrase {
	if text == "" {
		return problem.Phrase{}
	}
	return problem.Say("told", text)
}

// LanesChanged tells with what was done that runs stand otherwise in their lanes. What is
// proposed for jobs may be another machine then; what is promised to runs in the books of filament is what they take now.
func LanesChanged(ctx context.Context, d *Desk, tx *store.Tx) error {
	tx.LanesChanged()
	if err := settle(ctx, tx, d.Now()); err != nil {
		return err
	}
	return d.Queue.Propose(ctx, tx)
}

// HoursOf are the house's opening hours for the planner.
func HoursOf(h store.House) (planning.Hours, error) {
	loc, err := time.LoadLocation(h.TimeZone)
	if err != nil {
		return planning.Hours{}, Wrong("time_zone", "no such time zone", h.TimeZone)
	}
	return planning.Hours{Week: h.Week, Location: loc, Attendance: time.Duration(h.AttendanceMin) * time.Minute}, nil
}
