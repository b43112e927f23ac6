// Command shots takes the pictures in docs/screenshots from a running demo.
//
//	shots [-base http://127.0.0.1:8080] [-out docs/screenshots] [-only NAME]
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"jobshelf/internal/browser"
	"jobshelf/internal/demo"
)

// shot is a picture: where, what to do there, and what to wait for.
type shot struct {
	name, path, login, do, ready string
}

const settled = `![...document.querySelectorAll('[role=status]')].some((x) => x.textContent.trim()) && document.fonts.status === 'loaded'`
const drawn = `document.querySelector('.view[data-state=shown]')`

// openTab opens a panel of the bench.
func openTab(name string) string {
	return fmt.Sprintf(`setTimeout(() => [...document.querySelectorAll('.panels [role=tab]')].find((t) => t.textContent.includes(%q)).click(), 1200)`, name)
}

var shots = []shot{
	{"shelf", "/shelf", "cato", "", `document.querySelectorAll('.slip img').length > 12`},
	{
		"counter-evidence",
		"/counter/5",
		"cato",
		`setTimeout(() => document.querySelector("[data-check=\"open surface\"] button").click(), 1500)`,
		`document.querySelector(".view[data-pins=\"1\"][data-state=shown]")`,
	},
	{"counter", "/counter/1", "cato", "", `document.querySelector('#yes')`},
	{"counter-together", "/counter/2", "cato", `setTimeout(() => document.querySelector('.together').click(), 500)`, `document.querySelectorAll('.routine tbody tr').length > 3`},
	{"bench", "/bench/1", "cato", openTab("Ladder"), `document.querySelector('.ladder')?.offsetParent && ` + drawn},
	{"bench-orientation", "/bench/2", "cato", openTab("Orientation"), `document.querySelector('.stand .ways')?.offsetParent && ` + drawn},
	{"bench-plate", "/bench/7", "cato", openTab("Plate"), `document.querySelector('.plate .copies')?.offsetParent && ` + drawn},
	{
		"bench-layers",
		"/bench/2",
		"cato",
		`setTimeout(() => document.querySelector('#slice').click(), 1500); setTimeout(() => document.querySelector('#savings')?.click(), 6000)`,
		`document.querySelectorAll('.saves .take').length >= 4 && document.querySelector('.strip') && document.querySelector('.view[data-state=shown]')`,
	},
	{
		"bench-beside",
		"/bench/2",
		"cato",
		`const beside = setInterval(() => { const s = document.querySelector('select[aria-label="Compare with"]'); if (s && s.options.length > 2) { clearInterval(beside); s.value = [...s.options].find((o) => o.textContent.includes('less infill')).value; s.dispatchEvent(new Event('change')); setTimeout(() => document.querySelector('#all-kinds')?.click(), 500) } }, 500)`,
		`document.querySelectorAll('.views .view[data-state=shown]').length === 2`,
	},
	{
		"bench-plates",
		"/bench/7",
		"cato",
		`setTimeout(() => [...document.querySelectorAll('.ladder tr')].find((r) => r.textContent.includes('Fairlead')).click(), 1500); setTimeout(() => document.querySelector('#slice').click(), 2500)`,
		`document.querySelectorAll('.layers .tabs button').length === 3 && document.querySelector('.strip') && document.querySelector('.view[data-state=shown]')`,
	},
	{"floor", "/floor", "cato", `document.querySelectorAll('.run:not(.begun)')[1].focus()`, `document.querySelector('.run')`},
	{"machine", "/machine/1", "cato", "", `document.querySelector('.heat path') && document.querySelector('.laid')`},
	{"stores", "/stores", "cato", `document.querySelector('#spool-4').click()`, `document.querySelectorAll('.one .ledger tbody tr').length > 2`},
	{"finishing", "/shelf/finishing", "cato", "", `document.querySelectorAll('.part').length && document.querySelector('.label')`},
	{"house", "/house", "tess", "", `document.querySelector('.bed svg')`},
	{
		"house-recipe",
		"/house",
		"tess",
		`setTimeout(() => [...document.querySelectorAll('.drawers [role=tab]')].find((b) => b.textContent === 'Recipes').click(), 500)`,
		`document.querySelectorAll('.rows .line').length > 40`,
	},
	{"hand-in", "/shelf", "cato", `document.querySelector('#hand-in').click()`, `document.querySelector('.side-panel #file-input')`},
	{
		"job",
		"/job/9",
		"joost",
		`setTimeout(() => document.querySelector('.findings .acts button').click(), 1500)`,
		`document.querySelector('.view[data-pins="1"][data-state=shown]')`,
	},
	{"shelf-dark", "/shelf", "cato", `document.querySelector('[aria-label="Light or dark"]').click()`, `document.querySelectorAll('.slip img').length > 12`},
}

func main() {
	base := flag.String("base", "http://127.0.0.1:8080", "")
	out := flag.String("out", "docs/screenshots", "")
	only := flag.String("only", "", "")
	told := flag.String("answers", "", "write down what the house answers instead, for the tests of the web")
	flag.Parse()
	err := error(nil)
	if *told != "" {
		err = answers(*base, *told)
	} else {
		err = run(*base, *out, *only)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "shots:", err)
		os.Exit(1)
	}
}

func run(base, out, only string) error {
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	pages := map[string]*browser.Page{} // one sign-in each: they are rate-limited
	for _, s := range shots {
		if only != "" && !strings.HasPrefix(s.name, only) {
			continue
		}
		if pages[s.login] == nil {
			p, stop, err := browser.Open(context.Background(), base)
			if err != nil {
				return err
			}
			defer stop()
			if err := p.SignIn(s.login, demo.Password); err != nil {
				return err
			}
			pages[s.login] = p
		}
		if err := take(pages[s.login], out, s); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
	}
	return nil
}

func take(p *browser.Page, out string, s shot) error {
	if err := p.Go(s.path); err != nil {
		return err
	}
	if s.do != "" {
		if err := p.Wait(`document.querySelector('.slip, .acts, .run, .ladder, .ledger')`); err != nil {
			return err
		}
		if err := p.Do(s.do); err != nil {
			return err
		}
	}
	if err := p.Wait(s.ready + " && " + settled); err != nil {
		if png, e := p.Picture(); e == nil { // what was there instead tells most
			_ = os.WriteFile(filepath.Join(os.TempDir(), "shot-failed.png"), png, 0o600)
		}
		return err
	}
	time.Sleep(700 * time.Millisecond) // transitions end
	png, err := p.Picture()
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(out, s.name+".png"), png, 0o644)
}
