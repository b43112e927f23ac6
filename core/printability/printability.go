// Package printability turns measurements into findings: what was noticed, how
// bad it is, the value and its limit, and what to do.
package printability

import (
	"fmt"
	"math"
	"strings"

	"jobshelf/core/mesh"
	"jobshelf/core/units"
)

// Grade says how much a finding matters.
type Grade string

// From worst to least.
const (
	StopsIt      Grade = "stops it"
	Decide       Grade = "decide"
	WorthKnowing Grade = "worth knowing"
)

// Finding is one thing a check noticed.
type Finding struct {
	Check string  `json:"check" doc:"Which check noticed it"`
	Grade Grade   `json:"grade" enum:"stops it,decide,worth knowing"`
	Value float64 `json:"value"`
	Limit float64 `json:"limit"`
	Unit  string  `json:"unit"`
	Text  string  `json:"text" doc:"What it is and what to do, in plain words"`
}

// Surface judges whether a mesh bounds a solid.
func Surface(t *mesh.Topology, m mesh.Measures) []Finding {
	var out []Finding
	count := func(check string, g Grade, n int, format string) {
		if n > 0 {
			out = append(out, Finding{check, g, float64(n), 0, "edges", fmt.Sprintf(format, n)})
		}
	}
	count("open surface", StopsIt, t.Boundary, "The surface is open: %d edges have only one face, so what is inside is a guess. Ask for a closed model.")
	count("shared edges", Decide, t.NonManifold, "%d edges have more than two faces, so inside and outside are not clear there. Look at the layers before you say yes.")
	count("turned faces", Decide, t.Misoriented, "Along %d edges one face looks in and its neighbour out. Have the faces turned, or look at the layers.")
	if t.Closed() && t.Oriented() && m.Volume < 0 {
		out = append(out, Finding{"inside out", Decide, m.Volume, 0, "mm³",
			"Every face looks inwards. The shape is sound; turning all faces mends it."})
	}
	if t.Degenerate > 0 {
		out = append(out, Finding{"degenerate triangles", WorthKnowing, float64(t.Degenerate), 0, "triangles",
			fmt.Sprintf("%d triangles have no area. They do no harm.", t.Degenerate)})
	}
	if m.Volume == 0 || math.Abs(m.Volume) < 1e-9*m.Area*math.Sqrt(m.Area) {
		out = append(out, Finding{"no volume", StopsIt, math.Abs(m.Volume), 0, "mm³",
			"The model encloses nothing: it is a sheet, not a body. Ask for a model with thickness."})
	}
	return out
}

// Sizes between which a model is likely to be what its maker meant, in mm: most
// things handed in at a print service are a hand's size (common practice, no
// source).
const (
	smallMM = 6
	largeMM = 1000
)

var names = map[units.Length]string{units.Inch: "inches", units.Centimetre: "centimetres", units.Metre: "metres", units.Micrometre: "micrometres"}

// Size judges the size of a model in a format without a unit, read as mm, and
// proposes another unit where that would make more sense. fits tells on how many
// of the house's machines the model would go at a scale.
func Size(box mesh.Box, stated units.Length, fits func(scale float64) int) []Finding {
	if stated != "" {
		return nil
	}
	s := box.Size()
	longest := math.Max(s.X, math.Max(s.Y, s.Z))
	var try []units.Length
	switch {
	case longest < smallMM:
		try = []units.Length{units.Inch, units.Centimetre, units.Metre}
	case longest > largeMM:
		try = []units.Length{units.Micrometre}
	default:
		return nil
	}
	limit := float64(smallMM)
	if longest > largeMM {
		limit = largeMM
	}
	var could []string
	for _, u := range try {
		if to := longest * u.MM(); to >= smallMM {
			could = append(could, fmt.Sprintf("in %s it would be %.4g mm and go on %d machines", names[u], to, fits(u.MM())))
		}
	}
	return []Finding{{"unit", Decide, longest, limit, "mm", fmt.Sprintf(
		"The longest side is %.3g mm if the file is in millimetres; %s. Ask which it is.", longest, strings.Join(could, "; "))}}
}

// Fits tells what the machines say: on none, or only at a smaller scale.
func Fits(machines, fitting int, scale float64) []Finding {
	if fitting > 0 || machines == 0 {
		return nil
	}
	return []Finding{{"fit", StopsIt, 100 * scale, 100, "%", fmt.Sprintf(
		"It fits no machine as it stands. At %.3g %% of its size it would fit the largest. Ask whether it may be scaled, cut or stood up otherwise.",
		math.Floor(1000*scale)/10)}}
}

// Flat warns of long thin plates, which warp and are cut from sheet more cheaply
// (common practice, no source): longest side over limit times the thickness.
func Flat(box mesh.Box) []Finding {
	s := box.Size()
	long, thin := math.Max(s.X, s.Y), s.Z
	const limit = 60
	if thin <= 0 || thin > 4 || long/thin < limit {
		return nil
	}
	return []Finding{{"long and flat", WorthKnowing, long / thin, limit, "× its thickness", fmt.Sprintf(
		"%.0f mm long and %.1f mm thick: the ends may lift. Use a brim, or cut it from sheet instead.", long, thin)}}
}

// Worst is the finding that matters most; false if there is none.
func Worst(f []Finding) (Finding, bool) {
	for _, g := range []Grade{StopsIt, Decide, WorthKnowing} {
		for _, x := range f {
			if x.Grade == g {
				return x, true
			}
		}
	}
	return Finding{}, false
}
