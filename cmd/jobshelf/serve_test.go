package main

import (
	"bytes"
	"context"

	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/people"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// said runs a command with a password on its input.
func said(t *testing.T, password string, args ...string) (int, string) {
	t.Helper()
	old := input
	input = strings.NewReader(password + "\n")
	defer func() { input = old }()
	var out bytes.Buffer
	code := run(context.Background(), args, &out, &out)
	return code, out.String()
}

// An empty database is made a house of one's own, with people who can sign in; no
// password is ever an argument.
func TestAHouseFromNothing(t *testing.T) {
	if testing.Short() {
		t.Skip("needs a database")
	}
	url := pgtest.BareURL(t)
	on := func(args ...string) []string { return append(args, "--database", url) }
	code, out := said(t, "a good password", on("house", "new", "--name", "Chandlery", "--steward", " Edda ")...)
	require.Zero(t, code, out)
	assert.Contains(t, out, "Chandlery is open. Its steward signs in as edda.")
	code, out = said(t, "a good password", on("house", "new", "--name", "Another", "--steward", "otto")...)
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "There is a house in this database already.")
	code, out = said(t, "short", on("person", "add", "otto", "--name", "Otto")...)
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "at least 8 letters")
	code, out = said(t, "", on("person", "add", "otto", "--name", "Otto")...)
	assert.Equal(t, 2, code)
	assert.Contains(t, out, "no password was given")
	for _, args := range [][]string{{"person", "add", "otto", "--name", "Otto Vane", "--role", "coordinator"}, {"person", "reset", "OTTO"}, {"person", "role", "otto", "member"}} {
		code, out = said(t, "another password", on(args...)...)
		require.Zero(t, code, "%v: %s", args, out)
	}
	code, out = said(t, "x", on("person", "close", "edda")...)
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "last steward")
	code, out = said(t, "x", on("person", "role", "otto", "king")...)
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "none of member, coordinator, steward")
	code, out = said(t, "another password", on("person", "add", "Otto", "--name", "Otto the second")...)
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "has the login otto already")
	for _, args := range [][]string{{"person"}, {"person", "add", "x"}, {"person", "frame", "x"}, {"house", "burn"}, {"house", "new", "--name", "x"}} {
		code, _ = said(t, "another password", on(args...)...)
		assert.Equal(t, 2, code, "%v", args)
	}
	ctx := context.Background()
	s, err := store.Open(ctx, url)
	require.NoError(t, err)
	defer s.Close()
	d := &desk.Desk{Store: s, Now: time.Now}
	for login, c := range map[string]struct {
		password string
		role     desk.Role
	}{"edda": {"a good password", desk.Steward}, "otto": {"another password", desk.Member}} {
		a, err := people.SignIn(ctx, d, login, c.password)
		require.NoError(t, err, login)
		assert.Equal(t, c.role, a.Role)
	}
	code, out = said(t, "", on("person", "close", "otto")...)
	require.Zero(t, code, out)
	_, err = people.SignIn(ctx, d, "otto", "another password")
	assert.ErrorIs(t, err, people.ErrSignIn)
	shelf, err := decide.Shelf(ctx, d, desk.Actor{Role: desk.Steward})
	require.NoError(t, err)
	assert.Empty(t, shelf.Slips, "and it can be looked at")
}

// The demo prints its passwords, so it is served to nobody but this machine.
func TestTheDemoIsForThisMachineOnly(t *testing.T) {
	for listen, ok := range map[string]bool{"127.0.0.1:8080": true, "127.0.0.9:1": true, "[::1]:8080": true, "localhost:80": true,
		"0.0.0.0:8080": false, ":8080": false, "[::]:8080": false, "192.168.1.5:80": false, "shelf.example:80": false, "nonsense": false} {
		assert.Equal(t, ok, onlyLoopback(listen) == nil, listen)
	}
	code, out := said(t, "", "demo", "--listen", "0.0.0.0:0")
	assert.Equal(t, 2, code)
	assert.Contains(t, out, "this machine only")
}

// A signal to stop lets a request end that is under way, ends streams, and then the
// server.
func TestStoppingLetsRequestsEnd(t *testing.T) {
	if testing.Short() {
		t.Skip("needs a database")
	}
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	url := pgtest.URL(t)
	address := make(chan string, 1)
	ended := make(chan error, 1)
	o := serveOptions{listen: "127.0.0.1:0", database: url, noWork: true, uploadMB: 10, signIns: 10, grace: 20 * time.Second}
	go func() {
		ended <- serveHouse(ctx, o, io.Discard, func(ctx context.Context, d *desk.Desk, at string) error {
			err := people.NewHouse(ctx, d, "Chandlery", people.Newcomer{Login: "edda", Name: "Edda", Password: "a good password"})
			address <- at
			return err
		})
	}()
	at := <-address
	r, err := http.Post(at+"/api/session", "application/json", strings.NewReader(`{"login": "edda", "password": "a good password"}`))
	require.NoError(t, err)
	require.Equal(t, 200, r.StatusCode)
	with := func(method, path string, body io.Reader) *http.Request {
		req, err := http.NewRequest(method, at+path, body)
		require.NoError(t, err)
		for _, c := range r.Cookies() {
			req.AddCookie(c)
		}
		return req
	}
	stream, err := http.DefaultClient.Do(with("GET", "/api/events", nil))
	require.NoError(t, err)
	body, feed := io.Pipe()
	answer := make(chan string, 1)
	go func() {
		r, err := http.DefaultClient.Do(with("POST", "/api/uploads?name=a.stl", body))
		if err != nil {
			answer <- err.Error()
			return
		}
		answer <- fmt.Sprint(r.StatusCode)
	}()
	_, err = feed.Write([]byte("the first half, "))
	require.NoError(t, err)
	s, err := store.Open(context.Background(), url)
	require.NoError(t, err)
	defer s.Close()
	for n := 0; n == 0; { // until it has reached the server
		require.NoError(t, s.Pool.QueryRow(context.Background(), `SELECT count(*) FROM blob`).Scan(&n))
	}
	stop()
	_, err = io.ReadAll(stream.Body)
	assert.NoError(t, err, "the stream ends")
	select {
	case err := <-ended:
		t.Fatalf("the server did not wait: %v", err)
	default:
	}
	_, err = feed.Write([]byte("the second half"))
	require.NoError(t, err)
	require.NoError(t, feed.Close())
	assert.Equal(t, "201", <-answer)
	assert.NoError(t, <-ended)
	_, err = http.Get(at + "/healthz")
	assert.Error(t, err, "and it is gone")
}

func TestProxies(t *testing.T) {
	p, err := prefixes("10.0.0.1, 192.168.0.0/16,")
	require.NoError(t, err)
	require.Len(t, p, 2)
	assert.Equal(t, "10.0.0.1/32", p[0].String())
	_, err = prefixes("the proxy")
	assert.ErrorContains(t, err, "no address and no network")
}

// What a server is started with is refused at once where it cannot be meant, before any database is asked.
func TestServeRefusesWhatCannotBeMeant(t *testing.T) {
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"--keep-files", "1h"}, "keep-files: 1h0m0s is less than 24h0m0s"},
		{[]string{"--keep-files", "-48h"}, "is less than"},
		{[]string{"--keep-files", "soon"}, "keep-files"},
		{[]string{"--parallel", "0"}, "jobshelf serve"},
		{[]string{"--upload-mb", "-3"}, "jobshelf serve"},
		{[]string{"something"}, "jobshelf serve"},
	} {
		code, out, errOut := call(t, append([]string{"serve", "--database", "postgres://nobody@127.0.0.1:1/none"}, c.args...)...)
		assert.Equal(t, 2, code, "%v", c.args)
		assert.Contains(t, out+errOut, c.says, "%v", c.args)
	}
}
