// Package corpus is the list of parts that the quick estimate is fitted on and held
// against: those of the demo, others made by code, and those of geometry packages
// from the npm registry, on which nothing is ever fitted.
package corpus

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"sync"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/solid"
)

// Part is one of the list, in mm.
type Part struct {
	Name  string
	Group Group
	Mesh  *mesh.Mesh
}

// Group says what a part is for.
type Group string

// The groups: only the first is fitted on.
const (
	Fitted  Group = "fitted"
	HeldOut Group = "held out"
	Package Group = "of packages"
)

// groupOf splits the list by a hash of the names: two of three are fitted on.
func groupOf(name string) Group {
	h := fnv.New32a()
	h.Write([]byte(name))
	if h.Sum32()%3 == 0 {
		return HeldOut
	}
	return Fitted
}

// Own are the demo's sound parts and others made by code.
var Own = sync.OnceValue(func() []Part { return OwnWhere(func(string, Group) bool { return true }) })

// OwnWhere is the same list; only those that are wanted are made, which takes a while.
func OwnWhere(wanted func(name string, g Group) bool) []Part {
	var out []Part
	for _, p := range solid.Parts() {
		if p.Fault == "" {
			out = append(out, Part{p.Name, groupOf(p.Name), p.Mesh})
		}
	}
	var wg sync.WaitGroup
	var todo []func()
	add := func(name string, k int, m func(seed uint64) *mesh.Mesh) {
		name = fmt.Sprintf("%s-%d", name, k)
		at := len(out)
		out = append(out, Part{Name: name, Group: groupOf(name)})
		if wanted(name, groupOf(name)) {
			todo = append(todo, func() { out[at].Mesh = m(uint64(k)) })
		}
	}
	for k := range 10 {
		add("turned", k, turned)
		add("pressed", k, pressed)
		add("joined", k, joined)
		add("branch", k, branch)
		add("loop", k, loop)
		add("lattice", k, lattice)
		add("armed", k, armed)
		add("cusped", k, cusped)
	}
	for _, f := range todo {
		wg.Go(f)
	}
	wg.Wait()
	return out
}

// turned is a turned body of a random profile, some with wide brims in the air.
func turned(seed uint64) *mesh.Mesh {
	r := rand.New(rand.NewPCG(seed, 1))
	profile := []solid.P{{X: 0, Y: 0}}
	y := 0.0
	for range 4 + r.IntN(4) {
		w := 4 + 16*r.Float64()
		profile = append(profile, solid.P{X: w, Y: y})
		y += 1.5 + 9*r.Float64()
		profile = append(profile, solid.P{X: w * (0.5 + 0.7*r.Float64()), Y: y})
	}
	if r.IntN(2) == 0 { // a bowl on top
		profile = append(profile, solid.P{X: 2, Y: y}, solid.P{X: 0, Y: y * 0.7})
	} else {
		profile = append(profile, solid.P{X: 0, Y: y})
	}
	return solid.Revolve(profile, 48+16*r.IntN(3))
}

// pressed is a plate of a random star outline with holes, lying or on its edge.
func pressed(seed uint64) *mesh.Mesh {
	r := rand.New(rand.NewPCG(seed, 2))
	n := 6 + r.IntN(14)
	deep := r.Float64() * 0.6
	var outer []solid.P
	R := 14 + 14*r.Float64()
	for i := range n {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(n))
		d := R * (1 - deep*float64(i%2)) * (0.9 + 0.1*r.Float64())
		outer = append(outer, solid.P{X: d * cos, Y: d * sin})
	}
	var holes [][]solid.P
	if in := R * (1 - deep) * 0.5; r.IntN(3) > 0 {
		h := solid.Circle(0, 0, in, 32)
		slices.Reverse(h)
		holes = append(holes, h)
	}
	m := solid.Extrude(outer, holes, 3+14*r.Float64())
	if r.IntN(3) > 0 {
		m = leaned(m, 90-60*float64(r.IntN(2))*r.Float64(), 0)
	}
	return m
}

// joined are blocks and balls grown together, as brackets, tables and bridges are.
func joined(seed uint64) *mesh.Mesh {
	r := rand.New(rand.NewPCG(seed, 3))
	m := solid.Box(10+14*r.Float64(), 8+12*r.Float64(), 3+5*r.Float64())
	for range 3 + r.IntN(4) {
		box := m.Bounds()
		var b *mesh.Mesh
		if r.IntN(4) == 0 {
			b = solid.Sphere(4+6*r.Float64(), 48)
		} else {
			b = solid.Box(4+26*r.Float64(), 4+16*r.Float64(), 3+16*r.Float64())
		}
		size := b.Bounds().Size()
		into := func(lo, hi, size float64) float64 { return lo + (hi-lo)*r.Float64() - size*r.Float64() }
		at := mesh.Vec3{X: into(box.Min.X, box.Max.X, size.X), Y: into(box.Min.Y, box.Max.Y, size.Y), Z: box.Max.Z - 1.3}
		m.Append(b.Transformed(1, at.Sub(b.Bounds().Min)))
	}
	return united(m)
}

// branch is a bent chain of thick balls and posts, leaning as it likes.
func branch(seed uint64) *mesh.Mesh {
	r := rand.New(rand.NewPCG(seed, 4))
	m := leaned(solid.Cylinder(4+4*r.Float64(), 24+16*r.Float64(), 32), 20+50*r.Float64(), 360*r.Float64())
	for range 2 + r.IntN(3) {
		end := m.Vertices[r.IntN(len(m.Vertices))]
		twig := leaned(solid.Cylinder(2+3*r.Float64(), 14+18*r.Float64(), 24), 20+100*r.Float64(), 360*r.Float64())
		m.Append(twig.Transformed(1, end))
		m.Append(solid.Sphere(3+4*r.Float64(), 32).Transformed(1, end.Add(mesh.Vec3{X: 0.1, Y: 0.2, Z: 0.15})))
	}
	return united(m)
}

// loop is a tube along a closed curve of a few waves each way, as thick as it likes.
func loop(seed uint64) *mesh.Mesh {
	r := rand.New(rand.NewPCG(seed, 5))
	var wave [3][3][2]float64 // by axis and how many waves: how high, and from where
	for axis := range wave {
		for k := range wave[axis] {
			wave[axis][k] = [2]float64{(8 + 14*r.Float64()) / float64(1+k*r.IntN(3)), 2 * math.Pi * r.Float64()}
		}
	}
	at := func(t float64) mesh.Vec3 {
		var p [3]float64
		for axis := range wave {
			for k, w := range wave[axis] {
				p[axis] += w[0] * math.Cos(float64(k+1)*t+w[1])
			}
		}
		return mesh.Vec3{X: p[0], Y: p[1], Z: 0.7 * p[2]}
	}
	const n, around = 160, 18
	thick := 2 + 2.5*r.Float64()
	m := &mesh.Mesh{}
	side := mesh.Vec3{X: 0.3, Y: 0.5, Z: 0.8}
	for i := range n {
		t := 2 * math.Pi * float64(i) / n
		along := at(t + 1e-4).Sub(at(t - 1e-4))
		along = along.Scale(1 / along.Len())
		side = side.Sub(along.Scale(side.Dot(along))) // carried along, so that the tube does not twist
		side = side.Scale(1 / side.Len())
		up := along.Cross(side)
		for k := range around {
			sin, cos := math.Sincos(2 * math.Pi * float64(k) / around)
			m.Vertices = append(m.Vertices, at(t).Add(side.Scale(thick*cos)).Add(up.Scale(thick*sin)))
		}
	}
	// The last ring meets the first where its side has come to by then.
	turn, best := 0, math.Inf(1)
	for k := range around {
		if d := m.Vertices[k].Sub(m.Vertices[(n-1)*around]).Len(); d < best {
			turn, best = k, d
		}
	}
	for i := range n {
		next, by := (i+1)%n, 0
		if next == 0 {
			by = turn
		}
		for k := range around {
			a, b := uint32(i*around+k), uint32(i*around+(k+1)%around)
			c, d := uint32(next*around+(k+by)%around), uint32(next*around+(k+1+by)%around)
			m.Triangles = append(m.Triangles, [3]uint32{a, b, d}, [3]uint32{a, d, c})
		}
	}
	return united(m)
}

// lattice is a cage of bars between the corners of boxes, standing or leaning.
func lattice(seed uint64) *mesh.Mesh {
	r := rand.New(rand.NewPCG(seed, 6))
	cells := [3]int{1 + r.IntN(3), 1 + r.IntN(2), 1 + r.IntN(2)}
	pitch, thick := 9+8*r.Float64(), 1.6+2.4*r.Float64()
	m := &mesh.Mesh{}
	bar := func(at [3]int, axis int) {
		size := [3]float64{thick, thick, thick}
		size[axis] += pitch
		// Each a hair otherwise, so that no faces coincide.
		off := func() float64 { return 0.02 * r.Float64() }
		m.Append(
			solid.Box(size[0]+off(), size[1]+off(), size[2]+off()).
				Transformed(1, mesh.Vec3{X: float64(at[0])*pitch + off(), Y: float64(at[1])*pitch + off(), Z: float64(at[2])*pitch + off()}),
		)
	}
	for x := range cells[0] + 1 {
		for y := range cells[1] + 1 {
			for z := range cells[2] + 1 {
				at := [3]int{x, y, z}
				for axis := range 3 {
					if at[axis] < cells[axis] {
						bar(at, axis)
					}
				}
			}
		}
	}
	m = united(m)
	if r.IntN(2) == 0 {
		m = leaned(m, 10+40*r.Float64(), 0)
	}
	return m
}

// armed is a wheel of pointed arms, with a hole, lying or leaning.
func armed(seed uint64) *mesh.Mesh {
	r := rand.New(rand.NewPCG(seed, 7))
	n := 3 + r.IntN(9)
	R, foot := 14+14*r.Float64(), 0.25+0.35*r.Float64()
	var outer []solid.P
	for i := range 2 * n {
		sin, cos := math.Sincos(math.Pi * float64(i) / float64(n))
		d := R
		if i%2 == 1 {
			d *= foot
		}
		outer = append(outer, solid.P{X: d * cos, Y: d * sin})
	}
	var holes [][]solid.P
	if r.IntN(2) == 0 {
		h := solid.Circle(0, 0, R*foot*0.5, 32)
		slices.Reverse(h)
		holes = append(holes, h)
	}
	m := solid.Extrude(outer, holes, 4+14*r.Float64())
	if r.IntN(3) == 0 {
		m = leaned(m, 20+60*r.Float64(), 0)
	}
	return m
}

// cusped is a foot with pillars between hollow sides, that end in edges, and often a roof.
func cusped(seed uint64) *mesh.Mesh {
	r := rand.New(rand.NewPCG(seed, 8))
	high := 6 + 20*r.Float64()
	m := solid.Box(30, 30, 2)
	for i := range 1 + r.IntN(4) {
		corners, wide := 3+r.IntN(3), 5+4*r.Float64()
		var outer []solid.P
		for k := range corners * 12 {
			// Between corners the side is drawn in, as deep as it goes.
			t := float64(k%12)/12*2 - 1
			sin, cos := math.Sincos(2 * math.Pi * float64(k) / float64(corners*12))
			d := wide * (0.35 + 0.65*t*t)
			outer = append(outer, solid.P{X: d * cos, Y: d * sin})
		}
		at := mesh.Vec3{X: 8 + 14*float64(i%2), Y: 8 + 14*float64(i/2), Z: 1.3}
		m.Append(solid.Extrude(outer, nil, high).Transformed(1, at))
	}
	if r.IntN(3) > 0 {
		m.Append(solid.Box(26, 26, 2).Transformed(1, mesh.Vec3{X: 1.7, Y: 2.1, Z: high + 0.4}))
	}
	return united(m)
}

// leaned turns a mesh about x, then about z.
func leaned(m *mesh.Mesh, x, z float64) *mesh.Mesh {
	sx, cx := math.Sincos(x * math.Pi / 180)
	sz, cz := math.Sincos(z * math.Pi / 180)
	out := &mesh.Mesh{Triangles: m.Triangles}
	for _, v := range m.Vertices {
		y, h := v.Y*cx-v.Z*sx, v.Y*sx+v.Z*cx
		out.Vertices = append(out.Vertices, mesh.Vec3{X: v.X*cz - y*sz, Y: v.X*sz + y*cz, Z: h})
	}
	return out
}

func united(m *mesh.Mesh) *mesh.Mesh {
	out, _, err := repair.Do(context.Background(), m, []repair.Step{repair.Unite})
	if err != nil {
		panic(err) // made by code, the same every time
	}
	return out
}

// OfPackages are the parts of the npm packages that come with the interface's; node
// makes them.
func OfPackages(ctx context.Context) ([]Part, error) {
	_, here, _, _ := runtime.Caller(0)
	script := filepath.Join(filepath.Dir(here), "packages.mjs")
	cmd := exec.CommandContext(ctx, "node", script)
	cmd.Stderr = os.Stderr
	raw, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("run `make test` once, for the packages: %w", err)
	}
	var list []struct {
		Name string
		MM   float64
		At   []float64
		Of   []uint32
	}
	if err := json.NewDecoder(bytes.NewReader(raw)).Decode(&list); err != nil {
		return nil, fmt.Errorf("packages: %w", err)
	}
	var out []Part
	for _, x := range list {
		m := &mesh.Mesh{}
		for i := 0; i+2 < len(x.At); i += 3 {
			m.Vertices = append(m.Vertices, mesh.Vec3{X: x.At[i], Y: x.At[i+1], Z: x.At[i+2]})
		}
		for i := 0; i+2 < len(x.Of); i += 3 {
			m.Triangles = append(m.Triangles, [3]uint32(x.Of[i:i+3]))
		}
		mesh.MergeEqual(m)
		size := m.Bounds().Size()
		out = append(out, Part{x.Name, Package, m.Transformed(x.MM/math.Max(size.X, math.Max(size.Y, size.Z)), mesh.Vec3{})})
	}
	return out, nil
}
