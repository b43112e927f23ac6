package rule

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"
	"pgregory.net/rapid"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
)

var words = finding.Speak("en-GB")

// Every fact against everything that can be asked of it: just below, at and just above a number; one of, none of, in
// other letters; nobody knows it; and what cannot be asked of it is refused.
func TestEveryFactAndWhatIsAskedOfIt(t *testing.T) {
	for _, f := range Facts {
		ask := func(op Op, number float64, names ...string) *Condition {
			return &Condition{Fact: f.Key, Op: op, Number: number, Names: names}
		}
		holds := func(want Truth, c *Condition, k Known) {
			t.Helper()
			assert.Equal(t, want, c.Holds(&k), "%s %v of %+v", f.Key, c, k)
			assert.Equal(t, Unknown, c.Holds(&Known{}), "%s that nobody knows", f.Key)
			assert.Equal(t, []string{f.Key}, c.Unknowns(&Known{}))
			assert.Empty(t, c.Unknowns(&k))
			r := Rule{Name: "x", When: *c, Grade: finding.Decide, Says: "x", Waives: ByDesk}
			assert.Empty(t, r.Check())
			assert.NotContains(t, words.Say(c.Sentence()), "%!")
		}
		all := []Op{Over, Under, AtLeast, AtMost, Is, IsNot, Has, HasNot, Yes, No, "like"}
		for _, op := range all {
			r := Rule{Name: "x", When: *ask(op, 5, cmpName(f)), Grade: finding.Decide, Says: "x", Waives: ByDesk}
			assert.Equal(t, !slices.Contains(Ops[f.Kind], op), len(r.Check()) > 0, "%s %s", f.Key, op)
		}
		switch f.Kind {
		case Number:
			for v, want := range map[float64][6]Truth{ // over, under, at least, at most, is, is not 6
				5.999: {False, True, False, True, False, True}, 6: {False, False, True, True, True, False}, 6.001: {True, False, True, False, False, True},
				5.9999999999: {False, False, True, True, True, False}, -3: {False, True, False, True, False, True},
			} {
				for i, op := range Ops[Number] {
					holds(want[i], ask(op, 6), Known{Numbers: map[string]float64{f.Key: v}})
				}
			}
		case Text:
			one, other := cmpName(f), "quick look"
			if f.Names == nil {
				other = "PETG"
			}
			for v, is := range map[string]Truth{one: True, " " + strings.ToUpper(one): True, other: False, one + "x": False, "": False} {
				holds(is, ask(Is, 0, one), Known{Texts: map[string]string{f.Key: v}})
				holds(-is, ask(IsNot, 0, one), Known{Texts: map[string]string{f.Key: v}})
			}
			holds(True, ask(Is, 0, one, other), Known{Texts: map[string]string{f.Key: other}})
		case List:
			one := cmpName(f)
			for _, c := range []struct {
				of  []string
				has Truth
			}{{nil, False}, {[]string{"x"}, False}, {[]string{"x", strings.ToUpper(one)}, True}} {
				k := Known{Lists: map[string][]string{f.Key: c.of}}
				holds(c.has, ask(Has, 0, one), k)
				holds(-c.has, ask(HasNot, 0, one), k)
			}
		case Flag:
			for _, v := range []bool{true, false} {
				k := Known{Flags: map[string]bool{f.Key: v}}
				want := map[bool]Truth{true: True, false: False}[v]
				holds(want, ask(Yes, 0), k)
				holds(-want, ask(No, 0), k)
			}
		}
	}
}

func cmpName(f Fact) string {
	if len(f.Names) > 1 {
		return f.Names[1]
	}
	return "PLA"
}

// drawn draws conditions and what is known of a job: of some facts nothing.
func drawn(t *rapid.T, deep int) Condition {
	if deep > 0 && rapid.Bool().Draw(t, "group") {
		var of []Condition
		for range rapid.IntRange(1, 3).Draw(t, "of") {
			of = append(of, drawn(t, deep-1))
		}
		switch rapid.IntRange(0, 2).Draw(t, "join") {
		case 0:
			return Condition{All: of}
		case 1:
			return Condition{Any: of}
		}
		return Condition{None: of}
	}
	f := rapid.SampledFrom(Facts).Draw(t, "fact")
	c := Condition{Fact: f.Key, Op: rapid.SampledFrom(Ops[f.Kind]).Draw(t, "op")}
	switch f.Kind {
	case Number:
		c.Number = float64(rapid.IntRange(0, 4).Draw(t, "number"))
	case Text, List:
		c.Names = []string{"a"}
		if f.Names != nil {
			c.Names = []string{rapid.SampledFrom(f.Names).Draw(t, "name")}
		}
	}
	return c
}

func known(t *rapid.T, all bool) *Known {
	k := &Known{Numbers: map[string]float64{}, Texts: map[string]string{}, Lists: map[string][]string{}, Flags: map[string]bool{}}
	for _, f := range Facts {
		if !all && rapid.Bool().Draw(t, "unknown") {
			continue
		}
		names := append([]string{"a", "b"}, f.Names...)
		switch f.Kind {
		case Number:
			k.Numbers[f.Key] = float64(rapid.IntRange(0, 4).Draw(t, f.Key))
		case Text:
			k.Texts[f.Key] = rapid.SampledFrom(names).Draw(t, f.Key)
		case List:
			k.Lists[f.Key] = rapid.SliceOfN(rapid.SampledFrom(names), 0, 3).Draw(t, f.Key)
		case Flag:
			k.Flags[f.Key] = rapid.Bool().Draw(t, f.Key)
		}
	}
	return k
}

// With everything known exactly one of a condition and its contrary holds; with something unknown both or neither are
// unknown, and what is then learnt changes no answer that was given; the order of conditions changes nothing; and what
// is written down is read as it was.
func TestLawsOfConditions(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := drawn(t, 3)
		not := Condition{None: []Condition{c}}
		r := Rule{Name: "x", When: c, Grade: finding.Decide, Says: "x", Waives: ByDesk}
		if bad := r.Check(); len(bad) > 0 {
			t.Fatalf("%v of %+v", bad, c)
		}
		whole := known(t, true)
		if a, b := c.Holds(whole), not.Holds(whole); a != -b || a == Unknown {
			t.Fatalf("%v and %v", a, b)
		}
		some := &Known{Numbers: map[string]float64{}, Texts: map[string]string{}, Lists: map[string][]string{}, Flags: map[string]bool{}}
		for _, f := range Facts { // some of the same
			if rapid.Bool().Draw(t, "known") {
				continue
			}
			switch f.Kind {
			case Number:
				some.Numbers[f.Key] = whole.Numbers[f.Key]
			case Text:
				some.Texts[f.Key] = whole.Texts[f.Key]
			case List:
				some.Lists[f.Key] = whole.Lists[f.Key]
			case Flag:
				some.Flags[f.Key] = whole.Flags[f.Key]
			}
		}
		early := c.Holds(some)
		if early != -not.Holds(some) || early != Unknown && early != c.Holds(whole) {
			t.Fatalf("%v of some, %v of all", early, c.Holds(whole))
		}
		if early == Unknown && len(c.Unknowns(some)) == 0 {
			t.Fatal("unknown for nothing")
		}
		found := Find([]Rule{r}, some, words)
		switch {
		case early == False && len(found) != 0, early != False && len(found) != 1:
			t.Fatalf("%v: %v", early, found)
		case early == Unknown && (found[0].Grade != finding.WorthKnowing || !strings.Contains(found[0].Text, "nobody knows")):
			t.Fatalf("%v", found)
		case early == True && found[0].Grade != finding.Decide:
			t.Fatalf("%v", found)
		}
		for _, of := range []*[]Condition{&c.All, &c.Any, &c.None} {
			slices.Reverse(*of)
		}
		if c.Holds(some) != early {
			t.Fatal("the order matters")
		}
		raw, err := json.Marshal(r)
		if err != nil {
			t.Fatal(err)
		}
		var back Rule
		if err := json.Unmarshal(raw, &back); err != nil {
			t.Fatal(err)
		}
		if again, _ := json.Marshal(back); string(again) != string(raw) || back.When.Holds(some) != early {
			t.Fatalf("%s and %s", raw, again)
		}
		if said := words.Say(c.Sentence()); strings.Contains(said, "%!") || strings.Contains(said, "fact ") {
			t.Fatal(said)
		}
	})
}

// A rule reads as a sentence, and tells with the values that it was held by.
func TestARuleIsSaid(t *testing.T) {
	six := Rule{Name: "Six hours", Grade: finding.Decide, Waives: ByDesk, Says: "It runs {hours} h and takes {grams} g for {price}; {use} {first} {warm} {nothing} {hours",
		When: Condition{All: []Condition{{Any: []Condition{{Fact: "hours", Op: Over, Number: 6}, {Fact: "grams", Op: AtLeast, Number: 50.5}}},
			{None: []Condition{{Fact: "purpose", Op: Is, Names: []string{"working part", "everyday"}}}}, {Fact: "first", Op: No}}}}
	assert.Equal(t, []problem.Problem{{Field: "says", Phrase: problem.Say("no such fact", "nothing")}}, six.Check(), "it is said of old all the same, as it is written")
	sound := six
	sound.Says = strings.ReplaceAll(six.Says, "{nothing}", "} {")
	assert.Empty(t, sound.Check())
	assert.Equal(t, "(its longest run is over 6 h or its filament is at least 50.5 g) and not (its purpose is working part or everyday) and it is not its member’s first print ever",
		words.Say(six.When.Sentence()))
	k := &Known{Numbers: map[string]float64{"hours": 6.24, "grams": 12, "price": 3.5}, Texts: map[string]string{"purpose": "quick look"}, Lists: map[string][]string{"use": {"load", "outdoors"}}, Flags: map[string]bool{"first": false}}
	f := Find([]Rule{six}, k, words)
	require.Len(t, f, 1)
	assert.Equal(t, "Six hours: It runs 6.2 h and takes 12 g for 3.50; load, outdoors no – {nothing} {hours", f[0].Text)
	assert.Equal(t, [3]any{6.24, 6.0, "h"}, [3]any{f[0].Value, f[0].Limit, f[0].Unit})
	assert.Equal(t, [3]string{"house rule", "Six hours", "coordinator"}, [3]string{f[0].Check, f[0].Rule, f[0].Waives})
	delete(k.Flags, "first")
	delete(k.Texts, "purpose")
	assert.Equal(t, "Six hours: it cannot be held, nobody knows its purpose, its member’s first print ever yet.", Find([]Rule{six}, k, words)[0].Text)
	k.Numbers["hours"] = 2
	assert.Empty(t, Find([]Rule{six}, k, words), "whatever the rest is")
}

// What cannot be meant is refused at its place.
func TestRulesThatCannotBeMeant(t *testing.T) {
	good := func() Rule {
		return Rule{Name: "x", When: Condition{Fact: "hours", Op: Over, Number: 6}, Grade: finding.Decide, Says: "x", Waives: ByDesk}
	}
	deep := Condition{Fact: "hours", Op: Over}
	for range 6 {
		deep = Condition{All: []Condition{deep}}
	}
	var wide Condition
	for range 41 {
		wide.Any = append(wide.Any, Condition{Fact: "hours", Op: Over})
	}
	for at, change := range map[string]func(r *Rule){
		"name": func(r *Rule) { r.Name = "  " }, "says": func(r *Rule) { r.Says = "" }, "grade": func(r *Rule) { r.Grade = "bad" }, "waives": func(r *Rule) { r.Waives = "member" },
		"when":        func(r *Rule) { r.When = Condition{} },
		"when.all":    func(r *Rule) { r.When = Condition{All: []Condition{}} },
		"when.fact":   func(r *Rule) { r.When.Fact = "mood" },
		"when.op":     func(r *Rule) { r.When.Op = Has },
		"when.number": func(r *Rule) { r.When.Number = math.NaN() },
		"when.any[1].names": func(r *Rule) {
			r.When = Condition{Any: []Condition{r.When, {Fact: "use", Op: Has, Names: []string{"sport"}}}}
		},
		"when.none[0].names":               func(r *Rule) { r.When = Condition{None: []Condition{{Fact: "material", Op: Is}}} },
		"when.all[0].all[0].all[0].all[0]": func(r *Rule) { r.When = deep },
	} {
		r := good()
		require.Empty(t, r.Check())
		change(&r)
		bad := r.Check()
		require.NotEmpty(t, bad, at)
		assert.Equal(t, at, bad[0].Field, "%v", bad)
		assert.NotContains(t, words.Say(bad[0].Phrase), "%!")
	}
	r := good()
	r.When = wide
	assert.NotEmpty(t, r.Check())
	r = good()
	r.When.All = []Condition{r.When}
	assert.NotEmpty(t, r.Check(), "two things at a time")
}

// What is read never fails, and is held the same again.
func FuzzRead(f *testing.F) {
	f.Add([]byte(`{"name":"x","when":{"all":[{"fact":"hours","op":"over","number":6},{"none":[{"fact":"use","op":"has","names":["load"]}]}]},"grade":"decide","says":"{hours}","waives":"nobody"}`))
	f.Add([]byte(`{"when":{"any":[{},{"all":[]}]}}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		var r Rule
		if json.Unmarshal(b, &r) != nil || len(r.Check()) > 0 {
			return
		}
		k := &Known{Numbers: map[string]float64{"hours": 7}, Lists: map[string][]string{"use": {"load"}}}
		a := fmt.Sprint(Find([]Rule{r}, k, words))
		if b := fmt.Sprint(Find([]Rule{r}, k, words)); a != b || strings.Contains(words.Say(r.When.Sentence()), "%!") {
			t.Fatal(a, b)
		}
	})
}

// A rule tried against a thousand jobs of the past.
func BenchmarkTry(b *testing.B) {
	r := Rule{Name: "x", When: Condition{All: []Condition{{Fact: "hours", Op: Over, Number: 6}, {None: []Condition{{Fact: "material", Op: Is, Names: []string{"PLA", "PETG"}}}}}}, Grade: finding.Decide, Says: "{hours}", Waives: ByDesk}
	all := make([]Known, 1000)
	for i := range all {
		all[i] = Known{Numbers: map[string]float64{"hours": float64(i % 13)}, Texts: map[string]string{"material": []string{"PLA", "ABS"}[i%2]}}
	}
	for b.Loop() {
		n := 0
		for i := range all {
			n += len(Find([]Rule{r}, &all[i], words))
		}
		b.ReportMetric(float64(n), "hits")
	}
}

// The page of facts is what the list says.
func TestFactsAreDescribed(t *testing.T) {
	const page = "../../../docs/rules.md"
	if golden.FlagUpdate() {
		require.NoError(t, os.WriteFile(page, []byte(Described(words)), 0o644)) //nolint:gosec // a page
	}
	was, err := os.ReadFile(page)
	require.NoError(t, err)
	assert.Equal(t, Described(words), string(was), "make golden prints it anew")
	assert.NotContains(t, string(was), "fact hours")
}

// What a rule would have done to jobs of the past, and of which too little is known.
func TestARuleIsTried(t *testing.T) {
	past := []Past{{"a", Known{Numbers: map[string]float64{"hours": 7}}}, {"b", Known{Numbers: map[string]float64{"hours": 6}}}, {"c", Known{}}}
	rules := []Rule{{Name: "six", When: Condition{Fact: "hours", Op: Over, Number: 6}}, {Name: "never", When: Condition{All: []Condition{{Fact: "hours", Op: Over, Number: 6}, {Fact: "hours", Op: Under, Number: 6}}}}}
	assert.Equal(t, []Tried{{"six", 3, []string{"a"}, []string{"c"}}, {"never", 3, []string{}, []string{"c"}}}, Try(rules, past))
}
