package stores_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shop/run"
	"jobshelf/core/shop/wear"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/desk/stores"
	"jobshelf/internal/store"
)

func (b *board) part(id int64) stores.WearView {
	b.t.Helper()
	room, err := stores.Look(ctx, b.Desk)
	require.NoError(b.t, err)
	k := slices.IndexFunc(room.Parts, func(v stores.WearView) bool { return v.ID == id })
	require.GreaterOrEqual(b.t, k, 0)
	return room.Parts[k]
}

// What a run lays wears its machine's parts: as far as it came, once however often it is put back, and not those of other
// nozzles. What is worn is looked at before the next start; what is renewed begins anew.
func TestWhatWearsOut(t *testing.T) {
	b := open(t)
	add := func(p wear.Part, hours, grams float64) int64 {
		id, err := stores.AddPart(ctx, b.Desk, b.Cato, stores.NewPart{Part: p, MachineID: b.machine.ID, Hours: hours, Grams: grams})
		require.NoError(t, err)
		return id
	}
	nozzle := add(wear.Part{Name: "  Nozzle ", Nozzle: 1, LimitGrams: 305}, 0, 150)
	belt := add(wear.Part{Name: "Belt", LimitHours: 200}, 180, 0)
	plain := add(wear.Part{Name: "Fan"}, 0, 0)
	require.Equal(t, "Nozzle", b.part(nozzle).Name)
	require.Equal(t, "soon", b.part(belt).Stands)
	for _, bad := range []stores.NewPart{{Part: wear.Part{Name: " "}, MachineID: b.machine.ID}, {Part: wear.Part{Name: "Nozzle", Nozzle: 3}, MachineID: b.machine.ID}} {
		_, err := stores.AddPart(ctx, b.Desk, b.Cato, bad)
		require.ErrorAs(t, err, new(*desk.Invalid))
	}
	_, err := stores.AddPart(ctx, b.Desk, b.Cato, stores.NewPart{Part: wear.Part{Name: "Nozzle"}, MachineID: 9999})
	require.ErrorIs(t, err, store.ErrNotFound)

	now := b.Desk.Now()
	b.Desk.Now = func() time.Time { return now }
	_, first := b.approved(100)
	b.ready(first)
	b.lies(first, 5)
	started, err := b.Store.Run(ctx, first)
	require.NoError(t, err)
	now = now.Add(10 * time.Minute)
	require.NoError(t, runs.Fail(ctx, b.Desk, b.Cato, first, "It came loose."))
	require.NoError(t, runs.Clear(ctx, b.Desk, b.Cato, b.machine.ID))
	v := b.part(nozzle)
	half := v.Grams - 150
	assert.Positive(t, half)
	assert.Less(t, half, 60.0)
	lay := min(600, started.Seconds) / 3600
	assert.InDelta(t, lay, v.Hours, 1e-9)
	assert.Equal(t, 1, v.Runs)
	assert.InDelta(t, 180+lay, b.part(belt).Hours, 1e-9)

	lanes, err := b.Store.Lanes(ctx)
	require.NoError(t, err)
	k := slices.IndexFunc(lanes, func(r store.Run) bool { return r.MachineID == b.machine.ID })
	again := lanes[k].ID
	b.ready(again)
	b.lies(again, 9)
	require.NoError(t, runs.Tell(ctx, b.Desk, b.Cato, again, run.Ends))
	for range 3 {
		require.NoError(t, runs.TakeOff(ctx, b.Desk, b.Cato, again, nil, ""))
		require.NoError(t, runs.PutBack(ctx, b.Desk, b.Cato, again))
	}
	require.NoError(t, runs.TakeOff(ctx, b.Desk, b.Cato, again, nil, ""))
	require.NoError(t, runs.Clear(ctx, b.Desk, b.Cato, b.machine.ID))
	v = b.part(nozzle)
	assert.InDelta(t, 150+half+100, v.Grams, 1e-6)
	assert.Equal(t, 2, v.Runs)
	room, err := stores.Look(ctx, b.Desk)
	require.NoError(t, err)
	require.Len(t, room.Beds, 1)
	assert.Equal(t, 2, room.Beds[0].Runs, "the bed, too")
	assert.Zero(t, b.part(plain).Share)
	assert.Equal(t, "fine", b.part(plain).Stands)

	// Worn: somebody says before the next start that it was looked at.
	require.NoError(t, stores.SetPart(ctx, b.Desk, b.Cato, nozzle, v.Revision, wear.Part{Name: "Nozzle 0.4", Nozzle: 1, LimitGrams: v.Grams}))
	require.ErrorAs(t, stores.SetPart(ctx, b.Desk, b.Cato, nozzle, v.Revision, v.Part), new(*desk.Conflict), "seen before it was changed")
	v = b.part(nozzle)
	assert.Equal(t, "worn", v.Stands)
	_, next := b.approved(10)
	points := func() []string {
		p, err := runs.Points(ctx, b.Desk, next)
		require.NoError(t, err)
		return slices.DeleteFunc(p, func(s string) bool { return !strings.HasPrefix(s, "worn") })
	}
	require.Len(t, points(), 1)
	require.ErrorAs(t, runs.Check(ctx, b.Desk, b.Cato, next, []string{"bed", "nozzle 1"}), new(*desk.Invalid))
	require.NoError(t, stores.RenewPart(ctx, b.Desk, b.Cato, nozzle, v.Revision))
	assert.Empty(t, points())
	v = b.part(nozzle)
	assert.Zero(t, v.Grams+v.Hours+v.Share)
	assert.Equal(t, now, v.Since.UTC())
	require.NoError(t, stores.RemovePart(ctx, b.Desk, b.Cato, nozzle, v.Revision))
	require.ErrorIs(t, stores.RenewPart(ctx, b.Desk, b.Cato, nozzle, v.Revision), store.ErrNotFound)
	room, err = stores.Look(ctx, b.Desk)
	require.NoError(t, err)
	assert.Len(t, room.Parts, 2)

	// A part of a nozzle that the machine has no more can still be renewed, and left.
	two := slices.IndexFunc(b.Machines, func(m store.Machine) bool { return len(m.Data.NozzlesMM) == 2 })
	m := b.on(b.Machines[two].ID)
	second, err := stores.AddPart(ctx, b.Desk, b.Cato, stores.NewPart{Part: wear.Part{Name: "Nozzle", Nozzle: 2}, MachineID: m.ID})
	require.NoError(t, err)
	m.Data.NozzlesMM = m.Data.NozzlesMM[:1]
	require.NoError(t, b.Store.InTx(ctx, func(tx *store.Tx) error { return tx.SetMachine(ctx, m) }))
	require.NoError(t, stores.RenewPart(ctx, b.Desk, b.Cato, second, 1))
	require.ErrorAs(t, stores.SetPart(ctx, b.Desk, b.Cato, second, 2, wear.Part{Name: "Nozzle", Nozzle: 2}), new(*desk.Invalid))
	require.NoError(t, stores.RemovePart(ctx, b.Desk, b.Cato, second, 2))
}
