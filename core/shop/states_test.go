package shop_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/shop/finish"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/spool"
	"jobshelf/core/shop/state"
	"jobshelf/core/shop/task"
)

var tables = []*state.Table{&job.Table, &run.Table, &task.Check, &task.Slice, &spool.Table, &finish.Table}

// The page of states is the tables.
func TestStatesAreToldAsTheyAre(t *testing.T) {
	const page = "../../docs/states.md"
	got := state.Document(tables...)
	if golden.FlagUpdate() {
		require.NoError(t, os.WriteFile(page, []byte(got), 0o644)) //nolint:gosec // a page
	}
	want, err := os.ReadFile(page)
	require.NoError(t, err)
	assert.Equal(t, string(want), got, "make golden prints it anew")
}

// Every state is reached from the first, an event leads from a state to one place, and what
// ends does end.
func TestTablesAreWhole(t *testing.T) {
	for _, x := range tables {
		reached := map[string]bool{x.First: true}
		for range x.Moves {
			for _, m := range x.Moves {
				for _, from := range m.From {
					reached[m.To] = reached[m.To] || reached[from]
				}
			}
		}
		seen := map[[2]string]bool{}
		for _, m := range x.Moves {
			for _, from := range m.From {
				assert.False(t, seen[[2]string{from, m.Event}], "%s: %s from %s leads to two places", x.Of, m.Event, from)
				seen[[2]string{from, m.Event}] = true
			}
		}
		for _, s := range x.States() {
			assert.True(t, reached[s], "%s: nothing leads to %s", x.Of, s)
		}
		_, ok := x.To("nowhere", x.Moves[0].Event)
		assert.False(t, ok)
	}
	assert.True(t, job.Table.Ends(job.Fetched) && job.Table.Ends(job.SentBack) && !job.Table.Ends(job.PickUp))
	for _, s := range job.Table.States() {
		assert.Equal(t, !job.Table.Ends(s), job.Open(s), s)
	}
	for _, s := range task.Check.States() {
		assert.Equal(t, task.Check.Can(s, task.Cancel), task.Busy(s), s)
	}
}

// What may be done with a job, by its state, its check, and whether something stops it.
func TestWhatMayBeDone(t *testing.T) {
	for _, c := range []struct {
		state, check string
		stopped      bool
		runs         []string
		want         job.May
	}{
		{job.Arrived, task.Running, false, nil, job.May{SendBack: true, Withdraw: true, Change: true}},
		{job.ToDecide, task.Done, false, nil, job.May{Decide: true, Approve: true, SendBack: true, Withdraw: true, Change: true}},
		{job.ToDecide, task.Done, true, nil, job.May{Decide: true, SendBack: true, Withdraw: true, Change: true}},
		{job.ToDecide, task.Failed, false, nil, job.May{Decide: true, SendBack: true, Withdraw: true, Change: true}},
		{job.BeingSliced, task.Done, false, nil, job.May{TakeBack: true, Withdraw: true}},
		{job.Approved, task.Done, false, []string{run.Planned, run.Planned}, job.May{Next: job.RunStarts, TakeBack: true, Withdraw: true}},
		{job.Approved, task.Done, false, []string{run.Planned, run.Off}, job.May{Next: job.RunStarts}},
		{job.InProduction, task.Done, false, []string{run.Printing, run.Planned}, job.May{Next: job.RunEnds}},
		{job.InProduction, task.Done, false, []string{run.Planned, run.Off}, job.May{Next: job.RunStarts}},
		{job.Finishing, task.Done, false, []string{run.Off}, job.May{Next: job.Ready}},
		{job.PickUp, task.Done, true, []string{run.Off}, job.May{Next: job.Handed}},
		{job.Fetched, task.Done, false, nil, job.May{}},
		{job.SentBack, task.Cancelled, false, nil, job.May{}},
	} {
		assert.Equal(t, c.want, job.Can(job.Facts{State: c.state, Check: c.check, Stopped: c.stopped, Runs: c.runs}), "%s, %s", c.state, c.check)
	}
	// A job is where its runs are.
	for _, c := range []struct {
		runs []string
		want string
	}{
		{[]string{run.Planned}, job.Approved}, {[]string{run.Planned, run.Failed}, job.Approved}, {[]string{run.Printing, run.Planned}, job.InProduction},
		{[]string{run.Off, run.Planned}, job.InProduction}, {[]string{run.Off, run.Printing}, job.InProduction}, {[]string{run.Off, run.Off, run.Failed, run.Cancelled}, job.Finishing},
	} {
		assert.Equal(t, c.want, job.Follow(c.runs), "%v", c.runs)
	}
}
