package floor

import (
	"math"
	"slices"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/judge/rule"
	"jobshelf/core/print/recipe"
	"jobshelf/internal/store"
)

// asks are the house's rules.
func (h *State) asks() []rule.Rule {
	out := make([]rule.Rule, len(h.Rules))
	for i := range h.Rules {
		out[i] = h.Rules[i].Data
	}
	return out
}

// Known is what is known of a job on the machine of a row, beside what was found on it.
func (h *State) Known(pieces []store.Piece, r *LadderRow, found []finding.Finding) *rule.Known {
	id := pieces[0].JobID
	made := h.madeOn(pieces, r)
	k := &rule.Known{Numbers: map[string]float64{"copies": 0, "pieces": float64(len(pieces)), "price": float64(r.Price) / 100, "grams": r.Grams, "plates": float64(len(r.runS))},
		Texts: map[string]string{"machine": r.Name, "material": r.Material, "colour": made.Colour, "purpose": h.Purposes[id]},
		Lists: map[string][]string{"findings": {}, "use": usesOf(h.Uses[id]), "overrides": {}}, Flags: map[string]bool{}}
	if len(r.runS) > 0 {
		all := 0.0
		for _, s := range r.runS {
			all += s
		}
		k.Numbers["hours"], k.Numbers["all_hours"] = slices.Max(r.runS)/3600, all/3600
	}
	if first, ok := h.First[id]; ok {
		k.Flags["first"], k.Texts["group"] = first, h.Clubs[id]
	}
	if due, ok := h.Due[id]; ok {
		today := h.Now.In(h.Hours.Location)
		day := time.Date(today.Year(), today.Month(), today.Day(), 0, 0, 0, 0, time.UTC)
		k.Numbers["days"] = math.Round(due.Sub(day).Hours() / 24)
	}
	if warm := h.Uses[id].WarmC; warm > 0 {
		k.Numbers["warm"] = warm
	}
	scale, largest := 1.0, 0.0
	for i := range pieces {
		p := &pieces[i]
		k.Numbers["copies"] += float64(p.Copies)
		if p.Verdict == nil {
			continue
		}
		for _, f := range p.Verdict.Findings {
			k.Lists["findings"] = append(k.Lists["findings"], f.Check)
		}
		for _, s := range p.Verdict.Stands().Scale {
			if math.Abs(math.Log(s)) > math.Abs(math.Log(scale)) {
				scale = s
			}
		}
		if p.Verdict.Orientation != nil {
			largest = max(largest, slices.Max(p.Verdict.Orientation.SizeMM[:]))
		}
	}
	for _, f := range found {
		k.Lists["findings"] = append(k.Lists["findings"], f.Check)
	}
	k.Numbers["scale"] = 100 * scale
	if largest > 0 {
		k.Numbers["size"] = largest
	}
	h.settings(k, pieces, r)
	return k
}

// settings are what the recipe sets, and what counts instead of it.
func (h *State) settings(k *rule.Known, pieces []store.Piece, r *LadderRow) {
	at := slices.IndexFunc(h.Recipes, func(x store.Recipe) bool { return x.MachineID == r.MachineID && x.Data.Name == r.Recipe })
	if at < 0 {
		return
	}
	set := h.Recipes[at].Data
	var counted []recipe.Override
	if c := h.counts(pieces, r.MachineID); c != nil {
		counted = c.Overrides
	}
	for _, by := range [][]recipe.Override{counted, h.If} {
		for _, o := range by {
			if !slices.Contains(k.Lists["overrides"], o.Key) {
				k.Lists["overrides"] = append(k.Lists["overrides"], o.Key)
			}
		}
		if with, err := set.Apply(by); err == nil {
			set = with
		}
	}
	full := set.WithDefaults()
	k.Numbers["infill"], k.Numbers["layer"] = full.InfillPercent, full.LayerMM
}

func usesOf(u printability.Use) []string {
	out := []string{}
	for _, x := range []struct {
		is   bool
		name string
	}{{u.Outdoors, "outdoors"}, {u.Flexible, "bends"}, {u.Load, "load"}, {u.Fits, "fits"}, {u.WarmC > 0, "warm"}, {u.Colour != "", "colour"}} {
		if x.is {
			out = append(out, x.name)
		}
	}
	return out
}
