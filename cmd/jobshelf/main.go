// Command jobshelf runs the print service's web app, its workers, and the checks
// that need neither.
package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"syscall"
	_ "time/tzdata" // houses are in time zones; machines may lack the list
)

const usage = `jobshelf: the desk of a 3D-print service

  jobshelf serve     serve the app and work on checks    [--listen 127.0.0.1:8080] [--database URL] [--no-work] [--no-devices] [--https]
                     [--proxies ADDRESS,…] [--member-mb 2000] [--all-gb 0] [--sign-ins-per-minute 10] [--grace 20s]
                     [--metrics 127.0.0.1:9180] [--keep-variants 2160h] [--keep-tried 1440h] [--keep-files 0], and as work
  jobshelf work      only work on models, beside a server  [--database URL] [--parallel 2] [--memory MB] [--queues counter,bench,night] [--upload-mb 300]
                     [--most-triangles N] [--most-vertices N] [--most-unpacked-bytes N]
  jobshelf devices   only drive machines on a line, beside a server with --no-devices  [--database URL] [--name NAME] [--lease 15s] [--lost-after 90s]
  jobshelf house new --name NAME --steward LOGIN   make an empty house and its first steward  [--steward-name NAME] [--database URL]
  jobshelf person add LOGIN --name NAME [--role member|coordinator|steward]  [--database URL]
  jobshelf person reset LOGIN     set a password anew    [--database URL]
  jobshelf person role LOGIN ROLE | close LOGIN          [--database URL]
  jobshelf demo      serve the demo house on a private database  [--listen 127.0.0.1:8080] [--dir DIR] [--speed 1]
  jobshelf migrate   bring the database up to date       [--database URL]
  jobshelf restored  say that this database is a copy that was put back: nothing is said to a machine before all were looked at  [--database URL]
  jobshelf check FILE…       judge models        [--machine NAME] [--recipe NAME] [--orientation best|as-is]
                     [--for warm=°C,outdoors,bends,load,fits,colour=NAME] [--json]
  jobshelf repair FILE -o OUT  mend a model      [--steps weld,flat,duplicates,stitch,orient,holes,turn,unite] [--json]
  jobshelf orient FILE                 which way up it prints best  [--machine NAME] [--recipe NAME] [--load X,Y,Z] [--json]
  jobshelf plate FILE[:COPIES]… --machine NAME -o DIR   lay copies on plates  [--recipe NAME] [--spacing MM] [--orientation best|as-is] [--seed N] [--budget MS] [--json]
  jobshelf slice FILE --machine NAME   make G-code  [--recipe NAME] [--set key=value …] [-o OUT.gcode] [--json]
  jobshelf sections FILE     cut a model         (--layer MM | --at Z,Z,…) [--json]
  jobshelf parts DIR         write the demo house's models as STL files
  jobshelf rules try --rules FILE --facts FILE   hold house rules against jobs of the past  [--json]
  jobshelf printer --machine NAME   a stand-in for a machine, which speaks the line protocol  [--listen 127.0.0.1:0] [--camera ADDRESS]
                     [--speed 60] [--fault NAME[@30s] …]
  jobshelf openapi           print the description of the API

The database's address may also stand in JOBSHELF_DATABASE. Passwords are asked for, or read from the input's first line.
`

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	code := run(ctx, os.Args[1:], os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}

// errUsage asks for the usage text.
var errUsage = errors.New("usage")

// run gives the exit code: 0 done, 1 findings that stop a model or a failure, 2
// unreadable files or wrong words.
func run(ctx context.Context, args []string, out, errOut io.Writer) int {
	if len(args) == 0 {
		fmt.Fprint(errOut, usage)
		return 2
	}
	commands := map[string]func(context.Context, []string, io.Writer, io.Writer) (int, error){
		"serve": serve, "work": workOnly, "devices": devices, "demo": demoHouse, "migrate": migrate, "restored": restored, "house": house, "person": person,
		"check": check, "repair": mend, "slice": slice, "orient": orientFile, "plate": plateFiles, "sections": sections, "parts": parts, "openapi": openAPI, "rules": rules, "printer": printer,
	}
	f, ok := commands[args[0]]
	for _, x := range args[1:] {
		ok = ok && x != "--help" && x != "-h"
	}
	if !ok {
		fmt.Fprint(errOut, usage)
		return 2
	}
	code, err := f(ctx, args[1:], out, errOut)
	switch {
	case errors.Is(err, errUsage):
		fmt.Fprint(errOut, usage)
		return 2
	case err != nil:
		fmt.Fprintln(errOut, "jobshelf:", err)
		if code == 0 {
			code = 1
		}
	}
	return code
}
