package httpapi

import (
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/httprate"
)

// rateLimit bounds sign-ins from one address. It trusts the connection's own
// address only: a header can say anything.
func (s *Server) rateLimit() func(huma.Context, func(huma.Context)) {
	perAddress := httprate.NewRateLimiter(s.SignInsPerMinute, time.Minute)
	return func(ctx huma.Context, next func(huma.Context)) {
		r, w := humachi.Unwrap(ctx)
		key, err := httprate.KeyByIP(r)
		if err == nil && perAddress.OnLimit(w, r, key) {
			_ = huma.WriteErr(s.api, ctx, http.StatusTooManyRequests, "Too many tries. Wait a minute.")
			return
		}
		next(ctx)
	}
}
