package finding

import (
	"slices"

	"jobshelf/core/shape/problem"
)

// answers are what a member is told of a finding, by its check: texts that are ready to send.
// Those of quoting have what the finding says in them.
var answers = texts{
	"answer: open surface": say(
		"Your model is not closed: its surface has a hole, so we cannot tell inside from outside. Please close it in the program you drew it with, or send us the original drawing, and hand it in again.",
	),
	"answer: not readable": say("We could not read your file. %[1]s"),
	"answer: fit":          say("Your model is too large for our machines. May we print it smaller, or would you cut it into parts? Tell us the size that matters."),
	"answer: unit":         say("Your file does not say which unit it is in, and as millimetres the size looks unlikely. How long is the longest side meant to be?"),
	"answer: no volume":    say("Your model is a sheet without thickness. Give it a thickness of at least 1 mm and hand it in again."),
	"answer: shared edges": say(
		"In your model some edges have more than two faces, so we cannot tell inside from outside there. Please join the parts in the program you drew it with, and hand it in again.",
	),
	"answer: turned faces": say("Some faces of your model look inwards. Please let the program you drew it with turn them all outwards, and hand it in again."),
	"answer: inside out":   say("Your model is inside out: every face looks inwards. Please turn the faces and hand it in again."),
	"answer: crosses itself": say(
		"The surface of your model goes through itself. Please look at the places where parts run into each other, join them into one body, and hand it in again.",
	),
	"answer: overlapping bodies": say(
		"Your model has parts that take up the same space. May we join them into one? If they are meant to be separate, please move them apart.",
	),
	"answer: crumbs":           say("Beside your model the file holds very small bodies. Do they belong to it? If not, please take them out and hand it in again."),
	"answer: too thin":         say("Parts of your model are too thin for our machines. %[1]s"),
	"answer: sharp corners":    say("Our machines round off the sharpest corners of your model. %[1]s Is that good enough?"),
	"answer: long and flat":    say("Your model is long and flat, and its ends may lift off the plate. Would you rather cut it from sheet?"),
	"answer: layer height":     say("You sliced this yourself. %[1]s Please hand in the model instead; we slice it with the settings of our machines."),
	"answer: heating stays on": say("Your G-code leaves the heating on at its end. We do not run it like that; please hand in the model instead."),
	"answer: waits with the heat on": say(
		"Your G-code waits for somebody with the heat on. We do not run it like that; please hand in the model instead and tell us where to pause.",
	),
	"answer: command not allowed":      say("We cannot run your G-code. %[1]s"),
	"answer: unclear line":             say("We cannot run your G-code. %[1]s"),
	"answer: nozzles":                  say("We cannot run your G-code. %[1]s"),
	"answer: no heat":                  say("Your G-code never heats the nozzle. Please hand in the model instead."),
	"answer: too long":                 say("We cannot run your G-code. %[1]s"),
	"answer: hotter than the machine":  say("We cannot run your G-code. %[1]s"),
	"answer: hotter than the material": say("We cannot run your G-code. %[1]s"),
	"answer: outside the machine":      say("Your G-code goes outside of our machines. Please hand in the model instead."),
	"answer: another size":             say("We would make your model another size. %[1]s Is that good for what it is to do?"),
	"answer: thin wall":                say("Parts of your model are thinner than what comes out well on our machines. %[1]s"),
	"answer: overhangs":                say("We would have to lay support under parts of your model, which leaves marks. %[1]s Is that good enough?"),
	"answer: tips over":                say("Your model hardly stands. %[1]s May we lay it down?"),
	"answer: begins in mid-air":        say("Parts of your model hang in the air. %[1]s Are they meant to be there?"),
	"answer: weak neck":                say("Your model has a thin place that may break. %[1]s Is that strong enough for what it is to do?"),
	"answer: pulls up":                 say("The ends of your model may lift off the plate. %[1]s May we cut it in two?"),
	"answer: late":                     say("We would not be done in time. %[1]s May it be later?"),
	"answer: long run":                 say("It would keep a machine for very long. %[1]s May we print it coarser, or in parts?"),
	"answer: more than a spool":        say("It takes more filament than a spool holds. %[1]s May we print it hollower, or in parts?"),
	"answer: a question":               say("About %[1]s: we have a question before we print it. Please come by the desk."), // title
}

var quoting = []string{"thin wall", "overhangs", "tips over", "begins in mid-air", "weak neck", "pulls up", "late", "long run", "more than a spool", "another size", "not readable", "too thin", "sharp corners", "layer height", "command not allowed", "unclear line", "nozzles", "too long",
	"hotter than the machine", "hotter than the material"}

// Answer is what a member is told of a finding by a check, which says so; false where nothing
// is ready.
func Answer(check, says string) (problem.Phrase, bool) {
	p := problem.Phrase{Code: "answer: " + check}
	if slices.Contains(quoting, check) {
		p.Params = []any{says}
	}
	_, ok := answers[p.Code]
	return p, ok
}

// Question is what a member of a job by a title is told where nothing else fits.
func Question(title string) problem.Phrase {
	return problem.Phrase{Code: "answer: a question", Params: []any{title}}
}
