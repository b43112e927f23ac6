package work

import (
	"bytes"
	"context"
	"errors"
	"io"
	"log/slog"
	"math"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var (
	ctx   = context.Background()
	quiet = slog.New(slog.DiscardHandler)
)

// house is a database with the demo house, and its desk; nobody works yet.
type house struct {
	t     *testing.T
	store *store.Store
	desk  *desk.Desk
	cato  desk.Actor
}

func open(t *testing.T) *house {
	t.Helper()
	s := pgtest.New(t)
	_, err := demo.SetUp(ctx, s)
	require.NoError(t, err)
	q, err := NewQueue(s)
	require.NoError(t, err)
	noon := time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)
	p, err := s.PersonByLogin(ctx, "cato")
	require.NoError(t, err)
	return &house{t, s, &desk.Desk{Store: s, Queue: q, Now: func() time.Time { return noon }}, desk.Actor{ID: p.ID, Name: p.Name, Role: desk.Coordinator}}
}

func (h *house) worker() *Worker {
	h.t.Helper()
	w, err := Start(ctx, h.store, h.desk, Options{Log: quiet, NoProposals: true})
	require.NoError(h.t, err)
	return w
}

func (h *house) handIn(file []byte, name string) int64 {
	h.t.Helper()
	id, _, err := intake.Upload(ctx, h.desk, h.cato, name, bytes.NewReader(file))
	require.NoError(h.t, err)
	job, err := intake.NewJob(ctx, h.desk, h.cato, intake.HandIn{Purpose: recipe.Everyday, Pieces: []intake.HandInPiece{{UploadID: id, Copies: 2}}})
	require.NoError(h.t, err)
	return job
}

func (h *house) view(job int64) decide.JobView {
	h.t.Helper()
	v, err := decide.Job(ctx, h.desk, h.cato, job)
	require.NoError(h.t, err)
	return v
}

// until waits for something that a worker does; the limit is for a hung test.
func (h *house) until(what string, is func() bool) {
	h.t.Helper()
	for end := time.Now().Add(time.Minute); !is(); time.Sleep(20 * time.Millisecond) {
		require.True(h.t, time.Now().Before(end), what)
	}
}

func (h *house) over(job int64) func() bool {
	return func() bool {
		s := h.view(job).Check.State
		return s != "queued" && s != "running"
	}
}

func stl(t *testing.T, m *mesh.Mesh) []byte {
	var b bytes.Buffer
	require.NoError(t, modelfile.WriteSTL(&b, m, ""))
	return b.Bytes()
}

// A job that a worker took before it died is put back, as soon as nobody holds the
// worker's lock; one whose worker lives is left to it.
func TestJobsOfTheDeadAreTakenUp(t *testing.T) {
	h := open(t)
	dead, alive := h.handIn(stl(t, solid.Box(20, 20, 5)), "a.stl"), h.handIn(stl(t, solid.Box(20, 20, 6)), "b.stl")
	pool := h.store.Pool
	for job, name := range map[int64]string{dead: "ghost", alive: "busy"} {
		tag, err := pool.Exec(ctx, `UPDATE river_job SET state = 'running', attempt = 1, attempted_at = now(), attempted_by = array[$2] WHERE kind = 'check' AND (args->>'job')::bigint = $1`, job, name)
		require.NoError(t, err)
		require.EqualValues(t, 1, tag.RowsAffected())
	}
	own, err := pool.Acquire(ctx)
	require.NoError(t, err)
	_, err = own.Exec(ctx, `SELECT pg_advisory_lock($1, $2)`, lockClass, lockKey("busy"))
	require.NoError(t, err)
	w := h.worker()
	defer func() { assert.NoError(t, w.Stop(ctx)) }()
	h.until("the dead worker's check ends", func() bool { return h.view(dead).Check.State == "done" })
	assert.NotEqual(t, "done", h.view(alive).Check.State, "its worker lives")
	_, err = own.Exec(ctx, `SELECT pg_advisory_unlock($1, $2)`, lockClass, lockKey("busy"))
	require.NoError(t, err)
	own.Release()
	h.until("the other ends once its worker is gone", func() bool { return h.view(alive).Check.State == "done" })
	checked := 0
	for _, x := range h.view(dead).History {
		if x.Who == "" {
			checked++
		}
	}
	assert.Equal(t, 1, checked, "its end is told once")
	// What was judged by a program that judges otherwise is checked again when one like this starts.
	_, err = pool.Exec(ctx, `UPDATE version SET judged_by = '{}' WHERE piece_id IN (SELECT id FROM piece WHERE job_id = $1)`, alive)
	require.NoError(t, err)
	was := len(h.view(alive).History)
	next := h.worker()
	defer func() { assert.NoError(t, next.Stop(ctx)) }()
	h.until("the stale one is checked again", func() bool { return len(h.view(alive).History) == was+2 && h.over(alive)() })
	assert.True(t, slices.ContainsFunc(h.view(alive).History, func(x decide.HistoryLine) bool {
		return x.What == "Checked again" && x.Why == "This program judges otherwise than the one before."
	}))
	assert.Len(t, h.view(dead).History, 2, "the other is fresh")
}

// A worker that is stopped gives back what it is at; the next one ends it.
func TestAStoppedWorkerGivesBack(t *testing.T) {
	h := open(t)
	w := h.worker()
	job := h.handIn(stl(t, solid.Torus(50, 20, 300, 150)), "ring.stl")
	h.until("the check ends", func() bool { return h.view(job).Check.State == "done" })
	piece := h.view(job).PieceSet[0].ID
	row, err := h.store.Piece(ctx, piece)
	require.NoError(t, err)
	seen, err := h.store.Blob(ctx, *row.ViewID)
	require.NoError(t, err)
	assert.EqualValues(t, 8+12*300*150+24*300*150, seen.Size, "as many triangles are still drawn one by one")
	require.NoError(t, intake.Retry(ctx, h.desk, h.cato, job))
	h.until("the check runs", func() bool { return h.view(job).Check.State == "running" })
	hard, cancel := context.WithCancel(ctx)
	cancel() // no time to end softly
	_ = w.Stop(hard)
	h.until("it is given back", func() bool { return h.view(job).Check.State == "queued" })
	assert.Zero(t, h.tries(job), "an interruption is no try")
	w = h.worker()
	h.until("the next one ends it", h.over(job))
	machines, err := h.store.Machines(ctx)
	require.NoError(t, err)
	id, err := plates.OrderSlice(ctx, h.desk, h.cato, piece, plates.SliceOrder{MachineID: machines[0].ID, Overrides: []recipe.Override{{Key: "layer_mm", Value: "0.08", Why: "as fine as it goes"}}})
	require.NoError(t, err)
	state := func() string {
		s, err := h.store.Slice(ctx, id)
		require.NoError(t, err)
		return s.State
	}
	h.until("the slice runs", func() bool { return state() == "running" })
	_ = w.Stop(hard)
	assert.NotEqual(t, "done", state(), "half done is not done")
	next := h.worker()
	defer func() { assert.NoError(t, next.Stop(ctx)) }()
	h.until("another worker ends it", func() bool { return state() == "done" })
	s, err := h.store.Slice(ctx, id)
	require.NoError(t, err)
	made, err := h.store.Plates(ctx, id)
	require.NoError(t, err)
	require.Len(t, made, 2, "each of the two as large as the plate")
	assert.NotNil(t, made[0].GCodeID)
	assert.Equal(t, made[0].GCodeID, made[1].GCodeID, "alike")
	assert.InDelta(t, 1, s.Fraction, 0)
}

// tries counts how often a check was begun.
func (h *house) tries(job int64) (n int) {
	h.t.Helper()
	require.NoError(h.t, h.store.Pool.QueryRow(ctx, `SELECT tries FROM task WHERE job_id = $1`, job).Scan(&n))
	return n
}

// Work whose worker dies each time is begun as often as is said and then set aside,
// with the reason on the shelf; other work goes on; "try once more" begins anew.
func TestWorkThatKillsItsWorkerIsSetAside(t *testing.T) {
	h := open(t)
	killer := h.handIn(stl(t, solid.Box(20, 20, 5)), "killer.stl")
	dies := func() { // as if a worker had begun it and died
		tag, err := h.store.Pool.Exec(ctx, `UPDATE river_job SET state = 'running', attempt = 30, attempted_at = now(), attempted_by = array['ghost'] WHERE kind = 'check' AND (args->>'job')::bigint = $1 AND state NOT IN ('completed', 'cancelled', 'discarded')`, killer)
		require.NoError(t, err)
		require.EqualValues(t, 1, tag.RowsAffected())
		_, err = intake.BeginCheck(ctx, h.desk, killer, 1)
		require.NoError(t, err)
	}
	for range MaxTries {
		dies()
	}
	other := h.handIn(stl(t, solid.Box(20, 20, 6)), "other.stl")
	w := h.worker()
	defer func() { assert.NoError(t, w.Stop(ctx)) }()
	h.until("the other is checked", func() bool { return h.view(other).Check.State == "done" })
	h.until("the killer is set aside", func() bool { return h.view(killer).Check.State == "set aside" })
	v := h.view(killer)
	assert.Contains(t, v.Check.Error, "begun 4 times, and each time the program that worked on it died")
	shelf, err := decide.Shelf(ctx, h.desk, h.cato)
	require.NoError(t, err)
	for _, s := range shelf.Slips {
		if s.ID == killer {
			assert.Equal(t, v.Check.Error, s.Check.Error, "the reason is on the shelf")
		}
	}
	assert.Equal(t, "The check was set aside", v.History[len(v.History)-1].What)
	n := h.tries(killer)
	assert.Equal(t, MaxTries, n)
	require.NoError(t, intake.Retry(ctx, h.desk, h.cato, killer))
	h.until("once more goes well", func() bool { return h.view(killer).Check.State == "done" })
	n = h.tries(killer)
	assert.Equal(t, 1, n)
}

// What the database refuses is a failure told at once; what fails otherwise is tried
// as often as is said, each try logged.
func TestFailuresAreTriedAsOftenAsIsSaid(t *testing.T) {
	for name, c := range map[string]struct {
		makeFail string
		tries    int
		says     string
	}{
		"a value that cannot be stored": {`RAISE EXCEPTION 'unsupported Unicode escape sequence' USING ERRCODE = '22P05'`, 1, "cannot be stored"},
		"some other failure":            {`RAISE EXCEPTION 'out of cheese'`, MaxTries, "It failed 4 times"},
	} {
		t.Run(name, func(t *testing.T) {
			h := open(t)
			_, err := h.store.Pool.Exec(ctx, `CREATE FUNCTION fail() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN `+c.makeFail+`; END $$;
				CREATE TRIGGER fail BEFORE UPDATE OF verdict ON version FOR EACH ROW EXECUTE FUNCTION fail()`)
			require.NoError(t, err)
			var log bytes.Buffer
			var mu sync.Mutex
			w, err := Start(ctx, h.store, h.desk, Options{NoProposals: true, Log: slog.New(slog.NewTextHandler(&locked{w: &log, mu: &mu}, nil)), RetryAfter: time.Millisecond})
			require.NoError(t, err)
			defer func() { assert.NoError(t, w.Stop(ctx)) }()
			job := h.handIn(stl(t, solid.Box(20, 20, 5)), "a.stl")
			h.until("it is set aside", func() bool { return h.view(job).Check.State == "set aside" })
			assert.Contains(t, h.view(job).Check.Error, c.says)
			n := h.tries(job)
			assert.Equal(t, c.tries, n)
			mu.Lock()
			defer mu.Unlock()
			assert.Equal(t, c.tries, strings.Count(log.String(), "a try failed"), "each is logged")
		})
	}
}

type locked struct {
	w  io.Writer
	mu *sync.Mutex
}

func (l *locked) Write(b []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.w.Write(b)
}

// Infinite numbers come from nowhere we know; if one does, it is told at once.
func TestInfiniteNumbersAreUnstorable(t *testing.T) {
	h := open(t)
	id := h.handIn(stl(t, solid.Box(20, 20, 5)), "a.stl")
	pieces, err := h.store.Pieces(ctx, id)
	require.NoError(t, err)
	for _, v := range []*verdict.Verdict{{VolumeMM3: math.Inf(1)}, {Name: "nul \x00"}} {
		err := h.store.SetJudgement(ctx, pieces[0].ID, 1, store.Judgement{Verdict: v})
		assert.ErrorIs(t, err, store.ErrUnstorable)
		assert.True(t, lasting(err))
	}
}

// What was begun when a worker died runs alone, all else together.
func TestTheGate(t *testing.T) {
	g := &gate{}
	a, b := g.enter(true), g.enter(true)
	in := make(chan func())
	go func() { in <- g.enter(false) }()
	a()
	select {
	case <-in:
		t.Fatal("not while another works")
	default:
	}
	b()
	leave := <-in
	go func() { in <- g.enter(true) }()
	select {
	case <-in:
		t.Fatal("not beside it")
	default:
	}
	leave()
	(<-in)()
}

// A slice whose worker died waits until it is alone, and is not begun if its own worker is
// stopped meanwhile.
func TestASliceWhoseWorkerDiedWaitsItsTurn(t *testing.T) {
	h := open(t)
	w := h.worker()
	job := h.handIn(stl(t, solid.Box(20, 20, 5)), "a.stl")
	h.until("it is checked", h.over(job))
	require.NoError(t, w.Stop(ctx))
	machines, err := h.store.Machines(ctx)
	require.NoError(t, err)
	id, err := plates.OrderSlice(ctx, h.desk, h.cato, h.view(job).PieceSet[0].ID, plates.SliceOrder{MachineID: machines[0].ID})
	require.NoError(t, err)
	_, err = h.store.BeginSlice(ctx, id)
	require.NoError(t, err)
	tries := func() int {
		s, err := h.store.Slice(ctx, id)
		require.NoError(t, err)
		return s.Tries
	}
	one := &sliceWorker{desk: h.desk, store: h.store, log: quiet, gate: &gate{}}
	another := one.gate.enter(true)
	stopped, stop := context.WithCancel(ctx)
	end := make(chan error)
	go func() {
		end <- one.Work(stopped, &river.Job[SliceArgs]{JobRow: &rivertype.JobRow{}, Args: SliceArgs{Slice: id}})
	}()
	h.until("it waits", func() bool {
		require.Equal(t, 1, tries(), "it did not wait")
		free := one.gate.mu.TryRLock()
		if free {
			one.gate.mu.RUnlock()
		}
		return !free
	})
	stop()
	another()
	assert.ErrorIs(t, <-end, context.Canceled)
}

// Progress is written now and then, not for every step; once the round is over the
// work is told to stop, and stays so.
func TestProgressIsThrottledAndStopsTheWork(t *testing.T) {
	said := 0
	var over error
	r := &reporter{say: func(string, float64) error { said++; return over }}
	r.ctx, r.cancel = context.WithCancel(ctx)
	for i := range 1000 {
		require.NoError(t, r.tell("checking", float64(i)/1000, false))
	}
	assert.LessOrEqual(t, said, 3)
	before := said
	require.NoError(t, r.tell("checking", 1, true))
	assert.Equal(t, before+1, said, "said at once when asked to")
	over = store.ErrChanged
	require.ErrorIs(t, r.tell("checking", 1, true), store.ErrChanged)
	assert.Error(t, r.ctx.Err())
	over = errors.New("another")
	assert.ErrorIs(t, r.tell("checking", 1, true), store.ErrChanged, "the first reason stays")
	assert.Equal(t, before+2, said)
}

// A slice that is over when its turn comes, because somebody cancelled it, is left alone:
// no second try, nothing logged as a fault, and its end stays what it was.
func TestWhatIsOverIsNotTriedAgain(t *testing.T) {
	h := open(t)
	w := h.worker()
	job := h.handIn(stl(t, solid.Box(20, 20, 5)), "a.stl")
	h.until("it is checked", h.over(job))
	require.NoError(t, w.Stop(ctx))
	v := h.view(job)
	machine := int64(0)
	for _, r := range v.Ladder {
		if r.Proposed {
			machine = r.MachineID
		}
	}
	id, err := plates.OrderSlice(ctx, h.desk, h.cato, v.PieceSet[0].ID, plates.SliceOrder{MachineID: machine})
	require.NoError(t, err)
	s, err := h.store.Slice(ctx, id)
	require.NoError(t, err)
	s.State = "cancelled" // and the queue has not heard of it yet
	require.NoError(t, h.store.InTx(ctx, func(tx *store.Tx) error { return tx.EndSlice(ctx, s) }))
	var log bytes.Buffer
	var mu sync.Mutex
	w, err = Start(ctx, h.store, h.desk, Options{NoProposals: true, Log: slog.New(slog.NewTextHandler(&locked{w: &log, mu: &mu}, nil)), RetryAfter: time.Millisecond})
	require.NoError(t, err)
	var state string
	attempt := 0
	h.until("the queue has done with it", func() bool {
		row := h.store.Pool.QueryRow(ctx, `SELECT state::text, attempt FROM river_job WHERE kind = 'slice'`)
		require.NoError(t, row.Scan(&state, &attempt))
		return state == "completed" || state == "discarded" || state == "cancelled" || attempt > 1
	})
	require.NoError(t, w.Stop(ctx))
	assert.Equal(t, 1, attempt, state)
	mu.Lock()
	defer mu.Unlock()
	assert.NotContains(t, log.String(), "a try failed")
	s, err = h.store.Slice(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "cancelled", s.State)
}

// Each model of a file has its share of the way: what is told goes up over all of them.
func TestProgressOfAFileOfSeveral(t *testing.T) {
	h := open(t)
	f := &modelfile.File{Unit: units.Millimetre}
	for range 4 {
		f.Models = append(f.Models, modelfile.Model{Mesh: solid.Box(9, 8, 7), Places: []mesh.Vec3{{}}})
	}
	var b bytes.Buffer
	require.NoError(t, modelfile.Write3MF(&b, f))
	job := h.handIn(b.Bytes(), "set.3mf")
	in, err := intake.InputOf(ctx, h.desk, job)
	require.NoError(t, err)
	w := &checkWorker{desk: h.desk, store: h.store, log: quiet}
	var told []float64
	r := &reporter{say: func(_ string, x float64) error { told = append(told, x); return nil }}
	r.ctx, r.cancel = context.WithCancel(ctx)
	defer r.cancel()
	out, err := w.takeApart(ctx, in.Pieces[0], f, in, r)
	require.NoError(t, err)
	require.Len(t, out, 4)
	require.GreaterOrEqual(t, len(told), 4)
	quarter := 0
	for i, x := range told {
		if i > 0 {
			assert.GreaterOrEqual(t, x, told[i-1], "%v", told)
		}
		quarter = max(quarter, int(4*x))
		assert.LessOrEqual(t, x, 1.0)
	}
	assert.Less(t, told[0], 0.25)
	assert.GreaterOrEqual(t, quarter, 3, "%v", told)
}

// A check overtakes alternatives that nobody waits for, however many there are; workers share
// the queues among them, and one that serves the counter alone leaves the rest.
func TestWhoWaitsComesFirst(t *testing.T) {
	h := open(t)
	w := h.worker()
	first := h.handIn(stl(t, solid.Box(20, 20, 5)), "a.stl")
	h.until("it is checked", h.over(first))
	v := h.view(first)
	base, err := plates.OrderSlice(ctx, h.desk, h.cato, v.PieceSet[0].ID, plates.SliceOrder{MachineID: v.Ladder[0].MachineID, Overrides: []recipe.Override{}})
	require.NoError(t, err)
	states := func() map[string]int {
		all, err := plates.Slices(ctx, h.desk, h.cato, v.PieceSet[0].ID)
		require.NoError(t, err)
		n := map[string]int{}
		for _, s := range all {
			n[s.State]++
		}
		return n
	}
	h.until("it is sliced", func() bool { return states()["done"] == 1 })
	require.NoError(t, w.Stop(ctx))

	// Ten alternatives wait, and nobody works for the night: the check is done, they are not.
	_, err = plates.Savings(ctx, h.desk, h.cato, base)
	require.NoError(t, err)
	waiting := states()["queued"]
	require.Greater(t, waiting, 3)
	day, err := Start(ctx, h.store, h.desk, Options{Log: quiet, Queues: []string{Counter}, NoProposals: true})
	require.NoError(t, err)
	second := h.handIn(stl(t, solid.Box(20, 20, 6)), "b.stl")
	h.until("it is checked", h.over(second))
	assert.Equal(t, waiting, states()["queued"])
	require.NoError(t, day.Stop(ctx))

	// Each queue has its own hands; what an older program queued without one is the bench's.
	o := Options{Queues: Queues, Parallel: 3}
	assert.Equal(t, map[string]river.QueueConfig{Counter: {MaxWorkers: 3}, Bench: {MaxWorkers: 3}, Night: {MaxWorkers: 1}, river.QueueDefault: {MaxWorkers: 3}}, o.served())
	w = h.worker()
	h.until("all is done", func() bool { return states()["done"] == waiting+1 })
	require.NoError(t, w.Stop(ctx))
}

// What is proposed for a job is sliced before anybody decides, once: not what is stopped, not a
// program, not again when it is checked again and nothing has changed. Then a yes queues its
// plates at once, with the figures of the toolpath.
func TestWhatIsProposedIsSliced(t *testing.T) {
	h := open(t)
	w, err := Start(ctx, h.store, h.desk, Options{Log: quiet})
	require.NoError(t, err)
	defer func() { assert.NoError(t, w.Stop(ctx)) }()
	_, err = h.store.Pool.Exec(ctx, `UPDATE house SET sooner_cents = 100000`) // what is done first is proposed, at any price
	require.NoError(t, err)
	id := h.handIn(stl(t, solid.Box(20, 20, 5)), "a.stl")
	open := solid.Box(20, 20, 5)
	open.Triangles = open.Triangles[1:]
	stopped := h.handIn(stl(t, open), "open.stl")
	program := h.handIn([]byte("G28\nG90\nM83\nM104 S200\nG1 X50 Y50 Z0.2 F3000\nG1 X80 Y50 E2 F1200\nM104 S0\n"), "p.gcode")
	proposed := func(job int64) *floor.LadderRow {
		for _, r := range h.view(job).Ladder {
			if r.Proposed && r.Full {
				return &r
			}
		}
		return nil
	}
	full := func() *floor.LadderRow { return proposed(id) }
	h.until("the proposal is sliced", func() bool { return full() != nil })
	h.until("the others are checked", func() bool { return h.over(stopped)() && h.over(program)() })
	require.NoError(t, intake.Retry(ctx, h.desk, h.cato, id))
	h.until("it is checked again", h.over(id))
	for job, want := range map[int64]int{id: 1, stopped: 0, program: 0} {
		all, err := h.store.Slices(ctx, job)
		require.NoError(t, err)
		assert.Len(t, all, want)
	}
	next := h.handIn(stl(t, solid.Box(30, 30, 9)), "b.stl")
	h.until("the next is sliced", func() bool { return proposed(next) != nil })
	row, was := full(), proposed(next)
	require.NotNil(t, row)
	require.Equal(t, row.MachineID, was.MachineID)
	require.NoError(t, decide.Approve(ctx, h.desk, h.cato, id, 0, decide.Yes{MachineID: 0}))
	h.until("where lanes have changed, the other machine that is proposed now", func() bool { return proposed(next) != nil && proposed(next).MachineID != was.MachineID })
	v := h.view(id)
	require.Equal(t, "approved", v.State)
	assert.InDelta(t, row.Seconds, v.Runs[0].Seconds, 1e-9)
	d, err := plates.RunProgram(ctx, h.desk, h.cato, v.Runs[0].ID)
	require.NoError(t, err)
	text, err := io.ReadAll(d)
	require.NoError(t, err)
	assert.Contains(t, string(text), "; part: a.stl, 2 times")
	// A program that was sliced elsewhere is a plate of its own for each copy, its bytes unchanged.
	require.NoError(t, decide.Approve(ctx, h.desk, h.cato, program, 0, decide.Yes{MachineID: 0}))
	v = h.view(program)
	require.Len(t, v.Runs, v.Pieces)
	d, err = plates.RunProgram(ctx, h.desk, h.cato, v.Runs[0].ID)
	require.NoError(t, err)
	text, err = io.ReadAll(d)
	require.NoError(t, err)
	assert.Contains(t, string(text), "G1 X80 Y50 E2 F1200\nM104 S0\n")
}

// Work waits for its share of a process's memory and is told of it; what needs more than all
// there is goes to a larger worker. Who works in the house is known while it does.
func TestWorkWaitsForMemory(t *testing.T) {
	m := newMemory(100)
	var told []string
	tell := func(p problem.Phrase) error {
		told = append(told, p.Code)
		return nil
	}
	first, err := m.take(ctx, 60, tell)
	require.NoError(t, err)
	assert.Empty(t, told)
	_, err = m.take(ctx, 101, tell)
	require.ErrorIs(t, err, errTooLarge)
	over, cancel := context.WithCancel(ctx)
	cancel()
	_, err = m.take(over, 50, tell)
	require.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, []string{"waits for a larger worker", "waits for memory"}, told)
	first()
	second, err := m.take(ctx, 100, tell)
	require.NoError(t, err)
	second()
	_, err = newMemory(0).take(ctx, 1<<50, tell)
	require.NoError(t, err, "without end")

	h := open(t)
	small, err := Start(ctx, h.store, h.desk, Options{Log: quiet, NoProposals: true, Memory: 80e6, RetryAfter: 10 * time.Millisecond})
	require.NoError(t, err)
	light := h.handIn(stl(t, solid.Box(20, 20, 5)), "light.stl")
	heavy := h.handIn(stl(t, solid.Sphere(40, 250)), "heavy.stl")
	h.until("the light one is checked", h.over(light))
	h.until("it is told what the heavy one waits for", func() bool { return h.view(heavy).Check.Doing == "waiting for a worker with 0.092 GB of memory" })
	assert.Equal(t, "queued", h.view(heavy).Check.State)
	assert.Zero(t, h.tries(heavy), "it was not begun")
	large, err := Start(ctx, h.store, h.desk, Options{Log: quiet, NoProposals: true, Queues: []string{Counter}})
	require.NoError(t, err)
	h.until("the large one checks it", h.over(heavy))
	who, err := h.store.Workers(ctx)
	require.NoError(t, err)
	require.Len(t, who, 2)
	assert.Equal(t, []any{Queues, 80, []string{Counter}, 0}, []any{who[0].Queues, who[0].MemoryMB, who[1].Queues, who[1].MemoryMB})
	assert.NotEmpty(t, who[0].Version)

	// A slice waits likewise.
	v := h.view(heavy)
	id, err := plates.OrderSlice(ctx, h.desk, h.cato, v.PieceSet[0].ID, plates.SliceOrder{MachineID: v.Ladder[0].MachineID})
	require.NoError(t, err)
	waits := func() string {
		s, err := h.store.Slice(ctx, id)
		require.NoError(t, err)
		return s.State + " " + s.Waits
	}
	h.until("it is told", func() bool { return strings.HasPrefix(waits(), "queued waiting for a worker with") })
	require.NoError(t, large.Stop(ctx))
	require.NoError(t, small.Stop(ctx))
	who, err = h.store.Workers(ctx)
	require.NoError(t, err)
	assert.Empty(t, who)
	all := h.worker()
	h.until("one without a bound slices it", func() bool { return waits() == "done " })
	require.NoError(t, all.Stop(ctx))
}

// All pieces of which a finding calls for a repair are repaired together, each by what is called for; what is sound and
// what cannot be read stays as it is, and holds none of them.
func TestAllPiecesAreRepairedTogether(t *testing.T) {
	h := open(t)
	w := h.worker()
	defer func() { assert.NoError(t, w.Stop(ctx)) }()
	hole := solid.Box(20, 20, 10)
	hole.Triangles = hole.Triangles[1:]
	twice := solid.Box(10, 20, 10)
	twice.Triangles = append(twice.Triangles, twice.Triangles[3])
	var in intake.HandIn
	in.Purpose = recipe.Everyday
	for name, file := range map[string][]byte{"hole.stl": stl(t, hole), "twice.stl": stl(t, twice), "sound.stl": stl(t, solid.Box(5, 6, 7)), "torn.stl": []byte("solid torn\nfacet normal 0 0")} {
		id, _, err := intake.Upload(ctx, h.desk, h.cato, name, bytes.NewReader(file))
		require.NoError(t, err)
		in.Pieces = append(in.Pieces, intake.HandInPiece{UploadID: id, Copies: 1})
	}
	job, err := intake.NewJob(ctx, h.desk, h.cato, in)
	require.NoError(t, err)
	h.until("checked", h.over(job))
	v := h.view(job)
	require.NoError(t, intake.RepairAll(ctx, h.desk, h.cato, job, v.Revision))
	require.Error(t, intake.RepairAll(ctx, h.desk, h.cato, job, v.Revision), "as it was seen")
	h.until("repaired", h.over(job))
	for _, p := range h.view(job).PieceSet {
		switch p.Name {
		case "hole.stl", "twice.stl":
			require.Len(t, p.Versions, 2, p.Name)
			assert.Equal(t, 2, p.Current)
			assert.NotEmpty(t, p.Versions[1].Log)
			assert.True(t, p.Surface.Closed, p.Name)
			assert.Empty(t, p.Mend)
			assert.Equal(t, 1, p.Undo)
		default:
			assert.Len(t, p.Versions, 1, p.Name)
		}
	}
	assert.ErrorContains(t, intake.RepairAll(ctx, h.desk, h.cato, job, 0), "Nothing was found")
}

func TestWhatIsSaidHasATextOfTheHouse(t *testing.T) { desktest.Codes(t) }
