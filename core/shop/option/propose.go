package option

import (
	"math"
	"time"

	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// Offer is a machine that takes a job: what it costs there, and when it would be finished.
type Offer struct {
	Name   string
	Price  units.Cents
	Finish time.Time
	Late   bool // after the day it is needed
	Swap   bool // filament has to be changed for it
	Unfit  int  // in so many ways what it would be made of is not for what it is for
}

// Terms are what a house weighs price against time by.
type Terms struct {
	SoonerCents units.Cents // what it is worth to be finished an hour sooner
	Currency    string
}

// Proposal is the offer that is proposed, the one that would be taken without it (-1: none), and why, beside that.
type Proposal struct {
	Best, Next int
	Why        problem.Phrase
}

// Better says that an offer is to be taken before another: what is fit for its use goes first, then what is in time, then what costs
// less with its time, then what is finished first and needs no other filament. No offer is taken that another is no dearer than
// and no later.
func (t Terms) Better(a, b *Offer) bool {
	if a.Unfit != b.Unfit {
		return a.Unfit < b.Unfit
	}
	if a.Late != b.Late {
		return b.Late
	}
	// Whole cents and seconds: no rounding decides.
	less := float64(a.Price-b.Price) + float64(t.SoonerCents)*a.Finish.Sub(b.Finish).Hours()
	switch {
	case math.Abs(less) > 1e-6:
		return less < 0
	case !a.Finish.Equal(b.Finish):
		return a.Finish.Before(b.Finish)
	case a.Price != b.Price:
		return a.Price < b.Price
	}
	return !a.Swap && b.Swap
}

// Propose finds the best offer; false where there is none.
func (t Terms) Propose(offers []Offer) (Proposal, bool) {
	best := t.best(offers, -1)
	if best < 0 {
		return Proposal{}, false
	}
	p := Proposal{best, t.best(offers, best), problem.Say("the only machine")}
	if p.Next >= 0 {
		p.Why = t.why(&offers[best], &offers[p.Next])
	}
	return p, true
}

// best is the best offer but one.
func (t Terms) best(offers []Offer, but int) int {
	best := -1
	for i := range offers {
		if i != but && (best < 0 || t.Better(&offers[i], &offers[best])) {
			best = i
		}
	}
	return best
}

// why says what an offer has before another.
func (t Terms) why(a, b *Offer) problem.Phrase {
	if a.Unfit < b.Unfit {
		return problem.Say("fit for its use", b.Name)
	}
	if b.Late && !a.Late {
		return problem.Say("in time, the other not", b.Name)
	}
	var parts []problem.Phrase
	sooner := math.Round(b.Finish.Sub(a.Finish).Minutes())
	if m := math.Abs(sooner); m >= 1 {
		if m < 120 {
			parts = append(parts, problem.Say(map[bool]string{true: "minutes sooner", false: "minutes later"}[sooner > 0], problem.Fixed(m, 0)))
		} else {
			parts = append(parts, problem.Say(map[bool]string{true: "hours sooner", false: "hours later"}[sooner > 0], problem.Fixed(m/60, 1)))
		}
	}
	if d := b.Price - a.Price; d != 0 {
		parts = append(parts, problem.Say(map[bool]string{true: "cheaper by", false: "dearer by"}[d > 0], problem.Fixed(math.Abs(float64(d))/100, 2), t.Currency))
	}
	swap := b.Swap && !a.Swap
	switch {
	case len(parts) == 0 && swap:
		return problem.Say("needs other filament", b.Name)
	case len(parts) == 0:
		return problem.Say("as good as", b.Name)
	case swap:
		return problem.Say("than on, which needs other filament", parts, b.Name)
	}
	return problem.Say("than on", parts, b.Name)
}
