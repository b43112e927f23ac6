package intake

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/revision"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// CheckInput is what a check works from.
type CheckInput struct {
	Job        store.Job
	Pieces     []store.Piece
	Choices    []verdict.Choice
	StartCents units.Cents
	LongestS   float64 // the longest run without asking; 0: any
	By         revision.Judged
}

// InputOf gathers a job's pieces and the house's machines with the recipe for
// its purpose.
func InputOf(ctx context.Context, d *desk.Desk, job int64) (CheckInput, error) {
	var in CheckInput
	var err error
	if in.Job, err = d.Store.Job(ctx, job); err != nil {
		return in, err
	}
	if in.Pieces, err = d.Store.Pieces(ctx, job); err != nil {
		return in, err
	}
	return in, in.today(ctx, d.Store.Q)
}

// today fills in by what the house judges now.
func (in *CheckInput) today(ctx context.Context, q store.Q) error {
	h, err := q.House(ctx)
	if err != nil {
		return err
	}
	in.StartCents, in.LongestS = h.StartCents, 60*float64(h.LongestRunMin)
	var from [][]revision.Ref
	if in.Choices, from, err = desk.Choices(ctx, q, recipe.Purpose(in.Job.Purpose)); err != nil {
		return err
	}
	in.By = revision.JudgedBy(in.Choices, in.StartCents, in.LongestS, append(slices.Concat(from...), revision.Ref{Of: "house", ID: 1, N: h.Revision}))
	return nil
}

// Fresh says whether the verdicts on a job's pieces would be given by the same now.
func Fresh(ctx context.Context, q store.Q, j store.Job, pieces []store.Piece) (bool, error) {
	in := CheckInput{Job: j}
	err := in.today(ctx, q)
	return !slices.ContainsFunc(pieces, func(p store.Piece) bool { return !p.By.Fresh(in.By) }), err
}

// Piece finds a piece that the actor may see.
func Piece(ctx context.Context, d *desk.Desk, a desk.Actor, id int64) (store.Piece, error) {
	p, err := d.Store.Piece(ctx, id)
	if err != nil {
		return p, err
	}
	j, err := d.Store.Job(ctx, p.JobID)
	if err == nil && !desk.Sees(a, j) {
		err = store.ErrNotFound
	}
	return p, err
}

// Version finds a version of a piece that the actor may see; n 0 is the current
// one.
func Version(ctx context.Context, d *desk.Desk, a desk.Actor, piece int64, n int) (store.Piece, store.Version, error) {
	p, err := Piece(ctx, d, a, piece)
	if err != nil {
		return p, store.Version{}, err
	}
	if n == 0 {
		n = p.Current
	}
	v, err := d.Store.Version(ctx, piece, n)
	return p, v, err
}

// Picture is that of a version of a piece, PNG; version 0 is the current one.
func Picture(ctx context.Context, d *desk.Desk, a desk.Actor, piece int64, version int) (desk.Download, error) {
	p, v, err := Version(ctx, d, a, piece, version)
	if err != nil {
		return desk.Download{}, err
	}
	png, err := d.Store.Picture(ctx, p.ID, v.N)
	return desk.Download{Reader: bytes.NewReader(png), Bytes: int64(len(png)), Type: "image/png", Keep: time.Minute}, err
}

// Surface is that of a version of a piece, as docs/view-format.md says.
func Surface(ctx context.Context, d *desk.Desk, a desk.Actor, piece int64, version int) (desk.Download, error) {
	_, v, err := Version(ctx, d, a, piece, version)
	if err != nil {
		return desk.Download{}, err
	}
	return d.Stored(ctx, v.ViewID, desk.Download{Type: desk.AnyBytes, Keep: time.Minute})
}

// ModelFile is the file of a version of a piece; version 1 is as it came.
func ModelFile(ctx context.Context, d *desk.Desk, a desk.Actor, piece int64, version int) (desk.Download, error) {
	p, v, err := Version(ctx, d, a, piece, version)
	if err != nil {
		return desk.Download{}, err
	}
	out, err := d.Stored(ctx, v.BlobID, desk.Download{Type: desk.AnyBytes, Name: p.Name})
	if err != nil || v.N == 1 {
		return out, err
	}
	head := make([]byte, min(out.Bytes, modelfile.SniffBytes))
	if _, err := d.Store.BlobReader(ctx, *v.BlobID).ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return desk.Download{}, err
	}
	ending := "stl" // what a repair is kept as is told by the file itself
	if format, err := modelfile.Detect(head, out.Bytes); err == nil && format == modelfile.ThreeMF {
		ending = "3mf"
	}
	out.Name = fmt.Sprintf("%s version %d.%s", strings.TrimSuffix(p.Name, path.Ext(p.Name)), v.N, ending)
	return out, nil
}

// Evidence is what the findings on a version of a piece are drawn with.
func Evidence(ctx context.Context, d *desk.Desk, a desk.Actor, piece int64, version int) ([]finding.Evidence, error) {
	p, v, err := Version(ctx, d, a, piece, version)
	if err != nil {
		return nil, err
	}
	return d.Store.Evidence(ctx, p.ID, v.N)
}
