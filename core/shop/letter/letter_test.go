package letter

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestLettersAreFilledIn(t *testing.T) {
	k, ok := Of(Approved)
	require.True(t, ok)
	v := Values{"title": "Bollard {price}", "machine": "Bowline", "price": "2.21 EUR"}
	for _, c := range []struct{ template, want string }{
		{"{title} goes on {machine}.", "Bollard {price} goes on Bowline."},                  // what is filled in is not filled in again
		{"{title}\nDone {finish}.\nIt costs {price}", "Bollard {price}\nIt costs 2.21 EUR"}, // what is not known takes its line along
		{"{title}\r\nDone {finish}.\r\n", "Bollard {price}"},
		{"a { b } {} {TITLE} {title", "a { b } {} {TITLE} {title"},
		{"{{title}}", "{Bollard {price}}"},
		{"{machine}{price}", "Bowline2.21 EUR"},
		{"{finish}", ""},
		{"", ""},
	} {
		assert.Equal(t, c.want, k.Fill(c.template, v), "%q", c.template)
	}
	assert.Empty(t, k.Check("{title} {finish} { {x"))
	assert.Len(t, k.Check("{title} {reason} {question}"), 2)
	assert.Len(t, k.Check(" \n"), 1)
	assert.Len(t, k.Check(strings.Repeat("a", MostBytes+1)), 1)
	_, ok = Of("none")
	assert.False(t, ok)
}

// Whatever a template and its values are: the lines with all their fields known are there, in order, and no others; and
// the length is bounded.
func TestLettersLoseNothingKnown(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		k := rapid.SampledFrom(Kinds).Draw(t, "kind")
		v := Values{"title": "A", "reason": rapid.StringMatching(`[a-z]{0,3}`).Draw(t, "reason")}
		var template, want []string
		for range rapid.IntRange(0, 6).Draw(t, "lines") {
			line, filled, known := "x", "x", true
			for range rapid.IntRange(0, 5).Draw(t, "pieces") {
				switch p := rapid.SampledFrom([]string{"{title}", "{reason}", "{price}", "{", "}", " y ", "é"}).Draw(t, "piece"); p {
				case "{title}", "{reason}", "{price}":
					line, filled = line+p, filled+v[strings.Trim(p, "{}")]
					known = known && v[strings.Trim(p, "{}")] != ""
				default:
					line, filled = line+p, filled+p
				}
			}
			template = append(template, line)
			if known {
				want = append(want, filled)
			}
		}
		got := k.Fill(strings.Join(template, "\n"), v)
		assert.Equal(t, strings.TrimSpace(strings.Join(want, "\n")), got)
		assert.LessOrEqual(t, len(k.Fill(strings.Repeat("{title}{title}", 200), Values{"title": strings.Repeat("é", 3000)})), 4*MostBytes)
	})
}
