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
