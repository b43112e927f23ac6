package run_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/print/machine"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shop/run"
)

// heard is a machine that prints the run's file.
var heard = run.Machine{Heard: true, Prints: true, Ours: true, Lays: true}

func with(m run.Machine, change func(*run.Machine)) run.Machine {
	change(&m)
	return m
}

// What comes next, by what is known of the run and of its machine.
func TestTheNextStep(t *testing.T) {
	const patience = 20 * time.Minute
	warm := run.Now{Patience: patience, CoolsItself: true}
	now := func(state string, change ...func(*run.Now)) run.Now {
		n := warm
		n.State = state
		for _, c := range change {
			c(&n)
		}
		return n
	}
	wants := func(what string) func(*run.Now) { return func(n *run.Now) { n.Wants = what } }
	after := func(d time.Duration) func(*run.Now) { return func(n *run.Now) { n.Since = d } }
	unseen := func(n *run.Now) { n.Unseen = true }
	idle := run.Machine{Heard: true}
	for _, c := range []struct {
		name  string
		n     run.Now
		m     run.Machine
		act   run.Act
		event string
		why   string
	}{
		{"it is sent", now(run.Sending), idle, run.Send, run.Warms, ""},
		{"it was sent and started before a break", now(run.Sending), with(heard, func(m *run.Machine) { m.Lays, m.Moves = false, true }), run.Nothing, run.Warms, ""},
		{"it was sent, not started, before a break", now(run.Sending), with(heard, func(m *run.Machine) { m.Lays = false }), run.Send, run.Warms, ""},
		{"somebody prints something else", now(run.Sending), with(heard, func(m *run.Machine) { m.Ours = false }), run.Nothing, run.NotSent, "prints another file"},
		{"it stands still before it is sent", now(run.Sending), run.Machine{Heard: true, Fault: "hot"}, run.Nothing, run.NotSent, "machine stands still"},
		{"it warms", now(run.Heating), with(heard, func(m *run.Machine) { m.Lays = false }), run.Nothing, "", ""},
		{"it lays", now(run.Heating), heard, run.Nothing, run.Lays, ""},
		{"it lays, and waits already", now(run.Heating), with(heard, func(m *run.Machine) { m.Waits = "paused" }), run.Nothing, run.Lays, ""},
		{"a pause while it warms", now(run.Heating, wants(run.WantsPause)), with(heard, func(m *run.Machine) { m.Lays = false }), run.Halt, run.Pauses, ""},
		{"its first layers are to be seen", now(run.First, unseen, after(patience)), heard, run.Nothing, "", ""},
		{"and are not", now(run.First, unseen, after(patience+1)), heard, run.Halt, run.Pauses, "first layers not seen"},
		{"it prints", now(run.Printing), heard, run.Nothing, "", ""},
		{"it waits for filament", now(run.Printing), with(heard, func(m *run.Machine) { m.Waits = "out" }), run.Nothing, run.Pauses, "machine waits"},
		{"it stands for a while", now(run.Printing), with(heard, func(m *run.Machine) { m.Still = 5 * time.Minute }), run.Nothing, "", ""},
		{"it stands, without a word", now(run.Printing), with(heard, func(m *run.Machine) { m.Still = 5*time.Minute + 1 }), run.Nothing, run.Pauses, "machine stands"},
		{"it stands because it warms", now(run.Heating), with(heard, func(m *run.Machine) { m.Lays, m.Still = false, time.Hour }), run.Nothing, "", ""},
		{"it stands, and nobody saw its first layers", now(run.First, unseen, after(patience+1)), with(heard, func(m *run.Machine) { m.Still = time.Hour }), run.Halt, run.Pauses, "first layers not seen"},
		{"it ends", now(run.Printing), run.Machine{Heard: true, Finished: true}, run.Nothing, run.Ends, ""},
		{"it ends while nobody saw its first layers", now(run.First, unseen), run.Machine{Heard: true, Finished: true}, run.Nothing, run.Ends, ""},
		{"it prints nothing, without a word", now(run.Printing), idle, run.Nothing, run.Loses, "prints nothing any more"},
		{"it prints something else", now(run.Printing), with(heard, func(m *run.Machine) { m.Ours = false }), run.Nothing, run.Loses, "prints another file"},
		{"it is not heard", now(run.Printing), run.Machine{}, run.Nothing, run.Loses, "not heard"},
		{"its line stays shut", now(run.Printing), run.Machine{Shut: true}, run.Nothing, run.Loses, "line stays shut"},
		{"it started anew", now(run.Printing), run.Machine{Heard: true, Started: true}, run.Nothing, run.Fails, "machine started anew"},
		{"a heater fails", now(run.Paused), run.Machine{Heard: true, Fault: "runaway"}, run.Nothing, run.Fails, "machine stands still"},
		{"it is stopped", now(run.Printing, wants(run.WantsStop)), heard, run.End, run.Stops, ""},
		{"it is stopped when it prints nothing any more", now(run.Printing, wants(run.WantsStop)), idle, run.End, run.Stops, ""},
		{"it waits, warm", now(run.Paused, after(patience)), heard, run.Nothing, "", ""},
		{"nobody comes", now(run.Paused, after(patience+1)), heard, run.HeatOff, run.Cools, ""},
		{"nothing waits warm where it does not cool by itself", now(run.Paused, func(n *run.Now) { n.CoolsItself = false }), heard, run.HeatOff, run.Cools, ""},
		{"nobody came to see its first layers", now(run.Paused, unseen, func(n *run.Now) { n.Alone = true }), heard, run.HeatOff, run.Cools, ""},
		{"it goes on", now(run.Paused, wants(run.WantsGoOn)), heard, run.Resume, run.GoesOn, ""},
		{"it goes on, to be seen still", now(run.Paused, wants(run.WantsGoOn), unseen), heard, run.Resume, run.SeesOn, ""},
		{"somebody let it go on at the machine", now(run.Paused), with(heard, func(m *run.Machine) { m.Moves = true }), run.Nothing, run.GoesOn, ""},
		{"it waits cold", now(run.PausedCold), heard, run.Nothing, "", ""},
		{"cold is cold", now(run.PausedCold), with(heard, func(m *run.Machine) { m.Hot = true }), run.HeatOff, "", ""},
		{"it is warmed again", now(run.PausedCold, wants(run.WantsGoOn)), heard, run.Reheat, run.Rewarms, ""},
		{"and is not warm yet", now(run.Heating, func(n *run.Now) { n.Reheats = true }), heard, run.Nothing, "", ""},
		{"and is", now(run.Heating, func(n *run.Now) { n.Reheats = true }), with(heard, func(m *run.Machine) { m.Warm = true }), run.Resume, run.Lays, ""},
		{"it is found, printing", now(run.Lost), heard, run.Nothing, run.Found(run.Printing), ""},
		{"it is found, unseen", now(run.Lost, unseen), heard, run.Nothing, run.Found(run.First), ""},
		{"it is found, warming", now(run.Lost), with(heard, func(m *run.Machine) { m.Lays = false }), run.Nothing, run.Found(run.Heating), ""},
		{"it is found, waiting", now(run.Lost), with(heard, func(m *run.Machine) { m.Waits = "paused" }), run.Nothing, run.Found(run.Paused), "machine waits"},
		{"it stays lost", now(run.Lost), idle, run.Nothing, "", ""},
		{"it is found at its end", now(run.Lost), run.Machine{Heard: true, Finished: true}, run.Nothing, run.Ends, ""},
		{"its end left something warm", now(run.Cooling), run.Machine{Heard: true, Hot: true}, run.HeatOff, "", ""},
		{"it cools", now(run.Cooling), run.Machine{Heard: true}, run.Nothing, "", ""},
	} {
		got := run.Steer(c.n, c.m)
		assert.Equal(t, c.act, got.Act, c.name)
		assert.Equal(t, c.event, got.Event, c.name)
		assert.Equal(t, c.why, got.Why.Code, c.name)
	}
	assert.Equal(t, run.HeatOff, run.Ahead(patience+1, patience, run.Machine{Heard: true, Hot: true}))
	for _, m := range []run.Machine{{Heard: true}, {Hot: true}, {Heard: true, Hot: true, Prints: true}, {Heard: true, Hot: true, Fault: "out"}} {
		assert.Equal(t, run.Nothing, run.Ahead(patience+1, patience, m))
	}
	assert.Equal(t, run.Nothing, run.Ahead(patience, patience, run.Machine{Heard: true, Hot: true}))
}

// Whatever is known: what happens is allowed where the run is, nothing is done at a machine that is not heard, only what
// was asked for stops a run, and what waits longer than the house allows does not stay warm.
func TestStepsAreAllowed(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		is := func(name string) bool { return rapid.Bool().Draw(t, name) }
		text := func(name string) string { return rapid.SampledFrom([]string{"", "", "x"}).Draw(t, name) }
		n := run.Now{State: rapid.SampledFrom(append(slices.Clone(run.OnMachine), run.Cooling)).Draw(t, "state"), Wants: rapid.SampledFrom([]string{"", run.WantsPause, run.WantsGoOn, run.WantsStop}).Draw(t, "wants"),
			Reheats: is("reheats"), Unseen: is("unseen"), Since: time.Duration(rapid.IntRange(0, 60).Draw(t, "since")) * time.Minute, Patience: 20 * time.Minute, CoolsItself: is("cools itself")}
		m := run.Machine{Heard: is("heard"), Shut: is("shut"), Fault: text("fault"), Started: is("started"), Prints: is("prints"), Ours: is("ours"), Lays: is("lays"), Moves: is("moves"),
			Waits: text("waits"), Still: time.Duration(rapid.IntRange(0, 60).Draw(t, "still")) * time.Minute, Finished: is("finished"), Hot: is("hot"), Warm: is("warm")}
		s := run.Steer(n, m)
		if s.Event != "" {
			require.True(t, run.Table.Can(n.State, s.Event), "%s from %s", s.Event, n.State)
		}
		if !m.Heard || m.Shut {
			require.Equal(t, run.Nothing, s.Act)
		}
		if s.Act == run.End || s.Event == run.Stops {
			require.Equal(t, run.WantsStop, n.Wants)
		}
		well := m.Heard && !m.Shut && m.Fault == "" && !m.Started && m.Prints && m.Ours && n.Wants == "" && !m.Finished
		if n.State == run.Paused && well && n.Since > n.Patience && !m.Moves {
			require.Equal(t, run.HeatOff, s.Act)
		}
		if n.State == run.Printing && well && m.Still > 5*time.Minute {
			require.Equal(t, run.Pauses, s.Event, "from where it cools")
		}
	})
}

// What has to be said before a start: the bed, what is in each nozzle that is used, and what hands have to know, once.
func TestAChecklist(t *testing.T) {
	m := &machine.Machine{Name: "Bowline", NozzlesMM: []float64{0.4, 0.4}, Material: "PLA", ColourName: "blue", Second: machine.NozzleLoad{Material: "Soluble", ColourName: "clear"}, Care: "Wear gloves.", NozzleMaxC: 250}
	of := map[string]*machine.Material{"PLA": {Name: "PLA", NozzleC: 210}, "Soluble": {Name: "Soluble", NozzleC: 215, Care: "Wear gloves."}, "ABS": {Name: "ABS", NozzleC: 260, Care: "Open a window."}}
	keys := func(used ...int) (out []string) {
		for _, p := range run.Checklist(m, of, used, nil) {
			out = append(out, p.Key)
		}
		return out
	}
	assert.Equal(t, []string{"bed", "nozzle 1", "machine"}, keys(0))
	assert.Equal(t, []string{"bed", "nozzle 1", "nozzle 2", "care 2"}, keys(0, 1), "gloves are said once")
	m.Care = ""
	assert.Equal(t, []string{"bed", "nozzle 2", "care 2"}, keys(1))
	m.NozzlesMM = m.NozzlesMM[:1]
	assert.Equal(t, "check loaded alone", run.Checklist(m, of, []int{0}, nil)[1].Says.Code)

	// What is worn is looked at by name, before what hands have to know.
	m.Care = "Wear gloves."
	list := run.Checklist(m, of, []int{0}, []run.WornPart{{ID: 7, Name: "Nozzle", Share: 1.25}})
	assert.Equal(t, run.Point{Key: "worn 7", Says: problem.Say("check worn", "Nozzle", problem.Fixed(125, 0))}, list[2])
	assert.Equal(t, "machine", list[3].Key)
	m.Care = ""

	// Other filament goes in at the hotter of the two, never hotter than the machine may be.
	assert.Equal(t, run.Loading{HotC: 215, ThenC: 210}, run.Load(m, of["Soluble"], of["PLA"]))
	assert.Equal(t, run.Loading{HotC: 215, ThenC: 215, Care: []string{"Wear gloves."}}, run.Load(m, of["PLA"], of["Soluble"]))
	assert.Equal(t, run.Loading{HotC: 250, ThenC: 250, Care: []string{"Open a window."}}, run.Load(m, of["PLA"], of["ABS"]))
	assert.Equal(t, run.Loading{HotC: 210, ThenC: 210}, run.Load(m, nil, of["PLA"]))
}

// Each state is waiting, on a machine, at its end there, or over.
func TestWhereARunIs(t *testing.T) {
	for _, s := range run.Table.States() {
		over := slices.Contains([]string{run.Off, run.Stopped, run.Failed, run.Cancelled}, s)
		assert.Equal(t, !over, run.InLane(s), s)
		assert.Equal(t, slices.Contains([]string{run.Planned, run.Ready}, s), run.Waits(s), s)
		assert.Equal(t, run.Table.Can(s, run.Stops), slices.Contains(run.OnMachine, s), s)
		assert.False(t, run.Waits(s) && run.Begun(s), s)
		assert.Equal(t, s == run.Planned, run.Movable(s), s)
	}
}

// What was said last can be taken back: at once of a machine on a line, of one without a line as long as nothing follows.
func TestWhatCanBeTakenBack(t *testing.T) {
	for _, c := range []struct {
		state               string
		line, seen, justNow bool
		want                string
	}{
		{run.Printing, true, true, true, run.First}, {run.Printing, true, true, false, ""}, {run.Printing, false, true, false, run.First}, {run.Printing, true, false, true, ""},
		{run.First, false, false, true, run.Heating}, {run.First, true, false, true, ""}, {run.Cooling, false, true, false, run.Printing}, {run.Cooling, false, false, false, run.First},
		{run.Cooling, true, true, true, ""}, {run.Heating, false, false, true, ""},
	} {
		got := run.Before(c.state, c.line, c.seen, c.justNow)
		assert.Equal(t, c.want, got, "%+v", c)
		if got != "" {
			to, ok := run.Table.To(c.state, run.Mistaken(got))
			assert.True(t, ok)
			assert.Equal(t, got, to)
		}
	}
}
