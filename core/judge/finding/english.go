package finding

import "golang.org/x/text/message/catalog"

// english are the texts of all codes. Parameters are numbered in the order that the comment
// behind a code names.
var english = texts{
	// of the surface
	"open surface": {counted("edges", 1, "1 edge has", "%[1]d edges have"), // edges
		catalog.String("The surface is open: ${edges} only one face, so what is inside is a guess. Repair closes holes; look at the result, or ask for a closed model.")},
	"open surface, holes": {counted("holes", 1, "1 hole", "%[1]d holes"), counted("edges", 2, "1 edge has", "%[2]d edges have"), // holes, edges, way around the largest mm
		catalog.String(
			"The surface has ${holes}: ${edges} only one face, so what is inside is a guess. The largest hole is %[3]v mm around. Repair closes holes; look at the result, or ask for a closed model.",
		)},
	"shared edges, harmless": {counted("edges", 1, "1 edge", "%[1]d edges"), // edges
		catalog.String("Surfaces touch along ${edges}. Inside and outside are clear there; it does no harm by itself.")},
	"shared edges": {counted("edges", 1, "1 edge", "%[1]d edges"), // edges
		catalog.String("Along ${edges} more than two faces meet, so inside and outside are not clear there. Repair mends most of this; look at the layers before you say yes.")},
	"turned faces": {counted("edges", 1, "1 edge", "%[1]d edges"), // edges
		catalog.String("Along ${edges} one face looks in and its neighbour out. Repair mends most of this; look at the layers before you say yes.")},
	"inside out": say("Every face looks inwards. The shape is sound; turning all faces mends it."),
	"inside out, some": {counted("faces", 2, "1 faces", "%[2]d face"), // bodies, of them inside out
		catalog.String("Of %[1]d bodies, ${faces} inwards. Turning the faces mends it.")},
	"triangles without area": {counted("triangles", 1, "1 triangle has", "%[1]d triangles have"), // triangles
		catalog.String("${triangles} no area, which does no harm by itself. Repair takes them out.")},
	"repeated triangles": {counted("triangles", 1, "1 triangle is", "%[1]d triangles are"), // triangles
		catalog.String("${triangles} there twice. Repair takes them out.")},
	"crosses itself": {counted("pairs", 1, "1 pair", "%[1]d pairs"), // pairs of triangles
		catalog.String(
			"The surface goes through itself: ${pairs} of triangles cross. Repair cannot mend this. Look at the layers there; if they are not as meant, only its maker can.",
		)},
	"overlapping bodies": {counted("pairs", 1, "1 pair", "%[1]d pairs"), // pairs of bodies
		catalog.String("${pairs} of bodies take up the same space. The volume is counted twice there until they are made one.")},
	"touching bodies": {counted("pairs", 1, "1 pair", "%[1]d pairs"), // pairs of bodies
		catalog.String("${pairs} of bodies touch without taking up the same space. They are laid as one where they do.")},
	"crumbs":    say("%[1]d bodies are smaller than a hundredth of the largest: crumbs of a scan or a cut, perhaps. Ask whether they belong to it."), // bodies
	"one crumb": say("One body is smaller than a hundredth of the largest: a crumb of a scan or a cut, perhaps. Ask whether it belongs to it."),
	"no volume": say("The model encloses nothing: it is a sheet, not a body. Ask for a model with thickness."),

	// of size and thickness
	"unit":    say("The longest side is %[1]v mm if the file is in millimetres; %[2]s. Ask which it is, or take one."),                                      // mm, of them "unit, another"
	"no unit": say("The longest side is %[1]v mm if the file is in millimetres, and in no other unit is it a likely size. Ask how long it is meant to be."), // mm
	"unit, another": {counted("machines", 3, "1 machine", "%[3]d machines"), // "unit of …", mm, machines
		catalog.String("in %[1]s it would be %[2]v mm and go on ${machines}")},
	"unit, too large":     say("in %[1]s it would be %[2]v mm, too large for every machine"), // "unit of …", mm
	"unit of inches":      say("inches"),
	"unit of centimetres": say("centimetres"),
	"unit of metres":      say("metres"),
	"unit of micrometres": say("micrometres"),
	"fit": say(
		"It fits no machine. Turned as it is shown, the largest would take it at %[1]v %% of this size. Ask whether it may be made smaller, or cut.",
	), // %
	"mirrored part":          say("It is mirrored: made for the other hand. Threads and letters are mirrored with it."),
	"another size":           say("It is made %[1]v %% as large as it came: every dimension changes with it, holes and threads too."),               // %
	"another size, mirrored": say("It is made %[1]v %% as large as it came, and mirrored: every dimension changes with it, holes and threads too."), // %
	"another size, by axis":  say("It is made %[1]v × %[2]v × %[3]v %% as large as it came, along its own axes: round holes become oval."),          // %, %, %
	"long and flat": say(
		"%[1]v mm long and %[2]v mm thick: the ends may lift. Use a brim, or cut it from sheet instead.",
	), // mm, mm
	"too thin, all": say(
		"It is nowhere %[1]v mm thick, the least that a line takes: nothing of it can be laid on %[2]s. Thicken it, or use a finer nozzle and line.",
	), // mm, machines
	"too thin": say(
		"Up to %[1]v mm of its height have places thinner than %[2]v mm, the least that a line takes (up to %[3]v mm²): they would not be there on %[4]s. Thicken them, or use a finer nozzle and line.",
	), // mm, mm, mm², machines
	"sharp corners": say(
		"Corners as sharp as %[1]v° over %[2]v mm of its height: a line of %[3]v mm rounds them off, by up to %[4]v mm. Blunt them where that matters, or use a finer nozzle and line.",
	), // °, mm, mm, mm

	"thin wall": say(
		"Through its thickness it is only %[1]v mm at the thinnest; %[2]v mm are the least that come out on %[3]s. %[4]v Thicken it, or ask whether it may fail there.",
	), // mm, mm, machines, "elsewhere" or "nowhere else"
	"narrow gap": say(
		"It has gaps of %[1]v mm, narrower than a line of %[2]v mm on %[3]s: they may run together. %[4]v Widen them where parts have to move or a slot has to stay open.",
	), // mm, mm, machines, "elsewhere" or "nowhere else"
	"faster than it melts": say(
		"Its lines ask for %[1]v mm³/s, and a nozzle melts %[2]v mm³/s at %[3]v °C on %[5]s: they come out thin. Print hotter, or no faster than %[4]v mm/s.",
	), // mm³/s, mm³/s, °C, mm/s, machines

	// of how it stands
	"overhangs": say(
		"%[1]v cm² of it lean out further than %[2]v°: about %[3]v cm³ of support stand under them and have to be pulled off. Turn it, or cut it in two, to save that.",
	), // cm², °, cm³
	"overhangs without support": say(
		"%[1]v cm² of it lean out further than %[2]v° over about %[3]v cm³ of air, and no support is laid on %[4]s: they would sag. Turn it, or let support be laid.",
	), // cm², °, cm³, machines
	"overhangs, bridged": say(
		"%[1]v cm² of it lie over air, and no support is laid on %[2]s: lines bridge them from wall to wall.",
	), // cm², machines
	"long bridge": say(
		"%[1]v mm up, lines span %[2]v mm of air, and no support is laid on %[3]s: over more than %[4]v mm they sag. Turn it, or let support be laid.",
	), // mm, mm, machines, mm
	"thin on support": say(
		"A stretch %[1]v mm long and %[2]v mm thick stands on support: it may break off with it. Turn it, thicken it, or keep support out there.",
	), // mm, mm
	"does not stand": say("Its centre of mass lies beside its foot: it tips over as it is printed, unless support holds it. Turn it, or use a raft."),
	"tips over": say(
		"It is %[1]v mm high and tips over at %[2]v°: the nozzle may push it off. Lay it down, use a brim, or print several side by side.",
	), // mm, °
	"little on the plate": say("Only %[1]v mm² of it lie on the plate: it may come off. Turn it, or use a brim or a raft."), // mm²
	"begins in mid-air": {counted("places", 1, "One place begins", "%[1]d places begin"), // places, mm
		catalog.String("${places} with nothing below, the lowest %[2]v mm up: support stands under it. Look at it in the layers.")},
	"begins in mid-air, without support": {counted("places", 1, "One place begins", "%[1]d places begin"), // places, mm, machines
		catalog.String("${places} with nothing below, the lowest %[2]v mm up, and no support is laid on %[3]s: it would hang as a string. Turn it, or let support be laid.")},
	"weak neck": say(
		"%[1]v mm up it is only %[2]v mm² thick, %[3]v %% of what is below and above: it parts there first. Lay it down so that layers run along it, or thicken it.",
	), // mm, mm², %
	"pulls up": say(
		"%[1]v mm of it lie on the plate, and %[2]s shrinks by %[3]v %% on cooling: its ends pull up by as much as %[4]v mm on %[5]s. Use a brim, cut it in two, or cut it from sheet.",
	), // mm, material, %, mm, machines

	// of a whole job
	"gets warm": say(
		"It is to get %[1]v °C warm, and %[2]s goes soft at %[3]v °C. %[4]v Load something else, or ask whether it may.",
	), // °C, material, °C, "loaded elsewhere" or "nowhere loaded"
	"gets warm, unknown": say(
		"It is to get %[1]v °C warm, and the house does not say at how many %[2]s goes soft. %[3]v Look it up, or load something else.",
	), // °C, material, as above
	"outdoors":     say("It is to stay outdoors, and %[1]s is not known to last there. %[2]v Load something else, or say how long it will hold."), // material, as above
	"flexible":     say("It has to bend, and %[1]s does not. %[2]v Load something else, or ask whether it may be stiff."),                         // material, as above
	"carries load": say("It is to carry load, and %[1]s is not meant for that. %[2]v Load something else, or ask what it carries."),               // material, as above
	"sparse inside": say(
		"It is to carry load, and is %[1]v %% full: an inside of less than %[2]v %% breaks when it is twisted. Fill it more, or give it more shells.",
	), // %, %
	"fits another part, sized": say("It has to fit another part, and is not made as large as it came. Ask which of the two was measured, or make it as it came."),
	"shrinks": say(
		"It has to fit another part, and %[1]s shrinks by %[2]v %%: over its %[3]v mm it comes out %[4]v mm short. Make it %[5]v %% as large, or try a small piece of it first.",
	), // material, %, mm, mm, %
	"other colour":     say("It is wished in %[1]s, and %[2]s has %[3]s loaded. %[4]v Load it, or ask whether another will do."), // colour, machine, colour, "colour elsewhere" or "nowhere loaded"
	"loaded elsewhere": say("%[1]s has %[2]s loaded, which does."),                                                               // machine, material
	"colour elsewhere": say("%[1]s has it loaded."),                                                                              // machine
	"nowhere loaded":   say("No machine has one loaded that would do."),
	"elsewhere":        say("%[1]s would do it."), // machine
	"nowhere else":     say("No other machine would."),
	"late": {counted("days", 1, "one day", "%[1]d days"), // days, machine, "elsewhere" or "nowhere else"
		catalog.String("On %[2]s it is done ${days} after the day it is needed. %[3]v Move it up, or ask whether later is good enough.")},
	"long run": say(
		"A run of it takes %[1]v h on %[2]s, and the house allows %[3]v h. %[4]v Fewer copies on a plate, thicker layers or less infill save most.",
	), // h, machine, h, as above
	"more than a spool": say(
		"A run of it takes %[1]v g of %[2]s on %[3]s, and a spool holds %[4]v g: it would run empty. %[5]v Less infill, or fewer copies on a plate.",
	), // g, material, machine, g, as above
	"other filament": say("On %[1]s %[2]v. %[3]v Load it before the start, or change the machine."),                                                                          // machine, what has to be loaded, as above
	"nobody there":   say("%[1]v h after its start %[2]s waits for somebody when nobody is in the house. Start it at another hour, or it waits cold until the house opens."), // h, machine

	// of programs
	"outside the machine": say("The program goes outside of every machine, by at least %[1]v mm. Ask for the model and slice it here."),      // mm
	"too long":            say("It runs for %[1]v h; the house allows %[2]v h. Ask for the model: thicker layers or less infill save most."), // h, h
	"nozzles": {counted("nozzles", 1, "1 nozzle", "%[1]d nozzles"), // used, the most that a machine has
		catalog.String("It uses ${nozzles}; no machine that it fits has more than %[2]d. Ask for the model and slice it here.")},
	"no heat": say("The program never sets the nozzle's temperature; it relies on somebody having done so."),
	"hotter than the machine": say(
		"It asks for %[1]v °C at the nozzle and %[2]v °C at the bed; %[3]s goes up to %[4]v °C and %[5]v °C. Slice the model here.",
	), // °C, °C, machine, °C, °C
	"hotter than the machine, bed": say(
		"It asks for %[1]v °C at the bed; that of %[2]s goes up to %[3]v °C. Slice the model here.",
	), // °C, machine, °C
	"hotter than the material": say(
		"It asks for %[1]v °C; %[2]s, which is loaded, may be %[3]v °C hot. It was made for another material.",
	), // °C, material, °C
	"waits with the heat on": {counted("times", 1, "once", "%[1]d times"), // times
		catalog.String("It waits for somebody ${times} with the heat on. Say yes only if somebody will be there, or ask for the model: pauses made here turn the nozzle off.")},
	"heating stays on":       say("At its end it leaves the nozzle at %[1]v °C. Heating ends with the print here; ask for the model."),                         // °C
	"heating stays on, bed":  say("At its end it leaves the bed at %[1]v °C. Heating ends with the print here; ask for the model."),                            // °C
	"heating stays on, both": say("At its end it leaves the nozzle at %[1]v °C and the bed at %[2]v °C. Heating ends with the print here; ask for the model."), // °C, °C
	"layer height": say(
		"Its layers are %[1]v mm high. The house lays %[2]s for this purpose: its settings were not used.",
	), // mm, of them "layer height, on"
	"layer height, on": say("%[1]v mm on %[2]s"),                    // mm, machine
	"unclear line":     say("Line %[1]d %[2]s. Ask for the model."), // line, what it is
	"command not allowed": say(
		"%[1]s in line %[2]d %[3]s. Ask for the model.",
	), // command, line, what it is
}
