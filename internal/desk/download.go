package desk

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"
	"time"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/naming"
	"jobshelf/core/shape/modelfile"
	"jobshelf/internal/store"
)

// Download is a file to be sent; it is read while the context lives that it was asked for in.
type Download struct {
	io.Reader
	Bytes int64
	Type  string        // MIME
	Name  string        // as what it is saved; empty where it is only shown
	Keep  time.Duration // for how long a browser may keep it
}

const anyBytes = "application/octet-stream"

// Picture is that of a version of a piece, PNG; version 0 is the current one.
func (d *Desk) Picture(ctx context.Context, a Actor, piece int64, version int) (Download, error) {
	p, v, err := d.Version(ctx, a, piece, version)
	if err != nil {
		return Download{}, err
	}
	png, err := d.Store.Picture(ctx, p.ID, v.N)
	return Download{Reader: bytes.NewReader(png), Bytes: int64(len(png)), Type: "image/png", Keep: time.Minute}, err
}

// Surface is that of a version of a piece, as docs/view-format.md says.
func (d *Desk) Surface(ctx context.Context, a Actor, piece int64, version int) (Download, error) {
	_, v, err := d.Version(ctx, a, piece, version)
	if err != nil {
		return Download{}, err
	}
	return d.stored(ctx, v.ViewID, Download{Type: anyBytes, Keep: time.Minute})
}

// ModelFile is the file of a version of a piece; version 1 is as it came.
func (d *Desk) ModelFile(ctx context.Context, a Actor, piece int64, version int) (Download, error) {
	p, v, err := d.Version(ctx, a, piece, version)
	if err != nil {
		return Download{}, err
	}
	out, err := d.stored(ctx, v.BlobID, Download{Type: anyBytes, Name: p.Name})
	if err != nil || v.N == 1 {
		return out, err
	}
	head := make([]byte, min(out.Bytes, modelfile.SniffBytes))
	if _, err := d.Store.BlobReader(ctx, *v.BlobID).ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return Download{}, err
	}
	ending := "stl" // what a repair is kept as is told by the file itself
	if format, err := modelfile.Detect(head, out.Bytes); err == nil && format == modelfile.ThreeMF {
		ending = "3mf"
	}
	out.Name = fmt.Sprintf("%s version %d.%s", strings.TrimSuffix(p.Name, path.Ext(p.Name)), v.N, ending)
	return out, nil
}

// Evidence is what the findings on a version of a piece are drawn with.
func (d *Desk) Evidence(ctx context.Context, a Actor, piece int64, version int) ([]finding.Evidence, error) {
	p, v, err := d.Version(ctx, a, piece, version)
	if err != nil {
		return nil, err
	}
	return d.Store.Evidence(ctx, p.ID, v.N)
}

// Layers are those of a slice, as docs/view-format.md says.
func (d *Desk) Layers(ctx context.Context, a Actor, slice int64) (Download, error) {
	s, _, err := d.SliceFor(ctx, a, slice)
	if err != nil {
		return Download{}, err
	}
	return d.stored(ctx, s.LayersID, Download{Type: anyBytes, Keep: 24 * time.Hour})
}

// Program is a slice's G-code.
func (d *Desk) Program(ctx context.Context, a Actor, slice int64) (Download, error) {
	s, p, err := d.SliceFor(ctx, a, slice)
	if err != nil {
		return Download{}, err
	}
	return d.named(ctx, s, p, s.GCodeID, Download{Type: "text/plain; charset=utf-8"}, ".gcode")
}

// Standing is a slice's part as it stands on the plate, 3MF.
func (d *Desk) Standing(ctx context.Context, a Actor, slice int64) (Download, error) {
	s, p, err := d.SliceFor(ctx, a, slice)
	if err != nil {
		return Download{}, err
	}
	return d.named(ctx, s, p, s.PlateID, Download{Type: "model/3mf"}, ".3mf")
}

// stored fills in a stored file.
func (d *Desk) stored(ctx context.Context, blob *int64, out Download) (Download, error) {
	if blob == nil {
		return Download{}, store.ErrNotFound
	}
	b, err := d.Store.Blob(ctx, *blob)
	if err != nil {
		return Download{}, err
	}
	out.Reader, out.Bytes = d.Store.BlobReader(ctx, b.ID), b.Size
	return out, nil
}

// named fills in a stored file of a slice's, called as the house calls such files.
func (d *Desk) named(ctx context.Context, s store.Slice, p store.Piece, blob *int64, out Download, ending string) (Download, error) {
	out, err := d.stored(ctx, blob, out)
	if err != nil || s.Full == nil {
		return out, err
	}
	in, err := d.SliceInput(ctx, s.ID)
	if err != nil {
		return Download{}, err
	}
	part := strings.TrimSuffix(p.Name, path.Ext(p.Name))
	pieces, err := d.Store.Pieces(ctx, in.Job.ID)
	if err != nil {
		return Download{}, err
	}
	title := in.Job.Title
	if len(pieces) > 1 { // one name for each
		title = part
	}
	out.Name, err = naming.FileName(in.FilePattern, naming.FileFacts{Job: in.Job.ID, Member: in.Job.MemberName, Title: title, Part: part,
		Seconds: s.Full.WholeSeconds(), Grams: s.Full.Grams(), Machine: in.Machine.Name, Material: in.Loaded.Of(1).Name,
		Recipe: in.Recipe.Name, Layers: s.Full.Layers, Ending: ending})
	return out, err
}
