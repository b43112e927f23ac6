package desk

import (
	"context"
	"fmt"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/naming"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/planning"
	"jobshelf/internal/store"
)

// HouseView is everything a steward sets up.
type HouseView struct {
	House     House          `json:"house"`
	Machines  []MachineView  `json:"machines"`
	Materials []MaterialView `json:"materials"`
	Recipes   []RecipeView   `json:"recipes"`
	Texts     Texts          `json:"texts"`
}

// House is the house's own settings.
type House struct {
	Name          string             `json:"name" minLength:"1" maxLength:"80"`
	Locale        string             `json:"locale" minLength:"2" maxLength:"20" doc:"For dates and numbers, e.g. en-GB"`
	Currency      string             `json:"currency" pattern:"^[A-Z]{3}$" doc:"ISO 4217 code"`
	TimeZone      string             `json:"time_zone" minLength:"1" maxLength:"60" doc:"IANA name"`
	Week          [7][]planning.Span `json:"week" doc:"Opening hours, Sunday first"`
	AttendanceMin int                `json:"attendance_min" minimum:"0" maximum:"600" doc:"How long somebody must be there after a start, minutes"`
	StartCents    units.Cents        `json:"start_cents" minimum:"0" maximum:"100000" doc:"Fee for starting a run, cents"`
	LongestRunMin int                `json:"longest_run_min" minimum:"0" maximum:"100000" doc:"Longest run without asking, minutes; 0: any"`
	FilePattern   string             `json:"file_pattern" maxLength:"200" doc:"How files are named, with named values; empty: the common way"`
	Version       int                `json:"version"`
}

// Texts are what holds where the house has written none of its own, and the values
// that each may name.
type Texts struct {
	Start       string   `json:"start"`
	End         string   `json:"end"`
	Change      string   `json:"change"`
	BlockNames  []string `json:"block_names"`
	FilePattern string   `json:"file_pattern"`
	FileNames   []string `json:"file_names"`
	// The words of the core, in its order.
	RepairSteps []Word   `json:"repair_steps" doc:"What repair can do, in the order in which it is done"`
	Units       []Word   `json:"units" doc:"The units that a file may be in"`
	LineKinds   []string `json:"line_kinds" doc:"What lines are for, in the order of their numbers (see docs/view-format.md)"`
}

// Word is a value with what it is called.
type Word struct {
	Key  string `json:"key"`
	Name string `json:"name"`
}

// MachineView, MaterialView and RecipeView are settings with their version.
type MachineView struct {
	ID      int64           `json:"id"`
	Version int             `json:"version"`
	Data    machine.Machine `json:"data"`
}

// MaterialView is a material's settings.
type MaterialView struct {
	ID      int64            `json:"id"`
	Version int              `json:"version"`
	Data    machine.Material `json:"data"`
}

// RecipeView is a recipe's settings.
type RecipeView struct {
	ID         int64         `json:"id"`
	Version    int           `json:"version"`
	MachineID  int64         `json:"machine_id"`
	MaterialID int64         `json:"material_id"`
	Data       recipe.Recipe `json:"data"`
}

// House shows the settings.
func (d *Desk) House(ctx context.Context) (HouseView, error) {
	h, err := d.Store.House(ctx)
	if err != nil {
		return HouseView{}, err
	}
	v := HouseView{House: House(h), Machines: []MachineView{}, Materials: []MaterialView{}, Recipes: []RecipeView{},
		Texts: Texts{Start: machine.StartBlock, End: machine.EndBlock, Change: machine.ChangeBlock, BlockNames: machine.BlockNames,
			FilePattern: naming.FilePattern, FileNames: naming.FileNames, LineKinds: toolpath.Kinds[:]}}
	for _, s := range repair.Steps {
		v.Texts.RepairSteps = append(v.Texts.RepairSteps, Word{string(s), repair.Does[s]})
	}
	for _, l := range units.Lengths {
		v.Texts.Units = append(v.Texts.Units, Word{string(l), l.Name()})
	}
	machines, err := d.Store.Machines(ctx)
	if err != nil {
		return v, err
	}
	for _, m := range machines {
		v.Machines = append(v.Machines, MachineView(m))
	}
	materials, err := d.Store.Materials(ctx)
	if err != nil {
		return v, err
	}
	for _, m := range materials {
		v.Materials = append(v.Materials, MaterialView(m))
	}
	recipes, err := d.Store.Recipes(ctx)
	for _, r := range recipes {
		v.Recipes = append(v.Recipes, RecipeView(r))
	}
	return v, err
}

// SetHouse changes the house's own settings.
func (d *Desk) SetHouse(ctx context.Context, a Actor, h House) error {
	if _, err := hours(store.House(h)); err != nil {
		return err
	}
	for day, spans := range h.Week {
		for i, s := range spans {
			if s.From >= s.To {
				return invalid(fmt.Sprintf("week[%d][%d]", day, i), "Closing comes after opening.")
			}
		}
	}
	if err := naming.Check(h.FilePattern, naming.FileNames); err != nil {
		return invalid("file_pattern", "In the pattern for files %s.", err)
	}
	return d.change(ctx, a, func(tx *store.Tx) (string, error) {
		return "Changed the house's settings", tx.SetHouse(ctx, store.House(h))
	})
}

// SetMachine changes a machine.
func (d *Desk) SetMachine(ctx context.Context, a Actor, m MachineView) error {
	if p := m.Data.Validate(); len(p) > 0 {
		return &Invalid{p}
	}
	return d.change(ctx, a, func(tx *store.Tx) (string, error) {
		what := "Changed " + m.Data.Name
		materials, err := tx.Materials(ctx)
		if err != nil {
			return what, err
		}
		known := func(t store.Material) bool { return t.Data.Name == m.Data.Second.Material }
		if m.Data.Second.Material != "" && !slices.ContainsFunc(materials, known) {
			return what, invalid("second.material", "The house has no material %q.", m.Data.Second.Material)
		}
		if err := tx.SetMachine(ctx, store.Machine(m)); err != nil {
			return what, err
		}
		return what, heatStands(ctx, tx)
	})
}

func data(rows []store.Material) []machine.Material {
	out := make([]machine.Material, len(rows))
	for i := range rows {
		out[i] = rows[i].Data
	}
	return out
}

// all are the house's machines, materials and recipes.
func all(ctx context.Context, tx *store.Tx) (machines []store.Machine, materials []store.Material, recipes []store.Recipe, err error) {
	if machines, err = tx.Machines(ctx); err != nil {
		return nil, nil, nil, err
	}
	if materials, err = tx.Materials(ctx); err != nil {
		return nil, nil, nil, err
	}
	recipes, err = tx.Recipes(ctx)
	return machines, materials, recipes, err
}

// heatStands refuses a change of a machine or material after which a recipe of the
// house would ask for more heat than they stand.
func heatStands(ctx context.Context, tx *store.Tx) error {
	machines, materials, recipes, err := all(ctx, tx)
	if err != nil {
		return err
	}
	house := data(materials)
	var bad []machine.Problem
	for _, r := range recipes {
		for i := range machines {
			m := &machines[i].Data
			if machines[i].ID != r.MachineID || m.Process != machine.MaterialExtrusion {
				continue
			}
			for k := range materials {
				if materials[k].ID != r.MaterialID {
					continue
				}
				for _, p := range r.Data.TooHot(m, m.Load(&house[k], house)) {
					bad = append(bad, machine.Problem{Field: "heat", Text: fmt.Sprintf("The recipe %s would be too hot: %s Change the recipe first.", r.Data.Name, p.Text)})
				}
			}
		}
	}
	if len(bad) > 0 {
		return &Invalid{bad}
	}
	return nil
}

// SetMaterial changes a material.
func (d *Desk) SetMaterial(ctx context.Context, a Actor, m MaterialView) error {
	if p := m.Data.Validate(); len(p) > 0 {
		return &Invalid{p}
	}
	return d.change(ctx, a, func(tx *store.Tx) (string, error) {
		what := "Changed " + m.Data.Name
		if err := tx.SetMaterial(ctx, store.Material(m)); err != nil {
			return what, err
		}
		return what, heatStands(ctx, tx)
	})
}

// SetRecipe changes a recipe; it must suit its machine and material.
func (d *Desk) SetRecipe(ctx context.Context, a Actor, r RecipeView) error {
	return d.change(ctx, a, func(tx *store.Tx) (string, error) {
		what := "Changed a recipe"
		machines, materials, recipes, err := all(ctx, tx)
		if err != nil {
			return what, err
		}
		for _, o := range recipes {
			if o.ID == r.ID { // machine and purpose are the recipe's place and stay
				r.MachineID, r.Data.Purpose = o.MachineID, o.Data.Purpose
				what = "Changed the recipe " + o.Data.Name
			}
		}
		var mach *machine.Machine
		var mat *machine.Material
		for i := range machines {
			if machines[i].ID == r.MachineID {
				mach = &machines[i].Data
			}
		}
		for i := range materials {
			if materials[i].ID == r.MaterialID {
				mat = &materials[i].Data
			}
		}
		if mat == nil {
			return what, invalid("material_id", "There is no such material.")
		}
		if mach == nil {
			return what, store.ErrNotFound
		}
		if p := r.Data.Validate(mach, mach.Load(mat, data(materials))); len(p) > 0 {
			return what, &Invalid{p}
		}
		return what, tx.SetRecipe(ctx, store.Recipe(r))
	})
}

// change makes a change in the house, notes it, and has the jobs still being
// weighed checked anew.
func (d *Desk) change(ctx context.Context, a Actor, f func(*store.Tx) (what string, err error)) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		what, err := f(tx)
		if err != nil {
			return err
		}
		if err := tx.AddHistory(ctx, 0, a.ID, what, ""); err != nil {
			return err
		}
		if err := tx.Notify(ctx, store.Event{Kind: "house"}); err != nil {
			return err
		}
		return d.rejudge(ctx, tx, a, what)
	})
}
