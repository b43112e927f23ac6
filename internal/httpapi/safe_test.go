package httpapi_test

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/people"
	"jobshelf/internal/httpapi"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
	"jobshelf/internal/work"
)

// Texts that no database holds are refused, and the field is named.
func TestUnstorableTextsAreRefusedWithTheirField(t *testing.T) {
	h := open(t)
	h.signIn("tess")
	var house house.HouseView
	h.call("GET", "/house", nil).into(t, &house)
	machine := house.Machines[0]
	machine.Data.ColourName = "blue\x00"
	piece := []any{map[string]any{"upload_id": "x\x00", "copies": 1}}
	for _, c := range []struct {
		method, path string
		body         any
		field        string
	}{
		{"POST", "/jobs", map[string]any{"title": "a\x00b", "purpose": "everyday", "pieces": []any{map[string]any{"upload_id": "x", "copies": 1}}}, "body.title"},
		{"POST", "/jobs", map[string]any{"purpose": "everyday", "pieces": piece}, "body.pieces[0].upload_id"},
		{"PUT", fmt.Sprintf("/machines/%d", machine.ID), machine, "body.data.colour_name"},
		{"POST", "/session", map[string]any{"login": "te\x00ss", "password": "x"}, "body.login"},
		{"POST", "/pieces/1/slices", map[string]any{"machine_id": 1, "overrides": []any{map[string]any{"key": "shells", "value": "3", "why": "\x00"}}}, "body.overrides[0].why"},
	} {
		a := h.call(c.method, c.path, c.body)
		assert.Equal(t, 422, a.code, "%s: %s", c.field, a.body)
		assert.Contains(t, string(a.body), fmt.Sprintf("%q:%q", "location", c.field))
	}
	// A file's name is only ever shown; what does not print is left out of it.
	a := h.call("POST", "/uploads?name="+url.QueryEscape("bo\x00at\xff.stl"), stl(t, "sheave"))
	assert.Equal(t, 201, a.code, "%s", a.body)
}

// Private answers stay out of the browser's cache; where browsers come by https,
// cookies go nowhere else.
func TestAnswersArePrivate(t *testing.T) {
	h := open(t)
	h.signIn("cato")
	for _, path := range []string{"/jobs", "/house", "/floor", "/session", "/nothing"} {
		assert.Equal(t, "no-store", h.call("GET", path, nil).head.Get("Cache-Control"), path)
	}
	a := h.call("POST", "/session", map[string]string{"login": "cato", "password": demo.Password})
	assert.NotContains(t, strings.Join(a.head.Values("Set-Cookie"), " "), "Secure")
	assert.Empty(t, a.head.Get("Strict-Transport-Security"))
	h.serve(httpapi.Config{HTTPS: true})
	h.as = ""
	a = h.call("POST", "/session", map[string]string{"login": "cato", "password": demo.Password})
	require.Equal(t, 200, a.code)
	require.NotEmpty(t, a.head.Values("Set-Cookie"))
	for _, c := range a.head.Values("Set-Cookie") {
		assert.Contains(t, c, "Secure")
		assert.Contains(t, c, "HttpOnly")
	}
	assert.Contains(t, a.head.Get("Strict-Transport-Security"), "max-age=")
}

// What has not changed is said to be so by its tag; what has comes at once, packed
// for those who can unpack it.
func TestUnchangedAnswersAreTagged(t *testing.T) {
	h := open(t)
	h.signIn("cato")
	id := h.handIn(stl(t, "sheave"), "sheave.stl")
	v := h.job(id)
	ask := func(path, tag string, gz bool) answer {
		req := httptest.NewRequest("GET", "http://shelf.test/api"+path, nil)
		req.AddCookie(h.jar["cato"])
		if tag != "" {
			req.Header.Set("If-None-Match", tag)
		}
		if gz {
			req.Header.Set("Accept-Encoding", "gzip")
		}
		return h.send(req)
	}
	job := fmt.Sprintf("/jobs/%d", id)
	tags := map[string]string{}
	for _, path := range []string{"/jobs", "/floor", job} {
		a := ask(path, "", false)
		require.Equal(t, 200, a.code)
		tags[path] = a.head.Get("ETag")
		assert.Equal(t, "application/json", a.head.Get("Content-Type"))
		require.NotEmpty(t, tags[path])
		again := ask(path, tags[path], true)
		assert.Equal(t, 304, again.code, path)
		assert.Empty(t, again.body)
		packed := ask(path, "", true)
		assert.Equal(t, "gzip", packed.head.Get("Content-Encoding"))
		z, err := gzip.NewReader(bytes.NewReader(packed.body))
		require.NoError(t, err)
		plain, err := io.ReadAll(z)
		require.NoError(t, err)
		assert.Equal(t, string(a.body), string(plain))
	}
	packed := ask("/house", "", true)
	assert.Equal(t, "gzip", packed.head.Get("Content-Encoding"), "others are packed as they are made")
	require.Equal(t, 204, h.approve(v, 0).code)
	require.Equal(t, "approved", h.job(id).State)
	for path, tag := range tags {
		a := ask(path, tag, false)
		assert.Equal(t, 200, a.code, "%s changed", path)
		assert.NotEqual(t, tag, a.head.Get("ETag"))
	}
	// What is kept for one is not shown to another.
	h.signIn("nia")
	assert.Equal(t, 404, h.call("GET", job, nil).code)
	var shelf decide.ShelfView
	h.call("GET", "/jobs", nil).into(t, &shelf)
	assert.Empty(t, shelf.Slips)
}

// Reading writes nothing, sessions least of all.
func TestReadingWritesNothing(t *testing.T) {
	h := open(t)
	h.signIn("cato")
	h.call("GET", "/jobs", nil)
	state := func() (s string) {
		require.NoError(t, h.desk.Store.Pool.QueryRow(ctx, `SELECT string_agg(xmin::text || ctid::text, ' ' ORDER BY token) FROM sessions`).Scan(&s))
		return s
	}
	before := state()
	for range 5 {
		for _, path := range []string{"/jobs", "/house", "/floor", "/session"} {
			require.Equal(t, 200, h.call("GET", path, nil).code)
		}
	}
	assert.Equal(t, before, state())
}

// live serves the house on a real connection.
func (h *home) live() string {
	s := httptest.NewServer(h.api)
	h.t.Cleanup(func() {
		h.api.EndStreams()
		s.CloseClientConnections() // Close alone waits for whatever still goes on
		s.Close()
	})
	return s.URL + "/api"
}

func (h *home) request(method, url string, body io.Reader) *http.Request {
	req, err := http.NewRequest(method, url, body)
	require.NoError(h.t, err)
	req.AddCookie(h.jar[h.as])
	return req
}

// eventually waits for what another goroutine does; the limit is for a hung test.
func eventually(t *testing.T, what string, is func() bool) {
	t.Helper()
	for end := time.Now().Add(30 * time.Second); !is(); time.Sleep(25 * time.Millisecond) {
		require.True(t, time.Now().Before(end), what)
	}
}

// Whatever ends a session (signing out, a new password, another role, a closed
// account) ends its streams and uploads in flight, and only its.
func TestWhatGoesOnInASessionEndsWithIt(t *testing.T) {
	for name, end := range map[string]func(h *home, at string){
		"signing out": func(h *home, at string) {
			r, err := patient.Do(h.request("DELETE", at+"/session", nil))
			require.NoError(h.t, err)
			assert.Equal(h.t, 204, r.StatusCode)
		},
		"a password set anew": func(h *home, _ string) {
			require.NoError(h.t, people.ChangePerson(ctx, h.desk, desk.Actor{}, "nia", people.PersonChange{Password: new("something new")}))
		},
		"another role": func(h *home, _ string) {
			require.NoError(h.t, people.ChangePerson(ctx, h.desk, desk.Actor{}, "NIA", people.PersonChange{Role: new(desk.Coordinator)}))
		},
		"a closed account": func(h *home, _ string) {
			require.NoError(h.t, people.ChangePerson(ctx, h.desk, desk.Actor{}, "nia", people.PersonChange{Close: true}))
			h.as = ""
			assert.Equal(h.t, 401, h.call("POST", "/session", map[string]string{"login": "nia", "password": demo.Password}).code)
			h.as = "nia"
		},
	} {
		t.Run(name, func(t *testing.T) {
			h := open(t)
			h.signIn("cato")
			h.signIn("nia")
			at := h.live()
			other := h.jar["cato"]
			stream, err := patient.Do(h.request("GET", at+"/events", nil))
			require.NoError(t, err)
			require.Equal(t, 200, stream.StatusCode)
			lines := bufio.NewScanner(stream.Body)
			require.True(t, lines.Scan(), "it is open")
			stays, err := patient.Do(func() *http.Request {
				req := h.request("GET", at+"/events", nil)
				req.Header.Set("Cookie", other.Name+"="+other.Value)
				return req
			}())
			require.NoError(t, err)
			body, feed := io.Pipe()
			answered := make(chan *http.Response, 1)
			go func() {
				r, err := patient.Do(h.request("POST", at+"/uploads?name=a.stl", body))
				if err != nil {
					r = &http.Response{StatusCode: -1}
				}
				answered <- r
			}()
			_, err = feed.Write(make([]byte, 3<<20)) // it arrives
			require.NoError(t, err)
			eventually(t, "the upload is under way", func() bool { return h.count(`SELECT count(*) FROM blob_chunk`) > 0 })
			end(h, at)
			eventually(t, "the stream ends", func() bool { return !lines.Scan() })
			r := got(t, answered, "the upload ends")
			assert.NotEqual(t, 201, r.StatusCode, "the upload does not come to its end")
			_ = feed.Close()
			eventually(t, "nothing of it stays", func() bool {
				return h.count(`SELECT count(*) FROM upload`) == 0 && h.count(`SELECT count(*) FROM blob_chunk`) == 0
			})
			assert.Equal(t, 401, h.call("GET", "/jobs", nil).code)
			h.as = "cato"
			assert.Equal(t, 200, h.call("GET", "/jobs", nil).code, "others go on")
			require.NoError(t, stays.Body.Close())
		})
	}
}

// Somebody who signs out while something that was asked for waits for its job: it is done
// wholly or not at all, the session is over all the same, and no answer that comes late
// brings it back.
func TestSigningOutBesideWhatIsDone(t *testing.T) {
	h := open(t)
	h.signIn("cato")
	id := h.handIn(stl(t, "mooring-cleat"), "a.stl")
	at := h.live()
	for _, c := range []struct {
		path string
		body map[string]any
	}{{"check", nil}, {"approve", map[string]any{"machine_id": h.machine("Bowline")}}, {"advance", map[string]any{}}, {"send-back", map[string]any{"reason": "It leans."}}} {
		before, cookie := h.job(id), h.jar["cato"]
		if c.body != nil {
			c.body["revision"] = before.Revision
		}
		ask := func(method, path string, with any) chan int {
			body, err := json.Marshal(with)
			require.NoError(t, err)
			req := h.request(method, at+path, bytes.NewReader(body))
			req.Header.Set("Content-Type", "application/json")
			code := make(chan int, 1)
			go func() {
				r, err := patient.Do(req)
				if err != nil {
					code <- -1
					return
				}
				_ = r.Body.Close()
				code <- r.StatusCode
			}()
			return code
		}
		var did, out chan int
		require.NoError(t, h.desk.Store.InTx(ctx, func(tx *store.Tx) error {
			if err := tx.LockLanes(ctx); err != nil {
				return err
			}
			if _, err := tx.LockJob(ctx, id); err != nil {
				return err
			}
			did = ask("POST", fmt.Sprintf("/jobs/%d/%s", id, c.path), c.body)
			eventually(t, c.path+" waits for the job", func() bool {
				return h.count(`SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`) > 0
			})
			out = ask("DELETE", "/session", nil)
			assert.Equal(t, 204, got(t, out, "signed out"), "signing out waits for nobody")
			return nil
		}))
		code := got(t, did, c.path+" is answered")
		h.jar["cato"] = cookie
		assert.Equal(t, 401, h.call("GET", "/session", nil).code, "%s: it stays over", c.path)
		delete(h.jar, "cato")
		h.signIn("cato")
		after := h.job(id)
		if code == 204 {
			assert.Greater(t, after.Revision, before.Revision, c.path)
		} else {
			assert.Equal(t, before.Revision, after.Revision, c.path)
			assert.Equal(t, before.State, after.State, c.path)
			assert.Equal(t, before.History, after.History, c.path)
		}
	}
}

func (h *home) count(sql string) (n int) {
	h.t.Helper()
	require.NoError(h.t, h.desk.Store.Pool.QueryRow(ctx, sql).Scan(&n))
	return n
}

// Signing in gives a session of its own: the cookie from before opens nothing.
func TestSigningInRenewsTheSession(t *testing.T) {
	h := open(t)
	h.signIn("nia")
	before := h.jar["nia"]
	require.Equal(t, 200, h.call("POST", "/session", map[string]string{"login": "cato", "password": demo.Password}).code)
	assert.NotEqual(t, before.Value, h.jar["nia"].Value)
	h.jar["nia"] = before
	assert.Equal(t, 401, h.call("GET", "/session", nil).code)
}

// Wrong tries slow an account down however it is spelled, and an address; they close
// neither. A browser that the account knows is not slowed by others.
func TestWrongTriesSlowDownAndCloseNothing(t *testing.T) {
	h := open(t)
	h.serve(httpapi.Config{SignInsPerMinute: 5, Proxies: []netip.Prefix{netip.MustParsePrefix("192.0.2.0/24")}})
	known := map[string][]*http.Cookie{}
	try := func(login, password, from string, browser string) (int, time.Duration) {
		b, _ := json.Marshal(map[string]string{"login": login, "password": password})
		req := httptest.NewRequest("POST", "http://shelf.test/api/session", bytes.NewReader(b))
		req.Header.Set("Content-Type", "application/json")
		req.RemoteAddr = "192.0.2.1:999"
		req.Header.Set("X-Forwarded-For", "198.51.100.77, "+from) // the first is whatever the sender says
		for _, c := range known[browser] {
			req.AddCookie(c)
		}
		h.slept = nil
		w := httptest.NewRecorder()
		h.api.ServeHTTP(w, req)
		for _, c := range w.Result().Cookies() {
			if strings.HasPrefix(c.Name, "jobshelf_known_") && browser != "" {
				known[browser] = append(known[browser], c)
			}
		}
		slept := time.Duration(0)
		for _, d := range h.slept {
			slept += d
		}
		return w.Code, slept
	}
	code, slept := try("tess", demo.Password, "203.0.113.1", "tess's own")
	require.Equal(t, 200, code)
	require.Zero(t, slept)
	require.Len(t, known["tess's own"], 1)
	for i := range 100 { // right ones count for nothing
		if code, slept = try("nia", demo.Password, "203.0.113.2", ""); code != 200 || slept > 0 {
			t.Fatalf("right try %d: %d after %v", i, code, slept)
		}
	}
	spelled := []string{"tess", "TESS", " Tess ", "ｔｅｓｓ"}
	longest := time.Duration(0)
	for i := range 12 {
		code, slept = try(spelled[i%len(spelled)], "guess", fmt.Sprintf("203.0.113.%d", 100+i), "")
		assert.Equal(t, 401, code)
		switch {
		case i < 5:
			assert.Zero(t, slept, "the first five wait for nothing")
		case i > 5: // a little of the first is forgotten by the sixth
			assert.Positive(t, slept)
			assert.GreaterOrEqual(t, slept, longest, "the longer the more there were")
		}
		longest = max(longest, slept)
	}
	assert.LessOrEqual(t, longest, 8*time.Second)
	code, slept = try("tess", demo.Password, "203.0.113.3", "")
	assert.Equal(t, 200, code, "the right password gets in, after a wait")
	assert.Positive(t, slept)
	code, slept = try("tess", demo.Password, "203.0.113.4", "tess's own")
	assert.Equal(t, 200, code)
	assert.Zero(t, slept, "a browser that the account knows")
	code, slept = try("cato", demo.Password, "203.0.113.5", "tess's own")
	assert.Equal(t, 200, code)
	assert.Zero(t, slept, "another account is not slowed")
	// From one address, on many accounts.
	for i := range 6 {
		try(fmt.Sprintf("nobody%d", i), "guess", "203.0.113.50", "")
	}
	_, slept = try("oskar", "guess", "203.0.113.50", "")
	assert.Positive(t, slept)
	_, slept = try("lena", "guess", "203.0.113.51", "")
	assert.Zero(t, slept, "another address is not slowed")
	// A known browser that guesses is slowed by itself, a forged one is not known.
	for range 6 {
		try("tess", "guess", "203.0.113.6", "tess's own")
	}
	_, slept = try("tess", "guess", "203.0.113.7", "tess's own")
	assert.Positive(t, slept)
	own := known["tess's own"][0]
	known["forged"] = []*http.Cookie{{Name: own.Name, Value: strings.Split(own.Value, "~")[0] + "~AAAA"}}
	_, slept = try("tess", demo.Password, "203.0.113.8", "forged")
	assert.Positive(t, slept)
}

// listening is a browser's stream: what it hears, and the number of the last event.
type listening struct {
	mu    sync.Mutex
	heard []string
	last  string
	close func()
}

// listen opens a stream as somebody, from an event on.
func (h *home) listen(at, login, from string) *listening {
	h.t.Helper()
	h.as = login
	req := h.request("GET", at+"/events", nil)
	if from != "" {
		req.Header.Set("Last-Event-ID", from)
	}
	r, err := patient.Do(req)
	require.NoError(h.t, err)
	l := &listening{close: func() { _ = r.Body.Close() }}
	h.t.Cleanup(l.close)
	open, once := make(chan struct{}), sync.Once{}
	go func() {
		lines := bufio.NewScanner(r.Body)
		for lines.Scan() {
			l.mu.Lock()
			if id, ok := strings.CutPrefix(lines.Text(), "id: "); ok {
				l.last = id
			}
			data, ok := strings.CutPrefix(lines.Text(), "data: ")
			alive := strings.Contains(data, `"at"`)
			if ok && !alive {
				l.heard = append(l.heard, data)
			}
			l.mu.Unlock()
			if alive {
				once.Do(func() { close(open) })
			}
		}
	}()
	got(h.t, open, login+" listens")
	return l
}

func (l *listening) all() []string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return slices.Clone(l.heard)
}

// tells writes events as a use case does.
func (h *home) tells(lanes bool, events ...store.Event) {
	h.t.Helper()
	require.NoError(h.t, h.desk.Store.InTx(ctx, func(tx *store.Tx) error {
		for _, e := range events {
			tx.Tell(e)
		}
		if lanes {
			tx.LanesChanged()
		}
		return nil
	}))
}

// A browser that is shown a stream gets what is its own and what is everybody's.
func TestWhoGetsWhichEvent(t *testing.T) {
	h := open(t)
	for _, login := range []string{"oskar", "cato", "nia"} {
		h.signIn(login)
	}
	id := h.handIn(stl(t, "mooring-cleat"), "a.stl")
	h.job(id) // checked, so that only what is told here is heard
	at := h.live()
	heard := map[string]*listening{}
	for _, login := range []string{"nia", "oskar", "cato"} {
		heard[login] = h.listen(at, login, "")
	}
	nia, err := people.Named(ctx, h.desk, "nia")
	require.NoError(t, err)
	h.tells(false, store.Event{Kind: store.OfJob, JobID: id}, store.Event{Kind: store.OfPeople})
	eventually(t, "it is heard", func() bool { return len(heard["cato"].all()) == 1 && len(heard["nia"].all()) == 1 })
	for _, x := range []store.Signal{{Kind: store.OfProgress, Job: 7, Owner: nia.ID, Fraction: 0.5, Doing: "checking"}, {Kind: store.OfTried, Job: 7, Owner: nia.ID, Fraction: 1}, {Kind: store.SessionEnded, Session: "somebody's"}} {
		require.NoError(t, h.desk.Store.Notify(ctx, x))
	}
	h.tells(true, store.Event{Kind: store.OfJob, JobID: id})
	h.tells(false, store.Event{Kind: store.OfHouse})
	job := fmt.Sprintf(`{"kind":"job","job":%d`, id)
	all := []string{job + "}", `{"of":"check","job":7,"fraction":0.5,"doing":"checking"}`, `{"of":"orientations","job":7,"fraction":1,"doing":""}`, job + `,"lanes":true}`, `{"kind":"house"}`}
	eventually(t, "all have heard the last", func() bool {
		return len(heard["nia"].all()) == 5 && len(heard["cato"].all()) == 5 && len(heard["oskar"].all()) == 2
	})
	assert.Equal(t, all, heard["nia"].all())
	assert.Equal(t, all, heard["cato"].all())
	assert.Equal(t, []string{`{"kind":"lanes"}`, `{"kind":"house"}`}, heard["oskar"].all(), "another member's job is none of his")
}

// A browser that was cut off hears all that it has missed, each once and in order, and so ends
// as one that stayed; of very much it is told that anything may be another. So does a server
// that comes back, and a browser that reads too slowly.
func TestABrowserThatWasAwayMissesNothing(t *testing.T) {
	h := open(t)
	h.signIn("cato")
	var jobs []int64
	for k := range 3 {
		jobs = append(jobs, h.handIn(stl(t, "mooring-cleat"), fmt.Sprintf("%d.stl", k)))
		h.job(jobs[k])
	}
	at := h.live()
	stayed, away := h.listen(at, "cato", ""), h.listen(at, "cato", "")
	h.tells(false, store.Event{Kind: store.OfJob, JobID: jobs[0]})
	eventually(t, "both hear", func() bool { return len(stayed.all()) == 1 && len(away.all()) == 1 })
	away.close()
	for k := range 200 {
		h.tells(k%7 == 0, store.Event{Kind: []string{store.OfJob, store.OfJob, store.OfPeople, store.OfHouse}[k%4], JobID: []int64{jobs[k%3], jobs[k%3], 0, 0}[k%4]})
	}
	back := h.listen(at, "cato", away.last)
	h.tells(false, store.Event{Kind: store.OfJob, JobID: jobs[2]})
	eventually(t, "both have heard the last", func() bool { return len(stayed.all()) == 152 && len(back.all()) == 151 })
	assert.Equal(t, stayed.all()[1:], back.all())
	assert.Equal(t, stayed.last, back.last)

	back.close()
	for range 6 {
		var many []store.Event
		for range 100 {
			many = append(many, store.Event{Kind: store.OfJob, JobID: jobs[0]})
		}
		h.tells(false, many...)
	}
	late := h.listen(at, "cato", back.last)
	assert.Equal(t, []string{`{"kind":"house"}`}, late.all())
	h.tells(false, store.Event{Kind: store.OfJob, JobID: jobs[1]})
	eventually(t, "it goes on from there", func() bool { return len(late.all()) == 2 })
	assert.Equal(t, fmt.Sprintf(`{"kind":"job","job":%d}`, jobs[1]), late.all()[1])

	other := h.listen(at, "cato", "999999")
	assert.Equal(t, []string{`{"kind":"house"}`}, other.all(), "of a house that has not come so far")

	// Whoever listens to the database is cut off, and takes it up again.
	require.Positive(t, h.count(`SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity WHERE datname = current_database() AND query = 'LISTEN jobshelf'`))
	h.tells(false, store.Event{Kind: store.OfJob, JobID: jobs[2]})
	eventually(t, "what was told meanwhile is heard", func() bool { return len(late.all()) == 3 })
}

// A member has so much room, the house so much; both are told before they are full.
func TestRoomForFilesIsBounded(t *testing.T) {
	h := open(t)
	h.desk.Quota = desk.Quota{MemberBytes: 300_000, AllBytes: 1_000_000}
	h.signIn("nia")
	put := func(n int, fill byte) answer {
		return h.call("POST", "/uploads?name=x.stl", bytes.Repeat([]byte{fill}, n))
	}
	require.Equal(t, 201, put(200_000, 'a').code)
	var room intake.StorageView
	h.call("GET", "/storage", nil).into(t, &room)
	assert.Equal(t, intake.StorageView{UsedBytes: 200_000, LimitBytes: 300_000}, room)
	a := put(150_000, 'b')
	assert.Equal(t, 507, a.code)
	assert.Contains(t, string(a.body), "more than 0.3 MB")
	assert.Equal(t, 1, h.count(`SELECT count(*) FROM blob`), "nothing of it stays")
	require.Equal(t, 201, put(90_000, 'c').code)
	h.signIn("cato")
	require.Equal(t, 201, put(600_000, 'd').code, "coordinators hand in for others")
	h.call("GET", "/storage", nil).into(t, &room)
	assert.EqualValues(t, []int64{890_000, 1_000_000}, []int64{room.HouseUsedBytes, room.HouseLimitBytes})
	a = put(200_000, 'e')
	assert.Equal(t, 507, a.code)
	assert.Contains(t, string(a.body), "storage is full")
}

// pipe stands between a server and its database; it can hang, or be cut.
type pipe struct {
	net.Listener
	to    string
	mu    sync.Mutex // guards the rest
	hangs bool
	cut   bool
	conns []net.Conn
}

func pipeTo(t *testing.T, database string) (*pipe, string) {
	u, err := url.Parse(database)
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	p := &pipe{Listener: l, to: u.Host}
	t.Cleanup(func() { p.set(false, true); _ = l.Close() })
	go func() {
		for {
			a, err := l.Accept()
			if err != nil {
				return
			}
			b, err := net.Dial("tcp", p.to)
			p.mu.Lock()
			refuse := p.cut || err != nil
			if !refuse {
				p.conns = append(p.conns, a, b)
			}
			p.mu.Unlock()
			if refuse {
				_ = a.Close()
				continue
			}
			go p.copy(a, b)
			go p.copy(b, a)
		}
	}()
	u.Host = l.Addr().String()
	return p, u.String()
}

func (p *pipe) copy(to, from net.Conn) {
	defer to.Close()
	defer from.Close()
	b := make([]byte, 32<<10)
	for {
		n, err := from.Read(b)
		for {
			p.mu.Lock()
			hangs, cut := p.hangs, p.cut
			p.mu.Unlock()
			if cut {
				return
			}
			if !hangs {
				break
			}
			time.Sleep(20 * time.Millisecond)
		}
		if n > 0 {
			if _, err := to.Write(b[:n]); err != nil {
				return
			}
		}
		if err != nil {
			return
		}
	}
}

func (p *pipe) set(hangs, cut bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.hangs, p.cut = hangs, cut
	if cut {
		for _, c := range p.conns {
			_ = c.Close()
		}
		p.conns = nil
	}
}

// With the database away or hung every request ends in bounded time, with words and
// a time to try again; the server lives, is not ready, and comes back by itself.
func TestTheDatabaseAwayAndHung(t *testing.T) {
	p, at := pipeTo(t, pgtest.URL(t))
	s, err := store.Open(ctx, at)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	_, err = demo.SetUp(ctx, s)
	require.NoError(t, err)
	q, err := work.NewQueue(s)
	require.NoError(t, err)
	h := &home{t: t, desk: &desk.Desk{Store: s, Queue: q, Now: time.Now}, jar: map[string]*http.Cookie{}}
	h.api = httpapi.New(httpapi.Config{Desk: h.desk, Log: slog.New(slog.DiscardHandler), Patience: 300 * time.Millisecond})
	h.signIn("cato")
	health := func(path string) int {
		w := httptest.NewRecorder()
		h.api.ServeHTTP(w, httptest.NewRequest("GET", "http://shelf.test"+path, nil))
		return w.Code
	}
	require.Equal(t, []int{204, 204}, []int{health("/healthz"), health("/readyz")})
	for name, state := range map[string][2]bool{"hung": {true, false}, "away": {false, true}} {
		p.set(state[0], state[1])
		for _, c := range []struct {
			method, path string
			body         any
		}{{"GET", "/jobs", nil}, {"GET", "/house", nil}, {"POST", "/jobs", map[string]any{"purpose": "everyday", "pieces": []any{map[string]any{"upload_id": "x", "copies": 1}}}}} {
			bounded, cancel := context.WithTimeout(ctx, 20*time.Second)
			done := make(chan answer, 1)
			go func() { done <- h.call(c.method, c.path, c.body) }()
			select {
			case a := <-done:
				assert.Equal(t, 503, a.code, "%s: %s %s: %s", name, c.method, c.path, a.body)
				assert.Equal(t, "application/problem+json", a.head.Get("Content-Type"))
				assert.NotEmpty(t, a.head.Get("Retry-After"))
				assert.Contains(t, string(a.body), "database does not answer")
			case <-bounded.Done():
				t.Fatalf("%s: %s %s does not end", name, c.method, c.path)
			}
			cancel()
		}
		assert.Equal(t, []int{204, 503}, []int{health("/healthz"), health("/readyz")}, name)
		p.set(false, false)
		eventually(t, "it comes back", func() bool { return health("/readyz") == 204 && h.call("GET", "/jobs", nil).code == 200 })
	}
}
