package recipe

import (
	"encoding/json"
	"fmt"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"

	"jobshelf/core/print/setting"
	"jobshelf/core/shape/problem"
)

// Settings lists all settings, as the recipe's own field tags describe them.
func Settings() []setting.Setting { return slices.Clone(settings()) }

var settings = sync.OnceValue(func() []setting.Setting { return setting.Of(reflect.TypeFor[Recipe]()) })

// Override is one setting that differs from the house's recipe.
type Override struct {
	Key   string `json:"key" maxLength:"40"`
	Value string `json:"value" maxLength:"60" doc:"As text; lists with commas"`
	Why   string `json:"why" maxLength:"300"`
	Who   string `json:"who,omitempty"`
	Was   string `json:"was,omitempty" doc:"What the recipe said then"`
}

// SettingOf finds a setting by its key.
func SettingOf(key string) (setting.Setting, bool) {
	all := settings()
	k := slices.IndexFunc(all, func(s setting.Setting) bool { return s.Key == key })
	if k < 0 {
		return setting.Setting{}, false
	}
	return all[k], true
}

// NameOf is the trade's word for a setting; the key itself where there is none.
func NameOf(key string) string {
	if s, ok := SettingOf(key); ok {
		return s.Name
	}
	return key
}

// WrongOverride is an override that cannot be, and why.
type WrongOverride struct{ problem.Phrase }

func (w *WrongOverride) Error() string { return w.String() }

func wrong(code string, params ...any) error { return &WrongOverride{problem.Say(code, params...)} }

// Apply gives a copy of the recipe with overrides in force. A key that is none,
// a value that cannot be read or is out of its range is a *WrongOverride.
func (r Recipe) Apply(overrides []Override) (Recipe, error) {
	all := map[string]setting.Setting{}
	for _, s := range Settings() {
		all[s.Key] = s
	}
	// What json reads goes where pointers and lists point to: this copy has its own.
	r.PauseMM = slices.Clone(r.PauseMM)
	for _, p := range []**float64{&r.SupportHorizontalGapMM, &r.SupportVerticalGapMM, &r.ChangePurgeMM} {
		if *p != nil {
			*p = new(**p)
		}
	}
	if r.SupportInterface != nil {
		r.SupportInterface = new(*r.SupportInterface)
	}
	for _, d := range overrides {
		s, ok := all[d.Key]
		if !ok {
			return r, wrong("no such setting", d.Key)
		}
		raw, why := encode(&s, d.Value)
		if why.Code != "" {
			return r, wrong("wrong override", s.Name, why)
		}
		if err := json.Unmarshal([]byte(fmt.Sprintf("{%q:%s}", d.Key, raw)), &r); err != nil {
			return r, wrong("wrong override", s.Name, problem.Say("cannot be taken", d.Value))
		}
	}
	return r, nil
}

// encode is a value as JSON, or why it cannot be.
func encode(s *setting.Setting, v string) (string, problem.Phrase) {
	v = strings.TrimSpace(v)
	number := func(v string) (string, problem.Phrase) {
		v = strings.TrimSpace(v)
		f, err := strconv.ParseFloat(v, 64)
		if err != nil || math.IsNaN(f) || math.IsInf(f, 0) || strings.ContainsAny(v, "xXpP_") {
			return "", problem.Say("no number", v)
		}
		if s.Least != nil && f < *s.Least || s.Most != nil && f > *s.Most {
			return "", problem.Say("out of range", v, problem.Given(*s.Least), problem.Given(*s.Most), strings.TrimRight(" "+s.Unit, " "))
		}
		return strconv.FormatFloat(f, 'f', -1, 64), problem.Phrase{}
	}
	switch s.Type {
	case "number", "whole number":
		return number(v)
	case "list":
		var parts []string
		for _, p := range strings.Split(v, ",") {
			if strings.TrimSpace(p) == "" {
				continue
			}
			n, why := number(p)
			if why.Code != "" {
				return "", why
			}
			parts = append(parts, n)
		}
		return "[" + strings.Join(parts, ",") + "]", problem.Phrase{}
	case "choice":
		for _, c := range s.Choices {
			if strings.EqualFold(c, v) {
				return strconv.Quote(c), problem.Phrase{}
			}
		}
		return "", problem.Say("none of the choices", v, strings.Join(s.Choices, ", "))
	}
	b, _ := json.Marshal(v) // of a string: never fails
	return string(b), problem.Phrase{}
}

// Value gives a setting's value as text, as Apply takes it.
func (r Recipe) Value(key string) string {
	b, err := json.Marshal(r)
	if err != nil {
		return ""
	}
	var all map[string]any
	if json.Unmarshal(b, &all) != nil {
		return ""
	}
	switch v := all[key].(type) {
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	case []any:
		var parts []string
		for _, x := range v {
			parts = append(parts, fmt.Sprint(x))
		}
		return strings.Join(parts, ", ")
	case string:
		return v
	}
	return ""
}
