package drive_test

import (
	"bytes"
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shop/run"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/drive"
	"jobshelf/internal/pgcluster"
	"jobshelf/internal/store"
)

// A house is copied in the middle of a print, and restored into an empty cluster: the same jobs, the same bytes. It is another
// epoch; nobody drives its machines before somebody has looked; then the print, which went on meanwhile, is found and ends.
func TestAHouseIsRestoredFromACopy(t *testing.T) {
	t.Parallel()
	f := open(t, 100, program(160, ""))
	noticed := func(s *store.Store, anew bool) bool {
		t.Helper()
		is, err := s.NoticePlace(ctx, anew)
		require.NoError(t, err)
		return is
	}
	require.False(t, noticed(f.Store, false), "where it has always been")
	f.drives()
	f.start()
	f.reach(run.Printing)
	_, err := f.Store.Pool.Exec(ctx, `UPDATE device SET wants = '{"Heats":[]}'`) // asked for at the last moment
	require.NoError(t, err)

	begun := time.Now()
	dump := filepath.Join(t.TempDir(), "house.dump")
	tool := func(name string, args ...string) {
		out, err := exec.Command(name, args...).CombinedOutput() //nolint:gosec // Debian's own
		require.NoError(t, err, "%s: %s", name, out)
	}
	tool("pg_dump", "--format=custom", "--no-owner", "--file", dump, f.Store.Pool.Config().ConnString())
	took, size := time.Since(begun), func() int64 {
		s, err := os.Stat(dump)
		require.NoError(t, err)
		return s.Size()
	}()
	dir, err := os.MkdirTemp("/tmp", "jobshelf-test-")
	require.NoError(t, err)
	defer func() { _ = os.RemoveAll(dir) }()
	other, err := pgcluster.Start(ctx, pgcluster.Options{Dir: dir, Volatile: true})
	require.NoError(t, err)
	defer func() { assert.NoError(t, other.Stop()) }()
	admin, err := store.Open(ctx, other.URL("postgres"))
	require.NoError(t, err)
	require.NoError(t, admin.CreateDatabase(ctx, "house", ""))
	admin.Close()
	begun = time.Now()
	tool("pg_restore", "--no-owner", "--exit-on-error", "--dbname", other.URL("house"), dump)
	t.Logf("dump %d kB in %v, restored in %v", size/1000, took.Round(time.Millisecond), time.Since(begun).Round(time.Millisecond))
	s, err := store.Open(ctx, other.URL("house"))
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, s.Migrate(ctx))
	require.True(t, noticed(s, false))
	require.False(t, noticed(s, false), "once")
	d := &desk.Desk{Store: s, Queue: f.Desk.Queue, Now: f.Desk.Now}

	// The same jobs, and files.
	shown := func(d *desk.Desk) string {
		v, err := decide.Job(ctx, d, f.Cato, f.job)
		require.NoError(t, err)
		text, err := json.Marshal(v)
		require.NoError(t, err)
		return string(text)
	}
	assert.Contains(t, shown(d), `"state":"in production"`)
	type blob struct {
		ID  int64
		Sum string
	}
	sums := func(s *store.Store) (out []blob) {
		rows, err := s.Pool.Query(ctx, `SELECT blob_id, md5(string_agg(bytes, '' ORDER BY n)) FROM blob_chunk GROUP BY 1 ORDER BY 1`)
		require.NoError(t, err)
		defer rows.Close()
		for rows.Next() {
			var b blob
			require.NoError(t, rows.Scan(&b.ID, &b.Sum))
			out = append(out, b)
		}
		return out
	}
	assert.NotEmpty(t, sums(s))
	assert.Equal(t, sums(f.Store), sums(s), "to the byte")
	r, err := s.Run(ctx, f.run)
	require.NoError(t, err)
	was, err := io.ReadAll(f.Store.BlobReader(ctx, *r.GCodeID))
	require.NoError(t, err)
	is, err := io.ReadAll(s.BlobReader(ctx, *r.GCodeID))
	require.NoError(t, err)
	assert.True(t, bytes.Equal(was, is))

	// Nobody drives a machine of it, and what was asked of one is forgotten.
	e, err := s.Epoch(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 2, e.N)
	assert.False(t, e.Looked)
	x := drive.Start(ctx, d, drive.Options{Name: "restored", Lease: time.Second, Patience: hasty, Speed: f.speed})
	defer x.Stop()
	time.Sleep(1500 * time.Millisecond)
	all, err := s.Devices(ctx)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.False(t, all[0].Held)
	w, err := s.TakeWarmth(ctx, f.machine.ID, all[0].Fence)
	require.NoError(t, err)
	assert.Nil(t, w)

	// Somebody looks; the house of before is gone by then.
	_, err = f.Store.Pool.Exec(ctx, `UPDATE epoch SET looked_at = NULL`)
	require.NoError(t, err)
	_, err = f.Store.Pool.Exec(ctx, `UPDATE device SET until = '-infinity', owner = ''`)
	require.NoError(t, err)
	v, err := house.Read(ctx, d)
	require.NoError(t, err)
	assert.NotNil(t, v.Restored)
	require.NoError(t, house.Looked(ctx, d, f.Cato))
	require.Eventually(t, func() bool {
		r, err := s.Run(ctx, f.run)
		return err == nil && r.State == run.Cooling
	}, 90*time.Second, 100*time.Millisecond, "it is found, and ends")
	v, err = house.Read(ctx, d)
	require.NoError(t, err)
	assert.Nil(t, v.Restored)
	require.True(t, noticed(s, true), "of a copy of the cluster's files somebody says so")
}
