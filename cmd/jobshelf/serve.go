package main

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"jobshelf/core/shape/modelfile"
	"jobshelf/internal/demo"
	"jobshelf/internal/demo/machines"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/finishing"
	"jobshelf/internal/device"
	"jobshelf/internal/drive"
	"jobshelf/internal/httpapi"
	"jobshelf/internal/metrics"
	"jobshelf/internal/pgcluster"
	"jobshelf/internal/store"
	"jobshelf/internal/work"
	"jobshelf/web"
)

// serveOptions are what a house's server can be told.
type serveOptions struct {
	listen, database string
	noWork           bool
	noDevices        bool
	now              func() time.Time // nil: as everybody's
	speed            float64          // of the machines' clocks; 0: as ours
	https            bool
	proxies          string
	signIns          int
	uploadMB         int64
	memberMB, allGB  int64
	limits           modelfile.Limits
	queues           []string
	parallel         int
	memoryMB         int64
	grace            time.Duration
	metrics          string        // a loopback address for scrapes; empty: none
	keepVariants     time.Duration // what nobody chose, once its job is over; 0: as usual
	keepTried        time.Duration
	keepFiles        time.Duration // of jobs that are over; 0: for ever
}

func flags(name string, errOut io.Writer) *flag.FlagSet {
	f := flag.NewFlagSet(name, flag.ContinueOnError)
	f.SetOutput(errOut)
	f.Usage = func() {}
	return f
}

// workFlags are those of everything that works on models.
func (o *serveOptions) workFlags(f *flag.FlagSet) {
	f.StringVar(&o.database, "database", os.Getenv("JOBSHELF_DATABASE"), "")
	f.Int64Var(&o.limits.Triangles, "most-triangles", 10_000_000, "")
	f.Int64Var(&o.limits.Vertices, "most-vertices", 0, "")
	f.Int64Var(&o.limits.Unpacked, "most-unpacked-bytes", 4_000_000_000, "")
	f.Int64Var(&o.uploadMB, "upload-mb", 300, "")
	f.IntVar(&o.parallel, "parallel", 2, "")
	f.Int64Var(&o.memoryMB, "memory", 0, "")
	f.Func("queues", "", func(s string) error {
		for _, q := range strings.Split(s, ",") {
			if !slices.Contains(work.Queues, q) {
				return fmt.Errorf("there is no queue %q; there are %s", q, strings.Join(work.Queues, ", "))
			}
			o.queues = append(o.queues, q)
		}
		return nil
	})
}

func (o *serveOptions) sound() bool {
	o.limits.Bytes = o.uploadMB * 1_000_000
	return o.database != "" && o.uploadMB > 0 && o.parallel > 0 && o.memoryMB >= 0 && o.limits.Triangles > 0 && o.limits.Vertices >= 0 && o.limits.Unpacked > 0 && o.memberMB >= 0 && o.allGB >= 0
}

func serve(ctx context.Context, args []string, out, errOut io.Writer) (int, error) {
	var o serveOptions
	f := flags("serve", errOut)
	o.workFlags(f)
	f.StringVar(&o.listen, "listen", "127.0.0.1:8080", "")
	f.BoolVar(&o.noWork, "no-work", false, "")
	f.BoolVar(&o.noDevices, "no-devices", false, "")
	f.BoolVar(&o.https, "https", false, "")
	f.StringVar(&o.proxies, "proxies", "", "")
	f.IntVar(&o.signIns, "sign-ins-per-minute", 10, "")
	f.Int64Var(&o.memberMB, "member-mb", 2000, "")
	f.Int64Var(&o.allGB, "all-gb", 0, "")
	f.DurationVar(&o.grace, "grace", 20*time.Second, "")
	f.StringVar(&o.metrics, "metrics", "", "")
	f.DurationVar(&o.keepVariants, "keep-variants", variantsKept, "")
	f.DurationVar(&o.keepTried, "keep-tried", triedKept, "")
	f.DurationVar(&o.keepFiles, "keep-files", 0, "")
	if f.Parse(args) != nil || !o.sound() || f.NArg() > 0 {
		return 2, errUsage
	}
	if o.keepFiles != 0 && o.keepFiles < leastKept { // what was done by mistake is undone within it
		return 2, fmt.Errorf("keep-files: %v is less than %v; 0 keeps them for ever", o.keepFiles, leastKept)
	}
	return 0, serveHouse(ctx, o, errOut, func(ctx context.Context, d *desk.Desk, address string) error {
		fmt.Fprintf(out, "Job Shelf is at %s\n", address)
		if _, err := d.Store.House(ctx); errors.Is(err, store.ErrNotFound) {
			fmt.Fprintln(out, "There is no house in this database yet. Make one:  jobshelf house new --name NAME --steward LOGIN")
		}
		return nil
	})
}

// prefixes reads addresses and networks, separated by commas.
func prefixes(text string) ([]netip.Prefix, error) {
	var out []netip.Prefix
	for _, x := range strings.Split(text, ",") {
		if x = strings.TrimSpace(x); x == "" {
			continue
		}
		if a, err := netip.ParseAddr(x); err == nil {
			out = append(out, netip.PrefixFrom(a, a.BitLen()))
			continue
		}
		p, err := netip.ParsePrefix(x)
		if err != nil {
			return nil, fmt.Errorf("proxies: %q is no address and no network", x)
		}
		out = append(out, p)
	}
	return out, nil
}

// serveHouse serves until ctx ends; then requests may end for a while. ready is
// called once everything runs.
func serveHouse(ctx context.Context, o serveOptions, logTo io.Writer, ready func(context.Context, *desk.Desk, string) error) error {
	log := slog.New(slog.NewTextHandler(logTo, &slog.HandlerOptions{Level: slog.LevelWarn}))
	proxies, err := prefixes(o.proxies)
	if err != nil {
		return err
	}
	s, err := store.Open(ctx, o.database)
	if err != nil {
		return err
	}
	defer s.Close()
	if err := s.Migrate(ctx); err != nil {
		return err
	}
	restored, err := s.NoticePlace(ctx, false)
	if err != nil {
		return err
	}
	if restored {
		log.Warn("this house was restored from a copy: nothing is said to a machine before somebody says, in the browser, that all were looked at")
	}
	q, err := work.NewQueue(s)
	if err != nil {
		return err
	}
	d := &desk.Desk{Store: s, Queue: q, Now: time.Now, Quota: desk.Quota{MemberBytes: o.memberMB * 1_000_000, AllBytes: o.allGB * 1_000_000_000}}
	if !o.noWork {
		w, err := work.Start(ctx, s, d, work.Options{Log: log, Limits: o.limits, Parallel: o.parallel, Queues: o.queues, Memory: o.memoryMB * 1e6})
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
	if o.now != nil {
		d.Now = o.now
	}
	if !o.noDevices {
		defer drive.Start(ctx, d, drive.Options{Log: log, Speed: o.speed}).Stop()
	}
	api := httpapi.New(httpapi.Config{Desk: d, Log: log, Assets: web.Handler(), SignInsPerMinute: o.signIns, UploadBytes: o.uploadMB * 1_000_000, HTTPS: o.https, Proxies: proxies})
	l, err := net.Listen("tcp", o.listen)
	if err != nil {
		return fmt.Errorf("listen: %w", err)
	}
	// Requests outlive the signal to stop: Shutdown lets them end.
	var handler http.Handler = api
	if o.metrics != "" {
		m := metrics.New(s)
		handler = m.Time(api)
		end, err := scraped(ctx, o.metrics, m.Handler())
		if err != nil {
			return err
		}
		defer end()
	}
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		BaseContext: func(net.Listener) context.Context { return context.WithoutCancel(ctx) }}
	server.RegisterOnShutdown(api.EndStreams)
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(l) }()
	listening := make(chan struct{})
	running, stop := context.WithCancel(context.WithoutCancel(ctx)) // events flow until the last request has ended
	defer stop()
	go api.Run(running, func() { close(listening) })
	go sweep(ctx, s, o, log)
	go waits(ctx, d, log)
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
	late, cancel := context.WithTimeout(context.WithoutCancel(ctx), o.grace)
	defer cancel()
	if err := server.Shutdown(late); err != nil {
		server.Close()
	}
	return nil
}

// variantsKept is how long layers and programs stay that nobody chose, once their
// job is over.
const variantsKept = 90 * 24 * time.Hour

// leastKept is the least for which the files of jobs that are over are kept.
const leastKept = 24 * time.Hour

// triedKept is how long it stays what came out of trying orientations.
const triedKept = 60 * 24 * time.Hour

// sweep clears away broken-off uploads, old variants and old sessions, once an hour.
func sweep(ctx context.Context, s *store.Store, o serveOptions, log *slog.Logger) {
	variants, tried := cmp.Or(o.keepVariants, variantsKept), cmp.Or(o.keepTried, triedKept)
	for {
		var err error
		if o.keepFiles > 0 {
			err = s.InTx(ctx, func(tx *store.Tx) error { return tx.DropFiles(ctx, o.keepFiles) })
		}
		err = errors.Join(err, s.DropVariants(ctx, variants), s.SweepBlobs(ctx, 24*time.Hour), s.SweepTried(ctx, tried), s.SweepSessions(ctx))
		if err != nil && ctx.Err() == nil {
			log.Error("sweep", "err", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Hour):
		}
	}
}

// scraped answers scrapes on a loopback address of its own: what it tells is not for who comes from outside.
func scraped(ctx context.Context, address string, h http.Handler) (end func(), err error) {
	at, err := netip.ParseAddrPort(address)
	if err != nil || !at.Addr().IsLoopback() {
		return nil, fmt.Errorf("metrics: %q is no loopback address with a port, as 127.0.0.1:9180", address)
	}
	l, err := new(net.ListenConfig).Listen(ctx, "tcp", address)
	if err != nil {
		return nil, fmt.Errorf("metrics: %w", err)
	}
	server := &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = server.Serve(l) }()
	return func() { _ = server.Close() }, nil
}

// waits tells of what was not fetched, four times an hour: the house's clock may run fast.
func waits(ctx context.Context, d *desk.Desk, log *slog.Logger) {
	for {
		if err := finishing.Waits(ctx, d); err != nil && ctx.Err() == nil {
			log.Error("what was not fetched", "err", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(15 * time.Minute):
		}
	}
}

// beside opens the house for a process beside its server.
func beside(ctx context.Context, database string, errOut io.Writer) (*desk.Desk, *slog.Logger, error) {
	s, err := store.Open(ctx, database)
	if err != nil {
		return nil, nil, err
	}
	if _, err := s.NoticePlace(ctx, false); err != nil {
		s.Close()
		return nil, nil, err
	}
	q, err := work.NewQueue(s)
	if err != nil {
		s.Close()
		return nil, nil, err
	}
	return &desk.Desk{Store: s, Queue: q, Now: time.Now}, slog.New(slog.NewTextHandler(errOut, &slog.HandlerOptions{Level: slog.LevelWarn})), nil
}

func workOnly(ctx context.Context, args []string, out, errOut io.Writer) (int, error) {
	var o serveOptions
	f := flags("work", errOut)
	o.workFlags(f)
	if f.Parse(args) != nil || !o.sound() || f.NArg() > 0 {
		return 2, errUsage
	}
	d, log, err := beside(ctx, o.database, errOut)
	if err != nil {
		return 1, err
	}
	defer d.Store.Close()
	w, err := work.Start(ctx, d.Store, d, work.Options{Log: log, Limits: o.limits, Parallel: o.parallel, Queues: o.queues, Memory: o.memoryMB * 1e6})
	if err != nil {
		return 1, err
	}
	fmt.Fprintln(out, "Working.")
	<-ctx.Done()
	late, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	return 0, w.Stop(late)
}

// devices only drives machines, beside a server that does not.
func devices(ctx context.Context, args []string, out, errOut io.Writer) (int, error) {
	var o serveOptions
	var name string
	patience := device.Usual
	f := flags("devices", errOut)
	lease := f.Duration("lease", 15*time.Second, "")
	f.DurationVar(&patience.Lost, "lost-after", patience.Lost, "")
	f.StringVar(&o.database, "database", os.Getenv("JOBSHELF_DATABASE"), "")
	f.StringVar(&name, "name", "", "")
	if f.Parse(args) != nil || o.database == "" || f.NArg() > 0 || *lease < time.Second || patience.Lost < time.Second {
		return 2, errUsage
	}
	patience.Silent, patience.Poll = min(patience.Silent, patience.Lost/8), min(patience.Poll, patience.Lost/16)
	d, log, err := beside(ctx, o.database, errOut)
	if err != nil {
		return 1, err
	}
	defer d.Store.Close()
	x := drive.Start(ctx, d, drive.Options{Log: log, Name: name, Lease: *lease, Patience: patience})
	fmt.Fprintln(out, "Driving machines.")
	<-ctx.Done()
	x.Stop()
	return 0, nil
}

// upToDate brings a database up to date, and does something with it.
func upToDate(ctx context.Context, name string, args []string, errOut io.Writer, then func(*store.Store) error) (int, error) {
	f := flags(name, errOut)
	database := f.String("database", os.Getenv("JOBSHELF_DATABASE"), "")
	if f.Parse(args) != nil || *database == "" || f.NArg() > 0 {
		return 2, errUsage
	}
	s, err := store.Open(ctx, *database)
	if err != nil {
		return 1, err
	}
	defer s.Close()
	if err := s.Migrate(ctx); err != nil {
		return 0, err
	}
	return 0, then(s)
}

func migrate(ctx context.Context, args []string, _, errOut io.Writer) (int, error) {
	return upToDate(ctx, "migrate", args, errOut, func(*store.Store) error { return nil })
}

func restored(ctx context.Context, args []string, out, errOut io.Writer) (int, error) {
	return upToDate(ctx, "restored", args, errOut, func(s *store.Store) error {
		if _, err := s.NoticePlace(ctx, true); err != nil {
			return err
		}
		fmt.Fprintln(out, "It begins another epoch. Look at every machine, and say so in the browser.")
		return nil
	})
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
	speed := f.Float64("speed", 1, "")
	if f.Parse(args) != nil || f.NArg() > 0 || !(*speed >= 1 && *speed <= 100) {
		return 2, errUsage
	}
	if err := onlyLoopback(*listen); err != nil {
		return 2, err
	}
	cluster, err := pgcluster.Start(ctx, pgcluster.Options{Dir: *dir})
	if errors.Is(err, pgcluster.ErrInUse) {
		return 1, fmt.Errorf("another demo uses %s. End it, or give this one a directory of its own: --dir DIR, and another --listen", *dir)
	}
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
	o := serveOptions{listen: *listen, database: cluster.URL("jobshelf"), uploadMB: 300, signIns: 10, memberMB: 2000, parallel: 2, grace: 5 * time.Second, speed: *speed}
	var clock machines.Clock
	o.now = clock.Now
	return 0, serveHouse(ctx, o, errOut, func(ctx context.Context, d *desk.Desk, address string) error {
		fresh, err := demo.SetUp(ctx, d.Store)
		if err != nil {
			return err
		}
		if fresh {
			fmt.Fprintln(out, "Setting up Ropewalk Commons …")
			if err := demo.Finishing(ctx, d); err != nil {
				return err
			}
			if err := demo.Spools(ctx, d); err != nil {
				return err
			}
			if err := demo.Parts(ctx, d); err != nil {
				return err
			}
			if err := demo.Jobs(ctx, d); err != nil {
				return err
			}
			if err := demo.AddRules(ctx, d); err != nil {
				return err
			}
		}
		tess, err := d.Store.PersonByLogin(ctx, "tess")
		if err != nil {
			return err
		}
		if *speed > 1 { // from here on: nobody's day passes while the house is set up
			last, err := d.Store.LastOnFloor(ctx)
			if err != nil {
				return err
			}
			clock.Run(*speed, last)
		}
		if err := machines.StandIns(ctx, d, desk.ActorOf(tess), *speed); err != nil {
			return err
		}
		fmt.Fprintf(
			out,
			"\n  Ropewalk Commons is open at %s\n\n  Coordinator: cato    Steward: tess    Member: nia\n  Password of all: %s\n\n  Ctrl-C ends it.\n",
			address,
			demo.Password,
		)
		return nil
	})
}

// onlyLoopback refuses addresses that others can reach: the demo prints its passwords.
func onlyLoopback(listen string) error {
	host, _, err := net.SplitHostPort(listen)
	if err != nil {
		return fmt.Errorf("listen: %w", err)
	}
	if a, err := netip.ParseAddr(host); host == "localhost" || err == nil && a.IsLoopback() {
		return nil
	}
	return fmt.Errorf(
		"the demo is served on this machine only (127.0.0.1, ::1 or localhost), not on %q: everybody knows its passwords. A house of its own is served by `jobshelf serve`",
		host,
	)
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
	b, err := json.MarshalIndent(api.OpenAPI(), "", "  ")
	if err != nil {
		return 1, errors.Join(errors.New("describe the API"), err)
	}
	_, err = out.Write(append(b, '\n'))
	return 0, err
}
