// Command share tells how much of the code is tests: lines that are neither blank nor
// comment alone, of Go and of the web, what is generated left out.
package main

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	list, err := exec.Command("git", "ls-files", "-z", "*.go", "*.ts", "*.vue", "*.mjs", "*.css").Output()
	if err != nil {
		return err
	}
	type sum struct{ tests, all int }
	sums := map[string]*sum{"Go": {}, "web": {}}
	for _, name := range strings.Split(strings.TrimSuffix(string(list), "\x00"), "\x00") {
		raw, err := os.ReadFile(name) //nolint:gosec // of the repository
		if err != nil || generated(name, raw) {
			continue // deleted, or nobody wrote it
		}
		of := sums["web"]
		if strings.HasSuffix(name, ".go") {
			of = sums["Go"]
		}
		n := lines(raw)
		of.all += n
		if isTest(name) {
			of.tests += n
		}
	}
	total := sum{}
	for _, k := range []string{"Go", "web"} {
		s := sums[k]
		total.tests, total.all = total.tests+s.tests, total.all+s.all
		fmt.Printf("%-6s %6d lines, %6d of them tests: %4.1f %%\n", k, s.all, s.tests, 100*float64(s.tests)/float64(s.all))
	}
	fmt.Printf("%-6s %6d lines, %6d of them tests: %4.1f %%\n", "all", total.all, total.tests, 100*float64(total.tests)/float64(total.all))
	return nil
}

// isTest says that lines ask whether the program is right, or help to. Benchmarks measure
// and ask nothing; the corpus of parts is what cmd/fit works from, the browser what cmd/shots does.
func isTest(name string) bool {
	if strings.HasPrefix(name, "bench/") {
		return false
	}
	return strings.HasSuffix(name, "_test.go") || strings.HasSuffix(name, ".test.ts") || strings.HasPrefix(name, "e2e/") ||
		strings.HasPrefix(
			name,
			"core/print/drawn/",
		) || strings.HasPrefix(name, "internal/pgtest/") || strings.HasPrefix(name, "internal/told/") || strings.HasPrefix(name, "internal/desk/desktest/") || strings.HasPrefix(filepath.Base(name), "test-")
}

func generated(name string, raw []byte) bool {
	head := raw[:min(len(raw), 400)]
	return bytes.Contains(head, []byte("Code generated")) || bytes.Contains(head, []byte("auto-generated")) || strings.HasPrefix(name, "web/src/api/schema")
}

func lines(raw []byte) int {
	n := 0
	for l := range bytes.Lines(raw) {
		l = bytes.TrimSpace(l)
		if len(l) > 0 && !bytes.HasPrefix(l, []byte("//")) {
			n++
		}
	}
	return n
}
