package bench

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/people"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
	"jobshelf/internal/work"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// The load of a busy house: open and done jobs, readers a second, and browsers that
// watch. loadFor is how long.
const (
	openJobs, doneJobs = 1_000, 10_000
	readsPerS, streams = 200, 20
	loadFor            = 45 * time.Second
)

// fullHouse is a database with a house of that many jobs: some are handed in and
// checked for real, the rest are copies of their rows.
func fullHouse(b *testing.B) string {
	b.Helper()
	ctx := context.Background()
	url := pgtest.URL(b)
	s, err := store.Open(ctx, url)
	require.NoError(b, err)
	defer s.Close()
	_, err = demo.SetUp(ctx, s)
	require.NoError(b, err)
	q, err := work.NewQueue(s)
	require.NoError(b, err)
	d := &desk.Desk{Store: s, Queue: q, Now: time.Now}
	w, err := work.Start(ctx, s, d, work.Options{Log: slog.New(slog.DiscardHandler)})
	require.NoError(b, err)
	cato, err := people.Named(ctx, d, "cato")
	require.NoError(b, err)
	var ids []int64
	for _, p := range solid.Parts() {
		var file bytes.Buffer
		require.NoError(b, modelfile.WriteSTL(&file, p.Mesh, ""))
		up, _, err := intake.Upload(ctx, d, cato, p.Name+".stl", &file)
		require.NoError(b, err)
		id, err := intake.NewJob(ctx, d, cato, intake.HandIn{Purpose: recipe.Everyday, NeededBy: time.Now().Format(time.DateOnly), Pieces: []intake.HandInPiece{{UploadID: up, Copies: 2}}})
		require.NoError(b, err)
		ids = append(ids, id)
	}
	for _, id := range ids {
		for {
			v, err := decide.Job(ctx, d, cato, id)
			require.NoError(b, err)
			if v.Check.State != "queued" && v.Check.State != "running" {
				break
			}
			time.Sleep(20 * time.Millisecond)
		}
	}
	require.NoError(b, w.Stop(ctx))
	for _, sql := range []string{
		`CREATE TEMP TABLE made AS SELECT row_number() OVER (ORDER BY id) - 1 AS k, id FROM job`,
		fmt.Sprintf(`CREATE TEMP TABLE more AS SELECT nextval(pg_get_serial_sequence('job', 'id')) AS id, nextval(pg_get_serial_sequence('piece', 'id')) AS piece, g AS n,
			(SELECT id FROM made WHERE k = g %% (SELECT count(*) FROM made)) AS of,
			CASE WHEN g < %d THEN CASE g %% 20 WHEN 0 THEN 'approved' WHEN 1 THEN 'finishing' ELSE 'to decide' END ELSE 'fetched' END AS step FROM generate_series(0, %d) AS g`, openJobs-len(ids), openJobs-len(ids)+doneJobs-1),
		`INSERT INTO job (id, title, member_id, purpose, wish, needed_by, step, created_at) OVERRIDING SYSTEM VALUE
			SELECT m.id, j.title || ' ' || m.n, (SELECT id FROM person ORDER BY id OFFSET m.n % 9 LIMIT 1), j.purpose, j.wish, j.needed_by, m.step, j.created_at FROM more m JOIN job j ON j.id = m.of`,
		`INSERT INTO task (job_id, state, fraction, tries) SELECT id, 'done', 1, 1 FROM more`,
		`INSERT INTO piece (id, job_id, position, name, copies, part) OVERRIDING SYSTEM VALUE SELECT m.piece, m.id, 1, p.name, 1 + m.n % 3, p.part FROM more m JOIN piece p ON p.job_id = m.of AND p.position = 1`,
		`INSERT INTO version (piece_id, n, blob_id, verdict, evidence, picture, view_id, judgement)
			SELECT m.piece, 1, v.blob_id, v.verdict, v.evidence, v.picture, v.view_id, nextval('judgement') FROM more m JOIN piece p ON p.job_id = m.of AND p.position = 1 JOIN version v ON v.piece_id = p.id`,
		`INSERT INTO history (job_id, person_id, what, why) SELECT m.id, 1, h.what, h.why FROM more m JOIN history h ON h.job_id = m.of`,
		`INSERT INTO history (job_id, person_id, what, why) SELECT m.id, 1, 'Something else', 'as it goes' FROM more m, generate_series(1, 6)`,
		`INSERT INTO run (job_id, machine_id, position, recipe, material, colour, seconds, grams, price_cents, state, started_at)
			SELECT id, 1 + n % 4, n, 'everyday', 'PLA', '#2F6DA8', 3600, 20, 250, CASE step WHEN 'approved' THEN 'queued' ELSE 'finished' END, now() FROM more WHERE step <> 'to decide'`,
		// Every other job that is done was sliced, and its slice counts, with a figure for each layer.
		`INSERT INTO slice (piece_id, version, machine_id, chosen, state, full_estimate) SELECT piece, 1, 1 + n % 4, true, 'done', jsonb_build_object('seconds', 3000, 'price_cents', 200, 'by_layer',
			(SELECT jsonb_agg(jsonb_build_object('top_mm', k * 0.2, 'seconds', 12.5, 'grams', 0.25)) FROM generate_series(1, 300) AS k)) FROM more WHERE n % 2 = 0`,
		`ANALYZE`,
	} {
		_, err := s.Pool.Exec(ctx, sql)
		require.NoError(b, err, sql)
	}
	return url
}

// BenchmarkLoad reads from a full house at a steady rate, half of it one job or
// another, a quarter each the shelf and the floor, while browsers watch and something
// changes every second. It tells the times an answer took from when it was due, and
// the memory of the server, and how long each answer takes at rest after a change.
func BenchmarkLoad(b *testing.B) {
	if testing.Short() {
		b.Skip("takes a minute")
	}
	url := fullHouse(b)
	dir := b.TempDir()
	program := filepath.Join(dir, "jobshelf")
	out, err := exec.Command("go", "build", "-o", program, "jobshelf/cmd/jobshelf").CombinedOutput()
	require.NoError(b, err, "%s", out)
	server := exec.Command(program, "serve", "--listen", "127.0.0.1:0", "--no-work", "--database", url)
	server.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM}
	server.Stderr = os.Stderr
	said, err := server.StdoutPipe()
	require.NoError(b, err)
	require.NoError(b, server.Start())
	defer func() {
		_ = server.Process.Signal(syscall.SIGTERM)
		_ = server.Wait()
	}()
	line, err := bufio.NewReader(said).ReadString('\n')
	require.NoError(b, err)
	at := strings.TrimSpace(line[strings.Index(line, "http"):]) + "/api"
	r, err := http.Post(at+"/session", "application/json", strings.NewReader(`{"login": "cato", "password": "`+demo.Password+`"}`))
	require.NoError(b, err)
	require.Equal(b, 200, r.StatusCode)
	session := r.Cookies()[0]
	for _, c := range r.Cookies() {
		if c.Name == "jobshelf" {
			session = c
		}
	}
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 200}}
	get := func(path, tag string) (int, string, int64, error) {
		req, err := http.NewRequest("GET", at+path, nil)
		if err != nil {
			return 0, "", 0, err
		}
		req.AddCookie(session)
		req.Header.Set("Accept-Encoding", "gzip")
		if tag != "" {
			req.Header.Set("If-None-Match", tag)
		}
		r, err := client.Do(req)
		if err != nil {
			return 0, "", 0, err
		}
		defer r.Body.Close()
		n, err := io.Copy(io.Discard, r.Body)
		return r.StatusCode, r.Header.Get("ETag"), n, err
	}
	s, err := store.Open(context.Background(), url)
	require.NoError(b, err)
	defer s.Close()
	change := func() {
		_, err := s.Pool.Exec(context.Background(), `UPDATE job SET wish = wish || '.' WHERE id = (SELECT min(id) FROM job)`)
		require.NoError(b, err)
	}
	job := func() string { return fmt.Sprintf("/jobs/%d", 20+rand.IntN(openJobs-40)) }
	for name, path := range map[string]func() string{"shelf": func() string { return "/jobs" }, "floor": func() string { return "/floor" }, "job": job} {
		var times []time.Duration
		for range 21 {
			change()
			began := time.Now()
			code, _, _, err := get(path(), "")
			require.NoError(b, err)
			require.Equal(b, 200, code)
			times = append(times, time.Since(began))
		}
		slices.Sort(times)
		b.ReportMetric(float64(times[len(times)/2].Microseconds())/1000, name+"-at-rest-ms")
	}

	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	for range streams {
		req, err := http.NewRequestWithContext(ctx, "GET", at+"/events", nil)
		require.NoError(b, err)
		req.AddCookie(session)
		r, err := http.DefaultClient.Do(req)
		require.NoError(b, err)
		require.Equal(b, 200, r.StatusCode)
		go func() { _, _ = io.Copy(io.Discard, r.Body) }()
	}
	var mu sync.Mutex
	var times []time.Duration
	var failed, unchanged, received atomic.Int64
	tags := sync.Map{}
	var all sync.WaitGroup
	began := time.Now()
	total := int(loadFor.Seconds()) * readsPerS
	for i := range total {
		due := began.Add(time.Duration(i) * time.Second / readsPerS)
		time.Sleep(time.Until(due))
		if i%readsPerS == 0 {
			change()
		}
		path := job()
		switch i % 4 {
		case 1:
			path = "/jobs"
		case 3:
			path = "/floor"
		}
		all.Add(1)
		go func() {
			defer all.Done()
			tag := ""
			if i%8 < 4 { // half of the readers know what they had
				if t, ok := tags.Load(path); ok {
					tag = t.(string)
				}
			}
			code, got, n, err := get(path, tag)
			took := time.Since(due)
			switch {
			case err != nil || code != 200 && code != 304:
				failed.Add(1)
			case code == 304:
				unchanged.Add(1)
			default:
				tags.Store(path, got)
			}
			received.Add(n)
			mu.Lock()
			times = append(times, took)
			mu.Unlock()
		}()
	}
	all.Wait()
	slices.Sort(times)
	for _, p := range []int{50, 95, 99} {
		b.ReportMetric(float64(times[len(times)*p/100].Microseconds())/1000, fmt.Sprintf("p%d-ms", p))
	}
	b.ReportMetric(float64(failed.Load()), "errors")
	b.ReportMetric(100*float64(unchanged.Load())/float64(total), "%-unchanged")
	b.ReportMetric(float64(received.Load())/1e6, "MB-sent")
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", server.Process.Pid))
	require.NoError(b, err)
	for _, l := range strings.Split(string(status), "\n") {
		if f := strings.Fields(l); len(f) > 1 && f[0] == "VmHWM:" {
			kb, err := strconv.ParseFloat(f[1], 64)
			require.NoError(b, err)
			b.ReportMetric(kb/1000, "MB-peak")
		}
	}
}
