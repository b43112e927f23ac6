package floor

import (
	"context"
	"math"
	"slices"
	"strings"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/judge/rule"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/finish"
	"jobshelf/core/shop/option"
	"jobshelf/core/shop/planning"
	"jobshelf/core/shop/price"
	"jobshelf/core/shop/revision"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/spool"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// LadderRow is one machine of a job's ladder: all pieces and copies together.
type LadderRow struct {
	MachineID int64                `json:"machine_id"`
	Name      string               `json:"name"`
	InService bool                 `json:"in_service"`
	Recipe    string               `json:"recipe,omitempty"`
	Material  string               `json:"material,omitempty"`
	Colour    string               `json:"colour,omitempty"`
	Loaded    string               `json:"loaded,omitempty" doc:"What is loaded, in words"`
	Nozzles   []string             `json:"nozzles" doc:"What is loaded in each nozzle, where there are several; empty: nothing"`
	Fits      bool                 `json:"fits"`
	Against   string               `json:"against,omitempty" doc:"Why not though it fits, as the nozzle that is wanted"`
	Takes     bool                 `json:"takes" doc:"The job can go on it: it is in service, all fits, and there is a recipe"`
	OverMM    [3]float64           `json:"over_mm"`
	Scale     float64              `json:"scale_to_fit"`
	TurnDeg   float64              `json:"turn_deg"`
	Seconds   float64              `json:"seconds,omitempty"`
	WarmUp    float64              `json:"warm_up_seconds,omitempty"`
	Grams     float64              `json:"grams,omitempty"`
	Metres    float64              `json:"filament_m,omitempty"`
	Layers    int                  `json:"layers,omitempty"`
	Price     units.Cents          `json:"price_cents,omitempty"`
	Lines     []units.PriceLine    `json:"lines,omitempty"`
	Start     *time.Time           `json:"start,omitempty" doc:"Earliest"`
	Finish    *time.Time           `json:"finish,omitempty" doc:"Earliest"`
	Proposed  bool                 `json:"proposed"`
	Full      bool                 `json:"full" doc:"From the toolpath: the number that is promised"`
	Plates    int                  `json:"plates,omitempty" doc:"How many plates its copies lie on, each a run"`
	SliceID   int64                `json:"slice_id,omitempty" doc:"The slice that the figures are of"`
	Ceiling   *Ceiling             `json:"ceiling,omitempty" doc:"Where its plates are not sliced yet: a yes is to no more than this"`
	Stale     string               `json:"stale,omitempty" doc:"What has changed since the slice that counts was made; it is to be made anew before a yes"`
	VolumeMM  [3]float64           `json:"volume_mm"`
	Shape     string               `json:"shape" enum:"rectangle,round"`
	Load      string               `json:"load,omitempty" doc:"What has to be loaded for it first, where that is otherwise"`
	Why       string               `json:"why,omitempty" doc:"Why it is proposed"`
	Way       string               `json:"way,omitempty" doc:"How its pieces would stand, where that is otherwise than they do"`
	Turns     []Turn               `json:"turns,omitempty" doc:"Of the pieces that would stand otherwise"`
	Short     string               `json:"short,omitempty" doc:"That the spools in it do not last for it, after all that waits there"`
	load      *problem.Phrase      // what Load says
	runS      []float64            // how long each of its runs takes
	uses      []estimate.NozzleUse // of all its runs, where that is known
	pausesS   []float64            // when its first run waits for somebody
}

// Ceiling is the most that a yes is to, while the plates are not sliced.
type Ceiling struct {
	Seconds float64     `json:"seconds"`
	Grams   float64     `json:"grams"`
	Price   units.Cents `json:"price_cents"`
}

// ceilingPercent is how much more than by the quick estimate a slice may take for a yes to hold: of
// 200 drawn prints (core/print/estimate/testdata/drawn.txt) three take more time or filament.
const ceilingPercent = 25

// ceiling rounds upwards to what is said: minutes, tenths of a gram, ten cents.
func ceiling(r *LadderRow) *Ceiling { return r.UpTo(ceilingPercent) }

// UpTo is the most that a yes on conditions is to: so much more than it takes without.
func (r *LadderRow) UpTo(morePercent float64) *Ceiling {
	share := 1 + max(0, min(morePercent, mostMorePercent))/100
	up := func(v, to float64) float64 { return math.Ceil(share*v/to-1e-9) * to }
	return &Ceiling{up(r.Seconds, 60), up(r.Grams, 0.1), units.Cents(up(float64(r.Price), 10))}
}

// mostMorePercent bounds it: ten times as much is another job.
const mostMorePercent = 900

// State is what ladders and lanes are worked out from.
type State struct {
	Hours     planning.Hours
	Words     finding.Speaker
	Machines  []store.Machine
	Lanes     map[int64][]store.Run
	Slots     map[int64]planning.Slot    // by run
	Free      map[int64]time.Time        // by machine: when its lane ends
	Start     map[int64]time.Time        // by machine: when a run could start on it; none if never
	Counting  map[int64][]store.Counting // by job: the slices that may count, at today's prices
	Changed   map[int64][]problem.Phrase // by slice: what is otherwise since it was made
	Due       map[int64]time.Time        // by job: the day it is needed by
	Uses      map[int64]printability.Use // by job that is still to be decided: what it is for
	Rules     []store.Rule               // that count
	First     map[int64]bool             // by job that is still weighed: its member has had nothing said yes to before
	Clubs     map[int64]string           // by the same: its member's
	Purposes  map[int64]string           // by the same
	Recipes   []store.Recipe
	Terms     option.Terms
	Now       time.Time
	Materials map[string]*machine.Material // by name
	LongestS  float64                      // the longest run that the house allows; 0: any
	If        []recipe.Override            // what rules are held against as if it were set
	Stock     *desk.Stock
	finishing []finish.StepRule
	short     map[int64]string // by run: that its spools do not last
	assumed   int64            // runs that are only reckoned with; their numbers are below 0
}

// NoJob and AnyJob say whose slices look is to read.
const (
	NoJob  = -1
	AnyJob = 0
)

// Look reads the house's machines and lanes and times the lanes. Of the slices that
// count it reads those of one job, or of all that are open, or none.
func Look(ctx context.Context, q store.Q, now time.Time, job int64) (*State, error) {
	h, err := q.House(ctx)
	if err != nil {
		return nil, err
	}
	out := &State{
		Lanes: map[int64][]store.Run{},
		Slots: map[int64]planning.Slot{},
		Free:  map[int64]time.Time{},
		Start: map[int64]time.Time{},
		Now:   now,
		Words: finding.Speak(h.Locale),
		Terms: option.Terms{SoonerCents: h.SoonerCents, Currency: h.Currency},
	}
	if out.Hours, err = desk.HoursOf(h); err != nil {
		return nil, err
	}
	if out.Machines, err = q.Machines(ctx); err != nil {
		return nil, err
	}
	if out.Recipes, err = q.Recipes(ctx); err != nil {
		return nil, err
	}
	if out.Due, err = q.DueDates(ctx); err != nil {
		return nil, err
	}
	if out.Uses, err = q.Uses(ctx); err != nil {
		return nil, err
	}
	if out.Rules, err = q.Rules(ctx); err != nil {
		return nil, err
	}
	if out.First, out.Clubs, out.Purposes, err = q.Newcomers(ctx); err != nil {
		return nil, err
	}
	materials, err := q.Materials(ctx)
	if err != nil {
		return nil, err
	}
	out.Materials, out.LongestS = map[string]*machine.Material{}, 60*float64(h.LongestRunMin)
	for i := range materials {
		out.Materials[materials[i].Data.Name] = &materials[i].Data
	}
	runs, err := q.Lanes(ctx)
	if err != nil {
		return nil, err
	}
	for _, r := range runs {
		out.Lanes[r.MachineID] = append(out.Lanes[r.MachineID], r)
	}
	for _, m := range out.Machines {
		out.time(m.ID)
		if start, ok := out.Hours.NextStart(out.Free[m.ID]); ok {
			out.Start[m.ID] = start
		}
	}
	finishing, err := q.Finishing(ctx)
	if err != nil {
		return nil, err
	}
	out.finishing = finishing.Rules
	if out.Stock, err = desk.StockOf(ctx, q); err != nil {
		return nil, err
	}
	out.short = map[int64]string{}
	for id, lane := range out.Lanes {
		for _, s := range out.Stock.Short(id, lane, nil) {
			out.short[s.Need.Run] = out.lasts(s)
		}
	}
	if job != NoJob {
		rows, err := q.CountingSlices(ctx, job)
		if err != nil {
			return nil, err
		}
		return out, out.hold(ctx, q, rows)
	}
	return out, nil
}

// finished is what of a job's parts its finishing depends on. Before they are sliced, what hangs over is taken to be held up:
// a yes is to no less than comes out.
func (h *State) finished(r *LadderRow, pieces []store.Piece, full *price.Full) finish.Facts {
	f := finish.Facts{Materials: []string{r.Material}}
	if k := slices.IndexFunc(h.Recipes, func(x store.Recipe) bool { return x.MachineID == r.MachineID && x.Data.Name == r.Recipe }); k >= 0 {
		f.Purpose = string(h.Recipes[k].Data.Purpose)
		f.Materials = []string{h.Recipes[k].Data.Material}
	}
	for _, p := range pieces {
		f.Copies += p.Copies
		f.Supported = f.Supported || full == nil && p.Verdict.HeldUp()
	}
	if full == nil {
		if m := h.Machine(r.MachineID); m != nil && f.Supported && len(m.Data.NozzlesMM) > 1 {
			f.Materials = append(f.Materials, m.Data.Second.Material)
		}
		return f
	}
	f.Supported = full.GramsSupport > 0
	for _, n := range full.Nozzles {
		f.Materials = append(f.Materials, n.Material)
	}
	return f
}

// lasts says that a spool does not last, in words.
func (h *State) lasts(s spool.Short) string {
	return h.Words.Say(problem.Say("spool does not last", s.Need.Material, problem.Fixed(s.Need.MG.Grams(), 0), problem.Fixed(s.Left.Grams(), 0), s.Spool, problem.Fixed(s.Others.Grams(), 0)))
}

// enough says that what is loaded in a machine does not last for what a row takes; empty where it does, or nobody knows.
func (h *State) enough(r *LadderRow) string {
	var needs []spool.Need
	for _, u := range r.uses {
		needs = append(needs, spool.Need{Nozzle: u.Nozzle, Material: u.Material, MG: units.MilligramsOf(u.Grams)})
	}
	if len(r.uses) == 0 {
		needs = []spool.Need{{Nozzle: 1, Material: r.Material, MG: units.MilligramsOf(r.Grams)}}
	}
	for _, s := range h.Stock.Short(r.MachineID, h.Lanes[r.MachineID], needs) {
		if s.Need.Run == 0 {
			return h.lasts(s)
		}
	}
	return ""
}

// hold holds the slices that may count against how the house makes things today.
func (h *State) hold(ctx context.Context, q store.Q, rows []store.Counting) error {
	h.Counting, h.Changed = map[int64][]store.Counting{}, map[int64][]problem.Phrase{}
	by := map[string]*Today{}
	for _, c := range rows {
		t := by[c.Purpose]
		if t == nil {
			var err error
			if t, err = TodayFor(ctx, q, c.Purpose); err != nil {
				return err
			}
			by[c.Purpose] = t
		}
		c.Full, h.Changed[c.ID] = t.Of(c.MachineID, c.Full, c.Overrides, c.Pieces, c.Made)
		h.Counting[c.JobID] = append(h.Counting[c.JobID], c)
	}
	return nil
}

// Models are the pieces of a job that are sliced here; the others are programs already, or
// could not be read.
func Models(pieces []store.Piece) []store.Piece {
	var out []store.Piece
	for _, p := range pieces {
		if p.Verdict != nil && p.Verdict.Format != modelfile.GCode && p.BlobID != nil {
			out = append(out, p)
		}
	}
	return out
}

// Covers says that a slice is of all models of a job as they are now.
func Covers(sliced []revision.Piece, pieces []store.Piece) bool {
	return slices.EqualFunc(sliced, Models(pieces), func(s revision.Piece, p store.Piece) bool {
		return s.Same(&revision.Piece{PieceID: p.ID, Version: p.Current, Unit: p.Unit, Copies: p.Copies, Nozzle: p.Nozzle})
	})
}

// programs says that all pieces of a job were sliced elsewhere.
func programs(pieces []store.Piece) bool {
	return len(pieces) > 0 && !slices.ContainsFunc(pieces, func(p store.Piece) bool { return p.Verdict == nil || p.Verdict.Format != modelfile.GCode })
}

// counts is the slice that counts for a job on a machine: the chosen one, or else the latest by
// the recipe and of the pieces as they are, if nothing is otherwise since; nil where there is none.
func (h *State) counts(pieces []store.Piece, machineID int64) *store.Counting {
	if len(pieces) == 0 {
		return nil
	}
	var out *store.Counting
	all := h.Counting[pieces[0].JobID]
	for i := range all {
		c := &all[i]
		if c.MachineID != machineID || !Covers(c.Pieces, pieces) {
			continue
		}
		models := Models(pieces) // Covers says that they are in the same order
		plain := true
		for k := range c.Pieces {
			plain = plain && c.Pieces[k].Plain(models[k].Stands())
		}
		if c.Chosen || out == nil && plain && len(h.Changed[c.ID]) == 0 {
			out = c
		}
	}
	return out
}

func seconds(s float64) time.Duration { return time.Duration(math.Ceil(s)) * time.Second }

// time works out when the runs of a lane start and finish. A run that is on the machine
// counts from its start, or by how much of it is laid; one that is over its time is taken to end now.
func (h *State) time(machineID int64) {
	free := h.Now
	var waiting []planning.Run
	var ids []int64
	for _, r := range h.Lanes[machineID] {
		if run.Begun(r.State) && r.StartedAt != nil {
			end := r.StartedAt.Add(seconds(r.Seconds))
			if r.DoneShare > 0 {
				end = h.Now.Add(seconds((1 - r.DoneShare) * r.Seconds))
			}
			if r.State == run.Cooling || end.Before(h.Now) {
				end = h.Now
			}
			h.Slots[r.ID] = planning.Slot{Start: *r.StartedAt, Finish: end}
			free = end
			continue
		}
		waiting, ids = append(waiting, planning.Run{Duration: seconds(r.Seconds)}), append(ids, r.ID)
	}
	for i, s := range h.Hours.Lane(free, waiting) {
		h.Slots[ids[i]] = s
		if !s.Finish.IsZero() {
			free = s.Finish
		}
	}
	h.Free[machineID] = free
}

func (h *State) Machine(id int64) *store.Machine {
	for i := range h.Machines {
		if h.Machines[i].ID == id {
			return &h.Machines[i]
		}
	}
	return nil
}

// Ladder adds up the pieces' verdicts for each machine and finds the proposal, by price and time.
func (h *State) Ladder(pieces []store.Piece) []LadderRow {
	out := make([]LadderRow, 0, len(h.Machines))
	var offers []option.Offer
	var which []int
	for i := range h.Machines {
		m := &h.Machines[i]
		r := h.row(m)
		r.add(h, m, pieces)
		if o := h.offer(&r, pieces); o != nil {
			offers, which = append(offers, *o), append(which, len(out))
		}
		out = append(out, r)
	}
	if p, ok := h.Terms.Propose(offers); ok {
		r := &out[which[p.Best]]
		r.Proposed, r.Why = true, h.Words.Say(p.Why)
	}
	return out
}

// offer is a row that can be taken, to be weighed; nil where it cannot.
func (h *State) offer(r *LadderRow, pieces []store.Piece) *option.Offer {
	if !r.Takes || r.Finish == nil {
		return nil
	}
	due, needed := h.Due[pieces[0].JobID]
	o := &option.Offer{Name: r.Name, Price: r.Price, Finish: *r.Finish, Late: needed && h.Hours.Late(*r.Finish, due), Swap: r.Load != ""}
	if use := h.Uses[pieces[0].JobID]; !use.None() {
		for _, f := range printability.Uses(use, h.madeOn(pieces, r), nil) {
			if f.Grade == finding.Decide {
				o.Unfit++
			}
		}
	}
	return o
}

// row is what a ladder says of a machine whatever the job.
func (h *State) row(m *store.Machine) LadderRow {
	return LadderRow{MachineID: m.ID, Name: m.Data.Name, InService: m.Data.InService, Scale: 1,
		Material: m.Data.Material, Colour: m.Data.Colour, Loaded: strings.TrimSpace(m.Data.ColourName + " " + m.Data.Material),
		Nozzles: nozzles(&m.Data), VolumeMM: [3]float64{m.Data.Volume.XMM, m.Data.Volume.YMM, m.Data.Volume.ZMM}, Shape: string(m.Data.Volume.Shape)}
}

// Assume reckons from here on with a yes to a row: its runs wait at the end of the lane.
func (h *State) Assume(r *LadderRow) {
	for _, s := range r.runS {
		h.assumed--
		h.Lanes[r.MachineID] = append(h.Lanes[r.MachineID], store.Run{ID: h.assumed, MachineID: r.MachineID, State: run.Planned, Seconds: s})
	}
	h.time(r.MachineID)
	if start, ok := h.Hours.NextStart(h.Free[r.MachineID]); ok {
		h.Start[r.MachineID] = start
	} else {
		delete(h.Start, r.MachineID)
	}
}

// wanted is what has to be loaded in the first nozzle of a machine for a recipe: the second's is the
// material that is in it.
func (h *State) wanted(m *store.Machine, name string) *problem.Phrase {
	k := slices.IndexFunc(h.Recipes, func(r store.Recipe) bool { return r.MachineID == m.ID && r.Data.Name == name })
	if k < 0 || h.Recipes[k].Data.Material == m.Data.Material || h.Recipes[k].Data.PieceNozzle > 1 {
		return nil
	}
	if m.Data.Material == "" {
		return new(problem.Say("nothing is loaded", h.Recipes[k].Data.Material))
	}
	return new(problem.Say("to be loaded", m.Data.Material, h.Recipes[k].Data.Material))
}

// nozzles are what is loaded in each nozzle of a machine that has several.
func nozzles(m *machine.Machine) []string {
	if len(m.NozzlesMM) < 2 {
		return []string{}
	}
	return []string{strings.TrimSpace(m.ColourName + " " + m.Material), strings.TrimSpace(m.Second.ColourName + " " + m.Second.Material)}
}

func partsOf(pieces []store.Piece) []option.Part {
	parts := make([]option.Part, len(pieces))
	for i, p := range pieces {
		parts[i] = option.Part{Verdict: p.Verdict, Copies: p.Copies}
	}
	return parts
}

// add adds up what the pieces take on a machine, as they stand.
func (r *LadderRow) add(h *State, m *store.Machine, pieces []store.Piece) {
	var full *price.Full
	if c := h.counts(pieces, m.ID); c != nil {
		full, r.SliceID = c.Full, c.ID
		if changed := h.Changed[c.ID]; len(changed) > 0 {
			r.Stale = h.Words.Say(problem.Say("slice is stale", pieces[0].Name, r.Name, changed))
		}
	}
	r.fill(h, m, pieces, partsOf(pieces), full)
}

// fill fills in what parts take on a machine, and when they would be done.
func (r *LadderRow) fill(h *State, m *store.Machine, pieces []store.Piece, parts []option.Part, full *price.Full) {
	v := option.OnMachine(option.Machine{ID: m.ID, Name: r.Name, Volume: m.Data.Volume}, parts, full)
	r.Takes = option.Takes(&v.MachineVerdict, r.InService)
	r.Fits, r.OverMM, r.Scale, r.TurnDeg, r.Recipe, r.Plates = v.Fits, v.OverMM, v.ScaleToFit, v.TurnDeg, v.Recipe, v.Plates
	if v.Against != nil && r.Fits {
		r.Against = h.Words.Say(*v.Against)
	}
	q := v.Quick
	if q == nil {
		return
	}
	r.Seconds, r.WarmUp, r.Grams, r.Metres, r.Layers = q.WholeSeconds(), q.WarmUpSeconds, q.Grams, q.FilamentMM/1000, q.Layers
	r.Price, r.Lines = q.Cents, q.Price.Lines
	for _, l := range finish.Price(finish.Steps(h.finishing, h.finished(r, pieces, full))) {
		r.Price, r.Lines = r.Price+l.Cents, append(slices.Clone(r.Lines), l)
	}
	r.Full = full != nil || programs(pieces)
	if !r.Takes {
		return
	}
	if !r.Full {
		r.Ceiling = ceiling(r)
	}
	if !programs(pieces) {
		if r.load = h.wanted(m, r.Recipe); r.load != nil {
			r.Load = h.Words.Say(*r.load)
		}
	}
	r.runS = v.Runs
	if full != nil {
		r.uses, r.pausesS = full.Nozzles, full.PausesS
	}
	r.Short = h.enough(r)
	o := planning.Option{Machine: r.Name, Free: h.Free[m.ID]}
	for _, s := range v.Runs {
		o.Runs = append(o.Runs, seconds(s))
	}
	if slot, ok := h.Hours.Slot(o); ok {
		r.Start, r.Finish = &slot.Start, &slot.Finish
	}
}

// Whole is what is found on a whole job on a machine, 0 for the one that is proposed: what it takes, what it is for, and
// what the house's rules raise; nil where that does not take it.
func (h *State) Whole(pieces []store.Piece, ladder []LadderRow, machineID int64) []finding.Finding {
	var on *option.Whole
	var row *LadderRow
	var others []option.Whole
	for i := range ladder {
		r := &ladder[i]
		if !r.Takes || r.Finish == nil || len(r.runS) == 0 {
			continue
		}
		w := h.wholeOn(pieces, r)
		if r.MachineID == machineID || machineID == 0 && r.Proposed {
			on, row = &w, r
		} else {
			others = append(others, w)
		}
	}
	if on == nil {
		return nil
	}
	found := on.Findings(others, h.LongestS, h.Uses[pieces[0].JobID])
	return append(found, rule.Find(h.asks(), h.Known(pieces, row, found), h.Words)...)
}

// spool is how many grams a spool of a material holds; 0: nobody knows.
func (h *State) spool(material string) float64 {
	if m := h.Materials[material]; m != nil {
		return m.SpoolGrams
	}
	return 0
}

func (h *State) wholeOn(pieces []store.Piece, r *LadderRow) option.Whole {
	w := option.Whole{Name: r.Name, RunS: slices.Max(r.runS), Load: r.load}
	if due, needed := h.Due[pieces[0].JobID]; needed {
		w.DaysLate = h.Hours.DaysLate(*r.Finish, due)
	}
	all := 0.0
	for _, s := range r.runS {
		all += s
	}
	share := w.RunS / all // of the heaviest, as near as time tells
	for _, u := range r.uses {
		w.Takes = append(w.Takes, option.Taken{Material: u.Material, Grams: share * u.Grams, SpoolsGrams: h.spool(u.Material)})
	}
	if len(r.uses) == 0 {
		w.Takes = []option.Taken{{Material: r.Material, Grams: share * r.Grams, SpoolsGrams: h.spool(r.Material)}}
	}
	w.Made = h.madeOn(pieces, r)
	for _, s := range r.pausesS {
		if r.Start != nil && w.AloneS == 0 && !h.Hours.Attended(r.Start.Add(seconds(s))) {
			w.AloneS = s
		}
	}
	return w
}

// madeOn is what pieces would be made of on a machine.
func (h *State) madeOn(pieces []store.Piece, r *LadderRow) printability.Made {
	out := printability.Made{Machine: r.Name, Material: h.Materials[r.Material]}
	if k := slices.IndexFunc(h.Machines, func(m store.Machine) bool { return m.ID == r.MachineID }); k >= 0 {
		out.Colour = h.Machines[k].Data.ColourName
	}
	if k := slices.IndexFunc(h.Recipes, func(x store.Recipe) bool { return x.MachineID == r.MachineID && x.Data.Name == r.Recipe }); k >= 0 {
		out.InfillPercent = h.Recipes[k].Data.WithDefaults().InfillPercent
	}
	for _, p := range pieces {
		if p.Verdict != nil && p.Verdict.Orientation != nil {
			out.LongestMM = max(out.LongestMM, slices.Max(p.Verdict.Orientation.SizeMM[:]))
			out.Sized = out.Sized || !p.Verdict.Stands().SameSize()
		}
	}
	return out
}

// Choose finds the row of a machine, or of the proposal, that can take the job.
func (h *State) Choose(pieces []store.Piece, machineID int64) (*LadderRow, error) {
	ladder := h.Ladder(pieces)
	for i := range ladder {
		r := &ladder[i]
		if machineID == 0 && r.Proposed {
			return r, nil
		}
		if r.MachineID != machineID {
			continue
		}
		switch {
		case !r.InService:
			return nil, desk.Refuse("not in service", r.Name)
		case !r.Fits:
			return nil, desk.Refuse("does not fit", r.Name, over(r.OverMM))
		case r.Against != "":
			return nil, desk.Refuse("told", r.Against)
		case r.Seconds <= 0:
			return nil, desk.Refuse("no recipe on", r.Name)
		}
		return r, nil
	}
	if machineID == 0 {
		return nil, desk.Refuse("no machine takes it")
	}
	return nil, store.ErrNotFound
}

func over(mm [3]float64) []problem.Phrase {
	var parts []problem.Phrase
	for i, axis := range []string{"X", "Y", "Z"} {
		if mm[i] > 0 {
			parts = append(parts, problem.Say("over in an axis", problem.Fixed(mm[i], 1), axis))
		}
	}
	return parts
}

// QueueRuns plans the runs of a job on the machine of a row: one for each plate of its slice,
// and for each copy of a program; at a place of its lane, or at its end. The row's price is
// shared out to them by time. The lanes are locked.
func QueueRuns(ctx context.Context, tx *store.Tx, r *LadderRow, pieces []store.Piece, place *int) error {
	runs, err := r.runs(ctx, tx, pieces)
	if err != nil {
		return err
	}
	times := make([]float64, len(runs))
	for i := range runs {
		times[i] = runs[i].Seconds
	}
	ids := make([]int64, len(runs))
	for i, cents := range price.Share(r.Price, times) {
		runs[i].Shares = []store.Share{{JobID: pieces[0].JobID, PlateID: runs[i].PlateID, Seconds: runs[i].Seconds, Grams: runs[i].Grams, PriceCents: cents}}
		if ids[i], err = tx.AddRun(ctx, runs[i]); err != nil {
			return err
		}
	}
	if place == nil {
		return nil
	}
	return putAt(ctx, tx, r.MachineID, ids, *place)
}

// runs are what a yes to a row is to.
func (r *LadderRow) runs(ctx context.Context, tx *store.Tx, pieces []store.Piece) (out []store.Run, err error) {
	run := store.Run{MachineID: r.MachineID, Material: r.Material, Colour: r.Colour}
	on := option.Machine{ID: r.MachineID, Name: r.Name}
	if models := Models(pieces); len(models) > 0 {
		plates, err := tx.Plates(ctx, r.SliceID)
		if err != nil {
			return nil, err
		}
		run.Recipe = on.Of(models[0].Verdict).Recipe
		for _, p := range plates {
			run.PlateID, run.GCodeID, run.Seconds, run.Grams = &p.ID, p.GCodeID, p.Full.WholeSeconds(), p.Full.Grams()
			out = append(out, run)
		}
	}
	run.PlateID = nil
	for _, p := range pieces {
		if p.Verdict == nil || p.Verdict.Format != modelfile.GCode {
			continue
		}
		v := on.Of(p.Verdict)
		run.Recipe, run.GCodeID, run.Seconds, run.Grams = v.Recipe, p.BlobID, v.Quick.WholeSeconds(), v.Quick.Grams
		for range p.Copies {
			out = append(out, run)
		}
	}
	return out, nil
}

// putAt puts planned runs at a place of their machine's lane, counted from 0 among what waits.
func putAt(ctx context.Context, tx *store.Tx, machineID int64, ids []int64, place int) error {
	all, err := tx.Lanes(ctx)
	if err != nil {
		return err
	}
	var lane []int64
	started := 0
	for _, r := range all {
		switch {
		case r.MachineID != machineID || slices.Contains(ids, r.ID):
		case !run.Movable(r.State):
			lane = slices.Insert(lane, started, r.ID)
			started++
		default:
			lane = append(lane, r.ID)
		}
	}
	lane = slices.Insert(lane, min(started+max(place, 0), len(lane)), ids...)
	for i, id := range lane {
		if err := tx.PlaceRun(ctx, id, i+1); err != nil {
			return err
		}
	}
	return nil
}
