package work

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image/png"
	"io"
	"log/slog"
	"math"
	"time"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/gcode"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/par"
	"jobshelf/core/shape/picture"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/option"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
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
	soon[CheckArgs]
	desk   *desk.Desk
	store  *store.Store
	limits modelfile.Limits
	log    *slog.Logger
	gate   *gate
	cores  *par.Budget // that all work shares
	memory *memory
	// proposes says that what is proposed is sliced when a check has ended.
	proposes bool
}

// tooOften is what the desk is told of work whose workers died.
func tooOften(tries int) string {
	return fmt.Sprintf("It was begun %d times, and each time the program that worked on it died. The file may be too much for the machine that works here. Tell a steward.", tries)
}

func (w *checkWorker) Work(ctx context.Context, job *river.Job[CheckArgs]) error {
	ctx = par.With(ctx, w.cores)
	t, err := w.store.TaskOf(ctx, job.Args.Job)
	if err != nil {
		return over(ctx, err)
	}
	if t.Tries > 0 {
		w.log.Warn("a check is tried again", "job", job.Args.Job, "round", job.Args.Round, "begun", t.Tries)
	}
	share, err := w.share(ctx, job.Args)
	if errors.Is(err, errTooLarge) {
		return later(w.after)
	}
	if err != nil {
		return err
	}
	defer share()
	leave := w.gate.enter(t.Tries == 0 || t.State != "running") // still running: its worker died
	defer leave()
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if t.Round == job.Args.Round && t.Tries >= MaxTries { // the last one's worker died
		err := intake.SetAside(ctx, w.desk, job.Args.Job, job.Args.Round, tooOften(t.Tries))
		w.log.Error("a check was set aside", "job", job.Args.Job, "begun", t.Tries, "err", err)
		return over(ctx, err)
	}
	try, err := intake.BeginCheck(ctx, w.desk, job.Args.Job, job.Args.Round)
	if err == nil {
		err = w.check(ctx, job)
	}
	late, cancel := afterwards(ctx)
	defer cancel()
	switch {
	case err == nil || errors.Is(err, store.ErrChanged) || errors.Is(err, store.ErrNotFound):
		return over(ctx, err)
	case ctx.Err() != nil: // the worker is being stopped: no fault of the check's
		return errors.Join(err, w.store.RequeueTask(late, job.Args.Job, job.Args.Round, true))
	}
	if last, reason := verdictOn(w.log, "check", job.Args.Job, try, err); last {
		return over(ctx, intake.SetAside(late, w.desk, job.Args.Job, job.Args.Round, reason))
	}
	return errors.Join(err, w.store.RequeueTask(late, job.Args.Job, job.Args.Round, false))
}

// share waits for the memory that a check takes.
func (w *checkWorker) share(ctx context.Context, a CheckArgs) (release func(), err error) {
	file, err := w.store.FileWeight(ctx, a.Job, fileTimes, packedTimes)
	if err != nil {
		return nil, err
	}
	return w.memory.take(ctx, baseBytes+file, func(why problem.Phrase) error {
		j, err := w.store.Job(ctx, a.Job)
		if err != nil {
			return err
		}
		text := w.desk.Words(ctx).Say(why)
		if err := w.store.TaskWaits(ctx, a.Job, a.Round, text); err != nil {
			return err
		}
		return w.store.Notify(ctx, store.Signal{Kind: store.OfProgress, Job: a.Job, Doing: text, Owner: j.MemberID})
	})
}

// afterwards is a context for what must be told though the work was cancelled.
func afterwards(ctx context.Context) (context.Context, context.CancelFunc) {
	return context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
}

// over turns what ends a round from outside into the end of its work.
func over(ctx context.Context, err error) error {
	if ctx.Err() == nil && (errors.Is(err, store.ErrChanged) || errors.Is(err, store.ErrNotFound)) {
		return river.JobCancel(err)
	}
	return err
}

func (w *checkWorker) check(ctx context.Context, job *river.Job[CheckArgs]) error {
	in, err := intake.InputOf(ctx, w.desk, job.Args.Job)
	if err != nil {
		return err
	}
	var found []intake.Checked
	var kept keptFile
	for i, p := range in.Pieces {
		report := w.reporter(ctx, in.Job, job.Args.Round, i, len(in.Pieces))
		c, err := w.piece(ctx, p, in, &kept, report)
		report.cancel()
		if err != nil {
			if report.failed != nil {
				return report.failed // the round was ended from outside
			}
			return err
		}
		found = append(found, c...)
	}
	for i := range found {
		found[i].By = in.By
		found[i].Tried = intake.TriedOf(in, &found[i])
	}
	ended, err := intake.RecordCheck(ctx, w.desk, job.Args.Job, job.Args.Round, found, func(tx *store.Tx) error {
		_, err := river.JobCompleteTx[*riverpgxv5.Driver](ctx, tx.Raw(), job)
		return err
	})
	if err == nil && !ended {
		w.log.Info("a check ended that was over already", "job", job.Args.Job, "round", job.Args.Round)
	}
	if err != nil || !ended || !w.proposes {
		return err
	}
	// What is proposed is sliced before anybody decides. Nothing is lost without: a yes slices it.
	if err := w.store.InTx(ctx, func(tx *store.Tx) error { return plates.Propose(ctx, w.desk, tx, job.Args.Job) }); err != nil {
		w.log.Error("the proposal is not sliced yet", "job", job.Args.Job, "err", err)
	}
	if err := w.store.InTx(ctx, func(tx *store.Tx) error { return plates.Try(ctx, w.desk, tx, job.Args.Job) }); err != nil {
		w.log.Error("other orientations are not tried yet", "job", job.Args.Job, "err", err)
	}
	return nil
}

// Shares of a piece's check, as measured on a million triangles.
const (
	readShare  = 0.30
	judgeShare = 0.60
)

// keptFile is the file read last: several pieces may come from one.
type keptFile struct {
	blob int64
	file *modelfile.File
}

// piece checks one piece. A file that has not been taken apart yet gives one
// result for each model in it.
func (w *checkWorker) piece(ctx context.Context, p store.Piece, in intake.CheckInput, kept *keptFile, r *reporter) ([]intake.Checked, error) {
	if err := r.tell("reading", 0, true); err != nil {
		return nil, err
	}
	first := intake.Checked{Piece: p}
	if p.BlobID == nil {
		return w.mend(ctx, p, in, kept, r)
	}
	program, err := w.program(ctx, p, in, r)
	if err == nil && program != nil {
		first.Verdict, first.Piece.Part = program, 0
		return []intake.Checked{first}, nil
	}
	var file *modelfile.File
	if err == nil {
		file, err = w.read(ctx, *p.BlobID, kept, r)
	}
	if refused, ok := refusal(err, w.desk.Words(ctx).Say); ok {
		first.Problem = refused
		return []intake.Checked{first}, nil
	}
	if err != nil {
		return nil, err
	}
	if p.Current > 1 || p.Part >= 0 {
		part := max(0, p.Part)
		if p.Current > 1 {
			part = 0 // a mended version is a file of its own, and one that took another's place has one model
			if n := len(file.Models); n > 1 {
				first.Problem = fmt.Sprintf("The file holds %d different models, and is to take the place of one. Hand it in as a job of its own, or take one with one model.", n)
				return []intake.Checked{first}, nil
			}
		}
		if part >= len(file.Models) {
			return nil, fmt.Errorf("piece %d: the file has no model %d", p.ID, part)
		}
		first.Judgement, err = w.judge(ctx, p, file, part, in, r)
		return []intake.Checked{first}, err
	}
	return w.takeApart(ctx, p, file, in, r)
}

// maxModels bounds how many pieces a file becomes.
const maxModels = 200

func (w *checkWorker) takeApart(ctx context.Context, p store.Piece, file *modelfile.File, in intake.CheckInput, r *reporter) ([]intake.Checked, error) {
	if len(file.Models) > maxModels {
		return []intake.Checked{{Piece: p, Judgement: store.Judgement{
			Problem: fmt.Sprintf("The file holds %d different models, the limit is %d. Hand them in as several files.", len(file.Models), maxModels)}}}, nil
	}
	var out []intake.Checked
	for i, m := range file.Models {
		c := intake.Checked{Piece: p, New: i > 0}
		c.Piece.Part, c.Piece.Copies = i, min(99999, p.Copies*m.Copies())
		if len(file.Models) > 1 {
			c.Piece.Name = fmt.Sprintf("%s, %s", p.Name, cmp.Or(m.Name, fmt.Sprintf("model %d", i+1)))
		}
		var err error
		part := *r
		part.say = func(doing string, f float64) error { return r.say(doing, (float64(i)+f)/float64(len(file.Models))) }
		c.Judgement, err = w.judge(ctx, c.Piece, file, i, in, &part)
		r.failed = part.failed
		if err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}

// refusal is what a person is told about a file that cannot be read.
func refusal(err error, say func(problem.Phrase) string) (string, bool) {
	var model *modelfile.Error
	var program *gcode.Error
	switch {
	case errors.As(err, &model):
		return model.Words(say), true
	case errors.As(err, &program):
		return program.Words(say), true
	}
	return "", false
}

// program gives the verdict on a file of G-code; nil if it is something else.
func (w *checkWorker) program(ctx context.Context, p store.Piece, in intake.CheckInput, r *reporter) (*verdict.Verdict, error) {
	blob, err := w.store.Blob(ctx, *p.BlobID)
	if err != nil {
		return nil, err
	}
	head := make([]byte, min(blob.Size, modelfile.SniffBytes))
	if _, err := w.store.BlobReader(ctx, blob.ID).ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	if format, err := modelfile.Detect(head, blob.Size); err != nil || format != modelfile.GCode {
		return nil, err
	}
	s, err := gcode.Read(r.ctx, w.store.BlobReader(r.ctx, blob.ID), blob.Size, func(f float64) { _ = r.tell("reading", f, false) },
		verdict.MachinesOf(in.Choices)...)
	if err != nil {
		return nil, err
	}
	v := verdict.JudgeProgram(s, in.Choices, in.LongestS)
	option.SetPrices(v, in.Choices, in.StartCents)
	return v, nil
}

func (w *checkWorker) read(ctx context.Context, id int64, kept *keptFile, r *reporter) (*modelfile.File, error) {
	if kept.blob == id {
		return kept.file, nil
	}
	kept.blob, kept.file = 0, nil // the old one may go before the new one comes
	blob, err := w.store.Blob(ctx, id)
	if err != nil {
		return nil, err
	}
	file, err := modelfile.Read(r.ctx, w.store.BlobReader(r.ctx, id), blob.Size, w.limits, func(f float64) {
		_ = r.tell("reading", readShare*f, false) // a failure cancels r.ctx
	})
	if err == nil {
		kept.blob, kept.file = id, file
	}
	return file, err
}

// mend makes a version that is only asked for yet, from the file as it came.
func (w *checkWorker) mend(ctx context.Context, p store.Piece, in intake.CheckInput, kept *keptFile, r *reporter) ([]intake.Checked, error) {
	now, err := w.store.Version(ctx, p.ID, p.Current)
	if err != nil {
		return nil, err
	}
	n := 1
	if now.Origin != nil {
		n = *now.Origin
	}
	origin, err := w.store.Version(ctx, p.ID, n)
	if err != nil {
		return nil, err
	}
	part := p.Part
	if n > 1 {
		part = 0 // a file that took the first one's place has one model
	}
	file, err := w.read(ctx, *origin.BlobID, kept, r)
	if err != nil {
		return nil, err
	}
	if part < 0 || part >= len(file.Models) {
		return nil, fmt.Errorf("piece %d: the file has no model %d", p.ID, part)
	}
	if err := r.tell("repairing", readShare, true); err != nil {
		return nil, err
	}
	steps := make([]repair.Step, len(p.Steps))
	for i, s := range p.Steps {
		steps[i] = repair.Step(s)
	}
	m := file.Models[part]
	var log []repair.Done
	if m.Mesh, log, err = repair.Do(r.ctx, m.Mesh, steps); err != nil {
		return nil, err
	}
	m.Places = nil
	mended := &modelfile.File{Format: file.Format, Unit: file.Unit, Models: []modelfile.Model{m}}
	blob, err := w.keep(ctx, mended)
	if err != nil {
		return nil, err
	}
	c := intake.Checked{Piece: p}
	if c.Judgement, err = w.judge(ctx, p, mended, 0, in, r); err != nil {
		return nil, err
	}
	c.Judgement.BlobID, c.Log = &blob, log
	return []intake.Checked{c}, nil
}

// keep stores a mended model: as 3MF, which holds its unit, or as STL if it has
// none to hold.
func (w *checkWorker) keep(ctx context.Context, file *modelfile.File) (int64, error) {
	r, out := io.Pipe()
	go func() {
		var err error
		if file.Unit == "" {
			err = modelfile.WriteSTL(out, file.Models[0].Mesh, "mended by Job Shelf")
		} else {
			err = modelfile.Write3MF(out, file)
		}
		out.CloseWithError(err)
	}()
	blob, err := w.store.PutBlob(ctx, r)
	return blob.ID, errors.Join(err, r.Close())
}

// judge works out everything about one model of a file.
func (w *checkWorker) judge(ctx context.Context, p store.Piece, file *modelfile.File, part int, in intake.CheckInput, r *reporter) (store.Judgement, error) {
	var out store.Judgement
	m := file.Models[part]
	subject := verdict.SubjectOf(file, part)
	subject.Said, subject.Stand, subject.Nozzle, subject.Load = p.Unit, p.Stand, p.Nozzle, p.Load
	v, err := verdict.Judge(r.ctx, subject, in.Choices, func(s verdict.Stage, f float64) {
		_ = r.tell(string(s), readShare+judgeShare*f, false)
	})
	if err != nil {
		return out, err
	}
	if err := r.tell("drawing", readShare+judgeShare, false); err != nil {
		return out, err
	}
	option.SetPrices(v, in.Choices, in.StartCents)
	out.Verdict, out.Evidence = v, v.Evidence
	shown := mesh.Simplified(m.Mesh, viewTriangles)
	var img bytes.Buffer
	if err := png.Encode(&img, picture.Draw(shown, 240, 180)); err != nil {
		return out, fmt.Errorf("draw the part: %w", err)
	}
	out.Picture = img.Bytes()
	view, err := w.store.PutBlob(ctx, bytes.NewReader(ViewBytes(shown, v.Unit)))
	out.ViewID = &view.ID
	return out, err
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
		return intake.Progress(ctx, w.desk, j, round, doing, (float64(piece)+f)/float64(pieces))
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
