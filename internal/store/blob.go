package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"time"
)

// chunkBytes is the size of a stored piece of a file: large enough that a file
// takes few rows, small enough that a few in memory do not matter.
const chunkBytes = 1 << 20

// Blob is a stored file.
type Blob struct {
	ID   int64
	Size int64
}

// PutBlob streams a file into the database and gives its number; content that is
// already there is kept once. Each chunk is a statement of its own, so a slow
// upload holds no connection; until the end the file has no hash and nothing
// refers to it, and what an upload leaves behind when it breaks off is swept.
func (s *Store) PutBlob(ctx context.Context, r io.Reader) (Blob, error) {
	id, err := scalar[int64](ctx, s.Q, `INSERT INTO blob DEFAULT VALUES RETURNING id`)
	if err != nil {
		return Blob{}, fmt.Errorf("store file: %w", err)
	}
	b, err := s.fillBlob(ctx, id, r)
	if err != nil || b.ID != id {
		if e := s.exec(context.WithoutCancel(ctx), `DELETE FROM blob WHERE id = $1 AND sha256 IS NULL`, id); e != nil {
			err = errors.Join(err, e)
		}
	}
	return b, err
}

func (s *Store) fillBlob(ctx context.Context, id int64, r io.Reader) (Blob, error) {
	hash := sha256.New()
	buf := make([]byte, chunkBytes)
	var size int64
	for n := 0; ; n++ {
		k, err := io.ReadFull(r, buf)
		if k > 0 {
			hash.Write(buf[:k])
			size += int64(k)
			if err := s.putChunk(ctx, id, n, buf[:k]); err != nil {
				return Blob{}, fmt.Errorf("store file: %w", err)
			}
		}
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			break
		}
		if err != nil {
			return Blob{}, err // the sender's, unwrapped: the caller tells limits from breaks
		}
	}
	sum := hash.Sum(nil)
	// Found by its hash, it counts as new: a sweep that comes now must not take it.
	const known = `UPDATE blob SET created_at = now() WHERE sha256 = $1 RETURNING id, size`
	if b, err := one[Blob](ctx, s.Q, known, sum); err == nil {
		return b, nil
	}
	err := s.exec(ctx, `UPDATE blob SET sha256 = $2, size = $3 WHERE id = $1`, id, sum, size)
	if errors.Is(err, ErrTaken) { // the same file finished elsewhere just now
		return one[Blob](ctx, s.Q, known, sum)
	}
	if err != nil {
		return Blob{}, fmt.Errorf("store file: %w", err)
	}
	return Blob{id, size}, nil
}

// chunkWait is how long the database may take over a chunk; a hung one must not
// hold an upload for ever.
const chunkWait = 30 * time.Second

func (s *Store) putChunk(ctx context.Context, id int64, n int, b []byte) error {
	ctx, cancel := context.WithTimeout(ctx, chunkWait)
	defer cancel()
	return s.exec(ctx, `INSERT INTO blob_chunk (blob_id, n, bytes) VALUES ($1, $2, $3)`, id, n, b)
}

// Blob tells a stored file's size.
func (q Q) Blob(ctx context.Context, id int64) (Blob, error) {
	return one[Blob](ctx, q, `SELECT id, size FROM blob WHERE id = $1`, id)
}

// BlobReader reads a stored file chunk by chunk, from the start or at any place.
// It keeps one chunk and is for one goroutine.
func (q Q) BlobReader(ctx context.Context, id int64) *BlobReader {
	return &BlobReader{ctx: ctx, q: q, id: id, have: -1}
}

// BlobReader is an io.Reader and an io.ReaderAt.
type BlobReader struct {
	ctx   context.Context
	q     Q
	id    int64
	at    int64
	have  int64 // number of the chunk that is kept
	chunk []byte
}

func (b *BlobReader) Read(p []byte) (int, error) {
	n, err := b.ReadAt(p[:min(len(p), chunkBytes)], b.at)
	b.at += int64(n)
	if n > 0 {
		err = nil
	}
	return n, err
}

// ReadAt reads until p is full or the file ends.
func (b *BlobReader) ReadAt(p []byte, off int64) (int, error) {
	done := 0
	for done < len(p) {
		n := (off + int64(done)) / chunkBytes
		if n != b.have {
			ctx, cancel := context.WithTimeout(b.ctx, chunkWait)
			chunk, err := scalar[[]byte](ctx, b.q, `SELECT bytes FROM blob_chunk WHERE blob_id = $1 AND n = $2`, b.id, n)
			cancel()
			if errors.Is(err, ErrNotFound) {
				return done, io.EOF
			}
			if err != nil {
				return done, fmt.Errorf("read stored file: %w", err)
			}
			b.have, b.chunk = n, chunk
		}
		in := off + int64(done) - n*chunkBytes
		if in >= int64(len(b.chunk)) {
			return done, io.EOF
		}
		done += copy(p[done:], b.chunk[in:])
	}
	return done, nil
}

// SweepBlobs removes what broken-off uploads left behind, and uploads that were
// never made a job of.
func (q Q) SweepBlobs(ctx context.Context, olderThan time.Duration) error {
	if err := q.exec(ctx, `DELETE FROM upload WHERE created_at < now() - make_interval(secs => $1)`, olderThan.Seconds()); err != nil {
		return err
	}
	return q.exec(ctx, `DELETE FROM blob b WHERE created_at < now() - make_interval(secs => $1)
		AND NOT EXISTS (SELECT FROM upload u WHERE u.blob_id = b.id)
		AND NOT EXISTS (SELECT FROM version v WHERE v.blob_id = b.id OR v.view_id = b.id)
		AND NOT EXISTS (SELECT FROM plate p WHERE p.layers_id = b.id OR p.gcode_id = b.id OR p.standing_id = b.id)
		AND NOT EXISTS (SELECT FROM run r WHERE r.gcode_id = b.id)`, olderThan.Seconds())
}

// DropVariants lets go of the layers and programs of slices that nobody chose and that never
// ran, of jobs that have been over for a time; the next sweep takes the files.
func (q Q) DropVariants(ctx context.Context, olderThan time.Duration) error {
	return q.exec(ctx, `UPDATE plate p SET layers_id = NULL, gcode_id = NULL, standing_id = NULL
		FROM slice s LEFT JOIN job j ON j.id = s.job_id
		WHERE s.id = p.slice_id AND NOT s.chosen AND s.at < now() - make_interval(secs => $1) AND (s.job_id IS NULL OR j.state IN ('fetched', 'left behind', 'sent back', 'withdrawn'))
		AND NOT EXISTS (SELECT FROM plate o WHERE o.slice_id = s.id AND (EXISTS (SELECT FROM run r WHERE r.plate_id = o.id) OR EXISTS (SELECT FROM share h WHERE h.plate_id = o.id)))
		AND (p.layers_id IS NOT NULL OR p.gcode_id IS NOT NULL OR p.standing_id IS NOT NULL)`, olderThan.Seconds())
}

// DropFiles lets go of all files of jobs that have been over for a time: models, layers and programs. What they were, what
// they took, their history and their pictures stay; the next sweep takes the files.
func (q Q) DropFiles(ctx context.Context, olderThan time.Duration) error {
	over, err := all[struct{ ID int64 }](ctx, q, `SELECT j.id FROM job j WHERE j.state IN ('fetched', 'left behind', 'sent back', 'withdrawn')
		AND coalesce((SELECT max(e.at) FROM event e WHERE e.job_id = j.id), j.created_at) < now() - make_interval(secs => $1)
		AND (EXISTS (SELECT FROM piece p JOIN version v ON v.piece_id = p.id WHERE p.job_id = j.id AND (v.blob_id IS NOT NULL OR v.view_id IS NOT NULL))
			OR EXISTS (SELECT FROM slice s JOIN plate l ON l.slice_id = s.id WHERE s.job_id = j.id AND (l.layers_id IS NOT NULL OR l.gcode_id IS NOT NULL OR l.standing_id IS NOT NULL))
			OR EXISTS (SELECT FROM share h JOIN run r ON r.id = h.run_id WHERE h.job_id = j.id AND r.gcode_id IS NOT NULL))`, olderThan.Seconds())
	if err != nil || len(over) == 0 {
		return err
	}
	ids := make([]int64, len(over))
	for k, j := range over {
		ids[k] = j.ID
	}
	for _, sql := range []string{
		`UPDATE version v SET blob_id = NULL, view_id = NULL FROM piece p WHERE p.id = v.piece_id AND p.job_id = ANY($1) AND (v.blob_id IS NOT NULL OR v.view_id IS NOT NULL)`,
		`UPDATE plate l SET layers_id = NULL, gcode_id = NULL, standing_id = NULL FROM slice s WHERE s.id = l.slice_id AND (l.layers_id IS NOT NULL OR l.gcode_id IS NOT NULL OR l.standing_id IS NOT NULL)
			AND (s.job_id = ANY($1) OR EXISTS (SELECT FROM run r JOIN share h ON h.run_id = r.id WHERE r.plate_id = l.id AND h.job_id = ANY($1)))
			AND NOT EXISTS (SELECT FROM run r WHERE r.plate_id = l.id AND EXISTS (SELECT FROM share h WHERE h.run_id = r.id AND h.job_id <> ALL($1)))`,
		`UPDATE run r SET gcode_id = NULL WHERE r.gcode_id IS NOT NULL AND EXISTS (SELECT FROM share h WHERE h.run_id = r.id AND h.job_id = ANY($1))
			AND NOT EXISTS (SELECT FROM share h WHERE h.run_id = r.id AND h.job_id <> ALL($1))`,
	} {
		if err := q.exec(ctx, sql, ids); err != nil {
			return err
		}
	}
	return nil
}

// Upload is a file that has arrived and is not yet part of a job.
type Upload struct {
	ID       string
	BlobID   int64
	Name     string
	PersonID int64
}

// AddUpload records an arrived file under a name that cannot be guessed.
func (q Q) AddUpload(ctx context.Context, blob int64, name string, person int64) (string, error) {
	id := rand.Text()
	return id, q.exec(ctx, `INSERT INTO upload (id, blob_id, name, person_id) VALUES ($1, $2, $3, $4)`, id, blob, name, person)
}

// TakeUpload hands over an upload of a person and forgets it.
func (q Q) TakeUpload(ctx context.Context, id string, person int64) (Upload, error) {
	return one[Upload](ctx, q, `DELETE FROM upload WHERE id = $1 AND person_id = $2 RETURNING id, blob_id, name, person_id`, id, person)
}
