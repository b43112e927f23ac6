package decide_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
)

// A question holds a job: it is not what is to be done next until its member, or the desk for the member, has answered;
// nobody else reads or answers it, one waits at a time, and all stay with the job.
func TestAQuestionIsAskedAndAnswered(t *testing.T) {
	h := desktest.Open(t)
	id, _ := h.ToDecide()
	shelf := func(a desk.Actor) (asked string, next int64) {
		v, err := decide.Shelf(ctx, h.Desk, a)
		require.NoError(t, err)
		for _, s := range v.Slips {
			if s.ID == id {
				asked = s.Asked
			}
		}
		if v.Next != nil {
			next = v.Next.JobID
		}
		return asked, next
	}
	asked, next := shelf(h.Cato)
	assert.Equal(t, [2]any{"", id}, [2]any{asked, next})
	require.Error(t, decide.Reply(ctx, h.Desk, h.Owner, id, 0, "What?"), "nothing was asked")
	require.Error(t, decide.Ask(ctx, h.Desk, h.Cato, id, 0, "  "))
	require.Error(t, decide.Ask(ctx, h.Desk, h.Cato, id, h.Job(id).Revision+1, "Which?"), "not as it was seen")
	require.NoError(t, decide.Ask(ctx, h.Desk, h.Cato, id, 0, "Which end is up?"))
	require.NoError(t, decide.Ask(ctx, h.Desk, h.Cato, id, 0, "Which end goes up, the round one?"))
	asked, next = shelf(h.Cato)
	assert.Equal(t, [2]any{"Which end goes up, the round one?", int64(0)}, [2]any{asked, next}, "it waits for its member")
	asked, _ = shelf(h.Owner)
	assert.Contains(t, asked, "round one")
	require.Error(t, decide.Reply(ctx, h.Desk, h.Other, id, 0, "The other."), "another member's")
	require.NoError(t, decide.Reply(ctx, h.Desk, h.Owner, id, h.Job(id).Revision, "The round one."))
	require.Error(t, decide.Reply(ctx, h.Desk, h.Owner, id, 0, "Both."), "it was answered")
	v := h.Job(id)
	require.Len(t, v.Questions, 1)
	assert.Equal(t, [3]string{"Which end goes up, the round one?", "The round one.", h.Owner.Name}, [3]string{v.Questions[0].Asked, v.Questions[0].Reply, v.Questions[0].RepliedBy})
	assert.Empty(t, v.Asked)
	said := v.History[len(v.History)-1].What + v.History[len(v.History)-2].What
	assert.Contains(t, said, "Asked: Which end goes up")
	assert.Contains(t, said, "Answered: The round one.")
	_, next = shelf(h.Cato)
	assert.Equal(t, id, next)
	require.NoError(t, decide.Ask(ctx, h.Desk, h.Cato, id, 0, "Red?"))
	h.Approved(id, h.Machines[0].ID) // a yes may come without the answer
	assert.Empty(t, h.Job(id).Asked)
	assert.Len(t, h.Job(id).Questions, 2)
	require.Error(t, decide.Reply(ctx, h.Desk, h.Owner, id, 0, "Blue."), "it is decided")
}
