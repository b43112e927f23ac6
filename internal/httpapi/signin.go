package httpapi

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jobshelf/internal/desk"
	"jobshelf/internal/desk/people"
)

// brake slows sign-ins down after wrong tries: of an account however it is spelled,
// and from an address. It never refuses for good: a try after too many waits, the
// longer the more there were, and the right password is let in then. Right tries
// count for nothing. A browser that an account has signed in from counts apart, so
// that strangers' tries do not slow it.
type brake struct {
	free float64 // wrong tries a minute that wait for nothing
	// unit is the wait of the first try beyond; each further one doubles it, up to
	// longest.
	unit, longest time.Duration
	wait          func(context.Context, time.Duration) error
	now           func() time.Time

	mu      sync.Mutex // guards the rest
	wrong   map[string]*tally
	waiting map[string]int
}

// tally counts wrong tries; it forgets free of them a minute.
type tally struct {
	n  float64
	at time.Time
}

const (
	// mostWaiting bounds how many tries on one account, or from one address, wait at a
	// time; more are told to come again.
	mostWaiting = 16
	// mostTallies bounds the memory that strangers can take up.
	mostTallies = 50_000
)

func newBrake(perMinute int) *brake {
	return &brake{free: float64(perMinute), unit: 500 * time.Millisecond, longest: 8 * time.Second, now: time.Now,
		wrong: map[string]*tally{}, waiting: map[string]int{},
		wait: func(ctx context.Context, d time.Duration) error {
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(d):
				return nil
			}
		}}
}

// count is how many wrong tries there were lately.
func (b *brake) count(key string) float64 {
	t := b.wrong[key]
	if t == nil {
		return 0
	}
	now := b.now()
	t.n = math.Max(0, t.n-b.free*now.Sub(t.at).Minutes())
	t.at = now
	if t.n == 0 {
		delete(b.wrong, key)
		return 0
	}
	return t.n
}

// slow waits as long as the keys make it; false if too many wait already.
func (b *brake) slow(ctx context.Context, keys ...string) (time.Duration, bool, error) {
	b.mu.Lock()
	d := time.Duration(0)
	full := false
	for _, k := range keys {
		if over := b.count(k) - b.free; over >= 0 {
			d = max(d, min(b.longest, time.Duration(float64(b.unit)*math.Pow(2, math.Min(over, 20)))))
			full = full || b.waiting[k] >= mostWaiting
		}
	}
	if d == 0 || full {
		b.mu.Unlock()
		return d, !full, nil
	}
	for _, k := range keys {
		b.waiting[k]++
	}
	b.mu.Unlock()
	err := b.wait(ctx, d)
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, k := range keys {
		if b.waiting[k]--; b.waiting[k] <= 0 {
			delete(b.waiting, k)
		}
	}
	return d, true, err
}

// failed counts a wrong try.
func (b *brake) failed(keys ...string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.wrong) > mostTallies {
		for k := range b.wrong {
			if b.count(k) < b.free { // those that slow nobody
				delete(b.wrong, k)
			}
		}
	}
	for _, k := range keys {
		n := b.count(k)
		b.wrong[k] = &tally{n + 1, b.now()}
	}
}

// addressOf is where a request comes from. What a header says of it is believed only
// from the proxies that the house has named; then it is the last address that none
// of them is. Of IPv6 it is the network, since everybody has as many addresses in
// it as they like.
func (s *Server) addressOf(r *http.Request) string {
	host, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	at := host.Addr().Unmap()
	if s.isProxy(at) {
		hops := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
		for i := len(hops) - 1; i >= 0; i-- {
			a, err := netip.ParseAddr(strings.TrimSpace(hops[i]))
			if err != nil {
				break // garbage: the proxy itself is all that is known
			}
			if at = a.Unmap(); !s.isProxy(at) {
				break
			}
		}
	}
	if at.Is6() {
		if p, err := at.Prefix(64); err == nil {
			return p.String()
		}
	}
	return at.String()
}

func (s *Server) isProxy(a netip.Addr) bool {
	for _, p := range s.Proxies {
		if p.Contains(a) {
			return true
		}
	}
	return false
}

// knownCookie and a person's number name a browser that this person has signed in
// from: the person, a number of the browser's own, and a code over both that only the
// house can make. A browser that several use has one of each.
const knownCookie = "jobshelf_known_"

func knownName(person int64) string { return knownCookie + strconv.FormatInt(person, 10) }

const knownFor = 400 * 24 * time.Hour

func (s *Server) knownCode(ctx context.Context, text string) (string, error) {
	s.keyMu.Lock()
	defer s.keyMu.Unlock()
	if s.key == nil {
		key, err := s.Desk.Secret(ctx, "known browsers")
		if err != nil {
			return "", err
		}
		s.key = key
	}
	m := hmac.New(sha256.New, s.key)
	m.Write([]byte(text))
	return base64.RawURLEncoding.EncodeToString(m.Sum(nil)), nil
}

// knownBrowser gives the key that a browser's own wrong tries on an account are
// counted under; "" if the account has never signed in from it.
func (s *Server) knownBrowser(ctx context.Context, r *http.Request, person int64) (string, error) {
	c, err := r.Cookie(knownName(person))
	if err != nil {
		return "", nil
	}
	text, code, ok := strings.Cut(c.Value, "~")
	id, _, named := strings.Cut(text, ".")
	if !ok || !named || id != strconv.FormatInt(person, 10) {
		return "", nil
	}
	want, err := s.knownCode(ctx, text)
	if err != nil || !hmac.Equal([]byte(want), []byte(code)) {
		return "", err
	}
	return "browser " + text, nil
}

// rememberBrowser marks a browser as one that somebody has signed in from.
func (s *Server) rememberBrowser(ctx context.Context, w http.ResponseWriter, person int64) error {
	text := fmt.Sprintf("%d.%s", person, rand.Text())
	code, err := s.knownCode(ctx, text)
	if err == nil {
		http.SetCookie(
			w,
			&http.Cookie{
				Name:     knownName(person),
				Value:    text + "~" + code,
				Path:     "/api/session",
				MaxAge:   int(knownFor.Seconds()),
				HttpOnly: true,
				Secure:   s.HTTPS,
				SameSite: http.SameSiteStrictMode,
			},
		)
	}
	return err
}

// signIn checks a login and password, slowed by wrong tries before.
func (s *Server) signIn(ctx context.Context, r *http.Request, w http.ResponseWriter, login, password string) (desk.Actor, error) {
	keys := []string{"account " + desk.CanonicalLogin(login), "address " + s.addressOf(r)}
	known := ""
	if slices.ContainsFunc(r.Cookies(), func(c *http.Cookie) bool { return strings.HasPrefix(c.Name, knownCookie) }) {
		a, err := people.Named(ctx, s.Desk, login)
		if err == nil {
			known, err = s.knownBrowser(ctx, r, a.ID)
		}
		if err != nil && !errors.Is(err, people.ErrSignIn) {
			return desk.Actor{}, err
		}
	}
	if known != "" {
		keys = []string{known}
	}
	d, ok, err := s.brake.slow(ctx, keys...)
	if err != nil {
		return desk.Actor{}, err
	}
	if !ok {
		return desk.Actor{}, huma.ErrorWithHeaders(huma.Error429TooManyRequests(s.says(ctx, "too many tries")),
			http.Header{"Retry-After": {strconv.Itoa(int(math.Ceil(d.Seconds())))}})
	}
	a, err := people.SignIn(ctx, s.Desk, login, password)
	if errors.Is(err, people.ErrSignIn) {
		s.brake.failed(keys...)
	}
	if err == nil && known == "" {
		err = s.rememberBrowser(ctx, w, a.ID)
	}
	return a, err
}
