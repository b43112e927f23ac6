// Package httpapi is the web: requests in, use cases of desk called, JSON or
// problem+json out. It holds no rules of the trade.
//
// Every operation is registered with register, which demands the least role that
// may call it; one middleware (guard) checks it. What belongs to whom is decided
// by desk.
package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/alexedwards/scs/pgxstore"
	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/go-chi/httprate"

	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// Config is what a server is made of.
type Config struct {
	Desk *desk.Desk
	Log  *slog.Logger
	// Assets serves the app; nil leaves it out.
	Assets http.Handler
	// UploadBytes is the largest file taken; default 300 MB.
	UploadBytes int64
	// SignInsPerMinute bounds tries from one address and on one login; default
	// 10.
	SignInsPerMinute int
}

// Server answers requests. Run must be running for events to flow.
type Server struct {
	Config
	router   *chi.Mux
	api      huma.API
	sessions *scs.SessionManager
	sessRows *pgxstore.PostgresStore
	hub      *hub
	perLogin *httprate.RateLimiter
}

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
	s := &Server{Config: c, router: chi.NewMux(), hub: newHub(), sessions: scs.New()}
	s.sessRows = pgxstore.NewWithCleanupInterval(c.Desk.Store.Pool, 10*time.Minute)
	s.sessions.Store = s.sessRows
	s.sessions.Lifetime = 14 * 24 * time.Hour
	s.sessions.IdleTimeout = 3 * 24 * time.Hour
	s.sessions.Cookie.Name = "jobshelf"
	s.sessions.Cookie.HttpOnly = true
	s.sessions.Cookie.SameSite = http.SameSiteLaxMode
	s.perLogin = httprate.NewRateLimiter(c.SignInsPerMinute, time.Minute)

	r := s.router
	r.Use(middleware.Recoverer, securityHeaders, http.NewCrossOriginProtection().Handler)
	r.Get("/healthz", func(w http.ResponseWriter, r *http.Request) { w.WriteHeader(http.StatusNoContent) })
	r.Route("/api", func(r chi.Router) {
		r.Use(s.sessions.LoadAndSave, limitBody(c.UploadBytes))
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

// Close ends what New started.
func (s *Server) Close() { s.sessRows.StopCleanup() }

// ServeHTTP answers a request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.router.ServeHTTP(w, r) }

// OpenAPI is the description of the API, OpenAPI 3.1.
func (s *Server) OpenAPI() *huma.OpenAPI { return s.api.OpenAPI() }

// Run hands events from the database to the browsers until ctx ends, taking the
// connection up again when it breaks.
func (s *Server) Run(ctx context.Context, ready func()) {
	for ctx.Err() == nil {
		err := s.Desk.Store.Listen(ctx, func() {
			s.hub.send(store.Event{Kind: "house"}) // what was missed while not listening
			ready()
			ready = func() {}
		}, s.hub.send)
		if ctx.Err() == nil {
			s.Log.Error("events stopped; starting again", "err", err)
			select {
			case <-ctx.Done():
			case <-time.After(time.Second):
			}
		}
	}
}

// securityHeaders lets the browser load nothing from elsewhere.
func securityHeaders(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; worker-src 'self' blob:; frame-ancestors 'none'; base-uri 'self'; form-action 'self'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		next.ServeHTTP(w, r)
	})
}

// limitBody bounds request bodies: a file's limit where files arrive, 1 MB
// everywhere else.
func limitBody(upload int64) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			limit := int64(1 << 20)
			if strings.HasSuffix(r.URL.Path, "/uploads") {
				limit = upload
			}
			r.Body = http.MaxBytesReader(w, r.Body, limit)
			next.ServeHTTP(w, r)
		})
	}
}

// problem writes an RFC 9457 problem outside of huma.
func problem(w http.ResponseWriter, status int, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail})
}

// refusal turns an error of desk into problem details; what is nobody's fault
// is logged and not shown.
func (s *Server) refusal(ctx context.Context, err error) error {
	var bad *desk.Invalid
	var clash *desk.Conflict
	var status huma.StatusError
	var tooLarge *http.MaxBytesError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &status):
		return err
	case errors.As(err, &bad):
		var details []error
		for _, p := range bad.Problems {
			details = append(details, &huma.ErrorDetail{Location: "body." + p.Field, Message: p.Text})
		}
		return huma.Error422UnprocessableEntity(bad.Error(), details...)
	case errors.As(err, &clash):
		return huma.Error409Conflict(clash.Text)
	case errors.Is(err, store.ErrNotFound):
		return huma.Error404NotFound("There is no such thing, or it is not yours to see.")
	case errors.Is(err, store.ErrChanged):
		return huma.Error409Conflict("It was changed by somebody else meanwhile. Load it again.")
	case errors.Is(err, store.ErrTaken):
		return huma.Error409Conflict("That name is in use already.")
	case errors.As(err, &tooLarge):
		return huma.NewError(http.StatusRequestEntityTooLarge, "The file is over the limit of this house.")
	case errors.Is(err, context.Canceled):
		return huma.NewError(499, "The request was cancelled.")
	}
	s.Log.ErrorContext(ctx, "request failed", "err", err)
	return huma.Error500InternalServerError("Something went wrong here. It has been noted; try again.")
}
