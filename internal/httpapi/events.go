package httpapi

import (
	"context"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	"jobshelf/internal/desk"
	"jobshelf/internal/desk/runs"
)

// hub hands what has changed to all listening browsers, in the order of commits. It never
// waits: a browser that is too slow is told from the database, as one that was away.
type hub struct {
	mu   sync.Mutex // guards subs; held for no longer than sending takes that never waits
	subs map[*listener]bool
	// at is the last event that was handed out; of whoever follows, who is one at a time.
	at    int64
	begun bool
}

// update is what a browser is told: an event, or how far a check is.
type update struct {
	change   desk.Change
	progress *Progress
	owner    int64 // of the progress
	machine  *MachineSays
}

// listener is one browser's stream.
type listener struct {
	updates chan update
	missed  chan struct{} // holds one: something was lost
}

func newHub() *hub { return &hub{subs: map[*listener]bool{}} }

// waitingEvents is how many updates a browser may be behind, and how many events are read at a
// time; who is behind by more than mostEvents loads everything anew.
const (
	waitingEvents = 64
	mostEvents    = 500
)

func (h *hub) subscribe() (*listener, func()) {
	l := &listener{make(chan update, waitingEvents), make(chan struct{}, 1)}
	h.mu.Lock()
	h.subs[l] = true
	h.mu.Unlock()
	return l, func() {
		h.mu.Lock()
		delete(h.subs, l)
		h.mu.Unlock()
	}
}

// follow reads the events since the last and hands them out. The first time it only finds out
// where to begin. One goroutine calls it.
func (h *hub) follow(ctx context.Context, d *desk.Desk) error {
	if !h.begun {
		last, err := d.LastEvent(ctx)
		if err != nil {
			return err
		}
		h.at, h.begun = last, true
		return nil
	}
	for {
		all, err := d.ChangesAfter(ctx, h.at, waitingEvents)
		if err != nil {
			return err
		}
		for _, c := range all {
			h.at = c.ID
			h.send(update{change: c})
		}
		if len(all) < waitingEvents {
			return nil
		}
	}
}

func (h *hub) send(u update) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for l := range h.subs {
		select {
		case l.updates <- u:
		default:
			if u.progress != nil || u.machine != nil {
				continue // the next tells as much
			}
			select {
			case l.missed <- struct{}{}:
			default: // it is to be told already
			}
		}
	}
}

// Changed tells a browser that something is not as it was: a job, with lanes the order of runs
// too, the lanes alone, or the house, which may be anything.
type Changed struct {
	Kind  string `json:"kind" enum:"job,lanes,house"`
	Job   int64  `json:"job,omitempty"`
	Lanes bool   `json:"lanes,omitempty"`
}

// Progress tells how far a check is, or how many orientations of a job's pieces were tried.
type Progress struct {
	Of       string  `json:"of" enum:"check,orientations"`
	Job      int64   `json:"job"`
	Fraction float64 `json:"fraction"`
	Doing    string  `json:"doing"`
}

// MachineSays tells the desk what a machine on a line does.
type MachineSays struct {
	Machine int64            `json:"machine"`
	Says    runs.MachineSaid `json:"says"`
}

// Alive is sent now and then so that a dead connection is noticed.
type Alive struct {
	At    time.Time `json:"at"`
	Epoch int64     `json:"epoch" doc:"Another than before: the house was restored from a copy, and a page of before is of another house"`
}

const aliveEvery = 5 * time.Second

// from is where a browser goes on: after the last event that it heard of. A stream that breaks
// off is taken up with the header, by the browser itself; a page that comes back asks for it.
type from struct {
	Last  int64 `header:"Last-Event-ID"`
	After int64 `query:"after" minimum:"0" doc:"The number of the last event heard of; 0: only what comes"`
}

func (s *Server) events() {
	op := guarded(desk.Member, huma.Operation{OperationID: "events", Method: "GET", Path: "/events", Summary: "Changes and progress, as they happen"})
	sse.Register(s.api, op, map[string]any{"changed": Changed{}, "progress": Progress{}, "machine": MachineSays{}, "alive": Alive{}},
		func(ctx context.Context, in *from, send sse.Sender) {
			lasts(ctx)
			l, done := s.hub.subscribe()
			defer done()
			b := &stream{ctx: ctx, s: s, l: l, who: actorOf(ctx), send: send, at: max(in.Last, in.After)}
			tick := time.NewTicker(aliveEvery)
			defer tick.Stop()
			err := b.begin()
			for err == nil {
				select {
				case <-ctx.Done():
					return
				case <-s.stopping:
					return
				case <-tick.C:
					if s.sessionOver(ctx) {
						return
					}
					err = b.alive()
				case <-l.missed:
					err = b.catchUp()
				case u := <-l.updates:
					err = b.tell(u)
				}
			}
		})
}

// stream is what one browser is told.
type stream struct {
	ctx   context.Context
	s     *Server
	l     *listener
	who   desk.Actor
	send  sse.Sender
	epoch int64
	at    int64 // the last event that it was told of, or need not hear of
}

// begin says where the browser stands, and what came while it was away.
func (b *stream) begin() error {
	last, err := b.s.Desk.LastEvent(b.ctx)
	if err != nil {
		return err
	}
	if b.epoch, err = b.s.Desk.Epoch(b.ctx); err != nil {
		return err
	}
	switch {
	case b.at == 0:
		b.at = last
	case b.at > last: // of another house, or of one that was since restored from a copy
		b.at = last
		err = b.say(Changed{Kind: desk.OfHouse})
	default:
		err = b.catchUp()
	}
	if err != nil {
		return err
	}
	return b.alive()
}

func (b *stream) alive() error { return b.say(Alive{time.Now(), b.epoch}) }

// say sends something with the number of the last event, from which the browser goes on.
func (b *stream) say(data any) error { return b.send(sse.Message{ID: int(b.at), Data: data}) }

// catchUp tells from the database what the browser has not heard of: each event, or of very
// many that everything may be another.
func (b *stream) catchUp() error {
	all, err := b.s.Desk.ChangesAfter(b.ctx, b.at, mostEvents)
	if err != nil {
		return err
	}
	if len(all) == mostEvents {
		if b.at, err = b.s.Desk.LastEvent(b.ctx); err != nil {
			return err
		}
		return b.say(Changed{Kind: desk.OfHouse})
	}
	for _, c := range all {
		if err := b.told(c); err != nil {
			return err
		}
	}
	return nil
}

// tell tells of an update, if it is one for this browser and it has not heard of it.
func (b *stream) tell(u update) error {
	if p := u.progress; p != nil {
		if !b.sees(u.owner) {
			return nil
		}
		return b.send(sse.Message{Data: *p})
	}
	if u.machine != nil {
		if !b.who.Role.AtLeast(desk.Coordinator) {
			return nil
		}
		return b.send(sse.Message{Data: *u.machine})
	}
	select {
	case <-b.l.missed: // something before this one
		return b.catchUp()
	default:
		return b.told(u.change)
	}
}

// told tells of an event, unless it was told of.
func (b *stream) told(c desk.Change) error {
	if c.ID <= b.at {
		return nil
	}
	b.at = c.ID
	switch {
	case b.sees(c.Owner):
		return b.say(Changed{c.Kind, c.JobID, c.Lanes})
	case c.Lanes: // another's job; when one's own is done may be another time
		return b.say(Changed{Kind: "lanes"})
	}
	return nil
}

// sees says that what is a member's may be told here; of nobody is for all.
func (b *stream) sees(owner int64) bool {
	return owner == 0 || owner == b.who.ID || b.who.Role.AtLeast(desk.Coordinator)
}

// sessionOver looks whether a stream's session has ended or expired, should nobody
// have told.
func (s *Server) sessionOver(ctx context.Context) bool {
	ended, err := s.Desk.EndedSessions(ctx, []string{s.sessionOf(ctx)})
	return err == nil && len(ended) > 0
}
