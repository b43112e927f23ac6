package demo_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/demo"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// The demo house is set up whole, once, by its own rules: every recipe is of a machine and
// material of the house and suits them, and everybody can be found.
func TestTheDemoHouseIsWhole(t *testing.T) {
	ctx := context.Background()
	s := pgtest.New(t)
	for _, fresh := range []bool{true, false} {
		set, err := demo.SetUp(ctx, s)
		require.NoError(t, err)
		assert.Equal(t, fresh, set)
	}
	machines, err := s.Machines(ctx)
	require.NoError(t, err)
	require.Len(t, machines, len(demo.Machines()))
	materials, err := s.Materials(ctx)
	require.NoError(t, err)
	require.Len(t, materials, len(demo.Materials()))
	recipes, err := s.Recipes(ctx)
	require.NoError(t, err)
	require.Len(t, recipes, len(demo.Recipes()))
	names := map[string]int64{}
	for _, m := range machines {
		assert.Empty(t, m.Data.Validate(), m.Data.Name)
		names[m.Data.Name] = m.ID
	}
	for _, m := range materials {
		names["of "+m.Data.Name] = m.ID
	}
	for k, r := range recipes {
		assert.Equal(t, [2]int64{names[r.Data.Machine], names["of "+r.Data.Material]}, [2]int64{r.MachineID, r.MaterialID}, k)
	}
	for _, p := range demo.People() {
		got, err := s.PersonByLogin(ctx, p.Login)
		require.NoError(t, err)
		assert.Equal(t, store.Person{ID: got.ID, Login: p.Login, Name: p.Name, Role: p.Role, Hash: got.Hash}, got)
	}
}
