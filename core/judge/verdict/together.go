package verdict

import (
	"slices"

	"jobshelf/core/judge/printability"
	"jobshelf/core/print/estimate"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/units"
)

// Part is a judged model and how many of it are wanted. Verdict is nil while it
// is not judged.
type Part struct {
	Verdict *Verdict
	Copies  int
}

// OnMachine adds up what all parts take on one machine: it fits if each does,
// and there is an estimate if each has one. Times and masses add, warm-up and
// layers are the most of any; the fee for the start is due once.
func OnMachine(name string, parts []Part) MachineVerdict {
	out := MachineVerdict{Name: name, Fits: len(parts) > 0, ScaleToFit: 1}
	q := estimate.Quick{}
	priced := len(parts) > 0
	for _, p := range parts {
		v := p.on(name)
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
		charge(&q, v.Quick.Lines, p.Copies)
	}
	if priced {
		out.Quick = &q
	}
	return out
}

// Sliced is a copy of the verdict in which a machine has the figures of a full
// estimate, and takes the part if it was sliced for it.
func (v *Verdict) Sliced(machine string, f *estimate.Full) *Verdict {
	out := *v
	out.Machines = slices.Clone(v.Machines)
	for i := range out.Machines {
		if m := &out.Machines[i]; m.Name == machine {
			m.Fits, m.OverMM = true, [3]float64{}
			m.Quick = &estimate.Quick{Seconds: f.Seconds, WarmUpSeconds: f.WarmUpSeconds, Grams: f.Grams(), FilamentMM: f.FilamentMM, PriceCents: f.PriceCents, Layers: f.Layers, Lines: f.Lines}
		}
	}
	return &out
}

func (p *Part) on(name string) *MachineVerdict {
	if p.Verdict == nil {
		return nil
	}
	i := slices.IndexFunc(p.Verdict.Machines, func(m MachineVerdict) bool { return m.Name == name })
	if i < 0 {
		return nil
	}
	return &p.Verdict.Machines[i]
}

// charge adds price lines, each times the copies, save the fee for the start.
func charge(q *estimate.Quick, lines []estimate.PriceLine, copies int) {
	for _, l := range lines {
		k := slices.IndexFunc(q.Lines, func(o estimate.PriceLine) bool { return o.Text == l.Text })
		if k < 0 {
			q.Lines, k = append(q.Lines, estimate.PriceLine{Text: l.Text}), len(q.Lines)
		} else if l.Text == estimate.StartLine {
			continue
		}
		c := l.Cents
		if l.Text != estimate.StartLine {
			c *= units.Cents(copies)
		}
		q.Lines[k].Cents += c
		q.PriceCents += c
	}
}

// Together is the verdict on a whole file: counts, volumes and areas of all
// placed copies, every finding, and the ladder over the named machines. boxes
// are where each part stands in the file, all its copies together.
func Together(format modelfile.Format, parts []Part, boxes []Box, names []string) *Verdict {
	if len(parts) == 1 && parts[0].Copies == 1 {
		return parts[0].Verdict
	}
	v := &Verdict{Format: format, Closed: true, Oriented: true, Bodies: []Body{}, Findings: []printability.Finding{}, Machines: []MachineVerdict{}}
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
		v.Machines = append(v.Machines, OnMachine(name, parts))
	}
	return v
}
