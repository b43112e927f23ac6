package decide

import (
	"slices"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/internal/store"
)

// FindingView is a finding told in the house's language.
type FindingView struct {
	Check     string        `json:"check" doc:"Which check noticed it"`
	Grade     finding.Grade `json:"grade" enum:"stops it,decide,worth knowing"`
	Value     float64       `json:"value"`
	Limit     float64       `json:"limit"`
	Unit      string        `json:"unit"`
	Text      string        `json:"text" doc:"What it is and what to do, in plain words"`
	Places    [][3]float64  `json:"places,omitempty" doc:"Points on the model, mm, worst first"`
	HeightsMM []float64     `json:"heights_mm,omitempty" doc:"How high over the plate they are, as the model stands"`
	Rule      string        `json:"rule,omitempty" doc:"The house's rule that raised it"`
	Waives    string        `json:"waives,omitempty" enum:"coordinator,steward,nobody" doc:"Who may set that aside"`
	Key       string        `json:"key,omitempty" doc:"What an answer is to; none where it needs none"`
	Answer    *AnswerView   `json:"answer,omitempty" doc:"What was said to it"`
	Mend      []repair.Step `json:"mend,omitempty" doc:"Repair steps that would mend it"`
}

func findingView(f *finding.Finding, words finding.Speaker) FindingView {
	return FindingView{Check: f.Check, Grade: f.Grade, Value: f.Value, Limit: f.Limit, Unit: f.Unit, Text: words.Text(f), Places: f.Places, HeightsMM: f.HeightsMM, Rule: f.Rule, Waives: f.Waives, Mend: f.Mend}
}

// JobFinding is a finding with the piece it is about.
type JobFinding struct {
	FindingView
	PieceID int64  `json:"piece_id" doc:"0: the whole job"`
	Piece   string `json:"piece"`
}

// findings are those on the whole job and on all pieces, worst first, told in the house's language.
func findings(pieces []store.Piece, all []noted, words finding.Speaker) []JobFinding {
	out := []JobFinding{}
	names := map[int64]string{}
	for _, p := range pieces {
		if names[p.ID] = p.Name; p.Problem != "" {
			out = append(out, JobFinding{unreadable(p), p.ID, p.Name})
		}
	}
	for i := range all {
		n := &all[i]
		v := findingView(&n.Finding, words)
		if n.Asks() {
			v.Key = n.key
		}
		if n.answer != nil {
			v.Answer = &AnswerView{n.answer.Reason, n.answer.Person, n.answer.At}
		}
		out = append(out, JobFinding{v, n.piece, names[n.piece]})
	}
	slices.SortStableFunc(out, func(a, b JobFinding) int {
		return slices.Index(finding.Grades, a.Grade) - slices.Index(finding.Grades, b.Grade)
	})
	return out
}

// Message is what could be said to a member.
type Message struct {
	About string `json:"about" doc:"The check that it is about"`
	Text  string `json:"text"`
}

// messages are ready for the findings on a job, each check once, and one to ask something else.
func messages(title string, found []JobFinding, words finding.Speaker) []Message {
	out := []Message{}
	for _, f := range found {
		p, ok := finding.Answer(f.Check, f.Text)
		if ok && !slices.ContainsFunc(out, func(m Message) bool { return m.About == f.Check }) {
			out = append(out, Message{f.Check, words.Say(p)})
		}
	}
	return append(out, Message{"ask the member", words.Say(finding.Question(title))})
}

// worst is the finding that matters most; false if there is none.
func worst(pieces []store.Piece, words finding.Speaker) (FindingView, bool) {
	var all []finding.Finding
	for _, p := range pieces {
		if p.Problem != "" {
			return unreadable(p), true
		}
		if p.Verdict != nil {
			all = append(all, p.Verdict.Findings...)
		}
	}
	f, ok := finding.Worst(all)
	return findingView(&f, words), ok
}

// stopped says that something found stops a job of these pieces.
func stopped(pieces []store.Piece) bool {
	return slices.ContainsFunc(pieces, func(p store.Piece) bool {
		return p.Problem != "" || p.Verdict != nil && len(finding.Stopping(p.Verdict.Findings)) > 0
	})
}

func unreadable(p store.Piece) FindingView {
	return FindingView{Check: "not readable", Grade: finding.StopsIt, Text: p.Problem}
}
