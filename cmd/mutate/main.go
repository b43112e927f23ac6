// Command mutate asks whether the tests of a package would notice a fault: it puts small
// ones in, one at a time, and runs the package's own tests.
//
//	mutate [-n 0] [-seed 1] [-j 2] [-v] ./core/shop/planning …
//
// Gremlins lists the places. What it finds is kept in .cache/mutants, so that a run that was
// stopped goes on, and after a change of tests only what had lived is run again. Those that
// change nothing are listed in same.txt, each with its reason. fresh.txt has faults that
// were put in by hand at lines drawn at random:
//
//	mutate -draw 60 -seed 2026
//	mutate -hand cmd/mutate/fresh.txt
package main

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	_ "embed"
	"encoding/hex"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
)

const gremlins = ".cache/gremlins"

//go:embed same.txt
var sameText string

func main() {
	n := flag.Int("n", 0, "so many at random; 0 is all")
	seed := flag.Uint64("seed", 1, "of what is drawn")
	jobs := flag.Int("j", 2, "so many at a time")
	verbose := flag.Bool("v", false, "tell each one that lived, with its line")
	draw := flag.Int("draw", 0, "print so many lines at random, to put faults in by hand")
	slip := flag.Int("slip", 0, "print so many faults at lines drawn at random, one slip each, as -hand reads them")
	hand := flag.String("hand", "", "run the faults of a file that were put in by hand")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	switch {
	case *draw > 0:
		fail(drawn(*draw, *seed))
		return
	case *slip > 0:
		fail(slipped(*slip, *seed))
		return
	case *hand != "":
		fail(byHand(ctx, *hand))
		return
	}
	fmt.Printf("%-18s %6s %6s %6s %6s %8s %8s %6s\n", "package", "run", "killed", "lived", "same", "no cover", "no build", "share")
	for _, pkg := range flag.Args() {
		fail(ofPackage(ctx, filepath.Clean(strings.TrimSuffix(pkg, "/")), *n, *seed, *jobs, *verbose))
	}
}

func fail(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// mutant is one small fault.
type mutant struct {
	File   string // within the package
	Line   int
	Column int // of the token, in bytes, from 1
	Type   string
	Text   string // the line, trimmed
	Nth    int    // of its type in the line, from 1
	Bare   bool   // no test comes by
}

func (m *mutant) key() string { return fmt.Sprintf("%s\t%s\t%d\t%s", m.File, m.Type, m.Nth, m.Text) }

// swaps are what becomes of a token.
var swaps = map[string]map[string]string{
	"ARITHMETIC_BASE":       {"+": "-", "-": "+", "*": "/", "/": "*", "%": "*"},
	"CONDITIONALS_BOUNDARY": {"<=": "<", ">=": ">", "<": "<=", ">": ">="},
	"CONDITIONALS_NEGATION": {"==": "!=", "!=": "==", "<=": ">", ">=": "<", "<": ">=", ">": "<="},
	"INCREMENT_DECREMENT":   {"++": "--", "--": "++"},
	"INVERT_NEGATIVES":      {"-": "+"},
	"INVERT_LOGICAL":        {"&&": "||", "||": "&&"},
	"INVERT_ASSIGNMENTS":    {"+=": "-=", "-=": "+=", "*=": "/=", "/=": "*=", "%=": "*="},
	"INVERT_LOOPCTRL":       {"break": "continue", "continue": "break"},
}

// list asks for the mutants of a package, in the order of its lines.
func list(ctx context.Context, pkg string) ([]mutant, error) {
	out := filepath.Join(".cache", "mutants", strings.ReplaceAll(pkg, "/", "_")+".list.json")
	cmd := exec.CommandContext(
		ctx,
		gremlins,
		"unleash",
		"./"+pkg,
		"--dry-run",
		"-s",
		"--invert-logical",
		"--invert-assignments",
		"--invert-loopctrl",
		"-o",
		out,
	) //nolint:gosec // of the developer
	if raw, err := cmd.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("%s: %w: %s", pkg, err, raw)
	}
	raw, err := os.ReadFile(out) //nolint:gosec // named above
	if err != nil {
		return nil, err
	}
	var found struct {
		Files []struct {
			Name      string `json:"file_name"`
			Mutations []struct {
				Type, Status string
				Line, Column int
			}
		}
	}
	if err := json.Unmarshal(raw, &found); err != nil {
		return nil, err
	}
	var all []mutant
	for _, f := range found.Files {
		src, err := os.ReadFile(filepath.Join(pkg, f.Name))
		if err != nil {
			return nil, err
		}
		lines := strings.Split(string(src), "\n")
		for _, m := range f.Mutations {
			text := strings.TrimSpace(lines[m.Line-1])
			if text == "break" || text == "continue" { // there are many of them
				text = strings.TrimSpace(lines[m.Line-2]) + " " + text
			}
			// What stands behind a case is in none of the blocks that coverage counts.
			bare := m.Status == "NOT COVERED" && !strings.HasPrefix(text, "case ")
			all = append(all, mutant{File: f.Name, Line: m.Line, Column: m.Column, Type: m.Type, Text: text, Bare: bare})
		}
	}
	slices.SortFunc(all, func(a, b mutant) int {
		return cmp.Or(cmp.Compare(a.File, b.File), cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column), cmp.Compare(a.Type, b.Type))
	})
	// A minus between two numbers is listed twice.
	all = slices.CompactFunc(all, func(b, a mutant) bool { // the later one comes first
		return a.File == b.File && a.Line == b.Line && a.Column == b.Column && a.Type == "ARITHMETIC_BASE" && b.Type == "INVERT_NEGATIVES"
	})
	for i := range all {
		all[i].Nth = 1
		for k := i - 1; k >= 0 && all[k].File == all[i].File && all[k].Line == all[i].Line; k-- {
			if all[k].Type == all[i].Type {
				all[i].Nth++
			}
		}
	}
	return all, nil
}

// apply puts a fault into a source; false where the token is not what was expected.
func apply(src []byte, m *mutant) ([]byte, bool) {
	at := 0
	for range m.Line - 1 {
		at += bytes.IndexByte(src[at:], '\n') + 1
	}
	at += m.Column - 1
	rest := string(src[at:min(len(src), at+8)])
	was, becomes := "", ""
	for from, to := range swaps[m.Type] {
		if strings.HasPrefix(rest, from) && len(from) > len(was) {
			was, becomes = from, to
		}
	}
	if was == "" {
		return nil, false
	}
	return slices.Concat(src[:at], []byte(becomes), src[at+len(was):]), true
}

// kept is what is known of a package's mutants.
type kept struct {
	Sources, Tests string            // what they were made of and run by
	Found          map[string]string // by key and line: killed, lived, no build
}

func hashOf(pkg string, tests bool) string {
	h := sha256.New()
	files, _ := filepath.Glob(filepath.Join(pkg, "*.go"))
	for _, f := range files {
		if strings.HasSuffix(f, "_test.go") == tests {
			raw, _ := os.ReadFile(f) //nolint:gosec // of the package
			h.Write(raw)
		}
	}
	return hex.EncodeToString(h.Sum(nil))[:16]
}

// remembered is what is known of a package's mutants: nothing where its sources have changed,
// and nothing of those that lived where its tests have.
func remembered(pkg, name string) (kept, error) {
	know := kept{Found: map[string]string{}}
	if raw, err := os.ReadFile(name); err == nil { //nolint:gosec // named above
		if err := json.Unmarshal(raw, &know); err != nil {
			return know, fmt.Errorf("%s: %w", name, err)
		}
	}
	sources, tests := hashOf(pkg, false), hashOf(pkg, true)
	if know.Sources != sources {
		know.Found = map[string]string{}
	} else if know.Tests != tests {
		for k, v := range know.Found {
			if v == "lived" {
				delete(know.Found, k)
			}
		}
	}
	know.Sources, know.Tests = sources, tests
	return know, nil
}

func ofPackage(ctx context.Context, pkg string, n int, seed uint64, jobs int, verbose bool) error {
	if err := os.MkdirAll(filepath.Join(".cache", "mutants"), 0o755); err != nil { //nolint:gosec // nothing secret
		return err
	}
	name := filepath.Join(".cache", "mutants", strings.ReplaceAll(pkg, "/", "_")+".json")
	know, err := remembered(pkg, name)
	if err != nil {
		return err
	}
	all, err := list(ctx, pkg)
	if err != nil {
		return err
	}
	same := map[string]bool{}
	for _, l := range strings.Split(sameText, "\n") {
		if f := strings.Split(l, "\t"); len(f) == 6 && f[0] == pkg {
			same[strings.Join(f[1:5], "\t")] = true
		}
	}
	bare := 0
	for _, m := range all {
		if m.Bare {
			bare++
		}
	}
	total := len(all)
	all = slices.DeleteFunc(all, func(m mutant) bool { return m.Bare })
	if n > 0 && n < len(all) {
		r := rand.New(rand.NewPCG(seed, 0)) //nolint:gosec // a draw that can be repeated
		r.Shuffle(len(all), func(i, k int) { all[i], all[k] = all[k], all[i] })
		all = all[:n]
	}
	limit, err := clean(ctx, pkg)
	if err != nil {
		return err
	}
	var mu sync.Mutex
	work := make(chan *mutant)
	var wg sync.WaitGroup
	for range jobs {
		wg.Go(func() {
			for m := range work {
				result, err := try(ctx, pkg, m, limit)
				if ctx.Err() != nil {
					return
				}
				if err != nil {
					fmt.Fprintln(os.Stderr, err)
					continue
				}
				mu.Lock()
				know.Found[fmt.Sprintf("%d\t%s", m.Line, m.key())] = result
				raw, err := json.MarshalIndent(know, "", " ")
				if err == nil {
					err = os.WriteFile(name, raw, 0o644) //nolint:gosec // nothing secret
				}
				if err != nil {
					fmt.Fprintln(os.Stderr, err)
				}
				mu.Unlock()
			}
		})
	}
	for i := range all {
		if _, ok := know.Found[fmt.Sprintf("%d\t%s", all[i].Line, all[i].key())]; ok || same[all[i].key()] {
			continue
		}
		select {
		case work <- &all[i]:
		case <-ctx.Done():
		}
	}
	close(work)
	wg.Wait()
	if ctx.Err() != nil {
		return errors.New("stopped; the same command goes on from here")
	}
	tell(pkg, all, same, know, bare, total, verbose)
	return nil
}

// tell prints what became of the mutants of a package.
func tell(pkg string, all []mutant, same map[string]bool, know kept, bare, total int, verbose bool) {
	count := map[string]int{}
	for i := range all {
		m := &all[i]
		if same[m.key()] {
			count["same"]++
			continue
		}
		result := know.Found[fmt.Sprintf("%d\t%s", m.Line, m.key())]
		count[result]++
		if verbose && result == "lived" {
			fmt.Printf("  lived  %s/%s:%d\t%s\t%d\t%s\n", pkg, m.File, m.Line, m.Type, m.Nth, m.Text)
		}
	}
	run := count["killed"] + count["lived"]
	fmt.Printf(
		"%-18s %6d %6d %6d %6d %4d/%-4d %7d %5.1f %%\n",
		pkg,
		run,
		count["killed"],
		count["lived"],
		count["same"],
		bare,
		total,
		count["no build"],
		100*float64(count["killed"])/float64(max(1, run)),
	)
}

// args of the test binary: rapid's shrinking takes 30 s for every failure otherwise.
func args(pkg string) []string {
	files, _ := filepath.Glob(filepath.Join(pkg, "*_test.go"))
	for _, f := range files {
		if raw, _ := os.ReadFile(f); bytes.Contains(raw, []byte("pgregory.net/rapid")) { //nolint:gosec // of the package
			return []string{"-args", "-rapid.shrinktime=1s", "-rapid.nofailfile"}
		}
	}
	return nil
}

// clean runs the tests as they are, short and whole, and tells how long a mutant may take.
func clean(ctx context.Context, pkg string) (time.Duration, error) {
	begin := time.Now()
	cmd := exec.CommandContext(ctx, "go", slices.Concat([]string{"test", "-count=1", "./" + pkg}, args(pkg))...) //nolint:gosec // of the developer
	if raw, err := cmd.CombinedOutput(); err != nil {
		return 0, fmt.Errorf("%s fails without a fault: %s", pkg, raw)
	}
	return 6*time.Since(begin) + 20*time.Second, nil
}

// try runs the tests with one fault in, the short ones first. The source stays as it is:
// the compiler is told to read another file for it.
func try(ctx context.Context, pkg string, m *mutant, limit time.Duration) (string, error) {
	path, err := filepath.Abs(filepath.Join(pkg, m.File))
	if err != nil {
		return "", err
	}
	src, err := os.ReadFile(path) //nolint:gosec // of the package
	if err != nil {
		return "", err
	}
	faulty, ok := apply(src, m)
	if !ok {
		return "no build", nil
	}
	return with(ctx, path, faulty, limit)
}

// with runs the tests of the package of a source, with another text for it.
func with(ctx context.Context, path string, faulty []byte, limit time.Duration) (string, error) {
	dir, err := os.MkdirTemp("", "mutant")
	if err != nil {
		return "", err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	pkg := filepath.Dir(path)
	near := []string{pkg}
	if desk := filepath.Dir(pkg); filepath.Base(desk) == "desk" { // the rooms of one desk are tested together
		near = []string{desk + "/..."}
	}
	file, overlay := filepath.Join(dir, filepath.Base(path)), filepath.Join(dir, "overlay.json")
	raw, err := json.Marshal(map[string]map[string]string{"Replace": {path: file}})
	if err != nil {
		return "", err
	}
	if err := errors.Join(os.WriteFile(file, faulty, 0o600), os.WriteFile(overlay, raw, 0o600)); err != nil {
		return "", err
	}
	for _, how := range [][]string{{"-short"}, nil} {
		ctx, cancel := context.WithTimeout(ctx, limit+20*time.Second)
		// A fault may make a loop endless: it is given so much memory, and then fails.
		cmd := exec.CommandContext(
			ctx,
			"sh",
			slices.Concat(
				[]string{"-c", "ulimit -v 8000000; exec \"$@\"", "sh", "go", "test", "-overlay", overlay, "-count=1", "-failfast", "-vet=off", "-timeout", limit.String()},
				how,
				near,
				args(pkg),
			)...) //nolint:gosec // of the developer
		out, err := cmd.CombinedOutput()
		cancel()
		switch {
		case bytes.Contains(out, []byte("[build failed]")):
			return "no build", nil
		case err != nil:
			return "killed", nil
		}
	}
	return "lived", nil
}
