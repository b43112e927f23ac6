// Package rule is what a house asks of jobs: conditions over the facts of a job that raise a finding, which says who may
// waive it. It knows no job and no machine, only facts.
package rule

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
)

// Op is what is asked of a fact.
type Op string

// What can be asked: of numbers, of texts, of lists, of flags.
const (
	Over    Op = "over"
	Under   Op = "under"
	AtLeast Op = "at least"
	AtMost  Op = "at most"
	Is      Op = "is" // one of, for texts
	IsNot   Op = "is not"
	Has     Op = "has" // any of
	HasNot  Op = "has not"
	Yes     Op = "yes"
	No      Op = "no"
)

// Ops are those of each kind.
var Ops = map[Kind][]Op{Number: {Over, Under, AtLeast, AtMost, Is, IsNot}, Text: {Is, IsNot}, List: {Has, HasNot}, Flag: {Yes, No}}

// Condition is a fact held against a value, or others joined: exactly one of the four is given.
type Condition struct {
	All  []Condition `json:"all,omitempty"`
	Any  []Condition `json:"any,omitempty"`
	None []Condition `json:"none,omitempty"`
	Fact string      `json:"fact,omitempty"`
	Op   Op          `json:"op,omitempty" enum:"over,under,at least,at most,is,is not,has,has not,yes,no"`
	// Number is what a number is held against, Names what a text or a list is.
	Number float64  `json:"number,omitempty"`
	Names  []string `json:"names,omitempty"`
}

// Waiver is who may set a rule aside for a job.
type Waiver string

// Who may: the desk, the steward, nobody.
const (
	ByDesk    Waiver = "coordinator"
	BySteward Waiver = "steward"
	ByNobody  Waiver = "nobody"
)

// Rule is a condition with what it raises.
type Rule struct {
	Name   string        `json:"name" minLength:"1" maxLength:"80"`
	When   Condition     `json:"when"`
	Grade  finding.Grade `json:"grade" enum:"stops it,decide,worth knowing"`
	Says   string        `json:"says" minLength:"1" maxLength:"400" doc:"To the member and to the desk; {hours} and the other facts stand for their values"`
	Waives Waiver        `json:"waives" enum:"coordinator,steward,nobody"`
}

// Truth is whether a condition holds: of what nobody knows nobody can say (Kleene 1938).
type Truth int

// The three.
const (
	False Truth = iota - 1
	Unknown
	True
)

// Holds says whether a condition holds.
func (c *Condition) Holds(k *Known) Truth {
	switch {
	case c.All != nil:
		return join(c.All, k, func(a, b Truth) Truth { return min(a, b) }, True)
	case c.Any != nil:
		return join(c.Any, k, func(a, b Truth) Truth { return max(a, b) }, False)
	case c.None != nil:
		return -join(c.None, k, func(a, b Truth) Truth { return max(a, b) }, False)
	}
	f, ok := FactOf(c.Fact)
	if !ok || !k.has(&f) {
		return Unknown
	}
	holds := false
	switch f.Kind {
	case Number:
		holds = compares(k.Numbers[c.Fact], c.Op, c.Number)
	case Text:
		holds = slices.ContainsFunc(c.Names, func(n string) bool { return alike(n, k.Texts[c.Fact]) }) == (c.Op == Is)
	case List:
		holds = slices.ContainsFunc(c.Names, func(n string) bool {
			return slices.ContainsFunc(k.Lists[c.Fact], func(x string) bool { return alike(n, x) })
		}) == (c.Op == Has)
	case Flag:
		holds = k.Flags[c.Fact] == (c.Op == Yes)
	}
	if holds {
		return True
	}
	return False
}

func join(of []Condition, k *Known, by func(a, b Truth) Truth, from Truth) Truth {
	for i := range of {
		from = by(from, of[i].Holds(k))
	}
	return from
}

func alike(a, b string) bool { return strings.EqualFold(strings.TrimSpace(a), strings.TrimSpace(b)) }

// sameShare is how far two numbers may be apart that are the same: what was typed against what was worked out.
const sameShare = 1e-9

func compares(v float64, op Op, to float64) bool {
	same := math.Abs(v-to) <= sameShare*math.Max(1, math.Abs(to))
	switch op {
	case Over:
		return v > to && !same
	case Under:
		return v < to && !same
	case AtLeast:
		return v >= to || same
	case AtMost:
		return v <= to || same
	case IsNot:
		return !same
	default: // Is
		return same
	}
}

// Unknowns are the facts that a condition asks for and nobody knows, in the order in which it does.
func (c *Condition) Unknowns(k *Known) (out []string) {
	for _, of := range [][]Condition{c.All, c.Any, c.None} {
		for i := range of {
			for _, key := range of[i].Unknowns(k) {
				if !slices.Contains(out, key) {
					out = append(out, key)
				}
			}
		}
	}
	if f, ok := FactOf(c.Fact); ok && !k.has(&f) {
		out = append(out, c.Fact)
	}
	return out
}

// Find gives what rules raise of what is known, in the rules' order: a finding where one holds, and where it cannot be
// told for what nobody knows a finding that says so.
func Find(rules []Rule, k *Known, words finding.Speaker) (out []finding.Finding) {
	for i := range rules {
		r := &rules[i]
		f := finding.Finding{Check: "house rule", Rule: r.Name, Waives: string(r.Waives)}
		switch r.When.Holds(k) {
		case True:
			f.Grade = r.Grade
			f.Value, f.Limit, f.Unit = r.When.measure(k)
			out = append(out, f.That("house rule", r.Name, Fill(r.Says, k, words)))
		case Unknown:
			f.Grade, f.Waives = finding.WorthKnowing, ""
			var missing []problem.Phrase
			for _, key := range r.When.Unknowns(k) {
				missing = append(missing, FactWords(key))
			}
			out = append(out, f.That("house rule, unknown", r.Name, missing))
		}
	}
	return out
}

// measure is the first number that a condition held: its value, what it was held against, and its unit.
func (c *Condition) measure(k *Known) (value, limit float64, unit string) {
	for _, of := range [][]Condition{c.All, c.Any} {
		for i := range of {
			if value, limit, unit = of[i].measure(k); limit != 0 {
				return value, limit, unit
			}
		}
	}
	if f, ok := FactOf(c.Fact); ok && f.Kind == Number && c.Holds(k) == True {
		return k.Numbers[c.Fact], c.Number, f.Unit
	}
	return 0, 0, ""
}

// Fill puts the values of facts in a text in the place of their keys in braces; what nobody knows is a dash.
func Fill(text string, k *Known, words finding.Speaker) string {
	var b strings.Builder
	for {
		before, rest, ok := strings.Cut(text, "{")
		key, after, closed := strings.Cut(rest, "}")
		b.WriteString(before)
		if !ok {
			return b.String()
		}
		f, is := FactOf(key)
		if !closed || !is {
			b.WriteString("{")
			text = rest
			continue
		}
		b.WriteString(value(&f, k, words))
		text = after
	}
}

func value(f *Fact, k *Known, words finding.Speaker) string {
	if !k.has(f) {
		return "–"
	}
	switch f.Kind {
	case Number:
		digits := 0
		if v := k.Numbers[f.Key]; f.Unit == "money" {
			digits = 2
		} else if f.Unit != "" && v != math.Trunc(v) {
			digits = 1
		}
		return words.Say(problem.Say("a number", problem.Fixed(k.Numbers[f.Key], digits)))
	case Text:
		return k.Texts[f.Key]
	case List:
		return strings.Join(k.Lists[f.Key], ", ")
	default:
		if k.Flags[f.Key] {
			return words.Say(problem.Say("is so"))
		}
		return words.Say(problem.Say("is not so"))
	}
}

// Bounds of a rule: more nobody reads.
const (
	mostDeep       = 4
	mostConditions = 40
	mostNames      = 40
	mostNameBytes  = 120
)

// braces are what Fill puts values in the place of, if there is such a fact.
var braces = regexp.MustCompile(`\{([^{}]*)\}`)

// Check lists what cannot be meant by a rule.
func (r *Rule) Check() (out []problem.Problem) {
	wrong := func(field, code string, params ...any) {
		out = append(out, problem.Problem{Field: field, Phrase: problem.Say(code, params...)})
	}
	if strings.TrimSpace(r.Name) == "" || len(r.Name) > mostNameBytes {
		wrong("name", "rule without a name")
	}
	if strings.TrimSpace(r.Says) == "" {
		wrong("says", "rule says nothing")
	}
	for _, key := range braces.FindAllStringSubmatch(r.Says, -1) { // members would read the braces
		if _, is := FactOf(key[1]); !is {
			wrong("says", "no such fact", key[1])
		}
	}
	if !slices.Contains(finding.Grades, r.Grade) {
		wrong("grade", "no such grade", string(r.Grade))
	}
	if !slices.Contains([]Waiver{ByDesk, BySteward, ByNobody}, r.Waives) {
		wrong("waives", "nobody of that name waives", string(r.Waives))
	}
	n := 0
	r.When.check("when", 1, &n, wrong)
	if n > mostConditions {
		wrong("when", "too many conditions", mostConditions)
	}
	return out
}

func (c *Condition) check(at string, deep int, n *int, wrong func(field, code string, params ...any)) {
	*n++
	given := 0
	for i, of := range [][]Condition{c.All, c.Any, c.None} {
		if of == nil {
			continue
		}
		given++
		name := []string{"all", "any", "none"}[i]
		if len(of) == 0 {
			wrong(at+"."+name, "nothing is asked")
		}
		if deep > mostDeep || *n > mostConditions {
			wrong(at, "too deep a rule", mostDeep)
			return
		}
		for k := range of {
			of[k].check(fmt.Sprintf("%s.%s[%d]", at, name, k), deep+1, n, wrong)
		}
	}
	if c.Fact != "" {
		given++
	}
	if given != 1 {
		wrong(at, "one thing is asked at a time")
		return
	}
	if c.Fact == "" {
		return
	}
	f, ok := FactOf(c.Fact)
	if !ok {
		wrong(at+".fact", "no such fact", c.Fact)
		return
	}
	if !slices.Contains(Ops[f.Kind], c.Op) {
		wrong(at+".op", "not to be asked of it", cmp.Or(string(c.Op), "–"), FactWords(c.Fact))
		return
	}
	if f.Kind == Number && (math.IsNaN(c.Number) || math.IsInf(c.Number, 0)) {
		wrong(at+".number", "no number to hold it against")
	}
	if f.Kind == Text || f.Kind == List {
		if len(c.Names) == 0 || len(c.Names) > mostNames || slices.ContainsFunc(c.Names, func(s string) bool { return strings.TrimSpace(s) == "" || len(s) > mostNameBytes }) {
			wrong(at+".names", "no name to hold it against")
		}
		for _, name := range c.Names {
			if f.Names != nil && !slices.ContainsFunc(f.Names, func(n string) bool { return alike(n, name) }) {
				wrong(at+".names", "never of that name", FactWords(c.Fact), name)
			}
		}
	}
}

// Sentence says a condition in words.
func (c *Condition) Sentence() problem.Phrase {
	switch {
	case c.All != nil:
		return joined("and", c.All)
	case c.Any != nil:
		return joined("or", c.Any)
	case c.None != nil:
		return problem.Say("not", joined("or", c.None))
	}
	f, _ := FactOf(c.Fact)
	fact := FactWords(c.Fact)
	switch f.Kind {
	case Number:
		unit := f.Unit
		if unit == "money" {
			unit = ""
		}
		if unit == "" {
			return problem.Say("it "+string(c.Op), fact, problem.Given(c.Number))
		}
		return problem.Say("it "+string(c.Op)+", unit", fact, problem.Given(c.Number), unit)
	case Flag:
		return problem.Say("it is "+string(c.Op), fact)
	}
	names := make([]problem.Phrase, len(c.Names))
	for i, n := range c.Names {
		names[i] = problem.Say("a name", n)
	}
	return problem.Say("it "+string(c.Op)+" one", fact, problem.Say("a name", fold("or", names)))
}

func joined(word string, of []Condition) problem.Phrase {
	parts := make([]problem.Phrase, len(of))
	for i := range of {
		parts[i] = of[i].Sentence()
		if len(of) > 1 && len(of[i].All)+len(of[i].Any) > 1 {
			parts[i] = problem.Say("in brackets", parts[i])
		}
	}
	return fold(word, parts)
}

func fold(word string, parts []problem.Phrase) problem.Phrase {
	if len(parts) == 0 {
		return problem.Say("a name", "–")
	}
	out := parts[0]
	for _, p := range parts[1:] {
		out = problem.Say(word, out, p)
	}
	return out
}
