// Package httpapi is the web: requests in, use cases of desk called, JSON or
// problem+json out. It holds no rules of the trade.
//
// Every operation is registered with register, which demands the least role that
// may call it; one middleware (guard) checks it. What belongs to whom is decided
// by desk.
package httpapi

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"net/netip"
	"os"
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	catalogue "jobshelf/core/shape/problem"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/runs"
)

// Config is what a server is made of.
type Config struct {
	Desk *desk.Desk
	Log  *slog.Logger
	// Assets serves the app; nil leaves it out.
	Assets http.Handler
	// UploadBytes is the largest file taken; default 300 MB.
	UploadBytes int64
	// SignInsPerMinute is how many wrong tries a minute, on one account or from one
	// address, slow nobody down; default 10.
	SignInsPerMinute int
	// Wait is how a sign-in waits that is slowed down; nil: really.
	Wait func(context.Context, time.Duration) error
	// HTTPS says that browsers come by https, through a proxy: cookies go nowhere else.
	HTTPS bool
	// Proxies may say in X-Forwarded-For where a request comes from; nobody else.
	Proxies []netip.Prefix
	// Patience is how long a request may take that is not meant to last; default 8 s.
	Patience time.Duration
}

// Server answers requests. Run must be running for events to flow.
type Server struct {
	Config
	router   *chi.Mux
	api      huma.API
	sessions *scs.SessionManager
	hub      *hub
	live     *live
	brake    *brake
	answers  *answers
	stopping chan struct{} // closed when the server is to end: streams end then
	stopOnce sync.Once

	keyMu sync.Mutex // guards key
	key   []byte     // signs the cookies of known browsers; read on first use
}

// Sessions last sessionLife, or sessionIdle without a request; that somebody was here
// is written at the most every sessionSeen.
const (
	sessionLife = 14 * 24 * time.Hour
	sessionIdle = 3 * 24 * time.Hour
	sessionSeen = time.Hour
)

const defaultUploadBytes = 300_000_000

func init() { huma.DefaultArrayNullable = false } // our lists are empty, never null

// New builds the routes.
func New(c Config) *Server {
	if c.UploadBytes <= 0 {
		c.UploadBytes = defaultUploadBytes
	}
	if c.SignInsPerMinute <= 0 {
		c.SignInsPerMinute = 10
	}
	if c.Patience <= 0 {
		c.Patience = 8 * time.Second
	}
	s := &Server{Config: c, router: chi.NewMux(), hub: newHub(), live: newLive(), brake: newBrake(c.SignInsPerMinute), answers: newAnswers(),
		sessions: scs.New(), stopping: make(chan struct{})}
	if c.Wait != nil {
		s.brake.wait = c.Wait
	}
	s.sessions.Store = c.Desk.Sessions(personIn)
	s.sessions.HashTokenInStore = true
	s.sessions.Lifetime = sessionLife // idle ones are ended by the guard, so that reading writes nothing
	s.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		s.Log.Error("read or write a session", "err", err)
		w.Header().Set("Retry-After", "5")
		problem(w, http.StatusServiceUnavailable, awayText)
	}
	s.sessions.Cookie.Name = "jobshelf"
	s.sessions.Cookie.HttpOnly = true
	s.sessions.Cookie.Secure = c.HTTPS
	s.sessions.Cookie.SameSite = http.SameSiteLaxMode

	r := s.router
	r.Use(middleware.Recoverer, s.securityHeaders, http.NewCrossOriginProtection().Handler)
	r.Get("/healthz", func(w http.ResponseWriter, r *http.Request) { w.WriteHeader(http.StatusNoContent) })
	r.Get("/readyz", s.ready)
	r.Route("/api", func(r chi.Router) {
		r.Use(noStore, patience(c.Patience), middleware.Compress(1, "application/json", "application/problem+json"), s.sessions.LoadAndSave, limitBody(c.UploadBytes))
		cfg := huma.DefaultConfig("Job Shelf", "0.1.0")
		cfg.Servers = []*huma.Server{{URL: "/api"}}
		cfg.DocsPath = ""
		cfg.OpenAPIPath = "/openapi"
		cfg.SchemasPath = ""
		cfg.CreateHooks = nil // no $schema members in every answer
		s.api = humachi.New(r, cfg)
		s.api.UseMiddleware(s.guard)
		s.routes()
		r.NotFound(func(w http.ResponseWriter, r *http.Request) {
			problem(w, http.StatusNotFound, "There is nothing at this address.")
		})
		r.MethodNotAllowed(func(w http.ResponseWriter, r *http.Request) {
			problem(w, http.StatusMethodNotAllowed, "This address does not take "+r.Method+".")
		})
	})
	if c.Assets != nil {
		r.NotFound(c.Assets.ServeHTTP)
	}
	return s
}

// EndStreams ends what would never end by itself, so that the server can stop.
func (s *Server) EndStreams() { s.stopOnce.Do(func() { close(s.stopping) }) }

// ready says whether requests can be answered: the database is there and migrated.
func (s *Server) ready(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
	defer cancel()
	select {
	case <-s.stopping:
		problem(w, http.StatusServiceUnavailable, "The server is stopping.")
		return
	default:
	}
	if err := s.Desk.Ready(ctx); err != nil {
		problem(w, http.StatusServiceUnavailable, awayText)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

const awayText = "The database does not answer just now. Try again in a moment; nothing of what was saved is lost."

// personIn reads whose a session is out of its data; 0 if nobody's.
func personIn(data []byte) int64 {
	_, values, err := scs.GobCodec{}.Decode(data)
	if err != nil {
		return 0
	}
	id, _ := values[personKey].(int64)
	return id
}

// sessionOf is the hash of the session's token, as the database has it.
func (s *Server) sessionOf(ctx context.Context) string {
	sum := sha256.Sum256([]byte(s.sessions.Token(ctx)))
	return base64.RawURLEncoding.EncodeToString(sum[:])
}

// ServeHTTP answers a request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.router.ServeHTTP(w, r) }

// OpenAPI is the description of the API, OpenAPI 3.1.
func (s *Server) OpenAPI() *huma.OpenAPI { return s.api.OpenAPI() }

// Run hands events from the database to the browsers until ctx ends, taking the
// connection up again when it breaks.
func (s *Server) Run(ctx context.Context, ready func()) {
	for ctx.Err() == nil {
		err := s.Desk.Listen(ctx, func() {
			s.follow(ctx) // what was told while nobody listened, too
			s.endMissed(ctx)
			ready()
			ready = func() {}
		}, func(x desk.Signal) { s.heard(ctx, x) })
		if ctx.Err() == nil {
			s.Log.Error("events stopped; starting again", "err", err)
			select {
			case <-ctx.Done():
			case <-time.After(time.Second):
			}
		}
	}
}

// heard takes what the database tells.
func (s *Server) heard(ctx context.Context, x desk.Signal) {
	switch x.Kind {
	case desk.SessionEnded:
		s.live.end(x.Session)
	case desk.OfEvents:
		s.follow(ctx)
	case desk.OfMachine:
		var said runs.MachineSaid
		if json.Unmarshal(x.Data, &said) == nil {
			s.hub.send(update{machine: &MachineSays{x.Machine, said}})
		}
	default:
		of := "check"
		if x.Kind == desk.OfTried {
			of = "orientations"
		}
		s.hub.send(update{progress: &Progress{of, x.Job, x.Fraction, x.Doing}, owner: x.Owner})
	}
}

func (s *Server) follow(ctx context.Context) {
	if err := s.hub.follow(ctx, s.Desk); err != nil && ctx.Err() == nil {
		s.Log.Error("read what has changed", "err", err)
	}
}

// endMissed ends what goes on in sessions that ended while nobody listened.
func (s *Server) endMissed(ctx context.Context) {
	ended, err := s.Desk.EndedSessions(ctx, s.live.sessions())
	if err != nil {
		s.Log.Error("look for sessions that ended", "err", err)
	}
	for _, x := range ended {
		s.live.end(x)
	}
}

// noStore keeps answers out of the browser's cache: what they show is private. What
// may be kept says so itself.
func noStore(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r)
	})
}

// securityHeaders lets the browser load nothing from elsewhere.
func (s *Server) securityHeaders(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set(
			"Content-Security-Policy",
			"default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; worker-src 'self' blob:; frame-ancestors 'none'; base-uri 'self'; form-action 'self'",
		)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		if s.HTTPS {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		next.ServeHTTP(w, r)
	})
}

// problem writes an RFC 9457 problem outside of huma.
func problem(w http.ResponseWriter, status int, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail})
}

// says is a text of the catalogue in the house's language; English where the house cannot be
// asked for it.
func (s *Server) says(ctx context.Context, code string, params ...any) string {
	return s.Desk.Words(ctx).Say(catalogue.Say(code, params...))
}

// refusal turns an error of desk into problem details; what is nobody's fault
// is logged and not shown.
func (s *Server) refusal(ctx context.Context, err error) error {
	var bad *desk.Invalid
	var clash *desk.Conflict
	var status huma.StatusError
	var tooLarge *http.MaxBytesError
	var full *intake.NoRoom
	switch cause := context.Cause(ctx); {
	case err == nil:
		return nil
	case errors.Is(cause, errSignedOut):
		return huma.Error401Unauthorized(s.says(ctx, "signed out meanwhile"))
	case errors.Is(cause, errSlow), errors.Is(err, desk.ErrAway), errors.Is(err, context.DeadlineExceeded):
		s.Log.WarnContext(ctx, "the database is away", "err", err)
		return huma.ErrorWithHeaders(huma.Error503ServiceUnavailable(awayText), http.Header{"Retry-After": {"5"}})
	case errors.As(err, &status):
		return err
	case errors.As(err, &bad):
		words := s.Desk.Words(ctx)
		var details []error
		for _, p := range bad.Problems {
			details = append(details, &huma.ErrorDetail{Location: "body." + p.Field, Message: words.Say(p.Phrase)})
		}
		return huma.Error422UnprocessableEntity(words.Say(bad.Problems[0].Phrase), details...)
	case errors.As(err, &clash):
		return huma.Error409Conflict(s.Desk.Words(ctx).Say(clash.Phrase))
	case errors.Is(err, desk.ErrNotFound):
		return huma.Error404NotFound(s.says(ctx, "not there"))
	case errors.Is(err, desk.ErrChanged):
		return huma.Error409Conflict(s.says(ctx, "changed meanwhile"))
	case errors.Is(err, desk.ErrTaken):
		return huma.Error409Conflict(s.says(ctx, "name taken"))
	case errors.Is(err, desk.ErrUnstorable):
		return huma.Error422UnprocessableEntity(s.says(ctx, "cannot be kept"))
	case errors.As(err, &full):
		return huma.NewError(http.StatusInsufficientStorage, full.Text)
	case errors.Is(err, desk.ErrFull):
		return huma.NewError(http.StatusInsufficientStorage, s.says(ctx, "disk full"))
	case errors.Is(err, errStalled), errors.Is(err, os.ErrDeadlineExceeded):
		return huma.NewError(http.StatusRequestTimeout, s.says(ctx, "stalled"))
	case errors.As(err, &tooLarge):
		return huma.NewError(http.StatusRequestEntityTooLarge, s.says(ctx, "file over the limit"))
	case errors.Is(err, context.Canceled):
		return huma.NewError(499, s.says(ctx, "request cancelled"))
	}
	s.Log.ErrorContext(ctx, "request failed", "err", err)
	return huma.Error500InternalServerError(s.says(ctx, "went wrong"))
}
