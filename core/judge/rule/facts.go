package rule

import (
	"slices"

	"jobshelf/core/shape/problem"
)

// Kind is what a fact's value is, and so what can be asked of it.
type Kind string

// The kinds.
const (
	Number Kind = "number"
	Text   Kind = "text"
	List   Kind = "list" // of names
	Flag   Kind = "flag"
)

// Fact is something known of a job on the machine that is proposed for it, or meant.
type Fact struct {
	Key  string `json:"key"`
	Kind Kind   `json:"kind" enum:"number,text,list,flag"`
	Unit string `json:"unit,omitempty"`
	// Names are what a text or a list can hold, where that is known beforehand.
	Names []string `json:"names,omitempty"`
}

// Facts are all of them. Their words are in the catalogue, as "fact hours".
var Facts = []Fact{
	{"hours", Number, "h", nil}, // its longest run
	{"all_hours", Number, "h", nil},
	{"grams", Number, "g", nil},
	{"price", Number, "money", nil},
	{"infill", Number, "%", nil},
	{"layer", Number, "mm", nil},
	{"size", Number, "mm", nil}, // its longest side
	{"scale", Number, "%", nil}, // of as it came; the furthest from 100
	{"copies", Number, "", nil},
	{"pieces", Number, "", nil},
	{"plates", Number, "", nil},
	{"days", Number, "d", nil}, // until it is needed
	{"warm", Number, "°C", nil},
	{"material", Text, "", nil},
	{"colour", Text, "", nil},
	{"machine", Text, "", nil},
	{"purpose", Text, "", []string{"quick look", "everyday", "working part"}},
	{"group", Text, "", nil}, // its member's
	{"use", List, "", []string{"outdoors", "bends", "load", "fits", "warm", "colour"}},
	{"findings", List, "", nil},  // their checks
	{"overrides", List, "", nil}, // keys of settings
	{"first", Flag, "", nil},     // it is its member's first ever
}

// FactOf finds one by its key.
func FactOf(key string) (Fact, bool) {
	k := slices.IndexFunc(Facts, func(f Fact) bool { return f.Key == key })
	if k < 0 {
		return Fact{}, false
	}
	return Facts[k], true
}

// Known is what is known of a job: values by key, of the fact's kind. What is not in it nobody knows.
type Known struct {
	Numbers map[string]float64  `json:"numbers,omitempty"`
	Texts   map[string]string   `json:"texts,omitempty"`
	Lists   map[string][]string `json:"lists,omitempty"`
	Flags   map[string]bool     `json:"flags,omitempty"`
}

// has says that a fact is known.
func (k *Known) has(f *Fact) bool {
	ok := false
	switch f.Kind {
	case Number:
		_, ok = k.Numbers[f.Key]
	case Text:
		_, ok = k.Texts[f.Key]
	case List:
		_, ok = k.Lists[f.Key]
	case Flag:
		_, ok = k.Flags[f.Key]
	}
	return ok
}

// FactWords are a fact's words.
func FactWords(key string) problem.Phrase { return problem.Say("fact " + key) }
