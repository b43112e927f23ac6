package main

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"jobshelf/core/print/machine"
	"jobshelf/internal/demo"
	"jobshelf/internal/standin"
)

// printer serves a stand-in for one of the demo house's machines.
func printer(ctx context.Context, args []string, out, _ io.Writer) (int, error) {
	var onMachine, listen, speed, camera string
	args, wrong := taken(args, "fault")
	words, err := split(args, map[string]*string{"machine": &onMachine, "listen": &listen, "speed": &speed, "camera": &camera}, nil)
	if err != nil || len(words) != 0 || onMachine == "" {
		return 2, errUsage
	}
	all := demo.Machines()
	k := slices.IndexFunc(all, func(m machine.Machine) bool {
		return strings.EqualFold(m.Name, onMachine) && m.Process == machine.MaterialExtrusion
	})
	if k < 0 {
		return 2, fmt.Errorf("no machine of the demo house that lays filament is called %s", onMachine)
	}
	s := &standin.Server{Printer: standin.New(&all[k], standin.Options{}), Speed: 1}
	if speed != "" {
		if s.Speed, err = strconv.ParseFloat(speed, 64); err != nil || !(s.Speed > 0 && s.Speed <= 10_000) {
			return 2, fmt.Errorf("--speed is a number up to 10000, not %s", speed)
		}
	}
	type fault struct {
		name  string
		after time.Duration
	}
	var faults []fault
	for _, w := range wrong {
		name, after, late := strings.Cut(w, "@")
		f := fault{name: name}
		if late {
			if f.after, err = time.ParseDuration(after); err != nil || f.after < 0 {
				return 2, fmt.Errorf("--fault %s wants a time behind @, as 30s", w)
			}
		}
		if !slices.ContainsFunc(standin.Faults(), func(x string) bool { return strings.HasPrefix(x, name+":") }) {
			return 2, fmt.Errorf("no fault is called %s. There are:\n  %s", name, strings.Join(standin.Faults(), "\n  "))
		}
		faults = append(faults, f)
	}
	if listen == "" {
		listen = "127.0.0.1:0"
	}
	l, err := new(net.ListenConfig).Listen(ctx, "tcp", listen)
	if err != nil {
		return 1, err
	}
	fmt.Fprintf(out, "%s listens on %s\n", all[k].Name, l.Addr())
	if camera != "" {
		c, err := new(net.ListenConfig).Listen(ctx, "tcp", camera)
		if err != nil {
			return 1, err
		}
		fmt.Fprintf(out, "its camera is at http://%s/\n", c.Addr())
		server := &http.Server{Handler: s.Camera(), ReadHeaderTimeout: 5 * time.Second}
		stop := context.AfterFunc(ctx, func() { server.Close() })
		defer stop()
		go server.Serve(c) //nolint:errcheck // it ends with the command
	}
	for _, f := range faults {
		t := time.AfterFunc(f.after, func() { _ = s.Fail(f.name) })
		defer t.Stop()
	}
	return 0, s.Serve(ctx, l)
}
