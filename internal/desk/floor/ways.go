package floor

import (
	"context"
	"slices"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/orient"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/option"
	"jobshelf/core/shop/revision"
	"jobshelf/internal/store"
)

// Turn is how a piece would stand.
type Turn struct {
	PieceID int64       `json:"piece_id"`
	Turn    orient.Quat `json:"turn"`
}

// Ways are the rows of a ladder in which pieces stand otherwise than they do.
type Ways struct {
	Rows  []LadderRow `json:"rows" doc:"The best first; what does not take the job last"`
	Tried int         `json:"tried" doc:"How many orientations of its pieces were tried on the machines"`
	Of    int         `json:"of" doc:"Of how many"`
}

// Turned is an orientation of a piece in which it does not stand.
type Turned struct {
	Piece  int // of those that were given
	Turn   orient.Quat
	Reason problem.Phrase
	sums   []string // by machine that would be tried; none is empty
	rows   []verdict.MachineVerdict
}

// Missing is on which machines it was not tried.
func (t *Turned) Missing(today *Today) (out []verdict.Choice) {
	for k, sum := range t.sums {
		if !slices.ContainsFunc(t.rows, func(r verdict.MachineVerdict) bool { return r.ID == today.choices[k].ID }) && sum != "" {
			out = append(out, today.choices[k])
		}
	}
	return out
}

// Sum names what comes out when a model in an orientation is tried on a machine, as things are today.
func (t *Today) Sum(m revision.Model, turn orient.Quat, machine int64) string {
	return m.Try(turn, t.on[t.find(machine)])
}

// SetPrice prices what came out of it today.
func (t *Today) SetPrice(row *verdict.MachineVerdict) {
	if k := t.find(row.ID); k >= 0 {
		option.SetPrice(row, &t.choices[k], t.start)
	}
}

// Others are the orientations that pieces were weighed in and do not stand in, with what is known of
// them today.
func Others(ctx context.Context, q store.Q, t *Today, pieces []store.Piece) ([]Turned, error) {
	var out []Turned
	var sums []string
	for i := range pieces {
		p := &pieces[i]
		if p.Verdict == nil || p.Verdict.Orientation == nil || p.Verdict.Format == modelfile.GCode || p.BlobID == nil {
			continue
		}
		now, model := p.Stands(), p.Model()
		for _, w := range p.Verdict.Orientation.Ways {
			if (orient.Stand{Turn: w.Turn, Scale: now.Scale, Mirror: now.Mirror}).Like(now) {
				continue
			}
			x := Turned{Piece: i, Turn: w.Turn, Reason: w.Reason, sums: make([]string, len(t.choices))}
			for k := range t.choices {
				x.sums[k] = t.Sum(model, w.Turn, t.choices[k].ID)
			}
			out, sums = append(out, x), append(sums, x.sums...)
		}
	}
	known, err := q.Tried(ctx, sums)
	for i := range out {
		for _, sum := range out[i].sums {
			if row, ok := known[sum]; ok {
				out[i].rows = append(out[i].rows, row)
			}
		}
	}
	return out, err
}

// Ways are a job's.
func (h *State) Ways(ctx context.Context, q store.Q, purpose string, pieces []store.Piece) (Ways, error) {
	out := Ways{Rows: []LadderRow{}}
	t, err := TodayFor(ctx, q, purpose)
	if err != nil {
		return out, err
	}
	others, err := Others(ctx, q, t, pieces)
	if err != nil {
		return out, err
	}
	out.Of = len(others)
	var whole []Turned
	for _, x := range others {
		if len(x.Missing(t)) == 0 {
			whole = append(whole, x)
		}
	}
	out.Tried = len(whole)
	if len(Models(pieces)) == 1 {
		for _, x := range whole {
			for i := range h.Machines {
				out.Rows = append(out.Rows, h.turned(&h.Machines[i], pieces, []Turned{x}, h.Words.Say(x.Reason)))
			}
		}
	} else {
		for i := range h.Machines {
			m := &h.Machines[i]
			if best := bestOn(m, pieces, whole); len(best) > 0 {
				out.Rows = append(out.Rows, h.turned(m, pieces, best, h.Words.Say(problem.Say("each as it is best there"))))
			}
		}
	}
	h.sort(out.Rows, pieces)
	return out, nil
}

// bestOn are the orientations in which pieces cost least on a machine, of those that do not stand so.
func bestOn(m *store.Machine, pieces []store.Piece, others []Turned) (out []Turned) {
	on := option.Machine{ID: m.ID, Name: m.Data.Name}
	costs := func(r *verdict.MachineVerdict) (float64, bool) {
		if r == nil || !r.Fits || r.Quick == nil {
			return 0, false
		}
		return float64(r.Quick.Cents) + r.Quick.Seconds/1e6, true
	}
	for i := range pieces {
		least, fits := costs(on.Of(pieces[i].Verdict))
		best := -1
		for k := range others {
			if others[k].Piece != i {
				continue
			}
			r := slices.IndexFunc(others[k].rows, func(r verdict.MachineVerdict) bool { return r.ID == m.ID })
			if r < 0 {
				continue
			}
			if c, ok := costs(&others[k].rows[r]); ok && (!fits || c < least) {
				least, fits, best = c, true, k
			}
		}
		if best >= 0 {
			out = append(out, others[best])
		}
	}
	return out
}

// turned is the row of a machine where some pieces stand otherwise.
func (h *State) turned(m *store.Machine, pieces []store.Piece, which []Turned, way string) LadderRow {
	parts := partsOf(pieces)
	r := h.row(m)
	r.Way = way
	for _, x := range which {
		parts[x.Piece].Rows = x.rows
		r.Turns = append(r.Turns, Turn{pieces[x.Piece].ID, x.Turn})
	}
	r.fill(h, m, pieces, parts, nil)
	return r
}

// sort puts the best first, as a proposal would weigh them, and what does not take the job last.
func (h *State) sort(rows []LadderRow, pieces []store.Piece) {
	slices.SortStableFunc(rows, func(a, b LadderRow) int {
		x, y := h.offer(&a, pieces), h.offer(&b, pieces)
		switch {
		case x == nil && y == nil:
			return 0
		case y == nil || x != nil && h.Terms.Better(x, y):
			return -1
		case x == nil || h.Terms.Better(y, x):
			return 1
		}
		return 0
	})
}
