// Package problem is what cannot be, or was noticed, as a code with its parameters. The texts
// that people read are made of it above, by the one catalogue of package finding, in the
// house's language.
package problem

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"strings"
)

// Phrase is a code of the catalogue with its parameters, in the order in which the texts
// number them: counts (int), measured Numbers, names, phrases, and several phrases for a list.
type Phrase struct {
	Code   string `json:"code"`
	Params []any  `json:"params,omitempty"`
}

// Say is a phrase.
func Say(code string, params ...any) Phrase { return Phrase{code, params} }

// Text is a phrase whose code is what it says in English, a format of package fmt: of readers,
// which have many and say each in one place. Another language has that text as its code.
func Text(format string, params ...any) Phrase { return Phrase{format, params} }

// English is what a Text says.
func (p Phrase) English() string {
	if len(p.Params) == 0 {
		return p.Code
	}
	params := make([]any, len(p.Params))
	for i, v := range p.Params {
		if in, ok := v.(Phrase); ok {
			v = in.English()
		}
		params[i] = v
	}
	return fmt.Sprintf(p.Code, params...)
}

// String is the phrase as it is, for logs; it is in nobody's language.
func (p Phrase) String() string {
	parts := make([]string, len(p.Params))
	for i, v := range p.Params {
		parts[i] = fmt.Sprint(v)
	}
	return strings.TrimSpace(p.Code + " " + strings.Join(parts, ", "))
}

// Problem is something entered that cannot be: which field, and why.
type Problem struct {
	Field string
	Phrase
}

// Number is a measured value, with the fewest and the most digits behind the point.
type Number struct {
	Value float64 `json:"value"`
	Least int     `json:"least,omitempty"`
	Most  int     `json:"most"`
}

// Fixed is a number with so many digits behind the point.
func Fixed(v float64, digits int) Number { return Number{v, digits, digits} }

// Digits is a number of so many digits in all, without idle zeros.
func Digits(v float64, digits int) Number {
	most := digits
	if v != 0 {
		most = digits - 1 - int(math.Floor(math.Log10(math.Abs(v))))
	}
	return Number{v, 0, max(0, min(most, 12))}
}

// Given is a number as somebody entered it.
func Given(v float64) Number { return Digits(v, 6) }

// UnmarshalJSON reads a phrase, with the numbers and phrases in it.
func (p *Phrase) UnmarshalJSON(b []byte) error {
	var raw struct {
		Code   string            `json:"code"`
		Params []json.RawMessage `json:"params"`
	}
	if err := json.Unmarshal(b, &raw); err != nil {
		return err
	}
	p.Code, p.Params = raw.Code, nil
	for _, r := range raw.Params {
		v, err := param(r)
		if err != nil {
			return err
		}
		p.Params = append(p.Params, v)
	}
	return nil
}

func param(r json.RawMessage) (any, error) {
	switch {
	case bytes.HasPrefix(r, []byte(`{"code"`)):
		return read[Phrase](r)
	case bytes.HasPrefix(r, []byte("{")):
		return read[Number](r)
	case bytes.HasPrefix(r, []byte("[")):
		return read[[]Phrase](r)
	case bytes.HasPrefix(r, []byte(`"`)):
		return read[string](r)
	}
	return read[int](r)
}

func read[T any](r json.RawMessage) (any, error) {
	var v T
	err := json.Unmarshal(r, &v)
	return v, err
}
