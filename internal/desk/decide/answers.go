package decide

import (
	"context"
	"slices"
	"strings"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/rule"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/store"
)

// AnswerView is what somebody said to something that was found.
type AnswerView struct {
	Reason string    `json:"reason"`
	Who    string    `json:"who"`
	At     time.Time `json:"at"`
}

// noted is a finding of a job with what was said to it.
type noted struct {
	finding.Finding
	piece  int64
	key    string
	answer *store.Answer
}

// note are all findings of a job, on its pieces and on the whole of it.
func note(pieces []store.Piece, whole []finding.Finding, answers []store.Answer) (out []noted) {
	add := func(f finding.Finding, piece int64) {
		n := noted{f, piece, f.Key(piece), nil}
		if k := slices.IndexFunc(answers, func(a store.Answer) bool { return a.Key == n.key }); k >= 0 && f.Asks() {
			n.answer = &answers[k]
		}
		out = append(out, n)
	}
	for _, f := range whole {
		add(f, 0)
	}
	for _, p := range pieces {
		if p.Verdict != nil {
			for _, f := range p.Verdict.Findings {
				add(f, p.ID)
			}
		}
	}
	return out
}

// unanswered counts what has to be answered before a yes.
func unanswered(all []noted) (n int) {
	for i := range all {
		if all[i].Asks() && all[i].answer == nil {
			n++
		}
	}
	return n
}

// holds refuses a yes to what stops a job, or is not answered.
func holds(all []noted, words finding.Speaker) error {
	for i := range all {
		f := &all[i]
		switch {
		case f.Grade == finding.StopsIt && !f.Asks():
			return desk.Refuse("stopped by", words.Text(&f.Finding))
		case f.Asks() && f.answer == nil:
			return desk.Refuse("not answered", words.Text(&f.Finding))
		}
	}
	return nil
}

// Answer says why something that was found may be as it is; an empty reason takes that back. Who may waive a rule is in
// the rule.
func Answer(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, key, reason string) error {
	reason = strings.TrimSpace(reason)
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := desk.LockJob(ctx, tx, a, id, revision)
		if err != nil {
			return err
		}
		if !job.Table.Can(j.State, job.Yes) || j.TaskState != task.Done {
			return desk.Refuse("nothing to answer", id, j.State)
		}
		pieces, err := tx.Pieces(ctx, id)
		if err != nil {
			return err
		}
		h, err := floor.Look(ctx, tx.Q, d.Now(), id)
		if err != nil {
			return err
		}
		f, err := found(h, pieces, key)
		if err != nil {
			return err
		}
		if f.Waives == string(rule.BySteward) && !a.Role.AtLeast(desk.Steward) {
			return desk.Refuse("not yours to waive", f.Rule)
		}
		if err := tx.SetAnswer(ctx, store.Answer{JobID: id, Key: key, Reason: reason, PersonID: a.ID, At: d.Now()}); err != nil {
			return err
		}
		if err := tx.SetState(ctx, id, j.State, j.Reason); err != nil { // its revision counts up
			return err
		}
		var what event.Event = event.FindingAnswered{Check: name(f)}
		if reason == "" {
			what = event.AnswerTakenBack{Check: name(f)}
		}
		desk.Touched(tx, j, a, what, desk.Told(reason))
		return nil
	})
}

func name(f *noted) string {
	if f.Rule != "" {
		return f.Rule
	}
	return f.Check
}

// found is what a key is of, on whichever machine.
func found(h *floor.State, pieces []store.Piece, key string) (*noted, error) {
	ladder := h.Ladder(pieces)
	for _, r := range append([]floor.LadderRow{{}}, ladder...) { // the proposal first
		all := note(pieces, h.Whole(pieces, ladder, r.MachineID), nil)
		if k := slices.IndexFunc(all, func(n noted) bool { return n.key == key }); k >= 0 {
			if !all[k].Asks() {
				return nil, desk.Refuse("needs no answer", name(&all[k]))
			}
			return &all[k], nil
		}
	}
	return nil, desk.Refuse("no longer found")
}

// decided remembers a decision with what was known then, by which rules it was judged, and what was said to what was
// found.
func decided(ctx context.Context, tx *store.Tx, h *floor.State, a desk.Actor, j store.Job, pieces []store.Piece, r *floor.LadderRow, what string, all []noted) error {
	d := store.Decision{JobID: j.ID, At: h.Now, PersonID: &a.ID, What: what, Known: rule.Known{}, Rules: []store.RuleRef{}, Answers: []store.Answered{}}
	if a.ID == 0 {
		d.PersonID = nil
	}
	if r != nil {
		var whole []finding.Finding
		for i := range all {
			if all[i].piece == 0 && all[i].Rule == "" {
				whole = append(whole, all[i].Finding)
			}
		}
		d.MachineID, d.Known = &r.MachineID, *h.Known(pieces, r, whole)
	}
	for i := range h.Rules {
		raised := slices.ContainsFunc(all, func(n noted) bool { return n.Rule == h.Rules[i].Data.Name })
		d.Rules = append(d.Rules, store.RuleRef{ID: h.Rules[i].ID, N: h.Rules[i].N, Raised: raised})
	}
	for i := range all {
		if n := &all[i]; n.answer != nil {
			d.Answers = append(d.Answers, store.Answered{Check: n.Check, Rule: n.Rule, Text: n.Text, Reason: n.answer.Reason, Person: n.answer.Person})
		}
	}
	return tx.AddDecision(ctx, d)
}
