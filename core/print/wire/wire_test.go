package wire

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"
	"pgregory.net/rapid"
)

// machine obeys what its end of the line gives, in order, and says ok.
type machine struct {
	Board
	did []string
}

func (m *machine) hear(b []byte) (out []byte) {
	for _, a := range m.In(b) {
		if a.Command == "" {
			out = append(out, a.Answer...)
			continue
		}
		switch a.Command {
		case "M105":
			out = append(out, "ok T:21.0 /0.0 B:20.5 /0.0\n"...)
		case "M110":
			out = append(out, "ok\n"...)
		default:
			m.did = append(m.did, a.Command)
			out = append(out, "ok\n"...)
		}
	}
	return out
}

// A recorded exchange, with a line that is garbled on its way, a slow command, files, a fault and a start: what is said
// at each end, and what is made of it.
func TestAnExchangeWasThis(t *testing.T) {
	var h Host
	var m machine
	var b strings.Builder
	hear := func(said string) {
		for line := range strings.Lines(said) {
			fmt.Fprintf(&b, "< %s", line)
			for _, e := range h.In([]byte(line)) {
				fmt.Fprintf(&b, "    %s", e.Kind)
				for _, x := range []any{e.Line, e.Command, e.Text, e.Name, e.At, e.Size, e.Lost} {
					if x != "" && x != int64(0) && x != 0 {
						fmt.Fprintf(&b, " %v", x)
					}
				}
				if len(e.Heats) > 0 {
					fmt.Fprintf(&b, " %v", e.Heats)
				}
				if e.XYZE != [4]float64{} {
					fmt.Fprintf(&b, " %v", e.XYZE)
				}
				b.WriteString("\n")
			}
		}
	}
	send := func(spoil func([]byte) []byte) {
		for out := h.Out(); out != nil; out = h.Out() {
			if spoil != nil {
				out, spoil = spoil(out), nil
			}
			fmt.Fprintf(&b, "> %s", out)
			hear(string(m.hear(out)))
		}
	}
	hear("start\necho:boots\n")
	require.NoError(t, h.Do("M115", "M104 S200", "G1 X10 Y20"))
	send(nil)
	require.NoError(t, h.Do("G28", "M190 S60"))
	send(func(out []byte) []byte { return bytes.Replace(out, []byte("G28"), []byte("G29"), 1) })
	require.NoError(t, h.Do("M400"))
	fmt.Fprintf(&b, "> %s", h.Out())
	hear("echo:busy: processing\n T:199.5 /200.0 B:59.9 /60 T0:199.5 /200.0 T1:20.0 /0.0 @:127 B@:80\n")
	fmt.Fprintf(&b, "(silence)\n> %s", h.Silent())
	hear("ok\nok T:200.1 /200.0 B:60.0 /60.0\n")
	hear("Begin file list\nRUN7.GCO 12345\nEnd file list\nFile opened: RUN7.GCO Size: 12345\nopen failed, File: X.GCO.\nSD printing byte 123/12345\nNot SD printing\nDone printing file\n")
	hear("FIRMWARE_NAME:Ours 1.0\nCap:AUTOREPORT_TEMP:1\nX:10.00 Y:20.00 Z:0.20 E:1.50 Count X:800 Y:1600 Z:80\n//action:paused\nError:Heating failed, halted\n")
	require.NoError(t, h.Do("M105"))
	h.Out()
	hear("start\n\xff\xfe\x00garbage\nok\nResend: 99\nok\nT:nan /0\nSD printing byte 9/3\n" + strings.Repeat("x", 2000) + "\n")
	golden.Assert(t, b.String(), "exchange.txt")
	assert.Equal(t, []string{"M115", "M104 S200", "G1 X10 Y20", "G28", "M190 S60"}, m.did)
}

func TestNoCommandHidesAnother(t *testing.T) {
	var h Host
	for _, c := range []string{"", "G1 X1\nM112", "G1 X1\rM112", "G1 X1*3", "G1 ;x", " G1", "G1 ", "N5 G1", "M117 \u00e9", "M117 \x00", strings.Repeat("G", 91)} {
		require.Error(t, h.Do("G28", c), "%q", c)
	}
	assert.Zero(t, h.Waiting())
	require.Error(t, h.Do(make([]string, mostWaiting+1)...))
}

// Whatever one byte in some lines becomes, in either direction, or is lost, or comes from nowhere: every command is
// obeyed once, in order, and no other, by the time of a further question at the latest; and it is told of each once.
func TestEveryCommandIsObeyedOnceInOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))
		oneOf := rapid.IntRange(4, 40).Draw(t, "one line of")
		var want []string
		for n := range rapid.IntRange(1, 60).Draw(t, "commands") {
			want = append(want, fmt.Sprintf("G1 X%d Y%d", n, r.IntN(100)))
		}
		faults := true
		spoil := func(b []byte) []byte {
			var out []byte
			for line := range bytes.Lines(b) {
				if faults && r.IntN(oneOf) == 0 {
					i := r.IntN(len(line))
					switch r.IntN(4) {
					case 0:
						line = append(bytes.Clone(line[:i]), line[i+1:]...)
					case 1:
						line = bytes.Clone(line)
						line[i] ^= byte(1 + r.IntN(255))
					case 2:
						line = append(append(bytes.Clone(line[:i]), byte(r.IntN(256))), line[i:]...)
					default:
						line = nil
					}
				}
				out = append(out, line...)
			}
			return out
		}
		var h Host
		var m machine
		m.last = int64(r.IntN(50))
		require.NoError(t, h.Do(want...))
		var toHost []byte
		var told []string
		slow := rapid.IntRange(0, 3).Draw(t, "rounds of delay")
		var late [][]byte
		asked := false
		for round := 0; h.Waiting() > 0 || h.UnderWay() || !asked; round++ {
			if h.Waiting() == 0 && !h.UnderWay() {
				asked, faults, round = true, false, max(round, 2000)
				require.NoError(t, h.Do("M105"))
			}
			if h.Broken != nil && h.Broken.Code == "counts otherwise" { // the count was never set: the owner begins anew
				require.Empty(t, m.did)
				h.Begin()
				require.NoError(t, h.Do(want...))
				told, late, toHost, asked = nil, nil, nil, false
				continue
			}
			require.Nil(t, h.Broken)
			require.Less(t, round, 6000, "it comes to an end")
			faults = round < 2000
			moved := false
			for out := h.Out(); out != nil; out = h.Out() {
				late = append(late, m.hear(spoil(out)))
				moved = true
			}
			for len(late) > slow || !moved && len(late) > 0 {
				toHost, late = append(toHost, spoil(late[0])...), late[1:]
				moved = true
			}
			if len(toHost) > 0 {
				n := 1 + r.IntN(len(toHost))
				for _, e := range h.In(toHost[:n]) {
					if e.Kind == Ok && e.Command != "M105" {
						told = append(told, e.Command)
					}
				}
				toHost, moved = toHost[n:], true
			}
			if !moved {
				if q := h.Silent(); q != nil {
					late = append(late, m.hear(spoil(q)))
				}
			}
		}
		assert.Equal(t, want, m.did)
		assert.Equal(t, want, told)
	})
}

// A machine that asks for the same line for ever, or never answers, is given up, and told why.
func TestALineThatLeadsNowhereIsGivenUp(t *testing.T) {
	var h Host
	require.NoError(t, h.Do("G28"))
	h.Out()
	h.In([]byte("ok\n"))
	h.Out()
	for range 200 {
		h.In([]byte("Resend: 1\nok\n"))
		h.Out()
	}
	require.NotNil(t, h.Broken)
	assert.Equal(t, "asks again and again", h.Broken.Code)
	assert.Nil(t, h.Out())
	h.Begin()
	require.NoError(t, h.Do("G28"))
	h.Out()
	for range 200 {
		h.Silent()
	}
	require.NotNil(t, h.Broken)
	assert.Equal(t, "no answer", h.Broken.Code)
}

// Whatever a machine says: nothing grows without bound, nothing is taken that was not sent, what goes out is a line of
// ours with its sum.
func FuzzHost(f *testing.F) {
	f.Add([]byte("ok\nok T:200 /210 B:60 /60\nResend: 1\nok\nstart\nError:x\nrs 3\n"))
	f.Add([]byte("Resend: 0\nResend: 99999999999999999999\nok\nResend: -1\nT:1e400 /1\n"))
	f.Fuzz(func(t *testing.T, said []byte) {
		var h Host
		require.NoError(t, h.Do("G28", "M105", "G1 X1"))
		lines := 0
		for part := range bytes.SplitAfterSeq(said, []byte("\n")) {
			events := h.In(part)
			require.LessOrEqual(t, len(events), 3*len(part)+kept)
			for _, e := range events {
				if e.Kind == Ok {
					require.Contains(t, []string{"G28", "M105", "G1 X1"}, e.Command)
				}
				for _, x := range e.Heats {
					require.Greater(t, x.C, -100.0)
					require.Less(t, x.C, 1000.0)
				}
			}
			require.LessOrEqual(t, len(h.in), mostLine)
			for out := h.Out(); out != nil && lines < 10*len(said)+100; out = h.Out() {
				lines++
				text, sum, ok := cutLast(strings.TrimSuffix(string(out), "\n"))
				require.True(t, ok && summedUp(text, sum), "%q", out)
			}
			h.Silent()
		}
	})
}

// Whatever a host says, what is obeyed is a line, and each refusal names the line that is wanted.
func FuzzBoard(f *testing.F) {
	f.Add([]byte("N0 M110 N0*125\nN1 M105*38\nN1 M105*38\nM112\nN2 G1*9\n"))
	f.Fuzz(func(t *testing.T, said []byte) {
		var b Board
		for _, a := range b.In(said) {
			require.True(t, (a.Command == "") != (a.Answer == ""))
			require.NotContains(t, a.Command, "\n")
			if a.Answer != "" {
				require.Regexp(t, `(?s)^(Error:.*\nResend: -?\d+|echo:unknown command)\nok\n$`, a.Answer)
			}
		}
		require.LessOrEqual(t, len(b.in), mostTaken)
	})
}
