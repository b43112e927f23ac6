package httpapi

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jobshelf/internal/desk"
	"jobshelf/internal/desk/people"
)

// anyone is the least role of the operations that need no sign-in.
const anyone desk.Role = ""

const (
	leastKey  = "least role"
	personKey = "person"
	seenKey   = "seen" // when the session was last used, to the hour
)

type actorKey struct{}

// actorOf is who is signed in; operations for anyone have the zero Actor.
func actorOf(ctx context.Context) desk.Actor {
	a, _ := ctx.Value(actorKey{}).(desk.Actor)
	return a
}

// guarded marks an operation with the least role that may call it.
func guarded(least desk.Role, op huma.Operation) huma.Operation {
	op.Metadata = map[string]any{leastKey: least}
	if least != anyone {
		op.Errors = append(op.Errors, http.StatusUnauthorized, http.StatusForbidden)
	}
	return op
}

// register adds an operation that people of the role least, or above, may call.
func register[I, O any](s *Server, least desk.Role, op huma.Operation, f func(context.Context, *I) (*O, error)) {
	huma.Register(s.api, guarded(least, op), func(ctx context.Context, in *I) (*O, error) {
		if err := s.clean(ctx, in); err != nil {
			return nil, err
		}
		out, err := f(ctx, in)
		return out, s.refusal(ctx, err)
	})
}

// guard checks the role of every operation. One that was registered around it
// has no least role, and nobody gets through.
func (s *Server) guard(ctx huma.Context, next func(huma.Context)) {
	least, ok := ctx.Operation().Metadata[leastKey].(desk.Role)
	if !ok {
		_ = huma.WriteErr(s.api, ctx, http.StatusForbidden, "Nobody may do this.")
		return
	}
	if least == anyone {
		next(ctx)
		return
	}
	id := s.sessions.GetInt64(ctx.Context(), personKey)
	if id == 0 {
		_ = huma.WriteErr(s.api, ctx, http.StatusUnauthorized, s.says(ctx.Context(), "sign in first"))
		return
	}
	going, done, ok := s.live.begin(ctx.Context(), s.sessionOf(ctx.Context()))
	defer done()
	idle := time.Since(time.Unix(s.sessions.GetInt64(ctx.Context(), seenKey), 0))
	if !ok || idle > sessionIdle {
		if ok {
			_ = s.sessions.Destroy(ctx.Context()) // refused either way
		}
		_ = huma.WriteErr(s.api, ctx, http.StatusUnauthorized, s.says(ctx.Context(), "sign in first"))
		return
	}
	if idle > sessionSeen {
		s.sessions.Put(ctx.Context(), seenKey, time.Now().Unix())
	}
	ctx = huma.WithContext(ctx, going)
	a, err := people.Who(ctx.Context(), s.Desk, id)
	switch {
	case errors.Is(err, desk.ErrNotFound):
		_ = huma.WriteErr(s.api, ctx, http.StatusUnauthorized, s.says(ctx.Context(), "sign in first"))
	case err != nil:
		s.writeRefusal(ctx, err)
	case !a.Role.AtLeast(least):
		_ = huma.WriteErr(s.api, ctx, http.StatusForbidden, s.says(ctx.Context(), "for a role", string(least)))
	default:
		next(huma.WithValue(ctx, actorKey{}, a))
	}
}

// writeRefusal answers with what an error means, outside of an operation.
func (s *Server) writeRefusal(ctx huma.Context, err error) {
	var status huma.StatusError
	if err = s.refusal(ctx.Context(), err); errors.As(err, &status) {
		_ = huma.WriteErr(s.api, ctx, status.GetStatus(), status.Error())
	}
}
