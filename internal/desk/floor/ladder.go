package floor

import (
	"context"
	"math"
	"strings"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/option"
	"jobshelf/core/shop/planning"
	"jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// LadderRow is one machine of a job's ladder: all pieces and copies together.
type LadderRow struct {
	MachineID int64             `json:"machine_id"`
	Name      string            `json:"name"`
	InService bool              `json:"in_service"`
	Recipe    string            `json:"recipe,omitempty"`
	Material  string            `json:"material,omitempty"`
	Colour    string            `json:"colour,omitempty"`
	Loaded    string            `json:"loaded,omitempty" doc:"What is loaded, in words"`
	Fits      bool              `json:"fits"`
	Takes     bool              `json:"takes" doc:"The job can go on it: it is in service, all fits, and there is a recipe"`
	OverMM    [3]float64        `json:"over_mm"`
	Scale     float64           `json:"scale_to_fit"`
	TurnDeg   float64           `json:"turn_deg"`
	Seconds   float64           `json:"seconds,omitempty"`
	WarmUp    float64           `json:"warm_up_seconds,omitempty"`
	Grams     float64           `json:"grams,omitempty"`
	Metres    float64           `json:"filament_m,omitempty"`
	Layers    int               `json:"layers,omitempty"`
	Price     units.Cents       `json:"price_cents,omitempty"`
	Lines     []units.PriceLine `json:"lines,omitempty"`
	Start     *time.Time        `json:"start,omitempty" doc:"Earliest"`
	Finish    *time.Time        `json:"finish,omitempty" doc:"Earliest"`
	Proposed  bool              `json:"proposed"`
	Full      bool              `json:"full" doc:"From the toolpath: the number that is promised"`
	Stale     string            `json:"stale,omitempty" doc:"What has changed since the slice that counts was made; it is to be made anew before a yes"`
	VolumeMM  [3]float64        `json:"volume_mm"`
	Shape     string            `json:"shape" enum:"rectangle,round"`
}

// State is what ladders and lanes are worked out from.
type State struct {
	Hours    planning.Hours
	Words    finding.Speaker
	Machines []store.Machine
	Lanes    map[int64][]store.Run
	Slots    map[int64]planning.Slot    // by run
	Free     map[int64]time.Time        // by machine: when its lane ends
	Start    map[int64]time.Time        // by machine: when a run could start on it; none if never
	Chosen   map[int64]store.Chosen     // by piece: the slice that counts, at today's prices
	Changed  map[int64][]problem.Phrase // by piece: what is otherwise since that was made
	Now      time.Time
}

// NoJob and AnyJob say whose chosen slices look is to read.
const (
	NoJob  = -1
	AnyJob = 0
)

// Look reads the house's machines and lanes and times the lanes. Of the slices that
// count it reads those of one job, or of all that are open, or none.
func Look(ctx context.Context, q store.Q, now time.Time, job int64) (*State, error) {
	h, err := q.House(ctx)
	if err != nil {
		return nil, err
	}
	out := &State{
		Lanes: map[int64][]store.Run{},
		Slots: map[int64]planning.Slot{},
		Free:  map[int64]time.Time{},
		Start: map[int64]time.Time{},
		Now:   now,
		Words: finding.Speak(h.Locale),
	}
	if out.Hours, err = desk.HoursOf(h); err != nil {
		return nil, err
	}
	if out.Machines, err = q.Machines(ctx); err != nil {
		return nil, err
	}
	runs, err := q.Lanes(ctx)
	if err != nil {
		return nil, err
	}
	for _, r := range runs {
		out.Lanes[r.MachineID] = append(out.Lanes[r.MachineID], r)
	}
	for _, m := range out.Machines {
		out.time(m.ID)
		if start, ok := out.Hours.NextStart(out.Free[m.ID]); ok {
			out.Start[m.ID] = start
		}
	}
	if job != NoJob {
		if out.Chosen, err = q.ChosenSlices(ctx, job); err == nil {
			err = out.hold(ctx, q)
		}
	}
	return out, err
}

// hold holds the slices that count against how the house makes things today.
func (h *State) hold(ctx context.Context, q store.Q) error {
	h.Changed = map[int64][]problem.Phrase{}
	by := map[string]*Today{}
	for piece, c := range h.Chosen {
		t := by[c.Purpose]
		if t == nil {
			var err error
			if t, err = TodayFor(ctx, q, c.Purpose); err != nil {
				return err
			}
			by[c.Purpose] = t
		}
		c.Full, h.Changed[piece] = t.Of(c.MachineID, c.Full, c.Overrides, c.Made)
		h.Chosen[piece] = c
	}
	return nil
}

func seconds(s float64) time.Duration { return time.Duration(math.Ceil(s)) * time.Second }

// time works out when the runs of a lane start and finish. A run that is being
// printed counts from its start; one that is over its time is taken to end now.
func (h *State) time(machineID int64) {
	free := h.Now
	var waiting []planning.Run
	var ids []int64
	for _, r := range h.Lanes[machineID] {
		if r.State == run.Printing && r.StartedAt != nil {
			end := r.StartedAt.Add(seconds(r.Seconds))
			if end.Before(h.Now) {
				end = h.Now
			}
			h.Slots[r.ID] = planning.Slot{Start: *r.StartedAt, Finish: end}
			free = end
			continue
		}
		waiting, ids = append(waiting, planning.Run{Duration: seconds(r.Seconds)}), append(ids, r.ID)
	}
	for i, s := range h.Hours.Lane(free, waiting) {
		h.Slots[ids[i]] = s
		if !s.Finish.IsZero() {
			free = s.Finish
		}
	}
	h.Free[machineID] = free
}

func (h *State) Machine(id int64) *store.Machine {
	for i := range h.Machines {
		if h.Machines[i].ID == id {
			return &h.Machines[i]
		}
	}
	return nil
}

// Ladder adds up the pieces' verdicts for each machine and finds the proposal:
// the machine on which the job would be finished first.
func (h *State) Ladder(pieces []store.Piece) []LadderRow {
	out := make([]LadderRow, 0, len(h.Machines))
	var options []planning.Option
	var which []int
	for _, m := range h.Machines {
		r := LadderRow{MachineID: m.ID, Name: m.Data.Name, InService: m.Data.InService, Fits: len(pieces) > 0, Scale: 1,
			Material: m.Data.Material, Colour: m.Data.Colour, Loaded: strings.TrimSpace(m.Data.ColourName + " " + m.Data.Material),
			VolumeMM: [3]float64{m.Data.Volume.XMM, m.Data.Volume.YMM, m.Data.Volume.ZMM}, Shape: string(m.Data.Volume.Shape)}
		r.add(h, pieces)
		if r.Takes {
			if start, ok := h.Start[m.ID]; ok {
				finish := start.Add(seconds(r.Seconds))
				r.Start, r.Finish = &start, &finish
				options = append(options, planning.Option{Machine: r.Name, Free: start, Duration: seconds(r.Seconds)})
				which = append(which, len(out))
			}
		}
		out = append(out, r)
	}
	if k, _, ok := h.Hours.Earliest(options); ok {
		out[which[k]].Proposed = true
	}
	return out
}

func (r *LadderRow) add(h *State, pieces []store.Piece) {
	parts := make([]option.Part, len(pieces))
	r.Full = len(pieces) > 0
	for i, p := range pieces {
		parts[i] = option.Part{Verdict: p.Verdict, Copies: p.Copies}
		s, ok := h.Chosen[p.ID]
		if !ok || s.MachineID != r.MachineID || p.Verdict == nil {
			r.Full = false
			continue
		}
		parts[i].Verdict = option.Sliced(p.Verdict, option.Machine{ID: r.MachineID, Name: r.Name}, s.Full)
		if changed := h.Changed[p.ID]; len(changed) > 0 {
			r.Stale = h.Words.Say(problem.Say("slice is stale", p.Name, r.Name, changed))
		}
	}
	v := option.OnMachine(option.Machine{ID: r.MachineID, Name: r.Name}, parts)
	r.Takes = option.Takes(&v, r.InService)
	r.Fits, r.OverMM, r.Scale, r.TurnDeg, r.Recipe = v.Fits, v.OverMM, v.ScaleToFit, v.TurnDeg, v.Recipe
	if q := v.Quick; q != nil {
		r.Seconds, r.WarmUp, r.Grams, r.Metres, r.Layers = q.WholeSeconds(), q.WarmUpSeconds, q.Grams, q.FilamentMM/1000, q.Layers
		r.Price, r.Lines = q.Cents, q.Price.Lines
	}
}

// Choose finds the row of a machine, or of the proposal, that can take the job.
func (h *State) Choose(pieces []store.Piece, machineID int64) (*LadderRow, error) {
	ladder := h.Ladder(pieces)
	for i := range ladder {
		r := &ladder[i]
		if machineID == 0 && r.Proposed {
			return r, nil
		}
		if r.MachineID != machineID {
			continue
		}
		switch {
		case !r.InService:
			return nil, desk.Refuse("not in service", r.Name)
		case !r.Fits:
			return nil, desk.Refuse("does not fit", r.Name, over(r.OverMM))
		case r.Seconds <= 0:
			return nil, desk.Refuse("no recipe on", r.Name)
		}
		return r, nil
	}
	if machineID == 0 {
		return nil, desk.Refuse("no machine takes it")
	}
	return nil, store.ErrNotFound
}

func over(mm [3]float64) []problem.Phrase {
	var parts []problem.Phrase
	for i, axis := range []string{"X", "Y", "Z"} {
		if mm[i] > 0 {
			parts = append(parts, problem.Say("over in an axis", problem.Fixed(mm[i], 1), axis))
		}
	}
	return parts
}

// Onto makes a run one of this row.
func (r *LadderRow) Onto(run *store.Run) {
	run.MachineID, run.Recipe, run.Material, run.Colour = r.MachineID, r.Recipe, r.Material, r.Colour
	run.Seconds, run.Grams, run.PriceCents = r.Seconds, r.Grams, r.Price
}
