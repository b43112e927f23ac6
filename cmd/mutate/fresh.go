package main

import (
	"context"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// drawn prints lines of the program at random, where somebody may put faults by hand: with
// the same seed the same ones, of the same code.
func drawn(n int, seed uint64) error {
	all, err := everyLine()
	if err != nil {
		return err
	}
	rand.New(rand.NewPCG(seed, 0)).Shuffle(len(all), func(a, b int) { all[a], all[b] = all[b], all[a] })
	for _, l := range all[:min(n, len(all))] {
		fmt.Println(l)
	}
	return nil
}

// everyLine are the lines of the program that do something, each behind its place.
func everyLine() ([]string, error) {
	var all []string
	for _, root := range []string{"core", "internal", "web/src"} {
		err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			switch filepath.ToSlash(filepath.Dir(path)) {
			case "core/print/drawn", "core/shape/shapetest", "internal/corpus", "internal/browser", "internal/pgtest", "internal/told", "internal/desk/desktest": // tests use them
				return nil
			}
			switch {
			case filepath.ToSlash(path) == "core/shape/solid/drawn.go":
				return nil
			case strings.HasSuffix(path, "_test.go"), strings.HasSuffix(path, ".test.ts"), strings.HasSuffix(path, ".d.ts"), strings.HasPrefix(filepath.Base(path), "test-"), strings.Contains(path, "testdata"):
				return nil
			case !strings.HasSuffix(path, ".go") && !strings.HasSuffix(path, ".ts") && !strings.HasSuffix(path, ".vue"):
				return nil
			}
			src, err := os.ReadFile(path)
			if err != nil {
				return err
			}
			style := false
			for i, line := range strings.Split(string(src), "\n") {
				text := strings.TrimSpace(line)
				style = style && text != "</style>" || strings.HasPrefix(text, "<style")
				if !style && acts(text) {
					all = append(all, fmt.Sprintf("%s:%d\t%s", path, i+1, text))
				}
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	return all, nil
}

// acts says that a line does something, so that a fault can be put there.
func acts(text string) bool {
	for _, no := range []string{"//", "/*", "*", "import ", "package ", "func (", "type ", "<!--", "} from"} {
		if strings.HasPrefix(text, no) {
			return false
		}
	}
	if strings.HasPrefix(text, "<") && !strings.ContainsAny(text, ":@{") && !strings.Contains(text, "v-") || strings.HasPrefix(text, "\"") {
		return false // a tag alone, an import
	}
	return strings.ContainsAny(text, "=<>+-*/%!&|") || strings.HasPrefix(text, "return ") || strings.HasPrefix(text, "case ")
}

// byHand puts in the faults of a file, one at a time, and runs the tests of the package each
// is in, or those of the web. A fault is a line of its file, what stands there and what is
// put in its place, divided by tabs. What lived is told; so is a fault that does not build.
func byHand(ctx context.Context, list string) error {
	raw, err := os.ReadFile(list)
	if err != nil {
		return err
	}
	killed, of := 0, 0
	for _, l := range strings.Split(string(raw), "\n") {
		if l == "" || strings.HasPrefix(l, "#") {
			continue
		}
		f := strings.Split(l, "\t")
		if len(f) != 3 {
			return fmt.Errorf("%q is not three columns", l)
		}
		for k := range f {
			f[k] = strings.NewReplacer("⏎", "\n", "⇥", "\t").Replace(f[k])
		}
		path, _, _ := strings.Cut(f[0], ":")
		src, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		if n := strings.Count(string(src), f[1]); n != 1 {
			return fmt.Errorf("%s: what stands there is there %d times: %q", f[0], n, f[1])
		}
		fate, err := ofFault(ctx, path, []byte(strings.Replace(string(src), f[1], f[2], 1)))
		if err != nil {
			return err
		}
		of++
		if fate == "killed" {
			killed++
		}
		fmt.Printf("%-9s %s\t%q → %q\n", fate, f[0], f[1], f[2])
	}
	fmt.Printf("%d of %d killed\n", killed, of)
	return nil
}

// ofFault is what becomes of a file with a fault: killed, lived, or no build.
func ofFault(ctx context.Context, path string, faulty []byte) (string, error) {
	limit := 10 * time.Minute
	if strings.HasPrefix(path, "core/") { // no package there takes half of that
		limit = 3 * time.Minute
	}
	if !strings.HasPrefix(path, "web/") {
		here, err := filepath.Abs(path)
		if err != nil {
			return "", err
		}
		return with(ctx, here, faulty, limit)
	}
	was, err := os.ReadFile(path) //nolint:gosec // of the developer
	if err != nil {
		return "", err
	}
	if err := os.WriteFile(path, faulty, 0o644); err != nil { //nolint:gosec // as it was
		return "", err
	}
	defer func() { _ = os.WriteFile(path, was, 0o644) }() //nolint:gosec // as it was
	ctx, cancel := context.WithTimeout(ctx, limit)
	defer cancel()
	if exec.CommandContext(ctx, "sh", "-c", "cd web && npm run --silent typecheck").Run() != nil {
		return "no build", ctx.Err()
	}
	if exec.CommandContext(ctx, "sh", "-c", "cd web && npm run --silent test -- --bail 1").Run() == nil {
		return "lived", nil
	}
	return "killed", ctx.Err()
}
