package httpapi_test

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/told"
)

// TestTold plays each script of testdata against a house of its own, line by line, and
// holds what the server answers against the .told file beside it. An answer is told field by
// field; one that was given before on the same path by what is different. Lines of a script:
//
//	as LOGIN                the person from here on; anybody: "as -"
//	upload FILE NAME        one of files below; $up is its number after that
//	wait job N, wait slices N   until nothing of a job's check, or a piece's slices, goes on
//	change KIND N JSON      the Nth of the house's machines, materials or recipes as it is, changed by
//	                        what is given, put back; "change house 0 JSON" the house itself
//	run N WHAT [JSON]       something done with the run that comes first of job N, as POST /runs/…/WHAT
//	METHOD PATH [JSON]      a request; $v is the revision that was seen last
//	show METHOD PATH [JSON] TEXT…  only those fields of the answer that hold one of the texts
func TestTold(t *testing.T) {
	scripts, err := filepath.Glob("testdata/*.script")
	require.NoError(t, err)
	require.NotEmpty(t, scripts)
	for _, name := range scripts {
		t.Run(filepath.Base(name), func(t *testing.T) {
			t.Parallel()
			script, err := os.ReadFile(name) //nolint:gosec // beside the test
			require.NoError(t, err)
			h := &teller{home: open(t)}
			for line := range strings.Lines(string(script)) {
				h.line(strings.TrimSpace(line))
			}
			golden.Assert(t, h.told.String(), strings.TrimSuffix(filepath.Base(name), ".script")+".told")
		})
	}
}

type teller struct {
	*home
	told told.Book
	up   string
	v    any
}

func (h *teller) line(l string) {
	h.told.Line("%s", l)
	word, rest, _ := strings.Cut(l, " ")
	switch word {
	case "", "#":
	case "as":
		h.signIn(strings.TrimPrefix(rest, "-"))
	case "upload":
		file, name, _ := strings.Cut(rest, " ")
		a := h.call("POST", "/uploads?name="+name, files(h.t, file))
		var up struct{ Upload_ID string }
		_ = json.Unmarshal(a.body, &up)
		if h.up = up.Upload_ID; h.up != "" {
			h.told.Names = map[string]string{h.up: "$up"}
		}
		h.tell("", a, nil)
	case "change":
		var house map[string]any
		require.NoError(h.t, json.Unmarshal(h.call("GET", "/house", nil).body, &house))
		var kind string
		var n int
		_, err := fmt.Sscan(rest, &kind, &n)
		require.NoError(h.t, err)
		path, v := "/house", house[kind]
		if kind != "house" {
			v = v.([]any)[n]
			path = fmt.Sprintf("/%s/%v", kind, v.(map[string]any)["id"])
		}
		var by any
		require.NoError(h.t, json.Unmarshal([]byte(rest[strings.Index(rest, "{"):]), &by), "%s", l)
		h.tell("", h.call("PUT", path, merged(v, by)), nil)
	case "wait":
		var n int64
		var what string
		_, err := fmt.Sscan(rest, &what, &n)
		require.NoError(h.t, err)
		if what == "job" {
			h.job(n)
			return
		}
		h.over(l, func() bool {
			a := h.call("GET", fmt.Sprintf("/pieces/%d/slices", n), nil)
			return !bytes.Contains(a.body, []byte(`"queued"`)) && !bytes.Contains(a.body, []byte(`"running"`))
		})
	case "run":
		job, what, _ := strings.Cut(rest, " ")
		var v decide.JobView
		h.call("GET", "/jobs/"+job, nil).into(h.t, &v)
		require.NotEmpty(h.t, v.Runs, "%s", l)
		what, body, has := strings.Cut(what, " ")
		var sent any
		if has {
			require.NoError(h.t, json.Unmarshal([]byte(body), &sent), "%s", l)
		}
		h.tell("", h.call("POST", fmt.Sprintf("/runs/%d/%s", v.Runs[0].ID, what), sent), nil)
	default:
		show := word == "show"
		if show {
			word, rest, _ = strings.Cut(rest, " ")
		}
		path, rest, _ := strings.Cut(rest, " ")
		var body any
		var only []string
		if strings.HasPrefix(rest, "{") {
			sent := strings.NewReplacer("$up", h.up, "$pw", demo.Password, "$v", fmt.Sprint(h.v)).Replace(rest)
			d := json.NewDecoder(strings.NewReader(sent))
			require.NoError(h.t, d.Decode(&body), "%s", l)
			rest = sent[d.InputOffset():]
		}
		if show {
			only = strings.Fields(rest)
		}
		key := ""
		if word == "GET" {
			key = h.as + " " + path
		}
		h.tell(key, h.call(word, path, body), only)
	}
}

// merged is v with what by gives in its place (RFC 7396, without its nulls).
func merged(v, by any) any {
	a, ok := v.(map[string]any)
	b, is := by.(map[string]any)
	if !ok || !is {
		return by
	}
	for k, x := range b {
		a[k] = merged(a[k], x)
	}
	return a
}

// tell writes an answer down; what lies under key already is told by the difference.
func (h *teller) tell(key string, a answer, only []string) {
	var v any
	if json.Unmarshal(a.body, &v) != nil {
		bytes := ""
		if len(a.body) > 0 {
			bytes = fmt.Sprintf(", %s, %s, %s, %d bytes %.8x", a.head.Get("Content-Type"), a.head.Get("Content-Disposition"),
				a.head.Get("Cache-Control"), len(a.body), sha256.Sum256(a.body))
		}
		h.told.Line("    %d%s", a.code, bytes)
		return
	}
	h.told.Line("    %d", a.code)
	if m, ok := v.(map[string]any); ok && m["revision"] != nil {
		h.v = m["revision"]
		// Slices that were ordered together end in any order.
		history, _ := m["history"].([]any)
		slices.SortStableFunc(history, func(a, b any) int {
			return strings.Compare(fmt.Sprint(a.(map[string]any)["what"]), fmt.Sprint(b.(map[string]any)["what"]))
		})
	}
	h.told.Tell(key, v, only...)
}

// files are what scripts hand in: a part of solid.Parts by its name, or one of these.
func files(t *testing.T, name string) []byte {
	switch name {
	case "empty":
		return []byte{}
	case "prose":
		return []byte("Please print this")
	case "cut-short":
		return stl(t, "sheave")[:5000]
	case "not-a-number":
		b := stl(t, "sheave")
		copy(b[84+50*9+12:], []byte{0, 0, 0xc0, 0x7f})
		return b
	case "too-big":
		return make([]byte, 5<<20)
	case "stool": // on one leg: its seat lies over nothing
		m := solid.Box(6, 6, 10).Transformed(1, mesh.Vec3{X: 12, Y: 12})
		m.Append(solid.Box(30, 30, 2).Transformed(1, mesh.Vec3{Z: 10}))
		var b bytes.Buffer
		require.NoError(t, modelfile.WriteSTL(&b, m, ""))
		return b.Bytes()
	case "set-of-two": // in inches, one of them placed twice
		var b bytes.Buffer
		require.NoError(t, modelfile.Write3MF(&b, &modelfile.File{Unit: units.Inch, Models: []modelfile.Model{
			{Name: "bushing", Mesh: solid.OarlockBushing().Transformed(1/25.4, mesh.Vec3{}), Places: []mesh.Vec3{{}, {X: 9}}},
			{Name: "ruler", Mesh: solid.ChartRuler().Transformed(1/25.4, mesh.Vec3{})},
		}}))
		return b.Bytes()
	case "program": // leaves its heaters on
		p := "M104 S205\nM140 S60\nG28\nG90\nM83\n"
		for i := range 39 {
			p += fmt.Sprintf("G1 Z%.2f F900\nG1 X20 Y20 F6000\nG1 X60 E2 F1800\nG1 Y60 E2\nG1 X20 E2\nG1 Y20 E2\n", 0.25+0.25*float64(i))
		}
		return []byte(p + "M500\n")
	}
	return stl(t, name)
}
