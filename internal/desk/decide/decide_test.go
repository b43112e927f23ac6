package decide_test

import (
	"context"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/recipe"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// A finding that stops a job keeps it from being approved; one to be decided on does until it is answered.
func TestWhatStopsAJob(t *testing.T) {
	h := desktest.Open(t)
	for grade, goes := range map[finding.Grade]bool{finding.StopsIt: false, finding.Decide: true, finding.WorthKnowing: true} {
		job, _ := h.Arrived()
		sound := *h.Found
		sound.Findings = append(slices.Clone(sound.Findings), finding.Finding{Check: "test", Grade: grade, Text: "It is blue."})
		was := h.Found
		h.Found = &sound
		h.Checked(job)
		h.Found = was
		for _, f := range h.Job(job).Findings {
			if f.Check != "test" || grade == finding.WorthKnowing {
				assert.Empty(t, f.Key)
				continue
			}
			if f.Grade == finding.Decide {
				require.Error(t, decide.Approve(ctx, h.Desk, h.Cato, job, 0, decide.Yes{MachineID: 0}), "it is not answered")
				require.NoError(t, decide.Answer(ctx, h.Desk, h.Cato, job, 0, f.Key, "Blue will do."))
			}
		}
		err := decide.Approve(ctx, h.Desk, h.Cato, job, 0, decide.Yes{MachineID: 0})
		assert.Equal(t, goes, err == nil, "%s: %v", grade, err)
	}
}

// A judgement that a shelf has shown is not read again: it never changes.
func TestAShelfReadsEachJudgementOnce(t *testing.T) {
	h := desktest.Open(t)
	was := h.Found
	sound := *was
	sound.Findings = append(slices.Clone(sound.Findings), finding.Finding{Check: "test", Grade: finding.Decide, Text: "It is blue."})
	h.Found = &sound
	job, _ := h.ToDecide()
	h.Found = was
	worst := func() string {
		shelf, err := decide.Shelf(ctx, h.Desk, h.Cato)
		require.NoError(t, err)
		for _, s := range shelf.Slips {
			if s.ID == job {
				return s.Worst.Text
			}
		}
		return "not there"
	}
	assert.Equal(t, "It is blue.", worst())
	_, err := h.Store.Pool.Exec(ctx, `UPDATE version SET verdict = '{}'`)
	require.NoError(t, err)
	assert.Equal(t, "It is blue.", worst())
}

// What nobody can waive of the whole job is among its findings and the worst on its slip, while it is to be
// decided: too late for its day, longer than the house allows, more than a spool, a pause with nobody there.
func TestTheWholeJobIsLookedAt(t *testing.T) {
	h := desktest.Open(t)
	now := h.Desk.Now()
	h.Desk.Now = func() time.Time { return now }
	id, piece := h.ToDecide()
	found := func() (checks []string) {
		v := h.Job(id)
		for _, f := range v.Findings {
			assert.Zero(t, f.PieceID)
			checks = append(checks, f.Check)
		}
		shelf, err := decide.Shelf(ctx, h.Desk, h.Cato)
		require.NoError(t, err)
		for _, s := range shelf.Slips {
			if s.ID == id {
				assert.Equal(t, v.Worst, s.Worst)
			}
		}
		assert.Equal(t, len(checks) > 0, v.Worst != nil)
		return checks
	}
	assert.Empty(t, found())
	now = time.Date(2026, 12, 3, 11, 0, 0, 0, time.UTC)
	require.Equal(t, []string{"late"}, found())
	assert.InDelta(t, 2, h.Job(id).Findings[0].Value, 0)
	now = time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)
	on := h.Machines[0].ID
	s, err := plates.OrderSlice(ctx, h.Desk, h.Cato, piece, plates.SliceOrder{MachineID: on, Overrides: []recipe.Override{{Key: "shells", Value: "3", Why: "test"}}})
	require.NoError(t, err)
	require.NoError(t, h.EndSlice(s, 3600))
	require.NoError(t, plates.ChooseSlice(ctx, h.Desk, h.Cato, s))
	set := func(full string) {
		_, err := h.Store.Pool.Exec(ctx, `UPDATE slice SET full_estimate = full_estimate || $2::jsonb WHERE id = $1`, s, full)
		require.NoError(t, err)
	}
	only := func() { // no other machine is in service
		v, err := house.Read(ctx, h.Desk)
		require.NoError(t, err)
		for _, m := range v.Machines {
			m.Data.InService = m.ID == on
			require.NoError(t, house.SetMachine(ctx, h.Desk, h.Owner, m))
		}
	}
	only()
	if h.Job(id).Check.State != "done" {
		h.Checked(id)
	}
	for _, c := range []struct {
		full  string
		wants []string
	}{
		{`{"seconds": 43000}`, nil},
		{`{"seconds": 43300}`, []string{"long run"}},
		{`{"seconds": 3600, "nozzles": [{"nozzle": 1, "material": "PLA", "grams": 1001}]}`, []string{"more than a spool"}},
		{`{"nozzles": [{"nozzle": 1, "material": "PLA", "grams": 999}], "pauses_seconds": [60]}`, nil},
		{`{"pauses_seconds": [60, 36000]}`, []string{"nobody there"}},
	} {
		set(c.full)
		assert.Equal(t, c.wants, found(), c.full)
	}
	require.NoError(t, decide.Answer(ctx, h.Desk, h.Cato, id, 0, h.Job(id).Findings[0].Key, "Somebody sleeps there."))
	h.Approved(id, on)
	assert.Empty(t, found(), "it was decided")
}
