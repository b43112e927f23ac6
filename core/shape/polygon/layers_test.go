package polygon_test

import (
	"bytes"
	"context"
	"encoding/json"
	"math"
	"os"
	"os/exec"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/section"
	"jobshelf/core/shape/shapetest"
	"jobshelf/core/shape/solid"
)

// On all layers of ten demo parts and a scan: union, difference and intersection
// with the layer below, offsets with each join from -2 to 2 mm, against
// clipper2-wasm; areas equal within two micrometres along the perimeter.
func TestLayersAgreeWithAPolygonLibrary(t *testing.T) {
	type peer struct {
		Op      string    `json:"op"`
		Rule    string    `json:"rule"`
		Subject [][]int64 `json:"subject"`
		Clip    [][]int64 `json:"clip"`
		Delta   float64   `json:"delta"`
		Join    string    `json:"join"`
		Mitre   float64   `json:"mitre"`
		Arc     float64   `json:"arc"`
	}
	flat := func(ps []polygon.Path) [][]int64 {
		out := make([][]int64, len(ps))
		for i, p := range ps {
			for _, q := range p {
				out[i] = append(out[i], q.X, q.Y)
			}
		}
		return out
	}
	measure := func(ps []polygon.Path) (area, length float64) {
		for _, p := range ps {
			area += p.Area() * 1e6
			length += p.Length() * 1e3
		}
		return area, length
	}
	rabbit, err := shapetest.Rabbit()
	require.NoError(t, err)
	meshes := map[string]*mesh.Mesh{"rabbit": rabbit.Transformed(80/rabbit.Bounds().Size().Len(), mesh.Vec3{})}
	for _, p := range solid.Parts() {
		switch p.Name {
		case "mooring-cleat", "sheave", "oarlock-bushing", "lamp-bracket", "net-needle", "bollard", "deck-vent-ring", "tiller-joint", "mast-finial", "bait-box":
			meshes[p.Name] = p.Mesh
		}
	}
	require.Len(t, meshes, 11)
	var s polygon.Scratch
	var cases []peer
	var got, tol []float64
	var names []string
	add := func(name string, c peer, res []polygon.Path, in ...[]polygon.Path) {
		a, l := measure(res)
		for _, p := range in {
			_, li := measure(p)
			l += li
		}
		cases, got, tol, names = append(cases, c), append(got, a), append(tol, 2*l+50), append(names, name)
	}
	joins := []string{"round", "mitre", "square"}
	deltas := []float64{-2000, -450, -200, 225, 1000, 2000}
	n := 0
	for name, m := range meshes {
		st := m.Bounds()
		var zs []float64
		for z := st.Min.Z + 0.1; z < st.Max.Z; z += 0.4 {
			zs = append(zs, z)
		}
		cut, err := section.Planes(context.Background(), m, mesh.TopologyOf(m), zs, 1)
		require.NoError(t, err)
		var below []polygon.Path
		for i := range cut {
			here := s.Union(polygon.NonZero, cut[i].Loops)
			add(name, peer{Op: "union", Rule: "nonzero", Subject: flat(cut[i].Loops)}, here)
			if len(below) > 0 {
				add(name, peer{Op: "difference", Rule: "nonzero", Subject: flat(here), Clip: flat(below)}, s.Boolean(polygon.Difference, polygon.NonZero, here, below), here, below)
				add(name, peer{Op: "intersection", Rule: "nonzero", Subject: flat(here), Clip: flat(below)}, s.Boolean(polygon.Intersection, polygon.NonZero, here, below), here)
			}
			d, j := deltas[n%len(deltas)], n/len(deltas)%3
			n++
			res := s.Offset(here, d, polygon.Offsets{Join: polygon.Join(j), MitreLimit: 2, ArcUM: 2, SimplifyUM: 0.01})
			add(name, peer{Op: "offset", Subject: flat(here), Delta: d, Join: joins[j], Mitre: 2, Arc: 2}, res, here)
			below = here
		}
	}
	in, err := json.Marshal(cases)
	require.NoError(t, err)
	cmd := exec.Command("node", "testdata/peer.mjs")
	cmd.Stdin, cmd.Stderr = bytes.NewReader(in), os.Stderr
	out, err := cmd.Output()
	require.NoError(t, err)
	var want []float64
	require.NoError(t, json.Unmarshal(out, &want))
	off := 0
	for i := range got {
		if math.Abs(got[i]-want[i]) > tol[i] {
			if off++; off < 10 {
				t.Logf("%s %s %s %.0f: %.0f, the library has %.0f, off by %.0f of %.0f", names[i], cases[i].Op, cases[i].Join, cases[i].Delta, got[i], want[i], got[i]-want[i], tol[i])
			}
		}
	}
	t.Logf("%d cases", len(got))
	assert.Zero(t, off, "of %d", len(got))
}
