package machines

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// The demo's clock is everybody's until it is told to run, and then goes on from there, or from what has happened.
func TestAClockThatRuns(t *testing.T) {
	var c Clock
	before := time.Now()
	assert.WithinRange(t, c.Now(), before, time.Now())
	c.Run(1000, time.Time{})
	was := c.Now()
	assert.False(t, was.Before(before))
	time.Sleep(2 * time.Millisecond)
	assert.GreaterOrEqual(t, c.Now().Sub(was), 2*time.Second)
	ahead := time.Now().Add(24 * time.Hour)
	c.Run(2, ahead)
	assert.False(t, c.Now().Before(ahead), "it does not go back behind what has happened")
}
