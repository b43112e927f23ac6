package desktest

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os/exec"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
)

// said are what says something by its code, and which of its arguments that is; what stands before it is a field.
var said = map[string]int{"Say": 0, "Refuse": 0, "Wrong": 1}

// Codes looks that what is said in the code of a test's package and below has a text, and that what is refused by its field
// names one: whoever mistypes a code has people read the code.
func Codes(t *testing.T) {
	t.Helper()
	root, err := exec.CommandContext(t.Context(), "go", "env", "GOMOD").Output()
	require.NoError(t, err)
	fields := map[string]bool{}
	for _, of := range []string{"core", "internal"} {
		sources(t, filepath.Join(filepath.Dir(strings.TrimSpace(string(root))), of), func(_ string, f *ast.File) {
			ast.Inspect(f, func(x ast.Node) bool {
				if is, ok := x.(*ast.Field); ok && is.Tag != nil {
					name, _, _ := strings.Cut(reflect.StructTag(strings.Trim(is.Tag.Value, "`")).Get("json"), ",")
					fields[name] = true
				}
				return true
			})
		})
	}
	n := 0
	sources(t, ".", func(path string, f *ast.File) {
		ast.Inspect(f, func(x ast.Node) bool {
			call, _ := x.(*ast.CallExpr)
			if call == nil {
				return true
			}
			name := ""
			switch f := call.Fun.(type) {
			case *ast.SelectorExpr:
				name = f.Sel.Name
			case *ast.Ident:
				name = f.Name
			}
			at, is := said[name]
			if !is || len(call.Args) <= at {
				return true
			}
			if code := text(t, call.Args[at]); code != "" {
				assert.True(t, finding.Has(code), "%s: %q has no text", path, code)
				n++
			}
			if field := text(t, call.Args[0]); at == 1 && field != "" {
				for part := range strings.SplitSeq(field, ".") {
					assert.True(t, fields[part], "%s: nobody can enter anything in %q", path, field)
				}
			}
			return true
		})
	})
	assert.Positive(t, n)
}

// sources reads the code in a directory and below, without its tests.
func sources(t *testing.T, dir string, do func(path string, f *ast.File)) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(dir, func(path string, _ fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err == nil {
			do(path, f)
		}
		return err
	}))
}

// text is a text that stands in the code; empty where what is said is not known there.
func text(t *testing.T, x ast.Expr) string {
	t.Helper()
	lit, is := x.(*ast.BasicLit)
	if !is || lit.Kind != token.STRING {
		return ""
	}
	out, err := strconv.Unquote(lit.Value)
	require.NoError(t, err)
	return out
}
