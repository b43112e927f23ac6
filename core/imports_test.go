package core_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// floors of the core, from the ground up: a package imports its own floor and those below.
var floors = []string{"shape", "print", "judge", "shop"}

const module = "jobshelf/"

// source is a file with what it imports, and the package it is of.
type source struct {
	path, of string
	test     bool
	imports  []string
	file     *ast.File
}

// sources reads the Go files below a directory of the module.
func sources(t *testing.T, dir string) []source {
	t.Helper()
	var out []source
	require.NoError(t, fs.WalkDir(os.DirFS(".."), dir, func(at string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && d.Name() == "testdata" {
			return cmpErr(err, fs.SkipDir)
		}
		if !strings.HasSuffix(at, ".go") {
			return nil
		}
		file, err := parser.ParseFile(token.NewFileSet(), "../"+at, nil, 0)
		require.NoError(t, err)
		s := source{path: at, of: path.Dir(at), test: strings.HasSuffix(at, "_test.go"), file: file}
		for _, i := range file.Imports {
			s.imports = append(s.imports, strings.Trim(i.Path.Value, `"`))
		}
		out = append(out, s)
		return nil
	}))
	require.Greater(t, len(out), 3, "files of %s", dir)
	return out
}

func cmpErr(err, otherwise error) error {
	if err != nil {
		return err
	}
	return otherwise
}

// floorOf is the number of a core package's floor, -1 if it has none.
func floorOf(pkg string) int {
	rest, ok := strings.CutPrefix(pkg, "core/")
	if !ok {
		return -1
	}
	name, _, _ := strings.Cut(rest, "/")
	return slices.Index(floors, name)
}

// The core has no interface code: no HTTP, SQL, files, logging or clock, and nothing of the
// floors above it; its tests do without what is built on it. Package shapetest reads a file
// and is for tests only.
func TestCoreIsPureAndImportsPointDown(t *testing.T) {
	const forTests = "core/shape/shapetest"
	for _, s := range sources(t, "core") {
		if s.of == "core" {
			continue // this test
		}
		here := floorOf(s.of)
		require.GreaterOrEqual(t, here, 0, "%s is on no floor", s.path)
		for _, name := range s.imports {
			for _, banned := range []string{"os", "os/exec", "log", "log/slog", "net/http", "database/sql"} {
				assert.False(t, name == banned && !s.test && s.of != forTests, "%s imports %s", s.path, name)
			}
			assert.False(t, strings.HasPrefix(name, "github.com/jackc"), "%s imports %s", s.path, name)
			own, ok := strings.CutPrefix(name, module)
			if !ok {
				continue
			}
			there := floorOf(own)
			assert.GreaterOrEqual(t, there, 0, "%s imports %s, which is not of the core", s.path, own)
			assert.False(t, own == forTests && !s.test, "%s is no test and imports %s", s.path, own)
			if !s.test {
				assert.LessOrEqual(t, there, here, "%s imports %s, a floor above it", s.path, own)
			}
		}
		if s.test {
			continue
		}
		ast.Inspect(s.file, func(n ast.Node) bool {
			if e, ok := n.(*ast.SelectorExpr); ok {
				if x, ok := e.X.(*ast.Ident); ok && x.Name == "time" {
					assert.NotContains(t, []string{"Now", "Sleep", "After"}, e.Sel.Name, s.path)
				}
			}
			return true
		})
	}
}

// Arrows that would be missed: the reader of programs knows nothing of how ours are made,
// routes reach the store through use cases only, and rows know nothing of the API.
func TestWallsThatStand(t *testing.T) {
	for _, wall := range []struct{ from, to string }{
		{"core/print/gcode", "core/print/toolpath"},
		{"core/print/gcode", "core/print/post"},
		{"core/print/gcode", "core/print/recipe"},
		{"internal/httpapi", "internal/store"},
	} {
		for _, s := range sources(t, wall.from) {
			if !s.test {
				assert.NotContains(t, s.imports, module+wall.to, s.path)
			}
		}
	}
	// The desk's rooms, from the ground up; what stands in one line does without each other.
	rooms := [][]string{{"internal/desk"}, {"internal/desk/floor", "internal/desk/intake", "internal/desk/people"},
		{"internal/desk/house", "internal/desk/plates", "internal/desk/stores", "internal/desk/finishing"}, {"internal/desk/decide", "internal/desk/runs"}}
	heights := map[string]int{}
	for i, line := range rooms {
		for _, room := range line {
			heights[module+room] = i + 1
		}
	}
	for _, s := range sources(t, "internal/desk") {
		for _, name := range s.imports {
			if h := heights[name]; h > 0 && !s.test && s.of != "internal/desk/desktest" {
				assert.Less(t, h, heights[module+s.of], "%s imports %s", s.path, name)
			}
		}
	}
	for _, s := range sources(t, "internal/store") {
		ast.Inspect(s.file, func(n ast.Node) bool {
			if f, ok := n.(*ast.Field); ok && f.Tag != nil && !s.test {
				assert.NotContains(t, f.Tag.Value, "json:", s.path)
			}
			return true
		})
	}
}
