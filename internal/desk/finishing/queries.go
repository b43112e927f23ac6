package finishing

import (
	"context"
	"errors"
	"slices"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/finish"
	"jobshelf/core/shop/job"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// HouseFinishing is how the house finishes parts, and how long they wait to be fetched.
type HouseFinishing struct {
	Rules       []finish.StepRule `json:"rules" maxItems:"60"`
	FetchDays   int               `json:"fetch_days" minimum:"0" maximum:"365" doc:"After so many its member is told that a job was not fetched, and after as many again it is the house's; 0: never"`
	OwnFailures bool              `json:"own_failures" doc:"A failed run of a program that a member sliced is paid by the member, as far as it came"`
}

// House gives it.
func House(ctx context.Context, d *desk.Desk) (HouseFinishing, error) {
	f, err := d.Store.Finishing(ctx)
	return HouseFinishing(f), err
}

// Fetched is a job that was handed over.
type Fetched struct {
	JobID  int64       `json:"job_id"`
	Title  string      `json:"title"`
	Member string      `json:"member"`
	Place  string      `json:"place,omitempty"`
	Cents  units.Cents `json:"cents" doc:"That are charged"`
}

// StepView is a step as it is shown.
type StepView struct {
	ID     int64      `json:"id"`
	Kind   string     `json:"kind" enum:"take support off,soak,wash,cure,sand"`
	How    string     `json:"how,omitempty"`
	Hands  float64    `json:"hands_min"`
	Wait   float64    `json:"wait_min"`
	State  string     `json:"state" enum:"to do,under way,done"`
	Begun  *time.Time `json:"begun,omitempty"`
	Ends   *time.Time `json:"ends,omitempty" doc:"When it ends by itself"`
	By     string     `json:"by,omitempty"`
	Bath   int64      `json:"bath,omitempty" doc:"The same of all that lie in one bath"`
	May    []string   `json:"may" enum:"begins,ends,was not done"`
	Others []int64    `json:"others" doc:"Steps of the same kind of other jobs that come next too: they could lie in the same bath"`
}

// PartView is a job's parts after the machine.
type PartView struct {
	JobID  int64       `json:"job_id"`
	Title  string      `json:"title"`
	Member string      `json:"member"`
	State  string      `json:"state" enum:"finishing,pick-up"`
	Steps  []StepView  `json:"steps"`
	Place  string      `json:"place,omitempty"`
	Code   string      `json:"code,omitempty"`
	Ready  *time.Time  `json:"ready,omitempty"`
	Said   *time.Time  `json:"said,omitempty" doc:"Its member was told that it was not fetched"`
	Cents  units.Cents `json:"cents" doc:"What it costs"`
	// Revision is the job's, for who says that it is ready.
	Revision int `json:"revision"`
}

// All are the parts of all jobs that are being finished, or wait to be fetched.
func All(ctx context.Context, d *desk.Desk) ([]PartView, error) {
	out := []PartView{}
	err := d.Store.InTx(ctx, func(tx *store.Tx) error {
		out = out[:0]
		jobs, err := tx.OpenJobs(ctx, 0)
		if err != nil {
			return err
		}
		all, err := tx.StepsNow(ctx)
		if err != nil {
			return err
		}
		waits, err := tx.Pickups(ctx)
		if err != nil {
			return err
		}
		by := map[int64][]store.Step{}
		for _, s := range all {
			by[s.JobID] = append(by[s.JobID], s)
		}
		next := map[string][]store.Step{} // by kind: those that come next
		for _, steps := range by {
			if k, ok := finish.Next(statesOf(steps)); ok && steps[k].State == finish.ToDo {
				next[steps[k].Kind] = append(next[steps[k].Kind], steps[k])
			}
		}
		for _, j := range jobs {
			if j.State != job.Finishing && j.State != job.PickUp {
				continue
			}
			steps := by[j.ID]
			if j.State == job.PickUp {
				if steps, err = tx.Steps(ctx, j.ID); err != nil {
					return err
				}
			}
			l, err := chargeOf(ctx, tx, j)
			if err != nil {
				return err
			}
			v := PartView{JobID: j.ID, Title: j.Title, Member: j.MemberName, State: j.State, Steps: views(steps, next), Cents: l.Cents, Revision: j.Revision}
			if k := slices.IndexFunc(waits, func(p store.Pickup) bool { return p.JobID == j.ID }); k >= 0 {
				v.Place, v.Code, v.Said = waits[k].Place, waits[k].Code, waits[k].RemindedAt
				if j.State == job.PickUp {
					v.Ready = waits[k].ReadyAt
				}
			}
			out = append(out, v)
		}
		return nil
	})
	return out, err
}

func statesOf(steps []store.Step) []string {
	out := make([]string, len(steps))
	for k, s := range steps {
		out[k] = s.State
	}
	return out
}

func views(steps []store.Step, next map[string][]store.Step) []StepView {
	out := make([]StepView, len(steps))
	states := statesOf(steps)
	at, left := finish.Next(states)
	for k, s := range steps {
		v := StepView{s.ID, s.Kind, s.How, s.HandsMin, s.WaitMin, s.State, s.BegunAt, s.EndsAt, s.By, s.Bath, []string{}, []int64{}}
		for _, what := range []string{finish.Begins, finish.Ends, finish.NotDone} {
			now := left && at == k
			if what == finish.NotDone {
				now = finish.MayUndo(states, k)
			}
			if now && finish.Table.Can(s.State, what) {
				v.May = append(v.May, what)
			}
		}
		if left && at == k && s.State == finish.ToDo {
			for _, o := range next[s.Kind] {
				if o.ID != s.ID {
					v.Others = append(v.Others, o.ID)
				}
			}
			slices.Sort(v.Others)
		}
		out[k] = v
	}
	return out
}

// ChargeLine is one of the books of money.
type ChargeLine struct {
	ID    int64       `json:"id"`
	At    time.Time   `json:"at"`
	By    string      `json:"by,omitempty"`
	JobID int64       `json:"job_id,omitempty"`
	Title string      `json:"title,omitempty"`
	Kind  string      `json:"kind" enum:"charged,corrected,paid"`
	Cents units.Cents `json:"cents"`
	Why   string      `json:"why,omitempty"`
}

// Account is what a member owes, and why.
type Account struct {
	MemberID int64        `json:"member_id"`
	Member   string       `json:"member"`
	Cents    units.Cents  `json:"cents" doc:"Owed; below 0 the house owes"`
	Lines    []ChargeLine `json:"lines" doc:"The newest first; none where all members are listed"`
}

// chargesShown is how many lines of a member are shown, the newest.
const chargesShown = 200

// Accounts are those of all members who have one; the most owed first.
func Accounts(ctx context.Context, d *desk.Desk) ([]Account, error) {
	all, err := d.Store.Balances(ctx)
	out := make([]Account, len(all))
	for k, b := range all {
		out[k] = Account{b.Member, b.Name, b.Cents, []ChargeLine{}}
	}
	return out, err
}

// AccountOf is a member's, for the desk and for the member.
func AccountOf(ctx context.Context, d *desk.Desk, a desk.Actor, member int64) (Account, error) {
	if !a.Role.AtLeast(desk.Coordinator) && a.ID != member {
		return Account{}, store.ErrNotFound
	}
	who, err := d.Store.PersonByID(ctx, member)
	if err != nil {
		return Account{}, err
	}
	out := Account{MemberID: member, Member: who.Name, Lines: []ChargeLine{}}
	all, err := d.Store.Balances(ctx)
	if err != nil {
		return out, err
	}
	for _, b := range all {
		if b.Member == member {
			out.Cents = b.Cents
		}
	}
	words := d.Words(ctx)
	lines, err := d.Store.Charges(ctx, member, chargesShown)
	for _, c := range lines {
		out.Lines = append(out.Lines, ChargeLine{c.ID, c.At, c.By, c.JobID, c.JobTitle, c.Kind, c.Cents, said(c, words)})
	}
	return out, err
}

func said(c store.Charge, words finding.Speaker) string {
	if c.Why.Code == "" {
		return ""
	}
	return words.Say(c.Why)
}

// LabelView is what is on the label of a job's parts.
type LabelView struct {
	House, Title, Member, Copies, Place, Code, Ready string
}

// LabelOf is that of a job that waits to be fetched.
func LabelOf(ctx context.Context, d *desk.Desk, id int64) (LabelView, error) {
	j, err := d.Store.Job(ctx, id)
	if err != nil {
		return LabelView{}, err
	}
	h, err := d.Store.House(ctx)
	if err != nil {
		return LabelView{}, err
	}
	p, err := d.Store.Pickup(ctx, id)
	if err != nil {
		return LabelView{}, err
	}
	if j.State != job.PickUp || p.ReadyAt == nil {
		return LabelView{}, desk.Refuse("not ready yet", j.Title)
	}
	pieces, err := d.Store.Pieces(ctx, id)
	copies := 0
	for _, x := range pieces {
		copies += x.Copies
	}
	words := finding.Speak(h.Locale)
	hours, e := desk.HoursOf(h)
	if err = errors.Join(err, e); err != nil {
		return LabelView{}, err
	}
	return LabelView{h.Name, j.Title, j.MemberName, words.Say(problem.Say("so many pieces", copies)), p.Place, p.Code, desk.Moment(*p.ReadyAt, hours.Location, words)}, nil
}
