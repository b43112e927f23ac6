package setting

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"

	"jobshelf/core/shape/units"
)

// Every kind of field is described by its tags; those of a struct within lie behind its key
// and are of its kind of machine, unless they say otherwise.
func TestFieldsAreDescribed(t *testing.T) {
	type within struct {
		Long string `json:"long" maxLength:"1000" name:"Long text"`
		Less string `json:"less" maxLength:"999" name:"Less"`
		Own  bool   `json:"own,omitempty" name:"Own" of:"two nozzles"`
	}
	all := Of(reflect.TypeFor[struct {
		Hidden string      `json:"hidden"`
		MM     *float64    `json:"mm,omitempty" minimum:"0" maximum:"9.5" name:"Width" doc:"How wide, at the most, mm" unset:"a line" with:"count"`
		Count  int         `json:"count" minimum:"1" name:"Count" doc:"How many, as one would count them"`
		List   []float64   `json:"list" name:"List"`
		Cost   units.Cents `json:"cost" name:"Cost" doc:"Price, cents"`
		Shape  string      `json:"shape" enum:"round,square" name:"Shape"`
		Colour string      `json:"colour" pattern:"^#[0-9]$" name:"Colour"`
		Within within      `json:"within" of:"extrusion"`
	}]())
	assert.Equal(t, []Setting{
		{Key: "mm", Name: "Width", Type: "number", Unit: "mm", Least: new(0.0), Most: new(9.5), Text: "How wide, at the most", Unset: "a line", Zero: true, With: "count"},
		{Key: "count", Name: "Count", Type: "whole number", Least: new(1.0), Text: "How many, as one would count them"},
		{Key: "list", Name: "List", Type: "list"},
		{Key: "cost", Name: "Cost", Type: "money", Text: "Price"},
		{Key: "shape", Name: "Shape", Type: "choice", Choices: []string{"round", "square"}},
		{Key: "colour", Name: "Colour", Type: "colour"},
		{Key: "within.long", Name: "Long text", Type: "lines", Of: "extrusion"},
		{Key: "within.less", Name: "Less", Type: "text", Of: "extrusion"},
		{Key: "within.own", Name: "Own", Type: "yes or no", Of: "two nozzles"},
	}, all)
}
