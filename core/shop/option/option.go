// Package option is the machine ladder: what a job of several pieces would take on each
// machine, by the verdicts on its pieces, and what it would cost there.
package option

import (
	"slices"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
)

// SetPrices prices a verdict's quick estimates. startCents is the house's fee for a run.
func SetPrices(v *verdict.Verdict, choices []verdict.Choice, startCents units.Cents) {
	for i := range v.Machines {
		m := &v.Machines[i]
		k := slices.IndexFunc(choices, func(c verdict.Choice) bool { return c.Machine.Name == m.Name })
		if k >= 0 && m.Quick != nil {
			m.Quick.Price = price.Of(m.Quick.Uses, m.Quick.Seconds, choices[k].Machine, startCents)
		}
	}
}

// Takes says that a machine takes a job of which it is judged so: it is in service, every part
// fits, and the house has a recipe for it there, so that there are figures.
func Takes(v *verdict.MachineVerdict, inService bool) bool {
	return inService && v.Fits && v.Quick != nil && v.Quick.Seconds > 0
}

// Part is a judged model and how many of it are wanted. verdict.Verdict is nil while it
// is not judged.
type Part struct {
	Verdict *verdict.Verdict
	Copies  int
}

// Machine is one of the house's; without a number it is known by its name.
type Machine struct {
	ID   int64
	Name string
}

// is says that a row of a verdict is about the machine, whatever it was called then. A verdict
// from before numbers were kept knows the name alone.
func (m Machine) is(v *verdict.MachineVerdict) bool {
	if m.ID != 0 && v.ID != 0 {
		return m.ID == v.ID
	}
	return m.Name == v.Name
}

// OnMachine adds up what all parts take on one machine: it fits if each does,
// and there is an estimate if each has one. Times and masses add, warm-up and
// layers are the most of any; the fee for the start is due once.
func OnMachine(on Machine, parts []Part) verdict.MachineVerdict {
	out := verdict.MachineVerdict{ID: on.ID, Name: on.Name, Fits: len(parts) > 0, ScaleToFit: 1}
	q := verdict.Quick{}
	priced := len(parts) > 0
	for _, p := range parts {
		v := p.on(on)
		if v == nil {
			out.Fits, priced = false, false
			continue
		}
		out.Fits = out.Fits && v.Fits
		out.ScaleToFit = min(out.ScaleToFit, v.ScaleToFit)
		out.TurnDeg, out.Recipe = v.TurnDeg, v.Recipe
		for a := range v.OverMM {
			out.OverMM[a] = max(out.OverMM[a], v.OverMM[a])
		}
		if v.Quick == nil {
			priced = false
			continue
		}
		n := float64(p.Copies)
		q.Seconds += n * v.Quick.Seconds
		q.WarmUpSeconds = max(q.WarmUpSeconds, v.Quick.WarmUpSeconds)
		q.Grams += n * v.Quick.Grams
		q.FilamentMM += n * v.Quick.FilamentMM
		q.Layers = max(q.Layers, v.Quick.Layers)
		q.Price = price.Add(q.Price, v.Quick.Price, p.Copies)
	}
	if priced {
		out.Quick = &q
	}
	return out
}

// Sliced is a copy of the verdict in which a machine has the figures of a full
// estimate, and takes the part if it was sliced for it.
func Sliced(v *verdict.Verdict, on Machine, f *price.Full) *verdict.Verdict {
	out := *v
	out.Machines = slices.Clone(v.Machines)
	for i := range out.Machines {
		if m := &out.Machines[i]; on.is(m) {
			m.Fits, m.OverMM = true, [3]float64{}
			m.Quick = &verdict.Quick{Quick: estimate.Quick{Seconds: f.Seconds, WarmUpSeconds: f.WarmUpSeconds, Grams: f.Grams(), FilamentMM: f.FilamentMM, Layers: f.Layers}, Price: f.Price}
		}
	}
	return &out
}

func (p *Part) on(machine Machine) *verdict.MachineVerdict {
	if p.Verdict == nil {
		return nil
	}
	i := slices.IndexFunc(p.Verdict.Machines, func(m verdict.MachineVerdict) bool { return machine.is(&m) })
	if i < 0 {
		return nil
	}
	return &p.Verdict.Machines[i]
}

// Together is the verdict on a whole file: counts, volumes and areas of all
// placed copies, every finding, and the ladder over the named machines. boxes
// are where each part stands in the file, all its copies together.
func Together(format modelfile.Format, parts []Part, boxes []verdict.Box, names []string) *verdict.Verdict {
	if len(parts) == 1 && parts[0].Copies == 1 {
		return parts[0].Verdict
	}
	v := &verdict.Verdict{Format: format, Closed: true, Oriented: true, Bodies: []verdict.Body{}, Findings: []finding.Finding{}, Machines: []verdict.MachineVerdict{}}
	var moment [3]float64
	for i, p := range parts {
		o, n := p.Verdict, p.Copies
		v.Unit, v.UnitStated = o.Unit, o.UnitStated
		v.Triangles += n * o.Triangles
		v.Vertices += n * o.Vertices
		v.BodyCount += n * o.BodyCount
		v.Closed, v.Oriented = v.Closed && o.Closed, v.Oriented && o.Oriented
		v.BoundaryEdges += n * o.BoundaryEdges
		v.NonManifold += n * o.NonManifold
		v.Misoriented += n * o.Misoriented
		v.Degenerate += n * o.Degenerate
		v.Duplicate += n * o.Duplicate
		v.Crosses = v.Crosses || o.Crosses
		v.CrossingPairs += n * o.CrossingPairs
		v.VolumeMM3 += float64(n) * o.VolumeMM3
		v.AreaMM2 += float64(n) * o.AreaMM2
		for k := range moment {
			mid := o.CentroidMM[k] + (boxes[i].Min[k]+boxes[i].Max[k]-o.BoxMM.Min[k]-o.BoxMM.Max[k])/2
			moment[k] += float64(n) * o.VolumeMM3 * mid
			if i == 0 {
				v.BoxMM.Min[k], v.BoxMM.Max[k] = boxes[i].Min[k], boxes[i].Max[k]
			}
			v.BoxMM.Min[k], v.BoxMM.Max[k] = min(v.BoxMM.Min[k], boxes[i].Min[k]), max(v.BoxMM.Max[k], boxes[i].Max[k])
		}
		v.Bodies = append(v.Bodies, o.Bodies...)
		v.Findings = append(v.Findings, o.Findings...)
		v.Units = append(v.Units, o.Units...)
	}
	for k := range moment {
		v.CentroidMM[k] = (v.BoxMM.Min[k] + v.BoxMM.Max[k]) / 2
		if v.VolumeMM3 != 0 {
			v.CentroidMM[k] = moment[k] / v.VolumeMM3
		}
	}
	for _, name := range names {
		v.Machines = append(v.Machines, OnMachine(Machine{Name: name}, parts))
	}
	return v
}
