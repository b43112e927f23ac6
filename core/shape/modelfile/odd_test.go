package modelfile

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// Files that are not quite as they should be and that every program reads: the
// same part comes out, and what was odd is said where it could matter.
func TestOddFilesAreReadAndItIsSaid(t *testing.T) {
	part := solid.Box(1, 2, 3)
	binary_ := binarySTL(t, part)
	text := string(asciiSTL(part))
	facets := text[strings.Index(text, "\n")+1 : strings.LastIndex(text, "endsolid")]
	obj := string(objFile(part))
	tmf := model(`<object id="1" name="box">`+tetra(3)+`</object>`, `<item objectid="1"/>`)
	utf16 := func(s string, order binary.AppendByteOrder) []byte {
		out := order.AppendUint16(nil, 0xfeff)
		for _, r := range s {
			out = order.AppendUint16(out, uint16(r))
		}
		return out
	}
	headed := func(name string) []byte {
		b := bytes.Clone(binary_)
		clear(b[:80])
		copy(b[:80], name)
		return b
	}
	for name, c := range map[string]struct {
		file   []byte
		name   string
		says   string // nothing odd if empty
		volume float64
	}{
		"bytes behind the last triangle":   {append(bytes.Clone(binary_), "made with care"...), "", "goes on behind the last", 6},
		"records behind the last triangle": {append(bytes.Clone(binary_), make([]byte, 500)...), "", "goes on behind the last", 6},
		"NUL within the header":            {headed("boat\x00\x01leftover"), "boat", "", 6},
		"header not UTF-8":                 {headed("Bj\xf6rn \x07 boat"), "Bjrn boat", "", 6},
		"header of 80 letters":             {headed(strings.Repeat("x", 80)), strings.Repeat("x", 80), "", 6},
		"header that begins as a ZIP does": {headed("PK\x03\x04"), "PK", "", 6},
		"no endsolid":                      {[]byte("solid boat\n" + facets), "boat", `without "endsolid"`, 6},
		"in one line":                      {[]byte(strings.Join(strings.Fields("solid boat of mine "+facets+" endsolid boat of mine"), " ")), "boat of mine", "", 6},
		"in one line, without a name":      {[]byte(strings.Join(strings.Fields("solid "+facets+" endsolid"), " ")), "", "", 6},
		"a facet in the name":              {[]byte("solid my facet of it\n" + facets + "endsolid\n"), "my facet of it", "", 6},
		"in capitals":                      {[]byte(strings.ToUpper(text)), strings.ToUpper(strings.TrimSpace(strings.TrimPrefix(strings.SplitN(text, "\n", 2)[0], "solid"))), "", 6},
		"old line ends":                    {[]byte(strings.ReplaceAll(text, "\n", "\r")), "", "", 6},
		"new line ends":                    {[]byte(strings.ReplaceAll(text, "\n", "\r\n")), "", "", 6},
		"ends of old systems":              {[]byte(text + "\x1a\x00\x00"), "", "", 6},
		"text behind the end":              {[]byte(text + "\nexported on a Friday\n"), "", `behind "endsolid"`, 6},
		"a name not UTF-8":                 {[]byte("solid Bj\xf6rn\n" + facets + "endsolid Bj\xf6rn\n"), "Bjrn", "", 6},
		"a very long name":                 {[]byte("solid " + strings.Repeat("long ", 4000) + "\n" + facets + "endsolid\n"), strings.TrimSpace(strings.Repeat("long ", 24))[:119] + "…", "", 6},
		"normals that are none":            {[]byte(strings.ReplaceAll(text, "facet normal 0", "facet normal -nan(ind)")), "", "", 6},
		"OBJ, comments behind faces":       {[]byte(strings.ReplaceAll(obj, "\nf ", " # of wood\nf ") + " # done"), "", "", 6},
		"OBJ, words of no meaning":         {[]byte("exporter 3.1\n" + obj + "\nanimate 7\n"), "", "2 of its lines begin with a word", 6},
		"OBJ, lines and points":            {[]byte(obj + "\nl 1 2\np 3\n"), "", "2 lines or points", 6},
		"OBJ, byte-order mark":             {[]byte("\xef\xbb\xbf" + obj), "", "", 6},
		"OBJ, a long preface":              {[]byte(strings.Repeat("# made at home\n", 3000) + obj), "", "", 6},
		"OBJ, continued lines":             {[]byte(strings.ReplaceAll(obj, "f ", "f \\\n")), "", "", 6},
		"OBJ, colours behind vertices":     {[]byte(coloured(obj)), "", "", 6},
		"3MF, byte-order mark":             {tmfFile(t, "\xef\xbb\xbf"+`<?xml version="1.0"?>`+tmf), "box", "", 4.5},
		"3MF, UTF-16":                      {tmfFile(t, string(utf16(`<?xml version="1.0" encoding="UTF-16"?>`+tmf, binary.LittleEndian))), "box", "", 4.5},
		"3MF, UTF-16 the other way":        {tmfFile(t, string(utf16(tmf, binary.BigEndian))), "box", "", 4.5},
		"3MF, evil parts beside":           {packed(t, "_rels/.rels", rels, "../../etc/cron.d/x", "boo", "3D/3dmodel.model", tmf, "a\\b", "x", "Thumbnails/\xff\xfe.png", "x"), "box", "2 parts whose names point outside", 4.5},
		"3MF, extensions that change none": {tmfFile(t, strings.Replace(tmf, `<model `, `<model requiredextensions="p m" xmlns:m="http://schemas.microsoft.com/3dmanufacturing/material/2015/02" `, 1)), "box", "", 4.5},
		"AMF, byte-order mark":             {[]byte("\xef\xbb\xbf<amf><object id=\"1\"><mesh><vertices>" + amfVertices(3) + "</vertices><volume>" + amfTriangles + "</volume></mesh></object></amf>"), "", "", 4.5},
	} {
		t.Run(name, func(t *testing.T) {
			if strings.HasPrefix(name, "3MF, extensions") {
				c.file = tmfFile(t, strings.Replace(strings.Replace(tmf, `xmlns:p="prod"`, `xmlns:p="http://schemas.microsoft.com/3dmanufacturing/production/2015/06"`, 1), `<model `, `<model requiredextensions="p m" xmlns:m="http://schemas.microsoft.com/3dmanufacturing/material/2015/02" `, 1))
			}
			f, err := readAll(c.file, Limits{})
			require.NoError(t, err)
			require.Len(t, f.Models, 1)
			m := f.Models[0]
			if c.name != "" || strings.Contains(name, "without a name") {
				assert.Equal(t, c.name, m.Name)
			}
			assert.True(t, utf8.ValidString(m.Name) && len([]rune(m.Name)) <= 120)
			assert.NotContains(t, m.Name, "\x00")
			assert.InEpsilon(t, c.volume, m.Mesh.Measure().Volume, 1e-9)
			assert.True(t, mesh.TopologyOf(m.Mesh).Closed())
			assert.Equal(t, c.says == "", len(f.Odd) == 0, "%q", f.Odd)
			assert.Contains(t, strings.Join(f.Odd, " "), c.says)
		})
	}
	// A text that was cut off inside a facet is still refused.
	_, err := readAll([]byte("solid\n"+facets[:len(facets)-20]), Limits{})
	assert.ErrorIs(t, err, ErrBroken)
}

func coloured(obj string) string {
	var out []string
	for _, l := range strings.Split(obj, "\n") {
		if strings.HasPrefix(l, "v ") {
			l += " 0.5 0.25 1"
		}
		out = append(out, l)
	}
	return strings.Join(out, "\n")
}

// A star of n points as one face of 2n corners, lying and closed below by a fan:
// the area is n·r·R·sin(π/n) (any handbook), every side has its two faces.
func TestFacesOfManyThousandCorners(t *testing.T) {
	for _, n := range []int{6, 500, 30_000} {
		var b strings.Builder
		const big, small = 100.0, 60.0
		for i := range 2 * n {
			r := big
			if i%2 == 1 {
				r = small
			}
			s, c := math.Sincos(math.Pi * float64(i) / float64(n))
			fmt.Fprintf(&b, "v %.9g %.9g 1\n", r*c, r*s)
		}
		b.WriteString("v 0 0 -20\nf")
		for i := range 2 * n {
			fmt.Fprintf(&b, " %d", i+1)
		}
		for i := range 2 * n {
			fmt.Fprintf(&b, "\nf %d %d %d", 2*n+1, (i+1)%(2*n)+1, i+1)
		}
		f, err := readAll([]byte(b.String()), Limits{})
		require.NoError(t, err)
		m := f.Models[0].Mesh
		topo := mesh.TopologyOf(m)
		assert.True(t, topo.Closed() && topo.Oriented(), "%d points", n)
		area := float64(n) * big * small * math.Sin(math.Pi/float64(n))
		assert.InEpsilon(t, area*21/3, m.Measure().Volume, 1e-6, "%d points", n)
	}
}
