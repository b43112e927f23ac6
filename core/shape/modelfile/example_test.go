package modelfile_test

import (
	"bytes"
	"context"
	"fmt"

	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
)

// A part is written as 3MF, which keeps its unit, and read back.
func Example() {
	part := modelfile.Model{Name: "peg", Mesh: solid.Box(1, 1, 2)}
	var file bytes.Buffer
	if err := modelfile.Write3MF(&file, &modelfile.File{Unit: units.Inch, Models: []modelfile.Model{part}}); err != nil {
		fmt.Println(err)
	}
	got, err := modelfile.Read(context.Background(), bytes.NewReader(file.Bytes()), int64(file.Len()), modelfile.Limits{}, nil)
	if err != nil {
		fmt.Println(err) // says what is wrong, where, and what to do
		return
	}
	m := got.Models[0]
	fmt.Printf("%s: %s, %d triangles, %.1f mm high\n", got.Format, m.Name, len(m.Mesh.Triangles), m.Mesh.Bounds().Size().Z*got.Unit.MM())
	// Output: 3mf: peg, 12 triangles, 50.8 mm high
}
