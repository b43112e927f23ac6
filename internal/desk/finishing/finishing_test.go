package finishing_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/units"
	"jobshelf/core/shop/charge"
	"jobshelf/core/shop/finish"
	"jobshelf/core/shop/job"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/finishing"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

type bench struct {
	*desktest.House
	t   *testing.T
	now time.Time
}

// open is a house in which parts are soaked and sanded.
func open(t *testing.T, days int) *bench {
	b := &bench{desktest.Open(t), t, time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)}
	b.Desk.Now = func() time.Time { return b.now }
	require.NoError(t, finishing.SetHouse(ctx, b.Desk, b.Cato, finishing.HouseFinishing{FetchDays: days, Rules: []finish.StepRule{
		{Kind: finish.Sand, PerCopy: 5, CopyCents: 70},
		{Kind: finish.Soak, HandsMin: 4, WaitMin: 90, Cents: 50, How: "warm water"},
	}}))
	return b
}

func (b *bench) steps(id int64) []store.Step {
	b.t.Helper()
	s, err := b.Store.Steps(ctx, id)
	require.NoError(b.t, err)
	return s
}

func (b *bench) tell(what string, steps ...store.Step) error {
	ids := make([]int64, len(steps))
	for k, s := range steps {
		ids[k] = s.ID
	}
	return finishing.Tell(ctx, b.Desk, b.Cato, ids, what, "bin C4")
}

func (b *bench) part(id int64) finishing.PartView {
	b.t.Helper()
	all, err := finishing.All(ctx, b.Desk)
	require.NoError(b.t, err)
	for _, v := range all {
		if v.JobID == id {
			return v
		}
	}
	b.t.Fatalf("job %d is not among them", id)
	return finishing.PartView{}
}

// The steps of a job are written when it comes off the machine, done one after the other with their time, and priced in what
// the yes was to; with the last it is ready to be fetched, at its place, by its code, and charged when it is.
func TestFromTheMachineToItsMember(t *testing.T) {
	b := open(t, 0)
	id, _ := b.ToDecide()
	row := b.Job(id).Ladder[0]
	texts := ""
	for _, l := range row.Lines {
		texts += l.Text + ";"
	}
	assert.Contains(t, texts, "Finishing, soak;Finishing, sand;")
	require.NoError(t, decide.Approve(ctx, b.Desk, b.Cato, id, 0, decide.Yes{MachineID: row.MachineID}))
	b.SlicedForYes(id)
	for b.Job(id).State != job.Finishing {
		require.NoError(t, demo.ByHand(ctx, b.Desk, b.Cato, id))
	}
	promised := b.Job(id).Runs[0].Price
	s := b.steps(id)
	require.Len(t, s, 2)
	assert.Equal(t, []string{finish.Soak, finish.Sand}, []string{s[0].Kind, s[1].Kind})
	assert.Equal(t, []units.Cents{50, 70}, []units.Cents{s[0].Cents, s[1].Cents})

	require.Error(t, b.tell(finish.Ends, s[1]), "the soaking comes before")
	require.Error(t, decide.Advance(ctx, b.Desk, b.Cato, id, 0, ""), "not by a button either")
	require.NoError(t, b.tell(finish.Begins, s[0]))
	v := b.part(id)
	assert.Equal(t, b.now.Add(90*time.Minute), v.Steps[0].Ends.UTC())
	assert.Equal(t, []string{finish.Ends, finish.NotDone}, v.Steps[0].May)
	assert.Equal(t, promised, v.Cents)
	require.NoError(t, b.tell(finish.Ends, s[0]))
	require.NoError(t, b.tell(finish.Ends, s[1]), "what takes no time of its own ends without having begun")
	v = b.part(id)
	assert.Equal(t, job.PickUp, v.State)
	assert.Equal(t, "bin C4", v.Place)
	require.Len(t, v.Code, 6)
	require.NoError(t, b.tell(finish.NotDone, s[1]), "said by mistake")
	assert.Equal(t, job.Finishing, b.Job(id).State)
	require.Error(t, b.tell(finish.NotDone, s[0], s[1]), "two kinds")
	require.NoError(t, b.tell(finish.Ends, s[1]))
	assert.Equal(t, v.Code, b.part(id).Code, "the code stays")
	said := b.Job(id).Letters[0].Text
	assert.Contains(t, said, "It lies at: bin C4.")
	assert.Contains(t, said, "Bring this code: "+v.Code)
	assert.NotContains(t, said, "days", "the house keeps it for ever")
	l, err := finishing.LabelOf(ctx, b.Desk, id)
	require.NoError(t, err)
	assert.Equal(t, []string{"Ropewalk Commons", v.Code, "bin C4"}, []string{l.House, l.Code, l.Place})

	for _, wrong := range []string{"", " ", "AAAAAA", v.Code[:5], v.Code + "B"} {
		_, err := finishing.FetchBy(ctx, b.Desk, b.Cato, wrong)
		require.Error(t, err, "%q", wrong)
	}
	got, err := finishing.FetchBy(ctx, b.Desk, b.Cato, " "+strings.ToLower(v.Code[:3])+" "+v.Code[3:])
	require.NoError(t, err)
	assert.Equal(t, finishing.Fetched{JobID: id, Title: b.Job(id).Title, Member: b.Owner.Name, Place: "bin C4", Cents: promised}, got)
	_, err = finishing.FetchBy(ctx, b.Desk, b.Cato, v.Code)
	require.Error(t, err, "once")
	_, err = finishing.LabelOf(ctx, b.Desk, id)
	require.Error(t, err)

	// The account: what was charged, paid, and corrected with a reason; for the desk and its member alone.
	require.NoError(t, finishing.Pay(ctx, b.Desk, b.Cato, b.Owner.ID, promised))
	require.Error(t, finishing.Correct(ctx, b.Desk, b.Cato, b.Owner.ID, id, -30, " "))
	require.Error(t, finishing.Correct(ctx, b.Desk, b.Cato, b.Other.ID, id, -30, "whose job is it?"))
	require.NoError(t, finishing.Correct(ctx, b.Desk, b.Cato, b.Owner.ID, id, -30, "a scratch"))
	a, err := finishing.AccountOf(ctx, b.Desk, b.Owner, b.Owner.ID)
	require.NoError(t, err)
	assert.Equal(t, units.Cents(-30), a.Cents)
	require.Len(t, a.Lines, 3)
	assert.Equal(t, []string{charge.Corrected, charge.Paid, charge.Charged}, []string{a.Lines[0].Kind, a.Lines[1].Kind, a.Lines[2].Kind})
	assert.Equal(t, "a scratch", a.Lines[0].Why)
	_, err = finishing.AccountOf(ctx, b.Desk, b.Other, b.Owner.ID)
	require.ErrorIs(t, err, store.ErrNotFound)

	// Of a long account the newest lines are shown, and all of them counted.
	for k := range 200 {
		require.NoError(t, finishing.Correct(ctx, b.Desk, b.Cato, b.Owner.ID, 0, units.Cents(k+1), "a long account"))
	}
	a, err = finishing.AccountOf(ctx, b.Desk, b.Cato, b.Owner.ID)
	require.NoError(t, err)
	assert.Equal(t, units.Cents(200*201/2-30), a.Cents)
	require.Len(t, a.Lines, 200)
	assert.Equal(t, []units.Cents{200, 1}, []units.Cents{a.Lines[0].Cents, a.Lines[199].Cents})
	_, err = b.Store.Pool.Exec(ctx, `UPDATE charge SET cents = 0`)
	assert.ErrorContains(t, err, "only added")
}

// Parts of several jobs lie in one bath: told together, all or none, of one kind, each when it is its turn.
func TestOneBath(t *testing.T) {
	b := open(t, 0)
	one, _ := b.At(job.Finishing)
	two, _ := b.At(job.Finishing)
	s1, s2 := b.steps(one), b.steps(two)
	assert.Equal(t, []int64{s2[0].ID}, b.part(one).Steps[0].Others)
	require.Error(t, b.tell(finish.Begins, s1[0], s2[1]))
	assert.Equal(t, finish.ToDo, b.steps(one)[0].State, "none of it")
	require.NoError(t, b.tell(finish.Begins, s1[0], s2[0], s1[0]))
	assert.Equal(t, b.part(one).Steps[0].Bath, b.part(two).Steps[0].Bath)
	assert.NotZero(t, b.part(one).Steps[0].Bath)
	require.NoError(t, b.tell(finish.Ends, s1[0], s2[0]))
	require.NoError(t, b.tell(finish.Ends, s1[1], s2[1]))
	assert.Equal(t, []string{job.PickUp, job.PickUp}, []string{b.Job(one).State, b.Job(two).State})
	assert.NotEqual(t, b.part(one).Code, b.part(two).Code)
	require.Error(t, b.tell(finish.Begins))
}

// What is not fetched is said, once, and after as long again it is the house's; nothing is charged for it.
func TestNobodyComes(t *testing.T) {
	b := open(t, 14)
	id, _ := b.At(job.Finishing)
	for _, s := range b.steps(id) {
		require.NoError(t, b.tell(finish.Ends, s))
	}
	kinds := func() (out []string) {
		for _, l := range b.Job(id).Letters {
			out = append(out, l.Kind)
		}
		return out
	}
	assert.Contains(t, b.Job(id).Letters[0].Text, "after 14 days")
	for _, c := range []struct {
		days  int
		state string
		last  string
	}{{13, job.PickUp, "ready to be fetched"}, {1, job.PickUp, "not fetched"}, {13, job.PickUp, "not fetched"}, {1, job.LeftBehind, "left behind"}, {99, job.LeftBehind, "left behind"}} {
		b.now = b.now.AddDate(0, 0, c.days)
		for range 2 { // twice is once
			require.NoError(t, finishing.Waits(ctx, b.Desk))
		}
		assert.Equal(t, c.state, b.Job(id).State)
		assert.Equal(t, c.last, kinds()[0])
	}
	assert.Equal(t, []string{"left behind", "not fetched", "ready to be fetched"}, kinds()[:3])
	all, err := b.Store.ChargesOf(ctx, id)
	require.NoError(t, err)
	assert.Empty(t, all)
	require.Error(t, decide.Advance(ctx, b.Desk, b.Cato, id, 0, ""))
}

// A house without a list has no steps: a button says that a job is ready, as before; places can be said of it all the same.
func TestWithoutAList(t *testing.T) {
	b := open(t, 0)
	require.NoError(t, finishing.SetHouse(ctx, b.Desk, b.Cato, finishing.HouseFinishing{}))
	require.Error(t, finishing.SetHouse(ctx, b.Desk, b.Cato, finishing.HouseFinishing{Rules: []finish.StepRule{{Kind: "polish"}}}))
	id, _ := b.At(job.Finishing)
	assert.Empty(t, b.steps(id))
	require.NoError(t, finishing.Place(ctx, b.Desk, b.Cato, id, " bin 2 "))
	require.NoError(t, decide.Advance(ctx, b.Desk, b.Cato, id, 0, ""))
	assert.Equal(t, "bin 2", b.part(id).Place)
	require.NoError(t, decide.Advance(ctx, b.Desk, b.Cato, id, 0, ""))
	all, err := b.Store.ChargesOf(ctx, id)
	require.NoError(t, err)
	require.Len(t, all, 1, "who is known is given it without a code, and charged all the same")
	require.Error(t, finishing.Place(ctx, b.Desk, b.Cato, id, "gone"))
}
