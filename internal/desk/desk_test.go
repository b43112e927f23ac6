package desk_test

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// queue notes what it is asked for; nobody works on it.
type queue struct {
	mu        sync.Mutex
	last      int64
	cancelled []int64
}

func (q *queue) add() (int64, error) {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.last++
	return q.last, nil
}

func (q *queue) Check(context.Context, *store.Tx, int64, int) (int64, error) { return q.add() }
func (q *queue) Slice(context.Context, *store.Tx, int64) (int64, error)      { return q.add() }
func (q *queue) Cancel(_ context.Context, _ *store.Tx, id int64) error {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.cancelled = append(q.cancelled, id)
	return nil
}

// house is the demo house at noon of a Tuesday, with its people.
type house struct {
	t           *testing.T
	store       *store.Store
	desk        *desk.Desk
	queue       *queue
	cato, owner desk.Actor
	found       *verdict.Verdict // what a check finds of a box
	machines    []store.Machine
}

func open(t *testing.T) *house {
	t.Helper()
	h := &house{t: t, store: pgtest.New(t), queue: &queue{last: 100}}
	_, err := demo.SetUp(ctx, h.store)
	require.NoError(t, err)
	noon := time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)
	h.desk = &desk.Desk{Store: h.store, Queue: h.queue, Now: func() time.Time { return noon }}
	who := func(login string, role desk.Role) desk.Actor {
		p, err := h.store.PersonByLogin(ctx, login)
		require.NoError(t, err)
		return desk.Actor{ID: p.ID, Name: p.Name, Role: role}
	}
	h.cato = who("cato", desk.Coordinator)
	for _, p := range demo.People() {
		if desk.Role(p.Role) == desk.Member && h.owner.ID == 0 {
			h.owner = who(p.Login, desk.Member)
		}
	}
	h.found, err = verdict.Judge(ctx, verdict.Subject{Mesh: solid.Box(20, 20, 10), Unit: units.Millimetre, Format: modelfile.STLBinary}, demo.Choices(recipe.Everyday), nil)
	require.NoError(t, err)
	h.machines, err = h.store.Machines(ctx)
	require.NoError(t, err)
	return h
}

// arrived hands a job of one piece in for a member.
func (h *house) arrived() (job, piece int64) {
	h.t.Helper()
	var file bytes.Buffer
	require.NoError(h.t, modelfile.WriteSTL(&file, solid.Box(20, 20, 10), ""))
	id, _, err := h.desk.Upload(ctx, h.owner, "box.stl", &file)
	require.NoError(h.t, err)
	job, err = h.desk.HandIn(ctx, h.owner, desk.HandIn{Purpose: recipe.Everyday, NeededBy: "2026-12-01", Pieces: []desk.HandInPiece{{UploadID: id, Copies: 1}}})
	require.NoError(h.t, err)
	pieces, err := h.store.Pieces(ctx, job)
	require.NoError(h.t, err)
	return job, pieces[0].ID
}

// checked ends the present round of a job's check.
func (h *house) checked(job int64) {
	h.t.Helper()
	t, err := h.store.TaskOf(ctx, job)
	require.NoError(h.t, err)
	require.True(h.t, h.record(job, t.Round))
}

func (h *house) record(job int64, round int) bool {
	pieces, err := h.store.Pieces(ctx, job)
	require.NoError(h.t, err)
	p := pieces[0]
	ok, err := h.desk.RecordCheck(ctx, job, round, []desk.Checked{{Piece: p, Judgement: store.Judgement{Verdict: h.found}}}, func(*store.Tx) error { return nil })
	require.NoError(h.t, err)
	return ok
}

func (h *house) toDecide() (job, piece int64) {
	job, piece = h.arrived()
	h.checked(job)
	return job, piece
}

// sliced orders a slice for a machine, and ends it.
func (h *house) sliced(piece, machine int64, seconds float64) int64 {
	h.t.Helper()
	id, err := h.desk.OrderSlice(ctx, h.cato, piece, desk.SliceOrder{MachineID: machine})
	require.NoError(h.t, err)
	require.NoError(h.t, h.endSlice(id, seconds))
	return id
}

func (h *house) endSlice(id int64, seconds float64) error {
	s, err := h.store.Slice(ctx, id)
	require.NoError(h.t, err)
	s.State, s.Full = "done", &price.Full{Full: estimate.Full{Seconds: seconds, Layers: 50, ByKind: map[string]float64{}}}
	return h.desk.EndSlice(ctx, s, func(*store.Tx) error { return nil })
}

func (h *house) job(id int64) desk.JobView {
	h.t.Helper()
	v, err := h.desk.Job(ctx, h.cato, id)
	require.NoError(h.t, err)
	return v
}

// steps brings a job to a step of the shelf.
func (h *house) steps(step string) (job, piece int64) {
	h.t.Helper()
	job, piece = h.arrived()
	if step == "arrived" {
		return job, piece
	}
	h.checked(job)
	switch step {
	case "to decide":
		return job, piece
	case "sent back":
		require.NoError(h.t, h.desk.SendBack(ctx, h.cato, job, 0, "It leans."))
		return job, piece
	}
	// On the machine where nobody waits before it.
	require.NoError(h.t, h.desk.Approve(ctx, h.cato, job, 0, h.emptyLane()))
	for h.job(job).Step != step {
		require.NoError(h.t, h.desk.Advance(ctx, h.cato, job, 0))
	}
	return job, piece
}

func (h *house) emptyLane() int64 {
	h.t.Helper()
	f, err := h.desk.Floor(ctx)
	require.NoError(h.t, err)
	for _, l := range f.Lanes {
		if l.InService && len(l.Runs) == 0 && l.Process == "material extrusion" {
			return l.MachineID
		}
	}
	for _, l := range f.Lanes {
		if l.InService && len(l.Runs) == 0 {
			return l.MachineID
		}
	}
	h.t.Fatal("no lane is empty")
	return 0
}

var everyStep = append(slices.Clone(desk.Steps), "fetched", "sent back")

// A command that was decided on by an older look at a job changes nothing and says so,
// whichever it is; with the present version it goes through.
func TestStaleCommandsAreRefused(t *testing.T) {
	h := open(t)
	three, one := 3, 1
	for name, c := range map[string]struct {
		step string
		do   func(job, piece int64, version int) error
	}{
		"approve":   {"to decide", func(job, _ int64, v int) error { return h.desk.Approve(ctx, h.cato, job, v, 0) }},
		"send back": {"to decide", func(job, _ int64, v int) error { return h.desk.SendBack(ctx, h.cato, job, v, "It leans.") }},
		"start":     {"approved", func(job, _ int64, v int) error { return h.desk.Advance(ctx, h.cato, job, v) }},
		"copies": {"to decide", func(_, piece int64, v int) error {
			return h.desk.ChangePiece(ctx, h.owner, piece, desk.PieceChange{Version: v, Copies: &three})
		}},
		"one more": {"arrived", func(_, piece int64, v int) error {
			return h.desk.ChangePiece(ctx, h.cato, piece, desk.PieceChange{Version: v, Copies: &three, Current: &one})
		}},
		"repair": {"to decide", func(_, piece int64, v int) error {
			return h.desk.Repair(ctx, h.cato, piece, v, []string{string(repair.Weld)})
		}},
	} {
		job, piece := h.steps(c.step)
		before := h.job(job)
		for _, stale := range []int{before.Version - 1, before.Version + 1, 999} {
			if stale < 1 {
				continue
			}
			var conflict *desk.Conflict
			err := c.do(job, piece, stale)
			require.ErrorAs(t, err, &conflict, "%s at version %d of %d", name, stale, before.Version)
			assert.Contains(t, conflict.Text, "changed by somebody else")
			require.Equal(t, before, h.job(job), name)
		}
		require.NoError(t, c.do(job, piece, before.Version), name)
		after := h.job(job)
		assert.Greater(t, after.Version, before.Version, name)
		assert.Greater(t, len(after.History), len(before.History), name)
		if after.Run != nil && after.Step == "on the floor" { // room for the next
			require.NoError(t, h.desk.Advance(ctx, h.cato, job, 0))
		} else if after.Run != nil {
			require.NoError(t, h.desk.Advance(ctx, h.cato, job, 0))
			require.NoError(t, h.desk.Advance(ctx, h.cato, job, 0))
		}
	}
}

// What a job's step settles stays settled: of each command and each step it is said
// whether it goes, and what does not go changes nothing.
func TestWhatGoesAtWhichStep(t *testing.T) {
	h := open(t)
	two := 2
	commands := map[string]struct {
		goes string
		do   func(job, piece int64) error
	}{
		"approve":   {"to decide", func(job, _ int64) error { return h.desk.Approve(ctx, h.cato, job, 0, 0) }},
		"send back": {"arrived, to decide", func(job, _ int64) error { return h.desk.SendBack(ctx, h.cato, job, 0, "It leans.") }},
		"advance":   {"approved, on the floor, finishing, pick-up", func(job, _ int64) error { return h.desk.Advance(ctx, h.cato, job, 0) }},
		"copies": {"arrived, to decide", func(_, piece int64) error {
			return h.desk.ChangePiece(ctx, h.cato, piece, desk.PieceChange{Copies: &two})
		}},
		"repair": {"to decide", func(_, piece int64) error {
			return h.desk.Repair(ctx, h.cato, piece, 0, []string{string(repair.Weld)})
		}},
		"retry":  {"arrived, to decide", func(job, _ int64) error { return h.desk.Retry(ctx, h.cato, job) }},
		"cancel": {"arrived", func(job, _ int64) error { return h.desk.CancelCheck(ctx, h.cato, job) }},
	}
	for _, step := range everyStep {
		for name, c := range commands {
			job, piece := h.steps(step)
			before := h.job(job)
			err := c.do(job, piece)
			if slices.Contains(strings.Split(c.goes, ", "), step) {
				assert.NoError(t, err, "%s of a job that is %s", name, step)
			} else {
				var conflict *desk.Conflict
				if assert.ErrorAs(t, err, &conflict, "%s of a job that is %s", name, step) && strings.HasPrefix(conflict.Text, "Job ") {
					assert.Contains(t, conflict.Text, fmt.Sprintf("Job %d is %s", job, step))
				}
				assert.Equal(t, before, h.job(job), "%s of a job that is %s", name, step)
			}
			for h.job(job).Run != nil && h.job(job).Run.State != "finished" { // room for the next
				require.NoError(t, h.desk.Advance(ctx, h.cato, job, 0))
			}
		}
	}
}

// A round of a check that is over writes nothing: neither a verdict nor how far it is.
func TestOldRoundsWriteNothing(t *testing.T) {
	h := open(t)
	job, piece := h.arrived()
	five := 5
	for range 2 {
		require.NoError(t, h.desk.ChangePiece(ctx, h.cato, piece, desk.PieceChange{Copies: &five}))
		five++
	}
	now, err := h.store.TaskOf(ctx, job)
	require.NoError(t, err)
	j, err := h.store.Job(ctx, job)
	require.NoError(t, err)
	before := h.job(job)
	for _, other := range []int{now.Round - 2, now.Round - 1, now.Round + 1} {
		assert.False(t, h.record(job, other), "round %d of %d", other, now.Round)
		_, err := h.desk.BeginCheck(ctx, job, other)
		assert.ErrorIs(t, err, store.ErrChanged)
		assert.ErrorIs(t, h.desk.Progress(ctx, j, other, "cutting", 0.5), store.ErrChanged)
		assert.NoError(t, h.desk.SetAside(ctx, job, other, "It took too long."))
		require.Equal(t, before, h.job(job))
	}
	require.NoError(t, h.desk.Progress(ctx, j, now.Round, "cutting", 0.5))
	assert.InDelta(t, 0.5, h.job(job).Check.Fraction, 1e-6)
	assert.True(t, h.record(job, now.Round))
	assert.Equal(t, "to decide", h.job(job).Step)
	assert.False(t, h.record(job, now.Round), "twice")
	assert.ErrorIs(t, h.desk.Progress(ctx, j, now.Round, "cutting", 0.7), store.ErrChanged)
}

// A slice that counts does so for the version of the piece it was made of and for its
// machine; one that is not done cannot count; one that is over stays as it ended.
func TestSlicesCountForWhatTheyWereMadeOf(t *testing.T) {
	h := open(t)
	job, piece := h.toDecide()
	rung := func(machine int64) desk.Rung {
		for _, r := range h.job(job).Ladder {
			if r.MachineID == machine {
				return r
			}
		}
		t.Fatal(machine)
		return desk.Rung{}
	}
	var takes []int64
	for _, r := range h.job(job).Ladder {
		if r.InService && r.Fits && r.Seconds > 0 {
			takes = append(takes, r.MachineID)
		}
	}
	require.Greater(t, len(takes), 1)
	quick := rung(takes[0])
	id, err := h.desk.OrderSlice(ctx, h.cato, piece, desk.SliceOrder{MachineID: takes[0]})
	require.NoError(t, err)
	var conflict *desk.Conflict
	for _, state := range []string{"queued", "running"} {
		require.ErrorAs(t, h.desk.ChooseSlice(ctx, h.cato, id), &conflict, state)
		_, err = h.desk.BeginSlice(ctx, id)
		require.NoError(t, err)
	}
	require.NoError(t, h.desk.CancelSlice(ctx, h.cato, id))
	require.ErrorAs(t, h.desk.ChooseSlice(ctx, h.cato, id), &conflict, "cancelled")
	assert.ErrorIs(t, h.endSlice(id, 99), store.ErrChanged, "its end comes too late")
	s, err := h.store.Slice(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "cancelled", s.State)
	assert.Nil(t, s.Full)

	id = h.sliced(piece, takes[0], 7777)
	assert.ErrorIs(t, h.endSlice(id, 99), store.ErrChanged, "twice")
	assert.False(t, rung(takes[0]).Full, "nobody said that it counts")
	require.NoError(t, h.desk.ChooseSlice(ctx, h.cato, id))
	assert.True(t, rung(takes[0]).Full)
	assert.InDelta(t, 7777, rung(takes[0]).Seconds, 1e-6)
	assert.False(t, rung(takes[1]).Full, "on another machine it says nothing")
	other := h.sliced(piece, takes[1], 5555)
	require.NoError(t, h.desk.ChooseSlice(ctx, h.cato, other))
	assert.True(t, rung(takes[1]).Full)
	assert.Equal(t, quick.Seconds, rung(takes[0]).Seconds, "one counts at a time")
	// A repair makes another version; the slice is of the one before.
	require.NoError(t, h.desk.Repair(ctx, h.cato, piece, 0, []string{string(repair.Weld)}))
	h.checked(job)
	assert.False(t, rung(takes[1]).Full)
	one := 1
	require.NoError(t, h.desk.ChangePiece(ctx, h.cato, piece, desk.PieceChange{Current: &one}))
	h.checked(job)
	assert.True(t, rung(takes[1]).Full, "as it came, it counts again")
}

// What is sent back, changed or checked anew takes its old work from the queue.
func TestWorkThatNobodyWaitsForIsCancelled(t *testing.T) {
	h := open(t)
	two := 2
	for name, do := range map[string]func(job, piece int64) error{
		"send back": func(job, _ int64) error { return h.desk.SendBack(ctx, h.cato, job, 0, "It leans.") },
		"copies": func(_, piece int64) error {
			return h.desk.ChangePiece(ctx, h.cato, piece, desk.PieceChange{Copies: &two})
		},
		"retry":  func(job, _ int64) error { return h.desk.Retry(ctx, h.cato, job) },
		"cancel": func(job, _ int64) error { return h.desk.CancelCheck(ctx, h.cato, job) },
	} {
		job, piece := h.arrived()
		task, err := h.store.TaskOf(ctx, job)
		require.NoError(t, err)
		require.NotZero(t, task.QueueID)
		h.queue.cancelled = nil
		require.NoError(t, do(job, piece), name)
		assert.Equal(t, []int64{task.QueueID}, h.queue.cancelled, name)
		// And what is over is left alone.
		job, piece = h.toDecide()
		h.queue.cancelled = nil
		_ = do(job, piece)
		assert.Empty(t, h.queue.cancelled, name)
	}
}

// A ladder's finish is its earliest start and what the run takes, to the second.
func TestFinishIsStartAndDuration(t *testing.T) {
	h := open(t)
	job, _ := h.toDecide()
	n, proposed := 0, 0
	var first time.Time
	for _, r := range h.job(job).Ladder {
		if r.Start == nil {
			continue
		}
		n++
		took := r.Finish.Sub(*r.Start).Seconds()
		assert.GreaterOrEqual(t, took, r.Seconds)
		assert.Less(t, took, r.Seconds+1)
		if first.IsZero() || r.Finish.Before(first) {
			first = *r.Finish
		}
		if r.Proposed {
			proposed++
			assert.Greater(t, r.WarmUp, 0.0)
		}
	}
	assert.Greater(t, n, 1)
	assert.Equal(t, 1, proposed)
	for _, r := range h.job(job).Ladder {
		if r.Proposed {
			assert.Equal(t, first, *r.Finish, "the machine on which it would be finished first")
		}
	}
}

// A job that is still to be checked stays so when a piece of it changes, and what differs from
// a recipe notes what held before, also where the recipe leaves it out.
func TestChangesKeepTheStepAndNoteWhatWas(t *testing.T) {
	h := open(t)
	job, piece := h.arrived()
	two := 2
	require.NoError(t, h.desk.ChangePiece(ctx, h.cato, piece, desk.PieceChange{Copies: &two}))
	assert.Equal(t, "arrived", h.job(job).Step)
	h.checked(job)
	require.NoError(t, h.desk.ChangePiece(ctx, h.cato, piece, desk.PieceChange{Copies: &two}))
	assert.Equal(t, "to decide", h.job(job).Step)
	id, err := h.desk.OrderSlice(ctx, h.cato, piece, desk.SliceOrder{MachineID: h.machines[0].ID, Overrides: []recipe.Override{{Key: "support_deg", Value: "60", Why: "try"}, {Key: "shells", Value: "5", Why: "try"}}})
	require.NoError(t, err)
	s, err := h.store.Slice(ctx, id)
	require.NoError(t, err)
	r := demo.Choices(recipe.Everyday)[0].Recipe.WithDefaults()
	assert.Equal(t, []string{fmt.Sprint(r.SupportDeg), fmt.Sprint(r.Shells)}, []string{s.Overrides[0].Was, s.Overrides[1].Was})
}

// Newcomers of every role are taken; what cannot be is refused by its field.
func TestNewcomers(t *testing.T) {
	h := open(t)
	good := desk.Newcomer{Login: "ada", Name: "Ada Brook", Role: desk.Member, Password: "correct horse"}
	for k, role := range []desk.Role{desk.Member, desk.Coordinator, desk.Steward} {
		n := good
		n.Login, n.Role = fmt.Sprint("ada", k), role
		id, err := h.desk.AddPerson(ctx, h.cato, n)
		require.NoError(t, err, role)
		p, err := h.store.PersonByID(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, string(role), p.Role)
	}
	for field, change := range map[string]func(*desk.Newcomer){
		"login": func(n *desk.Newcomer) { n.Login = "a b" }, "name": func(n *desk.Newcomer) { n.Name = " " }, "role": func(n *desk.Newcomer) { n.Role = "boss" }, "password": func(n *desk.Newcomer) { n.Password = "x" },
	} {
		n := good
		change(&n)
		_, err := h.desk.AddPerson(ctx, h.cato, n)
		var bad *desk.Invalid
		if assert.ErrorAs(t, err, &bad, field) {
			assert.Equal(t, field, bad.Problems[0].Field)
		}
	}
}

// What would save time is sliced against what it is held to: each is an alternative of its
// own, and none counts.
func TestSavingsAreAlternatives(t *testing.T) {
	h := open(t)
	_, piece := h.toDecide()
	queued, err := h.desk.OrderSlice(ctx, h.cato, piece, desk.SliceOrder{MachineID: h.machines[0].ID})
	require.NoError(t, err)
	var no *desk.Conflict
	_, err = h.desk.Savings(ctx, h.cato, queued)
	assert.ErrorAs(t, err, &no, "nothing is known of it yet")
	base := h.sliced(piece, h.machines[0].ID, 100)
	ids, err := h.desk.Savings(ctx, h.cato, base)
	require.NoError(t, err)
	labels := map[string]bool{}
	for _, id := range ids {
		s, err := h.store.Slice(ctx, id)
		require.NoError(t, err)
		require.NotNil(t, s.BaseID)
		assert.Equal(t, base, *s.BaseID)
		assert.Equal(t, "queued", s.State)
		assert.False(t, s.Chosen)
		labels[s.Label] = true
		changed := len(s.Overrides) == 1 || s.Scale == 0.9 || s.Tip == "x" || s.MachineID != h.machines[0].ID
		assert.True(t, changed, s.Label)
	}
	assert.Len(t, labels, len(ids))
	assert.True(t, slices.ContainsFunc(slices.Collect(maps.Keys(labels)), func(l string) bool { return strings.HasPrefix(l, "on ") }), "on another machine")
	assert.Subset(t, slices.Collect(maps.Keys(labels)), []string{"thicker layers", "less infill", "one shell less", "a tenth smaller", "laid over"})
}

// A check is held against every machine of the house; a run that prints stays where it is; and
// the check of a job that is sent back is cancelled.
func TestChecksRunsAndRefusals(t *testing.T) {
	h := open(t)
	job, _ := h.arrived()
	in, err := h.desk.CheckInput(ctx, job)
	require.NoError(t, err)
	require.Len(t, in.Choices, len(h.machines))
	for k, c := range in.Choices {
		assert.Equal(t, h.machines[k].Data.Name, c.Machine.Name)
	}
	require.NoError(t, h.desk.SendBack(ctx, h.cato, job, 0, "It leans."))
	assert.Equal(t, "cancelled", h.job(job).Check.State)
	floor, _ := h.steps("on the floor")
	run, err := h.store.RunOfJob(ctx, floor)
	require.NoError(t, err)
	require.Equal(t, "printing", run.State)
	var no *desk.Conflict
	assert.ErrorAs(t, h.desk.MoveRun(ctx, h.cato, run.ID, run.MachineID, 0), &no)
}

// The ladder is of all pieces of a job, each as often as it is wanted, in the order of the
// house's machines.
func TestTheLadderIsOfAllPieces(t *testing.T) {
	h := open(t)
	tall, err := verdict.Judge(ctx, verdict.Subject{Mesh: solid.Box(20, 20, 300), Unit: units.Millimetre, Format: modelfile.STLBinary}, demo.Choices(recipe.Everyday), nil)
	require.NoError(t, err)
	var pieces []desk.HandInPiece
	for _, copies := range []int{2, 3} {
		id, _, err := h.desk.Upload(ctx, h.owner, "a.stl", bytes.NewReader([]byte{byte(copies)}))
		require.NoError(t, err)
		pieces = append(pieces, desk.HandInPiece{UploadID: id, Copies: copies})
	}
	job, err := h.desk.HandIn(ctx, h.owner, desk.HandIn{Purpose: recipe.Everyday, Pieces: pieces})
	require.NoError(t, err)
	rows, err := h.store.Pieces(ctx, job)
	require.NoError(t, err)
	checked := []desk.Checked{{Piece: rows[0], Judgement: store.Judgement{Verdict: h.found}}, {Piece: rows[1], Judgement: store.Judgement{Verdict: tall}}}
	_, err = h.desk.RecordCheck(ctx, job, 1, checked, func(*store.Tx) error { return nil })
	require.NoError(t, err)
	fits := 0
	for k, r := range h.job(job).Ladder {
		assert.Equal(t, h.machines[k].Data.Name, r.Name)
		low, high := h.found.Machines[k], tall.Machines[k]
		require.Equal(t, r.Name, high.Name)
		assert.Equal(t, high.Fits, r.Fits, r.Name)
		if r.Fits && high.Quick != nil {
			fits++
			assert.InDelta(t, 2*low.Quick.Grams+3*high.Quick.Grams, r.Grams, 1e-9)
		}
	}
	assert.Positive(t, fits)
	assert.Less(t, fits, len(h.machines))
}

// A member's hands reach no other member's job: it is as if there were none.
func TestMembersTouchTheirOwnOnly(t *testing.T) {
	h := open(t)
	job, piece := h.toDecide()
	id := h.sliced(piece, h.machines[0].ID, 100)
	stranger := desk.Actor{ID: h.owner.ID + 1, Name: "Somebody", Role: desk.Member}
	two := 2
	for name, err := range map[string]error{
		"copies": h.desk.ChangePiece(ctx, stranger, piece, desk.PieceChange{Copies: &two}),
		"repair": h.desk.Repair(ctx, stranger, piece, 0, []string{string(repair.Weld)}),
		"retry":  h.desk.Retry(ctx, stranger, job),
		"cancel": h.desk.CancelCheck(ctx, stranger, job),
		"choose": h.desk.ChooseSlice(ctx, stranger, id),
		"order": func() error {
			_, err := h.desk.OrderSlice(ctx, stranger, piece, desk.SliceOrder{MachineID: h.machines[0].ID})
			return err
		}(),
		"look": func() error { _, err := h.desk.Job(ctx, stranger, job); return err }(),
	} {
		assert.ErrorIs(t, err, store.ErrNotFound, name)
	}
	shelf, err := h.desk.Shelf(ctx, stranger)
	require.NoError(t, err)
	assert.Empty(t, shelf.Slips)
	shelf, err = h.desk.Shelf(ctx, h.owner)
	require.NoError(t, err)
	require.Len(t, shelf.Slips, 1)
	assert.Nil(t, shelf.Next, "what is next is the desk's")
}

// A finding that stops a job keeps it from being approved; one to be decided on does not.
func TestWhatStopsAJob(t *testing.T) {
	h := open(t)
	for grade, goes := range map[finding.Grade]bool{finding.StopsIt: false, finding.Decide: true, finding.WorthKnowing: true} {
		job, _ := h.arrived()
		sound := *h.found
		sound.Findings = append(slices.Clone(sound.Findings), finding.Finding{Check: "test", Grade: grade, Text: "It is blue."})
		was := h.found
		h.found = &sound
		h.checked(job)
		h.found = was
		err := h.desk.Approve(ctx, h.cato, job, 0, 0)
		assert.Equal(t, goes, err == nil, "%s: %v", grade, err)
	}
}

// The last steward stays one, and stays; with another beside either may go.
func TestTheLastStewardStays(t *testing.T) {
	h := open(t)
	var stewards []string
	for _, p := range demo.People() {
		if desk.Role(p.Role) == desk.Steward {
			stewards = append(stewards, p.Login)
		}
	}
	require.NotEmpty(t, stewards)
	for _, s := range stewards[1:] {
		require.NoError(t, h.desk.ChangePerson(ctx, desk.Actor{}, s, desk.PersonChange{Role: new(desk.Member)}))
	}
	last := stewards[0]
	for name, c := range map[string]desk.PersonChange{"demoted": {Role: new(desk.Coordinator)}, "closed": {Close: true}, "both": {Role: new(desk.Member), Close: true}} {
		assert.ErrorContains(t, h.desk.ChangePerson(ctx, desk.Actor{}, last, c), "the last steward", name)
	}
	require.NoError(t, h.desk.ChangePerson(ctx, desk.Actor{}, last, desk.PersonChange{Role: new(desk.Steward), Password: new("something new")}))
	require.NoError(t, h.desk.ChangePerson(ctx, desk.Actor{}, "cato", desk.PersonChange{Role: new(desk.Steward)}))
	require.NoError(t, h.desk.ChangePerson(ctx, desk.Actor{}, last, desk.PersonChange{Role: new(desk.Member)}))
	assert.ErrorContains(t, h.desk.ChangePerson(ctx, desk.Actor{}, "cato", desk.PersonChange{Close: true}), "the last steward")
}

// A slice that the machine cannot be asked for is refused by its field, and nothing is queued.
func TestASliceThatCannotBeIsRefused(t *testing.T) {
	h := open(t)
	_, piece := h.toDecide()
	queued := h.queue.last
	for key, value := range map[string]string{"layer_mm": "0.9", "nozzle_c": "310", "bed_c": "140", "first_layer_mm": "1.4"} {
		_, err := h.desk.OrderSlice(ctx, h.cato, piece, desk.SliceOrder{MachineID: h.machines[0].ID, Overrides: []recipe.Override{{Key: key, Value: value, Why: "to see"}}})
		var bad *desk.Invalid
		require.ErrorAs(t, err, &bad, key)
	}
	slices, err := h.store.Slices(ctx, piece)
	require.NoError(t, err)
	assert.Empty(t, slices)
	assert.Equal(t, queued, h.queue.last)
}

// A machine that is not there, above or below those that are, takes no job.
func TestOnlyTheHousesMachinesTakeJobs(t *testing.T) {
	h := open(t)
	job, piece := h.toDecide()
	before := h.job(job)
	for _, m := range []int64{-1, 999_999} {
		require.Error(t, h.desk.Approve(ctx, h.cato, job, 0, m))
		_, err := h.desk.OrderSlice(ctx, h.cato, piece, desk.SliceOrder{MachineID: m})
		require.Error(t, err)
	}
	assert.Equal(t, before.Version, h.job(job).Version)
	assert.Equal(t, "to decide", h.job(job).Step)
}

// What is handed in is kept as it was given, with its place in the queue; a second nozzle is
// loaded with what the house has.
func TestWhatIsGivenIsKept(t *testing.T) {
	h := open(t)
	id, _ := h.arrived()
	j, err := h.store.Job(ctx, id)
	require.NoError(t, err)
	require.NotNil(t, j.NeededBy)
	assert.Equal(t, "2026-12-01", j.NeededBy.Format(time.DateOnly))
	task, err := h.store.TaskOf(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, h.queue.last, task.QueueID)
	m := desk.MachineView(h.machines[0])
	m.Data.NozzlesMM, m.Data.Second.Material = []float64{0.4, 0.4}, "Nonesuch"
	require.ErrorContains(t, h.desk.SetMachine(ctx, h.owner, m), "Nonesuch")
	m.Data.Second.Material = m.Data.Material
	require.NoError(t, h.desk.SetMachine(ctx, h.owner, m))
}

// A judgement that a shelf has shown is not read again: it never changes.
func TestAShelfReadsEachJudgementOnce(t *testing.T) {
	h := open(t)
	was := h.found
	sound := *was
	sound.Findings = append(slices.Clone(sound.Findings), finding.Finding{Check: "test", Grade: finding.Decide, Text: "It is blue."})
	h.found = &sound
	job, _ := h.toDecide()
	h.found = was
	worst := func() string {
		shelf, err := h.desk.Shelf(ctx, h.cato)
		require.NoError(t, err)
		for _, s := range shelf.Slips {
			if s.ID == job {
				return s.Worst.Text
			}
		}
		return "not there"
	}
	assert.Equal(t, "It is blue.", worst())
	_, err := h.store.Pool.Exec(ctx, `UPDATE version SET verdict = '{}'`)
	require.NoError(t, err)
	assert.Equal(t, "It is blue.", worst())
}

// Every command tells the browsers of its job's owner, and nobody else as owner.
func TestCommandsAreTold(t *testing.T) {
	h := open(t)
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	events, ready := make(chan store.Event, 100), make(chan bool)
	go func() {
		_ = h.store.Listen(ctx, func() { close(ready) }, func(e store.Event) { events <- e })
	}()
	<-ready
	// upToHere are the events so far: what is told now comes behind them.
	upToHere := func() (out []store.Event) {
		require.NoError(t, h.store.Notify(ctx, store.Event{Kind: "end"}))
		for e := range events {
			if e.Kind == "end" {
				break
			}
			out = append(out, e)
		}
		return out
	}
	job, piece := h.arrived()
	upToHere()
	machine := h.machines[0].ID
	two := 2
	var slice int64
	for _, c := range []struct {
		name string
		do   func() error
		lane bool
	}{
		{"copies", func() error { return h.desk.ChangePiece(ctx, h.cato, piece, desk.PieceChange{Copies: &two}) }, false},
		{"cancel", func() error { return h.desk.CancelCheck(ctx, h.cato, job) }, false},
		{"retry", func() error { return h.desk.Retry(ctx, h.owner, job) }, false},
		{"record", func() error { h.checked(job); return nil }, false},
		{"order", func() (err error) {
			slice, err = h.desk.OrderSlice(ctx, h.cato, piece, desk.SliceOrder{MachineID: machine})
			return err
		}, false},
		{"end", func() error { return h.endSlice(slice, 5) }, false},
		{"choose", func() error { return h.desk.ChooseSlice(ctx, h.cato, slice) }, false},
		{"approve", func() error { return h.desk.Approve(ctx, h.cato, job, 0, h.emptyLane()) }, true},
		{"move", func() error { return h.desk.MoveRun(ctx, h.cato, h.job(job).Run.ID, h.job(job).Run.MachineID, 0) }, true},
		{"start", func() error { return h.desk.Advance(ctx, h.cato, job, 0) }, true},
		{"off", func() error { return h.desk.Advance(ctx, h.cato, job, 0) }, true},
		{"ready", func() error { return h.desk.Advance(ctx, h.cato, job, 0) }, false},
	} {
		before := len(h.job(job).History)
		require.NoError(t, c.do(), c.name)
		assert.Equal(t, before+1, len(h.job(job).History), "%s: one line of history", c.name)
		told, lane := 0, 0
		for _, e := range upToHere() {
			switch e.Kind {
			case "job":
				told++
				assert.Equal(t, job, e.Job, c.name)
				assert.Equal(t, h.owner.ID, e.Owner, c.name)
			case "lane":
				lane++
				assert.Zero(t, e.Owner+e.Job, c.name)
			}
		}
		assert.Equal(t, 1, told, "%s: one event", c.name)
		assert.Equal(t, c.lane, lane == 1, "%s: %d of the lanes", c.name, lane)
	}
}
