// Package pgcluster runs a private PostgreSQL server from Debian's packages, on
// loopback, in a directory of its own. The demo and the tests use it; a house
// that has a server gives its address instead.
package pgcluster

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Options say where and how. Dir must be a directory that the server's user can
// enter; it is made if it is missing.
type Options struct {
	Dir string
	// Volatile gives up safety against a crash of the machine for speed: for
	// tests only.
	Volatile bool
}

// Cluster is a running server.
type Cluster struct {
	dir     string
	port    int
	started bool // by us, so that Stop ends it
}

// ErrMissing is returned when the server's programs are not installed.
var ErrMissing = errors.New("PostgreSQL is not installed: run `apt-get install postgresql` as root")

// URL is the address of a database in the cluster.
func (c *Cluster) URL(database string) string {
	return fmt.Sprintf("postgres://jobshelf@127.0.0.1:%d/%s?sslmode=disable", c.port, database)
}

// Start brings up the cluster in o.Dir, making it on first use, and takes over
// one that already runs there.
func Start(ctx context.Context, o Options) (*Cluster, error) {
	bin, err := binDir()
	if err != nil {
		return nil, err
	}
	c := &Cluster{dir: o.Dir}
	if err := c.prepare(); err != nil {
		return nil, err
	}
	data := filepath.Join(o.Dir, "data")
	if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err != nil {
		if _, err := c.run(ctx, filepath.Join(bin, "initdb"), "-D", data, "-U", "jobshelf", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8", "-N"); err != nil {
			return nil, fmt.Errorf("make the database cluster: %w", err)
		}
	}
	for tries := 0; ; tries++ {
		if _, err := c.run(ctx, filepath.Join(bin, "pg_ctl"), "status", "-D", data); err != nil {
			break // none runs
		}
		port, ready, err := running(data)
		if err == nil && ready {
			c.port = port
			return c, nil
		}
		// It is on its way up, or down after the house was closed a moment ago.
		if tries == 300 {
			return nil, fmt.Errorf("the database server in %s neither comes up nor ends: end it, then try again", o.Dir)
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
	if c.port, err = freePort(); err != nil {
		return nil, err
	}
	settings := []string{"-p", strconv.Itoa(c.port), "-k", o.Dir, "-c", "listen_addresses=127.0.0.1", "-c", "max_connections=200"}
	if o.Volatile {
		settings = append(settings, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off")
	}
	if out, err := c.run(ctx, filepath.Join(bin, "pg_ctl"), "-D", data, "-l", filepath.Join(o.Dir, "server.log"), "-w", "-t", "60", "-o", strings.Join(settings, " "), "start"); err != nil {
		return nil, fmt.Errorf("start the database server: %w\n%s", err, out)
	}
	c.started = true
	return c, nil
}

// Stop ends the server if Start began it.
func (c *Cluster) Stop() error {
	if !c.started {
		return nil
	}
	bin, err := binDir()
	if err != nil {
		return err
	}
	_, err = c.run(context.Background(), filepath.Join(bin, "pg_ctl"), "-D", filepath.Join(c.dir, "data"), "-m", "fast", "-w", "stop")
	return err
}

func binDir() (string, error) {
	dirs, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if len(dirs) == 0 {
		return "", ErrMissing
	}
	slices.Sort(dirs)
	return filepath.Dir(dirs[len(dirs)-1]), nil
}

// prepare makes the directory and, for root, gives it to the server's user:
// the server refuses to run as root.
func (c *Cluster) prepare() error {
	if err := os.MkdirAll(c.dir, 0o700); err != nil {
		return fmt.Errorf("make the database directory: %w", err)
	}
	if os.Geteuid() != 0 {
		return nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return ErrMissing
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	return os.Chown(c.dir, uid, gid)
}

// run starts a program of the server's. Its own output goes to a file of its
// own where it stays behind (pg_ctl start), so that waiting ends.
func (c *Cluster) run(ctx context.Context, name string, args ...string) (string, error) {
	if os.Geteuid() == 0 {
		args = append([]string{"--reuid=postgres", "--regid=postgres", "--init-groups", "--inh-caps=-all", "env", "-u", "PGDATA", "HOME=/tmp", name}, args...)
		name = "setpriv"
	}
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.Dir = "/"
	log, err := os.CreateTemp("", "jobshelf-pg-*.log")
	if err != nil {
		return "", fmt.Errorf("database output: %w", err)
	}
	defer os.Remove(log.Name())
	defer log.Close()
	cmd.Stdout, cmd.Stderr = log, log
	err = cmd.Run()
	out, _ := os.ReadFile(log.Name())
	return string(out), err
}

// running reads the port of the server that runs, and whether it takes connections.
func running(data string) (port int, ready bool, err error) {
	pid, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	if err != nil {
		return 0, false, fmt.Errorf("find the running database server: %w", err)
	}
	lines := strings.Split(string(pid), "\n")
	if len(lines) < 8 {
		return 0, false, errors.New("find the running database server: postmaster.pid is short")
	}
	port, err = strconv.Atoi(lines[3])
	return port, strings.TrimSpace(lines[7]) == "ready", err
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("find a free port: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}
