package decide_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/shop/job"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/store"
)

// While jobs stand in every state, the house changes: what a slice was made by makes it stale,
// and a yes is refused and says what; names and colours change nothing, a price the price alone;
// what was approved stays as it was approved; changed back, it is fresh again.
func TestWhatGoesStale(t *testing.T) {
	h := desktest.Open(t)
	at := map[string]int64{}
	for _, state := range []string{job.Approved, job.InProduction, job.Finishing, job.PickUp} {
		at[state], _ = h.At(state)
	}
	id, piece := h.At(job.ToDecide)
	slice := h.Sliced(piece, h.Machines[0].ID, 5400)
	require.NoError(t, plates.ChooseSlice(ctx, h.Desk, h.Cato, slice))
	look := func() (stale string, price int64) {
		s, err := plates.Slices(ctx, h.Desk, h.Cato, piece)
		require.NoError(t, err)
		for _, r := range h.Job(id).Ladder {
			if r.MachineID == h.Machines[0].ID {
				assert.Equal(t, s[0].Stale == "", r.Stale == "")
				assert.Equal(t, s[0].Full.Price, r.Price)
			}
		}
		return s[0].Stale, int64(s[0].Full.Price)
	}
	runs := func() (out []string) {
		for _, state := range []string{job.Approved, job.InProduction, job.Finishing, job.PickUp} {
			v := h.Job(at[state])
			require.Equal(t, state, v.State)
			out = append(out, fmt.Sprintf("%s on %d, %s, %v s, %v g, %d cents", v.Runs[0].Title, v.Runs[0].MachineID, v.Runs[0].Recipe, v.Runs[0].Seconds, v.Runs[0].Grams, v.Runs[0].Price))
		}
		return out
	}
	stale, price := look()
	require.Empty(t, stale)
	were := runs()
	machineOf := func() store.Machine {
		all, err := h.Store.Machines(ctx)
		require.NoError(t, err)
		return all[0]
	}
	recipeOf := func() store.Recipe {
		all, err := h.Store.Recipes(ctx)
		require.NoError(t, err)
		for _, r := range all {
			if r.MachineID == h.Machines[0].ID && string(r.Data.Purpose) == h.Job(id).Purpose {
				return r
			}
		}
		t.Fatal("no recipe")
		return store.Recipe{}
	}
	setMachine := func(change func(*house.MachineView)) {
		m := house.MachineView(machineOf())
		change(&m)
		require.NoError(t, house.SetMachine(ctx, h.Desk, h.Owner, m))
	}
	setRecipe := func(change func(*house.RecipeView)) {
		r := house.RecipeView(recipeOf())
		change(&r)
		require.NoError(t, house.SetRecipe(ctx, h.Desk, h.Owner, r))
	}
	// again says whether the verdict went stale too, and ends its new check.
	again := func() bool {
		t, err := h.Store.TaskOf(ctx, id)
		require.NoError(h.T, err)
		if t.State != "done" {
			h.Checked(id)
		}
		return t.State != "done"
	}
	sql := func(text string) {
		_, err := h.Store.Pool.Exec(ctx, text)
		require.NoError(t, err)
	}
	name := machineOf().Data.Name
	for _, c := range []struct {
		what   string
		change func()
		says   string // in what is stale; empty: it stays fresh
		prices bool   // the price is another
		judged bool   // the verdict goes stale
	}{
		{"out of service", func() { setMachine(func(m *house.MachineView) { m.Data.InService = false }) }, "", true, true}, // the one that was kept: none, here
		{"in service again", func() { setMachine(func(m *house.MachineView) { m.Data.InService = true }) }, "", false, true},
		{"a colour", func() { setMachine(func(m *house.MachineView) { m.Data.ColourName = "Fog" }) }, "", false, false},
		{"an address", func() { setMachine(func(m *house.MachineView) { m.Data.Address = "the rope loft, by the window" }) }, "", false, false},
		{"an hour's price", func() { setMachine(func(m *house.MachineView) { m.Data.RateCents += 600 }) }, "", true, true},
		{"a recipe's name", func() { setRecipe(func(r *house.RecipeView) { r.Data.Name = "Anew" }) }, "", true, true},
		{"shells", func() { setRecipe(func(r *house.RecipeView) { r.Data.Shells++ }) }, "recipe is another", true, true},
		{"shells back", func() { setRecipe(func(r *house.RecipeView) { r.Data.Shells-- }) }, "", true, true},
		{"the nozzle", func() { setMachine(func(m *house.MachineView) { m.Data.NozzlesMM[0] = 0.41 }) }, "machine works otherwise", true, true},
		{"the nozzle back", func() { setMachine(func(m *house.MachineView) { m.Data.NozzlesMM[0] = 0.4 }) }, "", true, true},
		{"a block of the program", func() {
			setMachine(func(m *house.MachineView) { m.Data.Dialect.Start = "G28\nM109 S{first_nozzle_c}" })
		}, "machine works otherwise", true, false},
		{"the common block", func() { setMachine(func(m *house.MachineView) { m.Data.Dialect.Start = "" }) }, "", true, false},
		{"another program slices", func() { sql(`UPDATE slice SET made = jsonb_set(made, '{slicing}', '0')`) }, "slices otherwise", true, false},
		{"the same again", func() {
			sql(fmt.Sprintf(`UPDATE slice SET made = jsonb_set(made, '{slicing}', '%d')`, slicing.Revision))
		}, "", true, false},
		{"another program judges", func() {
			sql(`UPDATE version SET judged_by = jsonb_set(judged_by, '{judging}', '0')`)
			assert.ErrorContains(t, decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: h.Machines[0].ID}), "Have it checked again")
			require.NoError(t, intake.Renew(ctx, h.Desk))
		}, "", true, true},
		{"nothing", func() { require.NoError(t, intake.Renew(ctx, h.Desk)) }, "", true, false},
	} {
		c.change()
		assert.Equal(t, c.judged, again(), c.what)
		stale, now := look()
		if c.says == "" {
			assert.Empty(t, stale, c.what)
		} else {
			assert.Contains(t, stale, c.says, c.what)
			err := decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: h.Machines[0].ID})
			assert.ErrorContains(t, err, c.says, c.what)
		}
		assert.Equal(t, c.prices, now != price, "%s: %d, was %d", c.what, now, price)
		assert.Equal(t, were, runs(), c.what)
	}
	// Under another name it is the same machine, for those that were judged before, too.
	setMachine(func(m *house.MachineView) { m.Data.Name = name + " the Second" })
	require.True(t, again(), "a verdict tells names")
	for _, state := range []string{job.Approved, job.ToDecide} {
		v := h.Job(map[string]int64{job.Approved: at[job.Approved], job.ToDecide: id}[state])
		for _, r := range v.Ladder {
			if r.MachineID == h.Machines[0].ID {
				assert.Equal(t, name+" the Second, fits: true", fmt.Sprintf("%s, fits: %v", r.Name, r.Fits), state)
			}
		}
	}
	stale, _ = look()
	assert.Empty(t, stale)
	require.NoError(t, decide.Approve(ctx, h.Desk, h.Cato, id, 0, decide.Yes{MachineID: h.Machines[0].ID}))
	v := h.Job(id)
	_, now := look()
	assert.Equal(t, now, int64(v.Runs[0].Price), "the price of the day of the yes")
	// Results name the revisions that they are of, all of which are there.
	for _, from := range []string{`slice, jsonb_array_elements(made -> 'from') f WHERE state = 'done'`, `version, jsonb_array_elements(judged_by -> 'from') f WHERE true`} {
		var named, kept int
		require.NoError(t, h.Store.Pool.QueryRow(ctx, `SELECT count(*), count(*) FILTER (WHERE EXISTS (SELECT FROM revision r WHERE r.of = f ->> 'of' AND r.of_id = (f -> 'id')::bigint AND r.n = (f -> 'n')::int)) FROM `+from).Scan(&named, &kept))
		assert.GreaterOrEqual(t, named, 3)
		assert.Equal(t, named, kept)
	}
	// Every version stays as it was, and nobody can change one.
	var n int
	require.NoError(t, h.Store.Pool.QueryRow(ctx, `SELECT count(*) FROM revision WHERE of = 'recipe' AND of_id = $1`, recipeOf().ID).Scan(&n))
	assert.Equal(t, 4, n)
	_, err := h.Store.Pool.Exec(ctx, `UPDATE revision SET data = '{}'`)
	require.ErrorContains(t, err, "never changes")
}
