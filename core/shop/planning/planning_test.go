package planning

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var always = Hours{Location: time.UTC, Week: func() (w [7][]Span) {
	for i := range w {
		w[i] = []Span{{0, 1440}}
	}
	return w
}()}

func workshop(t testing.TB) Hours {
	loc, err := time.LoadLocation("Europe/Amsterdam")
	require.NoError(t, err)
	h := Hours{Location: loc, Attendance: 20 * time.Minute}
	for d := time.Tuesday; d <= time.Saturday; d++ {
		h.Week[d] = []Span{{17 * 60, 21 * 60}, {10 * 60, 13 * 60}}
	}
	return h
}

func TestNextStart(t *testing.T) {
	h := workshop(t)
	at := func(s string) time.Time {
		x, err := time.ParseInLocation("2006-01-02 15:04", s, h.Location)
		require.NoError(t, err)
		return x
	}
	for _, c := range []struct{ name, from, want string }{
		{"while open", "2026-11-24 10:30", "2026-11-24 10:30"},
		{"before opening", "2026-11-24 08:00", "2026-11-24 10:00"},
		{"too near closing for the first layers", "2026-11-24 12:41", "2026-11-24 17:00"},
		{"just in time", "2026-11-24 12:40", "2026-11-24 12:40"},
		{"after closing", "2026-11-24 21:30", "2026-11-25 10:00"},
		{"over the closed days", "2026-11-28 20:50", "2026-12-01 10:00"},
		{"clocks go back, opening stays at ten", "2026-10-24 23:00", "2026-10-27 10:00"},
	} {
		got, ok := h.NextStart(at(c.from))
		assert.True(t, ok, c.name)
		assert.Equal(t, c.want, got.In(h.Location).Format("2006-01-02 15:04"), c.name)
	}
	// Spans that touch are one, within a day and over midnight.
	ten := time.Date(2026, 11, 24, 10, 0, 0, 0, time.UTC)
	touching := Hours{Location: time.UTC, Attendance: 20 * time.Minute}
	touching.Week[time.Tuesday] = []Span{{12 * 60, 14 * 60}, {10 * 60, 12 * 60}}
	got, _ := touching.NextStart(ten.Add(110 * time.Minute))
	assert.Equal(t, "11:50", got.Format("15:04"))
	clock := always
	clock.Attendance = 20 * time.Minute
	got, _ = clock.NextStart(ten.Add(13*time.Hour + 50*time.Minute))
	assert.Equal(t, "24 23:50", got.Format("02 15:04"))
	for i := range touching.Week {
		touching.Week[i] = []Span{{1430, 1440}, {0, 10}} // twenty minutes about midnight
	}
	got, _ = touching.NextStart(ten)
	assert.Equal(t, "24 23:50", got.Format("02 15:04"))
	_, ok := Hours{Location: time.UTC}.NextStart(at("2026-11-24 10:30"))
	assert.False(t, ok, "a house that never opens")
}

// No plan breaks a hard rule: starts lie in open hours with the attendance to
// spare, runs of a lane do not overlap and keep their order.
func TestLaneKeepsTheRules(t *testing.T) {
	h := workshop(t)
	rapid.Check(t, func(t *rapid.T) {
		free := time.Unix(1_790_000_000+rapid.Int64Range(0, 400*86400).Draw(t, "free"), 0)
		var runs []Run
		for range rapid.IntRange(0, 12).Draw(t, "runs") {
			runs = append(runs, Run{Duration: time.Duration(rapid.Int64Range(60, 100_000).Draw(t, "s")) * time.Second})
		}
		end := free
		for i, s := range h.Lane(free, runs) {
			require.False(t, s.Start.Before(end))
			require.Equal(t, runs[i].Duration, s.Finish.Sub(s.Start))
			next, ok := h.NextStart(s.Start)
			require.True(t, ok && next.Equal(s.Start), "%v is no start", s.Start)
			end = s.Finish
		}
	})
}

// Graham 1969: within 2 - 1/m of the optimum, which small cases give by trying
// every assignment.
func TestListScheduleWithinGrahamsBound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		m := rapid.IntRange(1, 3).Draw(t, "machines")
		n := rapid.IntRange(1, 7).Draw(t, "jobs")
		start := time.Unix(0, 0)
		free := make([]time.Time, m)
		for i := range free {
			free[i] = start
		}
		durations := make([][]time.Duration, n)
		for j := range durations {
			d := time.Duration(rapid.IntRange(1, 50).Draw(t, "min")) * time.Minute
			for range m {
				durations[j] = append(durations[j], d)
			}
		}
		_, slots := always.ListSchedule(free, durations)
		var last time.Duration
		for _, s := range slots {
			last = max(last, s.Finish.Sub(start))
		}
		best := bruteForce(durations, make([]time.Duration, m))
		require.LessOrEqual(t, float64(last), (2-1/float64(m))*float64(best)+1)
		require.GreaterOrEqual(t, last, best)
	})
}

func bruteForce(durations [][]time.Duration, load []time.Duration) time.Duration {
	if len(durations) == 0 {
		var most time.Duration
		for _, l := range load {
			most = max(most, l)
		}
		return most
	}
	best := time.Duration(1 << 62)
	for m := range load {
		load[m] += durations[0][m]
		best = min(best, bruteForce(durations[1:], load))
		load[m] -= durations[0][m]
	}
	return best
}

func TestMachinesThatCannotAreNotChosen(t *testing.T) {
	now := time.Unix(0, 0)
	on, _ := always.ListSchedule([]time.Time{now, now.Add(time.Hour)}, [][]time.Duration{
		{-1, time.Hour}, {time.Hour, time.Hour}, {-1, -1}, {time.Hour, time.Minute},
	})
	// The last job: machine 0 is free at 1 h and done at 2 h, machine 1 is free
	// at 2 h and done a minute later.
	assert.Equal(t, []int{1, 0, -1, 0}, on)
}

// The hours of the days ahead are those of the wall clock, over the end of a month and of a
// year and where the clocks change (EU directive 2000/84/EC: the last Sundays of March and
// October at 1:00 UTC), in order, and a run may start when each begins.
func TestOpenHoursAhead(t *testing.T) {
	zone, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	h := Hours{Location: zone, Attendance: 30 * time.Minute}
	h.Week[time.Sunday] = []Span{{13 * 60, 15 * 60}, {60, 4 * 60}}
	h.Week[time.Monday] = []Span{{9 * 60, 12*60 + 30}}
	h.Week[time.Thursday] = []Span{{8 * 60, 9 * 60}}
	for _, c := range []struct {
		from string
		days int
		want string
	}{
		{"2026-11-26T23:30:00Z", 4, "29 01:00 3h0m0s, 29 13:00 2h0m0s, 30 09:00 3h30m0s"}, // in Berlin it is Friday
		{"2026-11-26T22:30:00Z", 1, "26 08:00 1h0m0s"},
		{"2026-12-30T12:00:00Z", 6, "31 08:00 1h0m0s, 03 01:00 3h0m0s, 03 13:00 2h0m0s, 04 09:00 3h30m0s"},
		{"2027-03-28T00:00:00Z", 1, "28 01:00 2h0m0s, 28 13:00 2h0m0s"},
		{"2026-10-24T23:00:00Z", 1, "25 01:00 4h0m0s, 25 13:00 2h0m0s"},
		{"2026-11-27T12:00:00Z", 1, ""},
		{"2026-11-27T12:00:00Z", 0, ""},
	} {
		from, err := time.Parse(time.RFC3339, c.from)
		require.NoError(t, err)
		var got []string
		for _, s := range h.Open(from, c.days) {
			got = append(got, s.Start.In(zone).Format("02 15:04 ")+s.Finish.Sub(s.Start).String())
			start, ok := h.NextStart(s.Start)
			assert.True(t, ok)
			assert.True(t, start.Equal(s.Start), "%v", s)
		}
		assert.Equal(t, c.want, strings.Join(got, ", "), c.from)
	}
}

// A house that never opens starts nothing: no run has a slot, no machine is the first.
func TestAHouseThatNeverOpens(t *testing.T) {
	for _, h := range []Hours{{Location: time.UTC}, {Location: time.UTC, Attendance: 2 * time.Hour, Week: [7][]Span{time.Monday: {{540, 600}}}}} {
		now := time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)
		assert.Equal(t, make([]Slot, 3), h.Lane(now, make([]Run, 3)))
		_, _, ok := h.Earliest([]Option{{"Bowline", now, []time.Duration{0}}, {"Capstan", now, []time.Duration{0}}})
		assert.False(t, ok)
	}
}

// Each run of several waits for somebody to start it: what prints over night is followed the
// next morning. Without a run, or with one that no open hour comes for, there is no slot.
func TestRunsFollowWhenTheHouseIsOpen(t *testing.T) {
	h := Hours{Location: time.UTC}
	for d := range h.Week {
		h.Week[d] = []Span{{From: 9 * 60, To: 17 * 60}}
	}
	noon := time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	hours := func(n ...int) (out []time.Duration) {
		for _, x := range n {
			out = append(out, time.Duration(x)*time.Hour)
		}
		return out
	}
	for _, c := range []struct {
		runs   []time.Duration
		finish time.Time
	}{
		{hours(2), noon.Add(2 * time.Hour)}, {hours(2, 2), noon.Add(4 * time.Hour)}, {hours(6, 3), noon.Add((24 - 3 + 3) * time.Hour)},
		{hours(6, 9, 1), noon.Add((48 - 3 + 1) * time.Hour)},
	} {
		s, ok := h.Slot(Option{Free: noon, Runs: c.runs})
		require.True(t, ok)
		assert.Equal(t, Slot{noon, c.finish}, s, "%v", c.runs)
	}
	_, ok := h.Slot(Option{Free: noon})
	assert.False(t, ok)
	k, s, ok := h.Earliest([]Option{{"three plates", noon, hours(4, 2, 4)}, {"one", noon, hours(20)}})
	require.True(t, ok)
	assert.Equal(t, []any{1, noon.Add(20 * time.Hour)}, []any{k, s.Finish}, "what is shorter, but needs somebody tomorrow, is done later")
	_, ok = Hours{Location: time.UTC}.Slot(Option{Free: noon, Runs: hours(1)})
	assert.False(t, ok, "never open")
}

// Days are counted by the house's clock, over the change of the clocks, too; who is there has to stay.
func TestDaysLateAndWhoIsThere(t *testing.T) {
	berlin, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	h := Hours{Location: berlin, Attendance: 30 * time.Minute}
	for day := range h.Week {
		h.Week[day] = []Span{{9 * 60, 17 * 60}}
	}
	at := func(text string) time.Time {
		out, err := time.ParseInLocation("2006-01-02 15:04", text, berlin)
		require.NoError(t, err)
		return out
	}
	for _, c := range []struct {
		finish, needed string
		days           int
	}{
		{"2026-03-28 23:59", "2026-03-28", 0}, {"2026-03-29 00:01", "2026-03-28", 1}, {"2026-03-30 00:01", "2026-03-28", 2}, // an hour less
		{"2026-10-26 00:10", "2026-10-24", 2}, {"2026-10-25 23:50", "2026-10-24", 1}, {"2026-01-01 10:00", "2026-12-31", 0}, {"2027-01-01 00:00", "2026-12-31", 1},
	} {
		needed, err := time.Parse(time.DateOnly, c.needed)
		require.NoError(t, err)
		assert.Equal(t, c.days, h.DaysLate(at(c.finish).UTC(), needed), c.finish)
		assert.Equal(t, c.days > 0, h.Late(at(c.finish), needed))
	}
	for text, is := range map[string]bool{"2026-03-28 09:00": true, "2026-03-28 08:59": false, "2026-03-28 16:30": true, "2026-03-28 16:31": false, "2026-03-28 17:00": false} {
		assert.Equal(t, is, h.Attended(at(text)), text)
	}
}
