package runs

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jobshelf/core/print/machine"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/spool"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/store"
)

// What a machine does, as it is shown.
const (
	Idle    = "idle"
	Busy    = "busy"
	Asks    = "asks for somebody"
	ToClear = "to be cleared"
	Dead    = "not heard"
	Out     = "not in service"
)

// MachineBrief is a machine now, in short.
type MachineBrief struct {
	MachineID int64        `json:"machine_id"`
	Name      string       `json:"name"`
	Does      string       `json:"does" enum:"idle,busy,asks for somebody,to be cleared,not heard,not in service"`
	Says      string       `json:"says" doc:"What it does, in plain words"`
	Line      bool         `json:"line" doc:"It is spoken with; of others people tell what they do"`
	RunID     int64        `json:"run_id,omitempty" doc:"That is on it, or ready to be started"`
	State     string       `json:"state,omitempty" doc:"Of that run"`
	Said      *MachineSaid `json:"said,omitempty"`
}

// CheckPoint is something that somebody says yes to before a start.
type CheckPoint struct {
	Key  string `json:"key"`
	Says string `json:"says"`
}

// CopyOnPlate is one on the plate, as it lies there.
type CopyOnPlate struct {
	N      int          `json:"n" doc:"Counted from 0"`
	Of     string       `json:"of"`
	Copy   int          `json:"copy"`
	PathMM [][2]float64 `json:"path_mm" doc:"Its outline on the plate"`
}

// RunMay is what can be done with the run that is on a machine, or is next on it.
type RunMay struct {
	Check   bool     `json:"check"`
	Why     string   `json:"why,omitempty" doc:"Its checklist cannot be gone through now"`
	Uncheck bool     `json:"uncheck"`
	Start   bool     `json:"start"`
	Tell    []string `json:"tell" enum:"it lays its first line,it pauses,it goes on,it goes on with its first layers,it cools while it waits,it warms again,it comes to its end" doc:"What somebody can say that it does"`
	See     bool     `json:"see" doc:"That the first layers are good"`
	Want    []string `json:"want" enum:"pause,go on,stop" doc:"What can be asked of the machine"`
	Fail    bool     `json:"fail"`
	TakeOff bool     `json:"take_off"`
	PutBack bool     `json:"put_back"`
	Unsay   bool     `json:"unsay" doc:"What was said last, by mistake"`
}

// RunCourse is how a run goes that is on a machine, or comes next.
type RunCourse struct {
	floor.RunView
	Why       string        `json:"why,omitempty" doc:"It waits, is lost or could not be sent"`
	Wants     string        `json:"wants,omitempty" doc:"What was asked of the machine, that it has not done yet"`
	WatchedBy string        `json:"watched_by,omitempty" doc:"Who is to see its first layers"`
	SeeWithin float64       `json:"see_within_seconds,omitempty" doc:"How long it waits for that before it pauses"`
	Layer     int           `json:"layer"`
	Share     float64       `json:"share"`
	Points    []CheckPoint  `json:"points" doc:"Its checklist"`
	CheckedBy string        `json:"checked_by,omitempty"`
	Copies    []CopyOnPlate `json:"copies"`
	SliceID   int64         `json:"slice_id,omitempty" doc:"Whose layers are its plate's"`
	OnPlate   int           `json:"slice_plate,omitempty" doc:"Which plate of that"`
	May       RunMay        `json:"may"`
}

// LoadingWay is how other filament gets into the machine for its next run.
type LoadingWay struct {
	Was   string   `json:"was"`
	Is    string   `json:"is"`
	HotC  float64  `json:"hot_c" doc:"The hotter of the two, °C"`
	ThenC float64  `json:"then_c"`
	Care  []string `json:"care"`
	// Of a material that the house has; else there is no other way than by the house's form.
	Material string `json:"material"`
}

// SpoolBrief is a spool that is in a nozzle, or could be.
type SpoolBrief struct {
	ID     int64   `json:"id"`
	Says   string  `json:"says" doc:"Its colour and material"`
	Colour string  `json:"colour"`
	State  string  `json:"state" enum:"sealed,open,loaded"`
	Place  string  `json:"place,omitempty"`
	Left   float64 `json:"left_grams"`
}

// NozzleNow is what is in a nozzle that the run on a machine, or the next there, uses, and what else could be.
type NozzleNow struct {
	Nozzle   int          `json:"nozzle" doc:"Counted from 1"`
	Material string       `json:"material" doc:"That the run takes from it"`
	Takes    float64      `json:"takes_grams" doc:"That it still takes"`
	In       *SpoolBrief  `json:"in,omitempty" doc:"The spool in it, where one is known"`
	Short    bool         `json:"short" doc:"That does not last for it"`
	Others   []SpoolBrief `json:"others" doc:"Of the material, not loaded anywhere; what lasts first, of that what is open and least"`
	Change   bool         `json:"change" doc:"It can be changed now"`
}

// MachineNow is a machine, opened.
type MachineNow struct {
	MachineBrief
	Volume  machine.Volume `json:"volume"`
	Camera  bool           `json:"camera"`
	Address string         `json:"address,omitempty"`
	Loaded  string         `json:"loaded"`
	Run     *RunCourse     `json:"run,omitempty" doc:"On it"`
	Next    *RunCourse     `json:"next,omitempty" doc:"First in its lane"`
	Last    *RunCourse     `json:"last,omitempty" doc:"That came off it, and whose bed was not said to be clear"`
	Clear   []string       `json:"to_clear" doc:"What lay on its bed since that was clear"`
	Loading *LoadingWay    `json:"loading,omitempty"`
	Nozzles []NozzleNow    `json:"nozzles" doc:"Those that the run on it uses, or the next"`
	Curve   *HeatCurve     `json:"curve,omitempty"`
	Warm    []string       `json:"warm" enum:"what comes next,other filament,nothing" doc:"What it can be warmed for now, with nothing on it; nothing: its heat off"`
	IdleOff bool           `json:"idle_off" doc:"It turns its heat off by itself if nobody comes"`
}

// state is what machines are shown from.
type state struct {
	*floor.State
	said  map[int64]kept
	clear map[int64][]store.Run
}

func look(ctx context.Context, d *desk.Desk) (*state, error) {
	h, err := floor.Look(ctx, d.Store.Q, d.Now(), floor.NoJob)
	if err != nil {
		return nil, err
	}
	s := &state{State: h, clear: map[int64][]store.Run{}}
	if s.said, err = saidOf(ctx, d.Store.Q); err != nil {
		return nil, err
	}
	left, err := d.Store.AllToClear(ctx)
	for _, r := range left {
		s.clear[r.MachineID] = append(s.clear[r.MachineID], r)
	}
	return s, err
}

// All are the machines now, those that lay filament or resin and are in the house.
func All(ctx context.Context, d *desk.Desk) ([]MachineBrief, error) {
	s, err := look(ctx, d)
	if err != nil {
		return nil, err
	}
	out := []MachineBrief{}
	for i := range s.Machines {
		out = append(out, s.brief(&s.Machines[i]))
	}
	return out, nil
}

// onIt is the run that is on a machine, or nil, and the first that waits for it.
func (s *state) onIt(m *store.Machine) (now, next *store.Run) {
	for i := range s.Lanes[m.ID] {
		r := &s.Lanes[m.ID][i]
		switch {
		case run.Begun(r.State):
			now = r
		case next == nil || r.State == run.Ready && next.State != run.Ready:
			next = r
		}
	}
	return now, next
}

func (s *state) brief(m *store.Machine) MachineBrief {
	b := MachineBrief{MachineID: m.ID, Name: m.Data.Name, Line: m.Data.Line != ""}
	k, heard := s.said[m.ID]
	if heard && b.Line {
		b.Said = &k.MachineSaid
	}
	now, next := s.onIt(m)
	if now != nil {
		b.RunID, b.State = now.ID, now.State
	} else if next != nil && next.State == run.Ready {
		b.RunID, b.State = next.ID, next.State
	}
	var says problem.Phrase
	b.Does, says = s.does(m, now, next, b.Said)
	b.Says = s.Words.Say(says)
	return b
}

// minutes are seconds as they are told.
func minutes(seconds float64) problem.Number { return problem.Fixed(max(1, seconds/60), 0) }

// does is what a machine does, in a word and in plain words.
func (s *state) does(m *store.Machine, now, next *store.Run, said *MachineSaid) (string, problem.Phrase) {
	left := 0.0
	if said != nil {
		left = said.LeftS
	}
	switch {
	case now == nil && !m.Data.InService:
		return Out, problem.Say("does: out")
	case now == nil && said != nil && said.Fault != "":
		return Dead, problem.Say("does: stands still", said.Fault)
	case now == nil && len(s.clear[m.ID]) > 0:
		return ToClear, problem.Say("does: to be cleared", s.clear[m.ID][0].Title())
	case now == nil && next != nil && next.State == run.Ready:
		return Asks, problem.Say("does: ready", next.Title())
	case now == nil && m.Data.Line != "" && (said == nil || said.Link != Heard):
		return Dead, problem.Say("does: not heard")
	case now == nil && next != nil:
		return Idle, problem.Say("does: next", next.Title())
	case now == nil:
		return Idle, problem.Say("does: nothing")
	}
	title := now.Title()
	switch now.State {
	case run.Sending:
		sent := 0.0
		if said != nil {
			sent = said.Sent
		}
		return Busy, problem.Say("does: sending", title, problem.Fixed(100*sent, 0))
	case run.Heating:
		if left > 0 {
			return Busy, problem.Say("does: heating for", title, minutes(left))
		}
		return Busy, problem.Say("does: heating", title)
	case run.First:
		return Asks, problem.Say("does: first layers", title, now.WatchedBy)
	case run.Printing:
		if left > 5400 {
			return Busy, problem.Say("does: printing for hours", title, problem.Fixed(left/3600, 1))
		}
		if left > 0 {
			return Busy, problem.Say("does: printing for", title, minutes(left))
		}
		return Busy, problem.Say("does: printing", title)
	case run.Paused:
		return Asks, problem.Say("does: paused", title)
	case run.PausedCold:
		return Asks, problem.Say("does: paused cold", title)
	case run.Lost:
		return Dead, problem.Say("does: lost", title)
	}
	return Asks, problem.Say("does: cooling", title)
}

// Machine shows one.
func Machine(ctx context.Context, d *desk.Desk, id int64) (MachineNow, error) {
	s, err := look(ctx, d)
	if err != nil {
		return MachineNow{}, err
	}
	m := s.State.Machine(id)
	if m == nil {
		return MachineNow{}, store.ErrNotFound
	}
	v := MachineNow{MachineBrief: s.brief(m), Volume: m.Data.Volume, Camera: m.Data.Camera != "", Address: m.Data.Address, Clear: []string{}, Warm: []string{}, Nozzles: []NozzleNow{},
		Loaded: strings.TrimSpace(m.Data.ColourName + " " + m.Data.Material), IdleOff: m.Data.IdleOffS > 0}
	if k, ok := s.said[id]; ok && v.Line {
		v.Curve = &k.Curve
	}
	for _, r := range s.clear[id] {
		v.Clear = append(v.Clear, r.Title())
	}
	now, next := s.onIt(m)
	if now != nil {
		if v.Run, err = s.course(ctx, d.Store.Q, m, now); err != nil {
			return v, err
		}
	}
	if next != nil {
		if v.Next, err = s.course(ctx, d.Store.Q, m, next); err != nil {
			return v, err
		}
		if now == nil {
			v.Next.May.Check, v.Next.May.Why = s.mayCheck(ctx, d, m, next)
			v.Loading = s.loading(m, next)
		}
	}
	switch {
	case now != nil:
		v.Nozzles = s.nozzles(m, now, now.State == run.Paused || now.State == run.PausedCold)
	case next != nil:
		v.Nozzles = s.nozzles(m, next, true)
	}
	if now == nil && v.Said != nil && v.Said.Link == Heard {
		v.Warm = s.warm(m, next, v.Said, v.Loading != nil)
	}
	if n := len(s.clear[id]); n > 0 && now == nil {
		v.Last, err = s.course(ctx, d.Store.Q, m, &s.clear[id][n-1])
	}
	return v, err
}

// warm is what a machine can be warmed for that nothing is on.
func (s *state) warm(m *store.Machine, next *store.Run, said *MachineSaid, other bool) []string {
	out := []string{}
	if m.Data.IdleOffS > 0 && next != nil {
		if other {
			out = append(out, ForLoad)
		} else {
			out = append(out, ForNext)
		}
	}
	if slices.ContainsFunc(said.Heats, func(h HeatNow) bool { return h.To > 0 }) {
		out = append(out, HeatOff)
	}
	return out
}

// mayCheck says that a run's checklist can be gone through, or why not.
func (s *state) mayCheck(ctx context.Context, d *desk.Desk, m *store.Machine, r *store.Run) (bool, string) {
	if !run.Table.Can(r.State, run.Checks) {
		return false, ""
	}
	err := d.Store.InTx(ctx, func(tx *store.Tx) error { return mayStart(ctx, tx, *r) })
	if err == nil {
		err = loaded(m, r.Material)
	}
	var no *desk.Conflict
	if errors.As(err, &no) {
		return false, s.Words.Say(no.Phrase)
	}
	return err == nil, ""
}

// loading is what has to be loaded for a run; nil where it is.
func (s *state) loading(m *store.Machine, r *store.Run) *LoadingWay {
	is := s.Materials[r.Material]
	if m.Data.Material == r.Material || is == nil {
		return nil
	}
	l := run.Load(&m.Data, s.Materials[m.Data.Material], is)
	return &LoadingWay{Was: strings.TrimSpace(m.Data.ColourName + " " + m.Data.Material), Is: r.Material, HotC: l.HotC, ThenC: l.ThenC, Care: append([]string{}, l.Care...), Material: r.Material}
}

// nozzles are those that a run uses, with what is in them and what else could be.
func (s *state) nozzles(m *store.Machine, r *store.Run, change bool) []NozzleNow {
	out := []NozzleNow{}
	brief := func(x store.Spool) SpoolBrief {
		return SpoolBrief{x.ID, strings.TrimSpace(x.ColourName + " " + x.Material), x.Colour, x.State, x.Place, x.Left.Grams()}
	}
	for _, n := range s.Stock.Needs(r) {
		v := NozzleNow{Nozzle: n.Nozzle, Material: n.Material, Takes: n.MG.Grams(), Others: []SpoolBrief{}, Change: change}
		if in := s.Stock.In(m.ID, n.Nozzle); in != nil {
			v.In = new(brief(*in))
			v.Short = in.Material == n.Material && in.Left < n.MG
		}
		var others []store.Spool
		for _, x := range s.Stock.Spools {
			if x.Material == n.Material && (x.State == spool.Open || x.State == spool.Sealed) {
				others = append(others, x)
			}
		}
		slices.SortStableFunc(others, func(a, b store.Spool) int {
			first := func(x bool) int {
				if x {
					return 0
				}
				return 1
			}
			return cmp.Or(cmp.Compare(first(a.Left >= n.MG), first(b.Left >= n.MG)), cmp.Compare(first(a.State == spool.Open), first(b.State == spool.Open)), cmp.Compare(a.Left, b.Left))
		})
		for _, x := range others {
			v.Others = append(v.Others, brief(x))
		}
		out = append(out, v)
	}
	return out
}

// course is a run as the machine shows it.
func (s *state) course(ctx context.Context, q store.Q, m *store.Machine, r *store.Run) (*RunCourse, error) {
	c := &RunCourse{RunView: s.RunView(*r), Why: s.Words.Say(r.Why), Wants: r.Wants, WatchedBy: r.WatchedBy, Layer: r.Layer, Share: r.DoneShare, Points: []CheckPoint{}, Copies: []CopyOnPlate{}}
	if r.State == run.Cooling || r.State == run.Off { // it came to its end, whatever was heard last
		c.Share = 1
	}
	if r.Why.Code == "" {
		c.Why = ""
	}
	if r.Checked != nil {
		c.CheckedBy = r.Checked.Name
	}
	if r.State == run.First {
		c.SeeWithin = max(0, s.Hours.Attendance.Seconds()-s.Now.Sub(r.Since).Seconds())
	}
	if run.Waits(r.State) {
		all, _, err := points(ctx, q, *r)
		if err != nil {
			return nil, err
		}
		for _, p := range all {
			c.Points = append(c.Points, CheckPoint{p.Key, s.Words.Say(p.Says)})
		}
	}
	var err error
	if c.Copies, err = s.copies(ctx, q, r, c); err != nil {
		return nil, err
	}
	c.May = may(m, r, s.said[m.ID].Link == Heard, s.Now.Sub(r.Since) < s.Hours.Attendance)
	return c, nil
}

// copies are those on a run's plate; of a program sliced elsewhere there are none to tell apart.
func (*state) copies(ctx context.Context, q store.Q, r *store.Run, c *RunCourse) ([]CopyOnPlate, error) {
	if r.PlateID == nil {
		return []CopyOnPlate{}, nil
	}
	p, err := q.Plate(ctx, *r.PlateID)
	if err != nil {
		return nil, err
	}
	s, err := q.Slice(ctx, p.SliceID)
	if err != nil {
		return nil, err
	}
	c.SliceID, c.OnPlate = p.SliceID, p.N
	paths := floor.Outlines(p.Spots)
	out := make([]CopyOnPlate, len(p.Spots))
	for k, at := range p.Spots {
		name := fmt.Sprint(at.Piece + 1)
		if at.Piece < len(s.Pieces) {
			piece, err := q.Piece(ctx, s.Pieces[at.Piece].PieceID)
			if err != nil {
				return nil, err
			}
			name = piece.Name
		}
		out[k] = CopyOnPlate{N: k, Of: name, Copy: at.Copy, PathMM: [][2]float64{}}
		for _, x := range paths[k] {
			out[k].PathMM = append(out[k].PathMM, [2]float64{float64(x.X) / 1000, float64(x.Y) / 1000})
		}
	}
	return out, nil
}

// may is what can be done with a run at its machine; of one that is not heard somebody can say that it failed.
func may(m *store.Machine, r *store.Run, heard, justNow bool) RunMay {
	can := func(e string) bool { return run.Table.Can(r.State, e) }
	line := m.Data.Line != ""
	out := RunMay{Uncheck: can(run.Unchecks), Start: r.State == run.Ready, Tell: []string{}, See: can(run.Seen), Want: []string{}, TakeOff: can(run.ComesOff),
		PutBack: can(run.BackOn) && len(r.Bad) == 0 && r.ClearedAt == nil, Unsay: run.Before(r.State, line, r.Seen != 0, justNow) != "", Fail: can(run.Fails) && (!line || !heard || r.State == run.Lost || r.State == run.Cooling)}
	for _, e := range byHand {
		if e == run.GoesOn && r.Seen == 0 || e == run.SeesOn && r.Seen != 0 || !can(e) || line && (e != run.Ends || r.State != run.Lost) {
			continue
		}
		if e == run.Ends && r.State == run.Heating {
			continue
		}
		out.Tell = append(out.Tell, e)
	}
	if !line || !slices.Contains(run.OnMachine, r.State) || r.State == run.Lost {
		return out
	}
	switch {
	case can(run.Pauses):
		out.Want = append(out.Want, run.WantsPause)
	case r.State == run.Paused || r.State == run.PausedCold:
		out.Want = append(out.Want, run.WantsGoOn)
	}
	out.Want = append(out.Want, run.WantsStop)
	return out
}

// CameraOf is where a machine's bed is seen, as the steward has entered it.
func CameraOf(ctx context.Context, d *desk.Desk, id int64) (string, error) {
	m, err := floor.MachineOf(ctx, d.Store.Q, id)
	if err != nil {
		return "", err
	}
	if m.Data.Camera == "" {
		return "", store.ErrNotFound
	}
	return m.Data.Camera, nil
}

// Points are the keys of a run's checklist.
func Points(ctx context.Context, d *desk.Desk, id int64) ([]string, error) {
	r, err := d.Store.Run(ctx, id)
	if err != nil {
		return nil, err
	}
	all, _, err := points(ctx, d.Store.Q, r)
	out := make([]string, len(all))
	for i, p := range all {
		out[i] = p.Key
	}
	return out, err
}
