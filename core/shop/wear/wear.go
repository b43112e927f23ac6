// Package wear counts what the parts of a machine have done that wear out, against what they are good for: nozzles, belts,
// fans. A count only grows until the part is renewed.
package wear

import "jobshelf/core/shape/units"

// Part is one of a machine, as the house has it.
type Part struct {
	Name       string  `json:"name" minLength:"1" maxLength:"60"`
	Nozzle     int     `json:"nozzle" minimum:"0" maximum:"8" doc:"The nozzle that it is, or feeds, counted from 1: what goes through that counts; 0: the whole machine's"`
	LimitHours float64 `json:"limit_hours" minimum:"0" maximum:"100000" doc:"What it is good for, h of laying; 0: no limit"`
	LimitGrams float64 `json:"limit_grams" minimum:"0" maximum:"1000000" doc:"And g laid; 0: no limit"`
}

// Done is what it has done since it was new.
type Done struct {
	Seconds float64 // while something was laid
	MG      units.Milligrams
	Runs    int
}

// Near is from what share of its limits on a part is soon worn (the house is told in time to buy one).
const Near = 0.9

// Share is how much of its limits a part has used, the larger of the two; 0 where it has none.
func (p *Part) Share(d Done) (share float64) {
	if p.LimitHours > 0 {
		share = d.Seconds / 3600 / p.LimitHours
	}
	if p.LimitGrams > 0 {
		share = max(share, d.MG.Grams()/p.LimitGrams)
	}
	return share
}

// Worn says that it has done what it is good for.
func (p *Part) Worn(d Done) bool { return p.Share(d) >= 1 }

// With is what it has done after a run that laid for seconds, and so much from each nozzle.
func (p *Part) With(d Done, seconds float64, by map[int]units.Milligrams) Done {
	for nozzle, mg := range by {
		if p.Nozzle == 0 || p.Nozzle == nozzle {
			d.MG += mg
		}
	}
	if p.Nozzle == 0 || by[p.Nozzle] > 0 {
		d.Seconds += seconds
		d.Runs++
	}
	return d
}
