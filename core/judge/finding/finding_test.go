package finding

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/problem"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/language"
	"pgregory.net/rapid"
)

func init() { add(language.German, german) }

// What stops a job is told in its order, and nothing else is; the worst comes first.
func TestWhatStopsAJob(t *testing.T) {
	assert.Empty(t, Stopping(nil))
	all := []Finding{{Check: "a", Grade: WorthKnowing}, {Check: "b", Grade: StopsIt}, {Check: "c", Grade: Decide}, {Check: "d", Grade: StopsIt}}
	got := Stopping(all)
	require.Len(t, got, 2)
	assert.Equal(t, "b d", got[0].Check+" "+got[1].Check)
	for k, want := range []string{"b", "c", "c", "a"} {
		w, ok := Worst([][]Finding{all, {all[0], all[2]}, {all[2], all[0]}, all[:1]}[k])
		assert.Equal(t, want, w.Check)
		assert.True(t, ok)
	}
	_, ok := Worst(nil)
	assert.False(t, ok)
}

// The same finding in two languages, with the numbers of each country; what a language lacks
// is said in English.
func TestFindingsInAnotherLanguage(t *testing.T) {
	f := Finding{Check: "open surface"}.That("open surface, holes", 1, 1234, problem.Fixed(1234.5, 1))
	for locale, want := range map[string]string{
		"en-GB": "The surface has 1 hole: 1,234 edges have only one face, so what is inside is a guess. The largest hole is 1,234.5 mm around. Repair closes holes; look at the result, or ask for a closed model.",
		"de":    "Die Oberfläche hat 1 Loch: 1.234 Kanten haben nur eine Fläche. Das größte Loch misst 1.234,5 mm im Umfang.",
		"de-AT": "Die Oberfläche hat 1 Loch: 1 234 Kanten haben nur eine Fläche. Das größte Loch misst 1 234,5 mm im Umfang.",
		"de-CH": "Die Oberfläche hat 1 Loch: 1’234 Kanten haben nur eine Fläche. Das größte Loch misst 1’234.5 mm im Umfang.",
	} {
		assert.Equal(t, want, strings.ReplaceAll(Speak(locale).Text(&f), "\u00a0", " "), locale)
	}
	english := Speak("en").Text(&f)
	assert.Equal(t, english, f.Text)
	for _, locale := range []string{"fr-FR", "", "no such thing"} {
		assert.Equal(t, english, Speak(locale).Text(&f), locale)
	}
	in := problem.Say("unit", problem.Digits(2.5, 3), []problem.Phrase{problem.Say("unit, another", problem.Say("unit of inches"), problem.Digits(63.5, 4), 3), problem.Say("unit, another", problem.Say("unit of metres"), problem.Digits(2500, 4), 0)})
	assert.Equal(t, "Die längste Seite misst 2,5 mm, wenn die Datei in Millimetern ist; in Zoll wären es 63,5 mm, auf 3 Maschinen, in metres wären es 2.500 mm, auf 0 Maschinen.", Speak("de").Say(in))
	one := problem.Say("unit, another", problem.Phrase{Code: "unit of inches"}, problem.Digits(63.5, 4), 1)
	assert.Equal(t, "in inches it would be 63.5 mm and go on 1 machine", Speak("en").Say(one))
	e := modelfile.Error{What: problem.Text("The model has %d triangles, the limit is %d", 2345678, 1000000), Do: problem.Text("Reduce the number of triangles in the program that made it."), Line: 1234, Byte: -1}
	assert.Equal(t, "Das Modell hat 2.345.678 Dreiecke, die Grenze ist 1.000.000 (Zeile 1234). Bitte im Programm, das es gemacht hat, die Zahl der Dreiecke verringern.", e.Words(Speak("de").Say))
	assert.Equal(t, "The model has 2,345,678 triangles, the limit is 1,000,000 (line 1234). Reduce the number of triangles in the program that made it.", e.Words(Speak("en").Say))
	assert.Equal(t, "The model has 2345678 triangles, the limit is 1000000 (line 1234). Reduce the number of triangles in the program that made it.", e.Error())
	old := Finding{Text: "kept from before"}
	assert.Equal(t, "kept from before", Speak("de").Text(&old))
}

// Kept and read again, a finding says the same.
func TestFindingsAreKept(t *testing.T) {
	number := rapid.Custom(func(t *rapid.T) any {
		return problem.Fixed(rapid.Float64Range(-1e6, 1e6).Draw(t, "v"), rapid.IntRange(0, 3).Draw(t, "digits"))
	})
	leaf := rapid.OneOf(number, rapid.Map(rapid.String(), func(s string) any { return s }), rapid.Map(rapid.Int(), func(n int) any { return n }))
	phrase := rapid.Custom(func(t *rapid.T) problem.Phrase {
		return problem.Phrase{Code: "unit, another", Params: rapid.SliceOfN(leaf, 1, 3).Draw(t, "in it")}
	})
	rapid.Check(t, func(t *rapid.T) {
		all := rapid.SliceOfN(rapid.OneOf(leaf, rapid.Map(phrase, func(p problem.Phrase) any { return p }), rapid.Map(rapid.SliceOfN(phrase, 1, 3), func(p []problem.Phrase) any { return p })), 1, 4).Draw(t, "params")
		f := Finding{Check: "x", Says: problem.Phrase{Code: "unit", Params: all}}
		raw, err := json.Marshal(f)
		require.NoError(t, err)
		var back Finding
		require.NoError(t, json.Unmarshal(raw, &back))
		require.Equal(t, f, back)
	})
	for _, broken := range []string{`{"says": {"code": "a", "params": [true]}}`, `{"says": {"code": 1}}`, `{"says": {"code": "a", "params": [[1]]}}`, `{"says": {"code": "a", "params": [1.5]}}`} {
		assert.Error(t, json.Unmarshal([]byte(broken), new(Finding)), broken)
	}
	raw, err := json.Marshal(Finding{Check: "old", Text: "kept from before"})
	require.NoError(t, err)
	assert.NotContains(t, string(raw), "says")
}

// Digits are as many as are asked for, whatever the size of the number, without idle zeros.
func TestNumbersHaveTheirDigits(t *testing.T) {
	for want, n := range map[string]problem.Number{
		"0.000123": problem.Digits(0.0001234, 3), "1.23": problem.Digits(1.2345, 3), "12.3": problem.Digits(12.345, 3), "1,235": problem.Digits(1234.56, 3), "0": problem.Digits(0, 3), "0.2": problem.Digits(0.2, 6),
		"-0.5": problem.Digits(-0.5, 2), "2.00": problem.Fixed(2, 2), "2": problem.Fixed(2.4, 0), "1,000,000": problem.Digits(1e6, 3),
	} {
		assert.Contains(t, Speak("en").Say(problem.Say("fit", n)), "at "+want+" % of this size")
	}
	assert.NotPanics(t, func() { _ = Speak("de").Say(problem.Say("fit", problem.Digits(math.Inf(1), 3))) })
}

// Every text takes each of the parameters that its comment tells, and no others: none is left
// over, none is missing, and no variable stands as it is.
func TestEveryTextSaysItsParameters(t *testing.T) {
	var source []byte
	for _, name := range []string{"english.go", "refusals.go", "answers.go", "history.go", "rules.go", "letters.go"} {
		file, err := os.ReadFile(name) //nolint:gosec // of the package
		require.NoError(t, err)
		source = append(source, file...)
	}
	place := regexp.MustCompile(`%\[(\d)\]([sdv])`)
	entries := regexp.MustCompile(`(?m)^\t"(.+?)":`).FindAllSubmatchIndex(source, -1)
	require.Len(t, entries, len(english))
	for k, e := range entries {
		code, end := string(source[e[2]:e[3]]), len(source)
		if k+1 < len(entries) {
			end = entries[k+1][0]
		}
		kinds := map[int]string{}
		for _, p := range place.FindAllStringSubmatch(string(source[e[1]:end]), -1) {
			n, err := strconv.Atoi(p[1])
			require.NoError(t, err)
			kinds[n] = p[2]
		}
		if _, ok := kinds[1]; !ok && len(kinds) > 0 {
			t.Fatalf("%s: parameters are numbered from 1", code)
		}
		var params []any
		for n := range len(kinds) {
			require.Contains(t, kinds, n+1, "%s: parameters are numbered without gaps", code)
			params = append(params, map[string]any{"s": fmt.Sprint("name", n), "d": 7, "v": problem.Fixed(float64(n)+0.25, 2)}[kinds[n+1]])
		}
		got := Speak("en").Say(problem.Phrase{Code: code, Params: params})
		assert.NotRegexp(t, `%!|\$\{|%\[`, got, code)
		assert.NotEqual(t, code, got)
		for n, k := range kinds {
			if k == "s" {
				assert.Contains(t, got, fmt.Sprint("name", n-1), code)
			}
		}
	}
}

// What is ready for a member has what the finding says in it or not, and never a rest.
func TestAnswersAreReady(t *testing.T) {
	for code := range answers {
		check := strings.TrimPrefix(code, "answer: ")
		p, ok := Answer(check, "So it is.")
		require.True(t, ok)
		if check == "a question" {
			p = Question("So it is.")
		}
		text := Speak("en").Say(p)
		assert.NotContains(t, text, "%!", check)
		assert.Equal(t, len(p.Params) > 0, strings.Contains(text, "So it is."), check)
	}
	_, ok := Answer("odd file", "")
	assert.False(t, ok)
}

// The number of a thing is written as it is, however large, come from the database or not; an
// amount is grouped.
func TestNumbersOfThingsAreNames(t *testing.T) {
	s := Speak("en")
	for _, n := range []any{int64(12345), 12345, 12345.0} {
		assert.Equal(t, "Slice 12345 of a.stl counts", s.Say(problem.Say("slice chosen", n, "a.stl")))
	}
	assert.Equal(t, "12,345 copies of a.stl", s.Say(problem.Say("copies are", 12345, "a.stl")))
	for code := range numbered {
		require.Contains(t, english, code)
	}
}
