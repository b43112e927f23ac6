package finding

import (
	"fmt"
	"strings"
)

// Check is a kind of finding: its name, which is its code and stays, how bad it can be, what its value is, and the
// limit from which it is told.
type Check struct {
	Name   string
	Grades []Grade
	Of     string // what it looks at: the surface, the part, how it stands, the whole job, a program
	Value  string
	Limit  string
	Source string // of the limit; empty: it follows from what it is
}

const practice = "common practice, no source"

// Checks are all of them, as docs/findings.md has them.
var Checks = []Check{
	{"not readable", []Grade{StopsIt}, "the file", "", "", ""},
	{"odd file", []Grade{WorthKnowing}, "the file", "", "", ""},
	{"unit", []Grade{Decide}, "the file", "longest side as millimetres, mm", "6 to 1000 mm", practice},

	{"open surface", []Grade{StopsIt}, "the surface", "edges with one face", "none", ""},
	{"shared edges", []Grade{Decide, WorthKnowing}, "the surface", "edges with more than two faces", "none; to be decided where inside and outside are not clear", ""},
	{"turned faces", []Grade{Decide}, "the surface", "edges whose two faces look to different sides", "none", ""},
	{"inside out", []Grade{Decide, WorthKnowing}, "the surface", "faces that look inwards", "none", ""},
	{"triangles without area", []Grade{WorthKnowing}, "the surface", "triangles", "none", ""},
	{"repeated triangles", []Grade{WorthKnowing}, "the surface", "triangles", "none", ""},
	{"crosses itself", []Grade{Decide}, "the surface", "pairs of triangles", "none", ""},
	{"overlapping bodies", []Grade{Decide}, "the surface", "pairs of bodies", "none", ""},
	{"touching bodies", []Grade{WorthKnowing}, "the surface", "pairs of bodies", "none", ""},
	{"crumbs", []Grade{WorthKnowing}, "the surface", "bodies", "a hundredth of the largest", practice},
	{"no volume", []Grade{StopsIt}, "the surface", "mm³", "more than nothing", ""},

	{"fit", []Grade{StopsIt}, "the part", "largest scale at which it fits on a machine, %", "100 %", ""},
	{"another size", []Grade{WorthKnowing}, "the part", "size of as it came, %", "100 %", ""},
	{"long and flat", []Grade{WorthKnowing}, "the part", "longest side by thickness", "60, up to 4 mm thick", practice},
	{"too thin", []Grade{StopsIt, Decide, WorthKnowing}, "the part", "height over which something is too thin for a line, mm",
		"what a line takes; a tip of less than 2 mm and 1 mm² is only to be known, and where nothing is left it stops", practice},
	{"thin wall", []Grade{Decide, WorthKnowing}, "the part", "the thinnest, through its thickness, mm", "what the machine's setting says; only to be known where another machine does it; over more than 2 mm²", "the house"},
	{"narrow gap", []Grade{WorthKnowing}, "the part", "the narrowest slot longer than 3 mm, mm", "a line; of 0.6 mm at the most", practice},
	{"faster than it melts", []Grade{WorthKnowing}, "the part", "line × layer × fastest speed, mm³/s", "what the machine's nozzle melts, 1 % more for each °C above the material's usual", practice},
	{"sharp corners", []Grade{WorthKnowing}, "the part", "how much of a corner is rounded off, mm", "60°, over more than 1 mm of its height, by 0.2 mm", practice},
	{"weak neck", []Grade{Decide, WorthKnowing}, "the part", "area of the thinnest layer by the thinner of the thickest below and above, %", "10 %, up to 80 mm²; to be decided for a working part", practice},

	{"overhangs", []Grade{Decide, WorthKnowing}, "how it stands", "room under faces that lean out further than the recipe supports, cm³", "0.05 cm³; to be decided where no support is laid", practice},
	{"long bridge", []Grade{Decide, WorthKnowing}, "how it stands", "the longest line over nothing, from wall to wall, mm", "10 mm, to be decided past 30 mm; where no support is laid", practice},
	{"thin on support", []Grade{WorthKnowing}, "how it stands", "how thick a stretch is that stands on support, mm", "3 mm, of what is six times as long; over more than 2 mm²", practice},
	{"begins in mid-air", []Grade{Decide, WorthKnowing}, "how it stands", "places with nothing below", "none above 0.5 mm; to be decided where no support is laid", practice},
	{"tips over", []Grade{Decide, WorthKnowing}, "how it stands", "how far it may be tilted before it falls, °", "6°, to be decided below 3°; more than 5 mm high", practice},
	{"little on the plate", []Grade{WorthKnowing}, "how it stands", "what lies on the plate, mm²", "25 mm², without brim or raft; more than 5 mm high", practice},
	{"pulls up", []Grade{WorthKnowing}, "how it stands", "how much its longest side shrinks on cooling, mm", "0.8 mm, of what lies flat without brim or raft", practice},

	{"late", []Grade{Decide}, "the whole job", "days after the day it is needed", "none", ""},
	{"long run", []Grade{Decide}, "the whole job", "its longest run, h", "what the house allows", ""},
	{"more than a spool", []Grade{Decide}, "the whole job", "what a run takes of a material, g", "what a spool holds", ""},
	{"other filament", []Grade{Decide}, "the whole job", "", "", ""},
	{"nobody there", []Grade{Decide}, "the whole job", "hours after its start when it waits for somebody", "the house's hours", ""},

	{"gets warm", []Grade{Decide}, "the whole job", "how warm it is to get, °C", "at which its material goes soft", "the house"},
	{"outdoors", []Grade{Decide}, "the whole job", "", "what the house says of its material", "the house"},
	{"flexible", []Grade{Decide}, "the whole job", "", "what the house says of its material", "the house"},
	{"carries load", []Grade{Decide}, "the whole job", "", "what the house says of its material", "the house"},
	{"sparse inside", []Grade{WorthKnowing}, "the whole job", "how full its inside is, %", "20 %, of what is to carry load", practice},
	{"fits another part", []Grade{Decide}, "the whole job", "", "as large as it came", ""},
	{"shrinks", []Grade{WorthKnowing}, "the whole job", "by how much its longest side comes out short, mm", "0.2 mm, of what has to fit another part", practice},
	{"other colour", []Grade{Decide}, "the whole job", "", "the colour that is wished", ""},

	{"house rule", []Grade{StopsIt, Decide, WorthKnowing}, "the whole job", "what its first number holds", "what the rule says", "the house"},

	{"outside the machine", []Grade{StopsIt}, "a program", "mm", "none", ""},
	{"too long", []Grade{Decide}, "a program", "h", "what the house allows", ""},
	{"nozzles", []Grade{StopsIt}, "a program", "nozzles", "what a machine has", ""},
	{"no heat", []Grade{Decide}, "a program", "", "", ""},
	{"hotter than the machine", []Grade{StopsIt}, "a program", "°C", "the machine's", ""},
	{"hotter than the material", []Grade{Decide}, "a program", "°C", "the material's", ""},
	{"waits with the heat on", []Grade{Decide}, "a program", "times", "none", ""},
	{"heating stays on", []Grade{StopsIt}, "a program", "°C", "cold", ""},
	{"layer height", []Grade{Decide}, "a program", "mm", "the house's recipes", ""},
	{"unclear line", []Grade{StopsIt}, "a program", "line", "none", ""},
	{"command not allowed", []Grade{StopsIt}, "a program", "line", "none", ""},
}

// Described is the page of them.
func Described() string {
	var b strings.Builder
	b.WriteString("# Findings\n\nPrinted from `finding.Checks`. A check's name is its code, in `findings[].check` of `jobshelf check --json` and of the API; it stays. " +
		"What *stops it* keeps a job from being approved, what is to *decide* is somebody's to weigh, the rest is *worth knowing*.\n")
	of := ""
	for _, c := range Checks {
		if c.Of != of {
			of = c.Of
			fmt.Fprintf(&b, "\n## Of %s\n\n| check | grades | value | limit | where the limit is from |\n|---|---|---|---|---|\n", of)
		}
		grades := make([]string, len(c.Grades))
		for k, g := range c.Grades {
			grades[k] = string(g)
		}
		fmt.Fprintf(&b, "| `%s` | %s | %s | %s | %s |\n", c.Name, strings.Join(grades, ", "), c.Value, c.Limit, c.Source)
	}
	return b.String()
}
