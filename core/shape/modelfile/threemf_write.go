package modelfile

import (
	"archive/zip"
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"strconv"
	"strings"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/units"
)

var tmfUnitNames = map[units.Length]string{units.Millimetre: "millimeter", units.Micrometre: "micron", units.Centimetre: "centimeter",
	units.Metre: "meter", units.Inch: "inch", units.Foot: "foot"}

// Write3MF writes a 3MF package: one object a model, one build item for each
// place it stands in. Unit, names, coordinates and places come back as they
// were; a file without a unit is written in millimetres.
func Write3MF(w io.Writer, f *File) error {
	z := zip.NewWriter(w)
	for _, p := range []struct{ name, text string }{
		{"[Content_Types].xml", `<?xml version="1.0" encoding="UTF-8"?>
<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>
`},
		{"_rels/.rels", `<?xml version="1.0" encoding="UTF-8"?>
<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/3dmodel.model" Id="model" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>
`},
	} {
		out, err := z.Create(p.name)
		if err != nil {
			return fmt.Errorf("write 3mf: %w", err)
		}
		if _, err := io.WriteString(out, p.text); err != nil {
			return fmt.Errorf("write 3mf: %w", err)
		}
	}
	out, err := z.Create("3D/3dmodel.model")
	if err != nil {
		return fmt.Errorf("write 3mf: %w", err)
	}
	b := bufio.NewWriterSize(out, 1<<16)
	writeModel(b, f)
	if err := b.Flush(); err != nil { // a bufio.Writer keeps its first error
		return fmt.Errorf("write 3mf: %w", err)
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("write 3mf: %w", err)
	}
	return nil
}

func writeModel(b *bufio.Writer, f *File) {
	unit := tmfUnitNames[f.Unit]
	if unit == "" {
		unit = "millimeter"
	}
	var num []byte
	attr := func(before string, v float64) {
		num = strconv.AppendFloat(num[:0], v, 'g', -1, 64)
		_, _ = b.WriteString(before)
		_, _ = b.Write(num)
	}
	fmt.Fprintf(
		b,
		"<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<model unit=\"%s\" xml:lang=\"en\" xmlns=\"http://schemas.microsoft.com/3dmanufacturing/core/2015/02\">\n<resources>\n",
		unit,
	)
	for i, m := range f.Models {
		var name strings.Builder
		_ = xml.EscapeText(&name, []byte(m.Name)) // a strings.Builder never fails
		fmt.Fprintf(b, "<object id=\"%d\" type=\"model\" name=\"%s\"><mesh><vertices>\n", i+1, name.String())
		for _, v := range m.Mesh.Vertices {
			attr(`<vertex x="`, v.X)
			attr(`" y="`, v.Y)
			attr(`" z="`, v.Z)
			_, _ = b.WriteString("\"/>\n")
		}
		_, _ = b.WriteString("</vertices><triangles>\n")
		for _, t := range m.Mesh.Triangles {
			fmt.Fprintf(b, "<triangle v1=\"%d\" v2=\"%d\" v3=\"%d\"/>\n", t[0], t[1], t[2])
		}
		_, _ = b.WriteString("</triangles></mesh></object>\n")
	}
	_, _ = b.WriteString("</resources>\n<build>\n")
	for i, m := range f.Models {
		places := m.Places
		if len(places) == 0 {
			places = []mesh.Vec3{{}}
		}
		for _, p := range places {
			fmt.Fprintf(b, `<item objectid="%d"`, i+1)
			if p != (mesh.Vec3{}) {
				attr(` transform="1 0 0 0 1 0 0 0 1 `, p.X)
				attr(" ", p.Y)
				attr(" ", p.Z)
				_, _ = b.WriteString(`"`)
			}
			_, _ = b.WriteString("/>\n")
		}
	}
	_, _ = b.WriteString("</build>\n</model>\n")
}
