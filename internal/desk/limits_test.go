package desk_test

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"

	"github.com/danielgtaylor/huma/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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
		{intake.HandIn{}, "title", long(120), long(121)},
		{intake.HandIn{}, "wish", long(1000), long(1001)},
		{intake.HandIn{}, "purpose", `"quick look", "everyday", "working part"`, `"", "Everyday", 1`},
		{intake.HandIn{}, "needed_by", `"", "2031-12-31"`, `"2031-12-31 ", "31.12.2031", "2031-12-3"`},
		{intake.HandIn{}, "pieces", many(1, piece) + "," + many(50, piece), "[]," + many(51, piece)},
		{intake.HandInPiece{}, "upload_id", long(1) + "," + long(60), `"",` + long(61)},
		{intake.HandInPiece{}, "copies", "1, 999", "0, 1000, 1.5"},
		{intake.HandInPiece{}, "unit", units, `"", "yd"`},
		{intake.PieceChange{}, "revision", "1", "0"},
		{intake.PieceChange{}, "copies", "1, 999", "0, 1000"},
		{intake.PieceChange{}, "current", "1", "0"},
		{intake.PieceChange{}, "unit", `"", ` + units, `"yd"`},
		{plates.SliceOrder{}, "overrides", "[]," + many(60, override), many(61, override)},
		{plates.SliceOrder{}, "support_marks", "[]," + many(60, mark), many(61, mark)},
		{house.House{}, "name", long(1) + "," + long(80), `"",` + long(81)},
		{house.House{}, "locale", `"de",` + long(20), `"d",` + long(21)},
		{house.House{}, "currency", `"EUR"`, `"eur", "EURO", "EU"`},
		{house.House{}, "time_zone", long(1) + "," + long(60), `"",` + long(61)},
		{house.House{}, "attendance_min", "0, 600", "-1, 601"},
		{house.House{}, "start_cents", "0, 100000", "-1, 100001"},
		{house.House{}, "longest_run_min", "0, 100000", "-1, 100001"},
		{house.House{}, "file_pattern", `"",` + long(200), long(201)},
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
