package demo

import (
	"context"
	"time"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shop/finish"
	"jobshelf/core/shop/spool"
	"jobshelf/core/shop/wear"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/finishing"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/desk/stores"
)

// reel is a spool of the demo: how much is on it by now, and where it is. All of it is invented.
type reel struct {
	material, colour, name, lot, place string
	full, left                         float64 // g
	machine                            string  // it is loaded on
	nozzle                             int
	dries, open                        bool
}

const (
	reelGrams = 212
	racks     = "rack by the door"
	dryBox    = "dry box"
)

var reels = []reel{
	{"PLA", "#2F6DA8", "Harbour blue", "HB-2609", racks, 1000, 512, "Bowline", 1, false, false},
	{"PLA", "#2F6DA8", "Harbour blue", "HB-2611", racks, 1000, 1000, "", 0, false, false},
	{"PLA", "#C9B458", "Hemp", "", racks, 1000, 388, "Fairlead", 1, false, false},
	{"PLA", "#C2543B", "Buoy red", "BR-2608", racks, 750, 92, "Halyard", 1, false, false},
	{"PLA", "#C2543B", "Buoy red", "BR-2610", racks, 750, 750, "", 0, false, false},
	{"PLA", "#E9E6DD", "Chalk", "", racks, 1000, 164, "", 0, false, true},
	{"PETG", "#3B3B3B", "Tar black", "TB-2607", racks, 1000, 823, "Capstan", 1, false, false},
	{"PETG", "#DD7A2F", "Signal orange", "", dryBox, 1000, 440, "", 0, true, false},
	{"ABS", "#7C8894", "Slate", "", racks, 750, 602, "", 0, false, true},
	{"Soluble", "#D9DAD3", "Clear", "", dryBox, 500, 271, "Fairlead", 2, false, false},
	{"Soluble", "#D9DAD3", "Clear", "", dryBox, 500, 500, "", 0, false, false},
}

// Finishing is how the demo's house finishes parts.
func Finishing(ctx context.Context, d *desk.Desk) error {
	tess, err := d.Store.PersonByLogin(ctx, "tess")
	if err != nil {
		return err
	}
	return finishing.SetHouse(ctx, d, desk.ActorOf(tess), finishing.HouseFinishing{FetchDays: 14, Rules: []finish.StepRule{
		{Kind: finish.Support, Material: "Soluble", Skip: true},
		{Kind: finish.Support, Supported: true, HandsMin: 1, PerCopy: 3, CopyCents: 20, How: "Pliers, and goggles."},
		{Kind: finish.Soak, Material: "Soluble", Supported: true, HandsMin: 5, WaitMin: 240, Cents: 60, How: "Warm water, 40 °C; not more than six parts in one basin."},
		{Kind: finish.Wash, Material: "Resin", HandsMin: 10, WaitMin: 8, Cents: 80, How: "Gloves. The second bath is the clean one."},
		{Kind: finish.Cure, Material: "Resin", WaitMin: 20, Cents: 40, How: "Turn it over after half of the time."},
		{Kind: finish.Sand, Purpose: string(recipe.WorkingPart), PerCopy: 2, CopyCents: 15, How: "Only where it bears on something."},
	}})
}

// Spools are what lies in the demo's stores: they came a fortnight ago, and were weighed since.
func Spools(ctx context.Context, d *desk.Desk) error {
	tess, err := d.Store.PersonByLogin(ctx, "tess")
	if err != nil {
		return err
	}
	who := desk.ActorOf(tess)
	then := &desk.Desk{Store: d.Store, Queue: d.Queue, Quota: d.Quota, Now: func() time.Time { return d.Now().AddDate(0, 0, -14) }}
	materials, machines := map[string]int64{}, map[string]int64{}
	all, err := d.Store.Materials(ctx)
	if err != nil {
		return err
	}
	for _, m := range all {
		materials[m.Data.Name] = m.ID
	}
	on, err := d.Store.Machines(ctx)
	if err != nil {
		return err
	}
	for _, m := range on {
		machines[m.Data.Name] = m.ID
	}
	for _, r := range reels {
		ids, err := stores.Receive(ctx, then, who, stores.Delivery{MaterialID: materials[r.material], Colour: r.colour, ColourName: r.name, Lot: r.lot, Place: r.place, Grams: r.full, ReelGrams: reelGrams, Spools: 1})
		if err != nil {
			return err
		}
		id := ids[0]
		if r.open || r.dries {
			if err := stores.Turn(ctx, then, who, id, 0, spool.Opens); err != nil {
				return err
			}
		}
		if r.machine != "" {
			if err := runs.Load(ctx, d, who, machines[r.machine], runs.Filament{Nozzle: r.nozzle, SpoolID: id}); err != nil {
				return err
			}
		}
		if r.left < r.full {
			if err := stores.Weigh(ctx, d, who, id, 0, r.left+reelGrams, 0); err != nil {
				return err
			}
		}
		if r.dries {
			if err := stores.Turn(ctx, d, who, id, 0, spool.Dries); err != nil {
				return err
			}
		}
	}
	return nil
}

// Parts are what wears out on the demo's machines. All of it is invented.
func Parts(ctx context.Context, d *desk.Desk) error {
	tess, err := d.Store.PersonByLogin(ctx, "tess")
	if err != nil {
		return err
	}
	then := &desk.Desk{Store: d.Store, Queue: d.Queue, Quota: d.Quota, Now: func() time.Time { return d.Now().AddDate(0, -4, 0) }}
	machines, err := d.Store.Machines(ctx)
	if err != nil {
		return err
	}
	for _, m := range machines {
		for _, p := range []struct {
			on string
			stores.NewPart
		}{
			{"Bowline", stores.NewPart{Part: wear.Part{Name: "Nozzle, brass", Nozzle: 1, LimitHours: 600, LimitGrams: 6000}, Hours: 322, Grams: 4110}},
			{"Capstan", stores.NewPart{Part: wear.Part{Name: "Nozzle, hardened", Nozzle: 1, LimitGrams: 20000}, Hours: 410, Grams: 7900}},
			{"Capstan", stores.NewPart{Part: wear.Part{Name: "Belts", LimitHours: 1500}, Hours: 1402, Grams: 26500}},
			{"Fairlead", stores.NewPart{Part: wear.Part{Name: "Nozzle, brass", Nozzle: 1, LimitHours: 600, LimitGrams: 6000}, Hours: 96, Grams: 1240}},
			{"Fairlead", stores.NewPart{Part: wear.Part{Name: "Nozzle, brass", Nozzle: 2, LimitHours: 600, LimitGrams: 6000}, Hours: 31, Grams: 260}},
			{"Halyard", stores.NewPart{Part: wear.Part{Name: "Nozzle, brass", Nozzle: 1, LimitHours: 600, LimitGrams: 6000}, Hours: 611, Grams: 5230}},
		} {
			if p.on != m.Data.Name {
				continue
			}
			p.MachineID = m.ID
			if _, err := stores.AddPart(ctx, then, desk.ActorOf(tess), p.NewPart); err != nil {
				return err
			}
		}
	}
	return nil
}
