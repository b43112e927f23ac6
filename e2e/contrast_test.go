package e2e

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/solid"
	"jobshelf/internal/browser"
	"jobshelf/internal/demo"
)

// Words in every room have the contrast of WCAG 2.2 AA, 4.5 : 1 (3 : 1 for large ones),
// on light paper, measured by axe.
func TestWordsCanBeRead(t *testing.T) {
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
	look := func(room string) {
		require.NoError(t, page.Do(string(axe)+`; window.axe = axe; window.found = undefined; axe.run(document, { runOnly: ['color-contrast'] }).then((r) => {
			window.looked = r.passes.concat(r.violations).reduce((n, v) => n + v.nodes.length, 0)
			window.found = r.violations.flatMap((v) => v.nodes.map((n) => n.html.slice(0, 160) + ' ' + n.failureSummary.replace(/\s+/g, ' '))).join('\n') })`))
		require.NoError(t, page.Wait(`window.found !== undefined`))
		found, err := browser.Eval[string](page, `window.found`)
		require.NoError(t, err)
		assert.Empty(t, found, room)
		n, err := browser.Eval[int](page, `window.looked`)
		require.NoError(t, err)
		assert.Greater(t, n, 3, "%s: words looked at", room)
	}
	require.NoError(t, page.Go("/"))
	require.NoError(t, page.Wait(`document.querySelector('#sign-in')`))
	look("the door")
	require.NoError(t, page.SignIn("tess", demo.Password))
	for _, r := range []struct{ path, ready, do string }{
		{"/shelf", `document.querySelectorAll('.slip').length === 3`, ""},
		{"/counter/1", `document.querySelector('#yes')`, ""},
		{"/counter/3", `document.querySelector('#yes')`, `document.querySelector('#no').click()`},
		{"/bench/1", `document.querySelector('.ladder')`, ""},
		{"/floor", `document.querySelector('.lane, .ledger, .lanes')`, ""},
		{"/house", `document.querySelector('.form')`, ""},
		{"/house", `document.querySelector('.form')`, `document.querySelector('#own').click()`},
		{"/shelf", `document.querySelectorAll('.slip').length === 3`, `document.querySelector('#hand-in').click()`},
	} {
		require.NoError(t, page.Go(r.path))
		require.NoError(t, page.Wait(r.ready))
		require.NoError(t, page.Wait(`!document.querySelector('[role=status]')`))
		if r.do != "" {
			require.NoError(t, page.Do(r.do))
			require.NoError(t, page.Wait(`!document.getAnimations().some((a) => a.playState === 'running')`))
		}
		look(r.path + " " + r.do)
	}
}
