package httpapi

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"reflect"
	"strings"
	"testing"
	"testing/iotest"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/desk"
	"jobshelf/internal/pgtest"
)

// A browser that reads nothing stops nobody: sending goes on, others hear all, and it
// is told once that it missed something.
func TestTheHubNeverWaits(t *testing.T) {
	h := newHub()
	slow, endSlow := h.subscribe()
	defer endSlow()
	for i := range 10 * waitingEvents {
		quick, end := h.subscribe()
		h.send(update{change: desk.Change{ID: int64(i)}})
		assert.EqualValues(t, i, (<-quick.updates).change.ID)
		end()
	}
	assert.Len(t, slow.updates, waitingEvents)
	assert.Len(t, slow.missed, 1)
	assert.EqualValues(t, 0, (<-slow.updates).change.ID, "what it has is the oldest")
	<-slow.missed
	h.send(update{change: desk.Change{ID: 999}}) // there is room for one
	h.send(update{progress: &Progress{Job: 3}})
	assert.Empty(t, slow.missed, "how far a check is may be lost")
}

// What a session does ends with it, also what registers only after its end.
func TestLive(t *testing.T) {
	l := newLive()
	a, doneA, ok := l.begin(context.Background(), "one")
	require.True(t, ok)
	b, doneB, ok := l.begin(context.Background(), "two")
	require.True(t, ok)
	assert.ElementsMatch(t, []string{"one", "two"}, l.sessions())
	l.end("one")
	assert.ErrorIs(t, context.Cause(a), errSignedOut)
	assert.NoError(t, b.Err())
	late, _, ok := l.begin(context.Background(), "one")
	assert.False(t, ok)
	assert.Error(t, late.Err())
	doneA()
	doneB()
	assert.Empty(t, l.sessions())
	assert.Empty(t, l.going, "nothing is left behind")
}

// A body that keeps coming is read to its end however slowly; one that brings next to
// nothing ends, and one that stops ends by its deadline.
func TestSlowBodiesEnd(t *testing.T) {
	now := time.Unix(0, 0)
	var deadline time.Time
	read := func(bytesPerSecond int, body io.Reader) (int64, error) {
		now = time.Unix(0, 0)
		s := &steady{body: body, now: func() time.Time { return now }, begun: now, read: func(d time.Time) error { deadline = d; return nil }}
		total := int64(0)
		p := make([]byte, bytesPerSecond)
		for {
			n, err := s.Read(p)
			total += int64(n)
			assert.Equal(t, now.Add(stall), deadline)
			now = now.Add(time.Second)
			if err != nil {
				return total, err
			}
		}
	}
	n, err := read(leastRate, strings.NewReader(strings.Repeat("x", 1_000_000)))
	assert.ErrorIs(t, err, io.EOF)
	assert.EqualValues(t, 1_000_000, n)
	n, err = read(leastRate/4, strings.NewReader(strings.Repeat("x", 1_000_000)))
	assert.ErrorIs(t, err, errStalled)
	assert.Less(t, n, int64(60_000))
	boom := errors.New("the line is gone")
	_, err = read(1000, iotest.ErrReader(boom))
	assert.ErrorIs(t, err, boom)
}

// What a header says of an address is believed from the house's proxies only.
func TestAddressesBehindAProxy(t *testing.T) {
	s := &Server{Config: Config{Proxies: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("::1/128")}}}
	for _, c := range []struct{ from, forwarded, want string }{
		{"203.0.113.9:4", "", "203.0.113.9"},
		{"203.0.113.9:4", "198.51.100.1", "203.0.113.9"}, // no proxy of ours
		{"10.1.2.3:4", "198.51.100.1", "198.51.100.1"},
		{"10.1.2.3:4", "1.1.1.1, 198.51.100.1, 10.9.9.9", "198.51.100.1"},
		{"10.1.2.3:4", "garbage", "10.1.2.3"},
		{"10.1.2.3:4", "1.1.1.1, garbage", "10.1.2.3"},
		{"10.1.2.3:4", "", "10.1.2.3"},
		{"[::1]:4", "::ffff:198.51.100.1", "198.51.100.1"},
		{"[2001:db8:1:2:3:4:5:6]:4", "", "2001:db8:1:2::/64"},
	} {
		r := httptest.NewRequest("GET", "/", nil)
		r.RemoteAddr = c.from
		if c.forwarded != "" {
			r.Header.Set("X-Forwarded-For", c.forwarded)
		}
		assert.Equal(t, c.want, s.addressOf(r), "%+v", c)
	}
}

// Wrong tries are forgotten with time, and those who wait are bounded.
func TestTheBrakeLetsGo(t *testing.T) {
	b := newBrake(6)
	now := time.Unix(0, 0)
	b.now = func() time.Time { return now }
	var waited time.Duration
	b.wait = func(_ context.Context, d time.Duration) error { waited = d; return nil }
	for range 8 {
		b.failed("x")
	}
	slow := func() time.Duration {
		waited = 0
		_, ok, err := b.slow(context.Background(), "x")
		require.True(t, ok)
		require.NoError(t, err)
		return waited
	}
	assert.Equal(t, 2*time.Second, slow())
	now = now.Add(20 * time.Second) // two are forgotten
	assert.Equal(t, 500*time.Millisecond, slow())
	now = now.Add(10 * time.Second)
	assert.Zero(t, slow())
	now = now.Add(time.Hour)
	assert.Zero(t, slow())
	assert.Empty(t, b.wrong, "and so is the memory of them")

	for range 8 {
		b.failed("x")
	}
	hold := make(chan struct{})
	b.wait = func(context.Context, time.Duration) error { <-hold; return nil }
	ended := make(chan bool)
	for range mostWaiting {
		go func() { _, ok, _ := b.slow(context.Background(), "x"); ended <- ok }()
	}
	for {
		b.mu.Lock()
		n := b.waiting["x"]
		b.mu.Unlock()
		if n == mostWaiting {
			break
		}
		time.Sleep(time.Millisecond)
	}
	_, ok, _ := b.slow(context.Background(), "x")
	assert.False(t, ok, "one more is told to come again")
	_, ok, _ = b.slow(context.Background(), "y")
	assert.True(t, ok)
	close(hold)
	for range mostWaiting {
		assert.True(t, <-ended)
	}
}

// Answers are made once for all who ask at a time, kept while the data is the same,
// and let go of when they grow too large.
func TestAnswersAreMadeOnce(t *testing.T) {
	a := newAnswers()
	made := 0
	get := func(key, stamp string) *kept {
		return a.get(key, stamp, func() (any, error) { made++; return strings.Repeat(stamp, 1000), nil })
	}
	first := get("k", "1")
	assert.Same(t, first, get("k", "1"))
	assert.NotEqual(t, first.etag, get("k", "2").etag)
	assert.Equal(t, 2, made)
	k := a.get("bad", "1", func() (any, error) { return nil, http.ErrAbortHandler })
	assert.Error(t, k.err)
	assert.NoError(t, get("bad", "1").err, "a failure is not kept")
	for i := range 3 * mostAnswerBytes / 1_000_000 {
		a.get(strings.Repeat("k", i+1), "1", func() (any, error) { return strings.Repeat("x", 1_000_000), nil })
	}
	assert.LessOrEqual(t, a.size, mostAnswerBytes+1_100_000)
	total := 0
	for _, k := range a.kept {
		total += k.size
	}
	assert.Equal(t, total, a.size)
}

// However it shows that the database is away, the refusal says when to try again; what is
// anybody's own fault does not.
func TestRefusalsSayWhenToTryAgain(t *testing.T) {
	s := &Server{Config: Config{Log: slog.New(slog.DiscardHandler), Desk: &desk.Desk{Store: pgtest.New(t)}}}
	slow, stop := context.WithCancelCause(context.Background())
	stop(errSlow)
	for _, c := range []struct {
		ctx  context.Context
		err  error
		code int
		wait string
	}{
		{context.Background(), fmt.Errorf("read jobs: %w", desk.ErrAway), 503, "5"},
		{context.Background(), context.DeadlineExceeded, 503, "5"},
		{slow, errors.New("canceled"), 503, "5"},
		{context.Background(), &desk.Conflict{}, 409, ""},
	} {
		err := s.refusal(c.ctx, c.err)
		var status huma.StatusError
		require.ErrorAs(t, err, &status)
		assert.Equal(t, c.code, status.GetStatus(), "%v", c.err)
		wait := ""
		if head := huma.HeadersError(nil); errors.As(err, &head) {
			wait = head.GetHeaders().Get("Retry-After")
		}
		assert.Equal(t, c.wait, wait, "%v", c.err)
	}
}

// What cannot be stored is found wherever it stands, and called by its place.
func TestWhatCannotBeStoredIsFound(t *testing.T) {
	type deep struct {
		X string `json:"x"`
	}
	type in struct {
		Body struct {
			List []string                     `json:"list"`
			By   map[string]map[string]string `json:"by"`
			Any  any                          `json:"any"`
			Raw  []byte                       `json:"raw"`
			Kept string                       `json:"kept" anytext:"true"`
			At   *deep                        `json:"at"`
		}
	}
	fine := func() (v in) {
		v.Body.List, v.Body.By, v.Body.Any, v.Body.At = []string{"a"}, map[string]map[string]string{"k": {"l": "b"}}, "c", &deep{"d"}
		v.Body.Raw, v.Body.Kept = []byte{0, 255}, "\x00"
		return v
	}
	for want, spoil := range map[string]func(*in){
		"":             func(*in) {},
		"body.list[1]": func(v *in) { v.Body.List = append(v.Body.List, "\xff") },
		"body.by.k.l":  func(v *in) { v.Body.By["k"]["l"] = "\x00" },
		"body.any":     func(v *in) { v.Body.Any = "a\x00" },
		"body.at.x":    func(v *in) { v.Body.At.X = "\x00" },
	} {
		v := fine()
		spoil(&v)
		assert.Equal(t, want, unstorable(reflect.ValueOf(v), ""))
	}
}

// Strangers who try under ever more names take up no more memory, and do not make what is slowed
// be forgotten.
func TestManyNamesMakeNothingForgotten(t *testing.T) {
	b := newBrake(6)
	now := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	b.now = func() time.Time { return now }
	for range 10 {
		b.failed("cato")
	}
	for k := range mostTallies + 10 {
		b.failed(fmt.Sprint("stranger ", k))
	}
	assert.Less(t, len(b.wrong), 100)
	assert.InDelta(t, 10, b.count("cato"), 1e-9)
}
