package desk_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/judge/rule"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shop/finish"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/spool"
	"jobshelf/core/shop/wear"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/finishing"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/people"
	"jobshelf/internal/desk/plates"
	at "jobshelf/internal/desk/runs"
	"jobshelf/internal/desk/stores"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
	"jobshelf/internal/told"
)

// noon is when the demo house of testdata/demo.sql.gz is looked at: some minutes after it was set up (scripts/dump makes
// it anew).
var noon = time.Date(2026, 11, 28, 9, 40, 0, 0, time.UTC)

// demoHouse opens copies of the demo house, with its jobs at every state; each a database of its own.
func demoHouse(t *testing.T) func(t *testing.T) *desk.Desk {
	t.Helper()
	s, err := store.Open(ctx, restored(t, "testdata/demo.sql.gz"))
	require.NoError(t, err)
	require.NoError(t, s.Migrate(ctx))
	name := s.Pool.Config().ConnConfig.Database
	s.Close()
	return func(t *testing.T) *desk.Desk {
		t.Helper()
		s, err := store.Open(ctx, pgtest.CopyURL(t, name))
		require.NoError(t, err)
		t.Cleanup(s.Close)
		return &desk.Desk{Store: s, Queue: &desktest.Queue{}, Now: func() time.Time { return noon }, Random: rand.NewChaCha8([32]byte{7})}
	}
}

func named(t *testing.T, d *desk.Desk, login string) desk.Actor {
	t.Helper()
	a, err := people.Named(ctx, d, login)
	require.NoError(t, err)
	return a
}

// All that anybody can look at in the demo house is as it was. Other tests say what is right; this one says that nothing
// moved.
func TestTheDemoHouseLooksAsItDid(t *testing.T) {
	d := demoHouse(t)(t)
	var b told.Book
	ask := func(what string, v any, err error) {
		b.Line("%s: %v", what, err)
		if err == nil {
			b.Tell(what, v)
		}
	}
	tess, cato, nia := named(t, d, "tess"), named(t, d, "cato"), named(t, d, "nia")
	for _, id := range []int64{1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 17, 19, 20, 21, 23, 24, 26, 99} {
		v, err := decide.Job(ctx, d, cato, id)
		ask(fmt.Sprintf("job %d", id), v, err)
	}
	for _, id := range []int64{1, 2, 14, 26} {
		v, err := decide.Job(ctx, d, nia, id)
		ask(fmt.Sprintf("job %d for its member", id), v, err)
	}
	for _, a := range []desk.Actor{cato, nia} {
		shelf, err := decide.Shelf(ctx, d, a)
		ask("shelf of "+a.Name, shelf, err)
		for _, search := range []string{"", "net", "zzz"} {
			ended, err := decide.Ended(ctx, d, a, search)
			ask("ended, "+search+" of "+a.Name, ended, err)
		}
		for _, id := range []int64{1, 14, 20} {
			v, err := plates.Slices(ctx, d, a, id)
			ask(fmt.Sprintf("slices of %d, for %s", id, a.Name), v, err)
			e, err := intake.Evidence(ctx, d, a, id, 0)
			ask(fmt.Sprintf("evidence of %d, for %s", id, a.Name), e, err)
		}
		for _, id := range []int64{3, 1} {
			v, err := finishing.AccountOf(ctx, d, a, id)
			ask(fmt.Sprintf("account %d for %s", id, a.Name), v, err)
		}
		v, err := intake.Storage(ctx, d, a)
		ask("storage", v, err)
	}
	ask2 := func(what string, f func() (any, error)) { v, err := f(); ask(what, v, err) }
	ask2("routine", func() (any, error) { return decide.Routine(ctx, d) })
	ask2("floor", func() (any, error) { return floor.Floor(ctx, d) })
	ask2("machines", func() (any, error) { return at.All(ctx, d) })
	ask2("stores", func() (any, error) { return stores.Look(ctx, d) })
	ask2("finishing", func() (any, error) { return finishing.All(ctx, d) })
	ask2("how it is finished", func() (any, error) { return finishing.House(ctx, d) })
	ask2("accounts", func() (any, error) { return finishing.Accounts(ctx, d) })
	ask2("letters", func() (any, error) { return house.Letters(ctx, d) })
	ask2("rules", func() (any, error) { return house.Rules(ctx, d) })
	ask2("workers", func() (any, error) { return house.Workers(ctx, d) })
	ask2("people", func() (any, error) { return people.People(ctx, d) })
	ask2("the house", func() (any, error) { return house.Read(ctx, d) })
	for id := range int64(5) {
		ask2(fmt.Sprintf("machine %d", id), func() (any, error) { return at.Machine(ctx, d, id) })
		ask2(fmt.Sprintf("bed %d", id), func() (any, error) { return floor.Bed(ctx, d, id) })
		ask2(fmt.Sprintf("spool %d", id), func() (any, error) { return stores.Lines(ctx, d, id) })
		ask2(fmt.Sprintf("rule %d", id), func() (any, error) { return house.RuleVersions(ctx, d, id) })
	}
	for id := int64(5); id < 18; id++ {
		ask2(fmt.Sprintf("beside run %d", id), func() (any, error) { return floor.BesideRun(ctx, d, id) })
		ask2(fmt.Sprintf("points of run %d", id), func() (any, error) { return at.Points(ctx, d, id) })
	}
	for id := int64(24); id < 28; id++ {
		ask2(fmt.Sprintf("label %d", id), func() (any, error) { return finishing.LabelOf(ctx, d, id) })
	}
	rules, err := d.Store.Rules(ctx)
	require.NoError(t, err)
	for k := range rules {
		ask2("tried: "+rules[k].Data.Name, func() (any, error) { return house.TryRule(ctx, d, rules[k].Data) })
	}
	_ = tess
	golden.Assert(t, b.String(), "demo.txt")
}

// rowsOf are all rows of a house by table and number, as JSON; what only machines read is left out.
func rowsOf(t *testing.T, d *desk.Desk) map[string]string {
	t.Helper()
	out := map[string]string{}
	for _, table := range strings.Fields(`answer bed blob charge decision device event gram house job letter machine material person pickup piece plate question recipe revision rule run sessions share slice spool step task wear_part`) {
		rows, err := d.Store.Pool.Query(ctx, `SELECT (to_jsonb(t) - 'password_hash')::text FROM `+table+` t`)
		require.NoError(t, err)
		for rows.Next() {
			var text string
			require.NoError(t, rows.Scan(&text))
			key := table + " " + text
			var id struct {
				ID any `json:"id"`
			}
			if json.Unmarshal([]byte(text), &id) == nil && id.ID != nil {
				key = fmt.Sprintf("%s %v", table, id.ID)
			}
			out[key] = text
		}
		require.NoError(t, rows.Err())
	}
	return out
}

// deed is something that somebody does.
type deed struct {
	what string
	do   func(d *desk.Desk, who func(string) desk.Actor) error
}

// What is done in the demo house is answered as it was and changes what it did, row by row: scripts of deeds, each in a
// house of its own, sensible ones and such as are refused.
func TestDeedsInTheDemoHouseDoWhatTheyDid(t *testing.T) {
	open := demoHouse(t)
	texts := make([]string, len(scripts))
	t.Run("scripts", func(t *testing.T) {
		for i := range scripts {
			t.Run(scripts[i].name, func(t *testing.T) {
				t.Parallel()
				d := open(t)
				var b told.Book
				b.Line("# %s", scripts[i].name)
				was := rowsOf(t, d)
				for _, x := range scripts[i].deeds {
					err := x.do(d, func(login string) desk.Actor { return named(t, d, login) })
					b.Line("%s: %v", x.what, err)
					is := rowsOf(t, d)
					for _, key := range slices.Sorted(maps.Keys(is)) {
						if is[key] == was[key] {
							continue
						}
						if was[key] != "" {
							b.Know(key, json.RawMessage(was[key]))
						}
						name, _, _ := strings.Cut(key, "{")
						b.Line("  %s", name)
						b.Tell(key, json.RawMessage(is[key]))
					}
					for _, key := range slices.Sorted(maps.Keys(was)) {
						if is[key] == "" {
							b.Line("  gone: %.120s", key)
						}
					}
					was = is
				}
				texts[i] = b.String()
			})
		}
	})
	golden.Assert(t, strings.Join(texts, ""), "deeds.txt")
}

type person = func(string) desk.Actor

var scripts = []struct {
	name  string
	deeds []deed
}{
	{"a yes, taken back, on conditions", []deed{
		{"yes by a member", func(d *desk.Desk, who person) error { return decide.Approve(ctx, d, who("nia"), 1, 0, decide.Yes{}) }},
		{"yes, stale", func(d *desk.Desk, who person) error { return decide.Approve(ctx, d, who("cato"), 2, 1, decide.Yes{}) }},
		{"yes as proposed", func(d *desk.Desk, who person) error { return decide.Approve(ctx, d, who("cato"), 2, 0, decide.Yes{}) }},
		{"yes again", func(d *desk.Desk, who person) error { return decide.Approve(ctx, d, who("cato"), 2, 0, decide.Yes{}) }},
		{"taken back", func(d *desk.Desk, who person) error { return decide.TakeBack(ctx, d, who("cato"), 2, 0) }},
		{"on conditions", func(d *desk.Desk, who person) error {
			return decide.Approve(ctx, d, who("cato"), 2, 0, decide.Yes{MachineID: 4, MorePercent: 20, Conditions: []recipe.Override{{Key: "shells", Value: "4", Why: "It is stood on."}}})
		}},
		{"on a machine that is none", func(d *desk.Desk, who person) error {
			return decide.Approve(ctx, d, who("cato"), 10, 0, decide.Yes{MachineID: 9})
		}},
		{"withdrawn", func(d *desk.Desk, who person) error {
			return decide.Withdraw(ctx, d, who("oskar"), 2, 0, "Not needed.")
		}},
	}},
	{"answers and questions", []deed{
		{"yes before it is answered", func(d *desk.Desk, who person) error { return decide.Approve(ctx, d, who("cato"), 8, 0, decide.Yes{}) }},
		{"what stops it", func(d *desk.Desk, who person) error { return decide.Approve(ctx, d, who("cato"), 5, 0, decide.Yes{}) }},
		{"answered", func(d *desk.Desk, who person) error {
			return answerAll(d, who("cato"), 8, "It is as drawn.")
		}},
		{"answered without a reason", func(d *desk.Desk, who person) error { return answerAll(d, who("cato"), 9, " ") }},
		{"by who may not", func(d *desk.Desk, who person) error { return answerAll(d, who("nia"), 9, "No.") }},
		{"yes now", func(d *desk.Desk, who person) error { return decide.Approve(ctx, d, who("cato"), 8, 0, decide.Yes{}) }},
		{"asked", func(d *desk.Desk, who person) error { return decide.Ask(ctx, d, who("cato"), 10, 0, "Which colour?") }},
		{"asked nothing", func(d *desk.Desk, who person) error { return decide.Ask(ctx, d, who("cato"), 10, 0, "") }},
		{"answered by its member", func(d *desk.Desk, who person) error { return decide.Reply(ctx, d, who("sanne"), 10, 0, "Blue.") }},
		{"answered nothing", func(d *desk.Desk, who person) error { return decide.Reply(ctx, d, who("sanne"), 10, 0, " ") }},
		{"answered by somebody else", func(d *desk.Desk, who person) error { return decide.Reply(ctx, d, who("nia"), 10, 0, "Red.") }},
		{"what it is for", func(d *desk.Desk, who person) error {
			j, err := decide.Job(ctx, d, who("cato"), 10)
			if err != nil {
				return err
			}
			j.Use.Outdoors = true
			return intake.SayUse(ctx, d, who("cato"), 10, 0, j.Use)
		}},
	}},
	{"routine jobs together", []deed{
		{"two of them", func(d *desk.Desk, who person) error { return routine(d, who("cato"), 2, 0) }},
		{"one of them twice", func(d *desk.Desk, who person) error { return routine(d, who("cato"), -1, 0) }},
		{"dearer than it was shown", func(d *desk.Desk, who person) error { return routine(d, who("cato"), 1, -1) }},
	}},
	{"no", []deed{
		{"without a reason", func(d *desk.Desk, who person) error { return decide.SendBack(ctx, d, who("cato"), 5, 0, "") }},
		{"sent back", func(d *desk.Desk, who person) error { return decide.SendBack(ctx, d, who("cato"), 5, 0, "Close it.") }},
		{"sent back again", func(d *desk.Desk, who person) error { return decide.SendBack(ctx, d, who("cato"), 5, 0, "Close it.") }},
		{"an approved one", func(d *desk.Desk, who person) error { return decide.SendBack(ctx, d, who("cato"), 14, 0, "No.") }},
		{"withdrawn, printing", func(d *desk.Desk, who person) error { return decide.Withdraw(ctx, d, who("oskar"), 13, 0, "") }},
		{"withdrawn, approved, by another", func(d *desk.Desk, who person) error { return decide.Withdraw(ctx, d, who("oskar"), 14, 0, "") }},
		{"withdrawn, approved", func(d *desk.Desk, who person) error { return decide.Withdraw(ctx, d, who("nia"), 14, 0, "") }},
	}},
	{"pieces", []deed{
		{"copies", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 7, intake.PieceChange{Copies: new(5)})
		}},
		{"by its member", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("abel"), 7, intake.PieceChange{Copies: new(2)})
		}},
		{"by another member", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("nia"), 7, intake.PieceChange{Copies: new(2)})
		}},
		{"unit", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 3, intake.PieceChange{Unit: new("in")})
		}},
		{"a version that is none", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 3, intake.PieceChange{Current: new(7)})
		}},
		{"scaled, with a reason", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 7, intake.PieceChange{Stand: new(orient.Sized(0.9)), Why: "It is a sample."})
		}},
		{"scaled to nothing", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 7, intake.PieceChange{Stand: new(orient.Sized(1e-9)), Why: "?"})
		}},
		{"pulled", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 7, intake.PieceChange{Load: &[3]float64{0, 0, 1}})
		}},
		{"not pulled", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 7, intake.PieceChange{NoLoad: true})
		}},
		{"a nozzle", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 7, intake.PieceChange{Nozzle: new(2)})
		}},
		{"as it was", func(d *desk.Desk, who person) error { return intake.UndoPiece(ctx, d, who("cato"), 7, 0) }},
		{"and again", func(d *desk.Desk, who person) error { return intake.RedoPiece(ctx, d, who("cato"), 7, 0) }},
		{"nothing to do again", func(d *desk.Desk, who person) error { return intake.RedoPiece(ctx, d, who("cato"), 7, 0) }},
		{"turned", func(d *desk.Desk, who person) error {
			return intake.TurnPieces(ctx, d, who("cato"), 7, 0, []intake.PieceTurn{{PieceID: 7, Turn: orient.Quat{1, 1, 0, 0}}})
		}},
		{"turned, of another job", func(d *desk.Desk, who person) error {
			return intake.TurnPieces(ctx, d, who("cato"), 7, 0, []intake.PieceTurn{{PieceID: 8, Turn: orient.Quat{1, 1, 0, 0}}})
		}},
		{"left out", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 28, intake.PieceChange{LeftOut: new(true)})
		}},
		{"the last one left out", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 7, intake.PieceChange{LeftOut: new(true)})
		}},
		{"put back", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 28, intake.PieceChange{LeftOut: new(false)})
		}},
		{"of an approved job", func(d *desk.Desk, who person) error {
			return intake.ChangePiece(ctx, d, who("cato"), 14, intake.PieceChange{Copies: new(9)})
		}},
	}},
	{"repairs and checks", []deed{
		{"one step", func(d *desk.Desk, who person) error {
			return intake.Repair(ctx, d, who("cato"), 5, 0, []string{"weld"})
		}},
		{"a step that is none", func(d *desk.Desk, who person) error {
			return intake.Repair(ctx, d, who("cato"), 6, 0, []string{"pray"})
		}},
		{"all", func(d *desk.Desk, who person) error { return intake.RepairAll(ctx, d, who("cato"), 6, 0) }},
		{"nothing to mend", func(d *desk.Desk, who person) error { return intake.RepairAll(ctx, d, who("cato"), 10, 0) }},
		{"cancelled", func(d *desk.Desk, who person) error { return intake.CancelCheck(ctx, d, who("cato"), 6) }},
		{"tried again", func(d *desk.Desk, who person) error { return intake.Retry(ctx, d, who("cato"), 6) }},
		{"begun", func(d *desk.Desk, who person) error { return begun(d, 6) }},
		{"set aside", func(d *desk.Desk, who person) error { return setAside(d, 6) }},
		{"renewed", func(d *desk.Desk, who person) error { return intake.Renew(ctx, d) }},
	}},
	{"slices", []deed{
		{"asked for", func(d *desk.Desk, who person) error {
			_, err := plates.OrderSlice(ctx, d, who("cato"), 10, plates.SliceOrder{MachineID: 1, Overrides: []recipe.Override{{Key: "infill_percent", Value: "40", Why: "stiff"}}})
			return err
		}},
		{"without a reason", func(d *desk.Desk, who person) error {
			_, err := plates.OrderSlice(ctx, d, who("cato"), 10, plates.SliceOrder{MachineID: 1, Overrides: []recipe.Override{{Key: "infill_percent", Value: "40"}}})
			return err
		}},
		{"for a machine without a recipe", func(d *desk.Desk, who person) error {
			_, err := plates.OrderSlice(ctx, d, who("cato"), 10, plates.SliceOrder{MachineID: 99})
			return err
		}},
		{"begun", func(d *desk.Desk, who person) error { _, err := plates.BeginSlice(ctx, d, 46); return err }},
		{"cancelled", func(d *desk.Desk, who person) error { return plates.CancelSlice(ctx, d, who("cato"), 46) }},
		{"again", func(d *desk.Desk, who person) error { return plates.AgainSlice(ctx, d, who("cato"), 46) }},
		{"again, one that is done", func(d *desk.Desk, who person) error { return plates.AgainSlice(ctx, d, who("cato"), 35) }},
		{"again, one that failed", func(d *desk.Desk, who person) error { return plates.AgainSlice(ctx, d, who("cato"), 28) }},
		{"named", func(d *desk.Desk, who person) error { return plates.NameSlice(ctx, d, who("cato"), 35, " Stiffer ") }},
		{"chosen", func(d *desk.Desk, who person) error { return decide.ChooseSlice(ctx, d, who("cato"), 35) }},
		{"removed, chosen", func(d *desk.Desk, who person) error { return plates.RemoveSlice(ctx, d, who("cato"), 35) }},
		{"removed", func(d *desk.Desk, who person) error { return plates.RemoveSlice(ctx, d, who("cato"), 1) }},
		{"removed, run", func(d *desk.Desk, who person) error { return plates.RemoveSlice(ctx, d, who("cato"), 29) }},
		{"what it would save", func(d *desk.Desk, who person) error { _, err := plates.Savings(ctx, d, who("cato"), 27); return err }},
		{"by a member of another", func(d *desk.Desk, who person) error { return plates.ChooseSlice(ctx, d, who("nia"), 27) }},
		{"one that failed", func(d *desk.Desk, who person) error { return decide.ChooseSlice(ctx, d, who("cato"), 28) }},
		{"yes to what is chosen", func(d *desk.Desk, who person) error { return decide.Approve(ctx, d, who("cato"), 10, 0, decide.Yes{}) }},
	}},
	{"lanes", []deed{
		{"later", func(d *desk.Desk, who person) error { return floor.MoveRun(ctx, d, who("cato"), 10, 2) }},
		{"first", func(d *desk.Desk, who person) error { return floor.MoveRun(ctx, d, who("cato"), 12, 0) }},
		{"one that prints", func(d *desk.Desk, who person) error { return floor.MoveRun(ctx, d, who("cato"), 5, 1) }},
		{"elsewhere, dearer", func(d *desk.Desk, who person) error { return decide.Move(ctx, d, who("cato"), 12, 2, 0, true) }},
		{"elsewhere", func(d *desk.Desk, who person) error { return decide.Move(ctx, d, who("cato"), 14, 1, 0, false) }},
		{"nowhere", func(d *desk.Desk, who person) error { return decide.Move(ctx, d, who("cato"), 14, 77, 0, false) }},
		{"together", func(d *desk.Desk, who person) error { return plates.PutTogether(ctx, d, who("cato"), 10, 11) }},
		{"together with itself", func(d *desk.Desk, who person) error { return plates.PutTogether(ctx, d, who("cato"), 11, 11) }},
		{"of other machines", func(d *desk.Desk, who person) error { return plates.PutTogether(ctx, d, who("cato"), 10, 13) }},
		{"taken back meanwhile", func(d *desk.Desk, who person) error { return decide.TakeBack(ctx, d, who("cato"), 15, 0) }},
		{"a bed turned", func(d *desk.Desk, who person) error { return floor.TurnBed(ctx, d, who("cato"), 2, 1, 2) }},
		{"a bed turned as it cannot be", func(d *desk.Desk, who person) error { return floor.TurnBed(ctx, d, who("cato"), 3, 1, 1) }},
		{"a bed renewed", func(d *desk.Desk, who person) error { return floor.RenewBed(ctx, d, who("cato"), 1, 1) }},
	}},
	{"from a run's end to the next run's", []deed{
		{"off the machine, while it prints", func(d *desk.Desk, who person) error { return at.TakeOff(ctx, d, who("cato"), 6, nil, "") }},
		{"told by hand, with a line", func(d *desk.Desk, who person) error { return at.Tell(ctx, d, who("cato"), 6, run.Ends) }},
		{"it cools", func(d *desk.Desk, _ person) error { return set(d, `UPDATE run SET state = 'cooling' WHERE id = 6`) }},
		{"off the machine now", func(d *desk.Desk, who person) error { return at.TakeOff(ctx, d, who("cato"), 6, nil, "") }},
		{"on it again", func(d *desk.Desk, who person) error { return at.PutBack(ctx, d, who("cato"), 6) }},
		{"off, one bad, without a reason", func(d *desk.Desk, who person) error { return at.TakeOff(ctx, d, who("cato"), 6, []int{0}, "") }},
		{"off, one bad", func(d *desk.Desk, who person) error {
			return at.TakeOff(ctx, d, who("cato"), 6, []int{0}, "It warped.")
		}},
		{"off, one bad, another one than there is", func(d *desk.Desk, who person) error {
			return at.TakeOff(ctx, d, who("cato"), 6, []int{7}, "It warped.")
		}},
		{"the next one before it is cleared", func(d *desk.Desk, who person) error { return at.Start(ctx, d, who("cato"), 13) }},
		{"cleared", func(d *desk.Desk, who person) error { return at.Clear(ctx, d, who("cato"), 2) }},
		{"the next checked, half", func(d *desk.Desk, who person) error { return at.Check(ctx, d, who("cato"), 17, []string{"bed"}) }},
		{"the next checked", func(d *desk.Desk, who person) error { return checkAll(d, who("cato"), 17) }},
		{"checked no more", func(d *desk.Desk, who person) error { return at.Uncheck(ctx, d, who("cato"), 17) }},
		{"checked again", func(d *desk.Desk, who person) error { return checkAll(d, who("cato"), 17) }},
		{"started", func(d *desk.Desk, who person) error { return at.Start(ctx, d, who("cato"), 17) }},
		{"its first layers", func(d *desk.Desk, _ person) error {
			return set(d, `UPDATE run SET state = 'first layers' WHERE id = 17`)
		}},
		{"seen", func(d *desk.Desk, who person) error { return at.See(ctx, d, who("cato"), 17) }},
		{"seen twice", func(d *desk.Desk, who person) error { return at.See(ctx, d, who("cato"), 17) }},
		{"paused", func(d *desk.Desk, who person) error { return at.Want(ctx, d, who("cato"), 17, run.WantsPause, "") }},
		{"it pauses", func(d *desk.Desk, _ person) error { return set(d, `UPDATE run SET state = 'paused' WHERE id = 17`) }},
		{"goes on", func(d *desk.Desk, who person) error { return at.Want(ctx, d, who("cato"), 17, run.WantsGoOn, "") }},
		{"it is lost", func(d *desk.Desk, _ person) error { return set(d, `UPDATE run SET state = 'lost' WHERE id = 17`) }},
		{"failed, without a reason", func(d *desk.Desk, who person) error { return at.Fail(ctx, d, who("cato"), 17, "") }},
		{"failed", func(d *desk.Desk, who person) error { return at.Fail(ctx, d, who("cato"), 17, "It came off.") }},
		{"not failed after all", func(d *desk.Desk, who person) error { return at.Unsay(ctx, d, who("cato"), 17) }},
		{"started, one that waits behind others", func(d *desk.Desk, who person) error { return at.Start(ctx, d, who("cato"), 12) }},
	}},
	{"a run by hand alone", []deed{
		{"without lines", func(d *desk.Desk, _ person) error {
			return set(d, `DELETE FROM device`, `UPDATE machine SET data = data - 'line'`)
		}},
		{"it ends", func(d *desk.Desk, who person) error { return at.Tell(ctx, d, who("cato"), 7, run.Ends) }},
		{"it begins, which it has", func(d *desk.Desk, who person) error { return at.Tell(ctx, d, who("cato"), 8, run.Lays) }},
		{"it pauses", func(d *desk.Desk, who person) error { return at.Tell(ctx, d, who("cato"), 8, run.Pauses) }},
		{"it goes on", func(d *desk.Desk, who person) error { return at.Tell(ctx, d, who("cato"), 8, run.GoesOn) }},
		{"off the machine", func(d *desk.Desk, who person) error { return at.TakeOff(ctx, d, who("cato"), 7, nil, "") }},
		{"another spool while the bed is full", func(d *desk.Desk, who person) error {
			return at.Load(ctx, d, who("cato"), 3, at.Filament{Nozzle: 1, SpoolID: 5})
		}},
		{"cleared", func(d *desk.Desk, who person) error { return at.Clear(ctx, d, who("cato"), 3) }},
		{"other filament", func(d *desk.Desk, who person) error {
			return at.Load(ctx, d, who("cato"), 3, at.Filament{Nozzle: 1, Material: "PLA", Colour: "#112233", ColourName: "night"})
		}},
		{"a spool", func(d *desk.Desk, who person) error {
			return at.Load(ctx, d, who("cato"), 3, at.Filament{Nozzle: 1, SpoolID: 5})
		}},
		{"warmed", func(d *desk.Desk, who person) error { return at.Warm(ctx, d, who("cato"), 3, at.ForNext) }},
		{"checked", func(d *desk.Desk, who person) error { return checkAll(d, who("cato"), 14) }},
		{"started", func(d *desk.Desk, who person) error { return at.Start(ctx, d, who("cato"), 14) }},
		{"failed", func(d *desk.Desk, who person) error { return at.Fail(ctx, d, who("cato"), 14, "It came off.") }},
		{"the failed one off", func(d *desk.Desk, who person) error { return at.TakeOff(ctx, d, who("cato"), 14, nil, "") }},
		{"cleared again", func(d *desk.Desk, who person) error { return at.Clear(ctx, d, who("cato"), 3) }},
	}},
	{"plates put together and parted", []deed{
		{"what is loaded alike", func(d *desk.Desk, _ person) error {
			return set(d, `UPDATE slice SET made = (SELECT made FROM slice WHERE id = 40) WHERE id IN (41, 42)`)
		}},
		{"together", func(d *desk.Desk, who person) error { return plates.PutTogether(ctx, d, who("cato"), 10, 12) }},
		{"one more, meanwhile", func(d *desk.Desk, who person) error { return plates.PutTogether(ctx, d, who("cato"), 10, 11) }},
		{"put elsewhere meanwhile", func(d *desk.Desk, who person) error { return decide.Move(ctx, d, who("cato"), 12, 2, 0, true) }},
		{"taken out", func(d *desk.Desk, who person) error { return plates.TakeOut(ctx, d, who("cato"), 9, 21) }},
		{"taken out, which is not in it", func(d *desk.Desk, who person) error { return plates.TakeOut(ctx, d, who("cato"), 10, 21) }},
	}},
	{"at the machine", []deed{
		{"none prints", func(d *desk.Desk, _ person) error {
			return set(d, `UPDATE run SET state = 'off the machine' WHERE id IN (6, 8)`)
		}},
		{"other filament", func(d *desk.Desk, who person) error {
			return at.Load(ctx, d, who("cato"), 2, at.Filament{Nozzle: 1, Material: "PLA", Colour: "#112233", ColourName: "night"})
		}},
		{"a nozzle that it has not", func(d *desk.Desk, who person) error {
			return at.Load(ctx, d, who("cato"), 2, at.Filament{Nozzle: 5, Material: "PLA", Colour: "#112233"})
		}},
		{"a material that nobody has", func(d *desk.Desk, who person) error {
			return at.Load(ctx, d, who("cato"), 2, at.Filament{Nozzle: 1, Material: "Cheese", Colour: "#112233"})
		}},
		{"a spool", func(d *desk.Desk, who person) error {
			return at.Load(ctx, d, who("cato"), 4, at.Filament{Nozzle: 1, SpoolID: 1})
		}},
		{"a spool that is none", func(d *desk.Desk, who person) error {
			return at.Load(ctx, d, who("cato"), 4, at.Filament{Nozzle: 1, SpoolID: 77})
		}},
		{"warmed", func(d *desk.Desk, who person) error { return at.Warm(ctx, d, who("cato"), 1, at.ForNext) }},
		{"warmed for nothing that is", func(d *desk.Desk, who person) error { return at.Warm(ctx, d, who("cato"), 1, "tea") }},
		{"cold", func(d *desk.Desk, who person) error { return at.Warm(ctx, d, who("cato"), 1, at.HeatOff) }},
		{"stopped without a reason", func(d *desk.Desk, who person) error {
			return at.Want(ctx, d, who("cato"), 5, run.WantsStop, "")
		}},
		{"stopped", func(d *desk.Desk, who person) error {
			return at.Want(ctx, d, who("cato"), 5, run.WantsStop, "It came off.")
		}},
		{"cleared while it prints", func(d *desk.Desk, who person) error { return at.Clear(ctx, d, who("cato"), 4) }},
	}},
	{"the stores", []deed{
		{"received", func(d *desk.Desk, who person) error {
			_, err := stores.Receive(ctx, d, who("cato"), stores.Delivery{MaterialID: 1, Colour: "#ffeedd", ColourName: "sand", Lot: "L7", Place: "rack", Grams: 750, ReelGrams: 190, Spools: 2})
			return err
		}},
		{"of a material that is none", func(d *desk.Desk, who person) error {
			_, err := stores.Receive(ctx, d, who("cato"), stores.Delivery{MaterialID: 99, Grams: 750, Spools: 2})
			return err
		}},
		{"opened", func(d *desk.Desk, who person) error { return turnSpool(d, who("cato"), spool.Opens) }},
		{"dried", func(d *desk.Desk, who person) error { return turnSpool(d, who("cato"), spool.Dries) }},
		{"dry", func(d *desk.Desk, who person) error { return turnSpool(d, who("cato"), spool.Dried) }},
		{"weighed", func(d *desk.Desk, who person) error { return stores.Weigh(ctx, d, who("cato"), 2, 0, 600, 200) }},
		{"weighed lighter than its reel", func(d *desk.Desk, who person) error { return stores.Weigh(ctx, d, who("cato"), 2, 0, 100, 200) }},
		{"weighed, stale", func(d *desk.Desk, who person) error { return stores.Weigh(ctx, d, who("cato"), 2, 99, 500, 200) }},
		{"corrected", func(d *desk.Desk, who person) error {
			return stores.Correct(ctx, d, who("cato"), 2, 0, -12.5, "A tangle.")
		}},
		{"corrected without a reason", func(d *desk.Desk, who person) error { return stores.Correct(ctx, d, who("cato"), 2, 0, -12.5, "") }},
		{"put elsewhere", func(d *desk.Desk, who person) error { return stores.Put(ctx, d, who("cato"), 2, 0, "dry box") }},
		{"runs out", func(d *desk.Desk, who person) error { return turnSpool(d, who("cato"), spool.RunsOut) }},
		{"something is on it", func(d *desk.Desk, who person) error { return turnSpool(d, who("cato"), spool.Found) }},
		{"retired", func(d *desk.Desk, who person) error { return turnSpool(d, who("cato"), spool.Retires) }},
		{"a part more", func(d *desk.Desk, who person) error {
			_, err := stores.AddPart(ctx, d, who("cato"), stores.NewPart{Part: wear.Part{Name: "Nozzle", Nozzle: 1, LimitHours: 500}, MachineID: 1, Hours: 20})
			return err
		}},
		{"renewed", func(d *desk.Desk, who person) error { return stores.RenewPart(ctx, d, who("cato"), 1, 1) }},
		{"changed", func(d *desk.Desk, who person) error {
			return stores.SetPart(ctx, d, who("cato"), 2, 1, wear.Part{Name: "Belt", LimitGrams: 9000})
		}},
		{"removed", func(d *desk.Desk, who person) error { return stores.RemovePart(ctx, d, who("cato"), 3, 1) }},
	}},
	{"finishing and fetching", []deed{
		{"begins", func(d *desk.Desk, who person) error { return step(d, who("cato"), finish.Begins, "") }},
		{"ends", func(d *desk.Desk, who person) error { return step(d, who("cato"), finish.Ends, "bin 3") }},
		{"was not done", func(d *desk.Desk, who person) error { return step(d, who("cato"), finish.NotDone, "") }},
		{"a step that is none", func(d *desk.Desk, who person) error {
			return finishing.Tell(ctx, d, who("cato"), []int64{999}, finish.Ends, "")
		}},
		{"all of them", func(d *desk.Desk, who person) error {
			for range 6 {
				if err := step(d, who("cato"), finish.Ends, "bin 4"); err != nil {
					return err
				}
			}
			return nil
		}},
		{"another place", func(d *desk.Desk, who person) error { return finishing.Place(ctx, d, who("cato"), 26, "bin 9") }},
		{"fetched by no code", func(d *desk.Desk, who person) error {
			_, err := finishing.FetchBy(ctx, d, who("cato"), "NOPE")
			return err
		}},
		{"fetched by its code", func(d *desk.Desk, who person) error {
			l, err := finishing.LabelOf(ctx, d, 26)
			if err != nil {
				return err
			}
			_, err = finishing.FetchBy(ctx, d, who("cato"), l.Code)
			return err
		}},
		{"fetched by hand", func(d *desk.Desk, who person) error { return decide.Advance(ctx, d, who("cato"), 27, 0, "") }},
		{"fetched again", func(d *desk.Desk, who person) error { return decide.Advance(ctx, d, who("cato"), 27, 0, "") }},
		{"ready", func(d *desk.Desk, who person) error { return decide.Advance(ctx, d, who("cato"), 25, 0, "bin 1") }},
		{"paid", func(d *desk.Desk, who person) error { return finishing.Pay(ctx, d, who("cato"), 3, 150) }},
		{"paid nothing", func(d *desk.Desk, who person) error { return finishing.Pay(ctx, d, who("cato"), 3, 0) }},
		{"corrected", func(d *desk.Desk, who person) error {
			return finishing.Correct(ctx, d, who("tess"), 3, 0, -50, "It was late.")
		}},
		{"corrected without a reason", func(d *desk.Desk, who person) error { return finishing.Correct(ctx, d, who("tess"), 3, 0, -50, "") }},
		{"who waits is told", func(d *desk.Desk, who person) error {
			d.Now = func() time.Time { return noon.AddDate(0, 0, 30) }
			return finishing.Waits(ctx, d)
		}},
		{"and told once more", func(d *desk.Desk, who person) error {
			d.Now = func() time.Time { return noon.AddDate(0, 0, 60) }
			return finishing.Waits(ctx, d)
		}},
		{"how it is finished", func(d *desk.Desk, who person) error {
			h, err := finishing.House(ctx, d)
			if err != nil {
				return err
			}
			h.FetchDays, h.Rules = 4, h.Rules[:1]
			return finishing.SetHouse(ctx, d, who("tess"), h)
		}},
	}},
	{"the house", []deed{
		{"its machine", func(d *desk.Desk, who person) error {
			h, err := house.Read(ctx, d)
			if err != nil {
				return err
			}
			m := h.Machines[0]
			m.Data.RateCents, m.Data.InService = 333, false
			return house.SetMachine(ctx, d, who("tess"), m)
		}},
		{"its material", func(d *desk.Desk, who person) error {
			h, err := house.Read(ctx, d)
			if err != nil {
				return err
			}
			m := h.Materials[0]
			m.Data.SpoolCents = 3000
			return house.SetMaterial(ctx, d, who("tess"), m)
		}},
		{"its recipe", func(d *desk.Desk, who person) error {
			h, err := house.Read(ctx, d)
			if err != nil {
				return err
			}
			r := h.Recipes[0]
			r.Data.Shells++
			return house.SetRecipe(ctx, d, who("tess"), r)
		}},
		{"a recipe that cannot be", func(d *desk.Desk, who person) error {
			h, err := house.Read(ctx, d)
			if err != nil {
				return err
			}
			r := h.Recipes[1]
			r.Data.LayerMM = 3
			return house.SetRecipe(ctx, d, who("tess"), r)
		}},
		{"stale", func(d *desk.Desk, who person) error {
			h, err := house.Read(ctx, d)
			if err != nil {
				return err
			}
			m := h.Machines[1]
			m.Revision += 3
			return house.SetMachine(ctx, d, who("tess"), m)
		}},
		{"its fees", func(d *desk.Desk, who person) error {
			h, err := house.Read(ctx, d)
			if err != nil {
				return err
			}
			h.House.StartCents, h.House.Name = 75, "Ropewalk"
			return house.SetHouse(ctx, d, who("tess"), h.House)
		}},
		{"a letter", func(d *desk.Desk, who person) error {
			return house.SetLetter(ctx, d, who("tess"), "approved", "Dear {member}, yes.")
		}},
		{"a letter that names nothing", func(d *desk.Desk, who person) error {
			return house.SetLetter(ctx, d, who("tess"), "approved", "Dear {cat}.")
		}},
		{"a letter that is none", func(d *desk.Desk, who person) error { return house.SetLetter(ctx, d, who("tess"), "none", "Dear.") }},
		{"a rule", func(d *desk.Desk, who person) error { return changeRule(d, who("tess"), 0) }},
		{"a rule, stale", func(d *desk.Desk, who person) error { return changeRule(d, who("tess"), 5) }},
		{"a new rule", func(d *desk.Desk, who person) error {
			rules, err := d.Store.Rules(ctx)
			if err != nil {
				return err
			}
			r := rules[0].Data
			r.Name = "Another"
			_, err = house.SetRule(ctx, d, who("tess"), 0, 0, r)
			return err
		}},
		{"a rule without a name", func(d *desk.Desk, who person) error {
			_, err := house.SetRule(ctx, d, who("tess"), 0, 0, rule.Rule{})
			return err
		}},
		{"a rule taken away", func(d *desk.Desk, who person) error {
			rules, err := d.Store.Rules(ctx)
			if err != nil {
				return err
			}
			return house.TakeRuleAway(ctx, d, who("tess"), rules[1].ID, rules[1].N)
		}},
	}},
	{"people", []deed{
		{"somebody new", func(d *desk.Desk, who person) error {
			_, err := people.AddPerson(ctx, d, who("tess"), people.Newcomer{Name: "Ola Berg", Login: "ola", Password: "a long password", Role: desk.Member})
			return err
		}},
		{"somebody who is there", func(d *desk.Desk, who person) error {
			_, err := people.AddPerson(ctx, d, who("tess"), people.Newcomer{Name: "Ola Berg", Login: "nia", Password: "a long password", Role: desk.Member})
			return err
		}},
		{"a role", func(d *desk.Desk, who person) error {
			return people.ChangePerson(ctx, d, who("tess"), "nia", people.PersonChange{Role: new(desk.Coordinator)})
		}},
		{"closed", func(d *desk.Desk, who person) error {
			return people.ChangePerson(ctx, d, who("tess"), "oskar", people.PersonChange{Close: true})
		}},
		{"the last steward", func(d *desk.Desk, who person) error {
			return people.ChangePerson(ctx, d, who("tess"), "tess", people.PersonChange{Role: new(desk.Member)})
		}},
		{"the last steward, closed", func(d *desk.Desk, who person) error {
			return people.ChangePerson(ctx, d, who("tess"), "tess", people.PersonChange{Close: true})
		}},
		{"nobody", func(d *desk.Desk, who person) error {
			return people.ChangePerson(ctx, d, who("tess"), "nobody", people.PersonChange{Close: true})
		}},
		{"a group", func(d *desk.Desk, who person) error { return people.SetGroup(ctx, d, who("tess"), 5, "Class 4") }},
		{"comes in, closed", func(d *desk.Desk, who person) error { _, err := people.SignIn(ctx, d, "oskar", "ropewalk"); return err }},
		{"comes in", func(d *desk.Desk, who person) error { _, err := people.SignIn(ctx, d, "bram", "ropewalk"); return err }},
		{"comes in by a wrong word", func(d *desk.Desk, who person) error {
			_, err := people.SignIn(ctx, d, "bram", "rope walk")
			return err
		}},
		{"another password, the old one wrong", func(d *desk.Desk, who person) error {
			return people.ChangePassword(ctx, d, who("bram"), "rope", "another long one", "")
		}},
	}},
}

// set is what a driver or a worker would have done meanwhile.
func set(d *desk.Desk, statements ...string) error {
	for _, sql := range statements {
		if _, err := d.Store.Pool.Exec(ctx, sql); err != nil {
			return err
		}
	}
	return nil
}

// answerAll answers all that asks for an answer on a job.
func answerAll(d *desk.Desk, a desk.Actor, job int64, reason string) error {
	v, err := decide.Job(ctx, d, desk.Actor{ID: 2, Name: "Cato Lindgard", Role: desk.Coordinator}, job)
	if err != nil {
		return err
	}
	n := 0
	for _, f := range v.Findings {
		if f.Key == "" {
			continue
		}
		if err := decide.Answer(ctx, d, a, job, 0, f.Key, reason); err != nil {
			return fmt.Errorf("after %d: %w", n, err)
		}
		n++
	}
	return nil
}

// routine says yes to so many routine jobs, the prices by so much otherwise; -1 is the first of them twice.
func routine(d *desk.Desk, a desk.Actor, n, by int) error {
	v, err := decide.Routine(ctx, d)
	if err != nil {
		return err
	}
	var all []decide.RoutineYes
	for k := range max(n, -2*n) {
		j := v.Jobs[min(k, max(0, n))]
		all = append(all, decide.RoutineYes{ID: j.ID, Revision: j.Revision, MachineID: j.OnID, Price: j.Price})
		if by < 0 {
			all[k].Price--
		}
	}
	return decide.ApproveTogether(ctx, d, a, all)
}

func begun(d *desk.Desk, job int64) error {
	t, err := d.Store.TaskOf(ctx, job)
	if err == nil {
		_, err = intake.BeginCheck(ctx, d, job, t.Round)
	}
	return err
}

func setAside(d *desk.Desk, job int64) error {
	t, err := d.Store.TaskOf(ctx, job)
	if err == nil {
		err = intake.SetAside(ctx, d, job, t.Round, "It took too long.")
	}
	return err
}

func checkAll(d *desk.Desk, a desk.Actor, id int64) error {
	points, err := at.Points(ctx, d, id)
	if err == nil {
		err = at.Check(ctx, d, a, id, points)
	}
	return err
}

// turnSpool has something happen to the last spool that is sealed or open and lies in the stores.
func turnSpool(d *desk.Desk, a desk.Actor, what string) error {
	v, err := stores.Look(ctx, d)
	if err != nil {
		return err
	}
	for _, s := range slices.Backward(v.Spools) {
		if slices.Contains(s.May, what) {
			return stores.Turn(ctx, d, a, s.ID, s.Revision, what)
		}
	}
	return fmt.Errorf("to no spool: %s", what)
}

// step has the first step of a job that is being finished do something.
func step(d *desk.Desk, a desk.Actor, what, place string) error {
	parts, err := finishing.All(ctx, d)
	if err != nil {
		return err
	}
	for _, p := range parts {
		if p.JobID != 24 {
			continue
		}
		for _, s := range p.Steps {
			if slices.Contains(s.May, what) {
				return finishing.Tell(ctx, d, a, []int64{s.ID}, what, place)
			}
		}
	}
	return nil
}

func changeRule(d *desk.Desk, a desk.Actor, ahead int) error {
	rules, err := d.Store.Rules(ctx)
	if err != nil {
		return err
	}
	r := rules[0]
	r.Data.Name += ", really"
	_, err = house.SetRule(ctx, d, a, r.ID, r.N+ahead, r.Data)
	return err
}
