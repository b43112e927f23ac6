package stores

import (
	"cmp"
	"context"
	"slices"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/estimate"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/planning"
	"jobshelf/core/shop/spool"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// SpoolView is a spool as it is shown.
type SpoolView struct {
	ID         int64      `json:"id"`
	MaterialID int64      `json:"material_id"`
	Material   string     `json:"material"`
	Colour     string     `json:"colour"`
	ColourName string     `json:"colour_name"`
	Lot        string     `json:"lot,omitempty"`
	Place      string     `json:"place,omitempty"`
	State      string     `json:"state" enum:"sealed,open,drying,loaded,empty,retired"`
	MachineID  int64      `json:"machine_id,omitempty"`
	Machine    string     `json:"machine,omitempty" doc:"It is loaded on"`
	Nozzle     int        `json:"nozzle,omitempty"`
	Left       float64    `json:"left_grams" doc:"By the books, less what has been laid of a run that is under way"`
	Held       float64    `json:"held_grams" doc:"Promised to runs that are ready or under way"`
	Full       float64    `json:"full_grams" doc:"On it when it came"`
	Reel       float64    `json:"reel_grams"`
	Received   time.Time  `json:"received"`
	Opened     *time.Time `json:"opened,omitempty"`
	Dried      *time.Time `json:"dried,omitempty" doc:"It came out of drying, or the drying that is under way began"`
	Loaded     *time.Time `json:"loaded,omitempty"`
	Drying     string     `json:"drying,omitempty" doc:"How it is dried"`
	Notes      []string   `json:"notes" doc:"What to see to"`
	May        []string   `json:"may" enum:"is opened,begins to dry,is dry,is unloaded,runs out,is retired"`
	Revision   int        `json:"revision"`
}

// MaterialStock is a material in all its colours.
type MaterialStock struct {
	Material string  `json:"material"`
	Left     float64 `json:"left_grams"`
	Promised float64 `json:"promised_grams" doc:"To runs that wait or are under way, whichever spool it comes from"`
	Spools   int     `json:"spools"`
}

// StoresView is all there is.
type StoresView struct {
	Spools    []SpoolView     `json:"spools"`
	Materials []MaterialStock `json:"materials"`
	Parts     []WearView      `json:"parts" doc:"What wears out on machines, the most worn first"`
	Beds      []BedBrief      `json:"beds" doc:"That something has lain on"`
}

// shownEmpty is how long an empty spool is still shown: it may be found that something is on it.
const shownEmpty = 7 * 24 * time.Hour

// Look shows the stores.
func Look(ctx context.Context, d *desk.Desk) (StoresView, error) {
	out := StoresView{Spools: []SpoolView{}, Materials: []MaterialStock{}, Parts: []WearView{}, Beds: []BedBrief{}}
	err := d.Store.InTx(ctx, func(tx *store.Tx) error {
		now := d.Now()
		out.Spools, out.Materials = out.Spools[:0], out.Materials[:0]
		h, err := tx.House(ctx)
		if err != nil {
			return err
		}
		hours, err := desk.HoursOf(h)
		if err != nil {
			return err
		}
		all, err := tx.Spools(ctx, now.Add(-shownEmpty))
		if err != nil {
			return err
		}
		machines, err := tx.Machines(ctx)
		if err != nil {
			return err
		}
		materials, err := tx.Materials(ctx)
		if err != nil {
			return err
		}
		words := finding.Speak(h.Locale)
		for k := range all {
			out1, err := underWay(ctx, d, tx, &all[k])
			if err != nil {
				return err
			}
			out.Spools = append(out.Spools, view(&all[k], out1, machines, materials, hours, now, words))
		}
		stock, err := desk.StockOf(ctx, tx.Q)
		if err != nil {
			return err
		}
		lanes, err := tx.Lanes(ctx)
		if err != nil {
			return err
		}
		by := map[string]*MaterialStock{}
		of := func(name string) *MaterialStock {
			if by[name] == nil {
				by[name] = &MaterialStock{Material: name}
			}
			return by[name]
		}
		for _, v := range out.Spools {
			if v.State == spool.Empty {
				continue
			}
			m := of(v.Material)
			m.Left, m.Spools = m.Left+v.Left, m.Spools+1
		}
		for k := range lanes {
			for _, n := range stock.Needs(&lanes[k]) {
				of(n.Material).Promised += n.MG.Grams()
			}
		}
		for _, m := range by {
			out.Materials = append(out.Materials, *m)
		}
		if out.Parts, out.Beds, err = worn(ctx, tx.Q, machines); err != nil {
			return err
		}
		slices.SortFunc(out.Materials, func(a, b MaterialStock) int { return cmp.Compare(a.Material, b.Material) })
		return nil
	})
	return out, err
}

func view(s *store.Spool, underWay units.Milligrams, machines []store.Machine, materials []store.Material, hours planning.Hours, now time.Time, words finding.Speaker) SpoolView {
	left := max(0, s.Left-underWay)
	v := SpoolView{ID: s.ID, MaterialID: s.MaterialID, Material: s.Material, Colour: s.Colour, ColourName: s.ColourName, Lot: s.Lot, Place: s.Place, State: s.State, Nozzle: s.Nozzle,
		Left: left.Grams(), Held: s.Held.Grams(), Full: s.Full.Grams(), Reel: s.Reel.Grams(), Received: s.ReceivedAt, Opened: s.OpenedAt, Dried: s.DriedAt, Loaded: s.LoadedAt,
		Notes: []string{}, May: []string{}, Revision: s.Revision}
	note := func(code string, params ...any) { v.Notes = append(v.Notes, words.Say(problem.Say(code, params...))) }
	for _, m := range machines {
		if s.MachineID != nil && m.ID == *s.MachineID {
			v.MachineID, v.Machine = m.ID, m.Data.Name
		}
	}
	for _, m := range materials {
		if m.ID != s.MaterialID {
			continue
		}
		v.Drying = m.Data.Drying
		if m.Data.TakesUpWater && s.LoadedAt != nil && closedSince(hours, *s.LoadedAt, now) {
			note("left on the machine", v.Machine, m.Data.Drying)
		}
	}
	if s.Held > s.Left {
		note("more is promised than left", problem.Fixed(s.Held.Grams(), 0), problem.Fixed(s.Left.Grams(), 0))
	}
	for _, what := range Steps {
		if spool.Table.Can(s.State, what) {
			v.May = append(v.May, what)
		}
	}
	return v
}

// closedSince says that the house has been closed for a while since then: what was loaded was left overnight.
func closedSince(hours planning.Hours, since, now time.Time) bool {
	if days := int(now.Sub(since).Hours()/24) + 2; days < 400 {
		for _, s := range hours.Open(since, days) {
			if s.Finish.After(since) && s.Finish.Before(now) {
				return true
			}
		}
		return false
	}
	return true
}

// SpoolLine is one of the books.
type SpoolLine struct {
	ID     int64     `json:"id"`
	At     time.Time `json:"at"`
	By     string    `json:"by,omitempty"`
	Kind   string    `json:"kind" enum:"received,reserved,released,used,weighed,lost,corrected,written off"`
	Left   float64   `json:"left_grams" doc:"By how much more is left"`
	Held   float64   `json:"held_grams" doc:"By how much more is promised"`
	Run    int64     `json:"run_id,omitempty"`
	Why    string    `json:"why,omitempty"`
	Stands float64   `json:"stands_grams" doc:"What is left after it"`
}

// linesShown is how many of a spool's lines are shown, the newest.
const linesShown = 200

// Lines are the books of a spool, the newest line first.
func Lines(ctx context.Context, d *desk.Desk, id int64) ([]SpoolLine, error) {
	s, err := d.Store.Spool(ctx, id)
	if err != nil {
		return nil, err
	}
	words := d.Words(ctx)
	all, err := d.Store.GramsOf(ctx, id, linesShown)
	out := make([]SpoolLine, len(all))
	stands := s.Left
	for k, g := range all {
		out[k] = SpoolLine{ID: g.ID, At: g.At, By: g.Name, Kind: g.Kind, Left: g.Left.Grams(), Held: g.Held.Grams(), Run: g.Run, Stands: stands.Grams()}
		if g.Why.Code != "" {
			out[k].Why = words.Say(g.Why)
		}
		stands -= g.Left
	}
	return out, err
}

// takesOf is what each nozzle lays of a run in all, and its estimate with the figures by layer; nil without a plate.
func takesOf(ctx context.Context, q store.Q, r *store.Run) ([]estimate.NozzleUse, *estimate.Full, error) {
	if r.PlateID != nil {
		p, err := q.Plate(ctx, *r.PlateID)
		if err != nil {
			return nil, nil, err
		}
		if p.Full != nil && len(p.Full.Nozzles) > 0 {
			return p.Full.Nozzles, &p.Full.Full, nil
		}
	}
	return []estimate.NozzleUse{{Nozzle: 1, Material: r.Material, Grams: r.Grams, GramsModel: r.Grams}}, nil, nil
}
