package httpapi_test

import (
	"encoding/json"
	"log/slog"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/desk"
	"jobshelf/internal/httpapi"
	"jobshelf/internal/store"
)

// Every route is as the web knows it.
func TestTheDescriptionIsTheOneOfTheWeb(t *testing.T) {
	api := httpapi.New(httpapi.Config{Desk: &desk.Desk{Store: &store.Store{}}, Log: slog.Default()})
	b, err := json.MarshalIndent(api.OpenAPI(), "", "  ")
	require.NoError(t, err)
	kept, err := os.ReadFile("../../web/src/api/openapi.json")
	require.NoError(t, err)
	assert.Equal(t, string(kept), string(b)+"\n", "run `make api`")
}
