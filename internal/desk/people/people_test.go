package people_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/people"
	"jobshelf/internal/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var ctx = context.Background()

// Newcomers of every role are taken; what cannot be is refused by its field.
func TestNewcomers(t *testing.T) {
	h := desktest.Open(t)
	good := people.Newcomer{Login: "ada", Name: "Ada Brook", Role: desk.Member, Password: "correct horse"}
	for k, role := range []desk.Role{desk.Member, desk.Coordinator, desk.Steward} {
		n := good
		n.Login, n.Role = fmt.Sprint("ada", k), role
		id, err := people.AddPerson(ctx, h.Desk, h.Cato, n)
		require.NoError(t, err, role)
		p, err := h.Store.PersonByID(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, string(role), p.Role)
	}
	for field, change := range map[string]func(*people.Newcomer){
		"login": func(n *people.Newcomer) { n.Login = "a b" }, "name": func(n *people.Newcomer) { n.Name = " " }, "role": func(n *people.Newcomer) { n.Role = "boss" }, "password": func(n *people.Newcomer) { n.Password = "x" },
	} {
		n := good
		change(&n)
		_, err := people.AddPerson(ctx, h.Desk, h.Cato, n)
		var bad *desk.Invalid
		if assert.ErrorAs(t, err, &bad, field) {
			assert.Equal(t, field, bad.Problems[0].Field)
		}
	}
}

// The last steward stays one, and stays; with another beside either may go.
func TestTheLastStewardStays(t *testing.T) {
	h := desktest.Open(t)
	var stewards []string
	for _, p := range demo.People() {
		if desk.Role(p.Role) == desk.Steward {
			stewards = append(stewards, p.Login)
		}
	}
	require.NotEmpty(t, stewards)
	for _, s := range stewards[1:] {
		require.NoError(t, people.ChangePerson(ctx, h.Desk, desk.Actor{}, s, people.PersonChange{Role: new(desk.Member)}))
	}
	last := stewards[0]
	for name, c := range map[string]people.PersonChange{"demoted": {Role: new(desk.Coordinator)}, "closed": {Close: true}, "both": {Role: new(desk.Member), Close: true}} {
		assert.ErrorContains(t, people.ChangePerson(ctx, h.Desk, desk.Actor{}, last, c), "the last steward", name)
	}
	require.NoError(t, people.ChangePerson(ctx, h.Desk, desk.Actor{}, last, people.PersonChange{Role: new(desk.Steward), Password: new("something new")}))
	require.NoError(t, people.ChangePerson(ctx, h.Desk, desk.Actor{}, "cato", people.PersonChange{Role: new(desk.Steward)}))
	require.NoError(t, people.ChangePerson(ctx, h.Desk, desk.Actor{}, last, people.PersonChange{Role: new(desk.Member)}))
	assert.ErrorContains(t, people.ChangePerson(ctx, h.Desk, desk.Actor{}, "cato", people.PersonChange{Close: true}), "the last steward")
}
