package httpapi

import (
	"context"
	"errors"
	"io"
	"net/http"
	"reflect"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"
)

// errSlow is why a request ended that took longer than anybody waits: the database
// is away or hangs.
var errSlow = errors.New("the answer took too long")

type patienceKey struct{}

// patience bounds how long a request may take. What is meant to last (streams,
// uploads, downloads) says so with lasts, once it has begun.
func patience(longest time.Duration) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			ctx, cancel := context.WithCancelCause(r.Context())
			defer cancel(nil)
			timer := time.AfterFunc(longest, func() { cancel(errSlow) })
			defer timer.Stop()
			next.ServeHTTP(w, r.WithContext(context.WithValue(ctx, patienceKey{}, timer)))
		})
	}
}

func lasts(ctx context.Context) {
	if t, ok := ctx.Value(patienceKey{}).(*time.Timer); ok {
		t.Stop()
	}
}

// limitBody bounds request bodies: a file's limit where files arrive, 1 MB
// everywhere else.
func limitBody(upload int64) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			limit := int64(1 << 20)
			if strings.HasSuffix(r.URL.Path, "/uploads") {
				limit = upload
			}
			r.Body = http.MaxBytesReader(w, r.Body, limit)
			next.ServeHTTP(w, r)
		})
	}
}

// An upload may pause for as long as stall, and must bring leastRate bytes a second
// on the whole once it has had a minute.
const (
	stall     = 30 * time.Second
	leastRate = 2000
)

// errStalled is why an upload ended that brought next to nothing.
var errStalled = errors.New("the upload stalled")

// steady is a body that must keep coming.
type steady struct {
	body  io.Reader
	read  func(time.Time) error // sets the deadline of the next read
	now   func() time.Time
	begun time.Time
	got   int64
}

func (s *steady) Read(p []byte) (int, error) {
	if err := s.read(s.now().Add(stall)); err != nil && !errors.Is(err, http.ErrNotSupported) {
		return 0, err
	}
	n, err := s.body.Read(p)
	s.got += int64(n)
	if t := s.now().Sub(s.begun); err == nil && t > time.Minute && float64(s.got) < leastRate*t.Seconds() {
		err = errStalled
	}
	return n, err
}

// unstorable finds a text in what came in that no database holds, and says where.
func unstorable(v reflect.Value, at string) string {
	switch v.Kind() {
	case reflect.String:
		if s := v.String(); strings.ContainsRune(s, 0) || !utf8.ValidString(s) {
			return at
		}
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() && v.Type() != reflect.TypeFor[*http.Request]() && v.Type() != reflect.TypeFor[http.ResponseWriter]() {
			return unstorable(v.Elem(), at)
		}
	case reflect.Slice, reflect.Array:
		if v.Type().Elem().Kind() == reflect.Uint8 {
			return ""
		}
		for i := range v.Len() {
			if bad := unstorable(v.Index(i), at+"["+itoa(i)+"]"); bad != "" {
				return bad
			}
		}
	case reflect.Map:
		for _, k := range v.MapKeys() {
			if bad := unstorable(v.MapIndex(k), at+"."+k.String()); bad != "" {
				return bad
			}
		}
	case reflect.Struct:
		t := v.Type()
		for i := range t.NumField() {
			f := t.Field(i)
			if !f.IsExported() && !f.Anonymous || f.Tag.Get("anytext") != "" {
				continue
			}
			name := at
			for _, tag := range []string{"json", "path", "query"} {
				if key, _, _ := strings.Cut(f.Tag.Get(tag), ","); key != "" && key != "-" {
					name = at + "." + key
				}
			}
			if f.Name == "Body" {
				name = "body"
			}
			if bad := unstorable(v.Field(i), strings.TrimPrefix(name, ".")); bad != "" {
				return bad
			}
		}
	}
	return ""
}

func itoa(i int) string {
	if i < 10 {
		return string(rune('0' + i))
	}
	return itoa(i/10) + string(rune('0'+i%10))
}

// clean refuses input with texts that cannot be stored, naming the field.
func (s *Server) clean(ctx context.Context, in any) error {
	if at := unstorable(reflect.ValueOf(in), ""); at != "" {
		return huma.Error422UnprocessableEntity(s.says(ctx, "a text cannot be kept"), &huma.ErrorDetail{Location: at, Message: s.says(ctx, "text that cannot be kept")})
	}
	return nil
}
