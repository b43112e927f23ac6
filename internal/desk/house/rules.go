package house

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/rule"
	"jobshelf/core/shop/event"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// RuleView is a rule with its version, and as a sentence.
type RuleView struct {
	ID       int64     `json:"id"`
	Version  int       `json:"version"`
	Data     rule.Rule `json:"data"`
	Sentence string    `json:"sentence" doc:"When it holds, in words"`
	Counts   bool      `json:"counts" doc:"It was not taken away"`
	At       time.Time `json:"at"`
	By       string    `json:"by,omitempty"`
}

// FactView is what a rule may ask of.
type FactView struct {
	rule.Fact
	Name string    `json:"name"`
	Ops  []rule.Op `json:"ops"`
}

// RulesView are the house's rules, and what they can be made of.
type RulesView struct {
	Rules []RuleView `json:"rules"`
	Facts []FactView `json:"facts"`
}

func ruleView(r store.Rule, words finding.Speaker) RuleView {
	return RuleView{r.ID, r.N, r.Data, words.Say(r.Data.When.Sentence()), r.Counts, r.At, r.By}
}

// Rules lists them.
func Rules(ctx context.Context, d *desk.Desk) (RulesView, error) {
	words := d.Words(ctx)
	rows, err := d.Store.Rules(ctx)
	v := RulesView{[]RuleView{}, []FactView{}}
	for _, r := range rows {
		v.Rules = append(v.Rules, ruleView(r, words))
	}
	for _, f := range rule.Facts {
		v.Facts = append(v.Facts, FactView{f, words.Say(rule.FactWords(f.Key)), rule.Ops[f.Kind]})
	}
	return v, err
}

// RuleVersions are all versions of a rule, the latest first.
func RuleVersions(ctx context.Context, d *desk.Desk, id int64) ([]RuleView, error) {
	rows, err := d.Store.RuleVersions(ctx, id)
	if err == nil && len(rows) == 0 {
		err = store.ErrNotFound
	}
	words, out := d.Words(ctx), []RuleView{}
	for _, r := range rows {
		out = append(out, ruleView(r, words))
	}
	return out, err
}

// SetRule writes a rule: a new one, or the next version of one as it was seen.
func SetRule(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, seen int, r rule.Rule) (int64, error) {
	r.Name, r.Says = strings.TrimSpace(r.Name), strings.TrimSpace(r.Says)
	if bad := r.Check(); len(bad) > 0 {
		return 0, &desk.Invalid{Problems: bad}
	}
	err := d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockRules(ctx); err != nil {
			return err
		}
		all, err := tx.Rules(ctx)
		if err != nil {
			return err
		}
		if slices.ContainsFunc(all, func(o store.Rule) bool { return o.ID != id && strings.EqualFold(o.Data.Name, r.Name) }) {
			return desk.Wrong("name", "rule of that name", r.Name)
		}
		return writeRule(ctx, d, tx, a, &id, seen, r, true)
	})
	return id, err
}

// TakeRuleAway lets a rule, as it was seen, count no more.
func TakeRuleAway(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, seen int) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockRules(ctx); err != nil {
			return err
		}
		all, err := tx.Rules(ctx)
		if err != nil {
			return err
		}
		k := slices.IndexFunc(all, func(o store.Rule) bool { return o.ID == id })
		if k < 0 {
			return store.ErrNotFound
		}
		return writeRule(ctx, d, tx, a, &id, seen, all[k].Data, false)
	})
}

func writeRule(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, id *int64, seen int, r rule.Rule, counts bool) error {
	made, err := tx.AddRule(ctx, *id, seen, r, counts, d.Now(), a.ID)
	if errors.Is(err, store.ErrNotFound) {
		return desk.Refuse("rule changed")
	}
	if err != nil {
		return err
	}
	var what event.Event = event.RuleTakenAway{Rule: r.Name}
	if counts {
		what = event.RuleWritten{Rule: r.Name, Version: seen + 1}
		if *id == 0 {
			what = event.RuleWritten{Rule: r.Name, Version: 1}
		}
	}
	*id = made
	desk.Tell(tx, store.OfHouse, a.ID, what)
	return nil
}

// RuleTried is what a rule would have done to jobs of the past.
type RuleTried struct {
	Of       int       `json:"of" doc:"How many it was held against, the latest"`
	Held     []PastJob `json:"held" doc:"Of which it would have raised something"`
	Unknown  int       `json:"unknown" doc:"Of how many too little was known"`
	Sentence string    `json:"sentence"`
}

// PastJob is a job that was decided on.
type PastJob struct {
	JobID int64  `json:"job_id"`
	Title string `json:"title"`
	Text  string `json:"text" doc:"What it would have said"`
}

// triedAgainst is how many jobs of the past a rule is held against.
const triedAgainst = 1000

// TryRule holds a rule against what was decided before it counts.
func TryRule(ctx context.Context, d *desk.Desk, r rule.Rule) (RuleTried, error) {
	if bad := r.Check(); len(bad) > 0 {
		return RuleTried{}, &desk.Invalid{Problems: bad}
	}
	past, err := d.Store.LatelyDecided(ctx, triedAgainst)
	words := d.Words(ctx)
	out := RuleTried{Of: len(past), Held: []PastJob{}, Sentence: words.Say(r.When.Sentence())}
	for i := range past {
		switch r.When.Holds(&past[i].Known) {
		case rule.True:
			out.Held = append(out.Held, PastJob{past[i].JobID, past[i].Title, rule.Fill(r.Says, &past[i].Known, words)})
		case rule.Unknown:
			out.Unknown++
		}
	}
	return out, err
}
