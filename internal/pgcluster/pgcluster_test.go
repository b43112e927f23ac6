package pgcluster

import (
	"bufio"
	"context"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var ctx = context.Background()

func place(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("/var/tmp", "jobshelf-cluster-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	return dir + "/pg"
}

// A house that is opened while its database is still going down gets a database
// that answers; each start has a password of its own, and nobody gets in without.
func TestOpenedWhileItCloses(t *testing.T) {
	o := Options{Dir: place(t), Volatile: true}
	c, err := Start(ctx, o)
	require.NoError(t, err)
	for range 3 {
		conn, err := pgx.Connect(ctx, c.URL("postgres"))
		require.NoError(t, err)
		_, err = conn.Exec(ctx, `CREATE TABLE IF NOT EXISTS kept (); CREATE TABLE IF NOT EXISTS too ()`)
		require.NoError(t, err)
		gone := make(chan error)
		go func(c *Cluster) { gone <- c.Stop() }(c)
		next, err := Start(ctx, o)
		require.NoError(t, err)
		require.NoError(t, <-gone)
		assert.Error(t, conn.Ping(ctx), "the one before is gone")
		assert.NotEqual(t, c.password, next.password)
		c = next
	}
	conn, err := pgx.Connect(ctx, c.URL("postgres"))
	require.NoError(t, err)
	_, err = conn.Exec(ctx, `SELECT FROM kept`)
	require.NoError(t, err, "what was in it is in it")
	require.NoError(t, conn.Close(ctx))
	_, err = pgx.Connect(ctx, strings.Replace(c.URL("postgres"), c.password, "guess", 1))
	assert.ErrorContains(t, err, "password authentication failed")
	_, err = os.Stat(c.passwordFile())
	assert.True(t, os.IsNotExist(err), "it stands nowhere")
	require.NoError(t, c.own(c.passwordFile(), "x"))
	file, err := os.Stat(c.passwordFile())
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), file.Mode().Perm(), "while it does, nobody else reads it")
	require.NoError(t, c.Stop())
}

// One directory is one process's; a second is told, and the first goes on.
func TestADirectoryIsUsedOnce(t *testing.T) {
	o := Options{Dir: place(t), Volatile: true}
	c, err := Start(ctx, o)
	require.NoError(t, err)
	_, err = Start(ctx, o)
	assert.ErrorIs(t, err, ErrInUse)
	conn, err := pgx.Connect(ctx, c.URL("postgres"))
	require.NoError(t, err)
	require.NoError(t, conn.Close(ctx))
	require.NoError(t, c.Stop())
}

// A process that is killed leaves no server running. The test runs itself as that
// process.
func TestAKilledProcessLeavesNoServer(t *testing.T) {
	if dir := os.Getenv("JOBSHELF_TEST_CLUSTER"); dir != "" {
		c, err := Start(ctx, Options{Dir: dir, Volatile: true})
		require.NoError(t, err)
		os.Stdout.WriteString("up " + c.URL("postgres") + "\n")
		select {}
	}
	dir := place(t)
	cmd := exec.Command(os.Args[0], "-test.run", "^TestAKilledProcessLeavesNoServer$")
	cmd.Env = append(os.Environ(), "JOBSHELF_TEST_CLUSTER="+dir)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	address := ""
	for lines := bufio.NewScanner(out); lines.Scan(); {
		if url, ok := strings.CutPrefix(lines.Text(), "up "); ok {
			address = url
			break
		}
	}
	require.NotEmpty(t, address)
	conn, err := pgx.Connect(ctx, address)
	require.NoError(t, err)
	require.NoError(t, cmd.Process.Kill())
	_ = cmd.Wait()
	for end := time.Now().Add(30 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		if conn.Ping(ctx) != nil {
			if _, err := pgx.Connect(ctx, address); err != nil {
				break
			}
		}
		require.True(t, time.Now().Before(end), "the server goes on without its process")
	}
	c, err := Start(ctx, Options{Dir: dir, Volatile: true}) // and the next one starts
	require.NoError(t, err)
	require.NoError(t, c.Stop())
}
