package run

import (
	"fmt"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
)

// Point is something that somebody says yes to before a run is started: no program can see it.
type Point struct {
	Key  string
	Says problem.Phrase
}

// WornPart is one of the machine that has done what it is good for: Share times that.
type WornPart struct {
	ID    int64
	Name  string
	Share float64
}

// Checklist is what has to be so before anything is started on a machine: its bed, what is in each nozzle that is used,
// what of it is worn, and what hands have to know of the material and the machine. Used are the nozzles, counted from 0.
func Checklist(m *machine.Machine, of map[string]*machine.Material, used []int, worn []WornPart) []Point {
	out := []Point{{"bed", problem.Say("check bed", m.Name)}}
	told := map[string]bool{}
	care := func(key, text string) {
		if text != "" && !told[text] {
			told[text] = true
			out = append(out, Point{key, problem.Say("told", text)})
		}
	}
	for _, n := range used {
		material, colour := m.Material, m.ColourName
		if n == 1 {
			material, colour = m.Second.Material, m.Second.ColourName
		}
		p := problem.Say("check loaded", n+1, material, colour)
		if len(m.NozzlesMM) < 2 {
			p = problem.Say("check loaded alone", material, colour)
		}
		out = append(out, Point{fmt.Sprintf("nozzle %d", n+1), p})
		if x := of[material]; x != nil {
			care(fmt.Sprintf("care %d", n+1), x.Care)
		}
	}
	for _, w := range worn {
		out = append(out, Point{fmt.Sprintf("worn %d", w.ID), problem.Say("check worn", w.Name, problem.Fixed(100*w.Share, 0))})
	}
	care("machine", m.Care)
	return out
}

// Loading is how other filament gets into a nozzle: it is warmed to the hotter of the two, so that what is in it comes out
// whole, and what is new goes in; then it is as warm as the new wants it.
type Loading struct {
	HotC, ThenC float64 // °C
	Care        []string
}

// Load is how a material takes the place of what is in a nozzle; nil where nothing is. Each is as warm as a program of ours
// would lay it (recipe.Heats), and never warmer than the machine may be.
func Load(m *machine.Machine, was, is *machine.Material) Loading {
	heat := func(x *machine.Material) float64 {
		laid := recipe.Recipe{NozzleC: x.NozzleC, FirstNozzleC: x.NozzleC}
		return min(laid.Heats(m, machine.Loaded{x}).At(1, false), m.NozzleMaxC)
	}
	l := Loading{ThenC: heat(is)}
	l.HotC = l.ThenC
	if was != nil {
		l.HotC = max(l.HotC, heat(was))
	}
	for _, text := range []string{is.Care, m.Care} {
		if text != "" {
			l.Care = append(l.Care, text)
		}
	}
	return l
}
