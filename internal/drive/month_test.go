package drive_test

import (
	"bytes"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/finish"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/planning"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/wear"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/finishing"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/desk/stores"
	"jobshelf/internal/device"
	"jobshelf/internal/drive"
	"jobshelf/internal/standin"
	"jobshelf/internal/store"
	"jobshelf/internal/work"
)

// month is the demo house as its days go by: its people, its machines and all that goes wrong there, on a clock that is
// moved on by hand. What is checked, sliced, driven and booked is all real; machines move by whole moves.
type month struct {
	*floor    // its machine and job are not used
	rnd       *rand.Rand
	clock     atomic.Int64
	machines  []*monthly
	jobs      map[int64]int // and how many copies of it are wanted
	figures   map[string]int
	day       int
	faults    float64             // how likely it is that something goes wrong in a moment
	fetchDays float64             // after how many days, in the mean, somebody fetches what is theirs
	due       map[int64]time.Time // when somebody comes to fetch a job
}

// monthly is a machine of the month.
type monthly struct {
	store.Machine
	standin   *standin.Server
	hand      *drive.Hand
	part      int64         // that counts all that it lays
	hotFor    time.Duration // with nothing going on
	busy      bool          // it prints, or is to be warm
	steppedAt time.Time     // its driver looked last
	brokenAt  time.Time     // since when something is wrong with it
	usedMM    float64       // that went through its nozzles
}

// How long a moment is: while the house is open and anything goes on or waits, at night, and while nothing does.
const (
	tick      = 2 * time.Minute
	nightTick = 6 * time.Minute
	quietTick = 30 * time.Minute
)

// TestDaysOfTheHouse lets days of the demo house pass, with faults at random: two of them, or as many as JOBSHELF_DAYS
// says. In the end nothing is lost, doubled or hot, every copy is somewhere, and the books add up.
func TestDaysOfTheHouse(t *testing.T) {
	days, seed := 2, uint64(1)
	if n, err := strconv.Atoi(os.Getenv("JOBSHELF_DAYS")); err == nil {
		days = n
	}
	if n, err := strconv.ParseUint(os.Getenv("JOBSHELF_SEED"), 10, 64); err == nil {
		seed = n
	}
	begun := time.Now() // not beside others: those have clocks of their own
	m := newMonth(t, seed)
	m.fetchDays = float64(days) / 6
	m.faults = 0.004 * max(1, 5/float64(days)) // few days have as much in them
	first := m.now()
	for m.now().Before(first.AddDate(0, 0, days)) {
		m.pass(true)
	}
	open := -1
	for end := m.now().AddDate(0, 0, 60); m.now().Before(end) && open != 0; open = m.open() { // what is begun comes to its end
		for range 30 {
			m.pass(false)
		}
	}
	m.addsUp()
	t.Logf("%d days in %.0f s of %v: %v", days, time.Since(begun).Seconds(), m.now().Sub(first).Round(time.Hour), m.figures)
}

func newMonth(t *testing.T, seed uint64) *month {
	h := desktest.Open(t)
	m := &month{floor: &floor{House: h, t: t}, rnd: rand.New(rand.NewPCG(seed, 2)), jobs: map[int64]int{}, figures: map[string]int{}, due: map[int64]time.Time{}} //nolint:gosec // what happens, no secret
	m.clock.Store(time.Date(2026, 11, 3, 9, 30, 0, 0, time.UTC).UnixNano())
	h.Desk.Now = m.now
	q, err := work.NewQueue(h.Store)
	require.NoError(t, err)
	h.Desk.Queue = q
	quiet := slog.New(slog.DiscardHandler)
	w, err := work.Start(ctx, h.Store, h.Desk, work.Options{Log: quiet, NoProposals: true, Queues: []string{work.Counter, work.Bench}, RetryAfter: 50 * time.Millisecond})
	require.NoError(t, err)
	t.Cleanup(func() { _ = w.Stop(ctx) })
	require.NoError(t, demo.Finishing(ctx, h.Desk))
	require.NoError(t, demo.Spools(ctx, h.Desk))
	all, err := h.Store.Machines(ctx)
	require.NoError(t, err)
	for _, x := range all {
		if x.Data.Process != machine.MaterialExtrusion {
			continue
		}
		a := &monthly{Machine: x, standin: &standin.Server{Printer: standin.New(&x.Data, standin.Options{NozzleLoss: 0.008, BedLoss: 0.002}), Speed: 1e-9}}
		a.serve(m)
		a.part, err = stores.AddPart(ctx, h.Desk, h.Cato, stores.NewPart{Part: wear.Part{Name: "All of it"}, MachineID: x.ID})
		require.NoError(t, err)
		m.machines = append(m.machines, a)
		m.takes(a)
	}
	return m
}

// serve puts a machine's stand-in on its line.
func (a *monthly) serve(m *month) {
	line := (&floor{t: m.t, standin: a.standin}).serve()
	v, err := m.Store.Machines(ctx)
	require.NoError(m.t, err)
	for _, x := range v {
		if x.ID == a.ID {
			a.Machine = x
			a.Data.Line = line
			require.NoError(m.t, m.Store.InTx(ctx, func(tx *store.Tx) error { return tx.SetMachine(ctx, a.Machine) }))
		}
	}
}

// takes has a process drive a machine.
func (m *month) takes(a *monthly) {
	var err error
	a.hand, err = drive.TakeHand(ctx, m.Desk, drive.Options{Log: slog.New(slog.DiscardHandler), Name: "month", Patience: device.Patience{Silent: 150 * time.Millisecond, Lost: 600 * time.Millisecond, Poll: 50 * time.Millisecond}, Speed: 60}, a.ID)
	require.NoError(m.t, err)
}

func (m *month) now() time.Time { return time.Unix(0, m.clock.Load()).UTC() }

// chance is true as often as p says.
func (m *month) chance(p float64) bool { return m.rnd.Float64() < p }

func (m *month) counts(what string) { m.figures[what]++ }

// pass lets a moment pass: machines move, drivers hear them, people come by.
func (m *month) pass(arrivals bool) {
	lanes, err := m.Store.Lanes(ctx)
	require.NoError(m.t, err)
	by := quietTick
	inHours, _ := m.hours()
	for _, a := range m.machines {
		switch {
		case inHours && (len(lanes) > 0 || a.busy):
			by = tick
		case a.busy:
			by = min(by, nightTick)
		}
	}
	m.clock.Add(int64(by))
	for _, a := range m.machines {
		a.standin.Do(func(p *standin.Printer) {
			p.Leap(by.Seconds())
			if p.Asked() > 0 && p.Prints() == "" {
				a.hotFor += by
			} else {
				a.hotFor = 0
			}
			a.usedMM, a.busy = p.UsedMM, p.Asked() > 0 || p.Prints() != ""
		})
		require.LessOrEqual(m.t, a.hotFor, 30*time.Minute+2*nightTick, "%s is hot for nothing at %v", a.Data.Name, m.now())
		begun := slices.ContainsFunc(lanes, func(r store.Run) bool { return r.MachineID == a.ID && slices.Contains(run.OnMachine, r.State) })
		if !a.busy && !begun && m.now().Sub(a.steppedAt) < quietTick {
			continue
		}
		a.steppedAt = m.now()
		m.breaks(a)
		if err := a.hand.Step(); err != nil {
			require.ErrorIs(m.t, err, device.ErrLost, "%s at %v", a.Data.Name, m.now())
		}
	}
	open, day := m.hours()
	if day != m.day {
		m.day = day
		m.done("days", finishing.Waits(ctx, m.Desk))
	}
	if !open {
		return
	}
	if arrivals && m.chance(0.006*by.Minutes()) {
		m.handsIn()
	}
	if m.chance(0.5) || by > tick {
		m.people()
	}
}

// hours says whether the house is open, and which day of the year it is there.
func (m *month) hours() (open bool, day int) {
	h, err := m.Store.House(ctx)
	require.NoError(m.t, err)
	zone, err := time.LoadLocation(h.TimeZone)
	require.NoError(m.t, err)
	local := m.now().In(zone)
	minute := local.Hour()*60 + local.Minute()
	return slices.ContainsFunc(h.Week[local.Weekday()], func(s planning.Span) bool { return minute >= s.From && minute < s.To }), local.YearDay()
}

// done notes what somebody did; a refusal is an answer that may come, anything else is a fault.
func (m *month) done(what string, err error) bool {
	m.t.Helper()
	var no *desk.Conflict
	var wrong *desk.Invalid
	switch {
	case err == nil:
		m.counts(what)
		return true
	case errors.As(err, &no):
		m.counts("refused: " + what + ": " + no.Code)
	case errors.As(err, &wrong):
		m.counts("refused: " + what + ": " + wrong.Problems[0].Code)
	default:
		require.NoError(m.t, err, what)
	}
	return false
}

// breaks lets something go wrong, now and then, and puts right what was wrong.
func (m *month) breaks(a *monthly) {
	busy := false
	a.standin.Do(func(p *standin.Printer) { busy = p.Prints() != "" })
	if !a.brokenAt.IsZero() && m.now().Sub(a.brokenAt) > time.Duration(20+m.rnd.IntN(120))*time.Minute {
		a.brokenAt = time.Time{}
		a.standin.Do(func(p *standin.Printer) { p.Mend() })
		m.counts("mended")
	}
	if !busy || !a.brokenAt.IsZero() || !m.chance(m.faults) {
		return
	}
	fault := []string{"heater", "bed", "power", "filament", "stall", "garbage", "resends", "knocked", "line", "driver", "driver"}[m.rnd.IntN(11)]
	m.counts("fault: " + fault)
	switch fault {
	case "line": // pulled and put back elsewhere
		a.hand.Drop(ctx)
		a.serve(m)
		m.takes(a)
	case "driver":
		a.hand.Drop(ctx)
		m.takes(a)
	case "power", "filament", "knocked":
		require.NoError(m.t, a.standin.Fail(fault))
	default:
		require.NoError(m.t, a.standin.Fail(fault))
		a.brokenAt = m.now()
	}
}

// models are what members hand in.
func (m *month) model() (*mesh.Mesh, string) {
	switch m.rnd.IntN(4) {
	case 0:
		return solid.Box(90, 60, 6), "panel"
	case 1:
		return solid.Box(60, 40, 20), "crate"
	case 2:
		return solid.Cylinder(20, 30, 48), "post"
	}
	return solid.Box(120, 30, 12), "rail"
}

// handsIn is somebody with a model.
func (m *month) handsIn() {
	model, name := m.model()
	var file bytes.Buffer
	require.NoError(m.t, modelfile.WriteSTL(&file, model, ""))
	who := []desk.Actor{m.Owner, m.Other}[m.rnd.IntN(2)]
	up, _, err := intake.Upload(ctx, m.Desk, who, name+".stl", &file)
	if !m.done("hand in", err) {
		return
	}
	copies := 1 + m.rnd.IntN(4)
	in := intake.HandIn{Purpose: []recipe.Purpose{recipe.QuickLook, recipe.Everyday, recipe.WorkingPart}[m.rnd.IntN(3)], Pieces: []intake.HandInPiece{{UploadID: up, Copies: copies}}}
	if m.chance(0.4) {
		in.NeededBy = m.now().AddDate(0, 0, 1+m.rnd.IntN(9)).Format(time.DateOnly)
	}
	id, err := intake.NewJob(ctx, m.Desk, who, in)
	require.NoError(m.t, err)
	m.jobs[id] = copies
	m.worked()
}

// worked waits until nobody waits for a worker.
func (m *month) worked() {
	for end := time.Now().Add(2 * time.Minute); ; time.Sleep(25 * time.Millisecond) {
		var n int
		require.NoError(m.t, m.Store.Pool.QueryRow(ctx, `SELECT count(*) FROM river_job WHERE queue <> 'night' AND state IN ('available', 'running', 'retryable', 'scheduled')`).Scan(&n))
		if n == 0 {
			return
		}
		require.True(m.t, time.Now().Before(end), "work does not end")
	}
}

// people come by: who coordinates, and who fetches.
func (m *month) people() {
	lanes, err := m.Store.Lanes(ctx)
	require.NoError(m.t, err)
	for _, a := range m.machines {
		m.attends(a, lanes)
	}
	jobs, err := m.Store.OpenJobs(ctx, 0)
	require.NoError(m.t, err)
	for _, j := range jobs {
		switch j.State {
		case job.ToDecide:
			m.decides(j.ID)
		case job.Approved:
			switch {
			case m.chance(0.003) && m.done("withdraw", decide.Withdraw(ctx, m.Desk, m.Cato, j.ID, 0, "")):
			case m.chance(0.005):
				m.done("take back", decide.TakeBack(ctx, m.Desk, m.Cato, j.ID, 0))
			case m.chance(0.01):
				m.moves(lanes, j.ID)
			}
		}
	}
	m.finishes()
	if m.chance(0.01) {
		m.weighs()
	}
	if m.chance(0.004) {
		for _, who := range []desk.Actor{m.Owner, m.Other} {
			acc, err := finishing.AccountOf(ctx, m.Desk, m.Cato, who.ID)
			require.NoError(m.t, err)
			if acc.Cents > 0 {
				m.done("pay", finishing.Pay(ctx, m.Desk, m.Cato, who.ID, acc.Cents))
			} else if m.chance(0.5) {
				m.done("correct", finishing.Correct(ctx, m.Desk, m.Cato, who.ID, 0, 125, "a goggle was lost"))
			}
		}
	}
}

// decides says yes where a machine takes it, now and then no.
func (m *month) decides(id int64) {
	if m.chance(0.03) {
		m.done("send back", decide.SendBack(ctx, m.Desk, m.Cato, id, 0, "It is not for this house."))
		return
	}
	v, err := decide.Job(ctx, m.Desk, m.Cato, id)
	require.NoError(m.t, err)
	for _, f := range v.Findings {
		if f.Key != "" && f.Answer == nil {
			m.done("answer", decide.Answer(ctx, m.Desk, m.Cato, id, 0, f.Key, "It is as it is wanted."))
		}
	}
	var takes []int64
	for _, r := range v.Ladder {
		if r.Takes {
			takes = append(takes, r.MachineID)
		}
	}
	if len(takes) == 0 {
		m.done("send back", decide.SendBack(ctx, m.Desk, m.Cato, id, 0, "No machine takes it."))
		return
	}
	m.done("approve", decide.Approve(ctx, m.Desk, m.Cato, id, 0, decide.Yes{MachineID: takes[m.rnd.IntN(len(takes))]}))
	m.worked()
}

func (m *month) moves(lanes []store.Run, id int64) {
	for _, r := range lanes {
		if r.Shares[0].JobID == id && run.Waits(r.State) {
			m.done("move", decide.Move(ctx, m.Desk, m.Cato, r.ID, m.machines[m.rnd.IntN(len(m.machines))].ID, 0, true))
			m.worked()
			return
		}
	}
}

// since is how long it is that somebody first saw a run in its state.
func (m *month) since(r *store.Run) time.Duration { return m.now().Sub(r.Since) }

// attends is what somebody does at a machine.
func (m *month) attends(a *monthly, lanes []store.Run) {
	var on, next *store.Run
	for i := range lanes {
		r := &lanes[i]
		switch {
		case r.MachineID != a.ID:
		case !run.Waits(r.State):
			on = r
		case next == nil || r.Position < next.Position:
			next = r
		}
	}
	if on == nil {
		left, err := m.Store.ToClear(ctx, a.ID)
		require.NoError(m.t, err)
		if len(left) > 0 {
			m.done("clear", runs.Clear(ctx, m.Desk, m.Cato, a.ID))
		}
		if next != nil && a.brokenAt.IsZero() && m.chance(0.5) {
			m.starts(a, next)
		}
		return
	}
	switch on.State {
	case run.First:
		if m.chance(0.15) {
			m.done("see", runs.See(ctx, m.Desk, m.Cato, on.ID))
		}
	case run.Printing:
		switch {
		case m.chance(0.006):
			m.done("ask to pause", runs.Want(ctx, m.Desk, m.Cato, on.ID, run.WantsPause, ""))
		case m.chance(0.001):
			m.done("ask to stop", runs.Want(ctx, m.Desk, m.Cato, on.ID, run.WantsStop, "It comes loose."))
		}
	case run.Paused, run.PausedCold:
		switch {
		case m.chance(0.5):
		case m.chance(0.05):
			m.done("ask to stop", runs.Want(ctx, m.Desk, m.Cato, on.ID, run.WantsStop, "It is no use."))
		default:
			m.spool(a, m.chance(0.5))
			m.done("ask to go on", runs.Want(ctx, m.Desk, m.Cato, on.ID, run.WantsGoOn, ""))
		}
	case run.Lost:
		if m.since(on) > time.Hour && a.brokenAt.IsZero() && m.chance(0.2) {
			m.done("say it failed", runs.Fail(ctx, m.Desk, m.Cato, on.ID, "Nothing was heard of it."))
		}
	case run.Cooling:
		if m.since(on) < 20*time.Minute {
			return
		}
		var bad []int
		p, err := m.Store.Plate(ctx, *on.PlateID)
		require.NoError(m.t, err)
		for k := range p.Spots {
			if m.chance(0.04) {
				bad = append(bad, k)
			}
		}
		why := ""
		if len(bad) > 0 {
			why = "It has strings."
		}
		if m.done("take off", runs.TakeOff(ctx, m.Desk, m.Cato, on.ID, bad, why)) {
			m.figures["bad copies"] += len(bad)
			m.worked()
		}
	}
}

// spool has spools in the machine that last, if there is need or somebody wants it.
func (m *month) spool(a *monthly, anew bool) {
	v, err := runs.Machine(ctx, m.Desk, a.ID)
	require.NoError(m.t, err)
	for _, n := range v.Nozzles {
		lasts := n.In != nil && !n.Short && (n.Nozzle != 1 || v.Loaded != "")
		if !n.Change || lasts && !anew {
			continue
		}
		want := n.Material
		if len(n.Others) == 0 {
			materials, err := m.Store.Materials(ctx)
			require.NoError(m.t, err)
			for _, x := range materials {
				if x.Data.Name == want {
					_, err := stores.Receive(ctx, m.Desk, m.Cato, stores.Delivery{MaterialID: x.ID, Colour: "#C2543B", ColourName: "Buoy red", Grams: x.Data.SpoolGrams, ReelGrams: 212, Spools: 2})
					m.done("receive", err)
				}
			}
			m.spool(a, anew)
			return
		}
		m.done("load", runs.Load(ctx, m.Desk, m.Cato, a.ID, runs.Filament{Nozzle: n.Nozzle, SpoolID: n.Others[0].ID}))
	}
}

// starts goes through what comes first in a lane.
func (m *month) starts(a *monthly, r *store.Run) {
	if r.GCodeID == nil {
		m.worked()
		return
	}
	now, err := m.Store.Machines(ctx)
	require.NoError(m.t, err)
	other := false
	for _, x := range now {
		other = other || x.ID == a.ID && x.Data.Material != r.Material
	}
	m.spool(a, other)
	points, err := runs.Points(ctx, m.Desk, r.ID)
	require.NoError(m.t, err)
	if r.State == run.Planned && !m.done("check", runs.Check(ctx, m.Desk, m.Cato, r.ID, points)) {
		return
	}
	m.done("start", runs.Start(ctx, m.Desk, m.Cato, r.ID))
}

// finishes is what is done to parts, and who fetches them.
func (m *month) finishes() {
	all, err := finishing.All(ctx, m.Desk)
	require.NoError(m.t, err)
	for _, p := range all {
		if p.State == job.Finishing {
			open := slices.IndexFunc(p.Steps, func(s finishing.StepView) bool { return s.State != finish.Done })
			switch {
			case open < 0:
				m.done("ready", decide.Advance(ctx, m.Desk, m.Cato, p.JobID, 0, "bin 4"))
			case p.Steps[open].State != finish.Under:
				m.done("step begins", finishing.Tell(ctx, m.Desk, m.Cato, []int64{p.Steps[open].ID}, finish.Begins, ""))
			default:
				m.done("step ends", finishing.Tell(ctx, m.Desk, m.Cato, []int64{p.Steps[open].ID}, finish.Ends, "bin 3"))
			}
			continue
		}
		if _, ok := m.due[p.JobID]; !ok {
			m.due[p.JobID] = m.now().Add(time.Duration(m.rnd.ExpFloat64() * m.fetchDays * 24 * float64(time.Hour)))
			if m.fetchDays > 1 && m.chance(0.04) { // nobody comes
				m.due[p.JobID] = m.now().AddDate(1, 0, 0)
			}
		}
		if m.now().After(m.due[p.JobID]) {
			_, err := finishing.FetchBy(ctx, m.Desk, m.Cato, strings.ToLower(p.Code))
			m.done("fetch", err)
		}
	}
}

// weighs puts a spool on the scale: it is not quite as the books have it.
func (m *month) weighs() {
	all, err := m.Store.Spools(ctx, m.now())
	require.NoError(m.t, err)
	s := all[m.rnd.IntN(len(all))]
	if s.State == "empty" {
		return
	}
	m.done("weigh", stores.Weigh(ctx, m.Desk, m.Cato, s.ID, 0, max(0, s.Left.Grams()+m.rnd.NormFloat64()*3)+s.Reel.Grams(), 0))
}

// open is how many jobs are not at their end.
func (m *month) open() int {
	all, err := m.Store.OpenJobs(ctx, 0)
	require.NoError(m.t, err)
	return len(all)
}

// addsUp says that nothing is lost, doubled or hot, every copy is somewhere, and the books add up.
func (m *month) addsUp() {
	t := m.t
	type row struct {
		state        string
		asked        int
		yes          units.Cents
		charges      int
		charged, due units.Cents
		owner        int64
		good         map[string]int
	}
	jobs := map[int64]*row{}
	started := 0
	printed := map[string]int{}
	for id, copies := range m.jobs {
		j, err := m.Store.Job(ctx, id)
		require.NoError(t, err)
		x := &row{state: j.State, asked: copies, owner: j.MemberID, good: map[string]int{}}
		if j.Yes != nil {
			x.yes = j.Yes.Cents
		}
		jobs[id] = x
		m.counts("end: " + j.State)
		assert.Contains(t, []string{job.Fetched, job.SentBack, job.Withdrawn, job.LeftBehind}, j.State, "job %d", id)
		var ids []int64
		require.NoError(t, m.Store.Pool.QueryRow(ctx, `SELECT array_agg(run_id ORDER BY run_id) FROM share WHERE job_id = $1`, id).Scan(&ids))
		for _, n := range ids {
			r, err := m.Store.Run(ctx, n)
			require.NoError(t, err)
			if r.StartedAt != nil {
				started++
			}
			var events int
			require.NoError(t, m.Store.Pool.QueryRow(ctx, `SELECT count(*) FROM run WHERE after_id = $1`, r.ID).Scan(&events))
			switch r.State {
			case run.Off:
				x.due += r.Of(id).PriceCents
				p, err := m.Store.Plate(ctx, *r.PlateID)
				require.NoError(t, err)
				for k, s := range p.Spots {
					if !slices.Contains(r.Bad, k) {
						x.good[fmt.Sprint(s.Piece, " ", s.Copy)]++
					}
				}
			case run.Failed, run.Stopped:
				assert.LessOrEqual(t, events, 1, "one after run %d", r.ID)
			case run.Cancelled:
			default:
				assert.Fail(t, "a run is left over", "run %d of job %d is %s", r.ID, id, r.State)
			}
		}
		lines, err := m.Store.ChargesOf(ctx, id)
		require.NoError(t, err)
		for _, l := range lines {
			x.charges++
			x.charged += l.Cents
		}
		if j.State == job.Fetched || j.State == job.LeftBehind {
			assert.Len(t, x.good, x.asked, "each copy of job %d: %v", id, x.good)
			for c, n := range x.good {
				assert.Equal(t, 1, n, "copy %s of job %d", c, id)
			}
		}
		if j.State == job.Fetched {
			assert.Equal(t, 1, x.charges, "job %d is charged once", id)
			assert.Equal(t, x.due, x.charged, "job %d costs what its runs were to", id)
			assert.LessOrEqual(t, x.charged, x.yes, "job %d costs no more than the yes was to", id)
		} else {
			assert.Zero(t, x.charges, "job %d", id)
		}
		m.figures["copies"] += len(x.good)
	}
	for _, a := range m.machines {
		a.standin.Do(func(p *standin.Printer) {
			assert.Zero(t, p.Asked(), "%s is hot", a.Data.Name)
			assert.Empty(t, p.Prints(), "%s prints", a.Data.Name)
			for _, f := range p.Printed {
				printed[f]++
			}
			m.figures["m of filament"] += int(p.UsedMM / 1000)
		})
	}
	for f, n := range printed {
		assert.Equal(t, 1, n, "%s was started", f)
	}
	m.figures["prints"] = len(printed)
	m.figures["runs started"] = started
	assert.LessOrEqual(t, len(printed), started)
	m.books()
}

// books: every balance is the sum of its lines, nothing is promised to nobody, and what the books say was laid is what
// went through nozzles.
func (m *month) books() {
	t := m.t
	rows, err := m.Store.Pool.Query(ctx, `SELECT s.id, coalesce(sum(g.left_mg), 0)::bigint, coalesce(sum(g.held_mg), 0)::bigint FROM spool s LEFT JOIN gram g ON g.spool_id = s.id GROUP BY s.id`)
	require.NoError(t, err)
	for rows.Next() {
		var id, left, held int64
		require.NoError(t, rows.Scan(&id, &left, &held))
		s, err := m.Store.Spool(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, left, int64(s.Left))
		assert.GreaterOrEqual(t, left, int64(0), "spool %d", id)
		assert.Zero(t, held, "nothing waits, and spool %d is promised", id)
		m.counts("spools")
	}
	require.NoError(t, rows.Err())
	var used, laid float64
	require.NoError(t, m.Store.Pool.QueryRow(ctx, `SELECT -coalesce(sum(left_mg), 0) / 1000.0 FROM gram WHERE kind = 'used'`).Scan(&used))
	materials := demo.Materials()
	for _, a := range m.machines {
		for _, x := range materials {
			if x.Name == a.Data.Material {
				laid += x.Grams(a.Data.FilamentMM, a.usedMM)
			}
		}
	}
	for _, a := range m.machines {
		w, err := m.Store.WearPart(ctx, a.part)
		require.NoError(t, err)
		var mg int64
		var ended int
		require.NoError(t, m.Store.Pool.QueryRow(ctx, `SELECT -coalesce(sum(g.left_mg), 0)::bigint FROM gram g JOIN run r ON r.id = g.run_id WHERE g.kind = 'used' AND r.machine_id = $1`, a.ID).Scan(&mg))
		require.NoError(t, m.Store.Pool.QueryRow(ctx, `SELECT count(*) FROM run WHERE machine_id = $1 AND started_at IS NOT NULL`, a.ID).Scan(&ended))
		assert.Equal(t, mg, int64(w.MG), "what %s has worn is what was used on it", a.Data.Name)
		assert.Equal(t, ended, w.Runs, a.Data.Name)
	}
	m.figures["g by the books"], m.figures["g through nozzles"] = int(used), int(laid)
	assert.InEpsilon(t, laid, used, 0.03)
	for _, who := range []desk.Actor{m.Owner, m.Other} {
		acc, err := finishing.AccountOf(ctx, m.Desk, m.Cato, who.ID)
		require.NoError(t, err)
		var sum int64
		require.NoError(t, m.Store.Pool.QueryRow(ctx, `SELECT coalesce(sum(cents), 0) FROM charge WHERE member_id = $1`, who.ID).Scan(&sum))
		assert.Equal(t, sum, int64(acc.Cents))
	}
}
