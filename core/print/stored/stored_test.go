package stored_test

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/motion"
	"jobshelf/core/print/stored"
)

// What may not be in a program is refused; what is no command stays here.
func TestWhatIsStored(t *testing.T) {
	for _, program := range []string{"", "; nothing\n", "G1 X1\nM29\nM24\n", "G1 X1 G1 X2\n", "g1 x1\n", "M500\n", "G1 X1*3\n", "G1 X1\x00\n", strings.Repeat("G1 X1 ", 40) + "\n"} {
		_, err := stored.Lines([]byte(program))
		require.Error(t, err, "%q", program)
	}
	lines, err := stored.Lines([]byte("; a comment\n%\nG21\r\n  G90 ; said\n\nG1 X1 Y2"))
	require.NoError(t, err)
	assert.Equal(t, []string{"G21", "G90", "G1 X1 Y2"}, lines)
	_, err = stored.Of(context.Background(), []byte("; nothing\n"), motion.Limits{})
	require.ErrorIs(t, err, stored.ErrEmpty)
}

// How far a program is, by the bytes that were read: layers count from 1 where something is laid, the share of the time
// rises from 0 to 1, and what takes longer has more of it.
func TestHowFarItIs(t *testing.T) {
	var b strings.Builder
	b.WriteString("G90\nM83\nM104 S200\nG28\nM109 S200\nG1 Z5 F600\n")
	for k := range 4 {
		fmt.Fprintf(&b, "G1 Z%.1f F600\n", 0.2*float64(k+1))
		for range 100 {
			b.WriteString("G1 X100 E1 F1200\nG1 X0 E1\n")
		}
		b.WriteString("G1 Z3 F600\nG1 Z2\n") // up for a travel: no layer
	}
	b.WriteString("G4 S2000\nM104 S0\n")
	p, err := stored.Of(context.Background(), []byte(b.String()), motion.Limits{AccelMMPerS2: 1e9, DeviationMM: 1, SpeedMMPerS: 1000})
	require.NoError(t, err)
	assert.Equal(t, 4, p.Layers)
	assert.InDelta(t, 4*200*5+2000, p.Laying, 20, "800 lines of 100 mm at 20 mm/s, then a wait; heat is not counted")
	assert.Equal(t, int64(len(strings.Join(p.Lines, "\n"))+1), p.Bytes)

	first := int64(strings.Index(b.String(), "G1 X100"))
	assert.False(t, p.Lays(first))
	assert.True(t, p.Lays(first+int64(len("G1 X100 E1 F1200\n"))))
	was := 0.0
	for at := int64(0); at <= p.Bytes; at += 7 {
		layer, share := p.At(at)
		require.GreaterOrEqual(t, share, was)
		require.LessOrEqual(t, share, 1.0)
		if at < first {
			require.Zero(t, layer)
		}
		was = share
	}
	end, whole := p.At(p.Bytes)
	assert.Equal(t, 4, end)
	assert.InDelta(t, 1, whole, 1e-12)
	third := int64(strings.Index(b.String(), "G1 Z0.6"))
	layer, share := p.At(third + 200)
	assert.Equal(t, 3, layer)
	assert.InDelta(t, 2000/p.Laying, share, 0.02)
	for _, want := range []float64{0.1, 0.3, 0.6} {
		_, got := p.At(p.When(want))
		assert.InDelta(t, want, got, 0.01)
	}
	bare, err := stored.Of(context.Background(), []byte("G28\nM104 S0\n"), motion.Limits{})
	require.NoError(t, err)
	assert.False(t, bare.Lays(math.MaxInt64-1))
	layer, share = bare.At(5)
	assert.Zero(t, layer)
	assert.Zero(t, share)
}

// A file carries its run, however a machine writes its name.
func TestTheNameCarriesTheRun(t *testing.T) {
	assert.Equal(t, "R12.GCO", stored.Name(12))
	for name, same := range map[string]bool{"R12.GCO": true, "/r12.gco": true, "r12.gco R12.GCO": true, " /sd/R12.GCO": true, "R1.GCO": false, "R123.GCO": false, "XR12.GCO": false, "": false} {
		assert.Equal(t, same, stored.Same(name, 12), name)
	}
}
