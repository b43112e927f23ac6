// Package planning says when runs start and finish on the house's machines.
//
// A machine takes its runs in the order of its lane, one at a time. A run may
// start only while the house is open and stays open for the attendance the
// house asks for: somebody puts it on, sees the first layers, and has taken the
// run before it off. It may finish unattended.
package planning

import (
	"slices"
	"time"
)

// Span is a part of a day the house is open, in minutes from midnight,
// local time: [From, To).
type Span struct {
	From int `json:"from" minimum:"0" maximum:"1440" doc:"Opens, minutes from midnight"`
	To   int `json:"to" minimum:"0" maximum:"1440" doc:"Closes, minutes from midnight"`
}

// Hours are the opening hours of a week and how long somebody must be there
// after a start. The week begins on Sunday, as time.Weekday does.
type Hours struct {
	Week       [7][]Span
	Location   *time.Location
	Attendance time.Duration
}

// Late says that something finished at a time is so after the day it is needed, which ends at
// midnight by the house's clock. Only the date of needed counts.
func (h Hours) Late(finish, needed time.Time) bool { return h.DaysLate(finish, needed) > 0 }

// DaysLate is how many days that is after it; 0: in time.
func (h Hours) DaysLate(finish, needed time.Time) int {
	day := func(t time.Time) time.Time { return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC) }
	return max(0, int(day(finish.In(h.Location)).Sub(day(needed))/(24*time.Hour)))
}

// Attended says that somebody is there from a time on for as long as the house asks for at a start.
func (h Hours) Attended(t time.Time) bool {
	start, ok := h.NextStart(t)
	return ok && start.Equal(t)
}

// searchDays bounds the search for an open moment: a house closed for longer
// than this has no next start.
const searchDays = 400

// NextStart is the first moment from t on at which a run may start; false if the
// house does not open again within 400 days. Spans need not be in order; those that
// touch are one, over midnight too.
func (h Hours) NextStart(t time.Time) (time.Time, bool) {
	local := t.In(h.Location)
	var open Slot // the span that is being put together
	fits := func() (time.Time, bool) {
		from := open.Start
		if from.Before(t) {
			from = t
		}
		return from, !open.Finish.IsZero() && !from.Add(h.Attendance).After(open.Finish)
	}
	for d := range searchDays {
		day := time.Date(local.Year(), local.Month(), local.Day()+d, 0, 0, 0, 0, h.Location)
		spans := h.Week[day.Weekday()]
		byStart := func(a, b Span) int { return a.From - b.From }
		if !slices.IsSortedFunc(spans, byStart) {
			spans = slices.SortedFunc(slices.Values(spans), byStart)
		}
		for _, s := range spans {
			from, to := at(day, s.From), at(day, s.To)
			if open.Finish.IsZero() || from.After(open.Finish) {
				open = Slot{from, to}
			} else if to.After(open.Finish) {
				open.Finish = to
			}
			if start, ok := fits(); ok {
				return start, true
			}
		}
	}
	return time.Time{}, false
}

// at is a wall-clock time of a day, also on days when the clocks change.
func at(day time.Time, minutes int) time.Time {
	return time.Date(day.Year(), day.Month(), day.Day(), minutes/60, minutes%60, 0, 0, day.Location())
}

// Run is one plate on one machine, with how long it takes, warm-up included.
type Run struct {
	ID       string
	Duration time.Duration
}

// Slot is when a run is on its machine.
type Slot struct{ Start, Finish time.Time }

// Lane times the runs of one machine in their order, from free on. Runs that
// find no open hour have a zero slot.
func (h Hours) Lane(free time.Time, runs []Run) []Slot {
	out := make([]Slot, len(runs))
	for i, r := range runs {
		start, ok := h.NextStart(free)
		if !ok {
			break
		}
		out[i] = Slot{start, start.Add(r.Duration)}
		free = out[i].Finish
	}
	return out
}

// Option is a machine a job could go on: when its lane is free, and how long each of the job's
// runs takes there, one behind the other.
type Option struct {
	Machine string
	Free    time.Time
	Runs    []time.Duration
}

// Slot is from the start of the first run to the finish of the last; each waits for an open
// hour, so that somebody can start it. False if one of them finds none.
func (h Hours) Slot(o Option) (Slot, bool) {
	out := Slot{}
	for i, d := range o.Runs {
		start, ok := h.NextStart(o.Free)
		if !ok {
			return Slot{}, false
		}
		if o.Free = start.Add(d); i == 0 {
			out.Start = start
		}
		out.Finish = o.Free
	}
	return out, len(o.Runs) > 0
}

// Earliest is the option that finishes first and its slot; ties go to the
// option named first. False if none can start.
func (h Hours) Earliest(options []Option) (int, Slot, bool) {
	best, slot := -1, Slot{}
	for i, o := range options {
		if s, ok := h.Slot(o); ok && (best < 0 || s.Finish.Before(slot.Finish)) {
			best, slot = i, s
		}
	}
	return best, slot, best >= 0
}

// ListSchedule gives each job in turn to the machine on which it finishes
// first, and tells the machine of each. durations[j][m] is job j's time on
// machine m, negative where it cannot go; such a job gets -1 if it can go
// nowhere. On equal machines that are always attended the last finish is within
// 2 - 1/m of the best possible (Graham 1969, "Bounds on multiprocessing timing
// anomalies").
func (h Hours) ListSchedule(free []time.Time, durations [][]time.Duration) (on []int, slots []Slot) {
	free = slices.Clone(free)
	on, slots = make([]int, len(durations)), make([]Slot, len(durations))
	for j, d := range durations {
		on[j] = -1
		var options []Option
		var which []int
		for m, t := range d {
			if t >= 0 {
				options, which = append(options, Option{Free: free[m], Runs: []time.Duration{t}}), append(which, m)
			}
		}
		if k, slot, ok := h.Earliest(options); ok {
			on[j], slots[j] = which[k], slot
			free[which[k]] = slot.Finish
		}
	}
	return on, slots
}

// Open lists when the house is open over some days from the day of t on, in
// order.
func (h Hours) Open(t time.Time, days int) []Slot {
	local := t.In(h.Location)
	var out []Slot
	for d := range days {
		day := time.Date(local.Year(), local.Month(), local.Day()+d, 0, 0, 0, 0, h.Location)
		for _, s := range h.Week[day.Weekday()] {
			out = append(out, Slot{at(day, s.From), at(day, s.To)})
		}
	}
	slices.SortFunc(out, func(a, b Slot) int { return a.Start.Compare(b.Start) })
	return out
}
