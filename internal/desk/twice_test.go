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

	"jobshelf/core/shape/mesh/repair"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// scene is a job that is being weighed, with a slice that is done, one that waits and one
// that counts.
type scene struct {
	job, piece          int64
	version             int
	done, waits, counts int64
	round               int
}

func (h *house) scene(checked bool) scene {
	job, piece := h.toDecide()
	m := h.machines[0].ID
	s := scene{job: job, piece: piece, done: h.sliced(piece, m, 4000), counts: h.sliced(piece, m, 5000)}
	require.NoError(h.t, h.desk.ChooseSlice(ctx, h.cato, s.counts))
	var err error
	s.waits, err = h.desk.OrderSlice(ctx, h.cato, piece, desk.SliceOrder{MachineID: m})
	require.NoError(h.t, err)
	if !checked {
		require.NoError(h.t, h.desk.Retry(ctx, h.cato, job)) // a check is on its way
	}
	t, err := h.store.TaskOf(ctx, job)
	require.NoError(h.t, err)
	s.version, s.round = h.job(job).Version, t.Round
	return s
}

// command is something that is done to a scene.
type command struct {
	name string
	do   func(h *house, s scene) error
}

func commands() []command {
	three, seven := 3, 7
	return []command{
		{"approve", func(h *house, s scene) error { return h.desk.Approve(ctx, h.cato, s.job, 0, h.machines[0].ID) }},
		{"send back", func(h *house, s scene) error { return h.desk.SendBack(ctx, h.cato, s.job, s.version, "It leans.") }},
		{"copies", func(h *house, s scene) error {
			return h.desk.ChangePiece(ctx, h.cato, s.piece, desk.PieceChange{Version: s.version, Copies: &three})
		}},
		{"more copies", func(h *house, s scene) error {
			return h.desk.ChangePiece(ctx, h.cato, s.piece, desk.PieceChange{Copies: &seven})
		}},
		{"repair", func(h *house, s scene) error {
			return h.desk.Repair(ctx, h.cato, s.piece, s.version, []string{string(repair.Weld)})
		}},
		{"retry", func(h *house, s scene) error { return h.desk.Retry(ctx, h.cato, s.job) }},
		{"cancel the check", func(h *house, s scene) error { return h.desk.CancelCheck(ctx, h.cato, s.job) }},
		{"end of the check", func(h *house, s scene) error {
			p, err := h.store.Piece(ctx, s.piece)
			if err != nil {
				return err
			}
			p.Copies, p.Current = 1, 1 // as it was when the check began
			ok, err := h.desk.RecordCheck(ctx, s.job, s.round, []desk.Checked{{Piece: p, Judgement: store.Judgement{Verdict: h.found}}}, func(*store.Tx) error { return nil })
			if err == nil && !ok {
				err = errors.New("the round is over")
			}
			return err
		}},
		{"order", func(h *house, s scene) error {
			_, err := h.desk.OrderSlice(ctx, h.cato, s.piece, desk.SliceOrder{MachineID: h.machines[0].ID})
			return err
		}},
		{"choose", func(h *house, s scene) error { return h.desk.ChooseSlice(ctx, h.cato, s.done) }},
		{"choose again", func(h *house, s scene) error { return h.desk.ChooseSlice(ctx, h.cato, s.counts) }},
		{"cancel a slice", func(h *house, s scene) error { return h.desk.CancelSlice(ctx, h.cato, s.waits) }},
		{"end of a slice", func(h *house, s scene) error { return h.endSlice(s.waits, 6000) }},
	}
}

// told is all that a scene came to, without numbers that count up over scenes.
func (h *house) told(s scene) string {
	v := h.job(s.job)
	t, err := h.store.TaskOf(ctx, s.job)
	require.NoError(h.t, err)
	out := []string{fmt.Sprintf("%s %q v%d, check %s %+d", v.Step, v.Reason, v.Version-s.version, t.State, t.Round-s.round)}
	for _, p := range v.PieceSet {
		out = append(out, fmt.Sprintf("%d copies, version %d", p.Copies, p.Current))
	}
	slicesOf, err := h.store.Slices(ctx, s.piece)
	require.NoError(h.t, err)
	for _, x := range slicesOf {
		out = append(out, fmt.Sprintf("slice of %d %s, counts %v, figures %v", x.Version, x.State, x.Chosen, x.Full != nil))
	}
	if v.Run != nil {
		out = append(out, fmt.Sprintf("run %s %.0f s", v.Run.State, v.Run.Seconds))
	}
	var history []string
	for _, l := range v.History {
		history = append(history, l.What)
	}
	return strings.Join(append(out, numbers.ReplaceAllString(strings.Join(history, "; "), "#")), "\n")
}

var numbers = regexp.MustCompile(`\d+`)

// held keeps lanes, and jobs if any, until it is let go; let go when so many wait.
func (h *house) held(jobs []int64, waiting int, start func()) {
	h.t.Helper()
	require.NoError(h.t, h.store.InTx(ctx, func(tx *store.Tx) error {
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
			row := h.store.Pool.QueryRow(ctx, `SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`)
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
			first, went := serial(checked, a, b)
			second, wentBack := serial(checked, b, a)
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
			if got == first && both == went || got == second && both == [2]bool{wentBack[1], wentBack[0]} {
				pairs++
				continue
			}
			assert.Fail(t, "no order gives that", "%s and %s gave %v\n%s\n\none order %v\n%s\n\nthe other %v\n%s", a.name, b.name, both, got, went, first, wentBack, second)
		}
	}
	t.Logf("%d pairs", pairs)
}

// clear takes a scene's run off its lane.
func (h *house) clear(s scene) {
	h.t.Helper()
	for v := h.job(s.job); v.Run != nil && v.Run.State != "finished"; v = h.job(s.job) {
		require.NoError(h.t, h.desk.Advance(ctx, h.cato, s.job, 0))
	}
}

// Runs that are moved, added, started and taken off at the same time, each of another job,
// stand in the end as some order of these gives, and each of these waits for the lanes.
func TestLanesAreChangedByOneAtATime(t *testing.T) {
	h := open(t)
	machine := h.emptyLane()
	var jobs []int64
	for range 4 {
		job, _ := h.toDecide()
		require.NoError(t, h.desk.Approve(ctx, h.cato, job, 0, machine))
		jobs = append(jobs, job)
	}
	assert.ErrorContains(t, h.desk.Advance(ctx, h.cato, jobs[1], 0), "comes before it")
	fresh, _ := h.toDecide()
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
						errs <- h.desk.MoveRun(ctx, h.cato, h.job(c.job).Run.ID, machine, c.place)
					case "approve":
						errs <- h.desk.Approve(ctx, h.cato, c.job, 0, machine)
					default:
						errs <- h.desk.Advance(ctx, h.cato, c.job, 0)
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

func (h *house) lineOf(machine int64) *line {
	q := &line{}
	for _, r := range h.lane(machine) {
		q.jobs = append(q.jobs, r.JobID)
		if r.State != "queued" {
			q.begun++
		}
	}
	return q
}

func (h *house) lane(machine int64) []store.Run {
	all, err := h.store.Lanes(ctx)
	require.NoError(h.t, err)
	return slices.DeleteFunc(all, func(r store.Run) bool { return r.MachineID != machine })
}
