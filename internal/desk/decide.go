package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/units"
	"jobshelf/internal/store"
)

// Approve queues a job at the end of a machine's lane. machineID 0 takes the
// proposal.
func (d *Desk) Approve(ctx context.Context, a Actor, id int64, version int, machineID int64) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		j, err := lockFor(ctx, tx, a, id, version)
		if err != nil {
			return err
		}
		if j.Step != "to decide" {
			return conflict("Job %d is %s; only a job to decide can be approved.", id, j.Step)
		}
		if j.TaskState != "done" {
			return conflict("The check of job %d is %s. Wait for it, or ask for it again.", id, j.TaskState)
		}
		pieces, err := tx.Pieces(ctx, id)
		if err != nil {
			return err
		}
		h, err := look(ctx, tx.Q, d.Now(), id)
		if err != nil {
			return err
		}
		if w, ok := worst(pieces, h.words); ok && w.Grade == finding.StopsIt {
			return conflict("This stops it: %s", w.Text)
		}
		rung, err := h.choose(pieces, machineID)
		if err != nil {
			return err
		}
		r := store.Run{JobID: id}
		rung.onto(&r)
		if _, err := tx.AddRun(ctx, r); err != nil {
			return err
		}
		if err := tx.SetStep(ctx, id, "approved", ""); err != nil {
			return err
		}
		if err := tx.Notify(ctx, store.Event{Kind: "lane"}); err != nil {
			return err
		}
		return touched(ctx, tx, j, a, "Approved and queued on "+rung.Name, "")
	})
}

// choose finds the rung of a machine, or of the proposal, that can take the job.
func (h *house) choose(pieces []store.Piece, machineID int64) (*Rung, error) {
	ladder := h.ladder(pieces)
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
			return nil, conflict("%s is not in service.", r.Name)
		case !r.Fits:
			return nil, conflict("It does not fit %s: %s over.", r.Name, over(r.OverMM))
		case r.Seconds <= 0:
			return nil, conflict("The house has no recipe for this on %s.", r.Name)
		}
		return r, nil
	}
	if machineID == 0 {
		return nil, conflict("No machine in service can take this job.")
	}
	return nil, store.ErrNotFound
}

func over(mm [3]float64) string {
	var parts []string
	for i, axis := range []string{"X", "Y", "Z"} {
		if mm[i] > 0 {
			parts = append(parts, fmt.Sprintf("%.1f mm in %s", mm[i], axis))
		}
	}
	return strings.Join(parts, ", ")
}

func (r *Rung) onto(run *store.Run) {
	run.MachineID, run.Recipe, run.Material, run.Colour = r.MachineID, r.Recipe, r.Material, r.Colour
	run.Seconds, run.Grams, run.PriceCents = r.Seconds, r.Grams, r.Price
}

// SendBack says no, with the reason the member gets.
func (d *Desk) SendBack(ctx context.Context, a Actor, id int64, version int, reason string) error {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return invalid("reason", "Say why, so that the member knows what to do.")
	}
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := lockFor(ctx, tx, a, id, version)
		if err != nil {
			return err
		}
		if j.Step != "arrived" && j.Step != "to decide" {
			return conflict("Job %d is %s; only a job not yet approved can be sent back.", id, j.Step)
		}
		t, err := tx.LockTask(ctx, id)
		if err != nil {
			return err
		}
		if t.State == "queued" || t.State == "running" {
			if err := d.Queue.Cancel(ctx, tx, t.QueueID); err != nil {
				return err
			}
			if err := tx.SetTask(ctx, id, "cancelled", "The job was sent back."); err != nil {
				return err
			}
		}
		if err := tx.SetStep(ctx, id, "sent back", reason); err != nil {
			return err
		}
		return touched(ctx, tx, j, a, "Sent back", reason)
	})
}

// Advance moves an approved job one step on: started, finished on the machine,
// ready to be fetched, fetched.
func (d *Desk) Advance(ctx context.Context, a Actor, id int64, version int) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		j, err := lockFor(ctx, tx, a, id, version)
		if err != nil {
			return err
		}
		move, ok := map[string]struct{ to, what, run string }{
			"approved":     {"on the floor", "Started", "printing"},
			"on the floor": {"finishing", "Came off the machine", "finished"},
			"finishing":    {"pick-up", "Ready to be fetched", ""},
			"pick-up":      {"fetched", "Fetched", ""},
		}[j.Step]
		if !ok {
			return conflict("Job %d is %s; decide on it first.", id, j.Step)
		}
		if move.run != "" {
			if err := d.moveRunOn(ctx, tx, j, move.run); err != nil {
				return err
			}
		}
		if err := tx.SetStep(ctx, id, move.to, ""); err != nil {
			return err
		}
		return touched(ctx, tx, j, a, move.what, "")
	})
}

func (d *Desk) moveRunOn(ctx context.Context, tx *store.Tx, j store.Job, state string) error {
	run, err := tx.RunOfJob(ctx, j.ID)
	if err != nil {
		return err
	}
	lanes, err := tx.Lanes(ctx)
	if err != nil {
		return err
	}
	if state == "printing" {
		for _, o := range lanes {
			if o.MachineID == run.MachineID && o.Position < run.Position {
				return conflict("%s comes before it on this machine. Move it up first, or finish the other.", o.JobTitle)
			}
		}
	}
	if err := tx.SetRunState(ctx, run.ID, state, d.Now()); err != nil {
		return err
	}
	return tx.Notify(ctx, store.Event{Kind: "lane"})
}

// FloorView is the machines against time.
type FloorView struct {
	Now   time.Time  `json:"now"`
	Lanes []LaneView `json:"lanes"`
	Open  []OpenSpan `json:"open" doc:"When the house is open, over the shown days"`
}

// OpenSpan is a time the house is open.
type OpenSpan struct {
	From time.Time `json:"from"`
	To   time.Time `json:"to"`
}

// LaneView is one machine and its runs.
type LaneView struct {
	MachineID int64      `json:"machine_id"`
	Name      string     `json:"name"`
	InService bool       `json:"in_service"`
	Process   string     `json:"process"`
	Loaded    string     `json:"loaded"`
	Colour    string     `json:"colour"`
	Size      string     `json:"size"`
	Free      *time.Time `json:"free,omitempty"`
	Runs      []RunView  `json:"runs"`
}

// RunView is one block in a lane.
type RunView struct {
	ID         int64       `json:"id"`
	JobID      int64       `json:"job_id"`
	JobVersion int         `json:"job_version"`
	Title      string      `json:"title"`
	Member     string      `json:"member"`
	MachineID  int64       `json:"machine_id"`
	Recipe     string      `json:"recipe"`
	Material   string      `json:"material"`
	Colour     string      `json:"colour"`
	State      string      `json:"state" enum:"queued,printing,finished"`
	Seconds    float64     `json:"seconds"`
	Grams      float64     `json:"grams"`
	Price      units.Cents `json:"price_cents"`
	Start      *time.Time  `json:"start,omitempty"`
	Finish     *time.Time  `json:"finish,omitempty"`
	NeededBy   string      `json:"needed_by,omitempty"`
	Late       bool        `json:"late" doc:"Finishes after the day it is needed"`
}

func (h *house) runView(r store.Run) RunView {
	v := RunView{ID: r.ID, JobID: r.JobID, JobVersion: r.JobVersion, Title: r.JobTitle, Member: r.MemberName, MachineID: r.MachineID, Recipe: r.Recipe,
		Material: r.Material, Colour: r.Colour, State: r.State, Seconds: r.Seconds, Grams: r.Grams, Price: r.PriceCents}
	if s, ok := h.slots[r.ID]; ok && !s.Finish.IsZero() {
		v.Start, v.Finish = &s.Start, &s.Finish
	}
	if r.NeededBy != nil {
		v.NeededBy = r.NeededBy.Format(time.DateOnly)
		v.Late = v.Finish != nil && h.hours.Late(*v.Finish, *r.NeededBy)
	}
	return v
}

// floorDays is how far ahead the floor shows opening hours.
const floorDays = 14

// Floor shows all lanes.
func (d *Desk) Floor(ctx context.Context) (FloorView, error) {
	h, err := look(ctx, d.Store.Q, d.Now(), noJob)
	if err != nil {
		return FloorView{}, err
	}
	v := FloorView{Now: h.now, Lanes: []LaneView{}, Open: []OpenSpan{}}
	for _, m := range h.machines {
		vol := m.Data.Volume
		size := fmt.Sprintf("%g × %g × %g mm", vol.XMM, vol.YMM, vol.ZMM)
		if vol.Shape == "round" {
			size = fmt.Sprintf("⌀ %g × %g mm", vol.XMM, vol.ZMM)
		}
		l := LaneView{MachineID: m.ID, Name: m.Data.Name, InService: m.Data.InService, Process: string(m.Data.Process),
			Loaded: strings.TrimSpace(m.Data.ColourName + " " + m.Data.Material), Colour: m.Data.Colour, Size: size, Runs: []RunView{}}
		if free, ok := h.start[m.ID]; ok && m.Data.InService {
			l.Free = &free
		}
		for _, r := range h.lanes[m.ID] {
			l.Runs = append(l.Runs, h.runView(r))
		}
		v.Lanes = append(v.Lanes, l)
	}
	for _, s := range h.hours.Open(h.now.Add(-12*time.Hour), floorDays) {
		v.Open = append(v.Open, OpenSpan{s.Start, s.Finish})
	}
	return v, nil
}

// MoveRun puts a queued run at a place (counted from 0 among the queued ones) of
// a machine's lane. On another machine it takes that machine's time and price.
func (d *Desk) MoveRun(ctx context.Context, a Actor, runID, machineID int64, place int) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		run, err := tx.Run(ctx, runID)
		if err != nil {
			return err
		}
		if run.State != "queued" {
			return conflict("%s is %s already and stays where it is.", run.JobTitle, run.State)
		}
		j, err := tx.LockJob(ctx, run.JobID)
		if err != nil {
			return err
		}
		h, err := look(ctx, tx.Q, d.Now(), run.JobID)
		if err != nil {
			return err
		}
		what := "Moved within the lane"
		if machineID != run.MachineID {
			pieces, err := tx.Pieces(ctx, run.JobID)
			if err != nil {
				return err
			}
			rung, err := h.choose(pieces, machineID)
			if err != nil {
				return err
			}
			rung.onto(&run)
			what = "Moved to " + rung.Name
		}
		lane := slices.DeleteFunc(slices.Clone(h.lanes[machineID]), func(r store.Run) bool { return r.ID == runID })
		started := 0
		for started < len(lane) && lane[started].State != "queued" {
			started++
		}
		lane = slices.Insert(lane, min(started+max(place, 0), len(lane)), run)
		for i, r := range lane {
			r.Position = i + 1
			if err := tx.PlaceRun(ctx, r); err != nil {
				return err
			}
		}
		if err := tx.Notify(ctx, store.Event{Kind: "lane"}); err != nil {
			return err
		}
		return touched(ctx, tx, j, a, what, "")
	})
}
