package bench

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"sync"
	"sync/atomic"
	"testing"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/section"
)

// layers are the outlines of a pebble of a million triangles at 0.2 mm: about a
// million edges.
var layers = sync.OnceValue(func() [][]polygon.Path {
	m := pebble(1_000_000)
	box := m.Bounds()
	zs := make([]float64, 384)
	for i := range zs {
		zs[i] = box.Min.Z + (float64(i)+0.5)*(box.Max.Z-box.Min.Z)/384
	}
	cut, err := section.Planes(ctx, m, mesh.TopologyOf(m), zs, 1)
	if err != nil {
		panic(err)
	}
	out := make([][]polygon.Path, len(cut))
	for i := range cut {
		out[i] = cut[i].Loops
	}
	return out
})

func edgesOf(l [][]polygon.Path) int {
	n := 0
	for _, paths := range l {
		for _, p := range paths {
			n += len(p)
		}
	}
	return n
}

// overLayers does the work on every layer, with a scratch for each core.
func overLayers(b *testing.B, cores int, work func(s *polygon.Scratch, l [][]polygon.Path, i int)) {
	l := layers()
	scratch := make([]polygon.Scratch, cores)
	b.ReportAllocs()
	for b.Loop() {
		var next atomic.Int64
		var wg sync.WaitGroup
		for c := range cores {
			wg.Add(1)
			go func() {
				defer wg.Done()
				for {
					i := int(next.Add(1)) - 1
					if i >= len(l) {
						return
					}
					work(&scratch[c], l, i)
				}
			}()
		}
		wg.Wait()
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(edgesOf(l)), "ns/edge")
}

var polygonWork = []struct {
	name string
	work func(s *polygon.Scratch, l [][]polygon.Path, i int)
}{
	{"union", func(s *polygon.Scratch, l [][]polygon.Path, i int) { s.Union(polygon.NonZero, l[i]) }},
	{"difference", func(s *polygon.Scratch, l [][]polygon.Path, i int) {
		if i > 0 {
			s.Boolean(polygon.Difference, polygon.NonZero, l[i-1], l[i])
		}
	}},
	{"mitre", func(s *polygon.Scratch, l [][]polygon.Path, i int) { threeOffsets(s, l[i], polygon.Mitre) }},
	{"round", func(s *polygon.Scratch, l [][]polygon.Path, i int) { threeOffsets(s, l[i], polygon.Round) }},
}

func threeOffsets(s *polygon.Scratch, p []polygon.Path, j polygon.Join) {
	for range 3 {
		p = s.Offset(p, -450, polygon.Offsets{Join: j, MitreLimit: 2, ArcUM: 2})
	}
}

func BenchmarkPolygons(b *testing.B) {
	for _, w := range polygonWork {
		b.Run(w.name, func(b *testing.B) { overLayers(b, runtime.GOMAXPROCS(0), w.work) })
		b.Run(w.name+"-one-core", func(b *testing.B) { overLayers(b, 1, w.work) })
	}
}

// The same layers by clipper2-wasm under node, one core.
func BenchmarkPolygonPeer(b *testing.B) {
	l := layers()
	flat := make([][][]int64, len(l))
	for i, paths := range l {
		for _, p := range paths {
			var f []int64
			for _, q := range p {
				f = append(f, q.X, q.Y)
			}
			flat[i] = append(flat[i], f)
		}
	}
	name := filepath.Join(b.TempDir(), "layers.json")
	raw, err := json.Marshal(flat)
	if err == nil {
		err = os.WriteFile(name, raw, 0o600)
	}
	if err != nil {
		b.Fatal(err)
	}
	sum := map[string]float64{}
	for b.Loop() {
		cmd := exec.Command("node", "clipper.mjs", name)
		cmd.Stderr = os.Stderr
		out, err := cmd.Output()
		if err != nil {
			b.Fatal(err)
		}
		var ms map[string]float64
		if err := json.Unmarshal(out, &ms); err != nil {
			b.Fatal(err)
		}
		for k, v := range ms {
			sum[k] += v
		}
	}
	for k, v := range sum {
		b.ReportMetric(v*1e6/float64(b.N)/float64(edgesOf(l)), k+"-ns/edge")
	}
}
