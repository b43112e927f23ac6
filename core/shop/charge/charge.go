// Package charge is the books of money: what members owe the house. Lines are only added; a balance is their sum.
package charge

import (
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// The kinds of lines.
const (
	Charged   = "charged"   // a job, when it is fetched
	Corrected = "corrected" // by somebody, with a reason
	Paid      = "paid"
)

// Kinds are all of them.
var Kinds = []string{Charged, Corrected, Paid}

// Line is one of the books: by how much more a member owes.
type Line struct {
	Member int64
	Job    int64 // 0: of none
	Kind   string
	Cents  units.Cents
	Why    problem.Phrase
}

// Run is a run of a job, as it came out.
type Run struct {
	Cents  units.Cents // the job's part of it, as the yes was
	Off    bool        // it came off the machine
	Failed bool
	Own    bool    // a program that its member sliced
	Done   float64 // how far it came, 0 to 1
}

// Job is the line of a job when it is fetched: what the yes was to, of all runs that came off the machine. A failure is the
// house's; of a program that the member has sliced it is the member's, as far as it came, where the house says so.
func Job(member, job int64, runs []Run, ownFailures bool) Line {
	l := Line{Member: member, Job: job, Kind: Charged}
	for _, r := range runs {
		switch {
		case r.Off:
			l.Cents += r.Cents
		case r.Failed && r.Own && ownFailures:
			l.Cents += units.CentsFromFloat(float64(r.Cents) * min(1, max(0, r.Done)))
		}
	}
	return l
}

// Balance is what is owed.
func Balance(lines []Line) (sum units.Cents) {
	for _, l := range lines {
		sum += l.Cents
	}
	return sum
}
