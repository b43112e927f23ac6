package e2e

import (
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/solid"
	"jobshelf/internal/browser"
	"jobshelf/internal/demo"
)

// Every room, its panels and what they say when something is wrong have no violation of WCAG 2.2 AA
// or of what axe calls best practice, on light paper and by lamplight.
func TestEveryRoomIsForEverybody(t *testing.T) {
	t.Parallel()
	server := serve(t, house(t))
	c := signIn(t, server.base, "tess")
	for _, p := range solid.Parts() {
		if p.Name == "crossed-band" || p.Name == "cleat-with-hole" || p.Name == "chart-ruler" {
			c.until(c.handIn(file(t, p.Name+".stl", p.Mesh)), over)
		}
	}
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	page, stop, err := browser.Open(ctx, server.base)
	require.NoError(t, err)
	defer stop()
	page.Patience = time.Minute
	still := `!document.getAnimations().some((a) => a.playState === 'running')`
	rules := `'wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'`
	look := func(room string) {
		require.NoError(t, page.Wait(still))
		require.NoError(t, page.Do(string(axe)+`; window.axe = axe; window.found = undefined;
			axe.run(document, { runOnly: [`+rules+`] }).then((r) => {
			window.looked = r.passes.concat(r.violations).reduce((n, v) => n + v.nodes.length, 0)
			window.found = r.violations.flatMap((v) => v.nodes.map((n) => v.id + ': ' + n.html.slice(0, 160) + ' ' + n.failureSummary.replace(/\s+/g, ' '))).join('\n') })`))
		require.NoError(t, page.Wait(`window.found !== undefined`))
		found, err := browser.Eval[string](page, `window.found`)
		require.NoError(t, err)
		assert.Empty(t, found, room)
		n, err := browser.Eval[int](page, `window.looked`)
		require.NoError(t, err)
		assert.Greater(t, n, 10, "%s: places looked at", room)
	}
	click := func(css string) string { return `document.querySelector('` + css + `').click()` }
	require.NoError(t, page.Go("/"))
	require.NoError(t, page.Wait(`document.querySelector('#sign-in')`))
	look("the door")
	require.NoError(t, page.SignIn("tess", demo.Password))
	for _, theme := range []string{"paper", "lamp"} {
		require.NoError(t, page.Do(`localStorage.setItem('theme', '`+theme+`')`))
		if theme == "lamp" {
			rules = `'color-contrast'` // the rest is the same by any light
		}
		for _, r := range []struct{ path, ready, do string }{
			{"/shelf", `document.querySelectorAll('.slip').length === 3`, ""},
			{"/counter/1", `document.querySelector('#yes')`, ""},
			{"/counter/3", `document.querySelector('#yes')`, click("#no")},
			{"/counter/99", `document.querySelector('.state')`, ""},
			{"/bench/1", `document.querySelector('.ladder')`, ""},
			{"/bench/3", `document.querySelector('.strip')`, ""},
			{"/floor", `document.querySelector('.lane, .ledger, .lanes')`, ""},
			{"/house", `document.querySelector('.form')`, ""},
			{"/house", `document.querySelector('.form')`, click("#own")},
			{"/house", `document.querySelector('.form')`, `document.querySelectorAll('[role=tab]')[2].click()`},
			{"/house", `document.querySelector('.form')`, `document.querySelectorAll('[role=tab]')[3].click()`},
			{"/house", `document.querySelector('.form')`, `document.querySelectorAll('[role=tab]')[4].click()`},
			{"/shelf", `document.querySelectorAll('.slip').length === 3`, click("#hand-in")},
			{"/shelf", `document.querySelectorAll('.slip').length === 3`, click("[aria-label^=Show]")},
		} {
			if theme == "lamp" && r.do != "" {
				continue // the same colours as in its room
			}
			require.NoError(t, page.Go(r.path))
			require.NoError(t, page.Wait(r.ready))
			require.NoError(t, page.Wait(`![...document.querySelectorAll('[role=status]')].some((x) => x.textContent.trim())`))
			dark, err := browser.Eval[bool](page, `!!document.querySelector('.v-theme--lamp')`)
			require.NoError(t, err)
			assert.Equal(t, theme == "lamp", dark)
			if r.do != "" {
				require.NoError(t, page.Do(r.do+`; window.done = performance.now()`))
				require.NoError(t, page.Wait(`performance.now() > window.done + 500`)) // what slides in has begun to
			}
			look(theme + " " + r.path + " " + r.do)
		}
	}
}
