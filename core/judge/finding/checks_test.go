package finding

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"
)

// Every check that is told is in the list, every one in the list is told somewhere, and the page is what the list
// says.
func TestChecksAreDescribed(t *testing.T) {
	listed := map[string]bool{}
	for _, c := range Checks {
		assert.False(t, listed[c.Name], c.Name)
		assert.NotEmpty(t, c.Grades, c.Name)
		listed[c.Name] = true
	}
	told, said, given := map[string]bool{}, map[string]bool{}, map[[2]string]bool{}
	for _, root := range []string{"../..", "../../../internal"} {
		require.NoError(t, filepath.WalkDir(root, func(path string, _ os.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || strings.HasSuffix(path, "finding/checks.go") {
				return err
			}
			f, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
			if err != nil {
				return err
			}
			ast.Inspect(f, func(n ast.Node) bool {
				switch n := n.(type) {
				case *ast.BasicLit:
					if n.Kind == token.STRING {
						s, err := strconv.Unquote(n.Value)
						require.NoError(t, err)
						said[s] = true
					}
				case *ast.CompositeLit:
					check, grade := "", ""
					for _, e := range n.Elts {
						kv, is := e.(*ast.KeyValueExpr)
						if !is {
							continue
						}
						key, _ := kv.Key.(*ast.Ident)
						if lit, of := kv.Value.(*ast.BasicLit); of && key != nil && key.Name == "Check" && lit.Kind == token.STRING {
							check, _ = strconv.Unquote(lit.Value)
						}
						if sel, of := kv.Value.(*ast.SelectorExpr); of && key != nil && key.Name == "Grade" {
							grade = sel.Sel.Name
						}
					}
					if check != "" {
						told[check] = true
						if grade != "" {
							given[[2]string{check, grade}] = true
						}
					}
				}
				return true
			})
			return nil
		}))
	}
	assert.Greater(t, len(told), 20)
	for name := range told {
		assert.True(t, listed[name], "%s is told and in no list", name)
	}
	for name := range listed {
		assert.True(t, said[name], "%s is in the list and told nowhere", name)
	}
	names := map[Grade]string{StopsIt: "StopsIt", Decide: "Decide", WorthKnowing: "WorthKnowing"}
	for g := range given {
		for _, c := range Checks {
			if c.Name == g[0] {
				assert.True(t, slices.ContainsFunc(c.Grades, func(of Grade) bool { return names[of] == g[1] }), "%s is %s", g[0], g[1])
			}
		}
	}
	const page = "../../../docs/findings.md"
	if golden.FlagUpdate() {
		require.NoError(t, os.WriteFile(page, []byte(Described()), 0o644)) //nolint:gosec // a page
	}
	was, err := os.ReadFile(page)
	require.NoError(t, err)
	assert.Equal(t, Described(), string(was), "make golden prints it anew")
}
