package bench

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"testing"

	"jobshelf/core/print/estimate"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/plate"
	"jobshelf/core/print/post"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/section"
	"jobshelf/core/shape/shapetest"
	"jobshelf/core/shape/solid"
	"jobshelf/internal/corpus"
	"jobshelf/internal/demo"
)

var ctx = context.Background()

var sizes = []int{100_000, 1_000_000, 4_000_000}

// pebble is a lumpy ball of about n triangles, 77 mm high: smooth, closed, and
// like nothing that a special case would know.
func pebble(n int) *mesh.Mesh {
	m := solid.Sphere(1, int(math.Sqrt(float64(n))))
	for i, v := range m.Vertices {
		r := 38 + 4*math.Sin(3*v.X+1)*math.Sin(4*v.Y)*math.Cos(5*v.Z) + 2*math.Sin(11*v.Y+2*v.X)
		m.Vertices[i] = v.Scale(r)
	}
	return m
}

func stl(b *testing.B, n int) []byte {
	b.Helper()
	var out bytes.Buffer
	if err := modelfile.WriteSTL(&out, pebble(n), "pebble"); err != nil {
		b.Fatal(err)
	}
	return out.Bytes()
}

func perTriangle(b *testing.B, n int) {
	ns := float64(b.Elapsed().Nanoseconds()) / float64(b.N) / float64(n)
	b.ReportMetric(ns, "ns/tri")
	b.ReportMetric(1e9/ns, "tri/s")
}

func each(b *testing.B, f func(b *testing.B, file []byte, n int)) {
	for _, n := range sizes {
		if testing.Short() && n > 1_000_000 {
			continue
		}
		file := stl(b, n)
		b.Run(fmt.Sprintf("%dk", n/1000), func(b *testing.B) {
			b.ReportAllocs()
			f(b, file, (len(file)-84)/50)
		})
	}
}

func BenchmarkPlainRead(b *testing.B) {
	each(b, func(b *testing.B, file []byte, n int) {
		name := filepath.Join(b.TempDir(), "x.stl")
		if err := os.WriteFile(name, file, 0o600); err != nil {
			b.Fatal(err)
		}
		for b.Loop() {
			if _, err := os.ReadFile(name); err != nil {
				b.Fatal(err)
			}
		}
		perTriangle(b, n)
	})
}

func read(b *testing.B, file []byte) *mesh.Mesh {
	b.Helper()
	m, err := modelfile.Read(ctx, bytes.NewReader(file), int64(len(file)), modelfile.Limits{}, nil)
	if err != nil {
		b.Fatal(err)
	}
	return m.Models[0].Mesh
}

func BenchmarkReadAndIndex(b *testing.B) {
	each(b, func(b *testing.B, file []byte, n int) {
		for b.Loop() {
			read(b, file)
		}
		perTriangle(b, n)
		m := read(b, file)
		held := 24*cap(m.Vertices) + 12*cap(m.Triangles)
		b.ReportMetric(float64(held)/float64(n), "B-held/tri")
	})
}

func BenchmarkTopology(b *testing.B) {
	each(b, func(b *testing.B, file []byte, n int) {
		m := read(b, file)
		for b.Loop() {
			if !mesh.TopologyOf(m).Closed() {
				b.Fatal("not closed")
			}
		}
		perTriangle(b, n)
	})
}

// All checks together, the search for crossings included.
func BenchmarkInspect(b *testing.B) {
	each(b, func(b *testing.B, file []byte, n int) {
		m := read(b, file)
		for b.Loop() {
			r, err := mesh.Inspect(ctx, m)
			if err != nil || !r.Sound() {
				b.Fatal(err, "not sound")
			}
		}
		perTriangle(b, n)
	})
}

func BenchmarkCrossings(b *testing.B) {
	each(b, func(b *testing.B, file []byte, n int) {
		m := read(b, file)
		for b.Loop() {
			if c, err := mesh.NewTree(m).Crossings(ctx); err != nil || c.Count > 0 {
				b.Fatal(err, c.Count)
			}
		}
		perTriangle(b, n)
	})
}

func BenchmarkSections384(b *testing.B) {
	each(b, func(b *testing.B, file []byte, n int) {
		m := read(b, file)
		topo := mesh.TopologyOf(m)
		box := m.Bounds()
		zs := make([]float64, 384)
		for i := range zs {
			zs[i] = box.Min.Z + (float64(i)+0.5)*(box.Max.Z-box.Min.Z)/384
		}
		for b.Loop() {
			if _, err := section.Planes(ctx, m, topo, zs, 1); err != nil {
				b.Fatal(err)
			}
		}
		perTriangle(b, n)
	})
}

func BenchmarkStack(b *testing.B) {
	each(b, func(b *testing.B, file []byte, n int) {
		m := read(b, file)
		topo := mesh.TopologyOf(m)
		for b.Loop() {
			if _, err := section.NewStack(ctx, m, topo, section.Layering{FirstMM: 0.24, LayerMM: 0.2}, 1, nil); err != nil {
				b.Fatal(err)
			}
		}
		perTriangle(b, n)
	})
}

// The quick estimate of one machine, after the sections are there.
func BenchmarkQuickEstimate(b *testing.B) {
	each(b, func(b *testing.B, file []byte, n int) {
		m := read(b, file)
		c := demo.Choices(recipe.Everyday)[0]
		s, err := section.NewStack(ctx, m, mesh.TopologyOf(m), toolpath.LayeringOf(c.Recipe, c.Machine), 1, nil)
		if err != nil {
			b.Fatal(err)
		}
		for b.Loop() {
			estimate.QuickOf(s, c.Recipe, c.Machine, c.Loaded)
		}
	})
}

// rugged is a scan of a figure, 228 mm from corner to corner, with the noise of a
// hand-held scanner over it: 59 000 triangles, by far the most of it in need of support.
func rugged(b *testing.B) *mesh.Mesh {
	b.Helper()
	m, err := shapetest.Rabbit()
	if err != nil {
		b.Fatal(err)
	}
	m = m.Transformed(228/m.Bounds().Size().Len(), mesh.Vec3{})
	m = finer(m, 16*len(m.Triangles))
	noise := rand.New(rand.NewPCG(1, 2))
	for i, v := range m.Vertices {
		const mm = 0.08
		m.Vertices[i] = v.Add(mesh.Vec3{X: mm * noise.NormFloat64(), Y: mm * noise.NormFloat64(), Z: mm * noise.NormFloat64()})
	}
	return m
}

// A rugged scan with support everywhere, on the machine with the largest room.
func BenchmarkSliceRugged(b *testing.B) {
	c := demo.Choices(recipe.Everyday)[1]
	m := plate.Stand(rugged(b), 1, 0, c.Machine.Volume)
	topo := mesh.TopologyOf(m)
	b.ReportAllocs()
	for b.Loop() {
		p, err := toolpath.Slice(ctx, m, topo, 1, *c.Recipe, toolpath.Options{Machine: c.Machine}, nil)
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(len(p.Layers)), "layers")
	}
}

// A whole slice to G-code: 2 shells, 15 % infill, support, 383 layers.
func BenchmarkSliceToGCode(b *testing.B) {
	for _, n := range sizes[:2] {
		b.Run(fmt.Sprintf("%dk", n/1000), func(b *testing.B) {
			c := demo.Choices(recipe.Everyday)[0]
			m := plate.Stand(pebble(n), 1, 0, c.Machine.Volume)
			topo := mesh.TopologyOf(m)
			debug.FreeOSMemory() // what benchmarks before this one held does not count
			b.ReportAllocs()
			for b.Loop() {
				p, err := toolpath.Slice(ctx, m, topo, 1, *c.Recipe, toolpath.Options{}, nil)
				if err != nil {
					b.Fatal(err)
				}
				full := estimate.FullOf(p, *c.Recipe, c.Machine, c.Loaded)
				var out bytes.Buffer
				if err := post.Write(&out, p, post.Job{Machine: c.Machine, Recipe: *c.Recipe, Loaded: c.Loaded, Cooling: full.Cooling}); err != nil {
					b.Fatal(err)
				}
				b.ReportMetric(float64(full.Layers), "layers")
				b.ReportMetric(float64(out.Len())/1e6, "MB-gcode")
			}
			var mem runtime.MemStats
			runtime.ReadMemStats(&mem)
			b.ReportMetric(float64(mem.HeapSys-mem.HeapReleased)/1e6, "heap-MB")
		})
	}
}

func BenchmarkGCode(b *testing.B) {
	c := demo.Choices(recipe.Everyday)[0]
	m := plate.Stand(solid.Bollard(), 1, 0, c.Machine.Volume)
	p, err := toolpath.Slice(ctx, m, mesh.TopologyOf(m), 1, *c.Recipe, toolpath.Options{}, nil)
	if err != nil {
		b.Fatal(err)
	}
	var out bytes.Buffer
	b.Run("write", func(b *testing.B) {
		for b.Loop() {
			out.Reset()
			if err := post.Write(&out, p, post.Job{Machine: c.Machine, Recipe: *c.Recipe, Loaded: c.Loaded}); err != nil {
				b.Fatal(err)
			}
		}
		b.SetBytes(int64(out.Len()))
	})
	b.Run("read", func(b *testing.B) {
		for b.Loop() {
			if _, err := gcode.Read(ctx, bytes.NewReader(out.Bytes()), 0, nil); err != nil {
				b.Fatal(err)
			}
		}
		b.SetBytes(int64(out.Len()))
	})
}

// The same work by manifold-3d under node: parse and merge, build, 384 slices.
func BenchmarkPeer(b *testing.B) {
	for _, n := range sizes[:2] {
		b.Run(fmt.Sprintf("%dk", n/1000), func(b *testing.B) {
			file := stl(b, n)
			name := filepath.Join(b.TempDir(), "x.stl")
			if err := os.WriteFile(name, file, 0o600); err != nil {
				b.Fatal(err)
			}
			tri := float64((len(file) - 84) / 50)
			var sums [3]float64
			for b.Loop() {
				cmd := exec.Command("node", "peer.mjs", name)
				cmd.Stderr = os.Stderr
				out, err := cmd.Output()
				if err != nil {
					b.Fatal(err)
				}
				var ms struct{ Load, Build, Slices float64 }
				if err := json.Unmarshal(out, &ms); err != nil {
					b.Fatal(err)
				}
				sums[0], sums[1], sums[2] = sums[0]+ms.Load, sums[1]+ms.Build, sums[2]+ms.Slices
			}
			for i, unit := range []string{"load-ns/tri", "build-ns/tri", "slices-ns/tri"} {
				b.ReportMetric(sums[i]*1e6/float64(b.N)/tri, unit)
			}
		})
	}
	runtime.GC()
}

// How far the quick estimate is off the toolpath's figures, over the parts that it was
// fitted on, those held out, and those of packages. Slicing them is not timed.
func BenchmarkQuickAgainstToolpath(b *testing.B) {
	of, err := corpus.OfPackages(ctx)
	if err != nil {
		b.Skip(err)
	}
	oneOf := 5
	if testing.Short() {
		oneOf = 23
	}
	cases, err := corpus.Cases(ctx, slices.Concat(corpus.Own(), of), oneOf, nil)
	if err != nil {
		b.Fatal(err)
	}
	for _, g := range corpus.Groups {
		b.Run(strings.ReplaceAll(string(g), " ", "-"), func(b *testing.B) {
			for b.Loop() {
				seconds, grams := corpus.Offs(cases, g, &estimate.Fitted)
				t, m := corpus.SpreadOf(seconds), corpus.SpreadOf(grams)
				b.ReportMetric(100*t.Median, "time-median-%")
				b.ReportMetric(100*t.Of95, "time-95-%")
				b.ReportMetric(100*m.Median, "mass-median-%")
				b.ReportMetric(100*m.Of95, "mass-95-%")
			}
		})
	}
}
