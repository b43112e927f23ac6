package desk

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"
	"time"
	"unicode"

	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/units"
	"jobshelf/internal/store"
)

// HandIn is what comes over the counter.
type HandIn struct {
	Title    string         `json:"title,omitempty" maxLength:"120" doc:"Empty: taken from the first file's name"`
	MemberID int64          `json:"member_id,omitempty" doc:"Whose job it is; coordinators only. 0: the person signed in"`
	Purpose  recipe.Purpose `json:"purpose" enum:"quick look,everyday,working part"`
	Wish     string         `json:"wish,omitempty" maxLength:"1000" doc:"What the member said"`
	NeededBy string         `json:"needed_by,omitempty" pattern:"^(\\d{4}-\\d{2}-\\d{2})?$" doc:"Date, YYYY-MM-DD"`
	Pieces   []HandInPiece  `json:"pieces" minItems:"1" maxItems:"50"`
}

// HandInPiece is one uploaded file.
type HandInPiece struct {
	UploadID string `json:"upload_id" minLength:"1" maxLength:"60"`
	Copies   int    `json:"copies" minimum:"1" maximum:"999"`
	Unit     string `json:"unit,omitempty" enum:"mm,cm,m,in,ft,µm" doc:"What the member says the file is in; left out: as the file says, or to be asked"`
}

// Upload keeps a file until a job is made of it. name is the sender's and is
// only ever shown.
func (d *Desk) Upload(ctx context.Context, a Actor, name string, r io.Reader) (id string, size int64, err error) {
	r, err = d.room(ctx, a, r)
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

// HandIn makes a job of uploads and queues its check.
func (d *Desk) HandIn(ctx context.Context, a Actor, in HandIn) (int64, error) {
	owner := a
	if in.MemberID != 0 && in.MemberID != a.ID {
		if !a.Role.AtLeast(Coordinator) {
			return 0, invalid("member_id", "Members hand in for themselves.")
		}
		p, err := d.Store.PersonByID(ctx, in.MemberID)
		if errors.Is(err, store.ErrNotFound) {
			return 0, invalid("member_id", "There is no member %d.", in.MemberID)
		}
		if err != nil {
			return 0, err
		}
		owner = actor(p)
	}
	job := store.Job{Title: strings.TrimSpace(in.Title), MemberID: owner.ID, Purpose: string(in.Purpose), Wish: strings.TrimSpace(in.Wish)}
	if in.NeededBy != "" {
		day, err := time.Parse(time.DateOnly, in.NeededBy)
		if err != nil {
			return 0, invalid("needed_by", "%q is no date.", in.NeededBy)
		}
		job.NeededBy = &day
	}
	var id int64
	err := d.Store.InTx(ctx, func(tx *store.Tx) error {
		uploads := make([]store.Upload, len(in.Pieces))
		for i, p := range in.Pieces {
			u, err := tx.TakeUpload(ctx, p.UploadID, a.ID)
			if errors.Is(err, store.ErrNotFound) {
				return invalid(fmt.Sprintf("pieces[%d].upload_id", i), "The file is not here any more. Choose it again.")
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
		return touched(ctx, tx, job, a, "Handed in "+list(uploads), "")
	})
	return id, err
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
