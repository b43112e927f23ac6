// Package finding is what a check noticed: which check, how bad it is, the value and its
// limit, where on the model, and what it says. What it says is a code with parameters, of
// which the one catalogue of texts makes words in the house's language; english.go has them
// all, and a second language is one more file like it.
package finding

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"

	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/problem"
)

// Grade says how much a finding matters.
type Grade string

// From worst to least.
const (
	StopsIt      Grade = "stops it"
	Decide       Grade = "decide"
	WorthKnowing Grade = "worth knowing"
)

// Grades are all of them, from worst to least.
var Grades = []Grade{StopsIt, Decide, WorthKnowing}

// Finding is one thing a check noticed.
type Finding struct {
	Check string  `json:"check" doc:"Which check noticed it"`
	Grade Grade   `json:"grade" enum:"stops it,decide,worth knowing"`
	Value float64 `json:"value"`
	Limit float64 `json:"limit"`
	Unit  string  `json:"unit"`
	// Text is Says in English, or what a version before codes found.
	Text string         `json:"text" doc:"What it is and what to do, in plain words"`
	Says problem.Phrase `json:"says,omitzero"`
	// Places are points on the model, mm, worst first; at most MaxPlaces.
	Places [][3]float64 `json:"places,omitempty"`
	// HeightsMM are how high over the plate the places are, as the model stands.
	HeightsMM []float64 `json:"heights_mm,omitempty"`
	// Rule is the house's rule that raised it, and Waives who may set it aside.
	Rule   string `json:"rule,omitempty"`
	Waives string `json:"waives,omitempty"`
	// Mend are the repair steps that would mend it; none if only its maker can.
	Mend []repair.Step `json:"mend,omitempty"`
}

// Evidence is what a finding is drawn with: lines and faces of the surface, and distances that
// are told with their length, in mm; at most MaxLines, MaxFaces and MaxPlaces of them.
type Evidence struct {
	Check string       `json:"check"`
	Lines [][6]float32 `json:"lines,omitempty"`
	Faces [][9]float32 `json:"faces,omitempty"`
	Spans [][6]float32 `json:"spans,omitempty"`
}

// What a finding and its evidence hold at the most.
const (
	MaxPlaces = 20
	MaxLines  = 3000
	MaxFaces  = 1500
)

// That gives a finding what it says, a code of the catalogue with its parameters: numbers,
// names, and phrases.
func (f Finding) That(code string, params ...any) Finding {
	f.Says = problem.Phrase{Code: code, Params: params}
	f.Text = Speak("en").Say(f.Says)
	return f
}

// Key tells a finding of a piece (0: the whole job) from others, and from itself when it says something else: an answer
// is to what was said.
func (f *Finding) Key(piece int64) string {
	raw, err := json.Marshal(f.Says)
	if err != nil {
		panic("finding: " + err.Error()) // plain data always is JSON
	}
	sum := sha256.Sum256(fmt.Append(raw, piece, f.Check, f.Rule, f.Text))
	return hex.EncodeToString(sum[:8])
}

// Asks says that a finding has to be answered before a yes: what is to be decided, and what stops a job and may be
// waived.
func (f *Finding) Asks() bool {
	return f.Grade == Decide || f.Grade == StopsIt && (f.Waives == "coordinator" || f.Waives == "steward")
}

// Worst is the finding that matters most; false if there is none.
func Worst(all []Finding) (Finding, bool) {
	for _, g := range Grades {
		for _, f := range all {
			if f.Grade == g {
				return f, true
			}
		}
	}
	return Finding{}, false
}

// Mending are the repair steps that findings call for, in the order in which they are made.
func Mending(all []Finding) (out []repair.Step) {
	for _, s := range repair.Steps {
		for _, f := range all {
			if slices.Contains(f.Mend, s) {
				out = append(out, s)
				break
			}
		}
	}
	return out
}

// Stopping are the findings that stop a job.
func Stopping(all []Finding) []Finding {
	var out []Finding
	for _, f := range all {
		if f.Grade == StopsIt {
			out = append(out, f)
		}
	}
	return out
}
