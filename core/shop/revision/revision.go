// Package revision says whether what was made still is what would be made. Machines, materials
// and recipes have revisions, which never change; of each, a facet is what matters for one
// thing. A result keeps the facets that it was made by, and is stale when today's differ. What
// something is called, which colour is loaded or what it costs is no facet of making.
package revision

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// Ref names a revision of something of the house: which one of what.
type Ref struct {
	Of string `json:"of"` // house, machine, material or recipe
	ID int64  `json:"id"`
	N  int    `json:"n"`
}

// Made is by what a slice was made: the revisions, and sums over their facets of making. No sum
// is empty but for what was made before they were kept.
type Made struct {
	From      []Ref  `json:"from,omitempty"`
	Machine   string `json:"machine,omitempty"`
	Recipe    string `json:"recipe,omitempty"` // with its overrides
	Materials string `json:"materials,omitempty"`
	Slicing   int    `json:"slicing,omitempty"` // slicing.Revision of the program that made it
}

// Judged is by what a verdict was given: the revisions, and one sum over all of them that it
// rests on. A verdict holds names and prices, so these are of it; what is only shown is not.
type Judged struct {
	From    []Ref  `json:"from,omitempty"`
	Sum     string `json:"sum,omitempty"`
	Judging int    `json:"judging,omitempty"` // verdict.Revision of the program that judged
}

// JudgedBy is by what a verdict would be given on these machines, where a start costs so much
// and longestS is the longest run without asking.
func JudgedBy(choices []verdict.Choice, start units.Cents, longestS float64, from []Ref) Judged {
	type way struct {
		ID      int64
		Machine machine.Machine
		Recipe  *recipe.Recipe
		Loaded  machine.Loaded
	}
	ways := make([]way, len(choices))
	for i, c := range choices {
		ways[i] = way{c.ID, *c.Machine, c.Recipe, slices.Clone(c.Loaded)}
		for k, mat := range ways[i].Loaded {
			if mat != nil {
				ways[i].Loaded[k] = new(mat.Made()) // what parts of it are good for is asked of the whole job
			}
		}
		m := &ways[i].Machine
		m.Address, m.Colour, m.ColourName, m.Second.ColourName = "", "", "", ""
		m.Dialect = machine.Dialect{} // it makes programs, not verdicts
		m.WornHours, m.SpreadWear = 0, false
		m.Line, m.Resets, m.Camera, m.Care, m.ChangeGrams = "", false, "", "", 0
	}
	return Judged{from, sum(struct {
		Ways     []way
		Start    units.Cents
		LongestS float64
	}{ways, start, longestS}), verdict.Revision}
}

// Model is a model as it is handed in: of which stored file, and how it is made from it.
type Model struct {
	File   int64        `json:"file"`
	Part   int          `json:"part"`
	Unit   units.Length `json:"unit"`
	Sized  orient.Stand `json:"sized"` // its scale and mirror alone
	Nozzle int          `json:"nozzle"`
}

// OnMachine names a machine with what would be done on it, where a start costs so much.
func OnMachine(c *verdict.Choice, start units.Cents) string {
	on := JudgedBy([]verdict.Choice{*c}, start, 0, nil)
	return fmt.Sprint(on.Judging, on.Sum)
}

// Try names, by all that goes into it, what comes out when a model in an orientation is tried on a machine,
// as OnMachine names it.
func (m Model) Try(turn orient.Quat, on string) string {
	m.Sized = orient.Stand{Scale: m.Sized.Scale, Mirror: m.Sized.Mirror}.Plain()
	turn = orient.Stand{Turn: turn}.Plain().Turn
	for k := range turn {
		turn[k] = math.Round(turn[k]*1e8) / 1e8 // written down twice it is the same
	}
	return sum(struct {
		Model Model
		Turn  orient.Quat
		On    string
	}{m, turn, on})
}

// Fresh says that a verdict would be given by the same now.
func (j Judged) Fresh(now Judged) bool { return j.Sum == now.Sum && j.Judging == now.Judging }

// Piece is a model of a slice, as it was when that was ordered: which version of it, in which
// unit, how many, and how it stands.
type Piece struct {
	PieceID      int64                 `json:"piece_id"`
	Version      int                   `json:"version"`
	Unit         units.Length          `json:"unit"`
	Copies       int                   `json:"copies"`
	Stand        orient.Stand          `json:"stand"`
	SupportMarks []slicing.SupportMark `json:"support_marks"`
	Pins         []slicing.Pin         `json:"pins,omitempty"`
	Regions      []slicing.Region      `json:"regions,omitempty"`
	Nozzle       int                   `json:"nozzle,omitempty"` // 0: the recipe's
	// Which are the copies' numbers, where it is not all of them from the first on.
	Which []int `json:"which,omitempty"`
}

// Same says that two are of the same version, unit, number and nozzle, however they stand.
func (p *Piece) Same(o *Piece) bool {
	return p.PieceID == o.PieceID && p.Version == o.Version && p.Unit == o.Unit && p.Copies == o.Copies && p.Nozzle == o.Nozzle
}

// Plain says that it stands as the piece does now, and that no support was put in or kept out, no
// place filled otherwise and no copy pinned.
func (p *Piece) Plain(now orient.Stand) bool {
	return p.Stand.Like(now) && len(p.SupportMarks) == 0 && len(p.Pins) == 0 && len(p.Regions) == 0
}

// Like says that two come out the same: the same, standing in the same way, with support put in
// and kept out, places filled otherwise and copies pinned alike.
func (p *Piece) Like(o *Piece) bool {
	return p.Same(o) && p.Stand.Like(o.Stand) && slices.Equal(p.Pins, o.Pins) && slices.EqualFunc(p.SupportMarks, o.SupportMarks, func(a, b slicing.SupportMark) bool {
		return a.PutIn == b.PutIn && slices.Equal(a.CornersMM, b.CornersMM)
	}) && slices.EqualFunc(p.Regions, o.Regions, func(a, b slicing.Region) bool {
		return same(a.Shells, b.Shells) && same(a.InfillPercent, b.InfillPercent) && slices.Equal(a.CornersMM, b.CornersMM)
	})
}

func same[V comparable](a, b *V) bool { return a == b || a != nil && b != nil && *a == *b }

// Of is by what a slice of some pieces would be made on a machine, with a recipe, its overrides
// among it, and what is loaded. What nozzle 2 is loaded with matters where the recipe or a piece
// uses it.
func Of(m *machine.Machine, r recipe.Recipe, loaded machine.Loaded, from []Ref, pieces []Piece) Made {
	own := *m
	own.Name, own.Address, own.InService, own.RateCents, own.Material, own.Colour, own.ColourName = "", "", false, 0, "", "", ""
	own.Second = machine.NozzleLoad{}
	own.WornHours, own.SpreadWear = 0, false // as the bed's wear itself: where the next is laid
	own.LeastMM, own.MeltsMM3PerS = 0, 0     // what is said of it, not what is laid
	own.Line, own.Resets, own.Camera, own.Care, own.ChangeGrams = "", false, "", "", 0
	r = r.WithDefaults()
	r.Name, r.Purpose, r.Machine, r.Material = "", "", "", ""
	var materials []machine.Material
	for nozzle := 1; nozzle <= 2; nozzle++ {
		if nozzle > 1 && r.PieceNozzle != nozzle && r.SupportNozzle != nozzle && !slices.ContainsFunc(pieces, func(p Piece) bool { return p.Nozzle == nozzle }) {
			continue
		}
		if mat := loaded.Of(nozzle); mat != nil {
			own := mat.Made()
			own.Name, own.SpoolGrams, own.SpoolCents = "", 0, 0
			materials = append(materials, own)
		}
	}
	return Made{from, sum(own), sum(r), sum(materials), slicing.Revision}
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
	if m.Recipe == "" {
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
	if m.Slicing != now.Slicing {
		out = append(out, problem.Say("the slicing"))
	}
	return out
}
