package house

import (
	"context"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/event"
	"jobshelf/core/shop/letter"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// TemplateView is what members are told on an occasion.
type TemplateView struct {
	letter.Kind
	Text  string `json:"text" doc:"As it is; fields in braces. A line in which something is not known is left out"`
	First string `json:"first" doc:"As it was before the house wrote its own"`
}

// Letters lists them.
func Letters(ctx context.Context, d *desk.Desk) ([]TemplateView, error) {
	own, err := d.Store.Templates(ctx)
	words, out := d.Words(ctx), []TemplateView{}
	for _, k := range letter.Kinds {
		out = append(out, TemplateView{k, desk.Template(own, k.Name, words), words.Say(problem.Say("letter " + k.Name))})
	}
	return out, err
}

// SetLetter writes what members are told on an occasion; an empty text is the first again. What was told stays.
func SetLetter(ctx context.Context, d *desk.Desk, a desk.Actor, kind, text string) error {
	text = strings.TrimSpace(text)
	k, ok := letter.Of(kind)
	if !ok {
		return desk.Wrong("kind", "no such letter", kind)
	}
	if text != "" {
		if bad := k.Check(text); len(bad) > 0 {
			return &desk.Invalid{Problems: bad}
		}
	}
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		h, err := tx.House(ctx)
		if err != nil {
			return err
		}
		if text == finding.Speak(h.Locale).Say(problem.Say("letter "+kind)) {
			text = ""
		}
		if err := tx.SetLetter(ctx, kind, text); err != nil {
			return err
		}
		desk.Tell(tx, store.OfHouse, a.ID, event.LetterWritten{Letter: kind})
		return nil
	})
}
