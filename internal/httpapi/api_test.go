package httpapi_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"runtime"
	"sort"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/httpapi"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/work"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// home is a server with the demo house, without jobs, and a worker.
type home struct {
	t    *testing.T
	api  *httpapi.Server
	desk *desk.Desk
	jar  map[string]*http.Cookie
	as   string
	// slept is how long sign-ins were slowed down.
	slept []time.Duration
}

func open(t *testing.T) *home {
	t.Helper()
	h := idle(t)
	h.work()
	return h
}

// idle is a house in which nobody works on what is queued yet.
func idle(t *testing.T) *home {
	t.Helper()
	s := pgtest.New(t)
	_, err := demo.SetUp(ctx, s)
	require.NoError(t, err)
	q, err := work.NewQueue(s)
	require.NoError(t, err)
	// A Tuesday at noon: the demo house is open.
	noon := time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)
	d := &desk.Desk{Store: s, Queue: q, Now: func() time.Time { return noon }, Random: rand.NewChaCha8([32]byte{})} // codes are the same each time
	h := &home{t: t, desk: d, jar: map[string]*http.Cookie{}}
	h.serve(httpapi.Config{})
	return h
}

// work has a worker begin.
func (h *home) work() {
	w, err := work.Start(ctx, h.desk.Store, h.desk, work.Options{NoProposals: true, Log: slog.New(slog.DiscardHandler)})
	require.NoError(h.t, err)
	h.t.Cleanup(func() {
		bounded, cancel := context.WithTimeout(context.Background(), time.Minute)
		defer cancel()
		assert.NoError(h.t, w.Stop(bounded))
	})
}

// serve makes the house's server anew.
func (h *home) serve(c httpapi.Config) {
	c.Desk, c.Log, c.UploadBytes = h.desk, slog.New(slog.DiscardHandler), 4<<20
	c.Wait = func(_ context.Context, d time.Duration) error { h.slept = append(h.slept, d); return nil }
	h.api = httpapi.New(c)
	run, stop := context.WithCancel(ctx)
	listening, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		h.api.Run(run, func() { close(listening) })
	}()
	<-listening
	h.t.Cleanup(func() {
		stop()
		got(h.t, ended, "the server stops listening to the database")
	})
}

type answer struct {
	code int
	body []byte
	head http.Header
}

func (a answer) into(t *testing.T, v any) {
	t.Helper()
	require.NoError(t, json.Unmarshal(a.body, v), "%s", a.body)
}

func (h *home) call(method, path string, body any) answer {
	h.t.Helper()
	var r io.Reader
	contentType := "application/json"
	switch b := body.(type) {
	case nil:
	case []byte:
		r, contentType = bytes.NewReader(b), "application/octet-stream"
	default:
		j, err := json.Marshal(b)
		require.NoError(h.t, err)
		r = bytes.NewReader(j)
	}
	req := httptest.NewRequest(method, "http://shelf.test/api"+path, r)
	req.Header.Set("Content-Type", contentType)
	if c := h.jar[h.as]; c != nil {
		req.AddCookie(c)
	}
	return h.send(req)
}

func (h *home) send(req *http.Request) answer {
	w := httptest.NewRecorder()
	h.api.ServeHTTP(w, req)
	if n := w.Header().Get("Content-Length"); n != "" {
		assert.Equal(h.t, n, strconv.Itoa(w.Body.Len()), "%s %s says how long it is", req.Method, req.URL)
	}
	for _, c := range w.Result().Cookies() {
		if c.Name == "jobshelf" && c.Value != "" {
			h.jar[h.as] = c
		}
	}
	return answer{w.Code, w.Body.Bytes(), w.Header()}
}

// signIn makes the following calls somebody's; "" is nobody's.
func (h *home) signIn(login string) {
	h.t.Helper()
	h.as = login
	if login == "" || h.jar[login] != nil {
		return
	}
	a := h.call("POST", "/session", map[string]string{"login": login, "password": demo.Password})
	require.Equal(h.t, 200, a.code, "%s", a.body)
}

func stl(t testing.TB, part string) []byte {
	for _, p := range solid.Parts() {
		if p.Name == part {
			var b bytes.Buffer
			require.NoError(t, modelfile.WriteSTL(&b, p.Mesh, ""))
			return b.Bytes()
		}
	}
	t.Fatalf("no part %s", part)
	return nil
}

func (h *home) handIn(file []byte, name string) int64 {
	h.t.Helper()
	a := h.call("POST", "/uploads?name="+name, file)
	require.Equal(h.t, 201, a.code, "%s", a.body)
	var up struct {
		UploadID string `json:"upload_id"`
	}
	a.into(h.t, &up)
	a = h.call("POST", "/jobs", map[string]any{"purpose": "everyday", "pieces": []any{map[string]any{"upload_id": up.UploadID, "copies": 1}}})
	require.Equal(h.t, 201, a.code, "%s", a.body)
	var made struct{ ID int64 }
	a.into(h.t, &made)
	return made.ID
}

// job waits until a check is over and shows the job.
func (h *home) job(id int64) decide.JobView {
	h.t.Helper()
	var v decide.JobView
	h.over(fmt.Sprintf("job %d", id), func() bool {
		a := h.call("GET", fmt.Sprintf("/jobs/%d", id), nil)
		require.Equal(h.t, 200, a.code, "%s", a.body)
		v = decide.JobView{}
		a.into(h.t, &v)
		return v.Check.State != "queued" && v.Check.State != "running" && v.State != "being sliced"
	})
	return v
}

// over waits for work to be done. Where it never is, it tells what is queued and where the
// program stands: a hang that is seen once has to say enough.
func (h *home) over(what string, is func() bool) {
	h.t.Helper()
	for end := time.Now().Add(2 * time.Minute); !is(); time.Sleep(30 * time.Millisecond) {
		if time.Now().Before(end) {
			continue
		}
		rows, err := h.desk.Store.Pool.Query(ctx, `SELECT 'river', to_jsonb(j) FROM river_job j UNION ALL SELECT 'task', to_jsonb(t) FROM task t
			UNION ALL SELECT 'slice', to_jsonb(s) - 'full' - 'made' FROM slice s`)
		require.NoError(h.t, err)
		_, err = pgx.ForEachRow(rows, []any{new(string), new(string)}, func() error { h.t.Logf("%s", rows.RawValues()); return nil })
		require.NoError(h.t, err)
		stacks := make([]byte, 1<<20)
		h.t.Fatalf("%s is never done\n%s", what, stacks[:runtime.Stack(stacks, true)])
	}
}

// patient asks over the line; the limit is for a hung test.
var patient = &http.Client{Timeout: 2 * time.Minute}

// got is what comes out of a channel; the limit is for a hung test.
func got[V any](t *testing.T, from <-chan V, what string) (v V) {
	t.Helper()
	select {
	case v = <-from:
	case <-time.After(time.Minute):
		stacks := make([]byte, 1<<20)
		t.Fatalf("never: %s\n%s", what, stacks[:runtime.Stack(stacks, true)])
	}
	return v
}

func (h *home) approve(v decide.JobView, machineID int64) answer {
	return h.call("POST", fmt.Sprintf("/jobs/%d/approve", v.ID), map[string]any{"revision": v.Revision, "machine_id": machineID})
}

func (h *home) machine(name string) int64 {
	var v house.HouseView
	h.call("GET", "/house", nil).into(h.t, &v)
	for _, m := range v.Machines {
		if m.Data.Name == name {
			return m.ID
		}
	}
	h.t.Fatalf("no machine %s", name)
	return 0
}

// Every route against every role. A route that is not in the table fails, so
// that nobody adds one without saying who may use it.
func TestEveryRouteAgainstEveryRole(t *testing.T) {
	const anyone, member, coordinator, steward = 0, 1, 2, 3
	least := map[string]int{
		"sign-in": anyone,
		"who":     member, "sign-out": member, "set-password": member, "storage": member, "house": member, "shelf": member, "hand-in": member, "job": member,
		"check-again": member, "cancel-check": member, "upload": member, "events": member,
		"piece-picture": member, "piece-view": member, "piece-file": member, "piece-evidence": member, "change-piece": member, "replace-file": member, "turn-pieces": member, "bed": member, "turn-bed": coordinator, "renew-bed": coordinator, "undo-piece": member, "redo-piece": member, "repair-piece": coordinator,
		"settings": member, "slices": member, "slice-layers": member, "slice-gcode": member, "slice-plate": member, "order-slice": coordinator, "cancel-slice": coordinator, "slice-again": coordinator, "choose-slice": coordinator, "name-slice": coordinator, "remove-slice": coordinator, "savings": coordinator,
		"people": coordinator, "workers": coordinator, "approve": coordinator, "send-back": coordinator, "advance": coordinator, "take-back": coordinator, "withdraw": member, "run-gcode": coordinator, "run-failed": coordinator, "machines-now": coordinator, "stores": coordinator, "finishing": coordinator, "looked": coordinator, "tell-steps": coordinator, "put-at": coordinator, "label": coordinator, "fetch-by": coordinator, "house-finishing": coordinator, "set-house-finishing": steward, "accounts": coordinator, "account": member, "correct-account": steward, "pay": coordinator, "receive-spools": coordinator, "spool-lines": coordinator, "turn-spool": coordinator, "weigh-spool": coordinator, "correct-spool": coordinator, "put-spool": coordinator, "add-part": coordinator, "set-part": coordinator, "renew-part": coordinator, "remove-part": coordinator, "machine-now": coordinator, "camera": coordinator, "clear-bed": coordinator, "load": coordinator, "warm": coordinator, "check-run": coordinator, "uncheck-run": coordinator, "start-run": coordinator, "tell-run": coordinator, "see-run": coordinator, "want-run": coordinator, "take-off": coordinator, "put-back": coordinator, "unsay-run": coordinator, "repair-all": coordinator, "say-use": member, "ask": coordinator, "reply": member, "ended": member, "rules": coordinator, "rule-versions": coordinator, "add-rule": steward, "set-rule": steward, "take-rule-away": steward, "try-rule": coordinator, "routine": coordinator, "approve-together": coordinator, "letters": coordinator, "set-letter": steward, "set-group": steward, "answer": coordinator, "beside": coordinator, "put-together": coordinator, "take-out": coordinator, "floor": coordinator, "move-run": coordinator,
		"set-house": steward, "set-machine": steward, "set-material": steward, "set-recipe": steward,
	}
	h := open(t)
	roles := []string{"", "nia", "cato", "tess"}
	for _, login := range roles {
		h.signIn(login)
	}
	seen := map[string]bool{}
	for path, item := range h.api.OpenAPI().Paths {
		for method, id := range operations(item) {
			seen[id] = true
			want, ok := least[id]
			require.True(t, ok, "%s %s (%s) is not in the table", method, path, id)
			for rank, login := range roles {
				h.as = login
				if id == "sign-out" && rank >= want || id == "events" && rank >= want {
					continue // would end the session, or never end; allowed ones are tried elsewhere
				}
				// 7 is no job, run or machine here: who is let in gets 404 or 422.
				a := h.call(method, strings.ReplaceAll(path, "{id}", "7"), map[string]any{})
				switch {
				case rank >= want:
					assert.NotContains(t, []int{401, 403, 500}, a.code, "%s may %s: %s", login, id, a.body)
				case login == "":
					assert.Equal(t, 401, a.code, "nobody may %s", id)
				default:
					assert.Equal(t, 403, a.code, "%s may not %s", login, id)
				}
				if a.code >= 400 {
					assert.Equal(t, "application/problem+json", a.head.Get("Content-Type"), "%s %s", method, path)
				}
			}
		}
	}
	var missing []string
	for id := range least {
		if !seen[id] {
			missing = append(missing, id)
		}
	}
	sort.Strings(missing)
	assert.Empty(t, missing, "in the table, but no route")
}

func operations(p *huma.PathItem) map[string]string {
	out := map[string]string{}
	for method, op := range map[string]*huma.Operation{"GET": p.Get, "POST": p.Post, "PUT": p.Put, "DELETE": p.Delete, "PATCH": p.Patch} {
		if op != nil {
			out[method] = op.OperationID
		}
	}
	return out
}

func TestSignInIsGuarded(t *testing.T) {
	h := open(t)
	try := func(login, password string) int {
		return h.call("POST", "/session", map[string]string{"login": login, "password": password}).code
	}
	assert.Equal(t, 401, try("nia", "wrong"))
	assert.Equal(t, 401, try("nobody", demo.Password))
	assert.Equal(t, 401, try("nobody", ""+"x"))
	assert.Equal(t, 200, try("NIA", demo.Password), "logins are not case-sensitive")
	assert.Equal(t, 200, h.call("GET", "/session", nil).code)
	old := h.jar[""]
	require.Equal(t, 204, h.call("DELETE", "/session", nil).code)
	h.jar[""] = old
	assert.Equal(t, 401, h.call("GET", "/session", nil).code, "a signed-out cookie opens nothing")

	// Another site's page may not post here with the visitor's cookie.
	h.signIn("cato")
	req := httptest.NewRequest("POST", "http://shelf.test/api/jobs/1/approve", strings.NewReader(`{"revision":1}`))
	req.Header.Set("Sec-Fetch-Site", "cross-site")
	req.Header.Set("Content-Type", "application/json")
	req.AddCookie(h.jar["cato"])
	assert.Equal(t, 403, h.send(req).code)

}

// Only what brings a file may be as long as one: an entry of two megabytes is refused on
// every other route, before anybody reads it.
func TestLongEntriesAreRefused(t *testing.T) {
	h := open(t)
	h.signIn("cato")
	long := strings.Repeat("a", 2<<20)
	for path, method := range map[string]string{"/jobs": "POST", "/session/password": "PUT", "/session": "POST"} {
		a := h.call(method, path, map[string]any{"title": long, "login": long})
		assert.Equal(t, http.StatusRequestEntityTooLarge, a.code, "%s: %.200s", path, a.body)
	}
}

// Every command that names the revision it has seen is refused where that one is over.
func TestStaleVersionsAreRefusedOverTheLine(t *testing.T) {
	h := open(t)
	h.signIn("cato")
	h.work()
	id := h.handIn(stl(t, "bollard"), "a.stl")
	v := h.job(id)
	piece := v.PieceSet[0].ID
	asked := 0
	for path, item := range h.api.OpenAPI().Paths {
		for method, body := range map[string]map[string]any{"POST": {"reason": "no", "steps": []string{"weld"}, "upload_id": "gone", "text": "what", "key": "0123456789abcdef", "turns": []any{map[string]any{"piece_id": piece, "turn": []int{0, 1, 0, 0}}}}, "PUT": {"copies": 2, "use": map[string]any{"load": true}}} {
			op := map[string]*huma.Operation{"POST": item.Post, "PUT": item.Put}[method]
			if op == nil || !strings.Contains(path, "{id}") || !strings.HasPrefix(path, "/jobs/") && !strings.HasPrefix(path, "/pieces/") || op.RequestBody == nil {
				continue
			}
			schema := op.RequestBody.Content["application/json"].Schema
			if schema.Ref != "" {
				schema = h.api.OpenAPI().Components.Schemas.SchemaFromRef(schema.Ref)
			}
			if schema.Properties["revision"] == nil {
				continue
			}
			send := map[string]any{"revision": v.Revision + 7}
			for k, x := range body {
				if schema.Properties[k] != nil {
					send[k] = x
				}
			}
			of := id
			if strings.HasPrefix(path, "/pieces/") {
				of = piece
			}
			a := h.call(method, strings.Replace(path, "{id}", fmt.Sprint(of), 1), send)
			assert.Equal(t, 409, a.code, "%s %s: %s", method, path, a.body)
			asked++
		}
	}
	assert.GreaterOrEqual(t, asked, 5)
	assert.Equal(t, v.Revision, h.job(id).Revision)
}
