package httpapi

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// anyone is the least role of the operations that need no sign-in.
const anyone desk.Role = ""

const (
	leastKey  = "least role"
	personKey = "person"
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
		_ = huma.WriteErr(s.api, ctx, http.StatusUnauthorized, "Sign in first.")
		return
	}
	a, err := s.Desk.Who(ctx.Context(), id)
	switch {
	case errors.Is(err, store.ErrNotFound):
		_ = huma.WriteErr(s.api, ctx, http.StatusUnauthorized, "Sign in first.")
	case err != nil:
		s.Log.Error("find who is signed in", "err", err)
		_ = huma.WriteErr(s.api, ctx, http.StatusInternalServerError, "Something went wrong here. It has been noted; try again.")
	case !a.Role.AtLeast(least):
		_ = huma.WriteErr(s.api, ctx, http.StatusForbidden, "This is for a "+string(least)+" to do.")
	default:
		next(huma.WithValue(ctx, actorKey{}, a))
	}
}
