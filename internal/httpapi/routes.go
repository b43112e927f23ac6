package httpapi

import (
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"jobshelf/core/judge/finding"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/people"
)

type body[T any] struct{ Body T }

func ok[T any](v T, err error) (*body[T], error) { return &body[T]{v}, err }

type none struct{}

func op(id, method, path, summary string) huma.Operation {
	return huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary}
}

func (s *Server) routes() {
	s.sessionRoutes()
	s.houseRoutes()
	s.jobRoutes()
	s.fileRoutes()
	s.floorRoutes()
	s.sliceRoutes()
	s.events()
}

type signIn struct {
	Login    string `json:"login" minLength:"1" maxLength:"100"`
	Password string `json:"password" minLength:"1" maxLength:"200"`
}

// request hands the raw request to a handler that needs it.
type request struct {
	r *http.Request
	w http.ResponseWriter
}

// Resolve is huma's hook before the handler.
func (q *request) Resolve(ctx huma.Context) []error {
	q.r, q.w = humachi.Unwrap(ctx)
	return nil
}

func (s *Server) sessionRoutes() {
	register(s, anyone, op("sign-in", "POST", "/session", "Sign in"), func(ctx context.Context, in *struct {
		request
		Body signIn
	}) (*body[desk.Actor], error) {
		lasts(ctx) // a try after many wrong ones waits
		a, err := s.signIn(ctx, in.r, in.w, in.Body.Login, in.Body.Password)
		if errors.Is(err, people.ErrSignIn) {
			return nil, huma.Error401Unauthorized("The login or the password is wrong.")
		}
		if err != nil {
			return nil, err
		}
		if err := s.sessions.RenewToken(ctx); err != nil { // no fixation
			return nil, err
		}
		s.sessions.Put(ctx, personKey, a.ID)
		s.sessions.Put(ctx, seenKey, time.Now().Unix())
		return ok(a, nil)
	})
	register(s, desk.Member, op("who", "GET", "/session", "Who is signed in"), func(ctx context.Context, _ *none) (*body[desk.Actor], error) {
		return ok(actorOf(ctx), nil)
	})
	register(s, desk.Member, op("sign-out", "DELETE", "/session", "Sign out"), func(ctx context.Context, _ *none) (*none, error) {
		session := s.sessionOf(ctx)
		// It must not be cut off by the end that it brings about itself.
		if err := s.sessions.Destroy(context.WithoutCancel(ctx)); err != nil {
			return nil, err
		}
		s.live.end(session)
		return nil, nil
	})
	register(s, desk.Member, op("set-password", "PUT", "/session/password", "Change the own password"), func(ctx context.Context, in *body[newPassword]) (*none, error) {
		return nil, people.ChangePassword(ctx, s.Desk, actorOf(ctx), in.Body.Old, in.Body.New, s.sessionOf(ctx))
	})
	register(s, desk.Member, op("storage", "GET", "/storage", "How much room the files take, and how much there is"), func(ctx context.Context, _ *none) (*body[intake.StorageView], error) {
		return ok(intake.Storage(ctx, s.Desk, actorOf(ctx)))
	})
	register(s, desk.Coordinator, op("people", "GET", "/people", "Everybody of the house"), func(ctx context.Context, _ *none) (*body[[]desk.Actor], error) {
		return ok(people.People(ctx, s.Desk))
	})
}

type newPassword struct {
	Old string `json:"old" minLength:"1" maxLength:"200"`
	New string `json:"new" minLength:"1" maxLength:"200"`
}

func (s *Server) houseRoutes() {
	register(s, desk.Member, op("house", "GET", "/house", "Machines, materials, recipes, prices and hours"), func(ctx context.Context, _ *none) (*body[house.HouseView], error) {
		return ok(house.Read(ctx, s.Desk))
	})
	register(s, desk.Steward, op("set-house", "PUT", "/house", "Change name, hours and fees"), func(ctx context.Context, in *body[house.House]) (*none, error) {
		return nil, house.SetHouse(ctx, s.Desk, actorOf(ctx), in.Body)
	})
	register(s, desk.Steward, op("set-machine", "PUT", "/machines/{id}", "Change a machine"), func(ctx context.Context, in *struct {
		ID   int64 `path:"id"`
		Body house.MachineView
	}) (*none, error) {
		in.Body.ID = in.ID
		return nil, house.SetMachine(ctx, s.Desk, actorOf(ctx), in.Body)
	})
	register(s, desk.Steward, op("set-material", "PUT", "/materials/{id}", "Change a material"), func(ctx context.Context, in *struct {
		ID   int64 `path:"id"`
		Body house.MaterialView
	}) (*none, error) {
		in.Body.ID = in.ID
		return nil, house.SetMaterial(ctx, s.Desk, actorOf(ctx), in.Body)
	})
	register(s, desk.Steward, op("set-recipe", "PUT", "/recipes/{id}", "Change a recipe"), func(ctx context.Context, in *struct {
		ID   int64 `path:"id"`
		Body house.RecipeView
	}) (*none, error) {
		in.Body.ID = in.ID
		return nil, house.SetRecipe(ctx, s.Desk, actorOf(ctx), in.Body)
	})
}

// ByID is a path with the number of a thing.
type ByID struct {
	ID int64 `path:"id"`
}

// taggedID is ByID for an answer that is kept.
type taggedID struct {
	Tagged
	ByID
}

// whole is the key of an answer that depends on nothing but who asks.
func whole(*Tagged) string { return "" }

type created struct {
	ID int64 `json:"id"`
}

// Versioned is a change to a job as it was seen.
type Versioned struct {
	Version int `json:"version" minimum:"1" doc:"The version of the job that was seen"`
}

func (s *Server) jobRoutes() {
	steadyAnswer(s, desk.Member, op("shelf", "GET", "/jobs", "The open jobs: all for a coordinator, a member's own"), whole, func(ctx context.Context, _ *Tagged) (decide.ShelfView, error) {
		return decide.Shelf(ctx, s.Desk, actorOf(ctx))
	})
	handIn := op("hand-in", "POST", "/jobs", "Make a job of uploaded files")
	handIn.DefaultStatus = http.StatusCreated
	register(s, desk.Member, handIn, func(ctx context.Context, in *body[intake.HandIn]) (*body[created], error) {
		id, err := intake.NewJob(ctx, s.Desk, actorOf(ctx), in.Body)
		return ok(created{id}, err)
	})
	steadyAnswer(s, desk.Member, op("job", "GET", "/jobs/{id}", "One job with its ladder and history"), func(in *taggedID) string { return fmt.Sprint(in.ID) }, func(ctx context.Context, in *taggedID) (decide.JobView, error) {
		return decide.Job(ctx, s.Desk, actorOf(ctx), in.ID)
	})
	register(s, desk.Coordinator, op("approve", "POST", "/jobs/{id}/approve", "Queue a job on a machine"), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Versioned
			MachineID int64 `json:"machine_id,omitempty" doc:"0 or left out: the proposed machine"`
		}
	}) (*none, error) {
		return nil, decide.Approve(ctx, s.Desk, actorOf(ctx), in.ID, in.Body.Version, in.Body.MachineID)
	})
	register(s, desk.Coordinator, op("send-back", "POST", "/jobs/{id}/send-back", "Say no, with a reason"), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Versioned
			Reason string `json:"reason" maxLength:"2000"`
		}
	}) (*none, error) {
		return nil, decide.SendBack(ctx, s.Desk, actorOf(ctx), in.ID, in.Body.Version, in.Body.Reason)
	})
	register(s, desk.Coordinator, op("advance", "POST", "/jobs/{id}/advance", "Started, finished, ready, fetched: one step on"), func(ctx context.Context, in *struct {
		ByID
		Body Versioned
	}) (*none, error) {
		return nil, decide.Advance(ctx, s.Desk, actorOf(ctx), in.ID, in.Body.Version)
	})
	register(s, desk.Member, op("check-again", "POST", "/jobs/{id}/check", "Check a job again"), func(ctx context.Context, in *ByID) (*none, error) {
		return nil, intake.Retry(ctx, s.Desk, actorOf(ctx), in.ID)
	})
	register(s, desk.Member, op("cancel-check", "DELETE", "/jobs/{id}/check", "Stop a check"), func(ctx context.Context, in *ByID) (*none, error) {
		return nil, intake.CancelCheck(ctx, s.Desk, actorOf(ctx), in.ID)
	})
}

func (s *Server) floorRoutes() {
	steadyAnswer(s, desk.Coordinator, op("floor", "GET", "/floor", "Machines, their lanes and the opening hours"), whole, func(ctx context.Context, _ *Tagged) (floor.FloorView, error) {
		return floor.Floor(ctx, s.Desk)
	})
	register(s, desk.Coordinator, op("move-run", "POST", "/runs/{id}/move", "Put a run at a place of a lane"), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			MachineID int64 `json:"machine_id"`
			Place     int   `json:"place" minimum:"0" maximum:"10000" doc:"Among the queued runs, from 0"`
		}
	}) (*none, error) {
		return nil, floor.MoveRun(ctx, s.Desk, actorOf(ctx), in.ID, in.Body.MachineID, in.Body.Place)
	})
}

type arrived struct {
	UploadID string `json:"upload_id"`
	Size     int64  `json:"size"`
}

type uploadInput struct {
	Name string `query:"name" maxLength:"300" anytext:"it is cleaned" doc:"The file's name"`
	request
}

func (s *Server) fileRoutes() {
	up := op("upload", "POST", "/uploads", "Send one file, as it is")
	up.BodyReadTimeout = -1 // large files over slow lines
	up.DefaultStatus = http.StatusCreated
	register(s, desk.Member, up, func(ctx context.Context, in *uploadInput) (*body[arrived], error) {
		// The server's own time limits are for small requests.
		lasts(ctx)
		line := http.NewResponseController(in.w)
		stop := context.AfterFunc(ctx, func() { _ = line.SetReadDeadline(time.Unix(1, 0)) }) // a read that waits ends
		defer stop()
		body := &steady{body: in.r.Body, now: time.Now, begun: time.Now(), read: func(t time.Time) error {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			return line.SetReadDeadline(t)
		}}
		id, size, err := intake.Upload(ctx, s.Desk, actorOf(ctx), in.Name, body)
		return ok(arrived{id, size}, err)
	})
	s.api.OpenAPI().Paths["/uploads"].Post.RequestBody = &huma.RequestBody{Required: true,
		Content: map[string]*huma.MediaType{"application/octet-stream": {}}}

	s.ofPiece("piece-picture", "/pieces/{id}/picture", "The part's picture, PNG", intake.Picture)
	s.ofPiece("piece-view", "/pieces/{id}/view", "The part's surface for the 3D view (see docs/view-format.md)", intake.Surface)
	s.ofPiece("piece-file", "/pieces/{id}/file", "A version's file: version=1 is the file as it came", intake.ModelFile)
	register(s, desk.Member, op("piece-evidence", "GET", "/pieces/{id}/evidence", "Lines and faces of the findings, mm"), func(ctx context.Context, in *ofVersion) (*body[[]finding.Evidence], error) {
		return ok(intake.Evidence(ctx, s.Desk, actorOf(ctx), in.ID, in.Version))
	})
	register(s, desk.Member, op("change-piece", "PUT", "/pieces/{id}", "Say a piece's unit, its copies, or which version counts"), func(ctx context.Context, in *struct {
		ByID
		Body intake.PieceChange
	}) (*none, error) {
		return nil, intake.ChangePiece(ctx, s.Desk, actorOf(ctx), in.ID, in.Body)
	})
	register(s, desk.Coordinator, op("repair-piece", "POST", "/pieces/{id}/repair", "Make a mended version"), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Versioned
			Steps []string `json:"steps" minItems:"1" maxItems:"20"`
		}
	}) (*none, error) {
		return nil, intake.Repair(ctx, s.Desk, actorOf(ctx), in.ID, in.Body.Version, in.Body.Steps)
	})
}

// ofVersion is a path with the number of a piece, and which version of it.
type ofVersion struct {
	ByID
	Version int `query:"version" minimum:"0" doc:"0 or left out: the current one"`
}

// ofPiece registers a download of something of a piece's version.
func (s *Server) ofPiece(id, path, summary string, open func(context.Context, *desk.Desk, desk.Actor, int64, int) (desk.Download, error)) {
	download(s, id, path, summary, func(ctx context.Context, in *ofVersion) (desk.Download, error) {
		return open(ctx, s.Desk, actorOf(ctx), in.ID, in.Version)
	})
}

// ofSlice registers a download of something of a slice's.
func (s *Server) ofSlice(id, path, summary string, open func(context.Context, *desk.Desk, desk.Actor, int64) (desk.Download, error)) {
	download(s, id, path, summary, func(ctx context.Context, in *ByID) (desk.Download, error) {
		return open(ctx, s.Desk, actorOf(ctx), in.ID)
	})
}

// download registers a download: open it, send it.
func download[I any](s *Server, id, path, summary string, open func(context.Context, *I) (desk.Download, error)) {
	o := op(id, "GET", path, summary)
	o.Responses = map[string]*huma.Response{"200": {Description: summary, Content: map[string]*huma.MediaType{"application/octet-stream": {}}}}
	register(s, desk.Member, o, func(ctx context.Context, in *I) (*huma.StreamResponse, error) {
		d, err := open(ctx, in)
		if err != nil {
			return nil, err
		}
		lasts(ctx)
		return &huma.StreamResponse{Body: func(c huma.Context) {
			c.SetHeader("Content-Type", d.Type)
			c.SetHeader("Content-Length", fmt.Sprint(d.Bytes))
			if d.Keep > 0 {
				c.SetHeader("Cache-Control", fmt.Sprintf("private, max-age=%.0f", d.Keep.Seconds()))
			}
			if d.Name != "" {
				c.SetHeader("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": d.Name}))
			}
			if _, err := io.Copy(c.BodyWriter(), d); err != nil {
				s.Log.Error("download broke off", "err", err)
			}
		}}, nil
	})
}
