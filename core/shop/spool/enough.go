package spool

import "jobshelf/core/shape/units"

// Need is what a run that waits, or is on a machine, still takes of a nozzle's material.
type Need struct {
	Run      int64
	Nozzle   int
	Material string
	MG       units.Milligrams
}

// Is a spool as far as what is on it goes.
type Is struct {
	ID       int64
	Material string
	Colour   string
	State    string
	Machine  int64 // it is loaded on; 0: none
	Nozzle   int   // counted from 1
	Left     units.Milligrams
}

// Lane is the runs of a machine as they come, with what each takes.
type Lane struct {
	Machine int64
	Needs   [][]Need // by run
}

// Short is a nozzle whose spool does not last for a run.
type Short struct {
	Need   Need
	Spool  int64            // that is in it; 0: none that is known
	Left   units.Milligrams // on it when that run begins, after those before it
	Others units.Milligrams // on other spools of the material, not loaded anywhere
}

// Lasts says for which runs of a lane the spools that are loaded do not last, over all runs in a row. Where other material
// is in a nozzle, or no spool that is known, nothing is said of it: that is to be loaded first.
func Lasts(l Lane, spools []Is) []Short {
	var out []Short
	left := map[int]units.Milligrams{}
	in := map[int]Is{}
	others := map[string]units.Milligrams{}
	for _, s := range spools {
		switch {
		case s.State == Loaded && s.Machine == l.Machine:
			in[s.Nozzle], left[s.Nozzle] = s, s.Left
		case s.State == Sealed || s.State == Open || s.State == Drying:
			others[s.Material] += s.Left
		}
	}
	for _, needs := range l.Needs {
		for _, n := range needs {
			s, ok := in[n.Nozzle]
			if !ok || s.Material != n.Material {
				continue
			}
			if n.MG > left[n.Nozzle] {
				out = append(out, Short{n, s.ID, max(0, left[n.Nozzle]), others[n.Material]})
			}
			left[n.Nozzle] -= n.MG
		}
	}
	return out
}
