package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/solid"
	"jobshelf/internal/browser"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk/decide"
)

// atTheDesk is a browser of the coordinator's, and what looks at what each step says.
func atTheDesk(t *testing.T, base string) (*browser.Page, func(error)) {
	t.Helper()
	p, stop, err := browser.Open(ctx, base)
	require.NoError(t, err)
	t.Cleanup(stop)
	p.Patience = 40 * time.Second
	ok := seen(t, &p)
	ok(p.SignIn("cato", demo.Password))
	return p, ok
}

// The ladder says of every machine and orientation what it takes, by itself and while one looks; by keys
// alone a row in which the part stands otherwise is taken, judged, and said yes to on its machine.
func TestTheLadderIsReadAndTakenByKeys(t *testing.T) {
	server := serve(t, house(t), "--queues", "night")
	c := signIn(t, server.base, "cato")
	id := c.handIn(file(t, "bollard.stl", solid.Bollard()))
	c.until(id, over)
	p, ok := atTheDesk(t, server.base)
	ok(p.Go(fmt.Sprintf("/counter/%d", id)))
	v := c.until(id, func(v decide.JobView) bool { return v.Ways.Of > 0 && v.Ways.Tried == v.Ways.Of })
	ok(p.Wait(`document.querySelectorAll('.ways tbody tr').length && !document.querySelector('.ways [role=status]')`)) // nobody asked
	proposed := words(p, t, `document.querySelector('.proposal').innerText`)
	for _, r := range v.Ladder {
		if r.Proposed {
			assert.Contains(t, proposed, r.Name)
			assert.Contains(t, proposed, r.Why)
		}
	}
	first := v.Ways.Rows[0]
	require.True(t, first.Takes)
	assert.Contains(t, words(p, t, `document.querySelector('.ways tbody tr').innerText`), first.Way)
	ok(p.Key("t"))
	ok(p.Key("T"))
	turned := c.until(id, func(v decide.JobView) bool {
		return over(v) && v.PieceSet[0].Orientation.Fixed && v.PieceSet[0].Orientation.Stand.Turn != [4]float64{1, 0, 0, 0}
	})
	for _, r := range turned.Ladder {
		if r.MachineID == first.MachineID && !r.Full {
			assert.InDelta(t, first.Seconds, r.Seconds, 1e-6, "what the row said")
		}
	}
	ok(p.Wait(fmt.Sprintf(`document.querySelector('.proposal .big strong')?.innerText === %q && !document.querySelector('#yes').disabled`, first.Name)))
	ok(p.Key("y"))
	approved := c.until(id, func(v decide.JobView) bool { return v.State == "approved" || v.State == "being sliced" })
	assert.Equal(t, first.Name, approved.Machine)
	assert.Zero(t, approved.Ways.Of, "nothing is to be taken any more")
}

// Ten runs that came off are on the map of their machine's bed; it is turned, and a new bed has none.
func TestTheBedShowsItsRuns(t *testing.T) {
	server := serve(t, house(t))
	c := signIn(t, server.base, "cato")
	path := file(t, "tag.stl", solid.Box(24, 16, 2))
	var on int64
	for range 10 {
		id := c.handIn(path)
		v := c.until(id, func(v decide.JobView) bool { return over(v) && v.May.Approve })
		if on == 0 {
			for _, r := range v.Ladder {
				if r.Name == "Bowline" {
					on = r.MachineID
				}
			}
		}
		c.post(fmt.Sprintf("/jobs/%d/approve", id), map[string]any{"machine_id": on, "revision": v.Revision}, nil)
		v = c.until(id, func(v decide.JobView) bool { return v.State == "approved" })
		run := fmt.Sprintf("/runs/%d", v.Runs[0].ID)
		c.post(run+"/check", map[string]any{"points": []string{"bed", "nozzle 1"}}, nil)
		for _, step := range []string{"/start", "/tell it lays its first line", "/tell it comes to its end"} {
			path, what, _ := strings.Cut(step, " ")
			c.post(run+path, map[string]any{"what": what}, nil)
		}
		c.post(run+"/off", map[string]any{"bad": []int{}}, nil)
		c.post(fmt.Sprintf("/machines/%d/cleared", on), map[string]any{}, nil)
	}
	p, ok := atTheDesk(t, server.base)
	ok(p.Go("/house"))
	ok(p.Wait(`document.querySelectorAll('.bed .cell').length >= 4`))
	assert.Contains(t, words(p, t, `document.querySelector('.bed').innerText`), "10 runs since")
	before := words(p, t, `[...document.querySelectorAll('.bed .cell')].map((c) => c.getAttribute('x') + ' ' + c.getAttribute('y')).join()`)
	ok(p.Click(`.bed .acts button`))
	ok(p.Wait(fmt.Sprintf(`[...document.querySelectorAll('.bed .cell')].map((c) => c.getAttribute('x') + ' ' + c.getAttribute('y')).join() !== %q`, before)))
	ok(p.Click(`.bed .acts button:last-child`))
	ok(p.Wait(`document.querySelector('.bed').innerText.includes('Nothing has lain on it.')`))
}

// By one key a second job goes on the plate of the first, as soon as both are sliced as one; its member is
// told so and by nobody's name, and when it is withdrawn the first lies alone again.
func TestTwoJobsShareAPlate(t *testing.T) {
	server := serve(t, house(t))
	c, nia := signIn(t, server.base, "cato"), signIn(t, server.base, "nia")
	first, second := c.handIn(file(t, "tide-gauge.stl", solid.Box(30, 20, 3))), nia.handIn(file(t, "tally.stl", solid.Box(24, 16, 2)))
	var was []decide.JobView
	for _, id := range []int64{first, second} {
		v := c.until(id, func(v decide.JobView) bool { return over(v) && v.May.Approve })
		var on int64
		for _, r := range v.Ladder {
			if r.Name == "Bowline" {
				on = r.MachineID
			}
		}
		c.post(fmt.Sprintf("/jobs/%d/approve", id), map[string]any{"machine_id": on, "revision": v.Revision}, nil)
		was = append(was, c.until(id, func(v decide.JobView) bool { return v.State == "approved" }))
	}
	p, ok := atTheDesk(t, server.base)
	ok(p.Go("/floor"))
	block := fmt.Sprintf(`document.querySelector('.run[data-job="%d"]')`, first)
	ok(p.Wait(block))
	ok(p.Do(block + `.focus()`))
	ok(p.Wait(fmt.Sprintf(`document.querySelector('[data-guest="%d"]')`, was[1].Runs[0].ID)))
	assert.Contains(t, words(p, t, `document.querySelector('.mates').innerText`), "one start less")
	ok(p.Key("j"))
	ok(p.Wait(fmt.Sprintf(`document.querySelectorAll('[data-share]').length === 2 && document.querySelector('[data-share="%d"]')`, second)))
	assert.Contains(t, words(p, t, block+`.textContent`), "2 jobs")
	assert.Equal(t, "true", words(p, t, fmt.Sprintf(`String(!document.querySelector('.run[data-job="%d"]'))`, second)), "one block for both")
	var own decide.JobView
	nia.get(fmt.Sprintf("/jobs/%d", second), &own)
	assert.Equal(t, was[0].Runs[0].ID, own.Runs[0].ID)
	assert.Equal(t, was[1].Price, own.Price)
	told := fmt.Sprint(own)
	assert.Contains(t, told, "one plate with parts of others")
	assert.NotContains(t, told, "ide gauge")
	assert.NotContains(t, told, "ide-gauge")

	nia.post(fmt.Sprintf("/jobs/%d/withdraw", second), map[string]any{"revision": own.Revision, "reason": "not wanted"}, nil)
	ok(p.Wait(`!document.querySelector('[data-share]') && ` + block))
	alone := c.until(first, func(v decide.JobView) bool { return v.State == "approved" })
	assert.InDelta(t, was[0].Runs[0].Seconds, alone.Runs[0].Seconds, 0)
	assert.Equal(t, was[0].Price, alone.Price)
}
