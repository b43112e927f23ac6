package modelfile

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"math"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
)

func readAll(b []byte, l Limits) (*File, error) {
	return Read(context.Background(), bytes.NewReader(b), int64(len(b)), l, nil)
}

// packed makes a ZIP of parts given as name, text, name, text …
func packed(t testing.TB, parts ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i < len(parts); i += 2 {
		w, err := z.Create(parts[i])
		require.NoError(t, err)
		_, err = w.Write([]byte(parts[i+1]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

const rels = `<?xml version="1.0"?><Relationships xmlns="x"><Relationship Target="/3D/3dmodel.model" Id="r" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>`

func tmfFile(t testing.TB, model string) []byte {
	return packed(t, "_rels/.rels", rels, "3D/3dmodel.model", model)
}

// tetra is a tetrahedron with legs of a along the axes, as 3MF text.
func tetra(a float64) string {
	return fmt.Sprintf(`<mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="%[1]g" y="0" z="0"/><vertex x="0" y="%[1]g" z="0"/><vertex x="0" y="0" z="%[1]g"/></vertices>
<triangles><triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/><triangle v1="0" v2="3" v3="2"/></triangles></mesh>`, a)
}

func model(resources, build string) string {
	return `<model unit="inch" xmlns="m" xmlns:p="prod"><resources>` + resources + `</resources><build>` + build + `</build></model>`
}

// Items, components, mirrored and turned transforms, units. The tetrahedron has
// the volume a³/6.
func TestThreeMFPlacesWhatItSays(t *testing.T) {
	one := `<object id="1" type="model" name="Fid &amp; Co">` + tetra(3) + `</object>`
	for _, c := range []struct {
		name, resources, build string
		copies                 []int
		volume                 float64 // of the first model
		min                    mesh.Vec3
		place                  mesh.Vec3
	}{
		{"one item", one, `<item objectid="1"/>`, []int{1}, 4.5, mesh.Vec3{}, mesh.Vec3{}},
		{"two the same way", one, `<item objectid="1"/><item objectid="1" transform="1 0 0 0 1 0 0 0 1 10 0 0"/>`, []int{2}, 4.5, mesh.Vec3{}, mesh.Vec3{}},
		{"two turned apart", one, `<item objectid="1" transform="0 1 0 -1 0 0 0 0 1 5 6 7"/><item objectid="1"/>`, []int{1, 1}, 4.5, mesh.Vec3{X: -3}, mesh.Vec3{X: 5, Y: 6, Z: 7}},
		{"mirrored", one, `<item objectid="1" transform="-1 0 0 0 1 0 0 0 1 0 0 0"/>`, []int{1}, 4.5, mesh.Vec3{X: -3}, mesh.Vec3{}},
		{"scaled", one, `<item objectid="1" transform="2 0 0 0 2 0 0 0 2 0 0 0"/>`, []int{1}, 36, mesh.Vec3{}, mesh.Vec3{}},
		{"components apart", one + `<object id="2"><components><component objectid="1"/><component objectid="1" transform="1 0 0 0 1 0 0 0 1 20 0 0"/></components></object>`,
			`<item objectid="2"/>`, []int{2}, 4.5, mesh.Vec3{}, mesh.Vec3{}},
		{"components that touch", one + `<object id="2"><components><component objectid="1"/><component objectid="1" transform="1 0 0 0 1 0 0 0 1 3 0 0"/></components></object>`,
			`<item objectid="2"/>`, []int{1}, 9, mesh.Vec3{}, mesh.Vec3{}},
		{"components that touch in front", one + `<object id="2"><components><component objectid="1"/><component objectid="1" transform="1 0 0 0 1 0 0 0 1 0 -3 0"/></components></object>`,
			`<item objectid="2"/>`, []int{1}, 9, mesh.Vec3{Y: -3}, mesh.Vec3{}},
		{"components that touch below", one + `<object id="2"><components><component objectid="1"/><component objectid="1" transform="1 0 0 0 1 0 0 0 1 0 0 -3"/></components></object>`,
			`<item objectid="2"/>`, []int{1}, 9, mesh.Vec3{Z: -3}, mesh.Vec3{}},
		{"components that touch at the left", one + `<object id="2"><components><component objectid="1"/><component objectid="1" transform="1 0 0 0 1 0 0 0 1 -3 0 0"/></components></object>`,
			`<item objectid="2"/>`, []int{1}, 9, mesh.Vec3{X: -3}, mesh.Vec3{}},
		{"component scaled in an item turned", one + `<object id="2"><components><component objectid="1" transform="2 0 0 0 1 0 0 0 1 1 0 0"/></components></object>`,
			`<item objectid="2" transform="0 1 0 -1 0 0 0 0 1 0 0 0"/>`, []int{1}, 9, mesh.Vec3{X: -3}, mesh.Vec3{Y: 1}},
		{"support of another program is left out", one + `<object id="2" type="support">` + tetra(9) + `</object>`, `<item objectid="2"/><item objectid="1"/>`, []int{1}, 4.5, mesh.Vec3{}, mesh.Vec3{}},
	} {
		t.Run(c.name, func(t *testing.T) {
			f, err := readAll(tmfFile(t, model(c.resources, c.build)), Limits{})
			require.NoError(t, err)
			assert.Equal(t, ThreeMF, f.Format)
			assert.Equal(t, units.Inch, f.Unit)
			var copies []int
			for _, m := range f.Models {
				copies = append(copies, m.Copies())
				assert.Equal(t, "Fid & Co", m.Name)
				topo := mesh.TopologyOf(m.Mesh)
				assert.True(t, topo.Closed() && topo.Oriented())
			}
			require.Equal(t, c.copies, copies)
			got := f.Models[0].Mesh.Measure()
			assert.InDelta(t, c.volume, got.Volume, 1e-12, "a mirrored mesh faces out still")
			assert.InDelta(t, 0, got.Bounds.Min.Sub(c.min).Len(), 1e-12, "%v", got.Bounds.Min)
			assert.InDelta(t, 0, f.Models[0].Places[0].Sub(c.place).Len(), 1e-12)
		})
	}
}

func TestThreeMFWithPartsByPath(t *testing.T) {
	f, err := readAll(packed(t, "_rels/.rels", rels,
		"3D/3dmodel.model", model(`<object id="2"><components><component objectid="7" p:path="/3D/Objects/a.model" transform="1 0 0 0 1 0 0 0 1 4 4 4"/></components></object>`, `<item objectid="2"/>`),
		"3D/Objects/a.model", `<model unit="millimeter"><resources><object id="7" name="part">`+tetra(6)+`</object></resources></model>`), Limits{})
	require.NoError(t, err)
	require.Len(t, f.Models, 1)
	assert.InDelta(t, 36, f.Models[0].Mesh.Measure().Volume, 1e-12)
	assert.Equal(t, mesh.Vec3{X: 4, Y: 4, Z: 4}, f.Models[0].Places[0])
}

// Whatever is read comes back from a 3MF of ours the same: pieces, names,
// places, unit, every coordinate.
func TestEveryFormatGoesThroughThreeMF(t *testing.T) {
	amfText := `<?xml version="1.0" encoding="utf-8"?><?note 2 > 1?><amf unit="feet"><metadata type="name">ship</metadata>
<object id="a"><metadata type="name">keel</metadata><mesh><vertices>` + amfVertices(2) + `</vertices><volume>` + amfTriangles + `</volume></mesh></object>
<object id="b"><mesh><vertices>` + amfVertices(5) + `</vertices><volume>` + amfTriangles + `</volume></mesh></object>
<constellation id="c"><instance objectid="a"><deltax>30</deltax><deltay>0</deltay><rz>90</rz></instance><instance objectid="a"/><instance objectid="b"><deltaz>40</deltaz></instance></constellation></amf>`
	files := map[string][]byte{
		"stl":        binarySTL(t, solid.Sheave()),
		"text stl":   append(asciiSTL(solid.Box(1, 2, 3)), asciiSTL(solid.Box(4, 5, 6).Transformed(1, mesh.Vec3{X: 50}))...),
		"obj":        objFile(solid.Box(1, 2, 3), solid.Sheave()),
		"amf":        []byte(amfText),
		"zipped amf": packed(t, "ship.amf", amfText),
		"3mf":        tmfFile(t, model(`<object id="1">`+tetra(1.1)+`</object><object id="4" name="x">`+tetra(0.1)+`</object>`, `<item objectid="4" transform="0 1 0 -1 0 0 0 0 1 0.1 0.2 0.3"/><item objectid="1"/><item objectid="1" transform="1 0 0 0 1 0 0 0 1 7 7 7"/>`)),
	}
	models := map[string]int{"stl": 1, "text stl": 2, "obj": 2, "amf": 3, "zipped amf": 3, "3mf": 2}
	unit := map[string]units.Length{"amf": units.Foot, "zipped amf": units.Foot, "3mf": units.Inch, "stl": units.Millimetre, "text stl": units.Millimetre, "obj": units.Millimetre}
	for name, b := range files {
		t.Run(name, func(t *testing.T) {
			f, err := readAll(b, Limits{})
			require.NoError(t, err)
			require.Len(t, f.Models, models[name])
			for i := 0; i < 2; i++ {
				var out bytes.Buffer
				require.NoError(t, Write3MF(&out, f))
				back, err := readAll(out.Bytes(), Limits{})
				require.NoError(t, err)
				assert.Equal(t, unit[name], back.Unit)
				require.Equal(t, f.Models, back.Models)
				f = back
			}
		})
	}
	f, err := readAll(files["amf"], Limits{})
	require.NoError(t, err)
	assert.Equal(t, "keel", f.Models[0].Name)
	assert.Equal(t, mesh.Vec3{X: 30}, f.Models[0].Places[0])
	assert.InDelta(t, -2, f.Models[0].Mesh.Bounds().Min.X, 1e-12, "a quarter turn about z brings y to -x")
}

const amfTriangles = `<triangle><v1>0</v1><v2>2</v2><v3>1</v3></triangle><triangle><v1>0</v1><v2>1</v2><v3>3</v3></triangle><triangle><v1>1</v1><v2>2</v2><v3>3</v3></triangle><triangle><v1>0</v1><v2>3</v2><v3>2</v3></triangle>`

func amfVertices(a float64) string {
	s := ""
	for _, v := range [][3]float64{{}, {a, 0, 0}, {0, a, 0}, {0, 0, a}} {
		s += fmt.Sprintf("<vertex><coordinates><x>%g</x><y> %g </y><z>%g</z></coordinates></vertex>", v[0], v[1], v[2])
	}
	return s
}

func objFile(parts ...*mesh.Mesh) []byte {
	var b bytes.Buffer
	b.WriteString("# made in a test\nmtllib none.mtl\n")
	n := 0
	for i, m := range parts {
		fmt.Fprintf(&b, "o part %d\n", i+1)
		for _, v := range m.Vertices {
			fmt.Fprintf(&b, "v %v %v %v\n", v.X, v.Y, v.Z)
		}
		for k, t := range m.Triangles {
			if k%2 == 0 {
				fmt.Fprintf(&b, "f %d/1/1 %d//2 %d\n", int(t[0])+n+1, int(t[1])+n+1, int(t[2])+n+1)
			} else { // back from the last
				l := len(m.Vertices)
				fmt.Fprintf(&b, "f %d %d %d\n", int(t[0])-l, int(t[1])-l, int(t[2])-l)
			}
		}
		n += len(m.Vertices)
	}
	return b.Bytes()
}

func TestOBJPolygonsAndPatches(t *testing.T) {
	// A box of six quadrilaterals, an L of eight corners on top and bottom: faces
	// that are not convex.
	box := "v 0 0 0\nv 2 0 0\nv 2 3 0\nv 0 3 0\nv 0 0 4\nv 2 0 4\nv 2 3 4\nv 0 3 4\n"
	faces := []string{"f 4 3 2 1", "f 5 6 7 8", "f 1 2 6 5", "f 2 3 7 6", "f 3 4 8 7", "f 4 1 5 8"}
	f, err := readAll([]byte(box+strings.Join(faces, "\n")), Limits{})
	require.NoError(t, err)
	assert.InDelta(t, 24, f.Models[0].Mesh.Measure().Volume, 1e-12)
	assert.Empty(t, f.Unit)
	// Each side a group of its own: patches of one surface stay together.
	f, err = readAll([]byte(box+"g a\n"+strings.Join(faces, "\ng other\n")), Limits{})
	require.NoError(t, err)
	require.Len(t, f.Models, 1)
	assert.True(t, mesh.TopologyOf(f.Models[0].Mesh).Closed())
	// Two boxes whose sides are groups of their own are two, in whatever order they come.
	apart := box + strings.NewReplacer("v 0", "v 9", "v 2", "v 11").Replace(box)
	all := slices.Clone(faces)
	for _, x := range faces {
		var v [4]int
		_, err := fmt.Sscanf(x, "f %d %d %d %d", &v[0], &v[1], &v[2], &v[3])
		require.NoError(t, err)
		all = append(all, fmt.Sprintf("f %d %d %d %d", v[0]+8, v[1]+8, v[2]+8, v[3]+8))
	}
	for _, order := range [][]int{{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11}, {0, 6, 2, 8, 4, 10, 1, 7, 3, 9, 5, 11}, {11, 0, 10, 1, 9, 2, 8, 3, 7, 4, 6, 5}} {
		text := apart
		for _, k := range order {
			text += "\ng side\n" + all[k]
		}
		f, err = readAll([]byte(text), Limits{})
		require.NoError(t, err)
		require.Len(t, f.Models, 2, "%v", order)
		for _, m := range f.Models {
			assert.InDelta(t, 24, m.Mesh.Measure().Volume, 1e-12)
			assert.True(t, mesh.TopologyOf(m.Mesh).Closed())
		}
	}

	l := [][2]int{{0, 0}, {3, 0}, {3, 1}, {1, 1}, {1, 4}, {0, 4}}
	text, top, bottom := "", "f", "f"
	for _, z := range []int{0, 5} {
		for _, p := range l {
			text += fmt.Sprintf("v %d %d %d 1.0 0.5 0.5\r\n", p[0], p[1], z)
		}
	}
	for i := range l {
		j := (i + 1) % len(l)
		text += fmt.Sprintf("f %d %d \\\n%d %d\r\n", i+1, j+1, j+7, i+7)
		top += fmt.Sprint(" ", i+7)
		bottom += fmt.Sprint(" ", len(l)-i)
	}
	f, err = readAll([]byte(text+top+"\n"+bottom), Limits{})
	require.NoError(t, err)
	got := f.Models[0].Mesh
	assert.InDelta(t, 30, got.Measure().Volume, 1e-12)
	assert.True(t, mesh.TopologyOf(got).Closed() && mesh.TopologyOf(got).Oriented())
}

func TestNumbersAreRoundedCorrectly(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := rapid.Float64().Draw(t, "v")
		format := rapid.SampledFrom([]byte("gef")).Draw(t, "format")
		prec := rapid.IntRange(-1, 20).Draw(t, "digits")
		text := strconv.FormatFloat(v, format, prec, 64)
		want, _ := strconv.ParseFloat(text, 64)
		got, ok := ParseNumber([]byte(text))
		require.True(t, ok, text)
		require.Equal(t, math.Float64bits(want), math.Float64bits(got), text)
	})
	// Long ones, with few digits behind many zeros and with many in front.
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`[-+]?[0-9]{0,22}\.?[0-9]{1,22}(e[-+]?[0-9]{1,2})?`).Draw(t, "text")
		want, err := strconv.ParseFloat(text, 64)
		require.NoError(t, err)
		got, ok := ParseNumber([]byte(text))
		require.True(t, ok, text)
		require.Equal(t, math.Float64bits(want), math.Float64bits(got), text)
	})
	// As many digits as a mantissa holds, and one more.
	rapid.Check(t, func(t *rapid.T) {
		text := fmt.Sprintf("%d.%de%d", rapid.IntRange(8e14, 2e16).Draw(t, "digits"), rapid.IntRange(0, 9).Draw(t, "more"), rapid.IntRange(-30, 30).Draw(t, "exp"))
		want, _ := strconv.ParseFloat(text, 64)
		got, ok := ParseNumber([]byte(text))
		require.True(t, ok && want == got, "%s: %v", text, got)
	})
	for _, bad := range []string{"", "-", ".", "+.", "1e", "e5", "1..2", "0x10", "1_0", "12a", "--1", "1 "} {
		_, ok := ParseNumber([]byte(bad))
		assert.False(t, ok, "%q", bad)
	}
}

// Files that mean harm or are broken: bounded, refused, and the place is named.
func TestNastyFiles(t *testing.T) {
	obj := `<object id="1">` + tetra(1) + `</object>`
	lines := func(s string, n int) string { return strings.Repeat(s, n) }
	deep := obj
	for i := 2; i < 40; i++ { // each ten of the one before: 10^38 in all
		deep += fmt.Sprintf(`<object id="%d"><components>%s</components></object>`, i, lines(fmt.Sprintf(`<component objectid="%d"/>`, i-1), 10))
	}
	text := func(s string) []byte { return []byte(s) }
	for _, c := range []struct {
		name string
		file []byte
		kind error
		says []string
	}{
		{"bomb of zeros", packed(t, "_rels/.rels", rels, "3D/3dmodel.model", `<model>`+lines(" ", 40<<20)), ErrTooLarge, []string{"100 times"}},
		{"bomb of components", tmfFile(t, model(deep, `<item objectid="39"/>`)), ErrTooLarge, []string{"more than"}},
		{"component of itself", tmfFile(t, model(obj+`<object id="2"><components><component objectid="3"/></components></object><object id="3"><components><component objectid="2"/></components></object>`, `<item objectid="2"/>`)), ErrBroken, []string{"component of itself"}},
		{"path outside", packed(t, "_rels/.rels", strings.Replace(rels, "/3D/3dmodel.model", "../../etc/passwd", 1), "3D/3dmodel.model", "x"), ErrBroken, []string{"outside"}},
		{"only a part outside", packed(t, "_rels/.rels", rels, "../3D/3dmodel.model", "x"), ErrBroken, []string{"no part"}},
		{"the model twice", packed(t, "_rels/.rels", rels, "3D/3dmodel.model", model(obj, `<item objectid="1"/>`), "3d/3DModel.model", model(obj, "")), ErrBroken, []string{"twice"}},
		{"extension of nobody", tmfFile(t, `<model requiredextensions="b" xmlns:b="http://example.org/origami/2027/01"><resources/></model>`), ErrUnsupported, []string{"http://example.org/origami/2027/01", "not known"}},
		{"extension without a name", tmfFile(t, `<model requiredextensions="b"><resources/></model>`), ErrBroken, []string{`"b"`}},
		{"a transform of thirteen", tmfFile(t, model(obj, `<item objectid="1" transform="1 0 0 0 1 0 0 0 1 0 0 0 0"/>`)), ErrBroken, []string{"13 numbers, not 12"}},
		{"a transform of eleven", tmfFile(t, model(obj, `<item objectid="1" transform="1 0 0 0 1 0 0 0 1 0 0"/>`)), ErrBroken, []string{"11 numbers, not 12"}},
		{"hex in 3MF", tmfFile(t, strings.Replace(model(obj, `<item objectid="1"/>`), `x="1"`, `x="0x1p0"`, 1)), ErrBroken, []string{"0x1p0"}},
		{"underscore in OBJ", text("v 0 0 0\nv 1_0 0 0\nv 0 1 0\nf 1 2 3\n"), ErrBroken, []string{"1_0", "line 2"}},
		{"hex in text STL", []byte(strings.Replace(string(asciiSTL(solid.Box(1, 1, 1))), "vertex 1", "vertex 0x1p0", 1)), ErrBroken, []string{"0x1p0"}},
		{"components of nothing", tmfFile(t, model(hollow(60), `<item objectid="60"/>`)), ErrTooLarge, []string{"more than"}},
		{"objects without end", tmfFile(t, model(many(`<object id="%d"/>`, 150_000), "")), ErrTooLarge, []string{"more than 100000 objects"}},
		{"AMF objects without end", text("<amf>" + many(`<object id="%d"/>`, 150_000)), ErrTooLarge, []string{"more than 100000 objects"}},
		{"constellations of nothing", text("<amf>" + constellations(60)), ErrTooLarge, []string{"more than"}},
		{"component's path outside", tmfFile(t, model(`<object id="2"><components><component objectid="1" p:path="/3D/../../x.model"/></components></object>`, `<item objectid="2"/>`)), ErrBroken, []string{"outside"}},
		{"missing part", packed(t, "_rels/.rels", rels, "other", "x"), ErrBroken, []string{"no part", "3D/3dmodel.model"}},
		{"entities that grow", tmfFile(t, `<!DOCTYPE lolz [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><model/>`), ErrBroken, []string{"document type", "line 1"}},
		{"external entity", text(`<?xml version="1.0"?><!DOCTYPE amf [<!ENTITY x SYSTEM "file:///etc/passwd">]><amf>&x;</amf>`), ErrBroken, []string{"document type"}},
		{"unknown entity", tmfFile(t, model(`<object id="1" name="&x;">`+tetra(1)+`</object>`, `<item objectid="1"/>`)), ErrBroken, []string{"&x;"}},
		{"nested too deep", text(`<amf>` + lines("<a>", 100)), ErrBroken, []string{"nested"}},
		{"endless tag", text(`<amf x="` + lines("a", 400<<10)), ErrBroken, []string{"longer"}},
		{"index out of range", tmfFile(t, model(`<object id="1"><mesh><vertices><vertex x="0" y="0" z="0"/></vertices><triangles><triangle v1="0" v2="1" v3="2"/></triangles></mesh></object>`, "")), ErrBroken, []string{"vertex 1", "there are 1"}},
		{"negative index", tmfFile(t, model(`<object id="1"><mesh><vertices><vertex x="0" y="0" z="0"/></vertices><triangles><triangle v1="-1" v2="0" v3="0"/></triangles></mesh></object>`, "")), ErrBroken, []string{`"-1"`}},
		{"not finite", tmfFile(t, model(`<object id="1"><mesh><vertices>`+"\n\n"+`<vertex x="NaN" y="0" z="0"/></vertices></mesh></object>`, "")), ErrBroken, []string{"NaN", "line 3"}},
		{"absurd transform", tmfFile(t, model(obj, `<item objectid="1" transform="1e300 0 0 0 1 0 0 0 1 0 0 0"/>`)), ErrBroken, []string{"transform"}},
		{"placed beyond all", tmfFile(t, model(obj+`<object id="2"><components><component objectid="1" transform="9e6 0 0 0 1 0 0 0 1 0 0 0"/></components></object>`, `<item objectid="2" transform="9e6 0 0 0 1 0 0 0 1 0 0 0"/>`)), ErrBroken, []string{"beyond"}},
		{"places nothing", tmfFile(t, model(obj, "")), ErrBroken, []string{"no object"}},
		{"wrong end tag", tmfFile(t, `<model><resources></model>`), ErrBroken, []string{"</model>"}},
		{"cut off", tmfFile(t, model(obj, "")[:300]), ErrBroken, []string{"ends"}},
		{"lattice", tmfFile(t, `<model requiredextensions="b" xmlns:b="http://schemas.microsoft.com/3dmanufacturing/beamlattice/2017/02"><resources/></model>`), ErrUnsupported, []string{"triangles"}},
		{"unknown unit", tmfFile(t, `<model unit="cubit"/>`), ErrBroken, []string{"cubit"}},
		{"a ZIP of something", packed(t, "letter.txt", "dear"), ErrUnsupported, []string{"neither 3MF nor AMF"}},
		{"an XML of something", text(`<svg></svg>`), ErrUnsupported, []string{"XML"}},
		{"AMF vertex out of range", text(`<amf><object id="1"><mesh><vertices>` + amfVertices(1) + `</vertices><volume><triangle><v1>0</v1><v2>1</v2><v3>4</v3></triangle></volume></mesh></object></amf>`), ErrBroken, []string{"vertex 4"}},
		{"AMF of a part and one that is not there", text(`<amf><object id="1"><mesh><vertices>` + amfVertices(1) + `</vertices><volume>` + amfTriangles + `</volume></mesh></object><constellation id="2"><instance objectid="1"/><instance objectid="9"/></constellation></amf>`), ErrBroken, []string{"9"}},
		{"AMF of a part and a circle", text(`<amf><object id="1"><mesh><vertices>` + amfVertices(1) + `</vertices><volume>` + amfTriangles + `</volume></mesh></object><constellation id="2"><instance objectid="1"/><instance objectid="2"/></constellation></amf>`), ErrBroken, []string{"circle"}},
		{"AMF in a circle", text(`<amf><object id="1"/><constellation id="2"><instance objectid="3"/></constellation><constellation id="3"><instance objectid="2"/></constellation></amf>`), ErrBroken, []string{"circle"}},
		{"OBJ index too large", text("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4\n"), ErrBroken, []string{`"4"`, "there are 3", "line 4"}},
		{"OBJ of faces only", text("f 1 2 3\n"), ErrBroken, []string{`"1"`, "there are 0", "line 1"}},
		{"OBJ index zero", text("v 0 0 0\nf 0 1 1\n"), ErrBroken, []string{`"0"`}},
		{"OBJ index back too far", text("v 0 0 0\nf -1 -2 -1\n"), ErrBroken, []string{`"-2"`}},
		{"OBJ not finite", text("v 0 0 inf\nf 1 1 1\n"), ErrBroken, []string{"line 1"}},
		{"OBJ without faces", text("v 0 0 0\n"), ErrBroken, []string{"no faces"}},
		{"OBJ face of two", text("v 0 0 0\nv 1 0 0\nf 1 2\n"), ErrBroken, []string{"2 corners"}},
		{"OBJ of endless lines", text("v 0 0 0\nf " + lines("1", 5<<20)), ErrBroken, []string{"longer"}},
		{"OBJ face of too many", text("v 0 0 0\nf " + lines("1 ", 100_001)), ErrBroken, []string{"more than 100000 corners"}},
		{"G-code", text("; sliced\nG28\nG1 X1\n"), ErrUnsupported, []string{"G-code"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			_, err := readAll(c.file, Limits{})
			runtime.ReadMemStats(&after)
			require.ErrorIs(t, err, c.kind)
			for _, w := range c.says {
				assert.ErrorContains(t, err, w)
			}
			assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(64<<20), "bounded memory")
			var e *Error
			require.ErrorAs(t, err, &e)
			assert.NotEmpty(t, e.Do.Code)
		})
	}
}

func many(format string, n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, format, i+1)
	}
	return b.String()
}

// hollow are components of components that come to nothing, each twice the one
// before.
func hollow(n int) string {
	s := `<object id="1"><components/></object>`
	for i := 2; i <= n; i++ {
		s += fmt.Sprintf(`<object id="%d"><components><component objectid="%[2]d"/><component objectid="%[2]d"/></components></object>`, i, i-1)
	}
	return s
}

func constellations(n int) string {
	s := `<object id="o"><mesh/></object><constellation id="1"><instance objectid="o"/></constellation>`
	for i := 2; i <= n; i++ {
		s += fmt.Sprintf(`<constellation id="%d"><instance objectid="%[2]d"/><instance objectid="%[2]d"/></constellation>`, i, i-1)
	}
	return s + "</amf>"
}

// inEveryFormat is a mesh as each format has it.
func inEveryFormat(t *testing.T, m *mesh.Mesh) map[string][]byte {
	var tmf, amf bytes.Buffer
	require.NoError(t, Write3MF(&tmf, &File{Models: []Model{{Mesh: m}}}))
	amf.WriteString(`<amf><object id="1"><mesh><vertices>`)
	for _, v := range m.Vertices {
		fmt.Fprintf(&amf, `<vertex><coordinates><x>%v</x><y>%v</y><z>%v</z></coordinates></vertex>`, v.X, v.Y, v.Z)
	}
	amf.WriteString(`</vertices><volume>`)
	for _, v := range m.Triangles {
		fmt.Fprintf(&amf, `<triangle><v1>%d</v1><v2>%d</v2><v3>%d</v3></triangle>`, v[0], v[1], v[2])
	}
	amf.WriteString(`</volume></mesh></object></amf>`)
	return map[string][]byte{"obj": objFile(m), "3mf": tmf.Bytes(), "stl": binarySTL(t, m), "text": asciiSTL(m), "amf": amf.Bytes()}
}

// A file that is longer than what is read at a time has all its triangles; it says how far it is, and ends when it is
// told to, in every format.
func TestLongFiles(t *testing.T) {
	m := solid.Sphere(5, 220)
	for name, b := range inEveryFormat(t, m) {
		told, last := 0, 0.0
		f, err := Read(context.Background(), bytes.NewReader(b), int64(len(b)), Limits{}, func(share float64) {
			assert.True(t, share >= last && share <= 1, "%s: %v after %v", name, share, last)
			told, last = told+1, share
		})
		require.NoError(t, err, name)
		assert.Len(t, f.Joined().Triangles, len(m.Triangles), name)
		assert.InEpsilon(t, m.Measure().Volume, f.Joined().Measure().Volume, 1e-4, name)
		assert.Greater(t, told, 2, "%s: it says how far it is", name)
		assert.Greater(t, last, 0.6, name)
		ctx, cancel := context.WithCancel(context.Background())
		_, err = Read(ctx, bytes.NewReader(b), int64(len(b)), Limits{}, func(float64) { cancel() })
		assert.ErrorIs(t, err, context.Canceled, name)
	}
}

// Limits hold while reading, in every format, and the name never counts.
func TestLimitsInEveryFormat(t *testing.T) {
	sphere := solid.Sphere(5, 40)
	var tmf bytes.Buffer
	require.NoError(t, Write3MF(&tmf, &File{Models: []Model{{Mesh: sphere}}}))
	for name, b := range inEveryFormat(t, sphere) {
		n := int64(len(sphere.Triangles))
		_, err := readAll(b, Limits{Triangles: n, Vertices: 3 * n})
		require.NoError(t, err, name)
		_, err = readAll(b, Limits{Triangles: n - 1, Vertices: 3 * n})
		assert.ErrorIs(t, err, ErrTooLarge, name)
		_, err = readAll(b, Limits{Bytes: 900})
		assert.ErrorIs(t, err, ErrTooLarge, name)
		_, err = readAll(b, Limits{Coordinate: 5})
		require.NoError(t, err, name)
		_, err = readAll(b, Limits{Coordinate: 4.99})
		assert.Regexp(t, "has the coordinate .*, beyond ±4.99|holds .*, which is no number that can be used", fmt.Sprint(err), "%s: said where it stands in the file", name)
	}
	for name, b := range map[string][]byte{
		"obj": []byte(many("v %d 0 0\n", 3000) + "f 1 2 3\n"),
		"3mf": tmfFile(t, model(`<object id="1"><mesh><vertices>`+many(`<vertex x="%d" y="0" z="0"/>`, 3000)+`</vertices></mesh></object>`, "")),
		"amf": []byte(`<amf><object id="1"><mesh><vertices>` + strings.Repeat(amfVertices(1), 750) + `</vertices></mesh></object></amf>`),
		// two objects together
		"3mf, in parts": tmfFile(t, model(`<object id="1"><mesh><vertices>`+many(`<vertex x="%d" y="0" z="0"/>`, 1500)+`</vertices></mesh></object><object id="2"><mesh><vertices>`+many(`<vertex x="%d" y="0" z="0"/>`, 1500)+`</vertices></mesh></object>`, "")),
	} {
		_, err := readAll(b, Limits{Vertices: 3000})
		assert.NotErrorIs(t, err, ErrTooLarge, name)
		_, err = readAll(b, Limits{Vertices: 2999})
		require.ErrorIs(t, err, ErrTooLarge, name)
		assert.ErrorContains(t, err, "more than 2999 vertices", name)
		_, err = readAll(b, Limits{Triangles: 2000})
		assert.ErrorIs(t, err, ErrTooLarge, "%s: a limit of triangles is one of vertices too", name)
	}
	_, err := readAll(tmf.Bytes(), Limits{Unpacked: 5000})
	assert.ErrorIs(t, err, ErrTooLarge)
	// Without random access the archive is kept in memory, within the limit.
	f, err := Read(context.Background(), bytes.NewBuffer(tmf.Bytes()), -1, Limits{}, nil)
	require.NoError(t, err)
	assert.Len(t, f.Models[0].Mesh.Triangles, len(sphere.Triangles))
	_, err = Read(context.Background(), bytes.NewBuffer(tmf.Bytes()), -1, Limits{Bytes: 900}, nil)
	assert.ErrorIs(t, err, ErrTooLarge)
}

// Each reader: no panic, bounded time, and what is read is valid. The corpus
// under testdata has what fuzzing found.
func fuzz(f *testing.F, seeds ...[]byte) {
	for _, s := range seeds {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		if len(b) > 1<<16 {
			return
		}
		got, err := readAll(b, Limits{Triangles: 5000, Unpacked: 1 << 20})
		if err != nil {
			return
		}
		for _, m := range got.Models {
			require.NoError(t, m.Mesh.Validate())
			require.NotEmpty(t, m.Mesh.Triangles)
		}
		var out bytes.Buffer
		require.NoError(t, Write3MF(&out, got))
		back, err := readAll(out.Bytes(), Limits{})
		require.NoError(t, err)
		require.Len(t, back.Models, len(got.Models))
	})
}

func FuzzOBJ(f *testing.F) {
	fuzz(f, objFile(solid.Box(1, 2, 3)), []byte("v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\no x\ng y\nf -1 -2 -3"))
}

func FuzzThreeMF(f *testing.F) {
	f.Add([]byte(model(`<object id="1">`+tetra(1)+`</object><object id="2"><components><component objectid="1"/></components></object>`, `<item objectid="2" transform="0 1 0 -1 0 0 0 0 1 5 6 7"/>`)))
	f.Fuzz(func(t *testing.T, b []byte) { // the model part: mutating a ZIP would only break its sums
		if len(b) > 1<<16 {
			return
		}
		got, err := readAll(tmfFile(t, string(b)), Limits{Triangles: 5000})
		if err == nil {
			for _, m := range got.Models {
				require.NoError(t, m.Mesh.Validate())
			}
		}
	})
}

func FuzzArchive(f *testing.F) {
	fuzz(f, packed(f, "a.amf", "<amf></amf>"), packed(f, "_rels/.rels", rels, "3D/3dmodel.model", model(`<object id="1">`+tetra(1)+`</object>`, `<item objectid="1"/>`)))
}

func FuzzAMF(f *testing.F) {
	fuzz(f, []byte(`<amf unit="inch"><object id="1"><mesh><vertices>`+amfVertices(1)+`</vertices><volume>`+amfTriangles+`</volume></mesh></object><constellation id="2"><instance objectid="1"><rx>30</rx></instance></constellation></amf>`))
}
