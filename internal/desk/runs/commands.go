// Package runs is how a run goes, from its checklist to the cleared bed: what people tell of it, and what its machine does.
// Each step is asked of the table of states, moves every job whose parts lie on the plate with it, and is told in their
// histories.
package runs

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/wire"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/letter"
	"jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/finishing"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/desk/stores"
	"jobshelf/internal/store"
)

// told is what histories say of what happens to a run.
var told = map[string]event.Event{
	run.Checks: event.RunReady{}, run.Unchecks: event.RunNotReady{}, run.Sends: event.RunSent{}, run.NotSent: event.RunNotSent{}, run.Warms: event.Started{},
	run.Lays: event.RunLays{}, run.Seen: event.RunSeen{}, run.Pauses: event.RunPaused{}, run.GoesOn: event.RunGoesOn{}, run.SeesOn: event.RunGoesOn{},
	run.Cools: event.RunCools{}, run.Rewarms: event.RunRewarms{}, run.Loses: event.RunLost{}, run.Ends: event.RunEnded{}, run.Stops: event.RunStopped{},
	run.Fails: event.Failed{}, run.ComesOff: event.CameOff{}, run.BackOn: event.RunBackOn{},
	run.Mistaken(run.Heating): event.RunMistaken{}, run.Mistaken(run.First): event.RunMistaken{}, run.Mistaken(run.Printing): event.RunMistaken{},
	run.Found(run.Heating): event.RunFound{}, run.Found(run.First): event.RunFound{}, run.Found(run.Printing): event.RunFound{}, run.Found(run.Paused): event.RunFound{},
}

// step is something that happens to a run.
type step struct {
	event  string
	reason string         // of a stop or a failure, as its member is told
	why    problem.Phrase // as histories tell it
	course func(*store.Run)
}

// on changes a run under the lanes' lock.
func on(ctx context.Context, d *desk.Desk, id int64, change func(*store.Tx, store.Run) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		r, err := tx.Run(ctx, id)
		if err != nil {
			return err
		}
		return change(tx, r)
	})
}

// at changes something of a machine under the lanes' lock.
func at(ctx context.Context, d *desk.Desk, machine int64, change func(*store.Tx, *store.Machine) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		m, err := floor.MachineOf(ctx, tx.Q, machine)
		if err != nil {
			return err
		}
		return change(tx, m)
	})
}

// move moves a run by what happens to it, and each job whose parts lie on its plate as its runs are then.
func move(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, r store.Run, s step) error {
	to, ok := run.Table.To(r.State, s.event)
	if !ok {
		return desk.Refuse("run is otherwise", r.Title(), r.State)
	}
	jobs, err := floor.LockAll(ctx, tx, &r)
	if err != nil {
		return err
	}
	lost := s.event == run.Stops || s.event == run.Fails
	if lost || s.event == run.ComesOff {
		if err := stores.Ended(ctx, d, tx, a, &r, r.State == run.Cooling); err != nil {
			return err
		}
	}
	if err := tx.SetRunState(ctx, r.ID, to, d.Now(), s.reason); err != nil {
		return err
	}
	now, err := tx.Run(ctx, r.ID)
	if err != nil {
		return err
	}
	now.Why = s.why
	if s.course != nil {
		s.course(&now)
	}
	if err := tx.SetRunCourse(ctx, now); err != nil {
		return err
	}
	if lost || s.event == run.ComesOff {
		if err := wear(ctx, tx, r, lost, d.Now()); err != nil {
			return err
		}
	}
	if lost {
		if err := after(ctx, tx, r); err != nil {
			return err
		}
	}
	why := s.why
	if s.reason != "" {
		why = desk.Told(s.reason)
	}
	if lost && r.Layer > 0 {
		why = problem.Say("reason at layer", s.reason, r.Layer)
	}
	for _, j := range jobs {
		if err := follow(ctx, tx, j); err != nil {
			return err
		}
		desk.Touched(tx, j, a, told[s.event], why)
		if !lost {
			continue
		}
		if err := failed(ctx, d, tx, a, j, r, s.reason); err != nil {
			return err
		}
	}
	return desk.LanesChanged(ctx, d, tx)
}

// wear lets what lay on the bed wear it, and the machine's parts; of what came to no end, for as long as it was on. Put back
// by mistake and taken off again, it did so once.
func wear(ctx context.Context, tx *store.Tx, r store.Run, lost bool, now time.Time) error {
	if r.StartedAt == nil {
		return nil
	}
	if first, err := tx.Wears(ctx, r.ID); err != nil || !first {
		return err
	}
	lay := r.Seconds
	if lost {
		lay = min(lay, max(0, now.Sub(*r.StartedAt).Seconds()))
	}
	if err := stores.Wear(ctx, tx, &r, lay); err != nil {
		return err
	}
	return floor.LieOn(ctx, tx, r, lay, now)
}

// after plans the successor of what came to no end: the same plate, first in the lane.
func after(ctx context.Context, tx *store.Tx, r store.Run) error {
	r.AfterID = &r.ID
	_, err := tx.AddRun(ctx, r)
	return err
}

// failed tells a member that a run did not come out.
func failed(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, j store.Job, r store.Run, reason string) error {
	m, err := floor.MachineOf(ctx, tx.Q, r.MachineID)
	if err != nil {
		return err
	}
	return desk.Write(ctx, tx, a, d.Now(), j, letter.Failed, letter.Values{"reason": reason, "machine": m.Data.Name})
}

// follow moves a job to where its runs are.
func follow(ctx context.Context, tx *store.Tx, j store.Job) error {
	runs, err := tx.RunsOfJob(ctx, j.ID)
	if err != nil {
		return err
	}
	states := make([]string, len(runs))
	for i, r := range runs {
		states[i] = r.State
	}
	if step := job.Follow(states); step != j.State {
		if err := tx.SetState(ctx, j.ID, step, ""); err != nil {
			return err
		}
		switch {
		case step == job.Finishing:
			return finishing.Enter(ctx, tx, j)
		case j.State == job.Finishing:
			return finishing.Leave(ctx, tx, j)
		}
		return nil
	}
	return tx.SetState(ctx, j.ID, j.State, j.Reason) // its revision counts on all the same
}

// mayStart refuses what cannot be started now: it has no program, another is before it in its lane, or the machine's bed
// was not said to be clear.
func mayStart(ctx context.Context, tx *store.Tx, r store.Run) error {
	if r.GCodeID == nil {
		return desk.Refuse("to be sliced before the start", r.Title())
	}
	lanes, err := tx.Lanes(ctx)
	if err != nil {
		return err
	}
	for _, o := range lanes {
		if o.MachineID == r.MachineID && o.ID != r.ID && (o.Position < r.Position || !run.Waits(o.State)) {
			return desk.Refuse("another comes before", o.Title())
		}
	}
	left, err := tx.ToClear(ctx, r.MachineID)
	if err == nil && len(left) > 0 {
		err = desk.Refuse("bed to be cleared", left[0].Title())
	}
	return err
}

// points are what somebody has to say yes to before a run is started.
func points(ctx context.Context, q store.Q, r store.Run) ([]run.Point, *store.Machine, error) {
	m, err := floor.MachineOf(ctx, q, r.MachineID)
	if err != nil {
		return nil, nil, err
	}
	materials, err := q.Materials(ctx)
	if err != nil {
		return nil, nil, err
	}
	of := map[string]*machine.Material{}
	for i := range materials {
		of[materials[i].Data.Name] = &materials[i].Data
	}
	used := []int{0}
	if r.PlateID != nil {
		p, err := q.Plate(ctx, *r.PlateID)
		if err != nil {
			return nil, nil, err
		}
		if p.Full != nil && len(p.Full.Nozzles) > 0 {
			used = nil
			for _, n := range p.Full.Nozzles {
				used = append(used, n.Nozzle-1)
			}
		}
	}
	parts, err := q.WearParts(ctx, r.MachineID)
	if err != nil {
		return nil, nil, err
	}
	var worn []run.WornPart
	for i := range parts {
		w := &parts[i]
		if p := w.Part(); p.Worn(w.Done()) && (w.Nozzle == 0 || slices.Contains(used, w.Nozzle-1)) {
			worn = append(worn, run.WornPart{ID: w.ID, Name: w.Name, Share: p.Share(w.Done())})
		}
	}
	return run.Checklist(&m.Data, of, used, worn), m, nil
}

// Check says that all is so as it has to be before a run is started, each point by its key.
func Check(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, said []string) error {
	return on(ctx, d, id, func(tx *store.Tx, r store.Run) error {
		if !run.Table.Can(r.State, run.Checks) {
			return desk.Refuse("run is otherwise", r.Title(), r.State)
		}
		if err := mayStart(ctx, tx, r); err != nil {
			return err
		}
		all, m, err := points(ctx, tx.Q, r)
		if err != nil {
			return err
		}
		if err := loaded(m, r.Material); err != nil {
			return err
		}
		c := &store.Checked{Person: a.ID, Name: a.Name, At: d.Now()}
		for _, p := range all {
			if !slices.Contains(said, p.Key) {
				return desk.Wrong("points", "point not said", p.Says)
			}
			c.Points = append(c.Points, p.Key)
		}
		if err := plates.CancelTogether(ctx, d, tx, &r); err != nil {
			return err
		}
		return move(ctx, d, tx, a, r, step{event: run.Checks, course: func(r *store.Run) { r.Checked = c }})
	})
}

// loaded refuses a start with nothing, or other filament, in the machine.
func loaded(m *store.Machine, wants string) error {
	switch m.Data.Material {
	case wants:
		return nil
	case "":
		return desk.Refuse("nothing is loaded there", m.Data.Name, wants)
	}
	return desk.Refuse("other filament is loaded", m.Data.Name, m.Data.Material, wants)
}

// Uncheck says that something of a checklist is no longer so.
func Uncheck(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return on(ctx, d, id, func(tx *store.Tx, r store.Run) error {
		return move(ctx, d, tx, a, r, step{event: run.Unchecks})
	})
}

// Start starts what is ready. A machine on a line is sent the program, after it was judged once more; of one without,
// somebody has started it.
func Start(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return on(ctx, d, id, func(tx *store.Tx, r store.Run) error {
		if err := mayStart(ctx, tx, r); err != nil {
			return err
		}
		m, err := floor.MachineOf(ctx, tx.Q, r.MachineID)
		if err != nil {
			return err
		}
		if err := loaded(m, r.Material); err != nil {
			return err
		}
		s := step{event: run.Warms, course: func(r *store.Run) { r.Watcher, r.Seen, r.Layer, r.DoneShare, r.Heats = a.ID, 0, 0, 0, nil }}
		if m.Data.Line != "" {
			s.event = run.Sends
		}
		return move(ctx, d, tx, a, r, s)
	})
}

// byHand is what somebody can tell of a machine without a line, and of a line that stays shut, or is lost.
var byHand = []string{run.Lays, run.Pauses, run.GoesOn, run.SeesOn, run.Cools, run.Rewarms, run.Ends}

// Tell says what a machine without a line does. Of one on a line it is heard; only that it has come to its end is told of
// it too, where nothing is heard any more.
func Tell(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, what string) error {
	return on(ctx, d, id, func(tx *store.Tx, r store.Run) error {
		m, err := floor.MachineOf(ctx, tx.Q, r.MachineID)
		if err != nil {
			return err
		}
		if !slices.Contains(byHand, what) || m.Data.Line != "" && (what != run.Ends || r.State != run.Lost) {
			return desk.Refuse("machine tells that itself", m.Data.Name)
		}
		if what == run.GoesOn && r.Seen == 0 {
			what = run.SeesOn
		}
		return move(ctx, d, tx, a, r, step{event: what})
	})
}

// See says that somebody has seen the first layers, and that they are good.
func See(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return on(ctx, d, id, func(tx *store.Tx, r store.Run) error {
		return move(ctx, d, tx, a, r, step{event: run.Seen, course: func(r *store.Run) { r.Seen = a.ID }})
	})
}

// Want asks a machine on a line to pause, to go on, or to stop; for a stop there is a reason.
func Want(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, what, reason string) error {
	may := map[string][]string{run.WantsPause: {run.Heating, run.First, run.Printing}, run.WantsGoOn: {run.Paused, run.PausedCold}, run.WantsStop: run.OnMachine}
	return on(ctx, d, id, func(tx *store.Tx, r store.Run) error {
		m, err := floor.MachineOf(ctx, tx.Q, r.MachineID)
		if err != nil {
			return err
		}
		if !slices.Contains(may[what], r.State) || r.State == run.Lost {
			return desk.Refuse("run is otherwise", r.Title(), r.State)
		}
		if what == run.WantsStop && strings.TrimSpace(reason) == "" {
			return desk.Wrong("reason", "no reason for a failure")
		}
		if m.Data.Line == "" {
			return desk.Refuse("machine has no line", m.Data.Name)
		}
		r.Wants, r.WantedBy = what, a.ID
		if what == run.WantsStop {
			r.Why = desk.Told(strings.TrimSpace(reason))
		}
		if err := tx.SetRunCourse(ctx, r); err != nil {
			return err
		}
		return floor.TouchAll(ctx, tx, &r, a, event.RunWanted{What: what}, problem.Phrase{})
	})
}

// Fail says that a run did not come out, or was stopped by hand, and why.
func Fail(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, reason string) error {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return desk.Wrong("reason", "no reason for a failure")
	}
	return on(ctx, d, id, func(tx *store.Tx, r store.Run) error {
		m, err := floor.MachineOf(ctx, tx.Q, r.MachineID)
		if err != nil {
			return err
		}
		heard, err := isHeard(ctx, tx.Q, m)
		if err != nil {
			return err
		}
		if heard && r.State != run.Lost && r.State != run.Cooling && run.Table.Can(r.State, run.Fails) {
			return desk.Refuse("to be stopped first", r.Title(), m.Data.Name)
		}
		return move(ctx, d, tx, a, r, step{event: run.Fails, reason: reason})
	})
}

// isHeard says that somebody drives a machine, and hears it.
func isHeard(ctx context.Context, q store.Q, m *store.Machine) (bool, error) {
	all, err := saidOf(ctx, q)
	return m.Data.Line != "" && all[m.ID].Link == Heard, err
}

// TakeOff says that a run is off the machine, and which of its copies came out bad, counted from 0 as they lie on its
// plate, and why. Of those another run is planned, first in the lane.
func TakeOff(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, bad []int, reason string) error {
	reason = strings.TrimSpace(reason)
	if len(bad) > 0 && reason == "" {
		return desk.Wrong("reason", "no reason for a failure")
	}
	bad = slices.Compact(slices.Sorted(slices.Values(bad)))
	return on(ctx, d, id, func(tx *store.Tx, r store.Run) error {
		copies := 1
		if r.PlateID != nil {
			p, err := tx.Plate(ctx, *r.PlateID)
			if err != nil {
				return err
			}
			copies = len(p.Spots)
		}
		if len(bad) > 0 && (bad[0] < 0 || bad[len(bad)-1] >= copies) {
			return desk.Wrong("bad", "no such copy", bad[len(bad)-1]+1, copies)
		}
		if len(bad) == copies {
			return move(ctx, d, tx, a, r, step{event: run.Fails, reason: reason, course: func(r *store.Run) { r.Bad = bad }})
		}
		if len(bad) > 0 { // planned first, so that its job stays in production
			if !run.Table.Can(r.State, run.ComesOff) {
				return desk.Refuse("run is otherwise", r.Title(), r.State)
			}
			if err := plates.OrderAgain(ctx, d, tx, a, r, bad); err != nil {
				return err
			}
		}
		return move(ctx, d, tx, a, r, step{event: run.ComesOff, why: desk.Told(reason), course: func(r *store.Run) { r.Bad = bad }})
	})
}

// PutBack takes back that a run is off its machine: it was said by mistake.
func PutBack(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return on(ctx, d, id, func(tx *store.Tx, r store.Run) error {
		if r.ClearedAt != nil || len(r.Bad) > 0 {
			return desk.Refuse("run is otherwise", r.Title(), r.State)
		}
		jobs, err := floor.LockAll(ctx, tx, &r)
		if err != nil {
			return err
		}
		for _, j := range jobs {
			if !slices.Contains([]string{job.InProduction, job.Finishing}, j.State) {
				return desk.Refuse("run is otherwise", r.Title(), r.State)
			}
		}
		lanes, err := tx.Lanes(ctx)
		if err != nil {
			return err
		}
		for _, o := range lanes {
			if o.MachineID == r.MachineID && !run.Waits(o.State) {
				return desk.Refuse("another comes before", o.Title())
			}
		}
		return move(ctx, d, tx, a, r, step{event: run.BackOn})
	})
}

// Unsay takes back the last step that somebody said of a run by mistake, unless the machine has acted on it.
func Unsay(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return on(ctx, d, id, func(tx *store.Tx, r store.Run) error {
		m, err := floor.MachineOf(ctx, tx.Q, r.MachineID)
		if err != nil {
			return err
		}
		h, err := tx.House(ctx)
		if err != nil {
			return err
		}
		before := run.Before(r.State, m.Data.Line != "", r.Seen != 0, d.Now().Sub(r.Since) < time.Duration(h.AttendanceMin)*time.Minute)
		if before == "" {
			return desk.Refuse("run is otherwise", r.Title(), r.State)
		}
		return move(ctx, d, tx, a, r, step{event: run.Mistaken(before), course: func(x *store.Run) {
			if r.State == run.Printing {
				x.Seen = 0
			}
		}})
	})
}

// Clear says that a machine's bed is clear: somebody has looked.
func Clear(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return at(ctx, d, id, func(tx *store.Tx, m *store.Machine) error {
		left, err := tx.ToClear(ctx, id)
		if err != nil {
			return err
		}
		if len(left) == 0 {
			return desk.Refuse("nothing to clear", m.Data.Name)
		}
		for _, r := range left {
			if err := tx.Clear(ctx, r.ID, a.ID, d.Now()); err != nil {
				return err
			}
		}
		tx.LanesChanged()
		desk.Tell(tx, store.OfHouse, a.ID, event.BedCleared{Machine: m.Data.Name})
		return nil
	})
}

// Filament is what goes into a nozzle.
type Filament struct {
	Nozzle     int    `json:"nozzle" minimum:"1" maximum:"8"`
	Material   string `json:"material" maxLength:"60"`
	Colour     string `json:"colour" pattern:"^#[0-9A-Fa-f]{6}$" doc:"As it is shown"`
	ColourName string `json:"colour_name" maxLength:"40"`
	SpoolID    int64  `json:"spool_id,omitempty" doc:"The spool it is on, which says the rest; 0: none that is known"`
}

// Load says that other filament is in a nozzle.
func Load(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, f Filament) error {
	return at(ctx, d, id, func(tx *store.Tx, m *store.Machine) error {
		materials, err := tx.Materials(ctx)
		if err != nil {
			return err
		}
		if f.SpoolID == 0 && !slices.ContainsFunc(materials, func(t store.Material) bool { return t.Data.Name == f.Material }) {
			return desk.Wrong("material", "no such material loaded", f.Material)
		}
		if f.Nozzle > max(1, len(m.Data.NozzlesMM)) {
			return desk.Wrong("nozzle", "no such nozzle there", f.Nozzle, m.Data.Name)
		}
		if err := idle(ctx, tx, m); err != nil {
			return err
		}
		f.Nozzle = max(1, f.Nozzle)
		if f.SpoolID == 0 {
			if err := stores.Unloading(ctx, d, tx, a, id, f.Nozzle); err != nil {
				return err
			}
		} else {
			s, err := stores.Loading(ctx, d, tx, a, id, f.Nozzle, m.Data.ChangeGrams, f.SpoolID)
			if err != nil {
				return err
			}
			f.Material, f.Colour, f.ColourName = s.Material, s.Colour, s.ColourName
		}
		if err := goesOnWith(ctx, tx, id, f); err != nil {
			return err
		}
		if m, err = floor.MachineOf(ctx, tx.Q, id); err != nil { // as it is without what was in it
			return err
		}
		if f.Nozzle == 2 {
			m.Data.Second = machine.NozzleLoad{Material: f.Material, ColourName: f.ColourName}
		} else {
			m.Data.Material, m.Data.Colour, m.Data.ColourName = f.Material, f.Colour, f.ColourName
		}
		if err := tx.SetMachine(ctx, *m); err != nil {
			return err
		}
		if err := unready(ctx, d, tx, a, id); err != nil {
			return err
		}
		desk.Tell(tx, store.OfHouse, a.ID, event.Loaded{Machine: m.Data.Name, Nozzle: f.Nozzle, Filament: strings.TrimSpace(f.ColourName + " " + f.Material)})
		return desk.LanesChanged(ctx, d, tx)
	})
}

// goesOnWith refuses filament that what waits on a machine was not sliced for.
func goesOnWith(ctx context.Context, tx *store.Tx, machine int64, f Filament) error {
	r, err := tx.RunOn(ctx, machine)
	if errors.Is(err, store.ErrNotFound) || err == nil && r.State == run.Cooling {
		return nil
	}
	if err != nil {
		return err
	}
	stock, err := desk.StockOf(ctx, tx.Q)
	if err != nil {
		return err
	}
	for _, n := range stock.Needs(&r) {
		if n.Nozzle == f.Nozzle && n.Material != f.Material {
			return desk.Refuse("run takes other filament", r.Title(), n.Material, n.Nozzle, f.Material)
		}
	}
	return nil
}

// What a machine can be warmed for with nothing on it.
const (
	ForNext = "what comes next"
	ForLoad = "other filament"
	HeatOff = "nothing"
)

// Warm asks a machine on a line to be warm ahead of what comes next, or for other filament, or to turn its heat off. It
// is no warmer than what comes next asks for, and cools when nobody comes within the house's minutes.
func Warm(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, what string) error {
	return at(ctx, d, id, func(tx *store.Tx, m *store.Machine) error {
		lanes, err := tx.Lanes(ctx)
		if err != nil {
			return err
		}
		var next *store.Run
		for i := range lanes {
			r := &lanes[i]
			switch {
			case r.MachineID != id:
			case run.Begun(r.State):
				return desk.Refuse("run is otherwise", r.Title(), r.State)
			case next == nil:
				next = r
			}
		}
		var w store.Warmth
		switch {
		case m.Data.Line == "":
			return desk.Refuse("machine has no line", m.Data.Name)
		case what == HeatOff:
		case m.Data.IdleOffS <= 0:
			return desk.Refuse("does not cool by itself", m.Data.Name)
		case next == nil:
			return desk.Refuse("nothing comes next", m.Data.Name)
		default:
			if w.Heats, err = heatsFor(ctx, tx.Q, m, next, what); err != nil {
				return err
			}
		}
		if err := tx.WantWarmth(ctx, id, w); err != nil {
			return err
		}
		if what == HeatOff {
			desk.Tell(tx, store.OfHouse, a.ID, event.HeatTurnedOff{Machine: m.Data.Name})
		} else {
			desk.Tell(tx, store.OfHouse, a.ID, event.Warmed{Machine: m.Data.Name, For: next.Title()})
		}
		return nil
	})
}

// heatsFor are the temperatures that a run begins with, or that other filament goes in with.
func heatsFor(ctx context.Context, q store.Q, m *store.Machine, r *store.Run, what string) ([]wire.Heat, error) {
	materials, err := q.Materials(ctx)
	if err != nil {
		return nil, err
	}
	of := map[string]*machine.Material{}
	var house []machine.Material
	for i := range materials {
		of[materials[i].Data.Name] = &materials[i].Data
		house = append(house, materials[i].Data)
	}
	is := of[r.Material]
	if is == nil {
		return nil, desk.Wrong("material", "no such material loaded", r.Material)
	}
	if what == ForLoad {
		return []wire.Heat{{Nozzle: 0, ToC: run.Load(&m.Data, of[m.Data.Material], is).HotC}}, nil
	}
	recipes, err := q.Recipes(ctx)
	if err != nil {
		return nil, err
	}
	k := slices.IndexFunc(recipes, func(x store.Recipe) bool { return x.MachineID == m.ID && x.Data.Name == r.Recipe })
	if k < 0 {
		return nil, desk.Refuse("nothing comes next", m.Data.Name)
	}
	var out []wire.Heat
	for _, h := range recipes[k].Data.Heats(&m.Data, m.Data.Load(is, house)) {
		if !h.First || h.Nozzle > 1 {
			continue // what is not laid first warms when its turn comes
		}
		out = append(out, wire.Heat{Bed: h.Nozzle == 0, Nozzle: max(0, h.Nozzle-1), ToC: h.C})
	}
	return out, nil
}

// idle refuses while something is under way on a machine, unless that waits for somebody.
func idle(ctx context.Context, tx *store.Tx, m *store.Machine) error {
	lanes, err := tx.Lanes(ctx)
	if err != nil {
		return err
	}
	for _, r := range lanes {
		if r.MachineID == m.ID && run.Begun(r.State) && r.State != run.Paused && r.State != run.PausedCold && r.State != run.Cooling {
			return desk.Refuse("run is otherwise", r.Title(), r.State)
		}
	}
	return nil
}

// unready takes back the checklist of what is ready on a machine: something of it is otherwise.
func unready(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, machine int64) error {
	lanes, err := tx.Lanes(ctx)
	if err != nil {
		return err
	}
	for _, r := range lanes {
		if r.MachineID == machine && r.State == run.Ready {
			return move(ctx, d, tx, a, r, step{event: run.Unchecks})
		}
	}
	return nil
}

// Owner is whose a machine on a line is: who drives it, by which number of its lease.
type Owner struct{ Machine, Fence int64 }

// News is what was done at a machine on a line, or heard from it, and makes of its run.
type News struct {
	Event  string
	Why    problem.Phrase
	Course func(*store.Run)
}

// ErrNotOwner is a machine that has another owner by now.
var ErrNotOwner = errors.New("the machine has another owner by now")

// Hear moves a run by what its machine has done. Nothing is changed where the run is not in the state that was seen any
// more, or the machine has another owner.
func Hear(ctx context.Context, d *desk.Desk, o Owner, id int64, state string, h News) error {
	return on(ctx, d, id, func(tx *store.Tx, r store.Run) error {
		if ok, err := tx.Holds(ctx, o.Machine, o.Fence); err != nil || !ok {
			return cmp.Or(err, ErrNotOwner)
		}
		if r.State != state || r.MachineID != o.Machine {
			return nil
		}
		s := step{event: h.Event, why: h.Why, course: h.Course}
		by := desk.Actor{}
		switch h.Event {
		case run.Stops:
			s.reason, by.ID = r.Why.String(), r.WantedBy
			if len(r.Why.Params) > 0 {
				s.reason = fmt.Sprint(r.Why.Params[0])
			}
			s.why = problem.Phrase{}
		case run.Fails:
			s.reason = d.Words(ctx).Say(h.Why)
		case run.Pauses, run.GoesOn, run.SeesOn, run.Rewarms:
			by.ID = r.WantedBy
		}
		return move(ctx, d, tx, by, r, s)
	})
}
