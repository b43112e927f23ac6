package desk

import (
	"context"
	"fmt"
	"math"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/letter"
	"jobshelf/internal/store"
)

// Write tells the member of a job what was decided about it, by the house's template.
func Write(ctx context.Context, tx *store.Tx, by Actor, at time.Time, j store.Job, kind string, v letter.Values) error {
	h, err := tx.House(ctx)
	if err != nil {
		return err
	}
	k, ok := letter.Of(kind)
	if !ok {
		return fmt.Errorf("no letter %q", kind)
	}
	all := letter.Values{"title": j.Title, "member": j.MemberName, "who": by.Name}
	for key, value := range v {
		all[key] = value
	}
	own, err := tx.Templates(ctx)
	if err != nil {
		return err
	}
	text := k.Fill(Template(own, kind, finding.Speak(h.Locale)), all)
	if text == "" { // nothing that it says is known
		return nil
	}
	return tx.AddLetter(ctx, store.Letter{JobID: j.ID, Kind: kind, Text: text, At: at}, by.ID)
}

// Template is what the house says on an occasion: one of its own, or that of the catalogue.
func Template(own map[string]string, kind string, words finding.Speaker) string {
	if t := own[kind]; t != "" {
		return t
	}
	return words.Say(problem.Say("letter " + kind))
}

// InMinutes is a time in words, to the minute, rounded up.
func InMinutes(seconds float64, words finding.Speaker) string {
	minutes := int(math.Ceil(seconds/60 - 1e-9))
	if minutes < 60 {
		return words.Say(problem.Say("minutes", minutes))
	}
	return words.Say(problem.Say("a time of", minutes/60, minutes%60))
}

// Sum is money in words.
func Sum(c units.Cents, currency string, words finding.Speaker) string {
	return words.Say(problem.Say("money of", problem.Fixed(float64(c)/100, 2), currency))
}

// Moment is a day and a time in words, by the house's clock.
func Moment(t time.Time, in *time.Location, words finding.Speaker) string {
	t = t.In(in)
	return words.Say(problem.Say("a moment", problem.Say(fmt.Sprintf("weekday %d", t.Weekday())), t.Day(), problem.Say(fmt.Sprintf("month %d", t.Month())), t.Format("15:04")))
}
