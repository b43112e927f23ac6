package httpapi

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"jobshelf/internal/desk"
)

// answers keeps what a shelf, a floor or a job was answered with for as long as
// nothing has changed: the database's snapshot is asked for first, one cheap query,
// and the same snapshot is the same data. Times that move with the clock are as of
// the whole ten seconds. Several who ask for the same at a time wait for one answer.
type answers struct {
	mu   sync.Mutex // guards kept and size
	kept map[string]*kept
	size int
}

type kept struct {
	once  sync.Once
	stamp string // of the data it was made of
	body  []byte
	gz    []byte
	etag  string
	size  int // 0 until it is made
	err   error
}

// freshFor is how long an answer holds that moves with the clock.
const freshFor = 10 * time.Second

// mostAnswerBytes bounds what all that is kept takes.
const mostAnswerBytes = 48 << 20

func newAnswers() *answers { return &answers{kept: map[string]*kept{}} }

// get gives what is kept under a key for a stamp, or has it made.
func (a *answers) get(key, stamp string, make func() (any, error)) *kept {
	a.mu.Lock()
	k := a.kept[key]
	if k == nil || k.stamp != stamp {
		if k != nil {
			a.size -= k.size
		}
		k = &kept{stamp: stamp}
		a.kept[key] = k
	}
	a.mu.Unlock()
	k.once.Do(func() {
		var v any
		if v, k.err = make(); k.err == nil {
			k.body, k.err = json.Marshal(v)
		}
		if k.err != nil {
			a.drop(key, k) // not kept for others
			return
		}
		sum := sha256.Sum256(k.body)
		k.etag = `"` + base64.RawURLEncoding.EncodeToString(sum[:12]) + `"`
		var b bytes.Buffer
		z, _ := gzip.NewWriterLevel(&b, gzip.BestSpeed) // the level is one
		_, _ = z.Write(k.body)                          // into memory
		_ = z.Close()
		k.gz = b.Bytes()
		a.keep(key, k)
	})
	return k
}

// keep counts what an answer takes, and lets go of others, any of them, where all
// together are too many.
func (a *answers) keep(key string, k *kept) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.kept[key] != k {
		return // another has come meanwhile
	}
	k.size = len(k.body) + cap(k.gz)
	a.size += k.size
	for old, o := range a.kept {
		if a.size <= mostAnswerBytes {
			break
		}
		if o != k {
			a.size -= o.size
			delete(a.kept, old)
		}
	}
}

func (a *answers) drop(key string, k *kept) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.kept[key] == k {
		a.size -= k.size
		delete(a.kept, key)
	}
}

// Tagged is what a reading operation takes besides its own input.
type Tagged struct {
	IfNoneMatch string `header:"If-None-Match" doc:"ETag of the answer that is had already"`
}

func (t *Tagged) tag() string { return t.IfNoneMatch }

// steadyAnswer registers a reading operation whose answers are kept and tagged. key
// says what of the input an answer depends on.
func steadyAnswer[I any, P interface {
	*I
	tag() string
}, O any](s *Server, least desk.Role, o huma.Operation, key func(P) string, f func(context.Context, P) (O, error)) {
	o.Responses = map[string]*huma.Response{
		"200": {Description: "OK", Content: map[string]*huma.MediaType{"application/json": {Schema: s.api.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[O](), true, "")}}},
		"304": {Description: "It is as the ETag says that was sent"}}
	register(s, least, o, func(ctx context.Context, in *I) (*huma.StreamResponse, error) {
		snapshot, err := s.Desk.Snapshot(ctx)
		if err != nil {
			return nil, err
		}
		a := actorOf(ctx)
		stamp := fmt.Sprintf("%s %d", snapshot, s.Desk.Now().Truncate(freshFor).Unix())
		k := s.answers.get(fmt.Sprintf("%s %d %s %s", o.OperationID, a.ID, a.Role, key(in)), stamp, func() (any, error) {
			// Others may wait for it: one who goes away must not end it.
			late, cancel := context.WithTimeout(context.WithoutCancel(ctx), s.Patience)
			defer cancel()
			return f(late, in)
		})
		if k.err != nil {
			return nil, k.err
		}
		return &huma.StreamResponse{Body: func(c huma.Context) {
			r, _ := humachi.Unwrap(c)
			c.SetHeader("ETag", k.etag)
			c.AppendHeader("Vary", "Accept-Encoding")
			if P(in).tag() == k.etag {
				c.SetStatus(http.StatusNotModified)
				return
			}
			body := k.body
			if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
				c.SetHeader("Content-Encoding", "gzip")
				body = k.gz
			}
			c.SetHeader("Content-Type", "application/json")
			c.SetHeader("Content-Length", fmt.Sprint(len(body)))
			_, _ = c.BodyWriter().Write(body) // the other side has gone, at worst
		}}, nil
	})
}
