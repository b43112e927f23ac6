package desk_test

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/shop/finish"
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
	s, err := store.Open(ctx, pgtest.RestoredURL(t, "testdata/demo.sql.gz"))
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
	cato, nia := named(t, d, "cato"), named(t, d, "nia")
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
	see := func(what string, f func() (any, error)) { v, err := f(); ask(what, v, err) }
	see("routine", func() (any, error) { return decide.Routine(ctx, d) })
	see("floor", func() (any, error) { return floor.Floor(ctx, d) })
	see("machines", func() (any, error) { return at.All(ctx, d) })
	see("stores", func() (any, error) { return stores.Look(ctx, d) })
	see("finishing", func() (any, error) { return finishing.All(ctx, d) })
	see("how it is finished", func() (any, error) { return finishing.House(ctx, d) })
	see("accounts", func() (any, error) { return finishing.Accounts(ctx, d) })
	see("letters", func() (any, error) { return house.Letters(ctx, d) })
	see("rules", func() (any, error) { return house.Rules(ctx, d) })
	see("workers", func() (any, error) { return house.Workers(ctx, d) })
	see("people", func() (any, error) { return people.People(ctx, d) })
	see("the house", func() (any, error) { return house.Read(ctx, d) })
	for id := range int64(5) {
		see(fmt.Sprintf("machine %d", id), func() (any, error) { return at.Machine(ctx, d, id) })
		see(fmt.Sprintf("bed %d", id), func() (any, error) { return floor.Bed(ctx, d, id) })
		see(fmt.Sprintf("spool %d", id), func() (any, error) { return stores.Lines(ctx, d, id) })
		see(fmt.Sprintf("rule %d", id), func() (any, error) { return house.RuleVersions(ctx, d, id) })
	}
	for id := int64(5); id < 18; id++ {
		see(fmt.Sprintf("beside run %d", id), func() (any, error) { return floor.BesideRun(ctx, d, id) })
		see(fmt.Sprintf("points of run %d", id), func() (any, error) { return at.Points(ctx, d, id) })
	}
	for id := int64(24); id < 28; id++ {
		see(fmt.Sprintf("label %d", id), func() (any, error) { return finishing.LabelOf(ctx, d, id) })
	}
	file := func(what string, f func(context.Context, *desk.Desk, desk.Actor, int64, int) (desk.Download, error), id int64, n int) {
		v, err := f(ctx, d, cato, id, n)
		if !errors.Is(err, desk.ErrNotFound) {
			b.Line("%s %d, %d: %q %s, %d bytes, kept %s, %v", what, id, n, v.Name, v.Type, v.Bytes, v.Keep, err)
		}
	}
	for id := range int64(60) {
		for n := range 3 {
			file("program", plates.Program, id, n)
			file("standing", plates.Standing, id, n)
			file("layers", plates.Layers, id, n)
			file("picture", intake.Picture, id, n)
			file("surface", intake.Surface, id, n)
			file("model", intake.ModelFile, id, n)
		}
		file("run", func(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, _ int) (desk.Download, error) {
			return plates.RunProgram(ctx, d, a, id)
		}, id, 0)
	}
	rules, err := d.Store.Rules(ctx)
	require.NoError(t, err)
	for k := range rules {
		see("tried: "+rules[k].Data.Name, func() (any, error) { return house.TryRule(ctx, d, rules[k].Data) })
	}
	golden.Assert(t, b.String(), "demo.txt")
}

// rows are those of a house, by table and number, as JSON.
type rows struct {
	sums map[string]string            // of each table
	of   map[string]map[string]string // by table and key
}

// look reads what has changed since it was looked at.
func (w rows) look(t *testing.T, d *desk.Desk) rows {
	t.Helper()
	now := rows{pgtest.Sums(t, d.Store.Pool), maps.Clone(w.of)}
	for table, sum := range now.sums {
		if w.sums[table] == sum {
			continue
		}
		now.of[table] = map[string]string{}
		all, err := d.Store.Pool.Query(ctx, `SELECT (to_jsonb(t) - 'password_hash')::text FROM `+table+` t`)
		require.NoError(t, err)
		var text string
		_, err = pgx.ForEachRow(all, []any{&text}, func() error {
			key := table + " " + text
			var id struct {
				ID      any `json:"id"`
				Machine any `json:"machine_id"`
			}
			if json.Unmarshal([]byte(text), &id) == nil && (id.ID != nil || table == "device") {
				key = fmt.Sprintf("%s %v", table, cmp.Or(id.ID, id.Machine))
			}
			now.of[table][key] = text
			return nil
		})
		require.NoError(t, err)
	}
	return now
}

// ear hears what a house tells those who look at it: what it has told since it was asked last.
func ear(t *testing.T, d *desk.Desk) func() []string {
	t.Helper()
	conn, err := pgx.Connect(ctx, d.Store.Pool.Config().ConnString())
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(ctx) })
	_, err = conn.Exec(ctx, "LISTEN "+store.Channel)
	require.NoError(t, err)
	times := regexp.MustCompile(`"at":"[^"]*"`)
	return func() (out []string) {
		_, err := conn.Exec(ctx, `SELECT pg_notify($1, 'now')`, store.Channel)
		require.NoError(t, err)
		for {
			n, err := conn.WaitForNotification(ctx)
			require.NoError(t, err)
			if n.Payload == "now" {
				return out
			}
			out = append(out, times.ReplaceAllString(n.Payload, `"at":"then"`))
		}
	}
}

// deeds are what the scripts of testdata/deeds.script name.
var deeds = map[string]any{
	"decide.Advance": decide.Advance, "decide.Approve": decide.Approve, "decide.Ask": decide.Ask, "decide.ChooseSlice": decide.ChooseSlice,
	"decide.Move": decide.Move, "decide.Reply": decide.Reply, "decide.SendBack": decide.SendBack, "decide.TakeBack": decide.TakeBack, "decide.Withdraw": decide.Withdraw,
	"finishing.Correct": finishing.Correct, "finishing.FetchBy": finishing.FetchBy, "finishing.Pay": finishing.Pay, "finishing.Place": finishing.Place,
	"finishing.Tell": finishing.Tell, "floor.MoveRun": floor.MoveRun, "floor.RenewBed": floor.RenewBed, "floor.TurnBed": floor.TurnBed,
	"house.SetLetter": house.SetLetter, "house.SetRule": house.SetRule,
	"intake.CancelCheck": intake.CancelCheck, "intake.ChangePiece": intake.ChangePiece, "intake.RedoPiece": intake.RedoPiece, "intake.Renew": intake.Renew,
	"intake.Repair": intake.Repair, "intake.RepairAll": intake.RepairAll, "intake.Retry": intake.Retry, "intake.SayUse": intake.SayUse,
	"intake.TurnPieces": intake.TurnPieces, "intake.UndoPiece": intake.UndoPiece,
	"people.AddPerson": people.AddPerson, "people.ChangePassword": people.ChangePassword, "people.ChangePerson": people.ChangePerson,
	"people.SetGroup": people.SetGroup, "people.SignIn": people.SignIn,
	"plates.AgainSlice": plates.AgainSlice, "plates.BeginSlice": plates.BeginSlice, "plates.CancelSlice": plates.CancelSlice, "plates.ChooseSlice": plates.ChooseSlice,
	"plates.NameSlice": plates.NameSlice, "plates.OrderSlice": plates.OrderSlice, "plates.PutTogether": plates.PutTogether, "plates.RemoveSlice": plates.RemoveSlice,
	"plates.Savings": plates.Savings, "plates.TakeOut": plates.TakeOut,
	"at.Check": at.Check, "at.Clear": at.Clear, "at.Fail": at.Fail, "at.Load": at.Load, "at.PutBack": at.PutBack, "at.See": at.See, "at.Start": at.Start,
	"at.TakeOff": at.TakeOff, "at.Tell": at.Tell, "at.Uncheck": at.Uncheck, "at.Unsay": at.Unsay, "at.Want": at.Want, "at.Warm": at.Warm,
	"stores.AddPart": stores.AddPart, "stores.Correct": stores.Correct, "stores.Put": stores.Put, "stores.Receive": stores.Receive, "stores.RemovePart": stores.RemovePart,
	"stores.RenewPart": stores.RenewPart, "stores.SetPart": stores.SetPart, "stores.Weigh": stores.Weigh,
	"hears": hears, "answerAll": answerAll, "begun": begun, "changeRule": changeRule, "checkAll": checkAll, "routine": routine, "set": set, "setAside": setAside,
	"step": step, "turnSpool": turnSpool,
	"stepAll": func(d *desk.Desk, a desk.Actor, place string) (err error) {
		for k := 0; k < 6 && err == nil; k++ {
			err = step(d, a, finish.Ends, place)
		}
		return err
	},
	"fetchByCode": func(d *desk.Desk, a desk.Actor, job int64) error {
		l, err := finishing.LabelOf(ctx, d, job)
		if err == nil {
			_, err = finishing.FetchBy(ctx, d, a, l.Code)
		}
		return err
	},
	"waits": func(d *desk.Desk, days int) error {
		d.Now = func() time.Time { return noon.AddDate(0, 0, days) }
		return finishing.Waits(ctx, d)
	},
	"setFinishing": func(d *desk.Desk, a desk.Actor, days, rules int) error {
		h, err := finishing.House(ctx, d)
		if err != nil {
			return err
		}
		h.FetchDays, h.Rules = days, h.Rules[:rules]
		return finishing.SetHouse(ctx, d, a, h)
	},
	"setMachine": func(d *desk.Desk, a desk.Actor, k, ahead int, change json.RawMessage) error {
		h, err := house.Read(ctx, d)
		if err != nil {
			return err
		}
		h.Machines[k].Revision += ahead
		return errors.Join(json.Unmarshal(change, &h.Machines[k].Data), house.SetMachine(ctx, d, a, h.Machines[k]))
	},
	"setMaterial": func(d *desk.Desk, a desk.Actor, k int, change json.RawMessage) error {
		h, err := house.Read(ctx, d)
		if err != nil {
			return err
		}
		return errors.Join(json.Unmarshal(change, &h.Materials[k].Data), house.SetMaterial(ctx, d, a, h.Materials[k]))
	},
	"setRecipe": func(d *desk.Desk, a desk.Actor, k int, change json.RawMessage) error {
		h, err := house.Read(ctx, d)
		if err != nil {
			return err
		}
		return errors.Join(json.Unmarshal(change, &h.Recipes[k].Data), house.SetRecipe(ctx, d, a, h.Recipes[k]))
	},
	"setFees": func(d *desk.Desk, a desk.Actor, change json.RawMessage) error {
		h, err := house.Read(ctx, d)
		if err != nil {
			return err
		}
		return errors.Join(json.Unmarshal(change, &h.House), house.SetHouse(ctx, d, a, h.House))
	},
	"newRule": func(d *desk.Desk, a desk.Actor, name string) error {
		rules, err := d.Store.Rules(ctx)
		if err != nil {
			return err
		}
		rules[0].Data.Name = name
		_, err = house.SetRule(ctx, d, a, 0, 0, rules[0].Data)
		return err
	},
	"takeRuleAway": func(d *desk.Desk, a desk.Actor, k int) error {
		rules, err := d.Store.Rules(ctx)
		if err != nil {
			return err
		}
		return house.TakeRuleAway(ctx, d, a, rules[k].ID, rules[k].N)
	},
}

// views are what is looked at after deeds, by name; numbers are cut off the end.
func views(d *desk.Desk, a desk.Actor) map[string]func(id int64) (any, error) {
	one := func(f func(context.Context, *desk.Desk, int64) (any, error)) func(int64) (any, error) {
		return func(id int64) (any, error) { return f(ctx, d, id) }
	}
	return map[string]func(id int64) (any, error){
		"shelf":    func(int64) (any, error) { return decide.Shelf(ctx, d, a) },
		"routine":  func(int64) (any, error) { return decide.Routine(ctx, d) },
		"floor":    func(int64) (any, error) { return floor.Floor(ctx, d) },
		"machines": func(int64) (any, error) { return at.All(ctx, d) },
		"machine":  one(func(ctx context.Context, d *desk.Desk, id int64) (any, error) { return at.Machine(ctx, d, id) }),
		"points":   one(func(ctx context.Context, d *desk.Desk, id int64) (any, error) { return at.Points(ctx, d, id) }),
		"bed":      one(func(ctx context.Context, d *desk.Desk, id int64) (any, error) { return floor.Bed(ctx, d, id) }),
		"beside":   one(func(ctx context.Context, d *desk.Desk, id int64) (any, error) { return floor.BesideRun(ctx, d, id) }),
		"job":      one(func(ctx context.Context, d *desk.Desk, id int64) (any, error) { return decide.Job(ctx, d, a, id) }),
		"slices":   one(func(ctx context.Context, d *desk.Desk, id int64) (any, error) { return plates.Slices(ctx, d, a, id) }),
		"account": one(func(ctx context.Context, d *desk.Desk, id int64) (any, error) {
			return finishing.AccountOf(ctx, d, a, id)
		}),
		"spool":     one(func(ctx context.Context, d *desk.Desk, id int64) (any, error) { return stores.Lines(ctx, d, id) }),
		"stores":    func(int64) (any, error) { return stores.Look(ctx, d) },
		"finishing": func(int64) (any, error) { return finishing.All(ctx, d) },
		"house":     func(int64) (any, error) { return house.Read(ctx, d) },
		"rules":     func(int64) (any, error) { return house.Rules(ctx, d) },
		"letters":   func(int64) (any, error) { return house.Letters(ctx, d) },
		"people":    func(int64) (any, error) { return people.People(ctx, d) },
	}
}

// everywhere is looked at after every script: what it has changed there is told.
var everywhere = strings.Fields("shelf routine floor machines machine-1 machine-2 machine-3 machine-4 bed-1 bed-2 stores finishing house rules letters people")

// lookAt looks at something; a number behind the name is whose.
func lookAt(t *testing.T, d *desk.Desk, name string) (any, error) {
	t.Helper()
	name, of, _ := strings.Cut(name, "-")
	id, _ := strconv.ParseInt(of, 10, 64)
	f := views(d, named(t, d, "cato"))[name]
	require.NotNil(t, f, "there is no view %s", name)
	return f(id)
}

// do does a line of a script: what is said by it, and what came of it.
func do(t *testing.T, d *desk.Desk, line string) (what string, gave []any, err error) {
	t.Helper()
	f := strings.SplitN(line, " | ", 4)
	require.GreaterOrEqual(t, len(f), 3, line)
	f = append(f, "")
	does := reflect.ValueOf(deeds[f[2]])
	require.True(t, does.IsValid(), "there is no deed %s", f[2])
	var given []json.RawMessage
	require.NoError(t, json.Unmarshal([]byte("["+f[3]+"]"), &given), line)
	var in []reflect.Value
	typ := does.Type()
	for p := range typ.NumIn() {
		switch of := typ.In(p); {
		case of == reflect.TypeFor[context.Context]():
			in = append(in, reflect.ValueOf(ctx))
		case of == reflect.TypeFor[*desk.Desk]():
			in = append(in, reflect.ValueOf(d))
		case of == reflect.TypeFor[desk.Actor]():
			in = append(in, reflect.ValueOf(named(t, d, f[1])))
		default:
			for more := true; more; more = typ.IsVariadic() && p == typ.NumIn()-1 && len(given) > 0 {
				if typ.IsVariadic() && p == typ.NumIn()-1 {
					of = typ.In(p).Elem()
				}
				require.NotEmpty(t, given, line)
				v := reflect.New(of)
				require.NoError(t, json.Unmarshal(given[0], v.Interface()), line)
				in, given = append(in, v.Elem()), given[1:]
			}
		}
	}
	require.Empty(t, given, line)
	out := does.Call(in)
	for _, v := range out[:len(out)-1] {
		gave = append(gave, v.Interface())
	}
	err, _ = out[len(out)-1].Interface().(error)
	return f[0], gave, err
}

// What is done in the demo house is answered as it was and changes what it did, row by row: scripts of deeds, each in a
// house of its own, sensible ones and such as are refused.
func TestDeedsInTheDemoHouseDoWhatTheyDid(t *testing.T) {
	raw, err := os.ReadFile("testdata/deeds.script")
	require.NoError(t, err)
	scripts := strings.Split(string(raw), "\n## ")[1:]
	require.Greater(t, len(scripts), 10)
	open := demoHouse(t)
	begun, before := open(t), map[string]any{}
	for _, name := range everywhere {
		before[name], err = lookAt(t, begun, name)
		require.NoError(t, err)
	}
	texts := make([]string, len(scripts))
	t.Run("scripts", func(t *testing.T) {
		for i := range scripts {
			lines := strings.Split(strings.TrimSpace(scripts[i]), "\n")
			t.Run(lines[0], func(t *testing.T) {
				t.Parallel()
				d := open(t)
				var b told.Book
				b.Line("# %s", lines[0])
				for name, v := range before {
					b.Know(name, v)
				}
				was := rows{of: map[string]map[string]string{}}.look(t, d)
				see := func(name string) {
					v, err := lookAt(t, d, name)
					b.Line("%s: %v", name, err)
					b.Tell(name, v)
				}
				told := ear(t, d)
				for _, line := range lines[1:] {
					if name, is := strings.CutPrefix(line, "look at "); is {
						see(name)
						continue
					}
					what, gave, err := do(t, d, line)
					b.Line("%s: %v", what, err)
					if len(gave) > 0 && err == nil {
						b.Tell("", gave)
					}
					for _, s := range told() {
						b.Line("  tells %s", s)
					}
					is := was.look(t, d)
					for _, table := range slices.Sorted(maps.Keys(is.sums)) {
						tell(&b, was.of[table], is.of[table])
					}
					was = is
				}
				for _, name := range everywhere {
					see(name)
				}
				texts[i] = b.String()
			})
		}
	})
	golden.Assert(t, strings.Join(texts, ""), "deeds.txt")
}

// tell tells the rows of a table that are otherwise.
func tell(b *told.Book, was, is map[string]string) {
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

// hears is what a driver would keep of a machine.
func hears(d *desk.Desk, machine int64, said at.MachineSaid, c at.HeatCurve) error {
	_, err := d.Store.Pool.Exec(ctx, `INSERT INTO device (machine_id, owner, fence, until) VALUES ($1, 'me', 1, now() + interval '1 day')
		ON CONFLICT (machine_id) DO UPDATE SET owner = 'me', fence = 1, until = now() + interval '1 day'`, machine)
	if err == nil {
		err = at.Keep(ctx, d, at.Owner{Machine: machine, Fence: 1}, said, c)
	}
	return err
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
