package floor

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"jobshelf/core/shop/planning"
	"jobshelf/internal/store"
)

// Runs follow one another: one that prints counts from its start, one over its time ends
// now, the next begin behind it when the house is open.
func TestLanesAreTimedFromNow(t *testing.T) {
	now := time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)
	hours := planning.Hours{Location: time.UTC, Attendance: 0}
	for d := range hours.Week {
		hours.Week[d] = append(hours.Week[d], planning.Span{From: 0, To: 24 * 60})
	}
	began := now.Add(-30 * time.Minute)
	for _, c := range []struct {
		prints    float64
		end, next time.Duration
	}{{3600, 30 * time.Minute, 50 * time.Minute}, {600, 0, 20 * time.Minute}} {
		h := &State{Hours: hours, Now: now, Slots: map[int64]planning.Slot{}, Free: map[int64]time.Time{}, Lanes: map[int64][]store.Run{
			1: {{ID: 1, State: "printing", StartedAt: &began, Seconds: c.prints}, {ID: 2, State: "planned", Seconds: 1199.2}}}}
		h.time(1)
		assert.Equal(t, began, h.Slots[1].Start)
		assert.Equal(t, now.Add(c.end), h.Slots[1].Finish)
		assert.Equal(t, now.Add(c.end), h.Slots[2].Start)
		assert.Equal(t, now.Add(c.next), h.Slots[2].Finish, "whole seconds, upwards")
		assert.Equal(t, now.Add(c.next), h.Free[1])
	}
}

// What could lie beside a run: first what nothing speaks against, and of those what saves most.
func TestWhatCouldLieBesideIsInOrder(t *testing.T) {
	all := []Could{{RunID: 1, SavesS: 90, Against: "no room there"}, {RunID: 2, SavesS: 10}, {RunID: 3, SavesS: 50}, {RunID: 4, SavesS: 99, Against: "no"}, {RunID: 5, SavesS: 50}, {RunID: 6, Against: "n"}}
	inOrder(all)
	var ids []int64
	for _, c := range all {
		ids = append(ids, c.RunID)
	}
	assert.Equal(t, []int64{3, 5, 2, 4, 1, 6}, ids)
}
