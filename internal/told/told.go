// Package told writes down what a test is told, value by value and in order, so that whole
// conversations can be held against a golden file and read by a person. Only tests use it.
package told

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"
)

// Book is what was told so far. The zero value is an empty one.
type Book struct {
	text strings.Builder
	seen map[string]map[string]string
	// Names are values that differ from run to run, and how they are told.
	Names map[string]string
}

// Line adds a line as it is.
func (b *Book) Line(format string, args ...any) { fmt.Fprintf(&b.text, format+"\n", args...) }

// String is all of it.
func (b *Book) String() string { return b.text.String() }

// Tell adds a value as it goes through JSON, each leaf in a line behind its path. What was
// told under the same key before is told by what has become different; "" is no key. With
// only, the leaves whose path holds one of its words are told alone.
func (b *Book) Tell(key string, v any, only ...string) {
	raw, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	var plain any
	if err := json.Unmarshal(raw, &plain); err != nil {
		panic(err)
	}
	now := map[string]string{}
	b.flat("", plain, now)
	was := b.seen[key]
	if key != "" {
		if b.seen == nil {
			b.seen = map[string]map[string]string{}
		}
		b.seen[key] = now
	}
	asked := func(path string) bool {
		return len(only) == 0 || slices.ContainsFunc(only, func(s string) bool { return strings.Contains(path, s) })
	}
	for _, k := range slices.Sorted(maps.Keys(now)) {
		if old, ok := was[k]; (!ok || old != now[k]) && asked(k) {
			b.Line("    %s %s", k, now[k])
		}
	}
	for _, k := range slices.Sorted(maps.Keys(was)) {
		if _, ok := now[k]; !ok && asked(k) {
			b.Line("    %s is gone", k)
		}
	}
}

// longList is how many members of a list are told one by one.
const longList = 20

// flat puts the leaves of v into out: numbers to six figures, rows of numbers in one line,
// long lists by their sum.
func (b *Book) flat(at string, v any, out map[string]string) {
	switch v := v.(type) {
	case map[string]any:
		for k, x := range v {
			b.flat(strings.TrimPrefix(at+"."+k, "."), x, out)
		}
	case []any:
		if len(v) > longList {
			rows := map[string]string{}
			for i, x := range v {
				b.flat(fmt.Sprint(i), x, rows)
			}
			out[at] = fmt.Sprintf("%d of %.8x", len(v), sha256.Sum256(fmt.Append(nil, rows)))
			return
		}
		var row []string
		for i, x := range v {
			if n, ok := x.(float64); ok {
				row = append(row, fmt.Sprintf("%.6g", n))
			} else {
				b.flat(fmt.Sprintf("%s[%02d]", at, i), x, out)
			}
		}
		if len(row) == len(v) {
			out[at] = fmt.Sprint(row)
		}
	case float64:
		out[at] = fmt.Sprintf("%.6g", v)
	case string:
		if name := b.Names[v]; name != "" {
			v = name
		}
		// What the database dates is of this run; the desk's clock has whole seconds.
		if t, err := time.Parse(time.RFC3339, v); err == nil && t.Nanosecond() != 0 {
			v = "now"
		}
		out[at] = fmt.Sprintf("%q", v)
	default:
		out[at] = fmt.Sprint(v)
	}
}

// Know keeps a value as if it had been told under a key.
func (b *Book) Know(key string, v any) {
	text := b.text
	b.text = strings.Builder{}
	b.Tell(key, v)
	b.text = text
}
