package desktest

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
)

// fieldNames are all fields of what can be asked of the house, by their names in JSON.
func fieldNames(t *testing.T) map[string]bool {
	t.Helper()
	root, out := ".", map[string]bool{}
	for {
		if _, err := os.Stat(filepath.Join(root, "go.mod")); err == nil {
			break
		}
		root = filepath.Join(root, "..")
	}
	tag := regexp.MustCompile("json:\"([a-z_]+)")
	for _, of := range []string{"core", "internal"} {
		require.NoError(t, filepath.WalkDir(filepath.Join(root, of), func(path string, _ fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			text, err := os.ReadFile(path)
			for _, m := range tag.FindAllStringSubmatch(string(text), -1) {
				out[m[1]] = true
			}
			return err
		}))
	}
	return out
}

// Codes looks that what is said in the code of a test's package and below has a text, and that what is refused by its field
// names one: whoever mistypes a code has people read the code.
func Codes(t *testing.T) {
	t.Helper()
	n, fields := 0, fieldNames(t)
	require.NoError(t, filepath.WalkDir(".", func(path string, _ fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		ast.Inspect(f, func(x ast.Node) bool {
			call, is := x.(*ast.CallExpr)
			if !is {
				return true
			}
			name := ""
			switch f := call.Fun.(type) {
			case *ast.SelectorExpr:
				name = f.Sel.Name
			case *ast.Ident:
				name = f.Name
			}
			at := slices.Index([]string{"Say", "Refuse", "Wrong"}, name) / 2 // of Wrong the first says which field
			if !slices.Contains([]string{"Say", "Refuse", "Wrong"}, name) || len(call.Args) <= at {
				return true
			}
			if lit, is := call.Args[0].(*ast.BasicLit); is && at == 1 {
				field, err := strconv.Unquote(lit.Value)
				require.NoError(t, err)
				for part := range strings.SplitSeq(field, ".") {
					assert.True(t, fields[part], "%s: nobody can enter anything in %q", path, field)
				}
			}
			if lit, is := call.Args[at].(*ast.BasicLit); is && lit.Kind == token.STRING {
				code, err := strconv.Unquote(lit.Value)
				require.NoError(t, err)
				assert.True(t, finding.Has(code), "%s: %q has no text", path, code)
				n++
			}
			return true
		})
		return nil
	}))
	assert.Positive(t, n)
}
