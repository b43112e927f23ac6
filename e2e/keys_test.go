package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/solid"
	"jobshelf/internal/browser"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
	"jobshelf/internal/work"
)

// By keyboard alone, with what is on the screen: the demo's twelve arrivals are decided, units said
// and repairs made on the way, in 60 keys at the most; then a model is handed in, sliced and walked
// layer by layer, and a price of the house is changed. Nothing is clicked, nothing focused by script.
func TestKeysAlone(t *testing.T) {
	t.Parallel()
	url := house(t)
	server := serveOnly(t, url, "--queues", "counter")
	s, err := store.Open(ctx, url)
	require.NoError(t, err)
	defer s.Close()
	q, err := work.NewQueue(s)
	require.NoError(t, err)
	d := &desk.Desk{Store: s, Queue: q, Now: time.Now}
	require.NoError(t, demo.Arrivals(ctx, d))
	require.NoError(t, demo.AddRules(ctx, d))
	p, stop, err := browser.Open(ctx, server.base)
	require.NoError(t, err)
	defer stop()
	p.Patience = time.Minute
	ok := seen(t, &p)
	keys := 0
	press := func(all ...string) {
		t.Helper()
		for _, k := range all {
			keys++
			ok(p.Key(k))
		}
	}
	is := func(js string) bool {
		v, err := browser.Eval[bool](p, js)
		ok(err)
		return v
	}
	ok(p.SignIn("tess", demo.Password))
	press("2")
	ok(p.Wait(`document.querySelectorAll('aside li').length === 12`))
	settled := `(document.querySelector('#yes') && !document.querySelector('.verdict .check'))`
	for left := 12; left > 0; left-- {
		ok(p.Wait(fmt.Sprintf(`document.querySelectorAll('aside li').length === %d && %s`, left, settled)))
		switch {
		case is(`!!document.querySelector('[data-unit]')`):
			press("u", kb.Enter)
			ok(p.Wait(`!document.querySelector('[data-unit]')`))
		case is(`!!document.querySelector('#repair')`):
			press("r", kb.Enter)
			ok(p.Wait(`document.querySelectorAll('.versions th').length > 1`))
		}
		ok(p.Wait(settled))
		const asked = `document.querySelectorAll('[data-check] .ready').length`
		for is(asked + ` > 0 && !document.querySelector('.stops-it')`) { // what is to be decided is looked at
			was, err := browser.Eval[int](p, asked)
			ok(err)
			press("w")
			ok(p.Wait(fmt.Sprintf(`%s < %d`, asked, was)))
		}
		if is(`!document.querySelector('#yes').disabled`) {
			press("y")
		} else {
			press("n", kb.Tab, kb.Enter) // the message is written; behind it is the button
		}
	}
	ok(p.Wait(`document.querySelector('.verdict.empty')`))
	t.Logf("%d keys for twelve arrivals", keys)
	assert.LessOrEqual(t, keys, 40)
	jobs, err := s.OpenJobs(ctx, 0)
	require.NoError(t, err)
	for _, j := range jobs {
		assert.Contains(t, []string{"approved", "being sliced"}, j.State, j.Title)
	}
	assert.GreaterOrEqual(t, len(jobs), 10, "no more than two were sent back")

	// What was said yes to is taken back: slicing it all would take longer than the test.
	tess := signIn(t, server.base, "tess")
	for _, j := range jobs {
		tess.post(fmt.Sprintf("/jobs/%d/take-back", j.ID), map[string]any{"revision": j.Revision}, nil)
	}
	start(t, "Working", "work", "--database", url, "--queues", "bench")

	// A model is handed in: the file is chosen in the system's own dialog, the rest by keys.
	press("h")
	ok(p.Files("#file-input", file(t, "oarlock-bushing.stl", solid.OarlockBushing())))
	ok(p.Wait(`document.querySelector('.file .name')`))
	tabTo(t, p, `document.activeElement?.id === 'hand-in-send'`)
	press(kb.Enter)
	ok(p.Wait(`location.pathname.startsWith('/counter/') && document.querySelector('.verdict h1')?.innerText.includes('Oarlock') && ` + settled))

	// On the bench it is sliced, and its layers walked.
	press("b")
	ok(p.Wait(`location.pathname.startsWith('/bench/')`))
	ok(p.Wait(`document.querySelector('.ladder')`))
	// Which machine is first done depends on the hour; the next may be one that has no recipe for it.
	for next := true; next; next = !is(`!!document.querySelector('.settings #slice')`) {
		was := words(p, t, `document.querySelector('.answer strong').innerText`)
		press("m")
		ok(p.Wait(fmt.Sprintf(`document.querySelector('.answer strong').innerText !== %q`, was)))
	}
	press("l")
	ok(p.Wait(`document.querySelector('#layer-number')`))
	press(kb.Home)
	ok(p.Wait(`document.querySelector('#layer-number').innerText === '1'`))
	press(kb.ArrowUp, kb.ArrowUp, kb.ArrowDown)
	ok(p.Wait(`document.querySelector('#layer-number').innerText === '2'`))

	// A machine's hour costs another price.
	press("6")
	ok(p.Wait(`document.querySelector('.form')`))
	tabTo(t, p, `document.activeElement?.closest('.v-input')?.innerText.includes('Price of an hour')`)
	ok(p.Key("a", 2)) // all of it
	press("2", ",", "5", "0", kb.Tab)
	tabTo(t, p, `document.activeElement?.innerText === 'Save' && !document.activeElement.disabled`)
	press(kb.Enter)
	ok(p.Wait(`document.querySelector('.notice')?.innerText.includes('is saved')`))
	machines, err := s.Machines(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 250, machines[0].Data.RateCents)
}

// tabTo presses Tab until the focus is where it is wanted.
func tabTo(t *testing.T, p *browser.Page, is string) {
	t.Helper()
	for range 120 {
		at, err := browser.Eval[bool](p, `!!(`+is+`)`)
		require.NoError(t, err)
		if at {
			return
		}
		require.NoError(t, p.Key(kb.Tab))
	}
	require.Fail(t, "Tab never comes to "+is)
}
