// Package people is who may do what: accounts, roles, passwords.
package people

import (
	"context"
	"errors"
	"strings"
	"unicode"

	"jobshelf/core/shop/event"
	"jobshelf/core/shop/planning"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

// leastPassword is how many letters a password has at least (NIST SP 800-63B asks
// for 8; from memory).
const leastPassword = 8

// checkPassword refuses a password that stands in a field of an entry.
func checkPassword(field, password string) error {
	switch n := len([]rune(password)); {
	case n < leastPassword:
		return desk.Wrong(field, "password too short", leastPassword)
	case n > 200:
		return desk.Wrong(field, "password too long")
	}
	return nil
}

// Newcomer is somebody who is to be able to sign in.
type Newcomer struct {
	Login, Name, Password string
	Role                  desk.Role
}

func (n *Newcomer) check() error {
	n.Login = store.CanonicalLogin(n.Login)
	n.Name = strings.TrimSpace(n.Name)
	bad := func(r rune) bool { return !unicode.IsPrint(r) }
	switch {
	case n.Login == "" || len(n.Login) > 100 || strings.ContainsFunc(n.Login, bad) || strings.Contains(n.Login, " "):
		return desk.Wrong("login", "login out of form")
	case n.Name == "" || len(n.Name) > 120 || strings.ContainsFunc(n.Name, bad):
		return desk.Wrong("name", "name out of form")
	case !n.Role.Known():
		return desk.Wrong("role", "no such role", n.Role)
	}
	return checkPassword("password", n.Password)
}

// NewHouse makes an empty house and its first steward.
func NewHouse(ctx context.Context, d *desk.Desk, name string, first Newcomer) error {
	if name = strings.TrimSpace(name); name == "" || len(name) > 80 || strings.ContainsFunc(name, func(r rune) bool { return !unicode.IsPrint(r) }) {
		return desk.Wrong("name", "house name out of form")
	}
	first.Role = desk.Steward
	if err := first.check(); err != nil {
		return err
	}
	hash := HashPassword(first.Password)
	day := []planning.Span{{From: 9 * 60, To: 17 * 60}}
	h := store.House{Name: name, Locale: "en-GB", Currency: "EUR", TimeZone: "UTC",
		Week: [7][]planning.Span{{}, day, day, day, day, day, {}}, AttendanceMin: 20}
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if _, err := tx.House(ctx); !errors.Is(err, store.ErrNotFound) {
			if err == nil {
				err = desk.Refuse("house there already")
			}
			return err
		}
		if err := tx.SetHouse(ctx, h); err != nil {
			return err
		}
		id, err := tx.AddPerson(ctx, store.Person{Login: first.Login, Name: first.Name, Role: string(first.Role), Hash: hash})
		if err != nil {
			return err
		}
		desk.Tell(tx, store.OfPeople, id, event.HouseOpened{Name: name})
		return nil
	})
}

// AddPerson makes an account.
func AddPerson(ctx context.Context, d *desk.Desk, a desk.Actor, n Newcomer) (int64, error) {
	if err := n.check(); err != nil {
		return 0, err
	}
	hash := HashPassword(n.Password)
	var id int64
	err := d.Store.InTx(ctx, func(tx *store.Tx) (err error) {
		if id, err = tx.AddPerson(ctx, store.Person{Login: n.Login, Name: n.Name, Role: string(n.Role), Hash: hash}); err != nil {
			return err
		}
		desk.Tell(tx, store.OfPeople, a.ID, event.PersonAdded{Name: n.Name, Role: string(n.Role)})
		return nil
	})
	if errors.Is(err, store.ErrTaken) {
		return 0, desk.Wrong("login", "login taken", n.Login)
	}
	return id, err
}

// PersonChange is what can be changed of an account; fields left out stay.
type PersonChange struct {
	Password *string
	Role     *desk.Role
	Close    bool
}

// ChangePerson sets a password anew, changes a role or closes an account. All that
// goes on under it ends.
func ChangePerson(ctx context.Context, d *desk.Desk, a desk.Actor, login string, c PersonChange) error {
	hash := ""
	if c.Password != nil {
		if err := checkPassword("password", *c.Password); err != nil {
			return err
		}
		hash = HashPassword(*c.Password)
	}
	if c.Role != nil && !c.Role.Known() {
		return desk.Wrong("role", "no such role", *c.Role)
	}
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockPeople(ctx); err != nil {
			return err
		}
		p, err := tx.PersonByLogin(ctx, login)
		if errors.Is(err, store.ErrNotFound) {
			return desk.Wrong("login", "no such login", login)
		}
		if err != nil {
			return err
		}
		var what []event.Event
		was := p
		if hash != "" {
			p.Hash, what = hash, append(what, event.PasswordSet{Name: p.Name})
		}
		if c.Role != nil {
			p.Role, what = string(*c.Role), append(what, event.RoleGiven{Name: p.Name, Role: string(*c.Role)})
		}
		if c.Close {
			p.Closed, what = true, append(what, event.AccountClosed{Name: p.Name})
		}
		if was.Role == string(desk.Steward) && !was.Closed && (p.Closed || p.Role != string(desk.Steward)) {
			if err := otherSteward(ctx, tx, p.ID); err != nil {
				return err
			}
		}
		if err := tx.SetPerson(ctx, p); err != nil {
			return err
		}
		if err := tx.EndSessions(ctx, p.ID, ""); err != nil {
			return err
		}
		desk.Tell(tx, store.OfPeople, a.ID, event.All(what))
		return nil
	})
}

// SetGroup says which group somebody belongs to, as a course or a club; empty: none. Rules may ask for it.
func SetGroup(ctx context.Context, d *desk.Desk, a desk.Actor, id int64, group string) error {
	group = strings.TrimSpace(group)
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockPeople(ctx); err != nil {
			return err
		}
		p, err := tx.PersonByID(ctx, id)
		if err != nil {
			return err
		}
		if err := tx.SetGroup(ctx, id, group); err != nil {
			return err
		}
		// Rules hold otherwise for all jobs of theirs.
		desk.Tell(tx, store.OfHouse, a.ID, event.GroupGiven{Name: p.Name, Group: group})
		return nil
	})
}

func otherSteward(ctx context.Context, tx *store.Tx, id int64) error {
	people, err := tx.People(ctx)
	if err != nil {
		return err
	}
	for _, o := range people {
		if o.ID != id && o.Role == string(desk.Steward) {
			return nil
		}
	}
	return desk.Refuse("last steward")
}

// ChangePassword is somebody's own change of password: it needs the old one, and
// ends all other sessions but the one it is made in.
func ChangePassword(ctx context.Context, d *desk.Desk, a desk.Actor, old, fresh, session string) error {
	if err := checkPassword("new", fresh); err != nil {
		return err
	}
	p, err := d.Store.PersonByID(ctx, a.ID)
	if err != nil {
		return err
	}
	if !PasswordMatches(p.Hash, old) {
		return desk.Wrong("old", "wrong password so far")
	}
	hash := HashPassword(fresh)
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		if err := tx.LockPeople(ctx); err != nil {
			return err
		}
		p, err := tx.PersonByID(ctx, a.ID)
		if err != nil {
			return err
		}
		p.Hash = hash
		if err := tx.SetPerson(ctx, p); err != nil {
			return err
		}
		if err := tx.EndSessions(ctx, a.ID, session); err != nil {
			return err
		}
		desk.Tell(tx, store.OfPeople, a.ID, event.OwnPasswordChanged{})
		return nil
	})
}
