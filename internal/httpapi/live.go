package httpapi

import (
	"context"
	"errors"
	"sync"
	"time"
)

// live is what goes on in each session: streams, uploads, requests. When a session
// ends, all of it ends. Keys are hashes of tokens, as the database has them.
type live struct {
	mu    sync.Mutex // guards all
	going map[string]map[*going]bool
	ended map[string]time.Time
}

type going struct{ stop context.CancelCauseFunc }

// errSignedOut is why something ended whose session did.
var errSignedOut = errors.New("the session ended")

// endedKept is how long an end is remembered, for requests that found their session
// just before it and have not registered yet.
const endedKept = 10 * time.Minute

func newLive() *live {
	return &live{going: map[string]map[*going]bool{}, ended: map[string]time.Time{}}
}

// begin registers something that goes on in a session; false if that has ended.
func (l *live) begin(ctx context.Context, session string) (context.Context, func(), bool) {
	ctx, stop := context.WithCancelCause(ctx)
	g := &going{stop}
	l.mu.Lock()
	defer l.mu.Unlock()
	if _, over := l.ended[session]; over {
		stop(errSignedOut)
		return ctx, func() {}, false
	}
	if l.going[session] == nil {
		l.going[session] = map[*going]bool{}
	}
	l.going[session][g] = true
	return ctx, func() {
		stop(nil)
		l.mu.Lock()
		defer l.mu.Unlock()
		delete(l.going[session], g)
		if len(l.going[session]) == 0 {
			delete(l.going, session)
		}
	}, true
}

// end stops all that goes on in a session.
func (l *live) end(session string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	now := time.Now()
	l.ended[session] = now
	for s, at := range l.ended {
		if now.Sub(at) > endedKept {
			delete(l.ended, s)
		}
	}
	for g := range l.going[session] {
		g.stop(errSignedOut)
	}
}

// sessions lists those in which something goes on.
func (l *live) sessions() []string {
	l.mu.Lock()
	defer l.mu.Unlock()
	out := make([]string, 0, len(l.going))
	for s := range l.going {
		out = append(out, s)
	}
	return out
}
