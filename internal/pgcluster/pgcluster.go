// Package pgcluster runs a private PostgreSQL server from Debian's packages, on
// loopback, in a directory of its own. The demo and the tests use it; a house
// that has a server gives its address instead.
//
// The server is a child of this process and ends with it, however this process
// ends: the kernel signals it when its parent is gone. Its directory belongs to one
// process at a time, by a lock on a file in it. It asks for a password, which is
// made anew for every start and is known to this process only.
package pgcluster

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
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
	dir      string
	port     int
	password string
	as       *syscall.SysProcAttr
	lock     *os.File
	server   *exec.Cmd
	ended    chan struct{} // closed when the server has
}

var (
	// ErrMissing is returned when the server's programs are not installed.
	ErrMissing = errors.New("PostgreSQL is not installed: run `apt-get install postgresql` as root")
	// ErrInUse is returned when another process uses the directory.
	ErrInUse = errors.New("the database directory is in use")
)

const superuser = "jobshelf"

// URL is the address of a database in the cluster.
func (c *Cluster) URL(database string) string {
	u := url.URL{Scheme: "postgres", User: url.UserPassword(superuser, c.password), Host: fmt.Sprintf("127.0.0.1:%d", c.port), Path: database, RawQuery: "sslmode=disable"}
	return u.String()
}

// Start brings up the cluster in o.Dir, making it on first use.
func Start(ctx context.Context, o Options) (_ *Cluster, err error) {
	bin, err := binDir()
	if err != nil {
		return nil, err
	}
	c := &Cluster{dir: o.Dir, password: rand.Text(), ended: make(chan struct{})}
	if err := c.prepare(ctx); err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			c.unlock()
		}
	}()
	data := filepath.Join(o.Dir, "data")
	if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err != nil {
		if out, err := c.run(ctx, filepath.Join(bin, "initdb"), "-D", data, "-U", superuser, "-A", "scram-sha-256", "--pwfile", c.passwordFile(), "-E", "UTF8", "--locale=C.UTF-8", "-N"); err != nil {
			return nil, fmt.Errorf("make the database cluster: %w\n%s", err, out)
		}
	} else if err := c.setPassword(ctx, bin, data); err != nil {
		return nil, err
	}
	_ = os.Remove(c.passwordFile()) // it has served
	if c.port, err = freePort(); err != nil {
		return nil, err
	}
	settings := []string{"-D", data, "-p", strconv.Itoa(c.port), "-k", "", "-c", "listen_addresses=127.0.0.1", "-c", "max_connections=200"}
	if o.Volatile {
		settings = append(settings, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off", "-c", "autovacuum=off", "-c", "max_wal_size=256MB") // which would be in a database that is being copied
	}
	if err := c.launch(filepath.Join(bin, "postgres"), settings); err != nil {
		return nil, err
	}
	if err := c.awaitReady(ctx); err != nil {
		return nil, errors.Join(err, c.Stop())
	}
	return c, nil
}

// launch starts the server from a thread that stays: the kernel's signal comes when
// the thread ends that started it.
func (c *Cluster) launch(name string, args []string) error {
	log, err := os.OpenFile(filepath.Join(c.dir, "server.log"), os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return fmt.Errorf("database log: %w", err)
	}
	defer log.Close()
	c.server = exec.Command(name, args...)
	c.server.Dir = "/"
	c.server.Env = c.env()
	c.server.Stdout, c.server.Stderr = log, log
	attr := *c.as
	attr.Pdeathsig = syscall.SIGINT // a fast shutdown
	attr.Setpgid = true             // Ctrl-C is for us; we end it
	c.server.SysProcAttr = &attr
	started := make(chan error)
	go func() {
		runtime.LockOSThread()
		err := c.server.Start()
		started <- err
		if err == nil {
			_ = c.server.Wait() // how it ended is in its log
		}
		close(c.ended)
	}()
	if err := <-started; err != nil {
		return fmt.Errorf("start the database server: %w", err)
	}
	return nil
}

func (c *Cluster) awaitReady(ctx context.Context) error {
	for end := time.Now().Add(60 * time.Second); ; {
		conn, err := pgx.Connect(ctx, c.URL("postgres"))
		if err == nil {
			return conn.Close(ctx)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-c.ended:
			text, _ := os.ReadFile(filepath.Join(c.dir, "server.log"))
			return fmt.Errorf("the database server did not come up:\n%s", text)
		case <-time.After(30 * time.Millisecond):
		}
		if time.Now().After(end) {
			return fmt.Errorf("the database server does not come up: %w", err)
		}
	}
}

// setPassword gives a cluster that was made before the password of this start.
func (c *Cluster) setPassword(ctx context.Context, bin, data string) error {
	if err := c.awaitEnd(ctx, data); err != nil {
		return err
	}
	hba := filepath.Join(data, "pg_hba.conf")
	if err := os.WriteFile(hba, []byte("host all all 127.0.0.1/32 scram-sha-256\n"), 0o600); err != nil {
		return fmt.Errorf("write %s: %w", hba, err)
	}
	sql := filepath.Join(c.dir, "password.sql")
	defer os.Remove(sql)
	if err := c.own(sql, fmt.Sprintf("ALTER ROLE %s PASSWORD '%s'\n", superuser, c.password)); err != nil {
		return err
	}
	in, err := os.Open(sql)
	if err != nil {
		return fmt.Errorf("database password: %w", err)
	}
	defer in.Close()
	if out, err := c.runWith(ctx, in, filepath.Join(bin, "postgres"), "--single", "-D", data, "-c", "exit_on_error=true", "postgres"); err != nil {
		return fmt.Errorf("set the database password: %w\n%s", err, out)
	}
	return nil
}

// awaitEnd waits for a server whose process was killed or closed a moment ago: we
// have the lock, so it is on its way down.
func (c *Cluster) awaitEnd(ctx context.Context, data string) error {
	for tries := 0; ; tries++ {
		pid, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
		if err != nil {
			return nil
		}
		first, _, _ := strings.Cut(string(pid), "\n")
		n, err := strconv.Atoi(first)
		what, _ := os.ReadFile(fmt.Sprintf("/proc/%d/comm", n))
		if err != nil || strings.TrimSpace(string(what)) != "postgres" {
			return nil // it crashed; the next one cleans up
		}
		if tries == 300 {
			return fmt.Errorf("a database server (process %d) still runs in %s: end it, then try again", n, c.dir)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// Stop ends the server.
func (c *Cluster) Stop() error {
	defer c.unlock()
	if c.server == nil || c.server.Process == nil {
		return nil
	}
	_ = c.server.Process.Signal(syscall.SIGINT) // it may have ended already
	select {
	case <-c.ended:
	case <-time.After(30 * time.Second):
		_ = c.server.Process.Signal(syscall.SIGQUIT)
		<-c.ended
	}
	return nil
}

func binDir() (string, error) {
	dirs, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if len(dirs) == 0 {
		return "", ErrMissing
	}
	slices.Sort(dirs)
	return filepath.Dir(dirs[len(dirs)-1]), nil
}

// prepare makes the directory, takes its lock and, for root, gives it to the
// server's user: the server refuses to run as root.
func (c *Cluster) prepare(ctx context.Context) error {
	if err := os.MkdirAll(c.dir, 0o700); err != nil {
		return fmt.Errorf("make the database directory: %w", err)
	}
	c.as = &syscall.SysProcAttr{}
	if os.Geteuid() == 0 {
		u, err := user.Lookup("postgres")
		if err != nil {
			return ErrMissing
		}
		uid, err := strconv.ParseUint(u.Uid, 10, 32)
		if err != nil {
			return fmt.Errorf("user postgres: %w", err)
		}
		gid, err := strconv.ParseUint(u.Gid, 10, 32)
		if err != nil {
			return fmt.Errorf("user postgres: %w", err)
		}
		c.as.Credential = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
		if err := os.Chown(c.dir, int(uid), int(gid)); err != nil {
			return fmt.Errorf("make the database directory: %w", err)
		}
	}
	lock, err := os.OpenFile(filepath.Join(c.dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return fmt.Errorf("lock the database directory: %w", err)
	}
	for end := time.Now().Add(closing); syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB) != nil; time.Sleep(50 * time.Millisecond) {
		if time.Now().After(end) || ctx.Err() != nil {
			_ = lock.Close()
			return fmt.Errorf("%w: %s", ErrInUse, c.dir)
		}
	}
	c.lock = lock
	return c.own(c.passwordFile(), c.password+"\n")
}

// closing is how long somebody who uses the directory has to close it.
const closing = 4 * time.Second

func (c *Cluster) passwordFile() string { return filepath.Join(c.dir, "password") }

// own writes a file that only the server's user may read.
func (c *Cluster) own(name, text string) error {
	if err := os.WriteFile(name, []byte(text), 0o600); err != nil {
		return fmt.Errorf("write %s: %w", name, err)
	}
	if cred := c.as.Credential; cred != nil {
		return os.Chown(name, int(cred.Uid), int(cred.Gid))
	}
	return nil
}

func (c *Cluster) unlock() {
	if c.lock != nil {
		_ = c.lock.Close() // and with it the lock
		c.lock = nil
	}
}

func (c *Cluster) env() []string {
	return append(slices.DeleteFunc(os.Environ(), func(v string) bool { return strings.HasPrefix(v, "PG") || strings.HasPrefix(v, "HOME=") }), "HOME=/tmp")
}

// run runs a program of the server's to its end and gives what it said.
func (c *Cluster) run(ctx context.Context, name string, args ...string) (string, error) {
	return c.runWith(ctx, nil, name, args...)
}

func (c *Cluster) runWith(ctx context.Context, in *os.File, name string, args ...string) (string, error) {
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.Dir = "/"
	cmd.Env = c.env()
	if in != nil {
		cmd.Stdin = in
	}
	attr := *c.as
	cmd.SysProcAttr = &attr
	out, err := cmd.CombinedOutput()
	return string(out), err
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("find a free port: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}
