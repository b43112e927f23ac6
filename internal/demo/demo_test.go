package demo_test

import (
	"bytes"
	"context"
	"io"
	"log/slog"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/print/recipe"
	"jobshelf/core/print/stored"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/finishing"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/people"
	"jobshelf/internal/desk/stores"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/standin"
	"jobshelf/internal/store"
	"jobshelf/internal/told"
	"jobshelf/internal/work"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// The demo house is set up whole, once, by its own rules: every recipe is of a machine and
// material of the house and suits them, and everybody can be found.
func TestTheDemoHouseIsWhole(t *testing.T) {
	ctx := context.Background()
	s := pgtest.New(t)
	for _, fresh := range []bool{true, false} {
		set, err := demo.SetUp(ctx, s)
		require.NoError(t, err)
		assert.Equal(t, fresh, set)
	}
	machines, err := s.Machines(ctx)
	require.NoError(t, err)
	require.Len(t, machines, len(demo.Machines()))
	materials, err := s.Materials(ctx)
	require.NoError(t, err)
	require.Len(t, materials, len(demo.Materials()))
	recipes, err := s.Recipes(ctx)
	require.NoError(t, err)
	require.Len(t, recipes, len(demo.Recipes()))
	names := map[string]int64{}
	for _, m := range machines {
		assert.Empty(t, m.Data.Validate(), m.Data.Name)
		names[m.Data.Name] = m.ID
	}
	for _, m := range materials {
		names["of "+m.Data.Name] = m.ID
	}
	for k, r := range recipes {
		assert.Equal(t, [2]int64{names[r.Data.Machine], names["of "+r.Data.Material]}, [2]int64{r.MachineID, r.MaterialID}, k)
	}
	for _, p := range demo.People() {
		got, err := s.PersonByLogin(ctx, p.Login)
		require.NoError(t, err)
		assert.Equal(t, store.Person{ID: got.ID, Login: p.Login, Name: p.Name, Role: p.Role, Hash: got.Hash}, got)
	}
}

// The demo's shelf, floor and every job on it are as they were, worked out by a real worker.
func TestTheDemoIsAsItWas(t *testing.T) {
	ctx := context.Background()
	s := pgtest.New(t)
	_, err := demo.SetUp(ctx, s)
	require.NoError(t, err)
	q, err := work.NewQueue(s)
	require.NoError(t, err)
	noon := time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)
	d := &desk.Desk{Store: s, Queue: q, Now: func() time.Time { return noon }}
	w, err := work.Start(ctx, s, d, work.Options{NoProposals: true, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	defer func() { assert.NoError(t, w.Stop(ctx)) }()
	require.NoError(t, demo.Jobs(ctx, d))
	var book told.Book
	found := map[string][]string{}
	for _, p := range []func() (any, error){
		func() (any, error) { return house.Read(ctx, d) },
		func() (any, error) { return people.People(ctx, d) },
		func() (any, error) { return floor.Floor(ctx, d) },
	} {
		v, err := p()
		require.NoError(t, err)
		book.Tell("", v)
	}
	cato := desk.Actor{ID: 2, Role: desk.Coordinator}
	shelf, err := decide.Shelf(ctx, d, cato)
	require.NoError(t, err)
	for _, slip := range shelf.Slips {
		v, err := decide.Job(ctx, d, cato, slip.ID)
		require.NoError(t, err)
		for _, f := range v.Findings {
			found[v.Title] = append(found[v.Title], f.Check)
		}
		book.Line("%s", v.Title)
		book.Tell("", v, "title", "member", "wish", "need", "purpose", "state", "machine", "late", "worst", "copies", "unit", "seconds", "price", "what", "check", "finish")
	}
	assert.Equal(t, meant, found)
	golden.Assert(t, book.String(), "demo.txt")
	takeAsLong(t, s)
}

// The demo's house is set up as it was: what its machines can be told to do, its rules, spools, parts that wear and steps of
// finishing; set up again, nothing is there twice.
func TestTheHouseIsSetUpAsItWas(t *testing.T) {
	ctx := context.Background()
	s := pgtest.New(t)
	noon := time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)
	d := &desk.Desk{Store: s, Queue: &desktest.Queue{}, Now: func() time.Time { return noon }}
	var book told.Book
	for _, p := range []recipe.Purpose{recipe.QuickLook, recipe.Everyday, recipe.WorkingPart} {
		book.Line("for %s", p)
		book.Tell("choices", demo.Choices(p))
	}
	for _, again := range []bool{false, true} {
		first, err := demo.SetUp(ctx, s)
		require.NoError(t, err)
		assert.Equal(t, !again, first)
		require.NoError(t, demo.AddRules(ctx, d))
		if !again {
			for _, f := range []func(context.Context, *desk.Desk) error{demo.Finishing, demo.Spools, demo.Parts} {
				require.NoError(t, f(ctx, d))
			}
		}
		for _, p := range []func() (any, error){
			func() (any, error) { return s.Rules(ctx) },
			func() (any, error) { return finishing.House(ctx, d) },
			func() (any, error) { return stores.Look(ctx, d) },
			func() (any, error) { return house.Read(ctx, d) },
		} {
			v, err := p()
			require.NoError(t, err)
			var own told.Book
			own.Tell("", v)
			if again {
				assert.Contains(t, book.String(), own.String())
				continue
			}
			book.Tell("", v)
		}
	}
	golden.Assert(t, book.String(), "setup.txt")
}

// takeAsLong holds the plates of the demo's jobs against stand-ins of their machines, which share nothing with the estimate:
// time with heat within 3 %, without within 1 %, filament within 1 %. Every fifth of them, or all with JOBSHELF_EVERY=1.
func takeAsLong(t *testing.T, s *store.Store) {
	t.Helper()
	ctx := context.Background()
	machines, err := s.Machines(ctx)
	require.NoError(t, err)
	lanes, err := s.Lanes(ctx)
	require.NoError(t, err)
	off, err := s.RunsOffLanes(ctx)
	require.NoError(t, err)
	every := 5
	if os.Getenv("JOBSHELF_EVERY") == "1" {
		every = 1
	}
	tried := 0
	for k, r := range append(lanes, off...) {
		if k%every != 0 || r.PlateID == nil || r.GCodeID == nil {
			continue
		}
		tried++
		plate, err := s.Plate(ctx, *r.PlateID)
		require.NoError(t, err)
		text, err := io.ReadAll(s.BlobReader(ctx, *r.GCodeID))
		require.NoError(t, err)
		lines, err := stored.Lines(text)
		require.NoError(t, err)
		m := &machines[slices.IndexFunc(machines, func(m store.Machine) bool { return m.ID == r.MachineID })].Data
		p := standin.New(m, standin.Options{})
		p.Begin(stored.Name(r.ID), []byte(strings.Join(lines, "\n")+"\n"), 0)
		whole := plate.Full.WholeSeconds()
		for ended := false; !ended; {
			p.Run(10)
			ended = bytes.Contains(p.Said(), []byte("Done printing file"))
			require.Less(t, p.ClockS, 2*whole+1000, "%s comes to an end", r.Title())
		}
		laid := p.ClockS - p.WaitedS
		t.Logf("%-32s %-9s %6.0f s of %6.0f (%+.2f %%), laying %+.2f %%, filament %+.2f %%", r.Title(), m.Name, p.ClockS, whole, 100*(p.ClockS/whole-1), 100*(laid/plate.Full.Seconds-1), 100*(p.UsedMM/plate.Full.FilamentMM-1))
		assert.InEpsilon(t, whole, p.ClockS, 0.03, r.Title())
		assert.InEpsilon(t, plate.Full.Seconds, laid, 0.01, r.Title())
		assert.InEpsilon(t, plate.Full.FilamentMM, p.UsedMM, 0.01, r.Title())
		assert.Zero(t, p.Asked(), "nothing is left on")
	}
	assert.Greater(t, tried, 3)
}

// meant is what is to be found on the demo's jobs, and nothing else.
var meant = map[string][]string{
	"Block cheek": {"unit"}, "Rowing boat hull": {"unit", "too thin"}, "Bushing": {"inside out"}, "Cleat from the net": {"open surface"},
	"Crossed band": {"crosses itself", "thin on support", "overhangs"}, "Rigging set": {"overlapping bodies", "overhangs"}, "Two fenders": {"overlapping bodies"},
	"Lantern foot, sliced at home": {"heating stays on", "layer height"},
	"Chart ruler":                  {"long and flat"}, "Net needle": {"long and flat", "sharp corners"}, "Net needles, class set": {"long and flat", "sharp corners"},
	"Mast finial": {"overhangs", "weak neck"}, "Finial, trial": {"overhangs", "weak neck"}, "Sheave for the gaff block": {"overhangs"}, "Small sheave": {"overhangs"},
}
