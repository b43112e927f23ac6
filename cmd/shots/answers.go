package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"os"
	"regexp"
	"slices"
	"strings"
	"time"

	"jobshelf/internal/demo"
)

// answers writes down what a demo house answers to each question of the web, by who asks, so
// that its tests can walk through a house that is really there. What everybody is told alike
// stands with the first who asks.
func answers(base, out string) error {
	ctx := context.Background()
	var spec struct {
		Paths map[string]map[string]struct {
			Responses map[string]struct{ Content map[string]any }
		}
	}
	raw, err := os.ReadFile("web/src/api/openapi.json")
	if err == nil {
		err = json.Unmarshal(raw, &spec)
	}
	if err != nil {
		return err
	}
	var routes []string
	for path, m := range spec.Paths {
		if g, ok := m["get"]; ok && g.Responses["200"].Content["application/json"] != nil {
			routes = append(routes, path)
		}
	}
	slices.Sort(routes)
	var of struct {
		At   string                                `json:"at"`
		Told map[string]map[string]json.RawMessage `json:"told"`
	}
	of.At, of.Told = time.Now().UTC().Format(time.RFC3339), map[string]map[string]json.RawMessage{}
	first := map[string]json.RawMessage{}
	for _, who := range []string{"cato", "tess", "nia"} {
		get, err := signedIn(ctx, base, who)
		if err != nil {
			return err
		}
		told := map[string]json.RawMessage{}
		for _, route := range routes {
			for _, path := range places(route, first, told) {
				body, err := get(path)
				if err != nil {
					return err
				}
				if body == nil {
					continue
				}
				if body, err = short(body); err != nil {
					return err
				}
				if bytes.Equal(body, first[path]) {
					continue
				}
				told[path] = body
				if first[path] == nil {
					first[path] = body
				}
			}
		}
		of.Told[who] = told
	}
	raw, err = json.Marshal(of)
	if err != nil {
		return err
	}
	raw = bytes.ReplaceAll(raw, []byte(`,"/`), []byte(",\n\"/")) // an answer a line
	return os.WriteFile(out, append(raw, '\n'), 0o644)           //nolint:gosec // nothing secret
}

// walked are the jobs of the demo house that are asked for: in each state, with one piece and
// with several, with all that is found.
var walked = []string{"1", "5", "7", "9", "13", "14", "24", "26"}

// short leaves out what only fills an answer: all but the first of long lists of numbers.
func short(body json.RawMessage) (json.RawMessage, error) {
	var v any
	d := json.NewDecoder(bytes.NewReader(body))
	d.UseNumber()
	if err := d.Decode(&v); err != nil {
		return nil, err
	}
	return json.Marshal(shorter(v))
}

const longest = 9

func shorter(v any) any {
	switch x := v.(type) {
	case []any:
		for i := range x {
			x[i] = shorter(x[i])
		}
		if len(x) > longest && numbers(x) {
			return x[:longest]
		}
	case map[string]any:
		for k := range x {
			x[k] = shorter(x[k])
		}
	}
	return v
}

// numbers says that a list has numbers only, or lists of them.
func numbers(list []any) bool {
	for _, v := range list {
		switch x := v.(type) {
		case json.Number:
		case []any:
			if !numbers(x) {
				return false
			}
		default:
			return false
		}
	}
	return true
}

// signedIn gives the way in which somebody asks; nothing comes where they may not know.
func signedIn(ctx context.Context, base, who string) (func(path string) (json.RawMessage, error), error) {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, err
	}
	client := &http.Client{Jar: jar, Timeout: time.Minute}
	ask := func(method, path, body string) (json.RawMessage, error) {
		r, err := http.NewRequestWithContext(ctx, method, base+"/api"+path, strings.NewReader(body))
		if err != nil {
			return nil, err
		}
		r.Header.Set("Content-Type", "application/json")
		answer, err := client.Do(r)
		if err != nil {
			return nil, err
		}
		defer func() { _ = answer.Body.Close() }()
		raw, err := io.ReadAll(answer.Body)
		if err != nil || answer.StatusCode >= http.StatusBadRequest {
			return nil, err
		}
		return bytes.TrimSpace(raw), nil
	}
	if _, err := ask(http.MethodPost, "/session", fmt.Sprintf(`{"login":%q,"password":%q}`, who, demo.Password)); err != nil {
		return nil, err
	}
	me, err := ask(http.MethodGet, "/session", "")
	if err == nil && me == nil {
		err = fmt.Errorf("%s is not let in", who)
	}
	return func(path string) (json.RawMessage, error) { return ask(http.MethodGet, path, "") }, err
}

var (
	oneID   = regexp.MustCompile(`"id": ?(\d+)`)
	pieceID = regexp.MustCompile(`"piece_id": ?(\d+)`)
)

// places are the paths that a route stands for, of what was told already.
func places(route string, first, told map[string]json.RawMessage) []string {
	if !strings.Contains(route, "{") {
		return []string{route}
	}
	from, what := "", oneID
	switch {
	case strings.HasPrefix(route, "/jobs/"):
		var out []string
		for _, id := range walked {
			out = append(out, strings.Replace(route, "{id}", id, 1))
		}
		return out
	case strings.HasPrefix(route, "/pieces/"):
		var out []string
		for _, id := range walked {
			for _, m := range pieceID.FindAllSubmatch(first["/jobs/"+id], -1) {
				if path := strings.Replace(route, "{id}", string(m[1]), 1); !slices.Contains(out, path) {
					out = append(out, path)
				}
			}
		}
		return out
	case strings.HasPrefix(route, "/machines/"):
		from = "/machines"
		what = regexp.MustCompile(`"machine_id": ?(\d+)`)
	case strings.HasPrefix(route, "/accounts/"):
		from, what = "/accounts", regexp.MustCompile(`"member_id": ?(\d+)`)
	case strings.HasPrefix(route, "/rules/"):
		from = "/rules"
	case strings.HasPrefix(route, "/runs/"):
		from, what = "/floor", regexp.MustCompile(`"id": ?(\d+),"job_id"`)
	case strings.HasPrefix(route, "/spools/"):
		from = "/spools"
	}
	list := told[from]
	if list == nil {
		list = first[from]
	}
	var out []string
	for _, m := range what.FindAllSubmatch(list, -1) {
		if path := strings.Replace(route, "{id}", string(m[1]), 1); !slices.Contains(out, path) {
			out = append(out, path)
		}
	}
	return out
}
