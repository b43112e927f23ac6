package decide

import (
	"context"
	"slices"
	"strings"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/store"
)

// RoutineView is what can be said yes to together: jobs with nothing left to answer, in the order in which they would be
// queued, each timed behind those before it.
type RoutineView struct {
	Jobs   []RoutineJob `json:"jobs"`
	Others []OtherJob   `json:"others" doc:"To be decided one by one, and why"`
}

// RoutineJob is one of them, and what a yes to it would be.
type RoutineJob struct {
	ID       int64          `json:"id"`
	Title    string         `json:"title"`
	Member   string         `json:"member"`
	Revision int            `json:"revision"`
	NeededBy string         `json:"needed_by,omitempty" doc:"Date, YYYY-MM-DD"`
	Machine  string         `json:"machine"`
	OnID     int64          `json:"machine_id"`
	Loaded   string         `json:"loaded,omitempty" doc:"What is loaded there, in words"`
	Load     string         `json:"load,omitempty" doc:"What has to be loaded for it first, where that is otherwise"`
	Plates   int            `json:"plates"`
	Seconds  float64        `json:"seconds"`
	Grams    float64        `json:"grams"`
	Price    units.Cents    `json:"price_cents"`
	Finish   *time.Time     `json:"finish,omitempty"`
	Ceiling  *floor.Ceiling `json:"ceiling,omitempty" doc:"Where its plates are not sliced yet: a yes is to no more than this"`
	Met      int            `json:"rules_met" doc:"How many of the house's rules it keeps to"`
	Told     []string       `json:"told" doc:"What else was found, worth knowing"`
}

// OtherJob is a job that is no routine.
type OtherJob struct {
	ID    int64  `json:"id"`
	Title string `json:"title"`
	Why   string `json:"why"`
}

// Routine lists what can be said yes to together.
func Routine(ctx context.Context, d *desk.Desk) (RoutineView, error) {
	view := RoutineView{[]RoutineJob{}, []OtherJob{}}
	jobs, err := d.Store.OpenJobs(ctx, 0)
	if err != nil {
		return view, err
	}
	jobs = slices.DeleteFunc(jobs, func(j store.Job) bool { return !job.Weighed(j.State) })
	pieces, err := d.OpenPieces(ctx, 0)
	if err != nil {
		return view, err
	}
	h, err := floor.Look(ctx, d.Store.Q, d.Now(), floor.AnyJob)
	if err != nil {
		return view, err
	}
	said, err := d.Store.Answers(ctx, 0)
	if err != nil {
		return view, err
	}
	asked, err := d.Store.OpenQuestions(ctx)
	if err != nil {
		return view, err
	}
	job.Sort(jobs, func(j store.Job) job.Waiting { return job.Waiting{ID: j.ID, Step: j.State, Needs: day(j.NeededBy)} })
	of := byJob(said)
	for _, j := range jobs {
		r, why, err := routine(ctx, d, h, j, pieces[j.ID], of[j.ID], asked[j.ID])
		switch {
		case err != nil:
			return view, err
		case r != nil:
			view.Jobs = append(view.Jobs, *r)
		default:
			view.Others = append(view.Others, OtherJob{j.ID, j.Title, h.Words.Say(why)})
		}
	}
	return view, nil
}

// routine is what a yes to a job would be, which is then reckoned with; or why it is no routine.
func routine(ctx context.Context, d *desk.Desk, h *floor.State, j store.Job, pieces []store.Piece, said []store.Answer, asked string) (*RoutineJob, problem.Phrase, error) {
	switch {
	case j.State != job.ToDecide || j.TaskState != task.Done:
		return nil, problem.Say("no routine: not checked"), nil
	case asked != "":
		return nil, problem.Say("no routine: waits"), nil
	case stopped(pieces):
		return nil, problem.Say("no routine: stopped"), nil
	}
	ladder := h.Ladder(pieces)
	k := slices.IndexFunc(ladder, func(r floor.LadderRow) bool { return r.Proposed })
	if k < 0 {
		return nil, problem.Say("no machine takes it"), nil
	}
	row := &ladder[k]
	if row.Stale != "" {
		return nil, problem.Say("no routine: stale"), nil
	}
	all := note(pieces, h.Whole(pieces, ladder, row.MachineID), said)
	if k := slices.IndexFunc(all, func(n noted) bool { return n.Grade != finding.WorthKnowing && n.answer == nil }); k >= 0 {
		if all[k].Grade == finding.StopsIt {
			return nil, problem.Say("no routine: stopped"), nil
		}
		return nil, problem.Say("to be answered first", name(&all[k])), nil
	}
	if fresh, err := intake.Fresh(ctx, d.Store.Q, j, pieces); err != nil || !fresh {
		return nil, problem.Say("no routine: check again"), err
	}
	r := &RoutineJob{ID: j.ID, Title: j.Title, Member: j.MemberName, Revision: j.Revision, NeededBy: day(j.NeededBy), Machine: row.Name, OnID: row.MachineID, Loaded: row.Loaded, Load: row.Load,
		Plates: max(1, row.Plates), Seconds: row.Seconds, Grams: row.Grams, Price: row.Price, Finish: row.Finish, Ceiling: row.Ceiling, Met: len(h.Rules), Told: []string{}}
	for i := range all {
		if all[i].Rule != "" {
			r.Met--
		}
		r.Told = append(r.Told, name(&all[i]))
	}
	h.Assume(row)
	return r, problem.Phrase{}, nil
}

func day(t *time.Time) string {
	if t == nil {
		return ""
	}
	return t.Format(time.DateOnly)
}

// RoutineYes is a yes to one of several, as it was shown.
type RoutineYes struct {
	ID        int64       `json:"id"`
	Revision  int         `json:"revision" minimum:"1"`
	MachineID int64       `json:"machine_id" minimum:"1"`
	Price     units.Cents `json:"price_cents" doc:"As it was shown; if it is more by now, none of them is approved"`
}

// ApproveTogether says yes to several jobs as they were listed, each an event of its own: to all, or to none of them.
func ApproveTogether(ctx context.Context, d *desk.Desk, a desk.Actor, all []RoutineYes) error {
	for i, y := range all {
		if slices.ContainsFunc(all[:i], func(o RoutineYes) bool { return o.ID == y.ID }) {
			return desk.Wrong("jobs", "job twice", y.ID)
		}
	}
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		ids := make([]int64, len(all)) // locked in one order, whoever locks several
		for i, y := range all {
			ids[i] = y.ID
		}
		slices.Sort(ids)
		for _, id := range ids {
			if _, err := tx.LockJob(ctx, id); err != nil {
				return err
			}
		}
		for _, y := range all {
			j, err := desk.LockJob(ctx, tx, a, y.ID, y.Revision)
			if err == nil {
				err = approve(ctx, d, tx, a, j, Yes{MachineID: y.MachineID, most: &y.Price})
			}
			if err != nil {
				return together(j.Title, err)
			}
		}
		return nil
	})
}

// together says of which job of several a refusal is.
func together(title string, err error) error {
	if no, ok := err.(*desk.Conflict); ok { //nolint:errorlint // what is wrapped is none of a job's
		return desk.Refuse("none approved", title, strings.TrimRight(no.Error(), "."))
	}
	return err
}
