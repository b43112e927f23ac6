package store_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/wire"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/charge"
	"jobshelf/core/shop/finish"
	"jobshelf/core/shop/job"
	"jobshelf/core/shop/revision"
	"jobshelf/core/shop/run"
	"jobshelf/core/shop/spool"
	"jobshelf/core/shop/state"
	"jobshelf/core/shop/task"
	"jobshelf/core/shop/wear"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

type promise = job.Promise

// full is a value with something else in every field, so that two columns that change
// places are seen, and one that is forgotten.
func full[T any]() (v T) {
	n := 0
	var fill func(v reflect.Value)
	fill = func(v reflect.Value) {
		if _, ok := v.Interface().(time.Time); ok {
			return // the database's
		}
		n++
		switch v.Kind() {
		case reflect.Bool:
			v.SetBool(true)
		case reflect.Int, reflect.Int32, reflect.Int64:
			v.SetInt(int64(n))
		case reflect.Float32, reflect.Float64:
			v.SetFloat(float64(n) + 0.5)
		case reflect.String:
			v.SetString(fmt.Sprint("text ", n))
		case reflect.Pointer:
			v.Set(reflect.New(v.Type().Elem()))
			fill(v.Elem())
		case reflect.Slice:
			v.Set(reflect.MakeSlice(v.Type(), 2, 2))
			fill(v.Index(0))
			fill(v.Index(1))
		case reflect.Interface:
			v.Set(reflect.ValueOf(n))
		case reflect.Map:
			value := reflect.New(v.Type().Elem()).Elem()
			fill(value)
			v.Set(reflect.MakeMap(v.Type()))
			v.SetMapIndex(reflect.ValueOf(fmt.Sprint("key ", n)).Convert(v.Type().Key()), value)
		case reflect.Array:
			for k := range v.Len() {
				fill(v.Index(k))
			}
		case reflect.Struct:
			for k := range v.NumField() {
				if f := v.Type().Field(k); f.IsExported() && f.Tag.Get("json") != "-" {
					fill(v.Field(k))
				}
			}
		default:
			panic(fmt.Sprint("no value for ", v.Type()))
		}
	}
	fill(reflect.ValueOf(&v).Elem())
	return v
}

func TestEveryColumnComesBackAsItWent(t *testing.T) {
	s := pgtest.New(t)
	house := full[store.House]()
	house.Revision = 0
	require.NoError(t, s.SetHouse(ctx, house))
	is := func(want, got any, err error) {
		t.Helper()
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	id := func(id int64, err error) int64 {
		t.Helper()
		require.NoError(t, err)
		return id
	}
	done := func(err error) {
		t.Helper()
		require.NoError(t, err)
	}
	blob := func() int64 {
		b, err := s.PutBlob(ctx, bytes.NewReader([]byte(fmt.Sprint("file ", time.Now()))))
		require.NoError(t, err)
		return b.ID
	}

	// The house's own, added and written over.
	machines := []store.Machine{{Revision: 1, Data: full[machine.Machine]()}, {Revision: 1, Data: machine.Machine{Name: "bare"}}}
	materials := []store.Material{{Revision: 1, Data: machine.Material{Name: "bare"}}, {Revision: 1, Data: full[machine.Material]()}}
	for k := range 2 {
		machines[k].ID = id(s.AddMachine(ctx, machines[k].Data))
		materials[1-k].ID = id(s.AddMaterial(ctx, materials[1-k].Data))
	}
	recipes := []store.Recipe{ // by machine, whichever was added first
		{Revision: 1, MachineID: machines[0].ID, MaterialID: materials[0].ID, Data: recipe.Recipe{Purpose: "quick look"}},
		{Revision: 1, MachineID: machines[1].ID, MaterialID: materials[1].ID, Data: full[recipe.Recipe]()},
	}
	for _, r := range []*store.Recipe{&recipes[1], &recipes[0]} {
		r.ID = id(s.AddRecipe(ctx, r.MachineID, r.MaterialID, r.Data))
	}
	named := func() { // as machine and material are called today
		for k := range recipes {
			recipes[k].Data.Machine, recipes[k].Data.Material = machines[k].Data.Name, materials[k].Data.Name
		}
	}
	named()
	house.Revision = 1
	stands := func() {
		t.Helper()
		h, err := s.House(ctx)
		is(house, h, err)
		m, err := s.Machines(ctx)
		is(machines, m, err)
		t2, err := s.Materials(ctx)
		is(materials, t2, err)
		r, err := s.Recipes(ctx)
		is(recipes, r, err)
	}
	stands()
	house.Name, house.Locale, house.Currency, house.TimeZone, house.FilePattern = house.Locale, house.Currency, house.TimeZone, house.FilePattern, house.Name
	house.AttendanceMin, house.StartCents, house.LongestRunMin, house.Week[0] = 7, 8, 9, house.Week[1]
	machines[1].Data.Name, materials[0].Data.Name, recipes[1].MaterialID, recipes[1].Data.Shells = "other", "another", materials[0].ID, 99
	done(s.SetHouse(ctx, house))
	done(s.SetMachine(ctx, machines[1]))
	done(s.SetMaterial(ctx, materials[0]))
	done(s.SetRecipe(ctx, recipes[1]))
	for what, err := range map[string]error{
		"house": s.SetHouse(ctx, house), "machine": s.SetMachine(ctx, machines[1]), "material": s.SetMaterial(ctx, materials[0]), "recipe": s.SetRecipe(ctx, recipes[1]),
	} {
		assert.ErrorIs(t, err, store.ErrChanged, "%s: the second writer has seen an old revision", what)
	}
	named()
	recipes[1].Data.Material = materials[0].Data.Name
	for _, revision := range []*int{&house.Revision, &machines[1].Revision, &materials[0].Revision, &recipes[1].Revision} {
		*revision++
	}
	stands()

	// People: by login, by number, in the list, changed, closed.
	ada := store.Person{Login: "ada", Name: "B", Role: "steward", Hash: "#"}
	id(s.AddPerson(ctx, store.Person{Login: "zed", Name: "A", Role: "member"}))
	ada.ID = id(s.AddPerson(ctx, store.Person{Login: " ADA ", Name: "B", Role: "steward", Hash: "#"}))
	p, err := s.PersonByLogin(ctx, "Ada")
	is(ada, p, err)
	ada.Role, ada.Hash, ada.Closed = "coordinator", "##", true
	done(s.SetPerson(ctx, ada))
	p, err = s.PersonByID(ctx, ada.ID)
	is(ada, p, err)
	people, err := s.People(ctx)
	require.NoError(t, err)
	require.Len(t, people, 1, "closed accounts are not listed")
	assert.Equal(t, "zed", people[0].Login)
	done(s.SetGroup(ctx, ada.ID, "evening class"))
	ada.Club = "evening class"
	p, err = s.PersonByID(ctx, ada.ID)
	is(ada, p, err)

	// The house's own words, by occasion; none is the catalogue's again.
	done(s.SetLetter(ctx, "approved", "yes {title}"))
	done(s.SetLetter(ctx, "sent back", "no"))
	done(s.SetLetter(ctx, "sent back", ""))
	words, err := s.Templates(ctx)
	is(map[string]string{"approved": "yes {title}"}, words, err)

	// A job with its check.
	day := time.Date(2031, 2, 3, 0, 0, 0, 0, time.UTC)
	job := store.Job{Title: "title", MemberID: ada.ID, MemberName: "B", Purpose: "purpose", Wish: "wish", Use: printability.Use{WarmC: 60, Outdoors: true, Flexible: true, Load: true, Fits: true, Colour: "colour"}, NeededBy: &day, State: "arrived", Revision: 1, TaskState: "queued"}
	job.ID = id(s.AddJob(ctx, job))
	jobStands := func() {
		t.Helper()
		j, err := s.Job(ctx, job.ID)
		assert.WithinDuration(t, time.Now(), j.CreatedAt, time.Hour)
		j.CreatedAt = time.Time{}
		is(job, j, err)
	}
	jobStands()
	at := time.Date(2031, 1, 2, 3, 4, 5, 0, time.UTC)
	done(s.AddLetter(ctx, store.Letter{JobID: job.ID, Kind: "asked", Text: "first", At: at}, 0))
	done(s.AddLetter(ctx, store.Letter{JobID: job.ID, Kind: "approved", Text: "second", At: at.Add(time.Hour)}, ada.ID))
	letters, err := s.Letters(ctx, job.ID)
	for i := range letters {
		letters[i].At = letters[i].At.UTC()
	}
	is([]store.Letter{{JobID: job.ID, Kind: "approved", Text: "second", Person: "B", At: at.Add(time.Hour)}, {JobID: job.ID, Kind: "asked", Text: "first", At: at}}, letters, err)
	lastSaid, err := s.LastLetters(ctx, ada.ID)
	is(map[int64]string{job.ID: "second"}, lastSaid, err)
	for k, uncount := range []bool{false, true, false} { // begun thrice, interrupted once
		tries, err := s.BeginTask(ctx, job.ID, 1)
		is([]int{1, 2, 2}[k], tries, err)
		done(s.RequeueTask(ctx, job.ID, 1, uncount))
	}
	round, err := s.RenewTask(ctx, job.ID)
	is(2, round, err)
	done(s.SetTaskQueueID(ctx, job.ID, 77))
	tries, err := s.BeginTask(ctx, job.ID, 2)
	is(1, tries, err)
	done(s.Progress(ctx, job.ID, 2, "reading", 0.25))
	task, err := s.TaskOf(ctx, job.ID)
	is(store.Task{State: "running", Round: 2, QueueID: 77, Tries: 1}, task, err)
	job.TaskState, job.TaskDoing, job.Fraction = "running", "reading", 0.25
	jobStands()
	assert.ErrorIs(t, s.Progress(ctx, job.ID, 1, "reading", 0.5), store.ErrChanged, "an old round")
	done(s.SetTask(ctx, job.ID, "failed", "why"))
	done(s.SetState(ctx, job.ID, "sent back", "no"))
	job.TaskState, job.TaskDoing, job.Fraction, job.TaskError, job.State, job.Reason, job.Revision = "failed", "", 0, "why", "sent back", "no", 2
	jobStands()
	done(s.InTx(ctx, func(tx *store.Tx) error {
		tx.Tell(store.Event{Kind: store.OfJob, JobID: job.ID, Person: ada.ID, What: "what", Why: "why", Says: problem.Say("moved to", "A"), Because: problem.Say("told", "so"), Name: "approved", Data: json.RawMessage(`{"machine": "A"}`)})
		tx.Tell(store.Event{Kind: store.OfJob, JobID: job.ID, What: "by itself"})
		tx.LanesChanged()
		return nil
	}))
	changes, err := s.ChangesAfter(ctx, 0, 9)
	require.NoError(t, err)
	require.Len(t, changes, 2)
	assert.Equal(t, store.Change{ID: changes[0].ID, Kind: "job", JobID: job.ID, Owner: job.MemberID, Lanes: true}, changes[0])
	last, err := s.LastEvent(ctx)
	is(changes[1].ID, last, err)
	lines, err := s.History(ctx, job.ID)
	require.NoError(t, err)
	require.Len(t, lines, 2)
	assert.WithinDuration(t, time.Now(), lines[0].At, time.Hour)
	assert.Equal(t, store.Event{ID: lines[0].ID, At: lines[0].At, Kind: "job", JobID: job.ID, Person: ada.ID, Who: "B", What: "what", Why: "why", Says: problem.Say("moved to", "A"), Because: problem.Say("told", "so"), Name: "approved", Data: json.RawMessage(`{"machine": "A"}`)}, lines[0])
	assert.Equal(t, store.Event{ID: lines[1].ID, At: lines[1].At, Kind: "job", JobID: job.ID, What: "by itself", Data: json.RawMessage(`{}`)}, lines[1])

	// What its largest file weighs, as it came: more for models, most for packed ones.
	for name, times := range map[string]int64{"a.stl": 6, "A.3MF": 50, "x.amf": 50, "p.gcode": 1, "P.GCO": 1, "p.g": 1, "3mf": 6} {
		weighed := id(s.AddJob(ctx, store.Job{Title: name, MemberID: ada.ID, Purpose: "everyday"}))
		b, err := s.PutBlob(ctx, strings.NewReader("twelve bytes"))
		require.NoError(t, err)
		one := id(s.AddPiece(ctx, store.Piece{JobID: weighed, Name: name, Copies: 1, BlobID: &b.ID}))
		long, err := s.PutBlob(ctx, strings.NewReader("mended, it may be longer"))
		require.NoError(t, err)
		n, err := s.AddVersion(ctx, one, 1, []string{"weld"})
		require.NoError(t, err)
		done(s.SetJudgement(ctx, one, n, store.Judgement{BlobID: &long.ID}))
		w, err := s.FileWeight(ctx, weighed, 6, 50)
		is(12*times, w, err)
		done(s.SetState(ctx, weighed, "withdrawn", ""))
	}

	// Its pieces, as they came and mended.
	came, mended, view := blob(), blob(), blob()
	id(s.AddPiece(ctx, store.Piece{JobID: job.ID, Name: "first", Copies: 1, BlobID: &came}))
	piece := store.Piece{JobID: job.ID, Name: "name", Copies: 3, Part: 4, Unit: units.Inch, Current: 1, BlobID: &came, Steps: []string{}}
	piece.ID = id(s.AddPiece(ctx, piece))
	pieceStands := func() {
		t.Helper()
		got, err := s.Piece(ctx, piece.ID)
		piece.Judgement = got.Judgement
		assert.Equal(t, piece.Verdict != nil, got.Judgement > 0)
		is(piece, got, err)
		pieces, err := s.Pieces(ctx, job.ID)
		require.NoError(t, err)
		require.Len(t, pieces, 2)
		is(piece, pieces[1], nil)
	}
	pieceStands()
	n, err := s.AddVersion(ctx, piece.ID, 1, []string{"weld", "holes"})
	is(2, n, err)
	piece.Name, piece.Copies, piece.Part, piece.Unit, piece.Current, piece.BlobID, piece.Steps = "other", 5, 6, units.Centimetre, 2, nil, []string{"weld", "holes"}
	done(s.SetPiece(ctx, piece))
	pieceStands()
	j := store.Judgement{Verdict: new(full[verdict.Verdict]()), By: full[revision.Judged](), Evidence: full[[]finding.Evidence](), Problem: "problem", Picture: []byte("png"), ViewID: &view, BlobID: &mended, Log: full[[]repair.Done]()}
	done(s.SetJudgement(ctx, piece.ID, 2, j))
	piece.Verdict, piece.By, piece.Problem, piece.Seen, piece.ViewID, piece.BlobID = j.Verdict, j.By, j.Problem, true, &view, &mended
	pieceStands()
	v, err := s.Version(ctx, piece.ID, 2)
	is(store.Version{PieceID: piece.ID, N: 2, BlobID: &mended, Steps: piece.Steps, Log: j.Log, At: v.At, Verdict: j.Verdict, Problem: j.Problem, Seen: true, ViewID: &view, Origin: new(1)}, v, err)
	// How it stands and is pulled, its nozzle; what is left out is kept apart, and changes are remembered.
	piece.Stand, piece.Nozzle, piece.Load = new(full[orient.Stand]()), 2, new([3]float64{1, -2, 0.5})
	done(s.SetPiece(ctx, piece))
	pieceStands()
	was := store.Undo{Done: []store.PieceState{piece.State(), full[store.PieceState]()}, Undone: []store.PieceState{full[store.PieceState]()}}
	done(s.SetUndo(ctx, piece.ID, was))
	piece.Done, piece.Undone = 2, 1
	pieceStands()
	undo, err := s.UndoOf(ctx, piece.ID)
	is(was, undo, err)
	out := piece
	out.LeftOut = true
	done(s.SetPiece(ctx, out))
	left, err := s.LeftOut(ctx, job.ID)
	is([]store.Piece{out}, left, err)
	rest, err := s.Pieces(ctx, job.ID)
	require.NoError(t, err)
	require.Len(t, rest, 1)
	assert.NotEqual(t, piece.ID, rest[0].ID)
	done(s.SetPiece(ctx, piece))
	pieceStands()
	given := blob()
	third, err := s.ReplaceFile(ctx, piece.ID, given)
	is(3, third, err)
	v, err = s.Version(ctx, piece.ID, 3)
	is(store.Version{PieceID: piece.ID, N: 3, BlobID: &given, Steps: []string{}, Log: []repair.Done{}, At: v.At}, v, err)
	verdicts, err := s.VerdictsOf(ctx, []int64{piece.ID}, []int64{piece.Judgement})
	is(j.Verdict, verdicts[piece.Judgement], err)
	picture, err := s.Picture(ctx, piece.ID, 2)
	is(j.Picture, picture, err)
	evidence, err := s.Evidence(ctx, piece.ID, 2)
	is(j.Evidence, evidence, err)

	// A slice of it, and one it is an alternative to.
	slice := full[store.Slice]()
	base := id(s.AddSlice(ctx, store.Slice{JobID: job.ID, MachineID: machines[0].ID, Pieces: []revision.Piece{}}, 0))
	slice.JobID, slice.MachineID, slice.BaseID, slice.Joins = job.ID, machines[1].ID, &base, []int64{}
	slice.State, slice.Fraction, slice.Tries, slice.Chosen, slice.Waits, slice.RunID = "done", 1, 1, true, "", 0
	slice.ID = id(s.AddSlice(ctx, slice, ada.ID))
	assert.Equal(t, int(ada.ID), count(t, s, `SELECT coalesce(person_id, 0)::int FROM slice ORDER BY id DESC LIMIT 1`))
	done(s.SetSliceQueueID(ctx, slice.ID, slice.QueueID))
	tries, err = s.BeginSlice(ctx, slice.ID)
	is(1, tries, err)
	done(s.EndSlice(ctx, slice))
	done(s.ChooseSlice(ctx, slice))
	got, err := s.Slice(ctx, slice.ID)
	assert.WithinDuration(t, time.Now(), got.At, time.Hour)
	slice.At = got.At
	is(slice, got, err)
	plate := store.Plate{SliceID: slice.ID, N: 1, Spots: full[[]slicing.Spot](), Full: slice.Full, LayersID: new(blob()), GCodeID: new(blob()), StandingID: new(blob())}
	alike := store.Plate{SliceID: slice.ID, N: 2, Alike: new(1), Spots: plate.Spots[:0]}
	done(s.AddPlate(ctx, plate))
	done(s.AddPlate(ctx, alike))
	plates, err := s.Plates(ctx, slice.ID)
	require.NoError(t, err)
	require.Len(t, plates, 2)
	plate.ID, alike.ID = plates[0].ID, plates[1].ID
	own := alike
	alike.Full, alike.LayersID, alike.GCodeID, alike.StandingID = plate.Full, plate.LayersID, plate.GCodeID, plate.StandingID
	is([]store.Plate{plate, alike}, plates, nil)
	plates, err = s.PlatesOfSlices(ctx, job.ID)
	is([]store.Plate{plate, own}, plates, err)
	of, err := s.Slices(ctx, job.ID)
	require.NoError(t, err)
	require.Len(t, of, 2)
	assert.Equal(t, base, of[0].ID)
	for k, uncount := range []bool{false, true, false} {
		tries, err := s.BeginSlice(ctx, base)
		is([]int{1, 2, 2}[k], tries, err)
		done(s.RequeueSlice(ctx, base, uncount))
	}
	done(s.EndSlice(ctx, store.Slice{ID: base, State: "failed", Error: "why"}))
	assert.ErrorIs(t, s.EndSlice(ctx, store.Slice{ID: base, State: "done"}), store.ErrChanged, "it is over")
	done(s.AgainSlice(ctx, base))
	done(s.SliceWaits(ctx, base, "for memory"))
	got, err = s.Slice(ctx, base)
	is("for memory", got.Waits, err)
	assert.ErrorIs(t, s.AgainSlice(ctx, base), store.ErrChanged, "it is queued")
	tries, err = s.BeginSlice(ctx, base)
	is(1, tries, err)
	done(s.SliceProgress(ctx, base, 0.5))
	got, err = s.Slice(ctx, base)
	is([4]any{"running", "", float32(0.5), false}, [4]any{got.State, got.Error, got.Fraction, got.Chosen}, err)
	counting, err := s.CountingSlices(ctx, job.ID)
	noLayers := *slice.Full
	noLayers.ByLayer = nil
	is([]store.Counting{{ID: slice.ID, JobID: job.ID, MachineID: machines[1].ID, Chosen: true, Full: &noLayers, Overrides: slice.Overrides, Pieces: slice.Pieces, Made: slice.Made, Purpose: "purpose"}}, counting, err)
	// A slice is in use with what is held against it: at work, chosen or run; else it goes, with that.
	used := func(id int64) bool {
		is, err := s.InUse(ctx, id)
		require.NoError(t, err)
		return is
	}
	plain := store.Slice{JobID: job.ID, MachineID: machines[0].ID, Pieces: []revision.Piece{}}
	stays := id(s.AddSlice(ctx, plain, 0))
	assert.True(t, used(stays), "it waits")
	plain.BaseID = &stays
	against := id(s.AddSlice(ctx, plain, 0))
	ended := func(id int64) {
		done(s.EndSlice(ctx, store.Slice{ID: id, State: "done"}))
		done(s.AddPlate(ctx, store.Plate{SliceID: id, N: 1, Spots: []slicing.Spot{}}))
	}
	ended(stays)
	assert.True(t, used(stays), "what is held against it waits")
	ended(against)
	assert.False(t, used(stays))
	done(s.ChooseSlice(ctx, store.Slice{ID: against, JobID: job.ID}))
	assert.True(t, used(stays), "what was held against it counts")
	done(s.ChooseSlice(ctx, slice))
	done(s.NameSlice(ctx, against, "thick"))
	thick, err := s.Slice(ctx, against)
	is("thick", thick.Label, err)
	// One that puts its plate together with another is of no one job, and goes with it.
	alone, err := s.Plates(ctx, stays)
	require.NoError(t, err)
	joins := []int64{alone[0].ID, plate.ID}
	joint := id(s.AddSlice(ctx, store.Slice{MachineID: machines[0].ID, BaseID: &slice.ID, Joins: joins, Pieces: []revision.Piece{}}, 0))
	for _, of := range [][]int64{joins[:1], joins[1:], {plate.ID + 1000, alone[0].ID}} {
		all, err := s.JointsOf(ctx, of)
		require.NoError(t, err)
		require.Len(t, all, 1)
		is(joins, all[0].Joins, nil)
		is([]int64{joint, 0}, []int64{all[0].ID, all[0].JobID}, nil)
	}
	held, err := s.JointsAgainst(ctx, job.ID)
	require.NoError(t, err)
	require.Len(t, held, 1)
	ofJob, err := s.Slices(ctx, job.ID)
	require.NoError(t, err)
	for _, o := range ofJob {
		assert.NotEqual(t, joint, o.ID)
	}
	require.Error(t, func() error {
		_, err := s.AddSlice(ctx, store.Slice{JobID: job.ID, MachineID: machines[0].ID, Joins: joins, Pieces: []revision.Piece{}}, 0)
		return err
	}(), "of a job, or of several plates")
	done(s.RemoveSlice(ctx, stays))
	for _, gone := range []int64{stays, against, joint} {
		_, err = s.Slice(ctx, gone)
		assert.ErrorIs(t, err, store.ErrNotFound)
		left, err := s.Plates(ctx, gone)
		require.NoError(t, err)
		assert.Empty(t, left)
	}
	assert.True(t, used(slice.ID))
	yes := full[promise]()
	done(s.SetYes(ctx, job.ID, &yes))
	j2, err := s.Job(ctx, job.ID)
	is(&yes, j2.Yes, err)
	done(s.SetYes(ctx, job.ID, nil))

	// Its run.
	other := id(s.AddJob(ctx, store.Job{Title: "other", MemberID: ada.ID, Purpose: "purpose", State: "arrived"}))
	defer func() { // whatever came to the others, each is found by its own number
		id(s.AddRun(ctx, store.Run{MachineID: machines[0].ID, Recipe: "r", Material: "m", Colour: "#", State: "planned", Seconds: 1, Grams: 1, Shares: []store.Share{{JobID: other}}}))
		for _, n := range []int64{job.ID, other} {
			j, err := s.Job(ctx, n)
			is(n, j.ID, err)
			r, err := s.RunsOfJob(ctx, n)
			require.NoError(t, err)
			require.Len(t, r, 1)
			assert.Equal(t, n, r[0].Shares[0].JobID)
		}
	}()
	run := store.Run{MachineID: machines[0].ID, Position: 1, Recipe: "r", Material: "m", Colour: "#", Seconds: 3.5, Grams: 4.5, State: "planned", PlateID: &alike.ID, GCodeID: plate.GCodeID,
		Heats: []wire.Heat{}, Bad: []int{},
		Shares: []store.Share{{JobID: job.ID, JobTitle: "title", JobRevision: 2, MemberName: "B", NeededBy: &day, PlateID: &alike.ID, Plate: 2, Plates: 2, Seconds: 1.5, Grams: 2.5, PriceCents: 6}}}
	run.ID = id(s.AddRun(ctx, run))
	runStands := func() {
		t.Helper()
		r, err := s.Run(ctx, run.ID)
		if run.Since.IsZero() { // it came to its first state just now
			assert.WithinDuration(t, time.Now(), r.Since, time.Minute)
			run.Since = r.Since
		}
		is(run, r, err)
	}
	runStands()
	run.Position = 9
	done(s.PlaceRun(ctx, run.ID, 9))
	runStands()
	way := full[store.Run]()
	run.Checked, run.Wants, run.WantedBy, run.Why, run.Watcher, run.WatchedBy, run.Seen = way.Checked, "pause", ada.ID, problem.Say("not heard"), ada.ID, ada.Name, ada.ID
	run.Layer, run.DoneShare, run.Heats, run.Bad = 4, 0.25, way.Heats, []int{2, 3}
	run.Checked.At = run.Checked.At.UTC()
	done(s.SetRunCourse(ctx, run))
	runStands()
	again := id(s.AddSlice(ctx, store.Slice{MachineID: machines[0].ID, Pieces: []revision.Piece{}, Joins: []int64{alike.ID}, RunID: run.ID}, 0))
	x, err := s.Slice(ctx, again)
	is(run.ID, x.RunID, err)
	_, err = s.RunOn(ctx, run.MachineID)
	require.ErrorIs(t, err, store.ErrNotFound, "it waits")
	start := time.Date(2031, 1, 2, 3, 4, 5, 0, time.Local)
	done(s.SetRunState(ctx, run.ID, "heating", start, ""))
	run.State, run.StartedAt, run.Since, run.Wants, run.WantedBy, run.Why = "heating", &start, start, "", 0, problem.Phrase{}
	runStands()
	on, err := s.RunOn(ctx, run.MachineID)
	is(run.ID, on.ID, err)

	// Its machine is one process's at a time, and tells what is known to that one only.
	fence, ok, err := s.Lease(ctx, run.MachineID, "one", time.Minute)
	is(true, ok, err)
	_, ok, err = s.Lease(ctx, run.MachineID, "other", time.Minute)
	is(false, ok, err)
	same, ok, err := s.Lease(ctx, run.MachineID, "one", time.Minute)
	is(fence, same, err)
	assert.True(t, ok)
	done(s.RunProgress(ctx, run.ID, fence, 5, 0.5))
	done(s.RunProgress(ctx, run.ID, fence+1, 9, 0.9))
	run.Layer, run.DoneShare = 5, 0.5
	runStands()
	done(s.SetSaid(ctx, run.MachineID, fence, []byte(`{"a": 1}`)))
	done(s.SetSaid(ctx, run.MachineID, fence-1, []byte(`{"a": 2}`)))
	devices, err := s.Devices(ctx)
	is(1, len(devices), err)
	assert.JSONEq(t, `{"a": 1}`, string(devices[0].Said))
	assert.True(t, devices[0].Held)
	done(s.Release(ctx, run.MachineID, fence-1))
	_, ok, err = s.Lease(ctx, run.MachineID, "other", time.Minute)
	is(false, ok, err)
	done(s.Release(ctx, run.MachineID, fence))
	next, ok, err := s.Lease(ctx, run.MachineID, "other", time.Millisecond)
	is(fence+1, next, err)
	assert.True(t, ok)
	time.Sleep(2 * time.Millisecond)
	done(s.InTx(ctx, func(tx *store.Tx) error {
		held, err := tx.Holds(ctx, run.MachineID, next)
		assert.False(t, held, "its time is over")
		return err
	}))
	newer, ok, err := s.Lease(ctx, run.MachineID, "one", time.Minute)
	is(fence+2, newer, err)
	assert.True(t, ok)
	done(s.InTx(ctx, func(tx *store.Tx) error {
		held, err := tx.Holds(ctx, run.MachineID, newer)
		assert.True(t, held)
		return err
	}))

	done(s.SetRunState(ctx, run.ID, "off the machine", start.Add(time.Hour), "it warped"))
	hence := start.Add(time.Hour)
	run.State, run.Since, run.Reason = "off the machine", hence, "it warped"
	runStands()
	uncleared, err := s.ToClear(ctx, run.MachineID)
	is([]store.Run{run}, uncleared, err)
	done(s.Clear(ctx, run.ID, ada.ID, hence))
	run.ClearedAt = &hence
	runStands()
	uncleared, err = s.ToClear(ctx, run.MachineID)
	is(0, len(uncleared), err)

	// A spool, with the sums of its books, which are only added to.
	reel := full[store.Spool]()
	reel.MaterialID, reel.Material, reel.State, reel.MachineID, reel.Nozzle, reel.Revision = materials[1].ID, materials[1].Data.Name, spool.Sealed, nil, 0, 1
	reel.OpenedAt, reel.DriedAt, reel.LoadedAt, reel.Left, reel.Held = nil, nil, nil, 0, 0
	reel.ReceivedAt = hence
	reel.ID = id(s.AddSpool(ctx, reel))
	entries := []spool.Entry{
		{Spool: reel.ID, Material: "PLA", Kind: spool.Received, Left: 1000},
		{Spool: reel.ID, Run: run.ID, Nozzle: 2, Material: "PLA", Kind: spool.Reserved, Held: 300},
		{Spool: reel.ID, Run: run.ID, Nozzle: 2, Material: "PLA", Kind: spool.Used, Left: -70, Why: problem.Say("told", "so")},
		{Run: run.ID, Nozzle: 1, Material: "PLA", Kind: spool.Reserved, Held: 5},
	}
	done(s.AddGrams(ctx, hence, ada.ID, entries))
	reel.Left, reel.Held = 930, 300
	gotReel, err := s.Spool(ctx, reel.ID)
	is(reel, gotReel, err)
	grams, err := s.GramsOf(ctx, reel.ID, 2)
	require.NoError(t, err)
	require.Len(t, grams, 2)
	is(store.Gram{ID: grams[0].ID, At: hence, Person: ada.ID, Name: ada.Name, Spool: reel.ID, Run: run.ID, Nozzle: 2, Material: "PLA", Kind: spool.Used, Left: -70, Why: problem.Say("told", "so")}, grams[0], nil)
	holds, err := s.Holdings(ctx)
	is(0, len(holds), err) // the run is off the machine, and nothing is said to be promised to it
	done(s.SetHolds(ctx, run.ID, true))
	holds, err = s.Holdings(ctx)
	is([]store.Holding{{Run: run.ID, Nozzle: 1, Material: "PLA", Held: 5}, {Run: run.ID, Nozzle: 2, Material: "PLA", Spool: reel.ID, Held: 300, Used: 70}}, holds, err)
	usedBy, err := s.UsedBy(ctx, run.ID)
	is(map[int]units.Milligrams{2: 70}, usedBy, err)
	done(s.SetHolds(ctx, run.ID, false))
	reel.Place, reel.Reel, reel.State, reel.MachineID, reel.Nozzle = "elsewhere", 7, spool.Loaded, &machines[0].ID, 2
	reel.OpenedAt, reel.DriedAt, reel.LoadedAt = &hence, &hence, &hence
	done(s.SetSpool(ctx, reel))
	assert.ErrorIs(t, s.SetSpool(ctx, reel), store.ErrChanged)
	reel.Revision++
	reels, err := s.Spools(ctx, hence.Add(time.Hour))
	is([]store.Spool{reel}, reels, err)
	reel.State, reel.MachineID = spool.Empty, nil
	done(s.SetSpool(ctx, reel))
	reels, err = s.Spools(ctx, hence.Add(time.Hour))
	is(0, len(reels), err)
	reels, err = s.Spools(ctx, hence.Add(-time.Hour))
	is(1, len(reels), err)

	// A part that wears out; what a run did to its machine is counted once.
	part := full[store.WearPart]()
	part.MachineID, part.Revision, part.Since = machines[0].ID, 1, hence
	part.ID = id(s.AddWearPart(ctx, part))
	gotPart, err := s.WearPart(ctx, part.ID)
	is(part, gotPart, err)
	assert.Equal(t, wear.Part{Name: part.Name, Nozzle: part.Nozzle, LimitHours: part.LimitHours, LimitGrams: part.LimitGrams}, part.Part())
	assert.Equal(t, wear.Done{Seconds: part.Seconds, MG: part.MG, Runs: part.Runs}, part.Done())
	part.Name, part.Nozzle, part.LimitHours, part.LimitGrams, part.Seconds, part.MG, part.Runs, part.Since = "other", 2, 3, 4, 5, 6, 7, hence.Add(time.Hour)
	done(s.SetWearPart(ctx, part))
	assert.ErrorIs(t, s.SetWearPart(ctx, part), store.ErrChanged)
	part.Revision++
	for _, of := range []int64{0, machines[0].ID} {
		parts, err := s.WearParts(ctx, of)
		is([]store.WearPart{part}, parts, err)
	}
	parts, err := s.WearParts(ctx, machines[1].ID)
	is(0, len(parts), err)
	done(s.RemoveWearPart(ctx, part.ID))
	parts, err = s.WearParts(ctx, 0)
	is(0, len(parts), err)
	for _, first := range []bool{true, false, false} {
		counts, err := s.Wears(ctx, run.ID)
		is(first, counts, err)
	}

	// Finishing: the house's list, the steps of a job, where it waits, and what is owed for it.
	finishing := full[store.Finishing]()
	done(s.SetFinishing(ctx, finishing))
	gotFinishing, err := s.Finishing(ctx)
	is(finishing, gotFinishing, err)
	done(s.MakeSteps(ctx, job.ID, []finish.Step{full[finish.Step]()}))
	done(s.MakeSteps(ctx, job.ID, []finish.Step{full[finish.Step](), {Kind: "bare"}}))
	steps, err := s.Steps(ctx, job.ID)
	require.NoError(t, err)
	require.Len(t, steps, 2)
	step := full[store.Step]()
	madeOf := full[finish.Step]()
	step.ID, step.JobID, step.N, step.Person, step.By, step.State = steps[0].ID, job.ID, 1, ada.ID, ada.Name, finish.Under
	step.Kind, step.How, step.HandsMin, step.WaitMin, step.Cents = madeOf.Kind, madeOf.How, madeOf.HandsMin, madeOf.WaitMin, madeOf.Cents
	step.BegunAt, step.EndsAt, step.DoneAt = &hence, &hence, &hence
	done(s.SetStep(ctx, step))
	gotStep, err := s.Step(ctx, step.ID)
	is(step, gotStep, err)
	is(store.Step{ID: steps[1].ID, JobID: job.ID, N: 2, Kind: "bare", State: finish.ToDo}, steps[1], nil)
	underNow, err := s.StepsNow(ctx)
	is(0, len(underNow), err)
	pickup := store.Pickup{JobID: job.ID, Code: "C", Place: "P", ReadyAt: &hence, RemindedAt: &hence}
	none, err := s.Pickup(ctx, job.ID)
	is(store.Pickup{JobID: job.ID}, none, err)
	done(s.SetPickup(ctx, store.Pickup{JobID: job.ID}))
	done(s.SetPickup(ctx, pickup))
	gotPickup, err := s.Pickup(ctx, job.ID)
	is(pickup, gotPickup, err)
	gotPickup, err = s.PickupBy(ctx, "C")
	is(pickup, gotPickup, err)
	_, err = s.PickupBy(ctx, "D")
	assert.ErrorIs(t, err, store.ErrNotFound)
	pickups, err := s.Pickups(ctx)
	is(0, len(pickups), err)
	done(s.AddCharge(ctx, hence, ada.ID, charge.Line{Member: ada.ID, Job: job.ID, Kind: charge.Charged, Cents: 70, Why: problem.Say("told", "so")}))
	done(s.AddCharge(ctx, hence, 0, charge.Line{Member: ada.ID, Kind: charge.Paid, Cents: -30}))
	charges, err := s.Charges(ctx, ada.ID, 9)
	require.NoError(t, err)
	require.Len(t, charges, 2)
	is(store.Charge{ID: charges[0].ID, At: hence, Member: ada.ID, Kind: charge.Paid, Cents: -30}, charges[0], nil)
	wanted := store.Charge{ID: charges[1].ID, At: hence, Person: ada.ID, By: ada.Name, Member: ada.ID, JobID: job.ID, JobTitle: job.Title, Kind: charge.Charged, Cents: 70, Why: problem.Say("told", "so")}
	is(wanted, charges[1], nil)
	charges, err = s.ChargesOf(ctx, job.ID)
	is([]store.Charge{wanted}, charges, err)
	owing, err := s.Balances(ctx)
	is([]store.Owing{{Member: ada.ID, Name: ada.Name, Cents: 40}}, owing, err)
	outcomes, err := s.OutcomesOf(ctx, job.ID)
	is(1, len(outcomes), err)

	// An upload is taken once, by its owner.
	name, err := s.AddUpload(ctx, came, "file.stl", ada.ID)
	require.NoError(t, err)
	_, err = s.TakeUpload(ctx, name, ada.ID+1)
	assert.ErrorIs(t, err, store.ErrNotFound)
	u, err := s.TakeUpload(ctx, name, ada.ID)
	is(store.Upload{ID: name, BlobID: came, Name: "file.stl", PersonID: ada.ID}, u, err)
	_, err = s.TakeUpload(ctx, name, ada.ID)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// The database allows the states of the tables, and no others.
func TestStatesAreThoseOfTheTables(t *testing.T) {
	s := pgtest.New(t)
	quoted := regexp.MustCompile(`'([^']*)'`)
	for column, table := range map[string]*state.Table{"job_step_check": &job.Table, "run_state_check": &run.Table, "task_state_check": &task.Check, "slice_state_check": &task.Slice, "spool_state_check": &spool.Table, "step_state_check": &finish.Table} {
		var def string
		require.NoError(t, s.Pool.QueryRow(ctx, `SELECT pg_get_constraintdef(oid) FROM pg_constraint WHERE conname = $1`, column).Scan(&def))
		var allowed []string
		for _, m := range quoted.FindAllStringSubmatch(def, -1) {
			allowed = append(allowed, m[1])
		}
		assert.ElementsMatch(t, table.States(), allowed, column)
	}
}
