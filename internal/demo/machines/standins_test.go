package machines

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"image/png"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/stored"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/standin"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// demoHouse is the demo house some minutes after it was set up, and its coordinator.
func demoHouse(t *testing.T) (*desk.Desk, desk.Actor) {
	s, err := store.Open(t.Context(), pgtest.RestoredURL(t, "../../desk/testdata/demo.sql.gz"))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	require.NoError(t, s.Migrate(t.Context()))
	p, err := s.PersonByLogin(t.Context(), "cato")
	require.NoError(t, err)
	at := time.Date(2026, 11, 28, 9, 40, 0, 0, time.UTC)
	return &desk.Desk{Store: s, Queue: &desktest.Queue{}, Now: func() time.Time { return at }}, desk.ActorOf(p)
}

// Each machine that lays filament has a line and a camera of its own, and is in the middle of the run that is on it: warm,
// its file open where the run is by the house's clock, with something on its bed.
func TestStandInsAreInTheMiddle(t *testing.T) {
	d, cato := demoHouse(t)
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	// The dump is without programs.
	program := "G90\nM83\nM140 S60\nM104 S200\nG28\nM190 S60\nM109 S200\n"
	for k := range 900 {
		program += fmt.Sprintf("G1 Z%.1f F600\nG1 X60 Y20 E3 F1200\nG1 X20 Y60 E3\n", 0.2*float64(k+1))
	}
	blob, err := d.Store.PutBlob(ctx, strings.NewReader(program))
	require.NoError(t, err)
	_, err = d.Store.Pool.Exec(ctx, `UPDATE run SET gcode_id = $1 WHERE gcode_id IS NOT NULL`, blob.ID)
	require.NoError(t, err)
	before, err := d.Store.Machines(ctx)
	require.NoError(t, err)
	require.NoError(t, StandIns(ctx, d, cato, 1e-6))
	all, err := d.Store.Machines(ctx)
	require.NoError(t, err)
	lines, printing := map[string]bool{}, 0
	for k, m := range all {
		name := m.Data.Name
		if m.Data.Process != machine.MaterialExtrusion || !m.Data.InService {
			assert.Equal(t, before[k].Data, m.Data, name)
			continue
		}
		assert.False(t, lines[m.Data.Line], "%s has a line of its own", name)
		lines[m.Data.Line] = true
		dial, err := new(net.Dialer).DialContext(ctx, "tcp", m.Data.Line)
		require.NoError(t, err)
		hears := bufio.NewScanner(dial)
		ask := func(what string) string {
			_, err := fmt.Fprintln(dial, what)
			require.NoError(t, err)
			said := ""
			for hears.Scan() {
				if strings.HasPrefix(hears.Text(), "ok") {
					return said + hears.Text()
				}
				said += hears.Text() + "\n"
			}
			t.Fatal(name + " has ended")
			return ""
		}
		file, heat, how := ask("M27 C"), ask("M105"), ask("M27")
		_ = dial.Close()
		got, err := http.Get(m.Data.Camera) //nolint:noctx // it answers at once
		require.NoError(t, err)
		picture, err := io.ReadAll(got.Body)
		require.NoError(t, err)
		_ = got.Body.Close()
		img, err := png.Decode(bytes.NewReader(picture))
		require.NoError(t, err)
		laid := 0
		for y := range img.Bounds().Dy() {
			for x := range img.Bounds().Dx() {
				if r, _, _, _ := img.At(x, y).RGBA(); r>>8 != 40 {
					laid++
				}
			}
		}
		r, err := d.Store.RunOn(ctx, m.ID)
		if err != nil || r.GCodeID == nil || r.StartedAt == nil {
			assert.Contains(t, how, "Not SD printing", name)
			assert.Zero(t, laid, name)
			continue
		}
		printing++
		text, err := io.ReadAll(d.Store.BlobReader(ctx, *r.GCodeID))
		require.NoError(t, err)
		prog, err := stored.Of(ctx, text, m.Data.Motion.Limits())
		require.NoError(t, err)
		var at, of int64
		_, err = fmt.Sscanf(how[strings.Index(how, "byte "):], "byte %d/%d", &at, &of)
		require.NoError(t, err, how)
		assert.Contains(t, file, stored.Name(r.ID), name)
		assert.Equal(t, prog.Bytes, of, name)
		_, share := prog.At(at)
		gone := d.Now().Sub(*r.StartedAt).Seconds() - (r.Seconds - prog.Laying)
		assert.InDelta(t, min(0.97, max(0.002, gone/prog.Laying)), share, 0.01, name)
		assert.Contains(t, heat, "T:200.00 /200.00 B:60.00 /60.00", name)
		assert.Greater(t, laid, 100, name)
	}
	assert.GreaterOrEqual(t, printing, 2)
}

// What lies on a bed is taken off once somebody has said that it is clear, and not before; nor where nothing was to be cleared.
func TestHandsTakeOffWhatIsCleared(t *testing.T) {
	d, cato := demoHouse(t)
	_, err := d.Store.Pool.Exec(t.Context(), `UPDATE run SET state = 'off the machine' WHERE machine_id = 2 AND started_at IS NOT NULL`)
	require.NoError(t, err)
	left, err := d.Store.AllToClear(t.Context())
	require.NoError(t, err)
	require.NotEmpty(t, left)
	full := left[0].MachineID
	empty := full%3 + 1
	bed := func(s *standin.Server) (picture string) {
		s.Do(func(p *standin.Printer) {
			var b bytes.Buffer
			require.NoError(t, p.Picture(&b))
			picture = b.String()
		})
		return picture
	}
	serve := func() *standin.Server {
		s := &standin.Server{Printer: standin.New(&machine.Machine{Volume: machine.Volume{Shape: machine.Rectangle, XMM: 100, YMM: 100, ZMM: 100}, NozzlesMM: []float64{0.4}}, standin.Options{})}
		s.Do(func(p *standin.Printer) { require.NoError(t, p.Fail("uncleared")) })
		return s
	}
	was := bed(serve())
	for _, id := range []int64{full, empty} {
		s := serve()
		ctx, cancel := context.WithTimeout(t.Context(), 100*time.Millisecond)
		hands(ctx, d, s, id)
		cancel()
		assert.Equal(t, was, bed(s), "machine %d", id)
	}
	s := serve()
	ctx, cancel := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { defer close(done); hands(ctx, d, s, full) }()
	time.Sleep(100 * time.Millisecond) // it has seen the bed full
	assert.Equal(t, was, bed(s))
	require.NoError(t, runs.Clear(ctx, d, cato, full))
	require.Eventually(t, func() bool { return bed(s) != was }, 20*time.Second, 50*time.Millisecond)
	cancel()
	<-done
}
