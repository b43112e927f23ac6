package decide_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/rule"
	"jobshelf/core/shop/job"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/house"
)

// What is listed as routine is what a yes to all of it makes, in machine, price and time, each behind those before; what
// has something left to answer, waits or is not checked is not in it, and says why. Where one cannot be approved as it
// was shown, none is.
func TestRoutineOnesTogether(t *testing.T) {
	h := desktest.Open(t)
	boss := h.Cato
	boss.Role = desk.Steward
	_, err := house.SetRule(ctx, h.Desk, boss, 0, 0, rule.Rule{Name: "A series", When: rule.Condition{Fact: "copies", Op: rule.Over, Number: 2}, Grade: finding.Decide, Says: "{copies} copies.", Waives: rule.ByDesk})
	require.NoError(t, err)
	_, err = house.SetRule(ctx, h.Desk, boss, 0, 0, rule.Rule{Name: "Small", When: rule.Condition{Fact: "size", Op: rule.Under, Number: 25}, Grade: finding.WorthKnowing, Says: "{size} mm.", Waives: rule.ByDesk})
	require.NoError(t, err)
	var ids []int64
	for range 5 {
		id, _ := h.ToDecide()
		ids = append(ids, id)
	}
	series, _ := h.HandedIn(h.Owner, "many.stl", 3)
	h.Checked(series)
	unchecked, _ := h.Arrived()
	asked, _ := h.ToDecide()
	require.NoError(t, decide.Ask(ctx, h.Desk, h.Cato, asked, 0, "Which?"))

	v, err := decide.Routine(ctx, h.Desk)
	require.NoError(t, err)
	require.Len(t, v.Jobs, 5)
	var yes []decide.RoutineYes
	ends := map[int64]int64{}
	for i, r := range v.Jobs {
		assert.Equal(t, ids[i], r.ID)
		assert.Equal(t, 1, r.Met)
		assert.Equal(t, []string{"Small"}, r.Told)
		require.NotNil(t, r.Finish)
		assert.Greater(t, r.Finish.Unix(), ends[r.OnID], "behind those before it")
		ends[r.OnID] = r.Finish.Unix()
		yes = append(yes, decide.RoutineYes{ID: r.ID, Revision: r.Revision, MachineID: r.OnID, Price: r.Price})
	}
	why := map[int64]string{}
	for _, o := range v.Others {
		why[o.ID] = o.Why
	}
	assert.Equal(t, map[int64]string{series: "to decide: A series", unchecked: "not checked yet", asked: "waits for an answer"}, why)

	none := func(what string) {
		for _, id := range ids {
			assert.Equal(t, job.ToDecide, h.Job(id).State, what)
		}
	}
	stale := append([]decide.RoutineYes{}, yes...)
	stale[4].Revision--
	require.Error(t, decide.ApproveTogether(ctx, h.Desk, h.Cato, stale))
	none("one was changed meanwhile")
	dearer := append([]decide.RoutineYes{}, yes...)
	dearer[3].Price--
	require.ErrorContains(t, decide.ApproveTogether(ctx, h.Desk, h.Cato, dearer), "None was approved")
	none("one is dearer by now")
	require.ErrorContains(t, decide.ApproveTogether(ctx, h.Desk, h.Cato, append(yes[:5:5], yes[0])), "twice")
	withSeries := append(yes[:5:5], decide.RoutineYes{ID: series, Revision: h.Job(series).Revision, MachineID: yes[0].MachineID, Price: 1_000_000})
	require.ErrorContains(t, decide.ApproveTogether(ctx, h.Desk, h.Cato, withSeries), "A series")
	none("one has something left to answer")

	require.NoError(t, decide.ApproveTogether(ctx, h.Desk, h.Cato, yes))
	for i, id := range ids {
		j, err := h.Store.Job(ctx, id)
		require.NoError(t, err)
		require.Equal(t, job.BeingSliced, j.State)
		assert.Equal(t, v.Jobs[i].OnID, j.Yes.MachineID)
		assert.InDelta(t, v.Jobs[i].Ceiling.Seconds, j.Yes.Seconds, 0)
		require.NoError(t, h.EndSlice(j.Yes.SliceID, v.Jobs[i].Seconds))
	}
	for i, id := range ids {
		now := h.Job(id)
		require.Equal(t, job.Approved, now.State)
		assert.InDelta(t, v.Jobs[i].Finish.Unix(), now.Finish.Unix(), 1, "as it was listed")
	}
	after, err := decide.Routine(ctx, h.Desk)
	require.NoError(t, err)
	assert.Empty(t, after.Jobs)
}

// Members are told what was decided, in the house's words: each decision writes its letter, with its values, and nobody
// else's own deed does.
func TestMembersAreTold(t *testing.T) {
	h := desktest.Open(t)
	boss := h.Cato
	boss.Role = desk.Steward
	require.NoError(t, house.SetLetter(ctx, h.Desk, boss, "sent back", "Dear {member},\n{title}: {reason}\n{who}"))
	require.Error(t, house.SetLetter(ctx, h.Desk, boss, "sent back", "{price}"))
	require.Error(t, house.SetLetter(ctx, h.Desk, boss, "birthday", "Congratulations"))
	last := func(id int64) string {
		all := h.Job(id).Letters
		if len(all) == 0 {
			return ""
		}
		return all[0].Text
	}
	id, _ := h.ToDecide()
	require.NoError(t, decide.Ask(ctx, h.Desk, h.Cato, id, 0, "Which end is up?"))
	assert.Equal(t, "A question about Box: Which end is up?", last(id))
	require.NoError(t, decide.Reply(ctx, h.Desk, h.Owner, id, 0, "The flat one."))
	assert.Len(t, h.Job(id).Letters, 1)
	require.NoError(t, decide.SendBack(ctx, h.Desk, h.Cato, id, 0, "It leans."))
	assert.Equal(t, "Dear "+h.Owner.Name+",\nBox: It leans.\n"+h.Cato.Name, last(id))

	id, _ = h.ToDecide()
	h.Approved(id, h.Machines[0].ID)
	text := last(id)
	assert.Regexp(t, `^Box is approved: `+h.Machines[0].Data.Name+` prints it in \d+ min, [\d.]+ g, for \d+\.\d\d EUR\.\nIt will be done about Tue 24 Nov, \d\d:\d\d\.$`, text)
	mine, err := decide.Shelf(ctx, h.Desk, h.Owner)
	require.NoError(t, err)
	require.Len(t, mine.Slips, 1)
	assert.Equal(t, text, mine.Slips[0].Told)
	all, err := decide.Shelf(ctx, h.Desk, h.Cato)
	require.NoError(t, err)
	assert.Empty(t, all.Slips[0].Told, "the desk knows")
	// Where it costs more than was said yes to, somebody has to say that it may.
	was, dear := h.Job(id).Runs[0], floor.LadderRow{}
	for _, r := range h.Job(id).Ladder {
		if r.Takes && r.Price > dear.Price {
			dear = r
		}
	}
	require.Greater(t, dear.Price, h.Job(id).Price)
	require.ErrorContains(t, decide.Move(ctx, h.Desk, h.Cato, was.ID, dear.MachineID, 0, false), "and the yes was to")
	assert.Equal(t, was.MachineID, h.Job(id).Runs[0].MachineID)
	require.NoError(t, decide.Move(ctx, h.Desk, h.Cato, was.ID, dear.MachineID, 0, true))
	h.SlicedForYes(id)
	assert.Contains(t, last(id), "Box was moved: "+dear.Name)
	require.NoError(t, decide.TakeBack(ctx, h.Desk, h.Cato, id, 0))
	assert.Contains(t, last(id), "taken back")
	n := len(h.Job(id).Letters)
	require.NoError(t, decide.Withdraw(ctx, h.Desk, h.Owner, id, 0, "no more"))
	assert.Len(t, h.Job(id).Letters, n, "their own deed")

	id, _ = h.At(job.InProduction)
	require.NoError(t, demo.Fails(ctx, h.Desk, h.Cato, id, "It came off."))
	assert.Contains(t, last(id), "did not come out on")
	for h.Job(id).State != job.PickUp {
		require.NoError(t, demo.ByHand(ctx, h.Desk, h.Cato, id))
	}
	assert.Regexp(t, `ready to be fetched\.\nBring this code: [0-9A-Z]{6}\nIt costs \d+\.\d\d EUR\.$`, last(id))
	id, _ = h.ToDecide()
	require.NoError(t, decide.Withdraw(ctx, h.Desk, h.Cato, id, 0, "The member asked by telephone."))
	assert.Contains(t, last(id), "was withdrawn.\nThe member asked")
	require.NoError(t, house.SetLetter(ctx, h.Desk, boss, "sent back", ""))
	views, err := house.Letters(ctx, h.Desk)
	require.NoError(t, err)
	for _, v := range views {
		assert.Equal(t, v.First, v.Text, v.Name)
	}
}
