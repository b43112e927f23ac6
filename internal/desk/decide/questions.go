package decide

import (
	"context"
	"errors"
	"strings"
	"time"

	"jobshelf/core/shop/event"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/letter"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// QuestionView is what was asked about a job, and what was said to it.
type QuestionView struct {
	Asked     string     `json:"asked"`
	AskedBy   string     `json:"asked_by"`
	AskedAt   time.Time  `json:"asked_at"`
	Reply     string     `json:"reply,omitempty"`
	RepliedBy string     `json:"replied_by,omitempty"`
	RepliedAt *time.Time `json:"replied_at,omitempty"`
}

func questionViews(all []store.Question) []QuestionView {
	out := []QuestionView{}
	for _, q := range all {
		v := QuestionView{Asked: q.Asked, AskedBy: q.AskedBy, AskedAt: q.AskedAt, RepliedAt: q.RepliedAt}
		if q.Reply != nil {
			v.Reply = *q.Reply
		}
		if q.RepliedBy != nil {
			v.RepliedBy = *q.RepliedBy
		}
		out = append(out, v)
	}
	return out
}

// Ask holds a job with a question to its member: it waits for the answer, and is not what is to be done next.
func Ask(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, text string) error {
	text = strings.TrimSpace(text)
	if text == "" {
		return desk.Wrong("text", "nothing asked")
	}
	return talk(ctx, d, a, id, revision, event.Asked{Text: text}, func(tx *store.Tx) error {
		if err := tx.Ask(ctx, id, text, a.ID, d.Now()); err != nil {
			return err
		}
		j, err := tx.Job(ctx, id)
		if err != nil {
			return err
		}
		return desk.Write(ctx, tx, a, d.Now(), j, letter.Asked, letter.Values{"question": text})
	})
}

// Reply answers what was asked: the member, or the desk for the member.
func Reply(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, text string) error {
	text = strings.TrimSpace(text)
	if text == "" {
		return desk.Wrong("text", "nothing answered")
	}
	return talk(ctx, d, a, id, revision, event.Replied{Text: text}, func(tx *store.Tx) error {
		err := tx.Reply(ctx, id, text, a.ID, d.Now())
		if errors.Is(err, store.ErrNotFound) {
			return desk.Refuse("nothing was asked", id)
		}
		return err
	})
}

// talk does something that is said about a job that is still weighed.
func talk(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, what event.Event, do func(*store.Tx) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := desk.LockJob(ctx, tx, a, id, revision)
		if err != nil {
			return err
		}
		if !job.Weighed(j.State) {
			return desk.Refuse("nothing to answer", id, j.State)
		}
		if err := do(tx); err != nil {
			return err
		}
		if err := tx.SetState(ctx, id, j.State, j.Reason); err != nil { // its revision counts up
			return err
		}
		desk.Touched(tx, j, a, what, desk.Told(""))
		return nil
	})
}
