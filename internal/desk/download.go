package desk

import (
	"context"
	"io"
	"time"

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

const AnyBytes = "application/octet-stream"

// Stored fills in a stored file.
func (d *Desk) Stored(ctx context.Context, blob *int64, out Download) (Download, error) {
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
