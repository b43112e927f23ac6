package decide_test

import (
	"context"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// A finding that stops a job keeps it from being approved; one to be decided on does not.
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
		err := decide.Approve(ctx, h.Desk, h.Cato, job, 0, 0)
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
