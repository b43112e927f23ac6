package httpapi_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"math"
	"net/http"
	"net/http/httptest"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/httpapi"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/work"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// house is a server with the demo house, without jobs, and a worker.
type house struct {
	t    *testing.T
	api  *httpapi.Server
	desk *desk.Desk
	jar  map[string]*http.Cookie
	as   string
	// slept is how long sign-ins were slowed down.
	slept []time.Duration
}

func open(t *testing.T) *house {
	t.Helper()
	h := idle(t)
	h.work()
	return h
}

// idle is a house in which nobody works on what is queued yet.
func idle(t *testing.T) *house {
	t.Helper()
	s := pgtest.New(t)
	_, err := demo.SetUp(ctx, s)
	require.NoError(t, err)
	q, err := work.NewQueue(s)
	require.NoError(t, err)
	// A Tuesday at noon: the demo house is open.
	noon := time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)
	d := &desk.Desk{Store: s, Queue: q, Now: func() time.Time { return noon }}
	h := &house{t: t, desk: d, jar: map[string]*http.Cookie{}}
	h.serve(httpapi.Config{})
	return h
}

// work has a worker begin.
func (h *house) work() {
	w, err := work.Start(ctx, h.desk.Store, h.desk, work.Options{Log: slog.New(slog.DiscardHandler)})
	require.NoError(h.t, err)
	h.t.Cleanup(func() { assert.NoError(h.t, w.Stop(context.Background())) })
}

// serve makes the house's server anew.
func (h *house) serve(c httpapi.Config) {
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
		<-ended
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

func (h *house) call(method, path string, body any) answer {
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

func (h *house) send(req *http.Request) answer {
	w := httptest.NewRecorder()
	h.api.ServeHTTP(w, req)
	for _, c := range w.Result().Cookies() {
		if c.Name == "jobshelf" && c.Value != "" {
			h.jar[h.as] = c
		}
	}
	return answer{w.Code, w.Body.Bytes(), w.Header()}
}

// signIn makes the following calls somebody's; "" is nobody's.
func (h *house) signIn(login string) {
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

func (h *house) handIn(file []byte, name string, more map[string]any) int64 {
	h.t.Helper()
	a := h.call("POST", "/uploads?name="+name, file)
	require.Equal(h.t, 201, a.code, "%s", a.body)
	var up struct {
		UploadID string `json:"upload_id"`
	}
	a.into(h.t, &up)
	piece := map[string]any{"upload_id": up.UploadID, "copies": 1}
	in := map[string]any{"purpose": "everyday", "pieces": []any{piece}}
	for k, v := range more {
		if k == "copies" || k == "unit" {
			piece[k] = v
		} else {
			in[k] = v
		}
	}
	a = h.call("POST", "/jobs", in)
	require.Equal(h.t, 201, a.code, "%s", a.body)
	var made struct{ ID int64 }
	a.into(h.t, &made)
	return made.ID
}

// job waits until a check is over and shows the job.
func (h *house) job(id int64) desk.JobView {
	h.t.Helper()
	for {
		var v desk.JobView
		a := h.call("GET", fmt.Sprintf("/jobs/%d", id), nil)
		require.Equal(h.t, 200, a.code, "%s", a.body)
		a.into(h.t, &v)
		if v.Check.State != "queued" && v.Check.State != "running" {
			return v
		}
		time.Sleep(10 * time.Millisecond)
	}
}

func (h *house) approve(v desk.JobView, machineID int64) answer {
	return h.call("POST", fmt.Sprintf("/jobs/%d/approve", v.ID), map[string]any{"version": v.Version, "machine_id": machineID})
}

func (h *house) machine(name string) int64 {
	var v desk.HouseView
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
		"piece-picture": member, "piece-view": member, "piece-file": member, "piece-evidence": member, "change-piece": member, "repair-piece": coordinator,
		"settings": member, "slices": member, "slice-layers": member, "slice-gcode": member, "slice-plate": member, "order-slice": coordinator, "cancel-slice": coordinator, "slice-again": coordinator, "choose-slice": coordinator, "savings": coordinator,
		"people": coordinator, "approve": coordinator, "send-back": coordinator, "advance": coordinator, "floor": coordinator, "move-run": coordinator,
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

func TestAModelIsJudgedApprovedAndQueued(t *testing.T) {
	h := open(t)
	h.signIn("nia")
	id := h.handIn(stl(t, "mooring-cleat"), "mooring-cleat.stl", map[string]any{"wish": "for Friday", "needed_by": "2026-11-27"})
	v := h.job(id)
	assert.Equal(t, "to decide", v.Step)
	assert.Equal(t, "Mooring cleat", v.Title)
	assert.Empty(t, v.Findings)
	require.Len(t, v.Ladder, 5)
	var best desk.Rung
	for _, r := range v.Ladder {
		if r.Proposed {
			best = r
		}
		if r.InService {
			assert.Positive(t, r.Price)
			assert.True(t, r.Fits)
		}
	}
	for _, r := range v.Ladder {
		if r.Finish != nil {
			assert.False(t, r.Finish.Before(*best.Finish), "%s would be done before the proposed %s", r.Name, best.Name)
		}
	}
	piece := v.PieceSet[0]
	assert.Equal(t, []byte("\x89PNG"), h.call("GET", fmt.Sprintf("/pieces/%d/picture", piece.ID), nil).body[:4])
	assert.Equal(t, stl(t, "mooring-cleat"), h.call("GET", fmt.Sprintf("/pieces/%d/file", piece.ID), nil).body, "the file as it came")
	view := h.call("GET", fmt.Sprintf("/pieces/%d/view", piece.ID), nil).body
	assert.Len(t, view, 8+12*piece.Surface.Vertices+12*piece.Surface.Triangles)

	assert.Equal(t, 403, h.approve(v, 0).code, "a member approves nothing")
	h.signIn("cato")
	stale := v
	stale.Version++
	assert.Equal(t, 409, h.approve(stale, 0).code)
	stale.Version = 0
	assert.Equal(t, 422, h.approve(stale, 0).code, "a version has to be said")
	require.Equal(t, 204, h.approve(v, 0).code)
	assert.Equal(t, 409, h.approve(v, 0).code, "not twice")

	var floor desk.FloorView
	h.call("GET", "/floor", nil).into(t, &floor)
	var run desk.RunView
	for _, l := range floor.Lanes {
		for _, r := range l.Runs {
			run = r
			assert.Equal(t, best.Name, l.Name)
		}
	}
	require.NotNil(t, run.Start)
	assert.Equal(t, time.Duration(math.Ceil(best.Seconds))*time.Second, run.Finish.Sub(*run.Start))
	v = h.job(id)
	assert.Equal(t, "approved", v.Step)
	var what []string
	for _, l := range v.History {
		what = append(what, l.Who+": "+l.What)
	}
	assert.Equal(t, []string{"Nia Marlow: Handed in mooring-cleat.stl", ": Checked", "Cato Lindgard: Approved and queued on " + best.Name}, what)

	for _, step := range []string{"on the floor", "finishing", "pick-up", "fetched"} {
		require.Equal(t, 204, h.call("POST", fmt.Sprintf("/jobs/%d/advance", id), map[string]any{"version": v.Version}).code)
		v = h.job(id)
		assert.Equal(t, step, v.Step)
	}
}

func TestRunsMoveWithinAndBetweenLanes(t *testing.T) {
	h := open(t)
	h.signIn("cato")
	bowline, capstan, lantern, halyard := h.machine("Bowline"), h.machine("Capstan"), h.machine("Lantern"), h.machine("Halyard")
	var ids []int64
	for _, part := range []string{"sheave", "oarlock-bushing", "chart-ruler"} {
		v := h.job(h.handIn(stl(t, part), part+".stl", nil))
		require.Equal(t, 204, h.approve(v, bowline).code)
		ids = append(ids, v.ID)
	}
	lane := func(machine int64) (jobs []int64, runs []desk.RunView) {
		var f desk.FloorView
		h.call("GET", "/floor", nil).into(t, &f)
		for _, l := range f.Lanes {
			if l.MachineID == machine {
				for _, r := range l.Runs {
					jobs = append(jobs, r.JobID)
				}
				return jobs, l.Runs
			}
		}
		return nil, nil
	}
	move := func(run, machine int64, place int) answer {
		return h.call("POST", fmt.Sprintf("/runs/%d/move", run), map[string]any{"machine_id": machine, "place": place})
	}
	got, runs := lane(bowline)
	require.Equal(t, ids, got)
	for i := 1; i < len(runs); i++ {
		assert.False(t, runs[i].Start.Before(*runs[i-1].Finish), "runs overlap")
	}
	require.Equal(t, 204, move(runs[2].ID, bowline, 0).code)
	got, _ = lane(bowline)
	assert.Equal(t, []int64{ids[2], ids[0], ids[1]}, got)

	was := runs[0]
	require.Equal(t, 204, move(was.ID, capstan, 99).code)
	got, runs = lane(capstan)
	assert.Equal(t, []int64{ids[0]}, got)
	assert.NotEqual(t, was.Seconds, runs[0].Seconds, "on another machine it takes that machine's time")
	assert.Equal(t, "PETG", runs[0].Material)

	ruler := func() int64 { _, r := lane(bowline); return r[0].ID }()
	a := move(ruler, halyard, 0)
	assert.Equal(t, 409, a.code)
	assert.Contains(t, string(a.body), "12.4 mm in X", "a refusal says by how much")
	assert.Equal(t, 409, move(ruler, lantern, 0).code, "not in service")
	assert.Equal(t, 404, move(9999, capstan, 0).code)

	// What is printing stays, and nothing goes before it.
	v := h.job(ids[2])
	require.Equal(t, 204, h.call("POST", fmt.Sprintf("/jobs/%d/advance", ids[2]), map[string]any{"version": v.Version}).code)
	assert.Equal(t, 409, move(ruler, capstan, 0).code)
	_, runs = lane(bowline)
	require.Equal(t, 204, move(runs[1].ID, bowline, 0).code)
	got, _ = lane(bowline)
	assert.Equal(t, []int64{ids[2], ids[1]}, got)
	v = h.job(ids[1])
	assert.Equal(t, 409, h.call("POST", fmt.Sprintf("/jobs/%d/advance", ids[1]), map[string]any{"version": v.Version}).code, "the machine is busy")
}

// Bad files: the job stays, with its file and the reason; the server goes on.
func TestBadFilesKeepTheJobAndTellWhy(t *testing.T) {
	h := open(t)
	h.signIn("nia")
	nan := stl(t, "sheave")
	copy(nan[84+50*9+12:], []byte{0, 0, 0xc0, 0x7f})
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"empty":     {[]byte{}, "empty"},
		"truncated": {stl(t, "sheave")[:5000], "5000 bytes"},
		"prose":     {[]byte("Please print this"), "no model"},
		"nan":       {nan, "Triangle 10"},
	} {
		t.Run(name, func(t *testing.T) {
			id := h.handIn(c.data, name+".stl", nil)
			v := h.job(id)
			assert.Equal(t, "to decide", v.Step)
			assert.Equal(t, "failed", v.Check.State)
			assert.Contains(t, v.Check.Error, c.says)
			require.NotEmpty(t, v.Findings)
			assert.EqualValues(t, "stops it", v.Findings[0].Grade)
			assert.Equal(t, c.data, append([]byte{}, h.call("GET", fmt.Sprintf("/pieces/%d/file", v.PieceID), nil).body...))
			h.signIn("cato")
			assert.Equal(t, 409, h.approve(v, 0).code)
			assert.Equal(t, 422, h.call("POST", fmt.Sprintf("/jobs/%d/send-back", id), map[string]any{"version": v.Version, "reason": " "}).code)
			assert.Equal(t, 204, h.call("POST", fmt.Sprintf("/jobs/%d/send-back", id), map[string]any{"version": v.Version, "reason": "Please send it again"}).code)
			h.signIn("nia")
		})
	}
	a := h.call("POST", "/uploads?name=big.stl", make([]byte, 5<<20))
	assert.Equal(t, 413, a.code)
	assert.Contains(t, string(a.body), "over the limit")
	var n int
	require.NoError(t, h.desk.Store.Pool.QueryRow(ctx, `SELECT count(*) FROM blob WHERE sha256 IS NULL`).Scan(&n))
	assert.Zero(t, n, "nothing half-stored")
}

func TestMembersSeeTheirOwnOnly(t *testing.T) {
	h := open(t)
	h.signIn("nia")
	v := h.job(h.handIn(stl(t, "net-needle"), `..\..\evil/../needle.stl`, nil))
	assert.Equal(t, "needle.stl", v.PieceSet[0].Name)
	h.signIn("oskar")
	for _, path := range []string{fmt.Sprintf("/jobs/%d", v.ID), fmt.Sprintf("/pieces/%d/file", v.PieceID), fmt.Sprintf("/pieces/%d/view", v.PieceID), fmt.Sprintf("/pieces/%d/picture", v.PieceID)} {
		assert.Equal(t, 404, h.call("GET", path, nil).code, path)
	}
	assert.Equal(t, 404, h.call("POST", fmt.Sprintf("/jobs/%d/check", v.ID), nil).code)
	var shelf desk.ShelfView
	h.call("GET", "/jobs", nil).into(t, &shelf)
	assert.Empty(t, shelf.Slips)
	a := h.call("POST", "/jobs", map[string]any{"purpose": "everyday", "member_id": v.MemberID, "pieces": []any{map[string]any{"upload_id": "x", "copies": 1}}})
	assert.Equal(t, 422, a.code, "not in another's name")

	// An upload is its sender's: nobody else can make a job of it.
	var up struct {
		UploadID string `json:"upload_id"`
	}
	h.call("POST", "/uploads?name=a.stl", stl(t, "sheave")).into(t, &up)
	h.signIn("nia")
	a = h.call("POST", "/jobs", map[string]any{"purpose": "everyday", "pieces": []any{map[string]any{"upload_id": up.UploadID, "copies": 1}}})
	assert.Equal(t, 422, a.code)
	assert.Contains(t, string(a.body), "body.pieces[0].upload_id")
}

func TestChecksCanBeCancelledAndAskedForAgain(t *testing.T) {
	h := idle(t)
	h.signIn("nia")
	var ball bytes.Buffer
	require.NoError(t, modelfile.WriteSTL(&ball, solid.Sphere(40, 60), ""))
	id := h.handIn(ball.Bytes(), "ball.stl", nil)
	require.Equal(t, 204, h.call("DELETE", fmt.Sprintf("/jobs/%d/check", id), nil).code)
	v := h.job(id)
	assert.Equal(t, "cancelled", v.Check.State)
	assert.Equal(t, "arrived", v.Step)
	assert.Equal(t, 409, h.call("DELETE", fmt.Sprintf("/jobs/%d/check", id), nil).code, "it is cancelled already")
	h.work()
	require.Equal(t, 204, h.call("POST", fmt.Sprintf("/jobs/%d/check", id), nil).code)
	v = h.job(id)
	assert.Equal(t, "done", v.Check.State)
	assert.Equal(t, "to decide", v.Step)
	assert.Equal(t, 409, h.call("DELETE", fmt.Sprintf("/jobs/%d/check", id), nil).code, "nothing to cancel")
}

// A change in the house is checked field by field, and jobs being weighed are
// judged by it anew.
func TestStewardChangesTheHouse(t *testing.T) {
	h := open(t)
	h.signIn("nia")
	id := h.handIn(stl(t, "sheave"), "sheave.stl", nil)
	before := h.job(id)
	h.signIn("tess")
	var v desk.HouseView
	h.call("GET", "/house", nil).into(t, &v)
	var m desk.MachineView
	var r desk.RecipeView
	for _, x := range v.Machines {
		if x.Data.Name == "Bowline" {
			m = x
		}
	}
	for _, x := range v.Recipes {
		if x.MachineID == m.ID && x.Data.Purpose == "everyday" {
			r = x
		}
	}
	r.Data.InfillPercent = 80
	require.Equal(t, 204, h.call("PUT", fmt.Sprintf("/recipes/%d", r.ID), r).code)
	assert.Equal(t, 409, h.call("PUT", fmt.Sprintf("/recipes/%d", r.ID), r).code, "an old version")
	grams := func(v desk.JobView) float64 {
		for _, l := range v.Ladder {
			if l.MachineID == m.ID {
				return l.Grams
			}
		}
		return 0
	}
	assert.Greater(t, grams(h.job(id)), 1.3*grams(before))

	r.Version++
	r.Data.LayerMM = 0.39
	a := h.call("PUT", fmt.Sprintf("/recipes/%d", r.ID), r)
	assert.Equal(t, 422, a.code)
	assert.Contains(t, string(a.body), "body.layer_mm")
	m.Data.Volume.XMM = -5
	assert.Equal(t, 422, h.call("PUT", fmt.Sprintf("/machines/%d", m.ID), m).code)
	m.Data.Volume.XMM, m.Data.RateCents = 220, 990
	require.Equal(t, 204, h.call("PUT", fmt.Sprintf("/machines/%d", m.ID), m).code)
	v.House.TimeZone = "Europe/Nowhere"
	assert.Equal(t, 422, h.call("PUT", "/house", v.House).code)
	v.House.TimeZone, v.House.AttendanceMin = "Europe/Lisbon", 5
	require.Equal(t, 204, h.call("PUT", "/house", v.House).code)
	for _, x := range v.Materials {
		x.Data.SpoolCents *= 2
		require.Equal(t, 204, h.call("PUT", fmt.Sprintf("/materials/%d", x.ID), x).code)
	}
	assert.Equal(t, "done", h.job(id).Check.State)
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
	req := httptest.NewRequest("POST", "http://shelf.test/api/jobs/1/approve", strings.NewReader(`{"version":1}`))
	req.Header.Set("Sec-Fetch-Site", "cross-site")
	req.Header.Set("Content-Type", "application/json")
	req.AddCookie(h.jar["cato"])
	assert.Equal(t, 403, h.send(req).code)

}

// change sets something of a job's first piece, at the version of its job that was seen.
func (h *house) change(v desk.JobView, set map[string]any) answer {
	set["version"] = v.Version
	return h.call("PUT", fmt.Sprintf("/pieces/%d", v.PieceSet[0].ID), set)
}

func TestAUnitIsProposedTakenAndUndone(t *testing.T) {
	h := open(t)
	h.signIn("nia")
	id := h.handIn(stl(t, "block-cheek-inch"), "cheek.stl", nil)
	v := h.job(id)
	require.Equal(t, "unit", v.Findings[0].Check)
	proposals := v.PieceSet[0].Units
	require.NotEmpty(t, proposals)
	assert.EqualValues(t, "in", proposals[0].Unit)
	assert.Contains(t, proposals[0].Reason, "inches; fits")
	require.Equal(t, 204, h.change(v, map[string]any{"unit": "in"}).code)
	inch := h.job(id)
	assert.InEpsilon(t, 25.4*v.PieceSet[0].Surface.SizeMM[0], inch.PieceSet[0].Surface.SizeMM[0], 1e-9)
	assert.Empty(t, inch.Findings)
	assert.Equal(t, 409, h.change(v, map[string]any{"unit": "cm"}).code, "the job has changed since")
	require.Equal(t, 204, h.change(inch, map[string]any{"unit": ""}).code)
	assert.Equal(t, v.PieceSet[0].Surface, h.job(id).PieceSet[0].Surface, "undone")
	// What the member says at the hatch wins over the guess.
	said := h.job(h.handIn(stl(t, "block-cheek-inch"), "cheek.stl", map[string]any{"unit": "in"}))
	assert.Equal(t, inch.PieceSet[0].Surface, said.PieceSet[0].Surface)
	assert.Empty(t, said.Findings)
}

func TestARepairIsAVersionAndTheOriginalStays(t *testing.T) {
	h := open(t)
	h.signIn("yuki")
	file := stl(t, "cleat-with-hole")
	id := h.handIn(file, "cleat.stl", nil)
	v := h.job(id)
	piece := v.PieceSet[0]
	require.Equal(t, "open surface", v.Findings[0].Check)
	assert.NotEmpty(t, v.Findings[0].Places)
	assert.Contains(t, piece.Mend, repair.Holes)
	var evidence []finding.Evidence
	h.call("GET", fmt.Sprintf("/pieces/%d/evidence", piece.ID), nil).into(t, &evidence)
	require.Len(t, evidence, 1)
	assert.Len(t, evidence[0].Lines, piece.Surface.Boundary)
	repair := func(version int, steps ...string) answer {
		return h.call("POST", fmt.Sprintf("/pieces/%d/repair", piece.ID), map[string]any{"version": version, "steps": steps})
	}
	assert.Equal(t, 403, repair(v.Version, "holes").code)
	h.signIn("cato")
	assert.Equal(t, 422, repair(v.Version, "magic").code)
	require.Equal(t, 204, repair(v.Version, "weld", "holes").code)
	mended := h.job(id)
	now := mended.PieceSet[0]
	assert.Equal(t, 2, now.Current)
	assert.True(t, now.Surface.Closed)
	assert.Empty(t, mended.Findings)
	require.Len(t, now.Versions, 2)
	require.Len(t, now.Versions[1].Log, 1, "there was nothing to weld")
	assert.Equal(t, piece.Surface.Boundary, now.Versions[1].Log[0].Before.Boundary)
	assert.Zero(t, now.Versions[1].Log[0].After.Boundary)
	get := func(n int) []byte {
		return h.call("GET", fmt.Sprintf("/pieces/%d/file?version=%d", piece.ID, n), nil).body
	}
	assert.Equal(t, file, get(1), "the file as it came")
	assert.NotEqual(t, file, get(2))
	require.Equal(t, 204, h.change(mended, map[string]any{"current": 1}).code)
	assert.False(t, h.job(id).PieceSet[0].Surface.Closed, "back to the file as it came")
	require.Equal(t, 404, h.change(h.job(id), map[string]any{"current": 7}).code)
	require.Equal(t, 204, h.change(h.job(id), map[string]any{"current": 2}).code)
	require.Equal(t, 204, h.call("POST", fmt.Sprintf("/jobs/%d/check", id), nil).code)
	last := h.job(id)
	assert.True(t, last.PieceSet[0].Surface.Closed, "a check of a mended version reads what was kept")
	var repaired int
	for _, l := range last.History {
		if strings.HasPrefix(l.What, "Repaired cleat.stl") {
			repaired++
			assert.Contains(t, l.Why, "Closed 1 hole.")
		}
	}
	assert.Equal(t, 1, repaired)
}

// A file of several models becomes pieces with copies, each judged by itself.
func TestAFileOfSeveralModelsBecomesPieces(t *testing.T) {
	h := open(t)
	h.signIn("nia")
	var b bytes.Buffer
	require.NoError(t, modelfile.Write3MF(&b, &modelfile.File{Unit: "in", Models: []modelfile.Model{
		{Name: "bushing", Mesh: solid.OarlockBushing().Transformed(1/25.4, mesh.Vec3{}), Places: []mesh.Vec3{{}, {X: 9}}},
		{Name: "ruler", Mesh: solid.ChartRuler().Transformed(1/25.4, mesh.Vec3{})},
	}}))
	id := h.handIn(b.Bytes(), "set.3mf", map[string]any{"copies": 3})
	v := h.job(id)
	require.Len(t, v.PieceSet, 2)
	assert.Equal(t, "set.3mf, bushing", v.PieceSet[0].Name)
	assert.Equal(t, []int{6, 3}, []int{v.PieceSet[0].Copies, v.PieceSet[1].Copies}, "copies asked for times copies placed")
	assert.Equal(t, "in", v.PieceSet[1].Unit)
	assert.InDelta(t, 210, v.PieceSet[1].Surface.SizeMM[0], 0.01)
	for _, r := range v.Ladder {
		if r.Name == "Halyard" {
			assert.False(t, r.Fits, "the ruler is too long for it")
		}
	}
	require.Equal(t, 204, h.call("POST", fmt.Sprintf("/jobs/%d/check", id), nil).code)
	assert.Len(t, h.job(id).PieceSet, 2, "checking again makes no more of them")
}

func TestGCodeIsCheckedAgainstTheHouse(t *testing.T) {
	h := open(t)
	h.signIn("nia")
	program := "M104 S205\nM140 S60\nG28\nG90\nM83\n"
	for z := 0.25; z < 10; z += 0.25 {
		program += fmt.Sprintf("G1 Z%.2f F900\nG1 X20 Y20 F6000\nG1 X60 E2 F1800\nG1 Y60 E2\nG1 X20 E2\nG1 Y20 E2\n", z)
	}
	v := h.job(h.handIn([]byte(program+"M500\n"), "part.gcode", nil))
	got := map[string]bool{}
	for _, f := range v.Findings {
		got[f.Check] = true
	}
	assert.Equal(t, map[string]bool{"layer height": true, "heating stays on": true, "command not allowed": true}, got)
	require.NotNil(t, v.PieceSet[0].Program)
	assert.Equal(t, 0.25, v.PieceSet[0].Program.LayerMM)
	for _, r := range v.Ladder {
		if r.Name == "Bowline" {
			assert.True(t, r.Fits)
			assert.Greater(t, r.Seconds-r.WarmUp, v.PieceSet[0].Program.Seconds, "it speeds up more slowly than Halyard")
			assert.InEpsilon(t, 39*160/30., r.Seconds-r.WarmUp, 0.1)
		}
		if r.Name == "Halyard" {
			assert.True(t, r.Fits, "60, 60 is within 100 mm of the middle of a round plate")
			assert.InEpsilon(t, v.PieceSet[0].Program.Seconds, r.Seconds-r.WarmUp, 1e-9, "the quickest")
		}
	}
}

// slice waits until a slice is over.
func (h *house) slice(piece, id int64) desk.SliceView {
	h.t.Helper()
	for {
		var all []desk.SliceView
		h.call("GET", fmt.Sprintf("/pieces/%d/slices", piece), nil).into(h.t, &all)
		for _, s := range all {
			if s.ID == id && s.State != "queued" && s.State != "running" {
				return s
			}
		}
		time.Sleep(10 * time.Millisecond)
	}
}

func TestSlicesWithOverridesSavingsAndAPromise(t *testing.T) {
	h := open(t)
	h.signIn("nia")
	id := h.handIn(stl(t, "sheave"), "sheave.stl", nil)
	v := h.job(id)
	piece := v.PieceSet[0].ID
	bowline := h.machine("Bowline")
	order := func(overrides ...map[string]any) answer {
		return h.call("POST", fmt.Sprintf("/pieces/%d/slices", piece), map[string]any{"machine_id": bowline, "overrides": append([]map[string]any{}, overrides...)})
	}
	assert.Equal(t, 403, order().code, "members do not slice")
	h.signIn("cato")
	for _, bad := range []map[string]any{
		{"key": "layer_mm", "value": "0.1", "why": " "}, {"key": "colour", "value": "red", "why": "x"}, {"key": "layer_mm", "value": "thin", "why": "x"},
		{"key": "layer_mm", "value": "1.2", "why": "x"}, {"key": "shells", "value": "400", "why": "x"},
	} {
		assert.Equal(t, 422, order(bad).code, "%v", bad)
	}
	get := func(a answer) int64 {
		require.Equal(t, 201, a.code, "%s", a.body)
		var made struct{ ID int64 }
		a.into(t, &made)
		return made.ID
	}
	plain := h.slice(piece, get(order()))
	require.Equal(t, "done", plain.State, plain.Error)
	thick := h.slice(piece, get(order(map[string]any{"key": "layer_mm", "value": "0.28", "why": "needed tomorrow"})))
	require.Equal(t, "done", thick.State)
	assert.Less(t, thick.Full.Seconds, plain.Full.Seconds)
	assert.Equal(t, recipe.Override{Key: "layer_mm", Value: "0.28", Why: "needed tomorrow", Who: "Cato Lindgard", Was: "0.2"}, thick.Overrides[0])
	assert.Len(t, plain.Full.Strip, plain.Full.Layers)

	// What is downloaded reads back as what was promised, under the house's name.
	a := h.call("GET", fmt.Sprintf("/slices/%d/gcode", plain.ID), nil)
	s, err := gcode.Read(ctx, bytes.NewReader(a.body), 0, nil)
	require.NoError(t, err)
	assert.InEpsilon(t, plain.Full.FilamentMM, s.FilamentMM, 2e-3)
	assert.Len(t, s.Layers, plain.Full.Layers)
	minutes := int(math.Round(plain.Full.Seconds / 60))
	assert.Contains(t, a.head.Get("Content-Disposition"), fmt.Sprintf("Marlow_Sheave_%dh%02d_Bowline", minutes/60, minutes%60), "one time everywhere")
	assert.Contains(t, string(a.body), fmt.Sprintf("time: %.0f s, of it %.0f s warm-up\n", plain.Full.Seconds, plain.Full.WarmUp))
	a = h.call("GET", fmt.Sprintf("/slices/%d/plate", plain.ID), nil)
	file, err := modelfile.Read(ctx, bytes.NewReader(a.body), int64(len(a.body)), modelfile.Limits{}, nil)
	require.NoError(t, err)
	assert.Equal(t, units.Millimetre, file.Unit)
	box := file.Models[0].Mesh.Bounds()
	assert.InDelta(t, 0, box.Min.Z, 1e-6, "on the plate")
	assert.InDelta(t, (s.Min.X+s.Max.X)/2, (box.Min.X+box.Max.X)/2, 0.3, "where the lines are")
	assert.InDelta(t, (s.Min.Y+s.Max.Y)/2, (box.Min.Y+box.Max.Y)/2, 0.3)
	assert.Contains(t, a.head.Get("Content-Disposition"), ".3mf")
	layers := h.call("GET", fmt.Sprintf("/slices/%d/layers", plain.ID), nil).body
	assert.EqualValues(t, plain.Full.Layers, binary.LittleEndian.Uint32(layers))

	// What counts is what the ladder says, and what is approved.
	require.Equal(t, 204, h.call("POST", fmt.Sprintf("/slices/%d/choose", thick.ID), nil).code)
	v = h.job(id)
	for _, r := range v.Ladder {
		if r.Name == "Bowline" {
			assert.True(t, r.Full)
			assert.InDelta(t, thick.Full.Seconds, r.Seconds, 1e-6)
			assert.InDelta(t, thick.Full.WarmUp, r.WarmUp, 1e-6)
		}
	}
	var made struct{ IDs []int64 }
	a = h.call("POST", fmt.Sprintf("/slices/%d/savings", plain.ID), nil)
	require.Equal(t, 201, a.code, "%s", a.body)
	a.into(t, &made)
	assert.GreaterOrEqual(t, len(made.IDs), 5)
	labels := map[string]bool{}
	for _, id := range made.IDs {
		x := h.slice(piece, id)
		labels[x.Label] = true
		assert.Equal(t, "done", x.State, "%s: %s", x.Label, x.Error)
		assert.Equal(t, plain.ID, x.BaseID)
		if x.Label == "thicker layers" || x.Label == "less infill" {
			assert.Less(t, x.Full.Seconds, plain.Full.Seconds, x.Label)
		}
	}
	assert.True(t, labels["laid over"] && labels["a tenth smaller"] && labels["one shell less"])
	require.Equal(t, 204, h.approve(v, bowline).code)
	assert.InDelta(t, thick.Full.Seconds, h.job(id).Run.Seconds, 1e-6, "the promise")
	assert.Equal(t, 409, h.call("DELETE", fmt.Sprintf("/slices/%d", plain.ID), nil).code, "it is over")
	h.signIn("oskar")
	assert.Equal(t, 404, h.call("GET", fmt.Sprintf("/slices/%d/gcode", plain.ID), nil).code, "not his")
}

// Overhangs is told; a mark made of a region's corners keeps support out there,
// with its reason and who gave it, in this slice and in those made from it, though
// they are smaller.
func TestSupportByHandHasAReason(t *testing.T) {
	h := open(t)
	stool := solid.Box(6, 6, 10).Transformed(1, mesh.Vec3{X: 12, Y: 12})
	stool.Append(solid.Box(30, 30, 2).Transformed(1, mesh.Vec3{Z: 10}))
	var b bytes.Buffer
	require.NoError(t, modelfile.WriteSTL(&b, stool, ""))
	h.signIn("cato")
	v := h.job(h.handIn(b.Bytes(), "stool.stl", nil))
	piece, bowline := v.PieceSet[0].ID, h.machine("Bowline")
	order := func(marks ...map[string]any) answer {
		return h.call("POST", fmt.Sprintf("/pieces/%d/slices", piece), map[string]any{"machine_id": bowline, "overrides": []any{}, "marks": append([]map[string]any{}, marks...)})
	}
	sliced := func(a answer) desk.SliceView {
		require.Equal(t, 201, a.code, "%s", a.body)
		var made struct{ ID int64 }
		a.into(t, &made)
		s := h.slice(piece, made.ID)
		require.Equal(t, "done", s.State, s.Error)
		return s
	}
	plain := sliced(order())
	require.Len(t, plain.Regions, 1)
	assert.True(t, plain.Regions[0].Carried)
	assert.Contains(t, plain.Regions[0].Why, "lies flat over nothing at 10.")
	corners := plain.Regions[0].CornersMM
	assert.Equal(t, 422, order(map[string]any{"corners_mm": corners, "put_in": false, "why": ""}).code)
	assert.Equal(t, 422, order(map[string]any{"corners_mm": corners, "put_in": false, "why": "  "}).code)
	assert.Equal(t, 422, order(map[string]any{"corners_mm": corners[:2], "put_in": false, "why": "x"}).code)
	kept := sliced(order(map[string]any{"corners_mm": corners, "put_in": false, "why": "a stool stands on its head"}))
	assert.Zero(t, kept.Full.GramsSupport)
	assert.Equal(t, "Kept out by hand: a stool stands on its head (Cato Lindgard)", kept.Regions[0].Why)
	require.Len(t, kept.Marks, 1)
	assert.Equal(t, "Cato Lindgard", kept.Marks[0].Who)
	history := ""
	for _, x := range h.job(v.ID).History {
		history += x.What + " " + x.Why + "\n"
	}
	assert.Contains(t, history, "support kept out: a stool stands on its head")
	var made struct{ IDs []int64 }
	h.call("POST", fmt.Sprintf("/slices/%d/savings", kept.ID), nil).into(t, &made)
	for _, id := range made.IDs {
		if x := h.slice(piece, id); x.Label == "a tenth smaller" {
			require.Len(t, x.Regions, 1)
			assert.Equal(t, "Kept out by hand: a stool stands on its head (Cato Lindgard)", x.Regions[0].Why)
		}
	}
}

// A steward's texts: file names by the house's pattern, blocks by the machine's;
// what cannot be filled is refused beside its field.
func TestTheHouseNamesItsFilesAndBlocks(t *testing.T) {
	h := open(t)
	h.signIn("tess")
	var house desk.HouseView
	h.call("GET", "/house", nil).into(t, &house)
	set := func(pattern string) answer {
		house.House.FilePattern = pattern
		return h.call("PUT", "/house", house.House)
	}
	a := set("{colour}")
	assert.Equal(t, 422, a.code)
	assert.Contains(t, string(a.body), "{last_name}")
	require.Equal(t, 204, set("{part}-{minutes}-{layers}").code)
	for _, m := range house.Machines {
		if m.Data.Name != "Bowline" {
			continue
		}
		m.Data.Dialect.Start = "G28 {everything}"
		a := h.call("PUT", fmt.Sprintf("/machines/%d", m.ID), m)
		assert.Equal(t, 422, a.code)
		assert.Contains(t, string(a.body), "dialect.start")
		m.Data.Dialect.Start = "G28\nM109 S{first_nozzle_c} ; {machine} is ready for {layers} layers"
		require.Equal(t, 204, h.call("PUT", fmt.Sprintf("/machines/%d", m.ID), m).code)
		m.Version++
		m.Data.Second.Material = "Brass"
		assert.Equal(t, 422, h.call("PUT", fmt.Sprintf("/machines/%d", m.ID), m).code)
	}
	v := h.job(h.handIn(stl(t, "oarlock-bushing"), "bushing.stl", nil))
	piece := v.PieceSet[0].ID
	a = h.call("POST", fmt.Sprintf("/pieces/%d/slices", piece), map[string]any{"machine_id": h.machine("Bowline"),
		"overrides": []map[string]any{}})
	require.Equal(t, 201, a.code, "%s", a.body)
	var made struct{ ID int64 }
	a.into(t, &made)
	s := h.slice(piece, made.ID)
	require.Equal(t, "done", s.State, s.Error)
	a = h.call("GET", fmt.Sprintf("/slices/%d/gcode", s.ID), nil)
	assert.Regexp(t, fmt.Sprintf(`filename=bushing-\d\d-%d\.gcode`, s.Full.Layers), a.head.Get("Content-Disposition"))
	assert.Contains(t, string(a.body), fmt.Sprintf("; Bowline is ready for %d layers\n", s.Full.Layers))
	assert.True(t, strings.HasSuffix(string(a.body), "\nM104 S0\nM140 S0\n"), "heat goes off")
}

func TestASliceCanBeCancelled(t *testing.T) {
	h := open(t)
	h.signIn("cato")
	var b bytes.Buffer
	require.NoError(t, modelfile.WriteSTL(&b, solid.Torus(60, 25, 200, 100), ""))
	v := h.job(h.handIn(b.Bytes(), "ring.stl", nil))
	piece := v.PieceSet[0].ID
	a := h.call("POST", fmt.Sprintf("/pieces/%d/slices", piece), map[string]any{"machine_id": h.machine("Bowline"), "overrides": []any{}})
	require.Equal(t, 201, a.code, "%s", a.body)
	var made struct{ ID int64 }
	a.into(t, &made)
	require.Equal(t, 204, h.call("DELETE", fmt.Sprintf("/slices/%d", made.ID), nil).code)
	assert.Equal(t, "cancelled", h.slice(piece, made.ID).State)
	assert.Equal(t, 404, h.call("GET", fmt.Sprintf("/slices/%d/layers", made.ID), nil).code)
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

// Every command that names the version it has seen is refused where that one is over.
func TestStaleVersionsAreRefusedOverTheLine(t *testing.T) {
	h := open(t)
	h.signIn("cato")
	h.work()
	id := h.handIn(stl(t, "bollard"), "a.stl", nil)
	v := h.job(id)
	piece := v.PieceSet[0].ID
	asked := 0
	for path, item := range h.api.OpenAPI().Paths {
		for method, body := range map[string]map[string]any{"POST": {"reason": "no", "steps": []string{"weld"}}, "PUT": {"copies": 2}} {
			op := map[string]*huma.Operation{"POST": item.Post, "PUT": item.Put}[method]
			if op == nil || !strings.Contains(path, "{id}") || !strings.HasPrefix(path, "/jobs/") && !strings.HasPrefix(path, "/pieces/") || op.RequestBody == nil {
				continue
			}
			schema := op.RequestBody.Content["application/json"].Schema
			if schema.Ref != "" {
				schema = h.api.OpenAPI().Components.Schemas.SchemaFromRef(schema.Ref)
			}
			if schema.Properties["version"] == nil {
				continue
			}
			send := map[string]any{"version": v.Version + 7}
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
	assert.Equal(t, v.Version, h.job(id).Version)
}
