package stores_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/units"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/spool"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/desk/stores"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// board is a house with a machine that lays PLA, jobs for it, and spools.
type board struct {
	*desktest.House
	t       *testing.T
	machine store.Machine
	pla     store.Material
}

func open(t *testing.T) *board {
	h := desktest.Open(t)
	b := &board{House: h, t: t}
	b.machine = b.on(h.EmptyLane())
	b.machine.Data.ChangeGrams = 2
	require.NoError(t, house.SetMachine(ctx, h.Desk, h.Cato, house.MachineView(b.machine)))
	all, err := h.Store.Materials(ctx)
	require.NoError(t, err)
	for _, m := range all {
		if m.Data.Name == b.machine.Data.Material {
			b.pla = m
		}
	}
	return b
}

func (b *board) on(id int64) store.Machine {
	m, err := floor.MachineOf(ctx, b.Store.Q, id)
	require.NoError(b.t, err)
	return *m
}

// comes receives a spool.
func (b *board) comes(grams float64) int64 {
	ids, err := stores.Receive(ctx, b.Desk, b.Cato, stores.Delivery{MaterialID: b.pla.ID, Colour: "#223344", ColourName: "Slate", Grams: grams, ReelGrams: 200, Spools: 1})
	require.NoError(b.t, err)
	return ids[0]
}

// approved is a run of a job on the machine that takes so many grams, laid evenly in ten layers.
func (b *board) approved(grams float64) (jobID, runID int64) {
	b.t.Helper()
	jobID, _ = b.Arrived()
	b.Checked(jobID)
	b.Approved(jobID, b.machine.ID)
	all, err := b.Store.RunsOfJob(ctx, jobID)
	require.NoError(b.t, err)
	b.lays(all[0], grams)
	return jobID, all[0].ID
}

func (b *board) lays(r store.Run, grams float64) {
	layers := "[" + fmt.Sprintf(`{"top_mm":1,"seconds":9,"grams":%g,"support_grams":0}`, grams/10)
	for range 9 {
		layers += fmt.Sprintf(`,{"top_mm":1,"seconds":9,"grams":%g,"support_grams":0}`, grams/10)
	}
	_, err := b.Store.Pool.Exec(ctx, `UPDATE plate SET full_estimate = full_estimate || $2 WHERE id = $1`, *r.PlateID,
		fmt.Sprintf(`{"nozzles":[{"nozzle":1,"material":%q,"grams":%g,"grams_model":%g}],"by_layer":%s]}`, b.pla.Data.Name, grams, grams, layers))
	require.NoError(b.t, err)
	require.NoError(b.t, b.Store.InTx(ctx, func(tx *store.Tx) error { return desk.LanesChanged(ctx, b.Desk, tx) }))
}

// load puts a spool into the machine.
func (b *board) load(id int64) {
	b.t.Helper()
	require.NoError(b.t, runs.Load(ctx, b.Desk, b.Cato, b.machine.ID, runs.Filament{Nozzle: 1, SpoolID: id}))
}

func (b *board) spool(id int64) store.Spool {
	b.t.Helper()
	s, err := b.Store.Spool(ctx, id)
	require.NoError(b.t, err)
	return s
}

// is holds a spool to what is left on it, and promised, g.
func (b *board) is(id int64, left, held float64) {
	b.t.Helper()
	s := b.spool(id)
	assert.InDelta(b.t, left, s.Left.Grams(), 1e-9, "left on %d", id)
	assert.InDelta(b.t, held, s.Held.Grams(), 1e-9, "promised of %d", id)
}

// promised is what the books promise a run, by spool.
func (b *board) promised(runID int64) map[int64]float64 {
	b.t.Helper()
	all, err := b.Store.Holdings(ctx)
	require.NoError(b.t, err)
	out := map[int64]float64{}
	for _, h := range all {
		if h.Run == runID && h.Held != 0 {
			out[h.Spool] = h.Held.Grams()
		}
	}
	return out
}

func (b *board) ready(runID int64) {
	b.t.Helper()
	points, err := runs.Points(ctx, b.Desk, runID)
	require.NoError(b.t, err)
	require.NoError(b.t, runs.Check(ctx, b.Desk, b.Cato, runID, points))
}

// lies brings a run that is ready to a layer.
func (b *board) lies(runID int64, layer int) {
	b.t.Helper()
	require.NoError(b.t, runs.Start(ctx, b.Desk, b.Cato, runID))
	require.NoError(b.t, runs.Tell(ctx, b.Desk, b.Cato, runID, run.Lays))
	require.NoError(b.t, runs.See(ctx, b.Desk, b.Cato, runID))
	b.at(runID, layer)
}

func (b *board) at(runID int64, layer int) {
	b.t.Helper()
	r, err := b.Store.Run(ctx, runID)
	require.NoError(b.t, err)
	r.Layer = layer
	require.NoError(b.t, b.Store.SetRunCourse(ctx, r))
}

// A run is promised what it takes of the material at its yes, of the spool when it is ready; what it has laid by its layer is
// taken off at a failure, and its successor is promised it all anew. When the yes is taken back nothing is promised.
func TestWhatARunIsPromised(t *testing.T) {
	b := open(t)
	one := b.comes(500)
	first, r1 := b.approved(60)
	second, r2 := b.approved(40)
	assert.Equal(t, map[int64]float64{0: 60}, b.promised(r1))
	assert.Equal(t, map[int64]float64{0: 40}, b.promised(r2))
	b.load(one)
	b.is(one, 498, 0)
	b.ready(r1)
	b.is(one, 498, 60)
	require.NoError(t, runs.Uncheck(ctx, b.Desk, b.Cato, r1))
	b.is(one, 498, 0)
	b.ready(r1)
	require.NoError(t, decide.TakeBack(ctx, b.Desk, b.Cato, second, 0))
	assert.Empty(t, b.promised(r2), "the yes is taken back")

	b.lies(r1, 4)
	room, err := stores.Look(ctx, b.Desk)
	require.NoError(t, err)
	assert.InDelta(t, 498-24, room.Spools[0].Left, 1e-9, "what is laid is off it, to who looks")
	require.NoError(t, runs.Fail(ctx, b.Desk, b.Cato, r1, "It came off."))
	b.is(one, 498-24, 0)
	all, err := b.Store.RunsOfJob(ctx, first)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, map[int64]float64{0: 60}, b.promised(all[0].ID), "all of it, again")
	require.NoError(t, runs.Clear(ctx, b.Desk, b.Cato, b.machine.ID))
	b.ready(all[0].ID)
	b.lies(all[0].ID, 10)
	require.NoError(t, runs.Tell(ctx, b.Desk, b.Cato, all[0].ID, run.Ends))
	b.is(one, 498-24, 60)
	require.NoError(t, runs.TakeOff(ctx, b.Desk, b.Cato, all[0].ID, nil, ""))
	b.is(one, 498-24-60, 0)
	require.NoError(t, runs.PutBack(ctx, b.Desk, b.Cato, all[0].ID), "said by mistake")
	require.NoError(t, runs.TakeOff(ctx, b.Desk, b.Cato, all[0].ID, nil, ""))
	b.is(one, 498-24-60, 0)
	assert.Equal(t, job.Finishing, b.Job(first).State)

	lines, err := stores.Lines(ctx, b.Desk, one)
	require.NoError(t, err)
	stands := units.Milligrams(0)
	for k := len(lines) - 1; k >= 0; k-- {
		stands += units.MilligramsOf(lines[k].Left)
		assert.Equal(t, stands, units.MilligramsOf(lines[k].Stands), "line %d", k)
	}
	_, err = b.Store.Pool.Exec(ctx, `UPDATE gram SET left_mg = 0`)
	assert.ErrorContains(t, err, "only added")
	_, err = b.Store.Pool.Exec(ctx, `DELETE FROM gram`)
	assert.ErrorContains(t, err, "only added")
}

// A spool runs out in the middle of a run: what it gave is off it, and what the books had left is written off; the run goes
// on from another, of the same material only, which is promised the rest, and pays for the change.
func TestASpoolRunsOut(t *testing.T) {
	b := open(t)
	one, two := b.comes(52), b.comes(1000)
	_, r := b.approved(100)
	b.load(one)
	v, err := floor.Floor(ctx, b.Desk)
	require.NoError(t, err)
	short := ""
	for _, l := range v.Lanes {
		for _, x := range l.Runs {
			if x.ID == r {
				short = x.Short
			}
		}
	}
	assert.Contains(t, short, "it takes 100 g, and spool 1 has 50 g left by then", "told on the floor before the start")
	b.ready(r)
	b.lies(r, 4)
	require.Error(t, stores.Turn(ctx, b.Desk, b.Cato, one, 0, spool.RunsOut), "it lays")
	require.NoError(t, runs.Tell(ctx, b.Desk, b.Cato, r, run.Pauses))
	require.NoError(t, stores.Turn(ctx, b.Desk, b.Cato, one, 0, spool.RunsOut))
	b.is(one, 0, 0)
	assert.Equal(t, spool.Empty, b.spool(one).State)
	assert.Empty(t, b.on(b.machine.ID).Data.Material, "nothing is loaded")
	assert.Equal(t, map[int64]float64{0: 60}, b.promised(r))
	all, err := b.Store.Materials(ctx)
	require.NoError(t, err)
	for _, m := range all {
		if m.ID != b.pla.ID {
			ids, err := stores.Receive(ctx, b.Desk, b.Cato, stores.Delivery{MaterialID: m.ID, ColourName: "Other", Grams: 500, Spools: 1})
			require.NoError(t, err)
			require.ErrorContains(t, runs.Load(ctx, b.Desk, b.Cato, b.machine.ID, runs.Filament{Nozzle: 1, SpoolID: ids[0]}), "goes on with")
			assert.Equal(t, spool.Sealed, b.spool(ids[0]).State, "nothing half done")
			break
		}
	}
	b.load(two)
	b.is(two, 998, 60)
	require.NoError(t, runs.Tell(ctx, b.Desk, b.Cato, r, run.GoesOn))
	b.at(r, 10)
	require.NoError(t, runs.Tell(ctx, b.Desk, b.Cato, r, run.Ends))
	require.NoError(t, runs.TakeOff(ctx, b.Desk, b.Cato, r, nil, ""))
	b.is(two, 938, 0)
	used, err := b.Store.UsedBy(ctx, r)
	require.NoError(t, err)
	assert.Equal(t, map[int]units.Milligrams{1: 100_000}, used, "used once, from two")
}

// Weighed in the middle of a run, with what that has laid; a correction needs a reason; an empty one on which something is
// found opens again; what is retired is written off; nothing that cannot be is said of a spool.
func TestASpoolIsWeighed(t *testing.T) {
	b := open(t)
	one := b.comes(500)
	_, r := b.approved(100)
	b.load(one)
	b.ready(r)
	b.lies(r, 3)
	require.NoError(t, stores.Weigh(ctx, b.Desk, b.Cato, one, 0, 200+460, 0))
	b.is(one, 490, 100) // 30 g of it are laid, and booked when the run ends
	require.NoError(t, runs.Tell(ctx, b.Desk, b.Cato, r, run.Ends))
	require.NoError(t, runs.TakeOff(ctx, b.Desk, b.Cato, r, nil, ""))
	b.is(one, 390, 0)

	require.Error(t, stores.Correct(ctx, b.Desk, b.Cato, one, 0, 5, " "))
	require.Error(t, stores.Correct(ctx, b.Desk, b.Cato, one, 0, -391, "a guess"))
	require.NoError(t, stores.Correct(ctx, b.Desk, b.Cato, one, 0, -90, "a test was printed at the machine"))
	b.is(one, 300, 0)
	require.Error(t, stores.Weigh(ctx, b.Desk, b.Cato, one, 0, 150, 0), "lighter than its reel")
	require.Error(t, stores.Weigh(ctx, b.Desk, b.Cato, one, 1, 500, 0), "somebody has changed it since")
	require.NoError(t, stores.Weigh(ctx, b.Desk, b.Cato, one, 0, 500, 250))
	b.is(one, 250, 0)
	require.Error(t, stores.Turn(ctx, b.Desk, b.Cato, one, 0, spool.Retires), "it is loaded")
	require.NoError(t, stores.Turn(ctx, b.Desk, b.Cato, one, 0, spool.Unloads))
	require.NoError(t, stores.Turn(ctx, b.Desk, b.Cato, one, 0, spool.Dries))
	require.Error(t, runs.Load(ctx, b.Desk, b.Cato, b.machine.ID, runs.Filament{Nozzle: 1, SpoolID: one}), "it dries")
	require.NoError(t, stores.Turn(ctx, b.Desk, b.Cato, one, 0, spool.Dried))
	require.NoError(t, stores.Turn(ctx, b.Desk, b.Cato, one, 0, spool.RunsOut))
	b.is(one, 0, 0)
	require.NoError(t, stores.Weigh(ctx, b.Desk, b.Cato, one, 0, 270, 0))
	assert.Equal(t, spool.Open, b.spool(one).State)
	b.is(one, 20, 0)
	require.NoError(t, stores.Put(ctx, b.Desk, b.Cato, one, 0, "dry box"))
	require.NoError(t, stores.Turn(ctx, b.Desk, b.Cato, one, 0, spool.Retires))
	b.is(one, 0, 0)
	for _, what := range append(stores.Steps, spool.Loads, spool.Found, "") {
		assert.Error(t, stores.Turn(ctx, b.Desk, b.Cato, one, 0, what), what)
	}
	assert.Error(t, stores.Weigh(ctx, b.Desk, b.Cato, one, 0, 900, 0))
	_, err := stores.Receive(ctx, b.Desk, b.Cato, stores.Delivery{MaterialID: 999, ColourName: "x", Grams: 1, Spools: 1})
	assert.Error(t, err)
	_, err = stores.Receive(ctx, b.Desk, b.Cato, stores.Delivery{MaterialID: b.pla.ID, ColourName: " ", Grams: 1, Spools: 1})
	assert.Error(t, err)
}

// What takes up water is not to stay on a machine overnight: who comes in the morning is told.
func TestLeftOvernight(t *testing.T) {
	b := open(t)
	b.pla.Data.TakesUpWater = true
	b.pla.Data.Drying = "45 °C for 6 h"
	require.NoError(t, house.SetMaterial(ctx, b.Desk, b.Cato, house.MaterialView(b.pla)))
	one := b.comes(500)
	b.load(one)
	notes := func() []string {
		room, err := stores.Look(ctx, b.Desk)
		require.NoError(t, err)
		return room.Spools[0].Notes
	}
	assert.Empty(t, notes())
	now := b.Desk.Now()
	b.Desk.Now = func() time.Time { return now.Add(20 * time.Hour) }
	require.Len(t, notes(), 1)
	assert.Contains(t, notes()[0], "overnight. Take it off, and dry it: 45 °C for 6 h")
	require.NoError(t, stores.Turn(ctx, b.Desk, b.Cato, one, 0, spool.Unloads))
	assert.Empty(t, notes())
}

// Filament that is on no known spool can be loaded as before; the one that was in comes out, and what is laid is used from none.
func TestFilamentOfNoKnownSpool(t *testing.T) {
	b := open(t)
	one := b.comes(500)
	b.load(one)
	require.NoError(t, runs.Load(ctx, b.Desk, b.Cato, b.machine.ID, runs.Filament{Nozzle: 1, Material: b.pla.Data.Name, Colour: "#000000", ColourName: "Tar"}))
	assert.Equal(t, spool.Open, b.spool(one).State)
	_, r := b.approved(100)
	b.ready(r)
	b.lies(r, 9)
	require.NoError(t, runs.Tell(ctx, b.Desk, b.Cato, r, run.Ends))
	require.NoError(t, runs.TakeOff(ctx, b.Desk, b.Cato, r, nil, ""))
	b.is(one, 498, 0)
	used, err := b.Store.UsedBy(ctx, r)
	require.NoError(t, err)
	assert.Equal(t, map[int]units.Milligrams{1: 100_000}, used)
}
