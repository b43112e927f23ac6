// Package naming puts values into the house's texts: blocks of commands around a
// print, and the names of files. {name} stands for a value.
package naming

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode"

	"jobshelf/core/shape/problem"
)

// Values are what a text may name, by name.
type Values map[string]string

// Error is a text that cannot be filled, and why.
type Error struct{ problem.Phrase }

func (e *Error) Error() string { return e.String() }

func wrong(code string, params ...any) *Error { return &Error{problem.Say(code, params...)} }

// Put puts values into a text. A brace without its other, or a name that is not
// known, is an error that says which names there are.
func Put(text string, values Values) (string, error) {
	var out strings.Builder
	for {
		before, rest, open := strings.Cut(text, "{")
		if strings.Contains(before, "}") {
			return "", wrong("brace without its first")
		}
		out.WriteString(before)
		if !open {
			return out.String(), nil
		}
		name, after, closed := strings.Cut(rest, "}")
		if !closed {
			return "", wrong("brace without its second")
		}
		v, ok := values[name]
		if !ok {
			names := make([]string, 0, len(values))
			for n := range values {
				names = append(names, "{"+n+"}")
			}
			slices.Sort(names)
			return "", wrong("no such value", fmt.Sprintf("{%.40s}", name), strings.Join(names, ", "))
		}
		out.WriteString(v)
		text = after
	}
}

// Check says what is wrong with a text that may name the given values, or that it is well.
func Check(text string, names []string) (wrong problem.Phrase, well bool) {
	v := Values{}
	for _, n := range names {
		v[n] = ""
	}
	_, err := Put(text, v)
	var bad *Error
	if errors.As(err, &bad) {
		return bad.Phrase, false
	}
	return wrong, true
}

// FilePattern is how files are named where the house says nothing.
const FilePattern = "{last_name}_{title}_{hours}h{minutes}_{machine}"

// FileNames are what a file's name may be made of.
var FileNames = []string{"job", "last_name", "member", "title", "part", "hours", "minutes", "grams", "machine", "material", "recipe", "layers"}

// titleRunes is how much of a title a file's name takes.
const titleRunes = 24

// FileFacts are what FileNames stand for.
type FileFacts struct {
	Job                               int64
	Member, Title, Part               string
	Seconds, Grams                    float64
	Machine, Material, Recipe, Ending string
	Layers                            int
}

// Minutes is a time as it is told: to the nearest minute, never none.
func Minutes(seconds float64) int { return max(1, int(math.Round(seconds/60))) }

// FileName makes a file's name by a pattern. Blanks and what file systems or
// shells take amiss become hyphens; minutes are two digits;
// titles are cut to 24 letters.
func FileName(pattern string, f FileFacts) (string, error) {
	words := strings.Fields(f.Member)
	last := ""
	if len(words) > 0 {
		last = words[len(words)-1]
	}
	minutes := Minutes(f.Seconds)
	name, err := Put(pattern, Values{"job": fmt.Sprint(f.Job), "last_name": last, "member": f.Member, "title": short(f.Title), "part": short(f.Part),
		"hours": fmt.Sprint(minutes / 60), "minutes": fmt.Sprintf("%02d", minutes%60), "grams": fmt.Sprintf("%.0f", f.Grams),
		"machine": f.Machine, "material": f.Material, "recipe": f.Recipe, "layers": fmt.Sprint(f.Layers)})
	if err != nil {
		return "", err
	}
	name = strings.Map(func(r rune) rune {
		if !unicode.IsPrint(r) || r == ' ' || strings.ContainsRune(`/\:*?"'<>|,;$&%`+"`", r) {
			return '-'
		}
		return r
	}, name)
	name = strings.Trim(name, "-.")
	if name == "" {
		name = fmt.Sprintf("job-%d", f.Job)
	}
	return name + f.Ending, nil
}

func short(s string) string {
	r := []rune(strings.TrimSpace(s))
	if len(r) > titleRunes {
		r = r[:titleRunes]
	}
	return strings.TrimSpace(string(r))
}
