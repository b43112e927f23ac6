package desk_test

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"github.com/danielgtaylor/huma/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/internal/desk"
)

// Whatever a form sends is taken up to each limit and refused past it, and the refusal
// names the field.
func TestFieldsAreTakenUpToTheirLimits(t *testing.T) {
	long := func(n int) string { return `"` + strings.Repeat("é", n) + `"` }
	many := func(n int, of string) string { return "[" + strings.Repeat(of+", ", n-1) + of + "]" }
	const (
		piece    = `{"upload_id": "a", "copies": 1}`
		override = `{"key": "shells", "value": "3"}`
		mark     = `{"corners_mm": [[0, 0, 0], [9, 0, 0], [9, 9, 0], [0, 0, 9]], "put_in": true, "why": "a"}`
		units    = `"mm", "cm", "m", "in", "ft", "µm"`
	)
	for _, c := range []struct {
		of             any
		field          string
		taken, refused string // values, with blanks and commas between
	}{
		{desk.HandIn{}, "title", long(120), long(121)},
		{desk.HandIn{}, "wish", long(1000), long(1001)},
		{desk.HandIn{}, "purpose", `"quick look", "everyday", "working part"`, `"", "Everyday", 1`},
		{desk.HandIn{}, "needed_by", `"", "2031-12-31"`, `"2031-12-31 ", "31.12.2031", "2031-12-3"`},
		{desk.HandIn{}, "pieces", many(1, piece) + "," + many(50, piece), "[]," + many(51, piece)},
		{desk.HandInPiece{}, "upload_id", long(1) + "," + long(60), `"",` + long(61)},
		{desk.HandInPiece{}, "copies", "1, 999", "0, 1000, 1.5"},
		{desk.HandInPiece{}, "unit", units, `"", "yd"`},
		{desk.PieceChange{}, "version", "1", "0"},
		{desk.PieceChange{}, "copies", "1, 999", "0, 1000"},
		{desk.PieceChange{}, "current", "1", "0"},
		{desk.PieceChange{}, "unit", `"", ` + units, `"yd"`},
		{desk.SliceOrder{}, "overrides", "[]," + many(60, override), many(61, override)},
		{desk.SliceOrder{}, "marks", "[]," + many(60, mark), many(61, mark)},
		{desk.SliceOrder{}, "scale", "0, 100", "-0.1, 100.1"},
		{desk.SliceOrder{}, "tip", `"", "x", "y"`, `"z"`},
		{desk.House{}, "name", long(1) + "," + long(80), `"",` + long(81)},
		{desk.House{}, "locale", `"de",` + long(20), `"d",` + long(21)},
		{desk.House{}, "currency", `"EUR"`, `"eur", "EURO", "EU"`},
		{desk.House{}, "time_zone", long(1) + "," + long(60), `"",` + long(61)},
		{desk.House{}, "attendance_min", "0, 600", "-1, 601"},
		{desk.House{}, "start_cents", "0, 100000", "-1, 100001"},
		{desk.House{}, "longest_run_min", "0, 100000", "-1, 100001"},
		{desk.House{}, "file_pattern", `"",` + long(200), long(201)},
	} {
		registry := huma.NewMapRegistry("#/components/schemas/", huma.DefaultSchemaNamer)
		schema := registry.Schema(reflect.TypeOf(c.of), false, "")
		for text, taken := range map[string]bool{c.taken: true, c.refused: false} {
			var values []any
			require.NoError(t, json.Unmarshal([]byte("["+text+"]"), &values), text)
			for _, v := range values {
				var found huma.ValidateResult
				huma.Validate(registry, schema, huma.NewPathBuffer([]byte{}, 0), huma.ModeReadFromServer, map[string]any{c.field: v}, &found)
				about := 0
				for _, e := range found.Errors {
					if strings.Contains(e.Error(), c.field) && !strings.Contains(e.Error(), "required property") {
						about++
					}
				}
				assert.Equal(t, taken, about == 0, "%T.%s = %.40s", c.of, c.field, fmt.Sprint(v))
			}
		}
	}
}
