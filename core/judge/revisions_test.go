package judge_test

import (
	"crypto/sha256"
	"flag"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
)

var update = flag.Bool("update", false, "write a raised revision with what it stands for")

// What is sliced or judged otherwise has another revision: a golden file that changed under the
// old number would leave results of the older program counted as fresh.
func TestARevisionIsRaisedWithWhatItStandsFor(t *testing.T) {
	for name, c := range map[string]struct {
		n     int
		files []string
	}{
		"slicing": {slicing.Revision, []string{"slicing/testdata", "../print/toolpath/testdata", "../print/post/testdata", "../print/estimate/testdata"}},
		"verdict": {verdict.Revision, []string{"verdict/testdata", "printability/testdata", "programcheck/testdata", "../print/estimate/testdata"}},
	} {
		sum := sha256.New()
		for _, dir := range c.files {
			require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
				if err != nil || d.IsDir() {
					return err
				}
				raw, err := os.ReadFile(path)
				fmt.Fprintf(sum, "%s %d\n%s", path, len(raw), raw)
				return err
			}))
		}
		kept := filepath.Join("testdata", name+".revision")
		now := fmt.Sprintf("%d %x\n", c.n, sum.Sum(nil)[:12])
		was, err := os.ReadFile(kept)
		if *update && (err != nil || !strings.HasPrefix(string(was), fmt.Sprint(c.n, " "))) {
			require.NoError(t, os.MkdirAll("testdata", 0o755))
			require.NoError(t, os.WriteFile(kept, []byte(now), 0o644))
			continue
		}
		require.NoError(t, err)
		require.Equal(t, string(was), now, "%s.Revision: its golden files changed: raise it, and run this test with -update", name)
	}
}
