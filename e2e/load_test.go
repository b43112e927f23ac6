package e2e

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"jobshelf/internal/standin"
	"jobshelf/internal/store"
)

// residentMB is how much memory a process holds.
func residentMB(t testing.TB, pid int) float64 {
	t.Helper()
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	require.NoError(t, err)
	for line := range strings.Lines(string(b)) {
		var kb float64
		if n, _ := fmt.Sscanf(line, "VmRSS: %f kB", &kb); n == 1 {
			return kb / 1024
		}
	}
	t.Fatal("no resident memory")
	return 0
}

// BenchmarkTwelveMachines has twelve machines tell what they do to twenty browsers for half a minute: how long from the
// writing down of it to each browser, how long from what happens at a machine to each browser, and how much memory the
// server holds.
func BenchmarkTwelveMachines(b *testing.B) {
	const machines, browsers = 12, 20
	lasts := 30 * time.Second
	if testing.Short() {
		lasts = 5 * time.Second
	}
	url := house(b)
	s, err := store.Open(ctx, url)
	require.NoError(b, err)
	defer s.Close()
	all, err := s.Machines(ctx)
	require.NoError(b, err)
	own, stop := context.WithCancel(ctx)
	defer stop()
	served := map[int64]*standin.Server{}
	for k := range machines {
		m := all[0]
		m.Data.Name = fmt.Sprintf("Machine %d", k)
		l, err := new(net.ListenConfig).Listen(ctx, "tcp", "127.0.0.1:0")
		require.NoError(b, err)
		m.Data.Line = l.Addr().String()
		id, err := s.AddMachine(ctx, m.Data)
		require.NoError(b, err)
		p := standin.New(&m.Data, standin.Options{})
		p.Begin("R999.GCO", []byte("M83\nM140 S60\nM104 S200\n"+strings.Repeat("G1 X10 E1 F600\nG1 X100 E1\n", 20_000)), 100)
		served[id] = &standin.Server{Printer: p, Speed: 1}
		go served[id].Serve(own, l)
	}
	server := serve(b, url)
	var mu sync.Mutex
	var told, happened []time.Duration
	heard := map[int64]int{}
	begun := map[int64]time.Time{}
	var listening sync.WaitGroup
	for range browsers {
		c := signIn(b, server.base, "cato")
		c.http.Timeout = 0
		r, err := c.http.Do(must(http.NewRequestWithContext(own, http.MethodGet, c.base+"/events", nil)))
		require.NoError(b, err)
		listening.Go(func() {
			defer r.Body.Close()
			waited := map[int64]bool{}
			for lines := bufio.NewScanner(r.Body); lines.Scan(); {
				data, ok := strings.CutPrefix(lines.Text(), "data: ")
				var x struct {
					Machine int64
					Says    struct {
						At    time.Time
						Waits string
					}
				}
				if !ok || json.Unmarshal([]byte(data), &x) != nil || x.Machine == 0 {
					continue
				}
				mu.Lock()
				heard[x.Machine]++
				told = append(told, time.Since(x.Says.At))
				if at, ok := begun[x.Machine]; ok && x.Says.Waits != "" && !waited[x.Machine] {
					waited[x.Machine] = true
					happened = append(happened, time.Since(at))
				}
				mu.Unlock()
			}
		})
	}
	b.ResetTimer()
	time.Sleep(lasts - 4*time.Second)
	for id, x := range served {
		mu.Lock()
		begun[id] = time.Now()
		mu.Unlock()
		require.NoError(b, x.Fail("filament"))
		time.Sleep(200 * time.Millisecond)
	}
	time.Sleep(2 * time.Second)
	held := residentMB(b, server.cmd.Process.Pid)
	stop()
	listening.Wait()
	require.Len(b, heard, machines, "all are heard")
	require.Len(b, happened, machines*browsers, "by all")
	for what, d := range map[string][]time.Duration{"told": told, "happened": happened} {
		slices.Sort(d)
		b.ReportMetric(float64(d[len(d)/2].Microseconds())/1000, what+"-median-ms")
		b.ReportMetric(float64(d[len(d)-1].Microseconds())/1000, what+"-worst-ms")
	}
	b.ReportMetric(float64(len(told)), "updates")
	b.ReportMetric(held, "MB")
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}
