package decide_test

import (
	"fmt"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/orient"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/run"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/store"
)

// A yes to plates that are not sliced is to a ceiling: the job is approved when a slice keeps
// below it, and is to be decided again, with the reason, when one does not, fails or is
// cancelled. Meanwhile nothing of it stands in a lane.
func TestAYesWaitsForItsSlice(t *testing.T) {
	h := desktest.Open(t)
	for _, c := range []struct {
		name    string
		ends    func(id int64, yes *job.Promise) error
		state   string
		because string
	}{
		{"kept", func(id int64, yes *job.Promise) error { return h.EndSlice(id, yes.Seconds-200) }, job.Approved, ""},
		{"longer", func(id int64, yes *job.Promise) error { return h.EndSlice(id, yes.Seconds+60) }, job.ToDecide, "the yes was to"},
		{"cancelled", func(id int64, _ *job.Promise) error { return plates.CancelSlice(ctx, h.Desk, h.Cato, id) }, job.ToDecide, "cancelled"},
		{"failed", func(id int64, _ *job.Promise) error {
			s, err := h.Store.Slice(ctx, id)
			require.NoError(t, err)
			s.State, s.Error = "failed", "It has no layers."
			return plates.EndSlice(ctx, h.Desk, s, nil, func(*store.Tx) error { return nil })
		}, job.ToDecide, "no layers"},
		{"the recipe changes meanwhile", func(id int64, yes *job.Promise) error {
			v, err := house.Read(ctx, h.Desk)
			require.NoError(t, err)
			for _, r := range v.Recipes {
				r.Data.Shells++
				require.NoError(t, house.SetRecipe(ctx, h.Desk, h.Owner, r))
			}
			s, err := h.Store.Slice(ctx, id)
			require.NoError(t, err)
			in, err := plates.InputOf(ctx, h.Desk, id)
			require.NoError(t, err)
			s.State, s.Made = "done", in.Made
			s.Made.Recipe = "as it was"
			return h.EndAs(s, yes.Seconds-200)
		}, job.ToDecide, "changed while it was sliced"},
	} {
		id, _ := h.ToDecide()
		require.NoError(t, decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: h.Machines[0].ID}), c.name)
		v := h.Job(id)
		require.Equal(t, job.BeingSliced, v.State)
		require.Empty(t, v.Runs)
		require.True(t, v.May.TakeBack && v.May.Withdraw && !v.May.Approve && !v.May.Change && v.May.Next == "")
		require.Equal(t, h.Machines[0].ID, v.MachineID, "where it is to go")
		j, err := h.Store.Job(ctx, id)
		require.NoError(t, err)
		for _, r := range v.Ladder {
			if r.MachineID == h.Machines[0].ID {
				require.NotNil(t, r.Ceiling)
				assert.GreaterOrEqual(t, r.Ceiling.Seconds, 1.25*r.Seconds)
				assert.InDelta(t, r.Ceiling.Seconds, j.Yes.Seconds, 0)
			}
		}
		require.Error(t, decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: h.Machines[0].ID}), "twice")
		require.NoError(t, c.ends(j.Yes.SliceID, j.Yes), c.name)
		v = h.Job(id)
		assert.Equal(t, c.state, v.State, c.name)
		assert.Len(t, v.Runs, map[string]int{job.Approved: 1}[c.state], c.name)
		if c.because != "" {
			assert.Contains(t, fmt.Sprint(v.History), c.because, c.name)
		}
		if c.state == job.Approved {
			require.NoError(t, decide.TakeBack(ctx, h.Desk, h.Cato, id, 0))
		}
		require.NoError(t, decide.Withdraw(ctx, h.Desk, h.Cato, id, 0, "not wanted"))
	}
	lanes, err := h.Store.Lanes(ctx)
	require.NoError(t, err)
	assert.Empty(t, lanes)
}

// kept is all of a run that a yes was to.
type kept struct {
	job, machine   int64
	seconds, grams float64
	cents          units.Cents
	program        string
}

// What was approved is what a run holds, to its end: whatever is edited, sliced anew, renamed,
// repriced, approved, moved, taken back or withdrawn meanwhile, in whatever order. A run goes
// only by being cancelled, whole.
func TestARunHoldsWhatWasApproved(t *testing.T) {
	h := desktest.Open(t)
	var jobs, pieces []int64
	for range 3 {
		id, piece := h.ToDecide()
		jobs, pieces = append(jobs, id), append(pieces, piece)
	}
	held := map[int64]kept{}
	look := func() map[int64]kept {
		out := map[int64]kept{}
		for _, id := range jobs {
			runs, err := h.Store.RunsOfJob(ctx, id)
			require.NoError(t, err)
			for _, r := range runs {
				k := kept{id, r.MachineID, r.Seconds, r.Grams, r.Of(id).PriceCents, ""}
				d, err := plates.RunProgram(ctx, h.Desk, h.Cato, r.ID)
				require.NoError(t, err)
				b, err := io.ReadAll(d)
				require.NoError(t, err)
				k.program = string(b)
				out[r.ID] = k
			}
		}
		return out
	}
	seen, cancelled := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		for range rapid.IntRange(3, 12).Draw(t, "length") {
			k := rapid.IntRange(0, len(jobs)-1).Draw(t, "job")
			machine := h.Machines[rapid.IntRange(0, 2).Draw(t, "machine")].ID
			what := rapid.SampledFrom([]string{"copies", "recipe", "machine", "price", "name", "slice", "choose", "approve", "approve", "approve", "end", "end", "take back", "move", "start", "fail", "again"}).Draw(t, "what")
			_ = change(h, what, jobs[k], pieces[k], machine, rapid.IntRange(1, 9).Draw(t, "n"))
			now := look()
			for id, was := range held {
				is, ok := now[id]
				if !ok {
					r, err := h.Store.Run(ctx, id)
					require.NoError(t, err)
					require.True(t, r.State == run.Cancelled || r.State == run.Failed, r.State)
					cancelled++
					continue
				}
				require.Equal(t, was, is, "after %s", what)
			}
			seen += len(now)
			held = now
		}
	})
	assert.Greater(t, seen, 20)
	assert.Positive(t, cancelled)
}

// change does something to the house or to a job, if it can be done.
func change(h *desktest.House, what string, id, piece, machine int64, n int) error {
	v, err := house.Read(ctx, h.Desk)
	if err != nil {
		return err
	}
	switch what {
	case "copies":
		if err := intake.ChangePiece(ctx, h.Desk, h.Cato, piece, intake.PieceChange{Copies: &n}); err != nil {
			return err
		}
		if h.Job(id).Check.State != "done" {
			h.Checked(id)
		}
	case "recipe":
		r := v.Recipes[n%len(v.Recipes)]
		r.Data.Shells = 1 + n%3
		return house.SetRecipe(ctx, h.Desk, h.Owner, r)
	case "machine", "price", "name":
		m := v.Machines[n%3]
		switch what {
		case "machine":
			m.Data.Motion.SpeedMMPerS = float64(100 + n)
		case "price":
			m.Data.RateCents = units.Cents(100 + 10*n)
		default:
			m.Data.Name = fmt.Sprint("Machine ", n%3, n)
		}
		return house.SetMachine(ctx, h.Desk, h.Owner, m)
	case "slice":
		s, err := plates.OrderSlice(ctx, h.Desk, h.Cato, piece, plates.SliceOrder{MachineID: machine})
		if err != nil {
			return err
		}
		return h.EndSlice(s, float64(100*n))
	case "choose", "again":
		all, err := h.Store.Slices(ctx, id)
		if err != nil || len(all) == 0 {
			return err
		}
		return plates.ChooseSlice(ctx, h.Desk, h.Cato, all[n%len(all)].ID)
	case "approve":
		return decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: machine})
	case "end":
		j, err := h.Store.Job(ctx, id)
		if err != nil || j.State != job.BeingSliced {
			return err
		}
		return h.EndSlice(j.Yes.SliceID, j.Yes.Seconds*float64(n)/8)
	case "take back":
		return decide.TakeBack(ctx, h.Desk, h.Cato, id, 0)
	case "move":
		runs, err := h.Store.RunsOfJob(ctx, id)
		if err != nil || len(runs) == 0 {
			return err
		}
		return decide.Move(ctx, h.Desk, h.Cato, runs[0].ID, machine, n%3, true)
	case "start":
		if n > 3 {
			return nil
		}
		return demo.ByHand(ctx, h.Desk, h.Cato, id)
	case "fail":
		return demo.Fails(ctx, h.Desk, h.Cato, id, "It came off.")
	}
	return nil
}

// Another machine is another yes: with its slice the runs go there at once, without they are
// sliced first, and go to the place that was meant.
func TestAMoveToAnotherMachineIsAnotherYes(t *testing.T) {
	h := desktest.Open(t)
	from, to := h.Machines[0].ID, h.Machines[1].ID
	waiting, _ := h.ToDecide()
	h.Approved(waiting, to)
	id, _ := h.ToDecide()
	h.Approved(id, from)
	was := h.Job(id).Runs[0]
	require.NoError(t, decide.Move(ctx, h.Desk, h.Cato, was.ID, to, 0, true))
	require.Equal(t, job.BeingSliced, h.Job(id).State)
	h.SlicedForYes(id)
	v := h.Job(id)
	require.Equal(t, job.Approved, v.State)
	assert.Equal(t, to, v.Runs[0].MachineID)
	assert.NotEqual(t, was.ID, v.Runs[0].ID)
	order := func() (out []int64) {
		f, err := floor.Floor(ctx, h.Desk)
		require.NoError(t, err)
		for _, l := range f.Lanes {
			for _, r := range l.Runs {
				if l.MachineID == to {
					out = append(out, r.JobID)
				}
			}
		}
		return out
	}
	assert.Equal(t, []int64{id, waiting}, order(), "first, as it was put")
	require.NoError(t, decide.Move(ctx, h.Desk, h.Cato, v.Runs[0].ID, from, 5, true), "sliced for it already")
	v = h.Job(id)
	require.Equal(t, job.Approved, v.State)
	assert.Equal(t, was.Seconds, v.Runs[0].Seconds)
	require.NoError(t, demo.ByHand(ctx, h.Desk, h.Cato, id))
	assert.ErrorContains(t, decide.Move(ctx, h.Desk, h.Cato, v.Runs[0].ID, to, 0, true), "stays where it is")
	assert.ErrorContains(t, decide.TakeBack(ctx, h.Desk, h.Cato, id, 0), "no yes that could be taken back")
	assert.ErrorContains(t, decide.Withdraw(ctx, h.Desk, h.Owner, id, 0, ""), "before anything of it is started")
}

// A job of several plates has a run for each; it is in production from the first start to the
// last end, costs together what was said, and a failed plate is run again alone.
func TestAJobOfSeveralPlates(t *testing.T) {
	h := desktest.Open(t)
	id, piece := h.ToDecide()
	three := 3
	require.NoError(t, intake.ChangePiece(ctx, h.Desk, h.Cato, piece, intake.PieceChange{Copies: &three}))
	h.Checked(id)
	s, err := plates.OrderSlice(ctx, h.Desk, h.Cato, piece, plates.SliceOrder{MachineID: h.Machines[0].ID})
	require.NoError(t, err)
	require.NoError(t, h.EndOn(s, 1000, 3))
	row := h.Job(id).Ladder[0]
	assert.Equal(t, 3, row.Plates)
	h.Approved(id, row.MachineID)
	v := h.Job(id)
	require.Len(t, v.Runs, 3)
	var seconds float64
	var cents units.Cents
	for k, r := range v.Runs {
		seconds, cents = seconds+r.Seconds, cents+r.Price
		assert.Equal(t, []int{k + 1, 3}, []int{r.Plate, r.Plates})
	}
	assert.InDelta(t, row.Seconds, seconds, 1e-9)
	assert.Equal(t, row.Price, cents)
	assert.Equal(t, []any{row.Seconds, row.Price}, []any{v.Seconds, v.Price}, "on the slip, too")
	var went []string
	for _, fails := range []bool{false, true, false, false} {
		require.NoError(t, demo.ByHand(ctx, h.Desk, h.Cato, id))
		went = append(went, h.Job(id).State)
		if fails {
			require.NoError(t, demo.Fails(ctx, h.Desk, h.Cato, id, "It came off."))
		} else {
			require.NoError(t, demo.ByHand(ctx, h.Desk, h.Cato, id))
		}
		went = append(went, h.Job(id).State)
	}
	in := job.InProduction
	assert.Equal(t, []string{in, in, in, in, in, in, in, job.Finishing}, went)
	// The version before knew slices of one piece, once: a job of several goes there and back.
	require.NoError(t, h.Store.MigrateDownTo(ctx, 10))
	require.NoError(t, h.Store.Migrate(ctx))
	assert.Equal(t, job.Finishing, h.Job(id).State)
}

// What counts unchosen is of the recipe and of the pieces as they are: not what was made smaller
// by hand; but whoever asked for it, and whatever was sliced of other copies since. A yes to that
// waits for nothing.
func TestAYesTakesWhatIsSlicedAlready(t *testing.T) {
	h := desktest.Open(t)
	id, piece := h.ToDecide()
	on, other := h.Machines[0].ID, h.Machines[1].ID
	full := func(machine int64) bool {
		for _, r := range h.Job(id).Ladder {
			if r.MachineID == machine {
				return r.Full
			}
		}
		return false
	}
	small, err := plates.OrderSlice(ctx, h.Desk, h.Cato, piece, plates.SliceOrder{MachineID: on, Stand: new(orient.Sized(0.5))})
	require.NoError(t, err)
	require.NoError(t, h.EndSlice(small, 100))
	assert.False(t, full(on), "half as large, by hand, and not chosen")
	base := h.Sliced(piece, on, 1000)
	alternatives, err := plates.Savings(ctx, h.Desk, h.Cato, base)
	require.NoError(t, err)
	for _, a := range alternatives {
		s, err := h.Store.Slice(ctx, a)
		require.NoError(t, err)
		if s.MachineID != on {
			other = s.MachineID
		}
		require.NoError(t, h.EndSlice(a, 900))
	}
	assert.True(t, full(other), "an alternative by the recipe of another machine")
	three, one := 3, 1
	for _, n := range []*int{&three, &one} {
		require.NoError(t, intake.ChangePiece(ctx, h.Desk, h.Cato, piece, intake.PieceChange{Copies: n}))
		if h.Job(id).Check.State != "done" {
			h.Checked(id)
		}
		if *n == 3 {
			h.Sliced(piece, on, 3000)
		}
	}
	for _, machine := range []int64{on, other} {
		require.True(t, full(machine))
		require.NoError(t, decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: machine}))
		require.Equal(t, job.Approved, h.Job(id).State)
		require.NoError(t, decide.TakeBack(ctx, h.Desk, h.Cato, id, 0))
	}
}
