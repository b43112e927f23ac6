package core_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The core has no interface code: no HTTP, SQL, files, logging or clock. The
// linter has the same rule; this one runs with every test.
func TestCoreIsPure(t *testing.T) {
	seen := 0
	require.NoError(t, fs.WalkDir(os.DirFS("."), ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		require.NoError(t, err)
		seen++
		for _, i := range file.Imports {
			name := strings.Trim(i.Path.Value, `"`)
			for _, banned := range []string{"os", "os/exec", "log", "log/slog", "net/http", "database/sql"} {
				assert.NotEqual(t, banned, name, path)
			}
			assert.False(t, strings.HasPrefix(name, "jobshelf/internal") || strings.HasPrefix(name, "github.com/jackc"), "%s imports %s", path, name)
		}
		ast.Inspect(file, func(n ast.Node) bool {
			if s, ok := n.(*ast.SelectorExpr); ok {
				if x, ok := s.X.(*ast.Ident); ok && x.Name == "time" {
					assert.NotContains(t, []string{"Now", "Sleep", "After"}, s.Sel.Name, path)
				}
			}
			return true
		})
		return nil
	}))
	assert.Greater(t, seen, 20, "files looked at")
}
