// Package intake is how models come in: files over the counter, jobs made of them, what is
// said about a piece, and the rounds of a check that a worker makes.
package intake

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"path"
	"slices"
	"strings"
	"time"
	"unicode"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/event"
	states "jobshelf/core/shop/job"
	"jobshelf/core/shop/task"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// HandIn is what comes over the counter.
type HandIn struct {
	Title    string           `json:"title,omitempty" maxLength:"120" doc:"Empty: taken from the first file's name"`
	MemberID int64            `json:"member_id,omitempty" doc:"Whose job it is; coordinators only. 0: the person signed in"`
	Purpose  recipe.Purpose   `json:"purpose" enum:"quick look,everyday,working part"`
	Wish     string           `json:"wish,omitempty" maxLength:"1000" doc:"What the member said"`
	Use      printability.Use `json:"use,omitzero" doc:"What it is for"`
	NeededBy string           `json:"needed_by,omitempty" pattern:"^(\\d{4}-\\d{2}-\\d{2})?$" doc:"Date, YYYY-MM-DD"`
	Pieces   []HandInPiece    `json:"pieces" minItems:"1" maxItems:"50"`
}

// HandInPiece is one uploaded file.
type HandInPiece struct {
	UploadID string `json:"upload_id" minLength:"1" maxLength:"60"`
	Copies   int    `json:"copies" minimum:"1" maximum:"999"`
	Unit     string `json:"unit,omitempty" enum:"mm,cm,m,in,ft,µm" doc:"What the member says the file is in; left out: as the file says, or to be asked"`
}

// Upload keeps a file until a job is made of it. name is the sender's and is
// only ever shown.
func Upload(ctx context.Context, d *desk.Desk, a desk.Actor, name string, r io.Reader) (id string, size int64, err error) {
	r, err = room(ctx, d, a, r)
	if err != nil {
		return "", 0, err
	}
	b, err := d.Store.PutBlob(ctx, r)
	if err != nil {
		return "", 0, err
	}
	id, err = d.Store.AddUpload(ctx, b.ID, cleanName(name), a.ID)
	return id, b.Size, err
}

// cleanName keeps the last element of a file's name, without what does not print.
func cleanName(name string) string {
	name = path.Base(strings.ReplaceAll(name, "\\", "/"))
	name = strings.Map(func(r rune) rune {
		if !unicode.IsPrint(r) {
			return -1
		}
		return r
	}, strings.ToValidUTF8(name, ""))
	if r := []rune(name); len(r) > 120 {
		name = string(r[:120])
	}
	if name == "" || name == "." || name == "/" {
		return "model"
	}
	return name
}

// NewJob makes a job of uploads and queues its check.
func NewJob(ctx context.Context, d *desk.Desk, a desk.Actor, in HandIn) (int64, error) {
	owner := a
	if in.MemberID != 0 && in.MemberID != a.ID {
		if !a.Role.AtLeast(desk.Coordinator) {
			return 0, desk.Wrong("member_id", "members for themselves")
		}
		p, err := d.Store.PersonByID(ctx, in.MemberID)
		if errors.Is(err, store.ErrNotFound) {
			return 0, desk.Wrong("member_id", "no such member", in.MemberID)
		}
		if err != nil {
			return 0, err
		}
		owner = desk.ActorOf(p)
	}
	job := store.Job{Title: strings.TrimSpace(in.Title), MemberID: owner.ID, Purpose: string(in.Purpose), Wish: strings.TrimSpace(in.Wish), Use: in.Use}
	if bad := in.Use.Check(); len(bad) > 0 {
		return 0, &desk.Invalid{Problems: bad}
	}
	if in.NeededBy != "" {
		day, err := time.Parse(time.DateOnly, in.NeededBy)
		if err != nil {
			return 0, desk.Wrong("needed_by", "no date", in.NeededBy)
		}
		h, err := d.Store.House(ctx)
		if err != nil {
			return 0, err
		}
		hours, err := desk.HoursOf(h)
		if err != nil {
			return 0, err
		}
		if today := d.Now().In(hours.Location).Format(time.DateOnly); in.NeededBy < today { // dates as texts go as their days do
			return 0, desk.Wrong("needed_by", "day is over", in.NeededBy, today)
		}
		job.NeededBy = &day
	}
	var id int64
	err := d.Store.InTx(ctx, func(tx *store.Tx) error {
		uploads := make([]store.Upload, len(in.Pieces))
		for i, p := range in.Pieces {
			u, err := tx.TakeUpload(ctx, p.UploadID, a.ID)
			if errors.Is(err, store.ErrNotFound) {
				return desk.Wrong(fmt.Sprintf("pieces[%d].upload_id", i), "file gone")
			}
			if err != nil {
				return err
			}
			uploads[i] = u
		}
		if job.Title == "" {
			job.Title = titleFrom(uploads[0].Name)
		}
		var err error
		if id, err = tx.AddJob(ctx, job); err != nil {
			return err
		}
		for i, u := range uploads {
			piece := store.Piece{JobID: id, Name: u.Name, Copies: in.Pieces[i].Copies, Part: -1, Unit: units.Length(in.Pieces[i].Unit), BlobID: &u.BlobID}
			if _, err := tx.AddPiece(ctx, piece); err != nil {
				return err
			}
		}
		place, err := d.Queue.Check(ctx, tx, id, 1)
		if err != nil {
			return err
		}
		if err := tx.SetTaskQueueID(ctx, id, place); err != nil {
			return err
		}
		job.ID = id
		desk.Touched(tx, job, a, event.HandedIn{Files: list(uploads)}, problem.Phrase{})
		return nil
	})
	return id, err
}

// SayUse sets what a job is for, while it is being weighed.
func SayUse(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, use printability.Use) error {
	use.Colour = strings.TrimSpace(use.Colour)
	if bad := use.Check(); len(bad) > 0 {
		return &desk.Invalid{Problems: bad}
	}
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := desk.LockJob(ctx, tx, a, id, revision)
		if err != nil {
			return err
		}
		if !states.Weighed(j.State) {
			return desk.Refuse("pieces settled", j.ID, j.State)
		}
		if j.Use == use {
			return nil
		}
		if err := tx.SetUse(ctx, id, use); err != nil {
			return err
		}
		desk.Touched(tx, j, a, event.All(said(use)), problem.Phrase{})
		return nil
	})
}

func said(use printability.Use) (what []event.Event) {
	if use.WarmC > 0 {
		what = append(what, event.ForWarmth{WarmC: use.WarmC})
	}
	if use.Outdoors {
		what = append(what, event.ForOutdoors{})
	}
	if use.Flexible {
		what = append(what, event.ForBending{})
	}
	if use.Load {
		what = append(what, event.ForLoad{})
	}
	if use.Fits {
		what = append(what, event.ForFitting{})
	}
	if use.Colour != "" {
		what = append(what, event.ForColour{Colour: use.Colour})
	}
	if len(what) == 0 {
		what = append(what, event.ForAnything{})
	}
	return what
}

func list(uploads []store.Upload) string {
	names := make([]string, len(uploads))
	for i, u := range uploads {
		names[i] = u.Name
	}
	return strings.Join(names, ", ")
}

// titleFrom makes a title of a file's name.
func titleFrom(name string) string {
	name = strings.TrimSuffix(name, path.Ext(name))
	name = strings.TrimSpace(strings.NewReplacer("-", " ", "_", " ").Replace(name))
	if name == "" {
		return "Model"
	}
	r := []rune(name)
	return string(unicode.ToUpper(r[0])) + string(r[1:])
}

// PieceChange is what can be set of a piece while its job is being weighed.
// Fields left out stay as they are.
type PieceChange struct {
	Revision int           `json:"revision" minimum:"1" doc:"The revision of the job that was seen"`
	Unit     *string       `json:"unit,omitempty" enum:",mm,cm,m,in,ft,µm" doc:"The unit it is in; empty: as the file says"`
	Copies   *int          `json:"copies,omitempty" minimum:"1" maximum:"999"`
	Current  *int          `json:"current,omitempty" minimum:"1" doc:"The version of the model that counts"`
	Stand    *orient.Stand `json:"stand,omitempty" doc:"How it stands: turned, scaled, mirrored"`
	Best     bool          `json:"best,omitempty" doc:"It stands as it prints best again, as large as it came"`
	Why      string        `json:"why,omitempty" maxLength:"300" doc:"Why it stands so"`
	Load     *[3]float64   `json:"load,omitempty" doc:"Along which way it is pulled in use, in the model's coordinates"`
	NoLoad   bool          `json:"no_load,omitempty" doc:"Along which way it is pulled does not matter"`
	LeftOut  *bool         `json:"left_out,omitempty" doc:"It is left out of its job, or put back"`
	Nozzle   *int          `json:"nozzle,omitempty" minimum:"0" maximum:"2" doc:"The nozzle that lays it, counted from 1; 0: the recipe's"`
}

// ChangePiece sets unit, copies or the version that counts, and has the job
// checked again.
func ChangePiece(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, in PieceChange) error {
	return onPiece(ctx, d, a, id, in.Revision, func(tx *store.Tx, p *store.Piece) (what []event.Event, err error) {
		if in.Unit != nil && units.Length(*in.Unit) != p.Unit {
			p.Unit = units.Length(*in.Unit)
			if p.Unit == "" {
				what = append(what, event.UnitLeft{Piece: p.Name})
			} else {
				what = append(what, event.UnitSaid{Piece: p.Name, Unit: string(p.Unit)})
			}
		}
		if in.Copies != nil && *in.Copies != p.Copies {
			p.Copies = *in.Copies
			what = append(what, event.CopiesSaid{Copies: p.Copies, Piece: p.Name})
		}
		if in.Current != nil && *in.Current != p.Current {
			if _, err := tx.Version(ctx, p.ID, *in.Current); err != nil {
				return nil, err
			}
			p.Current = *in.Current
			if p.Current == 1 {
				what = append(what, event.CountsAsItCame{Piece: p.Name})
			} else {
				what = append(what, event.CountsMended{Piece: p.Name, Version: p.Current})
			}
		}
		stood, err := stand(p, in)
		if err != nil {
			return nil, err
		}
		if in.Nozzle != nil && *in.Nozzle != p.Nozzle {
			if p.Nozzle = *in.Nozzle; p.Nozzle == 0 {
				stood = append(stood, event.NozzleOfRecipe{Piece: p.Name})
			} else {
				stood = append(stood, event.NozzleSaid{Piece: p.Name, Nozzle: p.Nozzle})
			}
		}
		if stood, err = pull(p, in, stood); err != nil {
			return nil, err
		}
		if in.LeftOut != nil && *in.LeftOut != p.LeftOut {
			if stood, err = leave(ctx, tx, p, *in.LeftOut, stood); err != nil {
				return nil, err
			}
		}
		if len(stood) == 0 {
			return what, nil
		}
		return append(what, stood...), tx.UnchooseSlices(ctx, p.JobID) // those were made as it was before
	})
}

// pull sets along which way a piece is pulled in use.
func pull(p *store.Piece, in PieceChange, what []event.Event) ([]event.Event, error) {
	switch {
	case in.NoLoad && p.Load != nil:
		p.Load = nil
		return append(what, event.LoadNone{Piece: p.Name}), nil
	case in.Load == nil || p.Load != nil && *p.Load == *in.Load:
		return what, nil
	}
	long := math.Sqrt(in.Load[0]*in.Load[0] + in.Load[1]*in.Load[1] + in.Load[2]*in.Load[2])
	if !(long > 1e-9) || math.IsInf(long, 0) {
		return nil, desk.Wrong("load", "load without a way")
	}
	p.Load = in.Load
	return append(what, event.LoadSaid{Piece: p.Name}), nil
}

// leave leaves a piece out of its job, or puts it back; one stays.
func leave(ctx context.Context, tx *store.Tx, p *store.Piece, out bool, what []event.Event) ([]event.Event, error) {
	p.LeftOut = out
	if !out {
		return append(what, event.PieceBack{Piece: p.Name}), nil
	}
	others, err := tx.Pieces(ctx, p.JobID)
	if err != nil {
		return nil, err
	}
	if len(others) < 2 {
		return nil, desk.Refuse("last piece", p.Name, p.JobID)
	}
	return append(what, event.PieceLeftOut{Piece: p.Name}), nil
}

// ReplaceFile puts another file in the place of a piece's: a new version, which counts. How it
// stands, its copies and its nozzle stay.
func ReplaceFile(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, upload string) error {
	return onPiece(ctx, d, a, id, revision, func(tx *store.Tx, p *store.Piece) (what []event.Event, err error) {
		u, err := tx.TakeUpload(ctx, upload, a.ID)
		if errors.Is(err, store.ErrNotFound) {
			return nil, desk.Wrong("upload_id", "file gone")
		}
		if err != nil {
			return nil, err
		}
		n, err := tx.ReplaceFile(ctx, p.ID, u.BlobID)
		if err != nil {
			return nil, err
		}
		what = []event.Event{event.FileReplaced{Piece: p.Name, By: u.Name}}
		p.Current, p.Name = n, u.Name
		return what, tx.UnchooseSlices(ctx, p.JobID)
	})
}

// stand sets how a piece stands, and says what is otherwise now.
func stand(p *store.Piece, in PieceChange) (what []event.Event, err error) {
	switch {
	case in.Best && in.Stand != nil:
		return nil, desk.Wrong("best", "stand given and best")
	case in.Best && p.Stand != nil:
		p.Stand = nil
		return []event.Event{event.StandsAsBest{Piece: p.Name}}, nil
	case in.Stand == nil:
		return nil, nil
	}
	if p.Verdict != nil && p.Verdict.Format == modelfile.GCode {
		return nil, desk.Refuse("no model to turn", p.Name)
	}
	if bad := in.Stand.Check(); len(bad) > 0 {
		return nil, &desk.Invalid{Problems: bad}
	}
	was, now := p.Stands(), in.Stand.Plain()
	if p.Stand != nil && was.Like(now) {
		return nil, nil
	}
	if was.Scale != now.Scale {
		if strings.TrimSpace(in.Why) == "" {
			return nil, desk.Wrong("why", "size without a reason")
		}
		what = append(what, event.Sized{Piece: p.Name, XPercent: 100 * now.Scale[0], YPercent: 100 * now.Scale[1], ZPercent: 100 * now.Scale[2], Why: in.Why})
	}
	if was.Mirror != now.Mirror {
		what = append(what, event.Mirrored{Piece: p.Name})
	}
	if len(what) == 0 || !(orient.Stand{Turn: was.Turn}).Like(orient.Stand{Turn: now.Turn}) {
		what = append(what, event.Turned{Piece: p.Name})
	}
	p.Stand = &now
	return what, nil
}

// PieceTurn is how a piece is to stand.
type PieceTurn struct {
	PieceID int64       `json:"piece_id"`
	Turn    orient.Quat `json:"turn"`
}

// TurnPieces turns several pieces of a job at once, each as large as it is, and has it checked again.
func TurnPieces(ctx context.Context, d *desk.Desk, a desk.Actor, job int64, revision int, turns []PieceTurn) error {
	return changePieces(ctx, d, a, job, revision, func(tx *store.Tx, change changing) error {
		for _, t := range turns {
			p, err := tx.Piece(ctx, t.PieceID)
			if err == nil && p.JobID != job {
				err = store.ErrNotFound
			}
			if err != nil {
				return err
			}
			now := p.Stands()
			if err := change(p, func(p *store.Piece) ([]event.Event, error) {
				return stand(p, PieceChange{Stand: &orient.Stand{Turn: t.Turn, Scale: now.Scale, Mirror: now.Mirror}})
			}); err != nil {
				return err
			}
		}
		return nil
	})
}

// Repair makes a new version of a piece, from the file as it was handed in, by the given
// steps, and lets it count. The work is done by the check that this queues.
func Repair(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, steps []string) error {
	for i, s := range steps {
		if !slices.Contains(repair.Steps, repair.Step(s)) {
			return desk.Wrong(fmt.Sprintf("steps[%d]", i), "no such repair", s)
		}
	}
	if len(steps) == 0 {
		return desk.Wrong("steps", "no step chosen")
	}
	return onPiece(ctx, d, a, id, revision, func(tx *store.Tx, p *store.Piece) (what []event.Event, err error) {
		return mended(ctx, tx, p, steps)
	})
}

// mended lets a version count that is still to be made of a piece by some steps.
func mended(ctx context.Context, tx *store.Tx, p *store.Piece, steps []string) ([]event.Event, error) {
	if p.Verdict == nil || p.Verdict.Format == modelfile.GCode {
		return nil, desk.Refuse("no model to repair", p.Name)
	}
	now, err := tx.Version(ctx, p.ID, p.Current)
	if err != nil {
		return nil, err
	}
	origin := now.N
	if now.Origin != nil {
		origin = *now.Origin
	}
	p.Current, err = tx.AddVersion(ctx, p.ID, origin, steps)
	return []event.Event{event.RepairAskedFor{Piece: p.Name, Steps: strings.Join(steps, ", ")}}, err
}

// RepairAll repairs every piece of a job of which a finding calls for it, by the steps that these call for;
// the others, and what could not be read, stay as they are.
func RepairAll(ctx context.Context, d *desk.Desk, a desk.Actor, job int64, revision int) error {
	return changePieces(ctx, d, a, job, revision, func(tx *store.Tx, change changing) error {
		pieces, err := tx.Pieces(ctx, job)
		if err != nil {
			return err
		}
		some := false
		for _, p := range pieces {
			if p.Verdict == nil {
				continue
			}
			var steps []string
			for _, s := range finding.Mending(p.Verdict.Findings) {
				steps = append(steps, string(s))
			}
			if len(steps) == 0 {
				continue
			}
			some = true
			if err := change(p, func(p *store.Piece) ([]event.Event, error) { return mended(ctx, tx, p, steps) }); err != nil {
				return err
			}
		}
		if !some {
			return desk.Refuse("nothing to repair")
		}
		return nil
	})
}

// changing changes a piece, and remembers how it was.
type changing func(p store.Piece, how func(p *store.Piece) ([]event.Event, error)) error

// changePieces changes several pieces of a job that is being weighed, together, and has it checked again.
func changePieces(ctx context.Context, d *desk.Desk, a desk.Actor, job int64, revision int, all func(tx *store.Tx, change changing) error) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := desk.LockJob(ctx, tx, a, job, revision)
		if err != nil {
			return err
		}
		if !states.Weighed(j.State) {
			return desk.Refuse("pieces settled", j.ID, j.State)
		}
		var told []event.Event
		err = all(tx, func(p store.Piece, how func(p *store.Piece) ([]event.Event, error)) error {
			was := p.State()
			what, err := how(&p)
			if err != nil || len(what) == 0 {
				return err
			}
			told = append(told, what...)
			return errors.Join(tx.SetPiece(ctx, p), remember(ctx, tx, p.ID, was, what))
		})
		if err != nil || len(told) == 0 {
			return err
		}
		if err := errors.Join(tx.UnchooseSlices(ctx, job), tx.SetState(ctx, job, j.State, "")); err != nil {
			return err
		}
		return Recheck(ctx, d, tx, j, a, event.All(told), problem.Phrase{})
	})
}

// onPiece changes a piece of a job that is being weighed and has it checked
// again. An empty account of what was done leaves all as it is.
func onPiece(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, change func(*store.Tx, *store.Piece) ([]event.Event, error)) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		p, err := tx.Piece(ctx, id)
		if err != nil {
			return err
		}
		j, err := desk.LockJob(ctx, tx, a, p.JobID, revision)
		if err != nil {
			return err
		}
		if p, err = tx.Piece(ctx, id); err != nil { // as it is under the lock
			return err
		}
		if !states.Weighed(j.State) {
			return desk.Refuse("pieces settled", j.ID, j.State)
		}
		was := p.State()
		what, err := change(tx, &p)
		if err != nil || len(what) == 0 {
			return err
		}
		if err := tx.SetPiece(ctx, p); err != nil {
			return err
		}
		if err := remember(ctx, tx, p.ID, was, what); err != nil {
			return err
		}
		if err := tx.SetState(ctx, j.ID, j.State, ""); err != nil { // its revision counts up
			return err
		}
		return Recheck(ctx, d, tx, j, a, event.All(what), problem.Phrase{})
	})
}

// mostUndone bounds how many changes of a piece can be taken back.
const mostUndone = 100

// remember keeps how a piece was before a change, unless that took one back or did it again.
func remember(ctx context.Context, tx *store.Tx, piece int64, was store.PieceState, what []event.Event) error {
	if _, ok := what[0].(event.PieceUndone); ok {
		return nil
	}
	if _, ok := what[0].(event.PieceRedone); ok {
		return nil
	}
	u, err := tx.UndoOf(ctx, piece)
	if err != nil {
		return err
	}
	done := append(u.Done, was)
	return tx.SetUndo(ctx, piece, store.Undo{Done: done[max(0, len(done)-mostUndone):], Undone: []store.PieceState{}})
}

// UndoPiece takes the last change of a piece back: its unit, copies, version, how it stands and how
// large, its nozzle.
func UndoPiece(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int) error {
	return stepPiece(ctx, d, a, id, revision, "nothing to undo", func(p *store.Piece, u *store.Undo) (from, to *[]store.PieceState, what event.Event) {
		return &u.Done, &u.Undone, event.PieceUndone{Piece: p.Name}
	})
}

// RedoPiece does what was taken back again.
func RedoPiece(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int) error {
	return stepPiece(ctx, d, a, id, revision, "nothing to redo", func(p *store.Piece, u *store.Undo) (from, to *[]store.PieceState, what event.Event) {
		return &u.Undone, &u.Done, event.PieceRedone{Piece: p.Name}
	})
}

func stepPiece(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, revision int, none string, way func(*store.Piece, *store.Undo) (from, to *[]store.PieceState, what event.Event)) error {
	return onPiece(ctx, d, a, id, revision, func(tx *store.Tx, p *store.Piece) ([]event.Event, error) {
		u, err := tx.UndoOf(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		from, to, what := way(p, &u)
		n := len(*from)
		if n == 0 {
			return nil, desk.Refuse(none, p.Name)
		}
		*to = append(*to, p.State())
		p.Be((*from)[n-1])
		*from = (*from)[:n-1]
		if err := tx.SetUndo(ctx, p.ID, u); err != nil {
			return nil, err
		}
		return []event.Event{what}, tx.UnchooseSlices(ctx, p.JobID)
	})
}

// Retry checks a job again, as a new round.
func Retry(ctx context.Context, d *desk.Desk, a desk.Actor, job int64) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := desk.LockJob(ctx, tx, a, job, 0)
		if err != nil {
			return err
		}
		if !states.Weighed(j.State) {
			return desk.Refuse("check closed", job, j.State)
		}
		return Recheck(ctx, d, tx, j, a, event.CheckAsked{}, problem.Phrase{})
	})
}

func Recheck(ctx context.Context, d *desk.Desk, tx *store.Tx, j store.Job, a desk.Actor, what event.Event, why problem.Phrase) error {
	t, err := tx.LockTask(ctx, j.ID)
	if err != nil {
		return err
	}
	if task.Busy(t.State) {
		if err := d.Queue.Cancel(ctx, tx, t.QueueID); err != nil {
			return err
		}
	}
	round, err := tx.RenewTask(ctx, j.ID)
	if err != nil {
		return err
	}
	place, err := d.Queue.Check(ctx, tx, j.ID, round)
	if err != nil {
		return err
	}
	if err := tx.SetTaskQueueID(ctx, j.ID, place); err != nil {
		return err
	}
	desk.Touched(tx, j, a, what, why)
	return nil
}

// CancelCheck stops a check that waits or runs.
func CancelCheck(ctx context.Context, d *desk.Desk, a desk.Actor, job int64) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		j, err := desk.LockJob(ctx, tx, a, job, 0)
		if err != nil {
			return err
		}
		t, err := tx.LockTask(ctx, job)
		if err != nil {
			return err
		}
		if !task.Busy(t.State) {
			return desk.Refuse("check over", job)
		}
		if err := d.Queue.Cancel(ctx, tx, t.QueueID); err != nil {
			return err
		}
		if err := tx.SetTask(ctx, job, "cancelled", "Cancelled by "+a.Name); err != nil {
			return err
		}
		desk.Touched(tx, j, a, event.CheckCancelled{}, problem.Phrase{})
		return nil
	})
}

// Rejudge checks anew, of the jobs still being weighed, those whose verdicts are stale or on
// their way, after the house changed.
func Rejudge(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, why problem.Phrase) error {
	return rejudge(ctx, d, tx, a, why, true)
}

// Renew checks anew what was judged by a program that judges otherwise.
func Renew(ctx context.Context, d *desk.Desk) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		return rejudge(ctx, d, tx, desk.Actor{}, problem.Say("judged by another program"), false)
	})
}

func rejudge(ctx context.Context, d *desk.Desk, tx *store.Tx, a desk.Actor, why problem.Phrase, unready bool) error {
	ids, err := tx.JobsToRejudge(ctx)
	if err != nil {
		return err
	}
	for _, id := range ids { // in their order, as everybody locks them
		j, err := tx.LockJob(ctx, id)
		if err != nil {
			return err
		}
		if j.TaskState == task.Done {
			err = RejudgeStale(ctx, d, tx, j, a, why)
		} else if unready {
			err = Recheck(ctx, d, tx, j, a, event.CheckedAgain{}, why)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// RejudgeStale checks a job anew that has been checked, if by something that is otherwise now.
func RejudgeStale(ctx context.Context, d *desk.Desk, tx *store.Tx, j store.Job, a desk.Actor, why problem.Phrase) error {
	pieces, err := tx.Pieces(ctx, j.ID)
	if err != nil {
		return err
	}
	if fresh, err := Fresh(ctx, tx.Q, j, pieces); fresh || err != nil {
		return err
	}
	return Recheck(ctx, d, tx, j, a, event.CheckedAgain{}, why)
}
