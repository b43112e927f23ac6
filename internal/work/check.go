package work

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image/png"
	"log/slog"
	"math"
	"time"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"jobshelf/core/mesh"
	"jobshelf/core/modelfile"
	"jobshelf/core/picture"
	"jobshelf/core/units"
	"jobshelf/core/verdict"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// CheckArgs names a round of a job's check.
type CheckArgs struct {
	Job   int64 `json:"job"`
	Round int   `json:"round"`
}

// Kind is the queue's name for it.
func (CheckArgs) Kind() string { return "check" }

type checkWorker struct {
	river.WorkerDefaults[CheckArgs]
	desk   *desk.Desk
	store  *store.Store
	limits modelfile.Limits
	log    *slog.Logger
}

// NextRetry is soon: what fails for a passing reason is waited for by somebody.
func (w *checkWorker) NextRetry(job *river.Job[CheckArgs]) time.Time {
	return time.Now().Add(time.Duration(job.Attempt) * 2 * time.Second)
}

func (w *checkWorker) Work(ctx context.Context, job *river.Job[CheckArgs]) error {
	err := w.check(ctx, job)
	switch {
	case err == nil:
		return nil
	case errors.Is(err, store.ErrChanged), errors.Is(err, store.ErrNotFound):
		return river.JobCancel(err) // the round is over: cancelled, or renewed
	case ctx.Err() != nil:
		return err
	case job.Attempt >= job.MaxAttempts:
		w.log.Error("check failed", "job", job.Args.Job, "err", err)
		failure := w.desk.RecordFailure(context.WithoutCancel(ctx), job.Args.Job, job.Args.Round, "The program could not finish the check. Try again, and tell a steward if it happens again.")
		return errors.Join(err, failure)
	}
	return err
}

func (w *checkWorker) check(ctx context.Context, job *river.Job[CheckArgs]) error {
	in, err := w.desk.CheckInput(ctx, job.Args.Job)
	if err != nil {
		return err
	}
	found := make([]desk.Checked, 0, len(in.Pieces))
	for i, p := range in.Pieces {
		report := w.reporter(ctx, in.Job, job.Args.Round, i, len(in.Pieces))
		c, err := w.piece(ctx, p, in, report)
		report.cancel()
		if err != nil {
			if report.failed != nil {
				return report.failed // the round was ended from outside
			}
			return err
		}
		found = append(found, c)
	}
	ended, err := w.desk.RecordCheck(ctx, job.Args.Job, job.Args.Round, found, func(tx *store.Tx) error {
		_, err := river.JobCompleteTx[*riverpgxv5.Driver](ctx, tx.Raw(), job)
		return err
	})
	if err == nil && !ended {
		w.log.Info("a check ended that was over already", "job", job.Args.Job, "round", job.Args.Round)
	}
	return err
}

// Shares of a piece's check, as measured on a million triangles.
const (
	readShare  = 0.45
	judgeShare = 0.40
)

func (w *checkWorker) piece(ctx context.Context, p store.Piece, in desk.CheckInput, r *reporter) (desk.Checked, error) {
	if err := r.tell("reading", 0, true); err != nil {
		return desk.Checked{}, err
	}
	blob, err := w.store.Blob(ctx, p.BlobID)
	if err != nil {
		return desk.Checked{}, err
	}
	model, err := modelfile.Read(r.ctx, w.store.BlobReader(r.ctx, p.BlobID), blob.Size, w.limits, func(f float64) {
		_ = r.tell("reading", readShare*f, false) // a failure cancels r.ctx
	})
	var refused *modelfile.Error
	if errors.As(err, &refused) {
		return desk.Checked{PieceID: p.ID, Problem: refused.Error()}, nil
	}
	if err != nil {
		return desk.Checked{}, err
	}
	v, err := verdict.Judge(r.ctx, model, in.Choices, in.StartCents, func(s verdict.Step, f float64) {
		_ = r.tell(string(s), readShare+judgeShare*f, false)
	})
	if err != nil {
		return desk.Checked{}, err
	}
	if err := r.tell("drawing", readShare+judgeShare, false); err != nil {
		return desk.Checked{}, err
	}
	c := desk.Checked{PieceID: p.ID, Verdict: v}
	shown := mesh.Simplified(model.Mesh, viewTriangles)
	var img bytes.Buffer
	if err := png.Encode(&img, picture.Draw(shown, 240, 180)); err != nil {
		return c, fmt.Errorf("draw the part: %w", err)
	}
	c.Picture = img.Bytes()
	view, err := w.store.PutBlob(ctx, bytes.NewReader(ViewBytes(shown, v.Unit)))
	c.ViewID = &view.ID
	return c, err
}

// viewTriangles is the most that the browser is given to draw.
const viewTriangles = 120_000

// ViewBytes packs a mesh for the browser, in mm, little-endian:
//
//	uint32 vertices, uint32 triangles, vertices × 3 float32, triangles × 3 uint32
func ViewBytes(m *mesh.Mesh, unit units.Length) []byte {
	out := make([]byte, 8, 8+12*len(m.Vertices)+12*len(m.Triangles))
	binary.LittleEndian.PutUint32(out, uint32(len(m.Vertices)))
	binary.LittleEndian.PutUint32(out[4:], uint32(len(m.Triangles)))
	for _, v := range m.Vertices {
		for _, x := range [3]float64{v.X, v.Y, v.Z} {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(float32(x*unit.MM())))
		}
	}
	for _, t := range m.Triangles {
		for _, i := range t {
			out = binary.LittleEndian.AppendUint32(out, i)
		}
	}
	return out
}

// reporter tells the progress of one piece as that of the whole job, at most a
// few times a second. When the round turns out to be over, it cancels the work.
type reporter struct {
	ctx    context.Context
	cancel context.CancelFunc
	last   time.Time
	failed error
	say    func(doing string, fraction float64) error
}

const reportEvery = 150 * time.Millisecond

func (w *checkWorker) reporter(ctx context.Context, j store.Job, round, piece, pieces int) *reporter {
	r := &reporter{}
	r.ctx, r.cancel = context.WithCancel(ctx)
	r.say = func(doing string, f float64) error {
		return w.desk.Progress(ctx, j, round, doing, (float64(piece)+f)/float64(pieces))
	}
	return r
}

func (r *reporter) tell(doing string, fraction float64, now bool) error {
	if r.failed != nil {
		return r.failed
	}
	if !now && time.Since(r.last) < reportEvery {
		return nil
	}
	r.last = time.Now()
	if err := r.say(doing, fraction); err != nil {
		r.failed = err
		r.cancel()
	}
	return r.failed
}
