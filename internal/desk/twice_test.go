package desk_test

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/store"
)

// scene is a job that is being weighed, with a slice that is done, one that waits and one
// that counts.
type scene struct {
	job, piece          int64
	revision            int
	done, waits, counts int64
	round               int
}

func (h *home) scene(checked bool) scene {
	job, piece := h.ToDecide()
	m := h.Machines[0].ID
	s := scene{job: job, piece: piece, done: h.Sliced(piece, m, 4000), counts: h.Sliced(piece, m, 5000, recipe.Override{Key: "shells", Value: "5", Why: "a test"})}
	require.NoError(h.T, plates.ChooseSlice(ctx, h.Desk, h.Cato, s.counts))
	var err error
	s.waits, err = plates.OrderSlice(ctx, h.Desk, h.Cato, piece, plates.SliceOrder{MachineID: m, Stand: new(orient.Sized(0.5))})
	require.NoError(h.T, err)
	if !checked {
		require.NoError(h.T, intake.Retry(ctx, h.Desk, h.Cato, job)) // a check is on its way
	}
	t, err := h.Store.TaskOf(ctx, job)
	require.NoError(h.T, err)
	s.revision, s.round = h.Job(job).Revision, t.Round
	return s
}

// command is something that is done to a scene.
type command struct {
	name string
	do   func(h *home, s scene) error
}

func commands() []command {
	three, seven := 3, 7
	return []command{
		{"approve", func(h *home, s scene) error {
			return decide.Approve(ctx, h.Desk, h.Cato, s.job, 0, decide.Yes{MachineID: h.Machines[0].ID})
		}},
		{"take back", func(h *home, s scene) error { return decide.TakeBack(ctx, h.Desk, h.Cato, s.job, 0) }},
		{"withdraw", func(h *home, s scene) error { return decide.Withdraw(ctx, h.Desk, h.Owner, s.job, 0, "") }},
		{"send back", func(h *home, s scene) error {
			return decide.SendBack(ctx, h.Desk, h.Cato, s.job, s.revision, "It leans.")
		}},
		{"copies", func(h *home, s scene) error {
			return intake.ChangePiece(ctx, h.Desk, h.Cato, s.piece, intake.PieceChange{Revision: s.revision, Copies: &three})
		}},
		{"more copies", func(h *home, s scene) error {
			return intake.ChangePiece(ctx, h.Desk, h.Cato, s.piece, intake.PieceChange{Copies: &seven})
		}},
		{"repair", func(h *home, s scene) error {
			return intake.Repair(ctx, h.Desk, h.Cato, s.piece, s.revision, []string{string(repair.Weld)})
		}},
		{"retry", func(h *home, s scene) error { return intake.Retry(ctx, h.Desk, h.Cato, s.job) }},
		{"cancel the check", func(h *home, s scene) error { return intake.CancelCheck(ctx, h.Desk, h.Cato, s.job) }},
		{"end of the check", func(h *home, s scene) error {
			p, err := h.Store.Piece(ctx, s.piece)
			if err != nil {
				return err
			}
			p.Copies, p.Current = 1, 1 // as it was when the check began
			in, err := intake.InputOf(ctx, h.Desk, s.job)
			if err != nil {
				return err
			}
			ok, err := intake.RecordCheck(ctx, h.Desk, s.job, s.round, []intake.Checked{{Piece: p, Judgement: store.Judgement{Verdict: h.Found, By: in.By}}}, func(*store.Tx) error { return nil })
			if err == nil && !ok {
				err = errors.New("the round is over")
			}
			return err
		}},
		{"order", func(h *home, s scene) error {
			_, err := plates.OrderSlice(ctx, h.Desk, h.Cato, s.piece, plates.SliceOrder{MachineID: h.Machines[0].ID, Stand: new(orient.Sized(0.7))})
			return err
		}},
		{"choose", func(h *home, s scene) error { return plates.ChooseSlice(ctx, h.Desk, h.Cato, s.done) }},
		{"choose again", func(h *home, s scene) error { return plates.ChooseSlice(ctx, h.Desk, h.Cato, s.counts) }},
		{"cancel a slice", func(h *home, s scene) error { return plates.CancelSlice(ctx, h.Desk, h.Cato, s.waits) }},
		{"end of a slice", func(h *home, s scene) error { return h.EndSlice(s.waits, 6000) }},
	}
}

// told is all that a scene came to, without numbers that count up over scenes.
func (h *home) told(s scene) string {
	v := h.Job(s.job)
	t, err := h.Store.TaskOf(ctx, s.job)
	require.NoError(h.T, err)
	out := []string{fmt.Sprintf("%s %q v%d, check %s %+d", v.State, v.Reason, v.Revision-s.revision, t.State, t.Round-s.round)}
	for _, p := range v.PieceSet {
		out = append(out, fmt.Sprintf("%d copies, version %d", p.Copies, p.Current))
	}
	slicesOf, err := h.Store.Slices(ctx, s.job)
	require.NoError(h.T, err)
	for _, x := range slicesOf {
		out = append(out, fmt.Sprintf("slice of %d %s, counts %v, figures %v", x.Pieces[0].Version, x.State, x.Chosen, x.Full != nil))
	}
	for _, r := range v.Runs {
		out = append(out, fmt.Sprintf("run %s %.0f s", r.State, r.Seconds))
	}
	var history []string
	for _, l := range v.History {
		history = append(history, l.What)
	}
	return strings.Join(append(out, numbers.ReplaceAllString(strings.Join(history, "; "), "#")), "\n")
}

var numbers = regexp.MustCompile(`\d+`)

// held keeps lanes, and jobs if any, until it is let go; let go when so many wait.
func (h *home) held(jobs []int64, waiting int, start func()) {
	h.T.Helper()
	require.NoError(h.T, h.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		for _, j := range jobs {
			if _, err := tx.LockJob(ctx, j); err != nil {
				return err
			}
		}
		start()
		for end := time.Now().Add(20 * time.Second); ; time.Sleep(time.Millisecond) { // for a hung test
			var n int
			row := h.Store.Pool.QueryRow(ctx, `SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`)
			if err := row.Scan(&n); err != nil {
				return err
			}
			if n >= waiting {
				return nil
			}
			if time.Now().After(end) {
				return fmt.Errorf("%d of %d wait: who does not has not locked what it changes", n, waiting)
			}
		}
	}))
}

// Of two things done to a job at the same time, both wait for it, and what it comes to is
// what one after the other gives, in some order.
func TestTwoAtATime(t *testing.T) {
	h := open(t)
	serial := func(checked bool, a, b command) (string, [2]bool) {
		s := h.scene(checked)
		errA := a.do(h, s)
		errB := b.do(h, s)
		out := h.told(s)
		h.clear(s)
		return out, [2]bool{errA == nil, errB == nil}
	}
	all := commands()
	pairs := 0
	for i := range all {
		for k := i; k < len(all); k++ {
			checked := all[i].name == "approve" // else it is refused whatever comes
			if testing.Short() && (i+k)%4 != 0 {
				continue
			}
			a, b := all[i], all[k]
			s := h.scene(checked)
			done := make(chan error, 2)
			errA, errB := make(chan error, 1), make(chan error, 1)
			h.held([]int64{s.job}, 2, func() {
				go func() { err := a.do(h, s); errA <- err; done <- err }()
				go func() { err := b.do(h, s); errB <- err; done <- err }()
			})
			<-done
			<-done
			got, both := h.told(s), [2]bool{<-errA == nil, <-errB == nil}
			h.clear(s)
			pairs++
			first, went := serial(checked, a, b)
			if got == first && both == went {
				continue
			}
			second, wentBack := serial(checked, b, a)
			if got == second && both == [2]bool{wentBack[1], wentBack[0]} {
				continue
			}
			assert.Fail(t, "no order gives that", "%s and %s gave %v\n%s\n\none order %v\n%s\n\nthe other %v\n%s", a.name, b.name, both, got, went, first, wentBack, second)
		}
	}
	t.Logf("%d pairs", pairs)
}

// clear takes a scene's run off its lane.
func (h *home) clear(s scene) {
	h.T.Helper()
	h.SlicedForYes(s.job)
	for v := h.Job(s.job); len(v.Runs) > 0 && v.Runs[0].State != "off the machine"; v = h.Job(s.job) {
		require.NoError(h.T, demo.ByHand(ctx, h.Desk, h.Cato, s.job))
	}
}

// Runs that are moved, added, started and taken off at the same time, each of another job,
// stand in the end as some order of these gives, and each of these waits for the lanes.
func TestLanesAreChangedByOneAtATime(t *testing.T) {
	h := open(t)
	machine := h.EmptyLane()
	var jobs []int64
	for range 4 {
		job, _ := h.ToDecide()
		h.Approved(job, machine)
		jobs = append(jobs, job)
	}
	assert.ErrorContains(t, demo.ByHand(ctx, h.Desk, h.Cato, jobs[1]), "comes before it")
	fresh, piece := h.ToDecide()
	h.Sliced(piece, machine, 600)
	first := jobs[3] // comes to stand first, if it is moved last
	for round, order := range [][]change{
		{{"move", jobs[3], 0}, {"move", jobs[2], 0}, {"approve", fresh, 0}},
		{{"move", fresh, 1}, {"move", jobs[0], 4}, {"start", first, 0}, {"move", jobs[1], 0}},
		{{"move", fresh, 0}, {"start", fresh, 0}, {"move", jobs[2], 2}},
	} {
		before := h.lineOf(machine)
		possible := map[string]bool{}
		permuted(order, func(in []change) {
			q := before.clone()
			for _, c := range in {
				q.do(c)
			}
			possible[q.String()] = true
		})
		errs := make(chan error, len(order))
		h.held(nil, len(order), func() {
			for _, c := range order {
				go func() {
					switch c.what {
					case "move":
						errs <- floor.MoveRun(ctx, h.Desk, h.Cato, h.Job(c.job).Runs[0].ID, c.place)
					case "approve":
						errs <- decide.Approve(ctx, h.Desk, h.Cato, c.job, 0, decide.Yes{MachineID: machine})
					default:
						errs <- demo.ByHand(ctx, h.Desk, h.Cato, c.job)
					}
				}()
			}
		})
		for range order {
			if err := <-errs; err != nil {
				var conflict *desk.Conflict
				assert.ErrorAs(t, err, &conflict) // it is no longer the first, or has begun
			}
		}
		got := h.lineOf(machine).String()
		assert.Contains(t, possible, got, "round %d from %s", round, before)
		var places []int
		for i, r := range h.lane(machine) {
			places = append(places, r.Position-i)
		}
		assert.Len(t, slices.Compact(places), 1, "round %d: one behind the other", round)
	}
}

// change is a move of a job's run, its start, or its coming to the end of the lane.
type change struct {
	what  string
	job   int64
	place int
}

// line is a lane as it is thought of: jobs, and how many of them have begun.
type line struct {
	jobs  []int64
	begun int
}

func (q *line) clone() *line   { return &line{slices.Clone(q.jobs), q.begun} }
func (q *line) String() string { return fmt.Sprint(q.jobs, q.begun) }

func (q *line) do(c change) {
	at := slices.Index(q.jobs, c.job)
	switch c.what {
	case "approve":
		q.jobs = append(q.jobs, c.job)
	case "start":
		if at == 0 && q.begun == 0 {
			q.begun = 1
		}
	case "move":
		if at >= q.begun {
			q.jobs = slices.Delete(q.jobs, at, at+1)
			q.jobs = slices.Insert(q.jobs, min(q.begun+c.place, len(q.jobs)), c.job)
		}
	}
}

func permuted(all []change, visit func([]change)) {
	var next func(k int)
	next = func(k int) {
		if k == len(all) {
			visit(all)
			return
		}
		for i := k; i < len(all); i++ {
			all[k], all[i] = all[i], all[k]
			next(k + 1)
			all[k], all[i] = all[i], all[k]
		}
	}
	next(0)
}

func (h *home) lineOf(machine int64) *line {
	q := &line{}
	for _, r := range h.lane(machine) {
		q.jobs = append(q.jobs, r.Shares[0].JobID)
		if r.State != "planned" {
			q.begun++
		}
	}
	return q
}

func (h *home) lane(machine int64) []store.Run {
	all, err := h.Store.Lanes(ctx)
	require.NoError(h.T, err)
	return slices.DeleteFunc(all, func(r store.Run) bool { return r.MachineID != machine })
}
