package spool_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/estimate"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/spool"
)

type mg = units.Milligrams

// store is a house's filament as it truly is, beside its books: what lies on each reel, and what each run has laid of it.
type store struct {
	t     *testing.T
	r     *rand.Rand
	books []spool.Entry
	sums  map[int64]mg
	holds map[spool.Hold]mg
	reel  map[int64]mg // that an empty reel weighs
	truly map[int64]mg // on it
	state map[int64]string
	runs  []*print
	next  int64
}

type print struct {
	id           int64
	takes, laid  mg // all of it; by now
	booked       mg // of what is laid
	spool        int64
	under, ended bool
}

func (s *store) add(all ...spool.Entry) {
	s.books = append(s.books, all...)
	for _, e := range all {
		s.sums[e.Spool] += e.Left
		if e.Held != 0 {
			s.holds[spool.Hold{Run: e.Run, Nozzle: e.Nozzle, Material: e.Material, Spool: e.Spool}] += e.Held
		}
	}
}

func (s *store) left(id int64) mg { return s.sums[id] }

func (s *store) held() (out []spool.Hold) {
	for h, n := range s.holds {
		if h.MG = n; n != 0 {
			out = append(out, h)
		}
	}
	return out
}

// settle holds for each run what it still takes.
func (s *store) settle() {
	var wanted []spool.Hold
	for _, r := range s.runs {
		if !r.ended {
			wanted = append(wanted, spool.Hold{Run: r.id, Nozzle: 1, Material: "PLA", Spool: r.spool, MG: r.takes - r.booked})
		}
	}
	s.add(spool.Settle(s.held(), wanted)...)
}

// book takes off a run's spool what it has laid since it was booked last.
func (s *store) book(r *print) {
	from := spool.Entry{Spool: r.spool, Run: r.id, Nozzle: 1, Material: "PLA", Kind: spool.Used}
	s.add(spool.Take(from, s.left(r.spool), r.laid-r.booked)...)
	r.booked = r.laid
}

func (s *store) pick(states ...string) int64 {
	var all []int64
	for id, st := range s.state {
		if slices.Contains(states, st) {
			all = append(all, id)
		}
	}
	if len(all) == 0 {
		return 0
	}
	slices.Sort(all)
	return all[s.r.IntN(len(all))]
}

func (s *store) move(id int64, event string) {
	to, ok := spool.Table.To(s.state[id], event)
	require.True(s.t, ok, "%s from %s", event, s.state[id])
	s.state[id] = to
}

func (s *store) one(want func(*print) bool) *print {
	var all []*print
	for _, r := range s.runs {
		if want(r) {
			all = append(all, r)
		}
	}
	if len(all) == 0 {
		return nil
	}
	return all[s.r.IntN(len(all))]
}

// happens lets one thing happen, drawn at random.
func (s *store) happens() {
	under := s.one(func(r *print) bool { return r.under })
	waits := s.one(func(r *print) bool { return !r.under && !r.ended })
	loaded := s.pick(spool.Loaded)
	switch s.r.IntN(16) {
	case 0: // a spool comes
		s.next++
		net := mg(s.r.IntN(300_000))
		s.reel[s.next], s.truly[s.next], s.state[s.next] = mg(s.r.IntN(300_000)), net, spool.Sealed
		s.add(spool.Entry{Spool: s.next, Material: "PLA", Kind: spool.Received, Left: net})
	case 1: // a job is approved
		s.next++
		s.runs = append(s.runs, &print{id: s.next, takes: mg(s.r.IntN(400_000))})
	case 2: // or taken back
		if waits != nil {
			waits.ended = true
		}
	case 3: // it is moved, and sliced anew for there
		if waits != nil {
			waits.takes = mg(s.r.IntN(400_000))
		}
	case 4, 12, 13: // loaded, for what is on the machine too
		if id := s.pick(spool.Sealed, spool.Open); id != 0 && loaded == 0 {
			s.move(id, spool.Loads)
			purge := min(s.truly[id], mg(s.r.IntN(3000)))
			s.add(spool.Take(spool.Entry{Spool: id, Material: "PLA", Kind: spool.Lost}, s.left(id), purge)...)
			s.truly[id] -= purge
			if under != nil {
				under.spool = id
			}
		}
	case 5: // a run begins
		if waits != nil && under == nil && loaded != 0 {
			waits.under, waits.spool = true, loaded
		}
	case 6, 7, 14, 15: // it lays, for as long as there is something
		if under != nil && under.spool != 0 {
			n := min(mg(s.r.IntN(100_000)), under.takes-under.laid, s.truly[under.spool])
			under.laid += n
			s.truly[under.spool] -= n
		}
	case 8: // it ends, at whatever layer
		if under != nil {
			s.book(under)
			under.under, under.ended = false, true
		}
	case 9: // it is unloaded, or has run out, in the middle of a run too
		if loaded == 0 {
			return
		}
		if under != nil && under.spool == loaded {
			s.book(under)
			under.spool = 0
		}
		if s.truly[loaded] == 0 {
			s.move(loaded, spool.RunsOut)
			s.add(spool.WriteOff(spool.Entry{Spool: loaded, Material: "PLA"}, s.left(loaded))...)
		} else {
			s.move(loaded, spool.Unloads)
		}
	case 10: // weighed, in the middle of a run too
		if id := s.pick(spool.Sealed, spool.Open, spool.Loaded, spool.Drying); id != 0 {
			var out mg
			if under != nil && under.spool == id {
				out = under.laid - under.booked
			}
			e, wrong := spool.Weigh(spool.Entry{Spool: id, Material: "PLA"}, s.left(id), out, s.truly[id]+s.reel[id], s.reel[id])
			require.Nil(s.t, wrong)
			s.add(e)
			require.Equal(s.t, s.truly[id], s.left(id)-out, "weighed, the books are as it is")
		}
	case 11:
		switch id := s.pick(spool.Sealed, spool.Open, spool.Loaded); {
		case id == 0:
		case s.r.IntN(3) == 0 && s.state[id] != spool.Loaded:
			s.move(id, spool.Retires)
			s.add(spool.WriteOff(spool.Entry{Spool: id, Material: "PLA"}, s.left(id))...)
			s.truly[id] = 0
		default: // the books go astray, as books do
			by := mg(s.r.IntN(400_000)) - 200_000
			e, wrong := spool.Correct(spool.Entry{Spool: id, Material: "PLA"}, s.left(id), by)
			require.Equal(s.t, s.left(id)+by < 0, wrong != nil)
			if wrong == nil {
				s.add(e)
			}
		}
	}
}

// Whatever happens in whatever order: no grams appear or vanish without an entry that says why, nothing has less than
// nothing at any line of the books, each run holds what it still takes until it has ended, and no more.
func TestBooksAddUp(t *testing.T) {
	sequences := 10_000
	if testing.Short() {
		sequences = 500
	}
	swapped, short := 0, 0
	for seed := range sequences {
		s := &store{t: t, r: rand.New(rand.NewPCG(uint64(seed), 20)), reel: map[int64]mg{}, truly: map[int64]mg{}, state: map[int64]string{}, sums: map[int64]mg{}, holds: map[spool.Hold]mg{}} //nolint:gosec // repeatable on purpose
		for range 80 {
			s.happens()
			s.settle()
		}
		require.Empty(t, spool.Settle(s.held(), s.held()), "what is held is held")
		left := map[int64]mg{}
		used, laid, booked, held := mg(0), mg(0), mg(0), mg(0)
		byRun := map[int64]map[int64]bool{}
		var kinds = map[string]mg{}
		for _, e := range s.books {
			require.Contains(t, spool.Kinds, e.Kind)
			left[e.Spool] += e.Left
			kinds[e.Kind] += e.Left
			held += e.Held
			require.GreaterOrEqual(t, left[e.Spool], mg(0), "seed %d: less than nothing on %d", seed, e.Spool)
			require.True(t, e.Left == 0 || e.Held == 0, "an entry is of one thing")
			if e.Kind == spool.Used {
				used -= e.Left
				if byRun[e.Run] == nil {
					byRun[e.Run] = map[int64]bool{}
				}
				byRun[e.Run][e.Spool] = true
			}
			if e.Kind == spool.Corrected && e.Why.Code != "" {
				short++
			}
		}
		wanted := mg(0)
		for _, r := range s.runs {
			laid, booked = laid+r.laid, booked+r.booked
			if len(byRun[r.id]) > 1 {
				swapped++
			}
			if r.ended {
				require.Equal(t, r.laid, r.booked, "seed %d: all that a run laid is in the books when it has ended", seed)
				continue
			}
			wanted += r.takes - r.booked
		}
		require.Equal(t, booked, used, "seed %d: used once each", seed)
		require.Equal(t, wanted, held, "seed %d: promised is what runs still take", seed)
		all := mg(0)
		for id, n := range left {
			all += n
			switch s.state[id] {
			case spool.Empty, spool.Retired:
				require.Zero(t, n, "seed %d: nothing is left on what is done with", seed)
			}
		}
		sum := mg(0)
		for _, n := range kinds {
			sum += n
		}
		require.Equal(t, sum, all, "every balance is the sum of its entries")
	}
	assert.Greater(t, swapped, sequences/100, "runs from several spools are among them")
	assert.Greater(t, short, sequences/100, "and spools with more on them than the books had")
}

// What a nozzle has laid by a layer: all of what is below it and of the layer itself, support apart; without a layer by time.
func TestWhatARunHasLaid(t *testing.T) {
	f := &estimate.Full{ByLayer: []estimate.LayerTime{{Grams: 4, Support: 1}, {Grams: 3, Support: 2}, {Grams: 3}}}
	one := estimate.NozzleUse{Nozzle: 1, Grams: 10, GramsSupport: 3, GramsModel: 7}
	for layer, want := range map[int]mg{-1: 5000, 0: 5000, 1: 4000, 2: 7000, 3: 10000, 9: 10000} {
		assert.Equal(t, want, spool.Reached(f, one, layer, 0.5), layer)
	}
	model := estimate.NozzleUse{Nozzle: 1, Grams: 7, GramsModel: 7}
	support := estimate.NozzleUse{Nozzle: 2, Grams: 3, GramsSupport: 3}
	for layer := range 4 {
		assert.InDelta(t, int64(spool.Reached(f, one, layer, 0)), int64(spool.Reached(f, model, layer, 0)+spool.Reached(f, support, layer, 0)), 1, "two nozzles lay together what one would, to the milligram")
	}
	assert.Equal(t, mg(3000), spool.Reached(f, support, 2, 0), "its support is over by then")
	assert.Equal(t, mg(2500), spool.Reached(&estimate.Full{}, one, 0, 0.25), "a program sliced elsewhere has no layers here")
	assert.Equal(t, mg(10000), spool.Reached(nil, one, 0, 2), "never more than all")
	bare := &estimate.Full{ByLayer: make([]estimate.LayerTime, 4)}
	assert.Equal(t, mg(5000), spool.Reached(bare, one, 2, 0), "layers of which no grams are known count alike")
}

// A reel that weighs more than the scale says, and a correction below nothing, are refused; what is used without a known spool
// is said as used, from none.
func TestWhatTheBooksDoNotTake(t *testing.T) {
	_, wrong := spool.Weigh(spool.Entry{Spool: 1}, 500_000, 0, 199_000, 200_000)
	require.NotNil(t, wrong)
	assert.Equal(t, "lighter than its reel", wrong.Code)
	e, wrong := spool.Weigh(spool.Entry{Spool: 1}, 500_000, 0, 200_000, 200_000)
	require.Nil(t, wrong)
	assert.Equal(t, mg(-500_000), e.Left, "an empty reel")
	_, wrong = spool.Correct(spool.Entry{Spool: 1}, 10, -11)
	require.NotNil(t, wrong)
	assert.Equal(t, "less than nothing on it", wrong.Code)
	e, wrong = spool.Correct(spool.Entry{Spool: 1}, 10, -10)
	require.Nil(t, wrong, "nothing is left")
	assert.Equal(t, mg(-10), e.Left)
	none := spool.Take(spool.Entry{Run: 3, Kind: spool.Used}, 0, 4000)
	require.Len(t, none, 1)
	assert.Equal(t, mg(-4000), none[0].Left)
	assert.Empty(t, spool.Take(spool.Entry{Spool: 1, Kind: spool.Used}, 10, 0))
	over := spool.Take(spool.Entry{Spool: 1, Kind: spool.Used}, 1000, 4000)
	require.Len(t, over, 2)
	assert.Equal(t, []string{spool.Corrected, spool.Used}, []string{over[0].Kind, over[1].Kind}, "said before, so that no line goes below nothing")
	assert.Equal(t, mg(3000), over[0].Left)
}

// A spool lasts for all runs in a row before it, on its own machine and nozzle; other material says nothing.
func TestWhatASpoolLastsFor(t *testing.T) {
	spools := []spool.Is{
		{ID: 1, Material: "PLA", State: spool.Loaded, Machine: 1, Nozzle: 1, Left: 100},
		{ID: 2, Material: "Soluble", State: spool.Loaded, Machine: 1, Nozzle: 2, Left: 10},
		{ID: 3, Material: "PLA", State: spool.Open, Left: 70}, {ID: 4, Material: "PLA", State: spool.Sealed, Left: 1000},
		{ID: 5, Material: "PLA", State: spool.Loaded, Machine: 2, Nozzle: 1, Left: 5000}, {ID: 6, Material: "PLA", State: spool.Empty, Left: 9},
	}
	needs := func(run int64, one, two mg) []spool.Need {
		return []spool.Need{{Run: run, Nozzle: 1, Material: "PLA", MG: one}, {Run: run, Nozzle: 2, Material: "Soluble", MG: two}}
	}
	short := spool.Lasts(spool.Lane{Machine: 1, Needs: [][]spool.Need{needs(1, 60, 10), needs(2, 40, 0), needs(3, 1, 0)}}, spools)
	require.Len(t, short, 1, "to the last gram it lasts")
	assert.Equal(t, spool.Short{Need: spool.Need{Run: 3, Nozzle: 1, Material: "PLA", MG: 1}, Spool: 1, Left: 0, Others: 1070}, short[0])
	short = spool.Lasts(spool.Lane{Machine: 1, Needs: [][]spool.Need{needs(1, 101, 11)}}, spools)
	require.Len(t, short, 2)
	assert.Equal(t, []int64{1, 2}, []int64{short[0].Spool, short[1].Spool})
	assert.Equal(t, mg(100), short[0].Left)
	assert.Empty(t, spool.Lasts(spool.Lane{Machine: 1, Needs: [][]spool.Need{{{Run: 1, Nozzle: 1, Material: "ABS", MG: 900}}}}, spools), "it is to be loaded first")
	assert.Empty(t, spool.Lasts(spool.Lane{Machine: 3, Needs: [][]spool.Need{needs(1, 60, 10)}}, spools), "nobody knows what is in it")
}

func TestMilligrams(t *testing.T) {
	assert.Equal(t, mg(1235), units.MilligramsOf(1.2348))
	assert.Equal(t, mg(2), units.MilligramsOf(0.0025), "half to even")
	for _, bad := range []float64{1e13, -1e13} {
		assert.Zero(t, units.MilligramsOf(bad))
	}
	assert.InDelta(t, 1.235, mg(1235).Grams(), 1e-12)
}
