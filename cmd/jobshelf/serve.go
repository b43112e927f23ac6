package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/httpapi"
	"jobshelf/internal/pgcluster"
	"jobshelf/internal/store"
	"jobshelf/internal/work"
	"jobshelf/web"
)

type serveOptions struct {
	listen, database string
	noWork           bool
	signIns          int
}

func flags(name string, errOut io.Writer) *flag.FlagSet {
	f := flag.NewFlagSet(name, flag.ContinueOnError)
	f.SetOutput(errOut)
	f.Usage = func() {}
	return f
}

func serve(ctx context.Context, args []string, out, errOut io.Writer) (int, error) {
	var o serveOptions
	f := flags("serve", errOut)
	f.StringVar(&o.listen, "listen", "127.0.0.1:8080", "")
	f.StringVar(&o.database, "database", os.Getenv("JOBSHELF_DATABASE"), "")
	f.BoolVar(&o.noWork, "no-work", false, "")
	f.IntVar(&o.signIns, "sign-ins-per-minute", 0, "")
	if f.Parse(args) != nil || o.database == "" || f.NArg() > 0 {
		return 2, errUsage
	}
	return 0, serveHouse(ctx, o, errOut, func(_ context.Context, _ *desk.Desk, address string) error {
		fmt.Fprintf(out, "Job Shelf is at %s\n", address)
		return nil
	})
}

// serveHouse serves until ctx ends. ready is called once everything runs.
func serveHouse(ctx context.Context, o serveOptions, logTo io.Writer, ready func(context.Context, *desk.Desk, string) error) error {
	log := slog.New(slog.NewTextHandler(logTo, &slog.HandlerOptions{Level: slog.LevelWarn}))
	s, err := store.Open(ctx, o.database)
	if err != nil {
		return err
	}
	defer s.Close()
	if err := s.Migrate(ctx); err != nil {
		return err
	}
	q, err := work.NewQueue(s)
	if err != nil {
		return err
	}
	d := &desk.Desk{Store: s, Queue: q, Now: time.Now}
	if !o.noWork {
		w, err := work.Start(ctx, s, d, work.Options{Log: log})
		if err != nil {
			return err
		}
		defer func() {
			late, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
			defer cancel()
			if err := w.Stop(late); err != nil {
				log.Error("stop working", "err", err)
			}
		}()
	}
	api := httpapi.New(httpapi.Config{Desk: d, Log: log, Assets: web.Handler(), SignInsPerMinute: o.signIns})
	defer api.Close()
	l, err := net.Listen("tcp", o.listen)
	if err != nil {
		return fmt.Errorf("listen: %w", err)
	}
	server := &http.Server{Handler: api, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		BaseContext: func(net.Listener) context.Context { return ctx }}
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(l) }()
	listening := make(chan struct{})
	go api.Run(ctx, func() { close(listening) })
	go sweep(ctx, s, log)
	select {
	case <-listening:
	case <-ctx.Done():
	case err := <-failed:
		return err
	}
	if err := ready(ctx, d, "http://"+l.Addr().String()); err != nil {
		return err
	}
	select {
	case <-ctx.Done():
	case err := <-failed:
		return err
	}
	late, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer cancel()
	if err := server.Shutdown(late); err != nil {
		server.Close()
	}
	return nil
}

// sweep clears away broken-off uploads, once an hour.
func sweep(ctx context.Context, s *store.Store, log *slog.Logger) {
	for {
		if err := s.SweepBlobs(ctx, 24*time.Hour); err != nil && ctx.Err() == nil {
			log.Error("sweep uploads", "err", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Hour):
		}
	}
}

func workOnly(ctx context.Context, args []string, out, errOut io.Writer) (int, error) {
	f := flags("work", errOut)
	database := f.String("database", os.Getenv("JOBSHELF_DATABASE"), "")
	if f.Parse(args) != nil || *database == "" || f.NArg() > 0 {
		return 2, errUsage
	}
	log := slog.New(slog.NewTextHandler(errOut, &slog.HandlerOptions{Level: slog.LevelWarn}))
	s, err := store.Open(ctx, *database)
	if err != nil {
		return 1, err
	}
	defer s.Close()
	q, err := work.NewQueue(s)
	if err != nil {
		return 1, err
	}
	w, err := work.Start(ctx, s, &desk.Desk{Store: s, Queue: q, Now: time.Now}, work.Options{Log: log})
	if err != nil {
		return 1, err
	}
	fmt.Fprintln(out, "Working.")
	<-ctx.Done()
	late, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	return 0, w.Stop(late)
}

func migrate(ctx context.Context, args []string, out, errOut io.Writer) (int, error) {
	f := flags("migrate", errOut)
	database := f.String("database", os.Getenv("JOBSHELF_DATABASE"), "")
	if f.Parse(args) != nil || *database == "" || f.NArg() > 0 {
		return 2, errUsage
	}
	s, err := store.Open(ctx, *database)
	if err != nil {
		return 1, err
	}
	defer s.Close()
	return 0, s.Migrate(ctx)
}

// demoDir is where the demo's database lives: a place that PostgreSQL's user can
// enter when root starts it, the person's own cache otherwise.
func demoDir() string {
	if os.Geteuid() == 0 {
		return "/var/tmp/jobshelf-demo"
	}
	if cache, err := os.UserCacheDir(); err == nil {
		return filepath.Join(cache, "jobshelf-demo")
	}
	return filepath.Join(os.TempDir(), fmt.Sprintf("jobshelf-demo-%d", os.Getuid()))
}

func demoHouse(ctx context.Context, args []string, out, errOut io.Writer) (int, error) {
	f := flags("demo", errOut)
	listen := f.String("listen", "127.0.0.1:8080", "")
	dir := f.String("dir", demoDir(), "")
	if f.Parse(args) != nil || f.NArg() > 0 {
		return 2, errUsage
	}
	cluster, err := pgcluster.Start(ctx, pgcluster.Options{Dir: *dir})
	if err != nil {
		return 1, err
	}
	defer func() {
		if err := cluster.Stop(); err != nil {
			fmt.Fprintln(errOut, "jobshelf: stop the database:", err)
		}
	}()
	if err := createDatabase(ctx, cluster); err != nil {
		return 1, err
	}
	o := serveOptions{listen: *listen, database: cluster.URL("jobshelf")}
	return 0, serveHouse(ctx, o, errOut, func(ctx context.Context, d *desk.Desk, address string) error {
		fresh, err := demo.SetUp(ctx, d.Store)
		if err != nil {
			return err
		}
		if fresh {
			fmt.Fprintln(out, "Setting up Ropewalk Commons …")
			if err := demo.Jobs(ctx, d); err != nil {
				return err
			}
		}
		fmt.Fprintf(out, "\n  Ropewalk Commons is open at %s\n\n  Coordinator: cato    Steward: tess    Member: nia\n  Password of all: %s\n\n  Ctrl-C ends it.\n", address, demo.Password)
		return nil
	})
}

func createDatabase(ctx context.Context, c *pgcluster.Cluster) error {
	s, err := store.Open(ctx, c.URL("postgres"))
	if err != nil {
		return err
	}
	defer s.Close()
	return s.CreateDatabase(ctx, "jobshelf", "")
}

func openAPI(_ context.Context, args []string, out, _ io.Writer) (int, error) {
	if len(args) > 0 {
		return 2, errUsage
	}
	api := httpapi.New(httpapi.Config{Desk: &desk.Desk{Store: &store.Store{}}, Log: slog.Default()})
	defer api.Close()
	b, err := json.MarshalIndent(api.OpenAPI(), "", "  ")
	if err != nil {
		return 1, errors.Join(errors.New("describe the API"), err)
	}
	_, err = out.Write(append(b, '\n'))
	return 0, err
}
