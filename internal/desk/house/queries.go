package house

import (
	"context"
	"slices"
	"time"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/naming"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/setting"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/planning"
	"jobshelf/internal/desk"
)

// HouseView is everything a steward sets up.
type HouseView struct {
	House     House          `json:"house"`
	Machines  []MachineView  `json:"machines"`
	Materials []MaterialView `json:"materials"`
	Recipes   []RecipeView   `json:"recipes"`
	Texts     Texts          `json:"texts"`
	Restored  *time.Time     `json:"restored,omitempty" doc:"It was restored from a copy, and nobody has looked at its machines since: nothing is said to any"`
}

// WorkerView is a process that works in the house.
type WorkerView struct {
	Name     string    `json:"name"`
	Queues   []string  `json:"queues"`
	Cores    int       `json:"cores"`
	MemoryMB int       `json:"memory_mb,omitempty" doc:"What its work may take together; none: without end"`
	Version  string    `json:"version"`
	Since    time.Time `json:"since"`
}

// Workers lists the processes that work in the house now.
func Workers(ctx context.Context, d *desk.Desk) ([]WorkerView, error) {
	rows, err := d.Store.Workers(ctx)
	out := []WorkerView{}
	for _, w := range rows {
		out = append(out, WorkerView{w.Name, w.Queues, w.Cores, w.MemoryMB, w.Version, w.Since})
	}
	return out, err
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
	SoonerCents   units.Cents        `json:"sooner_cents" minimum:"0" maximum:"100000" doc:"What it is worth to be finished an hour sooner, cents: a proposal weighs price against time by it"`
	Revision      int                `json:"revision"`
}

// Texts are what holds where the house has written none of its own, and the values
// that each may name.
type Texts struct {
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
	ID       int64           `json:"id"`
	Revision int             `json:"revision"`
	Data     machine.Machine `json:"data"`
}

// MaterialView is a material's settings.
type MaterialView struct {
	ID       int64            `json:"id"`
	Revision int              `json:"revision"`
	Data     machine.Material `json:"data"`
}

// RecipeView is a recipe's settings.
type RecipeView struct {
	ID         int64         `json:"id"`
	Revision   int           `json:"revision"`
	MachineID  int64         `json:"machine_id"`
	MaterialID int64         `json:"material_id"`
	Data       recipe.Recipe `json:"data"`
}

// Settings are all that can be set of the house's things, described.
type Settings struct {
	Recipe   []setting.Setting `json:"recipe"`
	Machine  []setting.Setting `json:"machine"`
	Material []setting.Setting `json:"material"`
}

// AllSettings describes them.
func AllSettings() Settings {
	return Settings{Recipe: recipe.Settings(), Machine: machine.Settings(), Material: machine.MaterialSettings()}
}

// Read shows the settings.
func Read(ctx context.Context, d *desk.Desk) (HouseView, error) {
	h, err := d.Store.House(ctx)
	if err != nil {
		return HouseView{}, err
	}
	epoch, err := d.Store.Epoch(ctx)
	if err != nil {
		return HouseView{}, err
	}
	v := HouseView{House: House(h), Machines: []MachineView{}, Materials: []MaterialView{}, Recipes: []RecipeView{},
		Texts: Texts{FilePattern: naming.FilePattern, FileNames: naming.FileNames, LineKinds: toolpath.Kinds[:]}}
	if !epoch.Looked {
		v.Restored = epoch.RestoredAt
	}
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

// HideLines leaves out where machines are spoken with and seen: members need not know.
func (v *HouseView) HideLines() {
	v.Machines = slices.Clone(v.Machines)
	for i := range v.Machines {
		v.Machines[i].Data.Line, v.Machines[i].Data.Camera, v.Machines[i].Data.Resets = "", "", false
	}
}
