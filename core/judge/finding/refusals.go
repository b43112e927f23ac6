package finding

// refusals are the English texts of what cannot be: of settings, blocks and programs, and of
// what the desk is asked for. They complete english.
var refusals = texts{
	"nothing asked":                      say("Say what is asked."),
	"nothing answered":                   say("Say something to what was asked."),
	"nothing was asked":                  say("Nothing is asked about job %[1]d that is not answered."), // job
	"not answered":                       say("It is to be answered before a yes: %[1]s"),               // what was found
	"nothing to answer":                  say("Job %[1]d is %[2]s: there is nothing to answer."),        // job, state
	"not yours to waive":                 say("The rule %[1]s is waived by the steward."),               // its name
	"needs no answer":                    say("%[1]s needs no answer, or nobody may waive it."),         // what was found
	"no longer found":                    say("That is no longer found: something was changed meanwhile. Look again."),
	"rule changed":                       say("Somebody else has changed this rule meanwhile. Look at it again."),
	"rule of that name":                  say("There is another rule called %[1]s."), // its name
	"no such warmth":                     say("Parts get from 0 to 300 °C warm."),
	"bed not turned":                     say("A bed is turned by a quarter, a half or three."),
	"bed fits by halves only":            say("The bed of %[1]s is not as wide as it is deep: it goes back by half a turn only."),
	"bed changed meanwhile":              say("The bed of %[1]s was turned, renewed or lain on meanwhile. Look at it again."),
	"several":                            say("%[1]s"), // phrases
	"told":                               say("%[1]s"), // a text that is one already
	"version not made yet":               say("The version is not made yet. Wait for its check."),
	"model not held any more":            say("The file does not hold that model any more."),
	"machine without a name":             say("A machine needs a name."),
	"round plate":                        say("A round plate is as deep as it is wide: %[1]v mm."),
	"material without a name":            say("A material needs a name."),
	"recipe without a name":              say("A recipe needs a name."),
	"machine without a nozzle":           say("A machine of this process needs a nozzle."),
	"block":                              say("In this block %[1]s."),
	"nozzle size":                        say("Nozzles are between 0.1 and 2 mm, not %[1]v mm."),
	"filament size":                      say("Filament is between 1 and 4 mm thick, not %[1]v mm."),
	"block waits with the heat on":       say("Line %[1]d of this block waits for somebody, with the heat on. Heat goes off when the block has ended."),
	"block heats a nozzle that is none":  say("Line %[1]d of this block heats nozzle %[2]d, which is not there."),
	"line narrower than a layer":         say("A line of %[1]v mm is narrower than a layer is high; widen it or lower the layers."),
	"share below one":                    say("It is 0 or at least 1 %%, not %[1]s %%."),
	"pause below the plate":              say("A pause is at a height above 0, not at %[1]v mm."),
	"acceleration too small":             say("An acceleration is 10 mm/s² or more, or 0 for the machine's; not %[1]v mm/s²."),
	"no such nozzle":                     say("%[1]s has no nozzle %[2]d."),
	"nothing loaded":                     say("Nothing is loaded in nozzle 2 of %[1]s. Say in the house what is."),
	"loaded with what nobody knows":      say("Nozzle 2 of %[1]s is loaded with %[2]s, which is no material of the house; nobody can tell how hot it may be."),
	"layer height of a nozzle":           say("A nozzle of %[1]v mm lays layers of %[2]v to %[3]v mm, not %[4]v mm."),
	"line width of a nozzle":             say("A nozzle of %[1]v mm lays lines of %[2]v to %[3]v mm, not %[4]v mm."),
	"line of a block":                    say("Line %[1]d of this block %[2]s."),
	"the nozzle":                         say("nozzle"),
	"the bed":                            say("bed"),
	"block too hot":                      say("Line %[1]d of this block asks for %[2]v °C; the %[3]s goes up to %[4]v °C."),
	"laid too hot":                       say("It is laid at %[1]v °C and may be %[2]v °C hot at the most."),
	"the machine's own block":            say("The machine's own block asks for it. %[1]s"),
	"bed goes up to":                     say("%[1]s has a bed that goes up to %[2]v °C, not %[3]v °C."),
	"machine goes up to":                 say("%[1]s goes up to %[2]v °C, not %[3]v °C."),
	"material goes up to":                say("%[1]s may be %[2]v °C hot, not %[3]v °C."),
	"brace without its first":            say("a } has no { before it"),
	"brace without its second":           say("a { has no }"),
	"no such value":                      say("there is no value %[1]s; there are %[2]s"),
	"control character":                  say("holds a control character (%[1]d), which some machines take for the end of a line"),
	"wrong checksum":                     say("has a checksum that is wrong; a machine would not take the line"),
	"checksum of nothing":                say("has a checksum of nothing"),
	"nozzle that is none":                say("names a nozzle that is none"),
	"something behind a change":          say("has something behind a change of nozzle"),
	"no command":                         say("begins with %[1]s, which is no command; machines differ in what they do with that"),
	"command without a number":           say("begins with a command that has no number"),
	"line too long":                      say("is longer than %[1]d characters without its comment; machines cut it off"),
	"several commands":                   say("holds more than one command; some machines obey only the first"),
	"word without a number":              say("has the word %[1]s without a number"),
	"word twice":                         say("has the word %[1]s twice; machines differ in which counts"),
	"lower case":                         say("is in lower case, which some machines do not obey"),
	"comment in brackets":                say("has a comment in brackets, which some machines obey; comments begin with ;"),
	"line with a stroke":                 say("begins with /, which some machines pass over and others obey"),
	"no word":                            say("has \"%[1]s\" where a command or word belongs"),
	"blank before a number":              say("has a blank between %[1]s and its number, which machines read differently"),
	"number that cannot be read":         say("has a number that cannot be read behind %[1]s"),
	"command not known":                  say("is not among the commands that a program may hold here"),
	"command not allowed, for":           say("%[1]s, which no program may do here"),
	"word not allowed":                   say("has the word %[1]s, which it may not have here"),
	"value not allowed":                  say("sets %[1]s to %[2]v; only %[3]v may be"),
	"fault of a command":                 say("%[1]s %[2]s"),
	"it allows cold extruding":           say("allows cold extruding"),
	"it changes how filament is fed":     say("changes how filament is fed"),
	"it changes the heaters' control":    say("changes the heaters' control"),
	"it changes the machine's geometry":  say("changes the machine's geometry"),
	"it changes the machine's limits":    say("changes the machine's limits"),
	"it changes the motors' current":     say("changes the motors' current"),
	"it changes the numbering of lines":  say("changes the numbering of lines"),
	"it changes the probe's offset":      say("changes the probe's offset"),
	"it changes the steps of the motors": say("changes the steps of the motors"),
	"it changes where the machine stops": say("changes where the machine stops"),
	"it checks saved settings":           say("checks saved settings"),
	"it deletes a file in the machine":   say("deletes a file in the machine"),
	"it ends a wait for heat":            say("ends a wait for heat"),
	"it heats the chamber":               say("heats the chamber"),
	"it is the emergency stop":           say("is the emergency stop"),
	"it loads firmware":                  say("loads firmware"),
	"it loads settings":                  say("loads settings"),
	"it moves a servo":                   say("moves a servo"),
	"it moves the machine's origin":      say("moves the machine's origin"),
	"it resets the machine's settings":   say("resets the machine's settings"),
	"it restarts the machine":            say("restarts the machine"),
	"it saves settings in the machine":   say("saves settings in the machine"),
	"it starts a file in the machine":    say("starts a file in the machine"),
	"it switches pins of the board":      say("switches pins of the board"),
	"it tunes the heaters":               say("tunes the heaters"),
	"it works on files in the machine":   say("works on files in the machine"),
	"it writes a file in the machine":    say("writes a file in the machine"),
	"too large to slice":                 say("It does not fit %[1]s: X +%[2]v, Y +%[3]v, Z +%[4]v mm."),
	"cannot be sliced":                   say("It cannot be sliced: %[1]s."),
	"program may not run":                say("The program that came out may not run on %[1]s: %[2]s"),
	"not in service":                     say("%[1]s is not in service."),
	"does not fit":                       say("It does not fit %[1]s: %[2]s over."),
	"no recipe on":                       say("The house has no recipe for this on %[1]s."),
	"no machine takes it":                say("No machine in service can take this job."),
	"run stays":                          say("%[1]s is %[2]s already and stays where it is."),
	"not sliced here":                    say("it was not sliced here"),
	"on another machine":                 say("it is on another machine"),
	"of another colour":                  say("it is of another material or colour"),
	"by another recipe":                  say("it is made by another recipe"),
	"of the same job":                    say("it is of the same job"),
	"as it is made no more":              say("%[1]s was changed since it was sliced"), // phrases
	"no room beside":                     say("there is no room for it"),
	"cannot lie together":                say("%[1]s cannot lie beside %[2]s: %[3]s."), // titles, why
	"being put together":                 say("%[1]s is being put on one plate with others already. Wait for it, or cancel it."),
	"no plate of its own":                say("%[1]s lies alone already."),
	"not on one plate":                   say("It does not go on one plate, or could not be made."),
	"others are otherwise":               say("Something of it was moved, taken back or started meanwhile."),
	"shared stays":                       say("Parts of several jobs lie on one plate: %[1]s. Take them apart before they go to another machine."),
	"slice of several jobs":              say("Slice %[1]v is of several jobs' plates. Put them together, or take them apart, on the floor."),
	"job changed meanwhile":              say("Job %[1]v was changed by somebody else meanwhile. Look at it again."),
	"no such time zone":                  say("There is no time zone \"%[1]s\"."),
	"not to be approved":                 say("Job %[1]v is %[2]s; only a job to decide can be approved."),
	"check not done":                     say("The check of job %[1]v is %[2]s. Wait for it, or ask for it again."),
	"stopped by":                         say("This stops it: %[1]s"),
	"no reason for a no":                 say("Say why, so that the member knows what to do."),
	"not to be sent back":                say("Job %[1]v is %[2]s; only a job not yet approved can be sent back."),
	"no yes to take back":                say("Job %[1]v is %[2]s; there is no yes that could be taken back."),
	"not to be withdrawn":                say("Job %[1]v is %[2]s; it can be withdrawn before anything of it is started."),
	"to be sliced before the start":      say("%[1]s has no program yet: take its yes back and say it again, so that it is sliced."),
	"slice of other pieces":              say("The job's pieces, copies, units or versions have changed since."),
	"waits for memory":                   say("waiting for memory that other work holds"),
	"waits for a larger worker":          say("waiting for a worker with %[1]v GB of memory"),
	"size without a reason":              say("Another size needs a reason: dimensions that mattered change with it."),
	"stand given and best":               say("It stands as said, or as it prints best, not both."),
	"no model to turn":                   say("%[1]s is a program, not a model: it cannot be turned."),
	"pinned on each other":               say("%[1]s, copy %[2]d, and %[3]s, copy %[4]d, are pinned on each other: they overlap by %[5]v mm². Move one, or let it go."),
	"pinned off the plate":               say("%[1]s, copy %[2]d, is pinned where it would stand off the plate of %[3]s. Move it, or let it go."),
	"pinned twice":                       say("Copy %[1]d is pinned twice."),
	"turn of zeros":                      say("A turn is four numbers, not all of them 0."),
	"scale out of bounds":                say("A scale of %[1]v is not possible; it is %[2]v to %[3]v times."),
	"more than one plate":                say("It does not lie on one plate."),
	"no reason for a failure":            say("Say what went wrong, so that the next run is better."),
	"no run to fail":                     say("Job %[1]v is %[2]s; nothing of it is on a machine."),
	"stale":                              say("Stale since it was sliced: %[1]s. Slice it again."), // of them "its recipe" and others
	"its recipe":                         say("its recipe is another"),
	"its machine":                        say("its machine works otherwise"),
	"its material":                       say("its material is another"),
	"the slicing":                        say("this program slices otherwise"),
	"judged before":                      say("The house has changed since this was checked. Have it checked again; where a yes was given, take that back first."),
	"made before that was kept":          say("it was made before the house kept what it was made by"),
	"slice is stale":                     say("%[1]s for %[2]s is stale since it was sliced: %[3]s. Slice it again."), // piece, machine, of them "its recipe" and others
	"not decided yet":                    say("Job %[1]v is %[2]s; decide on it first."),
	"next at its machine":                say("What comes next for %[1]s is done at its machine: open the machine on the floor."),           // title
	"bed to be cleared":                  say("%[1]s lay on this bed, and nobody has said since that it is clear. Look at it, and say so."), // title
	"other filament is loaded":           say("%[1]s has %[2]s loaded and this wants %[3]s. Change the filament first."),                    // machine, material, material
	"point not said":                     say("Somebody has to say yes to: %[1]s"),                                                          // point
	"machine tells that itself":          say("%[1]s tells that itself."),                                                                   // machine
	"machine has no line":                say("%[1]s has no line: do it at the machine, and say here what it does."),                        // machine
	"to be stopped first":                say("%[1]s is on %[2]s, which can be spoken with: stop it there."),                                // title, machine
	"no such copy":                       say("There is no copy %[1]d on this plate; it has %[2]d."),
	"nothing to clear":                   say("Nothing came off %[1]s since its bed was last clear."),                                   // machine
	"no such nozzle there":               say("There is no nozzle %[1]d on %[2]s."),                                                     // nozzle, machine
	"no such line":                       say("\"%[1]s\" is no line: write host:port, or /dev/NAME:BAUD."),                              // as it was written
	"no such camera":                     say("\"%[1]s\" is no camera: write http://host:port/path, without a name or password in it."), // as it was written
	"check bed":                          say("The bed of %[1]s is clear"),                                                              // machine
	"check loaded":                       say("Nozzle %[1]d has %[2]s in it, %[3]s"),                                                    // nozzle, material, colour
	"check worn":                         say("%[1]s was looked at, and is good for it: it has done %[2]v %% of what it is good for"),   // part, percent
	"part without a name":                say("A part has a name, as it is called in the house."),
	"part changed meanwhile":             say("%[1]s has changed meanwhile. Look again, then say it."), // part
	"check loaded alone":                 say("%[1]s is loaded, %[2]s"),                                // material, colour
	"prints another file":                say("the machine prints a file that is none of this house's runs"),
	"prints nothing any more":            say("the machine prints nothing any more, and has not said that it came to the end. Look whether the part is whole"),
	"line stays shut":                    say("the server was away, and opening the line would reset the machine. Look at it, and say when it has come to its end"),
	"not heard":                          say("nothing is heard of the machine. What it has in its storage it goes on with by itself"),
	"machine stands still":               say("the machine has shut itself down: %[1]s. Its heat is off; switch it off and on when it is seen to"), // in its words
	"machine started anew":               say("the machine has started anew in the middle of it: its power was away, or somebody has reset it"),
	"machine stands":                     say("the machine has not gone on for five minutes"),
	"machine waits":                      say("the machine waits for somebody: %[1]s"), // in its words
	"first layers not seen":              say("nobody has said that the first layers are good"),
	"program not as it was judged":       say("its program may not be sent: %[1]s"), // why
	"machine does not take it":           say("the machine did not take it: %[1]s"), // why
	"storage holds other":                say("the machine does not hold the bytes that were sent; its storage may be full"),
	"no picture":                         say("The camera gives no picture now."),
	"spool is otherwise":                 say("Spool %[1]d is %[2]s now, so this cannot be done with it."), // spool, state
	"spool changed meanwhile":            say("Spool %[1]d was changed meanwhile. Look at it again."),      // spool
	"spool without a colour":             say("Say what colour it is."),
	"lighter than its reel":              say("With its reel it weighs %[1]v g, and the empty reel alone %[2]v g. Weigh it again, or say what the reel weighs."),
	"less than nothing on it":            say("Only %[1]v g are on it by the books."),
	"no reason for a correction":         say("Say why the books are wrong."),
	"run takes other filament":           say("%[1]s goes on with %[2]s from nozzle %[3]d, and this is %[4]s."), // title, material, nozzle, material
	"more was on it":                     say("more was laid from it than the books had"),
	"nothing is loaded there":            say("%[1]s has nothing loaded, and this wants %[2]s. Load it first."),                                      // machine, material
	"spool does not last":                say("not enough %[1]s: it takes %[2]v g, and spool %[4]d has %[3]v g left by then; %[5]v g lie on others"), // material, g, g, spool, g
	"left on the machine":                say("It takes up water, and was left on %[1]s overnight. Take it off, and dry it: %[2]s"),                  // machine, how
	"more is promised than left":         say("%[1]v g of it are promised to runs, and %[2]v g are left"),
	"not ready yet":                      say("%[1]s is not ready to be fetched yet."),   // title
	"so many pieces":                     say("pieces: %[1]d"),                           // number
	"no such step":                       say("Line %[1]d is of no step that there is."), // line
	"how many steps":                     say("Say of which steps: one to %[1]d."),
	"steps of two kinds":                 say("Only steps of one kind lie in one bath: these are to %[1]s and to %[2]s."), // kind, kind
	"step is otherwise":                  say("To %[1]s %[2]s is %[3]s now, so this cannot be said of it."),               // kind, title, state
	"another step comes before":          say("%[1]s is still to be finished: %[2]s comes before."),                       // title, kind
	"no job by this code":                say("No job waits to be fetched by this code."),
	"run is otherwise":                   say("%[1]s is %[2]s now, so this cannot be done with it."),                                // title, state
	"does not cool by itself":            say("%[1]s does not turn its heat off by itself, so it is not warmed with nobody there."), // machine
	"nothing comes next":                 say("Nothing comes next on %[1]s."),                                                       // machine
	"never so warm":                      say("By this it would never come to the %[1]v °C that it may have."),                      // °C
	"line of another machine":            say("%[1]s is on this line already."),                                                     // machine
	"another comes before":               say("%[1]s comes before it on this machine. Move it up first, or finish the other."),
	"dearer by now":                      say("On %[1]s it costs %[2]v by now, and %[3]v was shown."),                // machine, price, price
	"none approved":                      say("None was approved, because of %[1]s: %[2]s. Look at the list again."), // title, why
	"job twice":                          say("Job %[1]d is in it twice."),                                           // job
	"no routine: not checked":            say("not checked yet"),
	"no routine: waits":                  say("waits for an answer"),
	"no routine: stopped":                say("something stops it"),
	"no routine: stale":                  say("to be sliced anew first"),
	"to be answered first":               say("to decide: %[1]s"), // what was found
	"no routine: check again":            say("to be checked again first"),
	"dearer there":                       say("On %[1]s it costs %[2]s, and the yes was to %[3]s."),                                                                // machine, sum, sum
	"no answer":                          say("The machine does not answer: it was asked %[1]d times."),                                                            // times
	"counts otherwise":                   say("The machine asks for line %[1]d, and line %[2]d comes next: it has started anew, or somebody else speaks with it."), // line, line
	"asks again and again":               say("The machine asks for line %[1]d again and again, %[2]d times: the line to it is too bad."),                          // line, times
	"condition twice":                    say("%[1]s is in it twice."),                                                                                             // setting
	"no reason for an override":          say("Say why %[1]s differs from the recipe."),
	"no reason for a mark":               say("Say why support is put in or kept out there."),
	"no reason for a region":             say("Say why it is filled otherwise there."),
	"last piece":                         say("%[1]v is all there is of job %[2]v. Withdraw the job, or send it back, to have none of it."),
	"load without a way":                 say("A load pulls along some way: give three numbers, not all of them 0."),
	"nothing to undo":                    say("Nothing of %[1]v was changed that could be taken back."),
	"nothing to redo":                    say("Nothing of %[1]v was taken back."),
	"region as the rest":                 say("Say how many shells there are there, or how full it is; else it is as the rest."),
	"no model to slice":                  say("%[1]s is no model that can be sliced, or is not read yet."),
	"slice not to be tried again":        say("Slice %[1]v is %[2]s; only one that failed or was set aside is tried once more."),
	"slice not to be cancelled":          say("Slice %[1]v is %[2]s; there is nothing to cancel."),
	"slice in use":                       say("Slice %[1]v counts, is at work or was run, or one that was made to be held against it is: it stays."),
	"slice not done":                     say("Slice %[1]v is not done (%[2]s)."),
	"no recipe for a purpose on":         say("The house has no recipe for %[1]s on %[2]s."),
	"closing before opening":             say("Closing comes after opening."),
	"no such material loaded":            say("The house has no material \"%[1]s\"."),
	"no such material":                   say("There is no such material."),
	"members for themselves":             say("Members hand in for themselves."),
	"no such member":                     say("There is no member %[1]v."),
	"day is over":                        say("%[1]s is over; today is %[2]s."),
	"no date":                            say("\"%[1]s\" is no date."),
	"file gone":                          say("The file is not here any more. Choose it again."),
	"no such repair":                     say("There is no repair \"%[1]s\"."),
	"no step chosen":                     say("Choose at least one step."),
	"nothing to repair":                  say("Nothing was found on its pieces that a repair would mend."),
	"no model to repair":                 say("%[1]s is no model that can be repaired."),
	"pieces settled":                     say("Job %[1]v is %[2]s already; its pieces are settled."),
	"check closed":                       say("Job %[1]v is %[2]s already; its check is closed."),
	"check over":                         say("The check of job %[1]v is over; there is nothing to cancel."),
	"password too short":                 say("A password has at least %[1]d letters."),
	"password too long":                  say("A password has at most 200 letters."),
	"login out of form":                  say("A login has 1 to 100 letters and no blanks."),
	"name out of form":                   say("A name has 1 to 120 letters."),
	"no such role":                       say("\"%[1]s\" is none of member, coordinator, steward."),
	"house name out of form":             say("The house's name has 1 to 80 letters."),
	"house there already":                say("There is a house in this database already."),
	"login taken":                        say("Somebody has the login %[1]s already."),
	"no such login":                      say("Nobody has the login %[1]s."),
	"last steward":                       say("This is the last steward of the house; make somebody else one first."),
	"wrong password so far":              say("That is not the password so far."),
	"pattern for files":                  say("In the pattern for files %[1]s."),
	"recipe would be too hot":            say("The recipe %[1]s would be too hot: %[2]s Change the recipe first."),
	"no such setting":                    say("There is no setting \"%[1]s\"."),
	"wrong override":                     say("%[1]s: %[2]s."),
	"cannot be taken":                    say("\"%[1]s\" cannot be taken"),
	"no number":                          say("\"%[1]s\" is no number"),
	"out of range":                       say("%[1]s is not between %[2]v and %[3]v%[4]s"),
	"none of the choices":                say("\"%[1]s\" is none of %[2]s"),
	"over in an axis":                    say("%[1]v mm in %[2]s"),

	// of requests
	"signed out meanwhile":     say("You were signed out meanwhile."),
	"sign in first":            say("Sign in first."),
	"wrong login or password":  say("The login or the password is wrong."),
	"too many tries":           say("Too many tries at a time. Wait a little and try again."),
	"not there":                say("There is no such thing, or it is not yours to see."),
	"changed meanwhile":        say("It was changed by somebody else meanwhile. Load it again."),
	"name taken":               say("That name is in use already."),
	"cannot be kept":           say("Something in it cannot be kept: a text or number that no database holds."),
	"disk full":                say("The house's disk is full. Tell a steward."),
	"stalled":                  say("Too little came over the line. Send it again."),
	"file over the limit":      say("The file is over the limit of this house."),
	"request cancelled":        say("The request was cancelled."),
	"went wrong":               say("Something went wrong here. It has been noted; try again."),
	"database away":            say("The database does not answer just now. Try again in a moment; nothing of what was saved is lost."),
	"a text cannot be kept":    say("A text holds a character that cannot be kept."),
	"for a role":               say("This is for a %[1]s to do."), // role
	"text that cannot be kept": say("It holds a character that cannot be kept (a NUL, or bytes that are no text). Type it anew."),
}
