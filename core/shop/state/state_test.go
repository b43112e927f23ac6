package state_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"jobshelf/core/shop/state"
)

// A table leads on by its event from its states only; it tells them all, in order, and which end.
func TestATable(t *testing.T) {
	lamp := state.Table{Of: "Lamp", First: "off", Moves: []state.Move{
		{Event: "press", From: []string{"off"}, To: "on"},
		{Event: "press", From: []string{"on"}, To: "off"},
		{Event: "drop", From: []string{"off", "on"}, To: "broken"},
	}}
	for from, want := range map[string][3]string{"off": {"on", "broken", ""}, "on": {"off", "broken", ""}, "broken": {}} {
		for k, event := range []string{"press", "drop", "fly"} {
			to, ok := lamp.To(from, event)
			assert.Equal(t, want[k], to, "%s, %s", from, event)
			assert.Equal(t, want[k] != "", ok)
			assert.Equal(t, ok, lamp.Can(from, event))
		}
		assert.Equal(t, from == "broken", lamp.Ends(from))
	}
	assert.Equal(t, []string{"off", "on", "broken"}, lamp.States())
}
