package people

import (
	"context"
	"errors"

	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// ErrSignIn is returned for a wrong login or password, without telling which.
var ErrSignIn = errors.New("login or password is wrong")

// SignIn checks a login and password. An unknown login costs as much time as a
// wrong password.
func SignIn(ctx context.Context, d *desk.Desk, login, password string) (desk.Actor, error) {
	p, err := d.Store.PersonByLogin(ctx, login)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return desk.Actor{}, err
	}
	hash := nobody
	if err == nil && !p.Closed {
		hash = p.Hash
	}
	if !PasswordMatches(hash, password) {
		return desk.Actor{}, ErrSignIn
	}
	return desk.ActorOf(p), nil
}

// Who finds who a session belongs to.
func Who(ctx context.Context, d *desk.Desk, id int64) (desk.Actor, error) {
	p, err := d.Store.PersonByID(ctx, id)
	if err == nil && p.Closed {
		err = store.ErrNotFound
	}
	return desk.ActorOf(p), err
}

// Named finds who a login belongs to; ErrSignIn if nobody.
func Named(ctx context.Context, d *desk.Desk, login string) (desk.Actor, error) {
	p, err := d.Store.PersonByLogin(ctx, login)
	if errors.Is(err, store.ErrNotFound) || err == nil && p.Closed {
		return desk.Actor{}, ErrSignIn
	}
	return desk.ActorOf(p), err
}

// PersonView is somebody of the house.
type PersonView struct {
	desk.Actor
	Group string `json:"group,omitempty" doc:"Of whom rules may ask, as a course or a club"`
}

// People lists everybody, for handing in on somebody's behalf.
func People(ctx context.Context, d *desk.Desk) ([]PersonView, error) {
	rows, err := d.Store.People(ctx)
	out := make([]PersonView, len(rows))
	for i, p := range rows {
		out[i] = PersonView{desk.ActorOf(p), p.Club}
	}
	return out, err
}
