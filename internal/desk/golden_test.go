package desk_test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
	"jobshelf/core/shop/run"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/people"
	"jobshelf/internal/desk/plates"
	at "jobshelf/internal/desk/runs"
	"jobshelf/internal/store"
	"jobshelf/internal/told"
)

// Nine hundred commands, drawn with what they are given, by everybody, sensible and not: each
// is answered as it was, and what the shelf, the floor and the job then show is as it was.
// Other tests say what is right; this one says that nothing moved.
func TestCommandsAreAnsweredAsTheyWere(t *testing.T) {
	h := open(t)
	r := rand.New(rand.NewPCG(4, 2)) //nolint:gosec // the same each time
	one := func(of ...any) any { return of[r.IntN(len(of))] }
	word := func(of ...string) string { return of[r.IntN(len(of))] }
	number := func(n int) int64 { return 1 + r.Int64N(int64(n)) }
	var uploads, taken []string
	var jobs, pieces, slicesN int
	actor := func() desk.Actor {
		if r.IntN(4) > 0 {
			return h.Cato
		}
		return one(h.Owner, desk.Actor{ID: h.Owner.ID + 1, Name: "Somebody", Role: desk.Member}, desk.Actor{ID: 1, Name: "Tess", Role: desk.Steward}).(desk.Actor)
	}
	late := func(n int) int64 { // mostly one of the last
		if r.IntN(15) == 0 {
			return number(n + 1)
		}
		return int64(max(1, n-r.IntN(5)))
	}
	job := func() int64 { return late(jobs) }
	piece := func() int64 { return late(pieces) }
	slice := func() int64 { return late(slicesN) }
	where := func(n int, query string) int64 { // mostly one where it makes sense
		var ids []int64
		require.NoError(t, h.Store.Pool.QueryRow(ctx, `SELECT array_agg(i ORDER BY i) FROM (SELECT `+query+`) AS x (i)`).Scan(&ids))
		if len(ids) == 0 || r.IntN(4) == 0 {
			return late(n)
		}
		return ids[r.IntN(len(ids))]
	}
	revision := func(job int64) int {
		if j, err := h.Store.Job(ctx, job); err == nil && r.IntN(6) > 0 {
			return j.Revision * min(1, r.IntN(5))
		}
		return 1 + r.IntN(9)
	}
	runs := func() (n int) {
		require.NoError(t, h.Store.Pool.QueryRow(ctx, `SELECT coalesce(max(id), 0) FROM run`).Scan(&n))
		return n
	}
	round := func(job int64) int {
		task, _ := h.Store.TaskOf(ctx, job)
		return task.Round - r.IntN(8)/7
	}
	of := func(piece int64) int64 {
		p, _ := h.Store.Piece(ctx, piece)
		return p.JobID
	}
	tall := *h.Found
	tall.Machines = append([]verdict.MachineVerdict{}, h.Found.Machines...)
	for i := range tall.Machines {
		if i%2 == 0 {
			tall.Machines[i].Fits, tall.Machines[i].OverMM, tall.Machines[i].ScaleToFit, tall.Machines[i].Quick = false, [3]float64{0, 0, 12.5}, 0.75, nil
		}
	}
	grave := *h.Found
	grave.Findings = []finding.Finding{{Check: "open surface", Grade: finding.StopsIt, Text: "It is open.", Value: 3}, {Check: "too thin", Grade: finding.Decide, Text: "It is thin.", Value: 0.2, Unit: "mm"}}
	none := func(*store.Tx) error { return nil }
	did := map[string]func() (any, error){
		"Upload": func() (any, error) {
			var file bytes.Buffer
			require.NoError(t, modelfile.WriteSTL(&file, solid.Box(float64(number(9)), 20, 10), ""))
			name := word("box.stl", "two words_and-more.stl", `C:\evil\..\it.obj`, "../..", ".stl", "\x07", strings.Repeat("é", 200))
			id, size, err := intake.Upload(ctx, h.Desk, actor(), name, io.LimitReader(&file, one(int64(1)<<20, int64(0), int64(90)).(int64)))
			uploads = append(uploads, id)
			return size, err
		},
		"HandIn": func() (any, error) {
			in := intake.HandIn{Title: word("", "", " A title "), Purpose: recipe.Purpose(word("everyday", "quick look", "working part")), Wish: word("", "by noon "), NeededBy: word("", "", "2026-11-24", "2026-11-24", "2026-12-01", "2026-13-01"),
				MemberID: one(int64(0), int64(0), int64(0), h.Owner.ID, h.Owner.ID, int64(99)).(int64)}
			for range 1 + r.IntN(2) {
				if k := len(uploads) - 1; k >= 0 && r.IntN(15) > 0 {
					in.Pieces, taken, uploads = append(in.Pieces, intake.HandInPiece{UploadID: uploads[k], Copies: 1 + r.IntN(4), Unit: word("", "mm", "in")}), append(taken, uploads[k]), uploads[:k]
				} else {
					in.Pieces = append(in.Pieces, intake.HandInPiece{UploadID: word(append(taken, "none")...), Copies: 1})
				}
			}
			id, err := intake.NewJob(ctx, h.Desk, actor(), in)
			if err == nil {
				jobs = int(id)
			}
			return id, err
		},
		"RecordCheck": func() (any, error) {
			id := where(jobs, `job_id FROM task WHERE state IN ('queued', 'running')`)
			in, _ := intake.InputOf(ctx, h.Desk, id)
			var found []intake.Checked
			for _, p := range in.Pieces {
				c := intake.Checked{Piece: p, Judgement: store.Judgement{Verdict: one(h.Found, h.Found, &tall, &grave).(*verdict.Verdict), By: in.By, Picture: []byte("png"), Evidence: []finding.Evidence{{Check: "too thin", Lines: [][6]float32{{1}}}}}}
				switch r.IntN(12) {
				case 0:
					c.Verdict, c.Problem = nil, "It is no model."
				case 1:
					more := c
					more.New, more.Piece.Part, more.Piece.Name = true, 1, p.Name+", second"
					found = append(found, more)
				case 2:
					c.Log = []repair.Done{{Step: repair.Holes, Count: 1, Text: "Closed 1 hole."}}
				}
				found = append(found, c)
			}
			ok, err := intake.RecordCheck(ctx, h.Desk, id, round(id), found, none)
			_ = h.Store.Pool.QueryRow(ctx, `SELECT coalesce(max(id), 0) FROM piece`).Scan(&pieces)
			return ok, err
		},
		"BeginCheck": func() (any, error) {
			id := job()
			n, err := intake.BeginCheck(ctx, h.Desk, id, round(id))
			return n, err
		},
		"SetAside": func() (any, error) {
			id := job()
			return nil, intake.SetAside(ctx, h.Desk, id, round(id), "It fell over.")
		},
		"Retry":       func() (any, error) { return nil, intake.Retry(ctx, h.Desk, actor(), job()) },
		"CancelCheck": func() (any, error) { return nil, intake.CancelCheck(ctx, h.Desk, actor(), job()) },
		"Progress": func() (any, error) {
			id := job()
			j, err := h.Store.Job(ctx, id)
			return nil, errors.Join(err, intake.Progress(ctx, h.Desk, j, round(id), "reading", 0.5))
		},
		"Approve": func() (any, error) {
			id := where(jobs, `id FROM job WHERE state IN ('to decide')`)
			return nil, decide.Approve(ctx, h.Desk, h.Cato, id, revision(id), decide.Yes{MachineID: one(int64(0), number(6)).(int64)})
		},
		"SendBack": func() (any, error) {
			id := job()
			return nil, decide.SendBack(ctx, h.Desk, h.Cato, id, revision(id), word("It leans.", " ", "Too large."))
		},
		"Advance": func() (any, error) {
			id := where(jobs, `id FROM job WHERE state IN ('approved', 'in production', 'finishing', 'pick-up')`)
			if r.IntN(3) == 0 {
				return nil, decide.Advance(ctx, h.Desk, h.Cato, id, revision(id), "")
			}
			return nil, demo.ByHand(ctx, h.Desk, h.Cato, id)
		},
		"RunFailed": func() (any, error) {
			id := where(jobs, `id FROM job WHERE state IN ('in production', 'approved')`)
			return nil, demo.Fails(ctx, h.Desk, h.Cato, id, word("It warped.", " ", "The nozzle was blocked."))
		},
		"RunStep": func() (any, error) {
			id := late(runs())
			switch r.IntN(9) {
			case 0:
				points, err := at.Points(ctx, h.Desk, id)
				if err != nil {
					return nil, err
				}
				return nil, at.Check(ctx, h.Desk, h.Cato, id, points[r.IntN(2):])
			case 1:
				return nil, at.Uncheck(ctx, h.Desk, h.Cato, id)
			case 2:
				return nil, at.Start(ctx, h.Desk, h.Cato, id)
			case 3, 4:
				return nil, at.Tell(ctx, h.Desk, h.Cato, id, word(run.Lays, run.Pauses, run.GoesOn, run.Cools, run.Rewarms, run.Ends, run.Fails))
			case 5:
				return nil, at.See(ctx, h.Desk, h.Cato, id)
			case 6:
				return nil, at.TakeOff(ctx, h.Desk, h.Cato, id, []int{0, 1, 7}[:r.IntN(4)], word("It warped.", ""))
			case 7:
				return nil, at.PutBack(ctx, h.Desk, h.Cato, id)
			}
			return nil, at.Want(ctx, h.Desk, h.Cato, id, word("pause", "stop"), word("It smells.", ""))
		},
		"Clear":   func() (any, error) { return nil, at.Clear(ctx, h.Desk, h.Cato, number(6)) },
		"Machine": func() (any, error) { return at.Machine(ctx, h.Desk, number(6)) },
		"Load": func() (any, error) {
			return nil, at.Load(ctx, h.Desk, h.Cato, number(6), at.Filament{Nozzle: 1 + r.IntN(2), Material: word("PLA", "PLA", "PETG", "Tin"), Colour: "#123456", ColourName: "Sea"})
		},
		"MoveRun": func() (any, error) {
			return nil, decide.Move(ctx, h.Desk, h.Cato, late(runs()), number(6), r.IntN(4), true)
		},
		"ChangePiece": func() (any, error) {
			id := piece()
			in := intake.PieceChange{Revision: revision(of(id))}
			switch r.IntN(5) {
			case 3:
				in.Stand = []*orient.Stand{{}, new(orient.Sized(0.5)), {Turn: orient.Quat{1, 1}}, {Turn: orient.AsItCame, Mirror: true}, new(orient.Sized(-1))}[r.IntN(5)]
				in.Why = word("", "a test")
			case 4:
				in.Best = true
			case 0:
				in.Unit = new(word("", "cm", "in"))
			case 1:
				in.Copies = new(r.IntN(5) + 1)
			case 2:
				in.Current = new(r.IntN(3) + 1)
			}
			return nil, intake.ChangePiece(ctx, h.Desk, actor(), id, in)
		},
		"Repair": func() (any, error) {
			id := piece()
			return nil, intake.Repair(ctx, h.Desk, actor(), id, revision(of(id)), [][]string{{"holes"}, {"weld", "turn"}, {"magic"}, {}}[r.IntN(4)])
		},
		"OrderSlice": func() (any, error) {
			in := plates.SliceOrder{MachineID: number(6), Stand: []*orient.Stand{nil, {}, new(orient.Sized(0.5)), {Turn: orient.Quat{1, 1}}, {Turn: orient.Quat{1, 0, 1}, Mirror: true}, new(orient.Sized(-1))}[r.IntN(6)]}
			if r.IntN(2) == 0 {
				in.Overrides = []recipe.Override{{Key: word("layer_mm", "infill_percent", "shells", "colour"), Value: word("0.28", "10", "thin"), Why: word("a test", "a test", " ")}}
			}
			if r.IntN(4) == 0 {
				in.SupportMarks = []slicing.SupportMark{{CornersMM: make([][3]float64, 4), PutIn: r.IntN(2) == 0, Why: word("here", "")}}
			}
			id, err := plates.OrderSlice(ctx, h.Desk, actor(), piece(), in)
			if err == nil {
				slicesN = int(id)
			}
			return id, err
		},
		"BeginSlice": func() (any, error) { n, err := plates.BeginSlice(ctx, h.Desk, slice()); return n, err },
		"SliceInput": func() (any, error) { in, err := plates.InputOf(ctx, h.Desk, slice()); return in, err },
		"EndSlice": func() (any, error) {
			s, err := h.Store.Slice(ctx, where(slicesN, `id FROM slice WHERE state IN ('queued', 'running')`))
			if err != nil {
				return nil, err
			}
			if s.State = word("done", "done", "done", "failed", "set aside"); s.State == "done" {
				s.Full = &price.Full{Full: estimate.Full{Seconds: 600 + float64(r.IntN(9000)), WarmUpSeconds: 100, Layers: 50, GramsModel: 12.5, ByKind: map[string]float64{}}, Price: units.Price{Cents: 250}}
				s.Notes, s.Fraction = []string{"noted"}, 1
			} else {
				s.Error = "It broke."
			}
			var made []store.Plate
			if s.Full != nil {
				made = []store.Plate{{N: 1, Full: s.Full, Spots: []slicing.Spot{{Copy: 1}}}}
			}
			return s.State, plates.EndSlice(ctx, h.Desk, s, made, none)
		},
		"CancelSlice": func() (any, error) { return nil, plates.CancelSlice(ctx, h.Desk, actor(), slice()) },
		"ChooseSlice": func() (any, error) {
			return nil, plates.ChooseSlice(ctx, h.Desk, actor(), where(slicesN, `id FROM slice WHERE state IN ('done')`))
		},
		"AgainSlice": func() (any, error) {
			return nil, plates.AgainSlice(ctx, h.Desk, actor(), where(slicesN, `id FROM slice WHERE state IN ('failed', 'set aside')`))
		},
		"Savings": func() (any, error) {
			ids, err := plates.Savings(ctx, h.Desk, actor(), where(slicesN, `id FROM slice WHERE state IN ('done')`))
			if len(ids) > 0 {
				slicesN = int(ids[len(ids)-1])
			}
			return ids, err
		},
		"SetHouse": func() (any, error) {
			v, _ := house.Read(ctx, h.Desk)
			v.House.Revision -= r.IntN(3) / 2
			v.House.StartCents, v.House.AttendanceMin, v.House.LongestRunMin = units.Cents(r.IntN(200)), r.IntN(40), []int{0, 60, 720}[r.IntN(3)]
			v.House.TimeZone, v.House.FilePattern = word("Europe/Amsterdam", "Asia/Tokyo", "Nowhere"), word("", "{part}-{minutes}", "{colour}")
			return nil, house.SetHouse(ctx, h.Desk, actor(), v.House)
		},
		"SetMachine": func() (any, error) {
			v, _ := house.Read(ctx, h.Desk)
			m := v.Machines[r.IntN(len(v.Machines))]
			m.Revision -= r.IntN(4) / 3
			m.Data.InService, m.Data.RateCents = m.Data.Process != "material extrusion" == (r.IntN(6) == 0), units.Cents(100+r.IntN(100))
			m.Data.NozzleMaxC, m.Data.Second.Material = one(280.0, 280.0, 200.0).(float64), word("", m.Data.Second.Material, "Brass")
			return nil, house.SetMachine(ctx, h.Desk, actor(), m)
		},
		"SetMaterial": func() (any, error) {
			v, _ := house.Read(ctx, h.Desk)
			m := v.Materials[r.IntN(len(v.Materials))]
			m.Data.SpoolCents, m.Data.NozzleMaxC = units.Cents(2000+r.IntN(900)), m.Data.NozzleMaxC-float64(r.IntN(5)/4*40)
			return nil, house.SetMaterial(ctx, h.Desk, actor(), m)
		},
		"SetRecipe": func() (any, error) {
			v, _ := house.Read(ctx, h.Desk)
			x := v.Recipes[r.IntN(len(v.Recipes))]
			x.Data.InfillPercent, x.Data.NozzleC, x.MaterialID = float64(r.IntN(100)), x.Data.NozzleC+float64(r.IntN(5)/4*90), one(x.MaterialID, x.MaterialID, int64(99)).(int64)
			x.Data.Name, x.Data.Purpose = "Mine", "everyday"
			return nil, house.SetRecipe(ctx, h.Desk, actor(), x)
		},
		"Version": func() (any, error) {
			p, v, err := intake.Version(ctx, h.Desk, actor(), piece(), r.IntN(4))
			return []any{p, v}, err
		},
		"Evidence":   func() (any, error) { return intake.Evidence(ctx, h.Desk, actor(), piece(), r.IntN(3)) },
		"Slices":     func() (any, error) { return plates.Slices(ctx, h.Desk, actor(), piece()) },
		"Picture":    func() (any, error) { return intake.Picture(ctx, h.Desk, actor(), piece(), r.IntN(3)) },
		"Surface":    func() (any, error) { return intake.Surface(ctx, h.Desk, actor(), piece(), r.IntN(3)) },
		"ModelFile":  func() (any, error) { return intake.ModelFile(ctx, h.Desk, actor(), piece(), r.IntN(3)) },
		"Layers":     func() (any, error) { return plates.Layers(ctx, h.Desk, actor(), slice(), r.IntN(3)) },
		"Program":    func() (any, error) { return plates.Program(ctx, h.Desk, actor(), slice(), r.IntN(3)) },
		"Standing":   func() (any, error) { return plates.Standing(ctx, h.Desk, actor(), slice(), r.IntN(3)) },
		"Storage":    func() (any, error) { return intake.Storage(ctx, h.Desk, actor()) },
		"People":     func() (any, error) { return people.People(ctx, h.Desk) },
		"CheckInput": func() (any, error) { return intake.InputOf(ctx, h.Desk, job()) },
		"AddPerson": func() (any, error) {
			return people.AddPerson(ctx, h.Desk, actor(), people.Newcomer{Login: word("Ada ", "b", "", "nia", "tab\t"), Name: word("Ada L", " "), Password: word("long enough it is", "short"), Role: desk.Role(word("member", "steward", "guest"))})
		},
		"ChangePerson": func() (any, error) {
			return nil, people.ChangePerson(ctx, h.Desk, actor(), word("ada", "tess", "nobody"), people.PersonChange{Role: new(desk.Role(word("member", "coordinator", "king"))), Close: r.IntN(3) == 0})
		},
	}
	often := strings.Fields("Upload Upload Upload HandIn HandIn HandIn RecordCheck RecordCheck RecordCheck RecordCheck RecordCheck BeginCheck Approve Approve Approve Advance Advance Advance RunFailed RunStep RunStep RunStep Clear Machine MoveRun MoveRun " +
		"OrderSlice OrderSlice OrderSlice EndSlice EndSlice EndSlice EndSlice BeginSlice ChooseSlice ChooseSlice ChangePiece ChangePiece Repair Slices Version")
	rest := strings.Fields("Load SetAside Retry CancelCheck Progress SendBack SliceInput CancelSlice AgainSlice Savings SetHouse SetMachine SetMaterial SetRecipe Evidence Picture Surface ModelFile Layers Program Standing Storage People CheckInput AddPerson ChangePerson")
	for name := range did {
		require.Contains(t, append(often, rest...), name, "never tried")
	}
	var book told.Book
	for k := range 900 {
		name := often[r.IntN(len(often))]
		if r.IntN(3) == 0 {
			name = rest[r.IntN(len(rest))]
		}
		got, err := did[name]()
		switch d, file := got.(desk.Download); {
		case err != nil:
			var bad *desk.Invalid
			errors.As(err, &bad)
			book.Line("%d %s: %v %v", k, name, err, bad)
		case file:
			b, err := io.ReadAll(d)
			book.Line("%d %s: %q %q %v, %d of %d bytes, %v", k, name, d.Type, d.Name, d.Keep, len(b), d.Bytes, err)
		case got == nil || reflect.TypeOf(got).Kind() < reflect.Array:
			book.Line("%d %s: %v", k, name, got)
		default:
			book.Line("%d %s:", k, name)
			book.Tell(name, got)
		}
		if k%15 == 14 {
			shelf, err := decide.Shelf(ctx, h.Desk, actor())
			require.NoError(t, err)
			book.Tell("shelf", shelf)
			floor, err := floor.Floor(ctx, h.Desk)
			require.NoError(t, err)
			book.Tell("floor", floor)
			id := job()
			if v, err := decide.Job(ctx, h.Desk, actor(), id); err == nil {
				book.Tell(fmt.Sprint("job ", id), v)
			}
			book.Line("    queue %d %v", h.Queue.Last, h.Queue.Cancelled)
		}
	}
	golden.Assert(t, book.String(), "commands.txt")
}
