package people_test

import (
	"context"
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

// Who comes in: with the right password and an account that is not closed; whoever does not is told the
// same, and a session does not outlive the account either.
func TestWhoComesIn(t *testing.T) {
	h := desktest.Open(t)
	in, err := people.SignIn(ctx, h.Desk, " CATO ", demo.Password)
	require.NoError(t, err)
	assert.Equal(t, h.Cato, in)
	for _, c := range [][2]string{{"cato", "ropewalk "}, {"cato", ""}, {"nobody", demo.Password}, {"", ""}} {
		_, err := people.SignIn(ctx, h.Desk, c[0], c[1])
		assert.ErrorIs(t, err, people.ErrSignIn, "%q", c)
	}
	require.NoError(t, people.ChangePerson(ctx, h.Desk, desk.Actor{}, "cato", people.PersonChange{Close: true}))
	for name, err := range map[string]error{
		"signs in": func() error { _, err := people.SignIn(ctx, h.Desk, "cato", demo.Password); return err }(),
		"is named": func() error { _, err := people.Named(ctx, h.Desk, "cato"); return err }(),
	} {
		assert.ErrorIs(t, err, people.ErrSignIn, "whose account is closed %s", name)
	}
	_, err = people.Who(ctx, h.Desk, h.Cato.ID)
	assert.Error(t, err, "nor is there a session of his")
}
