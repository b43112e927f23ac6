package finding

// rules are the texts of house rules: what can be asked of a job, and how.
var rules = texts{
	"house rule":          say("%[1]s: %[2]s"),                                      // its name, what it says
	"house rule, unknown": say("%[1]s: it cannot be held, nobody knows %[2]v yet."), // its name, facts
	"a number":            say("%[1]v"),
	"a name":              say("%[1]v"),
	"is so":               say("yes"),
	"is not so":           say("no"),

	"fact hours":     say("its longest run"),
	"fact all_hours": say("all its runs together"),
	"fact grams":     say("its filament"),
	"fact price":     say("its price"),
	"fact infill":    say("its infill"),
	"fact layer":     say("its layer height"),
	"fact size":      say("its longest side"),
	"fact scale":     say("its size of as it came"),
	"fact copies":    say("the number of copies"),
	"fact pieces":    say("the number of pieces"),
	"fact plates":    say("the number of plates"),
	"fact days":      say("the time until it is needed"),
	"fact warm":      say("how warm it gets"),
	"fact material":  say("its material"),
	"fact colour":    say("its colour"),
	"fact machine":   say("its machine"),
	"fact purpose":   say("its purpose"),
	"fact group":     say("its member’s group"),
	"fact use":       say("its use"),
	"fact findings":  say("what was found"),
	"fact overrides": say("what was set otherwise"),
	"fact first":     say("its member’s first print ever"),

	"and":         say("%[1]s and %[2]s"),
	"or":          say("%[1]s or %[2]s"),
	"not":         say("not (%[1]s)"),
	"in brackets": say("(%[1]s)"),

	"it over":           say("%[1]s is over %[2]v"), // fact, number
	"it under":          say("%[1]s is under %[2]v"),
	"it at least":       say("%[1]s is at least %[2]v"),
	"it at most":        say("%[1]s is at most %[2]v"),
	"it is":             say("%[1]s is %[2]v"),
	"it is not":         say("%[1]s is not %[2]v"),
	"it over, unit":     say("%[1]s is over %[2]v %[3]s"), // fact, number, unit
	"it under, unit":    say("%[1]s is under %[2]v %[3]s"),
	"it at least, unit": say("%[1]s is at least %[2]v %[3]s"),
	"it at most, unit":  say("%[1]s is at most %[2]v %[3]s"),
	"it is, unit":       say("%[1]s is %[2]v %[3]s"),
	"it is not, unit":   say("%[1]s is not %[2]v %[3]s"),
	"it is one":         say("%[1]s is %[2]s"), // fact, names
	"it is not one":     say("%[1]s is not %[2]s"),
	"it has one":        say("%[1]s has %[2]s in it"),
	"it has not one":    say("%[1]s has no %[2]s in it"),
	"it is yes":         say("it is %[1]s"), // fact
	"it is no":          say("it is not %[1]s"),

	"rule without a name":          say("A rule has a name of up to 80 letters."),
	"rule says nothing":            say("Say what the member and the desk are told."),
	"no such grade":                say("A rule stops it, is to decide, or is worth knowing; not %[1]s."),                  // grade
	"nobody of that name waives":   say("A rule is waived by the coordinator, by the steward or by nobody; not by %[1]s."), // who
	"too many conditions":          say("A rule has at most %[1]d conditions."),
	"nothing is asked":             say("A group of conditions has at least one in it."),
	"too deep a rule":              say("Groups of conditions are at most %[1]d deep."),
	"one thing is asked at a time": say("A condition asks one thing, or is one group of conditions."),
	"no such fact":                 say("There is no fact %[1]s."),           // key
	"not to be asked of it":        say("“%[1]s” cannot be asked of %[2]s."), // op, fact
	"no number to hold it against": say("Give the number to hold it against."),
	"no name to hold it against":   say("Give a name, or up to 40, to hold it against."),
	"never of that name":           say("%[1]s is never %[2]s."), // fact, name
}
