package rule

import "jobshelf/core/judge/finding"

// Past is a job that was decided on, with what was known of it then.
type Past struct {
	Job   string `json:"job"`
	Known Known  `json:"known"`
}

// Tried is what a rule would have done.
type Tried struct {
	Rule    string   `json:"rule"`
	Of      int      `json:"of"`
	Held    []string `json:"held"`    // jobs that it would have raised something of
	Unknown []string `json:"unknown"` // jobs of which too little is known
}

// Try holds rules against jobs of the past.
func Try(rules []Rule, past []Past) []Tried {
	out := make([]Tried, len(rules))
	for i := range rules {
		out[i] = Tried{rules[i].Name, len(past), []string{}, []string{}}
		for k := range past {
			switch rules[i].When.Holds(&past[k].Known) {
			case True:
				out[i].Held = append(out[i].Held, past[k].Job)
			case Unknown:
				out[i].Unknown = append(out[i].Unknown, past[k].Job)
			}
		}
	}
	return out
}

// Described is the page of all facts, in a speaker's words.
func Described(words finding.Speaker) string {
	out := "# House rules\n\nPrinted from `rule.Facts`. A rule is a JSON object `{name, when, grade, says, waives}`: `grade` is `stops it`, `decide` or " +
		"`worth knowing`; `waives` is `coordinator`, `steward` or `nobody`; in `says` a fact's key in braces stands for its value. `when` is one of\n" +
		"`{\"all\": […]}`, `{\"any\": […]}`, `{\"none\": […]}` (up to 4 deep, 40 conditions) or `{\"fact\": KEY, \"op\": OP}` with `number` (of numbers) or " +
		"`names` (of texts and lists). What asks for a fact that nobody knows neither holds nor does not, unless the rest decides it: the desk is told which.\n\n" +
		"`jobshelf rules try --rules FILE --facts FILE [--json]` holds a list of rules against a list of jobs `{job, known: {numbers, texts, lists, flags}}`, each a map from\n" +
		"key to value, and tells for each rule `{rule, of, held: [job…], unknown: [job…]}`. Exit code 2: a file that cannot be read, or a rule that cannot be meant.\n\n" +
		"| fact | is | kind | unit | what can be asked |\n|---|---|---|---|---|\n"
	for _, f := range Facts {
		ops := ""
		for i, op := range Ops[f.Kind] {
			if i > 0 {
				ops += ", "
			}
			ops += string(op)
		}
		names := ""
		for i, n := range f.Names {
			if i == 0 {
				names = ": "
			} else {
				names += ", "
			}
			names += n
		}
		out += "| `" + f.Key + "` | " + words.Say(FactWords(f.Key)) + names + " | " + string(f.Kind) + " | " + f.Unit + " | " + ops + " |\n"
	}
	return out
}
