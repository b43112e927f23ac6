// Package letter is what a member is told when something was decided about a job: a template of the house's for each
// kind, filled in with what is known. A line of it in which something is not known is left out.
package letter

import (
	"slices"
	"strings"

	"jobshelf/core/shape/problem"
)

// Kind is an occasion on which a member is told something.
type Kind struct {
	Name   string   `json:"kind"`
	Fields []string `json:"fields" doc:"What its template may hold, in braces"`
}

// The kinds.
const (
	Approved   = "approved"
	Moved      = "moved"
	Asked      = "asked"
	SentBack   = "sent back"
	TakenBack  = "yes taken back"
	Withdrawn  = "withdrawn"
	Failed     = "run failed"
	Ready      = "ready to be fetched"
	NotFetched = "not fetched"
	LeftBehind = "left behind"
)

var promised = []string{"title", "member", "who", "machine", "time", "grams", "price", "finish", "plates", "conditions", "allowed"}

// Kinds are all of them. Their first templates are in the catalogue, as "letter approved".
var Kinds = []Kind{
	{Approved, promised},
	{Moved, promised},
	{Asked, []string{"title", "member", "who", "question"}},
	{SentBack, []string{"title", "member", "who", "reason"}},
	{TakenBack, []string{"title", "member", "who"}},
	{Withdrawn, []string{"title", "member", "who", "reason"}},
	{Failed, []string{"title", "member", "who", "machine", "reason"}},
	{Ready, []string{"title", "member", "who", "price", "code", "place", "days"}},
	{NotFetched, []string{"title", "member", "price", "code", "place", "days"}},
	{LeftBehind, []string{"title", "member"}},
}

// Of finds a kind by its name.
func Of(name string) (Kind, bool) {
	k := slices.IndexFunc(Kinds, func(k Kind) bool { return k.Name == name })
	if k < 0 {
		return Kind{}, false
	}
	return Kinds[k], true
}

// Values are what is known, by field; an empty one is not.
type Values map[string]string

// MostBytes bounds a template and what is made of it.
const MostBytes = 4000

// Check lists what a template cannot be: too long, empty, or with a field that its kind does not have.
func (k *Kind) Check(template string) (out []problem.Problem) {
	wrong := func(code string, params ...any) {
		out = append(out, problem.Problem{Field: "text", Phrase: problem.Say(code, params...)})
	}
	if strings.TrimSpace(template) == "" {
		wrong("letter is empty")
	}
	if len(template) > MostBytes {
		wrong("letter too long", MostBytes)
	}
	parts(template, func(_, field string) {
		if field != "" && !slices.Contains(k.Fields, field) {
			wrong("letter has no such field", field, strings.Join(k.Fields, ", "))
		}
	})
	return out
}

// Fill puts values in the place of their fields. A line with a field that is not known is left out, whatever else is in
// it; a brace that opens no field stays as it is.
func (k *Kind) Fill(template string, v Values) string {
	var lines []string
	for line := range strings.SplitSeq(strings.ReplaceAll(template, "\r\n", "\n"), "\n") {
		var b strings.Builder
		known := true
		parts(line, func(text, field string) {
			b.WriteString(text)
			if field != "" {
				known = known && v[field] != ""
				b.WriteString(v[field])
			}
		})
		if known {
			lines = append(lines, b.String())
		}
	}
	out := strings.TrimSpace(strings.Join(lines, "\n"))
	if len(out) > 4*MostBytes {
		out = strings.ToValidUTF8(out[:4*MostBytes], "")
	}
	return out
}

// parts gives a template's text and the field after it, in turn; the last text has none.
func parts(template string, give func(text, field string)) {
	for {
		at := strings.IndexByte(template, '{')
		if at < 0 {
			give(template, "")
			return
		}
		n := strings.IndexFunc(template[at+1:], func(r rune) bool { return r < 'a' || r > 'z' })
		if n <= 0 || template[at+1+n] != '}' {
			give(template[:at+1], "")
			template = template[at+1:]
			continue
		}
		give(template[:at], template[at+1:at+1+n])
		template = template[at+n+2:]
	}
}
