// Package e2e runs the real program, its database and a real browser together.
package e2e

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/gcode"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/internal/browser"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// binary is the program, built once.
var binary = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "jobshelf-e2e-")
	if err != nil {
		return "", err
	}
	path := filepath.Join(dir, "jobshelf")
	build := exec.Command("go", "build", "-o", path, "jobshelf/cmd/jobshelf")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	out, err := build.CombinedOutput()
	if err != nil {
		err = fmt.Errorf("%w: %s", err, out)
	}
	return path, err
})

// process is a running jobshelf.
type process struct {
	cmd  *exec.Cmd
	base string
	done chan struct{}
}

// start runs a subcommand until the test ends and waits for a line with word.
func start(t testing.TB, word string, args ...string) *process {
	t.Helper()
	path, err := binary()
	require.NoError(t, err)
	p := &process{cmd: exec.Command(path, args...), done: make(chan struct{})}
	p.cmd.Stderr = os.Stderr
	out, err := p.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, p.cmd.Start())
	t.Cleanup(func() { p.end(syscall.SIGTERM) })
	line := make(chan string, 1)
	go func() {
		defer close(p.done)
		for s := bufio.NewScanner(out); s.Scan(); {
			if strings.Contains(s.Text(), word) {
				line <- s.Text()
			}
		}
		_ = p.cmd.Wait()
	}()
	select {
	case l := <-line:
		p.base = l[strings.LastIndexByte(l, ' ')+1:]
	case <-p.done:
		t.Fatal("it ended before it was ready")
	}
	return p
}

func (p *process) end(s syscall.Signal) {
	_ = p.cmd.Process.Signal(s)
	<-p.done
}

// serve serves a house. What might save time at night is looked for where a test asks for it (--queues night): that takes
// as long as all the rest.
func serve(t testing.TB, url string, more ...string) *process {
	return serveOnly(t, url, append([]string{"--queues", "counter,bench"}, more...)...)
}

// serveOnly serves one with the queues that are named alone.
func serveOnly(t testing.TB, url string, more ...string) *process {
	return start(t, "is at", append([]string{"serve", "--listen", "127.0.0.1:0", "--database", url, "--sign-ins-per-minute", "100"}, more...)...)
}

// house is a database with the demo house and no jobs.
func house(t testing.TB) string {
	t.Helper()
	url := pgtest.URL(t)
	s, err := store.Open(ctx, url)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	_, err = demo.SetUp(ctx, s)
	require.NoError(t, err)
	return url
}

// ball is a lumpless STL of about n triangles in a file.
func ball(t testing.TB, n int) string {
	t.Helper()
	bands := 2
	for bands*bands < n {
		bands++
	}
	return file(t, "ball.stl", solid.Sphere(30, bands))
}

func file(t testing.TB, name string, m *mesh.Mesh) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, modelfile.WriteSTL(&b, m, ""))
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
	return path
}

// client talks to the API as somebody.
type client struct {
	t    testing.TB
	base string
	http *http.Client
}

func signIn(t testing.TB, base, login string) *client {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	c := &client{t, base + "/api", &http.Client{Jar: jar, Timeout: time.Minute}}
	c.post("/session", map[string]string{"login": login, "password": demo.Password}, nil)
	return c
}

func (c *client) post(path string, in, out any) {
	c.t.Helper()
	b, ok := in.([]byte)
	kind := "application/octet-stream"
	if !ok {
		var err error
		b, err = json.Marshal(in)
		require.NoError(c.t, err)
		kind = "application/json"
	}
	r, err := c.http.Post(c.base+path, kind, bytes.NewReader(b))
	require.NoError(c.t, err)
	c.into(r, out)
}

func (c *client) put(path string, in any) {
	c.t.Helper()
	b, err := json.Marshal(in)
	require.NoError(c.t, err)
	q, err := http.NewRequestWithContext(ctx, http.MethodPut, c.base+path, bytes.NewReader(b))
	require.NoError(c.t, err)
	q.Header.Set("Content-Type", "application/json")
	r, err := c.http.Do(q)
	require.NoError(c.t, err)
	c.into(r, nil)
}

func (c *client) get(path string, out any) {
	c.t.Helper()
	r, err := c.http.Get(c.base + path)
	require.NoError(c.t, err)
	c.into(r, out)
}

func (c *client) into(r *http.Response, out any) {
	c.t.Helper()
	defer r.Body.Close()
	require.Less(c.t, r.StatusCode, 300, "%s", r.Request.URL)
	if out != nil {
		require.NoError(c.t, json.NewDecoder(r.Body).Decode(out))
	}
}

func (c *client) handIn(path string) int64 {
	data, err := os.ReadFile(path)
	require.NoError(c.t, err)
	var up struct {
		UploadID string `json:"upload_id"`
	}
	c.post("/uploads?name="+filepath.Base(path), data, &up)
	var made struct{ ID int64 }
	c.post("/jobs", map[string]any{"purpose": "everyday", "pieces": []any{map[string]any{"upload_id": up.UploadID, "copies": 1}}}, &made)
	return made.ID
}

// until asks for a job until it is as wanted.
func (c *client) until(id int64, is func(decide.JobView) bool) decide.JobView {
	c.t.Helper()
	for range 6000 {
		var v decide.JobView
		c.get(fmt.Sprintf("/jobs/%d", id), &v)
		if is(v) {
			return v
		}
		time.Sleep(50 * time.Millisecond)
	}
	c.t.Fatal("waited in vain")
	return decide.JobView{}
}

func over(v decide.JobView) bool { return v.Check.State != "queued" && v.Check.State != "running" }

func checkedOnce(t testing.TB, v decide.JobView) {
	t.Helper()
	n := 0
	for _, l := range v.History {
		if l.What == "Checked" {
			n++
		}
	}
	assert.Equal(t, 1, n, "the check ends once")
	assert.Equal(t, "done", v.Check.State)
	assert.Equal(t, "to decide", v.State)
	assert.NotZero(t, v.Seconds)
}

// kill -9 in the middle of a check: after a restart the check ends, once.
func TestACheckSurvivesKillingTheServer(t *testing.T) {
	url := house(t)
	server := serve(t, url)
	c := signIn(t, server.base, "nia")
	id := c.handIn(ball(t, 1_200_000))
	v := c.until(id, func(v decide.JobView) bool { return over(v) || v.Check.State == "running" && v.Check.Fraction > 0.05 })
	require.Equal(t, "running", v.Check.State, "the server is to die in the middle of it")
	server.end(syscall.SIGKILL)

	server = serve(t, url)
	v = signIn(t, server.base, "nia").until(id, over)
	checkedOnce(t, v)
}

// A second process takes jobs from the same database, and when it dies in the
// middle of one, a third ends it.
func TestWorkersShareTheQueue(t *testing.T) {
	url := house(t)
	server := serve(t, url, "--no-work")
	c := signIn(t, server.base, "nia")
	id := c.handIn(ball(t, 1_200_000))
	worker := start(t, "Working", "work", "--database", url)
	c.until(id, func(v decide.JobView) bool { return over(v) || v.Check.Fraction > 0.05 })
	worker.end(syscall.SIGKILL)
	start(t, "Working", "work", "--database", url)
	checkedOnce(t, c.until(id, over))
}

// The whole way through the real interface, with a second person watching.
func TestFromFileToLaneInTheBrowser(t *testing.T) {
	url := house(t)
	server := serve(t, url)
	var p *browser.Page
	ok := seen(t, &p)
	open := func(login string) *browser.Page {
		page, stop, err := browser.Open(ctx, server.base)
		ok(err)
		t.Cleanup(stop)
		ok(page.SignIn(login, demo.Password))
		return page
	}
	p = open("cato")
	second := open("tess")
	ok(second.Go("/floor"))
	ok(second.Wait(`document.querySelectorAll('.lane').length === 5`))

	// By file input: large enough for progress to be seen.
	ok(p.Do(`window.seen = []; new MutationObserver(() => document.querySelectorAll('.check .num').forEach((e) => window.seen.push(e.textContent))).observe(document.body, {subtree: true, childList: true, characterData: true})`))
	ok(p.Key("h"))
	ok(p.Files("#file-input", ball(t, 700_000)))
	ok(p.Wait(`!document.querySelector('#hand-in-send').disabled`))
	ok(p.Do(`document.querySelector('#hand-in-send').click()`)) // the panel may still be sliding in
	ok(p.Wait(`document.querySelector('#yes') && !document.querySelector('#yes').disabled`))
	seen, err := browser.Eval[[]string](p, `[...new Set(window.seen)]`)
	ok(err)
	assert.Greater(t, len(seen), 2, "progress as a number: %v", seen)
	verdict, err := browser.Eval[string](p, `document.querySelector('.verdict').innerText`)
	ok(err)
	for _, words := range []string{"Ball", "60.0 × 60.0 × 60.0 mm", "closed", "Bowline", "proposed"} {
		assert.Contains(t, verdict, words)
	}
	proposed, err := browser.Eval[string](p, `document.querySelector('.proposal strong').innerText`)
	ok(err)

	// Approve with the keyboard; the block stands in the lane.
	ok(p.Key("y"))
	ok(p.Wait(`document.querySelector('.verdict.empty')`))
	ok(p.Key("4"))
	ok(p.Wait(`document.querySelector('.run')`))
	lane := func(p *browser.Page) string {
		name, err := browser.Eval[string](p, `document.querySelector('.run').closest('.lane').querySelector('.name strong').innerText`)
		ok(err)
		return name
	}
	assert.Equal(t, proposed, lane(p))
	ok(second.Wait(`document.querySelector('.run')`)) // without a reload

	// By drop, then queue it behind the first.
	part := file(t, "oarlock-bushing.stl", solid.OarlockBushing())
	ok(p.DropFiles(640, 400, part))
	ok(p.Wait(`document.querySelector('.file .name')?.innerText === 'oarlock-bushing.stl'`))
	ok(p.Do(`document.querySelector('#hand-in-send').click()`)) // the panel may still be sliding in
	ok(p.Wait(`document.querySelector('#yes') && !document.querySelector('#yes').disabled && document.querySelector('.verdict h1').innerText.includes('Oarlock')`))
	ok(p.Do(fmt.Sprintf(`[...document.querySelectorAll('.ladder input')].find((i) => i.ariaLabel === %q).click()`, proposed)))
	ok(p.Wait(fmt.Sprintf(`document.querySelector('.proposal strong').innerText === %q`, proposed)))
	ok(p.Key("y"))
	ok(p.Wait(`document.querySelector('.verdict.empty')`))
	ok(p.Key("4"))
	ok(p.Wait(`document.querySelectorAll('.run').length === 2`))

	// Choose the second block, read its times, move it before the first.
	titles := `[...document.querySelectorAll('.run .t')].map((e) => e.innerText).join('|')`
	ok(p.Wait(titles + ` === 'Ball|Oarlock bushing'`))
	ok(p.Do(`document.querySelectorAll('.run')[1].focus()`))
	ok(p.Wait(`document.querySelector('#run-start')?.innerText.match(/\d\d:\d\d/) && document.querySelector('#run-finish').innerText.match(/\d\d:\d\d/)`))
	ok(p.Key(kb.ArrowLeft, chromedp.Modifier(8)))
	ok(p.Wait(titles + ` === 'Oarlock bushing|Ball'`))
	ok(second.Wait(titles + ` === 'Oarlock bushing|Ball'`))
	ok(p.Go("/floor")) // load the page anew: still so
	ok(p.Wait(titles + ` === 'Oarlock bushing|Ball'`))

	// Drag it to another machine's lane with the mouse.
	ok(p.Wait(`document.fonts.status === 'loaded'`))
	box, err := browser.Eval[[]float64](p, `(() => { const r = document.querySelector('.run').getBoundingClientRect(); const free = [...document.querySelectorAll('.lane')].find((l) => !l.querySelector('.run') && !l.querySelector('.off')).getBoundingClientRect(); return [r.left + 12, r.top + 20, r.left + 60, free.top + 50] })()`)
	ok(err)
	ok(p.Drag(box[0], box[1], box[2], box[3]))
	// Where it costs more there, that is asked, and it may.
	ok(p.Do(`setInterval(() => document.querySelector('#dearer')?.click(), 50)`))
	ok(p.Wait(`new Set([...document.querySelectorAll('.run')].map((r) => r.closest('.lane').dataset.machine)).size === 2`))
	ok(second.Wait(`new Set([...document.querySelectorAll('.run')].map((r) => r.closest('.lane').dataset.machine)).size === 2`))

	// The part on its plate is drawn, and nothing was fetched from elsewhere.
	ok(p.Go("/bench"))
	ok(p.Wait(`document.querySelector('.view[data-state=shown]')`))
	foreign, err := browser.Eval[[]string](p, `performance.getEntriesByType('resource').map((e) => e.name).filter((n) => !n.startsWith(location.origin) && !n.startsWith('data:'))`)
	ok(err)
	assert.Empty(t, foreign)
}

// text puts a text file where the browser can take it.
func text(t testing.TB, name, content string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, []byte(content), 0o600))
	return path
}

func objText(m *mesh.Mesh) string {
	var b strings.Builder
	for _, v := range m.Vertices {
		fmt.Fprintf(&b, "v %v %v %v\n", v.X, v.Y, v.Z)
	}
	for _, f := range m.Triangles {
		fmt.Fprintf(&b, "f %d %d %d\n", f[0]+1, f[1]+1, f[2]+1)
	}
	return b.String()
}

func amfText(m *mesh.Mesh) string {
	var b strings.Builder
	b.WriteString(`<?xml version="1.0"?><amf unit="millimeter"><object id="1"><mesh><vertices>`)
	for _, v := range m.Vertices {
		fmt.Fprintf(&b, "<vertex><coordinates><x>%v</x><y>%v</y><z>%v</z></coordinates></vertex>", v.X, v.Y, v.Z)
	}
	b.WriteString("</vertices><volume>")
	for _, f := range m.Triangles {
		fmt.Fprintf(&b, "<triangle><v1>%d</v1><v2>%d</v2><v3>%d</v3></triangle>", f[0], f[1], f[2])
	}
	b.WriteString("</volume></mesh></object></amf>")
	return b.String()
}

// Four files of four formats in one job; a unit is taken, a hole seen and
// closed, a job sent back with the ready message; a program sliced elsewhere is
// told by its layers.
func TestIntakeInTheBrowser(t *testing.T) {
	server := serve(t, house(t))
	p, stop, err := browser.Open(ctx, server.base)
	require.NoError(t, err)
	t.Cleanup(stop)
	ok := seen(t, &p)
	ok(p.SignIn("cato", demo.Password))

	parts := map[string]*mesh.Mesh{}
	for _, x := range solid.Parts() {
		parts[x.Name] = x.Mesh
	}
	var tmf bytes.Buffer
	require.NoError(t, modelfile.Write3MF(&tmf, &modelfile.File{Unit: "mm", Models: []modelfile.Model{{Name: "sheave", Mesh: parts["sheave"], Places: []mesh.Vec3{{}, {X: 90}}}}}))
	ok(p.DropFiles(640, 400, file(t, "cheek.stl", parts["block-cheek-inch"]), text(t, "holed.obj", objText(parts["cleat-with-hole"])),
		text(t, "sheaves.3mf", tmf.String()), text(t, "bushing.amf", amfText(parts["oarlock-bushing"]))))
	ok(p.Wait(`document.querySelectorAll('.file .name').length === 4`))
	ok(p.Do(`document.querySelector('#hand-in-send').click()`))
	ok(p.Wait(`document.querySelectorAll('.pieces button').length === 4 && document.querySelector('[data-check="open surface"]')`))
	seen, err := browser.Eval[string](p, `document.querySelector('.pieces').innerText`)
	ok(err)
	assert.Contains(t, seen, "× 2", "two sheaves in the 3MF")

	// Inches for the cheek.
	ok(p.Click(`[data-check="unit"] .of-piece`)) // the worst was found of another
	ok(p.Wait(`document.querySelector('[data-unit="in"]')`))
	ok(p.Click(`[data-unit="in"]`))
	ok(p.Wait(`document.querySelector('.care')?.innerText.includes('Taken in inches') && !document.querySelector('[data-check="unit"]')`))

	// The hole: see it, close it, see both versions.
	ok(p.Click(`[data-check="open surface"] .acts button`))
	ok(p.Wait(`document.querySelector('.view[data-state=shown][data-pins="1"]')`))
	ok(p.Wait(`document.querySelector('#repair')`))
	ok(p.Key("r"))
	ok(p.Wait(`document.querySelector('#repair-go')`))
	ok(p.Click(`#repair-go`))
	ok(p.Wait(`document.querySelectorAll('.views .view[data-state=shown]').length === 2 && !document.querySelector('[data-check="open surface"]') && document.querySelector('.versions')`))
	mended, err := browser.Eval[string](p, `document.querySelector('.versions').innerText`)
	ok(err)
	assert.Contains(t, mended, "Closed 1 hole.")
	ok(p.Wait(`document.querySelector('#yes') && !document.querySelector('#yes').disabled`))

	// A program sliced elsewhere, and back it goes with the ready message.
	program := "M104 S205\nG28\nG90\nM83\n"
	for z := 0.25; z < 5; z += 0.25 {
		program += fmt.Sprintf("G1 Z%.2f F900\nG1 X20 Y20 F6000\nG1 X60 E2 F1800\nG1 Y60 E2\nG1 X20 E2\nG1 Y20 E2\n", z)
	}
	ok(p.DropFiles(640, 400, text(t, "home-made.gcode", program+"M104 S0\n")))
	ok(p.Wait(`document.querySelectorAll('.file .name').length === 1`))
	ok(p.Do(`document.querySelector('#hand-in-send').click()`))
	ok(p.Wait(`document.querySelector('[data-check="layer height"]')`))
	ok(p.Wait(`document.querySelector('.program').innerText.includes('0.25 mm')`))
	ok(p.Do(`[...document.querySelectorAll('[data-check="layer height"] button')].find((b) => b.innerText.startsWith('Send back')).click()`))
	ok(p.Wait(`document.querySelector('.message textarea').value.includes('Please hand in the model instead')`))
	ok(p.Do(`document.querySelector('.message').requestSubmit()`))
	ok(p.Wait(`[...document.querySelectorAll('.notices, [role=status]')].some((n) => n.innerText.includes('is sent back')) || document.body.innerText.includes('is sent back')`))
}

// A setting is changed with a reason; a slice is cancelled, another made; layers
// are stepped by key; a time-saving alternative is taken, two variants compared;
// the G-code is downloaded and read.
func TestLayersInTheBrowser(t *testing.T) {
	server := serve(t, house(t), "--queues", "night")
	c := signIn(t, server.base, "cato")
	id := c.handIn(file(t, "bollard.stl", solid.Bollard()))
	v := c.until(id, over)
	p, stop, err := browser.Open(ctx, server.base)
	require.NoError(t, err)
	t.Cleanup(stop)
	p.Patience = 40 * time.Second
	ok := seen(t, &p)
	ok(p.SignIn("cato", demo.Password))
	ok(p.Go(fmt.Sprintf("/bench/%d", id)))
	ok(p.Wait(`document.querySelector('#slice') && document.querySelector('.view[data-state=shown]')`))
	// On its head it needs no support; it is to stand as it came all the same. Said in the line, undone,
	// done again, and so it is after a reload.
	stands := func(how string) {
		ok(p.Wait(fmt.Sprintf(`document.querySelector('.stand .told')?.innerText.includes(%q)`, how)))
	}
	stands("no support")
	ok(openPanel(p, "Orientation"))
	ok(p.Type(".stand .line input", "as it came"))
	ok(p.Key(kb.Enter))
	stands("somebody wants it")
	ok(p.Wait(`!document.querySelector('.stand [role=status]')`))
	ok(p.Do(`document.activeElement.blur()`))
	ok(p.Key(kb.Backspace))
	stands("as it prints best")
	ok(p.Wait(`[...document.querySelectorAll('.stand .acts button')].some((b) => b.innerText === 'Redo' && !b.disabled && (b.click(), true))`))
	stands("somebody wants it")
	ok(p.Go(fmt.Sprintf("/bench/%d", id)))
	stands("somebody wants it")
	ok(p.Wait(`document.querySelector('#slice') && document.querySelector('.view[data-state=shown]')`))
	ok(openPanel(p, "Settings"))
	// Cancel once: very thin layers take long.
	override := func(search, key, value, why string) {
		ok(p.Type("#setting-search", search))
		ok(p.Wait(`document.querySelector('.found button')`))
		ok(p.Do(`document.querySelector('.found button').click()`))
		field := fmt.Sprintf(`[aria-label="Value of %s"]`, key)
		ok(p.Wait(fmt.Sprintf(`document.activeElement.matches('%s')`, field)))
		ok(p.Type(field, value))
		ok(p.Type(fmt.Sprintf(`[aria-label="Reason for %s"]`, key), why))
	}
	override("layer height", "layer_mm", "0.08", "to see how long it takes")
	ok(p.Wait(`!document.querySelector('#slice').disabled`))
	ok(p.Click("#slice"))
	ok(p.Wait(`document.querySelector('.layers')?.offsetParent`)) // it shows what becomes of it
	ok(p.Wait(`document.querySelector('.slice-cancel')`))
	ok(p.Do(`document.querySelector('.slice-cancel').click()`))
	ok(p.Wait(`!document.querySelector('.slice-cancel')`))
	ok(p.Do(`document.querySelector('[aria-label="Leave layer_mm to the recipe"]').click()`))

	// By the recipe, then with an override.
	ok(openPanel(p, "Settings"))
	ok(p.Click("#slice"))
	ok(p.Wait(`document.querySelector('.layers')?.offsetParent`)) // it shows what becomes of it
	ok(p.Wait(`document.querySelector('.strip') && document.querySelector('.variants li') && !document.querySelector('.run.small')`))
	variants, err := browser.Eval[int](p, `document.querySelectorAll('.variants li').length`)
	ok(err)
	ok(openPanel(p, "Settings"))
	override("infill full inside", "infill_percent", "40", "it will be stood on")
	ok(p.Key(kb.Enter))
	ok(p.Wait(fmt.Sprintf(`document.querySelectorAll('.variants li').length === %d && !document.querySelector('.run.small')`, variants+1)))
	number := `Number(document.querySelector('#layer-number').innerText)`
	before, err := browser.Eval[int](p, number)
	ok(err)
	ok(p.Do(`document.activeElement.blur()`))
	ok(p.Key(kb.ArrowUp))
	ok(p.Key(kb.ArrowUp))
	ok(p.Key(kb.ArrowDown))
	ok(p.Wait(fmt.Sprintf("%s === %d", number, before+1)))
	ok(p.Key("u"))
	ok(p.Wait(fmt.Sprintf("%s !== %d", number, before+1)))
	ok(p.Key(kb.Home))
	ok(p.Wait(number + " === 1"))
	for _, near := range []string{"Close up", "Whole plate"} { // the view has its keys
		ok(p.Key("f"))
		ok(p.Wait(fmt.Sprintf(`document.querySelector('.view .near')?.innerText.includes(%q)`, near)))
	}

	ok(p.Click("#savings"))
	ok(p.Wait(`document.querySelectorAll('.saves .take').length >= 5`))
	ok(p.Do(`document.querySelector('[data-label="less infill"] .take').click()`))
	ok(p.Wait(`document.querySelector('[data-label="less infill"] .take').innerText.includes('taken')`))
	ok(p.Do(`const s = document.querySelector('[aria-label="Compare with"]'); s.selectedIndex = 1; s.dispatchEvent(new Event('change'))`))
	ok(p.Wait(`[...document.querySelectorAll('.kinds td')].some((d) => /^[−+]/.test(d.innerText))`))
	ok(p.Wait(`document.querySelectorAll('.views .view[data-state=shown]').length === 2`))
	ok(p.Do(`const b = document.querySelector('[aria-label="Compare with"]'); b.selectedIndex = 0; b.dispatchEvent(new Event('change'))`))
	ok(p.Wait(`document.querySelectorAll('.views .view').length === 1`))

	// A place that hangs: looked at, kept free of support by hand with a reason.
	ok(p.Do(`document.querySelector('.hangs .place').click()`))
	ok(p.Wait(`document.querySelector('.view[data-pins="1"]')`))
	ok(p.Do(`document.querySelector('.hangs .link').click()`))
	ok(p.Wait(`document.querySelector('#slice').disabled`))
	ok(p.Type(`[aria-label="Reason for the place"]`, "it would scar the rim"))
	ok(p.Wait(`!document.querySelector('#slice').disabled`))
	ok(p.Click("#slice"))
	ok(p.Wait(`document.querySelector('.layers')?.offsetParent`)) // it shows what becomes of it
	ok(p.Wait(fmt.Sprintf(`document.querySelectorAll('.variants li').length === %d && !document.querySelector('.run.small')`, variants+2)))
	ok(p.Do(`document.querySelector('.variants li:last-child .name').click()`))
	ok(p.Wait(`[...document.querySelectorAll('.hangs span')].some((x) => x.innerText === 'Support kept out by hand: it would scar the rim (Cato Lindgard)')`))

	href, err := browser.Eval[string](p, `document.querySelector('#gcode').getAttribute('href')`)
	ok(err)
	r, err := c.http.Get(server.base + href)
	require.NoError(t, err)
	defer r.Body.Close()
	sum, err := gcode.Read(ctx, r.Body, 0, nil)
	require.NoError(t, err)
	assert.Greater(t, len(sum.Layers), 200)
	assert.Zero(t, sum.NozzleEndC+sum.BedEndC)
	var slices []plates.SliceView
	c.get(fmt.Sprintf("/pieces/%d/slices", v.PieceSet[0].ID), &slices)
	states := map[string]int{}
	for _, s := range slices {
		states[s.State]++
	}
	assert.Equal(t, 1, states["cancelled"])
	assert.Zero(t, states["failed"])
}

// BenchmarkUploadToVerdict is the wait of a person who hands in a million
// triangles: from the click to the verdict on the screen, with the server's peak
// memory.
func BenchmarkUploadToVerdict(b *testing.B) {
	url := house(b)
	server := serve(b, url)
	p, stop, err := browser.Open(ctx, server.base)
	require.NoError(b, err)
	b.Cleanup(stop)
	p.Patience = time.Minute
	require.NoError(b, p.SignIn("cato", demo.Password))
	for i := 0; b.Loop(); i++ {
		b.StopTimer()
		path := file(b, fmt.Sprintf("pebble-%d.stl", i), solid.Sphere(30+float64(i), 1001))
		require.NoError(b, p.Go("/shelf"))
		require.NoError(b, p.Wait(`document.querySelector('.plank')`))
		require.NoError(b, p.Key("h"))
		require.NoError(b, p.Files("#file-input", path))
		require.NoError(b, p.Wait(`!document.querySelector('#hand-in-send').disabled`))
		b.StartTimer()
		require.NoError(b, p.Do(`document.querySelector('#hand-in-send').click()`)) // the panel may still be sliding in
		require.NoError(b, p.Wait(fmt.Sprintf(`document.querySelector('#yes') && !document.querySelector('#yes').disabled && document.querySelector('.verdict h1').innerText.includes('Pebble %d')`, i)))
	}
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", server.cmd.Process.Pid))
	require.NoError(b, err)
	for _, l := range strings.Split(string(status), "\n") {
		var kB float64
		if n, _ := fmt.Sscanf(l, "VmHWM: %f kB", &kB); n == 1 {
			b.ReportMetric(kB/1024, "peak-MB")
		}
	}
}

// openPanel opens one of the bench's panels.
func openPanel(p *browser.Page, name string) error {
	return p.Do(fmt.Sprintf(`[...document.querySelectorAll('.panels [role=tab]')].find((t) => t.innerText.includes(%q)).click()`, name))
}

// seen ends a test at an error, and keeps a picture of the page: what was on the screen tells most.
func seen(t *testing.T, p **browser.Page) func(error) {
	return func(err error) {
		t.Helper()
		if err != nil && *p != nil {
			png, _ := (*p).Picture()
			name := filepath.Join(os.TempDir(), "jobshelf-e2e-failed.png")
			_ = os.WriteFile(name, png, 0o600)
			t.Logf("see %s", name)
		}
		require.NoError(t, err)
	}
}
