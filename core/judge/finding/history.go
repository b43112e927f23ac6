package finding

// history are the texts of what was done, of jobs, slices, the house and its people.
var history = texts{
	"as it came":                          say("As it came: %[1]v cm³ under overhangs, %[2]v mm high"),
	"as it came, no support":              say("As it came: no support, %[1]v mm high"),
	"rests on a flat":                     say("On a flat of %[3]v cm²: %[1]v cm³ under overhangs, %[2]v mm high"),
	"rests on a flat, no support":         say("On a flat of %[2]v cm²: no support, %[1]v mm high"),
	"along an axis":                       say("Upright along its own axis: %[1]v cm³ under overhangs, %[2]v mm high"),
	"along an axis, no support":           say("Upright along its own axis: no support, %[1]v mm high"),
	"leaning":                             say("Leaning, for least support: %[1]v cm³ under overhangs, %[2]v mm high"),
	"the only machine":                    say("the only one that takes it"),
	"fit for its use":                     say("made of what suits its use; %[1]s has another material or colour loaded"), // machine
	"in time, the other not":              say("done in time; on %[1]s it would not be"),                                  // machine
	"than on":                             say("%[1]s than on %[2]s"),                                                     // phrases, machine
	"as good as":                          say("%[1]s would do as well"),                                                  // machine
	"minutes sooner":                      say("finished %[1]v min sooner"),
	"minutes later":                       say("finished %[1]v min later"),
	"hours sooner":                        say("finished %[1]v h sooner"),
	"hours later":                         say("finished %[1]v h later"),
	"cheaper by":                          say("%[1]v %[2]s less"), // money, currency
	"dearer by":                           say("%[1]v %[2]s more"),
	"needs other filament":                say("%[1]s needs other filament"),
	"than on, which needs other filament": say("%[1]s than on %[2]s, which needs other filament"),
	"nothing is loaded":                   say("nothing is loaded, the recipe wants %[1]s"),
	"to be loaded":                        say("%[1]s is loaded, the recipe wants %[2]s"), // material, material
	"each as it is best there":            say("each piece as it is best there"),
	"minutes less":                        say("%[1]v; %[2]v min less"), // why, minutes
	"minutes more":                        say("%[1]v; %[2]v min more"), // why, minutes
	"mirrored as it is made":              say("mirrored"),
	"in percent":                          say("%[1]v %%"),                 // %
	"in percent by axis":                  say("%[1]v × %[2]v × %[3]v %%"), // %, %, %
	"turned to fit":                       say("%[1]v; as it came it fits no machine"),
	"turned for less support":             say("%[1]v; as it came %[2]v cm³ under overhangs"),
	"leaning, no support":                 say("Leaning: no support, %[1]v mm high"),
	"handed in":                           say("Handed in %[1]s"),                                                                     // names of files
	"approved":                            say("Approved and queued on %[1]s"),                                                        // machine
	"approved up to":                      say("Approved for %[1]s up to %[2]v min, %[3]v g and %[4]v; it is sliced first"),           // machine, minutes, grams, money
	"approved if":                         say("Approved for %[1]s if %[2]s, up to %[3]v min, %[4]v g and %[5]v; it is sliced first"), // machine, conditions, minutes, grams, money
	"group given":                         say("%[1]s belongs to the group “%[2]s”"),                                                  // name, group
	"for warmth":                          say("It is to get %[1]v °C warm"),                                                          // °C
	"for outdoors":                        say("It is to stay outdoors"),
	"for bending":                         say("It has to bend"),
	"for load":                            say("It is to carry load"),
	"for fitting":                         say("It has to fit another part"),
	"for a colour":                        say("It is wished in %[1]s"), // colour
	"for anything":                        say("It is for nothing in particular, of any colour"),
	"finding answered":                    say("Answered: %[1]s"),                          // what was found
	"answer taken back":                   say("The answer was taken back: %[1]s"),         // what was found
	"rule written":                        say("The rule %[1]s is written, version %[2]d"), // its name, version
	"rule taken away":                     say("The rule %[1]s is taken away"),             // its name
	"asked":                               say("Asked: %[1]s"),                             // what
	"replied":                             say("Answered: %[1]s"),                          // what
	"yes not kept":                        say("The yes does not hold: to be decided again"),
	"longer than the yes":                 say("Sliced, it takes %[1]v min, and the yes was to %[2]v min."),
	"heavier than the yes":                say("Sliced, it takes %[1]v g, and the yes was to %[2]v g."),
	"dearer than the yes":                 say("Sliced, it costs %[1]v, and the yes was to %[2]v."),
	"changed while it was sliced":         say("Something it is made by was changed while it was sliced."),
	"machine takes it no more":            say("The machine takes it no more."),
	"yes taken back":                      say("The yes was taken back"),
	"withdrawn":                           say("Withdrawn"),
	"sent back":                           say("Sent back"),
	"started":                             say("Started"),
	"run failed":                          say("It failed on the machine; another run is planned"),
	"run ready":                           say("Ready to be started: somebody said yes to its checklist"),
	"run not ready":                       say("Not ready any more: its checklist has to be gone through again"),
	"run sent":                            say("Its program goes to the machine"),
	"run not sent":                        say("The machine did not take its program; it waits as before"),
	"run lays":                            say("The first layers are laid"),
	"run seen":                            say("The first layers were seen to be good"),
	"run paused":                          say("It waits"),
	"run goes on":                         say("It goes on"),
	"run cools":                           say("Its heat was turned off while it waits"),
	"run rewarms":                         say("It warms again"),
	"run lost":                            say("Nothing is known of it any more"),
	"run found":                           say("It was found again"),
	"run ended":                           say("It has come to its end and cools"),
	"run stopped":                         say("It was stopped; another run is planned"),
	"run back on":                         say("It still is on the machine"),
	"sliced again for bad copies":         say("What came out bad was sliced to be made again"),
	"not sliced again":                    say("What came out bad could not be sliced to be made again"),
	"run wanted":                          say("Asked of its machine: %[1]s"), // pause, go on or stop
	"bed cleared":                         say("The bed of %[1]s is clear"),   // machine
	"machines looked at":                  say("The house was restored from a copy, and all machines were looked at"),
	"spool received":                      say("Spool %[1]d has come: %[2]s, %[3]v g"),                                                // spool, filament, grams
	"spool told":                          say("Spool %[1]d, %[2]s, %[3]s"),                                                           // spool, filament, what
	"spool weighed":                       say("Spool %[1]d, %[2]s, was weighed: %[3]v g are on it, %[4]v g more than the books had"), // spool, filament, grams, more
	"spool corrected":                     say("Spool %[1]d, %[2]s, has %[3]v g more than the books had: %[4]s"),                      // spool, filament, more, why
	"part told":                           say("%[2]s of %[1]s %[3]s, after %[4]v h and %[5]v g"),                                     // machine, part, what, hours, grams
	"spool put":                           say("Spool %[1]d, %[2]s, is kept at %[3]s"),                                                // spool, filament, place
	"filament loaded":                     say("%[3]s is loaded on %[1]s, nozzle %[2]d"),                                              // machine, nozzle, filament
	"does: out":                           say("Not in service"),
	"does: stands still":                  say("It has shut itself down: %[1]s"),         // in its words
	"does: to be cleared":                 say("%[1]s is off; the bed is to be cleared"), // title
	"does: ready":                         say("Ready to start %[1]s"),                   // title
	"does: not heard":                     say("It does not answer"),
	"does: next":                          say("Free; next comes %[1]s"), // title
	"does: nothing":                       say("Free"),
	"does: sending":                       say("Takes the program of %[1]s: %[2]v %%"),                 // title, %
	"does: heating":                       say("Warms for %[1]s"),                                      // title
	"does: heating for":                   say("Warms for %[1]s, about %[2]v min more"),                // title, minutes
	"does: first layers":                  say("Lays the first layers of %[1]s; %[2]s is to see them"), // title, name
	"does: printing":                      say("Prints %[1]s"),                                         // title
	"does: printing for hours":            say("Prints %[1]s, about %[2]v h more"),                     // title, hours
	"does: printing for":                  say("Prints %[1]s, about %[2]v min more"),                   // title, minutes
	"does: paused":                        say("%[1]s waits, warm"),                                    // title
	"does: paused cold":                   say("%[1]s waits, its heat is off"),                         // title
	"does: lost":                          say("Nobody knows what becomes of %[1]s"),                   // title
	"does: cooling":                       say("%[1]s is done and cools: take it off"),                 // title
	"machine warmed":                      say("%[1]s is warmed for %[2]s"),                            // machine, title
	"heat turned off":                     say("The heat of %[1]s is turned off"),                      // machine
	"reason at layer":                     say("%[1]s (at layer %[2]d)"),                               // reason, layer
	"run mistaken":                        say("The last step was said by mistake"),
	"came off":                            say("Came off the machine"),
	"ready to be fetched":                 say("Ready to be fetched"),
	"not fetched":                         say("It was not fetched; its member was told"),
	"left behind":                         say("Nobody has fetched it: it is the house's"),
	"step told":                           say("Finishing: %[1]s %[2]s"),         // step, what
	"put at":                              say("It lies at %[1]s"),               // place
	"charged":                             say("%[2]s, account of %[1]s: %[3]v"), // member, what, money
	"fetched":                             say("Fetched"),
	"moved in its lane":                   say("Moved within the lane"),
	"to lie together":                     say("To lie on one plate with parts of others on %[1]s; it is sliced first"), // machine
	"lie together":                        say("Lies on one plate with parts of others on %[1]s"),                       // machine
	"not together":                        say("It could not be put on one plate with parts of others on %[1]s"),        // machine
	"lies alone":                          say("Lies on a plate of its own again on %[1]s"),                             // machine
	"moved to":                            say("Moved to %[1]s"),                                                        // machine
	"unit left to the file":               say("Unit of %[1]s left to the file"),                                        // file
	"unit is":                             say("%[1]s is in %[2]s"),                                                     // file, unit
	"copies are":                          say("%[1]d copies of %[2]s"),                                                 // copies, file
	"stands as it prints best":            say("%[1]s stands as it prints best"),                                        // file
	"piece undone":                        say("The last change of %[1]s was taken back"),                               // file
	"piece redone":                        say("What was taken back of %[1]s was done again"),                           // file
	"piece left out":                      say("%[1]s is left out"),                                                     // file
	"piece put back":                      say("%[1]s is in it again"),                                                  // file
	"file replaced":                       say("%[2]s takes the place of %[1]s"),                                        // file, file
	"load said":                           say("It is said along which way %[1]s is pulled"),                            // file
	"load forgotten":                      say("Along which way %[1]s is pulled does not matter"),                       // file
	"nozzle said":                         say("%[1]s is laid by nozzle %[2]d"),                                         // file, nozzle
	"nozzle of the recipe":                say("%[1]s is laid by the recipe's nozzle"),                                  // file
	"turned by hand":                      say("%[1]s is turned by hand"),                                               // file
	"mirrored":                            say("%[1]s is mirrored"),                                                     // file
	"sized":                               say("%[1]s is made %[2]v × %[3]v × %[4]v %% as large: %[5]s"),                // file, three axes, why
	"counts as it came":                   say("%[1]s counts as it came"),                                               // file
	"counts as a version":                 say("%[1]s counts as version %[2]d"),                                         // file, version
	"repair asked for":                    say("Repair of %[1]s asked for: %[2]s"),                                      // file, steps
	"repaired":                            say("Repaired %[1]s"),                                                        // file
	"nothing to mend":                     say("There was nothing to mend."),
	"checked":                             say("Checked"),
	"could not be read":                   say("Could not be read"),
	"judged by another program":           say("This program judges otherwise than the one before."),
	"house changed meanwhile":             say("The house has changed since it was checked."),
	"checked again":                       say("Checked again"),
	"check asked for again":               say("Check asked for again"),
	"check cancelled":                     say("Check cancelled"),
	"check set aside":                     say("The check was set aside"),
	"slice ordered":                       say("Slice %[1]v of %[2]s for %[3]s ordered"), // number, file, machine
	"slice again":                         say("Slice %[1]v of %[2]s tried once more"),   // number, file
	"slice cancelled":                     say("Slice %[1]v of %[2]s cancelled"),         // number, file
	"slice removed":                       say("Slice %[1]v of %[2]s removed"),           // number, file
	"slice named":                         say("Slice %[1]v of %[2]s is called %[3]s"),   // number, file, name
	"slice chosen":                        say("Slice %[1]v of %[2]s counts"),            // number, file
	"slice done":                          say("Slice %[1]v of %[2]s is done"),           // number, file
	"slice failed":                        say("Slice %[1]v of %[2]s failed"),            // number, file
	"slice set aside":                     say("Slice %[1]v of %[2]s was set aside"),     // number, file
	"override for a reason":               say("%[1]s %[2]s: %[3]s"),                     // setting, value, why
	"region for a reason":                 say("a place filled otherwise: %[1]s"),        // why
	"support put in for a reason":         say("support put in: %[1]s"),                  // why
	"support kept out for a reason":       say("support kept out: %[1]s"),                // why
	"bed turned":                          say("Turned the bed of %[1]s by %[2]d°"),
	"bed renewed":                         say("%[1]s has a new bed"),
	"house changed":                       say("Changed the house's settings"),
	"machine changed":                     say("Changed %[1]s"),               // machine
	"material changed":                    say("Changed %[1]s"),               // material
	"recipe changed":                      say("Changed the recipe %[1]s"),    // recipe
	"house opened":                        say("Opened the house %[1]s"),      // name
	"person added":                        say("Added %[1]s as %[2]s"),        // name, role
	"password set":                        say("Set the password of %[1]s"),   // name
	"role given":                          say("Made %[1]s a %[2]s"),          // name, role
	"account closed":                      say("Closed the account of %[1]s"), // name
	"own password changed":                say("Changed the own password"),
}
