package httpapi

import (
	"context"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// hub hands every event to all listening browsers. A browser that is too slow
// loses events and gets a "house" one, after which it loads everything anew.
type hub struct {
	mu   sync.Mutex // guards subs
	subs map[chan store.Event]bool
}

func newHub() *hub { return &hub{subs: map[chan store.Event]bool{}} }

func (h *hub) subscribe() (<-chan store.Event, func()) {
	c := make(chan store.Event, 64)
	h.mu.Lock()
	h.subs[c] = true
	h.mu.Unlock()
	return c, func() {
		h.mu.Lock()
		delete(h.subs, c)
		h.mu.Unlock()
	}
}

func (h *hub) send(e store.Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for c := range h.subs {
		select {
		case c <- e:
		default: // full: make room for the one that says "load anew"
			<-c
			c <- store.Event{Kind: "house"}
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
			events, done := s.hub.subscribe()
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
				case <-tick.C:
					err = send.Data(Alive{time.Now()})
				case e := <-events:
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
