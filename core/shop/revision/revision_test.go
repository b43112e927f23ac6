package revision_test

import (
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/revision"
)

// turned is a value with one field, of those within it, set to something else; false where
// there are no more fields.
func turned(v reflect.Value, n *int) (string, bool) {
	for i := range v.NumField() {
		f, name := v.Field(i), v.Type().Field(i).Name
		if f.Kind() == reflect.Struct {
			if in, ok := turned(f, n); ok {
				return name + "." + in, true
			}
			continue
		}
		if *n--; *n >= 0 {
			continue
		}
		switch f.Kind() {
		case reflect.String:
			f.SetString(f.String() + "x")
		case reflect.Float64:
			f.SetFloat(f.Float() + 1.5)
		case reflect.Int, reflect.Int64:
			f.SetInt(f.Int() + 3)
		case reflect.Bool:
			f.SetBool(!f.Bool())
		case reflect.Slice:
			f.Set(reflect.Append(f, reflect.New(f.Type().Elem()).Elem()))
		case reflect.Pointer:
			f.Set(reflect.New(f.Type().Elem()))
			if e := f.Elem(); e.Kind() == reflect.Float64 {
				e.SetFloat(0.7)
			} else {
				e.SetInt(7)
			}
		}
		return name, true
	}
	return "", false
}

// Of every field of a machine, a recipe and a material: what is a name, a colour or a price
// makes nothing stale, all else does, and says which of the three it is.
func TestEveryFieldIsOfAFacet(t *testing.T) {
	base := func() (machine.Machine, recipe.Recipe, machine.Material) {
		return machine.Machine{Name: "A", NozzlesMM: []float64{0.4}, Volume: machine.Volume{XMM: 200}}, recipe.Recipe{Name: "R", LayerMM: 0.2}, machine.Material{Name: "PLA", DensityGPerCM: 1.24}
	}
	m, r, mat := base()
	was := revision.Of(&m, r, machine.Loaded{&mat}, nil, nil)
	judgedBy := func(m *machine.Machine, r *recipe.Recipe, mat *machine.Material, start units.Cents, longestS float64) revision.Judged {
		return revision.JudgedBy([]verdict.Choice{{ID: 3, Machine: m, Recipe: r, Loaded: machine.Loaded{mat}}}, start, longestS, nil)
	}
	judged := judgedBy(&m, &r, &mat, 5, 9)
	assert.True(t, judged.Fresh(judgedBy(&m, &r, &mat, 5, 9)))
	assert.False(t, judged.Fresh(judgedBy(&m, &r, &mat, 6, 9)), "what a start costs")
	assert.False(t, judged.Fresh(judgedBy(&m, &r, &mat, 5, 8)), "the longest run")
	label := map[string]bool{"m.Name": true, "m.InService": true, "m.RateCents": true, "m.Material": true, "m.Address": true, "m.Colour": true, "m.ColourName": true, "m.Second.Material": true, "m.Second.ColourName": true, "m.WornHours": true, "m.LeastMM": true, "m.MeltsMM3PerS": true, "m.SpreadWear": true,
		"m.Line": true, "m.Resets": true, "m.Camera": true, "m.Care": true, "t.Care": true, "m.ChangeGrams": true, "t.TakesUpWater": true,
		"r.Name": true, "r.Purpose": true, "r.Machine": true, "r.Material": true, "t.Name": true, "t.SpoolGrams": true, "t.SpoolCents": true,
		"t.SoftensC": true, "t.LastsOutdoors": true, "t.Flexible": true, "t.CarriesLoad": true}
	for part, code := range map[string]string{"m": "its machine", "r": "its recipe", "t": "its material"} {
		fields := 0
		for k := 0; ; k++ {
			m, r, mat := base()
			n := k
			field, ok := turned(map[string]reflect.Value{"m": reflect.ValueOf(&m), "r": reflect.ValueOf(&r), "t": reflect.ValueOf(&mat)}[part].Elem(), &n)
			if !ok {
				break
			}
			fields++
			got := was.Changed(revision.Of(&m, r, machine.Loaded{&mat}, nil, nil))
			// A verdict tells names and prices; what is only shown, and what makes programs, is not of it.
			shown := strings.HasPrefix(field, "Dialect") || strings.Contains(field, "Colour") || strings.Contains(field, "Wear") || field == "Address" || field == "WornHours" ||
				field == "SoftensC" || field == "LastsOutdoors" || field == "Flexible" || field == "CarriesLoad" || // asked of the whole job
				field == "Line" || field == "Resets" || field == "Camera" || field == "Care" || field == "ChangeGrams" || field == "TakesUpWater"
			assert.Equal(t, shown, judged.Fresh(judgedBy(&m, &r, &mat, 5, 9)), "%s.%s", part, field)
			if label[part+"."+field] {
				assert.Empty(t, got, "%s.%s", part, field)
				continue
			}
			if assert.Len(t, got, 1, "%s.%s", part, field) {
				assert.Equal(t, code, got[0].Code, "%s.%s", part, field)
			}
		}
		require.Greater(t, fields, 5, part)
	}
}

// What nozzle 2 is loaded with matters where the recipe uses it; of what was made before
// facets were kept nothing is known.
func TestWhatIsUsedMatters(t *testing.T) {
	m := machine.Machine{NozzlesMM: []float64{0.4, 0.4}}
	pla, soluble, other := machine.Material{DensityGPerCM: 1.24}, machine.Material{DensityGPerCM: 1.1}, machine.Material{DensityGPerCM: 1.2}
	for nozzle, stale := range map[int]bool{0: false, 1: false, 2: true} {
		for what, of := range map[string]func(machine.Loaded) revision.Made{
			"support": func(l machine.Loaded) revision.Made {
				return revision.Of(&m, recipe.Recipe{SupportNozzle: nozzle}, l, nil, []revision.Piece{{}})
			},
			"a piece": func(l machine.Loaded) revision.Made {
				return revision.Of(&m, recipe.Recipe{}, l, nil, []revision.Piece{{}, {Nozzle: nozzle}})
			},
		} {
			was := of(machine.Loaded{&pla, &soluble})
			assert.Empty(t, was.Changed(was))
			assert.Equal(t, stale, len(was.Changed(of(machine.Loaded{&pla, &other}))) > 0, "%s of nozzle %d", what, nozzle)
			assert.Len(t, revision.Made{}.Changed(was), 1)
		}
	}
}

// A try has a name of its own by everything that goes into it, and the same however its turn is written:
// the other way round, rounded, of another length; how the model stands otherwise is no part of it.
func TestATryIsNamedByWhatGoesIntoIt(t *testing.T) {
	choice := func(change func(*machine.Machine, *recipe.Recipe, *machine.Material)) *verdict.Choice {
		m, r, mat := &machine.Machine{Name: "A", RateCents: 100}, &recipe.Recipe{LayerMM: 0.2}, &machine.Material{Name: "PLA"}
		change(m, r, mat)
		return &verdict.Choice{ID: 4, Machine: m, Recipe: r, Loaded: machine.Loaded{mat}}
	}
	same := choice(func(*machine.Machine, *recipe.Recipe, *machine.Material) {})
	model := revision.Model{File: 7, Part: 1, Unit: units.Inch, Sized: orient.Stand{Scale: [3]float64{2, 2, 2}}, Nozzle: 1}
	turn := orient.Quat{0.6, 0, 0.8, 0}
	name := model.Try(turn, revision.OnMachine(same, 50))
	for _, q := range []orient.Quat{{-0.6, 0, -0.8, 0}, {0.6 + 1e-12, 0, 0.8, -1e-13}, {1.2, 0, 1.6, 0}} {
		assert.Equal(t, name, model.Try(q, revision.OnMachine(same, 50)), "%v", q)
	}
	stood := model
	stood.Sized.Turn = orient.Quat{0, 1, 0, 0}
	assert.Equal(t, name, stood.Try(turn, revision.OnMachine(same, 50)))
	names := map[string]string{name: "itself"}
	add := func(what, other string) {
		assert.NotContains(t, names, other, "%s", what)
		names[other] = what
	}
	for what, change := range map[string]func(*revision.Model){
		"file": func(m *revision.Model) { m.File++ }, "part": func(m *revision.Model) { m.Part++ }, "unit": func(m *revision.Model) { m.Unit = units.Millimetre },
		"scale": func(m *revision.Model) { m.Sized.Scale[1] = 2.01 }, "mirror": func(m *revision.Model) { m.Sized.Mirror = true }, "nozzle": func(m *revision.Model) { m.Nozzle = 2 },
	} {
		other := model
		change(&other)
		add(what, other.Try(turn, revision.OnMachine(same, 50)))
	}
	add("turn", model.Try(orient.Quat{0.6, 0, -0.8, 0}, revision.OnMachine(same, 50)))
	add("start", model.Try(turn, revision.OnMachine(same, 51)))
	add("machine", model.Try(turn, revision.OnMachine(choice(func(m *machine.Machine, _ *recipe.Recipe, _ *machine.Material) { m.RateCents = 101 }), 50)))
	add("recipe", model.Try(turn, revision.OnMachine(choice(func(_ *machine.Machine, r *recipe.Recipe, _ *machine.Material) { r.LayerMM = 0.3 }), 50)))
	add("material", model.Try(turn, revision.OnMachine(choice(func(_ *machine.Machine, _ *recipe.Recipe, m *machine.Material) { m.SpoolCents = 1 }), 50)))
	assert.Equal(t, name, model.Try(turn, revision.OnMachine(choice(func(m *machine.Machine, _ *recipe.Recipe, _ *machine.Material) { m.ColourName = "Red" }), 50)), "a colour makes nothing")
}
