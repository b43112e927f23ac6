package decide

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shop/planning"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/store"
)

// First what is to be decided, of it what is due soonest, of those the oldest; what nobody
// waits for comes last.
func TestWhatIsNext(t *testing.T) {
	slip := func(id int64, state, due string) Slip {
		return Slip{ID: id, Title: "Oarlock", Member: "Ada", State: state, NeededBy: due}
	}
	for _, c := range []struct {
		slips []Slip
		id    int64
		text  string
		room  string
	}{
		{nil, 0, "", ""},
		{[]Slip{slip(1, "arrived", "2026-01-01"), slip(2, "in production", ""), slip(3, "pick-up", "")}, 0, "", ""},
		{[]Slip{slip(1, "to decide", "2026-12-05"), slip(2, "to decide", "2026-12-03"), slip(3, "to decide", "")}, 2, "Decide on Oarlock for Ada", "counter"},
		{[]Slip{slip(3, "to decide", ""), slip(2, "to decide", ""), slip(4, "approved", "2026-01-01")}, 2, "Decide on Oarlock for Ada", "counter"},
		{[]Slip{slip(5, "finishing", "2026-01-01"), slip(4, "approved", "2026-12-09"), slip(3, "approved", "2026-12-08")}, 3, "Start Oarlock for Ada", "floor"},
		{[]Slip{slip(5, "finishing", ""), slip(6, "finishing", "2026-12-08"), slip(7, "pick-up", "")}, 6, "Finish Oarlock for Ada", "bench"},
	} {
		n := next(c.slips)
		if c.id == 0 {
			assert.Nil(t, n)
			continue
		}
		require.NotNil(t, n)
		assert.Equal(t, Next{c.id, c.text, c.room}, *n)
	}
}

// A run is late that ends after the day it is needed, as the house's clock has it: east and
// west of Greenwich, over midnight and on the days when clocks change.
func TestLateByTheHousesDay(t *testing.T) {
	for _, c := range []struct {
		zone, needed, finish string // finish in UTC
		late                 bool
	}{
		{"Europe/Berlin", "2026-12-01", "2026-12-01T22:59:00Z", false}, // 23:59 there
		{"Europe/Berlin", "2026-12-01", "2026-12-01T23:00:00Z", true},
		{"Europe/Berlin", "2026-07-01", "2026-07-01T21:59:00Z", false}, // summer time
		{"Europe/Berlin", "2026-07-01", "2026-07-01T22:00:00Z", true},
		{"Europe/Berlin", "2026-10-25", "2026-10-25T22:59:00Z", false}, // the day of 25 hours
		{"Europe/Berlin", "2026-03-29", "2026-03-29T22:00:00Z", true},  // and of 23
		{"America/Los_Angeles", "2026-12-01", "2026-12-02T07:59:00Z", false},
		{"America/Los_Angeles", "2026-12-01", "2026-12-02T08:00:00Z", true},
		{"Pacific/Auckland", "2026-12-01", "2026-12-01T10:59:00Z", false},
		{"Pacific/Auckland", "2026-12-01", "2026-12-01T11:00:00Z", true},
		{"UTC", "2026-12-01", "2026-11-30T23:59:00Z", false},
	} {
		loc, err := time.LoadLocation(c.zone)
		require.NoError(t, err)
		needed, err := time.Parse(time.DateOnly, c.needed)
		require.NoError(t, err)
		finish, err := time.Parse(time.RFC3339, c.finish)
		require.NoError(t, err)
		h := &floor.State{Hours: planning.Hours{Location: loc}, Slots: map[int64]planning.Slot{7: {Start: finish.Add(-time.Hour), Finish: finish}}}
		v := h.RunView(store.Run{ID: 7, Shares: []store.Share{{NeededBy: &needed}}})
		assert.Equal(t, c.late, v.Late, "%s: needed by %s, done %s", c.zone, c.needed, c.finish)
		assert.Equal(t, c.needed, v.NeededBy)
		var s Slip
		stand(h, &s, store.Job{NeededBy: &needed}, []store.Run{{ID: 7, Shares: []store.Share{{}}}}, nil)
		assert.Equal(t, c.late, s.Late, "on the shelf, too")
		stand(h, &s, store.Job{}, []store.Run{{ID: 7, Shares: []store.Share{{}}}}, nil)
		assert.False(t, s.Late, "of no day")
		stand(h, &s, store.Job{NeededBy: &needed}, nil, []floor.LadderRow{{Proposed: true, Finish: &finish}})
		assert.Equal(t, c.late, s.Late, "by the proposal")
		assert.False(t, h.RunView(store.Run{ID: 8, Shares: []store.Share{{NeededBy: &needed}}}).Late, "that it never ends is told otherwise")
	}
}
