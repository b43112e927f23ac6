package decide_test

import (
	"encoding/json"
	"flag"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/shape/units"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/task"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/store"
)

// board is jobs of two members whose plates are put together and taken apart.
type board struct {
	*desktest.House
	t      require.TestingT
	jobs   []int64
	pieces []int64
	owners []desk.Actor
	copies []int
	price  map[int64]units.Cents // of each that has a yes
	shared int                   // how often parts of several jobs were seen on a plate
}

// names are in the files, titles and members of each, and of nothing else.
func (b *board) add(owner desk.Actor, copies int) {
	name := fmt.Sprintf("secret%dof%s", len(b.jobs), strings.Fields(owner.Name)[0])
	id, piece := b.HandedIn(owner, name+".stl", copies)
	b.Checked(id)
	b.jobs, b.pieces, b.owners, b.copies = append(b.jobs, id), append(b.pieces, piece), append(b.owners, owner), append(b.copies, copies)
}

// yes approves a job on a machine, on as many plates.
func (b *board) yes(k int, machine int64, many int) error {
	if err := decide.Approve(ctx, b.Desk, b.Cato, b.jobs[k], 0, decide.Yes{MachineID: machine}); err != nil {
		return err
	}
	j, err := b.Store.Job(ctx, b.jobs[k])
	require.NoError(b.t, err)
	if j.State == job.BeingSliced {
		require.NoError(b.t, b.EndOn(j.Yes.SliceID, j.Yes.Seconds/1.3/float64(many), many))
	}
	b.price[b.jobs[k]] = b.Job(b.jobs[k]).Price
	return nil
}

// waits are all runs that wait.
func (b *board) waits() (out []store.Run) {
	all, err := b.Store.Lanes(ctx)
	require.NoError(b.t, err)
	for _, r := range all {
		if run.Movable(r.State) {
			out = append(out, r)
		}
	}
	return out
}

// end ends the joint slices that are under way: well, or not.
func (b *board) end(well bool) {
	for _, id := range b.underWay() {
		if well {
			require.NoError(b.t, b.EndSlice(id, 3000))
			continue
		}
		s, err := b.Store.Slice(ctx, id)
		require.NoError(b.t, err)
		s.State, s.Error = task.Failed, "secret0ofNobody lies on secret1ofNobody, "+b.Owner.Name+" on "+b.Other.Name
		require.NoError(b.t, plates.EndSlice(ctx, b.Desk, s, nil, func(*store.Tx) error { return nil }))
	}
}

func (b *board) underWay() (out []int64) {
	rows, err := b.Store.Pool.Query(ctx, `SELECT id FROM slice WHERE job_id IS NULL AND state IN ('queued', 'running') ORDER BY id`)
	require.NoError(b.t, err)
	defer rows.Close()
	for rows.Next() {
		var id int64
		require.NoError(b.t, rows.Scan(&id))
		out = append(out, id)
	}
	return out
}

type copied struct {
	piece int64
	n     int
}

// on is what lies on a plate.
func (b *board) on(plate int64) (out []copied) {
	p, err := b.Store.Plate(ctx, plate)
	require.NoError(b.t, err)
	s, err := b.Store.Slice(ctx, p.SliceID)
	require.NoError(b.t, err)
	for _, at := range p.Spots {
		out = append(out, copied{s.Pieces[at.Piece].PieceID, at.Copy})
	}
	return out
}

// holds is that every wanted copy of what was said yes to is on exactly one plate that is run or waits, of
// everything else none; that a plate holds what its shares say; and that each job pays its price.
func (b *board) holds(after string) {
	for k, id := range b.jobs {
		runs, err := b.Store.RunsOfJob(ctx, id)
		require.NoError(b.t, err)
		j, err := b.Store.Job(ctx, id)
		require.NoError(b.t, err)
		var want, have []copied
		var cents units.Cents
		for n := range b.copies[k] {
			want = append(want, copied{b.pieces[k], n + 1})
		}
		for _, r := range runs {
			own := r.Of(id)
			cents += own.PriceCents
			var shares []copied
			for _, s := range r.Shares {
				shares = append(shares, b.on(*s.PlateID)...)
			}
			require.ElementsMatch(b.t, shares, b.on(*r.PlateID), "%s: run %d", after, r.ID)
			p, err := b.Store.Plate(ctx, *r.PlateID)
			require.NoError(b.t, err)
			require.Equal(b.t, p.GCodeID, r.GCodeID, after)
			for _, c := range b.on(*r.PlateID) {
				if c.piece == b.pieces[k] {
					have = append(have, c)
				}
			}
			if len(r.Shares) > 1 {
				b.shared++
			}
		}
		switch j.State {
		case job.Approved, job.InProduction, job.Finishing:
			require.ElementsMatch(b.t, want, have, "%s: job %d", after, id)
			require.Equal(b.t, b.price[id], cents, "%s: job %d", after, id)
		default:
			require.Empty(b.t, runs, "%s: job %d is %s", after, id, j.State)
		}
	}
	places := map[[2]int64]bool{}
	for _, r := range b.waits() {
		at := [2]int64{r.MachineID, int64(r.Position)}
		require.False(b.t, places[at], "%s: two runs at a place", after)
		places[at] = true
		require.NotEmpty(b.t, r.Shares, after)
	}
}

// private is that nothing that a member can ask for names another's job, file or person.
func (b *board) private(who desk.Actor) {
	said := func(v any, err error) {
		require.NoError(b.t, err)
		raw, err := json.Marshal(v)
		require.NoError(b.t, err)
		for k, owner := range b.owners {
			if owner.ID == who.ID {
				continue
			}
			for _, no := range []string{fmt.Sprintf("secret%dof", k), owner.Name, fmt.Sprintf(`"job_id":%d,`, b.jobs[k])} {
				require.NotContains(b.t, string(raw), no)
			}
		}
	}
	said(decide.Shelf(ctx, b.Desk, who))
	for k, id := range b.jobs {
		if b.owners[k].ID != who.ID {
			_, err := decide.Job(ctx, b.Desk, who, id)
			require.ErrorIs(b.t, err, store.ErrNotFound)
			continue
		}
		said(decide.Job(ctx, b.Desk, who, id))
		said(plates.Slices(ctx, b.Desk, who, b.pieces[k]))
		runs, err := b.Store.RunsOfJob(ctx, id)
		require.NoError(b.t, err)
		for _, r := range runs {
			_, err := plates.RunProgram(ctx, b.Desk, who, r.ID)
			if len(r.Shares) > 1 {
				require.ErrorIs(b.t, err, store.ErrNotFound)
				p, err := b.Store.Plate(ctx, *r.PlateID)
				require.NoError(b.t, err)
				for _, open := range []func() (desk.Download, error){
					func() (desk.Download, error) { return plates.Program(ctx, b.Desk, who, p.SliceID, 1) },
					func() (desk.Download, error) { return plates.Layers(ctx, b.Desk, who, p.SliceID, 1) },
					func() (desk.Download, error) { return plates.Standing(ctx, b.Desk, who, p.SliceID, 1) },
				} {
					_, err := open()
					require.ErrorIs(b.t, err, store.ErrNotFound)
				}
				for _, d := range []func() (desk.Download, error){
					func() (desk.Download, error) { return plates.RunProgram(ctx, b.Desk, b.Cato, r.ID) },
					func() (desk.Download, error) { return plates.Program(ctx, b.Desk, b.Cato, p.SliceID, 1) },
				} {
					file, err := d()
					require.NoError(b.t, err)
					require.NotContains(b.t, strings.ToLower(file.Name), "secret", "what lies about on a card")
				}
			}
		}
	}
}

// Whatever is put together, taken out, withdrawn, taken back, moved, started, failed and approved, in
// whatever order, every wanted copy is on exactly one plate that waits or is run, prices stay as they were
// said yes to, and no member learns whose parts lie beside.
func TestPlatesAreSharedAndParted(t *testing.T) {
	h := desktest.Open(t)
	b := &board{House: h, t: t, price: map[int64]units.Cents{}}
	on := []int64{h.Machines[0].ID, h.Machines[1].ID}
	did := map[string]int{}
	asked := false
	flag.Visit(func(f *flag.Flag) { asked = asked || f.Name == "rapid.checks" })
	if !asked { // a quarter of a second each; -rapid.checks asks for more
		require.NoError(t, flag.Set("rapid.checks", "25"))
		defer func() { require.NoError(t, flag.Set("rapid.checks", "100")) }()
	}
	rapid.Check(t, func(t *rapid.T) {
		b.t = t
		for _, id := range b.jobs { // what another draw left
			_ = decide.Withdraw(ctx, h.Desk, h.Cato, id, 0, "over")
			for range 6 {
				_ = demo.ByHand(ctx, h.Desk, h.Cato, id)
			}
		}
		b.end(false)
		b.jobs, b.pieces, b.owners, b.copies = nil, nil, nil, nil
		for n := range 4 {
			b.add([]desk.Actor{h.Owner, h.Other}[n%2], 1+n%3)
			if n < 3 {
				require.NoError(t, b.yes(n, on[0], 1+n%2))
			}
		}
		b.holds("beginning")
		for range rapid.IntRange(4, 14).Draw(t, "length") {
			k := rapid.IntRange(0, len(b.jobs)-1).Draw(t, "job")
			x, y := rapid.IntRange(0, 9).Draw(t, "x"), rapid.IntRange(0, 9).Draw(t, "y")
			what := rapid.SampledFrom([]string{"together", "together", "together", "end", "end", "fails to be sliced", "out", "withdraw", "take back", "approve", "move", "start", "start", "fail", "off", "cancel", "save", "take"}).Draw(t, "what")
			if b.change(what, k, x, y, on) == nil {
				did[what]++
			}
			b.holds(what)
		}
		for _, who := range []desk.Actor{b.Owner, b.Other} {
			b.private(who)
		}
	})
	assert.GreaterOrEqual(t, len(did), 9, "%v", did)
	assert.Greater(t, b.shared, 5)
}

// change does something, if it can be done.
func (b *board) change(what string, k, x, y int, on []int64) error {
	waits := b.waits()
	id := b.jobs[k]
	switch what {
	case "together":
		if len(waits) < 2 {
			return assert.AnError
		}
		err := plates.PutTogether(ctx, b.Desk, b.Cato, waits[x%len(waits)].ID, waits[y%len(waits)].ID)
		if err == nil && x%2 == 0 { // mostly nothing comes between
			b.end(true)
		}
		return err
	case "end":
		b.end(true)
	case "fails to be sliced":
		b.end(false)
	case "out":
		for _, r := range waits {
			if len(r.Shares) > 1 {
				return plates.TakeOut(ctx, b.Desk, b.Cato, r.ID, r.Shares[x%len(r.Shares)].JobID)
			}
		}
		return assert.AnError
	case "withdraw":
		if err := decide.Withdraw(ctx, b.Desk, b.owners[k], id, 0, "not wanted"); err != nil {
			return err
		}
		b.add(b.owners[k], 1+x%3)
	case "take back":
		return decide.TakeBack(ctx, b.Desk, b.Cato, id, 0)
	case "approve":
		return b.yes(k, on[0], 1+x%2)
	case "move":
		if len(waits) == 0 {
			return assert.AnError
		}
		r := waits[x%len(waits)]
		if err := decide.Move(ctx, b.Desk, b.Cato, r.ID, on[y%2], x%3, true); err != nil {
			return err
		}
		for _, s := range r.Shares {
			b.SlicedForYes(s.JobID)
			b.price[s.JobID] = b.Job(s.JobID).Price
		}
	case "start":
		if len(waits) == 0 {
			return assert.AnError
		}
		return demo.ByHand(ctx, b.Desk, b.Cato, waits[0].Shares[0].JobID)
	case "off", "fail":
		for _, id := range b.jobs {
			if b.Job(id).May.Next == job.RunEnds {
				if what == "off" {
					return demo.ByHand(ctx, b.Desk, b.Cato, id)
				}
				return demo.Fails(ctx, b.Desk, b.Cato, id, "It came off the bed.")
			}
		}
		return assert.AnError
	case "cancel":
		for _, s := range b.underWay() {
			return plates.CancelSlice(ctx, b.Desk, b.Cato, s)
		}
		return assert.AnError
	case "save", "take":
		rows, err := b.Store.Slices(ctx, id)
		require.NoError(b.t, err)
		if what == "take" {
			if rows, err = b.Store.JointsAgainst(ctx, id); err != nil {
				return err
			}
		}
		if len(rows) == 0 {
			return assert.AnError
		}
		s := rows[x%len(rows)]
		if what == "take" {
			if err := decide.ChooseSlice(ctx, b.Desk, b.Cato, s.ID); err != nil {
				return err
			}
			b.price[id] = b.Job(id).Price
			return nil
		}
		_, err = plates.Savings(ctx, b.Desk, b.Cato, s.ID)
		return err
	}
	return nil
}

// Two jobs on a plate: each member is told, by no name; it starts, fails and ends for both; what it saves and
// whom it delays is said before; and one that is withdrawn leaves the other as it was.
func TestTwoJobsOnAPlate(t *testing.T) {
	h := desktest.Open(t)
	b := &board{House: h, t: t, price: map[int64]units.Cents{}}
	on := h.Machines[0].ID
	for n := range 3 {
		b.add([]desk.Actor{h.Owner, h.Other}[n%2], 1)
		require.NoError(t, b.yes(n, on, 1))
	}
	lane := b.waits()
	require.Len(t, lane, 3)
	v, err := floor.BesideRun(ctx, h.Desk, lane[0].ID)
	require.NoError(t, err)
	require.Len(t, v.Could, 2)
	for _, c := range v.Could {
		assert.Empty(t, c.Against)
		assert.Equal(t, 1, c.Starts)
	}
	// The last goes to the first: the second is done later by what the last takes.
	var last *floor.Could
	for k := range v.Could {
		if v.Could[k].RunID == lane[2].ID {
			last = &v.Could[k]
		}
	}
	require.NotNil(t, last)
	said := map[int64]float64{}
	for _, d := range last.Delays {
		said[d.JobID] = d.Minutes
	}
	takes := lane[2].Seconds / 60
	assert.InDelta(t, takes, said[b.jobs[0]], 1)
	assert.InDelta(t, takes, said[b.jobs[1]], 1)
	assert.NotContains(t, said, b.jobs[2], "it is sooner done")
	require.Len(t, last.Sooner, 1)
	assert.Equal(t, b.jobs[2], last.Sooner[0].JobID)
	assert.InDelta(t, (lane[1].Seconds+last.SavesS)/60, last.Sooner[0].Minutes, 1)

	require.NoError(t, plates.PutTogether(ctx, h.Desk, h.Cato, lane[0].ID, lane[1].ID))
	require.ErrorContains(t, plates.PutTogether(ctx, h.Desk, h.Cato, lane[2].ID, lane[1].ID), "being put on one plate")
	require.Len(t, b.waits(), 3, "until it is sliced all stays as it is")
	v, err = floor.BesideRun(ctx, h.Desk, lane[0].ID)
	require.NoError(t, err)
	require.Len(t, v.Made, 1)
	revision := h.Job(b.jobs[0]).Revision
	b.end(true)
	b.holds("together")
	b.private(h.Owner)
	b.private(h.Other)
	require.Greater(t, h.Job(b.jobs[0]).Revision, revision, "who saw it alone does not start both")
	first, second := h.Job(b.jobs[0]), h.Job(b.jobs[1])
	require.Equal(t, first.Runs[0].ID, second.Runs[0].ID)
	assert.Contains(t, fmt.Sprint(second.History), "one plate with parts of others")
	floorView, err := floor.Floor(ctx, h.Desk)
	require.NoError(t, err)
	shown := floorView.Lanes[0].Runs
	require.Len(t, shown, 2)
	require.Len(t, shown[0].Shares, 2)
	assert.Equal(t, first.Price+second.Price, shown[0].Price)

	require.ErrorContains(t, decide.Move(ctx, h.Desk, h.Cato, lane[0].ID, h.Machines[1].ID, 0, true), "Take them apart")
	require.NoError(t, demo.ByHand(ctx, h.Desk, h.Cato, b.jobs[1]))
	for k, want := range []string{job.InProduction, job.InProduction, job.Approved} {
		assert.Equal(t, want, h.Job(b.jobs[k]).State)
	}
	require.Error(t, plates.TakeOut(ctx, h.Desk, h.Cato, lane[0].ID, b.jobs[1]), "it prints")
	require.Error(t, decide.Withdraw(ctx, h.Desk, h.Other, b.jobs[1], 0, ""))
	require.NoError(t, demo.Fails(ctx, h.Desk, h.Cato, b.jobs[0], "It came off the bed."))
	for k := range 3 {
		assert.Equal(t, job.Approved, h.Job(b.jobs[k]).State)
	}
	b.holds("failed")
	again := h.Job(b.jobs[0]).Runs[0]
	assert.NotEqual(t, first.Runs[0].ID, again.ID)
	assert.Equal(t, again.ID, b.waits()[0].ID, "first in the lane")

	require.NoError(t, decide.Withdraw(ctx, h.Desk, h.Owner, b.jobs[0], 0, "not wanted"))
	b.holds("withdrawn")
	left := h.Job(b.jobs[1])
	assert.InDelta(t, lane[1].Seconds, left.Runs[0].Seconds, 0, "as it was said yes to")
	assert.Equal(t, b.waits()[0].ID, left.Runs[0].ID)
	for _, l := range left.History {
		if strings.Contains(l.What, "plate of its own") {
			assert.NotEqual(t, h.Owner.Name, l.Who)
		}
	}
	require.NoError(t, plates.PutTogether(ctx, h.Desk, h.Cato, b.waits()[0].ID, b.waits()[1].ID))
	b.end(true)
	require.NoError(t, plates.TakeOut(ctx, h.Desk, h.Cato, b.waits()[0].ID, b.jobs[2]))
	require.NoError(t, plates.PutTogether(ctx, h.Desk, h.Cato, b.waits()[0].ID, b.waits()[1].ID))
	assert.Empty(t, b.underWay(), "sliced once")
	require.Len(t, b.waits(), 1)
	// An older program knows one job of a run.
	require.NoError(t, h.Store.MigrateDownTo(ctx, 20))
	var alone int
	require.NoError(t, h.Store.Pool.QueryRow(ctx, `SELECT count(*) FROM run r JOIN plate p ON p.id = r.plate_id JOIN slice s ON s.id = p.slice_id WHERE r.job_id = s.job_id AND r.state = 'planned'`).Scan(&alone))
	assert.Equal(t, 2, alone)
	require.NoError(t, h.Store.Migrate(ctx))
	require.Len(t, b.waits(), 2)
}
