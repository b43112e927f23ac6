package standin

import (
	"bytes"
	"context"
	"errors"
	"math/rand/v2"
	"net"
	"net/http"
	"sync"
	"time"
)

// tick is how often time passes for a stand-in that is served.
const tick = 20 * time.Millisecond

// Server is a stand-in on lines: one host at a time speaks with it, who comes later takes the place of who was there; its
// camera answers by HTTP.
type Server struct {
	Printer *Printer
	Speed   float64 // how many of its seconds pass in one; 0: 1
	mu      sync.Mutex
	host    bool // somebody is on the line
	late    []late
	rnd     *rand.Rand
}

type late struct {
	at   time.Time
	said []byte
}

// Serve takes hosts on a listener until the context ends.
func (s *Server) Serve(ctx context.Context, l net.Listener) error {
	s.rnd = rand.New(rand.NewPCG(1, 2)) //nolint:gosec // garbage, no secret
	stop := context.AfterFunc(ctx, func() { _ = l.Close() })
	defer stop()
	go s.clock(ctx)
	var before net.Conn
	var over chan struct{}
	for {
		c, err := l.Accept()
		if before != nil {
			_ = before.Close()
			<-over
		}
		if err != nil {
			if ctx.Err() != nil {
				return nil //nolint:nilerr // it was to end
			}
			return err
		}
		before, over = c, make(chan struct{})
		go func() {
			defer close(over)
			s.speak(ctx, c)
		}()
	}
}

// clock lets time pass, whoever listens.
func (s *Server) clock(ctx context.Context) {
	t := time.NewTicker(tick)
	defer t.Stop()
	last := time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case now := <-t.C:
			s.mu.Lock()
			speed := s.Speed
			if speed <= 0 {
				speed = 1
			}
			s.Printer.Run(min(now.Sub(last).Seconds(), 0.5) * speed) // who was asleep has not moved on
			last = now
			if !s.host { // nobody hears it
				_ = s.Printer.Said()
			}
			s.mu.Unlock()
		}
	}
}

// speak is a host's time with the machine.
func (s *Server) speak(ctx context.Context, c net.Conn) {
	stop := context.AfterFunc(ctx, func() { _ = c.Close() })
	defer stop()
	s.is(true)
	defer s.is(false)
	gone, heard := make(chan struct{}), make(chan struct{}, 1)
	go func() {
		defer close(gone)
		buf := make([]byte, 4096)
		for {
			n, err := c.Read(buf)
			s.mu.Lock()
			s.Printer.Hear(buf[:n])
			s.mu.Unlock()
			select {
			case heard <- struct{}{}:
			default:
			}
			if err != nil {
				return
			}
		}
	}()
	t := time.NewTicker(tick / 4)
	defer t.Stop()
	defer func() { _ = c.Close() }()
	for {
		select {
		case <-gone:
			return
		case <-heard:
		case <-t.C:
		}
		if err := s.answer(c); err != nil {
			return
		}
	}
}

func (s *Server) is(host bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.host, s.late = host, nil
}

// Do lets somebody do something at the machine itself, or look at it.
func (s *Server) Do(f func(*Printer)) {
	s.mu.Lock()
	defer s.mu.Unlock()
	f(s.Printer)
}

// answer sends what was said, late or garbled where that is how it is.
func (s *Server) answer(c net.Conn) error {
	s.mu.Lock()
	p := s.Printer
	said := p.Said()
	if p.mute {
		said = nil
	}
	if p.garbles && len(said) > 0 && s.rnd.IntN(4) == 0 {
		junk := make([]byte, 1+s.rnd.IntN(20))
		for i := range junk {
			junk[i] = byte(s.rnd.IntN(256))
		}
		said = append(append(junk, '\n'), said...)
	}
	if len(said) > 0 {
		s.late = append(s.late, late{time.Now().Add(time.Duration(p.lateS * float64(time.Second))), said})
	}
	var out []byte
	for len(s.late) > 0 && !s.late[0].at.After(time.Now()) {
		out, s.late = append(out, s.late[0].said...), s.late[1:]
	}
	s.mu.Unlock()
	if len(out) == 0 {
		return nil
	}
	return errors.Join(c.SetWriteDeadline(time.Now().Add(5*time.Second)), second(c.Write(out)))
}

func second(_ int, err error) error { return err }

// Fail makes something go wrong.
func (s *Server) Fail(name string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.Printer.Fail(name)
}

// Camera is the picture of the bed.
func (s *Server) Camera() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		var b bytes.Buffer
		s.mu.Lock()
		err := s.Printer.Picture(&b)
		s.mu.Unlock()
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		w.Header().Set("Content-Type", "image/png")
		_, _ = w.Write(b.Bytes())
	})
}
