package pgcluster

import (
	"context"
	"os"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A house that is opened while its database is still going down gets a database
// that answers, whichever of both is quicker.
func TestOpenedWhileItCloses(t *testing.T) {
	ctx := context.Background()
	dir, err := os.MkdirTemp("/var/tmp", "jobshelf-cluster-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	o := Options{Dir: dir + "/pg", Volatile: true}
	c, err := Start(ctx, o)
	require.NoError(t, err)
	for range 4 {
		conn, err := pgx.Connect(ctx, c.URL("postgres"))
		require.NoError(t, err)
		gone := make(chan error)
		go func(c *Cluster) { gone <- c.Stop() }(c)
		next, err := Start(ctx, o)
		require.NoError(t, err)
		require.NoError(t, <-gone)
		if !next.started { // it took over before the end came
			next, err = Start(ctx, o)
			require.NoError(t, err)
		}
		assert.Error(t, conn.Ping(ctx), "the one before is gone")
		c = next
	}
	conn, err := pgx.Connect(ctx, c.URL("postgres"))
	require.NoError(t, err)
	require.NoError(t, conn.Ping(ctx))
	require.NoError(t, conn.Close(ctx))
	require.NoError(t, c.Stop())
}
