package modelfile

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
)

func binarySTL(t testing.TB, m *mesh.Mesh) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, WriteSTL(&b, m, "made in a test"))
	return b.Bytes()
}

func asciiSTL(m *mesh.Mesh) []byte {
	var b bytes.Buffer
	b.WriteString("solid of rope\n")
	for _, t := range m.Triangles {
		b.WriteString(" facet normal 0 0 0\n  outer loop\n")
		for _, i := range t {
			v := m.Vertices[i]
			fmt.Fprintf(&b, "   vertex %v %v %v\n", float32(v.X), float32(v.Y), float32(v.Z))
		}
		b.WriteString("  endloop\n endfacet\n")
	}
	b.WriteString("endsolid of rope\n")
	return b.Bytes()
}

// single is a file with one model.
type single struct {
	Format Format
	Model
}

func read(b []byte) (*single, error) {
	f, err := Read(context.Background(), bytes.NewReader(b), int64(len(b)), Limits{}, nil)
	if err != nil {
		return nil, err
	}
	return &single{f.Format, f.Models[0]}, nil
}

func TestRoundTripIsBitEqual(t *testing.T) {
	for _, p := range solid.Parts() {
		first := binarySTL(t, p.Mesh)
		a, err := read(first)
		require.NoError(t, err, p.Name)
		second := binarySTL(t, a.Mesh)
		b, err := read(second)
		require.NoError(t, err, p.Name)
		require.Equal(t, a.Mesh, b.Mesh, p.Name)
		require.True(t, bytes.Equal(second, binarySTL(t, b.Mesh)), "%s: bytes differ", p.Name)
		assert.Len(t, a.Mesh.Triangles, len(p.Mesh.Triangles))
	}
}

func TestTextAndBinaryGiveTheSameMesh(t *testing.T) {
	m := solid.Sheave()
	want, err := read(binarySTL(t, m))
	require.NoError(t, err)
	text := asciiSTL(m)
	for name, b := range map[string][]byte{
		"as written":   text,
		"CR LF":        bytes.ReplaceAll(text, []byte("\n"), []byte("\r\n")),
		"CR":           bytes.ReplaceAll(text, []byte("\n"), []byte("\r")),
		"mixed ends":   bytes.Replace(text, []byte("\n"), []byte("\r\n"), 40),
		"upper case":   bytes.ToUpper(text),
		"byte mark":    append([]byte("\xef\xbb\xbf"), text...),
		"tabs":         bytes.ReplaceAll(text, []byte("   "), []byte("\t \t")),
		"no last line": bytes.TrimRight(text, "\n"),
	} {
		got, err := read(b)
		require.NoError(t, err, name)
		assert.Equal(t, STLASCII, got.Format, name)
		require.Equal(t, want.Mesh, got.Mesh, name)
	}
}

func TestReadsInSmallPiecesAndWithoutKnownSize(t *testing.T) {
	b := binarySTL(t, solid.Bollard())
	want, err := read(b)
	require.NoError(t, err)
	got, err := Read(context.Background(), iotest.OneByteReader(bytes.NewReader(b)), -1, Limits{}, nil)
	require.NoError(t, err)
	assert.Equal(t, want.Mesh, got.Models[0].Mesh)
}

func TestTrapsOfTheFormat(t *testing.T) {
	b := binarySTL(t, solid.Box(1, 2, 3))
	copy(b, "solid but binary all the same")
	got, err := read(b)
	require.NoError(t, err)
	assert.Equal(t, STLBinary, got.Format)

	for o := 84 + 12; o < len(b); o += 50 {
		for c := 0; c < 9; c++ {
			if bits := b[o+4*c : o+4*c+4]; binary.LittleEndian.Uint32(bits) == 0 && c%2 == 0 {
				bits[3] = 0x80
			}
		}
	}
	got, err = read(b)
	require.NoError(t, err)
	assert.Len(t, got.Mesh.Vertices, 8)
}

func TestRefusalsSayWhatWhereAndWhatToDo(t *testing.T) {
	box := binarySTL(t, solid.Box(1, 1, 1))
	with := func(at int, v uint32) []byte {
		b := bytes.Clone(box)
		binary.LittleEndian.PutUint32(b[at:], v)
		return b
	}
	nan, inf := math.Float32bits(float32(math.NaN())), math.Float32bits(float32(math.Inf(1)))
	text := string(asciiSTL(solid.Box(1, 1, 1)))
	for _, c := range []struct {
		name string
		data []byte
		kind error
		says []string
	}{
		{"empty", nil, ErrBroken, []string{"empty", "byte 0"}},
		{"short", []byte("\x01\x02\x03"), ErrBroken, []string{"ends after 3 bytes"}},
		{"cut off", box[:400], ErrBroken, []string{"12 triangles", "400 bytes hold 6.32", "byte 80"}},
		{"count too high", with(80, 13), ErrBroken, []string{"13 triangles", "hold 12"}},
		{"count absurd", with(80, 0xffffffff), ErrBroken, []string{"4294967295"}},
		{"no triangles", append(make([]byte, 80), 0, 0, 0, 0), ErrBroken, []string{"no triangles"}},
		{"NaN", with(84+50*3+16, nan), ErrBroken, []string{"Triangle 4", "NaN", "byte 246"}},
		{"infinite", with(84+50*2+12, inf), ErrBroken, []string{"Triangle 3", "infinite"}},
		{"huge coordinate", with(84+12, math.Float32bits(1e30)), ErrBroken, []string{"1e+30"}},
		{"prose", []byte("Dear coordinator, please print my boat."), ErrUnsupported, []string{"Dear", "line 1"}},
		{"blank", []byte(" \n\n \t\n"), ErrBroken, []string{"nothing but blanks"}},
		{"cut archive", []byte("PK\x03\x04aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa"), ErrBroken, []string{"archive", "byte 0"}},
		{"picture", []byte("\x89PNG\r\n\x1a\n0000000000"), ErrUnsupported, []string{"PNG"}},
		{"text cut off", []byte(text[:len(text)-30]), ErrBroken, []string{"line 84", "endloop"}},
		{"text without end", []byte(strings.Replace(text, "endsolid", "", 1)), ErrBroken, []string{`"of"`, "endsolid"}},
		{"text empty", []byte("solid x\nendsolid x\n"), ErrBroken, []string{"no triangles"}},
		{"text bad number", []byte(strings.Replace(text, "vertex 1", "vertex l", 1)), ErrBroken, []string{`"l"`, "line 5", "no number"}},
		{"text NaN", []byte(strings.Replace(text, "vertex 1", "vertex nan", 1)), ErrBroken, []string{"NaN", "line"}},
		{"text overflow", []byte(strings.Replace(text, "vertex 1", "vertex 1e99", 1)), ErrBroken, []string{"infinite", "line"}},
		{"text missing word", []byte(strings.Replace(text, "outer loop", "outer", 1)), ErrBroken, []string{"outer loop", "line 3"}},
		{"endless line", []byte("solid " + strings.Repeat("x", 200_000)), ErrBroken, []string{"longer than"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			m, err := read(c.data)
			require.Error(t, err)
			assert.Nil(t, m)
			require.ErrorIs(t, err, c.kind, "%v", err)
			for _, s := range c.says {
				assert.ErrorContains(t, err, s)
			}
			var e *Error
			require.ErrorAs(t, err, &e)
			assert.NotEmpty(t, e.Do.Code)
		})
	}
	// Of a stream nobody knows the length: it ends within a triangle, which is told by its number.
	many := binarySTL(t, solid.Cylinder(2, 5, 3000))
	for _, triangle := range []int{1, 2, 7, 4096, 4097, 11000} {
		for _, more := range []int{0, 1, 49} {
			_, err := Read(context.Background(), bytes.NewReader(many[:84+50*(triangle-1)+more]), -1, Limits{}, nil)
			require.ErrorContains(t, err, fmt.Sprintf("The file says 11996 triangles but ends inside triangle %d ", triangle), "%d bytes of it", more)
		}
	}
	_, err := Read(context.Background(), bytes.NewReader(box), int64(len(box)), Limits{Triangles: 11}, nil)
	assert.ErrorIs(t, err, ErrTooLarge)
	_, err = Read(context.Background(), bytes.NewReader(box), int64(len(box)), Limits{Bytes: 600}, nil)
	assert.ErrorIs(t, err, ErrTooLarge)
	_, err = Read(context.Background(), bytes.NewReader(box), -1, Limits{Bytes: 600}, nil)
	assert.ErrorIs(t, err, ErrTooLarge, "also where the size is not told")
}

// A header that promises four thousand million triangles takes no memory for
// them: a stream of unknown length ends early and says so.
func TestClaimsTakeNoMemory(t *testing.T) {
	head := make([]byte, 84)
	binary.LittleEndian.PutUint32(head[80:], 9_999_999)
	allocated := testing.AllocsPerRun(1, func() {
		_, err := Read(context.Background(), bytes.NewReader(head), -1, Limits{}, nil)
		require.ErrorIs(t, err, ErrBroken)
	})
	assert.Less(t, allocated, 60.)
	w := newWelder(9_999_999)
	assert.LessOrEqual(t, cap(w.m.Triangles), 1<<20)
}

func TestCancelAndReadErrorsComeThrough(t *testing.T) {
	b := binarySTL(t, solid.Sphere(1, 200))
	ctx, cancel := context.WithCancel(context.Background())
	_, err := Read(ctx, bytes.NewReader(b), int64(len(b)), Limits{}, func(float64) { cancel() })
	assert.ErrorIs(t, err, context.Canceled)
	boom := errors.New("the disk is gone")
	_, err = Read(context.Background(), io.MultiReader(bytes.NewReader(b[:5000]), iotest.ErrReader(boom)), int64(len(b)), Limits{}, nil)
	assert.ErrorIs(t, err, boom)
}

// Law: no bytes make it panic or take long, and what it accepts is valid and
// survives writing and reading.
func FuzzRead(f *testing.F) {
	box := solid.Box(1, 2, 3)
	var b bytes.Buffer
	_ = WriteSTL(&b, box, "")
	f.Add(b.Bytes())
	f.Add(asciiSTL(box))
	f.Add([]byte("solid\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 -0\nendloop\nendfacet\nendsolid\nsolid\nendsolid"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 1<<16 {
			return
		}
		m, err := read(data)
		if err != nil {
			var e *Error
			if !errors.As(err, &e) || e.What.Code == "" || e.Do.Code == "" {
				t.Fatalf("refusal without reason: %#v", err)
			}
			return
		}
		if err := m.Mesh.Validate(); err != nil {
			t.Fatal(err)
		}
		var out bytes.Buffer
		if err := WriteSTL(&out, m.Mesh, ""); err != nil {
			t.Fatal(err)
		}
		again, err := read(out.Bytes())
		if err != nil {
			t.Fatal(err)
		}
		if len(again.Mesh.Triangles) != len(m.Mesh.Triangles) || len(again.Mesh.Vertices) != len(m.Mesh.Vertices) {
			t.Fatalf("round trip: %d/%d became %d/%d", len(m.Mesh.Vertices), len(m.Mesh.Triangles), len(again.Mesh.Vertices), len(again.Mesh.Triangles))
		}
	})
}
