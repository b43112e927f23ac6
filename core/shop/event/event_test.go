package event

import (
	"encoding/json"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/shape/problem"
)

// filled is an event of a kind with something else in each field.
func filled(e Event) Event {
	v := reflect.New(reflect.TypeOf(e)).Elem()
	n := 1
	var fill func(v reflect.Value)
	fill = func(v reflect.Value) {
		switch n++; v.Kind() {
		case reflect.String:
			v.SetString(string(rune('a' + n)))
		case reflect.Int, reflect.Int64:
			v.SetInt(int64(1000 + n))
		case reflect.Float64:
			v.SetFloat(float64(n) + 0.26)
		case reflect.Struct:
			for i := range v.NumField() {
				fill(v.Field(i))
			}
		}
	}
	fill(v)
	if _, ok := e.(Several); ok {
		return Several{[]Event{UnitSaid{"a.stl", "in"}, CopiesSaid{3, "a.stl"}}}
	}
	return v.Interface().(Event) //nolint:forcetypeassert // of e's type
}

// Every kind has a name of its own and a text that uses all its fields, and comes back from
// storage as it went.
func TestEveryKindIsToldAndKept(t *testing.T) {
	words := finding.Speak("en")
	seen := map[string]bool{}
	for _, e := range Kinds {
		require.False(t, seen[e.Kind()], e.Kind())
		seen[e.Kind()] = true
		e = filled(e)
		raw, err := json.Marshal(e)
		require.NoError(t, err)
		back, err := Read(e.Kind(), raw)
		require.NoError(t, err)
		assert.Equal(t, e, back)
		p := Phrase(e)
		says := words.Say(p)
		assert.NotEqual(t, e.Kind(), says, "it has a text")
		assert.NotContains(t, says, "%!", e.Kind())
		if _, several := e.(Several); several {
			continue
		}
		for i := range p.Params { // each field is told: without it, the text is another
			other := append([]any{}, p.Params...)
			switch v := other[i].(type) {
			case string:
				other[i] = v + "!"
			case int:
				other[i] = v + 1
			case problem.Number:
				v.Value++
				other[i] = v
			}
			assert.NotEqual(t, says, words.Say(problem.Say(p.Code, other...)), "%s: field %d", e.Kind(), i)
		}
	}
	assert.Equal(t, "Approved for Bowline up to 93 min, 32.3 g and 3.50; it is sliced first", words.Say(Phrase(ApprovedUpTo{"Bowline", 93, 32.3, 3.5})))
	assert.Equal(t, "Slice 1234 of a.stl is done", words.Say(Phrase(SliceDone{OfSlice{1234, "a.stl"}})))
	assert.Equal(t, CheckAsked{}, All([]Event{CheckAsked{}}))
	_, err := Read("nothing", nil)
	require.Error(t, err)
	_, err = Read("approved", []byte(`{"machine":7}`))
	require.Error(t, err)
}
