// Package option is the machine ladder: what a job of several pieces would take on each
// machine, by the verdicts on its pieces, and what it would cost there.
package option

import (
	"slices"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/layout"
	"jobshelf/core/print/machine"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
)

// SetPrices prices a verdict's quick estimates. startCents is the house's fee for a run.
func SetPrices(v *verdict.Verdict, choices []verdict.Choice, startCents units.Cents) {
	for i := range v.Machines {
		m := &v.Machines[i]
		k := slices.IndexFunc(choices, func(c verdict.Choice) bool { return c.Machine.Name == m.Name })
		if k >= 0 {
			SetPrice(m, &choices[k], startCents)
		}
	}
	for i := range v.Tried {
		SetPrice(&v.Tried[i].Row, &choices[v.Tried[i].Choice], startCents)
	}
}

// SetPrice prices the quick estimate of a row that a choice was tried for.
func SetPrice(m *verdict.MachineVerdict, c *verdict.Choice, startCents units.Cents) {
	if m.Quick != nil {
		m.Quick.Price = price.Of(m.Quick.Uses, m.Quick.Seconds, c.Machine, startCents)
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
	Rows    []verdict.MachineVerdict // instead of the verdict's, where it stands otherwise
}

// Machine is one of the house's; without a number it is known by its name. Where its volume is
// not known, all lies on one plate.
type Machine struct {
	ID     int64
	Name   string
	Volume machine.Volume
}

// is says that a row of a verdict is about the machine, whatever it was called then. A verdict
// from before numbers were kept knows the name alone.
func (m *Machine) is(v *verdict.MachineVerdict) bool {
	if m.ID != 0 && v.ID != 0 {
		return m.ID == v.ID
	}
	return m.Name == v.Name
}

// Of is what a verdict says of the machine; nil if nothing.
func (m *Machine) Of(v *verdict.Verdict) *verdict.MachineVerdict {
	return (&Part{Verdict: v}).on(m)
}

// Row is what a job takes on a machine, on how many plates.
type Row struct {
	verdict.MachineVerdict
	Plates int
	Runs   []float64 // how long each plate takes, s, its warm-up among it
}

// OnMachine adds up what all parts take on one machine: it fits if each does, and there is an
// estimate if each has one. Times and masses of copies add; each plate that they need is warmed
// up for and has the fee for its start. sliced is what the models take on it for sure, nil
// where that is not known; then only programs are added up.
func OnMachine(on Machine, parts []Part, sliced *price.Full) Row {
	out := Row{MachineVerdict: verdict.MachineVerdict{ID: on.ID, Name: on.Name, Fits: len(parts) > 0, ScaleToFit: 1}}
	q := verdict.Quick{}
	if f := sliced; f != nil {
		q = verdict.Quick{Quick: estimate.Quick{Seconds: f.Seconds, WarmUpSeconds: f.WarmUpSeconds, Grams: f.Grams(), FilamentMM: f.FilamentMM, Layers: f.Layers}, Price: f.Price}
		out.Plates, out.Runs = max(1, f.Plates), slices.Clone(f.Runs())
	}
	priced := len(parts) > 0
	var models models
	var programs units.Price
	for _, p := range parts {
		v := p.on(&on)
		if v == nil {
			out.Fits, priced = false, false
			continue
		}
		out.TurnDeg, out.Recipe = v.TurnDeg, v.Recipe
		if out.Against == nil {
			out.Against = v.Against
		}
		model := p.Verdict.Format != modelfile.GCode
		if model && sliced != nil {
			continue // it was sliced for it, and so it fits
		}
		out.Fits = out.Fits && v.Fits
		out.ScaleToFit = min(out.ScaleToFit, v.ScaleToFit)
		for a := range v.OverMM {
			out.OverMM[a] = max(out.OverMM[a], v.OverMM[a])
		}
		if v.Quick == nil {
			priced = false
			continue
		}
		n := float64(p.Copies)
		q.Seconds += n * v.Quick.Seconds
		q.Grams += n * v.Quick.Grams
		q.FilamentMM += n * v.Quick.FilamentMM
		q.Layers = max(q.Layers, v.Quick.Layers)
		if model {
			models.add(v, p.Verdict.BoxMM, p.Copies)
			continue
		}
		out.Plates += p.Copies // each of a program is a plate
		q.WarmUpSeconds += n * v.Quick.WarmUpSeconds
		out.Runs = append(out.Runs, slices.Repeat([]float64{v.Quick.WholeSeconds()}, p.Copies)...)
		programs = price.AddRuns(programs, v.Quick.Price, p.Copies)
	}
	if n := models.plates(on.Volume); n > 0 {
		out.Plates += n
		q.WarmUpSeconds += float64(n) * models.warmUp
		out.Runs = append(out.Runs, slices.Repeat([]float64{models.seconds/float64(n) + models.warmUp}, n)...)
		q.Price = price.Starts(models.price, n)
	}
	q.Price = price.AddRuns(q.Price, programs, 1)
	if priced {
		out.Quick = &q
	}
	return out
}

// models are those of a job that are not sliced for a machine yet.
type models struct {
	items   []layout.Item
	apartMM float64
	warmUp  float64
	seconds float64     // of all copies
	price   units.Price // with one start
}

// add adds copies of one. A verdict from before footprints were kept is taken to lie as it came.
func (m *models) add(v *verdict.MachineVerdict, box verdict.Box, copies int) {
	foot := v.FootMM
	if foot == [2]float64{} {
		foot = [2]float64{box.Max[0] - box.Min[0], box.Max[1] - box.Min[1]}
	}
	m.items = append(m.items, layout.Item{Box: polygon.Box{MaxX: polygon.UM(foot[0]), MaxY: polygon.UM(foot[1])}, Copies: copies})
	m.apartMM, m.warmUp = max(m.apartMM, v.ApartMM), max(m.warmUp, v.Quick.WarmUpSeconds)
	m.seconds += float64(copies) * v.Quick.Seconds
	m.price = price.Add(m.price, v.Quick.Price, copies)
}

// plates is how many they lie on.
func (m *models) plates(v machine.Volume) int {
	if len(m.items) == 0 || v.XMM == 0 {
		return min(1, len(m.items))
	}
	return len(layout.Rows(m.items, v, polygon.UM(m.apartMM), 0))
}

func (p *Part) on(machine *Machine) *verdict.MachineVerdict {
	if p.Verdict == nil {
		return nil
	}
	rows := p.Verdict.Machines
	if p.Rows != nil {
		rows = p.Rows
	}
	i := slices.IndexFunc(rows, func(m verdict.MachineVerdict) bool { return machine.is(&m) })
	if i < 0 {
		return nil
	}
	return &rows[i]
}

// Together is the verdict on a whole file: counts, volumes and areas of all
// placed copies, every finding, and the ladder over the machines. boxes
// are where each part stands in the file, all its copies together.
func Together(format modelfile.Format, parts []Part, boxes []verdict.Box, machines []Machine) *verdict.Verdict {
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
	for _, m := range machines {
		v.Machines = append(v.Machines, OnMachine(m, parts, nil).MachineVerdict)
	}
	return v
}
