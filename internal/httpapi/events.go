package httpapi

import (
	"context"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	"jobshelf/internal/desk"
)

// hub hands every event to all listening browsers. It never waits: a browser that is
// too slow loses events and is told to load everything anew.
type hub struct {
	mu   sync.Mutex // guards subs; held for no longer than sending takes that never waits
	subs map[*listener]bool
}

// listener is one browser's stream.
type listener struct {
	events chan desk.Event
	missed chan struct{} // holds one: something was lost
}

func newHub() *hub { return &hub{subs: map[*listener]bool{}} }

// waitingEvents is how many events a browser may be behind.
const waitingEvents = 64

func (h *hub) subscribe() (*listener, func()) {
	l := &listener{make(chan desk.Event, waitingEvents), make(chan struct{}, 1)}
	h.mu.Lock()
	h.subs[l] = true
	h.mu.Unlock()
	return l, func() {
		h.mu.Lock()
		delete(h.subs, l)
		h.mu.Unlock()
	}
}

func (h *hub) send(e desk.Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for l := range h.subs {
		select {
		case l.events <- e:
		default:
			select {
			case l.missed <- struct{}{}:
			default: // it is to be told already
			}
		}
	}
}

// Changed tells a browser that something is not as it was: "job", "lane" or
// "house" (which may be anything).
type Changed struct {
	Kind string `json:"kind" enum:"job,lane,house"`
	Job  int64  `json:"job,omitempty"`
}

// Progress tells how far a check is.
type Progress struct {
	Job      int64   `json:"job"`
	Fraction float64 `json:"fraction"`
	Doing    string  `json:"doing"`
}

// Alive is sent now and then so that a dead connection is noticed.
type Alive struct {
	At time.Time `json:"at"`
}

const aliveEvery = 20 * time.Second

func (s *Server) events() {
	op := guarded(desk.Member, huma.Operation{OperationID: "events", Method: "GET", Path: "/events", Summary: "Changes and progress, as they happen"})
	sse.Register(s.api, op, map[string]any{"changed": Changed{}, "progress": Progress{}, "alive": Alive{}},
		func(ctx context.Context, _ *struct{}, send sse.Sender) {
			a := actorOf(ctx)
			all := a.Role.AtLeast(desk.Coordinator)
			lasts(ctx)
			l, done := s.hub.subscribe()
			defer done()
			tick := time.NewTicker(aliveEvery)
			defer tick.Stop()
			if send.Data(Alive{time.Now()}) != nil {
				return
			}
			for {
				var err error
				select {
				case <-ctx.Done():
					return
				case <-s.stopping:
					return
				case <-tick.C:
					if s.sessionOver(ctx) {
						return
					}
					err = send.Data(Alive{time.Now()})
				case <-l.missed:
					err = send.Data(Changed{Kind: "house"})
				case e := <-l.events:
					switch {
					case e.Owner != 0 && e.Owner != a.ID && !all:
					case e.Kind == "progress":
						err = send.Data(Progress{e.Job, e.Fraction, e.Doing})
					default:
						err = send.Data(Changed{e.Kind, e.Job})
					}
				}
				if err != nil {
					return
				}
			}
		})
}

// sessionOver looks whether a stream's session has ended or expired, should nobody
// have told.
func (s *Server) sessionOver(ctx context.Context) bool {
	ended, err := s.Desk.EndedSessions(ctx, []string{s.sessionOf(ctx)})
	return err == nil && len(ended) > 0
}
