// Package finishing is what happens to parts after the machine: the steps that they go through, where they wait, how they are
// fetched, and what their member owes by then.
package finishing

import (
	"context"
	"crypto/rand"
	"errors"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/charge"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/finish"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/letter"
	"jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// SetHouse writes how the house finishes parts, and how long they wait to be fetched.
func SetHouse(ctx context.Context, d *desk.Desk, a desk.Actor, v HouseFinishing) error {
	if bad := finish.Validate(v.Rules); len(bad) > 0 {
		return &desk.Invalid{Problems: bad}
	}
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.SetFinishing(ctx, store.Finishing(v)); err != nil {
			return err
		}
		desk.Tell(tx, store.OfHouse, a.ID, event.HouseChanged{})
		return nil
	})
}

// Enter writes the steps that a job's parts go through, when all are off the machine. What was said of steps before then is
// of parts that were printed before.
func Enter(ctx context.Context, tx *store.Tx, j store.Job) error {
	h, err := tx.Finishing(ctx)
	if err != nil || len(h.Rules) == 0 {
		return err
	}
	f, err := factsOf(ctx, tx.Q, j)
	if err != nil {
		return err
	}
	return tx.MakeSteps(ctx, j.ID, finish.Steps(h.Rules, f))
}

// factsOf are what a job's parts are, as they were printed.
func factsOf(ctx context.Context, q store.Q, j store.Job) (finish.Facts, error) {
	f := finish.Facts{Purpose: j.Purpose}
	runs, err := q.RunsOfJob(ctx, j.ID)
	if err != nil {
		return f, err
	}
	add := func(material string) {
		if !slices.Contains(f.Materials, material) {
			f.Materials = append(f.Materials, material)
		}
	}
	for i := range runs {
		add(runs[i].Material)
		own := runs[i].Of(j.ID)
		if own.PlateID == nil {
			own.PlateID = runs[i].PlateID
		}
		if own.PlateID == nil {
			continue
		}
		p, err := q.Plate(ctx, *own.PlateID)
		if err != nil {
			return f, err
		}
		if p.Full != nil {
			for _, n := range p.Full.Nozzles {
				add(n.Material)
			}
			f.Supported = f.Supported || p.Full.GramsSupport > 0
		}
	}
	pieces, err := q.Pieces(ctx, j.ID)
	for _, p := range pieces {
		f.Copies += p.Copies
	}
	return f, err
}

// Leave forgets the steps of a job whose parts are on the machine again.
func Leave(ctx context.Context, tx *store.Tx, j store.Job) error { return tx.MakeSteps(ctx, j.ID, nil) }

// mostInBath bounds how many steps are told together.
const mostInBath = 60

// Tell says that steps begin, have ended, or were said by mistake: one, or several of a kind that lie in one bath. The last
// step of a job has it ready to be fetched, at a place.
func Tell(ctx context.Context, d *desk.Desk, a desk.Actor, ids []int64, what, place string) error {
	if len(ids) == 0 || len(ids) > mostInBath {
		return desk.Wrong("steps", "how many steps", mostInBath)
	}
	ids = slices.Compact(slices.Sorted(slices.Values(ids)))
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		kind, now := "", d.Now()
		for _, id := range ids {
			s, err := tx.Step(ctx, id)
			if err != nil {
				return err
			}
			j, err := tx.LockJob(ctx, s.JobID)
			if err != nil {
				return err
			}
			if kind != "" && kind != s.Kind {
				return desk.Wrong("steps", "steps of two kinds", kind, s.Kind)
			}
			kind = s.Kind
			bath := int64(0)
			if len(ids) > 1 && what == finish.Begins {
				bath = ids[0]
			}
			if err := tell(ctx, d, tx, a, j, s, what, place, bath, now); err != nil {
				return err
			}
		}
		return nil
	})
}

func tell(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, j store.Job, s store.Step, what, place string, bath int64, now time.Time) error {
	steps, err := tx.Steps(ctx, j.ID)
	if err != nil {
		return err
	}
	states := make([]string, len(steps))
	k := 0
	for i, x := range steps {
		states[i] = x.State
		if x.ID == s.ID {
			k = i
		}
	}
	to, ok := finish.Table.To(s.State, what)
	next, left := finish.Next(states)
	undo := what == finish.NotDone
	switch {
	case !ok, undo && !finish.MayUndo(states, k), j.State != job.Finishing && (!undo || j.State != job.PickUp):
		return desk.Refuse("step is otherwise", s.Kind, j.Title, s.State)
	case !undo && (!left || next != k):
		return desk.Refuse("another step comes before", j.Title, steps[next].Kind)
	}
	s.State, s.Person = to, a.ID
	switch what {
	case finish.Begins:
		s.BegunAt, s.Bath = &now, bath
		if s.WaitMin > 0 {
			at := now.Add(time.Duration(s.WaitMin * float64(time.Minute)))
			s.EndsAt = &at
		}
	case finish.Ends:
		s.DoneAt = &now
	default:
		s.BegunAt, s.EndsAt, s.DoneAt, s.Bath = nil, nil, nil, 0
	}
	if err := tx.SetStep(ctx, s); err != nil {
		return err
	}
	desk.Touched(tx, j, a, event.StepTold{Step: s.Kind, What: what}, problem.Phrase{})
	states[k] = to
	_, left = finish.Next(states)
	switch {
	case undo && j.State == job.PickUp: // it is not ready after all
		back, _ := job.Table.To(j.State, job.NotReady)
		return tx.SetState(ctx, j.ID, back, "")
	case left:
		return tx.SetState(ctx, j.ID, j.State, j.Reason) // its revision counts on
	}
	return Ready(ctx, d, tx, a, j, place)
}

// Ready says that a job waits to be fetched, where, and by which code; its member is told.
func Ready(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, j store.Job, place string) error {
	to, ok := job.Table.To(j.State, job.Ready)
	if !ok {
		return desk.Refuse("not decided yet", j.ID, j.State)
	}
	steps, err := tx.Steps(ctx, j.ID)
	if err != nil {
		return err
	}
	for _, s := range steps {
		if s.State != finish.Done {
			return desk.Refuse("another step comes before", j.Title, s.Kind)
		}
	}
	if err := tx.SetState(ctx, j.ID, to, ""); err != nil {
		return err
	}
	p, err := tx.Pickup(ctx, j.ID)
	if err != nil {
		return err
	}
	now := d.Now()
	p.ReadyAt, p.RemindedAt = &now, nil
	if place = strings.TrimSpace(place); place != "" {
		p.Place = place
	}
	if p.Code == "" {
		if p.Code, err = newCode(ctx, d, tx.Q); err != nil {
			return err
		}
	}
	if err := tx.SetPickup(ctx, p); err != nil {
		return err
	}
	desk.Touched(tx, j, a, event.ReadyToFetch{}, problem.Phrase{})
	return write(ctx, d, tx, a, j, p, letter.Ready)
}

// write tells a member where a job waits, by which code it is fetched, and what it costs.
func write(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, j store.Job, p store.Pickup, kind string) error {
	h, err := tx.House(ctx)
	if err != nil {
		return err
	}
	l, err := chargeOf(ctx, tx, j)
	if err != nil {
		return err
	}
	own, err := tx.Finishing(ctx)
	if err != nil {
		return err
	}
	words := finding.Speak(h.Locale)
	v := letter.Values{"price": desk.Sum(l.Cents, h.Currency, words), "code": p.Code, "place": p.Place}
	if own.FetchDays > 0 {
		v["days"] = strconv.Itoa(own.FetchDays)
	}
	return desk.Write(ctx, tx, a, d.Now(), j, kind, v)
}

// letters of codes: none that is taken for another, nor a vowel, so that none is a word.
const codeLetters = "23456789BCDFGHJKMNPQRSTVWXZ"

// codeLength makes 27^6 codes, of which a house has a few dozen at a time.
const codeLength = 6

func newCode(ctx context.Context, d *desk.Desk, q store.Q) (string, error) {
	from := d.Random
	if from == nil {
		from = rand.Reader
	}
	for {
		var b strings.Builder
		for range codeLength {
			n, err := rand.Int(from, big.NewInt(int64(len(codeLetters))))
			if err != nil {
				return "", err
			}
			b.WriteByte(codeLetters[n.Int64()])
		}
		if _, err := q.PickupBy(ctx, b.String()); errors.Is(err, store.ErrNotFound) {
			return b.String(), nil
		} else if err != nil {
			return "", err
		}
	}
}

// Place says where a job's parts lie.
func Place(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, place string) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := desk.LockJob(ctx, tx, a, id, 0)
		if err != nil {
			return err
		}
		if j.State != job.Finishing && j.State != job.PickUp {
			return desk.Refuse("not decided yet", id, j.State)
		}
		p, err := tx.Pickup(ctx, id)
		if err != nil {
			return err
		}
		p.Place = strings.TrimSpace(place)
		if err := tx.SetPickup(ctx, p); err != nil {
			return err
		}
		desk.Touched(tx, j, a, event.PutAt{Place: p.Place}, problem.Phrase{})
		return tx.SetState(ctx, j.ID, j.State, j.Reason)
	})
}

// CanonicalCode is a code as it is kept, of what somebody typed or a reader read.
func CanonicalCode(text string) string {
	return strings.ToUpper(strings.Map(func(r rune) rune {
		if r == ' ' || r == '-' {
			return -1
		}
		return r
	}, strings.TrimSpace(text)))
}

// FetchBy hands a job over to who brings its code, and tells which it is.
func FetchBy(ctx context.Context, d *desk.Desk, a desk.Actor, code string) (Fetched, error) {
	var out Fetched
	err := d.Store.InTx(ctx, func(tx *store.Tx) error {
		p, err := tx.PickupBy(ctx, CanonicalCode(code))
		if errors.Is(err, store.ErrNotFound) || code == "" {
			return desk.Wrong("code", "no job by this code")
		}
		if err != nil {
			return err
		}
		j, err := desk.LockJob(ctx, tx, a, p.JobID, 0)
		if err != nil {
			return err
		}
		if j.State != job.PickUp {
			return desk.Refuse("not decided yet", j.ID, j.State)
		}
		l, err := Fetch(ctx, d, tx, a, j)
		out = Fetched{j.ID, j.Title, j.MemberName, p.Place, l.Cents}
		return err
	})
	return out, err
}

// Fetch hands a job over, and charges what the yes was to.
func Fetch(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, j store.Job) (charge.Line, error) {
	to, ok := job.Table.To(j.State, job.Handed)
	if !ok {
		return charge.Line{}, desk.Refuse("not decided yet", j.ID, j.State)
	}
	if err := tx.SetState(ctx, j.ID, to, ""); err != nil {
		return charge.Line{}, err
	}
	l, err := chargeOf(ctx, tx, j)
	if err != nil {
		return l, err
	}
	if err := tx.AddCharge(ctx, d.Now(), a.ID, l); err != nil {
		return l, err
	}
	desk.Touched(tx, j, a, event.Fetched{}, problem.Phrase{})
	return l, nil
}

// chargeOf is what a job costs when it is fetched.
func chargeOf(ctx context.Context, tx *store.Tx, j store.Job) (charge.Line, error) {
	h, err := tx.Finishing(ctx)
	if err != nil {
		return charge.Line{}, err
	}
	all, err := tx.OutcomesOf(ctx, j.ID)
	if err != nil {
		return charge.Line{}, err
	}
	runs := make([]charge.Run, len(all))
	for k := range all {
		r := &all[k]
		runs[k] = charge.Run{Cents: r.Of(j.ID).PriceCents, Off: r.State == run.Off, Failed: r.State == run.Failed || r.State == run.Stopped, Own: r.PlateID == nil, Done: r.DoneShare}
	}
	return charge.Job(j.MemberID, j.ID, runs, h.OwnFailures), nil
}

// Correct writes, with a reason, that a member owes so much more, or less below 0.
func Correct(ctx context.Context, d *desk.Desk, a desk.Actor, member, jobID int64, cents units.Cents, why string) error {
	why = strings.TrimSpace(why)
	if why == "" {
		return desk.Wrong("why", "no reason for a correction")
	}
	return charged(ctx, d, a, charge.Line{Member: member, Job: jobID, Kind: charge.Corrected, Cents: cents, Why: desk.Told(why)})
}

// Pay writes that a member has paid.
func Pay(ctx context.Context, d *desk.Desk, a desk.Actor, member int64, cents units.Cents) error {
	return charged(ctx, d, a, charge.Line{Member: member, Kind: charge.Paid, Cents: -cents})
}

func charged(ctx context.Context, d *desk.Desk, a desk.Actor, l charge.Line) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		who, err := tx.PersonByID(ctx, l.Member)
		if err != nil {
			return err
		}
		if l.Job != 0 {
			j, err := tx.Job(ctx, l.Job)
			if err != nil {
				return err
			}
			if j.MemberID != l.Member {
				return store.ErrNotFound
			}
		}
		if err := tx.AddCharge(ctx, d.Now(), a.ID, l); err != nil {
			return err
		}
		desk.Tell(tx, store.OfHouse, a.ID, event.Charged{Member: who.Name, What: l.Kind, Money: float64(l.Cents) / 100})
		return nil
	})
}

// Waits tells of each job that was not fetched: its member, once, and after as long again that it is the house's.
func Waits(ctx context.Context, d *desk.Desk) error {
	h, err := d.Store.Finishing(ctx)
	if errors.Is(err, store.ErrNotFound) { // there is no house yet
		return nil
	}
	if err != nil || h.FetchDays <= 0 {
		return err
	}
	all, err := d.Store.Pickups(ctx)
	if err != nil {
		return err
	}
	for _, p := range all {
		err = errors.Join(err, d.Store.InTx(ctx, func(tx *store.Tx) error {
			j, err := tx.LockJob(ctx, p.JobID)
			if err != nil {
				return err
			}
			p, err := tx.Pickup(ctx, p.JobID)
			if err != nil || j.State != job.PickUp {
				return err
			}
			at := func(t *time.Time) time.Time {
				if t == nil {
					return time.Time{}
				}
				return *t
			}
			now := d.Now()
			remind, left := finish.Unfetched(at(p.ReadyAt), at(p.RemindedAt), now, h.FetchDays)
			switch {
			case remind:
				p.RemindedAt = &now
				if err := tx.SetPickup(ctx, p); err != nil {
					return err
				}
				desk.Touched(tx, j, desk.Actor{}, event.NotFetched{}, problem.Phrase{})
				return write(ctx, d, tx, desk.Actor{}, j, p, letter.NotFetched)
			case left:
				to, _ := job.Table.To(j.State, job.IsLeft)
				if err := tx.SetState(ctx, j.ID, to, ""); err != nil {
					return err
				}
				desk.Touched(tx, j, desk.Actor{}, event.LeftBehind{}, problem.Phrase{})
				return write(ctx, d, tx, desk.Actor{}, j, p, letter.LeftBehind)
			}
			return nil
		}))
	}
	return err
}
