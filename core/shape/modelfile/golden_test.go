package modelfile

import (
	"bytes"
	"context"
	"fmt"
	"hash/fnv"
	"maps"
	"slices"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

// What is read of files of every format, whole and damaged in many places, is as it was: all
// that the models hold, or the refusal, word by word. Other tests say what is right; this one
// says that nothing moved.
func TestReadingIsAsItWas(t *testing.T) {
	const amf = `<?xml version="1.0" encoding="utf-8"?><amf unit="inch"><metadata type="name">ship</metadata>
<material id="m"><color><r>0.1</r></color></material>
<object id="a"><metadata type="name">keel &amp; stem</metadata><mesh><vertices><vertex><coordinates><x>0</x><y>0</y><z>0</z></coordinates></vertex><vertex><coordinates><x>2e0</x><y>0</y><z>0</z></coordinates></vertex><vertex><coordinates><x>0</x><y>+2.5</y><z>0</z></coordinates></vertex><vertex><coordinates><x>0</x><y>0</y><z>3</z></coordinates></vertex></vertices><volume materialid="m">` + amfTriangles + `</volume></mesh></object>
<object id="b"><mesh><vertices>` + "<vertex><coordinates><x>1</x><y>0</y><z>0</z></coordinates></vertex><vertex><coordinates><x>5</x><y>0</y><z>0</z></coordinates></vertex><vertex><coordinates><x>1</x><y>4</y><z>0</z></coordinates></vertex><vertex><coordinates><x>1</x><y>0</y><z>4</z></coordinates></vertex>" + `</vertices><volume>` + amfTriangles + `</volume></mesh></object>
<constellation id="c"><instance objectid="a"><deltax>30</deltax><deltay>-1</deltay><rx>10</rx><ry>20</ry><rz>90</rz></instance><instance objectid="b"><deltaz>40</deltaz></instance></constellation>
<constellation id="d"><instance objectid="c"/><instance objectid="c"><deltax>100</deltax></instance></constellation></amf>`
	tmf := model(`<basematerials id="9"><base name="wood" displaycolor="#ffffff"/></basematerials><object id="1" name="wedge" partnumber="p-1">`+tetra(3)+`</object>
<object id="2" type="model"><components><component objectid="1"/><component objectid="1" transform="0 1 0 -1 0 0 0 0 1 20 0.5 -3"/></components></object><object id="3" type="support">`+tetra(1)+`</object>`,
		`<item objectid="2"/><item objectid="1" transform="1 0 0 0 1 0 0 0 1 50 0 0" partnumber="x"/><item objectid="3"/><item objectid="2" transform="-1 0 0 0 1 0 0 0 1 9 9 9"/>`)
	obj := string(objFile(solid.Box(1, 2, 3), solid.Cylinder(2, 3, 5))) + "usemtl wood\ng seat\nv 0 0 9 1 0 0\nv 4 0 9\nv 4 1 9\nv 1 1 9\nv 1 4 9\nv 0 4 9\nf -6 -5 -4 -3 -2 -1\nl 1 2\nvn 0 0 1\n"
	text := string(asciiSTL(solid.Box(1, 2, 3))) + "solid second one\n" + strings.SplitN(string(asciiSTL(solid.Cylinder(1, 1, 4))), "\n", 2)[1] +
		"solid endsolid\nsolid of facet and endsolid endsolid of\nsolid last " + strings.Join(strings.Fields(string(asciiSTL(solid.Box(1, 1, 1)))[15:]), " ")
	whole := func(s string) []byte { return []byte(s) }
	var out strings.Builder
	limits := map[string]int64{}
	for _, c := range []struct {
		name, text string
		file       func(string) []byte
	}{
		{"text STL", text, whole},
		{"binary STL", string(binarySTL(t, solid.Cylinder(2, 5, 6))), whole},
		{"OBJ", obj, whole},
		{"AMF", amf, whole},
		{"AMF in a ZIP", amf, func(s string) []byte { return packed(t, "it.amf", s) }},
		{"3MF", tmf, func(s string) []byte { return tmfFile(t, s) }},
		{"3MF, its relations", rels, func(s string) []byte { return packed(t, "_rels/.rels", s, "3D/3dmodel.model", tmf) }},
		{"3MF, its bytes", string(tmfFile(t, tmf)), whole},
	} {
		told := func(damage string, s string, to *strings.Builder) {
			f, err := readAll(c.file(s), Limits{})
			if err != nil {
				fmt.Fprintf(to, "%s: %v\n", damage, err)
				return
			}
			fmt.Fprintf(to, "%s: %s %q %q", damage, f.Format, f.Unit, f.Odd)
			for _, m := range f.Models {
				fmt.Fprintf(to, ", %q %d at %.6g, %.6g %v", m.Name, len(m.Mesh.Triangles), m.Places, m.Mesh.Measure(), m.Mesh.Triangles[0])
				topo := mesh.TopologyOf(m.Mesh)
				fmt.Fprintf(to, " %d %d", topo.Boundary, topo.Bodies)
			}
			all := f.Joined()
			fmt.Fprintf(to, "; together %d, %.6g", len(all.Triangles), all.Measure())
			fmt.Fprintln(to)
		}
		told(c.name, c.text, &out)
		last := 0.0
		long := strings.Replace(c.text, "<object", "<!--"+strings.Repeat(" ", 300<<10)+"--><object", 1)
		for _, end := range []string{"</volume>", "</triangles>"} { // more than are read between two words of progress
			if head, rest, ok := strings.Cut(long, end); ok {
				last := head[strings.LastIndex(head, "<triangle"+map[bool]string{true: ">", false: " "}[end == "</volume>"]):]
				long = head + strings.Repeat(last, 20000) + end + rest
			}
		}
		file := c.file(long)
		_, err := Read(context.Background(), bytes.NewReader(file), int64(len(file)), Limits{Bytes: 1 << 30}, func(f float64) {
			require.True(t, f >= last && f <= 1, "%s: progress goes up to 1, not from %v to %v", c.name, last, f)
			last = f
		})
		fmt.Fprintf(&out, "  told up to %.4g of it, %v\n", last, err)
		for what, l := range map[string]func(int64) Limits{
			"triangles":   func(n int64) Limits { return Limits{Triangles: n} },
			"vertices":    func(n int64) Limits { return Limits{Triangles: 999, Vertices: n} },
			"bytes":       func(n int64) Limits { return Limits{Bytes: n} },
			"unpacked":    func(n int64) Limits { return Limits{Unpacked: n} },
			"coordinates": func(n int64) Limits { return Limits{Coordinate: float64(n)} },
		} {
			tooLow := sort.Search(9998, func(i int) bool {
				_, err := readAll(c.file(c.text), l(int64(i)+1))
				return err == nil
			})
			limits[c.name+" "+what] = int64(tooLow) + 1 // the least that is taken
		}
		words := strings.FieldsFunc(c.text, func(r rune) bool { return strings.ContainsRune(" \n<>\"=/", r) })
		for _, kind := range []string{"cut off", "cut out", "there again", "another byte", "another word", "a word gone", "another case"} {
			var all strings.Builder
			for k := range 150 {
				at := k * (len(c.text) - 1) / 149
				b := []byte(c.text)
				switch kind {
				case "cut off":
					b = b[:at]
				case "cut out":
					b = append(b[:at:at], b[min(at+7, len(b)):]...)
				case "there again":
					b = append(b[:at:at], b[max(0, at-30):]...)
				case "another byte":
					b[at] ^= 1 << (k % 7)
				case "another word":
					b = bytes.Replace(b, []byte(words[k*31%len(words)]), []byte([]string{"nan", "-1", "7", "1e12", "object", "mesh", "0.5", "0.1234567890123456789012345", "<!ENTITY x>", "12345678901234567890123e-20"}[k%10]), 1+k%2)
				case "another case":
					word := words[k*13%len(words)]
					b = bytes.ReplaceAll(b, []byte(word), []byte(map[bool]string{true: strings.ToUpper(word), false: strings.ToUpper(word[:1]) + word[1:]}[k%2 > 0]))
				case "a word gone":
					b = bytes.Replace(b, []byte(words[k*17%len(words)]), nil, -1+2*(k%2))
				}
				told(fmt.Sprint(kind, " ", k), string(b), &all)
			}
			h := fnv.New32()
			h.Write([]byte(all.String()))
			fmt.Fprintf(&out, "  %s: all %08x; some of them\n", kind, h.Sum32())
			for i, l := range strings.Split(all.String(), "\n") {
				if i%15 == 7 {
					fmt.Fprintf(&out, "    %.240q\n", l)
				}
			}
		}
	}
	for k := range 8 { // what ends a comment lies over the border of what is read at a time
		f, err := readAll([]byte("<amf><!--"+strings.Repeat("-", 64<<10-16+k)+"-->"+amf[strings.Index(amf, "<object"):]), Limits{})
		fmt.Fprintf(&out, "%d: %v %v\n", k, f != nil, err)
	}
	for _, what := range slices.Sorted(maps.Keys(limits)) {
		fmt.Fprintf(&out, "%s: %d at the least\n", what, limits[what])
	}
	golden.Assert(t, out.String(), "reading.txt")
}
