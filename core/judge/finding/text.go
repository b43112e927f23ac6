package finding

import (
	"maps"
	"strings"

	"jobshelf/core/shape/problem"

	"golang.org/x/text/feature/plural"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/message/catalog"
	"golang.org/x/text/number"
)

// texts are what the codes say in a language: a message, or variables and then a message, as
// package catalog of golang.org/x/text has them.
type texts map[string][]catalog.Message

// known are all languages, English first: it stands in for what the others lack.
var (
	known  = catalog.NewBuilder(catalog.Fallback(language.English))
	spoken []language.Tag
	said   []texts // of each
	match  language.Matcher
)

func init() {
	maps.Copy(english, refusals)
	maps.Copy(english, answers)
	maps.Copy(english, history)
	maps.Copy(english, rules)
	maps.Copy(english, letters)
	add(language.English, english)
}

// add makes a language known.
func add(tag language.Tag, all texts) {
	for code, m := range all {
		if err := known.Set(tag, code, m...); err != nil {
			panic("texts of " + tag.String() + ": " + code + ": " + err.Error()) // of the program, seen by every test
		}
	}
	spoken, said = append(spoken, tag), append(said, all)
	match = language.NewMatcher(spoken)
}

// Has says that there is a text of this code.
func Has(code string) bool {
	_, is := english[code]
	return is
}

// Speaker says phrases in a language, and in English what that one lacks. It is for one
// goroutine.
type Speaker struct {
	has          texts
	own, english *message.Printer
}

// Speak is who speaks a language (BCP 47, as "en-GB"), with numbers as that country writes
// them; English where the language is not known.
func Speak(locale string) Speaker {
	wanted, err := language.Parse(locale)
	_, at, sure := match.Match(wanted)
	if err != nil || sure == language.No {
		at, wanted = 0, language.English
	}
	english := message.NewPrinter(language.English, message.Catalog(known))
	return Speaker{said[at], message.NewPrinter(wanted, message.Catalog(known)), english}
}

// Say is a phrase in words.
func (s Speaker) Say(p problem.Phrase) string {
	params := make([]any, len(p.Params))
	for i, v := range p.Params {
		switch v := v.(type) {
		case problem.Phrase:
			params[i] = s.Say(v)
		case []problem.Phrase:
			all := make([]string, len(v))
			for k := range v {
				all[k] = s.Say(v[k])
			}
			params[i] = strings.Join(all, ", ")
		case problem.Number:
			params[i] = number.Decimal(v.Value, number.MinFractionDigits(v.Least), number.MaxFractionDigits(v.Most))
		default:
			params[i] = v
		}
	}
	if numbered[p.Code] && len(params) > 0 { // a name, no amount: 1234 and not 1,234
		params[0] = number.Decimal(params[0], number.NoSeparator())
	}
	if _, ok := s.has[p.Code]; ok {
		return s.own.Sprintf(p.Code, params...)
	}
	return s.english.Sprintf(p.Code, params...)
}

// numbered are the phrases whose first parameter is the number of a job, a slice or a person.
var numbered = map[string]bool{
	"job changed meanwhile":       true,
	"not to be approved":          true,
	"check not done":              true,
	"not to be sent back":         true,
	"no yes to take back":         true,
	"not to be withdrawn":         true,
	"no run to fail":              true,
	"not decided yet":             true,
	"slice not to be tried again": true,
	"slice not to be cancelled":   true,
	"slice not done":              true,
	"no such member":              true,
	"pieces settled":              true,
	"check closed":                true,
	"check over":                  true,
	"slice ordered":               true,
	"slice again":                 true,
	"slice cancelled":             true,
	"slice chosen":                true,
	"slice done":                  true,
	"slice failed":                true,
	"slice set aside":             true,
	"job twice":                   true,
}

// say is a message without more ado.
func say(text string) []catalog.Message { return []catalog.Message{catalog.String(text)} }

// counted is a variable that has one text for one and another for any other number of the
// n-th parameter.
func counted(name string, n int, one, other string) catalog.Message {
	return catalog.Var(name, plural.Selectf(n, "%d", "=1", one, "other", other))
}

// Text is what a finding says; one from before there were codes says what was kept.
func (s Speaker) Text(f *Finding) string { return s.Or(f.Says, f.Text) }

// Stale says what has changed since something was made; empty where nothing has.
func (s Speaker) Stale(changed []problem.Phrase) string {
	if len(changed) == 0 {
		return ""
	}
	return s.Say(problem.Say("stale", changed))
}

// Or is a phrase in words, or those kept from before there were codes.
func (s Speaker) Or(p problem.Phrase, kept string) string {
	if p.Code == "" {
		return kept
	}
	return s.Say(p)
}
