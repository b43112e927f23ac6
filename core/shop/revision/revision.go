// Package revision says whether what was made still is what would be made. Machines, materials
// and recipes have revisions, which never change; of each, a facet is what matters for one
// thing. A result keeps the facets that it was made by, and is stale when today's differ. What
// something is called, which colour is loaded or what it costs is no facet of making.
package revision

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// Made is by what a slice was made: sums over the facets of making. None of them is empty but
// for what was made before they were kept.
type Made struct {
	Machine   string `json:"machine,omitempty"`
	Recipe    string `json:"recipe,omitempty"` // with its overrides
	Materials string `json:"materials,omitempty"`
}

// Piece is a model of a slice, as it was when that was ordered: which version of it, in which
// unit, how many, and how it stands.
type Piece struct {
	PieceID      int64                 `json:"piece_id"`
	Version      int                   `json:"version"`
	Unit         units.Length          `json:"unit"`
	Copies       int                   `json:"copies"`
	Scale        float64               `json:"scale"`
	Tip          slicing.Tip           `json:"tip"`
	SupportMarks []slicing.SupportMark `json:"support_marks"`
}

// Same says that two are of the same version, unit and number, however they stand.
func (p *Piece) Same(o *Piece) bool {
	return p.PieceID == o.PieceID && p.Version == o.Version && p.Unit == o.Unit && p.Copies == o.Copies
}

// AsItCame says that nothing was done by hand to how it stands.
func (p *Piece) AsItCame() bool {
	return (p.Scale == 0 || p.Scale == 1) && p.Tip == slicing.TipNone && len(p.SupportMarks) == 0
}

// Like says that two come out the same: the same, standing in the same way, with support put in
// and kept out at the same places.
func (p *Piece) Like(o *Piece) bool {
	return p.Same(o) && p.Scale == o.Scale && p.Tip == o.Tip && slices.EqualFunc(p.SupportMarks, o.SupportMarks, func(a, b slicing.SupportMark) bool {
		return a.PutIn == b.PutIn && slices.Equal(a.CornersMM, b.CornersMM)
	})
}

// Of is by what a slice would be made on a machine, with a recipe, its overrides among it, and
// what is loaded. What nozzle 2 is loaded with matters where the recipe uses it.
func Of(m *machine.Machine, r recipe.Recipe, loaded machine.Loaded) Made {
	own := *m
	own.Name, own.InService, own.RateCents, own.Material, own.Colour, own.ColourName = "", false, 0, "", "", ""
	own.Second = machine.NozzleLoad{}
	r = r.WithDefaults()
	r.Name, r.Purpose, r.Machine, r.Material = "", "", "", ""
	var materials []machine.Material
	for nozzle := 1; nozzle <= 2; nozzle++ {
		if nozzle > 1 && r.PieceNozzle != nozzle && r.SupportNozzle != nozzle {
			continue
		}
		if mat := loaded.Of(nozzle); mat != nil {
			own := *mat
			own.Name, own.SpoolGrams, own.SpoolCents = "", 0, 0
			materials = append(materials, own)
		}
	}
	return Made{sum(own), sum(r), sum(materials)}
}

func sum(v any) string {
	raw, err := json.Marshal(v)
	if err != nil {
		panic("revision: " + err.Error()) // plain data always is JSON
	}
	h := sha256.Sum256(raw)
	return hex.EncodeToString(h[:8])
}

// Changed is what is otherwise now, in the order in which people look: none if it is fresh.
func (m Made) Changed(now Made) []problem.Phrase {
	if m == (Made{}) {
		return []problem.Phrase{problem.Say("made before that was kept")}
	}
	var out []problem.Phrase
	if m.Recipe != now.Recipe {
		out = append(out, problem.Say("its recipe"))
	}
	if m.Machine != now.Machine {
		out = append(out, problem.Say("its machine"))
	}
	if m.Materials != now.Materials {
		out = append(out, problem.Say("its material"))
	}
	return out
}
