package e2e

import (
	"fmt"
	"net/http"
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

// A steward writes a rule as a sentence and tries it before it counts; a job that it holds waits for an answer, which
// the coordinator gives by a key or in words, and does not where the rule is the steward's; a yes is undone; and what was
// sent back is found again by desk and member.
func TestARuleIsWrittenTriedAnsweredAndAYesUndone(t *testing.T) {
	server := serve(t, house(t))
	desk := signIn(t, server.base, "cato")
	nia := signIn(t, server.base, "nia")
	first := desk.handIn(file(t, "bollard.stl", solid.Bollard()))
	desk.until(first, over)
	desk.post(fmt.Sprintf("/jobs/%d/approve", first), map[string]any{"revision": desk.until(first, over).Revision}, nil)
	id := nia.handIn(file(t, "bushing.stl", solid.OarlockBushing()))
	desk.until(id, over)

	open := func(login string) (*browser.Page, func(error)) {
		p, stop, err := browser.Open(ctx, server.base)
		require.NoError(t, err)
		t.Cleanup(stop)
		p.Patience = 40 * time.Second
		ok := seen(t, &p)
		ok(p.SignIn(login, demo.Password))
		return p, ok
	}
	p, ok := open("tess")
	ok(p.Go("/house"))
	ok(p.Wait(`[...document.querySelectorAll('.v-tab')].some((x) => x.innerText.includes('Rules'))`))
	ok(p.Do(`[...document.querySelectorAll('.v-tab')].find((x) => x.innerText.includes('Rules')).click()`))
	ok(p.Wait(`document.body.innerText.includes('The house asks nothing of jobs yet')`))
	write := func(name, minutes, waives string) {
		t.Helper()
		ok(p.Do(`[...document.querySelectorAll('button')].find((x) => x.innerText === 'Make a rule').click()`))
		ok(p.Wait(`document.querySelector('#rule-name')?.value === ''`))
		set := func(css, text string) {
			ok(p.Do(fmt.Sprintf(`(() => { const e = document.querySelector(%q); e.value = %q; e.dispatchEvent(new Event('input', { bubbles: true })); e.dispatchEvent(new Event('change', { bubbles: true })) })()`, css, text)))
		}
		set("#rule-name", name)
		set(".group input.short", minutes)
		set("[aria-label='Who may waive it']", waives)
		set("[aria-label='What it says']", "It runs for {hours} h: ask first.")
		ok(p.Click("#rule-try"))
		ok(p.Wait(`document.querySelector('.tried')?.innerText.includes('for 1 of 1 jobs')`))
		assert.Contains(t, words(p, t, `document.querySelector('.tried').innerText`), "Bollard")
		ok(p.Click("#rule-save"))
		ok(p.Wait(fmt.Sprintf(`[...document.querySelectorAll('.list strong')].some((x) => x.innerText === %q)`, name)))
	}
	write("Not long", "0.01", "coordinator")
	write("Not at all", "0.02", "steward")

	q, ok := open("cato")
	ok(q.Go(fmt.Sprintf("/counter/%d", id)))
	ok(q.Wait(`document.querySelector('.proposal')?.innerText.includes('2 to answer first') && document.querySelector('#yes').disabled`))
	ok(q.Key("w"))
	ok(q.Wait(`document.querySelector('.proposal')?.innerText.includes('1 to answer first') && document.body.innerText.includes('The steward may waive this.')`))
	refused := desk.until(id, over)
	for _, f := range refused.Findings {
		if f.Rule == "Not at all" {
			r, err := desk.http.Post(fmt.Sprintf("%s/jobs/%d/answer", desk.base, id), "application/json", strings.NewReader(fmt.Sprintf(`{"revision": %d, "key": %q, "reason": "I say so."}`, refused.Revision, f.Key)))
			require.NoError(t, err)
			require.NoError(t, r.Body.Close())
			assert.Equal(t, http.StatusConflict, r.StatusCode)
		}
	}
	ok(p.Go(fmt.Sprintf("/counter/%d", id)))
	ok(p.Wait(`[...document.querySelectorAll('.findings button')].some((x) => x.innerText.includes('because'))`))
	ok(p.Do(`[...document.querySelectorAll('.findings button')].find((x) => x.innerText.includes('because')).click()`))
	ok(p.Wait(`document.activeElement?.ariaLabel?.includes('Not at all')`))
	ok(p.Key("It is for the fair."))
	ok(p.Key("\r"))
	ok(q.Wait(`document.body.innerText.includes('It is for the fair.') && !document.querySelector('#yes').disabled`))
	ok(q.Key("y"))
	ok(q.Wait(`document.querySelector('.notices .undo')`))
	approved := desk.until(id, func(v decide.JobView) bool { return v.State == "approved" || v.State == "being sliced" })
	assert.NotEmpty(t, approved.Machine)
	ok(q.Key("Z"))
	desk.until(id, func(v decide.JobView) bool { return v.State == "to decide" })

	ok(q.Go(fmt.Sprintf("/counter/%d", id)))
	ok(q.Wait(`document.querySelector('#no') && !document.querySelector('#no').disabled`))
	m, ok := open("nia")
	ok(q.Key("n"))
	ok(q.Wait(`document.activeElement?.tagName === 'TEXTAREA'`))
	ok(q.Key(" How long?"))
	ok(q.Click("#ask"))
	asked := desk.until(id, func(v decide.JobView) bool { return v.Asked != "" })
	assert.Contains(t, asked.Asked, "How long?")
	ok(m.Go(fmt.Sprintf("/job/%d", id)))
	ok(m.Wait(`document.querySelector('.talk')?.innerText.includes('How long?')`))
	ok(m.Type("#reply", "As long as a hand."))
	ok(m.Do(`document.querySelector('.talk form').requestSubmit()`))
	ok(q.Go(fmt.Sprintf("/counter/%d", id)))
	ok(q.Wait(`document.querySelector('.talk')?.innerText.includes('As long as a hand.') && !document.querySelector('#no').disabled`))
	ok(q.Key("n"))
	ok(q.Wait(`document.activeElement?.tagName === 'TEXTAREA'`))
	ok(q.Key(" Bring it on Monday."))
	ok(q.Do(`document.querySelector('.message').requestSubmit()`))
	desk.until(id, func(v decide.JobView) bool { return v.State == "sent back" })
	for _, page := range []*browser.Page{q, m} {
		ok(page.Go("/shelf"))
		ok(page.Wait(`document.querySelector('.ended')?.innerText.includes('Bring it on Monday.')`))
	}
	ok(m.Go(fmt.Sprintf("/job/%d", id)))
	ok(m.Wait(`document.body.innerText.includes('Bring it on Monday.')`))
}

// Five routine jobs are approved together, by two keys, as they were listed; another on conditions, which its slice
// keeps; and their member is told on the job's own page.
func TestRoutineJobsTogetherAndOneOnConditions(t *testing.T) {
	server := serve(t, house(t))
	desk := signIn(t, server.base, "cato")
	nia := signIn(t, server.base, "nia")
	var ids []int64
	for n := range 6 {
		id := nia.handIn(file(t, fmt.Sprintf("block-%d.stl", n+1), solid.Box(12, 10, 4+float64(n))))
		ids = append(ids, id)
	}
	for _, id := range ids {
		desk.until(id, over)
	}
	p, stop, err := browser.Open(ctx, server.base)
	require.NoError(t, err)
	t.Cleanup(stop)
	p.Patience = 40 * time.Second
	ok := seen(t, &p)
	ok(p.SignIn("cato", demo.Password))
	ok(p.Go(fmt.Sprintf("/counter/%d", ids[5])))
	ok(p.Wait(`document.querySelector('#yes-if') && !document.querySelector('#yes-if').disabled`))
	ok(p.Key("Y"))
	ok(p.Wait(`document.activeElement?.closest('.usual')`))
	ok(p.Key("\r")) // the usual first: how full it is
	ok(p.Wait(`document.activeElement?.dataset.value === 'infill_percent'`))
	ok(p.Key("45"))
	ok(p.Key("\t"))
	ok(p.Key("It is stood on."))
	ok(p.Key("\r"))
	made := desk.until(ids[5], func(v decide.JobView) bool { return v.State == "approved" })
	require.Len(t, made.Letters, 1)
	assert.Contains(t, made.Letters[0].Text, "On these conditions: Infill density 45 %.")

	ok(p.Wait(`document.querySelector('.together')`))
	ok(p.Key("g"))
	ok(p.Wait(`document.querySelectorAll('.routine tbody tr').length === 5 && document.activeElement?.id === 'together'`))
	listed := words(p, t, `document.querySelector('.routine tbody').innerText`)
	ok(p.Key("\r"))
	for _, id := range ids[:5] {
		v := desk.until(id, func(v decide.JobView) bool { return v.State == "approved" })
		require.NotEmpty(t, v.Letters)
		assert.Contains(t, listed, v.Machine)
		assert.Contains(t, v.Letters[0].Text, v.Title+" is approved: "+v.Machine)
	}
	ok(p.Wait(`document.querySelector('.notices')?.innerText.includes('5 jobs are approved.')`))

	m, stopM, err := browser.Open(ctx, server.base)
	require.NoError(t, err)
	t.Cleanup(stopM)
	m.Patience = 40 * time.Second
	ok = seen(t, &m)
	ok(m.SignIn("nia", demo.Password))
	ok(m.Go("/shelf"))
	ok(m.Wait(`document.querySelectorAll('.slip .said').length === 6`))
	ok(m.Do(fmt.Sprintf(`document.querySelector('[data-job="%d"]').click()`, ids[0])))
	ok(m.Wait(`document.querySelector('.where')?.innerText.includes('It waits for its turn on') && document.querySelector('.letters')?.innerText.includes('is approved')`))
}
