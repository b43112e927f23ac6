package desk

import (
	"context"
	"sync"

	"jobshelf/core/judge/verdict"
	"jobshelf/internal/store"
)

// briefs keeps verdicts that a shelf has shown: a thousand jobs on it are a thousand
// verdicts, each some ten kilobytes of JSON to read. A judgement never changes, so
// what is kept under its number is never stale.
type briefs struct {
	mu   sync.Mutex // guards kept
	kept map[int64]*verdict.Verdict
}

// mostBriefs bounds how many are kept, at a few kilobytes each.
const mostBriefs = 8000

// fill sets the verdicts of pieces, reading those that are not kept.
func (b *briefs) fill(ctx context.Context, q store.Q, pieces []store.Piece) error {
	b.mu.Lock()
	var ids, missing []int64
	for i := range pieces {
		p := &pieces[i]
		if p.Judgement == 0 {
			continue
		}
		if p.Verdict = b.kept[p.Judgement]; p.Verdict == nil {
			ids, missing = append(ids, p.ID), append(missing, p.Judgement)
		}
	}
	b.mu.Unlock()
	if len(missing) == 0 {
		return nil
	}
	found, err := q.VerdictsOf(ctx, ids, missing)
	if err != nil {
		return err
	}
	for _, v := range found { // what a shelf does not show
		v.Bodies, v.Units, v.Program = nil, nil, nil
		for i := range v.Findings {
			v.Findings[i].Places, v.Findings[i].HeightsMM = nil, nil
		}
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.kept == nil || len(b.kept)+len(found) > mostBriefs {
		b.kept = map[int64]*verdict.Verdict{}
	}
	for n, v := range found {
		b.kept[n] = v
	}
	for i := range pieces {
		if v := found[pieces[i].Judgement]; v != nil {
			pieces[i].Verdict = v
		}
	}
	return nil
}

// OpenPieces are the pieces of open jobs, by job, as far as a shelf shows them.
func (d *Desk) OpenPieces(ctx context.Context, member int64) (map[int64][]store.Piece, error) {
	rows, err := d.Store.OpenPieces(ctx, member)
	if err != nil {
		return nil, err
	}
	if err := d.briefs.fill(ctx, d.Store.Q, rows); err != nil {
		return nil, err
	}
	out := make(map[int64][]store.Piece, len(rows))
	for _, p := range rows {
		out[p.JobID] = append(out[p.JobID], p)
	}
	return out, nil
}
