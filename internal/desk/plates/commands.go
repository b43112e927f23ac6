// Package plates is what is sliced, by which overrides, and which slice is the one that
// counts.
package plates

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/letter"
	"jobshelf/core/shop/revision"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/store"
)

// SliceOrder asks for a piece to be sliced.
type SliceOrder struct {
	MachineID    int64                 `json:"machine_id"`
	Overrides    []recipe.Override     `json:"overrides" maxItems:"60"`
	SupportMarks []slicing.SupportMark `json:"support_marks,omitempty" maxItems:"60" doc:"Where support is put in or kept out by hand"`
	Stand        *orient.Stand         `json:"stand,omitempty" doc:"How it stands in this slice; left out: as the piece does"`
	Pins         []slicing.Pin         `json:"pins,omitempty" maxItems:"1000" doc:"Copies that stay where they are put"`
	Regions      []slicing.Region      `json:"regions,omitempty" maxItems:"60" doc:"Places of the piece that are filled otherwise than the rest of it"`
}

// OrderSlice queues a slice of a piece by the house's recipe for its purpose and
// the overrides, each of which needs a reason.
func OrderSlice(ctx context.Context, d *desk.Desk, a desk.Actor, piece int64, in SliceOrder) (int64, error) {
	for i, x := range in.Overrides {
		if strings.TrimSpace(x.Why) == "" {
			return 0, desk.Wrong(fmt.Sprintf("overrides[%d].why", i), "no reason for an override", recipe.NameOf(x.Key))
		}
		in.Overrides[i].Who = a.Name
	}
	for i, x := range in.SupportMarks {
		if strings.TrimSpace(x.Why) == "" {
			return 0, desk.Wrong(fmt.Sprintf("support_marks[%d].why", i), "no reason for a mark")
		}
		in.SupportMarks[i].Who = a.Name
	}
	for i, x := range in.Regions {
		if strings.TrimSpace(x.Why) == "" {
			return 0, desk.Wrong(fmt.Sprintf("regions[%d].why", i), "no reason for a region")
		}
		if x.Shells == nil && x.InfillPercent == nil {
			return 0, desk.Wrong(fmt.Sprintf("regions[%d]", i), "region as the rest")
		}
		in.Regions[i].Who = a.Name
	}
	for i, x := range in.Pins {
		if slices.ContainsFunc(in.Pins[:i], func(o slicing.Pin) bool { return o.Copy == x.Copy }) {
			return 0, desk.Wrong(fmt.Sprintf("pins[%d].copy", i), "pinned twice", x.Copy)
		}
	}
	var id int64
	err := d.Store.InTx(ctx, func(tx *store.Tx) error {
		p, err := tx.Piece(ctx, piece)
		if err != nil {
			return err
		}
		j, err := desk.LockJob(ctx, tx, a, p.JobID, 0)
		if err != nil {
			return err
		}
		if p, err = tx.Piece(ctx, piece); err != nil { // as it is under the lock
			return err
		}
		if len(floor.Models([]store.Piece{p})) == 0 {
			return desk.Refuse("no model to slice", p.Name)
		}
		s := store.Slice{JobID: j.ID, MachineID: in.MachineID, Overrides: in.Overrides}
		if s.Pieces, err = asChosen(ctx, tx, j.ID); err != nil {
			return err
		}
		s.Pieces = slices.DeleteFunc(s.Pieces, func(x revision.Piece) bool { return x.PieceID == piece })
		own := revision.Piece{PieceID: piece, Stand: p.Stands(), SupportMarks: in.SupportMarks, Pins: in.Pins, Regions: in.Regions}
		if in.Stand != nil {
			if bad := in.Stand.Check(); len(bad) > 0 {
				return &desk.Invalid{Problems: bad}
			}
			own.Stand = in.Stand.Plain()
		}
		s.Pieces = append(s.Pieces, own)
		id, err = Order(ctx, d, tx, a, j, s)
		return err
	})
	return id, err
}

// asChosen is how the pieces of a job stand in the slice that was chosen for it.
func asChosen(ctx context.Context, tx *store.Tx, job int64) ([]revision.Piece, error) {
	all, err := tx.Slices(ctx, job)
	if err != nil {
		return nil, err
	}
	for _, s := range all {
		if s.Chosen {
			return s.Pieces, nil
		}
	}
	return nil, nil
}

// Order queues a slice of a job, locked, in a transaction: of all its models, each standing as
// the slice says, or as it came.
func Order(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, j store.Job, s store.Slice) (int64, error) {
	pieces, err := tx.Pieces(ctx, j.ID)
	if err != nil {
		return 0, err
	}
	s.Pieces = asTheyAre(s.Pieces, floor.Models(pieces))
	if len(s.Pieces) == 0 {
		return 0, desk.Refuse("no model to slice", j.Title)
	}
	in, err := gather(ctx, tx.Q, s, j)
	if err == nil {
		err = in.made()
	}
	if err != nil {
		return 0, err
	}
	s.Overrides = slices.Clone(s.Overrides)
	for i, x := range s.Overrides {
		s.Overrides[i].Was = in.Recipe.WithDefaults().Value(x.Key)
	}
	r, err := in.Recipe.Apply(s.Overrides)
	if err != nil {
		var wrong *recipe.WrongOverride
		if !errors.As(err, &wrong) {
			return 0, err
		}
		return 0, desk.Wrong("overrides", wrong.Code, wrong.Params...)
	}
	for _, p := range s.Pieces {
		own := r.OnNozzle(p.Nozzle)
		if bad := own.Validate(in.Machine, in.Loaded); len(bad) > 0 {
			return 0, &desk.Invalid{Problems: bad}
		}
	}
	if id, err := sameAs(ctx, tx, s, in.Made); id > 0 || err != nil {
		return id, err
	}
	id, err := tx.AddSlice(ctx, s, a.ID)
	if err != nil {
		return 0, err
	}
	if err := queueSlice(ctx, d, tx, id, waits(a, &s)); err != nil {
		return 0, err
	}
	what := event.SliceOrdered{Slice: id, Of: in.name(), Machine: in.Machine.Name}
	var why []problem.Phrase
	for _, x := range s.Overrides {
		why = append(why, problem.Say("override for a reason", recipe.NameOf(x.Key), x.Value, x.Why))
	}
	for _, p := range s.Pieces {
		for _, x := range p.SupportMarks {
			code := "support kept out for a reason"
			if x.PutIn {
				code = "support put in for a reason"
			}
			why = append(why, problem.Say(code, x.Why))
		}
		for _, x := range p.Regions {
			why = append(why, problem.Say("region for a reason", x.Why))
		}
	}
	desk.Touched(tx, j, a, what, desk.All(why))
	return id, nil
}

// sameAs is a slice of a job that is on its way, or done and fresh, and would come out the same:
// nothing is sliced twice. 0: there is none.
func sameAs(ctx context.Context, tx *store.Tx, s store.Slice, made revision.Made) (int64, error) {
	all, err := tx.Slices(ctx, s.JobID)
	if err != nil {
		return 0, err
	}
	for _, o := range slices.Backward(all) {
		fresh := task.Busy(o.State) || o.State == task.Done && len(o.Made.Changed(made)) == 0
		if fresh && o.MachineID == s.MachineID && slices.EqualFunc(o.Overrides, s.Overrides, func(a, b recipe.Override) bool { return a.Key == b.Key && a.Value == b.Value }) &&
			slices.EqualFunc(o.Pieces, s.Pieces, func(a, b revision.Piece) bool { return a.Like(&b) }) {
			return o.ID, nil
		}
	}
	return 0, nil
}

// asTheyAre are the models of a job with how they stand.
func asTheyAre(standing []revision.Piece, models []store.Piece) []revision.Piece {
	out := make([]revision.Piece, len(models))
	for i, p := range models {
		out[i].Stand = p.Stands()
		if k := slices.IndexFunc(standing, func(x revision.Piece) bool { return x.PieceID == p.ID }); k >= 0 {
			out[i] = standing[k]
		}
		x := &out[i]
		x.PieceID, x.Version, x.Unit, x.Copies, x.Nozzle = p.ID, p.Current, p.Unit, p.Copies, p.Nozzle
	}
	return out
}

// waits is who waits for a slice that somebody, or the program, orders.
func waits(a desk.Actor, s *store.Slice) desk.Waits {
	switch {
	case s.BaseID != nil:
		return desk.Nobody
	case a.ID == 0:
		return desk.SomebodySoon
	}
	return desk.Somebody
}

func queueSlice(ctx context.Context, d *desk.Desk, tx *store.Tx, id int64, who desk.Waits) error {
	place, err := d.Queue.Slice(ctx, tx, id, who)
	if err != nil {
		return err
	}
	return tx.SetSliceQueueID(ctx, id, place)
}

// AgainSlice tries one once more that failed or was set aside.
func AgainSlice(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return changeSlice(ctx, d, a, id, func(of event.OfSlice) event.Event { return event.SliceAgain{OfSlice: of} }, func(tx *store.Tx, s store.Slice) error {
		if !task.Slice.Can(s.State, task.Again) {
			return desk.Refuse("slice not to be tried again", id, s.State)
		}
		if err := tx.AgainSlice(ctx, id); err != nil {
			return err
		}
		return queueSlice(ctx, d, tx, id, waits(a, &s))
	})
}

// errAsItIs says that there is nothing to change, and no line of history to write.
var errAsItIs = errors.New("it is as it is")

// changeSlice changes a slice of a job that is still being weighed, with a line
// of history.
func changeSlice(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, what func(event.OfSlice) event.Event, change func(*store.Tx, store.Slice) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		s, err := tx.Slice(ctx, id)
		if err != nil {
			return err
		}
		jobs, err := lockOf(ctx, tx, a, &s)
		if err != nil {
			return err
		}
		if s, err = tx.LockSlice(ctx, id); err != nil {
			return err
		}
		err = change(tx, s)
		if errors.Is(err, errAsItIs) {
			return nil
		}
		if err != nil {
			return err
		}
		in, err := gather(ctx, tx.Q, s, jobs...)
		if err != nil {
			return err
		}
		if s.BaseID != nil { // of the others' jobs nothing has been done
			jobs = jobs[len(jobs)-1:]
		}
		for _, j := range jobs {
			desk.Touched(tx, j, a, what(event.OfSlice{Slice: id, Of: in.name()}), problem.Phrase{})
		}
		return nil
	})
}

// lockOf locks the jobs that a slice is of, the first one's first; where there are several, the lanes before.
func lockOf(ctx context.Context, tx *store.Tx, a desk.Actor, s *store.Slice) ([]store.Job, error) {
	if s.JobID != 0 {
		j, err := desk.LockJob(ctx, tx, a, s.JobID, 0)
		return []store.Job{j}, err
	}
	if !a.Role.AtLeast(desk.Coordinator) {
		return nil, store.ErrNotFound
	}
	if err := tx.LockLanes(ctx); err != nil {
		return nil, err
	}
	ids, err := jobsJoined(ctx, tx.Q, s)
	if err != nil {
		return nil, err
	}
	if _, err := floor.LockJobs(ctx, tx, ids); err != nil {
		return nil, err
	}
	return jobsOf(ctx, tx.Q, s)
}

// CancelSlice ends one that waits or runs.
func CancelSlice(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return changeSlice(ctx, d, a, id, func(of event.OfSlice) event.Event { return event.SliceCancelled{OfSlice: of} }, func(tx *store.Tx, s store.Slice) error {
		if !task.Slice.Can(s.State, task.Cancel) {
			return desk.Refuse("slice not to be cancelled", id, s.State)
		}
		if err := d.Queue.Cancel(ctx, tx, s.QueueID); err != nil {
			return err
		}
		s.State, s.Error = task.Cancelled, "The slice was cancelled."
		if err := tx.EndSlice(ctx, s); err != nil {
			return err
		}
		if s.JobID == 0 {
			return nil
		}
		j, err := tx.LockJob(ctx, s.JobID)
		if err != nil {
			return err
		}
		return settle(ctx, d, tx, j, s)
	})
}

// NameSlice calls a slice something; an empty name is what its overrides say.
func NameSlice(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, name string) error {
	name = strings.TrimSpace(name)
	return changeSlice(ctx, d, a, id, func(of event.OfSlice) event.Event { return event.SliceNamed{OfSlice: of, Name: name} }, func(tx *store.Tx, s store.Slice) error {
		if s.JobID == 0 { // a name that is typed may tell a member of another
			return desk.Refuse("slice of several jobs", id)
		}
		if s.Label == name {
			return errAsItIs
		}
		return tx.NameSlice(ctx, id, name)
	})
}

// RemoveSlice takes a slice away that does not count, with what was made to be held against it.
func RemoveSlice(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return changeSlice(ctx, d, a, id, func(of event.OfSlice) event.Event { return event.SliceRemoved{OfSlice: of} }, func(tx *store.Tx, s store.Slice) error {
		used, err := tx.InUse(ctx, id)
		if err != nil {
			return err
		}
		if used {
			return desk.Refuse("slice in use", id)
		}
		return tx.RemoveSlice(ctx, id)
	})
}

// ChooseSlice makes a slice the one that counts: its machine, time and price are
// those of the job's ladder from then on.
func ChooseSlice(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) error {
	return changeSlice(ctx, d, a, id, func(of event.OfSlice) event.Event { return event.SliceChosen{OfSlice: of} }, func(tx *store.Tx, s store.Slice) error {
		if s.JobID == 0 {
			return desk.Refuse("slice of several jobs", id)
		}
		if s.State != "done" {
			return desk.Refuse("slice not done", id, s.State)
		}
		if s.Chosen {
			return errAsItIs
		}
		return tx.ChooseSlice(ctx, s)
	})
}

// nextWay stands a piece the best other way that its verdict knows; false where there is none.
func nextWay(x *revision.Piece, pieces []store.Piece) bool {
	k := slices.IndexFunc(pieces, func(p store.Piece) bool { return p.ID == x.PieceID })
	if k < 0 || pieces[k].Verdict == nil || pieces[k].Verdict.Orientation == nil {
		return false
	}
	for _, w := range pieces[k].Verdict.Orientation.Ways {
		other := orient.Stand{Turn: w.Turn, Scale: x.Stand.Scale, Mirror: x.Stand.Mirror}.Plain()
		if !other.Like(x.Stand) && w.Fits > 0 {
			x.Stand = other
			return true
		}
	}
	return false
}

// Savings orders what would save time against a slice that is done: each is
// sliced for real.
func Savings(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) ([]int64, error) {
	base, err := SliceFor(ctx, d, a, id)
	if err != nil {
		return nil, err
	}
	if base.JobID == 0 {
		return nil, desk.Refuse("slice of several jobs", id)
	}
	if base.State != "done" {
		return nil, desk.Refuse("slice not done", id, base.State)
	}
	in, err := InputOf(ctx, d, id)
	if err != nil {
		return nil, err
	}
	r, err := in.Recipe.Apply(base.Overrides)
	if err != nil {
		return nil, err
	}
	with := func(label, key string, value float64) store.Slice {
		s := base
		s.Label = label
		s.Overrides = nil
		for _, x := range base.Overrides {
			if x.Key != key {
				s.Overrides = append(s.Overrides, x)
			}
		}
		s.Overrides = append(s.Overrides, recipe.Override{Key: key, Value: fmt.Sprintf("%.3g", value), Why: "to save time", Who: a.Name})
		return s
	}
	var tries []store.Slice
	if n := in.Machine.NozzlesMM; len(n) > 0 && r.LayerMM < 0.7*n[0] {
		tries = append(tries, with("thicker layers", "layer_mm", min(0.75*n[0], 1.4*r.LayerMM)))
	}
	if r.InfillPercent > 5 {
		tries = append(tries, with("less infill", "infill_percent", float64(int(r.InfillPercent/2))))
	}
	if r.Shells > 1 {
		tries = append(tries, with("one shell less", "shells", float64(r.Shells-1)))
	}
	if base.Full != nil && base.Full.Changes > 0 {
		tries = append(tries, with("support by the part's nozzle", "support_nozzle", float64(max(1, r.PieceNozzle))))
	}
	pieces, err := d.Store.Pieces(ctx, base.JobID)
	if err != nil {
		return nil, err
	}
	smaller, over := base, base
	smaller.Label, over.Label = "a tenth smaller", "stood another way"
	smaller.Pieces, over.Pieces = slices.Clone(base.Pieces), slices.Clone(base.Pieces)
	another := false
	for i := range base.Pieces {
		for k := range smaller.Pieces[i].Stand.Scale {
			smaller.Pieces[i].Stand.Scale[k] *= 0.9
		}
		another = nextWay(&over.Pieces[i], pieces) || another
	}
	tries = append(tries, smaller)
	if another {
		tries = append(tries, over)
	}
	h, err := floor.Look(ctx, d.Store.Q, d.Now(), base.JobID)
	if err != nil {
		return nil, err
	}
	var quickest *floor.LadderRow
	for _, x := range h.Ladder(pieces) {
		if x.Takes && x.MachineID != base.MachineID && (quickest == nil || x.Seconds < quickest.Seconds) {
			quickest = &x
		}
	}
	if quickest != nil {
		other := base
		other.Label, other.MachineID, other.Overrides = "on "+quickest.Name, quickest.MachineID, nil
		tries = append(tries, other)
	}
	together, err := beside(ctx, d.Store.Q, h, base)
	if err != nil {
		return nil, err
	}
	var ids []int64
	err = d.Store.InTx(ctx, func(tx *store.Tx) error { // all of them, or none
		ids = nil
		j, err := desk.LockJob(ctx, tx, a, base.JobID, 0)
		if err != nil {
			return err
		}
		for _, s := range tries {
			s.BaseID, s.Chosen = &base.ID, false
			n, err := Order(ctx, d, tx, a, j, s)
			if err != nil {
				return err
			}
			ids = append(ids, n)
		}
		if together == nil {
			return nil
		}
		n, err := orderAgainst(ctx, d, tx, a, j, *together)
		ids = append(ids, n)
		return err
	})
	return ids, err
}

// BeginSlice counts a try of a slice and tells how many there were.
func BeginSlice(ctx context.Context, d *desk.Desk, id int64) (int, error) {
	return d.Store.BeginSlice(ctx, id)
}

// EndSlice writes what a slice came to, once, with its plates; also runs in the same
// transaction. Where a yes waits for it, that is settled.
func EndSlice(ctx context.Context, d *desk.Desk, s store.Slice, made []store.Plate, also func(*store.Tx) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockLanes(ctx); err != nil {
			return err
		}
		jobs, err := lockOf(ctx, tx, desk.Actor{Role: desk.Coordinator}, &s)
		if err != nil {
			return err
		}
		if err := tx.EndSlice(ctx, s); err != nil {
			return err
		}
		for _, p := range made {
			p.SliceID = s.ID
			if err := tx.AddPlate(ctx, p); err != nil {
				return err
			}
		}
		if err := also(tx); err != nil { // the queue's, behind ours: one order of locks
			return err
		}
		if s.JobID == 0 && s.BaseID == nil {
			return endTogether(ctx, d, tx, jobs, s)
		}
		j := jobs[len(jobs)-1] // what is only held against a slice is of the one that is to come
		in, err := gather(ctx, tx.Q, s, jobs...)
		if err != nil {
			return err
		}
		of := event.OfSlice{Slice: s.ID, Of: in.name()}
		var what event.Event = event.SliceFailed{OfSlice: of}
		switch s.State {
		case task.Done:
			what = event.SliceDone{OfSlice: of}
		case task.SetAside:
			what = event.SliceSetAside{OfSlice: of}
		}
		why := desk.Told(s.Error)
		if s.JobID == 0 && s.Error != "" {
			why = problem.Say("not on one plate")
		}
		desk.Touched(tx, j, desk.Actor{}, what, why)
		return settle(ctx, d, tx, j, s)
	})
}

// settle settles a yes that waits for a slice: the job is approved if the slice keeps to it, or
// else is to be decided again, and why.
func settle(ctx context.Context, d *desk.Desk, tx *store.Tx, j store.Job, s store.Slice) error {
	if j.State != job.BeingSliced || j.Yes == nil || j.Yes.SliceID != s.ID {
		return nil
	}
	pieces, err := tx.Pieces(ctx, j.ID)
	if err != nil {
		return err
	}
	if s.State == task.Done && len(s.Overrides) > 0 { // only then it is looked at
		if err := tx.ChooseSlice(ctx, s); err != nil {
			return err
		}
	}
	h, err := floor.Look(ctx, tx.Q, d.Now(), j.ID)
	if err != nil {
		return err
	}
	row, why := keeps(h, pieces, s, j.Yes)
	if row == nil {
		// What was made on conditions stays what counts: it is decided on again, by its own figures.
		if err := tx.SetYes(ctx, j.ID, nil); err != nil {
			return err
		}
		to, _ := job.Table.To(j.State, job.NotKept)
		if err := tx.SetState(ctx, j.ID, to, ""); err != nil {
			return err
		}
		desk.Touched(tx, j, desk.Actor{}, event.YesNotKept{}, why)
		return intake.RejudgeStale(ctx, d, tx, j, desk.Actor{}, problem.Say("house changed meanwhile"))
	}
	if err := floor.QueueRuns(ctx, tx, row, pieces, j.Yes.Place); err != nil {
		return err
	}
	if err := tx.ChooseSlice(ctx, s); err != nil {
		return err
	}
	to, _ := job.Table.To(j.State, job.Kept)
	if err := tx.SetState(ctx, j.ID, to, ""); err != nil {
		return err
	}
	if err := desk.LanesChanged(ctx, d, tx); err != nil {
		return err
	}
	desk.Touched(tx, j, desk.Actor{}, event.Approved{Machine: row.Name}, problem.Phrase{})
	by := desk.Actor{}
	if j.Yes.Person != 0 {
		p, err := tx.PersonByID(ctx, j.Yes.Person)
		if err != nil {
			return err
		}
		by = desk.ActorOf(p)
	}
	return floor.WriteYes(ctx, tx, h, by, j, row, cmp.Or(j.Yes.Told, letter.Approved))
}

// SettleNow settles a yes whose slice was made before.
func SettleNow(ctx context.Context, d *desk.Desk, tx *store.Tx, id int64) error {
	j, err := tx.Job(ctx, id)
	if err != nil || j.Yes == nil {
		return err
	}
	s, err := tx.LockSlice(ctx, j.Yes.SliceID)
	if err != nil || s.State != task.Done {
		return err
	}
	return settle(ctx, d, tx, j, s)
}

// OnConditions fills in an order: by the overrides and with the pieces of the slice that counts, 0 for none, and what is
// to be otherwise.
func OnConditions(ctx context.Context, tx *store.Tx, order *store.Slice, counts int64, conditions []recipe.Override) error {
	if counts != 0 {
		s, err := tx.Slice(ctx, counts)
		if err != nil {
			return err
		}
		order.Pieces = s.Pieces
		for _, o := range s.Overrides {
			if !slices.ContainsFunc(conditions, func(c recipe.Override) bool { return c.Key == o.Key }) {
				order.Overrides = append(order.Overrides, o)
			}
		}
	}
	order.Overrides = append(order.Overrides, conditions...)
	return nil
}

// keeps gives the row of the ladder that a slice has made, if it keeps to the yes; else why not.
func keeps(h *floor.State, pieces []store.Piece, s store.Slice, yes *job.Promise) (*floor.LadderRow, problem.Phrase) {
	if s.State != task.Done {
		return nil, desk.Told(s.Error)
	}
	row, err := h.Choose(pieces, yes.MachineID)
	if err != nil {
		return nil, problem.Say("machine takes it no more")
	}
	switch {
	case row.SliceID != s.ID || row.Stale != "":
		return nil, problem.Say("changed while it was sliced")
	case row.Seconds > yes.Seconds:
		return nil, problem.Say("longer than the yes", problem.Fixed(math.Ceil(row.Seconds/60), 0), problem.Fixed(yes.Seconds/60, 0))
	case row.Grams > yes.Grams:
		return nil, problem.Say("heavier than the yes", problem.Fixed(row.Grams, 1), problem.Fixed(yes.Grams, 1))
	case row.Price > yes.Cents:
		return nil, problem.Say("dearer than the yes", problem.Fixed(float64(row.Price)/100, 2), problem.Fixed(float64(yes.Cents)/100, 2))
	}
	return row, problem.Phrase{}
}

// ProposeAll has what is proposed sliced, of every job that is to be decided.
func ProposeAll(ctx context.Context, d *desk.Desk) error {
	ids, err := d.Store.JobsToRejudge(ctx)
	for _, id := range ids {
		if err == nil {
			err = d.Store.InTx(ctx, func(tx *store.Tx) error { return errors.Join(Propose(ctx, d, tx, id), Try(ctx, d, tx, id)) })
		}
	}
	return err
}

// Try has the other orientations of a job's pieces tried on the machines, unless all were.
func Try(ctx context.Context, d *desk.Desk, tx *store.Tx, id int64) error {
	j, _, today, others, err := TryingOf(ctx, tx.Q, id)
	if err != nil || j.State != job.ToDecide || !slices.ContainsFunc(others, func(o floor.Turned) bool { return len(o.Missing(today)) > 0 }) {
		return err
	}
	return d.Queue.Try(ctx, tx, id)
}

// TryingOf is what other orientations of a job's pieces are tried by, with what is known.
func TryingOf(ctx context.Context, q store.Q, id int64) (j store.Job, pieces []store.Piece, today *floor.Today, others []floor.Turned, err error) {
	if j, err = q.Job(ctx, id); err != nil {
		return
	}
	if pieces, err = q.Pieces(ctx, id); err != nil {
		return
	}
	if today, err = floor.TodayFor(ctx, q, j.Purpose); err == nil {
		others, err = floor.Others(ctx, q, today, pieces)
	}
	return
}

// Propose orders the slice of a job that has been checked on the machine that is proposed for
// it, so that its figures are those of the toolpath before anybody decides. A job that is
// stopped, or has no models, or is sliced already, needs none.
func Propose(ctx context.Context, d *desk.Desk, tx *store.Tx, id int64) error {
	j, err := tx.LockJob(ctx, id)
	if err != nil || j.State != job.ToDecide || j.TaskState != task.Done {
		return err
	}
	pieces, err := tx.Pieces(ctx, id)
	if err != nil || len(floor.Models(pieces)) == 0 || slices.ContainsFunc(pieces, func(p store.Piece) bool { return p.Verdict == nil || p.Verdict.Stops() }) {
		return err
	}
	h, err := floor.Look(ctx, tx.Q, d.Now(), id)
	if err != nil {
		return err
	}
	row, err := h.Choose(pieces, 0)
	var no *desk.Conflict
	if errors.As(err, &no) || err == nil && row.Full {
		return nil
	}
	if err != nil {
		return err
	}
	_, err = Order(ctx, d, tx, desk.Actor{}, j, store.Slice{MachineID: row.MachineID, JobID: id})
	return err
}
