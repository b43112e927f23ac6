package e2e

import (
	"context"
	"fmt"
	"net"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/solid"
	"jobshelf/internal/browser"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/standin"
	"jobshelf/internal/store"
)

// onALine puts a stand-in for a machine of the house on a line, at a fast clock.
func onALine(t *testing.T, url, name string, speed float64) *standin.Server {
	t.Helper()
	s, err := store.Open(ctx, url)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	all, err := s.Machines(ctx)
	require.NoError(t, err)
	for _, m := range all {
		if m.Data.Name != name {
			continue
		}
		server := &standin.Server{Printer: standin.New(&m.Data, standin.Options{}), Speed: speed}
		l, err := new(net.ListenConfig).Listen(ctx, "tcp", "127.0.0.1:0")
		require.NoError(t, err)
		own, stop := context.WithCancel(ctx)
		done := make(chan struct{})
		go func() {
			defer close(done)
			_ = server.Serve(own, l)
		}()
		t.Cleanup(func() { stop(); <-done })
		m.Data.Line = l.Addr().String()
		require.NoError(t, s.InTx(ctx, func(tx *store.Tx) error { return tx.SetMachine(ctx, m) }))
		return server
	}
	t.Fatalf("no machine %s", name)
	return nil
}

// A run from its checklist to the cleared bed, in the browser and by keys: it is sent and started, its first layers are
// seen, it waits for another colour and goes on, one copy is bad and made again, the bed is cleared. Then the same by
// hand on a machine without a line.
func TestARunFromItsChecklistToTheClearedBed(t *testing.T) {
	url := house(t)
	onALine(t, url, "Bowline", 60)
	server := serve(t, url)
	desk := signIn(t, server.base, "cato")
	machine := map[string]int64{}
	var machines []struct {
		MachineID int64 `json:"machine_id"`
		Name      string
	}
	desk.get("/machines", &machines)
	for _, m := range machines {
		machine[m.Name] = m.MachineID
	}
	approve := func(title, on string, copies int, conditions ...any) int64 {
		t.Helper()
		data, err := os.ReadFile(file(t, title+".stl", solid.Box(14, 10, 6)))
		require.NoError(t, err)
		var up struct {
			UploadID string `json:"upload_id"`
		}
		desk.post("/uploads?name="+title+".stl", data, &up)
		var made struct{ ID int64 }
		desk.post("/jobs", map[string]any{"title": title, "purpose": "everyday", "pieces": []any{map[string]any{"upload_id": up.UploadID, "copies": copies}}}, &made)
		id := made.ID
		v := desk.until(id, over)
		desk.post(fmt.Sprintf("/jobs/%d/approve", id), map[string]any{"revision": v.Revision, "machine_id": machine[on], "conditions": conditions, "more_percent": 400}, nil)
		desk.until(id, func(v decide.JobView) bool { return v.State == "approved" })
		return id
	}
	job := approve("knob", "Bowline", 2, map[string]any{"key": "pause_mm", "value": "3", "why": "The upper half is red."})
	byHand := approve("latch", "Capstan", 1)

	p, stop, err := browser.Open(ctx, server.base)
	require.NoError(t, err)
	t.Cleanup(stop)
	p.Patience = 90 * time.Second
	ok := seen(t, &p)
	ok(p.SignIn("cato", demo.Password))
	ok(p.Go(fmt.Sprintf("/machine/%d", machine["Bowline"])))
	says := func(text string) { // the sentence at the top
		t.Helper()
		ok(p.Wait(fmt.Sprintf(`document.querySelector('.says')?.innerText.includes(%q)`, text)))
	}
	press := func(css, key string) {
		t.Helper()
		ok(p.Wait(fmt.Sprintf(`document.querySelector(%q) && !document.querySelector(%q).disabled`, css, css)))
		ok(p.Key(key))
	}
	says("Free; next comes knob")
	ok(p.Wait(`document.querySelectorAll('.points input').length === 2`))
	ok(p.Key("x"))
	ok(p.Wait(`document.querySelector('.points input').checked && document.querySelector('#ready').disabled`))
	ok(p.Key("x"))
	press("#ready", "s")
	says("Ready to start")
	press("#start", "s")
	says("Lays the first layers of knob; Cato Lindgard is to see them")
	ok(p.Wait(`document.querySelector('.heat dd')?.innerText.includes('°C')`))
	press("#seen", "g")
	says("knob waits, warm")
	ok(p.Wait(`document.querySelector('.why')?.innerText.includes('The machine waits for somebody: paused')`))
	press("#goon", "p")
	says("Prints knob")
	says("done and cools: take it off")
	ok(p.Do(`document.querySelectorAll('.copy')[1].dispatchEvent(new MouseEvent('click', { bubbles: true }))`))
	ok(p.Wait(`document.querySelector('#off').innerText.includes('1 bad') && document.querySelector('#off').disabled`))
	ok(p.Type(".do input[maxlength='1000']", "Its corner came up."))
	ok(p.Click("#off"))
	ok(p.Wait(`document.querySelector('#clear')`))
	says("knob is off; the bed is to be cleared")
	ok(p.Do(`document.activeElement.blur()`))
	press("#clear", "k")
	says("Free; next comes knob")
	v := desk.until(job, func(v decide.JobView) bool { return len(v.Runs) == 2 && !v.Runs[0].Unsliced })
	assert.Equal(t, "in production", v.State)
	assert.Zero(t, v.Runs[0].Price, "what is made again costs nothing")
	assert.Less(t, v.Runs[0].Seconds, v.Runs[1].Seconds, "one of two copies")

	// The one again, with nothing in the way; it pauses as the first did.
	ok(p.Wait(`document.querySelectorAll('.points input').length === 2 && document.querySelectorAll('.copy').length === 1`))
	ok(p.Key("x"))
	ok(p.Key("x"))
	press("#ready", "s")
	press("#start", "s")
	press("#seen", "g")
	press("#goon", "p")
	says("done and cools")
	press("#off", "o")
	press("#clear", "k")
	says("Free")
	desk.until(job, func(v decide.JobView) bool { return v.State == "finishing" })

	// By hand.
	ok(p.Go(fmt.Sprintf("/machine/%d", machine["Capstan"])))
	says("Free; next comes latch")
	ok(p.Key("x"))
	ok(p.Key("x"))
	press("#ready", "s")
	ok(p.Wait(`document.querySelector('#start')?.innerText.includes('I have started it')`))
	press("#start", "s")
	says("Warms for latch")
	tell := func(text string) {
		t.Helper()
		find := fmt.Sprintf(`[...document.querySelectorAll('.tell')].find((b) => b.innerText === %q)`, text)
		ok(p.Wait(find + `?.disabled === false`))
		ok(p.Do(find + `.click()`))
	}
	tell("It lays its first line")
	press("#seen", "g")
	says("Prints latch")
	tell("It has come to its end")
	press("#off", "o")
	press("#clear", "k")
	says("Free")
	desk.until(byHand, func(v decide.JobView) bool { return v.State == "finishing" })
}
