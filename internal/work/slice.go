package work

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"slices"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
	"jobshelf/core/shop/revision"
	"jobshelf/core/shop/task"
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
func (q *Queue) Slice(ctx context.Context, tx *store.Tx, id int64, who desk.Waits) (int64, error) {
	o := &river.InsertOpts{MaxAttempts: riverTries, Queue: Bench}
	switch who {
	case desk.Nobody:
		o.Queue = Night
	case desk.SomebodySoon:
		o.Priority = 3 // behind what is waited for
	}
	r, err := q.client.InsertTx(ctx, tx.Raw(), SliceArgs{id}, o)
	if err != nil {
		return 0, fmt.Errorf("queue the slice: %w", err)
	}
	return r.Job.ID, nil
}

// ProposeArgs asks for what is proposed to be sliced.
type ProposeArgs struct{}

// Kind is the queue's name for it.
func (ProposeArgs) Kind() string { return "propose" }

// Propose has what is proposed for jobs sliced.
func (q *Queue) Propose(ctx context.Context, tx *store.Tx) error {
	_, err := q.client.InsertTx(ctx, tx.Raw(), ProposeArgs{}, &river.InsertOpts{Queue: Bench, Priority: 2, MaxAttempts: 2})
	if err != nil {
		return fmt.Errorf("queue the proposals: %w", err)
	}
	return nil
}

// proposeWorker orders what is proposed. Nothing is lost without: a yes slices it.
type proposeWorker struct {
	river.WorkerDefaults[ProposeArgs]
	desk *desk.Desk
}

func (w *proposeWorker) Work(ctx context.Context, _ *river.Job[ProposeArgs]) error {
	if w.desk == nil {
		return nil
	}
	return plates.ProposeAll(ctx, w.desk)
}

type sliceWorker struct {
	soon[SliceArgs]
	desk   *desk.Desk
	store  *store.Store
	limits modelfile.Limits
	log    *slog.Logger
	gate   *gate
	cores  *par.Budget // that all work shares
	memory *memory
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
	share, err := w.share(ctx, s)
	if errors.Is(err, errTooLarge) {
		return later(w.after)
	}
	if err != nil {
		return err
	}
	defer share()
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

// share waits for the memory that a slice takes.
func (w *sliceWorker) share(ctx context.Context, s store.Slice) (release func(), err error) {
	need := int64(baseBytes)
	for _, x := range s.Pieces {
		p, err := w.store.Piece(ctx, x.PieceID)
		if err != nil {
			return nil, err
		}
		if p.Verdict == nil {
			continue
		}
		need += triangleBytes * int64(p.Verdict.Triangles)
		for _, m := range p.Verdict.Machines {
			if m.ID == s.MachineID && m.Quick != nil {
				need += layerBytes * int64(m.Quick.Layers)
			}
		}
	}
	return w.memory.take(ctx, need, func(why problem.Phrase) error { return w.store.SliceWaits(ctx, s.ID, w.desk.Words(ctx).Say(why)) })
}

func (w *sliceWorker) end(ctx context.Context, id int64, state, reason string) error {
	s, err := w.store.Slice(ctx, id)
	if err != nil {
		return err
	}
	s.State, s.Error = state, reason
	return plates.EndSlice(ctx, w.desk, s, nil, func(*store.Tx) error { return nil })
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
	s, made, err := w.make(r.ctx, in, r)
	if err != nil {
		if r.failed != nil {
			return r.failed
		}
		return err
	}
	return plates.EndSlice(ctx, w.desk, s, made, func(tx *store.Tx) error {
		_, err := river.JobCompleteTx[*riverpgxv5.Driver](ctx, tx.Raw(), job)
		return err
	})
}

// make slices all pieces and writes each plate.
func (w *sliceWorker) make(ctx context.Context, in plates.SliceInput, r *reporter) (store.Slice, []store.Plate, error) {
	s := in.Slice
	rec, err := in.Recipe.Apply(s.Overrides)
	if err != nil {
		return s, nil, &desk.Conflict{Phrase: problem.Say("told", err.Error())}
	}
	o := slicing.Order{Machine: in.Machine, Recipe: rec, Loaded: in.Loaded, Wear: in.Wear, OnePlate: s.JobID == 0}
	for i, p := range in.Pieces {
		m, mm, err := w.model(ctx, p, s.Pieces[i])
		if err != nil {
			return s, nil, err
		}
		o.Pieces = append(o.Pieces, slicing.Piece{Name: p.Name, Mesh: m, MMPerUnit: mm, Copies: s.Pieces[i].Copies,
			Stand: s.Pieces[i].Stand, SupportMarks: s.Pieces[i].SupportMarks, Pins: s.Pieces[i].Pins,
			Regions: s.Pieces[i].Regions, Nozzle: s.Pieces[i].Nozzle})
	}
	out := writer{w: w, in: &in}
	if err := slicing.Make(ctx, o, func(f float64) { _ = r.tell("", 0.1+0.9*f, false) }, func(p *slicing.Plate) error { return out.keep(ctx, p) }); err != nil {
		return s, nil, refused(err)
	}
	whole := estimate.Together(out.fulls, out.times)
	s.State, s.Made, s.Notes, s.Overhangs = task.Done, in.Made, out.notes, out.overhangs
	s.Full = price.OfPlates(whole, len(out.plates), in.Machine, in.StartCents)
	for _, of := range out.which {
		s.Full.Each = append(s.Full.Each, out.fulls[of].WholeSeconds())
	}
	return s, out.plates, ctx.Err()
}

// writer keeps plates as they are made.
type writer struct {
	w         *sliceWorker
	in        *plates.SliceInput
	plates    []store.Plate
	fulls     []*estimate.Full // of those that are not alike another,
	times     []int            // and how many there are of each
	which     []int            // by plate: of which of fulls
	notes     []string
	overhangs []slicing.Overhang
}

func (k *writer) keep(ctx context.Context, p *slicing.Plate) error {
	row := store.Plate{N: p.N, Spots: slices.Clone(p.Spots)}
	for i, at := range row.Spots {
		if which := k.in.Slice.Pieces[at.Piece].Which; len(which) > 0 {
			row.Spots[i].Copy = which[at.Copy-1]
		}
	}
	if p.Like > 0 {
		row.Alike = &p.Like
		of := k.which[p.Like-1]
		k.times[of]++
		k.which, k.plates = append(k.which, of), append(k.plates, row)
		return nil
	}
	layers, err := k.w.put(ctx, func(out io.Writer) error { return writeLayers(out, p.Print) })
	if err != nil {
		return err
	}
	program, err := k.w.put(ctx, func(out io.Writer) error { return p.WriteProgram(ctx, out, k.facts(p)) })
	if err != nil {
		return err
	}
	standing, err := k.w.put(ctx, p.WritePlate)
	if err != nil {
		return err
	}
	row.LayersID, row.GCodeID, row.StandingID = &layers, &program, &standing
	row.Full = price.OfFull(p.Full, k.in.Machine, k.in.StartCents)
	k.which, k.times, k.fulls = append(k.which, len(k.fulls)), append(k.times, 1), append(k.fulls, p.Full)
	k.plates = append(k.plates, row)
	for _, n := range p.Print.Notes {
		if !slices.Contains(k.notes, n) {
			k.notes = append(k.notes, n)
		}
	}
	for _, x := range p.Overhangs { // of each piece as it first lies
		if !slices.ContainsFunc(k.plates[:len(k.plates)-1], func(o store.Plate) bool {
			return slices.ContainsFunc(o.Spots, func(s slicing.Spot) bool { return s.Piece == x.Part })
		}) {
			k.overhangs = append(k.overhangs, x)
		}
	}
	return nil
}

// facts are what a program says of what is in it. One of several jobs says their numbers and no names: it
// lies about for everybody to read.
func (k *writer) facts(p *slicing.Plate) (out [][2]string) {
	for i, j := range k.in.Jobs {
		text := fmt.Sprintf("%d, %s, for %s", j.ID, j.Title, j.MemberName)
		if len(k.in.Jobs) > 1 {
			text = fmt.Sprint(j.ID)
		}
		out = append(out, [2]string{"job", text})
		for n := range k.in.Pieces {
			name := k.in.Pieces[n].Name
			if k.in.Pieces[n].JobID != k.in.Jobs[i].ID {
				continue
			}
			many := 0
			for _, at := range p.Spots {
				if at.Piece == n {
					many++
				}
			}
			if len(k.in.Jobs) > 1 {
				name = fmt.Sprintf("number %d", n+1)
			}
			switch {
			case many == 1:
				out = append(out, [2]string{"part", name})
			case many > 1:
				out = append(out, [2]string{"part", fmt.Sprintf("%s, %d times", name, many)})
			}
		}
	}
	return out
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

// model reads the version of a piece that a slice is of.
func (w *sliceWorker) model(ctx context.Context, p store.Piece, of revision.Piece) (*mesh.Mesh, float64, error) {
	v, err := w.store.Version(ctx, p.ID, of.Version)
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
	part := max(0, p.Part)
	if of.Version > 1 {
		part = 0
	}
	if part >= len(file.Models) {
		return nil, 0, desk.Refuse("model not held any more")
	}
	return file.Models[part].Mesh, units.Meant(of.Unit, file.Unit).MM(), nil
}

// writeLayers packs layers for the browser (docs/view-format.md).
func writeLayers(out io.Writer, p *toolpath.Print) error {
	var b []byte
	u32 := func(v uint32) { b = binary.LittleEndian.AppendUint32(b, v) }
	f32 := func(v float64) { u32(math.Float32bits(float32(v))) }
	u32(uint32(len(p.Layers)))
	for i := range p.Layers {
		l := &p.Layers[i]
		f32(l.TopMM)
		f32(l.HeightMM)
		many := 0
		for range p.Laid(i) {
			many++
		}
		u32(uint32(many))
		for at, x := range p.Laid(i) {
			n := len(x.Points)
			if x.Closed {
				n++
			}
			u32(uint32(x.Kind) | uint32(n)<<8)
			f32(x.WidthMM)
			for i := range n {
				q := x.Points[i%len(x.Points)]
				f32(float64(q.X+at.By.X) / 1000)
				f32(float64(q.Y+at.By.Y) / 1000)
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
