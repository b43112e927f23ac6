package finding

// letters are what members are told when something was decided, until a house writes its own; and how times and sums are
// written in them. What stands in braces is filled in by package letter.
var letters = texts{
	"letter approved": say("{title} is approved: {machine} prints it in {time}, {grams}, for {price}.\n" +
		"It will be done about {finish}.\nOn these conditions: {conditions}.\nAllowed for this once: {allowed}."),
	"letter moved": say("{title} was moved: {machine} prints it now, in {time}, {grams}, for {price}.\n" +
		"It will be done about {finish}.\nOn these conditions: {conditions}.\nAllowed for this once: {allowed}."),
	"letter asked":               say("A question about {title}: {question}"),
	"letter sent back":           say("{title} comes back to you.\n{reason}"),
	"letter yes taken back":      say("The yes to {title} was taken back. It is looked at again."),
	"letter withdrawn":           say("{title} was withdrawn.\n{reason}"),
	"letter run failed":          say("{title} did not come out on {machine}: {reason}\nIt is printed again, and first in the line."),
	"letter ready to be fetched": say("{title} is ready to be fetched.\nIt lies at: {place}.\nBring this code: {code}\nIt costs {price}.\nIf it is not fetched, we write once more after {days} days, and keep it for as many again."),
	"letter not fetched":         say("{title} still waits for you.\nIt lies at: {place}.\nBring this code: {code}\nIt costs {price}.\nAfter {days} days more it is the house's."),
	"letter left behind":         say("Nobody has fetched {title}: it is the house's now."),

	"letter is empty":          say("Write what the member is told."),
	"letter too long":          say("This is too long: at most %[1]d bytes."),               // bytes
	"letter has no such field": say("There is no {%[1]s} in this message; there is %[2]s."), // field, fields
	"no such letter":           say("There is no message of this kind: %[1]s."),             // kind
	"letter written":           say("The message “%[1]s” says something else now"),          // kind

	"a time of": say("%[1]d h %[2]d min"), // hours, minutes
	"minutes":   say("%[1]d min"),
	"money of":  say("%[1]v %[2]s"), // amount, currency
	"grams of":  say("%[1]v g"),
	"a moment":  say("%[1]s %[2]d %[3]s, %[4]s"), // weekday, day, month, hh:mm
	"weekday 0": say("Sun"),
	"weekday 1": say("Mon"),
	"weekday 2": say("Tue"),
	"weekday 3": say("Wed"),
	"weekday 4": say("Thu"),
	"weekday 5": say("Fri"),
	"weekday 6": say("Sat"),
	"month 1":   say("Jan"),
	"month 2":   say("Feb"),
	"month 3":   say("Mar"),
	"month 4":   say("Apr"),
	"month 5":   say("May"),
	"month 6":   say("Jun"),
	"month 7":   say("Jul"),
	"month 8":   say("Aug"),
	"month 9":   say("Sep"),
	"month 10":  say("Oct"),
	"month 11":  say("Nov"),
	"month 12":  say("Dec"),
	"condition": say("%[1]s %[2]s"),   // setting, value with its unit
	"allowed":   say("%[1]s (%[2]s)"), // what was found, the reason
}
