// Package work does what takes longer than a person waits: River jobs on the
// house's database, so that any number of worker processes can share them.
//
// A check is one River job: read, check, fit, estimate, draw. It writes nothing
// until its end, when the verdict, the history and River's own completion commit
// together; so a worker that dies at any moment leaves a check that is done
// again from the start, and ends once. How a dead worker is noticed: every
// worker holds an advisory lock under its name; whoever can take that lock knows
// the worker is gone and puts its jobs back (see watch).
//
// Work is begun MaxTries times at the most. A try is counted when it begins, in the
// row of the check or slice, so that the death of its worker counts as one. What
// fails that often, or fails in a way that trying does not mend, is set aside with
// the reason on the shelf. What was begun when a worker died is tried again alone in
// its process: if it was what killed it, it takes nobody else's along (see gate).
package work

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"hash/fnv"
	"log/slog"
	"os"
	"runtime"
	"runtime/debug"
	"slices"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/par"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/store"
)

// The queues, by who waits: somebody at the counter, somebody at the bench, nobody.
const (
	Counter = "counter" // checks
	Bench   = "bench"   // slices
	Night   = "night"   // alternatives that might save time
)

// Queues are all of them.
var Queues = []string{Counter, Bench, Night}

// MaxTries is how often work is begun.
const MaxTries = 4

// Queue puts work on River; it serves processes that do none themselves too.
type Queue struct{ client *river.Client[pgx.Tx] }

// NewQueue makes a queue that only inserts.
func NewQueue(s *store.Store) (*Queue, error) {
	c, err := river.NewClient(riverpgxv5.New(s.Pool), &river.Config{})
	if err != nil {
		return nil, fmt.Errorf("work queue: %w", err)
	}
	return &Queue{c}, nil
}

// riverTries is what River counts by, fetches included that never began; MaxTries is
// what decides.
const riverTries = 1000

// Check queues a round of a job's check.
func (q *Queue) Check(ctx context.Context, tx *store.Tx, job int64, round int) (int64, error) {
	r, err := q.client.InsertTx(ctx, tx.Raw(), CheckArgs{Job: job, Round: round}, &river.InsertOpts{MaxAttempts: riverTries, Queue: Counter})
	if err != nil {
		return 0, fmt.Errorf("queue the check: %w", err)
	}
	return r.Job.ID, nil
}

// Cancel ends work that waits or runs.
func (q *Queue) Cancel(ctx context.Context, tx *store.Tx, queueID int64) error {
	_, err := q.client.JobCancelTx(ctx, tx.Raw(), queueID)
	if errors.Is(err, rivertype.ErrNotFound) {
		return nil
	}
	return err
}

// Worker runs jobs.
type Worker struct {
	client *river.Client[pgx.Tx]
	store  *store.Store
	name   string
	log    *slog.Logger
	stop   context.CancelFunc
	done   chan struct{}
	is     store.Worker
}

// Version is that of the program: the revision it was built from, where that is known.
func Version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	version := info.Main.Version
	for _, s := range info.Settings {
		if s.Key == "vcs.revision" {
			version = s.Value[:min(12, len(s.Value))]
		}
	}
	return version
}

// soon is for work that somebody waits for: what fails for a passing reason is
// tried again soon.
type soon[T river.JobArgs] struct {
	river.WorkerDefaults[T]
	after time.Duration
}

func (s soon[T]) NextRetry(job *river.Job[T]) time.Time {
	return time.Now().Add(time.Duration(min(job.Attempt, 2*MaxTries)) * s.after)
}

// Options are a worker's settings.
type Options struct {
	// Queues are those that it serves; default all.
	Queues []string
	// Parallel is how many jobs of a queue run at a time, of night one; default 2.
	Parallel int
	Limits   modelfile.Limits
	Log      *slog.Logger
	// RetryAfter is how long after a failure work is tried again, times the number of
	// tries; default 2 s.
	RetryAfter time.Duration
	// Memory is how much all work together may take, bytes; 0 is without end. What needs more
	// waits for a worker that has it.
	Memory int64
	// NoProposals leaves what is proposed for a job unsliced until somebody says yes to it.
	NoProposals bool
}

// served are the queues for River. What an older program queued without one is the bench's.
func (o *Options) served() map[string]river.QueueConfig {
	out := map[string]river.QueueConfig{}
	for _, q := range o.Queues {
		out[q] = river.QueueConfig{MaxWorkers: o.Parallel}
		switch q {
		case Night:
			out[q] = river.QueueConfig{MaxWorkers: 1}
		case Bench:
			out[river.QueueDefault] = river.QueueConfig{MaxWorkers: o.Parallel}
		}
	}
	return out
}

// Start begins to take jobs. Stop ends it.
func Start(ctx context.Context, s *store.Store, d *desk.Desk, o Options) (*Worker, error) {
	if o.Parallel <= 0 {
		o.Parallel = 2
	}
	if len(o.Queues) == 0 {
		o.Queues = Queues
	}
	if o.RetryAfter <= 0 {
		o.RetryAfter = 2 * time.Second
	}
	host, _ := os.Hostname()
	w := &Worker{store: s, name: fmt.Sprintf("%.30s-%d-%s", host, os.Getpid(), rand.Text()[:8]), log: o.Log, done: make(chan struct{})}
	workers := river.NewWorkers()
	alone := &gate{}
	cores := par.NewBudget(runtime.GOMAXPROCS(0))
	mem := newMemory(o.Memory)
	w.is = store.Worker{Name: w.name, Queues: o.Queues, Cores: runtime.GOMAXPROCS(0), MemoryMB: int(o.Memory / 1e6), Version: Version()}
	river.AddWorker(workers, &checkWorker{soon: soon[CheckArgs]{after: o.RetryAfter}, desk: d, store: s, limits: o.Limits, log: o.Log, gate: alone, cores: cores, memory: mem, proposes: !o.NoProposals})
	slicer := &sliceWorker{soon: soon[SliceArgs]{after: o.RetryAfter}, desk: d, store: s, limits: o.Limits, log: o.Log, gate: alone, cores: cores, memory: mem}
	river.AddWorker(workers, slicer)
	river.AddWorker(workers, &tryWorker{soon[TryArgs]{after: o.RetryAfter}, slicer})
	proposes := &proposeWorker{}
	if !o.NoProposals {
		proposes.desk = d
	}
	river.AddWorker(workers, proposes)
	var err error
	w.client, err = river.NewClient(riverpgxv5.New(s.Pool), &river.Config{
		ID:                w.name,
		Queues:            o.served(),
		Workers:           workers,
		JobTimeout:        -1, // a check may be long; it looks at its own cancelling
		FetchCooldown:     50 * time.Millisecond,
		FetchPollInterval: 500 * time.Millisecond,
		Logger:            o.Log,
		MaxAttempts:       riverTries,
	})
	if err != nil {
		return nil, fmt.Errorf("work: %w", err)
	}
	ctx, w.stop = context.WithCancel(context.WithoutCancel(ctx))
	held := make(chan error, 1)
	go w.watch(ctx, held)
	if err := <-held; err != nil {
		w.stop()
		return nil, err
	}
	if d != nil && slices.Contains(o.Queues, Counter) {
		if err := intake.Renew(ctx, d); err != nil { // its yes is refused till somebody has it checked again
			o.Log.Error("what was judged by another program is not checked again yet", "err", err)
		}
	}
	if err := w.client.Start(ctx); err != nil {
		w.stop()
		return nil, fmt.Errorf("work: %w", err)
	}
	return w, nil
}

// Stop lets running jobs end for a while, then cancels them; they are taken up
// again by the next worker.
func (w *Worker) Stop(ctx context.Context) error {
	soft, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	err := w.client.Stop(soft)
	if err != nil {
		err = w.client.StopAndCancel(ctx)
	}
	w.stop()
	<-w.done
	return errors.Join(err, w.store.EndWorker(context.WithoutCancel(ctx), w.name))
}

// gate lets work run together, save what was begun when a worker died: each of that
// runs alone, since it may be what killed it.
type gate struct{ mu sync.RWMutex }

// enter waits for its turn and gives the way out.
func (g *gate) enter(together bool) (leave func()) {
	if together {
		g.mu.RLock()
		return g.mu.RUnlock
	}
	g.mu.Lock()
	return g.mu.Unlock
}

// lasting says that trying again is of no use.
func lasting(err error) bool { return errors.Is(err, store.ErrUnstorable) }

// verdictOn decides on a try that failed: whether it is the last, and what the desk
// is told of it. Each is logged.
func verdictOn(log *slog.Logger, what string, id int64, try int, err error) (last bool, reason string) {
	log.Error("a try failed", "what", what, "id", id, "try", try, "of", MaxTries, "err", err)
	switch {
	case lasting(err):
		return true, "What came out cannot be stored: a text or number in it is none that a database holds. Tell a steward; the log has the rest."
	case try >= MaxTries:
		return true, fmt.Sprintf("It failed %d times. Tell a steward if it does so once more; the log has the reason.", try)
	}
	return false, ""
}

// lockClass sets our workers' locks apart from other advisory locks.
const lockClass = 7002

func lockKey(name string) int32 {
	h := fnv.New32a()
	h.Write([]byte(name))
	return int32(h.Sum32())
}

// watch holds the worker's lock on a connection of its own, and every two
// seconds puts back the jobs of workers whose lock nobody holds. PostgreSQL
// drops the lock when the process dies, however it dies.
func (w *Worker) watch(ctx context.Context, held chan<- error) {
	defer close(w.done)
	first := true
	for ctx.Err() == nil {
		err := w.hold(ctx, func() {
			if first {
				first = false
				held <- nil
			}
		})
		if first {
			held <- err
			return
		}
		if ctx.Err() == nil {
			w.log.Error("lost the worker's lock; taking it again", "err", err)
			select {
			case <-ctx.Done():
			case <-time.After(time.Second):
			}
		}
	}
}

func (w *Worker) hold(ctx context.Context, ready func()) error {
	conn, err := w.store.Pool.Acquire(ctx)
	if err != nil {
		return fmt.Errorf("hold the worker's lock: %w", err)
	}
	own := conn.Hijack()
	defer own.Close(context.WithoutCancel(ctx))
	if _, err := own.Exec(ctx, `SELECT pg_advisory_lock($1, $2)`, lockClass, lockKey(w.name)); err != nil {
		return fmt.Errorf("hold the worker's lock: %w", err)
	}
	tick := time.NewTicker(2 * time.Second)
	defer tick.Stop()
	for {
		n, err := putBack(ctx, own, w.name)
		if err != nil {
			return err
		}
		if err := w.store.SeeWorker(ctx, w.is); err != nil {
			return err
		}
		if n > 0 {
			w.log.Info("took up the jobs of a worker that is gone", "jobs", n)
		}
		ready()
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-tick.C:
		}
	}
}

// putBack makes the running jobs of dead workers available again.
func putBack(ctx context.Context, conn *pgx.Conn, self string) (int64, error) {
	rows, err := conn.Query(ctx, `SELECT DISTINCT attempted_by[array_length(attempted_by, 1)] FROM river_job WHERE state = 'running'`)
	if err != nil {
		return 0, fmt.Errorf("look for dead workers: %w", err)
	}
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return 0, fmt.Errorf("look for dead workers: %w", err)
	}
	var total int64
	for _, name := range names {
		if name == self {
			continue
		}
		var dead bool
		if err := conn.QueryRow(ctx, `SELECT pg_try_advisory_lock($1, $2)`, lockClass, lockKey(name)).Scan(&dead); err != nil {
			return total, fmt.Errorf("look for dead workers: %w", err)
		}
		if !dead {
			continue
		}
		tag, err := conn.Exec(ctx, `UPDATE river_job SET state = 'available', scheduled_at = now()
			WHERE state = 'running' AND attempted_by[array_length(attempted_by, 1)] = $1`, name)
		if err != nil {
			return total, fmt.Errorf("put back the jobs of a dead worker: %w", err)
		}
		total += tag.RowsAffected()
		if _, err := conn.Exec(ctx, `SELECT pg_advisory_unlock($1, $2)`, lockClass, lockKey(name)); err != nil {
			return total, fmt.Errorf("put back the jobs of a dead worker: %w", err)
		}
	}
	return total, nil
}
