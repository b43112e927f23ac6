package demo

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"time"

	"jobshelf/core/judge/printability"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shop/job"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/people"
	"jobshelf/internal/store"
)

// Password is everybody's in the demo house.
const Password = "ropewalk"

// People of the demo house; the first two work at the desk.
func People() []store.Person {
	p := func(login, name string, r desk.Role) store.Person {
		return store.Person{Login: login, Name: name, Role: string(r)}
	}
	return []store.Person{
		p("tess", "Tess Ballast", desk.Steward), p("cato", "Cato Lindgard", desk.Coordinator),
		p("nia", "Nia Marlow", desk.Member), p("oskar", "Oskar Veer", desk.Member), p("ines", "Ines Tamar", desk.Member),
		p("bram", "Bram Keel", desk.Member), p("yuki", "Yuki Sorrel", desk.Member), p("lena", "Lena Hawser", desk.Member),
		p("abel", "Abel Quince", desk.Member), p("mira", "Mira Fenn", desk.Member), p("joost", "Joost Reef", desk.Member),
		p("sanne", "Sanne Luff", desk.Member),
	}
}

// SetUp makes the house with machines, materials, recipes and people, if there
// is none yet. It tells whether it did.
func SetUp(ctx context.Context, s *store.Store) (bool, error) {
	if _, err := s.House(ctx); err == nil {
		return false, nil
	} else if !errors.Is(err, store.ErrNotFound) {
		return false, err
	}
	return true, s.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.SetHouse(ctx, House()); err != nil {
			return err
		}
		machines, materials := map[string]int64{}, map[string]int64{}
		for _, m := range Machines() {
			id, err := tx.AddMachine(ctx, m)
			if err != nil {
				return err
			}
			machines[m.Name] = id
		}
		for _, m := range Materials() {
			id, err := tx.AddMaterial(ctx, m)
			if err != nil {
				return err
			}
			materials[m.Name] = id
		}
		for _, r := range Recipes() {
			if _, err := tx.AddRecipe(ctx, machines[r.Machine], materials[r.Material], r); err != nil {
				return err
			}
		}
		hash := people.HashPassword(Password)
		for _, p := range People() {
			p.Hash = hash
			if _, err := tx.AddPerson(ctx, p); err != nil {
				return err
			}
		}
		return nil
	})
}

// order is a job of the demo: a part, whose it is, and how far it has come.
type order struct {
	part, member, title string
	purpose             recipe.Purpose
	copies, dueDays     int
	wish                string
	state               string
	machine             string // where it was approved for; empty: the proposal
	hoursAgo            float64
	use                 printability.Use
}

const (
	toDecide = "to decide"
	approved = "approved"
	onFloor  = "in production"
	cleanUp  = "finishing"
	pickUp   = "pick-up"
)

// anything is what most jobs are for.
var anything printability.Use

var orders = []order{
	{"mooring-cleat", "nia", "", recipe.WorkingPart, 2, 3, "For the dinghy, must hold a line in a blow.", toDecide, "", 0, printability.Use{Outdoors: true, Load: true}},
	{"bollard", "oskar", "", recipe.Everyday, 1, 4, "Door stop for the sail loft.", toDecide, "", 0, anything},
	{"block-cheek-inch", "ines", "Block cheek", recipe.WorkingPart, 2, 5, "Drawn by my uncle.", toDecide, "", 0, anything},
	{"rowing-boat-hull", "bram", "", recipe.QuickLook, 1, 0, "Our club boat, as a trophy about a hand long.", toDecide, "", 0, anything},
	{"cleat-with-hole", "yuki", "Cleat from the net", recipe.Everyday, 1, 6, "", toDecide, "", 0, anything},
	{"bushing-inside-out", "lena", "Bushing", recipe.WorkingPart, 2, 2, "Two for a pair of oars.", toDecide, "", 0, printability.Use{Fits: true}},
	{"chart-ruler", "abel", "", recipe.Everyday, 3, 8, "For the navigation course.", toDecide, "", 0, anything},
	{"two-fenders", "mira", "", recipe.QuickLook, 1, 0, "", toDecide, "", 0, anything},
	{"crossed-band", "joost", "", recipe.QuickLook, 1, 9, "A prize ribbon, blue.", toDecide, "", 0, printability.Use{Colour: "blue"}},
	{"bait-box", "sanne", "", recipe.Everyday, 4, 7, "As light as can be.", toDecide, "", 0, anything},
	{"rigging-set.3mf", "ines", "Rigging set", recipe.Everyday, 1, 6, "Everything for the model of the harbour.", toDecide, "", 0, anything},
	{"lantern-foot.gcode", "bram", "Lantern foot, sliced at home", recipe.Everyday, 1, 5, "I have done the slicing already!", toDecide, "", 0, anything},
	{"sheave", "oskar", "Sheave for the gaff block", recipe.WorkingPart, 2, 4, "", onFloor, "Bowline", 1.2, anything},
	{"net-needle", "nia", "Net needles, class set", recipe.Everyday, 8, 2, "Blue if you have it.", approved, "Bowline", 0, anything},
	{"lamp-bracket", "lena", "", recipe.WorkingPart, 2, 3, "Goes outdoors.", approved, "Bowline", 0, anything},
	{"tiller-joint", "bram", "", recipe.WorkingPart, 1, 2, "", approved, "Bowline", 0, anything},
	{"tiller-joint", "abel", "Tiller joint, spare", recipe.WorkingPart, 2, 9, "", onFloor, "Capstan", 3, anything},
	{"bollard", "mira", "Bollards for the model quay", recipe.QuickLook, 3, 8, "", approved, "Capstan", 0, anything},
	{"oarlock-bushing", "yuki", "", recipe.WorkingPart, 4, 3, "", onFloor, "Fairlead", 0.4, anything},
	{"mast-finial", "joost", "", recipe.Everyday, 2, 5, "Fine surface please.", approved, "Fairlead", 0, anything},
	{"deck-vent-ring", "ines", "", recipe.Everyday, 2, 2, "", onFloor, "Halyard", 0.8, anything},
	{"mooring-cleat", "sanne", "Cleat for the jetty", recipe.Everyday, 1, 6, "Red.", approved, "Halyard", 0, anything},
	{"mast-finial", "oskar", "Finial, trial", recipe.QuickLook, 1, 3, "", approved, "Halyard", 0, anything},
	{"sheave", "mira", "Small sheave", recipe.Everyday, 1, 1, "", cleanUp, "Bowline", 8, anything},
	{"lamp-bracket", "joost", "Bracket for the noticeboard", recipe.Everyday, 1, 1, "", cleanUp, "Halyard", 7, anything},
	{"oarlock-bushing", "nia", "Bushing, left", recipe.WorkingPart, 1, 0, "", pickUp, "Fairlead", 20, anything},
	{"net-needle", "abel", "Net needle", recipe.QuickLook, 1, 0, "", pickUp, "Halyard", 26, anything},
}

// Jobs hands in the demo's jobs, waits for their checks, which a worker must be
// doing, and moves each as far as it has come.
func Jobs(ctx context.Context, d *desk.Desk) error { return hand(ctx, d, orders) }

// Arrivals hands in only those that are still to be decided on.
func Arrivals(ctx context.Context, d *desk.Desk) error {
	return hand(ctx, d, slices.DeleteFunc(slices.Clone(orders), func(o order) bool { return o.state != toDecide }))
}

func hand(ctx context.Context, d *desk.Desk, orders []order) error {
	people, err := d.Store.People(ctx)
	if err != nil {
		return err
	}
	by := map[string]desk.Actor{}
	for _, p := range people {
		by[p.Login] = desk.Actor{ID: p.ID, Name: p.Name, Role: desk.Role(p.Role)}
	}
	parts := map[string][]byte{}
	for _, p := range solid.Parts() {
		var b bytes.Buffer
		if err := modelfile.WriteSTL(&b, p.Mesh, "Ropewalk Commons, "+p.Name); err != nil {
			return err
		}
		parts[p.Name] = b.Bytes()
	}
	if parts["rigging-set.3mf"], err = riggingSet(); err != nil {
		return err
	}
	parts["lantern-foot.gcode"] = lanternFoot()
	ids := make([]int64, len(orders))
	for i, o := range orders {
		if ids[i], err = handIn(ctx, d, by[o.member], o, parts[o.part]); err != nil {
			return fmt.Errorf("demo job %s: %w", o.part, err)
		}
	}
	// What is finished goes through its machine before what is on it now.
	for _, steps := range [][]string{{cleanUp, pickUp}, {onFloor}, {approved, toDecide}} {
		for i, o := range orders {
			for _, s := range steps {
				if o.state == s {
					if err := bring(ctx, d, by["cato"], ids[i], o); err != nil {
						return fmt.Errorf("demo job %s: %w", o.part, err)
					}
				}
			}
		}
	}
	return nil
}

func handIn(ctx context.Context, d *desk.Desk, who desk.Actor, o order, file []byte) (int64, error) {
	name := o.part
	if path.Ext(name) == "" {
		name += ".stl"
	}
	up, _, err := intake.Upload(ctx, d, who, name, bytes.NewReader(file))
	if err != nil {
		return 0, err
	}
	in := intake.HandIn{Title: o.title, Purpose: o.purpose, Wish: o.wish, Use: o.use, Pieces: []intake.HandInPiece{{UploadID: up, Copies: o.copies}}}
	if o.dueDays > 0 {
		in.NeededBy = d.Now().AddDate(0, 0, o.dueDays).Format(time.DateOnly)
	}
	return intake.NewJob(ctx, d, who, in)
}

// bring moves a job as far as its order says.
func bring(ctx context.Context, d *desk.Desk, who desk.Actor, id int64, o order) error {
	v, err := checked(ctx, d, who, id)
	if err != nil || o.state == toDecide {
		return err
	}
	var on int64
	for _, r := range v.Ladder {
		if r.Name == o.machine {
			on = r.MachineID
		}
	}
	if err := decide.Approve(ctx, d, who, id, v.Revision, decide.Yes{MachineID: on}); err != nil {
		return err
	}
	v, err = checked(ctx, d, who, id) // and sliced
	if err != nil {
		return err
	}
	then := &desk.Desk{Store: d.Store, Queue: d.Queue, Quota: d.Quota}
	then.Now = func() time.Time { return d.Now().Add(-time.Duration(o.hoursAgo * float64(time.Hour))) }
	for v.State != o.state {
		if err := ByHand(ctx, then, who, id); err != nil {
			return err
		}
		if v, err = decide.Job(ctx, d, who, id); err != nil {
			return err
		}
	}
	return nil
}

// checked waits until a job's check is over, and the slice that a yes waits for.
func checked(ctx context.Context, d *desk.Desk, who desk.Actor, id int64) (decide.JobView, error) {
	for {
		v, err := decide.Job(ctx, d, who, id)
		if err != nil || (v.Check.State != "queued" && v.Check.State != "running" && v.State != job.BeingSliced) {
			return v, err
		}
		select {
		case <-ctx.Done():
			return v, ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// riggingSet is a 3MF of three models, in inches, one of them four times.
func riggingSet() ([]byte, error) {
	inch := func(m *mesh.Mesh) *mesh.Mesh { return m.Transformed(1/25.4, mesh.Vec3{}) }
	var b bytes.Buffer
	err := modelfile.Write3MF(&b, &modelfile.File{Unit: "in", Models: []modelfile.Model{
		{Name: "sheave", Mesh: inch(solid.Sheave()), Places: []mesh.Vec3{{}, {X: 2}, {Y: 2}, {X: 2, Y: 2}}},
		{Name: "bollard", Mesh: inch(solid.Bollard()), Places: []mesh.Vec3{{X: 5}}},
		{Name: "fenders", Mesh: inch(solid.TwoFenders()), Places: []mesh.Vec3{{X: 8}}},
	}})
	return b.Bytes(), err
}

// lanternFoot is a hollow foot as somebody sliced it at home: thicker layers than
// the house's, and the bed left warm at the end.
func lanternFoot() []byte {
	var b bytes.Buffer
	b.WriteString("; made at home\nG21\nG90\nM83\nM140 S60\nM104 S215\nG28\nM190 S60\nM109 S215\n")
	const layer = 0.28
	for k := 1; k <= 90; k++ {
		fmt.Fprintf(&b, "G1 Z%.2f F900\n", float64(k)*layer)
		for ring := range 3 {
			lo, hi := 60+0.45*float64(ring), 110-0.45*float64(ring)
			e := (hi - lo) * 0.45 * layer / 2.405 // over the section of 1.75 mm filament
			fmt.Fprintf(&b, "G0 X%.2[1]f Y%.2[1]f F7200\nG1 X%.2[2]f E%.4[3]f F2400\nG1 Y%.2[2]f E%.4[3]f\nG1 X%.2[1]f E%.4[3]f\nG1 Y%.2[1]f E%.4[3]f\n", lo, hi, e)
		}
	}
	b.WriteString("G1 Z40 F900\nM104 S0\nM84\n")
	return b.Bytes()
}
