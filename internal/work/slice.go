package work

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/store"
)

// SliceArgs names a slice.
type SliceArgs struct {
	Slice int64 `json:"slice"`
}

// Kind is the queue's name for it.
func (SliceArgs) Kind() string { return "slice" }

// Slice queues a slice.
func (q *Queue) Slice(ctx context.Context, tx *store.Tx, id int64, alternative bool) (int64, error) {
	queue := Bench
	if alternative {
		queue = Night
	}
	r, err := q.client.InsertTx(ctx, tx.Raw(), SliceArgs{id}, &river.InsertOpts{MaxAttempts: riverTries, Queue: queue})
	if err != nil {
		return 0, fmt.Errorf("queue the slice: %w", err)
	}
	return r.Job.ID, nil
}

type sliceWorker struct {
	soon[SliceArgs]
	desk   *desk.Desk
	store  *store.Store
	limits modelfile.Limits
	log    *slog.Logger
	gate   *gate
	cores  *par.Budget // that all work shares
}

func (w *sliceWorker) Work(ctx context.Context, job *river.Job[SliceArgs]) error {
	ctx = par.With(ctx, w.cores)
	id := job.Args.Slice
	s, err := w.store.Slice(ctx, id)
	if err != nil {
		return over(ctx, err)
	}
	if s.Tries > 0 {
		w.log.Warn("a slice is tried again", "slice", id, "begun", s.Tries)
	}
	leave := w.gate.enter(s.Tries == 0 || s.State != "running") // still running: its worker died
	defer leave()
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if s.Tries >= MaxTries { // the last one's worker died
		w.log.Error("a slice was set aside", "slice", id, "begun", s.Tries)
		return over(ctx, w.end(ctx, id, "set aside", tooOften(s.Tries)))
	}
	try, err := plates.BeginSlice(ctx, w.desk, id)
	if err == nil {
		err = w.slice(ctx, job)
	}
	late, cancel := afterwards(ctx)
	defer cancel()
	var no *desk.Conflict
	switch {
	case err == nil || errors.Is(err, store.ErrChanged) || errors.Is(err, store.ErrNotFound):
		return over(ctx, err)
	case errors.As(err, &no):
		return over(ctx, w.end(late, id, "failed", w.desk.Words(late).Say(no.Phrase)))
	case ctx.Err() != nil: // the worker is being stopped: no fault of the slice's
		return errors.Join(err, w.store.RequeueSlice(late, id, true))
	}
	if last, reason := verdictOn(w.log, "slice", id, try, err); last {
		return over(ctx, w.end(late, id, "set aside", reason))
	}
	return errors.Join(err, w.store.RequeueSlice(late, id, false))
}

func (w *sliceWorker) end(ctx context.Context, id int64, state, reason string) error {
	s, err := w.store.Slice(ctx, id)
	if err != nil {
		return err
	}
	s.State, s.Error = state, reason
	return plates.EndSlice(ctx, w.desk, s, func(*store.Tx) error { return nil })
}

func (w *sliceWorker) slice(ctx context.Context, job *river.Job[SliceArgs]) error {
	in, err := plates.InputOf(ctx, w.desk, job.Args.Slice)
	if err != nil {
		return err
	}
	r := &reporter{}
	r.ctx, r.cancel = context.WithCancel(ctx)
	defer r.cancel()
	r.say = func(_ string, f float64) error { return w.store.SliceProgress(ctx, in.Slice.ID, f) }
	if err := r.tell("", 0, true); err != nil {
		return err
	}
	s, err := w.make(r.ctx, in, r)
	if err != nil {
		if r.failed != nil {
			return r.failed
		}
		return err
	}
	return plates.EndSlice(ctx, w.desk, s, func(tx *store.Tx) error {
		_, err := river.JobCompleteTx[*riverpgxv5.Driver](ctx, tx.Raw(), job)
		return err
	})
}

func (w *sliceWorker) make(ctx context.Context, in plates.SliceInput, r *reporter) (store.Slice, error) {
	s := in.Slice
	rec, err := in.Recipe.Apply(s.Overrides)
	if err != nil {
		return s, &desk.Conflict{Phrase: problem.Say("told", err.Error())}
	}
	m, mm, err := w.model(ctx, in)
	if err != nil {
		return s, err
	}
	made, err := slicing.Make(ctx, slicing.Order{Mesh: m, MMPerUnit: mm, Orientation: slicing.Orientation{Scale: s.Scale, Tip: s.Tip}, Machine: in.Machine,
		Recipe: rec, Loaded: in.Loaded, SupportMarks: s.SupportMarks}, func(f float64) { _ = r.tell("", 0.1+0.7*f, false) })
	if err != nil {
		return s, refused(err)
	}
	_ = r.tell("", 0.85, false)
	layers, err := w.put(ctx, func(out io.Writer) error { return writeLayers(out, made.Print) })
	if err != nil {
		return s, err
	}
	program, err := w.put(ctx, func(out io.Writer) error {
		return made.WriteProgram(ctx, out, [][2]string{{"job", fmt.Sprintf("%d, %s, for %s", in.Job.ID, in.Job.Title, in.Job.MemberName)}, {"part", in.Piece.Name}})
	})
	if err != nil {
		return s, refused(err)
	}
	standing, err := w.put(ctx, func(out io.Writer) error { return made.WritePlate(out, in.Piece.Name) })
	if err != nil {
		return s, err
	}
	s.Overhangs, s.Made = made.Overhangs, in.Made
	s.State, s.Full, s.Notes, s.LayersID, s.GCodeID, s.PlateID = "done", price.OfFull(made.Full, in.Machine, in.StartCents), made.Print.Notes, &layers, &program, &standing
	return s, ctx.Err()
}

// refused turns what slicing refuses into a conflict.
func refused(err error) error {
	var no *slicing.Refusal
	if errors.As(err, &no) {
		return &desk.Conflict{Phrase: no.Phrase}
	}
	return err
}

// put stores what write writes.
func (w *sliceWorker) put(ctx context.Context, write func(io.Writer) error) (int64, error) {
	r, out := io.Pipe()
	go func() { out.CloseWithError(write(out)) }()
	blob, err := w.store.PutBlob(ctx, r)
	return blob.ID, errors.Join(err, r.Close())
}

// model reads the version of the piece that the slice is of.
func (w *sliceWorker) model(ctx context.Context, in plates.SliceInput) (*mesh.Mesh, float64, error) {
	v, err := w.store.Version(ctx, in.Piece.ID, in.Slice.Version)
	if err != nil {
		return nil, 0, err
	}
	if v.BlobID == nil {
		return nil, 0, desk.Refuse("version not made yet")
	}
	blob, err := w.store.Blob(ctx, *v.BlobID)
	if err != nil {
		return nil, 0, err
	}
	file, err := modelfile.Read(ctx, w.store.BlobReader(ctx, blob.ID), blob.Size, w.limits, nil)
	if text, ok := refusal(err, w.desk.Words(ctx).Say); ok {
		return nil, 0, desk.Refuse("told", text)
	}
	if err != nil {
		return nil, 0, err
	}
	part := max(0, in.Piece.Part)
	if in.Slice.Version > 1 {
		part = 0
	}
	if part >= len(file.Models) {
		return nil, 0, desk.Refuse("model not held any more")
	}
	return file.Models[part].Mesh, units.Meant(in.Piece.Unit, file.Unit).MM(), nil
}

// writeLayers packs layers for the browser (docs/view-format.md).
func writeLayers(out io.Writer, p *toolpath.Print) error {
	var b []byte
	u32 := func(v uint32) { b = binary.LittleEndian.AppendUint32(b, v) }
	f32 := func(v float64) { u32(math.Float32bits(float32(v))) }
	u32(uint32(len(p.Layers)))
	for _, l := range p.Layers {
		f32(l.TopMM)
		f32(l.HeightMM)
		u32(uint32(len(l.Lines)))
		for _, x := range l.Lines {
			n := len(x.Points)
			if x.Closed {
				n++
			}
			u32(uint32(x.Kind) | uint32(n)<<8)
			f32(x.WidthMM)
			for i := range n {
				q := x.Points[i%len(x.Points)]
				f32(float64(q.X) / 1000)
				f32(float64(q.Y) / 1000)
			}
		}
		if len(b) > 1<<20 {
			if _, err := out.Write(b); err != nil {
				return err
			}
			b = b[:0]
		}
	}
	_, err := out.Write(b)
	return err
}
