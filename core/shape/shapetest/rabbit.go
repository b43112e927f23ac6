// Package shapetest has shapes that tests of several packages use. It reads a file, as no
// other package of the core may, and only tests import it.
package shapetest

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"

	"jobshelf/core/shape/mesh"
)

// Rabbit is an open scanned mesh, of the npm package "bunny" that comes with the packages of
// the interface: 1839 vertices, 3674 triangles, no unit.
func Rabbit() (*mesh.Mesh, error) {
	_, here, _, _ := runtime.Caller(0)
	file := filepath.Join(filepath.Dir(here), "../../../web/node_modules/bunny/index.js")
	raw, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("run `make test` once: %w", err)
	}
	list := func(name string, into any) error {
		_, rest, ok := strings.Cut(string(raw), name+"=")
		if !ok {
			return fmt.Errorf("%s has no %s", file, name)
		}
		return json.NewDecoder(strings.NewReader(rest)).Decode(into)
	}
	var at [][3]float64
	m := &mesh.Mesh{}
	if err := list("exports.positions", &at); err != nil {
		return nil, err
	}
	for _, p := range at {
		m.Vertices = append(m.Vertices, mesh.Vec3{X: p[0], Y: p[1], Z: p[2]})
	}
	return m, list("exports.cells", &m.Triangles)
}
