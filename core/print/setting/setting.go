// Package setting describes what can be set of a recipe, a machine or a material, as the tags
// of their fields have it: for forms, for finding a setting by its name or by what it does,
// and for overrides.
package setting

import (
	"reflect"
	"strconv"
	"strings"

	"jobshelf/core/shape/units"
)

// Setting describes one field, for searching and for forms.
type Setting struct {
	Key     string   `json:"key" doc:"Where it is in the entry's data, with points between"`
	Name    string   `json:"name" doc:"The trade's word for it"`
	Type    string   `json:"type" enum:"number,whole number,text,lines,choice,list,money,colour,yes or no"`
	Unit    string   `json:"unit,omitempty"`
	Least   *float64 `json:"least,omitempty"`
	Most    *float64 `json:"most,omitempty"`
	Choices []string `json:"choices,omitempty"`
	Text    string   `json:"text" doc:"What it does, in plain words"`
	Unset   string   `json:"unset,omitempty" doc:"What holds where it is left out"`
	Zero    bool     `json:"zero,omitempty" doc:"0 is a value; else 0 is as good as left out, where that means something"`
	Also    []string `json:"also,omitempty" doc:"Other words by which people look for it"`
	With    string   `json:"with,omitempty" doc:"The setting without which it does nothing"`
	Values  []string `json:"values,omitempty" doc:"What a text may name in braces"`
	Of      string   `json:"of,omitempty" enum:"extrusion,two nozzles" doc:"Only machines of this kind have it"`
}

// longText is from how many letters on a text takes several lines.
const longText = 1000

// Of lists the settings of a struct, in order, those of structs within it behind its own key.
// A field is one that has a name in its tag. The unit is what stands after the last comma of
// a description; it is short.
func Of(t reflect.Type) []Setting { return of(t, "", "") }

func of(t reflect.Type, within, kind string) []Setting {
	var out []Setting
	for i := range t.NumField() {
		f := t.Field(i)
		key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		machines := f.Tag.Get("of")
		if machines == "" {
			machines = kind
		}
		if f.Type.Kind() == reflect.Struct {
			out = append(out, of(f.Type, within+key+".", machines)...)
		}
		if f.Tag.Get("name") == "" {
			continue
		}
		s := Setting{Key: within + key, Name: f.Tag.Get("name"), Text: f.Tag.Get("doc"), Unset: f.Tag.Get("unset"), With: f.Tag.Get("with"), Of: machines}
		if also := f.Tag.Get("also"); also != "" {
			s.Also = strings.Split(also, ",")
		}
		if k := strings.LastIndex(s.Text, ", "); k >= 0 && len(s.Text)-k < 9 {
			s.Text, s.Unit = s.Text[:k], s.Text[k+2:]
		}
		s.fill(f)
		out = append(out, s)
	}
	return out
}

func (s *Setting) fill(f reflect.StructField) {
	kind := f.Type.Kind()
	if s.Zero = kind == reflect.Pointer; s.Zero {
		kind = f.Type.Elem().Kind()
	}
	long, _ := strconv.Atoi(f.Tag.Get("maxLength")) // 0: not limited here
	switch {
	case f.Type == reflect.TypeFor[units.Cents]():
		s.Type, s.Unit = "money", ""
	case kind == reflect.Bool:
		s.Type = "yes or no"
	case kind == reflect.Int:
		s.Type = "whole number"
	case kind == reflect.Float64:
		s.Type = "number"
	case kind == reflect.Slice:
		s.Type = "list"
	case f.Tag.Get("enum") != "":
		s.Type, s.Choices = "choice", strings.Split(f.Tag.Get("enum"), ",")
	case strings.HasPrefix(f.Tag.Get("pattern"), "^#"):
		s.Type = "colour"
	case long >= longText:
		s.Type = "lines"
	default:
		s.Type = "text"
	}
	for _, x := range []struct {
		tag string
		to  **float64
	}{{"minimum", &s.Least}, {"maximum", &s.Most}} {
		if v, err := strconv.ParseFloat(f.Tag.Get(x.tag), 64); err == nil {
			*x.to = &v
		}
	}
}
