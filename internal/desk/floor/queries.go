package floor

import (
	"context"
	"fmt"
	"strings"
	"time"

	"jobshelf/core/shape/units"
	"jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

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

// RunView is one block in a lane, or what of one is a job's.
type RunView struct {
	ID          int64       `json:"id"`
	JobID       int64       `json:"job_id" doc:"The one that was there first, where parts of several lie on its plate"`
	JobRevision int         `json:"job_revision"`
	Title       string      `json:"title"`
	Member      string      `json:"member"`
	MachineID   int64       `json:"machine_id"`
	Recipe      string      `json:"recipe"`
	Material    string      `json:"material"`
	Colour      string      `json:"colour"`
	State       string      `json:"state" enum:"planned,ready,sending,heating,first layers,printing,paused,paused cold,lost,cooling,off the machine,stopped,failed,cancelled"`
	Movable     bool        `json:"movable" doc:"It can be put elsewhere"`
	Seconds     float64     `json:"seconds"`
	Grams       float64     `json:"grams"`
	Price       units.Cents `json:"price_cents"`
	Start       *time.Time  `json:"start,omitempty"`
	Finish      *time.Time  `json:"finish,omitempty"`
	NeededBy    string      `json:"needed_by,omitempty"`
	Late        bool        `json:"late" doc:"Finishes after the day it is needed"`
	Plate       int         `json:"plate,omitempty" doc:"Which plate of its slice"`
	Plates      int         `json:"plates,omitempty" doc:"Of how many"`
	Short       string      `json:"short,omitempty" doc:"That the spools in the machine do not last for it, after all that is before it"`
	Unsliced    bool        `json:"unsliced,omitempty" doc:"It has no program: it is to be sliced before the start"`
	Shares      []ShareView `json:"shares,omitempty" doc:"Whose parts lie on its plate, where those of several jobs do"`
}

// ShareView is what of a run is a job's.
type ShareView struct {
	JobID    int64       `json:"job_id"`
	Title    string      `json:"title"`
	Member   string      `json:"member"`
	Seconds  float64     `json:"seconds" doc:"Its lines, and its part of what is common"`
	Grams    float64     `json:"grams"`
	Price    units.Cents `json:"price_cents" doc:"As was said yes to"`
	NeededBy string      `json:"needed_by,omitempty"`
	Late     bool        `json:"late"`
}

// RunView is a run as the floor shows it.
func (h *State) RunView(r store.Run) RunView {
	v := h.runView(&r, r.Shares[0])
	v.Seconds, v.Grams, v.Short = r.Seconds, r.Grams, h.short[r.ID]
	if len(r.Shares) < 2 {
		return v
	}
	v.Late, v.Price = false, 0
	for _, s := range r.Shares {
		own := h.runView(&r, s)
		v.Shares = append(v.Shares, ShareView{s.JobID, s.JobTitle, s.MemberName, s.Seconds, s.Grams, s.PriceCents, own.NeededBy, own.Late})
		v.Late, v.Price = v.Late || own.Late, v.Price+own.Price
	}
	return v
}

// RunOf is what of a run is a job's: nothing of whose parts lie beside.
func (h *State) RunOf(r store.Run, job int64) RunView { return h.runView(&r, *r.Of(job)) }

func (h *State) runView(r *store.Run, s store.Share) RunView {
	v := RunView{ID: r.ID, JobID: s.JobID, JobRevision: s.JobRevision, Title: s.JobTitle, Member: s.MemberName, MachineID: r.MachineID, Recipe: r.Recipe,
		Material: r.Material, Colour: r.Colour, State: r.State, Movable: run.Movable(r.State), Plate: s.Plate, Plates: s.Plates, Unsliced: r.GCodeID == nil && run.Movable(r.State), Seconds: s.Seconds, Grams: s.Grams, Price: s.PriceCents}
	if at, ok := h.Slots[r.ID]; ok && !at.Finish.IsZero() {
		v.Start, v.Finish = &at.Start, &at.Finish
	}
	if s.NeededBy != nil {
		v.NeededBy = s.NeededBy.Format(time.DateOnly)
		v.Late = v.Finish != nil && h.Hours.Late(*v.Finish, *s.NeededBy)
	}
	return v
}

// floorDays is how far ahead the floor shows opening hours.
const floorDays = 14

// Floor shows all lanes.
func Floor(ctx context.Context, d *desk.Desk) (FloorView, error) {
	h, err := Look(ctx, d.Store.Q, d.Now(), NoJob)
	if err != nil {
		return FloorView{}, err
	}
	v := FloorView{Now: h.Now, Lanes: []LaneView{}, Open: []OpenSpan{}}
	for _, m := range h.Machines {
		vol := m.Data.Volume
		size := fmt.Sprintf("%g × %g × %g mm", vol.XMM, vol.YMM, vol.ZMM)
		if vol.Shape == "round" {
			size = fmt.Sprintf("⌀ %g × %g mm", vol.XMM, vol.ZMM)
		}
		l := LaneView{MachineID: m.ID, Name: m.Data.Name, InService: m.Data.InService, Process: string(m.Data.Process),
			Loaded: strings.TrimSpace(m.Data.ColourName + " " + m.Data.Material), Colour: m.Data.Colour, Size: size, Runs: []RunView{}}
		if free, ok := h.Start[m.ID]; ok && m.Data.InService {
			l.Free = &free
		}
		for _, r := range h.Lanes[m.ID] {
			l.Runs = append(l.Runs, h.RunView(r))
		}
		v.Lanes = append(v.Lanes, l)
	}
	for _, s := range h.Hours.Open(h.Now.Add(-12*time.Hour), floorDays) {
		v.Open = append(v.Open, OpenSpan{s.Start, s.Finish})
	}
	return v, nil
}
