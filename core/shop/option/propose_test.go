package option

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/units"
)

var monday = time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)

// Whatever is offered, what is proposed has none beside it that is no dearer and no later, and one of
// the two less; nothing late is proposed where something is in time; the order of offers decides nothing
// but between twins; and the next best is what would be proposed without it.
func TestNothingBeatsTheProposal(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		terms := Terms{SoonerCents: units.Cents(rapid.SampledFrom([]int{0, 1, 100, 10000}).Draw(t, "sooner"))}
		due := monday.Add(time.Duration(rapid.IntRange(-1, 6).Draw(t, "due")) * time.Hour)
		offers := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) Offer {
			o := Offer{Name: rapid.StringMatching("[A-C]").Draw(t, "name"), Price: units.Cents(rapid.IntRange(100, 104).Draw(t, "price")), Swap: rapid.Bool().Draw(t, "swap")}
			o.Finish = monday.Add(time.Duration(rapid.IntRange(0, 5).Draw(t, "finish")) * time.Hour)
			o.Late, o.Unfit = o.Finish.After(due), rapid.SampledFrom([]int{0, 0, 0, 1, 2}).Draw(t, "unfit")
			return o
		}), 0, 8).Draw(t, "offers")
		p, ok := terms.Propose(offers)
		require.Equal(t, len(offers) > 0, ok)
		if !ok {
			return
		}
		best := offers[p.Best]
		for _, o := range offers {
			require.LessOrEqual(t, best.Unfit, o.Unfit, "what is fit for its use goes first")
			if o.Unfit > best.Unfit {
				continue
			}
			require.False(t, o.Price <= best.Price && !o.Finish.After(best.Finish) && (o.Price < best.Price || o.Finish.Before(best.Finish)), "%v beats %v", o, best)
			require.False(t, best.Late && !o.Late)
		}
		turned := make([]Offer, len(offers))
		for i := range offers {
			turned[len(offers)-1-i] = offers[i]
		}
		q, _ := terms.Propose(turned)
		other := turned[q.Best]
		require.Equal(t, [4]any{best.Price, best.Finish, best.Swap, best.Unfit}, [4]any{other.Price, other.Finish, other.Swap, other.Unfit})
		if len(offers) == 1 {
			require.Equal(t, -1, p.Next)
			return
		}
		rest := append(append([]Offer{}, offers[:p.Best]...), offers[p.Best+1:]...)
		r, _ := terms.Propose(rest)
		require.Equal(t, offers[p.Next], rest[r.Best])
	})
}

// An hour is worth what the house says: two offers an hour and so many cents apart.
func TestAnHourIsWorthWhatTheHouseSays(t *testing.T) {
	words := finding.Speak("en")
	at := func(minutes int) time.Time { return monday.Add(time.Duration(minutes) * time.Minute) }
	soon, cheap := Offer{Name: "Bowline", Price: 611, Finish: at(0)}, Offer{Name: "Halyard", Price: 500, Finish: at(50)}
	for _, c := range []struct {
		sooner units.Cents
		best   string
		why    string
	}{
		{0, "Halyard", "finished 50 min later, 1.11 EUR less than on Bowline"},
		{133, "Halyard", "finished 50 min later, 1.11 EUR less than on Bowline"},
		{134, "Bowline", "finished 50 min sooner, 1.11 EUR more than on Halyard"},
	} {
		p, _ := Terms{c.sooner, "EUR"}.Propose([]Offer{soon, cheap})
		assert.Equal(t, c.best, []Offer{soon, cheap}[p.Best].Name)
		assert.Equal(t, c.why, words.Say(p.Why))
	}
	for _, c := range []struct {
		a, b Offer
		why  string
	}{
		{Offer{Name: "A", Price: 100, Finish: at(0)}, Offer{Name: "B", Price: 100, Finish: at(150), Late: true}, "done in time; on B it would not be"},
		{Offer{Name: "A", Price: 900, Finish: at(900), Late: true}, Offer{Name: "B", Price: 100, Finish: at(150), Unfit: 1}, "made of what suits its use; B has another material or colour loaded"},
		{Offer{Name: "A", Price: 100, Finish: at(0)}, Offer{Name: "B", Price: 100, Finish: at(150)}, "finished 2.5 h sooner than on B"},
		{Offer{Name: "A", Price: 100, Finish: at(0)}, Offer{Name: "B", Price: 100, Finish: at(0), Swap: true}, "B needs other filament"},
		{Offer{Name: "A", Price: 90, Finish: at(0)}, Offer{Name: "B", Price: 100, Finish: at(0), Swap: true}, "0.10 EUR less than on B, which needs other filament"},
		{Offer{Name: "A", Price: 100, Finish: at(0)}, Offer{Name: "B", Price: 100, Finish: at(0)}, "B would do as well"},
		{Offer{Name: "A", Price: 99, Finish: at(0)}, Offer{Name: "B", Price: 100, Finish: at(0)}, "0.01 EUR less than on B"},
		{Offer{Name: "A", Price: 250, Finish: at(0)}, Offer{Name: "B", Price: 100, Finish: at(180)}, "finished 3.0 h sooner, 1.50 EUR more than on B"},
	} {
		p, _ := Terms{100, "EUR"}.Propose([]Offer{c.a, c.b})
		assert.Equal(t, 0, p.Best)
		assert.Equal(t, c.why, words.Say(p.Why))
	}
	p, ok := Terms{}.Propose([]Offer{soon})
	assert.True(t, ok)
	assert.Equal(t, "the only one that takes it", words.Say(p.Why))
}
